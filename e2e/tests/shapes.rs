//! A character without shapes gets them in the page: points proposed, one dragged, shapes made, looked at, taken back.

use anyhow::{Context, Result, ensure};
use jam_demo::{BRAM, CHARACTERS};
use jam_e2e::{Bed, SMALL};
use serde_json::Value;
use thirtyfour::prelude::*;

async fn shapes(bed: &Bed, id: i64) -> Result<usize> {
    let member = bed.json(&format!("/api/cast/{id}")).await?;
    Ok(member["facts"]["shapes"].as_array().map_or(0, Vec::len))
}

async fn works(bed: &Bed) -> Result<()> {
    let page = &bed.page;
    let bram = CHARACTERS.iter().find(|c| c.name == BRAM).context("no Bram")?;
    let model =
        reqwest::multipart::Part::bytes(crate::plain::without_shapes(bram.model)).file_name("plain.glb");
    let form = reqwest::multipart::Form::new().text("name", "Marn").part("model", model);
    let came = reqwest::Client::new().post(bed.at("/api/cast")).multipart(form).send().await?;
    let came: Value = came.error_for_status()?.json().await?;
    let id = came["member"]["id"].as_i64().context("nobody came")?;
    page.browser.goto(bed.at(&format!("/cast/{id}"))).await?;
    // One without shapes opens where it gets them.
    page.find("[data-testid=shapes-panel]").await?;
    page.find("[data-testid=stage][data-ready]").await?;
    ensure!(shapes(bed, id).await? == 0, "it has shapes already");

    // A corner of the mouth is dragged over the skin; the other goes along.
    let mark = page.find("[data-landmark=mouth_left]").await?;
    let at = async || -> Result<(f64, f64)> {
        let r = mark.rect().await?;
        Ok((r.x + r.width / 2.0, r.y + r.height / 2.0))
    };
    // Marks follow the picture, and a picture may take its time: first the whole face, with this corner right of its
    // middle, then the corner itself in the middle.
    let stage = page.find("[data-testid=stage]").await?.rect().await?;
    let middle = (stage.x + stage.width / 2.0, stage.y + stage.height / 2.0);
    let in_sight = async || Ok(at().await?.0 > middle.0 + 4.0);
    page.until("the face is in the picture", in_sight).await?;
    page.click("landmark-mouth_left").await?;
    let looked_at = async || {
        let (x, y) = at().await?;
        Ok((x - middle.0).abs() < 3.0 && (y - middle.1).abs() < 3.0)
    };
    page.until("the corner is looked at", looked_at).await?;
    let before = at().await?;
    page.drag(before, (before.0 + 14.0, before.1 - 2.0)).await?;
    let moved = async || Ok((at().await?.0 - before.0 - 14.0).abs() < 4.0);
    page.until("the point is where it was dragged", moved).await?;
    for corner in ["mouth_left", "mouth_right"] {
        let says = page.text(&format!("landmark-{corner}")).await?;
        ensure!(says.contains("put by hand"), "{corner}: {says}");
    }

    // The arrow keys move it, too.
    let dragged = at().await?.0;
    mark.send_keys(Key::Left + Key::Left).await?;
    mark.send_keys(Key::Left + Key::Left).await?;
    let back = async || Ok((at().await?.0 - dragged + 4.0).abs() < 1.5);
    page.until("the point is where the keys brought it", back).await?;

    // Cancelled, nothing is changed; made, the lips seal.
    page.click("make-shapes").await?;
    page.click("cancel-shapes").await?;
    page.find("[data-testid=make-shapes]").await?;
    ensure!(shapes(bed, id).await? == 0, "cancelled, and yet there are shapes");
    page.click("make-shapes").await?;
    let said = page.find("[data-testid=shapes-said]").await?.text().await?;
    ensure!(said.contains("Sealed lips leave less than 0.1 %"), "{said}");
    ensure!(shapes(bed, id).await? > 40, "{} shapes", shapes(bed, id).await?);
    page.find("[data-testid=stage][data-ready]").await?;
    page.button("jaw open").await?.click().await?;
    let opens = async || Ok(page.eval("return window.jamLips.shift()").await?.as_f64() > Some(0.005));
    page.until("the face moves", opens).await?;

    // One step, which undo takes back and redo makes again.
    page.press("z").await?;
    let gone = async || Ok(shapes(bed, id).await? == 0);
    page.until("the face is as it came", gone).await?;
    page.press("y").await?;
    let again = async || Ok(shapes(bed, id).await? > 40);
    page.until("it has its shapes again", again).await?;
    let kept: Value = bed.json(&format!("/api/cast/{id}/shapes")).await?;
    ensure!(kept["made"]["report"]["warnings"].as_array().is_some(), "how they were made is forgotten");
    Ok(())
}

