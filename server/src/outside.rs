//! Programs of the user's own. They are named when the server is started, never over the network. One writes down what a
//! recording says: it gets a WAV file as its last argument and prints the words. Another writes the sounds of a text
//! ([`crate::phonemiser`]).

use std::fmt;
use std::io::{Read, Write};
use std::path::Path;
use std::process::{Child, Command, Stdio};
use std::time::{Duration, Instant};

/// Longest that one may take.
const PATIENCE: Duration = Duration::from_secs(600);
/// Most that it may print.
const MOST: u64 = 1 << 20;

/// What a program is for, in words, and the option that names it.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub struct Task {
    pub does: &'static str,
    pub option: &'static str,
}

impl fmt::Display for Task {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        write!(f, "the program that {}", self.does)
    }
}

const TRANSCRIBES: Task = Task { does: "writes down the words", option: "--transcriber" };

/// Why it gave nothing.
#[derive(Debug, thiserror::Error)]
pub enum OutsideError {
    #[error("{0}, {1}, could not be started: {2}; look at {option}", option = .0.option)]
    Start(Task, String, std::io::Error),
    #[error("{0}, {1}, ended with an error: {2}")]
    Failed(Task, String, String),
    #[error("{0}, {1}, took longer than ten minutes and was stopped")]
    Late(Task, String),
    #[error("nobody waited for it any more")]
    GivenUp,
    #[error("{0}, {1}, printed nothing")]
    Nothing(Task, String),
    #[error("a program could not be watched: {0}; ask again")]
    Watch(#[from] std::io::Error),
}

/// What a pipe gives, at most [`MOST`] bytes; the rest is read and dropped so that the program does not wait.
fn drain(pipe: Option<impl Read + Send + 'static>) -> std::thread::JoinHandle<String> {
    std::thread::spawn(move || {
        let mut bytes = Vec::new();
        if let Some(mut pipe) = pipe {
            // What was read until an error is all there is.
            let _ = pipe.by_ref().take(MOST).read_to_end(&mut bytes);
            let _ = std::io::copy(&mut pipe, &mut std::io::sink());
        }
        String::from_utf8_lossy(&bytes).into_owned()
    })
}

/// Ends a program and everything it started: they are a group of their own.
fn end(child: &mut Child) {
    #[cfg(unix)]
    if let Some(group) = i32::try_from(child.id()).ok().and_then(rustix::process::Pid::from_raw) {
        // One that is over already cannot be ended, which is fine.
        let _ = rustix::process::kill_process_group(group, rustix::process::Signal::KILL);
    }
    let _ = child.kill();
    let _ = child.wait();
}

/// Waits for a program's end; none if it took too long or is not wanted any more, and then it is ended.
fn wait(
    child: &mut Child,
    watch: &dyn Fn() -> bool,
) -> std::io::Result<Result<std::process::ExitStatus, bool>> {
    let started = Instant::now();
    loop {
        if let Some(status) = child.try_wait()? {
            return Ok(Ok(status));
        }
        let wanted = watch();
        if !wanted || started.elapsed() > PATIENCE {
            return Ok(Err(wanted));
        }
        std::thread::sleep(Duration::from_millis(20));
    }
}

/// What `command`, a program and its arguments, prints for what it is given to read. It is ended, with all that it started,
/// when `watch` says that nobody waits any more.
///
/// # Errors
/// It cannot be started, fails, takes too long, or prints nothing.
pub fn run(
    task: Task,
    command: &[String],
    given: String,
    watch: &dyn Fn() -> bool,
) -> Result<String, OutsideError> {
    let program = command.first().cloned().unwrap_or_default();
    let mut command_line = Command::new(&program);
    #[cfg(unix)]
    std::os::unix::process::CommandExt::process_group(&mut command_line, 0);
    let mut child = command_line
        .args(command.iter().skip(1))
        .stdin(Stdio::piped())
        .stdout(Stdio::piped())
        .stderr(Stdio::piped())
        .spawn()
        .map_err(|e| OutsideError::Start(task, program.clone(), e))?;
    let (out, complaint) = (drain(child.stdout.take()), drain(child.stderr.take()));
    let gives = child.stdin.take().map(|mut pipe| {
        // One that does not read all of it does not want it.
        std::thread::spawn(move || drop(pipe.write_all(given.as_bytes())))
    });
    let ended = wait(&mut child, watch);
    // What it left behind would hold its pipes open for ever.
    end(&mut child);
    let status = match ended? {
        Ok(status) => status,
        Err(true) => return Err(OutsideError::Late(task, program)),
        Err(false) => return Err(OutsideError::GivenUp),
    };
    let _ = gives.map(std::thread::JoinHandle::join);
    let read = |thread: std::thread::JoinHandle<String>| thread.join().unwrap_or_default();
    let (out, complaint) = (read(out), read(complaint));
    if !status.success() {
        let said = complaint.lines().last().unwrap_or("it said nothing").to_string();
        return Err(OutsideError::Failed(task, program, said));
    }
    if out.trim().is_empty() { Err(OutsideError::Nothing(task, program)) } else { Ok(out) }
}

/// The words that a program prints for a sound file.
///
/// # Errors
/// As those of [`run`].
pub fn words(command: &[String], sound: &Path, watch: &dyn Fn() -> bool) -> Result<String, OutsideError> {
    let file = sound.to_string_lossy().into_owned();
    let out = run(TRANSCRIBES, &[command, &[file]].concat(), String::new(), watch)?;
    Ok(out.split_whitespace().collect::<Vec<_>>().join(" "))
}

#[cfg(test)]
mod tests {
    use super::*;

    fn ask(shell: &str) -> Result<String, OutsideError> {
        let command = ["sh", "-c", shell, "sh"].map(str::to_string);
        words(&command, Path::new("/a b.wav"), &|| true)
    }

    #[test]
    fn what_it_leaves_behind_holds_nothing_up_and_it_ends_when_nobody_waits() {
        let started = Instant::now();
        assert_eq!(ask("sleep 30 & echo here we are").ok().as_deref(), Some("here we are"));
        let asked = std::cell::Cell::new(0);
        let command = ["sh", "-c", "sleep 30"].map(str::to_string);
        let given_up = words(&command, Path::new("a"), &|| {
            asked.set(asked.get() + 1);
            asked.get() < 3
        });
        assert!(matches!(given_up, Err(OutsideError::GivenUp)));
        assert!(started.elapsed() < Duration::from_secs(20), "nobody waited for what slept");
    }

    #[test]
    fn what_is_printed_is_the_text_and_what_goes_wrong_is_said() {
        assert_eq!(
            ask("echo Pull the  shutters; echo \"down: $1\"").ok().as_deref(),
            Some("Pull the shutters down: /a b.wav")
        );
        assert!(
            matches!(ask("echo no model >&2; exit 3"), Err(OutsideError::Failed(_, _, said)) if said == "no model")
        );
        assert!(matches!(ask("true"), Err(OutsideError::Nothing(..))));
        let missing = words(&["/no/such/program".to_string()], Path::new("a"), &|| true);
        assert!(matches!(missing, Err(OutsideError::Start(..))));
        // More than a pipe holds does not stop it.
        let long = ask("yes word | head -n 400000");
        assert!(long.is_ok_and(|t| t.len() <= 1 << 20));
    }
}
