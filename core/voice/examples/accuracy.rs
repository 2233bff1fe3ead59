//! The accuracy table: how far boundaries lie from where they are known to be, ours and the reference
//! recogniser's, and how long each takes. `cargo xtask figures` makes its material and runs it.
#![allow(clippy::unwrap_used, clippy::expect_used, clippy::cast_precision_loss)]

use jam_sound::Recording;
use jam_voice::{Analyser, Known, features};
use std::collections::BTreeMap;
use std::path::Path;
use std::time::Instant;

#[path = "../tests/matching/mod.rs"]
mod matching;
use matching::{Boundary, Timed, boundary_errors, distance, drawn, known_sound, plain_words};

/// The reference recogniser counts frames from their first sample; a boundary lies between two centres.
const CENTRE: f64 = 0.0078;

fn row(name: &str, who: &str, errors: &[Boundary]) -> String {
    let mut off: Vec<f64> = errors.iter().map(|e| e.off * 1e3).collect();
    off.sort_by(f64::total_cmp);
    let bias = off[off.len() / 2];
    let mut far: Vec<f64> = off.iter().map(|o| o.abs()).collect();
    far.sort_by(f64::total_cmp);
    let within = |ms: f64| 100.0 * far.iter().filter(|f| **f <= ms).count() as f64 / far.len() as f64;
    format!(
        "| {name} | {who} | {} | {:.1} | {:.1} | {bias:+.1} | {:.0} | {:.1} | {:.0} | {:.0} |",
        far.len(),
        far.iter().sum::<f64>() / far.len() as f64,
        far[far.len() / 2],
        within(10.0),
        within(20.0),
        within(30.0),
        within(50.0)
    )
}

/// Words of the dictionary in plain letters, in order.
fn listed() -> Vec<&'static str> {
    let mut listed: Vec<&str> = jam_voice::dictionary::Dictionary::shipped().words().collect();
    listed.retain(|w| w.chars().all(|c| c.is_ascii_lowercase()));
    listed.sort_unstable();
    listed
}

/// What is found where a word is left out of a text, where there is one too many, where one is another, and where nothing is
/// wrong: over the sentences that the limits were read off (of each two the first) and over the others.
fn unwritten(analyser: &Analyser, folder: &Path, material: &serde_json::Value) {
    let listed = listed();
    let mut state = 7u64;
    let mut rows = [[0usize; 9]; 2];
    let flite = |item: &&serde_json::Value| item["set"].as_str().unwrap().starts_with("flite");
    for (i, item) in material["items"].as_array().unwrap().iter().filter(flite).enumerate() {
        let row = &mut rows[i % 2];
        let bytes = std::fs::read(folder.join(item["file"].as_str().unwrap())).unwrap();
        let recording = jam_formats::sound::read(&bytes).unwrap();
        let timed = |text: &str| analyser.analyse(&recording, text, &|_| true).unwrap().timing;
        let unsaid = |t: &jam_score::Timing| t.words.iter().filter(|w| w.unsaid).count();
        let text = item["text"].as_str().unwrap();
        let whole = timed(text);
        row[0] += 1;
        row[1] += usize::from(!whole.unwritten().is_empty() || unsaid(&whole) > 0);
        let words: Vec<&str> = whole.words.iter().map(|w| w.text.as_str()).collect();
        let place = drawn(&mut state, words.len());
        let span = whole.words[place].span;
        if span.length().0 >= 0.25 {
            let mut fewer = words.clone();
            fewer.remove(place);
            let found = timed(&fewer.join(" "));
            let overlap = |s: &jam_score::Span| s.end.0.min(span.end.0) - s.start.0.max(span.start.0);
            row[2] += 1;
            row[3] += usize::from(found.unwritten().iter().any(|s| overlap(s) > 0.5 * span.length().0));
        }
        let strange = listed[drawn(&mut state, listed.len())];
        let place = drawn(&mut state, words.len() + 1);
        let mut more = words.clone();
        more.insert(place, strange);
        let found = timed(&more.join(" "));
        row[4] += 1;
        row[5] += usize::from(found.words[place].unsaid);
        let place = drawn(&mut state, words.len());
        let mut other = words.clone();
        other[place] = listed[drawn(&mut state, listed.len())];
        let found = timed(&other.join(" "));
        row[6] += 1;
        row[7] += usize::from(found.words[place].unsaid);
        row[8] += usize::from(!found.unwritten().is_empty());
    }
    println!("\n| | sentences the limits were read off | the others |\n|---|---|---|");
    let [a, b] = rows;
    println!(
        "| left out, a quarter of a second and more: found where it is said | {} of {} | {} of {} |",
        a[3], a[2], b[3], b[2]
    );
    println!("| one too many: found not to be said | {} of {} | {} of {} |", a[5], a[4], b[5], b[4]);
    println!("| whole texts with something found | {} of {} | {} of {} |", a[1], a[0], b[1], b[0]);
    println!(
        "| one word written as another: taken for one not said, for something said and not written | {}, {} of {} | {}, {} of {} |",
        a[7], a[8], a[6], b[7], b[8], b[6]
    );
}

