//! Numbers of words, sounds, touches and everything else in a line that can be named. A number is given once in a
//! line and never again, also not after undo, so that whoever names a thing names that thing or nothing.

/// Gives numbers that were never given before in a line. How far it got is kept beside the line, not in it: undo
/// takes the line back, never this.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub struct Ids(u32);

impl Ids {
    /// Of a new line, whose marks have the first numbers.
    pub const NEW_LINE: Ids = Ids(6);

    /// Goes on from the next number, as it was kept.
    pub fn from(next: u32) -> Ids {
        Ids(next)
    }

    /// The next number, which is given by that.
    pub fn give(&mut self) -> u32 {
        self.0 += 1;
        self.0 - 1
    }

    /// The number that would be given next.
    pub fn next(self) -> u32 {
        self.0
    }
}

/// A thing of a line that has a number.
pub trait Numbered {
    fn id(&self) -> u32;
}

/// The place of a number among things. Things are numbered in the order they were made, which is nearly the order they
/// lie in, so the search goes outward from where the number would be if it were.
pub fn place<T: Numbered>(things: &[T], id: u32) -> Option<usize> {
    let first = things.first()?.id();
    let guess = (id.saturating_sub(first) as usize).min(things.len() - 1);
    (0..things.len()).find_map(|off| {
        let is = |i: usize| things.get(i).is_some_and(|t| t.id() == id).then_some(i);
        is(guess + off).or_else(|| is(guess.checked_sub(off)?))
    })
}
