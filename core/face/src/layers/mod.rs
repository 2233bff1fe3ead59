//! The layers over the speech, from bottom to top: the difference of sides, moods and brows, the guard that keeps
//! lips on the words, head, gaze, lids, blinks. Passes and keys come after (`performance.rs`).
//!
//! All of it is a function of time and seed: an edit, a loop or another window changes nothing elsewhere.

pub mod ease;
mod field;
pub mod gaze;
mod guard;
pub mod lids;
pub mod mood;
pub mod noise;
pub mod noises;
mod voice;

use crate::curves::{Curves, HZ, read};
use crate::why::Why;
use ease::{blurred, screen, window};
use field::{Brings, Field};
use guard::Claims;
pub use guard::Guard;
use jam_score::keys;
use jam_score::layers::{BlinkMode, BlinkShape, HeadMove, LayerKind, Layers, Look, Over};
use jam_score::prosody::Utterance;
use jam_score::{Control, FrameRate, Line, Phone, Prosody, Region, Seconds, Seed, Timing};
use lids::Blink;
use mood::Playing;
use noise::drift;
use std::collections::BTreeMap;
use std::sync::Arc;

/// What each layer made of the values at one moment, for causes.
#[derive(Debug, Clone, Default)]
pub(crate) struct Trace {
    pub time: f64,
    pub parts: Vec<(Control, Why, f64)>,
}

/// What the layers did that findings and staves tell of.
#[derive(Debug, Clone, PartialEq, Default)]
pub struct Told {
    pub blinks: Vec<Blink>,
    /// Yaw and pitch of what is looked at, at every sample; empty while the eyes are off.
    pub gaze: [Vec<f64>; 2],
    /// Stressed words with wide eyes or brows, as stretches of time.
    pub wide: Vec<(f64, f64)>,
    /// How the eyes make up for the head.
    pub(crate) made_up: MadeUp,
}

/// What of a head's turning the eyes make up for, to stay on their mark.
#[derive(Debug, Clone, PartialEq, Default)]
pub(crate) struct MadeUp {
    /// Yaw and pitch of the head, at every sample.
    pub turned: [Vec<f64>; 2],
    /// How much of the eyes plays, at every sample, and whether the lids go with them.
    pub eyes: Vec<f64>,
    pub lids: bool,
    /// Without a look of the line's own, eyes go along where hands turn the head.
    pub holds: bool,
}

/// Lays layers over a mouth.
struct Laying<'a> {
    face: &'a mut Curves,
    trace: Option<&'a mut Trace>,
    line: &'a Line,
    timing: &'a Timing,
    /// How much of the layer that is being laid plays at every sample; none is all of it.
    shares: Option<Vec<f64>>,
    without: &'a [Region],
}

