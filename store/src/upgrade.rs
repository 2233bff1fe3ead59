//! Documents of older layouts brought to the layout of today.
//!
//! The first layout named words and sounds by their places and marks by their names; steps of that layout cannot be
//! taken back any more. Up to the second one, outputs and wires of characters had no numbers, and steps held whole
//! wirings.

use crate::schema::{cast_member, line, snapshot, wiring_step};
use crate::{StoreError, stored};
use diesel::connection::SimpleConnection;
use diesel::prelude::*;
use jam_rig::{Wiring, WiringEdit};
use jam_score::{Ids, Line};
use serde_json::{Map, Value, json};

/// Gives everything in a document of the first layout numbers; the changed document, and where numbers go on.
fn upgraded(text: &str) -> Result<(Line, Ids), StoreError> {
    let mut line: Value = serde_json::from_str(text)?;
    // Numbers given before are those of touches and of what lies on staves; words and sounds come after them.
    let mut top = Ids::NEW_LINE.next();
    highest(&line["touches"], &mut top);
    highest(&line["layers"], &mut top);
    let count = |v: &Value| v.as_array().map_or(0, Vec::len) as u32;
    let (words, sounds) = (top, top + count(&line["timing"]["words"]));
    let next = sounds + count(&line["timing"]["sounds"]);
    number(&mut line["timing"]["words"], words);
    number(&mut line["timing"]["sounds"], sounds);
    let mut ids = Ids::from(next);
    let marks = mark_numbers(&mut line["layers"]["settings"]["marks"], &mut ids);
    moments(&mut line["touches"], sounds);
    moments(&mut line["layers"], sounds);
    for touch in line["touches"].as_array_mut().into_iter().flatten() {
        if let Some(place) = touch["on"].as_object_mut().and_then(|on| on.remove("index")) {
            let first = if touch["on"]["kind"] == "word" { words } else { sounds };
            touch["on"]["id"] = json!(first + place.as_u64().unwrap_or(0) as u32);
        }
        if let Some(name) = touch["pass"].as_str().map(str::to_string) {
            touch["pass"] = json!({ "id": ids.give(), "name": name });
        }
    }
    for reach in line["reach"].as_array_mut().into_iter().flatten() {
        let first = match reach["of"]["kind"].as_str() {
            Some("word") => words,
            Some("sound") => sounds,
            _ => continue,
        };
        reach["of"]["of"] = json!(first + reach["of"]["of"].as_u64().unwrap_or(0) as u32);
    }
    for look in line["layers"]["looks"].as_array_mut().into_iter().flatten() {
        for field in ["mark", "one", "other"] {
            let Some(name) = look["does"][field].as_str() else { continue };
            look["does"][field] = marks.get(name).cloned().unwrap_or(json!(1));
        }
    }
    for dismissed in line["layers"]["dismissed"].as_array_mut().into_iter().flatten() {
        dismissed["id"] = json!(ids.give());
    }
    strip_nulls(&mut line);
    Ok((serde_json::from_value(line)?, ids))
}

/// Indexing by name makes empty fields where there were none.
fn strip_nulls(line: &mut Value) {
    if line["timing"]["text"].is_null() {
        line["timing"] = Value::Null;
    }
    for field in ["touches", "reach", "layers"] {
        if line[field].is_null()
            && let Some(own) = line.as_object_mut()
        {
            own.remove(field);
        }
    }
    if let Some(layers) = line["layers"].as_object_mut() {
        layers.retain(|name, value| name == "body" || !value.is_null());
        if let Some(settings) = layers.get_mut("settings").and_then(Value::as_object_mut) {
            settings.retain(|_, value| !value.is_null());
        }
    }
}

/// The first number above all that are there.
fn highest(value: &Value, top: &mut u32) {
    match value {
        Value::Object(fields) => {
            let own = fields.get("id").and_then(Value::as_u64).unwrap_or(0) as u32;
            *top = (*top).max(own + 1);
            fields.values().for_each(|v| highest(v, top));
        }
        Value::Array(all) => all.iter().for_each(|v| highest(v, top)),
        _ => {}
    }
}

fn number(row: &mut Value, first: u32) {
    for (i, one) in row.as_array_mut().into_iter().flatten().enumerate() {
        one["id"] = json!(first + i as u32);
    }
}

/// Moments name their sounds by number.
fn moments(value: &mut Value, first: u32) {
    match value {
        Value::Object(fields) => {
            let place = fields.get("sound").and_then(Value::as_u64).filter(|_| fields.contains_key("at"));
            if let Some(place) = place {
                fields.insert("sound".into(), json!(first + place as u32));
            }
            fields.values_mut().for_each(|v| moments(v, first));
        }
        Value::Array(all) => all.iter_mut().for_each(|v| moments(v, first)),
        _ => {}
    }
}

