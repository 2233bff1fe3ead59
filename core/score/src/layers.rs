//! What is laid over the speech of a line: moods, blinks, gaze and head motion. Everything that lies in time is tied
//! to what is said, like touches.

use crate::carry::Carry;
use crate::ids::{Numbered, place};
use crate::keys::TimedKey;
use crate::moment::Moment;
use crate::touch::{MAX_AMOUNT, MAX_FADE, MAX_KEYS};
use crate::{Control, Region, Seconds, Span, Timing};
use serde::{Deserialize, Serialize};

/// A layer as a whole.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize, utoipa::ToSchema)]
#[serde(default, deny_unknown_fields)]
pub struct Layer {
    pub on: bool,
    /// While any layer plays alone, the others are silent.
    pub alone: bool,
    /// 0..2, 1 is as it was made.
    pub amount: f64,
    /// Parts of the face that it leaves alone.
    #[serde(skip_serializing_if = "Vec::is_empty")]
    pub without: Vec<Region>,
    /// Which draw of the line's seed it plays; 0 is the line's own.
    pub draw: u32,
}

impl Default for Layer {
    fn default() -> Layer {
        Layer { on: true, alone: false, amount: 1.0, without: Vec::new(), draw: 0 }
    }
}

/// The layers, in the order they are laid.
#[derive(
    Debug, Clone, Copy, PartialEq, Eq, Hash, PartialOrd, Ord, Serialize, Deserialize, utoipa::ToSchema,
)]
#[serde(rename_all = "snake_case")]
pub enum LayerKind {
    Mouth,
    Mood,
    Eyes,
    Head,
    Hand,
}

impl LayerKind {
    pub const ALL: [LayerKind; 5] =
        [LayerKind::Mouth, LayerKind::Mood, LayerKind::Eyes, LayerKind::Head, LayerKind::Hand];
}

/// An emotion, or what a production made of one.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize, utoipa::ToSchema)]
#[serde(rename_all = "snake_case")]
pub enum Mood {
    Happiness,
    Sadness,
    Surprise,
    Fear,
    Anger,
    Disgust,
    Worry,
    Irony,
    Tenderness,
    Dread,
    /// A pose of the production's own, with what it is.
    Pose(Pose),
}

impl Mood {
    pub fn title(&self) -> &str {
        match self {
            Mood::Happiness => "happiness",
            Mood::Sadness => "sadness",
            Mood::Surprise => "surprise",
            Mood::Fear => "fear",
            Mood::Anger => "anger",
            Mood::Disgust => "disgust",
            Mood::Worry => "worry",
            Mood::Irony => "irony",
            Mood::Tenderness => "tenderness",
            Mood::Dread => "dread",
            Mood::Pose(pose) => &pose.name,
        }
    }

    /// The moods every production has, the six basic emotions first.
    pub const NAMED: [Mood; 10] = [
        Mood::Happiness,
        Mood::Sadness,
        Mood::Surprise,
        Mood::Fear,
        Mood::Anger,
        Mood::Disgust,
        Mood::Worry,
        Mood::Irony,
        Mood::Tenderness,
        Mood::Dread,
    ];

    pub fn from_name(name: &str) -> Option<Mood> {
        Mood::NAMED.into_iter().find(|m| m.title() == name)
    }
}

/// A face that was kept under a name: values of some controls, over a mix of the moods every production has.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize, utoipa::ToSchema)]
pub struct Pose {
    pub name: String,
    pub values: Vec<(Control, f32)>,
    /// Names of moods with their shares, 0..1.
    #[serde(default, skip_serializing_if = "Vec::is_empty")]
    pub of: Vec<(String, f64)>,
}

impl Pose {
    /// The moods that it mixes.
    pub fn mixed(&self) -> impl Iterator<Item = (Mood, f64)> + '_ {
        self.of.iter().filter_map(|(name, share)| Some((Mood::from_name(name)?, *share)))
    }
}

/// A stretch of what is said.
#[derive(Debug, Clone, Copy, PartialEq, Serialize, Deserialize, utoipa::ToSchema)]
pub struct Stretch {
    pub from: Moment,
    pub to: Moment,
}

