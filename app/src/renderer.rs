//! `jamlips stand-in renderer`: receives a face as a renderer does, draws it in the terminal, and says how it arrives.

mod drawing;

use anyhow::Context;
use futures_util::StreamExt;
use jam_formats::live::osc::{self, Piece};
use jam_formats::live::receiver::{Counts, Receiver};
use jam_formats::live::{AHEAD, Shown, now};
use jam_rig::propose::COEFFICIENTS;
use serde::Serialize;
use std::collections::VecDeque;
use std::io::{IsTerminal, Write};
use std::net::{SocketAddr, UdpSocket};
use std::path::PathBuf;
use std::sync::{Arc, Mutex, PoisonError};
use std::time::{Duration, Instant};
use tokio_tungstenite::tungstenite::Message;

#[derive(clap::Args)]
pub struct Renderer {
    /// Receives OSC there; type the same address into “Send”.
    #[arg(long, default_value = "127.0.0.1:7422", value_name = "ADDRESS")]
    osc: SocketAddr,
    /// Listens on the WebSocket of the running Jam Lips there instead.
    #[arg(long, value_name = "ADDRESS")]
    server: Option<SocketAddr>,
    /// A capture table of the line at 100 frames a second, as Deliver writes it: how far what is seen is from it is said.
    #[arg(long, value_name = "FILE")]
    against: Option<PathBuf>,
    /// Ends after so many seconds from the first face on; without it, it goes on.
    #[arg(long, value_name = "SECONDS")]
    seconds: Option<f64>,
    /// Draws nothing, and prints how it arrived at its end, as JSON.
    #[arg(long)]
    json: bool,
}

/// Pictures a second, at moments of its own.
const PICTURES: f64 = 60.0;
/// Every which picture is drawn: a terminal is slow.
const DRAWN: u64 = 2;
/// How long somebody waits for a first face before it ends by itself, where it is to end.
const PATIENCE: Duration = Duration::from_secs(60);
/// Most measures that are kept.
const MEASURES: usize = 100_000;

/// What came, as the thread that receives leaves it.
#[derive(Default)]
struct Heard {
    receiver: Receiver,
    /// Milliseconds between a face's coming and its moment.
    ahead: VecDeque<f64>,
    /// Milliseconds by which the time between two arrivals differed from that between their moments.
    uneven: VecDeque<f64>,
    /// Moment and coming of the face before, and when the row of faces began that it is of.
    last: Option<(f64, f64, f64)>,
    /// Faces and when they came: what somebody would show who shows the newest at once.
    came: VecDeque<(f64, Vec<(usize, f32)>)>,
}

impl Heard {
    fn take(&mut self, piece: &Piece) {
        let arrived = now();
        self.receiver.take(piece, arrived);
        if let Some(clock) = piece.clock.filter(|c| c.speed > 0.0) {
            let goes_on = self.last.filter(|(show, ..)| (0.0..AHEAD).contains(&(clock.show - show)));
            let began = goes_on.map_or(clock.show, |(.., began)| began);
            // The first faces of a row come together, some of them but shortly before their moment.
            if let Some((show, came, _)) = goes_on.filter(|_| clock.show - began > 1.5 * AHEAD) {
                keep(&mut self.ahead, 1e3 * (clock.show - arrived), MEASURES);
                keep(&mut self.uneven, 1e3 * (arrived - came - (clock.show - show)).abs(), MEASURES);
            }
            self.last = Some((clock.show, arrived, began));
        }
        keep(&mut self.came, (arrived, piece.coefficients.clone()), 512);
    }
}

fn keep<T>(all: &mut VecDeque<T>, new: T, most: usize) {
    if all.len() >= most {
        all.pop_front();
    }
    all.push_back(new);
}

#[derive(Serialize, Default)]
struct Spread {
    p50: f64,
    p99: f64,
    max: f64,
}

