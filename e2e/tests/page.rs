//! A recording becomes a face that speaks, is worked on by every kind of hand, and goes out; a character of foreign names
//! is wired.
#![allow(clippy::unwrap_used)]

use anyhow::{Context, Result};
use jam_e2e::{Driver, PATIENCE, Page, SMALL, serve};
use serde_json::Value;
use std::net::SocketAddr;
use std::path::Path;
use std::time::{Duration, Instant};
use thirtyfour::action_chain::ActionChain;
use thirtyfour::prelude::*;

const TEXT: &str = "I thought the worst of it was over.";
#[tokio::test(flavor = "multi_thread")]
async fn a_recording_and_its_text_become_a_speaking_face_and_leave_as_a_glb() -> Result<()> {
    let folder = tempfile::tempdir()?;
    let recording = folder.path().join("worst.wav");
    std::fs::write(&recording, jam_demo::LINES[9].recording)?;
    let broken = folder.path().join("broken.wav");
    std::fs::write(&broken, b"this is no sound")?;
    let data = folder.path().join("a.jam");
    let address = serve(&data).await?;
    let driver = Driver::start()?;
    let browser = driver.browser(&folder.path().join("profile"), SMALL).await?;
    let page = Page { browser };
    let outcome = walk(&page, address, &data, &recording, &broken).await;
    page.browser.clone().quit().await?;
    outcome
}

async fn walk(page: &Page, address: SocketAddr, data: &Path, recording: &Path, broken: &Path) -> Result<()> {
    page.browser.goto(format!("http://{address}/")).await?;
    page.find_text("0 lines").await?;

    // A file that is no sound is answered in a sentence; the text that was typed stays.
    page.fill(broken, TEXT).await?;
    page.find_text("export the recording as WAV").await?;
    let typed = page.find("[data-testid=new-text]").await?.prop("value").await?;
    assert_eq!(typed.as_deref(), Some(TEXT));
    let chooser = page.browser.find(By::Css("[role=dialog] input[type=file]")).await?;
    // The driver adds to what a chooser of several files holds; who chooses anew replaces it.
    page.eval("document.querySelector('[role=dialog] input[type=file]').value = ''").await?;
    chooser.send_keys(recording.to_string_lossy()).await?;
    page.find_text("worst.wav").await?;
    page.find("[data-testid=add-line]").await?.click().await?;

    // The score opens, the line is timed, the face is there.
    let timed = page.find("[data-testid=timed]").await?.text().await?;
    assert!(timed.contains("8 words timed"), "{timed}");
    page.find("[data-testid=stage][data-ready]").await?;
    assert_eq!(page.frame().await?, 1001);
    let scrolls =
        page.browser.execute("return document.documentElement.scrollHeight > innerHeight", vec![]).await?;
    assert!(!scrolls.convert::<bool>()?, "the page does not scroll");

    // Space plays: the playhead and the jaw move.
    page.press(" ").await?;
    page.until("the playhead moves", || async { Ok(page.frame().await? > 1010) }).await?;
    // A slow machine may draw nothing before the line is over: then it is played again.
    page.until("the jaw moves", || async {
        if page.text("play").await?.starts_with("Play") {
            page.press(" ").await?;
        }
        Ok(page.jaw().await? > 0.1)
    })
    .await?;
    page.until("it stops at the end", || async { Ok(page.text("play").await?.starts_with("Play")) }).await?;

    // Home, dots and a comma step by frames; the arrow chooses a word; L loops it.
    page.press(Key::Home).await?;
    page.until("it is at the start", || async { Ok(page.frame().await? == 1001) }).await?;
    page.press("...,").await?;
    page.until("it stepped to the third frame", || async { Ok(page.frame().await? == 1003) }).await?;
    page.press(Key::Right).await?;
    page.click("bench-word").await?;
    page.id("pin").await?;
    page.press("l").await?;
    page.find_text("Stop looping").await?;
    page.press("l").await?;

    // Dragging in the ruler scrubs.
    let staves = page.find("[data-testid=staves]").await?;
    let size = staves.rect().await?;
    let pointer = page.browser.action_chain().move_to_element_with_offset(
        &staves,
        -(size.width as i64) / 4,
        20 - size.height as i64 / 2,
    );
    pointer.click_and_hold().move_by_offset(300, 0).release().perform().await?;
    page.until("the playhead was dragged", || async { Ok(page.frame().await? > 1030) }).await?;

    drag_an_edge(page, address).await?;
    retype_a_word(page, address, data).await?;
    choose_what_a_word_of_a_draft_is(page).await?;
    write_what_is_said(page, address).await?;
    say_it_in_another_language(page, address).await?;
    articulate(page, address).await?;
    by_hand(page, address, data).await?;
    feel(page, address, data).await?;
    look(page, address).await?;
    perform(page, address).await?;
    mend(page, address).await?;
    record_a_take(page, address).await?;

    // A reload comes back to the same line, still timed.
    page.browser.refresh().await?;
    page.find("[data-testid=timed]").await?;

    // Deliver: by key, then the files are there to be downloaded.
    page.press("4").await?;
    page.find("[data-testid=deliver]").await?.click().await?;
    let link = page.find("a[download$='.glb']").await?;
    let href = link.prop("href").await?.context("a link without an address")?;
    let bytes = reqwest::get(href).await?.error_for_status()?.bytes().await?;
    let (name, length) = jam_formats::glb::Character::read(&bytes)?.animations().swap_remove(0);
    assert!(name.contains("i-thought-the-worst") && length.0 > 3.2, "{name} {length:?}");

    // One more line opens itself, not the first one of the list.
    page.press("1").await?;
    page.find("[data-line='1']").await?;
    page.fill(recording, TEXT).await?;
    page.find_text("Line 2").await?;
    page.find("[data-testid=timed]").await?;
    tokio::time::sleep(Duration::from_secs(1)).await;
    let heading = "return document.querySelector('[data-testid=bench] h2, h2').innerText";
    let opened = page.browser.execute(heading, vec![]).await?.convert::<String>()?;
    assert_eq!(opened, "Line 2");
    Ok(())
}

