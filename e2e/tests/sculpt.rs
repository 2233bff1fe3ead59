//! A shape is corrected by hand on the stage: dragged, smoothed, taken back; shapes are made, split and named; strokes stay when
//! the shapes are made again.

use anyhow::{Context, Result, ensure};
use jam_demo::{BRAM, CHARACTERS};
use jam_e2e::{Bed, SMALL};
use serde_json::Value;
use thirtyfour::prelude::*;

/// Names of the shapes that were changed by hand.
async fn corrected(bed: &Bed, id: i64) -> Result<Vec<String>> {
    let view = bed.json(&format!("/api/cast/{id}/sculpt")).await?;
    let changed = view["shapes"].as_array().into_iter().flatten().filter(|s| s["changed"] == true);
    Ok(changed.filter_map(|s| s["name"].as_str().map(str::to_string)).collect())
}

async fn drag_over(bed: &Bed, from: (f64, f64), to: (f64, f64)) -> Result<()> {
    let stage = bed.page.find("[data-testid=brush]").await?.rect().await?;
    let at = |(x, y): (f64, f64)| (stage.x + stage.width * x, stage.y + stage.height * y);
    bed.page.drag(at(from), at(to)).await
}

async fn by_hand(bed: &Bed) -> Result<()> {
    let page = &bed.page;
    page.browser.goto(bed.at("/cast/1")).await?;
    page.find("[data-testid=stage][data-ready]").await?;
    page.browser.find(By::XPath("//*[@role='tab'][.='By hand']")).await?.click().await?;
    page.find("[data-testid=brush]").await?;
    page.click("shape-corner_up_left").await?;
    page.click("view-mouth").await?;
    let shown = async || Ok(page.eval("return window.jamLips.shift()").await?.as_f64() > Some(0.002));
    page.until("the shape is shown", shown).await?;

    // Dragged upwards beside the mouth's left corner: both sides are changed, and the lips stay shut.
    drag_over(bed, (0.7, 0.5), (0.74, 0.4)).await?;
    let both = ["corner_up_left", "corner_up_right"];
    page.until("the stroke is made", async || Ok(corrected(bed, 1).await? == both)).await?;
    let says = async || Ok(page.text("shape-corner_up_left").await?.contains("corrected"));
    page.until("the list says so", says).await?;
    // The face stayed as it was dragged: nothing was loaded anew, and the pose is there.
    page.until("the face is shown as it was dragged", shown).await?;

    // Smoothed with a stroke, then one step after the other taken back.
    page.browser.find(By::XPath("//label[.='Smooth']")).await?.click().await?;
    drag_over(bed, (0.66, 0.5), (0.74, 0.46)).await?;
    let steps = async || -> Result<usize> {
        let detail = bed.json("/api/cast/1").await?;
        Ok(detail["undo"].as_array().map_or(0, Vec::len))
    };
    page.until("the second stroke is made", async || Ok(steps().await? == 2)).await?;
    page.press("z").await?;
    page.until("it is taken back", async || Ok(steps().await? == 1)).await?;
    page.press("z").await?;
    page.until("all is as it was", async || Ok(corrected(bed, 1).await?.is_empty())).await?;

    // A shape for two controls on together, wired so, and one split in two.
    page.click("new-shape").await?;
    page.browser.find(By::XPath("//*[@role='menuitem'][contains(., 'two controls')]")).await?.click().await?;
    page.find("[data-testid=shape-name]").await?.send_keys("laugh").await?;
    page.click("shape-make").await?;
    page.find("[data-testid=shape-laugh]").await?;
    let detail = bed.json("/api/cast/1").await?;
    let outputs = detail["member"]["wiring"]["outputs"].as_array().context("a wiring")?;
    let own = outputs.iter().find(|o| o["target"]["name"] == "laugh").context("it is not wired")?;
    ensure!(own["feeds"][0]["times"].is_string(), "{own}");
    page.click("shape-cheek_puff").await?;
    page.button("Split …").await?.click().await?;
    page.click("shape-make").await?;
    page.find("[data-testid=shape-cheek_puff_left]").await?;
    page.find("[data-testid=shape-cheek_puff_right]").await?;
    // A name that is there is refused with a sentence, and nothing changes.
    page.button("Rename …").await?.click().await?;
    let name = page.find("[data-testid=shape-name]").await?;
    name.send_keys(Key::Control + "a").await?;
    name.send_keys("laugh").await?;
    page.click("shape-make").await?;
    page.until("it is refused", async || {
        Ok(page.browser.source().await?.contains("there is a shape “laugh” already"))
    })
    .await?;
    Ok(())
}

async fn strokes_stay(bed: &Bed) -> Result<()> {
    let client = reqwest::Client::new();
    let post = async |path: String, body: Value| -> Result<Value> {
        Ok(client.post(bed.at(&path)).json(&body).send().await?.error_for_status()?.json().await?)
    };
    let bram = CHARACTERS.iter().find(|c| c.name == BRAM).context("no Bram")?;
    let model =
        reqwest::multipart::Part::bytes(crate::plain::without_shapes(bram.model)).file_name("plain.glb");
    let form = reqwest::multipart::Form::new().text("name", "Marn").part("model", model);
    let came = client.post(bed.at("/api/cast")).multipart(form).send().await?;
    let came: Value = came.error_for_status()?.json().await?;
    let id = came["member"]["id"].as_i64().context("nobody came")?;
    let path = format!("/api/cast/{id}/shapes");
    let make = async || -> Result<()> {
        let marks = bed.json(&path).await?["landmarks"].clone();
        let before = bed.json(&format!("/api/cast/{id}")).await?["undo"].as_array().map_or(0, Vec::len);
        post(path.clone(), serde_json::json!({"landmarks": marks, "symmetric": false, "strengths": {}}))
            .await?;
        let made = async || {
            let detail = bed.json(&format!("/api/cast/{id}")).await?;
            Ok(detail["undo"].as_array().map_or(0, Vec::len) > before)
        };
        bed.page.until("shapes are made", made).await
    };
    make().await?;
    let sculpt = format!("/api/cast/{id}/sculpt");
    let view = bed.json(&sculpt).await?;
    ensure!(view["edges"] == serde_json::json!([true, true, true]), "{view}");
    post(
        format!("{sculpt}/operations"),
        serde_json::json!({"op": {"kind": "make", "name": "sneer", "of": {"nose_wrinkle_left": 1.0}}}),
    )
    .await?;
    post(
        format!("{sculpt}/operations"),
        serde_json::json!({"op": {"kind": "rename", "name": "lips_round", "to": "kiss"}}),
    )
    .await?;
    make().await?;
    let names: Vec<String> = bed.json(&sculpt).await?["shapes"]
        .as_array()
        .into_iter()
        .flatten()
        .filter_map(|s| s["name"].as_str().map(str::to_string))
        .collect();
    for name in ["sneer", "kiss", "jaw_open"] {
        ensure!(names.iter().any(|n| n == name), "{name} in {names:?}");
    }
    ensure!(!names.iter().any(|n| n == "lips_round"), "it is called otherwise: {names:?}");
    Ok(())
}

#[tokio::test(flavor = "multi_thread")]
async fn shapes_are_corrected_on_the_stage() -> Result<()> {
    let bed = Bed::made(SMALL, true).await?;
    let outcome = match by_hand(&bed).await {
        Ok(()) => strokes_stay(&bed).await,
        failed => failed,
    };
    bed.done(outcome).await
}
