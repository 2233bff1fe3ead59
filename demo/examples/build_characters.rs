//! Builds the characters and writes them to the files that ship:
//! `cargo run --release -p jam-demo --example build_characters`.

fn main() -> Result<(), Box<dyn std::error::Error>> {
    let folder = std::path::Path::new(env!("CARGO_MANIFEST_DIR")).join("characters");
    for (name, bytes) in [
        ("bram", jam_demo::head::build()?),
        ("odile", jam_demo::odile::build()),
        ("bell", jam_demo::bell::build()),
        ("wren", jam_demo::wren::plain_head()),
    ] {
        let path = folder.join(name).with_extension("glb");
        std::fs::write(&path, &bytes)?;
        println!("{} bytes to {}", bytes.len(), path.display());
    }
    Ok(())
}