impl Laying<'_> {
    /// Begins with a layer; what of the line's seed it plays.
    fn layer(&mut self, kind: LayerKind) -> Seed {
        let settings = &self.line.layers.settings;
        let layer = settings.layer(kind);
        let shares = self.line.layers.shares(kind, self.timing);
        let at = |i: usize| keys::between(&shares, i as f64 / HZ);
        self.shares = (!shares.is_empty()).then(|| (0..self.face.len()).map(at).collect());
        self.without = &layer.without;
        let seed = Seed(settings.seed);
        if layer.draw == 0 { seed } else { seed.name("draw").number(u64::from(layer.draw)) }
    }

    /// How much of the layer plays at a control in sample `i`, its amount apart.
    fn share_of(&self, control: Control, i: usize) -> f64 {
        if self.without.contains(&control.region()) { 0.0 } else { share(self.shares.as_deref(), i) }
    }

    /// Changes a control's curve in the samples from `from` to `to`, and notes what that did where it is asked.
    fn change(&mut self, control: Control, why: Why, from: f64, to: f64, new: impl Fn(usize, f64) -> f64) {
        if self.without.contains(&control.region()) {
            return;
        }
        // Taken out, so that the face can be changed meanwhile.
        let shares = self.shares.take();
        match &shares {
            None => self.change_whole(control, why, from, to, new),
            Some(shares) => {
                self.change_whole(control, why, from, to, |i, v| v + shares[i] * (new(i, v) - v));
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
        let n = self.face.len();
        let last = ((to * HZ).ceil().max(0.0) as usize).saturating_add(1).min(n);
        let first = ((from * HZ).floor().max(0.0) as usize).min(last);
        if first == last {
            return;
        }
        let curve = self.face.full(control);
        let before = self.trace.as_ref().map(|t| read(curve, Seconds(t.time)));
        for (i, value) in curve.iter_mut().enumerate().take(last).skip(first) {
            *value = new(i, f64::from(*value)) as f32;
        }
        if let (Some(trace), Some(before)) = (self.trace.as_mut(), before) {
            let after = read(curve, Seconds(trace.time));
            if after != before {
                trace.parts.push((control, why, f64::from(after - before)));
            }
        }
    }

    fn all(&mut self, control: Control, why: Why, new: impl Fn(usize, f64) -> f64) {
        self.change(control, why, 0.0, f64::INFINITY, new);
    }
}

/// A layer's share in sample `i`; all of it where it has none.
fn share(shares: Option<&[f64]>, i: usize) -> f64 {
    shares.map_or(1.0, |s| s[i])
}

/// How much is said at every sample, 0..1: it comes 120 ms before the sounds and goes within 250 ms after.
fn activity(timing: &Timing, samples: usize, like: Option<&Arc<Field<1>>>) -> Arc<Field<1>> {
    let spoken = timing.sounds.iter().filter(|s| s.phone != Phone::Sil);
    let brings = spoken.map(|s| Brings { start: s.span.start.0, end: s.span.end.0, strong: [1.0] });
    Field::of(samples, brings.collect(), (0.12, 0.25), like)
}

/// What the eyes look at, in order: the looks of the line, and beside the lens between them.
fn aims(layers: &Layers, timing: &Timing, heard: &Prosody, seed: Seed) -> Vec<gaze::Aim> {
    let aim = |time: f64, mark: (f64, f64), manner, own| gaze::Aim {
        time,
        yaw: mark.0,
        pitch: mark.1,
        manner,
        own,
        goes_on: false,
    };
    let rest = layers.settings.mark(0);
    let mut spans: Vec<(f64, f64, &Over<Look>)> = layers
        .looks
        .iter()
        .map(|s| {
            let span = s.over.span(timing);
            (span.start.0, span.end.0, s)
        })
        .collect();
    spans.sort_by(|a, b| a.0.total_cmp(&b.0));
    let mut out = Vec::new();
    let mut free = 0.0;
    // Between looks it is drawn by the look before.
    let mut between = seed.name("free");
    for (start, end, look) in &spans {
        let own = seed.name("look").number(u64::from(look.id));
        if *start > free + 1e-6 || (out.is_empty() && *start > 0.0) {
            out.push(aim(free, rest, gaze::Manner::Face, between));
        }
        match &look.does {
            Look::At { mark } => {
                out.push(aim(*start, layers.settings.mark(*mark), gaze::Manner::Look, own));
            }
            Look::Face { mark } => {
                out.push(aim(*start, layers.settings.mark(*mark), gaze::Manner::Face, own));
            }
            Look::Think => {
                // Low and to one side of where one looks otherwise; 9 degrees would not read as low.
                let side = 14.0 * own.name("think").dice().side();
                out.push(aim(*start, (rest.0 + side, rest.1 + 13.0), gaze::Manner::Think, own));
            }
            Look::Between { one, other } => {
                out.push(aim(*start, layers.settings.mark(*one), gaze::Manner::Face, own));
                let mut at_one = true;
                let inside = |u: &&Utterance| u.end > start + 0.38 && u.end < end - 0.42;
                for phrase in heard.utterances.iter().filter(inside) {
                    // Not at every phrase; and each by itself, so that one more leaves the others alone.
                    let own = own.number(phrase.own.0);
                    let to_one = own.name("between").dice().even() < 0.5;
                    let goes_on = to_one == at_one;
                    at_one = to_one;
                    let mark = layers.settings.mark(if at_one { *one } else { *other });
                    let to = aim(phrase.end + 0.02, mark, gaze::Manner::Face, own);
                    out.push(gaze::Aim { goes_on, ..to });
                }
            }
        }
        (free, between) = (*end, own.name("free"));
    }
    out.push(aim(free, rest, gaze::Manner::Face, between));
    // A look that starts before another's end takes over.
    out.sort_by(|a, b| a.time.total_cmp(&b.time));
    out
}

/// Blinks by hand, by pattern and by rule, in order; those by hand push others away.
fn blinks(
    layers: &Layers,
    timing: &Timing,
    length: f64,
    rate: FrameRate,
    seed: Seed,
    automatic: impl FnOnce() -> Vec<Blink>,
) -> Vec<Blink> {
    let apart = |at: f64| seed.name("lids").number(at.to_bits()).dice().between(-0.008, 0.008);
    let own: Vec<Blink> = layers
        .blinks
        .iter()
        .map(|b| Blink::shut_at(b.at.time(timing).0, b.shape, apart(b.at.time(timing).0)))
        .collect();
    let mut all = match layers.settings.blinks.mode {
        BlinkMode::Off => Vec::new(),
        BlinkMode::Auto => automatic(),
        BlinkMode::Pattern => {
            let rounds = (length / layers.settings.blinks.pattern_length).ceil() as usize;
            let frames = rate.per_second();
            let at = |round: usize, t: f64| {
                let at = round as f64 * layers.settings.blinks.pattern_length + t;
                Blink::shut_at((at * frames).round() / frames, layers.settings.blinks.shape, apart(at))
            };
            (0..rounds).flat_map(|r| layers.settings.blinks.pattern.iter().map(move |t| at(r, *t))).collect()
        }
    };
    all.retain(|b| own.iter().all(|o| (o.middle() - b.middle()).abs() >= 0.4));
    all.extend(own);
    all.retain(|b| b.middle() <= length);
    all.sort_by(|a, b| a.start.total_cmp(&b.start));
    all
}

/// What the layers need to know of a line.
pub(crate) struct Scene<'a> {
    pub line: &'a Line,
    pub timing: &'a Timing,
    pub heard: &'a Prosody,
    pub rate: FrameRate,
    pub guard: &'a Guard,
    /// The voice is that of the state whose parts may be taken over.
    pub same_voice: bool,
}

