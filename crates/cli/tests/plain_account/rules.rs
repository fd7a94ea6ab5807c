//! The rules in plain words: each is a sentence over all rows of all sources. Nothing here knows keys, marks or passes.

use crate::world::{Address, By, Cell, Entry, Job, List, Name, Row, Select, TORN, broken};
use std::collections::BTreeSet;

/// What becomes of a row.
#[derive(Debug, Clone, PartialEq, Eq)]
pub enum Fate {
    /// The values that are written, in the order of [`COLUMNS`].
    Written(Vec<String>),
    /// By which key it equals another row of its person.
    Merged(String),
    SetAside(&'static str),
}

/// The columns that are written: the name, and what stands in it.
pub const COLUMNS: [(&str, &str); 11] = [
    ("email", "email"),
    ("badge", "Badge"),
    ("city", "city"),
    ("walks", "in walks"),
    ("phone", "phone"),
    ("joined", "signed_up"),
    ("tags", "tags"),
    ("website", "website"),
    ("language", "language"),
    ("visits", "Visits"),
    ("name", "full_name"),
];

/// Gravest first.
pub const REASONS: [&str; 13] = [
    "complained",
    "opted-out",
    "no-consent",
    "do-not-contact",
    "bounced",
    "already-sent",
    "too-often",
    "on-other-list",
    "blank-address",
    "invalid-address",
    "placeholder-address",
    "missing-field",
    "not-selected",
];

/// Whether what the bank has in a scope counts for the job.
fn counts_here(scope: u8) -> bool {
    scope < 2
}

pub struct World<'a> {
    job: &'a Job,
    rows: Vec<&'a Row>,
    /// Whether each row's source has names in three columns.
    splits_names: Vec<bool>,
    /// The person of each row, by its first row.
    person: Vec<usize>,
}

