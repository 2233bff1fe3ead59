//! What every request can reach.

use crate::Settings;
use crate::capture::Capture;
use crate::evaluate::Evaluations;
use crate::jobs::Jobs;
use crate::models::Models;
use crate::problem::{Answer, Problem};
use crate::voices::{Voice, Voices};
use jam_formats::{sound, test_line};
use jam_score::{Line, Prosody, Timing};
use jam_store::Store;
use jam_voice::{AnalyseError, Analyser, WordList, accents, notation};
use serde::Serialize;
use std::sync::{Arc, OnceLock};
use tokio::sync::broadcast;

/// Something that changed, told to every open page.
#[derive(Debug, Clone, Serialize)]
#[serde(tag = "type", rename_all = "snake_case")]
pub enum Event {
    /// A line changed, or a new one came.
    Line {
        id: i32,
    },
    Job {
        job: crate::jobs::Job,
    },
    Deliveries,
    Production,
    Cast,
}

/// The running application.
pub struct App {
    pub(crate) store: Store,
    pub(crate) settings: Settings,
    pub(crate) analyser: Analyser,
    pub(crate) jobs: Jobs,
    pub(crate) voices: Voices,
    pub(crate) evaluations: Evaluations,
    pub(crate) models: Models,
    pub(crate) capture: Arc<Capture>,
    test_line: OnceLock<Timing>,
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
            evaluations: Evaluations::default(),
            models: Models::default(),
            capture: Arc::default(),
            test_line: OnceLock::new(),
            events: broadcast::channel(1024).0,
        })
    }

    /// Times of the line that the test walk ends with, found once.
    pub(crate) fn test_line(&self) -> Answer<&Timing> {
        if let Some(timing) = self.test_line.get() {
            return Ok(timing);
        }
        let recording = sound::read(test_line::RECORDING)?;
        let found = self.analyser.analyse(&recording, test_line::TEXT, &|_| true);
        Ok(self.test_line.get_or_init(|| match found {
            Ok(found) => found.timing,
            // It ships with the program and is analysed in its tests.
            Err(error) => {
                tracing::error!("the test line cannot be analysed: {error}");
                Timing::default()
            }
        }))
    }

    /// A recording as a line listens to it.
    pub(crate) fn voice(&self, recording: &str, line: &Line) -> Answer<Arc<Voice>> {
        self.voices.get(recording, line.listen.channel, || Ok::<_, Problem>(self.store.blob(recording)?))
    }

    /// What the layers of a line hear in a recording; nothing without times.
    pub(crate) fn heard(&self, recording: &str, line: &Line) -> Answer<Prosody> {
        let Some(timing) = &line.timing else { return Ok(Prosody::default()) };
        Ok(accents::prosody(timing, &self.voice(recording, line)?.tracks))
    }

    /// How words are said in this production.
    pub(crate) fn word_list(&self) -> Answer<WordList> {
        let words = self.store.said_as()?.into_iter();
        // What is kept was read before it was kept.
        Ok(words.filter_map(|(word, sounds)| Some((word, vec![notation::parse(&sounds).ok()?]))).collect())
    }

    pub(crate) fn tell(&self, event: Event) {
        // Nobody listening is fine.
        let _ = self.events.send(event);
    }

    pub(crate) fn listen(&self) -> broadcast::Receiver<Event> {
        self.events.subscribe()
    }
}
