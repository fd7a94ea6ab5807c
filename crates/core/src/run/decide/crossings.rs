//! Which entries and which rows have a value in common, without a pair for each of both: where a thousand entries and a
//! thousand rows share one value, two thousand numbers say so.

/// Values that entries and rows share, as they are found.
#[derive(Debug, Default)]
pub struct Crossings {
    /// Each entry, and the number of the value.
    entries: Vec<(u32, u32)>,
    /// The number of the value, and each row that has it.
    rows: Vec<(u32, u32)>,
    values: u32,
}

impl Crossings {
    /// Adds a value that these entries and rows have.
    pub fn add(&mut self, entries: &[u32], rows: impl Iterator<Item = u32>) {
        if entries.is_empty() {
            return;
        }
        let value = self.values;
        self.entries.extend(entries.iter().map(|entry| (*entry, value)));
        self.rows.extend(rows.map(|row| (value, row)));
        self.values += 1;
    }

    /// Adds the values that another part found.
    pub fn append(&mut self, other: &Crossings) {
        let first = self.values;
        self.entries.extend(other.entries.iter().map(|(entry, value)| (*entry, first + value)));
        self.rows.extend(other.rows.iter().map(|(value, row)| (first + value, *row)));
        self.values += other.values;
    }

    /// By people in place of rows; `survivors` has the survivor of each row.
    pub fn by_people(self, survivors: &[u32]) -> SharedValues {
        let Crossings { mut entries, rows, .. } = self;
        let mut people: Vec<(u32, u32)> =
            rows.into_iter().map(|(value, row)| (value, survivors[row as usize])).collect();
        for pairs in [&mut entries, &mut people] {
            pairs.sort_unstable();
            pairs.dedup();
        }
        SharedValues { entries, people }
    }
}

/// Values that entries and people share.
#[derive(Debug, Default)]
pub struct SharedValues {
    entries: Vec<(u32, u32)>,
    people: Vec<(u32, u32)>,
}

impl SharedValues {
    /// The entries in their order, each with the number of a value that it has.
    pub fn entries(&self) -> &[(u32, u32)] {
        &self.entries
    }

    /// The people who have a value, each behind its number.
    pub fn people_with(&self, value: u32) -> &[(u32, u32)] {
        let start = self.people.partition_point(|(other, _)| *other < value);
        let end = self.people.partition_point(|(other, _)| *other <= value);
        &self.people[start..end]
    }

    /// The entries by value: each value that entries have, and the entries.
    pub fn entries_by_value(&self) -> Vec<(u32, u32)> {
        let mut by_value: Vec<(u32, u32)> = self.entries.iter().map(|(entry, value)| (*value, *entry)).collect();
        by_value.sort_unstable();
        by_value
    }
}
