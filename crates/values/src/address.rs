//! An address as it was typed → the address as it is written, what it is compared by, and whether it can be used.
//!
//! Valid is what RFC 5321, 5322 and 6531 allow, with the lengths of RFC 5321 section 4.5.3.1 and of
//! RFC 3696 erratum 1690 (254 octets), narrowed to what a mailing list can use: a dot-atom local part,
//! a domain of two or more labels, no address literal.

use crate::blank::{BlankIn, BlankWords};
use crate::placeholder::is_placeholder;
use crate::plain_address::plain_address;
use crate::suggest::{self, DomainLooks, DomainSlips};
use crate::{Rule, Rules};
use pebblebank_table::unseen::{is_invisible, is_unseen};
use std::borrow::Cow;
use std::sync::Arc;
use unicode_normalization::{UnicodeNormalization, is_nfc};

/// The longest address, in octets.
pub const MAX_ADDRESS: usize = 254;
/// The longest local part, in octets.
pub const MAX_LOCAL: usize = 64;
/// The longest label of a domain, in octets (RFC 1035, section 2.3.4).
pub const MAX_LABEL: usize = 63;

/// Whether an address can be used.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum State {
    /// It can.
    Usable,
    /// There is none.
    Blank,
    /// It cannot, and why.
    Invalid(Fault),
    /// It stands for "none".
    Placeholder,
}

/// Why an address is invalid.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Hash, PartialOrd, Ord)]
pub enum Fault {
    /// No `@`.
    NoAtSign,
    /// More than one `@`.
    SeveralAtSigns,
    /// Nothing before the `@`.
    NoLocalPart,
    /// Nothing after the `@`.
    NoDomain,
    /// A local part in quotes: allowed by RFC 5321, refused by most services.
    QuotedLocalPart,
    /// A blank inside.
    BlankInside,
    /// A dot at an end, or two in a row.
    MisplacedDot,
    /// A character that the local part cannot hold.
    LocalCharacter,
    /// A character that a domain cannot hold, or a label that is no IDNA label.
    DomainCharacter,
    /// A domain of one label.
    OneLabelDomain,
    /// A hyphen at an end of a label.
    MisplacedHyphen,
    /// A last label of digits only, or an address literal.
    NumericDomain,
    /// Longer than the standards allow.
    TooLong,
}

impl Fault {
    /// The name in receipts.
    pub fn name(self) -> &'static str {
        match self {
            Fault::NoAtSign => "no-at-sign",
            Fault::SeveralAtSigns => "several-at-signs",
            Fault::NoLocalPart => "no-local-part",
            Fault::NoDomain => "no-domain",
            Fault::QuotedLocalPart => "quoted-local-part",
            Fault::BlankInside => "blank-inside",
            Fault::MisplacedDot => "misplaced-dot",
            Fault::LocalCharacter => "character-in-local-part",
            Fault::DomainCharacter => "character-in-domain",
            Fault::OneLabelDomain => "one-label-domain",
            Fault::MisplacedHyphen => "misplaced-hyphen",
            Fault::NumericDomain => "numeric-domain",
            Fault::TooLong => "too-long",
        }
    }
}

/// A cleaned address. Its `Debug` shows no more than its domain.
#[derive(Clone, Copy)]
pub struct Address<'a> {
    /// Whether it can be used.
    pub state: State,
    /// As it is written: in NFC and lower case. The cleaned text where it is invalid; empty where blank.
    pub text: &'a [u8],
    /// What it is compared by: the same with the domain as A-labels (IDNA 2008, UTS 46).
    pub identity: &'a [u8],
    /// What was repaired.
    pub rules: Rules,
    /// The other usable addresses of the cell.
    pub further: &'a [FurtherAddress],
    /// Further texts of the cell that lists may hold it by, though they are nobody's address: parts that cannot be used,
    /// the usable parts of a cell that cannot, and what a suggested rule has mended.
    pub held_by: &'a [String],
    /// Where the last `@` of the identity is; its length where there is none.
    at: usize,
}

/// A usable address beside the first of its cell.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct FurtherAddress {
    /// As it is written: in NFC and lower case.
    pub text: String,
    /// What it is compared by.
    pub identity: String,
    /// As it stands in the cell, spaces around it aside.
    pub typed: String,
}

