//! A scene evaluated: every character from its start to its end, on the production's frames. Where a character speaks,
//! its line's own curves play as its score has them; between them it listens; one goes over into the other smoothly.

use super::listening::{AFTER, BEFORE, Shown, reactions};
use super::place::{Place, Stood};
use super::turn::{SceneLine, Turn, on_stage, turns};
use jam_face::layers::lids;
use jam_face::{Performance, perform_line};
use jam_rig::{Figure, MouthKind, Sampled, Wiring};
use jam_score::layers::{Acting, BlinkMode, BlinkShape, HeadMove, Look, Mark, Over, OwnBlink, Stretch};
use jam_score::scene::{Does, Entry, Listening, MOST_FRAMES, SceneError, Standing};
use jam_score::{
    Control, Frame, FrameGrid, Layers, Line, Moment, Mood, Phone, Pose, Prosody, Region, Scene, Seconds,
    Shot, Sound, Span, Timing, Word, tail,
};
use std::sync::Arc;

/// A character that may stand on the stage.
#[derive(Debug, Clone)]
pub struct Part {
    /// Its key in the production.
    pub character: String,
    pub wiring: Wiring,
    pub figure: Option<Figure>,
}

/// One character of a scene.
#[derive(Debug)]
pub struct Actor {
    pub character: String,
    pub listens: Listening,
    pub place: Place,
    /// What it does while others speak, in order.
    pub reactions: Vec<Shown>,
    /// All its lines as one, with the scene's times.
    pub line: Line,
    pub wiring: Wiring,
    pub sampled: Sampled,
}

/// A scene on its frames.
#[derive(Debug)]
pub struct Staged {
    pub grid: FrameGrid,
    pub frames: usize,
    pub turns: Vec<Turn>,
    pub actors: Vec<Actor>,
}

impl Staged {
    /// Evaluates a scene. `line` gives the lines that are there, `part` the characters; what is gone is left out.
    ///
    /// # Errors
    /// It is too long.
    pub fn new(
        scene: &Scene,
        grid: FrameGrid,
        line: impl Fn(i32) -> Option<SceneLine>,
        part: impl Fn(&str) -> Option<Part>,
    ) -> Result<Staged, SceneError> {
        let entries: Vec<(&Entry, SceneLine)> =
            scene.entries.iter().filter_map(|e| Some((e, line(e.line)?))).collect();
        let speakers = entries.iter().map(|(_, l)| l.line.character.as_deref());
        let mut standing = on_stage(scene, speakers);
        let mut parts: Vec<Part> = Vec::with_capacity(standing.len());
        standing.retain(|s| part(&s.character).map(|p| parts.push(p)).is_some());
        let turns = turns(scene, grid, &entries, &standing);
        let end = turns.iter().map(|t| t.end).fold(0.0, f64::max);
        let frames = Shot::of(grid, Seconds(end), jam_score::OwnFrames::default()).frames();
        if frames.saturating_mul(parts.len()) > MOST_FRAMES {
            return Err(SceneError::Long);
        }
        let figures: Vec<Option<Figure>> = parts.iter().map(|p| p.figure).collect();
        let row = Stood::row(scene, &figures);
        let actor = |(i, part): (usize, Part)| {
            let act = Act { scene, grid, standing: &standing, row: &row, turns: &turns, entries: &entries };
            act.actor(i, part, frames)
        };
        let actors = parts.into_iter().enumerate().map(actor).collect();
        Ok(Staged { grid, frames, turns, actors })
    }

    /// About how much memory it takes, bytes.
    pub fn bytes(&self) -> usize {
        let row = |a: &Actor| 4 * (Control::ALL.len() + a.wiring.outputs.len() + 8) + 64;
        self.actors.iter().map(|a| row(a) * self.frames).sum()
    }
}

/// What an actor's evaluation needs.
struct Act<'a> {
    scene: &'a Scene,
    grid: FrameGrid,
    standing: &'a [Standing],
    row: &'a [Stood],
    turns: &'a [Turn],
    entries: &'a [(&'a Entry, SceneLine)],
}

/// A line as it plays in the scene.
struct Spoken<'a> {
    turn: &'a Turn,
    line: Arc<Line>,
    face: Performance,
    /// When the lids go over to listening: not in the middle of a blink.
    lids_end: f64,
}

/// Number of the mark that stands for the one who is spoken to, and of the others on the stage.
const PARTNER: u32 = u32::MAX;
const OTHERS: u32 = 100;
/// Number of the pause that a listener's line consists of.
const PAUSE: u32 = 1;