/// Bram with the names of another studio: some of the face-capture vocabulary, some of nobody's.
fn foreign() -> Result<Vec<u8>> {
    const NAMES: [(&str, &str); 5] = [
        ("jaw_open", "jawOpen"),
        ("lips_close", "mouthClose"),
        ("lips_round", "mouthPucker"),
        ("chin_raise", "frown"),
        ("cheek_puff", "Key 12"),
    ];
    let bytes = jam_demo::CHARACTERS[0].model;
    let length = u32::from_le_bytes(bytes[12..16].try_into()?) as usize;
    let mut json: serde_json::Value = serde_json::from_slice(&bytes[20..20 + length])?;
    for mesh in json["meshes"].as_array_mut().into_iter().flatten() {
        for name in mesh["extras"]["targetNames"].as_array_mut().into_iter().flatten() {
            if let Some((_, other)) = NAMES.iter().find(|(own, _)| name == own) {
                *name = (*other).into();
            }
        }
    }
    Ok(jam_formats::glb::container(json.as_object().context("no object")?, &bytes[28 + length..]))
}

#[tokio::test(flavor = "multi_thread")]
async fn a_character_with_foreign_names_is_wired_and_corrected_and_its_face_moves() -> Result<()> {
    let folder = tempfile::tempdir()?;
    let model = folder.path().join("the_pilot.glb");
    std::fs::write(&model, foreign()?)?;
    let broken = folder.path().join("broken.glb");
    std::fs::write(&broken, &foreign()?[..5000])?;
    let address = serve(&folder.path().join("a.jam")).await?;
    let driver = Driver::start()?;
    let browser = driver.browser(&folder.path().join("profile"), SMALL).await?;
    let page = Page { browser };
    let outcome = cast(&page, address, &model, &broken).await;
    page.browser.clone().quit().await?;
    outcome
}

/// How far the face on the stage is from its rest.
async fn shift(page: &Page) -> Result<f64> {
    Ok(page.eval("return window.jamLips.shift()").await?.as_f64().unwrap_or(0.0))
}

async fn cast(page: &Page, address: SocketAddr, model: &Path, broken: &Path) -> Result<()> {
    page.browser.goto(format!("http://{address}/")).await?;
    page.find_text("0 lines").await?;
    page.press("3").await?;
    page.find("[data-testid=stage][data-ready]").await?;

    // What is no character says so; then the real one comes in and opens.
    let chooser = async || page.find("[data-testid=members] input[type=file]").await;
    chooser().await?.send_keys(broken.to_string_lossy()).await?;
    page.find_text("damaged").await?;
    // The driver adds to what a chooser has; a user chooses anew.
    page.browser.refresh().await?;
    chooser().await?.send_keys(model.to_string_lossy()).await?;
    page.find_text("What the pilot cannot do").await?;
    page.find("[data-testid=stage][data-ready]").await?;

    // Known names are wired; what is doubtful waits, what means nothing is listed.
    page.find_text("Key 12").await?;
    page.button("Wire it").await?.click().await?;
    page.until("nothing is to be decided", || async {
        Ok(page.browser.find_all(By::XPath("//button[.='Wire it']")).await?.is_empty())
    })
    .await?;

    // The jaw's slider opens the jaw; with half the gain it opens half as far.
    let slider = async || page.find("[data-testid=control-jaw_open] [role=slider]").await;
    assert!(shift(page).await? < 1e-6);
    // By key alone: a click would open it by half first, which a slow page may show for a while.
    slider().await?.send_keys(Key::End + "").await?;
    page.until("the jaw opens", || async { Ok(shift(page).await? > 0.1) }).await?;
    let whole = shift(page).await?;
    let gain = page.find("[data-testid=gain-jawOpen]").await?;
    gain.click().await?;
    gain.send_keys(Key::Control + "a").await?;
    gain.send_keys("0.5" + Key::Enter).await?;
    page.until("it opens half as far", || async { Ok((shift(page).await? / whole - 0.5).abs() < 0.01) })
        .await?;

    // Another hand on the same wiring: it is said, and shown where it is edited.
    let cast: serde_json::Value = reqwest::get(format!("http://{address}/api/cast")).await?.json().await?;
    let pilot = cast.as_array().and_then(|all| all.iter().find(|m| m["name"] == "the pilot"));
    let pilot = pilot.context("no pilot")?;
    let outputs = pilot["wiring"]["outputs"].as_array().context("no outputs")?;
    let jaw = outputs.iter().find(|o| o["target"]["name"] == "jawOpen").context("no jaw")?;
    let offset = async |offset: f64| -> Result<()> {
        let op =
            serde_json::json!({"do": "change_output", "output": jaw["id"], "change": {"offset": offset}});
        let url = format!("http://{address}/api/cast/{}/operations", pilot["id"]);
        let sent = reqwest::Client::new().post(url).json(&serde_json::json!({ "op": op })).send().await?;
        sent.error_for_status()?;
        Ok(())
    };
    offset(0.25).await?;
    page.find_text("Changed elsewhere: offset of “jawOpen”").await?;
    let field = page.find("input[aria-label='Offset of jawOpen']").await?;
    page.until("the offset is shown", || async { Ok(field.value().await?.as_deref() == Some("0.25")) })
        .await?;
    page.undo("offset of “jawOpen”").await?;
    page.until("it is taken back", || async { Ok(field.value().await?.as_deref() == Some("0")) }).await?;

    // Undone with the button that says what it undoes, and at rest again.
    page.undo("gain of “jawOpen”").await?;
    page.until("it opens wholly again", || async { Ok((shift(page).await? / whole - 1.0).abs() < 0.01) })
        .await?;
    page.find("[data-testid=at-rest]").await?.click().await?;
    page.until("the face rests", || async { Ok(shift(page).await? < 1e-6) }).await?;

    // The walk moves it by itself.
    page.press("t").await?;
    page.until("the walk plays", || async { Ok(shift(page).await? > 0.05) }).await?;
    page.find_text("every control").await?;
    page.press(" ").await?;
    page.until("the walk is over", || async { Ok(page.text("walk").await?.starts_with("Test walk")) })
        .await?;
    Ok(())
}

