//! What a reply to `RCPT TO` says of a mailbox: by its enhanced status code (RFC 3463), else by its code and words.
//!
//! Only a mailbox that the server does not know, or has switched off, is invalid. A refusal for reasons of policy speaks of
//! this machine or of the sender, and not of the mailbox.

use super::reply::Reply;
use pebblebank_values::verdict::Why;

/// What a reply says.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum Meaning {
    /// The server takes mail for it.
    Accepted,
    /// This is certain.
    Settled(Why),
    /// The server refused it, and did not say why.
    Unclear,
    /// It may say so later.
    Later,
    /// It is refused because of who asks.
    RefusesUs,
}

/// Words by which servers say that there is no such mailbox.
const NO_SUCH_MAILBOX: [&str; 26] = [
    "user unknown",
    "unknown user",
    "no such user",
    "no such recipient",
    "no such mailbox",
    "no such address",
    "no such person",
    "unknown recipient",
    "recipient unknown",
    "unknown mailbox",
    "unknown address",
    "does not exist",
    "doesn't exist",
    "not exist",
    "invalid recipient",
    "invalid mailbox",
    "recipient not found",
    "recipientnotfound",
    "user not found",
    "mailbox not found",
    "address not found",
    "not a valid recipient",
    "not our customer",
    "no mailbox here",
    "mailbox unavailable or not local",
    "unrouteable address",
];

/// Words by which servers say that the mailbox is switched off.
const DISABLED: [&str; 8] = [
    "mailbox disabled",
    "mailbox is disabled",
    "account disabled",
    "account is disabled",
    "account has been disabled",
    "mailbox inactive",
    "account inactive",
    "account is inactive",
];

/// Words by which servers say that the mailbox is full.
const FULL: [&str; 6] =
    ["mailbox full", "mailbox is full", "over quota", "quota exceeded", "exceeded storage", "insufficient storage for"];

/// Words that speak of who asks, and not of the mailbox. They win over all others.
const POLICY: [&str; 26] = [
    "blocked",
    "blocklist",
    "blacklist",
    "block list",
    "black list",
    "listed",
    "spamhaus",
    "rbl",
    "dnsbl",
    "spam",
    "policy",
    "reputation",
    "relay",
    "authentication",
    "authenticated",
    "not permitted",
    "not allowed",
    "access denied",
    "client host",
    "reverse dns",
    "ptr record",
    "helo",
    "your ip",
    "sender",
    "spf",
    "rate limit",
];

/// Reads the reply.
pub fn of_recipient(reply: &Reply) -> Meaning {
    let text = reply.text();
    let says = |words: &[&str]| words.iter().any(|word| text.contains(word));
    match (reply.class(), reply.enhanced()) {
        (2, _) => Meaning::Accepted,
        (_, Some((4 | 5, 2, 2))) => Meaning::Settled(Why::MailboxFull),
        (4, _) if reply.code != 421 && says(&FULL) => Meaning::Settled(Why::MailboxFull),
        (4, _) => Meaning::Later,
        (5, Some((5, 1, 1 | 3 | 6 | 10))) if !says(&["blocked", "blocklist", "blacklist", "spamhaus"]) => {
            Meaning::Settled(Why::NoSuchMailbox)
        }
        (5, Some((5, 2, 1))) if !says(&POLICY) => Meaning::Settled(Why::MailboxDisabled),
        (5, Some((5, 7, _) | (5, 1, 7 | 8))) => Meaning::RefusesUs,
        // Other places of the enhanced code name no mailbox, whatever the words.
        (5, Some((5, 3..=6, _))) => Meaning::Unclear,
        (5, _) if matches!(reply.code, 550..=553) => match () {
            () if says(&POLICY) => Meaning::RefusesUs,
            () if says(&FULL) => Meaning::Settled(Why::MailboxFull),
            () if says(&DISABLED) => Meaning::Settled(Why::MailboxDisabled),
            () if says(&NO_SUCH_MAILBOX) => Meaning::Settled(Why::NoSuchMailbox),
            () => Meaning::Unclear,
        },
        (5, _) if says(&POLICY) || matches!(reply.code, 530..=538 | 554) => Meaning::RefusesUs,
        _ => Meaning::Unclear,
    }
}

#[cfg(test)]
mod tests {
    use super::Meaning::*;
    use super::*;

    #[rstest::rstest]
    #[case(250, "2.1.5 Recipient ok", Accepted)]
    #[case(251, "User not local; will forward", Accepted)]
    #[case(550, "5.1.1 The mailbox does not exist", Settled(Why::NoSuchMailbox))]
    #[case(550, "5.1.10 RESOLVER.ADR.RecipientNotFound", Settled(Why::NoSuchMailbox))]
    #[case(550, "No such user here", Settled(Why::NoSuchMailbox))]
    #[case(550, "5.2.1 The account is disabled", Settled(Why::MailboxDisabled))]
    #[case(550, "5.1.1 Rejected: client host blocked using an RBL", RefusesUs)]
    #[case(550, "User unknown, or your IP is listed in a blocklist", RefusesUs)]
    #[case(550, "5.7.1 Recipient address rejected: access denied", RefusesUs)]
    #[case(553, "5.1.8 Sender address rejected: user unknown", RefusesUs)]
    #[case(554, "Transaction failed", RefusesUs)]
    #[case(550, "Requested action not taken: mailbox unavailable", Unclear)]
    #[case(550, "5.4.1 Recipient address rejected: does not exist", Unclear)]
    #[case(552, "5.2.2 The mailbox is over quota", Settled(Why::MailboxFull))]
    #[case(452, "4.2.2 Mailbox full", Settled(Why::MailboxFull))]
    #[case(451, "4.7.1 Greylisting in action, try again", Later)]
    #[case(450, "4.2.1 User receives mail too quickly", Later)]
    #[case(452, "4.5.3 Too many recipients", Later)]
    #[case(421, "Service closing", Later)]
    #[case(354, "Go ahead", Unclear)]
    fn a_refusal_is_a_dead_mailbox_only_where_the_server_says_so(
        #[case] code: u16,
        #[case] text: &str,
        #[case] expected: Meaning,
    ) {
        assert_eq!(of_recipient(&Reply { code, lines: vec![text.to_owned()] }), expected);
    }
}
