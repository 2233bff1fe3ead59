//! What goes out of a scene: its characters together where a format holds several, each for itself where it does not; the
//! sound of all, and its lines as a timeline.

use crate::deliver::{DeliverError, Delivery, FileKind, OutFile};
use crate::glb::{Beside, ClipOptions, beside};
use crate::out::{timeline, wave};
use crate::usd::{UsdActor, UsdLine, scene_layer};
use glam::{Mat4, Quat, Vec3};
use jam_score::{Frame, FrameGrid, Seconds};
use jam_sound::Recording;

/// One character from the scene's start to its end.
pub struct SceneActor<'a> {
    /// Named after the scene and the character; without a sound of its own.
    pub delivery: Delivery<'a>,
    /// What the character is called.
    pub title: &'a str,
    /// Where it stands: metres, and a turn.
    pub at: Vec3,
    pub turn: Quat,
}

/// A scene on its frames, ready to be written.
pub struct SceneDelivery<'a> {
    /// What its files are called.
    pub name: &'a str,
    /// What it is called itself.
    pub title: &'a str,
    pub actors: Vec<SceneActor<'a>>,
    /// What is heard, from the first frame on.
    pub sound: Option<&'a Recording>,
    /// All that is said.
    pub text: &'a str,
}

impl SceneDelivery<'_> {
    fn base(&self) -> &str {
        self.name.rsplit('/').next().unwrap_or(self.name)
    }

    fn sound_name(&self) -> Option<String> {
        self.sound.map(|_| format!("{}.wav", self.base()))
    }

    fn first(&self, kind: FileKind) -> Result<&SceneActor<'_>, DeliverError> {
        self.actors.first().ok_or(DeliverError::NoCharacter(kind.title()))
    }

    /// All files of a kind.
    ///
    /// # Errors
    /// The scene lacks what the kind needs, or it cannot be written.
    pub fn files(&self, kind: FileKind, options: &ClipOptions) -> Result<Vec<OutFile>, DeliverError> {
        let file = |ending: &str, media_type, bytes| OutFile {
            kind,
            name: format!("{}.{ending}", self.base()),
            media_type,
            bytes,
            shared: false,
        };
        match kind {
            FileKind::Glb => Ok(vec![file("glb", "model/gltf-binary", self.glb(options)?)]),
            FileKind::Usd => {
                let mut files = vec![file("usda", "text/plain", self.usd(kind)?.into_bytes())];
                for actor in &self.actors {
                    files.extend(actor.delivery.files(kind, options)?);
                }
                Ok(files)
            }
            FileKind::Wav => {
                let sound = self.sound.ok_or(DeliverError::NoSound(kind.title()))?;
                let grid = self.first(kind)?.delivery.sampled.grid;
                let bytes = wave::broadcast(sound, grid.first, grid.rate, self.text)?;
                Ok(vec![file("wav", "audio/wav", bytes)])
            }
            _ => {
                let each = self.actors.iter().map(|a| a.delivery.files(kind, options));
                Ok(each.collect::<Result<Vec<_>, _>>()?.into_iter().flatten().collect())
            }
        }
    }

    fn glb(&self, options: &ClipOptions) -> Result<Vec<u8>, DeliverError> {
        let sound = self.sound_name();
        self.first(FileKind::Glb)?;
        let mut all = Vec::with_capacity(self.actors.len());
        for actor in &self.actors {
            let character = actor.delivery.animated(options)?;
            let (at, turn) = (actor.at.to_array(), actor.turn.to_array());
            all.push(Beside { name: actor.title, character, at, turn });
        }
        Ok(beside(self.title, &all, sound.as_deref())?.write())
    }

    fn usd(&self, kind: FileKind) -> Result<String, DeliverError> {
        let sound = self.sound_name();
        let line = UsdLine { sampled: self.first(kind)?.delivery.sampled, sound: sound.as_deref() };
        let actor = |a: &SceneActor<'_>| UsdActor {
            name: a.title.to_string(),
            layer: format!("{}.usda", a.delivery.name),
            place: Mat4::from_rotation_translation(a.turn, a.at),
        };
        let actors: Vec<UsdActor> = self.actors.iter().map(actor).collect();
        Ok(scene_layer(&line, &actors))
    }
}

/// A line of a scene's timeline.
pub struct Cue<'a> {
    /// Who says it: the number of its row, and what it is called.
    pub row: usize,
    pub who: &'a str,
    /// When its sound starts in the scene.
    pub start: Seconds,
    /// Its own shot; the gap before it is found here.
    pub shot: timeline::Shot<'a>,
}

/// The lines of a scene where they start, a row for everybody who speaks: gaps of their own between them. Where a line's
/// shot reaches into the next one of the same row, it is cut there.
pub fn scene_timeline(title: &str, grid: FrameGrid, cues: &[Cue<'_>]) -> String {
    let mut rows: Vec<(usize, timeline::Row<'_>)> = Vec::new();
    let mut sorted: Vec<&Cue<'_>> = cues.iter().collect();
    sorted.sort_by(|a, b| a.row.cmp(&b.row).then(a.start.0.total_cmp(&b.start.0)));
    let start = |cue: &Cue<'_>| grid.frame_at(Seconds(cue.start.0 + 1e-4)).0 - grid.first.0;
    let mut at = 0;
    for (k, cue) in sorted.iter().enumerate() {
        if rows.last().is_none_or(|(row, ..)| *row != cue.row) {
            let row = timeline::Row { names: [cue.who, cue.who], shots: Vec::new() };
            rows.push((cue.row, row));
            at = 0;
        }
        // A handle that lies before the scene or in the shot before has no room.
        let begins = (start(cue) - cue.shot.before).max(at);
        let before = start(cue) - begins;
        let whole = begins + cue.shot.frames - (cue.shot.before - before);
        let next = sorted.get(k + 1).filter(|n| n.row == cue.row).map_or(i64::MAX, |n| start(n));
        let frames = (whole.min(next) - begins).max(1);
        if let Some((_, row)) = rows.last_mut() {
            row.shots.push(timeline::Shot { gap: begins - at, frames, before: before.max(0), ..cue.shot });
        }
        at = begins + frames;
    }
    let rows: Vec<timeline::Row<'_>> = rows.into_iter().map(|(_, row)| row).collect();
    timeline::otio(title, grid.rate, Frame(grid.first.0), &rows)
}
