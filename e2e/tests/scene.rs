//! A scene as its user has it: played, dragged, changed by key, undone, delivered, with a movie of all who are in it.

use anyhow::{Context, Result, ensure};
use jam_demo::LINES;
use jam_e2e::{Bed, SMALL};
use jam_formats::sound;
use jam_sound::Recording;
use serde_json::Value;
use std::process::Command;
use thirtyfour::prelude::*;

async fn scene(bed: &Bed, id: i64) -> Result<Value> {
    bed.json(&format!("/api/scenes/{id}")).await
}

fn start(scene: &Value, turn: usize) -> f64 {
    scene["turns"][turn]["start"].as_f64().unwrap_or(-1.0)
}

/// How far each character is from its rest.
async fn shifts(bed: &Bed) -> Result<Vec<f64>> {
    Ok(serde_json::from_value(bed.page.eval("return window.jamLipsShifts()").await?)?)
}

async fn works(bed: &Bed) -> Result<()> {
    let page = &bed.page;
    page.browser.goto(bed.at("/")).await?;
    page.find("[data-line='1']").await?;
    page.with(Key::Shift, "a").await?;
    page.find("[data-testid=scene-stage][data-ready]").await?;
    let before = scene(bed, 1).await?;

    // All three of them are on the stage and alive while the first line plays.
    page.press(" ").await?;
    let plays = async || Ok(page.text("where").await?.split_whitespace().next() > Some("1020"));
    page.until("the scene plays", plays).await?;
    page.press(" ").await?;
    let alive = async || {
        let now = shifts(bed).await?;
        Ok(now.len() == 3 && now.iter().all(|s| *s > 1e-3))
    };
    page.until("everybody is moved", alive).await?;

    // A line is dragged; those that follow it go along; by key it goes a frame on; undo brings both back.
    let bar = page.id("turn-2").await?.rect().await?;
    let (x, y) = (bar.x + bar.width / 2.0, bar.y + 6.0);
    page.drag((x, y), (x + 80.0, y)).await?;
    let moved = async || Ok(start(&scene(bed, 1).await?, 1) > start(&before, 1) + 0.5);
    page.until("the line starts later", moved).await?;
    let dragged = scene(bed, 1).await?;
    let frames = start(&dragged, 1) * 24.0;
    ensure!((frames - frames.round()).abs() < 1e-6, "it starts between frames: {frames}");
    ensure!(start(&dragged, 2) > start(&before, 2) + 0.5, "the next line does not follow");
    page.with(Key::Control, Key::Right + "").await?;
    let nudged = async || {
        let by = start(&scene(bed, 1).await?, 1) - start(&dragged, 1);
        Ok((by * 24.0 - 1.0).abs() < 1e-6)
    };
    page.until("the line starts a frame later", nudged).await?;
    for _ in 0..2 {
        page.press("z").await?;
    }
    let back = async || Ok(scene(bed, 1).await?["stamp"] == before["stamp"]);
    page.until("everything is as it was", back).await?;

    // A nod by rule is taken out by key, put elsewhere in another place, and had back.
    page.click("tab-listening").await?;
    let nods =
        async || -> Result<usize> { Ok(page.browser.find_all(By::Css("[data-kind=nod]")).await?.len()) };
    let all = nods().await?;
    page.find("[data-kind=nod]").await?.click().await?;
    page.id("chosen-reaction").await?;
    page.press(Key::Delete + "").await?;
    page.until("a nod is gone", || async { Ok(nods().await? == all - 1) }).await?;
    page.click("put-blink").await?;
    page.find("[data-kind=blink][data-hand]").await?;
    page.click("by-rule").await?;
    page.until("all is by rule", || async { Ok(scene(bed, 1).await?["stamp"] == before["stamp"]) }).await?;

    // A line more, and out again.
    page.click("add-to-scene").await?;
    page.click("add-10").await?;
    page.until("five lines", || async {
        Ok(scene(bed, 1).await?["turns"].as_array().map(Vec::len) == Some(5))
    })
    .await?;
    let added = scene(bed, 1).await?["turns"][4]["entry"].clone();
    page.click(&format!("turn-{added}")).await?;
    page.id("chosen-line").await?;
    page.press(Key::Delete + "").await?;
    page.until("four lines", || async { Ok(scene(bed, 1).await?["stamp"] == before["stamp"]) }).await?;

    // Delivered together; what is out says so when something changes.
    page.click("tab-deliver").await?;
    page.click("scene-timeline").await?;
    page.click("deliver-scene").await?;
    page.id("scene-out").await?;
    let files = bed.json("/api/deliveries").await?;
    let own = |ending: &str| {
        let name = format!("fog-at-pell-harbour_the-pier-night.{ending}");
        files
            .as_array()
            .is_some_and(|all| all.iter().any(|f| f["file_name"] == name.as_str() && f["scene"] == 1))
    };
    ensure!(["glb", "wav", "otio"].into_iter().all(own), "{files}");
    page.click("tab-stage").await?;
    page.find("[aria-label^='→ Bram']").await?.click().await?;
    page.click("tab-deliver").await?;
    page.find_text("changed since").await?;
    movie(bed).await
}

