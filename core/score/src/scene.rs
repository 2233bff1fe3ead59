//! The document of a scene: lines of several characters in an order, where they start, who stands beside whom, and what
//! hands changed of how they listen. Lines are named by their number in the production, characters by their key.

use serde::{Deserialize, Serialize};

/// To whom a line is said.
#[derive(Debug, Clone, PartialEq, Eq, Default, Serialize, Deserialize, utoipa::ToSchema)]
#[serde(tag = "who", rename_all = "snake_case")]
pub enum To {
    /// To who spoke before, or else speaks next.
    #[default]
    Rule,
    /// The eyes do what the line's own score says, wherever the others stand.
    Score,
    Character {
        character: String,
    },
}

/// A line in a scene.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize, utoipa::ToSchema)]
pub struct Entry {
    pub id: u32,
    /// Its number in the production.
    pub line: i32,
    /// Seconds from the scene's start to the start of its sound; without it the line follows the one before.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub start: Option<f64>,
    #[serde(default)]
    pub to: To,
}

/// How a character listens, by rule.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize, utoipa::ToSchema)]
#[serde(default)]
pub struct Listening {
    /// 0..1, for how many phrases the one who speaks is looked at.
    pub looks: f64,
    /// Seconds after the start of a line until the eyes go to who speaks.
    pub after: f64,
    /// 0..1, at how many ends of phrases there is a nod.
    pub nods: f64,
    /// 0..2, how often the lids shut; 1 is as people do while they listen.
    pub blinks: f64,
    /// Whether a breath is taken before an own line.
    pub breath: bool,
    /// Which draw of the scene's seed it plays.
    pub draw: u32,
}

impl Default for Listening {
    fn default() -> Listening {
        Listening { looks: 0.8, after: 0.2, nods: 0.4, blinks: 1.0, breath: true, draw: 0 }
    }
}

/// Somebody on the stage; the first stands farthest to the left as it is seen.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize, utoipa::ToSchema)]
pub struct Standing {
    pub character: String,
    #[serde(default)]
    pub listens: Listening,
}

/// What a listener does.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize, utoipa::ToSchema)]
#[serde(tag = "kind", rename_all = "snake_case")]
pub enum Does {
    /// Looks at somebody on the stage; at nobody: beside the lens, as where a score says nothing.
    Look {
        #[serde(default, skip_serializing_if = "Option::is_none")]
        at: Option<String>,
    },
    /// Nods by so many degrees.
    Nod { degrees: f64 },
    /// Takes a breath.
    Breath,
    /// Blinks; the lids are shut at its start.
    Blink,
}

impl Does {
    /// How it is called among its kind.
    pub fn kind(&self) -> &'static str {
        match self {
            Does::Look { .. } => "look",
            Does::Nod { .. } => "nod",
            Does::Breath => "breath",
            Does::Blink => "blink",
        }
    }
}

/// Which reaction the rule makes it: the how manieth of its kind to a line.
#[derive(Debug, Clone, PartialEq, Eq, Hash, PartialOrd, Ord, Serialize, Deserialize, utoipa::ToSchema)]
pub struct ByRule {
    pub character: String,
    /// The line that is reacted to.
    pub entry: u32,
    pub kind: String,
    pub place: u32,
}

/// What a listener does over a stretch, put or changed by hand. It goes with the line that it is tied to.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize, utoipa::ToSchema)]
pub struct Reaction {
    pub id: u32,
    pub character: String,
    /// The line that it is tied to.
    pub entry: u32,
    /// Seconds from the start of that line's sound.
    pub from: f64,
    pub to: f64,
    pub does: Does,
    /// What of the rule it takes the place of.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub instead: Option<ByRule>,
    /// Nothing is done in that place.
    #[serde(default, skip_serializing_if = "std::ops::Not::not")]
    pub nothing: bool,
}

/// Several lines of several characters in an order.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize, utoipa::ToSchema)]
pub struct Scene {
    pub name: String,
    /// What everything that looks random starts from.
    pub seed: u64,
    /// Seconds from the end of a line to the start of one that follows it; less than 0 lets them overlap.
    pub pause: f64,
    /// How far apart they stand; 1 leaves a quarter of a head between them.
    pub apart: f64,
    /// How far those at the sides are turned to the middle, degrees.
    pub turned: f64,
    /// Whether their eyes are brought to one height; else each stands as its file has it.
    pub level: bool,
    pub entries: Vec<Entry>,
    pub standing: Vec<Standing>,
    #[serde(default, skip_serializing_if = "Vec::is_empty")]
    pub reactions: Vec<Reaction>,
    /// Number of the next entry or reaction; none is given twice.
    pub next_id: u32,
}