/// The pointer over a time on a stave, as the page lays it out: names of 158 pixels, 14 on the right.
async fn to_time(page: &Page, name: &str, time: f64, duration: f64) -> Result<ActionChain> {
    let staves = page.find("[data-testid=staves]").await?;
    let size = staves.rect().await?;
    let row = page.id(name).await?.rect().await?;
    let x = 158.0 + time / duration * (size.width - 172.0);
    let y = row.y + row.height / 2.0 - size.y;
    let (x, y) = ((x - size.width / 2.0).round() as i64, (y - size.height / 2.0).round() as i64);
    Ok(page.browser.action_chain().move_to_element_with_offset(&staves, x, y))
}

/// Drags the edge between two sounds; the line's document follows, and undo takes it back.
async fn drag_an_edge(page: &Page, address: SocketAddr) -> Result<()> {
    let before = line(address).await?;
    let sounds = before["document"]["timing"]["sounds"].as_array().context("no sounds")?.clone();
    let wide = |s: &serde_json::Value| {
        s["span"]["end"].as_f64().unwrap_or(0.0) - s["span"]["start"].as_f64().unwrap_or(0.0) > 0.08
    };
    // Two wide sounds of one word, so that there is an edge to take hold of.
    let edge = (1..sounds.len())
        .find(|i| {
            !sounds[*i]["word"].is_null()
                && sounds[*i]["word"] == sounds[i - 1]["word"]
                && wide(&sounds[*i])
                && wide(&sounds[i - 1])
        })
        .context("no edge between wide sounds")?;
    let start =
        |line: &serde_json::Value| line["document"]["timing"]["sounds"][edge]["span"]["start"].as_f64();
    let at = start(&before).context("no start")?;
    let duration = before["summary"]["duration"].as_f64().context("no duration")?;
    let pointer = to_time(page, "name-sounds", at, duration).await?;
    pointer.click_and_hold().move_by_offset(9, 0).release().perform().await?;
    let later = 9.0 / (page.find("[data-testid=staves]").await?.rect().await?.width - 172.0) * duration;
    page.until("the edge is where it was dragged", || async {
        let now = start(&line(address).await?).unwrap_or(0.0);
        Ok((now - at - later).abs() < 0.01)
    })
    .await?;
    page.undo("move an edge").await?;
    page.until("the edge is back", || async { Ok(start(&line(address).await?) == Some(at)) }).await
}

/// Types one word anew and pins another; a second server on the same data, as after a restart, takes it back.
async fn retype_a_word(page: &Page, address: SocketAddr, data: &Path) -> Result<()> {
    let text = async |address: SocketAddr, wanted: &str| -> Result<bool> {
        let now = line(address).await?;
        Ok(now["document"]["text"] == wanted && now["summary"]["state"] == "timed")
    };
    page.press("0").await?;
    page.press(Key::Home).await?;
    page.press(Key::Right + "").await?;
    page.click("bench-word").await?;
    let title = page.find("[data-testid=word-title]").await?;
    let first = title.text().await?;
    page.press("e").await?;
    let field = page.find("[data-testid=retype]").await?;
    field.send_keys(Key::Control + "a").await?;
    field.send_keys("We").await?;
    field.send_keys(Key::Enter + "").await?;
    let retyped = TEXT.replacen(&first, "We", 1);
    assert_ne!(retyped, TEXT, "{first}");
    page.until("the word is retyped", || text(address, &retyped)).await?;
    // A key that is pressed before the page has heard of it would go into the field, or to no word.
    page.until("the page shows it", || async {
        let fields = page.browser.find_all(By::Css("[data-testid=retype]")).await?;
        Ok(fields.is_empty() && page.text("word-title").await? == "We")
    })
    .await?;
    page.press("k").await?;
    page.until("the word is pinned", || async {
        let now = line(address).await?;
        Ok(now["document"]["timing"]["words"]
            .as_array()
            .is_some_and(|w| w.iter().any(|w| w["pinned"] == true)))
    })
    .await?;

    let again = serve(data).await?;
    page.browser.goto(format!("http://{again}/score/1")).await?;
    page.undo("accept a word").await?;
    page.undo("write a word otherwise").await?;
    page.until("the text is back", || text(again, TEXT)).await?;
    page.browser.goto(format!("http://{address}/score/1")).await?;
    page.find("[data-testid=timed]").await?;
    Ok(())
}

