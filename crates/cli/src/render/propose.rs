//! What was proposed, in short; the job file itself says the rest.

use super::table::{Side, Table};
use super::{Screen, Tone, WIDTH, counted, safe, wrapped};
use crate::documents::document;
use crate::documents::proposals::{LayoutDocument, NotShown, PartDocument, ProposalDocument};
use pebblebank_core::tasks::propose::Proposal;
use pebblebank_core::tasks::template::{Matters, Template};
use pebblebank_formats::writing::FileFormat;
use std::path::Path;

/// How many doubts of a kind are shown.
const DOUBTS_SHOWN: usize = 8;

/// The parts of the job that was written to `output`, and what to do next.
pub fn written(proposal: &Proposal, output: &Path, screen: &Screen) -> String {
    let job = output.display().to_string();
    let mut text = format!("{}\n\n", screen.paint(Tone::Good, &format!("A job is proposed in {job}")));
    let mut table = Table::new(&[("Part", Side::Left), ("taken for", Side::Left), ("files", Side::Left)]);
    for part in &proposal.parts {
        let taken_for = match part.reason {
            None => "source".to_owned(),
            Some(reason) => format!("suppression list: {}", reason.name()),
        };
        let files = match part.files.as_slice() {
            [only] => only.clone(),
            [first, others @ ..] => format!("{first} and {}", counted(others.len() as u64, "more file")),
            [] => String::new(),
        };
        table.row(vec![safe(&part.name, 28), taken_for, safe(&files, 50)]);
    }
    text.push_str(&table.render(screen));
    let lists = proposal.parts.iter().filter(|part| part.reason.is_some()).count();
    if lists > 0 {
        let text_of = "Whether a file is a list of people not to be contacted was guessed: check it in the job.";
        text.push_str(&format!("  {}\n", screen.paint(Tone::Faint, text_of)));
    }
    if !proposal.open_questions.is_empty() {
        text.push_str(&format!("\n  {}\n", screen.paint(Tone::Heading, "To decide in the job first")));
        for question in &proposal.open_questions {
            text.push_str(&format!("  {} {}\n", screen.paint(Tone::Warning, "?"), safe(question, 110)));
        }
    }
    text.push_str(&format!("\n  {}\n", screen.paint(Tone::Heading, "Next")));
    text.push_str(&format!("  open {job}, read its comments, change what is wrong; then\n"));
    text.push_str(&format!("  pebblebank run {} --dry-run\n", super::survey::in_shell(&job)));
    text
}

/// The layout that was written to `output`, what the template does not show, and what to do next.
pub fn layout_written(template: &Template, output: &Path, screen: &Screen) -> String {
    let layout = output.display().to_string();
    let columns = counted(template.layout.columns.len() as u64, "column");
    let what = format!("The layout of {} is in {layout}: {columns}", template.path.display());
    let mut text = format!("{}\n", screen.paint(Tone::Good, &what));
    let of = |matters: Matters| template.doubts.iter().filter(move |doubt| doubt.matters == matters);
    let sections = [
        (Matters::First, "To decide in it before anything is written", "?"),
        (Matters::Always, "What the template does not show", "!"),
        (Matters::InProposal, "Columns that are no known field", "·"),
    ];
    for (matters, heading, sign) in sections {
        if of(matters).next().is_some() {
            text.push_str(&format!("\n  {}\n", screen.paint(Tone::Heading, heading)));
        }
        for doubt in of(matters).take(DOUBTS_SHOWN) {
            let lines = wrapped(&safe(&doubt.in_words(), 300), WIDTH - 4, "");
            for (place, line) in lines.iter().enumerate() {
                let sign = if place == 0 { sign } else { " " };
                text.push_str(&format!("  {sign} {line}\n"));
            }
        }
        let more = of(matters).count().saturating_sub(DOUBTS_SHOWN);
        if more > 0 {
            text.push_str(&format!("    and {more} more, in the comments of the file\n"));
        }
    }
    text.push_str(&format!("\n  {}\n", screen.paint(Tone::Heading, "Next")));
    text.push_str(&format!("  open {layout}, read its comments, change what is wrong; then\n"));
    let ending = template.layout.form.format.map_or("csv", FileFormat::name);
    text.push_str(&format!(
        "  pebblebank clean FILE --layout {} -o import.{ending} --dry-run\n",
        super::survey::in_shell(&layout)
    ));
    text
}

/// The JSON document of a layout.
pub fn layout_json(template: &Template, toml: &str, output: Option<&Path>) -> String {
    let not_shown = template.doubts.iter().map(|doubt| NotShown {
        column: doubt.column.as_deref(),
        text: &doubt.text,
        open: doubt.matters == Matters::First,
    });
    let body = LayoutDocument {
        template: &template.path,
        layout_file: output,
        columns: template.layout.columns.iter().map(|column| column.name.as_str()).collect(),
        not_shown: not_shown.collect(),
        toml,
    };
    document("pebblebank/layout-proposal/1", body)
}

/// The JSON document that `--json` prints.
pub fn json(proposal: &Proposal, output: Option<&Path>) -> String {
    let parts = proposal.parts.iter().map(|part| PartDocument {
        name: &part.name,
        part: if part.reason.is_some() { "suppress" } else { "source" },
        reason: part.reason,
        because: &part.because,
        files: &part.files,
    });
    let body = ProposalDocument {
        job_file: output,
        parts: parts.collect(),
        open_questions: &proposal.open_questions,
        toml: &proposal.text,
    };
    document("pebblebank/proposal/1", body)
}
