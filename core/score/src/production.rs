//! A change of a production as a whole: which lines, characters, takes and deliveries there are, what they are called, in
//! which order. What is deleted is kept, so that it can be had back.

use crate::{FrameGrid, Scene};
use serde::{Deserialize, Serialize};

/// One change, with what was before it.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize)]
#[serde(tag = "of", rename_all = "snake_case")]
pub enum ProductionEdit {
    /// Lines go, or come (back).
    Lines {
        ids: Vec<i32>,
        gone: bool,
    },
    /// All lines in another order.
    Order {
        before: Vec<i32>,
        after: Vec<i32>,
    },
    Characters {
        ids: Vec<i32>,
        gone: bool,
    },
    /// What a character is called.
    Character {
        id: i32,
        before: String,
        after: String,
    },
    Takes {
        ids: Vec<i32>,
        gone: bool,
    },
    Take {
        id: i32,
        before: String,
        after: String,
    },
    Deliveries {
        ids: Vec<i32>,
        gone: bool,
    },
    /// The production's name.
    Name {
        before: String,
        after: String,
    },
    Grid {
        before: FrameGrid,
        after: FrameGrid,
    },
    /// How the production delivers, by name; none before or after is a recipe that comes or goes.
    Recipe {
        name: String,
        before: Option<String>,
        after: Option<String>,
    },
    Scenes {
        ids: Vec<i32>,
        gone: bool,
    },
    /// A scene's document, as it was and as it becomes.
    Scene {
        id: i32,
        before: Box<Scene>,
        after: Box<Scene>,
    },
    /// Steps of lines that were made as one, by the line and its step's number, or those taken back.
    Steps {
        steps: Vec<(i32, i32)>,
        undone: bool,
    },
    /// Several changes as one, in order.
    All {
        edits: Vec<ProductionEdit>,
    },
}

impl ProductionEdit {
    /// The change that takes this one back.
    pub fn inverse(&self) -> ProductionEdit {
        use ProductionEdit::*;
        match self.clone() {
            Lines { ids, gone } => Lines { ids, gone: !gone },
            Order { before, after } => Order { before: after, after: before },
            Characters { ids, gone } => Characters { ids, gone: !gone },
            Character { id, before, after } => Character { id, before: after, after: before },
            Takes { ids, gone } => Takes { ids, gone: !gone },
            Take { id, before, after } => Take { id, before: after, after: before },
            Deliveries { ids, gone } => Deliveries { ids, gone: !gone },
            Name { before, after } => Name { before: after, after: before },
            Grid { before, after } => Grid { before: after, after: before },
            Recipe { name, before, after } => Recipe { name, before: after, after: before },
            Scenes { ids, gone } => Scenes { ids, gone: !gone },
            Scene { id, before, after } => Scene { id, before: after, after: before },
            Steps { steps, undone } => Steps { steps, undone: !undone },
            All { edits } => All { edits: edits.iter().rev().map(ProductionEdit::inverse).collect() },
        }
    }
}
