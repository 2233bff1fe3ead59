//! Lines in another language over HTTP.
#![allow(clippy::unwrap_used)]

use crate::api::Running;
use reqwest::multipart::{Form, Part};
use reqwest::{Method, StatusCode};
use serde_json::{Value, json};

const TEXT: &str = "Chi ha rotto la finestra della cucina?";
const SOUNDS: &str =
    "Chi /kɪ/ ha /a/ rotto /rˈotːo/ la /la/ finestra /finˈɛstra/ della /dˌella/ cucina /kʊtʃˈina/?";
/// Writes the sounds of these words, and of no other language.
const WRITES: &str = "test \"$1\" = it && sed 's/[?.]//; s/Chi/kɪ/; s/ha/a/; s/rotto/rˈotːo/; s/finestra/finˈɛstra/; \
                      s/della/dˌella/; s/cucina/kʊtʃˈina/'";

async fn running(folder: &tempfile::TempDir) -> Running {
    let phonemiser = ["sh", "-c", WRITES, "sh", "{language}"].map(str::to_string).to_vec();
    let settings = jam_server::Settings { phonemiser: Some(phonemiser), ..Default::default() };
    Running::start_with(&folder.path().join("a.jam"), settings).await
}

async fn add(server: &Running, language: &str) -> (StatusCode, Value) {
    let recording = include_bytes!("../../core/voice/tests/fixtures/languages/pc_00.wav");
    let file = Part::bytes(recording.to_vec()).file_name("chi.wav");
    let form = Form::new().part("recording", file).text("text", TEXT).text("language", language.to_string());
    let answer = server.ask(Method::POST, "/api/lines").multipart(form).send().await.unwrap();
    (answer.status(), answer.json().await.unwrap())
}

/// What is said of a word: phones, with their own symbols where English has none.
fn said(line: &Value, word: usize) -> String {
    let sounds = line["document"]["timing"]["sounds"].as_array().unwrap();
    let own = sounds.iter().filter(|s| s["word"] == word);
    let name = |s: &Value| s["symbol"].as_str().or(s["phone"].as_str()).unwrap().to_string();
    own.map(name).collect::<Vec<_>>().join(" ")
}

/// A line in another language gets its sounds when it comes in, is timed by them, and is said otherwise word by word, each
/// a step; a word of the list counts in every line of its language.
#[tokio::test(flavor = "multi_thread")]
async fn a_line_in_another_language_is_said_by_its_sounds() {
    let folder = tempfile::tempdir().unwrap();
    let server = running(&folder).await;
    let (status, line) = add(&server, "IT").await;
    assert_eq!((status, &line["document"]["text"]), (StatusCode::OK, &json!(SOUNDS)));
    assert_eq!(line["document"]["unsounded"], 0);
    let id = line["summary"]["id"].as_i64().unwrap();
    let line = server.settled(id).await;
    assert_eq!((&line["summary"]["state"], &line["summary"]["text"]), (&json!("timed"), &json!(TEXT)));
    assert_eq!((&line["document"]["language"], said(&line, 2).as_str()), (&json!("it"), "r o T o"));
    assert!(line["summary"]["doubtful_words"].as_u64().unwrap() <= 2, "{}", line["summary"]);

    let word = line["document"]["timing"]["words"][2]["id"].clone();
    let (status, line) = server.act(id, json!({"do": "pronounce", "word": word, "sounds": "ˈrɔtto"})).await;
    assert_eq!(status, StatusCode::OK, "{line}");
    assert!(line["document"]["text"].as_str().unwrap().contains("rotto /ˈrɔto/ la"), "{}", line["document"]);
    assert_eq!(said(&server.settled(id).await, 2), "r AO T o");
    server.ask(Method::POST, &format!("/api/lines/{id}/undo")).send().await.unwrap();
    assert_eq!(server.settled(id).await["document"]["text"], SOUNDS);

    let list = json!({"sounds": "ˈruto"});
    let (status, words) = server.answer(Method::PUT, "/api/words/Rotto?language=it", &list).await;
    assert_eq!(
        (status, &words[0]["language"], &words[0]["word"]),
        (StatusCode::OK, &json!("it"), &json!("rotto"))
    );
    let line = server.settled(id).await;
    assert!(line["document"]["text"].as_str().unwrap().contains("rotto la"), "{}", line["document"]["text"]);
    assert_eq!(said(&line, 2), "r UW T o");
    // A listed word needs no sounds when it is typed.
    let (_, found) =
        server.answer(Method::POST, "/api/sounds", &json!({"text": "ha rotto", "language": "it"})).await;
    assert_eq!(found, json!({"text": "ha /a/ rotto", "without": []}));
    server.answer(Method::DELETE, "/api/words/rotto?language=it", &Value::Null).await;
    assert_eq!(server.settled(id).await["document"]["text"], SOUNDS);

    // A word that is written otherwise gets its sounds, too.
    let line = server.settled(id).await;
    let word = line["document"]["timing"]["words"][6]["id"].clone();
    let (_, line) = server.act(id, json!({"do": "retype", "word": word, "text": "finestra"})).await;
    assert!(line["document"]["text"].as_str().unwrap().ends_with("finestra /finˈɛstra/?"), "{line}");
    let (_, line) = server.act(id, json!({"do": "text", "text": "Go.", "language": ""})).await;
    assert_eq!(line["document"]["language"], Value::Null);
    server.stop().await;
}

/// What cannot be written costs a sentence and nothing else.
#[tokio::test(flavor = "multi_thread")]
async fn a_language_that_cannot_be_written_is_told() {
    let folder = tempfile::tempdir().unwrap();
    let server = running(&folder).await;
    let (status, problem) = add(&server, "italian").await;
    assert_eq!((status, &problem["code"]), (StatusCode::UNPROCESSABLE_ENTITY, &json!("no_language")));
    // The program knows no Catalan: the line comes in without sounds.
    let (status, line) = add(&server, "ca").await;
    assert_eq!((status, &line["document"]["text"]), (StatusCode::OK, &json!(TEXT)));
    assert_eq!(line["document"]["unsounded"], 7);
    let question = json!({"text": TEXT, "language": "ca"});
    let (status, problem) = server.answer(Method::POST, "/api/sounds", &question).await;
    assert_eq!((status, &problem["code"]), (StatusCode::UNPROCESSABLE_ENTITY, &json!("no_sounds")));
    let (_, problem) =
        server.answer(Method::POST, "/api/sounds", &json!({"text": TEXT, "language": "en"})).await;
    assert_eq!(problem["code"], "english");
    let languages = server.get("/api/languages").await;
    assert_eq!((&languages["writes"], &languages["languages"][0]["name"]), (&json!("sh"), &json!("English")));
    server.stop().await;
}
