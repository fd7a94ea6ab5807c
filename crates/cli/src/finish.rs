//! What a command ends with: text or JSON on stdout, errors on stderr, the exit status.

use crate::interrupts::exit_status;
use crate::render::harmless::{for_json, for_screen};
use crate::render::{self, Screen};
use crate::usual_words;
use pebblebank_table::{Error, ErrorKind};
use pebblebank_values::look::mask_addresses;
use std::fs::File;
use std::io::Write;
use std::path::Path;
use std::process::ExitCode;

/// What a command has to say.
pub struct Said {
    /// For stdout: text for people, or one JSON document.
    pub text: String,
    /// What could not be done beside what was.
    pub errors: Vec<Error>,
    /// The exit status.
    pub status: u8,
    /// For stderr, where stdout is taken.
    pub remarks: String,
    /// What goes to stdout byte for byte, in a folder that is deleted afterwards.
    pub file: Option<(File, tempfile::TempDir)>,
}

impl Said {
    /// All went well.
    pub fn done(text: String) -> Said {
        Said { text, errors: Vec::new(), status: 0, remarks: String::new(), file: None }
    }
}

/// Lets a panic say where it happened and no more: what it says may hold values of rows.
pub fn keep_values_out_of_panics() {
    std::panic::set_hook(Box::new(|panic| {
        let place = panic.location().map_or(String::new(), |place| format!(" at {}:{}", place.file(), place.line()));
        // Nobody is left to tell where stderr is closed.
        let _ = writeln!(std::io::stderr(), "defect{place}");
    }));
}

/// Prints what a command said, or why it could not be done.
pub fn finish(result: Result<Said, Error>, screen: &Screen) -> ExitCode {
    let (text, status) = match result {
        Ok(said) => {
            said.errors.into_iter().map(without_addresses).for_each(|error| print_error(&error, screen));
            if let Err(cause) =
                said.file.map_or(Ok(0), |(mut file, _folder)| std::io::copy(&mut file, &mut std::io::stdout()))
                && cause.kind() != std::io::ErrorKind::BrokenPipe
            {
                print_error(&Error::unwritable(Path::new("standard output"), &cause), screen);
                return ExitCode::FAILURE;
            }
            // Nobody is left to tell where stderr is closed.
            let _ = std::io::stderr().write_all(for_screen(&said.remarks, screen).as_bytes());
            (said.text, said.status)
        }
        Err(error) => {
            let error = without_addresses(error);
            print_error(&error, screen);
            let status = exit_status(&error);
            let document = if screen.json { render::json::error(&error, status) } else { String::new() };
            (document, status)
        }
    };
    let mut stdout = std::io::stdout().lock();
    let text = if screen.json { for_json(&text) } else { for_screen(&text, screen) };
    match stdout.write_all(text.as_bytes()).and_then(|()| stdout.flush()) {
        Err(cause) if cause.kind() != std::io::ErrorKind::BrokenPipe => {
            print_error(&Error::unwritable(Path::new("standard output"), &cause), screen);
            ExitCode::from(if status == 0 { 1 } else { status })
        }
        _ => ExitCode::from(status),
    }
}

/// The error without addresses out of files: errors end up in logs and in mails. What was typed stays as it was.
fn without_addresses(error: Error) -> Error {
    let typed: Vec<String> = std::env::args_os().map(|word| word.to_string_lossy().into_owned()).collect();
    let is_example = |address: &str| ["ines@hotel.example", "desk@larkfold.example"].contains(&address);
    let is_typed = |address: &str| typed.iter().any(|word| word.contains(address));
    error.map_words(|words| mask_addresses(words, |address| is_typed(address) || is_example(address)))
}

fn print_error(error: &Error, screen: &Screen) {
    let text = render::error::error(error, screen);
    // Nobody is left to tell where stderr is closed.
    let _ = std::io::stderr().write_all(for_screen(&text, screen).as_bytes());
}

/// Prints what is wrong with the command line, or the help that was asked for.
pub fn refused_arguments(refused: &clap::Error) -> ExitCode {
    let text = refused.render();
    if refused.use_stderr() {
        let typed: Vec<String> = std::env::args_os().skip(1).map(|word| word.to_string_lossy().into_owned()).collect();
        let advice = usual_words::meant(refused, &typed);
        let status = u8::try_from(refused.exit_code()).unwrap_or(2);
        if typed.iter().any(|word| word == "--json") {
            let text = text.to_string();
            let what = text.lines().next().unwrap_or_default().trim_start_matches("error: ").to_owned();
            let advice = advice.clone().unwrap_or_else(|| "pebblebank COMMAND --help lists the options".to_owned());
            let error = without_addresses(Error::new(ErrorKind::Job, what, advice));
            let _ = std::io::stdout().write_all(render::json::error(&error, status).as_bytes());
        }
        let advice = advice.map_or(String::new(), |advice| format!("  to do: {advice}\n\n"));
        // A word behind "--" is not what anybody meant who mistyped an option.
        let text = text.to_string();
        let is_kept = |line: &&str| !line.starts_with("  tip: to pass ");
        let text = text.lines().filter(is_kept).map(|line| format!("{line}\n")).collect::<String>();
        let text = text.replace("\n\n\n", "\n\n");
        let before =
            ["\nUsage:", "\nFor more information"].into_iter().find(|words| text.contains(words)).unwrap_or("\n");
        let text = text.replacen(before, &format!("\n{advice}{}", before.trim_start()), 1);
        // What was typed stands in it. Nobody is left to tell where stderr is closed.
        let _ = std::io::stderr().write_all(for_screen(&text, &Screen::plain()).as_bytes());
    } else {
        let _ = refused.print();
    }
    ExitCode::from(u8::try_from(refused.exit_code()).unwrap_or(2))
}

/// Says that the program was asked to end; `error` says whether anything took effect before.
pub fn say_interrupted(error: &Error, screen: &Screen) {
    print_error(error, screen);
    if screen.json {
        let _ = std::io::stdout().write_all(render::json::error(error, exit_status(error)).as_bytes());
    }
}
