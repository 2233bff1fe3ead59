//! How a line is spoken beyond its sounds: phrases and how they end, pauses, breaths, what stands out, rate, and the
//! voice's own range. One model: what the stave shows of it ([`Phrasing`]) is what brows, head and eyes follow
//! ([`Prosody`]).
//!
//! A syllable's prominence is how far its pitch rises above what is around it, how loud and how long it is, and
//! whether it is stressed in the dictionary; weights found on synthesised speech with planted accents.

use crate::prosody::{FLOOR_DB, HOP, VoiceTracks};
use jam_score::prosody::{Accent, Prosody, Utterance};
use jam_score::{Phone, Row, Seed, Sound, Span, Timing, Word, is_function_word, percentile};
use serde::Serialize;
use std::collections::HashMap;

/// Seconds from which a pause parts phrases by itself, and with punctuation before it. Joins of sentences are shorter
/// in synthetic and fast speech (40 to 80 ms), so that a full stop parts them without any.
const PAUSE: f64 = 0.16;
const MARKED_PAUSE: f64 = 0.04;
/// Punctuation that parts with a short pause, and that parts without one.
const MARKS: [char; 9] = ['.', ',', '?', '!', ':', ';', '…', '–', '—'];
const STOPS: [char; 6] = ['.', '?', '!', ':', ';', '…'];
/// Words that a phrase asks with, whose pitch need not rise.
const ASKING: [&str; 7] = ["who", "what", "which", "when", "where", "why", "how"];
/// Seconds of voice at the end of a phrase in which a rise asks; over less, a rise is no sign.
const RISE: f64 = 0.45;
/// Semitones that it has to rise there, how high it ends counted too.
const RISES: f64 = 2.0;
/// Seconds of voice at the end of a phrase, and the semitones over them from which it falls; common practice.
const FALL: f64 = 0.3;
const FALLS: f64 = -1.0;
/// Seconds between the closest accents.
const APART: f64 = 0.18;
/// How much a syllable is compared with, seconds to either side.
const AROUND: f64 = 0.6;
/// A vowel so near the end of its phrase, seconds, is longer by so much (logarithm of the ratio) without meaning it.
const FINAL: f64 = 0.25;
const FINAL_LENGTH: f64 = 0.35;
/// Percentiles that pitch and level of a syllable are compared with.
const USUAL_PITCH: f64 = 0.30;
const USUAL_LEVEL: f64 = 0.70;
/// What 4 semitones, 5 dB and e times the length add to a prominence.
const BY_PITCH: f64 = 0.9;
const BY_LEVEL: f64 = 0.55;
const BY_LENGTH: f64 = 0.8;
/// What main stress, secondary and none add, and what a function word takes away.
const BY_STRESS: [f64; 3] = [-0.55, 0.45, 0.1];
const WEAK: f64 = 0.85;
/// The prominence from which a syllable stands out: this percentile of the line's stressed ones, within limits (a fixed
/// limit leaves a flat voice without any accent); with fewer of them than so many, a fixed one.
const STANDS_OUT: f64 = 0.45;
const LIMITS: (f64, f64) = (0.7, 1.5);
const FEW: usize = 6;
const FIXED_LIMIT: f64 = 1.25;
/// A breath: shortest and longest, seconds, and dB above the quietest part of its pause and below the voice.
/// Inhaling between phrases takes about half a second (common practice, no source).
const BREATH: (f64, f64) = (0.1, 1.2);
const BREATH_ABOVE: f32 = 6.0;
const BREATH_BELOW: f32 = 8.0;
/// How far below the voice, in dB, a level counts as silence.
const INAUDIBLE: f32 = 45.0;

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
    /// Silences that part phrases by themselves, and those at both ends.
    pub pauses: Vec<Span>,
    pub breaths: Vec<Span>,
    /// For each word how much its main syllable stands out, 0..1; from ½ on it would be an accent.
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

/// A phrase while it is being found: its words, none of a line without, its span, and how its pitch ends.
struct Said {
    words: std::ops::Range<usize>,
    span: Span,
    ending: Ending,
}

