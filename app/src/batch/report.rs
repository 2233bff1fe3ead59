//! What came of a plan, from its records alone: as JSON, and as a page to read.

use super::folder::{Done, Failed, Folder};
use super::run::Counts;
use super::unit::{Shop, Unit};
use crate::out;
use jam_formats::out::{address, escaped};
use serde::Serialize;
use std::fmt::Write as _;

#[derive(Debug, Serialize)]
pub struct Report {
    format: &'static str,
    version: String,
    pub units: usize,
    /// Worked out; of a run, by that run.
    pub done: usize,
    /// Of a run: done before it.
    pub skipped: usize,
    pub failed: Vec<FailedUnit>,
    /// Not worked out yet, or changed since.
    pub missing: Vec<String>,
}

#[derive(Debug, Serialize)]
pub struct FailedUnit {
    id: String,
    code: String,
    message: String,
    host: String,
    again: bool,
}

/// Reads the records, writes `report.json` and `report.html`. `run` is what a run did just now.
pub fn write(folder: &Folder, shop: &Shop, units: &[Unit], run: Option<Counts>) -> anyhow::Result<Report> {
    let (mut done, mut failed, mut missing) = (Vec::new(), Vec::new(), Vec::new());
    for unit in units {
        let key = shop.key_of(unit).unwrap_or_default();
        match (folder.done(&unit.id).filter(|d| d.key == key), folder.failed(&unit.id)) {
            (Some(own), _) => done.push((unit, own)),
            // One that never got as far as a key failed for what it was made from.
            (None, Some(own)) if own.key == key || own.key.is_empty() => failed.push((unit, own)),
            _ => missing.push(unit.id.clone()),
        }
    }
    let report = Report {
        format: "jam-lips-batch/1",
        version: shop.version().into(),
        units: units.len(),
        done: run.map_or(done.len(), |run| run.done),
        skipped: run.map_or(0, |run| run.skipped),
        failed: failed
            .iter()
            .map(|(_, f)| FailedUnit {
                id: f.id.clone(),
                code: f.failure.code.clone(),
                message: f.failure.message.clone(),
                host: f.host.clone(),
                again: f.failure.again,
            })
            .collect(),
        missing,
    };
    out::write(&folder.path().join("report.json"), &serde_json::to_vec_pretty(&report)?)?;
    // What needs a look stands first: words that were not heard, then what the check list says.
    let doubt = |d: &Done| {
        let words = d.summary.doubtful as f64 / d.summary.words.max(1) as f64;
        let findings: usize = d.summary.findings.iter().map(|f| f.1).sum();
        (words, findings)
    };
    done.sort_by(|(_, a), (_, b)| {
        let (a, b) = (doubt(a), doubt(b));
        b.0.total_cmp(&a.0).then(b.1.cmp(&a.1))
    });
    out::write(&folder.path().join("report.html"), page(&report, &done, &failed)?.as_bytes())?;
    Ok(report)
}

const STYLE: &str = "body{margin:0 auto;max-width:64rem;padding:1.5rem;font:16px/1.5 system-ui,sans-serif;background:#faf5ea;color:#2a1f2d}h1,h2{line-height:1.2}article{border-top:1px solid #d9cdb8;padding:.8rem 0}h3{margin:0;font-size:1rem}p{margin:.2rem 0}.soft{color:#635763}.bad{color:#a3203f}audio{height:2.2rem;vertical-align:middle;margin-right:1rem}svg{vertical-align:middle}ul{margin:.2rem 0;padding-left:1.2rem}a{color:inherit}";

/// A path of a record as a link.
fn link(path: &str) -> String {
    let path = path.replace('\\', "/");
    // A colon in the first part would read as a scheme.
    let start = if path.starts_with(['/', '.']) { "" } else { "./" };
    format!("{start}{}", address(&path))
}

