//! `pebblebank demo [DIR]`: write the demo data and run the full example on it.

use crate::arguments::{Demo, Shared};
use crate::commands::run::do_job;
use crate::finish::Said;
use crate::setting::Now;
use pebblebank_core::{Error, ErrorKind, Result, job};
use std::path::Path;

/// Writes the demo data and does its job.
pub fn demo(command: &Demo, shared: &Shared) -> Result<Said> {
    let folder = &command.folder;
    refuse_foreign_folder(folder)?;
    let files = pebblebank_demo::write(folder).map_err(|cause| Error::unwritable(folder, &cause))?;
    let now = Now::read();
    let path = folder.join(pebblebank_demo::JOB_FILE);
    let mut job = job::file::read(&path, &now.today)?;
    job.replace = true;
    let mut said = do_job(&job, false, shared, &now, "")?;
    if !shared.json && !shared.quiet {
        said.text = format!("{}\n{}{}", introduction(folder, &files), said.text, farewell(folder));
    }
    Ok(said)
}

/// A folder that holds something else than an earlier demo is left alone.
fn refuse_foreign_folder(folder: &Path) -> Result<()> {
    let Ok(mut entries) = std::fs::read_dir(folder) else { return Ok(()) };
    if entries.next().is_none() || folder.join(pebblebank_demo::JOB_FILE).exists() {
        return Ok(());
    }
    Err(Error::new(
        ErrorKind::Output,
        "this folder holds files that are not the demo's, so nothing was written into it",
        "name a new folder: pebblebank demo my-demo",
    )
    .in_file(folder))
}

fn introduction(folder: &Path, files: &[pebblebank_demo::Written]) -> String {
    let mut text = format!(
        "The demo: Larkfold Garden invites its friends to the spring fair.\nMade-up data in {}:\n\n",
        folder.display()
    );
    let (formats, others): (Vec<_>, Vec<_>) = files.iter().partition(|file| file.name.starts_with("formats/"));
    for file in others {
        text.push_str(&format!("  {:<34} {}\n", file.name, file.what));
    }
    text.push_str(&format!("  {:<34} {} files in other formats, beside the job\n", "formats/*", formats.len()));
    text.push_str(&format!("\nNow: pebblebank run {}\n", folder.join(pebblebank_demo::JOB_FILE).display()));
    text
}

fn farewell(folder: &Path) -> String {
    let job = folder.join(pebblebank_demo::JOB_FILE);
    format!(
        "\nTry next: open {job}, change something, and\n  pebblebank run {job} --dry-run\nor look at what else arrives:\n  pebblebank survey '{formats}'\nor hold two exports against each other:\n  pebblebank compare {walks} {cards}\n",
        job = job.display(),
        formats = folder.join("formats/*").display(),
        walks = folder.join("exports/guided-walks.csv").display(),
        cards = folder.join("exports/gift-cards.tsv").display()
    )
}
