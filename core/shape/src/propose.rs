//! Where a face's landmarks probably are, from its meshes alone: eyes from balls, nose, lips and chin from the profile in its middle,
//! the mouth's corners from the dip between the lips. To be looked at and corrected: a face that is no usual one is often missed.

use crate::ShapeError;
use crate::curve::corners;
use crate::face::{Ball, Face};
use crate::head::{Piece, ball_of, joined, words};
use crate::landmarks::{Landmark, Landmarks, Side};
use crate::mesh::Mesh;
use crate::start::Similarity;
use crate::template::shipped;
use glam::{DMat3, DVec3};

/// The two eyes, left first; of each piece its mesh and name.
fn eyes(split: &[(Mesh, &str)]) -> Result<[Ball; 2], ShapeError> {
    let mut balls: Vec<(Ball, bool)> = Vec::new();
    for (part, name) in split {
        if part.points.len() < 12 || words(name, &["lash", "brow", "lid", "glass", "hair"]) {
            continue;
        }
        let (low, high) = corners(&part.points);
        if let Some((ball, off)) = ball_of(part)
            // As wide as a ball of its radius, or a piece of one: not a bit of some nearly flat thing.
            && off < 0.08 * ball.radius
            && (high - low).x > 0.8 * ball.radius
            && (high - low).max_element() < 2.6 * ball.radius
        {
            balls.push((ball, words(name, &["eye", "iris", "cornea", "sclera", "pupil"])));
        }
    }
    let mut best: Option<(f64, [Ball; 2])> = None;
    for (a, a_named) in &balls {
        for (b, b_named) in &balls {
            let apart = a.middle - b.middle;
            let radius = 0.5 * (a.radius + b.radius);
            let pair = apart.x > 1.6 * radius
                && apart.x < 9.0 * radius
                && apart.y.abs() < 0.8 * radius
                && apart.z.abs() < 0.8 * radius
                && (a.radius - b.radius).abs() < 0.2 * radius;
            if !pair {
                continue;
            }
            // Named ones first, then the larger of several shells.
            let score = if *a_named && *b_named { 1e6 } else { 1.0 } * radius;
            if best.is_none_or(|(s, _)| score > s) {
                best = Some((score, [*a, *b]));
            }
        }
    }
    best.map(|(_, eyes)| eyes).ok_or(ShapeError::NoEyes)
}

/// A cut through the face: the foremost depth at each height.
struct Profile {
    heights: Vec<f64>,
    depths: Vec<f64>,
}

impl Profile {
    const STEPS: usize = 260;

    /// In the strip of half width `half` round `x`, between two heights; from triangles cut into pieces smaller than that.
    fn of(mesh: &Mesh, x: f64, half: f64, low: f64, high: f64) -> Profile {
        let steps = Profile::STEPS;
        let heights: Vec<f64> =
            (0..steps).map(|k| low + (high - low) * k as f64 / (steps - 1) as f64).collect();
        let mut depths = vec![f64::NEG_INFINITY; steps];
        let mut put = |p: DVec3| {
            let at = ((p.y - low) / (high - low) * (steps - 1) as f64).round();
            if (p.x - x).abs() < half && at >= 0.0 && at < steps as f64 {
                let slot = &mut depths[at as usize];
                *slot = slot.max(p.z);
            }
        };
        for t in &mesh.triangles {
            let [a, b, c] = t.map(|i| mesh.points[i as usize]);
            let (l, h) = (a.min(b).min(c), a.max(b).max(c));
            if h.x < x - half || l.x > x + half || h.y < low || l.y > high {
                continue;
            }
            let grain = half.min((high - low) / (steps - 1) as f64);
            let cut = (((h - l).max_element() / (0.7 * grain)).ceil() as usize).clamp(2, 60);
            for i in 0..=cut {
                for j in 0..=cut - i {
                    let (u, v) = (i as f64 / cut as f64, j as f64 / cut as f64);
                    put(a + (b - a) * u + (c - a) * v);
                }
            }
        }
        // Heights without a point lie between their neighbours.
        let known: Vec<usize> = (0..steps).filter(|k| depths[*k].is_finite()).collect();
        for k in 0..steps {
            if depths[k].is_finite() {
                continue;
            }
            let after = known.partition_point(|n| *n < k);
            depths[k] = match (after.checked_sub(1).map(|b| known[b]), known.get(after)) {
                (Some(b), Some(a)) => {
                    let t = (k - b) as f64 / (a - b) as f64;
                    depths[b] * (1.0 - t) + depths[*a] * t
                }
                (Some(b), None) => depths[b],
                (None, Some(a)) => depths[*a],
                (None, None) => 0.0,
            };
        }
        Profile { heights, depths }
    }

