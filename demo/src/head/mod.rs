//! Bram's head, built by code: a carved and painted face, its shapes named as the controls.
//!
//! The skin ([`skin`]) is one mesh of quads from a conformal map of the face onto a signed distance
//! ([`sculpt`]); its shapes ([`shapes`]) are closed-form fields over that map. Teeth, tongue, eyes,
//! hair and dress are swept, turned or offset; what touches the skin moves with it.

mod dress;
mod hair;
pub(crate) mod mouth_parts;
pub(crate) mod paint;
pub(crate) mod sculpt;
mod shapes;
pub(crate) mod skin;
mod texture;

use crate::craft::gltf::{self, Joint};
use crate::craft::maths::{V3, v};
use crate::craft::mesh::{Hanging, Material, Mesh};
use crate::craft::parts::eyeball;
use glam::DVec3;
use jam_shape::template::{self, Moves, Source, Tongue};
use paint::Palette;
use sculpt::{EYE, EYE_RADIUS, JAW_PIVOT};
use skin::{Cut, Skin};
use std::f64::consts::TAU;

/// Where the head turns on the neck, and the neck on the body.
const HEAD: V3 = v(template::HEAD.x, template::HEAD.y, template::HEAD.z);
const NECK: V3 = v(template::NECK.x, template::NECK.y, template::NECK.z);
/// The iris's colours, from its rim to the pupil.
const IRIS: [u32; 2] = [0x1d5560, 0x7fae98];
/// How often the carving marks repeat round the head.
const MARKS_ROUND: f64 = 5.0;

/// What the skin hangs on: the head down to the jaw's edge, from there on the neck, and in the collar the body.
fn neck(p: V3) -> Hanging {
    let shares = template::hangs(DVec3::from_array(p.array()));
    ["head", "neck", "body"].into_iter().zip(shares).filter(|(_, share)| *share > 0.0).collect()
}

/// How Bram's skin is cut.
const CUT: Cut = Cut { spokes: 120, step: 0.055, worn: true };
const PAINT: Palette = Palette {
    skin: [0xcf936b, 0xe6b98e],
    blush: 0xbf6447,
    wash: 0x8a4a35,
    lips: [0xa35a48, 0xc9805f, 0x5e2823],
    lid: 0xb06a4f,
    lash: 0x5b2a22,
};

/// The character as a binary glTF file.
pub fn build() -> Result<Vec<u8>, png::EncodingError> {
    let skin = Skin::build(CUT);
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
            paint::of_skin(&skin, &PAINT),
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

/// The head as the pattern whose shapes other faces are given: without what makes it uneven.
pub fn pattern() -> Source {
    let skin = Skin::build(CUT);
    let point = |p: &V3| DVec3::from_array(p.array());
    let moved = |shapes: &[crate::craft::mesh::Shape]| -> Vec<Moves> {
        let one = |(name, moves): &crate::craft::mesh::Shape| Moves {
            name: name.clone(),
            moves: (0u32..)
                .zip(moves.iter().map(point))
                .filter(|(_, m)| m.abs().max_element() > 1e-6)
                .collect(),
        };
        shapes.iter().map(one).collect()
    };
    let (jaw, seal) = shapes::jaw_and_seal(&skin).into_iter().unzip();
    let corners = |q: &[usize; 4]| [[q[0], q[1], q[2]], [q[0], q[2], q[3]]];
    let whole = |t: &[usize; 3]| t[0] != t[1] && t[1] != t[2] && t[2] != t[0];
    let triangles = skin.quads.iter().flat_map(corners).filter(whole).map(|t| t.map(|i| i as u32));
    let tongue = mouth_parts::tongue();
    Source {
        mesh: jam_shape::mesh::Mesh {
            points: skin.points.iter().map(point).collect(),
            triangles: triangles.collect(),
        },
        jaw,
        seal,
        shapes: moved(&shapes::of_skin(&skin)),
        tongue: Tongue { points: tongue.points.iter().map(point).collect(), shapes: moved(&tongue.shapes) },
        places: skin.places,
        contact: skin.contact.iter().map(|i| *i as u32).collect(),
        hinge: point(&JAW_PIVOT),
        eye: point(&EYE),
        eye_radius: EYE_RADIUS,
    }
}
