//! The words of a text file: plain text, or subtitles (SubRip `.srt`, WebVTT `.vtt`) without their times.

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

/// The words of a file.
///
/// # Errors
/// It is too large, or no plain text.
pub fn text_of(bytes: &[u8]) -> Result<String, ScriptError> {
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

/// Text of sixteen bits a letter.
pub(crate) fn wide(bytes: &[u8], unit: fn([u8; 2]) -> u16) -> String {
    String::from_utf16_lossy(&bytes.chunks_exact(2).map(|b| unit([b[0], b[1]])).collect::<Vec<u16>>())
}

#[cfg(test)]
mod tests {
    use super::{ScriptError, text_of};

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
}
