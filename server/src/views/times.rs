//! What of a line's times changed since somebody had them: of a long line all of them are most of what is sent.

use crate::voices::Times;
use jam_score::{Listen, Noise, Sound, Span, Word, differing};
use jam_voice::phrasing::Phrase;
use serde::Serialize;

/// What changed of a list: `gone` of it, from place `from` on, gave way to `put`.
#[derive(Debug, Serialize, utoipa::ToSchema)]
pub struct Spliced<T> {
    from: usize,
    gone: usize,
    put: Vec<T>,
}

impl<T: Clone + PartialEq> Spliced<T> {
    fn between(before: &[T], now: &[T]) -> Spliced<T> {
        let (gone, put) = differing(before, now);
        Spliced { from: gone.start, gone: gone.len(), put: now[put].to_vec() }
    }
}

/// What of the times, and of how they are spoken, is another than in the times of the name `since`.
#[derive(Serialize, utoipa::ToSchema)]
pub struct RetimedView {
    since: String,
    /// The text that the times belong to, if it is another.
    text: Option<String>,
    words: Spliced<Word>,
    sounds: Spliced<Sound>,
    noises: Spliced<Noise>,
    listen: Listen,
    size: Option<f64>,
    phrases: Spliced<Phrase>,
    pauses: Spliced<Span>,
    breaths: Spliced<Span>,
    stress: Spliced<f32>,
    rate: f32,
    pitch_hz: f32,
    pitch_range: f32,
    level_db: f32,
    /// Where something is said that the text does not have, all of it.
    unwritten: Vec<Span>,
}

impl RetimedView {
    pub fn between(before: &Times, now: &Times) -> RetimedView {
        let (from, to) = (&before.timing, &now.timing);
        let (was, is) = (&before.phrasing, &now.phrasing);
        RetimedView {
            since: before.name.clone(),
            text: (from.text != to.text).then(|| to.text.clone()),
            words: Spliced::between(&from.words, &to.words),
            sounds: Spliced::between(&from.sounds, &to.sounds),
            noises: Spliced::between(&from.noises, &to.noises),
            listen: to.listen,
            size: to.size,
            phrases: Spliced::between(&was.phrases, &is.phrases),
            pauses: Spliced::between(&was.pauses, &is.pauses),
            breaths: Spliced::between(&was.breaths, &is.breaths),
            stress: Spliced::between(&was.stress, &is.stress),
            rate: is.rate,
            pitch_hz: is.pitch_hz,
            pitch_range: is.pitch_range,
            level_db: is.level_db,
            unwritten: to.unwritten(),
        }
    }
}
