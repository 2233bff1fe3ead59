//! The performance of a line: every control as a sampled curve.

use crate::curves::{Curves, HZ, hull, limit, place};
use crate::layers::{self, Guard, HEAD, Made, Scene, Told, beside};
use crate::links;
use crate::mouth::{Articulation, Ways, articulate};
use crate::organ::Organ;
use crate::track::Track;
use crate::why::Trace;
use jam_score::diction::Drive;
use jam_score::keys;
use jam_score::{
    Control, Diction, FrameRate, Hands, Laid, LaidTouch, LayerKind, Line, Prosody, Region, Seconds, Timing,
};
use std::borrow::Cow;
use std::collections::BTreeMap;
use std::ops::Range;
use std::sync::{Arc, Mutex, PoisonError};

/// Sampled curves of every control, from time zero, and touches over them.
#[derive(Debug, Clone, PartialEq)]
pub struct Performance {
    curves: Curves,
    /// What the curves of touched controls would be without touches.
    automatic: BTreeMap<Control, Track>,
    hands: Hands,
    guard: Option<Arc<Guard>>,
    /// What the guard leaves of controls that passes move.
    held: BTreeMap<Control, Arc<Held>>,
    live: Live,
    told: Arc<Told>,
}

/// What the guard leaves of controls that are performed live: worked out over the whole line when a control is first
/// performed, not with every picture.
#[derive(Debug, Default)]
struct Live(Mutex<BTreeMap<Control, Arc<Held>>>);

/// A copy may be changed, so it starts without.
impl Clone for Live {
    fn clone(&self) -> Live {
        Live::default()
    }
}

/// It follows from the curves.
impl PartialEq for Live {
    fn eq(&self, _: &Live) -> bool {
        true
    }
}

/// What of a control a pass may have: a share of its own, and limits that always hold.
#[derive(Debug, PartialEq)]
struct Held {
    allowed: Option<Track>,
    low: Track,
    high: Track,
}

impl Held {
    /// `like` is what is left in another state of the line, and the samples in which this one may differ from that.
    fn of(guard: &Guard, control: Control, automatic: &Track, like: Option<(&Held, Range<usize>)>) -> Held {
        let n = guard.len();
        let like = like.filter(|(held, _)| held.low.len() == n);
        let within = like.as_ref().map_or(0..n, |(_, within)| within.clone());
        // What is allowed follows from more than what is there.
        let wide = beside(&within, n);
        let inside = within.start - wide.start..within.end - wide.start;
        let own = |values: Vec<f32>, before: Option<&Track>| {
            Track::over(before, &within, values[inside.clone()].to_vec())
        };
        let (low, high) = control.range();
        let spoken = if automatic.is_empty() { Vec::new() } else { automatic.part(&wide) };
        let limits = guard.limits(control, &spoken, &wide);
        let limits = limits.unwrap_or_else(|| vec![(low, high); wide.len()]);
        let allowed = guard.allowed(control, &wide);
        let allowed = allowed.map(|a| a.iter().map(|x| *x as f32).collect::<Vec<f32>>());
        let like = like.map(|(held, _)| held);
        Held {
            allowed: allowed.map(|a| own(a, like.and_then(|l| l.allowed.as_ref()))),
            low: own(limits.iter().map(|l| l.0.min(l.1)).collect(), like.map(|l| &l.low)),
            high: own(limits.iter().map(|l| l.1).collect(), like.map(|l| &l.high)),
        }
    }

    /// Of a value that a pass made of another, what is left.
    fn keep(&self, before: f64, after: f64, time: Seconds) -> f64 {
        let allowed = self.allowed.as_ref().map_or(1.0, |a| f64::from(a.read(time)));
        let value = before + allowed * (after - before);
        value.clamp(f64::from(self.low.read(time)), f64::from(self.high.read(time)))
    }
}

impl Performance {
    /// Curves without guard and touches.
    pub(crate) fn plain(curves: Curves) -> Performance {
        Performance {
            curves,
            automatic: BTreeMap::new(),
            hands: Hands::default(),
            guard: None,
            held: BTreeMap::new(),
            live: Live::default(),
            told: Arc::default(),
        }
    }

