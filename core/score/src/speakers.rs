//! Who says what, where a text names it: `BRAM: Pull the shutters down. ODILE: Already?`

use std::ops::Range;

/// Most words of a name before a colon or on a line of its own.
const NAME_WORDS: usize = 4;

/// Whether somebody may be called so.
pub fn is_name(text: &str) -> bool {
    let letters = |c: char| c.is_alphanumeric() || " '’.-_&".contains(c);
    text.starts_with(char::is_alphabetic)
        && text.chars().all(letters)
        && text.split_whitespace().count() <= NAME_WORDS
}

/// Whether it is written in capitals throughout, as scripts write names.
pub fn is_in_capitals(text: &str) -> bool {
    !text.chars().any(char::is_lowercase) && text.chars().filter(|c| c.is_alphabetic()).count() > 1
}

/// What stands in round brackets is done, not said.
pub fn without_directions(line: &str) -> String {
    let mut depth = 0usize;
    let mut out = String::new();
    for c in line.chars() {
        match c {
            '(' => depth += 1,
            ')' if depth > 0 => depth -= 1,
            c if depth == 0 => out.push(c),
            _ => {}
        }
    }
    out.split_whitespace().collect::<Vec<_>>().join(" ")
}

/// A name in front of what is said; nobody says it.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Label {
    /// As it is written, without what is done there.
    pub who: String,
    /// Where it stands in the text with its colon, bytes.
    pub place: Range<usize>,
}

/// What somebody says of a text.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Speech<'t> {
    /// As it is written; none in front of the first name.
    pub who: Option<String>,
    pub text: &'t str,
}

/// What stands before a row's first colon, if that is followed by a space or nothing: where it begins and ends.
fn before_colon(text: &str, row: Range<usize>) -> Option<Range<usize>> {
    let own = &text[row.clone()];
    let colon = own.find(':').filter(|c| own[c + 1..].chars().next().is_none_or(char::is_whitespace))?;
    let start = own.len() - own.trim_start().len();
    (start < colon).then(|| row.start + start..row.start + colon)
}

/// Where the rows of a text lie that are not empty.
fn rows(text: &str) -> impl Iterator<Item = Range<usize>> {
    let all = text.split_inclusive('\n').scan(0, |at, row| {
        let start = std::mem::replace(at, *at + row.len());
        Some(start..*at)
    });
    all.filter(|row| !text[row.clone()].trim().is_empty())
}

/// Where a name in capitals begins that ends at `end`, in a row that begins at `row`: behind the end of a sentence.
fn capitals_before(text: &str, row: usize, end: usize) -> Option<usize> {
    let mut start = end;
    for _ in 0..NAME_WORDS {
        let before = text[row..start].trim_end();
        let word = before.rsplit(char::is_whitespace).next().unwrap_or_default();
        let plain = |c: char| c.is_alphanumeric() || "'’-_&".contains(c);
        if word.is_empty() || word.chars().any(char::is_lowercase) || !word.chars().all(plain) {
            break;
        }
        start = row + before.len() - word.len();
    }
    let ends = |c: char| ".!?…\"”’)]—–".contains(c);
    (start < end && text[row..start].trim_end().ends_with(ends)).then_some(start)
}

