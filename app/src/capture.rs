//! `jamlips stand-in capture`: a face that nobody makes, sent as a capture program sends one.

use anyhow::Context;
use futures_util::SinkExt;
use jam_server::capture::Frame;
use rosc::{OscBundle, OscMessage, OscPacket, OscTime, OscType};
use std::collections::HashMap;
use std::net::SocketAddr;
use std::time::Duration;
use tokio_tungstenite::tungstenite::Message;

/// Pictures a second.
const RATE: f64 = 60.0;

/// The face at a time: it smiles, raises its brows, blinks and turns in slow waves.
fn face(time: f64) -> Frame {
    let wave = |seconds: f64, shift: f64| {
        (0.5 - 0.5 * (std::f64::consts::TAU * (time / seconds + shift)).cos()) as f32
    };
    let blink = if time % 3.4 < 0.12 { 1.0 } else { 0.0 };
    let smile = 0.7 * wave(4.0, 0.0);
    let brows = 0.6 * wave(2.6, 0.2);
    let coefficients = HashMap::from([
        ("mouthSmileLeft".to_string(), smile),
        ("mouthSmileRight".to_string(), 0.85 * smile),
        ("browInnerUp".to_string(), brows),
        ("browOuterUpLeft".to_string(), 0.7 * brows),
        ("browOuterUpRight".to_string(), 0.4 * brows),
        ("eyeBlinkLeft".to_string(), blink),
        ("eyeBlinkRight".to_string(), blink),
    ]);
    let head =
        Some([12.0 * (wave(5.0, 0.1) - 0.5), 6.0 * (wave(3.3, 0.4) - 0.5), 4.0 * (wave(6.1, 0.7) - 0.5)]);
    Frame { coefficients, head }
}

fn as_osc(frame: &Frame) -> OscPacket {
    let one = |(name, value): (&String, &f32)| {
        OscPacket::Message(OscMessage { addr: format!("/face/{name}"), args: vec![OscType::Float(*value)] })
    };
    let mut content: Vec<OscPacket> = frame.coefficients.iter().map(one).collect();
    if let Some(head) = frame.head {
        let args = head.map(OscType::Float).to_vec();
        content.push(OscPacket::Message(OscMessage { addr: "/head".into(), args }));
    }
    OscPacket::Bundle(OscBundle { timetag: OscTime { seconds: 0, fractional: 1 }, content })
}

pub fn stand_in(server: SocketAddr, osc: Option<SocketAddr>, seconds: Option<f64>) -> anyhow::Result<()> {
    let pictures = seconds.map_or(u64::MAX, |s| (s.max(0.0) * RATE) as u64);
    tokio::runtime::Runtime::new()?.block_on(async {
        let mut tick = tokio::time::interval(Duration::from_secs_f64(1.0 / RATE));
        if let Some(address) = osc {
            let socket = tokio::net::UdpSocket::bind("127.0.0.1:0").await?;
            println!("Sending a face to {address} as OSC; stop it with Ctrl-C");
            for k in 0..pictures {
                tick.tick().await;
                let bytes = rosc::encoder::encode(&as_osc(&face(k as f64 / RATE)))?;
                socket.send_to(&bytes, address).await?;
            }
            return Ok(());
        }
        let url = format!("ws://{server}/api/capture");
        let (mut socket, _) = tokio_tungstenite::connect_async(&url).await.with_context(|| {
            format!("{url} does not answer; start jamlips first, or name it with --server")
        })?;
        println!("Sending a face to {url}; stop it with Ctrl-C");
        for k in 0..pictures {
            tick.tick().await;
            let text = serde_json::to_string(&face(k as f64 / RATE))?;
            socket.send(Message::text(text)).await.context("the server hung up")?;
        }
        Ok(())
    })
}
