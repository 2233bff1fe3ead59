//! What the page costs in a browser: how long until it can be used and until a line of more than a minute is open, and
//! how much script a picture takes while that line is scrolled and zoomed and while lines play. Script is processor time
//! of the page's main thread, by the browser's own trace, from one picture to the next. The head is drawn in software, on
//! the same cores. `cargo bench -p jam-e2e`, or a part of it: `-- open`, `-- redraw`,
//! `-- play`, `-- brush`.

use anyhow::{Context, Result};
use jam_e2e::{Driver, Page, SMALL, long_line, serve_at};
use serde_json::{Value, json};
use std::time::{Duration, Instant};
use thirtyfour::prelude::*;

/// How often what is waited for is done.
const TIMES: usize = 5;

/// Turns the wheel 60 times over the staves, two pictures for each: a quarter zooms in, the rest scrolls on.
const WHEEL: &str = "
const done = arguments[0];
const r = document.querySelector('[data-testid=staves]').getBoundingClientRect();
const pictures = () => new Promise((on) => requestAnimationFrame(() => requestAnimationFrame(on)));
const at = { clientX: r.left + 600, clientY: r.top + 60, bubbles: true, cancelable: true };
(async () => {
  performance.mark('begin');
  for (let i = 0; i < 60; i++) {
    const zooms = i < 15;
    document.elementFromPoint(at.clientX, at.clientY)
      .dispatchEvent(new WheelEvent('wheel', { ...at, ctrlKey: zooms, deltaY: zooms ? -60 : 60 }));
    await pictures();
  }
  performance.mark('end');
  done();
})();
";

/// Lets what plays play for some seconds.
const PLAY: &str = "
const done = arguments[0];
setTimeout(() => performance.mark('begin'), 500);
setTimeout(() => { performance.mark('end'); done(); }, 4000);
";

/// What of a trace is script, or is done for it.
const SCRIPT: [&str; 7] = [
    "FireAnimationFrame",
    "TimerFire",
    "EventDispatch",
    "FunctionCall",
    "RunMicrotasks",
    "MinorGC",
    "MajorGC",
];

fn say(what: &str, mut values: Vec<f64>, unit: &str) {
    values.sort_by(f64::total_cmp);
    let at = |share: f64| values.get((values.len() as f64 * share) as usize).copied().unwrap_or(f64::NAN);
    println!(
        "{what}: {:.2} {unit} in the median, {:.2} for 95 of 100, of {}",
        at(0.5),
        at(0.95),
        values.len()
    );
}

fn number(event: &Value, name: &str) -> f64 {
    event[name].as_f64().unwrap_or(0.0)
}

/// Script of each picture between the last marks of a trace, milliseconds; pictures in which nothing was to do are none.
fn pictures(trace: &[Value]) -> Result<Vec<f64>> {
    let mark = |name: &str| {
        let all = trace.iter().filter(|e| e["name"] == name);
        all.max_by(|a, b| number(a, "ts").total_cmp(&number(b, "ts"))).context("the trace has no mark")
    };
    let (begin, end) = (mark("begin")?, mark("end")?);
    let during = number(begin, "ts")..number(end, "ts");
    let is_script = |e: &&Value| {
        e["ph"] == "X"
            && (&e["pid"], &e["tid"]) == (&begin["pid"], &begin["tid"])
            && during.contains(&number(e, "ts"))
            && e["name"].as_str().is_some_and(|n| SCRIPT.contains(&n))
    };
    let mut events: Vec<&Value> = trace.iter().filter(is_script).collect();
    events.sort_by(|a, b| number(a, "ts").total_cmp(&number(b, "ts")));
    let (mut pictures, mut until, mut began) = (Vec::new(), 0.0, f64::NEG_INFINITY);
    for event in events {
        let start = number(event, "ts");
        // What lies inside of another is counted with it.
        if start < until {
            continue;
        }
        until = start + number(event, "dur");
        // Callbacks of one picture follow each other at once.
        if event["name"] == "FireAnimationFrame" && start - began > 2000.0 {
            began = start;
            pictures.push(0.0);
        }
        if let Some(picture) = pictures.last_mut() {
            *picture += event["tdur"].as_f64().unwrap_or_else(|| number(event, "dur")) / 1000.0;
        }
    }
    pictures.retain(|ms| *ms > 0.5);
    Ok(pictures)
}

/// The application with the demo and a long line, and browsers that have seen nothing yet.
struct House {
    driver: Driver,
    address: String,
    folder: tempfile::TempDir,
}

impl House {
    async fn page(&self, traced: bool) -> Result<Page> {
        let profile = tempfile::tempdir_in(&self.folder)?.keep();
        let browser = match traced {
            true => self.driver.traced(&profile, SMALL).await?,
            false => self.driver.browser(&profile, SMALL).await?,
        };
        Ok(Page { browser })
    }

    /// The page of the lines, with the seconds until they are listed and until the face stands beside them.
    async fn lines(&self) -> Result<(Page, f64, f64)> {
        let page = self.page(false).await?;
        let began = Instant::now();
        page.browser.goto(&self.address).await?;
        page.find("[data-line='1']").await?;
        let listed = began.elapsed().as_secs_f64();
        page.find("[data-testid=stage][data-ready]").await?;
        Ok((page, listed, began.elapsed().as_secs_f64()))
    }

