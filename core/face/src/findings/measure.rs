//! What is measured of a performance before it is judged. Thresholds, with what they tell apart, are the design's:
//! read off 32 good and 32 spoilt performances and tried on 32 more of each.

use crate::curves::HZ;
use crate::performance::Performance;
use crate::track::Track;
use jam_score::{Control, FrameRate, Seconds};

/// Largest less smallest.
pub fn range<'a>(values: impl IntoIterator<Item = &'a f32>) -> f32 {
    let ends = |(low, high): (f32, f32), v: &f32| (low.min(*v), high.max(*v));
    let (low, high) = values.into_iter().fold((f32::MAX, f32::MIN), ends);
    (high - low).max(0.0)
}

/// How alive the stillest second is, and where it starts: the largest range of a head angle over .15 degrees, an eye
/// angle over .25 degrees, any other control over .015. Below 1 the face is frozen.
pub fn stillest(face: &Performance) -> Option<(f64, f32)> {
    let (window, step) = (HZ as usize, HZ as usize / 4);
    let unit = |c: Control| match c {
        Control::HeadYaw | Control::HeadPitch | Control::HeadRoll => 0.15,
        Control::GazeYaw | Control::GazePitch | Control::GazeConverge => 0.25,
        _ => 0.015,
    };
    let curves: Vec<(f32, &Track)> =
        Control::ALL.iter().filter_map(|c| Some((unit(*c), face.curve(*c)?))).collect();
    (0..face.len().saturating_sub(window))
        .step_by(step)
        .map(|i| {
            let life = curves.iter().map(|(unit, curve)| range(curve.within(i..i + window)) / unit);
            (i as f64 / HZ, life.fold(0.0, f32::max))
        })
        .min_by(|a, b| a.1.total_cmp(&b.1))
}

/// How far a control trembles from frame to frame, and where: against itself smoothed over 1.3 frames, the largest
/// mean of five and more values that change sides each frame. Four flag good fast jaws.
pub fn tremble(face: &Performance, control: Control, rate: FrameRate) -> (f64, f32) {
    let frame = rate.frame_length().0;
    let frames = (face.len() as f64 / HZ / frame) as usize;
    let values: Vec<f32> = (0..frames).map(|k| face.value(control, Seconds(k as f64 * frame))).collect();
    if range(&values) < 1e-4 {
        return (0.0, 0.0);
    }
    let weights: Vec<f32> = (-6i32..=6).map(|k| (-0.5 * (k as f32 / 1.3).powi(2)).exp()).collect();
    let whole: f32 = weights.iter().sum();
    let at = |i: i64| values[i.clamp(0, values.len() as i64 - 1) as usize];
    let off: Vec<f32> = (0..values.len() as i64)
        .map(|i| {
            let smooth: f32 = weights.iter().zip(-6i64..).map(|(w, k)| w * at(i + k)).sum();
            at(i) - smooth / whole
        })
        .collect();
    let (mut worst, mut start) = ((0.0, 0.0f32), 0);
    for i in 1..=off.len() {
        if i < off.len() && off[i] * off[i - 1] < 0.0 {
            continue;
        }
        let run = &off[start..i];
        if run.len() >= 5 {
            let mean = run.iter().map(|x| x.abs()).sum::<f32>() / run.len() as f32;
            if mean > worst.1 {
                worst = (start as f64 * frame, mean);
            }
        }
        start = i;
    }
    worst
}

/// How far both lids are shut at a sample.
pub fn lids(face: &Performance, i: usize) -> f32 {
    0.5 * (face.sample(Control::LidCloseLeft, i) + face.sample(Control::LidCloseRight, i))
}

/// Peaks of shut lids, seconds: more than half shut, with a dip of .12 between two.
pub fn blinks(face: &Performance) -> Vec<f64> {
    let (mut out, mut high, mut low, mut at, mut rising) = (Vec::new(), 0.0f32, 0.0f32, 0, true);
    for i in 0..face.len() {
        let x = lids(face, i);
        if rising {
            if x > high {
                (high, at) = (x, i);
            }
            if high - x >= 0.12 {
                if high > 0.5 {
                    out.push(at as f64 / HZ);
                }
                (rising, low) = (false, x);
            }
        } else {
            low = low.min(x);
            if x - low >= 0.12 {
                (rising, high, at) = (true, x, i);
            }
        }
    }
    out
}

/// Longest stretch in which something holds for every sample: start and length, seconds.
pub fn longest(samples: usize, holds: impl Fn(usize) -> bool) -> (f64, f64) {
    let (mut best, mut start) = ((0, 0), None);
    for i in 0..=samples {
        if i < samples && holds(i) {
            start.get_or_insert(i);
        } else if let Some(from) = start.take()
            && i - from > best.1
        {
            best = (from, i - from);
        }
    }
    (best.0 as f64 / HZ, best.1 as f64 / HZ)
}

/// How much the brows differ where they move: over two seconds, the difference of left and right against their mean,
/// both without their own means; the middle of all such stretches. None where they hardly move.
pub fn brow_difference(face: &Performance) -> Option<(f64, f32)> {
    let value = |i: usize, sides: [Control; 3]| {
        face.sample(sides[0], i) + face.sample(sides[1], i) - face.sample(sides[2], i)
    };
    use Control as C;
    let left: Vec<f32> = (0..face.len())
        .map(|i| value(i, [C::BrowInnerUpLeft, C::BrowOuterUpLeft, C::BrowDownLeft]))
        .collect();
    let right: Vec<f32> = (0..face.len())
        .map(|i| value(i, [C::BrowInnerUpRight, C::BrowOuterUpRight, C::BrowDownRight]))
        .collect();
    let window = 2 * HZ as usize;
    let mut all = Vec::new();
    for start in (0..face.len().saturating_sub(window)).step_by(10) {
        let (l, r) = (&left[start..start + window], &right[start..start + window]);
        let mean = |x: &[f32]| x.iter().sum::<f32>() / x.len() as f32;
        let (ml, mr) = (mean(l), mean(r));
        let both: Vec<f32> = l.iter().zip(r).map(|(a, b)| 0.5 * ((a - ml) + (b - mr))).collect();
        if range(&both) <= 0.12 {
            continue;
        }
        let rms = |x: &mut dyn Iterator<Item = f32>| {
            let (sum, n) = x.fold((0.0f32, 0), |(s, n), v| (s + v * v, n + 1));
            (sum / n as f32).sqrt()
        };
        let apart = rms(&mut l.iter().zip(r).map(|(a, b)| (a - ml) - (b - mr)));
        let own = rms(&mut both.iter().copied());
        all.push((start as f64 / HZ, apart / own.max(1e-6)));
    }
    all.sort_by(|a, b| a.1.total_cmp(&b.1));
    all.get(all.len() / 2).copied()
}