fn spread(values: impl IntoIterator<Item = f64>) -> Spread {
    let mut values: Vec<f64> = values.into_iter().collect();
    values.sort_by(f64::total_cmp);
    let at = |share: f64| {
        let last = values.len().saturating_sub(1);
        values.get((last as f64 * share).round() as usize).copied().unwrap_or(0.0)
    };
    Spread { p50: at(0.5), p99: at(0.99), max: at(1.0) }
}

/// How the faces arrived.
#[derive(Serialize)]
struct Report {
    faces: u64,
    lost: u64,
    /// After their moment.
    late: u64,
    pictures: u64,
    /// From sending to coming, as far as the two clocks agree.
    latency_ms: Spread,
    step_jitter_ms: Spread,
    /// Largest difference of a coefficient from the table, over all pictures while it played.
    error: Option<Error>,
}

#[derive(Serialize, Clone, Copy, Default)]
struct Error {
    scheduled: f64,
    /// What somebody would see who shows the newest face at once.
    newest_at_once: f64,
}

/// Coefficients over the seconds of a line.
struct Table {
    seconds: Vec<f64>,
    rows: Vec<Vec<f64>>,
}

impl Table {
    fn read(path: &PathBuf) -> anyhow::Result<Table> {
        let name = path.display();
        let says = || format!("{name} is no capture table; deliver the line as “Capture table” first");
        let mut reader = csv::ReaderBuilder::new().comment(Some(b'#')).from_path(path).with_context(says)?;
        let head = reader.headers().with_context(says)?.clone();
        let column = |name: &str| head.iter().position(|h| h == name).with_context(says);
        let seconds = column("seconds")?;
        let columns = COEFFICIENTS.iter().map(|c| column(c)).collect::<anyhow::Result<Vec<usize>>>()?;
        let mut table = Table { seconds: Vec::new(), rows: Vec::new() };
        for row in reader.records() {
            let row = row.with_context(says)?;
            let number = |c: usize| row.get(c).and_then(|v| v.parse::<f64>().ok()).with_context(says);
            table.seconds.push(number(seconds)?);
            table.rows.push(columns.iter().map(|c| number(*c)).collect::<anyhow::Result<_>>()?);
        }
        anyhow::ensure!(table.rows.len() > 1, "{}", says());
        Ok(table)
    }

    fn at(&self, time: f64) -> Vec<f64> {
        let after = self.seconds.partition_point(|s| *s <= time).clamp(1, self.seconds.len() - 1);
        let (from, to) = (self.seconds[after - 1], self.seconds[after]);
        let share = ((time - from) / (to - from)).clamp(0.0, 1.0);
        let between = |(a, b): (&f64, &f64)| a + share * (b - a);
        self.rows[after - 1].iter().zip(&self.rows[after]).map(between).collect()
    }

    fn apart(&self, time: f64, seen: impl Iterator<Item = (usize, f32)>) -> f64 {
        let meant = self.at(time);
        seen.map(|(k, v)| (f64::from(v) - meant[k]).abs()).fold(0.0, f64::max)
    }
}

