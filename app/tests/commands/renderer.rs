//! The stand-in renderer receives what is sent to it, and says how it arrived.

use crate::{jamlips, program};
use jam_formats::live::osc::{Addressed, packets};
use jam_formats::live::{AHEAD, Clock, Shown, now};
use jam_rig::propose::COEFFICIENTS;
use serde_json::Value;
use std::fmt::Write;
use std::net::UdpSocket;
use std::process::Stdio;
use std::time::Duration;

/// A face that opens its jaw over a second and shuts it again, in straight lines.
fn jaw(time: f64) -> f32 {
    (1.0 - (time - 1.0).abs()).clamp(0.0, 1.0) as f32
}

#[test]
fn the_renderer_counts_what_is_lost_and_sees_the_face_of_the_moment() {
    let folder = tempfile::tempdir().unwrap();
    let mut table = format!("frame,seconds,{}\n", COEFFICIENTS.join(","));
    for row in 0..=300 {
        let time = f64::from(row) / 100.0;
        let cells = COEFFICIENTS.map(|c| if c == "jawOpen" { jaw(time).to_string() } else { "0".into() });
        writeln!(table, "{},{time},{}", 1001 + row, cells.join(",")).unwrap();
    }
    std::fs::write(folder.path().join("table.csv"), table).unwrap();
    let port = UdpSocket::bind("127.0.0.1:0").unwrap().local_addr().unwrap().to_string();
    let arguments =
        ["stand-in", "renderer", "--osc", &port, "--against", "table.csv", "--json", "--seconds", "1.5"];
    let renderer = program(folder.path(), &arguments).stdout(Stdio::piped()).spawn().unwrap();
    let socket = UdpSocket::bind("127.0.0.1:0").unwrap();
    socket.connect(&port).unwrap();
    let send = |seq: i32, time: f64, show: f64, speed: f32| {
        let clock = Clock { seq, show, time, frame: 0, speed };
        let coefficients = COEFFICIENTS.map(|c| if c == "jawOpen" { jaw(time) } else { 0.0 });
        let shown = Shown { clock, coefficients, head: [0.0; 3], gaze: [0.0; 3] };
        packets(&shown, Addressed::Packed).iter().try_for_each(|p| socket.send(p).map(drop)).is_ok()
    };
    // Once it is there, a refusal of the packet before is the last one.
    let mut heard = 0;
    while heard < 3 {
        std::thread::sleep(Duration::from_millis(20));
        heard = if send(0, 0.0, now(), 0.0) { heard + 1 } else { 0 };
    }
    let began = now() + AHEAD;
    for step in 0..180 {
        let time = f64::from(step) / 100.0;
        std::thread::sleep(Duration::from_secs_f64((began + time - AHEAD - now()).max(0.0)));
        // Of a straight stretch two are left out: what lies between is seen all the same.
        if !(30..32).contains(&step) {
            send(step + 1, time, began + time, 1.0);
        }
    }
    let out = renderer.wait_with_output().unwrap();
    let report: Value = serde_json::from_slice(&out.stdout).unwrap();
    assert_eq!(report["lost"], 2, "{report}");
    assert!(report["faces"].as_u64().unwrap() > 100, "{report}");
    // Late ones are seen late: only of a machine that kept time is anything said of the face.
    let error = report["error"]["scheduled"].as_f64().unwrap();
    assert!(error < 1e-3 || report["late"].as_u64().unwrap() > 0, "{report}");
    assert!(report["error"]["newest_at_once"].as_f64().unwrap() > error, "{report}");
}

#[test]
fn a_renderer_to_which_nothing_comes_says_what_to_do() {
    let folder = tempfile::tempdir().unwrap();
    std::fs::write(folder.path().join("other.csv"), "a,b\n1,2\n").unwrap();
    let path = folder.path().join("other.csv");
    let said = jamlips(&["stand-in", "renderer", "--against", &path.to_string_lossy()]);
    let said = String::from_utf8_lossy(&said.stderr).into_owned();
    assert!(said.contains("is no capture table; deliver the line"), "{said}");
    let none = UdpSocket::bind("127.0.0.1:0").unwrap().local_addr().unwrap().to_string();
    let taken = UdpSocket::bind(&none).unwrap();
    let said = jamlips(&["stand-in", "renderer", "--osc", &taken.local_addr().unwrap().to_string()]);
    let said = String::from_utf8_lossy(&said.stderr).into_owned();
    assert!(said.contains("choose another with --osc"), "{said}");
}
