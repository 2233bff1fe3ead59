//! The layers over the speech, from bottom to top: the difference of sides, moods and brows, the guard that keeps
//! lips on the words, head, gaze, lids, blinks. Passes and keys come after (`performance.rs`).
//!
//! All of it is a function of time and seed: an edit, a loop or another window changes nothing elsewhere. So a line is laid
//! only where its parts ([`parts`]) differ from those of the state before.

pub mod ease;
mod field;
pub mod gaze;
mod guard;
pub mod lids;
pub mod mood;
pub mod noise;
pub mod noises;
mod parts;
mod reached;
mod turns;
mod voice;

use crate::curves::{Curves, HZ, Piece, limit, place, read_at};
use crate::track::Track;
use crate::why::{Trace, Why};
use ease::{blurred, screen, window};
pub use guard::Guard;
use jam_score::keys;
use jam_score::layers::{HeadMove, LayerKind};
use jam_score::{Control, Region};
use lids::Blink;
use noise::drift;
pub(crate) use parts::Scene;
use parts::{Parts, UNEVEN, drawn};
use std::ops::Range;
use std::sync::Arc;

/// What the layers did that findings and staves tell of.
#[derive(Debug, Clone, PartialEq, Default)]
pub struct Told {
    pub blinks: Vec<Blink>,
    /// Yaw and pitch of what is looked at, at every sample; empty while the eyes are off.
    pub gaze: [Track<f64>; 2],
    /// Stressed words with wide eyes or brows, as stretches of time.
    pub wide: Vec<(f64, f64)>,
    /// How the eyes make up for the head.
    pub(crate) made_up: MadeUp,
}

/// What of a head's turning the eyes make up for, to stay on their mark.
#[derive(Debug, Clone, PartialEq, Default)]
pub(crate) struct MadeUp {
    /// Yaw and pitch of the head, at every sample.
    pub turned: [Track<f64>; 2],
    /// How much of the eyes plays, at every sample, and whether the lids go with them.
    pub eyes: Track<f64>,
    pub lids: bool,
    /// Without a look of the line's own, eyes go along where hands turn the head.
    pub holds: bool,
}

/// What layers were made of, and what came of it.
#[derive(Debug)]
pub(crate) struct Made {
    parts: Parts,
    /// The face, every control within its range.
    pub face: Curves,
    pub told: Arc<Told>,
}

impl Made {
    /// What sounds claim of the mouth.
    pub fn guard(&self) -> &Arc<Guard> {
        &self.parts.guard
    }

    /// The mouth that they were laid over.
    pub fn speech(&self) -> &Curves {
        &self.parts.speech
    }

    /// About how much memory it takes beside its curves, bytes.
    pub fn bytes(&self) -> usize {
        self.parts.bytes()
    }
}

/// Samples beside a stretch from which something reaches into it: what the guard allows looks farthest, then the head's
/// posture under a mood.
const BESIDE: usize = 64;
const _: () = assert!(BESIDE >= guard::LOOKS);

/// Lays every layer over a mouth. `like` is what came of another state of the line, of which all is taken over that is the
/// same. What the layers do at the moment that is traced, they note.
pub(crate) fn lay(
    speech: Curves,
    scene: &Scene<'_>,
    like: Option<&Arc<Made>>,
    trace: Option<&mut Trace>,
) -> Arc<Made> {
    let parts = Parts::of(scene, speech, like.map(|l| &l.parts));
    if let Some(trace) = trace {
        let at = place(trace.time, parts.len()) as usize;
        laid(&parts, beside(&(at..at + 2), parts.len()), Some(trace));
    }
    let differs = like.map_or(0..parts.len(), |l| parts.differs(&l.parts));
    let differs = beside(&differs, parts.len());
    let (face, told) = put(like.map(|l| &**l), &differs, &parts);
    Arc::new(Made { parts, face, told: Arc::new(told) })
}

/// A stretch of so many samples with what is beside it; of an empty one nothing.
pub(crate) fn beside(stretch: &Range<usize>, samples: usize) -> Range<usize> {
    if stretch.is_empty() {
        return 0..0;
    }
    stretch.start.saturating_sub(BESIDE).min(samples)..(stretch.end + BESIDE).min(samples)
}

