//! What checking an address finds: whether mail would arrive, and why.
//!
//! Only what is certain is invalid; whatever could not be found out is unknown, never invalid.

use crate::address::{Address, State};
use crate::audience::{DisposableDomains, is_role};
use crate::suggest::{self, DomainLooks, DomainTypos};

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
    /// Whether its mail server knows the mailbox, by SMTP.
    Mailbox,
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
    /// The mail server knows no such mailbox.
    NoSuchMailbox,
    /// The mailbox is switched off.
    MailboxDisabled,
    /// A checking service called the address invalid.
    ReportedInvalid,
    /// The domain is one letter away from a well-known or a frequent one.
    LikelyTypo,
    /// The last label is none of the root zone, as this version knows it.
    UnknownTopLevelDomain,
    /// Mailboxes of the domain are thrown away after use.
    DisposableDomain,
    /// It belongs to an office and not to a person.
    RoleAddress,
    /// The mail server takes every address of the domain, so nobody can tell.
    AcceptsAll,
    /// The mailbox takes nothing more for now.
    MailboxFull,
    /// The mail server refused the address without a clear reason.
    MailboxRefused,
    /// The mail server takes no address with letters beyond ASCII (RFC 6531).
    NeedsUtf8,
    /// A checking service called the address risky.
    ReportedRisky,
    /// DNS did not answer, or with an error of its own.
    DnsFailed,
    /// The network lets no connection to mail servers out.
    MailPortBlocked,
    /// No mail server of the domain could be reached.
    ServerUnreachable,
    /// The mail server refuses to answer this machine.
    ServerRefuses,
    /// The mail server broke off, or its replies made no sense.
    ServerFault,
    /// The mail server put the question off until later, each time.
    Greylisted,
    /// A checking service could not tell.
    ReportedUnknown,
    /// It was not looked up before the check was ended.
    NotReached,
    /// The mail server takes mail for the mailbox.
    MailboxExists,
    /// A checking service called the address valid.
    ReportedValid,
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
            | Why::NoMailServer
            | Why::NoSuchMailbox
            | Why::MailboxDisabled
            | Why::ReportedInvalid => Verdict::Invalid,
            Why::LikelyTypo
            | Why::UnknownTopLevelDomain
            | Why::DisposableDomain
            | Why::RoleAddress
            | Why::AcceptsAll
            | Why::MailboxFull
            | Why::MailboxRefused
            | Why::NeedsUtf8
            | Why::ReportedRisky => Verdict::Risky,
            Why::DnsFailed
            | Why::MailPortBlocked
            | Why::ServerUnreachable
            | Why::ServerRefuses
            | Why::ServerFault
            | Why::Greylisted
            | Why::ReportedUnknown
            | Why::NotReached => Verdict::Unknown,
            Why::MailboxExists | Why::ReportedValid | Why::HasMailServer | Why::WellFormed => Verdict::Valid,
        }
    }

    /// How far somebody looked who found it.
    pub fn level(self) -> Level {
        match self {
            Why::BlankAddress
            | Why::NotAnAddress
            | Why::Placeholder
            | Why::LikelyTypo
            | Why::UnknownTopLevelDomain
            | Why::DisposableDomain
            | Why::RoleAddress
            | Why::NotReached
            | Why::WellFormed => Level::Syntax,
            Why::NoSuchDomain | Why::TakesNoMail | Why::NoMailServer | Why::DnsFailed | Why::HasMailServer => {
                Level::Domain
            }
            Why::NoSuchMailbox
            | Why::MailboxDisabled
            | Why::ReportedInvalid
            | Why::AcceptsAll
            | Why::MailboxFull
            | Why::MailboxRefused
            | Why::NeedsUtf8
            | Why::ReportedRisky
            | Why::MailPortBlocked
            | Why::ServerUnreachable
            | Why::ServerRefuses
            | Why::ServerFault
            | Why::Greylisted
            | Why::ReportedUnknown
            | Why::MailboxExists
            | Why::ReportedValid => Level::Mailbox,
        }
    }

    /// Whether it shows that the domain takes mail.
    fn shows_that_the_domain_takes_mail(self) -> bool {
        use Why::{
            AcceptsAll, HasMailServer, MailboxDisabled, MailboxExists, MailboxFull, NoSuchMailbox, ReportedValid,
        };
        let shows =
            [HasMailServer, MailboxExists, AcceptsAll, MailboxFull, MailboxDisabled, NoSuchMailbox, ReportedValid];
        shows.contains(&self)
    }

    /// Whether it says nothing that would still hold the next day, so that it is asked for again.
    pub fn is_passing(self) -> bool {
        self.verdict() == Verdict::Unknown && self != Why::ReportedUnknown
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
            Why::NoSuchMailbox => "the mail server knows no such mailbox",
            Why::MailboxDisabled => "the mailbox is switched off",
            Why::ReportedInvalid => "a checking service called it invalid",
            Why::AcceptsAll => "the server takes every address, so nobody can tell",
            Why::MailboxFull => "the mailbox is full",
            Why::MailboxRefused => "the mail server refused it without a clear reason",
            Why::NeedsUtf8 => "the mail server takes no such letters in addresses",
            Why::ReportedRisky => "a checking service called it risky",
            Why::MailPortBlocked => "this network lets no mail connections out",
            Why::ServerUnreachable => "no mail server of the domain could be reached",
            Why::ServerRefuses => "the mail server refuses to answer this machine",
            Why::ServerFault => "the mail server broke off or made no sense",
            Why::Greylisted => "the mail server put it off until later",
            Why::ReportedUnknown => "a checking service could not tell",
            Why::MailboxExists => "the mailbox exists",
            Why::ReportedValid => "a checking service called it valid",
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

/// Several reasons, gravest first; the first decides.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub struct Whys {
    all: [Why; Whys::MOST],
    count: usize,
}

