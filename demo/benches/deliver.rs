//! How long the files of a line of Bram take to be made: 5.6 seconds of speech, 34 000 points, 44 shapes.
#![allow(clippy::unwrap_used)]

use criterion::{Criterion, criterion_group, criterion_main};
use jam_demo::{CHARACTERS, LINES, SCENE};
use jam_desk::Played;
use jam_desk::scene::{Heard, Part, SceneLine, Staged, new_scene};
use jam_formats::deliver::{Delivery, FileKind};
use jam_formats::glb::ClipOptions;
use jam_formats::sound;
use jam_score::{Frame, FrameGrid, FrameRate, Ids, Line, Seconds};
use jam_voice::Analyser;
use std::collections::BTreeMap;
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
    scene(c);
}

/// The demo's scene from its lines to the frames of its three characters, 23 seconds.
fn scene(c: &mut Criterion) {
    let analyser = Analyser::shipped().unwrap();
    let numbers: Vec<i32> = SCENE.1.iter().map(|n| *n as i32).collect();
    let timed = |number: &i32| {
        let own = &LINES[*number as usize - 1];
        let found = analyser.analyse(&sound::read(own.recording).unwrap(), own.text, &|_| true).unwrap();
        let prosody = Some(Arc::new(found.prosody()));
        let timing = Some(found.timing.numbered_like(None, &mut { Ids::NEW_LINE }));
        let line = Arc::new(Line { timing, character: Some(own.character.into()), ..Line::new(own.text) });
        (*number, SceneLine { line, prosody, length: Seconds(9.0) })
    };
    let lines: BTreeMap<i32, SceneLine> = numbers.iter().map(timed).collect();
    let heard = Heard {
        lines: lines.iter().map(|(n, l)| (*n, l.line.character.clone())).collect(),
        characters: CHARACTERS.iter().map(|c| (c.name.into(), c.name.into())).collect(),
    };
    let scene = new_scene(SCENE.0, &numbers, &heard).unwrap();
    let part = |name: &str| {
        let one = CHARACTERS.iter().find(|c| c.name == name)?;
        Some(Part { character: name.into(), wiring: one.wiring(&one.read().ok()?).ok()?, figure: None })
    };
    let parts: BTreeMap<&str, Part> =
        CHARACTERS.iter().filter_map(|c| Some((c.name, part(c.name)?))).collect();
    let grid = FrameGrid { rate: FrameRate::FILM, first: Frame(1001) };
    let stage = || Staged::new(&scene, grid, |l| lines.get(&l).cloned(), |k| parts.get(k).cloned()).unwrap();
    let mut group = c.benchmark_group("scene");
    group.sample_size(10);
    group.bench_function("evaluate", |b| b.iter(|| black_box(stage())));
    group.finish();
}

criterion_group!(benches, deliver);
criterion_main!(benches);