impl std::fmt::Debug for Address<'_> {
    fn fmt(&self, f: &mut std::fmt::Formatter<'_>) -> std::fmt::Result {
        write!(f, "Address({:?}, …@{})", self.state, String::from_utf8_lossy(self.domain()))
    }
}

impl<'a> Address<'a> {
    const BLANK: Address<'static> = Address {
        state: State::Blank,
        text: b"",
        identity: b"",
        rules: Rules::NONE,
        further: &[],
        held_by: &[],
        at: 0,
    };

    /// An address that is known to be clean and usable as it stands.
    #[inline]
    pub fn clean_already(text: &'a [u8]) -> Address<'a> {
        let at = text.iter().position(|byte| *byte == b'@').unwrap_or(text.len());
        Address { state: State::Usable, text, identity: text, rules: Rules::NONE, further: &[], held_by: &[], at }
    }

    /// Whether it can be used.
    pub fn is_usable(&self) -> bool {
        self.state == State::Usable
    }

    /// The identity's part before the `@`; all of it where there is none.
    pub fn local(&self) -> &'a [u8] {
        &self.identity[..self.at.min(self.identity.len())]
    }

    /// The domain as A-labels; empty where there is no `@`.
    pub fn domain(&self) -> &'a [u8] {
        self.identity.get(self.at + 1..).unwrap_or_default()
    }
}

/// What a job says about the cleaning of addresses.
#[derive(Debug, Clone, Default)]
pub struct AddressWishes {
    /// Words that stand for nothing.
    pub blank_words: Arc<BlankWords>,
    /// The suggested rules that are applied.
    pub apply: Rules,
    /// The domains that others may be slips of.
    pub slips: DomainSlips,
}

/// Cleans addresses. Keeps its buffers from call to call.
#[derive(Debug, Default)]
pub struct AddressCleaner {
    wishes: Arc<AddressWishes>,
    text: Vec<u8>,
    identity: Vec<u8>,
    further: Vec<FurtherAddress>,
    held_by: Vec<String>,
    domains: DomainLooks,
}

impl AddressCleaner {
    /// A cleaner for a job.
    pub fn with(wishes: Arc<AddressWishes>) -> AddressCleaner {
        AddressCleaner { wishes, ..AddressCleaner::default() }
    }

    /// Cleans the value of a cell.
    #[inline]
    pub fn clean<'a>(&'a mut self, value: &'a [u8]) -> Address<'a> {
        if value.is_empty() {
            return Address::BLANK;
        }
        let mut rules = Rules::NONE;
        let (shown, plain) = match plain_address(value) {
            Some(plain) => (value, plain),
            None => match unwrap_ordinary(value, &mut rules) {
                Some([]) => return Address { rules: rules_of_nothing(value), ..Address::BLANK },
                Some(shown) => match plain_address(shown) {
                    Some(plain) => (shown, plain),
                    None => return self.clean_carefully(value),
                },
                None => return self.clean_carefully(value),
            },
        };
        if self.wishes.apply.has(Rule::DomainSlip) {
            let domain = shown[plain.at + 1..].to_ascii_lowercase();
            if self.domains.look(&domain, &self.wishes.slips).is_slip {
                return self.clean_carefully(value);
            }
        }
        let text = if plain.has_capitals {
            rules.add(Rule::LetterCase);
            self.text.clear();
            self.text.extend_from_slice(shown);
            self.text.make_ascii_lowercase();
            &self.text[..]
        } else {
            shown
        };
        let state = if is_placeholder(text, plain.at) { State::Placeholder } else { State::Usable };
        Address { state, text, identity: text, rules, further: &[], held_by: &[], at: plain.at }
    }

