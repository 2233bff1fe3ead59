//! What mood a voice and its words suggest, and why. Effort from the voice against the speaker's own lines (Scherer
//! 2003; Banse & Scherer 1996: pitch, its range, loudness, rate and spectral balance rise with arousal; from memory),
//! pleasantness from an open lexicon of words (C. J. Hutto's, see `NOTICES.md`), placed on the circumplex (Russell
//! 1980). It cannot tell anger from fear, irony from praise, or anything that is only implied: it offers, with its
//! reason, and never decides.

use crate::prosody::{HOP, VoiceTracks};
use jam_score::{Mood, Phone, Span, Timing, Word, percentile};
use std::collections::HashMap;
use std::sync::LazyLock;

/// Word by word, -4 unpleasant to 4 pleasant.
static LEXICON: LazyLock<HashMap<&'static str, f64>> = LazyLock::new(|| {
    let lines = include_str!("../model/feelings.txt").lines();
    lines.filter_map(|l| l.split_once('\t')).filter_map(|(w, v)| Some((w, v.parse().ok()?))).collect()
});

const NEGATE: &[&str] = &[
    "cannot", "neither", "never", "none", "nope", "nor", "not", "nothing", "nowhere", "without", "rarely",
    "seldom", "despite",
];
const MORE: &[&str] = &[
    "absolutely",
    "awfully",
    "completely",
    "deeply",
    "entirely",
    "especially",
    "extremely",
    "fully",
    "greatly",
    "highly",
    "incredibly",
    "more",
    "most",
    "particularly",
    "quite",
    "really",
    "so",
    "thoroughly",
    "totally",
    "tremendously",
    "utterly",
    "very",
];
const LESS: &[&str] = &[
    "almost",
    "barely",
    "hardly",
    "kinda",
    "less",
    "little",
    "occasionally",
    "partly",
    "slightly",
    "somewhat",
];

fn negates(word: &str) -> bool {
    NEGATE.contains(&word) || word.contains("n't")
}

/// How pleasant words are, -1..1; `exclaims` counts their exclamation marks.
pub fn pleasantness(words: &[String], exclaims: usize) -> f64 {
    let own = |i: usize| LEXICON.get(words[i].as_str()).copied();
    let mut values: Vec<f64> = Vec::with_capacity(words.len());
    for (i, word) in words.iter().enumerate() {
        let Some(mut value) = own(i) else { continue };
        if MORE.contains(&word.as_str()) || LESS.contains(&word.as_str()) {
            continue;
        }
        if word == "no" && i + 1 < words.len() && own(i + 1).is_some() {
            continue;
        }
        let is_no = |back: usize| i >= back && words[i - back] == "no";
        if is_no(1) || is_no(2) {
            value *= -0.74;
        }
        for back in 1..=3.min(i) {
            let before = words[i - back].as_str();
            if own(i - back).is_some() && !MORE.contains(&before) && !LESS.contains(&before) {
                continue;
            }
            let weaker = [1.0, 0.95, 0.9][back - 1];
            let way = f64::from(MORE.contains(&before)) - f64::from(LESS.contains(&before));
            value += 0.293 * weaker * way * value.signum();
            if negates(before) {
                value *= -0.74;
            }
        }
        values.push(value);
    }
    let mut sum: f64 = values.iter().sum();
    if sum != 0.0 {
        sum += sum.signum() * 0.292 * exclaims.min(4) as f64;
    }
    sum / (sum * sum + 15.0).sqrt()
}

/// How a line is spoken, as five measures that rise with effort.
#[derive(Debug, Clone, Copy, PartialEq)]
pub struct Effort([f64; 5]);

/// What each measure counts, and its smallest deviation that is trusted: pitch in semitones, its range, loudness in
/// dB, syllables a second, spectral balance in dB.
const WEIGHTS: [f64; 5] = [0.34, 0.20, 0.24, 0.14, 0.08];
const FLOORS: [f64; 5] = [1.2, 0.8, 1.5, 0.45, 1.5];
const NAMES: [&str; 5] = ["pitch", "pitch range", "loudness", "pace", "sharpness"];

