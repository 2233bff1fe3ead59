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
    ensure!(stands.frame == 1013, "frame {}", stands.frame);
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

/// The microphone hears line 10, over and over.
const MICROPHONE: &str = "
const done = arguments[0];
(async () => {
  const context = new AudioContext();
  const bytes = await (await fetch('/api/lines/10/sound')).arrayBuffer();
  const source = new AudioBufferSourceNode(context, { buffer: await context.decodeAudioData(bytes), loop: true });
  const out = context.createMediaStreamDestination();
  source.connect(out);
  source.start();
  navigator.mediaDevices.getUserMedia = () => Promise.resolve(out.stream.clone());
  done(true);
})();
";

async fn along(bed: &Bed) -> Result<()> {
    let page = &bed.page;
    page.score(bed.at("/score/10")).await?;
    page.browser.execute_async(MICROPHONE, vec![]).await?;
    page.click("record-take").await?;
    page.click("open-microphone").await?;
    // The jaw of the face on stage opens with the voice, and shuts in its pauses.
    page.until("the face speaks", || async { Ok(page.jaw().await? > 0.15) }).await?;
    page.until("the face pauses", || async { Ok(page.jaw().await? < 0.05) }).await?;
    page.click("record").await?;
    page.id("stop-recording").await?;
    page.until("two seconds are recorded", || async {
        let elapsed = page.text("elapsed").await?;
        Ok(elapsed.trim_end_matches(" s").parse::<f64>().is_ok_and(|s| s > 2.0))
    })
    .await?;
    page.click("stop-recording").await?;
    page.click("use-take").await?;
    page.until("the take is listened to", || async {
        Ok(bed.json("/api/lines/10").await?["document"]["listen"]["take"].is_number())
    })
    .await?;
    // It was kept as it spoke live, and is timed properly behind that.
    page.until("nothing is worked on any more", || async {
        let line = bed.json("/api/lines/10").await?;
        let jobs = bed.json("/api/jobs").await?;
        let open = jobs
            .as_array()
            .is_some_and(|j| j.iter().any(|j| ["waiting", "running"].iter().any(|s| j["state"] == *s)));
        Ok(!open
            && line["snapshots"][0]["name"] == "as it was live"
            && line["document"]["timing"]["sounds"].as_array().is_some_and(|s| s.len() > 5))
    })
    .await?;
    // Without the microphone the face is the line's own again, which begins in silence.
    page.undo("choose what is listened to").await?;
    page.press(Key::Home).await?;
    page.until("the face is at rest", || async { Ok(page.jaw().await? < 0.05) }).await?;
    Ok(())
}

#[tokio::test(flavor = "multi_thread")]
async fn a_face_speaks_along_with_the_microphone() -> Result<()> {
    let bed = Bed::made(SMALL, true).await?;
    let outcome = along(&bed).await;
    bed.done(outcome).await
}

async fn idle(bed: &Bed) -> Result<()> {
    let page = &bed.page;
    page.browser.goto(bed.at("/")).await?;
    page.id("line-1").await?;
    page.press("a").await?;
    // The dialog comes in, and grows when it is about something else.
    page.still("add-nothing-said").await?;
    page.click("add-nothing-said").await?;
    page.still("add-idle").await?;
    page.click("add-idle").await?;
    page.until("it is open", || async {
        Ok(page.has("timed").await? && page.text("timed").await?.contains("comes round after 20.00 s"))
    })
    .await?;
    // It plays round and round: the whole of it is looped.
    page.until("it loops", || async {
        Ok(page.id("loop").await?.attr("aria-pressed").await?.as_deref() == Some("true"))
    })
    .await?;
    let lines = bed.json("/api/lines").await?;
    let made = lines.as_array().and_then(|l| l.iter().find(|l| l["idle"] == true)).context("no idle line")?;
    ensure!(made["state"] == "timed" && made["duration"] == 20.0, "{made}");
    Ok(())
}

#[tokio::test(flavor = "multi_thread")]
async fn a_character_without_a_line_waits() -> Result<()> {
    let bed = Bed::made(SMALL, true).await?;
    let outcome = idle(&bed).await;
    bed.done(outcome).await
}
