//! A mood as it is written in a cell of a table or behind an option: `happiness`, `anger:0.6`, `fear:0.6:0.5-2.0`.

use jam_score::{Mood, Seconds, Span, Timing};
use std::str::FromStr;

/// A mood with its amount, and when; over the whole line if that is not said.
#[derive(Debug, Clone, PartialEq)]
pub struct Felt {
    pub mood: Mood,
    /// 0..1.
    pub amount: f64,
    span: Option<(f64, f64)>,
}

impl FromStr for Felt {
    type Err = String;

    fn from_str(text: &str) -> Result<Felt, String> {
        let mut parts = text.split(':');
        let name = parts.next().unwrap_or_default();
        let names = || Mood::NAMED.map(|m| m.title().to_string()).join(", ");
        let mood = Mood::from_name(name).ok_or_else(|| format!("“{name}” is none of {}", names()))?;
        let number = |t: &str| t.parse::<f64>().ok().filter(|v| v.is_finite() && *v >= 0.0);
        let amount = match parts.next() {
            None => 1.0,
            Some(t) => number(t).filter(|v| *v <= 1.0).ok_or("the amount goes from 0 to 1")?,
        };
        let span = match parts.next() {
            None => None,
            Some(t) => {
                let ends = t.split_once('-').and_then(|(a, b)| Some((number(a)?, number(b)?)));
                Some(ends.filter(|(a, b)| a < b).ok_or("the time is START-END in seconds, as 0.5-2.0")?)
            }
        };
        if parts.next().is_some() {
            return Err("write it as happiness:1.0 or happiness:1.0:0.5-2.0".into());
        }
        Ok(Felt { mood, amount, span })
    }
}

impl Felt {
    /// The stretch of a line's times that it lies over.
    ///
    /// # Errors
    /// It starts behind the recording's end, in a sentence.
    pub fn span(&self, timing: &Timing) -> Result<Span, String> {
        let end = timing.end().0;
        let (from, to) = self.span.unwrap_or((0.0, end));
        if from >= end {
            return Err(format!(
                "{} starts at {from} s; the recording ends at {end:.2} s",
                self.mood.title()
            ));
        }
        Ok(Span { start: Seconds(from), end: Seconds(to.min(end)) })
    }
}

/// The moods of a cell, one after the other; an amount may stand apart from its mood.
pub fn felt_of(cell: &str) -> Vec<String> {
    let mut out: Vec<String> = Vec::new();
    for part in cell.split([' ', '|', '+', ',', ';']).filter(|p| !p.is_empty()) {
        match out.last_mut() {
            Some(last) if part.parse::<f64>().is_ok() && !last.contains(':') => *last += &format!(":{part}"),
            _ => out.push(part.to_lowercase()),
        }
    }
    out
}