impl Stretch {
    pub fn at(timing: &Timing, span: Span) -> Stretch {
        Stretch { from: Moment::at(timing, span.start), to: Moment::at(timing, span.end) }
    }

    pub fn span(self, timing: &Timing) -> Span {
        Span { start: self.from.time(timing), end: self.to.time(timing) }
    }

    /// The stretch in new times. An end that is gone keeps its distance from the other; none if both are.
    pub(crate) fn carried(self, carry: &Carry<'_>) -> Option<Stretch> {
        let (old, new) = (carry.old, carry.new);
        let length = self.span(old).length().0;
        let near = |m: Moment, by: f64| Moment::at(new, Seconds((m.time(new).0 + by).max(0.0)));
        match (carry.moment(self.from), carry.moment(self.to)) {
            (Some(from), Some(to)) if from.time(new) < to.time(new) => Some(Stretch { from, to }),
            (Some(from), _) => Some(Stretch { from, to: near(from, length) }),
            (None, Some(to)) => Some(Stretch { from: near(to, -length), to }),
            (None, None) => None,
        }
    }
}

/// Something that a layer does over a stretch of the line.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize, utoipa::ToSchema)]
pub struct Over<T> {
    pub id: u32,
    pub over: Stretch,
    pub does: T,
}

/// A mood as it plays.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize, utoipa::ToSchema)]
#[serde(deny_unknown_fields)]
pub struct Acting {
    pub mood: Mood,
    /// 0..1, how strong it is at most.
    pub amount: f64,
    /// How it swells over its stretch: places 0..1 with shares of the amount; none is 1 throughout.
    #[serde(default, skip_serializing_if = "Vec::is_empty")]
    pub swell: Vec<(f64, f64)>,
    /// Scales how long it takes to come and to go; 1 is as the mood itself does.
    #[serde(default = "one")]
    pub ease: f64,
    /// What of the face it moves; empty is all of it.
    #[serde(default, skip_serializing_if = "Vec::is_empty")]
    pub regions: Vec<Region>,
    /// It takes the place of moods that were put before it, instead of being added to them.
    #[serde(default, skip_serializing_if = "is_false")]
    pub instead: bool,
    /// How far left and right differ, 0..2; 1 is as a face does.
    #[serde(default = "one")]
    pub sides: f64,
    /// Whether head and eyes take the mood's posture.
    #[serde(default = "yes")]
    pub posture: bool,
}

impl Acting {
    /// A mood at an amount, all else as the mood itself is.
    pub fn of(mood: Mood, amount: f64) -> Acting {
        Acting {
            mood,
            amount,
            swell: Vec::new(),
            ease: 1.0,
            regions: Vec::new(),
            instead: false,
            sides: 1.0,
            posture: true,
        }
    }
}

fn is_false(instead: &bool) -> bool {
    !instead
}

fn one() -> f64 {
    1.0
}

fn yes() -> bool {
    true
}

/// How a lid shuts and opens.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Default, Serialize, Deserialize, utoipa::ToSchema)]
#[serde(rename_all = "snake_case")]
pub enum BlinkShape {
    #[default]
    Natural,
    /// Three frames down and three up, at 24 a second.
    Calm,
    /// A frame down, two shut, two up, at 24 a second.
    Quick,
    Heavy,
    /// Not quite shut.
    Half,
}

/// Where blinks come from.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Default, Serialize, Deserialize, utoipa::ToSchema)]
#[serde(rename_all = "snake_case")]
pub enum BlinkMode {
    /// By rule: at phrase ends and gaze shifts, as often as people do.
    #[default]
    Auto,
    /// A pattern of its own length, over and over.
    Pattern,
    /// Only those that were put by hand.
    Off,
}

/// A blink put by hand.
#[derive(Debug, Clone, Copy, PartialEq, Serialize, Deserialize, utoipa::ToSchema)]
pub struct OwnBlink {
    pub id: u32,
    /// When the lids are shut.
    pub at: Moment,
    pub shape: BlinkShape,
}

