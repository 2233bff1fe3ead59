//! What of the layers over the speech is said on the command line.

use clap::{Args, ValueEnum};
use jam_desk::{Alone, Felt, SEED};

#[derive(Debug, Clone, Copy, PartialEq, Eq, ValueEnum)]
enum Switch {
    Auto,
    Off,
}

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
    /// What they are laid by.
    pub fn laid(&self) -> Alone {
        Alone {
            moods: self.mood.clone(),
            blinks: self.blinks == Switch::Auto,
            head: self.head == Switch::Auto,
            seed: self.seed,
        }
    }
}
