//! What is said in a line and how: words and their sounds, takes and channels, the production's word list.

use crate::app::{App, Event};
use crate::drafts::Draft;
use crate::form::{Form, blocking, while_wanted};
use crate::house::{self, Asked};
use crate::jobs::{self, Order};
use crate::languages::{language_of, say_anew};
use crate::problem::{Answer, Problem};
use crate::routes::lines::{LIVE, heard_live};
use crate::sent::Sent;
use crate::views::line::{LineView, view};
use crate::{drafts, range};
use axum::Json;
use axum::body::Body;
use axum::extract::{Multipart, Path, Query, State};
use axum::http::{HeaderMap, Response};
use jam_desk::{Op, text_word, word_key};
use jam_formats::sound;
use jam_score::{Diction, Language, Listen, Spoken, Timing, diction};
use jam_voice::{features, notation, text};
use serde::{Deserialize, Serialize};
use std::sync::Arc;

/// One way to say a word, in both notations.
#[derive(Serialize, utoipa::ToSchema)]
pub struct WayView {
    ipa: String,
    arpabet: String,
}

impl WayView {
    fn of(spoken: &Spoken) -> WayView {
        WayView { ipa: notation::ipa(spoken), arpabet: notation::plain(spoken) }
    }
}

/// A word with every way to say it.
#[derive(Serialize, utoipa::ToSchema)]
pub struct WaysView {
    /// As it is said in the line now.
    now: WayView,
    ways: Vec<WayView>,
    /// Whether the dictionary lists it, or the ways follow from its letters.
    listed: bool,
}

/// One setting of the diction.
#[derive(Serialize, utoipa::ToSchema)]
pub struct SettingView {
    name: &'static str,
    title: &'static str,
    /// What it does, in a sentence.
    about: &'static str,
    low: f64,
    high: f64,
}

/// A diction to start from.
#[derive(Serialize, utoipa::ToSchema)]
pub struct StyleView {
    name: &'static str,
    diction: Diction,
}

/// Settings of the diction and styles to start from.
#[derive(Serialize, utoipa::ToSchema)]
pub struct DictionView {
    settings: Vec<SettingView>,
    styles: Vec<StyleView>,
}

/// One entry of the word list.
#[derive(Serialize, utoipa::ToSchema)]
pub struct SaidAsView {
    word: String,
    /// None is English.
    language: Option<Language>,
    ipa: String,
    arpabet: String,
}

/// How a word of the list is said.
#[derive(Deserialize, utoipa::ToSchema)]
pub struct SaidAsChange {
    sounds: String,
}

/// Another recording of a line's words.
#[derive(utoipa::ToSchema)]
#[allow(dead_code, reason = "describes the form for the API description only")]
pub struct NewTakeForm {
    #[schema(value_type = String, format = Binary)]
    recording: Vec<u8>,
    /// The number of the take, if a face spoke along with it (`/api/v1/live`).
    heard: Option<String>,
}

fn sounds_of(text: &str, language: Option<&Language>) -> Answer<Spoken> {
    notation::parse_in(text, language).map_err(|e| Problem::refused("sounds", "sounds_unreadable", e))
}

/// The ways to say a word of a line.
#[utoipa::path(get, path = "/api/lines/{id}/words/{word}/ways", tag = "lines", params(("id" = i32, Path), ("word" = u32, Path)), responses((status = 200, body = WaysView), (status = 422, body = Problem)))]
pub async fn ways(State(app): State<Arc<App>>, Path((id, word)): Path<(i32, u32)>) -> Answer<Json<WaysView>> {
    blocking(move || {
        let line = app.store.line(id)?;
        let key = text_word(&line.document, word)?.key;
        let timing = line.document.timing.as_ref();
        let place = timing.and_then(|t| t.word_place(word)).map(|w| w as u32);
        let sounds = timing.iter().flat_map(|t| &t.sounds).filter(|s| s.word == place);
        let now: Spoken = sounds.map(jam_score::SpokenPhone::from).collect();
        let dictionary = jam_voice::dictionary::Dictionary::shipped();
        let language = line.document.language.as_ref();
        let mut ways: Vec<Spoken> = app.word_list(language)?.remove(&key).unwrap_or_default();
        let plain = text::plain_key(&key);
        if !plain.is_empty() {
            ways.extend(dictionary.ways_to_say(&plain));
        }
        if !ways.contains(&now) {
            ways.insert(0, now.clone());
        }
        ways.dedup();
        Ok(WaysView {
            now: WayView::of(&now),
            ways: ways.iter().map(WayView::of).collect(),
            listed: dictionary.listed(&key).is_some(),
        })
    })
    .await
    .map(Json)
}

