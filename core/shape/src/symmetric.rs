//! Left and right made mirror images of each other, where the mesh itself is one.

use crate::face::Face;
use crate::near::{nearest, tree};
use glam::DVec3;

/// How far from a point's mirror image its mate may lie, as a share of the mouth.
const MATE: f64 = 0.02;

/// The mirror image in the template's frame.
pub(crate) fn mirrored(p: DVec3) -> DVec3 {
    DVec3::new(-p.x, p.y, p.z)
}

/// Each point's mate on the other side; none where the mesh has none.
pub fn mates(face: &Face) -> Vec<Option<u32>> {
    let points = &face.mesh.points;
    let Some(tree) = tree(points) else { return Vec::new() };
    // Near lips that touch, the mate is on the same lip: its normal agrees.
    let mate = |i: usize| {
        let image = mirrored(face.normals[i]);
        nearest(&tree, mirrored(points[i]), 6)
            .into_iter()
            .find(|(k, d)| *d < MATE * face.unit && face.normals[*k].dot(image) > 0.5)
            .map(|(k, _)| k as u32)
    };
    (0..points.len()).map(mate).collect()
}

/// What a shape is called on the other side.
pub fn other_side(name: &str) -> String {
    for (left, right) in [("left", "right"), ("Left", "Right"), ("LEFT", "RIGHT")] {
        if name.contains(left) {
            return name.replacen(left, right, 1);
        }
        if name.contains(right) {
            return name.replacen(right, left, 1);
        }
    }
    // One letter at the end, set apart: “Smile_L”, “blink.r”, “EyeBlinkL”.
    let mut letters: Vec<char> = name.chars().collect();
    let [.., before, last] = letters.as_mut_slice() else { return name.to_string() };
    let apart = matches!(before, '_' | '.' | '-' | ' ');
    let other = match *last {
        'L' if apart || before.is_lowercase() => 'R',
        'R' if apart || before.is_lowercase() => 'L',
        'l' if apart => 'r',
        'r' if apart => 'l',
        _ => return name.to_string(),
    };
    *last = other;
    letters.into_iter().collect()
}

/// Shapes that move both sides the same way as seen in a mirror; the others move sideways.
pub(crate) fn turns_over(name: &str) -> f64 {
    if matches!(name, "jaw_side" | "mouth_side") { -1.0 } else { 1.0 }
}

pub fn even_out(shapes: &mut [(String, Vec<DVec3>)], face: &Face) {
    let mates = mates(face);
    let before: Vec<(String, Vec<DVec3>)> = shapes.to_vec();
    for (name, moves) in shapes.iter_mut() {
        let twin = other_side(name);
        let Some((_, other)) = before.iter().find(|(n, _)| *n == twin) else { continue };
        let sign = turns_over(name);
        for (i, by) in moves.iter_mut().enumerate() {
            if let Some(mate) = mates[i] {
                *by = 0.5 * (*by + sign * mirrored(other[mate as usize]));
            }
        }
    }
}
