//! The parts of a job file about lists: those to ask about, those that hold people back, and who is let through.

use super::Reader;
use crate::columns::wishes::OwnField;
use crate::job::lists::{
    Allowance, EntriesToCompare, Hold, JobList, List, ListFiles, ListKey, NearMisses, Part, SuppressionList, Taken,
};
use crate::job::named::{list_key, list_reason};
use crate::job::parts::{AllowPart, LimitsPart, ListPart, NearMissPart, Overruled, SuppressPart, TakePart, overruled};
use crate::job::remembering::Limits;
use crate::job::sources::ReadFiles;
use crate::suppress::reason::Reason;
use pebblebank_table::Result;
use pebblebank_table::error::closest;
use pebblebank_values::ColumnRef;
use pebblebank_values::address::AddressCleaner;
use pebblebank_values::date::DateOrder;

impl Reader<'_> {
    /// The lists to ask about, then the suppression lists with files of their own.
    pub(super) fn lists(
        &self,
        lists: Vec<ListPart>,
        suppress: Vec<SuppressPart>,
        own: &[OwnField],
    ) -> Result<Vec<JobList>> {
        let mut all: Vec<JobList> =
            lists.into_iter().map(|part| self.list(part, own).map(JobList::from)).collect::<Result<_>>()?;
        for part in suppress {
            match part.list.clone() {
                Some(list) => self.hold_list(&mut all, &part, &list)?,
                None => all.extend(self.suppress(part, all.len(), own)?.into_iter().map(JobList::from)),
            }
        }
        Ok(all)
    }

    fn list(&self, part: ListPart, own: &[OwnField]) -> Result<List> {
        let read = self.read_files(&part.name, &part.files, part.columns)?;
        let mut read = ReadFiles { wishes: self.wishes(overruled!(part))?, ..read };
        read.columns.date_order = part.date_order.map(DateOrder::from);
        read.columns.date_system = part.date_system.into();
        let taken = |ours: &str, theirs: &str| Taken { ours: ColumnRef::new(ours), theirs: ColumnRef::new(theirs) };
        let take = match &part.take {
            TakePart::Named(names) => names.iter().map(|name| taken(name, name)).collect(),
            TakePart::Renamed(names) => names.iter().map(|(ours, theirs)| taken(ours, theirs)).collect(),
        };
        let condition = part.condition.as_deref().map(|text| self.selection(text)).transpose()?;
        let mut files = ListFiles { read, condition, by: None };
        files.go_by(part.by.as_deref().map(|text| self.list_key(text)).transpose()?.flatten(), own);
        Ok(List { take, ..List::new(part.name, files) })
    }

    /// A suppression list, and where its entries have reasons of their own one more for each of these.
    fn suppress(&self, part: SuppressPart, place: usize, own: &[OwnField]) -> Result<Vec<SuppressionList>> {
        let read = self.read_files(&part.name, &part.files, part.columns.clone())?;
        let hold = self.hold(&part, Reason::DoNotContact)?;
        let mut conditions: Vec<String> = part.condition.iter().map(|text| format!("({text})")).collect();
        if let Some(column) = &part.until {
            // An entry without a day holds for good, and so does one whose day cannot be read.
            conditions.push(format!("not \"{}\" before {}", column.trim(), self.today));
        }
        let condition = match (&part.condition, &part.until) {
            (Some(text), None) => Some(self.selection(text)?),
            (None, None) => None,
            _ => Some(self.selection(&conditions.join(" and "))?),
        };
        let reason_from = part.reason_from.as_deref().map(ColumnRef::new);
        let mut read = ReadFiles { wishes: self.wishes(overruled!(part))?, ..read };
        read.columns.date_order = part.date_order.map(DateOrder::from);
        read.columns.date_system = part.date_system.into();
        let mut files = ListFiles { read, condition, by: None };
        files.go_by(part.by.as_deref().map(|text| self.list_key(text)).transpose()?.flatten(), own);
        Ok(SuppressionList { files, hold, reason_from, part: Part::Whole }.with_shares(place))
    }

    /// Why and how a list holds its people.
    fn hold(&self, part: &SuppressPart, usually: Reason) -> Result<Hold> {
        let mut hold = Hold::new(&part.name, usually);
        if let Some(name) = &part.reason {
            hold.reason = self.list_reason(name)?;
        }
        hold.near_miss = match part.near_miss {
            None => NearMisses::ReportedIfQuick,
            Some(NearMissPart::Report) => NearMisses::Reported,
            Some(NearMissPart::SetAside) => NearMisses::SetAside,
            Some(NearMissPart::Ignore) => NearMisses::Ignored,
        };
        hold.stale_after = part.stale_after;
        hold.may_shrink = part.may_shrink;
        Ok(hold)
    }

    pub(super) fn allowance(&self, part: AllowPart) -> Result<Allowance> {
        let mut cleaner = AddressCleaner::default();
        let clean = |text: &String| {
            let address = cleaner.clean(text.as_bytes());
            if !address.is_usable() {
                let what = format!("\"{text}\" is no address, and [[allow]] is for addresses alone");
                return Err(self.wrong(text, what, "write addresses = [\"ines@hotel.example\"]"));
            }
            Ok(String::from_utf8_lossy(address.identity).into_owned())
        };
        if part.addresses.is_empty() || part.why.trim().is_empty() {
            let advice = "write addresses = [\"ines@hotel.example\"] and why = \"asked for it herself, 3 March\"";
            return Err(self.wrong("[[allow]]", "[[allow]] must say who is meant and why", advice));
        }
        Ok(Allowance { addresses: part.addresses.iter().map(clean).collect::<Result<_>>()?, why: part.why })
    }

    pub(super) fn limits(&self, part: Option<LimitsPart>) -> Result<Option<Limits>> {
        match part {
            Some(part) if part.at_most == 0 || part.per_days == 0 => Err(self.wrong(
                "[limits]",
                "with a limit of 0 nobody could be written to",
                "write at_most = 2 and per_days = 7: at most twice in seven days",
            )),
            part => Ok(part.map(|part| Limits { at_most: part.at_most, per_days: part.per_days })),
        }
    }

    /// Makes a list that can be asked about hold its people back too.
    fn hold_list(&self, lists: &mut [JobList], part: &SuppressPart, name: &str) -> Result<()> {
        let reads = part.condition.is_some() || part.until.is_some() || part.reason_from.is_some() || part.by.is_some();
        if !part.files.is_empty() || !part.columns.is_empty() || reads {
            let what = format!("the suppression list {} names a list, which says by itself what is read", part.name);
            return Err(self.wrong(&part.name, what, "put files, columns, by and where into the [[list]]"));
        }
        let hold = self.hold(part, Reason::OnOtherList)?;
        let names: Vec<String> =
            lists.iter().filter(|list| list.is_asked()).map(|list| list.name().to_owned()).collect();
        let of_name = |list: &&mut JobList| list.name().to_lowercase() == name.trim().to_lowercase();
        let Some(JobList::List(list)) = lists.iter_mut().filter(|list| list.is_asked()).find(of_name) else {
            let advice = match closest(name, names.iter().map(String::as_str)) {
                Some(near) => format!("did you mean \"{near}\"?"),
                None => format!("add a [[list]] with name = \"{name}\""),
            };
            return Err(self.wrong(name, format!("there is no list \"{name}\""), advice));
        };
        if let Some(earlier) = &list.hold {
            let what = format!("the list \"{name}\" suppresses people twice: as {} and as {}", earlier.name, part.name);
            return Err(self.wrong(&part.name, what, "take one of them out"));
        }
        list.hold = Some(hold);
        Ok(())
    }

    /// Reads `by = "phone"` or `by = "contact_id = member no"`; none for the address, which is compared anyway.
    fn list_key(&self, text: &str) -> Result<Option<ListKey>> {
        list_key(text).map_err(|error| self.wrong(text, error.what(), error.advice()))
    }

    fn list_reason(&self, name: &str) -> Result<Reason> {
        list_reason(name).map_err(|error| {
            let placed = self.wrong(name, error.what(), error.advice());
            placed.expected(error.expectation().unwrap_or_default())
        })
    }
}
