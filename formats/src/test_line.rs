//! The line of the test walk: one sentence that holds every English sound, invented, its voice
//! synthesised.

/// What is said.
pub const TEXT: &str =
    "The boy's measure of jam, four cups, should go in a wide hot jar; they think you chew it loudly.";

/// The recording, WAV. Made with `flite -voice awb` from [`TEXT`].
pub const RECORDING: &[u8] = include_bytes!("../assets/test-line.wav");
