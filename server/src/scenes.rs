//! Scenes evaluated, kept until something in them changes, and made ready to go out.

use crate::app::App;
use crate::deliver::{MOVIE, Ready, TIMELINE, kept, to_be_kept};
use crate::problem::{Answer, Problem};
use crate::recordings;
use crate::stagings::Kept;
use crate::version::Version;
use jam_desk::scene::{Actor, Part, SceneLine, Staged};
use jam_formats::deliver::{Delivery, FileKind, OutFile};
use jam_formats::manifest::free;
use jam_formats::names::slug;
use jam_formats::out::wave;
use jam_formats::recipe::Recipe;
use jam_formats::scene::{Cue, SceneActor, SceneDelivery, scene_timeline};
use jam_rig::Figure;
use jam_score::{FrameGrid, Scene, Seconds, Timing};
use jam_sound::Recording;
use jam_store::{CastMember, NewDelivered, StoreError};
use std::collections::{BTreeMap, BTreeSet};
use std::sync::Arc;

/// A sum over the texts of all that something is made of.
fn sum_of(parts: &impl serde::Serialize) -> Answer<String> {
    let bytes = serde_json::to_vec(parts).map_err(Problem::unexpected)?;
    Ok(jam_store::hash(&bytes))
}

/// What a scene is made of: a change that was taken back is none.
pub fn state_of(app: &App, scene: &Scene) -> Answer<String> {
    let (cast, grid) = (app.store.cast()?, app.store.production()?.grid);
    let mut lines = Vec::new();
    let mut keys: BTreeSet<&str> = scene.standing.iter().map(|s| s.character.as_str()).collect();
    let mut speakers = Vec::new();
    for entry in &scene.entries {
        match app.store.line(entry.line) {
            Ok(line) => {
                lines.push(app.states.of(&line, &cast, grid)?);
                speakers.extend(line.document.character.clone());
            }
            Err(StoreError::NotFound) => lines.push(String::new()),
            Err(error) => return Err(error.into()),
        }
    }
    keys.extend(speakers.iter().map(String::as_str));
    let cast: Vec<_> = cast
        .iter()
        .filter(|m| keys.contains(m.name.as_str()))
        .map(|m| (&m.name, &m.title, &m.model, &m.wiring))
        .collect();
    // How far its numbers got is nothing that is seen.
    let scene = Scene { next_id: 0, ..scene.clone() };
    sum_of(&(scene, lines, cast, grid))
}

impl App {
    /// A scene as it is now, evaluated.
    ///
    /// # Errors
    /// There is none, or a recording or a character cannot be read.
    pub(crate) fn staged(&self, id: i32) -> Answer<Arc<Kept>> {
        let scene = self.store.scene(id)?;
        let stamp = state_of(self, &scene)?;
        let make = |kept: Option<&Arc<Kept>>| -> Answer<Option<Arc<Kept>>> {
            match kept.filter(|k| k.stamp == stamp) {
                Some(kept) => Ok(Some(kept.clone())),
                None => Ok(Some(Arc::new(self.stage(scene, stamp)?))),
            }
        };
        let found = self.stagings.0.get(&id, make, |k| k.staged.bytes())?;
        found.ok_or_else(|| Problem::unexpected("a scene was evaluated and is gone"))
    }

    fn stage(&self, scene: Scene, stamp: String) -> Answer<Kept> {
        let grid = self.store.production()?.grid;
        let mut lines = BTreeMap::new();
        for entry in &scene.entries {
            let stored = match self.store.line(entry.line) {
                Ok(stored) => stored,
                Err(StoreError::NotFound) => continue,
                Err(error) => return Err(error.into()),
            };
            let version = Version { line: stored.id, snapshot: None };
            let spoken = self.spoken(version, &stored.document, &stored.recording)?;
            let prosody = spoken.map(|s| s.prosody.clone());
            let line = SceneLine { line: stored.document, prosody, length: stored.facts.duration };
            lines.insert(entry.line, line);
        }
        let cast: BTreeMap<String, CastMember> =
            self.store.cast()?.into_iter().map(|m| (m.name.clone(), m)).collect();
        let mut parts = BTreeMap::new();
        for (key, member) in &cast {
            let figure = self.figure_of(member)?;
            parts.insert(key, Part { character: key.clone(), wiring: member.wiring.clone(), figure });
        }
        let staged = Staged::new(
            &scene,
            grid,
            |line| lines.get(&line).cloned(),
            |key| parts.get(&key.to_string()).cloned(),
        )
        .map_err(|e| Problem::refused("scene", "scene_long", e))?;
        Ok(Kept { stamp, scene, staged, cast })
    }

