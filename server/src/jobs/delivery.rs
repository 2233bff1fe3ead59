//! Making the files that go out.

use super::job::{Ended, Together};
use crate::app::{App, Event};
use crate::deliver::{MOVIE, Ready, clips, timeline};
use crate::scenes::SceneReady;
use jam_formats::deliver::FileKind;
use jam_formats::recipe::Recipe;

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
    let ready = SceneReady::new(app, id)?;
    let kinds = FileKind::with_sound(&recipe.kinds);
    let mut files = Vec::new();
    for (k, kind) in kinds.iter().enumerate() {
        keep_going(0.1 + 0.7 * k as f64 / kinds.len() as f64)?;
        files.extend(ready.files(*kind, recipe)?.into_iter().map(|file| ready.kept(file, recipe)));
    }
    keep_going(0.8)?;
    if recipe.timeline.is_some() {
        let (file, sounds) = ready.timeline(app, recipe, |line| movie_of(app, line))?;
        files.push(file);
        for (line, sound) in sounds {
            app.store.add_deliveries(line, &[sound], None)?;
        }
    }
    app.store.add_deliveries(ready.first_line(), &files, None)?;
    app.tell(Event::Deliveries);
    Ok(())
}

/// File name of a line's newest movie.
fn movie_of(app: &App, line: i32) -> Option<String> {
    let own = |d: &jam_store::Delivered| d.line == line && d.scene.is_none() && d.kind == MOVIE;
    app.store.deliveries().ok()?.into_iter().find(own).map(|d| d.file_name)
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
        Together::Timeline => timeline(&ready, recipe.timeline.unwrap_or(0), |line| movie_of(app, line))?,
    };
    if let Some(first) = ready.first() {
        app.store.add_deliveries(first.id, &[file], Some(&first.faces()))?;
    }
    app.tell(Event::Deliveries);
    Ok(())
}