/// The face of a line that differs in a stretch from another state of it, and what its layers did.
fn put(like: Option<&Made>, differs: &Range<usize>, parts: &Parts) -> (Curves, Told) {
    let n = parts.len();
    // Of what is nearest to a stretch's ends, not all is known that reaches it.
    let wide = beside(differs, n);
    let Stretch { face: mut own, turned } = laid(parts, wide.clone(), None);
    let like = like.filter(|l| l.face.len() == n);
    let inside = differs.start - wide.start..differs.end - wide.start;
    let mut face = Curves::of_samples(n);
    for &control in Control::ALL {
        let before = like.map(|l| l.face.track(control));
        let own = std::mem::take(own.own(control));
        face.set(control, Curves::changed(before, own, &inside, differs, n));
    }
    if parts.looked.is_none() {
        return (face, Told::default());
    }
    let before = like.map(|l| &l.told.made_up).filter(|m| m.eyes.len() == n);
    let changed =
        |before: Option<&Track<f64>>, own: &[f64]| Track::over(before, differs, own[inside.clone()].to_vec());
    let eyes: Vec<f64> =
        wide.clone().map(|i| share_of(parts, LayerKind::Eyes, Control::GazeYaw, i)).collect();
    let made_up = MadeUp {
        turned: [0, 1].map(|axis| changed(before.map(|b| &b.turned[axis]), &turned[axis])),
        eyes: changed(before.map(|b| &b.eyes), &eyes),
        lids: !parts.settings.eyes.without.contains(&Region::Lids),
        holds: parts.looks,
    };
    let gaze = parts.looked.as_ref().map(|l| l.made.at.clone()).unwrap_or_default();
    (face, Told { blinks: parts.blinks.clone(), gaze, wide: parts.wide.clone(), made_up })
}

/// How much of a layer plays at a control in a sample, its amount apart.
fn share_of(parts: &Parts, kind: LayerKind, control: Control, i: usize) -> f64 {
    if parts.settings.layer(kind).without.contains(&control.region()) { 0.0 } else { parts.share(kind, i) }
}

/// Lays layers over a stretch of a mouth.
struct Laying<'a> {
    parts: &'a Parts,
    /// Samples of the line that are laid, with what is beside them.
    within: Range<usize>,
    /// Their curves.
    face: Piece,
    trace: Option<&'a mut Trace>,
    /// How much of the layer that is being laid plays in each of the samples; none is all of it.
    shares: Option<Vec<f64>>,
    without: &'a [Region],
}

impl Laying<'_> {
    /// Begins with a layer.
    fn layer(&mut self, kind: LayerKind) {
        self.shares = self.shares(kind);
        self.without = &self.parts.settings.layer(kind).without;
    }

    fn shares(&self, kind: LayerKind) -> Option<Vec<f64>> {
        let even = self.parts.is_even(kind);
        (!even).then(|| self.within.clone().map(|i| self.parts.share(kind, i)).collect())
    }

    /// Changes a control's curve from a time to another, and notes what that did where it is asked.
    fn change(&mut self, control: Control, why: Why, from: f64, to: f64, new: impl Fn(usize, f64) -> f64) {
        if self.without.contains(&control.region()) {
            return;
        }
        let first = self.within.start;
        // Taken out, so that the face can be changed meanwhile.
        let shares = self.shares.take();
        match &shares {
            None => self.change_whole(control, why, from, to, new),
            Some(shares) => {
                self.change_whole(control, why, from, to, |i, v| v + shares[i - first] * (new(i, v) - v));
            }
        }
        self.shares = shares;
    }

    /// Changes a curve however much of the layer plays.
    fn change_whole(
        &mut self,
        control: Control,
        why: Why,
        from: f64,
        to: f64,
        new: impl Fn(usize, f64) -> f64,
    ) {
        let Range { start, end } = self.within;
        let last = ((to * HZ).ceil().max(0.0) as usize).saturating_add(1).clamp(start, end);
        let first = ((from * HZ).floor().max(0.0) as usize).clamp(start, last);
        if first == last {
            return;
        }
        let curve = self.face.full(control);
        let at = self.trace.as_ref().map(|t| t.time * HZ - start as f64);
        let before = at.map(|at| read_at(curve, at));
        for (i, value) in curve.iter_mut().enumerate().take(last - start).skip(first - start) {
            *value = new(start + i, f64::from(*value)) as f32;
        }
        if let (Some(trace), Some(at), Some(before)) = (self.trace.as_mut(), at, before) {
            let after = read_at(curve, at);
            if after != before {
                trace.parts.push((control, why, f64::from(after - before)));
            }
        }
    }

    fn all(&mut self, control: Control, why: Why, new: impl Fn(usize, f64) -> f64) {
        self.change(control, why, 0.0, f64::INFINITY, new);
    }

    /// A value of its own for each of the samples.
    fn each(&self, value: impl FnMut(usize) -> f64) -> Vec<f64> {
        self.within.clone().map(value).collect()
    }
}