/// Numbers of marks by their names; those every line has keep theirs.
fn mark_numbers(marks: &mut Value, ids: &mut Ids) -> Map<String, Value> {
    let known = jam_score::layers::Settings::default();
    let mut numbers = Map::new();
    if marks.is_null() {
        numbers.extend(known.marks.iter().map(|m| (m.name.clone(), json!(m.id))));
    }
    for mark in marks.as_array_mut().into_iter().flatten() {
        let name = mark["name"].as_str().unwrap_or_default().to_string();
        let id = known.mark_named(&name).unwrap_or_else(|| ids.give());
        mark["id"] = json!(id);
        numbers.insert(name, json!(id));
    }
    numbers
}

/// Brings every line and snapshot to the layout of today.
///
/// # Errors
/// The data file cannot be read or written.
pub fn documents(c: &mut SqliteConnection) -> Result<(), StoreError> {
    let lines: Vec<(i32, String)> = line::table.select((line::id, line::document)).load(c)?;
    let mut next = std::collections::HashMap::new();
    for (id, text) in lines {
        let (document, ids) = upgraded(&text)?;
        let text = stored::write(&document)?;
        diesel::update(line::table.find(id))
            .set((line::document.eq(text), line::next_id.eq(i64::from(ids.next()))))
            .execute(c)?;
        next.insert(id, ids.next());
    }
    let snapshots: Vec<(i32, i32, String)> =
        snapshot::table.select((snapshot::id, snapshot::line_id, snapshot::document)).load(c)?;
    for (id, line_id, text) in snapshots {
        let (document, ids) = upgraded(&text)?;
        diesel::update(snapshot::table.find(id))
            .set(snapshot::document.eq(stored::write(&document)?))
            .execute(c)?;
        // Going back to it must not give its numbers again.
        let top = next.entry(line_id).or_insert(0);
        *top = (*top).max(ids.next());
        diesel::update(line::table.find(line_id)).set(line::next_id.eq(i64::from(*top))).execute(c)?;
    }
    Ok(())
}

#[derive(QueryableByName)]
#[diesel(check_for_backend(diesel::sqlite::Sqlite))]
struct WholeStep {
    #[diesel(sql_type = diesel::sql_types::Text)]
    words: String,
    #[diesel(sql_type = diesel::sql_types::Text)]
    before: String,
    #[diesel(sql_type = diesel::sql_types::Text)]
    after: String,
    #[diesel(sql_type = diesel::sql_types::Bool)]
    undone: bool,
}

/// Gives outputs and wires numbers, and makes edits of the steps that held whole wirings.
///
/// # Errors
/// The data file cannot be read or written.
pub fn wirings(c: &mut SqliteConnection) -> Result<(), StoreError> {
    let members: Vec<(i32, String)> =
        cast_member::table.select((cast_member::id, cast_member::wiring)).load(c)?;
    for (id, text) in members {
        let mut ids = Ids::from(1);
        let mut numbered = |text: &str, like: &Wiring| -> Result<Wiring, StoreError> {
            Ok(serde_json::from_str::<Wiring>(text)?.numbered_like(like, &mut ids))
        };
        let now = numbered(&text, &Wiring::default())?;
        let steps: Vec<WholeStep> = diesel::sql_query(
            "SELECT words, before, after, undone FROM cast_step WHERE cast_id = ? ORDER BY id",
        )
        .bind::<diesel::sql_types::Integer, _>(id)
        .load(c)?;
        let mut edits = vec![WiringEdit::default(); steps.len()];
        let done = steps.iter().take_while(|s| !s.undone).count();
        // From the wiring of now back to the first step, and on to what was taken back.
        let mut after = now.clone();
        for (step, edit) in steps[..done].iter().zip(&mut edits).rev() {
            let before = numbered(&step.before, &after)?;
            *edit = WiringEdit::between(&before, &after);
            after = before;
        }
        let mut before = now.clone();
        for (step, edit) in steps.iter().zip(&mut edits).skip(done) {
            let after = numbered(&step.after, &before)?;
            *edit = WiringEdit::between(&before, &after);
            before = after;
        }
        for (step, edit) in steps.into_iter().zip(edits) {
            diesel::insert_into(wiring_step::table)
                .values((
                    wiring_step::cast_id.eq(id),
                    wiring_step::words.eq(step.words),
                    wiring_step::edit.eq(stored::pack(&edit)?),
                    wiring_step::undone.eq(step.undone),
                ))
                .execute(c)?;
        }
        diesel::update(cast_member::table.find(id))
            .set((
                cast_member::wiring.eq(stored::write(&now)?),
                cast_member::next_id.eq(i64::from(ids.next())),
            ))
            .execute(c)?;
    }
    Ok(c.batch_execute("DROP TABLE cast_step")?)
}

/// Takes words and sounds out of the documents of lines.
///
/// # Errors
/// The data file cannot be read or written.
pub fn into_parts(c: &mut SqliteConnection) -> Result<(), StoreError> {
    let lines: Vec<(i32, String, i64)> =
        line::table.select((line::id, line::document, line::next_id)).load(c)?;
    for (id, text, next) in lines {
        let document: Line = stored::read(&text)?;
        let ids = Ids::from(u32::try_from(next).map_err(|_| StoreError::Newer)?);
        crate::lines::write(c, id, None, &document, ids)?;
    }
    Ok(())
}
