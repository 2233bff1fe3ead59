//! Corrections by hand: what a person changes in the times and sounds of a line. Each is a pure function of
//! the times; what it was before is its inverse. A word whose times or sounds were corrected is pinned: it
//! stays as it is when the line is timed again.

use crate::timing::DOUBTFUL;
use crate::{Ids, Phone, Seconds, Sound, Span, Spoken, Timing};
use serde::{Deserialize, Serialize};

/// No sound is made shorter than this by hand.
pub const SHORTEST: Seconds = Seconds(0.005);

/// Most sounds of one word; the longest word of the dictionary has 32.
pub const MAX_SOUNDS: usize = 64;

/// One correction. Sounds and words are named by their numbers.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize, utoipa::ToSchema)]
#[serde(tag = "kind", rename_all = "snake_case")]
pub enum Correction {
    /// Moves the start of a sound, which is the end of the one before it. Sounds of the same word on either
    /// side follow in proportion; `alone`, only the two change.
    MoveEdge { sound: u32, to: Seconds, alone: bool },
    /// Moves a word with all its sounds; the pauses or words beside it give way.
    MoveWord { word: u32, by: Seconds },
    /// Another sound in the same time.
    Replace { sound: u32, phone: Phone },
    /// Cuts a sound in two at a moment; the second one is `phone`.
    Split { sound: u32, at: Seconds, phone: Phone },
    /// Takes a sound out; the one before it lasts as long as both, else the one after it begins earlier.
    Delete { sound: u32 },
    /// Joins a sound with the one after it in the same word; the first one stays.
    Merge { sound: u32 },
    /// Puts a sound before another, in that one's word, or in the word before it if that one is a pause. A third
    /// of the time of each of its two neighbours becomes its own.
    Insert { sound: u32, phone: Phone },
    /// Another way to say a word; its sounds share the word's time until they are timed.
    Pronounce { word: u32, sounds: Spoken },
    /// Says that a word, with its sounds, is right as it stands, and pins it.
    Accept { word: u32 },
    /// The word may move again when the line is timed.
    Unpin { word: u32 },
}

/// Why a correction cannot be made.
#[derive(Debug, Clone, PartialEq, thiserror::Error)]
pub enum CorrectionError {
    #[error("there is no such sound any more; the line was timed anew, so choose again")]
    NoSound,
    #[error("there is no such word any more; the line was timed anew, so choose again")]
    NoWord,
    #[error("the start and the end of the recording stay where they are")]
    End,
    #[error("there is no room for that; a sound lasts 5 ms at least")]
    NoRoom,
    #[error("the only sound of a word cannot be taken out; replace it instead")]
    OnlySound,
    #[error("the last sound of a word has no other of its word after it to be joined with")]
    LastSound,
    #[error("a word needs sounds: one at least, {MAX_SOUNDS} at most, and no pause among them")]
    Sounds,
}

/// A row of sounds stretched or squeezed to a new span, in proportion.
fn stretch(sounds: &mut [Sound], to: Span) -> Result<(), CorrectionError> {
    let (Some(first), Some(last)) = (sounds.first(), sounds.last()) else { return Ok(()) };
    let old = last.span.end - first.span.start;
    let new = to.end - to.start;
    if new.0 < SHORTEST.0 * sounds.len() as f64 - 1e-9 || old.0 <= 0.0 {
        return Err(CorrectionError::NoRoom);
    }
    // What everyone needs at least is given first, the rest in proportion: no sound vanishes.
    let spare = |length: f64| (length - SHORTEST.0).max(0.0);
    let all: f64 = sounds.iter().map(|s| spare(s.span.length().0)).sum();
    let room = new.0 - SHORTEST.0 * sounds.len() as f64;
    let count = sounds.len();
    let mut at = to.start;
    for (i, sound) in sounds.iter_mut().enumerate() {
        let share = if all > 0.0 { spare(sound.span.length().0) / all } else { 1.0 / count as f64 };
        let end = if i + 1 == count { to.end } else { Seconds(at.0 + SHORTEST.0 + room * share) };
        sound.span = Span { start: at, end };
        at = end;
    }
    Ok(())
}

impl Timing {
    /// Sounds of a word, as a range of places; they lie together.
    fn sounds_of(&self, word: u32) -> std::ops::Range<usize> {
        let first = self.sounds.iter().position(|s| s.word == Some(word)).unwrap_or(0);
        let count = self.sounds[first..].iter().take_while(|s| s.word == Some(word)).count();
        first..first + count
    }

    /// From the first sound of a word to its last; a pause is alone.
    fn group(&self, sound: usize) -> std::ops::Range<usize> {
        match self.sounds[sound].word {
            Some(word) => self.sounds_of(word),
            None => sound..sound + 1,
        }
    }

