//! Scenes: what is in them, what is seen and heard of them, and how they go out. They are changed as the production is.

use super::deliveries::FramedWord;
use crate::app::{App, Event};
use crate::form::{Form, blocking};
use crate::jobs::{self, Job};
use crate::movie::{self, Cut, Made};
use crate::problem::{Answer, Problem};
use crate::range;
use crate::scenes::SceneReady;
use crate::sent::Sent;
use crate::window::framed;
use axum::Json;
use axum::extract::{Multipart, Path, State};
use axum::http::{HeaderMap, header};
use axum::response::{IntoResponse, Response};
use jam_desk::scene::{Place, Shown, Staged, Turn};
use jam_formats::recipe::Recipe;
use jam_formats::sound;
use jam_score::scene::{Entry, Listening};
use jam_score::{FrameGrid, Scene, without_sounds};
use serde::{Deserialize, Serialize};
use std::sync::Arc;

/// A scene as it is listed.
#[derive(Serialize, utoipa::ToSchema)]
pub struct SceneSummary {
    id: i32,
    name: String,
    lines: usize,
    /// Lines of it by their numbers.
    of: Vec<i32>,
}

/// A line in its place in a scene.
#[derive(Serialize, utoipa::ToSchema)]
pub struct TurnView {
    /// Its number in the scene.
    entry: u32,
    line: i32,
    /// Its place in the production, from 1, and its own name.
    number: usize,
    name: Option<String>,
    text: String,
    /// Key of who says it, if that one stands on the stage, and of who it is said to.
    speaker: Option<String>,
    to: Option<String>,
    /// Seconds from the scene's start.
    start: f64,
    end: f64,
    /// Whether it starts where it was put, not behind the line before.
    put: bool,
    timed: bool,
    /// Loudness in even steps, 0..1.
    wave: Vec<f32>,
    /// Whether its speaker still says another line when it starts.
    overlaps: bool,
}

/// A character on a scene's stage.
#[derive(Serialize, utoipa::ToSchema)]
pub struct ActorView {
    /// Its key, number and name in the production.
    character: String,
    member: i32,
    title: String,
    place: Place,
    listens: Listening,
    /// What it does while others speak, in order.
    reactions: Vec<Shown>,
    /// How many of these a hand has put, changed or taken out.
    by_hand: usize,
}

/// A scene whole.
#[derive(Serialize, utoipa::ToSchema)]
pub struct SceneView {
    id: i32,
    name: String,
    /// Names what is seen and heard of it now.
    stamp: String,
    grid: FrameGrid,
    frames: usize,
    pause: f64,
    apart: f64,
    turned: f64,
    level: bool,
    /// Lines in the order in which they follow each other, also those that are deleted.
    entries: Vec<Entry>,
    /// Lines in the order in which they start.
    turns: Vec<TurnView>,
    actors: Vec<ActorView>,
}

#[utoipa::path(get, path = "/api/scenes", tag = "scenes", responses((status = 200, body = [SceneSummary])))]
pub async fn list(State(app): State<Arc<App>>) -> Answer<Json<Vec<SceneSummary>>> {
    blocking(move || {
        let summary = |(id, scene): (i32, Scene)| SceneSummary {
            id,
            lines: scene.entries.len(),
            of: scene.entries.iter().map(|e| e.line).collect(),
            name: scene.name,
        };
        Ok(app.store.scenes()?.into_iter().map(summary).collect())
    })
    .await
    .map(Json)
}

