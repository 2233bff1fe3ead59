//! A line evaluated: its curves on its character, and how long its shot is. What is shown, checked and delivered all
//! starts here.

use jam_face::{Cause, HZ, Performance};
use jam_rig::{Chart, Sampled, Wiring};
use jam_score::{Control, Frame, FrameGrid, FrameRate, Line, Prosody, Seconds, Shot, Timing, tail};
use std::sync::Arc;

/// A line's curves and what they drive, sample by sample.
#[derive(Debug)]
pub struct Played {
    pub line: Line,
    pub grid: FrameGrid,
    pub wiring: Wiring,
    pub prosody: Arc<Prosody>,
    /// All layers before hands: stays while only they change.
    before_hands: Arc<Performance>,
    pub face: Performance,
    /// Values of the wiring's targets, sample by sample.
    pub wired: Vec<Vec<f32>>,
}

impl Played {
    /// Evaluates a line; none without times. `before` is another state of it: what both have in common, if it is the
    /// same voice, is not worked out again.
    pub fn new(
        line: &Line,
        wiring: &Wiring,
        grid: FrameGrid,
        prosody: Arc<Prosody>,
        before: Option<&Played>,
    ) -> Option<Played> {
        let timing = line.timing.as_ref()?;
        let same_voice = |b: &&Played| b.line.timing == line.timing && Arc::ptr_eq(&b.prosody, &prosody);
        let before = before.filter(same_voice).filter(|b| b.grid.rate == grid.rate);
        let same_before_hands = |b: &&Played| {
            let layers = |l: &Line| (l.diction, l.reach.clone(), l.layers.clone());
            layers(&b.line) == layers(line)
        };
        let before_hands = match before.filter(same_before_hands) {
            Some(before) => before.before_hands.clone(),
            None => Arc::new(jam_face::before_hands(line, &prosody, grid.rate, tail(grid.rate))?),
        };
        let face = before_hands.by_hand(line.hands());
        let lead = line.diction.lead;
        let like = before.filter(|b| b.wiring == *wiring && b.line.diction.lead == lead);
        let wired = wire(&face, wiring, timing, lead, grid.rate, like.map(|b| (&b.face, &b.wired[..])));
        let (line, wiring) = (line.clone(), wiring.clone());
        Some(Played { line, grid, wiring, prosody, before_hands, face, wired })
    }

    /// About how much memory it takes, bytes.
    pub fn bytes(&self) -> usize {
        let samples = self.face.len() * 4;
        let keys: usize = self.line.touches.iter().map(|t| t.keys.len()).sum();
        // Curves before and after hands, values of targets, the voice; words and sounds.
        let controls = 2 * Control::ALL.len() + 6;
        let outputs = self.wiring.outputs.len() + 6;
        let sounds = self.line.timing.as_ref().map_or(0, |t| t.sounds.len() + t.words.len());
        samples * (controls + outputs) + 128 * (keys + sounds)
    }

    /// What makes some controls' values at a time.
    pub fn causes(&self, controls: &[Control], time: Seconds) -> Vec<Cause> {
        let rate = self.grid.rate;
        jam_face::causes(&self.line, &self.prosody, rate, tail(rate), controls, time).unwrap_or_default()
    }

    /// The shot frame by frame.
    pub fn sampled(&self) -> Sampled {
        let none = Timing::default();
        let timing = self.line.timing.as_ref().unwrap_or(&none);
        // Controls are sampled on every frame and wired there: wired values of another grid must not be interpolated,
        // or a seal may open.
        let shot = Shot::of(self.grid, timing.end());
        let at = |i: i64| self.face.face_at(self.grid.time_of(Frame(shot.first.0 + i)));
        let faces: Vec<Vec<f32>> = (0..shot.frames() as i64).map(at).collect();
        let wired = faces.iter().map(|f| self.wiring.apply(f)).collect();
        let stepped = |c: &Chart| c.stepped(timing, self.line.diction.lead, self.grid.rate, shot.frames());
        let drawings = self.wiring.chart.as_ref().map(stepped).unwrap_or_default();
        Sampled { grid: self.grid, faces, wired, drawings }
    }
}

/// Values of a wiring's targets for every sample of a performance. Drawings of a chart stand for whole
/// frames. `like` is another performance of the same times with its values: samples that are the same in both
/// are not worked out again.
pub fn wire(
    face: &Performance,
    wiring: &Wiring,
    timing: &Timing,
    lead: Seconds,
    rate: FrameRate,
    like: Option<(&Performance, &[Vec<f32>])>,
) -> Vec<Vec<f32>> {
    let differ: Vec<Control> = like.map_or(Vec::new(), |(other, _)| {
        Control::ALL.iter().copied().filter(|c| face.curve(*c) != other.curve(*c)).collect()
    });
    // The frame a sample falls into, as the grid counts frames.
    let grid = FrameGrid { rate, first: Frame(0) };
    let frame_of = |i: usize| grid.frame_at(Seconds(i as f64 / HZ)).0.max(0) as usize;
    let frames = frame_of(face.len()) + 1;
    let drawings = wiring.chart.as_ref().map(|c| c.stepped(timing, lead, rate, frames));
    let sample = |i: usize| {
        if let Some((other, values)) = like.and_then(|(other, values)| Some((other, values.get(i)?)))
            && differ.iter().all(|c| face.sample(*c, i) == other.sample(*c, i))
        {
            return values.clone();
        }
        let controls: Vec<f32> = Control::ALL.iter().map(|c| face.sample(*c, i)).collect();
        let drawing = drawings.as_ref().and_then(|d| d.get(frame_of(i)).copied());
        wiring.apply_with(&controls, drawing)
    };
    (0..face.len()).map(sample).collect()
}