/// Chooses another language: its sounds are written into the text, to be looked at before they are used. Then it is taken
/// back.
async fn say_it_in_another_language(page: &Page, address: SocketAddr) -> Result<()> {
    let is = async |language: Value, text: &str| -> Result<bool> {
        let now = line(address).await?;
        let (own, timed) = (&now["document"], now["summary"]["state"] == "timed");
        Ok(own["language"] == language && own["text"] == text && timed)
    };
    page.click("bench-line").await?;
    let list = page.id("language").await?;
    thirtyfour::components::SelectElement::new(&list).await?.select_by_value("it").await?;
    let sounded: Vec<String> =
        TEXT.trim_end_matches('.').split(' ').map(|word| format!("{word} /{word}/")).collect();
    let sounded = sounded.join(" ") + ".";
    page.until("the sounds are written", || async {
        Ok(page.id("text").await?.prop("value").await?.is_some_and(|text| text == sounded))
    })
    .await?;
    assert!(is(Value::Null, TEXT).await?, "nothing is changed before it is used");
    page.click("use-text").await?;
    page.until("it is Italian", || is("it".into(), &sounded)).await?;
    page.undo("say it in another language (it)").await?;
    page.until("it is English again", || is(Value::Null, TEXT)).await
}

/// Has the text drafted, makes one of its words what it may be instead, and keeps the old text.
async fn choose_what_a_word_of_a_draft_is(page: &Page) -> Result<()> {
    page.click("bench-line").await?;
    let text =
        async || -> Result<String> { Ok(page.id("text").await?.prop("value").await?.unwrap_or_default()) };
    page.click("draft").await?;
    page.until("a draft is there", || page.has("drafted")).await?;
    let drafted = text().await?;
    page.find("[data-testid=drafted] button").await?.click().await?;
    let other = page.find("[data-testid=others] [role=menuitem]").await?;
    let word = other.text().await?;
    assert!(!drafted.split(' ').any(|w| w == word), "{word} is offered for itself in {drafted}");
    other.click().await?;
    page.until("the word is the other one", || async { Ok(text().await?.contains(&word)) }).await?;
    let now = text().await?;
    assert!(now.split(' ').count() == drafted.split(' ').count(), "{now} after {drafted}");
    page.button("Keep the old").await?.click().await?;
    page.until("the old text is there", || async { Ok(text().await? == TEXT) }).await
}

/// Leaves a word out of the text and writes it where it is said, then takes out one that is not said.
async fn write_what_is_said(page: &Page, address: SocketAddr) -> Result<()> {
    let change = async |text: &str| -> Result<Value> {
        let path = format!("http://{address}/api/lines/1/operations");
        let op = serde_json::json!({"op": {"do": "text", "text": text}});
        reqwest::Client::new().post(path).json(&op).send().await?.error_for_status()?;
        page.until("it is timed", || async {
            let now = line(address).await?;
            Ok(now["document"]["text"] == text && now["summary"]["state"] == "timed")
        })
        .await?;
        line(address).await
    };
    let text_is =
        async |wanted: &str| -> Result<bool> { Ok(line(address).await?["document"]["text"] == wanted) };
    let press = async |time: f64, duration: f64| -> Result<()> {
        Ok(to_time(page, "name-words", time, duration).await?.click().perform().await?)
    };
    let seconds = |v: &Value| v.as_f64().context("no time");
    page.press("0").await?;
    let without = TEXT.replace("thought ", "");
    let now = change(&without).await?;
    let span = &now["unwritten"][0];
    let duration = seconds(&now["summary"]["duration"])?;
    let middle = 0.5 * (seconds(&span["start"])? + seconds(&span["end"])?);
    page.until("the stretch is pressed", || async {
        press(middle, duration).await?;
        page.has("unwritten").await
    })
    .await?;
    // What was drafted takes the place of what is empty: type when it is there.
    page.until("a draft is offered", || async {
        Ok(page.id("unwritten").await?.prop("value").await?.is_some_and(|v| !v.is_empty()))
    })
    .await?;
    let field = page.id("unwritten").await?;
    field.send_keys(Key::Control + "a").await?;
    field.send_keys("thought").await?;
    page.click("write").await?;
    page.until("it is written", || text_is(TEXT)).await?;
    page.undo("write what is said").await?;
    page.until("it is taken back", || text_is(&without)).await?;

    let now = change(&TEXT.replace("worst", "worst marble")).await?;
    let words = now["document"]["timing"]["words"].as_array().context("no words")?;
    let unsaid = words.iter().find(|w| w["unsaid"] == true).context("every word is said")?;
    let at = seconds(&unsaid["span"]["start"])?;
    page.until("the word is pressed", || async {
        press(at, duration).await?;
        page.has("take-out").await
    })
    .await?;
    page.click("take-out").await?;
    page.until("it is out and timed", || async {
        Ok(text_is(TEXT).await? && line(address).await?["summary"]["state"] == "timed")
    })
    .await
}

