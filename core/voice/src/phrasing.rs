//! How a line is spoken beyond its sounds: phrases and how they end, pauses, breaths, stress, rate, and the
//! voice's own range. What later layers (brows, head, eyes) start from.

use crate::prosody::{HOP, VoiceTracks};
use jam_score::{Phone, Span, Timing};
use serde::Serialize;

/// Seconds of silence that part phrases by themselves. Pauses under a quarter second are mostly articulation
/// (Goldman-Eisler 1968).
const PHRASE_PAUSE: f64 = 0.25;
/// With punctuation a shorter one does; common practice.
const MARKED_PAUSE: f64 = 0.06;
/// Semitones over the end of a phrase from which it rises or falls; common practice.
const RISES: f32 = 2.0;
const FALLS: f32 = -1.0;
/// Seconds of voice at the end of a phrase that tell how it ends.
const ENDING: f64 = 0.3;
/// A breath: shortest and longest, seconds, and dB above the quietest part of its pause and below the voice.
/// Inhaling between phrases takes about half a second (common practice, no source).
const BREATH: (f64, f64) = (0.1, 1.2);
const BREATH_ABOVE: f32 = 6.0;
const BREATH_BELOW: f32 = 8.0;
/// dB below the voice from which nothing is heard beside it.
const INAUDIBLE: f32 = 45.0;
/// Words that carry stress only when they are meant to: function words of English.
pub(crate) const WEAK: &[&str] = &[
    "a", "an", "the", "and", "or", "but", "if", "as", "than", "that", "of", "to", "in", "on", "at", "by",
    "for", "from", "with", "into", "i", "me", "my", "you", "your", "he", "him", "his", "she", "her", "it",
    "its", "we", "us", "our", "they", "them", "their", "is", "am", "are", "was", "were", "be", "been",
    "being", "do", "does", "did", "have", "has", "had", "can", "could", "will", "would", "shall", "should",
    "may", "might", "must", "there", "it's", "i'm", "i'll", "we're", "you're", "that's", "there's",
];

/// How a phrase's pitch ends.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Serialize, utoipa::ToSchema)]
#[serde(rename_all = "snake_case")]
pub enum Ending {
    Rises,
    Falls,
    Level,
}

/// Words said in one go.
#[derive(Debug, Clone, PartialEq, Serialize, utoipa::ToSchema)]
pub struct Phrase {
    /// Its first word, and the one after its last.
    pub first: u32,
    pub end: u32,
    pub span: Span,
    pub ending: Ending,
    /// Syllables a second.
    pub rate: f32,
}

/// How a line is spoken.
#[derive(Debug, Clone, PartialEq, Default, Serialize, utoipa::ToSchema)]
pub struct Phrasing {
    pub phrases: Vec<Phrase>,
    /// Silence between words of a quarter second and more, and at both ends.
    pub pauses: Vec<Span>,
    pub breaths: Vec<Span>,
    /// For each word how much it stands out, 0..1; ½ is neither.
    pub stress: Vec<f32>,
    /// Syllables a second while something is said.
    pub rate: f32,
    /// The middle of the voice's pitch, Hz, and the semitones between its 10th and 90th percentile; 0 without a
    /// voice.
    pub pitch_hz: f32,
    pub pitch_range: f32,
    /// Mean level of what is said, dB relative to full scale.
    pub level_db: f32,
}

fn semitones(hz: f32, above: f32) -> f32 {
    12.0 * (hz / above).log2()
}

fn mean(values: impl Iterator<Item = f32>) -> Option<f32> {
    let (sum, count) = values.fold((0.0, 0u32), |(s, n), v| (s + v, n + 1));
    (count > 0).then(|| sum / count as f32)
}

