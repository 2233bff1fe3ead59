//! What goes out.

use crate::app::{App, Event};
use crate::deliver::{MOVIE, Ready};
use crate::download::{attachment, saved};
use crate::form::{Form, blocking};
use crate::jobs::{self, Job};
use crate::movie::{self, Cut, Made};
use crate::problem::{Answer, Problem};
use crate::range;
use crate::scenes::state_of;
use crate::sent::Sent;
use axum::Json;
use axum::extract::{Multipart, Path, Query, State};
use axum::http::{HeaderMap, header};
use axum::response::{IntoResponse, Response};
use jam_desk::Stretch;
use jam_formats::deliver::FileKind;
use jam_formats::manifest::{Entry, ManifestError, Pack};
use jam_formats::names::{WORDS, slug};
use jam_formats::out::sheet::{self, SheetRow};
use jam_formats::recipe::{Movie, Recipe};
use jam_score::{Control, Frame, FrameGrid, FrameRate, Timing};
use jam_store::{Delivered, NewDelivered, StoredLine};
use serde::{Deserialize, Serialize};
use std::collections::{BTreeMap, BTreeSet};
use std::sync::Arc;

/// A file that was delivered.
#[derive(Serialize, utoipa::ToSchema)]
pub struct DeliveryView {
    id: i32,
    line: i32,
    /// The scene that it is of; it is kept with the scene's first line.
    scene: Option<i32>,
    file_name: String,
    media_type: String,
    /// Bytes.
    size: i64,
    /// Its kind; `movie` and `otio` beside those of the table, empty for a file of an older program.
    kind: String,
    first_frame: i64,
    frames: i64,
    /// Frames a second, as a number or a fraction.
    rate: String,
    /// Whether its line, its character or the frames have changed since.
    changed: bool,
    /// Whether the line's curves of then can be compared with those of now.
    comparable: bool,
}

/// What something was delivered of: a scene, or a line.
#[derive(PartialEq, Eq, PartialOrd, Ord)]
enum Of {
    Scene(i32),
    Line(i32),
}

impl Of {
    fn delivered(d: &Delivered) -> Of {
        d.scene.map_or(Of::Line(d.line), Of::Scene)
    }
}

/// The state of everything that something was delivered of.
fn states(app: &App, delivered: &[Delivered]) -> Answer<BTreeMap<Of, String>> {
    let (cast, grid) = (app.store.cast()?, app.store.production()?.grid);
    let wanted: BTreeSet<Of> = delivered.iter().map(Of::delivered).collect();
    let mut states = BTreeMap::new();
    for line in app.store.lines()?.into_iter().filter(|l| wanted.contains(&Of::Line(l.id))) {
        states.insert(Of::Line(line.id), app.states.of(&line, &cast, line.document.frames.grid(grid))?);
    }
    for (id, scene) in app.store.scenes()?.into_iter().filter(|(id, _)| wanted.contains(&Of::Scene(*id))) {
        states.insert(Of::Scene(id), state_of(app, &scene)?);
    }
    Ok(states)
}

fn view(delivered: Delivered, states: &BTreeMap<Of, String>) -> DeliveryView {
    let of = Of::delivered(&delivered);
    let Delivered {
        id,
        line,
        scene,
        file_name,
        media_type,
        size,
        kind,
        first_frame,
        frames,
        rate,
        state,
        faces,
        ..
    } = delivered;
    let changed = states.get(&of) != Some(&state);
    DeliveryView {
        id,
        line,
        scene,
        file_name,
        media_type,
        size,
        kind,
        first_frame,
        frames,
        rate,
        changed,
        comparable: faces.is_some(),
    }
}

#[utoipa::path(get, path = "/api/deliveries", tag = "deliveries", responses((status = 200, body = [DeliveryView])))]
pub async fn list(State(app): State<Arc<App>>) -> Answer<Json<Vec<DeliveryView>>> {
    blocking(move || {
        let all = app.store.deliveries()?;
        let states = states(&app, &all)?;
        Ok(all.into_iter().map(|d| view(d, &states)).collect())
    })
    .await
    .map(Json)
}

