//! Room for work: what is used often is in view, dividers are moved and remembered, the lips are in the picture whatever
//! the camera does.

use anyhow::{Context, Result, ensure};
use jam_e2e::{Bed, Page, SMALL};
use thirtyfour::prelude::*;

const LARGE: (u32, u32) = (1920, 1080);
const BENCHES: [&str; 11] =
    ["line", "word", "diction", "mood", "eyes", "head", "hand", "curve", "why", "check", "steps"];

/// How much of the open bench lies below its fold, pixels.
const FOLD: &str = "
const panel = document.querySelector('[role=tabpanel]');
return panel.scrollHeight - panel.clientHeight;
";
/// Names of curves that are wholly in view.
const CURVES: &str = "
const list = document.querySelector('[role=listbox][aria-label=Curves]').getBoundingClientRect();
const rows = [...document.querySelectorAll('[role=listbox][aria-label=Curves] [role=option]')];
return rows.filter((r) => { const b = r.getBoundingClientRect(); return b.top >= list.top && b.bottom <= Math.min(list.bottom, innerHeight) + 1; }).length;
";

async fn no_fold(page: &Page, what: &str) -> Result<()> {
    let over = page.eval(FOLD).await?.as_f64().context("no panel")?;
    ensure!(over <= 1.0, "{what} reaches {over} pixels below its fold");
    Ok(())
}

async fn benches(bed: &Bed) -> Result<()> {
    let page = &bed.page;
    page.score(bed.at("/score/4")).await?;
    for bench in BENCHES {
        page.click(&format!("bench-{bench}")).await?;
        page.id(&format!("{bench}-bench")).await?;
        no_fold(page, bench).await?;
        if bench == "word" {
            page.press(Key::Right + "").await?;
            page.id("ways").await?;
            no_fold(page, "a word").await?;
            page.find("[role=group][aria-label='Sounds of the word'] button").await?.click().await?;
            page.id("replace-sound").await?;
            no_fold(page, "a sound").await?;
        }
        if bench == "mood" {
            page.find("[data-testid^=span-mood]").await?.click().await?;
            page.id("which-mood").await?;
            no_fold(page, "a mood").await?;
        }
    }
    page.press("q").await?;
    page.id("open-stave").await?;
    page.until("twelve curves are listed in view", || async {
        Ok(page.eval(CURVES).await?.as_u64().is_some_and(|n| n >= 12))
    })
    .await?;
    page.click("curve-jaw_open").await?;
    let stave = page.id("open-stave").await?;
    page.browser.action_chain().move_to_element_with_offset(&stave, 0, -40).double_click().perform().await?;
    page.id("key-value").await?;
    no_fold(page, "a key").await?;
    let scrolls = page.eval("return document.documentElement.scrollHeight > innerHeight").await?;
    ensure!(scrolls == false, "the page scrolls");
    Ok(())
}

#[tokio::test(flavor = "multi_thread")]
async fn every_bench_shows_all_that_is_used_often_at_1280_by_800() -> Result<()> {
    let bed = Bed::made(SMALL, true).await?;
    let outcome = benches(&bed).await;
    bed.done(outcome).await
}

/// Width and height of what is of a test's name.
async fn size(page: &Page, id: &str) -> Result<(f64, f64)> {
    let rect = page.id(id).await?.rect().await?;
    Ok((rect.width, rect.height))
}

async fn middle(page: &Page, id: &str) -> Result<(f64, f64)> {
    let rect = page.id(id).await?.rect().await?;
    Ok((rect.x + rect.width / 2.0, rect.y + rect.height / 2.0))
}

async fn large(bed: &Bed) -> Result<()> {
    let page = &bed.page;
    page.score(bed.at("/score/4")).await?;
    let stage = size(page, "stage").await?;
    ensure!(stage.0 > 700.0 && stage.1 > 400.0, "the stage is {stage:?} of 1920 by 1080");
    page.press("3").await?;
    page.id("walk").await?;
    page.find("[data-testid=stage][data-ready]").await?;
    let stage = size(page, "stage").await?;
    ensure!(stage.0 > 650.0 && stage.1 > 550.0, "the stage of the Cast is {stage:?} of 1920 by 1080");
    Ok(())
}

#[tokio::test(flavor = "multi_thread")]
async fn a_large_window_is_used() -> Result<()> {
    let bed = Bed::made(LARGE, true).await?;
    let outcome = large(&bed).await;
    bed.done(outcome).await
}

