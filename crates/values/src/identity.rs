//! What two rows are compared by: a keyed hash of the identity.
//!
//! 98 bits of it are kept. Among a billion identities the chance that any two collide is below 1 in
//! 10^11; the key is random a run, so that nobody can prepare two addresses that do.

use std::borrow::Cow;
use std::hash::{BuildHasher, Hasher, RandomState};
use xxhash_rust::xxh3::{xxh3_128, xxh3_128_with_secret};

/// The shortest secret that XXH3 takes is 136 bytes.
const SECRET_BYTES: usize = 192;

/// A keyed hash of an identity. Its high bits decide the partition, see [`super::keys`].
#[derive(Debug, Clone, Copy, PartialEq, Eq, PartialOrd, Ord, Hash)]
pub struct IdentityHash(pub u128);

/// What addresses are compared by.
#[derive(Debug, Clone, Copy, Default, PartialEq, Eq)]
pub enum Identity {
    /// The cleaned address, letter case ignored.
    #[default]
    IgnoreCase,
    /// The same without `+tag`, and without dots at the providers that ignore them (`ignores_dots.txt`).
    IgnoreTags,
}

/// Hashes identities with the key of this run.
#[derive(Clone)]
pub struct IdentityHasher {
    secret: [u8; SECRET_BYTES],
    identity: Identity,
}

impl IdentityHasher {
    /// A hasher with a key from the system's source of randomness.
    pub fn random() -> IdentityHasher {
        let mut secret = [0; SECRET_BYTES];
        for bytes in secret.chunks_exact_mut(8) {
            bytes.copy_from_slice(&RandomState::new().build_hasher().finish().to_le_bytes());
        }
        IdentityHasher { secret, identity: Identity::default() }
    }

    /// The same, comparing addresses in this way.
    #[must_use]
    pub fn comparing(self, identity: Identity) -> IdentityHasher {
        IdentityHasher { identity, ..self }
    }

    /// The hash of a cleaned address in lower case.
    #[inline]
    pub fn hash_address(&self, address: &[u8]) -> IdentityHash {
        self.hash(&self.compared(address))
    }

    /// A cleaned address in lower case, as far as it is compared.
    #[inline]
    pub fn compared<'a>(&self, address: &'a [u8]) -> Cow<'a, [u8]> {
        match self.identity {
            Identity::IgnoreCase => address.into(),
            Identity::IgnoreTags => without_tag(address),
        }
    }

    /// The hash of a text as it is.
    #[inline]
    pub fn hash(&self, identity: &[u8]) -> IdentityHash {
        IdentityHash(xxh3_128_with_secret(identity, &self.secret))
    }
}

/// A cleaned address without what its mailbox ignores.
///
/// ```
/// use pebblebank_values::identity::without_tag;
/// assert_eq!(&*without_tag(b"ida.moss+fair@post.example"), b"ida.moss@post.example");
/// assert_eq!(&*without_tag(b"+fair@post.example"), b"+fair@post.example");
/// ```
pub fn without_tag(address: &[u8]) -> Cow<'_, [u8]> {
    let Some(at) = memchr::memrchr(b'@', address) else { return address.into() };
    let (local, domain) = address.split_at(at);
    let untagged = match memchr::memchr(b'+', local) {
        Some(plus) if plus > 0 => &local[..plus],
        _ => local,
    };
    let mut providers = include_str!("ignores_dots.txt").lines().filter(|line| !line.starts_with('#'));
    let ignores_dots = providers.any(|provider| provider.as_bytes() == &domain[1..]);
    if untagged.len() == local.len() && !ignores_dots {
        return address.into();
    }
    let kept = untagged.iter().filter(|byte| !(ignores_dots && **byte == b'.'));
    kept.chain(domain).copied().collect::<Vec<u8>>().into()
}

/// The digest of an identity that is the same in every run, for `people.idx`. Not keyed: whoever uses it
/// looks at the row that it leads to.
#[inline]
pub fn stable_digest(identity: &[u8]) -> [u8; 12] {
    let mut digest = [0; 12];
    digest.copy_from_slice(&xxh3_128(identity).to_le_bytes()[..12]);
    digest
}
