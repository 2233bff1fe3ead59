//! Which of the old words and sounds the new ones are, when a line is timed anew.

use crate::{Ids, Phone, Timing};
use std::hash::Hash;
use std::ops::Range;

/// Longest stretch of changed words that is compared word by word; above it nothing in it counts as the same.
const MOST: usize = 3000;

/// How many items two rows have in common at their start, and how many of the rest at their end.
fn ends_alike<T>(old: &[T], new: &[T], alike: impl Fn(&T, &T) -> bool) -> (usize, usize) {
    let head = old.iter().zip(new).take_while(|(a, b)| alike(a, b)).count();
    let rest = old.len().min(new.len()) - head;
    let ends = old.iter().rev().zip(new.iter().rev()).take(rest);
    (head, ends.take_while(|(a, b)| alike(a, b)).count())
}

/// What of a row gave way to what of another: everything before and after is the same in both.
pub fn differing<T: PartialEq>(old: &[T], new: &[T]) -> (Range<usize>, Range<usize>) {
    // States of a line share rows; what is one in memory is the same.
    if std::ptr::eq(old, new) {
        return (old.len()..old.len(), new.len()..new.len());
    }
    differing_by(old, new, T::eq)
}

/// The same, where items are `alike` in a way of their own.
pub fn differing_by<T>(old: &[T], new: &[T], alike: impl Fn(&T, &T) -> bool) -> (Range<usize>, Range<usize>) {
    let (head, tail) = ends_alike(old, new, alike);
    (head..old.len() - tail, head..new.len() - tail)
}

/// For each new item the old one that it is, in order: the longest common row.
fn same<T: Hash + Ord>(old: &[T], new: &[T]) -> Vec<Option<usize>> {
    let mut same = vec![None; new.len()];
    let (head, tail) = ends_alike(old, new, T::eq);
    (0..head).for_each(|i| same[i] = Some(i));
    (1..=tail).for_each(|i| same[new.len() - i] = Some(old.len() - i));
    let (o, n) = (&old[head..old.len() - tail], &new[head..new.len() - tail]);
    if o.len() > MOST || n.len() > MOST {
        return same;
    }
    for step in similar::capture_diff_slices(similar::Algorithm::Myers, o, n) {
        if let similar::DiffOp::Equal { old_index, new_index, len } = step {
            (0..len).for_each(|k| same[head + new_index + k] = Some(head + old_index + k));
        }
    }
    same
}

/// For each new word the old one that it is, in order: the longest common row of words, by their letters in lower
/// case. A word that was only spelt otherwise is another one.
pub fn same_words(old: &[&str], new: &[&str]) -> Vec<Option<usize>> {
    let lower = |words: &[&str]| words.iter().map(|w| w.to_lowercase()).collect::<Vec<_>>();
    same(&lower(old), &lower(new))
}

/// For each old item its new place: the same item, or one that stands for it in a gap as long as before.
pub(crate) fn places<T: Hash + Ord>(old: &[T], new: &[T]) -> Vec<Option<usize>> {
    fill(&same(old, new), old.len())
}

/// Turns what each new item was into where each old one is, and pairs what changed between two that stayed.
fn fill(same: &[Option<usize>], count: usize) -> Vec<Option<usize>> {
    let mut places = vec![None; count];
    let (mut from_old, mut from_new) = (0, 0);
    let ends = same.iter().enumerate().filter_map(|(j, i)| Some(((*i)?, j)));
    for (i, j) in ends.chain([(count, same.len())]) {
        if i - from_old == j - from_new {
            (0..i - from_old).for_each(|k| places[from_old + k] = Some(from_new + k));
        }
        if i < count {
            places[i] = Some(j);
        }
        (from_old, from_new) = (i + 1, j + 1);
    }
    places
}

/// The sounds of each word.
fn by_word(timing: &Timing) -> Vec<Vec<usize>> {
    let mut own = vec![Vec::new(); timing.words.len()];
    for (i, sound) in timing.sounds.iter().enumerate() {
        if let Some(own) = sound.word.and_then(|w| own.get_mut(w as usize)) {
            own.push(i);
        }
    }
    own
}

