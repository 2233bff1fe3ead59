//! Other recordings of a line's words, and how words are said in the production.

use crate::schema::{line, said_as, take};
use crate::{Store, StoreError, keep_blob};
use diesel::prelude::*;
use jam_score::{Language, RecordingFacts};

/// One recording of a line's words.
#[derive(Debug, Clone, PartialEq)]
pub struct Take {
    /// None for the recording that the line came with.
    pub id: Option<i32>,
    /// Hash of its bytes.
    pub recording: String,
    pub name: String,
    pub facts: RecordingFacts,
}

/// How a word is said in the production.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct SaidAs {
    pub word: String,
    /// None is English.
    pub language: Option<Language>,
    /// As they are written.
    pub sounds: String,
}

impl SaidAs {
    /// What a word is kept by: no word has a colon in it, and English ones stand for themselves.
    fn key(word: &str, language: Option<&Language>) -> String {
        language.map_or_else(|| word.to_string(), |l| format!("{l}:{word}"))
    }

    fn of(key: &str, sounds: String) -> SaidAs {
        let apart = key.split_once(':').and_then(|(tag, word)| Some((Language::read(tag).ok()??, word)));
        let (language, word) = apart.map_or((None, key), |(language, word)| (Some(language), word));
        SaidAs { word: word.into(), language, sounds }
    }
}

impl Store {
    /// Every recording of a line, the one it came with first.
    ///
    /// # Errors
    /// The data file cannot be read or written, or there is no such thing in it.
    pub fn takes(&self, line_id: i32) -> Result<Vec<Take>, StoreError> {
        let c = &mut self.connection()?;
        let own = (line::recording, line::recording_name, line::recording_facts);
        let (recording, name, facts): (String, String, String) =
            line::table.find(line_id).select(own).first(c)?;
        let first = Take { id: None, recording, name, facts: serde_json::from_str(&facts)? };
        let rows: Vec<(i32, String, String, String)> = take::table
            .filter(take::line_id.eq(line_id))
            .filter(take::gone.eq(false))
            .order(take::id)
            .select((take::id, take::recording, take::recording_name, take::recording_facts))
            .load(c)?;
        let others = rows.into_iter().map(|(id, recording, name, facts)| {
            Ok(Take { id: Some(id), recording, name, facts: serde_json::from_str(&facts)? })
        });
        std::iter::once(Ok(first)).chain(others).collect()
    }

    /// Keeps another recording of a line and gives its number.
    ///
    /// # Errors
    /// The data file cannot be read or written, or there is no such thing in it.
    pub fn add_take(
        &self,
        line_id: i32,
        bytes: &[u8],
        name: &str,
        facts: &RecordingFacts,
    ) -> Result<i32, StoreError> {
        self.change(|c| {
            let _: i32 = line::table.find(line_id).select(line::id).first(c)?;
            let row = (
                take::line_id.eq(line_id),
                take::recording.eq(keep_blob(c, bytes)?),
                take::recording_name.eq(name),
                take::recording_facts.eq(serde_json::to_string(facts)?),
            );
            Ok(diesel::insert_into(take::table).values(row).returning(take::id).get_result(c)?)
        })
    }

    /// Words and their sounds, in the order of the words; English first.
    ///
    /// # Errors
    /// The data file cannot be read or written.
    pub fn said_as(&self) -> Result<Vec<SaidAs>, StoreError> {
        let rows: Vec<(String, String)> =
            said_as::table.order(said_as::word).load(&mut self.connection()?)?;
        let mut all: Vec<SaidAs> = rows.into_iter().map(|(key, sounds)| SaidAs::of(&key, sounds)).collect();
        all.sort_by(|a, b| a.language.cmp(&b.language));
        Ok(all)
    }

    /// How a word is said from now on; none, as the dictionary says.
    ///
    /// # Errors
    /// The data file cannot be read or written.
    pub fn set_said_as(
        &self,
        word: &str,
        language: Option<&Language>,
        sounds: Option<&str>,
    ) -> Result<(), StoreError> {
        let key = SaidAs::key(word, language);
        self.change(|c| {
            match sounds {
                Some(sounds) => diesel::replace_into(said_as::table)
                    .values((said_as::word.eq(&key), said_as::sounds.eq(sounds)))
                    .execute(c)?,
                None => diesel::delete(said_as::table.find(&key)).execute(c)?,
            };
            Ok(())
        })
    }
}
