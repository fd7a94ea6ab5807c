//! Lists and sources in the shapes in which people keep them, with the truth known. Made from a number, so that a failure
//! can be looked at again.

/// A small generator of numbers (xorshift, Marsaglia 2003), the same on every machine.
pub struct Chance(u64);

impl Chance {
    pub fn new(seed: u64) -> Chance {
        Chance(seed.wrapping_mul(0x9E37_79B9_7F4A_7C15) | 1)
    }

    fn next(&mut self) -> u64 {
        self.0 ^= self.0 << 13;
        self.0 ^= self.0 >> 7;
        self.0 ^= self.0 << 17;
        self.0
    }

    pub fn below(&mut self, most: usize) -> usize {
        ((self.next() >> 33) as usize) % most.max(1)
    }

    pub fn one_in(&mut self, times: usize) -> bool {
        self.below(times) == 0
    }

    pub fn of<'a, T>(&mut self, all: &'a [T]) -> &'a T {
        &all[self.below(all.len())]
    }
}

const LOCALS: [&str; 24] = [
    "ida",
    "wren",
    "hugo",
    "zoe",
    "jo.ash",
    "kim_fern",
    "otto",
    "lena.moss",
    "bo",
    "eve-rose",
    "noor",
    "tilda",
    "finn",
    "ada",
    "ravi",
    "uma",
    "sol",
    "mae",
    "piet",
    "anouk",
    "joao",
    "sofia",
    "marek",
    "ines",
];
const DOMAINS: [&str; 6] =
    ["post.example", "inkwell.example", "reed.example.org", "moss.example.net", "hotel.example", "garden.example.com"];
const GIVEN: [&str; 8] = ["Ida", "Wren", "Hugo", "Zoë", "Jo", "Kim", "Otto", "Léna"];
const FAMILY: [&str; 8] = ["Moss", "Ash", "Fern", "Reed", "Birch", "van der Moor", "O'Neil", "García López"];

pub fn address(number: usize) -> String {
    format!("{}{number}@{}", LOCALS[number % LOCALS.len()], DOMAINS[number / 3 % DOMAINS.len()])
}

pub fn name(number: usize) -> String {
    format!("{} {}", GIVEN[number % GIVEN.len()], FAMILY[number / 2 % FAMILY.len()])
}

/// What separates the cells of a file, and how its lines end.
#[derive(Clone, Copy)]
struct Dialect {
    delimiter: char,
    quotes_all: bool,
    line_end: &'static str,
    /// Delimiters behind the last cell: none, on every line, on some.
    trailing: usize,
}

impl Dialect {
    fn any(chance: &mut Chance) -> Dialect {
        Dialect {
            delimiter: *chance.of(&[',', ';', '\t', '|']),
            quotes_all: chance.one_in(6),
            line_end: if chance.one_in(3) { "\r\n" } else { "\n" },
            trailing: chance.below(5),
        }
    }

    fn line(self, cells: &[String], chance: &mut Chance) -> String {
        let quoted = |cell: &String| {
            let needs = cell.contains([self.delimiter, '"', '\n']);
            if needs || self.quotes_all { format!("\"{}\"", cell.replace('"', "\"\"")) } else { cell.clone() }
        };
        let mut line = cells.iter().map(quoted).collect::<Vec<_>>().join(&self.delimiter.to_string());
        let trailing = match self.trailing {
            3 => 1,
            4 => usize::from(chance.one_in(4)) * (1 + chance.below(3)),
            _ => 0,
        };
        line.extend(std::iter::repeat_n(self.delimiter, trailing));
        line + self.line_end
    }
}

