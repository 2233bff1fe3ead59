//! The way back: from what a character's shapes and joints do to the controls that make it so.
//!
//! For each moment the controls are looked for that make the outputs as they are, each output weighed by its range and
//! every control kept as near to rest as the outputs allow (bounded least squares by Gauss and Newton, through the real
//! wiring with its responses, limits and rules of contact). What a face cannot tell, because nothing of it answers to a
//! control or because it answers to several as one, is not told: it comes back as unknown, never as 0.

use crate::wired::Wired;
use crate::wiring::{Target, Wiring};
use jam_score::Control;
use nalgebra::{DMatrix, DVector};

/// How much rest counts against the outputs.
const REST: f64 = 1e-4;
/// From this share on a control is told apart from the others: 1 is all of it. Of several that one output answers to the
/// strongest is told so.
const TOLD: f64 = 0.9;
/// How much weaker than all else an answer may be and still count.
const WEAK: f64 = 1e-3;
/// Steps of Gauss and Newton for a moment, and sweeps over the controls in each.
const STEPS: usize = 40;
const SWEEPS: usize = 80;
/// A step of this share of a range, or a gain of this share of what is left, ends the search.
const NEAR: f64 = 1e-7;
const ENOUGH: f64 = 1e-4;

/// How far an output is from what was asked of it, in its own unit.
#[derive(Debug, Clone, Copy, PartialEq)]
pub struct Residual {
    /// Place of the output in the wiring.
    pub output: usize,
    pub rms: f32,
    pub max: f32,
}

/// What outputs told of the controls.
#[derive(Debug, Clone, PartialEq)]
pub struct Told {
    /// The controls that are known, in the order of the values.
    pub controls: Vec<Control>,
    /// Their values, moment by moment.
    pub faces: Vec<Vec<f32>>,
    /// Controls that the outputs cannot tell.
    pub unknown: Vec<Control>,
    /// Of each output that was given, how far it is from it with these controls.
    pub residuals: Vec<Residual>,
}

/// How far a control reaches from rest.
fn reach(control: Control) -> f64 {
    let (low, high) = control.range();
    f64::from(high.max(-low))
}

/// What outputs say of a control.
#[derive(Debug, Clone, Copy, PartialEq)]
enum Answer {
    Told,
    /// Only what it and its other side, of that place, are together.
    LikeOtherSide(usize),
    Unknown,
}

impl Wiring {
    /// The controls that some outputs answer to themselves, and whether each is told: no other control can stand for it.
    /// Both sides of one shape that has none are told as alike.
    fn told_by(&self, outputs: &[usize]) -> Vec<(Control, Answer)> {
        let own = |o: usize, c: Control| {
            self.outputs[o].feeds.iter().filter(move |f| f.control == c && !f.stands_in && f.times.is_none())
        };
        let answers = |c: &Control| outputs.iter().any(|o| own(*o, *c).next().is_some());
        let all: Vec<Control> = Control::ALL.iter().copied().filter(answers).collect();
        let gain = |o: usize, c: Control| -> f64 {
            let sum: f64 = own(o, c).map(|f| f64::from(f.gain)).sum();
            sum * reach(c) / range_of(&self.outputs[o])
        };
        let matrix = DMatrix::from_fn(outputs.len(), all.len(), |i, j| gain(outputs[i], all[j]));
        let normal = matrix.transpose() * &matrix;
        let most = normal.diagonal().iter().copied().fold(1e-12, f64::max);
        let damped = &normal + DMatrix::identity(all.len(), all.len()) * (most * WEAK * WEAK);
        // The share of each control that comes back as itself.
        let back = damped.cholesky().map(|c| c.solve(&normal));
        let told = |j: usize| {
            let Some(back) = &back else { return Answer::Unknown };
            let other = all.iter().position(|c| Some(*c) == all[j].other_side());
            match other {
                _ if back[(j, j)] >= TOLD => Answer::Told,
                Some(k) if back[(j, k)] > 0.4 && back[(j, j)] + back[(j, k)] >= TOLD => {
                    Answer::LikeOtherSide(k)
                }
                _ => Answer::Unknown,
            }
        };
        all.iter().enumerate().map(|(j, c)| (*c, told(j))).collect()
    }

