//! Characters' files, read once and kept while they are in use, with what was found in them.

use crate::problem::{Answer, Problem};
use crate::shelf::Shelf;
use jam_formats::glb::{Character, ModelFacts};
use jam_rig::Wiring;
use jam_rig::propose::Proposal;
use jam_shape::{Ground, Landmarks, PieceShapes, propose, rough};
use jam_store::{Layered, Store};
use std::sync::{Arc, OnceLock};

/// Landmarks of a face.
pub struct Marks {
    pub landmarks: Landmarks,
    /// Why they could only be put roughly; none if they were proposed from the face.
    pub rough: Option<String>,
}

/// A character's file and what is in it.
pub struct Model {
    pub character: Character,
    pub facts: ModelFacts,
    pub proposal: Arc<Proposal>,
    /// What it lies on, if it is a layer of changes over another file's shapes.
    pub layered: Option<Layered>,
    /// Names of its shapes in the order of its file.
    pub shape_names: Vec<String>,
    shapes: OnceLock<Vec<PieceShapes>>,
    marks: OnceLock<Marks>,
    /// Of its file; about as much as it takes in memory.
    bytes: usize,
}

impl Model {
    pub fn read(character: Character, bytes: usize) -> Answer<Model> {
        let facts = character.facts()?;
        let proposal = Arc::new(character.proposal()?);
        let shape_names = character.shapes();
        Ok(Model {
            character,
            facts,
            proposal,
            layered: None,
            shape_names,
            shapes: OnceLock::new(),
            marks: OnceLock::new(),
            bytes,
        })
    }

    /// A file with a layer over it; `bytes` is how large the layer is.
    ///
    /// # Errors
    /// The layer is of another file.
    pub fn over(base: &Model, layered: Layered, bytes: usize) -> Answer<Model> {
        let character = base.character.with_layer(&layered.layer)?;
        let model = Model::read(character, base.bytes + bytes)?;
        Ok(Model { layered: Some(layered), ..model })
    }

    /// Its shapes, piece by piece, read when they are first asked for.
    ///
    /// # Errors
    /// The file is damaged.
    pub fn shapes(&self) -> Answer<&[PieceShapes]> {
        if let Some(shapes) = self.shapes.get() {
            return Ok(shapes);
        }
        let shapes = self.character.piece_shapes()?;
        Ok(self.shapes.get_or_init(|| shapes))
    }

    /// The landmarks of its face, looked for when they are first asked for.
    ///
    /// # Errors
    /// The file is damaged, or has no mesh.
    pub fn marks(&self) -> Answer<&Marks> {
        if let Some(marks) = self.marks.get() {
            return Ok(marks);
        }
        let pieces = self.character.pieces()?;
        let marks = match propose(&pieces) {
            Ok(landmarks) => Marks { landmarks, rough: None },
            Err(why) => Marks { landmarks: rough(&pieces)?, rough: Some(why.to_string()) },
        };
        Ok(self.marks.get_or_init(|| marks))
    }

    /// Whether it can be given joints, as its names are taken.
    pub fn lacks_joints(&self) -> bool {
        self.character.lacks_joints(&self.proposal.wiring)
    }

    /// Controls that it answers to by itself, as its names are taken.
    pub fn controls_there(&self) -> Vec<String> {
        self.character.controls_there(&self.proposal.wiring)
    }
}

/// Most that models take, bytes: some large ones.
const BOUND: usize = 1 << 30;

/// The models used last, by the hash of their file.
pub struct Models(Shelf<String, Model>);

impl Default for Models {
    fn default() -> Models {
        Models(Shelf::new(BOUND))
    }
}

impl Models {
    /// Keeps a character that was read already.
    pub fn put(&self, hash: &str, model: Model) -> Answer<()> {
        let made = |_: Option<&Arc<Model>>| Ok::<_, Problem>(Some(Arc::new(model)));
        self.0.get(&hash.to_string(), made, |m| m.bytes).map(drop)
    }

    /// A character's file by its hash.
    pub fn get(&self, store: &Store, hash: &str) -> Answer<Arc<Model>> {
        let make = |kept: Option<&Arc<Model>>| -> Answer<Option<Arc<Model>>> {
            if let Some(kept) = kept {
                return Ok(Some(kept.clone()));
            }
            let bytes = store.blob(hash)?;
            let Some(layered) = Layered::read(&bytes)? else {
                return Ok(Some(Arc::new(Model::read(Character::read(&bytes)?, bytes.len())?)));
            };
            let base = self.get(store, &layered.base)?;
            Ok(Some(Arc::new(Model::over(&base, layered, bytes.len())?)))
        };
        let found = self.0.get(&hash.to_string(), make, |m| m.bytes)?;
        found.ok_or_else(|| Problem::unexpected("a character was read and is gone"))
    }
}

/// Most that faces ready for the brush take, bytes.
const READY: usize = 256 << 20;

/// Faces made ready for the brush last, by the hash of the file that came and its landmarks.
pub struct Grounds(Shelf<(String, String), Ground>);

impl Default for Grounds {
    fn default() -> Grounds {
        Grounds(Shelf::new(READY))
    }
}

impl Grounds {
    /// A face, which `make` makes ready if it is not.
    pub fn get(
        &self,
        hash: &str,
        marks: &Landmarks,
        make: impl FnOnce() -> Answer<Ground>,
    ) -> Answer<Arc<Ground>> {
        let key = (hash.to_string(), serde_json::to_string(marks).map_err(Problem::unexpected)?);
        let made = |kept: Option<&Arc<Ground>>| match kept {
            Some(kept) => Ok(Some(kept.clone())),
            None => Ok::<_, Problem>(Some(Arc::new(make()?))),
        };
        let found = self.0.get(&key, made, Ground::bytes)?;
        found.ok_or_else(|| Problem::unexpected("a face was made ready and is gone"))
    }
}

/// Most that measures of one kind take, bytes.
const MEASURED: usize = 64 << 20;

/// What was measured of characters last, by the hash of their file and their wiring as text; none where there is nothing
/// to be measured.
pub struct Measured<T>(Shelf<(String, String), Option<Arc<T>>>);

impl<T> Default for Measured<T> {
    fn default() -> Measured<T> {
        Measured(Shelf::new(MEASURED))
    }
}

impl<T> Measured<T> {
    /// A measure of a character as it is wired now; `measure` takes it, and `bytes` tells how much memory it needs.
    pub fn get(
        &self,
        hash: &str,
        wiring: &Wiring,
        measure: impl FnOnce() -> Answer<Option<T>>,
        bytes: impl FnOnce(&T) -> usize,
    ) -> Answer<Option<Arc<T>>> {
        let key = (hash.to_string(), serde_json::to_string(wiring).map_err(Problem::unexpected)?);
        let make = |kept: Option<&Arc<Option<Arc<T>>>>| -> Answer<Option<Arc<Option<Arc<T>>>>> {
            if let Some(kept) = kept {
                return Ok(Some(kept.clone()));
            }
            Ok(Some(Arc::new(measure()?.map(Arc::new))))
        };
        let found = self.0.get(&key, make, |m| m.as_ref().as_ref().map_or(0, |m| bytes(m)))?;
        Ok(found.and_then(|m| m.as_ref().clone()))
    }
}
