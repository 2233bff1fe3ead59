//! What goes out of one line: each kind of file, on one frame grid. One table says what kinds there are; page, command
//! line and store name them by it.

use crate::glb::{Character, Clip, ClipOptions, Frames, GlbError};
use crate::out::{capture, columns, hand, head, sheet, subtitles, wave};
use crate::sound::SoundError;
use crate::usd::{UsdCharacter, UsdLine};
use crate::{curves, tiers};
use jam_rig::{Sampled, Wiring};
use jam_score::{Line, Timing, without_sounds};
use jam_sound::Recording;
use serde::{Deserialize, Serialize};
use std::io::Write;
use std::str::FromStr;

/// Why a line could not be delivered.
#[derive(Debug, thiserror::Error)]
pub enum DeliverError {
    #[error(transparent)]
    Character(#[from] GlbError),
    #[error(transparent)]
    Sound(#[from] SoundError),
    #[error("the curves could not be written: {0}")]
    Json(#[from] serde_json::Error),
    #[error("a table could not be written: {0}")]
    Table(#[from] csv::Error),
    #[error("the file could not be written: {0}")]
    Write(#[from] std::io::Error),
    #[error("“{0}” needs the character; choose who says this line")]
    NoCharacter(&'static str),
    #[error("“{0}” needs the recording, which is not at hand")]
    NoSound(&'static str),
}

macro_rules! kinds {
    ($($variant:ident $key:literal $title:literal $text:literal),* $(,)?) => {
        /// A kind of file that goes out of a line.
        #[derive(Debug, Clone, Copy, PartialEq, Eq, PartialOrd, Ord, Hash, Serialize, Deserialize, utoipa::ToSchema)]
        #[serde(rename_all = "kebab-case")]
        pub enum FileKind { $($variant),* }

        impl FileKind {
            pub const ALL: &'static [FileKind] = &[$(FileKind::$variant),*];

            /// As it is called on the command line and between page and server.
            pub fn key(self) -> &'static str {
                match self { $(FileKind::$variant => $key),* }
            }

            pub fn title(self) -> &'static str {
                match self { $(FileKind::$variant => $title),* }
            }

            /// What it is, in a few words.
            pub fn text(self) -> &'static str {
                match self { $(FileKind::$variant => $text),* }
            }
        }
    };
}

kinds! {
    Glb "glb" "Animated character" "glTF binary: shapes and joints as a clip",
    Usd "usd" "Scene layer" "USD text: the character once, a layer a line with what moves",
    UsdCache "usd-cache" "Point cache" "USD text: every point over time, for any reader; large",
    Curves "curves" "Curves" "JSON: every control and every shape, one value a frame",
    Csv "csv" "Curve tables" "CSV: a row a frame, a column a curve",
    CsvLong "csv-long" "Curve list" "CSV: a row a value, with its kind and name",
    Capture "capture" "Capture table" "CSV: the 52 face-capture coefficients and the head",
    Keys "keys" "Keys by hand" "CSV: what a hand has set, key by key",
    Sheet "sheet" "Exposure sheet" "CSV and a page to print: word, sound, mouth and lids a frame",
    Vtt "vtt" "Subtitles, WebVTT" "cues with the start of every word",
    Srt "srt" "Subtitles, SubRip" "cues of up to 42 letters",
    Tiers "tiers" "Interval tiers" "TextGrid: words and sounds",
    Bvh "bvh" "Head motion" "BVH: turn, nod and tilt",
    Wav "wav" "Sound" "WAV with the time of its first frame in it",
}

/// What is written is unknown.
#[derive(Debug, Clone, PartialEq, Eq, thiserror::Error)]
#[error("“{name}” is no kind of file; write some of: {known}")]
pub struct UnknownKind {
    name: String,
    known: String,
}

impl FromStr for FileKind {
    type Err = UnknownKind;

    fn from_str(name: &str) -> Result<FileKind, UnknownKind> {
        let known = || FileKind::ALL.iter().map(|k| k.key()).collect::<Vec<_>>().join(", ");
        let found = FileKind::ALL.iter().find(|k| k.key() == name.trim());
        found.copied().ok_or_else(|| UnknownKind { name: name.into(), known: known() })
    }
}

impl FileKind {
    /// Whether it is motion, beside which the sound belongs.
    pub fn moves(self) -> bool {
        matches!(self, FileKind::Glb | FileKind::Usd | FileKind::UsdCache | FileKind::Bvh)
    }

    /// The kinds with the sound beside motion, each once, in the order of the table.
    pub fn with_sound(kinds: &[FileKind]) -> Vec<FileKind> {
        let moves = kinds.iter().any(|k| k.moves());
        FileKind::ALL.iter().copied().filter(|k| kinds.contains(k) || *k == FileKind::Wav && moves).collect()
    }
}

/// One file that goes out.
#[derive(Debug, Clone, PartialEq)]
pub struct OutFile {
    pub kind: FileKind,
    /// Its name beside the others of its line; textures lie in a folder.
    pub name: String,
    pub media_type: &'static str,
    pub bytes: Vec<u8>,
    /// Whether it belongs to the character, not to the line: several lines write the same one.
    pub shared: bool,
}

/// A line on its frame grid, ready to be written.
pub struct Delivery<'a> {
    /// What its files are called.
    pub name: &'a str,
    pub line: &'a Line,
    pub timing: &'a Timing,
    pub wiring: &'a Wiring,
    pub sampled: &'a Sampled,
    /// Who says it, and what she is called.
    pub character: Option<(&'a Character, &'a str)>,
    /// What is heard of it.
    pub sound: Option<&'a Recording>,
}

impl Delivery<'_> {
    pub fn frames(&self) -> usize {
        self.sampled.faces.len()
    }

    /// File name of the sound, if it is at hand.
    fn sound_name(&self) -> Option<String> {
        self.sound.map(|_| format!("{}.wav", self.name))
    }

    /// The line as a clip, whose sound is called so.
    fn clip<'c>(&'c self, sound: Option<&'c str>) -> Clip<'c> {
        let Sampled { grid, wired, drawings, .. } = self.sampled;
        let frames = Frames { grid: *grid, sound_frame: self.sampled.sound_frame(), wired, drawings };
        Clip { name: self.name, frames, sound }
    }

    fn character(&self, kind: FileKind) -> Result<(&Character, &str), DeliverError> {
        self.character.ok_or(DeliverError::NoCharacter(kind.title()))
    }

    /// The character with the line as its last clip.
    ///
    /// # Errors
    /// The character cannot be prepared or lacks what its wiring drives.
    pub fn animated(&self, options: &ClipOptions) -> Result<Character, DeliverError> {
        let (character, _) = self.character(FileKind::Glb)?;
        let sound = self.sound_name();
        let clip = self.clip(sound.as_deref());
        Ok(character.prepared(self.wiring)?.animated(self.wiring, &[clip], options)?)
    }

    /// The animated character as a binary glTF file.
    ///
    /// # Errors
    /// The character cannot be prepared or lacks what its wiring drives.
    pub fn glb(&self, options: &ClipOptions) -> Result<Vec<u8>, DeliverError> {
        Ok(self.animated(options)?.write())
    }

    /// The curves as JSON.
    ///
    /// # Errors
    /// A value is no number.
    pub fn curves(&self) -> Result<String, DeliverError> {
        Ok(curves::to_json(self.timing, self.wiring, self.sampled, self.timing.end())?)
    }

    /// The character as USD has it.
    fn usd(&self, kind: FileKind) -> Result<UsdCharacter, DeliverError> {
        let (character, name) = self.character(kind)?;
        Ok(UsdCharacter::new(character, self.wiring, name)?)
    }

    /// The cache of points, not yet written.
    ///
    /// # Errors
    /// The character cannot be prepared.
    pub fn point_cache(&self) -> Result<PointCache<'_>, DeliverError> {
        Ok(PointCache { character: self.usd(FileKind::UsdCache)?, delivery: self })
    }

    /// The exposure sheet.
    pub fn sheet(&self) -> Vec<sheet::SheetRow> {
        sheet::rows(self.timing, self.wiring, self.sampled)
    }

    /// All files of a kind.
    ///
    /// # Errors
    /// The line lacks what the kind needs, or it cannot be written.
    pub fn files(&self, kind: FileKind, options: &ClipOptions) -> Result<Vec<OutFile>, DeliverError> {
        let file = |ending: &str, media_type, bytes: Vec<u8>| OutFile {
            kind,
            name: format!("{}.{ending}", self.name),
            media_type,
            bytes,
            shared: false,
        };
        let table = |ending: &str, text: String| file(ending, "text/csv", text.into_bytes());
        let usd = "text/plain";
        Ok(match kind {
            FileKind::Glb => vec![file("glb", "model/gltf-binary", self.glb(options)?)],
            FileKind::Curves => vec![file("curves.json", "application/json", self.curves()?.into_bytes())],
            FileKind::Csv => {
                let outputs = columns::wide(self.sampled, &columns::outputs(self.wiring, self.sampled))?;
                let controls = columns::wide(self.sampled, &columns::controls(self.sampled))?;
                vec![table("csv", outputs), table("controls.csv", controls)]
            }
            FileKind::CsvLong => {
                let mut all = columns::controls(self.sampled);
                all.extend(columns::outputs(self.wiring, self.sampled));
                vec![table("long.csv", columns::long(self.sampled, &all)?)]
            }
            FileKind::Capture => {
                vec![table("capture.csv", columns::wide(self.sampled, &capture::columns(self.sampled))?)]
            }
            FileKind::Keys => {
                vec![table("keys.csv", hand::keys(self.line, self.timing, self.sampled.sound_grid())?)]
            }
            FileKind::Usd => {
                let character = self.usd(kind)?;
                let character_file = format!("{}.usda", character.name());
                let sound = self.sound_name();
                let line = UsdLine { sampled: self.sampled, sound: sound.as_deref() };
                let layer = character.line_layer(&line, &character_file);
                let mut files = vec![file("usda", usd, layer.into_bytes())];
                let bytes = character.layer()?.into_bytes();
                files.push(OutFile { kind, name: character_file, media_type: usd, bytes, shared: true });
                files.extend(textures(&character, kind)?);
                files
            }
            FileKind::UsdCache => {
                let cache = self.point_cache()?;
                let mut bytes = Vec::new();
                cache.write(&mut bytes)?;
                let mut files = vec![file("cache.usda", usd, bytes)];
                files.extend(cache.textures()?);
                files
            }
            FileKind::Sheet => {
                let rows = self.sheet();
                let title = format!("{} · {}", self.name, without_sounds(&self.timing.text));
                let page = sheet::page(&rows, &title, self.sampled.grid.rate);
                let mut files = vec![
                    table("sheet.csv", sheet::table(&rows)?),
                    file("sheet.html", "text/html", page.into()),
                ];
                if self.wiring.chart.is_some() {
                    files.push(table("mouths.csv", sheet::holds(&rows)?));
                }
                files
            }
            FileKind::Vtt => vec![file("vtt", "text/vtt", subtitles::vtt(self.timing).into())],
            FileKind::Srt => vec![file("srt", "application/x-subrip", subtitles::srt(self.timing).into())],
            FileKind::Tiers => vec![file("TextGrid", "text/plain", tiers::write(self.timing).into())],
            FileKind::Bvh => vec![file("bvh", "text/plain", head::bvh(self.sampled).into())],
            FileKind::Wav => {
                let sound = self.sound.ok_or(DeliverError::NoSound(kind.title()))?;
                let grid = self.sampled.grid;
                let bytes = wave::broadcast(
                    sound,
                    self.sampled.sound_frame(),
                    grid.rate,
                    &without_sounds(&self.timing.text),
                )?;
                vec![file("wav", "audio/wav", bytes)]
            }
        })
    }
}

/// A line's cache of points, which may be larger than memory.
pub struct PointCache<'a> {
    character: UsdCharacter,
    delivery: &'a Delivery<'a>,
}