    /// The careful way, for whatever is not plain ASCII and valid as it stands. Where the quick one decides,
    /// this one finds the same.
    #[cold]
    pub fn clean_carefully(&mut self, value: &[u8]) -> Address<'_> {
        self.further.clear();
        self.held_by.clear();
        let wishes = Arc::clone(&self.wishes);
        let typed = String::from_utf8_lossy(value);
        if wishes.blank_words.holds(&typed, BlankIn::Others) {
            return Address::BLANK;
        }
        let mut rules = Rules::NONE;
        let value = visible(&typed, &mut rules);
        let mut parts: Vec<Part> = Vec::new();
        for cut in part_cell(&value, &mut rules) {
            let part = Part::clean(cut, &wishes);
            match part.state {
                State::Blank => rules.add(Rule::TrailingPunctuation),
                _ => parts.push(part),
            }
        }
        let is_torn = parts.iter().any(|part| part.is_torn) && parts.iter().any(|part| part.state == State::Usable);
        let Some(chosen) = chosen_of(&parts, is_torn) else { return Address { rules, ..Address::BLANK } };
        for (place, part) in parts.iter().enumerate() {
            self.held_by.extend(part.unmended.iter().cloned());
            match part.state {
                _ if place == chosen => {}
                State::Usable if !is_torn => self.further.push(FurtherAddress {
                    text: part.text.clone(),
                    identity: part.identity().into_owned(),
                    typed: part.typed.to_owned(),
                }),
                _ => self.held_by.push(part.identity().into_owned()),
            }
        }
        let has_text = parts.iter().any(|part| !part.text.contains('@'));
        let chosen_part = &parts[chosen];
        if parts.len() > 1 && !self.further.is_empty() {
            rules.add(Rule::SeveralAddresses);
        }
        if parts.len() > 1 && (has_text || self.further.is_empty()) && chosen_part.state == State::Usable {
            rules.add(Rule::TextBesideAddress);
        }
        for rule in chosen_part.rules.iter() {
            rules.add(rule);
        }
        self.text.clear();
        self.text.extend_from_slice(chosen_part.text.as_bytes());
        self.identity.clear();
        self.identity.extend_from_slice(chosen_part.identity().as_bytes());
        let at = self.identity.iter().rposition(|byte| *byte == b'@').unwrap_or(self.identity.len());
        Address {
            state: chosen_part.state,
            text: &self.text,
            identity: &self.identity,
            rules,
            further: &self.further,
            held_by: &self.held_by,
            at,
        }
    }
}

/// The part that the cell stands for: the first usable one, else the first with the gravest fault. In a cell that is torn
/// apart no part can be used.
fn chosen_of(parts: &[Part], is_torn: bool) -> Option<usize> {
    let usable = || parts.iter().position(|part| part.state == State::Usable);
    if let (false, Some(usable)) = (is_torn, usable()) {
        return Some(usable);
    }
    let unusable = parts.iter().enumerate().filter(|(_, part)| part.state != State::Usable);
    unusable.rev().max_by_key(|(_, part)| gravity(part.state)).map(|(place, _)| place)
}

/// What is repaired where nothing is left of an ordinary value: blanks taken off, or punctuation.
fn rules_of_nothing(value: &[u8]) -> Rules {
    let mut rules = Rules::NONE;
    let is_blank = value.iter().all(|byte| *byte == b' ');
    rules.add(if is_blank { Rule::OuterBlanks } else { Rule::TrailingPunctuation });
    rules
}

/// A cell with no usable part takes the gravest fault of its parts: an invalid one before a placeholder.
fn gravity(state: State) -> u8 {
    match state {
        State::Usable | State::Blank => 0,
        State::Placeholder => 1,
        State::Invalid(_) => 2,
    }
}

/// Whether an ASCII character may stand in a dot-atom (RFC 5322, section 3.2.3).
fn is_atom_text(c: char) -> bool {
    c.is_ascii_alphanumeric() || "!#$%&'*+-/=?^_`{|}~.".contains(c)
}

/// Takes the usual wrapping off an ordinary value: blanks, punctuation at the end, `Name <…>`.
///
/// None where anything in it asks for more care; else the same as the careful way finds.
#[inline]
fn unwrap_ordinary<'a>(value: &'a [u8], rules: &mut Rules) -> Option<&'a [u8]> {
    let mut shown = value;
    loop {
        let before = shown.len();
        shown = trim_blanks(shown);
        if shown.len() < before {
            rules.add(Rule::OuterBlanks);
        }
        if !shown.is_ascii() {
            shown = without_unseen_ends(shown, rules)?;
        }
        let trimmed =
            shown.iter().rposition(|byte| !matches!(byte, b';' | b',' | b'.' | b':')).map_or(0, |last| last + 1);
        if trimmed < shown.len() {
            rules.add(Rule::TrailingPunctuation);
            shown = &shown[..trimmed];
        }
        if let Some(link) = plain_mailto(shown) {
            rules.add(Rule::Mailto);
            shown = link;
        } else if let [head @ .., b'>'] = shown {
            let open = head.iter().rposition(|byte| *byte == b'<')?;
            let name = &head[..open];
            if name.iter().any(|byte| !is_ordinary_in_name(*byte)) {
                return None;
            }
            rules.add(if trim_blanks(name).is_empty() { Rule::Enclosure } else { Rule::NameAndAddress });
            shown = &head[open + 1..];
        }
        if shown.len() == before {
            return Some(shown);
        }
    }
}

