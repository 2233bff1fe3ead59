//! A line made ready to go out: its curves on the frames that are asked for, its character, what is heard of it, and what
//! its files are called. Jobs, routes and the command line write from it.

use crate::app::App;
use crate::evaluate::now_played;
use crate::models::Model;
use crate::problem::{Answer, Problem};
use crate::recordings;
use jam_desk::{Played, Stretch, frames_of};
use jam_formats::deliver::{DeliverError, Delivery, FileKind, OutFile, together};
use jam_formats::glb::Character;
use jam_formats::names::Naming;
use jam_formats::out::timeline::{Row, Shot, otio};
use jam_formats::out::wave;
use jam_formats::recipe::{Length, Recipe};
use jam_rig::Sampled;
use jam_score::{FrameGrid, Listen, Seconds, Timing};
use jam_sound::Recording;
use jam_store::{NewDelivered, StoreError};
use std::sync::Arc;

/// Largest file that is kept, bytes: what a data file can hold at one place.
const MOST: usize = 900 << 20;

/// What a timeline and a movie are called among the kinds of files.
pub const TIMELINE: &str = "otio";
pub const MOVIE: &str = "movie";

/// A line ready to go out.
pub struct Ready {
    pub id: i32,
    pub naming: Naming,
    /// Its files' name.
    pub stem: String,
    pub state: String,
    played: Arc<Played>,
    title: Option<String>,
    model: Option<Arc<Model>>,
    sound: Option<Recording>,
    sampled: Sampled,
}

/// The file name of what a whole production or character delivers: the template with nothing of a line in it is no name,
/// so it is the production's and the character's.
fn whole_name(ready: &Ready, character: Option<&str>) -> String {
    let production = jam_formats::names::slug(&ready.naming.production);
    character.map_or(production.clone(), |c| format!("{production}_{}", jam_formats::names::slug(c)))
}

impl Ready {
    /// # Errors
    /// The line is gone, has no times, or the recipe cannot be used.
    pub fn new(app: &App, id: i32, recipe: &Recipe) -> Answer<Ready> {
        recipe.check().map_err(|e| Problem::refused("recipe", "recipe_wrong", e))?;
        let played = now_played(app, id)?;
        let production = app.store.production()?;
        let stored = app.store.line(id)?;
        let line = &played.line;
        let cast = app.store.cast()?;
        let member = cast.iter().find(|m| Some(&m.name) == line.character.as_ref());
        let model = member.map(|m| app.model(&m.model)).transpose()?;
        let takes = app.store.takes(id)?;
        let take = takes.into_iter().find(|t| t.id == line.listen.take);
        let grid = line.frames.grid(production.grid);
        let stretch = stretch(recipe, model.as_ref().map(|m| &m.character))?;
        let sampled = played.sampled_as(&stretch);
        let sound = match recipe.kinds_a_line().contains(&FileKind::Wav) || recipe.has_clips() {
            true => {
                let whole = recordings::read(&app.store, &stored.recording)?;
                // All of it as it was brought in, or the one channel that is listened to.
                let own = Listen { channel: line.listen.channel, ..Listen::default() };
                Some(match own.channel {
                    None => whole,
                    Some(_) => whole.heard(&own).map_err(Problem::unexpected)?.into_owned(),
                })
            }
            false => None,
        };
        let words = line.timing.iter().flat_map(|t| &t.words).map(|w| w.text.clone());
        let naming = Naming {
            production: production.name,
            scene: app.scene_with(id)?,
            character: member.map_or_else(|| "nobody".into(), |m| m.title.clone()),
            number: app.store.line_number(id)?,
            name: line.name.clone(),
            text: words.take(4).map(String::from).collect(),
            take: take.map_or(stored.recording_name.clone(), |t| t.name),
            first: sampled.grid.first.0,
            rate: sampled.grid.rate.to_string(),
        };
        let stem = naming.called(&recipe.names).map_err(|e| Problem::refused("names", "names_wrong", e))?;
        let state = app.states.of(&stored, &cast, grid)?;
        let title = member.map(|m| m.title.clone());
        Ok(Ready { id, naming, stem, state, played, title, model, sound, sampled })
    }