/// Other languages: boundaries, marks, refusals, by voice.
fn languages(folder: &Path) {
    let all = std::fs::read_to_string(folder.join("languages.json")).unwrap();
    let items: Vec<serde_json::Value> = serde_json::from_str(&all).unwrap();
    let mut sets: Vec<&str> = items.iter().map(|i| i["set"].as_str().unwrap()).collect();
    sets.dedup();
    println!(
        "\n| voice | lines, refused | boundaries | mean off, ms | within 20 ms, % | right words marked | wrong words marked |"
    );
    println!("|---|---|---|---|---|---|---|");
    for set in sets {
        let own: Vec<serde_json::Value> = items.iter().filter(|i| i["set"] == set).cloned().collect();
        let found = matching::foreign(&own, folder);
        let off: Vec<f64> = found.errors.iter().map(|e| 1e3 * e.off.abs()).collect();
        println!(
            "| {set} | {}, {} | {} | {:.1} | {:.0} | {} of {} | {} of {} |",
            found.lines,
            found.refused,
            off.len(),
            off.iter().sum::<f64>() / off.len() as f64,
            100.0 * off.iter().filter(|o| **o <= 20.0).count() as f64 / off.len() as f64,
            found.marked,
            found.right,
            found.caught,
            found.wrong
        );
    }
}

/// How well confidence tells wrong words from right ones: in every synthesised line one word is replaced by another
/// of the dictionary, of as many letters, chosen by a fixed row of numbers.
fn doubts(analyser: &Analyser, folder: &Path, material: &serde_json::Value, set: &str) {
    let listed = listed();
    let mut state = 1u64;
    let mut next = |below: usize| drawn(&mut state, below);
    let (mut wrong, mut caught, mut right, mut marked, mut moved) = (0, 0, 0, 0, 0);
    for item in material["items"].as_array().unwrap() {
        if !item["set"].as_str().unwrap().starts_with(set) {
            continue;
        }
        let bytes = std::fs::read(folder.join(item["file"].as_str().unwrap())).unwrap();
        let recording = jam_formats::sound::read(&bytes).unwrap();
        let text = item["text"].as_str().unwrap();
        let Ok(true_times) = analyser.analyse(&recording, text, &|_| true) else { continue };
        let mut words: Vec<String> = true_times.timing.words.iter().map(|w| w.text.to_string()).collect();
        let place = next(words.len());
        let as_long: Vec<&&str> = listed.iter().filter(|w| w.len() == words[place].len()).collect();
        words[place] = as_long[next(as_long.len())].to_string();
        let Ok(found) = analyser.analyse(&recording, &words.join(" "), &|_| true) else { continue };
        for (i, word) in found.timing.words.iter().enumerate() {
            if i == place {
                wrong += 1;
                caught += usize::from(word.is_doubtful());
            } else {
                right += 1;
                marked += usize::from(word.is_doubtful());
                let far = (word.span.start - true_times.timing.words[i].span.start).0.abs() > 0.05;
                moved += usize::from(far && i.abs_diff(place) > 1);
            }
        }
    }
    let share = |n: usize, of: usize| 100.0 * n as f64 / of as f64;
    println!(
        "\nConfidence ({set}): of {wrong} wrong words {:.0} % are marked doubtful, of {right} right ones {:.1} %. Words that do not stand beside the wrong one move by more than 50 ms in {:.1} % of cases.",
        share(caught, wrong),
        share(marked, right),
        share(moved, right)
    );
}

