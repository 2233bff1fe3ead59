//! Where a voice stands out, and how its phrases end: what brows, head and eyes follow.
//!
//! A syllable's prominence is how far its pitch rises above what is around it, how loud and how long it is, and
//! whether it is stressed in the dictionary; weights found on synthesised speech with planted accents.

use crate::phrasing::WEAK;
use crate::prosody::{HOP, VoiceTracks};
use jam_score::prosody::{Accent, Prosody, Utterance};
use jam_score::{Phone, Sound, Timing};

/// Typical lengths of vowels, seconds; common practice, only their ratios matter.
fn typical(phone: Phone) -> f64 {
    match phone {
        Phone::Ih | Phone::Ah | Phone::Uh => 0.07,
        Phone::Eh => 0.09,
        Phone::Iy | Phone::Uw | Phone::Er => 0.105,
        Phone::Ay => 0.15,
        Phone::Aw => 0.16,
        Phone::Oy => 0.18,
        _ => 0.125,
    }
}

/// A pause parts phrases by itself from here on, with punctuation from there on, seconds. Joins of sentences are
/// shorter in synthetic and fast speech, so that a full stop parts them without any.
const PAUSE: f64 = 0.16;
const MARKED_PAUSE: f64 = 0.04;
/// Closest accents, seconds.
const APART: f64 = 0.18;
/// How much a syllable is compared with, seconds to either side.
const AROUND: f64 = 0.6;
/// A vowel so near the end of its phrase is long without meaning it.
const FINAL: f64 = 0.25;

fn percentile(mut values: Vec<f64>, share: f64) -> Option<f64> {
    values.sort_by(f64::total_cmp);
    let at = share * values.len().checked_sub(1)? as f64;
    let (low, high) = (values[at.floor() as usize], values[at.ceil() as usize]);
    Some(low + at.fract() * (high - low))
}

/// Pitch in semitones above the median, through voiceless stretches, without creak and octave slips: a median of
/// five, then a short mean.
fn smooth_pitch(hz: &[f32]) -> Vec<f32> {
    let voiced: Vec<usize> = (0..hz.len()).filter(|i| hz[*i] > 0.0).collect();
    let median = percentile(voiced.iter().map(|i| f64::from(hz[*i])).collect(), 0.5);
    let (Some(median), Some(first), Some(last)) = (median, voiced.first(), voiced.last()) else {
        return vec![0.0; hz.len()];
    };
    let through = |i: usize| {
        let after = voiced.partition_point(|v| *v < i);
        let (a, b) = match (after.checked_sub(1).map(|k| voiced[k]), voiced.get(after)) {
            (Some(a), Some(b)) => (a, *b),
            (Some(_), None) => (*last, *last),
            _ => (*first, *first),
        };
        let share = if b > a { (i - a) as f32 / (b - a) as f32 } else { 0.0 };
        12.0 * ((hz[a] + share * (hz[b] - hz[a])) / median as f32).log2()
    };
    let raw: Vec<f32> = (0..hz.len()).map(through).collect();
    let clean: Vec<f32> = (0..raw.len())
        .map(|i| {
            let mut near = raw[i.saturating_sub(2)..(i + 3).min(raw.len())].to_vec();
            near.sort_by(f32::total_cmp);
            near[near.len() / 2]
        })
        .collect();
    let at = |i: usize| clean[i.min(clean.len() - 1)];
    (0..clean.len()).map(|i| 0.25 * at(i.saturating_sub(1)) + 0.5 * at(i) + 0.25 * at(i + 1)).collect()
}

struct Voice<'a> {
    timing: &'a Timing,
    tracks: &'a VoiceTracks,
    pitch: Vec<f32>,
}

