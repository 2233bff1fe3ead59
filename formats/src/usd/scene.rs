//! A scene's layer: each character's own layer by reference, below a transform that puts it in its place.

use super::layer::{UsdLine, head, sound};
use super::text;
use glam::Mat4;
use std::collections::BTreeSet;
use std::fmt::Write;

/// A character in a scene's layer.
pub struct UsdActor {
    /// What it is called; prims get names of their own.
    pub name: String,
    /// File name of the layer with what it does, beside this one.
    pub layer: String,
    pub place: Mat4,
}

/// The layer `SCENE.usda`; `line` gives its clock and its sound.
pub fn scene_layer(line: &UsdLine<'_>, actors: &[UsdActor]) -> String {
    let mut out = String::new();
    head(&mut out, "scene", Some(line));
    out.push_str("def Xform \"scene\" (\n    kind = \"assembly\"\n)\n{\n");
    let mut taken: BTreeSet<String> = ["sound".to_string()].into();
    for actor in actors {
        let name = text::prim(&actor.name, &mut taken);
        let _ = write!(
            out,
            "    def Xform \"{name}\" (\n        kind = \"group\"\n    )\n    {{\n        matrix4d xformOp:transform = "
        );
        text::matrix(&mut out, &actor.place.as_dmat4());
        let _ = write!(
            out,
            "\n        uniform token[] xformOpOrder = [\"xformOp:transform\"]\n        def \"character\" (\n            \
             prepend references = {}\n        )\n        {{\n        }}\n    }}\n",
            text::asset(&actor.layer)
        );
    }
    sound(&mut out, line);
    out.push_str("}\n");
    out
}
