//! How well the check list tells good performances from spoilt ones: `cargo run --release -p jam-demo --example checked`
//! prints `docs/findings.md`. The ten lines are none of the demo's; each is good as the machine makes it, and spoilt in every
//! way that a rule looks for.
#![allow(clippy::unwrap_used)]

#[path = "../tests/common/mod.rs"]
mod common;

use common::spoilt::{Case, SPOILS, found, good, misfits};
use common::{bram, lines};
use jam_face::findings::{LIMITS, Rule};
use std::collections::BTreeMap;

fn main() {
    let (wiring, mouth) = bram();
    let good = good(&wiring);
    let misfits = misfits(&wiring);
    let mut demo: BTreeMap<Rule, usize> = BTreeMap::new();
    let mut ten: BTreeMap<Rule, usize> = BTreeMap::new();
    for (line, heard) in lines() {
        let case = Case { line: line.clone(), heard: heard.clone(), wiring: wiring.clone() };
        case.said(&mouth).iter().for_each(|(rule, n)| *demo.entry(*rule).or_default() += n);
    }
    for case in &good[..10] {
        case.said(&mouth).iter().for_each(|(rule, n)| *ten.entry(*rule).or_default() += n);
    }
    println!("# What the check list looks for, and how well\n");
    println!("Printed by `cargo run --release -p jam-demo --example checked`.\n");
    println!("## The figures\n");
    println!("| found | beyond | of what | where it is from |");
    println!("|---|---|---|---|");
    for limit in LIMITS {
        println!("| {} | {} | {} | {} |", limit.rule.title(), limit.value, limit.of, limit.from);
    }
    println!("\n## False alarms\n");
    println!(
        "Entries on lines as the machine makes them, without hands, on Bram: the demo's {}, and ten others on which nothing was chosen. A doubtful word is one that the recogniser is not sure of.\n",
        lines().len()
    );
    println!("| rule | the demo | ten others |");
    println!("|---|---|---|");
    for rule in Rule::ALL {
        let n = |of: &BTreeMap<Rule, usize>| of.get(rule).copied().unwrap_or(0);
        println!("| {} | {} | {} |", rule.title(), n(&demo), n(&ten));
    }
    println!("\n## Spoilt performances found\n");
    println!(
        "The ten others, each spoilt in one way, and where it takes a long line the ten in one with pauses of two seconds.\n"
    );
    println!("| rule | spoilt by | found |");
    println!("|---|---|---|");
    for spoil in SPOILS {
        let (found, of) = found(spoil, &good, &mouth);
        println!("| {} | {} | {found} of {of} |", spoil.rule.title(), spoil.way);
    }
    let mut ways: Vec<(Rule, &str)> = misfits.iter().map(|(rule, way, _)| (*rule, *way)).collect();
    ways.sort();
    ways.dedup();
    for (rule, way) in ways {
        let own: Vec<&Option<Case>> = misfits.iter().filter(|m| m.1 == way).map(|m| &m.2).collect();
        let refused = own.iter().filter(|c| c.is_none()).count();
        let said = |c: &&Case| c.said(&mouth).iter().any(|(r, _)| *r == rule);
        let found = own.iter().copied().flatten().filter(said).count();
        let refused =
            if refused > 0 { format!(", {refused} more refused when timed") } else { String::new() };
        println!("| {} | {way} | {found} of {}{refused} |", rule.title(), own.len());
    }
}
