//! `jamlips deliver`: lines of a production as files for other programs.

use crate::files::{self, Files};
use crate::out;
use anyhow::{Context, bail};
use clap::Args;
use jam_formats::deliver::{FileKind, OutFile};
use jam_formats::manifest::free;
use jam_formats::recipe::Recipe;
use jam_server::App;
use jam_server::Settings;
use jam_server::deliver::{Ready, clips, timeline};
use jam_server::scenes::SceneReady;
use jam_store::NewDelivered;
use std::collections::{BTreeMap, BTreeSet};
use std::path::{Path, PathBuf};

pub const EXAMPLES: &str = "Examples:
  jamlips deliver --data fog.jam --out delivered
  jamlips deliver --data fog.jam --out delivered --lines 1,4-6 --files glb,usd,sheet
  jamlips deliver --data fog.jam --out delivered --together --timeline 12 --names \"{character}/{number}_{words}\"
  jamlips deliver --data fog.jam --out delivered --recipe \"for the edit\"
  jamlips deliver --data fog.jam --out delivered --scene \"The pier, night\" --files glb,usd --timeline 0";

#[derive(Args)]
pub struct Deliver {
    /// The production's data file; it may be open in a running Jam Lips.
    #[arg(long, value_name = "FILE")]
    data: PathBuf,
    /// The folder to write to; made if it does not exist.
    #[arg(long, value_name = "FOLDER")]
    out: PathBuf,
    /// Numbers of lines as the production counts them, such as 1,4-6; without it all that are timed.
    #[arg(long, value_name = "NUMBERS")]
    lines: Option<String>,
    /// A scene by its name instead of lines: its characters together, and its lines as a timeline where they start.
    #[arg(long, value_name = "NAME", conflicts_with_all = ["lines", "together"])]
    scene: Option<String>,
    /// A recipe of the production; what else is said here is not looked at then.
    #[arg(long, value_name = "NAME")]
    recipe: Option<String>,
    #[command(flatten)]
    files: Files,
    /// All lines of a character as clips of one GLB.
    #[arg(long)]
    together: bool,
    /// The lines in their order as a timeline (OpenTimelineIO), with so many frames between them.
    #[arg(long, value_name = "FRAMES")]
    timeline: Option<u32>,
    /// The template of file names, with words in braces; slashes are folders.
    #[arg(long, value_name = "TEMPLATE", default_value = jam_formats::names::USUAL)]
    names: String,
}

/// The numbers of `1,4-6`.
fn numbers(text: &str) -> anyhow::Result<BTreeSet<usize>> {
    let mut out = BTreeSet::new();
    for part in text.split(',').map(str::trim).filter(|p| !p.is_empty()) {
        let bad = || format!("“{part}” is no number of a line; write 1,4-6");
        let (from, to) = part.split_once('-').unwrap_or((part, part));
        let (from, to): (usize, usize) =
            (from.trim().parse().with_context(bad)?, to.trim().parse().with_context(bad)?);
        if to < from || to - from > 100_000 {
            bail!(bad());
        }
        out.extend(from..=to);
    }
    Ok(out)
}

fn put(folder: &Path, name: &str, bytes: &[u8], said: &mut Vec<String>) -> anyhow::Result<()> {
    let path = folder.join(name);
    out::write(&path, bytes)?;
    said.push(path.display().to_string());
    Ok(())
}

fn broken(problem: impl std::fmt::Display) -> anyhow::Error {
    anyhow::anyhow!("{problem}")
}

