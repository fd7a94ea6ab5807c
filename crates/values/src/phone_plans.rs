//! How countries number their phones: `phone_plans.txt` by country, `phone_lengths.txt` by calling code and leading digits.

use crate::place::Country;
use std::collections::HashMap;
use std::sync::LazyLock;

/// How a country numbers its phones.
#[derive(Debug, Clone, Copy)]
pub(crate) struct Plan {
    pub(crate) calling_code: u16,
    /// What stands before a national number at home.
    pub(crate) trunk: &'static str,
    /// What is dialled to call abroad.
    pub(crate) abroad: &'static str,
    lengths: Lengths,
}

/// A bit for each possible length of a national number.
type Lengths = u32;

/// How many there are of two leading digits, 00 to 99; one digit alone in the table stands for ten of them.
const LEADS: usize = 100;

/// Calling codes have up to three digits.
const CODES: usize = 1000;

struct Plans {
    by_country: HashMap<Country, Plan>,
    /// By calling code: the possible lengths whatever a number begins with; 0 where there is no such code.
    by_code: Vec<Lengths>,
    /// By calling code: the possible lengths by leading digits; 0 where no number begins so.
    by_lead: Vec<Option<Box<[Lengths; LEADS]>>>,
}

static PLANS: LazyLock<Plans> = LazyLock::new(|| {
    let mut plans = Plans { by_country: HashMap::new(), by_code: vec![0; CODES], by_lead: vec![None; CODES] };
    for line in include_str!("data/phone_plans.txt").lines().filter(|line| !line.starts_with('#')) {
        let mut words = line.split(' ');
        let mut next = || words.next().unwrap_or_default();
        let (country, code, trunk, abroad, lengths) = (next(), next(), next(), next(), next());
        let (Some(country), Ok(calling_code)) = (Country::from_text(country), code.parse::<u16>()) else { continue };
        let lengths = lengths_of(lengths);
        let trunk = if trunk == "-" { "" } else { trunk };
        plans.by_code[usize::from(calling_code)] |= lengths;
        plans.by_country.insert(country, Plan { calling_code, trunk, abroad, lengths });
    }
    for line in include_str!("data/phone_lengths.txt").lines().filter(|line| !line.starts_with('#')) {
        let Some((code, sets)) = line.split_once(' ') else { continue };
        let Ok(code) = code.parse::<u16>() else { continue };
        for (leads, lengths) in sets.split(' ').filter_map(|set| set.split_once('=')) {
            let lengths = lengths_of(lengths);
            plans.by_code[usize::from(code)] |= lengths;
            let of_code = plans.by_lead[usize::from(code)].get_or_insert_with(|| Box::new([0; LEADS]));
            leads.split(',').flat_map(leads_of).for_each(|lead| of_code[lead] |= lengths);
        }
    }
    plans
});

/// `9,10` → a bit for each.
fn lengths_of(text: &str) -> Lengths {
    text.split(',').filter_map(|length| length.parse::<u32>().ok()).fold(0, |all, length| all | 1 << length)
}

/// `20` → 20; `2` → 20 to 29.
fn leads_of(text: &str) -> std::ops::Range<usize> {
    let first = number(text.as_bytes());
    if text.len() == 1 { first * 10..first * 10 + 10 } else { first..first + 1 }
}

fn has(lengths: Lengths, length: usize) -> bool {
    length < 32 && lengths >> length & 1 == 1
}

/// The plan of a country.
pub(crate) fn of(country: Country) -> Option<&'static Plan> {
    PLANS.by_country.get(&country)
}

/// How many of these digits, which are dialled from abroad, are the calling code.
#[inline]
pub(crate) fn calling_code_length(digits: &[u8]) -> Option<usize> {
    let mut code = 0usize;
    for (place, digit) in digits.iter().take(3).enumerate() {
        code = code * 10 + usize::from(digit - b'0');
        if code > 0 && PLANS.by_code[code] != 0 {
            return Some(place + 1);
        }
    }
    None
}

/// Whether digits begin with a calling code and go on with a national number that is as long as numbers are that begin so.
#[inline]
pub(crate) fn has_possible_length(digits: &[u8]) -> bool {
    let Some(length) = calling_code_length(digits) else { return false };
    let (code, national) = digits.split_at(length);
    let code = number(code);
    has(PLANS.by_code[code], national.len()) && is_as_long_as_its_like(code, national)
}

/// Whether national numbers that begin like this one can be as long as it is.
///
/// What nobody has begun a number with may be new, or a range for fiction; only a zero is the trunk prefix of a call at home.
#[inline]
fn is_as_long_as_its_like(code: usize, national: &[u8]) -> bool {
    let (Some(of_code), Some(lead)) = (&PLANS.by_lead[code], national.get(..2)) else { return true };
    match of_code[number(lead)] {
        0 => lead[0] != b'0',
        lengths => has(lengths, national.len()),
    }
}

/// The number that a few digits are.
pub(crate) fn number(digits: &[u8]) -> usize {
    digits.iter().fold(0, |number, digit| number * 10 + usize::from(digit - b'0'))
}

impl Plan {
    /// Whether a national number is as long as numbers of the country are that begin so.
    pub(crate) fn is_possible(&self, national: &[u8]) -> bool {
        has(self.lengths, national.len()) && is_as_long_as_its_like(self.calling_code.into(), national)
    }

    /// Whether numbers of the country have hardly more than one length.
    pub(crate) fn has_few_lengths(&self) -> bool {
        self.lengths.count_ones() <= 2
    }
}
