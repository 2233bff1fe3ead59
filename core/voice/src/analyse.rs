//! The whole way: recording and text in; timed words and sounds, loudness and pitch out.

use crate::align::{self, AlignError, Around, Pronunciation};
use crate::carry::same_words;
use crate::dictionary::{Dictionary, WordList};
use crate::features::{self, Feature, boundary_seconds, frame_near};
use crate::model::{AcousticModel, ModelError};
use crate::phrasing::{audible, voice_level};
use crate::prosody::{HOP, VoiceTracks};
use crate::recording::{Recording, RecordingError};
use crate::refine::Looks;
use crate::text::{self, Script, TextError};
use crate::{draft, hear};
use jam_score::{Line, Noise, Phone, Seconds, Sound, Span, Spoken, SpokenPhone, Timing, Word};
use std::borrow::Cow;

/// Loudest level of a recording that counts as silence, dB relative to full scale.
const SILENT_DB: f32 = -80.0;
/// Median word confidence below which a text is not what the recording says. A wrong text still has a
/// few words that fit by chance, so the median tells more than the mean. Measured on 120 synthesised
/// lines: right texts .069 and more, texts of other lines .036 at most. Right texts stay above it in
/// white noise and babble down to 5 dB; there wrong ones pass too, all their words doubtful.
const NO_MATCH: f32 = 0.04;

/// What an analysis found.
#[derive(Debug, Clone, PartialEq)]
pub struct Found {
    pub timing: Timing,
    pub tracks: VoiceTracks,
}

/// Why a recording and its text gave no times. Every message says what to do.
#[derive(Debug, thiserror::Error)]
pub enum AnalyseError {
    #[error(transparent)]
    Text(#[from] TextError),
    #[error(transparent)]
    Recording(#[from] RecordingError),
    #[error(transparent)]
    Align(#[from] AlignError),
    #[error(
        "the recording is silent from end to end; check the microphone or the export and bring it in again"
    )]
    Silent,
    #[error(
        "the text does not seem to be what the recording says ({doubtful} of {words} words were not heard); correct the text or choose the right recording"
    )]
    DoesNotMatch { doubtful: usize, words: usize },
    #[error(
        "there is no room for “{0}” between the pinned words beside it; unpin one of them or move its edge"
    )]
    NoRoom(String),
    #[error("no words were heard in the recording; type what it says")]
    NothingHeard,
    #[error(transparent)]
    Model(#[from] ModelError),
}

/// Aligns texts with recordings. Cheap to make: model and dictionary are shared.
pub struct Analyser {
    model: &'static AcousticModel,
    dictionary: &'static Dictionary,
}

/// 0..1 from a log posterior: ½ at -3.5, about .7 at -3 and .3 at -4, the limits between sure,
/// doubtful and wrong words that were read off measured right and wrong words.
fn confidence(posterior: f32) -> f32 {
    1.0 / (1.0 + (-1.7 * (posterior + 3.5)).exp())
}

/// The fillers of the acoustic model that stand for what is heard and no word.
const NOISES: [&str; 2] = ["+NSN+", "+SPN+"];
/// Shortest time that a sound is given where there is no room to listen for it.
const SHORTEST: f64 = 0.005;
/// Narrowest sound, seconds, that a finer boundary leaves.
const NARROWEST: f64 = 0.015;
/// Seconds at the ends of a pause that belong to the words beside it.
const EDGE: f64 = 0.015;

/// A word of the new text with all that is known of it before listening.
struct Asked {
    text: String,
    after: String,
    ways: Vec<Spoken>,
    chosen: bool,
    /// Of a pinned word what it was and its sounds, which stay.
    pinned: Option<(Word, Vec<Sound>)>,
}

/// What is laid on a stretch of the recording: words by their number, and what is heard between them.
enum Item {
    Word(usize),
    Noise(usize),
}

