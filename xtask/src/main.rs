//! The project's own chores: `cargo xtask demo` starts the application with the demo production,
//! `cargo xtask test` runs every check and test. Both install what is missing first.

mod farm;
mod fuzz;
mod laws;
mod licences;

use anyhow::{Context, Result, bail, ensure};
use std::path::{Path, PathBuf};
use std::process::Command;
use std::time::SystemTime;

const HELP: &str = "cargo xtask demo [ARGS…]  sets everything up and starts the application with the demo
cargo xtask test          sets everything up and runs all checks and tests
cargo xtask laws MINUTES  draws new cases for the property tests and keeps those that fail
cargo xtask fuzz MINUTES [READER]  looks for bytes that break a reader, so long each
cargo xtask faults ROUNDS kills the server at random moments so often, and looks whether anything is lost
cargo xtask farm          works many lines out on GNU parallel and on a Slurm of one node, and kills a worker
cargo xtask web           builds the page only
cargo xtask figures       prints the table of docs/accuracy.md anew, beside the reference recogniser's";

fn main() -> Result<()> {
    let arguments: Vec<String> = std::env::args().skip(1).collect();
    match arguments.first().map(String::as_str) {
        Some("demo") => demo(&arguments[1..]),
        Some("test") => test(),
        Some("laws") => {
            let minutes = arguments.get(1).and_then(|m| m.parse().ok());
            laws::run(&root(), &the_cargo(), minutes.context("say for how many minutes: cargo xtask laws 5")?)
        }
        Some("fuzz") => {
            let minutes = arguments.get(1).and_then(|m| m.parse().ok());
            let minutes = minutes.context("say for how many minutes a reader: cargo xtask fuzz 5")?;
            fuzz::run(&root(), &the_cargo(), minutes, arguments.get(2).map(String::as_str))
        }
        Some("faults") => {
            let rounds: usize = arguments
                .get(1)
                .and_then(|n| n.parse().ok())
                .context("say how many rounds: cargo xtask faults 1000")?;
            faults(rounds)
        }
        Some("farm") => farm(),
        Some("web") => web(),
        Some("figures") => figures(),
        _ => {
            println!("{HELP}");
            Ok(())
        }
    }
}

fn root() -> PathBuf {
    // The manifest lies in `xtask`, one folder below the root.
    Path::new(env!("CARGO_MANIFEST_DIR")).join("..")
}

/// Runs a program in a folder of the project and fails if it fails.
fn run(folder: &str, program: &str, arguments: &[&str]) -> Result<()> {
    println!("· {program} {}", arguments.join(" "));
    let status = Command::new(program)
        .args(arguments)
        .current_dir(root().join(folder))
        .status()
        .with_context(|| format!("“{program}” cannot be started; is it installed?"))?;
    ensure!(status.success(), "“{program} {}” failed", arguments.join(" "));
    Ok(())
}

/// Kills the server so often: the test of that, with another number of rounds.
fn faults(rounds: usize) -> Result<()> {
    println!("· cargo test -p jamlips --test commands faults, {rounds} rounds");
    let status = Command::new(the_cargo())
        .args(["test", "-p", "jamlips", "--test", "commands", "faults", "--", "--nocapture"])
        .env("JAM_FAULT_ROUNDS", rounds.to_string())
        .current_dir(root())
        .status()?;
    ensure!(status.success(), "something was lost");
    Ok(())
}

/// The cargo that started this.
fn the_cargo() -> String {
    std::env::var("CARGO").unwrap_or_else(|_| "cargo".into())
}

fn cargo(arguments: &[&str]) -> Result<()> {
    run(".", &the_cargo(), arguments)
}

/// Where the program is, built one way or the other.
fn built(profile: &str) -> PathBuf {
    let target = std::env::var_os("CARGO_TARGET_DIR").map_or_else(|| root().join("target"), PathBuf::from);
    target.join(profile).join("jamlips")
}

