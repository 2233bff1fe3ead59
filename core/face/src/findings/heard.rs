//! Whether what is heard and what is written agree: voice where no word stands, words where no voice is.

use super::limits::{SILENCE, UNWRITTEN, VOICE};
use super::rule::{Finding, Looked, Rule, finding};
use jam_score::prosody::HOP;
use jam_score::{Phone, Seconds, Span};

pub(super) fn agree(looked: &Looked<'_>, out: &mut Vec<Finding>) {
    let level = |t: f64| looked.heard.level_at(Seconds(t)) as f32;
    let spoken = looked.timing.sounds.iter().filter(|s| s.phone != Phone::Sil);
    let loud = spoken.map(|s| f64::from(level(s.span.middle().0))).collect();
    let Some(loud) = jam_score::percentile(loud, 0.9).map(|l| l as f32) else { return };
    let noises = looked.timing.noises.iter().map(|n| n.span);
    let noises: Vec<Span> = noises.collect();
    for pause in looked.timing.sounds.iter().filter(|s| s.phone == Phone::Sil) {
        // Sounds beside it ring into it.
        let (from, to) = (pause.span.start.0 + 0.05, pause.span.end.0 - 0.05);
        let mut began: Option<f64> = None;
        let steps = ((to - from) / HOP).max(0.0) as usize;
        for k in 0..=steps {
            let t = from + k as f64 * HOP;
            let inside = noises.iter().any(|n| t >= n.start.0 && t <= n.end.0);
            let voiced = k < steps && level(t) > loud - VOICE as f32 && !inside;
            if voiced {
                began.get_or_insert(t);
            } else if let Some(start) = began.take()
                && t - start >= UNWRITTEN
            {
                let says = "Something is said here that the text does not have; write it where it belongs."
                    .to_string();
                out.push(finding(Rule::Unwritten, Span::new(start, t), Vec::new(), says, None));
            }
        }
    }
    for span in looked.timing.unwritten() {
        let says = "Something is said here that the text does not have; the mouth says what was heard. Write it where it belongs.";
        out.push(finding(Rule::Unwritten, span, Vec::new(), says.into(), None));
    }
    for word in &looked.timing.words {
        if word.unsaid {
            let says = format!(
                "“{}” is written but not said; the mouth leaves it out. Take it out of the text.",
                word.text
            );
            out.push(finding(Rule::Unsaid, word.span, Vec::new(), says, None));
            continue;
        }
        let (start, end) = (word.span.start.0, word.span.end.0);
        let steps = ((end - start) / HOP) as usize;
        let loudest = (0..=steps).map(|k| level(start + k as f64 * HOP)).fold(f32::MIN, f32::max);
        if loudest < loud - SILENCE as f32 {
            let says =
                format!("Nothing is heard where “{}” stands; take it out of the text or move it.", word.text);
            out.push(finding(Rule::Unsaid, word.span, Vec::new(), says, None));
        }
    }
}
