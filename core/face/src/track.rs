//! A value at every sample, in pieces: two states of a line share those in which they are the same, so that a change
//! somewhere costs as much as it is long.

use jam_score::Seconds;
use std::ops::{Index, Range};
use std::sync::Arc;

/// Values a second. Curves are read linearly between them: a rounder reader may overshoot a seal.
pub const HZ: f64 = 100.0;

/// Samples of a piece.
const PIECE: usize = 1024;
/// Pieces that lie together, so that of a long track few have to be taken over one by one.
const GROUP: usize = 16;

type Group<T> = Arc<Vec<Arc<[T]>>>;

/// See the head of this file. The last piece is as long as what is left.
#[derive(Debug, Clone)]
pub struct Track<T = f32> {
    len: usize,
    groups: Arc<Vec<Group<T>>>,
}

impl<T> Default for Track<T> {
    fn default() -> Track<T> {
        Track { len: 0, groups: Arc::default() }
    }
}

impl<T: Copy> From<Vec<T>> for Track<T> {
    fn from(values: Vec<T>) -> Track<T> {
        let group = |values: &[T]| Arc::new(values.chunks(PIECE).map(Arc::from).collect());
        Track { len: values.len(), groups: Arc::new(values.chunks(PIECE * GROUP).map(group).collect()) }
    }
}

impl<T: Copy> FromIterator<T> for Track<T> {
    fn from_iter<I: IntoIterator<Item = T>>(values: I) -> Track<T> {
        values.into_iter().collect::<Vec<T>>().into()
    }
}

impl<T> Index<usize> for Track<T> {
    type Output = T;

    fn index(&self, i: usize) -> &T {
        &self.groups[i / (PIECE * GROUP)][i / PIECE % GROUP][i % PIECE]
    }
}

impl<T: PartialEq> PartialEq for Track<T> {
    fn eq(&self, other: &Track<T>) -> bool {
        self.len == other.len && self.unlike(other).next().is_none()
    }
}

impl<T> Track<T> {
    /// How many samples it has.
    pub fn len(&self) -> usize {
        self.len
    }

    pub fn is_empty(&self) -> bool {
        self.len == 0
    }

    pub fn iter(&self) -> impl DoubleEndedIterator<Item = &T> + Clone {
        self.groups.iter().flat_map(|g| g.iter()).flat_map(|p| p.iter())
    }

    /// Some of its samples, as they lie together.
    pub fn runs(&self, within: Range<usize>) -> impl Iterator<Item = &[T]> {
        let pieces = within.start / PIECE..within.end.div_ceil(PIECE);
        pieces.filter_map(move |k| {
            let piece = self.piece(k)?;
            let from = within.start.saturating_sub(k * PIECE);
            let to = (within.end - k * PIECE).min(piece.len());
            piece.get(from..to)
        })
    }

    /// Some of its samples, one after the other.
    pub fn within(&self, within: Range<usize>) -> impl Iterator<Item = &T> {
        self.runs(within).flatten()
    }

    /// About how much memory it takes if nothing of it is shared, bytes.
    pub fn bytes(&self) -> usize {
        self.len * size_of::<T>()
    }

    fn piece(&self, k: usize) -> Option<&Arc<[T]>> {
        self.groups.get(k / GROUP)?.get(k % GROUP)
    }
}

impl<T: PartialEq> Track<T> {
    /// The pieces that hold other values than those of another track; what is shared is not looked at.
    fn unlike(&self, other: &Track<T>) -> impl DoubleEndedIterator<Item = usize> {
        // A state that took over all of another has nothing to compare.
        let count = if Arc::ptr_eq(&self.groups, &other.groups) { 0 } else { self.groups.len() };
        let groups = self.groups[..count].iter().zip(other.groups.iter()).enumerate();
        let looked_at = groups.filter(|(_, (own, their))| !Arc::ptr_eq(own, their));
        let pieces = looked_at.flat_map(|(g, (own, their))| {
            let pairs = own.iter().zip(their.iter()).enumerate();
            pairs.map(move |(k, (own, their))| (g * GROUP + k, own, their))
        });
        pieces.filter(|(_, own, their)| !Arc::ptr_eq(own, their) && own[..] != their[..]).map(|(k, ..)| k)
    }
}

