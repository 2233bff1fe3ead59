//! What the project is built of: every crate and package comes from its registry, under a licence that is on the list.

use anyhow::{Context, Result, ensure};
use serde_json::Value;
use spdx::{Expression, ParseMode};
use std::path::Path;
use std::process::Command;

/// Licences under which things may be shipped with the application: permissive ones, and those that ask for nothing beyond
/// the changed file itself (MPL) or the font itself (OFL).
const SHIPPED: [&str; 13] = [
    "MIT",
    "MIT-0",
    "Apache-2.0",
    "BSD-2-Clause",
    "BSD-3-Clause",
    "0BSD",
    "ISC",
    "Zlib",
    "CC0-1.0",
    "Unicode-3.0",
    "Unlicense",
    "MPL-2.0",
    "OFL-1.1",
];
/// And those of what only builds and checks the page.
const TOOLS: [&str; 3] = ["BlueOak-1.0.0", "Python-2.0", "CC-BY-4.0"];

/// Whether an expression is met by licences of a list.
fn is_met(expression: &str, tool: bool) -> bool {
    let on_list = |name: &str| SHIPPED.contains(&name) || (tool && TOOLS.contains(&name));
    // Older crates part alternatives by a slash.
    let parsed = Expression::parse_mode(expression, ParseMode::LAX);
    parsed.is_ok_and(|e| e.evaluate(|r| r.license.id().is_some_and(|l| on_list(l.name))))
}

/// What is wrong with crates, as cargo tells of them.
fn crates(told: &Value) -> Vec<String> {
    let text = |p: &Value, key: &str| p[key].as_str().unwrap_or_default().to_string();
    let wrong = |p: &Value| {
        let (name, licence, source) = (text(p, "name"), text(p, "license"), text(p, "source"));
        let ours = p["source"].is_null();
        if !ours && !source.starts_with("registry+") {
            return Some(format!("{name} comes from {source}, not from the registry"));
        }
        (!is_met(&licence, false)).then(|| format!("{name} is under “{licence}”, which is not on the list"))
    };
    told["packages"].as_array().into_iter().flatten().filter_map(wrong).collect()
}

/// What is wrong with packages of the page, as the lock file tells of them.
fn packages(lock: &Value) -> Vec<String> {
    let all = lock["packages"].as_object().into_iter().flatten().filter(|(place, _)| !place.is_empty());
    all.filter_map(|(place, p)| {
        let licence = p["license"].as_str().unwrap_or_default();
        if !p["integrity"].is_string() {
            return Some(format!("{place} has no checksum, so it comes from elsewhere than the registry"));
        }
        (!is_met(licence, p["dev"] == true))
            .then(|| format!("{place} is under “{licence}”, which is not on the list"))
    })
    .collect()
}

/// Looks at everything that the lock files name.
pub fn check(root: &Path, cargo: &str) -> Result<()> {
    println!("· licences of all that is built in");
    let told = Command::new(cargo)
        .args(["metadata", "--format-version", "1", "--locked"])
        .current_dir(root)
        .output()?;
    ensure!(told.status.success(), "{}", String::from_utf8_lossy(&told.stderr));
    let told: Value = serde_json::from_slice(&told.stdout)?;
    let lock = std::fs::read(root.join("web/package-lock.json")).context("web/package-lock.json")?;
    let mut wrong = crates(&told);
    wrong.extend(packages(&serde_json::from_slice(&lock)?));
    ensure!(wrong.is_empty(), "{}", wrong.join("\n"));
    Ok(())
}

#[cfg(test)]
mod tests {
    use super::*;
    use serde_json::json;

    /// Source: how expressions combine, SPDX specification 2.3, annex D.
    #[test]
    fn expressions_are_met_by_the_list() {
        for (expression, met) in [
            ("MIT OR GPL-3.0-only", true),
            ("MIT AND GPL-3.0-only", false),
            ("(MIT OR Apache-2.0) AND Unicode-3.0", true),
            ("MIT/Apache-2.0", true),
            ("GPL-2.0", false),
            ("", false),
            ("no licence", false),
        ] {
            assert_eq!(is_met(expression, false), met, "{expression}");
        }
        assert!(is_met("Python-2.0", true) && !is_met("Python-2.0", false));
    }

    #[test]
    fn what_is_not_from_the_registry_is_said() {
        let package =
            |source: Value, license: &str| json!({"name": "x", "license": license, "source": source});
        let told = json!({"packages": [package(json!(null), "MIT"), package(json!("registry+x"), "MIT"),
            package(json!("git+x"), "MIT"), package(json!("registry+x"), "AGPL-3.0-only")]});
        assert_eq!(crates(&told).len(), 2);
        let lock = json!({"packages": {"": {}, "a": {"license": "MIT", "integrity": "x"},
            "b": {"license": "MIT"}, "c": {"license": "Python-2.0", "integrity": "x"}}});
        assert_eq!(packages(&lock).len(), 2);
    }
}
