//! The quick test of an address that needs no care: valid ASCII as it is, found by looking at 16 bytes at a time.

use wide::u8x16;

/// What [`plain_address`] saw.
pub(super) struct Plain {
    /// Where the `@` is.
    pub(super) at: usize,
    /// Whether there are capital letters.
    pub(super) has_capitals: bool,
}

/// Bytes that [`plain_address`] looks at.
const PLAIN_MOST: usize = 64;

/// One bit a byte, for up to [`PLAIN_MOST`] bytes.
#[derive(Default)]
struct Masks {
    letter: u64,
    capital: u64,
    hyphen: u64,
    dot: u64,
    at: u64,
    /// What may stand before the `@` only; the rest of RFC 5322's `atext` is rare and left to the careful judgement.
    local_only: u64,
    /// Any of these, or a digit.
    known: u64,
}

impl Masks {
    #[inline]
    fn of(bytes: &[u8]) -> Masks {
        let mut padded = [0u8; PLAIN_MOST];
        padded[..bytes.len()].copy_from_slice(bytes);
        let mut masks = Masks::default();
        for (k, lane) in padded.as_chunks::<16>().0.iter().enumerate().take(bytes.len().div_ceil(16)) {
            let lane = u8x16::from(*lane);
            let within = |low: u8, high: u8| {
                let above = lane - u8x16::splat(low);
                above.min(u8x16::splat(high - low)).simd_eq(above)
            };
            let is = |byte: u8| lane.simd_eq(u8x16::splat(byte));
            let capital = within(b'A', b'Z');
            let letter = within(b'a', b'z') | capital;
            let (hyphen, dot, at) = (is(b'-'), is(b'.'), is(b'@'));
            let local_only = is(b'_') | is(b'+') | is(b'\'') | is(b'%') | is(b'=') | is(b'&');
            let known = letter | within(b'0', b'9') | hyphen | dot | at | local_only;
            let bits = |found: u8x16| u64::from(found.to_bitmask()) << (k * 16);
            masks.letter |= bits(letter);
            masks.capital |= bits(capital);
            masks.hyphen |= bits(hyphen);
            masks.dot |= bits(dot);
            masks.at |= bits(at);
            masks.local_only |= bits(local_only);
            masks.known |= bits(known);
        }
        masks
    }
}

/// Whether the bytes are a valid ASCII address as they are, letter case aside.
///
/// Never says yes where the careful judgement says no; gives up on what is rare, which is then judged there.
#[inline]
pub(super) fn plain_address(bytes: &[u8]) -> Option<Plain> {
    let length = bytes.len();
    if length == 0 || length > PLAIN_MOST {
        return None;
    }
    let masks = Masks::of(bytes);
    let all = u64::MAX >> (64 - length);
    let at = masks.at.trailing_zeros() as usize;
    let has_one_at = masks.at.is_power_of_two();
    if masks.known != all || !has_one_at || at == 0 || at + 1 == length {
        return None;
    }
    let domain = all & (u64::MAX << (at + 1));
    let dots = masks.dot;
    let ends = 1 | masks.at << 1 | masks.at >> 1 | 1 << (length - 1);
    let misplaced_dots = dots & (ends | dots << 1);
    let label_ends = dots << 1 | dots >> 1 | masks.at << 1 | 1 << (length - 1);
    let misplaced_hyphens = masks.hyphen & domain & label_ends;
    let domain_dots = dots & domain;
    // Two hyphens in a row may be those of an A-label, which is looked at with care.
    let double_hyphens = masks.hyphen & masks.hyphen >> 1 & domain;
    let is_odd = misplaced_dots | misplaced_hyphens | double_hyphens | masks.local_only & domain != 0;
    if is_odd || domain_dots == 0 {
        return None;
    }
    let last_label = domain & (u64::MAX << domain_dots.ilog2()) & !dots;
    let is_of_letters = last_label & !masks.letter == 0 && last_label.count_ones() > 1;
    is_of_letters.then_some(Plain { at, has_capitals: masks.capital != 0 })
}
