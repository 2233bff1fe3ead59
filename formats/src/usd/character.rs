//! The character's own layer: skeleton, meshes with their shapes, skins and materials, at rest.

use super::layer::head;
use super::layout::UsdCharacter;
use super::{mesh, text};
use crate::glb::GlbError;
use glam::{DMat4, Vec3};
use jam_rig::body::Skin;
use std::collections::{BTreeMap, BTreeSet};
use std::fmt::Write;

/// How far two matrices may lie apart and still be the same bind.
const SAME: f64 = 1e-4;

/// What a mesh hangs on.
struct Hung {
    bind: DMat4,
    /// Joints and shares, `each` for every point.
    hangs: Vec<(usize, f32)>,
    each: usize,
    skeleton: usize,
}

impl UsdCharacter {
    /// The layer `CHARACTER.usda`.
    ///
    /// # Errors
    /// The file is damaged.
    pub fn layer(&self) -> Result<String, GlbError> {
        let mut out = String::new();
        let name = &self.name;
        head(&mut out, name, None);
        let _ = write!(
            out,
            "def SkelRoot \"{name}\" (\n    kind = \"component\"\n    prepend apiSchemas = [\"SkelBindingAPI\"]\n)\n{{\n    \
             matrix4d xformOp:transform = "
        );
        text::matrix(&mut out, &self.root_place());
        out.push_str("\n    uniform token[] xformOpOrder = [\"xformOp:transform\"]\n");
        // A skin whose points were bound elsewhere than its joints rest has a skeleton of its own, on the same motion.
        let mut skeletons = vec![self.joints.iter().map(|j| self.rest_in_root(*j)).collect::<Vec<DMat4>>()];
        let hung: Vec<Option<Hung>> =
            (0..self.body.parts.len()).map(|p| self.hung(p, &mut skeletons)).collect();
        for (k, binds) in skeletons.iter().enumerate() {
            self.skeleton(&mut out, k, binds);
        }
        self.motion_at_rest(&mut out);
        self.surfaces(&mut out)?;
        for part in 0..self.body.parts.len() {
            self.mesh(&mut out, part, hung[part].as_ref());
        }
        out.push_str("}\n");
        Ok(out)
    }

    fn hung(&self, part: usize, skeletons: &mut Vec<Vec<DMat4>>) -> Option<Hung> {
        let part = &self.body.parts[part];
        let Some(skin) = &part.skin else {
            let joint = self.joint_number(self.joint_above(part.node)?);
            let hangs = vec![(joint, 1.0); part.points.len()];
            return Some(Hung { bind: self.rest_in_root(part.node), hangs, each: 1, skeleton: 0 });
        };
        let binds: Vec<DMat4> =
            skin.joints.iter().map(|(j, back)| self.rest_in_root(*j) * back.as_dmat4()).collect();
        let first = binds.first().copied().unwrap_or(DMat4::IDENTITY);
        let (hangs, each) = self.shares(skin);
        if binds.iter().all(|b| b.abs_diff_eq(first, SAME)) {
            return Some(Hung { bind: first, hangs, each, skeleton: 0 });
        }
        let mut own = skeletons[0].clone();
        for (joint, back) in &skin.joints {
            own[self.joint_number(*joint)] = back.as_dmat4().inverse();
        }
        let skeleton = skeletons.iter().position(|s| *s == own).unwrap_or_else(|| {
            skeletons.push(own);
            skeletons.len() - 1
        });
        Some(Hung { bind: DMat4::IDENTITY, hangs, each, skeleton })
    }