    fn figure_of(&self, member: &CastMember) -> Answer<Option<Figure>> {
        let (model, wiring) = (&member.model, &member.wiring);
        let measure = || {
            let body = self.model(model)?.character.prepared(wiring)?.body()?;
            Ok(Figure::of(&body, wiring))
        };
        let found = self.figures.get(model, wiring, measure, |_| std::mem::size_of::<Figure>())?;
        Ok(found.map(|f| *f))
    }

    /// What is heard of a scene, from its first frame to its last.
    pub(crate) fn scene_sound(&self, kept: &Kept) -> Answer<Option<Recording>> {
        let mut parts = Vec::new();
        for turn in &kept.staged.turns {
            let line = self.store.line(turn.line)?;
            let whole = recordings::read(&self.store, &line.recording)?;
            let heard = whole.heard(&line.document.listen).map_err(Problem::unexpected)?.into_owned();
            parts.push((Seconds(turn.start), heard));
        }
        if parts.is_empty() {
            return Ok(None);
        }
        let parts: Vec<(Seconds, &Recording)> = parts.iter().map(|(t, r)| (*t, r)).collect();
        let length = kept.staged.frames as f64 * kept.staged.grid.rate.frame_length().0;
        Recording::mixed(&parts, Seconds(length)).map(Some).map_err(Problem::unexpected)
    }

    /// The scene that a line is in, the oldest of several; for its files' names.
    pub(crate) fn scene_with(&self, line: i32) -> Answer<Option<String>> {
        let holds = |(_, scene): &(i32, Scene)| scene.entries.iter().any(|e| e.line == line);
        Ok(self.store.scenes()?.into_iter().find(holds).map(|(_, scene)| scene.name))
    }
}

/// A scene ready to go out.
pub struct SceneReady {
    id: i32,
    /// Its files' name.
    pub stem: String,
    kept: Arc<Kept>,
    /// Names of each actor's files, what it is called, and its file.
    actors: Vec<(String, String, Arc<crate::models::Model>)>,
    sound: Option<Recording>,
    text: String,
}

impl SceneReady {
    /// # Errors
    /// The scene is gone or nothing is on its stage.
    pub fn new(app: &App, id: i32) -> Answer<SceneReady> {
        let kept = app.staged(id)?;
        if kept.staged.actors.is_empty() || kept.staged.turns.is_empty() {
            let says = "Nobody says anything in this scene yet; put lines into it first.";
            return Err(Problem::refused("scene", "nothing_chosen", says));
        }
        let production = app.store.production()?.name;
        let stem = format!("{}_{}", slug(&production), slug(&kept.scene.name));
        let mut actors = Vec::new();
        let mut taken = BTreeSet::new();
        for actor in &kept.staged.actors {
            let member = &kept.cast[&actor.character];
            let name = free(&format!("{stem}_{}", slug(&member.title)), &mut taken);
            actors.push((name, member.title.clone(), app.model(&member.model)?));
        }
        let text = |a: &Actor| a.line.text.clone();
        let text =
            kept.staged.actors.iter().map(text).filter(|t| !t.is_empty()).collect::<Vec<_>>().join("\n");
        Ok(SceneReady { id, stem, kept, actors, sound: None, text })
    }

    /// The same with its sound, which files need: every recording is read and mixed for it.
    ///
    /// # Errors
    /// A recording cannot be read.
    pub fn heard(self, app: &App) -> Answer<SceneReady> {
        Ok(SceneReady { sound: app.scene_sound(&self.kept)?, ..self })
    }

    pub fn grid(&self) -> FrameGrid {
        self.kept.staged.grid
    }

    pub fn frames(&self) -> usize {
        self.kept.staged.frames
    }

    /// The line that its files are kept with.
    pub fn first_line(&self) -> i32 {
        self.kept.staged.turns[0].line
    }

    /// Its sound on exactly its frames, as a WAV.
    ///
    /// # Errors
    /// It was not asked for.
    pub fn framed_sound(&self) -> Answer<Vec<u8>> {
        let sound = self.sound.as_ref().ok_or_else(|| Problem::unexpected("the sound was not read"))?;
        Ok(wave::broadcast(sound, self.grid().first, self.grid().rate, &self.text)?)
    }

