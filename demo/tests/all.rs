//! All of the demo's tests as one program: it is linked once, and what several of them need is made once.

mod back;
#[path = "common/bare.rs"]
mod bare;
mod checked;
mod common;
mod delivered;
mod demo;
mod held;
mod live;
mod mesh;
mod scene;
mod seen;
mod shapes;
#[path = "../../core/shape/tests/targets/mod.rs"]
mod targets;
