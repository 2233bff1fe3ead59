//! One finding: its rule, where, what it says and what mends it; and what is looked at for it.

use crate::hand;
use crate::hand::Put;
use crate::performance::Performance;
use jam_rig::{Mouth, Wiring};
use jam_score::{
    Control, Correction, CorrectionError, FrameRate, Ids, Layers, Line, Prosody, Seconds, Span, Timing,
};
use serde::Serialize;

macro_rules! rules {
    ($($rule:ident $name:literal $title:literal $about:literal),* $(,)?) => {
        /// What is looked for.
        #[derive(Debug, Clone, Copy, PartialEq, Eq, PartialOrd, Ord, Serialize, utoipa::ToSchema)]
        #[serde(rename_all = "snake_case")]
        pub enum Rule { $($rule),* }

        impl Rule {
            pub const ALL: &'static [Rule] = &[$(Rule::$rule),*];

            /// Its name in files.
            pub fn name(self) -> &'static str {
                match self { $(Rule::$rule => $name),* }
            }

            pub fn title(self) -> &'static str {
                match self { $(Rule::$rule => $title),* }
            }

            /// Why it matters.
            pub fn about(self) -> &'static str {
                match self { $(Rule::$rule => $about),* }
            }
        }
    };
}

rules! {
    OpenSeal "open_seal" "Lips do not meet" "P, B and M are seen as wrong at once when the lips stay apart.",
    MissingTeeth "missing_teeth" "Lip misses the teeth" "F and V need the lower lip at the upper teeth.",
    TongueHidden "tongue_hidden" "Tongue is not seen" "TH shows its tip between the teeth, L behind them.",
    TeethApart "teeth_apart" "Teeth apart" "S and Z are hissed through teeth that are near each other.",
    SyncOff "sync_off" "Off its sound" "A mouth more than half a frame off is noticed.",
    JawFlaps "jaw_flaps" "Jaw flaps" "Nobody opens the jaw for every syllable.",
    Trembles "trembles" "Trembles" "A curve that changes sides every frame reads as noise.",
    DeadFace "dead_face" "Face does not take part" "A voice that rises and falls moves the head and the brows.",
    TurnsAlone "turns_alone" "Turns alone" "Eyes lead a turn of the head, or lids blink with it; a large look takes the head along.",
    Frozen "frozen" "Frozen" "A face that stops dead looks like a mask.",
    NoBlink "no_blink" "No blink for long" "People who talk blink every few seconds.",
    BlinkOnWord "blink_on_word" "Blink on a strong word" "A stressed wide-eyed word loses its eyes.",
    BlinksClose "blinks_close" "Blinks too close" "Two blinks within four tenths of a second flutter.",
    Stare "stare" "Stare into the lens" "Longer than three seconds it turns uncanny.",
    MirroredBrows "mirrored_brows" "Mirrored brows" "Brows that move alike look worked by one string.",
    SuddenMood "sudden_mood" "Mood without a way in" "An emotion that switches on reads as a cut.",
    LayersFight "layers_fight" "Layers fight" "Two layers that pull one control both ways cancel out.",
    Clipped "clipped" "At its limit" "What is asked for beyond a control’s end is lost.",
    NoOutput "no_output" "Drives nothing" "A control that moves has no shape or joint on this character.",
    CutOff "cut_off" "Sound is cut off" "The recording ends while something is still heard.",
    StartsEarly "starts_early" "Speech at the first frame" "The mouth has no time to open before the first sound.",
    WrongText "wrong_text" "Text does not fit" "The mouth speaks other words than are heard.",
    Unwritten "unwritten" "Voice without words" "The mouth rests while somebody is heard.",
    Unsaid "unsaid" "Words without voice" "The mouth speaks while nothing is heard.",
    Doubtful "doubtful" "Doubtful word" "Its times may be wrong, and the mouth with them.",
}

/// What puts a finding right. New things in it have the number 0.
#[derive(Debug, Clone, PartialEq)]
pub enum Mending {
    Layers(Box<Layers>),
    Diction(jam_score::Diction),
    Touches(Put),
    /// Takes hands off some controls in some stretches.
    LetGo(Vec<Control>, Vec<Span>),
    Correct(Vec<Correction>),
}

impl Mending {
    /// The line put right.
    ///
    /// # Errors
    /// What is to be corrected is gone.
    pub fn mended(self, line: &Line, ids: &mut Ids) -> Result<Line, CorrectionError> {
        Ok(match self {
            Mending::Layers(layers) => Line { layers: *layers, ..line.clone() },
            Mending::Diction(diction) => Line { diction, ..line.clone() },
            Mending::Touches(put) => put.laid(line),
            Mending::LetGo(controls, spans) => {
                // Where one stretch took along what lay in the next, there is nothing left to let go.
                let let_go = |line: Line, span: &Span| match hand::parted(&line, &controls, *span) {
                    Ok(put) => put.laid(&line),
                    Err(_) => line,
                };
                spans.iter().fold(line.clone(), let_go)
            }
            Mending::Correct(corrections) => {
                let mut timing = line.timing.clone().ok_or(CorrectionError::NoWord)?;
                for correction in &corrections {
                    timing = timing.corrected(correction, ids)?;
                }
                line.retimed(Some(timing))
            }
        })
    }