    /// How deep each height lies below the higher of what is beside it within `width`, on the lower of both sides.
    fn dips(&self, width: f64) -> Vec<f64> {
        let step = self.heights[1] - self.heights[0];
        let w = ((width / step) as usize).max(2);
        let most = |range: &[f64]| range.iter().fold(f64::NEG_INFINITY, |a, b| a.max(*b));
        (0..self.depths.len())
            .map(|i| {
                let below = most(&self.depths[i.saturating_sub(w)..=i]);
                let above = most(&self.depths[i..(i + w + 1).min(self.depths.len())]);
                below.min(above) - self.depths[i]
            })
            .collect()
    }

    /// The height with the best score among those between two.
    fn best(&self, from: f64, to: f64, score: impl Fn(usize) -> f64) -> Option<usize> {
        let within = (0..self.heights.len()).filter(|k| self.heights[*k] > from && self.heights[*k] < to);
        within.max_by(|a, b| score(*a).total_cmp(&score(*b)))
    }
}

/// Ways that a character may stand in its file, as quarter turns about x and then y that put it upright, looking along +z: as
/// the format wants it, with z up, and turned away or aside.
const STANDS: [(f64, f64); 5] = [(0.0, 0.0), (-1.0, 0.0), (0.0, 2.0), (0.0, 1.0), (0.0, -1.0)];
/// Landmarks that lie so far off a usual face's, on average and in mouth widths, are looked for in another stand, too.
const UNUSUAL: f64 = 0.45;

/// The landmarks of a face, however it stands in its file.
///
/// # Errors
/// No pair of eyes was found, or no face beneath them.
pub fn propose(pieces: &[Piece]) -> Result<Landmarks, ShapeError> {
    let mut best: Option<(f64, Landmarks)> = None;
    let mut said = None;
    for (about_x, about_y) in STANDS {
        let quarter = std::f64::consts::FRAC_PI_2;
        let turn = DMat3::from_rotation_y(about_y * quarter) * DMat3::from_rotation_x(about_x * quarter);
        let mut turned = pieces.to_vec();
        turned.iter_mut().flat_map(|p| &mut p.mesh.points).for_each(|p| *p = turn * *p);
        match upright(&turned) {
            Ok(found) => {
                let off = unusual(&found);
                if best.is_none_or(|(least, _)| off < least) {
                    best = Some((off, found.moved(|p| turn.transpose() * p)));
                }
                if off < UNUSUAL {
                    break;
                }
            }
            Err(error) => said = said.or(Some(error)),
        }
    }
    best.map(|(_, found)| found).ok_or(said.unwrap_or(ShapeError::NoSkin))
}

/// How far landmarks are off the template's, brought as near as turn and scale can, on average and in mouth widths.
fn unusual(marks: &Landmarks) -> f64 {
    let template = shipped();
    let similarity = Similarity::onto(template, marks);
    let off: Vec<f64> = marks.there().map(|(l, p)| similarity.point(p).distance(template.mark(l))).collect();
    off.iter().sum::<f64>() / off.len() as f64 / template.mouth
}