/// How lines can be articulated.
#[utoipa::path(get, path = "/api/diction", tag = "lines", responses((status = 200, body = DictionView)))]
pub async fn dictions() -> Json<DictionView> {
    let settings = diction::SETTINGS.iter().map(|s| SettingView {
        name: s.name,
        title: s.title,
        about: s.about,
        low: s.low,
        high: s.high,
    });
    let styles = diction::STYLES.iter().map(|(name, diction)| StyleView { name, diction: *diction });
    Json(DictionView { settings: settings.collect(), styles: styles.collect() })
}

/// Adds another recording of a line's words and chooses it.
#[utoipa::path(post, path = "/api/lines/{id}/takes", tag = "lines", params(("id" = i32, Path)), request_body(content = NewTakeForm, content_type = "multipart/form-data"), responses((status = 200, body = LineView), (status = 422, body = Problem)))]
pub async fn add_take(
    State(app): State<Arc<App>>,
    Path(id): Path<i32>,
    form: Multipart,
) -> Answer<Json<LineView>> {
    let form = Form::read(form).await?;
    blocking(move || {
        let (name, bytes) = form.file("recording", "Choose the recording, a sound file.")?;
        let facts = sound::read_at(bytes, features::RATE)?.facts();
        let heard = heard_live(&app, form.text("heard"));
        let take = app.store.add_take(id, bytes, name, &facts)?;
        drop(form);
        let listen = Listen { take: Some(take), ..Listen::default() };
        let made = house::operate(&app, id, &Op::Listen { listen }, &Asked::default())?;
        let Some(heard) = heard else { return view(&app, made.line) };
        // It speaks at once, as it did along with the voice, and is timed properly behind that.
        let asked = app.ask_for_times(id, false)?;
        app.keep_times(&asked, Timing { listen, ..heard })?;
        app.store.keep_snapshot(id, LIVE)?;
        jobs::analyse(&app, id, &Order { by_hand: true, ..Order::default() });
        view(&app, app.store.line(id)?)
    })
    .await
    .map(Json)
}

/// A copy for listening of any take of a line, whether it is listened to or not; 0 is the recording it came with.
#[utoipa::path(get, path = "/api/lines/{id}/takes/{take}/sound", tag = "lines", params(("id" = i32, Path), ("take" = i32, Path)), responses((status = 200, content_type = "audio/wav"), (status = 206, content_type = "audio/wav"), (status = 404, body = Problem)))]
pub async fn take_sound(
    State(app): State<Arc<App>>,
    Path((id, take)): Path<(i32, i32)>,
    headers: HeaderMap,
) -> Answer<Response<Body>> {
    blocking(move || {
        let own = Some(take).filter(|t| *t != 0);
        let found = app.store.takes(id)?.into_iter().find(|t| t.id == own);
        let found =
            found.ok_or_else(|| Problem::not_found("There is no such take of this line any more."))?;
        let voice = app.voice(&found.recording, None)?;
        Ok(range::respond(&headers, &voice.listening_copy, "audio/wav"))
    })
    .await
}

/// What of a line is drafted.
#[derive(Deserialize, utoipa::IntoParams)]
pub struct Drafted {
    /// Only what is said in this stretch, seconds; none is all that is listened to.
    from: Option<f64>,
    to: Option<f64>,
}

/// Drafts what a line says, or a stretch of it: by the program that was set at the start, if one was. Nothing is changed;
/// every word carries how far the recording bears it out.
#[utoipa::path(post, path = "/api/lines/{id}/draft", tag = "lines", params(("id" = i32, Path), Drafted), responses((status = 200, body = Draft), (status = 422, body = Problem)))]
pub async fn draft(
    State(app): State<Arc<App>>,
    Path(id): Path<i32>,
    Query(drafted): Query<Drafted>,
) -> Answer<Json<Draft>> {
    while_wanted(move |watch| {
        let stretch = drafted.from.zip(drafted.to);
        drafts::draft(&app, &app.store.line(id)?, stretch, &|_| watch())
    })
    .await
    .map(Json)
}

/// How words are said in this production, where the dictionary does not know better.
#[utoipa::path(get, path = "/api/words", tag = "production", responses((status = 200, body = [SaidAsView])))]
pub async fn words(State(app): State<Arc<App>>) -> Answer<Json<Vec<SaidAsView>>> {
    blocking(move || {
        let list = app.store.said_as()?.into_iter().filter_map(|said| {
            let spoken = notation::parse_in(&said.sounds, said.language.as_ref()).ok()?;
            let WayView { ipa, arpabet } = WayView::of(&spoken);
            Some(SaidAsView { word: said.word, language: said.language, ipa, arpabet })
        });
        Ok(list.collect())
    })
    .await
    .map(Json)
}

