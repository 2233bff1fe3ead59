//! The API over real HTTP: what a page does, what it is told when something is wrong, what survives.
#![allow(clippy::unwrap_used)]

use futures_util::{SinkExt, StreamExt};
use jam_store::Store;
use reqwest::header::{HOST, ORIGIN, RANGE};
use reqwest::multipart::{Form, Part};
use reqwest::{Client, Method, StatusCode};
use serde_json::{Value, json};
use std::net::SocketAddr;
use std::path::Path;
use std::time::Duration;
use tokio_tungstenite::tungstenite::Message;

const TEXT: &str = "I thought the worst of it was over.";

pub(crate) struct Running {
    address: SocketAddr,
    client: Client,
    stop: tokio::sync::oneshot::Sender<()>,
    done: tokio::task::JoinHandle<()>,
}

impl Running {
    pub(crate) async fn start(data: &Path) -> Running {
        Running::start_with(data, jam_server::Settings::default()).await
    }

    pub(crate) async fn start_with(data: &Path, settings: jam_server::Settings) -> Running {
        let store = Store::open(data).unwrap();
        if store.cast().unwrap().is_empty() {
            let wiring = jam_demo::CHARACTERS[0].read().unwrap().wiring().unwrap();
            store.add_cast_member("Bram", jam_demo::CHARACTERS[0].model, &wiring).unwrap();
        }
        let address = "127.0.0.1:0".parse().unwrap();
        let mut own = reqwest::header::HeaderMap::new();
        if let Some(token) = &settings.token {
            own.insert(reqwest::header::AUTHORIZATION, format!("Bearer {token}").parse().unwrap());
        }
        let server = jam_server::Server::bind_with(store, address, settings).await.unwrap();
        let address = server.address();
        let (stop, stopped) = tokio::sync::oneshot::channel();
        let done = tokio::spawn(async move {
            server.run(async { stopped.await.unwrap_or(()) }).await.unwrap();
        });
        let client = Client::builder().default_headers(own).build().unwrap();
        Running { address, client, stop, done }
    }

    pub(crate) async fn stop(self) {
        drop(self.client);
        self.stop.send(()).unwrap();
        self.done.await.unwrap();
    }

    pub(crate) fn at(&self, path: &str) -> String {
        format!("http://{}{path}", self.address)
    }

    pub(crate) fn ask(&self, method: Method, path: &str) -> reqwest::RequestBuilder {
        self.client.request(method, self.at(path))
    }

    pub(crate) async fn get(&self, path: &str) -> Value {
        self.ask(Method::GET, path).send().await.unwrap().error_for_status().unwrap().json().await.unwrap()
    }

    pub(crate) async fn answer(&self, method: Method, path: &str, body: &Value) -> (StatusCode, Value) {
        let answer = self.ask(method, path).json(body).send().await.unwrap();
        (answer.status(), answer.json().await.unwrap())
    }

    /// Makes an operation on a line: the line after it, or the problem.
    pub(crate) async fn act(&self, id: i64, op: Value) -> (StatusCode, Value) {
        let (status, mut answer) =
            self.answer(Method::POST, &format!("/api/lines/{id}/operations"), &json!({ "op": op })).await;
        (status, if status.is_success() { answer["line"].take() } else { answer })
    }

    /// The same, of one gesture, made on a revision.
    async fn act_on(&self, id: i64, revision: &Value, gesture: &str, op: Value) -> (StatusCode, Value) {
        let request = self.ask(Method::POST, &format!("/api/lines/{id}/operations"));
        let request = request.header("if-match", format!("\"{revision}\""));
        let answer = request.json(&json!({ "op": op, "gesture": gesture })).send().await.unwrap();
        (answer.status(), answer.json().await.unwrap())
    }

    /// A line of the demo that is timed.
    pub(crate) async fn timed_line(&self) -> i64 {
        let (_, line) = self.add("line.wav", recording(), TEXT).await;
        let id = line["summary"]["id"].as_i64().unwrap();
        self.settled(id).await;
        id
    }

    async fn add(&self, name: &str, bytes: &[u8], text: &str) -> (StatusCode, Value) {
        let file = Part::bytes(bytes.to_vec()).file_name(name.to_string());
        let form =
            Form::new().part("recording", file).text("text", text.to_string()).text("character", "Bram");
        let answer = self.ask(Method::POST, "/api/lines").multipart(form).send().await.unwrap();
        (answer.status(), answer.json().await.unwrap())
    }

    /// Waits until so many files have gone out.
    pub(crate) async fn delivered(&self, count: usize) -> Vec<Value> {
        for _ in 0..600 {
            // In this order, or files would be missing of a job that ends between the two.
            let open = self.get("/api/jobs").await.as_array().unwrap().iter().any(|j| j["state"] != "done");
            let files = self.get("/api/deliveries").await.as_array().unwrap().clone();
            if files.len() >= count && !open {
                return files;
            }
            tokio::time::sleep(Duration::from_millis(50)).await;
        }
        panic!("{count} files never went out: {}", self.get("/api/jobs").await);
    }

    /// What is out of date is marked and can be delivered alone, compared with the line as it is, and packed.
    async fn compared_and_packed(&self, id: i64, files: &[Value], order: &Value) {
        let again = json!({"lines": [id], "recipe": order["recipe"], "only_changed": true});
        assert_eq!(
            self.answer(Method::POST, "/api/deliveries", &again).await.1,
            json!([]),
            "nothing has changed"
        );
        let glb = files.iter().find(|f| f["kind"] == "glb").unwrap();
        let compare = format!("/api/deliveries/{}/compare", glb["id"]);
        assert_eq!(self.get(&compare).await["differ"], json!([]));
        let (status, said) = self.act(id, json!({"do": "diction", "change": {"openness": 1.6}})).await;
        assert_eq!(status, StatusCode::OK, "{said}");
        assert!(self.delivered(3).await.iter().all(|f| f["changed"] == true));
        let compared = self.get(&compare).await;
        let differ = compared["differ"].as_array().unwrap();
        let jaw = differ.iter().find(|d| d["control"] == "jaw_open").unwrap();
        let most = |side: &str| {
            jaw[side].as_array().unwrap().iter().map(|v| v.as_f64().unwrap()).fold(0.0, f64::max)
        };
        assert!(most("now") > most("delivered"), "a more open diction opens the jaw further");
        assert_eq!(jaw["now"].as_array().unwrap().len(), compared["frames"].as_u64().unwrap() as usize);
        assert_eq!(self.answer(Method::POST, "/api/deliveries", &again).await.0, StatusCode::OK);
        let files = self.delivered(3).await;
        assert!(
            files.len() == 3 && files.iter().all(|f| f["changed"] == false),
            "in the place of the older ones"
        );

        let bytes = self.ask(Method::GET, "/api/deliveries/zip").send().await.unwrap().bytes().await.unwrap();
        let mut zip = zip::ZipArchive::new(std::io::Cursor::new(&bytes[..])).unwrap();
        let mut read = |name: &str| {
            let mut out = Vec::new();
            std::io::Read::read_to_end(&mut zip.by_name(name).unwrap(), &mut out).unwrap();
            out
        };
        let manifest: Value = serde_json::from_slice(&read("manifest.json")).unwrap();
        let listed = manifest["files"].as_array().unwrap();
        assert_eq!(listed.len(), 3);
        for file in listed {
            let bytes = read(file["path"].as_str().unwrap());
            let sum: String = sha2::Digest::finalize(sha2::Digest::chain_update(
                <sha2::Sha256 as sha2::Digest>::new(),
                &bytes,
            ))
            .iter()
            .map(|b| format!("{b:02x}"))
            .collect();
            assert_eq!((&file["sha256"], &file["bytes"]), (&json!(sum), &json!(bytes.len())));
            assert_eq!((&file["line"], &file["character"]), (&json!(1), &json!("Bram")));
        }
    }

    /// Curves that went out come in again as a pass, looked at first.
    async fn brought_back(&self, id: i64, curves: Vec<u8>) {
        let send = async |order: Value| -> (StatusCode, Value) {
            let file = Part::bytes(curves.clone()).file_name("line.curves.json");
            let form = Form::new().part("motion", file).text("order", order.to_string());
            let path = format!("/api/lines/{id}/motion");
            let answer = self.ask(Method::POST, &path).multipart(form).send().await.unwrap();
            (answer.status(), answer.json().await.unwrap())
        };
        let (status, looked) = send(json!({})).await;
        assert_eq!(status, StatusCode::OK, "{looked}");
        assert_eq!(
            (&looked["off"], &looked["unknown"], &looked["line"]),
            (&json!([]), &json!([]), &Value::Null)
        );
        let lips = json!({"laid": {"regions": ["lips"], "name": "elsewhere 1", "offset": 0.1}, "take": true});
        let (status, taken) = send(lips).await;
        assert_eq!(status, StatusCode::OK, "{taken}");
        let touches = taken["line"]["touches"].as_array().unwrap();
        assert!(
            touches.len() > 5 && touches.iter().all(|t| t["pass"]["name"] == "elsewhere 1"),
            "{touches:?}"
        );
        let (status, late) = send(json!({"laid": {"offset": 60.0}, "take": true})).await;
        assert_eq!((status, &late["code"]), (StatusCode::UNPROCESSABLE_ENTITY, &json!("nothing_there")));
        let undo = format!("/api/lines/{id}/undo");
        assert_eq!(self.ask(Method::POST, &undo).send().await.unwrap().status(), StatusCode::OK);
    }

    /// Asks for a line until it is no longer being analysed.
    pub(crate) async fn settled(&self, id: i64) -> Value {
        for _ in 0..600 {
            let line = self.get(&format!("/api/lines/{id}")).await;
            let state = line["summary"]["state"].as_str().unwrap();
            if state != "analysing" && !(state == "not_timed" && line["summary"]["problem"].is_null()) {
                return line;
            }
            tokio::time::sleep(Duration::from_millis(50)).await;
        }
        panic!("line {id} was never analysed");
    }
}

fn recording() -> &'static [u8] {
    jam_demo::LINES[9].recording
}

