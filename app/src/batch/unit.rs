//! The unit of work: one line, from what goes in to the files that come out, and nothing else.
//!
//! Its key is made of the content of all that goes in and of the very program, so a copied folder is not worked out again, and a
//! changed recording is.

use super::folder::Summary;
use crate::files::stem;
use crate::{character, files};
use anyhow::Context;
use jam_desk::{Alone, Felt, Played};
use jam_formats::deliver::{Delivery, FileKind};
use jam_formats::glb::Character;
use jam_formats::recipe::Recipe;
use jam_formats::sound;
use jam_rig::{Mouth, Wiring};
use jam_score::{Control, Frame, FrameGrid, FrameRate, Language, Line, Seconds};
use jam_server::deliver::stretch;
use jam_sound::Recording;
use jam_voice::{AnalyseError, Analyser, Known, WordList, features};
use serde::{Deserialize, Serialize};
use sha2::{Digest, Sha256};
use std::collections::BTreeMap;
use std::io::ErrorKind;
use std::path::{Path, PathBuf};
use std::sync::{Arc, Mutex, PoisonError};

/// One line of a plan. Paths are relative to the plan's folder.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize)]
pub struct Unit {
    pub id: String,
    pub recording: PathBuf,
    /// What is said; without it the sounds alone are heard, or what it says is drafted.
    pub text: Option<String>,
    /// None is English.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub language: Option<Language>,
    pub character: PathBuf,
    pub wiring: Option<PathBuf>,
    pub options: Options,
    /// Of the recording; about how much work it is.
    pub bytes: u64,
    /// What is wrong with it before any work.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub problem: Option<Failure>,
}

#[derive(Debug, Clone, PartialEq, Serialize, Deserialize)]
pub struct Options {
    pub rate: FrameRate,
    pub first: Frame,
    /// As on the command line, such as `worry:0.6`.
    #[serde(default, skip_serializing_if = "Vec::is_empty")]
    pub moods: Vec<String>,
    pub recipe: Recipe,
    /// Whether a text that is missing is drafted.
    #[serde(default, skip_serializing_if = "std::ops::Not::not")]
    pub draft: bool,
}

/// Why a unit has no files.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize)]
pub struct Failure {
    /// Stays the same whatever the sentence is.
    pub code: String,
    pub message: String,
    /// Whether it may go better another time: a full disk, too little memory.
    pub again: bool,
}

/// What stays wrong.
pub fn wrong(code: &str, error: impl Into<anyhow::Error>) -> Failure {
    Failure { code: code.into(), message: format!("{:#}", error.into()), again: false }
}

/// What may go better another time.
pub fn later(error: impl Into<anyhow::Error>) -> Failure {
    Failure { code: "io".into(), message: format!("{:#}", error.into()), again: true }
}

/// A character with what belongs to it, read once for all its lines.
pub struct Face {
    model: Character,
    name: String,
    wiring: Wiring,
    mouth: Option<Mouth>,
    /// Of all its content.
    sum: String,
}

/// What many units have in common.
pub struct Shop {
    base: PathBuf,
    version: String,
    analyser: Analyser,
    faces: Mutex<BTreeMap<(PathBuf, Option<PathBuf>), Result<Arc<Face>, Failure>>>,
    /// By unit: each takes its whole recording to be made.
    keys: Mutex<BTreeMap<String, String>>,
}

/// Faces that are kept at once: a production's cast, not a crowd.
const FACES: usize = 12;
/// Mouths of a strip.
const MOUTHS: usize = 24;

pub fn hex(bytes: &[u8]) -> String {
    bytes.iter().map(|b| format!("{b:02x}")).collect()
}

/// A sum over several inputs; with their lengths, so that no two of them run together.
fn sum(parts: &[&[u8]]) -> String {
    let mut hash = Sha256::new();
    for part in parts {
        hash.update((part.len() as u64).to_le_bytes());
        hash.update(part);
    }
    hex(&hash.finalize())
}

/// The program and all that ships in it.
fn version() -> anyhow::Result<String> {
    let own = std::env::current_exe().context("the program does not know where it lies")?;
    let mut hash = Sha256::new();
    std::io::copy(&mut std::fs::File::open(&own).context("the program cannot read itself")?, &mut hash)?;
    Ok(format!("jamlips {} {}", env!("CARGO_PKG_VERSION"), hex(&hash.finalize()[..8])))
}

