//! The mouth from the sounds: which vowels own a jaw beat ([`beats`]), what every sound wants of every organ ([`goals`])
//! what a laugh or a breath does ([`noises`]) and what must hold whatever the rest wants ([`musts`]), one smooth trajectory an organ ([`trajectory`]).

pub mod beats;
pub mod goals;
pub mod musts;
pub mod noises;
pub mod trajectory;
mod wish;

use crate::curves::{Curves, HZ, peak_near};
use crate::organ::Organ;
use crate::sounds::{SpokenSound, spoken};
use crate::track::Track;
use goals::{Gathered, Run, Runs, TOGETHER};
use jam_score::{Diction, FrameRate, Reach, Seconds, Timing};
use musts::Must;
use std::cmp::Ordering;
use std::sync::Arc;
pub(crate) use trajectory::Source;
use trajectory::{Limits, Opened, Solved, limits};
pub(crate) use wish::Factor;

/// Passes that move the goals of jaw beats against the error of their peaks. Over the demo's twelve lines
/// two, three and four passes leave 2, 1 and 2 of 78 beats more than half a frame off: vowels held
/// between two rules for the jaw, which more passes only push to and fro.
const ALIGN_PASSES: usize = 3;

/// How far a maximum of the jaw stands out to be seen as an opening.
const OPENING: f32 = 0.10;

/// All that a line's sounds want of the mouth, solved.
pub(crate) struct Articulation {
    /// Earlier by the diction's lead.
    pub sounds: Vec<SpokenSound>,
    pub musts: Vec<Must>,
    pub ways: Ways,
}

/// All that was solved for a line, one after the other, and the curves that came of it: what of it another state of the line
/// solves likewise, it takes over.
#[derive(Debug, Clone, Default)]
pub(crate) struct Ways {
    goals: Option<Arc<Gathered>>,
    all: Vec<Solved>,
    /// Where the jaw opens, each time that was asked.
    opened: Vec<Opened>,
    /// The last one of each organ with its curve, in the order of [`Organ::ALL`].
    curves: Vec<(Solved, Track)>,
}

impl Ways {
    /// About how much memory they take, bytes.
    pub fn bytes(&self) -> usize {
        self.goals.as_ref().map_or(0, |g| g.bytes())
            + self.all.iter().map(Solved::bytes).sum::<usize>()
            + self.curves.iter().map(|(_, curve)| curve.bytes()).sum::<usize>()
    }

    /// An organ's way as a curve; what of it is as before is taken over.
    fn curve(&self, organ: Organ, solved: &Solved, samples: usize) -> Track {
        let before = self.curves.get(organ as usize).map(|(way, curve)| (curve, solved.differs(way)));
        Track::made(samples, before, |i| solved.at(i) as f32)
    }
}

/// Solves the ways of a line.
struct Solver<'a> {
    diction: &'a Diction,
    samples: usize,
    like: &'a Ways,
    made: Vec<Solved>,
}

impl Solver<'_> {
    fn solve(&mut self, organ: Organ, goals: &Runs, limits: &Limits) -> Solved {
        let like = self.like.all.get(self.made.len());
        let way = Solved::new(organ, goals, limits, self.samples, self.diction, like);
        self.made.push(way.clone());
        way
    }
}

