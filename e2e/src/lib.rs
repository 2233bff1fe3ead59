//! The real interface in a real browser: Debian's Chromium, driven over WebDriver, on the real server with a temporary
//! data file. Waits on states, never on time. The tests are in `tests/`.
#![allow(clippy::missing_errors_doc, reason = "a test fails with whatever goes wrong")]

use anyhow::{Context, Result, bail};
use jam_formats::sound;
use jam_score::{Ids, Line};
use jam_sound::Recording;
use jam_store::{NewLine, Store};
use jam_voice::{Analyser, features};
use serde_json::{Value, json};
use std::net::{SocketAddr, TcpListener};
use std::os::unix::process::CommandExt;
use std::path::{Path, PathBuf};
use std::process::{Child, Command, Stdio};
use std::time::{Duration, Instant};
use thirtyfour::prelude::*;

pub const PATIENCE: Duration = Duration::from_secs(120);
const BARS: u32 = 143;

/// Ends when the browser has drawn twice.
const TWO_PICTURES: &str =
    "const done = arguments[0]; requestAnimationFrame(() => requestAnimationFrame(() => done()))";

/// What most animators have at least.
pub const SMALL: (u32, u32) = (1280, 800);

/// ChromeDriver in a process group of its own that ends with this test, whatever ends it: the shell
/// waits for its standard input to close and then ends the whole group.
pub struct Driver {
    shell: Child,
    port: u16,
}

impl Driver {
    pub fn start() -> Result<Driver> {
        let program = "/usr/bin/chromedriver";
        if !Path::new(program).exists() {
            bail!("{program} is missing; install Debian's chromium and chromium-driver");
        }
        let port = TcpListener::bind("127.0.0.1:0")?.local_addr()?.port();
        let shell = Command::new("sh")
            .args([
                "-c",
                r#""$0" --port="$1" >/dev/null 2>&1 & read -r _; kill -KILL 0"#,
                program,
                &port.to_string(),
            ])
            .stdin(Stdio::piped())
            .stdout(Stdio::null())
            .process_group(0)
            .spawn()?;
        Ok(Driver { shell, port })
    }

    pub async fn browser(&self, profile: &Path, size: (u32, u32)) -> Result<WebDriver> {
        self.started(DesiredCapabilities::chrome(), profile, size).await
    }

    /// A browser that keeps a trace of what its main thread does; see [`Driver::trace`].
    pub async fn traced(&self, profile: &Path, size: (u32, u32)) -> Result<WebDriver> {
        let mut wishes = DesiredCapabilities::chrome();
        wishes.set("goog:loggingPrefs", json!({ "performance": "ALL" }))?;
        let kinds = "devtools.timeline,blink.user_timing";
        let of = json!({ "enableNetwork": false, "enablePage": false, "traceCategories": kinds });
        wishes.add_experimental_option("perfLoggingPrefs", of)?;
        self.started(wishes, profile, size).await
    }

    /// The events of a browser's trace up to now; it ends with that.
    pub async fn trace(&self, browser: &WebDriver) -> Result<Vec<Value>> {
        let log = format!("http://127.0.0.1:{}/session/{}/se/log", self.port, browser.session_id());
        let asked = reqwest::Client::new().post(log).json(&json!({ "type": "performance" }));
        let answer: Value = asked.send().await?.json().await?;
        let entries = answer["value"].as_array().context("no log")?;
        let read = |entry: &Value| -> Option<Value> {
            let message: Value = serde_json::from_str(entry["message"].as_str()?).ok()?;
            let message = &message["message"];
            (message["method"] == "Tracing.dataCollected").then(|| message["params"].clone())
        };
        Ok(entries.iter().filter_map(read).collect())
    }