impl Analyser {
    /// With the model and dictionary that ship with the product.
    pub fn shipped() -> Result<Analyser, AnalyseError> {
        Ok(Analyser { model: AcousticModel::shipped()?, dictionary: Dictionary::shipped() })
    }

    /// Times every word and sound of `text`. `watch` hears how far it is, 0..1, and stops the work
    /// by answering `false`.
    pub fn analyse(
        &self,
        recording: &Recording,
        text: &str,
        watch: &dyn Fn(f64) -> bool,
    ) -> Result<Found, AnalyseError> {
        self.time(recording, &Line::new(text), &WordList::default(), watch)
    }

    /// Times a line anew: its text with the recording that is listened to. Words that are pinned in its times
    /// stay as they are, the others are found between them; sounds that were chosen by hand stay chosen. Without
    /// a text its sounds alone are heard. `words` tells how words are said in the production.
    pub fn time(
        &self,
        recording: &Recording,
        line: &Line,
        words: &WordList,
        watch: &dyn Fn(f64) -> bool,
    ) -> Result<Found, AnalyseError> {
        let recording = recording.heard(&line.listen)?;
        let mut found = if line.text.trim().is_empty() {
            self.hear(&recording, watch)?
        } else {
            let script = text::read(&line.text)?;
            let asked = self.asked(&script, line, words);
            let Heard { samples, features, tracks } = listen(&recording, watch)?;
            let heard = Stretch { looks: &Looks::new(&samples), features: &features };
            let timing = self.lay(&script, &asked, heard, &tracks, recording.duration(), watch)?;
            Found { timing, tracks }
        };
        found.timing.text.clone_from(&line.text);
        found.timing.listen = line.listen;
        Ok(found)
    }

    /// Times the sounds of a recording whose text is not known: a draft without words.
    pub fn hear(&self, recording: &Recording, watch: &dyn Fn(f64) -> bool) -> Result<Found, AnalyseError> {
        let Heard { samples, features, tracks } = listen(recording, watch)?;
        let heard = hear::hear(self.model, &features, &|p| watch(0.15 + 0.85 * p))?;
        let duration = recording.duration();
        let mut sounds: Vec<Sound> = Vec::with_capacity(heard.len());
        let mut start = Seconds::ZERO;
        for (i, one) in heard.iter().enumerate() {
            let end = end_of(&one.frames, i + 1 == heard.len(), duration);
            if end <= start {
                continue;
            }
            let confidence = confidence(one.posterior);
            push(&mut sounds, Sound { confidence, ..Sound::new(one.phone, Span { start, end }) });
            start = end;
        }
        refine(&Looks::new(&samples), &mut sounds);
        sounds.iter_mut().for_each(|s| s.level = tracks.level_of(s.span));
        stress_by_level(&mut sounds);
        Ok(Found { timing: Timing { sounds, ..Timing::default() }, tracks })
    }

    /// A draft of what a recording says, as far as the shipped models allow: common words in lower case, in clean
    /// speech about one in three right and most of the others near in sound.
    pub fn draft(&self, recording: &Recording, watch: &dyn Fn(f64) -> bool) -> Result<String, AnalyseError> {
        let heard = listen(recording, watch)?;
        let words = draft::draft(self.model, &heard.features, &|p| watch(0.15 + 0.85 * p))?;
        if words.is_empty() { Err(AnalyseError::NothingHeard) } else { Ok(words.join(" ")) }
    }

