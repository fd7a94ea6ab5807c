//! The program: arguments in, a run of the core, a report out.

mod arguments;
mod commands;
mod documents;
mod file_names;
mod finish;
mod interrupts;
mod listen;
mod log;
mod observe;
mod render;
mod setting;
mod usual_words;

use clap::FromArgMatches;
use pebblebank_table::Error;
use std::panic::{AssertUnwindSafe, catch_unwind};
use std::process::ExitCode;

fn main() -> ExitCode {
    let typed = arguments::help::command().try_get_matches();
    let arguments = match typed.and_then(|typed| arguments::Arguments::from_arg_matches(&typed)) {
        Ok(arguments) => arguments,
        Err(refused) => return finish::refused_arguments(&refused),
    };
    finish::keep_values_out_of_panics();
    let screen = render::Screen::new(&arguments.shared);
    listen::listen(screen);
    log::begin(screen.is_verbose);
    let result = catch_unwind(AssertUnwindSafe(|| run(arguments))).unwrap_or_else(|_| Err(Error::defect()));
    finish::finish(result, &screen)
}

/// Does what the command line asks for.
fn run(arguments: arguments::Arguments) -> Result<finish::Said, Error> {
    match arguments.command {
        None => Ok(commands::start::start()),
        Some(arguments::Command::Survey(command)) => commands::survey::survey_files(&command, &arguments.shared),
        Some(arguments::Command::Propose(command)) => commands::propose::propose_job(&command, &arguments.shared),
        Some(arguments::Command::Run(command)) => commands::run::run(command, &arguments.shared),
        Some(arguments::Command::Clean(command)) => commands::clean::clean(&command, &arguments.shared),
        Some(arguments::Command::Compare(command)) => commands::compare::compare_lists(&command, &arguments.shared),
        Some(arguments::Command::TopUp(command)) => commands::top_up::top_up_master(&command, &arguments.shared),
        Some(arguments::Command::Suppress(command)) => commands::suppress::suppress(&command, &arguments.shared),
        Some(arguments::Command::Bank(command)) => commands::bank::bank(&command, &arguments.shared),
        Some(arguments::Command::Split(command)) => commands::split::split_list(&command, &arguments.shared),
        Some(arguments::Command::Check(command)) => commands::check::check_list(&command, &arguments.shared),
        Some(arguments::Command::Review(command)) => commands::review::review(&command, &arguments.shared),
        Some(arguments::Command::Why(command)) => commands::why::why(&command, &arguments.shared),
        Some(arguments::Command::Report(command)) => commands::report::report(&command, &arguments.shared),
        Some(arguments::Command::Changes(command)) => commands::changes::changes(&command, &arguments.shared),
        Some(arguments::Command::Preflight(command)) => {
            commands::preflight::preflight_file(&command, &arguments.shared)
        }
        Some(arguments::Command::Completions(command)) => Ok(commands::shell::completions(&command, &arguments.shared)),
        Some(arguments::Command::Schema(command)) => commands::schema::print(&command, &arguments.shared),
        Some(arguments::Command::Man(command)) => commands::shell::man(&command, &arguments.shared),
        Some(arguments::Command::Demo(command)) => commands::demo::demo(&command, &arguments.shared),
    }
}
