//! An address as it was typed → the address as it is written, what it is compared by, and whether it can be used.
//!
//! Valid is what RFC 5321, 5322 and 6531 allow, with the lengths of RFC 5321 section 4.5.3.1 and of
//! RFC 3696 erratum 1690 (254 octets), narrowed to what a mailing list can use: a dot-atom local part,
//! a domain of two or more labels, no address literal.

use crate::address_cell::{Cut, part_cell};
use crate::address_syntax::{Fault, judge};
use crate::address_wrapping::{canonical_form, strip, visible};
use crate::blank::{BlankIn, BlankWords};
use crate::placeholder::is_placeholder;
use crate::plain_address::plain_address;
use crate::suggest::{self, DomainLooks, DomainTypos};
use crate::{Rule, Rules};
use std::borrow::Cow;
use std::sync::{Arc, LazyLock};

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
    /// As it is in the cell, spaces around it aside.
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

    /// An address that is known to be clean and usable as it is.
    #[inline]
    pub fn clean_already(text: &'a [u8]) -> Address<'a> {
        let at = text.iter().position(|byte| *byte == b'@').unwrap_or(text.len());
        Address { state: State::Usable, text, identity: text, rules: Rules::NONE, further: &[], held_by: &[], at }
    }

    /// Whether it can be used.
    #[inline]
    pub fn is_usable(&self) -> bool {
        self.state == State::Usable
    }

    /// The identity's part before the `@`; all of it where there is none.
    #[inline]
    pub fn local(&self) -> &'a [u8] {
        &self.identity[..self.at.min(self.identity.len())]
    }

    /// The domain as A-labels; empty where there is no `@`.
    #[inline]
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
    /// The domains that others may be typos of.
    pub typos: DomainTypos,
}

/// What nobody says otherwise.
static STANDARD_WISHES: LazyLock<Arc<AddressWishes>> = LazyLock::new(Arc::default);

/// Cleans addresses. Keeps its buffers from call to call.
#[derive(Debug)]
pub struct AddressCleaner {
    wishes: Arc<AddressWishes>,
    text: Vec<u8>,
    identity: Vec<u8>,
    further: Vec<FurtherAddress>,
    held_by: Vec<String>,
    domains: DomainLooks,
}

impl Default for AddressCleaner {
    fn default() -> AddressCleaner {
        AddressCleaner::with(Arc::clone(&STANDARD_WISHES))
    }
}

impl AddressCleaner {
    /// A cleaner for a job.
    pub fn with(wishes: Arc<AddressWishes>) -> AddressCleaner {
        AddressCleaner {
            wishes,
            text: Vec::new(),
            identity: Vec::new(),
            further: Vec::new(),
            held_by: Vec::new(),
            domains: DomainLooks::default(),
        }
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
        if self.wishes.apply.has(Rule::DomainTypo) {
            let domain = shown[plain.at + 1..].to_ascii_lowercase();
            if self.domains.look(&domain, &self.wishes.typos).is_typo {
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

    /// The careful way, for whatever is not plain ASCII and valid as it is. Where the quick one decides,
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
    rules.add(if is_blank { Rule::OuterSpaces } else { Rule::TrailingPunctuation });
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
            rules.add(Rule::OuterSpaces);
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
                rules.add(Rule::OuterSpaces);
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
    /// As it is in the cell, spaces around it aside.
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
            && let Some((mended, applied)) = suggest::mended(&text, wishes.apply, &wishes.typos)
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
