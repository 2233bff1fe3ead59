//! A character's shapes corrected by hand: strokes, and operations on whole shapes, each one step of the character.

use crate::app::App;
use crate::house::Asked;
use crate::models::Model;
use crate::problem::{Answer, Problem};
use crate::workshop;
use jam_desk::{Refusal, Reshaped, ShapeOp, Shapes, reshape};
use jam_rig::{Output, Target};
use jam_score::Control;
use jam_shape::template::shipped;
use jam_shape::{
    Brush, Change, Closing, Ground, Held, Landmarks, Layer, Progress, Shaping, Stroke, other_side,
};
use jam_store::{CastMember, Layered, NewModel, NewWiring};
use serde::Serialize;
use std::sync::Arc;

/// A shape of a character.
#[derive(Serialize, utoipa::ToSchema)]
pub struct ShapeView {
    name: String,
    /// Whether it was changed by hand.
    changed: bool,
    /// Whether it was made by hand, and is not of the file.
    made: bool,
    /// The same of the other side, if there is one.
    twin: Option<String>,
}

/// A character as it stands under the brush.
pub struct Standing {
    pub member: CastMember,
    pub worn: Arc<Model>,
    pub ground: Arc<Ground>,
    /// Where its face is.
    pub marks: Landmarks,
    /// The file that the layer lies on, its hash, and the layer.
    base: Arc<Model>,
    base_hash: String,
    layer: Layer,
    shaping: Option<Shaping>,
}

/// Most places of one stroke, and the widest brush in mouth widths.
const MOST_PLACES: usize = 500;
const WIDEST: f64 = 4.0;

/// A character made ready for the brush; the first time, its face is looked at, which takes seconds on a large mesh.
///
/// # Errors
/// Its face cannot be made out, or its file cannot be read.
pub fn stand(app: &App, id: i32) -> Answer<Standing> {
    let member = app.store.cast_member(id)?;
    let worn = app.model(&member.model)?;
    let (base_hash, layer) = match &worn.layered {
        Some(layered) => (layered.base.clone(), layered.layer.clone()),
        None => (member.model.clone(), Layer::default()),
    };
    let base = app.model(&base_hash)?;
    let came = app.model(member.came_as())?;
    let shaping = app.store.shaping(id)?;
    let marks = match &shaping {
        Some(shaping) => shaping.landmarks,
        None => came.marks()?.landmarks,
    };
    let ground = app.grounds.get(member.came_as(), &marks, || {
        let pieces = came.character.pieces()?;
        Ok(Ground::new(shipped(), &pieces, &marks, &Progress(&|_| true))?)
    })?;
    Ok(Standing { member, worn, ground, marks, base, base_hash, layer, shaping })
}

impl Standing {
    /// The shapes in their order.
    pub fn list(&self) -> Vec<ShapeView> {
        let file = &self.base.shape_names;
        let names = self.layer.names(file);
        let one = |name: &String| ShapeView {
            name: name.clone(),
            changed: self.layer.moved.contains_key(name),
            made: !file.iter().any(|own| self.layer.name_of(own) == Some(name)),
            twin: Some(other_side(name)).filter(|t| t != name && names.contains(t)),
        };
        names.iter().map(one).collect()
    }

    /// What the brush holds before it moves.
    ///
    /// # Errors
    /// It names no shape or no place of the face.
    pub fn held(&self, stroke: &Stroke) -> Answer<Vec<Held>> {
        check(stroke)?;
        Ok(self.ground.hold(self.worn.shapes()?, &self.closing(), stroke)?)
    }

    /// The shapes that jaw and closing lips are wired to.
    fn closing(&self) -> Closing {
        let shape = |control: Control| {
            let gain = |o: &Output| {
                let own =
                    o.feeds.iter().filter(|f| f.control == control && f.times.is_none() && !f.stands_in);
                own.map(|f| f.gain.abs()).fold(0.0, f32::max)
            };
            let morphs = self.member.wiring.outputs.iter().filter_map(|o| match &o.target {
                Target::Morph { name } if gain(o) > 0.0 => Some((gain(o), name)),
                _ => None,
            });
            morphs.max_by(|a, b| a.0.total_cmp(&b.0)).map(|(_, name)| name.clone())
        };
        let usual = Closing::default();
        Closing {
            jaw: shape(Control::JawOpen).unwrap_or(usual.jaw),
            lips: shape(Control::LipsClose).unwrap_or(usual.lips),
        }
    }

    /// What a stroke changes.
    ///
    /// # Errors
    /// It names no shape or no place of the face.
    pub fn tried(&self, stroke: &Stroke) -> Answer<Vec<Change>> {
        check(stroke)?;
        let before = self.layer.as_called(self.base.shapes()?);
        Ok(self.ground.stroke(self.worn.shapes()?, &before, &self.closing(), stroke)?)
    }
}