    fn pin(&mut self, word: Option<u32>) {
        if let Some(word) = word.and_then(|w| self.words.get_mut_if(w as usize, |w| !w.pinned)) {
            word.pinned = true;
        }
    }

    /// Words last from their first sound to their last.
    fn fit_words(&mut self) {
        let Timing { words, sounds, .. } = self;
        for own in sounds.chunk_by(|a, b| a.word == b.word) {
            let span = Span { start: own[0].span.start, end: own[own.len() - 1].span.end };
            if let Some(word) = own[0].word.and_then(|w| words.get_mut_if(w as usize, |w| w.span != span)) {
                word.span = span;
            }
        }
    }

    /// The times with a correction made; sounds that come get new numbers.
    ///
    /// # Errors
    /// What it names is gone, or there is no room for it.
    pub fn corrected(&self, correction: &Correction, ids: &mut Ids) -> Result<Timing, CorrectionError> {
        let mut out = self.clone();
        let sound = |s: u32| self.place(s).ok_or(CorrectionError::NoSound);
        let word = |w: u32| {
            let place = self.word_place(w).map(|w| w as u32).filter(|w| !self.sounds_of(*w).is_empty());
            place.ok_or(CorrectionError::NoWord)
        };
        match *correction {
            Correction::MoveEdge { sound: s, to, alone } => {
                let s = sound(s)?;
                if s == 0 {
                    return Err(CorrectionError::End);
                }
                out.move_edge(s, to, alone)?;
                out.pin(self.sounds[s - 1].word);
                out.pin(self.sounds[s].word);
            }
            Correction::MoveWord { word: w, by } => {
                let w = word(w)?;
                let own = self.sounds_of(w);
                let (Some(before), Some(after)) =
                    (own.start.checked_sub(1).map(|b| self.sounds[b].span), self.sounds.get(own.end))
                else {
                    return Err(CorrectionError::End);
                };
                let by = by.0.clamp(
                    (SHORTEST - before.length()).0.min(0.0),
                    (after.span.length() - SHORTEST).0.max(0.0),
                );
                for i in own.clone() {
                    let old = self.sounds[i].span;
                    out.sounds[i].span = Span { start: old.start + Seconds(by), end: old.end + Seconds(by) };
                }
                out.sounds[own.start - 1].span.end = out.sounds[own.start].span.start;
                out.sounds[own.end].span.start = out.sounds[own.end - 1].span.end;
                out.pin(Some(w));
            }
            Correction::Replace { sound: s, phone } => {
                let s = sound(s)?;
                let one = &mut out.sounds[s];
                one.phone = phone;
                one.symbol = None;
                one.confidence = 1.0;
                one.stress = phone.is_vowel().then(|| one.stress.unwrap_or(0));
                one.release = None;
                out.pin(self.sounds[s].word);
            }
            Correction::Split { sound: s, at, phone } => {
                let s = sound(s)?;
                let span = self.sounds[s].span;
                if at - span.start < SHORTEST || span.end - at < SHORTEST {
                    return Err(CorrectionError::NoRoom);
                }
                let mut second = self.sounds[s].clone();
                second.id = ids.give();
                out.sounds[s].span.end = at;
                second.span.start = at;
                second.phone = phone;
                second.symbol = None;
                second.confidence = 1.0;
                second.stress = phone.is_vowel().then_some(0);
                out.sounds[s].release = None;
                second.release = None;
                out.pin(second.word);
                out.sounds.insert(s + 1, second);
            }
            Correction::Delete { sound: s } => {
                let s = sound(s)?;
                if self.sounds[s].word.is_some() && self.group(s).len() == 1 || self.sounds.len() == 1 {
                    return Err(CorrectionError::OnlySound);
                }
                let gone = out.sounds.remove(s);
                // A neighbour of the same word takes its time, else whatever is beside it.
                let before = s > 0 && (out.sounds[s - 1].word == gone.word || s == out.sounds.len());
                let next_is_own = s < out.sounds.len() && out.sounds[s].word == gone.word;
                if before || (s > 0 && !next_is_own) {
                    out.sounds[s - 1].span.end = gone.span.end;
                } else {
                    out.sounds[s].span.start = gone.span.start;
                }
                out.pin(gone.word);
            }
            Correction::Merge { sound: s } => {
                let s = sound(s)?;
                let of = self.sounds[s].word;
                if self.sounds.get(s + 1).is_none_or(|next| next.word != of) {
                    return Err(CorrectionError::LastSound);
                }
                out.sounds[s].span.end = out.sounds.remove(s + 1).span.end;
                out.sounds[s].release = None;
                out.pin(of);
            }
            Correction::Insert { sound: s, phone } => {
                let s = sound(s)?;
                let before = s.checked_sub(1).map(|b| &self.sounds[b]);
                let of = self.sounds[s].word.or(before.and_then(|b| b.word));
                let (own, left) = (self.sounds[s].span, before.map(|b| b.span));
                let third = |span: Span| Seconds(span.length().0 / 3.0);
                let start = left.map_or(own.start, |l| l.end - third(l));
                let end = own.start + third(own);
                if third(own) < SHORTEST || left.is_some_and(|l| third(l) < SHORTEST) {
                    return Err(CorrectionError::NoRoom);
                }
                if s > 0 {
                    out.sounds[s - 1].span.end = start;
                }
                out.sounds[s].span.start = end;
                let stress = phone.is_vowel().then_some(0);
                let level = self.sounds[s].level;
                let id = ids.give();
                let new = Sound { id, word: of, stress, level, ..Sound::new(phone, Span { start, end }) };
                out.sounds.insert(s, new);
                out.pin(of);
            }
            Correction::Pronounce { word: w, ref sounds } => {
                let w = word(w)?;
                let own = self.sounds_of(w);
                if sounds.is_empty()
                    || sounds.len() > MAX_SOUNDS
                    || sounds.iter().any(|s| s.phone == Phone::Sil)
                {
                    return Err(CorrectionError::Sounds);
                }
                let span = self.words[w as usize].span;
                let step = span.length().0 / sounds.len() as f64;
                if step < SHORTEST.0 {
                    return Err(CorrectionError::NoRoom);
                }
                let level = self.sounds[own.start].level;
                let at = |i: usize| Seconds(span.start.0 + step * i as f64);
                // Sounds that stay sounds keep their numbers, so that what is tied to them stays.
                let old: Vec<u32> = self.sounds[own.clone()].iter().map(|s| s.id).collect();
                let phones = |i: usize| self.sounds[own.start + i].phone;
                let same = crate::matching::places(
                    &(0..old.len()).map(phones).collect::<Vec<_>>(),
                    &sounds.iter().map(|s| s.phone).collect::<Vec<_>>(),
                );
                let mut numbers = vec![0; sounds.len()];
                same.iter()
                    .zip(old)
                    .filter_map(|(p, id)| Some(((*p)?, id)))
                    .for_each(|(p, id)| numbers[p] = id);
                numbers.iter_mut().filter(|id| **id == 0).for_each(|id| *id = ids.give());
                let new = sounds.iter().enumerate().map(|(i, said)| {
                    let end = if i + 1 == sounds.len() { span.end } else { at(i + 1) };
                    let stress = said.phone.is_vowel().then(|| said.stress.unwrap_or(0).min(2));
                    Sound {
                        id: numbers[i],
                        symbol: said.symbol,
                        word: Some(w),
                        stress,
                        level,
                        ..Sound::new(said.phone, Span { start: at(i), end })
                    }
                });
                out.sounds.splice(own, new);
                out.words[w as usize].chosen = true;
                out.words[w as usize].pinned = false;
            }
            Correction::Unpin { word: w } => out.words[word(w)? as usize].pinned = false,
            Correction::Accept { word: w } => {
                let w = word(w)?;
                let own = self.sounds_of(w);
                out.pin(Some(w));
                out.words[w as usize].confidence = 1.0;
                for s in &mut out.sounds[own] {
                    s.confidence = s.confidence.max(DOUBTFUL);
                }
            }
        }
        out.fit_words();
        Ok(out)
    }

