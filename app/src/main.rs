//! The command line: the server with its page, and the same work without any server.

mod align;
mod batch;
mod capture;
mod character;
mod check;
mod deliver;
mod draft;
mod edit;
mod files;
mod health;
mod layers;
mod out;
mod renderer;
mod shapes;
mod spoken;
mod sync;
mod whole;

use anyhow::Context;
use clap::{Args, Parser, Subcommand};
use jam_formats::sound;
use std::path::{Path, PathBuf};
use std::process::ExitCode;

/// Makes a recorded line of dialogue speak on the face of your own character.
#[derive(Parser)]
#[command(name = "jamlips", version, after_help = EXAMPLES)]
struct Command {
    #[command(subcommand)]
    what: What,
}

const EXAMPLES: &str = "Examples:
  jamlips demo
  jamlips serve --data production.jam
  jamlips align line.wav --text \"Pull the shutters down.\" --json
  jamlips sync line.wav --text \"Pull the shutters down.\" --character bram.glb --out delivered";

#[derive(Subcommand)]
enum What {
    /// Starts the application on a production's data file.
    Serve(Serve),
    /// Starts the application with the demo production, Fog at Pell Harbour.
    Demo(Serve),
    /// Prints when each word and sound of a recording is said.
    #[command(after_help = align::EXAMPLES)]
    Align(align::Align),
    /// Prints what a recording says, as a draft to be corrected.
    #[command(after_help = draft::EXAMPLES)]
    Draft(draft::Drafted),
    /// Writes a character speaking a recording, and its curves.
    #[command(after_help = sync::EXAMPLES)]
    Sync(sync::Sync),
    /// Writes lines of a production as files for other programs.
    #[command(after_help = deliver::EXAMPLES)]
    Deliver(deliver::Deliver),
    /// Prints what a supervisor would send back of a recording's performance, as JSON.
    #[command(after_help = check::EXAMPLES)]
    Check(check::Check),
    /// Gives a character without shapes all of them, so that it can speak.
    #[command(after_help = shapes::EXAMPLES)]
    Shapes(shapes::Shapes),
    /// Writes a production, or one character, as one file.
    #[command(after_help = whole::EXAMPLES)]
    Export(whole::Export),
    /// Brings the file of a production or a character in; what is there stays.
    #[command(after_help = whole::EXAMPLES)]
    Import(whole::Import),
    /// Looks a production's data file through, and says what is wrong with it. Exit status 0: nothing is.
    #[command(name = "check-data", after_help = health::EXAMPLES)]
    CheckData(health::CheckData),
    /// Makes operations on a line of a production, the same ones that the page makes, and prints the line.
    #[command(after_help = edit::EXAMPLES)]
    Edit(edit::Edit),
    /// Works out many lines on this machine: those of a table, or the recordings of a folder.
    #[command(after_help = batch::EXAMPLES)]
    Batch(batch::Batch),
    /// Makes a plan of many lines that several machines share.
    #[command(after_help = batch::EXAMPLES)]
    Plan(batch::PlanLines),
    /// Works out one slice of a plan. Exit status 0: each of its lines is done, or failed for good; 75: try again.
    Unit(batch::WorkSlice),
    /// Says what came of a plan so far. Exit status 0: all of it is done; 1: not yet, or not all of it.
    Report(batch::ReportOn),
    /// Simulated programs that stand in for real ones, to try what Jam Lips works with.
    #[command(subcommand, name = "stand-in")]
    StandIn(StandIn),
}

#[derive(Subcommand)]
enum StandIn {
    /// Sends a face that moves in slow waves, as a program that captures one does.
    Capture {
        /// The running Jam Lips.
        #[arg(long, default_value = "127.0.0.1:7420", value_name = "ADDRESS")]
        server: std::net::SocketAddr,
        /// Sends OSC to this address instead.
        #[arg(long, value_name = "ADDRESS")]
        osc: Option<std::net::SocketAddr>,
        /// Ends after so many seconds; without it, it goes on.
        #[arg(long, value_name = "SECONDS")]
        seconds: Option<f64>,
    },
    /// Receives the face that “Send” in the score sends, draws it here, and says how it arrives.
    Renderer(renderer::Renderer),
    /// Prints words for a recording, as a program given to --transcriber does. It does not listen: it knows the
    /// demo's lines by their length, and prints the text of the one that is nearest.
    Transcript {
        /// A WAV file.
        audio: PathBuf,
    },
}

/// The text of the demo line whose length is nearest.
fn stand_in_transcript(audio: &Path) -> anyhow::Result<()> {
    let recording = sound::read(&read(audio)?)?;
    let lines = jam_demo::LINES.iter().filter_map(|line| {
        let length = sound::read(line.recording).ok()?.duration().0;
        Some((line, (length - recording.duration().0).abs()))
    });
    let (line, _) = lines.min_by(|a, b| a.1.total_cmp(&b.1)).context("the demo has no lines")?;
    out::print(&format!("{}\n", line.text))
}