impl<T: Copy + PartialEq> Track<T> {
    /// The same value at so many samples.
    pub fn even(value: T, len: usize) -> Track<T> {
        let whole: Arc<[T]> = vec![value; PIECE.min(len)].into();
        let mut pieces = vec![whole; len / PIECE];
        if !len.is_multiple_of(PIECE) {
            pieces.push(vec![value; len % PIECE].into());
        }
        Track { len, groups: Arc::new(pieces.chunks(GROUP).map(|g| Arc::new(g.to_vec())).collect()) }
    }

    /// So many samples, as in another track but for some of them, or all, which are made one by one.
    pub fn made(
        len: usize,
        like: Option<(&Track<T>, Range<usize>)>,
        make: impl FnMut(usize) -> T,
    ) -> Track<T> {
        match like.filter(|(like, _)| like.len == len) {
            Some((like, within)) => like.with(&within, &within.clone().map(make).collect::<Vec<T>>()),
            None => (0..len).map(make).collect(),
        }
    }

    /// The same with `own` at some samples.
    #[must_use]
    pub fn with(&self, within: &Range<usize>, own: &[T]) -> Track<T> {
        let mut groups: Option<Vec<Group<T>>> = None;
        for k in within.start / PIECE..within.end.div_ceil(PIECE) {
            let (piece, first) = (&self.groups[k / GROUP][k % GROUP], k * PIECE);
            let (from, to) = (within.start.max(first), within.end.min(first + piece.len()));
            if from >= to {
                continue;
            }
            let (here, own) = (from - first..to - first, &own[from - within.start..to - within.start]);
            if piece[here.clone()] != *own {
                let mut changed = piece.to_vec();
                changed[here].copy_from_slice(own);
                let groups = groups.get_or_insert_with(|| Vec::clone(&self.groups));
                Arc::make_mut(&mut groups[k / GROUP])[k % GROUP] = changed.into();
            }
        }
        match groups {
            Some(groups) => Track { len: self.len, groups: Arc::new(groups) },
            None => self.clone(),
        }
    }

    /// [`Track::with`] of another track; without one, `own` is all of it.
    pub fn over(before: Option<&Track<T>>, within: &Range<usize>, own: Vec<T>) -> Track<T> {
        match before {
            Some(before) => before.with(within, &own),
            None => own.into(),
        }
    }

    /// Some of its samples, to be changed.
    pub fn part(&self, within: &Range<usize>) -> Vec<T> {
        let mut part = Vec::with_capacity(within.len());
        self.runs(within.clone()).for_each(|run| part.extend_from_slice(run));
        part
    }

    /// Its samples, to be changed.
    pub fn to_vec(&self) -> Vec<T> {
        self.part(&(0..self.len))
    }

    /// The samples in which it differs from another of its length, from the first to the last; all, if that has another.
    pub fn differs(&self, other: &Track<T>) -> Range<usize> {
        if self.len != other.len {
            return 0..self.len.max(other.len);
        }
        let mut pieces = self.unlike(other);
        let Some(first) = pieces.next() else { return 0..0 };
        let last = pieces.next_back().unwrap_or(first);
        let unlike = |k: usize| {
            let pair = self.piece(k).zip(other.piece(k));
            pair.map(|(own, their)| own.iter().zip(their.iter()).map(|(a, b)| a != b))
        };
        let start = unlike(first).and_then(|mut piece| piece.position(|differs| differs)).unwrap_or(0);
        let end = unlike(last).and_then(|mut piece| piece.rposition(|differs| differs)).unwrap_or(0) + 1;
        let (start, end) = (first * PIECE + start, last * PIECE + end);
        start..end
    }
}

