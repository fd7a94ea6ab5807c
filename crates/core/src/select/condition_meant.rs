//! What somebody likely meant by a condition that cannot be read: signs and words of other languages, missing quotes.

use pebblebank_values::date::{Date, Moment};

/// A condition that can be read and likely says what `text` was meant to say; none where that is not clear.
pub(super) fn meant(text: &str) -> Option<String> {
    let tokens = tokens(text)?;
    let mut written = Vec::new();
    let mut open = 0_usize;
    let mut clause: Vec<Token> = Vec::new();
    for token in tokens.into_iter().chain([Token::sign("and")]) {
        let is_list = clause.iter().any(|word| word.is("of")) || clause.last().is_some_and(|word| word.is("in"));
        let is_of_list = (is_list && token.text == "(") || is_open_list(&clause);
        match token.text.as_str() {
            "(" | ")" if !token.is_quoted && !is_of_list => {
                flush(&mut clause, &mut written)?;
                open = if token.text == "(" { open + 1 } else { open.checked_sub(1)? };
                written.push(token.text);
            }
            "and" if !token.is_quoted && !awaits_second_bound(&clause) => {
                flush(&mut clause, &mut written)?;
                written.push(token.text);
            }
            "or" if !token.is_quoted => {
                flush(&mut clause, &mut written)?;
                written.push(token.text);
            }
            "not" if !token.is_quoted && clause.is_empty() => written.push(token.text),
            _ => clause.push(token),
        }
    }
    // The last "and" is the one that was put behind the text, and an "and" at its very end joins nothing.
    while written.last().is_some_and(|word| word == "and" || word == "or") {
        written.pop();
    }
    written.extend(std::iter::repeat_n(")".to_owned(), open));
    Some(written.join(" ").replace("( ", "(").replace(" )", ")"))
}

/// A word, a quoted text or a sign of a condition.
#[derive(Debug, Clone)]
struct Token {
    text: String,
    is_quoted: bool,
}

impl Token {
    fn sign(text: &str) -> Token {
        Token { text: text.to_owned(), is_quoted: false }
    }

    fn is(&self, keyword: &str) -> bool {
        !self.is_quoted && self.text.eq_ignore_ascii_case(keyword)
    }
}

/// Signs of other languages, the longest first, and the words that they stand for.
const SIGNS: [(&str, &str); 12] = [
    ("==", "="),
    ("!=", "!="),
    ("<>", "!="),
    (">=", ">="),
    ("<=", "<="),
    ("&&", "and"),
    ("||", "or"),
    ("=", "="),
    (">", ">"),
    ("<", "<"),
    ("!", "not"),
    ("(", "("),
];

/// The tokens of a text; none where a quote is not closed and it is not clear where it would be.
fn tokens(text: &str) -> Option<Vec<Token>> {
    let mut tokens = Vec::new();
    let mut rest = text.trim_start();
    while let Some(first) = rest.chars().next() {
        let after_quote = &rest[first.len_utf8()..];
        let closing: &[char] = match first {
            '"' => &['"'],
            '“' | '”' | '„' => &['”', '“', '"'],
            '\'' | '‘' | '’' => &['\'', '’'],
            _ => &[],
        };
        if !closing.is_empty() {
            let (inside, after) = after_quote.split_once(closing).unwrap_or((after_quote, ""));
            if inside.contains('"') {
                return None;
            }
            tokens.push(Token { text: inside.trim().to_owned(), is_quoted: true });
            rest = after.trim_start();
        } else if let Some((sign, word)) = SIGNS.iter().find(|(sign, _)| rest.starts_with(sign)) {
            tokens.push(Token::sign(word));
            rest = rest[sign.len()..].trim_start();
        } else if matches!(first, ')' | ',') {
            tokens.push(Token::sign(&first.to_string()));
            rest = after_quote.trim_start();
        } else {
            let ends = |c: char| c.is_whitespace() || matches!(c, ',' | '(' | ')' | '=' | '<' | '>' | '!');
            let end = rest.find(ends).unwrap_or(rest.len());
            tokens.push(Token::sign(if rest[..end].eq_ignore_ascii_case("and") {
                "and"
            } else if rest[..end].eq_ignore_ascii_case("or") {
                "or"
            } else if rest[..end].eq_ignore_ascii_case("not") {
                "not"
            } else {
                &rest[..end]
            }));
            rest = rest[end..].trim_start();
        }
    }
    Some(tokens)
}