/// What was measured of the voice round a vowel. Of one voice, nothing but these four times changes it.
#[derive(Debug, Clone, Copy)]
struct Around {
    start: f64,
    end: f64,
    /// What it is compared with.
    from: f64,
    to: f64,
    /// Semitones above what is around it.
    higher: f64,
    /// The loudest hop in it, and how many dB that is above what is around it.
    loudest: Option<usize>,
    louder: f64,
}

/// What was measured of a voice for a line's times, for the next look at the same voice: of phrases, in order, how they end,
/// and what is round each vowel; and what the words and sounds say by themselves.
#[derive(Debug, Default)]
pub struct Measured {
    endings: Vec<(Span, Ending)>,
    vowels: Vec<Around>,
    /// Of every silence whether somebody breathes in it, and how loud the voice is that this was told by.
    breaths: Vec<(Span, Option<Span>)>,
    level_db: f32,
    words: Row<Word>,
    sounds: Row<Sound>,
    /// See [`own_seeds`].
    own: Row<Seed>,
    /// Which of the words carry grammar.
    weak: Row<bool>,
}

/// What is known of a span, of all in order of time.
fn known<T: Copy>(all: &[(Span, T)], span: Span) -> Option<T> {
    let at = all.partition_point(|(own, _)| own.start < span.start);
    all.get(at).filter(|(own, _)| *own == span).map(|(_, known)| *known)
}

impl Measured {
    /// The breath in a silence, if that was looked for beside a voice as loud.
    fn breath(&self, silence: Span, level_db: f32) -> Option<Option<Span>> {
        if self.level_db == level_db { known(&self.breaths, silence) } else { None }
    }

    /// Whether the words are spelled as these.
    fn is_spelled(&self, words: &Row<Word>) -> bool {
        let alike = || self.words.iter().zip(words).all(|(a, b)| a.text == b.text);
        self.words.is_shared(words) || (self.words.len() == words.len() && alike())
    }

    /// Whether the sounds are named as these, and belong to the same words.
    fn is_named(&self, sounds: &Row<Sound>) -> bool {
        let alike = |(a, b): (&Sound, &Sound)| a.word == b.word && a.name() == b.name();
        self.sounds.len() == sounds.len() && self.sounds.iter().zip(sounds).all(alike)
    }

    /// How a phrase ends, if it was measured.
    fn ending(&self, span: Span) -> Option<Ending> {
        known(&self.endings, span)
    }

    /// What is round a vowel, if it was measured.
    fn around(&self, times: [f64; 4]) -> Option<&Around> {
        let at = self.vowels.partition_point(|a| a.start < times[0]);
        self.vowels.get(at).filter(|a| [a.start, a.end, a.from, a.to] == times)
    }

    /// About how much memory it takes, bytes.
    pub fn bytes(&self) -> usize {
        size_of_val(&self.endings[..])
            + size_of_val(&self.vowels[..])
            + size_of_val(&self.breaths[..])
            + size_of_val(&self.own[..])
            + size_of_val(&self.weak[..])
    }
}

/// A syllable with what it is worth.
struct Syllable {
    sound: usize,
    start: f64,
    time: f64,
    prominence: f64,
    stressed: u8,
    weak: bool,
    phrase: Option<usize>,
}

impl Syllable {
    /// Whether it is the main one of a word that means something.
    fn counts(&self) -> bool {
        self.stressed == 1 && !self.weak
    }
}

/// A timed voice with what was worked out of it: phrases, syllables and how far they stand out.
struct Voice<'a> {
    timing: &'a Timing,
    tracks: &'a VoiceTracks,
    /// Semitones above the line's median.
    pitch: &'a Row<f32>,
    /// What was measured of it for other times.
    like: &'a Measured,
    measured: Measured,
    phrases: Vec<Said>,
    syllables: Vec<Syllable>,
    /// The prominence from which a syllable stands out.
    limit: f64,
}

