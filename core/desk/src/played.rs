//! A line evaluated: its curves on its character, and how long its shot is. What is shown, checked and delivered all
//! starts here.

use crate::around::Alive;
use jam_face::{BeforeHands, Cause, HZ, Performance, Track};
use jam_rig::{Chart, Sampled, Wiring};
use jam_score::{Control, Frame, FrameGrid, FrameRate, Line, Prosody, Seconds, Shot, Timing, tail};
use std::sync::Arc;

/// A line's curves and what they drive, sample by sample.
#[derive(Debug)]
pub struct Played {
    pub line: Arc<Line>,
    pub grid: FrameGrid,
    pub wiring: Wiring,
    pub prosody: Arc<Prosody>,
    /// All layers before hands: stays while only they change.
    before_hands: Arc<BeforeHands>,
    pub face: Performance,
    /// Values of the wiring's targets.
    pub tracks: Tracks,
}

impl Played {
    /// Evaluates a line; none without times. `before` is another state of it: what both have in common, if it is the
    /// same voice, is not worked out again.
    pub fn new(
        line: &Arc<Line>,
        wiring: &Wiring,
        grid: FrameGrid,
        prosody: Arc<Prosody>,
        before: Option<&Played>,
    ) -> Option<Played> {
        let timing = line.timing.as_ref()?;
        let same_before_hands = |b: &&Played| {
            let same_around = Arc::ptr_eq(&b.prosody, &prosody) && b.grid.rate == grid.rate;
            let (a, b) = (&b.line, line);
            same_around
                && a.timing == b.timing
                && a.diction == b.diction
                && a.reach == b.reach
                && a.layers == b.layers
        };
        let mouth = before.filter(same_before_hands);
        let before_hands = match mouth {
            Some(mouth) => mouth.before_hands.clone(),
            None => {
                let like = before.map(|b| &*b.before_hands);
                Arc::new(jam_face::before_hands(line, &prosody, grid.rate, tail(grid.rate), like)?)
            }
        };
        let face = before_hands.by_hand(line.hands(), before.map(|b| (&*b.before_hands, &b.face)));
        let lead = line.diction.lead;
        let like = before.filter(|b| b.wiring == *wiring);
        let tracks = wire(&face, wiring, timing, lead, grid.rate, like.map(|b| (&b.face, &b.tracks)));
        let (line, wiring) = (line.clone(), wiring.clone());
        Some(Played { line, grid, wiring, prosody, before_hands, face, tracks })
    }

    /// About how much memory it takes, bytes.
    pub fn bytes(&self) -> usize {
        let samples = self.face.len() * 4;
        let keys: usize = self.line.touches.iter().map(|t| t.keys.len()).sum();
        // Curves before and after hands, values of targets, the voice; words and sounds.
        let controls = 2 * Control::ALL.len() + 6;
        let outputs = self.wiring.outputs.len() + 6;
        let sounds = self.line.timing.as_ref().map_or(0, |t| t.sounds.len() + t.words.len());
        samples * (controls + outputs) + 128 * (keys + sounds) + self.before_hands.bytes()
    }

    /// What makes some controls' values at a time.
    pub fn causes(&self, controls: &[Control], time: Seconds) -> Vec<Cause> {
        self.before_hands.causes(&self.line, &self.face, controls, time)
    }

    /// The shot frame by frame.
    pub fn sampled(&self) -> Sampled {
        self.sampled_as(&Stretch::default())
    }

    /// Faces at any times. Beyond the line's ends the mouth is as it is there, and the rest alive; idle motion comes round.
    fn faces(&self, times: impl Iterator<Item = Seconds>) -> Vec<Vec<f32>> {
        let end = self.face.len().saturating_sub(1) as f64 / HZ;
        let round = self.line.comes_round();
        let mut alive: Option<Option<Alive>> = None;
        let face = |time: Seconds| {
            if let Some(round) = round {
                return self.face.face_at(Seconds(time.0.rem_euclid(round.0)));
            }
            let mut face = self.face.face_at(time);
            let beyond = time.0 - time.0.clamp(0.0, end);
            if beyond != 0.0
                && let Some(alive) = alive.get_or_insert_with(|| Alive::of(&self.line, BEYOND, self.grid))
            {
                alive.lay_beyond(&mut face, beyond);
            }
            face
        };
        times.map(face).collect()
    }

    /// A stretch of the line frame by frame.
    pub fn sampled_as(&self, stretch: &Stretch) -> Sampled {
        let none = Timing::default();
        let timing = self.line.timing.as_ref().unwrap_or(&none);
        // Controls are sampled on every frame and wired there: wired values of another grid must not be interpolated,
        // or a seal may open.
        let grid = FrameGrid { rate: stretch.rate.unwrap_or(self.grid.rate), ..self.grid };
        let shot = Shot::of(grid, timing.end(), self.line.frames);
        let (first, mut last) = stretch.frames.unwrap_or((shot.first, shot.last));
        if stretch.frames.is_none() {
            last = last.max(Frame(first.0 + grid.frames_covering(stretch.at_least) - 1));
        }
        let frames = (last.0 - first.0 + 1).max(1);
        let faces: Vec<Vec<f32>> = self.faces((0..frames).map(|i| grid.time_of(Frame(first.0 + i))));
        let wired = faces.iter().map(|f| self.wiring.apply(f)).collect();
        let before = grid.first.0 - first.0;
        // A handle before the sound shows what its first frame shows.
        let stepped = |c: &Chart| {
            let spoken =
                c.stepped(timing, self.line.diction.lead, grid.rate, (frames - before).max(1) as usize);
            (0..frames).map(|i| spoken[(i - before).clamp(0, spoken.len() as i64 - 1) as usize]).collect()
        };
        let drawings = self.wiring.chart.as_ref().map(stepped).unwrap_or_default();
        Sampled { grid: FrameGrid { first, ..grid }, before, faces, wired, drawings }
    }
}