impl Voice<'_> {
    fn hops(&self, start: f64, end: f64) -> std::ops::Range<usize> {
        let n = self.pitch.len().min(self.tracks.level_db.len());
        let hop = |t: f64| ((t / HOP - 0.5).ceil().max(0.0) as usize).min(n);
        hop(start)..hop(end).max(hop(start))
    }

    fn voiced(&self, start: f64, end: f64) -> Vec<usize> {
        self.hops(start, end).filter(|i| self.tracks.pitch_hz.get(*i).is_some_and(|p| *p > 0.0)).collect()
    }

    fn pitches(&self, hops: &[usize]) -> Vec<f64> {
        hops.iter().map(|i| f64::from(self.pitch[*i])).collect()
    }

    fn levels(&self, start: f64, end: f64) -> Vec<f64> {
        self.hops(start, end).map(|i| f64::from(self.tracks.level_db[i])).collect()
    }

    /// Spans of what is said in one go.
    fn utterances(&self) -> Vec<Utterance> {
        let words = &self.timing.words;
        if words.is_empty() {
            return self.runs();
        }
        let mut out: Vec<Utterance> = Vec::new();
        let mut first = 0;
        for (i, word) in words.iter().enumerate() {
            let pause = words.get(i + 1).map_or(f64::INFINITY, |n| n.span.start.0 - word.span.end.0);
            let marked = word.after.contains(['.', ',', '?', '!', ':', ';', '…', '–', '—']);
            let strong = word.after.contains(['.', '?', '!', ':', ';', '…']);
            if pause < PAUSE && !(pause >= MARKED_PAUSE && marked) && !strong {
                continue;
            }
            let (start, end) = (words[first].span.start.0, word.span.end.0);
            let begins = words[first].text.to_lowercase();
            let asks_what =
                ["who", "what", "which", "when", "where", "why", "how"].contains(&begins.as_str());
            let asks = self.rises(start, end) || (word.after.contains('?') && !asks_what);
            out.push(Utterance { start, end, asks, asks_what });
            first = i + 1;
        }
        out
    }

    /// Of a line without words: runs of sounds between pauses.
    fn runs(&self) -> Vec<Utterance> {
        let said = |s: &&Sound| s.phone != Phone::Sil;
        let mut out: Vec<Utterance> = Vec::new();
        for sound in self.timing.sounds.iter().filter(said) {
            let (start, end) = (sound.span.start.0, sound.span.end.0);
            match out.last_mut() {
                Some(last) if start - last.end < PAUSE => last.end = end,
                _ => out.push(Utterance { start, end, asks: false, asks_what: false }),
            }
        }
        out.into_iter().map(|u| Utterance { asks: self.rises(u.start, u.end), ..u }).collect()
    }

    /// Whether the pitch asks at the end: over the last .45 s of voice it rises, or ends high. Over less, a rise is
    /// no sign.
    fn rises(&self, start: f64, end: f64) -> bool {
        let voiced = self.voiced(start - 0.02, end + 0.05);
        let Some(last) = voiced.last().copied().filter(|_| voiced.len() >= 12) else { return false };
        let since = |seconds: f64| -> Vec<f64> {
            let from = last.saturating_sub((seconds / HOP) as usize);
            let own: Vec<usize> = voiced.iter().copied().filter(|i| *i >= from).collect();
            self.pitches(&own)
        };
        let body: Vec<usize> =
            voiced.iter().copied().filter(|i| *i + ((0.4 / HOP) as usize) < last).collect();
        let ending = since(0.45);
        let quarter = (ending.len() / 4).max(3).min(ending.len());
        let (before, after) = ending.split_at(ending.len() - quarter);
        let lowest = before.iter().copied().fold(f64::INFINITY, f64::min);
        let middle = |values: Vec<f64>| percentile(values, 0.5).unwrap_or(0.0);
        if !lowest.is_finite() {
            return false;
        }
        let rise = middle(after.to_vec()) - lowest;
        let level = middle(since(0.12)) - if body.len() > 5 { middle(self.pitches(&body)) } else { 0.0 };
        rise + 0.5 * (level + 1.5) > 2.0
    }
}

/// A syllable while it is weighed.
struct Syllable {
    sound: usize,
    start: f64,
    time: f64,
    prominence: f64,
    stressed: u8,
    weak: bool,
    utterance: Option<usize>,
}

fn clip(value: f64, low: f64, high: f64) -> f64 {
    value.clamp(low, high)
}

