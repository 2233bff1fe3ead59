//! Many lines on existing engines, tried for real: GNU parallel, and a Slurm of one node.

use anyhow::{Context, Result, ensure};
use std::collections::BTreeMap;
use std::path::Path;
use std::process::{Child, Command, Stdio};
use std::time::{Duration, Instant, SystemTime};

/// Units that are worked out, of which one in so many is broken on purpose.
const UNITS: usize = 200;
const BROKEN: usize = 25;
/// How long an engine may take, seconds.
const LIMIT: &str = "900";

/// Works the same lines out on each engine: a worker is killed on the way, it is run again, the report is read, and nothing is left
/// behind.
pub fn run(root: &Path, program: &Path) -> Result<()> {
    let folder = tempfile::tempdir()?;
    let here = folder.path();
    table(root, here)?;
    let script = |name: &str| root.join("farm").join(name).to_string_lossy().into_owned();
    let engines: [(&str, Vec<String>); 2] = [
        ("parallel", vec![script("parallel.sh")]),
        ("slurm", vec![script("one-node.sh"), script("slurm.sh")]),
    ];
    for (engine, command) in engines {
        let start = Instant::now();
        let plan = here.join(engine);
        let made = Command::new(program)
            .args(["plan", "lines.csv", "--character", "bram.glb", "--out"])
            .arg(&plan)
            .current_dir(here)
            .status()?;
        ensure!(made.success(), "no plan");
        let work = || -> Result<Child> {
            let mut timed = Command::new("timeout");
            timed.args(["-k", "20", LIMIT]).args(&command).arg(&plan).arg("2").env("JAMLIPS", program);
            timed.stdout(Stdio::inherit()).spawn().with_context(|| format!("{engine} cannot be started"))
        };
        let mut first = work()?;
        // Once some are done, one of the workers dies.
        while records(&plan)?.len() < 12 && first.try_wait()?.is_none() {
            std::thread::sleep(Duration::from_millis(100));
        }
        let killed = Command::new("pkill")
            .args(["-KILL", "--newest", "--full"])
            .arg(format!("^{} unit {}", program.display(), plan.display()))
            .status()?;
        ensure!(killed.success(), "{engine}: there was no worker to kill");
        first.wait()?;
        let between = records(&plan)?;
        let second = work()?.wait()?;
        // Some are broken, so that the report's status says so.
        ensure!(second.code() == Some(1), "{engine}: ended with {second}");
        let report: serde_json::Value = serde_json::from_slice(&std::fs::read(plan.join("report.json"))?)?;
        let failed = report["failed"].as_array().map_or(0, Vec::len);
        let done = records(&plan)?;
        ensure!(
            done.len() == UNITS - UNITS / BROKEN
                && failed == UNITS / BROKEN
                && report["missing"] == serde_json::json!([]),
            "{engine}: {} done, {failed} failed: {report}",
            done.len()
        );
        ensure!(
            between.iter().all(|(id, at)| done.get(id) == Some(at)),
            "{engine}: something was done twice"
        );
        for left in ["tmp", "locks"] {
            ensure!(
                std::fs::read_dir(plan.join(left))?.next().is_none(),
                "{engine}: something is left in {left}"
            );
        }
        for daemon in ["slurmctld", "slurmd", "munged"] {
            let alive = Command::new("pgrep").args(["-x", daemon]).stdout(Stdio::null()).status()?;
            ensure!(!alive.success(), "{engine}: {daemon} still runs");
        }
        println!(
            "{engine}: {UNITS} lines, {} done by the run in which a worker was killed, the rest by the next; {:.0} s",
            between.len(),
            start.elapsed().as_secs_f64()
        );
    }
    Ok(())
}

/// When each unit's record was written.
fn records(plan: &Path) -> Result<BTreeMap<String, SystemTime>> {
    let Ok(entries) = std::fs::read_dir(plan.join("done")) else { return Ok(BTreeMap::new()) };
    let one = |entry: std::io::Result<std::fs::DirEntry>| -> Result<(String, SystemTime)> {
        let entry = entry?;
        Ok((entry.file_name().to_string_lossy().into_owned(), entry.metadata()?.modified()?))
    };
    let all: Result<BTreeMap<_, _>> = entries.map(one).collect();
    Ok(all?.into_iter().filter(|(name, _)| name.ends_with(".json")).collect())
}

/// A table of the demo's recordings, over and over, heard without a text; every so many is no recording.
fn table(root: &Path, here: &Path) -> Result<()> {
    std::fs::copy(root.join("demo/characters/bram.glb"), here.join("bram.glb"))?;
    let mut voices = Vec::new();
    for entry in std::fs::read_dir(root.join("demo/voices"))? {
        let path = entry?.path();
        if path.extension().is_some_and(|e| e == "wav") {
            voices.push(path);
        }
    }
    voices.sort();
    std::fs::write(here.join("broken.wav"), b"")?;
    let mut table = String::from("file,id\n");
    for number in 0..UNITS {
        let voice = match number % BROKEN {
            0 => here.join("broken.wav"),
            _ => voices[number % voices.len()].clone(),
        };
        table += &format!("\"{}\",line_{number:03}\n", voice.display());
    }
    Ok(std::fs::write(here.join("lines.csv"), table)?)
}