#[derive(Args)]
struct Serve {
    /// The production's data file; made if it does not exist.
    #[arg(long, value_name = "FILE")]
    data: Option<PathBuf>,
    /// Where to listen; other machines can reach the page only if you say so here.
    #[arg(long, default_value = "127.0.0.1:7420", value_name = "ADDRESS")]
    listen: std::net::SocketAddr,
    /// A program of your own that writes down what a recording says, with its arguments: it is given a WAV file
    /// last and prints the words. Paths with blanks stand in quotation marks. `jamlips stand-in transcript` shows how.
    #[arg(long, value_name = "COMMAND")]
    transcriber: Option<String>,
    /// A program of your own that writes the sounds of other languages, with its arguments: it reads a text and prints its
    /// words in the phonetic alphabet; {language} in its arguments stands for the language. Without it espeak-ng is used,
    /// if it is on the machine.
    #[arg(long, value_name = "COMMAND")]
    phonemiser: Option<String>,
    /// Hears the OSC of a face capture there, as 127.0.0.1:7421.
    #[arg(long, value_name = "ADDRESS")]
    osc: Option<std::net::SocketAddr>,
    /// What a browser must have (by the link that is printed) and a program must send (Authorization: Bearer TEXT) to be
    /// answered. Beyond loopback one is made if none is given.
    #[arg(long, value_name = "TEXT", value_parser = token)]
    token: Option<String>,
    /// A name of this machine under which it answers, beside its addresses; may be given more than once.
    #[arg(long = "name", value_name = "NAME")]
    names: Vec<String>,
}

/// A token as it can stand in a link and in a cookie.
fn token(text: &str) -> Result<String, String> {
    let plain = |c: char| c.is_ascii_alphanumeric() || "-_.~".contains(c);
    match text.len() >= 8 && text.chars().all(plain) {
        true => Ok(text.to_string()),
        false => Err("a token has at least 8 letters, digits, or one of - _ . ~".into()),
    }
}

fn read(path: &Path) -> anyhow::Result<Vec<u8>> {
    std::fs::read(path).map_err(|e| anyhow::anyhow!("{} cannot be read: {e}", path.display()))
}

fn main() -> ExitCode {
    let done = match Command::parse().what {
        What::Batch(options) => return status(batch::run(&options)),
        What::Plan(options) => batch::plan(&options),
        What::Unit(options) => return status(batch::unit(&options)),
        What::Report(options) => return status(batch::report(&options)),
        What::CheckData(options) => return status(health::check(&options)),
        What::Serve(options) => serve(&options, false),
        What::Demo(options) => serve(&options, true),
        What::Align(options) => align::run(&options),
        What::Draft(options) => draft::run(&options),
        What::Sync(options) => sync::run(&options),
        What::Deliver(options) => deliver::run(&options),
        What::Check(options) => check::run(&options),
        What::Shapes(options) => shapes::run(&options),
        What::Export(options) => whole::export(&options),
        What::Import(options) => whole::import(&options),
        What::Edit(options) => edit::run(&options),
        What::StandIn(StandIn::Transcript { audio }) => stand_in_transcript(&audio),
        What::StandIn(StandIn::Renderer(options)) => renderer::stand_in(&options),
        What::StandIn(StandIn::Capture { server, osc, seconds }) => capture::stand_in(server, osc, seconds),
    };
    status(done.map(|()| ExitCode::SUCCESS))
}

fn status(done: anyhow::Result<ExitCode>) -> ExitCode {
    done.unwrap_or_else(|error| {
        eprintln!("jamlips: {error:#}");
        ExitCode::FAILURE
    })
}

/// A program and its arguments, as an option names them.
fn command(option: &str, written: &str) -> anyhow::Result<Vec<String>> {
    let words = shlex::split(written).filter(|w| !w.is_empty());
    words.with_context(|| format!("{option} {written}: a quotation mark is not closed, or it is empty"))
}

/// The program that writes sounds: the one that is named, else the usual one, if it is there.
fn phonemiser(written: Option<&str>) -> anyhow::Result<Option<Vec<String>>> {
    match written {
        Some(written) => command("--phonemiser", written).map(Some),
        None => Ok(jam_server::phonemiser::usual()),
    }
}

fn serve(options: &Serve, demo: bool) -> anyhow::Result<()> {
    tracing_subscriber::fmt()
        .with_env_filter(
            tracing_subscriber::EnvFilter::try_from_default_env()
                .unwrap_or_else(|_| "jamlips=info,jam_server=info,jam_store=info".into()),
        )
        .with_target(false)
        .init();
    let name = if demo { "fog-at-pell-harbour.jam" } else { "production.jam" };
    let data = options.data.clone().unwrap_or_else(|| PathBuf::from(name));
    let store = jam_store::Store::open_alone(&data)?;
    if let Some(backup) = store.backup() {
        println!("The data file was one of an older Jam Lips; as it was it is kept in {}", backup.display());
    }
    if demo {
        jam_demo::fill(&store)?;
    }
    tokio::runtime::Runtime::new()?.block_on(async {
        let transcriber = options.transcriber.as_ref().map(|c| command("--transcriber", c)).transpose()?;
        let phonemiser = phonemiser(options.phonemiser.as_deref())?;
        let settings = jam_server::Settings {
            transcriber,
            phonemiser,
            osc: options.osc,
            token: options.token.clone(),
            names: options.names.clone(),
            demo: Some(|store| jam_demo::fill(store).map_err(|e| e.to_string())),
        };
        let server = jam_server::Server::bind_with(store, options.listen, settings).await?;
        let address = server.address();
        let link = server.token().map(|token| format!("/?token={token}")).unwrap_or_default();
        println!("Jam Lips is at http://{address}{link} (data in {}); stop it with Ctrl-C", data.display());
        if !address.ip().is_loopback() {
            println!(
                "Other machines can reach it; whoever has this link can read and change everything in it"
            );
        }
        server
            .run(async {
                // Without a signal handler the process simply ends on Ctrl-C, which loses nothing.
                let _ = tokio::signal::ctrl_c().await;
            })
            .await?;
        Ok(())
    })
}
