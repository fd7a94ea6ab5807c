//! What is wrong in a line of TOML, for people who do not know TOML: the usual mistakes, each with the line as it should be.

use pebblebank_table::{Error, ErrorKind};

/// The tables of which a job may have several, in double brackets.
const REPEATED: [&str; 7] = ["source", "list", "suppress", "allow", "replace", "write", "tag"];

/// The error for what the reader of TOML says of a line.
pub(super) fn explained(message: &str, line: &str) -> Error {
    let line = line.trim();
    let (what, advice) = by_line(line, message).unwrap_or_else(|| {
        let what = message.lines().next().unwrap_or("cannot be read").replace('`', "\"");
        (what, "correct the line; docs/job-file.md explains every key".to_owned())
    });
    Error::new(ErrorKind::Job, what, advice)
}

fn by_line(line: &str, message: &str) -> Option<(String, String)> {
    let said = |what: &str, advice: String| Some((what.to_owned(), advice));
    if line.contains(['“', '”', '„', '‟', '‘', '’', '«', '»']) {
        let straight = line.replace(['“', '”', '„', '‟', '«', '»'], "\"").replace(['‘', '’'], "'");
        return said("the quotes are curly, as a word processor writes them", format!("write {straight}"));
    }
    if let Some(table) = line.strip_prefix('[').and_then(|rest| rest.strip_suffix(']')) {
        let is_repeated = REPEATED.contains(&table.trim()) && message.contains("expected a sequence");
        if is_repeated {
            return said(
                "a job may have several of these, so its name stands in double brackets",
                format!("write [[{table}]]"),
            );
        }
        if message.contains("missing comma") || message.contains("array") {
            return said(
                "a list above this line is not closed",
                "end the list with ]: files = [\"a.csv\", \"b.csv\"]".to_owned(),
            );
        }
    }
    let (key, value) = line.split_once('=').map(|(key, value)| (key.trim(), value.trim()))?;
    if message.contains("expected a sequence") {
        return said("a list is meant here", format!("write {key} = [{value}]"));
    }
    if value.is_empty() {
        return said("the value is missing", format!("write {key} = \"…\", or take the line out"));
    }
    if value.contains('\\') && value.contains('"') {
        let forward = value.replace("\\\\", "/").replace('\\', "/");
        return said(
            "a backslash between straight quotes begins a special character",
            format!("write {key} = {forward}"),
        );
    }
    if value.matches('"').count() % 2 == 1 {
        return said("a quote is missing", format!("write {key} = \"{}\"", value.trim_matches('"')));
    }
    if let Some(word) = yes_or_no(value.trim_matches('"')) {
        let is_about_it = value.starts_with('"') == message.contains("expected a boolean");
        if is_about_it {
            return said("yes and no are written true and false", format!("write {key} = {word}"));
        }
    }
    let inner = value.trim_matches('"');
    let is_number = !inner.is_empty() && inner.bytes().all(|byte| byte.is_ascii_digit());
    let wants_number = ["expected u", "expected i", "expected a number"].iter().any(|wanted| message.contains(wanted));
    if value.starts_with('"') && is_number && wants_number {
        return said("a number stands without quotes", format!("write {key} = {inner}"));
    }
    let is_bare = value.starts_with(|sign: char| sign.is_alphabetic()) && !matches!(value, "true" | "false");
    (is_bare && !message.starts_with("invalid type"))
        .then(|| ("a text stands between quotes".to_owned(), format!("write {key} = \"{value}\"")))
}

fn yes_or_no(value: &str) -> Option<bool> {
    match value.to_ascii_lowercase().as_str() {
        "yes" | "on" | "y" | "true" => Some(true),
        "no" | "off" | "n" | "false" => Some(false),
        _ => None,
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    /// The line of a file in which its first error stands, explained.
    fn error_of(line: &str) -> (String, String) {
        #[derive(Debug, serde::Deserialize)]
        #[allow(dead_code)] // it is only read
        struct Table {
            text: Option<String>,
            list: Option<Vec<String>>,
            is: Option<bool>,
            count: Option<u64>,
            source: Option<Vec<toml::Table>>,
        }
        let cause = toml::from_str::<Table>(line).expect_err("the line is wrong");
        let at = cause.span().map_or(0, |span| span.start).min(line.len());
        let start = line[..at].rfind('\n').map_or(0, |end| end + 1);
        let error = explained(cause.message(), line[start..].lines().next().unwrap_or_default());
        (error.what().to_owned(), error.advice().to_owned())
    }

    #[rstest::rstest]
    #[case("text = fair", "between quotes", "write text = \"fair\"")]
    #[case("text = spring fair", "between quotes", "write text = \"spring fair\"")]
    #[case("text = “fair”", "curly", "write text = \"fair\"")]
    #[case("list = [„a.csv“]", "curly", "write list = [\"a.csv\"]")]
    #[case("list = [\"C:\\Users\\a.csv\"]", "backslash", "write list = [\"C:/Users/a.csv\"]")]
    #[case("text = \"fair", "quote is missing", "write text = \"fair\"")]
    #[case("text =", "value is missing", "write text = \"…\"")]
    #[case("[source]\nname = \"a\"", "double brackets", "write [[source]]")]
    #[case("list = \"a.csv\"", "a list is meant", "write list = [\"a.csv\"]")]
    #[case("is = yes", "true and false", "write is = true")]
    #[case("is = \"no\"", "true and false", "write is = false")]
    #[case("count = \"10\"", "without quotes", "write count = 10")]
    #[case("list = [\"a.csv\"\n[source]", "not closed", "end the list with ]")]
    fn the_usual_mistakes_are_explained_with_the_line_as_it_should_be(
        #[case] line: &str,
        #[case] what: &str,
        #[case] advice: &str,
    ) {
        let (said, advised) = error_of(line);
        assert!(said.contains(what) && advised.starts_with(advice), "{said}: {advised}");
    }
}