/// A kind of file that can go out.
#[derive(Serialize, utoipa::ToSchema)]
pub struct KindView {
    kind: FileKind,
    title: &'static str,
    text: &'static str,
    /// Motion, beside which the sound goes out.
    moves: bool,
}

/// A word that can stand in braces in file names.
#[derive(Serialize, utoipa::ToSchema)]
pub struct NameWord {
    word: &'static str,
    text: &'static str,
}

/// A recipe by its name.
#[derive(Serialize, utoipa::ToSchema)]
pub struct RecipeView {
    name: String,
    recipe: Recipe,
}

/// What can be chosen for a delivery.
#[derive(Serialize, utoipa::ToSchema)]
pub struct DeliveryChoices {
    kinds: Vec<KindView>,
    words: Vec<NameWord>,
    recipes: Vec<RecipeView>,
    /// What is chosen before anybody chooses.
    usual: Recipe,
    /// How a movie is made before anybody says otherwise.
    movie: Movie,
    /// Whether movies of pictures can be put together on the server, where the browser cannot.
    movies: bool,
}

#[utoipa::path(get, path = "/api/deliveries/choices", tag = "deliveries", responses((status = 200, body = DeliveryChoices)))]
pub async fn choices(State(app): State<Arc<App>>) -> Answer<Json<DeliveryChoices>> {
    blocking(move || {
        let kind = |k: &FileKind| KindView { kind: *k, title: k.title(), text: k.text(), moves: k.moves() };
        let recipe = |(name, body): (String, String)| {
            // One that a newer program wrote may hold what this one does not know: it is left out.
            Some(RecipeView { name, recipe: serde_json::from_str(&body).ok()? })
        };
        Ok(DeliveryChoices {
            kinds: FileKind::ALL.iter().map(kind).collect(),
            words: WORDS.iter().map(|(word, text)| NameWord { word, text }).collect(),
            recipes: app.store.recipes()?.into_iter().filter_map(recipe).collect(),
            usual: Recipe::default(),
            movie: Movie::default(),
            movies: movie::can(),
        })
    })
    .await
    .map(Json)
}

/// Which lines go out, and how.
#[derive(Deserialize, utoipa::ToSchema)]
pub struct DeliveryOrder {
    lines: Vec<i32>,
    recipe: Recipe,
    /// Leave out lines of which all these files are there as they would be made now.
    #[serde(default)]
    only_changed: bool,
}

/// The lines of an order, in the production's order, each once.
fn ordered(app: &App, ids: &[i32]) -> Answer<Vec<StoredLine>> {
    let ids: BTreeSet<i32> = ids.iter().copied().collect();
    if ids.is_empty() {
        return Err(Problem::refused("lines", "nothing_chosen", "Choose at least one line to deliver."));
    }
    let mut chosen = Vec::with_capacity(ids.len());
    for (place, line) in app.store.lines()?.into_iter().enumerate().filter(|(_, l)| ids.contains(&l.id)) {
        if line.document.timing.is_none() {
            let number = place + 1;
            let says =
                format!("Line {number} has no times yet; give it its text and let it be analysed first.");
            return Err(Problem::refused("lines", "not_timed", says));
        }
        chosen.push(line);
    }
    if chosen.len() < ids.len() {
        return Err(Problem::not_found("A chosen line is not in this production any more."));
    }
    Ok(chosen)
}

/// Lines of which not all files of a recipe are there as they would be made now.
fn changed(app: &App, lines: Vec<StoredLine>, recipe: &Recipe) -> Answer<Vec<StoredLine>> {
    let delivered = app.store.deliveries()?;
    let (cast, grid) = (app.store.cast()?, app.store.production()?.grid);
    let has_all = |line: &StoredLine| -> Answer<bool> {
        let state = app.states.of(line, &cast, line.document.frames.grid(grid))?;
        Ok(recipe.kinds_a_line().iter().all(|kind| {
            let wanted = (line.id, kind.key(), &state, &recipe.how(*kind));
            delivered.iter().any(|d| (d.line, d.kind.as_str(), &d.state, &d.how) == wanted)
        }))
    };
    let mut out = Vec::with_capacity(lines.len());
    for line in lines {
        if !has_all(&line)? {
            out.push(line);
        }
    }
    Ok(out)
}

