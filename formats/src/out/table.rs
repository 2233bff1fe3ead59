//! Tables as CSV (RFC 4180): commas, CRLF, UTF-8 without a mark, quotes doubled.

/// A table's rows as text.
///
/// # Errors
/// Rows are not equally long.
pub fn csv<R, C>(rows: impl IntoIterator<Item = R>) -> Result<String, csv::Error>
where
    R: IntoIterator<Item = C>,
    C: AsRef<[u8]>,
{
    let mut writer = csv::WriterBuilder::new().terminator(csv::Terminator::CRLF).from_writer(Vec::new());
    for row in rows {
        writer.write_record(row)?;
    }
    let bytes = writer.into_inner().map_err(|e| csv::Error::from(e.into_error()))?;
    // Only text went in.
    Ok(String::from_utf8_lossy(&bytes).into_owned())
}

/// A value with five digits after the point, without the zeros at its end.
pub fn value(value: f32) -> String {
    // Adding 0 makes a negative zero a plain one.
    (((f64::from(value) * 1e5).round() + 0.0) / 1e5).to_string()
}