/// Tries the shipped scripts on real engines.
fn farm() -> Result<()> {
    web()?;
    cargo(&["build", "--workspace", "--bin", "jamlips"])?;
    packages(FOR_FARM)?;
    let whole = |path: PathBuf| path.canonicalize().with_context(|| path.display().to_string());
    farm::run(&whole(root())?, &whole(built("debug"))?)
}

fn demo(arguments: &[String]) -> Result<()> {
    web()?;
    cargo(&["build", "--release", "--package", "jamlips"])?;
    let program = built("release");
    let status = Command::new(&program)
        .arg("demo")
        .args(arguments)
        .current_dir(root())
        .status()
        .with_context(|| format!("{} cannot be started", program.display()))?;
    ensure!(status.success(), "the application stopped with an error");
    Ok(())
}

fn test() -> Result<()> {
    licences::check(&root(), &the_cargo())?;
    web()?;
    run("web", "npm", &["run", "--silent", "check"])?;
    run("web", "npm", &["run", "--silent", "lint"])?;
    cargo(&["fmt", "--all", "--check"])?;
    cargo(&["clippy", "--workspace", "--all-targets", "--", "--deny", "warnings"])?;
    packages(FOR_TESTS)?;
    readers()?;
    cargo(&["test", "--workspace"])
}

/// Libraries of other makers by which the tests read back what was delivered, at the versions they were tried with.
const READERS: [&str; 7] = [
    "usd-core==26.11",
    "pandas==3.1.1",
    "webvtt-py==0.6.0",
    "bvh==0.3",
    "wavinfo==4.0.1",
    "OpenTimelineIO==0.18.1",
    "python-osc==1.10.2",
];

/// Installs the readers, if they are not the ones that are wanted.
fn readers() -> Result<()> {
    let folder = root().join("target/readers");
    let there = folder.join("installed.txt");
    let wanted = READERS.join("\n");
    if std::fs::read_to_string(&there).is_ok_and(|t| t == wanted) {
        return Ok(());
    }
    venv(&folder, &[&READERS])?;
    std::fs::write(there, wanted)?;
    Ok(())
}

/// Makes a folder of Python's own anew, with packages: what each run of its installer is told.
fn venv(folder: &Path, installs: &[&[&str]]) -> Result<()> {
    // Debian keeps what makes such folders in a package of its own.
    let able = Command::new("python3").args(["-c", "import ensurepip"]).output();
    if !able.is_ok_and(|o| o.status.success()) {
        packages(&[("python3-venv", "/usr/share/doc/python3-venv")])?;
    }
    run(".", "python3", &["-m", "venv", "--clear", &folder.to_string_lossy()])?;
    let python = folder.join("bin/python");
    for install in installs {
        let pip = [&["-m", "pip", "install", "-q", "--disable-pip-version-check"], *install].concat();
        run(".", &python.to_string_lossy(), &pip)?;
    }
    Ok(())
}

/// Makes the material of the accuracy table with a synthesiser and the reference recogniser, then prints the table.
fn figures() -> Result<()> {
    let folder = root().join("target/figures");
    let python = folder.join("venv/bin/python");
    packages(FOR_FIGURES)?;
    if !python.exists() {
        // Of the second three recordings with labels; nothing it would need to run.
        venv(
            &folder.join("venv"),
            &[&["pocketsphinx==5.1.1", "numpy==2.3.5"], &["--no-deps", "phonlab==0.0.70"]],
        )?;
    }
    let material = folder.to_string_lossy();
    run(".", &python.to_string_lossy(), &["core/voice/figures/material.py", &material])?;
    run(".", &python.to_string_lossy(), &["core/voice/figures/languages.py", &material])?;
    cargo(&["run", "--release", "-q", "-p", "jam-voice", "--example", "accuracy", "--", &material])
}

