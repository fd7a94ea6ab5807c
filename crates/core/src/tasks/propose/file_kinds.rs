//! Which files are sources and which are lists of people who must not be contacted, by their names and what is in them.

use crate::suppress::reason::Reason;
use crate::tasks::survey::found::FileSurvey;
use pebblebank_values::fold::fold;
use std::path::Path;

/// Words in the names of files of people who must not be contacted, with the reason that they tell; the first that
/// occurs counts. Folded, in seven languages.
const LIST_NAMES: [(&str, Reason); 43] = [
    ("complain", Reason::Complained),
    ("complaint", Reason::Complained),
    ("abuse", Reason::Complained),
    ("spam", Reason::Complained),
    ("beschwerde", Reason::Complained),
    ("bounce", Reason::Bounced),
    ("undeliver", Reason::Bounced),
    ("unzustellbar", Reason::Bounced),
    ("rebond", Reason::Bounced),
    ("rebote", Reason::Bounced),
    ("unsub", Reason::OptedOut),
    ("opt out", Reason::OptedOut),
    ("optout", Reason::OptedOut),
    ("opted out", Reason::OptedOut),
    ("opt outs", Reason::OptedOut),
    ("abgemeldet", Reason::OptedOut),
    ("abmeldung", Reason::OptedOut),
    ("desabon", Reason::OptedOut),
    ("desinscri", Reason::OptedOut),
    ("bajas", Reason::OptedOut),
    ("disiscri", Reason::OptedOut),
    ("uitgeschreven", Reason::OptedOut),
    ("afgemeld", Reason::OptedOut),
    ("cancelad", Reason::OptedOut),
    ("do not", Reason::DoNotContact),
    ("dont", Reason::DoNotContact),
    ("donot", Reason::DoNotContact),
    ("dnc", Reason::DoNotContact),
    ("suppress", Reason::DoNotContact),
    ("exclu", Reason::DoNotContact),
    ("blocked", Reason::DoNotContact),
    ("blocklist", Reason::DoNotContact),
    ("no contact", Reason::DoNotContact),
    ("sperrliste", Reason::DoNotContact),
    ("gesperrt", Reason::DoNotContact),
    ("keine werbung", Reason::DoNotContact),
    ("ne pas", Reason::DoNotContact),
    ("no contactar", Reason::DoNotContact),
    ("niet mailen", Reason::DoNotContact),
    ("already", Reason::AlreadySent),
    ("invited", Reason::AlreadySent),
    ("mailed", Reason::AlreadySent),
    ("sent", Reason::AlreadySent),
];

/// Whether a file is one of people who must not be contacted, and why it is taken for one.
pub(super) fn looks_like_list(survey: &FileSurvey) -> Option<(Reason, String)> {
    let stem = stem_of(&survey.path);
    let folded = format!(" {} ", fold(&stem));
    let says = |word: &str| folded.contains(&format!(" {word}")) || (word.len() > 5 && folded.contains(word));
    if let Some((_, reason)) = LIST_NAMES.iter().find(|(word, _)| says(word)) {
        return Some((*reason, "its name says so".to_owned()));
    }
    let consent = survey.columns.iter().find_map(|column| column.consent.as_ref());
    if let Some(words) = consent {
        let most = |count: u64| count * 10 >= survey.rows * 9 && count > 0;
        if most(words.opted_out) {
            return Some((Reason::OptedOut, "nearly all its contacts are opted out".to_owned()));
        }
        if most(words.bounced) {
            return Some((Reason::Bounced, "nearly all its contacts are bounced".to_owned()));
        }
        if most(words.complained) {
            return Some((Reason::Complained, "nearly all its contacts complained".to_owned()));
        }
    }
    let is_a_domain_list = survey.domain_entries * 10 > survey.rows && survey.domain_entries > 0;
    if survey.only_addresses || is_a_domain_list {
        return Some((Reason::DoNotContact, "it has only addresses or domains".to_owned()));
    }
    None
}

/// The name of a file without its ending and its packing.
pub(super) fn stem_of(path: &Path) -> String {
    let mut name = path.file_name().map(|name| name.to_string_lossy().into_owned()).unwrap_or_default();
    for packing in [".gz", ".zst"] {
        if let Some(stripped) = name.strip_suffix(packing) {
            name = stripped.to_owned();
        }
    }
    name.rsplit_once('.').map_or(name.clone(), |(stem, _)| stem.to_owned())
}

/// What the names of several files have in common, without a number or date at the end.
pub(super) fn common_stem(stems: &[String]) -> String {
    let Some(first) = stems.first() else { return String::new() };
    if stems.len() == 1 {
        return first.clone();
    }
    let common = |text: &str, other: &String| {
        text.chars().zip(other.chars()).take_while(|(a, b)| a == b).map(|(a, _)| a).collect::<String>()
    };
    let shared = stems[1..].iter().fold(first.clone(), |shared, stem| common(&shared, stem));
    let shared = shared.trim_end_matches(|c: char| c.is_ascii_digit() || matches!(c, '-' | '_' | ' ' | '.'));
    if shared.chars().count() < 3 { first.clone() } else { shared.to_owned() }
}
