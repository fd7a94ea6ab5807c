//! A record as it was read → the same with its values cleaned, and with the fields that its file has no column for but
//! that follow from others.
//!
//! Only columns that are written, required, or in a condition are looked at. A record in which all is clean is handed on
//! as it stands.

use super::decoded_twice::{DecodedRecord, TextRepair};
use super::plan::{CleaningPlan, ColumnCleaning, Derived};
use pebblebank_table::csv::without_defusing;
use pebblebank_table::split::RecordBuffer;
use pebblebank_table::units::ColumnIndex;
use pebblebank_table::{CsvBuffer, Record, cell};
use pebblebank_values::address::{Address, AddressCleaner, AddressWishes, FurtherAddress};
use pebblebank_values::blank::{BlankIn, trimmed};
use pebblebank_values::consent::{self, YesMeans};
use pebblebank_values::fold::fold;
use pebblebank_values::name::{self, NamePart};
use pebblebank_values::place::{self, Country};
use pebblebank_values::quick_map::QuickMap;
use pebblebank_values::text::{LineEnds, is_tidy, ordinary_width, tidy};
use pebblebank_values::{
    Cleaned, Doubt, Kind, Rule, Rules, audience, language, number, phone, place_parts, postal_code, region, tags,
    website, yes_no,
};
use std::borrow::Cow;
use std::ops::Range;
use std::sync::Arc;

/// The country of the row that is being cleaned, once it was asked for.
#[derive(Debug, Clone, Copy)]
enum RowCountry {
    NotAsked,
    Is(Option<Country>),
}

/// A repair of one cell.
#[derive(Debug, Clone)]
pub struct CellRepair {
    /// Where.
    pub column: ColumnIndex,
    /// What was done.
    pub rules: Rules,
    before: Range<usize>,
    after: Range<usize>,
}

/// Cleans records, one after the other. Keeps its buffers from record to record.
#[derive(Debug, Default)]
pub struct RowCleaner {
    decoded: DecodedRecord,
    is_decoded: bool,
    record: RecordBuffer,
    cell: CsvBuffer,
    /// The texts of the repairs, before and after.
    texts: String,
    repairs: Vec<CellRepair>,
    doubts: Vec<(ColumnIndex, Doubt)>,
    out: String,
    /// What one kind of value makes of a text.
    value: String,
    known_countries: QuickMap<Vec<u8>, Option<Country>>,
    /// By place of the column and its kind.
    known_words: Vec<QuickMap<Vec<u8>, KnownWord>>,
    addresses: AddressCleaner,
    is_changed: bool,
}

/// A cell of a kind in which few different words occur, and what became of it.
#[derive(Debug)]
struct KnownWord {
    cleaned: Cleaned,
    before: String,
    after: String,
}

/// Kinds of which words are remembered; the direction of yes and no belongs to it.
const WORD_KINDS: [(Kind, Option<YesMeans>); 6] = [
    (Kind::Country, None),
    (Kind::Language, None),
    (Kind::YesNo, None),
    (Kind::Consent, None),
    (Kind::Consent, Some(YesMeans::OptedIn)),
    (Kind::Consent, Some(YesMeans::OptedOut)),
];

/// How many different words are remembered for each kind.
const WORDS_REMEMBERED: usize = 512;

impl RowCleaner {
    /// A cleaner for a job, which says how further addresses are cleaned.
    pub fn with(addresses: Arc<AddressWishes>) -> RowCleaner {
        RowCleaner { addresses: AddressCleaner::with(addresses), ..RowCleaner::default() }
    }

    /// What was repaired in the record that was cleaned last, by column.
    pub fn repairs(&self) -> impl Iterator<Item = (ColumnIndex, Rules, &str, &str)> {
        self.repairs.iter().map(|repair| {
            (repair.column, repair.rules, &self.texts[repair.before.clone()], &self.texts[repair.after.clone()])
        })
    }

    /// What is doubtful in it.
    pub fn doubts(&self) -> &[(ColumnIndex, Doubt)] {
        &self.doubts
    }

    /// Whether anything was changed or added.
    pub fn is_changed(&self) -> bool {
        self.is_changed
    }

    /// What was put right in it that had been decoded wrongly.
    pub fn decoded(&self) -> &[TextRepair] {
        if self.is_decoded { self.decoded.repairs() } else { &[] }
    }

