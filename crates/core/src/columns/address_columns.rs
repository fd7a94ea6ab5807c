//! The column of the contact's address, further ones, and those of somebody else.

use crate::columns::addresses::Whose;
use crate::columns::map::{is_address_alone, is_domain_entry};
use crate::columns::mapper::{ENOUGH_OF_A_LIST, Mapper};
use pebblebank_table::observe::{Finding, Weight};
use pebblebank_table::units::ColumnIndex;
use pebblebank_table::{Error, ErrorKind, Result};
use pebblebank_values::Field;
use pebblebank_values::fold::fold;
use pebblebank_values::look::Look;

impl Mapper<'_> {
    /// One plain address column is the contact's; others beside it hold further addresses.
    pub fn take_addresses(&mut self, columns: &[ColumnIndex]) -> Result<()> {
        if self.map.column(Field::Email).is_some() {
            self.take_further_addresses(columns);
            return Ok(());
        }
        let is_plain = |column: &&ColumnIndex| {
            let words = fold(self.map.header(**column));
            matches!(words.as_str(), "email" | "e mail" | "email address" | "e mail address" | "mail" | "primary email")
        };
        let plain: Vec<ColumnIndex> = columns.iter().filter(is_plain).copied().collect();
        let first = match (columns, plain.as_slice()) {
            ([only], _) | (_, [only]) => *only,
            // Of a list every address is an entry, so that it does not matter which comes first.
            _ if self.file.is_list => columns[0],
            _ => {
                let names: Vec<_> = columns.iter().map(|column| format!("\"{}\"", self.map.header(*column))).collect();
                let what = format!("several columns have addresses: {}", names.join(", "));
                let example = self.map.header(columns[0]);
                let advice = format!("say which is the contact's: --field \"email={example}\"");
                let in_job = format!("say which is the contact's: columns = {{ email = \"{example}\" }}");
                if self.file.asks {
                    return Err(Error::new(ErrorKind::Question, what, advice)
                        .or_in_job(in_job)
                        .in_file(self.file.path));
                }
                let finding = Finding::new("several-address-columns", Weight::Warning, format!("{what}; {advice}"));
                self.findings.push(finding.or_in_job(format!("{what}; {in_job}")));
                columns[0]
            }
        };
        self.take(Field::Email, first);
        let others: Vec<ColumnIndex> = columns.iter().filter(|column| **column != first).copied().collect();
        self.take_further_addresses(&others);
        Ok(())
    }

    pub fn take_further_addresses(&mut self, columns: &[ColumnIndex]) {
        for column in columns {
            let header = self.map.header(*column).to_owned();
            let text = format!("\"{header}\" was taken for a further address of the same contact");
            self.findings.push(Finding::new("further-addresses", Weight::Note, text).in_column(header));
            self.map.further_addresses.push(*column);
            // It travels along as it is, and is no other field.
            self.taken[column.0] |= self.map.field_of(*column).is_some();
        }
    }

    /// Finds columns of addresses under whatever header: the contact's, and further ones.
    pub fn find_addresses_by_values(&mut self) {
        let has_header = self.file.table.has_header;
        let whose = |header: &String| if has_header { Whose::of(header) } else { Whose::Unknown };
        let owners: Vec<Whose> = self.map.headers.iter().map(whose).collect();
        let found = self.columns_of_addresses(&owners);
        let (others, mut own): (Vec<ColumnIndex>, Vec<ColumnIndex>) =
            found.into_iter().partition(|column| owners[column.0] == Whose::SomebodyElse);
        if self.map.column(Field::Email).is_none() {
            let Some(best) = self.likeliest(&own, &others, &owners) else { return };
            own.retain(|column| *column != best);
            self.take_by_values(best);
        }
        let is_contacts = |column: &ColumnIndex| self.file.is_list || owners[column.0] != Whose::Unknown || !has_header;
        let (further, unknown): (Vec<ColumnIndex>, Vec<ColumnIndex>) = own.into_iter().partition(is_contacts);
        self.take_further_addresses(&further);
        let email = self.map.column(Field::Email);
        for column in unknown.into_iter().chain(others).filter(|column| email != Some(*column)) {
            self.set_apart(column, owners[column.0]);
        }
    }

    /// Whether a value is what the column of the contact's address holds.
    fn is_address(&self, value: &str) -> bool {
        let look = Look::of(value);
        look == Look::Address
            || (self.file.is_list && (matches!(look, Look::Domain | Look::Hash) || is_domain_entry(value)))
    }

    /// The columns that are free and hold addresses; `owners` by column: whose they are by their headers.
    fn columns_of_addresses(&self, owners: &[Whose]) -> Vec<ColumnIndex> {
        // A further one holds nothing else; a text may mention an address.
        let is_further = |value: &str| self.is_address(value) && (!value.contains('@') || is_address_alone(value));
        let has_first = self.map.column(Field::Email).is_some();
        let is_one = |column: &ColumnIndex| match (self.is_filled(*column), has_first) {
            // Of a column without a value so far, its header decides.
            (false, _) => owners[column.0] == Whose::ContactFurther,
            // Of a list a column with some addresses is read as a whole; one too many costs a contact.
            (true, _) if self.file.is_list && self.share_of(*column, is_further) >= ENOUGH_OF_A_LIST => true,
            (true, true) => self.mostly(*column, is_further),
            (true, false) => self.mostly(*column, |value| self.is_address(value)),
        };
        let is_free = |column: &ColumnIndex| !self.taken[column.0] && !self.map.further_addresses.contains(column);
        (0..self.map.width()).map(ColumnIndex).filter(|column| is_one(column) && is_free(column)).collect()
    }

    fn is_filled(&self, column: ColumnIndex) -> bool {
        self.file.sample.column(column.0, self.file.table.records_above).next().is_some()
    }

    /// The column that the contact's address is taken from: the fullest that is the contact's by its header, else the
    /// fullest; of a list the one with the most addresses, if no column is full of them.
    fn likeliest(&self, own: &[ColumnIndex], others: &[ColumnIndex], owners: &[Whose]) -> Option<ColumnIndex> {
        let values = |column: &ColumnIndex| self.file.sample.column(column.0, self.file.table.records_above);
        let fullness = |column: &ColumnIndex| values(column).count();
        let rank =
            |column: &&ColumnIndex| (owners[column.0] == Whose::Contact, fullness(column), std::cmp::Reverse(column.0));
        let of_a_list = || {
            let addresses = |column: &ColumnIndex| values(column).filter(|value| self.is_address(value)).count();
            let is_free = |column: &ColumnIndex| self.file.is_list && !self.taken[column.0];
            let columns = (0..self.map.width()).map(ColumnIndex).filter(is_free);
            let counted = columns.map(|column| (addresses(&column), std::cmp::Reverse(column.0), column));
            counted.filter(|(count, ..)| *count > 0).max().map(|(.., column)| column)
        };
        let best = own.iter().max_by_key(rank).or_else(|| others.iter().max_by_key(|column| fullness(column)));
        best.copied().or_else(of_a_list)
    }

    fn take_by_values(&mut self, column: ColumnIndex) {
        self.take(Field::Email, column);
        if self.file.table.has_header {
            let header = self.map.header(column).to_owned();
            let text = format!("\"{header}\" was taken for email, because it has addresses");
            // Who is held hangs on a list's column of addresses.
            let weight = if self.file.is_list { Weight::Warning } else { Weight::Doubt };
            self.findings.push(Finding::new("address-by-values", weight, text).in_column(header));
        }
    }

    /// Notes a column of addresses that are not the contact's, or of which that is not clear.
    fn set_apart(&mut self, column: ColumnIndex, whose: Whose) {
        let header = self.map.header(column).to_owned();
        let (says, weight) = if whose == Whose::Unknown {
            self.map.compared_addresses.push(column);
            (
                "has addresses, and it is not clear whose: they are compared with lists, and make no rows one person",
                Weight::Warning,
            )
        } else {
            self.map.others_addresses.push(column);
            ("has addresses of somebody else, by its header: they count for nobody", Weight::Doubt)
        };
        let main = self.map.column(Field::Email).map_or("…", |column| self.map.header(column));
        let text = format!(
            "\"{header}\" {says}; --field \"email={main}\" --field \"email={header}\" reads it as a second address"
        );
        let in_job = format!(
            "\"{header}\" {says}; columns = {{ email = [\"{main}\", \"{header}\"] }} reads it as a second address"
        );
        let finding = Finding::new("other-addresses", weight, text).or_in_job(in_job);
        self.findings.push(finding.in_column(header));
    }
}
