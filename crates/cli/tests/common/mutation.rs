//! Changes to bytes such as disks, hands and enemies make, the same for the same seed.

#![allow(dead_code)] // not every test file needs every part

/// Numbers that look random (`SplitMix64`, Steele and others 2014).
pub struct Dice(pub u64);

impl Dice {
    pub fn next(&mut self) -> u64 {
        self.0 = self.0.wrapping_add(0x9E37_79B9_7F4A_7C15);
        let mixed = (self.0 ^ (self.0 >> 30)).wrapping_mul(0xBF58_476D_1CE4_E5B9);
        let mixed = (mixed ^ (mixed >> 27)).wrapping_mul(0x94D0_49BB_1331_11EB);
        mixed ^ (mixed >> 31)
    }

    /// A number below `end`, which is not zero.
    pub fn below(&mut self, end: usize) -> usize {
        (self.next() % end as u64) as usize
    }

    pub fn of<'a, T>(&mut self, all: &'a [T]) -> &'a T {
        &all[self.below(all.len())]
    }
}

/// Pieces that readers trip over.
const PIECES: [&[u8]; 30] = [
    b"\"",
    b"'",
    b"\n",
    b"\r",
    b",",
    b";",
    b"\t",
    b"\0",
    b"[[",
    b"]]",
    b"{",
    b"}",
    b"(",
    b")",
    b"not ",
    b" and ",
    b"=",
    b"..",
    b"/",
    b"-1",
    b"99999999999999999999",
    b"\xFF\xFE",
    b"\xC3",
    "\u{202e}".as_bytes(),
    b"\x1b[2J",
    b"ann@post.example",
    b"unsubscribed",
    b"true",
    b"null",
    b"email",
];

/// Bytes with a few changes: flipped bits, pieces that are gone, come twice or come in, a cut end.
pub fn mutated(bytes: &[u8], dice: &mut Dice) -> Vec<u8> {
    let mut bytes = bytes.to_vec();
    for _ in 0..=dice.below(4) {
        let at = dice.below(bytes.len() + 1);
        let end = (at + 1 + dice.below(40)).min(bytes.len());
        match dice.below(7) {
            0 | 1 if at < bytes.len() => bytes[at] ^= 1 << dice.below(8),
            2 => drop(bytes.drain(at.min(end)..end)),
            3 => {
                let piece = bytes[at.min(end)..end].to_vec();
                let to = dice.below(bytes.len() + 1);
                bytes.splice(to..to, piece);
            }
            4 if dice.below(4) == 0 => bytes.truncate(at),
            _ => drop(bytes.splice(at..at, dice.of(&PIECES).iter().copied())),
        }
    }
    bytes
}
