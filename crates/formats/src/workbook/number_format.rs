//! How a number format shows a number, as far as it says more than the number (ECMA-376 part 1, 18.8.31): zeros before
//! a code, the signs of a phone number, a percentage. Money and other numbers are read as they are stored.

use std::cmp::Ordering;

/// Signs that part the digits of a phone number or a code.
const SIGNS: &str = "+-()/. ";

/// A format with fewer places than this shows a code only if the number is as long as a phone number.
const PLACES_OF_CODE: usize = 5;

/// The least digits of a phone number.
const DIGITS_OF_PHONE: usize = 7;

/// A format with more places than this is none of a code.
const MOST_PLACES: usize = 20;

/// A number format: its sections, of which the first one that fits is meant.
#[derive(Debug, Clone, PartialEq, Eq, Default)]
pub(crate) struct NumberFormat {
    sections: Vec<Section>,
}

/// The format of what no format is known of.
pub(crate) static PLAIN: NumberFormat = NumberFormat { sections: Vec::new() };

#[derive(Debug, Clone, PartialEq, Eq)]
struct Section {
    condition: Option<Condition>,
    shape: Shape,
}

#[derive(Debug, Clone, Copy, PartialEq, Eq)]
struct Condition {
    /// `<`, `>`, `=`, `<=`, `>=` or `<>`.
    less: bool,
    equal: bool,
    greater: bool,
    bound: i64,
}

/// What a section makes of a number.
#[derive(Debug, Clone, PartialEq, Eq)]
enum Shape {
    /// The number.
    Plain,
    /// A hundred times the number, with the sign.
    Percent,
    /// Digits in their places, with what stands between.
    Code(Vec<Piece>),
}

#[derive(Debug, Clone, Copy, PartialEq, Eq)]
enum Piece {
    /// A digit; with `true`, a zero where there is none.
    Place(bool),
    Sign(char),
}

impl NumberFormat {
    /// Reads a format code such as `00000`, `(000) 000-0000` or `0.0%`.
    pub(crate) fn of(code: &str) -> NumberFormat {
        let sections: Vec<Section> = sections(code).map(section).take(4).collect();
        if sections.iter().all(|section| section.shape == Shape::Plain) {
            PLAIN.clone()
        } else {
            NumberFormat { sections }
        }
    }

    /// The format with this number among those that every program knows (ECMA-376 part 1, 18.8.30).
    pub(crate) fn built_in(number: u16) -> NumberFormat {
        if matches!(number, 9 | 10) { NumberFormat::of("0%") } else { PLAIN.clone() }
    }

    /// Whether it shows nothing but the number.
    pub(crate) fn is_plain(&self) -> bool {
        self.sections.is_empty()
    }

    /// The text that is shown; none where that is the number.
    pub(super) fn show(&self, number: f64) -> Option<String> {
        let section = self.sections.iter().find(|section| section.condition.is_none_or(|only| only.holds(number)))?;
        match &section.shape {
            Shape::Plain => None,
            Shape::Percent => Some(format!("{}%", rounded(number * 100.0))),
            Shape::Code(pieces) => code(pieces, number),
        }
    }
}

impl Condition {
    fn of(text: &str) -> Option<Condition> {
        let bound = text.trim_start_matches(['<', '>', '=']);
        let sign = &text[..text.len() - bound.len()];
        let bound = bound.parse().ok()?;
        let (less, equal, greater) = (sign.contains('<'), sign.contains('='), sign.contains('>'));
        (!sign.is_empty()).then_some(Condition { less, equal, greater, bound })
    }

    fn holds(self, number: f64) -> bool {
        match number.partial_cmp(&(self.bound as f64)) {
            Some(Ordering::Less) => self.less,
            Some(Ordering::Equal) => self.equal,
            Some(Ordering::Greater) => self.greater,
            None => false,
        }
    }
}

/// A number with the 15 significant digits that are kept of it.
pub(super) fn rounded(number: f64) -> f64 {
    format!("{number:.14e}").parse().unwrap_or(number)
}

