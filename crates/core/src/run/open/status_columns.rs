//! The columns of a list that say of each row what happened: one with events (sent, bounced, unsubscribed), one with the
//! class of a bounce (hard or soft, or its code).

use crate::columns::map::ColumnMap;
use crate::columns::sample::SampleRecords;
use crate::suppress::reason::Reason;
use crate::suppress::status::{self, StatusReason};
use pebblebank_table::units::ColumnIndex;
use pebblebank_table::{Record, cell};
use pebblebank_values::consent::{self, Consent, Statement, YesMeans};
use pebblebank_values::fold::fold;
use pebblebank_values::status_code::code_class;
use std::collections::BTreeMap;

/// Headers of columns with events, folded.
const EVENT_HEADERS: [&str; 18] = [
    "status",
    "event",
    "event type",
    "event name",
    "delivery status",
    "email status",
    "mail status",
    "bounce status",
    "ereignis",
    "zustellstatus",
    "evento",
    "evenement",
    "statut",
    "estado",
    "stato",
    "gebeurtenis",
    "situacao",
    "subscription status",
];

/// Headers of columns with classes or codes of bounces, folded; only where the values are such too.
const CLASS_HEADERS: [&str; 22] = [
    "bounce type",
    "bounce class",
    "bounce category",
    "bounce classification",
    "bounce reason",
    "type",
    "sub type",
    "subtype",
    "class",
    "classification",
    "category",
    "severity",
    "status code",
    "code",
    "smtp code",
    "dsn",
    "dsn code",
    "reply code",
    "enhanced code",
    "diagnostic code",
    "bounce",
    "result",
];

/// What the beginning of a column says of events and bounces.
#[derive(Debug, Clone, Copy, Default)]
struct Look {
    filled: u64,
    events: u64,
    classes: u64,
    verdicts: u64,
}

impl Look {
    fn of(values: impl Iterator<Item = String>) -> Look {
        let mut look = Look::default();
        for value in values.take(500) {
            look.filled += 1;
            let is_class_word = || {
                let folded = fold(&value);
                code_class(&value).is_some()
                    || !matches!(folded.as_str(), "bounce" | "bounced" | "returned" | "bounces")
            };
            match status::read(&value) {
                StatusReason::Blank | StatusReason::Unlisted => {}
                StatusReason::Verdict => look.verdicts += 1,
                StatusReason::SoftBounce => look.classes += 1,
                StatusReason::Is(Reason::Bounced) if is_class_word() => look.classes += 1,
                StatusReason::Is(_) | StatusReason::None => look.events += 1,
            }
        }
        look
    }

    fn is_of_events(self) -> bool {
        self.events > 0 && (self.events + self.classes) * 2 > self.filled
    }

    fn is_of_classes(self) -> bool {
        self.classes * 2 > self.filled
    }
}

/// The columns that decide what the rows of a file are.
#[derive(Debug, Clone, Default)]
pub struct StatusColumns {
    event: Option<ColumnIndex>,
    class: Option<ColumnIndex>,
    /// A column of yes and no, such as "Unsubscribed".
    consent: Option<(ColumnIndex, YesMeans)>,
    /// Whether the column of events holds verdicts of a check of addresses.
    is_of_verdicts: bool,
    /// What words mean that are not listed, or mean something else here, folded.
    means: BTreeMap<String, StatusReason>,
}

