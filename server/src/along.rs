//! Faces that speak along with voices that come in: one thread a voice. What was heard of a take is kept until the take
//! itself is brought in.

use crate::problem::{Answer, Problem};
use crate::sending::Sending;
use crate::sending::clock::{PageClock, since_1970};
use crate::visitors::Visitors;
use jam_desk::live::{DELAY, LiveFace, Spoken};
use jam_formats::live::{Clock, Shown};
use jam_formats::out::capture::CaptureFace;
use jam_rig::Wiring;
use jam_score::{FrameGrid, Line, Seconds, Timing};
use jam_sound::Flow;
use jam_voice::{Analyser, features};
use serde_json::json;
use std::collections::VecDeque;
use std::sync::mpsc::{Receiver, SyncSender, sync_channel};
use std::sync::{Arc, Mutex, PoisonError};
use tokio::sync::OwnedSemaphorePermit;
use tokio::sync::mpsc::Sender;

/// Voices at a time: each takes a share of a core.
const VOICES: usize = 4;
/// Takes whose sounds are kept.
const TAKES: usize = 16;
/// Messages that may wait for the thread: seconds of voice; of a machine that is so far behind nothing comes of it.
const WAITING: usize = 512;
/// Rates that a microphone may have.
pub const RATES: std::ops::RangeInclusive<u32> = 8_000..=192_000;

/// What comes of a voice.
pub enum Came {
    /// Samples, and when they were there.
    Samples(Vec<f32>, f64),
    /// A take begins, or ends, with the next sample.
    Begin,
    End,
}

/// Voices that come in, and what was heard of takes.
pub struct Along {
    pub voices: Visitors,
    takes: Mutex<(u64, VecDeque<(u64, Timing)>)>,
}

impl Default for Along {
    fn default() -> Along {
        Along { voices: Visitors::of(VOICES), takes: Mutex::default() }
    }
}

impl Along {
    fn keep(&self, timing: Timing) -> u64 {
        let mut takes = self.takes.lock().unwrap_or_else(PoisonError::into_inner);
        takes.0 += 1;
        let number = takes.0;
        if takes.1.len() >= TAKES {
            takes.1.pop_front();
        }
        takes.1.push_back((number, timing));
        number
    }

    /// What was heard of a take, by its number.
    pub fn heard(&self, take: u64) -> Option<Timing> {
        let takes = self.takes.lock().unwrap_or_else(PoisonError::into_inner);
        takes.1.iter().find(|(number, _)| *number == take).map(|(_, timing)| timing.clone())
    }
}

/// Who speaks along, and how.
pub struct Speaker {
    pub line: Line,
    pub wiring: Wiring,
    pub grid: FrameGrid,
    /// Samples a second.
    pub rate: u32,
    /// Whether the values of the wiring's outputs are wanted, too.
    pub outputs: bool,
    /// Whether only the newest of those faces is wanted that are made together.
    pub newest: bool,
}

/// A voice that comes in.
pub struct Voice {
    to: SyncSender<Came>,
}

impl Voice {
    /// Starts a thread that answers with messages until the voice is dropped.
    ///
    /// # Errors
    /// The rate is none, or the model cannot be used.
    pub fn start(
        along: Arc<Along>,
        sending: Arc<Sending>,
        place: OwnedSemaphorePermit,
        speaker: Speaker,
        answers: Sender<String>,
    ) -> Answer<Voice> {
        if !RATES.contains(&speaker.rate) {
            let says = format!("A voice comes at {} to {} samples a second.", RATES.start(), RATES.end());
            return Err(Problem::refused("rate", "rate_wrong", says));
        }
        let flow = Flow::new(speaker.rate, features::RATE).map_err(Problem::unexpected)?;
        let analyser = Analyser::shipped().map_err(Problem::unexpected)?;
        let face = LiveFace::new(&analyser, &speaker.line, speaker.grid).map_err(Problem::unexpected)?;
        let (to, came) = sync_channel(WAITING);
        std::thread::spawn(move || {
            let _place = place;
            let voice = sending.voice_comes();
            Work { along: &along, sending: &sending, voice, speaker, flow, face, answers }.run(&came);
            sending.voice_ends(voice);
        });
        Ok(Voice { to })
    }

    /// Hands on what came; false where the thread is too far behind, or gone.
    pub fn take(&self, came: Came) -> bool {
        self.to.try_send(came).is_ok()
    }
}

struct Work<'a> {
    along: &'a Along,
    sending: &'a Sending,
    /// The number of the voice there.
    voice: u64,
    speaker: Speaker,
    flow: Flow,
    face: LiveFace,
    answers: Sender<String>,
}

impl Work<'_> {
    fn run(&mut self, came: &Receiver<Came>) {
        let drawn = CaptureFace::new();
        let mut clock = PageClock::default();
        let mut samples = Vec::new();
        let (mut taken, mut seq, mut began) = (0usize, 0i32, None);
        while let Ok(came) = came.recv() {
            let at = taken as f64 / f64::from(self.speaker.rate);
            match came {
                Came::Begin => began = Some(at),
                Came::End => {
                    if let Some(began) = began.take()
                        && !self.end(Seconds(began))
                    {
                        return;
                    }
                }
                Came::Samples(new, arrived) => {
                    taken += new.len();
                    let at = taken as f64 / f64::from(self.speaker.rate);
                    let offset = clock.ours(at, arrived) - at;
                    samples.clear();
                    if self.flow.push(&new, &mut samples).is_err() {
                        return;
                    }
                    let faces = self.face.take(&samples);
                    let last = faces.len().saturating_sub(1);
                    for (k, Spoken { time, controls }) in faces.into_iter().enumerate() {
                        let show = offset + time + DELAY;
                        self.sending.voice_says(self.voice, show, time, &controls);
                        if self.speaker.newest && k < last {
                            continue;
                        }
                        let show = since_1970(show);
                        let frame = self.speaker.grid.frame_at(Seconds(time)).0;
                        let frame = i32::try_from(frame).unwrap_or(i32::MAX);
                        let shown =
                            Shown::new(Clock { seq, show, time, frame, speed: 1.0 }, &drawn, &controls);
                        seq = seq.wrapping_add(1).max(0);
                        let outputs = match self.speaker.outputs {
                            true => self.speaker.wiring.apply_with(&controls, None),
                            false => Vec::new(),
                        };
                        if self.answers.blocking_send(shown.json_with(outputs)).is_err() {
                            return;
                        }
                    }
                }
            }
        }
    }

    /// Tells what was heard of a take that ends here; false if nobody listens.
    fn end(&self, began: Seconds) -> bool {
        let answer = match self.face.heard_since(began) {
            Ok(timing) => {
                let sounds: Vec<_> = timing
                    .sounds
                    .iter()
                    .map(|s| {
                        json!({"phone": s.phone.name(), "start": s.span.start, "end": s.span.end, "confidence": s.confidence})
                    })
                    .collect();
                json!({"take": self.along.keep(timing), "sounds": sounds})
            }
            Err(refusal) => json!({ "problem": refusal.says }),
        };
        self.answers.blocking_send(answer.to_string()).is_ok()
    }
}
