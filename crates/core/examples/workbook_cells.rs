//! The yardstick for workbooks: gives every cell of the first sheet of an XLSX file and does nothing with it.
//!
//! `cargo run --release --example workbook_cells -- FILE.xlsx`, to be timed beside `survey` and `run` on the same file.

use calamine::{Reader, Xlsx, open_workbook};
use std::error::Error;
use std::fs::File;
use std::io::BufReader;

fn main() -> Result<(), Box<dyn Error>> {
    let path = std::env::args_os().nth(1).ok_or("name a workbook")?;
    let mut book: Xlsx<BufReader<File>> = open_workbook(path)?;
    let sheet = book.sheet_names().into_iter().next().ok_or("no sheet")?;
    let mut cells = book.worksheet_cells_reader(&sheet)?;
    let mut count = 0u64;
    while cells.next_cell()?.is_some() {
        count += 1;
    }
    println!("{count} cells");
    Ok(())
}
