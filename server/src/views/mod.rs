//! Lines as pages see them.

pub mod hand;
pub mod layers;
pub mod line;
pub mod takes;
pub mod times;