    /// Every word of the text with the ways to say it: as it was typed, as it was chosen before, as the production
    /// says it, as the dictionary lists it or its letters tell, in this order.
    fn asked(&self, script: &Script, line: &Line, list: &WordList) -> Vec<Asked> {
        let none = Timing::default();
        let old = line.timing.as_ref().unwrap_or(&none);
        let old_words: Vec<&str> = old.words.iter().map(|w| w.text.as_str()).collect();
        let new_words: Vec<&str> = script.words.iter().map(|w| w.text.as_str()).collect();
        let same = same_words(&old_words, &new_words);
        let mut by_word: Vec<Vec<Sound>> = vec![Vec::new(); old.words.len()];
        for sound in &old.sounds {
            if let Some(own) = sound.word.and_then(|w| by_word.get_mut(w as usize)) {
                own.push(sound.clone());
            }
        }
        script
            .words
            .iter()
            .zip(same)
            .map(|(word, same)| {
                let before =
                    same.map(|i| (&old.words[i], &by_word[i])).filter(|(_, sounds)| !sounds.is_empty());
                // Pins are times of the sound that was listened to then.
                let pinned = before.filter(|(old_word, _)| old_word.pinned && old.listen == line.listen);
                let chosen = before.filter(|(old_word, _)| old_word.chosen || old_word.pinned);
                let as_before = |sounds: &Vec<Sound>| -> Spoken {
                    sounds.iter().map(|s| SpokenPhone { phone: s.phone, stress: s.stress }).collect()
                };
                let ways = match (&word.said, chosen) {
                    (Some(said), _) => vec![said.clone()],
                    (None, Some((_, sounds))) => vec![as_before(sounds)],
                    (None, None) => {
                        list.get(&word.key).cloned().unwrap_or_else(|| self.dictionary.ways_to_say(&word.key))
                    }
                };
                let pinned =
                    pinned.filter(|(_, sounds)| word.said.as_ref().is_none_or(|s| *s == as_before(sounds)));
                Asked {
                    text: word.text.clone(),
                    after: word.after.clone(),
                    ways,
                    chosen: word.said.is_none() && before.is_some_and(|(old_word, _)| old_word.chosen),
                    pinned: pinned.map(|(w, s)| (w.clone(), s.clone())),
                }
            })
            .collect()
    }

    /// Lays the words on the recording: between pinned ones if there are some.
    fn lay(
        &self,
        script: &Script,
        asked: &[Asked],
        heard: Stretch<'_>,
        tracks: &VoiceTracks,
        duration: Seconds,
        watch: &dyn Fn(f64) -> bool,
    ) -> Result<Timing, AnalyseError> {
        let mut timing = Timing::default();
        let mut noise_spans: Vec<Option<Span>> = vec![None; script.tags.len()];
        let (mut word, mut start) = (0, Seconds::ZERO);
        let mut tag = 0;
        while word < asked.len() || start < duration {
            let pin = (word..asked.len()).find(|w| asked[*w].pinned.is_some());
            let last = pin.unwrap_or(asked.len());
            let pinned = pin.and_then(|p| asked[p].pinned.as_ref());
            let end = pinned.map_or(duration, |(w, _)| w.span.start);
            let mut items = Vec::new();
            for w in word..=last {
                while script.tags.get(tag).is_some_and(|t| t.before == w) {
                    items.push(Item::Noise(tag));
                    tag += 1;
                }
                if w < last {
                    items.push(Item::Word(w));
                }
            }
            let phone = |s: Option<&Sound>| s.and_then(|s| self.model.base(s.phone.name()));
            let around = Around {
                before: phone(timing.sounds.last().filter(|s| s.word.is_some())),
                after: phone(pinned.and_then(|(_, sounds)| sounds.first())),
            };
            self.lay_between(
                asked,
                &items,
                heard,
                Span { start, end },
                around,
                &mut timing,
                &mut noise_spans,
                watch,
            )?;
            if let Some((old, sounds)) = pinned {
                let number = timing.words.len() as u32;
                timing.sounds.extend(sounds.iter().map(|s| Sound { word: Some(number), ..s.clone() }));
                let (text, after) = (asked[last].text.clone(), asked[last].after.clone());
                timing.words.push(Word { text, after, ..old.clone() });
                start = old.span.end;
                word = last + 1;
            } else {
                break;
            }
        }
        let new = |w: usize| asked[w].pinned.is_none();
        for sound in &mut timing.sounds {
            sound.level = tracks.level_of(sound.span);
        }
        for (w, word) in timing.words.iter_mut().enumerate().filter(|(w, _)| new(*w)) {
            word.pitch = tracks.pitch_of(word.span);
            word.chosen = asked[w].chosen;
        }
        let mut heard: Vec<f32> = timing.words.iter().map(|w| w.confidence).collect();
        heard.sort_by(f32::total_cmp);
        if asked.iter().all(|a| a.pinned.is_none()) && heard[heard.len() / 2] < NO_MATCH {
            let doubtful = timing.words.iter().filter(|w| w.is_doubtful()).count();
            return Err(AnalyseError::DoesNotMatch { doubtful, words: asked.len() });
        }
        let spans = script.tags.iter().zip(noise_spans);
        timing.noises = spans
            .filter_map(|(tag, span)| {
                Some(Noise { text: tag.text.clone(), span: louder_part(&timing, tracks, tag.before, span?) })
            })
            .collect();
        Ok(timing)
    }