/// Whether the clause ends in `between 3`, so that an "and" belongs to it.
fn awaits_second_bound(clause: &[Token]) -> bool {
    clause.iter().position(|word| word.is("between")).is_some_and(|at| at + 2 == clause.len())
}

/// Whether the clause has an open parenthesis of its own: `in (London, Leeds`.
fn is_open_list(clause: &[Token]) -> bool {
    clause.iter().any(|word| word.is("(")) && !clause.iter().any(|word| word.is(")"))
}

/// How a value is compared, in the words of many; what stands in front is the longest first.
#[derive(Debug, Clone, Copy, PartialEq)]
enum How {
    Is,
    IsNot,
    OneOf,
    NotOneOf,
    Blank,
    Filled,
    Since,
    Until,
    After,
    Before,
    AtLeast,
    AtMost,
    Over,
    Under,
    Contains,
    ContainsNot,
    StartsWith,
    EndsWith,
    Like,
    Has,
    Between,
    Within,
}

const COMPARISONS: [(How, &[&str]); 22] = [
    (How::NotOneOf, &["is not one of", "is not in", "not in", "is none of"]),
    (How::OneOf, &["is one of", "is any of", "one of", "is in", "in"]),
    (
        How::Filled,
        &[
            "is not blank",
            "is not empty",
            "is not null",
            "is not missing",
            "is filled",
            "is set",
            "is present",
            "exists",
        ],
    ),
    (How::Blank, &["is blank", "is empty", "is null", "is missing", "is unset"]),
    (How::Since, &["on or after", "is since", "since", "from"]),
    (How::Until, &["on or before", "until"]),
    (How::After, &["is after", "after", "later than"]),
    (How::Before, &["is before", "before", "earlier than"]),
    (How::AtLeast, &["is at least", "at least", "is greater than or equal to", ">="]),
    (How::AtMost, &["is at most", "at most", "is less than or equal to", "up to", "<="]),
    (How::Over, &["is more than", "more than", "is greater than", "greater than", "over", "above", ">"]),
    (How::Under, &["is less than", "less than", "below", "under", "<"]),
    (How::IsNot, &["is not equal to", "does not equal", "not equals", "is not", "!=", "not"]),
    (How::Is, &["is equal to", "is exactly", "equal to", "equals", "equal", "matches", "is", "="]),
    (How::ContainsNot, &["does not contain", "not contains", "does not include"]),
    (How::Contains, &["contains", "contain", "includes", "include", "containing"]),
    (How::StartsWith, &["starts with", "begins with", "start with", "startswith", "beginning with"]),
    (How::EndsWith, &["ends with", "end with", "endswith", "ending with"]),
    (How::Like, &["is like", "like"]),
    (How::Has, &["has", "have"]),
    (How::Between, &["is between", "between"]),
    (How::Within, &["is within", "within"]),
];

/// Adds what a clause was meant to say.
fn flush(clause: &mut Vec<Token>, written: &mut Vec<String>) -> Option<()> {
    let tokens = std::mem::take(clause);
    if tokens.is_empty() {
        return Some(());
    }
    if tokens[0].is("in") {
        written.push(format!("in {}", joined(&tokens[1..])?));
        return Some(());
    }
    let Some((at, length, how)) = comparison(&tokens) else {
        // "in walks and not cards": the second list is asked about like the first.
        let follows_list = written.iter().any(|part| part.starts_with("in "));
        written.push(format!("in {}", joined(&tokens).filter(|_| follows_list)?));
        return Some(());
    };
    if tokens[0].is("only") {
        return None;
    }
    let subject = joined(&tokens[..at])?;
    let values = &tokens[at + length..];
    written.push(test(&subject, how, values)?);
    Some(())
}

/// Where the comparison of a clause stands, how many words it has, and what it is; a field stands in front of it.
fn comparison(tokens: &[Token]) -> Option<(usize, usize, How)> {
    (1..tokens.len()).find_map(|at| {
        let found = COMPARISONS.iter().flat_map(|(how, spelled)| spelled.iter().map(move |words| (*how, words)));
        let found = found.filter_map(|(how, words)| {
            let words: Vec<&str> = words.split(' ').collect();
            let here = tokens.get(at..at + words.len())?;
            here.iter().zip(&words).all(|(token, word)| token.is(word)).then_some((at, words.len(), how))
        });
        found.max_by_key(|(_, length, _)| *length)
    })
}

