//! One change made to many lines at once: what it is for each of them.

use crate::act::{Done, act};
use crate::felt::Felt;
use crate::op::{Fields, Op, Place};
use crate::refusal::Refusal;
use crate::situation::{Note, Situation, count};
use jam_score::layers::Over;
use jam_score::{Frame, OwnFrames};
use serde::{Deserialize, Serialize};

/// What is changed of many lines.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize, utoipa::ToSchema)]
#[serde(tag = "set", rename_all = "snake_case")]
pub enum LinesChange {
    /// Who says them.
    Character { name: String },
    /// Lays moods over the whole of each, written as in a table (`happiness:0.6`), in the place of those that lie over
    /// the whole of it now; none takes these away.
    Mood {
        #[serde(default)]
        moods: Vec<String>,
    },
    /// How they are articulated.
    Diction {
        #[schema(value_type = HashMap<String, serde_json::Value>)]
        change: Fields,
    },
    /// The number of their frame at time zero; none is the production's.
    FirstFrame {
        #[serde(default)]
        first: Option<Frame>,
    },
    /// What is said in each, and by whom where that is known, in the order in which the lines are named.
    Texts {
        texts: Vec<String>,
        #[serde(default)]
        characters: Vec<Option<String>>,
    },
}

/// Share of a line that a mood over the whole of it covers at least: its edges may have been drawn a little.
const WHOLE: f64 = 0.9;

impl LinesChange {
    /// What it is called among the steps of the production, made on so many lines.
    pub fn words(&self, lines: usize) -> String {
        let on = count(lines, "line");
        let named = |text: &String| {
            text.parse::<Felt>().map_or_else(|_| text.clone(), |f| f.mood.title().to_string())
        };
        match self {
            LinesChange::Character { name } => format!("{name} says {on}"),
            LinesChange::Mood { moods } if moods.is_empty() => format!("no mood over {on}"),
            LinesChange::Mood { moods } => {
                format!("{} over {on}", moods.iter().map(named).collect::<Vec<_>>().join(" and "))
            }
            LinesChange::Diction { .. } => format!("diction of {on}"),
            LinesChange::FirstFrame { first: Some(first) } => format!("first frame {} for {on}", first.0),
            LinesChange::FirstFrame { first: None } => format!("the production's first frame for {on}"),
            LinesChange::Texts { .. } => format!("texts of {on}"),
        }
    }

    /// Whether lines without times are left as they are.
    pub fn needs_times(&self) -> bool {
        matches!(self, LinesChange::Mood { .. })
    }

    /// The operations that it is on one line, which was named at a place.
    fn on_one(&self, place: usize, at: &Situation<'_>) -> Result<Vec<Op>, Refusal> {
        let line = at.line;
        Ok(match self {
            LinesChange::Character { name } if line.character.as_ref() == Some(name) => Vec::new(),
            LinesChange::Character { name } => vec![Op::Character { name: name.clone() }],
            LinesChange::Diction { change } => vec![Op::Diction { change: change.clone() }],
            LinesChange::FirstFrame { first } => {
                vec![Op::Frames { frames: OwnFrames { first: *first, ..line.frames } }]
            }
            LinesChange::Texts { texts, characters } => {
                let few = || Refusal::new("texts", "texts_missing", "Name a text for each line.");
                let text = texts.get(place).ok_or_else(few)?.trim().to_string();
                let who = characters.get(place).cloned().flatten();
                let said = (text != line.text).then_some(Op::Text { text, language: None });
                let by = who
                    .filter(|name| line.character.as_ref() != Some(name))
                    .map(|name| Op::Character { name });
                by.into_iter().chain(said).collect()
            }
            LinesChange::Mood { moods } => {
                let Some(timing) = &line.timing else { return Ok(Vec::new()) };
                let end = timing.end();
                let whole = |own: &&Over<_>| {
                    let span = own.over.span(timing);
                    span.end.0 - span.start.0 >= WHOLE * end.0
                };
                let ids: Vec<u32> = line.layers.moods.iter().filter(whole).map(|own| own.id).collect();
                let mut ops = Vec::new();
                if !ids.is_empty() {
                    ops.push(Op::Remove { ids });
                }
                for text in moods {
                    let wrong = |says: String| Refusal::new("moods", "mood_wrong", says);
                    let felt: Felt = text.parse().map_err(wrong)?;
                    let over = Place { span: Some(felt.span(timing).map_err(wrong)?), ..Place::default() };
                    ops.push(Op::AddMood { mood: felt.mood, over, amount: felt.amount });
                }
                ops
            }
        })
    }
}

/// Makes a change of many lines on one of them, which was named at a place; none if it leaves that line as it is.
///
/// # Errors
/// As of the operations that it is for that line.
pub fn act_on_one_of(
    change: &LinesChange,
    place: usize,
    at: &Situation<'_>,
) -> Result<Option<Done>, Refusal> {
    let mut done: Option<Done> = None;
    for op in change.on_one(place, at)? {
        let next = match &done {
            None => act(&op, at)?,
            Some(before) => act(&op, &Situation { line: &before.line, ids: before.ids, house: at.house })?,
        };
        done = Some(match done {
            None => next,
            Some(before) => Done {
                words: next.words.clone(),
                made: [before.made, next.made].concat(),
                asks_for_times: before.asks_for_times || next.asks_for_times,
                asks: before.asks || next.asks,
                note: Note::default(),
                ..next
            },
        });
    }
    Ok(done.filter(|done| done.line != *at.line))
}
