//! What every sound wants of every organ, and when.

use super::beats::{jaw_target, lively};
use super::musts::Must;
use super::noises;
use super::wish::{Factor, Wish};
use crate::aim::{Aim, Aspect};
use crate::organ::Organ;
use crate::sounds::{SpokenSound, aims};
use jam_score::diction::{EVERYDAY_OPENNESS, EVERYDAY_UPPER_LIP};
use jam_score::{Diction, Noise, NoiseKind, Phone, Timing};
use std::ops::Range;
use std::sync::Arc;

/// One wish: `organ` at a target during `start..end`, pulling by `weight`, and more softly for
/// `ahead` seconds before and `carry` seconds after.
#[derive(Debug, Clone, PartialEq)]
pub struct Goal {
    pub organ: Organ,
    pub start: f64,
    pub end: f64,
    pub wish: Wish,
    pub weight: f64,
    pub ahead: f64,
    pub carry: f64,
    /// Index of the sound that wants it.
    pub sound: usize,
}

/// Where inside a sound its target is wanted: windows with 0 for the start and 1 for the end of a
/// glide. Held sounds keep their shape until shortly before they end.
fn windows(sound: &SpokenSound, diction: &Diction) -> Vec<(f64, f64, usize)> {
    let (b, e, d) = (sound.start, sound.end, sound.length());
    let held = d > diction.hold.0;
    if sound.phone.is_glide() {
        if held {
            vec![(b + (0.12 * d).min(0.05), e - 0.13, 0), (e - 0.055, e - 0.02, 1)]
        } else if d < 0.12 {
            vec![(b + 0.28 * d, b + 0.55 * d, 0), (b + 0.80 * d, b + 0.95 * d, 1)]
        } else {
            vec![(b + 0.18 * d, b + 0.42 * d, 0), (b + 0.78 * d, b + 0.92 * d, 1)]
        }
    } else if sound.is_vowel() {
        if held {
            vec![(b + (0.25 * d).min(0.08), e - 0.06, 0)]
        } else {
            vec![(b + 0.32 * d, b + 0.62 * d, 0)]
        }
    } else if sound.phone.is_stop() {
        vec![(b + 0.1 * d, b + 0.6 * d, 0)]
    } else {
        vec![(b + 0.25 * d, b + 0.75 * d, 0)]
    }
}

/// Middle of the window in which a vowel's own jaw opening is wanted.
pub fn core_middle(sound: &SpokenSound, diction: &Diction) -> f64 {
    let (start, end, _) = windows(sound, diction)[0];
    0.5 * (start + end)
}

/// Goals of one organ that lie together: what some sounds one after the other want of it.
#[derive(Debug)]
pub struct Run {
    pub goals: Vec<Goal>,
    /// From where to where they may pull, seconds.
    pub from: f64,
    pub to: f64,
}

impl Run {
    pub fn of(goals: Vec<Goal>) -> Run {
        let from = goals.iter().map(|g| g.start - g.ahead).fold(f64::INFINITY, f64::min);
        let to = goals.iter().map(|g| g.end + g.carry).fold(f64::NEG_INFINITY, f64::max);
        Run { goals, from, to }
    }
}

/// All goals of one organ. What another state of the line has as well is shared with it.
pub type Runs = Arc<Vec<Arc<Run>>>;

/// Sounds whose goals lie together.
pub const TOGETHER: usize = 64;

/// What the sounds of a line want, and what that follows from.
#[derive(Debug)]
pub struct Gathered {
    /// In the order of [`Organ::ALL`]: the sounds' in their order, then what noises want and what must hold.
    pub runs: [Runs; Organ::ALL.len()],
    sounds: Vec<SpokenSound>,
    diction: Diction,
}

impl Gathered {
    /// Whether it has the goals of some sounds, as they are asked for now. They follow from those beside them, too, as far
    /// as the next vowel or pause.
    fn knows(&self, sounds: &[SpokenSound], own: &Range<usize>) -> bool {
        let marks = |s: &SpokenSound| s.is_vowel() || s.phone == Phone::Sil;
        let from = sounds[..own.start].iter().rposition(marks).unwrap_or(0);
        let beyond = sounds[own.end..].iter().position(marks);
        let to = beyond.map_or(sounds.len(), |k| own.end + k + 1);
        // The last sound of a line is not as others are.
        let ends_alike = to < sounds.len() || self.sounds.len() == sounds.len();
        ends_alike && self.sounds.get(from..to) == Some(&sounds[from..to])
    }

    /// About how much memory it takes beside the goals, which are shared with the ways, bytes.
    pub fn bytes(&self) -> usize {
        size_of_val(&self.sounds[..])
    }
}