    /// The record that was cleaned last, cleaned; itself where nothing was changed or added.
    pub fn after<'a>(&'a self, record: &Record<'a>) -> Record<'a> {
        match (self.is_changed, self.is_decoded) {
            (true, _) => self.record.record(),
            (false, true) => self.decoded.record(),
            (false, false) => *record,
        }
    }

    /// Cleans a record whose address is `address`: puts right what was decoded wrongly, then cleans each value.
    pub fn clean(&mut self, plan: &CleaningPlan, record: &Record, address: &Address) {
        let mut decoded = std::mem::take(&mut self.decoded);
        self.is_decoded = decoded.read(record, &plan.map);
        let meant = if self.is_decoded { decoded.record() } else { *record };
        self.clean_values(plan, &meant, address);
        self.decoded = decoded;
    }

    fn clean_values(&mut self, plan: &CleaningPlan, record: &Record, address: &Address) {
        self.repairs.clear();
        self.doubts.clear();
        self.texts.clear();
        self.is_changed = false;
        let mut country = RowCountry::NotAsked;
        for column in &plan.columns {
            let raw = record.raw(column.column.0);
            if !raw.is_empty() && !self.is_surely_clean(plan, column, raw, record, &mut country) {
                self.clean_cell(plan, column, raw, record, &mut country);
            }
        }
        if plan.names[0].is_some() || plan.names[4].is_some() {
            self.move_name_parts(plan, record);
        }
        if let Some(city) = plan.city {
            self.part_place(plan, city, record, &mut country);
        }
        let is_tagged = plan.wishes.tags_roles && address.is_usable() && audience::is_role(address.local());
        if let (true, Some(column)) = (is_tagged, plan.tags) {
            let value = self.value(record, column).into_owned();
            let tagged =
                if value.is_empty() { ROLE_TAG.to_owned() } else { format!("{value}{}{ROLE_TAG}", tags::BETWEEN) };
            if !value.split(tags::BETWEEN).any(|tag| tag == ROLE_TAG) {
                self.change(column, Rules::one(Rule::TagsForm), &value, &tagged);
            }
        }
        self.is_changed = !self.repairs.is_empty() || !plan.derived.is_empty();
        if self.is_changed {
            self.rebuild(plan, record, address, is_tagged, &mut country);
        }
    }

    /// The quick tests, on the cell as it stands in the file.
    #[inline]
    fn is_surely_clean(
        &mut self,
        plan: &CleaningPlan,
        column: &ColumnCleaning,
        raw: &[u8],
        record: &Record,
        country: &mut RowCountry,
    ) -> bool {
        if plan.is_receipt && raw[0] == b'\'' {
            return false;
        }
        let raw = match raw {
            // A cell with quotes around a plain text is as clean as the text.
            [b'"', inner @ .., b'"'] if memchr::memchr(b'"', inner).is_none() && !inner.is_empty() => inner,
            [b'"', ..] => return false,
            _ => raw,
        };
        let is_no_blank_word = || plan.wishes.blank_words.is_surely_none(raw, column.kind.blank_in());
        match column.kind {
            Kind::Phone => phone::is_clean(raw),
            Kind::Date(of) => plan.dates(of, column.order).is_clean(raw),
            Kind::PostalCode => match self.country(plan, record, country) {
                Some(country) => postal_code::is_clean_code(raw, country),
                None => is_tidy(raw) && raw.iter().all(u8::is_ascii_digit),
            },
            Kind::Country
            | Kind::Consent
            | Kind::Language
            | Kind::YesNo
            | Kind::Region
            | Kind::Tags
            | Kind::Website
            | Kind::Email => false,
            Kind::Number => number::is_clean(raw),
            Kind::Name(part) => {
                is_no_blank_word() && name::has_mixed_case(raw) && is_tidy(raw) && is_plain_name(raw, part)
            }
            Kind::Street | Kind::City => is_no_blank_word() && is_tidy(raw) && memchr::memchr(b',', raw).is_none(),
            Kind::Company | Kind::Text | Kind::Notes | Kind::Identifier => is_no_blank_word() && is_tidy(raw),
        }
    }

    /// The country of the row: its own, else the job's. A row whose country is not known has none.
    fn country(&mut self, plan: &CleaningPlan, record: &Record, country: &mut RowCountry) -> Option<Country> {
        if let RowCountry::Is(known) = *country {
            return known;
        }
        let found = self.find_country(plan, record);
        *country = RowCountry::Is(found);
        found
    }

