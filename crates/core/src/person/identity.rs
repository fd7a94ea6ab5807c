//! What two rows are compared by: a keyed hash of the identity.
//!
//! 98 bits of it are kept. Among a billion identities the chance that any two collide is below 1 in
//! 10^11; the key is random a run, so that nobody can prepare two addresses that do.

use std::hash::{BuildHasher, Hasher, RandomState};
use xxhash_rust::xxh3::{xxh3_128, xxh3_128_with_secret};

/// The shortest secret that XXH3 takes is 136 bytes.
const SECRET_BYTES: usize = 192;

/// A keyed hash of an identity. Its high bits decide the partition, see [`super::keys`].
#[derive(Debug, Clone, Copy, PartialEq, Eq, PartialOrd, Ord, Hash)]
pub struct IdentityHash(pub u128);

/// Hashes identities with the key of this run.
#[derive(Clone)]
pub struct IdentityHasher {
    secret: [u8; SECRET_BYTES],
}

impl IdentityHasher {
    /// A hasher with a key from the system's source of randomness.
    pub fn random() -> IdentityHasher {
        let mut secret = [0; SECRET_BYTES];
        for bytes in secret.chunks_exact_mut(8) {
            bytes.copy_from_slice(&RandomState::new().build_hasher().finish().to_le_bytes());
        }
        IdentityHasher { secret }
    }

    /// The hash of an identity.
    #[inline]
    pub fn hash(&self, identity: &[u8]) -> IdentityHash {
        IdentityHash(xxh3_128_with_secret(identity, &self.secret))
    }
}

/// The digest of an identity that is the same in every run, for `people.idx`. Not keyed: whoever uses it
/// looks at the row that it leads to.
#[inline]
pub fn stable_digest(identity: &[u8]) -> [u8; 12] {
    let mut digest = [0; 12];
    digest.copy_from_slice(&xxh3_128(identity).to_le_bytes()[..12]);
    digest
}