    /// The controls behind outputs: `rows` has the values of `outputs` (places in the wiring), moment by moment. Outputs that
    /// show and hide tell nothing.
    pub fn read_back(&self, outputs: &[usize], rows: &[Vec<f32>]) -> Told {
        let tells = |o: usize| !matches!(self.outputs[o].target, Target::Shown { .. });
        let kept: Vec<usize> = (0..outputs.len()).filter(|i| tells(outputs[*i])).collect();
        let places: Vec<usize> = kept.iter().map(|i| outputs[*i]).collect();
        let answer = self.told_by(&places);
        let controls: Vec<Control> = answer.iter().map(|(c, _)| *c).collect();
        let told: Vec<usize> = (0..answer.len()).filter(|j| answer[*j].1 != Answer::Unknown).collect();
        let known: Vec<Control> = told.iter().map(|j| controls[*j]).collect();
        let unknown = Control::ALL.iter().copied().filter(|c| !known.contains(c)).collect();
        let mut search = Search::new(self, &places, &controls);
        let mut faces = Vec::with_capacity(rows.len());
        let mut off = vec![(0.0f64, 0.0f64); places.len()];
        let mut from = vec![0.0; controls.len()];
        for row in rows {
            let asked: Vec<f64> = kept.iter().map(|i| f64::from(row[*i])).collect();
            let near = search.solve(&asked, &from);
            from = match near {
                (x, good) if good <= 1e-6 => x,
                (x, good) => {
                    // A path that led astray is left by starting from rest.
                    let (y, other) = search.solve(&asked, &vec![0.0; controls.len()]);
                    if other < good { y } else { x }
                }
            };
            let sides = from.clone();
            for (j, (_, answer)) in answer.iter().enumerate() {
                if let Answer::LikeOtherSide(k) = answer {
                    from[j] = 0.5 * (sides[j] + sides[*k]);
                }
            }
            let wired = search.wired(&from);
            for ((sum, most), (is, asked)) in off.iter_mut().zip(wired.iter().zip(&asked)) {
                let apart = (is - asked).abs();
                *sum += apart * apart;
                *most = most.max(apart);
            }
            faces.push(told.iter().map(|j| (from[*j] * reach(controls[*j])) as f32).collect());
        }
        let count = rows.len().max(1) as f64;
        let residual = |(output, (sum, most)): (&usize, (f64, f64))| Residual {
            output: *output,
            rms: (sum / count).sqrt() as f32,
            max: most as f32,
        };
        Told { controls: known, faces, unknown, residuals: places.iter().zip(off).map(residual).collect() }
    }
}

fn range_of(output: &crate::wiring::Output) -> f64 {
    f64::from(output.high - output.low).max(1e-6)
}

/// The search for one moment's controls, in shares of their reach.
struct Search<'a> {
    wiring: &'a Wiring,
    outputs: &'a [usize],
    controls: &'a [Control],
    scales: Vec<f64>,
    low: Vec<f64>,
    high: Vec<f64>,
    face: Vec<f32>,
}

