//! Movies where the browser cannot make them: pictures and sound put together by ffmpeg, if this machine has it, else in
//! a zip.

use crate::form::Form;
use crate::problem::{Answer, Problem};
use jam_formats::recipe::{MovieFile, Recipe};
use jam_score::FrameRate;
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

/// What a movie shows: so many frames, and the sound of exactly these as a WAV.
pub struct Cut {
    pub frames: usize,
    pub rate: FrameRate,
    pub sound: Vec<u8>,
}

/// The recipe that came with a movie; without one the usual.
pub fn recipe_of(form: &Form) -> Answer<Recipe> {
    let read = |text| serde_json::from_str(text).map_err(|e| Problem::refused("recipe", "recipe_wrong", e));
    form.text("recipe").map_or_else(|| Ok(Recipe::default()), read)
}

/// A movie that the page has made.
pub fn made_by_page(form: &Form) -> Answer<Made> {
    let (name, bytes) = form.file("movie", "The movie is missing; make it again.")?;
    let known = [
        ("mov", "video/quicktime"),
        ("mp4", "video/mp4"),
        ("webm", "video/webm"),
        ("zip", "application/zip"),
    ];
    let own = name.rsplit('.').next().unwrap_or_default();
    let found = known.into_iter().find(|(ending, _)| *ending == own);
    let says = "A movie is a .mov, .mp4 or .webm, or a .zip of its pictures and sound.";
    let (ending, media_type) = found.ok_or_else(|| Problem::refused("movie", "movie_unknown", says))?;
    Ok(Made { ending, media_type, bytes: bytes.to_vec() })
}

/// One picture a frame, by their names in order, and the sound of exactly these frames.
///
/// # Errors
/// There are not as many pictures as frames, or they cannot be put together.
pub fn put_together(cut: &Cut, recipe: &Recipe, pictures: &[(String, Vec<u8>)]) -> Answer<Made> {
    if pictures.len() != cut.frames {
        let says = format!(
            "{} pictures came for {} frames; something was changed meanwhile, make the movie again.",
            pictures.len(),
            cut.frames
        );
        return Err(Problem::refused("picture", "pictures_missing", says));
    }
    let file = recipe.movie.map_or(MovieFile::Pictures, |m| m.file);
    if file == MovieFile::Pictures || !can() {
        return zipped(pictures, &cut.sound);
    }
    by_ffmpeg(cut, file, pictures)
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

fn by_ffmpeg(cut: &Cut, file: MovieFile, pictures: &[(String, Vec<u8>)]) -> Answer<Made> {
    let folder = tempfile::tempdir().map_err(Problem::unexpected)?;
    let at = |name: &str| folder.path().join(name);
    let keep = |name: &str, bytes: &[u8]| std::fs::write(at(name), bytes).map_err(Problem::unexpected);
    for (i, (_, bytes)) in pictures.iter().enumerate() {
        keep(&format!("{i:06}.png"), bytes)?;
    }
    keep("sound.wav", &cut.sound)?;
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
    let rate = cut.rate.to_string();
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
