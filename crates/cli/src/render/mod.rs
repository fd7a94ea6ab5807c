//! What a run looks like: text for people, JSON for programs.

pub mod bank;
pub mod bank_entries;
pub mod bank_load;
pub mod bank_moved;
pub mod bank_verdicts;
pub mod changes;
pub mod check;
pub mod compare;
pub mod duplicates;
pub mod error;
pub mod harmless;
pub mod json;
pub mod preflight;
pub mod propose;
pub mod report;
pub mod review;
pub mod split;
pub mod suppress;
pub mod survey;
mod survey_tables;
pub mod table;
pub mod tally;
pub mod top_up;
pub mod why;
pub mod why_document;

use crate::arguments::{Color, Shared};
use anstyle::{AnsiColor, Style};
use indicatif::HumanCount;
use std::io::IsTerminal;
use textwrap::{WordSeparator, WordSplitter};

/// How to show things.
#[derive(Debug, Clone, Copy)]
pub struct Screen {
    /// Whether one JSON document is wanted.
    pub json: bool,
    /// Whether everything is shown, and not what fits a screen.
    pub is_verbose: bool,
    has_color: bool,
}

/// What a piece of text is, which decides its colour.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum Tone {
    /// The result.
    Good,
    /// What stops.
    Bad,
    /// What should be looked at.
    Warning,
    /// A heading.
    Heading,
    /// What explains.
    Faint,
}

impl Tone {
    const ALL: [Tone; 5] = [Tone::Good, Tone::Bad, Tone::Warning, Tone::Heading, Tone::Faint];

    fn style(self) -> Style {
        match self {
            Tone::Good => Style::new().fg_color(Some(AnsiColor::Green.into())),
            Tone::Bad => Style::new().bold().fg_color(Some(AnsiColor::Red.into())),
            Tone::Warning => Style::new().fg_color(Some(AnsiColor::Yellow.into())),
            Tone::Heading => Style::new().bold(),
            Tone::Faint => Style::new().dimmed(),
        }
    }

    /// The colour that a text begins with, if it is one of the program's own, or the end of one.
    fn own_colour(text: &str) -> Option<&str> {
        let codes = Tone::ALL.iter().flat_map(|tone| [tone.style().to_string(), format!("{:#}", tone.style())]);
        let mut own = codes.filter(|code| !code.is_empty() && text.starts_with(code.as_str()));
        own.next().map(|code| &text[..code.len()])
    }
}

impl Screen {
    /// Decides by the options, the terminal and `NO_COLOR`.
    pub fn new(shared: &Shared) -> Screen {
        let has_color = match shared.color {
            Color::Always => true,
            Color::Never => false,
            Color::Auto => {
                std::io::stdout().is_terminal()
                    && std::env::var_os("NO_COLOR").is_none_or(|value| value.is_empty())
                    && std::env::var_os("TERM").is_none_or(|term| term != "dumb")
            }
        };
        Screen { json: shared.json, is_verbose: shared.verbose, has_color }
    }

    /// One without colours.
    pub fn plain() -> Screen {
        Screen { json: false, is_verbose: false, has_color: false }
    }

    /// Whether it shows colours.
    pub fn has_color(&self) -> bool {
        self.has_color
    }

    /// The text in the colour of its tone.
    pub fn paint(&self, tone: Tone, text: &str) -> String {
        if !self.has_color {
            return text.to_owned();
        }
        let style = tone.style();
        format!("{style}{text}{style:#}")
    }
}

/// A number with commas between thousands.
pub fn number(count: u64) -> String {
    HumanCount(count).to_string()
}

/// A count with its noun: "1 row", "2 rows".
pub fn counted(count: u64, noun: &str) -> String {
    match (count, noun.strip_suffix('y')) {
        (1, _) => format!("1 {noun}"),
        (_, Some(stem)) => format!("{} {stem}ies", number(count)),
        (_, None) if noun.ends_with("ss") || noun.ends_with('x') || noun.ends_with("ch") => {
            format!("{} {noun}es", number(count))
        }
        (_, None) => format!("{} {noun}s", number(count)),
    }
}

/// Text out of a file, safe for a terminal: control and invisible characters shown, and no longer than `most`
/// characters.
pub fn safe(text: &str, most: usize) -> String {
    let shown = shown(text);
    if shown.chars().count() <= most {
        return shown;
    }
    shown.chars().take(most.saturating_sub(1)).chain(['…']).collect()
}

/// A text cut to a width with its end kept and its middle left out: what was repaired mostly stands at an end.
pub fn safe_ends(text: &str, most: usize) -> String {
    let shown = shown(text);
    let count = shown.chars().count();
    if count <= most {
        return shown;
    }
    let end = most / 2;
    let begin = most - end - 1;
    shown.chars().take(begin).chain(['…']).chain(shown.chars().skip(count - end)).collect()
}

fn shown(text: &str) -> String {
    let mut shown = String::with_capacity(text.len());
    for c in text.chars() {
        match c {
            '\n' | '\r' => shown.push('⏎'),
            c if harmless::is_harmful(c) => shown.push_str(&harmless::number(c)),
            c => shown.push(c),
        }
    }
    shown
}

/// How wide text may be.
pub const WIDTH: usize = 100;

/// Stands for a blank at which a text is not to be broken, until the lines are made.
pub const NO_BREAK: &str = "\u{A0}";

/// A text in lines of at most `most` characters, all but the first behind `indent`.
pub fn wrapped(text: &str, most: usize, indent: &str) -> Vec<String> {
    let options = textwrap::Options::new(most)
        .subsequent_indent(indent)
        .break_words(false)
        .word_separator(WordSeparator::AsciiSpace)
        .word_splitter(WordSplitter::NoHyphenation);
    textwrap::wrap(text, options).into_iter().map(|line| line.replace(NO_BREAK, " ")).collect()
}
