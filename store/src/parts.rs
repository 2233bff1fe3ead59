//! Words and sounds of a line as they are stored: in parts of some dozens, so that a change writes the parts it changed.
//!
//! A part begins with a word whose number is a multiple of [`EACH`]: words that come or go between leave other parts as
//! they are.

use crate::StoreError;
use crate::schema::line_part;
use diesel::prelude::*;
use jam_score::{Line, Row, Sound, Timing, Word};
use serde::{Deserialize, Serialize};

/// Words of a part, about.
const EACH: u32 = 32;

/// A part as it is written.
#[derive(Serialize, Deserialize)]
struct Part {
    words: Vec<Word>,
    /// Without the places of their words.
    sounds: Vec<Sound>,
    /// Of each sound the place of its word from the first of the part; none for a pause.
    of: Vec<Option<i64>>,
}

/// A part of a line in memory.
#[derive(Clone, Copy)]
struct Slice<'t> {
    words: &'t [Word],
    sounds: &'t [Sound],
    /// Place of its first word among all.
    first: usize,
}

impl Slice<'_> {
    fn of(&self, sound: &Sound) -> Option<i64> {
        sound.word.map(|w| i64::from(w) - self.first as i64)
    }

    fn is_like(&self, other: &Slice<'_>) -> bool {
        let same_words = std::ptr::eq(self.words, other.words) || self.words == other.words;
        // Where no word came or went before it, the places are the same, too.
        let same = |(a, b): (&Sound, &Sound)| {
            self.of(a) == other.of(b) && (a == b || *a == Sound { word: a.word, ..b.clone() })
        };
        same_words
            && self.sounds.len() == other.sounds.len()
            && self.sounds.iter().zip(other.sounds).all(same)
    }

    fn write(&self) -> Result<String, StoreError> {
        let part = Part {
            words: self.words.to_vec(),
            sounds: self.sounds.iter().map(|s| Sound { word: None, ..s.clone() }).collect(),
            of: self.sounds.iter().map(|s| self.of(s)).collect(),
        };
        Ok(serde_json::to_string(&part)?)
    }
}

/// The parts of some times, in order.
fn parts(timing: Option<&Timing>) -> Vec<Slice<'_>> {
    let Some(timing) = timing else { return Vec::new() };
    let begins = |(place, word): (usize, &Word)| word.id.is_multiple_of(EACH).then_some(place);
    let mut firsts: Vec<usize> = timing.words.iter().enumerate().filter_map(begins).collect();
    if firsts.first() != Some(&0) {
        firsts.insert(0, 0);
    }
    let mut from = 0;
    let mut out = Vec::with_capacity(firsts.len());
    for (k, first) in firsts.iter().enumerate() {
        let next = firsts.get(k + 1).copied();
        let begins = |s: &Sound| next.is_some_and(|next| s.word.is_some_and(|w| w as usize >= next));
        let length = timing.sounds[from..].iter().position(begins);
        let to = length.map_or(timing.sounds.len(), |length| from + length);
        out.push(Slice {
            words: &timing.words[*first..next.unwrap_or(timing.words.len())],
            sounds: &timing.sounds[from..to],
            first: *first,
        });
        from = to;
    }
    out
}

/// A document without its words and sounds, as it is written beside its parts.
pub(crate) fn head(line: &Line) -> Line {
    let bare = |t: &Timing| Timing {
        text: t.text.clone(),
        words: Row::default(),
        sounds: Row::default(),
        noises: t.noises.clone(),
        listen: t.listen,
        size: t.size,
    };
    Line {
        text: line.text.clone(),
        language: line.language.clone(),
        name: line.name.clone(),
        frames: line.frames,
        film: line.film,
        character: line.character.clone(),
        timing: line.timing.as_ref().map(bare),
        diction: line.diction,
        listen: line.listen,
        touches: line.touches.clone(),
        reach: line.reach.clone(),
        layers: line.layers.clone(),
        shelf: line.shelf.clone(),
    }
}

/// Writes what of a line's parts is another than before.
pub(crate) fn write(
    c: &mut SqliteConnection,
    id: i32,
    before: Option<&Timing>,
    after: Option<&Timing>,
) -> Result<(), StoreError> {
    let shared = |(a, b): (&Timing, &Timing)| a.words.is_shared(&b.words) && a.sounds.is_shared(&b.sounds);
    if before.zip(after).is_some_and(shared) {
        return Ok(());
    }
    let (old, new) = (parts(before), parts(after));
    for (k, part) in new.iter().enumerate() {
        if old.get(k).is_some_and(|o| o.is_like(part)) {
            continue;
        }
        diesel::replace_into(line_part::table)
            .values((
                line_part::line_id.eq(id),
                line_part::part.eq(k as i32),
                line_part::body.eq(part.write()?),
            ))
            .execute(c)?;
    }
    if old.len() > new.len() {
        let own = line_part::table.filter(line_part::line_id.eq(id));
        diesel::delete(own.filter(line_part::part.ge(new.len() as i32))).execute(c)?;
    }
    Ok(())
}

/// Puts the words and sounds back into a document that was written without them.
pub(crate) fn read(c: &mut SqliteConnection, id: i32, line: &mut Line) -> Result<(), StoreError> {
    let Some(timing) = &mut line.timing else { return Ok(()) };
    let bodies: Vec<String> = line_part::table
        .filter(line_part::line_id.eq(id))
        .order(line_part::part)
        .select(line_part::body)
        .load(c)?;
    for body in bodies {
        let part: Part = serde_json::from_str(&body)?;
        let first = timing.words.len() as i64;
        timing.words.extend(part.words);
        for (sound, of) in part.sounds.into_iter().zip(part.of) {
            let word = of.map(|of| u32::try_from(first + of)).transpose();
            let word = word.map_err(|_| StoreError::Damaged("a sound without its word".into()))?;
            timing.sounds.push(Sound { word, ..sound });
        }
    }
    Ok(())
}
