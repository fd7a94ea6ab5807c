//! Who lives in the demo's world.

use crate::rng::Rng;

/// An invented person.
#[derive(Debug, Clone)]
pub(crate) struct Person {
    pub(crate) number: usize,
    pub(crate) first: &'static str,
    pub(crate) last: &'static str,
    pub(crate) address: String,
    pub(crate) town: &'static str,
    pub(crate) postcode: String,
    pub(crate) country: &'static str,
    pub(crate) company: Option<&'static str>,
    pub(crate) phone: String,
}

/// All people.
#[derive(Debug)]
pub(crate) struct World {
    pub(crate) seed: u64,
    pub(crate) people: Vec<Person>,
}

const FIRST: [&str; 48] = [
    "Ida", "Marlow", "Agnes", "Tobias", "Inês", "Wren", "Hugo", "Saskia", "Piet", "Noor", "Anselm", "Bryony", "Cato",
    "Delphine", "Edda", "Fergus", "Greta", "Hamish", "Isolde", "Jonas", "Katya", "Leopold", "Maren", "Nils", "Odile",
    "Percy", "Quentin", "Rosalind", "Søren", "Thea", "Ursula", "Viggo", "Wilma", "Xenia", "Yannick", "Zelda", "José",
    "Björn", "Chloé", "Aoife", "Mei", "Kofi", "Priya", "Tomasz", "Lucía", "Amara", "Otis", "Hana",
];
const LAST: [&str; 56] = [
    "Moss",
    "Thornback",
    "Quill",
    "Larkin",
    "Sandford",
    "Meresby",
    "Hollis",
    "O'Hara",
    "van Dijk",
    "de la Moor",
    "Fairweather",
    "Brambles",
    "Okonkwo",
    "Lindqvist",
    "Castellan",
    "Dunmore",
    "Ashdown",
    "Birkett",
    "Cray",
    "Dovecote",
    "Elderkin",
    "Fenwright",
    "Garrow",
    "Heron",
    "Ivorson",
    "Jessop",
    "Kestrel",
    "Lovage",
    "Marchbank",
    "Nettleton",
    "Orchardson",
    "Pellworm",
    "Quaife",
    "Rushworth",
    "Sorrel",
    "Tansley",
    "Underhill",
    "Vetchley",
    "Wickstead",
    "Yarrow",
    "Müller",
    "García",
    "Sørensen",
    "Nováková",
    "Schäfer",
    "Lefèvre",
    "Smith-Hale",
    "Patel",
    "Tanaka",
    "Kowalska",
    "Byrne",
    "Adeyemi",
    "Rossi",
    "Haugen",
    "McBride",
    "Weiß",
];
const DOMAINS: [(&str, usize); 14] = [
    ("postbox.example", 30),
    ("mailhaven.example", 18),
    ("inkwell.example", 12),
    ("larkmail.example", 8),
    ("example.com", 7),
    ("example.org", 6),
    ("example.net", 5),
    ("harbourmail.example", 4),
    ("quillmere.example", 3),
    ("hotel.example", 2),
    ("bookings.hotel.example", 1),
    ("sandbar.example", 1),
    ("gardeners.example", 2),
    ("mossworks.example", 1),
];
const TOWNS: [(&str, &str); 12] = [
    ("Larkfold", "LF1"),
    ("Quillmere", "QM2"),
    ("Sandbar Quay", "SQ4"),
    ("Upper Meresby", "LF7"),
    ("Thornwick", "TW3"),
    ("Ashdown Vale", "AV5"),
    ("Fennel Cross", "FC6"),
    ("Old Harbour", "SQ1"),
    ("Birk Hill", "BH9"),
    ("Dovecote Green", "DG2"),
    ("St Wren's", "SW8"),
    ("Kestrel Moor", "KM3"),
];
/// Friends of the garden abroad: country, town, postal code.
const ABROAD: [(&str, &str, &str); 4] = [
    ("NL", "Oudemeer", "1234 AB"),
    ("US", "Fern Hollow", "02134"),
    ("DE", "Moosbach", "04999"),
    ("NL", "Zandkreek", "4321 XY"),
];
const COMPANIES: [&str; 10] = [
    "Moss & Daughters",
    "Quillmere Books",
    "Hotel Larkspur",
    "The Copper Kettle",
    "Sandbar Studio",
    "Thornwick Nurseries, Ltd",
    "\"The Shed\" Café",
    "Meresby Glass",
    "Harbour Lights",
    "Fennel Cross School",
];

