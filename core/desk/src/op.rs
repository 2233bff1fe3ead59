//! What can be done to a line, as it comes in: from the page, from the command line, from anyone. Things are named by
//! the numbers the desk gave them; new things get theirs here.

use jam_score::keys::{KeyShape, TimedKey};
use jam_score::layers::{Acting, BlinkShape, Body, HeadMove, LayerKind, Look, Mark};
use jam_score::{
    Control, Correction, Film, Laid, Listen, Mood, OwnFrames, ReachOf, Region, Seconds, Span, Timing,
};
use serde::{Deserialize, Serialize};

/// Fields of a setting with their new values; what is not named stays.
pub type Fields = serde_json::Map<String, serde_json::Value>;

/// Where something new is laid: over a stretch, else over a word, else over the phrase around a time.
#[derive(Debug, Clone, Copy, PartialEq, Default, Serialize, Deserialize, utoipa::ToSchema)]
#[serde(default)]
pub struct Place {
    #[serde(skip_serializing_if = "Option::is_none")]
    pub span: Option<Span>,
    #[serde(skip_serializing_if = "Option::is_none")]
    pub word: Option<u32>,
    /// Seconds.
    pub time: f64,
}

/// A touch to be laid; without a number it is new.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize, utoipa::ToSchema)]
pub struct TouchChange {
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub id: Option<u32>,
    pub control: Control,
    pub laid: Laid,
    pub fade_in: Seconds,
    pub fade_out: Seconds,
    pub amount: f32,
    pub keys: Vec<TimedKey>,
}

/// Keys that were copied: their times count from the first of all.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize, utoipa::ToSchema)]
pub struct Copied {
    pub control: Control,
    pub laid: Laid,
    pub amount: f32,
    pub keys: Vec<TimedKey>,
    /// How it comes and goes, seconds; as new keys do if there are none.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub fades: Option<(f64, f64)>,
}

/// What touches that were copied belonged to.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, Deserialize, utoipa::ToSchema)]
pub struct PassName {
    pub name: String,
    /// Whether it lies over the guard.
    #[serde(default)]
    pub free: bool,
}

/// Something that was copied from a stave: its stretch counts from the first thing of all.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize, utoipa::ToSchema)]
pub struct CopiedSpan<T> {
    pub over: Span,
    pub does: T,
}

/// A copied blink: when the lids are shut, seconds from the first thing of all.
#[derive(Debug, Clone, Copy, PartialEq, Serialize, Deserialize, utoipa::ToSchema)]
pub struct CopiedBlink {
    pub at: f64,
    pub shape: BlinkShape,
}

/// A moment of a live pass: where the pen was, right and up, each −1..1, whether its button was down, and what
/// another source gave of the face.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize, utoipa::ToSchema)]
pub struct Taken {
    /// Seconds of the line that played.
    pub time: f64,
    #[serde(default)]
    pub place: (f32, f32, bool),
    #[serde(default, skip_serializing_if = "Vec::is_empty")]
    pub face: Vec<(Control, f32)>,
}

/// A spot seen from the character's face, degrees: + to its left, + down.
#[derive(Debug, Clone, Copy, PartialEq, Serialize, Deserialize, utoipa::ToSchema)]
pub struct Spot {
    pub yaw: f64,
    pub pitch: f64,
}

