//! The face that plays, sent to other programs while it plays: to an address that was typed, and to whoever listens on the
//! WebSocket. A thread of its own sends, each face [`AHEAD`] of its moment; what it sends is prepared by `onward.rs`.

pub mod clock;

use crate::problem::{Answer, Problem};
use clock::{Moment, Playing, ours, since_1970};
use jam_desk::Played;
use jam_formats::live::osc::{Addressed, packets};
use jam_formats::live::{AHEAD, Clock, Shown};
use jam_formats::out::capture::CaptureFace;
use jam_score::{FrameGrid, Seconds};
use serde::{Deserialize, Serialize};
use std::collections::VecDeque;
use std::net::{SocketAddr, ToSocketAddrs, UdpSocket};
use std::sync::{Arc, Condvar, Mutex, MutexGuard, PoisonError};
use std::time::{Duration, Instant};
use tokio::sync::{broadcast, watch};

/// Faces a second: as many as curves have values, so that what is drawn between two is the curve itself.
pub const USUAL_RATE: f64 = 100.0;
/// Fewest and most faces a second.
const RATES: std::ops::RangeInclusive<f64> = 1.0..=240.0;
/// A WebSocket's address begins with it.
const WEB_SOCKET: &str = "ws://";
/// How long it is said that nobody listens, after word of it came.
const REFUSED: Duration = Duration::from_secs(2);
/// How late the machine may be before faces are left out instead of sent behind each other, seconds.
const BEHIND: f64 = 0.02;
/// Most faces of a voice that wait to be sent: some tenths of a second.
const SPOKEN: usize = 64;

/// Where faces go, and how.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize, utoipa::ToSchema)]
#[serde(deny_unknown_fields)]
pub struct SendOrder {
    /// `127.0.0.1:7422` takes OSC over UDP; `ws://127.0.0.1:9000/face` is a WebSocket that is called.
    pub to: String,
    #[serde(default)]
    pub addressed: Addressed,
    /// Faces a second.
    #[serde(default = "usual_rate")]
    pub rate: f64,
}

fn usual_rate() -> f64 {
    USUAL_RATE
}

/// What is sent now.
#[derive(Debug, Clone, PartialEq, Serialize, utoipa::ToSchema)]
pub struct SendState {
    /// Where to; none if nothing was asked for.
    pub order: Option<SendOrder>,
    /// Programs that listen on the WebSocket of this server.
    pub listeners: usize,
    /// Faces sent since that began.
    pub faces: u64,
    /// The line that plays or stands.
    pub line: Option<i32>,
    /// Whether it plays.
    pub plays: bool,
    /// Why nothing arrives, as far as is known.
    pub problem: Option<String>,
}

enum Target {
    Osc {
        socket: UdpSocket,
        address: SocketAddr,
    },
    /// A task of its own listens to the broadcast and calls it.
    WebSocket,
}

struct To {
    order: SendOrder,
    target: Arc<Target>,
}

/// A face that was made from a voice as it came.
struct Spoken {
    moment: Moment,
    controls: Vec<f32>,
}

#[derive(Default)]
struct State {
    to: Option<To>,
    /// Counts orders, so that what serves an older one ends.
    orders: u64,
    playing: Option<Playing>,
    /// Which page says so.
    page: u64,
    prepared: Option<(i32, Arc<Played>)>,
    /// The voice that came in last, and its faces; they go before any line.
    spoken: Option<(u64, VecDeque<Spoken>)>,
    /// Counts voices.
    voices: u64,
    faces: u64,
    refused: Option<(Instant, String)>,
    works: bool,
}

/// Sends faces, if anybody wants them.
pub struct Sending {
    state: Mutex<State>,
    changed: Condvar,
    json: broadcast::Sender<Arc<str>>,
    /// The line whose curves are wanted.
    wanted: watch::Sender<Option<i32>>,
}

impl Default for Sending {
    fn default() -> Sending {
        Sending {
            state: Mutex::default(),
            changed: Condvar::new(),
            json: broadcast::channel(256).0,
            wanted: watch::channel(None).0,
        }
    }
}

