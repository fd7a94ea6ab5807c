//! What somebody likely meant who typed a word that is not the program's: the command that does it, ready to paste.

use clap::error::{ContextKind, ContextValue, ErrorKind};
use std::path::Path;

/// Words for commands that others use, and the command that does it here.
const COMMANDS: [(&[&str], &str); 12] = [
    (
        &["dedupe", "dedup", "deduplicate", "merge", "combine", "join", "import", "normalize", "normalise", "tidy"],
        "pebblebank clean FILE… -o OUT.csv merges files, cleans values, and drops blanks and duplicates",
    ),
    (
        &["exclude", "remove", "subtract", "scrub", "block", "minus", "without"],
        "pebblebank suppress LIST --against FILE… -o OUT.csv takes people out of a list",
    ),
    (
        &["diff", "match", "intersect", "overlap", "lookup", "vlookup", "xlookup", "countif", "common"],
        "pebblebank compare A B says who is in both lists, and who in one alone",
    ),
    (
        &["append", "update", "extend", "new"],
        "pebblebank top-up MASTER --from NEW… -o OUT.csv adds the people whom a list lacks",
    ),
    (
        &["validate", "verify", "hygiene"],
        "pebblebank check LIST says which addresses will not arrive; pebblebank preflight FILE whether a file is fit to be imported",
    ),
    (
        &["unsubscribe", "optout", "opt-out", "blacklist", "blocklist", "dnc"],
        "pebblebank bank add ADDRESS --as opted-out remembers who must not be contacted; bank load FILE --as opted-out a whole list",
    ),
    (
        &["inspect", "show", "info", "describe", "stats", "columns", "head", "count", "list", "look"],
        "pebblebank survey FILE… says what is in files, what their columns are, and what looks wrong",
    ),
    (
        &["convert", "export", "save", "transform", "format"],
        "pebblebank clean FILE… -o OUT.xlsx writes another format, by the ending of the name",
    ),
    (
        &["chunk", "parts", "divide", "part", "sample"],
        "pebblebank split LIST --by … -o FOLDER makes several files of a list",
    ),
    (
        &["undo", "forget", "find", "batches", "load", "sent", "history"],
        "this is a command of the bank: pebblebank bank --help",
    ),
    (
        &["init", "new-job", "config", "job"],
        "pebblebank propose FILE… -o JOB.toml makes a job file of what is in the files",
    ),
    (&["version"], "pebblebank --version"),
];

/// The numbers that are typed as words.
const NUMBERS: [&str; 13] =
    ["none", "one", "two", "three", "four", "five", "six", "seven", "eight", "nine", "ten", "eleven", "twelve"];

/// What to type instead; none where nothing better is known than what the error says itself.
pub fn meant(refused: &clap::Error, typed: &[String]) -> Option<String> {
    let text = |kind: ContextKind| match refused.get(kind) {
        Some(ContextValue::String(text)) => Some(text.clone()),
        _ => None,
    };
    match refused.kind() {
        ErrorKind::InvalidSubcommand => {
            let word = text(ContextKind::InvalidSubcommand)?.to_lowercase();
            COMMANDS.iter().find(|(words, _)| words.contains(&word.as_str())).map(|(_, does)| (*does).to_owned())
        }
        ErrorKind::MissingRequiredArgument => match refused.get(ContextKind::InvalidArg) {
            Some(ContextValue::Strings(missing)) if matches!(missing.as_slice(), [only] if only.starts_with("--output")) => {
                with_output(typed)
            }
            _ => None,
        },
        ErrorKind::UnknownArgument => with_lists_behind_option(&text(ContextKind::InvalidArg)?, typed),
        ErrorKind::ValueValidation => {
            let value = text(ContextKind::InvalidValue)?.to_lowercase();
            let number = NUMBERS.iter().position(|word| *word == value)?;
            let option = text(ContextKind::InvalidArg)?;
            Some(format!("write the number in digits: {} {number}", option.split(' ').next().unwrap_or_default()))
        }
        _ => None,
    }
}

/// The whole command with a name for what it writes.
fn with_output(typed: &[String]) -> Option<String> {
    let command = typed.first()?;
    // A word behind an option may stand before the list.
    let mut words = typed[1..].iter().filter(|word| !word.starts_with('-'));
    let list = words.clone().find(|word| Path::new(word).exists()).or_else(|| words.next())?;
    let stem = Path::new(list).file_stem()?.to_string_lossy().into_owned();
    let name = match command.as_str() {
        "clean" => format!("{stem}-clean.csv"),
        "suppress" => format!("{stem}-clear.csv"),
        "top-up" => format!("{stem}-topped-up.csv"),
        "split" => format!("{stem}-parts"),
        _ => return None,
    };
    let words = typed.iter().chain(["-o".to_owned(), name].iter()).map(|word| in_shell(word)).collect::<Vec<_>>();
    Some(format!("say where to write: pebblebank {}", words.join(" ")))
}

/// The whole command with the option in front of files that stand behind the first list.
fn with_lists_behind_option(unexpected: &str, typed: &[String]) -> Option<String> {
    let option = match typed.first()?.as_str() {
        "suppress" => "--against",
        "top-up" => "--from",
        _ => return None,
    };
    let place = typed.iter().position(|word| word == unexpected)?;
    if unexpected.starts_with('-') || typed.iter().any(|word| word == option) {
        return None;
    }
    let (before, behind) = typed.split_at(place);
    let words = before.iter().map(String::as_str).chain([option]).chain(behind.iter().map(String::as_str));
    Some(format!("say so: pebblebank {}", words.map(in_shell).collect::<Vec<_>>().join(" ")))
}

fn in_shell(word: &str) -> String {
    crate::render::survey::in_shell(word)
}