impl Phrasing {
    pub fn of(timing: &Timing, tracks: &VoiceTracks) -> Phrasing {
        let mut voiced: Vec<f32> = tracks.pitch_hz.iter().copied().filter(|p| *p > 0.0).collect();
        voiced.sort_by(f32::total_cmp);
        let at = |share: f32| voiced.get((voiced.len() as f32 * share) as usize).copied();
        let pitch_hz = at(0.5).unwrap_or(0.0);
        let pitch_range = at(0.1).zip(at(0.9)).map_or(0.0, |(low, high)| semitones(high, low));
        let spoken = || timing.sounds.iter().filter(|s| s.phone != Phone::Sil);
        let level_db = voice_level(timing);
        let vowels = |span: Span| {
            let inside = |s: Span| s.start >= span.start && s.end.0 <= span.end.0 + 1e-9;
            spoken().filter(|s| s.phone.is_vowel() && inside(s.span)).count() as f32
        };
        let talking: f64 = spoken().map(|s| s.span.length().0).sum();
        let all = spoken().filter(|s| s.phone.is_vowel()).count() as f32;
        let pauses: Vec<Span> =
            timing.sounds.iter().filter(|s| s.phone == Phone::Sil).map(|s| s.span).collect();
        let phrases: Vec<Phrase> = phrases(timing)
            .into_iter()
            .map(|(first, end)| {
                let span =
                    Span { start: timing.words[first].span.start, end: timing.words[end - 1].span.end };
                let rate = vowels(span) / (span.length().0 as f32).max(0.05);
                let ending = ending(tracks, span);
                Phrase { first: first as u32, end: end as u32, span, ending, rate }
            })
            .collect();
        Phrasing {
            stress: stress(timing, tracks, &phrases),
            phrases,
            breaths: pauses.iter().filter_map(|p| breath(tracks, *p, level_db)).collect(),
            pauses: pauses.into_iter().filter(|p| p.length().0 >= PHRASE_PAUSE).collect(),
            rate: if talking > 0.0 { all / talking as f32 } else { 0.0 },
            pitch_hz,
            pitch_range,
            level_db,
        }
    }
}

/// Where phrases begin and end, by words.
fn phrases(timing: &Timing) -> Vec<(usize, usize)> {
    let mut out = Vec::new();
    let mut first = 0;
    for (i, word) in timing.words.iter().enumerate() {
        let next = timing.words.get(i + 1);
        let pause = next.map_or(f64::INFINITY, |n| n.span.start.0 - word.span.end.0);
        let marked = word.after.contains([',', ';', ':', '.', '?', '!', '…', '–', '—']);
        if pause >= PHRASE_PAUSE || (marked && pause >= MARKED_PAUSE) {
            out.push((first, i + 1));
            first = i + 1;
        }
    }
    out
}

/// How the pitch goes over the last voiced part of a phrase, by the straight line that fits it best.
fn ending(tracks: &VoiceTracks, span: Span) -> Ending {
    let hops = |s: Span| (s.start.0 / HOP) as usize..((s.end.0 / HOP) as usize).min(tracks.pitch_hz.len());
    let voiced: Vec<(f32, f32)> = hops(span)
        .filter(|i| tracks.pitch_hz[*i] > 0.0)
        .map(|i| (i as f32 * HOP as f32, semitones(tracks.pitch_hz[i], 100.0)))
        .collect();
    let count = (ENDING / HOP) as usize;
    let last = &voiced[voiced.len().saturating_sub(count)..];
    if last.len() < 5 {
        return Ending::Level;
    }
    let n = last.len() as f32;
    let (t, p) = last.iter().fold((0.0, 0.0), |(t, p), x| (t + x.0 / n, p + x.1 / n));
    let (mut both, mut own) = (0.0, 0.0);
    for x in last {
        both += (x.0 - t) * (x.1 - p);
        own += (x.0 - t) * (x.0 - t);
    }
    let change = both / own.max(1e-9) * (last[last.len() - 1].0 - last[0].0);
    if change >= RISES {
        Ending::Rises
    } else if change <= FALLS {
        Ending::Falls
    } else {
        Ending::Level
    }
}

/// Level from which something is heard in a pause, dB: clearly above its quietest part, and not lost beside the
/// voice.
pub(crate) fn audible(levels: &[(f64, f32)], voice_db: f32) -> f32 {
    let quiet = levels.iter().map(|l| l.1).fold(f32::INFINITY, f32::min);
    (quiet + BREATH_ABOVE).max(voice_db - INAUDIBLE)
}

