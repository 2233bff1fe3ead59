//! The desk in this house: operations made inside the data file's transaction, and events of them
//! sent to every page.

use crate::apart::Parts;
use crate::app::{App, Event};
use crate::evaluate;
use crate::here::{Here, change_one, changed};
use crate::jobs::{self, Job, Order};
use crate::problem::{Answer, Problem};
use crate::version::Version;
use jam_desk::scene::Heard;
use jam_desk::{
    Comes, Done, Note, Op, Produced, ProductionNow, ProductionOp, Refusal, Situation, act, met, needs,
};
use jam_formats::recipe::Recipe;
use jam_rig::{Mouth, Wiring};
use jam_score::Line;
use jam_store::{CastMember, Changes, ListedLine, NewStep, StoreError, StoredLine};
use std::collections::BTreeSet;
use std::sync::Arc;

/// Who asks for a change, and what they saw.
#[derive(Debug, Clone, Default)]
pub struct Asked {
    /// The revision of the line that it was made on; none is the line as it is.
    pub made_on: Option<i64>,
    /// Messages of one gesture are one step.
    pub gesture: Option<String>,
}

/// What an operation gave.
pub struct Made {
    pub line: StoredLine,
    /// Numbers of what is new.
    pub made: Vec<u32>,
    pub note: Note,
}

/// How often the line's curves are worked out again because somebody changed it meanwhile, before that is done while
/// others wait.
const PATIENCE: usize = 3;

/// What others did since a request was made; nothing if it is made on the thing as it is. `changes_since` tells it of a
/// revision and without a gesture.
pub fn since(
    asked: &Asked,
    gesture: Option<&str>,
    changes_since: impl FnOnce(i64, Option<&str>) -> Result<Option<Changes>, StoreError>,
) -> Answer<Changes> {
    let Some(made_on) = asked.made_on else { return Ok(Changes::new()) };
    Ok(changes_since(made_on, gesture)?.ok_or_else(Refusal::long_ago)?)
}

/// Refuses what takes for granted what others changed since.
///
/// # Errors
/// The refusal.
pub fn unmet(needs: impl FnOnce() -> BTreeSet<String>, since: &Changes) -> Answer<()> {
    if since.is_empty() {
        return Ok(());
    }
    met(&needs(), since).map_or(Ok(()), |words| Err(Refusal::met(words).into()))
}

/// Refuses to take a step back or to make it again after others changed the same line or wiring.
///
/// # Errors
/// The refusal.
pub fn nothing_since(
    asked: &Asked,
    changes_since: impl FnOnce(i64, Option<&str>) -> Result<Option<Changes>, StoreError>,
) -> Answer<()> {
    // Results of analyses are no steps: they do not stand between a hand and its last step.
    let since = since(asked, None, changes_since)?;
    let other = since.iter().find(|(words, _)| words != jam_store::RESULT);
    other.map_or(Ok(()), |(words, _)| Err(Refusal::met(words).into()))
}

/// How a step that was taken back or made again is called on other pages.
pub fn turned(back: bool) -> &'static str {
    if back { "a step taken back" } else { "a step made again" }
}

/// Makes an operation on a line, tells every page, and starts the analysis that it asks for.
///
/// # Errors
/// A refusal of the desk; nothing is changed then.
pub fn operate(app: &Arc<App>, id: i32, op: &Op, asked: &Asked) -> Answer<Made> {
    if op.reads_curves() {
        // Worked out before the transaction, so that nobody else's change waits for it.
        for _ in 0..PATIENCE {
            let revision = app.store.revision(id)?;
            evaluate::played(app, Version { line: id, snapshot: None })?;
            if app.store.revision(id)? == revision {
                break;
            }
        }
    }
    let grid = app.store.production()?.grid;
    let ((made, note, words, awaits), line) = app.store.change_line(id, |now| -> Answer<_> {
        let gesture = asked.gesture.as_deref();
        let since = since(asked, gesture, |made_on, gesture| now.changes_since(made_on, gesture))?;
        unmet(|| needs(op, &now.line.document), &since)?;
        let stored = &now.line;
        let house = Here { app, stored, grid };
        let Done { line: document, ids, words, made, asks_for_times: awaits, asks, note } =
            act(op, &Situation { line: &stored.document, ids: stored.ids, house: &house })?;
        let gesture = asked.gesture.clone();
        now.step(NewStep { document, ids, words: words.clone(), gesture, asks, awaits })?;
        Ok((made, note, words, awaits))
    })?;
    if awaits {
        app.store.set_problem(id, None)?;
        jobs::analyse(app, id, &Order::default());
    }
    changed(app, &line, &words, asked.gesture.as_deref());
    Ok(Made { line, made, note })
}