/// What came of a stretch.
struct Stretch {
    face: Piece,
    /// Yaw, pitch and roll of the head, as far as the eyes make up for it.
    turned: [Vec<f64>; 3],
}

/// All layers over a stretch of a line; what its first and last [`BESIDE`] samples are, is not known but at the line's ends.
fn laid(parts: &Parts, within: Range<usize>, trace: Option<&mut Trace>) -> Stretch {
    let face = parts.speech.stretch(&within);
    let mut laying = Laying { parts, within, face, trace, shares: None, without: &[] };
    let eyes = parts.settings.plays(LayerKind::Eyes);
    laying.layer(LayerKind::Mouth);
    if parts.sides > 0.0 {
        sides(&mut laying);
    }
    laying.layer(LayerKind::Mood);
    moods(&mut laying);
    laying.layer(LayerKind::Eyes);
    brows(&mut laying, eyes);
    laying.layer(LayerKind::Head);
    let turned = head(&mut laying);
    laying.layer(LayerKind::Eyes);
    look(&mut laying, &turned);
    posture(&mut laying);
    laying.layer(LayerKind::Eyes);
    if eyes > 0.0 {
        lids(&mut laying);
        shut(&mut laying);
    }
    let Laying { mut face, mut trace, within, .. } = laying;
    for &control in Control::ALL {
        let at = trace.as_mut().map(|t| (t.time * HZ - within.start as f64, &mut **t));
        limit(face.own(control), control, at);
    }
    Stretch { face, turned }
}

/// What no mouth does alike on both sides: one leads, and the mouth lies a little to it. Never at the cost of a rule.
fn sides(laying: &mut Laying<'_>) {
    let parts = laying.parts;
    let (amount, said, uneven) = (parts.sides, &parts.said.most[0], &parts.uneven.made);
    let seed = drawn(&parts.settings, LayerKind::Mouth);
    let lead = seed.name("mouth").dice().side();
    for (left, drifts) in UNEVEN.into_iter().zip(uneven) {
        let Some(right) = left.other_side() else { continue };
        let base = lead * seed.name("mouth").name(left.name()).dice().between(0.03, 0.07);
        for (control, way) in [(left, 1.0), (right, -1.0)] {
            if laying.face.rests(control) {
                continue;
            }
            let spoken = parts.speech.part(control, &laying.within);
            let limits = parts.guard.limits(control, &spoken, &laying.within);
            let first = laying.within.start;
            laying.all(control, Why::Sides, |i, v| {
                let value = (v * (1.0 + way * amount * (base + 0.04 * drifts[i]))).clamp(0.0, 1.0);
                let Some((low, high)) = limits.as_ref().map(|l| l[i - first]) else { return value };
                value.clamp(f64::from(low.min(high)), f64::from(high))
            });
        }
    }
    let whole = &uneven[UNEVEN.len()];
    laying
        .all(Control::MouthSide, Why::Sides, |i, v| v + amount * said[i] * (0.02 * lead + 0.035 * whole[i]));
}