/// Mean level of what is said, dB relative to full scale.
pub(crate) fn voice_level(timing: &Timing) -> f32 {
    let spoken = timing.sounds.iter().filter(|s| s.phone != Phone::Sil);
    mean(spoken.map(|s| s.level)).unwrap_or(crate::prosody::FLOOR_DB)
}

/// The breath in a pause: air that is heard but has no pitch and is far below the voice.
fn breath(tracks: &VoiceTracks, pause: Span, voice_db: f32) -> Option<Span> {
    let levels = tracks.levels_in(pause);
    let faintest = audible(&levels, voice_db);
    let air = |(t, level): (f64, f32)| {
        let voiced = tracks.pitch_hz.get((t / HOP) as usize).is_some_and(|p| *p > 0.0);
        !voiced && level > faintest && level < voice_db - BREATH_BELOW
    };
    let mut best: Option<Span> = None;
    let mut start: Option<f64> = None;
    for (t, level) in levels.iter().copied().chain([(pause.end.0, f32::NEG_INFINITY)]) {
        if air((t, level)) {
            start.get_or_insert(t - HOP / 2.0);
        } else if let Some(from) = start.take() {
            let span = Span::new(from.max(pause.start.0), (t - HOP / 2.0).min(pause.end.0));
            // The fading of the word before and the first air of the next are none.
            let inside = span.start.0 > pause.start.0 + 0.03 && span.end.0 < pause.end.0 - 0.01;
            let long = (BREATH.0..=BREATH.1).contains(&span.length().0);
            if inside && long && best.is_none_or(|b| b.length() < span.length()) {
                best = Some(span);
            }
        }
    }
    best
}

/// How much each word stands out. Pitch, then length, then loudness tell stress to English ears (Fry 1958), here
/// each against the phrase's own; weights are common practice. Function words start lower.
fn stress(timing: &Timing, tracks: &VoiceTracks, phrases: &[Phrase]) -> Vec<f32> {
    struct Heard {
        pitch: Option<f32>,
        level: f32,
        length: f32,
    }
    let mut main: Vec<Option<Heard>> = timing.words.iter().map(|_| None).collect();
    for sound in timing.sounds.iter().filter(|s| s.phone.is_vowel()) {
        let Some(place) = sound.word.and_then(|w| main.get_mut(w as usize)) else { continue };
        // The main stressed vowel speaks for its word, else the loudest.
        if place.as_ref().is_some_and(|p| sound.stress != Some(1) && p.level >= sound.level) {
            continue;
        }
        let typical = if sound.phone.is_glide() { 0.15 } else { 0.09 };
        let pitch = tracks.pitch_of(sound.span).map(|hz| semitones(hz, 100.0));
        *place = Some(Heard { pitch, level: sound.level, length: (sound.span.length().0 / typical) as f32 });
    }
    let mut out = vec![0.5; timing.words.len()];
    for phrase in phrases {
        let own =
            || (phrase.first as usize..phrase.end as usize).filter_map(|w| Some((w, main[w].as_ref()?)));
        let Some(level) = mean(own().map(|(_, h)| h.level)) else { continue };
        let length = mean(own().map(|(_, h)| h.length.max(0.05).ln())).unwrap_or(0.0);
        let pitch = mean(own().filter_map(|(_, h)| h.pitch)).unwrap_or(0.0);
        for (w, heard) in own() {
            let text = timing.words[w].text.to_lowercase().replace('’', "'");
            let weak = if WEAK.contains(&text.as_str()) { -0.9 } else { 0.25 };
            let higher = heard.pitch.map_or(0.0, |p| (p - pitch) / 3.0);
            let longer = (heard.length.max(0.05).ln() - length) / 0.6;
            let louder = (heard.level - level) / 5.0;
            let sum = weak + 0.9 * higher + 0.7 * longer + 0.6 * louder;
            out[w] = 1.0 / (1.0 + (-sum).exp());
        }
    }
    out
}
