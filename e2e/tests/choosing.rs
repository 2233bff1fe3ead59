//! Choosing several, copying and pasting, keys beside focused things, menus, and deleting whole lines, with a way back.

use anyhow::{Context, Result, ensure};
use jam_e2e::{Bed, Page, SMALL, serve_at};
use serde_json::Value;
use thirtyfour::prelude::*;

async fn line(bed: &Bed, id: i32) -> Result<Value> {
    bed.json(&format!("/api/lines/{id}")).await
}

fn rows<'v>(line: &'v Value, path: &[&str]) -> &'v [Value] {
    let found = path.iter().fold(line, |v, name| &v[*name]);
    found.as_array().map_or(&[], Vec::as_slice)
}

/// Where a moment of the line lies across the window, and where a stave's middle lies down it.
async fn place(page: &Page, line: &Value, stave: &str, time: f64) -> Result<(f64, f64)> {
    let staves = page.id("staves").await?.rect().await?;
    let duration = line["summary"]["duration"].as_f64().context("no duration")?;
    let row = page.id(&format!("name-{stave}")).await?.rect().await?;
    Ok((staves.x + 158.0 + time / duration * (staves.width - 172.0), row.y + row.height / 2.0))
}

fn span(thing: &Value) -> (f64, f64) {
    let at = |name: &str| thing["span"][name].as_f64().unwrap_or(0.0);
    (at("start"), at("end"))
}

async fn words(bed: &Bed) -> Result<()> {
    let page = &bed.page;
    page.score(bed.at("/score/4")).await?;
    let before = line(bed, 4).await?;
    let all = rows(&before, &["document", "timing", "words"]).to_vec();

    // A word is chosen and moved in one go; undo brings it back.
    let last = all.last().context("no words")?;
    let (start, end) = span(last);
    let at = place(page, &before, "words", (start + end) / 2.0).await?;
    page.drag(at, (at.0 + 14.0, at.1)).await?;
    page.until("the word was moved", || async {
        let now = line(bed, 4).await?;
        let moved = rows(&now, &["document", "timing", "words"]).last().map(span);
        Ok(moved.is_some_and(|m| m.0 > start + 0.02))
    })
    .await?;
    page.undo("move a word").await?;
    page.until("it is back", || async {
        let now = line(bed, 4).await?;
        Ok(rows(&now, &["document", "timing", "words"]).last().map(span) == Some((start, end)))
    })
    .await?;

    // Two with Ctrl, all between with Shift, all with Ctrl A; pinned as one step.
    for (i, held) in [(1, None), (3, Some(Key::Control)), (6, Some(Key::Shift))] {
        let (start, end) = span(&all[i]);
        let at = place(page, &before, "words", (start + end) / 2.0).await?;
        let mut chain = page.browser.action_chain();
        if let Some(key) = &held {
            chain = chain.key_down(key.clone());
        }
        chain = chain.move_to(at.0 as i64, at.1 as i64).click();
        if let Some(key) = held {
            chain = chain.key_up(key);
        }
        chain.perform().await?;
    }
    page.click("bench-word").await?;
    page.find_text("5 words").await?;
    page.press("k").await?;
    let pinned = || async {
        let now = line(bed, 4).await?;
        Ok::<usize, anyhow::Error>(
            rows(&now, &["document", "timing", "words"]).iter().filter(|w| w["pinned"] == true).count(),
        )
    };
    page.until("all five are pinned", || async { Ok(pinned().await? == 5) }).await?;
    page.with(Key::Control, "z").await?;
    page.until("one step takes them back", || async { Ok(pinned().await? == 0) }).await?;
    page.with(Key::Control, "a").await?;
    page.find_text(&format!("{} words", all.len())).await?;
    Ok(())
}

#[tokio::test(flavor = "multi_thread")]
async fn words_are_chosen_several_at_once_and_moved_at_once() -> Result<()> {
    let bed = Bed::made(SMALL, true).await?;
    let outcome = words(&bed).await;
    bed.done(outcome).await
}

