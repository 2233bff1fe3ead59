//! A line that belongs to no production: what was found in a recording, with what is laid over it by rule, on a face.

use crate::felt::Felt;
use crate::played::Played;
use crate::refusal::Refusal;
use jam_rig::Wiring;
use jam_score::layers::{Acting, BlinkMode, Over, Stretch};
use jam_score::{FrameGrid, Ids, Line};
use jam_voice::Found;
use std::sync::Arc;

/// What is laid over the speech of a line that nobody works on.
#[derive(Debug, Clone, PartialEq)]
pub struct Alone {
    pub moods: Vec<Felt>,
    /// Blinks by rule.
    pub blinks: bool,
    /// The head moves with the voice.
    pub head: bool,
    /// What everything that looks random starts from.
    pub seed: u64,
}

/// The seed of a line, unless another is said.
pub const SEED: u64 = 7;

impl Default for Alone {
    fn default() -> Alone {
        Alone { moods: Vec::new(), blinks: true, head: true, seed: SEED }
    }
}

impl Alone {
    /// Lays it over a timed line.
    ///
    /// # Errors
    /// A mood lies behind the recording's end, or the line would not hold together.
    pub fn lay(&self, line: &mut Line, ids: &mut Ids) -> Result<(), Refusal> {
        let Some(timing) = &line.timing else { return Ok(()) };
        let layers = &mut line.layers;
        layers.settings.seed = self.seed;
        layers.settings.head.on = self.head;
        if !self.blinks {
            layers.settings.blinks.mode = BlinkMode::Off;
        }
        for felt in &self.moods {
            let span = felt.span(timing).map_err(|e| Refusal::new("moods", "mood_wrong", e))?;
            let over = Stretch::at(timing, span);
            layers.moods.push(Over { id: 0, over, does: Acting::of(felt.mood.clone(), felt.amount) });
        }
        crate::number(line, ids);
        Ok(line.check()?)
    }

    /// Plays what was found on a face.
    ///
    /// # Errors
    /// As of [`Alone::lay`], or nothing was found.
    pub fn play(&self, found: Found, wiring: &Wiring, grid: FrameGrid) -> Result<Played, Refusal> {
        let prosody = Arc::new(found.prosody());
        let mut ids = Ids::NEW_LINE;
        let timing = found.timing.numbered_like(None, &mut ids);
        let mut line = Line { timing: Some(timing.clone()), ..Line::new(timing.text) };
        self.lay(&mut line, &mut ids)?;
        Played::new(&Arc::new(line), wiring, grid, prosody, None).ok_or_else(Refusal::not_timed)
    }
}