/// The landmarks of a face that stands upright and looks along +z.
fn upright(pieces: &[Piece]) -> Result<Landmarks, ShapeError> {
    let (mesh, of) = joined(pieces, None);
    let named = |(part, kept): (Mesh, Vec<u32>)| {
        let (piece, _) = of[kept[kept.len() - 1] as usize][0];
        (part, pieces[piece as usize].name.as_str())
    };
    let split: Vec<(Mesh, &str)> = mesh.pieces().into_iter().map(named).collect();
    let eyes = eyes(&split)?;
    let middle = 0.5 * (eyes[0].middle + eyes[1].middle);
    let (x0, ye) = (middle.x, middle.y);
    let apart = (eyes[0].middle.x - eyes[1].middle.x).abs();
    let radius = 0.5 * (eyes[0].radius + eyes[1].radius);
    // The skin: of all islands the one with most points round nose and mouth.
    let votes = |part: &Mesh| {
        let near = |p: &&DVec3| {
            let q = (**p - middle) / apart;
            q.x.abs() < 0.9 && (-1.5..0.3).contains(&q.y) && q.z > -0.6
        };
        part.points.iter().filter(near).count()
    };
    let (skin, _) = split.iter().max_by_key(|(part, _)| votes(part)).ok_or(ShapeError::NoSkin)?;
    if votes(skin) < 40 {
        return Err(ShapeError::NoSkin);
    }
    let (low, high) = (ye - 3.2 * apart, ye + 0.6 * apart);
    let profile = Profile::of(skin, x0, 0.045 * apart, low, high);
    let mut face = Face::new(skin.clone(), 0.8 * apart);
    let wide = DVec3::new(apart, 0.0, 0.0);
    let depth = DVec3::new(0.0, 0.0, 0.5 * apart);
    let box_of = [
        DVec3::new(x0, ye - 2.2 * apart, middle.z) - wide - depth,
        DVec3::new(x0, ye + 0.4 * apart, middle.z) + wide + depth,
    ];
    face.look(&eyes, box_of);
    let skin = &face.mesh;
    let (ys, zs) = (&profile.heights, &profile.depths);
    // The foremost point near a place as seen from the front.
    let front = |x: f64, y: f64, reach: f64| {
        let off = |p: &DVec3| (p.x - x).hypot(p.y - y);
        let nearest = skin.points.iter().map(off).fold(f64::INFINITY, f64::min);
        let near = skin.points.iter().copied().filter(|p| off(p) <= reach.max(1.3 * nearest));
        near.max_by(|a, b| a.z.total_cmp(&b.z)).unwrap_or(middle)
    };
    let nose = profile
        .best(ye - 1.15 * apart, ye - 0.15 * apart, |k| zs[k] + 0.15 * ys[k])
        .ok_or(ShapeError::NoSkin)?;
    let yn = ys[nose];
    // The lips: a deep narrow dip, behind which the mouth lies that nobody sees; about as far below the nose as faces have it, beside
    // the eyes' distance and their height over the nose (from memory: 0.6 and 1.4 times these).
    let usual = 0.5 * (0.60 * apart) + 0.5 * (1.40 * (ye - yn));
    let dips = profile.dips(0.11 * apart);
    let hidden: Vec<DVec3> = (0..skin.points.len())
        .filter(|i| !face.open[*i] && (skin.points[*i].x - x0).abs() < 0.15 * apart)
        .map(|i| skin.points[i])
        .collect();
    let covers = |k: usize| {
        let at = DVec3::new(x0, ys[k], zs[k]);
        let near =
            hidden.iter().filter(|p| p.z < at.z + 0.02 * apart).map(|p| (p.y - at.y).hypot(p.z - at.z));
        near.fold(f64::INFINITY, f64::min) < 0.10 * apart
    };
    let seam = profile
        .best(yn - 2.0 * usual, yn - 0.35 * usual, |k| {
            let deep = (dips[k] / (0.015 * apart)).min(2.5) + if covers(k) { 1.5 } else { 0.0 };
            deep - ((ys[k] - (yn - usual)) / (0.5 * usual)).powi(2)
        })
        .ok_or(ShapeError::NoSkin)?;
    let ym = ys[seam];
    let lip = yn - ym;
    // Down from the lips as long as it goes on down and forward; where the throat falls back, the chin has been passed.
    let down = |k: usize| 0.60 * zs[k] - 0.80 * ys[k];
    let mut chin = None;
    for k in (0..ys.len()).rev().filter(|k| ys[*k] < ym - 0.5 * lip && ys[*k] > ym - 2.6 * lip) {
        match chin {
            Some(best) if down(k) < down(best) - 0.12 * lip => break,
            Some(best) if down(k) <= down(best) => {}
            _ => chin = Some(k),
        }
    }
    let chin = chin.ok_or(ShapeError::NoSkin)?;
    let chin_at = front(x0, ys[chin], 0.05 * apart);
    let mut out = Landmarks::at_origin();
    out.set(Landmark::LipUpper, front(x0, ym + 0.012 * apart, 0.02 * apart));
    out.set(Landmark::LipLower, front(x0, ym - 0.012 * apart, 0.02 * apart));
    out.set(Landmark::Nose, front(x0, yn, 0.05 * apart));
    out.set(Landmark::Chin, chin_at);
    for side in Side::BOTH {
        let ball = &eyes[side as usize];
        let sign = side.sign();
        let [outer, inner] = side.corners();
        for (landmark, way) in [(outer, sign), (inner, -sign)] {
            // The first skin beside the ball at its height.
            let lid = |p: &&DVec3| {
                let q = **p - ball.middle;
                let r = q.length() / radius;
                r > 0.97
                    && r < 1.25
                    && q.z > 0.1 * radius
                    && q.y.abs() < 0.28 * radius
                    && q.x * way > 0.3 * radius
            };
            let found = skin
                .points
                .iter()
                .filter(lid)
                .min_by(|a, b| (a.x - ball.middle.x).abs().total_cmp(&(b.x - ball.middle.x).abs()));
            let guess = ball.middle + DVec3::new(way * 0.95 * radius, 0.0, 0.35 * radius);
            out.set(landmark, found.copied().unwrap_or(guess));
        }
        // The outermost of the head between nose and brow, its front.
        let worn = [
            "hair", "curl", "braid", "wig", "hat", "cap", "hood", "helmet", "glass", "phone", "ring", "strap",
        ];
        let beside: Vec<DVec3> = split
            .iter()
            .filter(|(_, name)| !words(name, &worn))
            .flat_map(|(part, _)| part.points.iter().copied())
            .filter(|p| {
                let x = (p.x - x0) * sign;
                x > 0.0 && x < 2.2 * apart && p.y < ye + 0.35 * apart && p.y > yn - 0.3 * apart
            })
            .collect();
        let widest = beside.iter().map(|p| (p.x - x0).abs()).fold(0.0, f64::max);
        let ear: Vec<DVec3> = beside.into_iter().filter(|p| (p.x - x0).abs() > 0.84 * widest).collect();
        let mut heights: Vec<f64> = ear.iter().map(|p| p.y).collect();
        heights.sort_by(f64::total_cmp);
        let height = heights.get(heights.len() / 2).copied().unwrap_or(ye);
        let ear = ear
            .into_iter()
            .filter(|p| (p.y - height).abs() < 0.14 * apart)
            .max_by(|a, b| a.z.total_cmp(&b.z))
            .unwrap_or(middle + DVec3::new(sign * apart, -0.2 * apart, -0.8 * apart));
        out.set(side.ear(), ear);
        // The dip between the lips, followed sideways until it ends.
        let (mut y, mut last) = (ym, None);
        let mut aside = 0.05;
        while aside < 0.75 {
            let x = x0 + sign * aside * apart;
            let here = Profile::of(skin, x, 0.03 * apart, y - 0.20 * apart, y + 0.20 * apart);
            let dips = here.dips(0.07 * apart);
            let score = |k: usize| dips[k] - 0.05 * (here.heights[k] - y).abs();
            let Some(k) = here.best(y - 0.16 * apart, y + 0.16 * apart, score) else { break };
            if dips[k] < 0.004 * apart {
                break;
            }
            y = 0.5 * y + 0.5 * here.heights[k];
            last = Some((x, here.heights[k]));
            aside += 0.03;
        }
        let (x, y) = last.unwrap_or((x0 + sign * 0.4 * apart, ym));
        out.set(side.mouth(), front(x, y, 0.03 * apart));
    }
    // One side lost the dip: the one nearer to a usual width counts.
    let (left, right) = (DVec3::from(out.mouth_left), DVec3::from(out.mouth_right));
    let (wide_left, wide_right) = ((left.x - x0).abs(), (right.x - x0).abs());
    if wide_left.max(wide_right) > 1.35 * wide_left.min(wide_right) {
        let usual = 0.42 * apart;
        let wide =
            if (wide_left - usual).abs() < (wide_right - usual).abs() { wide_left } else { wide_right };
        let y = 0.5 * (left.y + right.y);
        out.mouth_left = front(x0 + wide, y, 0.03 * apart).to_array();
        out.mouth_right = front(x0 - wide, y, 0.03 * apart).to_array();
    }
    sharpen(&mut out, &face, &eyes, x0, apart);
    // The front of the neck as low as there is skin, but no further below the chin than a neck is long (from memory).
    let low = (chin_at.y - 0.5 * (0.78 * apart + 1.25 * lip))
        .max(skin.points.iter().map(|p| p.y).fold(f64::INFINITY, f64::min));
    if low < chin_at.y - 0.35 * apart {
        let at = (0..ys.len()).min_by(|a, b| (ys[*a] - low).abs().total_cmp(&(ys[*b] - low).abs()));
        out.neck = at.map(|k| front(x0, ys[k], 0.05 * apart).to_array());
    }
    Ok(out)
}

