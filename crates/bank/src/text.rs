//! What entries hold: addresses, domains, phones, and digests of addresses that are not shown.

use pebblebank_values::address::{AddressCleaner, State};
use pebblebank_values::address_syntax::{domain, domain_forms};
use pebblebank_values::comparable::digits_of_phone;
use pebblebank_values::digest::{Digest, DigestKind};
use pebblebank_values::identity::without_tag;
use pebblebank_values::place::Country;
use pebblebank_values::{Cleaned, phone};

/// What an entry holds.
#[derive(Debug, Clone, Copy, PartialEq, Eq, PartialOrd, Ord, Hash, strum::IntoStaticStr, strum::FromRepr)]
#[strum(serialize_all = "kebab-case")]
#[repr(u8)]
pub enum Kind {
    /// An address, by its identity.
    Address = 0,
    /// A domain and all below it.
    Domain = 1,
    /// A phone number.
    Phone = 2,
    /// The SHA-256 of an address.
    #[strum(serialize = "sha-256")]
    Sha256 = 3,
    /// The MD5 of an address.
    Md5 = 4,
    /// The keyed digest of an address that was forgotten.
    Forgotten = 5,
    /// The keyed digest of a phone number that was forgotten.
    #[strum(serialize = "forgotten phone")]
    ForgottenPhone = 6,
}

impl Kind {
    /// The name in lists and files.
    pub fn name(self) -> &'static str {
        self.into()
    }

    /// Whether contacts are compared with it by their phone numbers.
    pub fn is_of_phone(self) -> bool {
        matches!(self, Kind::Phone | Kind::ForgottenPhone)
    }

    /// Whether it stands for somebody who was forgotten.
    pub fn is_forgotten(self) -> bool {
        matches!(self, Kind::Forgotten | Kind::ForgottenPhone)
    }

    pub(crate) fn code(self) -> i64 {
        i64::from(self as u8)
    }

    pub(crate) fn of_code(code: i64) -> Kind {
        u8::try_from(code).ok().and_then(Kind::from_repr).unwrap_or(Kind::Address)
    }

    /// How a digest of this kind is made; none for what is shown.
    pub fn digest(self) -> Option<DigestKind> {
        match self {
            Kind::Sha256 => Some(DigestKind::Sha256),
            Kind::Md5 => Some(DigestKind::Md5),
            Kind::Forgotten | Kind::ForgottenPhone => Some(DigestKind::Keyed),
            Kind::Address | Kind::Domain | Kind::Phone => None,
        }
    }
}

/// What an entry holds, with its kind.
#[derive(Clone, PartialEq, Eq, PartialOrd, Ord, Hash)]
pub struct Text {
    /// What it is.
    pub kind: Kind,
    /// It: text, or the bytes of a digest.
    pub value: Vec<u8>,
}

impl std::fmt::Debug for Text {
    fn fmt(&self, f: &mut std::fmt::Formatter<'_>) -> std::fmt::Result {
        write!(f, "Text({}, …)", self.kind.name())
    }
}

impl Text {
    /// An address, by its identity.
    pub fn address(identity: &str) -> Text {
        Text { kind: Kind::Address, value: identity.as_bytes().to_vec() }
    }

    /// A digest.
    pub fn digest(digest: &Digest) -> Text {
        let kind = match digest.kind {
            DigestKind::Sha256 => Kind::Sha256,
            DigestKind::Md5 => Kind::Md5,
            DigestKind::Keyed => Kind::Forgotten,
        };
        Text { kind, value: digest.bytes().to_vec() }
    }

    /// Reads what somebody typed: an address, `@hotel.example`, `hotel.example`, a phone number, a digest in hex. None for
    /// what is none of these, and for several addresses.
    pub fn read(typed: &str, country: Option<Country>) -> Option<Text> {
        let mut all = Text::read_all(typed, country);
        if all.len() == 1 { all.pop() } else { None }
    }

