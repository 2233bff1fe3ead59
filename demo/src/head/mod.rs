//! Bram's head, built by code: a carved and painted face, its shapes named as the controls.
//!
//! The skin ([`skin`]) is one mesh of quads from a conformal map of the face onto a signed distance
//! ([`sculpt`]); its shapes ([`shapes`]) are closed-form fields over that map. Teeth, tongue, eyes,
//! hair and dress are swept, turned or offset; what touches the skin moves with it.

mod dress;
mod gltf;
mod hair;
mod maths;
mod mesh;
mod mouth_parts;
mod paint;
mod sculpt;
mod shapes;
mod skin;
mod texture;

use mesh::{Material, Mesh};
use std::f64::consts::TAU;

/// How often the carving marks repeat round the head.
const MARKS_ROUND: f64 = 5.0;

/// The character as a binary glTF file.
pub fn build() -> Result<Vec<u8>, png::EncodingError> {
    let skin = skin::Skin::build();
    let moves = shapes::of_skin(&skin);
    let around = |p: &maths::V3| [p.x.atan2(p.z + 0.12) * MARKS_ROUND / TAU, 0.80 * p.y];
    let uv = skin.points.iter().map(around).collect();
    let [brow_left, brow_right] = hair::brows(&skin, &moves);
    let beard = hair::beard(&skin, &moves);
    let [earphone, pad, strap] = dress::earphone();
    let face = Mesh {
        uv: Some((uv, MARKS_ROUND)),
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
        mouth_parts::eye("eye_left", true),
        mouth_parts::eye("eye_right", false),
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
    Ok(gltf::write(&meshes, &texture::carving_marks()?))
}