    async fn started(
        &self,
        mut wishes: thirtyfour::ChromeCapabilities,
        profile: &Path,
        (width, height): (u32, u32),
    ) -> Result<WebDriver> {
        wishes.set_binary("/usr/bin/chromium")?;
        for flag in [
            "--headless=new",
            "--no-sandbox",
            "--disable-dev-shm-usage",
            "--use-gl=angle",
            "--use-angle=swiftshader",
            "--enable-unsafe-swiftshader",
            "--disable-accelerated-2d-canvas",
            "--autoplay-policy=no-user-gesture-required",
            "--mute-audio",
            "--hide-scrollbars",
            "--force-device-scale-factor=1",
            "--no-first-run",
            "--disable-background-networking",
            "--disable-component-update",
            "--disable-sync",
            "--disable-quic",
            "--disable-extensions",
            // A microphone that hears a beep every second.
            "--use-fake-ui-for-media-stream",
            "--use-fake-device-for-media-stream",
        ] {
            wishes.add_arg(flag)?;
        }
        wishes.add_arg(&format!("--user-data-dir={}", profile.display()))?;
        // What the browser's own bars take of the height.
        wishes.add_arg(&format!("--window-size={width},{}", height + BARS))?;
        let started = Instant::now();
        loop {
            match WebDriver::new(format!("http://127.0.0.1:{}", self.port), wishes.clone()).await {
                Ok(browser) => return Ok(browser),
                Err(e) if started.elapsed() > PATIENCE => return Err(e).context("the browser did not start"),
                Err(_) => tokio::time::sleep(Duration::from_millis(100)).await,
            }
        }
    }
}

impl Drop for Driver {
    fn drop(&mut self) {
        drop(self.shell.stdin.take());
        let _ = self.shell.wait();
    }
}

/// A server in a house of its own, which is pulled down when it is stopped: its connections go with it, as when the
/// program ends.
pub struct Served {
    pub address: SocketAddr,
    house: Option<tokio::runtime::Runtime>,
}

impl Served {
    pub fn stop(mut self) {
        if let Some(house) = self.house.take() {
            house.shutdown_background();
        }
    }
}

impl Drop for Served {
    fn drop(&mut self) {
        if let Some(house) = self.house.take() {
            house.shutdown_background();
        }
    }
}

/// Serves a data file, on the address of an earlier server if one is given; an empty one gets Bram.
pub async fn serve(data: &Path) -> Result<SocketAddr> {
    let served = serve_at(data, "127.0.0.1:0".parse()?, true).await?;
    let address = served.address;
    // It goes on as long as the test does.
    std::mem::forget(served);
    Ok(address)
}

/// [`serve`], to be stopped; `cast` says whether an empty production gets Bram.
pub async fn serve_at(data: &Path, address: SocketAddr, cast: bool) -> Result<Served> {
    let store = Store::open(data)?;
    if cast && store.cast()?.is_empty() {
        let wiring = jam_demo::CHARACTERS[0].read()?.wiring()?;
        store.add_cast_member("Bram", jam_demo::CHARACTERS[0].model, &wiring)?;
    }
    let fill: fn(&Store) -> Result<(), String> = |store| jam_demo::fill(store).map_err(|e| e.to_string());
    // Says every word by its letters.
    let writes = ["sh", "-c", "tr -d '.,!?'"].map(str::to_string).to_vec();
    let settings = jam_server::Settings { demo: Some(fill), phonemiser: Some(writes), ..Default::default() };
    let house = tokio::runtime::Builder::new_multi_thread().worker_threads(2).enable_all().build()?;
    let started = Instant::now();
    let server = loop {
        // Of a server that was stopped just now the address may not be free yet.
        let (store, settings) = (store.clone(), settings.clone());
        match house.spawn(jam_server::Server::bind_with(store, address, settings)).await? {
            Ok(server) => break server,
            Err(error) if started.elapsed() > PATIENCE => return Err(error.into()),
            Err(_) => tokio::task::yield_now().await,
        }
    };
    let address = server.address();
    house.spawn(server.run(std::future::pending()));
    Ok(Served { address, house: Some(house) })
}

/// A browser on a server with a data file of its own.
pub struct Bed {
    pub page: Page,
    pub served: Served,
    pub data: PathBuf,
    pub folder: tempfile::TempDir,
    _driver: Driver,
    _turn: tokio::sync::MutexGuard<'static, ()>,
}

/// One browser at a time.
static TURN: tokio::sync::Mutex<()> = tokio::sync::Mutex::const_new(());

impl Bed {
    /// With the demo in it or empty, in a window of a size.
    pub async fn made(size: (u32, u32), demo: bool) -> Result<Bed> {
        let turn = TURN.lock().await;
        let folder = tempfile::tempdir()?;
        let data = folder.path().join("a.jam");
        if demo {
            jam_demo::fill(&Store::open(&data)?)?;
        }
        let served = serve_at(&data, "127.0.0.1:0".parse()?, false).await?;
        let driver = Driver::start()?;
        let browser = driver.browser(&folder.path().join("profile"), size).await?;
        let page = Page { browser };
        page.browser.goto(format!("http://{}/", served.address)).await?;
        Ok(Bed { page, served, data, folder, _driver: driver, _turn: turn })
    }

