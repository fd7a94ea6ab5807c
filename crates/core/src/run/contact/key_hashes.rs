//! Values of keys as hashes; the key is part of what is hashed, so that equal texts of two keys do not meet.

use crate::person::decisions::{Decision, Decisions, Named};
use crate::person::keys::Role;
use pebblebank_table::units::ListId;
use pebblebank_values::comparable::Form;
use pebblebank_values::digest::{Digest, DigestKind};
use pebblebank_values::identity::{IdentityHash, IdentityHasher};
use pebblebank_values::{Field, Kind};

/// What a key is compared with.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub(super) enum KeyOf {
    /// The same key of other contacts, by its place in the job.
    Person(u8),
    /// The entries of a list.
    List(ListId),
    /// People whom decisions name by this field.
    Decisions(Field),
}

impl KeyOf {
    /// What the text of a key begins with, so that different keys never meet.
    pub(super) fn prefix(self) -> [u8; 3] {
        match self {
            KeyOf::Person(place) => [place, 0, 0],
            KeyOf::Decisions(field) => [u8::MAX - 1, field as u8, 0],
            KeyOf::List(list) => [u8::MAX, list.0 as u8, (list.0 >> 8) as u8],
        }
    }

    pub(super) fn role(self) -> Role {
        match self {
            KeyOf::Person(place) => Role::Other(place),
            KeyOf::List(_) | KeyOf::Decisions(_) => Role::Compared,
        }
    }
}

/// What an entry that is remembered by its phone is compared by, in the list at this place.
pub fn phone_hash(list: ListId, phone: &str, hasher: &IdentityHasher) -> IdentityHash {
    hash_of_value(KeyOf::List(list), Field::Phone, phone, hasher)
}

/// What an entry whose phone is not shown is compared by, in the list at this place.
pub fn keyed_phone_hash(list: ListId, digest: &Digest, hasher: &IdentityHasher) -> IdentityHash {
    hash_of_key(KeyOf::List(list), &digest.hex(), hasher)
}

pub(super) fn hash_of_value(of: KeyOf, field: Field, value: &str, hasher: &IdentityHasher) -> IdentityHash {
    hash_of_key(of, &Form::of(Kind::of_field(field)).of_value(value), hasher)
}

pub(super) fn hash_of_key(of: KeyOf, key: &str, hasher: &IdentityHasher) -> IdentityHash {
    let mut text = of.prefix().to_vec();
    Shown::Plainly.push(&mut text, key);
    hasher.hash(&text)
}

/// What the people whom decisions name are compared by, in their order.
pub fn decided_hashes(decisions: &Decisions, hasher: &IdentityHasher) -> Vec<IdentityHash> {
    let hash = |named: &Named| match named {
        Named::Address(address) => hasher.hash_address(address.as_bytes()),
        Named::By(field, value) => hash_of_value(KeyOf::Decisions(*field), *field, value, hasher),
    };
    decisions.all.iter().flat_map(Decision::people).map(hash).collect()
}

/// How the texts of a key's parts become what is compared.
#[derive(Debug, Clone, Copy)]
pub(super) enum Shown {
    /// As they are.
    Plainly,
    /// By their keyed hash, by which the bank keeps the phones of people who were forgotten.
    Keyed([u8; 32]),
}

impl Shown {
    /// Adds a part of a key, with its length, so that parts cannot run into each other.
    pub(super) fn push(self, text: &mut Vec<u8>, part: &str) {
        let keyed;
        let part = match self {
            Shown::Plainly => part,
            Shown::Keyed(key) => {
                keyed = DigestKind::Keyed.of(part.as_bytes(), Some(&key)).hex();
                &keyed
            }
        };
        text.extend_from_slice(&(part.len() as u32).to_le_bytes());
        text.extend_from_slice(part.as_bytes());
    }
}