/// Headers of columns of addresses; the last ones are in no table.
const ADDRESS_HEADERS: [&str; 26] = [
    "Email",
    "E-mail",
    "email_address",
    "EMAIL",
    "Mail",
    "E-Mail-Adresse",
    "E-Mail",
    "Courriel",
    "Adresse e-mail",
    "Correo electrónico",
    "Correo",
    "Indirizzo e-mail",
    "E-mailadres",
    "Endereço de e-mail",
    "Contact email",
    "\u{feff}Email",
    "Email:",
    "e mail address",
    "Poczta",
    "Adres elektroniczny",
    "Sähköposti",
    "Epost",
    "Who",
    "Address or domain",
    "Do not contact",
    "Newsletter",
];
const NAME_HEADERS: [&str; 8] = ["Name", "Full name", "Imię i nazwisko", "Kontakt", "Nom", "Nombre", "Naam", "Person"];
const DATE_HEADERS: [&str; 6] = ["Date", "Asked on", "Datum", "Fecha", "When", "Removed"];
const REASON_HEADERS: [&str; 6] = ["Reason", "Why", "Grund", "Motivo", "Remarks", "Note"];
const SECOND_HEADERS: [&str; 14] = [
    "Email 2",
    "email_2",
    "E-mail 2",
    "Second email",
    "Secondary e-mail",
    "Alternative email",
    "Other email",
    "Private E-Mail",
    "Zweite E-Mail",
    "Email (work)",
    "Old email",
    "Autre courriel",
    "Correo alternativo",
    "Email2",
];
const TITLES: [&str; 6] = [
    "People who must not be contacted",
    "Larkfold Garden",
    "Stand: 3. März 2026",
    "Export of 2026-03-02",
    "CONFIDENTIAL",
    "Liste d'exclusion",
];
const NOTES: [&str; 6] = [
    "Exported by the office on 2 March",
    "* corrected by Kim",
    "(as of March 2026)",
    "Ende der Liste: März",
    "Please keep this list up to date",
    "Source: ticket office",
];

/// How an address is written into a cell.
fn written(address: &str, number: usize, chance: &mut Chance) -> String {
    match chance.below(18) {
        0 => address.to_uppercase(),
        1 => format!(" {address} "),
        2 => format!("<{address}>"),
        3 => format!("{} <{address}>", name(number)),
        4 => format!("mailto:{address}"),
        5 => format!("{address};"),
        6 => format!("{address},"),
        7 => format!("{address}\u{200b}"),
        8 => format!("{address} ({})", GIVEN[number % GIVEN.len()]),
        9 => format!("\"{address}\""),
        _ => address.to_owned(),
    }
}

/// A suppression list, and whom it names.
pub struct List {
    pub text: Vec<u8>,
    pub addresses: Vec<String>,
    pub domains: Vec<String>,
    pub shape: String,
}

/// A column of a made-up file.
#[derive(Clone, Copy, PartialEq)]
enum Column {
    Address,
    Second,
    Name,
    Date,
    Reason,
    Number,
}

/// A list in some shape. `first` numbers its people.
pub fn list(seed: u64, first: usize) -> List {
    let chance = &mut Chance::new(seed);
    let dialect = Dialect::any(chance);
    let mut columns = vec![Column::Address];
    for column in [Column::Name, Column::Date, Column::Reason, Column::Number, Column::Second] {
        if chance.one_in(3) {
            let place = chance.below(columns.len() + 1);
            columns.insert(place, column);
        }
    }
    let has_header = chance.below(4) > 0;
    let most = if chance.one_in(5) { 120 } else { 12 };
    let people = 1 + chance.below(most);
    let mut list = List { text: Vec::new(), addresses: Vec::new(), domains: Vec::new(), shape: String::new() };
    let mut lines: Vec<String> = Vec::new();
    if has_header && chance.one_in(3) {
        for _ in 0..=chance.below(2) {
            lines.push(dialect.line(&[(*chance.of(&TITLES)).to_owned()], chance));
            if chance.one_in(2) {
                lines.push(dialect.line_end.to_owned());
            }
        }
    }
    let header: Vec<String> = columns.iter().map(|column| header_of(*column, chance)).collect();
    if has_header {
        lines.push(dialect.line(&header, chance));
    }
    let has_domains = chance.one_in(4);
    for number in first..first + people {
        let own = address(number);
        let mut cells = Vec::new();
        for column in &columns {
            let cell = match column {
                Column::Address if has_domains && chance.one_in(5) => {
                    let domain = format!("d{number}.example");
                    list.domains.push(domain.clone());
                    match chance.below(6) {
                        0 => format!("@{domain}"),
                        1 => format!("*@{domain}"),
                        2 => format!("www.{domain}"),
                        3 => format!("http://{domain}/"),
                        4 => format!("*.{domain}"),
                        _ => domain,
                    }
                }
                Column::Address if chance.one_in(25) => {
                    let other = address(number + 5_000);
                    list.addresses.extend([own.clone(), other.clone()]);
                    let between = chance.of(&["; ", ";", ", ", " ; "]);
                    format!("{own}{between}{other}")
                }
                Column::Address => {
                    list.addresses.push(own.clone());
                    written(&own, number, chance)
                }
                Column::Second if chance.one_in(2) => {
                    let second = address(number + 7_000);
                    list.addresses.push(second.clone());
                    second
                }
                Column::Second => String::new(),
                other => value_of(*other, number, chance),
            };
            cells.push(cell);
        }
        if chance.one_in(30) {
            // A delimiter too many shifts what stands behind it.
            cells.insert(0, String::new());
        }
        lines.push(dialect.line(&cells, chance));
        if chance.one_in(20) {
            lines.push(dialect.line_end.to_owned());
        }
        if has_header && chance.one_in(40) {
            lines.push(dialect.line(&header, chance));
        }
    }
    if chance.one_in(4) {
        lines.push(dialect.line_end.to_owned());
        lines.push(dialect.line(&[(*chance.of(&NOTES)).to_owned()], chance));
    }
    if chance.one_in(5) {
        lines.push(dialect.line(&["Total".to_owned(), people.to_string()], chance));
    }
    if let (true, Some(last)) = (chance.one_in(4), lines.last_mut()) {
        *last = last.trim_end_matches(['\r', '\n']).to_owned();
    }
    list.text = encoded(&lines.concat(), chance);
    list.shape = lines.concat();
    list
}

