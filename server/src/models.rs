//! Characters' files, read once and kept while they are in use, with what was found in them.

use crate::problem::Answer;
use jam_face::propose::Proposal;
use jam_formats::glb::{Character, ModelFacts};
use jam_store::Store;
use std::collections::VecDeque;
use std::sync::{Arc, Mutex, PoisonError};

/// A character's file and what is in it.
pub struct Model {
    pub character: Character,
    pub facts: ModelFacts,
    pub proposal: Proposal,
}

impl Model {
    pub fn read(character: Character) -> Answer<Model> {
        let facts = character.facts()?;
        let proposal = character.proposal()?;
        Ok(Model { character, facts, proposal })
    }
}

/// The models used last, by the hash of their file.
#[derive(Default)]
pub struct Models {
    kept: Mutex<VecDeque<(String, Arc<Model>)>>,
}

/// Models that are kept: large ones take hundreds of megabytes.
const KEPT: usize = 4;

impl Models {
    pub fn get(&self, store: &Store, hash: &str) -> Answer<Arc<Model>> {
        // Held while one is read, so that nobody reads the same twice.
        let mut kept = self.kept.lock().unwrap_or_else(PoisonError::into_inner);
        if let Some(i) = kept.iter().position(|(h, _)| h == hash)
            && let Some(found) = kept.remove(i)
        {
            let model = found.1.clone();
            kept.push_front(found);
            return Ok(model);
        }
        let model = Arc::new(Model::read(Character::read(&store.blob(hash)?)?)?);
        kept.push_front((hash.to_string(), model.clone()));
        kept.truncate(KEPT);
        Ok(model)
    }
}