/// Moods over the speech: whole where nobody speaks, and in the mouth what the guard leaves.
fn moods(laying: &mut Laying<'_>) {
    let parts = laying.parts;
    let (guard, said, speech) = (&parts.guard, &parts.said.most[0], &parts.speech);
    let within = laying.within.clone();
    let mut controls: Vec<Control> = parts.moods.iter().flat_map(|m| m.controls()).collect();
    controls.sort_unstable();
    controls.dedup();
    for control in controls {
        let plays = |m: &&Arc<mood::Playing>| {
            let (from, to) = m.reach();
            let here = from * HZ <= within.end as f64 && to * HZ >= within.start as f64 - 1.0;
            here && m.controls().any(|c| c == control)
        };
        let playing: Vec<&Arc<mood::Playing>> = parts.moods.iter().filter(plays).collect();
        if playing.is_empty() {
            continue;
        }
        let allowed = guard.allowed(control, &within);
        let limits = guard.limits(control, &speech.part(control, &within), &within);
        let two_ways =
            control.range().0 < 0.0 || control.region() == Region::Head || control.region() == Region::Gaze;
        let before: Vec<f32> = laying.face.full(control).clone();
        for mood in playing {
            let curve = mood.curve(control);
            let (from, to) = mood.reach();
            laying.change(control, Why::Mood(mood.span.id), from, to, |i, v| {
                let wanted = curve(i as f64 / HZ, said[i]);
                if two_ways { v + wanted } else { screen(v, wanted.clamp(0.0, 1.0)) }
            });
        }
        if allowed.is_none() && limits.is_none() {
            continue;
        }
        let (low, high) = control.range();
        laying.change_whole(control, Why::Guard, 0.0, f64::INFINITY, |i, v| {
            let i = i - within.start;
            let spoken = f64::from(before[i]);
            let allowed = allowed.as_ref().map_or(1.0, |a| a[i]);
            let value = (spoken + allowed * (v - spoken)) as f32;
            let (low, high) = limits.as_ref().map_or((low, high), |l| l[i]);
            f64::from(value.clamp(low.min(high), high))
        });
    }
}

/// Brows with the voice, and what laughs and sobs do to the face.
fn brows(laying: &mut Laying<'_>, eyes: f64) {
    let parts = laying.parts;
    if parts.settings.brows * eyes > 0.0 {
        for (control, curve) in &parts.brows.made.curves {
            laying.all(*control, Why::Brows, |i, v| screen(v, curve[i]));
        }
    }
    // A laugh narrows the eyes, a sob draws the brows together.
    let seed = drawn(&parts.settings, LayerKind::Eyes);
    for noise in parts.noises.iter().filter(|_| eyes > 0.0) {
        let (from, to) = noise.reach();
        for (control, wants) in noise.controls(seed) {
            let value = |i: usize, v: f64| screen(v, eyes.min(1.0) * wants(i as f64 / HZ));
            laying.change(control, Why::Noise(noise.place), from, to, value);
        }
    }
}

/// The head: what the gaze asks of it, the voice, and turns by hand. Gives what of it the eyes make up for.
fn head(laying: &mut Laying<'_>) -> [Vec<f64>; 3] {
    let parts = laying.parts;
    let within = laying.within.clone();
    let amount = parts.settings.plays(LayerKind::Head);
    let mut turned = [0; 3].map(|_| vec![0.0; within.len()]);
    // `by` gives what a sample of the line is turned by.
    let mut turn = |why: Why, by: [&[f64]; 3], made_up: bool| {
        for (axis, control) in HEAD.into_iter().enumerate() {
            laying.all(control, why, |i, v| v + by[axis][i - within.start]);
            if made_up {
                for ((i, t), h) in within.clone().zip(&mut turned[axis]).zip(by[axis]) {
                    *t += share_of(parts, LayerKind::Head, control, i) * h;
                }
            }
        }
    };
    if amount == 0.0 {
        return turned;
    }
    if let Some(looked) = &parts.looked {
        let turned = looked.made.head.each_ref().map(|h| h.part(&within));
        turn(Why::Gaze, turned.each_ref().map(Vec::as_slice), true);
    }
    if let Some(moved) = &parts.moved {
        let turned = moved.made.turns().map(|h| h.part(&within));
        turn(Why::Voice, turned.each_ref().map(Vec::as_slice), true);
    }
    for noise in &parts.noises {
        if let Some(nod) = noise.nod(&within, amount) {
            let none = vec![0.0; within.len()];
            turn(Why::Noise(noise.place), [&none, &nod, &none], true);
        }
    }
    if let Some(body) = &parts.body {
        let curve = |keys: &[keys::TimedKey]| -> Vec<f64> {
            within.clone().map(|i| amount * body.amount * keys::through(keys, i as f64 / HZ)).collect()
        };
        let turned = [curve(&body.yaw), curve(&body.pitch), curve(&body.roll)];
        turn(Why::Body, turned.each_ref().map(Vec::as_slice), true);
    }
    for span in &parts.moves {
        let moved = span.turns(&within, drawn(&parts.settings, LayerKind::Head), amount);
        let along = matches!(span.does, HeadMove::Turn { .. }) && !parts.looks;
        turn(Why::Turn(span.id), moved.each_ref().map(Vec::as_slice), !along);
    }
    turned
}

