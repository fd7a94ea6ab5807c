//! The other client: Quillmere Playhouse, a small theatre, some of whose audience are also friends of the garden.

use crate::Written;
use crate::export::{Export, typed};
use crate::people::World;

/// Its files.
pub(crate) fn all(world: &World) -> Vec<(Written, Vec<u8>)> {
    vec![
        (
            Written { name: "playhouse/box-office.csv", what: "the other client, a theatre: who bought a ticket" },
            box_office(world),
        ),
        (
            Written { name: "playhouse/opted-out.csv", what: "who unsubscribed from the theatre's mailings" },
            opted_out(world),
        ),
        (
            Written { name: "season-opening.toml", what: "the theatre's own job" },
            include_bytes!("season-opening.toml").to_vec(),
        ),
    ]
}

fn box_office(world: &World) -> Vec<u8> {
    let mut rng = world.rng(41);
    let mut export = Export::new(',', "\r\n");
    export.row(["Booking no", "Customer email", "Forename", "Surname", "Last visit"]);
    for person in world.people.iter().filter(|person| world.is_among(person, 41, 120)) {
        let booking = format!("QP-{:04}", person.number);
        let date = format!("2025-{:02}-{:02}", rng.below(12) + 1, rng.below(28) + 1);
        let address = typed(&person.address, person.first, &mut rng);
        export.row([booking.as_str(), &address, person.first, person.last, &date]);
    }
    export.bytes
}

fn opted_out(world: &World) -> Vec<u8> {
    let mut export = Export::new(';', "\n");
    export.row(["E-Mail", "Unsubscribed on"]);
    let visitors = world.people.iter().filter(|person| world.is_among(person, 41, 120));
    for person in visitors.step_by(17) {
        export.row([person.address.as_str(), "2026-01-15"]);
    }
    export.bytes
}
