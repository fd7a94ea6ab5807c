//! The headers of a file's columns, and where each is.

use pebblebank_table::units::ColumnIndex;
use pebblebank_values::fold::fold;
use pebblebank_values::look::{Look, holds_address};
use std::collections::HashMap;
use std::sync::OnceLock;

/// How many headers an error names.
const NAMED: usize = 40;

/// Headers as an error names them: in quotes, the first of very many. A header that is an address, a phone number or a hash, as
/// where a row of contacts was said to be the header, is named by its place instead.
pub fn named_in_error<'a>(headers: impl IntoIterator<Item = &'a str>) -> String {
    let mut all = headers.into_iter().enumerate();
    let named = |(place, header): (usize, &str)| {
        let is_of_person = Look::of(header).is_contact_detail() || holds_address(header);
        if is_of_person { format!("column {}", place + 1) } else { format!("\"{header}\"") }
    };
    let first = all.by_ref().take(NAMED).map(named).collect::<Vec<_>>().join(", ");
    match all.count() {
        0 => first,
        more => format!("{first} and {more} more"),
    }
}

/// Headers, made different from each other and never empty.
#[derive(Debug, Clone, Default)]
pub struct Headers {
    texts: Vec<String>,
    /// The first column of each header, by how headers are compared; found once it is asked for.
    places: OnceLock<HashMap<String, ColumnIndex>>,
}

impl Headers {
    /// Adds a header.
    pub fn push(&mut self, header: String) {
        self.texts.push(header);
        self.places = OnceLock::new();
    }

    /// Gives a column another header.
    pub fn rename(&mut self, column: ColumnIndex, header: &str) {
        header.clone_into(&mut self.texts[column.0]);
        self.places = OnceLock::new();
    }

    /// The first column whose header is `folded` once it is folded.
    pub fn column(&self, folded: &str) -> Option<ColumnIndex> {
        let places = self.places.get_or_init(|| {
            let mut places = HashMap::with_capacity(self.texts.len());
            for (place, header) in self.texts.iter().enumerate() {
                places.entry(fold(header)).or_insert(ColumnIndex(place));
            }
            places
        });
        places.get(folded).copied()
    }
}

impl From<Vec<String>> for Headers {
    fn from(texts: Vec<String>) -> Headers {
        Headers { texts, places: OnceLock::new() }
    }
}

impl std::ops::Deref for Headers {
    type Target = [String];

    fn deref(&self) -> &[String] {
        &self.texts
    }
}

impl PartialEq for Headers {
    fn eq(&self, other: &Headers) -> bool {
        self.texts == other.texts
    }
}

impl Eq for Headers {}