impl<'a> World<'a> {
    pub fn of(job: &'a Job) -> World<'a> {
        let rows: Vec<&Row> = job.sources.iter().flat_map(|(rows, _)| rows).collect();
        let splits_names = job.sources.iter().flat_map(|(rows, splits)| rows.iter().map(|_| *splits)).collect();
        let mut world = World { job, person: (0..rows.len()).collect(), splits_names, rows };
        for a in 0..world.rows.len() {
            for b in 0..world.rows.len() {
                let is_one = world.job.same.iter().any(|key| world.equals(key, a, b));
                if is_one && world.person[a] != world.person[b] {
                    let (from, to) = (world.person[b].max(world.person[a]), world.person[b].min(world.person[a]));
                    world.person.iter_mut().filter(|person| **person == from).for_each(|person| *person = to);
                }
            }
        }
        world
    }

    /// The usable addresses of a cell, of which the first is the one that would be written.
    fn usable(cell: &Cell) -> Vec<Address> {
        match cell {
            Cell::Addresses(all) => all.clone(),
            Cell::Beside(address, _) => vec![*address],
            _ => Vec::new(),
        }
    }

    fn first(&self, row: usize) -> Option<Address> {
        World::usable(&self.rows[row].cell).first().copied()
    }

    /// The identities of all usable addresses of a row.
    fn addresses(&self, row: usize) -> Vec<String> {
        let cells = [&self.rows[row].cell, &self.rows[row].second];
        cells.into_iter().flat_map(World::usable).map(|address| address.identity(self.job.ignores_tags)).collect()
    }

    /// All that lists are asked about: identities, and the texts of what cannot be used.
    fn asked(&self, row: usize) -> BTreeSet<String> {
        let mut all: BTreeSet<String> = self.addresses(row).into_iter().collect();
        for cell in [&self.rows[row].cell, &self.rows[row].second] {
            match cell {
                Cell::Text(text) => _ = all.insert(text.to_lowercase()),
                Cell::Broken(number) | Cell::Beside(_, number) => _ = all.insert(broken(*number)),
                Cell::Torn(address) => {
                    all.insert(TORN.trim_end_matches('.').to_owned());
                    all.insert(address.identity(self.job.ignores_tags));
                }
                Cell::Blank(_) | Cell::Placeholder | Cell::Addresses(_) => {}
            }
        }
        all
    }

    /// Whether two rows are the same person by a key.
    fn equals(&self, key: &str, a: usize, b: usize) -> bool {
        let (ours, theirs) = (self.rows[a], self.rows[b]);
        let same = |a: Option<u8>, b: Option<u8>| a.is_some() && a == b;
        let have_same_name = || {
            let whole = |name: Name| name.core().map(|core| (core, name.middle()));
            whole(ours.name).is_some() && whole(ours.name) == whole(theirs.name)
        };
        match key {
            // The first address of one is any of the other's.
            "email" => {
                let first = self.first(b).map(|first| first.identity(self.job.ignores_tags));
                first.is_some_and(|first| self.addresses(a).contains(&first))
            }
            "phone" => same(ours.phone.number(), theirs.phone.number()),
            "badge" => same(ours.badge.1, theirs.badge.1),
            "full_name" => have_same_name(),
            "full_name + city" => have_same_name() && same(ours.city.1, theirs.city.1),
            other => unreachable!("{other}"),
        }
    }

    fn rows_of(&self, person: usize) -> Vec<usize> {
        (0..self.rows.len()).filter(|row| self.person[*row] == person).collect()
    }

    fn is_left_out(&self, row: usize) -> bool {
        self.job.leaves_out && !self.rows[row].is_kept
    }

    /// How many known fields are filled; an address that cannot be used is, punctuation is not.
    fn filled(&self, row: usize) -> usize {
        let Row { cell, phone, name, city, seen, status, values, .. } = self.rows[row];
        let has_cell = !matches!(cell, Cell::Blank(_));
        let has_phone = !matches!(phone, crate::world::Phone::None(_));
        let parts = name.parts();
        let names = match (self.splits_names[row], name.core()) {
            (_, None) => 0,
            (true, _) => parts.iter().filter(|part| !part.trim().is_empty()).count(),
            (false, _) => 1,
        };
        let flags = [has_cell, has_phone, city.1.is_some(), !seen.0.is_empty(), !status.is_empty()];
        // Visits are no field that is known to every job.
        let known = values[..4].iter().filter(|(_, written)| !written.is_empty()).count();
        names + known + flags.into_iter().filter(|flag| *flag).count()
    }

    /// The rows of a person, the one that survives first.
    fn ranked(&self, person: usize) -> Vec<usize> {
        let mut rows = self.rows_of(person);
        let ranked = |row: usize| {
            let has_city = self.rows[row].city.1.is_some() || !self.job.needs_city || self.job.fill;
            let by_rule = match self.job.survivor {
                "first-read" => 0,
                "last-read" => row,
                "newest" => self.rows[row].seen.1 as usize,
                _ => self.filled(row),
            };
            (!self.is_left_out(row), self.first(row).is_some(), has_city, by_rule)
        };
        rows.sort_by_key(|row| (std::cmp::Reverse(ranked(*row)), *row));
        rows
    }

    fn is_on(&self, list: &List, text: &str) -> bool {
        list.entries.iter().any(|entry| match entry {
            Entry::Address(address) => address.identity(self.job.ignores_tags) == text,
            Entry::Broken(number) => broken(*number) == text,
            Entry::Text => text == "call her at noon",
            Entry::Hash(number) => {
                let address = Address { who: *number, has_tag: false, spelling: 0 };
                address.identity(false) == text
            }
            _ => false,
        })
    }

    fn domain_is_on(list: &List, text: &str) -> bool {
        let domain = text.rsplit_once('@').map_or("", |(_, domain)| domain);
        list.entries
            .iter()
            .any(|entry| matches!(entry, Entry::Domain(number) if domain == format!("mail{number}.example")))
    }

    /// Whether a list holds a person for its reason.
    fn holds(&self, list: &List, person: usize) -> bool {
        let rows = self.rows_of(person);
        let allowed = self.job.allow.map(|address| address.identity(self.job.ignores_tags));
        let lesser = matches!(list.reason, "already-sent" | "on-other-list");
        match list.by {
            By::Address if list.reason == "bounced" => {
                let survivor = self.ranked(person)[0];
                let written = self.first(survivor).map(|address| address.identity(self.job.ignores_tags));
                written.is_some_and(|written| self.is_on(list, &written) || World::domain_is_on(list, &written))
            }
            By::Address => {
                let all: BTreeSet<String> = rows.iter().flat_map(|row| self.asked(*row)).collect();
                all.iter().any(|text| {
                    let is_allowed = allowed.as_ref() == Some(text);
                    let by_itself = self.is_on(list, text) && !(is_allowed && lesser);
                    let gives_way = lesser || list.reason == "do-not-contact";
                    by_itself || World::domain_is_on(list, text) && !(is_allowed && gives_way)
                })
            }
            by => {
                let is_allowed =
                    rows.iter().any(|row| allowed.as_ref().is_some_and(|allowed| self.asked(*row).contains(allowed)));
                let gives_way = lesser || list.reason == "do-not-contact";
                let is_met = rows.iter().any(|row| list.entries.iter().any(|entry| self.is_met(by, entry, *row)));
                is_met && !(is_allowed && gives_way)
            }
        }
    }

    /// Whether an entry of a list that goes by another field is a row's.
    fn is_met(&self, by: By, entry: &Entry, row: usize) -> bool {
        let own = self.rows[row];
        let same = |a: Option<u8>, b: Option<u8>| a.is_some() && a == b;
        match (by, entry) {
            (By::Phone, Entry::Phone(phone)) => same(phone.asked(), own.phone.asked()),
            (By::Badge, Entry::Badge(badge)) => same(badge.1, own.badge.1),
            (_, Entry::Name(name)) => {
                // A middle name counts only where both have one.
                let differ = |a: Option<u8>, b: Option<u8>| a.is_some() && b.is_some() && a != b;
                let is_asked_for_middle = by == By::Name;
                name.core().is_some()
                    && name.core() == own.name.core()
                    && !(is_asked_for_middle && differ(name.middle(), own.name.middle()))
            }
            _ => false,
        }
    }

    /// Every reason against a person.
    fn refusals(&self, person: usize) -> BTreeSet<&'static str> {
        let survivor = self.ranked(person)[0];
        let asked = |person: usize| {
            // What is no address says nothing of others.
            let rows = self.rows_of(person).into_iter().flat_map(|row| self.asked(row));
            rows.filter(|text| text.contains('@')).collect::<BTreeSet<String>>()
        };
        let mine = asked(person);
        let mut reasons: BTreeSet<&str> =
            self.job.lists.iter().filter(|list| self.holds(list, person)).map(|list| list.reason).collect();
        for (row, said) in self.rows.iter().enumerate() {
            let is_mine = self.person[row] == person;
            let shares = is_mine || !asked(self.person[row]).is_disjoint(&mine);
            let is_written_to = || {
                let identity = |address: Address| address.identity(self.job.ignores_tags);
                self.first(row).is_some() && self.first(row).map(identity) == self.first(survivor).map(identity)
            };
            match said.status.trim().to_lowercase().as_str() {
                "complained" if shares => reasons.insert("complained"),
                "unsubscribed" if shares => reasons.insert("opted-out"),
                "pending" if is_mine => reasons.insert("no-consent"),
                "bounced" if is_written_to() => reasons.insert("bounced"),
                _ => false,
            };
        }
        let all: BTreeSet<String> = self.rows_of(person).into_iter().flat_map(|row| self.asked(row)).collect();
        let is_held = |(address, scope): &(Address, u8)| {
            counts_here(*scope) && all.contains(&address.identity(self.job.ignores_tags))
        };
        if self.job.bank.iter().any(is_held) {
            reasons.insert("opted-out");
        }
        if self.mailings(&all).into_iter().any(|campaign| Some(campaign) == self.job.campaign) {
            reasons.insert("already-sent");
        }
        if self.mailings(&all).len() >= self.job.at_most && !self.job.sent.is_empty() {
            reasons.insert("too-often");
        }
        reasons
    }

