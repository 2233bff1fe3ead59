//! Faces made by a program: names that the proposer's tables were not written from, in random spellings, with random parts
//! and joints. What share of them is wired right, wrong, and left open. When this was first run none was wrong, and of the
//! action units .63, of plain words .51 and of joints .74 were right; then the standard's words were learned, and that what
//! most names of a face begin with says nothing.
#![allow(clippy::unwrap_used)]

use jam_rig::propose::{JointFacts, ShapeFacts, propose};
use jam_score::Control;
use std::collections::BTreeMap;

/// What a shape does: its controls on the left side, or of both where there are no sides.
type Meant = &'static [Control];

use Control as C;

/// The action units of the Facial Action Coding System by their printed names (Ekman and Friesen 1978, revised 2002), as
/// far as a control of ours is what one of them does.
const ACTION_UNITS: &[(&str, bool, Meant)] = &[
    ("Inner Brow Raiser", true, &[C::BrowInnerUpLeft]),
    ("Outer Brow Raiser", true, &[C::BrowOuterUpLeft]),
    ("Brow Lowerer", true, &[C::BrowDownLeft]),
    ("Upper Lid Raiser", true, &[C::LidWideLeft]),
    ("Cheek Raiser", true, &[C::CheekRaiseLeft]),
    ("Lid Tightener", true, &[C::LidSquintLeft]),
    ("Nose Wrinkler", true, &[C::NoseWrinkleLeft]),
    ("Upper Lip Raiser", true, &[C::LipUpperRaiseLeft]),
    ("Lip Corner Puller", true, &[C::CornerUpLeft]),
    ("Cheek Puffer", false, &[C::CheekPuff]),
    ("Lip Corner Depressor", true, &[C::CornerDownLeft]),
    ("Lower Lip Depressor", true, &[C::LipLowerDropLeft]),
    ("Chin Raiser", false, &[C::ChinRaise]),
    ("Lip Puckerer", false, &[C::LipsRound]),
    ("Lip Stretcher", true, &[C::LipsSpreadLeft]),
    ("Lip Funneler", false, &[C::LipsProtrude]),
    ("Lip Presser", false, &[C::LipsPress]),
    ("Jaw Drop", false, &[C::JawOpen]),
    ("Jaw Thrust", false, &[C::JawForward]),
    ("Blink", true, &[C::LidCloseLeft]),
    ("Squint", true, &[C::LidSquintLeft]),
    ("Eyes Closed", true, &[C::LidCloseLeft]),
    ("Nostril Dilator", false, &[C::NostrilFlare]),
];

/// Plain words, each of which may be said in several ways; from memory, no source.
const WORDS: &[(&[&str], &[&str], bool, Meant)] = &[
    (&["jaw", "chin bone", "mandible"], &["open", "down", "lowered", "drop"], false, &[C::JawOpen]),
    (&["lips", "mouth"], &["closed", "shut", "sealed", "together"], false, &[C::LipsClose]),
    (&["lips", "mouth"], &["rounded", "pursed", "kiss"], false, &[C::LipsRound]),
    (&["lips"], &["pushed out", "pout", "forward"], false, &[C::LipsProtrude]),
    (&["mouth corner", "lip corner"], &["raised", "up", "pulled up"], true, &[C::CornerUpLeft]),
    (&["mouth corner", "lip corner"], &["lowered", "down", "turned down"], true, &[C::CornerDownLeft]),
    (&["upper lip"], &["raised", "up", "lifted"], true, &[C::LipUpperRaiseLeft]),
    (&["lower lip", "bottom lip"], &["down", "dropped", "pulled down"], true, &[C::LipLowerDropLeft]),
    (&["mouth", "lips"], &["stretched", "wide", "spread"], true, &[C::LipsSpreadLeft]),
    (&["brow inner", "inner eyebrow"], &["raised", "up", "lift"], true, &[C::BrowInnerUpLeft]),
    (&["brow outer", "outer eyebrow"], &["raised", "up", "lift"], true, &[C::BrowOuterUpLeft]),
    (&["brow", "eyebrow"], &["lowered", "down", "furrowed"], true, &[C::BrowDownLeft]),
    (&["eye", "eyelid", "lid"], &["closed", "blink", "shut"], true, &[C::LidCloseLeft]),
    (&["eye", "eyelid"], &["wide", "wide open"], true, &[C::LidWideLeft]),
    (&["eye"], &["squint", "squinting", "narrowed"], true, &[C::LidSquintLeft]),
    (&["cheek"], &["raised", "up", "lifted"], true, &[C::CheekRaiseLeft]),
    (&["cheeks"], &["puffed", "blown", "inflated"], false, &[C::CheekPuff]),
    (&["nose"], &["wrinkled", "sneer", "scrunched"], true, &[C::NoseWrinkleLeft]),
    (&["tongue"], &["out", "stuck out"], false, &[C::TongueOut]),
];