#[utoipa::path(post, path = "/api/deliveries", tag = "deliveries", request_body = DeliveryOrder, responses((status = 200, body = [Job]), (status = 422, body = Problem)))]
pub async fn deliver(
    State(app): State<Arc<App>>,
    Sent(order): Sent<DeliveryOrder>,
) -> Answer<Json<Vec<Job>>> {
    blocking(move || {
        order.recipe.check().map_err(|e| Problem::refused("recipe", "recipe_wrong", e))?;
        let mut lines = ordered(&app, &order.lines)?;
        if order.only_changed {
            lines = changed(&app, lines, &order.recipe)?;
        }
        Ok(jobs::deliver(&app, &lines, &order.recipe)?)
    })
    .await
    .map(Json)
}

/// A file as it would go out.
#[derive(Serialize, utoipa::ToSchema)]
pub struct PreviewFile {
    name: String,
    size: usize,
    /// How it begins, if it is text.
    head: Option<String>,
}

/// What of a line would go out as one kind.
#[derive(Deserialize, utoipa::ToSchema)]
pub struct PreviewOrder {
    line: i32,
    kind: FileKind,
    recipe: Recipe,
}

/// How much of a text is shown.
const HEAD: usize = 2000;
const HEAD_LINES: usize = 24;
const HEAD_WIDTH: usize = 160;

fn head_of(bytes: &[u8]) -> Option<String> {
    let cut = &bytes[..bytes.len().min(64 * HEAD)];
    let text = match std::str::from_utf8(cut) {
        Ok(text) => text,
        Err(e) if e.valid_up_to() + 4 > cut.len() => std::str::from_utf8(&cut[..e.valid_up_to()]).ok()?,
        Err(_) => return None,
    };
    let line = |l: &str| {
        if l.chars().count() > HEAD_WIDTH {
            l.chars().take(HEAD_WIDTH).chain(['…']).collect()
        } else {
            l.to_string()
        }
    };
    Some(
        text.lines()
            .take(HEAD_LINES)
            .map(line)
            .collect::<Vec<String>>()
            .join("\n")
            .chars()
            .take(HEAD)
            .collect(),
    )
}

#[utoipa::path(post, path = "/api/deliveries/preview", tag = "deliveries", request_body = PreviewOrder, responses((status = 200, body = [PreviewFile]), (status = 422, body = Problem)))]
pub async fn preview(
    State(app): State<Arc<App>>,
    Sent(order): Sent<PreviewOrder>,
) -> Answer<Json<Vec<PreviewFile>>> {
    blocking(move || {
        let mut recipe = order.recipe;
        recipe.kinds = vec![order.kind];
        let ready = Ready::new(&app, order.line, &recipe)?;
        let files = ready.files(order.kind, &recipe)?;
        let file = |f: jam_formats::deliver::OutFile| PreviewFile {
            size: f.bytes.len(),
            head: head_of(&f.bytes),
            name: f.name,
        };
        Ok(files.into_iter().map(file).collect())
    })
    .await
    .map(Json)
}

/// What the files of a line would be called.
#[derive(Serialize, utoipa::ToSchema)]
pub struct NamePreview {
    name: String,
    /// First and last frame of the motion, and the last that holds sound.
    first_frame: i64,
    last_frame: i64,
    last_sound_frame: i64,
}

/// A line and a recipe.
#[derive(Deserialize, utoipa::ToSchema)]
pub struct NameOrder {
    line: i32,
    recipe: Recipe,
}