async fn dividers(bed: &Bed) -> Result<()> {
    let page = &bed.page;
    page.score(bed.at("/score/4")).await?;
    let before = size(page, "stage").await?;
    let usual = size(page, "name-words").await?.1;
    for (id, by) in [("divider-upper", (0.0, -50.0)), ("divider-stage", (80.0, 0.0))] {
        let at = middle(page, id).await?;
        page.drag(at, (at.0 + by.0, at.1 + by.1)).await?;
    }
    let moved =
        |now: (f64, f64)| (now.0 - before.0 - 80.0).abs() < 3.0 && (now.1 - before.1 + 50.0).abs() < 3.0;
    page.until("both dividers were moved", || async { Ok(moved(size(page, "stage").await?)) }).await?;
    let words = size(page, "name-words").await?.1;
    let edge = middle(page, "edge-words").await?;
    page.drag(edge, (edge.0, edge.1 + 24.0)).await?;
    let higher = || async { Ok((size(page, "name-words").await?.1 - words - 24.0).abs() < 2.5) };
    page.until("the stave is higher", higher).await?;

    page.score(bed.at("/score/4")).await?;
    ensure!(moved(size(page, "stage").await?), "sizes are not remembered");
    page.until("the stave is as high as it was left", higher).await?;
    for id in ["divider-upper", "divider-stage", "edge-words"] {
        page.until(&format!("{id} is where it usually is"), || async {
            // Of a machine that stands still between them two clicks are no double one.
            let element = page.id(id).await?;
            page.browser.action_chain().double_click_element(&element).perform().await?;
            let now = size(page, "stage").await?;
            Ok(match id {
                "divider-upper" => (now.1 - before.1).abs() < 1.5,
                "divider-stage" => (now.0 - before.0).abs() < 1.5,
                _ => (size(page, "name-words").await?.1 - usual).abs() < 1.5,
            })
        })
        .await?;
    }
    // By key, too.
    page.id("divider-upper").await?.send_keys(Key::Down + "").await?;
    page.until("a key moves it", || async { Ok(size(page, "stage").await?.1 > before.1 + 8.0) }).await
}

#[tokio::test(flavor = "multi_thread")]
async fn dividers_are_dragged_remembered_and_reset() -> Result<()> {
    let bed = Bed::made(SMALL, true).await?;
    let outcome = dividers(&bed).await;
    bed.done(outcome).await
}

/// Fails if the lips reach out of a view: of the close-up, or of the face's.
async fn lips_within(page: &Page, view: &str, what: &str) -> Result<()> {
    let lips = page.eval("return window.jamLips.lips()[0]").await?;
    let of = &lips[view];
    let side = |name: &str| of[name].as_f64().with_context(|| format!("no lips in {view}: {lips}"));
    let (left, right, top, bottom) = (side("left")?, side("right")?, side("top")?, side("bottom")?);
    ensure!(
        left >= 0.0 && top >= 0.0 && right <= 1.0 && bottom <= 1.0,
        "{what}: the lips reach out of {view}: {left:.2}–{right:.2} across, {top:.2}–{bottom:.2} down"
    );
    // And they are what is looked at, not a speck in it.
    ensure!(right - left > 0.25, "{what}: the lips take {:.2} of {view}", right - left);
    Ok(())
}

async fn cameras(bed: &Bed) -> Result<()> {
    let page = &bed.page;
    // Bram, Odile with whole mouths, and the bell, which is all joints.
    for line in [4, 13, 15] {
        // The head far to one side and down, over all of the line.
        let turn = serde_json::json!({"op": {"do": "add_move", "does":
            {"kind": "turn", "yaw": 40.0, "pitch": 18.0, "roll": 12.0}, "over": {"span": {"start": 0.5, "end": 3.0}, "time": 0.0}}});
        let address = bed.at(&format!("/api/lines/{line}/operations"));
        reqwest::Client::new().post(address).json(&turn).send().await?.error_for_status()?;
        page.score(bed.at(&format!("/score/{line}"))).await?;
        for view in ["front", "right", "left", "side", "mouth", "frame"] {
            match view {
                "frame" => page.press("r").await?,
                view => page.click(&format!("view-{view}")).await?,
            }
            page.press(Key::Home + "").await?;
            for word in 0..6 {
                let what = format!("line {line}, {view}, at word {word}");
                lips_within(page, "closeUp", &what).await?;
                if view == "mouth" {
                    lips_within(page, "main", &what).await?;
                }
                page.press(Key::Right + "").await?;
            }
        }
    }
    // The same with the keys, and with the close-up large and in another corner.
    for key in ["f", "r", "q", "p", "m"] {
        page.with(Key::Shift, key).await?;
        lips_within(page, "closeUp", &format!("key {key}")).await?;
    }
    lips_within(page, "main", "key m").await
}

#[tokio::test(flavor = "multi_thread")]
async fn the_lips_are_in_the_close_up_and_in_the_near_view_always() -> Result<()> {
    let bed = Bed::made(SMALL, true).await?;
    let outcome = cameras(&bed).await;
    bed.done(outcome).await
}
