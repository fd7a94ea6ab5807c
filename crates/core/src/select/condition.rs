//! The condition language: `country is GB and (signed_up since 2026-01-01 or not tags has member)`.
//!
//! ```text
//! condition  = all { "or" all }
//! all        = one { "and" one }
//! one        = "not" one | "(" condition ")" | "in" list | column test
//! test       = "is" [ "not" ] ( "blank" | "filled" | value | "one of" value { "," value } )
//!            | "since" date | "before" date | "between" value "and" value | "within" number "days"
//!            | "at least" number | "at most" number | "more than" number | "less than" number
//!            | "contains" text | "starts with" text | "ends with" text | "has" tag
//! ```
//!
//! A column is a field, `age` (from the birthday), `domain` (of the address), or the header of an extra column. What has
//! blanks stands in quotes; what stands in quotes is never a keyword. Letter case does not count.

use crate::select::condition_meant::meant;
use crate::select::condition_words::{Word, in_short, words};
use pebblebank_table::error::closest;
use pebblebank_table::{Error, ErrorKind, Result};
use pebblebank_values::date::Date;
use pebblebank_values::text::comparable;
use pebblebank_values::{ColumnRef, Field};

/// Who is picked, as a job says it.
#[derive(Debug, Clone, PartialEq)]
pub struct Selection {
    /// The condition as it is written.
    pub text: String,
    /// The text, read.
    pub condition: Condition,
}

/// A condition.
#[derive(Debug, Clone, PartialEq)]
pub enum Condition {
    /// All of these hold.
    All(Vec<Condition>),
    /// One of these holds.
    Any(Vec<Condition>),
    /// This does not hold.
    Not(Box<Condition>),
    /// A column passes a test.
    Column(Subject, Test),
    /// The person is in the list, or in the source, of this name.
    In(String),
}

/// What is tested.
#[derive(Debug, Clone, PartialEq, Eq)]
pub enum Subject {
    /// The value of a field or column.
    Value(ColumnRef),
    /// The years since the birthday.
    Age,
    /// The domain of the address.
    Domain,
}

/// What a value must be. A blank fails all but `IsNot` and `IsBlank`.
#[derive(Debug, Clone, PartialEq)]
pub enum Test {
    /// One of these, compared without letter case.
    Is(Vec<String>),
    /// None of these, or blank.
    IsNot(Vec<String>),
    /// Blank.
    IsBlank,
    /// Not blank.
    IsFilled,
    /// On this day or later.
    Since(Date),
    /// Before this day.
    Before(Date),
    /// From this day to that, both included.
    BetweenDays(Date, Date),
    /// At most this many days ago, and not still to come.
    WithinDays(i32),
    /// A number from this to that, both included where the second says so.
    Number(NumberTest),
    /// Has this text in it.
    Contains(String),
    /// Begins with this text.
    StartsWith(String),
    /// Ends with this text.
    EndsWith(String),
    /// Has this tag.
    Has(String),
}

/// How a number is compared.
#[derive(Debug, Clone, Copy, PartialEq)]
pub enum NumberTest {
    /// This or more.
    AtLeast(f64),
    /// This or less.
    AtMost(f64),
    /// More than this.
    MoreThan(f64),
    /// Less than this.
    LessThan(f64),
    /// From this to that, both included.
    Between(f64, f64),
}

impl Selection {
    /// Reads a condition.
    ///
    /// ```
    /// use pebblebank_core::select::condition::Selection;
    /// assert!(Selection::parse("country is GB and not (tags has member or age less than 18)").is_ok());
    /// let error = Selection::parse("country iss GB").unwrap_err();
    /// assert!(error.advice().contains("did you mean is?"));
    /// let error = Selection::parse("country = GB && orders >= 3").unwrap_err();
    /// assert_eq!(error.advice(), "write --where 'country is GB and orders at least 3'");
    /// ```
    pub fn parse(text: &str) -> Result<Selection> {
        Selection::read(text).map_err(|error| {
            let meant = meant(text).filter(|meant| meant != text && Selection::read(meant).is_ok());
            meant.map_or(error.clone(), |meant| instead(&error, &meant))
        })
    }

