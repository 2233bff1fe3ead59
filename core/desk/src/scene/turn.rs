//! The lines of a scene in their places: who says which, from when to when, and to whom.

use jam_score::scene::{Entry, Listening, Standing, To};
use jam_score::{FrameGrid, Line, Prosody, Scene, Seconds, Timing};
use std::sync::Arc;

/// A line as a scene needs it.
#[derive(Debug, Clone)]
pub struct SceneLine {
    pub line: Arc<Line>,
    /// How it is spoken; none without times.
    pub prosody: Option<Arc<Prosody>>,
    /// How long its recording is.
    pub length: Seconds,
}

/// A line in its place, in the order in which they start.
#[derive(Debug, Clone, PartialEq)]
pub struct Turn {
    pub entry: u32,
    /// Its number in the production.
    pub line: i32,
    /// Who says it: the place on the stage, and the key.
    pub speaker: Option<usize>,
    pub speaker_key: Option<String>,
    /// Seconds from the scene's start to that of its sound, on a frame, and to its end.
    pub start: f64,
    pub end: f64,
    /// Phrases, on the scene's clock.
    pub phrases: Vec<(f64, f64)>,
    /// To whom it is said: the place on the stage; none leaves the eyes to its score.
    pub to: Option<usize>,
    pub timed: bool,
    /// Whether it starts where it was put, not behind the one before.
    pub put: bool,
}

/// Who stands on a scene's stage: those it names, then those who have a line in it beside.
pub fn on_stage<'a>(scene: &Scene, speakers: impl Iterator<Item = Option<&'a str>>) -> Vec<Standing> {
    let mut all = scene.standing.clone();
    for who in speakers.flatten() {
        if !all.iter().any(|s| s.character == who) {
            all.push(Standing { character: who.to_string(), listens: Listening::default() });
        }
    }
    all
}

/// Every line in its place.
pub(super) fn turns(
    scene: &Scene,
    grid: FrameGrid,
    entries: &[(&Entry, SceneLine)],
    standing: &[Standing],
) -> Vec<Turn> {
    // Whole frames from the scene's start.
    let snapped = |t: f64| grid.time_of(grid.frame_at(Seconds(t + 0.5 * grid.rate.frame_length().0))).0;
    let place = |key: &str| standing.iter().position(|s| s.character == key);
    let mut turns: Vec<Turn> = Vec::with_capacity(entries.len());
    for (entry, spoken) in entries {
        let follows = turns.last().map_or(0.0, |t| t.end + scene.pause);
        let start = snapped(entry.start.unwrap_or(follows).max(0.0));
        let timing = spoken.line.timing.as_ref();
        let length = timing.map_or(spoken.length, Timing::end);
        let phrases = spoken.prosody.iter().flat_map(|p| &p.utterances);
        let speaker = spoken.line.character.as_deref().and_then(place);
        turns.push(Turn {
            entry: entry.id,
            line: entry.line,
            speaker,
            speaker_key: speaker.map(|s| standing[s].character.clone()),
            start,
            end: start + length.0,
            phrases: phrases.map(|p| (start + p.start, start + p.end)).collect(),
            to: None,
            timed: timing.is_some() && spoken.prosody.is_some(),
            put: entry.start.is_some(),
        });
    }
    turns.sort_by(|a, b| a.start.total_cmp(&b.start));
    for t in 0..turns.len() {
        let entry = entries.iter().find(|(e, _)| e.id == turns[t].entry).map(|(e, _)| *e);
        turns[t].to = match entry.map(|e| &e.to) {
            Some(To::Character { character }) => place(character).filter(|p| Some(*p) != turns[t].speaker),
            Some(To::Rule) => {
                let others = |turn: &&Turn| turn.speaker.is_some() && turn.speaker != turns[t].speaker;
                let before = turns[..t].iter().rev().find(others);
                before.or_else(|| turns[t + 1..].iter().find(others)).and_then(|t| t.speaker)
            }
            Some(To::Score) | None => None,
        };
    }
    turns
}
