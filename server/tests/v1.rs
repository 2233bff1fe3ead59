//! Other programs: the shipped examples are run as they are, and what they cannot have is refused as the description says.
#![allow(clippy::unwrap_used)]

use crate::api::Running;
use jam_demo::LINES;
use jam_server::Settings;
use reqwest::header::{ACCEPT, AUTHORIZATION};
use reqwest::multipart::{Form, Part};
use reqwest::{Method, StatusCode};
use serde_json::{Value, json};
use std::path::{Path, PathBuf};
use std::process::Command;

fn example(name: &str) -> PathBuf {
    Path::new(env!("CARGO_MANIFEST_DIR")).join("../examples").join(name)
}

fn run(program: &str, name: &str, server: &Running, recording: &Path, text: &str) -> String {
    let out = Command::new(program)
        .arg(example(name))
        .args([recording, Path::new(text)])
        .env("JAMLIPS", server.at(""))
        .env("JAMLIPS_TOKEN", TOKEN)
        .output()
        .unwrap();
    assert!(out.status.success(), "{name}: {}", String::from_utf8_lossy(&out.stderr));
    String::from_utf8(out.stdout).unwrap()
}

const TOKEN: &str = "pier-light";

/// Frames with a value each, as the examples print them.
fn rows(printed: &str) -> Vec<(i64, f32)> {
    let row = |line: &str| {
        let (frame, value) = line.split_once(' ').unwrap();
        (frame.parse().unwrap(), value.parse().unwrap())
    };
    printed.lines().map(row).collect()
}

#[tokio::test(flavor = "multi_thread")]
async fn the_examples_give_the_same_curves_three_ways() {
    let folder = tempfile::tempdir().unwrap();
    let settings = Settings { token: Some(TOKEN.into()), ..Settings::default() };
    let server = Running::start_with(&folder.path().join("p.jam"), settings).await;
    let recording = folder.path().join("line.wav");
    std::fs::write(&recording, LINES[9].recording).unwrap();
    let (whole, table, stream) = tokio::task::block_in_place(|| {
        let run = |program, name| run(program, name, &server, &recording, LINES[9].text);
        (run("sh", "curves.sh"), run("python3", "curves.py"), run("node", "curves.mjs"))
    });
    let whole: Value = serde_json::from_str(&whole).unwrap();
    assert_eq!(whole["format"], "jam-lips-curves/1");
    let jaw = whole["controls"]["jaw_open"].as_array().unwrap();
    let (table, stream) = (rows(&table), rows(&stream));
    assert_eq!((table.len(), stream.len()), (jaw.len(), jaw.len()));
    assert!(jaw.iter().any(|v| v.as_f64().unwrap() > 0.2), "the jaw opens");
    for (k, value) in jaw.iter().enumerate() {
        let frame = 1001 + k as i64;
        assert_eq!((table[k].0, stream[k].0), (frame, frame));
        let value = value.as_f64().unwrap() as f32;
        assert!((table[k].1 - value).abs() < 1e-4 && (stream[k].1 - value).abs() < 1e-4, "frame {frame}");
    }
    assert!(server.get("/api/lines").await.as_array().unwrap().is_empty(), "nothing is kept");
    server.stop().await;
}

