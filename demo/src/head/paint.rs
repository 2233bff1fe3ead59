//! The skin's paint: base, blush, a dark wash in hollows, a dry brush on ridges, lips and lids.

use super::sculpt;
use super::skin::{CREASE_AT, Skin};
use crate::craft::maths::{V3, bell, blob, colour, lerp, noise, on, smooth, square, v};
use crate::craft::mesh::{Edges, normals};

/// What a skin is painted with.
pub struct Palette {
    /// The skin in hollows and on ridges.
    pub skin: [u32; 2],
    pub blush: u32,
    pub wash: u32,
    /// The lips, their shine below, and deep inside.
    pub lips: [u32; 3],
    pub lid: u32,
    /// The edge of the lids.
    pub lash: u32,
}

pub fn of_skin(skin: &Skin, with: &Palette) -> Vec<V3> {
    let outward = normals(&skin.points, &skin.quads);
    let edges = Edges::of(&skin.quads);
    let means = edges.mean(&skin.points);
    let lengths = edges.mean_length(&skin.points);
    let mut curvature: Vec<f64> = (0..skin.points.len())
        .map(|i| (means[i] - skin.points[i]).dot(outward[i]) / square(lengths[i].max(0.012)))
        .collect();
    for _ in 0..3 {
        curvature = edges.mean_of_numbers(&curvature);
    }
    (0..skin.points.len()).map(|i| point(skin, i, outward[i], curvature[i], with)).collect()
}

fn point(skin: &Skin, i: usize, outward: V3, curvature: f64, with: &Palette) -> V3 {
    let (p, place) = (skin.points[i], &skin.places[i]);
    let (mu, u) = (place.mu, if place.ear { 0.0 } else { place.nu.sin() });
    let q = p.folded();
    let hollow = ((curvature - 0.6) / 6.0).clamp(0.0, 1.0);
    let ridge = (-curvature / 5.0).clamp(0.0, 1.0);
    let shade = if place.sock > 0.0 || place.ear {
        0.0
    } else {
        let occluded = |h: f64| (h - sculpt::full(p + outward * h)).max(0.0) / h * 0.25;
        (1.3 * [0.03, 0.06, 0.10, 0.15].map(occluded).iter().sum::<f64>()).min(1.0)
    };
    let (blush, wash, deep) = (colour(with.blush), colour(with.wash), colour(with.lips[2]));
    let mut c = lerp(colour(with.skin[0]), colour(with.skin[1]), 0.55 * ridge + 0.25 * smooth(0.2, 0.7, p.y));
    let warm = 0.72 * blob(q, v(0.46, -0.17, 0.68), v(0.22, 0.17, 0.4))
        + 0.75 * blob(q, v(0.0, -0.15, 1.12), v(0.20, 0.16, 0.25))
        + 0.25 * blob(q, v(0.0, -0.9, 0.75), v(0.22, 0.16, 0.3));
    c = lerp(c, blush, warm.min(1.0) * (0.85 + 0.3 * noise(p * 9.0, 2)));
    if place.ear {
        c = lerp(lerp(c, blush, 0.50), wash, 0.8 * (1.2 * hollow).min(1.0));
    }
    let dark = (0.75 * hollow * on(!place.ear) + 0.65 * shade).min(0.9) * on(mu > 0.28);
    c = lerp(c, wash, dark);
    let lip = lerp(colour(with.lips[0]), deep, 0.75 * smooth(0.06, 0.0, mu).powf(1.3));
    let lip = lerp(lip, colour(with.lips[1]), 0.5 * bell(mu - 0.15, 0.05) * (-u).max(0.0));
    let rim = if u > 0.0 { smooth(0.215, 0.26, mu) } else { smooth(0.25, 0.295, mu) };
    let on_lip = on(mu < 2.9 && !place.ear) * (1.0 - rim) * (0.25 + 0.75 * u.abs().powf(0.25));
    c = lerp(c, lip, on_lip);
    let in_patch = on(place.eye_ring > 0.0 && place.eye_ring < 1.0);
    let lid = in_patch
        * (1.0 - smooth(CREASE_AT, CREASE_AT + 0.15, place.eye_ring))
        * smooth(-0.1, 0.3, place.eye_angle.sin());
    c = lerp(c, colour(with.lid), 0.55 * lid);
    c = lerp(c, colour(with.lash), 0.85 * on(place.eye_ring < 0.01));
    // The inside of the cheeks is flesh, dark only towards the throat: beside the teeth a black hole would
    // read as a missing tooth.
    c = lerp(c, colour(0x7a3230), smooth(0.5, 3.0, place.sock));
    c = lerp(c, colour(0x1c0d0e), smooth(4.0, 8.5, place.sock));
    c = lerp(c, deep * 0.8, 0.6 * on(place.sock == 1.0));
    c * (1.0 + 0.05 * noise(v(14.0 * p.x, 5.0 * p.y, 14.0 * p.z), 9) + 0.04 * noise(p * 24.0, 11))
}
