//! What is laid over the speech of a line, in time.

use jam_face::layers::mood::Course;
use jam_score::layers::{Acting, BlinkShape, HeadMove, LayerKind, Level, Look, Over, OwnBlink, Settings};
use jam_score::{Line, Seconds, Span, Timing};
use serde::Serialize;

/// Something a layer does over a stretch of time.
#[derive(Serialize, utoipa::ToSchema)]
pub struct SpanView<T> {
    id: u32,
    span: Span,
    does: T,
}

/// A blink put by hand.
#[derive(Serialize, utoipa::ToSchema)]
pub struct BlinkView {
    id: u32,
    /// When the lids are shut.
    at: Seconds,
    shape: BlinkShape,
}

/// How much of a layer plays from a moment on.
#[derive(Serialize, utoipa::ToSchema)]
pub struct LevelView {
    id: u32,
    layer: LayerKind,
    at: Seconds,
    /// 0..1, a share of the layer's amount.
    share: f64,
}

/// How strong a mood is, at even steps over a stretch of time.
#[derive(Serialize, utoipa::ToSchema)]
pub struct Strength {
    over: Span,
    values: Vec<f32>,
}

/// The layers of a line, in time.
#[derive(Serialize, utoipa::ToSchema)]
pub struct LayersView {
    settings: Settings,
    moods: Vec<SpanView<Acting>>,
    /// Of each mood, in their order, how strong it is while it does something.
    strengths: Vec<Strength>,
    looks: Vec<SpanView<Look>>,
    moves: Vec<SpanView<HeadMove>>,
    blinks: Vec<BlinkView>,
    /// How much of the layers plays over time, in order.
    levels: Vec<LevelView>,
    dismissed: usize,
    /// The motion the head rides on: its name, its length in seconds, and how much of it.
    body: Option<(String, f64, f64)>,
}

/// Values of a mood's strength that a page draws it by.
const STRENGTHS: usize = 65;

pub fn layers(line: &Line) -> LayersView {
    let layers = &line.layers;
    let empty = Timing::default();
    let timing = line.timing.as_ref().unwrap_or(&empty);
    fn spans<T: Clone>(all: &[Over<T>], timing: &Timing) -> Vec<SpanView<T>> {
        let view = |s: &Over<T>| SpanView { id: s.id, span: s.over.span(timing), does: s.does.clone() };
        all.iter().map(view).collect()
    }
    let strength = |p: &Course| {
        let (start, end) = p.reach();
        let at = |i: usize| p.strength(start + (end - start) * i as f64 / (STRENGTHS - 1) as f64) as f32;
        let over = Span { start: Seconds(start), end: Seconds(end) };
        Strength { over, values: (0..STRENGTHS).map(at).collect() }
    };
    let level = |l: &Level| LevelView { id: l.id, layer: l.layer, at: l.at.time(timing), share: l.share };
    let mut levels: Vec<LevelView> = layers.levels.iter().map(level).collect();
    levels.sort_by(|a, b| a.at.0.total_cmp(&b.at.0));
    let blink = |b: &OwnBlink| BlinkView { id: b.id, at: b.at.time(timing), shape: b.shape };
    LayersView {
        settings: layers.settings.clone(),
        moods: spans(&layers.moods, timing),
        strengths: Course::all(&layers.moods, timing, 1.0).iter().map(strength).collect(),
        looks: spans(&layers.looks, timing),
        moves: spans(&layers.moves, timing),
        blinks: layers.blinks.iter().map(blink).collect(),
        levels,
        dismissed: layers.dismissed.len(),
        body: layers.body.as_ref().map(|b| (b.name.clone(), b.yaw.last().map_or(0.0, |k| k.time), b.amount)),
    }
}
