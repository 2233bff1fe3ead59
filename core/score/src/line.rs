//! The document of one line.

use crate::tied::Shelved;
use crate::timing::{Listen, Timing};
use crate::touch::Hands;
use crate::{Diction, LaidTouch, Language, LayerKind, Layers, OwnFrames, Phone, Reach, Seconds, Touch};
use serde::{Deserialize, Serialize};

/// A reference film of the actor, and where it lies against the sound.
#[derive(Debug, Clone, Copy, PartialEq, Serialize, Deserialize, utoipa::ToSchema)]
pub struct Film {
    /// Which of the line's films.
    pub id: i32,
    /// The moment of the film that is seen at time zero of the line, seconds.
    #[serde(default)]
    pub offset: f64,
}

/// The document of one line: everything about it that a person or the analysis decided.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize, utoipa::ToSchema)]
pub struct Line {
    /// What is said, as it was typed.
    pub text: String,
    /// The language it is said in; none is English.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub language: Option<Language>,
    /// What it is called, beside its number: `PH_012`. None is no name.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub name: Option<String>,
    /// The character who says it; none until one is chosen.
    pub character: Option<String>,
    /// Words and sounds in time; none until the first analysis succeeded.
    pub timing: Option<Timing>,
    pub diction: Diction,
    /// Which of its sound is listened to.
    #[serde(default)]
    pub listen: Listen,
    /// Which frames it has, where that is not as the production has it.
    #[serde(default)]
    pub frames: OwnFrames,
    /// The actor's film that lies on it; none is no film.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub film: Option<Film>,
    /// What hands laid over the curves, by number.
    #[serde(default, skip_serializing_if = "Vec::is_empty")]
    pub touches: Vec<Touch>,
    /// How far sounds go, where that is not as usual.
    #[serde(default, skip_serializing_if = "Vec::is_empty")]
    pub reach: Vec<Reach>,
    /// What is laid over the speech.
    #[serde(default)]
    pub layers: Layers,
    /// Times of what was listened to before, another take or channel, with what was tied to them.
    #[serde(default, skip_serializing_if = "Vec::is_empty")]
    pub shelf: Vec<Shelved>,
}

impl Line {
    /// How long idle motion is until it comes round; none of a line that says something, or is not timed.
    pub fn comes_round(&self) -> Option<Seconds> {
        let timing = self.timing.as_ref().filter(|_| self.frames.loops)?;
        timing.sounds.iter().all(|s| s.phone == Phone::Sil).then(|| timing.end()).filter(|end| end.0 > 0.0)
    }

    /// Whether something is said in it and nobody has written what.
    pub fn lacks_text(&self) -> bool {
        self.text.trim().is_empty() && !self.frames.loops
    }

    pub fn new(text: impl Into<String>) -> Line {
        Line {
            text: text.into(),
            language: None,
            name: None,
            character: None,
            timing: None,
            diction: Diction::default(),
            listen: Listen::default(),
            frames: OwnFrames::default(),
            film: None,
            touches: Vec::new(),
            reach: Vec::new(),
            layers: Layers::default(),
            shelf: Vec::new(),
        }
    }

    /// What hands laid, and how much of it plays; nothing without times.
    pub fn hands(&self) -> Hands {
        let layer = self.layers.settings.layer(LayerKind::Hand);
        let amount = self.layers.plays(LayerKind::Hand);
        let Some(timing) = self.timing.as_ref().filter(|_| amount > 0.0) else { return Hands::default() };
        let mut touches = LaidTouch::all(&self.touches, timing);
        touches.retain(|t| !layer.without.contains(&t.control.region()));
        Hands { touches, amount, shares: self.layers.shares(LayerKind::Hand, timing) }
    }

    /// The same line with its takes numbered otherwise; takes that have no other number are the recording it came with.
    pub fn with_takes(&self, other: impl Fn(i32) -> Option<i32>) -> Line {
        let mut line = self.clone();
        let change = |listen: &mut Listen| listen.take = listen.take.and_then(&other);
        change(&mut line.listen);
        line.timing.iter_mut().for_each(|t| change(&mut t.listen));
        line.shelf.iter_mut().for_each(|s| change(&mut s.timing.listen));
        line
    }

    /// Whether there are times and they belong to the text and the sound as they stand.
    pub fn is_timed(&self) -> bool {
        self.timing.as_ref().is_some_and(|t| t.text == self.text && t.listen == self.listen)
    }
}
