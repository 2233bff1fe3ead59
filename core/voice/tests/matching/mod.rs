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
