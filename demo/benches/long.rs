//! What an edge that is moved costs in a line of twenty minutes and in one of a minute, step by step: the correction, how it
//! is spoken, the curves, why a value is as it is, and the whole line from nothing. `cargo bench -p jam-demo --bench long`
#![allow(clippy::unwrap_used)]

use criterion::{Criterion, criterion_group, criterion_main};
use jam_demo::{CHARACTERS, LINES};
use jam_desk::Played;
use jam_formats::sound;
use jam_score::{Correction, Edit, Frame, FrameGrid, FrameRate, Ids, Line, Seconds};
use jam_sound::Recording;
use jam_voice::Analyser;
use jam_voice::phrasing::{self, Measured};
use std::hint::black_box;
use std::sync::Arc;

const GRID: FrameGrid = FrameGrid { rate: FrameRate::FILM, first: Frame(1001) };

fn moved(c: &mut Criterion) {
    let wiring = CHARACTERS[0].read().unwrap().wiring().unwrap();
    let mut group = c.benchmark_group("an edge moved");
    group.sample_size(20);
    for minutes in [1, 20] {
        let (mut samples, mut text) = (Vec::new(), String::new());
        for line in LINES.iter().filter(|l| l.text.is_ascii()).cycle() {
            samples.extend(sound::read(line.recording).unwrap().mono_at(16_000).unwrap().iter());
            text = format!("{text} {}", line.text);
            if samples.len() > minutes * 60 * 16_000 {
                break;
            }
        }
        let recording = Recording::new(16_000, vec![samples]).unwrap();
        let found = Analyser::shipped().unwrap().analyse(&recording, text.trim(), &|_| true).unwrap();
        let mut ids = Ids::NEW_LINE;
        let timing = found.timing.numbered_like(None, &mut ids);
        let line = Arc::new(Line { timing: Some(timing.clone()), ..Line::new(text.trim()) });
        // An edge within a word, with room on both sides, in the middle of the line.
        let long = |s: &jam_score::Sound| s.span.length().0 > 0.06;
        let pairs = timing.sounds.windows(2).skip(timing.sounds.len() / 2);
        let edge =
            pairs.into_iter().find(|p| p[0].word.is_some() && p[0].word == p[1].word && p.iter().all(long));
        let edge = &edge.unwrap()[1];
        let to = edge.span.start + Seconds(0.012);
        let correction = Correction::MoveEdge { sound: edge.id, to, alone: true };
        let corrected = || {
            let after = line.retimed(Some(timing.corrected(&correction, &mut { ids }).unwrap()));
            black_box(Edit::between(&line, &after));
            after
        };
        let of = |what: &str| format!("{what}, {minutes} min");
        group.bench_function(of("the line corrected"), |b| b.iter(corrected));
        let after = Arc::new(corrected());
        let spoken = |line: &Line, like: &Measured| {
            phrasing::spoken(line.timing.as_ref().unwrap(), &found.tracks, like)
        };
        let measured = spoken(&line, &Measured::default()).2;
        group.bench_function(of("how it is spoken"), |b| b.iter(|| black_box(spoken(&after, &measured))));
        let heard = |line: &Line| Arc::new(spoken(line, &Measured::default()).0);
        let (was, is) = (heard(&line), heard(&after));
        let before = Played::new(&line, &wiring, GRID, was.clone(), None).unwrap();
        let played = || Played::new(&after, &wiring, GRID, is.clone(), Some(&before)).unwrap();
        group.bench_function(of("its curves"), |b| b.iter_with_large_drop(played));
        let why = || before.causes(&[jam_score::Control::JawOpen], to);
        group.bench_function(of("why a value is as it is"), |b| b.iter(why));
        let anew = || Played::new(&line, &wiring, GRID, was.clone(), None).unwrap();
        group.bench_function(of("all curves from nothing"), |b| b.iter_with_large_drop(anew));
    }
    group.finish();
}

criterion_group!(benches, moved);
criterion_main!(benches);