/// What the layers hear of a voice. Of a line without words its vowels count as stressed.
pub fn prosody(timing: &Timing, tracks: &VoiceTracks) -> Prosody {
    let voice = Voice { timing, tracks, pitch: smooth_pitch(&tracks.pitch_hz) };
    let utterances = voice.utterances();
    let vowels: Vec<(usize, &Sound)> =
        timing.sounds.iter().enumerate().filter(|(_, s)| s.phone.is_vowel()).collect();
    let wordless = timing.words.is_empty();
    let stretch = |s: &Sound| (s.span.length().0.max(0.03) / typical(s.phone)).ln();
    let usual = percentile(vowels.iter().map(|(_, s)| stretch(s)).collect(), 0.5).unwrap_or(0.0);
    let mut syllables: Vec<Syllable> = vowels
        .iter()
        .map(|&(sound, s)| {
            let (start, end) = (s.span.start.0, s.span.end.0);
            let middle = 0.5 * (start + end);
            let own = utterances.iter().position(|u| middle >= u.start - 0.01 && middle <= u.end + 0.01);
            let (from, to) =
                own.map_or((start - 0.5, end + 0.5), |i| (utterances[i].start, utterances[i].end));
            let (from, to) = (from.max(start - AROUND), to.min(end + AROUND));
            let around = voice.pitches(&voice.voiced(from, to));
            let base = if around.len() > 5 { percentile(around, 0.30).unwrap_or(0.0) } else { 0.0 };
            let inside = voice.pitches(&voice.voiced(start - 0.02, end + 0.02));
            let peak = inside.iter().copied().fold(f64::NEG_INFINITY, f64::max);
            let higher = if peak.is_finite() { peak - base } else { 0.0 };
            let loudest = voice
                .hops(start - 0.02, end + 0.02)
                .max_by(|a, b| tracks.level_db[*a].total_cmp(&tracks.level_db[*b]));
            let level = loudest.map_or(0.0, |i| f64::from(tracks.level_db[i]));
            let louder = level - percentile(voice.levels(from, to), 0.70).unwrap_or(level);
            let is_final = own.is_some_and(|i| (utterances[i].end - end).abs() < FINAL);
            let longer = stretch(s) - usual - if is_final { 0.35 } else { 0.0 };
            let word = s.word.and_then(|w| timing.words.get(w as usize));
            let weak = word.is_some_and(|w| WEAK.contains(&w.text.to_lowercase().as_str()));
            let stressed = if wordless { 1 } else { s.stress.unwrap_or(0) };
            let stress = match stressed {
                1 => 0.45,
                2 => 0.1,
                _ => -0.55,
            };
            let prominence = 0.9 * clip(higher, 0.0, 8.0) / 4.0
                + 0.55 * clip(louder, -6.0, 8.0) / 5.0
                + 0.8 * clip(longer, -1.0, 1.0)
                + stress
                - if weak { 0.85 } else { 0.0 };
            Syllable {
                sound,
                start,
                time: loudest.map_or(middle, |i| (i as f64 + 0.5) * HOP),
                prominence,
                stressed,
                weak,
                utterance: own,
            }
        })
        .collect();
    let content = |s: &&Syllable| s.stressed == 1 && !s.weak;
    let mut strengths: Vec<f64> = syllables.iter().filter(content).map(|s| s.prominence).collect();
    // A fixed limit leaves a flat voice without any accent.
    let limit = if strengths.len() >= 6 {
        clip(percentile(std::mem::take(&mut strengths), 0.45).unwrap_or(1.25), 0.7, 1.5)
    } else {
        1.25
    };
    // Every phrase has at least its strongest.
    let strongest: Vec<usize> = (0..utterances.len())
        .filter_map(|u| {
            let own = syllables.iter().filter(|s| s.utterance == Some(u)).filter(content);
            own.max_by(|a, b| a.prominence.total_cmp(&b.prominence)).map(|s| s.sound)
        })
        .collect();
    syllables.sort_by(|a, b| b.prominence.total_cmp(&a.prominence));
    let mut accents: Vec<Accent> = Vec::new();
    for s in &syllables {
        let counts = s.stressed > 0 && (s.prominence >= limit || strongest.contains(&s.sound));
        let free = accents.iter().all(|a| (a.time - s.time).abs() >= APART);
        if counts && free {
            let strength = clip((s.prominence - limit) / 1.6 + 0.25, 0.25, 1.0);
            accents.push(Accent { sound: s.sound, time: s.time, strength });
        }
    }
    let taken: Vec<usize> = accents.iter().map(|a| a.sound).collect();
    let others = syllables.iter().filter(content).filter(|s| !taken.contains(&s.sound));
    accents.extend(others.map(|s| Accent { sound: s.sound, time: s.time.max(s.start), strength: 0.0 }));
    accents.sort_by(|a, b| a.time.total_cmp(&b.time).then(a.sound.cmp(&b.sound)));
    Prosody { pitch: voice.pitch, level: tracks.level_db.clone(), accents, utterances }
}
