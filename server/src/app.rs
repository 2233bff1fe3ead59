//! What every request can reach.

use crate::Settings;
use crate::along::Along;
use crate::capture::Capture;
use crate::checked::Checked;
use crate::evaluations::Evaluations;
use crate::jobs::job::{Batch, Job, Jobs};
use crate::models::{Grounds, Measured, Model, Models};
use crate::problem::{Answer, Problem};
use crate::sending::Sending;
use crate::shapings::Shapings;
use crate::stagings::Stagings;
use crate::states::States;
use crate::version::Version;
use crate::visitors::Visitors;
use crate::voices::{Speeches, Spoken, Voice, Voices};
use jam_formats::{sound, test_line};
use jam_rig::{Figure, Mouth};
use jam_score::{Language, Line, Timing};
use jam_store::{SaidAs, Store};
use jam_voice::{AnalyseError, Analyser, WordList, notation};
use serde::Serialize;
use std::sync::atomic::{AtomicU64, Ordering};
use std::sync::{Arc, Mutex, OnceLock, PoisonError};
use tokio::sync::broadcast;

/// Something that changed, sent to every open page.
#[derive(Debug, Clone, Serialize)]
#[serde(tag = "type", rename_all = "snake_case")]
pub enum Event {
    /// A line changed: to which revision, by what, in words, and by which gesture of which page. Of times that came
    /// there are no words: nobody's hand changed it.
    Line {
        id: i32,
        revision: i64,
        words: Option<String>,
        gesture: Option<String>,
    },
    /// What is known about a line changed, not the line: a new one came, its analysis ended.
    State {
        id: i32,
    },
    Job {
        job: Job,
    },
    /// Lines that were asked for together are further on.
    Batch {
        batch: Batch,
    },
    Deliveries,
    Production,
    /// A character's wiring changed, as a line does.
    Wiring {
        id: i32,
        revision: i64,
        words: Option<String>,
        gesture: Option<String>,
    },
    /// Shapes for a character are being made: how far that is, 0..1; at its end none, with what went wrong, if anything.
    Shaping {
        id: i32,
        done: Option<f64>,
        problem: Option<String>,
    },
    /// What the production keeps under a name: poses, sets of curves.
    Poses,
    Cast,
}

/// The running application.
pub struct App {
    pub store: Store,
    pub(crate) settings: Settings,
    pub(crate) analyser: Analyser,
    pub(crate) jobs: Jobs,
    pub(crate) voices: Voices,
    pub(crate) speeches: Speeches,
    pub(crate) evaluations: Evaluations,
    pub(crate) models: Models,
    pub(crate) grounds: Grounds,
    pub(crate) mouths: Measured<Mouth>,
    pub(crate) figures: Measured<Figure>,
    pub(crate) stagings: Stagings,
    pub(crate) shapings: Shapings,
    pub(crate) capture: Arc<Capture>,
    pub(crate) states: States,
    pub(crate) checked: Checked,
    pub(crate) visitors: Visitors,
    pub(crate) sending: Arc<Sending>,
    pub(crate) along: Arc<Along>,
    test_line: OnceLock<Timing>,
    /// The film that was asked for last, by its hash: a player asks for it piece by piece.
    film: Mutex<Option<(String, Arc<Vec<u8>>)>>,
    /// How often cast or production changed since the start.
    epoch: AtomicU64,
    events: broadcast::Sender<Event>,
}

impl App {
    pub fn new(store: Store, settings: Settings) -> Result<App, AnalyseError> {
        Ok(App {
            store,
            settings,
            analyser: Analyser::shipped()?,
            jobs: Jobs::default(),
            voices: Voices::default(),
            speeches: Speeches::default(),
            evaluations: Evaluations::default(),
            models: Models::default(),
            grounds: Grounds::default(),
            mouths: Measured::default(),
            figures: Measured::default(),
            stagings: Stagings::default(),
            shapings: Shapings::default(),
            capture: Arc::default(),
            states: States::default(),
            checked: Checked::default(),
            visitors: Visitors::default(),
            sending: Arc::default(),
            along: Arc::default(),
            test_line: OnceLock::new(),
            film: Mutex::default(),
            epoch: AtomicU64::new(0),
            events: broadcast::channel(1024).0,
        })
    }

    /// Times of the line that the test walk ends with, found once.
    pub(crate) fn test_line(&self) -> Answer<&Timing> {
        if let Some(timing) = self.test_line.get() {
            return Ok(timing);
        }
        let recording = sound::read(test_line::RECORDING)?;
        // It ships with the program and is analysed in its tests.
        let found = self.analyser.analyse(&recording, test_line::TEXT, &|_| true);
        let found =
            found.map_err(|e| Problem::unexpected(format!("the test line cannot be analysed: {e}")))?;
        Ok(self.test_line.get_or_init(|| found.timing))
    }

    /// A character's file by its hash.
    pub(crate) fn model(&self, hash: &str) -> Answer<Arc<Model>> {
        self.models.get(&self.store, hash)
    }

    /// A film by its hash.
    pub(crate) fn film(&self, hash: &str) -> Answer<Arc<Vec<u8>>> {
        let mut kept = self.film.lock().unwrap_or_else(PoisonError::into_inner);
        if let Some((_, bytes)) = kept.as_ref().filter(|(own, _)| own == hash) {
            return Ok(bytes.clone());
        }
        let bytes = Arc::new(self.store.blob(hash)?);
        *kept = Some((hash.to_string(), bytes.clone()));
        Ok(bytes)
    }

    /// A recording by its hash: its mix, or one channel.
    pub(crate) fn voice(&self, recording: &str, channel: Option<u32>) -> Answer<Arc<Voice>> {
        self.voices.get(&self.store, recording, channel)
    }

    /// How a line is spoken, none without times.
    pub(crate) fn spoken(
        &self,
        version: Version,
        line: &Line,
        recording: &str,
    ) -> Answer<Option<Arc<Spoken>>> {
        self.speeches.get(|recording, channel| self.voice(recording, channel), version, line, recording)
    }

    /// How often cast or production changed since the start: curves of lines depend on them.
    pub(crate) fn epoch(&self) -> u64 {
        self.epoch.load(Ordering::Acquire)
    }

    /// How words of a language are said in this production.
    pub(crate) fn word_list(&self, language: Option<&Language>) -> Answer<WordList> {
        let own = self.store.said_as()?.into_iter().filter(|said| said.language.as_ref() == language);
        // What is kept was read before it was kept.
        let said = |s: SaidAs| Some((s.word, vec![notation::parse_in(&s.sounds, language).ok()?]));
        Ok(own.filter_map(said).collect())
    }

    pub(crate) fn tell(&self, event: Event) {
        if matches!(event, Event::Cast | Event::Wiring { .. } | Event::Production) {
            self.epoch.fetch_add(1, Ordering::Release);
        }
        // Nobody listening is fine.
        let _ = self.events.send(event);
    }

    pub(crate) fn listen(&self) -> broadcast::Receiver<Event> {
        self.events.subscribe()
    }
}