    fn find_country(&mut self, plan: &CleaningPlan, record: &Record) -> Option<Country> {
        let raw = plan.country.map_or(&[][..], |column| record.raw(column.0));
        if raw.is_empty() {
            return plan.wishes.country;
        }
        if let Some(known) = self.known_countries.get(raw) {
            return *known;
        }
        let text = cell::text(raw);
        let found = if plan.wishes.blank_words.holds(&text, BlankIn::Places) {
            plan.wishes.country
        } else {
            Country::from_text(&tidy(&text, LineEnds::AreBlanks, &mut Rules::default()))
        };
        if self.known_countries.len() < WORDS_REMEMBERED {
            self.known_countries.insert(raw.to_vec(), found);
        }
        found
    }

    fn clean_cell(
        &mut self,
        plan: &CleaningPlan,
        column: &ColumnCleaning,
        raw: &[u8],
        record: &Record,
        country: &mut RowCountry,
    ) {
        // Few different words occur in these, and most of them again and again.
        let is_word = matches!(column.kind, Kind::Country | Kind::Consent | Kind::Language | Kind::YesNo);
        let words = WORD_KINDS.iter().position(|kind| *kind == (column.kind, column.yes_means)).unwrap_or_default();
        if is_word && let Some(known) = self.known_words.get(words).and_then(|words| words.get(raw)) {
            match known.cleaned {
                Cleaned::AsItIs => {}
                Cleaned::Doubtful(doubt) => self.doubts.push((column.column, doubt)),
                Cleaned::Repaired(rules) => {
                    let (texts, repairs) = (&mut self.texts, &mut self.repairs);
                    note_change(texts, repairs, column.column, rules, (&known.before, &known.after));
                }
            }
            return;
        }
        let text = original_text(plan, raw);
        let mut out = std::mem::take(&mut self.out);
        out.clear();
        let cleaned = self.cleaned(plan, column, &text, record, country, &mut out);
        match cleaned {
            Cleaned::Doubtful(doubt) => self.doubts.push((column.column, doubt)),
            // A cell that was defused by an earlier run is changed back without being repaired.
            Cleaned::AsItIs if plan.is_receipt && raw.first() == Some(&b'\'') => {
                self.change(column.column, Rules::NONE, &text, &text);
            }
            Cleaned::AsItIs => {}
            Cleaned::Repaired(rules) => self.change(column.column, rules, &text, &out),
        }
        if is_word {
            self.known_words.resize_with(WORD_KINDS.len(), QuickMap::default);
            let words = &mut self.known_words[words];
            if words.len() < WORDS_REMEMBERED {
                let known = KnownWord { cleaned, before: text.into_owned(), after: out.clone() };
                words.insert(raw.to_vec(), known);
            }
        }
        self.out = out;
    }

    /// What becomes of the text of a cell; where it is repaired, `out` holds the new text.
    fn cleaned(
        &mut self,
        plan: &CleaningPlan,
        column: &ColumnCleaning,
        text: &str,
        record: &Record,
        country: &mut RowCountry,
        out: &mut String,
    ) -> Cleaned {
        if plan.wishes.blank_words.holds(text, column.kind.blank_in()) {
            let is_word = !trimmed(text).is_empty();
            return Cleaned::Repaired(Rules::one(if is_word { Rule::BlankWord } else { Rule::OuterBlanks }));
        }
        let country = match column.kind {
            Kind::Phone | Kind::PostalCode | Kind::Region => self.country(plan, record, country),
            _ => None,
        };
        let mut rules = Rules::NONE;
        let tidied = tidy(text, line_ends(column.kind), &mut rules);
        if column.kind == Kind::Phone && phone::is_placeholder(&tidied) {
            return Cleaned::Repaired(Rules::one(Rule::BlankWord));
        }
        // Each kind writes into a buffer of its own, so that what it began and gave up is nowhere.
        let mut value = std::mem::take(&mut self.value);
        value.clear();
        let cleaned = self.clean_value(column, plan, &tidied, country, &mut rules, &mut value);
        let cleaned = match cleaned {
            Cleaned::AsItIs if *tidied == *text => Cleaned::AsItIs,
            Cleaned::AsItIs => {
                out.push_str(&tidied);
                Cleaned::Repaired(rules)
            }
            Cleaned::Repaired(more) => {
                out.push_str(&value);
                rules.add_all(more);
                Cleaned::Repaired(rules)
            }
            Cleaned::Doubtful(doubt) => Cleaned::Doubtful(doubt),
        };
        self.value = value;
        cleaned
    }

