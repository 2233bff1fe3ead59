//! How a face arrives that is sent while its line plays: a line of the demo, said to play by a page, received on this
//! machine by our own receiver, which shows it sixty times a second at moments of its own. What is seen is compared with the
//! line's curves themselves. `cargo bench -p jam-server --bench live`.
#![allow(clippy::unwrap_used)]

use futures_util::{SinkExt, StreamExt};
use jam_desk::Played;
use jam_face::HZ;
use jam_formats::live::osc::{Piece, read};
use jam_formats::live::receiver::Receiver;
use jam_formats::live::{AHEAD, Shown, now};
use jam_formats::out::capture::CaptureFace;
use jam_rig::Wiring;
use jam_score::{Frame, FrameGrid, FrameRate, Ids, Seconds};
use jam_store::{NewLine, Store};
use jam_voice::Analyser;
use serde_json::json;
use std::net::UdpSocket;
use std::sync::Arc;
use std::time::Duration;
use tokio_tungstenite::tungstenite::Message;

/// Seconds of each measure.
const LONG: f64 = 4.5;
/// The demo's longest line.
const LINE: usize = 0;

/// A face that came, and when.
struct Came {
    at: f64,
    piece: Piece,
}

fn percentiles(mut values: Vec<f64>) -> String {
    values.sort_by(f64::total_cmp);
    let at = |share: f64| values[((values.len() - 1) as f64 * share).round() as usize];
    format!("{:.2} / {:.2} / {:.2}", at(0.5), at(0.99), at(1.0))
}

fn report(what: &str, played: &Played, came: &[Came]) {
    let face = CaptureFace::new();
    let clocks: Vec<_> = came.iter().filter_map(|c| c.piece.clock.map(|clock| (c.at, clock))).collect();
    // Faces after a start come together.
    let row = clocks.iter().position(|(at, c)| c.show - at > 0.09).unwrap();
    let latency = clocks[row..].iter().map(|(at, c)| 1e3 * (at - (c.show - AHEAD))).collect();
    let steps = clocks[row..].windows(2);
    let jitter = steps.map(|w| 1e3 * (w[1].0 - w[0].0 - (w[1].1.show - w[0].1.show)).abs()).collect();
    let (first, last) = (clocks[row].1, clocks[clocks.len() - 1].1);
    let mut receiver = Receiver::default();
    // Everything that was sent, whenever it came.
    let mut all = Receiver::default();
    came.iter().for_each(|c| all.take(&c.piece, 0.0));
    let (mut next, mut worst, mut newest, mut sent) = (0, 0f64, 0f64, 0f64);
    let mut errors = Vec::new();
    let mut at = first.show + 0.05;
    while at < last.show - 0.05 {
        while next < came.len() && came[next].at <= at {
            receiver.take(&came[next].piece, came[next].at);
            next += 1;
        }
        let apart = |time: f64, values: &mut dyn Iterator<Item = (usize, f32)>| {
            // Curves are straight between their values.
            let (row, share) = ((time * HZ).floor(), (time * HZ).fract() as f32);
            let at = |row: f64| face.coefficients(&played.face.face_at(Seconds(row / HZ)));
            let (from, to) = (at(row), at(row + 1.0));
            values
                .map(|(k, v)| f64::from((v - from[k] - share * (to[k] - from[k])).abs()))
                .fold(0.0, f64::max)
        };
        let time = first.time + at - first.show;
        if let Some(seen) = receiver.seen_at(at) {
            let off = apart(time, &mut seen.coefficients.iter().copied().enumerate());
            errors.push(off);
            worst = worst.max(off);
            if let Some(meant) = all.clone().seen_at(at) {
                let both = seen.coefficients.iter().zip(&meant.coefficients);
                sent = both.map(|(a, b)| f64::from((a - b).abs())).fold(sent, f64::max);
            }
        }
        let at_once = came.iter().rfind(|c| c.at <= at - AHEAD && c.piece.clock.is_some());
        if let Some(newer) = at_once {
            newest = newest.max(apart(time, &mut newer.piece.coefficients.iter().copied()));
        }
        at += 1.0 / 60.0 + 0.0007;
    }
    errors.sort_by(f64::total_cmp);
    let counts = receiver.counts();
    println!(
        "{what}: {} faces, {} lost, {} late | latency ms {} | step jitter ms {} | off from what was sent by {sent:.1e} at most; from the curves by {worst:.1e}, {:.1e} for 99 of 100; newest at once {newest:.1e}",
        counts.faces,
        counts.lost,
        counts.late,
        percentiles(latency),
        percentiles(jitter),
        errors[errors.len() * 99 / 100]
    );
}