/// Of which language a word of the list is.
#[derive(Deserialize, utoipa::IntoParams)]
pub struct OfLanguage {
    /// Its tag, `fr`; none is English.
    language: Option<String>,
}

/// Sets how a word is said; the lines that have it are timed anew.
#[utoipa::path(put, path = "/api/words/{word}", tag = "production", params(("word" = String, Path), OfLanguage), request_body = SaidAsChange, responses((status = 200, body = [SaidAsView]), (status = 422, body = Problem)))]
pub async fn set_word(
    State(app): State<Arc<App>>,
    Path(word): Path<String>,
    Query(of): Query<OfLanguage>,
    Sent(change): Sent<SaidAsChange>,
) -> Answer<Json<Vec<SaidAsView>>> {
    let inner = app.clone();
    blocking(move || {
        let language = language_of(of.language.as_deref())?;
        let language = language.as_ref();
        let key = word_key(&word, language)?;
        let sounds = sounds_of(&change.sounds, language)?;
        inner.store.set_said_as(&key, language, Some(&notation::plain(&sounds)))?;
        inner.tell(Event::Production);
        say_anew(&inner, &key, language)
    })
    .await?;
    words(State(app)).await
}

/// Takes a word off the list; it is said as the dictionary says again.
#[utoipa::path(delete, path = "/api/words/{word}", tag = "production", params(("word" = String, Path), OfLanguage), responses((status = 200, body = [SaidAsView])))]
pub async fn remove_word(
    State(app): State<Arc<App>>,
    Path(word): Path<String>,
    Query(of): Query<OfLanguage>,
) -> Answer<Json<Vec<SaidAsView>>> {
    let inner = app.clone();
    blocking(move || {
        let language = language_of(of.language.as_deref())?;
        inner.store.set_said_as(&word, language.as_ref(), None)?;
        inner.tell(Event::Production);
        say_anew(&inner, &word, language.as_ref())
    })
    .await?;
    words(State(app)).await
}

/// A language that lines can be in.
#[derive(Serialize, utoipa::ToSchema)]
pub struct LanguageView {
    /// `fr`; nothing is English.
    tag: &'static str,
    name: &'static str,
}

/// Languages, and what writes their sounds.
#[derive(Serialize, utoipa::ToSchema)]
pub struct LanguagesView {
    /// Those with a name here; any other tag goes, too.
    languages: Vec<LanguageView>,
    /// The program that writes sounds; none if there is none.
    writes: Option<String>,
}

/// Languages that lines can be in.
#[utoipa::path(get, path = "/api/languages", tag = "lines", responses((status = 200, body = LanguagesView)))]
pub async fn languages(State(app): State<Arc<App>>) -> Json<LanguagesView> {
    let languages = Language::NAMED.iter().map(|(tag, name)| LanguageView { tag, name }).collect();
    Json(LanguagesView {
        languages,
        writes: app.settings.phonemiser.as_ref().and_then(|c| c.first()).cloned(),
    })
}

/// A text whose sounds are wanted.
#[derive(Deserialize, utoipa::ToSchema)]
pub struct SoundsQuestion {
    text: String,
    language: String,
}

/// A text with its sounds.
#[derive(Serialize, utoipa::ToSchema)]
pub struct SoundsView {
    /// With the sounds of each word behind it, between slashes.
    text: String,
    /// Words that have none still.
    without: Vec<String>,
}

/// Writes the sounds of a text in another language behind its words, to be looked at and corrected. Nothing is changed.
#[utoipa::path(post, path = "/api/sounds", tag = "lines", request_body = SoundsQuestion, responses((status = 200, body = SoundsView), (status = 422, body = Problem)))]
pub async fn sounds(
    State(app): State<Arc<App>>,
    Sent(question): Sent<SoundsQuestion>,
) -> Answer<Json<SoundsView>> {
    while_wanted(move |watch| {
        let language = language_of(Some(&question.language))?;
        let Some(language) = language else {
            let says =
                "English is said as the dictionary has it; choose another language, or type the sounds.";
            return Err(Problem::refused("language", "english", says));
        };
        let found = app.sounded(&language, &question.text, watch)?;
        Ok(SoundsView { text: found.text, without: found.without })
    })
    .await
    .map(Json)
}
