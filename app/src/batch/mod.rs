//! `jamlips batch`, `plan`, `unit` and `report`: many lines, on one machine or on many that share a folder.

mod folder;
mod report;
mod run;
mod table;
mod unit;

use crate::files::Files;
use crate::out;
use crate::spoken::first_frame;
use anyhow::{Context, ensure};
use clap::Args;
use folder::{Folder, SLICE};
use jam_formats::names::USUAL;
use jam_score::{Frame, FrameRate};
use jam_server::phonemiser::with_sounds;
use run::{Counts, Outcome};
use std::path::{Path, PathBuf};
use std::process::ExitCode;
use std::sync::atomic::{AtomicUsize, Ordering};
use std::time::Instant;
use unit::{Options, Shop, Unit};

pub const EXAMPLES: &str = "Examples:
  jamlips batch lines.csv --out made --jobs 4 --character bram.glb
  jamlips batch recordings/ --out made --character bram.glb --files glb,usd --fps 30
  jamlips plan lines.csv --out /shared/made --character bram.glb
  jamlips unit /shared/made 0
  jamlips report /shared/made

A table is CSV with a header: file, text, language, character, wiring, mood, first_frame, id; only file must be there if --character is given.
Paths are relative to the table. Where a text is missing, a .txt, .srt or .vtt of the recording's name tells it.";

/// Worth trying again: what schedulers retry on.
const AGAIN: u8 = 75;

#[derive(Args)]
pub struct Lines {
    /// A table (.csv), or a folder with recordings.
    #[arg(value_name = "TABLE|FOLDER")]
    lines: PathBuf,
    /// The folder that is worked in; made if it does not exist.
    #[arg(long, value_name = "FOLDER")]
    out: PathBuf,
    /// The character of lines for which the table names none.
    #[arg(long, value_name = "FILE")]
    character: Option<PathBuf>,
    /// The wiring of that character, exported from Cast; without one it is wired by its names.
    #[arg(long, value_name = "FILE", requires = "character")]
    wiring: Option<PathBuf>,
    /// Where a text is missing, drafts it from the voice, in English; without this the sounds alone are heard.
    #[arg(long)]
    draft: bool,
    #[command(flatten)]
    files: Files,
    /// Frames a second: 24, 25, 30, 60 or a fraction such as 30000/1001.
    #[arg(long, default_value = "24", value_name = "RATE")]
    fps: FrameRate,
    /// The number of the frame at time zero, for lines of which the table says none.
    #[arg(long, default_value = "1001", allow_negative_numbers = true, value_name = "N", value_parser = first_frame)]
    first_frame: Frame,
}

#[derive(Args)]
pub struct Batch {
    #[command(flatten)]
    lines: Lines,
    /// How many lines are worked on at once; without it as many as the machine has cores.
    #[arg(long, value_name = "N")]
    jobs: Option<usize>,
}

#[derive(Args)]
pub struct PlanLines {
    #[command(flatten)]
    lines: Lines,
}

#[derive(Args)]
pub struct WorkSlice {
    /// The folder of a plan.
    folder: PathBuf,
    /// Which slice, counted from 0.
    slice: usize,
    /// How many lines are worked on at once.
    #[arg(long, default_value_t = 1, value_name = "N")]
    jobs: usize,
}

#[derive(Args)]
pub struct ReportOn {
    /// The folder of a plan.
    folder: PathBuf,
}

/// A path as seen from a folder; none stays none.
fn from(folder: &Path, path: &Path) -> anyhow::Result<PathBuf> {
    if path.as_os_str().is_empty() {
        return Ok(PathBuf::new());
    }
    let whole = std::path::absolute(path).with_context(|| path.display().to_string())?;
    Ok(pathdiff::diff_paths(&whole, folder).unwrap_or(whole))
}