impl Effort {
    /// Of what is said within the line; none without voice.
    pub fn of(timing: &Timing, tracks: &VoiceTracks) -> Option<Effort> {
        Effort::within(timing, tracks, Span::new(0.0, timing.end().0))
    }

    fn within(timing: &Timing, tracks: &VoiceTracks, span: Span) -> Option<Effort> {
        let inside = |s: &&jam_score::Sound| {
            s.phone != Phone::Sil && s.span.start >= span.start && s.span.end.0 <= span.end.0 + 1e-9
        };
        let hops: Vec<usize> = timing
            .sounds
            .iter()
            .filter(inside)
            .flat_map(|s| (s.span.start.0 / HOP) as usize..(s.span.end.0 / HOP) as usize)
            .filter(|i| *i < tracks.level_db.len())
            .collect();
        let pitches: Vec<f64> = hops
            .iter()
            .filter_map(|i| tracks.pitch_hz.get(*i).filter(|p| **p > 0.0))
            .map(|p| 12.0 * (f64::from(*p) / 100.0).log2())
            .collect();
        if pitches.len() < 10 {
            return None;
        }
        let power = hops.iter().map(|i| 10f64.powf(f64::from(tracks.level_db[*i]) / 10.0)).sum::<f64>();
        let vowels = timing.sounds.iter().filter(inside).filter(|s| s.phone.is_vowel()).count() as f64;
        let pitch = |share| percentile(pitches.clone(), share).unwrap_or(0.0);
        let tilts: Vec<f64> =
            hops.iter().filter_map(|i| tracks.tilt_db.get(*i)).map(|t| f64::from(*t)).collect();
        let tilt = if tilts.is_empty() { 0.0 } else { tilts.iter().sum::<f64>() / tilts.len() as f64 };
        Some(Effort([
            pitch(0.5),
            pitch(0.92) - pitch(0.08),
            10.0 * (power / hops.len() as f64).log10(),
            vowels / (hops.len() as f64 * HOP).max(0.3),
            -tilt,
        ]))
    }

    /// How much more than usual, -1..1, and each measure in deviations.
    pub fn against(&self, usual: &[Effort]) -> (f64, [f64; 5]) {
        let mut z = [0.0; 5];
        for (k, z) in z.iter_mut().enumerate() {
            let middle_of = |values: Vec<f64>| percentile(values, 0.5).unwrap_or(0.0);
            let middle = middle_of(usual.iter().map(|e| e.0[k]).collect());
            let off = middle_of(usual.iter().map(|e| (e.0[k] - middle).abs()).collect());
            let deviation = (1.48 * off).max(FLOORS[k]);
            *z = ((self.0[k] - middle) / deviation).clamp(-3.0, 3.0);
        }
        let sum: f64 = z.iter().zip(WEIGHTS).map(|(z, w)| z * w).sum();
        ((0.75 * sum).tanh(), z)
    }
}

/// A mood that is offered.
#[derive(Debug, Clone, PartialEq)]
pub struct Suggestion {
    pub span: Span,
    pub mood: Mood,
    pub amount: f64,
    pub reason: String,
}

/// Fewest lines of a speaker that tell what is usual for him.
const LEAST_LINES: usize = 3;

