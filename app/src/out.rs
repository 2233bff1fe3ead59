//! What the command line writes: whole files or none, and lines until nobody reads them any more.

use anyhow::Context;
use std::io::{BufWriter, ErrorKind, Write};
use std::path::Path;

/// Writes a file so that whoever looks finds the old one or the new one, never half of it.
pub fn write(path: &Path, bytes: &[u8]) -> anyhow::Result<()> {
    stream(path, |to| Ok(to.write_all(bytes)?))
}

/// The same for what is too large to be held at once.
pub fn stream(path: &Path, fill: impl FnOnce(&mut dyn Write) -> anyhow::Result<()>) -> anyhow::Result<()> {
    let wrong = || format!("{} cannot be written", path.display());
    let folder = path.parent().filter(|p| !p.as_os_str().is_empty()).unwrap_or(Path::new("."));
    std::fs::create_dir_all(folder).with_context(wrong)?;
    let mut file = tempfile::NamedTempFile::new_in(folder).with_context(wrong)?;
    let mut buffered = BufWriter::with_capacity(1 << 20, file.as_file_mut());
    fill(&mut buffered).and_then(|()| Ok(buffered.flush()?)).with_context(wrong)?;
    drop(buffered);
    file.as_file().sync_all().with_context(wrong)?;
    // A file for others to read, as any program writes it.
    #[cfg(unix)]
    {
        use std::os::unix::fs::PermissionsExt;
        let mode = std::fs::Permissions::from_mode(0o644);
        file.as_file().set_permissions(mode).with_context(wrong)?;
    }
    file.persist(path).with_context(wrong)?;
    Ok(())
}

/// Prints text. A reader who has seen enough (`| head`) ends the program without a word.
pub fn print(text: &str) -> anyhow::Result<()> {
    let mut out = std::io::stdout().lock();
    match out.write_all(text.as_bytes()).and_then(|()| out.flush()) {
        Err(error) if error.kind() == ErrorKind::BrokenPipe => std::process::exit(0),
        other => other.context("nothing can be printed"),
    }
}