/// Samples a second of the hour's file, as sound is recorded for pictures.
const HOUR_RATE: u32 = 48_000;

/// The synthesised lines in a row for an hour, as a file: how long it takes, how much memory, and whether times drift.
/// A line comes again and again, so its first word must lie where it did before, counted from where the line was put.
fn hour(analyser: &Analyser, folder: &Path, material: &serde_json::Value) {
    let lines: Vec<(Recording, String)> = material["items"]
        .as_array()
        .unwrap()
        .iter()
        .filter(|item| item["set"].as_str().unwrap().starts_with("flite"))
        .map(|item| {
            let bytes = std::fs::read(folder.join(item["file"].as_str().unwrap())).unwrap();
            (jam_formats::sound::read(&bytes).unwrap(), item["text"].as_str().unwrap().to_string())
        })
        .collect();
    let spec = hound::WavSpec {
        channels: 1,
        sample_rate: HOUR_RATE,
        bits_per_sample: 16,
        sample_format: hound::SampleFormat::Int,
    };
    let file = folder.join("hour.wav");
    let mut writer = hound::WavWriter::create(&file, spec).unwrap();
    let (mut text, mut starts) = (String::new(), Vec::new());
    let mut words = 0;
    for (i, (recording, line)) in (0..).zip(lines.iter().cycle()) {
        let own = recording.mono_at(HOUR_RATE).unwrap();
        if writer.len() as usize + own.len() > 3600 * HOUR_RATE as usize {
            break;
        }
        starts.push((i % lines.len(), words, f64::from(writer.len()) / f64::from(HOUR_RATE)));
        own.iter().for_each(|s| writer.write_sample((s.clamp(-1.0, 1.0) * 32767.0) as i16).unwrap());
        text += line;
        text.push(' ');
        words += jam_voice::text::read(line).unwrap().words.len();
    }
    writer.finalize().unwrap();
    let started = Instant::now();
    let whole = jam_formats::sound::read_file(&file, features::RATE).unwrap();
    std::fs::remove_file(&file).unwrap();
    let found = analyser.analyse(&whole, &text, &|_| true).unwrap();
    let took = started.elapsed().as_secs_f64();
    let mut first: Vec<Option<f64>> = vec![None; lines.len()];
    let mut off: Vec<f64> = Vec::new();
    for (line, word, at) in starts {
        let here = found.timing.words[word].span.start.0 - at;
        match first[line] {
            None => first[line] = Some(here),
            Some(before) => off.push((here - before).abs() * 1e3),
        }
    }
    off.sort_by(f64::total_cmp);
    let status = std::fs::read_to_string("/proc/self/status").unwrap_or_default();
    let peak =
        status.lines().find_map(|l| l.strip_prefix("VmHWM:")?.trim().strip_suffix(" kB")?.parse().ok());
    println!(
        "\nOne hour ({:.0} s, {words} words, a WAV file of {HOUR_RATE} Hz, mono): {took:.0} s with reading it, {:.0} MB at most in all; a line that comes again lies where it did within {:.0} ms in the median, {:.0} ms at worst.",
        whole.duration().0,
        peak.unwrap_or(0.0f64) / 1e3,
        off[off.len() / 2],
        off[off.len() - 1]
    );
}

