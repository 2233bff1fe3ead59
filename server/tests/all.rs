//! All of the server's tests as one program: it is linked once, and what several of them need is made once.

mod api;
mod description;
mod laws;
