//! What hands did to a line, in time and in words.

use crate::app::App;
use crate::problem::Answer;
use jam_score::keys::TimedKey;
use jam_score::{Control, Laid, Line, Pass, ReachOf, Seconds, SoundKind, Touch};
use serde::Serialize;

/// A touch with its keys in time.
#[derive(Serialize, utoipa::ToSchema)]
pub struct TouchView {
    id: u32,
    control: Control,
    laid: Laid,
    fade_in: Seconds,
    fade_out: Seconds,
    amount: f32,
    /// What it is on, in words.
    on: String,
    /// What it was on is gone; it is kept and does nothing.
    aside: bool,
    /// The live pass that recorded it.
    pass: Option<Pass>,
    keys: Vec<TimedKey>,
}

/// How far sounds go.
#[derive(Serialize, utoipa::ToSchema)]
pub struct ReachView {
    of: ReachOf,
    /// Of a kind, its name; of a word or sound, where it is.
    title: String,
    amount: f32,
    aside: bool,
}

/// A named state of a line.
#[derive(Serialize, utoipa::ToSchema)]
pub struct SnapshotView {
    id: i32,
    name: String,
}

pub fn touches(line: &Line) -> Vec<TouchView> {
    let Some(timing) = &line.timing else { return Vec::new() };
    let view = |t: &Touch| TouchView {
        id: t.id,
        control: t.control,
        laid: t.laid,
        fade_in: t.fade_in,
        fade_out: t.fade_out,
        amount: t.amount,
        on: t.where_in_words(timing),
        aside: t.aside.is_some(),
        pass: t.pass.clone(),
        keys: t.timed(timing),
    };
    line.touches.iter().map(view).collect()
}

pub fn reaches(line: &Line) -> Vec<ReachView> {
    let kinds = SoundKind::ALL.iter().map(|kind| {
        let of = ReachOf::Kind(*kind);
        let amount = line.reach.iter().find(|r| r.of == of).map_or(1.0, |r| r.amount);
        ReachView { of, title: kind.title().into(), amount, aside: false }
    });
    let others = line.reach.iter().filter_map(|r| {
        let timing = line.timing.as_ref()?;
        let title = match (r.of, &r.aside) {
            (ReachOf::Kind(_), _) => return None,
            (_, Some(was)) => was.clone(),
            (ReachOf::Word(w), None) => timing.name_word(w)?,
            (ReachOf::Sound(s), None) => timing.name_sound(s),
        };
        Some(ReachView { of: r.of, title, amount: r.amount, aside: r.aside.is_some() })
    });
    kinds.chain(others).collect()
}

pub fn snapshots(app: &App, id: i32) -> Answer<Vec<SnapshotView>> {
    let all = app.store.snapshots(id)?;
    Ok(all.into_iter().map(|s| SnapshotView { id: s.id, name: s.name }).collect())
}