/// What is missing is the plan's fault; what cannot be read now may be read later.
fn not_read(path: &Path, code: &str, error: &std::io::Error) -> Failure {
    let message = anyhow::anyhow!("{} cannot be read: {error}", path.display());
    match error.kind() {
        ErrorKind::NotFound | ErrorKind::IsADirectory => wrong(code, message),
        _ => later(message),
    }
}

impl Shop {
    pub fn new(folder: &Path) -> anyhow::Result<Shop> {
        Ok(Shop {
            base: folder.to_path_buf(),
            version: version()?,
            analyser: Analyser::shipped()?,
            faces: Mutex::default(),
            keys: Mutex::default(),
        })
    }

    pub fn version(&self) -> &str {
        &self.version
    }

    fn bytes_of(&self, path: &Path, code: &str) -> Result<Vec<u8>, Failure> {
        std::fs::read(self.base.join(path)).map_err(|e| not_read(path, code, &e))
    }

    fn face(&self, unit: &Unit) -> Result<Arc<Face>, Failure> {
        let which = (unit.character.clone(), unit.wiring.clone());
        // Whoever asks for one that is being read waits for it: it is large.
        let mut faces = self.faces.lock().unwrap_or_else(PoisonError::into_inner);
        if let Some(face) = faces.get(&which) {
            return face.clone();
        }
        if faces.len() >= FACES {
            faces.clear();
        }
        let face = self.read_face(unit).map(Arc::new);
        if !matches!(&face, Err(failure) if failure.again) {
            faces.insert(which, face.clone());
        }
        face
    }

    fn read_face(&self, unit: &Unit) -> Result<Face, Failure> {
        let path = self.base.join(&unit.character);
        std::fs::metadata(&path).map_err(|e| not_read(&unit.character, "character_missing", &e))?;
        let model = character::open(&path).map_err(|e| wrong("character", e))?;
        let written = match &unit.wiring {
            Some(file) => self.bytes_of(file, "wiring_missing")?,
            None => Vec::new(),
        };
        let sum = sum(&[&model.write(), &written]);
        let file = unit.wiring.as_ref().map(|w| self.base.join(w));
        let wiring = character::wiring(&model, file.as_deref()).map_err(|e| wrong("wiring", e))?;
        let mouth = model.mouth(&wiring).map_err(|e| wrong("character", e))?;
        Ok(Face { model, name: stem(&path, "character"), wiring, mouth, sum })
    }

    /// The key of a unit, with its recording.
    pub fn key(&self, unit: &Unit) -> Result<(String, Vec<u8>), Failure> {
        if let Some(problem) = &unit.problem {
            return Err(problem.clone());
        }
        let recording = self.bytes_of(&unit.recording, "recording_missing")?;
        let face = self.face(unit)?;
        let options = serde_json::to_vec(&unit.options).map_err(|e| wrong("options", e))?;
        let text = unit.text.as_deref().unwrap_or_default().as_bytes();
        let language = unit.language.as_ref().map_or("", Language::tag).as_bytes();
        let told = [u8::from(unit.text.is_some())];
        let key = sum(&[
            self.version.as_bytes(),
            unit.id.as_bytes(),
            &recording,
            &told,
            text,
            language,
            face.name.as_bytes(),
            face.sum.as_bytes(),
            &options,
        ]);
        self.keys.lock().unwrap_or_else(PoisonError::into_inner).insert(unit.id.clone(), key.clone());
        Ok((key, recording))
    }

    /// The key of a unit as it is, or was when it was worked on; none if it cannot have one.
    pub fn key_of(&self, unit: &Unit) -> Option<String> {
        let known = self.keys.lock().unwrap_or_else(PoisonError::into_inner).get(&unit.id).cloned();
        known.or_else(|| self.key(unit).ok().map(|(key, _)| key))
    }