/// The eyes: what they look at, however the head turns, and that they shake with it.
fn look(laying: &mut Laying<'_>, turned: &[Vec<f64>; 3]) {
    let parts = laying.parts;
    let Some(looked) = &parts.looked else { return };
    let first = laying.within.start;
    let at = |i: usize| {
        let head = [turned[0][i - first], turned[1][i - first]];
        gaze::in_head([looked.made.at[0][i], looked.made.at[1][i]], head)
    };
    let eye: Vec<[f64; 2]> = laying.within.clone().map(at).collect();
    for (control, axis) in [(Control::GazeYaw, 0), (Control::GazePitch, 1)] {
        laying.all(control, Why::Gaze, |i, v| v + eye[i - first][axis]);
    }
    // Eyes meet at some three metres.
    laying.all(Control::GazeConverge, Why::Gaze, |_, v| v + 1.2);
    let seed = drawn(&parts.settings, LayerKind::Eyes);
    let amount = parts.settings.plays(LayerKind::Head);
    // As much as the head plays.
    let shares = laying.shares(LayerKind::Head);
    for span in &parts.moves {
        if let HeadMove::Shiver { degrees, per_second } = span.does {
            let own = seed.name("eye shiver").number(u64::from(span.id));
            let quick = 2.2 * per_second;
            let there = |t: f64| window(t, span.start + 0.15, span.end - 0.15, 0.15, 0.15);
            let shiver = |i: usize, v: f64| {
                let t = i as f64 / HZ;
                let plays = amount * shares.as_ref().map_or(1.0, |s| s[i - first]);
                v + 0.5 * plays * degrees * there(t) * drift(own, t, quick, None)
            };
            laying.change(Control::GazeYaw, Why::Turn(span.id), span.start, span.end, shiver);
        }
    }
}

/// Posture of moods moves the eyes off the mark, too: grief looks down. And it turns the head.
fn posture(laying: &mut Laying<'_>) {
    let parts = laying.parts;
    let first = laying.within.start;
    let [eyes, head] = [LayerKind::Eyes, LayerKind::Head].map(|kind| parts.settings.plays(kind));
    let shares = laying.shares(LayerKind::Mood);
    let come = |laying: &Laying<'_>, mood: &mood::Playing| {
        let share = |i: usize| shares.as_ref().map_or(1.0, |s| s[i - first]);
        laying.each(|i| mood.strength(i as f64 / HZ).powf(0.8) * share(i))
    };
    // What comes is blurred a little beyond.
    let here = |laying: &Laying<'_>, mood: &mood::Playing| {
        let (from, to) = mood.reach();
        let Range { start, end } = laying.within;
        from * HZ <= (end + BESIDE) as f64 && to * HZ >= start as f64 - BESIDE as f64
    };
    for mood in parts.moods.iter().filter(|_| eyes > 0.0) {
        let (_, look) = mood.posture();
        if look != 0.0 && here(laying, mood) {
            let quick = blurred(&come(laying, mood), 0.05);
            laying.all(Control::GazePitch, Why::Mood(mood.span.id), |i, v| v + look * quick[i - first]);
        }
    }
    laying.layer(LayerKind::Head);
    for mood in parts.moods.iter().filter(|_| head > 0.0) {
        let (turned, _) = mood.posture();
        if turned != [0.0; 3] && here(laying, mood) {
            let slow = blurred(&come(laying, mood), 0.08);
            for (control, by) in HEAD.into_iter().zip(turned) {
                let value = |i: usize, v: f64| v + by * head.min(1.0) * slow[i - first];
                laying.all(control, Why::Mood(mood.span.id), value);
            }
        }
    }
}

