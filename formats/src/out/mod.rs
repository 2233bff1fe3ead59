//! The smaller files that go out beside a character: tables, sheets, words, head motion, sound, an order of shots.

pub mod capture;
pub mod columns;
pub mod hand;
pub mod head;
pub mod sheet;
pub mod subtitles;
pub mod table;
pub mod timeline;
pub mod wave;

use percent_encoding::{AsciiSet, NON_ALPHANUMERIC, utf8_percent_encode};

/// What stays as it is in a relative address.
const KEPT: &AsciiSet = &NON_ALPHANUMERIC.remove(b'-').remove(b'_').remove(b'.').remove(b'~').remove(b'/');

/// A relative path as an address: what could end it or lead elsewhere is written by its number.
pub fn address(path: &str) -> String {
    utf8_percent_encode(path, KEPT).to_string()
}

/// Text with what HTML and XML take for their own made harmless.
pub fn escaped(text: &str) -> String {
    let mut out = String::with_capacity(text.len());
    for c in text.chars() {
        match c {
            '&' => out.push_str("&amp;"),
            '<' => out.push_str("&lt;"),
            '>' => out.push_str("&gt;"),
            '"' => out.push_str("&quot;"),
            c => out.push(c),
        }
    }
    out
}