/// One operation on a line.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize, utoipa::ToSchema)]
#[serde(tag = "do", rename_all = "snake_case")]
pub enum Op {
    /// What is said; the line is timed anew. With a language (`fr`) what it is said in, too; nothing is English.
    Text {
        text: String,
        #[serde(default, skip_serializing_if = "Option::is_none")]
        language: Option<String>,
    },
    /// Who says it.
    Character { name: String },
    /// What it is called, beside its number; nothing takes the name away.
    Name { name: String },
    /// Which frames it has: the number of the one at time zero, the production's if there is none, and its handles.
    Frames { frames: OwnFrames },
    /// Which of its sound is listened to; times it had for that are back.
    Listen { listen: Listen },
    /// Writes one word otherwise; nothing takes it out of the text.
    Retype { word: u32, text: String },
    /// Writes words into the text where they are said: behind the word that ends before a time.
    Write { at: f64, text: String },
    /// Says one word otherwise: in the phonetic alphabet, or ARPAbet in capitals with spaces.
    Pronounce { word: u32, sounds: String },
    /// Changes words and sounds by hand.
    Correct { correction: Correction },
    /// Takes words and sounds from elsewhere; they count as checked by hand.
    Times { timing: Box<Timing> },
    /// How it is articulated.
    Diction {
        #[schema(value_type = HashMap<String, serde_json::Value>)]
        change: Fields,
    },
    /// Lays touches, or takes them away.
    Touches {
        #[serde(default)]
        put: Vec<TouchChange>,
        #[serde(default)]
        remove: Vec<u32>,
        /// The step in words, for the list of steps.
        what: String,
    },
    /// Puts a key so that a control has a value: into the touch that is near, or as a touch of its own.
    Key {
        control: Control,
        time: f64,
        value: f32,
        #[serde(default)]
        shape: KeyShape,
    },
    /// Lays copied keys from a time on: into touches that are there and laid alike, else as touches of their own; with a
    /// name, as one thing of that name, a pass or a rest.
    Paste {
        time: f64,
        curves: Vec<Copied>,
        #[serde(default, skip_serializing_if = "Option::is_none")]
        named: Option<PassName>,
    },
    /// Lets the face, or some regions, come to rest at a time, stay for a while and go back, as one thing.
    Neutral {
        time: f64,
        #[serde(default)]
        regions: Vec<Region>,
        /// Seconds that it takes to come, and to go.
        ease: f64,
        /// Seconds that it stays.
        hold: f64,
    },
    /// Moves touches as one thing, so that the first of their keys lies at a time.
    MoveTouches { touches: Vec<u32>, to: f64 },
    /// Lays touches the other way, added or in its place; the curves stay where their keys are.
    LayAs { touches: Vec<u32>, laid: Laid },
    /// Puts keys in the place of the automatic curves of a stretch. `tolerance` is a share of a control's range.
    Bake { controls: Vec<Control>, span: Span, tolerance: f32 },
    /// Brings the automatic curve under baked touches back: of one of `touches`, else of the first that lies in the
    /// stretch; its keys stay, as what they differ by.
    Unbake { touches: Vec<u32>, controls: Vec<Control>, span: Span },
    /// Lets a stretch of some controls be automatic again.
    Automatic { controls: Vec<Control>, span: Span },
    /// Lays touches on the other side of the face, too.
    Mirror { touches: Vec<u32> },
    /// How far a sound, a word or a kind of sounds goes; 1 is normal.
    Reach { of: ReachOf, amount: f32 },
    /// Strikes a pose of the production at a moment, by keys.
    Strike {
        pose: String,
        time: f64,
        amount: f32,
        #[serde(default)]
        regions: Vec<Region>,
    },
    /// Keeps a live pass as touches.
    Pass {
        /// What was performed on, by name; or `capture`.
        pad: String,
        taken: Vec<Taken>,
        /// How much later than meant it was performed, seconds.
        late: f64,
        laid: Laid,
        /// Seconds that it is smoothed over; the head twice as much.
        smooth: f64,
        /// How far keys may be off, as a share of a control's range.
        tolerance: f32,
    },
    /// Smooths touches over so many seconds, scales them, lays them otherwise, or cuts them to a stretch.
    ChangePass {
        touches: Vec<u32>,
        #[serde(default, skip_serializing_if = "Option::is_none")]
        smooth: Option<f64>,
        #[serde(default, skip_serializing_if = "Option::is_none")]
        amount: Option<f32>,
        #[serde(default, skip_serializing_if = "Option::is_none")]
        laid: Option<Laid>,
        #[serde(default, skip_serializing_if = "Option::is_none")]
        trim: Option<Span>,
    },
    /// Lays a mood.
    AddMood {
        mood: Mood,
        #[serde(default)]
        over: Place,
        amount: f64,
    },
    /// Moves a mood, or changes fields of what it does.
    ChangeMood {
        id: u32,
        #[serde(default, skip_serializing_if = "Option::is_none")]
        span: Option<Span>,
        #[serde(default)]
        #[schema(value_type = HashMap<String, serde_json::Value>)]
        change: Fields,
    },
    /// Puts a key of a mood's amount at a time, as strong as the key before it.
    SwellHere { mood: u32, time: f64 },
    /// Moves a key of a mood's amount to a place 0..1 of its stretch with a share; nothing takes it out. Keys are named
    /// by the place they have.
    Swell {
        mood: u32,
        key: f64,
        #[serde(default, skip_serializing_if = "Option::is_none")]
        to: Option<(f64, f64)>,
    },
    /// Lays a look, at marks by number; with `at`, at a new mark there.
    AddLook {
        look: Look,
        #[serde(default, skip_serializing_if = "Option::is_none")]
        at: Option<Spot>,
        #[serde(default)]
        over: Place,
    },
    /// Moves a look, or looks elsewhere.
    ChangeLook {
        id: u32,
        #[serde(default, skip_serializing_if = "Option::is_none")]
        span: Option<Span>,
        #[serde(default, skip_serializing_if = "Option::is_none")]
        look: Option<Look>,
        #[serde(default, skip_serializing_if = "Option::is_none")]
        at: Option<Spot>,
    },
    /// Turns the head, or lets it shiver.
    AddMove {
        does: HeadMove,
        #[serde(default)]
        over: Place,
    },
    ChangeMove {
        id: u32,
        #[serde(default, skip_serializing_if = "Option::is_none")]
        span: Option<Span>,
        #[serde(default, skip_serializing_if = "Option::is_none")]
        does: Option<HeadMove>,
    },
    /// Lays copied moods, looks, head moves and blinks from a time on, of this line or of another. Looks name marks of
    /// the line they come from; here they go to marks of the same names, which are made where there are none.
    Lay {
        time: f64,
        #[serde(default, skip_serializing_if = "Vec::is_empty")]
        moods: Vec<CopiedSpan<Acting>>,
        #[serde(default, skip_serializing_if = "Vec::is_empty")]
        looks: Vec<CopiedSpan<Look>>,
        #[serde(default, skip_serializing_if = "Vec::is_empty")]
        moves: Vec<CopiedSpan<HeadMove>>,
        #[serde(default, skip_serializing_if = "Vec::is_empty")]
        blinks: Vec<CopiedBlink>,
        #[serde(default, skip_serializing_if = "Vec::is_empty")]
        marks: Vec<Mark>,
    },
    /// Parts a mood, look or move in two at a time.
    Split { id: u32, time: f64 },
    /// Puts a blink; the lids are shut then.
    AddBlink {
        time: f64,
        #[serde(default, skip_serializing_if = "Option::is_none")]
        shape: Option<BlinkShape>,
    },
    ChangeBlink {
        id: u32,
        #[serde(default, skip_serializing_if = "Option::is_none")]
        time: Option<f64>,
        #[serde(default, skip_serializing_if = "Option::is_none")]
        shape: Option<BlinkShape>,
    },
    /// Puts a moment from which on a layer plays a share of its amount; without one, as much as it does there now.
    AddLevel {
        layer: LayerKind,
        time: f64,
        #[serde(default, skip_serializing_if = "Option::is_none")]
        share: Option<f64>,
    },
    ChangeLevel {
        id: u32,
        #[serde(default, skip_serializing_if = "Option::is_none")]
        time: Option<f64>,
        #[serde(default, skip_serializing_if = "Option::is_none")]
        share: Option<f64>,
    },
    /// Takes moods, looks, moves, blinks and levels out.
    Remove { ids: Vec<u32> },
    /// Changes a layer as a whole: on, alone, amount, without, draw.
    Layer {
        layer: LayerKind,
        #[schema(value_type = HashMap<String, serde_json::Value>)]
        change: Fields,
    },
    /// Changes what the lids do by themselves.
    Blinks {
        #[schema(value_type = HashMap<String, serde_json::Value>)]
        change: Fields,
    },
    /// Changes other settings of the layers: seed, guard, head_share, brows, nods, sway, sway_loop.
    Settings {
        #[schema(value_type = HashMap<String, serde_json::Value>)]
        change: Fields,
    },
    AddMark {
        #[serde(default)]
        name: String,
        at: Spot,
    },
    ChangeMark {
        id: u32,
        #[serde(default, skip_serializing_if = "Option::is_none")]
        name: Option<String>,
        #[serde(default, skip_serializing_if = "Option::is_none")]
        at: Option<Spot>,
    },
    /// Takes a mark out; what looked at it looks at the first one that is left.
    RemoveMark { id: u32 },
    /// Lets the head ride on a body's motion; nothing takes it away.
    Body {
        #[schema(value_type = Option<Object>)]
        body: Option<Box<Body>>,
    },
    /// How much of the body's motion plays, 0..2.
    BodyAmount { amount: f64 },
    /// Lays a reference film on the line, or takes it off; or moves it against the sound.
    Film {
        #[serde(default, skip_serializing_if = "Option::is_none")]
        film: Option<Film>,
    },
    /// Does what mends a finding, by its rule and when it starts.
    Mend { rule: String, start: f64 },
    /// Says that a finding is meant so; a reason of nothing takes that back.
    Dismiss { rule: String, start: f64, reason: String },
    /// Goes back to a snapshot.
    Restore { snapshot: i32 },
}

impl Op {
    /// Whether it needs the line's curves, which take long to work out.
    pub fn reads_curves(&self) -> bool {
        matches!(
            self,
            Op::Key { .. }
                | Op::LayAs { .. }
                | Op::Bake { .. }
                | Op::Unbake { .. }
                | Op::Strike { .. }
                | Op::Mend { .. }
                | Op::Dismiss { .. }
        )
    }
}
