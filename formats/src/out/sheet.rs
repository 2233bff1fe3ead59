//! The exposure sheet: for every frame what is said, which mouth is shown and what the lids do, as a table, as a page to
//! print, and, of a character with whole mouths, as a list of how long each is held.

use super::escaped;
use super::table::csv;
use jam_rig::{MouthKind, Sampled, Wiring};
use jam_score::{Control, Frame, Phone, Timing};
use serde::Serialize;
use std::fmt::Write;

/// Lids are closed, half closed or wide from here on. Common practice, no source.
const CLOSED: f32 = 0.8;
const HALF: f32 = 0.35;
const WIDE: f32 = 0.4;

/// What goes on from the frame before.
const GOES_ON: &str = "|";

/// One frame.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, utoipa::ToSchema)]
pub struct SheetRow {
    pub frame: i64,
    /// Seconds from the start of the sound, to thousandths.
    pub seconds: String,
    /// The word that starts in this frame, `|` while it goes on.
    pub word: String,
    /// The sounds that start in this frame, `|` while one goes on.
    pub sound: String,
    /// The drawing shown, or the kind of mouth that the sound needs.
    pub mouth: String,
    pub lids: String,
}

/// All that starts within a frame, or a line if something goes on; `from` and `to` in frames.
fn in_frame(all: &[(i64, i64, String)], frame: i64) -> String {
    let starting: Vec<&str> =
        all.iter().filter(|(from, ..)| *from == frame).map(|(.., text)| text.as_str()).collect();
    if !starting.is_empty() {
        return starting.join(" ");
    }
    let goes_on = all.iter().any(|(from, to, _)| *from < frame && frame < *to);
    if goes_on { GOES_ON.into() } else { String::new() }
}

/// The sheet of a shot.
pub fn rows(timing: &Timing, wiring: &Wiring, sampled: &Sampled) -> Vec<SheetRow> {
    let first = sampled.grid.first.0;
    let grid = sampled.sound_grid();
    // Something stands on the frame that is on screen when it begins, until the one on which the next begins.
    let from_to = |span: jam_score::Span| {
        let (from, to) = (grid.frame_at(span.start).0, grid.frame_at(span.end).0);
        (from, to.max(from + 1))
    };
    let words: Vec<(i64, i64, String)> = timing
        .words
        .iter()
        .filter(|w| w.span.end > w.span.start)
        .map(|w| (from_to(w.span), w.text.to_string()))
        .map(|((from, to), text)| (from, to, text))
        .collect();
    let sounds: Vec<(i64, i64, String)> = timing
        .sounds
        .iter()
        .filter(|s| s.phone != Phone::Sil)
        .map(|s| (from_to(s.span), s.phone.name().to_string()))
        .map(|((from, to), text)| (from, to, text))
        .collect();
    let lids = |face: &[f32]| {
        let least = |a: Control, b: Control| face[a as usize].min(face[b as usize]);
        let closed = least(Control::LidCloseLeft, Control::LidCloseRight);
        let word = match closed {
            c if c >= CLOSED => "closed",
            c if c >= HALF => "half",
            _ if least(Control::LidWideLeft, Control::LidWideRight) >= WIDE => "wide",
            _ => "",
        };
        word.to_string()
    };
    let mouth = |i: usize, time: jam_score::Seconds| match (&wiring.chart, sampled.drawings.get(i)) {
        (Some(chart), Some(shown)) => chart.drawings[*shown].name.clone(),
        _ => {
            let said = timing.sounds.iter().find(|s| s.span.start <= time && time < s.span.end);
            said.map_or(MouthKind::Rest, MouthKind::of).label().to_string()
        }
    };
    let row = |i: usize| {
        let frame = Frame(first + i as i64);
        let time = grid.time_of(frame);
        // The mouth of the middle of a frame: what is seen of a sound that starts within it.
        let middle = jam_score::Seconds(time.0 + 0.5 * grid.rate.frame_length().0);
        SheetRow {
            frame: frame.0,
            seconds: format!("{:.3}", time.0 + 0.0),
            word: in_frame(&words, frame.0),
            sound: in_frame(&sounds, frame.0),
            mouth: mouth(i, middle),
            lids: lids(&sampled.faces[i]),
        }
    };
    (0..sampled.faces.len()).map(row).collect()
}