/// The mouth at even times, as on a strip of film.
fn strip(mouths: &[(f32, f32)]) -> String {
    let wide = 26 * mouths.len();
    let mut out = format!(
        "<svg width=\"{wide}\" height=\"28\" viewBox=\"0 0 {wide} 28\" role=\"img\" aria-label=\"the mouth through the line\">"
    );
    for (k, (open, spread)) in mouths.iter().enumerate() {
        let (rx, ry) = (8.0 + 3.0 * spread.clamp(-1.0, 1.0), 1.0 + (16.0 * open).clamp(0.0, 12.0));
        let x = 26 * k + 13;
        // Writing to text never fails.
        let _ = write!(out, "<ellipse cx=\"{x}\" cy=\"14\" rx=\"{rx:.1}\" ry=\"{ry:.1}\" fill=\"#7d1f38\"/>");
    }
    out + "</svg>"
}

fn page(report: &Report, done: &[(&Unit, Done)], failed: &[(&Unit, Failed)]) -> anyhow::Result<String> {
    let mut out = format!(
        "<!doctype html>\n<html lang=\"en\"><head><meta charset=\"utf-8\"><meta name=\"viewport\" content=\"width=device-width\"><title>Many lines</title><style>{STYLE}</style></head><body>\n<h1>{} lines: {} done, {} failed, {} missing</h1>\n<p class=\"soft\">What needs a look stands first. {}</p>\n",
        report.units,
        done.len(),
        failed.len(),
        report.missing.len(),
        escaped(&report.version),
    );
    if !failed.is_empty() {
        out += "<h2>Failed</h2>\n";
    }
    for (unit, failed) in failed {
        writeln!(
            out,
            "<article><h3>{}</h3><p class=\"bad\">{}</p><p class=\"soft\">{} · {}{}</p></article>",
            escaped(&unit.id),
            escaped(&failed.failure.message),
            escaped(&unit.recording.to_string_lossy()),
            escaped(&failed.failure.code),
            if failed.failure.again { " · may go better another time" } else { "" },
        )?;
    }
    if !report.missing.is_empty() {
        write!(
            out,
            "<h2>Missing</h2>\n<p>Not worked out yet, or changed since: {}</p>\n",
            escaped(&report.missing.join(", "))
        )?;
    }
    out += "<h2>Done</h2>\n";
    for (unit, done) in done {
        let s = &done.summary;
        let draft = if s.drafted { " · a draft, to be read over" } else { "" };
        let heard = match (s.words, s.doubtful) {
            (0, _) => "no words, sounds alone".to_string(),
            (words, 0) => format!("all {words} words heard"),
            (words, doubtful) => format!("<span class=\"bad\">{doubtful} of {words} words doubtful</span>"),
        };
        writeln!(
            out,
            "<article><h3>{}</h3><p>{}</p><p class=\"soft\">{:.1} s · {heard}{draft}</p><p><audio controls preload=\"none\" src=\"{}\"></audio>{}</p>",
            escaped(&unit.id),
            if s.text.is_empty() { "<i>no text</i>".to_string() } else { escaped(&s.text) },
            s.length,
            link(&unit.recording.to_string_lossy()),
            strip(&s.mouths),
        )?;
        if !s.findings.is_empty() {
            out += "<ul>";
            for (title, count, says) in &s.findings {
                let times = if *count > 1 { format!(" ({count} times)") } else { String::new() };
                write!(out, "<li><b>{}</b>{times}: {}</li>", escaped(title), escaped(says))?;
            }
            out += "</ul>";
        }
        let files: Vec<String> = done
            .files
            .iter()
            .map(|f| {
                let name = f.name.rsplit('/').next().unwrap_or_default();
                format!("<a href=\"{}\">{}</a>", link(&f.name), escaped(name))
            })
            .collect();
        writeln!(out, "<p class=\"soft\">{}</p></article>", files.join(" · "))?;
    }
    out += "</body></html>\n";
    Ok(out)
}
