//! What checking an address finds: whether mail would arrive, and why.
//!
//! Only what is certain is invalid; whatever could not be found out is unknown, never invalid.

use crate::address::{Address, State};
use crate::audience::{DisposableDomains, is_role};
use crate::suggest::{self, DomainSlips, has_known_top_level};

/// Whether mail would arrive.
#[derive(
    Debug,
    Clone,
    Copy,
    PartialEq,
    Eq,
    PartialOrd,
    Ord,
    Hash,
    strum::IntoStaticStr,
    strum::EnumString,
    strum::VariantArray,
)]
#[strum(serialize_all = "kebab-case")]
pub enum Verdict {
    /// It would not.
    Invalid,
    /// It may not, or nobody should be written there.
    Risky,
    /// That could not be found out.
    Unknown,
    /// It would, as far as the check went.
    Valid,
}

impl Verdict {
    /// The name in files, options and documents.
    pub fn name(self) -> &'static str {
        self.into()
    }
}

/// How far a check goes; each level includes those before.
#[derive(
    Debug,
    Clone,
    Copy,
    PartialEq,
    Eq,
    PartialOrd,
    Ord,
    Hash,
    strum::IntoStaticStr,
    strum::EnumString,
    strum::VariantArray,
)]
#[strum(serialize_all = "kebab-case")]
pub enum Level {
    /// The address alone: nothing is asked of the network.
    Syntax,
    /// Whether its domain takes mail, by DNS.
    Domain,
}

impl Level {
    /// The name in files, options and documents.
    pub fn name(self) -> &'static str {
        self.into()
    }
}

/// Why a verdict is what it is.
#[derive(
    Debug,
    Clone,
    Copy,
    PartialEq,
    Eq,
    PartialOrd,
    Ord,
    Hash,
    strum::IntoStaticStr,
    strum::EnumString,
    strum::VariantArray,
)]
#[strum(serialize_all = "kebab-case")]
pub enum Why {
    /// There is no address.
    BlankAddress,
    /// It is not a valid address (RFC 5321, 5322, 6531).
    NotAnAddress,
    /// It stands for "none".
    Placeholder,
    /// DNS has no such domain.
    NoSuchDomain,
    /// The domain says that it takes no mail (null MX, RFC 7505).
    TakesNoMail,
    /// The domain has neither mail servers nor an address of its own (RFC 5321, section 5.1).
    NoMailServer,
    /// The domain is one letter away from a well-known or a frequent one.
    LikelyTypo,
    /// The last label is none of the root zone, as this version knows it.
    UnknownTopLevelDomain,
    /// Mailboxes of the domain are thrown away after use.
    DisposableDomain,
    /// It belongs to an office and not to a person.
    RoleAddress,
    /// DNS did not answer, or with an error of its own.
    DnsFailed,
    /// It was not looked up before the check was ended.
    NotReached,
    /// The domain names mail servers.
    HasMailServer,
    /// It is written as an address must be; nothing else was looked at.
    WellFormed,
}

impl Why {
    /// The name in files and documents.
    pub fn name(self) -> &'static str {
        self.into()
    }

    /// The verdict that it leads to.
    pub fn verdict(self) -> Verdict {
        match self {
            Why::BlankAddress
            | Why::NotAnAddress
            | Why::Placeholder
            | Why::NoSuchDomain
            | Why::TakesNoMail
            | Why::NoMailServer => Verdict::Invalid,
            Why::LikelyTypo | Why::UnknownTopLevelDomain | Why::DisposableDomain | Why::RoleAddress => Verdict::Risky,
            Why::DnsFailed | Why::NotReached => Verdict::Unknown,
            Why::HasMailServer | Why::WellFormed => Verdict::Valid,
        }
    }

    /// The sentence that explains it.
    pub fn says(self) -> &'static str {
        match self {
            Why::BlankAddress => "no address",
            Why::NotAnAddress => "not a valid e-mail address",
            Why::Placeholder => "typed instead of an address, like noemail@…",
            Why::NoSuchDomain => "the domain does not exist",
            Why::TakesNoMail => "the domain says that it takes no mail",
            Why::NoMailServer => "the domain has no mail server",
            Why::LikelyTypo => "likely a typo in the domain",
            Why::UnknownTopLevelDomain => "the ending of the domain is not known",
            Why::DisposableDomain => "a mailbox that is thrown away after use",
            Why::RoleAddress => "an office, such as info@, and no person",
            Why::DnsFailed => "DNS gave no answer",
            Why::NotReached => "not looked up before the check ended",
            Why::HasMailServer => "the domain takes mail",
            Why::WellFormed => "written as an address must be",
        }
    }
}

/// What the address alone shows.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct BySyntax {
    /// Everything that is to be said, gravest first; the first decides.
    pub whys: Vec<Why>,
    /// The address that was likely meant, where it is likely a typo.
    pub suggestion: Option<String>,
}

/// Judges an address by itself.
///
/// ```
/// use pebblebank_values::address::AddressCleaner;
/// use pebblebank_values::audience::DisposableDomains;
/// use pebblebank_values::suggest::DomainSlips;
/// use pebblebank_values::verdict::{Why, by_syntax};
/// let mut cleaner = AddressCleaner::default();
/// let mut whys = |text: &[u8]| by_syntax(&cleaner.clean(text), &DomainSlips::default(), &DisposableDomains::default()).whys;
/// assert_eq!(whys(b"ida@post.example"), [Why::WellFormed]);
/// assert_eq!(whys(b"info@post.example"), [Why::RoleAddress]);
/// assert_eq!(whys(b"ida@@post"), [Why::NotAnAddress]);
/// ```
pub fn by_syntax(address: &Address, slips: &DomainSlips, disposable: &DisposableDomains) -> BySyntax {
    let only = |why: Why| BySyntax { whys: vec![why], suggestion: None };
    match address.state {
        State::Blank => return only(Why::BlankAddress),
        State::Placeholder => return only(Why::Placeholder),
        State::Invalid(_) => {
            let text = String::from_utf8_lossy(address.text);
            let mended = suggest::mended(&text, suggest::ALL, slips).map(|(mended, _)| mended);
            return BySyntax { whys: vec![Why::NotAnAddress], suggestion: mended };
        }
        State::Usable => {}
    }
    let domain = std::str::from_utf8(address.domain()).unwrap_or_default();
    let mut by_syntax = BySyntax { whys: Vec::new(), suggestion: None };
    if let Some(meant) = slips.meant(domain) {
        by_syntax.whys.push(Why::LikelyTypo);
        by_syntax.suggestion = Some(format!("{}@{meant}", String::from_utf8_lossy(address.local())));
    }
    if !has_known_top_level(domain) {
        by_syntax.whys.push(Why::UnknownTopLevelDomain);
    }
    if disposable.holds(address.domain()) {
        by_syntax.whys.push(Why::DisposableDomain);
    }
    if is_role(address.local()) {
        by_syntax.whys.push(Why::RoleAddress);
    }
    if by_syntax.whys.is_empty() {
        by_syntax.whys.push(Why::WellFormed);
    }
    by_syntax
}
