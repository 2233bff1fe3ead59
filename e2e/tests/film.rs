//! A reference film beside the stage, on the same frame; a long line; the guided first line.

use anyhow::{Context, Result, ensure};
use jam_e2e::{Bed, SMALL, long_line};
use thirtyfour::prelude::*;

/// Films the page's own canvas for a second and a half, as WebM, and lays it on line 4.
const FILM: &str = "
const done = arguments[0];
const canvas = Object.assign(document.createElement('canvas'), { width: 64, height: 48 });
const c = canvas.getContext('2d');
const film = new MediaRecorder(canvas.captureStream(25), { mimeType: 'video/webm' });
const parts = [];
film.ondataavailable = (e) => parts.push(e.data);
film.onstop = async () => {
  const data = new FormData();
  data.append('film', new File(parts, 'actor.webm', { type: 'video/webm' }));
  done((await fetch('/api/lines/4/film', { method: 'POST', body: data })).status);
};
film.start(100);
const began = performance.now();
let drawn = 0;
// Long enough, and in pictures enough, however slowly a busy machine draws them: else there is no half second to show.
const draw = () => {
  c.fillStyle = `hsl(${(performance.now() - began) / 5}, 80%, 50%)`;
  c.fillRect(0, 0, 64, 48);
  if (++drawn < 45 || performance.now() - began < 1500) requestAnimationFrame(draw); else film.stop();
};
draw();
";

async fn film(bed: &Bed) -> Result<()> {
    let page = &bed.page;
    page.score(bed.at("/score/4")).await?;
    let status = page.browser.execute_async(FILM, vec![]).await?;
    ensure!(status.json() == 200, "{:?}", status.json());
    page.id("film").await?;
    let at = async || -> Result<f64> {
        let time = page.eval("return document.querySelector('[data-testid=film]').currentTime").await?;
        time.as_f64().context("no time")
    };
    // Scrubbed with the playhead: twelve frames of 24 are half a second.
    page.press(Key::Home + "............").await?;
    page.until("the film shows the same moment", || async { Ok((at().await? - 0.5).abs() < 0.03) }).await?;
    // Moved against the sound, and taken back.
    let offset = page.id("film-offset").await?;
    offset.click().await?;
    offset.send_keys(Key::Control + "a").await?;
    offset.send_keys("0.4" + Key::Enter).await?;
    page.until("it is 0.4 s further", || async { Ok((at().await? - 0.9).abs() < 0.03) }).await?;
    page.undo("move the film").await?;
    page.until("it is where it was", || async { Ok((at().await? - 0.5).abs() < 0.03) }).await?;
    page.click("delete-film").await?;
    page.until("there is no film", || async { Ok(!page.has("film").await?) }).await?;
    page.undo("take the film off").await?;
    page.id("film").await?;
    Ok(())
}

#[tokio::test(flavor = "multi_thread")]
async fn a_film_plays_beside_the_stage_on_the_same_frame() -> Result<()> {
    let bed = Bed::made(SMALL, true).await?;
    let outcome = film(&bed).await;
    bed.done(outcome).await
}

async fn long(bed: &Bed, id: i32) -> Result<()> {
    let page = &bed.page;
    page.score(bed.at(&format!("/score/{id}"))).await?;
    let line = bed.json(&format!("/api/lines/{id}")).await?;
    let duration = line["summary"]["duration"].as_f64().context("no duration")?;
    ensure!(duration > 60.0, "{duration} s");
    // The overview's handle is dragged: its end zooms, its middle scrolls, what is in view is told.
    let shown = async || -> Result<String> {
        Ok(page
            .find("[aria-label='What the staves show']")
            .await?
            .attr("aria-valuetext")
            .await?
            .unwrap_or_default())
    };
    ensure!(shown().await?.starts_with("0.0 to"), "{}", shown().await?);
    let rect = page.id("overview").await?.rect().await?;
    let middle = rect.y + rect.height / 2.0;
    page.drag((rect.x + rect.width - 3.0, middle), (rect.x + rect.width * 0.1, middle)).await?;
    page.until("a tenth is in view", || async {
        let to: f64 = shown().await?.split(' ').nth(2).context("no end")?.parse()?;
        Ok(to < 0.15 * duration)
    })
    .await?;
    page.drag((rect.x + rect.width * 0.05, middle), (rect.x + rect.width * 0.5, middle)).await?;
    page.until("the middle is in view", || async {
        let from: f64 = shown().await?.split(' ').next().context("no start")?.parse()?;
        Ok(from > 0.35 * duration)
    })
    .await?;
    page.press("0").await?;
    page.press(Key::End + "").await?;
    page.until("the playhead is at the end", || async { Ok(page.frame().await? > 1001 + 24 * 60) }).await?;
    // A range drawn in the ruler is looped, I and O set its ends.
    let ruler = page.id("ruler").await?.rect().await?;
    page.drag((ruler.x + 200.0, ruler.y + 5.0), (ruler.x + 320.0, ruler.y + 5.0)).await?;
    let wide = page.id("range").await?.rect().await?.width;
    ensure!((wide - 120.0).abs() < 8.0, "the range is {wide} wide");
    page.press(Key::Home + "o").await?;
    page.press("l").await?;
    page.until("nothing is looped", || async { Ok(!page.has("range").await?) }).await
}

#[tokio::test(flavor = "multi_thread")]
async fn a_line_of_more_than_a_minute_is_scrolled_zoomed_and_looped() -> Result<()> {
    let bed = Bed::made(SMALL, true).await?;
    let id = long_line(&bed.data)?;
    let outcome = long(&bed, id).await;
    bed.done(outcome).await
}

async fn guided(bed: &Bed) -> Result<()> {
    let page = &bed.page;
    page.click("show-around").await?;
    let step = async |n: usize| page.find(&format!("[data-testid=guide][data-step='{n}']")).await.map(|_| ());
    step(0).await?;
    page.find("[data-testid=stage][data-ready]").await?;
    page.id("speech").await?;
    page.press(" ").await?;
    step(1).await?;
    page.press(" ").await?;
    page.press(Key::Right + "").await?;
    step(2).await?;
    page.with(Key::Control, Key::Right + "").await?;
    step(3).await?;
    page.click("bench-mood").await?;
    page.click("add-happiness").await?;
    step(4).await?;
    page.press("h").await?;
    step(5).await?;
    page.with(Key::Control, "z").await?;
    step(6).await?;
    page.press("4").await?;
    page.find_text("That is the whole way").await?;
    // Skipped, it stays away.
    page.eval("document.querySelector('[data-testid=guide] button').click()").await?;
    page.until("the guide is gone", || async { Ok(!page.has("guide").await?) }).await?;
    page.browser.refresh().await?;
    page.id("deliver").await?;
    ensure!(!page.has("guide").await?, "the guide came back");
    Ok(())
}

#[tokio::test(flavor = "multi_thread")]
async fn a_first_line_is_shown_step_by_step() -> Result<()> {
    let bed = Bed::made(SMALL, false).await?;
    let outcome = guided(&bed).await;
    bed.done(outcome).await
}