/// Drafts: how many words are wrong, ours and the reference recogniser's, over the sentences that the weights were found on
/// (of each two the first) and over the others; and how fast both are.
fn drafts(analyser: &Analyser, folder: &Path, material: &serde_json::Value) {
    let known = Known::default();
    let flite = |item: &&serde_json::Value| item["set"].as_str().unwrap().starts_with("flite");
    // Wrong ones of ours, of theirs, and all; wrong ones for which the right one is among the others.
    let mut rows = [[0usize; 4]; 2];
    let (mut sound, mut took, mut they_took) = (0.0, 0.0, 0.0);
    let mut sure = [[0usize; 2]; 2];
    for (i, item) in material["items"].as_array().unwrap().iter().filter(flite).enumerate() {
        let bytes = std::fs::read(folder.join(item["file"].as_str().unwrap())).unwrap();
        let recording = jam_formats::sound::read(&bytes).unwrap();
        if i == 0 {
            // Loads the models.
            analyser.draft(&recording, &known, &|_| true).unwrap();
        }
        let started = Instant::now();
        let found = analyser.draft(&recording, &known, &|_| true).unwrap();
        took += started.elapsed().as_secs_f64();
        sound += recording.duration().0;
        they_took += item["heard"]["seconds"].as_f64().unwrap();
        let said = plain_words(item["text"].as_str().unwrap());
        let row = &mut rows[i % 2];
        row[0] += distance(&said, &plain_words(&found.text));
        row[1] += distance(&said, &plain_words(item["heard"]["text"].as_str().unwrap()));
        row[2] += said.len();
        // As if the right ones were chosen of those that are offered.
        let chosen: Vec<String> = found
            .words
            .iter()
            .map(|w| {
                let all = std::iter::once(&w.text).chain(&w.others);
                let mut all = all.flat_map(|t| plain_words(t));
                all.find(|t| said.contains(t)).unwrap_or_default()
            })
            .collect();
        row[3] += distance(&said, &chosen);
        for word in &found.words {
            let right = plain_words(&word.text).iter().all(|w| said.contains(w));
            let row = &mut sure[usize::from(right)];
            row[0] += 1;
            row[1] += usize::from(word.confidence < 0.5);
        }
    }
    println!("\n| drafts | words | wrong, Jam Lips % | with the others to choose from | wrong, reference |");
    println!("|---|---|---|---|---|");
    for (name, row) in ["that the weights were found on", "others"].iter().zip(rows) {
        let share = |n: usize| 100.0 * n as f64 / row[2] as f64;
        println!(
            "| {name} | {} | {:.1} | {:.1} | {:.1} |",
            row[2],
            share(row[0]),
            share(row[3]),
            share(row[1])
        );
    }
    println!(
        "\nDrafts on one core: Jam Lips {:.1} times faster than the sound, the reference recogniser {:.1}. Of {} words that were not said {:.0} % are marked, of {} that were {:.0} %.",
        sound / took,
        sound / they_took,
        sure[0][0],
        100.0 * sure[0][1] as f64 / sure[0][0] as f64,
        sure[1][0],
        100.0 * sure[1][1] as f64 / sure[1][0] as f64,
    );
}

