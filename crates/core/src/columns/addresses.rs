//! Which of the columns that hold addresses hold those of the contact.

use pebblebank_values::fold::fold;
use pebblebank_values::look::Look;
use std::sync::LazyLock;

/// Whose addresses a column holds, by its header.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum Whose {
    /// The header says nothing.
    Unknown,
    /// The contact's: it speaks of addresses.
    Contact,
    /// The contact's, beside others: a second, an old, a private one.
    ContactFurther,
    /// Somebody else's, or a new one in place of the contact's: "Added by", "Replaced by".
    SomebodyElse,
}

static WORDS: LazyLock<Vec<(&'static str, &'static str)>> = LazyLock::new(|| {
    let lines = include_str!("address_headers.txt").lines().filter(|line| !line.starts_with('#'));
    lines
        .filter_map(|line| line.split_once(':'))
        .flat_map(|(kind, words)| words.split('|').map(move |word| (kind, word.trim())))
        .collect()
});

impl Whose {
    /// What a header says.
    ///
    /// ```
    /// use pebblebank_core::columns::addresses::Whose;
    /// assert_eq!(Whose::of("email_2"), Whose::ContactFurther);
    /// assert_eq!(Whose::of("Private E-Mail"), Whose::ContactFurther);
    /// assert_eq!(Whose::of("E-mail (new)"), Whose::SomebodyElse);
    /// assert_eq!(Whose::of("Added by"), Whose::SomebodyElse);
    /// assert_eq!(Whose::of("Newsletter address e-mail"), Whose::Contact);
    /// ```
    pub fn of(header: &str) -> Whose {
        let folded = parted(header);
        let words: Vec<&str> = folded.split(' ').collect();
        let has = |wanted: &str| WORDS.iter().any(|(kind, stem)| *kind == wanted && holds(&words, stem));
        let has_number = words.iter().any(|word| !word.is_empty() && word.bytes().all(|byte| byte.is_ascii_digit()));
        match () {
            () if has("other") => Whose::SomebodyElse,
            () if has("address") && (has("own") || has_number) => Whose::ContactFurther,
            () if has("address") => Whose::Contact,
            () => Whose::Unknown,
        }
    }
}

/// The words of a header, digits split from letters, a capital beginning a new word.
fn parted(header: &str) -> String {
    let mut text = String::with_capacity(header.len() + 4);
    let mut before: Option<char> = None;
    for sign in header.chars() {
        let is_edge = before.is_some_and(|before| {
            (before.is_lowercase() && sign.is_uppercase()) || before.is_numeric() != sign.is_numeric()
        });
        if is_edge {
            text.push(' ');
        }
        text.push(sign);
        before = Some(sign);
    }
    fold(&text)
}

fn holds(words: &[&str], stem: &str) -> bool {
    let parts: Vec<&str> = stem.split(' ').collect();
    let fits = |part: &str, word: &str| match (part.strip_prefix('*'), part.strip_suffix('*')) {
        (Some(end), _) => word.ends_with(end),
        (_, Some(begin)) => word.starts_with(begin),
        _ => word == part,
    };
    words.windows(parts.len()).any(|run| parts.iter().zip(run).all(|(part, word)| fits(part, word)))
}

/// What share of the filled values of a column are of one of these looks; none where nothing is filled.
pub fn mostly(values: impl Iterator<Item = String>, is_one: impl Fn(Look) -> bool) -> bool {
    let (mut filled, mut found) = (0u64, 0u64);
    for value in values {
        filled += 1;
        found += u64::from(is_one(Look::of(&value)));
    }
    found * 2 > filled
}
