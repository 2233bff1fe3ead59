//! What is said but not written, and what is written but not said. A text is laid on a recording as if it were all that is
//! said; where a word was left out of it, its neighbours are stretched over what is said there or it lies in a pause, and
//! a word too many is squeezed in. Both show in how badly sounds fit. There the words around are laid again: with any
//! sounds at all between two of them, and without one of them. What is likelier by far is so.
//!
//! A word that was said as another one is neither: any sounds in its place are likelier still. It stays, doubtful.

use crate::align::{self, ANY, AlignError, Around, Laid, Path, Pronunciation};
use crate::model::AcousticModel;
use crate::scorer::Stretch;
use std::ops::Range;

/// How much likelier, nats, any sounds must be where they are likelier than what the text has, in all of the two words and
/// the pause at a place, before it is looked at closely.
const ODD: f32 = 50.0;
/// Mean log posterior of a word's sounds below which it is looked whether it is said at all.
const WEAK_WORD: f32 = -3.0;
/// How much likelier, nats, the text must be with any sounds between two words, and without one of its words. Read off
/// synthesised sentences, every other one of 96: whole they gain 44 at most with sounds more, but for one that gains 68,
/// and lose 18 at least with a word less; in noise they gain up to 62. Words of a quarter of a second and more that were left out give 105 and more,
/// all but two; of words too many nine of ten give 100 and more.
const MORE: f32 = 75.0;
const LESS: f32 = 65.0;
/// How much likelier any sounds in a word's place may be than no word there: more, and another word is said there.
const OTHER: f32 = 60.0;
/// Places whose gains differ by no more, nats, are about as likely.
const ALIKE: f32 = 60.0;
/// Words on either side that are laid again, at a first look and to find the very place.
const BESIDE: usize = 2;
const AROUND: usize = 4;
/// Mean log posterior of a word below which it does not fit where it lies.
const MISPLACED: f32 = -4.5;
/// The shortest that can be something said, frames, and how much of it must have a voice.
const SHORTEST: usize = 12;
const VOICED: usize = 6;
const VOICED_SHARE: f32 = 0.25;
/// Frames on either side of where it was found that it may still take when all is laid anew.
const SLACK: usize = 20;

/// Where text and recording differ.
#[derive(Debug, Clone, PartialEq, Eq)]
pub(crate) enum Differs {
    /// Something is said before this item, or after the last, nowhere but in these frames.
    More(usize, Range<usize>),
    /// This item is not said.
    Less(usize),
}

/// An item that was laid: its number, the way it is said, its frames and how well it fits.
struct Row {
    item: usize,
    way: Pronunciation,
    frames: Range<usize>,
    mean: f32,
}

/// Looks at a path again.
pub(crate) struct Again<'a, 's> {
    pub model: &'a AcousticModel,
    pub scores: Stretch<'s>,
    /// The ways to say each item.
    pub ways: &'a [Vec<Pronunciation>],
    pub path: &'a Path,
    /// Whether an item is a word.
    pub is_word: &'a dyn Fn(usize) -> bool,
    /// How many of some frames have a voice.
    pub voiced: &'a dyn Fn(Range<usize>) -> usize,
    /// Stops the work by answering `false`.
    pub watch: &'a dyn Fn() -> bool,
}