    /// Works a unit out into a folder.
    pub fn work(&self, unit: &Unit, recording: &[u8], room: &Path) -> Result<Summary, Failure> {
        let face = self.face(unit)?;
        let Options { rate, first, moods, recipe, draft } = &unit.options;
        recipe.check().map_err(|e| wrong("recipe", e))?;
        let stretch =
            stretch(recipe, Some(&face.model)).map_err(|e| wrong("recipe", anyhow::anyhow!("{e}")))?;
        let moods = moods.iter().map(|m| m.parse::<Felt>()).collect::<Result<Vec<_>, _>>();
        let moods = moods.map_err(|e| wrong("mood", anyhow::anyhow!(e)))?;
        let heard = sound::read_at(recording, features::RATE)
            .map_err(|e| wrong("recording", anyhow::anyhow!("{}: {e}", unit.recording.display())))?;
        let drafted = match unit.text {
            // Who speaks may be named.
            None if *draft => self.drafted(&heard, &face.name)?,
            _ => None,
        };
        let text = drafted.as_deref().or(unit.text.as_deref()).unwrap_or_default();
        let line = Line { language: unit.language.clone(), ..Line::new(text) };
        let found = self.analyser.time(&heard, &line, &WordList::default(), &|_| true);
        let found = found.map_err(|e| wrong(e.code(), e))?;
        let grid = FrameGrid { rate: *rate, first: *first };
        let laid = Alone { moods, ..Alone::default() };
        let played = laid.play(found, &face.wiring, grid);
        let played = played.map_err(|e| wrong("line", anyhow::anyhow!(e.says)))?;
        let timing = played.line.timing.as_ref().context("the line has no times");
        let timing = timing.map_err(|e| wrong("line", e))?;
        let whole = match recipe.kinds_a_line().contains(&FileKind::Wav) {
            true => Some(sound::read(recording).map_err(|e| wrong("recording", e))?),
            false => None,
        };
        let sampled = played.sampled_as(&stretch);
        let delivery = Delivery {
            name: &unit.id,
            line: &played.line,
            timing,
            wiring: &face.wiring,
            sampled: &sampled,
            character: Some((&face.model, &face.name)),
            sound: whole.as_ref(),
        };
        let path = |file: &jam_formats::deliver::OutFile| Some(room.join(&file.name));
        files::write(&delivery, recipe, path, &mut Vec::new()).map_err(|e| {
            let disk = e.chain().any(|cause| cause.is::<std::io::Error>());
            if disk { later(e) } else { wrong("file", e) }
        })?;
        Ok(summary(&played, drafted.is_some(), heard.duration().0, face.mouth.as_ref()))
    }

    /// What a recording says, as far as words are heard in it.
    fn drafted(&self, heard: &Recording, speaker: &str) -> Result<Option<String>, Failure> {
        let known = Known::of(&[speaker], [], &WordList::default());
        match self.analyser.draft(heard, &known, &|_| true) {
            Ok(draft) => Ok(Some(draft.text)),
            Err(AnalyseError::NothingHeard) => Ok(None),
            Err(e) => Err(wrong(e.code(), e)),
        }
    }
}

fn summary(played: &Played, drafted: bool, length: f64, mouth: Option<&Mouth>) -> Summary {
    let timing = played.line.timing.as_ref();
    let words = timing.map_or(&[][..], |t| &t.words);
    let findings = played.findings(mouth);
    let mouth_at = |k: usize| {
        let face = played.face.face_at(Seconds(length * (k as f64 + 0.5) / MOUTHS as f64));
        let of = |c: Control| face[c as usize];
        let open = of(Control::JawOpen) * (1.0 - of(Control::LipsClose).clamp(0.0, 1.0));
        let two = |x: f32| (100.0 * x).round() / 100.0;
        let spread = 0.5 * (of(Control::LipsSpreadLeft) + of(Control::LipsSpreadRight));
        (two(open), two(spread - of(Control::LipsRound)))
    };
    Summary {
        text: played.line.text.clone(),
        drafted,
        length,
        words: words.len(),
        doubtful: words.iter().filter(|w| w.is_doubtful()).count(),
        findings: findings
            .into_iter()
            .map(|f| (f.rule.title().to_string(), 1 + f.again.len(), f.says))
            .collect(),
        mouths: (0..MOUTHS).map(mouth_at).collect(),
    }
}
