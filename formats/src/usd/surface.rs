//! Materials as preview surfaces, with their images as files beside the layer.

use super::layout::UsdCharacter;
use super::text;
use crate::glb::{GlbError, Material, Texture};
use std::collections::BTreeMap;
use std::fmt::Write;

/// How an image is read into a surface.
struct Reading<'a> {
    /// Name of the reader's prim.
    name: &'a str,
    texture: Texture,
    colours: bool,
    scale: [f32; 4],
    bias: [f32; 4],
    outputs: &'a [&'a str],
}

impl UsdCharacter {
    /// File name of an image, within the folder of the layer.
    fn image_file(&self, image: usize) -> Result<String, GlbError> {
        Ok(format!("textures/{}_{image}.{}", self.name, self.character.image(image)?.kind))
    }

    /// The images that the materials read, by file name.
    ///
    /// # Errors
    /// The file is damaged.
    pub fn images(&self) -> Result<BTreeMap<String, &[u8]>, GlbError> {
        let read = |m: &Material| {
            [m.base_texture, m.metal_texture, m.emissive_texture, m.normal_texture.map(|(t, _)| t)]
        };
        let used = self.materials.iter().flat_map(read).flatten();
        used.map(|t| Ok((self.image_file(t.image)?, self.character.image(t.image)?.bytes))).collect()
    }

    /// All materials, in a scope of the root.
    pub(super) fn surfaces(&self, out: &mut String) -> Result<(), GlbError> {
        out.push_str("    def Scope \"materials\"\n    {\n");
        for (k, material) in self.materials.iter().enumerate() {
            self.surface(out, k, material)?;
        }
        out.push_str("    }\n");
        Ok(())
    }

    fn surface(&self, out: &mut String, k: usize, m: &Material) -> Result<(), GlbError> {
        let base = format!("/{}/materials/m{k}", self.name);
        let display = text::quoted(&m.name);
        let _ = write!(
            out,
            "        def Material \"m{k}\" (\n            displayName = {display}\n        )\n        {{\n            \
             token outputs:surface.connect = <{base}/surface.outputs:surface>\n            def Shader \"surface\"\n            {{\n                \
             uniform token info:id = \"UsdPreviewSurface\"\n"
        );
        let mut readings: Vec<Reading<'_>> = Vec::new();
        let one = [1.0; 4];
        let plain = |name, texture, colours, outputs| Reading {
            name,
            texture,
            colours,
            scale: one,
            bias: [0.0; 4],
            outputs,
        };
        let from = |out: &mut String, kind: &str, input: &str, reader: &str, output: &str| {
            let _ = writeln!(
                out,
                "                {kind} inputs:{input}.connect = <{base}/{reader}.outputs:{output}>"
            );
        };
        let value = |out: &mut String, input: &str, value: f32| {
            let _ = write!(out, "                float inputs:{input} = ");
            text::number(out, f64::from(value), 6);
            out.push('\n');
        };
        let see_through = m.blended || m.cut.is_some();
        match m.base_texture {
            Some(texture) => {
                from(out, "color3f", "diffuseColor", "picture", "rgb");
                readings.push(Reading { scale: m.base, ..plain("picture", texture, true, &["rgb", "a"]) });
                if see_through {
                    from(out, "float", "opacity", "picture", "a");
                }
            }
            None => {
                from(out, "color3f", "diffuseColor", "colour", "result");
                if see_through {
                    value(out, "opacity", m.base[3]);
                }
            }
        }
        if let Some(cut) = m.cut {
            value(out, "opacityThreshold", cut);
        }
        match m.metal_texture {
            Some(texture) => {
                from(out, "float", "roughness", "metal", "g");
                from(out, "float", "metallic", "metal", "b");
                let scale = [1.0, m.roughness, m.metallic, 1.0];
                readings.push(Reading { scale, ..plain("metal", texture, false, &["g", "b"]) });
            }
            None => {
                value(out, "metallic", m.metallic);
                value(out, "roughness", m.roughness);
            }
        }
        match m.emissive_texture {
            Some(texture) => {
                from(out, "color3f", "emissiveColor", "glow", "rgb");
                let [r, g, b] = m.emissive;
                readings.push(Reading { scale: [r, g, b, 1.0], ..plain("glow", texture, true, &["rgb"]) });
            }
            None => {
                out.push_str("                color3f inputs:emissiveColor = ");
                text::tuple(out, &m.emissive.map(f64::from), 6);
                out.push('\n');
            }
        }
        value(out, "clearcoat", m.clearcoat);
        value(out, "clearcoatRoughness", m.clearcoat_roughness);
        if let Some((texture, strength)) = m.normal_texture {
            from(out, "normal3f", "normal", "bumps", "rgb");
            let s = strength;
            readings.push(Reading {
                scale: [2.0 * s, 2.0 * s, 2.0, 1.0],
                bias: [-s, -s, -1.0, 0.0],
                ..plain("bumps", texture, false, &["rgb"])
            });
        }
        out.push_str("                token outputs:surface\n            }\n");
        for reading in &readings {
            self.reader(out, &base, reading)?;
        }
        if !readings.is_empty() {
            out.push_str(
                "            def Shader \"uv\"\n            {\n                uniform token info:id = \"UsdPrimvarReader_float2\"\n                \
                 string inputs:varname = \"st\"\n                float2 outputs:result\n            }\n",
            );
        }
        if m.base_texture.is_none() {
            out.push_str(
                "            def Shader \"colour\"\n            {\n                uniform token info:id = \"UsdPrimvarReader_float3\"\n                \
                 string inputs:varname = \"displayColor\"\n                float3 inputs:fallback = ",
            );
            text::tuple(out, &[m.base[0], m.base[1], m.base[2]].map(f64::from), 6);
            out.push_str("\n                float3 outputs:result\n            }\n");
        }
        out.push_str("        }\n");
        Ok(())
    }

    fn reader(&self, out: &mut String, base: &str, reading: &Reading<'_>) -> Result<(), GlbError> {
        let Reading { name, texture, colours, scale, bias, outputs } = reading;
        let wrap = |repeats: bool| if repeats { "repeat" } else { "clamp" };
        let space = if *colours { "sRGB" } else { "raw" };
        let file = text::asset(&self.image_file(texture.image)?);
        let _ = write!(
            out,
            "            def Shader \"{name}\"\n            {{\n                uniform token info:id = \"UsdUVTexture\"\n                \
             asset inputs:file = {file}\n                token inputs:sourceColorSpace = \"{space}\"\n                \
             token inputs:wrapS = \"{}\"\n                token inputs:wrapT = \"{}\"\n                float4 inputs:scale = ",
            wrap(texture.repeats[0]),
            wrap(texture.repeats[1])
        );
        text::tuple(out, &scale.map(f64::from), 6);
        out.push_str("\n                float4 inputs:bias = ");
        text::tuple(out, &bias.map(f64::from), 6);
        let _ = writeln!(out, "\n                float2 inputs:st.connect = <{base}/uv.outputs:result>");
        for output in *outputs {
            let kind = if *output == "rgb" { "float3" } else { "float" };
            let _ = writeln!(out, "                {kind} outputs:{output}");
        }
        out.push_str("            }\n");
        Ok(())
    }
}
