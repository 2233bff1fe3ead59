//! A face drawn with the dots of braille letters, two by four of them in a letter.

use jam_formats::live::Shown;
use jam_rig::propose::COEFFICIENTS;
use std::f64::consts::{PI, TAU};

/// Letters across and down.
const SIZE: (usize, usize) = (44, 21);
/// Dots across and down.
const DOTS: (f64, f64) = (2.0 * SIZE.0 as f64, 4.0 * SIZE.1 as f64);

struct Canvas(Vec<u8>);

impl Canvas {
    /// A dot at a place, the middle being 0, 0, down positive.
    fn dot(&mut self, x: f64, y: f64) {
        let (x, y) = (x + DOTS.0 / 2.0, y + DOTS.1 / 2.0);
        if x < 0.0 || y < 0.0 || x >= DOTS.0 || y >= DOTS.1 {
            return;
        }
        let (x, y) = (x as usize, y as usize);
        // Unicode, block “Braille Patterns”: which bit each dot of a letter is.
        const BITS: [[u8; 2]; 4] = [[0x01, 0x08], [0x02, 0x10], [0x04, 0x20], [0x40, 0x80]];
        self.0[y / 4 * SIZE.0 + x / 2] |= BITS[y % 4][x % 2];
    }

    fn curve(&mut self, at: impl Fn(f64) -> (f64, f64)) {
        const STEPS: usize = 160;
        for i in 0..=STEPS {
            let (x, y) = at(i as f64 / STEPS as f64);
            self.dot(x, y);
        }
    }

    fn text(&self) -> String {
        let letter = |bits: &u8| char::from_u32(0x2800 + u32::from(*bits)).unwrap_or(' ');
        self.0.chunks(SIZE.0).map(|row| row.iter().map(letter).chain(['\n']).collect::<String>()).collect()
    }
}

/// The face as letters, seen from the front.
pub fn face(shown: &Shown) -> String {
    let of = |name: &str| {
        let at = COEFFICIENTS.iter().position(|c| *c == name);
        at.map_or(0.0, |at| f64::from(shown.coefficients[at]))
    };
    let both = |name: &str| 0.5 * (of(&format!("{name}Left")) + of(&format!("{name}Right")));
    let [yaw, pitch, roll] = shown.head.map(f64::from);
    let mut canvas = Canvas(vec![0; SIZE.0 * SIZE.1]);
    let (sin, cos) = (-roll.to_radians()).sin_cos();
    // Features move against the outline as the head turns; its left is on our right.
    let (aside, down) = (0.55 * yaw, 0.5 * pitch);
    let turned = move |x: f64, y: f64| (x * cos - y * sin, x * sin + y * cos);
    let inner = move |x: f64, y: f64| turned(x + aside, y + down);
    canvas.curve(|t| {
        let a = TAU * t;
        turned(27.0 * a.cos(), 37.0 * a.sin() + if a.sin() > 0.0 { 3.0 * of("jawOpen") } else { 0.0 })
    });
    for (side, sign) in [("Left", 1.0), ("Right", -1.0)] {
        let own = |name: &str| of(&format!("{name}{side}"));
        let (inner_up, outer_up) =
            (of("browInnerUp") - own("browDown"), own("browOuterUp") - own("browDown"));
        canvas.curve(|t| {
            let y = -18.0 - 6.0 * (inner_up + t * (outer_up - inner_up)) - 2.0 * (PI * t).sin();
            inner(sign * (5.0 + 13.0 * t), y)
        });
        let open =
            ((1.0 - own("eyeBlink")) * (1.0 + 0.4 * own("eyeWide") - 0.45 * own("eyeSquint"))).max(0.0);
        for lid in [-4.5 * open, 3.0 * open] {
            canvas.curve(|t| inner(sign * (6.0 + 11.0 * t), -9.0 + lid * (PI * t).sin()));
        }
        if open > 0.3 {
            let (gaze, lift) = (f64::from(shown.gaze[0]) / 12.0, f64::from(shown.gaze[1]) / 14.0);
            for ring in 0..3 {
                canvas.curve(|t| {
                    let (x, y) =
                        (0.7 * f64::from(ring) * (TAU * t).cos(), 0.7 * f64::from(ring) * (TAU * t).sin());
                    inner(sign * 11.5 + gaze + x, -9.5 + lift + y)
                });
            }
        }
    }
    canvas.curve(|t| inner(2.5 * (PI * t).cos(), 4.0 - 1.5 * (PI * t).sin()));
    let open = (of("jawOpen") - of("mouthClose")).max(0.0);
    let wide = 10.0 + 3.0 * both("mouthStretch") + 3.0 * both("mouthSmile")
        - 5.5 * of("mouthPucker")
        - 3.5 * of("mouthFunnel");
    let corner = -3.5 * both("mouthSmile") + 3.5 * both("mouthFrown");
    let thick = 1.0 + 2.0 * of("mouthPucker") + 1.5 * of("mouthFunnel") - 0.8 * of("mouthRollLower");
    let upper = 2.5 * both("mouthUpperUp") + 2.0 * of("mouthFunnel") * open;
    let lower = 17.0 * open + 3.0 * both("mouthLowerDown");
    for height in [-upper - 1.6 * thick, -upper, lower, lower + 1.8 * thick] {
        canvas.curve(|t| {
            let bow = (PI * t).sin();
            inner(wide * (2.0 * t - 1.0), 15.0 + corner * (1.0 - bow) + height * bow)
        });
    }
    canvas.text()
}

#[cfg(test)]
mod tests {
    use super::*;
    use jam_formats::live::Clock;

    fn with(name: &str, value: f32) -> String {
        let clock = Clock { seq: 0, show: 0.0, time: 0.0, frame: 0, speed: 0.0 };
        let coefficients = COEFFICIENTS.map(|c| if c == name { value } else { 0.0 });
        face(&Shown { clock, coefficients, head: [0.0; 3], gaze: [0.0; 3] })
    }

    #[test]
    fn an_open_jaw_a_blink_and_a_smile_are_other_faces() {
        let rest = with("", 0.0);
        assert!(rest.lines().all(|l| l.chars().count() == 44) && rest.lines().count() == 21);
        let all = [rest, with("jawOpen", 0.8), with("eyeBlinkLeft", 1.0), with("mouthSmileLeft", 1.0)];
        for (i, one) in all.iter().enumerate() {
            assert!(all[..i].iter().all(|other| other != one), "{one}");
        }
    }
}
