//! What can be done with the production as a whole: its lines, characters, takes and deliveries deleted, named and put in
//! order; its name and its frames.

use crate::many::LinesChange;
use crate::refusal::Refusal;
use crate::scene::{Heard, SceneOp, change_scene, new_scene};
use crate::situation::count;
use jam_score::{Frame, FrameGrid, FrameRate, ProductionEdit, Scene};
use serde::{Deserialize, Serialize};
use std::collections::BTreeSet;

/// Longest name of a production or a character, letters.
const MOST_NAME: usize = 120;
const MOST_CHARACTER: usize = 60;

/// One operation on the production.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize, utoipa::ToSchema)]
#[serde(tag = "do", rename_all = "snake_case")]
pub enum ProductionOp {
    DeleteLines {
        ids: Vec<i32>,
    },
    /// Lines that came in together, as one step: they go together if it is taken back.
    BringLines {
        ids: Vec<i32>,
    },
    /// The same change of many lines, as one step.
    ChangeLines {
        ids: Vec<i32>,
        change: LinesChange,
    },
    /// A line once more, behind the one it is a copy of.
    DuplicateLine {
        id: i32,
    },
    /// Lines of one speaker each in the place of one whose text names who says what, and a scene of them.
    SplitBySpeaker {
        id: i32,
    },
    /// Lines in the order of these; those that are not named keep theirs behind them.
    OrderLines {
        ids: Vec<i32>,
    },
    DeleteCharacter {
        id: i32,
    },
    RenameCharacter {
        id: i32,
        name: String,
    },
    /// A take that is listened to stays.
    DeleteTake {
        line: i32,
        take: i32,
    },
    RenameTake {
        line: i32,
        take: i32,
        name: String,
    },
    DeleteDeliveries {
        ids: Vec<i32>,
    },
    Rename {
        name: String,
    },
    /// How the production delivers, kept by name, in the place of another of that name.
    KeepRecipe {
        name: String,
        /// As [`ProductionNow::recipes`] has it, checked by whoever knows files.
        #[schema(value_type = Object)]
        recipe: serde_json::Value,
    },
    DeleteRecipe {
        name: String,
    },
    /// A scene of lines, one after the other.
    NewScene {
        name: String,
        lines: Vec<i32>,
    },
    Scene {
        id: i32,
        change: SceneOp,
    },
    DeleteScene {
        id: i32,
    },
    /// How many frames a second, as it is written (`24`, `23.976`, `30000/1001`), and the number of the first.
    Grid {
        rate: String,
        first: i64,
    },
}

/// The production as it is now, as far as its operations need it.
pub struct ProductionNow {
    pub name: String,
    pub grid: FrameGrid,
    /// Lines in their order: number of the row, and how each is called.
    pub lines: Vec<(i32, String)>,
    /// Characters: number, and how each is called.
    pub characters: Vec<(i32, String)>,
    /// Takes of the line that is named: number, name, whether it is listened to.
    pub takes: Vec<(i32, String, bool)>,
    pub deliveries: Vec<i32>,
    /// How it delivers: names and bodies.
    pub recipes: Vec<(String, String)>,
    pub scenes: Vec<(i32, Scene)>,
    /// What scenes know of lines and characters.
    pub heard: Heard,
}

/// What an operation makes of the production. What is new gets its number from whoever keeps it.
#[derive(Debug, Clone, PartialEq)]
pub enum Comes {
    Edit(ProductionEdit),
    /// A change of each of these lines.
    LinesChanged(Vec<i32>, LinesChange),
    /// A copy of a line.
    LineCopied(i32),
    /// Lines of one speaker each in the place of a line: see [`crate::by_speaker`].
    Apart(i32),
    Scene(Box<Scene>),
}

/// An operation's change, and the step in words.
pub struct Produced {
    pub made: Comes,
    pub words: String,
}

fn gone(what: &str) -> Refusal {
    Refusal::gone("id", format!("That {what} is not there any more; look again."))
}