#[tokio::test(flavor = "multi_thread")]
async fn a_face_without_shapes_gets_them() -> Result<()> {
    let bed = Bed::made(SMALL, true).await?;
    let outcome = works(&bed).await;
    bed.done(outcome).await
}

/// A bare head that was given what shapes it can bear, with its shapes looked at; its number.
async fn comes(bed: &Bed, bare: crate::bare::Bare) -> Result<i64> {
    let page = &bed.page;
    let (file, landmarks) = crate::bare::bare_head(bare);
    let model = reqwest::multipart::Part::bytes(file).file_name("bare.glb");
    let form = reqwest::multipart::Form::new().text("name", "Bare").part("model", model);
    let client = reqwest::Client::new();
    let came = client.post(bed.at("/api/cast")).multipart(form).send().await?;
    let came: Value = came.error_for_status()?.json().await?;
    let id = came["member"]["id"].as_i64().context("nobody came")?;
    let order = serde_json::json!({"landmarks": landmarks, "joints": true});
    let begun = client.post(bed.at(&format!("/api/cast/{id}/shapes"))).json(&order).send().await?;
    begun.error_for_status()?;
    let made = async || Ok(shapes(bed, id).await? > 30);
    page.until("it has shapes", made).await?;
    page.browser.goto(bed.at(&format!("/cast/{id}"))).await?;
    page.find("[data-testid=stage][data-ready]").await?;
    page.button("Shapes").await?.click().await?;
    Ok(id)
}

/// Lips of one surface: it is said, one click cuts them apart, and then the mouth opens.
async fn cut(bed: &Bed) -> Result<()> {
    let page = &bed.page;
    let id = comes(bed, crate::bare::Bare { shut: true, ..Default::default() }).await?;
    let said = page.find("[data-testid=shapes-said]").await?.text().await?;
    ensure!(said.contains("they are one surface") && !said.contains("Sealed lips"), "{said}");
    page.click("cut-lips").await?;
    let parted = async || {
        let said = page.find("[data-testid=shapes-said]").await?.text().await?;
        Ok(said.contains("Sealed lips leave less than 0.1 %"))
    };
    page.until("the lips are cut apart", parted).await?;
    let kept = bed.json(&format!("/api/cast/{id}/shapes")).await?;
    ensure!(kept["made"]["cut_lips"] == true, "that it was cut is forgotten");
    page.find("[data-testid=stage][data-ready]").await?;
    page.button("jaw open").await?.click().await?;
    let opens = async || Ok(page.eval("return window.jamLips.shift()").await?.as_f64() > Some(0.005));
    page.until("the mouth opens", opens).await?;
    // One step more, which undo takes back.
    page.press("z").await?;
    let whole = async || {
        let now = bed.json(&format!("/api/cast/{id}/shapes")).await?;
        Ok(now["made"]["cut_lips"] == false)
    };
    page.until("the lips are one again", whole).await
}

/// Lids that are one surface with their eyes: it is said, one click cuts them, and then they shut.
async fn opened(bed: &Bed) -> Result<()> {
    let page = &bed.page;
    let id = comes(bed, crate::bare::Bare { eyes_sewn: true, ..Default::default() }).await?;
    let said = page.find("[data-testid=shapes-said]").await?.text().await?;
    ensure!(
        said.contains("one surface with the eye") && said.contains("guessed from their corners"),
        "{said}"
    );
    page.click("cut-lids").await?;
    let parted = async || {
        let said = page.find("[data-testid=shapes-said]").await?.text().await?;
        Ok(said.contains("Shut lids leave less than 0.1 %") && said.contains("found as meshes"))
    };
    page.until("the lids are cut from the eyes", parted).await?;
    let kept = bed.json(&format!("/api/cast/{id}/shapes")).await?;
    ensure!(kept["made"]["cut_lids"] == true && kept["made"]["cut_lips"] == false, "{kept}");
    page.find("[data-testid=stage][data-ready]").await?;
    page.button("lids shut").await?.click().await?;
    let shut = async || Ok(page.eval("return window.jamLips.shift()").await?.as_f64() > Some(0.005));
    page.until("the lids shut", shut).await
}

#[tokio::test(flavor = "multi_thread")]
async fn lids_of_one_surface_are_cut_from_their_eyes() -> Result<()> {
    let bed = Bed::made(SMALL, true).await?;
    let outcome = opened(&bed).await;
    bed.done(outcome).await
}

#[tokio::test(flavor = "multi_thread")]
async fn lips_of_one_surface_are_cut_apart() -> Result<()> {
    let bed = Bed::made(SMALL, true).await?;
    let outcome = cut(&bed).await;
    bed.done(outcome).await
}
