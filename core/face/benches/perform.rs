//! How fast a line's curves are made, and how fast they are wired to a character.

use criterion::{BenchmarkId, Criterion, Throughput, criterion_group, criterion_main};
use jam_face::perform;
use jam_rig::propose::{ShapeFacts, propose};
use jam_score::{Control, Diction, FrameRate, Phone, Seconds, Sound, Span, Timing};
use std::hint::black_box;

/// Speech-like sounds: consonants and vowels in turn, twelve a second, a pause every two seconds.
fn speech(seconds: f64) -> Timing {
    let (vowels, consonants): (Vec<Phone>, Vec<Phone>) =
        Phone::ALL.iter().filter(|p| **p != Phone::Sil).partition(|p| p.is_vowel());
    let mut sounds = Vec::new();
    let mut at = 0.0;
    while at < seconds {
        let i = sounds.len();
        let phone = match i % 24 {
            0 => Phone::Sil,
            k if k % 2 == 0 => vowels[i * 7 % vowels.len()],
            _ => consonants[i * 5 % consonants.len()],
        };
        let length = if phone == Phone::Sil { 0.3 } else { 0.05 + 0.01 * (i % 7) as f64 };
        let span = Span::new(at, at + length);
        sounds.push(Sound { stress: Some((i % 3) as u8), level: -20.0, ..Sound::new(phone, span) });
        at += length;
    }
    Timing { sounds: sounds.into(), ..Timing::default() }
}

fn curves(c: &mut Criterion) {
    let mut group = c.benchmark_group("perform");
    for seconds in [5u64, 60] {
        let timing = speech(seconds as f64);
        group.throughput(Throughput::Elements(seconds));
        group.bench_with_input(BenchmarkId::from_parameter(format!("{seconds} s")), &timing, |b, timing| {
            b.iter(|| perform(black_box(timing), &Diction::default(), FrameRate::FILM, Seconds(0.25)));
        });
    }
    group.finish();
}

fn wiring(c: &mut Criterion) {
    let shapes: Vec<ShapeFacts> =
        Control::ALL.iter().map(|c| ShapeFacts { name: c.name().into(), half: None }).collect();
    let mut wiring = propose(&shapes, &[], None).wiring;
    wiring.measure(|_| Some(0.1));
    let face =
        perform(&speech(5.0), &Diction::default(), FrameRate::FILM, Seconds(0.25)).face_at(Seconds(1.0));
    c.bench_function("wire one frame", |b| b.iter(|| wiring.apply(black_box(&face))));
}

criterion_group!(benches, curves, wiring);
criterion_main!(benches);
