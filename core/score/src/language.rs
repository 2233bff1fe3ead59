//! What language a line is in.

use serde::{Deserialize, Serialize};
use std::fmt;

/// A language that is not English, as a tag: `fr`, `pt-br` (BCP 47, in lower case). Lines in English have none.
#[derive(Debug, Clone, PartialEq, Eq, PartialOrd, Ord, Serialize, Deserialize, utoipa::ToSchema)]
#[serde(try_from = "String", into = "String")]
pub struct Language(String);

/// Something that is no tag of a language.
#[derive(Debug, Clone, PartialEq, Eq, thiserror::Error)]
#[error("“{0}” is no tag of a language; write two or three letters, like fr, or with a region, like pt-br")]
pub struct LanguageError(String);

/// Most parts of a tag, and letters of each.
const MOST: (usize, usize) = (6, 8);

impl Language {
    /// Languages by name, English first (ISO 639-1, ISO 639-3 and ISO 3166-1).
    pub const NAMED: &[(&str, &str)] = &[
        ("", "English"),
        ("ar", "Arabic"),
        ("ca", "Catalan"),
        ("hr", "Croatian"),
        ("cs", "Czech"),
        ("da", "Danish"),
        ("nl", "Dutch"),
        ("fi", "Finnish"),
        ("fr", "French"),
        ("de", "German"),
        ("el", "Greek"),
        ("he", "Hebrew"),
        ("hi", "Hindi"),
        ("hu", "Hungarian"),
        ("it", "Italian"),
        ("ja", "Japanese"),
        ("ko", "Korean"),
        ("cmn", "Mandarin"),
        ("nb", "Norwegian"),
        ("pl", "Polish"),
        ("pt", "Portuguese"),
        ("pt-br", "Portuguese, Brazil"),
        ("ro", "Romanian"),
        ("ru", "Russian"),
        ("es", "Spanish"),
        ("es-419", "Spanish, Latin America"),
        ("sv", "Swedish"),
        ("tr", "Turkish"),
        ("uk", "Ukrainian"),
        ("vi", "Vietnamese"),
    ];

    /// Reads a tag; English, whatever its region, and nothing at all are none.
    ///
    /// # Errors
    /// It is no tag.
    pub fn read(tag: &str) -> Result<Option<Language>, LanguageError> {
        let own = tag.trim().to_lowercase().replace('_', "-");
        if own.is_empty() || own == "en" || own.starts_with("en-") {
            return Ok(None);
        }
        let parts: Vec<&str> = own.split('-').collect();
        let plain = |p: &&str| {
            (1..=MOST.1).contains(&p.len()) && p.bytes().all(|b| b.is_ascii_lowercase() || b.is_ascii_digit())
        };
        let first =
            parts[0].len() >= 2 && parts[0].len() <= 3 && parts[0].bytes().all(|b| b.is_ascii_lowercase());
        if first && parts.len() <= MOST.0 && parts.iter().all(plain) {
            Ok(Some(Language(own)))
        } else {
            Err(LanguageError(tag.chars().take(20).collect()))
        }
    }

    pub fn tag(&self) -> &str {
        &self.0
    }

    /// The language without its region: `pt` of `pt-br`.
    pub fn base(&self) -> &str {
        self.0.split('-').next().unwrap_or_default()
    }
}

impl TryFrom<String> for Language {
    type Error = LanguageError;
    fn try_from(tag: String) -> Result<Language, LanguageError> {
        Language::read(&tag)?.ok_or(LanguageError(tag))
    }
}

impl From<Language> for String {
    fn from(language: Language) -> String {
        language.0
    }
}

impl fmt::Display for Language {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        f.write_str(&self.0)
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    /// Tags as BCP 47 (RFC 5646) has them.
    #[test]
    fn a_tag_is_read_and_english_is_none() {
        let read = |t: &str| Language::read(t).map(|l| l.map(|l| l.to_string()));
        assert_eq!(read(" Pt_BR "), Ok(Some("pt-br".into())));
        assert_eq!(read("cmn"), Ok(Some("cmn".into())));
        assert_eq!((read("en-GB"), read("")), (Ok(None), Ok(None)));
        for odd in ["f", "fr --ipa", "-fr", "français", "fr-", "french", "fr-a-b-c-d-e-f"] {
            assert!(read(odd).is_err(), "{odd}");
        }
    }
}
