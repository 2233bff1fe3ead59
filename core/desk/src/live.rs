//! A face that speaks along with a voice that comes in.
//!
//! A sound is known some hundredths of a second after it was said; lips must know the sounds after it, too, to go over into
//! them. So the face of a moment is made when the voice is [`BEHIND`] seconds further on, of everything that was heard by
//! then, by the same solve as any line's: it shuts for a closure that is heard only then. What was shown is not taken back:
//! each face goes from the one before to what is known now, within [`SETTLES`].

use crate::around::Alive;
use crate::refusal::Refusal;
use jam_face::{Performance, perform_heard};
use jam_score::{Control, Diction, FrameGrid, Line, Region, Seconds, Timing, tail};
use jam_voice::live::{Ear, is_sure};
use jam_voice::{AnalyseError, Analyser};

/// Seconds between a moment of the voice and its face, when the samples of the one are there for the other: some 40 ms until
/// a frame is whole, and what lips need to know of what follows.
const BEHIND: f64 = 0.17;
/// Seconds from a moment of the voice until the ear has it: half a window, and the frames after it.
const EAR_BEHIND: f64 = 0.043;
/// Stated delay, seconds: with blocks of 20 ms and the way to it, a face is there by then.
pub const DELAY: f64 = 0.22;
/// Seconds in which a face goes to what is known better now; shorter, and it jumps where the voice turns out other than thought.
const SETTLES: f64 = 0.02;
/// Seconds between two faces.
const STEP: f64 = 0.01;
/// Seconds of voice that are solved for each time.
const SOLVED: f64 = 2.5;
/// How much longer the newest sound is thought to last.
const LASTS: f64 = 0.15;
/// How long the motion of eyes and head is until it comes round.
const ROUND: f64 = 60.0;

/// A moment of the voice, with its face.
#[derive(Debug, Clone, PartialEq)]
pub struct Spoken {
    /// Seconds since the voice began.
    pub time: f64,
    /// In the order of [`Control::ALL`].
    pub controls: Vec<f32>,
}

/// Speaks along with a voice.
pub struct LiveFace {
    ear: Ear,
    diction: Diction,
    grid: FrameGrid,
    /// Eyes, lids, brows and head.
    alive: Option<Alive>,
    /// The mouth as it was shown last.
    shown: Vec<f32>,
    /// Faces that were made.
    made: u64,
}

fn is_mouth(control: Control) -> bool {
    matches!(control.region(), Region::Jaw | Region::Lips | Region::Tongue | Region::Cheeks)
}

impl LiveFace {
    /// With the diction, the seed and the marks of a line.
    ///
    /// # Errors
    /// The model that ships is damaged.
    pub fn new(analyser: &Analyser, line: &Line, grid: FrameGrid) -> Result<LiveFace, AnalyseError> {
        Ok(LiveFace {
            ear: analyser.ear()?,
            diction: line.diction,
            grid,
            alive: Alive::of(line, ROUND, grid),
            shown: vec![0.0; Control::ALL.len()],
            made: 0,
        })
    }

    /// Takes samples at the ear's rate; the faces of the moments that can be told now.
    pub fn take(&mut self, samples: &[f32]) -> Vec<Spoken> {
        self.ear.take(samples);
        let until = self.ear.heard_to().0 - (BEHIND - EAR_BEHIND);
        let first = self.made as f64 * STEP;
        if until < first {
            return Vec::new();
        }
        let (start, timing) = self.ear.last(SOLVED);
        let mouth = self.mouth(timing);
        let mut out = Vec::new();
        while (self.made as f64) * STEP <= until {
            let time = self.made as f64 * STEP;
            self.made += 1;
            let still = || vec![0.0; Control::ALL.len()];
            let mut controls = self.alive.as_ref().map_or_else(still, |alive| alive.face_at(time));
            for control in Control::ALL.iter().filter(|c| is_mouth(**c)) {
                // As it will be a little later: by that much what is shown hangs behind.
                let at = Seconds(time + SETTLES - start.0);
                let known = mouth.as_ref().map_or(0.0, |m| m.value(*control, at));
                let shown = &mut self.shown[*control as usize];
                *shown += (known - *shown) * (STEP / (STEP + SETTLES)) as f32;
                controls[*control as usize] = *shown;
            }
            out.push(Spoken { time, controls });
        }
        out
    }

    fn mouth(&self, mut timing: Timing) -> Option<Performance> {
        timing.sounds.last_mut()?.span.end.0 += LASTS;
        let sure: Vec<bool> = timing.sounds.iter().map(is_sure).collect();
        let sure = |i: usize| sure.get(i).copied().unwrap_or(false);
        Some(perform_heard(&timing, &self.diction, self.grid.rate, tail(self.grid.rate), &sure))
    }

    /// The sounds that were heard since a moment, as they are known at the end: times count from there.
    ///
    /// # Errors
    /// Nothing was heard since, or too long ago.
    pub fn heard_since(&self, from: Seconds) -> Result<Timing, Refusal> {
        let says = "Nothing was heard since; look whether the microphone is on.";
        self.ear.since(from).map_err(|_| Refusal::new("voice", "nothing_heard", says))
    }
}
