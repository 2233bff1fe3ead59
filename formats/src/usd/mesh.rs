//! A mesh: its faces, what is painted on it and what it wears.

use super::layout::UsdCharacter;
use super::text;
use glam::Vec3;
use std::fmt::Write;

/// Digits after the point for a part's lengths.
pub(super) fn digits(points: &[Vec3]) -> u32 {
    text::digits_for(points.iter().map(|p| p.abs().max_element()).fold(0.0, f32::max))
}

pub(super) fn points(out: &mut String, points: &[Vec3], digits: u32) {
    text::rows(out, points.iter().map(|p| p.to_array()), digits);
}

/// Least and greatest corner.
pub(super) fn corners(points: &[Vec3]) -> [Vec3; 2] {
    let least = points.iter().copied().reduce(Vec3::min).unwrap_or(Vec3::ZERO);
    let greatest = points.iter().copied().reduce(Vec3::max).unwrap_or(Vec3::ZERO);
    [least, greatest]
}

pub(super) fn extent(out: &mut String, of: &[Vec3], digits: u32) {
    points(out, &corners(of), digits);
}

impl UsdCharacter {
    /// The lines of a mesh that do not change. `normals`: written too; points of a cache move, their normals would not.
    pub(super) fn geometry(&self, out: &mut String, part: usize, normals: bool) {
        let (mesh, dress) = (&self.body.parts[part], &self.dress[part]);
        out.push_str("        uniform token subdivisionScheme = \"none\"\n        uniform token orientation = \"rightHanded\"\n");
        out.push_str("        int[] faceVertexCounts = ");
        text::counts(out, mesh.triangles.iter().map(|_| 3));
        out.push_str("\n        int[] faceVertexIndices = ");
        text::counts(out, mesh.triangles.iter().flatten().map(|i| *i as usize));
        out.push('\n');
        let a_point = " (\n            interpolation = \"vertex\"\n        )\n";
        if normals && !dress.normals.is_empty() {
            out.push_str("        normal3f[] normals = ");
            points(out, &dress.normals, 4);
            out.push_str(a_point);
        }
        out.push_str("        color3f[] primvars:displayColor = ");
        match mesh.colours.first() {
            Some(first) if mesh.colours.iter().all(|c| c == first) => {
                text::rows(out, [first.to_array()], 4);
                out.push_str(" (\n            interpolation = \"constant\"\n        )\n");
            }
            _ => {
                points(out, &mesh.colours, 4);
                out.push_str(a_point);
            }
        }
        if !dress.coordinates.is_empty() {
            out.push_str("        texCoord2f[] primvars:st = ");
            text::rows(out, dress.coordinates.iter().map(|[u, v]| [*u, 1.0 - v]), 5);
            out.push_str(a_point);
        }
    }

    /// What a mesh wears: one material, or several on stretches of its faces.
    pub(super) fn wear(&self, out: &mut String, part: usize) {
        let name = &self.name;
        let worn = &self.dress[part].worn;
        let known = |m: Option<usize>| m.filter(|m| *m < self.materials.len());
        if let [(_, material)] = worn[..] {
            if let Some(m) = known(material) {
                let _ = writeln!(out, "        rel material:binding = </{name}/materials/m{m}>");
            }
            return;
        }
        out.push_str("        uniform token subsetFamily:materialBind:familyType = \"partition\"\n");
        for (k, (faces, material)) in worn.iter().enumerate() {
            let api = known(*material)
                .map_or("", |_| " (\n            prepend apiSchemas = [\"MaterialBindingAPI\"]\n        )");
            let _ = write!(
                out,
                "        def GeomSubset \"worn_{k}\"{api}\n        {{\n            uniform token elementType = \"face\"\n            \
                 uniform token familyName = \"materialBind\"\n            int[] indices = "
            );
            text::counts(out, faces.clone());
            out.push('\n');
            if let Some(m) = known(*material) {
                let _ = writeln!(out, "            rel material:binding = </{name}/materials/m{m}>");
            }
            out.push_str("        }\n");
        }
    }
}