/// Something worked out, and what it followed from.
#[derive(Debug)]
struct Kept<K, V> {
    from: K,
    made: V,
}

impl<K: PartialEq, V> Kept<K, V> {
    /// What was made from the same before, or made now.
    fn of(like: Option<&Arc<Kept<K, V>>>, from: K, make: impl FnOnce(&K) -> V) -> Arc<Kept<K, V>> {
        match like.filter(|l| l.from == from) {
            Some(same) => same.clone(),
            None => {
                let made = make(&from);
                Arc::new(Kept { from, made })
            }
        }
    }
}

type Drift<V> = Option<Arc<Kept<(usize, Seed, Option<f64>), V>>>;

/// What a face does by itself, whatever is said.
#[derive(Debug, Clone, Default)]
pub(crate) struct Drifts {
    sway: Drift<[Vec<f64>; 3]>,
    brows: Drift<BTreeMap<Control, Vec<f64>>>,
    sides: Drift<Vec<Vec<f64>>>,
}

/// What follows from the voice and a few settings alone.
#[derive(Debug, Clone, Default)]
pub(crate) struct Voiced {
    head: Option<Arc<Kept<(usize, Seed, voice::Swing, Option<f64>), voice::Head>>>,
    brows: Option<Arc<Kept<(usize, Seed, f64, Option<f64>), voice::Brows>>>,
    /// Of the voice its aims are all that counts.
    gaze: Option<Arc<Kept<(usize, Vec<gaze::Aim>, f64, f64), gaze::Gaze>>>,
}

/// What layers were made of that another state of the line may take over.
#[derive(Debug, Clone, Default)]
pub(crate) struct Made {
    pub drifts: Drifts,
    pub voiced: Voiced,
    /// How much is said.
    pub said: Option<Arc<Field<1>>>,
    /// What the sounds claim of the mouth.
    pub claims: Option<Arc<Claims>>,
}

impl Made {
    /// About how much memory it takes of so many samples, bytes.
    pub fn bytes(&self, samples: usize) -> usize {
        let Drifts { sway, brows, sides } = &self.drifts;
        let curves = sway.as_ref().map_or(0, |k| k.made.len())
            + brows.as_ref().map_or(0, |k| k.made.len())
            + sides.as_ref().map_or(0, |k| k.made.len())
            + self.voiced.brows.as_ref().map_or(0, |k| k.made.curves.len())
            + self.voiced.gaze.as_ref().map_or(0, |k| k.made.at.len() + k.made.head.len());
        let parts = self.said.as_ref().map_or(0, |s| s.bytes())
            + self.claims.as_ref().map_or(0, |c| c.bytes())
            + self.voiced.head.as_ref().map_or(0, |k| k.made.bytes());
        curves * samples * size_of::<f64>() + parts
    }
}