    /// Reads a text in which there may be several addresses, as in a cell or a line of recipients.
    pub fn read_all(typed: &str, country: Option<Country>) -> Vec<Text> {
        let mut cleaner = AddressCleaner::default();
        let address = cleaner.clean(typed.as_bytes());
        if !address.is_usable() {
            return Text::other_than_address(typed.trim(), country).into_iter().collect();
        }
        let first = Text { kind: Kind::Address, value: address.identity.to_vec() };
        std::iter::once(first).chain(address.further.iter().map(|further| Text::address(&further.identity))).collect()
    }

    /// What a text that cannot be read may be kept as: the text of an address that is none, the digits of a phone number.
    pub(crate) fn as_it_stands(typed: &str) -> Vec<Text> {
        let mut cleaner = AddressCleaner::default();
        let address = cleaner.clean(typed.as_bytes());
        let is_none = matches!(address.state, State::Invalid(_));
        let address = is_none.then(|| Text { kind: Kind::Address, value: address.identity.to_vec() });
        let phone = digits_of_phone(typed).map(|digits| Text { kind: Kind::Phone, value: digits.into_bytes() });
        address.into_iter().chain(phone).collect()
    }

    fn other_than_address(typed: &str, country: Option<Country>) -> Option<Text> {
        if let Some(digest) = Digest::read(typed) {
            return Some(Text::digest(&digest));
        }
        let is_number = |sign: char| sign.is_ascii_digit() || "+-()/. ".contains(sign);
        if typed.chars().all(is_number) && typed.chars().filter(char::is_ascii_digit).count() >= 6 {
            let mut number = String::new();
            return match phone::clean(typed, country, &mut number) {
                Cleaned::Doubtful(_) => None,
                Cleaned::AsItIs => Some(Text { kind: Kind::Phone, value: typed.as_bytes().to_vec() }),
                Cleaned::Repaired(_) => Some(Text { kind: Kind::Phone, value: number.into_bytes() }),
            };
        }
        let domain = domain(typed.strip_prefix('@').unwrap_or(typed))?;
        Some(Text { kind: Kind::Domain, value: domain.into_bytes() })
    }

    /// As people read it; a digest in hex.
    pub fn shown(&self) -> String {
        match self.kind.digest() {
            Some(kind) => Digest::new(kind, &self.value).hex(),
            None => String::from_utf8_lossy(&self.value).into_owned(),
        }
    }

    /// The domain of an address with all above it, each as a text.
    pub fn domains(&self) -> Vec<Text> {
        let shown = String::from_utf8_lossy(&self.value);
        let mut rest = match self.kind {
            Kind::Address => shown.rsplit_once('@').map_or("", |(_, domain)| domain),
            Kind::Domain => shown.split_once('.').map_or("", |(_, above)| above),
            _ => "",
        };
        let mut domains = Vec::new();
        while rest.contains('.') {
            domains.push(Text { kind: Kind::Domain, value: rest.as_bytes().to_vec() });
            rest = rest.split_once('.').map_or("", |(_, above)| above);
        }
        domains
    }

    /// What an address or a phone number is kept as once it is forgotten; nothing else can be.
    pub fn forgotten(&self, key: &[u8; 32]) -> Option<Text> {
        let kind = match self.kind {
            Kind::Address => Kind::Forgotten,
            Kind::Phone => Kind::ForgottenPhone,
            _ => return None,
        };
        Some(Text { kind, value: DigestKind::Keyed.of(&self.value, Some(key)).bytes().to_vec() })
    }

    /// The address without its `+tag`, where it has one: the same mailbox.
    pub fn untagged(&self) -> Option<Text> {
        let untagged = without_tag(&self.value).into_owned();
        let is_other = self.kind == Kind::Address && untagged != self.value;
        is_other.then_some(Text { kind: Kind::Address, value: untagged })
    }

    /// The digests that partners hold an address by without showing it: of the address with its domain in either form.
    pub fn partner_digests(&self) -> Vec<Text> {
        if self.kind != Kind::Address {
            return Vec::new();
        }
        let digests = |address: String| {
            [DigestKind::Sha256, DigestKind::Md5].map(|kind| Text::digest(&kind.of(address.as_bytes(), None)))
        };
        domain_forms(&self.shown()).into_iter().flat_map(digests).collect()
    }
}