/// Muscles of expression (Terminologia Anatomica 1998), and things no control of ours does: neither can be known by name,
/// so that leaving them open is right.
const OTHERS: &[&str] = &[
    "Zygomaticus Major",
    "Risorius",
    "Mentalis",
    "Platysma",
    "Levator Anguli Oris",
    "Ear Wiggle",
    "Collar Fit",
    "Hat Squash",
    "Breathe In",
    "Fat",
    "Thin",
    "Old Age",
    "Fix Elbow",
];

/// A number like any other, the same on every machine (splitmix64, Steele and others 2014).
struct Dice(u64);

impl Dice {
    fn next(&mut self) -> u64 {
        self.0 = self.0.wrapping_add(0x9e37_79b9_7f4a_7c15);
        let mut z = self.0;
        z = (z ^ (z >> 30)).wrapping_mul(0xbf58_476d_1ce4_e5b9);
        z = (z ^ (z >> 27)).wrapping_mul(0x94d0_49bb_1331_11eb);
        z ^ (z >> 31)
    }

    fn one<'a>(&mut self, of: &[&'a str]) -> &'a str {
        of[(self.next() % of.len() as u64) as usize]
    }
}

/// How a face spells its names: one way for the whole face, as riggers do.
struct Spelling {
    case: u64,
    side: u64,
    before: String,
    numbered: bool,
}

impl Spelling {
    fn new(dice: &mut Dice) -> Spelling {
        let before = ["", "", "BS_", "bs.", "Face_", "head:", "shp_", "Morph "];
        Spelling {
            case: dice.next() % 5,
            side: dice.next() % 6,
            before: dice.one(&before).to_string(),
            numbered: dice.next().is_multiple_of(4),
        }
    }

    fn name(&self, words: &str, right: Option<bool>, number: usize) -> String {
        let capital = |w: &str| w[..1].to_uppercase() + &w[1..].to_lowercase();
        let all: Vec<&str> = words.split(' ').collect();
        let mut name = match self.case {
            0 => all.join("_").to_lowercase(),
            1 => all.iter().map(|w| capital(w)).collect(),
            2 => all
                .iter()
                .enumerate()
                .map(|(i, w)| if i == 0 { w.to_lowercase() } else { capital(w) })
                .collect(),
            3 => all.join(" "),
            _ => all.join("-").to_lowercase(),
        };
        if let Some(right) = right {
            let (short, long) = if right { ("R", "right") } else { ("L", "left") };
            name = match self.side {
                0 => format!("{name}_{short}"),
                1 => format!("{name}.{short}"),
                2 => format!("{short}_{name}"),
                3 => format!("{name}_{long}"),
                4 => format!("{long} {name}"),
                _ => format!("{name}.{}", short.to_lowercase()),
            };
        }
        let number = if self.numbered { format!("_{number:02}") } else { String::new() };
        format!("{}{name}{number}", self.before)
    }
}

fn mirrored(control: Control) -> Control {
    Control::from_name(&control.name().replace("_left", "_right")).unwrap_or(control)
}

/// Of names by where they are from: right, wrong, left open.
type Shares = BTreeMap<&'static str, [usize; 3]>;

fn count(shares: &mut Shares, kind: &'static str, wired: &[Control], meant: &[Control], name: &str) {
    let which = if wired.is_empty() && !meant.is_empty() {
        2
    } else if wired == meant {
        0
    } else {
        println!("wrong: {name} is wired to {wired:?}, meant {meant:?}");
        1
    };
    shares.entry(kind).or_default()[which] += 1;
}

