//! What a character's surfaces wear: normals, texture coordinates, materials and their images, as other formats need
//! them beside the body's points.

use super::character::{Character, GlbError, damaged, numbers, target_names};
use glam::Vec3;
use serde_json::Value;
use std::ops::Range;

/// One mesh, its points counted as in [`jam_rig::body::Part`].
#[derive(Debug, Clone, PartialEq)]
pub struct Dress {
    /// One a point; empty if the file has none.
    pub normals: Vec<Vec3>,
    /// One a point, (0, 0) at the upper left as in glTF; empty if the file has none.
    pub coordinates: Vec<[f32; 2]>,
    /// Stretches of triangles with the number of their material.
    pub worn: Vec<(Range<usize>, Option<usize>)>,
    /// How each shape turns the normals, as the body's shapes move the points.
    pub turns: Vec<Vec<(u32, Vec3)>>,
}

/// A place in a texture image.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub struct Texture {
    pub image: usize,
    pub repeats: [bool; 2],
}

/// A material: metal and roughness as in glTF 2.0 (Khronos).
#[derive(Debug, Clone, PartialEq)]
pub struct Material {
    pub name: String,
    /// Linear red, green, blue, and opacity.
    pub base: [f32; 4],
    pub base_texture: Option<Texture>,
    pub metallic: f32,
    pub roughness: f32,
    /// Roughness in its green, metal in its blue.
    pub metal_texture: Option<Texture>,
    pub emissive: [f32; 3],
    pub emissive_texture: Option<Texture>,
    pub normal_texture: Option<(Texture, f32)>,
    pub clearcoat: f32,
    pub clearcoat_roughness: f32,
    /// Below this opacity nothing is drawn; of a cut-out.
    pub cut: Option<f32>,
    pub blended: bool,
}

/// An image of the file.
#[derive(Debug, Clone, PartialEq)]
pub struct Image<'a> {
    pub bytes: &'a [u8],
    /// `png` or `jpg`.
    pub kind: &'static str,
}

impl Character {
    /// What each mesh wears, in the order of the body's parts.
    ///
    /// # Errors
    /// The file is damaged.
    pub fn dress(&self) -> Result<Vec<Dress>, GlbError> {
        self.mesh_nodes().map(|(_, mesh)| self.worn(mesh)).collect()
    }

    fn worn(&self, mesh: &Value) -> Result<Dress, GlbError> {
        let (mut normals, mut coordinates, mut worn) = (Vec::new(), Vec::new(), Vec::new());
        let (mut triangles, mut points) = (0, 0);
        let mut turns = vec![Vec::new(); target_names(mesh).len()];
        for primitive in mesh["primitives"].as_array().into_iter().flatten() {
            let attributes = &primitive["attributes"];
            let count = self.count(&attributes["POSITION"])?;
            normals.extend(self.rows::<3>(&attributes["NORMAL"])?.into_iter().map(Vec3::from));
            coordinates.extend(self.rows::<2>(&attributes["TEXCOORD_0"])?);
            if matches!(primitive["mode"].as_u64(), None | Some(4)) {
                let corners = match primitive["indices"] {
                    Value::Null => count,
                    ref index => self.count(index)?,
                };
                let material = primitive["material"].as_u64().map(|m| m as usize);
                worn.push((triangles..triangles + corners / 3, material));
                triangles += corners / 3;
            }
            for (t, turned) in turns.iter_mut().enumerate() {
                let index = &primitive["targets"][t]["NORMAL"];
                if !index.is_null() {
                    self.each_move(index, |i, m| turned.push(((points + i) as u32, Vec3::from(m))))?;
                }
            }
            points += count;
        }
        // A part of the mesh without them leaves the others' in the wrong places.
        let whole = |n: usize| n == points;
        if !whole(normals.len()) {
            normals.clear();
        }
        if !whole(coordinates.len()) {
            coordinates.clear();
        }
        Ok(Dress { normals, coordinates, worn, turns })
    }

    /// The materials of the file, in its order.
    pub fn materials(&self) -> Vec<Material> {
        let number = |v: &Value, none: f32| v.as_f64().map_or(none, |v| v as f32);
        let read = |m: &Value| {
            let metal = &m["pbrMetallicRoughness"];
            let coat = &m["extensions"]["KHR_materials_clearcoat"];
            let bumps = &m["normalTexture"];
            Material {
                name: m["name"].as_str().unwrap_or_default().into(),
                base: numbers::<4>(&metal["baseColorFactor"]).unwrap_or([1.0; 4]),
                base_texture: self.texture(&metal["baseColorTexture"]),
                metallic: number(&metal["metallicFactor"], 1.0),
                roughness: number(&metal["roughnessFactor"], 1.0),
                metal_texture: self.texture(&metal["metallicRoughnessTexture"]),
                emissive: numbers::<3>(&m["emissiveFactor"]).unwrap_or_default(),
                emissive_texture: self.texture(&m["emissiveTexture"]),
                normal_texture: self.texture(bumps).map(|t| (t, number(&bumps["scale"], 1.0))),
                clearcoat: number(&coat["clearcoatFactor"], 0.0),
                clearcoat_roughness: number(&coat["clearcoatRoughnessFactor"], 0.0),
                cut: (m["alphaMode"] == "MASK").then(|| number(&m["alphaCutoff"], 0.5)),
                blended: m["alphaMode"] == "BLEND",
            }
        };
        self.list("materials").iter().map(read).collect()
    }

    /// The image of a texture that lies on the first coordinates; others are left out.
    fn texture(&self, info: &Value) -> Option<Texture> {
        let texture = self.list("textures").get(info["index"].as_u64()? as usize)?;
        if info["texCoord"].as_u64().is_some_and(|c| c != 0) {
            return None;
        }
        let image = texture["source"].as_u64()? as usize;
        let sampler = texture["sampler"].as_u64().and_then(|s| self.list("samplers").get(s as usize));
        // 33071 is CLAMP_TO_EDGE; mirrored repeats are taken for plain ones.
        let repeats = |side: &str| sampler.is_none_or(|s| s[side].as_u64() != Some(33071));
        self.list("images").get(image)?;
        Some(Texture { image, repeats: [repeats("wrapS"), repeats("wrapT")] })
    }

    /// An image by its number.
    ///
    /// # Errors
    /// The file is damaged.
    pub fn image(&self, image: usize) -> Result<Image<'_>, GlbError> {
        let missing = || damaged("an image is missing");
        let image = self.list("images").get(image).ok_or_else(missing)?;
        let bytes = self.view_bytes(&image["bufferView"])?;
        let kind = if bytes.starts_with(&[0xFF, 0xD8]) { "jpg" } else { "png" };
        Ok(Image { bytes, kind })
    }
}