pub fn stand_in(options: &Renderer) -> anyhow::Result<()> {
    let table = options.against.as_ref().map(Table::read).transpose()?;
    let heard: Arc<Mutex<Heard>> = Arc::default();
    let from = receive(options, heard.clone())?;
    let draws = !options.json && std::io::stdout().is_terminal();
    if !options.json {
        println!("Waiting for a face at {from}; stop it with Ctrl-C");
    }
    let begun = Instant::now();
    let mut first: Option<Instant> = None;
    let mut error = table.as_ref().map(|_| Error::default());
    let mut pictures = 0u64;
    let held = || heard.lock().unwrap_or_else(PoisonError::into_inner);
    loop {
        let ends = options.seconds.is_some_and(|seconds| match first {
            Some(first) => first.elapsed().as_secs_f64() >= seconds,
            None => begun.elapsed() >= PATIENCE,
        });
        if ends {
            break;
        }
        pictures += 1;
        let due = begun + Duration::from_secs_f64(pictures as f64 / PICTURES);
        std::thread::sleep(due.saturating_duration_since(Instant::now()));
        let at = now();
        let (seen, newest, counts) = {
            let mut heard = held();
            let seen = heard.receiver.seen_at(at);
            let newest = heard.came.iter().rfind(|(came, _)| *came <= at - AHEAD).map(|(_, f)| f.clone());
            (seen, newest, heard.receiver.counts())
        };
        let Some(seen) = seen else { continue };
        first.get_or_insert_with(Instant::now);
        if let (Some(table), Some(error)) = (&table, &mut error)
            && seen.clock.speed > 0.0
        {
            let time = seen.clock.time;
            error.scheduled =
                error.scheduled.max(table.apart(time, seen.coefficients.iter().copied().enumerate()));
            let newest = newest.into_iter().flatten();
            error.newest_at_once = error.newest_at_once.max(table.apart(time, newest));
        }
        if draws && pictures.is_multiple_of(DRAWN) {
            let told = told(&seen, counts, &held(), error);
            let mut out = std::io::stdout().lock();
            // Clears the screen from its corner on (ECMA-48).
            write!(out, "\x1b[H\x1b[J{}\n{told}", drawing::face(&seen))?;
            out.flush()?;
        }
    }
    let heard = held();
    let Counts { faces, lost, late } = heard.receiver.counts();
    anyhow::ensure!(
        faces > 0,
        "no face came at {from}; start “Send” in the score, with this address, and play the line"
    );
    let latency_ms = spread(heard.ahead.iter().map(|a| 1e3 * AHEAD - a));
    let step_jitter_ms = spread(heard.uneven.iter().copied());
    let report = Report { faces, lost, late, pictures, latency_ms, step_jitter_ms, error };
    let text = match options.json {
        true => serde_json::to_string_pretty(&report)? + "\n",
        false => format!("{faces} faces, {lost} lost, {late} late\n"),
    };
    crate::out::print(&text)
}

fn told(seen: &Shown, counts: Counts, heard: &Heard, error: Option<Error>) -> String {
    let clock = seen.clock;
    let plays = if clock.speed > 0.0 { format!("at {}×", clock.speed) } else { "stands".into() };
    let recent = heard.ahead.iter().rev().take(200).copied();
    let least = recent.clone().fold(f64::INFINITY, f64::min);
    let ahead = spread(recent);
    let mut told = format!("second {:.2} · frame {} · {plays}\n", clock.time, clock.frame);
    told += &format!("{} faces · {} lost · {} late\n", counts.faces, counts.lost, counts.late);
    if least.is_finite() {
        told += &format!("they come {:.1} ms before their moment, {least:.1} at least\n", ahead.p50);
    }
    if let Some(error) = error {
        told += &format!(
            "off by {:.5} at most; the newest shown at once, by {:.3}\n",
            error.scheduled, error.newest_at_once
        );
    }
    told
}

/// Starts to receive, and says where.
fn receive(options: &Renderer, heard: Arc<Mutex<Heard>>) -> anyhow::Result<String> {
    let take = move |piece: &Piece| heard.lock().unwrap_or_else(PoisonError::into_inner).take(piece);
    let Some(server) = options.server else {
        let address = options.osc;
        let socket = UdpSocket::bind(address)
            .with_context(|| format!("{address} cannot be listened on; choose another with --osc"))?;
        let address = socket.local_addr()?;
        std::thread::spawn(move || {
            let mut bytes = vec![0; 64 << 10];
            while let Ok(length) = socket.recv(&mut bytes) {
                osc::read(&bytes[..length]).iter().for_each(&take);
            }
        });
        return Ok(address.to_string());
    };
    let url = format!("ws://{server}/api/v1/faces");
    let runtime = tokio::runtime::Runtime::new()?;
    let (mut socket, _) = runtime
        .block_on(tokio_tungstenite::connect_async(&url))
        .with_context(|| format!("{url} does not answer; start jamlips first, or name it with --server"))?;
    std::thread::spawn(move || {
        runtime.block_on(async {
            while let Some(Ok(message)) = socket.next().await {
                if let Message::Text(text) = message {
                    Shown::from_json(&text).iter().for_each(|shown| take(&shown.into()));
                }
            }
        });
    });
    Ok(url)
}
