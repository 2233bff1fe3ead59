//! The description of the interface as a page to read.

use serde_json::Value;
use std::fmt::Write;

const STYLE: &str = "body{font:15px/1.5 system-ui,sans-serif;max-width:60rem;margin:2rem auto;padding:0 1rem;color:#2a2030;background:#fbf6ec}\
h1,h2{font-family:Georgia,serif}code,pre{font:13px/1.5 ui-monospace,monospace}pre{background:#f2e9d8;padding:.8rem;overflow-x:auto}\
details{border-bottom:1px solid #ddd0ba;padding:.4rem 0}summary{cursor:pointer}td,th{text-align:left;vertical-align:top;padding:.2rem 1rem .2rem 0}\
b.way{display:inline-block;width:4.5rem;color:#b82a48}";

fn escaped(text: &str) -> String {
    text.replace('&', "&amp;").replace('<', "&lt;").replace('>', "&gt;")
}

/// A text of the description; what stands between backticks is code.
fn text(value: &Value) -> String {
    let parts = value.as_str().unwrap_or_default().split('`').enumerate();
    let part = |(k, part): (usize, &str)| match k % 2 {
        1 => format!("<code>{}</code>", escaped(part)),
        _ => escaped(part),
    };
    parts.map(part).collect()
}

/// What a schema is, in a word.
fn kind(schema: &Value) -> String {
    if let Some(name) = schema["$ref"].as_str() {
        return escaped(name.rsplit('/').next().unwrap_or_default());
    }
    if let Some(either) = schema["oneOf"].as_array().or(schema["anyOf"].as_array()) {
        return either.iter().map(kind).collect::<Vec<_>>().join(" or ");
    }
    let named = |kind: &Value| match kind {
        // That a field may be left out is said by what is needed.
        Value::Array(all) => all.iter().filter(|k| *k != "null").map(text).collect::<Vec<_>>().join(" or "),
        other => text(other),
    };
    match (schema["type"].as_str(), schema["format"].as_str()) {
        (Some("array"), _) => format!("list of {}", kind(&schema["items"])),
        (_, Some("binary")) => "file".into(),
        _ => named(&schema["type"]),
    }
}

/// The fields of a form or an object.
fn fields(all: &Value, schema: &Value, out: &mut String) {
    let schema = match schema["$ref"].as_str().and_then(|r| r.strip_prefix('#')) {
        Some(path) => all.pointer(path).unwrap_or(&Value::Null),
        None => schema,
    };
    let Some(properties) = schema["properties"].as_object() else { return };
    let must = |name: &str| schema["required"].as_array().is_some_and(|r| r.iter().any(|own| own == name));
    out.push_str("<table>");
    for (name, own) in properties {
        let needed = if must(name) { ", needed" } else { "" };
        let _ = write!(
            out,
            "<tr><td><code>{}</code></td><td>{}{needed}</td><td>{}</td></tr>",
            escaped(name),
            kind(own),
            text(&own["description"])
        );
    }
    out.push_str("</table>");
}

/// The page.
pub fn page(all: &Value) -> String {
    let mut out = format!(
        "<!doctype html><html lang=\"en\"><meta charset=\"utf-8\"><title>Jam Lips: for other programs</title><style>{STYLE}</style><h1>Jam Lips, for other programs</h1>\
<p>Addresses under <code>/api/v1</code> stay as they are. The others belong to the page of this version. The same for programs: <a href=\"/api/openapi.json\">/api/openapi.json</a>. Errors are problem documents (RFC 9457) with a code and a sentence.</p>\
<pre>curl -F recording=@line.wav -F text='Pull the shutters down.' http://127.0.0.1:7420/api/v1/curves</pre>"
    );
    let none = serde_json::Map::new();
    let paths = all["paths"].as_object().unwrap_or(&none);
    let (first, rest): (Vec<_>, Vec<_>) = paths.iter().partition(|(path, _)| path.starts_with("/api/v1/"));
    for (title, paths) in [("Version 1", first), ("The page's own", rest)] {
        let _ = write!(out, "<h2>{title}</h2>");
        for (path, ways) in paths {
            for (way, own) in ways.as_object().unwrap_or(&none) {
                let open = if path.starts_with("/api/v1/") { " open" } else { "" };
                let _ = write!(
                    out,
                    "<details{open}><summary><b class=\"way\">{}</b> <code>{}</code></summary><p>{}</p>",
                    way.to_uppercase(),
                    escaped(path),
                    text(&own["summary"]) + " " + &text(&own["description"])
                );
                for parameter in own["parameters"].as_array().into_iter().flatten() {
                    let _ = write!(
                        out,
                        "<div><code>{}</code>, {}: {}</div>",
                        text(&parameter["name"]),
                        text(&parameter["in"]),
                        kind(&parameter["schema"])
                    );
                }
                for (media, body) in own["requestBody"]["content"].as_object().unwrap_or(&none) {
                    let _ = write!(
                        out,
                        "<p>Takes <code>{}</code>, {}</p>",
                        escaped(media),
                        kind(&body["schema"])
                    );
                    fields(all, &body["schema"], &mut out);
                }
                out.push_str("<p>Answers</p><table>");
                for (status, answer) in own["responses"].as_object().unwrap_or(&none) {
                    let kinds = answer["content"].as_object().unwrap_or(&none).iter();
                    let kinds: Vec<String> = kinds
                        .map(|(media, body)| format!("{} {}", escaped(media), kind(&body["schema"])))
                        .collect();
                    let _ = write!(
                        out,
                        "<tr><td>{}</td><td>{}</td><td>{}</td></tr>",
                        escaped(status),
                        text(&answer["description"]),
                        kinds.join("<br>")
                    );
                }
                out.push_str("</table></details>");
            }
        }
    }
    out
}
