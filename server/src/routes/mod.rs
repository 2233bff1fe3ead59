//! What can be asked, by concern.

pub mod along;
pub mod cast;
pub mod deliveries;
pub mod film;
pub mod hand;
pub mod jobs;
pub mod layers;
pub mod lines;
pub mod live;
pub mod many;
pub mod motion;
pub mod production;
pub mod scenes;
pub mod sculpt;
pub mod sending;
pub mod shapes;
pub mod speech;
pub mod v1;
