//! Writes exports of any size: `cargo run --release -p pebblebank-demo --example large_exports -- ROWS FOLDER`.

use std::path::Path;

fn main() -> std::io::Result<()> {
    let arguments: Vec<String> = std::env::args().skip(1).collect();
    let [rows, folder] = arguments.as_slice() else {
        eprintln!("give the number of rows and a folder");
        std::process::exit(2);
    };
    let rows = rows.replace('_', "").parse().map_err(|_| std::io::Error::other("the number of rows is no number"))?;
    pebblebank_demo::large::write(Path::new(folder), rows, 1)
}
