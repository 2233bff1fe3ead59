//! Writes the head whose shapes other faces are given: `cargo run -p jam-demo --example build_template`.

fn main() -> std::io::Result<()> {
    let file = concat!(env!("CARGO_MANIFEST_DIR"), "/../core/shape/data/head.bin");
    let bytes = jam_demo::head::pattern().write();
    println!("{} bytes", bytes.len());
    std::fs::write(file, bytes)
}