/// Chooses a style, moves a slider step by step, which is one step to take back, and takes both back.
async fn articulate(page: &Page, address: SocketAddr) -> Result<()> {
    let openness = async || -> Result<f64> {
        let line: serde_json::Value =
            reqwest::get(format!("http://{address}/api/lines/1")).await?.json().await?;
        Ok(line["document"]["diction"]["openness"].as_f64().unwrap_or(0.0))
    };
    let first = openness().await?;
    page.with(Key::Shift, "d").await?;
    let styles = page.find("[data-testid=style]").await?;
    thirtyfour::components::SelectElement::new(&styles).await?.select_by_value("loud").await?;
    page.until("the style is a shout", || async { Ok(openness().await? > 1.5) }).await?;
    let slider = page.find("[data-testid=diction-openness]").await?;
    // At once: a slow machine would take pauses between them for the ends of gestures.
    slider.send_keys(Key::Left.value().to_string().repeat(3)).await?;
    page.until("the jaw opens less", || async { Ok((openness().await? - 1.49).abs() < 0.011) }).await?;
    for (step, wanted) in [("diction: openness", 1.55), ("loud diction", first)] {
        page.undo(step).await?;
        page.until("a step is taken back", || async { Ok((openness().await? - wanted).abs() < 1e-9) })
            .await?;
    }
    // The bench stays what it is while one walks from word to word.
    page.press(Key::Right + "").await?;
    assert!(page.has("diction-bench").await?);
    Ok(())
}

/// Puts a key on the jaw's curve, drags it, asks why, bakes and un-bakes, compares with a snapshot; a second server on
/// the same data, as after a restart, takes all of it back.
async fn by_hand(page: &Page, address: SocketAddr, data: &Path) -> Result<()> {
    let touches = async |address: SocketAddr| -> Result<Vec<serde_json::Value>> {
        let line: serde_json::Value =
            reqwest::get(format!("http://{address}/api/lines/1")).await?.json().await?;
        Ok(line["touches"].as_array().cloned().unwrap_or_default())
    };
    let key = |touches: &[serde_json::Value]| touches.first().and_then(|t| t["keys"][0]["value"].as_f64());
    page.press("0q").await?;
    page.find("[data-testid=curve-jaw_open]").await?.click().await?;
    let stave = page.find("[data-testid=open-stave]").await?;
    // Above the curves at the middle of the line.
    let place = page.browser.action_chain().move_to_element_with_offset(&stave, 0, -40);
    place.double_click().perform().await?;
    page.until("there is a key", || async { Ok(key(&touches(address).await?).is_some()) }).await?;
    page.until("the key is chosen", || async { Ok(stave.attr("data-keys").await?.as_deref() == Some("1")) })
        .await?;
    let high = key(&touches(address).await?).context("no key")?;
    let value = page.find("[data-testid=key-value]").await?;
    let shown: f64 = value.value().await?.unwrap_or_default().parse()?;
    page.until("the face shows the key", || async { Ok((page.jaw().await? - shown).abs() < 0.02) }).await?;

    // Lower by a tenth by typing, then up by dragging.
    value.send_keys(Key::Control + "a").await?;
    value.send_keys(format!("{:.3}", shown - 0.1)).await?;
    value.send_keys(Key::Enter + "").await?;
    page.until("the typed value holds", || async {
        Ok(key(&touches(address).await?).is_some_and(|v| (v - high + 0.1).abs() < 0.002))
    })
    .await?;
    let size = stave.rect().await?;
    let (bottom, top) = (-0.05, 1.08);
    let lowest = page.browser.execute(LOWEST, vec![]).await?.json().as_f64().unwrap_or(0.0);
    let bottom = if lowest < bottom { lowest } else { bottom };
    let from_top = (top - (shown - 0.1)) / (top - bottom) * size.height;
    let up = page.browser.action_chain().move_to_element_with_offset(
        &stave,
        0,
        (from_top - size.height / 2.0).round() as i64,
    );
    up.click_and_hold().move_by_offset(0, -12).move_by_offset(0, -12).release().perform().await?;
    page.until("the key was dragged up", || async {
        Ok(key(&touches(address).await?).is_some_and(|v| v > high - 0.06))
    })
    .await?;
    let took = page.browser.execute_async(LATENCY, vec![]).await?;
    println!("from a key press to the changed curve on the page, ms: {}", took.json());

    page.find("[data-testid=bench-why]").await?.click().await?;
    page.find_text("by hand,").await?;
    page.until("the cause is the value", || async {
        let told: f64 = page.text("cause-jaw_open").await?.trim().parse()?;
        Ok((told - page.jaw().await?).abs() < 0.02)
    })
    .await?;

    page.find("[data-testid=bench-steps]").await?.click().await?;
    page.find("[data-testid=snapshot-name]").await?.send_keys("before baking").await?;
    page.find("[data-testid=keep-snapshot]").await?.click().await?;
    page.find("[data-testid='compare-before baking']").await?.click().await?;
    let split = async || -> Result<Option<String>> {
        Ok(page.find("[data-testid=stage]").await?.attr("data-split").await?)
    };
    page.until("both stand side by side", || async { Ok(split().await?.as_deref() == Some("yes")) }).await?;
    page.with(Key::Shift, "o").await?;
    page.until("the snapshot stands alone", || async { Ok(split().await?.as_deref() == Some("")) }).await?;
    page.find("[data-testid='compare-before baking']").await?.click().await?;

    let laid = async |address: SocketAddr| -> Result<Vec<String>> {
        let all = touches(address).await?;
        Ok(all.iter().map(|t| t["laid"].as_str().unwrap_or_default().to_string()).collect())
    };
    page.click("bench-curve").await?;
    page.find("[data-testid=bake]").await?.click().await?;
    page.until("the curve is baked", || async { Ok(laid(address).await? == ["replace"]) }).await?;
    page.find("[data-testid=unbake]").await?.click().await?;
    page.until("it is un-baked", || async { Ok(laid(address).await? == ["add"]) }).await?;

    let again = serve(data).await?;
    page.browser.goto(format!("http://{again}/score/1")).await?;
    for step in ["un-bake jaw open", "bake jaw open"] {
        page.undo(step).await?;
    }
    page.until("the key is back", || async { Ok(laid(again).await? == ["add"]) }).await?;
    while !touches(again).await?.is_empty() {
        step_back(page, again).await?;
    }
    page.browser.goto(format!("http://{address}/score/1")).await?;
    page.find("[data-testid=timed]").await?;
    Ok(())
}

