//! Many lines at once: what would come of recordings, texts and a table that are dropped together, which lines of a script
//! they say, and many lines timed again.

use crate::app::App;
use crate::form::{Form, blocking};
use crate::house;
use crate::jobs::{self, Batch, Order};
use crate::problem::{Answer, Problem};
use crate::sent::Sent;
use axum::Json;
use axum::extract::{Multipart, State};
use jam_desk::intake::{AskedLine, Intake, Known, ProposedLine, propose};
use jam_formats::lines_table::{Column, LinesTable, TableRow, is_sound, is_table};
use jam_formats::script;
use jam_score::Phone;
use jam_store::{ListedLine, StoredLine};
use jam_voice::which;
use serde::{Deserialize, Serialize};
use std::collections::{BTreeMap, BTreeSet};
use std::sync::Arc;

/// Most recordings in one request.
const MOST: usize = 20_000;

/// What came together: texts, subtitles, tables and scripts whole, recordings by their paths alone.
#[derive(utoipa::ToSchema)]
#[allow(dead_code, reason = "describes the form for the API description only")]
pub struct IntakeForm {
    /// Paths of the recordings, as a JSON list.
    recordings: String,
    /// Texts and tables, each under its path.
    #[schema(value_type = Vec<String>, format = Binary)]
    file: Vec<Vec<u8>>,
    /// Which column of the table says what, as a JSON object of column and place from 0; without it headers tell.
    columns: Option<String>,
}

/// A line of a script.
#[derive(Serialize, utoipa::ToSchema)]
pub struct ScriptLineView {
    /// Who says it, as it is written.
    who: Option<String>,
    /// What names the character who is called so.
    character: Option<String>,
    text: String,
}

/// What would come of files that were dropped together.
#[derive(Serialize, utoipa::ToSchema)]
pub struct IntakeView {
    lines: Vec<ProposedLine>,
    /// Headers of the table; nothing without one.
    headers: Vec<String>,
    /// Which of them says what, by their places.
    #[schema(value_type = HashMap<String, usize>)]
    columns: BTreeMap<Column, usize>,
    /// Lines of texts that lie beside no recording.
    script: Vec<ScriptLineView>,
    /// What is wrong with the table, in a sentence.
    problem: Option<String>,
}

fn known(app: &App) -> Answer<Known> {
    let characters = app.store.cast_titles()?.into_iter().collect();
    let lines = app.store.lines_listed()?;
    let recordings = lines.into_iter().map(|l| l.recording_name.to_lowercase()).collect();
    Ok(Known { characters, recordings })
}

fn script_of(text: &str, known: &Known) -> Vec<ScriptLineView> {
    let view = |line: script::ScriptLine| ScriptLineView {
        character: line.who.as_ref().and_then(|who| known.character(who)).map(str::to_string),
        who: line.who,
        text: line.text,
    };
    script::lines_of(text).into_iter().map(view).collect()
}

