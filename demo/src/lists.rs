//! The lists of the demo: four of people not to be written to, one to ask about, and what was decided about people.

use crate::Written;
use crate::export::Export;
use crate::people::World;

/// All lists.
pub(crate) fn all(world: &World) -> Vec<(Written, Vec<u8>)> {
    vec![
        (
            Written {
                name: "lists/do-not-contact.csv",
                what: "people and whole domains that Larkfold must not write to",
            },
            do_not_contact(world),
        ),
        (Written { name: "lists/opted-out.csv", what: "who unsubscribed at the sending service" }, opted_out(world)),
        (Written { name: "lists/bounced.csv", what: "addresses whose mail came back" }, bounced(world)),
        (
            Written { name: "lists/already-invited.txt", what: "who had the invitation last week, one address a line" },
            already_invited(world),
        ),
        (Written { name: "lists/guests-2025.csv", what: "who came to last year's fair, and with whom" }, guests(world)),
        (
            Written { name: "decisions.csv", what: "what somebody decided about likely duplicates" },
            include_bytes!("decisions.csv").to_vec(),
        ),
    ]
}

fn do_not_contact(world: &World) -> Vec<u8> {
    let mut export = Export::new(',', "\n");
    export.row(["Address or domain", "Asked on", "Note"]);
    export.row(["@hotel.example", "2025-06-11", "the group's legal department, all hotels"]);
    export.row(["sandbar.example", "2024-01-09", "ourselves"]);
    for person in world.people.iter().filter(|person| world.is_among(person, 31, 15)) {
        export.row([person.address.to_uppercase().as_str(), "2025-11-20", ""]);
    }
    for number in 0..12 {
        export.row([format!("former.friend{number}@postbox.example").as_str(), "2021-03-02", "moved away"]);
    }
    export.bytes
}

fn opted_out(world: &World) -> Vec<u8> {
    let mut rng = world.rng(32);
    let mut export = Export::new(';', "\r\n");
    export.row(["Date", "Email", "Campaign"]);
    for person in world.people.iter().filter(|person| world.is_among(person, 32, 30)) {
        let date = format!("{:02}.{:02}.2025", rng.below(28) + 1, rng.below(12) + 1);
        export.row([date.as_str(), &person.address, *rng.one_of(&["autumn", "winter lights"])]);
    }
    // Somebody typed what was said on the telephone.
    for person in world.people.iter().filter(|person| world.is_among(person, 38, 5)) {
        export.row(["14.02.2026", &misheard(&person.address), "by telephone"]);
    }
    export.bytes
}

fn bounced(world: &World) -> Vec<u8> {
    let mut export = Export::new(',', "\n");
    export.row(["email", "code"]);
    for person in world.people.iter().filter(|person| world.is_among(person, 33, 25)) {
        export.row([person.address.as_str(), "5.1.1"]);
    }
    export.row(["unknown", "5.1.1"]);
    export.row(["not an address", "5.1.3"]);
    export.bytes
}

fn guests(world: &World) -> Vec<u8> {
    let mut rng = world.rng(35);
    let mut export = Export::new(';', "\n");
    export.row(["Guest", "E-mail", "Came with", "Liked best"]);
    for person in world.people.iter().filter(|person| world.is_among(person, 35, 160)) {
        let party = rng.one_of(&["nobody", "1 child", "2 children", "a friend", "the choir"]);
        let liked = rng.one_of(&["the seed swap", "bats by lantern", "the rose walk", "cake"]);
        let name = format!("{} {}", person.first, person.last);
        export.row([name.as_str(), &person.address, party, liked]);
    }
    export.bytes
}

fn already_invited(world: &World) -> Vec<u8> {
    let mut export = Export::new(',', "\n");
    for person in world.people.iter().filter(|person| world.is_among(person, 34, 60)) {
        export.line(&person.address);
    }
    export.bytes
}

/// An address with one letter before its number left out.
fn misheard(address: &str) -> String {
    let local = address.find(['+', '@']).unwrap_or_default();
    let letter = address[..local].rfind(|sign: char| sign.is_ascii_lowercase());
    letter.map_or(address.to_owned(), |at| format!("{}{}", &address[..at], &address[at + 1..]))
}