const HEAD: [&str; 7] = ["frame", "seconds", "word", "sound", "mouth", "lids", "notes"];

fn cells(row: &SheetRow) -> [String; 7] {
    let SheetRow { frame, seconds, word, sound, mouth, lids } = row.clone();
    [frame.to_string(), seconds, word, sound, mouth, lids, String::new()]
}

/// The sheet as a table.
///
/// # Errors
/// It cannot be written.
pub fn table(rows: &[SheetRow]) -> Result<String, csv::Error> {
    csv(std::iter::once(HEAD.map(String::from)).chain(rows.iter().map(cells)))
}

/// How long each mouth is held: first frame, frames, mouth.
///
/// # Errors
/// It cannot be written.
pub fn holds(rows: &[SheetRow]) -> Result<String, csv::Error> {
    let mut held: Vec<(i64, usize, &str)> = Vec::new();
    for row in rows {
        match held.last_mut() {
            Some(last) if last.2 == row.mouth => last.1 += 1,
            _ => held.push((row.frame, 1, &row.mouth)),
        }
    }
    let head = ["frame", "frames", "mouth"].map(String::from);
    let rows =
        held.into_iter().map(|(frame, count, mouth)| [frame.to_string(), count.to_string(), mouth.into()]);
    csv(std::iter::once(head).chain(rows))
}

/// The sheet as a page to print: A4 upright, a heavy rule every second and a lighter one every half.
pub fn page(rows: &[SheetRow], title: &str, rate: jam_score::FrameRate) -> String {
    let whole = (rate.per_second().round() as usize).max(1);
    let mut out = format!(
        "<!doctype html>\n<html lang=\"en\"><head><meta charset=\"utf-8\"><title>{0}</title>\n<style>\n\
         @page {{ size: A4 portrait; margin: 14mm 12mm 16mm; @bottom-right {{ content: counter(page) \" / \" counter(pages); font: 8pt sans-serif }} }}\n\
         body {{ font: 8.5pt/1 sans-serif; margin: 0; color: #111 }}\n\
         @media screen {{ body {{ margin: 10mm auto; max-width: 186mm }} }}\n\
         h1 {{ font-size: 12pt; margin: 0 0 3mm }}\n\
         table {{ border-collapse: collapse; width: 100%; font-variant-numeric: tabular-nums }}\n\
         thead {{ display: table-header-group }}\n\
         tr {{ break-inside: avoid; height: 5.2mm }}\n\
         td, th {{ border: .2mm solid #999; padding: 0 1.5mm; text-align: left }}\n\
         tr.second td {{ border-top: .7mm solid #000 }}\n\
         tr.half td {{ border-top: .4mm solid #444 }}\n\
         td:last-child {{ width: 28% }}\n\
         td:nth-child(3) {{ font-weight: bold }}\n\
         </style></head><body>\n<h1>{0} · {1} frames a second</h1>\n<table><thead><tr>",
        escaped(title),
        rate_words(rate)
    );
    HEAD.iter().for_each(|h| {
        let _ = write!(out, "<th>{h}</th>");
    });
    out.push_str("</tr></thead><tbody>\n");
    for (i, row) in rows.iter().enumerate() {
        let class = match i {
            i if i % whole == 0 => " class=\"second\"",
            i if whole.is_multiple_of(2) && i % (whole / 2) == 0 => " class=\"half\"",
            _ => "",
        };
        let _ = write!(out, "<tr{class}>");
        cells(row).iter().for_each(|c| {
            let _ = write!(out, "<td>{}</td>", escaped(c));
        });
        out.push_str("</tr>\n");
    }
    out.push_str("</tbody></table></body></html>\n");
    out
}

/// A rate to three digits: 24, 23.976.
fn rate_words(rate: jam_score::FrameRate) -> String {
    ((rate.per_second() * 1000.0).round() / 1000.0).to_string()
}