/// Says what lines would come of files, before anything is brought in.
#[utoipa::path(post, path = "/api/lines/intake", tag = "lines", request_body(content = IntakeForm, content_type = "multipart/form-data"), responses((status = 200, body = IntakeView), (status = 422, body = Problem)))]
pub async fn intake(State(app): State<Arc<App>>, form: Multipart) -> Answer<Json<IntakeView>> {
    let form = Form::read_within(form, crate::MAX_OPERATION).await?;
    blocking(move || {
        let unread = |field| move |e: serde_json::Error| Problem::refused(field, "not_understood", e);
        let listed = form.text("recordings").unwrap_or("[]");
        let mut came = Intake {
            recordings: serde_json::from_str(listed).map_err(unread("recordings"))?,
            ..Intake::default()
        };
        came.recordings.retain(|name| is_sound(name));
        if came.recordings.len() > MOST {
            return Err(Problem::too_large(format!(
                "More than {MOST} recordings; bring them in as several folders."
            )));
        }
        let chosen = form.text("columns").map(serde_json::from_str).transpose().map_err(unread("columns"))?;
        let known = known(&app)?;
        let mut view = IntakeView {
            lines: Vec::new(),
            headers: Vec::new(),
            columns: BTreeMap::new(),
            script: Vec::new(),
            problem: None,
        };
        let mut whole = Vec::new();
        for (name, bytes) in form.all_files("file") {
            let said = |e: &dyn std::fmt::Display| format!("{name}: {e}");
            if is_table(name) {
                match LinesTable::read(bytes) {
                    Err(e) => view.problem = Some(said(&e)),
                    Ok(mut table) => {
                        if let Some(chosen) = &chosen {
                            table.columns = BTreeMap::clone(chosen);
                        }
                        if let Err(e) = table.check() {
                            view.problem = Some(said(&e));
                        } else {
                            came.table.extend(table.rows.iter().map(|row| asked(&table, row)));
                        }
                        (view.headers, view.columns) = (table.headers, table.columns);
                    }
                }
                continue;
            }
            // As it stands, for a script; subtitles without their times.
            match script::text_of(bytes).and_then(|text| Ok((text, script::plain(bytes)?))) {
                Err(e) => view.problem = Some(said(&e)),
                Ok((text, plain)) => {
                    whole.push(if plain.contains("-->") { text.clone() } else { plain });
                    came.texts.push((name.to_string(), text));
                }
            }
        }
        let proposed = propose(&came, &known);
        view.script = proposed.apart.iter().flat_map(|k| script_of(&whole[*k], &known)).collect();
        view.lines = proposed.lines;
        Ok(view)
    })
    .await
    .map(Json)
}

fn asked(table: &LinesTable, row: &TableRow) -> AskedLine {
    let cell = |column| table.cell(row, column).map(str::to_string);
    AskedLine {
        line: row.line,
        file: cell(Column::File),
        text: cell(Column::Text),
        language: cell(Column::Language),
        character: cell(Column::Character),
        mood: cell(Column::Mood),
        first_frame: cell(Column::FirstFrame),
        name: cell(Column::Name),
    }
}

/// A script as it is written: a line each, named or numbered.
#[derive(Deserialize, utoipa::ToSchema)]
pub struct ScriptQuestion {
    text: String,
}

/// A line of a script that a recording seems to say.
#[derive(Serialize, utoipa::ToSchema)]
pub struct SaidView {
    /// Its place in the script, from 0.
    text: usize,
    /// How like what was heard is to how it would sound, 0..1.
    likeness: f32,
    /// 0..1; below ½ it wants a look.
    confidence: f32,
}

/// A line without a text, and what it seems to say.
#[derive(Serialize, utoipa::ToSchema)]
pub struct WhichView {
    id: i32,
    number: usize,
    name: Option<String>,
    recording_name: String,
    /// The likeliest first; nothing if no line of the script is like it.
    said: Vec<SaidView>,
}

/// Which lines of a script are said where.
#[derive(Serialize, utoipa::ToSchema)]
pub struct ScriptView {
    script: Vec<ScriptLineView>,
    lines: Vec<WhichView>,
    /// Lines without a text that are not heard yet.
    waiting: usize,
}