impl Act<'_> {
    fn actor(&self, i: usize, part: Part, frames: usize) -> Actor {
        let Part { character, wiring, .. } = part;
        let reactions = reactions(self.scene, &self.standing[i], i, self.turns, self.grid.rate);
        let spoken: Vec<Spoken<'_>> = self.turns.iter().filter_map(|t| self.spoken(i, t)).collect();
        let listened = self.listened(i, &reactions, frames);
        let grid = self.grid;
        let at = |f: usize| grid.time_of(Frame(grid.first.0 + f as i64)).0;
        let face = |f: usize| blended(listened.as_ref(), &spoken, at(f));
        let faces: Vec<Vec<f32>> = (0..frames).map(face).collect();
        let wired = faces.iter().map(|f| wiring.apply(f)).collect();
        let drawings = self.drawings(&wiring, &spoken, frames);
        let line = whole(&character, &spoken, at(frames));
        Actor {
            character,
            listens: self.standing[i].listens.clone(),
            place: self.row[i].place,
            reactions,
            line,
            sampled: Sampled { grid, before: 0, faces, wired, drawings },
            wiring,
        }
    }

    /// A line of this character with its face: where its score says nothing of the eyes, they rest on who it is said to.
    fn spoken<'t>(&self, i: usize, turn: &'t Turn) -> Option<Spoken<'t>> {
        if turn.speaker != Some(i) {
            return None;
        }
        let (_, SceneLine { line, prosody, .. }) = self.entries.iter().find(|(e, _)| e.id == turn.entry)?;
        let prosody = prosody.as_ref()?;
        let mut line = line.clone();
        if let Some(to) = turn.to {
            let (yaw, pitch) = self.row[i].sees(&self.row[to]);
            let mark = Mark { id: PARTNER, name: "partner".into(), yaw, pitch };
            Arc::make_mut(&mut line).layers.settings.marks.insert(0, mark);
        }
        let rate = self.grid.rate;
        let face = perform_line(&line, prosody, rate, tail(rate))?;
        let ends = turn.end - turn.start;
        let last = face.told().blinks.iter().map(lids::Blink::end).filter(|e| *e > ends);
        let lids_end = turn.start + last.fold(ends, f64::max);
        Some(Spoken { turn, line, face, lids_end })
    }

    /// The character as if it said nothing in the whole scene.
    fn listened(&self, i: usize, reactions: &[Shown], frames: usize) -> Option<Performance> {
        let end = self.grid.time_of(Frame(self.grid.first.0 + frames as i64)).0.max(0.1);
        let mut pause = Sound::new(Phone::Sil, Span::new(0.0, end));
        pause.id = PAUSE;
        let timing = Timing { sounds: vec![pause].into(), ..Timing::default() };
        let mut layers = Layers::default();
        layers.settings.seed = self.scene.seed ^ (i as u64 + 1).wrapping_mul(0x9E37_79B9_7F4A_7C15);
        layers.settings.blinks.mode = BlinkMode::Off;
        // Nobody speaks here: no nods and brows of a voice.
        layers.settings.nods = 0.0;
        for (j, other) in self.standing.iter().enumerate().filter(|(j, _)| *j != i) {
            let (yaw, pitch) = self.row[i].sees(&self.row[j]);
            let name = other.character.clone();
            layers.settings.marks.push(Mark { id: OTHERS + j as u32, name, yaw, pitch });
        }
        let moment = |t: f64| Moment { sound: PAUSE, at: (t / end).clamp(0.0, 1.0) };
        let over = |from: f64, to: f64| Stretch { from: moment(from), to: moment(to.max(from + 0.01)) };
        let other =
            |key: &str| self.standing.iter().position(|s| s.character == key).map(|j| OTHERS + j as u32);
        let mut id = 10;
        let mut next = || {
            id += 1;
            id
        };
        for shown in reactions.iter().filter(|s| s.to > 0.0 && s.from < end) {
            let stretch = over(shown.from, shown.to);
            match &shown.does {
                Does::Look { at } => {
                    if let Some(mark) = at.as_deref().and_then(other) {
                        layers.looks.push(Over { id: next(), over: stretch, does: Look::Face { mark } });
                    }
                }
                Does::Nod { degrees } => {
                    let does = HeadMove::Turn { yaw: 0.0, pitch: *degrees, roll: 0.0 };
                    layers.moves.push(Over { id: next(), over: stretch, does });
                }
                Does::Breath => {
                    let does = Acting { ease: 0.35, posture: false, ..Acting::of(breath(), 1.0) };
                    layers.moods.push(Over { id: next(), over: stretch, does });
                    let does = HeadMove::Turn { yaw: 0.0, pitch: -2.0, roll: 0.0 };
                    layers.moves.push(Over { id: next(), over: stretch, does });
                }
                Does::Blink => layers.blinks.push(OwnBlink {
                    id: next(),
                    at: moment(shown.from),
                    shape: BlinkShape::Natural,
                }),
            }
        }
        // While it speaks it looks where its line looks, so that one goes over into the other.
        for turn in self.turns.iter().filter(|t| t.speaker == Some(i)) {
            if let Some(to) = turn.to {
                let does = Look::Face { mark: OTHERS + to as u32 };
                let stretch = over(turn.start - 0.5 * BEFORE, turn.end + 0.5 * AFTER);
                layers.looks.push(Over { id: next(), over: stretch, does });
            }
        }
        let line = Line { timing: Some(timing), layers, ..Line::new("") };
        let rate = self.grid.rate;
        perform_line(&line, &Prosody::default(), rate, tail(rate))
    }

    /// The drawing of each frame: each line's own, at rest between them.
    fn drawings(&self, wiring: &Wiring, spoken: &[Spoken<'_>], frames: usize) -> Vec<usize> {
        let Some(chart) = &wiring.chart else { return Vec::new() };
        let mut all = vec![chart.drawing(MouthKind::Rest).unwrap_or(0); frames];
        for Spoken { turn, line, .. } in spoken {
            let Some(timing) = &line.timing else { continue };
            let first = (self.grid.frame_at(Seconds(turn.start)).0 - self.grid.first.0).max(0) as usize;
            let own = self.grid.frames_covering(timing.end()).max(1) as usize;
            let own = chart.stepped(timing, line.diction.lead, self.grid.rate, own);
            all.iter_mut().skip(first).zip(own).for_each(|(to, drawing)| *to = drawing);
        }
        all
    }
}

