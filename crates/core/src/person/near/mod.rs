//! Near duplicates: people who are likely the same one, by what they have in common. Never merged by themselves.
//!
//! [`keys`] brings together who may be compared, without comparing all pairs; [`judge`] says how likely it is, and why.

pub mod judge;
pub mod keys;
pub mod nicknames;

use pebblebank_values::fold::fold;

/// What is compared of a person, as it is compared.
#[derive(Debug, Clone, Default, PartialEq, Eq)]
pub struct NearPerson {
    /// The identity of the address; empty where there is no usable one.
    pub address: String,
    /// Given names, folded.
    pub first: String,
    /// The family name, folded.
    pub last: String,
    /// The postal code, without blanks.
    pub postal_code: String,
    /// The phone number, cleaned.
    pub phone: String,
    /// The birthday, cleaned.
    pub birthday: String,
}

impl NearPerson {
    /// From cleaned values.
    pub fn new(address: &str, first: &str, last: &str, postal_code: &str, phone: &str, birthday: &str) -> NearPerson {
        NearPerson {
            address: address.to_owned(),
            first: fold(first),
            last: fold(last),
            postal_code: fold(postal_code).replace(' ', ""),
            phone: phone.trim().to_owned(),
            birthday: birthday.get(..10).unwrap_or(birthday).to_owned(),
        }
    }

    /// What stands before the `@`, and after it.
    pub fn local_and_domain(&self) -> (&str, &str) {
        self.address.rsplit_once('@').unwrap_or_default()
    }

    /// The first of the given names: people leave out the others.
    pub fn called(&self) -> &str {
        self.first.split(' ').next().unwrap_or_default()
    }
}
