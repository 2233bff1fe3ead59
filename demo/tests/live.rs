//! A face that speaks along with a voice, against the same lines with their texts, timed and solved whole.
#![allow(clippy::unwrap_used)]

use crate::common::lines;
use jam_demo::LINES;
use jam_desk::live::{DELAY, LiveFace};
use jam_face::{HZ, perform};
use jam_formats::sound;
use jam_score::{Control, Frame, FrameGrid, FrameRate, Line, Phone, Seconds};
use jam_voice::Analyser;

/// Samples that come together: 20 ms.
const BLOCK: usize = 320;

/// A line spoken along with: each control's values at 100 a second of the voice, and the most that any came late.
struct Along {
    controls: Vec<Vec<f32>>,
    late: f64,
}

fn along(samples: &[f32], line: &Line) -> Along {
    let grid = FrameGrid { rate: FrameRate::new(24, 1).unwrap(), first: Frame(1001) };
    let mut face = LiveFace::new(&Analyser::shipped().unwrap(), line, grid).unwrap();
    let mut along = Along { controls: vec![Vec::new(); Control::ALL.len()], late: 0.0 };
    let mut came = 0;
    for block in samples.chunks(BLOCK) {
        // A moment is there when the block is that it lies in.
        came += block.len();
        for spoken in face.take(block) {
            assert!((spoken.time - along.controls[0].len() as f64 / HZ).abs() < 1e-9);
            along.late = along.late.max(came as f64 / 16_000.0 - spoken.time);
            along.controls.iter_mut().zip(&spoken.controls).for_each(|(own, v)| own.push(*v));
        }
    }
    along
}

fn correlation(a: &[f32], b: &[f32]) -> f64 {
    let n = a.len().min(b.len()) as f64;
    let mean = |x: &[f32]| x.iter().take(n as usize).map(|v| f64::from(*v)).sum::<f64>() / n;
    let (ma, mb) = (mean(a), mean(b));
    let (mut ab, mut aa, mut bb) = (0.0, 0.0, 0.0);
    for (x, y) in a.iter().zip(b) {
        let (x, y) = (f64::from(*x) - ma, f64::from(*y) - mb);
        (ab, aa, bb) = (ab + x * y, aa + x * x, bb + y * y);
    }
    ab / (aa * bb).sqrt().max(1e-12)
}

#[test]
fn a_face_speaks_along_with_a_voice() {
    let mut jaws = (Vec::new(), Vec::new());
    let (mut closures, mut shut, mut opened) = (0, 0, 0);
    let mut late = 0f64;
    for (k, (line, _)) in lines().iter().enumerate() {
        let recording = sound::read(LINES[k].recording).unwrap();
        let samples = recording.mono_at(16_000).unwrap();
        let found = along(&samples, line);
        late = late.max(found.late);
        let timing = line.timing.as_ref().unwrap();
        let whole = perform(timing, &line.diction, FrameRate::new(24, 1).unwrap(), Seconds(0.3));
        let rest = vec![0.0; whole.len()];
        let jaw = whole.curve(Control::JawOpen).map_or_else(|| rest.clone(), |c| c.to_vec());
        let own = &found.controls[Control::JawOpen as usize];
        let n = jaw.len().min(own.len());
        jaws.0.extend_from_slice(&jaw[..n]);
        jaws.1.extend_from_slice(&own[..n]);
        let close = &found.controls[Control::LipsClose as usize];
        for sound in &timing.sounds {
            let (from, to) = ((sound.span.start.0 * HZ) as usize, (sound.span.end.0 * HZ) as usize + 4);
            let Some(here) = close.get(from.saturating_sub(4)..to.min(close.len())) else { continue };
            let most = here.iter().copied().fold(0.0, f32::max);
            match sound.phone {
                Phone::P | Phone::B | Phone::M => {
                    closures += 1;
                    shut += usize::from(most > 0.9);
                }
                p if p.is_vowel() => {
                    opened += usize::from(
                        close[(0.5 * (sound.span.start.0 + sound.span.end.0) * HZ) as usize] < 0.3,
                    )
                }
                _ => {}
            }
        }
    }
    let vowels: usize = lines()
        .iter()
        .flat_map(|(l, _)| &l.timing.as_ref().unwrap().sounds)
        .filter(|s| s.phone.is_vowel())
        .count();
    let same = correlation(&jaws.0, &jaws.1);
    let shifted = |by: usize| correlation(&jaws.0[by..], &jaws.1);
    let ahead = |by: usize| correlation(&jaws.0, &jaws.1[by..]);
    // The face is that of its own moment: neither an earlier nor a later one fits as well.
    let told = format!("{same:.3}, shifted {:.3} and {:.3}", shifted(4), ahead(4));
    // The figures of docs/performance.md.
    println!(
        "jaw {told}; {shut} of {closures} closures shut; apart in {opened} of {vowels} vowels; after {late:.2} s"
    );
    assert!(same > 0.75 && same > shifted(4) + 0.02 && same > ahead(4) + 0.02, "{told}");
    assert!(10 * shut > 7 * closures, "{shut} of {closures} closures are shut");
    assert!(10 * opened > 8 * vowels, "in {opened} of {vowels} vowels the lips are apart");
    assert!(late <= DELAY, "{late}");
}