    /// Lays words on a stretch and adds them to `timing`, which ends where the stretch starts.
    #[allow(clippy::too_many_arguments)]
    fn lay_between(
        &self,
        asked: &[Asked],
        items: &[Item],
        heard: Stretch<'_>,
        stretch: Span,
        around: Around,
        timing: &mut Timing,
        noises: &mut [Option<Span>],
        watch: &dyn Fn(f64) -> bool,
    ) -> Result<(), AnalyseError> {
        let features = heard.features;
        let words = || items.iter().filter_map(|i| if let Item::Word(w) = i { Some(*w) } else { None });
        if words().next().is_none() {
            if stretch.length().0 > 1e-9 {
                push(&mut timing.sounds, Sound::new(Phone::Sil, stretch));
            }
            items.iter().for_each(|i| {
                if let Item::Noise(n) = i {
                    noises[*n] = Some(stretch).filter(|s| s.length().0 > SHORTEST);
                }
            });
            return Ok(());
        }
        let frames =
            frame_near(stretch.start).min(features.len())..frame_near(stretch.end).min(features.len());
        let frames = if stretch.start == Seconds::ZERO { 0..frames.end } else { frames };
        let whole = timing.sounds.is_empty() && around.after.is_none();
        let frames = if around.after.is_none() { frames.start..features.len() } else { frames };
        let noise: Vec<Pronunciation> =
            NOISES.iter().filter_map(|n| self.model.base(n)).map(|b| vec![b]).collect();
        let ways = items.iter().map(|item| match item {
            Item::Word(w) => self.pronunciations(&asked[*w].ways),
            Item::Noise(_) => Ok(noise.clone()),
        });
        let ways: Vec<Vec<Pronunciation>> = ways.collect::<Result<_, _>>()?;
        let (from, share) = (frames.start, frames.len() as f64 / features.len().max(1) as f64);
        let done = 0.15 + 0.85 * from as f64 / features.len().max(1) as f64;
        let own = features.get(frames).unwrap_or_default();
        let segments = match align::align(self.model, own, &ways, around, &|p| watch(done + 0.85 * share * p))
        {
            Ok(segments) => segments,
            // Between pins there may be too little room to listen; the sounds share it and are doubtful.
            Err(AlignError::TooLong { .. } | AlignError::NoPath) if !whole => {
                return squeeze(asked, words(), stretch, timing);
            }
            Err(e) => return Err(e.into()),
        };
        let (first_word, first_sound) = (timing.words.len(), timing.sounds.len());
        let mut start = stretch.start;
        let mut sums: Vec<(f32, u32)> = vec![(0.0, 0); items.len()];
        let last = segments.len().saturating_sub(1);
        for (i, segment) in segments.iter().enumerate() {
            let latest = Seconds(stretch.end.0 - SHORTEST * (last - i) as f64);
            let end = if i == last {
                stretch.end
            } else {
                Seconds(boundary_seconds(from + segment.frames.end)).min(latest)
            };
            if end <= start {
                continue;
            }
            let span = Span { start, end };
            start = end;
            let Some(item) = segment.word else {
                push(
                    &mut timing.sounds,
                    Sound { confidence: confidence(segment.posterior), ..Sound::new(Phone::Sil, span) },
                );
                continue;
            };
            match items[item] {
                Item::Noise(n) => {
                    noises[n] = Some(span);
                    push(&mut timing.sounds, Sound::new(Phone::Sil, span));
                }
                Item::Word(w) => {
                    let said = asked[w].ways[segment.pronunciation][segment.phone];
                    sums[item] = (sums[item].0 + segment.posterior, sums[item].1 + 1);
                    let confidence = confidence(segment.posterior);
                    let number = w as u32;
                    timing.sounds.push(Sound {
                        word: Some(number),
                        stress: said.stress,
                        confidence,
                        ..Sound::new(said.phone, span)
                    });
                }
            }
        }
        refine(heard.looks, &mut timing.sounds[first_sound..]);
        let mut spans: Vec<Option<Span>> = Vec::new();
        for sound in &timing.sounds {
            if let Some(w) = sound.word.map(|w| w as usize).filter(|w| *w >= first_word) {
                spans.resize((w + 1 - first_word).max(spans.len()), None);
                let span = spans[w - first_word].get_or_insert(sound.span);
                span.end = sound.span.end;
            }
        }
        for (i, item) in items.iter().enumerate() {
            let Item::Word(w) = *item else { continue };
            let (sum, count) = sums[i];
            let span = spans.get(w - first_word).copied().flatten().unwrap_or_default();
            timing.words.push(Word {
                after: asked[w].after.clone(),
                confidence: confidence(sum / count.max(1) as f32),
                ..Word::new(&asked[w].text, span)
            });
        }
        Ok(())
    }