#[tokio::test(flavor = "multi_thread")]
async fn a_line_is_brought_in_timed_delivered_and_there_after_a_restart() {
    let folder = tempfile::tempdir().unwrap();
    let data = folder.path().join("a.jam");
    let server = Running::start(&data).await;
    let (status, added) = server.add("worst.wav", recording(), TEXT).await;
    assert_eq!(status, StatusCode::OK, "{added}");
    let id = added["summary"]["id"].as_i64().unwrap();
    let line = server.settled(id).await;
    assert_eq!(line["summary"]["state"], "timed", "{}", line["summary"]);
    assert_eq!(line["document"]["timing"]["words"].as_array().unwrap().len(), 8);

    let order = json!({"lines": [id], "recipe": {"kinds": ["glb", "curves"]}});
    let jobs = server.ask(Method::POST, "/api/deliveries").json(&order).send().await.unwrap();
    assert_eq!(jobs.status(), StatusCode::OK);
    let files = server.delivered(3).await;
    let name = |f: &Value| f["file_name"].as_str().unwrap().to_string();
    let stem = "untitled-production_bram_01_i-thought-the-worst";
    for file in &files {
        let path = format!("/api/deliveries/{}/file", file["id"]);
        let bytes = server.ask(Method::GET, &path).send().await.unwrap().bytes().await.unwrap();
        assert_eq!(bytes.len() as i64, file["size"].as_i64().unwrap());
        assert_eq!((&file["changed"], &file["first_frame"]), (&json!(false), &json!(1001)));
        match name(file).strip_prefix(stem).unwrap() {
            ".glb" => {
                assert_eq!(jam_formats::glb::Character::read(&bytes).unwrap().animations().len(), 1);
            }
            ".curves.json" => {
                let curves: Value = serde_json::from_slice(&bytes).unwrap();
                let found = (&curves["format"], &curves["first_frame"], &curves["frames"]);
                assert_eq!(found, (&json!("jam-lips-curves/1"), &json!(1001), &file["frames"]));
            }
            ".wav" => {
                assert!(bytes.windows(4).any(|w| w == b"bext"), "the sound beside motion, with its time")
            }
            other => panic!("{other}"),
        }
    }
    let curves = files.iter().find(|f| f["kind"] == "curves").unwrap();
    let path = format!("/api/deliveries/{}/file", curves["id"]);
    let bytes = server.ask(Method::GET, &path).send().await.unwrap().bytes().await.unwrap();
    server.brought_back(id, bytes.to_vec()).await;
    server.compared_and_packed(id, &files, &order).await;
    let undo = format!("/api/lines/{id}/undo");
    assert_eq!(server.ask(Method::POST, &undo).send().await.unwrap().status(), StatusCode::OK);
    let files = server.get("/api/deliveries").await;
    server.stop().await;

    let again = Running::start(&data).await;
    assert_eq!(again.get(&format!("/api/lines/{id}")).await["document"], line["document"]);
    assert_eq!(again.get("/api/deliveries").await, files);
    let undone = again.ask(Method::POST, &format!("/api/lines/{id}/undo")).send().await.unwrap();
    assert_eq!(undone.status(), StatusCode::CONFLICT, "nothing was done by hand yet");
    again.stop().await;
}

#[tokio::test(flavor = "multi_thread")]
async fn what_cannot_be_used_is_answered_in_a_sentence_and_nothing_is_lost() {
    let folder = tempfile::tempdir().unwrap();
    let server = Running::start(&folder.path().join("a.jam")).await;
    let (status, problem) = server.add("notes.pdf", b"%PDF-1.7", TEXT).await;
    assert_eq!(
        (status, &problem["code"], &problem["field"]),
        (StatusCode::UNPROCESSABLE_ENTITY, &json!("sound_unreadable"), &json!("recording"))
    );
    assert!(problem["detail"].as_str().unwrap().contains("WAV"), "{problem}");
    let form = Form::new().text("text", TEXT);
    let missing = server.ask(Method::POST, "/api/lines").multipart(form).send().await.unwrap();
    assert_eq!(missing.status(), StatusCode::UNPROCESSABLE_ENTITY);
    assert_eq!(server.get("/api/lines").await, json!([]));

    // A text that is not what is said: the line and its recording stay, the sentence says what to do.
    let (_, added) = server
        .add("worst.wav", recording(), "Mushrooms and moss grow thick behind the empty greenhouse.")
        .await;
    let id = added["summary"]["id"].as_i64().unwrap();
    let line = server.settled(id).await;
    assert_eq!(line["summary"]["state"], "failed");
    let sentence = line["summary"]["problem"].as_str().unwrap();
    assert!(sentence.contains("correct the text"), "{sentence}");
    let bytes = server
        .ask(Method::GET, &format!("/api/lines/{id}/recording"))
        .send()
        .await
        .unwrap()
        .bytes()
        .await
        .unwrap();
    assert_eq!(&bytes[..], recording(), "byte for byte");
    let order = json!({"lines": [id], "recipe": {"kinds": ["glb"]}});
    let early = server.ask(Method::POST, "/api/deliveries").json(&order).send().await.unwrap();
    assert!(early.json::<Value>().await.unwrap()["detail"].as_str().unwrap().contains("no times yet"));

    // What is no operation is answered in a sentence that says so.
    let (status, odd) = server.act(id, json!({"do": "reach", "of": {"word": 1}, "amount": 0.5})).await;
    assert_eq!((status, &odd["code"]), (StatusCode::UNPROCESSABLE_ENTITY, &json!("not_understood")));
    assert!(odd["detail"].as_str().unwrap().contains("missing field `kind`"), "{odd}");

    // Corrected, it is timed.
    let (status, changed) = server.act(id, json!({"do": "text", "text": TEXT})).await;
    assert_eq!(status, StatusCode::OK, "{changed}");
    assert_eq!(server.settled(id).await["summary"]["state"], "timed");

    let wrong = json!({"do": "grid", "rate": "0", "first": 0});
    let refused = server.ask(Method::POST, "/api/production/operations").json(&wrong).send().await.unwrap();
    assert_eq!(refused.status(), StatusCode::UNPROCESSABLE_ENTITY);
    let nowhere = server.ask(Method::GET, "/api/nowhere").send().await.unwrap();
    assert_eq!(nowhere.status(), StatusCode::NOT_FOUND);
    assert_eq!(nowhere.headers()["content-type"], "application/problem+json");
    // Addresses, questions, ways to ask and bodies that cannot be read: each a problem document (RFC 9457) with a sentence.
    for (method, path, body, status) in [
        (Method::GET, "/api/lines/abc", None, 400),
        (Method::GET, "/api/lines/1/cause?time=x&controls=jaw_open", None, 400),
        (Method::PUT, "/api/lines", None, 405),
        (Method::POST, "/api/lines", Some("not a form"), 400),
        (Method::POST, "/api/production/operations", Some("{"), 422),
    ] {
        let mut request = server.ask(method.clone(), path).header("content-type", "application/json");
        if let Some(body) = body {
            request = request.body(body.to_string());
        }
        let answer = request.send().await.unwrap();
        assert_eq!(answer.status().as_u16(), status, "{method} {path}");
        assert_eq!(answer.headers()["content-type"], "application/problem+json", "{method} {path}");
        assert_eq!(answer.headers()["cache-control"], "no-store", "{method} {path}");
        let problem: Value = answer.json().await.unwrap();
        let says = problem["detail"].as_str().unwrap();
        assert!(problem["code"].is_string() && says.ends_with('.') && says.len() > 20, "{problem}");
    }
    let lines = server.ask(Method::GET, "/api/lines").send().await.unwrap();
    assert_eq!(lines.headers()["cache-control"], "no-store");
    assert_eq!(server.ask(Method::GET, "/gone.js").send().await.unwrap().status(), StatusCode::NOT_FOUND);
    let no_line = server.ask(Method::GET, "/api/lines/77").send().await.unwrap();
    assert_eq!(no_line.status(), StatusCode::NOT_FOUND);
    let not_glb =
        Form::new().text("name", "Odile").part("model", Part::bytes(vec![1, 2, 3]).file_name("o.glb"));
    let refused = server.ask(Method::POST, "/api/cast").multipart(not_glb).send().await.unwrap();
    assert_eq!(refused.json::<Value>().await.unwrap()["code"], "character_unreadable");
    server.stop().await;
}

#[tokio::test(flavor = "multi_thread")]
async fn other_sites_and_other_names_are_turned_away() {
    let folder = tempfile::tempdir().unwrap();
    let server = Running::start(&folder.path().join("a.jam")).await;
    let own = format!("http://{}", server.address);
    for (header, value, allowed) in [
        (ORIGIN, own.as_str(), true),
        (ORIGIN, "https://evil.example", false),
        (ORIGIN, "null", false),
        (HOST, "evil.example", false),
    ] {
        let answer = server.ask(Method::GET, "/api/production").header(&header, value).send().await.unwrap();
        let expected = if allowed { StatusCode::OK } else { StatusCode::FORBIDDEN };
        assert_eq!(answer.status(), expected, "{header}: {value}");
        // Source: WHATWG Fetch, "X-Content-Type-Options" and "Cross-Origin-Resource-Policy": on every answer.
        assert_eq!(answer.headers()["x-content-type-options"], "nosniff");
        assert_eq!(answer.headers()["cross-origin-resource-policy"], "same-origin");
    }
    // The page's sockets and forms go nowhere but here.
    let page = server.ask(Method::GET, "/").send().await.unwrap();
    let policy = page.headers()["content-security-policy"].to_str().unwrap();
    let parts: Vec<&str> = policy.split(';').map(str::trim).collect();
    for part in ["connect-src 'self' blob:", "base-uri 'none'", "form-action 'none'"] {
        assert!(parts.contains(&part), "{policy}");
    }
    server.stop().await;
}

#[tokio::test(flavor = "multi_thread")]
async fn sound_comes_by_range_and_curves_by_window() {
    let folder = tempfile::tempdir().unwrap();
    let server = Running::start(&folder.path().join("a.jam")).await;
    let (mut socket, _) =
        tokio_tungstenite::connect_async(format!("ws://{}/api/live", server.address)).await.unwrap();
    let (_, added) = server.add("worst.wav", recording(), TEXT).await;
    let id = added["summary"]["id"].as_i64().unwrap();
    let duration = server.settled(id).await["summary"]["duration"].as_f64().unwrap();

    let part = server
        .ask(Method::GET, &format!("/api/lines/{id}/sound"))
        .header(RANGE, "bytes=0-43")
        .send()
        .await
        .unwrap();
    assert_eq!(part.status(), StatusCode::PARTIAL_CONTENT);
    assert!(part.headers()["content-range"].to_str().unwrap().starts_with("bytes 0-43/"));
    assert_eq!(&part.bytes().await.unwrap()[..4], b"RIFF");

    let request = json!({"line": id, "from": 20, "to": 120});
    socket.send(Message::text(request.to_string())).await.unwrap();
    let (mut heard_of_line, mut window) = (false, None);
    while window.is_none() {
        match socket.next().await.unwrap().unwrap() {
            Message::Text(event) => heard_of_line |= event.contains("\"type\":\"state\""),
            Message::Binary(bytes) => window = Some(bytes),
            _ => {}
        }
    }
    assert!(heard_of_line, "the page is told of a new line");
    let bytes = window.unwrap();
    let length = u32::from_le_bytes(bytes[..4].try_into().unwrap()) as usize;
    let header: Value = serde_json::from_slice(&bytes[4..4 + length]).unwrap();
    assert_eq!((&header["from"], &header["samples"]), (&json!(20), &json!(100)));
    assert!(header["of"].as_f64().unwrap() / 100.0 > duration);
    let controls = header["controls"].as_array().unwrap();
    let tracks = controls.len() + header["outputs"].as_u64().unwrap() as usize;
    assert_eq!(bytes.len(), 4 + length + 4 * 100 * tracks);
    let jaw = controls.iter().position(|c| c == "jaw_open").unwrap();
    let values: Vec<f32> = bytes[4 + length + 400 * jaw..4 + length + 400 * (jaw + 1)]
        .chunks(4)
        .map(|b| f32::from_le_bytes(b.try_into().unwrap()))
        .collect();
    assert!(values.iter().any(|v| *v > 0.15) && values.iter().all(|v| (0.0..=1.0).contains(v)), "{values:?}");
    server.stop().await;
}

