//! Idle motion: a character that says nothing, waits or listens, for as long as one likes, and comes round without a seam.
//! It is a line like any other, of silence; what is drawn for it lies in its layers, to be moved by hand.
//!
//! How often somebody who waits looks elsewhere, shifts or thinks, and how often a listener nods, is common practice without
//! a source; blinks are as often as `jam_face::layers::lids` says.

use crate::refusal::Refusal;
use jam_score::layers::{HeadMove, Look, Over, Stretch};
use jam_score::seed::{Dice, Seed};
use jam_score::{FrameGrid, Ids, Line, OwnFrames, Phone, Seconds, Sound, Span, Timing};
use serde::{Deserialize, Serialize};

/// What somebody does who says nothing.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Serialize, Deserialize, utoipa::ToSchema)]
#[serde(rename_all = "snake_case")]
pub enum IdleDoes {
    /// Stays with what it looks at, and breathes.
    Rests,
    /// Looks elsewhere now and then, thinks, shifts its head.
    Waits,
    /// Keeps its eyes on a face and nods now and then.
    Listens,
}

impl IdleDoes {
    pub const ALL: [IdleDoes; 3] = [IdleDoes::Rests, IdleDoes::Waits, IdleDoes::Listens];

    /// In a word: “waits”.
    pub fn title(self) -> &'static str {
        match self {
            IdleDoes::Rests => "rests",
            IdleDoes::Waits => "waits",
            IdleDoes::Listens => "listens",
        }
    }
}

/// How long it may be, seconds: shorter it would be seen to come round, and no clip needs it longer.
const LENGTHS: std::ops::RangeInclusive<f64> = 4.0..=600.0;
/// How much more seldom somebody blinks who waits than who listens (17 a minute for 20, Bentivoglio et al. 1997).
const WAITING_BLINKS: f64 = 0.85;

/// A length that is a whole number of frames, as near to `seconds` as can be.
pub(crate) fn whole_frames(seconds: f64, grid: FrameGrid) -> Seconds {
    let frame = grid.rate.frame_length().0;
    Seconds((seconds / frame).round() * frame)
}

/// A line of idle motion with the numbers that were given in it.
///
/// # Errors
/// It is too short or too long.
pub fn idle(does: IdleDoes, seconds: f64, seed: u64, grid: FrameGrid) -> Result<(Line, Ids), Refusal> {
    if !LENGTHS.contains(&seconds) {
        let says = format!("Idle motion lasts {} to {} seconds.", LENGTHS.start(), LENGTHS.end());
        return Err(Refusal::new("seconds", "length_wrong", says));
    }
    let length = whole_frames(seconds, grid);
    let mut ids = Ids::NEW_LINE;
    let timing = silence(length).numbered_like(None, &mut ids);
    let mut line = Line::new("");
    line.name = Some(format!("{} {:.0} s", does.title(), length.0));
    line.frames = OwnFrames { loops: true, ..OwnFrames::default() };
    line.layers.settings.seed = seed;
    let mut put = Put { timing: &timing, ids: &mut ids, line: &mut line, end: length.0 };
    let dice = Seed(seed).name("idle").name(does.title()).dice();
    match does {
        IdleDoes::Rests => put.line.layers.settings.blinks.rate = WAITING_BLINKS,
        IdleDoes::Waits => put.waits(dice),
        IdleDoes::Listens => put.listens(dice),
    }
    line.timing = Some(timing);
    line.check()?;
    Ok((line, ids))
}

/// Times of nothing being said for so long.
pub(crate) fn silence(length: Seconds) -> Timing {
    let pause = Sound::new(Phone::Sil, Span { start: Seconds::ZERO, end: length });
    Timing { sounds: vec![pause].into(), ..Timing::default() }
}

struct Put<'a> {
    timing: &'a Timing,
    ids: &'a mut Ids,
    line: &'a mut Line,
    end: f64,
}

/// Nothing is put so near to where it comes round, seconds.
const CLEAR: f64 = 1.2;

