//! What the layers of a line are laid from: all that is worked out for the line as a whole. What is laid in a sample follows
//! from what of it lies near that sample and from nothing else, so another state of the line is laid only where its parts
//! differ.

use super::field::{Brings, Field};
use super::gaze;
use super::guard::Guard;
use super::lids::{self, Blink};
use super::mood::{self, Playing};
use super::noise::drift;
use super::noises::Played;
use super::reached::Reached;
use super::turns::ByHand;
use super::voice;
use crate::curves::{Curves, HZ};
use jam_score::keys;
use jam_score::layers::{BlinkMode, BlinkShape, Body, HeadMove, LayerKind, Layers, Look, Over, Settings};
use jam_score::prosody::Utterance;
use jam_score::{Control, FrameRate, Line, Mood, Phone, Prosody, Region, Seed, Timing};
use std::collections::{BTreeMap, BTreeSet};
use std::ops::Range;
use std::sync::Arc;

/// What the layers need to know of a line.
pub(crate) struct Scene<'a> {
    pub line: &'a Line,
    pub timing: &'a Timing,
    pub heard: &'a Prosody,
    pub rate: FrameRate,
    pub guard: &'a Arc<Guard>,
    /// The voice of the state whose parts may be taken over.
    pub heard_before: &'a Prosody,
}

/// Something worked out, and what it followed from.
#[derive(Debug)]
pub(crate) struct Kept<K, V> {
    from: K,
    pub made: V,
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

type Drift<V> = Arc<Kept<(usize, Seed, Option<f64>), V>>;
type Moved = Arc<Kept<(usize, Seed, voice::Swing, Option<f64>), voice::Head>>;
type Raised = Arc<Kept<(usize, Seed, f64, Option<f64>), voice::Brows>>;
/// Of the voice its aims are all that counts.
type Looked = Arc<Kept<(usize, Vec<gaze::Aim>, f64, f64), gaze::Gaze>>;

/// See the head of this file.
#[derive(Debug)]
pub(crate) struct Parts {
    /// The mouth, and what keeps its words.
    pub speech: Curves,
    pub guard: Arc<Guard>,
    /// How much is said.
    pub said: Arc<Field<1>>,
    pub settings: Settings,
    /// How unlike the sides of the mouth are, and how they drift apart.
    pub sides: f64,
    pub uneven: Drift<Vec<Vec<f64>>>,
    /// Times with shares of every layer, in the order of [`LayerKind::ALL`].
    shares: Vec<Vec<(f64, f64)>>,
    pub moods: Vec<Arc<Playing>>,
    /// How brows move that nobody raises, and how they do with the voice.
    alive: Drift<BTreeMap<Control, Vec<f64>>>,
    pub brows: Raised,
    pub noises: Vec<Played>,
    /// None while the eyes are off.
    pub looked: Option<Looked>,
    /// How the head sways by itself, and how it moves with the voice; none while it is off.
    sway: Option<Drift<[Vec<f64>; 3]>>,
    pub moved: Option<Moved>,
    pub body: Option<Arc<Body>>,
    pub moves: Vec<ByHand>,
    /// The line has looks of its own; without, eyes go along where hands turn the head.
    pub looks: bool,
    /// Words on which eyes widen: when, and how far.
    pub widens: Vec<(f64, f64)>,
    /// Stressed words with wide eyes or brows, as stretches of time.
    pub wide: Vec<(f64, f64)>,
    pub blinks: Vec<Blink>,
}

impl Parts {
    /// Of a line with this mouth; what is as in another state of it is taken over.
    pub fn of(scene: &Scene<'_>, speech: Curves, like: Option<&Parts>) -> Parts {
        let Scene { line, timing, heard, heard_before, guard, .. } = scene;
        let same_voice = std::ptr::eq(*heard, *heard_before) || heard == heard_before;
        let layers = &line.layers;
        let settings = &layers.settings;
        let (n, length) = (speech.len(), speech.len().saturating_sub(1) as f64 / HZ);
        let loops = Some(settings.sway_loop).filter(|l| *l > 0.0);
        let [mood, eyes, head] =
            [LayerKind::Mood, LayerKind::Eyes, LayerKind::Head].map(|kind| layers.plays(kind));
        let said = activity(timing, n, like.map(|l| &l.said));

        let from = (n, drawn(settings, LayerKind::Mouth), None);
        let uneven = Kept::of(like.map(|l| &l.uneven), from, |(n, seed, _)| uneven(*n, *seed));

        let seed = drawn(settings, LayerKind::Mood);
        let known = like.map_or(&[][..], |l| &l.moods);
        let spans = if mood > 0.0 { &layers.moods[..] } else { &[] };
        let moods = Playing::all(spans, timing, seed, mood, known);

        let seed = drawn(settings, LayerKind::Eyes);
        let alive = Kept::of(like.map(|l| &l.alive), (n, seed, loops), |(n, seed, loops)| {
            voice::alive(*n, *seed, *loops)
        });
        let heard_so = like.filter(|_| same_voice);
        let from = (n, seed, settings.brows * eyes, loops);
        // Over the same of their own.
        let before = like.filter(|l| l.brows.from == from).map(|l| &l.brows.made);
        let brows = Kept::of(heard_so.map(|l| &l.brows), from, |(n, seed, amount, _)| {
            voice::brows(heard, *n, &alive.made, *seed, *amount, before)
        });
        let looked = (eyes > 0.0).then(|| {
            let share = if head > 0.0 { settings.head_share } else { 0.0 };
            let from = (n, aims(layers, timing, heard, seed), share, eyes);
            Kept::of(like.and_then(|l| l.looked.as_ref()), from, |(n, aims, share, hops)| {
                gaze::track(aims, length, *n, *share, *hops)
            })
        });

        let seed = drawn(settings, LayerKind::Head);
        let sway = (head > 0.0).then(|| {
            Kept::of(like.and_then(|l| l.sway.as_ref()), (n, seed, loops), |(n, seed, loops)| {
                voice::sway(*n, *seed, *loops)
            })
        });
        let moved = sway.as_ref().map(|sway| {
            let swing = voice::Swing { nods: settings.nods * head, sway: settings.sway * head };
            let before = like.and_then(|l| l.moved.as_ref());
            let from = (n, seed, swing, loops);
            // Over the same sway, as much.
            let over = before.filter(|k| k.from == from).map(|k| (&k.made, *heard_before));
            Kept::of(before.filter(|_| same_voice), from, |(_, seed, swing, _)| {
                voice::head(heard, &sway.made, *seed, *swing, over)
            })
        });
        let body = layers.body.as_ref().filter(|_| head > 0.0).map(|body| {
            let same = like.and_then(|l| l.body.as_ref()).filter(|l| ***l == *body);
            same.cloned().unwrap_or_else(|| Arc::new(body.clone()))
        });
        let by_hand = |span: &Over<HeadMove>| {
            let over = span.over.span(timing);
            ByHand { id: span.id, does: span.does, start: over.start.0, end: over.end.0 }
        };
        let mut parts = Parts {
            speech,
            guard: Arc::clone(guard),
            said,
            settings: settings.clone(),
            sides: line.diction.sides,
            uneven,
            shares: LayerKind::ALL.iter().map(|kind| layers.shares(*kind, timing)).collect(),
            moods,
            alive,
            brows,
            noises: Played::all(timing, &line.reach),
            looked,
            sway,
            moved,
            body,
            moves: if head > 0.0 { layers.moves.iter().map(by_hand).collect() } else { Vec::new() },
            looks: !layers.looks.is_empty(),
            widens: Vec::new(),
            wide: Vec::new(),
            blinks: Vec::new(),
        };
        if eyes > 0.0 {
            parts.widens(heard, timing, settings.brows.min(1.0) * eyes.min(1.0));
            parts.blinks = blinks(scene, length, &parts);
        }
        parts
    }