impl<'a> Voice<'a> {
    fn of(timing: &'a Timing, tracks: &'a VoiceTracks, like: &'a Measured) -> Voice<'a> {
        let pitch = tracks.semitones();
        let Timing { words, sounds, .. } = timing;
        let spelled = like.is_spelled(words);
        let weak = if spelled {
            like.weak.clone()
        } else {
            words.iter().map(|w| is_function_word(&w.text)).collect()
        };
        let own = if spelled && like.is_named(sounds) { like.own.clone() } else { own_seeds(timing) };
        let (words, sounds) = (words.clone(), sounds.clone());
        let mut voice = Voice {
            timing,
            tracks,
            pitch,
            like,
            measured: Measured { words, sounds, own, weak, ..Measured::default() },
            phrases: Vec::new(),
            syllables: Vec::new(),
            limit: FIXED_LIMIT,
        };
        let level_db = voice_level(timing);
        voice.measured.level_db = level_db;
        let breath = |p: Span| (p, like.breath(p, level_db).unwrap_or_else(|| breath(tracks, p, level_db)));
        voice.measured.breaths = silences(timing).map(breath).collect();
        voice.phrases = voice.phrases();
        voice.measured.endings = voice.phrases.iter().map(|p| (p.span, p.ending)).collect();
        (voice.syllables, voice.measured.vowels) = voice.syllables().into_iter().unzip();
        let strengths: Vec<f64> =
            voice.syllables.iter().filter(|s| s.counts()).map(|s| s.prominence).collect();
        if strengths.len() >= FEW
            && let Some(usual) = percentile(strengths, STANDS_OUT)
        {
            voice.limit = usual.clamp(LIMITS.0, LIMITS.1);
        }
        voice
    }

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

    /// What is said in one go, by words; of a line without words, by the pauses between its sounds.
    fn phrases(&self) -> Vec<Said> {
        let words = &self.timing.words;
        let mut spans: Vec<(std::ops::Range<usize>, Span)> = Vec::new();
        let mut first = 0;
        for (i, word) in words.iter().enumerate() {
            let pause = words.get(i + 1).map_or(f64::INFINITY, |n| n.span.start.0 - word.span.end.0);
            let parts = pause >= PAUSE
                || (pause >= MARKED_PAUSE && word.after.contains(MARKS))
                || word.after.contains(STOPS);
            if parts {
                spans.push((first..i + 1, Span { start: words[first].span.start, end: word.span.end }));
                first = i + 1;
            }
        }
        if words.is_empty() {
            for sound in self.timing.sounds.iter().filter(|s| s.phone != Phone::Sil) {
                match spans.last_mut() {
                    Some((_, last)) if sound.span.start.0 - last.end.0 < PAUSE => last.end = sound.span.end,
                    _ => spans.push((0..0, sound.span)),
                }
            }
        }
        spans.into_iter().map(|(words, span)| Said { words, span, ending: self.ending(span) }).collect()
    }

    /// How the pitch goes at the end of a phrase.
    fn ending(&self, span: Span) -> Ending {
        if let Some(measured) = self.like.ending(span) {
            measured
        } else if self.rises(span.start.0, span.end.0) {
            Ending::Rises
        } else if self.falls(span) {
            Ending::Falls
        } else {
            Ending::Level
        }
    }

    /// Whether the straight line that fits the last voiced part of a phrase best goes down.
    fn falls(&self, span: Span) -> bool {
        let voiced = self.voiced(span.start.0, span.end.0);
        let last = &voiced[voiced.len().saturating_sub((FALL / HOP) as usize)..];
        if last.len() < 5 {
            return false;
        }
        let n = last.len() as f64;
        let points = || last.iter().map(|i| (*i as f64 * HOP, f64::from(self.pitch[*i])));
        let (t, p) = points().fold((0.0, 0.0), |(t, p), x| (t + x.0 / n, p + x.1 / n));
        let (both, own) = points()
            .fold((0.0, 0.0), |(both, own), x| (both + (x.0 - t) * (x.1 - p), own + (x.0 - t) * (x.0 - t)));
        let seconds = (last[last.len() - 1] - last[0]) as f64 * HOP;
        both / own.max(1e-9) * seconds <= FALLS
    }

    /// Whether the pitch asks at the end: over the last voice of it it rises, or ends high.
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
        let ending = since(RISE);
        let quarter = (ending.len() / 4).max(3).min(ending.len());
        let (before, after) = ending.split_at(ending.len() - quarter);
        let lowest = before.iter().copied().fold(f64::INFINITY, f64::min);
        let middle = |values: Vec<f64>| percentile(values, 0.5).unwrap_or(0.0);
        if !lowest.is_finite() {
            return false;
        }
        let rise = middle(after.to_vec()) - lowest;
        let level = middle(since(0.12)) - if body.len() > 5 { middle(self.pitches(&body)) } else { 0.0 };
        rise + 0.5 * (level + 1.5) > RISES
    }