/// Seconds after which the motion beyond a line's ends comes round.
const BEYOND: f64 = 24.0;

/// What of a line is taken, and on which frames; by default its shot on its own frames.
#[derive(Debug, Clone, Copy, PartialEq, Default)]
pub struct Stretch {
    /// Another rate than the line's; the frame at which its sound starts keeps its number.
    pub rate: Option<FrameRate>,
    /// First and last frame.
    pub frames: Option<(Frame, Frame)>,
    /// How long it lasts at least, from its first frame on; says nothing where frames are given.
    pub at_least: Seconds,
}

/// Most frames that go out at once: an hour at 60 a second.
pub const MOST_FRAMES: i64 = 216_000;

/// Why a range of frames cannot go out.
#[derive(Debug, Clone, Copy, PartialEq, Eq, thiserror::Error)]
pub enum FramesError {
    #[error("the last frame lies before the first; exchange them")]
    Backwards,
    #[error("a range has at most {MOST_FRAMES} frames; make it shorter")]
    Long,
}

/// A range of frames that can go out.
///
/// # Errors
/// It runs backwards or is too long.
pub fn frames_of(first: Frame, last: Frame) -> Result<(Frame, Frame), FramesError> {
    match last.0 - first.0 {
        ..0 => Err(FramesError::Backwards),
        MOST_FRAMES.. => Err(FramesError::Long),
        _ => Ok((first, last)),
    }
}

/// Values of a wiring's targets, sample by sample: one track a target.
pub type Tracks = Vec<Track>;

/// The tracks of a wiring's targets for a performance. Drawings of a chart stand for whole frames. `like` is another
/// performance on the same wiring with its tracks: samples that are the same in both are not worked out again.
pub fn wire(
    face: &Performance,
    wiring: &Wiring,
    timing: &Timing,
    lead: Seconds,
    rate: FrameRate,
    like: Option<(&Performance, &Tracks)>,
) -> Tracks {
    let outputs = wiring.outputs.len();
    let like = like.filter(|(other, tracks)| other.len() == face.len() && tracks.len() >= outputs);
    let differ = like.map(|(other, _)| face.differs_from(other)).unwrap_or_default();
    let within = if like.is_some() {
        let from = differ.iter().map(|(_, at)| at.start).min().unwrap_or(0);
        from..differ.iter().map(|(_, at)| at.end).max().unwrap_or(0)
    } else {
        0..face.len()
    };
    let part = |face: &Performance, control: Control| {
        face.curve(control).map_or_else(|| vec![0.0; within.len()], |curve| curve.part(&within))
    };
    let own: Vec<Vec<f32>> = Control::ALL.iter().map(|c| part(face, *c)).collect();
    let mut moved = vec![like.is_none(); within.len()];
    if let Some((other, _)) = like {
        for (control, _) in &differ {
            let pairs = own[*control as usize].iter().zip(part(other, *control));
            moved.iter_mut().zip(pairs).for_each(|(moved, (own, their))| *moved |= *own != their);
        }
    }
    let mut values: Vec<Vec<f32>> = match like {
        Some((_, tracks)) => tracks[..outputs].iter().map(|t| t.part(&within)).collect(),
        None => vec![vec![0.0; within.len()]; outputs],
    };
    for k in (0..within.len()).filter(|k| moved[*k]) {
        let controls: Vec<f32> = own.iter().map(|curve| curve[k]).collect();
        values.iter_mut().zip(wiring.apply(&controls)).for_each(|(values, value)| values[k] = value);
    }
    let before = |o: usize| like.map(|(_, tracks)| &tracks[o]);
    let made = |(o, own): (usize, Vec<f32>)| Track::over(before(o), &within, own);
    let mut tracks: Tracks = values.into_iter().enumerate().map(made).collect();
    if let Some(chart) = &wiring.chart {
        // The frame a sample falls into, as the grid counts frames.
        let grid = FrameGrid { rate, first: Frame(0) };
        let frame_of = |i: usize| grid.frame_at(Seconds(i as f64 / HZ)).0.max(0) as usize;
        let shown = chart.stepped(timing, lead, rate, frame_of(face.len()) + 1);
        for d in 0..chart.drawings.len() {
            let is_shown = |i: usize| f32::from(u8::from(shown.get(frame_of(i)) == Some(&d)));
            tracks.push((0..face.len()).map(is_shown).collect());
        }
    }
    tracks
}
