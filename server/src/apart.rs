//! Lines of one speaker each in the place of a line, in this house.

use crate::app::App;
use crate::problem::Answer;
use crate::recordings;
use jam_desk::intake::Known;
use jam_desk::{Part, ProductionNow, Refusal, Together, by_speaker, scene_of_parts};
use jam_score::{ProductionEdit, RecordingFacts, free_copy, speakers};
use jam_store::{Cut, NewPart, NowProduction};
use std::path::Path;

/// The lines that a line is made of, worked out before anybody has to wait.
pub struct Parts {
    /// Of the line that they are made of.
    revision: i64,
    parts: Vec<(Part, Cut, RecordingFacts)>,
    /// What the line is called, or its recording.
    name: String,
    recording_name: String,
    /// Speakers whom nobody in the cast is called like.
    strangers: Vec<String>,
}

impl Parts {
    /// # Errors
    /// It cannot be made lines of.
    pub fn of(app: &App, id: i32) -> Answer<Parts> {
        let stored = app.store.line(id)?;
        let recording = recordings::read(&app.store, &stored.recording)?;
        let known = Known { characters: app.store.cast_titles()?.into_iter().collect(), ..Known::default() };
        let whole = Together {
            grid: stored.document.frames.grid(app.store.production()?.grid),
            rate: recording.rate(),
            samples: recording.samples(),
            channels: recording.channels() as u32,
            energy: &|channel, span| recording.energy(channel, span),
            called: &|who| known.character(who).map(str::to_string),
        };
        let parts = by_speaker(&stored.document, stored.ids, &whole)?;
        let (base, from) = app.store.whole_of(&stored.recording)?;
        let with_facts = |part: Part| {
            let facts = recording.part(part.samples.clone()).facts();
            let samples = from + part.samples.start..from + part.samples.end;
            (part, Cut { base: base.clone(), samples }, facts)
        };
        let mut strangers = speakers(&stored.document.text);
        strangers.retain(|who| known.character(who).is_none());
        let stem = Path::new(&stored.recording_name).file_stem();
        let name = stem.map_or_else(|| "scene".into(), |s| s.to_string_lossy().into_owned());
        Ok(Parts {
            revision: stored.revision,
            parts: parts.into_iter().map(with_facts).collect(),
            name: stored.document.name.clone().unwrap_or(name),
            recording_name: stored.recording_name,
            strangers,
        })
    }

    /// What came of a line, in words.
    pub fn says(&self, line: &str) -> String {
        let made = format!("{line} is {} lines now, by speaker", self.parts.len());
        match self.strangers.is_empty() {
            true => made,
            false => format!("{made}; nobody in the cast is called {}", self.strangers.join(" or ")),
        }
    }

    /// Puts them in the place of the line, with a scene of them, as one step; their numbers.
    ///
    /// # Errors
    /// The line was changed meanwhile, or the data file cannot be written.
    pub fn put(
        &self,
        now: &mut NowProduction<'_>,
        id: i32,
        mut production: ProductionNow,
        words: &str,
    ) -> Answer<Vec<i32>> {
        if now.revision(id)? != self.revision {
            return Err(Refusal::met("a change of this line").into());
        }
        let new = self.parts.iter().map(|(part, cut, facts)| NewPart {
            document: &part.document,
            ids: part.ids,
            cut,
            recording_name: &self.recording_name,
            facts,
        });
        let made = now.add_parts(id, &new.collect::<Vec<_>>())?;
        let starts: Vec<_> = made.iter().zip(&self.parts).map(|(id, (part, ..))| (*id, part.start)).collect();
        for (id, (part, ..)) in made.iter().zip(&self.parts) {
            production.heard.lines.insert(*id, part.document.character.clone());
        }
        let mut taken = production.scenes.iter().map(|(_, scene)| scene.name.clone()).collect();
        let mut edits = vec![
            ProductionEdit::Lines { ids: vec![id], gone: true },
            ProductionEdit::Lines { ids: made.clone(), gone: false },
        ];
        if let Some(scene) = scene_of_parts(&free_copy(&mut taken, &self.name), &starts, &production.heard)? {
            let scene = now.add_absent_scene(&scene)?;
            edits.push(ProductionEdit::Scenes { ids: vec![scene], gone: false });
        }
        now.make(&ProductionEdit::All { edits }, words)?;
        Ok(made)
    }
}
