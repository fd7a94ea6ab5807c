//! Addresses that lists hold without showing them: SHA-256 (FIPS 180-4) and MD5 (RFC 1321) of identities in hex, as
//! partners exchange them, and the keyed BLAKE3 by which forgotten people stay uncontacted.

use crate::identity::{IdentityHash, IdentityHasher};
use data_encoding::{HEXLOWER, HEXLOWER_PERMISSIVE};
use md5::Digest as _;

/// How an address was made into a digest.
#[derive(Debug, Clone, Copy, PartialEq, Eq, PartialOrd, Ord, Hash)]
pub enum DigestKind {
    /// SHA-256, 32 bytes.
    Sha256,
    /// MD5, 16 bytes.
    Md5,
    /// BLAKE3 with the bank's key, 32 bytes.
    Keyed,
}

/// An address that is not shown.
#[derive(Debug, Clone, Copy, PartialEq, Eq, PartialOrd, Ord, Hash)]
pub struct Digest {
    /// How it was made.
    pub kind: DigestKind,
    /// Its bytes; those that its kind does not need are 0.
    bytes: [u8; 32],
}

/// What the text of a digest begins with, so that it never meets a key of another kind.
const PREFIX: u8 = u8::MAX - 2;

impl Digest {
    /// A digest of these bytes; those that are missing are 0.
    pub fn new(kind: DigestKind, digest: &[u8]) -> Digest {
        let mut bytes = [0; 32];
        let length = digest.len().min(32);
        bytes[..length].copy_from_slice(&digest[..length]);
        Digest { kind, bytes }
    }

    /// Reads 64 hex digits as SHA-256, 32 as MD5, in either case.
    ///
    /// ```
    /// use pebblebank_values::digest::Digest;
    /// use pebblebank_values::digest::DigestKind;
    /// let read = Digest::read("0BC83CB571CD1C50BA6F3E8A78EF1346").unwrap();
    /// assert_eq!(read, DigestKind::Md5.of(b"myemailaddress@example.com", None));
    /// assert!(Digest::read("ida.moss@post.example").is_none());
    /// ```
    pub fn read(text: &str) -> Option<Digest> {
        let kind = match text.len() {
            64 => DigestKind::Sha256,
            32 => DigestKind::Md5,
            _ => return None,
        };
        let mut bytes = [0; 32];
        HEXLOWER_PERMISSIVE.decode_mut(text.as_bytes(), &mut bytes[..text.len() / 2]).ok()?;
        Some(Digest { kind, bytes })
    }

    /// Its bytes.
    pub fn bytes(&self) -> &[u8] {
        match self.kind {
            DigestKind::Md5 => &self.bytes[..16],
            DigestKind::Sha256 | DigestKind::Keyed => &self.bytes,
        }
    }

    /// In hex.
    pub fn hex(&self) -> String {
        HEXLOWER.encode(self.bytes())
    }

    /// What it is compared by in a run.
    pub fn hash(&self, hasher: &IdentityHasher) -> IdentityHash {
        let mut text = [0; 34];
        text[0] = PREFIX;
        text[1] = self.kind as u8;
        text[2..].copy_from_slice(&self.bytes);
        hasher.hash(&text)
    }
}

impl DigestKind {
    /// The digest of a text; `key` is that of the bank, without which nothing is keyed.
    pub fn of(self, text: &[u8], key: Option<&[u8; 32]>) -> Digest {
        match self {
            DigestKind::Sha256 => Digest::new(self, &sha2::Sha256::digest(text)),
            DigestKind::Md5 => Digest::new(self, &md5::Md5::digest(text)),
            DigestKind::Keyed => {
                let digest = blake3::keyed_hash(key.unwrap_or(&[0; 32]), text);
                Digest::new(self, digest.as_bytes())
            }
        }
    }
}

/// The kinds of digests that occur in the lists of a run.
#[derive(Debug, Clone, Default)]
pub struct DigestsInUse {
    kinds: Vec<DigestKind>,
    key: Option<[u8; 32]>,
}

impl DigestsInUse {
    /// The lists hold digests of this kind.
    pub fn add(&mut self, kind: DigestKind) {
        if !self.kinds.contains(&kind) {
            self.kinds.push(kind);
        }
    }

    /// The key of the bank, for those whom it has forgotten.
    pub fn set_key(&mut self, key: Option<[u8; 32]>) {
        self.key = key;
    }

    /// Whether there are none.
    pub fn is_empty(&self) -> bool {
        self.kinds.is_empty()
    }

    /// Calls `each` with the hash of every digest that a list may hold an address by: of the identity as it is compared, of
    /// that without regard to letter case alone, as its owner writes it, and as it is in the cell.
    pub fn for_each(
        &self,
        typed: &[u8],
        text: &[u8],
        identity: &[u8],
        hasher: &IdentityHasher,
        mut each: impl FnMut(IdentityHash),
    ) {
        let mut forms: Vec<Vec<u8>> = vec![hasher.compared(identity).into_owned(), identity.to_vec()];
        if typed != identity {
            forms.push(text.to_vec());
            forms.extend(as_owner_writes_it(typed, text, identity));
            let trimmed = String::from_utf8_lossy(typed);
            forms.push(trimmed.trim_matches(pebblebank_table::unseen::is_unseen).as_bytes().to_vec());
        }
        forms.sort_unstable();
        forms.dedup();
        for form in forms.iter().filter(|form| !form.is_empty()) {
            self.kinds.iter().for_each(|kind| each(kind.of(form, self.key.as_ref()).hash(hasher)));
        }
    }
}

/// The cleaned address with its own capitals: before the `@`, and in all; its domain also as A-labels.
fn as_owner_writes_it(typed: &[u8], text: &[u8], identity: &[u8]) -> Vec<Vec<u8>> {
    let found = memchr::memmem::find(&typed.to_ascii_lowercase(), text);
    let own = found.and_then(|at| typed.get(at..at + text.len()));
    let (Some(own), Some(at)) = (own, memchr::memrchr(b'@', text)) else { return Vec::new() };
    let local = &own[..at];
    let domain = |domain: &[u8]| [local, domain].concat();
    let labels = memchr::memrchr(b'@', identity).map(|at| domain(&identity[at..]));
    [own.to_vec(), domain(&text[at..])].into_iter().chain(labels).collect()
}