impl Articulation {
    /// `samples` grid points; none without sounds.
    fn new(
        timing: &Timing,
        reaches: &[Reach],
        diction: &Diction,
        rate: FrameRate,
        samples: usize,
        sure: &dyn Fn(usize) -> bool,
        like: &Ways,
    ) -> Option<Articulation> {
        let mut sounds = spoken(timing, reaches, (samples - 1) as f64 / HZ);
        if sounds.is_empty() {
            return None;
        }
        beats::mark(&mut sounds, diction);
        let mut musts = musts::gather(&sounds, diction, rate);
        let goals = Arc::new(goals::gather(&sounds, timing, &musts, diction, like.goals.as_deref()));
        // What is not sure is aimed at as anything else, and need not be reached.
        musts.retain(|m| sure(m.sound));
        let mut solver = Solver { diction, samples, like, made: Vec::new() };
        let own = |organ: Organ| &goals.runs[organ as usize];
        let within = limits(&musts);
        let mut jaw = aligned_jaw(&sounds, own(Organ::Jaw), &within[Organ::Jaw as usize], &mut solver);
        let mut solved: Vec<Solved> =
            Organ::ALL.iter().skip(1).map(|o| solver.solve(*o, own(*o), &within[*o as usize])).collect();
        // Last, since nobody knows how often.
        let mut opened: Vec<Opened> = Vec::new();
        loop {
            let now = jaw.opened(OPENING, like.opened.get(opened.len()));
            let kept = opened_too_often(&now.times(), &sounds, &jaw, &musts, diction);
            opened.push(now);
            if kept.is_empty() {
                break;
            }
            musts.extend(kept);
            jaw = solver.solve(Organ::Jaw, jaw.runs(), &limits(&musts)[Organ::Jaw as usize]);
        }
        solved.insert(0, jaw);
        for sound in &mut sounds {
            sound.start -= diction.lead.0;
            sound.end -= diction.lead.0;
        }
        let curved = |(organ, solved): (&Organ, Solved)| {
            let curve = like.curve(*organ, &solved, samples);
            (solved, curve)
        };
        let curves = Organ::ALL.iter().zip(solved).map(curved).collect();
        let ways = Ways { goals: Some(goals), all: solver.made, opened, curves };
        Some(Articulation { sounds, musts, ways })
    }

    pub fn organ(&self, organ: Organ) -> &Solved {
        &self.ways.curves[organ as usize].0
    }
}

/// How far beside its sound the peak of a beat is looked for, seconds.
const PEAK: f64 = 0.05;

/// The jaw with every beat's peak on its sound. Held vowels are left alone: the maximum of a
/// plateau is noise.
fn aligned_jaw(sounds: &[SpokenSound], goals: &Runs, limits: &Limits, solver: &mut Solver<'_>) -> Solved {
    let hold = solver.diction.hold.0;
    let beats = |sound: &SpokenSound| sound.owns_beat && sound.length() <= hold;
    let mut solved = solver.solve(Organ::Jaw, goals, limits);
    for pass in 0..ALIGN_PASSES {
        let samples = solved.samples();
        // Goals that are shared with another state of the line are moved as there, where the curve is the same, too.
        let like = solver.like.all.get(pass).zip(solver.like.all.get(pass + 1));
        let like = like.filter(|(was, _)| was.samples() == samples);
        let differs = like.map(|(was, _)| solved.differs(was));
        let moved_there = |k: usize, run: &Arc<Run>| {
            let (was, then) = like?;
            let own = sounds.get(k * TOGETHER..((k + 1) * TOGETHER).min(sounds.len()))?;
            let (first, last) = (own.first()?, own.last()?);
            let read =
                (((first.start - PEAK) * HZ - 2.0) as usize)..(((last.end + PEAK) * HZ + 3.0) as usize);
            let same =
                differs.as_ref().is_some_and(|d| d.is_empty() || d.start >= read.end || d.end <= read.start);
            let shared = Arc::ptr_eq(was.runs().get(k)?, run);
            (same && shared).then(|| then.runs().get(k).cloned()).flatten()
        };
        let moved = |(k, (run, first)): (usize, (&Arc<Run>, &Arc<Run>))| {
            if let Some(there) = moved_there(k, run) {
                return there;
            }
            let mut goals = run.goals.clone();
            let mut before = None;
            for (goal, first) in goals.iter_mut().zip(&first.goals) {
                let sound = &sounds[goal.sound];
                // The first goal of a sound is its beat's.
                if before.replace(goal.sound) == Some(goal.sound) || !beats(sound) {
                    continue;
                }
                let wanted = 0.5 * (first.start + first.end);
                let (from, to) = (sound.start - PEAK, sound.end + PEAK);
                if let Some(peak) = peak_near(|i| solved.at(i), samples, wanted, from, to) {
                    let shift = (0.9 * (wanted - peak)).clamp(-0.02, 0.02);
                    goal.start = (goal.start + shift).max(wanted - 0.07);
                    goal.end = (goal.end + shift).max(goal.start + 0.01);
                }
            }
            Arc::new(Run::of(goals))
        };
        let runs = Arc::new(solved.runs().iter().zip(goals.iter()).enumerate().map(moved).collect());
        solved = solver.solve(Organ::Jaw, &runs, limits);
    }
    solved
}

