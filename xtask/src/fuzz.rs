//! `cargo xtask fuzz MINUTES [READER]`: looks for bytes that break a reader, guided by the code that they reach. libFuzzer
//! with the coverage flags of the compiler as it is; nothing of another toolchain is needed.

use anyhow::{Context, Result, ensure};
use std::collections::BTreeSet;
use std::path::Path;
use std::process::{Command, Stdio};

/// What tells the search which code was reached, and overflows that would go unseen.
const FLAGS: [&str; 8] = [
    "-Cpasses=sancov-module",
    "-Cllvm-args=-sanitizer-coverage-level=4",
    "-Cllvm-args=-sanitizer-coverage-inline-8bit-counters",
    "-Cllvm-args=-sanitizer-coverage-pc-table",
    "-Cllvm-args=-sanitizer-coverage-trace-compares",
    "-Cdebug-assertions",
    "-Coverflow-checks",
    "--cfg=fuzzing",
];

/// Seconds that one input may take, megabytes of memory, and bytes of an input.
const LIMITS: [&str; 3] = ["-timeout=5", "-rss_limit_mb=2048", "-max_len=20000"];
/// Most words that the search is told of.
const MOST_WORDS: usize = 1500;

/// The machine that programs are built for: flags go to what is built for one by name, and not to what builds it.
fn host() -> Result<String> {
    let told = Command::new("rustc").arg("-vV").output()?;
    let told = String::from_utf8(told.stdout)?;
    let host = told.lines().find_map(|l| l.strip_prefix("host: ")).context("rustc does not say its host")?;
    Ok(host.into())
}

/// Words in quotes of some files, as the search reads them: what it would take long to guess.
fn words(files: &[std::path::PathBuf]) -> Result<String> {
    let mut words = BTreeSet::new();
    for file in files {
        let bytes = std::fs::read(file)?;
        let text = String::from_utf8_lossy(&bytes);
        let plain = |w: &&str| {
            (1..32).contains(&w.len()) && w.chars().all(|c| c.is_ascii_alphanumeric() || "_-./".contains(c))
        };
        words.extend(text.split('"').skip(1).step_by(2).filter(plain).map(str::to_string));
    }
    Ok(words.iter().take(MOST_WORDS).map(|w| format!("\"\\\"{w}\\\"\"\n")).collect())
}

fn files(folder: &Path) -> Result<Vec<std::path::PathBuf>> {
    if !folder.exists() {
        return Ok(Vec::new());
    }
    std::fs::read_dir(folder)?.map(|e| Ok(e?.path())).collect()
}

/// A number that libFuzzer says at its end.
fn said(output: &str, what: &str) -> u64 {
    let number = |l: &str| l.split_once(what)?.1.split_whitespace().next()?.parse().ok();
    output.lines().rev().find_map(number).unwrap_or(0)
}

/// Why the search stopped. Panics that a reader catches are told, too, and stop nothing; one that it does not catch is the
/// last.
fn why_it_stopped(told: &str) -> String {
    let error = told.lines().rev().find(|l| l.contains("ERROR:")).unwrap_or("it does not say why");
    if !error.contains("deadly signal") {
        return error.to_string();
    }
    let lines: Vec<&str> = told.lines().collect();
    let Some(place) = lines.iter().rposition(|l| l.contains("panicked at")) else { return error.to_string() };
    [lines[place], lines.get(place + 1).copied().unwrap_or_default()].join(" ")
}

/// Looks for so many minutes a reader.
pub fn run(root: &Path, cargo: &str, minutes: f64, only: Option<&str>) -> Result<()> {
    let target = root.join("target/fuzz");
    let built = Command::new(cargo)
        .args(["build", "--release", "--package", "jam-fuzz", "--features", "guided", "--bin", "guided"])
        .args(["--target", &host()?])
        .env("CARGO_TARGET_DIR", &target)
        .env("CARGO_ENCODED_RUSTFLAGS", FLAGS.join("\u{1f}"))
        .current_dir(root)
        .status()?;
    ensure!(built.success(), "the search cannot be built");
    let program = target.join(host()?).join("release/guided");
    let seeds = root.join("fuzz/seeds");
    let mut readers: Vec<String> = files(&seeds)?
        .iter()
        .filter_map(|p| Some(p.file_name()?.to_str()?.to_string()))
        .filter(|r| only.is_none_or(|o| o == r))
        .collect();
    readers.sort();
    ensure!(!readers.is_empty(), "no reader is called that; fuzz/seeds has a folder for each");
    let mut broken = 0;
    println!(
        "| reader | inputs tried | places of the code reached | most memory | broken by |\n|---|---|---|---|---|"
    );
    for reader in &readers {
        let kept = target.join("kept").join(reader);
        let found = root.join("fuzz/found").join(reader);
        std::fs::create_dir_all(&kept)?;
        std::fs::create_dir_all(&found)?;
        let mut sources = files(&seeds.join(reader))?;
        if reader == "operation" {
            sources.push(root.join("web/openapi.json"));
        }
        let dictionary = target.join(format!("{reader}.words"));
        let told = words(&sources)?;
        let known = !told.is_empty();
        std::fs::write(&dictionary, told)?;
        // It stops at the first input that breaks a reader.
        let output = Command::new(&program)
            .args([&kept, &seeds.join(reader), &found])
            .args(LIMITS)
            .arg(format!("-max_total_time={}", (60.0 * minutes).ceil()))
            .arg(format!("-artifact_prefix={}/", found.display()))
            .args(known.then(|| format!("-dict={}", dictionary.display())))
            .args(["-print_final_stats=1", "-verbosity=1", "-use_value_profile=1"])
            .env("JAM_READER", reader)
            .stdout(Stdio::null())
            .output()?;
        let told = String::from_utf8_lossy(&output.stderr);
        std::fs::remove_dir(&found).ok();
        let tried = said(&told, "stat::number_of_executed_units:");
        let (reached, most) = (said(&told, " cov:"), said(&told, "stat::peak_rss_mb:"));
        let why = if output.status.success() {
            "nothing".to_string()
        } else {
            broken += 1;
            why_it_stopped(&told)
        };
        println!("| {reader} | {tried} | {reached} | {most} MB | {why} |");
    }
    ensure!(
        broken == 0,
        "{broken} readers broke; what broke them lies in fuzz/found, and is read in every test run"
    );
    Ok(())
}
