//! What makes a value what it is, by name.

use jam_score::Control;
use serde::Serialize;

/// What a part of a value comes from. Sounds are named by their place in the line.
#[derive(Debug, Clone, Copy, PartialEq, Serialize, utoipa::ToSchema)]
#[serde(tag = "kind", content = "of", rename_all = "snake_case")]
pub enum Why {
    /// A sound's own shape.
    Sound(usize),
    /// A rule of a sound that must hold: lips sealed, teeth together.
    Must(usize),
    /// The diction's openness and lips.
    Openness,
    Lips,
    /// How strongly syllables are stressed.
    Stress,
    /// How loud the voice is.
    Loudness,
    /// How far sounds are let go.
    Reach,
    /// The skin follows another control.
    Link(Control),
    /// No mouth is alike on both sides.
    Sides,
    /// A mood, by its number.
    Mood(u32),
    /// What the words take back of moods and passes.
    Guard,
    /// Brows and eyes on stressed words.
    Brows,
    /// What eyes, brows and head do with a laugh or a sob, by its place among the line's noises.
    Noise(usize),
    /// What is looked at.
    Gaze,
    /// The head with the voice, and its sway.
    Voice,
    /// The head rides on a body's motion.
    Body,
    /// A turn or shiver of the head, by its number.
    Turn(u32),
    /// Lids that go with the eyes.
    Lids,
    Blink,
    /// A touch, by its number.
    Touch(u32),
    /// The ends of the control's range.
    Range,
    /// Small parts of many sounds.
    Others,
}

/// What each layer made of the values at one moment, for causes.
#[derive(Debug, Clone, Default)]
pub(crate) struct Trace {
    pub time: f64,
    pub parts: Vec<(Control, Why, f64)>,
}