    /// What puts both right; none if they cannot be done as one.
    fn with(&self, other: &Mending) -> Option<Mending> {
        match (self, other) {
            (Mending::LetGo(controls, spans), Mending::LetGo(own, more)) if controls == own => {
                Some(Mending::LetGo(controls.clone(), [spans.as_slice(), more].concat()))
            }
            (Mending::Correct(all), Mending::Correct(more)) => {
                Some(Mending::Correct([all.as_slice(), more].concat()))
            }
            (one, same) if one == same => Some(one.clone()),
            _ => None,
        }
    }
}

/// What puts a finding right, and how that is called.
#[derive(Debug, Clone, PartialEq)]
pub struct Mend {
    /// In words: “put a blink at the phrase’s end”.
    pub what: String,
    pub does: Mending,
}

/// One entry of the list.
#[derive(Debug, Clone, PartialEq)]
pub struct Finding {
    pub rule: Rule,
    pub span: Span,
    /// Where the same is found again, in order.
    pub again: Vec<Span>,
    /// What is concerned; empty where it is no control.
    pub controls: Vec<Control>,
    /// What is wrong, in a sentence.
    pub says: String,
    pub mend: Option<Mend>,
    /// Why it is meant so, if it was dismissed.
    pub dismissed: Option<String>,
}

/// What is looked at.
pub struct Looked<'a> {
    pub line: &'a Line,
    pub timing: &'a Timing,
    pub heard: &'a Prosody,
    pub face: &'a Performance,
    pub wiring: &'a Wiring,
    /// The character's mouth, if it has one that can be measured.
    pub mouth: Option<&'a Mouth>,
    pub rate: FrameRate,
}

pub(super) fn finding(
    rule: Rule,
    span: Span,
    controls: Vec<Control>,
    says: String,
    mend: Option<Mend>,
) -> Finding {
    Finding { rule, span, again: Vec::new(), controls, says, mend, dismissed: None }
}

pub(super) fn mend(what: &str, does: Mending) -> Option<Mend> {
    Some(Mend { what: what.into(), does })
}

impl Finding {
    /// Takes up one that says the same of another place, if what mends them can be done as one.
    pub(super) fn takes_up(&mut self, other: &Finding) -> bool {
        let same =
            self.rule == other.rule && self.controls == other.controls && self.dismissed == other.dismissed;
        let mend = match (&self.mend, &other.mend) {
            (None, None) => Some(None),
            (Some(a), Some(b)) => a.does.with(&b.does).map(|does| Some(Mend { what: a.what.clone(), does })),
            _ => None,
        };
        let Some(mend) = mend.filter(|_| same) else { return false };
        self.mend = mend;
        self.again.push(other.span);
        true
    }

    /// Every place where it is found.
    pub fn places(&self) -> impl Iterator<Item = Span> + '_ {
        std::iter::once(self.span).chain(self.again.iter().copied())
    }
}

impl Looked<'_> {
    /// Changed layers as a mend.
    pub(super) fn relayer(&self, what: &str, change: impl FnOnce(&mut Layers)) -> Option<Mend> {
        let mut layers = self.line.layers.clone();
        change(&mut layers);
        mend(what, Mending::Layers(Box::new(layers)))
    }

    pub(super) fn rediction(&self, what: &str, change: impl FnOnce(&mut jam_score::Diction)) -> Option<Mend> {
        let mut diction = self.line.diction;
        change(&mut diction);
        mend(what, Mending::Diction(diction))
    }

    /// Takes hands off some controls in a stretch.
    pub(super) fn let_go(&self, controls: &[Control], span: Span) -> Option<Mend> {
        hand::parted(self.line, controls, span).ok()?;
        mend("let the curve be automatic there", Mending::LetGo(controls.to_vec(), vec![span]))
    }

    /// The frames from a time to another.
    pub(super) fn frames(&self, start: f64, end: f64) -> impl Iterator<Item = Seconds> + use<> {
        let length = self.rate.frame_length().0;
        let (first, last) = ((start / length - 1e-6).ceil(), (end / length + 1e-6).floor());
        (first as i64..=last as i64).map(move |k| Seconds(k as f64 * length))
    }

    pub(super) fn says(&self, sound: usize) -> String {
        self.timing.sounds.get(sound).map_or(String::new(), |s| self.timing.name_sound(s.id))
    }
}
