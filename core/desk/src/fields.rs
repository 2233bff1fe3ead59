//! Single fields of a document changed by name, so that two hands on two fields do not meet.

use crate::op::Fields;
use crate::refusal::Refusal;
use serde::Serialize;
use serde::de::DeserializeOwned;

/// A document with some fields changed; what is not named stays.
///
/// # Errors
/// A field that there is not, or a value that it cannot have.
pub fn with<T: Serialize + DeserializeOwned>(
    document: &T,
    change: &Fields,
    field: &'static str,
) -> Result<T, Refusal> {
    let wrong = |e: serde_json::Error| Refusal::new(field, "field_wrong", format!("this cannot be set: {e}"));
    let mut value = serde_json::to_value(document).map_err(wrong)?;
    if let Some(own) = value.as_object_mut() {
        own.extend(change.iter().map(|(name, value)| (name.clone(), value.clone())));
    }
    serde_json::from_value(value).map_err(wrong)
}

/// Names of what is changed, in words: “head share, nods”.
pub fn named(change: &Fields) -> String {
    let names: Vec<String> = change.keys().map(|k| k.replace('_', " ")).collect();
    names.join(", ")
}