#[tokio::test(flavor = "multi_thread")]
async fn an_analysis_can_be_cancelled_and_started_again() {
    let folder = tempfile::tempdir().unwrap();
    let data = folder.path().join("a.jam");
    let server = Running::start(&data).await;
    // Long enough that it is still under way when it is cancelled: the line's sound forty times over.
    let sound = jam_formats::sound::read(recording()).unwrap().mono().into_owned();
    let long = jam_sound::Recording::new(16_000, vec![sound.repeat(40)]).unwrap();
    let text = [TEXT; 40].join(" ");
    let (_, added) = server.add("long.wav", &jam_formats::sound::listening_copy(&long).unwrap(), &text).await;
    let id = added["summary"]["id"].as_i64().unwrap();
    assert_eq!(server.settled(id).await["summary"]["state"], "timed");
    let start = async || -> Value {
        let path = format!("/api/lines/{id}/analyse");
        server.ask(Method::POST, &path).send().await.unwrap().json().await.unwrap()
    };
    let job = start().await;
    // Another line's waits behind it, and is cancelled before it begins.
    let (_, other) = server.add("line.wav", recording(), TEXT).await;
    let other = other["summary"]["id"].as_i64().unwrap();
    let jobs = server.get("/api/jobs").await;
    let waits = jobs.as_array().unwrap().iter().find(|j| j["line"] == other).cloned().unwrap();
    let stopped = server.ask(Method::DELETE, &format!("/api/jobs/{}", waits["id"])).send().await.unwrap();
    assert_eq!(stopped.status(), StatusCode::NO_CONTENT);
    let cancelled = server.ask(Method::DELETE, &format!("/api/jobs/{}", job["id"])).send().await.unwrap();
    assert_eq!(cancelled.status(), StatusCode::NO_CONTENT);
    let state = async || {
        let jobs = server.get("/api/jobs").await;
        let own = jobs.as_array().unwrap().iter().find(|j| j["id"] == job["id"]).cloned();
        own.unwrap()["state"].clone()
    };
    for _ in 0..600 {
        if state().await == "cancelled" {
            break;
        }
        assert_ne!(state().await, "done", "it was over before it could be cancelled");
        tokio::time::sleep(Duration::from_millis(20)).await;
    }
    // A line that was timed stays so; one that was not says why.
    let line = server.get(&format!("/api/lines/{id}")).await;
    assert_eq!((&line["summary"]["problem"], &line["summary"]["state"]), (&Value::Null, &json!("timed")));
    let other = server.settled(other).await;
    assert!(other["summary"]["problem"].as_str().unwrap().contains("cancelled"), "{}", other["summary"]);
    server.stop().await;
    // Cancelled work stays cancelled over a restart.
    let server = Running::start(&data).await;
    assert_eq!(server.get("/api/jobs").await, json!([]));
    let again = server.ask(Method::POST, &format!("/api/lines/{id}/analyse")).send().await.unwrap();
    assert_eq!(again.status(), StatusCode::OK);
    let line = server.settled(id).await;
    assert_eq!(line["summary"]["state"], "timed");
    server.stop().await;
}

/// Files of a model of Debian's package `assimp-testmodels`: a cube with two shapes and a clip that moves them.
fn cube() -> Form {
    let folder = Path::new("/usr/share/assimp/models/glTF2/glTF-Sample-Models/AnimatedMorphCube-glTF");
    let mut form = Form::new().text("name", "Cube");
    for file in std::fs::read_dir(folder).unwrap().map(|e| e.unwrap().path()).filter(|p| p.is_file()) {
        let name = file.file_name().unwrap().to_string_lossy().into_owned();
        form = form.part("model", Part::bytes(std::fs::read(&file).unwrap()).file_name(name));
    }
    form
}

#[tokio::test(flavor = "multi_thread")]
async fn a_character_is_brought_in_wired_posed_and_its_steps_survive_a_restart() {
    let folder = tempfile::tempdir().unwrap();
    let data = folder.path().join("a.jam");
    let server = Running::start(&data).await;
    let answer = server.ask(Method::POST, "/api/cast").multipart(cube()).send().await.unwrap();
    assert_eq!(answer.status(), StatusCode::OK);
    let added: Value = answer.json().await.unwrap();
    let id = added["member"]["id"].as_i64().unwrap();
    let own = |path: &str| format!("/api/cast/{id}{path}");
    assert_eq!(added["unknown"], json!(["Cube shape 1", "Cube shape 2"]));
    assert_eq!(added["facts"]["vertices"], 24);

    // Wired by hand, with a limit.
    let operate = async |op: Value| {
        let answer = server.ask(Method::POST, &own("/operations")).json(&json!({ "op": op })).send().await;
        let answer = answer.unwrap();
        (answer.status(), answer.json::<Value>().await.unwrap())
    };
    let target = json!({"kind": "morph", "name": "Cube shape 1"});
    let (status, wired) = operate(json!({"do": "wire", "control": "jaw_open", "target": target})).await;
    assert_eq!(status, StatusCode::OK, "{wired}");
    assert_eq!(wired["undo"][0], "wire “Cube shape 1” to jaw open");
    assert_eq!(wired["conflicts"][0]["shapes"], json!(["Cube shape 1"]));
    let output = &wired["member"]["wiring"]["outputs"][0];
    let (feed, output) = (output["feeds"][0]["id"].clone(), output["id"].clone());
    operate(json!({"do": "change_feed", "feed": feed, "change": {"gain": 2.0}})).await;
    let (_, wired) =
        operate(json!({"do": "change_output", "output": output, "change": {"high": 0.75}})).await;
    let pose = json!({"controls": {"jaw_open": 0.25}, "mouth": null});
    let posed = async |pose: &Value| {
        let answer = server.ask(Method::POST, &own("/pose")).json(pose).send().await.unwrap();
        answer.json::<Value>().await.unwrap()["values"].clone()
    };
    assert_eq!(posed(&pose).await, json!([0.5]));
    assert_eq!(posed(&json!({"controls": {"jaw_open": 1.0}, "mouth": null})).await, json!([0.75]));

    // What cannot be used is refused and nothing changes.
    let (status, problem) =
        operate(json!({"do": "change_output", "output": output, "change": {"low": 1.0}})).await;
    assert_eq!(status, StatusCode::UNPROCESSABLE_ENTITY);
    assert!(problem["detail"].as_str().unwrap().contains("lies above its upper one"), "{problem}");
    let (status, problem) =
        operate(json!({"do": "change_output", "output": output, "change": {"id": 7}})).await;
    assert_eq!((status, &problem["code"]), (StatusCode::UNPROCESSABLE_ENTITY, &json!("field_wrong")));
    let (status, gone) = operate(json!({"do": "unwire", "feed": 4711})).await;
    assert_eq!((status, &gone["code"]), (StatusCode::CONFLICT, &json!("gone")));
    assert_eq!(server.get(&own("")).await["member"]["wiring"], wired["member"]["wiring"]);

    // Two hands on one state: what does not meet is applied, what does is refused and says what was done.
    let seen = wired["member"]["revision"].to_string();
    let late = async |op: Value| {
        let request = server.ask(Method::POST, &own("/operations")).header("if-match", &seen);
        let answer = request.json(&json!({ "op": op })).send().await.unwrap();
        (answer.status(), answer.json::<Value>().await.unwrap())
    };
    let gain = |gain: f64| json!({"do": "change_feed", "feed": feed, "change": {"gain": gain}});
    operate(gain(3.0)).await;
    let (status, problem) = late(gain(4.0)).await;
    assert_eq!((status, &problem["code"]), (StatusCode::CONFLICT, &json!("changed_meanwhile")));
    assert!(problem["detail"].as_str().unwrap().contains("gain of “Cube shape 1”"), "{problem}");
    let (status, both) =
        late(json!({"do": "change_output", "output": output, "change": {"offset": 0.1}})).await;
    assert_eq!(status, StatusCode::OK, "{both}");
    let both = &both["member"]["wiring"]["outputs"][0];
    assert!((both["offset"].as_f64().unwrap() - 0.1).abs() < 1e-6 && both["feeds"][0]["gain"] == 3.0);
    let undo = server.ask(Method::POST, &own("/undo")).header("if-match", &seen).send().await.unwrap();
    assert_eq!(undo.status(), StatusCode::CONFLICT, "an undo of a state that is gone");
    for _ in 0..2 {
        server.ask(Method::POST, &own("/undo")).send().await.unwrap();
    }
    assert_eq!(server.get(&own("")).await["member"]["wiring"], wired["member"]["wiring"]);

    // Out as a file and in again on a copy.
    let file = server.ask(Method::GET, &own("/wiring")).send().await.unwrap().text().await.unwrap();
    let copy = server.ask(Method::POST, &own("/duplicate")).json(&json!({"name": "Cube 2"}));
    let copy: Value = copy.send().await.unwrap().json().await.unwrap();
    let other = copy["member"]["id"].as_i64().unwrap();
    let path = format!("/api/cast/{other}/operations");
    let propose = server.ask(Method::POST, &path).json(&json!({"op": {"do": "propose"}}));
    let bare: Value = propose.send().await.unwrap().json().await.unwrap();
    assert_eq!(bare["member"]["wiring"]["outputs"], json!([]), "its names mean nothing");
    let path = format!("/api/cast/{other}/wiring");
    let sent = server.ask(Method::POST, &path).header("content-type", "application/json").body(file);
    let back: Value = sent.send().await.unwrap().json().await.unwrap();
    // The same but for its numbers, which are the copy's own.
    let plain = |view: &Value| {
        let mut wiring = view["member"]["wiring"].clone();
        let output = wiring["outputs"][0].as_object_mut().unwrap();
        output.remove("id").unwrap();
        output["feeds"][0].as_object_mut().unwrap().remove("id").unwrap();
        wiring
    };
    assert_eq!(plain(&back), plain(&wired));

    // The walk: every target has a value for every sample, and its steps follow each other.
    let walk = server.ask(Method::GET, &own("/walk")).send().await.unwrap().bytes().await.unwrap();
    let length = u32::from_le_bytes(walk[..4].try_into().unwrap()) as usize;
    let header: Value = serde_json::from_slice(&walk[4..4 + length]).unwrap();
    let (samples, outputs) = (header["samples"].as_u64().unwrap(), header["outputs"].as_u64().unwrap());
    assert_eq!((outputs, walk.len() as u64), (1, 4 + length as u64 + 4 * samples * outputs));
    let steps = header["steps"].as_array().unwrap();
    let first = &steps[0];
    assert_eq!(
        first["of"],
        json!({"kind": "control", "control": "jaw_open"}),
        "only what is wired is walked"
    );
    assert_eq!(steps.iter().filter(|s| s["of"]["kind"] == "sound").count(), 39, "all English sounds");

    server.stop().await;
    let server = Running::start(&data).await;
    let undone: Value = server.ask(Method::POST, &own("/undo")).send().await.unwrap().json().await.unwrap();
    assert_eq!(undone["member"]["wiring"]["outputs"][0]["high"], 1.0);
    assert_eq!(undone["redo"][0], "high of “Cube shape 1”");
    let redone: Value = server.ask(Method::POST, &own("/redo")).send().await.unwrap().json().await.unwrap();
    assert_eq!(redone["member"]["wiring"], wired["member"]["wiring"]);
    for more in [StatusCode::OK, StatusCode::OK, StatusCode::CONFLICT] {
        let redo = server.ask(Method::POST, &own("/redo")).send().await.unwrap();
        assert_eq!(redo.status(), more, "two more were taken back before");
    }

    // A character that is no character loses nothing either.
    let part = Part::bytes(b"glTF\x02\0\0\0\xff\xff\xff\xff".to_vec()).file_name("broken.glb");
    let form = Form::new().text("name", "Broken").part("model", part);
    let refused = server.ask(Method::POST, "/api/cast").multipart(form).send().await.unwrap();
    assert_eq!(refused.status(), StatusCode::UNPROCESSABLE_ENTITY);
    assert_eq!(server.get("/api/cast").await.as_array().unwrap().len(), 3);
    server.stop().await;
}

