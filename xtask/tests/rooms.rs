//! The house has doors one way: no module of a crate reaches, by whatever way round, one that reaches it.
#![allow(clippy::unwrap_used)]

use std::collections::{BTreeMap, BTreeSet};
use std::path::Path;

/// Modules of a crate by their paths (`layers/mood`), with their text without comments and tests.
fn modules(folder: &Path, prefix: &str, out: &mut BTreeMap<String, String>) {
    for entry in std::fs::read_dir(folder).unwrap() {
        let path = entry.unwrap().path();
        let name = path.file_stem().unwrap().to_str().unwrap();
        if path.is_dir() {
            modules(&path, &format!("{prefix}{name}/"), out);
        } else if path.extension().is_some_and(|e| e == "rs") {
            let text = std::fs::read_to_string(&path).unwrap();
            let code = text.split("#[cfg(test)]").next().unwrap_or_default();
            let code: Vec<&str> = code.lines().map(|l| l.split("//").next().unwrap_or_default()).collect();
            let name =
                if name == "mod" { prefix.trim_end_matches('/').into() } else { format!("{prefix}{name}") };
            out.insert(name, code.join("\n"));
        }
    }
}

/// Paths that begin at the head of a text: one, or those of a tree in braces.
fn paths(text: &str, before: &[String], out: &mut Vec<Vec<String>>) {
    let text = text.trim_start();
    if let Some(inside) = text.strip_prefix('{') {
        let (mut depth, mut start) = (0, 0);
        for (i, c) in inside.char_indices() {
            match c {
                '{' => depth += 1,
                '}' if depth > 0 => depth -= 1,
                '}' | ',' if depth == 0 => {
                    paths(&inside[start..i], before, out);
                    start = i + 1;
                    if c == '}' {
                        return;
                    }
                }
                _ => {}
            }
        }
        return;
    }
    let word: String = text.chars().take_while(|c| c.is_alphanumeric() || *c == '_').collect();
    if word.is_empty() {
        return;
    }
    let mut path = before.to_vec();
    path.push(word.clone());
    match text[word.len()..].strip_prefix("::") {
        Some(rest) => paths(rest, &path, out),
        None => out.push(path),
    }
}

/// The modules that each module names.
fn doors(modules: &BTreeMap<String, String>) -> BTreeMap<String, BTreeSet<String>> {
    // What the crate's root hands on lives in the module it comes from.
    let mut handed = BTreeMap::new();
    for (at, _) in modules["lib"].match_indices("pub use ") {
        let mut found = Vec::new();
        paths(&modules["lib"][at + 8..], &[], &mut found);
        for path in found {
            handed.insert(path[path.len() - 1].clone(), path[..path.len() - 1].join("/"));
        }
    }
    let home = |path: &[String]| {
        let longest = (1..=path.len()).rev().map(|n| path[..n].join("/")).find(|m| modules.contains_key(m));
        longest.or_else(|| handed.get(path.first()?).filter(|m| modules.contains_key(*m)).cloned())
    };
    let mut doors = BTreeMap::new();
    for (name, text) in modules.iter().filter(|(name, _)| *name != "lib" && *name != "main") {
        let own: Vec<String> = name.split('/').map(str::to_string).collect();
        let mut named = Vec::new();
        for (at, _) in text.match_indices("crate::").filter(|(at, _)| !text[..*at].ends_with("pub(")) {
            paths(&text[at + 7..], &[], &mut named);
        }
        for (at, _) in text.match_indices("super::") {
            paths(&text[at + 7..], &own[..own.len() - 1], &mut named);
        }
        let below = |m: &&String| m.rsplit_once('/').is_some_and(|(parent, _)| parent == name);
        let children = modules.keys().filter(below);
        let children = children.filter(|m| text.contains(&format!("{}::", m.rsplit('/').next().unwrap())));
        let all = named.iter().filter_map(|p| home(p)).chain(children.cloned());
        doors.insert(name.clone(), all.filter(|m| m != name).collect());
    }
    doors
}

/// Whether a way leads from a module back to it.
fn returns(doors: &BTreeMap<String, BTreeSet<String>>, module: &str) -> bool {
    let (mut seen, mut open) = (BTreeSet::new(), vec![module]);
    while let Some(here) = open.pop() {
        for next in doors.get(here).into_iter().flatten() {
            if next == module {
                return true;
            }
            if seen.insert(next.as_str()) {
                open.push(next);
            }
        }
    }
    false
}

#[test]
fn no_module_reaches_itself() {
    let root = Path::new(env!("CARGO_MANIFEST_DIR")).parent().unwrap();
    for library in [
        "core/sound",
        "core/voice",
        "core/score",
        "core/rig",
        "core/face",
        "core/desk",
        "formats",
        "store",
        "server",
    ] {
        let mut all = BTreeMap::new();
        modules(&root.join(library).join("src"), "", &mut all);
        let doors = doors(&all);
        assert!(
            library == "core/sound" || doors.values().any(|d| !d.is_empty()),
            "{library}: no doors were found"
        );
        let round: Vec<&String> = doors.keys().filter(|m| returns(&doors, m)).collect();
        assert!(round.is_empty(), "{library}: modules in a circle: {round:?}");
    }
}

/// Which crates know which, as `docs/architecture.md` draws it: nothing below knows what is above.
#[test]
fn crates_know_only_what_lies_below() {
    let root = Path::new(env!("CARGO_MANIFEST_DIR")).parent().unwrap();
    let knows = |library: &str, other: &str| {
        let manifest = std::fs::read_to_string(root.join(library).join("Cargo.toml")).unwrap();
        let own = manifest.split("[dependencies]").nth(1).unwrap_or_default();
        let own = own.split("\n[").next().unwrap_or_default();
        own.lines().any(|l| l.starts_with(other) && l[other.len()..].starts_with('.'))
    };
    let never = [
        ("core/sound", &["jam-voice", "jam-rig", "jam-face", "jam-desk", "jam-formats", "jam-store"][..]),
        (
            "core/score",
            &["jam-sound", "jam-voice", "jam-rig", "jam-face", "jam-desk", "jam-formats", "jam-store"],
        ),
        ("core/voice", &["jam-rig", "jam-face", "jam-desk", "jam-formats", "jam-store"]),
        ("core/rig", &["jam-sound", "jam-voice", "jam-face", "jam-desk", "jam-formats", "jam-store"]),
        ("core/shape", &["jam-sound", "jam-voice", "jam-face", "jam-desk", "jam-formats", "jam-store"]),
        ("core/face", &["jam-sound", "jam-voice", "jam-desk", "jam-formats", "jam-store"]),
        ("core/desk", &["jam-formats", "jam-store", "jam-server", "diesel", "axum"]),
        ("formats", &["jam-voice", "jam-face", "jam-desk", "jam-store", "jam-server"]),
        ("store", &["jam-voice", "jam-face", "jam-desk", "jam-formats", "jam-server", "axum"]),
    ];
    for (library, others) in never {
        let known: Vec<&&str> = others.iter().filter(|o| knows(library, o)).collect();
        assert!(known.is_empty(), "{library} knows {known:?}");
    }
    assert!(knows("core/desk", "jam-face"), "dependencies are read");
}
