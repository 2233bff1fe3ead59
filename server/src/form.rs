//! What comes in with a request, and work that must not hold up the others.

use crate::problem::{Answer, Problem};
use axum::extract::Multipart;
use std::collections::HashMap;
use std::sync::Arc;

/// The parts of an uploaded form.
pub struct Form {
    texts: HashMap<String, String>,
    files: Vec<(String, (String, Vec<u8>))>,
}

impl Form {
    pub async fn read(form: Multipart) -> Answer<Form> {
        Form::read_within(form, crate::MAX_UPLOAD).await
    }

    /// Reads a form of a route that takes so many bytes.
    pub async fn read_within(mut form: Multipart, most: usize) -> Answer<Form> {
        let broken = |e: axum::extract::multipart::MultipartError| {
            if e.status() == axum::http::StatusCode::PAYLOAD_TOO_LARGE {
                let limit = most >> 20;
                Problem::too_large(format!(
                    "The file is larger than {limit} MB; bring it in as shorter lines."
                ))
            } else {
                Problem::refused("file", "upload_broken", "The upload broke off; send the file again.")
            }
        };
        let mut read = Form { texts: HashMap::new(), files: Vec::new() };
        while let Some(field) = form.next_field().await.map_err(broken)? {
            let name = field.name().unwrap_or_default().to_string();
            match field.file_name().map(str::to_string) {
                Some(file) => {
                    let bytes = Vec::from(field.bytes().await.map_err(broken)?);
                    read.files.push((name, (file, bytes)));
                }
                None => {
                    let text = field.text().await.map_err(broken)?;
                    read.texts.insert(name, text);
                }
            }
        }
        Ok(read)
    }

    pub fn text(&self, name: &str) -> Option<&str> {
        self.texts.get(name).map(String::as_str)
    }

    /// File name and bytes; `missing` is the sentence for the user if there is none.
    pub fn file(&self, name: &'static str, missing: &'static str) -> Answer<(&str, &[u8])> {
        let found = self.files.iter().find(|(field, _)| field == name);
        let found = found.map(|(_, (file, bytes))| (file.as_str(), bytes.as_slice()));
        found.ok_or_else(|| Problem::refused(name, "file_missing", missing))
    }

    /// Takes a file's bytes out; `missing` is the sentence if there is none.
    pub fn take(&mut self, name: &'static str, missing: &'static str) -> Answer<Vec<u8>> {
        let found = self.files.iter().position(|(field, _)| field == name);
        let found = found.map(|place| self.files.swap_remove(place).1.1);
        found.ok_or_else(|| Problem::refused(name, "file_missing", missing))
    }

    /// All files of a name, as they came.
    pub fn all_files<'a>(&'a self, name: &'a str) -> impl Iterator<Item = (&'a str, &'a [u8])> {
        let own = self.files.iter().filter(move |(field, _)| field == name);
        own.map(|(_, (file, bytes))| (file.as_str(), bytes.as_slice()))
    }

    /// All files of a name, one at least.
    pub fn files(self, name: &'static str, missing: &'static str) -> Answer<Vec<(String, Vec<u8>)>> {
        let found: Vec<(String, Vec<u8>)> =
            self.files.into_iter().filter(|(field, _)| field == name).map(|(_, file)| file).collect();
        if found.is_empty() { Err(Problem::refused(name, "file_missing", missing)) } else { Ok(found) }
    }
}

/// [`blocking`] for work that is given up when whoever asked has left: it asks whether it is still wanted.
pub async fn while_wanted<T: Send + 'static>(
    work: impl FnOnce(&dyn Fn() -> bool) -> Answer<T> + Send + 'static,
) -> Answer<T> {
    // Dropped with the request.
    let asked = Arc::new(());
    let wanted = Arc::downgrade(&asked);
    let done = blocking(move || work(&|| wanted.strong_count() > 0)).await;
    drop(asked);
    done
}

/// Runs work that computes or reads the data file beside the others.
pub async fn blocking<T: Send + 'static>(work: impl FnOnce() -> Answer<T> + Send + 'static) -> Answer<T> {
    tokio::task::spawn_blocking(work).await.unwrap_or_else(|e| Err(Problem::unexpected(e)))
}