/// Seconds within which what is kept down may change the jaw.
const NEAR: f64 = 2.0;

/// The jaw beats of a diction are so many openings a second at most, whatever is said: of too many in one second, the
/// smallest is kept down, one without a beat of its own before those with one; of seconds near each other, in the first
/// only, since that may be enough. None if there are no more than that.
fn opened_too_often(
    times: &[f64],
    sounds: &[SpokenSound],
    jaw: &Solved,
    musts: &[Must],
    diction: &Diction,
) -> Vec<Must> {
    let most = diction.beat.ceil() as usize;
    let lead = diction.lead.0;
    let last = jaw.samples() - 1;
    let at = |t: f64| f64::from(jaw.at(((t * HZ).round() as usize).min(last)) as f32);
    let said = |t: f64| {
        let i = sounds.partition_point(|s| s.end <= t + lead);
        sounds.get(i).filter(|s| t + lead >= s.start).map(|_| i)
    };
    let mut kept: Vec<Must> = Vec::new();
    for second in times.windows(most + 1).filter(|w| w[most] - w[0] < 1.0) {
        if kept.last().is_some_and(|k| second[0] < k.end + NEAR) {
            continue;
        }
        let free = second.iter().filter_map(|t| Some((said(*t)?, *t))).filter(|(i, _)| {
            let is_kept = |m: &Must| m.organ == Organ::Jaw && m.sound == *i;
            sounds[*i].is_vowel() && !musts.iter().any(is_kept)
        });
        let rank = |(i, t): &(usize, f64)| (sounds[*i].owns_beat, at(*t));
        let smallest = free.min_by(|a, b| rank(a).partial_cmp(&rank(b)).unwrap_or(Ordering::Equal));
        // Where nothing can be kept down any more, the next second may still have something.
        let Some((sound, time)) = smallest else { continue };
        let (start, end) = (sounds[sound].start - lead, sounds[sound].end - lead);
        // Not more than it is open at the vowel's ends, and a little.
        let high = at(start).min(at(end)) + 0.5 * f64::from(OPENING);
        kept.push(Must {
            organ: Organ::Jaw,
            start: start.min(time),
            end: end.max(time),
            low: None,
            high: Some(high),
            sound,
        });
    }
    kept
}

/// The mouth, and what the sounds want that makes it so. The rules of sounds of which nobody is `sure` are left out.
/// `like` is what another state of the line was solved by.
pub(crate) fn articulate(
    timing: &Timing,
    diction: &Diction,
    reaches: &[Reach],
    rate: FrameRate,
    tail: Seconds,
    sure: &dyn Fn(usize) -> bool,
    like: &Ways,
) -> (Curves, Option<Articulation>) {
    let mut face = Curves::at_rest(timing.end() + tail);
    let articulation = Articulation::new(timing, reaches, diction, rate, face.len(), sure, like);
    if let Some(articulation) = &articulation {
        for (organ, (_, curve)) in Organ::ALL.iter().zip(&articulation.ways.curves) {
            for control in organ.controls() {
                face.set(*control, curve.clone());
            }
        }
    }
    (face, articulation)
}