/// A movie of a short scene. Source: ffprobe of Debian.
async fn movie(bed: &Bed) -> Result<()> {
    let page = &bed.page;
    page.browser.goto(bed.at("/")).await?;
    let row = page.find("[data-line='10']").await?;
    page.browser.action_chain().context_click_element(&row).perform().await?;
    page.entry("menu-line", "Into a new scene").await?;
    page.find_text("Scene 2").await?;
    let scenes = bed.json("/api/scenes").await?;
    let id = scenes[1]["id"].as_i64().with_context(|| format!("{scenes}"))?;
    ensure!(page.browser.current_url().await?.path() == format!("/scene/{id}"), "another scene is open");
    page.find("[data-testid=scene-stage][data-ready]").await?;
    page.click("tab-deliver").await?;
    page.click("scene-movie").await?;
    for row in ["glb", "wav"] {
        page.click(&format!("scene-{row}")).await?;
    }
    let size = page.find("select[aria-label=size]").await?;
    size.send_keys("640×360").await?;
    page.find_text("Made in this page").await?;
    page.click("deliver-scene").await?;
    page.id("scene-out").await?;
    let files = bed.json("/api/deliveries").await?;
    let movie =
        files.as_array().and_then(|all| all.iter().find(|f| f["kind"] == "movie")).context("no movie")?;
    ensure!(movie["scene"] == id, "{movie}");
    let bytes = reqwest::get(bed.at(&format!("/api/deliveries/{}/file", movie["id"]))).await?.bytes().await?;
    let path = bed.folder.path().join("scene.mov");
    std::fs::write(&path, &bytes)?;
    let out = Command::new("ffprobe")
        .args(["-v", "error", "-of", "json", "-count_packets", "-show_streams"])
        .arg(&path)
        .output()?;
    ensure!(out.status.success(), "{}", String::from_utf8_lossy(&out.stderr));
    let probed: Value = serde_json::from_slice(&out.stdout)?;
    let stream = |kind: &str| {
        let all = probed["streams"].as_array().into_iter().flatten();
        all.into_iter().find(|s| s["codec_type"] == kind).context("a stream is missing")
    };
    let (video, audio) = (stream("video")?, stream("audio")?);
    let frames = scene(bed, id).await?["frames"].to_string();
    ensure!(
        video["nb_read_packets"] == frames.as_str() && video["width"] == 640,
        "{video} of {frames} frames"
    );
    let length = |s: &Value| s["duration"].as_str().and_then(|d| d.parse::<f64>().ok()).unwrap_or(0.0);
    ensure!((length(video) - length(audio)).abs() < 1e-3, "{} s, heard {} s", length(video), length(audio));
    Ok(())
}

/// A recording in which two speak is brought in, becomes lines of one each and a scene, and one line again.
async fn two_in_one(bed: &Bed) -> Result<()> {
    let page = &bed.page;
    let (first, second) = (&LINES[9], &LINES[13]);
    let mut samples = Vec::new();
    for line in [first, second] {
        samples.extend(sound::read(line.recording)?.mono_at(16_000)?.iter());
    }
    let recording = Recording::new(16_000, vec![samples])?;
    let path = bed.folder.path().join("both.wav");
    std::fs::write(&path, sound::listening_copy(&recording)?)?;
    page.browser.goto(bed.at("/")).await?;
    page.find("[data-line='1']").await?;
    let lines = async || -> Result<Vec<Value>> {
        Ok(bed.json("/api/lines").await?.as_array().context("no lines")?.clone())
    };
    let (before, scenes) = (lines().await?.len(), bed.json("/api/scenes").await?);
    page.fill(&path, &format!("BRAM: {} ODILE: {}", first.text, second.text)).await?;
    page.until("it is timed", || async {
        Ok(lines().await?.last().is_some_and(|l| l["state"] == "timed") && page.has("by-speaker").await?)
    })
    .await?;
    page.until("it can be made lines of", || async { Ok(page.id("by-speaker").await?.is_enabled().await?) })
        .await?;
    page.closed().await?;
    page.still("by-speaker").await?;
    page.click("by-speaker").await?;
    page.until("there are two lines in its place", || async { Ok(lines().await?.len() == before + 2) })
        .await?;
    let said: Vec<Value> = lines().await?.iter().skip(before).map(|l| l["character"].clone()).collect();
    ensure!(said == ["Bram", "Odile"], "{said:?}");
    ensure!(bed.json("/api/scenes").await?.as_array().map(Vec::len) > scenes.as_array().map(Vec::len));
    page.still("take-back").await?;
    page.click("take-back").await?;
    page.until("it is one line again", || async { Ok(lines().await?.len() == before + 1) }).await?;
    ensure!(bed.json("/api/scenes").await? == scenes, "the scene is still there");
    Ok(())
}

#[tokio::test(flavor = "multi_thread")]
async fn a_scene_is_played_changed_and_delivered() -> Result<()> {
    let bed = Bed::made(SMALL, true).await?;
    let outcome = async {
        works(&bed).await?;
        two_in_one(&bed).await
    }
    .await;
    bed.done(outcome).await
}
