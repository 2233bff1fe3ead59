//! The page is built into the program; when it changes, so must this crate.

fn main() {
    println!("cargo::rerun-if-changed=../web/dist");
}
