//! The demo production *Fog at Pell Harbour*: its lines and its characters.

pub mod bell;
mod craft;
pub mod head;
mod lines;
pub mod odile;

pub use lines::{BELL, BRAM, Cue, DemoLine, LINES, ODILE, SCENE};

use jam_desk::scene::{Heard, new_scene};
use jam_formats::glb::{Character, GlbError};
use jam_formats::sound::{self, SoundError};
use jam_rig::{Attached, Feed, Wiring};
use jam_score::{Control, Frame, FrameGrid, FrameRate, Ids, Line};
use jam_store::{NewLine, Production, Store, StoreError};
use jam_voice::{AnalyseError, Analyser, features};

/// A character of the demo.
pub struct DemoCharacter {
    /// What the production calls it.
    pub name: &'static str,
    /// A binary glTF file.
    pub model: &'static [u8],
    /// Nodes of parts that follow a mesh, with that mesh's node.
    attached: &'static [(&'static str, &'static str)],
    /// Degrees that an upper lid turns until it is shut, where the proposal's guess is wrong.
    lid: Option<f32>,
}

/// Bram, the harbour's night wireless operator, all shapes; Odile of the tea stall, paper mouths that are
/// swapped; the ship's bell, all joints.
pub const CHARACTERS: [DemoCharacter; 3] = [
    DemoCharacter { name: BRAM, model: include_bytes!("../characters/bram.glb"), attached: &[], lid: None },
    DemoCharacter {
        name: ODILE,
        model: include_bytes!("../characters/odile.glb"),
        attached: &[],
        lid: Some(47.0),
    },
    DemoCharacter {
        name: BELL,
        model: include_bytes!("../characters/bell.glb"),
        attached: &[("moustache", "face")],
        lid: Some(56.0),
    },
];

impl DemoCharacter {
    pub fn read(&self) -> Result<Character, GlbError> {
        Character::read(self.model)
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
    Sound(#[from] SoundError),
    #[error(transparent)]
    Analyse(#[from] AnalyseError),
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
        store.add_cast_member(one.name, one.model, &one.wiring(&one.read()?)?)?;
    }
    let analyser = Analyser::shipped()?;
    let mut added = Vec::with_capacity(LINES.len());
    for line in LINES {
        let recording = sound::read_at(line.recording, features::RATE)?;
        let facts = recording.facts();
        let found = analyser.analyse(&recording, line.text, &|_| true)?;
        let mut ids = Ids::NEW_LINE;
        let timing = found.timing.numbered_like(None, &mut ids);
        let mut document = Line {
            character: Some(line.character.into()),
            layers: line.layers(&timing),
            timing: Some(timing),
            ..Line::new(line.text)
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