/// Takes off the unseen characters that are usual at the ends: no-break spaces, zero-width spaces, byte order marks.
/// None where nothing is left.
fn without_unseen_ends<'a>(mut shown: &'a [u8], rules: &mut Rules) -> Option<&'a [u8]> {
    loop {
        shown = match shown {
            [0xC2, 0xA0, rest @ ..] | [rest @ .., 0xC2, 0xA0] => {
                rules.add(Rule::OuterBlanks);
                rest
            }
            [0xE2, 0x80, 0x8B, rest @ ..]
            | [rest @ .., 0xE2, 0x80, 0x8B]
            | [0xEF, 0xBB, 0xBF, rest @ ..]
            | [rest @ .., 0xEF, 0xBB, 0xBF] => {
                rules.add(Rule::InvisibleCharacters);
                rest
            }
            [] => return None,
            _ => return Some(shown),
        }
    }
}

/// What follows `mailto:`, where that has neither escapes nor header fields.
fn plain_mailto(shown: &[u8]) -> Option<&[u8]> {
    const SCHEME: &[u8] = b"mailto:";
    let (head, link) = shown.split_at_checked(SCHEME.len())?;
    let is_plain = || memchr::memchr(b'@', link).is_some() && memchr::memchr2(b'%', b'?', link).is_none();
    (head.eq_ignore_ascii_case(SCHEME) && is_plain()).then_some(link)
}

fn trim_blanks(mut bytes: &[u8]) -> &[u8] {
    while let [b' ', rest @ ..] | [rest @ .., b' '] = bytes {
        bytes = rest;
    }
    bytes
}

/// Whether the byte cannot part a cell, nor begin an invisible or full-width character in UTF-8.
fn is_ordinary_in_name(byte: u8) -> bool {
    !matches!(byte, 0..=0x1F | b'@' | b';' | b'<' | b'>' | 0x7F | 0xC2 | 0xCD | 0xD8 | 0xE1..=0xE3 | 0xEF..)
}

/// One of the addresses of a cell, cleaned.
struct Part<'a> {
    /// As it stands in the cell, spaces around it aside.
    typed: &'a str,
    text: String,
    state: State,
    /// Whether it seems to be a piece of the address beside it: the two cannot be told apart.
    is_torn: bool,
    /// What it is compared by as it was before a suggested rule mended it.
    unmended: Option<String>,
    /// The domain as A-labels, where it is written otherwise.
    ascii_domain: Option<String>,
    rules: Rules,
}

impl<'a> Part<'a> {
    fn clean(cut: Cut<'a>, wishes: &AddressWishes) -> Part<'a> {
        let mut rules = Rules::NONE;
        let typed = cut.text.trim();
        let text = strip(cut.text, &mut rules);
        let mut text = canonical_form(text, &mut rules);
        let mut unmended = None;
        if !wishes.apply.is_empty()
            && let Some((mended, applied)) = suggest::mended(&text, wishes.apply, &wishes.slips)
        {
            rules.add_all(applied);
            unmended = Some(identity_of(&text, judge(&text).unwrap_or_default().as_deref()).into_owned());
            text = mended;
        }
        let is_torn = cut.is_torn && !text.contains('@');
        if wishes.blank_words.holds(&text, BlankIn::Others) {
            let state = State::Blank;
            return Part { typed, text: String::new(), state, is_torn: false, unmended, ascii_domain: None, rules };
        }
        let (state, ascii_domain) = match judge(&text) {
            _ if text.rfind('@').is_some_and(|at| is_placeholder(text.as_bytes(), at)) => (State::Placeholder, None),
            Ok(ascii_domain) => (State::Usable, ascii_domain),
            Err(fault) => (State::Invalid(fault), None),
        };
        Part { typed, text, state, is_torn, unmended, ascii_domain, rules }
    }

    fn identity(&self) -> Cow<'_, str> {
        identity_of(&self.text, self.ascii_domain.as_deref())
    }
}

/// A cleaned address with its domain as A-labels.
fn identity_of<'a>(text: &'a str, ascii_domain: Option<&str>) -> Cow<'a, str> {
    match (ascii_domain, text.rfind('@')) {
        (Some(domain), Some(at)) => Cow::Owned(format!("{}{domain}", &text[..=at])),
        _ => Cow::Borrowed(text),
    }
}