async fn moods(bed: &Bed) -> Result<()> {
    let page = &bed.page;
    page.score(bed.at("/score/4")).await?;
    let count =
        async |id: i32| -> Result<usize> { Ok(rows(&line(bed, id).await?, &["layers", "moods"]).len()) };
    let first = count(4).await?;
    page.find("[data-testid^=span-mood]").await?.click().await?;
    page.with(Key::Control, "c").await?;
    // On another line it is pasted with all its settings.
    page.press(Key::PageDown + "").await?;
    page.until("the next line is open", || async {
        Ok(page.browser.current_url().await?.path() == "/score/5")
    })
    .await?;
    page.id("speech").await?;
    let other = count(5).await?;
    page.with(Key::Control, "v").await?;
    page.until("it is there", || async { Ok(count(5).await? == other + 1) }).await?;
    // What was pasted is chosen.
    page.find("[data-testid^=span-mood][aria-pressed=true]").await?;
    let source = line(bed, 4).await?;
    let copy = line(bed, 5).await?;
    let does =
        |line: &Value| rows(line, &["layers", "moods"]).iter().map(|m| m["does"].clone()).collect::<Vec<_>>();
    ensure!(does(&copy).contains(&does(&source)[0]), "{copy}");
    // Cut takes it away again; undo twice is as before.
    page.with(Key::Control, "x").await?;
    page.until("it is cut", || async { Ok(count(5).await? == other) }).await?;
    page.with(Key::Control, "z").await?;
    page.until("the cut is taken back", || async { Ok(count(5).await? == other + 1) }).await?;
    page.press("z").await?;
    page.until("the paste is taken back", || async { Ok(count(5).await? == other) }).await?;
    ensure!(count(4).await? == first, "the first line was changed");

    // By its menu.
    page.score(bed.at("/score/4")).await?;
    let mood = page.find("[data-testid^=span-mood]").await?;
    page.browser.action_chain().context_click_element(&mood).perform().await?;
    page.entry("menu-mood", "Delete").await?;
    page.until("it is deleted", || async { Ok(count(4).await? == first - 1) }).await
}

#[tokio::test(flavor = "multi_thread")]
async fn moods_are_copied_from_line_to_line() -> Result<()> {
    let bed = Bed::made(SMALL, true).await?;
    let outcome = moods(&bed).await;
    bed.done(outcome).await
}

async fn curves(bed: &Bed) -> Result<()> {
    let page = &bed.page;
    page.score(bed.at("/score/4")).await?;
    page.press("q").await?;
    page.click("curve-jaw_open").await?;
    let round = page.id("curve-lips_round").await?;
    page.browser
        .action_chain()
        .key_down(Key::Control)
        .click_element(&round)
        .key_up(Key::Control)
        .perform()
        .await?;
    page.find_text("2 curves").await?;
    let touches = async || -> Result<Vec<Value>> { Ok(rows(&line(bed, 4).await?, &["touches"]).to_vec()) };
    // A key on both at the playhead is one step.
    page.press("...................t").await?;
    page.until("both have a key", || async { Ok(touches().await?.len() == 2) }).await?;
    page.find("[data-testid=open-stave][data-keys='2']").await?;
    page.press("z").await?;
    page.until("one step takes both back", || async { Ok(touches().await?.is_empty()) }).await?;
    page.find("[data-testid=open-stave][data-keys='0']").await?;
    // Baked, all keys chosen, scaled by a typed factor, and by the box.
    page.press("b").await?;
    page.until("both are baked", || async {
        let all = touches().await?;
        Ok(all.len() == 2 && all.iter().all(|t| t["laid"] == "replace"))
    })
    .await?;
    page.find_text("Baked:").await?;
    let high = async || -> Result<f64> {
        let all = touches().await?;
        let jaw = all.iter().find(|t| t["control"] == "jaw_open").context("no jaw")?;
        Ok(rows(jaw, &["keys"]).iter().filter_map(|k| k["value"].as_f64()).fold(0.0, f64::max))
    };
    let before = high().await?;
    page.press("x").await?;
    page.id("key-box").await?;
    let factor = page.id("scale-value").await?;
    factor.click().await?;
    factor.send_keys(Key::Control + "a").await?;
    factor.send_keys("50" + Key::Enter).await?;
    page.until("half as high", || async { Ok((high().await? / before - 0.5).abs() < 0.02) }).await?;
    let rect = page.still("scale-top").await?;
    let at = (rect.x + rect.width / 2.0, rect.y + rect.height / 2.0);
    page.drag(at, (at.0, at.1 - 40.0)).await?;
    page.until("the box made it higher", || async { Ok(high().await? > 0.6 * before) }).await?;
    page.with(Key::Control, "a").await?;
    page.press(Key::Delete + "").await?;
    page.until("all keys are deleted", || async { Ok(touches().await?.is_empty()) }).await
}

#[tokio::test(flavor = "multi_thread")]
async fn several_curves_are_worked_on_at_once() -> Result<()> {
    let bed = Bed::made(SMALL, true).await?;
    let outcome = curves(&bed).await;
    bed.done(outcome).await
}