    fn clean_value(
        &mut self,
        column: &ColumnCleaning,
        plan: &CleaningPlan,
        text: &str,
        country: Option<Country>,
        rules: &mut Rules,
        out: &mut String,
    ) -> Cleaned {
        match column.kind {
            Kind::Phone => phone::clean(&ordinary_width(text, rules), country, out),
            Kind::Date(of) => {
                let dates = plan.dates(of, column.order);
                let shown = ordinary_width(text, rules);
                let cleaned = dates.clean(&shown, out);
                let day = dates.moment(&shown).map(|(moment, _)| moment.date);
                if !matches!(cleaned, Cleaned::Doubtful(_)) && day.is_ok_and(|day| dates.is_to_come(day)) {
                    self.doubts.push((column.column, Doubt::DateToCome));
                }
                cleaned
            }
            Kind::PostalCode => postal_code::clean_postal_code(&ordinary_width(text, rules), country, out),
            Kind::Country => place::clean_country(text, out),
            Kind::Region => region::clean_region(text, country, out),
            Kind::Language => language::clean(text, out),
            Kind::Number => number::clean(&ordinary_width(text, rules), out),
            Kind::YesNo => yes_no::clean(text, out),
            Kind::Website => website::clean(text, out),
            Kind::Tags => tags::clean(text, column.separator, out),
            Kind::Consent => match consent::written(consent::read(text, column.yes_means)) {
                Some(word) if word == text => Cleaned::AsItIs,
                Some(word) => {
                    out.push_str(word);
                    Cleaned::Repaired(Rules::one(Rule::ConsentWord))
                }
                None => Cleaned::AsItIs,
            },
            Kind::Email => self.clean_address(text, out),
            Kind::Name(part) => self.clean_name(column.column, text, part, out),
            Kind::Street | Kind::City => match place_parts::without_repeated_parts(text) {
                Some(once) => {
                    out.push_str(&once);
                    Cleaned::Repaired(Rules::one(Rule::RepeatedPart))
                }
                None => Cleaned::AsItIs,
            },
            Kind::Company | Kind::Text | Kind::Notes | Kind::Identifier => Cleaned::AsItIs,
        }
    }

    fn clean_address(&mut self, text: &str, out: &mut String) -> Cleaned {
        let address = self.addresses.clean(text.as_bytes());
        if !address.is_usable() {
            return Cleaned::Doubtful(Doubt::UnusableAddress);
        }
        if address.text == text.as_bytes() {
            return Cleaned::AsItIs;
        }
        out.push_str(&String::from_utf8_lossy(address.text));
        Cleaned::Repaired(address.rules)
    }

    fn clean_name(&mut self, column: ColumnIndex, text: &str, part: NamePart, out: &mut String) -> Cleaned {
        if name::is_address(text) {
            return Cleaned::Doubtful(Doubt::AddressInName);
        }
        if matches!(part, NamePart::First | NamePart::Last | NamePart::Full) && name::is_company(text) {
            self.doubts.push((column, Doubt::CompanyInName));
            return Cleaned::AsItIs;
        }
        let mut rules = Rules::NONE;
        let turned = if part == NamePart::Full { name::given_first(text) } else { None };
        if turned.is_some() {
            rules.add(Rule::FamilyFirst);
        }
        let name: Cow<str> = turned.map_or(text.into(), Cow::Owned);
        let repaired = name::repaired_case(&name, part);
        if repaired.is_some() {
            rules.add(Rule::LetterCase);
        }
        if rules.is_empty() {
            return Cleaned::AsItIs;
        }
        out.push_str(repaired.as_deref().unwrap_or(&name));
        Cleaned::Repaired(rules)
    }

    /// Notes a change of a cell.
    fn change(&mut self, column: ColumnIndex, rules: Rules, before: &str, after: &str) {
        note_change(&mut self.texts, &mut self.repairs, column, rules, (before, after));
    }

    /// The value of a cell after the changes so far.
    fn value<'a>(&'a self, record: &Record<'a>, column: ColumnIndex) -> Cow<'a, str> {
        match self.repairs.iter().rev().find(|repair| repair.column == column) {
            Some(repair) => Cow::Borrowed(&self.texts[repair.after.clone()]),
            None => cell::text(record.raw(column.0)),
        }
    }

