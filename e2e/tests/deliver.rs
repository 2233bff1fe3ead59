//! What goes out of the page: a line with its kinds of files, a recipe, what has changed since; and a movie, in which every
//! frame has its number and the sound is where the picture is.

use anyhow::{Context, Result, ensure};
use jam_e2e::{Bed, SMALL};
use jam_formats::out::wave;
use jam_score::{Frame, FrameRate};
use jam_sound::Recording;
use serde_json::{Value, json};
use std::path::Path;
use std::process::Command;

/// The frames at whose start something clicks.
const CLICKS: [usize; 3] = [4, 12, 72];
const WIDTH: usize = 640;
const HEIGHT: usize = 360;
const RATE: f64 = 24.0;

/// A thousandth of a second's half: two periods of 1 kHz.
fn click(hz: u32) -> Vec<f32> {
    let length = hz / 500;
    (0..length).map(|i| 0.9 * (std::f32::consts::TAU * 1000.0 * i as f32 / hz as f32).cos()).collect()
}

/// A line of the demo with clicks over it.
fn clicking() -> Result<Vec<u8>> {
    let line = jam_formats::sound::read(jam_demo::LINES[9].recording)?;
    let hz = line.rate();
    let mut samples = line.mono().into_owned();
    for frame in CLICKS {
        let at = (frame as f64 / RATE * f64::from(hz)).round() as usize;
        samples[at..].iter_mut().zip(click(hz)).for_each(|(s, c)| *s = c);
    }
    Ok(wave::broadcast(&Recording::new(hz, vec![samples])?, Frame(1001), FrameRate::FILM, "clicks")?)
}

fn ffmpeg(arguments: &[&str]) -> Result<Vec<u8>> {
    let out = Command::new("ffmpeg").args(["-v", "error", "-nostdin"]).args(arguments).output()?;
    ensure!(out.status.success(), "{}", String::from_utf8_lossy(&out.stderr));
    Ok(out.stdout)
}

/// What ffprobe says of a movie's streams.
fn probed(path: &str) -> Result<Value> {
    let shows = ["-show_streams", "-show_entries", "packet=pts_time,stream_index", "-show_packets"];
    let out = Command::new("ffprobe").args(["-v", "error", "-of", "json"]).args(shows).arg(path).output()?;
    ensure!(out.status.success(), "{}", String::from_utf8_lossy(&out.stderr));
    Ok(serde_json::from_slice(&out.stdout)?)
}

/// Source: ffmpeg and ffprobe of Debian: every frame at its time and with its number burnt in, every click where its frame
/// starts, the sound as loud as it was.
fn check_movie(path: &Path, burnt: &[Vec<f64>], sound: &[u8]) -> Result<()> {
    let path = path.to_string_lossy();
    let frames = burnt.len();
    let probed = probed(&path)?;
    let stream = |kind: &str| {
        let all = probed["streams"].as_array().into_iter().flatten();
        all.into_iter().find(|s| s["codec_type"] == kind).context("a stream is missing")
    };
    let (video, audio) = (stream("video")?, stream("audio")?);
    let counted = video["nb_frames"].as_str().and_then(|n| n.parse().ok());
    ensure!(counted == Some(frames) && video["r_frame_rate"] == "24/1", "{video}");
    let mut times: Vec<f64> = probed["packets"]
        .as_array()
        .into_iter()
        .flatten()
        .filter(|p| p["stream_index"] == video["index"])
        .filter_map(|p| p["pts_time"].as_str()?.parse().ok())
        .collect();
    times.sort_by(f64::total_cmp);
    let late = times.iter().enumerate().map(|(i, t)| (t - i as f64 / RATE).abs()).fold(0.0, f64::max);
    ensure!(late < 1e-6, "a frame is {late} s off its time");

    // The lower left of every picture is that of its own number, not of any other.
    let strip = (HEIGHT as f64 * 0.085).round() as usize;
    let wide = WIDTH / 4;
    let crop = format!("format=gray,crop={wide}:{strip}:0:{}:exact=1", HEIGHT - strip);
    let grey =
        ffmpeg(&["-i", &path, "-map", "0:v", "-vf", &crop, "-f", "rawvideo", "-pix_fmt", "gray", "-"])?;
    let pictures: Vec<&[u8]> = grey.chunks_exact(wide * strip).collect();
    ensure!(pictures.len() == frames, "{} pictures", pictures.len());
    for (i, picture) in pictures.iter().enumerate() {
        let apart = |k: &usize| -> f64 {
            burnt[*k].iter().zip(*picture).map(|(a, b)| (a - f64::from(*b)).powi(2)).sum()
        };
        let best = (0..frames).min_by(|a, b| apart(a).total_cmp(&apart(b))).context("no frames")?;
        ensure!(best == i, "picture {i} shows the number of frame {best}");
    }

    let hz: u32 = audio["sample_rate"].as_str().context("no rate")?.parse()?;
    let start: f64 = audio["start_time"].as_str().unwrap_or("0").parse()?;
    let decoded = |from: &str| -> Result<Vec<f32>> {
        let bytes = ffmpeg(&["-i", from, "-map", "0:a", "-f", "f32le", "-"])?;
        Ok(bytes.chunks_exact(4).map(|b| f32::from_le_bytes([b[0], b[1], b[2], b[3]])).collect())
    };
    let heard = decoded(&path)?;
    let template = click(hz);
    for frame in CLICKS {
        let due = ((frame as f64 / RATE - start) * f64::from(hz)).round() as usize;
        let (from, to) = (due.saturating_sub(hz as usize / 20), due + hz as usize / 20);
        let fits = |at: &usize| -> f32 { heard[*at..].iter().zip(&template).map(|(a, b)| a * b).sum() };
        let best = (from..to).max_by(|a, b| fits(a).total_cmp(&fits(b))).context("no sound")?;
        let off = (best as f64 - due as f64) / f64::from(hz);
        ensure!(off.abs() <= 1e-3, "the click of frame {frame} is {off} s off");
    }
    let folder = tempfile::tempdir()?;
    let own = folder.path().join("own.wav");
    std::fs::write(&own, sound)?;
    let own = decoded(&own.to_string_lossy())?;
    let level = |s: &[f32]| s.iter().map(|v| f64::from(v * v)).sum::<f64>();
    let decibels = 10.0 * (level(&heard) / level(&own)).log10();
    ensure!(decibels.abs() < 0.05, "the sound is {decibels} dB louder than it was");
    Ok(())
}

