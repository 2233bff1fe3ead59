//! A face that says nothing comes round without a seam, in what is delivered, too.
#![allow(clippy::unwrap_used)]

use crate::api::Running;
use reqwest::{Method, StatusCode};
use serde_json::{Value, json};

/// The rows of a delivered table as numbers, by the names of its columns.
async fn table(server: &Running, line: i64, recipe: Value) -> (Vec<String>, Vec<Vec<f64>>) {
    let order = json!({"lines": [line], "recipe": recipe});
    let (status, answer) = server.answer(Method::POST, "/api/deliveries", &order).await;
    assert!(status.is_success(), "{answer}");
    let files = server.delivered(1).await;
    let own = files.iter().filter(|f| f["line"] == line);
    let newest = own.map(|f| f["id"].as_i64().unwrap()).max().unwrap();
    let path = format!("/api/deliveries/{newest}/file");
    let text = server.ask(Method::GET, &path).send().await.unwrap().text().await.unwrap();
    let mut rows = text.lines().filter(|l| !l.starts_with('#'));
    let head = rows.next().unwrap().split(',').map(str::to_string).collect();
    let cells = |row: &str| row.split(',').map(|c| c.parse().unwrap()).collect();
    (head, rows.map(cells).collect())
}

#[tokio::test(flavor = "multi_thread")]
async fn idle_motion_is_delivered_like_a_line_and_comes_round() {
    let folder = tempfile::tempdir().unwrap();
    let server = Running::start(&folder.path().join("p.jam")).await;
    for does in ["waits", "listens", "rests"] {
        let order =
            json!({"does": does, "seconds": 10.0, "character": "Bram", "seed": 3, "moods": "worry:0.4"});
        let (status, line) = server.answer(Method::POST, "/api/lines/idle", &order).await;
        assert_eq!(status, StatusCode::OK, "{line}");
        let summary = &line["summary"];
        assert_eq!(
            (&summary["state"], &summary["idle"], &summary["words"]),
            (&json!("timed"), &json!(true), &json!(0))
        );
        // Ten seconds of 24 frames, and the first one again.
        assert_eq!(summary["last_frame"].as_i64().unwrap() - summary["first_frame"].as_i64().unwrap(), 240);
        let id = summary["id"].as_i64().unwrap();
        let (head, rows) = table(&server, id, json!({"kinds": ["capture"]})).await;
        assert_eq!(rows.len(), 241, "{does}");
        let column = |name: &str| head.iter().position(|h| h == name).unwrap();
        let of = |c: usize| rows.iter().map(move |r| r[c]);
        for (c, name) in head.iter().enumerate().skip(2) {
            let (first, last) = (rows[0][c], rows[240][c]);
            let least = if name.starts_with("head") { 0.02 } else { 2e-3 };
            assert!((first - last).abs() <= least, "{does} {name}: {first} {last}");
            // It never goes faster over the seam than somewhere else.
            let step = |k: usize| (rows[k + 1][c] - rows[k][c]).abs();
            let most = (0..240).map(step).fold(0.0, f64::max);
            assert!((rows[1][c] - rows[239][c]).abs() <= 2.0 * most + 1e-4, "{does} {name}");
        }
        let spread = |name: &str| {
            of(column(name)).fold(f64::MIN, f64::max) - of(column(name)).fold(f64::MAX, f64::min)
        };
        assert!(spread("eyeBlinkLeft") > 0.8 && spread("headYaw") > 0.5, "{does}");
        // Handles go on round.
        let op = json!({"op": {"do": "frames", "frames": {"before": 24, "after": 24}}});
        let (status, answer) = server.answer(Method::POST, &format!("/api/lines/{id}/operations"), &op).await;
        assert_eq!(status, StatusCode::OK, "{answer}");
        let (_, longer) = table(&server, id, json!({"kinds": ["capture"]})).await;
        assert_eq!(longer.len(), 241 + 48);
        for k in 0..24 {
            for (c, name) in head.iter().enumerate().skip(2) {
                let (a, b) = (longer[k][c], longer[k + 240][c]);
                assert!(
                    (a - b).abs() <= if name.starts_with("head") { 0.02 } else { 2e-3 },
                    "{does} {name} {k}"
                );
            }
        }
        // Timed anew it is what it was.
        let (status, _) =
            server.answer(Method::POST, &format!("/api/lines/{id}/analyse"), &Value::Null).await;
        assert!(status.is_success());
        let after = server.settled(id).await;
        assert_eq!(
            (&after["summary"]["state"], &after["summary"]["problem"]),
            (&json!("timed"), &Value::Null)
        );
    }
    for (order, field) in [
        (json!({"does": "waits", "seconds": 1.0}), "seconds"),
        (json!({"does": "waits", "seconds": 10.0, "moods": "boredom"}), "moods"),
    ] {
        let (status, answer) = server.answer(Method::POST, "/api/lines/idle", &order).await;
        assert_eq!((status, answer["field"].as_str()), (StatusCode::UNPROCESSABLE_ENTITY, Some(field)));
    }
    server.stop().await;
}

/// Before its sound and after its tail a face is alive: it moves on where it was, and blinks.
#[tokio::test(flavor = "multi_thread")]
async fn a_line_lives_in_its_handles() {
    let folder = tempfile::tempdir().unwrap();
    let server = Running::start(&folder.path().join("p.jam")).await;
    let id = server.timed_line().await;
    let (head, plain) = table(&server, id, json!({"kinds": ["capture"]})).await;
    let op = json!({"op": {"do": "frames", "frames": {"before": 240, "after": 240}}});
    let (status, answer) = server.answer(Method::POST, &format!("/api/lines/{id}/operations"), &op).await;
    assert_eq!(status, StatusCode::OK, "{answer}");
    let (_, rows) = table(&server, id, json!({"kinds": ["capture"]})).await;
    assert_eq!(rows.len(), plain.len() + 480);
    assert_eq!(rows[240][2..], plain[0][2..], "the line itself is as it was");
    let column = |name: &str| head.iter().position(|h| h == name).unwrap();
    let (blink, yaw, jaw) = (column("eyeBlinkLeft"), column("headYaw"), column("jawOpen"));
    for handle in [&rows[..240], &rows[rows.len() - 240..]] {
        let spread = |c: usize| {
            let of = || handle.iter().map(|r| r[c]);
            of().fold(f64::MIN, f64::max) - of().fold(f64::MAX, f64::min)
        };
        assert!(spread(blink) > 0.8 && spread(yaw) > 0.5 && spread(jaw) == 0.0);
    }
    let most = rows.windows(2).map(|w| (w[1][yaw] - w[0][yaw]).abs()).fold(0.0, f64::max);
    for seam in [239, rows.len() - 242] {
        let step = (rows[seam + 1][yaw] - rows[seam][yaw]).abs();
        assert!(step < 0.3 && step <= most, "{step} of {most}");
    }
    server.stop().await;
}