/// The names in a text, in order: in capitals in front of a colon where a row or a sentence begins, or in any letters
/// where each of several rows begins so. Other colons are colons.
pub fn labels(text: &str) -> Vec<Label> {
    if !text.contains(':') {
        return Vec::new();
    }
    let who = |place: &Range<usize>| without_directions(&text[place.clone()]);
    let heads: Vec<Option<Range<usize>>> =
        rows(text).map(|row| before_colon(text, row).filter(|head| is_name(&who(head)))).collect();
    let each_row = heads.len() > 1 && heads.iter().all(Option::is_some);
    let mut found = Vec::new();
    for (row, head) in rows(text).zip(heads) {
        let own = head.filter(|head| each_row || is_in_capitals(&who(head)));
        let from = own.as_ref().map_or(row.start, |head| head.end + 1);
        found.extend(own.map(|head| Label { who: who(&head), place: head.start..head.end + 1 }));
        for (at, _) in text[from..row.end].match_indices(':') {
            let end = from + at;
            let parted = text[end + 1..row.end].chars().next().is_none_or(char::is_whitespace);
            if let Some(start) = capitals_before(text, from, end).filter(|_| parted)
                && is_name(&text[start..end])
                && is_in_capitals(&text[start..end])
            {
                found.push(Label { who: text[start..end].to_string(), place: start..end + 1 });
            }
        }
    }
    found
}

/// Who says what in a text, in order. Speeches without a word in them are there, too.
///
/// ```
/// let both = jam_score::speeches("BRAM: Pull the shutters down. ODILE: Already?");
/// assert_eq!(both[1].who.as_deref(), Some("ODILE"));
/// assert_eq!(both[0].text, "Pull the shutters down.");
/// assert_eq!(jam_score::speeches("One thing: run.").len(), 1);
/// ```
pub fn speeches(text: &str) -> Vec<Speech<'_>> {
    let labels = labels(text);
    let first = labels.first().map_or(text.len(), |l| l.place.start);
    let ahead = Speech { who: None, text: text[..first].trim() };
    let ends = labels.iter().skip(1).map(|l| l.place.start).chain([text.len()]);
    let own = labels.iter().zip(ends);
    let own = own.map(|(l, end)| Speech { who: Some(l.who.clone()), text: text[l.place.end..end].trim() });
    Some(ahead).filter(|s| !s.text.is_empty()).into_iter().chain(own).collect()
}

/// The speakers that a text names, in the order they begin; nothing unless there are two speeches.
pub fn speakers(text: &str) -> Vec<String> {
    let said = speeches(text);
    let mut names: Vec<String> = Vec::new();
    for who in said.iter().filter_map(|s| s.who.clone()) {
        if !names.contains(&who) {
            names.push(who);
        }
    }
    if said.len() > 1 { names } else { Vec::new() }
}

#[cfg(test)]
mod tests {
    use super::speeches;

    fn of(text: &str) -> Vec<(String, &str)> {
        speeches(text).into_iter().map(|s| (s.who.unwrap_or_default(), s.text)).collect()
    }

    /// Source: the usual layouts of dialogue lists and screenplays, common practice; the lines are made up.
    #[test]
    fn names_in_front_of_what_is_said_are_found() {
        let said = |who: &str, text: &'static str| (who.to_string(), text);
        let two = [said("BRAM", "No. Not now."), said("ODILE", "When?")];
        assert_eq!(of("BRAM: No. Not now. ODILE: When?"), two);
        assert_eq!(of("BRAM: No. Not now.\nODILE: When?\n"), two);
        assert_eq!(of("BRAM (tired): No. Not now.\r\n\r\nODILE: When?"), two);
        assert_eq!(of("Bram: No.\nOld Wren: When?"), [said("Bram", "No."), said("Old Wren", "When?")]);
        assert_eq!(of("Who? OLD WREN: Me."), [said("", "Who?"), said("OLD WREN", "Me.")]);
        assert_eq!(
            of("BRAM: “No!” ODILE: [laughs] ÉMILE: Oh."),
            [said("BRAM", "“No!”"), said("ODILE", "[laughs]"), said("ÉMILE", "Oh.")]
        );
    }

    /// Colons that stand in what is said name nobody.
    #[test]
    fn other_colons_are_left_alone() {
        for text in [
            "Listen: run.",
            "I told the BBC: no.",
            "At 10:30 I left.",
            "Two things. First: run.",
            "Note: a\nb",
            "A: b",
        ] {
            assert_eq!(of(text), [(String::new(), text)], "{text}");
        }
    }
}
