//! Which words of an old text are those of a new one, so that what was decided about them stays.

/// Longest stretch of changed words that is compared word by word; above it nothing in it counts as the same.
const MOST: usize = 3000;

/// For each new word the old one that it is, in order: the longest common row of words, by their letters in lower
/// case.
pub(crate) fn same_words(old: &[&str], new: &[&str]) -> Vec<Option<usize>> {
    let old: Vec<String> = old.iter().map(|w| w.to_lowercase()).collect();
    let new: Vec<String> = new.iter().map(|w| w.to_lowercase()).collect();
    let mut same = vec![None; new.len()];
    let head = old.iter().zip(&new).take_while(|(a, b)| a == b).count();
    let rest = old.len().min(new.len()) - head;
    let tail = old.iter().rev().zip(new.iter().rev()).take(rest).take_while(|(a, b)| a == b).count();
    (0..head).for_each(|i| same[i] = Some(i));
    (1..=tail).for_each(|i| same[new.len() - i] = Some(old.len() - i));
    let (o, n) = (&old[head..old.len() - tail], &new[head..new.len() - tail]);
    if o.len() > MOST || n.len() > MOST {
        return same;
    }
    // longest[i][j]: common words of what is left after i old and j new ones.
    let mut longest = vec![vec![0u16; n.len() + 1]; o.len() + 1];
    for i in (0..o.len()).rev() {
        for j in (0..n.len()).rev() {
            longest[i][j] = if o[i] == n[j] {
                longest[i + 1][j + 1] + 1
            } else {
                longest[i + 1][j].max(longest[i][j + 1])
            };
        }
    }
    let (mut i, mut j) = (0, 0);
    while i < o.len() && j < n.len() {
        if o[i] == n[j] {
            same[head + j] = Some(head + i);
            (i, j) = (i + 1, j + 1);
        } else if longest[i + 1][j] >= longest[i][j + 1] {
            i += 1;
        } else {
            j += 1;
        }
    }
    same
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
