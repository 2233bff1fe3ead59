//! Where what is tied to words and sounds goes when they change. What a thing is tied to it names by number; what is
//! still there needs nothing, what is gone leaves its things to its neighbours, or aside.

use crate::moment::Moment;
use crate::{Seconds, Timing};

/// The way from old times to new ones.
pub(crate) struct Carry<'t> {
    pub old: &'t Timing,
    pub new: &'t Timing,
}

impl Carry<'_> {
    pub fn has_sound(&self, sound: u32) -> bool {
        self.new.place(sound).is_some()
    }

    pub fn has_word(&self, word: u32) -> bool {
        self.new.word_place(word).is_some()
    }

    /// The word of an old sound, if it is still there.
    pub fn word_of(&self, sound: u32) -> Option<u32> {
        self.old.sound(sound).and_then(|s| self.old.word_of(s)).filter(|w| self.has_word(*w))
    }

    /// A moment's new place. One in a sound that is gone lies in proportion between what is left of its word, or
    /// where its pause was; none if the word is gone too.
    pub fn moment(&self, moment: Moment) -> Option<Moment> {
        if self.has_sound(moment.sound) {
            return Some(moment);
        }
        let place = self.old.place(moment.sound)?;
        let gone = &self.old.sounds[place];
        if gone.word.is_some() {
            self.word_of(moment.sound)?;
        }
        // The nearest on either side that are left; of a pause its neighbours, of a sound those of its word.
        let near = |s: &usize| gone.word.is_none() || self.old.sounds[*s].word == gone.word;
        let found = |s: usize| Some((s, self.new.place(self.old.sounds[s].id)?));
        let before = (0..place).rev().take_while(near).find_map(found);
        let after = (place + 1..self.old.sounds.len()).take_while(near).find_map(found);
        let word = self.word_of(moment.sound).and_then(|w| self.new.words.get(self.new.word_place(w)?));
        let old_word = gone.word.and_then(|w| self.old.words.get(w as usize));
        let from = before.map(|(o, n)| (self.old.sounds[o].span.end.0, self.new.sounds[n].span.end.0));
        let to = after.map(|(o, n)| (self.old.sounds[o].span.start.0, self.new.sounds[n].span.start.0));
        let starts = old_word.zip(word).map(|(o, n)| (o.span.start.0, n.span.start.0));
        let ends = old_word.zip(word).map(|(o, n)| (o.span.end.0, n.span.end.0));
        let (from, to) = (from.or(starts), to.or(ends));
        let ((a, b), (c, d)) = (from.or(to)?, to.or(from)?);
        let time = moment.time(self.old).0;
        let share = if c - a > 1e-9 { ((time - a) / (c - a)).clamp(0.0, 1.0) } else { 0.0 };
        Some(Moment::at(self.new, Seconds(b + (d - b) * share)))
    }
}
