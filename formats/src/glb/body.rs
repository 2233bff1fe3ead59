//! A character's file as a body that can be posed.

use super::character::{Character, GlbError, damaged, numbers, rest_weight, target_names};
use super::scene::freed;
use glam::{Mat4, Quat, Vec3};
use jam_rig::body::{Body, Node, Part, Shape, Skin};
use jam_rig::{Mouth, Wiring};
use serde_json::Value;

impl Character {
    /// Its nodes and meshes at rest. Of a character as it is shown: [`Character::prepared`].
    ///
    /// # Errors
    /// The file is damaged.
    pub fn body(&self) -> Result<Body, GlbError> {
        let parents = self.scene().parents;
        let nodes = self.list("nodes").iter().zip(parents).map(|(node, parent)| {
            let (size, turn, place) =
                numbers::<16>(&node["matrix"]).and_then(|m| freed(&m)).unwrap_or_else(|| {
                    let turn = numbers::<4>(&node["rotation"]).unwrap_or([0.0, 0.0, 0.0, 1.0]);
                    (
                        numbers::<3>(&node["scale"]).map_or(Vec3::ONE, Vec3::from),
                        Quat::from_array(turn).normalize(),
                        numbers::<3>(&node["translation"]).unwrap_or_default().into(),
                    )
                });
            let name = node["name"].as_str().unwrap_or_default().to_string();
            Node { name, parent, place, turn, size }
        });
        let nodes = nodes.collect();
        let parts = self.mesh_nodes().map(|(n, mesh)| self.part(n, mesh)).collect::<Result<_, _>>()?;
        Ok(Body { nodes, parts })
    }

    /// The mouth of the character as it is wired, if it has one that can be measured.
    ///
    /// # Errors
    /// The wiring names what the character lacks, or the file is damaged.
    pub fn mouth(&self, wiring: &Wiring) -> Result<Option<Mouth>, GlbError> {
        Ok(Mouth::find(&self.prepared(wiring)?.body()?, wiring))
    }

    fn part(&self, node: usize, mesh: &Value) -> Result<Part, GlbError> {
        let (points, triangles) = self.surface(mesh, &Mat4::IDENTITY)?;
        let own = &self.list("nodes")[node];
        let mut shapes = Vec::new();
        for (t, name) in target_names(mesh).into_iter().enumerate() {
            let mut moves = Vec::new();
            self.each_moved(mesh, t, |i, m| moves.push((i as u32, m.into())))?;
            moves.retain(|(i, _): &(u32, Vec3)| (*i as usize) < points.len());
            shapes.push(Shape { name, rest: rest_weight(own, mesh, t), moves });
        }
        let mut colours = Vec::new();
        for primitive in mesh["primitives"].as_array().into_iter().flatten() {
            let material =
                primitive["material"].as_u64().and_then(|m| self.list("materials").get(m as usize));
            let base = material.and_then(|m| numbers::<4>(&m["pbrMetallicRoughness"]["baseColorFactor"]));
            let base = base.map_or(Vec3::ONE, |[r, g, b, _]| Vec3::new(r, g, b));
            let index = &primitive["attributes"]["COLOR_0"];
            let count = self.count(&primitive["attributes"]["POSITION"])?;
            let painted: Vec<Vec3> = match self.rows::<4>(index) {
                Ok(rows) => rows.iter().map(|[r, g, b, _]| Vec3::new(*r, *g, *b)).collect(),
                Err(_) => self.rows::<3>(index)?.into_iter().map(Vec3::from).collect(),
            };
            colours.extend((0..count).map(|i| base * painted.get(i).copied().unwrap_or(Vec3::ONE)));
        }
        let skin = match own["skin"].as_u64() {
            Some(skin) if !mesh["primitives"][0]["attributes"]["JOINTS_0"].is_null() => {
                Some(self.skin(skin as usize, mesh)?)
            }
            _ => None,
        };
        Ok(Part {
            node,
            points: points.into_iter().map(Vec3::from).collect(),
            colours,
            triangles,
            shapes,
            skin,
        })
    }

    fn skin(&self, skin: usize, mesh: &Value) -> Result<Skin, GlbError> {
        let skin = &self.list("skins")[skin];
        let inverse = self.rows::<16>(&skin["inverseBindMatrices"])?;
        let joints: Vec<usize> = skin["joints"]
            .as_array()
            .into_iter()
            .flatten()
            .filter_map(Value::as_u64)
            .map(|j| j as usize)
            .collect();
        let back = |k: usize| inverse.get(k).map_or(Mat4::IDENTITY, Mat4::from_cols_array);
        let count = joints.len();
        let joints = joints.into_iter().enumerate().map(|(k, j)| (j, back(k))).collect();
        let mut weights = Vec::new();
        for hung in self.skin_weights(mesh)?.ok_or_else(|| damaged("points hang on no joints"))? {
            let mut four = [(0, 0.0); 4];
            let mut all: Vec<(u16, f32)> =
                hung.into_iter().filter(|(j, _)| usize::from(*j) < count).collect();
            all.sort_by(|a, b| b.1.total_cmp(&a.1));
            four.iter_mut().zip(all).for_each(|(slot, one)| *slot = one);
            weights.push(four);
        }
        Ok(Skin { joints, weights })
    }
}