#[utoipa::path(get, path = "/api/scenes/{id}", tag = "scenes", params(("id" = i32, Path)), responses((status = 200, body = SceneView), (status = 404, body = Problem)))]
pub async fn show(State(app): State<Arc<App>>, Path(id): Path<i32>) -> Answer<Json<SceneView>> {
    blocking(move || {
        let kept = app.staged(id)?;
        let lines = app.store.lines()?;
        let staged = &kept.staged;
        let key = |i: usize| staged.actors[i].character.clone();
        let turn = |(t, turn): (usize, &Turn)| -> Option<TurnView> {
            let place = lines.iter().position(|l| l.id == turn.line)?;
            let stored = &lines[place];
            let own = staged.turns[..t].iter().filter(|o| o.speaker.is_some() && o.speaker == turn.speaker);
            Some(TurnView {
                entry: turn.entry,
                line: turn.line,
                number: place + 1,
                name: stored.document.name.clone(),
                text: without_sounds(&stored.document.text),
                speaker: turn.speaker.map(key),
                to: turn.to.map(key),
                start: turn.start,
                end: turn.end,
                put: turn.put,
                timed: turn.timed,
                wave: stored.facts.wave.clone(),
                overlaps: own.into_iter().any(|o| o.end > turn.start + 1e-3),
            })
        };
        let actor = |a: &jam_desk::scene::Actor| ActorView {
            character: a.character.clone(),
            member: kept.cast[&a.character].id,
            title: kept.cast[&a.character].title.clone(),
            place: a.place,
            listens: a.listens.clone(),
            reactions: a.reactions.clone(),
            by_hand: kept.scene.reactions.iter().filter(|r| r.character == a.character).count(),
        };
        Ok(SceneView {
            id,
            name: kept.scene.name.clone(),
            stamp: kept.stamp.clone(),
            grid: staged.grid,
            frames: staged.frames,
            pause: kept.scene.pause,
            apart: kept.scene.apart,
            turned: kept.scene.turned,
            level: kept.scene.level,
            entries: kept.scene.entries.clone(),
            turns: staged.turns.iter().enumerate().filter_map(turn).collect(),
            actors: staged.actors.iter().map(actor).collect(),
        })
    })
    .await
    .map(Json)
}

#[derive(Serialize)]
struct CurvesHeader {
    frames: usize,
    /// Of each actor, in their order, how many targets it has.
    targets: Vec<usize>,
    words: Vec<FramedWord>,
}

/// Everything that is said, over the frames on which it is.
fn words(staged: &Staged) -> Vec<FramedWord> {
    let timings = staged.actors.iter().filter_map(|a| a.line.timing.as_ref());
    timings.flat_map(|t| &t.words).map(|w| FramedWord::of(w, staged.grid)).collect()
}

/// What every target of every character does: length of the header (u32), header as JSON padded to four bytes, then one
/// run of little-endian f32 a character, frame by frame.
#[utoipa::path(get, path = "/api/scenes/{id}/curves", tag = "scenes", params(("id" = i32, Path)), responses((status = 200, content_type = "application/octet-stream"), (status = 404, body = Problem)))]
pub async fn curves(State(app): State<Arc<App>>, Path(id): Path<i32>) -> Answer<Response> {
    blocking(move || {
        let kept = app.staged(id)?;
        let actors = &kept.staged.actors;
        let header = CurvesHeader {
            frames: kept.staged.frames,
            targets: actors.iter().map(|a| a.wiring.targets().len()).collect(),
            words: words(&kept.staged),
        };
        let mut out = framed(&header);
        for actor in actors {
            for (f, face) in actor.sampled.faces.iter().enumerate() {
                let values = actor.wiring.apply_with(face, actor.sampled.drawings.get(f).copied());
                out.extend(values.iter().flat_map(|v| v.to_le_bytes()));
            }
        }
        Ok(([(header::CONTENT_TYPE, "application/octet-stream")], out).into_response())
    })
    .await
}

/// All lines where they start, mixed to one channel, for listening.
#[utoipa::path(get, path = "/api/scenes/{id}/sound", tag = "scenes", params(("id" = i32, Path)), responses((status = 200, content_type = "audio/wav"), (status = 404, body = Problem)))]
pub async fn heard(State(app): State<Arc<App>>, Path(id): Path<i32>, headers: HeaderMap) -> Answer<Response> {
    blocking(move || {
        let kept = app.staged(id)?;
        let nothing = || Problem::not_found("Nobody says anything in this scene yet.");
        let sound = app.scene_sound(&kept)?.ok_or_else(nothing)?;
        Ok(range::respond(&headers, &sound::listening_copy(&sound)?, "audio/wav"))
    })
    .await
}