/// Puts the digits of a number into the places, from the right.
fn code(pieces: &[Piece], number: f64) -> Option<String> {
    const TOO_LARGE: f64 = 1e15;
    if number < 0.0 || number.fract() != 0.0 || number >= TOO_LARGE {
        return None;
    }
    let digits = (number as i64).to_string();
    let places = pieces.iter().filter(|piece| matches!(piece, Piece::Place(_))).count();
    let has_signs = places < pieces.len();
    if has_signs && places < PLACES_OF_CODE && digits.len() < DIGITS_OF_PHONE {
        return None;
    }
    let mut rest = digits.as_bytes();
    let mut shown = Vec::new();
    let mut left = places;
    for piece in pieces.iter().rev() {
        match piece {
            Piece::Sign(sign) => shown.push(*sign),
            Piece::Place(is_shown) => {
                left -= 1;
                // The first place takes all that is left.
                let taken = if left == 0 { rest.len() } else { rest.len().min(1) };
                let (before, now) = rest.split_at(rest.len() - taken);
                shown.extend(now.iter().rev().map(|digit| char::from(*digit)));
                if taken == 0 && *is_shown {
                    shown.push('0');
                }
                rest = before;
            }
        }
    }
    let text: String = shown.into_iter().rev().collect();
    Some(text.trim().to_owned())
}

/// The parts between semicolons that are no text.
fn sections(code: &str) -> impl Iterator<Item = &str> {
    let (mut is_quoted, mut is_escaped) = (false, false);
    code.split(move |sign| {
        let is_text = std::mem::take(&mut is_escaped) || (is_quoted && sign != '"');
        match sign {
            _ if is_text => return false,
            '"' => is_quoted = !is_quoted,
            '\\' | '_' | '*' => is_escaped = true,
            _ => {}
        }
        sign == ';'
    })
}

fn section(code: &str) -> Section {
    let mut condition = None;
    let mut pieces = Vec::new();
    let (mut is_percent, mut is_other) = (false, false);
    let mut signs = code.chars();
    while let Some(sign) = signs.next() {
        match sign {
            '"' => pieces.extend(signs.by_ref().take_while(|sign| *sign != '"').map(Piece::Sign)),
            '\\' => pieces.extend(signs.next().map(Piece::Sign)),
            // A gap as wide as a letter, or one that is filled up.
            '_' | '*' => drop(signs.next()),
            '[' => {
                let inside: String = signs.by_ref().take_while(|sign| *sign != ']').collect();
                match inside.strip_prefix('$') {
                    // A currency, or only a language.
                    Some(currency) => is_other |= !currency.is_empty() && !currency.starts_with('-'),
                    None => condition = condition.or(Condition::of(&inside)),
                }
            }
            '%' => is_percent = true,
            '0' => pieces.push(Piece::Place(true)),
            '#' | '?' => pieces.push(Piece::Place(false)),
            '+' | '-' | '(' | ')' | ' ' => pieces.push(Piece::Sign(sign)),
            '.' | ',' if is_percent || pieces.last().is_some_and(|piece| matches!(piece, Piece::Place(_))) => {
                is_other = true;
            }
            _ => is_other = true,
        }
    }
    let shape = if is_percent { Shape::Percent } else { shape_of_code(pieces, is_other) };
    Section { condition, shape }
}

fn shape_of_code(pieces: Vec<Piece>, is_other: bool) -> Shape {
    let is_sign = |piece: &&Piece| matches!(piece, Piece::Sign(sign) if !" .'".contains(*sign));
    let places = pieces.iter().filter(|piece| matches!(piece, Piece::Place(_))).count();
    let zeros = pieces.iter().filter(|piece| **piece == Piece::Place(true)).count();
    let is_known = pieces.iter().all(|piece| !matches!(piece, Piece::Sign(sign) if !SIGNS.contains(*sign)));
    let has_signs = pieces.iter().any(|piece| is_sign(&piece));
    let is_parted = pieces.iter().any(|piece| matches!(piece, Piece::Sign(_)));
    // A space or a point alone parts thousands where not all places are zeros.
    let parts_thousands = !has_signs && is_parted && zeros < places;
    let says_more = (zeros > 1 || has_signs) && !parts_thousands;
    if is_other || !is_known || !says_more || places == 0 || places > MOST_PLACES {
        return Shape::Plain;
    }
    Shape::Code(pieces)
}

