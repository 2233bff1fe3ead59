//! Which vowels own a jaw beat. A speaker merges syllables: the jaw opens for the prominent ones, at
//! most so often a second, and the rest ride through; a jaw that opens at each vowel flaps.

use super::wish::{Factor, Wish};
use crate::aim::Aspect;
use crate::sounds::{SpokenSound, aims};
use jam_score::Diction;
use jam_score::diction::EVERYDAY_OPENNESS;

/// Jaw target of a sound; `end` is where a glide goes to. Vowels follow openness, stress, loudness and reach; above
/// .7 the jaw is softly limited, so it never passes 1.
pub fn jaw_target(sound: &SpokenSound, diction: &Diction, end: bool) -> Wish {
    let Some(aim) = aims(sound.shape).iter().find(|a| a.aspect == Aspect::Jaw) else {
        return Wish::default();
    };
    let target = if end { aim.end } else { aim.start };
    if !sound.is_vowel() {
        return Wish::of(target);
    }
    let stress = match sound.stress {
        1 => 1.0,
        2 => 0.88,
        _ => 0.78,
    };
    let loudness = 1.0 + diction.loudness * (sound.loudness / 9.0).clamp(-0.55, 0.35);
    let wish = Wish::of(EVERYDAY_OPENNESS * target)
        .scaled(Factor::Openness, diction.openness / EVERYDAY_OPENNESS)
        .scaled(Factor::Stress, stress)
        .scaled(Factor::Loudness, loudness)
        .scaled(Factor::Reach, sound.reach);
    let whole = wish.target();
    if whole < 0.7 { wish } else { wish.limited(0.7 + 0.3 * ((whole - 0.7) / 0.3).tanh()) }
}

/// How much of their own jaw sounds between the beats keep, and how quick the jaw is: the fewer beats a second are asked
/// for, the less, or each vowel would open all the same. At the everyday five an outside model of the vocal tract has 13 of
/// 100 of the jaw's movement at 4 to 8 Hz; with the shares that go with this, found by trying, ours has 6 to 8
/// (`--example jaw`).
pub fn lively(diction: &Diction) -> f64 {
    ((diction.beat - 1.0) / 4.0).clamp(0.0, 1.0).powf(1.5).max(0.05)
}

/// Chooses the vowels with the largest total prominence whose beats are at least `1 / diction.beat`
/// seconds apart (dynamic programming), and marks them.
pub fn mark(sounds: &mut [SpokenSound], diction: &Diction) {
    let vowels: Vec<usize> = (0..sounds.len()).filter(|i| sounds[*i].is_vowel()).collect();
    let times: Vec<f64> = vowels
        .iter()
        .map(|i| &sounds[*i])
        .map(|s| s.start + if s.phone.is_glide() { 0.30 } else { 0.45 } * s.length())
        .collect();
    let prominence: Vec<f64> = vowels
        .iter()
        .map(|i| &sounds[*i])
        .map(|s| {
            let stress = match s.stress {
                1 => 1.0,
                2 => 0.55,
                _ => 0.30,
            };
            stress
                * (0.35 + jaw_target(s, diction, false).target())
                * (1.0 + 0.03 * s.loudness.clamp(-8.0, 6.0))
                * (0.6 + s.length() / 0.15).min(1.3)
        })
        .collect();
    let gap = 1.0 / diction.beat.max(0.1);
    let count = vowels.len();
    let mut best = vec![0.0; count + 1];
    let mut taken_from: Vec<Option<usize>> = vec![None; count + 1];
    for i in 1..=count {
        let mut before = i - 1;
        while before > 0 && times[i - 1] - times[before - 1] < gap {
            before -= 1;
        }
        let with = best[before] + prominence[i - 1];
        if with > best[i - 1] {
            best[i] = with;
            taken_from[i] = Some(before);
        } else {
            best[i] = best[i - 1];
        }
    }
    for i in &vowels {
        sounds[*i].owns_beat = false;
    }
    let mut i = count;
    while i > 0 {
        i = match taken_from[i] {
            Some(before) => {
                sounds[vowels[i - 1]].owns_beat = true;
                before
            }
            None => i - 1,
        };
    }
}