impl Lines {
    /// Writes the plan.
    fn plan(&self) -> anyhow::Result<(Folder, Vec<Unit>)> {
        let recipe = self.files.recipe(false, None, USUAL);
        recipe.check()?;
        let rows = table::read(&self.lines)?;
        std::fs::create_dir_all(&self.out)
            .with_context(|| format!("{} cannot be made", self.out.display()))?;
        // Links on the way are followed, or relative paths would lead elsewhere.
        let base = self.out.canonicalize().with_context(|| self.out.display().to_string())?;
        let real = |p: &Path| p.canonicalize().unwrap_or_else(|_| p.to_path_buf());
        let phonemiser = crate::phonemiser(None)?.unwrap_or_default();
        let mut units = Vec::new();
        for row in rows {
            let own = row.character.as_ref();
            let character = own.or(self.character.as_ref());
            let nobody = || {
                let says = anyhow::anyhow!("the table names no character for it; name one with --character");
                unit::wrong("character_missing", says)
            };
            let (text, unsaid) = match (row.text, &row.language) {
                (Some(text), Some(language)) => {
                    match with_sounds(&phonemiser, language, &text, &|_| false, &|| true) {
                        Ok(found) => (Some(found.text), None),
                        Err(e) => (Some(text), Some(unit::wrong("language", anyhow::anyhow!(e)))),
                    }
                }
                (text, _) => (text, None),
            };
            let problem = row.problem.or(unsaid).or_else(|| character.is_none().then(nobody));
            // The wiring given belongs to the character given.
            let wiring = row.wiring.as_ref().or(self.wiring.as_ref().filter(|_| own.is_none()));
            let draft = self.draft && row.language.is_none();
            units.push(Unit {
                id: row.id,
                recording: from(&base, &real(&row.recording))?,
                text,
                language: row.language,
                character: character.map_or(Ok(PathBuf::new()), |c| from(&base, &real(c)))?,
                wiring: wiring.map(|w| from(&base, &real(w))).transpose()?,
                options: Options {
                    rate: self.fps,
                    first: row.first_frame.unwrap_or(self.first_frame),
                    moods: row.moods,
                    recipe: recipe.clone(),
                    draft,
                },
                bytes: std::fs::metadata(&row.recording).map_or(0, |m| m.len()),
                problem,
            });
        }
        let folder = Folder::at(&base);
        folder.put_units(&units)?;
        Ok((folder, units))
    }
}

pub fn plan(options: &PlanLines) -> anyhow::Result<()> {
    let (folder, units) = options.lines.plan()?;
    let slices = units.len().div_ceil(SLICE);
    out::print(&format!(
        "{} lines in {slices} slices of {SLICE}: jamlips unit {} 0 … {}\n",
        units.len(),
        folder.path().display(),
        slices - 1
    ))
}

fn of(counts: Counts) -> ExitCode {
    if counts.again > 0 { ExitCode::from(AGAIN) } else { ExitCode::SUCCESS }
}

/// Tells of each line as it comes, and how much time is left.
fn told(total: usize) -> impl Fn(&Unit, Outcome, std::time::Duration) + Sync {
    let (start, so_far) = (Instant::now(), AtomicUsize::new(0));
    move |unit, outcome, took| {
        let number = 1 + so_far.fetch_add(1, Ordering::Relaxed);
        let left = start.elapsed().as_secs_f64() / number as f64 * (total - number) as f64;
        let what = match outcome {
            Outcome::Done => "done",
            Outcome::Skipped => "was done before",
            Outcome::Failed => "failed",
            Outcome::Again => "failed, may go better another time",
        };
        eprintln!("{number} of {total}, {left:.0} s left: {} {what} ({:.2} s)", unit.id, took.as_secs_f64());
    }
}

pub fn run(options: &Batch) -> anyhow::Result<ExitCode> {
    let (folder, units) = options.lines.plan()?;
    let shop = Shop::new(folder.path())?;
    let cores = std::thread::available_parallelism().map_or(1, std::num::NonZero::get);
    // The longest first: the end comes to all workers at about the same time.
    let mut order = units.clone();
    order.sort_by_key(|u| std::cmp::Reverse(u.bytes));
    let jobs = options.jobs.unwrap_or(cores);
    ensure!(jobs > 0, "--jobs: at least 1");
    let counts = run::work(&folder, &shop, &order, jobs, &told(order.len()));
    said(&report::write(&folder, &shop, &units, Some(counts))?, &folder)?;
    Ok(of(counts))
}

pub fn unit(options: &WorkSlice) -> anyhow::Result<ExitCode> {
    let folder = Folder::at(&options.folder);
    let units = folder.units()?;
    let own = units.chunks(SLICE).nth(options.slice).with_context(|| {
        format!("there is no slice {}; the last is {}", options.slice, units.len().div_ceil(SLICE) - 1)
    })?;
    let shop = Shop::new(&options.folder)?;
    let counts = run::work(&folder, &shop, own, options.jobs, &told(own.len()));
    Ok(of(counts))
}

pub fn report(options: &ReportOn) -> anyhow::Result<ExitCode> {
    let folder = Folder::at(&options.folder);
    let units = folder.units()?;
    let report = report::write(&folder, &Shop::new(&options.folder)?, &units, None)?;
    said(&report, &folder)?;
    Ok(if report.done == report.units { ExitCode::SUCCESS } else { ExitCode::FAILURE })
}

fn said(report: &report::Report, folder: &Folder) -> anyhow::Result<()> {
    out::print(&format!(
        "{} lines: {} done, {} done before, {} failed, {} missing; see {}\n",
        report.units,
        report.done,
        report.skipped,
        report.failed.len(),
        report.missing.len(),
        folder.path().join("report.html").display()
    ))
}