#[test]
fn faces_of_strangers_are_wired_right_or_left_open() {
    let mut shares = Shares::new();
    for seed in 0..60u64 {
        let dice = &mut Dice(seed);
        let spelling = Spelling::new(dice);
        let mut shapes: Vec<(&'static str, String, Vec<Control>)> = Vec::new();
        let mut add = |kind, words: &str, sided: bool, meant: Meant| {
            for right in if sided { vec![Some(false), Some(true)] } else { vec![None] } {
                let controls = meant.iter().map(|c| if right == Some(true) { mirrored(*c) } else { *c });
                shapes.push((kind, spelling.name(words, right, shapes.len()), controls.collect()));
            }
        };
        // A face has about half of what there is, in one vocabulary.
        if seed.is_multiple_of(2) {
            for (words, sided, meant) in ACTION_UNITS {
                if dice.next().is_multiple_of(2) {
                    add("action units", words, *sided, meant);
                }
            }
        } else {
            for (regions, actions, sided, meant) in WORDS {
                if dice.next().is_multiple_of(2) {
                    let words = format!("{} {}", dice.one(regions), dice.one(actions));
                    add("plain words", &words, *sided, meant);
                }
            }
        }
        for words in OTHERS {
            if dice.next().is_multiple_of(3) {
                add("others", words, false, &[]);
            }
        }
        let facts: Vec<ShapeFacts> =
            shapes.iter().map(|s| ShapeFacts { name: s.1.clone(), half: None }).collect();
        let proposal = propose(&facts, &joints(dice, &mut shares), None);
        for (kind, name, meant) in &shapes {
            let outputs = proposal.wiring.outputs.iter().filter(|o| o.target.name() == name);
            let fed = outputs.flat_map(|o| &o.feeds).filter(|f| !f.stands_in);
            let wired: Vec<Control> = fed.map(|f| f.control).collect();
            count(&mut shares, kind, &wired, meant, name);
        }
    }
    println!("right, wrong, left open: {shares:?}");
    for (kind, [right, wrong, open]) in shares {
        let all = (right + wrong + open) as f64;
        // What is wrong costs more than what is left open: that is asked about in the Cast.
        assert!(wrong as f64 <= 0.03 * all, "{kind}: {wrong} of {all} wrong");
        assert!(right as f64 >= 0.85 * all, "{kind}: {right} of {all} right");
    }
}

/// A head with a jaw, eyes and a neck in some spelling, each joint counted as the proposal wires it by itself.
fn joints(dice: &mut Dice, shares: &mut Shares) -> Vec<JointFacts> {
    let spelling = Spelling::new(dice);
    let axes = [[1.0, 0.0, 0.0], [0.0, 1.0, 0.0], [0.0, 0.0, 1.0]];
    let joint = |name: String, above: Vec<String>| JointFacts {
        name,
        turn_axes: axes,
        move_axes: axes,
        length: 0.1,
        carries: true,
        above,
    };
    let neck = spelling.name(dice.one(&["neck", "neck bone"]), None, 1);
    let head = spelling.name(dice.one(&["head", "head joint", "skull"]), None, 2);
    let jaw = spelling.name(dice.one(&["jaw", "mandible", "lower jaw"]), None, 3);
    let spine = spelling.name(dice.one(&["spine", "chest", "upper body"]), None, 6);
    let up = |names: &[&String]| names.iter().map(|n| n.to_string()).collect::<Vec<String>>();
    let mut all = vec![
        (joint(spine.clone(), Vec::new()), vec![]),
        (joint(neck.clone(), up(&[&spine])), vec![C::HeadYaw, C::HeadPitch, C::HeadRoll]),
        (joint(head.clone(), up(&[&neck, &spine])), vec![C::HeadYaw, C::HeadPitch, C::HeadRoll]),
        (joint(jaw, up(&[&head, &neck, &spine])), vec![C::JawOpen]),
    ];
    let eye = dice.one(&["eye", "eyeball", "eye joint"]);
    for right in [false, true] {
        let name = spelling.name(eye, Some(right), 4 + usize::from(right));
        all.push((joint(name, up(&[&head, &neck, &spine])), vec![C::GazeYaw, C::GazePitch]));
    }
    let facts: Vec<JointFacts> = all.iter().map(|(j, _)| j.clone()).collect();
    let proposal = propose(&[], &facts, None);
    for (joint, meant) in &all {
        let outputs = proposal.wiring.outputs.iter().filter(|o| o.target.name() == joint.name);
        let mut wired: Vec<Control> =
            outputs.flat_map(|o| &o.feeds).filter(|f| !f.stands_in).map(|f| f.control).collect();
        // What a joint does besides is its own affair: a head also leans, a jaw also goes forward, eyes converge.
        wired.retain(|c| {
            meant.contains(c)
                || !matches!(c.name(), "gaze_converge" | "jaw_forward" | "jaw_side")
                    && !c.name().starts_with("head_shift")
        });
        wired.sort();
        wired.dedup();
        let mut meant = meant.clone();
        meant.sort();
        count(shares, "joints", &wired, &meant, &joint.name);
    }
    facts
}