#[tokio::test(flavor = "multi_thread")]
async fn what_a_program_cannot_have_is_a_problem_with_a_code() {
    let folder = tempfile::tempdir().unwrap();
    let settings = Settings { token: Some(TOKEN.into()), ..Settings::default() };
    let server = Running::start_with(&folder.path().join("p.jam"), settings).await;
    let ask = async |token: &str, accept: &str, parts: &[(&str, &str)], with: bool| {
        let mut form = Form::new();
        for (name, value) in parts {
            form = form.text(name.to_string(), value.to_string());
        }
        if with {
            form = form.part("recording", Part::bytes(LINES[9].recording.to_vec()).file_name("l.wav"));
        }
        let request = server.ask(Method::POST, "/api/v1/curves").header(ACCEPT, accept);
        request.header(AUTHORIZATION, format!("Bearer {token}")).multipart(form).send().await.unwrap()
    };
    let refused = [
        ("other", vec![], true, StatusCode::UNAUTHORIZED, "no_token"),
        (TOKEN, vec![("text", "Hush.")], false, StatusCode::UNPROCESSABLE_ENTITY, "file_missing"),
        (TOKEN, vec![("rate", "fast")], true, StatusCode::UNPROCESSABLE_ENTITY, "frame_rate_wrong"),
        (TOKEN, vec![("moods", "glum")], true, StatusCode::UNPROCESSABLE_ENTITY, "mood_wrong"),
        (TOKEN, vec![("character", "Nel")], true, StatusCode::UNPROCESSABLE_ENTITY, "no_character"),
        (
            TOKEN,
            vec![("text", "Quite another thing about seven purple elephants, and then some more of them.")],
            true,
            StatusCode::UNPROCESSABLE_ENTITY,
            "text_not_heard",
        ),
    ];
    for (token, parts, with, status, code) in refused {
        let answer = ask(token, "application/json", &parts, with).await;
        assert_eq!(answer.status(), status, "{code}");
        assert_eq!(answer.headers()["content-type"], "application/problem+json");
        assert_eq!(answer.headers().contains_key("www-authenticate"), code == "no_token");
        assert_eq!(answer.headers().contains_key("ratelimit-limit"), code != "no_token");
        let problem: Value = answer.json().await.unwrap();
        assert_eq!(problem["code"], code);
    }
    // In a stream what is wrong comes as an event.
    let told = ask(TOKEN, "text/event-stream", &[("rate", "fast")], true).await.text().await.unwrap();
    assert!(told.starts_with("event: problem\n") && told.contains("frame_rate_wrong"), "{told}");

    // A character of the production, and the same bytes for the same question.
    let parts = [("text", LINES[9].text), ("character", "Bram"), ("moods", "fear:0.5"), ("rate", "30")];
    let first = ask(TOKEN, "application/json", &parts, true).await.bytes().await.unwrap();
    let again = ask(TOKEN, "application/json", &parts, true).await.bytes().await.unwrap();
    assert_eq!(first, again);
    let curves: Value = serde_json::from_slice(&first).unwrap();
    assert_eq!(curves["frame_rate"], json!({"num": 30, "den": 1}));
    assert!(curves["shapes"].as_object().unwrap().len() > 30, "Bram's shapes move");

    let description = server.get("/api/openapi.json").await;
    assert!(description["paths"]["/api/v1/curves"]["post"]["requestBody"].is_object());
    let page = server.ask(Method::GET, "/api/docs").send().await.unwrap().text().await.unwrap();
    assert!(page.contains("/api/v1/curves") && page.contains("What is said in it"), "{page}");
    server.stop().await;
}

#[tokio::test(flavor = "multi_thread")]
async fn where_a_token_is_asked_for_a_link_leaves_it_with_the_browser() {
    let folder = tempfile::tempdir().unwrap();
    let settings = Settings { token: Some(TOKEN.into()), ..Settings::default() };
    let server = Running::start_with(&folder.path().join("p.jam"), settings).await;
    let quiet = reqwest::redirect::Policy::none();
    let stranger = reqwest::Client::builder().redirect(quiet).build().unwrap();
    let get = async |path: &str, cookie: &str| {
        stranger.get(server.at(path)).header(reqwest::header::COOKIE, cookie).send().await.unwrap()
    };
    assert_eq!(get("/", "").await.status(), StatusCode::UNAUTHORIZED);
    assert_eq!(get("/api/lines", "jam_lips_token=other").await.status(), StatusCode::UNAUTHORIZED);
    assert_eq!(get("/?token=pier-lighT", "").await.status(), StatusCode::UNAUTHORIZED);
    let led_on = get(&format!("/score/1?token={TOKEN}"), "").await;
    assert_eq!(
        (led_on.status(), &led_on.headers()["location"]),
        (StatusCode::SEE_OTHER, &"/score/1".parse().unwrap())
    );
    let cookie = led_on.headers()["set-cookie"].to_str().unwrap().to_string();
    assert!(cookie.contains("HttpOnly") && cookie.contains("SameSite=Strict"), "{cookie}");
    let kept = cookie.split(';').next().unwrap();
    assert_eq!(get("/api/lines", &format!("other=1; {kept}")).await.status(), StatusCode::OK);
    server.stop().await;
}

#[tokio::test(flavor = "multi_thread")]
async fn beyond_loopback_there_is_a_token_and_the_data_are_their_owners() {
    let folder = tempfile::tempdir().unwrap();
    let data = folder.path().join("p.jam");
    let store = jam_store::Store::open(&data).unwrap();
    #[cfg(unix)]
    {
        use std::os::unix::fs::PermissionsExt;
        assert_eq!(std::fs::metadata(&data).unwrap().permissions().mode() & 0o777, 0o600);
    }
    let every =
        |settings| jam_server::Server::bind_with(store.clone(), "0.0.0.0:0".parse().unwrap(), settings);
    let (one, other) = (every(Settings::default()).await.unwrap(), every(Settings::default()).await.unwrap());
    let token = one.token().unwrap();
    assert!(token.len() >= 32 && other.token().is_some_and(|t| t != token), "{token}");
    let home = jam_server::Server::bind(store.clone(), "127.0.0.1:0".parse().unwrap()).await.unwrap();
    assert_eq!(home.token(), None);
}