#[tokio::test(flavor = "multi_thread")]
async fn a_line_without_a_text_is_heard_corrected_by_hand_and_exchanged_as_tiers() {
    let folder = tempfile::tempdir().unwrap();
    let data = folder.path().join("a.jam");
    let server = Running::start(&data).await;
    let (status, added) = server.add("worst.wav", recording(), "").await;
    assert_eq!(status, StatusCode::OK, "{added}");
    let id = added["summary"]["id"].as_i64().unwrap();
    let own = |path: &str| format!("/api/lines/{id}{path}");
    let heard = server.settled(id).await;
    assert_eq!(heard["summary"]["state"], "heard");
    assert!(heard["document"]["timing"]["sounds"].as_array().unwrap().len() > 12);
    assert_eq!(heard["document"]["timing"]["words"], json!([]));

    // With its text it is timed; corrections are steps that outlive the program.
    assert_eq!(server.act(id, json!({"do": "text", "text": TEXT})).await.0, StatusCode::OK);
    let timed = server.settled(id).await;
    assert_eq!(timed["summary"]["state"], "timed");
    let correct = async |what: Value| server.act(id, json!({"do": "correct", "correction": what})).await;
    let third = &timed["document"]["timing"]["sounds"][3]["id"];
    let (status, moved) = correct(json!({"kind": "replace", "sound": third, "phone": "F"})).await;
    assert_eq!(status, StatusCode::OK, "{moved}");
    assert_eq!(moved["document"]["timing"]["sounds"][3]["phone"], "F");
    assert_eq!(moved["undo"][0], "replace a sound");
    let (status, problem) = correct(json!({"kind": "delete", "sound": 4000})).await;
    assert_eq!(status, StatusCode::CONFLICT);
    assert!(problem["detail"].as_str().unwrap().contains("no such sound"), "{problem}");

    // Out as tiers and in again: the same sounds, now beyond doubt.
    let tiers = server.ask(Method::GET, &own("/tiers")).send().await.unwrap().text().await.unwrap();
    server.stop().await;
    let server = Running::start(&data).await;
    let undone: Value = server.ask(Method::POST, &own("/undo")).send().await.unwrap().json().await.unwrap();
    assert_eq!(undone["document"]["timing"], timed["document"]["timing"]);
    let sent = server.ask(Method::POST, &own("/tiers")).body(tiers);
    let read: Value = sent.send().await.unwrap().json().await.unwrap();
    let phones = |v: &Value| -> Vec<String> {
        v["document"]["timing"]["sounds"].as_array().unwrap().iter().map(|s| s["phone"].to_string()).collect()
    };
    assert_eq!(phones(&read), phones(&moved));
    assert_eq!(read["summary"]["doubtful_words"], 0);
    let sent = server.ask(Method::POST, &own("/tiers")).body("no tiers");
    assert_eq!(sent.send().await.unwrap().status(), StatusCode::UNPROCESSABLE_ENTITY);
    server.stop().await;
}

#[tokio::test(flavor = "multi_thread")]
async fn words_are_retyped_said_otherwise_and_listened_to_in_another_take() {
    let folder = tempfile::tempdir().unwrap();
    let data = folder.path().join("a.jam");
    let server = Running::start(&data).await;
    let (_, added) = server.add("worst.wav", recording(), "I thought the curse of it was over.").await;
    let id = added["summary"]["id"].as_i64().unwrap();
    let own = |path: &str| format!("/api/lines/{id}{path}");
    let first = server.settled(id).await;
    assert_eq!(first["undo"], json!([]), "the first times of a line are no step");
    assert!(first["phrasing"]["phrases"].as_array().is_some_and(|p| p.len() == 1), "{}", first["phrasing"]);
    let ask = async |method: Method, path: &str, body: Value| server.answer(method, path, &body).await;

    // One word is typed anew: times follow in the same step.
    let word = |line: &Value, place: usize| line["document"]["timing"]["words"][place]["id"].clone();
    let curse = word(&first, 3);
    let (status, _) = server.act(id, json!({"do": "retype", "word": curse, "text": "worst"})).await;
    assert_eq!(status, StatusCode::OK);
    let retyped = server.settled(id).await;
    assert_eq!(retyped["document"]["text"], TEXT);
    assert_eq!(
        (&retyped["summary"]["state"], &retyped["undo"]),
        (&json!("timed"), &json!(["write a word otherwise"]))
    );
    let (status, problem) = server.act(id, json!({"do": "retype", "word": 4000, "text": "x"})).await;
    assert_eq!((status, &problem["code"]), (StatusCode::CONFLICT, &json!("gone")));
    for (place, other) in [(2, true), (3, true), (4, true)] {
        assert_eq!(word(&first, place) == word(&retyped, place), other, "words keep their numbers");
    }

    // Another way to say a word, and what cannot be read as sounds.
    let the = word(&retyped, 2);
    let ways = server.get(&own(&format!("/words/{the}/ways"))).await;
    assert!(ways["ways"].as_array().unwrap().len() >= 2 && ways["listed"] == true, "{ways}");
    let (status, _) = server.act(id, json!({"do": "pronounce", "word": the, "sounds": "ði"})).await;
    assert_eq!(status, StatusCode::OK);
    let said = server.settled(id).await;
    assert_eq!(said["document"]["timing"]["words"][2]["chosen"], true);
    assert_eq!(server.get(&own(&format!("/words/{the}/ways"))).await["now"]["arpabet"], "DH IY1");
    let (status, problem) = server.act(id, json!({"do": "pronounce", "word": the, "sounds": "QQ"})).await;
    assert_eq!((status, &problem["code"]), (StatusCode::UNPROCESSABLE_ENTITY, &json!("sounds_unreadable")));

    // The word list: every line that has the word is timed anew.
    let (status, list) = ask(Method::PUT, "/api/words/Worst", json!({"sounds": "wɔst"})).await;
    assert_eq!((status, &list[0]["word"]), (StatusCode::OK, &json!("worst")), "{list}");
    let listed = server.settled(id).await;
    let phones: Vec<&str> = listed["document"]["timing"]["sounds"]
        .as_array()
        .unwrap()
        .iter()
        .filter(|s| s["word"] == 3)
        .map(|s| s["phone"].as_str().unwrap())
        .collect();
    assert_eq!(phones, ["W", "AO", "S", "T"]);
    let removed = server.ask(Method::DELETE, "/api/words/worst").send().await.unwrap();
    assert_eq!(removed.json::<Value>().await.unwrap(), json!([]));
    let (status, problem) = ask(Method::PUT, "/api/words/two%20words", json!({"sounds": "a"})).await;
    assert_eq!((status, &problem["code"]), (StatusCode::UNPROCESSABLE_ENTITY, &json!("not_one_word")));
    server.settled(id).await;

    // A take beside the first one; the steps reach back through a restart.
    let file = Part::bytes(recording().to_vec()).file_name("take 2.wav");
    let sent = server.ask(Method::POST, &own("/takes")).multipart(Form::new().part("recording", file));
    let taken: Value = sent.send().await.unwrap().json().await.unwrap();
    assert_eq!(taken["summary"]["recording_name"], "take 2.wav");
    assert_eq!(taken["takes"].as_array().unwrap().len(), 2);
    let second = server.settled(id).await;
    assert_eq!(second["summary"]["state"], "timed");
    let listen = second["document"]["listen"].clone();
    for wrong in [
        json!({"take": 99}),
        json!({"take": listen["take"], "channel": 5}),
        json!({"only": {"start": 90.0, "end": 99.0}}),
    ] {
        let (status, problem) = server.act(id, json!({"do": "listen", "listen": wrong})).await;
        assert!(status.is_client_error(), "{problem}");
    }
    // The voice has another address, and the old one is no longer answered.
    assert_ne!(first["voice"], second["voice"].as_str().map(|v| v.to_string() + "-0").unwrap());
    let stale = server.ask(Method::GET, &own("/sound?voice=another")).send().await.unwrap();
    assert_eq!(stale.status(), StatusCode::NOT_FOUND);

    // Back to the first take: its own times, pins and corrections are there at once, and the second's when it is
    // chosen again.
    let pinned = word(&second, 3);
    let accept = json!({"do": "correct", "correction": {"kind": "accept", "word": pinned}});
    let (_, second) = server.act(id, accept).await;
    let (status, back) = server.act(id, json!({"do": "listen", "listen": {}})).await;
    assert_eq!((status, &back["summary"]["state"]), (StatusCode::OK, &json!("timed")));
    assert_eq!(back["document"]["timing"]["words"][2]["chosen"], true);
    assert_eq!(back["document"]["timing"]["words"][3].get("pinned"), None);
    let (_, again) = server.act(id, json!({"do": "listen", "listen": listen})).await;
    assert_eq!(again["document"]["timing"], second["document"]["timing"]);
    assert_eq!(again["document"]["timing"]["words"][3]["pinned"], true);
    server.stop().await;
    let server = Running::start(&data).await;
    for _ in 0..3 {
        server.ask(Method::POST, &own("/undo")).send().await.unwrap();
    }
    let undone: Value = server.ask(Method::POST, &own("/undo")).send().await.unwrap().json().await.unwrap();
    assert_eq!(undone["summary"]["recording_name"], "worst.wav");
    assert_eq!(undone["summary"]["state"], "timed", "its own times are back with it");
    assert_eq!(undone["summary"]["problem"], Value::Null);
    server.stop().await;
}

/// A list as it becomes by what an answer says of it.
fn spliced(list: &Value, change: &Value) -> Value {
    let mut list = list.as_array().unwrap().clone();
    let from = change["from"].as_u64().unwrap() as usize;
    let to = from + change["gone"].as_u64().unwrap() as usize;
    list.splice(from..to, change["put"].as_array().unwrap().iter().cloned());
    Value::Array(list)
}