    pub fn delivery(&self) -> Delivery<'_> {
        // Its times were asked for when it was made ready.
        static NONE: std::sync::LazyLock<Timing> = std::sync::LazyLock::new(Timing::default);
        Delivery {
            name: self.stem.rsplit('/').next().unwrap_or(&self.stem),
            line: &self.played.line,
            timing: self.played.line.timing.as_ref().unwrap_or(&NONE),
            wiring: &self.played.wiring,
            sampled: &self.sampled,
            character: self.model.as_ref().zip(self.title.as_deref()).map(|(m, t)| (&m.character, t)),
            sound: self.sound.as_ref(),
        }
    }

    /// The folder that its files lie in, with a slash at its end; empty for none.
    pub fn folder(&self) -> &str {
        self.stem.rfind('/').map_or("", |i| &self.stem[..=i])
    }

    pub fn grid(&self) -> FrameGrid {
        self.sampled.grid
    }

    /// The last frame that holds sound.
    pub fn last_sound_frame(&self) -> i64 {
        let end = self.played.line.timing.as_ref().map_or(Seconds::ZERO, Timing::end);
        self.sampled.sound_frame().0 + self.sampled.grid.frames_covering(end) - 1
    }

    pub fn frames(&self) -> usize {
        self.sampled.faces.len()
    }

    /// Its controls, frame by frame, as the data file keeps them: 32-bit floats, least byte first.
    pub fn faces(&self) -> Vec<u8> {
        self.sampled.faces.iter().flatten().flat_map(|v| v.to_le_bytes()).collect()
    }

    /// Its sound on exactly its frames, as a WAV.
    ///
    /// # Errors
    /// The recording was not asked for.
    pub fn framed_sound(&self) -> Answer<Vec<u8>> {
        let sound = self.sound.as_ref().ok_or_else(|| Problem::unexpected("the sound was not read"))?;
        let delivery = self.delivery();
        let samples =
            |frames: f64| (frames / self.grid().rate.per_second() * f64::from(sound.rate())).round();
        let own =
            sound.shifted(samples(self.sampled.before as f64) as i64, samples(self.frames() as f64) as usize);
        Ok(wave::broadcast(&own, self.grid().first, self.grid().rate, &delivery.timing.text)?)
    }

    /// What is kept beside any file of it.
    pub fn facts(&self) -> NewDelivered {
        let grid = self.grid();
        NewDelivered {
            frames: self.frames() as i64,
            first_frame: grid.first.0,
            rate: grid.rate.to_string(),
            state: self.state.clone(),
            ..NewDelivered::default()
        }
    }

    /// A file of it, to be kept.
    pub fn kept(&self, file: OutFile, recipe: &Recipe) -> NewDelivered {
        to_be_kept(file, recipe, self.facts())
    }

    /// It as a shot of a timeline, by what it gives to be written.
    pub fn shot<'a>(&self, delivery: &Delivery<'a>, movie: Option<&'a str>, sound: &'a str) -> Shot<'a> {
        Shot {
            name: delivery.name,
            gap: 0,
            frames: delivery.frames() as i64,
            before: delivery.sampled.before.max(0),
            movie,
            sound: delivery.sound.map(|_| sound),
            samples: delivery.sound.map_or(0, |s| s.samples() as i64),
            hz: delivery.sound.map_or(48_000, Recording::rate),
            timing: delivery.timing,
        }
    }

    /// All its files of a kind.
    ///
    /// # Errors
    /// It lacks what the kind needs, or they are too large.
    pub fn files(&self, kind: FileKind, recipe: &Recipe) -> Answer<Vec<OutFile>> {
        let delivery = self.delivery();
        if kind == FileKind::UsdCache && delivery.point_cache()?.size() > MOST {
            let says = "The point cache of this line would be larger than this data file can keep; deliver a range of \
                        frames, or write it with the command line.";
            return Err(Problem::refused("kinds", "too_large", says));
        }
        let mut files = kept(delivery.files(kind, &recipe.clip)?)?;
        let folder = self.folder();
        files.iter_mut().for_each(|f| f.name.insert_str(0, folder));
        Ok(files)
    }
}

