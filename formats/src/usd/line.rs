//! A line's layer: the character by reference, and over it only what moves.

use super::layer::{UsdLine, head, samples, sound, visibility};
use super::layout::UsdCharacter;
use super::text;
use std::fmt::Write;

impl UsdCharacter {
    /// The layer `LINE.usda`. `character_file` is the file name of [`UsdCharacter::layer`], beside it.
    pub fn line_layer(&self, line: &UsdLine<'_>, character_file: &str) -> String {
        let mut out = String::new();
        let (name, first) = (&self.name, line.first());
        let frames: Vec<Vec<f32>> = (0..line.frames()).map(|f| self.values(line.sampled, f)).collect();
        head(&mut out, name, Some(line));
        let character = text::asset(character_file);
        let _ = write!(
            out,
            "def \"{name}\" (\n    prepend references = {character}\n)\n{{\n    over \"motion\"\n    {{\n"
        );
        let poses: Vec<Vec<_>> = frames
            .iter()
            .map(|values| self.joints.iter().map(|j| self.joint_pose(*j, values)).collect())
            .collect();
        if !self.joints.is_empty() {
            out.push_str("        float3[] translations.timeSamples = ");
            let moved: Vec<Vec<_>> =
                poses.iter().map(|f| f.iter().map(|p| p.0.to_array()).collect()).collect();
            samples(&mut out, first, &moved, false, |out, row| {
                text::list(out, row, |out, v| text::tuple(out, v, 7))
            });
            out.push_str("\n        quatf[] rotations.timeSamples = ");
            let turned: Vec<Vec<_>> =
                poses.iter().map(|f| f.iter().map(|p| [p.1.w, p.1.x, p.1.y, p.1.z]).collect()).collect();
            samples(&mut out, first, &turned, false, |out, row| {
                text::list(out, row, |out, v| text::tuple(out, v, 7))
            });
            out.push_str("\n        half3[] scales.timeSamples = ");
            let sized: Vec<Vec<_>> =
                poses.iter().map(|f| f.iter().map(|p| p.2.to_array()).collect()).collect();
            samples(&mut out, first, &sized, false, |out, row| {
                text::list(out, row, |out, v| text::tuple(out, v, 6))
            });
            out.push('\n');
        }
        if !self.shapes.is_empty() {
            out.push_str("        float[] blendShapeWeights.timeSamples = ");
            let weights: Vec<Vec<f32>> = frames.iter().map(|values| self.weights(values)).collect();
            samples(&mut out, first, &weights, false, |out, row| {
                text::list(out, row, |out, w| text::number(out, f64::from(*w), 6));
            });
            out.push('\n');
        }
        out.push_str("    }\n");
        let places: Vec<_> = frames.iter().map(|values| self.body.places(&self.targets, values)).collect();
        for (part, mesh) in self.body.parts.iter().enumerate().filter(|(_, m)| !m.triangles.is_empty()) {
            let shown: Vec<bool> = places.iter().map(|p| p[mesh.node].is_some()).collect();
            if shown.iter().any(|s| !s) {
                let _ = write!(out, "    over \"{}\"\n    {{\n", self.meshes[part]);
                visibility(&mut out, first, &shown);
                out.push_str("    }\n");
            }
        }
        sound(&mut out, line);
        out.push_str("}\n");
        out
    }
}