/// The times that somebody has and what an answer says of them make what one would get who asks for all: after edges,
/// splits, words and their undos, and also two steps later.
#[tokio::test(flavor = "multi_thread")]
async fn who_has_the_times_is_sent_what_changed_of_them() {
    let folder = tempfile::tempdir().unwrap();
    let server = Running::start(&folder.path().join("a.jam")).await;
    let id = server.timed_line().await;
    let whole = async || server.get(&format!("/api/lines/{id}")).await;
    let same = |had: &Value, answer: &Value, now: &Value| {
        let (change, was) = (&answer["retimed"], &had["document"]["timing"]);
        assert_eq!((&answer["document"]["timing"], &answer["phrasing"]), (&Value::Null, &Value::Null));
        assert_eq!(change["since"], had["times"]);
        let text = if change["text"].is_null() { &was["text"] } else { &change["text"] };
        let noises = spliced(was.get("noises").unwrap_or(&json!([])), &change["noises"]);
        let made = json!({
            "text": text, "noises": noises, "listen": change["listen"], "size": change["size"],
            "words": spliced(&was["words"], &change["words"]),
            "sounds": spliced(&was["sounds"], &change["sounds"]),
        });
        let read = |timing: &Value| serde_json::from_value::<jam_score::Timing>(timing.clone()).unwrap();
        assert_eq!(read(&made), read(&now["document"]["timing"]));
        for list in ["phrases", "pauses", "breaths", "stress"] {
            assert_eq!(spliced(&had["phrasing"][list], &change[list]), now["phrasing"][list], "{list}");
        }
        for value in ["rate", "pitch_hz", "pitch_range", "level_db"] {
            assert_eq!(change[value], now["phrasing"][value], "{value}");
        }
        assert_eq!(change["unwritten"], now["unwritten"]);
    };
    let with = async |times: &Value, op: Value| -> Value {
        let body = json!({"op": op, "times": times});
        let (status, answer) =
            server.answer(Method::POST, &format!("/api/lines/{id}/operations"), &body).await;
        assert_eq!(status, StatusCode::OK, "{answer}");
        answer["line"].clone()
    };
    let first = whole().await;
    let sounds = first["document"]["timing"]["sounds"].as_array().unwrap().clone();
    let correct = |correction: Value| json!({"do": "correct", "correction": correction});
    let edge = |k: usize, by: f64| {
        let to = sounds[k]["span"]["start"].as_f64().unwrap() + by;
        correct(json!({"kind": "move_edge", "sound": sounds[k]["id"], "to": to, "alone": true}))
    };
    let moved = with(&first["times"], edge(5, 0.01)).await;
    let now = whole().await;
    same(&first, &moved, &now);
    assert!(moved["retimed"]["sounds"]["put"].as_array().unwrap().len() <= 2, "{}", moved["retimed"]);
    // Nothing of the times is sent to who has them as they are.
    let open = with(&now["times"], json!({"do": "diction", "change": {"openness": 1.2}})).await;
    assert_eq!(
        (&open["times"], &open["retimed"], &open["document"]["timing"]),
        (&now["times"], &Value::Null, &Value::Null)
    );
    // Another page, which was away for a step.
    with(&now["times"], edge(9, -0.008)).await;
    let late = server.get(&format!("/api/lines/{id}?times={}", first["times"].as_str().unwrap())).await;
    same(&first, &late, &whole().await);
    let before = whole().await;
    let short = with(&before["times"], correct(json!({"kind": "delete", "sound": sounds[7]["id"]}))).await;
    same(&before, &short, &whole().await);
    let deleted = whole().await;
    let undo = format!("/api/lines/{id}/undo?times={}", deleted["times"].as_str().unwrap());
    let (status, undone) = server.answer(Method::POST, &undo, &Value::Null).await;
    assert_eq!(status, StatusCode::OK);
    let now = whole().await;
    same(&deleted, &undone, &now);
    // Another text: words and sounds that the analysis found anew.
    let (status, _) = server.act(id, json!({"do": "text", "text": format!("{TEXT} Really.")})).await;
    assert_eq!(status, StatusCode::OK);
    let found = server.settled(id).await;
    assert_ne!(found["document"]["timing"]["text"], now["document"]["timing"]["text"]);
    let late = server.get(&format!("/api/lines/{id}?times={}", now["times"].as_str().unwrap())).await;
    same(&now, &late, &found);
    // Times that nobody knows any more: all of them.
    let unknown = server.get(&format!("/api/lines/{id}?times=0-0")).await;
    assert!(unknown["document"]["timing"]["sounds"].is_array() && unknown["phrasing"]["phrases"].is_array());
    server.stop().await;
}

#[tokio::test(flavor = "multi_thread")]
async fn a_program_of_the_users_own_drafts_the_text() {
    let folder = tempfile::tempdir().unwrap();
    let store = Store::open(&folder.path().join("a.jam")).unwrap();
    let command = ["sh", "-c", "test -s \"$1\" && echo I thought the worst of it was orange.", "sh"];
    let settings = jam_server::Settings {
        transcriber: Some(command.map(str::to_string).to_vec()),
        ..Default::default()
    };
    let server =
        jam_server::Server::bind_with(store, "127.0.0.1:0".parse().unwrap(), settings).await.unwrap();
    let address = server.address();
    tokio::spawn(server.run(std::future::pending()));
    let client = Client::new();
    let file = Part::bytes(recording().to_vec()).file_name("worst.wav");
    let form = Form::new().part("recording", file);
    let added = client.post(format!("http://{address}/api/lines")).multipart(form).send().await.unwrap();
    let id = added.json::<Value>().await.unwrap()["summary"]["id"].clone();
    let draft = client.post(format!("http://{address}/api/lines/{id}/draft")).send().await.unwrap();
    let draft: Value = draft.json().await.unwrap();
    assert_eq!(
        (&draft["by"], &draft["text"]),
        (&json!("sh"), &json!("I thought the worst of it was orange."))
    );
    let sure = |i: usize| draft["words"][i]["confidence"].as_f64().unwrap();
    assert!(sure(7) < 0.5 && sure(3) > 0.5, "{draft}");
}

/// A word that the text does not have is listed, said by the mouth, drafted alone and written where it is said; one that
/// is not said lasts no time and is taken out. Both are steps.
#[tokio::test(flavor = "multi_thread")]
async fn what_is_said_and_not_written_is_written_and_what_is_not_said_is_taken_out() {
    let folder = tempfile::tempdir().unwrap();
    let server = Running::start(&folder.path().join("a.jam")).await;
    let (_, line) = server.add("line.wav", recording(), &TEXT.replace("thought ", "")).await;
    let id = line["summary"]["id"].as_i64().unwrap();
    let line = server.settled(id).await;
    let [span] = &line["unwritten"].as_array().unwrap()[..] else { panic!("{}", line["unwritten"]) };
    let (start, end) = (span["start"].as_f64().unwrap(), span["end"].as_f64().unwrap());
    let findings = server.get(&format!("/api/lines/{id}/findings")).await;
    assert!(findings.as_array().unwrap().iter().any(|f| f["rule"] == "unwritten"), "{findings}");
    let draft = async |from: f64, to: f64| {
        let path = format!("/api/lines/{id}/draft?from={from}&to={to}");
        let answer = server.ask(Method::POST, &path).send().await.unwrap();
        (answer.status(), answer.json::<Value>().await.unwrap())
    };
    let (status, drafted) = draft(start, end).await;
    assert!(status.is_success() && drafted["words"].as_array().unwrap().len() <= 3, "{drafted}");
    let (status, problem) = draft(2.0, 2.0).await;
    assert_eq!((status, &problem["code"]), (StatusCode::UNPROCESSABLE_ENTITY, &json!("no_stretch")));
    let (status, _) = server.act(id, json!({"do": "write", "at": start, "text": "thought"})).await;
    assert_eq!(status, StatusCode::OK);
    let line = server.settled(id).await;
    assert_eq!((&line["document"]["text"], &line["unwritten"]), (&json!(TEXT), &json!([])));

    server.act(id, json!({"do": "text", "text": TEXT.replace("worst", "worst marble")})).await;
    let line = server.settled(id).await;
    let words = line["document"]["timing"]["words"].as_array().unwrap();
    let unsaid: Vec<&Value> = words.iter().filter(|w| w["unsaid"] == true).collect();
    assert_eq!((unsaid.len(), &unsaid[0]["text"]), (1, &json!("marble")));
    assert_eq!(unsaid[0]["span"]["start"], unsaid[0]["span"]["end"]);
    let word = &unsaid[0]["id"];
    server.act(id, json!({"do": "retype", "word": word, "text": ""})).await;
    let line = server.settled(id).await;
    assert_eq!(line["document"]["text"], TEXT);
    assert_eq!(line["undo"][0], "take a word out of the text");
    server.stop().await;
}

