//! What listeners do, by rule: their eyes go to who speaks after a natural delay, they nod at ends of phrases, blink, and
//! take a breath before a line of their own. Every choice is drawn for itself, from the scene's seed and the line that is
//! reacted to, so that a change leaves all others alone; hands take the place of any of them.
//!
//! Delays: eyes reach a new speaker some 0.2 s and more after the line begins, and about as often before it as turns can
//! be foreseen (Stivers et al. 2009: answers start 0.2 s after questions end). Nods lie at phrase ends (common practice).
//! Blinks: `jam_face::layers::lids`.

use super::turn::Turn;
use jam_face::layers::gaze::Shift;
use jam_face::layers::lids::{self, LISTENING};
use jam_score::layers::BlinkShape;
use jam_score::scene::{ByRule, Does, Reaction, Standing};
use jam_score::{FrameRate, Scene, Seed};
use serde::Serialize;

/// What a listener does, on the scene's clock.
#[derive(Debug, Clone, PartialEq, Serialize, utoipa::ToSchema)]
pub struct Shown {
    pub character: String,
    /// The line that is reacted to.
    pub entry: u32,
    /// Seconds from the scene's start.
    pub from: f64,
    pub to: f64,
    pub does: Does,
    /// Which one of the rule it is, or takes the place of.
    pub rule: Option<ByRule>,
    /// Its number, if a hand has put or changed it.
    pub id: Option<u32>,
}

/// A line's own eyes are left alone from so long before it on, and so long after it.
pub(super) const BEFORE: f64 = 0.4;
pub(super) const AFTER: f64 = 0.6;
/// A breath before a line, and the least time since the line before to need one.
const BREATH: f64 = 0.62;
const BREATHES_AFTER: f64 = 1.0;
/// How long the eyes stay where the speaker was after a line.
const STAYS: f64 = 1.2;
/// Shortest look.
const LOOK: f64 = 0.25;
/// Least time between two blinks.
const APART: f64 = 0.45;
/// How far the eyes go to another on the stage, degrees, for the blinks that come along.
const SHIFT: f64 = 30.0;

/// What a character does while others speak, in order; `turns` are in order, too.
pub(super) fn reactions(
    scene: &Scene,
    standing: &Standing,
    place: usize,
    turns: &[Turn],
    rate: FrameRate,
) -> Vec<Shown> {
    let who = &standing.character;
    let own_seed = Seed(scene.seed).name("listens").name(who).number(u64::from(standing.listens.draw));
    let mut all = Vec::new();
    for (t, turn) in turns.iter().enumerate() {
        let next = turns.get(t + 1);
        let seed = own_seed.number(u64::from(turn.entry));
        let mut put = Put { who, entry: turn.entry, all: &mut all };
        if turn.speaker == Some(place) {
            let before = turns[..t].iter().filter(|o| o.speaker == Some(place)).map(|o| o.end);
            let rested = before.fold(f64::NEG_INFINITY, f64::max) < turn.start - BREATHES_AFTER;
            if standing.listens.breath && rested && turn.start > BREATH && turn.timed {
                put.put("breath", 0, turn.start - BREATH, turn.start + 0.02, Does::Breath);
            }
            continue;
        }
        let Some(speaker) = turn.speaker_key.clone() else { continue };
        looks(&mut put, standing, turn, next, seed.name("look"), speaker);
        nods(&mut put, standing, turn, seed.name("nod"));
    }
    hands(scene, who, turns, &mut all, |does| !matches!(does, Does::Blink));
    settle(&mut all, place, turns);
    let mut blinks = blinks(standing, turns, &all, own_seed, rate);
    hands(scene, who, turns, &mut blinks, |does| matches!(does, Does::Blink));
    let by_hand: Vec<f64> = blinks.iter().filter(|b| b.id.is_some()).map(|b| b.from).collect();
    let speaks = |at: f64| {
        let own = turns.iter().filter(|t| t.speaker == Some(place));
        own.into_iter().any(|t| at > t.start - BEFORE && at < t.end + AFTER)
    };
    // What a hand put keeps others away; an own line has blinks of its own.
    blinks
        .retain(|b| b.id.is_some() || !speaks(b.from) && by_hand.iter().all(|h| (h - b.from).abs() >= APART));
    blinks.sort_by(|a, b| a.from.total_cmp(&b.from));
    blinks.dedup_by(|b, a| b.from - a.from < APART);
    all.extend(blinks);
    all.sort_by(|a, b| a.from.total_cmp(&b.from));
    all
}

struct Put<'a> {
    who: &'a str,
    entry: u32,
    all: &'a mut Vec<Shown>,
}

impl Put<'_> {
    fn put(&mut self, kind: &str, place: usize, from: f64, to: f64, does: Does) {
        let rule = ByRule {
            character: self.who.to_string(),
            entry: self.entry,
            kind: kind.into(),
            place: place as u32,
        };
        let character = self.who.to_string();
        self.all.push(Shown { character, entry: self.entry, from, to, does, rule: Some(rule), id: None });
    }
}

/// Phrase by phrase at the one who speaks, or away.
fn looks(
    put: &mut Put<'_>,
    standing: &Standing,
    turn: &Turn,
    next: Option<&Turn>,
    seed: Seed,
    speaker: String,
) {
    let mut dice = seed.dice();
    let after = standing.listens.after * dice.between(0.7, 1.7);
    let until = next.map_or(turn.end + STAYS, |n| (turn.end + STAYS).min(n.start.max(turn.end)));
    // Of a line without times only where it starts is known.
    let phrases = turn.phrases.len().max(1);
    let mut looked: Vec<(usize, f64, bool)> = Vec::new();
    for p in 0..phrases {
        let mut dice = seed.number(p as u64).dice();
        let at = dice.even() < standing.listens.looks;
        let from = match p {
            0 => turn.start + after,
            p => turn.phrases[p - 1].1 + dice.between(0.05, 0.30),
        };
        if looked.last().is_none_or(|l| l.2 != at) {
            looked.push((p, from, at));
        }
    }
    for (k, (p, from, at)) in looked.iter().enumerate() {
        let to = looked.get(k + 1).map_or(until.max(from + LOOK), |n| n.1);
        put.put("look", *p, *from, to, Does::Look { at: at.then(|| speaker.clone()) });
    }
}