    fn pronunciations(&self, ways: &[Spoken]) -> Result<Vec<Pronunciation>, AlignError> {
        let base = |phone: Phone| {
            self.model.base(phone.name()).ok_or_else(|| AlignError::UnknownSound(phone.name().to_string()))
        };
        ways.iter().map(|spoken| spoken.iter().map(|s| base(s.phone)).collect()).collect()
    }
}

/// Adds a sound; two pauses in a row are one, whatever breaths are in them.
fn push(sounds: &mut Vec<Sound>, sound: Sound) {
    match sounds.last_mut().filter(|s| s.phone == Phone::Sil && sound.phone == Phone::Sil) {
        Some(before) => before.span.end = sound.span.end,
        None => sounds.push(sound),
    }
}

/// Words with too little room: their sounds share it evenly, and none of it is sure.
fn squeeze(
    asked: &[Asked],
    words: impl Iterator<Item = usize> + Clone,
    stretch: Span,
    timing: &mut Timing,
) -> Result<(), AnalyseError> {
    let count: usize = words.clone().map(|w| asked[w].ways[0].len()).sum();
    let step = stretch.length().0 / count.max(1) as f64;
    if step < SHORTEST {
        let texts: Vec<&str> = words.map(|w| asked[w].text.as_str()).collect();
        return Err(AnalyseError::NoRoom(texts.join(" ")));
    }
    let mut done = 0usize;
    for w in words {
        let own = done..done + asked[w].ways[0].len();
        let at = |i: usize| if i == count { stretch.end } else { Seconds(stretch.start.0 + step * i as f64) };
        for (said, i) in asked[w].ways[0].iter().zip(own.clone()) {
            let span = Span { start: at(i), end: at(i + 1) };
            let word = Some(w as u32);
            timing.sounds.push(Sound {
                word,
                stress: said.stress,
                confidence: 0.0,
                ..Sound::new(said.phone, span)
            });
        }
        let span = Span { start: at(own.start), end: at(own.end) };
        let after = asked[w].after.clone();
        timing.words.push(Word { after, confidence: 0.0, ..Word::new(&asked[w].text, span) });
        done = own.end;
    }
    Ok(())
}