/// A piece of a cell, before it is cleaned.
#[derive(Clone, Copy)]
struct Cut<'a> {
    text: &'a str,
    /// Whether a text without an `@` that stands here is more likely a piece of its neighbour than a text of its own.
    is_torn: bool,
}

/// Parts a cell at `;` and line ends, at commas only between parts that each hold an `@`, and at blanks
/// only where every word holds exactly one `@`; never inside quotes or `<…>`.
fn part_cell<'a>(value: &'a str, rules: &mut Rules) -> Vec<Cut<'a>> {
    // Each with the separator behind it; all separators take one byte.
    let mut end = 0;
    let all = split_outside(value, |c| matches!(c, ';' | '\n' | '\r')).into_iter().map(|section| {
        end += section.len() + 1;
        (section, value.as_bytes().get(end - 1).copied().unwrap_or(0))
    });
    let mut sections: Vec<(&str, bool)> = Vec::new();
    let mut count = 0;
    for (section, separator) in all {
        count += 1;
        let is_line_end = matches!(separator, b'\n' | b'\r');
        match sections.last_mut() {
            Some((_, ends_line)) if section.chars().all(is_unseen) => *ends_line |= is_line_end,
            None if section.chars().all(is_unseen) => {}
            _ => sections.push((section, is_line_end)),
        }
    }
    let are_torn = |first: usize| match sections.get(first..first + 2) {
        Some([(a, ends_line), (b, _)]) => *ends_line || touch(a, b),
        _ => false,
    };
    let mut parts = Vec::new();
    for (place, (section, _)) in sections.iter().enumerate() {
        let is_torn = !section.contains('@') && (are_torn(place) || place > 0 && are_torn(place - 1));
        let by_comma = split_outside(section, |c| c == ',');
        if by_comma.len() > 1 && by_comma.iter().all(|part| part.contains('@')) {
            parts.extend(by_comma.into_iter().flat_map(part_at_blanks).map(|text| Cut { text, is_torn }));
        } else {
            parts.extend(part_at_blanks(section).into_iter().map(|text| Cut { text, is_torn }));
        }
    }
    let before = parts.len();
    parts.retain(|part| !part.text.chars().all(is_unseen));
    if parts.len() < before || sections.len() < count {
        rules.add(Rule::TrailingPunctuation);
    }
    parts
}

/// Whether two neighbours in a cell touch each other with a sign that stands inside addresses, so that they may be the
/// pieces of one. A dot behind an address is punctuation.
fn touch(a: &str, b: &str) -> bool {
    let signs = ['.', '-', '_', '+'];
    let a = a.trim_end_matches(is_unseen);
    (a.ends_with(signs) && !(a.ends_with('.') && a.contains('@'))) || b.trim_start_matches(is_unseen).starts_with(signs)
}

fn part_at_blanks(section: &str) -> Vec<&str> {
    let words: Vec<&str> = section.split_whitespace().collect();
    let all_are_addresses = words.iter().all(|word| word.matches('@').count() == 1);
    if words.len() > 1 && all_are_addresses { words } else { vec![section] }
}

/// Splits outside double quotes and angle brackets; a quote or bracket without its other half is text.
fn split_outside(value: &str, is_separator: impl Fn(char) -> bool) -> Vec<&str> {
    let mut parts = Vec::new();
    let mut start = 0;
    let mut close = None;
    for (i, c) in value.char_indices() {
        match close {
            Some(end) if i < end => {}
            _ => {
                let after = i + c.len_utf8();
                close = match c {
                    '"' => value[after..].find('"').map(|found| after + found + 1),
                    '<' => value[after..].find('>').map(|found| after + found + 1),
                    _ => None,
                };
                if is_separator(c) {
                    parts.push(&value[start..i]);
                    start = after;
                }
            }
        }
    }
    parts.push(&value[start..]);
    parts
}

/// Takes off what surrounds an address, again and again until nothing changes.
fn strip(typed: &str, rules: &mut Rules) -> String {
    let mut text = typed.to_owned();
    loop {
        let before = text.len();
        text = strip_once(text, rules);
        if text.len() == before {
            return text;
        }
    }
}

