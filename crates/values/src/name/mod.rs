//! Names: a full name and its parts, letter case, titles and suffixes, and what is no person's name.
//!
//! A name is read from the outside in: brackets, suffixes and titles first ([`extras`]), then the comma ([`full`]), then which of the
//! words that are left are given, middle and family name ([`parts`]), by how names are built in the person's country
//! ([`Naming`]). What cannot be told from that is left in its order and doubted ([`NameDoubt`]).

mod case;
mod company;
mod compared;
mod couple;
mod extras;
mod full;
mod order;
mod part;
mod parts;
mod words;

pub use case::{has_mixed_case, repaired_case};
pub use company::is_company;
pub use compared::{WithoutExtras, compared_parts};
pub use extras::{without_nickname, without_titles, without_trailing_suffixes};
pub use full::{doubt, given_first, part, part_in};
pub use order::Naming;
pub use part::{NameDoubt, NamePart, NameParts};

/// Whether a value in a column of names is an e-mail address.
pub fn is_address(name: &str) -> bool {
    name.contains('@') && crate::address::AddressCleaner::default().clean(name.as_bytes()).is_usable()
}