    /// What is heard of a vowel beside what is round it.
    fn around(&self, [start, end, from, to]: [f64; 4]) -> Around {
        let level_of = |hop: usize| f64::from(self.tracks.level_db[hop]);
        let around = self.pitches(&self.voiced(from, to));
        let base = if around.len() > 5 { percentile(around, USUAL_PITCH).unwrap_or(0.0) } else { 0.0 };
        let inside = self.pitches(&self.voiced(start - 0.02, end + 0.02));
        let peak = inside.iter().copied().fold(f64::NEG_INFINITY, f64::max);
        let higher = if peak.is_finite() { peak - base } else { 0.0 };
        let loudest =
            self.hops(start - 0.02, end + 0.02).max_by(|a, b| level_of(*a).total_cmp(&level_of(*b)));
        let level = loudest.map_or(0.0, level_of);
        let louder = level - percentile(self.levels(from, to), USUAL_LEVEL).unwrap_or(level);
        Around { start, end, from, to, higher, loudest, louder }
    }

    /// Every vowel with its prominence, and what was measured for it. Of a line without words all count as stressed.
    fn syllables(&self) -> Vec<(Syllable, Around)> {
        let timing = self.timing;
        let vowels: Vec<(usize, &Sound)> =
            timing.sounds.iter().enumerate().filter(|(_, s)| s.phone.is_vowel()).collect();
        let wordless = timing.words.is_empty();
        let weak = &self.measured.weak;
        let stretch = |(_, s): &(usize, &Sound)| (s.span.length().0.max(0.03) / typical(s.phone)).ln();
        let stretched: Vec<f64> = vowels.iter().map(stretch).collect();
        let usual = percentile(stretched.clone(), 0.5).unwrap_or(0.0);
        let weigh = |(&(sound, s), stretched): (&(usize, &Sound), f64)| {
            let (start, end) = (s.span.start.0, s.span.end.0);
            let middle = 0.5 * (start + end);
            let next = self.phrases.partition_point(|p| p.span.end.0 + 0.01 < middle);
            let is_own = |p: &Said| middle >= p.span.start.0 - 0.01;
            let phrase = self.phrases.get(next).filter(|p| is_own(p)).map(|_| next);
            let own = phrase.map_or(Span::new(start - 0.5, end + 0.5), |i| self.phrases[i].span);
            let (from, to) = (own.start.0.max(start - AROUND), own.end.0.min(end + AROUND));
            let times = [start, end, from, to];
            let around = self.like.around(times).copied().unwrap_or_else(|| self.around(times));
            let Around { higher, loudest, louder, .. } = around;
            let is_final = phrase.is_some_and(|i| (self.phrases[i].span.end.0 - end).abs() < FINAL);
            let longer = stretched - usual - if is_final { FINAL_LENGTH } else { 0.0 };
            let weak = s.word.and_then(|w| weak.get(w as usize)) == Some(&true);
            let stressed = if wordless { 1 } else { s.stress.unwrap_or(0) };
            let prominence = BY_PITCH * higher.clamp(0.0, 8.0) / 4.0
                + BY_LEVEL * louder.clamp(-6.0, 8.0) / 5.0
                + BY_LENGTH * longer.clamp(-1.0, 1.0)
                + BY_STRESS.get(usize::from(stressed)).unwrap_or(&BY_STRESS[0])
                - if weak { WEAK } else { 0.0 };
            let time = loudest.map_or(middle, |i| (i as f64 + 0.5) * HOP);
            (Syllable { sound, start, time, prominence, stressed, weak, phrase }, around)
        };
        vowels.iter().zip(stretched).map(weigh).collect()
    }

    fn accent(&self, syllable: &Syllable, time: f64, strength: f64) -> Accent {
        let sound = syllable.sound;
        Accent { sound, own: self.measured.own[sound], time, strength }
    }