impl Whys {
    /// An address has no more of them.
    const MOST: usize = 6;

    /// One reason.
    pub fn only(why: Why) -> Whys {
        Whys { all: [why; Whys::MOST], count: 1 }
    }

    /// Adds a reason, in its place. What only says that nothing was found so far gives way to it: a form, a domain that takes
    /// mail, each to what was found after it.
    pub fn add(&mut self, why: Why) {
        let goes_beyond = |own: Why| matches!(own, Why::WellFormed | Why::HasMailServer) && why != Why::WellFormed;
        if let [.., last] = self.as_slice()
            && goes_beyond(*last)
        {
            self.count -= 1;
        }
        if self.count == 0 || why != Why::WellFormed && self.count < Whys::MOST {
            self.all[self.count] = why;
            self.count += 1;
            self.all[..self.count].sort_unstable_by_key(|why| (why.verdict(), *why));
        }
    }

    /// Takes the doubt about the ending of a domain away where it turned out to take mail.
    pub fn settled_by(&mut self, found: Option<Why>) {
        if found.is_some_and(Why::shows_that_the_domain_takes_mail)
            && self.as_slice().contains(&Why::UnknownTopLevelDomain)
        {
            let mut settled = Whys::only(Why::WellFormed);
            for why in self.as_slice().iter().filter(|why| **why != Why::UnknownTopLevelDomain) {
                settled.add(*why);
            }
            *self = settled;
        }
    }

    /// The one that decides.
    pub fn first(&self) -> Why {
        self.all[0]
    }

    /// All of them.
    pub fn as_slice(&self) -> &[Why] {
        &self.all[..self.count]
    }
}

/// What the address alone shows.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct BySyntax {
    /// Everything that is to be said.
    pub whys: Whys,
    /// The address that was likely meant, where it is likely a typo.
    pub suggestion: Option<String>,
}

/// Judges an address by itself; `looks` remembers what is known of domains from call to call.
///
/// ```
/// use pebblebank_values::address::AddressCleaner;
/// use pebblebank_values::audience::DisposableDomains;
/// use pebblebank_values::suggest::{DomainLooks, DomainTypos};
/// use pebblebank_values::verdict::{Why, by_syntax};
/// let (mut cleaner, mut looks) = (AddressCleaner::default(), DomainLooks::default());
/// let (typos, disposable) = (DomainTypos::default(), DisposableDomains::default());
/// let mut why = |text: &[u8]| by_syntax(&cleaner.clean(text), &typos, &disposable, &mut looks).whys.first();
/// assert_eq!(why(b"ida@post.example"), Why::WellFormed);
/// assert_eq!(why(b"info@post.example"), Why::RoleAddress);
/// assert_eq!(why(b"ida@@post"), Why::NotAnAddress);
/// ```
pub fn by_syntax(
    address: &Address,
    typos: &DomainTypos,
    disposable: &DisposableDomains,
    looks: &mut DomainLooks,
) -> BySyntax {
    let only = |why: Why| BySyntax { whys: Whys::only(why), suggestion: None };
    match address.state {
        State::Usable => {}
        State::Blank => return only(Why::BlankAddress),
        State::Placeholder => return only(Why::Placeholder),
        State::Invalid(_) => {
            let text = String::from_utf8_lossy(address.text);
            let mended = suggest::mended(&text, suggest::ALL, typos).map(|(mended, _)| mended);
            return BySyntax { whys: Whys::only(Why::NotAnAddress), suggestion: mended };
        }
    }
    let mut found = only(Why::WellFormed);
    let look = looks.look(address.domain(), typos);
    if look.is_typo {
        let domain = String::from_utf8_lossy(address.domain());
        let local = String::from_utf8_lossy(address.local());
        found.suggestion = typos.meant(&domain).map(|meant| format!("{local}@{meant}"));
        found.whys.add(Why::LikelyTypo);
    }
    if !look.has_known_top_level {
        found.whys.add(Why::UnknownTopLevelDomain);
    }
    if disposable.holds(address.domain()) {
        found.whys.add(Why::DisposableDomain);
    }
    if is_role(address.local()) {
        found.whys.add(Why::RoleAddress);
    }
    found
}
