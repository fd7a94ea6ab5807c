//! What a header says of consent, in the seven languages and as part of compounds.

use pebblebank_values::consent::YesMeans;
use pebblebank_values::fold::fold;
use pebblebank_values::headers::{self, Meaning};
use std::sync::LazyLock;

/// What the words of a header say about consent.
#[derive(Debug, Clone, PartialEq, Eq)]
pub enum HeaderSays {
    /// Nothing.
    Nothing,
    /// It is about another channel than e-mail.
    OtherChannel,
    /// A yes is this.
    Direction(YesMeans),
    /// It may be about consent, and does not say in which direction.
    Open,
}

#[derive(Debug, Clone, Copy, PartialEq, Eq, Hash)]
pub(super) enum Kind {
    Out,
    In,
    Wish,
    Consent,
    Topic,
    Open,
    Not,
    Mail,
    Other,
}

/// A word of the table, or several in a row.
#[derive(Debug)]
pub(super) struct Stem {
    pub(super) words: Vec<&'static str>,
    pub(super) kind: Kind,
}

pub(super) static STEMS: LazyLock<Vec<Stem>> = LazyLock::new(|| {
    let lines = include_str!("consent_stems.txt").lines().filter(|line| !line.starts_with('#'));
    let mut stems = Vec::new();
    for (name, words) in lines.filter_map(|line| line.split_once(':')) {
        let kind = match name {
            "out" => Kind::Out,
            "in" => Kind::In,
            "wish" => Kind::Wish,
            "consent" => Kind::Consent,
            "topic" => Kind::Topic,
            "open" => Kind::Open,
            "not" => Kind::Not,
            "mail" => Kind::Mail,
            _ => Kind::Other,
        };
        let stem = |text: &'static str| Stem { words: text.split_whitespace().collect(), kind };
        stems.extend(words.split('|').map(stem));
    }
    stems
});

impl Stem {
    /// Whether the words at this place are those of the stem.
    pub(super) fn is_at(&self, words: &[String]) -> bool {
        words.len() >= self.words.len() && self.words.iter().zip(words).all(|(stem, word)| fits(stem, word))
    }
}

pub(super) fn fits(stem: &str, word: &str) -> bool {
    if word.starts_with("option") || word.starts_with("adoption") {
        return false;
    }
    match (stem.strip_prefix('*'), stem.strip_suffix('*')) {
        (Some(rest), Some(_)) => word.contains(&rest[..rest.len() - 1]),
        (Some(end), None) => word.ends_with(end),
        (None, Some(begin)) => word.starts_with(begin),
        (None, None) => word == stem,
    }
}

/// The words of a header, folded; a capital inside a word begins a new one.
pub(super) fn words_of(header: &str) -> Vec<String> {
    let mut parted = String::with_capacity(header.len() + 4);
    let mut before: Option<char> = None;
    let mut signs = header.chars().peekable();
    while let Some(sign) = signs.next() {
        let begins = sign.is_uppercase()
            && before.is_some_and(|before| {
                before.is_lowercase()
                    || before.is_numeric()
                    || (before.is_uppercase() && signs.peek().is_some_and(|next| next.is_lowercase()))
            });
        if begins {
            parted.push(' ');
        }
        parted.push(sign);
        before = Some(sign);
    }
    fold(&parted.replace(['\'', '’'], " ")).split(' ').map(str::to_owned).collect()
}