    /// The shares of a skin's points, as many for each as the point with most has; they add up to 1, as USD does not see
    /// to that.
    fn shares(&self, skin: &Skin) -> (Vec<(usize, f32)>, usize) {
        let numbers: Vec<usize> = skin.joints.iter().map(|(j, _)| self.joint_number(*j)).collect();
        let each =
            skin.weights.iter().map(|w| w.iter().filter(|(_, s)| *s > 0.0).count()).max().unwrap_or(1).max(1);
        let mut out = Vec::with_capacity(skin.weights.len() * each);
        for weights in &skin.weights {
            let all: f32 = weights.iter().map(|(_, s)| s).sum();
            for k in 0..each {
                let (joint, share) = weights[k];
                let counts = share > 0.0 && all > 0.0;
                out.push(if counts { (numbers[usize::from(joint)], share / all) } else { (0, 0.0) });
            }
        }
        (out, each)
    }

    fn skeleton(&self, out: &mut String, k: usize, binds: &[DMat4]) {
        let _ = write!(
            out,
            "    def Skeleton \"{}\" (\n        prepend apiSchemas = [\"SkelBindingAPI\"]\n    )\n    {{\n        uniform token[] joints = ",
            skeleton_name(k)
        );
        self.joint_paths(out);
        out.push_str("\n        uniform token[] jointNames = ");
        text::tokens(out, self.joints.iter().map(|j| self.body.nodes[*j].name.as_str()));
        out.push_str("\n        uniform matrix4d[] bindTransforms = ");
        text::list(out, binds, text::matrix);
        out.push_str("\n        uniform matrix4d[] restTransforms = ");
        text::list(out, &self.joints, |out, j| {
            let above = self.body.nodes[*j].parent.filter(|p| self.paths.contains_key(p));
            let own = self.rest_in_root(*j);
            text::matrix(out, &above.map_or(own, |p| self.rest_in_root(p).inverse() * own));
        });
        let _ = write!(out, "\n        rel skel:animationSource = </{}/motion>\n    }}\n", self.name);
    }

    fn joint_paths(&self, out: &mut String) {
        text::tokens(out, self.joints.iter().map(|j| self.paths[j].as_str()));
    }

    fn motion_at_rest(&self, out: &mut String) {
        out.push_str("    def SkelAnimation \"motion\"\n    {\n        uniform token[] joints = ");
        self.joint_paths(out);
        let poses: Vec<_> = self.joints.iter().map(|j| self.joint_pose(*j, &[])).collect();
        out.push_str("\n        float3[] translations = ");
        text::list(out, &poses, |out, p| text::tuple(out, &p.0.to_array(), 7));
        out.push_str("\n        quatf[] rotations = ");
        text::list(out, &poses, |out, p| text::tuple(out, &[p.1.w, p.1.x, p.1.y, p.1.z], 7));
        out.push_str("\n        half3[] scales = ");
        text::list(out, &poses, |out, p| text::tuple(out, &p.2.to_array(), 6));
        out.push_str("\n        uniform token[] blendShapes = ");
        text::tokens(out, self.shapes.iter().map(String::as_str));
        out.push_str("\n        float[] blendShapeWeights = ");
        text::list(out, &self.weights(&[]), |out, w| text::number(out, f64::from(*w), 6));
        out.push_str("\n    }\n");
    }

    /// Every shape's weight, in the order of [`UsdCharacter::shapes`]; without values at rest.
    pub(super) fn weights(&self, values: &[f32]) -> Vec<f32> {
        let shape = |name: &String| self.body.parts.iter().flat_map(|p| &p.shapes).find(|s| s.name == *name);
        self.shapes.iter().map(|n| shape(n).map_or(0.0, |s| s.weight(&self.targets, values))).collect()
    }

