//! Bram's head, built by code: a carved and painted face, its shapes named as the controls.
//!
//! The skin ([`skin`]) is one mesh of quads from a conformal map of the face onto a signed distance
//! ([`sculpt`]); its shapes ([`shapes`]) are closed-form fields over that map. Teeth, tongue, eyes,
//! hair and dress are swept, turned or offset; what touches the skin moves with it.

mod dress;
mod hair;
mod mouth_parts;
mod paint;
mod sculpt;
mod shapes;
mod skin;
mod texture;

use crate::craft::gltf::{self, Joint};
use crate::craft::maths::{V3, smooth, v};
use crate::craft::mesh::{Hanging, Material, Mesh};
use crate::craft::parts::eyeball;
use sculpt::{EYE, EYE_RADIUS};
use std::f64::consts::TAU;

/// Where the head turns on the neck, and the neck on the body.
const HEAD: V3 = v(0.0, -1.02, -0.20);
const NECK: V3 = v(0.0, -1.52, -0.25);
/// The iris's colours, from its rim to the pupil.
const IRIS: [u32; 2] = [0x1d5560, 0x7fae98];
/// How often the carving marks repeat round the head.
const MARKS_ROUND: f64 = 5.0;

/// What the skin hangs on: the head down to the jaw's edge, from there on the neck, and in the collar the body.
fn neck(p: V3) -> Hanging {
    // Along the neck, which leans back: under the chin it begins higher than at the nape.
    let height = p.y + 0.25 * (p.z - HEAD.z).max(0.0);
    let head = smooth(-1.22, -0.92, height);
    let body = 1.0 - smooth(-1.64, -1.40, p.y);
    [("head", head), ("neck", (1.0 - head) * (1.0 - body)), ("body", (1.0 - head) * body)]
        .into_iter()
        .filter(|(_, share)| *share > 0.0)
        .collect()
}

/// The character as a binary glTF file.
pub fn build() -> Result<Vec<u8>, png::EncodingError> {
    let skin = skin::Skin::build();
    let moves = shapes::of_skin(&skin);
    let around = |p: &V3| [p.x.atan2(p.z + 0.12) * MARKS_ROUND / TAU, 0.80 * p.y];
    let uv = skin.points.iter().map(around).collect();
    let [brow_left, brow_right] = hair::brows(&skin, &moves);
    let beard = hair::beard(&skin, &moves);
    let [earphone, pad, strap] = dress::earphone();
    let face = Mesh {
        uv: Some((uv, MARKS_ROUND)),
        skin: Some(skin.points.iter().map(|p| neck(*p)).collect()),
        ..Mesh::new(
            "skin",
            skin.points.iter().map(|p| shapes::uneven(*p)).collect(),
            skin.quads.clone(),
            paint::of_skin(&skin),
            Material::Skin,
        )
        .with_shapes(moves)
    };
    let meshes = [
        face,
        eyeball("eye_left", EYE, EYE_RADIUS, IRIS),
        eyeball("eye_right", EYE.mirrored(), EYE_RADIUS, IRIS),
        mouth_parts::teeth("teeth_upper", true),
        mouth_parts::teeth("teeth_lower", false),
        mouth_parts::tongue(),
        brow_left,
        brow_right,
        beard,
        hair::back(),
        dress::cap(),
        dress::badge(),
        earphone,
        pad,
        strap,
        dress::jumper(),
    ];
    let joints = [
        Joint::new("operator", None, V3::ZERO),
        Joint::new("head", Some("neck"), HEAD),
        Joint::new("body", Some("operator"), V3::ZERO),
        Joint::new("neck", Some("operator"), NECK),
    ];
    Ok(gltf::write(&joints, &meshes, Some(&texture::carving_marks()?)))
}
