//! Addresses that people type where they have none.

/// Local parts that are no address at any domain.
fn is_placeholder_local(local: &[u8]) -> bool {
    matches!(
        local,
        b"noemail"
            | b"no-email"
            | b"no.email"
            | b"no_email"
            | b"nomail"
            | b"no-mail"
            | b"no.mail"
            | b"noaddress"
            | b"no-address"
            | b"no.address"
            | b"notgiven"
            | b"not-given"
            | b"not.given"
            | b"notprovided"
            | b"not-provided"
            | b"not.provided"
            | b"notavailable"
            | b"not-available"
    )
}

/// Words that are a placeholder where the domain's first label repeats them: `test@test.com`.
fn is_repeated_word(word: &[u8]) -> bool {
    matches!(
        word,
        b"test"
            | b"email"
            | b"mail"
            | b"e-mail"
            | b"abc"
            | b"asdf"
            | b"no"
            | b"none"
            | b"na"
            | b"null"
            | b"nobody"
            | b"nowhere"
            | b"unknown"
            | b"name"
            | b"address"
            | b"user"
            | b"blank"
            | b"fake"
            | b"dummy"
            | b"example"
    )
}

/// Whether a cleaned address in lower case stands for "no address": `noemail@…`, `test@test.com`, `x@x.x`.
///
/// `at` is the place of the last `@`.
#[inline]
pub fn is_placeholder(address: &[u8], at: usize) -> bool {
    const LONGEST: usize = 12;
    if at == 0 || at > LONGEST {
        return false;
    }
    let (local, domain) = (&address[..at], &address[at + 1..]);
    if is_placeholder_local(local) {
        return true;
    }
    let label = domain.split(|byte| *byte == b'.').next().unwrap_or_default();
    local == label && (is_repeated_word(local) || is_one_letter_repeated(local))
}

fn is_one_letter_repeated(word: &[u8]) -> bool {
    word.iter().all(|byte| *byte == word[0])
}
