//! `cargo xtask laws MINUTES`: the property tests with new cases, round after round. A case that fails is shrunk and
//! kept beside its test (proptest's regression files, to be committed), so that every later run tries it first.

use anyhow::{Context, Result, bail};
use std::collections::BTreeMap;
use std::path::{Path, PathBuf};
use std::process::{Command, Stdio};
use std::time::{Duration, Instant, SystemTime};

/// Cases of a property test that does not say how many.
const USUAL_CASES: u64 = 256;

/// Names of the property tests of a source file, and how many cases each draws.
fn laws_in(source: &str) -> BTreeMap<String, u64> {
    let mut found = BTreeMap::new();
    for block in source.split("proptest! {").skip(1) {
        let says = block.split_once("with_cases(").map_or("", |(_, rest)| rest);
        let number: String = says.chars().take_while(char::is_ascii_digit).collect();
        let cases = number.parse().unwrap_or(USUAL_CASES);
        for function in block.split("fn ").skip(1) {
            // Only functions whose arguments are drawn are laws; what follows the block is an ordinary test.
            if let Some((name, rest)) = function.split_once('(')
                && let Some((arguments, _)) = rest.split_once(") {")
                && name.chars().all(|c| c.is_alphanumeric() || c == '_')
                && arguments.contains(" in ")
                && !arguments.contains(';')
            {
                found.insert(name.to_string(), cases);
            }
        }
    }
    found
}

fn sources(folder: &Path, found: &mut BTreeMap<String, u64>) -> Result<()> {
    for entry in std::fs::read_dir(folder)? {
        let path = entry?.path();
        let name = path.file_name().and_then(|n| n.to_str()).unwrap_or_default();
        if path.is_dir() && !matches!(name, "target" | "node_modules" | ".git" | "web") {
            sources(&path, found)?;
        } else if name.ends_with(".rs") && !path.ends_with("xtask/src/laws.rs") {
            found.extend(laws_in(&std::fs::read_to_string(&path)?));
        }
    }
    Ok(())
}

/// Test programs of the workspace with the laws each holds.
fn programs(root: &Path, cargo: &str, laws: &BTreeMap<String, u64>) -> Result<Vec<(PathBuf, Vec<String>)>> {
    let built = Command::new(cargo)
        .args(["test", "--workspace", "--no-run", "--message-format=json"])
        .current_dir(root)
        .stderr(Stdio::inherit())
        .output()?;
    if !built.status.success() {
        bail!("the tests cannot be built");
    }
    let text = String::from_utf8_lossy(&built.stdout);
    let mut programs = Vec::new();
    // Examples are built too; only what was built as a test has tests to list.
    let is_test = |line: &&str| {
        let profile = line.split("\"profile\":{").nth(1).and_then(|r| r.split('}').next());
        profile.is_some_and(|p| p.contains("\"test\":true"))
    };
    for line in text.lines().filter(|l| l.contains("\"compiler-artifact\"")).filter(is_test) {
        let Some(path) = line.split("\"executable\":\"").nth(1).and_then(|r| r.split('"').next()) else {
            continue;
        };
        let listed = Command::new(path).arg("--list").output().context("a test program cannot be started")?;
        let own: Vec<String> = String::from_utf8_lossy(&listed.stdout)
            .lines()
            .filter_map(|l| l.strip_suffix(": test"))
            .filter(|name| laws.contains_key(name.rsplit("::").next().unwrap_or(name)))
            .map(str::to_string)
            .collect();
        if !own.is_empty() {
            programs.push((PathBuf::from(path), own));
        }
    }
    Ok(programs)
}

/// Draws new cases for so many minutes and says how many held.
pub fn run(root: &Path, cargo: &str, minutes: u64) -> Result<()> {
    let mut laws = BTreeMap::new();
    sources(root, &mut laws)?;
    let programs = programs(root, cargo, &laws)?;
    let end = Instant::now() + Duration::from_secs(60 * minutes);
    let first = SystemTime::now().duration_since(SystemTime::UNIX_EPOCH)?.as_secs();
    let (mut held, mut failed, mut rounds) = (0u64, Vec::new(), 0u64);
    while Instant::now() < end {
        let seed = first + rounds;
        for (program, own) in &programs {
            let run = Command::new(program)
                .arg("--exact")
                .args(own)
                .current_dir(root)
                .env("PROPTEST_RNG_SEED", seed.to_string())
                .output()?;
            let text = String::from_utf8_lossy(&run.stdout);
            for name in own {
                let short = name.rsplit("::").next().unwrap_or(name);
                if text.contains(&format!("test {name} ... ok")) {
                    held += laws[short];
                } else if !failed.contains(name) {
                    eprintln!("{text}{}", String::from_utf8_lossy(&run.stderr));
                    failed.push(name.clone());
                }
            }
            if Instant::now() > end {
                break;
            }
        }
        rounds += 1;
    }
    println!("{} laws, {rounds} rounds from seed {first}: {held} cases held", laws.len());
    if !failed.is_empty() {
        bail!("broken: {}; the cases are kept beside their tests", failed.join(", "));
    }
    Ok(())
}
