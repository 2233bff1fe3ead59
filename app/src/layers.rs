//! What of the layers over the speech is said on the command line.

use clap::{Args, ValueEnum};
use jam_score::layers::{Acting, BlinkMode, Over, Stretch};
use jam_score::{Ids, Line, Mood, Seconds, Span};
use std::str::FromStr;

#[derive(Debug, Clone, Copy, PartialEq, Eq, ValueEnum)]
enum Switch {
    Auto,
    Off,
}

/// A mood with its amount, and when.
#[derive(Debug, Clone, PartialEq)]
pub struct Felt {
    mood: Mood,
    amount: f64,
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

/// What everything that looks random starts from, unless it is said.
const SEED: u64 = 7;

/// Moods, blinks and head motion.
#[derive(Args)]
pub struct LayerOptions {
    /// A mood with its amount, over all or from START to END seconds; may be given more than once.
    #[arg(long, value_name = "MOOD:AMOUNT[:START-END]")]
    mood: Vec<Felt>,
    /// Blinks by rule, or none.
    #[arg(long, value_enum, default_value = "auto", value_name = "auto|off")]
    blinks: Switch,
    /// The head with the voice, or still.
    #[arg(long, value_enum, default_value = "auto", value_name = "auto|off")]
    head: Switch,
    /// What everything that looks random starts from.
    #[arg(long, default_value_t = SEED, value_name = "N")]
    seed: u64,
}

impl LayerOptions {
    /// As usual, with these moods.
    pub fn felt(mood: Vec<Felt>) -> LayerOptions {
        LayerOptions { mood, blinks: Switch::Auto, head: Switch::Auto, seed: SEED }
    }

    /// Lays them over a timed line.
    pub fn lay(&self, line: &mut Line, ids: &mut Ids) -> anyhow::Result<()> {
        let Some(timing) = &line.timing else { return Ok(()) };
        let end = timing.end().0;
        let layers = &mut line.layers;
        layers.settings.seed = self.seed;
        layers.settings.head.on = self.head == Switch::Auto;
        if self.blinks == Switch::Off {
            layers.settings.blinks.mode = BlinkMode::Off;
        }
        for felt in &self.mood {
            let (from, to) = felt.span.unwrap_or((0.0, end));
            if from >= end {
                anyhow::bail!("{} starts at {from} s; the recording ends at {end:.2} s", felt.mood.title());
            }
            let span = Span { start: Seconds(from), end: Seconds(to.min(end)) };
            let over = Stretch::at(timing, span);
            layers.moods.push(Over { id: 0, over, does: Acting::of(felt.mood.clone(), felt.amount) });
        }
        jam_desk::number(line, ids);
        line.check()?;
        Ok(())
    }
}