    /// Titles and suffixes that stand in a name go where the file has a column for them.
    fn move_name_parts(&mut self, plan: &CleaningPlan, record: &Record) {
        let [title, first, _, last, suffix] = plan.names;
        if let (Some(to), Some(from)) = (title, first) {
            let name = self.value(record, from).into_owned();
            let (found, rest) = name::without_titles(&name);
            self.move_part(record, (from, &name, rest), (to, found));
        }
        if let (Some(to), Some(from)) = (suffix, last) {
            let name = self.value(record, from).into_owned();
            let (rest, found) = name::without_trailing_suffixes(&name);
            self.move_part(record, (from, &name, rest), (to, &found.join(" ")));
        }
    }

    fn move_part(&mut self, record: &Record, from: (ColumnIndex, &str, &str), to: (ColumnIndex, &str)) {
        let (from, name, rest) = from;
        let (to, part) = to;
        if part.is_empty() {
            return;
        }
        let there = self.value(record, to).into_owned();
        if !there.is_empty() && fold(&there) != fold(part) {
            return;
        }
        self.change(from, Rules::one(Rule::NameParts), name, rest);
        if there.is_empty() {
            self.change(to, Rules::NONE, "", part);
        }
    }

    /// City, region and postal code in one cell are parted where the others are blank, or wanted and not there.
    fn part_place(&mut self, plan: &CleaningPlan, city: ColumnIndex, record: &Record, country: &mut RowCountry) {
        let raw = record.raw(city.0);
        let is_wanted = plan.postal_code.is_some() || plan.derived.contains(&Derived::PostalCode);
        if !is_wanted || !raw.iter().any(u8::is_ascii_digit) || !plan.columns.iter().any(|known| known.column == city) {
            return;
        }
        let country = self.country(plan, record, country);
        let text = self.value(record, city).into_owned();
        let Some(parts) = place_parts::place_parts(&text, country) else { return };
        let is_free = |cleaner: &RowCleaner, column: Option<ColumnIndex>, part: &str| {
            column.is_none_or(|column| {
                let there = cleaner.value(record, column);
                there.is_empty() || there.eq_ignore_ascii_case(part)
            })
        };
        let region = parts.region.as_deref().unwrap_or_default();
        let keeps_region = region.is_empty() || plan.region.is_some() || plan.derived.contains(&Derived::Region);
        if !keeps_region
            || !is_free(self, plan.postal_code, &parts.postal_code)
            || (!region.is_empty() && !is_free(self, plan.region, region))
        {
            return;
        }
        self.change(city, Rules::one(Rule::PlaceParts), &text, &parts.city);
        for (column, part) in [(plan.postal_code, parts.postal_code.as_str()), (plan.region, region)] {
            if let Some(column) = column
                && !part.is_empty()
                && self.value(record, column).is_empty()
            {
                self.change(column, Rules::NONE, "", part);
            }
        }
    }

    /// Builds the record anew: cells as they stand or as they were changed, then the derived ones, then surplus ones.
    fn rebuild(
        &mut self,
        plan: &CleaningPlan,
        record: &Record,
        address: &Address,
        is_tagged: bool,
        country: &mut RowCountry,
    ) {
        let mut buffer = std::mem::take(&mut self.record);
        buffer.clear();
        // A short record grows where a part of another cell goes beyond its end.
        let changed = self.repairs.iter().map(|repair| repair.column.0 + 1).max().unwrap_or_default();
        let cells = if plan.derived.is_empty() { record.cells().max(changed) } else { plan.width };
        for column in 0..cells {
            match self.repairs.iter().rev().find(|repair| repair.column.0 == column) {
                Some(repair) => push_value(&mut self.cell, &mut buffer, &self.texts[repair.after.clone()]),
                None => buffer.cell(record.raw(column)),
            }
        }
        if !plan.derived.is_empty() {
            let full = plan.full_name.map(|column| self.value(record, column).into_owned());
            let parts = full.as_deref().map(name::part).unwrap_or_default();
            let further = if plan.derived.iter().any(|derived| matches!(derived, Derived::FurtherAddress(_))) {
                self.further_addresses(plan, record, address)
            } else {
                Vec::new()
            };
            let place = if plan.derived.iter().any(|derived| matches!(derived, Derived::PostalCode | Derived::Region)) {
                plan.city.and_then(|city| {
                    place_parts::place_parts(
                        &original_text(plan, record.raw(city.0)),
                        self.country(plan, record, country),
                    )
                })
            } else {
                None
            };
            let parted = self.repairs.iter().any(|repair| repair.rules.has(Rule::PlaceParts));
            let place = place.filter(|_| parted);
            for derived in &plan.derived {
                let whole;
                let value: &str = match derived {
                    Derived::PartOfName(part) => parts.part(*part),
                    Derived::WholeName => {
                        whole = self.whole_name(plan, record);
                        &whole
                    }
                    Derived::PostalCode => place.as_ref().map_or("", |place| &place.postal_code),
                    Derived::Region => place.as_ref().and_then(|place| place.region.as_deref()).unwrap_or_default(),
                    Derived::Tags if is_tagged => ROLE_TAG,
                    Derived::Tags | Derived::Supplied => "",
                    Derived::FurtherAddress(number) => further.get(number - 2).map_or("", String::as_str),
                };
                push_value(&mut self.cell, &mut buffer, value);
            }
            for column in plan.width..record.cells() {
                buffer.cell(record.raw(column));
            }
        }
        self.record = buffer;
    }