#[utoipa::path(post, path = "/api/deliveries/names", tag = "deliveries", request_body = NameOrder, responses((status = 200, body = NamePreview), (status = 422, body = Problem)))]
pub async fn names(State(app): State<Arc<App>>, Sent(order): Sent<NameOrder>) -> Answer<Json<NamePreview>> {
    blocking(move || {
        // Only what it is called and how long it is: no file is made.
        let ready = Ready::new(&app, order.line, &order.recipe.named_only())?;
        let first = ready.grid().first.0;
        Ok(NamePreview {
            first_frame: first,
            last_frame: first + ready.frames() as i64 - 1,
            last_sound_frame: ready.last_sound_frame(),
            name: ready.stem,
        })
    })
    .await
    .map(Json)
}

#[utoipa::path(get, path = "/api/deliveries/{id}/file", tag = "deliveries", params(("id" = i32, Path)), responses((status = 200, content_type = "application/octet-stream"), (status = 206, content_type = "application/octet-stream")))]
pub async fn file(State(app): State<Arc<App>>, Path(id): Path<i32>, headers: HeaderMap) -> Answer<Response> {
    blocking(move || {
        let delivered = app.store.delivery(id)?;
        let bytes = app.store.blob(&delivered.content)?;
        let mut response = range::respond(&headers, &bytes, &delivered.media_type);
        if let Ok(value) = attachment(&delivered.file_name).parse() {
            response.headers_mut().insert(header::CONTENT_DISPOSITION, value);
        }
        // A page that came out of here must not act in this one's name.
        let sandbox = header::HeaderValue::from_static("sandbox");
        response.headers_mut().insert(header::CONTENT_SECURITY_POLICY, sandbox);
        Ok(response)
    })
    .await
}

/// Which lines' files.
#[derive(Deserialize, utoipa::IntoParams)]
pub struct ZipQuestion {
    /// Numbers of lines with commas between, or of scenes; without either everything.
    lines: Option<String>,
    scenes: Option<String>,
}

/// Everything that was delivered of some lines, in one zip with a list.
#[utoipa::path(get, path = "/api/deliveries/zip", tag = "deliveries", params(ZipQuestion), responses((status = 200, content_type = "application/zip"), (status = 404, body = Problem), (status = 422, body = Problem)))]
pub async fn zip(State(app): State<Arc<App>>, Query(question): Query<ZipQuestion>) -> Answer<Response> {
    blocking(move || {
        let numbers = |text: &Option<String>| -> BTreeSet<i32> {
            let all = text.iter().flat_map(|t| t.split(','));
            all.filter_map(|n| n.trim().parse().ok()).collect()
        };
        let everything = question.lines.is_none() && question.scenes.is_none();
        let mut wanted: BTreeSet<Of> = numbers(&question.lines).into_iter().map(Of::Line).collect();
        wanted.extend(numbers(&question.scenes).into_iter().map(Of::Scene));
        let scenes: BTreeMap<i32, String> =
            app.store.scenes()?.into_iter().map(|(id, scene)| (id, scene.name)).collect();
        let lines = app.store.lines()?;
        let place: BTreeMap<i32, (usize, &StoredLine)> =
            lines.iter().enumerate().map(|(i, l)| (l.id, (i + 1, l))).collect();
        let mut all: Vec<Delivered> = app.store.deliveries()?;
        all.retain(|d| place.contains_key(&d.line) && (everything || wanted.contains(&Of::delivered(d))));
        if all.is_empty() {
            return Err(Problem::not_found("Nothing of these lines was delivered yet."));
        }
        all.sort_by_key(|d| (place[&d.line].0, d.id));
        let mut pack = Pack::default();
        for d in all {
            let (number, line) = place[&d.line];
            // A scene's files stand under its name, with the number of its first line.
            let scene = d.scene.and_then(|id| scenes.get(&id).cloned());
            let character = line.document.character.clone().filter(|_| d.scene.is_none());
            let entry = Entry {
                path: d.file_name,
                kind: d.kind,
                line: number,
                name: scene.or_else(|| line.document.name.clone()),
                character,
                first_frame: d.first_frame,
                frames: d.frames,
                frame_rate: d.rate,
                bytes: 0,
                sha256: String::new(),
            };
            pack.add(entry, &app.store.blob(&d.content)?).map_err(unpacked)?;
        }
        let production = app.store.production()?.name;
        let bytes = pack.done(&production).map_err(unpacked)?;
        Ok(saved(&format!("{}.zip", slug(&production)), "application/zip", bytes))
    })
    .await
}