#[tokio::test(flavor = "multi_thread")]
async fn hands_lay_touches_ask_why_and_go_back_to_snapshots() {
    let folder = tempfile::tempdir().unwrap();
    let data = folder.path().join("a.jam");
    let server = Running::start(&data).await;
    let (_, line) = server.add("line.wav", recording(), TEXT).await;
    let id = line["summary"]["id"].as_i64().unwrap();
    let line = server.settled(id).await;
    let post = async |path: &str, body: Value| -> (StatusCode, Value) {
        let request = server.ask(Method::POST, &format!("/api/lines/{id}/{path}")).json(&body);
        let answer = request.send().await.unwrap();
        (answer.status(), answer.json().await.unwrap())
    };
    let touch = |id: Option<u32>, value: f64| {
        json!({"id": id, "control": "jaw_open", "laid": "add", "fade_in": 0.05, "fade_out": 0.05, "amount": 1.0,
               "keys": [{"time": 0.5, "value": value}]})
    };
    let change = |touches: Value| json!({"do": "touches", "put": touches, "what": "raise the jaw"});

    // Long passes and tiers are more than the 2 MB that the framework takes by itself.
    let long = "a".repeat(3 << 20);
    let (status, answer) =
        server.act(id, json!({"do": "touches", "put": [touch(None, 0.2)], "what": long})).await;
    assert_eq!(status, StatusCode::OK, "{answer}");
    let answer = server.ask(Method::POST, &format!("/api/lines/{id}/undo")).send().await.unwrap();
    assert_eq!(answer.status(), StatusCode::OK);

    // Bad ones are refused in a sentence, and change nothing.
    for (bad, part) in [
        (json!([touch(None, 7.0)]), "jaw_open goes from"),
        (json!([touch(Some(9999), 0.1)]), "no such touch"),
        (
            json!([{"id": null, "control": "jaw_open", "laid": "add", "fade_in": 0, "fade_out": 0, "amount": 1, "keys": []}]),
            "needs a key",
        ),
    ] {
        let (status, problem) = server.act(id, change(bad)).await;
        assert!(status.is_client_error() && problem["code"] == "touch_impossible", "{problem}");
        assert!(problem["detail"].as_str().unwrap().contains(part), "{problem}");
    }
    let (status, _) = post("snapshots", json!({"name": " "})).await;
    assert_eq!(status, StatusCode::UNPROCESSABLE_ENTITY);
    assert_eq!(server.get(&format!("/api/lines/{id}")).await["document"], line["document"]);

    let (_, before) = post("snapshots", json!({"name": "before lunch"})).await;
    let snapshot = before["snapshots"][0]["id"].as_i64().unwrap();
    let (_, laid) = server.act_on(id, &before["revision"], "a", change(json!([touch(None, 0.2)]))).await;
    let number = laid["made"][0].as_u64().unwrap() as u32;
    assert_eq!(laid["line"]["touches"][0]["id"], json!(number));
    // Another window's edit comes between; what goes on with the first one does not take it up.
    let (_, other) = server.act(id, change(json!([touch(None, -0.1)]))).await;
    assert_eq!(other["touches"].as_array().unwrap().len(), 2);
    let dragged =
        server.act_on(id, &laid["line"]["revision"], "a", change(json!([touch(Some(number), 0.3)]))).await.1;
    assert_eq!(dragged["line"]["undo"].as_array().unwrap().len(), 3, "{}", dragged["line"]["undo"]);
    assert_eq!(dragged["line"]["undo"][0], "raise the jaw");
    // Of two who change the same, the second is told, and nothing is changed.
    let stale = change(json!([touch(Some(number), 0.1)]));
    let (status, problem) = server.act_on(id, &laid["line"]["revision"], "b", stale).await;
    assert_eq!((status, &problem["code"]), (StatusCode::CONFLICT, &json!("changed_meanwhile")));
    assert!(problem["detail"].as_str().unwrap().contains("raise the jaw"), "{problem}");
    // An undo that would take somebody else's step back is refused, too.
    let undo = server.ask(Method::POST, &format!("/api/lines/{id}/undo")).header("if-match", "\"0\"");
    assert_eq!(undo.send().await.unwrap().status(), StatusCode::CONFLICT);
    // What touches other things goes through.
    let (status, _) = server
        .act_on(id, &laid["line"]["revision"], "c", json!({"do": "diction", "change": {"openness": 0.9}}))
        .await;
    assert_eq!(status, StatusCode::OK);
    server.ask(Method::POST, &format!("/api/lines/{id}/undo")).send().await.unwrap();

    // The value is what makes it.
    let why = server.get(&format!("/api/lines/{id}/cause?time=0.5&controls=jaw_open,cheek_raise_left")).await;
    for cause in why.as_array().unwrap() {
        let sum: f64 = cause["parts"].as_array().unwrap().iter().map(|p| p["amount"].as_f64().unwrap()).sum();
        assert!((sum - cause["value"].as_f64().unwrap()).abs() < 1e-6, "{cause}");
    }
    let hands = |cause: &Value| {
        let parts = cause["parts"].as_array().unwrap();
        let by_hand = parts.iter().filter(|p| p["what"].as_str().unwrap().starts_with("by hand"));
        by_hand.map(|p| p["amount"].as_f64().unwrap()).sum::<f64>()
    };
    assert!((hands(&why[0]) - 0.2).abs() < 1e-3, "{why}");

    let reach = json!({"do": "reach", "of": {"kind": "kind", "of": "open"}, "amount": 1.2});
    let (_, reached) = server.act(id, reach).await;
    let open = reached["reach"].as_array().unwrap().iter().find(|r| r["of"]["of"] == "open").unwrap().clone();
    assert!((open["amount"].as_f64().unwrap() - 1.2).abs() < 1e-6);

    let (_, back) = server.act(id, json!({"do": "restore", "snapshot": snapshot})).await;
    assert_eq!(back["document"], line["document"]);
    server.stop().await;

    // After a restart the way back is still there: the snapshot was a step like others.
    let again = Running::start(&data).await;
    let undone = again.ask(Method::POST, &format!("/api/lines/{id}/undo")).send().await.unwrap();
    let undone: Value = undone.json().await.unwrap();
    assert_eq!(undone["document"], reached["document"]);
    assert_eq!(undone["redo"][0], "go back to a snapshot");
    again.stop().await;
}

#[tokio::test(flavor = "multi_thread")]
async fn layers_are_laid_checked_and_taken_back() {
    let folder = tempfile::tempdir().unwrap();
    let server = Running::start(&folder.path().join("a.jam")).await;
    let id = server.timed_line().await;
    let own = |path: &str| format!("/api/lines/{id}/{path}");
    let ask = async |method: Method, path: &str, body: Value| server.answer(method, path, &body).await;
    let act = async |op: Value| server.act(id, op).await;
    let mood = |from: f64, to: f64, amount: f64| json!({"do": "add_mood", "mood": "sadness", "amount": amount, "over": {"span": {"start": from, "end": to}}});
    let (status, line) = act(mood(0.5, 2.0, 0.7)).await;
    assert_eq!(status, StatusCode::OK, "{line}");
    let laid = &line["layers"]["moods"][0];
    assert_eq!((&laid["does"]["mood"], &line["undo"][0]), (&json!("sadness"), &json!("add sadness")));
    assert!((laid["span"]["start"].as_f64().unwrap() - 0.5).abs() < 1e-9);

    // What cannot be is refused in a sentence, and nothing of it is kept.
    for (wrong, code) in [
        (mood(1.0, 0.5, 0.7), "layers_impossible"),
        (mood(1.0, 1.5, 7.0), "layers_impossible"),
        (
            json!({"do": "add_look", "look": {"kind": "at", "mark": 999}, "over": {"span": {"start": 0.1, "end": 0.9}}}),
            "layers_impossible",
        ),
        (json!({"do": "change_mood", "id": laid["id"], "change": {"amunt": 0.5}}), "field_wrong"),
        (json!({"do": "settings", "change": {"marks": []}}), "field_wrong"),
    ] {
        let (status, problem) = act(wrong).await;
        assert_eq!((status, &problem["code"]), (StatusCode::UNPROCESSABLE_ENTITY, &json!(code)), "{problem}");
        assert!(problem["detail"].as_str().unwrap().len() > 15, "{problem}");
    }
    let now = server.get(own("").trim_end_matches('/')).await;
    assert_eq!(now["layers"]["moods"].as_array().unwrap().len(), 1);

    // A pass on a pad: touches that the guard watches, thrown away with one step.
    let taken: Vec<Value> = (0..60)
        .map(|k| json!({"time": 0.4 + f64::from(k) / 60.0, "place": [0.0, (f64::from(k) / 8.0).sin(), k == 30]}))
        .collect();
    let pass = json!({"do": "pass", "pad": "corners", "taken": taken, "late": 0.0, "laid": "add", "smooth": 0.03,
                      "tolerance": 0.02});
    let (status, line) = act(pass).await;
    assert_eq!(status, StatusCode::OK, "{line}");
    let touches = line["touches"].as_array().unwrap();
    assert!(touches.len() >= 4 && touches.iter().all(|t| t["pass"]["name"] == "corners 1"));
    assert!(touches.iter().all(|t| t["pass"]["id"] == touches[0]["pass"]["id"]), "one pass");
    assert!(touches.iter().all(|t| t["keys"].as_array().unwrap().len() < 60), "it is thinned");
    let ids: Vec<&Value> = touches.iter().map(|t| &t["id"]).collect();
    let (status, line) =
        act(json!({"do": "change_pass", "touches": ids, "amount": 0.5, "smooth": 0.1})).await;
    assert_eq!((status, &line["touches"][0]["amount"]), (StatusCode::OK, &json!(0.5)));

    // A pose is kept for the production, and struck elsewhere.
    let (status, poses) = ask(Method::PUT, "/api/poses/low", json!({"line": id, "time": 1.5})).await;
    assert_eq!((status, &poses[0]["name"]), (StatusCode::OK, &json!("low")), "{poses}");
    let before = line["touches"].as_array().unwrap().len();
    let strike = json!({"do": "strike", "pose": "low", "time": 2.5, "amount": 0.8, "regions": ["brows"]});
    let (status, line) = act(strike).await;
    assert_eq!(status, StatusCode::OK, "{line}");
    let struck = &line["touches"].as_array().unwrap()[before..];
    assert!(!struck.is_empty() && struck.iter().all(|t| t["control"].as_str().unwrap().starts_with("brow")));
    let (status, sets) = ask(
        Method::PUT,
        "/api/curve-sets",
        json!({"name": "smile", "controls": ["corner_up_left", "cheek_raise_left"]}),
    )
    .await;
    assert_eq!((status, &sets[0]["name"]), (StatusCode::OK, &json!("smile")));

    // Two blinks too close are found, dismissed, taken up again, mended.
    for at in [1.0, 1.3] {
        let (status, _) = act(json!({"do": "add_blink", "time": at})).await;
        assert_eq!(status, StatusCode::OK);
    }
    let close = async || {
        let all = server.get(&own("findings")).await;
        all.as_array().unwrap().iter().find(|f| f["rule"] == "blinks_close").cloned()
    };
    let found = close().await.unwrap();
    let start = &found["span"]["start"];
    let dismiss =
        |reason: &str| json!({"do": "dismiss", "rule": "blinks_close", "start": start, "reason": reason});
    let mend = json!({"do": "mend", "rule": "blinks_close", "start": start});
    let (status, _) = act(dismiss("he is tired")).await;
    assert_eq!(status, StatusCode::OK);
    assert_eq!(close().await.unwrap()["dismissed"], "he is tired");
    let (status, _) = act(dismiss("")).await;
    assert_eq!((status, close().await.unwrap()["dismissed"].clone()), (StatusCode::OK, Value::Null));
    let (status, line) = act(mend.clone()).await;
    assert_eq!((status, line["layers"]["blinks"].as_array().unwrap().len()), (StatusCode::OK, 1));
    assert!(close().await.is_none());
    assert_eq!(act(mend).await.0, StatusCode::CONFLICT, "it is not found any more");

    // The head rides on a body's motion, half as far, and lets it go again.
    let sample = include_str!("../../demo/motion/waiting-made-by-hand.bvh");
    let ride = async |text: &str| -> (StatusCode, Value) {
        let request = server.ask(Method::PUT, &own("body")).header("x-file-name", "waiting%20%C3%A9.bvh");
        let answer =
            request.header("content-type", "text/plain").body(text.to_string()).send().await.unwrap();
        (answer.status(), answer.json().await.unwrap())
    };
    let yaw = async || server.get(&own("cause?time=1.0&controls=head_yaw")).await[0].clone();
    let before = yaw().await["value"].as_f64().unwrap();
    let (status, line) = ride(sample).await;
    assert_eq!((status, &line["layers"]["body"][0]), (StatusCode::OK, &json!("waiting é.bvh")), "{line}");
    let riding = yaw().await;
    let rides =
        riding["parts"].as_array().unwrap().iter().find(|p| p["what"] == "motion of the body").cloned();
    let rides = rides.unwrap()["amount"].as_f64().unwrap();
    assert!(
        rides.abs() > 1.0 && (riding["value"].as_f64().unwrap() - before - rides).abs() < 0.05,
        "{riding}"
    );
    let (_, line) = act(json!({"do": "body_amount", "amount": 0.5})).await;
    assert_eq!(line["layers"]["body"][2], 0.5);
    let (status, problem) = ride("no motion at all").await;
    assert_eq!((status, &problem["code"]), (StatusCode::UNPROCESSABLE_ENTITY, &json!("motion_unreadable")));
    let (_, line) = ride("").await;
    assert_eq!(line["layers"]["body"], Value::Null);

    // Why: the mood is named, and what the guard takes back.
    let causes = server.get(&own("cause?time=1.5&controls=brow_inner_up_left")).await;
    let parts = causes[0]["parts"].as_array().unwrap();
    assert!(parts.iter().any(|p| p["what"] == "mood: sadness"), "{causes}");
    assert!(server.get(&own("feelings")).await.is_array());
    server.stop().await;
}

