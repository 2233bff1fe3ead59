//! A target, and what made it what it is.

/// What makes a target what it is.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum Factor {
    /// The sound's own shape.
    Sound,
    Openness,
    Lips,
    Stress,
    Loudness,
    Reach,
    /// What is beyond the control's end, or near it.
    Limit,
}

impl Factor {
    pub const ALL: [Factor; 7] = [
        Factor::Sound,
        Factor::Openness,
        Factor::Lips,
        Factor::Stress,
        Factor::Loudness,
        Factor::Reach,
        Factor::Limit,
    ];
}

/// A target, and how much of it each factor made: their sum.
#[derive(Debug, Clone, Copy, PartialEq, Default)]
pub struct Wish {
    parts: [f64; Factor::ALL.len()],
}

impl Wish {
    pub fn of(target: f64) -> Wish {
        let mut wish = Wish::default();
        wish.parts[Factor::Sound as usize] = target;
        wish
    }

    pub fn target(&self) -> f64 {
        self.parts.iter().sum()
    }

    pub fn part(&self, factor: Factor) -> f64 {
        self.parts[factor as usize]
    }

    /// Scaled, the change being that factor's doing.
    #[must_use]
    pub fn scaled(mut self, factor: Factor, by: f64) -> Wish {
        self.parts[factor as usize] += self.target() * (by - 1.0);
        self
    }

    /// Brought down to `target` if it is more.
    #[must_use]
    pub fn limited(mut self, target: f64) -> Wish {
        self.parts[Factor::Limit as usize] += (target - self.target()).min(0.0);
        self
    }
}
