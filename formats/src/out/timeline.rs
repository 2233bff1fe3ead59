//! Lines in an order, with gaps, as OpenTimelineIO: rows of a track of pictures and one of sounds each. Schemas as its
//! reference library reads them.

use super::address;
use jam_score::{Frame, FrameRate, Timing};
use serde_json::{Value, json};

/// One line of an order.
#[derive(Debug, Clone, Copy)]
pub struct Shot<'a> {
    pub name: &'a str,
    /// Frames before it in which nothing is.
    pub gap: i64,
    pub frames: i64,
    /// Frames of it before its sound starts.
    pub before: i64,
    /// File names, beside the timeline's.
    pub movie: Option<&'a str>,
    pub sound: Option<&'a str>,
    /// Samples of the sound and how many a second.
    pub samples: i64,
    pub hz: u32,
    pub timing: &'a Timing,
}

struct Clock(f64);

impl Clock {
    fn time(&self, frames: i64) -> Value {
        json!({"OTIO_SCHEMA": "RationalTime.1", "rate": self.0, "value": frames as f64})
    }

    fn range(&self, start: i64, frames: i64) -> Value {
        json!({"OTIO_SCHEMA": "TimeRange.1", "start_time": self.time(start), "duration": self.time(frames)})
    }
}

fn item(schema: &str, name: &str, range: &Value) -> Value {
    json!({
        "OTIO_SCHEMA": schema, "name": name, "source_range": range, "effects": [], "markers": [], "enabled": true, "color": null,
        "metadata": {}
    })
}

fn track(name: &str, kind: &str, children: &[Value]) -> Value {
    let mut track = item("Track.1", name, &Value::Null);
    track["kind"] = json!(kind);
    track["children"] = json!(children);
    track
}

/// Lines that lie behind each other, with the gaps between them.
pub struct Row<'a> {
    /// Names of its track of pictures and its track of sounds.
    pub names: [&'a str; 2],
    pub shots: Vec<Shot<'a>>,
}

fn medium(file: Option<&str>, available: &Value) -> Value {
    match file {
        None => json!({"OTIO_SCHEMA": "MissingReference.1", "name": "", "available_range": null,
            "available_image_bounds": null, "metadata": {}}),
        Some(file) => json!({
            "OTIO_SCHEMA": "ExternalReference.1", "name": file,
            "target_url": address(file), "available_range": available,
            "available_image_bounds": null, "metadata": {}
        }),
    }
}

fn clip(shot: &Shot<'_>, range: &Value, medium: &Value) -> Value {
    let mut clip = item("Clip.2", shot.name, range);
    clip["media_references"] = json!({"DEFAULT_MEDIA": medium});
    clip["active_media_reference_key"] = json!("DEFAULT_MEDIA");
    clip
}

/// The pictures and the sounds of a row.
fn tracks(clock: &Clock, row: &Row<'_>) -> [Value; 2] {
    let (mut pictures, mut sounds) = (Vec::new(), Vec::new());
    let gap = |frames: i64| item("Gap.1", "", &clock.range(0, frames));
    for shot in &row.shots {
        if shot.gap > 0 {
            pictures.push(gap(shot.gap));
            sounds.push(gap(shot.gap));
        }
        let all = clock.range(0, shot.frames);
        pictures.push(clip(shot, &all, &medium(shot.movie, &all)));
        // The sound starts after the handle, and is heard as long as the shot lasts.
        if shot.before > 0 {
            sounds.push(gap(shot.before));
        }
        let own = Clock(f64::from(shot.hz));
        let heard = clock.range(0, shot.frames - shot.before);
        let mut sound = clip(shot, &heard, &medium(shot.sound, &own.range(0, shot.samples)));
        let marker = |word: &jam_score::Word| {
            let at = |t: f64| (t * clock.0).round() as i64;
            let (start, end) = (at(word.span.start.0), at(word.span.end.0));
            json!({
                "OTIO_SCHEMA": "Marker.2", "name": word.text, "color": "GREEN", "comment": "",
                "marked_range": clock.range(start, (end - start).max(1)), "metadata": {}
            })
        };
        sound["markers"] = shot.timing.words.iter().map(marker).collect();
        sounds.push(sound);
    }
    let [picture, voice] = row.names;
    [track(picture, "Video", &pictures), track(voice, "Audio", &sounds)]
}

/// The timeline; rows lie over each other. Every word is a marker on its sound.
pub fn otio(name: &str, rate: FrameRate, first: Frame, rows: &[Row<'_>]) -> String {
    let clock = Clock(rate.per_second());
    let (pictures, sounds): (Vec<Value>, Vec<Value>) =
        rows.iter().map(|row| tracks(&clock, row)).map(|[p, s]| (p, s)).unzip();
    let mut stack = item("Stack.1", "tracks", &Value::Null);
    stack["children"] = pictures.into_iter().chain(sounds).collect();
    let timeline = json!({
        "OTIO_SCHEMA": "Timeline.1", "name": name, "global_start_time": clock.time(first.0), "tracks": stack,
        "metadata": {}
    });
    format!("{timeline:#}\n")
}