    /// Curves on which no sound has a claim, and what the layers did.
    pub(crate) fn unguarded(curves: Curves, told: Told) -> Performance {
        Performance { told: Arc::new(told), ..Performance::plain(curves) }
    }

    /// Its curves with everything on them.
    pub(crate) fn curves(&self) -> &Curves {
        &self.curves
    }

    /// Samples a curve.
    pub fn len(&self) -> usize {
        self.curves.len()
    }

    pub fn is_empty(&self) -> bool {
        self.curves.is_empty()
    }

    /// The sampled curve of a control; none where it rests at 0 throughout.
    pub fn curve(&self, control: Control) -> Option<&Track> {
        self.curves.curve(control)
    }

    /// A control's value in sample `i`.
    pub fn sample(&self, control: Control, i: usize) -> f32 {
        self.curves.sample(control, i)
    }

    /// What the layers did: blinks, gaze, wide-eyed words.
    pub fn told(&self) -> &Told {
        &self.told
    }

    /// A touch over a value; one of a pass only as far as the guard lets it.
    fn over(&self, touch: &LaidTouch, value: f64, time: f64) -> f64 {
        let whole = touch.over(value, time);
        let plays = self.hands.plays(time);
        let with = if plays == 1.0 { whole } else { value + plays * (whole - value) };
        match self.held.get(&touch.control) {
            Some(held) if touch.guarded && with != value => held.keep(value, with, Seconds(time)),
            _ => with,
        }
    }

    /// Lays the touches of some controls over their curves. What the guard leaves of a control is taken over from `like`,
    /// whose guard may differ in some samples, where its curve is the same.
    fn lay(&mut self, controls: &[Control], like: Option<(&Performance, Range<usize>)>) {
        for &control in controls {
            let own: Vec<&LaidTouch> = self.hands.touches.iter().filter(|t| t.control == control).collect();
            if own.is_empty() {
                continue;
            }
            let curve = self.curves.whole(control);
            let (low, high) = control.range();
            let guarded = own.iter().any(|t| t.guarded);
            if let Some(guard) = self.guard.as_ref().filter(|_| guarded) {
                let kept = like.as_ref().and_then(|(l, differs)| {
                    let (held, before) = (l.held.get(&control)?, l.automatic.get(&control)?);
                    let own = curve.differs(before);
                    Some((held, hull(&own, differs)))
                });
                let held = match kept {
                    Some((held, differs)) if differs.is_empty() => held.clone(),
                    kept => {
                        let kept = kept.map(|(held, differs)| (&**held, beside(&differs, guard.len())));
                        Arc::new(Held::of(guard, control, &curve, kept))
                    }
                };
                self.held.insert(control, held);
            }
            let reach = |touch: &&LaidTouch| {
                let (from, to) = touch.reach();
                let to = (to * HZ).ceil().max(0.0) as usize + 1;
                let to = to.min(self.len());
                ((from * HZ).floor().max(0.0) as usize).min(to)..to
            };
            let inside = curve.iter().all(|v| (low..=high).contains(v));
            let all = own.iter().map(reach).fold(0..0, |all, one| hull(&all, &one));
            let all = if inside { all } else { 0..curve.len() };
            let mut laid = curve.part(&all);
            for touch in own {
                for i in reach(&touch) {
                    let value = &mut laid[i - all.start];
                    *value = self.over(touch, f64::from(*value), i as f64 / HZ) as f32;
                }
            }
            laid.iter_mut().for_each(|v| *v = v.clamp(low, high));
            let laid = curve.with(&all, &laid);
            self.automatic.insert(control, curve);
            self.curves.set(control, laid);
        }
    }

