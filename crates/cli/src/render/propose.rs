//! What was proposed, in short; the job file itself says the rest.

use super::table::{Side, Table};
use super::{Screen, Tone, counted, safe};
use pebblebank_core::tasks::propose::Proposal;
use serde_json::json;
use std::path::Path;

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

/// The JSON document that `--json` prints.
pub fn json(proposal: &Proposal, output: Option<&Path>) -> String {
    let parts: Vec<_> = proposal
        .parts
        .iter()
        .map(|part| {
            json!({
                "name": part.name,
                "part": if part.reason.is_some() { "suppress" } else { "source" },
                "reason": part.reason.map(pebblebank_core::suppress::reason::Reason::name),
                "because": part.because,
                "files": part.files,
            })
        })
        .collect();
    let document = json!({
        "schema": "pebblebank/proposal/1",
        "job_file": output,
        "parts": parts,
        "open_questions": proposal.open_questions,
        "toml": proposal.text,
    });
    format!("{document:#}\n")
}
