//! `jamlips export` and `jamlips import`: a production, or one character, as one file.

use crate::out;
use anyhow::{Context, bail};
use clap::Args;
use jam_store::{Came, Store, Whole};
use std::path::PathBuf;

pub const EXAMPLES: &str = "Examples:
  jamlips export --data fog.jam --out fog.jam.zip
  jamlips export --data fog.jam --character Bram --out bram.jam.zip
  jamlips import fog.jam.zip --data other.jam";

#[derive(Args)]
pub struct Export {
    /// The production's data file.
    #[arg(long, value_name = "FILE")]
    data: PathBuf,
    /// One character by its name, with its wiring and the production's poses, not all of it.
    #[arg(long, value_name = "NAME")]
    character: Option<String>,
    /// The file to write.
    #[arg(long, value_name = "FILE")]
    out: PathBuf,
}

pub fn export(options: &Export) -> anyhow::Result<()> {
    if !options.data.exists() {
        bail!("there is no file {}", options.data.display());
    }
    let store = Store::open(&options.data)?;
    let whole = match &options.character {
        None => Whole::Production,
        Some(name) => {
            let member = store.cast()?.into_iter().find(|m| m.title == *name);
            let member = member.with_context(|| format!("there is no character called “{name}”"))?;
            Whole::Character(member.id)
        }
    };
    out::write(&options.out, &store.export(whole)?)?;
    out::print(&format!("{}\n", options.out.display()))
}

#[derive(Args)]
pub struct Import {
    /// The file of a production or a character.
    file: PathBuf,
    /// The data file that it comes into; made if it does not exist. What is in it stays.
    #[arg(long, value_name = "FILE")]
    data: PathBuf,
}

pub fn import(options: &Import) -> anyhow::Result<()> {
    let bytes = crate::read(&options.file)?;
    // Alone: a running Jam Lips would not tell its pages of what comes in.
    let store = Store::open_alone(&options.data)?;
    let Came { lines, characters } =
        store.import(&bytes).with_context(|| options.file.display().to_string())?;
    out::print(&format!("lines: {lines}\ncharacters: {characters}\n"))
}