    fn move_edge(&mut self, s: usize, to: Seconds, alone: bool) -> Result<(), CorrectionError> {
        if s >= self.sounds.len() {
            return Err(CorrectionError::End);
        }
        let (before, after) = if alone {
            (s - 1..s, s..s + 1)
        } else {
            // Inside a word the sounds to its two ends follow; between words, both words do.
            let (left, right) = (self.group(s - 1), self.group(s));
            (left.start..s, s..right.end)
        };
        let first = self.sounds[before.start].span.start;
        let last = self.sounds[after.end - 1].span.end;
        let low = Seconds(first.0 + SHORTEST.0 * before.len() as f64);
        let high = Seconds(last.0 - SHORTEST.0 * after.len() as f64);
        if low > high {
            return Err(CorrectionError::NoRoom);
        }
        let to = Seconds(to.0.clamp(low.0, high.0));
        stretch(&mut self.sounds[before], Span { start: first, end: to })?;
        stretch(&mut self.sounds[after], Span { start: to, end: last })
    }
}

impl Correction {
    /// The step in words.
    pub fn describe(&self) -> &'static str {
        match self {
            Correction::MoveEdge { .. } => "move an edge",
            Correction::MoveWord { .. } => "move a word",
            Correction::Replace { .. } => "replace a sound",
            Correction::Split { .. } => "split a sound",
            Correction::Delete { .. } => "take a sound out",
            Correction::Merge { .. } => "join two sounds",
            Correction::Insert { .. } => "put a sound in",
            Correction::Pronounce { .. } => "say a word otherwise",
            Correction::Accept { .. } => "accept a word",
            Correction::Unpin { .. } => "unpin a word",
        }
    }
}