#[cfg(test)]
mod tests {
    use super::*;
    use rstest::rstest;

    #[rstest]
    #[case::postal_code("00000", 1_234.0, "01234")]
    #[case::longer_than_its_places("000", 12_345.0, "12345")]
    #[case::parted("00000-0000", 12_340_567.0, "01234-0567")]
    #[case::nine_digits("00000-0000", 123_456_789.0, "12345-6789")]
    #[case::phone("(000) 000-0000", 5_550_101_234.0, "(555) 010-1234")]
    #[case::phone_by_its_length("[<=9999999]000-0000;(000) 000-0000", 5_550_101_234.0, "(555) 010-1234")]
    #[case::short_phone_by_its_length("[<=9999999]000-0000;(000) 000-0000", 5_550_123.0, "555-0123")]
    #[case::plus_in_quotes("\"+\"0", 441_632_960_123.0, "+441632960123")]
    #[case::plus_with_backslash("\\+00\\ 000\\ 000000", 44_163_296_012.0, "+44 163 296012")]
    #[case::spaces("0000 000 000", 412_345_678.0, "0412 345 678")]
    #[case::with_a_language("[$-407]00000", 1_067.0, "01067")]
    #[case::coloured("[Red]00000;[Blue]-0", 7.0, "00007")]
    #[case::percent("0%", 0.15, "15%")]
    #[case::percent_keeps_what_is_stored("0%", 0.1525, "15.25%")]
    #[case::percent_with_gaps("0.00 %;[Red]-0.00 %", 0.07, "7%")]
    #[case::negative_percent("0%", -0.5, "-50%")]
    fn a_format_that_says_more_than_the_number(#[case] format: &str, #[case] number: f64, #[case] text: &str) {
        assert_eq!(NumberFormat::of(format).show(number).as_deref(), Some(text));
    }

    #[rstest]
    #[case::general("General")]
    #[case::whole("0")]
    #[case::text("@")]
    #[case::two_places("0.00")]
    #[case::thousands("#,##0")]
    #[case::thousands_with_spaces("# ##0")]
    #[case::thousands_with_points_as_text("#\".\"##0")]
    #[case::money("€#,##0.00")]
    #[case::money_behind("#,##0.00 [$€-407]")]
    #[case::money_in_letters("0.00 [$DKK]")]
    #[case::accounts("_-* #,##0.00 \"kr\"_-;-* #,##0.00 \"kr\"_-")]
    #[case::scientific("0.00E+00")]
    #[case::fraction("# ?/?")]
    #[case::words("\"Nr. \"0")]
    #[case::change("+0;-0;0")]
    #[case::in_brackets("0_);(0)")]
    #[case::nothing("")]
    fn a_format_of_numbers_is_left_out(#[case] format: &str) {
        assert_eq!(NumberFormat::of(format).show(1_234.0), None);
        assert_eq!(NumberFormat::of(format).show(0.0), None);
    }

    #[rstest]
    #[case::spaces("# ##0")]
    #[case::escaped_spaces("#\\ ##0")]
    #[case::points("#\".\"##0")]
    #[case::with_zeros("#\\ 000")]
    fn parted_thousands_are_a_number(#[case] format: &str) {
        assert_eq!(NumberFormat::of(format).show(1_234_567.0), None);
    }

    #[test]
    fn what_is_no_code_stays_a_number() {
        assert_eq!(NumberFormat::of("00000").show(-7.0), None);
        assert_eq!(NumberFormat::of("00000").show(7.5), None);
        assert_eq!(NumberFormat::of("00000").show(1e18), None);
    }
}