    /// The whole face of a mouth: touches laid over it, and the skin, which follows the mouth as hands left it;
    /// touches of what follows come last. `like` is another face, and what hands made of it: what is the same is not worked
    /// out again.
    #[must_use]
    pub fn by_hand(&self, hands: Hands, like: Option<(&Performance, &Performance)>) -> Performance {
        let mut face = Performance { hands, ..self.clone() };
        let like = like.filter(|(other, _)| other.len() == self.len());
        let guards = |other: &Performance| match (&self.guard, &other.guard) {
            (Some(own), Some(their)) if Arc::ptr_eq(own, their) => 0..0,
            (Some(own), Some(their)) if own.len() == their.len() => own.differs(their),
            _ => 0..self.len(),
        };
        // Only passes ask what the guard leaves.
        let asked = face.hands.touches.iter().any(|t| t.guarded);
        let same = like.filter(|_| asked).map(|(other, made)| (made, guards(other)));
        let (linked, others): (Vec<Control>, Vec<Control>) =
            Control::ALL.iter().partition(|c| links::of(**c).is_some());
        face.lay(&HEAD, same.clone());
        face.eyes_follow();
        let others: Vec<Control> = others.into_iter().filter(|c| !HEAD.contains(c)).collect();
        face.lay(&others, same.clone());
        for &control in &linked {
            let Some(link) = links::of(control) else { continue };
            if !link.gains.iter().any(|(from, _)| face.curve(*from).is_some()) {
                continue;
            }
            let (low, high) = control.range();
            let joined = |i: usize| {
                let skin = link.value(|c| face.sample(c, i));
                links::joined(face.sample(control, i), skin).clamp(low, high)
            };
            let followed: Vec<Control> = link.gains.iter().map(|(c, _)| *c).chain(link.with).collect();
            let kept = like.map(|(other, made)| {
                let own = self.curves.differs(&other.curves, &[control]);
                let changed = hull(&face.curves.differs(&made.curves, &followed), &own);
                (made.before_touches(control), changed)
            });
            let curve = Track::made(face.len(), kept, joined);
            face.curves.set(control, curve);
        }
        face.lay(&linked, same);
        face
    }

    /// A control's curve without touches, to be shared.
    fn before_touches(&self, control: Control) -> &Track {
        self.automatic.get(&control).unwrap_or_else(|| self.curves.track(control))
    }

    /// The controls that differ from another performance of the same length, and in which samples each does: from the
    /// first to the last.
    pub fn differs_from(&self, other: &Performance) -> Vec<(Control, Range<usize>)> {
        let differs = |c: &Control| (*c, self.curves.differs(&other.curves, std::slice::from_ref(c)));
        Control::ALL.iter().map(differs).filter(|(_, at)| !at.is_empty()).collect()
    }

    /// Where hands turned the head, the eyes stay on their mark.
    fn eyes_follow(&mut self) {
        let moved = |c: &Control| self.automatic.get(c).map(|b| self.curves.track(*c).differs(b));
        let within = HEAD[..2].iter().filter_map(moved).fold(0..0, |all, one| hull(&all, &one));
        let turned = |control: Control| -> Vec<f64> {
            let before = self.automatic.get(&control);
            let by = |i: usize| before.map_or(0.0, |b| f64::from(self.sample(control, i) - b[i]));
            within.clone().map(by).collect()
        };
        if !within.is_empty() {
            let turned = [turned(Control::HeadYaw), turned(Control::HeadPitch)];
            layers::follow(&mut self.curves, &self.told, &within, &turned);
        }
    }

    /// What a control's curve is without touches, if it has some.
    pub fn untouched(&self, control: Control) -> Option<&Track> {
        self.automatic.get(&control)
    }

    /// A control's value at any time, the first and last value beyond the ends. Touches are exact at any time, so a
    /// key on a frame is met on that frame.
    pub fn value(&self, control: Control, time: Seconds) -> f32 {
        let Some(automatic) = self.automatic.get(&control) else {
            return self.curves.value(control, time);
        };
        let (low, high) = control.range();
        let own = self.hands.touches.iter().filter(|t| t.control == control);
        let value = own.fold(f64::from(automatic.read(time)), |value, touch| self.over(touch, value, time.0));
        (value as f32).clamp(low, high)
    }

    /// A control's value without touches, at any time.
    pub fn automatic(&self, control: Control, time: Seconds) -> f32 {
        self.before_touches(control).read(time)
    }

    /// What touches do to a control at a time: its value without any, and what each adds, by number, in order.
    pub(crate) fn touched(&self, control: Control, time: Seconds) -> (f64, Vec<(u32, f64)>) {
        let automatic = f64::from(self.automatic(control, time));
        let mut value = automatic;
        let mut added = Vec::new();
        for touch in self.hands.touches.iter().filter(|t| t.control == control) {
            let with = self.over(touch, value, time.0);
            added.push((touch.id, with - value));
            value = with;
        }
        (automatic, added)
    }