/// The files of a scene.
fn scene(app: &App, name: &str, recipe: &Recipe, folder: &Path) -> anyhow::Result<()> {
    let all = app.store.scenes()?;
    let names: Vec<&str> = all.iter().map(|(_, s)| s.name.as_str()).collect();
    let found = all.iter().find(|(_, s)| s.name == name);
    let (id, _) = found
        .with_context(|| format!("the production has no scene “{name}”; it has: {}", names.join(", ")))?;
    let ready = SceneReady::new(app, *id).and_then(|ready| ready.heard(app)).map_err(broken)?;
    let mut said = Vec::new();
    for kind in FileKind::with_sound(&recipe.kinds) {
        for file in ready.files(kind, recipe).map_err(broken)? {
            put(folder, &file.name, &file.bytes, &mut said)?;
        }
    }
    if recipe.timeline.is_some() {
        let (file, sounds) = ready.timeline(app, recipe, |_| None).map_err(broken)?;
        for file in std::iter::once(file).chain(sounds.into_iter().map(|(_, sound)| sound)) {
            put(folder, &file.file_name, &file.bytes, &mut said)?;
        }
    }
    out::print(&(said.join("\n") + "\n"))
}

pub fn run(options: &Deliver) -> anyhow::Result<()> {
    if !options.data.exists() {
        bail!("there is no file {}", options.data.display());
    }
    let app = App::new(jam_store::Store::open(&options.data)?, Settings::default())?;
    let recipe = match &options.recipe {
        None => options.files.recipe(options.together, options.timeline, &options.names),
        Some(name) => {
            let all = app.store.recipes()?;
            let names: Vec<&str> = all.iter().map(|(n, _)| n.as_str()).collect();
            let found = all.iter().find(|(n, _)| n == name);
            let (_, body) = found.with_context(|| {
                format!("the production has no recipe “{name}”; it has: {}", names.join(", "))
            })?;
            serde_json::from_str::<Recipe>(body)?
        }
    };
    recipe.check()?;
    if let Some(name) = &options.scene {
        return scene(&app, name, &recipe, &options.out);
    }
    let wanted = options.lines.as_deref().map(numbers).transpose()?;
    let all = app.store.lines()?;
    if let Some(missing) = wanted.iter().flatten().find(|n| **n == 0 || **n > all.len()) {
        bail!("there is no line {missing}; the production’s last is {}", all.len());
    }
    std::fs::create_dir_all(&options.out)?;
    let mut taken = BTreeSet::new();
    let mut said = Vec::new();
    let mut ready = Vec::new();
    let mut stems = BTreeSet::new();
    for (i, line) in all.iter().enumerate() {
        match &wanted {
            Some(wanted) if !wanted.contains(&(i + 1)) => continue,
            Some(_) if line.document.timing.is_none() => bail!("line {} has no times yet", i + 1),
            None if line.document.timing.is_none() => continue,
            _ => {}
        }
        let mut own = Ready::new(&app, line.id, &recipe)
            .map_err(|problem| anyhow::anyhow!("line {}: {problem}", i + 1))?;
        // Two lines of one name do not take each other's place.
        own.stem = free(&own.stem, &mut stems);
        let path = |file: &OutFile| {
            let path = options.out.join(format!("{}{}", own.folder(), file.name));
            // What belongs to the character is written once.
            taken.insert(path.clone()).then_some(path)
        };
        files::write(&own.delivery(), &recipe, path, &mut said).with_context(|| format!("line {}", i + 1))?;
        if recipe.has_clips() || recipe.timeline.is_some() {
            ready.push(own);
        }
    }
    let mut whole = |file: NewDelivered| put(&options.out, &file.file_name, &file.bytes, &mut said);
    if let Some(gap) = recipe.timeline.filter(|_| !ready.is_empty()) {
        whole(timeline(&ready, gap, |_| None).map_err(broken)?)?;
    }
    if recipe.has_clips() {
        let mut characters: BTreeMap<String, Vec<Ready>> = BTreeMap::new();
        for line in ready {
            characters.entry(line.naming.character.clone()).or_default().push(line);
        }
        for lines in characters.into_values() {
            whole(clips(&lines, &recipe).map_err(broken)?)?;
        }
    }
    if said.is_empty() {
        bail!("no line of this production has times yet; let them be analysed first");
    }
    out::print(&(said.join("\n") + "\n"))
}