/// What a breath does to the face (common practice).
fn breath() -> Mood {
    use Control as C;
    let values = vec![
        (C::JawOpen, 0.07),
        (C::LipLowerDropLeft, 0.06),
        (C::LipLowerDropRight, 0.06),
        (C::NostrilFlare, 0.30),
        (C::BrowInnerUpLeft, 0.08),
        (C::BrowInnerUpRight, 0.08),
    ];
    Mood::Pose(Pose { name: "breath".into(), values, of: Vec::new() })
}

fn smooth(x: f64) -> f64 {
    let x = x.clamp(0.0, 1.0);
    x * x * (3.0 - 2.0 * x)
}

/// How much of a line plays at a time, and of its lids, which go over between blinks.
fn share(spoken: &Spoken<'_>, time: f64, lids: bool) -> f64 {
    let turn = spoken.turn;
    let comes = smooth((time - turn.start) / BEFORE + 1.0);
    let (end, takes) = if lids { (spoken.lids_end, 0.5 * AFTER) } else { (turn.end, AFTER) };
    comes.min(1.0 - smooth((time - end) / takes))
}

/// The face at a moment: that of listening, over it each line in turn.
fn blended(listened: Option<&Performance>, spoken: &[Spoken<'_>], time: f64) -> Vec<f32> {
    let rest = || vec![0.0; Control::ALL.len()];
    let mut face = listened.map_or_else(rest, |l| l.face_at(Seconds(time)));
    for one in spoken {
        let (shown, lids) = (share(one, time, false), share(one, time, true));
        if shown <= 0.0 && lids <= 0.0 {
            continue;
        }
        let own = one.face.face_at(Seconds((time - one.turn.start).max(0.0)));
        for (k, control) in Control::ALL.iter().enumerate() {
            let share = if control.region() == Region::Lids { lids } else { shown } as f32;
            // Whole where the line plays alone: its own value to the bit.
            face[k] = if share >= 1.0 { own[k] } else { face[k] + share * (own[k] - face[k]) };
        }
    }
    face
}

/// All lines of a character as one, with pauses between them. Of lines that overlap the later one counts from its start.
fn whole(character: &str, spoken: &[Spoken<'_>], end: f64) -> Line {
    let mut timing = Timing::default();
    let pause = |timing: &mut Timing, to: f64| {
        let from = timing.end().0;
        if to - from > 1e-6 {
            timing.sounds.push(Sound::new(Phone::Sil, Span::new(from, to)));
        }
    };
    for one in spoken {
        let Some(own) = &one.line.timing else { continue };
        let start = one.turn.start;
        while timing.sounds.last().is_some_and(|s| s.span.start.0 >= start - 1e-6) {
            timing.sounds.pop();
        }
        if let Some(last) = timing.sounds.last_mut() {
            last.span.end = last.span.end.min(Seconds(start));
        }
        pause(&mut timing, start);
        let moved = |s: Span| Span { start: Seconds(start) + s.start, end: Seconds(start) + s.end };
        let words = timing.words.len() as u32;
        timing.words.extend(own.words.iter().map(|w| Word { span: moved(w.span), ..w.clone() }));
        timing.sounds.extend(own.sounds.iter().map(|s| Sound {
            span: moved(s.span),
            word: s.word.map(|w| w + words),
            ..s.clone()
        }));
        if !timing.text.is_empty() {
            timing.text.push('\n');
        }
        timing.text.push_str(&own.text);
    }
    pause(&mut timing, end);
    let mut ids = jam_score::Ids::NEW_LINE;
    timing.words.iter_mut().for_each(|w| w.id = 0);
    timing.sounds.iter_mut().for_each(|s| s.id = 0);
    timing.number(&mut ids);
    let text = timing.text.clone();
    Line { character: Some(character.into()), timing: Some(timing), ..Line::new(text) }
}