/// Of the pause that holds a noise the part where something is heard; the search gives a noise only as much as
/// its few sounds need.
fn louder_part(timing: &Timing, tracks: &VoiceTracks, before: usize, found: Span) -> Span {
    let middle = found.middle();
    let pause =
        timing.sounds.iter().find(|s| s.word.is_none() && s.span.start <= middle && middle < s.span.end);
    let Some(pause) = pause.map(|p| p.span) else { return found };
    // Several in one pause share it; each keeps what was found for it.
    let neighbours = timing.words.get(before).map(|w| w.span.start).is_some_and(|s| s < found.start);
    let levels = tracks.levels_in(pause);
    let faintest = audible(&levels, voice_level(timing));
    let loud = |l: &(f64, f32)| l.1 > faintest;
    // The longest stretch; the fading of the word before and the start of the next are none of it.
    let longest = levels
        .chunk_by(|a, b| loud(a) == loud(b))
        .filter(|run| loud(&run[0]))
        .map(|run| Span::new(run[0].0 - 0.5 * HOP, run[run.len() - 1].0 + 0.5 * HOP))
        .filter(|run| run.start.0 > pause.start.0 + EDGE && run.end.0 < pause.end.0 - EDGE)
        .max_by(|a, b| a.length().0.total_cmp(&b.length().0));
    longest.filter(|_| !neighbours).unwrap_or(found)
}

/// Boundaries finer than frames, and where stops open. The ends of the row stay.
fn refine(looks: &Looks<'_>, sounds: &mut [Sound]) {
    for i in 1..sounds.len() {
        let (before, after) = (&sounds[i - 1], &sounds[i]);
        let lowest = before.span.start.0 + NARROWEST.min(before.span.length().0);
        let highest = after.span.end.0 - NARROWEST.min(after.span.length().0);
        let at = looks.boundary(before.phone, after.phone, after.span.start.0);
        let at = Seconds(at.max(lowest).min(highest));
        sounds[i - 1].span.end = at;
        sounds[i].span.start = at;
    }
    for sound in sounds {
        sound.release = looks.release(sound.phone, sound.span.start.0, sound.span.end.0);
    }
}

/// What a recording sounds like.
struct Heard<'r> {
    /// At the rate of the features.
    samples: Cow<'r, [f32]>,
    features: Vec<Feature>,
    tracks: VoiceTracks,
}

/// What a text is laid on.
#[derive(Clone, Copy)]
struct Stretch<'a> {
    looks: &'a Looks<'a>,
    features: &'a [Feature],
}

/// What a recording sounds like, frame by frame.
fn listen<'r>(recording: &'r Recording, watch: &dyn Fn(f64) -> bool) -> Result<Heard<'r>, AnalyseError> {
    let samples = recording.mono_at(features::RATE)?;
    let tracks = VoiceTracks::of(&samples);
    if tracks.level_db.iter().all(|l| *l < SILENT_DB) {
        return Err(AnalyseError::Silent);
    }
    if !watch(0.1) {
        return Err(AlignError::Cancelled.into());
    }
    let features = features::features(&features::cepstra(&samples));
    Ok(Heard { samples, features, tracks })
}

/// When a stretch of frames ends; the last one ends with the recording.
fn end_of(frames: &std::ops::Range<usize>, last: bool, duration: Seconds) -> Seconds {
    if last { duration } else { Seconds(boundary_seconds(frames.end)).min(duration) }
}

/// Without words no dictionary says which vowels are stressed: the louder half of them is.
fn stress_by_level(sounds: &mut [Sound]) {
    let mut levels: Vec<f32> = sounds.iter().filter(|s| s.phone.is_vowel()).map(|s| s.level).collect();
    levels.sort_by(f32::total_cmp);
    let Some(middle) = levels.get(levels.len() / 2).copied() else { return };
    for sound in sounds.iter_mut().filter(|s| s.phone.is_vowel()) {
        sound.stress = Some(u8::from(sound.level >= middle));
    }
}