/// Takes the last step of a line back, or makes the one that was taken back last again.
///
/// # Errors
/// There is none, or others changed the line since.
pub fn turn_back(app: &Arc<App>, id: i32, back: bool, asked: &Asked) -> Answer<StoredLine> {
    let (awaits, line) = app.store.change_line(id, |now| -> Answer<_> {
        nothing_since(asked, |made_on, gesture| now.changes_since(made_on, gesture))?;
        if back {
            now.undo()?
        } else {
            now.redo()?
        }
        Ok(now.awaits_times()?)
    })?;
    let words = turned(back);
    // What runs belongs to the state before; it would find that out at its end.
    let running = app.jobs.analysing(id).is_some();
    if awaits && (running || line.problem.is_none()) {
        jobs::analyse(app, id, &Order::default());
    }
    changed(app, &line, words, None);
    Ok(line)
}

impl App {
    /// Makes an operation on a line; see [`jam_desk::act`]. Gives the numbers of what is new.
    ///
    /// # Errors
    /// A refusal; nothing is changed then.
    pub fn operate(self: &Arc<App>, line: i32, op: &Op, asked: &Asked) -> Answer<Vec<u32>> {
        Ok(operate(self, line, op, asked)?.made)
    }

    /// Takes the last step of a line back, or (not `back`) makes it again.
    ///
    /// # Errors
    /// There is none, or others changed the line since.
    pub fn turn_back(self: &Arc<App>, line: i32, back: bool, asked: &Asked) -> Answer<()> {
        turn_back(self, line, back, asked).map(drop)
    }

    /// A line as it is stored.
    ///
    /// # Errors
    /// There is no such line, or the data file cannot be read.
    pub fn line(&self, id: i32) -> Result<StoredLine, StoreError> {
        self.store.line(id)
    }

    /// Waits until no long work waits or runs any more.
    pub fn settle(&self) {
        while !self.jobs.idle() {
            std::thread::sleep(std::time::Duration::from_millis(5));
        }
    }

    /// The character who says a line; none while it is deleted: it moves nothing then, and may be had back.
    fn character_of(&self, line: &Line) -> Answer<Option<CastMember>> {
        let Some(name) = &line.character else { return Ok(None) };
        match self.store.cast_member_named(name) {
            Ok(member) => Ok(Some(member)),
            Err(StoreError::NotFound) => Ok(None),
            Err(error) => Err(error.into()),
        }
    }

    /// The wiring of the character who says a line.
    pub(crate) fn wiring_of(&self, line: &Line) -> Answer<Wiring> {
        Ok(self.character_of(line)?.map(|member| member.wiring).unwrap_or_default())
    }

    /// The mouth of the character who says a line, if it has one that can be measured.
    pub(crate) fn mouth_of(&self, line: &Line) -> Answer<Option<Arc<Mouth>>> {
        let Some(member) = self.character_of(line)? else { return Ok(None) };
        let (model, wiring) = (&member.model, &member.wiring);
        let measure = || Ok(self.model(model)?.character.mouth(wiring)?);
        self.mouths.get(model, wiring, measure, Mouth::bytes)
    }
}

/// The production as an operation on it finds it.
fn production_now(app: &App, takes_of: Option<i32>) -> Answer<ProductionNow> {
    let production = app.store.production()?;
    let label = |(i, line): (usize, ListedLine)| {
        let called = line.brief.name.clone().unwrap_or_else(|| format!("line {}", i + 1));
        (line.id, called)
    };
    let mut takes = Vec::new();
    if let Some(line) = takes_of {
        let heard = app.store.line(line)?.document.listen.take;
        let all = app.store.takes(line)?.into_iter();
        takes.extend(all.filter_map(|t| t.id.map(|id| (id, t.name, Some(id) == heard))));
    }
    let lines = app.store.lines_listed()?;
    let cast = app.store.cast()?;
    let heard = Heard {
        lines: lines.iter().map(|l| (l.id, l.brief.character.clone())).collect(),
        characters: cast.iter().map(|m| (m.name.clone(), m.title.clone())).collect(),
    };
    Ok(ProductionNow {
        name: production.name,
        grid: production.grid,
        lines: lines.into_iter().enumerate().map(label).collect(),
        characters: cast.into_iter().map(|m| (m.id, m.title)).collect(),
        takes,
        deliveries: app.store.deliveries()?.into_iter().map(|d| d.id).collect(),
        recipes: app.store.recipes()?,
        scenes: app.store.scenes()?,
        heard,
    })
}

/// Refuses lines that are not there; none of their documents is read.
///
/// # Errors
/// One is not there, or the data file cannot be read.
pub fn all_there(app: &App, ids: &BTreeSet<i32>) -> Result<(), StoreError> {
    let there = app.store.lines_listed()?.into_iter().map(|line| line.id).collect();
    if ids.is_subset(&there) { Ok(()) } else { Err(StoreError::NotFound) }
}

