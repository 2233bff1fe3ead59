//! The desk in this house, for characters: operations on wirings made inside the data file's transaction, and events
//! of them sent to every page.

use crate::app::{App, Event};
use crate::here::refused;
use crate::house::{Asked, nothing_since, since, turned, unmet};
use crate::models::Model;
use crate::problem::{Answer, Problem};
use jam_desk::{Figure, Refusal, WiringOp, wiring_needs};
use jam_formats::glb::{Character, GlbError};
use jam_rig::propose::Proposal;
use jam_rig::{Target, Wiring};
use jam_shape::Shaping;
use jam_store::{CastMember, Layered, NewModel, NewWiring};
use std::sync::Arc;

/// A character's file, as the desk asks for it.
struct Here<'a>(&'a Model);

impl Figure for Here<'_> {
    fn proposal(&self) -> Result<Arc<Proposal>, Refusal> {
        Ok(self.0.proposal.clone())
    }

    fn has(&self, target: &Target) -> bool {
        self.0.character.has(target)
    }

    fn fitted(&self, mut wiring: Wiring, before: &Wiring) -> Result<Wiring, Refusal> {
        let said = |e: GlbError| refused(Problem::from(e));
        let character = &self.0.character;
        character.measure(&mut wiring).map_err(said)?;
        // What cannot be attached or shown is refused here, not when it is delivered.
        if wiring.attached != before.attached || wiring.chart != before.chart {
            character.prepared(&wiring).map_err(said)?;
        }
        Ok(wiring)
    }
}

/// Makes an operation on a character's wiring and tells every page.
///
/// # Errors
/// A refusal of the desk; nothing is changed then.
pub fn rewire(app: &App, id: i32, op: &WiringOp, asked: &Asked) -> Answer<CastMember> {
    let model = app.model(&app.store.cast_member(id)?.model)?;
    let mut step = String::new();
    let member = app.store.change_wiring(id, |now| -> Answer<()> {
        let gesture = asked.gesture.as_deref();
        let since = since(asked, gesture, |made_on, gesture| now.changes_since(made_on, gesture))?;
        unmet(|| wiring_needs(op), &since)?;
        let jam_desk::Rewired { wiring, ids, words } =
            jam_desk::rewire(op, &now.member.wiring, now.member.ids, &Here(&model))?;
        step.clone_from(&words);
        Ok(now.step(NewWiring { wiring, ids, words, gesture: asked.gesture.clone() })?)
    })?;
    changed(app, &member, step, asked.gesture.clone());
    Ok(member)
}

/// Gives a character a file with shapes, wired by their names, as one step: what was attached and left out by hand stays.
///
/// # Errors
/// The data file cannot be written, or the file cannot be read again.
pub fn wear(
    app: &App,
    id: i32,
    character: &Character,
    shaping: Shaping,
    gesture: Option<String>,
) -> Answer<()> {
    let file = character.write();
    let worn = app.model(&app.store.cast_member(id)?.model)?;
    // Read as it will be: what cannot be read is not kept. What was changed by hand lies over the new shapes as over the old.
    let read = Character::read(&file)?;
    let (character, bytes, base) = match &worn.layered {
        None => (read, file, None),
        Some(Layered { layer, .. }) => {
            let layer = read.layer_of(layer, &worn.character)?;
            let made = read.with_layer(&layer)?;
            (made, Layered { base: jam_store::hash(&file), layer }.write()?, Some(file))
        }
    };
    let model = Model::read(character, bytes.len())?;
    let words = shaping.words();
    let member = app.store.change_wiring(id, |now| -> Answer<()> {
        let jam_desk::Rewired { mut wiring, ids, .. } =
            jam_desk::rewire(&WiringOp::Propose, &now.member.wiring, now.member.ids, &Here(&model))?;
        // What follows by shapes of its own now is not attached any more.
        let own = |node: &str| model.facts.meshes.iter().any(|m| m.node == node && m.shapes > 0);
        wiring.attached.retain(|a| !own(&a.node));
        let new = NewWiring { wiring, ids, words: words.clone(), gesture: gesture.clone() };
        Ok(now.wear(new, NewModel { bytes, base, shaping: Some(shaping) })?)
    })?;
    changed(app, &member, words, gesture);
    app.tell(Event::Cast);
    Ok(())
}

/// Takes the last step of a wiring back, or makes the one that was taken back last again.
///
/// # Errors
/// There is none, or others changed the wiring since.
pub fn turn_back(app: &App, id: i32, back: bool, asked: &Asked) -> Answer<CastMember> {
    let member = app.store.change_wiring(id, |now| -> Answer<()> {
        nothing_since(asked, |made_on, gesture| now.changes_since(made_on, gesture))?;
        if back {
            now.undo()?;
        } else {
            now.redo()?;
        }
        Ok(())
    })?;
    changed(app, &member, turned(back).into(), None);
    Ok(member)
}

/// Tells every page of a step.
pub fn changed(app: &App, member: &CastMember, words: String, gesture: Option<String>) {
    let CastMember { id, revision, .. } = *member;
    app.tell(Event::Wiring { id, revision, words: Some(words), gesture });
}