    async fn open(&self, long: i32) -> Result<()> {
        let (mut listed, mut faces, mut opened) = (Vec::new(), Vec::new(), Vec::new());
        for _ in 0..TIMES {
            let (page, lines, face) = self.lines().await?;
            listed.push(lines);
            faces.push(face);
            page.find(&format!("[data-line='{long}']")).await?.click().await?;
            let began = Instant::now();
            page.press(Key::Enter + "").await?;
            page.find("[data-testid=list-words] [role=option]").await?;
            page.find("[data-testid=stage][data-ready]").await?;
            opened.push(began.elapsed().as_secs_f64());
            page.browser.quit().await?;
        }
        say("the demo, its lines listed", listed, "s");
        say("the demo, the face beside them", faces, "s");
        say("a line of 68 seconds opened, words and face", opened, "s");
        Ok(())
    }

    /// Script a picture while something is done with an open line: twice, so that shaders and fonts are there.
    async fn script(&self, what: &str, line: i32, does: &str, keys: &str) -> Result<()> {
        let page = self.page(true).await?;
        page.browser.set_script_timeout(Duration::from_secs(240)).await?;
        page.score(format!("{}score/{line}", self.address)).await?;
        page.find("[data-testid=list-words] [role=option]").await?;
        for _ in 0..2 {
            page.press(Key::Home + keys).await?;
            page.browser.execute_async(does, vec![]).await?;
            page.press(keys).await?;
        }
        say(what, pictures(&self.driver.trace(&page.browser).await?)?, "ms of script a picture");
        page.browser.quit().await?;
        Ok(())
    }

    /// How long the server takes for the brush on the same head: from request to answer, the first one with all that is made ready once.
    async fn strokes(&self) -> Result<()> {
        let client = reqwest::Client::new();
        let path = format!("{}api/cast/1/sculpt", self.address);
        let took = async |request: reqwest::RequestBuilder| -> Result<f64> {
            let began = Instant::now();
            request.send().await?.error_for_status()?.bytes().await?;
            Ok(began.elapsed().as_secs_f64() * 1000.0)
        };
        let ready = took(client.get(&path)).await?;
        say("the face made ready for the brush", vec![ready], "ms");
        let places = |count: u32| -> Vec<Value> {
            (0..count).map(|k| json!({"piece": 0, "point": 4000 + k})).collect()
        };
        let stroke = |brush: Value, places: Vec<Value>| {
            json!({
                "shape": "corner_up_left", "brush": brush, "at": places, "radius": 0.5, "strength": 0.5,
                "mirrored": true, "seal": true, "only": null,
            })
        };
        let moved = stroke(json!({"kind": "move", "by": [0.0, 0.002, 0.0]}), places(1));
        let smoothed = stroke(json!({"kind": "smooth"}), places(40));
        let (mut held, mut tried, mut kept) = (Vec::new(), Vec::new(), Vec::new());
        for _ in 0..12 {
            held.push(took(client.post(format!("{path}/hold")).json(&moved)).await?);
            tried.push(took(client.post(format!("{path}/tries")).json(&smoothed)).await?);
            let order = json!({ "stroke": moved });
            kept.push(took(client.post(format!("{path}/strokes")).json(&order)).await?);
        }
        say("the brush put down", held, "ms");
        say("a smoothing stroke over 40 places, tried", tried, "ms");
        say("a stroke kept", kept, "ms");
        Ok(())
    }

    /// Script a picture while the brush drags the skin of the demo's largest head (35 665 points) to and fro, both sides alike and the
    /// lips kept shut.
    async fn brush(&self) -> Result<()> {
        let page = self.page(true).await?;
        page.browser.goto(format!("{}cast/1", self.address)).await?;
        page.find("[data-testid=stage][data-ready]").await?;
        page.browser.find(By::XPath("//*[@role='tab'][.='By hand']")).await?.click().await?;
        page.click("shape-corner_up_left").await?;
        let stage = page.find("[data-testid=brush]").await?.rect().await?;
        let at = |x: f64, y: f64| ((stage.x + stage.width * x) as i64, (stage.y + stage.height * y) as i64);
        let (x, y) = at(0.57, 0.6);
        page.browser.action_chain().move_to(x, y).click_and_hold().perform().await?;
        // What is held has come with the first moves.
        page.browser.action_chain().move_to(x + 8, y).move_to(x - 8, y).perform().await?;
        page.eval("performance.mark('begin')").await?;
        for k in 0..12 {
            let far = if k % 2 == 0 { 14 } else { -14 };
            page.browser.action_chain().move_to(x + far, y - far).perform().await?;
        }
        page.eval("performance.mark('end')").await?;
        page.browser.action_chain().release().perform().await?;
        let trace = self.driver.trace(&page.browser).await?;
        say("a shape of 35 665 points dragged by the brush", pictures(&trace)?, "ms of script a picture");
        page.browser.quit().await?;
        Ok(())
    }
}

#[tokio::main]
async fn main() -> Result<()> {
    let part = std::env::args().skip(1).find(|a| !a.starts_with('-')).unwrap_or_default();
    let wanted = |name: &str| part.is_empty() || part == name;
    let folder = tempfile::tempdir()?;
    let data = folder.path().join("a.jam");
    jam_demo::fill(&jam_store::Store::open(&data)?)?;
    let long = long_line(&data)?;
    let served = serve_at(&data, "127.0.0.1:0".parse()?, false).await?;
    let house = House { driver: Driver::start()?, address: format!("http://{}/", served.address), folder };
    if wanted("open") {
        house.open(long).await?;
    }
    if wanted("redraw") {
        house.script("a line of 68 seconds scrolled and zoomed", long, WHEEL, "").await?;
    }
    if wanted("play") {
        house.script("line 4 playing", 4, PLAY, " ").await?;
        house.script("a line of 68 seconds playing", long, PLAY, " ").await?;
    }
    if wanted("brush") {
        house.strokes().await?;
        house.brush().await?;
    }
    served.stop();
    Ok(())
}