impl StatusColumns {
    /// Finds them by their headers and by what the beginning of the file shows.
    pub fn find(map: &ColumnMap, sample: &SampleRecords, records_above: u64) -> StatusColumns {
        let columns: Vec<ColumnIndex> = (0..map.width())
            .map(ColumnIndex)
            .filter(|column| !map.address_columns().any(|taken| taken == *column))
            .collect();
        let looks: Vec<(ColumnIndex, Look, String)> = columns
            .iter()
            .map(|column| {
                let look = Look::of(sample.column(column.0, records_above));
                (*column, look, fold(map.header(*column)))
            })
            .collect();
        let is_event_header = |header: &str| EVENT_HEADERS.contains(&header);
        let by_values = looks.iter().filter(|(_, look, _)| look.is_of_events());
        let best = by_values
            .max_by_key(|(column, look, header)| (is_event_header(header), look.events, std::cmp::Reverse(column.0)));
        // A column that is called a status decides, whatever stands in it; verdicts are no events.
        let by_name = || {
            looks.iter().find(|(_, look, header)| is_event_header(header) && look.verdicts * 2 <= look.filled.max(1))
        };
        let event = best.or_else(by_name).map(|(column, ..)| *column);
        let classes = looks.iter().filter(|(column, look, _)| Some(*column) != event && look.is_of_classes());
        let class = classes.max_by_key(|(column, look, header)| {
            (CLASS_HEADERS.contains(&header.as_str()), look.classes, std::cmp::Reverse(column.0))
        });
        // A check of addresses has no events: its verdicts are said, and are no bounces.
        let verdict =
            || looks.iter().find(|(_, look, _)| look.verdicts * 2 > look.filled.max(1)).map(|(column, ..)| *column);
        let class = class.map(|(column, ..)| *column);
        let is_of_verdicts = event.is_none();
        let event = event.or_else(|| if class.is_none() { verdict() } else { None });
        let consent = map.consents.iter().find_map(|consent| Some((consent.column, consent.yes_means?)));
        let consent = consent.filter(|_| event.is_none() && class.is_none());
        StatusColumns { event, class, consent, is_of_verdicts, means: BTreeMap::new() }
    }

    /// Only the column that somebody names.
    pub fn named(column: ColumnIndex) -> StatusColumns {
        StatusColumns { event: Some(column), ..StatusColumns::default() }
    }

    /// With what somebody says that words mean.
    #[must_use]
    pub fn meaning(self, means: &BTreeMap<String, StatusReason>) -> StatusColumns {
        StatusColumns { means: means.clone(), ..self }
    }

    /// Without classes of bounces and verdicts, where something else is asked for.
    #[must_use]
    pub fn of_events(self) -> StatusColumns {
        let event = if self.is_of_verdicts { None } else { self.event };
        StatusColumns { event, class: None, ..self }
    }

    /// Whether there are none.
    pub fn is_empty(&self) -> bool {
        self.event.is_none() && self.class.is_none() && self.consent.is_none()
    }

    /// The columns, for words.
    pub fn columns(&self) -> impl Iterator<Item = ColumnIndex> {
        [self.event, self.class, self.consent.map(|(column, _)| column)].into_iter().flatten()
    }

    /// What a row says: the words, and what they mean.
    pub fn read(&self, record: &Record) -> (String, StatusReason) {
        let text = |column: ColumnIndex| cell::text(record.raw(column.0)).trim().to_owned();
        if let Some((column, yes_means)) = self.consent {
            let word = text(column);
            let said = match consent::read(&word, Some(yes_means)) {
                Statement::Says(Consent::OptedOut) => StatusReason::Is(Reason::OptedOut),
                Statement::Says(Consent::Complained) => StatusReason::Is(Reason::Complained),
                Statement::Says(Consent::Bounced) => StatusReason::Is(Reason::Bounced),
                Statement::Says(Consent::Unlisted) => StatusReason::Unlisted,
                Statement::Nothing if word.is_empty() => StatusReason::Blank,
                Statement::Says(Consent::OptedIn | Consent::Pending) | Statement::Nothing | Statement::YesOrNo => {
                    StatusReason::None
                }
            };
            return self.meant(word, said);
        }
        match (self.event, self.class) {
            (Some(event), Some(class)) => {
                let (event, class) = (text(event), text(class));
                let said = status::together(&event, &class);
                if let Some(meant) = self.means.get(&fold(&event)).or_else(|| self.means.get(&fold(&class))) {
                    return (event, *meant);
                }
                let is_told_apart =
                    matches!(status::read(&event), StatusReason::Is(Reason::Bounced) | StatusReason::Blank);
                let word = if is_told_apart && !class.is_empty() {
                    format!("{event} {class}").trim().to_owned()
                } else {
                    event
                };
                (word, said)
            }
            (Some(column), None) | (None, Some(column)) => {
                let word = text(column);
                let said = status::read(&word);
                self.meant(word, said)
            }
            (None, None) => (String::new(), StatusReason::Blank),
        }
    }

    fn meant(&self, word: String, said: StatusReason) -> (String, StatusReason) {
        let meant = self.means.get(&fold(&word)).copied().unwrap_or(said);
        (word, meant)
    }
}
