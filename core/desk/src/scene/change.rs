//! What can be done to a scene: each operation as a function of the scene as it is now, to the changed scene and the step
//! in words.

use super::turn::on_stage;
use crate::refusal::Refusal;
use jam_score::Scene;
use jam_score::scene::{ByRule, Does, Entry, Listening, Reaction, SceneError, Standing, To};
use serde::{Deserialize, Serialize};
use std::collections::BTreeMap;

/// One operation on a scene.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize, utoipa::ToSchema)]
#[serde(tag = "do", rename_all = "snake_case")]
pub enum SceneOp {
    Rename {
        name: String,
    },
    /// Lines come behind the others, or the first of them at a time and the rest behind it.
    AddLines {
        lines: Vec<i32>,
        start: Option<f64>,
    },
    RemoveLines {
        entries: Vec<u32>,
    },
    /// Lines in the order of these, which those that follow each other keep; the rest behind them.
    OrderLines {
        entries: Vec<u32>,
    },
    /// A line starts at a time, seconds; without one it follows the line before.
    Start {
        entry: u32,
        start: Option<f64>,
    },
    /// Every line follows the one before.
    CloseGaps,
    /// To whom a line is said.
    SayTo {
        entry: u32,
        to: To,
    },
    Set {
        settings: SceneSettings,
    },
    /// How somebody listens.
    Listen {
        character: String,
        listens: Listening,
    },
    /// Who stands on the stage, from left to right.
    Stand {
        characters: Vec<String>,
    },
    /// Something a listener does, new or in the place of what the rule does.
    React {
        reaction: NewReaction,
    },
    /// What a hand has put is done otherwise.
    ChangeReaction {
        id: u32,
        from: f64,
        to: f64,
        does: Does,
    },
    /// What a hand has put goes; in the place of the rule's nothing is done then.
    DropReaction {
        id: u32,
    },
    /// What the rule does here is not done.
    DropRule {
        rule: ByRule,
    },
    /// Everything that a hand has changed of how somebody listens is as the rule has it again.
    BackToRule {
        character: String,
    },
    /// Somebody listens by another draw of the seed.
    AnotherDraw {
        character: String,
    },
}

/// What of a scene's settings changes.
#[derive(Debug, Clone, Copy, PartialEq, Default, Serialize, Deserialize, utoipa::ToSchema)]
#[serde(deny_unknown_fields)]
pub struct SceneSettings {
    /// Seconds between lines that follow each other.
    #[serde(skip_serializing_if = "Option::is_none")]
    pub pause: Option<f64>,
    #[serde(skip_serializing_if = "Option::is_none")]
    pub apart: Option<f64>,
    /// Degrees.
    #[serde(skip_serializing_if = "Option::is_none")]
    pub turned: Option<f64>,
    #[serde(skip_serializing_if = "Option::is_none")]
    pub level: Option<bool>,
}

/// A reaction without a number.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize, utoipa::ToSchema)]
pub struct NewReaction {
    pub character: String,
    /// The line that it is tied to.
    pub entry: u32,
    /// Seconds from the start of that line's sound.
    pub from: f64,
    pub to: f64,
    pub does: Does,
    pub instead: Option<ByRule>,
}

/// What an operation on a scene needs of the production.
pub struct Heard {
    /// Every line with the key of who says it.
    pub lines: BTreeMap<i32, Option<String>>,
    /// Keys of characters, and what they are called.
    pub characters: BTreeMap<String, String>,
}

impl Heard {
    fn called<'a>(&'a self, key: &'a str) -> &'a str {
        self.characters.get(key).map_or(key, String::as_str)
    }

    fn known(&self, key: &str) -> Result<(), Refusal> {
        if self.characters.contains_key(key) {
            return Ok(());
        }
        Err(Refusal::gone("character", "That character is not there any more; look again."))
    }
}

impl From<SceneError> for Refusal {
    fn from(error: SceneError) -> Refusal {
        Refusal::new("scene", "scene_impossible", error)
    }
}