fn unpacked(error: ManifestError) -> Problem {
    match error {
        ManifestError::Large => Problem::refused("lines", "too_large", error),
        error => Problem::unexpected(error),
    }
}

/// One control as it was delivered and as it is now, on the same frames.
#[derive(Serialize, utoipa::ToSchema)]
pub struct Compared {
    control: Control,
    delivered: Vec<f32>,
    now: Vec<f32>,
    /// How far they are apart at most, as a share of the control's range.
    apart: f32,
}

/// A delivery beside its line as it is now.
#[derive(Serialize, utoipa::ToSchema)]
pub struct ComparedView {
    file_name: String,
    first_frame: i64,
    frames: i64,
    frame_rate: FrameRate,
    /// Controls that differ, those that differ most first.
    differ: Vec<Compared>,
    /// Values of the character's targets, frame by frame: as delivered, and now.
    delivered: Vec<Vec<f32>>,
    now: Vec<Vec<f32>>,
}

/// From here on a difference counts: a thousandth of a range, less than is seen.
const APART: f32 = 1e-3;

#[utoipa::path(get, path = "/api/deliveries/{id}/compare", tag = "deliveries", params(("id" = i32, Path)), responses((status = 200, body = ComparedView), (status = 422, body = Problem)))]
pub async fn compare(State(app): State<Arc<App>>, Path(id): Path<i32>) -> Answer<Json<ComparedView>> {
    blocking(move || {
        let delivered = app.store.delivery(id)?;
        let says = "This file is of an older program that kept no curves beside it; deliver the line again.";
        let faces = delivered.faces.ok_or_else(|| Problem::refused("id", "no_curves", says))?;
        let bytes = app.store.blob(&faces)?;
        let values: Vec<f32> =
            bytes.chunks_exact(4).map(|b| f32::from_le_bytes([b[0], b[1], b[2], b[3]])).collect();
        let old: Vec<&[f32]> = values.chunks_exact(Control::ALL.len()).collect();
        let rate: FrameRate = delivered.rate.parse()?;
        let played = crate::evaluate::now_played(&app, delivered.line)?;
        let (first, last) =
            (Frame(delivered.first_frame), Frame(delivered.first_frame + old.len() as i64 - 1));
        let now = played.sampled_as(&Stretch {
            rate: Some(rate),
            frames: Some((first, last)),
            ..Stretch::default()
        });
        let mut differ: Vec<Compared> = Vec::new();
        for (c, control) in Control::ALL.iter().enumerate() {
            let (low, high) = control.range();
            let was: Vec<f32> = old.iter().map(|f| f[c]).collect();
            let is: Vec<f32> = now.faces.iter().map(|f| f[c]).collect();
            let apart = was.iter().zip(&is).map(|(a, b)| (a - b).abs()).fold(0.0, f32::max) / (high - low);
            if apart > APART {
                differ.push(Compared { control: *control, delivered: was, now: is, apart });
            }
        }
        differ.sort_by(|a, b| b.apart.total_cmp(&a.apart));
        let drawing = |i: usize| now.drawings.get(i).copied();
        let wired = |(i, face): (usize, &[f32])| played.wiring.apply_with(face, drawing(i));
        Ok(ComparedView {
            file_name: delivered.file_name,
            first_frame: first.0,
            frames: old.len() as i64,
            frame_rate: rate,
            differ,
            delivered: old.iter().copied().enumerate().map(wired).collect(),
            now: now.faces.iter().map(Vec::as_slice).enumerate().map(wired).collect(),
        })
    })
    .await
    .map(Json)
}

