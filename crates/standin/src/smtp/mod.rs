//! Mail servers (RFC 5321) for a handful of domains, each on an address of the loopback and with a behaviour of its own. They take
//! no mail: nobody is meant to send any.

mod conversation;
mod servers;
mod world;

pub use servers::SmtpServers;
pub use world::{MailDomain, MailWorld, Manner};