    /// Samples of the line.
    pub fn len(&self) -> usize {
        self.speech.len()
    }

    /// Where eyes and brows are wide.
    fn widens(&mut self, heard: &Prosody, timing: &Timing, amount: f64) {
        let raises = || self.brows.made.raises.iter();
        let frowned: BTreeSet<usize> = raises().filter(|r| r.frowns).map(|r| r.sound).collect();
        let lifted: BTreeSet<usize> =
            raises().filter(|r| !r.frowns && r.size > 0.36).map(|r| r.sound).collect();
        let span = |sound: usize| timing.sounds.get(sound).map(|s| (s.span.start.0, s.span.end.0));
        let stands_out = heard.accents.iter().filter(|a| a.strength > 0.6 || lifted.contains(&a.sound));
        let mut wide: Vec<(f64, f64)> = stands_out.filter_map(|a| span(a.sound)).collect();
        wide.sort_by(|a, b| a.0.total_cmp(&b.0));
        wide.dedup();
        let strongest = heard.accents.iter().filter(|a| a.strength > 0.75 && !frowned.contains(&a.sound));
        let widens = strongest.map(|a| (a.time - 0.03, 0.30 * (a.strength - 0.5) * amount)).collect();
        (self.wide, self.widens) = (wide, widens);
    }