/// Takes the last step back by key, and waits until it is.
async fn step_back(page: &Page, address: SocketAddr) -> Result<()> {
    let steps =
        async || -> Result<usize> { Ok(line(address).await?["undo"].as_array().context("no steps")?.len()) };
    let before = steps().await?;
    page.press("z").await?;
    page.until("a step is taken back", || async { Ok(steps().await? != before) }).await
}

async fn line(address: SocketAddr) -> Result<serde_json::Value> {
    Ok(reqwest::get(format!("http://{address}/api/lines/1")).await?.json().await?)
}

/// Adds a mood, makes it stronger by dragging it up on its stave, stretches it, silences it; a second server on the
/// same data takes it back.
async fn feel(page: &Page, address: SocketAddr, data: &Path) -> Result<()> {
    let moods = async |address: SocketAddr| -> Result<Vec<serde_json::Value>> {
        Ok(line(address).await?["layers"]["moods"].as_array().cloned().unwrap_or_default())
    };
    page.press("6").await?;
    page.find("[data-testid=add-happiness]").await?.click().await?;
    page.until("there is a mood", || async { Ok(moods(address).await?.len() == 1) }).await?;
    let first = moods(address).await?.remove(0);
    assert_eq!(first["does"]["mood"], "happiness");
    let id = first["id"].as_u64().context("no number")?;
    let span = page.find(&format!("[data-testid=span-mood-{id}]")).await?;
    let size = span.rect().await?;
    let pull = |x: i64, dx: i64, dy: i64| {
        let pointer = page.browser.action_chain().move_to_element_with_offset(&span, x, 0);
        let pointer = pointer.click_and_hold().move_by_offset(dx / 2, dy / 2);
        pointer.move_by_offset(dx - dx / 2, dy - dy / 2).release()
    };
    pull(0, 0, -24).perform().await?;
    let amount = |m: &serde_json::Value| m["does"]["amount"].as_f64().unwrap_or(0.0);
    let before = amount(&first);
    page.until("it is stronger", || async {
        Ok(moods(address).await?.first().is_some_and(|m| amount(m) > before + 0.15))
    })
    .await?;
    // A double click puts a key of its amount, which is dragged down.
    page.browser.action_chain().double_click_element(&span).perform().await?;
    let keys = |m: &serde_json::Value| m["does"]["swell"].as_array().cloned().unwrap_or_default();
    page.until("there is a key", || async {
        Ok(moods(address).await?.first().is_some_and(|m| keys(m).len() == 1))
    })
    .await?;
    let key = page.find("[data-testid=swell-0]").await?;
    let pointer = page.browser.action_chain().move_to_element_center(&key);
    pointer.click_and_hold().move_by_offset(0, 5).move_by_offset(0, 5).release().perform().await?;
    page.until("the key is lower", || async {
        let share = |m: &serde_json::Value| keys(m).first().and_then(|k| k[1].as_f64());
        Ok(moods(address).await?.first().and_then(share).is_some_and(|share| share < 0.9))
    })
    .await?;
    let end = |m: &serde_json::Value| m["span"]["end"].as_f64().unwrap_or(0.0);
    let right = (size.width / 2.0) as i64 - 2;
    pull(right, -60, 0).perform().await?;
    page.until("it ends earlier", || async {
        Ok(moods(address).await?.first().is_some_and(|m| end(m) < end(&first) - 0.1))
    })
    .await?;
    page.find("[data-testid=plays-mood]").await?.click().await?;
    page.until("the layer is silent", || async {
        Ok(line(address).await?["layers"]["settings"]["mood"]["on"] == false)
    })
    .await?;

    let again = serve(data).await?;
    page.browser.goto(format!("http://{again}/score/1")).await?;
    page.find("[data-testid=timed]").await?;
    while !moods(again).await?.is_empty() {
        step_back(page, again).await?;
    }
    page.browser.goto(format!("http://{address}/score/1")).await?;
    page.find("[data-testid=stage][data-ready]").await?;
    Ok(())
}

