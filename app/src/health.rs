//! `jamlips check-data`: whether a production's data file is whole.

use crate::out;
use anyhow::bail;
use clap::Args;
use jam_store::Health;
use std::path::PathBuf;
use std::process::ExitCode;

pub const EXAMPLES: &str = "Examples:
  jamlips check-data production.jam
  jamlips check-data production.jam --json";

#[derive(Args)]
pub struct CheckData {
    /// The production's data file; it is only read.
    file: PathBuf,
    /// As JSON.
    #[arg(long)]
    json: bool,
}

pub fn check(options: &CheckData) -> anyhow::Result<ExitCode> {
    if !options.file.exists() {
        bail!("there is no file {}", options.file.display());
    }
    let health = Health::of(&options.file)?;
    let whole = if health.faults.is_empty() { ExitCode::SUCCESS } else { ExitCode::FAILURE };
    if options.json {
        out::print(&format!("{}\n", serde_json::to_string_pretty(&health)?))?;
        return Ok(whole);
    }
    let Health { layout, lines, steps, files, bytes, faults } = &health;
    let older = if *layout < Health::NEWEST { ", brought up to date when it is opened" } else { "" };
    let mut says = format!(
        "layout {layout} of {}{older}\nlines: {lines}, steps: {steps}, files: {files} of {:.1} MB\n",
        Health::NEWEST,
        *bytes as f64 / 1e6
    );
    for fault in faults {
        says += &format!("{fault}\n");
    }
    says += match faults.len() {
        0 => "All of it can be read.\n",
        _ => {
            "What is named above is damaged; a copy of the file, or `jamlips export` of what can be read, saves the rest.\n"
        }
    };
    out::print(&says)?;
    Ok(whole)
}