fn nods(put: &mut Put<'_>, standing: &Standing, turn: &Turn, seed: Seed) {
    for (p, (start, end)) in turn.phrases.iter().enumerate() {
        let mut dice = seed.number(p as u64).dice();
        let nods = dice.even() < standing.listens.nods && end - start > LOOK;
        let from = end + dice.between(0.10, 0.35);
        let (takes, degrees) = (dice.between(0.22, 0.34), dice.between(3.0, 6.5));
        if nods {
            put.put("nod", p, from, from + takes, Does::Nod { degrees: (10.0 * degrees).round() / 10.0 });
        }
    }
}

/// Blinks between the lines' starts, each stretch drawn for itself.
fn blinks(standing: &Standing, turns: &[Turn], reacts: &[Shown], seed: Seed, rate: FrameRate) -> Vec<Shown> {
    let mut all = Vec::new();
    if standing.listens.blinks < 0.02 {
        return all;
    }
    let looks: Vec<&Shown> = reacts.iter().filter(|r| is_look(r)).collect();
    // Whoever is looked at already is not looked at anew.
    let new = |k: &usize| *k == 0 || looks[k - 1].does != looks[*k].does;
    let shifts: Vec<f64> = (0..looks.len()).filter(new).map(|k| looks[k].from).collect();
    for (t, turn) in turns.iter().enumerate() {
        let from = if t == 0 { 0.0 } else { turn.start };
        let to = turns.get(t + 1).map_or(turn.end + 2.0, |n| n.start);
        let length = to - from;
        if length <= 0.0 {
            continue;
        }
        let within = |at: f64| (at > from && at < to).then_some(at - from);
        let liked: Vec<(f64, f64)> =
            turn.phrases.iter().filter_map(|p| Some((within(p.1 + 0.15)?, 1.0))).collect();
        let seed = seed.number(u64::from(turn.entry)).name("lids");
        // Numbered within the stretch: a look elsewhere leaves its blinks alone.
        let shift = |(k, time): (usize, f64)| Shift { time, degrees: SHIFT, own: seed.number(k as u64) };
        let shifts: Vec<Shift> = shifts.iter().filter_map(|s| within(*s)).enumerate().map(shift).collect();
        let planned = lids::plan(&lids::Plan {
            length,
            seed,
            rate,
            shape: BlinkShape::Natural,
            often: &|_| LISTENING * standing.listens.blinks,
            liked: &liked,
            avoided: &[],
            shifts: &shifts,
            half: 0.0,
            heavy: &|_| false,
        });
        let mut put = Put { who: &standing.character, entry: turn.entry, all: &mut all };
        for (place, blink) in planned.iter().enumerate() {
            let shut = from + blink.middle();
            put.put("blink", place, shut, shut + 0.2, Does::Blink);
        }
    }
    all
}

/// Lays what hands changed over what the rule does.
fn hands(scene: &Scene, who: &str, turns: &[Turn], all: &mut Vec<Shown>, wanted: impl Fn(&Does) -> bool) {
    let own = |r: &&Reaction| r.character == who && wanted(&r.does);
    for reaction in scene.reactions.iter().filter(own) {
        if let Some(rule) = &reaction.instead {
            all.retain(|s| s.rule.as_ref() != Some(rule));
        }
        let Some(turn) = turns.iter().find(|t| t.entry == reaction.entry).filter(|_| !reaction.nothing)
        else {
            continue;
        };
        all.push(Shown {
            character: who.to_string(),
            entry: reaction.entry,
            from: turn.start + reaction.from,
            to: turn.start + reaction.to,
            does: reaction.does.clone(),
            rule: reaction.instead.clone(),
            id: Some(reaction.id),
        });
    }
}

/// Nobody looks at two places at once, and what the rule does ends where an own line begins.
fn settle(all: &mut Vec<Shown>, place: usize, turns: &[Turn]) {
    all.sort_by(|a, b| a.from.total_cmp(&b.from));
    let speaks: Vec<(f64, f64)> = turns
        .iter()
        .filter(|t| t.speaker == Some(place))
        .map(|t| (t.start - 0.5 * BEFORE, t.end + 0.5 * AFTER))
        .collect();
    for shown in all.iter_mut().filter(|s| s.id.is_none() && s.does != Does::Breath) {
        for (start, end) in &speaks {
            // One that begins before an own line ends with it; one that begins in it waits until it is over.
            if shown.from < *start {
                shown.to = shown.to.min(*start);
            } else if shown.from < *end {
                shown.from = *end;
            }
        }
    }
    all.sort_by(|a, b| a.from.total_cmp(&b.from));
    let mut next = f64::INFINITY;
    for look in all.iter_mut().rev().filter(|s| is_look(s)) {
        look.to = look.to.min(next);
        next = look.from;
    }
    all.retain(|s| s.id.is_some() || s.to - s.from > 0.15);
    all.sort_by(|a, b| a.from.total_cmp(&b.from));
}

fn is_look(shown: &Shown) -> bool {
    matches!(shown.does, Does::Look { .. })
}