    /// The mailings that somebody with these addresses was sent; what the job allows does not count.
    fn mailings(&self, all: &BTreeSet<String>) -> BTreeSet<u8> {
        let allowed = self.job.allow.map(|address| address.identity(self.job.ignores_tags));
        let identity = |address: &Address| address.identity(self.job.ignores_tags);
        let counts = |address: &Address| all.contains(&identity(address)) && allowed != Some(identity(address));
        let ours = self.job.sent.iter().filter(|mailing| counts_here(mailing.scope));
        ours.filter(|mailing| mailing.addresses.iter().any(counts)).map(|mailing| mailing.campaign).collect()
    }

    fn is_on_walks(&self, person: usize) -> bool {
        let all: BTreeSet<String> = self.rows_of(person).into_iter().flat_map(|row| self.asked(row)).collect();
        self.job.walks.iter().any(|address| all.contains(&address.identity(self.job.ignores_tags)))
    }

    /// The value of the survivor, or with `fill` of the first row in its ranking that has one.
    fn given(&self, person: usize, value: impl Fn(&Row) -> crate::world::Extra) -> crate::world::Extra {
        let rows = self.ranked(person);
        let own = value(self.rows[rows[0]]);
        let mut others = rows.iter().filter(|row| !self.is_left_out(**row)).map(|row| value(self.rows[*row]));
        match others.find(|value| value.1.is_some()) {
            Some(other) if self.job.fill && own.1.is_none() => other,
            _ => own,
        }
    }

