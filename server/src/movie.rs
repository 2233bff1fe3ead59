//! Movies where the browser cannot make them: pictures and sound put together by ffmpeg, if this machine has it, else in
//! a zip.

use crate::deliver::Ready;
use crate::problem::{Answer, Problem};
use jam_formats::recipe::{MovieFile, Recipe};
use std::io::{Cursor, Write};
use std::path::Path;
use std::process::{Command, Stdio};
use std::sync::OnceLock;
use zip::write::SimpleFileOptions;

/// Whether ffmpeg is there; looked up once.
pub fn can() -> bool {
    static CAN: OnceLock<bool> = OnceLock::new();
    *CAN.get_or_init(|| {
        let asked =
            Command::new("ffmpeg").arg("-version").stdout(Stdio::null()).stderr(Stdio::null()).status();
        asked.is_ok_and(|s| s.success())
    })
}

/// A movie, put together.
pub struct Made {
    pub ending: &'static str,
    pub media_type: &'static str,
    pub bytes: Vec<u8>,
}

/// One picture a frame, by their names in order, and the sound of exactly these frames.
///
/// # Errors
/// There are not as many pictures as frames, or they cannot be put together.
pub fn put_together(ready: &Ready, recipe: &Recipe, pictures: &[(String, Vec<u8>)]) -> Answer<Made> {
    if pictures.len() != ready.frames() {
        let says = format!(
            "{} pictures came for {} frames; the line was changed meanwhile, make the movie again.",
            pictures.len(),
            ready.frames()
        );
        return Err(Problem::refused("picture", "pictures_missing", says));
    }
    let sound = ready.framed_sound()?;
    let file = recipe.movie.map_or(MovieFile::Pictures, |m| m.file);
    if file == MovieFile::Pictures || !can() {
        return zipped(pictures, &sound);
    }
    by_ffmpeg(ready, file, pictures, &sound)
}

fn zipped(pictures: &[(String, Vec<u8>)], sound: &[u8]) -> Answer<Made> {
    let write = || -> Result<Vec<u8>, zip::result::ZipError> {
        let mut zip = zip::ZipWriter::new(Cursor::new(Vec::new()));
        // Pictures are packed already.
        let stored = SimpleFileOptions::default()
            .compression_method(zip::CompressionMethod::Stored)
            .last_modified_time(zip::DateTime::default());
        for (name, bytes) in pictures {
            // Only the number of a frame can be a name here.
            let plain: String =
                name.chars().filter(|c| c.is_ascii_digit() || matches!(c, '-' | '.')).collect();
            zip.start_file(format!("{}.png", plain.trim_end_matches('.')), stored)?;
            zip.write_all(bytes)?;
        }
        zip.start_file("sound.wav", stored)?;
        zip.write_all(sound)?;
        Ok(zip.finish()?.into_inner())
    };
    let bytes = write().map_err(Problem::unexpected)?;
    Ok(Made { ending: "zip", media_type: "application/zip", bytes })
}

fn by_ffmpeg(ready: &Ready, file: MovieFile, pictures: &[(String, Vec<u8>)], sound: &[u8]) -> Answer<Made> {
    let folder = tempfile::tempdir().map_err(Problem::unexpected)?;
    let at = |name: &str| folder.path().join(name);
    let keep = |name: &str, bytes: &[u8]| std::fs::write(at(name), bytes).map_err(Problem::unexpected);
    for (i, (_, bytes)) in pictures.iter().enumerate() {
        keep(&format!("{i:06}.png"), bytes)?;
    }
    keep("sound.wav", sound)?;
    let (ending, media_type, codecs): (_, _, &[&str]) = match file {
        MovieFile::Webm => {
            ("webm", "video/webm", &["-c:v", "libvpx-vp9", "-crf", "20", "-b:v", "0", "-c:a", "libopus"])
        }
        MovieFile::Mp4 => {
            ("mp4", "video/mp4", &["-c:v", "libx264", "-crf", "16", "-c:a", "aac", "-b:a", "192k"])
        }
        _ => ("mov", "video/quicktime", &["-c:v", "libx264", "-crf", "16", "-c:a", "pcm_s24le"]),
    };
    let out = at(&format!("out.{ending}"));
    let rate = ready.grid().rate.to_string();
    let run = Command::new("ffmpeg")
        .args(["-v", "error", "-nostdin", "-y", "-framerate", &rate, "-i"])
        .arg(at("%06d.png"))
        .arg("-i")
        .arg(at("sound.wav"))
        .args(codecs)
        .args(["-pix_fmt", "yuv420p", "-movflags", "+faststart"])
        .arg(&out)
        .output()
        .map_err(Problem::unexpected)?;
    if !run.status.success() {
        let why = String::from_utf8_lossy(&run.stderr).lines().last().unwrap_or_default().to_string();
        let says = format!("ffmpeg could not put the movie together ({why}); choose pictures in a zip.");
        return Err(Problem::refused("movie", "ffmpeg_failed", says));
    }
    let bytes = read(&out)?;
    Ok(Made { ending, media_type, bytes })
}

fn read(path: &Path) -> Answer<Vec<u8>> {
    std::fs::read(path).map_err(Problem::unexpected)
}
