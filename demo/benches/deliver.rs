//! How long the files of a line of Bram take to be made: 5.6 seconds of speech, 34 000 points, 44 shapes.
#![allow(clippy::unwrap_used)]

use criterion::{Criterion, criterion_group, criterion_main};
use jam_demo::{CHARACTERS, LINES};
use jam_desk::Played;
use jam_formats::deliver::{Delivery, FileKind};
use jam_formats::glb::ClipOptions;
use jam_formats::sound;
use jam_score::{Frame, FrameGrid, FrameRate, Ids, Line};
use jam_voice::Analyser;
use std::hint::black_box;
use std::sync::Arc;

fn deliver(c: &mut Criterion) {
    let recording = sound::read(LINES[3].recording).unwrap();
    let found = Analyser::shipped().unwrap().analyse(&recording, LINES[3].text, &|_| true).unwrap();
    let prosody = Arc::new(found.prosody());
    let timing = found.timing.numbered_like(None, &mut { Ids::NEW_LINE });
    let line = Arc::new(Line { timing: Some(timing), ..Line::new(LINES[3].text) });
    let character = CHARACTERS[0].read().unwrap();
    let wiring = character.wiring().unwrap();
    let grid = FrameGrid { rate: FrameRate::FILM, first: Frame(1001) };
    let played = Played::new(&line, &wiring, grid, prosody, None).unwrap();
    let sampled = played.sampled();
    let delivery = Delivery {
        name: "line",
        line: &line,
        timing: line.timing.as_ref().unwrap(),
        wiring: &wiring,
        sampled: &sampled,
        character: Some((&character, "Bram")),
        sound: Some(&recording),
    };
    let mut group = c.benchmark_group("deliver");
    group.sample_size(10);
    for kind in [FileKind::Glb, FileKind::Usd, FileKind::UsdCache, FileKind::CsvLong, FileKind::Sheet] {
        let make = || black_box(delivery.files(kind, &ClipOptions::default()).unwrap());
        group.bench_function(kind.key(), |b| b.iter(make));
    }
    // The way back: the controls behind a line's outputs.
    let outputs: Vec<usize> = (0..wiring.outputs.len()).collect();
    group.bench_function("read back", |b| b.iter(|| black_box(wiring.read_back(&outputs, &sampled.wired))));
    group.finish();
}

criterion_group!(benches, deliver);
criterion_main!(benches);
