//! The five sources of the demo: each with the columns and the mess of the program that it comes from.

use crate::export::{Export, in_utf_16, in_windows_1252, no_address, typed};
use crate::people::{Person, World};
use crate::rng::Rng;
use crate::{Written, mess};

const BASKETS: [&str; 5] = ["ferns", "roses, climbing", "bulbs; mixed", "12\" pots", "seeds\nand labels"];

const WALKS: [&str; 4] = ["Bluebells", "Orchard; by lantern", "Bats", "Moss and stone"];

/// All sources.
pub(crate) fn all(world: &World) -> Vec<(Written, Vec<u8>)> {
    let (first_half, second_half) = plant_shop(world);
    vec![
        (Written { name: "exports/plant-shop-2025.csv", what: "orders in the plant shop, comma" }, first_half),
        (
            Written { name: "exports/plant-shop-2026.csv", what: "the same of this year, columns in another order" },
            second_half,
        ),
        (
            Written { name: "exports/guided-walks.csv", what: "bookings of guided walks, semicolon, one name column" },
            guided_walks(world),
        ),
        (Written { name: "exports/gift-cards.tsv", what: "buyers of gift cards, tab, UTF-16" }, gift_cards(world)),
        (
            Written { name: "exports/volunteers.txt", what: "the volunteers' list, pipe, windows-1252, typed by hand" },
            volunteers(world),
        ),
        (
            Written { name: "exports/sign-ups.csv", what: "the sign-up form, with what people said about mailings" },
            sign_ups(world),
        ),
    ]
}

/// The people of a source: so many of a thousand of the world, some of them twice, in an order of its own.
fn visitors<'a>(world: &'a World, stream: u64, of_thousand: usize, rng: &mut Rng) -> Vec<&'a Person> {
    let mut visitors: Vec<&Person> =
        world.people.iter().filter(|person| world.is_among(person, stream, of_thousand)).collect();
    let again: Vec<&Person> = visitors.iter().copied().filter(|_| rng.percent(6)).collect();
    visitors.extend(again);
    for end in (1..visitors.len()).rev() {
        visitors.swap(end, rng.below(end + 1));
    }
    visitors
}

fn address_cell(person: &Person, rng: &mut Rng) -> String {
    if rng.percent(3) {
        return no_address(&person.address, rng);
    }
    typed(&person.address, &format!("{} {}", person.first, person.last), rng)
}

fn date(rng: &mut Rng, years: [usize; 2]) -> (usize, usize, usize) {
    (years[0] + rng.below(years[1] - years[0] + 1), rng.below(12) + 1, rng.below(28) + 1)
}

fn plant_shop(world: &World) -> (Vec<u8>, Vec<u8>) {
    let mut rng = world.rng(1);
    let mut old = Export::new(',', "\r\n");
    let mut new = Export::new(',', "\n");
    let header =
        ["Email Address", "First Name", "Last Name", "Company", "Town", "Postcode", "Country", "First order", "Basket"];
    old.row(header);
    new.row([
        "First order",
        "Email Address",
        "Last Name",
        "First Name",
        "Town",
        "Postcode",
        "Country",
        "Company",
        "Basket",
    ]);
    for (index, person) in visitors(world, 11, 420, &mut rng).into_iter().enumerate() {
        let address = address_cell(person, &mut rng);
        let (year, month, day) = date(&mut rng, [2019, 2025]);
        let ordered = format!("{year}-{month:02}-{day:02}");
        let (first, last) = (mess::name(person.first, &mut rng), mess::name(person.last, &mut rng));
        let country = mess::country(person, &mut rng);
        let postcode = mess::postcode(person, &mut rng);
        // Some put all into one field of the form.
        let (town, postcode) = match rng.below(30) {
            0 if person.country == "GB" => (format!("{} {}", person.town, person.postcode), String::new()),
            1 => (format!("{0}, {0}", person.town), postcode),
            2 if person.town == "Quillmere" => ("Qmere".to_owned(), postcode),
            _ => (person.town.to_owned(), postcode),
        };
        let basket = *rng.one_of(&BASKETS);
        let company = person.company.unwrap_or_default();
        if index % 3 < 2 {
            old.row([&address, &first, &last, company, &town, &postcode, country, &ordered, basket]);
        } else {
            let ordered = format!("{ordered} {:02}:{:02}", rng.below(24), rng.below(60));
            new.row([&ordered, &address, &last, &first, &town, &postcode, country, company, basket]);
        }
        if index == 200 {
            // Two exports were pasted together.
            old.row(header);
        }
    }
    old.row(["Total", "", "", "", "", "", "", "", ""]);
    (old.bytes, new.bytes)
}