/// Without invisible characters, full-width forms made ordinary.
fn visible(typed: &str, rules: &mut Rules) -> String {
    if typed.bytes().all(|byte| matches!(byte, b' '..=b'~')) {
        return typed.to_owned();
    }
    let mut text = String::with_capacity(typed.len());
    for c in typed.chars() {
        if is_invisible(c) {
            rules.add(Rule::InvisibleCharacters);
            continue;
        }
        let ordinary = match c {
            '\u{FF01}'..='\u{FF5E}' => char::from_u32(c as u32 - 0xFEE0).unwrap_or(c),
            '\u{3002}' | '\u{FF61}' => '.',
            '\u{FE6B}' => '@',
            _ => c,
        };
        if ordinary != c {
            rules.add(Rule::FullWidth);
        }
        text.push(ordinary);
    }
    text
}

fn strip_once(mut text: String, rules: &mut Rules) -> String {
    let shown = text.trim();
    if shown.len() < text.len() {
        rules.add(Rule::OuterBlanks);
        text = shown.to_owned();
    }
    let shown = text.trim_end_matches([';', ',', '.', ':']);
    if shown.len() < text.len() {
        rules.add(Rule::TrailingPunctuation);
        text.truncate(shown.len());
    }
    if let Some(inner) = without_mailto(&text) {
        rules.add(Rule::Mailto);
        return visible(&inner, rules);
    }
    if let Some(inner) = without_remark(&text) {
        rules.add(Rule::TextBesideAddress);
        return inner.to_owned();
    }
    if let Some(inner) = text.strip_suffix('>').and_then(|rest| rest.rsplit_once('<')) {
        rules.add(if inner.0.trim().is_empty() { Rule::Enclosure } else { Rule::NameAndAddress });
        return inner.1.to_owned();
    }
    if let Some(inner) = without_enclosure(&text) {
        rules.add(Rule::Enclosure);
        return inner.to_owned();
    }
    text
}

/// An address without a remark in round brackets before or behind it: `ida@post.example (Ida)`.
fn without_remark(text: &str) -> Option<&str> {
    let is_remark = |remark: &str| !remark.contains(['@', '(', ')']);
    let behind = text.strip_suffix(')').and_then(|rest| rest.rsplit_once('('));
    let behind =
        behind.filter(|(address, remark)| address.contains('@') && is_remark(remark)).map(|(address, _)| address);
    let before = || text.strip_prefix('(').and_then(|rest| rest.split_once(')'));
    behind.or_else(|| {
        before().filter(|(remark, address)| address.contains('@') && is_remark(remark)).map(|(_, address)| address)
    })
}

/// RFC 6068: the address of a `mailto:` link, its percent-escapes undone, its header fields taken off.
fn without_mailto(text: &str) -> Option<String> {
    const SCHEME: &str = "mailto:";
    let head = text.get(..SCHEME.len())?;
    if !head.eq_ignore_ascii_case(SCHEME) {
        return None;
    }
    let link = &text[SCHEME.len()..];
    let target = link.split_once('?').map_or(link, |(target, _)| target);
    let mut bytes = Vec::with_capacity(target.len());
    let mut rest = target.as_bytes();
    while let [first, after @ ..] = rest {
        match after {
            [high, low, tail @ ..] if *first == b'%' && high.is_ascii_hexdigit() && low.is_ascii_hexdigit() => {
                let digit = |byte: &u8| (*byte as char).to_digit(16).unwrap_or_default() as u8;
                bytes.push(digit(high) << 4 | digit(low));
                rest = tail;
            }
            _ => {
                bytes.push(*first);
                rest = after;
            }
        }
    }
    Some(String::from_utf8(bytes).unwrap_or_else(|_| target.to_owned()))
}

/// What stands inside a pair of quotes or brackets around the whole.
fn without_enclosure(text: &str) -> Option<&str> {
    const PAIRS: [(char, char); 14] = [
        ('"', '"'),
        ('\'', '\''),
        ('`', '`'),
        ('(', ')'),
        ('[', ']'),
        ('{', '}'),
        ('<', '>'),
        ('“', '”'),
        ('„', '“'),
        ('‘', '’'),
        ('«', '»'),
        ('»', '«'),
        ('‹', '›'),
        ('「', '」'),
    ];
    let pair = PAIRS.iter().find(|(open, close)| text.starts_with(*open) && text.ends_with(*close))?;
    text.strip_prefix(pair.0)?.strip_suffix(pair.1)
}

