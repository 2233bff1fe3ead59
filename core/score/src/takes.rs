//! New times and other takes: what is tied to the speech goes along.

use crate::carry::Carry;
use crate::tied::{Shelved, Tied};
use crate::{Layers, Line, Listen, Timing};

impl Line {
    fn tied(&self) -> Tied {
        Tied::of(&self.touches, &self.reach, &self.layers)
    }

    fn tie(&mut self, tied: Tied) {
        let Tied { touches, reach, moods, looks, moves, blinks, levels, dismissed } = tied;
        (self.touches, self.reach) = (touches, reach);
        self.layers = Layers { moods, looks, moves, blinks, levels, dismissed, ..self.layers.clone() };
    }

    /// The line with other times; what is tied to the speech follows.
    #[must_use]
    pub fn retimed(&self, timing: Option<Timing>) -> Line {
        let mut line = Line { timing, ..self.clone() };
        if let (Some(old), Some(new)) = (&self.timing, &line.timing) {
            let tied = self.tied().carried(&Carry { old, new });
            line.tie(tied);
        }
        line
    }

    /// The line listening to something else. Times that it had are kept, and are back with everything tied to them
    /// when the same is listened to again.
    #[must_use]
    pub fn listening(&self, listen: Listen) -> Line {
        if listen == self.listen {
            return self.clone();
        }
        let mut line = Line { listen, ..self.clone() };
        let own = |t: &&Timing| t.listen == self.listen;
        if let Some(timing) = self.timing.as_ref().filter(own) {
            line.shelf.retain(|s| s.timing.listen != timing.listen);
            line.shelf.push(Shelved { timing: timing.clone(), tied: self.tied() });
        }
        let Some(found) = line.shelf.iter().position(|s| s.timing.listen == listen) else { return line };
        let Shelved { timing, tied } = line.shelf.remove(found);
        let Some(now) = &self.timing else { return line.retimed(Some(timing)) };
        let since = self.tied();
        let there = tied.carried(&Carry { old: &timing, new: now });
        let back = since.carried(&Carry { old: now, new: &timing });
        let home = tied.come_home(&since, &there, back);
        line.tie(home);
        line.timing = Some(timing);
        line
    }
}