/// Installs the page's packages and builds it, each if it is out of date.
fn web() -> Result<()> {
    let web = root().join("web");
    let installed = web.join("node_modules/.package-lock.json");
    if newest(&[web.join("package-lock.json")])? > modified(&installed) {
        ensure!(
            Command::new("npm").arg("--version").output().is_ok_and(|o| o.status.success()),
            "Node.js with npm is needed (version 20 or newer); install it and start again"
        );
        run("web", "npm", &["ci", "--no-audit", "--no-fund"])?;
    }
    let sources = ["src", "public", "index.html", "vite.config.ts", "package-lock.json"].map(|p| web.join(p));
    if newest(&sources)? > modified(&web.join("dist/index.html")) {
        run("web", "npm", &["run", "--silent", "build"])?;
    }
    Ok(())
}

/// The newest change of files and of everything in folders.
fn newest(paths: &[PathBuf]) -> Result<Option<SystemTime>> {
    let mut newest = None;
    for path in paths {
        newest = newest.max(modified(path));
        if path.is_dir() {
            let inside: Vec<PathBuf> =
                std::fs::read_dir(path)?.map(|e| Ok(e?.path())).collect::<Result<_>>()?;
            newest = newest.max(self::newest(&inside)?);
        }
    }
    Ok(newest)
}

fn modified(path: &Path) -> Option<SystemTime> {
    path.metadata().ok()?.modified().ok()
}

/// The engines that the shipped scripts are tried on.
const FOR_FARM: &[(&str, &str)] = &[
    ("parallel", "/usr/bin/parallel"),
    ("slurm-wlm", "/usr/sbin/slurmctld"),
    ("munge", "/usr/sbin/munged"),
    ("procps", "/usr/bin/pkill"),
];

/// What the tests need of Debian: each package and a file that tells it is there.
const FOR_TESTS: &[(&str, &str)] = &[
    // The browser that the interface is tested in, and its driver.
    ("chromium", "/usr/bin/chromium"),
    ("chromium-driver", "/usr/bin/chromedriver"),
    // One of the examples for other programs.
    ("curl", "/usr/bin/curl"),
    // Reads the movies that the page makes.
    ("ffmpeg", "/usr/bin/ffmpeg"),
    // Models of other makers, sound and broken ones, that the import is tested with.
    ("assimp-testmodels", "/usr/share/assimp/models/glTF2"),
];

/// What the accuracy table needs of Debian: a synthesiser that tells when each of its sounds ends.
const FOR_FIGURES: &[(&str, &str)] = &[
    ("flite", "/usr/bin/flite"),
    ("espeak-ng", "/usr/bin/espeak-ng"),
    ("festival", "/usr/bin/festival"),
    ("festvox-italp16k", "/usr/share/festival/voices/italian/lp_diphone"),
    ("festvox-itapc16k", "/usr/share/festival/voices/italian/pc_diphone"),
    ("festvox-ca-ona-hts", "/usr/share/festival/voices/catalan/upc_ca_ona_hts"),
];

/// Installs the packages that are missing.
fn packages(wanted: &[(&'static str, &str)]) -> Result<()> {
    let missing = || wanted.iter().filter(|(_, file)| !Path::new(file).exists()).map(|(name, _)| *name);
    let names: Vec<&str> = missing().collect();
    if names.is_empty() {
        return Ok(());
    }
    let works = |program: &str, arguments: &[&str]| {
        Command::new(program).args(arguments).output().is_ok_and(|o| o.status.success())
    };
    let root = works("sh", &["-c", "test \"$(id -u)\" = 0"]);
    let prefix: &[&str] = if root {
        &[]
    } else if works("sudo", &["-n", "true"]) {
        &["sudo", "-n"]
    } else {
        bail!("more packages are needed; install them with: sudo apt-get install {}", names.join(" "));
    };
    let install = [&["install", "--yes", "--no-install-recommends"][..], &names].concat();
    for arguments in [&["update"][..], &install] {
        let line = [prefix, &["apt-get"], arguments].concat();
        run(".", line[0], &line[1..])?;
    }
    if let Some(name) = missing().next() {
        bail!("{name} was installed but is not where Debian puts it");
    }
    Ok(())
}
