//! All of the server's tests as one program, which is linked once.

mod along;
mod apart;
mod api;
mod description;
mod idle;
mod languages;
mod laws;
mod many;
mod sending;
mod v1;