    /// All its files of a kind.
    ///
    /// # Errors
    /// It lacks what the kind needs, or they are too large.
    pub fn files(&self, kind: FileKind, recipe: &Recipe) -> Answer<Vec<OutFile>> {
        static NONE: std::sync::LazyLock<Timing> = std::sync::LazyLock::new(Timing::default);
        let all = self.kept.staged.actors.iter().zip(&self.actors);
        let actors = all
            .map(|(actor, (name, title, model))| SceneActor {
                delivery: Delivery {
                    name,
                    line: &actor.line,
                    timing: actor.line.timing.as_ref().unwrap_or(&NONE),
                    wiring: &actor.wiring,
                    sampled: &actor.sampled,
                    character: Some((&model.character, title)),
                    sound: None,
                },
                title,
                at: actor.place.at.into(),
                turn: actor.place.turned(),
            })
            .collect();
        let delivery = SceneDelivery {
            name: &self.stem,
            title: &self.kept.scene.name,
            actors,
            sound: self.sound.as_ref(),
            text: &self.text,
        };
        kept(delivery.files(kind, &recipe.clip)?)
    }

    /// What is kept beside any file of it.
    pub fn facts(&self) -> NewDelivered {
        let grid = self.grid();
        NewDelivered {
            frames: self.frames() as i64,
            first_frame: grid.first.0,
            rate: grid.rate.to_string(),
            state: self.kept.stamp.clone(),
            scene: Some(self.id),
            ..NewDelivered::default()
        }
    }

    /// A file of it, to be kept.
    pub fn kept(&self, file: OutFile, recipe: &Recipe) -> NewDelivered {
        to_be_kept(file, recipe, self.facts())
    }

    /// Its lines where they start, as a timeline, and the sound of each beside it. `movie` tells the file name of a line's
    /// movie, if it has one.
    ///
    /// # Errors
    /// A line has no times yet or cannot be made ready.
    pub fn timeline(
        &self,
        app: &App,
        recipe: &Recipe,
        movie: impl Fn(i32) -> Option<String>,
    ) -> Answer<(NewDelivered, Vec<(i32, NewDelivered)>)> {
        let recipe = Recipe { kinds: vec![FileKind::Wav], timeline: None, movie: None, ..recipe.clone() };
        let mut ready = Vec::new();
        let mut sounds = Vec::new();
        let mut taken = BTreeSet::new();
        for turn in self.kept.staged.turns.iter().filter(|t| t.timed) {
            let own = Ready::new(app, turn.line, &recipe)?;
            // A line that is said twice has one sound.
            if taken.insert(turn.line) {
                let files = own.files(FileKind::Wav, &recipe)?.into_iter();
                sounds.extend(files.map(|f| (turn.line, own.kept(f, &recipe))));
            }
            ready.push((turn, own));
        }
        let names: Vec<(String, Option<String>)> =
            ready.iter().map(|(t, r)| (format!("{}.wav", r.stem), movie(t.line))).collect();
        let deliveries: Vec<Delivery<'_>> = ready.iter().map(|(_, r)| r.delivery()).collect();
        let cue = |(k, (turn, ready)): (usize, &(&jam_desk::scene::Turn, Ready))| Cue {
            row: turn.speaker.unwrap_or(usize::MAX),
            who: turn.speaker.map_or("nobody", |s| self.actors[s].1.as_str()),
            start: Seconds(turn.start),
            shot: ready.shot(&deliveries[k], names[k].1.as_deref(), &names[k].0),
        };
        let cues: Vec<Cue<'_>> = ready.iter().enumerate().map(cue).collect();
        let text = scene_timeline(&self.kept.scene.name, self.grid(), &cues);
        let file = NewDelivered {
            file_name: format!("{}.otio", self.stem),
            media_type: "application/json".into(),
            bytes: text.into(),
            kind: TIMELINE.into(),
            ..self.facts()
        };
        Ok((file, sounds))
    }

    /// A movie of it, to be kept.
    pub fn movie(&self, ending: &str, media_type: &str, bytes: Vec<u8>) -> NewDelivered {
        NewDelivered {
            file_name: format!("{}.{ending}", self.stem),
            media_type: media_type.into(),
            bytes,
            kind: MOVIE.into(),
            ..self.facts()
        }
    }
}
