//! All of the tests of the page as one program, which is linked once.

mod access;
#[path = "../../demo/tests/common/bare.rs"]
mod bare;
mod choosing;
mod deliver;
mod film;
mod many;
mod page;
#[path = "../../demo/tests/common/plain.rs"]
mod plain;
mod room;
mod scene;
mod sculpt;
mod sending;
mod shapes;
#[path = "../../core/shape/tests/targets/mod.rs"]
mod targets;