/// Where each old word and sound lies in new times; none where it is gone.
fn matched(old: &Timing, new: &Timing) -> (Vec<Option<usize>>, Vec<Option<usize>>) {
    let what = |t: &Timing| t.sounds.iter().map(|s| (s.phone, s.word)).collect::<Vec<_>>();
    let text = |t: &Timing| t.words.iter().map(|w| w.text.to_lowercase()).collect::<Vec<_>>();
    let words = places(&text(old), &text(new));
    if what(old) == what(new) {
        return (words, (0..old.sounds.len()).map(Some).collect());
    }
    let phones = |t: &Timing, own: &[usize]| own.iter().map(|i| t.sounds[*i].phone).collect::<Vec<Phone>>();
    let mut sounds = vec![None; old.sounds.len()];
    let mut pair = |before: &[usize], after: &[usize]| {
        let places = places(&phones(old, before), &phones(new, after));
        for (i, place) in before.iter().zip(places) {
            sounds[*i] = place.map(|p| after[p]);
        }
    };
    let (old_own, new_own) = (by_word(old), by_word(new));
    if old.words.is_empty() && new.words.is_empty() {
        let all = |t: &Timing| (0..t.sounds.len()).collect::<Vec<_>>();
        pair(&all(old), &all(new));
    }
    for (w, place) in words.iter().enumerate() {
        if let Some(place) = place {
            pair(&old_own[w], &new_own[*place]);
        }
    }
    // A pause is the one after the same word, or the one before the same word.
    let mut taken: Vec<bool> = vec![false; new.sounds.len()];
    sounds.iter().flatten().for_each(|s| taken[*s] = true);
    for i in (0..old.sounds.len()).filter(|i| old.sounds[*i].word.is_none()) {
        if sounds[i].is_some() {
            continue;
        }
        let free = |k: Option<usize>| {
            k.filter(|k| new.sounds.get(*k).is_some_and(|s| s.word.is_none()) && !taken[*k])
        };
        let after = match i.checked_sub(1) {
            None => Some(0),
            Some(before) => sounds[before].map(|s| s + 1),
        };
        let before = match old.sounds.get(i + 1) {
            None => new.sounds.len().checked_sub(1),
            Some(_) => sounds[i + 1].and_then(|s| s.checked_sub(1)),
        };
        sounds[i] = free(after).or(free(before));
        if let Some(place) = sounds[i] {
            taken[place] = true;
        }
    }
    (words, sounds)
}

impl Timing {
    /// These times with the numbers of the words and sounds they had before, where they are the same ones, and with
    /// new numbers for the others.
    #[must_use]
    pub fn numbered_like(mut self, before: Option<&Timing>, ids: &mut Ids) -> Timing {
        self.words.iter_mut().for_each(|w| w.id = 0);
        self.sounds.iter_mut().for_each(|s| s.id = 0);
        if let Some(before) = before {
            let (words, sounds) = matched(before, &self);
            for (word, place) in before.words.iter().zip(words) {
                if let Some(place) = place {
                    self.words[place].id = word.id;
                }
            }
            for (sound, place) in before.sounds.iter().zip(sounds) {
                if let Some(place) = place {
                    self.sounds[place].id = sound.id;
                }
            }
        }
        self.number(ids);
        self
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn words_that_stay_are_found_whatever_changes_around_them() {
        let words = |t: &'static str| t.split(' ').collect::<Vec<_>>();
        let same =
            same_words(&words("pull the shutters down Odile"), &words("Pull all the blinds down Odile now"));
        assert_eq!(same, [Some(0), None, Some(1), None, Some(3), Some(4), None]);
        assert_eq!(same_words(&[], &["a"]), [None]);
        assert_eq!(same_words(&["a", "a"], &["a"]), [Some(0)]);
    }

    proptest::proptest! {
        #[test]
        fn what_is_the_same_is_the_same_and_in_order(old in proptest::collection::vec("[ab]", 0..9), new in proptest::collection::vec("[ab]", 0..9)) {
            let refs = |w: &[String]| w.iter().map(|s| s.to_string()).collect::<Vec<_>>();
            let (old, new) = (refs(&old), refs(&new));
            let (o, n): (Vec<&str>, Vec<&str>) = (old.iter().map(|s| s.as_str()).collect(), new.iter().map(|s| s.as_str()).collect());
            let same = same_words(&o, &n);
            let found: Vec<usize> = same.iter().flatten().copied().collect();
            proptest::prop_assert!(found.windows(2).all(|w| w[0] < w[1]));
            for (j, i) in same.iter().enumerate().filter_map(|(j, i)| Some((j, (*i)?))) {
                proptest::prop_assert_eq!(o[i], n[j]);
            }
            if o == n {
                proptest::prop_assert!(same.iter().all(Option::is_some));
            }
        }
    }
}