impl Sending {
    fn held(&self) -> MutexGuard<'_, State> {
        self.state.lock().unwrap_or_else(PoisonError::into_inner)
    }

    pub fn state(&self) -> SendState {
        let state = self.held();
        let refused = state.refused.as_ref().filter(|(at, _)| at.elapsed() < REFUSED);
        let calls = state.to.as_ref().is_some_and(|t| matches!(*t.target, Target::WebSocket));
        SendState {
            order: state.to.as_ref().map(|t| t.order.clone()),
            // The call to a WebSocket that was asked for listens, too, and is no program of somebody else.
            listeners: self.json.receiver_count().saturating_sub(usize::from(calls)),
            faces: state.faces,
            line: state.playing.as_ref().map(|p| p.line),
            plays: state.playing.as_ref().is_some_and(|p| p.plays(ours())),
            problem: refused.map(|(_, why)| why.clone()),
        }
    }

    /// Sends there from now on. Looks a name up, so it may take a while.
    ///
    /// # Errors
    /// The address is none.
    pub fn send_to(&self, order: SendOrder) -> Answer<u64> {
        if !RATES.contains(&order.rate) {
            let says = format!("{} to {} faces a second can be sent.", RATES.start(), RATES.end());
            return Err(Problem::refused("rate", "no_rate", says));
        }
        let target = if order.to.starts_with(WEB_SOCKET) {
            Target::WebSocket
        } else {
            let refused = |why: String| {
                let says = format!(
                    "Nothing can be sent to “{}” ({why}); type an address and a port, as 127.0.0.1:7422, or a WebSocket, as ws://127.0.0.1:9000/face.",
                    order.to
                );
                Problem::refused("to", "no_address", says)
            };
            let mut found = order.to.to_socket_addrs().map_err(|e| refused(e.to_string()))?;
            let address = found.next().ok_or_else(|| refused("no such name".into()))?;
            let own = if address.is_ipv4() { "0.0.0.0:0" } else { "[::]:0" };
            let socket = UdpSocket::bind(own)
                .and_then(|s| s.set_broadcast(true).and_then(|()| s.connect(address)).map(|()| s));
            Target::Osc { socket: socket.map_err(|e| refused(e.to_string()))?, address }
        };
        let mut state = self.held();
        state.to = Some(To { order, target: Arc::new(target) });
        state.orders += 1;
        (state.faces, state.refused) = (0, None);
        let number = state.orders;
        drop(state);
        self.tell();
        Ok(number)
    }

    /// Sends nowhere any more.
    pub fn send_nowhere(&self) {
        let mut state = self.held();
        (state.to, state.refused) = (None, None);
        state.orders += 1;
        drop(state);
        self.tell();
    }

    /// The WebSocket that is to be called for an order, as long as that order holds.
    pub fn calls(&self, order: u64) -> Option<String> {
        let state = self.held();
        let to = state.to.as_ref().filter(|_| state.orders == order)?;
        matches!(*to.target, Target::WebSocket).then(|| to.order.to.clone())
    }

    /// A WebSocket could not be called.
    pub fn refused(&self, order: u64, why: String) {
        let mut state = self.held();
        if state.orders == order {
            state.refused = Some((Instant::now(), why));
        }
    }

    /// Faces as JSON, from now on.
    pub fn listen(&self) -> broadcast::Receiver<Arc<str>> {
        let faces = self.json.subscribe();
        self.tell();
        faces
    }

    /// Which line is to be prepared, as that changes.
    pub fn wanted(&self) -> watch::Receiver<Option<i32>> {
        self.wanted.subscribe()
    }

    /// Where page `page` is; nowhere if it shows no line.
    pub fn report(&self, page: u64, clock: &mut clock::PageClock, report: Option<&clock::Report>) {
        let now = ours();
        let mut state = self.held();
        match report {
            Some(report) if report.is_sound() => {
                let at = clock.ours(report.at, now);
                // What merely goes on takes nothing from a page where somebody did something since.
                if report.goes_on && state.page != page {
                    return;
                }
                state.playing = Some(Playing::reported(state.playing.as_ref(), report, at, now));
                state.page = page;
            }
            None if state.page == page => state.playing = None,
            _ => return,
        }
        drop(state);
        self.tell();
    }

    /// A page is gone: what it played stands.
    pub fn left(&self, page: u64) {
        let mut state = self.held();
        if state.page != page {
            return;
        }
        state.playing = state.playing.as_ref().map(|p| p.stopped(ours()));
        drop(state);
        self.tell();
    }

    /// Keeps a line's curves for sending.
    pub fn prepared(&self, line: i32, played: Option<Arc<Played>>) {
        self.held().prepared = played.map(|played| (line, played));
        self.changed.notify_all();
    }

    /// A voice comes in, whose faces go out instead of any line and of any voice before; its number.
    pub fn voice_comes(&self) -> u64 {
        let mut state = self.held();
        state.voices += 1;
        let voice = state.voices;
        state.spoken = Some((voice, VecDeque::new()));
        drop(state);
        self.tell();
        voice
    }

    /// A face of that voice: `time` seconds of it are to be seen at `show`, by our clock.
    pub fn voice_says(&self, voice: u64, show: f64, time: f64, controls: &[f32]) {
        let mut state = self.held();
        if let Some((_, spoken)) = state.spoken.as_mut().filter(|(own, _)| *own == voice) {
            // Nobody may be there to send them.
            if spoken.len() >= SPOKEN {
                spoken.pop_front();
            }
            let moment = Moment { show, time, speed: 1.0 };
            spoken.push_back(Spoken { moment, controls: controls.to_vec() });
        }
        drop(state);
        self.changed.notify_all();
    }

    /// It ended.
    pub fn voice_ends(&self, voice: u64) {
        self.held().spoken.take_if(|(own, _)| *own == voice);
        self.tell();
    }

    fn listened(&self) -> bool {
        self.json.receiver_count() > 0
    }

    /// Whether anybody wants faces.
    fn wants(&self, state: &State) -> bool {
        state.to.is_some() || self.listened()
    }

    /// Tells the thread that sends, and whoever prepares lines, of a change.
    fn tell(&self) {
        let mut state = self.held();
        let line = state.playing.as_ref().filter(|_| self.wants(&state)).map(|p| p.line);
        if state.prepared.as_ref().is_some_and(|(id, _)| Some(*id) != line) {
            state.prepared = None;
        }
        drop(state);
        self.wanted.send_if_modified(|old| std::mem::replace(old, line) != line);
        self.changed.notify_all();
    }

    /// Whether somebody must start [`Sending::work`].
    pub fn takes_up(&self) -> bool {
        let mut state = self.held();
        self.wants(&state) && !std::mem::replace(&mut state.works, true)
    }

    /// Sends until nobody wants faces any more: for a thread of its own.
    pub fn work(&self) {
        let face = CaptureFace::new();
        let mut row = Row::default();
        let mut seq = 0;
        loop {
            let mut state = self.held();
            if !self.wants(&state) {
                state.works = false;
                return;
            }
            let rate = state.to.as_ref().map_or(USUAL_RATE, |t| t.order.rate);
            let now = ours();
            let (moment, controls, frame) = match row.next(&mut state, now, 1.0 / rate) {
                Next::Send(moment, controls, frame) => (moment, controls, frame),
                Next::Wait(seconds) => {
                    let wait = Duration::from_secs_f64(seconds.clamp(0.0, 1.0));
                    // Woken by a change or by time: in both cases what is next is asked for anew.
                    drop(self.changed.wait_timeout(state, wait).unwrap_or_else(PoisonError::into_inner));
                    continue;
                }
            };
            let to = state.to.as_ref().map(|t| (t.target.clone(), t.order.addressed));
            drop(state);
            let Moment { show, time, speed } = moment;
            let show = since_1970(show);
            let clock = Clock { seq, show, time, frame, speed: speed as f32 };
            let shown = Shown::new(clock, &face, &controls.at(time));
            seq = seq.wrapping_add(1).max(0);
            let mut refused = None;
            if let Some((Target::Osc { socket, address }, addressed)) = to.as_ref().map(|(t, a)| (&**t, *a)) {
                for packet in packets(&shown, addressed) {
                    if let Err(error) = socket.send(&packet) {
                        refused = Some(match error.kind() {
                            std::io::ErrorKind::ConnectionRefused => {
                                format!("Nothing listens at {address} yet.")
                            }
                            _ => format!("Nothing can be sent to {address}: {error}."),
                        });
                    }
                }
            }
            if self.listened() {
                // Nobody left meanwhile is fine.
                let _ = self.json.send(shown.json().into());
            }
            let mut state = self.held();
            state.faces += 1;
            if let Some(why) = refused {
                state.refused = Some((Instant::now(), why));
            }
        }
    }
}

