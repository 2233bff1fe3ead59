//! What a browser keeps as a file.

/// The header that says so, with the file's name: the end of its path, in letters that every client takes.
pub fn attachment(name: &str) -> String {
    let plain: String = name
        .rsplit('/')
        .next()
        .unwrap_or(name)
        .chars()
        .map(|c| if c.is_ascii_graphic() && c != '"' && c != '\\' || c == ' ' { c } else { '_' })
        .collect();
    format!("attachment; filename=\"{plain}\"")
}
