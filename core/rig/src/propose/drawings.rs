//! A chart of whole mouths by the names of the drawings: `mouth_closed`, `mouth fv`, `Mouth_AH`.

use super::words::Words;
use crate::chart::{Chart, Drawing, LEAST_HOLD, MouthKind as K};
use std::collections::BTreeMap;

/// Fewest drawings that make a chart: else a single mouth is just a mouth.
const FEWEST: usize = 4;

/// What a drawing's name may say besides "mouth", and the kinds it is for.
const NAMES: &[(&str, &[K])] = &[
    ("rest", &[K::Rest]),
    ("neutral", &[K::Rest]),
    ("relaxed", &[K::Rest]),
    ("closed", &[K::Closed]),
    ("mbp", &[K::Closed]),
    ("bmp", &[K::Closed]),
    ("pbm", &[K::Closed]),
    ("f", &[K::LipToTeeth]),
    ("fv", &[K::LipToTeeth]),
    ("th", &[K::TongueBetween]),
    ("l", &[K::TongueTip]),
    ("tdn", &[K::TongueTip]),
    ("tdnl", &[K::TongueTip]),
    ("tongue", &[K::TongueTip]),
    ("s", &[K::TeethTogether]),
    ("sz", &[K::TeethTogether]),
    ("teeth", &[K::TeethTogether]),
    ("sh", &[K::Pushed]),
    ("ch", &[K::Pushed]),
    ("pushed", &[K::Pushed]),
    ("small", &[K::Small]),
    ("uh", &[K::Small]),
    ("schwa", &[K::Small]),
    ("r", &[K::Curled]),
    ("er", &[K::Curled]),
    ("w", &[K::RoundTight]),
    ("oo", &[K::RoundTight]),
    ("ooh", &[K::RoundTight]),
    ("wu", &[K::RoundTight]),
    ("o", &[K::RoundOpen]),
    ("oh", &[K::RoundOpen]),
    ("aw", &[K::RoundOpen]),
    ("a", &[K::Open]),
    ("ah", &[K::Open]),
    ("open", &[K::Open]),
    ("eh", &[K::Wide]),
    ("ae", &[K::Wide]),
    ("wide", &[K::Wide]),
    ("e", &[K::Spread]),
    ("ee", &[K::Spread]),
    ("spread", &[K::Spread]),
];

/// A chart of the nodes that are called mouths, if there are enough.
pub fn chart(nodes: &[&str]) -> Option<Chart> {
    let mut chart = Chart { drawings: Vec::new(), kinds: BTreeMap::new(), hold: LEAST_HOLD };
    for node in nodes {
        // "L" and "R" are sounds here, not sides, so the name is read as it stands.
        let lower = node.to_lowercase();
        let words: Vec<&str> =
            lower.split(|c: char| !c.is_alphanumeric()).filter(|w| !w.is_empty()).collect();
        let [first, rest @ ..] = words.as_slice() else { continue };
        if !["mouth", "mouths", "lips"].contains(first) || rest.is_empty() {
            continue;
        }
        let known = |w: &str| NAMES.iter().find(|(n, _)| *n == w).map(|(_, kinds)| *kinds);
        let kinds: Vec<K> = rest.iter().filter_map(|w| known(w)).flatten().copied().collect();
        if kinds.is_empty() {
            continue;
        }
        let name = Words::of(node).words.get(1..).map(|w| w.join(" ")).filter(|n| !n.is_empty());
        let name = name.unwrap_or_else(|| rest.join(" "));
        for kind in kinds {
            chart.kinds.entry(kind).or_insert(chart.drawings.len());
        }
        chart.drawings.push(Drawing { name, node: (*node).to_string(), image: None });
    }
    (chart.drawings.len() >= FEWEST && chart.check().is_ok()).then_some(chart)
}
