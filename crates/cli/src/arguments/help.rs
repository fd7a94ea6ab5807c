//! What `-h` and `--help` of each command show beside its options: an example or two with the demo's files, and on the one screen of
//! `-h` only what is often needed.

use super::Arguments;
use clap::builder::PossibleValuesParser;
use clap::{Arg, Command, CommandFactory};
use pebblebank_values::Field;

/// Options that `-h` leaves to `--help`.
const RARE: [&str; 46] = [
    "accept",
    "again",
    "apply",
    "asks_again",
    "asks_again_after",
    "at_once",
    "by_phone",
    "color",
    "date_order",
    "date_system",
    "decisions",
    "delimiter",
    "encoding",
    "expect",
    "for_spreadsheet",
    "header_row",
    "like",
    "mail_patience",
    "mail_port",
    "max_age",
    "memory",
    "near_miss",
    "new_scope",
    "not_consent",
    "only_duplicates",
    "opt_in",
    "opt_out",
    "patience",
    "per_minute",
    "per_second",
    "preview",
    "price",
    "replace_bad_bytes",
    "resolver",
    "rows",
    "sample",
    "seed",
    "sender",
    "sheet",
    "status_means",
    "steps",
    "strict",
    "threads",
    "receipt",
    "without_bank",
    "bank_copy",
];

/// Examples of each command, with the files of `pebblebank demo`; they are typed in its folder.
const EXAMPLES: [(&str, &[&str]); 19] = [
    (
        "why",
        &[
            "pebblebank why hugo.garcia748@harbourmail.example",
            "pebblebank why ida@post.example --receipt 'out/*.receipt'",
        ],
    ),
    ("completions", &["pebblebank completions bash"]),
    ("man", &["pebblebank man man-pages"]),
    ("schema", &["pebblebank schema job -o pebblebank-job.schema.json", "pebblebank schema tally"]),
    ("report", &["pebblebank report out/spring-fair-invitation.receipt -o fair.html"]),
    ("changes", &["pebblebank changes out/spring-fair-invitation.receipt -o changes"]),
    ("survey", &["pebblebank survey exports/sign-ups.csv", "pebblebank survey exports/* --verbose"]),
    ("propose", &["pebblebank propose exports/sign-ups.csv exports/volunteers.txt -o job.toml"]),
    ("run", &["pebblebank run spring-fair.toml --dry-run", "pebblebank run spring-fair.toml --replace"]),
    (
        "clean",
        &[
            "pebblebank clean exports/sign-ups.csv -o cleaned.csv",
            "pebblebank clean exports/* --columns \"email,first_name,last_name\" --country GB -o contacts.csv",
        ],
    ),
    (
        "compare",
        &[
            "pebblebank compare exports/guided-walks.csv exports/gift-cards.tsv",
            "pebblebank compare exports/guided-walks.csv exports/gift-cards.tsv --where \"in guided-walks and not in gift-cards\" -o walks-only.csv",
        ],
    ),
    ("top-up", &["pebblebank top-up lists/guests-2025.csv --from exports/sign-ups.csv -o guests.csv"]),
    (
        "suppress",
        &["pebblebank suppress exports/sign-ups.csv --against lists/opted-out.csv lists/bounced.csv -o clear.csv"],
    ),
    (
        "split",
        &[
            "pebblebank split exports/sign-ups.csv --by domain -o by-domain",
            "pebblebank split exports/sign-ups.csv --rows-per-file 500 -o parts",
        ],
    ),
    (
        "check",
        &[
            "pebblebank check exports/sign-ups.csv --good good.csv --bad bad.csv",
            "pebblebank check exports/sign-ups.csv --level domain -o checked.csv",
        ],
    ),
    ("preflight", &["pebblebank preflight out/spring-fair.csv --scope larkfold"]),
    ("review", &["pebblebank review out/spring-fair-invitation.receipt"]),
    (
        "bank",
        &[
            "pebblebank bank load lists/opted-out.csv --as opted-out",
            "pebblebank bank add ida@post.example --as do-not-contact --note \"by phone, 2 March\"",
            "pebblebank bank find ida@post.example",
        ],
    ),
    ("demo", &["pebblebank demo", "pebblebank demo my-demo"]),
];

/// The command line, with its help.
pub fn command() -> Command {
    let mut command = Arguments::command().mut_args(hide_rare);
    for (name, examples) in EXAMPLES {
        command = command.mut_subcommand(name, |own| {
            let about = own.get_about().map_or(String::new(), ToString::to_string);
            let examples: String = examples.iter().map(|example| format!("\n  {example}")).collect();
            let own = own.mut_subcommands(|below| below.mut_args(hide_rare));
            own.mut_args(hide_rare).long_about(format!("{about}\n\nWith the demo's files:{examples}"))
        });
    }
    command
}

/// All commands with the values that shells complete: fields, reasons, keys and these scopes.
pub fn completed(scopes: &[String]) -> Command {
    let fields: Vec<&'static str> = Field::ALL.into_iter().map(Field::name).collect();
    let reasons = ["complained", "opted-out", "do-not-contact", "bounced", "sent", "verdicts"].to_vec();
    let formats = ["csv", "tsv", "xlsx", "jsonl", "recipient-line"].to_vec();
    let with_values = |argument: Arg| {
        let values: Vec<String> = match argument.get_id().as_str() {
            "require" | "same" | "columns" => fields.iter().map(ToString::to_string).collect(),
            "what" => reasons.iter().map(ToString::to_string).collect(),
            "format" => formats.iter().map(ToString::to_string).collect(),
            "scope" if !scopes.is_empty() => scopes.to_vec(),
            _ => return argument,
        };
        argument.value_parser(PossibleValuesParser::new(values))
    };
    command().mut_subcommands(|own| own.mut_args(with_values).mut_subcommands(|below| below.mut_args(with_values)))
}

fn hide_rare(argument: Arg) -> Arg {
    let is_rare = RARE.contains(&argument.get_id().as_str());
    if is_rare { argument.hide_short_help(true) } else { argument }
}

#[cfg(test)]
mod tests {
    use super::*;
    use clap::Parser;

    /// The words of a command as a shell gives them, as far as examples go: double quotes alone.
    fn words(line: &str) -> Vec<String> {
        let parts = line.split('"').enumerate();
        let of = |(place, part): (usize, &str)| match place % 2 {
            0 => part.split_whitespace().map(str::to_owned).collect::<Vec<_>>(),
            _ => vec![part.to_owned()],
        };
        parts.flat_map(of).collect()
    }

    #[test]
    fn every_command_has_an_example_that_can_be_typed() {
        for (name, examples) in EXAMPLES {
            for example in examples {
                let typed = words(example);
                assert_eq!(typed[1], name);
                assert!(Arguments::try_parse_from(&typed).is_ok(), "{example}");
            }
        }
        let named: Vec<&str> = EXAMPLES.iter().map(|(name, _)| *name).collect();
        let all = Arguments::command();
        let missing: Vec<&str> =
            all.get_subcommands().map(Command::get_name).filter(|name| !named.contains(name)).collect();
        assert_eq!(missing, [""; 0]);
    }

    #[test]
    fn the_short_help_of_each_command_fits_a_screen() {
        let mut command = command();
        command.build();
        let long: Vec<String> = command
            .get_subcommands()
            .map(|own| (own.get_name().to_owned(), own.clone().render_help().to_string().lines().count()))
            .filter(|(_, lines)| *lines > 45)
            .map(|(name, lines)| format!("{name}: {lines}"))
            .collect();
        assert_eq!(long, [""; 0]);
    }
}
