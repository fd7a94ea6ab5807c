//! Addresses that are no person's, or nobody's for long: role addresses (`role.txt`) and disposable domains
//! (`disposable.txt`).

use crate::quick_map::QuickSet;
use std::collections::HashSet;
use std::sync::LazyLock;

static ROLES: LazyLock<QuickSet<&'static [u8]>> =
    LazyLock::new(|| words(include_str!("data/role.txt")).flat_map(str::split_whitespace).map(str::as_bytes).collect());

static DISPOSABLE: LazyLock<QuickSet<&'static [u8]>> =
    LazyLock::new(|| words(include_str!("data/disposable.txt")).map(str::as_bytes).collect());

fn words(text: &'static str) -> impl Iterator<Item = &'static str> {
    text.lines().filter(|line| !line.starts_with('#'))
}

/// Whether an address belongs to an office rather than to a person, by what stands before the `@` and any `+tag`.
///
/// ```
/// use pebblebank_values::audience::is_role;
/// assert!(is_role(b"info") && is_role(b"kontakt+fair"));
/// assert!(!is_role(b"ida.moss"));
/// ```
pub fn is_role(local: &[u8]) -> bool {
    let name = local.split(|byte| *byte == b'+').next().unwrap_or_default();
    ROLES.contains(name)
}

/// Domains whose mailboxes are thrown away after use: those that are known, and a job's own.
#[derive(Debug, Clone, Default, PartialEq, Eq)]
pub struct DisposableDomains {
    own: HashSet<Vec<u8>>,
}

impl DisposableDomains {
    /// Adds domains of the job, as A-labels in lower case.
    pub fn with(own: impl IntoIterator<Item = String>) -> DisposableDomains {
        DisposableDomains { own: own.into_iter().map(String::into_bytes).collect() }
    }

    /// Whether a domain, or one above it, is among them.
    pub fn holds(&self, domain: &[u8]) -> bool {
        let mut rest = domain;
        loop {
            if DISPOSABLE.contains(rest) || self.own.contains(rest) {
                return true;
            }
            match memchr::memchr(b'.', rest) {
                Some(dot) => rest = &rest[dot + 1..],
                None => return false,
            }
        }
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn a_disposable_domain_holds_all_below_it() {
        let domains = DisposableDomains::with(["throwaway.example".to_owned()]);
        assert!(domains.holds(b"throwaway.example") && domains.holds(b"a.throwaway.example"));
        assert!(domains.holds(DISPOSABLE.iter().next().expect("some are known")));
        assert!(!domains.holds(b"post.example") && !domains.holds(b"notthrowaway.example"));
    }
}