    pub fn at(&self, path: &str) -> String {
        format!("http://{}{path}", self.served.address)
    }

    pub async fn json(&self, path: &str) -> Result<Value> {
        Ok(reqwest::get(self.at(path)).await?.json().await?)
    }

    /// Closes the browser, whatever came out.
    pub async fn done(self, outcome: Result<()>) -> Result<()> {
        if outcome.is_err() {
            let picture = std::env::temp_dir().join("jam-lips-failed.png");
            let _ = self.page.browser.screenshot(&picture).await;
        }
        self.page.browser.clone().quit().await?;
        outcome
    }
}

/// The demo's lines of Bram after each other, 65 seconds and more, as one line of a data file; its number.
pub fn long_line(data: &Path) -> Result<i32> {
    let lines = &jam_demo::LINES[..12];
    let mut samples = Vec::new();
    for line in lines {
        samples.extend(sound::read_at(line.recording, features::RATE)?.mono().iter().copied());
    }
    let text = lines.iter().map(|l| l.text).collect::<Vec<_>>().join(" ");
    let recording = Recording::new(features::RATE, vec![samples])?;
    let wav = sound::listening_copy(&recording)?;
    let timing = Analyser::shipped()?.analyse(&recording, &text, &|_| true)?.timing;
    let mut ids = Ids::NEW_LINE;
    let document = Line {
        character: Some("Bram".into()),
        timing: Some(timing.numbered_like(None, &mut ids)),
        ..Line::new(text)
    };
    let facts = recording.facts();
    let new = NewLine { document: &document, ids, recording: &wav, recording_name: "all.wav", facts: &facts };
    Ok(Store::open(data)?.add_line(&new)?.id)
}

pub struct Page {
    pub browser: WebDriver,
}

impl Page {
    pub async fn find(&self, css: &str) -> Result<WebElement> {
        let query = self.browser.query(By::Css(css)).wait(PATIENCE, Duration::from_millis(100));
        query.first().await.with_context(|| format!("nothing matches {css}"))
    }

    pub async fn find_text(&self, text: &str) -> Result<WebElement> {
        let path = By::XPath(format!("//*[contains(., '{text}')]"));
        let query = self.browser.query(path).wait(PATIENCE, Duration::from_millis(100));
        query.first().await.with_context(|| format!("“{text}” is not on the page"))
    }

    pub async fn text(&self, id: &str) -> Result<String> {
        Ok(self.find(&format!("[data-testid={id}]")).await?.text().await?)
    }

    pub async fn frame(&self) -> Result<i64> {
        Ok(self.text("frame").await?.trim().parse()?)
    }

    pub async fn jaw(&self) -> Result<f64> {
        let stage = self.find("[data-testid=stage]").await?;
        Ok(stage.attr("data-jaw").await?.and_then(|v| v.parse().ok()).unwrap_or(0.0))
    }

    pub async fn press(&self, keys: impl Into<TypingData>) -> Result<()> {
        self.browser.action_chain().send_keys(keys).perform().await?;
        Ok(())
    }

    /// Asks again and again until the answer is yes. What React has just put another element in the place of is asked for
    /// anew.
    pub async fn until<F: Future<Output = Result<bool>>>(
        &self,
        what: &str,
        holds: impl Fn() -> F,
    ) -> Result<()> {
        let started = Instant::now();
        loop {
            match holds().await {
                Ok(true) => break,
                Err(error) if !format!("{error:?}").contains("stale element") => return Err(error),
                Ok(false) | Err(_) => {}
            }
            if started.elapsed() > PATIENCE {
                let picture = std::env::temp_dir().join("jam-lips-waited-in-vain.png");
                self.browser.screenshot(&picture).await?;
                bail!("waited in vain until {what}; the page as it was then: {}", picture.display());
            }
            tokio::time::sleep(Duration::from_millis(50)).await;
        }
        Ok(())
    }

