//! How lively the jaw is: `cargo run --release -p jam-demo --example jaw`. Openings a second of speech, the most within any
//! second, and where the jaw's movement lies in its spectrum, for the demo's spoken lines and for ten others.

#[path = "../tests/common/mod.rs"]
mod common;

use common::{Lively, lively};

fn main() {
    for (name, lines) in [("the demo", common::lines()), ("ten others", common::others())] {
        let all: Vec<Lively> = lines.iter().filter_map(|(line, heard)| lively(line, heard)).collect();
        let mean = |of: &dyn Fn(&Lively) -> f64| all.iter().map(of).sum::<f64>() / all.len() as f64;
        let bands = [0, 1, 2, 3].map(|b| format!("{:.3}", mean(&|l| l.bands[b]))).join(" / ");
        println!(
            "{name}: {:.2} openings a second of speech, {} in any second at most; 0-2 / 2-4 / 4-8 / over 8 Hz {bands}",
            mean(&|l| l.openings),
            all.iter().map(|l| l.most).max().unwrap_or(0),
        );
    }
}