/// Lays every layer over the mouth `face`, and tells what they did. `like` is what they were made of in another state of
/// the line.
pub(crate) fn lay(
    face: &mut Curves,
    scene: &Scene<'_>,
    like: &Made,
    trace: Option<&mut Trace>,
) -> (Told, Made) {
    let Scene { line, timing, heard, rate, guard, same_voice } = scene;
    let mut made = Made::default();
    let layers = &line.layers;
    let (n, length) = (face.len(), face.len().saturating_sub(1) as f64 / HZ);
    let speech = face.clone();
    let mut laying = Laying { face, trace, line, timing, shares: None, without: &[] };
    let activity = activity(timing, n, like.said.as_ref());
    let said = &activity.most[0];
    made.said = Some(activity.clone());
    let loops = Some(layers.settings.sway_loop).filter(|l| *l > 0.0);

    let seed = laying.layer(LayerKind::Mouth);
    if line.diction.sides > 0.0 {
        let drifts = Kept::of(like.drifts.sides.as_ref(), (n, seed, None), |(n, seed, _)| uneven(*n, *seed));
        sides(&mut laying, line.diction.sides, seed, said, &drifts.made);
        made.drifts.sides = Some(drifts);
    }

    let seed = laying.layer(LayerKind::Mood);
    let mood = layers.plays(LayerKind::Mood);
    let playing = if mood > 0.0 { Playing::all(&layers.moods, timing, seed, mood) } else { Vec::new() };
    moods(&mut laying, &speech, guard, &playing, said);
    let mood_shares = laying.shares.clone();

    let seed = laying.layer(LayerKind::Eyes);
    let eyes_seed = seed;
    let eyes = layers.plays(LayerKind::Eyes);
    let alive = Kept::of(like.drifts.brows.as_ref(), (n, seed, loops), |(n, seed, loops)| {
        voice::alive(*n, *seed, *loops)
    });
    let from = (n, seed, layers.settings.brows * eyes, loops);
    let brows = Kept::of(like.voiced.brows.as_ref().filter(|_| *same_voice), from, |(n, seed, amount, _)| {
        voice::brows(heard, *n, &alive.made, *seed, *amount)
    });
    let raises = &brows.made.raises;
    if layers.settings.brows * eyes > 0.0 {
        for (control, curve) in &brows.made.curves {
            laying.all(*control, Why::Brows, |i, v| screen(v, curve[i]));
        }
    }

    // A laugh narrows the eyes, a sob draws the brows together.
    let noises = noises::Played::all(timing, &line.reach);
    for noise in noises.iter().filter(|_| eyes > 0.0) {
        let (from, to) = noise.reach();
        for (control, wants) in noise.controls(seed) {
            let value = |i: usize, v: f64| screen(v, eyes.min(1.0) * wants(i as f64 / HZ));
            laying.change(control, Why::Noise(noise.place), from, to, value);
        }
    }

    // Head: what the gaze asks of it, the voice, the moods' posture, and turns by hand.
    let head = layers.plays(LayerKind::Head);
    let looked = (eyes > 0.0).then(|| {
        let aims = aims(layers, timing, heard, eyes_seed);
        let share = if head > 0.0 { layers.settings.head_share } else { 0.0 };
        let from = (n, aims, share, eyes);
        Kept::of(like.voiced.gaze.as_ref(), from, |(n, aims, share, hops)| {
            gaze::track(aims, length, *n, *share, *hops)
        })
    });
    let seed = laying.layer(LayerKind::Head);
    let mut turned = [vec![0.0; n], vec![0.0; n], vec![0.0; n]];
    if head > 0.0 {
        let mut turn = |why: Why, by: [&[f64]; 3], made_up: bool| {
            for (axis, control) in HEAD.into_iter().enumerate() {
                laying.all(control, why, |i, v| v + by[axis][i]);
                if made_up {
                    let all = turned[axis].iter_mut().zip(by[axis]).enumerate();
                    all.for_each(|(i, (t, h))| *t += laying.share_of(control, i) * h);
                }
            }
        };
        if let Some(looked) = &looked {
            turn(Why::Gaze, slices(&looked.made.head), true);
        }
        let sways = Kept::of(like.drifts.sway.as_ref(), (n, seed, loops), |(n, seed, loops)| {
            voice::sway(*n, *seed, *loops)
        });
        let swing = voice::Swing { nods: layers.settings.nods * head, sway: layers.settings.sway * head };
        let from = (n, seed, swing, loops);
        let before = like.voiced.head.as_ref();
        let moved = Kept::of(before.filter(|_| *same_voice), from, |(_, seed, swing, _)| {
            voice::head(heard, &sways.made, *seed, *swing, before.map(|k| &k.made))
        });
        turn(Why::Voice, moved.made.turns(), true);
        (made.drifts.sway, made.voiced.head) = (Some(sways), Some(moved));
        for noise in &noises {
            if let Some(nod) = noise.nod(n, head) {
                let none = vec![0.0; n];
                turn(Why::Noise(noise.place), [&none, &nod, &none], true);
            }
        }
        if let Some(body) = &layers.body {
            let curve = |keys: &[keys::TimedKey]| -> Vec<f64> {
                (0..n).map(|i| head * body.amount * keys::through(keys, i as f64 / HZ)).collect()
            };
            let turned = [curve(&body.yaw), curve(&body.pitch), curve(&body.roll)];
            turn(Why::Body, slices(&turned), true);
        }
        for (id, moved, along) in turns(layers, timing, n, seed, head) {
            turn(Why::Turn(id), slices(&moved), !along);
        }
    }
    let head_shares = laying.shares.clone();
    let seed = laying.layer(LayerKind::Eyes);
    let mut eye = [vec![0.0; n], vec![0.0; n]];
    if let Some(looked) = &looked {
        for i in 0..n {
            let [yaw, pitch] =
                gaze::in_head([looked.made.at[0][i], looked.made.at[1][i]], [turned[0][i], turned[1][i]]);
            (eye[0][i], eye[1][i]) = (yaw, pitch);
        }
        for (control, axis) in [(Control::GazeYaw, 0), (Control::GazePitch, 1)] {
            laying.all(control, Why::Gaze, |i, v| v + eye[axis][i]);
        }
        // Eyes meet at some three metres.
        laying.all(Control::GazeConverge, Why::Gaze, |_, v| v + 1.2);
        if head > 0.0 {
            for span in layers.moves.iter() {
                if let HeadMove::Shiver { degrees, per_second } = span.does {
                    let over = span.over.span(timing);
                    let own = seed.name("eye shiver").number(u64::from(span.id));
                    let quick = 2.2 * per_second;
                    let there = |t: f64| window(t, over.start.0 + 0.15, over.end.0 - 0.15, 0.15, 0.15);
                    let shiver = |i: usize, v: f64| {
                        let t = i as f64 / HZ;
                        let plays = head * share(head_shares.as_deref(), i);
                        v + 0.5 * plays * degrees * there(t) * drift(own, t, quick, None)
                    };
                    laying.change(Control::GazeYaw, Why::Turn(span.id), over.start.0, over.end.0, shiver);
                }
            }
        }
    }
    // Posture moves the eyes off the mark, too: grief looks down.
    let come = |mood: &Playing<'_>| -> Vec<f64> {
        let at = |i: usize| mood.strength(i as f64 / HZ).powf(0.8) * share(mood_shares.as_deref(), i);
        (0..n).map(at).collect()
    };
    if eyes > 0.0 {
        for mood in &playing {
            let (_, look) = mood.posture();
            if look != 0.0 {
                let quick = blurred(&come(mood), 0.05);
                laying.all(Control::GazePitch, Why::Mood(mood.span.id), |i, v| v + look * quick[i]);
            }
        }
    }
    if head > 0.0 {
        laying.layer(LayerKind::Head);
        for mood in &playing {
            let (turned, _) = mood.posture();
            if turned != [0.0; 3] {
                let slow = blurred(&come(mood), 0.08);
                for (control, by) in HEAD.into_iter().zip(turned) {
                    laying.all(control, Why::Mood(mood.span.id), |i, v| v + by * head.min(1.0) * slow[i]);
                }
            }
        }
        laying.layer(LayerKind::Eyes);
    }
    if eyes == 0.0 {
        return (Told::default(), made);
    }

    // Lids go with the eyes, whatever turned them.
    let pitch: Vec<f64> = (0..n).map(|i| f64::from(laying.face.sample(Control::GazePitch, i))).collect();
    let pitch = blurred(&pitch, 0.012);
    for control in LIDS {
        laying.all(control, Why::Lids, |i, v| screen(v, lids::with_eyes(control, pitch[i])));
    }
    let sound_span = |sound: usize| timing.sounds.get(sound).map(|s| (s.span.start.0, s.span.end.0));
    let mut wide: Vec<(f64, f64)> = heard
        .accents
        .iter()
        .filter(|a| {
            a.strength > 0.6 || raises.iter().any(|r| r.sound == a.sound && r.size > 0.36 && !r.frowns)
        })
        .filter_map(|a| sound_span(a.sound))
        .collect();
    wide.dedup();
    // Eyes widen with the strongest words.
    let frowned = |sound: usize| raises.iter().any(|r| r.sound == sound && r.frowns);
    for accent in heard.accents.iter().filter(|a| a.strength > 0.75 && !frowned(a.sound)) {
        for control in [Control::LidWideLeft, Control::LidWideRight] {
            let at = accent.time - 0.03;
            let size = 0.30 * (accent.strength - 0.5) * layers.settings.brows.min(1.0) * eyes.min(1.0);
            let value = |i: usize, v: f64| screen(v, size * ease::pulse(i as f64 / HZ - at, 0.09, 0.22));
            laying.change(control, Why::Brows, at - 0.4, at + 0.9, value);
        }
    }
    // And narrow with a frown.
    for frown in raises.iter().filter(|r| r.frowns) {
        for control in [Control::LidSquintLeft, Control::LidSquintRight] {
            let at = frown.time - 0.04;
            let value =
                |i: usize, v: f64| screen(v, 0.6 * frown.size * ease::pulse(i as f64 / HZ - at, 0.10, 0.26));
            laying.change(control, Why::Brows, at - 0.4, at + 1.1, value);
        }
    }
    let shifts = looked.as_ref().map_or(&[][..], |l| &l.made.shifts);
    let mut all = blinks(layers, timing, length, *rate, seed, || {
        let mut liked: Vec<(f64, f64)> = Vec::new();
        for phrase in &heard.utterances {
            liked.push((phrase.end + 0.05, 1.0));
            liked.push(((phrase.start - 0.15).max(0.0), 0.6));
        }
        let large = shifts.iter().filter(|s| s.degrees > 6.0);
        liked.extend(large.map(|s| (s.time - 0.01, 0.5 + 0.02 * s.degrees.min(20.0))));
        let strongest = |t: f64| {
            let by = |p: &&Playing<'_>| p.strength(t);
            playing.iter().max_by(|a, b| by(a).total_cmp(&by(b))).map(|p| (p.strength(t), p))
        };
        let often = |t: f64| {
            let talks = heard.utterances.iter().any(|u| t > u.start - 1.0 && t < u.end + 1.0);
            let own = if talks { lids::TALKING } else { lids::LISTENING };
            let under =
                strongest(t).map_or(1.0, |(a, p)| 1.0 + a * (mood::blink_rate(&p.span.does.mood) - 1.0));
            own * under * layers.settings.blinks.rate
        };
        if layers.settings.blinks.rate < 0.02 {
            return Vec::new();
        }
        let heavy = |t: f64| {
            strongest(t).is_some_and(|(a, p)| a > 0.3 && p.span.does.mood == jam_score::Mood::Sadness)
        };
        lids::plan(&lids::Plan {
            length,
            seed,
            rate: *rate,
            shape: layers.settings.blinks.shape,
            often: &often,
            liked: &liked,
            avoided: &wide,
            shifts,
            half: if layers.settings.blinks.shape == BlinkShape::Natural { 0.12 } else { 0.0 },
            heavy: &heavy,
        })
    });
    // Of idle motion, what blinks at the beginning blinks again when it comes round.
    if let Some(round) = line.comes_round() {
        let again = |b: &Blink| Blink { start: b.start + round.0, ..*b };
        all.retain(|b| b.start >= 0.0 && b.end() < round.0);
        let once: Vec<Blink> = all.iter().map(again).filter(|b| b.start < length).collect();
        all.extend(once);
    }
    // A lid shuts or does not; half a layer is no half blink.
    let plays =
        |b: &Blink| laying.share_of(Control::LidCloseLeft, ((b.middle() * HZ) as usize).min(n - 1)) >= 0.5;
    all.retain(plays);
    let [left, right] = lids::tracks(&all, n);
    for (control, track, share) in [
        (Control::LidCloseLeft, &left, 1.0),
        (Control::LidCloseRight, &right, 1.0),
        (Control::LidSquintLeft, &left, 0.12),
        (Control::LidSquintRight, &right, 0.12),
        (Control::BrowDownLeft, &left, 0.06),
        (Control::BrowDownRight, &right, 0.06),
    ] {
        laying.all(control, Why::Blink, |i, v| screen(v, share * track[i]));
    }
    // The eye dips in a blink, and turns to the nose.
    laying.all(Control::GazePitch, Why::Blink, |i, v| v + 0.75 * (left[i] + right[i]));
    laying.all(Control::GazeConverge, Why::Blink, |i, v| v + 0.5 * (left[i] + right[i]));
    let [yaw, pitch, _] = turned;
    let made_up = MadeUp {
        turned: [yaw, pitch],
        eyes: (0..n).map(|i| laying.share_of(Control::GazeYaw, i)).collect(),
        lids: !laying.without.contains(&Region::Lids),
        holds: !layers.looks.is_empty(),
    };
    let gaze = looked.as_ref().map_or([Vec::new(), Vec::new()], |l| l.made.at.clone());
    (made.drifts.brows, made.voiced.brows, made.voiced.gaze) = (Some(alive), Some(brows), looked);
    (Told { blinks: all, gaze, wide, made_up }, made)
}