/// What a face is made of.
enum Controls {
    Line(Arc<Played>),
    Here(Vec<f32>),
}

impl Controls {
    fn at(&self, time: f64) -> Vec<f32> {
        match self {
            Controls::Line(played) => played.face.face_at(Seconds(time)),
            Controls::Here(controls) => controls.clone(),
        }
    }
}

enum Next {
    Send(Moment, Controls, i32),
    /// Seconds until then, if nothing changes.
    Wait(f64),
}

fn frame_of(grid: FrameGrid, time: f64) -> i32 {
    i32::try_from(grid.frame_at(Seconds(time)).0).unwrap_or(i32::MAX)
}

/// How far sending is.
#[derive(Default)]
struct Row {
    /// The row of faces that is sent, and its next step.
    of: Option<u64>,
    step: i64,
    /// When a face that stands was sent last.
    stood: f64,
}

impl Row {
    /// The face to be sent next, or how long there is none; `every` seconds there is one.
    fn next(&mut self, state: &mut State, now: f64, every: f64) -> Next {
        if let Some((_, spoken)) = &mut state.spoken {
            self.of = None;
            while spoken.pop_front_if(|s| s.moment.show < now - BEHIND).is_some() {}
            let Some(spoken) = spoken.pop_front() else { return Next::Wait(1.0) };
            return Next::Send(spoken.moment, Controls::Here(spoken.controls), 0);
        }
        let Some(playing) = &state.playing else { return Next::Wait(1.0) };
        let Some((_, played)) = state.prepared.as_ref().filter(|(line, _)| *line == playing.line) else {
            return Next::Wait(1.0);
        };
        let begins = self.of != Some(playing.row);
        self.of = Some(playing.row);
        let send = |moment: Moment| {
            Next::Send(moment, Controls::Line(played.clone()), frame_of(played.grid, moment.time))
        };
        if !playing.plays(now) {
            let due = self.stood + every;
            if !begins && due > now {
                return Next::Wait(due - now);
            }
            self.stood = now;
            return send(playing.standing(now));
        }
        if begins {
            self.step = playing.step_from(now, every);
        }
        let mut moment = playing.step(self.step, every);
        if moment.show < now - BEHIND {
            self.step = playing.step_from(now, every);
            moment = playing.step(self.step, every);
        }
        let due = moment.show - AHEAD;
        if due > now {
            return Next::Wait(due - now);
        }
        self.step += 1;
        send(moment)
    }
}
