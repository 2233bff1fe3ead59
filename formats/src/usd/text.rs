//! Words and numbers of USD's text format, written as the reference library reads them.

use glam::DMat4;
use jam_score::free_name;
use std::collections::BTreeSet;
use std::fmt::Write;

/// A number with at most so many digits after the point, without the zeros at its end.
pub fn number(out: &mut String, value: f64, digits: u32) {
    let scale = 10i64.pow(digits);
    let scaled = (value * scale as f64).round();
    if scaled.is_nan() || scaled.abs() >= 9e15 {
        // Beyond whole numbers of a double; what is no number at all cannot be shown by any reader.
        let _ = write!(out, "{}", if value.is_finite() { value } else { 0.0 });
        return;
    }
    let scaled = scaled as i64;
    if scaled < 0 {
        out.push('-');
    }
    let (whole, mut rest) = (scaled.unsigned_abs() / scale as u64, scaled.unsigned_abs() % scale as u64);
    let _ = write!(out, "{whole}");
    if rest > 0 {
        let mut digits = digits as usize;
        while rest.is_multiple_of(10) {
            rest /= 10;
            digits -= 1;
        }
        let _ = write!(out, ".{rest:0digits$}");
    }
}

/// Numbers in round brackets.
pub fn tuple(out: &mut String, values: &[f64], digits: u32) {
    out.push('(');
    for (i, value) in values.iter().enumerate() {
        if i > 0 {
            out.push_str(", ");
        }
        number(out, *value, digits);
    }
    out.push(')');
}

/// Things between square brackets.
pub fn list<T>(out: &mut String, things: impl IntoIterator<Item = T>, mut each: impl FnMut(&mut String, T)) {
    out.push('[');
    for (i, thing) in things.into_iter().enumerate() {
        if i > 0 {
            out.push_str(", ");
        }
        each(out, thing);
    }
    out.push(']');
}

/// Whole numbers between square brackets.
pub fn counts(out: &mut String, values: impl IntoIterator<Item = usize>) {
    list(out, values, |out, v| {
        let _ = write!(out, "{v}");
    });
}

/// Points, directions or colours between square brackets.
pub fn rows<const N: usize>(out: &mut String, rows: impl IntoIterator<Item = [f32; N]>, digits: u32) {
    list(out, rows, |out, row| tuple(out, &row.map(f64::from), digits));
}

/// A matrix. USD multiplies rows from the left, so its rows are the columns of everyone else's.
pub fn matrix(out: &mut String, m: &DMat4) {
    out.push_str("( ");
    for (i, column) in m.to_cols_array_2d().iter().enumerate() {
        if i > 0 {
            out.push_str(", ");
        }
        let [a, b, c, d] = column.map(|x| if x == 0.0 { 0.0 } else { x });
        let _ = write!(out, "({a}, {b}, {c}, {d})");
    }
    out.push_str(" )");
}

/// A string with what could end it made harmless. What cannot stand in a text at all is left out.
pub fn quoted(text: &str) -> String {
    let mut out = String::from("\"");
    for c in text.chars() {
        match c {
            '"' | '\\' => out.extend(['\\', c]),
            '\n' => out.push_str("\\n"),
            c if c.is_control() => {}
            c => out.push(c),
        }
    }
    out.push('"');
    out
}

/// Texts between square brackets.
pub fn tokens<'a>(out: &mut String, texts: impl IntoIterator<Item = &'a str>) {
    list(out, texts, |out, text| out.push_str(&quoted(text)));
}

/// An asset's path between @; a path that holds one is put between three of them.
pub fn asset(path: &str) -> String {
    let path: String = path.chars().filter(|c| !c.is_control()).collect();
    if path.contains('@') { format!("@@@./{}@@@", path.replace("@@@", "@_@")) } else { format!("@./{path}@") }
}

/// A name of a prim: letters, digits and underscores, another one for each that asks.
pub fn prim(name: &str, taken: &mut BTreeSet<String>) -> String {
    let plain = |c: char| if c.is_ascii_alphanumeric() || c == '_' { c } else { '_' };
    let mut base: String = name.chars().map(plain).collect();
    if base.is_empty() || base.starts_with(|c: char| c.is_ascii_digit()) {
        base.insert(0, '_');
    }
    free_name(taken, |n| if n == 1 { base.clone() } else { format!("{base}_{n}") })
}

/// Digits after the point for lengths of things this large: a ten-millionth of them, and no more.
pub fn digits_for(extent: f32) -> u32 {
    let magnitude = f64::from(extent.max(1e-6)).log10().floor();
    (6.0 - magnitude).clamp(1.0, 9.0) as u32
}
