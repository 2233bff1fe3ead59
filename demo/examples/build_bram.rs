//! Builds Bram and writes him to the file that ships: `cargo run --release -p jam-demo --example build_bram`.

fn main() -> Result<(), Box<dyn std::error::Error>> {
    let path = std::path::Path::new(env!("CARGO_MANIFEST_DIR")).join("characters/bram.glb");
    let bytes = jam_demo::head::build()?;
    std::fs::write(&path, &bytes)?;
    println!("{} bytes to {}", bytes.len(), path.display());
    Ok(())
}