    /// Syllables that stand out, in order of time, and with strength 0 stressed ones that do not.
    fn accents(&self) -> Vec<Accent> {
        // Every phrase has at least its strongest.
        let mut strongest: Vec<Option<usize>> = vec![None; self.phrases.len()];
        for (i, s) in self.syllables.iter().enumerate().filter(|(_, s)| s.counts()) {
            if let Some(most) = s.phrase.and_then(|p| strongest.get_mut(p))
                && most.is_none_or(|most| self.syllables[most].prominence <= s.prominence)
            {
                *most = Some(i);
            }
        }
        let mut may = vec![false; self.syllables.len()];
        strongest.into_iter().flatten().for_each(|i| may[i] = true);
        let all = self.syllables.iter().enumerate();
        let mut order: Vec<(usize, &Syllable)> =
            all.filter(|(i, s)| s.stressed > 0 && (s.prominence >= self.limit || may[*i])).collect();
        order.sort_by(|a, b| b.1.prominence.total_cmp(&a.1.prominence));
        // Where there is one already: in a stretch as long as two are apart there is one at most.
        let stretch = |time: f64| (time / APART).max(0.0) as usize;
        let last = self.syllables.iter().map(|s| stretch(s.time)).max().unwrap_or(0);
        let mut there: Vec<Option<f64>> = vec![None; last + 1];
        let mut taken = vec![false; self.syllables.len()];
        for (i, s) in order {
            let own = stretch(s.time);
            let near = &there[own.saturating_sub(1)..(own + 2).min(there.len())];
            if near.iter().flatten().all(|t| (t - s.time).abs() >= APART) {
                there[own] = Some(s.time);
                taken[i] = true;
            }
        }
        let accent = |(i, s): (usize, &Syllable)| {
            if taken[i] {
                let strength = ((s.prominence - self.limit) / 1.6 + 0.25).clamp(0.25, 1.0);
                return Some(self.accent(s, s.time, strength));
            }
            s.counts().then(|| self.accent(s, s.time.max(s.start), 0.0))
        };
        let mut accents: Vec<Accent> = self.syllables.iter().enumerate().filter_map(accent).collect();
        accents.sort_by(|a, b| a.time.total_cmp(&b.time).then(a.sound.cmp(&b.sound)));
        accents
    }

    /// For each word how much its main syllable stands out, on the scale that parts accents from what is none.
    fn stress(&self) -> Vec<f32> {
        let mut main: Vec<Option<&Syllable>> = vec![None; self.timing.words.len()];
        for s in &self.syllables {
            let word = self.timing.sounds[s.sound].word.and_then(|w| main.get_mut(w as usize));
            let Some(place) = word else { continue };
            let rank = |s: &Syllable| (s.stressed == 1, s.prominence);
            if place.is_none_or(|p| rank(p) < rank(s)) {
                *place = Some(s);
            }
        }
        let share = |s: &Syllable| (1.0 / (1.0 + (self.limit - s.prominence).exp())) as f32;
        main.into_iter().map(|s| s.map_or(0.5, share)).collect()
    }

    fn utterance(&self, phrase: &Said) -> Utterance {
        let words = &self.timing.words[phrase.words.clone()];
        let begins = words.first().map(|w| w.text.to_lowercase()).unwrap_or_default();
        let asks_what = ASKING.contains(&begins.as_str());
        let marked = words.last().is_some_and(|w| w.after.contains('?'));
        let asks = phrase.ending == Ending::Rises || (marked && !asks_what);
        let sounds = &self.timing.sounds;
        let first = sounds.partition_point(|s| s.span.start < phrase.span.start);
        let own = self.measured.own.get(first).copied().unwrap_or(Seed(0));
        Utterance { own, start: phrase.span.start.0, end: phrase.span.end.0, asks, asks_what }
    }

    fn prosody(&self) -> Prosody {
        let utterances = self.phrases.iter().map(|p| self.utterance(p)).collect();
        let (accents, level) = (self.accents(), self.tracks.level_db.clone());
        Prosody { accents, utterances, level, pitch: self.pitch.clone() }
    }

