//! Readers of other makers, by which delivered files are read back. `cargo xtask test` installs them.

use serde_json::Value;
use std::io::Write;
use std::path::{Path, PathBuf};
use std::process::{Command, Stdio};

fn root() -> PathBuf {
    Path::new(env!("CARGO_MANIFEST_DIR")).join("..")
}

/// What a script of `tests/readers` says of `input`.
pub fn read_by(script: &str, arguments: &[&str], input: &Value) -> Value {
    let python = root().join("target/readers/bin/python");
    assert!(python.exists(), "the readers are missing; `cargo xtask test` installs them");
    let program = if script.ends_with(".mjs") { PathBuf::from("node") } else { python };
    let script = Path::new(env!("CARGO_MANIFEST_DIR")).join("tests/readers").join(script);
    let mut child = Command::new(program)
        .arg(&script)
        .args(arguments)
        .stdin(Stdio::piped())
        .stdout(Stdio::piped())
        .spawn()
        .unwrap();
    // All of it is read before anything is said.
    child.stdin.take().unwrap().write_all(input.to_string().as_bytes()).unwrap();
    let out = child.wait_with_output().unwrap();
    assert!(out.status.success(), "{} failed", script.display());
    serde_json::from_slice(&out.stdout).unwrap()
}

/// What the Khronos validator says of a glTF file; see `formats/tests/validate.mjs`.
pub fn validated(bytes: &[u8]) -> Value {
    let folder = tempfile::tempdir().unwrap();
    let path = folder.path().join("a.glb");
    std::fs::write(&path, bytes).unwrap();
    let script = root().join("formats/tests/validate.mjs");
    let out = Command::new("node").arg(script).arg(&path).output().unwrap();
    assert!(out.status.success(), "{}", String::from_utf8_lossy(&out.stderr));
    serde_json::from_slice(&out.stdout).unwrap()
}
