//! What of the layers over the speech is said on the command line.

use clap::{Args, ValueEnum};
use jam_desk::Felt;
use jam_score::layers::{Acting, BlinkMode, Over, Stretch};
use jam_score::{Ids, Line};

#[derive(Debug, Clone, Copy, PartialEq, Eq, ValueEnum)]
enum Switch {
    Auto,
    Off,
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
        let layers = &mut line.layers;
        layers.settings.seed = self.seed;
        layers.settings.head.on = self.head == Switch::Auto;
        if self.blinks == Switch::Off {
            layers.settings.blinks.mode = BlinkMode::Off;
        }
        for felt in &self.mood {
            let over = Stretch::at(timing, felt.span(timing).map_err(anyhow::Error::msg)?);
            layers.moods.push(Over { id: 0, over, does: Acting::of(felt.mood.clone(), felt.amount) });
        }
        jam_desk::number(line, ids);
        line.check()?;
        Ok(())
    }
}