/// Lets the eyes look where the stage is clicked, puts a level of the layer, and takes the look out by its menu.
async fn look(page: &Page, address: SocketAddr) -> Result<()> {
    let own = async |what: &str| -> Result<Vec<serde_json::Value>> {
        Ok(line(address).await?["layers"][what].as_array().cloned().unwrap_or_default())
    };
    let last_mark = async || -> Result<serde_json::Value> {
        let now = line(address).await?;
        now["layers"]["settings"]["marks"].as_array().and_then(|m| m.last()).cloned().context("no mark")
    };
    page.press(Key::Home + "7").await?;
    page.click("point").await?;
    let stage = page.find("[data-testid=pointing]").await?;
    let size = stage.rect().await?;
    let left = page.browser.action_chain().move_to_element_with_offset(&stage, -(size.width as i64) / 3, 0);
    left.click().perform().await?;
    page.until("there is a look", || async { Ok(own("looks").await?.len() == 1) }).await?;
    let there = own("looks").await?.remove(0);
    let spot = last_mark().await?;
    assert_eq!((&there["does"]["mark"], &spot["name"]), (&spot["id"], &serde_json::json!("spot 1")));
    // What is left in the picture is at the character's right.
    assert!(spot["yaw"].as_f64().is_some_and(|yaw| yaw < -10.0), "{spot}");
    let pitch = |mark: &serde_json::Value| mark["pitch"].as_f64().unwrap_or(0.0);
    let mark = page.find("[data-testid='mark-spot 1']").await?;
    let pin = mark.rect().await?;
    let clicked = (size.x + size.width / 2.0 - f64::from(size.width as i32 / 3), size.y + size.height / 2.0);
    let off = (pin.x + pin.width / 2.0 - clicked.0).hypot(pin.y + pin.height / 2.0 - clicked.1);
    assert!(off < 2.0, "the pin is {off:.1} pixels from where it was clicked: {pin:?}");
    let pointer = page.browser.action_chain().move_to_element_center(&mark);
    pointer.click_and_hold().move_by_offset(0, -20).move_by_offset(0, -20).release().perform().await?;
    page.until("the mark is higher", || async { Ok(pitch(&last_mark().await?) < pitch(&spot) - 2.0) })
        .await?;

    page.press(Key::Escape + "").await?;
    page.find("[data-testid=more-eyes]").await?.click().await?;
    page.find("[data-testid=level-here-eyes]").await?.click().await?;
    page.until("there is a level", || async { Ok(own("levels").await?.len() == 1) }).await?;
    let id = own("levels").await?[0]["id"].as_u64().context("no number")?;
    let handle = page.find(&format!("[data-testid=level-{id}]")).await?;
    let pointer = page.browser.action_chain().move_to_element_center(&handle);
    pointer.click_and_hold().move_by_offset(40, 6).move_by_offset(20, 6).release().perform().await?;
    page.until("the level is lower and later", || async {
        let level = own("levels").await?.remove(0);
        let value = |name: &str| level[name].as_f64().unwrap_or(0.0);
        Ok(value("share") < 0.9 && value("at") > 0.05)
    })
    .await?;

    let span = there["id"].as_u64().context("no number")?;
    let span = page.find(&format!("[data-testid=span-eyes-{span}]")).await?;
    page.browser.action_chain().context_click_element(&span).perform().await?;
    let path = By::XPath("//*[@data-testid='menu-eyes']//*[@role='menuitem'][contains(., 'Delete')]");
    page.browser.query(path).wait(PATIENCE, Duration::from_millis(100)).first().await?.click().await?;
    page.until("the look is out", || async { Ok(own("looks").await?.is_empty()) }).await?;
    page.find(&format!("[data-testid=level-{id}]")).await?.focus().await?;
    page.press(Key::Delete + "").await?;
    page.until("the level is out", || async { Ok(own("levels").await?.is_empty()) }).await
}