/// The exposure sheet of a line.
#[derive(Serialize, utoipa::ToSchema)]
pub struct SheetView {
    frame_rate: FrameRate,
    rows: Vec<SheetRow>,
}

fn sheet_of(app: &App, id: i32) -> Answer<(String, FrameGrid, Vec<SheetRow>)> {
    let played = crate::evaluate::now_played(app, id)?;
    let none = Timing::default();
    let timing = played.line.timing.as_ref().unwrap_or(&none);
    let sampled = played.sampled();
    let cast = app.store.cast()?;
    let who = cast.iter().find(|m| Some(&m.name) == played.line.character.as_ref());
    let who = who.map_or("nobody", |m| m.title.as_str());
    let title = format!("{} · {} · {}", app.store.production()?.name, who, timing.text);
    Ok((title, sampled.grid, sheet::rows(timing, &played.wiring, &sampled)))
}

#[utoipa::path(get, path = "/api/lines/{id}/sheet", tag = "deliveries", params(("id" = i32, Path)), responses((status = 200, body = SheetView), (status = 422, body = Problem)))]
pub async fn show_sheet(State(app): State<Arc<App>>, Path(id): Path<i32>) -> Answer<Json<SheetView>> {
    blocking(move || {
        let (_, grid, rows) = sheet_of(&app, id)?;
        Ok(SheetView { frame_rate: grid.rate, rows })
    })
    .await
    .map(Json)
}

/// The exposure sheet as a page to print.
#[utoipa::path(get, path = "/api/lines/{id}/sheet/page", tag = "deliveries", params(("id" = i32, Path)), responses((status = 200, content_type = "text/html"), (status = 422, body = Problem)))]
pub async fn print_sheet(State(app): State<Arc<App>>, Path(id): Path<i32>) -> Answer<Response> {
    blocking(move || {
        let (title, grid, rows) = sheet_of(&app, id)?;
        let page = sheet::page(&rows, &title, grid.rate);
        Ok(([(header::CONTENT_TYPE, "text/html; charset=utf-8")], page).into_response())
    })
    .await
}

/// A word over the frames on which it is said.
#[derive(Serialize, utoipa::ToSchema)]
pub struct FramedWord {
    text: String,
    first: i64,
    last: i64,
}

impl FramedWord {
    pub fn of(word: &jam_score::Word, grid: FrameGrid) -> FramedWord {
        FramedWord {
            text: word.text.to_string(),
            first: grid.frame_at(word.span.start).0,
            last: grid.frame_at(word.span.end).0 - 1,
        }
    }
}

/// A line frame by frame, as its movie shows it.
#[derive(Serialize, utoipa::ToSchema)]
pub struct FramesView {
    /// What its files are called.
    name: String,
    first_frame: i64,
    /// The frame at which the sound starts; it may lie outside.
    sound_frame: i64,
    frame_rate: FrameRate,
    /// Values of the character's targets, frame by frame.
    values: Vec<Vec<f32>>,
    words: Vec<FramedWord>,
}

/// How a line's movie is cut.
#[derive(Deserialize, utoipa::ToSchema)]
pub struct FramesOrder {
    recipe: Recipe,
}

#[utoipa::path(post, path = "/api/lines/{id}/frames", tag = "deliveries", params(("id" = i32, Path)), request_body = FramesOrder, responses((status = 200, body = FramesView), (status = 422, body = Problem)))]
pub async fn frames(
    State(app): State<Arc<App>>,
    Path(id): Path<i32>,
    Sent(order): Sent<FramesOrder>,
) -> Answer<Json<FramesView>> {
    blocking(move || {
        let ready = Ready::new(&app, id, &order.recipe.named_only())?;
        let delivery = ready.delivery();
        let (sampled, wiring) = (&delivery.sampled, delivery.wiring);
        let grid = sampled.sound_grid();
        let shown = |(i, face): (usize, &Vec<f32>)| wiring.apply_with(face, sampled.drawings.get(i).copied());
        Ok(FramesView {
            name: ready.stem.clone(),
            first_frame: sampled.grid.first.0,
            sound_frame: sampled.sound_frame().0,
            frame_rate: grid.rate,
            values: sampled.faces.iter().enumerate().map(shown).collect(),
            words: delivery.timing.words.iter().map(|w| FramedWord::of(w, grid)).collect(),
        })
    })
    .await
    .map(Json)
}