/// What the lids do by themselves.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize, utoipa::ToSchema)]
#[serde(default, deny_unknown_fields)]
pub struct Blinks {
    pub mode: BlinkMode,
    /// Scales how often; 1 is as people do while they speak and listen.
    pub rate: f64,
    pub shape: BlinkShape,
    /// Of a pattern: how long it is, and when in it the lids shut, seconds.
    pub pattern_length: f64,
    pub pattern: Vec<f64>,
}

impl Default for Blinks {
    fn default() -> Blinks {
        Blinks {
            mode: BlinkMode::Auto,
            rate: 1.0,
            shape: BlinkShape::Natural,
            pattern_length: 6.0,
            pattern: vec![0.8, 3.1, 3.6],
        }
    }
}

/// A named spot that can be looked at, by where it is seen from the character's face, degrees.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize, utoipa::ToSchema)]
pub struct Mark {
    pub id: u32,
    pub name: String,
    /// + to the character's left.
    pub yaw: f64,
    /// + down.
    pub pitch: f64,
}

/// How much of a layer plays from a moment on, until the next such moment; the way between them is smooth.
#[derive(Debug, Clone, Copy, PartialEq, Serialize, Deserialize, utoipa::ToSchema)]
pub struct Level {
    pub id: u32,
    pub layer: LayerKind,
    pub at: Moment,
    /// 0..1, a share of the layer's amount.
    pub share: f64,
}

/// What the eyes do over a stretch. Marks are named by their numbers.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Serialize, Deserialize, utoipa::ToSchema)]
#[serde(tag = "kind", rename_all = "snake_case")]
pub enum Look {
    /// At a mark, with small hops.
    At { mark: u32 },
    /// At a face there: hops between its eyes and its mouth.
    Face { mark: u32 },
    /// Low to one side, hopping, seeing nothing.
    Think,
    /// At one face and another, changing at phrase ends.
    Between { one: u32, other: u32 },
}

/// What the head does over a stretch, on top of the voice.
#[derive(Debug, Clone, Copy, PartialEq, Serialize, Deserialize, utoipa::ToSchema)]
#[serde(tag = "kind", rename_all = "snake_case")]
pub enum HeadMove {
    /// Turned by these angles, on an arc, held alive, and back.
    Turn { yaw: f64, pitch: f64, roll: f64 },
    /// Shivers by so many degrees; the eyes shiver faster.
    Shiver { degrees: f64, per_second: f64 },
}

/// How a body that was animated elsewhere turns the head, on the clock of the shot: keys of yaw, pitch and roll.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize, utoipa::ToSchema)]
pub struct Body {
    pub name: String,
    pub yaw: Vec<TimedKey>,
    pub pitch: Vec<TimedKey>,
    pub roll: Vec<TimedKey>,
    /// 0..2, 1 is as it was animated.
    pub amount: f64,
}

/// A finding that was looked at and is meant so.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize, utoipa::ToSchema)]
pub struct Dismissed {
    pub id: u32,
    /// The rule's name.
    pub rule: String,
    /// Where it was found.
    pub at: Moment,
    pub reason: String,
}

/// How the layers play, whatever lies in them.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize, utoipa::ToSchema)]
#[serde(default, deny_unknown_fields)]
pub struct Settings {
    /// What everything that looks random starts from.
    pub seed: u64,
    pub mouth: Layer,
    pub mood: Layer,
    pub eyes: Layer,
    pub head: Layer,
    pub hand: Layer,
    /// 0..1, how far moods and passes give way to the words.
    pub guard: f64,
    pub blinks: Blinks,
    pub marks: Vec<Mark>,
    /// 0..1, how much of a look the head does; ½ is as people do.
    pub head_share: f64,
    /// 0..2, brows with the voice.
    pub brows: f64,
    /// 0..2, nods and drift with the voice, and the sway of a head that does nothing.
    pub nods: f64,
    pub sway: f64,
    /// Seconds after which sway, breath and idle brows come round again without a seam; 0 is never.
    pub sway_loop: f64,
}