impl Put<'_> {
    fn over<T>(&mut self, from: f64, takes: f64, does: T) -> Over<T> {
        Over { id: self.ids.give(), over: Stretch::at(self.timing, Span::new(from, from + takes)), does }
    }

    fn look(&mut self, from: f64, takes: f64, look: Look) {
        let over = self.over(from, takes, look);
        self.line.layers.looks.push(over);
    }

    fn turn(&mut self, from: f64, takes: f64, yaw: f64, pitch: f64, roll: f64) {
        let [yaw, pitch, roll] = [yaw, pitch, roll].map(|degrees| (10.0 * degrees).round() / 10.0);
        let over = self.over(from, takes, HeadMove::Turn { yaw, pitch, roll });
        self.line.layers.moves.push(over);
    }

    fn waits(&mut self, mut dice: Dice) {
        self.line.layers.settings.blinks.rate = WAITING_BLINKS;
        // Everything but the first mark is elsewhere.
        let elsewhere: Vec<u32> = self.line.layers.settings.marks.iter().skip(1).map(|m| m.id).collect();
        let mut time = dice.between(1.2, 3.0);
        while time < self.end - CLEAR - 3.0 {
            let takes = match dice.even() {
                ..0.4 => {
                    let which = (dice.even() * elsewhere.len() as f64) as usize;
                    let takes = dice.between(0.8, 2.4);
                    self.look(time, takes, Look::At { mark: elsewhere[which.min(elsewhere.len() - 1)] });
                    takes
                }
                ..0.6 => {
                    let takes = dice.between(1.2, 2.6);
                    self.look(time, takes, Look::Think);
                    takes
                }
                _ => {
                    let takes = dice.between(1.8, 3.0);
                    let (yaw, pitch) = (dice.side() * dice.between(2.0, 6.0), dice.between(-1.5, 2.0));
                    self.turn(time, takes, yaw, pitch, dice.side() * dice.between(0.5, 2.5));
                    takes
                }
            };
            time += takes + dice.between(1.2, 3.6);
        }
    }

    fn listens(&mut self, mut dice: Dice) {
        let face = self.line.layers.settings.marks[0].id;
        self.look(0.0, self.end, Look::Face { mark: face });
        let mut time = dice.between(1.5, 3.5);
        while time < self.end - CLEAR - 3.4 {
            let (takes, degrees) = (dice.between(0.26, 0.36), dice.between(3.0, 6.0));
            self.turn(time, takes, 0.0, degrees, 0.0);
            // Some are twofold, the second smaller.
            if dice.even() < 0.35 {
                self.turn(time + takes + 0.12, takes, 0.0, 0.6 * degrees, 0.0);
            } else if dice.even() < 0.4 {
                // The head leans to what it hears.
                self.turn(time + 0.8, dice.between(1.5, 2.5), 0.0, 0.5, dice.side() * dice.between(2.0, 4.0));
            }
            time += dice.between(3.5, 8.0);
        }
    }
}

#[cfg(test)]
mod tests {
    #![allow(clippy::unwrap_used)]
    use super::*;
    use jam_score::{Frame, FrameRate};

    fn grid(rate: FrameRate) -> FrameGrid {
        FrameGrid { rate, first: Frame(1001) }
    }

    /// What is put never lies over what was put before, nor where it comes round; the same is drawn for the same seed.
    #[test]
    fn what_is_drawn_has_room_and_is_drawn_again() {
        let grid = grid(FrameRate::new(24, 1).unwrap());
        for does in IdleDoes::ALL {
            for seed in 0..40 {
                let (line, _) = idle(does, 30.0, seed, grid).unwrap();
                assert_eq!(line, idle(does, 30.0, seed, grid).unwrap().0);
                assert_ne!(line, idle(does, 30.0, seed + 1, grid).unwrap().0);
                let timing = line.timing.as_ref().unwrap();
                let mut spans: Vec<(f64, f64)> = line
                    .layers
                    .moves
                    .iter()
                    .map(|o| o.over.span(timing))
                    .map(|s| (s.start.0, s.end.0))
                    .collect();
                if does == IdleDoes::Waits {
                    let looks = line.layers.looks.iter().map(|o| o.over.span(timing));
                    spans.extend(looks.map(|s| (s.start.0, s.end.0)));
                }
                spans.sort_by(|a, b| a.0.total_cmp(&b.0));
                assert!(spans.windows(2).all(|w| w[0].1 < w[1].0), "{does:?} {seed} {spans:?}");
                assert!(spans.iter().all(|s| s.0 > 1.0 && s.1 < 29.9), "{does:?} {seed} {spans:?}");
                let few = if does == IdleDoes::Rests { 0..1 } else { 3..20 };
                assert!(few.contains(&spans.len()), "{does:?} {seed} {spans:?}");
            }
        }
    }

    /// Source: 23.976 is 24000/1001 (SMPTE ST 428 and everyday use): ten seconds of it are 240 frames of 1001/24000 s.
    #[test]
    fn it_lasts_whole_frames() {
        let film = FrameRate::new(24_000, 1001).unwrap();
        let (line, _) = idle(IdleDoes::Rests, 10.0, 1, grid(film)).unwrap();
        assert!((line.comes_round().unwrap().0 - 240.0 * 1001.0 / 24_000.0).abs() < 1e-9);
        for wrong in [3.0, 601.0, f64::NAN] {
            assert_eq!(idle(IdleDoes::Rests, wrong, 1, grid(film)).unwrap_err().code, "length_wrong");
        }
    }
}