#[tokio::test(flavor = "multi_thread")]
async fn layers_have_levels_passes_are_trimmed_and_moods_are_mixed() {
    let folder = tempfile::tempdir().unwrap();
    let server = Running::start(&folder.path().join("a.jam")).await;
    let id = server.timed_line().await;
    let own = |path: &str| format!("/api/lines/{id}/{path}");
    let ask = async |method: Method, path: &str, body: Value| server.answer(method, path, &body).await;
    let nod =
        async || server.get(&own("cause?time=1.5&controls=head_pitch")).await[0]["value"].as_f64().unwrap();

    // The head comes in late: a level is put, moved, taken out.
    let act = async |op: Value| server.act(id, op).await;
    let level = |at: f64, share: f64| json!({"do": "add_level", "layer": "head", "time": at, "share": share});
    let whole = nod().await;
    act(level(2.5, 1.0)).await;
    let (status, line) = act(level(1.5, 0.0)).await;
    assert_eq!(status, StatusCode::OK, "{line}");
    let levels = line["layers"]["levels"].clone();
    assert_eq!((&levels[0]["share"], &levels[1]["share"]), (&json!(0.0), &json!(1.0)), "in order: {levels}");
    assert!(whole.abs() > 0.05 && nod().await.abs() < 1e-3, "{whole}");
    let (_, line) = act(json!({"do": "change_level", "id": levels[0]["id"], "share": 0.5})).await;
    assert!((nod().await - 0.5 * whole).abs() < 0.02 * whole.abs().max(1.0));
    assert_eq!(line["layers"]["levels"].as_array().unwrap().len(), 2);
    let (status, problem) = act(level(1.0, 1.5)).await;
    assert_eq!(status, StatusCode::UNPROCESSABLE_ENTITY);
    assert!(problem["detail"].as_str().unwrap().contains("1.5 is outside"), "{problem}");
    let (_, line) = act(json!({"do": "remove", "ids": [levels[0]["id"], levels[1]["id"]]})).await;
    assert_eq!(line["layers"]["levels"], json!([]));
    assert!((nod().await - whole).abs() < 1e-6);

    // A pass of a second is trimmed to its middle; beyond that it does nothing, within it what it did.
    let taken: Vec<Value> = (0..60)
        .map(
            |k| json!({"time": 0.5 + f64::from(k) / 60.0, "place": [0.0, (f64::from(k) / 8.0).sin(), false]}),
        )
        .collect();
    let pass = json!({"do": "pass", "pad": "brows", "taken": taken, "late": 0.1, "laid": "add", "smooth": 0.0,
                      "tolerance": 0.01});
    let (_, line) = act(pass).await;
    let ids: Vec<Value> = line["touches"].as_array().unwrap().iter().map(|t| t["id"].clone()).collect();
    let up = async |time: f64| {
        let why = server.get(&own(&format!("cause?time={time}&controls=brow_outer_up_left"))).await;
        let parts = why[0]["parts"].as_array().unwrap().clone();
        let by_hand = parts.iter().filter(|p| p["what"].as_str().unwrap().starts_with("by hand"));
        by_hand.map(|p| p["amount"].as_f64().unwrap()).sum::<f64>()
    };
    let before = up(0.65).await;
    assert!(before > 0.1, "{before}");
    let trim = json!({"do": "change_pass", "touches": ids, "trim": {"start": 0.55, "end": 0.75}});
    let (status, line) = act(trim).await;
    assert_eq!((status, &line["undo"][0]), (StatusCode::OK, &json!("trim a pass")), "{line}");
    for touch in line["touches"].as_array().unwrap() {
        let keys = touch["keys"].as_array().unwrap();
        let time = |k: &Value| k["time"].as_f64().unwrap();
        assert!((time(&keys[0]) - 0.55).abs() < 1e-6 && (time(keys.last().unwrap()) - 0.75).abs() < 1e-6);
    }
    assert!((up(0.65).await - before).abs() < 0.03, "{before}");
    assert_eq!(up(1.2).await, 0.0);
    let (status, _) =
        act(json!({"do": "change_pass", "touches": ids, "trim": {"start": 2.0, "end": 2.5}})).await;
    assert_eq!(status, StatusCode::UNPROCESSABLE_ENTITY, "nothing of it lies there");

    // A mood of the production's own: a mix with a control on top, that plays like any other.
    let mix =
        json!({"name": "fed up", "of": [["anger", 0.4], ["disgust", 0.5]], "values": [["cheek_puff", 0.3]]});
    let (status, poses) = ask(Method::PUT, "/api/poses", mix).await;
    assert_eq!((status, &poses[0]["of"][1][0]), (StatusCode::OK, &json!("disgust")), "{poses}");
    let over = json!({"span": {"start": 0.2, "end": 3.0}});
    let (_, line) =
        act(json!({"do": "add_mood", "mood": {"pose": poses[0]}, "amount": 1.0, "over": over})).await;
    let own_id = &line["layers"]["moods"][0]["id"];
    let (status, line) = act(json!({"do": "change_mood", "id": own_id, "change": {"instead": true}})).await;
    assert_eq!(status, StatusCode::OK, "{line}");
    let strength = &line["layers"]["strengths"][0];
    let values: Vec<f64> =
        strength["values"].as_array().unwrap().iter().map(|v| v.as_f64().unwrap()).collect();
    assert!(values[0] < 0.01 && values[32] > 0.95 && values[64] < 0.05, "{strength}");
    let why = server.get(&own("cause?time=2.0&controls=nose_wrinkle_left,cheek_puff")).await;
    assert!(why[0]["parts"].as_array().unwrap().iter().any(|p| p["what"] == "mood: fed up"), "{why}");
    for wrong in [
        json!({"name": "x", "of": [["boredom", 0.4]], "values": []}),
        json!({"name": "x", "of": [], "values": []}),
        json!({"name": " ", "of": [["anger", 0.4]], "values": []}),
    ] {
        let (status, problem) = ask(Method::PUT, "/api/poses", wrong).await;
        assert_eq!(status, StatusCode::UNPROCESSABLE_ENTITY, "{problem}");
    }
    server.stop().await;
}

#[tokio::test(flavor = "multi_thread")]
async fn a_captured_face_is_performed_on_the_line() {
    let folder = tempfile::tempdir().unwrap();
    let server = Running::start(&folder.path().join("a.jam")).await;
    let id = server.timed_line().await;
    let url = |path: &str| format!("ws://{}/api/{path}", server.address);
    let (mut source, _) = tokio_tungstenite::connect_async(url("capture")).await.unwrap();
    let (mut page, _) = tokio_tungstenite::connect_async(url("live")).await.unwrap();
    let frame = json!({"coefficients": {"browInnerUp": 0.6, "mouthSmileLeft": 0.5, "nothing": 1.0}, "head": [9.0, 0.0, 0.0]});
    let mut performed = async |regions: Value| -> Value {
        loop {
            source.send(Message::text(frame.to_string())).await.unwrap();
            let question = json!({"perform": id, "time": 1.0, "laid": "replace", "pad": "capture", "x": 0, "y": 0, "regions": regions});
            page.send(Message::text(question.to_string())).await.unwrap();
            while let Some(Ok(message)) = page.next().await {
                let Message::Binary(bytes) = message else { continue };
                let length = u32::from_le_bytes(bytes[..4].try_into().unwrap()) as usize;
                let header: Value = serde_json::from_slice(&bytes[4..4 + length]).unwrap();
                assert_eq!(bytes.len(), 4 + length + 4 * header["outputs"].as_u64().unwrap() as usize);
                if header["values"].as_array().is_some_and(|v| !v.is_empty()) {
                    return header["values"].clone();
                }
                break;
            }
        }
    };
    let all = performed(json!([])).await;
    let has = |values: &Value, control: &str| values.as_array().unwrap().iter().any(|v| v[0] == control);
    assert!(
        has(&all, "brow_inner_up_right") && has(&all, "corner_up_left") && has(&all, "head_yaw"),
        "{all}"
    );
    let brows = performed(json!(["brows"])).await;
    assert!(has(&brows, "brow_inner_up_left") && !has(&brows, "corner_up_left") && !has(&brows, "head_yaw"));
    // A microphone's level moves the jaw: wide when it is loud, shut when it is not.
    let mut jaw = async |level: f64| -> f64 {
        let question =
            json!({"perform": id, "time": 1.0, "laid": "replace", "pad": "voice", "x": 0, "y": level});
        page.send(Message::text(question.to_string())).await.unwrap();
        while let Some(Ok(message)) = page.next().await {
            let Message::Binary(bytes) = message else { continue };
            let length = u32::from_le_bytes(bytes[..4].try_into().unwrap()) as usize;
            let header: Value = serde_json::from_slice(&bytes[4..4 + length]).unwrap();
            assert_eq!(header["values"][0][0], "jaw_open");
            return header["values"][0][1].as_f64().unwrap();
        }
        panic!("no answer");
    };
    let (loud, quiet) = (jaw(-9.0).await, jaw(-60.0).await);
    assert!(loud > 0.5 && quiet == 0.0, "{loud} {quiet}");
    server.stop().await;
}

/// Where the browser cannot encode, pictures and sound are put together here: as many as frames, or a sentence. Source:
/// ffprobe of Debian's ffmpeg counts them.
#[tokio::test(flavor = "multi_thread")]
async fn pictures_become_a_movie_of_the_same_frames() {
    let folder = tempfile::tempdir().unwrap();
    let server = Running::start(&folder.path().join("a.jam")).await;
    let id = server.timed_line().await;
    let mut picture = Vec::new();
    let mut encoder = png::Encoder::new(&mut picture, 64, 64);
    encoder.set_color(png::ColorType::Grayscale);
    encoder.write_header().unwrap().write_image_data(&[90; 64 * 64]).unwrap();
    let send = async |recipe: &Value, count: usize| -> (StatusCode, Value) {
        let mut form = Form::new().text("recipe", recipe.to_string());
        for i in 0..count {
            let file = Part::bytes(picture.clone()).file_name(format!("{}.png", 1001 + i));
            form = form.part("picture", file);
        }
        let path = format!("/api/lines/{id}/pictures");
        let answer = server.ask(Method::POST, &path).multipart(form).send().await.unwrap();
        (answer.status(), answer.json().await.unwrap())
    };
    for (file, ending) in [("mov", ".mov"), ("pictures", ".zip")] {
        let recipe = json!({"movie": {"file": file}, "names": format!("{{number}}_{file}")});
        let (status, frames) = server
            .answer(Method::POST, &format!("/api/lines/{id}/frames"), &json!({ "recipe": recipe }))
            .await;
        assert_eq!(status, StatusCode::OK);
        let count = frames["values"].as_array().unwrap().len();
        let (status, few) = send(&recipe, count - 1).await;
        assert_eq!((status, &few["code"]), (StatusCode::UNPROCESSABLE_ENTITY, &json!("pictures_missing")));
        let (status, made) = send(&recipe, count).await;
        assert_eq!(status, StatusCode::OK, "{made}");
        assert!(made["file_name"].as_str().unwrap().ends_with(ending), "{made}");
        let path = format!("/api/deliveries/{}/file", made["id"]);
        let bytes = server.ask(Method::GET, &path).send().await.unwrap().bytes().await.unwrap();
        if ending == ".zip" {
            let zip = zip::ZipArchive::new(std::io::Cursor::new(&bytes[..])).unwrap();
            assert_eq!(zip.len(), count + 1);
            continue;
        }
        let movie = folder.path().join("line.mov");
        std::fs::write(&movie, &bytes).unwrap();
        let shows = ["-v", "error", "-of", "json", "-show_streams"];
        let probed = std::process::Command::new("ffprobe").args(shows).arg(&movie).output().unwrap();
        let probed: Value = serde_json::from_slice(&probed.stdout).unwrap();
        let streams = probed["streams"].as_array().unwrap();
        let of = |kind: &str| streams.iter().find(|s| s["codec_type"] == kind).unwrap();
        assert_eq!(of("video")["nb_frames"], count.to_string());
        let seconds: f64 = of("audio")["duration"].as_str().unwrap().parse().unwrap();
        assert!(
            (seconds - count as f64 / 24.0).abs() < 1e-3,
            "the sound is as long as the pictures: {seconds}"
        );
    }
    server.stop().await;
}

