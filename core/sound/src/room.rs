//! Stretches of nothing at all, as cut dialogue has between and around its words: for the ear of the analysis they are filled
//! with the recording's own room, as an editor would. No voice that anybody learnt from was ever beside nothing, and a
//! recogniser takes it for a word.

/// What lies below the last of sixteen bits is nothing.
const NOTHING: f32 = 1.0 / (1 << 17) as f32;
/// Hops a second; nothing of fewer hops in a row is left as it is.
const HOPS: usize = 100;
const LEAST: usize = 3;
/// Hops of room that are taken, over and over, back and forth.
const TAKEN: usize = 10;
/// Room is so far below what is loud, as a ratio of amplitudes (40 dB; common practice, no source): where the quietest that
/// is heard is louder, no room is heard, and it is brought down to that.
const BELOW: f32 = 0.01;

fn loudness(samples: &[f32]) -> f32 {
    (samples.iter().map(|s| s * s).sum::<f32>() / samples.len().max(1) as f32).sqrt()
}

/// One channel with its room where there is nothing; none if it needs none, or has nothing else.
pub(crate) fn filled(samples: &[f32], rate: u32) -> Option<Vec<f32>> {
    let hop = (rate as usize / HOPS).max(1);
    let nothing: Vec<bool> = samples.chunks(hop).map(|c| c.iter().all(|s| s.abs() < NOTHING)).collect();
    let runs: Vec<std::ops::Range<usize>> = nothing
        .chunk_by(|a, b| a == b)
        .scan(0, |at, run| {
            *at += run.len();
            Some((run[0], *at - run.len()..*at))
        })
        .filter(|(is, run)| *is && run.len() >= LEAST)
        .map(|(_, run)| run)
        .collect();
    if runs.is_empty() {
        return None;
    }
    let mut levels: Vec<f32> =
        samples.chunks(hop).zip(&nothing).filter(|(_, n)| !**n).map(|(c, _)| loudness(c)).collect();
    let room = (0..nothing.len().saturating_sub(TAKEN))
        .filter(|i| nothing[*i..i + TAKEN].iter().all(|n| !n))
        .map(|i| &samples[i * hop..(i + TAKEN) * hop])
        .min_by(|a, b| loudness(a).total_cmp(&loudness(b)))?;
    levels.sort_by(f32::total_cmp);
    let loud = levels[levels.len() * 95 / 100];
    let down = (BELOW * loud / loudness(room).max(f32::MIN_POSITIVE)).min(1.0);
    let mut out = samples.to_vec();
    for run in runs {
        let (from, to) = (run.start * hop, (run.end * hop).min(samples.len()));
        for (i, sample) in out[from..to].iter_mut().enumerate() {
            let at = i % (2 * room.len());
            *sample = down * room[at.min(2 * room.len() - 1 - at)];
        }
    }
    Some(out)
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn nothing_becomes_the_room_and_the_rest_stays() {
        let rate = 16_000;
        let voice = |i: usize| 0.3 * (0.1 * i as f32).sin();
        let room = |i: usize| 0.001 * (1.7 * i as f32).sin();
        let mut samples: Vec<f32> =
            (0..32_000).map(|i| if i < 16_000 { voice(i) } else { room(i) }).collect();
        assert!(filled(&samples, rate).is_none());
        samples.extend(vec![0.0; 16_000]);
        samples.extend((0..8_000).map(voice));
        let heard = filled(&samples, rate).unwrap();
        assert!(heard[..32_000] == samples[..32_000] && heard[48_000..] == samples[48_000..]);
        let level = loudness(&heard[32_000..48_000]);
        assert!((0.0005..0.001).contains(&level), "{level}");
        assert!(filled(&vec![0.0; 16_000], rate).is_none());
        // Without a room it is 40 dB below the voice.
        let samples: Vec<f32> = (0..16_000).map(voice).chain(vec![0.0; 16_000]).collect();
        let level = loudness(&filled(&samples, rate).unwrap()[16_000..]);
        assert!((0.0015..0.0025).contains(&level), "{level}");
    }
}