    fn held_live(&self, guard: &Guard, control: Control) -> Arc<Held> {
        let mut live = self.live.0.lock().unwrap_or_else(PoisonError::into_inner);
        let new = || Arc::new(Held::of(guard, control, self.curves.track(control), None));
        live.entry(control).or_insert_with(new).clone()
    }

    /// All controls at a time while some are performed live: what is performed is added or takes the place of what is
    /// played, as far as the guard lets it.
    pub fn performed(&self, time: Seconds, laid: Laid, live: &[(Control, f32)]) -> Vec<f32> {
        let mut face = self.face_at(time);
        for (control, value) in live.iter().filter(|(_, v)| v.is_finite()) {
            let before = f64::from(face[*control as usize]);
            let after = if laid == Laid::Add { before + f64::from(*value) } else { f64::from(*value) };
            let kept = match &self.guard {
                Some(guard) => self.held_live(guard, *control).keep(before, after, time),
                None => after,
            };
            let (low, high) = control.range();
            face[*control as usize] = (kept as f32).clamp(low, high);
        }
        face
    }

    /// All controls at a time, in the order of [`Control::ALL`].
    pub fn face_at(&self, time: Seconds) -> Vec<f32> {
        Control::ALL.iter().map(|c| self.value(*c, time)).collect()
    }
}

/// Curves of every control for a line's sounds, and `tail` of rest after the recording: the mouth and what the skin
/// does along with it, without other layers.
///
/// `rate` is the frame rate it will be shown at: every seal, tuck, tongue and closed-teeth rule holds
/// on at least one frame of that rate, whatever the phase of the grid.
pub fn perform(timing: &Timing, diction: &Diction, rate: FrameRate, tail: Seconds) -> Performance {
    perform_heard(timing, diction, rate, tail, &|_| true)
}

/// The same of sounds that were heard and not looked at by anybody: the rules of those that are not `sure`, by their place,
/// are only aimed at.
pub fn perform_heard(
    timing: &Timing,
    diction: &Diction,
    rate: FrameRate,
    tail: Seconds,
    sure: &dyn Fn(usize) -> bool,
) -> Performance {
    let (face, _) = articulate(timing, diction, &[], rate, tail, sure, &Ways::default());
    Performance::plain(face).by_hand(Hands::default(), None)
}

/// What was worked out for a state of a line: another one takes over what is the same in both.
#[derive(Debug, Clone, Default)]
pub(crate) struct Worked {
    ways: Ways,
    pub heard: Arc<Prosody>,
    made: Option<Arc<Made>>,
}

impl Worked {
    /// About how much memory it takes, beside the voice and the curves of the face, bytes.
    pub fn bytes(&self) -> usize {
        self.ways.bytes() + self.made.as_ref().map_or(0, |m| m.bytes())
    }
}

/// A line with its layers once through, what its sounds want, and what was worked out for it.
pub(crate) struct Layered {
    pub face: Performance,
    pub mouth: Option<Articulation>,
    pub worked: Worked,
}