/// Says which line of a script each line without a text seems to say, by its sounds. Nothing is changed.
#[utoipa::path(post, path = "/api/lines/script", tag = "lines", request_body = ScriptQuestion, responses((status = 200, body = ScriptView), (status = 422, body = Problem)))]
pub async fn script(
    State(app): State<Arc<App>>,
    Sent(question): Sent<ScriptQuestion>,
) -> Answer<Json<ScriptView>> {
    blocking(move || {
        let script = script_of(&question.text, &known(&app)?);
        if script.is_empty() {
            let says = "There are no lines in it; write each line of the script on a line of its own.";
            return Err(Problem::refused("text", "no_lines", says));
        }
        if script.len() > MOST {
            return Err(Problem::too_large(format!(
                "More than {MOST} lines; bring the script in as several."
            )));
        }
        let list = app.word_list(None)?;
        // A line that cannot be said is found nowhere.
        let texts: Vec<Vec<Phone>> =
            script.iter().map(|l| app.analyser.sounds_of(&l.text, &list).unwrap_or_default()).collect();
        let listed = app.store.lines_listed()?.into_iter().enumerate();
        let without: Vec<(usize, ListedLine)> = listed.filter(|(_, l)| l.brief.lacks_text).collect();
        let mut heard: Vec<(usize, StoredLine)> = Vec::new();
        for (place, line) in without.iter().filter(|(_, l)| l.brief.is_timed) {
            heard.push((*place, app.store.line(line.id)?));
        }
        let phones = |line: &StoredLine| -> Vec<Phone> {
            line.document.timing.iter().flat_map(|t| t.sounds.iter().map(|s| s.phone)).collect()
        };
        let found = which::which(&heard.iter().map(|(_, l)| phones(l)).collect::<Vec<_>>(), &texts);
        let said = |all: which::Candidates| {
            all.into_iter()
                .map(|s| SaidView { text: s.text, likeness: s.likeness, confidence: s.confidence })
                .collect()
        };
        let waiting = without.len() - heard.len();
        let lines = heard.into_iter().zip(found).map(|((place, line), found)| WhichView {
            id: line.id,
            number: place + 1,
            name: line.document.name.clone(),
            recording_name: line.recording_name,
            said: said(found),
        });
        Ok(ScriptView { lines: lines.collect(), script, waiting })
    })
    .await
    .map(Json)
}

/// Lines that something is to be done with.
#[derive(Deserialize, utoipa::ToSchema)]
pub struct LinesOrder {
    ids: BTreeSet<i32>,
}

/// Times lines anew, as one batch; what was pinned stays.
#[utoipa::path(post, path = "/api/lines/analyse", tag = "lines", request_body = LinesOrder, responses((status = 200, body = Batch), (status = 404, body = Problem)))]
pub async fn analyse(State(app): State<Arc<App>>, Sent(asked): Sent<LinesOrder>) -> Answer<Json<Batch>> {
    blocking(move || {
        house::all_there(&app, &asked.ids)?;
        let ids: Vec<i32> = asked.ids.into_iter().collect();
        house::time_again(&app, &ids, Order { by_hand: true, many: true, ..Order::default() })?;
        Ok(app.jobs.batch())
    })
    .await
    .map(Json)
}

/// Drafts the texts of lines that have none and times them, as one batch; each text is a step of its line. Lines with a
/// text, and idle ones, are left as they are.
#[utoipa::path(post, path = "/api/lines/draft", tag = "lines", request_body = LinesOrder, responses((status = 200, body = Batch), (status = 404, body = Problem)))]
pub async fn draft(State(app): State<Arc<App>>, Sent(asked): Sent<LinesOrder>) -> Answer<Json<Batch>> {
    blocking(move || {
        house::all_there(&app, &asked.ids)?;
        let lines = app.store.lines_listed()?.into_iter();
        let textless: Vec<i32> =
            lines.filter(|l| asked.ids.contains(&l.id) && l.brief.lacks_text).map(|l| l.id).collect();
        house::time_again(&app, &textless, Order { drafts: true, many: true, ..Order::default() })?;
        Ok(app.jobs.batch())
    })
    .await
    .map(Json)
}

/// Goes through the check lists of lines, as one batch; what they say is listed with the lines then.
#[utoipa::path(post, path = "/api/lines/check", tag = "lines", request_body = LinesOrder, responses((status = 200, body = Batch), (status = 404, body = Problem)))]
pub async fn check(State(app): State<Arc<App>>, Sent(order): Sent<LinesOrder>) -> Answer<Json<Batch>> {
    blocking(move || {
        house::all_there(&app, &order.ids)?;
        Ok(jobs::check(&app, order.ids.into_iter())?)
    })
    .await
    .map(Json)
}