/// A new scene of lines, one after the other.
///
/// # Errors
/// A line is not there, or there are too many.
pub fn new_scene(name: &str, lines: &[i32], heard: &Heard) -> Result<Scene, Refusal> {
    let empty = Scene::new(name.trim());
    empty.check()?;
    if lines.is_empty() {
        return Ok(empty);
    }
    Ok(change_scene(&empty, &SceneOp::AddLines { lines: lines.to_vec(), start: None }, heard)?.0)
}

fn gone_line() -> Refusal {
    Refusal::gone("entry", "That line is not in this scene any more; look again.")
}

fn gone_reaction() -> Refusal {
    Refusal::gone("id", "That is not in this scene any more; look again.")
}

fn entry(scene: &mut Scene, id: u32) -> Result<&mut Entry, Refusal> {
    scene.entries.iter_mut().find(|e| e.id == id).ok_or_else(gone_line)
}

/// Times as they are kept: to the millisecond.
fn tidy(seconds: f64) -> f64 {
    (seconds * 1000.0).round() / 1000.0
}

/// Makes an operation on a scene: the scene as it becomes, and the step in words.
///
/// # Errors
/// A refusal, if what it names is gone or it cannot be.
pub fn change_scene(scene: &Scene, op: &SceneOp, heard: &Heard) -> Result<(Scene, String), Refusal> {
    let mut next = scene.clone();
    let words = match op {
        SceneOp::Rename { name } => {
            next.name = name.trim().to_string();
            format!("call the scene {}", next.name)
        }
        SceneOp::AddLines { lines, start } => {
            let mut start = *start;
            for line in lines {
                if !heard.lines.contains_key(line) {
                    return Err(Refusal::gone("lines", "A chosen line is not in this production any more."));
                }
                let id = next.give_id();
                next.entries.push(Entry { id, line: *line, start: start.take().map(tidy), to: To::Rule });
            }
            if lines.is_empty() {
                return Err(Refusal::new("lines", "nothing", "Choose a line first."));
            }
            stand(&mut next, heard);
            if lines.len() == 1 {
                "a line into the scene".into()
            } else {
                format!("{} lines into the scene", lines.len())
            }
        }
        SceneOp::RemoveLines { entries } => {
            let before = next.entries.len();
            next.entries.retain(|e| !entries.contains(&e.id));
            if next.entries.len() == before {
                return Err(gone_line());
            }
            // What was tied to them has nothing to be tied to.
            let left: Vec<u32> = next.entries.iter().map(|e| e.id).collect();
            next.reactions.retain(|r| left.contains(&r.entry));
            "take out of the scene".into()
        }
        SceneOp::OrderLines { entries } => {
            let place = |e: &Entry| entries.iter().position(|id| *id == e.id).unwrap_or(usize::MAX);
            next.entries.sort_by_key(place);
            "put lines of the scene in another order".into()
        }
        SceneOp::Start { entry: id, start } => {
            entry(&mut next, *id)?.start = start.map(tidy);
            if start.is_some() { "move a line".into() } else { "let a line follow".into() }
        }
        SceneOp::CloseGaps => {
            next.entries.iter_mut().for_each(|e| e.start = None);
            "close the gaps".into()
        }
        SceneOp::SayTo { entry: id, to } => {
            if let To::Character { character } = to {
                heard.known(character)?;
            }
            entry(&mut next, *id)?.to = to.clone();
            "say a line to somebody else".into()
        }
        SceneOp::Set { settings } => {
            let SceneSettings { pause, apart, turned, level } = *settings;
            next.pause = pause.unwrap_or(next.pause);
            next.apart = apart.unwrap_or(next.apart);
            next.turned = turned.unwrap_or(next.turned);
            next.level = level.unwrap_or(next.level);
            let what = if pause.is_some() { "pause between lines" } else { "how they stand" };
            what.into()
        }
        SceneOp::Listen { character, listens } => {
            standing(&mut next, character, heard)?.listens = listens.clone();
            format!("how {} listens", heard.called(character))
        }
        SceneOp::Stand { characters } => {
            characters.iter().try_for_each(|c| heard.known(c))?;
            let row = characters.iter().map(|c| {
                let own = next.standing.iter().find(|s| s.character == *c).cloned();
                own.unwrap_or_else(|| Standing { character: c.clone(), listens: Listening::default() })
            });
            next.standing = row.collect();
            // Whoever speaks stands there.
            stand(&mut next, heard);
            "who stands where".into()
        }
        SceneOp::React { reaction } => {
            let NewReaction { character, entry: tied, from, to, does, instead } = reaction.clone();
            standing(&mut next, &character, heard)?;
            entry(&mut next, tied)?;
            let words = format!("{} {}", heard.called(&character), said(&does));
            next.reactions.retain(|r| instead.is_none() || r.instead != instead);
            let id = next.give_id();
            let (from, to) = (tidy(from), tidy(to));
            next.reactions.push(Reaction {
                id,
                character,
                entry: tied,
                from,
                to,
                does,
                instead,
                nothing: false,
            });
            words
        }
        SceneOp::ChangeReaction { id, from, to, does } => {
            let own = next.reactions.iter_mut().find(|r| r.id == *id).ok_or_else(gone_reaction)?;
            (own.from, own.to, own.does) = (tidy(*from), tidy(*to), does.clone());
            format!("{} {}", heard.called(&own.character), said(does))
        }
        SceneOp::DropReaction { id } => {
            let own = next.reactions.iter_mut().find(|r| r.id == *id).ok_or_else(gone_reaction)?;
            let words = format!("{} {} no more", heard.called(&own.character), said(&own.does));
            own.nothing = true;
            next.reactions.retain(|r| r.id != *id || r.instead.is_some());
            words
        }
        SceneOp::DropRule { rule } => {
            entry(&mut next, rule.entry)?;
            let does = match rule.kind.as_str() {
                "look" => Does::Look { at: None },
                "nod" => Does::Nod { degrees: 0.0 },
                "breath" => Does::Breath,
                "blink" => Does::Blink,
                _ => return Err(gone_reaction()),
            };
            next.reactions.retain(|r| r.instead.as_ref() != Some(rule));
            let id = next.give_id();
            let words = format!("{} {} no more", heard.called(&rule.character), said(&does));
            next.reactions.push(Reaction {
                id,
                character: rule.character.clone(),
                entry: rule.entry,
                from: 0.0,
                to: 0.0,
                does,
                instead: Some(rule.clone()),
                nothing: true,
            });
            words
        }
        SceneOp::BackToRule { character } => {
            next.reactions.retain(|r| r.character != *character);
            format!("{} listens by rule", heard.called(character))
        }
        SceneOp::AnotherDraw { character } => {
            let own = standing(&mut next, character, heard)?;
            own.listens.draw = own.listens.draw.wrapping_add(1);
            format!("another draw of how {} listens", heard.called(character))
        }
    };
    next.check()?;
    Ok((next, words))
}

fn said(does: &Does) -> &'static str {
    match does {
        Does::Look { .. } => "looks",
        Does::Nod { .. } => "nods",
        Does::Breath => "breathes",
        Does::Blink => "blinks",
    }
}

/// Everybody who has a line stands on the stage.
fn stand(scene: &mut Scene, heard: &Heard) {
    let speakers = scene.entries.iter().map(|e| heard.lines.get(&e.line).and_then(|c| c.as_deref()));
    scene.standing = on_stage(scene, speakers);
}

fn standing<'a>(scene: &'a mut Scene, character: &str, heard: &Heard) -> Result<&'a mut Standing, Refusal> {
    heard.known(character)?;
    stand(scene, heard);
    let gone =
        || Refusal::gone("character", "That character does not stand on this stage any more; look again.");
    scene.standing.iter_mut().find(|s| s.character == character).ok_or_else(gone)
}