/// Lids: they go with the eyes, whatever turned these, widen with the strongest words and narrow with a frown.
fn lids(laying: &mut Laying<'_>) {
    let parts = laying.parts;
    let first = laying.within.start;
    let pitch = laying.each(|i| f64::from(laying.face.sample(Control::GazePitch, i - first)));
    let pitch = blurred(&pitch, 0.012);
    for control in LIDS {
        laying.all(control, Why::Lids, |i, v| screen(v, lids::with_eyes(control, pitch[i - first])));
    }
    for &(at, size) in &parts.widens {
        for control in [Control::LidWideLeft, Control::LidWideRight] {
            let value = |i: usize, v: f64| screen(v, size * ease::pulse(i as f64 / HZ - at, 0.09, 0.22));
            laying.change(control, Why::Brows, at - 0.4, at + 0.9, value);
        }
    }
    for frown in parts.brows.made.raises.iter().filter(|r| r.frowns) {
        for control in [Control::LidSquintLeft, Control::LidSquintRight] {
            let at = frown.time - 0.04;
            let value =
                |i: usize, v: f64| screen(v, 0.6 * frown.size * ease::pulse(i as f64 / HZ - at, 0.10, 0.26));
            laying.change(control, Why::Brows, at - 0.4, at + 1.1, value);
        }
    }
}

/// Blinks, with all that a lid takes along.
fn shut(laying: &mut Laying<'_>) {
    let first = laying.within.start;
    let [left, right] = lids::tracks(&laying.parts.blinks, &laying.within);
    for (control, track, share) in [
        (Control::LidCloseLeft, &left, 1.0),
        (Control::LidCloseRight, &right, 1.0),
        (Control::LidSquintLeft, &left, 0.12),
        (Control::LidSquintRight, &right, 0.12),
        (Control::BrowDownLeft, &left, 0.06),
        (Control::BrowDownRight, &right, 0.06),
    ] {
        laying.all(control, Why::Blink, |i, v| screen(v, share * track[i - first]));
    }
    // The eye dips in a blink, and turns to the nose.
    let both = |i: usize| left[i - first] + right[i - first];
    laying.all(Control::GazePitch, Why::Blink, |i, v| v + 0.75 * both(i));
    laying.all(Control::GazeConverge, Why::Blink, |i, v| v + 0.5 * both(i));
}

pub(crate) const HEAD: [Control; 3] = [Control::HeadYaw, Control::HeadPitch, Control::HeadRoll];
/// Lids that go with the eyes' pitch.
const LIDS: [Control; 4] =
    [Control::LidCloseLeft, Control::LidCloseRight, Control::LidWideLeft, Control::LidWideRight];

/// Whether a control changes when eyes make up for a head that hands turned.
pub(crate) fn follows(control: Control) -> bool {
    matches!(control, Control::GazeYaw | Control::GazePitch) || LIDS.contains(&control)
}

/// Keeps the eyes on their mark, and the lids on the eyes, in samples in which hands turned the head; `turned_by` is how far,
/// yaw and pitch in each of them.
pub(crate) fn follow(face: &mut Curves, told: &Told, within: &Range<usize>, turned_by: &[Vec<f64>; 2]) {
    let n = face.len();
    if !told.made_up.holds || told.gaze[0].len() != n || told.made_up.turned[0].len() != n {
        return;
    }
    let MadeUp { turned, eyes, lids, .. } = &told.made_up;
    let mut own = face.stretch(within);
    for (k, i) in within.clone().enumerate() {
        let by = [turned_by[0][k], turned_by[1][k]];
        if by == [0.0; 2] {
            continue;
        }
        let (at, head) = ([told.gaze[0][i], told.gaze[1][i]], [turned[0][i], turned[1][i]]);
        let before = gaze::in_head(at, head);
        let after = gaze::in_head(at, [head[0] + by[0], head[1] + by[1]]);
        for (control, axis) in [(Control::GazeYaw, 0), (Control::GazePitch, 1)] {
            own.full(control)[k] += (eyes[i] * (after[axis] - before[axis])) as f32;
        }
        for control in LIDS.into_iter().filter(|_| *lids) {
            // What the lids did for the eyes before is taken out of it first.
            let [was, is] = [before[1], after[1]].map(|pitch| eyes[i] * lids::with_eyes(control, pitch));
            let value = f64::from(own.sample(control, k));
            own.full(control)[k] = screen((value - was) / (1.0 - was), is).clamp(0.0, 1.0) as f32;
        }
    }
    for &control in Control::ALL.iter().filter(|c| follows(**c)) {
        if !own.rests(control) {
            face.set(control, face.whole(control).with(within, own.own(control)));
        }
    }
}
