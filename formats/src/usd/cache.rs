//! A cache of points: every mesh with as many points in the same order as in the character's file, over time. It stands
//! alone and needs no skeleton. Written frame by frame, as it is large.

use super::layer::{UsdLine, head, samples, sound, visibility};
use super::layout::{UsdCharacter, placed};
use super::{mesh, text};
use glam::{DMat4, Mat4, Vec3};
use jam_rig::body::{Node, Part};
use std::fmt::Write as _;
use std::io::{self, Write};

/// Digits fewer than the character's own: a millionth of its size.
const COARSER: u32 = 1;

impl UsdCharacter {
    /// Writes the layer `LINE.cache.usda`.
    ///
    /// # Errors
    /// It cannot be written.
    pub fn cache(&self, line: &UsdLine<'_>, to: &mut dyn Write) -> io::Result<()> {
        let mut out = String::new();
        let frames: Vec<Vec<f32>> = (0..line.frames()).map(|f| self.values(line.sampled, f)).collect();
        head(&mut out, &self.name, Some(line));
        let _ = write!(
            out,
            "def Xform \"{}\" (\n    kind = \"component\"\n)\n{{\n    matrix4d xformOp:transform = ",
            self.name
        );
        text::matrix(&mut out, &self.root_place());
        out.push_str("\n    uniform token[] xformOpOrder = [\"xformOp:transform\"]\n");
        if !self.materials.is_empty() {
            self.surfaces(&mut out).map_err(io::Error::other)?;
        }
        let places: Vec<Vec<Option<Mat4>>> =
            frames.iter().map(|values| self.body.places(&self.targets, values)).collect();
        for (part, mesh) in self.body.parts.iter().enumerate().filter(|(_, m)| !m.triangles.is_empty()) {
            self.moving(&mut out, line, part, mesh, &frames, &places, to)?;
        }
        sound(&mut out, line);
        out.push_str("}\n");
        to.write_all(out.as_bytes())
    }

    #[expect(clippy::too_many_arguments, reason = "the frames and places are shared by all parts")]
    fn moving(
        &self,
        out: &mut String,
        line: &UsdLine<'_>,
        part: usize,
        mesh: &Part,
        frames: &[Vec<f32>],
        places: &[Vec<Option<Mat4>>],
        to: &mut dyn Write,
    ) -> io::Result<()> {
        let first = line.first();
        let _ = write!(
            out,
            "    def Mesh \"{}\" (\n        prepend apiSchemas = [\"MaterialBindingAPI\"]\n    )\n    {{\n",
            self.meshes[part]
        );
        let bends = mesh.skin.is_some()
            || mesh.shapes.iter().any(|s| frames.iter().any(|v| s.weight(&self.targets, v) != 0.0));
        self.geometry(out, part, !bends);
        let digits = mesh::digits(&mesh.points).saturating_sub(COARSER).max(1);
        if bends {
            out.push_str("        point3f[] points.timeSamples = {\n");
            let mut extents = Vec::with_capacity(frames.len());
            let mut held: Option<Vec<Vec3>> = None;
            for (f, values) in frames.iter().enumerate() {
                let points = match self.bent(mesh, values, &places[f]) {
                    Some(points) => points,
                    // Nobody sees it; it waits where it was.
                    None => held.clone().unwrap_or_else(|| mesh.points.clone()),
                };
                let _ = write!(out, "            {}: ", first + f as i64);
                mesh::points(out, &points, digits);
                out.push_str(",\n");
                extents.push(mesh::corners(&points).to_vec());
                held = Some(points);
                to.write_all(out.as_bytes())?;
                out.clear();
            }
            out.push_str("        }\n        float3[] extent.timeSamples = ");
            samples(out, first, &extents, false, |out, corners| mesh::points(out, corners, digits));
            out.push('\n');
        } else {
            out.push_str("        point3f[] points = ");
            mesh::points(out, &mesh.points, digits + COARSER);
            out.push_str("\n        float3[] extent = ");
            mesh::extent(out, &mesh.points, digits + COARSER);
            out.push('\n');
        }
        if mesh.skin.is_none() {
            let transforms: Vec<DMat4> =
                frames.iter().map(|values| self.place_in_root(mesh.node, values)).collect();
            match transforms.first() {
                Some(one) if transforms.iter().all(|t| t == one) => {
                    out.push_str("        matrix4d xformOp:transform = ");
                    text::matrix(out, one);
                }
                _ => {
                    out.push_str("        matrix4d xformOp:transform.timeSamples = ");
                    samples(out, first, &transforms, false, text::matrix);
                }
            }
            out.push_str("\n        uniform token[] xformOpOrder = [\"xformOp:transform\"]\n");
        }
        let shown: Vec<bool> = places.iter().map(|p| p[mesh.node].is_some()).collect();
        if shown.iter().any(|s| !s) {
            visibility(out, first, &shown);
        }
        self.wear(out, part);
        out.push_str("    }\n");
        to.write_all(out.as_bytes())?;
        out.clear();
        Ok(())
    }

    /// A mesh's points: of a skin where the root is, else in its own space.
    fn bent(&self, mesh: &Part, values: &[f32], places: &[Option<Mat4>]) -> Option<Vec<Vec3>> {
        places[mesh.node]?;
        let mut points = mesh.shaped(&self.targets, values);
        if let Some(skin) = &mesh.skin {
            skin.bend(&mut points, places);
            let back = self.root_place().inverse().as_mat4();
            points.iter_mut().for_each(|p| *p = back.transform_point3(*p));
        }
        Some(points)
    }

    fn place_in_root(&self, node: usize, values: &[f32]) -> DMat4 {
        let local = |n: usize| -> DMat4 {
            let node: &Node = &self.body.nodes[n];
            placed(&node.pose(&self.targets, values))
        };
        let chain: Vec<usize> = std::iter::successors(Some(node), |n| self.body.nodes[*n].parent).collect();
        let whole = chain.iter().rev().fold(DMat4::IDENTITY, |m, n| m * local(*n));
        self.root_place().inverse() * whole
    }
}
