//! The search for bytes that break a reader, guided by which code they reach (libFuzzer). The reader's name stands in
//! `JAM_READER`.
#![no_main]
#![allow(clippy::unwrap_used, missing_docs)]

use jam_fuzz::Reader;
use std::sync::OnceLock;

fn reader() -> Reader {
    static READER: OnceLock<Reader> = OnceLock::new();
    *READER.get_or_init(|| {
        // A panic that a reader catches (decoders of others may trip) is no fault; the search would stop at any.
        drop(std::panic::take_hook());
        let name = std::env::var("JAM_READER").unwrap();
        Reader::ALL.into_iter().find(|r| r.name() == name).unwrap()
    })
}

libfuzzer_sys::fuzz_target!(|bytes: &[u8]| reader().take(bytes));
