//! What checking services elsewhere call what they find.

use crate::blank::is_blank;
use crate::fold::fold;
use crate::verdict::Why;
use std::collections::HashMap;
use std::str::FromStr;
use std::sync::LazyLock;

static WORDS: LazyLock<HashMap<&'static str, Why>> = LazyLock::new(|| {
    let lines = include_str!("data/verdict_words.txt").lines().filter(|line| !line.starts_with('#'));
    let of_line = |(why, words): (&str, &'static str)| {
        let why = Why::from_str(why).expect("each line names a reason; a test reads all of them");
        words.split('|').map(move |word| (word.trim(), why)).collect::<Vec<_>>()
    };
    lines.filter_map(|line| line.split_once(':')).flat_map(of_line).collect()
});

/// What a value of their column says.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum Word {
    /// Nothing.
    Blank,
    /// This.
    Is(Why),
    /// A word that nobody listed.
    Unlisted,
}

/// Reads a value.
///
/// ```
/// use pebblebank_values::verdict::Why;
/// use pebblebank_values::verdict_words::{Word, read};
/// assert_eq!(read("Catch-All"), Word::Is(Why::AcceptsAll));
/// assert_eq!(read("unzustellbar"), Word::Is(Why::ReportedInvalid));
/// assert_eq!(read("blue"), Word::Unlisted);
/// ```
pub fn read(value: &str) -> Word {
    let folded = fold(value);
    match WORDS.get(folded.as_str()) {
        Some(why) => Word::Is(*why),
        None if folded.is_empty() || is_blank(value) => Word::Blank,
        None => Word::Unlisted,
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn each_word_stands_folded_in_one_line() {
        let lines = include_str!("data/verdict_words.txt").lines().filter(|line| !line.starts_with('#'));
        let mut seen = HashMap::new();
        for (why, words) in lines.filter_map(|line| line.split_once(':')) {
            for word in words.split('|').map(str::trim) {
                assert_eq!(fold(word), word);
                assert_eq!(seen.insert(word, why), None, "{word} stands twice");
                assert_eq!(read(word), Word::Is(Why::from_str(why).expect("a reason")));
            }
        }
    }

    #[test]
    fn the_reasons_of_the_product_are_read_as_they_are_written() {
        use strum::VariantArray;
        for why in Why::VARIANTS.iter().filter(|why| !matches!(why, Why::BlankAddress | Why::NotReached)) {
            assert_eq!(read(why.name()), Word::Is(*why), "{}", why.name());
        }
    }
}