impl World {
    /// The people of a seed.
    pub(crate) fn new(seed: u64) -> World {
        World::of_size(seed, 1_900)
    }

    /// As many people as wanted.
    pub(crate) fn of_size(seed: u64, people: usize) -> World {
        World { seed, people: (0..people).map(|number| person(seed, number)).collect() }
    }

    /// A generator for one file.
    pub(crate) fn rng(&self, stream: u64) -> Rng {
        Rng::new(self.seed, stream)
    }

    /// Whether a person belongs to a group that so many of a thousand belong to.
    pub(crate) fn is_among(&self, person: &Person, group: u64, of_thousand: usize) -> bool {
        Rng::new(self.seed ^ group.wrapping_mul(0x1_0000_01B3), person.number as u64).below(1_000) < of_thousand
    }
}

/// A person, always the same for a seed and a number.
pub(crate) fn person(seed: u64, number: usize) -> Person {
    let mut rng = Rng::new(seed, 1_000 + number as u64);
    let (first, last) = (*rng.one_of(&FIRST), *rng.one_of(&LAST));
    let (town, area) = *rng.one_of(&TOWNS);
    let abroad = number.is_multiple_of(12).then(|| ABROAD[number / 12 % ABROAD.len()]);
    let domain = domain(&mut rng);
    let local = match rng.below(4) {
        0 => format!("{}.{}{number}", plain(first), plain(last)),
        1 => format!("{}{}{number}", &plain(first)[..1], plain(last)),
        2 => format!("{}_{}{number}", plain(last), plain(first)),
        _ => format!("{}{number}+garden", plain(first)),
    };
    Person {
        number,
        first,
        last,
        address: format!("{local}@{domain}"),
        town: abroad.map_or(town, |(_, town, _)| town),
        postcode: match abroad {
            Some((.., postcode)) => postcode.to_owned(),
            None => format!("{area} {}{}{}", rng.below(9) + 1, letter(&mut rng), letter(&mut rng)),
        },
        country: abroad.map_or("GB", |(country, ..)| country),
        company: rng.percent(22).then(|| *rng.one_of(&COMPANIES)),
        // 020 7946 0000 to 0999 are set aside for drama.
        phone: format!("020 7946 0{:03}", rng.below(1_000)),
    }
}

fn domain(rng: &mut Rng) -> &'static str {
    let mut place = rng.below(DOMAINS.iter().map(|(_, weight)| weight).sum());
    for (domain, weight) in DOMAINS {
        if place < weight {
            return domain;
        }
        place -= weight;
    }
    DOMAINS[0].0
}

fn letter(rng: &mut Rng) -> char {
    char::from(*rng.one_of(b"ABDEFGHJLNPQRSTUWXYZ"))
}

/// A name as people put it into an address: small letters without accents.
fn plain(name: &str) -> String {
    name.chars()
        .filter_map(|c| match c {
            'ê' | 'é' | 'è' => Some('e'),
            'í' => Some('i'),
            'á' | 'ä' => Some('a'),
            'ü' => Some('u'),
            'ø' | 'ö' => Some('o'),
            'ß' => Some('s'),
            c if c.is_ascii_alphabetic() => Some(c.to_ascii_lowercase()),
            _ => None,
        })
        .collect()
}