/// Refuses numbers that no brush has.
///
/// # Errors
/// What is wrong.
fn check(stroke: &Stroke) -> Answer<()> {
    let sound = stroke.radius > 0.0 && stroke.radius <= WIDEST && (0.0..=1.0).contains(&stroke.strength);
    let moves = match stroke.brush {
        Brush::Move { by } => by.iter().all(|v| v.is_finite() && v.abs() < 1e6),
        _ => true,
    };
    if !sound || !moves || stroke.at.is_empty() || stroke.at.len() > MOST_PLACES {
        let says = "A stroke needs a place on the face, a radius of at most 4 mouth widths and a strength of at most 1.";
        return Err(Problem::refused("stroke", "stroke_wrong", says));
    }
    Ok(())
}

/// Makes a stroke, as one step, and tells what it changed.
///
/// # Errors
/// It names no shape or no place of the face, or others changed the shapes meanwhile.
pub fn stroke(app: &App, id: i32, stroke: &Stroke, asked: &Asked) -> Answer<(CastMember, Vec<Change>)> {
    let standing = stand(app, id)?;
    let changes = standing.tried(stroke)?;
    let mut layer = standing.layer.clone();
    changes.iter().for_each(|change| layer.change(change));
    let words = match stroke.brush {
        Brush::Move { .. } => format!("move “{}”", stroke.shape),
        Brush::Smooth => format!("smooth “{}”", stroke.shape),
        Brush::Back => format!("“{}” as it was", stroke.shape),
    };
    let member = keep(app, &standing, &layer, None, words, asked)?;
    Ok((member, changes))
}

/// Makes an operation on shapes, as one step.
///
/// # Errors
/// A refusal of the desk, or others changed the shapes meanwhile.
pub fn operate(app: &App, id: i32, op: &ShapeOp, asked: &Asked) -> Answer<CastMember> {
    let standing = stand(app, id)?;
    let now = standing.worn.shapes()?;
    let other = match op {
        ShapeOp::Copy { from, .. } => Some(alike(app, &standing, *from)?),
        _ => None,
    };
    let shapes = Shapes {
        ground: &standing.ground,
        now,
        file: &standing.base.shape_names,
        layer: &standing.layer,
        other: other.as_ref().map(|m| m.shapes()).transpose()?,
    };
    let Reshaped { layer, wiring, ids, words } =
        reshape(op, &shapes, &standing.member.wiring, standing.member.ids)?;
    let new = NewWiring { wiring, ids, words: words.clone(), gesture: asked.gesture.clone() };
    keep(app, &standing, &layer, Some(new), words, asked)
}

/// Another character of the same meshes.
fn alike(app: &App, standing: &Standing, other: i32) -> Answer<Arc<Model>> {
    let other = app.store.cast_member(other)?;
    let model = app.model(&other.model)?;
    let counts = |m: &Model| m.facts.meshes.iter().map(|m| m.vertices).collect::<Vec<usize>>();
    if counts(&model) == counts(&standing.worn) {
        return Ok(model);
    }
    let says = format!(
        "“{}” has other meshes: shapes can be copied only between characters whose meshes have the same points",
        other.title
    );
    Err(Refusal::new("from", "other_meshes", says).into())
}

fn keep(
    app: &App,
    standing: &Standing,
    layer: &Layer,
    rewired: Option<NewWiring>,
    words: String,
    asked: &Asked,
) -> Answer<CastMember> {
    let layered = Layered { base: standing.base_hash.clone(), layer: layer.clone() };
    let bytes = layered.write()?;
    let model = Model::over(&standing.base, layered, bytes.len())?;
    let id = standing.member.id;
    let member = app.store.change_wiring(id, |now| -> Answer<()> {
        let was = &standing.member;
        let moved_on =
            now.member.model != was.model || (rewired.is_some() && now.member.revision != was.revision);
        if moved_on || asked.made_on.is_some_and(|r| r != now.member.revision) {
            return Err(Refusal::met("its shapes or its wiring").into());
        }
        let mut new = rewired.unwrap_or_else(|| NewWiring {
            wiring: now.member.wiring.clone(),
            ids: now.member.ids,
            words: words.clone(),
            gesture: asked.gesture.clone(),
        });
        // What parts the lips is another now.
        model.character.measure(&mut new.wiring)?;
        Ok(now.wear(new, NewModel { bytes, base: None, shaping: standing.shaping.clone() })?)
    })?;
    app.models.put(&member.model, model)?;
    workshop::changed(app, &member, words, asked.gesture.clone());
    Ok(member)
}
