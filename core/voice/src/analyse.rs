//! The whole way: recording and text in; timed words and sounds, loudness and pitch out.

use crate::align::AlignError;
use crate::analyser::{AnalyseError, Analyser, confidence, push, refine};
use crate::dictionary::WordList;
use crate::features::{self, Feature, boundary_seconds};
use crate::lay::{Asked, Laid};
use crate::phrasing::prosody;
use crate::prosody::VoiceTracks;
use crate::refine::Looks;
use crate::text::{self, Script};
use crate::{hear, size};
use jam_score::{Line, Prosody, Seconds, Sound, Span, Spoken, SpokenPhone, Timing, same_words};
use jam_sound::Recording;
use std::borrow::Cow;

/// Loudest level of a recording that counts as silence, dB relative to full scale.
const SILENT_DB: f32 = -80.0;

/// What an analysis found.
#[derive(Debug, Clone, PartialEq)]
pub struct Found {
    pub timing: Timing,
    pub tracks: VoiceTracks,
}

impl Found {
    /// What the layers above the speech hear.
    pub fn prosody(&self) -> Prosody {
        prosody(&self.timing, &self.tracks)
    }
}

impl Analyser {
    /// Times every word and sound of `text`. `watch` is given the progress, 0..1, and stops the work
    /// by answering `false`.
    ///
    /// # Errors
    /// The text cannot be said, does not fit the sound, or `watch` stopped it.
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
    ///
    /// # Errors
    /// The text cannot be said, does not fit the sound, or `watch` stopped it.
    pub fn time(
        &self,
        recording: &Recording,
        line: &Line,
        words: &WordList,
        watch: &dyn Fn(f64) -> bool,
    ) -> Result<Found, AnalyseError> {
        let recording = recording.heard(&line.listen)?;
        let mut found = if line.comes_round().is_some() && line.text.trim().is_empty() {
            // Idle motion: nothing is said, for as long as it lasts.
            let timing = line.timing.clone().unwrap_or_default();
            Found { timing, tracks: VoiceTracks::of(&recording.mono_at(features::RATE)?) }
        } else if line.text.trim().is_empty() {
            self.hear(&recording, watch)?
        } else {
            let script = text::read_in(&line.text, line.language.as_ref())?;
            let asked = self.asked(&script, line, words);
            // Between pinned words there may be too little to tell a size by: it stays as it was.
            let pinned = asked.iter().any(|a| a.pinned.is_some());
            let before = line.timing.as_ref().and_then(|t| t.size).unwrap_or(size::USUAL);
            let size = pinned.then_some(before);
            let Heard { samples, features, tracks } = listen(&recording, size.unwrap_or(size::USUAL), watch)?;
            let duration = recording.duration();
            let heard = Laid { samples: &samples, features, tracks: &tracks, duration, size };
            let timing = self.lay(&script, &asked, heard, watch)?;
            Found { timing, tracks }
        };
        found.timing.text.clone_from(&line.text);
        found.timing.listen = line.listen;
        Ok(found)
    }

    /// Times the sounds of a recording whose text is not known: a draft without words.
    ///
    /// # Errors
    /// The recording is silent or holds no speech, or `watch` stopped it.
    pub fn hear(&self, recording: &Recording, watch: &dyn Fn(f64) -> bool) -> Result<Found, AnalyseError> {
        let Heard { samples, features, tracks } = listen(recording, size::USUAL, watch)?;
        let (heard, _, size) = self.sounds(&samples, features, &|p| watch(0.15 + 0.85 * p))?;
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
        Ok(Found {
            timing: Timing { sounds: sounds.into(), size: size::said(size), ..Timing::default() },
            tracks,
        })
    }

    /// The likeliest sounds, with the features they were heard by, and the size of the voice: what is heard tells the size,
    /// and once more with ears for that.
    pub(crate) fn sounds(
        &self,
        samples: &[f32],
        mut features: Vec<Feature>,
        watch: &dyn Fn(f64) -> bool,
    ) -> Result<(Vec<hear::Heard>, Vec<Feature>, f64), AnalyseError> {
        let mut heard = hear::hear(self.model, &features, &|p| watch(0.4 * p))?;
        let mut size = size::USUAL;
        for round in [0.4, 0.7] {
            let senones: Vec<Option<u16>> = heard.iter().flat_map(hear::Heard::said).collect();
            let found = size::of_recording(self.model, samples, &senones, size::OF_SOUNDS);
            if found == size {
                break;
            }
            size = found;
            features = features::features(&features::cepstra(samples, size));
            heard = hear::hear(self.model, &features, &|p| watch(round + 0.3 * p))?;
        }
        Ok((heard, features, size))
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
                let as_before =
                    |sounds: &Vec<Sound>| -> Spoken { sounds.iter().map(SpokenPhone::from).collect() };
                let ways = match (&word.said, chosen) {
                    (Some(said), _) => vec![said.clone()],
                    (None, Some((_, sounds))) => vec![as_before(sounds)],
                    (None, None) => {
                        let by_letters = || self.dictionary.ways_to_say(&text::plain_key(&word.key));
                        list.get(&word.key).cloned().unwrap_or_else(by_letters)
                    }
                };
                let pinned =
                    pinned.filter(|(_, sounds)| word.said.as_ref().is_none_or(|s| *s == as_before(sounds)));
                Asked {
                    text: word.text.as_str().into(),
                    after: word.after.as_str().into(),
                    unread: word.unread.as_str().into(),
                    ways,
                    chosen: word.said.is_none() && before.is_some_and(|(old_word, _)| old_word.chosen),
                    pinned: pinned.map(|(w, s)| (w.clone(), s.clone())),
                }
            })
            .collect()
    }
}

/// What a recording sounds like.
pub(crate) struct Heard<'r> {
    /// At the rate of the features.
    pub samples: Cow<'r, [f32]>,
    pub features: Vec<Feature>,
    tracks: VoiceTracks,
}

/// What a recording sounds like, frame by frame, to ears for voices of a size.
pub(crate) fn listen<'r>(
    recording: &'r Recording,
    size: f64,
    watch: &dyn Fn(f64) -> bool,
) -> Result<Heard<'r>, AnalyseError> {
    let samples = recording.voice_at(features::RATE)?;
    let features = || features::features(&features::cepstra(&samples, size));
    let (tracks, features) = rayon::join(|| VoiceTracks::of(&samples), features);
    if tracks.level_db.iter().all(|l| *l < SILENT_DB) {
        return Err(AnalyseError::Silent);
    }
    if !watch(0.1) {
        return Err(AlignError::Cancelled.into());
    }
    Ok(Heard { samples, features, tracks })
}

/// When a stretch of frames ends; the last one ends with the recording.
fn end_of(frames: &std::ops::Range<usize>, last: bool, duration: Seconds) -> Seconds {
    if last { duration } else { Seconds(boundary_seconds(frames.end)).min(duration) }
}

/// Without words no dictionary says which vowels are stressed: the louder half of them is.
pub(crate) fn stress_by_level(sounds: &mut [Sound]) {
    let mut levels: Vec<f32> = sounds.iter().filter(|s| s.phone.is_vowel()).map(|s| s.level).collect();
    levels.sort_by(f32::total_cmp);
    let Some(middle) = levels.get(levels.len() / 2).copied() else { return };
    for sound in sounds.iter_mut().filter(|s| s.phone.is_vowel()) {
        sound.stress = Some(u8::from(sound.level >= middle));
    }
}
