//! The points of a face that somebody (or [`crate::propose`]) puts on it.

use glam::DVec3;
use serde::{Deserialize, Serialize};

macro_rules! landmarks {
    ($($variant:ident $name:literal),* $(,)?) => {
        /// A point of a face. `Left` is the character's own left, +x.
        #[derive(Debug, Clone, Copy, PartialEq, Eq, PartialOrd, Ord, Hash, Serialize, Deserialize, utoipa::ToSchema)]
        #[serde(rename_all = "snake_case")]
        pub enum Landmark { $($variant),* }

        impl Landmark {
            pub const ALL: &'static [Landmark] = &[$(Landmark::$variant),*];

            /// Its name in files and in the interface.
            pub fn name(self) -> &'static str {
                match self { $(Landmark::$variant => $name),* }
            }
        }
    };
}

landmarks! {
    MouthLeft "mouth_left",
    MouthRight "mouth_right",
    LipUpper "lip_upper",
    LipLower "lip_lower",
    EyeLeftOuter "eye_left_outer",
    EyeLeftInner "eye_left_inner",
    EyeRightOuter "eye_right_outer",
    EyeRightInner "eye_right_inner",
    Nose "nose",
    Chin "chin",
    EarLeft "ear_left",
    EarRight "ear_right",
    Neck "neck",
}

impl Landmark {
    /// In words: “mouth left”.
    pub fn title(self) -> String {
        self.name().replace('_', " ")
    }

    /// The same point on the other side of the face; itself in the middle.
    pub fn other_side(self) -> Landmark {
        use Landmark::*;
        match self {
            MouthLeft => MouthRight,
            MouthRight => MouthLeft,
            EyeLeftOuter => EyeRightOuter,
            EyeRightOuter => EyeLeftOuter,
            EyeLeftInner => EyeRightInner,
            EyeRightInner => EyeLeftInner,
            EarLeft => EarRight,
            EarRight => EarLeft,
            other => other,
        }
    }
}

/// Which side of the face, the character's own.
#[derive(
    Debug, Clone, Copy, PartialEq, Eq, PartialOrd, Ord, Hash, Serialize, Deserialize, utoipa::ToSchema,
)]
#[serde(rename_all = "snake_case")]
#[schema(as = FaceSide)]
pub enum Side {
    Left,
    Right,
}

impl Side {
    pub const BOTH: [Side; 2] = [Side::Left, Side::Right];

    pub fn name(self) -> &'static str {
        match self {
            Side::Left => "left",
            Side::Right => "right",
        }
    }

    /// +1 for the left, which is +x.
    pub fn sign(self) -> f64 {
        match self {
            Side::Left => 1.0,
            Side::Right => -1.0,
        }
    }

    /// Its corner of the mouth.
    pub fn mouth(self) -> Landmark {
        if self == Side::Left { Landmark::MouthLeft } else { Landmark::MouthRight }
    }

    pub fn ear(self) -> Landmark {
        if self == Side::Left { Landmark::EarLeft } else { Landmark::EarRight }
    }

    /// Outer and inner corner of its eye.
    pub fn corners(self) -> [Landmark; 2] {
        match self {
            Side::Left => [Landmark::EyeLeftOuter, Landmark::EyeLeftInner],
            Side::Right => [Landmark::EyeRightOuter, Landmark::EyeRightInner],
        }
    }
}

/// Where the landmarks of a face are, in the space of its file's root.
#[derive(Debug, Clone, Copy, PartialEq, Serialize, Deserialize, utoipa::ToSchema)]
#[serde(deny_unknown_fields)]
pub struct Landmarks {
    pub eye_left_inner: [f64; 3],
    pub eye_left_outer: [f64; 3],
    pub eye_right_inner: [f64; 3],
    pub eye_right_outer: [f64; 3],
    /// Corners of the mouth.
    pub mouth_left: [f64; 3],
    pub mouth_right: [f64; 3],
    /// Middles of the lips' edges, where they meet or part.
    pub lip_upper: [f64; 3],
    pub lip_lower: [f64; 3],
    /// Tip of the nose.
    pub nose: [f64; 3],
    /// Foremost of the chin's lower end.
    pub chin: [f64; 3],
    /// Before the ears, where the jaw hangs.
    pub ear_left: [f64; 3],
    pub ear_right: [f64; 3],
    /// Middle of the neck's front, well below the chin; may be missing.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub neck: Option<[f64; 3]>,
}

impl Landmarks {
    /// All at one place, to be set; without a neck.
    pub fn at_origin() -> Landmarks {
        let here = [0.0; 3];
        Landmarks {
            eye_left_inner: here,
            eye_left_outer: here,
            eye_right_inner: here,
            eye_right_outer: here,
            mouth_left: here,
            mouth_right: here,
            lip_upper: here,
            lip_lower: here,
            nose: here,
            chin: here,
            ear_left: here,
            ear_right: here,
            neck: None,
        }
    }

    pub fn get(&self, landmark: Landmark) -> Option<DVec3> {
        use Landmark::*;
        let p = match landmark {
            MouthLeft => self.mouth_left,
            MouthRight => self.mouth_right,
            LipUpper => self.lip_upper,
            LipLower => self.lip_lower,
            EyeLeftOuter => self.eye_left_outer,
            EyeLeftInner => self.eye_left_inner,
            EyeRightOuter => self.eye_right_outer,
            EyeRightInner => self.eye_right_inner,
            Nose => self.nose,
            Chin => self.chin,
            EarLeft => self.ear_left,
            EarRight => self.ear_right,
            Neck => self.neck?,
        };
        Some(p.into())
    }

    pub fn set(&mut self, landmark: Landmark, to: DVec3) {
        use Landmark::*;
        let to = to.to_array();
        let slot = match landmark {
            MouthLeft => &mut self.mouth_left,
            MouthRight => &mut self.mouth_right,
            LipUpper => &mut self.lip_upper,
            LipLower => &mut self.lip_lower,
            EyeLeftOuter => &mut self.eye_left_outer,
            EyeLeftInner => &mut self.eye_left_inner,
            EyeRightOuter => &mut self.eye_right_outer,
            EyeRightInner => &mut self.eye_right_inner,
            Nose => &mut self.nose,
            Chin => &mut self.chin,
            EarLeft => &mut self.ear_left,
            EarRight => &mut self.ear_right,
            Neck => {
                self.neck = Some(to);
                return;
            }
        };
        *slot = to;
    }

    /// How wide the face is: from one eye's outer corner to the other's.
    pub fn width(&self) -> f64 {
        DVec3::from(self.eye_left_outer).distance(self.eye_right_outer.into())
    }

    /// Those that are there, in the order of [`Landmark::ALL`].
    pub fn there(&self) -> impl Iterator<Item = (Landmark, DVec3)> + '_ {
        Landmark::ALL.iter().filter_map(|l| Some((*l, self.get(*l)?)))
    }

    /// Those that are there, each put elsewhere.
    pub fn moved(&self, to: impl Fn(DVec3) -> DVec3) -> Landmarks {
        let mut out = *self;
        self.there().for_each(|(l, p)| out.set(l, to(p)));
        out
    }
}