    /// How much of a layer plays in a sample, its amount apart.
    pub fn share(&self, kind: LayerKind, i: usize) -> f64 {
        keys::between(&self.shares[kind as usize], i as f64 / HZ)
    }

    /// Whether a layer plays alike throughout.
    pub fn is_even(&self, kind: LayerKind) -> bool {
        self.shares[kind as usize].is_empty()
    }

    /// Samples in which something may be laid otherwise than from other parts; all if nothing can be compared.
    pub fn differs(&self, other: &Parts) -> Range<usize> {
        // Drifts and the sway follow from the settings; wide words only keep blinks away.
        let Parts {
            speech,
            guard,
            said,
            settings,
            sides,
            uneven: _,
            shares,
            moods,
            alive: _,
            brows,
            noises,
            looked,
            sway: _,
            moved,
            body,
            moves,
            looks,
            widens,
            wide: _,
            blinks,
        } = self;
        let n = self.len();
        let alike = n == other.len()
            && *settings == other.settings
            && *sides == other.sides
            && *looks == other.looks
            && *body == other.body
            && looked.is_some() == other.looked.is_some()
            && moved.is_some() == other.moved.is_some();
        if !alike {
            return 0..n;
        }
        let mut all = Reached::default();
        all.add(speech.differs(&other.speech, Control::ALL));
        all.add(guard.differs(&other.guard));
        if !Arc::ptr_eq(said, &other.said) {
            all.curve(&said.most[0], &other.said.most[0]);
        }
        for (own, their) in shares.iter().zip(&other.shares) {
            all.places(own, their);
        }
        all.items(moods, &other.moods, |m| m.reach());
        if !Arc::ptr_eq(brows, &other.brows) {
            for (own, their) in brows.made.curves.values().zip(other.brows.made.curves.values()) {
                all.curve(own, their);
            }
            // Of which sound one is says nothing here.
            let [own, their] = [brows, &other.brows].map(|b| {
                b.made.raises.iter().map(|r| (r.time, r.size, r.frowns)).collect::<Vec<(f64, f64, bool)>>()
            });
            all.items(&own, &their, |(time, ..)| (time - 0.5, time + 1.2));
        }
        all.items(noises, &other.noises, Played::reach);
        if let (Some(own), Some(their)) = (looked, &other.looked)
            && !Arc::ptr_eq(own, their)
        {
            own.made.at.iter().zip(their.made.at.iter()).for_each(|(own, their)| all.curve(own, their));
            own.made.head.iter().zip(&their.made.head).for_each(|(own, their)| all.curve(own, their));
        }
        if let (Some(own), Some(their)) = (moved, &other.moved)
            && !Arc::ptr_eq(own, their)
        {
            own.made
                .turns()
                .into_iter()
                .zip(their.made.turns())
                .for_each(|(own, their)| all.curve(own, their));
        }
        all.items(moves, &other.moves, ByHand::reach);
        all.items(widens, &other.widens, |(at, _)| (at - 0.4, at + 0.9));
        all.items(blinks, &other.blinks, |b| (b.start - lids::LATE, b.end() + lids::LATE));
        all.samples(n)
    }

