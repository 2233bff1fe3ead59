//! A row that states of a line share until one of them changes it.

use serde::{Deserialize, Deserializer, Serialize, Serializer};
use std::ops::{Deref, DerefMut};
use std::sync::Arc;

/// See the head of this file. A copy costs nothing; to change one makes it a row of its own, and is for what does change.
#[derive(Debug, Clone)]
pub struct Row<T>(Arc<Vec<T>>);

impl<T> Row<T> {
    /// Whether two are one in memory: then they are the same without a look at them.
    pub fn is_shared(&self, other: &Row<T>) -> bool {
        Arc::ptr_eq(&self.0, &other.0)
    }
}

impl<T: Clone> Row<T> {
    /// The item at a place, to be changed, if it is to be: else the row stays shared.
    pub fn get_mut_if(&mut self, place: usize, changes: impl FnOnce(&T) -> bool) -> Option<&mut T> {
        if changes(self.get(place)?) { self.get_mut(place) } else { None }
    }

    /// Those items that are to be changed; if there are none, the row stays shared.
    pub fn those(&mut self, changes: impl Fn(&T) -> bool) -> impl Iterator<Item = &mut T> {
        let first = self.iter().position(&changes);
        let rest = first.map(|first| self[first..].iter_mut());
        rest.into_iter().flatten().filter(move |item| changes(item))
    }
}

impl<T> Default for Row<T> {
    fn default() -> Row<T> {
        Row(Arc::default())
    }
}

impl<T> Deref for Row<T> {
    type Target = Vec<T>;

    fn deref(&self) -> &Vec<T> {
        &self.0
    }
}

impl<T: Clone> DerefMut for Row<T> {
    fn deref_mut(&mut self) -> &mut Vec<T> {
        Arc::make_mut(&mut self.0)
    }
}

impl<T: PartialEq> PartialEq for Row<T> {
    fn eq(&self, other: &Row<T>) -> bool {
        self.is_shared(other) || self.0 == other.0
    }
}

impl<T> From<Vec<T>> for Row<T> {
    fn from(items: Vec<T>) -> Row<T> {
        Row(Arc::new(items))
    }
}

impl<T> FromIterator<T> for Row<T> {
    fn from_iter<I: IntoIterator<Item = T>>(items: I) -> Row<T> {
        items.into_iter().collect::<Vec<T>>().into()
    }
}

impl<'a, T> IntoIterator for &'a Row<T> {
    type Item = &'a T;
    type IntoIter = std::slice::Iter<'a, T>;

    fn into_iter(self) -> Self::IntoIter {
        self.0.iter()
    }
}

impl<'a, T: Clone> IntoIterator for &'a mut Row<T> {
    type Item = &'a mut T;
    type IntoIter = std::slice::IterMut<'a, T>;

    fn into_iter(self) -> Self::IntoIter {
        self.iter_mut()
    }
}

impl<T: Clone> IntoIterator for Row<T> {
    type Item = T;
    type IntoIter = std::vec::IntoIter<T>;

    fn into_iter(self) -> Self::IntoIter {
        Arc::unwrap_or_clone(self.0).into_iter()
    }
}

impl<T: Serialize> Serialize for Row<T> {
    fn serialize<S: Serializer>(&self, serializer: S) -> Result<S::Ok, S::Error> {
        self.0.serialize(serializer)
    }
}

impl<'de, T: Deserialize<'de>> Deserialize<'de> for Row<T> {
    fn deserialize<D: Deserializer<'de>>(deserializer: D) -> Result<Row<T>, D::Error> {
        Vec::deserialize(deserializer).map(Row::from)
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn a_row_stays_shared_until_something_in_it_changes() {
        let before = Row::from(vec![1, 2, 3, 2]);
        let mut row = before.clone();
        assert!(row.get_mut_if(1, |n| *n > 2).is_none() && row.get_mut_if(9, |_| true).is_none());
        assert_eq!(row.those(|n| *n > 3).count(), 0);
        assert!(row.is_shared(&before));
        row.those(|n| *n == 2).for_each(|n| *n = 7);
        assert_eq!((&row[..], &before[..]), (&[1, 7, 3, 7][..], &[1, 2, 3, 2][..]));
        if let Some(n) = row.get_mut_if(0, |n| *n == 1) {
            *n = 2;
        }
        assert!(row[0] == 2 && !row.is_shared(&before) && row != before);
    }
}