impl PointCache<'_> {
    /// About how large it is, bytes: from the points of all meshes, of which rigid ones take none.
    pub fn size(&self) -> usize {
        const A_POINT: usize = 28;
        self.character.bending_points().saturating_mul(A_POINT).saturating_mul(self.delivery.frames())
    }

    /// Writes it as it is made.
    ///
    /// # Errors
    /// It cannot be written.
    pub fn write(&self, to: &mut dyn Write) -> Result<(), DeliverError> {
        let sound = self.delivery.sound_name();
        let line = UsdLine { sampled: self.delivery.sampled, sound: sound.as_deref() };
        Ok(self.character.cache(&line, to)?)
    }

    /// The images beside it.
    ///
    /// # Errors
    /// The character's file is damaged.
    pub fn textures(&self) -> Result<Vec<OutFile>, DeliverError> {
        textures(&self.character, FileKind::UsdCache)
    }
}

/// The images that a USD character reads.
fn textures(character: &UsdCharacter, kind: FileKind) -> Result<Vec<OutFile>, DeliverError> {
    let image = |(name, bytes): (String, &[u8])| {
        let media_type = if name.ends_with(".jpg") { "image/jpeg" } else { "image/png" };
        OutFile { kind, name, media_type, bytes: bytes.to_vec(), shared: true }
    };
    Ok(character.images()?.into_iter().map(image).collect())
}

/// Several lines of one character as clips of one file.
///
/// # Errors
/// The character cannot be prepared or lacks what its wiring drives, or there is none.
pub fn together(lines: &[Delivery<'_>], options: &ClipOptions) -> Result<Vec<u8>, DeliverError> {
    let first = lines.first().ok_or(DeliverError::NoCharacter(FileKind::Glb.title()))?;
    let (character, _) = first.character(FileKind::Glb)?;
    let sounds: Vec<Option<String>> = lines.iter().map(Delivery::sound_name).collect();
    let clips: Vec<Clip<'_>> = lines.iter().zip(&sounds).map(|(l, s)| l.clip(s.as_deref())).collect();
    Ok(character.prepared(first.wiring)?.animated(first.wiring, &clips, options)?.write())
}
