//! `jamlips edit`: operations on a line of a production, the same ones that the page makes.

use crate::out;
use anyhow::{Context, bail};
use clap::Args;
use jam_desk::Op;
use jam_server::{App, Asked, Settings};
use serde::Deserialize;
use std::io::Read;
use std::path::PathBuf;
use std::sync::Arc;

pub const EXAMPLES: &str = "Examples:
  echo '{\"op\": {\"do\": \"add_blink\", \"time\": 1.2}}' | jamlips edit --data production.jam --line 3
  jamlips edit --data production.jam --line 3 steps.jsonl

Each line of the file is one of:
  {\"op\": {\"do\": …}, \"gesture\": \"one drag\", \"made_on\": 12}    an operation, as the page sends it
  {\"turn\": \"undo\"}   {\"turn\": \"redo\"}
What each operation takes is in the description of the API (web/openapi.json, Op).";

#[derive(Args)]
pub struct Edit {
    /// The production's data file.
    #[arg(long, value_name = "FILE")]
    data: PathBuf,
    /// The line, by its place in the production, from 1.
    #[arg(long, value_name = "N")]
    line: usize,
    /// A file of operations, JSON, one a line; without it they are read from standard input.
    operations: Option<PathBuf>,
}

#[derive(Deserialize)]
#[serde(rename_all = "snake_case")]
enum Turn {
    Undo,
    Redo,
}

#[derive(Deserialize)]
#[serde(deny_unknown_fields)]
struct Step {
    op: Option<Op>,
    turn: Option<Turn>,
    gesture: Option<String>,
    /// The line's revision that it was made on.
    made_on: Option<i64>,
}

/// Makes the operations one after the other, waits for what follows from them, and prints the line's document.
pub fn run(options: &Edit) -> anyhow::Result<()> {
    if !options.data.exists() {
        bail!("there is no file {}", options.data.display());
    }
    let text = match &options.operations {
        Some(file) => String::from_utf8(crate::read(file)?).context("the operations are no text")?,
        None => {
            let mut text = String::new();
            std::io::stdin().read_to_string(&mut text).context("the operations cannot be read")?;
            text
        }
    };
    // Alone: a running Jam Lips would not tell its pages of what is done here.
    let store = jam_store::Store::open_alone(&options.data)?;
    let lines = store.lines()?;
    let line = options.line.checked_sub(1).and_then(|i| lines.get(i));
    let id =
        line.with_context(|| format!("there is no such line; the production’s last is {}", lines.len()))?.id;
    let app = Arc::new(App::new(store, Settings::default())?);
    for (i, step) in text.lines().enumerate().filter(|(_, l)| !l.trim().is_empty()) {
        let place = || format!("line {} of the operations", i + 1);
        let step: Step = serde_json::from_str(step).with_context(place)?;
        let asked = Asked { made_on: step.made_on, gesture: step.gesture };
        match (step.op, step.turn) {
            (Some(op), None) => app.operate(id, &op, &asked).map(drop),
            (None, Some(turn)) => app.turn_back(id, matches!(turn, Turn::Undo), &asked).map(drop),
            _ => bail!("{}: name an operation or a turn, one of both", place()),
        }
        .map_err(|problem| anyhow::anyhow!("{problem}"))
        .with_context(place)?;
        app.settle();
    }
    out::print(&(serde_json::to_string(&*app.line(id)?.document)? + "\n"))
}
