//! Making the files that go out.

use super::job::{Ended, Together};
use crate::app::{App, Event};
use crate::deliver::{MOVIE, Ready, clips, timeline};
use crate::scenes::SceneReady;
use jam_formats::deliver::FileKind;
use jam_formats::recipe::Recipe;
use std::collections::BTreeMap;

/// The files of one line, kept all at once.
pub fn run(app: &App, id: i32, recipe: &Recipe, watch: &dyn Fn(f64) -> bool) -> Result<(), Ended> {
    let keep_going = |progress| if watch(progress) { Ok(()) } else { Err(Ended::Cancelled) };
    keep_going(0.0)?;
    let ready = Ready::new(app, id, recipe)?;
    let kinds = recipe.kinds_a_line();
    let mut files = Vec::new();
    for (k, kind) in kinds.iter().enumerate() {
        keep_going(0.1 + 0.8 * k as f64 / kinds.len() as f64)?;
        files.extend(ready.files(*kind, recipe)?.into_iter().map(|file| ready.kept(file, recipe)));
    }
    keep_going(0.9)?;
    app.store.add_deliveries(id, &files, Some(&ready.faces()))?;
    app.tell(Event::Deliveries);
    Ok(())
}

/// The files of a scene, kept all at once.
pub fn scene(app: &App, id: i32, recipe: &Recipe, watch: &dyn Fn(f64) -> bool) -> Result<(), Ended> {
    let keep_going = |progress| if watch(progress) { Ok(()) } else { Err(Ended::Cancelled) };
    keep_going(0.0)?;
    let ready = SceneReady::new(app, id)?.heard(app)?;
    let kinds = FileKind::with_sound(&recipe.kinds);
    let mut files = Vec::new();
    for (k, kind) in kinds.iter().enumerate() {
        keep_going(0.1 + 0.7 * k as f64 / kinds.len() as f64)?;
        files.extend(ready.files(*kind, recipe)?.into_iter().map(|file| ready.kept(file, recipe)));
    }
    keep_going(0.8)?;
    if recipe.timeline.is_some() {
        let movies = movies(app)?;
        let (file, sounds) = ready.timeline(app, recipe, |line| movies.get(&line).cloned())?;
        files.push(file);
        for (line, sound) in sounds {
            app.store.add_deliveries(line, &[sound], None)?;
        }
    }
    app.store.add_deliveries(ready.first_line(), &files, None)?;
    app.tell(Event::Deliveries);
    Ok(())
}

/// File names of lines' newest movies.
fn movies(app: &App) -> Result<BTreeMap<i32, String>, Ended> {
    let mut newest = BTreeMap::new();
    let all = app.store.deliveries()?.into_iter();
    for movie in all.filter(|d| d.scene.is_none() && d.kind == MOVIE) {
        newest.entry(movie.line).or_insert(movie.file_name);
    }
    Ok(newest)
}

/// What several lines have together; it is kept with the first.
pub fn together(
    app: &App,
    lines: &[i32],
    recipe: &Recipe,
    what: Together,
    watch: &dyn Fn(f64) -> bool,
) -> Result<(), Ended> {
    let mut ready = Vec::with_capacity(lines.len());
    for (k, id) in lines.iter().enumerate() {
        if !watch(0.8 * k as f64 / lines.len() as f64) {
            return Err(Ended::Cancelled);
        }
        ready.push(Ready::new(app, *id, recipe)?);
    }
    let file = match what {
        Together::Clips => clips(&ready, recipe)?,
        Together::Timeline => {
            let movies = movies(app)?;
            timeline(&ready, recipe.timeline.unwrap_or(0), |line| movies.get(&line).cloned())?
        }
    };
    if let Some(first) = ready.first() {
        app.store.add_deliveries(first.id, &[file], Some(&first.faces()))?;
    }
    app.tell(Event::Deliveries);
    Ok(())
}