impl<'a> Search<'a> {
    fn new(wiring: &'a Wiring, outputs: &'a [usize], controls: &'a [Control]) -> Search<'a> {
        let scales = outputs.iter().map(|o| 1.0 / range_of(&wiring.outputs[*o])).collect();
        let share = |pick: fn((f32, f32)) -> f32| -> Vec<f64> {
            controls.iter().map(|c| f64::from(pick(c.range())) / reach(*c)).collect()
        };
        let face = vec![0.0; Control::ALL.len()];
        Search { wiring, outputs, controls, scales, low: share(|r| r.0), high: share(|r| r.1), face }
    }

    fn wired(&mut self, x: &[f64]) -> Vec<f64> {
        for (control, value) in self.controls.iter().zip(x) {
            self.face[*control as usize] = (value * reach(*control)) as f32;
        }
        let wired: Wired = self.wiring.apply(&self.face);
        self.outputs.iter().map(|o| f64::from(wired[*o])).collect()
    }

    fn off(&mut self, asked: &[f64], x: &[f64]) -> DVector<f64> {
        let wired = self.wired(x);
        DVector::from_iterator(asked.len(), (0..asked.len()).map(|i| self.scales[i] * (wired[i] - asked[i])))
    }

    fn cost(off: &DVector<f64>, x: &[f64]) -> f64 {
        off.norm_squared() + REST * REST * x.iter().map(|v| v * v).sum::<f64>()
    }

    /// The controls nearest to rest that make the outputs as asked, and what they are off, squared.
    fn solve(&mut self, asked: &[f64], from: &[f64]) -> (Vec<f64>, f64) {
        let n = self.controls.len();
        let mut x = from.to_vec();
        let mut off = self.off(asked, &x);
        let mut cost = Self::cost(&off, &x);
        // How much a step is held back: where slopes change suddenly, long ones lead astray.
        let mut held = 0.0;
        let mut slopes = self.slopes(asked, &x, &off);
        for _ in 0..STEPS {
            let step = self.step(&slopes, &off, &x, held);
            let size = step.iter().fold(0.0f64, |a, d| a.max(d.abs()));
            if size < NEAR {
                break;
            }
            let moved: Vec<f64> = (0..n).map(|j| (x[j] + step[j]).clamp(self.low[j], self.high[j])).collect();
            let there = self.off(asked, &moved);
            let found = Self::cost(&there, &moved);
            if found < cost {
                let gained = cost - found;
                (x, off, cost) = (moved, there, found);
                held *= 0.2;
                if gained < ENOUGH * cost {
                    break;
                }
                slopes = self.slopes(asked, &x, &off);
            } else {
                held = (held * 8.0).max(1e-3);
                if held > 1e3 {
                    break;
                }
            }
        }
        (x, off.norm_squared())
    }

    /// How the outputs answer to each control, from both sides where there is room.
    fn slopes(&mut self, asked: &[f64], x: &[f64], off: &DVector<f64>) -> DMatrix<f64> {
        const H: f64 = 1e-3;
        let mut slopes = DMatrix::zeros(asked.len(), x.len());
        let mut moved = x.to_vec();
        for j in 0..x.len() {
            let above = (x[j] + H).min(self.high[j]);
            let below = (x[j] - H).max(self.low[j]);
            moved[j] = above;
            let up = if above > x[j] { self.off(asked, &moved) } else { off.clone() };
            moved[j] = below;
            let down = if below < x[j] { self.off(asked, &moved) } else { off.clone() };
            moved[j] = x[j];
            slopes.set_column(j, &((up - down) / (above - below).max(1e-9)));
        }
        slopes
    }

    /// The step that is best if all were straight, within the controls' limits: one control after the other, until none
    /// moves.
    fn step(&self, slopes: &DMatrix<f64>, off: &DVector<f64>, x: &[f64], held: f64) -> Vec<f64> {
        let n = x.len();
        let normal = slopes.transpose() * slopes;
        let pull = slopes.transpose() * off;
        let mut step = vec![0.0; n];
        // What pulls at each control with the step so far.
        let mut now: Vec<f64> = (0..n).map(|j| pull[j] + REST * REST * x[j]).collect();
        for _ in 0..SWEEPS {
            let mut most = 0.0f64;
            for j in 0..n {
                let own = normal[(j, j)] * (1.0 + held) + REST * REST;
                let to = (step[j] - now[j] / own).clamp(self.low[j] - x[j], self.high[j] - x[j]);
                let by = to - step[j];
                if by != 0.0 {
                    step[j] = to;
                    for k in 0..n {
                        now[k] += by * normal[(k, j)];
                    }
                    now[j] += by * (REST * REST + held * normal[(j, j)]);
                    most = most.max(by.abs());
                }
            }
            if most < NEAR {
                break;
            }
        }
        step
    }
}