pub(crate) const HEAD: [Control; 3] = [Control::HeadYaw, Control::HeadPitch, Control::HeadRoll];
/// Lids that go with the eyes' pitch.
const LIDS: [Control; 4] =
    [Control::LidCloseLeft, Control::LidCloseRight, Control::LidWideLeft, Control::LidWideRight];

/// Whether a control changes when eyes make up for a head that hands turned.
pub(crate) fn follows(control: Control) -> bool {
    matches!(control, Control::GazeYaw | Control::GazePitch) || LIDS.contains(&control)
}

/// Keeps the eyes on their mark, and the lids on the eyes, where hands turned the head; `turned_by` is how far, yaw and
/// pitch at every sample.
pub(crate) fn follow(face: &mut Curves, told: &Told, turned_by: &[Vec<f64>; 2]) {
    let n = face.len();
    if !told.made_up.holds || told.gaze[0].len() != n || told.made_up.turned[0].len() != n {
        return;
    }
    let MadeUp { turned, eyes, lids, .. } = &told.made_up;
    for i in 0..n {
        let by = [turned_by[0][i], turned_by[1][i]];
        if by == [0.0; 2] {
            continue;
        }
        let (at, head) = ([told.gaze[0][i], told.gaze[1][i]], [turned[0][i], turned[1][i]]);
        let before = gaze::in_head(at, head);
        let after = gaze::in_head(at, [head[0] + by[0], head[1] + by[1]]);
        for (control, axis) in [(Control::GazeYaw, 0), (Control::GazePitch, 1)] {
            face.full(control)[i] += (eyes[i] * (after[axis] - before[axis])) as f32;
        }
        for control in LIDS.into_iter().filter(|_| *lids) {
            // What the lids did for the eyes before is taken out of it first.
            let [was, is] = [before[1], after[1]].map(|pitch| eyes[i] * lids::with_eyes(control, pitch));
            let value = f64::from(face.sample(control, i));
            face.full(control)[i] = screen((value - was) / (1.0 - was), is).clamp(0.0, 1.0) as f32;
        }
    }
}

