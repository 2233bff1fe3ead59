//! The carving marks: a tileable normal map of shallow scoops, as PNG.

use crate::craft::maths::{Random, v};

const SIZE: usize = 256;
const CELLS: usize = 11;
const DEPTH: f64 = 0.34;

/// Heights of soft Voronoi cells with a faint brush grain.
fn heights() -> Vec<f64> {
    let mut random = Random(11);
    let mut middles = Vec::new();
    for row in 0..CELLS {
        for column in 0..CELLS {
            let mut at = |k: usize| (k as f64 + 0.5 + (random.next() - 0.5) * 0.85) / CELLS as f64;
            middles.push((at(column), at(row)));
        }
    }
    let mut out = Vec::with_capacity(SIZE * SIZE);
    for row in 0..SIZE {
        for column in 0..SIZE {
            let (x, y) = ((column as f64 + 0.5) / SIZE as f64, (row as f64 + 0.5) / SIZE as f64);
            let wrapped = |d: f64| d - d.round();
            let (mut weights, mut sum) = (0.0, 0.0);
            for (mx, my) in &middles {
                let d = wrapped(x - mx).powi(2) + 0.55 * wrapped(y - my).powi(2);
                let w = (-7.0 * d * (CELLS * CELLS) as f64).exp();
                weights += w;
                sum += w * d;
            }
            let turn = std::f64::consts::TAU;
            let grain = (turn * (y * 22.0 + 0.25 * (turn * x * 2.0).sin())).sin();
            out.push(sum / weights * CELLS as f64 - 0.004 * 0.18 * grain);
        }
    }
    out
}

/// The map as a PNG file; the error is the encoder's own.
pub fn carving_marks() -> Result<Vec<u8>, png::EncodingError> {
    let heights = heights();
    let at = |row: usize, column: usize| heights[row % SIZE * SIZE + column % SIZE];
    let mut pixels = Vec::with_capacity(3 * SIZE * SIZE);
    for row in 0..SIZE {
        for column in 0..SIZE {
            let slope = |a: f64, b: f64| (a - b) * SIZE as f64 / 2.0;
            let x = slope(at(row, column + 1), at(row, column + SIZE - 1));
            let y = slope(at(row + 1, column), at(row + SIZE - 1, column));
            let normal = v(-x * DEPTH, y * DEPTH, 1.0).unit();
            pixels.extend(normal.array().map(|n| ((n * 0.5 + 0.5) * 255.0).round() as u8));
        }
    }
    let mut file = Vec::new();
    let mut encoder = png::Encoder::new(&mut file, SIZE as u32, SIZE as u32);
    encoder.set_color(png::ColorType::Rgb);
    encoder.set_depth(png::BitDepth::Eight);
    encoder.write_header()?.write_image_data(&pixels)?;
    Ok(file)
}