async fn deliver(bed: &Bed) -> Result<()> {
    let page = &bed.page;
    let client = reqwest::Client::new();
    let wav = clicking()?;
    let file = reqwest::multipart::Part::bytes(wav.clone()).file_name("clicks.wav");
    let form = reqwest::multipart::Form::new()
        .part("recording", file)
        .text("text", jam_demo::LINES[9].text)
        .text("character", "Bram");
    let added: Value = client.post(bed.at("/api/lines")).multipart(form).send().await?.json().await?;
    let id = added["summary"]["id"].as_i64().with_context(|| format!("{added}"))?;
    let timed = async || Ok(bed.json(&format!("/api/lines/{id}")).await?["summary"]["state"] == "timed");
    page.until("the clicking line is timed", timed).await?;

    // Nothing is chosen but the open line.
    page.browser.goto(bed.at("/score/3")).await?;
    page.id("speech").await?;
    page.press("4").await?;
    page.id("kind-glb").await?;
    let on = "return [...document.querySelectorAll('[data-testid^=pick-]')].filter((p) => \
              p.querySelector('input').checked).map((p) => p.dataset.testid)";
    ensure!(page.eval(on).await? == json!(["pick-3"]), "{}", page.eval(on).await?);

    // A recipe, kept under a name and taken up again; its movie is small, because this machine draws slowly.
    let movie = json!({"view": "face", "file": "mov", "width": WIDTH, "height": HEIGHT});
    let recipe = json!({"kinds": ["sheet", "vtt"], "movie": movie, "names": "{character}/{number}_{words}"});
    let keep = json!({"do": "keep_recipe", "name": "dailies", "recipe": recipe});
    client.post(bed.at("/api/production/operations")).json(&keep).send().await?.error_for_status()?;
    page.browser.refresh().await?;
    page.click("no-lines").await?;
    page.click("recipe-dailies").await?;
    let pick = format!("[data-testid=pick-{id}] input");
    page.find(&pick).await?.click().await?;
    // The line that was added, behind those of the demo.
    let called = format!("bram/{:02}_i-thought-the-worst", jam_demo::LINES.len() + 1);
    page.find_text(&called).await?;
    page.click("unfold-movie").await?;
    page.find_text("Made in this page").await?;
    page.click("deliver").await?;
    let files = async || -> Result<Vec<Value>> {
        Ok(bed.json("/api/deliveries").await?.as_array().cloned().unwrap_or_default())
    };
    let there = async || Ok(files().await?.iter().any(|f| f["kind"] == "movie"));
    page.until("the movie is made", there).await?;
    let all = files().await?;
    let endings = ["sheet.csv", "sheet.html", "vtt", "mov"];
    for ending in endings {
        let name = format!("{called}.{ending}");
        ensure!(all.iter().any(|f| f["file_name"] == name.as_str()), "{name} is missing: {all:?}");
    }
    let movie = all.iter().find(|f| f["kind"] == "movie").context("no movie")?;
    let bytes = reqwest::get(bed.at(&format!("/api/deliveries/{}/file", movie["id"]))).await?.bytes().await?;
    let path = bed.folder.path().join("line.mov");
    std::fs::write(&path, &bytes)?;
    let burnt = "
        const done = arguments[0];
        const recipe = (await (await fetch('/api/deliveries/choices')).json()).recipes[0].recipe;
        const frames = await (await fetch('/api/lines/LINE/frames', { method: 'POST',
          headers: { 'content-type': 'application/json' }, body: JSON.stringify({ recipe }) })).json();
        await document.fonts.ready;
        done(frames.values.map((_, i) => window.jamLipsBurnt(recipe.movie, frames, i, '18 · Bram')));";
    let burnt = burnt.replace("LINE", &id.to_string());
    let burnt = format!("(async () => {{ {} }})()", burnt.replace("arguments[0]", "done0"));
    let burnt = format!("const done0 = arguments[0]; {burnt}");
    let burnt: Vec<Vec<f64>> =
        serde_json::from_value(page.browser.execute_async(burnt, vec![]).await?.json().clone())?;
    check_movie(&path, &burnt, &wav)?;

    // The line is changed: what is out says so, and is compared with it.
    let wide = json!({"op": {"do": "diction", "change": {"openness": 1.7}}});
    client
        .post(bed.at(&format!("/api/lines/{id}/operations")))
        .json(&wide)
        .send()
        .await?
        .error_for_status()?;
    page.browser.refresh().await?;
    page.find(&format!("[data-testid=delivered-{id}][data-changed]")).await?;
    page.click(&format!("see-{id}")).await?;
    page.find_text("as it went out").await?;
    page.find("[role=dialog] svg[aria-label^=jaw_open]").await?;
    Ok(())
}

#[tokio::test(flavor = "multi_thread")]
async fn a_line_goes_out_with_a_movie_whose_frames_and_sound_are_exact() -> Result<()> {
    let bed = Bed::made(SMALL, true).await?;
    let outcome = deliver(&bed).await;
    bed.done(outcome).await
}