fn header_of(column: Column, chance: &mut Chance) -> String {
    let words: &[&str] = match column {
        Column::Address => &ADDRESS_HEADERS,
        Column::Second => &SECOND_HEADERS,
        Column::Name => &NAME_HEADERS,
        Column::Date => &DATE_HEADERS,
        Column::Reason => &REASON_HEADERS,
        Column::Number => &["No", "Customer number", "ID", "Lfd. Nr."],
    };
    (*chance.of(words)).to_owned()
}

fn value_of(column: Column, number: usize, chance: &mut Chance) -> String {
    match column {
        Column::Name if chance.one_in(8) => String::new(),
        Column::Name => name(number),
        Column::Date => format!("2026-0{}-1{}", 1 + number % 9, number % 9),
        Column::Reason => {
            (*chance.of(&["asked by phone", "", "wrote a letter; cross", "moved, no address", "n/a"])).to_owned()
        }
        _ => (1000 + number).to_string(),
    }
}

fn encoded(text: &str, chance: &mut Chance) -> Vec<u8> {
    match chance.below(8) {
        0 => [b"\xEF\xBB\xBF".as_slice(), text.as_bytes()].concat(),
        1 => {
            let units = std::iter::once('\u{feff}').chain(text.chars()).collect::<String>();
            units.encode_utf16().flat_map(u16::to_le_bytes).collect()
        }
        _ => text.as_bytes().to_vec(),
    }
}

/// A source, and who of its people may be written.
pub struct Source {
    pub text: Vec<u8>,
    /// The addresses of people who opted out.
    pub refused: Vec<String>,
    /// Everybody else.
    pub free: Vec<String>,
    pub shape: String,
}

/// A header, and whether a yes under it is an opt-in.
const CONSENT_HEADERS: [(&str, bool); 62] = [
    ("Marketing OK?", true),
    ("Email marketing", true),
    ("GDPR consent", true),
    ("May contact", true),
    ("Subscribe", true),
    ("Permission to email", true),
    ("Einwilligung", true),
    ("Promotional emails", true),
    ("is_subscribed", true),
    ("Newsletter", true),
    ("Newsletter?", true),
    ("newsletterOptIn", true),
    ("OptIn", true),
    ("emailConsent", true),
    ("Mailing permission", true),
    ("Wants news", true),
    ("Consent", true),
    ("Accepts marketing", true),
    ("Marketing consent given", true),
    ("Werbung erlaubt", true),
    ("Newsletter abonniert", true),
    ("Zustimmung Newsletter", true),
    ("Consentement", true),
    ("Abonné newsletter", true),
    ("Accepte la publicité", true),
    ("Acepta publicidad", true),
    ("Consentimiento marketing", true),
    ("Suscrito al boletín", true),
    ("Consenso marketing", true),
    ("Iscritto newsletter", true),
    ("Toestemming nieuwsbrief", true),
    ("Nieuwsbrief", true),
    ("Aceita marketing", true),
    ("Subscrito newsletter", true),
    ("Kein Newsletter", false),
    ("Opted out of e-mail", false),
    ("DoNotContact", false),
    ("emailOptOut", false),
    ("Email_OptOut", false),
    ("Do not e-mail", false),
    ("Unsubscribed", false),
    ("Has unsubscribed", false),
    ("unsubscribedFlag", false),
    ("No marketing", false),
    ("No emails please", false),
    ("Suppressed", false),
    ("Excluded from mailings", false),
    ("Blocked", false),
    ("Marketing blocked", false),
    ("Keine Werbung", false),
    ("Abgemeldet", false),
    ("Werbesperre", false),
    ("Widerspruch Werbung", false),
    ("Ne pas contacter", false),
    ("Désabonné", false),
    ("Pas de newsletter", false),
    ("No contactar", false),
    ("Dado de baja", false),
    ("Non contattare", false),
    ("Disiscritto", false),
    ("Niet mailen", false),
    ("Não contactar", false),
];