    fn mesh(&self, out: &mut String, part: usize, hung: Option<&Hung>) {
        let (name, mesh) = (&self.meshes[part], &self.body.parts[part]);
        if mesh.triangles.is_empty() {
            return;
        }
        let deforms = hung.is_some() || !mesh.shapes.is_empty();
        let api =
            if deforms { "[\"MaterialBindingAPI\", \"SkelBindingAPI\"]" } else { "[\"MaterialBindingAPI\"]" };
        let _ = write!(out, "    def Mesh \"{name}\" (\n        prepend apiSchemas = {api}\n    )\n    {{\n");
        let digits = mesh::digits(&mesh.points);
        out.push_str("        point3f[] points = ");
        mesh::points(out, &mesh.points, digits);
        out.push_str("\n        float3[] extent = ");
        mesh::extent(out, &mesh.points, digits);
        out.push('\n');
        self.geometry(out, part, true);
        match hung {
            Some(hung) => hang(out, hung),
            None => {
                out.push_str("        matrix4d xformOp:transform = ");
                text::matrix(out, &self.rest_in_root(mesh.node));
                out.push_str("\n        uniform token[] xformOpOrder = [\"xformOp:transform\"]\n");
            }
        }
        if deforms {
            let skeleton = skeleton_name(hung.map_or(0, |h| h.skeleton));
            let _ = writeln!(out, "        rel skel:skeleton = </{}/{skeleton}>", self.name);
        }
        self.shapes_of(out, part, digits);
        self.wear(out, part);
        out.push_str("    }\n");
    }

    fn shapes_of(&self, out: &mut String, part: usize, digits: u32) {
        let (name, mesh, dress) = (&self.meshes[part], &self.body.parts[part], &self.dress[part]);
        if mesh.shapes.is_empty() {
            return;
        }
        let mut taken: BTreeSet<String> =
            self.dress[part].worn.iter().enumerate().map(|(k, _)| format!("worn_{k}")).collect();
        let prims: Vec<String> = mesh.shapes.iter().map(|s| text::prim(&s.name, &mut taken)).collect();
        out.push_str("        uniform token[] skel:blendShapes = ");
        text::tokens(out, mesh.shapes.iter().map(|s| s.name.as_str()));
        out.push_str("\n        rel skel:blendShapeTargets = ");
        text::list(out, &prims, |out, p| {
            let _ = write!(out, "</{}/{name}/{p}>", self.name);
        });
        out.push('\n');
        for (k, (shape, prim)) in mesh.shapes.iter().zip(&prims).enumerate() {
            let mut moved: BTreeMap<u32, (Vec3, Vec3)> = BTreeMap::new();
            for (i, by) in shape.moves.iter().filter(|(_, by)| *by != Vec3::ZERO) {
                moved.entry(*i).or_default().0 = *by;
            }
            if !dress.normals.is_empty() {
                for (i, by) in dress.turns.get(k).into_iter().flatten().filter(|(_, by)| *by != Vec3::ZERO) {
                    moved.entry(*i).or_default().1 = *by;
                }
            }
            let _ = write!(
                out,
                "        def BlendShape \"{prim}\"\n        {{\n            uniform vector3f[] offsets = "
            );
            text::rows(out, moved.values().map(|m| m.0.to_array()), digits);
            out.push_str("\n            uniform vector3f[] normalOffsets = ");
            text::rows(out, moved.values().map(|m| m.1.to_array()), 3);
            out.push_str("\n            uniform int[] pointIndices = ");
            text::counts(out, moved.keys().map(|i| *i as usize));
            out.push_str("\n        }\n");
        }
    }
}

fn skeleton_name(k: usize) -> String {
    if k == 0 { "rig".into() } else { format!("rig_{}", k + 1) }
}

fn hang(out: &mut String, hung: &Hung) {
    let each = format!(
        " (\n            elementSize = {}\n            interpolation = \"vertex\"\n        )\n",
        hung.each
    );
    out.push_str("        matrix4d primvars:skel:geomBindTransform = ");
    text::matrix(out, &hung.bind);
    out.push_str("\n        int[] primvars:skel:jointIndices = ");
    text::counts(out, hung.hangs.iter().map(|(j, _)| *j));
    out.push_str(&each);
    out.push_str("        float[] primvars:skel:jointWeights = ");
    text::list(out, &hung.hangs, |out, (_, share)| text::number(out, f64::from(*share), 6));
    out.push_str(&each);
}
