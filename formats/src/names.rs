//! What delivered files are called: a template with words in braces that stand for what the line is.

/// The template that there is before anybody writes another.
pub const USUAL: &str = "{production}_{character}_{name}_{words}";

/// Longest template, and longest part that stands for one word of it.
const MOST_TEMPLATE: usize = 200;
const MOST_PART: usize = 60;

/// The words that can stand in braces, and what each is, for the user.
pub const WORDS: [(&str, &str); 9] = [
    ("production", "the production's name"),
    ("scene", "the first scene it is in"),
    ("character", "who says it"),
    ("number", "its number in the production"),
    ("name", "its own name, or its number"),
    ("words", "its first four words"),
    ("take", "the take that is heard"),
    ("first", "the number of its first frame"),
    ("rate", "frames a second"),
];

/// What a template cannot be.
#[derive(Debug, Clone, PartialEq, Eq, thiserror::Error)]
pub enum NamesError {
    #[error("“{{{0}}}” is no word for file names; write some of: {1}")]
    Unknown(String, String),
    #[error("a “{{” or “}}” in the file names stands alone; put both round a word")]
    Braces,
    #[error("file names need {{number}} or {{name}}, or lines would take each other's place")]
    Alike,
    #[error("file names are at most {MOST_TEMPLATE} letters")]
    Long,
}

/// What a line is, for its files' names.
#[derive(Debug, Clone, PartialEq, Eq, Default)]
pub struct Naming {
    pub production: String,
    /// The scene that it is in, if any.
    pub scene: Option<String>,
    pub character: String,
    pub number: usize,
    pub name: Option<String>,
    /// What is said.
    pub text: Vec<String>,
    pub take: String,
    pub first: i64,
    pub rate: String,
}

impl Naming {
    fn word(&self, word: &str) -> Option<String> {
        let number = || format!("{:02}", self.number);
        Some(match word {
            "production" => slug(&self.production),
            "scene" => self.scene.as_deref().map_or_else(|| "no-scene".into(), slug),
            "character" => slug(&self.character),
            "number" => number(),
            "name" => self.name.as_deref().map_or_else(number, slug),
            "words" => slug(&self.text.iter().take(4).cloned().collect::<Vec<String>>().join(" ")),
            "take" => slug(&self.take),
            "first" => self.first.to_string(),
            "rate" => slug(&self.rate.replace('/', "-")),
            _ => return None,
        })
    }

    /// The name that a template makes, without an ending; slashes are folders.
    ///
    /// # Errors
    /// The template cannot be used.
    pub fn called(&self, template: &str) -> Result<String, NamesError> {
        if template.chars().count() > MOST_TEMPLATE {
            return Err(NamesError::Long);
        }
        let mut out = String::new();
        let mut rest = template;
        let mut apart = false;
        while let Some(at) = rest.find(['{', '}']) {
            out.push_str(&rest[..at]);
            let inner = rest[at..].strip_prefix('{').and_then(|r| r.split_once('}'));
            let (word, after) = inner.filter(|(w, _)| !w.contains('{')).ok_or(NamesError::Braces)?;
            let unknown = || {
                let known = WORDS.map(|(w, _)| format!("{{{w}}}")).join(" ");
                NamesError::Unknown(word.to_string(), known)
            };
            apart |= matches!(word, "number" | "name");
            out.push_str(&self.word(word).ok_or_else(unknown)?);
            rest = after;
        }
        out.push_str(rest);
        if !apart {
            return Err(NamesError::Alike);
        }
        Ok(harmless(&out))
    }
}

/// A path of plain parts: nothing that leads out of the folder, no sign that some system does not take.
fn harmless(path: &str) -> String {
    let plain = |c: char| if c.is_control() || "\\:*?\"<>|".contains(c) { '-' } else { c };
    let part = |part: &str| {
        let part: String = part.trim().chars().map(plain).collect();
        part.trim_matches(['.', ' ']).to_string()
    };
    let parts: Vec<String> = path.split('/').map(part).filter(|p| !p.is_empty()).collect();
    if parts.is_empty() { "line".into() } else { parts.join("/") }
}

/// Plain letters, digits and hyphens.
pub fn slug(text: &str) -> String {
    let spaced: String = text
        .chars()
        .filter(|c| *c != '\'' && *c != '’')
        .map(|c| if c.is_ascii_alphanumeric() { c.to_ascii_lowercase() } else { ' ' })
        .collect();
    let slug = spaced.split_whitespace().collect::<Vec<_>>().join("-");
    if slug.is_empty() { "line".into() } else { slug.chars().take(MOST_PART).collect() }
}

#[cfg(test)]
mod tests {
    use super::{NamesError, Naming, USUAL, slug};

    fn naming() -> Naming {
        Naming {
            production: "Fog at Pell Harbour".into(),
            character: "Bram".into(),
            number: 4,
            text: ["Pull", "the", "shutters", "down,", "Odile."].map(String::from).into(),
            first: 1001,
            ..Naming::default()
        }
    }

    #[test]
    fn file_names_hold_plain_letters_only() {
        assert_eq!(slug("Don't  move — Odile!"), "dont-move-odile");
        assert_eq!(slug("../..\\"), "line");
        assert_eq!(naming().called(USUAL).unwrap(), "fog-at-pell-harbour_bram_04_pull-the-shutters-down");
    }

    #[test]
    fn a_template_leads_nowhere_else_and_says_what_is_wrong_with_it() {
        let called = |template: &str| naming().called(template);
        assert_eq!(called("../../etc/{number}").unwrap(), "etc/04");
        assert_eq!(called("/{character}//{number} <a>:?").unwrap(), "bram/04 -a---");
        assert_eq!(called("{words}"), Err(NamesError::Alike));
        assert_eq!(called("{number"), Err(NamesError::Braces));
        assert_eq!(called("{{number}}"), Err(NamesError::Braces));
        let said = called("{nummer}{number}").unwrap_err().to_string();
        assert!(said.contains("{nummer}") && said.contains("{number}"), "{said}");
    }
}
