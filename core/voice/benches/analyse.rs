//! How fast a recording is analysed. Throughput is in seconds of sound per second: its inverse is the
//! share of real time.

use criterion::{BenchmarkId, Criterion, Throughput, criterion_group, criterion_main};
use jam_sound::Recording;
use jam_voice::{Analyser, VoiceTracks, features};
use std::hint::black_box;

const TEXT: &str = "My neighbour planted purple beans along the garden fence.";

fn recording() -> Recording {
    let bytes = include_bytes!("../tests/fixtures/rms_3.wav");
    jam_formats::sound::read(bytes).expect("a fixture that is a WAV file")
}

fn analyse(c: &mut Criterion) {
    let analyser = Analyser::shipped().expect("the shipped model");
    let once = recording();
    let mut group = c.benchmark_group("analyse");
    group.sample_size(10);
    for times in [1usize, 16, 48] {
        let long = Recording::new(once.rate(), vec![once.mono().repeat(times)]).expect("sound");
        let text = vec![TEXT; times].join(" ");
        let seconds = long.duration().0;
        group.throughput(Throughput::Elements(seconds.round() as u64));
        group.bench_with_input(BenchmarkId::from_parameter(format!("{seconds:.0} s")), &long, |b, long| {
            b.iter(|| analyser.analyse(black_box(long), &text, &|_| true).expect("it aligns"));
        });
    }
    group.finish();
}

fn parts(c: &mut Criterion) {
    let samples = recording().mono().into_owned();
    let mut group = c.benchmark_group("parts");
    group.throughput(Throughput::Elements((samples.len() / 16_000) as u64));
    group.bench_function("features", |b| {
        b.iter(|| features::features(&features::cepstra(black_box(&samples), 1.0)));
    });
    group.bench_function("loudness and pitch", |b| b.iter(|| VoiceTracks::of(black_box(&samples))));
    group.finish();
}

criterion_group!(benches, analyse, parts);
criterion_main!(benches);
