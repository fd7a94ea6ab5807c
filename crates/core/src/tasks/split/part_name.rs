//! Names of files made from values: safe on every system, and different from each other.

use pebblebank_formats::writing::FileFormat;
use std::collections::HashSet;

/// The longest name made from a value, in bytes, without stem and ending.
const LONGEST: usize = 80;

/// Names that some systems keep for devices.
const DEVICES: [&str; 22] = [
    "con", "prn", "aux", "nul", "com1", "com2", "com3", "com4", "com5", "com6", "com7", "com8", "com9", "lpt1", "lpt2",
    "lpt3", "lpt4", "lpt5", "lpt6", "lpt7", "lpt8", "lpt9",
];

/// Gives names, each once whatever its letter case.
#[derive(Debug)]
pub struct PartNames {
    stem: String,
    ending: &'static str,
    taken: HashSet<String>,
}

impl PartNames {
    /// Names that begin with the list's stem, or with `list` where nothing is left of it, as of standard input; and that end
    /// as files of the format do.
    pub fn new(stem: &str, format: FileFormat) -> PartNames {
        let stem = Some(safe(stem)).filter(|stem| !stem.is_empty()).unwrap_or_else(|| "list".to_owned());
        let ending = match format {
            FileFormat::RecipientLine => "txt",
            named => named.name(),
        };
        PartNames { stem, ending, taken: HashSet::new() }
    }

    /// A name for the rows with a value: `spring.larkfold.csv`.
    ///
    /// ```
    /// use pebblebank_core::tasks::split::part_name::PartNames;
    /// use pebblebank_formats::writing::FileFormat;
    /// let mut names = PartNames::new("spring", FileFormat::Csv);
    /// assert_eq!(names.of_value("Upper/Meresby"), "spring.Upper-Meresby.csv");
    /// assert_eq!(names.of_value("upper:meresby"), "spring.upper-meresby-2.csv");
    /// assert_eq!(names.of_value(""), "spring.blank.csv");
    /// ```
    pub fn of_value(&mut self, value: &str) -> String {
        let base = match safe(value) {
            empty if empty.is_empty() => "blank".to_owned(),
            device if DEVICES.contains(&device.to_lowercase().as_str()) => format!("{device}-"),
            name => name,
        };
        let mut name = base.clone();
        let mut number = 2;
        while !self.taken.insert(name.to_lowercase()) {
            name = format!("{base}-{number}");
            number += 1;
        }
        format!("{}.{name}.{}", self.stem, self.ending)
    }

    /// A name for a part by number, with as many digits as the last one needs: `spring.03.csv`.
    pub fn of_number(&mut self, number: usize, of: usize) -> String {
        let digits = of.to_string().len();
        format!("{}.{number:0digits$}.{}", self.stem, self.ending)
    }
}

/// Letters, digits, dots and hyphens; one hyphen for anything else; no dot or hyphen at the ends.
fn safe(text: &str) -> String {
    let mut name = String::new();
    for c in text.chars() {
        if name.len() + c.len_utf8() > LONGEST {
            break;
        }
        if c.is_alphanumeric() || matches!(c, '.' | '_') {
            name.push(c);
        } else if !name.ends_with('-') {
            name.push('-');
        }
    }
    name.trim_matches(['-', '.']).to_owned()
}