/// Most lines and most reactions by hand in a scene, and most characters on its stage.
pub const MOST_ENTRIES: usize = 500;
pub const MOST_REACTIONS: usize = 5000;
pub const MOST_STANDING: usize = 12;
/// Longest name, letters.
const MOST_NAME: usize = 120;
/// Latest start of a line, seconds.
const LATEST: f64 = 3600.0;
/// Most frames of all its characters together: about an hour of three at 24 a second.
pub const MOST_FRAMES: usize = 260_000;

/// Why a scene cannot be so.
#[derive(Debug, Clone, PartialEq, thiserror::Error)]
pub enum SceneError {
    #[error("a scene needs a name of at most {MOST_NAME} letters")]
    Name,
    #[error(
        "a scene holds at most {MOST_ENTRIES} lines of {MOST_STANDING} characters; make another for the rest"
    )]
    TooMany,
    #[error("{0} goes from {1} to {2}; {3} is outside")]
    Range(&'static str, f64, f64, f64),
    #[error("what a listener does ends before it starts; exchange the two")]
    Backwards,
    #[error("a character stands on the stage twice")]
    Twice,
    #[error("this scene is too long to be seen as one; make two of it, or let its last lines start earlier")]
    Long,
}

fn within(what: &'static str, low: f64, high: f64, value: f64) -> Result<(), SceneError> {
    if (low..=high).contains(&value) { Ok(()) } else { Err(SceneError::Range(what, low, high, value)) }
}

impl Scene {
    pub fn new(name: impl Into<String>) -> Scene {
        Scene {
            name: name.into(),
            seed: 7,
            pause: 0.5,
            apart: 1.0,
            turned: 24.0,
            level: true,
            entries: Vec::new(),
            standing: Vec::new(),
            reactions: Vec::new(),
            next_id: 1,
        }
    }

    /// A number that was not given before.
    pub fn give_id(&mut self) -> u32 {
        self.next_id += 1;
        self.next_id - 1
    }

    /// Gives characters other keys; those of whom `other` says nothing keep theirs.
    pub fn name_characters(&mut self, other: impl Fn(&str) -> Option<String>) {
        let name = |key: &mut String| {
            if let Some(new) = other(key) {
                *key = new;
            }
        };
        self.standing.iter_mut().for_each(|s| name(&mut s.character));
        for entry in &mut self.entries {
            if let To::Character { character } = &mut entry.to {
                name(character);
            }
        }
        for reaction in &mut self.reactions {
            name(&mut reaction.character);
            if let Does::Look { at: Some(at) } = &mut reaction.does {
                name(at);
            }
            if let Some(rule) = &mut reaction.instead {
                name(&mut rule.character);
            }
        }
    }

    /// What must hold of it.
    ///
    /// # Errors
    /// The first thing that does not.
    pub fn check(&self) -> Result<(), SceneError> {
        if self.name.trim().is_empty() || self.name.chars().count() > MOST_NAME {
            return Err(SceneError::Name);
        }
        let many = self.entries.len() > MOST_ENTRIES
            || self.reactions.len() > MOST_REACTIONS
            || self.standing.len() > MOST_STANDING;
        if many {
            return Err(SceneError::TooMany);
        }
        within("the pause between lines, in seconds,", -10.0, 60.0, self.pause)?;
        within("how far apart they stand", 0.2, 5.0, self.apart)?;
        within("how far they are turned, in degrees,", 0.0, 80.0, self.turned)?;
        for entry in &self.entries {
            within("the start of a line, in seconds,", 0.0, LATEST, entry.start.unwrap_or(0.0))?;
        }
        for (i, one) in self.standing.iter().enumerate() {
            let Listening { looks, after, nods, blinks, .. } = one.listens;
            within("how much a listener looks", 0.0, 1.0, looks)?;
            within("the time until a listener looks, in seconds,", 0.0, 3.0, after)?;
            within("how often a listener nods", 0.0, 1.0, nods)?;
            within("how often a listener blinks", 0.0, 2.0, blinks)?;
            if self.standing[..i].iter().any(|other| other.character == one.character) {
                return Err(SceneError::Twice);
            }
        }
        for one in &self.reactions {
            within("a reaction’s start, in seconds,", -LATEST, LATEST, one.from)?;
            within("a reaction’s end, in seconds,", -LATEST, LATEST, one.to)?;
            if one.to < one.from {
                return Err(SceneError::Backwards);
            }
            if let Does::Nod { degrees } = one.does {
                within("a nod, in degrees,", -30.0, 30.0, degrees)?;
            }
        }
        Ok(())
    }
}