/// Files that the data file can keep.
pub fn kept(files: Vec<OutFile>) -> Answer<Vec<OutFile>> {
    if files.iter().any(|f| f.bytes.len() > MOST) {
        let says = "A file would be larger than this data file can keep; deliver a range of frames.";
        return Err(Problem::refused("kinds", "too_large", says));
    }
    Ok(files)
}

/// A file with how it was made and what is kept beside it.
pub fn to_be_kept(file: OutFile, recipe: &Recipe, facts: NewDelivered) -> NewDelivered {
    NewDelivered {
        file_name: file.name,
        media_type: file.media_type.into(),
        bytes: file.bytes,
        kind: file.kind.key().into(),
        how: recipe.how(file.kind),
        ..facts
    }
}

/// What a recipe takes of a line.
pub fn stretch(recipe: &Recipe, character: Option<&Character>) -> Answer<Stretch> {
    let rate = recipe.rate().map_err(|e| Problem::refused("rate", "frame_rate_wrong", e))?;
    let mut stretch = Stretch { rate, ..Stretch::default() };
    match recipe.length {
        Length::Sound => {}
        Length::Body => {
            let clips = character.map(Character::animations).unwrap_or_default();
            stretch.at_least = clips.into_iter().map(|(_, length)| length).fold(Seconds::ZERO, Seconds::max);
        }
        Length::Frames { first, last } => {
            let frames = frames_of(first, last);
            stretch.frames = Some(frames.map_err(|e| Problem::refused("length", "frames_wrong", e))?);
        }
    }
    Ok(stretch)
}

/// Lines of one character as clips of one file.
///
/// # Errors
/// There is no character, or it cannot be prepared.
pub fn clips(lines: &[Ready], recipe: &Recipe) -> Answer<NewDelivered> {
    let deliveries: Vec<Delivery<'_>> = lines.iter().map(Ready::delivery).collect();
    let bytes = together(&deliveries, &recipe.clip)?;
    let first =
        lines.first().ok_or_else(|| Problem::from(DeliverError::NoCharacter("Animated character")))?;
    let name = format!("{}{}.glb", first.folder(), whole_name(first, first.title.as_deref()));
    let file = OutFile { kind: FileKind::Glb, name, media_type: "model/gltf-binary", bytes, shared: false };
    Ok(first.kept(file, recipe))
}

/// Lines in their order as one timeline. `movie` tells the file name of a line's movie, if it has one.
///
/// # Errors
/// There is no line.
pub fn timeline(lines: &[Ready], gap: u32, movie: impl Fn(i32) -> Option<String>) -> Answer<NewDelivered> {
    let first = lines.first().ok_or_else(|| Problem::from(StoreError::NotFound))?;
    let deliveries: Vec<Delivery<'_>> = lines.iter().map(Ready::delivery).collect();
    let movies: Vec<Option<String>> = lines.iter().map(|l| movie(l.id)).collect();
    let sounds: Vec<String> = lines.iter().map(|l| format!("{}.wav", l.stem)).collect();
    let mut shots: Vec<Shot<'_>> = Vec::with_capacity(lines.len());
    for (i, delivery) in deliveries.iter().enumerate() {
        let gap = if i == 0 { 0 } else { i64::from(gap) };
        shots.push(Shot { gap, ..lines[i].shot(delivery, movies[i].as_deref(), &sounds[i]) });
    }
    let grid = first.grid();
    let text = otio(
        &first.naming.production,
        grid.rate,
        grid.first,
        &[Row { names: ["pictures", "voices"], shots }],
    );
    let name = format!("{}.otio", whole_name(first, None));
    let facts = first.facts();
    Ok(NewDelivered {
        file_name: name,
        media_type: "application/json".into(),
        bytes: text.into(),
        kind: TIMELINE.into(),
        ..facts
    })
}
