//! Why an operation is not made. Nothing is changed, and the sentence says what to do.

use jam_rig::WiringError;
use jam_score::{CorrectionError, DictionError, EditError, LayersError, TouchError};
use jam_voice::text::TextError;

/// What kind of refusal it is.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum Kind {
    /// What was asked for cannot be.
    Impossible,
    /// What it names is not there.
    Gone,
    /// It was made on a state of the line that others have changed since.
    Met,
}

/// A refusal, for people and for programs.
#[derive(Debug, Clone, PartialEq, thiserror::Error)]
#[error("{says}")]
pub struct Refusal {
    pub kind: Kind,
    /// For programs: `touch_impossible`.
    pub code: &'static str,
    /// The part of the request that is at fault.
    pub field: &'static str,
    /// What is wrong and what to do.
    pub says: String,
}

impl Refusal {
    pub fn new(field: &'static str, code: &'static str, says: impl ToString) -> Refusal {
        Refusal { kind: Kind::Impossible, code, field, says: says.to_string() }
    }

    pub fn gone(field: &'static str, says: impl ToString) -> Refusal {
        Refusal { kind: Kind::Gone, code: "gone", field, says: says.to_string() }
    }

    /// Others changed the same meanwhile; `what` is what they did.
    pub fn met(what: &str) -> Refusal {
        let says = format!("Meanwhile this was changed elsewhere ({what}). Look at it, then try again.");
        Refusal { kind: Kind::Met, code: "changed_meanwhile", field: "if-match", says }
    }

    /// It was made on a state that is older than what is remembered.
    pub fn long_ago() -> Refusal {
        Refusal::met("too long ago to tell by whom")
    }

    /// A change of many lines that is one of none of them; `untimed`, it would need their times.
    pub fn nothing_changes(untimed: bool) -> Refusal {
        let says = match untimed {
            true => {
                "None of these lines changes by that: they are so already, or have no times yet; wait until they have been listened to."
            }
            false => "None of these lines changes by that: they are so already.",
        };
        Refusal::new("change", "nothing_changes", says)
    }

    /// The line has no times yet.
    pub fn not_timed() -> Refusal {
        Refusal::new("timing", "not_timed", "this line has no times yet; wait until it has been listened to")
    }
}

impl From<EditError> for Refusal {
    fn from(error: EditError) -> Refusal {
        match error {
            EditError::TextTooLong(_) => Refusal::new("text", "text_too_long", error),
            EditError::Timing(_) => Refusal::new("timing", "timing_wrong", error),
            EditError::Diction(inner) => inner.into(),
            EditError::Touch(inner) => inner.into(),
            EditError::Layers(inner) => inner.into(),
            EditError::Reach => Refusal::new("reach", "out_of_range", error),
            EditError::Listen => Refusal::new("only", "too_short", error),
            EditError::Elsewhere => {
                Refusal { kind: Kind::Met, ..Refusal::new("if-match", "elsewhere", error) }
            }
        }
    }
}

impl From<DictionError> for Refusal {
    fn from(error: DictionError) -> Refusal {
        Refusal::new("diction", "out_of_range", error)
    }
}

impl From<LayersError> for Refusal {
    fn from(error: LayersError) -> Refusal {
        Refusal::new("layers", "layers_impossible", error)
    }
}

impl From<TouchError> for Refusal {
    fn from(error: TouchError) -> Refusal {
        let kind = if error == TouchError::Gone { Kind::Gone } else { Kind::Impossible };
        Refusal { kind, ..Refusal::new("touches", "touch_impossible", error) }
    }
}

impl From<CorrectionError> for Refusal {
    fn from(error: CorrectionError) -> Refusal {
        let gone = matches!(error, CorrectionError::NoSound | CorrectionError::NoWord);
        let kind = if gone { Kind::Gone } else { Kind::Impossible };
        Refusal { kind, ..Refusal::new("timing", "correction_impossible", error) }
    }
}

impl From<WiringError> for Refusal {
    fn from(error: WiringError) -> Refusal {
        Refusal::new("wiring", "wiring_wrong", error)
    }
}

impl From<TextError> for Refusal {
    fn from(error: TextError) -> Refusal {
        Refusal::new("text", "text_unreadable", error)
    }
}
