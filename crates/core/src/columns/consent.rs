//! Columns that may say who must not be contacted: what their header and their values leave open.
//!
//! A wrong guess here writes to people who refused. So a column is taken only where header and values leave one reading;
//! else the user is asked.

use pebblebank_values::consent::{self, Consent, Statement, YesMeans};
use pebblebank_values::fold::fold;
use pebblebank_values::headers::{self, Meaning};
use pebblebank_values::look::Look;
use std::collections::HashMap;
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
enum Kind {
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
struct Stem {
    words: Vec<&'static str>,
    kind: Kind,
}

static STEMS: LazyLock<Vec<Stem>> = LazyLock::new(|| {
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
    fn is_at(&self, words: &[String]) -> bool {
        words.len() >= self.words.len() && self.words.iter().zip(words).all(|(stem, word)| fits(stem, word))
    }
}

fn fits(stem: &str, word: &str) -> bool {
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
fn words_of(header: &str) -> Vec<String> {
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
const USUAL_WORDS: [&str; 36] = [
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
fn only_usual(words: &[String], kinds: &[Option<Kind>]) -> bool {
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
fn gravity(kind: Kind) -> u8 {
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

/// What the values of a column are, seen as statements about consent.
#[derive(Debug, Clone, Default)]
pub struct ValuesSay {
    /// Filled values.
    pub filled: u64,
    /// Yes, a tick, 1.
    pub yes: u64,
    /// No, 0.
    pub no: u64,
    /// Dates.
    pub dates: u64,
    /// Words that say by themselves what they mean, such as "subscribed".
    pub words: u64,
    /// Of these, refusals.
    pub refusals: u64,
    /// Of these, refusals that can mean nothing else.
    pub sure_refusals: u64,
    /// Blanks.
    pub blank: u64,
    /// Addresses, hashes, domains.
    pub addresses: u64,
    /// The different values with their counts, the first few.
    pub values: Vec<(String, u64)>,
}

/// The most different values that are kept.
const VALUES_KEPT: usize = 40;

/// Words that refuse something, but perhaps not mail.
const UNSURE_REFUSALS: [&str; 40] = [
    "cancelled",
    "canceled",
    "refused",
    "declined",
    "denied",
    "removed",
    "blocked",
    "rejected",
    "disabled",
    "disallowed",
    "revoked",
    "withdrawn",
    "objected",
    "cleaned",
    "gesperrt",
    "abgelehnt",
    "gekundigt",
    "refuse",
    "refusee",
    "retire",
    "retiree",
    "bloque",
    "bloquee",
    "resilie",
    "resiliee",
    "cancelado",
    "cancelada",
    "rechazado",
    "rechazada",
    "baja",
    "bloqueado",
    "bloqueada",
    "cancellato",
    "cancellata",
    "rifiutato",
    "rifiutata",
    "geweigerd",
    "opgezegd",
    "removido",
    "removida",
];

impl ValuesSay {
    /// Looks at the values of a column; blank ones included.
    pub fn of(values: impl Iterator<Item = String>) -> ValuesSay {
        let mut say = ValuesSay::default();
        let mut known: HashMap<String, Seen> = HashMap::new();
        let mut counts: HashMap<String, u64> = HashMap::new();
        for value in values {
            let text = value.trim().to_owned();
            let seen = *known.entry(text.clone()).or_insert_with(|| Seen::of(&text));
            say.add(seen);
            if !text.is_empty() && (counts.len() < VALUES_KEPT || counts.contains_key(&text)) {
                *counts.entry(text).or_default() += 1;
            }
        }
        say.values = counts.into_iter().collect();
        say.values.sort_by(|a, b| b.1.cmp(&a.1).then_with(|| a.0.cmp(&b.0)));
        say
    }

    fn add(&mut self, seen: Seen) {
        if seen == Seen::Blank {
            self.blank += 1;
            return;
        }
        self.filled += 1;
        match seen {
            Seen::Blank | Seen::Text => {}
            Seen::Yes => self.yes += 1,
            Seen::No => self.no += 1,
            Seen::Date => self.dates += 1,
            Seen::Address => self.addresses += 1,
            Seen::Word => self.words += 1,
            Seen::Refusal | Seen::SureRefusal => {
                self.words += 1;
                self.refusals += 1;
                self.sure_refusals += u64::from(seen == Seen::SureRefusal);
            }
        }
    }

    /// Whether they are such as stand in a column about consent.
    pub fn look_like_consent(&self) -> bool {
        (self.yes + self.no + self.dates + self.words) * 2 > self.filled
    }

    /// Whether most of them refuse, or speak of a subscription with refusals among them, whatever the header says.
    fn speak_of_refusals(&self) -> bool {
        self.filled > 0 && (self.refusals * 2 > self.filled || (self.words * 2 > self.filled && self.sure_refusals > 0))
    }

    /// Whether boxes are ticked or left alone, so that nobody says no.
    pub fn are_ticks(&self) -> bool {
        self.yes > 0 && self.no == 0 && self.words == 0 && self.dates == 0
    }

    /// Whether they need a direction: yes and no, ticks and dates do, words do not.
    pub fn needs_direction(&self) -> bool {
        self.yes + self.no + self.dates > 0
    }

    /// Whether they are a few words that come again, as those of a status do.
    pub fn are_few(&self) -> bool {
        const FEW: usize = 20;
        const LONGEST: usize = 32;
        self.values.len() <= FEW && self.values.iter().all(|(value, _)| value.len() <= LONGEST)
    }

    /// The most frequent values with their counts, for a question. Only short words are shown.
    pub fn shown(&self) -> String {
        const SHOWN: usize = 5;
        let shown = |(value, count): &(String, u64)| {
            let text: String = value.chars().take(20).collect();
            format!("{text} ({count})")
        };
        let mut all: Vec<String> = self.values.iter().take(SHOWN).map(shown).collect();
        if self.values.len() > SHOWN {
            all.push(format!("and {} more", self.values.len() - SHOWN));
        }
        if self.blank > 0 {
            all.push(format!("blank ({})", self.blank));
        }
        all.join(", ")
    }
}

/// What one value is.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
enum Seen {
    Blank,
    Yes,
    No,
    Date,
    Word,
    Refusal,
    SureRefusal,
    Address,
    Text,
}

impl Seen {
    fn of(text: &str) -> Seen {
        match consent::read(text, None) {
            _ if consent::is_none_word(text) => Seen::Blank,
            Statement::Nothing => Seen::Blank,
            Statement::YesOrNo if consent::read(text, Some(YesMeans::OptedIn)) == Statement::Says(Consent::OptedIn) => {
                Seen::Yes
            }
            Statement::YesOrNo => Seen::No,
            Statement::Says(Consent::OptedOut | Consent::Complained) => {
                if UNSURE_REFUSALS.contains(&fold(text).as_str()) { Seen::Refusal } else { Seen::SureRefusal }
            }
            Statement::Says(Consent::Unlisted) => match Look::of(text) {
                Look::Date => Seen::Date,
                Look::Address | Look::Hash | Look::Domain => Seen::Address,
                _ => Seen::Text,
            },
            Statement::Says(_) => Seen::Word,
        }
    }
}

/// Whether a word of a status column can only be a refusal.
pub fn is_sure_refusal(text: &str) -> bool {
    Seen::of(text) == Seen::SureRefusal
}

/// What a column is, by its header and its values together.
#[derive(Debug, Clone, PartialEq, Eq)]
pub enum Judged {
    /// It says nothing about consent.
    Nothing,
    /// It is about another channel than e-mail.
    OtherChannel,
    /// There is one reading. `by_values` where the header alone would not have told.
    Consent {
        /// What yes means; none where words say by themselves what they mean.
        yes_means: Option<YesMeans>,
        /// Whether the values told, and not the header.
        by_values: bool,
    },
    /// There are several readings: the user is asked.
    Open,
}

/// Judges a column that nobody mapped.
pub fn judge(header: &str, values: &ValuesSay) -> Judged {
    let says = header_says(header);
    if values.addresses * 2 > values.filled && values.filled > 0 {
        return Judged::Nothing;
    }
    match says {
        HeaderSays::OtherChannel => Judged::OtherChannel,
        HeaderSays::Nothing if values.speak_of_refusals() && !values.needs_direction() => {
            let is_sure = values.sure_refusals > 0;
            if is_sure { Judged::Consent { yes_means: None, by_values: true } } else { Judged::Open }
        }
        HeaderSays::Nothing => Judged::Nothing,
        // Nothing is filled so far: what comes later is read, or asked about.
        HeaderSays::Direction(yes_means) if values.filled == 0 => {
            Judged::Consent { yes_means: Some(yes_means), by_values: false }
        }
        HeaderSays::Open if values.filled == 0 => Judged::Consent { yes_means: None, by_values: false },
        _ if !values.look_like_consent() => {
            if values.sure_refusals > 0 {
                Judged::Open
            } else {
                Judged::Nothing
            }
        }
        HeaderSays::Direction(yes_means) => Judged::Consent { yes_means: Some(yes_means), by_values: false },
        HeaderSays::Open if values.needs_direction() => Judged::Open,
        HeaderSays::Open => Judged::Consent { yes_means: None, by_values: true },
    }
}

/// What yes means under a header that is known, or that says it.
pub fn direction_of(header: &str) -> Option<YesMeans> {
    match (headers::recognise(header), header_says(header)) {
        (Some(Meaning::Consent(Some(yes_means))), _) | (_, HeaderSays::Direction(yes_means)) => Some(yes_means),
        _ => None,
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use rstest::rstest;

    #[rstest]
    #[case("Marketing OK?", YesMeans::OptedIn)]
    #[case("Email marketing", YesMeans::OptedIn)]
    #[case("GDPR consent", YesMeans::OptedIn)]
    #[case("May contact", YesMeans::OptedIn)]
    #[case("Subscribe", YesMeans::OptedIn)]
    #[case("Permission to email", YesMeans::OptedIn)]
    #[case("Einwilligung", YesMeans::OptedIn)]
    #[case("Werbeeinwilligung", YesMeans::OptedIn)]
    #[case("Promotional emails", YesMeans::OptedIn)]
    #[case("is_subscribed", YesMeans::OptedIn)]
    #[case("Consentement marketing", YesMeans::OptedIn)]
    #[case("Toestemming nieuwsbrief", YesMeans::OptedIn)]
    #[case("Kein Newsletter", YesMeans::OptedOut)]
    #[case("Opted out of e-mail", YesMeans::OptedOut)]
    #[case("Unsubscribed at", YesMeans::OptedOut)]
    #[case("Opt-out date", YesMeans::OptedOut)]
    #[case("Abgemeldet am", YesMeans::OptedOut)]
    #[case("DoNotContact", YesMeans::OptedOut)]
    #[case("emailOptOut", YesMeans::OptedOut)]
    #[case("EMAIL_OPTOUT", YesMeans::OptedOut)]
    #[case("Ne pas contacter", YesMeans::OptedOut)]
    #[case("No contactar", YesMeans::OptedOut)]
    #[case("Geen e-mail", YesMeans::OptedOut)]
    #[case("Desabonné le", YesMeans::OptedOut)]
    #[case("Fecha de baja", YesMeans::OptedOut)]
    #[case("Não enviar e-mail", YesMeans::OptedOut)]
    #[case("Marketing blocked", YesMeans::OptedOut)]
    #[case("newsletterAbgemeldet", YesMeans::OptedOut)]
    #[case("Marketing not allowed", YesMeans::OptedOut)]
    fn a_header_has_a_direction(#[case] header: &str, #[case] yes_means: YesMeans) {
        assert_eq!(header_says(header), HeaderSays::Direction(yes_means), "{:?}", words_of(header));
    }

    #[rstest]
    #[case("Privacy")]
    #[case("Terms")]
    #[case("Subscription")]
    #[case("Abonnement")]
    #[case("Do not unsubscribe")]
    #[case("Photo consent")]
    fn a_header_may_leave_the_direction_open(#[case] header: &str) {
        assert_eq!(header_says(header), HeaderSays::Open);
    }

    #[rstest]
    #[case("Option", HeaderSays::Nothing)]
    #[case("Volunteer", HeaderSays::Nothing)]
    #[case("Attending", HeaderSays::Nothing)]
    #[case("Customer no", HeaderSays::Nothing)]
    #[case("Contact no.", HeaderSays::Nothing)]
    #[case("SMS marketing", HeaderSays::OtherChannel)]
    #[case("Opt-in phone", HeaderSays::OtherChannel)]
    #[case("E-mail and SMS consent", HeaderSays::Direction(YesMeans::OptedIn))]
    fn a_header_may_be_about_something_else(#[case] header: &str, #[case] says: HeaderSays) {
        assert_eq!(header_says(header), says);
    }

    #[rstest]
    #[case("Opt status", &["unsubscribed", "unsubscribed", "x1"], Judged::Consent { yes_means: Some(YesMeans::OptedIn), by_values: false })]
    #[case("State", &["unsubscribed", "unsubscribed", ""], Judged::Consent { yes_means: None, by_values: true })]
    #[case("Order", &["cancelled", "cancelled", "shipped"], Judged::Open)]
    #[case("Town", &["Larkfold", "Quillmere"], Judged::Nothing)]
    #[case("Marketing", &["1200", "90", "7"], Judged::Nothing)]
    #[case("Subscription", &["yes", "no"], Judged::Open)]
    #[case("Subscription", &["unsubscribed", "subscribed"], Judged::Consent { yes_means: None, by_values: true })]
    fn header_and_values_are_judged_together(#[case] header: &str, #[case] values: &[&str], #[case] judged: Judged) {
        let values = ValuesSay::of(values.iter().map(|value| (*value).to_owned()));
        assert_eq!(judge(header, &values), judged);
    }
}
