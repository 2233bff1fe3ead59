//! The words of a text file: plain text, or subtitles (SubRip `.srt`, WebVTT `.vtt`) without their times.

use jam_score::{is_in_capitals, is_name, without_directions};

/// Longest file that is read; an hour of speech is far below it.
const MOST: usize = 4 << 20;

/// Why a text file was not taken.
#[derive(Debug, thiserror::Error)]
pub enum ScriptError {
    #[error("this file is {0} MB; a line's text is far shorter, so choose the text of this line alone")]
    TooLong(usize),
    #[error("this is no text file; save it as plain text (UTF-8) and bring it in again")]
    NotText,
}

/// What stands between pointed or curly brackets in subtitles: italics, places, who speaks.
fn without_marks(line: &str) -> String {
    let mut out = String::new();
    let mut inside = None;
    for c in line.chars() {
        match (inside, c) {
            (None, '<') => inside = Some('>'),
            (None, '{') => inside = Some('}'),
            (Some(end), c) if c == end => inside = None,
            (None, c) => out.push(c),
            _ => {}
        }
    }
    out
}

/// A file's text as it stands in it, in UTF-8 or in sixteen bits with a mark in front.
///
/// # Errors
/// It is too large, or no plain text.
pub fn plain(bytes: &[u8]) -> Result<String, ScriptError> {
    if bytes.len() > MOST {
        return Err(ScriptError::TooLong(bytes.len() >> 20));
    }
    let text = match bytes {
        [0xff, 0xfe, rest @ ..] => wide(rest, u16::from_le_bytes),
        [0xfe, 0xff, rest @ ..] => wide(rest, u16::from_be_bytes),
        _ => String::from_utf8(bytes.strip_prefix(b"\xef\xbb\xbf").unwrap_or(bytes).to_vec())
            .map_err(|_| ScriptError::NotText)?,
    };
    if text.contains('\0') {
        return Err(ScriptError::NotText);
    }
    Ok(text)
}

/// The words of a file.
///
/// # Errors
/// It is too large, or no plain text.
pub fn text_of(bytes: &[u8]) -> Result<String, ScriptError> {
    let text = plain(bytes)?;
    if !text.contains("-->") {
        return Ok(text.trim().to_string());
    }
    // Cues stand apart by empty lines; their words follow the line with the arrow. Blocks without one are
    // notes and styles.
    let text = text.replace("\r\n", "\n").replace('\r', "\n");
    let mut words: Vec<String> = Vec::new();
    for block in text.split("\n\n") {
        let mut lines = block.lines().skip_while(|l| !l.contains("-->"));
        if lines.next().is_some() {
            words.extend(lines.map(without_marks).map(|l| l.trim().to_string()).filter(|l| !l.is_empty()));
        }
    }
    Ok(words.join(" "))
}

/// A line of a script.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct ScriptLine {
    /// Who says it, as it is written there.
    pub who: Option<String>,
    pub text: String,
}

/// The number that a line of a script starts with (`12`, `12.`, `12)`, `12:`), taken away.
fn without_number(line: &str) -> Option<&str> {
    let rest = line.trim_start_matches(|c: char| c.is_ascii_digit());
    if rest.len() == line.len() {
        return None;
    }
    let marked = rest.trim_start_matches(['.', ')', ':']);
    let apart = marked.len() < rest.len() || marked.starts_with('\t');
    Some(marked.trim_start()).filter(|text| apart && !text.is_empty() && (marked.starts_with([' ', '\t'])))
}

