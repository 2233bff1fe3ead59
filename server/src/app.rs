//! What every request can reach.

use crate::evaluate::Evaluations;
use crate::jobs::Jobs;
use crate::voices::Voices;
use jam_store::Store;
use jam_voice::{AnalyseError, Analyser};
use serde::Serialize;
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
    pub(crate) analyser: Analyser,
    pub(crate) jobs: Jobs,
    pub(crate) voices: Voices,
    pub(crate) evaluations: Evaluations,
    events: broadcast::Sender<Event>,
}

impl App {
    pub fn new(store: Store) -> Result<App, AnalyseError> {
        Ok(App {
            store,
            analyser: Analyser::shipped()?,
            jobs: Jobs::default(),
            voices: Voices::default(),
            evaluations: Evaluations::default(),
            events: broadcast::channel(1024).0,
        })
    }

    pub(crate) fn tell(&self, event: Event) {
        // Nobody listening is fine.
        let _ = self.events.send(event);
    }

    pub(crate) fn listen(&self) -> broadcast::Receiver<Event> {
        self.events.subscribe()
    }
}