impl Default for Settings {
    fn default() -> Settings {
        let mark = |id, name: &str, yaw: f64, pitch: f64| Mark { id, name: name.into(), yaw, pitch };
        Settings {
            seed: 7,
            mouth: Layer::default(),
            mood: Layer::default(),
            eyes: Layer::default(),
            head: Layer::default(),
            hand: Layer::default(),
            guard: 1.0,
            blinks: Blinks::default(),
            marks: vec![
                mark(1, "beside the lens", -6.0, 1.0),
                mark(2, "lens", 0.0, 0.0),
                mark(3, "other, left", 32.0, 0.0),
                mark(4, "other, right", -32.0, 0.0),
                mark(5, "table", 6.0, 30.0),
            ],
            head_share: 0.5,
            brows: 1.0,
            nods: 1.0,
            sway: 1.0,
            sway_loop: 0.0,
        }
    }
}

/// Everything that is laid over the speech.
#[derive(Debug, Clone, PartialEq, Default, Serialize, Deserialize, utoipa::ToSchema)]
#[serde(default)]
pub struct Layers {
    pub settings: Settings,
    pub moods: Vec<Over<Acting>>,
    /// Where there is no look, the first mark is looked at.
    pub looks: Vec<Over<Look>>,
    pub moves: Vec<Over<HeadMove>>,
    /// Blinks put by hand.
    pub blinks: Vec<OwnBlink>,
    /// How much of the layers plays over time.
    #[serde(skip_serializing_if = "Vec::is_empty")]
    pub levels: Vec<Level>,
    /// Motion of a body that the head rides on.
    #[serde(skip_serializing_if = "Option::is_none")]
    pub body: Option<Body>,
    pub dismissed: Vec<Dismissed>,
}

/// Most spans, blinks and marks of one kind in a line.
pub const MAX_SPANS: usize = 2000;
/// Most a layer is scaled.
pub const MAX_LAYER: f64 = 2.0;

