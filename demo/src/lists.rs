//! The four suppression lists of the demo.

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

fn already_invited(world: &World) -> Vec<u8> {
    let mut export = Export::new(',', "\n");
    for person in world.people.iter().filter(|person| world.is_among(person, 34, 60)) {
        export.line(&person.address);
    }
    export.bytes
}