/// NFC and lower case.
fn canonical_form(text: String, rules: &mut Rules) -> String {
    let composed = if text.is_ascii() || is_nfc(&text) {
        text
    } else {
        rules.add(Rule::ComposedForm);
        text.nfc().collect()
    };
    let lower = composed.to_lowercase();
    if lower != composed {
        rules.add(Rule::LetterCase);
    }
    if lower.is_ascii() { lower } else { lower.nfc().collect() }
}

/// Whether a cleaned text is an address; gives the domain as A-labels where it is written otherwise.
pub(crate) fn judge(text: &str) -> Result<Option<String>, Fault> {
    let Some((local, domain)) = text.rsplit_once('@') else {
        return Err(if text.contains(char::is_whitespace) { Fault::BlankInside } else { Fault::NoAtSign });
    };
    if local.len() >= 2 && local.starts_with('"') && local.ends_with('"') {
        return Err(Fault::QuotedLocalPart);
    }
    if local.contains('@') {
        return Err(Fault::SeveralAtSigns);
    }
    if text.contains(char::is_whitespace) {
        return Err(Fault::BlankInside);
    }
    judge_local(local)?;
    if domain.is_empty() {
        return Err(Fault::NoDomain);
    }
    if domain.starts_with('[') {
        return Err(Fault::NumericDomain);
    }
    let ascii_domain = if domain.is_ascii() {
        None
    } else {
        Some(idna::domain_to_ascii_strict(domain).map_err(|_| Fault::DomainCharacter)?)
    };
    judge_domain(ascii_domain.as_deref().unwrap_or(domain))?;
    let length = local.len() + 1 + ascii_domain.as_deref().unwrap_or(domain).len();
    if length.max(text.len()) > MAX_ADDRESS { Err(Fault::TooLong) } else { Ok(ascii_domain) }
}

/// A dot-atom (RFC 5322, section 3.2.3) with the further letters of RFC 6531.
fn judge_local(local: &str) -> Result<(), Fault> {
    if local.is_empty() {
        return Err(Fault::NoLocalPart);
    }
    if local.len() > MAX_LOCAL {
        return Err(Fault::TooLong);
    }
    if local.starts_with('.') || local.ends_with('.') || local.contains("..") {
        return Err(Fault::MisplacedDot);
    }
    if local.chars().all(|c| !c.is_ascii() || is_atom_text(c)) { Ok(()) } else { Err(Fault::LocalCharacter) }
}

/// Letters, digits and hyphens (RFC 1123, section 2.1) in two or more labels, of which the last is of letters or, like any
/// other, an A-label (RFC 5890) that stands for something.
pub(crate) fn judge_domain(domain: &str) -> Result<(), Fault> {
    const MAX_DOMAIN: usize = 253;
    if domain.len() > MAX_DOMAIN {
        return Err(Fault::TooLong);
    }
    let mut labels = 0;
    let mut last = "";
    for label in domain.split('.') {
        if label.is_empty() {
            return Err(Fault::MisplacedDot);
        }
        if label.len() > MAX_LABEL {
            return Err(Fault::TooLong);
        }
        if !label.bytes().all(|byte| byte.is_ascii_alphanumeric() || byte == b'-') {
            return Err(Fault::DomainCharacter);
        }
        if label.starts_with('-') || label.ends_with('-') {
            return Err(Fault::MisplacedHyphen);
        }
        labels += 1;
        last = label;
    }
    if labels < 2 {
        return Err(Fault::OneLabelDomain);
    }
    if last.bytes().all(|byte| byte.is_ascii_digit()) {
        return Err(Fault::NumericDomain);
    }
    let is_a_label = |label: &str| label.get(..4).is_some_and(|head| head.eq_ignore_ascii_case("xn--"));
    let can_exist = last.bytes().all(|byte| byte.is_ascii_alphabetic()) || is_a_label(last);
    let passes_idna = !domain.split('.').any(is_a_label) || idna::domain_to_ascii_strict(domain).is_ok();
    if can_exist && passes_idna { Ok(()) } else { Err(Fault::DomainCharacter) }
}

/// The A-labels of a domain, in lower case, where the text is one of two or more labels.
pub fn domain(text: &str) -> Option<String> {
    let text = text.trim_matches(is_unseen).trim_end_matches(['.', ';', ',']);
    let lower = if text.is_ascii() { text.to_ascii_lowercase() } else { idna::domain_to_ascii_strict(text).ok()? };
    judge_domain(&lower).ok().map(|()| lower)
}