fn slices(tracks: &[Vec<f64>; 3]) -> [&[f64]; 3] {
    tracks.each_ref().map(Vec::as_slice)
}

/// Lips of the left side that go farther or less far than those of the right.
const UNEVEN: [Control; 3] = [Control::LipsSpreadLeft, Control::LipUpperRaiseLeft, Control::LipLowerDropLeft];

/// How the sides drift apart: the lips of [`UNEVEN`], and the mouth as a whole.
fn uneven(samples: usize, seed: Seed) -> Vec<Vec<f64>> {
    let of = |name: &str, hz: f64| {
        let own = seed.name("mouth").name(name);
        (0..samples).map(|i| drift(own, i as f64 / HZ, hz, None)).collect()
    };
    UNEVEN.iter().map(|c| of(c.name(), 0.5)).chain([of("side", 0.6)]).collect()
}

/// What no mouth does alike on both sides: one leads, and the mouth lies a little to it. Never at the cost of a rule.
fn sides(laying: &mut Laying<'_>, amount: f64, seed: Seed, said: &[f64], uneven: &[Vec<f64>]) {
    let lead = seed.name("mouth").dice().side();
    for (left, drifts) in UNEVEN.into_iter().zip(uneven) {
        let Some(right) = left.other_side() else { continue };
        let base = lead * seed.name("mouth").name(left.name()).dice().between(0.03, 0.07);
        for (control, way) in [(left, 1.0), (right, -1.0)] {
            if laying.face.curve(control).is_none() {
                continue;
            }
            laying.all(control, Why::Sides, |i, v| {
                (v * (1.0 + way * amount * (base + 0.04 * drifts[i]))).clamp(0.0, 1.0)
            });
        }
    }
    let whole = &uneven[UNEVEN.len()];
    laying
        .all(Control::MouthSide, Why::Sides, |i, v| v + amount * said[i] * (0.02 * lead + 0.035 * whole[i]));
}