/// Performs the brows with the pointer while the line plays, keeps the pass, and takes it back.
async fn perform(page: &Page, address: SocketAddr) -> Result<()> {
    page.press(Key::Home + "9").await?;
    page.find("[data-testid=perform]").await?.click().await?;
    let pad = page.find("[data-testid=pad]").await?;
    page.find("[data-testid=pad][data-state=recording]").await?;
    for y in [40, -40, 30, -20] {
        page.browser.action_chain().move_to_element_with_offset(&pad, 20, y).perform().await?;
    }
    // The pass ends with the line; on a machine that showed nothing meanwhile it is performed once more.
    page.until("the pass is over", || async {
        let state = pad.attr("data-state").await?.unwrap_or_default();
        if state == "idle" {
            page.find("[data-testid=perform]").await?.click().await?;
        }
        if state == "done" {
            let seconds = pad.text().await?.split(' ').next().and_then(|s| s.parse::<f64>().ok());
            if seconds.is_none_or(|s| s < 1.0) {
                page.find("[data-testid=perform-again]").await?.click().await?;
                return Ok(false);
            }
        }
        if state == "recording" {
            let y = if page.frame().await? % 2 == 0 { 45 } else { -35 };
            page.browser.action_chain().move_to_element_with_offset(&pad, 20, y).perform().await?;
        }
        Ok(state == "done")
    })
    .await?;
    page.find("[data-testid=keep-pass]").await?.click().await?;
    let passes = async || -> Result<usize> {
        let now = line(address).await?;
        let touches = now["touches"].as_array().context("no touches")?;
        Ok(touches.iter().filter(|t| t["pass"]["name"] == "brows 1").count())
    };
    page.until("the pass is kept", || async { Ok(passes().await? >= 2) }).await?;
    page.undo("keep the pass brows 1").await?;
    page.until("the pass is gone", || async { Ok(passes().await? == 0) }).await
}

/// Puts two blinks too close, finds them in the check list, and lets it mend them.
async fn mend(page: &Page, address: SocketAddr) -> Result<()> {
    let blinks = async || -> Result<usize> {
        Ok(line(address).await?["layers"]["blinks"].as_array().context("no blinks")?.len())
    };
    page.press(Key::Home + "").await?;
    page.press("........................").await?;
    page.with(Key::Shift, "b").await?;
    page.until("there is a blink", || async { Ok(blinks().await? == 1) }).await?;
    page.press(".......").await?;
    page.with(Key::Shift, "b").await?;
    page.until("there are two", || async { Ok(blinks().await? == 2) }).await?;
    page.find("[data-testid=bench-check]").await?.click().await?;
    page.find("[data-testid=mend-blinks_close]").await?.click().await?;
    page.until("one is taken out", || async { Ok(blinks().await? == 1) }).await?;
    page.until("it is not found any more", || async {
        Ok(page.browser.find_all(By::Css("[data-testid=finding-blinks_close]")).await?.is_empty())
    })
    .await?;
    page.find("[data-testid=bench-line]").await?.click().await?;
    Ok(())
}

/// The lowest value of the scale at the right of the open stave, as the page says.
const LOWEST: &str = "return Number(document.querySelector('[data-testid=open-stave]').dataset.bottom)";

/// Presses “keys higher” some times, and measures until the value of the curve at the playhead has changed on the page.
const LATENCY: &str = "
const done = arguments[0];
const shown = () => document.querySelector('[data-value=jaw_open]').textContent;
const times = [];
const once = () => {
  const before = shown();
  const start = performance.now();
  document.body.dispatchEvent(new KeyboardEvent('keydown', { key: 'ArrowUp', bubbles: true }));
  const wait = () => {
    if (shown() === before && performance.now() - start < 3000) return requestAnimationFrame(wait);
    times.push(Math.round(performance.now() - start));
    if (times.length < 8) setTimeout(once, 300); else done(times);
  };
  requestAnimationFrame(wait);
};
once();
";

/// Records two takes from the fake microphone and uses the second; the line listens to it.
async fn record_a_take(page: &Page, address: SocketAddr) -> Result<()> {
    page.find("[data-testid=record-take]").await?.click().await?;
    page.find("[data-testid=open-microphone]").await?.click().await?;
    for _ in 0..2 {
        page.find("[data-testid=record]").await?.click().await?;
        page.find("[data-phase=recording]").await?;
        page.until("a second is recorded", || async {
            let shown = page.text("elapsed").await?;
            Ok(shown.trim_end_matches(" s").parse::<f64>().is_ok_and(|s| s > 1.2))
        })
        .await?;
        page.find("[data-testid=stop-recording]").await?.click().await?;
        page.find("[data-phase=ready]").await?;
    }
    // A take is there once it is known what was heard in it.
    let takes = async || page.browser.find_all(By::Css("[data-testid=use-take]")).await;
    page.until("there are two takes", || async { Ok(takes().await?.len() == 2) }).await?;
    takes().await?[1].click().await?;
    let clicked = Instant::now();
    let again = std::cell::Cell::new(false);
    page.until("the line listens to the take", || async {
        let now = line(address).await?;
        // A click that a slow page lost is made once more.
        if now["summary"]["recording_name"] == "worst.wav"
            && clicked.elapsed() > Duration::from_secs(30)
            && !again.replace(true)
            && let Some(take) = takes().await?.get(1)
        {
            take.click().await?;
        }
        let seconds = now["summary"]["duration"].as_f64().unwrap_or(0.0);
        Ok(now["summary"]["recording_name"] == "take 3.wav" && seconds > 0.5 && seconds < 30.0)
    })
    .await?;
    // Back to the recording it came with; its times are there.
    page.until("the recorder is out of the way", || async { Ok(!page.has("recorder").await?) }).await?;
    page.undo("choose what is listened to").await?;
    page.find("[data-testid=timed]").await?;
    Ok(())
}