fn guided_walks(world: &World) -> Vec<u8> {
    let mut rng = world.rng(2);
    let mut export = Export::new(';', "\n");
    export.line("\u{feff}Larkfold Garden: bookings of guided walks");
    export.line("");
    export.row(["Name", "E-mail", "Phone", "Walk", "Last visit"]);
    for (index, person) in visitors(world, 12, 330, &mut rng).into_iter().enumerate() {
        let address = address_cell(person, &mut rng);
        let name = match index {
            44 => "Thornwick Nurseries Ltd".to_owned(),
            88 => person.address.clone(),
            _ => mess::full_name(person, &mut rng),
        };
        let phone = mess::phone(person, &mut rng);
        let (year, month, day) = date(&mut rng, [2023, 2025]);
        let visited = format!("{day:02}.{month:02}.{year}");
        let walk = *rng.one_of(&WALKS);
        match index {
            // Somebody deleted the last cells; somebody typed one delimiter too many.
            97 => export.row([&*name, &address, &phone]),
            160 => export.row([&*name, &address, &phone, walk, &visited, "brings a dog"]),
            _ => export.row([&*name, &address, &phone, walk, &visited]),
        }
        if index % 140 == 139 {
            export.line(";;;;");
        }
    }
    export.bytes
}

fn gift_cards(world: &World) -> Vec<u8> {
    let mut rng = world.rng(3);
    let mut export = Export::new('\t', "\r\n");
    export.row(["Card", "Given name", "Surname", "E-mail address", "Bought", "Value"]);
    for (index, person) in visitors(world, 13, 260, &mut rng).into_iter().enumerate() {
        let address = address_cell(person, &mut rng);
        let (year, month, day) = date(&mut rng, [2024, 2025]);
        let value = ["15", "25", "50", "100"][rng.below(4)];
        let card = format!("GC{:05}", 40_000 + index);
        export.row([&card, person.first, person.last, &address, &format!("{month}/{day}/{year}"), value]);
    }
    in_utf_16(&export.bytes)
}

fn volunteers(world: &World) -> Vec<u8> {
    let mut rng = world.rng(4);
    let mut export = Export::new('|', "\n");
    export.row(["Volunteer", "Contact", "Mobile", "Helps with", "Do not mail"]);
    for person in visitors(world, 14, 90, &mut rng) {
        let address = address_cell(person, &mut rng);
        let name = format!("{} {}", person.first, person.last);
        let helps = ["weeding", "café", "tours", "=plants+pots", "-"][rng.below(5)];
        let stop = if world.is_among(person, 21, 60) { "yes" } else { ["", "no", ""][rng.below(3)] };
        export.row([&*name, &address, &person.phone, helps, stop]);
    }
    let mut bytes = export.bytes;
    bytes.pop(); // the last line has no end
    in_windows_1252(&bytes)
}

fn sign_ups(world: &World) -> Vec<u8> {
    let mut rng = world.rng(5);
    let mut export = Export::new(',', "\n");
    export.row([
        "id",
        "email",
        "first_name",
        "last_name",
        "status",
        "signed_up",
        "heard of us",
        "date of birth",
        "language",
        "interests",
    ]);
    for (index, person) in visitors(world, 15, 380, &mut rng).into_iter().enumerate() {
        let address = address_cell(person, &mut rng);
        let (year, month, day) = date(&mut rng, [2021, 2025]);
        let status = if world.is_among(person, 22, 70) {
            "unsubscribed"
        } else {
            match rng.below(100) {
                0..=2 => "pending",
                3..=4 => "",
                5 => "spam complaint",
                6 => "bounced",
                7 => "frozen",
                _ => "subscribed",
            }
        };
        let heard = ["a friend", "the \"Echo\"", "radio, mornings", ""][rng.below(4)];
        let id = (10_001 + index).to_string();
        let day = format!("{year}-{month:02}-{day:02}");
        let (first, last) = (mess::name(person.first, &mut rng), mess::name(person.last, &mut rng));
        let (born, likes) = (mess::birthday(&mut rng), mess::interests(&mut rng));
        let language = mess::language(person, &mut rng);
        export.row([&*id, &address, &first, &last, status, &day, heard, &born, language, &likes]);
    }
    export.bytes
}
