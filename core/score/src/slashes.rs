//! Sounds that stand between slashes in a text, behind the word that is said so: `Odile /oʊˈdil/`.

/// Where the slash stands that ends sounds which begin with the slash at `start`; none if that one only parts words.
pub fn sounds_end(text: &str, start: usize) -> Option<usize> {
    let parted = text[..start].chars().next_back().is_none_or(char::is_whitespace);
    let inside = text[start + 1..].split_once('/')?.0;
    let ended = text[start + 2 + inside.len()..].chars().next().is_none_or(|c| !c.is_alphanumeric());
    let some = !inside.is_empty() && !inside.starts_with(char::is_whitespace) && !inside.contains('\n');
    (parted && ended && some).then_some(start + 1 + inside.len())
}

/// The text to be read by people: without the sounds that stand behind a word. Sounds that are a word of their own stay.
///
/// ```
/// assert_eq!(jam_score::without_sounds("Down, Odile /oʊˈdil/, or /həˈloʊ/."), "Down, Odile, or.");
/// assert_eq!(jam_score::without_sounds("/həˈloʊ/ and/or 5 km/h"), "/həˈloʊ/ and/or 5 km/h");
/// ```
pub fn without_sounds(text: &str) -> String {
    let mut out = String::with_capacity(text.len());
    let mut skip_to = 0;
    for (at, c) in text.char_indices().filter(|(_, c)| *c == '/') {
        if at < skip_to {
            continue;
        }
        let Some(end) = sounds_end(text, at) else { continue };
        let before = text[..at].trim_end();
        if before.ends_with(|c: char| c.is_alphanumeric() || c == '\'' || c == '’') {
            out.push_str(&text[skip_to..before.len().max(skip_to)]);
            skip_to = end + c.len_utf8();
        }
    }
    out.push_str(&text[skip_to..]);
    out
}
