//! From a raw record to a contact.

pub mod keys;