impl Track {
    /// Its value at any time, read linearly between samples, the first and last value beyond its ends; 0 without any.
    pub fn read(&self, time: Seconds) -> f32 {
        between(time.0 * HZ, self.len, |i| self.get(i))
    }

    /// Its value at a sample, if it has so many.
    pub fn get(&self, i: usize) -> Option<f32> {
        self.piece(i / PIECE)?.get(i % PIECE).copied()
    }
}

/// A value at a place counted in samples, between them too, the first and last of so many beyond their ends; 0 without any.
pub(crate) fn between(at: f64, samples: usize, value: impl Fn(usize) -> Option<f32>) -> f32 {
    let at = at.clamp(0.0, samples.saturating_sub(1) as f64);
    let i = (at as usize).min(samples.saturating_sub(2));
    let a = value(i).unwrap_or(0.0);
    let b = value(i + 1).unwrap_or(a);
    a + (b - a) * (at - i as f64) as f32
}

#[cfg(test)]
mod tests {
    use super::*;
    use proptest::prelude::*;

    proptest! {
        /// A law: whatever is changed one after the other, a track is what a plain list is, and tells where two differ; and
        /// pieces without a change are those of before.
        #[test]
        fn a_track_is_a_list_that_shares(
            len in prop_oneof![0usize..5000, 40_000usize..45_000],
            changes in prop::collection::vec((0.0f64..1.0, 0usize..2500, -2i8..3), 0..6),
        ) {
            let first: Vec<f32> = (0..len).map(|i| (i % 7) as f32).collect();
            let (before, mut plain) = (Track::from(first.clone()), first.clone());
            let mut track = before.clone();
            for (at, long, value) in changes {
                let start = (at * len as f64) as usize;
                let within = start..(start + long).min(len);
                let own = vec![f32::from(value); within.len()];
                plain[within.clone()].copy_from_slice(&own);
                track = track.with(&within, &own);
                prop_assert_eq!(track.part(&within), own);
            }
            prop_assert_eq!(track.to_vec(), plain.clone());
            prop_assert_eq!(track.iter().copied().collect::<Vec<f32>>(), plain.clone());
            prop_assert_eq!(track.len(), plain.len());
            prop_assert!(plain.iter().enumerate().all(|(i, v)| track[i] == *v && track.get(i) == Some(*v)));
            prop_assert_eq!(track.get(len), None);
            let unlike = |i: &usize| plain[*i] != first[*i];
            let (from, to) = ((0..len).find(unlike), (0..len).rev().find(unlike));
            let differs = from.zip(to).map_or(0..0, |(from, to)| from..to + 1);
            prop_assert_eq!(track.differs(&before), differs.clone());
            prop_assert_eq!(track == before, differs.is_empty());
            let pieces = |track: &Track| track.groups.iter().flat_map(|g| g.iter().cloned()).collect::<Vec<Arc<[f32]>>>();
            for (k, (own, their)) in pieces(&track).iter().zip(pieces(&before).iter()).enumerate() {
                if (k * PIECE..((k + 1) * PIECE).min(len)).all(|i| !differs.contains(&i)) {
                    // Changed and changed back is a piece of its own, and the same.
                    prop_assert!(own[..] == their[..]);
                }
            }
            let anew = Track::made(len, Some((&before, differs.clone())), |i| plain[i]);
            prop_assert_eq!(&anew, &track);
            let shared = pieces(&anew).iter().zip(&pieces(&before)).filter(|(a, b)| Arc::ptr_eq(a, b)).count();
            prop_assert!(shared >= (differs.start / PIECE) + len.div_ceil(PIECE) - differs.end.max(differs.start).div_ceil(PIECE));
            prop_assert_eq!(Track::even(1.5, len).to_vec(), vec![1.5; len]);
        }
    }
}