/// The lines of a script: `NAME: text`, numbered ones, a name in capitals above what is said, or a line of the file
/// each. Where lines are named or numbered, those that are not go on with the one above them, up to an empty one.
pub fn lines_of(script: &str) -> Vec<ScriptLine> {
    let script = script.replace("\r\n", "\n").replace('\r', "\n");
    let named = |line: &str| {
        let (who, text) = line.split_once(':')?;
        let who = without_directions(who);
        is_name(&who).then(|| (who, text.trim().to_string()))
    };
    let capitals = |line: &str| {
        let who = without_directions(line);
        Some(who).filter(|who| is_in_capitals(who) && is_name(who) && !who.ends_with('.'))
    };
    let rows: Vec<&str> = script.lines().map(str::trim).collect();
    let alone = |k: usize| rows.get(k + 1).is_some_and(|next| !next.is_empty());
    let marked = rows.iter().enumerate().any(|(k, row)| {
        named(row).is_some() || without_number(row).is_some() || (capitals(row).is_some() && alone(k))
    });
    let mut out: Vec<ScriptLine> = Vec::new();
    let mut open = false;
    for (k, row) in rows.iter().enumerate() {
        if row.is_empty() {
            open = false;
            continue;
        }
        let number = without_number(row);
        let row = number.unwrap_or(row);
        let (who, text) = match named(row) {
            Some((who, text)) => (Some(who), text),
            None if marked && number.is_none() && alone(k) && capitals(row).is_some() => {
                (capitals(row), String::new())
            }
            None => (None, row.to_string()),
        };
        let text = without_directions(&text);
        match out.last_mut().filter(|_| marked && open && who.is_none() && number.is_none()) {
            Some(before) if !text.is_empty() => {
                before.text = format!("{} {text}", before.text).trim().to_string();
            }
            Some(_) => {}
            None => out.push(ScriptLine { who, text }),
        }
        open = true;
    }
    out.retain(|line| !line.text.is_empty());
    out
}

/// Text of sixteen bits a letter.
pub(crate) fn wide(bytes: &[u8], unit: fn([u8; 2]) -> u16) -> String {
    String::from_utf16_lossy(&bytes.chunks_exact(2).map(|b| unit([b[0], b[1]])).collect::<Vec<u16>>())
}

#[cfg(test)]
mod tests {
    use super::{ScriptError, lines_of, text_of};

    /// Sources: the example cues of the WebVTT specification (W3C, section 1), shortened, and SubRip's usual
    /// layout, from memory.
    #[test]
    fn subtitles_give_their_words_without_times_and_marks() {
        let vtt = "WEBVTT\n\nNOTE one\n\n1\n00:11.000 --> 00:13.000 align:start\n<v Roger Bingham>We are in New York City\n\n00:13.000 --> 00:16.000\n<i>We're actually</i> here\n";
        assert_eq!(text_of(vtt.as_bytes()).unwrap(), "We are in New York City We're actually here");
        let srt = "1\r\n00:00:01,000 --> 00:00:02,500\r\n{\\an8}Pull the\r\nshutters down.\r\n\r\n2\r\n00:00:03,000 --> 00:00:04,000\r\nNow.\r\n";
        assert_eq!(text_of(srt.as_bytes()).unwrap(), "Pull the shutters down. Now.");
        assert_eq!(text_of("\u{feff} Café. \n".as_bytes()).unwrap(), "Café.");
        assert!(matches!(text_of(b"RIFF\0\0\0\0"), Err(ScriptError::NotText)));
        assert!(matches!(text_of(&[0x80, 0x81]), Err(ScriptError::NotText)));
    }

    /// Source: the usual layouts of dialogue lists and screenplays, common practice; the lines are made up.
    #[test]
    fn a_script_gives_its_lines_with_who_says_them() {
        let of = |script: &str| -> Vec<(String, String)> {
            lines_of(script).into_iter().map(|l| (l.who.unwrap_or_default(), l.text)).collect()
        };
        let line = |who: &str, text: &str| (who.to_string(), text.to_string());
        assert_eq!(
            of(
                "BRAM: Pull the shutters down.\r\nOld Wren (softly): Why: it is\r\n  only fog.\r\n\r\n(They wait.)\r\n"
            ),
            [line("BRAM", "Pull the shutters down."), line("Old Wren", "Why: it is only fog.")]
        );
        assert_eq!(
            of("1. Nothing moves.\n2) BRAM: Twelve boats,\nand none.\n3\tListen.\n"),
            [line("", "Nothing moves."), line("BRAM", "Twelve boats, and none."), line("", "Listen.")]
        );
        assert_eq!(
            of("INT. HARBOUR\n\nBRAM\n(whispers)\nWho is there?\nSay it.\n\nODILE\nNo one.\n"),
            [line("", "INT. HARBOUR"), line("BRAM", "Who is there? Say it."), line("ODILE", "No one.")]
        );
        assert_eq!(of("12 boats went out.\nNone came back.\n").len(), 2);
    }
}