/// Why layers cannot be laid.
#[derive(Debug, Clone, PartialEq, thiserror::Error)]
pub enum LayersError {
    #[error("a line holds at most {MAX_SPANS} spans, blinks and marks of a kind")]
    TooMany,
    #[error("{0} goes from {1} to {2}; {3} is outside")]
    Range(&'static str, f64, f64, f64),
    #[error("a span of {0} has no time in this line, or ends before it starts; choose the line anew")]
    NoTime(&'static str),
    #[error("what is looked at there is no mark of this line any more; choose one that there is")]
    NoMark,
    #[error("“{0}” is no mood that can be mixed; take one of the ten that every production has")]
    NoMood(String),
    #[error("a mark and a pose need a name of at most 60 characters, each its own")]
    Name,
    #[error("a blink pattern lasts 0.5 to 120 s, and its blinks lie in it at least 0.4 s apart")]
    Pattern,
}

/// Longest name of a mark or a pose.
const MAX_NAME: usize = 60;

fn within(what: &'static str, low: f64, high: f64, value: f64) -> Result<(), LayersError> {
    if (low..=high).contains(&value) { Ok(()) } else { Err(LayersError::Range(what, low, high, value)) }
}

impl Look {
    /// The marks it needs.
    pub fn marks(self) -> Vec<u32> {
        match self {
            Look::At { mark } | Look::Face { mark } => vec![mark],
            Look::Think => Vec::new(),
            Look::Between { one, other } => vec![one, other],
        }
    }

    /// The same look with other marks.
    #[must_use]
    pub fn with_marks(self, mut other: impl FnMut(u32) -> u32) -> Look {
        match self {
            Look::At { mark } => Look::At { mark: other(mark) },
            Look::Face { mark } => Look::Face { mark: other(mark) },
            Look::Think => Look::Think,
            Look::Between { one, other: two } => Look::Between { one: other(one), other: other(two) },
        }
    }
}

impl Settings {
    pub fn layer(&self, kind: LayerKind) -> &Layer {
        match kind {
            LayerKind::Mouth => &self.mouth,
            LayerKind::Mood => &self.mood,
            LayerKind::Eyes => &self.eyes,
            LayerKind::Head => &self.head,
            LayerKind::Hand => &self.hand,
        }
    }

    /// How much of a layer plays, 0..2.
    pub fn plays(&self, kind: LayerKind) -> f64 {
        let alone = LayerKind::ALL.iter().any(|k| self.layer(*k).alone);
        let layer = self.layer(kind);
        if layer.on && (layer.alone || !alone) { layer.amount } else { 0.0 }
    }

    pub fn layer_mut(&mut self, kind: LayerKind) -> &mut Layer {
        match kind {
            LayerKind::Mouth => &mut self.mouth,
            LayerKind::Mood => &mut self.mood,
            LayerKind::Eyes => &mut self.eyes,
            LayerKind::Head => &mut self.head,
            LayerKind::Hand => &mut self.hand,
        }
    }

    /// Where the mark of a number is seen, yaw and pitch in degrees; without it the first, and without any the lens.
    pub fn mark(&self, id: u32) -> (f64, f64) {
        let found = place(&self.marks, id).map(|i| &self.marks[i]).or(self.marks.first());
        found.map_or((0.0, 0.0), |m| (m.yaw, m.pitch))
    }

    /// The number of a mark of this name.
    pub fn mark_named(&self, name: &str) -> Option<u32> {
        self.marks.iter().find(|m| m.name == name).map(|m| m.id)
    }
}

impl Layers {
    /// How much of a layer plays, 0..2.
    pub fn plays(&self, kind: LayerKind) -> f64 {
        self.settings.plays(kind)
    }

    /// How much of a layer plays over time: times with shares of its amount, in order; none is all throughout.
    pub fn shares(&self, kind: LayerKind, timing: &Timing) -> Vec<(f64, f64)> {
        let own = self.levels.iter().filter(|l| l.layer == kind);
        let mut shares: Vec<(f64, f64)> = own.map(|l| (l.at.time(timing).0, l.share)).collect();
        shares.sort_by(|a, b| a.0.total_cmp(&b.0));
        shares
    }

    /// What must hold of layers in a line with these times.
    ///
    /// # Errors
    /// The first thing that does not hold together: a number out of its range, a name given twice, too many of a kind.
    pub fn check(&self, timing: Option<&Timing>) -> Result<(), LayersError> {
        let Settings { blinks, marks, .. } = &self.settings;
        let many = [
            self.moods.len(),
            self.looks.len(),
            self.moves.len(),
            self.blinks.len(),
            self.levels.len(),
            self.dismissed.len(),
            marks.len(),
            blinks.pattern.len(),
        ];
        if many.into_iter().any(|n| n > MAX_SPANS) {
            return Err(LayersError::TooMany);
        }
        for kind in LayerKind::ALL {
            within("the amount of a layer", 0.0, MAX_LAYER, self.settings.layer(kind).amount)?;
        }
        within("the guard", 0.0, 1.0, self.settings.guard)?;
        within("the head’s share", 0.0, 1.0, self.settings.head_share)?;
        for (what, value) in [
            ("brows", self.settings.brows),
            ("nods", self.settings.nods),
            ("sway", self.settings.sway),
            ("how often lids shut", blinks.rate),
        ] {
            within(what, 0.0, MAX_LAYER, value)?;
        }
        if self.settings.sway_loop != 0.0 {
            within("a loop of the sway, in seconds,", 1.0, 600.0, self.settings.sway_loop)?;
        }
        for level in &self.levels {
            within("a layer’s level", 0.0, 1.0, level.share)?;
        }
        if let Some(body) = &self.body {
            within("body motion", 0.0, MAX_LAYER, body.amount)?;
            for (low, high, keys) in
                [(-180.0, 180.0, &body.yaw), (-90.0, 90.0, &body.pitch), (-180.0, 180.0, &body.roll)]
            {
                if keys.len() > MAX_KEYS || keys.iter().any(|k| !(k.time.is_finite() && k.time >= 0.0)) {
                    return Err(LayersError::TooMany);
                }
                keys.iter().try_for_each(|k| within("body motion", low, high, f64::from(k.value)))?;
            }
        }
        let lies =
            |m: Moment| timing.is_some_and(|t| t.place(m.sound).is_some()) && m.at.is_finite() && m.at >= 0.0;
        let stretch = |what: &'static str, s: &Stretch| match timing {
            Some(t) if lies(s.from) && lies(s.to) && s.to.time(t) > s.from.time(t) => Ok(()),
            _ => Err(LayersError::NoTime(what)),
        };
        for span in &self.moods {
            stretch("mood", &span.over)?;
            within("a mood", 0.0, 1.0, span.does.amount)?;
            within("a mood’s ease", 0.1, MAX_FADE, span.does.ease)?;
            within("a mood’s difference of sides", 0.0, MAX_LAYER, span.does.sides)?;
            for (place, share) in &span.does.swell {
                within("a place in a mood", 0.0, 1.0, *place)?;
                within("a mood’s swell", 0.0, f64::from(MAX_AMOUNT), *share)?;
            }
            if let Mood::Pose(pose) = &span.does.mood {
                pose.check()?;
            }
        }
        for span in &self.looks {
            stretch("gaze", &span.over)?;
            for mark in span.does.marks() {
                if marks.iter().all(|m| m.id != mark) {
                    return Err(LayersError::NoMark);
                }
            }
        }
        for span in &self.moves {
            stretch("head motion", &span.over)?;
            match span.does {
                HeadMove::Turn { yaw, pitch, roll } => {
                    within("a turn’s yaw", -90.0, 90.0, yaw)?;
                    within("a turn’s pitch", -60.0, 60.0, pitch)?;
                    within("a turn’s roll", -45.0, 45.0, roll)?;
                }
                HeadMove::Shiver { degrees, per_second } => {
                    within("a shiver", 0.0, 5.0, degrees)?;
                    within("a shiver’s rate", 1.0, 15.0, per_second)?;
                }
            }
        }
        for (i, mark) in marks.iter().enumerate() {
            within("a mark’s yaw", -90.0, 90.0, mark.yaw)?;
            within("a mark’s pitch", -60.0, 60.0, mark.pitch)?;
            let twice = marks[..i].iter().any(|m| m.name == mark.name);
            if mark.name.trim().is_empty() || mark.name.chars().count() > MAX_NAME || twice {
                return Err(LayersError::Name);
            }
        }
        if !self.blinks.iter().all(|b| lies(b.at)) {
            return Err(LayersError::NoTime("blinks"));
        }
        if !self.levels.iter().all(|l| lies(l.at)) {
            return Err(LayersError::NoTime("levels"));
        }
        let (length, pattern) = (blinks.pattern_length, &blinks.pattern);
        let apart = pattern.windows(2).all(|w| w[1] - w[0] >= 0.4);
        if !(0.5..=120.0).contains(&length) || !apart || !pattern.iter().all(|t| (0.0..length).contains(t)) {
            return Err(LayersError::Pattern);
        }
        Ok(())
    }
}

impl Pose {
    /// It has a name, and every value is one its control can have.
    ///
    /// # Errors
    /// The first thing that does not hold together: a number out of its range, a name given twice, too many of a kind.
    pub fn check(&self) -> Result<(), LayersError> {
        if self.name.trim().is_empty() || self.name.chars().count() > MAX_NAME {
            return Err(LayersError::Name);
        }
        for (control, value) in &self.values {
            let (low, high) = control.range();
            within(control.name(), f64::from(low), f64::from(high), f64::from(*value))?;
        }
        for (mood, share) in &self.of {
            within("a share of a mood", 0.0, 1.0, *share)?;
            if Mood::from_name(mood).is_none() {
                return Err(LayersError::NoMood(mood.clone()));
            }
        }
        Ok(())
    }
}

/// Things that have a number of their own.
macro_rules! numbered {
    ($($thing:ty),*) => {$(
        impl Numbered for $thing {
            fn id(&self) -> u32 {
                self.id
            }
        }
    )*};
}

numbered!(OwnBlink, Level, Mark, Dismissed);

impl<T> Numbered for Over<T> {
    fn id(&self) -> u32 {
        self.id
    }
}