/// Puts the corners of mouth and eyes where lips and lids end: where what is seen borders on what never is. A face whose lips are
/// one surface keeps the corners that its profile gave.
fn sharpen(marks: &mut Landmarks, face: &Face, eyes: &[Ball; 2], x0: f64, apart: f64) {
    let points = &face.mesh.points;
    let rim: Vec<DVec3> =
        (0..points.len()).filter(|i| face.rim[*i] || face.border[*i]).map(|i| points[i]).collect();
    let mut lengths: Vec<f64> = face.edges.iter().map(|[a, b]| face.at(*a).distance(face.at(*b))).collect();
    lengths.sort_by(f64::total_cmp);
    let step = (0.10 * apart).max(1.5 * lengths.get(lengths.len() / 2).copied().unwrap_or(0.0));
    let seam = 0.5 * (DVec3::from(marks.lip_upper) + DVec3::from(marks.lip_lower));
    for side in Side::BOTH {
        let sign = side.sign();
        // Along the lips from their middle, as long as the next point is near.
        let mut along: Vec<DVec3> = rim
            .iter()
            .copied()
            .filter(|p| {
                let x = (p.x - x0) * sign;
                x > -0.02 * apart
                    && x < 0.9 * apart
                    && (p.y - seam.y).abs() < 0.25 * apart
                    && p.z > seam.z - 0.6 * apart
            })
            .collect();
        along.sort_by(|a, b| ((a.x - x0) * sign).total_cmp(&((b.x - x0) * sign)));
        let mut at = seam;
        for p in &along {
            let off = (*p - at).abs();
            let near = off.x < step && off.y < 0.8 * step && off.z < 1.5 * step;
            if near && (p.x - x0) * sign > (at.x - x0) * sign {
                at = *p;
            }
        }
        if (at.x - x0) * sign > 0.12 * apart {
            marks.set(side.mouth(), at);
        }
        let ball = &eyes[side as usize];
        let lid = |p: &&DVec3| {
            let q = **p - ball.middle;
            q.length() < 1.35 * ball.radius && q.z > 0.05 * ball.radius && q.y.abs() < 0.5 * ball.radius
        };
        let lids: Vec<&DVec3> = rim.iter().filter(lid).collect();
        let [outer, inner] = side.corners();
        for (landmark, way) in [(outer, sign), (inner, -sign)] {
            let found = lids.iter().max_by(|a, b| (a.x * way).total_cmp(&(b.x * way)));
            if let Some(p) = found.filter(|p| (p.x - ball.middle.x) * way > 0.4 * ball.radius) {
                marks.set(landmark, **p);
            }
        }
    }
}

