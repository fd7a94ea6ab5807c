//! The made-up world of the re-count: what its people are, in how many ways each of their values may be spelled, and the
//! lists and wishes of a job. A value is known by its number, whatever its spelling.

use proptest::prelude::*;
use proptest::sample::select;
use std::fmt::Write as _;

/// How many people have an address.
pub const PEOPLE: u8 = 9;

/// An address: whose it is, whether it has a tag, and how it is spelled.
#[derive(Debug, Clone, Copy)]
pub struct Address {
    pub who: u8,
    pub has_tag: bool,
    pub spelling: u8,
}

impl Address {
    /// The domain, as A-labels.
    pub fn domain(who: u8) -> String {
        if who == PEOPLE - 1 { "xn--mil-qla.example".to_owned() } else { format!("mail{}.example", who % 3) }
    }

    /// What it is compared by.
    pub fn identity(self, ignores_tags: bool) -> String {
        let tag = if self.has_tag && !ignores_tags { "+fair" } else { "" };
        format!("person{}{tag}@{}", self.who, Address::domain(self.who))
    }

    /// As it is written: the domain as it was read.
    pub fn written(self) -> String {
        let tag = if self.has_tag { "+fair" } else { "" };
        let is_unicode = self.who == PEOPLE - 1 && self.spelling.is_multiple_of(2);
        let domain = if is_unicode { "mäil.example".to_owned() } else { Address::domain(self.who) };
        format!("person{}{tag}@{domain}", self.who)
    }

    pub fn spelled(self) -> String {
        let plain = self.written();
        match self.spelling / 2 {
            0 => plain,
            1 => plain.to_uppercase(),
            2 => format!("  {plain} "),
            3 => format!("Robin Example <{plain}>"),
            4 => format!("{plain};"),
            5 => format!("\u{200b}{plain}\u{a0}"),
            _ => format!("mailto:{plain}"),
        }
    }
}

pub fn address() -> impl Strategy<Value = Address> {
    let has_tag = prop_oneof![5 => Just(false), 1 => Just(true)];
    (0..PEOPLE, has_tag, 0..14u8).prop_map(|(who, has_tag, spelling)| Address { who, has_tag, spelling })
}

