//! Recognises a header by its words, from the table in `headers.txt`.

use crate::Field;
use crate::consent::YesMeans;
use crate::fold::fold;
use crate::quick_map::QuickMap;
use std::sync::LazyLock;

/// What the receipt's own columns begin with, so that its files are recognised by their content.
pub const RESERVED_PREFIX: &str = "pebblebank_";

/// What a header says about its column.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum Meaning {
    /// The column holds this field.
    Field(Field),
    /// The column says who may be written to; for yes and no, what yes means, if that is clear.
    Consent(Option<YesMeans>),
    /// The column may say so, if its values do.
    MaybeConsent,
}

static MEANINGS: LazyLock<QuickMap<&'static str, Meaning>> = LazyLock::new(|| {
    let mut meanings = QuickMap::default();
    for line in include_str!("headers.txt").lines() {
        let Some((name, words)) = line.split_once(':').filter(|_| !line.starts_with('#')) else { continue };
        let meaning = match name {
            "consent" => Meaning::Consent(None),
            "consent yes" => Meaning::Consent(Some(YesMeans::OptedIn)),
            "consent no" => Meaning::Consent(Some(YesMeans::OptedOut)),
            "maybe consent" => Meaning::MaybeConsent,
            _ => match Field::from_name(name) {
                Some(field) => Meaning::Field(field),
                None => continue,
            },
        };
        meanings.extend(words.split('|').map(|word| (word.trim(), meaning)));
    }
    for field in Field::ALL {
        let meaning = if field == Field::Consent { Meaning::Consent(None) } else { Meaning::Field(field) };
        meanings.entry(field.name()).or_insert(meaning);
    }
    meanings
});

/// What a header says; none where its words are not known.
pub fn recognise(header: &str) -> Option<Meaning> {
    let folded = fold(header);
    MEANINGS.get(folded.as_str()).or_else(|| MEANINGS.get(header.trim())).copied()
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn every_line_of_the_table_names_a_field_and_every_word_is_folded_and_stands_once() {
        let mut seen = QuickMap::default();
        for line in include_str!("headers.txt").lines().filter(|line| !line.starts_with('#') && !line.is_empty()) {
            let (name, words) = line.split_once(':').expect("a line is NAME: WORDS");
            let is_known = Field::from_name(name).is_some() || name.starts_with("consent ") || name == "maybe consent";
            assert!(is_known, "{name} is no field");
            for word in words.split('|').map(str::trim) {
                assert_eq!(fold(word), word, "not folded");
                assert_eq!(seen.insert(word, name), None, "{word} stands twice");
            }
        }
    }
}