fn main() {
    let folder = std::env::args().nth(1).expect("the folder of the material");
    let folder = Path::new(&folder);
    let material: serde_json::Value =
        serde_json::from_slice(&std::fs::read(folder.join("material.json")).unwrap()).unwrap();
    // One core, as the reference recogniser has.
    rayon::ThreadPoolBuilder::new().num_threads(1).build_global().unwrap();
    let analyser = Analyser::shipped().unwrap();
    if std::env::args().nth(2).is_some_and(|part| part == "drafts") {
        return drafts(&analyser, folder, &material);
    }
    let mut sets: Vec<(String, Vec<Boundary>, Vec<Boundary>)> = Vec::new();
    let (mut sound, mut took, mut their_sound, mut they_took) = (0.0, 0.0, 0.0, 0.0);
    let mut everything = Vec::new();
    let mut heard_as: BTreeMap<String, BTreeMap<String, usize>> = BTreeMap::new();
    for item in material["items"].as_array().unwrap() {
        let text = item["text"].as_str().unwrap();
        let bytes = std::fs::read(folder.join(item["file"].as_str().unwrap())).unwrap();
        let recording = jam_formats::sound::read(&bytes).unwrap();
        let started = Instant::now();
        let found = analyser.analyse(&recording, text, &|_| true).unwrap();
        let seconds = started.elapsed().as_secs_f64();
        sound += recording.duration().0;
        took += seconds;
        let known: Vec<Timed> = item["sounds"].as_array().unwrap().iter().map(known_sound).collect();
        let ours: Vec<Timed> = found.timing.sounds.iter().map(matching::of).collect();
        let theirs: Vec<Timed> =
            item["reference"]["sounds"].as_array().into_iter().flatten().map(known_sound).collect();
        if let Some(seconds) = item["reference"]["seconds"].as_f64() {
            their_sound += recording.duration().0;
            they_took += seconds;
        }
        let name = item["set"].as_str().unwrap();
        let set = match sets.iter_mut().position(|s| s.0 == name) {
            Some(i) => &mut sets[i],
            None => {
                sets.push((name.to_string(), Vec::new(), Vec::new()));
                sets.last_mut().unwrap()
            }
        };
        let size = found.timing.size.map_or("usual".into(), |s| s.to_string());
        *heard_as.entry(name.to_string()).or_default().entry(size).or_default() += 1;
        let errors = boundary_errors(&known, &ours);
        everything.extend(errors.iter().map(|e| (item["file"].as_str().unwrap().to_string(), e.clone())));
        set.1.extend(errors);
        let theirs: Vec<Timed> = theirs.into_iter().map(|(n, a, b)| (n, a + CENTRE, b + CENTRE)).collect();
        set.2.extend(boundary_errors(&known, &theirs));
    }
    println!("| material | by | boundaries | mean ms | median | bias | ≤ 10 ms % | ≤ 20 | ≤ 30 | ≤ 50 |");
    println!("|---|---|---|---|---|---|---|---|---|---|");
    let synthesised = sets.iter().filter(|s| s.0.starts_with("flite"));
    let all = synthesised.fold((Vec::new(), Vec::new()), |mut all, s| {
        all.0.extend(s.1.clone());
        all.1.extend(s.2.clone());
        all
    });
    sets.push(("all synthesised".into(), all.0, all.1));
    for (name, ours, theirs) in &sets {
        println!("{}", row(name, "Jam Lips", ours));
        if !theirs.is_empty() {
            println!("{}", row(name, "reference", theirs));
        }
    }
    println!(
        "\nOn one core: Jam Lips {:.4} x real time ({:.0} times faster than the sound, pitch and loudness included), the reference recogniser {:.4} x ({:.0} times), loading the models not counted.",
        took / sound,
        sound / took,
        they_took / their_sound,
        their_sound / they_took
    );
    drafts(&analyser, folder, &material);
    println!("\nAs large a voice as it was heard, and how many lines:");
    for (name, sizes) in &heard_as {
        println!(
            "  {name}: {}",
            sizes.iter().map(|(s, n)| format!("{s} {n}")).collect::<Vec<_>>().join(", ")
        );
    }
    for set in ["flite", "small", "giant", "sung", "whispered", "cut off by 6", "cut off by 12"] {
        doubts(&analyser, folder, &material, set);
    }
    unwritten(&analyser, folder, &material);
    languages(folder);
    hour(&analyser, folder, &material);
    if let Some(file) = std::env::args().nth(2) {
        let lines: Vec<String> = everything
            .iter()
            .map(|(file, e)| format!("{file}\t{}\t{}\t{:.4}\t{:.2}", e.before, e.after, e.at, e.off * 1e3))
            .collect();
        std::fs::write(file, lines.join("\n")).unwrap();
    }
}
