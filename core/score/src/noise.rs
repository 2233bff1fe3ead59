//! What is heard and no word: a laugh, a breath, a cough.

/// A kind of noise, by what the mouth does.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum NoiseKind {
    Laugh,
    /// A small laugh.
    Chuckle,
    Breath,
    Gasp,
    Sigh,
    Pant,
    Yawn,
    Sob,
    Cough,
    Groan,
    Scream,
    /// Lips closed: hums, sniffs.
    Closed,
    Kiss,
    /// With the tip of the tongue.
    Tut,
    /// Heard, but nobody knows how it is made.
    Other,
}

use NoiseKind::*;

/// How words begin that name something heard.
const STEMS: &[(&str, NoiseKind)] = &[
    ("laugh", Laugh),
    ("chuckl", Chuckle),
    ("giggl", Laugh),
    ("breath", Breath),
    ("inhal", Breath),
    ("exhal", Breath),
    ("sigh", Sigh),
    ("gasp", Gasp),
    ("cough", Cough),
    ("sniff", Closed),
    ("snort", Closed),
    ("sob", Sob),
    ("cry", Sob),
    ("cries", Sob),
    ("groan", Groan),
    ("moan", Groan),
    ("grunt", Groan),
    ("yawn", Yawn),
    ("throat", Cough),
    ("clear", Cough),
    ("sneez", Cough),
    ("pant", Pant),
    ("hiccup", Gasp),
    ("noise", Other),
    ("kiss", Kiss),
    ("tut", Tut),
    ("scream", Scream),
    ("whimper", Sob),
    ("hum", Closed),
];

impl NoiseKind {
    /// What stands in square brackets; none if that tells how a line is played and is not heard.
    pub fn of(tag: &str) -> Option<NoiseKind> {
        tag.split(|c: char| !c.is_alphabetic()).find_map(|word| {
            let word = word.to_lowercase();
            STEMS.iter().find(|(stem, _)| word.starts_with(stem)).map(|(_, kind)| *kind)
        })
    }

    /// How many bursts one of a length has, and the seconds from one to the next; one without bursts has none. Laughs have
    /// four to five a second (Rothgänger 1998: 4.7; Bachorowski 2001: 4.4; from memory), sobs, coughs and panting fewer
    /// (common practice, no source).
    pub fn bursts(self, length: f64) -> (usize, f64) {
        let every = match self {
            Laugh | Chuckle => 0.215,
            Sob => 0.34,
            Cough => 0.32,
            Pant => 0.40,
            _ => return (0, 0.0),
        };
        let count = (length / every).round().max(1.0) as usize;
        (count, length / count as f64)
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn what_is_heard_is_told_from_how_it_is_played() {
        assert_eq!(NoiseKind::of("she laughs softly"), Some(Laugh));
        assert_eq!(
            (NoiseKind::of("Deep breath"), NoiseKind::of("hums a tune")),
            (Some(Breath), Some(Closed))
        );
        assert_eq!((NoiseKind::of("whispers"), NoiseKind::of("")), (None, None));
    }
}
