//! Plain English for what a shape does: words that must be in its name, and the controls it then
//! answers to. The first line that fits counts.

use super::known::{self, Means};
use super::words::Side;
use crate::wiring::Feed;
use jam_score::Control;

/// What a pattern makes of a name.
pub(super) struct Fit {
    pub feeds: Vec<Feed>,
    /// Words of the name that the pattern does not explain.
    pub unexplained: Vec<String>,
    /// The name could as well mean something else.
    pub vague: bool,
}

enum Meant {
    Means(&'static [Means]),
    /// Left is positive.
    Sideways(Control),
}

use Meant::{Means as Is, Sideways};

/// Words that must all be there; words that may be there too; what it means; whether that is vague.
type Pattern = (&'static [&'static str], &'static [&'static str], Meant, bool);

const MOUTH: &[&str] = &["mouth", "lip", "lower", "upper"];

const PATTERNS: &[Pattern] = &[
    (&["jaw", "open"], &["mouth"], Is(&[Means::One(Control::JawOpen)]), false),
    (&["gape"], &["mouth", "jaw"], Is(&[Means::One(Control::JawOpen)]), false),
    (&["jaw", "down"], &[], Is(&[Means::One(Control::JawOpen)]), false),
    (&["jaw", "forward"], &[], Is(&[Means::One(Control::JawForward)]), false),
    (&["jaw"], &["side"], Sideways(Control::JawSide), false),
    (&["tongue", "out"], &["tip"], Is(&[Means::One(Control::TongueOut)]), false),
    (&["tongue", "back", "up"], &[], Is(&[Means::One(Control::TongueBackUp)]), false),
    (&["tongue", "back"], &[], Is(&[Means::One(Control::TongueBackUp)]), true),
    (&["tongue", "tip", "up"], &[], Is(&[Means::One(Control::TongueTipUp)]), false),
    (&["tongue", "up"], &["tip"], Is(&[Means::One(Control::TongueTipUp)]), false),
    (&["tongue", "wide"], &[], Is(&[Means::One(Control::TongueWide)]), false),
    (&["lip", "upper", "roll"], &["mouth"], Is(&[Means::One(Control::LipUpperRoll)]), false),
    (&["lip", "lower", "roll"], &["mouth"], Is(&[Means::One(Control::LipLowerRoll)]), false),
    (&["lip", "tuck"], MOUTH, Is(&[Means::One(Control::LipLowerTuck)]), false),
    (&["lip", "upper", "up"], &["mouth"], Is(&[known::UPPER]), false),
    (&["mouth", "upper", "up"], &[], Is(&[known::UPPER]), false),
    (&["lip", "lower", "down"], &["mouth"], Is(&[known::LOWER]), false),
    (&["mouth", "lower", "down"], &[], Is(&[known::LOWER]), false),
    (&["corner", "up"], MOUTH, Is(&[known::CORNER_UP]), false),
    (&["corner", "puller"], MOUTH, Is(&[known::CORNER_UP]), false),
    (&["corner", "down"], MOUTH, Is(&[known::CORNER_DOWN]), false),
    (&["corner", "wide"], MOUTH, Is(&[known::SPREAD]), false),
    (&["seal"], &["mouth", "lip"], Is(&[Means::One(Control::LipsClose)]), false),
    (&["mouth", "close"], &["lip"], Is(&[Means::One(Control::LipsClose)]), false),
    (&["lip", "close"], &[], Is(&[Means::One(Control::LipsClose)]), false),
    (&["lip", "press"], &["mouth"], Is(&[Means::One(Control::LipsPress)]), false),
    (&["mouth", "press"], &[], Is(&[Means::One(Control::LipsPress)]), false),
    (&["funnel"], &["mouth", "lip"], Is(&[Means::One(Control::LipsProtrude)]), false),
    (&["lip", "out"], &["mouth"], Is(&[Means::One(Control::LipsProtrude)]), false),
    (&["lip", "forward"], &["mouth"], Is(&[Means::One(Control::LipsProtrude)]), false),
    (&["pucker"], &["mouth", "lip"], Is(&[Means::One(Control::LipsRound)]), false),
    (&["smile"], &["mouth", "lip", "corner"], Is(&[known::CORNER_UP]), false),
    (&["mouth", "frown"], &["lip", "corner"], Is(&[known::CORNER_DOWN]), false),
    (&["mouth", "wide"], &["lip"], Is(&[known::SPREAD]), false),
    (&["lip", "wide"], &[], Is(&[known::SPREAD]), false),
    (&["mouth", "open"], &[], Is(&[Means::One(Control::JawOpen)]), false),
    (&["mouth", "side"], &[], Sideways(Control::MouthSide), false),
    (&["mouth"], &["lip"], Sideways(Control::MouthSide), true),
    (&["chin", "up"], &[], Is(&[Means::One(Control::ChinRaise)]), false),
    (&["cheek", "puff"], &[], Is(&[Means::One(Control::CheekPuff)]), false),
    (&["cheek", "up"], &[], Is(&[known::CHEEK]), false),
    (&["cheek", "squint"], &[], Is(&[known::CHEEK]), false),
    (&["nostril", "flare"], &["nose"], Is(&[Means::One(Control::NostrilFlare)]), false),
    (&["nostril", "wide"], &["nose"], Is(&[Means::One(Control::NostrilFlare)]), false),
    (&["sneer"], &["nose"], Is(&[known::NOSE]), false),
    (&["blink"], &["eye", "lid"], Is(&[known::CLOSE]), false),
    (&["eye", "close"], &["lid"], Is(&[known::CLOSE]), false),
    (&["lid", "close"], &["upper"], Is(&[known::CLOSE]), false),
    (&["lid", "lower", "up"], &[], Is(&[known::SQUINT]), false),
    (&["lid", "down"], &["upper", "eye"], Is(&[known::CLOSE]), false),
    (&["lid", "up"], &["upper", "eye"], Is(&[known::WIDE]), false),
    (&["lid", "press"], &["eye"], Is(&[known::SQUINT]), false),
    (&["eye", "pucker"], &["lid"], Is(&[known::SQUINT]), false),
    (&["squint"], &["eye", "lid"], Is(&[known::SQUINT]), false),
    (&["eye", "wide"], &["lid", "open"], Is(&[known::WIDE]), false),
    (&["lid", "wide"], &["upper", "open"], Is(&[known::WIDE]), false),
    (&["eye", "open"], &["lid"], Is(&[known::WIDE]), true),
    (&["brow", "inner", "up"], &[], Is(&[known::BROW_INNER]), false),
    (&["brow", "outer", "up"], &[], Is(&[known::BROW_OUTER]), false),
    (&["brow", "up"], &[], Is(&[known::BROW_INNER, known::BROW_OUTER]), false),
    (&["brow", "down"], &["inner"], Is(&[known::BROW_DOWN]), false),
    (&["brow", "furrow"], &[], Is(&[known::BROW_DOWN]), false),
    (&["brow", "frown"], &[], Is(&[known::BROW_DOWN]), false),
    (&["frown"], &[], Is(&[known::CORNER_DOWN]), true),
    // Whole mouths named by their vowel: they do several things at once.
    (&["ah"], &["mouth", "vowel"], Is(&[Means::One(Control::JawOpen)]), true),
    (&["aa"], &["mouth", "vowel"], Is(&[Means::One(Control::JawOpen)]), true),
    (&["ee"], &["mouth", "vowel"], Is(&[known::SPREAD]), true),
    (&["oh"], &["mouth", "vowel"], Is(&[Means::One(Control::LipsRound)]), true),
    (&["mbp"], &["mouth"], Is(&[Means::One(Control::LipsClose)]), true),
];

pub(super) fn fit(words: &[String], side: Option<Side>) -> Option<Fit> {
    let has = |w: &str| words.iter().any(|x| x == w);
    for (all, also, meant, vague) in PATTERNS {
        if !all.iter().all(|w| has(w)) {
            continue;
        }
        let feeds: Vec<Feed> = match (meant, side) {
            (Is(means), _) => means.iter().flat_map(|m| m.feeds(side, 1.0)).collect(),
            (Sideways(control), Some(Side::Left)) => vec![Feed::new(*control, 1.0)],
            (Sideways(control), Some(Side::Right)) => vec![Feed::new(*control, -1.0)],
            // Without a side it goes both ways.
            (Sideways(control), None) if has("side") => vec![Feed::new(*control, 1.0)],
            (Sideways(_), None) => continue,
        };
        let known = |w: &&String| all.contains(&w.as_str()) || also.contains(&w.as_str());
        let unexplained = words.iter().filter(|w| !known(w)).cloned().collect();
        return Some(Fit { feeds, unexplained, vague: *vague });
    }
    None
}

/// Whether a word is one that patterns go by.
pub(super) fn says(word: &str) -> bool {
    PATTERNS.iter().any(|(all, also, ..)| all.contains(&word) || also.contains(&word))
}
