//! The face goes to another program while the line plays.

use anyhow::{Context, Result, ensure};
use jam_e2e::{Bed, SMALL};
use jam_formats::live::Clock;
use jam_formats::live::osc::read;
use std::net::UdpSocket;
use std::time::{Duration, Instant};
use thirtyfour::prelude::*;

/// The clock of the next face for which something holds.
fn clock(socket: &UdpSocket, what: &str, holds: impl Fn(&Clock) -> bool) -> Result<Clock> {
    let until = Instant::now() + Duration::from_secs(20);
    let mut bytes = [0; 2048];
    while Instant::now() < until {
        let length = socket.recv(&mut bytes).with_context(|| format!("nothing comes: {what}"))?;
        let came = read(&bytes[..length]).context("no face")?;
        if let Some(clock) = came.clock.filter(&holds) {
            return Ok(clock);
        }
    }
    anyhow::bail!("it never came: {what}")
}

async fn sending(bed: &Bed) -> Result<()> {
    let page = &bed.page;
    let socket = UdpSocket::bind("127.0.0.1:0")?;
    socket.set_read_timeout(Some(Duration::from_secs(20)))?;
    page.score(bed.at("/score/4")).await?;
    page.click("send-face").await?;
    let to = page.id("send-to").await?;
    to.send_keys(Key::Control + "a").await?;
    to.send_keys(socket.local_addr()?.to_string()).await?;
    page.click("send-start").await?;
    page.id("send-stop").await?;
    page.press(Key::Escape).await?;
    // It follows the playhead while it stands …
    page.press(Key::Home + "............").await?;
    let clock_at =
        |what, holds: &dyn Fn(&Clock) -> bool| tokio::task::block_in_place(|| clock(&socket, what, holds));
    let stands = clock_at("twelve frames on", &|c| c.speed == 0.0 && (c.time - 0.5).abs() < 1e-3)?;
    ensure!(stands.frame == page.frame().await? as i32, "frame {} on {}", stands.frame, page.frame().await?);
    // … and goes on with the sound while it plays.
    page.click("play").await?;
    let early = clock_at("it plays", &|c| c.speed > 0.0)?;
    let later = clock_at("it plays on", &|c| c.speed > 0.0 && c.time > early.time + 0.5)?;
    let passed = (later.time - early.time) / (later.show - early.show);
    ensure!((passed - 1.0).abs() < 0.05, "a second of the line in {passed} s");
    page.press(Key::Space).await?;
    clock_at("it stands again", &|c| c.speed == 0.0 && c.time > later.time - 0.2)?;
    page.click("send-face").await?;
    page.until("it is said how many", || async { Ok(page.text("send-state").await?.contains("faces sent")) })
        .await?;
    page.click("send-stop").await?;
    page.until("nothing is sent", || async { Ok(bed.json("/api/sending").await?["order"].is_null()) })
        .await?;
    Ok(())
}

#[tokio::test(flavor = "multi_thread")]
async fn a_face_goes_to_another_program_while_it_plays() -> Result<()> {
    let bed = Bed::made(SMALL, true).await?;
    let outcome = sending(&bed).await;
    bed.done(outcome).await
}
