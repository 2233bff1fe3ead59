//! Everybody can use it: every view in both themes against the rules of WCAG 2.2 A and AA, by axe-core; and the score by
//! keyboard alone.

use anyhow::{Context, Result, ensure};
use jam_e2e::{Bed, Page, SMALL};
use thirtyfour::prelude::*;

/// The checker, as the page's own packages install it.
const AXE: &str = concat!(env!("CARGO_MANIFEST_DIR"), "/../web/node_modules/axe-core/axe.min.js");

const CHECK: &str = "
const done = arguments[0];
axe.run(document, { runOnly: ['wcag2a', 'wcag2aa', 'wcag21a', 'wcag21aa', 'wcag22aa'], resultTypes: ['violations'] })
  .then((found) => done(found.violations.flatMap((v) =>
    v.nodes.slice(0, 4).map((n) => `${v.id}: ${n.target.join(' ')} ${n.html.slice(0, 160)} ${n.failureSummary.slice(0, 260)}`))))
  .catch((error) => done([String(error)]));
";

/// Whether nothing that was opened is still on its way in.
const SETTLED: &str = "
return !document.getAnimations().some((a) => a.playState === 'running' && a instanceof CSSTransition)
  && [...document.querySelectorAll('[role=dialog], [role=menu]')].every((e) => getComputedStyle(e).opacity === '1');
";

async fn check(page: &Page, view: &str, found: &mut Vec<String>) -> Result<()> {
    let loaded = page.eval("return typeof axe !== 'undefined'").await? == true;
    if !loaded {
        let script =
            std::fs::read_to_string(AXE).context("axe-core is not installed: run `npm ci` in web")?;
        page.browser.execute(&script, vec![]).await?;
    }
    // What fades in has no contrast yet.
    page.until("nothing fades in any more", || async { Ok(page.eval(SETTLED).await? == true) }).await?;
    let all = page.browser.execute_async(CHECK, vec![]).await?;
    for one in all.json().as_array().context("no answer of axe")? {
        found.push(format!("{view}: {}", one.as_str().unwrap_or_default()));
    }
    Ok(())
}

/// Whether the points of a face are as far apart as they are when it fills the picture.
const LOOKED_AT: &str = "
const [a, b] = ['left', 'right'].map((side) =>
  document.querySelector(`[data-landmark=eye_${side}_outer]`)?.getBoundingClientRect());
return a && b ? Math.abs(a.x - b.x) > 100 : false;
";

const BENCHES: [&str; 11] =
    ["line", "word", "diction", "mood", "eyes", "head", "hand", "curve", "why", "check", "steps"];

async fn every_view(bed: &Bed) -> Result<()> {
    let page = &bed.page;
    let mut found = Vec::new();
    for theme in ["day", "night"] {
        page.browser.goto(bed.at("/")).await?;
        page.find("[data-line='1']").await?;
        if theme == "night" {
            page.press("n").await?;
            page.find("[data-mantine-color-scheme=dark]").await?;
        }
        check(page, &format!("{theme}, Lines"), &mut found).await?;
        page.press("a").await?;
        page.id("new-text").await?;
        check(page, &format!("{theme}, add a line"), &mut found).await?;
        page.press(Key::Escape + "").await?;
        page.until("the form is closed", || async { Ok(!page.has("new-text").await?) }).await?;
        page.press("?").await?;
        page.id("key-map").await?;
        check(page, &format!("{theme}, shortcuts"), &mut found).await?;
        page.press(Key::Escape + "").await?;
        page.until("the list is closed", || async { Ok(!page.has("key-map").await?) }).await?;

        page.score(bed.at("/score/4")).await?;
        for bench in BENCHES {
            page.click(&format!("bench-{bench}")).await?;
            page.id(&format!("{bench}-bench")).await?;
            if bench == "word" {
                page.press(Key::Right + "").await?;
                page.id("pin").await?;
            }
            check(page, &format!("{theme}, bench {bench}"), &mut found).await?;
        }
        page.press("q").await?;
        page.id("open-stave").await?;
        page.click("curve-jaw_open").await?;
        check(page, &format!("{theme}, curves"), &mut found).await?;

        page.with(Key::Shift, "a").await?;
        page.find("[data-testid=scene-stage][data-ready]").await?;
        page.click("turn-2").await?;
        check(page, &format!("{theme}, Scene"), &mut found).await?;
        for tab in ["listening", "stage", "deliver"] {
            page.click(&format!("tab-{tab}")).await?;
            if tab == "listening" {
                page.find("[data-kind=look]").await?.click().await?;
                page.id("chosen-reaction").await?;
            }
            check(page, &format!("{theme}, Scene, {tab}"), &mut found).await?;
        }

        page.press("3").await?;
        page.id("walk").await?;
        page.find("[data-testid=stage][data-ready]").await?;
        check(page, &format!("{theme}, Cast"), &mut found).await?;
        for (tab, shows) in [("Shapes", "make-shapes"), ("By hand", "new-shape")] {
            page.browser.find(By::XPath(format!("//*[@role='tab'][.='{tab}']"))).await?.click().await?;
            page.id(shows).await?;
            if tab == "Shapes" {
                page.until("the face is looked at", async || Ok(page.eval(LOOKED_AT).await? == true)).await?;
            }
            if tab == "By hand" {
                page.click("shape-jaw_open").await?;
                page.button("Split …").await?.click().await?;
                page.id("shape-make").await?;
            }
            check(page, &format!("{theme}, Cast, {tab}"), &mut found).await?;
        }
        page.press("4").await?;
        page.id("deliver").await?;
        check(page, &format!("{theme}, Deliver"), &mut found).await?;
    }
    ensure!(found.is_empty(), "{} violations:\n{}", found.len(), found.join("\n"));
    Ok(())
}

#[tokio::test(flavor = "multi_thread")]
async fn every_view_in_both_themes_keeps_the_rules_of_access() -> Result<()> {
    let bed = Bed::made(SMALL, true).await?;
    let outcome = every_view(&bed).await;
    bed.done(outcome).await
}
