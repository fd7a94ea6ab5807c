//! Languages: names and codes → ISO 639-1, with the region of RFC 5646 where one is given.

use crate::fold::fold;
use crate::place::Country;
use crate::quick_map::QuickMap;
use crate::{Cleaned, Doubt, Rule, Rules};
use std::sync::LazyLock;

static LANGUAGES: LazyLock<QuickMap<&'static str, &'static str>> = LazyLock::new(|| {
    let lines = include_str!("data/languages.txt").lines().filter(|line| !line.starts_with('#'));
    let mut languages = QuickMap::default();
    for (code, names) in lines.filter_map(|line| line.split_once('|')) {
        languages.insert(code, code);
        names.split("; ").for_each(|name| _ = languages.entry(name).or_insert(code));
    }
    languages
});

/// Cleans a tidy text as a language; the new value is added to `out`.
///
/// ```
/// use pebblebank_values::language::clean;
/// for (text, code) in [("Deutsch", "de"), ("en_gb", "en-GB"), ("Niederländisch", "nl"), ("fre", "fr")] {
///     let mut out = String::new();
///     clean(text, &mut out);
///     assert_eq!(out, code);
/// }
/// ```
pub fn clean(text: &str, out: &mut String) -> Cleaned {
    let start = out.len();
    if let Some(code) = LANGUAGES.get(fold(text).as_str()) {
        out.push_str(code);
    } else if let Some((language, region)) = text.split_once(['-', '_'])
        && let (Some(code), Some(region)) = (LANGUAGES.get(fold(language).as_str()), Country::from_text(region))
    {
        out.push_str(code);
        out.push('-');
        out.push_str(region.code());
    } else {
        return Cleaned::Doubtful(Doubt::UnknownLanguage);
    }
    if out[start..] == *text { Cleaned::AsItIs } else { Cleaned::Repaired(Rules::one(Rule::LanguageCode)) }
}