/// Moods for the sentences of a line. `usual` holds the efforts of the speaker's lines; loudness is the recording's
/// level, too, so these should be of one session.
pub fn suggest(timing: &Timing, tracks: &VoiceTracks, usual: &[Effort]) -> Vec<Suggestion> {
    let mut out: Vec<Suggestion> = Vec::new();
    let mut first = 0;
    for (i, word) in timing.words.iter().enumerate() {
        let ends = word.after.contains(['.', '?', '!', '…', ';']) || i + 1 == timing.words.len();
        if !ends {
            continue;
        }
        let words: &[Word] = &timing.words[first..=i];
        let span = Span { start: words[0].span.start, end: word.span.end };
        first = i + 1;
        let plain: Vec<String> = words.iter().map(|w| w.text.to_lowercase().replace('’', "'")).collect();
        let exclaims = words.iter().map(|w| w.after.matches('!').count()).sum();
        let pleasant = pleasantness(&plain, exclaims);
        let effort = Effort::within(timing, tracks, span).filter(|_| usual.len() >= LEAST_LINES);
        let (arousal, z) = effort.map_or((0.0, [0.0; 5]), |e| e.against(usual));
        let heard = if usual.len() < LEAST_LINES {
            "the voice is not judged: fewer than three lines of this character".to_string()
        } else {
            let most = (0..5).max_by(|a, b| z[*a].abs().total_cmp(&z[*b].abs())).unwrap_or(0);
            let way = if arousal > 0.2 {
                "raised"
            } else if arousal < -0.2 {
                "low"
            } else {
                "as usual"
            };
            format!("voice {way} ({arousal:+.2}; most by {}: {:+.1} deviations)", NAMES[most], z[most])
        };
        let telling: Vec<&String> = plain.iter().filter(|w| LEXICON.contains_key(w.as_str())).collect();
        let said = match telling.first() {
            Some(word) if pleasant > 0.05 => format!("pleasant words ({pleasant:+.2}, “{word}”)"),
            Some(word) if pleasant < -0.05 => format!("unpleasant words ({pleasant:+.2}, “{word}”)"),
            _ => "words say nothing".to_string(),
        };
        let mut offer = |mood: Mood, amount: f64, more: &str| {
            let reason = format!("{said}, {heard}{more}");
            out.push(Suggestion { span, mood, amount: amount.clamp(0.1, 1.0), reason });
        };
        if pleasant >= 0.25 {
            if arousal > -0.35 {
                offer(Mood::Happiness, 0.35 + 0.5 * pleasant, "");
            } else {
                offer(Mood::Tenderness, 0.4 + 0.5 * pleasant, "");
            }
        } else if pleasant <= -0.20 {
            if arousal > 0.25 {
                let more = "; anger and fear cannot be told apart by these";
                offer(Mood::Anger, 0.3 + 0.5 * arousal, more);
                offer(Mood::Fear, 0.3 + 0.5 * arousal, more);
            } else {
                offer(Mood::Sadness, 0.3 + 0.6 * pleasant.abs() - 0.2 * arousal.min(0.0), "");
            }
        } else if arousal > 0.45 {
            offer(Mood::Surprise, 0.4 * arousal, "; weak, by the voice alone");
        }
    }
    out
}

#[cfg(test)]
mod tests {
    use super::*;

    fn score(text: &str) -> f64 {
        let words: Vec<String> = text
            .to_lowercase()
            .split_whitespace()
            .map(|w| w.trim_matches(|c: char| !c.is_alphanumeric()).to_string())
            .collect();
        pleasantness(&words, text.matches('!').count())
    }

    /// Source: what the lexicon's own scorer (PyPI vaderSentiment 3.3.2) gives for sentences of ours. (After “so” and “this” it
    /// multiplies by 1.25 where it means only “never so”; we do not, and no sentence here has them.)
    #[test]
    fn sentences_score_as_the_lexicons_own_scorer_does() {
        for (text, known) in [
            ("What a wonderful morning, everybody is coming home.", 0.5719),
            ("I love this little boat more than anything.", 0.6369),
            ("She smiled and hugged her proud brother.", 0.8519),
            ("That was a very good year.", 0.4927),
            ("I lost everything in the fire.", -0.5719),
            ("He died alone in a cold room.", -0.6808),
            ("There is no hope left for the old boat.", -0.3412),
            ("She wept when she heard the terrible news.", -0.7269),
            ("I do not hate it.", 0.4585),
            ("This is not a good idea.", -0.3412),
            ("The ferry leaves at nine.", 0.0),
            ("We won, we actually won the regatta!", 0.8268),
            ("I am very lonely in that empty house.", -0.5563),
            ("Oh great, the ferry is late again.", 0.6249),
        ] {
            let found = score(text);
            assert!((found - known).abs() < 0.03, "{text}: {found:.4}, not {known}");
        }
    }
}