fn named<'a>(all: &'a [(i32, String)], id: i32, what: &str) -> Result<&'a str, Refusal> {
    all.iter().find(|(own, _)| *own == id).map(|(_, name)| name.as_str()).ok_or_else(|| gone(what))
}

fn name_of(text: &str, most: usize, what: &str) -> Result<String, Refusal> {
    let name = text.trim();
    if name.is_empty() || name.chars().count() > most {
        let says = format!("{what} needs a name of at most {most} letters.");
        return Err(Refusal::new("name", "name_wrong", says));
    }
    Ok(name.to_string())
}

/// Makes an operation on the production.
///
/// # Errors
/// A refusal, if what it names is gone or it cannot be.
pub fn produce(op: &ProductionOp, now: &ProductionNow) -> Result<Produced, Refusal> {
    let made = |edit, words: String| Ok(Produced { made: Comes::Edit(edit), words });
    let other_scene = |name: &str, own: Option<i32>| {
        let taken = now.scenes.iter().any(|(id, s)| Some(*id) != own && s.name == name.trim());
        let says = format!("There is already a scene called “{}”; choose another name.", name.trim());
        if taken { Err(Refusal::new("name", "name_taken", says)) } else { Ok(()) }
    };
    let scene =
        |id: i32| now.scenes.iter().find(|(own, _)| *own == id).map(|(_, s)| s).ok_or_else(|| gone("scene"));
    let all_there = |ids: &[i32]| {
        let there: BTreeSet<i32> = now.lines.iter().map(|(id, _)| *id).collect();
        match ids.iter().all(|id| there.contains(id)) {
            _ if ids.is_empty() => Err(Refusal::new("ids", "nothing", "Choose a line first.")),
            true => Ok(()),
            false => Err(gone("line")),
        }
    };
    match op {
        ProductionOp::DeleteLines { ids } => {
            all_there(ids)?;
            let words = match ids.as_slice() {
                [one] => format!("delete {}", named(&now.lines, *one, "line")?),
                all => format!("delete {}", count(all.len(), "line")),
            };
            made(ProductionEdit::Lines { ids: ids.clone(), gone: true }, words)
        }
        ProductionOp::BringLines { ids } => {
            all_there(ids)?;
            let words = format!("bring {} in", count(ids.len(), "line"));
            made(ProductionEdit::Lines { ids: ids.clone(), gone: false }, words)
        }
        ProductionOp::ChangeLines { ids, change } => {
            all_there(ids)?;
            if BTreeSet::from_iter(ids).len() < ids.len() {
                return Err(Refusal::new("ids", "twice", "A line is named twice; name each once."));
            }
            let words = change.words(ids.len());
            Ok(Produced { made: Comes::LinesChanged(ids.clone(), change.clone()), words })
        }
        ProductionOp::DuplicateLine { id } => {
            let words = format!("copy {}", named(&now.lines, *id, "line")?);
            Ok(Produced { made: Comes::LineCopied(*id), words })
        }
        ProductionOp::SplitBySpeaker { id } => {
            let words = format!("make lines of {} by speaker", named(&now.lines, *id, "line")?);
            Ok(Produced { made: Comes::Apart(*id), words })
        }
        ProductionOp::OrderLines { ids } => {
            let before: Vec<i32> = now.lines.iter().map(|(id, _)| *id).collect();
            let mut after: Vec<i32> = ids.iter().copied().filter(|id| before.contains(id)).collect();
            after.dedup();
            let rest: Vec<i32> = before.iter().copied().filter(|id| !after.contains(id)).collect();
            after.extend(rest);
            if after.len() != before.len() {
                return Err(Refusal::new("ids", "twice", "A line is named twice; name each once."));
            }
            made(ProductionEdit::Order { before, after }, "put lines in another order".into())
        }
        ProductionOp::DeleteCharacter { id } => {
            let words = format!("delete {}", named(&now.characters, *id, "character")?);
            made(ProductionEdit::Characters { ids: vec![*id], gone: true }, words)
        }
        ProductionOp::RenameCharacter { id, name } => {
            let before = named(&now.characters, *id, "character")?.to_string();
            let after = name_of(name, MOST_CHARACTER, "A character")?;
            if now.characters.iter().any(|(other, own)| other != id && *own == after) {
                let says = format!("There is already a character called “{after}”; choose another name.");
                return Err(Refusal::new("name", "name_taken", says));
            }
            let words = format!("call {before} {after}");
            made(ProductionEdit::Character { id: *id, before, after }, words)
        }
        ProductionOp::DeleteTake { take, .. } => {
            let (_, name, heard) = now.takes.iter().find(|t| t.0 == *take).ok_or_else(|| gone("take"))?;
            if *heard {
                let says = "This take is listened to; choose another one first, then delete it.";
                return Err(Refusal::new("take", "listened_to", says));
            }
            made(ProductionEdit::Takes { ids: vec![*take], gone: true }, format!("delete the take {name}"))
        }
        ProductionOp::RenameTake { take, name, .. } => {
            let (_, before, _) = now.takes.iter().find(|t| t.0 == *take).ok_or_else(|| gone("take"))?;
            let after = name_of(name, MOST_NAME, "A take")?;
            let words = format!("call the take {before} {after}");
            made(ProductionEdit::Take { id: *take, before: before.clone(), after }, words)
        }
        ProductionOp::DeleteDeliveries { ids } => {
            if ids.is_empty() || ids.iter().any(|id| !now.deliveries.contains(id)) {
                return Err(gone("delivery"));
            }
            let words = format!("delete {}", count(ids.len(), "delivered file"));
            made(ProductionEdit::Deliveries { ids: ids.clone(), gone: true }, words)
        }
        ProductionOp::KeepRecipe { name, recipe } => {
            let name = name_of(name, MOST_CHARACTER, "A recipe")?;
            let before = now.recipes.iter().find(|(own, _)| *own == name).map(|(_, body)| body.clone());
            let words = format!("keep the recipe {name}");
            made(ProductionEdit::Recipe { name, before, after: Some(recipe.to_string()) }, words)
        }
        ProductionOp::DeleteRecipe { name } => {
            let found = now.recipes.iter().find(|(own, _)| own == name).ok_or_else(|| gone("recipe"))?;
            let (name, before) = found.clone();
            let words = format!("delete the recipe {name}");
            made(ProductionEdit::Recipe { name, before: Some(before), after: None }, words)
        }
        ProductionOp::Rename { name } => {
            let after = name_of(name, MOST_NAME, "A production")?;
            let words = format!("call the production {after}");
            made(ProductionEdit::Name { before: now.name.clone(), after }, words)
        }
        ProductionOp::NewScene { name, lines } => {
            other_scene(name, None)?;
            let scene = new_scene(name, lines, &now.heard)?;
            let words = format!("a scene, {}", scene.name);
            Ok(Produced { made: Comes::Scene(Box::new(scene)), words })
        }
        ProductionOp::Scene { id, change } => {
            let before = scene(*id)?;
            if let SceneOp::Rename { name } = change {
                other_scene(name, Some(*id))?;
            }
            let (after, words) = change_scene(before, change, &now.heard)?;
            let (before, after) = (Box::new(before.clone()), Box::new(after));
            made(ProductionEdit::Scene { id: *id, before, after }, words)
        }
        ProductionOp::DeleteScene { id } => {
            let words = format!("delete the scene {}", scene(*id)?.name);
            made(ProductionEdit::Scenes { ids: vec![*id], gone: true }, words)
        }
        ProductionOp::Grid { rate, first } => {
            let rate: FrameRate = rate.parse().map_err(|e| Refusal::new("rate", "frame_rate_wrong", e))?;
            let first = Frame::first(*first).map_err(|e| Refusal::new("first", "first_frame_wrong", e))?;
            let after = FrameGrid { rate, first };
            made(
                ProductionEdit::Grid { before: now.grid, after },
                format!("{rate} frames a second from {}", first.0),
            )
        }
    }
}