/// A line with its layers once through, from what was worked out for another state of it; notes what the layers made of
/// the moment that is traced.
pub(crate) fn layered(
    line: &Line,
    heard: &Arc<Prosody>,
    rate: FrameRate,
    tail: Seconds,
    like: &Worked,
    mut trace: Option<&mut Trace>,
) -> Option<Layered> {
    let timing = line.timing.as_ref()?;
    let (mut face, mut articulation) =
        articulate(timing, &line.diction, &line.reach, rate, tail, &|_| true, &like.ways);
    let ways = articulation.as_ref().map(|a| a.ways.clone()).unwrap_or_default();
    if line.diction.drive == Drive::Loudness {
        articulation = None;
        face = by_loudness(timing, &line.diction, heard, tail);
    }
    let mouth = MouthLayer::of(line, timing);
    if !mouth.is_whole() {
        for organ in Organ::ALL {
            for &control in organ.controls() {
                let mut curve = face.track(control).to_vec();
                for (i, v) in curve.iter_mut().enumerate() {
                    *v *= mouth.scale(organ, control, i as f64 / HZ) as f32;
                }
                let at = trace.as_deref_mut().map(|t| (place(t.time, curve.len()), t));
                limit(&mut curve, control, at);
                face.set(control, curve);
            }
        }
    }
    // Moods yield to what is said, not to what the mouth keeps to itself.
    let (mut sounds, mut musts) = match &articulation {
        Some(all) if mouth.amount > 0.0 => (Cow::from(&all.sounds), Cow::from(&all.musts)),
        _ => Default::default(),
    };
    if !mouth.shares.is_empty() {
        let plays = |start: f64, end: f64| keys::between(&mouth.shares, 0.5 * (start + end)) > 0.0;
        sounds.to_mut().retain(|s| plays(s.start, s.end));
        musts.to_mut().retain(|m| plays(m.start, m.end));
    }
    let strength = line.layers.settings.guard;
    let before = like.made.as_ref().map(|m| (&**m.guard(), m.speech()));
    let guard = Arc::new(Guard::new(&sounds, &musts, &face, strength, before));
    let scene = Scene { line, timing, heard, rate, guard: &guard, heard_before: &like.heard };
    let made = layers::lay(face, &scene, like.made.as_ref(), trace);
    let face =
        Performance { guard: Some(guard), told: made.told.clone(), ..Performance::plain(made.face.clone()) };
    Some(Layered {
        face,
        mouth: articulation,
        worked: Worked { ways, heard: heard.clone(), made: Some(made) },
    })
}

/// How much of the mouth plays, over time and by parts.
pub(crate) struct MouthLayer<'a> {
    amount: f64,
    shares: Vec<(f64, f64)>,
    without: &'a [Region],
}

impl MouthLayer<'_> {
    pub fn of<'a>(line: &'a Line, timing: &Timing) -> MouthLayer<'a> {
        MouthLayer {
            amount: line.layers.plays(LayerKind::Mouth),
            shares: line.layers.shares(LayerKind::Mouth, timing),
            without: &line.layers.settings.mouth.without,
        }
    }

    fn is_whole(&self) -> bool {
        self.amount == 1.0 && self.shares.is_empty() && self.without.is_empty()
    }

    /// What a control's curve is scaled by at a time.
    pub fn scale(&self, organ: Organ, control: Control, time: f64) -> f64 {
        if self.without.contains(&control.region()) {
            return 0.0;
        }
        // More than all never breaks a rule: what must hold is at its end already.
        let whole = organ.is_of_a_must() || matches!(organ, Organ::Jaw | Organ::Round | Organ::Protrude);
        let amount = if whole { self.amount.min(1.0) } else { self.amount };
        amount * keys::between(&self.shares, time)
    }
}

/// How far loudness alone opens the jaw, for creatures and toys: shut 35 dB below what is loud, wide open there.
/// `level` and `loud` in dB.
pub fn jaw_of_loudness(level: f64, loud: f64, diction: &Diction) -> f64 {
    const RANGE: f64 = 35.0;
    let up = ((level - loud + RANGE) / RANGE).clamp(0.0, 1.1);
    (up * up * 0.8 * diction.openness).min(1.0)
}

/// The jaw of a line from its loudness alone; loud is its loudest tenth.
fn by_loudness(timing: &Timing, diction: &Diction, heard: &Prosody, tail: Seconds) -> Curves {
    let mut face = Curves::at_rest(timing.end() + tail);
    let mut levels: Vec<f32> = heard.level.to_vec();
    levels.sort_by(f32::total_cmp);
    let Some(loud) = levels.get(levels.len() * 9 / 10).copied().map(f64::from) else { return face };
    let samples = face.len();
    let lead = diction.lead.0;
    let open = |i: usize| {
        let time = Seconds(i as f64 / HZ + lead);
        if time <= timing.end() { jaw_of_loudness(heard.level_at(time), loud, diction) } else { 0.0 }
    };
    let raw: Vec<f64> = (0..samples).map(open).collect();
    let curve = layers::ease::blurred(&raw, 0.022 * diction.smoothness);
    face.set(Control::JawOpen, curve.iter().map(|x| *x as f32).collect::<Vec<f32>>());
    face
}