async fn keys(bed: &Bed) -> Result<()> {
    let page = &bed.page;
    page.score(bed.at("/score/4")).await?;
    let playing = async || -> Result<bool> { Ok(page.text("play").await?.starts_with("Stop")) };
    // A focused button is pressed by Space; nothing plays.
    page.eval("document.querySelector('[data-testid=stage-two]').focus()").await?;
    page.press(" ").await?;
    page.find("[data-testid=stage-two][aria-pressed=true]").await?;
    ensure!(!playing().await?, "Space on a button plays");
    page.press(Key::Enter + "").await?;
    page.find("[data-testid=stage-two][aria-pressed=false]").await?;
    // A checkbox is turned by it.
    page.press("q").await?;
    page.click("curve-jaw_open").await?;
    page.eval("document.querySelector('[data-testid=curve-bench] input[type=checkbox]').focus()").await?;
    page.press(" ").await?;
    let off = "return !document.querySelector('[data-testid=curve-bench] input[type=checkbox]').checked";
    page.until("the checkbox is off", || async { Ok(page.eval(off).await? == true) }).await?;
    ensure!(!playing().await?, "Space on a checkbox plays");
    // After a press with the pointer Space plays, and arrows walk from word to word.
    page.click("bench-mood").await?;
    page.press(Key::Right + "").await?;
    page.id("mood-bench").await?;
    page.press(" ").await?;
    page.until("it plays", || async { playing().await }).await?;
    page.press(" ").await?;
    // Tabs are walked by arrow keys once they have the focus.
    page.eval("document.querySelector('[data-testid=bench-mood]').focus()").await?;
    page.press(Key::Right + "").await?;
    page.id("eyes-bench").await?;
    // Words by the list beside the drawing.
    page.id("list-words").await?.send_keys(Key::Home + "").await?;
    page.id("list-words").await?.send_keys(Key::Right + "").await?;
    let second = page.find("[data-testid=list-words] [aria-selected=true]").await?.inner_html().await?;
    ensure!(second.starts_with("the,"), "{second}");
    // What acts on the score does nothing elsewhere.
    let before = line(bed, 4).await?["revision"].clone();
    page.press("4").await?;
    page.id("deliver").await?;
    page.press("sjkb").await?;
    page.press(Key::Delete + "").await?;
    page.press("2").await?;
    page.id("speech").await?;
    ensure!(line(bed, 4).await?["revision"] == before, "a key of the score acted on Deliver");

    // Another key for a command, single keys off.
    page.press("?").await?;
    page.click("keys-loopAround").await?;
    page.find_text("press a key").await?;
    page.with(Key::Shift, "y").await?;
    let keys = "return document.querySelector('[data-testid=keys-loopAround] kbd')?.textContent ?? null";
    page.until("it has the new key", || async { Ok(page.eval(keys).await? == "⇧ Y") }).await?;
    page.press(Key::Escape + "").await?;
    page.closed().await?;
    page.with(Key::Shift, "y").await?;
    page.id("range").await?;
    page.press("?").await?;
    page.id("key-map").await?;
    page.eval("document.querySelector('[data-testid=single-keys]').click()").await?;
    page.press(Key::Escape + "").await?;
    page.closed().await?;
    page.click("bench-line").await?;
    page.press("6").await?;
    page.press(Key::Right + "").await?;
    page.find("[data-testid=list-words] [aria-selected=true]").await?;
    ensure!(page.has("line-bench").await?, "a single key acted though they are off");
    Ok(())
}

#[tokio::test(flavor = "multi_thread")]
async fn keys_do_what_they_do_everywhere_and_can_be_changed() -> Result<()> {
    let bed = Bed::made(SMALL, true).await?;
    let outcome = keys(&bed).await;
    bed.done(outcome).await
}