    /// The same of a value that is written as it is cleaned.
    fn written(&self, person: usize, value: impl Fn(&Row) -> String) -> String {
        let rows = self.ranked(person);
        let own = value(self.rows[rows[0]]);
        let mut others = rows.iter().filter(|row| !self.is_left_out(**row)).map(|row| value(self.rows[*row]));
        match others.find(|value| !value.is_empty()) {
            Some(other) if self.job.fill && own.is_empty() => other,
            _ => own,
        }
    }

    /// The tags of the survivor, or with `fill` of all rows, each once.
    fn tags(&self, person: usize) -> String {
        let rows = self.ranked(person);
        let counts = |row: &&usize| **row == rows[0] || self.job.fill && !self.is_left_out(**row);
        let mut all: Vec<&str> = Vec::new();
        for tag in rows.iter().filter(counts).flat_map(|row| self.rows[*row].values[1].1.split("; ")) {
            if !tag.is_empty() && !all.iter().any(|known| known.eq_ignore_ascii_case(tag)) {
                all.push(tag);
            }
        }
        all.join("; ")
    }

    /// What is written of a person, in the order of the columns.
    fn values(&self, person: usize) -> Vec<String> {
        let survivor = self.ranked(person)[0];
        let city = match self.given(person, |row| row.city) {
            (city, Some(_)) => city.trim(),
            _ => "",
        };
        let own = |place: usize| self.written(person, |row| row.values[place].1.to_owned());
        // A name that is filled from several rows is looked at elsewhere.
        let name =
            if self.job.fill { String::new() } else { self.rows[survivor].name.written(self.splits_names[survivor]) };
        vec![
            self.first(survivor).unwrap().written(),
            self.given(person, |row| row.badge).0.to_owned(),
            city.to_owned(),
            if self.is_on_walks(person) { "yes" } else { "no" }.to_owned(),
            self.written(person, |row| row.phone.written()),
            own(0),
            self.tags(person),
            own(2),
            own(3),
            own(4),
            name,
        ]
    }

    fn is_selected(&self, person: usize) -> bool {
        let badge = self.given(person, |row| row.badge);
        match self.job.select {
            Select::All => true,
            Select::OnWalks => self.is_on_walks(person),
            Select::NotOnWalks => !self.is_on_walks(person),
            Select::BadgeFilled => badge.1.is_some(),
            Select::BadgeIsNone => badge.0.trim().eq_ignore_ascii_case("none"),
            Select::BadgeIsNot1 => badge.1 != Some(1),
        }
    }

    /// Why the survivor is not written, besides refusals.
    fn faults(&self, person: usize) -> Vec<&'static str> {
        let survivor = self.ranked(person)[0];
        let mut faults = match &self.rows[survivor].cell {
            Cell::Blank(_) => vec!["blank-address"],
            Cell::Text(_) | Cell::Broken(_) | Cell::Torn(_) => vec!["invalid-address"],
            Cell::Placeholder => vec!["placeholder-address"],
            Cell::Addresses(_) | Cell::Beside(..) => Vec::new(),
        };
        if self.job.needs_city && self.given(person, |row| row.city).1.is_none() {
            faults.push("missing-field");
        }
        if !self.is_selected(person) {
            faults.push("not-selected");
        }
        faults
    }

    /// The first key of the job by which a row equals another one of its person.
    fn key(&self, row: usize) -> String {
        let others = || self.rows_of(self.person[row]).into_iter().filter(|other| *other != row);
        let is_met = |key: &&&str| others().any(|other| self.equals(key, row, other) || self.equals(key, other, row));
        (*self.job.same.iter().find(is_met).unwrap()).to_owned()
    }

    /// What becomes of each row.
    pub fn fates(&self) -> Vec<Fate> {
        let fate = |row: usize| {
            let person = self.person[row];
            let survivor = self.ranked(person)[0];
            let refusals = self.refusals(person);
            let all: BTreeSet<&str> = refusals.into_iter().chain(self.faults(person)).collect();
            let gravest = REASONS.into_iter().find(|reason| all.contains(reason));
            if self.is_left_out(row) {
                return Fate::SetAside(gravest.unwrap_or("not-selected"));
            }
            if row != survivor {
                return Fate::Merged(self.key(row));
            }
            match gravest {
                Some(reason) => Fate::SetAside(reason),
                None => Fate::Written(self.values(person)),
            }
        };
        (0..self.rows.len()).map(fate).collect()
    }
}