    fn phrasing(&self) -> Phrasing {
        let (timing, tracks) = (self.timing, self.tracks);
        let range = tracks.range();
        let spoken = || timing.sounds.iter().filter(|s| s.phone != Phone::Sil);
        let vowels = |span: Span| {
            let from = timing.sounds.partition_point(|s| s.span.start < span.start);
            let own = timing.sounds[from..].iter().take_while(|s| s.span.end.0 <= span.end.0 + 1e-9);
            own.filter(|s| s.phone.is_vowel()).count() as f32
        };
        let talking: f64 = spoken().map(|s| s.span.length().0).sum();
        let all = spoken().filter(|s| s.phone.is_vowel()).count() as f32;
        let phrase = |p: &Said| Phrase {
            first: p.words.start as u32,
            end: p.words.end as u32,
            span: p.span,
            ending: p.ending,
            rate: vowels(p.span) / (p.span.length().0 as f32).max(0.05),
        };
        Phrasing {
            stress: self.stress(),
            phrases: self.phrases.iter().map(phrase).collect(),
            breaths: self.measured.breaths.iter().filter_map(|(_, breath)| *breath).collect(),
            pauses: silences(timing).filter(|p| p.length().0 >= PAUSE).collect(),
            rate: if talking > 0.0 { all / talking as f32 } else { 0.0 },
            pitch_hz: range.middle,
            pitch_range: range.semitones,
            level_db: self.measured.level_db,
        }
    }
}

/// What is silent of a line.
fn silences(timing: &Timing) -> impl Iterator<Item = Span> {
    timing.sounds.iter().filter(|s| s.phone == Phone::Sil).map(|s| s.span)
}

/// For every sound what is drawn for it starts from: its word, which of those spelled so it is, and which sound of it; in
/// pauses and without words which of its kind it is. Nothing that comes or goes elsewhere changes that, but for the same
/// word.
fn own_seeds(timing: &Timing) -> Row<Seed> {
    let mut so_far: HashMap<String, u64> = HashMap::new();
    let mut nth = |name: String| {
        let own = Seed(0).name(&name);
        let count = so_far.entry(name).or_default();
        *count += 1;
        own.number(*count)
    };
    let words: Vec<Seed> = timing.words.iter().map(|w| nth(w.text.to_lowercase())).collect();
    let (mut word, mut sound) = (None, 0);
    let own = |s: &Sound| {
        sound = if s.word == word { sound + 1 } else { 0 };
        word = s.word;
        match s.word.and_then(|w| words.get(w as usize)) {
            Some(word) => word.number(sound),
            None => nth(format!("/{}", s.name())),
        }
    };
    timing.sounds.iter().map(own).collect()
}

/// What the layers hear of a voice, how the line is spoken, and what was measured for it: all of one look. `like` is what
/// was measured of the same voice before, for whatever times.
pub fn spoken(timing: &Timing, tracks: &VoiceTracks, like: &Measured) -> (Prosody, Phrasing, Measured) {
    let voice = Voice::of(timing, tracks, like);
    (voice.prosody(), voice.phrasing(), voice.measured)
}

/// What the layers hear of a voice.
pub fn prosody(timing: &Timing, tracks: &VoiceTracks) -> Prosody {
    Voice::of(timing, tracks, &Measured::default()).prosody()
}

impl Phrasing {
    /// Of a timed line with its voice.
    pub fn of(timing: &Timing, tracks: &VoiceTracks) -> Phrasing {
        Voice::of(timing, tracks, &Measured::default()).phrasing()
    }
}

/// Level from which something in a pause is audible, dB: clearly above its quietest part, and not lost beside the
/// voice.
pub(crate) fn audible(levels: &[(f64, f32)], voice_db: f32) -> f32 {
    let quiet = levels.iter().map(|l| l.1).fold(f32::INFINITY, f32::min);
    (quiet + BREATH_ABOVE).max(voice_db - INAUDIBLE)
}

/// Mean level of what is said, dB relative to full scale.
pub(crate) fn voice_level(timing: &Timing) -> f32 {
    let spoken = timing.sounds.iter().filter(|s| s.phone != Phone::Sil);
    let (sum, count) = spoken.fold((0.0, 0u32), |(sum, n), s| (sum + s.level, n + 1));
    if count > 0 { sum / count as f32 } else { FLOOR_DB }
}

/// The breath in a pause: audible air that has no pitch and is far below the voice.
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