    fn read(text: &str) -> Result<Selection> {
        let mut parser = Parser { text, words: words(text)?, at: 0, depth: 0 };
        let condition = parser.any()?;
        match parser.peek() {
            None => Ok(Selection { text: text.to_owned(), condition }),
            Some(word) if word.is(")") => Err(parser.wrong("this ) closes nothing", "take it out")),
            Some(_) => Err(parser.wrong(
                &format!("{} cannot stand here", parser.here()),
                "write and or or between two conditions; a value of several words needs quotes",
            )),
        }
    }

    /// The condition with another column or list in place of the one of this name; none where its words do not show it.
    pub fn with_name(&self, name: &str, other: &str) -> Option<String> {
        let needs_quotes = !other.chars().all(|c| c.is_alphanumeric() || c == '_');
        let other = if needs_quotes { format!("\"{other}\"") } else { other.to_owned() };
        let quoted = format!("\"{name}\"");
        let text = if self.text.contains(&quoted) {
            self.text.replace(&quoted, &other)
        } else {
            let words = self.text.split(' ').map(|word| if word == name { other.as_str() } else { word });
            words.collect::<Vec<_>>().join(" ")
        };
        (text != self.text && !text.contains('\'') && Selection::read(&text).is_ok()).then_some(text)
    }

    /// The columns that it needs.
    pub fn columns(&self) -> impl Iterator<Item = ColumnRef> {
        let mut columns = Vec::new();
        self.condition.add_columns(&mut columns);
        columns.into_iter()
    }

    /// The lists and sources that it asks about.
    pub fn lists(&self) -> impl Iterator<Item = &str> {
        let mut lists = Vec::new();
        self.condition.add_lists(&mut lists);
        lists.into_iter()
    }
}

impl Condition {
    fn add_columns(&self, columns: &mut Vec<ColumnRef>) {
        match self {
            Condition::All(parts) | Condition::Any(parts) => parts.iter().for_each(|part| part.add_columns(columns)),
            Condition::Not(part) => part.add_columns(columns),
            Condition::In(_) => {}
            Condition::Column(subject, _) => columns.push(match subject {
                Subject::Value(column) => column.clone(),
                Subject::Age => ColumnRef::Field(Field::Birthday),
                Subject::Domain => ColumnRef::Field(Field::Email),
            }),
        }
    }
}

impl Condition {
    fn add_lists<'a>(&'a self, lists: &mut Vec<&'a str>) {
        match self {
            Condition::All(parts) | Condition::Any(parts) => parts.iter().for_each(|part| part.add_lists(lists)),
            Condition::Not(part) => part.add_lists(lists),
            Condition::In(name) => lists.push(name),
            Condition::Column(..) => {}
        }
    }
}

/// The error with the condition that was likely meant, ready to be pasted on a command line or into a job file.
fn instead(error: &Error, meant: &str) -> Error {
    let in_shell = meant.replace('\'', r"'\''");
    let in_job =
        if meant.contains('\'') { format!("\"{}\"", meant.replace('"', "\\\"")) } else { format!("'{meant}'") };
    Error::new(error.kind(), error.what(), format!("write --where '{in_shell}'"))
        .or_in_job(format!("write where = {in_job}"))
}

/// The first words of all tests.
const TESTS: [&str; 14] = [
    "is",
    "since",
    "before",
    "between",
    "within",
    "at least",
    "at most",
    "more than",
    "less than",
    "contains",
    "starts with",
    "ends with",
    "has",
    "is not",
];

/// Words that people write for a blank: taken as a value, they would silently pick nobody.
const NOTHING: [&str; 3] = ["empty", "null", "missing"];

/// How deep conditions may go: far deeper than anybody writes them, and far from the end of any stack.
const DEEPEST: usize = 100;

struct Parser<'a> {
    text: &'a str,
    words: Vec<Word>,
    at: usize,
    /// How many parentheses and nots are open.
    depth: usize,
}