async fn whole(bed: &Bed) -> Result<()> {
    let page = &bed.page;
    // An empty production offers the demo.
    page.click("bring-demo").await?;
    page.id("line-15").await?;
    let order = async || -> Result<Vec<i64>> {
        let all = bed.json("/api/lines").await?;
        Ok(all.as_array().context("no lines")?.iter().filter_map(|l| l["id"].as_i64()).collect())
    };
    let first = order().await?;
    // Deleted by key, had back by the button that says so.
    page.click("line-2").await?;
    page.press(Key::Delete + "").await?;
    page.until("it is deleted", || async { Ok(!order().await?.contains(&2)) }).await?;
    page.still("take-back").await?;
    page.click("take-back").await?;
    page.until("it is back where it was", || async { Ok(order().await? == first) }).await?;
    // Named, copied and moved by its menu; taken back by Ctrl Z, in turn.
    let row = page.id("line-3").await?;
    page.browser.action_chain().context_click_element(&row).perform().await?;
    page.entry("menu-line", "Rename").await?;
    page.id("line-name").await?.send_keys("PH_003" + Key::Enter).await?;
    page.until("it has a name", || async { Ok(line(bed, 3).await?["summary"]["name"] == "PH_003") }).await?;
    let row = page.id("line-3").await?;
    page.browser.action_chain().context_click_element(&row).perform().await?;
    page.entry("menu-line", "Duplicate").await?;
    page.until("there is a copy behind it", || async {
        let now = order().await?;
        Ok(now.len() == first.len() + 1 && now[2] == 3 && now[3] > 15)
    })
    .await?;
    let copy = order().await?[3];
    let (own, other) = (line(bed, 3).await?, line(bed, copy as i32).await?);
    ensure!(own["document"] == other["document"] && own["layers"] == other["layers"], "the copy differs");
    let row = page.id("line-1").await?;
    page.browser.action_chain().context_click_element(&row).perform().await?;
    page.entry("menu-line", "Move down").await?;
    page.until("it is second", || async { Ok(order().await?[1] == 1) }).await?;
    page.with(Key::Control, "z").await?;
    page.until("it is first again", || async { Ok(order().await?[0] == 1) }).await?;
    page.with(Key::Control, "z").await?;
    page.until("the copy is gone", || async { Ok(order().await? == first) }).await?;

    // A character is called otherwise; its lines go on being said by it.
    page.press("3").await?;
    page.id("walk").await?;
    page.find("[data-testid=stage][data-ready]").await?;
    page.find("button[aria-label='More for Bram']").await?.click().await?;
    page.entry("menu-character", "Rename").await?;
    let field = page.id("character-name").await?;
    // The menu gives the focus back as it closes, which may fall between two keys.
    page.until("the new name is typed", || async {
        field.send_keys(Key::Control + "a").await?;
        field.send_keys("Abram").await?;
        Ok(field.prop("value").await?.as_deref() == Some("Abram"))
    })
    .await?;
    field.send_keys(Key::Enter).await?;
    page.find("button[aria-label='More for Abram']").await?;
    ensure!(line(bed, 1).await?["summary"]["character"] == "Abram");
    page.score(bed.at("/score/1")).await?;

    // The frames: any rate, typed.
    page.press("4").await?;
    let rate = page.id("rate").await?;
    rate.click().await?;
    rate.send_keys(Key::Control + "a").await?;
    rate.send_keys("23.976" + Key::Enter).await?;
    page.until("the rate is 24000/1001", || async {
        let now = bed.json("/api/production").await?;
        Ok(now["grid"]["rate"]["num"] == 24000 && now["grid"]["rate"]["den"] == 1001)
    })
    .await
}

#[tokio::test(flavor = "multi_thread")]
async fn lines_and_characters_are_deleted_named_copied_and_ordered_with_a_way_back() -> Result<()> {
    let bed = Bed::made(SMALL, false).await?;
    let outcome = whole(&bed).await;
    bed.done(outcome).await
}

#[tokio::test(flavor = "multi_thread")]
async fn a_page_goes_on_after_the_server_was_restarted() -> Result<()> {
    let mut bed = Bed::made(SMALL, true).await?;
    let outcome = restarted(&mut bed).await;
    bed.done(outcome).await
}

async fn restarted(bed: &mut Bed) -> Result<()> {
    bed.page.score(bed.at("/score/4")).await?;
    let address = bed.served.address;
    let stand_in = serve_at(&bed.folder.path().join("other.jam"), "127.0.0.1:0".parse()?, false).await?;
    std::mem::replace(&mut bed.served, stand_in).stop();
    bed.page.find_text("Waiting for the server").await?;
    bed.served = serve_at(&bed.data, address, false).await?;
    bed.page.until("it is there again", || async { Ok(bed.page.text("saved").await? == "Saved") }).await?;
    let page = &bed.page;
    page.click("bench-mood").await?;
    let before = rows(&line(bed, 4).await?, &["layers", "moods"]).len();
    page.click("add-anger").await?;
    page.until("what is done is kept again", || async {
        Ok(rows(&line(bed, 4).await?, &["layers", "moods"]).len() == before + 1)
    })
    .await
}