/// What is heard of a line, sample for sample, with the time of its first frame.
#[utoipa::path(get, path = "/api/lines/{id}/wav", tag = "deliveries", params(("id" = i32, Path)), responses((status = 200, content_type = "audio/wav"), (status = 422, body = Problem)))]
pub async fn wav(State(app): State<Arc<App>>, Path(id): Path<i32>) -> Answer<Response> {
    blocking(move || {
        let recipe = Recipe { kinds: vec![FileKind::Wav], ..Recipe::default() };
        let file = Ready::new(&app, id, &recipe)?.files(FileKind::Wav, &recipe)?.swap_remove(0);
        Ok(saved(&file.name, "audio/wav", file.bytes))
    })
    .await
}

/// Keeps a movie with its line.
fn kept_movie(app: &App, ready: &Ready, movie: Made) -> Answer<DeliveryView> {
    let file = NewDelivered {
        file_name: format!("{}.{}", ready.stem, movie.ending),
        media_type: movie.media_type.into(),
        bytes: movie.bytes,
        kind: MOVIE.into(),
        ..ready.facts()
    };
    let kept = app.store.add_deliveries(ready.id, &[file], Some(&ready.faces()))?;
    app.tell(Event::Deliveries);
    let states = states(app, &kept)?;
    let kept = kept.into_iter().next().ok_or_else(|| Problem::unexpected("a movie was kept and is gone"))?;
    Ok(view(kept, &states))
}

/// Takes a movie of a line that the page has made.
#[utoipa::path(post, path = "/api/lines/{id}/movie", tag = "deliveries", params(("id" = i32, Path)), request_body(content_type = "multipart/form-data"), responses((status = 200, body = DeliveryView), (status = 422, body = Problem)))]
pub async fn keep_movie(
    State(app): State<Arc<App>>,
    Path(id): Path<i32>,
    form: Multipart,
) -> Answer<Json<DeliveryView>> {
    let form = Form::read(form).await?;
    blocking(move || {
        let movie = movie::made_by_page(&form)?;
        let ready = Ready::new(&app, id, &movie::recipe_of(&form)?.named_only())?;
        kept_movie(&app, &ready, movie)
    })
    .await
    .map(Json)
}

/// Takes a movie as one picture a frame, where the browser cannot encode: ffmpeg puts them together with the sound, or
/// they go into a zip.
#[utoipa::path(post, path = "/api/lines/{id}/pictures", tag = "deliveries", params(("id" = i32, Path)), request_body(content_type = "multipart/form-data"), responses((status = 200, body = DeliveryView), (status = 422, body = Problem)))]
pub async fn keep_pictures(
    State(app): State<Arc<App>>,
    Path(id): Path<i32>,
    form: Multipart,
) -> Answer<Json<DeliveryView>> {
    let form = Form::read(form).await?;
    blocking(move || {
        let recipe = movie::recipe_of(&form)?;
        let mut named = recipe.named_only();
        named.kinds.push(FileKind::Wav);
        let ready = Ready::new(&app, id, &named)?;
        let pictures = form.files("picture", "The pictures are missing; make the movie again.")?;
        let cut = Cut { frames: ready.frames(), rate: ready.grid().rate, sound: ready.framed_sound()? };
        let made = movie::put_together(&cut, &recipe, &pictures)?;
        kept_movie(&app, &ready, made).map(Json)
    })
    .await
}