/// A yes and a no, as columns have them; an empty no is a box that was not ticked.
const ANSWERS: [(&str, &str); 12] = [
    ("yes", "no"),
    ("Yes", "No"),
    ("Y", "N"),
    ("TRUE", "FALSE"),
    ("true", "false"),
    ("1", "0"),
    ("x", ""),
    ("X", ""),
    ("✓", "✗"),
    ("ja", "nein"),
    ("oui", "non"),
    ("2025-03-04", ""),
];

/// Headers of columns full of words such as "unsubscribed".
const STATUS_HEADERS: [&str; 8] =
    ["Opt status", "Anmeldestatus", "State", "Status", "Subscription", "Subscription state", "Member state", "Etat"];

/// A source in some shape, with or without a column about consent.
pub fn source(seed: u64, first: usize) -> Source {
    let chance = &mut Chance::new(seed ^ 0xA5A5);
    let dialect = Dialect::any(chance);
    let most = if chance.one_in(5) { 150 } else { 25 };
    let people = 4 + chance.below(most);
    let mut source = Source { text: Vec::new(), refused: Vec::new(), free: Vec::new(), shape: String::new() };
    let mut columns = vec![Column::Address, Column::Name];
    for column in [Column::Date, Column::Number] {
        if chance.one_in(2) {
            columns.insert(chance.below(columns.len() + 1), column);
        }
    }
    let consent = match chance.below(4) {
        0 => None,
        1 => Some(((*chance.of(&STATUS_HEADERS)).to_owned(), true, ("subscribed", "unsubscribed"))),
        _ => {
            let (header, is_opt_in) = *chance.of(&CONSENT_HEADERS);
            Some((header.to_owned(), is_opt_in, *chance.of(&ANSWERS)))
        }
    };
    let place = chance.below(columns.len() + 1);
    let mut lines = Vec::new();
    if chance.one_in(3) {
        lines.push(dialect.line(&[(*chance.of(&TITLES)).to_owned()], chance));
    }
    let mut header: Vec<String> = columns.iter().map(|column| header_of(*column, chance)).collect();
    if header.iter().any(|header| matches!(header.as_str(), "Do not contact" | "Newsletter" | "Removed")) {
        header = columns
            .iter()
            .map(|column| format!("{} {}", ["Email", "Name", "No"][*column as usize % 3], *column as usize))
            .collect();
        let own = columns.iter().position(|column| *column == Column::Address).unwrap_or_default();
        header[own] = String::from("Email");
    }
    if let Some((name, ..)) = &consent {
        header.insert(place, name.clone());
    }
    lines.push(dialect.line(&header, chance));
    for number in first..first + people {
        let own = address(number);
        let mut cells: Vec<String> = columns
            .iter()
            .map(|column| match column {
                Column::Address => written(&own, number, chance),
                other => value_of(*other, number, chance),
            })
            .collect();
        let is_refused = match &consent {
            Some((_, is_opt_in, (yes, no))) => {
                let says_yes = chance.below(3) > 0;
                cells.insert(place, (if says_yes { *yes } else { *no }).to_owned());
                // A box that was not ticked states nothing.
                if *is_opt_in { !says_yes && !no.is_empty() } else { says_yes }
            }
            None => false,
        };
        if is_refused {
            source.refused.push(own);
        } else {
            source.free.push(own);
        }
        lines.push(dialect.line(&cells, chance));
        if chance.one_in(25) {
            lines.push(dialect.line_end.to_owned());
        }
        if chance.one_in(50) {
            lines.push(dialect.line(&header, chance));
        }
    }
    if chance.one_in(4) {
        lines.push(dialect.line_end.to_owned());
        lines.push(dialect.line(&[(*chance.of(&NOTES)).to_owned()], chance));
    }
    source.shape = lines.concat();
    source.text = encoded(&source.shape, chance);
    source
}