#[tokio::main]
async fn main() {
    let folder = tempfile::tempdir().unwrap();
    let store = Store::open(&folder.path().join("p.jam")).unwrap();
    let recording = jam_formats::sound::read(jam_demo::LINES[LINE].recording).unwrap();
    let mut document = jam_score::Line::new(jam_demo::LINES[LINE].text);
    let found = Analyser::shipped().unwrap().analyse(&recording, &document.text, &|_| true).unwrap();
    let prosody = Arc::new(found.prosody());
    let mut ids = Ids::NEW_LINE;
    document.timing = Some(found.timing.numbered_like(None, &mut ids));
    let grid = FrameGrid { rate: FrameRate::new(24, 1).unwrap(), first: Frame(1001) };
    let played = Played::new(&Arc::new(document.clone()), &Wiring::default(), grid, prosody, None).unwrap();
    let facts = recording.facts();
    let bytes = jam_demo::LINES[LINE].recording;
    let new = NewLine { document: &document, ids, recording: bytes, recording_name: "l.wav", facts: &facts };
    let line = store.add_line(&new).unwrap().id;
    let server = jam_server::Server::bind(store, "127.0.0.1:0".parse().unwrap()).await.unwrap();
    let address = server.address();
    tokio::spawn(server.run(std::future::pending()));
    let (mut page, _) = tokio_tungstenite::connect_async(format!("ws://{address}/api/live")).await.unwrap();
    let client = reqwest::Client::new();
    let mut playing = async |speed: f64| {
        let says = json!({"playing": {"line": line, "time": 0.0, "at": now(), "speed": speed, "stops": 60.0, "repeats": null}});
        page.send(Message::text(says.to_string())).await.unwrap();
    };
    println!("latency and step jitter: p50 / p99 / most; {LONG} s each");
    for (addressed, rate) in [("packed", 60.0), ("packed", 100.0), ("packed", 200.0), ("named", 100.0)] {
        let socket = UdpSocket::bind("127.0.0.1:0").unwrap();
        socket.set_read_timeout(Some(Duration::from_secs(3))).unwrap();
        let order =
            json!({"to": socket.local_addr().unwrap().to_string(), "addressed": addressed, "rate": rate});
        let sent = client.put(format!("http://{address}/api/sending")).json(&order).send().await.unwrap();
        assert!(sent.status().is_success());
        playing(1.0).await;
        let hears = std::thread::spawn(move || {
            let (mut came, mut bytes) = (Vec::new(), [0; 2048]);
            let mut until = f64::INFINITY;
            while now() < until {
                let length = socket.recv(&mut bytes).unwrap();
                let piece = read(&bytes[..length]).unwrap();
                // What stood before it was said to play does not count.
                if came.is_empty() && piece.clock.is_none_or(|c| c.speed == 0.0) {
                    continue;
                }
                until = until.min(now() + LONG);
                came.push(Came { at: now(), piece });
            }
            came
        });
        let came = tokio::task::spawn_blocking(move || hears.join().unwrap()).await.unwrap();
        report(&format!("OSC {addressed}, {rate} a second"), &played, &came);
        playing(0.0).await;
        tokio::time::sleep(Duration::from_millis(200)).await;
    }
    client.delete(format!("http://{address}/api/sending")).send().await.unwrap();
    let (mut faces, _) =
        tokio_tungstenite::connect_async(format!("ws://{address}/api/v1/faces")).await.unwrap();
    playing(1.0).await;
    let (mut came, mut until) = (Vec::new(), f64::INFINITY);
    while now() < until {
        let Some(Ok(Message::Text(text))) = faces.next().await else { continue };
        let at = now();
        let shown = Shown::from_json(&text).unwrap();
        if shown.clock.speed > 0.0 {
            until = until.min(at + LONG);
            came.push(Came { at, piece: Piece::from(&shown) });
        }
    }
    report("WebSocket, 100 a second", &played, &came);
}