/// The sound of exactly the scene's frames, as it goes out.
#[utoipa::path(get, path = "/api/scenes/{id}/wav", tag = "scenes", params(("id" = i32, Path)), responses((status = 200, content_type = "audio/wav"), (status = 422, body = Problem)))]
pub async fn wav(State(app): State<Arc<App>>, Path(id): Path<i32>) -> Answer<Response> {
    blocking(move || {
        let bytes = SceneReady::new(&app, id)?.heard(&app)?.framed_sound()?;
        Ok(([(header::CONTENT_TYPE, "audio/wav")], bytes).into_response())
    })
    .await
}

/// How a scene goes out.
#[derive(Deserialize, utoipa::ToSchema)]
pub struct SceneOrder {
    recipe: Recipe,
}

/// Makes the files of a scene: of the recipe its kinds, how clips are written, and whether there is a timeline.
#[utoipa::path(post, path = "/api/scenes/{id}/deliver", tag = "scenes", params(("id" = i32, Path)), request_body = SceneOrder, responses((status = 200, body = [Job]), (status = 422, body = Problem)))]
pub async fn deliver(
    State(app): State<Arc<App>>,
    Path(id): Path<i32>,
    Sent(order): Sent<SceneOrder>,
) -> Answer<Json<Vec<Job>>> {
    blocking(move || {
        order.recipe.check().map_err(|e| Problem::refused("recipe", "recipe_wrong", e))?;
        let line = SceneReady::new(&app, id)?.first_line();
        Ok(jobs::deliver_scene(&app, id, line, &order.recipe)?)
    })
    .await
    .map(Json)
}

fn keep(app: &App, ready: &SceneReady, movie: Made) -> Answer<()> {
    let file = ready.movie(movie.ending, movie.media_type, movie.bytes);
    app.store.add_deliveries(ready.first_line(), &[file], None)?;
    app.tell(Event::Deliveries);
    Ok(())
}

/// Takes a movie of a scene that the page has made.
#[utoipa::path(post, path = "/api/scenes/{id}/movie", tag = "scenes", params(("id" = i32, Path)), request_body(content_type = "multipart/form-data"), responses((status = 204), (status = 422, body = Problem)))]
pub async fn keep_movie(
    State(app): State<Arc<App>>,
    Path(id): Path<i32>,
    form: Multipart,
) -> Answer<axum::http::StatusCode> {
    let form = Form::read(form).await?;
    blocking(move || {
        let movie = movie::made_by_page(&form)?;
        keep(&app, &SceneReady::new(&app, id)?, movie)?;
        Ok(axum::http::StatusCode::NO_CONTENT)
    })
    .await
}

/// Takes a movie of a scene as one picture a frame, where the browser cannot encode.
#[utoipa::path(post, path = "/api/scenes/{id}/pictures", tag = "scenes", params(("id" = i32, Path)), request_body(content_type = "multipart/form-data"), responses((status = 204), (status = 422, body = Problem)))]
pub async fn keep_pictures(
    State(app): State<Arc<App>>,
    Path(id): Path<i32>,
    form: Multipart,
) -> Answer<axum::http::StatusCode> {
    let form = Form::read(form).await?;
    blocking(move || {
        let ready = SceneReady::new(&app, id)?.heard(&app)?;
        let recipe = movie::recipe_of(&form)?;
        let pictures = form.files("picture", "The pictures are missing; make the movie again.")?;
        let cut = Cut { frames: ready.frames(), rate: ready.grid().rate, sound: ready.framed_sound()? };
        let made = movie::put_together(&cut, &recipe, &pictures)?;
        keep(&app, &ready, made)?;
        Ok(axum::http::StatusCode::NO_CONTENT)
    })
    .await
}