/// Strokes and operations on shapes over HTTP: steps that undo takes back, what is wrong is said, all of it is there after a restart.
#[tokio::test(flavor = "multi_thread")]
async fn shapes_are_corrected_by_hand() {
    let folder = tempfile::tempdir().unwrap();
    let data = folder.path().join("a.jam");
    let server = Running::start(&data).await;
    let (status, twin) = server.answer(Method::POST, "/api/cast/1/duplicate", &json!({"name": "Twin"})).await;
    assert_eq!(status, StatusCode::OK, "{twin}");
    let sculpt = server.get("/api/cast/1/sculpt").await;
    assert_eq!(sculpt["edges"], json!([true, true, true]));
    let names = async |server: &Running| -> Vec<String> {
        let view = server.get("/api/cast/1/sculpt").await;
        let shapes = view["shapes"].as_array().unwrap().iter();
        shapes.map(|s| s["name"].as_str().unwrap().to_string()).collect()
    };
    let came = names(&server).await;
    // A point of the skin that the jaw moves far.
    let model = jam_demo::CHARACTERS[0].read().unwrap();
    let shapes = model.piece_shapes().unwrap();
    let jaw = |p: &jam_shape::PieceShapes| p.shapes.iter().find(|s| s.name == "jaw_open").cloned();
    let skin = (0..shapes.len()).max_by_key(|k| jaw(&shapes[*k]).map_or(0, |s| s.moves.len())).unwrap();
    let moves = jaw(&shapes[skin]).unwrap().moves;
    let (point, _) = *moves.iter().max_by(|a, b| a.1.length().total_cmp(&b.1.length())).unwrap();
    let stroke = json!({
        "shape": "jaw_open", "brush": {"kind": "move", "by": [0.0, -0.01, 0.0]},
        "at": [{"piece": skin, "point": point}], "radius": 0.5, "mirrored": true, "seal": true, "only": null,
    });
    let post = async |path: &str, body: Value| {
        server.answer(Method::POST, &format!("/api/cast/1/sculpt/{path}"), &body).await
    };
    let (status, held) = post("hold", stroke.clone()).await;
    assert_eq!(status, StatusCode::OK, "{held}");
    let held: Vec<&str> =
        held["shapes"].as_array().unwrap().iter().map(|s| s["shape"].as_str().unwrap()).collect();
    assert_eq!(held, ["jaw_open", "lips_close"], "the sealed mouth takes it back");
    let (_, tried) = post("tries", stroke.clone()).await;
    assert_eq!(server.get("/api/cast/1").await["undo"], json!([]), "a try is no step");
    let (status, made) = post("strokes", json!({"stroke": stroke})).await;
    assert_eq!(status, StatusCode::OK, "{made}");
    assert_eq!(made["changes"], tried);
    assert_eq!(made["detail"]["undo"], json!(["move “jaw_open”"]));
    let changed = server.get("/api/cast/1/sculpt").await;
    let corrected = changed["shapes"].as_array().unwrap().iter().filter(|s| s["changed"] == true).count();
    assert_eq!(corrected, 2);
    let (_, problem) = post("strokes", json!({"stroke": {"shape": "none", "brush": {"kind": "smooth"}, "at": [{"piece": skin, "point": point}], "radius": 0.5}})).await;
    assert!(problem["detail"].as_str().unwrap().contains("no shape “none”"), "{problem}");
    let (status, _) = post(
        "strokes",
        json!({"stroke": {"shape": "jaw_open", "brush": {"kind": "smooth"}, "at": [], "radius": 9.0}}),
    )
    .await;
    assert_eq!(status, StatusCode::UNPROCESSABLE_ENTITY);

    // What parts the lips is measured anew: protruded lips that are drawn down on one side gape.
    let lips = shapes[skin].shapes.iter().find(|s| s.name == "lips_close").unwrap();
    let (lip, _) = *lips.moves.iter().max_by(|a, b| a.1.length().total_cmp(&b.1.length())).unwrap();
    let parts = |detail: &Value| {
        let outputs = detail["member"]["wiring"]["outputs"].as_array().unwrap().clone();
        let own = outputs.iter().find(|o| o["target"]["name"] == "lips_protrude").unwrap();
        own["parts"].as_f64().unwrap_or(0.0)
    };
    let gape = json!({
        "shape": "lips_protrude", "brush": {"kind": "move", "by": [0.0, -0.02, 0.0]},
        "at": [{"piece": skin, "point": lip}], "radius": 0.6, "mirrored": true, "seal": false, "only": null,
    });
    let before = parts(&server.get("/api/cast/1").await);
    let (_, gaping) = post("strokes", json!({"stroke": gape})).await;
    assert!(parts(&gaping["detail"]) > before + 0.1, "{before} {}", parts(&gaping["detail"]));

    // Whole shapes: made for two controls, split, renamed, ordered, removed.
    let operate = async |op: Value| {
        let (status, detail) = post("operations", json!({"op": op})).await;
        assert_eq!(status, StatusCode::OK, "{detail}");
        detail
    };
    let detail = operate(
        json!({"kind": "together", "name": "wide smile", "first": "jaw_open", "second": "corner_up_left"}),
    )
    .await;
    let outputs = detail["member"]["wiring"]["outputs"].as_array().unwrap();
    let own = outputs.iter().find(|o| o["target"]["name"] == "wide smile").unwrap();
    assert_eq!(
        (&own["feeds"][0]["control"], &own["feeds"][0]["times"]),
        (&json!("jaw_open"), &json!("corner_up_left"))
    );
    let detail = operate(json!({"kind": "split", "name": "lips_round", "into": ["round_left", "round_right"], "by": {"by": "sides"}})).await;
    let outputs = detail["member"]["wiring"]["outputs"].as_array().unwrap();
    for name in ["round_left", "round_right"] {
        let own = outputs.iter().find(|o| o["target"]["name"] == name).unwrap();
        assert_eq!(own["feeds"][0]["control"], "lips_round");
    }
    operate(json!({"kind": "rename", "name": "round_left", "to": "kiss"})).await;
    operate(json!({"kind": "order", "names": ["kiss", "wide smile"]})).await;
    operate(json!({"kind": "make", "name": "half", "of": {"jaw_open": 0.5, "cheek_puff": 0.5}})).await;
    operate(json!({"kind": "pose", "name": "ooh", "controls": {"lips_protrude": 1.0}})).await;
    operate(json!({"kind": "remove", "name": "tongue_wide"})).await;
    let now = names(&server).await;
    assert_eq!(&now[..2], ["kiss", "wide smile"]);
    for (name, there) in
        [("half", true), ("ooh", true), ("round_right", true), ("lips_round", false), ("tongue_wide", false)]
    {
        assert_eq!(now.iter().any(|n| n == name), there, "{name}");
    }
    for (op, says) in [
        (json!({"kind": "make", "name": "half", "of": {}}), "already"),
        (json!({"kind": "rename", "name": "gone", "to": "x"}), "no shape"),
        (json!({"kind": "make", "name": " ", "of": {}}), "name of at most"),
        (json!({"kind": "between", "name": "x", "control": "jaw_open", "at": 1.5}), "between 0.05"),
        (json!({"kind": "copy", "from": 77, "names": ["a"]}), ""),
    ] {
        let (status, problem) = post("operations", json!({ "op": op })).await;
        assert!(
            status.is_client_error() && problem["detail"].as_str().unwrap_or_default().contains(says),
            "{problem}"
        );
    }
    // The whole as a file that can be brought in again.
    let file = server.ask(Method::GET, "/api/cast/1/glb").send().await.unwrap().bytes().await.unwrap();
    let again = jam_formats::glb::Character::read(&file).unwrap();
    assert_eq!(again.shapes().len(), now.len());
    // What was dragged comes back from a copy that was made before.
    let far = |character: &jam_formats::glb::Character| {
        let shapes = character.piece_shapes().unwrap();
        let moves = jaw(&shapes[skin]).unwrap().moves;
        moves.into_iter().find(|(i, _)| *i == point).unwrap().1
    };
    let was = moves.iter().find(|(i, _)| *i == point).unwrap().1;
    assert!((far(&again) - was).length() > 0.005, "the stroke moved it");
    let from = &twin["member"]["id"];
    operate(json!({"kind": "copy", "from": from, "names": ["jaw_open", "lips_close", "jaw_open"]})).await;
    let file = server.ask(Method::GET, "/api/cast/1/glb").send().await.unwrap().bytes().await.unwrap();
    let again = jam_formats::glb::Character::read(&file).unwrap();
    assert!((far(&again) - was).length() < 1e-6);
    let zip = server.ask(Method::GET, "/api/cast/1/usd").send().await.unwrap().bytes().await.unwrap();
    let mut zip = zip::ZipArchive::new(std::io::Cursor::new(zip)).unwrap();
    let mut layer = String::new();
    std::io::Read::read_to_string(&mut zip.by_name("bram.usda").unwrap(), &mut layer).unwrap();
    assert!(
        layer.starts_with("#usda 1.0") && layer.contains("\"kiss\"") && !layer.contains("\"lips_round\"")
    );
    // It is all there after a restart, and every step goes back.
    server.stop().await;
    let server = Running::start(&data).await;
    assert_eq!(names(&server).await, now);
    let steps = server.get("/api/cast/1").await["undo"].as_array().unwrap().len();
    for _ in 0..steps {
        let (status, _) = server.answer(Method::POST, "/api/cast/1/undo", &json!({})).await;
        assert_eq!(status, StatusCode::OK);
    }
    assert_eq!(names(&server).await, came);
    let view = server.get("/api/cast/1/sculpt").await;
    assert!(view["shapes"].as_array().unwrap().iter().all(|s| s["changed"] == false));
    server.stop().await;
}