/// What a cell of addresses holds.
#[derive(Debug, Clone)]
pub enum Cell {
    Blank(&'static str),
    /// Nobody's address, and none at all.
    Text(&'static str),
    /// The invalid address of this number.
    Broken(u8),
    Placeholder,
    Addresses(Vec<Address>),
    /// A usable address, and an invalid one.
    Beside(Address, u8),
    /// Two pieces of which nobody knows whether they are one address.
    Torn(Address),
}

/// The text of an invalid address.
pub fn broken(number: u8) -> String {
    format!("broken{number}..x@mail{}.example", number % 3)
}

pub const TORN: &str = "robin.";

pub fn cell() -> impl Strategy<Value = Cell> {
    prop_oneof![
        1 => select(vec!["", " ", "n/a", ";", "<>", "-"]).prop_map(Cell::Blank),
        1 => select(vec!["call her at noon", "CALL HER AT NOON", "by post alone"]).prop_map(Cell::Text),
        1 => (0..3u8).prop_map(Cell::Broken),
        1 => Just(Cell::Placeholder),
        12 => address().prop_map(|address| Cell::Addresses(vec![address])),
        3 => prop::collection::vec(address(), 2..4).prop_map(Cell::Addresses),
        1 => (address(), 0..3u8).prop_map(|(address, number)| Cell::Beside(address, number)),
        1 => address().prop_map(Cell::Torn),
    ]
}

impl Cell {
    pub fn typed(&self) -> String {
        match self {
            Cell::Blank(text) | Cell::Text(text) => (*text).to_owned(),
            Cell::Broken(number) => broken(*number).to_uppercase(),
            Cell::Placeholder => "noemail@mail0.example".to_owned(),
            Cell::Addresses(all) => all.iter().map(|one| one.spelled()).collect::<Vec<_>>().join("; "),
            Cell::Beside(address, number) => format!("{}; {}", address.spelled(), broken(*number)),
            Cell::Torn(address) => format!("{TORN}\n{}", address.written()),
        }
    }
}

/// A phone number.
#[derive(Debug, Clone, Copy)]
pub enum Phone {
    None(&'static str),
    /// One that people type where they have none.
    Placeholder(&'static str),
    /// Digits that are no number.
    Damaged,
    Number(u8, u8),
}

impl Phone {
    pub fn typed(self) -> String {
        match self {
            Phone::None(text) | Phone::Placeholder(text) => text.to_owned(),
            Phone::Damaged => "0999 12".to_owned(),
            Phone::Number(number, spelling) => match spelling {
                0 => format!("+44207946000{number}"),
                1 => format!("020 7946 000{number}"),
                2 => format!("0044 20 7946-000{number} "),
                _ => format!(" (020) 7946.000{number}"),
            },
        }
    }

    /// As it is written.
    pub fn written(self) -> String {
        match self {
            Phone::None(_) | Phone::Placeholder(_) => String::new(),
            Phone::Damaged => self.typed(),
            Phone::Number(number, _) => format!("+44207946000{number}"),
        }
    }

    /// What people are compared by.
    pub fn number(self) -> Option<u8> {
        if let Phone::Number(number, _) = self { Some(number) } else { None }
    }

    /// What lists are asked by: digits that are no number are still the same digits.
    pub fn asked(self) -> Option<u8> {
        if let Phone::Damaged = self { Some(u8::MAX) } else { self.number() }
    }
}

pub fn phone() -> impl Strategy<Value = Phone> {
    prop_oneof![
        6 => select(vec!["", "n/a", " "]).prop_map(Phone::None),
        1 => select(vec!["000-000-0000", "+44 1234567890", "99999"]).prop_map(Phone::Placeholder),
        1 => Just(Phone::Damaged),
        5 => (0..4u8, 0..4u8).prop_map(|(number, spelling)| Phone::Number(number, spelling)),
    ]
}

/// A name, by the numbers of its parts.
#[derive(Debug, Clone, Copy)]
pub enum Name {
    None(&'static str),
    Of { given: u8, family: u8, middle: Option<u8>, spelling: u8 },
}

const GIVEN: [&str; 3] = ["Anna", "José", "Bo"];
const FAMILY: [&str; 3] = ["Rossi", "Muñoz", "van der Moor"];
const MIDDLE: [&str; 2] = ["B.", "Clara"];

/// UTF-8 that was read as windows-1252.
fn decoded_wrongly(text: &str) -> String {
    text.replace('é', "Ã©").replace('ñ', "Ã±")
}

impl Name {
    /// Its parts as the columns of a source have them: given, middle, family.
    pub fn parts(self) -> [String; 3] {
        let Name::Of { given, family, middle, spelling } = self else { return Default::default() };
        let middle = middle.map_or("", |middle| MIDDLE[middle as usize]);
        let parts = [GIVEN[given as usize], middle, FAMILY[family as usize]].map(str::to_owned);
        match spelling {
            1 => [format!("Mrs. {}", parts[0]), parts[1].clone(), parts[2].clone()],
            2 => [parts[0].clone(), parts[1].clone(), format!("{}, PhD", parts[2])],
            3 => parts.map(|part| part.to_uppercase()),
            4 => parts.map(|part| format!(" {part} ")),
            5 => parts.map(|part| decoded_wrongly(&part)),
            _ => parts,
        }
    }

    pub fn typed(self) -> String {
        let Name::Of { given, family, middle, spelling } = self else {
            let Name::None(text) = self else { unreachable!() };
            return text.to_owned();
        };
        let (given, family) = (GIVEN[given as usize], FAMILY[family as usize]);
        let middle = middle.map_or(String::new(), |middle| format!(" {}", MIDDLE[middle as usize]));
        let plain = format!("{given}{middle} {family}");
        match spelling {
            1 => format!("Mrs. {plain}"),
            2 => format!("{plain} PhD"),
            3 => plain.to_uppercase(),
            4 => format!("  {given}{middle}  {family} "),
            5 => decoded_wrongly(&plain),
            6 => format!("{family}, {given}{middle}"),
            7 => format!("{given} \"Nan\"{middle} {family}"),
            8 if !family.contains(' ') => format!("{} {given}{middle}", family.to_uppercase()),
            _ => plain,
        }
    }

    /// As it is written in a full name.
    pub fn written(self, splits_names: bool) -> String {
        let Name::Of { given, family, middle, spelling } = self else { return String::new() };
        let middle = middle.map_or(String::new(), |middle| format!(" {}", MIDDLE[middle as usize]));
        let plain = format!("{}{middle} {}", GIVEN[given as usize], FAMILY[family as usize]);
        match spelling {
            // The first name alone, in two capitals, may be initials.
            3 if splits_names && GIVEN[given as usize] == "Bo" => plain.replacen("Bo", "BO", 1),
            1 | 2 if splits_names => self
                .parts()
                .map(|part| part.trim().to_owned())
                .into_iter()
                .filter(|part| !part.is_empty())
                .collect::<Vec<_>>()
                .join(" "),
            3..=6 => plain,
            _ if splits_names => plain,
            _ => self.typed(),
        }
    }

    pub fn core(self) -> Option<(u8, u8)> {
        if let Name::Of { given, family, .. } = self { Some((given, family)) } else { None }
    }

    pub fn middle(self) -> Option<u8> {
        if let Name::Of { middle, .. } = self { middle } else { None }
    }
}

pub fn name() -> impl Strategy<Value = Name> {
    let middle = prop_oneof![3 => Just(None), 1 => (0..2u8).prop_map(Some)];
    prop_oneof![
        3 => select(vec!["", "n/a", "-"]).prop_map(Name::None),
        7 => (0..3u8, 0..3u8, middle, 0..10u8)
            .prop_map(|(given, family, middle, spelling)| Name::Of { given, family, middle, spelling }),
    ]
}

/// A column that the tool knows nothing of: the text, and what it is.
pub type Extra = (&'static str, Option<u8>);

pub const BADGES: [Extra; 11] = [
    ("B1", Some(1)),
    (" b1", Some(1)),
    ("Ｂ1", Some(1)),
    ("B1\u{200b}", Some(1)),
    ("B2", Some(2)),
    ("b2  ", Some(2)),
    ("", None),
    ("n/a", None),
    ("N/A", None),
    ("-", None),
    ("none", None),
];

pub const CITIES: [Extra; 6] =
    [("Harbour", Some(1)), (" Harbour ", Some(1)), ("Inkwell", Some(2)), ("", None), ("n/a", None), ("unknown", None)];

/// Days, each with its place in time. The two that are still to come count as none.
pub const SEEN: [(&str, u32); 7] = [
    ("2024-01-31", 2),
    (" 2024-01-31 ", 2),
    ("2025-06-01", 3),
    ("1999-12-31", 1),
    ("9999-12-31", 0),
    ("2099-01-01", 0),
    ("", 0),
];

/// A value as it is typed, and as it is written.
pub type Value = (&'static str, &'static str);

pub const JOINED: [Value; 6] = [
    (" 2026-02-02 ", "2026-02-02"),
    ("2025-03-05", "2025-03-05"),
    ("5 March 2025", "2025-03-05"),
    ("2026-02-02 14:30 ", "2026-02-02T14:30:00"),
    ("", ""),
    (" n/a", ""),
];

pub const TAGS: [Value; 5] =
    [(" choir ", "choir"), ("bats;choir", "bats; choir"), ("Choir; Bats", "Choir; Bats"), ("", ""), ("n/a", "")];

pub const WEBSITES: [Value; 3] =
    [(" https://moss.example ", "https://moss.example"), ("WWW.Moss.example/", "https://www.moss.example"), ("", "")];

pub const LANGUAGES: [Value; 4] = [(" nl ", "nl"), ("Deutsch", "de"), ("en_gb ", "en-GB"), ("", "")];

pub const VISITS: [Value; 4] = [(" 12 ", "12"), ("1.234,50", "1234.50"), ("€ 7", "7"), ("", "")];

pub const STATUSES: [&str; 8] =
    ["subscribed", "subscribed", "", "unsubscribed", "complained", "pending", "bounced", " Unsubscribed "];

#[derive(Debug, Clone)]
pub struct Row {
    pub cell: Cell,
    pub second: Cell,
    pub phone: Phone,
    pub name: Name,
    pub badge: Extra,
    pub city: Extra,
    pub seen: (&'static str, u32),
    pub status: &'static str,
    pub is_kept: bool,
    /// When they joined, their tags, website, language and visits.
    pub values: [Value; 5],
}

pub fn row() -> impl Strategy<Value = Row> {
    let second = prop_oneof![6 => Just(Cell::Blank("")), 1 => cell()];
    let status = prop_oneof![3 => Just("subscribed"), 2 => select(&STATUSES[..])];
    let is_kept = prop_oneof![5 => Just(true), 1 => Just(false)];
    let known = (phone(), name(), select(&BADGES[..]), select(&CITIES[..]), select(&SEEN[..]));
    let values = [&JOINED[..], &TAGS[..], &WEBSITES[..], &LANGUAGES[..], &VISITS[..]].map(select);
    (cell(), second, known, status, is_kept, values).prop_map(
        |(cell, second, (phone, name, badge, city, seen), status, is_kept, values)| Row {
            cell,
            second,
            phone,
            name,
            badge,
            city,
            seen,
            status,
            is_kept,
            values,
        },
    )
}

/// An entry of a list.
#[derive(Debug, Clone)]
pub enum Entry {
    Blank,
    Address(Address),
    Broken(u8),
    Text,
    Domain(u8),
    /// A hash of the address without letter case.
    Hash(u8),
    Phone(Phone),
    Name(Name),
    Badge(Extra),
}

/// What a list goes by.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum By {
    Address,
    Phone,
    Name,
    /// The same by its parts.
    NameParts,
    Badge,
}

#[derive(Debug, Clone)]
pub struct List {
    pub by: By,
    pub reason: &'static str,
    pub entries: Vec<Entry>,
}

/// MD5 (RFC 1321) of the identities, by their number.
pub const HASHES: [&str; 4] = [
    "a571ff415466fbd1dc2e06f89c5e1b0e",
    "9bb989bfd8a1ad7157649cf36cfaeea3",
    "426771c2f175642982d85c61507c6f51",
    "def9792e91c3a95ff487cf164cde9e4a",
];

fn entry(by: By) -> BoxedStrategy<Entry> {
    match by {
        By::Address => prop_oneof![
            6 => address().prop_map(Entry::Address),
            1 => (0..3u8).prop_map(Entry::Broken),
            1 => Just(Entry::Text),
            1 => (0..3u8).prop_map(Entry::Domain),
            1 => (0..HASHES.len() as u8).prop_map(Entry::Hash),
            1 => Just(Entry::Blank),
        ]
        .boxed(),
        By::Phone => phone().prop_map(Entry::Phone).boxed(),
        By::Name | By::NameParts => name().prop_map(Entry::Name).boxed(),
        By::Badge => select(&BADGES[..]).prop_map(Entry::Badge).boxed(),
    }
}

pub fn list() -> impl Strategy<Value = List> {
    let by = prop_oneof![
        5 => Just(By::Address), 1 => Just(By::Phone), 1 => Just(By::Name), 1 => Just(By::NameParts), 1 => Just(By::Badge)
    ];
    let reason = select(vec!["do-not-contact", "bounced", "already-sent", "on-other-list", "opted-out"]);
    (by, reason).prop_flat_map(|(by, reason)| {
        prop::collection::vec(entry(by), 0..4).prop_map(move |entries| List { by, reason, entries })
    })
}

impl List {
    /// The file, with its header.
    pub fn file(&self) -> String {
        let mut text = match self.by {
            By::Address => "email\n",
            By::Phone => "Phone\n",
            By::Name => "Full name\n",
            By::NameParts => "First name,Middle name,Last name\n",
            By::Badge => "Badge\n",
        }
        .to_owned();
        for entry in &self.entries {
            let typed = match entry {
                Entry::Blank => "n/a".to_owned(),
                Entry::Address(address) => address.spelled(),
                Entry::Broken(number) => broken(*number),
                Entry::Text => "call her at noon".to_owned(),
                Entry::Domain(number) => format!("@mail{number}.example"),
                Entry::Hash(number) => HASHES[*number as usize].to_owned(),
                Entry::Phone(phone) => phone.typed(),
                Entry::Name(name) if self.by == By::NameParts => {
                    let parts = name.parts().map(|part| quoted(&part));
                    _ = writeln!(text, "{}", parts.join(","));
                    continue;
                }
                Entry::Name(name) => name.typed(),
                Entry::Badge((badge, _)) => (*badge).to_owned(),
            };
            _ = writeln!(text, "{}", quoted(&typed));
        }
        text
    }
}

pub fn quoted(value: &str) -> String {
    format!("\"{}\"", value.replace('"', "\"\""))
}

/// A condition on who is picked.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum Select {
    All,
    OnWalks,
    NotOnWalks,
    BadgeFilled,
    BadgeIsNone,
    BadgeIsNot1,
}

/// A mailing that some addresses were sent, as often as it was loaded.
#[derive(Debug, Clone)]
pub struct Mailing {
    pub campaign: u8,
    pub scope: u8,
    pub addresses: Vec<Address>,
}

/// The scopes of the bank; the job is for the second, so that the third does not count.
pub const SCOPES: [&str; 3] = ["everyone", "larkfold", "quillmere"];

#[derive(Debug, Clone)]
#[allow(clippy::struct_excessive_bools)] // each is a key of a job file
pub struct Job {
    /// The rows of the sources, and whether their names stand in three columns.
    pub sources: Vec<(Vec<Row>, bool)>,
    pub lists: Vec<List>,
    /// Whom the list "walks" has, which holds nobody.
    pub walks: Vec<Address>,
    /// The keys of people, in their order.
    pub same: Vec<&'static str>,
    pub survivor: &'static str,
    pub fill: bool,
    pub ignores_tags: bool,
    pub needs_city: bool,
    pub leaves_out: bool,
    pub select: Select,
    pub allow: Option<Address>,
    /// Whom the bank holds as opted out, in which scope.
    pub bank: Vec<(Address, u8)>,
    /// The mailing that the job prepares.
    pub campaign: Option<u8>,
    /// What was sent, and how many mailings are allowed.
    pub sent: Vec<Mailing>,
    pub at_most: usize,
}

const KEYS: [&str; 5] = ["email", "phone", "full_name", "badge", "full_name + city"];

pub fn job() -> impl Strategy<Value = Job> {
    let rows = prop::collection::vec(row(), 1..7);
    let source = (rows, any::<bool>());
    let same = prop_oneof![
        3 => Just(vec!["email"]),
        4 => prop::sample::subsequence(&KEYS[..], 1..4).prop_shuffle(),
    ];
    let survivor = select(vec!["first-read", "last-read", "newest", "fullest"]);
    let mostly_not = || prop_oneof![3 => Just(false), 1 => Just(true)];
    let selects = [Select::OnWalks, Select::NotOnWalks, Select::BadgeFilled, Select::BadgeIsNone, Select::BadgeIsNot1];
    let select = prop_oneof![4 => Just(Select::All), 2 => prop::sample::select(selects.to_vec())];
    let mailing = (0..3u8, 0..3u8, prop::collection::vec(address(), 1..4))
        .prop_map(|(campaign, scope, addresses)| Mailing { campaign, scope, addresses });
    let bank = (
        prop_oneof![3 => Just(Vec::new()), 1 => prop::collection::vec((address(), 0..3u8), 1..3)],
        prop_oneof![4 => Just(Vec::new()), 1 => prop::collection::vec(mailing, 1..4)],
        1..4usize,
        prop::option::of(0..3u8),
    );
    let people = (same, survivor, mostly_not(), mostly_not());
    let who = (
        prop::collection::vec(list(), 0..4),
        prop::collection::vec(address(), 0..3),
        prop::option::weighted(0.3, address()),
    );
    (prop::collection::vec(source, 1..3), people, who, (mostly_not(), mostly_not(), select), bank).prop_map(
        |(
            sources,
            (same, survivor, fill, ignores_tags),
            (lists, walks, allow),
            (needs_city, leaves_out, select),
            bank,
        )| {
            let (bank, sent, at_most, campaign) = bank;
            Job {
                sources,
                lists,
                walks,
                same,
                survivor,
                fill,
                ignores_tags,
                needs_city,
                leaves_out,
                select,
                allow,
                bank,
                campaign: campaign.filter(|_| !sent.is_empty()),
                sent,
                at_most,
            }
        },
    )
}
