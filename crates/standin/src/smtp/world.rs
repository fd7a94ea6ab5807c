//! What mail servers there are, and how each behaves.

use serde::Deserialize;
use std::collections::HashMap;

/// The mail servers of domains, as a TOML file says it: `"post.example" = { how = "answers", knows = ["ida.moss"] }`.
#[derive(Debug, Clone, Default, Deserialize)]
#[serde(transparent)]
pub struct MailWorld {
    /// By domain, in lower case.
    pub domains: HashMap<String, MailDomain>,
}

impl MailWorld {
    /// Reads a table of domains.
    ///
    /// # Errors
    ///
    /// Where it is no such table.
    pub fn from_toml(text: &str) -> Result<MailWorld, toml::de::Error> {
        toml::from_str(text)
    }
}

/// A domain's mail server.
#[derive(Debug, Clone, Default, Deserialize)]
#[serde(deny_unknown_fields)]
pub struct MailDomain {
    /// How it behaves.
    #[serde(default)]
    pub how: Manner,
    /// The mailboxes that it knows, by local part.
    #[serde(default)]
    pub knows: Vec<String>,
}

/// How a mail server behaves.
#[derive(Debug, Clone, Copy, Default, PartialEq, Eq, Deserialize)]
#[serde(rename_all = "kebab-case")]
pub enum Manner {
    /// It takes the mailboxes that it knows and refuses all others, with enhanced codes (RFC 3463).
    #[default]
    Answers,
    /// The same, and it offers encryption (RFC 3207).
    Encrypts,
    /// It answers nothing before the connection is encrypted.
    OnlyEncrypted,
    /// It offers encryption, and then sends nonsense.
    BreaksEncryption,
    /// It sends replies of its own before the encryption begins.
    Injects,
    /// It knows HELO and not EHLO.
    OnlyHelo,
    /// It refuses without saying why, those that it does not know.
    RefusesUnclearly,
    /// It takes every address.
    AcceptsAll,
    /// It puts each recipient off, the first time.
    Greylists,
    /// It puts everybody off, always.
    PutsOff,
    /// It says that each mailbox is full that it knows.
    Full,
    /// It says that each mailbox is switched off that it knows.
    Disabled,
    /// It refuses whoever connects.
    RefusesAll,
    /// It refuses every sender.
    RefusesSenders,
    /// It refuses every recipient because of who asks.
    RefusesByPolicy,
    /// It closes the connection at once.
    DropsAtOnce,
    /// It closes the connection at the second recipient.
    DropsMidway,
    /// It ends the service at the second recipient (421).
    EndsMidway,
    /// It accepts the connection and says nothing.
    Silent,
    /// It sends a byte a quarter of a second.
    Slow,
    /// It sends a line without an end.
    EndlessLine,
    /// It sends a reply without an end.
    EndlessReply,
    /// It sends bytes that are no reply.
    Nonsense,
    /// Nobody listens.
    Unreachable,
}
