//! Which boundaries of two rows of sounds belong together, and how far apart they are.
#![allow(dead_code, clippy::unwrap_used, reason = "each user needs a part of it")]

/// A sound's name, its start and its end in seconds.
pub type Timed = (String, f64, f64);

/// A sound as a synthesiser or a person labelled it: `["ax", 0.1, 0.2]`.
pub fn known_sound(value: &serde_json::Value) -> Timed {
    let name = match value[0].as_str().unwrap() {
        "ax" => "AH".into(),
        "pau" => "SIL".into(),
        "axr" => "ER".into(),
        other => other.to_uppercase(),
    };
    (name, value[1].as_f64().unwrap(), value[2].as_f64().unwrap())
}

pub fn of(sound: &jam_score::Sound) -> Timed {
    (sound.phone.name().to_string(), sound.span.start.0, sound.span.end.0)
}

/// One boundary that both have.
#[derive(Debug, Clone)]
pub struct Boundary {
    pub before: String,
    pub after: String,
    /// Where they have it, seconds.
    pub at: f64,
    /// Ours less theirs, seconds.
    pub off: f64,
}

/// The boundaries whose two neighbours were both matched one to one (edit distance on phone identity and
/// time).
pub fn boundary_errors(theirs: &[Timed], ours: &[Timed]) -> Vec<Boundary> {
    let (n, m) = (theirs.len(), ours.len());
    let mut cost = vec![vec![0.0; m + 1]; n + 1];
    let mut step = vec![vec![0u8; m + 1]; n + 1];
    for i in 0..=n {
        for j in 0..=m {
            let mut options = Vec::new();
            if i > 0 && j > 0 {
                let (a, b) = (&theirs[i - 1], &ours[j - 1]);
                let different = f64::from(u8::from(a.0 != b.0));
                let apart = (0.5 * (a.1 + a.2) - 0.5 * (b.1 + b.2)).abs().min(0.5);
                options.push((cost[i - 1][j - 1] + different + apart, 0));
            }
            if i > 0 {
                options.push((cost[i - 1][j] + 1.0, 1));
            }
            if j > 0 {
                options.push((cost[i][j - 1] + 1.0, 2));
            }
            if let Some(best) = options.into_iter().min_by(|a, b| a.0.total_cmp(&b.0)) {
                (cost[i][j], step[i][j]) = best;
            }
        }
    }
    let mut partner = vec![None; n];
    let (mut i, mut j) = (n, m);
    while i > 0 || j > 0 {
        match step[i][j] {
            0 => {
                (i, j) = (i - 1, j - 1);
                partner[i] = Some(j);
            }
            1 => i -= 1,
            _ => j -= 1,
        }
    }
    let both = |k: usize| match (partner[k - 1], partner[k]) {
        (Some(a), Some(b)) if b == a + 1 => Some(b),
        _ => None,
    };
    (1..n)
        .filter_map(|k| Some((k, both(k)?)))
        .map(|(k, b)| Boundary {
            before: theirs[k - 1].0.clone(),
            after: theirs[k].0.clone(),
            at: theirs[k].1,
            off: ours[b].1 - theirs[k].1,
        })
        .collect()
}

/// The next of a fixed row of numbers, below a bound.
pub fn drawn(state: &mut u64, below: usize) -> usize {
    *state = state.wrapping_mul(6_364_136_223_846_793_005).wrapping_add(1_442_695_040_888_963_407);
    (*state >> 33) as usize % below
}

/// What came of lines in another language.
#[derive(Debug, Default)]
pub struct Foreign {
    pub lines: usize,
    pub refused: usize,
    pub errors: Vec<Boundary>,
    /// Right words, and those of them that are marked as doubtful.
    pub right: usize,
    pub marked: usize,
    /// Words that were written as others of the language, and those of them that are marked.
    pub wrong: usize,
    pub caught: usize,
    /// Lines in which something is found that is not written or not said.
    pub differ: usize,
}

/// Times lines whose sounds are written behind their words, and once more with one word in each written as another of about
/// as many sounds, chosen by a fixed row of numbers. Words beside that one count as neither right nor wrong.
pub fn foreign(items: &[serde_json::Value], folder: &std::path::Path) -> Foreign {
    let analyser = jam_voice::Analyser::shipped().unwrap();
    let mut out = Foreign::default();
    let string = |v: &serde_json::Value| v.as_str().unwrap().to_string();
    let words = |text: &str| -> Vec<String> {
        let parts: Vec<&str> = text.split_whitespace().collect();
        parts.chunks(2).map(|pair| pair.join(" ")).collect()
    };
    let length = |word: &str| word.split('/').nth(1).map_or(0, |s| s.chars().count());
    let pool: Vec<String> = items.iter().flat_map(|i| words(&string(&i["text"]))).collect();
    let mut state = 3u64;
    let mut drawn = |below: usize| drawn(&mut state, below);
    for item in items {
        let bytes = std::fs::read(folder.join(string(&item["file"]))).unwrap();
        let recording = jam_formats::sound::read(&bytes).unwrap();
        let timed = |text: &str| {
            let mut line = jam_score::Line::new(text);
            line.language = jam_score::Language::read(item["language"].as_str().unwrap()).unwrap();
            let none = jam_voice::WordList::default();
            analyser.time(&recording, &line, &none, &|_| true).map(|found| found.timing)
        };
        out.lines += 1;
        let text = string(&item["text"]);
        let Ok(timing) = timed(&text) else {
            out.refused += 1;
            continue;
        };
        let ours: Vec<Timed> = timing.sounds.iter().map(of).collect();
        let theirs: Vec<Timed> = item["sounds"].as_array().unwrap().iter().map(known_sound).collect();
        out.errors.extend(boundary_errors(&theirs, &ours));
        out.differ += usize::from(!timing.unwritten().is_empty() || timing.words.iter().any(|w| w.unsaid));
        let mut other = words(&text);
        let long: Vec<usize> = (0..other.len()).filter(|i| length(&other[*i]) > 3).collect();
        let place = long[drawn(long.len())];
        let like = |w: &&String| **w != other[place] && length(w).abs_diff(length(&other[place])) < 2;
        let alike: Vec<&String> = pool.iter().filter(like).collect();
        other[place] = alike[drawn(alike.len())].clone();
        let Ok(found) = timed(&other.join(" ")) else {
            out.refused += 1;
            continue;
        };
        for (i, word) in found.words.iter().enumerate() {
            let doubtful = word.is_doubtful() || word.unsaid;
            match i.abs_diff(place) {
                0 => (out.wrong, out.caught) = (out.wrong + 1, out.caught + usize::from(doubtful)),
                1 => {}
                _ => (out.right, out.marked) = (out.right + 1, out.marked + usize::from(doubtful)),
            }
        }
    }
    out
}

/// Edit distance.
pub fn distance<T: PartialEq>(a: &[T], b: &[T]) -> usize {
    let mut row: Vec<usize> = (0..=b.len()).collect();
    for (i, x) in a.iter().enumerate() {
        let mut before = std::mem::replace(&mut row[0], i + 1);
        for (j, y) in b.iter().enumerate() {
            let new = (before + usize::from(x != y)).min(row[j] + 1).min(row[j + 1] + 1);
            before = std::mem::replace(&mut row[j + 1], new);
        }
    }
    row[b.len()]
}

/// The words of a text, to be compared.
pub fn plain_words(text: &str) -> Vec<String> {
    let words = text.to_lowercase();
    let words = words.split(|c: char| !(c.is_alphanumeric() || c == '\''));
    words.filter(|w| !w.is_empty()).map(String::from).collect()
}