/// What the words of a header say about consent.
pub fn header_says(header: &str) -> HeaderSays {
    let words = words_of(header);
    let mut kinds: Vec<Option<Kind>> = vec![None; words.len()];
    // The longest stem at a place holds; words of headers such as "E-mail" written in capitals are one word.
    let (mut at, mut refusing) = (0, 0);
    while at < words.len() {
        let fitting = STEMS.iter().filter(|stem| stem.is_at(&words[at..]));
        // "no" behind all else is a number.
        let fitting = fitting.filter(|stem| stem.kind != Kind::Not || at + 1 < words.len() || at == 0);
        let longest = fitting.max_by_key(|stem| (stem.words.len(), gravity(stem.kind)));
        let length = longest.map_or(1, |stem| stem.words.len());
        refusing += usize::from(longest.is_some_and(|stem| matches!(stem.kind, Kind::Out | Kind::Not)));
        kinds[at..at + length].fill(longest.map(|stem| stem.kind));
        at += length;
    }
    let has = |kind: Kind| kinds.contains(&Some(kind));
    let unknown = kinds.iter().filter(|kind| kind.is_none()).count();
    let is_about_mail = has(Kind::Topic) || has(Kind::Mail);
    let is_wished = has(Kind::Wish) && is_about_mail;
    let about =
        is_wished || has(Kind::Out) || has(Kind::In) || has(Kind::Consent) || has(Kind::Topic) || has(Kind::Open);
    let is_negated_mail = has(Kind::Not) && has(Kind::Mail);
    if !about && !is_negated_mail {
        return HeaderSays::Nothing;
    }
    // "SMS marketing" is about texts; "E-mail and SMS" about both. "Contact" alone says no channel.
    let names_mail =
        words.iter().any(|word| word.contains("mail") || word.contains("newsletter") || word.contains("courriel"));
    if has(Kind::Other) && !names_mail {
        return HeaderSays::OtherChannel;
    }
    // "Ne pas contacter" is one refusal in two words; "do not unsubscribe" is none.
    let in_two_words = words.windows(2).any(|pair| pair[0] == "ne" && pair[1] == "pas");
    if refusing > 1 + usize::from(in_two_words) {
        return HeaderSays::Open;
    }
    if has(Kind::Out) || has(Kind::Not) {
        return HeaderSays::Direction(YesMeans::OptedOut);
    }
    if has(Kind::Open) && !has(Kind::In) && !is_wished && !has(Kind::Topic) {
        return HeaderSays::Open;
    }
    if has(Kind::Consent) && !has(Kind::In) && !is_about_mail && unknown > 0 && !only_usual(&words, &kinds) {
        return HeaderSays::Open;
    }
    HeaderSays::Direction(YesMeans::OptedIn)
}

/// Words that add nothing to a header.
pub(super) const USUAL_WORDS: [&str; 36] = [
    "status",
    "state",
    "flag",
    "date",
    "at",
    "on",
    "am",
    "le",
    "el",
    "given",
    "erteilt",
    "datum",
    "time",
    "timestamp",
    "has",
    "is",
    "the",
    "a",
    "of",
    "to",
    "for",
    "our",
    "by",
    "via",
    "per",
    "ok",
    "yes",
    "and",
    "und",
    "et",
    "y",
    "e",
    "en",
    "de",
    "customer",
    "general",
];

/// Whether the words that the table does not know say nothing by themselves.
pub(super) fn only_usual(words: &[String], kinds: &[Option<Kind>]) -> bool {
    let mut unknown = words.iter().zip(kinds).filter(|(_, kind)| kind.is_none()).map(|(word, _)| word.as_str());
    unknown.all(|word| USUAL_WORDS.contains(&word) || word.bytes().all(|byte| byte.is_ascii_digit()))
}

/// What a header is on, without the words that make it one about consent: "shop" of "Shop newsletter".
pub fn subject(header: &str) -> Vec<String> {
    let words = words_of(header);
    let is_known = |word: &String| {
        STEMS.iter().any(|stem| stem.words.iter().any(|part| fits(part, word))) || USUAL_WORDS.contains(&word.as_str())
    };
    words.into_iter().filter(|word| !is_known(word)).collect()
}

/// Of two kinds that fit equally long, the one that costs less if it is wrong.
pub(super) fn gravity(kind: Kind) -> u8 {
    match kind {
        Kind::Out => 7,
        Kind::Not => 6,
        Kind::Other => 5,
        Kind::In => 4,
        Kind::Consent => 3,
        Kind::Open => 2,
        Kind::Topic => 1,
        Kind::Mail | Kind::Wish => 0,
    }
}

/// What yes means under a header that is known, or that says it.
pub fn direction_of(header: &str) -> Option<YesMeans> {
    match (headers::recognise(header), header_says(header)) {
        (Some(Meaning::Consent(Some(yes_means))), _) | (_, HeaderSays::Direction(yes_means)) => Some(yes_means),
        _ => None,
    }
}