struct Gatherer<'a> {
    sounds: &'a [SpokenSound],
    diction: &'a Diction,
    goals: [Vec<Goal>; Organ::ALL.len()],
}

/// Every goal of a line. Jaw beats must be marked. `like` is what was gathered for another state of it.
pub fn gather(
    sounds: &[SpokenSound],
    timing: &Timing,
    musts: &[Must],
    diction: &Diction,
    like: Option<&Gathered>,
) -> Gathered {
    let like = like.filter(|l| l.diction == *diction);
    let mut runs: [Vec<Arc<Run>>; Organ::ALL.len()] = Default::default();
    for (k, first) in (0..sounds.len()).step_by(TOGETHER).enumerate() {
        let own = first..(first + TOGETHER).min(sounds.len());
        if let Some(like) = like.filter(|l| l.knows(sounds, &own)) {
            runs.iter_mut().zip(&like.runs).for_each(|(runs, like)| runs.push(like[k].clone()));
            continue;
        }
        let mut all = Gatherer::new(sounds, diction);
        for i in own {
            if sounds[i].phone == Phone::Sil { all.pause(i) } else { all.sound(i) }
        }
        all.put(&mut runs, |_| None);
    }
    let mut all = Gatherer::new(sounds, diction);
    for (_, noise, kind, pause) in timing.noises_in_pauses() {
        all.noise(noise, kind, pause);
    }
    // Organs of the musts have goals of their own, so that the way to a closure is shaped by more
    // than its pins. Musts already carry the lead.
    for must in musts {
        let target = match must.organ {
            Organ::Tuck => 1.0,
            Organ::Out => 0.95,
            Organ::Seal if must.low.is_some() => 1.0,
            _ => continue,
        };
        let moves = must.organ.dynamics();
        all.goals[must.organ as usize].push(Goal {
            organ: must.organ,
            start: must.start,
            end: must.end,
            wish: Wish::of(target),
            weight: 1.0,
            ahead: moves.ahead,
            carry: moves.carry,
            sound: must.sound,
        });
    }
    // Mostly what they were.
    all.put(&mut runs, |organ| like.and_then(|l| l.runs[organ].last()));
    Gathered { runs: runs.map(Arc::new), sounds: sounds.to_vec(), diction: *diction }
}

