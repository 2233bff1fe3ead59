//! Many lines at once in the page: looked through, brought in with one way back, texts found in a script, lines marked,
//! filtered and changed together.

use anyhow::{Context, Result};
use jam_demo::LINES;
use jam_e2e::{Bed, SMALL};
use serde_json::Value;
use thirtyfour::prelude::*;

/// Lines of the demo that are brought in, the first with a text beside it.
const WHICH: [usize; 4] = [9, 3, 4, 0];

async fn many(bed: &Bed) -> Result<()> {
    let page = &bed.page;
    let folder = tempfile::tempdir()?;
    let mut files = Vec::new();
    for (place, k) in WHICH.iter().enumerate() {
        let path = folder.path().join(format!("take{place}.wav"));
        std::fs::write(&path, LINES[*k].recording)?;
        files.push(path);
    }
    let plain = |text: &str| text.replace(['(', ')'], "");
    let script: Vec<String> = LINES.iter().map(|l| format!("Bram: {}", plain(l.text))).collect();
    for (name, text) in [("take0.txt", LINES[WHICH[0]].text), ("all.txt", &script.join("\n"))] {
        files.push(folder.path().join(name));
        std::fs::write(folder.path().join(name), text)?;
    }
    let lines = async || -> Result<Vec<Value>> {
        Ok(bed.json("/api/lines").await?.as_array().context("no lines")?.clone())
    };
    let with = async |name: &str, value: &str| -> Result<usize> {
        Ok(lines().await?.iter().filter(|l| l[name] == value).count())
    };

    // All of them are chosen at once and looked through.
    page.click("first-line").await?;
    let chooser = page.find("[role=dialog] input[type=file]").await?;
    let paths: Vec<String> = files.iter().map(|p| p.display().to_string()).collect();
    chooser.send_keys(paths.join("\n")).await?;
    page.until("four lines would come in", || async {
        Ok(page.has("many-count").await? && page.text("many-count").await?.starts_with('4'))
    })
    .await?;
    page.until("three have no text", || async { Ok(page.text("doubts").await?.starts_with('3')) }).await?;
    page.still("bring-many").await?;
    page.click("bring-many").await?;
    page.until("all are heard or timed", || async {
        Ok(with("state", "timed").await? == 1 && with("state", "heard").await? == 3)
    })
    .await?;

    // They get drafts of their texts, and those are taken back.
    let without: Vec<Value> =
        lines().await?.iter().filter(|l| l["text"] == "").map(|l| l["id"].clone()).collect();
    page.closed().await?;
    page.until("the page offers all three", || async { Ok(page.text("unwritten").await?.starts_with('3')) })
        .await?;
    page.click("draft-texts").await?;
    page.until("all are drafted", || async {
        Ok(with("state", "timed").await? == 4 && with("text", "").await? == 0)
    })
    .await?;
    for id in &without {
        let undo = reqwest::Client::new().post(bed.at(&format!("/api/lines/{id}/undo")));
        undo.send().await?.error_for_status()?;
    }
    page.until("they are without texts again", || async { Ok(with("state", "heard").await? == 3) }).await?;

    // Their texts are found in the script that came with them.
    page.until("the page knows of it", || async { Ok(page.id("open-script").await?.is_enabled().await?) })
        .await?;
    page.click("open-script").await?;
    page.still("match-script").await?;
    page.click("match-script").await?;
    page.still("take-texts").await?;
    page.click("take-texts").await?;
    page.until("all are timed", || async { Ok(with("state", "timed").await? == 4) }).await?;
    for (line, k) in lines().await?.iter().zip(WHICH) {
        let (text, own) = (line["text"].as_str().unwrap_or_default(), plain(LINES[k].text));
        anyhow::ensure!(own.starts_with(&text[..12.min(text.len())]), "“{text}” is not “{own}”");
    }

    // Two are marked and get a mood; one step takes it back from both.
    page.closed().await?;
    for place in [0, 2] {
        let id = &lines().await?[place]["id"];
        page.click(&format!("mark-{id}")).await?;
    }
    let mood = page.id("many-mood").await?;
    // The list goes back at once, so that each letter would choose anew.
    mood.send_keys("f").await?;
    let moods = async || -> Result<Vec<usize>> {
        let mut found = Vec::new();
        for line in lines().await? {
            let whole = bed.json(&format!("/api/lines/{}", line["id"])).await?;
            found.push(whole["layers"]["moods"].as_array().map_or(0, Vec::len));
        }
        Ok(found)
    };
    page.until("both fear", || async { Ok(moods().await? == [1, 0, 1, 0]) }).await?;
    page.with(Key::Control, "z").await?;
    page.until("neither does", || async { Ok(moods().await? == [0; 4]) }).await?;

    // What is filtered away is not there to be chosen.
    page.id("filter-state").await?.send_keys("heard").await?;
    page.until("none is heard alone", || async { Ok(page.text("shown").await?.starts_with('0')) }).await?;
    page.until("nor is it marked", || async { Ok(!page.has("many-side").await?) }).await?;
    page.button("show all").await?.click().await?;
    page.until("all are there again", || async { Ok(!page.has("shown").await?) }).await?;

    // All came in as one step: three steps back nothing is left.
    let undo = page.id("undo").await?;
    page.until("all are gone", || async {
        undo.click().await?;
        tokio::time::sleep(std::time::Duration::from_millis(300)).await;
        Ok(lines().await?.is_empty())
    })
    .await
}

#[tokio::test(flavor = "multi_thread")]
async fn many_recordings_come_in_get_their_texts_and_are_changed_together() -> Result<()> {
    let bed = Bed::made(SMALL, false).await?;
    let outcome = many(&bed).await;
    bed.done(outcome).await
}