    pub async fn fill(&self, recording: &Path, text: &str) -> Result<()> {
        self.press("a").await?;
        self.find("[data-testid=new-text]").await?.send_keys(text).await?;
        // The file chooser of the drop zone is there but hidden, as choosers are.
        let chooser = self.browser.find_all(By::Css("[role=dialog] input[type=file]")).await?;
        chooser.first().context("no file chooser")?.send_keys(recording.to_string_lossy()).await?;
        self.find("[data-testid=add-line]").await?.click().await?;
        Ok(())
    }

    /// Presses a key with Shift, or Ctrl, held.
    pub async fn with(&self, held: Key, key: impl Into<TypingData>) -> Result<()> {
        self.browser.action_chain().key_down(held.clone()).send_keys(key).key_up(held).perform().await?;
        Ok(())
    }

    /// The element of a test's name.
    pub async fn id(&self, id: &str) -> Result<WebElement> {
        self.find(&format!("[data-testid='{id}']")).await
    }

    pub async fn click(&self, id: &str) -> Result<()> {
        Ok(self.id(id).await?.click().await?)
    }

    /// Whether nothing, or something, on the page is of a test's name.
    pub async fn has(&self, id: &str) -> Result<bool> {
        Ok(!self.browser.find_all(By::Css(format!("[data-testid='{id}']"))).await?.is_empty())
    }

    /// Where something is once it stands still: of some pictures in a row the same.
    pub async fn still(&self, id: &str) -> Result<thirtyfour::common::types::ElementRect> {
        let mut last = self.id(id).await?.rect().await?;
        let (started, mut same) = (Instant::now(), 0);
        while same < 4 {
            // Two pictures of the browser.
            self.browser.execute_async(TWO_PICTURES, vec![]).await?;
            let now = self.id(id).await?.rect().await?;
            let all = |r: &thirtyfour::common::types::ElementRect| (r.x, r.y, r.width, r.height);
            same = if all(&now) == all(&last) { same + 1 } else { 0 };
            last = now;
            if started.elapsed() > PATIENCE {
                bail!("{id} never stands still");
            }
        }
        Ok(last)
    }

    /// Waits until no dialog stands in the way.
    pub async fn closed(&self) -> Result<()> {
        let open = By::Css(".mantine-Modal-overlay");
        self.until("the dialog is closed", || async {
            Ok(self.browser.find_all(open.clone()).await?.is_empty())
        })
        .await
    }

    /// The button that takes a step back, once it names the step.
    pub async fn undo(&self, step: &str) -> Result<()> {
        Ok(self.find(&format!("button[aria-label='Undo: {step}']")).await?.click().await?)
    }

    pub async fn button(&self, words: &str) -> Result<WebElement> {
        let path = By::XPath(format!("//button[normalize-space()='{words}']"));
        let query = self.browser.query(path).wait(PATIENCE, Duration::from_millis(100));
        query.first().await.with_context(|| format!("no button “{words}”"))
    }

    /// Chooses an entry of a menu that is open, and waits until the menu is closed.
    pub async fn entry(&self, menu: &str, words: &str) -> Result<()> {
        let path =
            By::XPath(format!("//*[@data-testid='{menu}']//*[@role='menuitem'][contains(., '{words}')]"));
        let query = self.browser.query(path).wait(PATIENCE, Duration::from_millis(100));
        query.first().await.with_context(|| format!("no “{words}” in {menu}"))?.click().await?;
        self.until("the menu is closed", || async {
            for one in self.browser.find_all(By::Css("[role=menu]")).await? {
                if one.is_displayed().await? {
                    return Ok(false);
                }
            }
            Ok(true)
        })
        .await
    }

    pub async fn eval(&self, script: &str) -> Result<Value> {
        Ok(self.browser.execute(script, vec![]).await?.json().clone())
    }

    /// Waits until a score is there: its face on the stage, its curves come.
    pub async fn score(&self, address: String) -> Result<()> {
        self.browser.goto(address).await?;
        self.find("[data-testid=stage][data-ready]").await?;
        self.id("speech").await?;
        Ok(())
    }

    /// Drags from one place of the window to another, over a place between them.
    pub async fn drag(&self, from: (f64, f64), to: (f64, f64)) -> Result<()> {
        let chain = self.browser.action_chain().move_to(from.0 as i64, from.1 as i64).click_and_hold();
        let between = ((from.0 + to.0) / 2.0, (from.1 + to.1) / 2.0);
        let chain = chain.move_to(between.0 as i64, between.1 as i64).move_to(to.0 as i64, to.1 as i64);
        chain.release().perform().await?;
        Ok(())
    }
}