impl<'a> Gatherer<'a> {
    fn new(sounds: &'a [SpokenSound], diction: &'a Diction) -> Gatherer<'a> {
        Gatherer { sounds, diction, goals: Default::default() }
    }

    /// Puts what was gathered behind what lies there already, as one run of each organ: one that is known, if it is the same.
    fn put<'r>(self, runs: &mut [Vec<Arc<Run>>], known: impl Fn(usize) -> Option<&'r Arc<Run>>) {
        for (organ, (goals, runs)) in self.goals.into_iter().zip(runs).enumerate() {
            let same = known(organ).filter(|known| known.goals == goals);
            runs.push(same.cloned().unwrap_or_else(|| Arc::new(Run::of(goals))));
        }
    }

    fn add(&mut self, organ: Organ, window: (f64, f64), target: f64, weight: f64, sound: usize) {
        self.add_wish(organ, window, Wish::of(target), weight, sound);
    }

    fn add_wish(&mut self, organ: Organ, window: (f64, f64), wish: Wish, weight: f64, sound: usize) {
        self.add_reaching(organ, window, wish, weight, sound, (1.0, 1.0));
    }

    /// `flanks` scales how far the goal reaches ahead and carries on.
    fn add_reaching(
        &mut self,
        organ: Organ,
        (start, end): (f64, f64),
        wish: Wish,
        weight: f64,
        sound: usize,
        flanks: (f64, f64),
    ) {
        let moves = organ.dynamics();
        let lead = self.diction.lead.0;
        self.goals[organ as usize].push(Goal {
            organ,
            start: start - lead,
            end: end - lead,
            wish,
            weight,
            ahead: moves.ahead * flanks.0,
            carry: moves.carry * flanks.1 + self.diction.linger.0,
            sound,
        });
    }

    /// A pause relaxes the face. Before long ones end the mouth opens for a breath; lips that closed
    /// for a sound stay closed instead of opening to a rest first.
    fn pause(&mut self, i: usize) {
        const REST: [Organ; 10] = [
            Organ::Jaw,
            Organ::Round,
            Organ::Protrude,
            Organ::Spread,
            Organ::Upper,
            Organ::Lower,
            Organ::Press,
            Organ::Tip,
            Organ::Back,
            Organ::Wide,
        ];
        let pause = &self.sounds[i];
        let (first, last) = (i == 0, i + 1 == self.sounds.len());
        let (b, e, d) = (pause.start, pause.end, pause.length());
        if d < 0.06 {
            return;
        }
        let whole = (
            b + if first { 0.0 } else { (0.4 * d).min(0.10) },
            e - if last { 0.0 } else { (0.4 * d).min(0.12) },
        );
        let long = d > 0.20 || first || last;
        for organ in REST {
            let target = match organ {
                Organ::Jaw if first || last => 0.0,
                Organ::Jaw if long => 0.02,
                Organ::Jaw => 0.08,
                _ => 0.0,
            };
            self.add(organ, whole, target, if long { 0.6 } else { 0.2 }, i);
        }
        let before_seal = !last && self.sounds[i + 1].is_seal();
        let after_seal = !first && self.sounds[i - 1].is_seal();
        let breath = !last && d > 0.30;
        let mut seal =
            |window, target| self.add_reaching(Organ::Seal, window, Wish::of(target), 0.5, i, (0.0, 0.0));
        if first || last || d > 0.25 {
            let start = if first { b } else { b + 0.12 };
            let end = if last { e } else { e - if breath { 0.26 } else { 0.06 } };
            seal((start, end), if first || last { 1.0 } else { 0.6 });
        }
        if before_seal && !breath {
            seal((b + 0.5 * d, e), 1.0);
        }
        if after_seal {
            seal((b, b + (0.5 * d).min(0.12)), 1.0);
        }
        if breath {
            self.add_reaching(Organ::Jaw, (e - 0.24, e - 0.10), Wish::of(0.12), 1.2, i, (0.9, 0.5));
            self.add_reaching(Organ::Lower, (e - 0.24, e - 0.09), Wish::of(0.05), 0.6, i, (0.5, 0.5));
        }
    }

    /// What is heard in a pause and no word.
    fn noise(&mut self, noise: &Noise, kind: NoiseKind, pause: usize) {
        let reach = self.sounds[pause].reach;
        for one in noises::wanted(kind, noise.span.length().0) {
            let window = (noise.span.start.0 + one.window.0, noise.span.start.0 + one.window.1);
            let wish = Wish::of(one.target).scaled(Factor::Reach, reach).limited(1.0);
            self.add_reaching(one.organ, window, wish, one.weight, pause, (0.6, 0.6));
        }
    }

    fn sound(&mut self, i: usize) {
        let sound = self.sounds[i].clone();
        let diction = self.diction;
        let crisp = if sound.is_vowel() { 1.0 } else { diction.crispness };
        let openness = diction.openness / EVERYDAY_OPENNESS;
        let lips = [(Factor::Lips, diction.lips)];
        // Drawing the lips apart goes with the openness, too.
        let parting = |share: f64, everyday: f64| {
            [(Factor::Lips, diction.lips * share / everyday), (Factor::Openness, 0.6 + 0.4 * openness)]
        };
        let (mut narrows, mut tucks) = (false, false);
        for aim in aims(sound.shape) {
            match aim.aspect {
                Aspect::Jaw => self.jaw(i, aim.weight * crisp),
                Aspect::Narrow => {
                    narrows = true;
                    self.shape(i, Organ::Seal, aim, (1.0, &[]), 1.0);
                }
                Aspect::Part => {
                    let (upper, usual) = (2.0 * diction.upper_lip_share, 2.0 * EVERYDAY_UPPER_LIP);
                    self.shape(i, Organ::Upper, aim, (usual, &parting(upper, usual)), crisp);
                    let (lower, usual) = (2.0 - upper, 2.0 - usual);
                    self.shape(i, Organ::Lower, aim, (usual, &parting(lower, usual)), crisp);
                }
                Aspect::Round | Aspect::Protrude | Aspect::Spread => {
                    if let Some(organ) = aim.aspect.organ() {
                        self.shape(i, organ, aim, (1.0, &lips), crisp);
                    }
                }
                Aspect::Tuck => {
                    tucks = true;
                    self.shape(i, Organ::Tuck, aim, (1.0, &[]), 1.0);
                }
                Aspect::Press | Aspect::Tip | Aspect::Back | Aspect::Wide => {
                    if let Some(organ) = aim.aspect.organ() {
                        self.shape(i, organ, aim, (1.0, &[]), crisp);
                    }
                }
            }
        }
        let (b, e, d) = (sound.start, sound.end, sound.length());
        if sound.is_tuck() {
            self.add_wish(Organ::Upper, (b, e), self.bared(i), 1.0, i);
            self.add(Organ::Lower, (b, e), 0.0, 1.0, i);
        }
        // Organs that few sounds use: all others want them away, in their core.
        for (organ, owned) in [
            (Organ::Seal, sound.is_seal() || narrows),
            (Organ::Tuck, sound.is_tuck() || tucks),
            (Organ::Out, sound.is_tongue()),
        ] {
            if !owned && !aims(sound.shape).is_empty() {
                let weight = if sound.is_vowel() { 1.6 } else { 0.4 };
                self.add_reaching(organ, (b + 0.25 * d, e - 0.25 * d), Wish::of(0.0), weight, i, (0.0, 0.0));
            }
        }
    }

    /// How far the upper lip leaves the teeth for F and V: hardly in a murmur or in a hurry, plainly in a shout. By the
    /// louder vowel beside it, its own length and the line's openness; found by looking, no source.
    fn bared(&self, i: usize) -> Wish {
        let beside = [i.checked_sub(1), Some(i + 1)].into_iter().flatten().filter_map(|k| self.sounds.get(k));
        let loudest = beside.filter(|s| s.is_vowel()).map(|s| s.loudness).fold(f64::NEG_INFINITY, f64::max);
        let louder = if loudest.is_finite() { (loudest / 12.0).clamp(-0.4, 0.5) } else { 0.0 };
        let slow = ((self.sounds[i].length() - 0.05) / 0.10).clamp(0.2, 1.0);
        let own = 0.08 + 0.10 * slow;
        Wish::of(own)
            .scaled(Factor::Loudness, 1.0 + 0.20 * louder * slow / own)
            .scaled(Factor::Openness, self.diction.openness / EVERYDAY_OPENNESS)
    }

    /// A lip or tongue shape, so much of the aim and then by what scales it; single values hold over most of a glide.
    fn shape(&mut self, i: usize, organ: Organ, aim: &Aim, scale: (f64, &[(Factor, f64)]), weight: f64) {
        let sound = &self.sounds[i];
        let (b, d) = (sound.start, sound.length());
        let spans = windows(sound, self.diction);
        let reach = sound.reach;
        let wish = |target: f64| {
            let scaled = |wish: Wish, (factor, by): &(Factor, f64)| wish.scaled(*factor, *by);
            scale.1.iter().fold(Wish::of(scale.0 * target), scaled).scaled(Factor::Reach, reach).limited(1.0)
        };
        if aim.start != aim.end {
            for (start, end, which) in spans {
                let (target, share) = if which == 0 { (aim.start, 1.0) } else { (aim.end, 0.8) };
                self.add_wish(organ, (start, end), wish(target), aim.weight * weight * share, i);
            }
            return;
        }
        let tongue = matches!(organ, Organ::Tip | Organ::Back | Organ::Wide);
        let window = if sound.phone.is_glide() && !tongue {
            (b + 0.2 * d, b + 0.85 * d)
        } else {
            (spans[0].0, spans[spans.len() - 1].1)
        };
        self.add_wish(organ, window, wish(aim.start), aim.weight * weight, i);
    }

    fn jaw(&mut self, i: usize, weight: f64) {
        let sound = self.sounds[i].clone();
        let spans = windows(&sound, self.diction);
        if sound.is_vowel() {
            let lively = lively(self.diction);
            let weight = weight * if sound.owns_beat { 1.7 - 0.3 * lively } else { 0.55 * lively };
            for (start, end, which) in spans {
                let wish = jaw_target(&sound, self.diction, which == 1);
                self.add_wish(Organ::Jaw, (start, end), wish, weight * if which == 0 { 1.0 } else { 0.7 }, i);
            }
            return;
        }
        let openness = self.diction.openness / EVERYDAY_OPENNESS;
        let scale = if sound.is_teeth() { 1.0 } else { 0.55 + 0.45 * openness };
        let wish = jaw_target(&sound, self.diction, false).scaled(Factor::Openness, scale);
        let window = (spans[0].0, spans[spans.len() - 1].1);
        self.add_wish(Organ::Jaw, window, wish, weight * (1.0 + lively(self.diction)) * self.ride(i), i);
    }

    /// A consonant beside a vowel without a beat of its own pulls the jaw less: the syllables merge.
    fn ride(&self, i: usize) -> f64 {
        let marks = |s: &&SpokenSound| s.is_vowel() || s.phone == Phone::Sil;
        let before = self.sounds[..i].iter().rev().find(marks);
        let after = self.sounds[i + 1..].iter().find(marks);
        let beats = |s: Option<&SpokenSound>| s.is_none_or(|s| s.phone == Phone::Sil || s.owns_beat);
        if beats(before) && beats(after) { 1.0 } else { lively(self.diction) }
    }
}
