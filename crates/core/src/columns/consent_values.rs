//! What the values of a column say of consent.

use pebblebank_values::consent::{self, Consent, Statement, YesMeans};
use pebblebank_values::fold::fold;
use pebblebank_values::look::Look;
use std::collections::HashMap;

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
pub(super) const VALUES_KEPT: usize = 40;

/// Words that refuse something, but perhaps not mail.
pub(super) const UNSURE_REFUSALS: [&str; 40] = [
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

    pub(super) fn add(&mut self, seen: Seen) {
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

    /// Whether they are such as are in a column about consent.
    pub fn look_like_consent(&self) -> bool {
        (self.yes + self.no + self.dates + self.words) * 2 > self.filled
    }

    /// Whether most of them refuse, or speak of a subscription with refusals among them, whatever the header says.
    pub(super) fn speak_of_refusals(&self) -> bool {
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
pub(super) enum Seen {
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
    pub(super) fn of(text: &str) -> Seen {
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
