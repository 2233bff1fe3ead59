//! The demo production *Fog at Pell Harbour*: its lines and its characters.

pub mod bell;
mod craft;
pub mod head;
mod lines;
pub mod odile;
pub mod wren;

pub use lines::{BELL, BRAM, Cue, DemoLine, LINES, ODILE, SCENE, WREN};

use jam_desk::scene::{Heard, new_scene};
use jam_formats::glb::{Character, GlbError, Making, MakingError};
use jam_formats::sound::{self, SoundError};
use jam_rig::{Attached, Feed, Wiring};
use jam_score::{Control, Frame, FrameGrid, FrameRate, Ids, LanguageError, Line};
use jam_shape::{Progress, Shaping, propose};
use jam_store::{NewLine, NewModel, NewWiring, Production, Store, StoreError};
use jam_voice::{AnalyseError, Analyser, WordList, features};
use std::sync::OnceLock;

/// A character of the demo.
pub struct DemoCharacter {
    /// What the production calls it.
    pub name: &'static str,
    /// A binary glTF file, as it came.
    pub model: &'static [u8],
    /// Whether it came without shapes and joints, and wears those that are made for it.
    plain: bool,
    /// With these, once they were asked for, and how they were made.
    made: OnceLock<(Character, Shaping)>,
    /// Nodes of parts that follow a mesh, with that mesh's node.
    attached: &'static [(&'static str, &'static str)],
    /// Degrees that an upper lid turns until it is shut, where the proposal's guess is wrong.
    lid: Option<f32>,
}

/// Bram, the harbour's night wireless operator, all shapes; Odile of the tea stall, paper mouths that are
/// swapped; the ship's bell, all joints; Wren, a plain head that is given its shapes.
pub static CHARACTERS: [DemoCharacter; 4] = [
    DemoCharacter {
        name: BRAM,
        model: include_bytes!("../characters/bram.glb"),
        plain: false,
        made: OnceLock::new(),
        attached: &[],
        lid: None,
    },
    DemoCharacter {
        name: ODILE,
        model: include_bytes!("../characters/odile.glb"),
        plain: false,
        made: OnceLock::new(),
        attached: &[],
        lid: Some(47.0),
    },
    DemoCharacter {
        name: BELL,
        model: include_bytes!("../characters/bell.glb"),
        plain: false,
        made: OnceLock::new(),
        attached: &[("moustache", "face")],
        lid: Some(56.0),
    },
    DemoCharacter {
        name: WREN,
        model: include_bytes!("../characters/wren.glb"),
        plain: true,
        made: OnceLock::new(),
        attached: &[],
        lid: None,
    },
];

impl DemoCharacter {
    /// As it speaks.
    ///
    /// # Errors
    /// It cannot be read or given shapes.
    pub fn read(&self) -> Result<Character, MakingError> {
        Ok(match self.shaped()? {
            Some((character, _)) => character.clone(),
            None => Character::read(self.model)?,
        })
    }

    /// With the shapes and joints that are made for it, and how they were made; none if it came with them.
    fn shaped(&self) -> Result<Option<&(Character, Shaping)>, MakingError> {
        if !self.plain || self.made.get().is_some() {
            return Ok(self.made.get());
        }
        let came = Character::read(self.model)?;
        let landmarks = propose(&came.pieces()?)?;
        let making = Making { symmetric: true, joints: true, ..Making::of(landmarks) };
        let made = came.given_shapes(&came.wiring()?, &making, &Progress(&|_| true))?;
        Ok(Some(self.made.get_or_init(|| made)))
    }

    /// Adds it to a production; shapes that were made for it are a step of their own.
    fn join(&self, store: &Store) -> Result<(), DemoError> {
        let came = Character::read(self.model)?;
        let member = store.add_cast_member(self.name, self.model, &self.wiring(&came)?)?;
        let Some((character, shaping)) = self.shaped()? else { return Ok(()) };
        let proposed = self.wiring(character)?;
        store.change_wiring(member.id, |now| -> Result<(), StoreError> {
            let mut ids = now.member.ids;
            let wiring = proposed.numbered_like(&now.member.wiring, &mut ids);
            let new = NewWiring { wiring, ids, words: shaping.words(), gesture: None };
            now.wear(new, NewModel { bytes: character.write(), base: None, shaping: Some(shaping.clone()) })
        })?;
        Ok(())
    }

    /// Its wiring as proposed by name, corrected by hand: loose parts attached, lids that meet.
    pub fn wiring(&self, character: &Character) -> Result<Wiring, GlbError> {
        let attach = |(node, to): &(&str, &str)| Attached { node: (*node).into(), to: (*to).into() };
        let mut wiring =
            Wiring { attached: self.attached.iter().map(attach).collect(), ..character.wiring()? };
        if let Some(degrees) = self.lid {
            for output in &mut wiring.outputs {
                let shuts =
                    |f: &&mut Feed| [Control::LidCloseLeft, Control::LidCloseRight].contains(&f.control);
                if let Some(feed) = output.feeds.iter_mut().filter(|f| !f.stands_in).find(shuts) {
                    (feed.gain, output.high) = (degrees, 1.1 * degrees);
                }
            }
        }
        Ok(wiring)
    }
}

/// Why the demo could not be laid out.
#[derive(Debug, thiserror::Error)]
pub enum DemoError {
    #[error(transparent)]
    Store(#[from] StoreError),
    #[error(transparent)]
    Character(#[from] GlbError),
    #[error(transparent)]
    Shapes(#[from] MakingError),
    #[error(transparent)]
    Sound(#[from] SoundError),
    #[error(transparent)]
    Analyse(#[from] AnalyseError),
    #[error(transparent)]
    Language(#[from] LanguageError),
    #[error(transparent)]
    Scene(#[from] jam_desk::Refusal),
}

/// Lays the demo out, timed and with its moods and looks, in an empty data file; one that holds anything is left as it is.
pub fn fill(store: &Store) -> Result<(), DemoError> {
    if !(store.cast()?.is_empty() && store.lines()?.is_empty()) {
        return Ok(());
    }
    let grid = FrameGrid { rate: FrameRate::FILM, first: Frame(1001) };
    store.set_production(&Production { name: "Fog at Pell Harbour".into(), grid })?;
    for one in &CHARACTERS {
        one.join(store)?;
    }
    let analyser = Analyser::shipped()?;
    let mut added = Vec::with_capacity(LINES.len());
    for line in LINES {
        let recording = sound::read_at(line.recording, features::RATE)?;
        let facts = recording.facts();
        let said = line.says()?;
        let found = analyser.time(&recording, &said, &WordList::default(), &|_| true)?;
        let mut ids = Ids::NEW_LINE;
        let timing = found.timing.numbered_like(None, &mut ids);
        let mut document = Line {
            character: Some(line.character.into()),
            layers: line.layers(&timing),
            timing: Some(timing),
            ..said
        };
        jam_desk::number(&mut document, &mut ids);
        let stored = store.add_line(&NewLine {
            document: &document,
            ids,
            recording: line.recording,
            recording_name: line.file_name,
            facts: &facts,
        })?;
        added.push(stored.id);
    }
    let heard = Heard {
        lines: added.iter().zip(LINES).map(|(id, l)| (*id, Some(l.character.into()))).collect(),
        characters: CHARACTERS.iter().map(|c| (c.name.into(), c.name.into())).collect(),
    };
    let (name, numbers) = SCENE;
    let lines: Vec<i32> = numbers.iter().filter_map(|n| added.get(n - 1).copied()).collect();
    store.add_scene(&new_scene(name, &lines, &heard)?)?;
    Ok(())
}