/// Moods over the speech: whole where nobody speaks, and in the mouth what the guard leaves.
fn moods(laying: &mut Laying<'_>, speech: &Curves, guard: &Guard, playing: &[Playing<'_>], said: &[f64]) {
    let mut controls: Vec<Control> = playing.iter().flat_map(Playing::controls).collect();
    controls.sort_unstable();
    controls.dedup();
    for control in controls {
        let allowed = guard.allowed(control);
        let limits = guard.limits(control, speech.curve(control).unwrap_or(&[]));
        let two_ways =
            control.range().0 < 0.0 || control.region() == Region::Head || control.region() == Region::Gaze;
        let before: Vec<f32> = laying.face.full(control).clone();
        for mood in playing {
            if !mood.controls().any(|c| c == control) {
                continue;
            }
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
            let spoken = f64::from(before[i]);
            let allowed = allowed.as_ref().map_or(1.0, |a| a[i]);
            let value = (spoken + allowed * (v - spoken)) as f32;
            let (low, high) = limits.as_ref().map_or((low, high), |l| l[i]);
            f64::from(value.clamp(low.min(high), high))
        });
    }
}

/// Turns by hand and shivers: what each does to the head, and whether the eyes go along instead of holding the mark.
fn turns(
    layers: &Layers,
    timing: &Timing,
    samples: usize,
    seed: Seed,
    amount: f64,
) -> Vec<(u32, [Vec<f64>; 3], bool)> {
    let one = |span: &Over<HeadMove>| {
        let over = span.over.span(timing);
        let (start, end) = (over.start.0, over.end.0);
        let mut moved = [0.0; 3].map(|x| ease::Sum::new(samples, x));
        match span.does {
            HeadMove::Turn { yaw, pitch, roll } => {
                let far = yaw.hypot(pitch);
                let takes = 1.25 * gaze::head_time(far.max(roll.abs()));
                let way = [yaw, pitch, roll].map(|x| x * amount);
                for (from, sign) in [(start, 1.0), (end, -1.0)] {
                    for axis in 0..3 {
                        let to = from + takes + ease::SETTLES;
                        moved[axis]
                            .add(from, to, |t| sign * way[axis] * ease::move_and_hold(t - from, takes));
                    }
                    let arc =
                        |t: f64| (std::f64::consts::PI * ((t - from) / takes).clamp(0.0, 1.0)).sin().powi(2);
                    moved[1].add(from, from + takes, |t| amount * (0.10 * far).min(4.0) * arc(t));
                    moved[2].add(from, from + takes, |t| -0.07 * sign * way[0] * arc(t));
                }
            }
            HeadMove::Shiver { degrees, per_second } => {
                for (axis, track) in moved.iter_mut().enumerate() {
                    let own = seed.name("shiver").number(u64::from(span.id)).number(axis as u64);
                    let there = |t: f64| window(t, start + 0.15, end - 0.15, 0.15, 0.15);
                    track.add(start, end, |t| amount * degrees * there(t) * drift(own, t, per_second, None));
                }
            }
        }
        let free = matches!(span.does, HeadMove::Turn { .. });
        (span.id, moved.map(ease::Sum::curve), free && layers.looks.is_empty())
    };
    layers.moves.iter().map(one).collect()
}