/// Landmarks to begin with where none can be proposed: the template's, in the box of the head.
///
/// # Errors
/// There is nothing there.
pub fn rough(pieces: &[Piece]) -> Result<Landmarks, ShapeError> {
    // A figure is about seven heads high (common practice).
    const HEADS: f64 = 7.0;
    let points: Vec<DVec3> = pieces.iter().flat_map(|p| &p.mesh.points).copied().collect();
    if points.is_empty() {
        return Err(ShapeError::Nothing);
    }
    let (low, high) = corners(&points);
    let tall = high.y - low.y > 2.2 * (high.z - low.z).max(0.3 * (high.x - low.x));
    let height = if tall { (high.y - low.y) / HEADS } else { high.y - low.y };
    let head: Vec<DVec3> = points.into_iter().filter(|p| p.y >= high.y - height).collect();
    let (low, high) = corners(&head);
    let template = shipped();
    let (from, to) = corners(&template.mesh.points);
    let scale = (high.y - low.y) / (to.y - from.y);
    let place = |l: Landmark| {
        let q = template.mark(l);
        let x = 0.5 * (low.x + high.x) + scale * q.x;
        DVec3::new(x, high.y + scale * (q.y - to.y), high.z + scale * (q.z - to.z))
    };
    let mut out = Landmarks::at_origin();
    for landmark in Landmark::ALL {
        out.set(*landmark, place(*landmark));
    }
    Ok(out)
}