    fn whole_name(&self, plan: &CleaningPlan, record: &Record) -> String {
        let [_, first, middle, last, _] = plan.names;
        let mut whole = String::new();
        for column in [first, middle, last].into_iter().flatten() {
            let value = self.value(record, column);
            if !value.is_empty() && !whole.is_empty() {
                whole.push(' ');
            }
            whole.push_str(&value);
        }
        whole
    }

    /// The usable addresses beside the first, as they are written: of its cell, then of further columns, each once.
    fn further_addresses(&mut self, plan: &CleaningPlan, record: &Record, address: &Address) -> Vec<String> {
        let mut all: Vec<FurtherAddress> = address.further.to_vec();
        for column in &plan.further_addresses {
            let value = cell::value(record.raw(column.0));
            let further = self.addresses.clean(&value);
            if further.is_usable() {
                let text = |bytes: &[u8]| String::from_utf8_lossy(bytes).into_owned();
                let (text, identity) = (text(further.text), text(further.identity));
                all.push(FurtherAddress { typed: text.clone(), text, identity });
                all.extend(further.further.iter().cloned());
            }
        }
        let mut seen = std::collections::HashSet::from([String::from_utf8_lossy(address.identity).into_owned()]);
        all.into_iter().filter(|further| seen.insert(further.identity.clone())).map(|further| further.text).collect()
    }
}

/// The tag of contacts with a role address.
pub const ROLE_TAG: &str = "role-address";

fn note_change(
    texts: &mut String,
    repairs: &mut Vec<CellRepair>,
    column: ColumnIndex,
    rules: Rules,
    (before, after): (&str, &str),
) {
    let start = texts.len();
    texts.push_str(before);
    let middle = texts.len();
    texts.push_str(after);
    repairs.push(CellRepair { column, rules, before: start..middle, after: middle..texts.len() });
}

fn push_value(cell: &mut CsvBuffer, buffer: &mut RecordBuffer, value: &str) {
    cell.clear();
    cell.value(value.as_bytes());
    buffer.cell(cell.bytes.strip_suffix(b",").unwrap_or(&cell.bytes));
}

/// The text of a cell; of one that an earlier run wrote aside, as it was before.
fn original_text<'a>(plan: &CleaningPlan, raw: &'a [u8]) -> Cow<'a, str> {
    if !plan.is_receipt {
        return cell::text(raw);
    }
    match without_defusing(cell::value(raw)) {
        Cow::Borrowed(bytes) => String::from_utf8_lossy(bytes),
        Cow::Owned(bytes) => Cow::Owned(String::from_utf8_lossy(&bytes).into_owned()),
    }
}

fn line_ends(kind: Kind) -> LineEnds {
    match kind {
        Kind::Notes | Kind::Tags | Kind::Phone => LineEnds::Stay,
        Kind::Street | Kind::City => LineEnds::AreCommas,
        _ => LineEnds::AreBlanks,
    }
}

/// Whether a tidy name in mixed case is surely a person's, and written as names are: no comma, no sign of an address
/// or a company.
fn is_plain_name(raw: &[u8], part: NamePart) -> bool {
    if matches!(part, NamePart::Title | NamePart::Suffix) {
        return true;
    }
    let has_sign =
        raw.iter().any(|byte| matches!(byte, b'@' | b'&' | b'.') || (*byte == b',' && part == NamePart::Full));
    let text = || std::str::from_utf8(raw).unwrap_or_default();
    !has_sign && (memchr::memchr(b' ', raw).is_none() || !name::is_company(text()))
}