impl Parser<'_> {
    fn peek(&self) -> Option<&Word> {
        self.words.get(self.at)
    }

    /// The word that is looked at, in quotes; or the end.
    fn here(&self) -> String {
        self.peek().map_or("the end".to_owned(), |word| format!("\"{}\"", word.text))
    }

    fn wrong(&self, what: &str, advice: &str) -> Error {
        Error::new(ErrorKind::Job, format!("in the condition {}: {what}", in_short(self.text)), advice)
    }

    /// Takes a keyword, if it is the next word.
    fn takes(&mut self, keyword: &str) -> bool {
        let is_next = self.peek().is_some_and(|word| word.is(keyword));
        self.at += usize::from(is_next);
        is_next
    }

    /// Takes two keywords, if they are the next words.
    fn takes_both(&mut self, first: &str, second: &str) -> bool {
        let is = |at: usize, keyword: &str| self.words.get(at).is_some_and(|word| word.is(keyword));
        let are_next = is(self.at, first) && is(self.at + 1, second);
        self.at += if are_next { 2 } else { 0 };
        are_next
    }

    fn any(&mut self) -> Result<Condition> {
        let mut parts = vec![self.all()?];
        while self.takes("or") {
            parts.push(self.all()?);
        }
        Ok(if parts.len() == 1 { parts.remove(0) } else { Condition::Any(parts) })
    }

    fn all(&mut self) -> Result<Condition> {
        let mut parts = vec![self.one()?];
        while self.takes("and") {
            parts.push(self.one()?);
        }
        Ok(if parts.len() == 1 { parts.remove(0) } else { Condition::All(parts) })
    }

    /// Reads what is in a parenthesis or behind a not.
    fn deeper(&mut self, read: impl FnOnce(&mut Self) -> Result<Condition>) -> Result<Condition> {
        if self.depth == DEEPEST {
            let what = format!("more than {DEEPEST} parentheses or nots stand one in the other at word {}", self.at);
            return Err(self.wrong(&what, "write a flatter condition, or several jobs"));
        }
        self.depth += 1;
        let inner = read(self);
        self.depth -= 1;
        inner
    }

    fn one(&mut self) -> Result<Condition> {
        if self.takes("not") {
            let inner = self.deeper(Parser::one)?;
            return Ok(Condition::Not(Box::new(inner)));
        }
        if self.takes("(") {
            let inner = self.deeper(Parser::any)?;
            return if self.takes(")") {
                Ok(inner)
            } else {
                Err(self.wrong(&format!("a ) is missing before {}", self.here()), "close the parenthesis"))
            };
        }
        if self.asks_list() {
            self.at += 1;
            return self.value().map(Condition::In);
        }
        let subject = self.subject()?;
        let test = self.test(&subject)?;
        Ok(Condition::Column(subject, test))
    }

    /// Whether `in` and a name come next; a column may be called "in" too.
    fn asks_list(&self) -> bool {
        let is_test = |word: &Word| TESTS.iter().any(|test| word.is(test.split(' ').next().unwrap_or(test)));
        self.peek().is_some_and(|word| word.is("in")) && !self.words.get(self.at + 1).is_some_and(is_test)
    }

    fn subject(&mut self) -> Result<Subject> {
        let word = match self.peek() {
            Some(word) if !(word.is(",") || word.is(")") || word.is("and") || word.is("or")) => word.clone(),
            _ => {
                return Err(self.wrong(
                    &format!("a field or column is missing before {}", self.here()),
                    "write a field, then a comparison: country is GB",
                ));
            }
        };
        self.at += 1;
        Ok(match word.text.as_str() {
            "age" if !word.is_quoted => Subject::Age,
            "domain" if !word.is_quoted => Subject::Domain,
            name => Subject::Value(ColumnRef::new(name)),
        })
    }

    fn test(&mut self, subject: &Subject) -> Result<Test> {
        if self.takes("is") {
            return self.is();
        }
        let is_age = *subject == Subject::Age;
        if self.takes("since") {
            return self.day().map(Test::Since);
        }
        if self.takes("before") {
            return self.day().map(Test::Before);
        }
        if self.takes("between") {
            return self.between();
        }
        if self.takes("within") {
            let days = self.number()?;
            return if self.takes("days") || self.takes("day") {
                Ok(Test::WithinDays(days.clamp(0.0, 1e6) as i32))
            } else {
                Err(self.wrong(&format!("days is missing before {}", self.here()), "write within 90 days"))
            };
        }
        for (first, second, test) in [
            ("at", "least", NumberTest::AtLeast as fn(f64) -> NumberTest),
            ("at", "most", NumberTest::AtMost),
            ("more", "than", NumberTest::MoreThan),
            ("less", "than", NumberTest::LessThan),
        ] {
            if self.takes_both(first, second) {
                return self.number().map(test).map(Test::Number);
            }
        }
        if !is_age {
            if self.takes("contains") {
                return self.value().map(|text| Test::Contains(comparable(&text).into_owned()));
            }
            if self.takes_both("starts", "with") {
                return self.value().map(|text| Test::StartsWith(comparable(&text).into_owned()));
            }
            if self.takes_both("ends", "with") {
                return self.value().map(|text| Test::EndsWith(comparable(&text).into_owned()));
            }
            if self.takes("has") {
                return self.value().map(|text| Test::Has(comparable(&text).into_owned()));
            }
        }
        let here = self.here();
        let near = self.peek().and_then(|word| closest(&word.text, TESTS));
        let advice = match near {
            Some(near) => format!("did you mean {near}?"),
            None => "a header of several words needs quotes; else a comparison is missing".to_owned(),
        };
        Err(self.wrong(&format!("{here} is no comparison"), &advice).expected(format!("one of {}", TESTS.join(", "))))
    }

    fn is(&mut self) -> Result<Test> {
        let is_not = self.takes("not");
        if self.takes("blank") {
            return Ok(if is_not { Test::IsFilled } else { Test::IsBlank });
        }
        if self.takes("filled") {
            return Ok(if is_not { Test::IsBlank } else { Test::IsFilled });
        }
        let mut values = Vec::new();
        if self.takes_both("one", "of") {
            values.push(comparable(&self.value()?).into_owned());
            while self.takes(",") {
                values.push(comparable(&self.value()?).into_owned());
            }
        } else {
            if let Some(word) = self.peek().filter(|word| NOTHING.iter().any(|nothing| word.is(nothing))) {
                let what = format!("\"{}\" would be compared as a value", word.text);
                let advice = format!("write is blank, or is \"{}\" in quotes for the word itself", word.text);
                return Err(self.wrong(&what, &advice));
            }
            values.push(comparable(&self.value()?).into_owned());
        }
        Ok(if is_not { Test::IsNot(values) } else { Test::Is(values) })
    }

    fn between(&mut self) -> Result<Test> {
        let start = self.at;
        let first = self.value()?;
        if !self.takes("and") {
            return Err(self.wrong(&format!("and is missing before {}", self.here()), "write between 1 and 5"));
        }
        let second = self.value()?;
        match (Date::from_iso(&first), Date::from_iso(&second), first.parse(), second.parse()) {
            (Some(first), Some(second), ..) => Ok(Test::BetweenDays(first, second)),
            (_, _, Ok(first), Ok(second)) => Ok(Test::Number(NumberTest::Between(first, second))),
            _ => {
                self.at = start;
                Err(self.wrong(
                    &format!("{} and what follows are neither two days nor two numbers", self.here()),
                    "write between 2026-01-01 and 2026-03-31, or between 1 and 5",
                ))
            }
        }
    }

    fn value(&mut self) -> Result<String> {
        match self.peek() {
            Some(word) if word.is_quoted || !matches!(word.text.as_str(), "," | "(" | ")") => {
                let text = word.text.clone();
                self.at += 1;
                Ok(text)
            }
            _ => Err(self.wrong(
                &format!("a value is missing before {}", self.here()),
                "write what is compared with; one of several words needs quotes",
            )),
        }
    }

    fn day(&mut self) -> Result<Date> {
        let text = self.value()?;
        Date::from_iso(&text).ok_or_else(|| {
            self.at -= 1;
            self.wrong(&format!("{} is no day", self.here()), "write the day as 2026-01-31")
        })
    }

    fn number(&mut self) -> Result<f64> {
        let text = self.value()?;
        text.parse().ok().filter(|number: &f64| number.is_finite()).ok_or_else(|| {
            self.at -= 1;
            self.wrong(
                &format!("{} is no number", self.here()),
                "write a number, such as 3 or 12.5; days go with since and before",
            )
        })
    }
}