impl<'s> Again<'_, 's> {
    /// Where text and recording differ, at most one in each neighbourhood, in order. What there is beside it shows when the
    /// text is laid anew.
    ///
    /// # Errors
    /// It was stopped.
    pub fn differences(&self) -> Result<Vec<Differs>, AlignError> {
        let rows = self.rows();
        let mut found: Vec<(usize, Differs)> = Vec::new();
        for place in 0..=rows.len() {
            let near = found.last().is_some_and(|(at, _)| place <= at + AROUND);
            if near || !self.is_odd(&rows, place) {
                continue;
            }
            if !(self.watch)() {
                return Err(AlignError::Cancelled);
            }
            if !self.may_differ(&rows, place) {
                continue;
            }
            if let Some(differs) = self.best(&rows, place) {
                let at = rows.iter().position(|r| r.item >= differs.item()).unwrap_or(rows.len());
                if found.last().is_none_or(|(before, _)| at > before + AROUND) {
                    found.push((at, differs));
                }
            }
        }
        Ok(found.into_iter().map(|(_, differs)| differs).collect())
    }

    fn rows(&self) -> Vec<Row> {
        let row = |laid: Laid| {
            let way = self.ways[laid.word][laid.pronunciation].clone();
            Row { item: laid.word, way, frames: laid.frames, mean: laid.posterior }
        };
        self.path.words().map(row).collect()
    }

    fn is_word(&self, row: &Row) -> bool {
        (self.is_word)(row.item)
    }

    /// Whether other sounds would fit better at a place, in the words beside it or the pause between them.
    fn is_odd(&self, rows: &[Row], place: usize) -> bool {
        let from = place.checked_sub(1).map_or(0, |p| rows[p].frames.start);
        let to = rows.get(place).map_or(self.path.lacks.len(), |r| r.frames.end);
        self.path.lacks.get(from..to).is_some_and(|lacks| lacks.iter().sum::<f32>() >= ODD)
    }

    /// Whether sounds more may stand at a place: not beside noises, and not where there are some already.
    fn is_open(&self, rows: &[Row], place: usize) -> bool {
        let beside = &rows[place.saturating_sub(1)..(place + 1).min(rows.len())];
        beside.iter().all(|r| self.is_word(r))
    }

    /// A first look, at a few words around.
    fn may_differ(&self, rows: &[Row], place: usize) -> bool {
        let near = Near::new(self, rows, place, BESIDE);
        let Some(now) = near.score(&near.rows()) else { return false };
        let more = || self.is_open(rows, place) && near.with_any(place).is_some_and(|s| s - now > MORE * 0.5);
        let less = || {
            let weak = |r: &&Row| self.is_word(r) && r.mean < WEAK_WORD;
            rows.get(place).filter(weak).is_some()
                && near.without(place).is_some_and(|s| s - now > LESS * 0.5)
        };
        more() || less()
    }

    /// The likeliest of all that may differ around a place.
    fn best(&self, rows: &[Row], place: usize) -> Option<Differs> {
        let near = Near::new(self, rows, place, 2 * AROUND);
        let now = near.score(&near.rows())?;
        let places = place.saturating_sub(AROUND)..=(place + AROUND).min(rows.len());
        // Beside what is said but not written a word is said as another one.
        let words =
            places.clone().filter(|w| *w < rows.len() && self.is_open(rows, *w) && self.is_open(rows, w + 1));
        let best = |all: Vec<(f32, usize)>| all.into_iter().max_by(|a, b| a.0.total_cmp(&b.0));
        let gain = |score: Option<f32>, at: usize| Some((score? - now, at));
        let open = places.clone().filter(|p| self.is_open(rows, *p));
        let more: Vec<(f32, usize)> = open.filter_map(|p| gain(near.with_any(p), p)).collect();
        let most = best(more.clone()).filter(|(gain, place)| *gain > MORE && near.takes(*place).is_some());
        // Of places that are about as likely the one where words take the most of it.
        let alike = more.iter().filter(|m| most.is_some_and(|most| m.0 >= most.0 - ALIKE));
        let more = alike.filter_map(|m| Some((near.takes(m.1)?, *m))).min_by_key(|(frames, _)| frames.len());
        let less = best(words.filter_map(|w| gain(near.without(w), w)).collect());
        let other = |w: usize| near.any_for(w).map_or(f32::MIN, |score| score - now);
        let less = less.filter(|(gain, word)| *gain > LESS && other(*word) - gain < OTHER);
        match (more, less) {
            (Some((frames, more)), less) if less.is_none_or(|l| more.0 > l.0) => {
                let item = rows.get(more.1).map_or(self.ways.len(), |r| r.item);
                Some(Differs::More(item, frames.start.saturating_sub(SLACK)..frames.end + SLACK))
            }
            (_, Some((_, word))) => Some(Differs::Less(rows[word].item)),
            _ => None,
        }
    }
}

impl Differs {
    pub fn item(&self) -> usize {
        match self {
            Differs::More(item, _) | Differs::Less(item) => *item,
        }
    }
}

/// Some items around a place, to be laid again on their own frames.
struct Near<'a, 's> {
    again: &'a Again<'a, 's>,
    all: &'a [Row],
    first: usize,
    last: usize,
    from: usize,
    scores: Stretch<'s>,
}

impl<'a, 's> Near<'a, 's> {
    fn new(again: &'a Again<'a, 's>, all: &'a [Row], place: usize, beside: usize) -> Near<'a, 's> {
        let (first, last) = (place.saturating_sub(beside), (place + beside).min(all.len()));
        let from = if first == 0 { 0 } else { all[first].frames.start };
        let to = if last == all.len() { again.scores.len() } else { all[last].frames.start };
        Near { again, all, first, last, from, scores: again.scores.part(from..to) }
    }

    fn rows(&self) -> Vec<Pronunciation> {
        self.all[self.first..self.last].iter().map(|r| r.way.clone()).collect()
    }

    fn lay(&self, ways: &[Pronunciation]) -> Option<Path> {
        let ways: Vec<Vec<Pronunciation>> = ways.iter().map(|w| vec![w.clone()]).collect();
        align::align(self.again.model, self.scores, &ways, Around::default(), &|_| true).ok()
    }

    fn score(&self, ways: &[Pronunciation]) -> Option<f32> {
        self.lay(ways).map(|path| path.score)
    }

    fn more(&self, place: usize) -> Vec<Pronunciation> {
        let mut ways = self.rows();
        ways.insert((place - self.first).min(ways.len()), vec![ANY]);
        ways
    }

    fn with_any(&self, place: usize) -> Option<f32> {
        self.score(&self.more(place))
    }

    /// The frames that any sounds take at a place; none if they are too short, have no voice, or push a word aside that was
    /// said otherwise than it is written.
    fn takes(&self, place: usize) -> Option<Range<usize>> {
        let own = place - self.first;
        let mut path = self.lay(&self.more(place))?;
        path.look(self.scores);
        let laid = |word: usize| path.words().find(|laid| laid.word == word);
        let fits = |word: usize| laid(word).is_none_or(|laid| laid.posterior > MISPLACED);
        let any = laid(own)?.frames;
        let any = any.start + self.from..any.end + self.from;
        let voiced = (self.again.voiced)(any.clone());
        let said =
            any.len() >= SHORTEST && voiced >= VOICED && voiced as f32 >= VOICED_SHARE * any.len() as f32;
        (said && own.checked_sub(1).is_none_or(fits) && fits(own + 1)).then_some(any)
    }

    fn without(&self, row: usize) -> Option<f32> {
        let mut ways = self.rows();
        ways.remove(row - self.first);
        self.score(&ways)
    }

    fn any_for(&self, row: usize) -> Option<f32> {
        let mut ways = self.rows();
        ways[row - self.first] = vec![ANY];
        self.score(&ways)
    }
}