    /// About how much memory it takes, bytes, beside the mouth's curves.
    pub fn bytes(&self) -> usize {
        let curves = self.uneven.made.len()
            + self.alive.made.len()
            + self.brows.made.curves.len()
            + self.looked.as_ref().map_or(0, |k| k.made.at.len() + k.made.head.len())
            + self.sway.as_ref().map_or(0, |k| k.made.len());
        let body = self.body.as_ref().map_or(0, |b| b.yaw.len() + b.pitch.len() + b.roll.len());
        curves * self.len() * size_of::<f64>()
            + body * size_of::<keys::TimedKey>()
            + self.said.bytes()
            + self.guard.bytes()
            + self.moved.as_ref().map_or(0, |k| k.made.bytes())
    }
}

/// What of a line's seed a layer plays.
pub(crate) fn drawn(settings: &Settings, kind: LayerKind) -> Seed {
    let (seed, draw) = (Seed(settings.seed), settings.layer(kind).draw);
    if draw == 0 { seed } else { seed.name("draw").number(u64::from(draw)) }
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
fn blinks(scene: &Scene<'_>, length: f64, parts: &Parts) -> Vec<Blink> {
    let Scene { line, timing, heard, rate, .. } = scene;
    let (blinks, seed) = (&line.layers.settings.blinks, drawn(&line.layers.settings, LayerKind::Eyes));
    let apart = |at: f64| seed.name("lids").number(at.to_bits()).dice().between(-0.008, 0.008);
    let by_hand = line.layers.blinks.iter();
    let own: Vec<Blink> =
        by_hand.map(|b| Blink::shut_at(b.at.time(timing).0, b.shape, apart(b.at.time(timing).0))).collect();
    let mut all = match blinks.mode {
        BlinkMode::Off => Vec::new(),
        BlinkMode::Auto => by_rule(heard, *rate, length, seed, parts),
        BlinkMode::Pattern => {
            let rounds = (length / blinks.pattern_length).ceil() as usize;
            let frames = rate.per_second();
            let at = |round: usize, t: f64| {
                let at = round as f64 * blinks.pattern_length + t;
                Blink::shut_at((at * frames).round() / frames, blinks.shape, apart(at))
            };
            (0..rounds).flat_map(|r| blinks.pattern.iter().map(move |t| at(r, *t))).collect()
        }
    };
    all.retain(|b| own.iter().all(|o| (o.middle() - b.middle()).abs() >= 0.4));
    all.extend(own);
    all.retain(|b| b.middle() <= length);
    all.sort_by(|a, b| a.start.total_cmp(&b.start));
    // Of idle motion, what blinks at the beginning blinks again when it comes round.
    if let Some(round) = line.comes_round() {
        let again = |b: &Blink| Blink { start: b.start + round.0, ..*b };
        all.retain(|b| b.start >= 0.0 && b.end() < round.0);
        let once: Vec<Blink> = all.iter().map(again).filter(|b| b.start < length).collect();
        all.extend(once);
    }
    // A lid shuts or does not; half a layer is no half blink.
    let lids = !parts.settings.eyes.without.contains(&Region::Lids);
    let last = parts.len().saturating_sub(1);
    let plays = |b: &Blink| parts.share(LayerKind::Eyes, ((b.middle() * HZ) as usize).min(last)) >= 0.5;
    all.retain(|b| lids && plays(b));
    all
}

/// Blinks where people blink: after phrases, with large shifts of the gaze, as often as talking, listening and a mood make
/// it.
fn by_rule(heard: &Prosody, rate: FrameRate, length: f64, seed: Seed, parts: &Parts) -> Vec<Blink> {
    let blinks = &parts.settings.blinks;
    if blinks.rate < 0.02 {
        return Vec::new();
    }
    let shifts = parts.looked.as_ref().map_or(&[][..], |l| &l.made.shifts);
    let mut liked: Vec<(f64, f64)> = Vec::new();
    for phrase in &heard.utterances {
        liked.push((phrase.end + 0.05, 1.0));
        liked.push(((phrase.start - 0.15).max(0.0), 0.6));
    }
    let large = shifts.iter().filter(|s| s.degrees > 6.0);
    liked.extend(large.map(|s| (s.time - 0.01, 0.5 + 0.02 * s.degrees.min(20.0))));
    liked.sort_by(|a, b| a.0.total_cmp(&b.0));
    let strongest = |t: f64| {
        let strong = parts.moods.iter().map(|p| (p.strength(t), &p.span.does.mood));
        strong.max_by(|a, b| a.0.total_cmp(&b.0))
    };
    let often = |t: f64| {
        let next = heard.utterances.partition_point(|u| t >= u.end + 1.0);
        let talks = heard.utterances.get(next).is_some_and(|u| t > u.start - 1.0);
        let own = if talks { lids::TALKING } else { lids::LISTENING };
        let under = strongest(t).map_or(1.0, |(a, mood)| 1.0 + a * (mood::blink_rate(mood) - 1.0));
        own * under * blinks.rate
    };
    lids::plan(&lids::Plan {
        length,
        seed,
        rate,
        shape: blinks.shape,
        often: &often,
        liked: &liked,
        avoided: &parts.wide,
        shifts,
        half: if blinks.shape == BlinkShape::Natural { 0.12 } else { 0.0 },
        heavy: &|t| strongest(t).is_some_and(|(a, mood)| a > 0.3 && *mood == Mood::Sadness),
    })
}

/// Lips of the left side that go farther or less far than those of the right.
pub(super) const UNEVEN: [Control; 3] =
    [Control::LipsSpreadLeft, Control::LipUpperRaiseLeft, Control::LipLowerDropLeft];

/// How the sides drift apart: the lips of [`UNEVEN`], and the mouth as a whole.
fn uneven(samples: usize, seed: Seed) -> Vec<Vec<f64>> {
    let of = |name: &str, hz: f64| {
        let own = seed.name("mouth").name(name);
        (0..samples).map(|i| drift(own, i as f64 / HZ, hz, None)).collect()
    };
    UNEVEN.iter().map(|c| of(c.name(), 0.5)).chain([of("side", 0.6)]).collect()
}