fn test(subject: &str, how: How, values: &[Token]) -> Option<String> {
    let is_written_out = matches!(how, How::Blank | How::Filled);
    if is_written_out != values.is_empty() {
        return None;
    }
    let day = || Date::from_iso(&values.first()?.text).filter(|_| values.len() == 1);
    let value = || joined(values);
    Some(match how {
        How::Blank => format!("{subject} is blank"),
        How::Filled => format!("{subject} is filled"),
        How::Is => format!("{subject} is {}", value()?),
        How::IsNot => format!("{subject} is not {}", value()?),
        How::OneOf => format!("{subject} is one of {}", list(values)?),
        How::NotOneOf => format!("{subject} is not one of {}", list(values)?),
        How::Since | How::AtLeast if day().is_some() => format!("{subject} since {}", value()?),
        How::Until | How::AtMost if day().is_some() => format!("{subject} before {}", next_day(day()?)),
        How::After | How::Over if day().is_some() => format!("{subject} since {}", next_day(day()?)),
        How::Before | How::Under if day().is_some() => format!("{subject} before {}", value()?),
        How::Since | How::Until | How::After | How::Before => return None,
        How::AtLeast => format!("{subject} at least {}", value()?),
        How::AtMost => format!("{subject} at most {}", value()?),
        How::Over => format!("{subject} more than {}", value()?),
        How::Under => format!("{subject} less than {}", value()?),
        How::Contains => format!("{subject} contains {}", value()?),
        How::ContainsNot => format!("not {subject} contains {}", value()?),
        How::StartsWith => format!("{subject} starts with {}", value()?),
        How::EndsWith => format!("{subject} ends with {}", value()?),
        How::Has => format!("{subject} has {}", value()?),
        How::Like => like(subject, values)?,
        How::Within | How::Between => {
            let words: Vec<&str> = values.iter().map(|value| value.text.as_str()).collect();
            format!("{subject} {} {}", if how == How::Within { "within" } else { "between" }, words.join(" "))
        }
    })
}

/// `like "A%"`: the signs at its ends say which part of the value is meant.
fn like(subject: &str, values: &[Token]) -> Option<String> {
    let [value] = values else { return None };
    let text = value.text.trim_matches(['%', '*']);
    let open = |is_open: bool| is_open.then_some(());
    let (before, after) = (value.text.starts_with(['%', '*']), value.text.ends_with(['%', '*']));
    open(!text.contains(['%', '*', '_']) && !text.is_empty())?;
    let how = match (before, after) {
        (true, true) => "contains",
        (true, false) => "ends with",
        (false, true) => "starts with",
        (false, false) => "is",
    };
    Some(format!("{subject} {how} {}", quoted(text)))
}

/// The values between commas; those of several words in quotes.
fn list(values: &[Token]) -> Option<String> {
    let values: Vec<Token> = values.iter().filter(|value| !value.is("(") && !value.is(")")).cloned().collect();
    let parts: Option<Vec<String>> = values.split(|value| value.is(",")).map(joined).collect();
    Some(parts?.join(", "))
}

/// Words that are one name or value: in quotes where they need it.
fn joined(tokens: &[Token]) -> Option<String> {
    let has_sign = tokens.iter().any(|token| ["(", ")", ","].iter().any(|sign| token.is(sign)));
    if tokens.is_empty() || has_sign {
        return None;
    }
    let words: Vec<&str> = tokens.iter().map(|token| token.text.as_str()).collect();
    let is_quoted = tokens.iter().any(|token| token.is_quoted);
    let text = words.join(" ");
    Some(if is_quoted { format!("\"{text}\"") } else { quoted(&text) })
}

fn quoted(text: &str) -> String {
    let is_plain =
        !text.is_empty() && text.chars().all(|c| c.is_alphanumeric() || matches!(c, '_' | '-' | '.' | '@' | ':'));
    if is_plain { text.to_owned() } else { format!("\"{text}\"") }
}

fn next_day(day: Date) -> String {
    let mut text = String::new();
    Moment { date: Date::from_day_number(day.day_number() + 1), time: None }.write(&mut text);
    text
}