/// What an operation on the production gave.
pub struct ProductionMade {
    /// What was done, in words.
    pub says: String,
    /// Numbers of lines or scenes that are new.
    pub made: Vec<i32>,
}

/// Makes one operation on the production.
///
/// # Errors
/// A refusal; nothing is changed then.
pub fn produce(app: &Arc<App>, op: &ProductionOp) -> Answer<ProductionMade> {
    let takes_of = match op {
        ProductionOp::DeleteTake { line, .. } | ProductionOp::RenameTake { line, .. } => Some(*line),
        _ => None,
    };
    if let ProductionOp::DeleteLines { ids } = op
        && let ids = ids.iter().copied().collect()
        && all_there(app, &ids).is_ok()
    {
        // Nothing is worked on any more that nobody sees.
        for job in app.jobs.list().into_iter().filter(|j| ids.contains(&j.line)) {
            jobs::cancel(app, job.id)?;
        }
    }
    if let ProductionOp::KeepRecipe { recipe, .. } = op {
        let read: Result<Recipe, _> = serde_json::from_value(recipe.clone());
        let wrong = |e: String| Problem::refused("recipe", "recipe_wrong", e);
        read.map_err(|e| wrong(e.to_string()))?.check().map_err(|e| wrong(e.to_string()))?;
    }
    let apart = match op {
        ProductionOp::SplitBySpeaker { id } => Some(Parts::of(app, *id)?),
        _ => None,
    };
    let mut untimed = Vec::new();
    let done = app.store.change_production(|now| -> Answer<_> {
        let production = production_now(app, takes_of)?;
        let Produced { made, words } = jam_desk::produce(op, &production)?;
        let made = match made {
            Comes::Edit(edit) => {
                now.make(&edit, &words)?;
                Vec::new()
            }
            Comes::Apart(id) => {
                let parts = apart.ok_or_else(|| Problem::unexpected("no parts were worked out"))?;
                let called =
                    production.lines.iter().find(|(own, _)| *own == id).map(|(_, name)| name.as_str());
                let says = parts.says(called.unwrap_or("the line"));
                return Ok(ProductionMade { says, made: parts.put(now, id, production, &words)? });
            }
            Comes::LineCopied(id) => vec![now.duplicate_line(id, &words)?],
            Comes::Scene(scene) => vec![now.add_scene(&scene, &words)?],
            Comes::LinesChanged(ids, change) => {
                let mut steps = Vec::new();
                for (place, id) in ids.iter().enumerate() {
                    let step =
                        now.line(*id, |now| change_one(app, now, (&change, place), production.grid))?;
                    if let Some((step, awaits)) = step {
                        steps.push((*id, step));
                        untimed.extend(awaits.then_some(*id));
                    }
                }
                let (changed, same) = (steps.len(), ids.len() - steps.len());
                let words = change.words(changed);
                if changed == 0 {
                    return Err(Refusal::nothing_changes(change.needs_times()).into());
                }
                now.join(steps, &words)?;
                let says = match same {
                    0 => words,
                    _ => format!("{words}; {same} stay as they are"),
                };
                return Ok(ProductionMade { says, made: Vec::new() });
            }
        };
        Ok(ProductionMade { says: words, made })
    })?;
    time_again(app, &untimed, Order::default())?;
    app.tell(Event::Production);
    if let Some(id) = takes_of {
        app.tell(Event::State { id });
    }
    Ok(done)
}

/// Takes the production's last step back, or makes it again; its words.
///
/// # Errors
/// There is none, or others changed since what it changed.
pub fn turn_production(app: &Arc<App>, back: bool) -> Answer<String> {
    let (words, awaiting) = app.store.turn_production(back)?;
    let running = app.jobs.lines_analysed();
    let mut untimed = Vec::new();
    for id in awaiting {
        // What gave no times before gives none again.
        if running.contains(&id) || app.store.line(id)?.problem.is_none() {
            untimed.push(id);
        }
    }
    time_again(app, &untimed, Order::default())?;
    app.tell(Event::Production);
    Ok(words)
}

/// Times lines anew as they stand now, several of them as one batch; what was wrong with them is not said any more.
pub fn time_again(app: &Arc<App>, lines: &[i32], order: Order) -> Answer<Vec<Job>> {
    for id in lines {
        app.store.set_problem(*id, None)?;
    }
    if lines.is_empty() {
        return Ok(Vec::new());
    }
    let order = Order { many: order.many || lines.len() > 1, ..order };
    Ok(jobs::analyse_all(app, lines, &order)?)
}
