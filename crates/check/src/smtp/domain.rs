//! The addresses of one domain while its mail servers are asked, one connection at a time.

use super::meaning::{Meaning, of_recipient};
use super::reply::Reply;
use super::session::{Failure, Offers, Session};
use pebblebank_values::verdict::Why;
use std::io::Result;
use std::net::IpAddr;

/// The most recipients of one connection; servers take a longer list for spam.
const RECIPIENTS_AT_ONCE: usize = 20;

/// A mail server: its name, and one of its addresses.
pub type Server = (String, IpAddr);

/// What is still open of a domain.
#[derive(Debug)]
pub struct DomainWork {
    /// The domain, as A-labels.
    pub domain: String,
    /// The addresses to ask for now.
    pub addresses: Vec<String>,
    /// Its mail servers in the order in which they are tried; none before they are looked up.
    pub servers: Option<Vec<Server>>,
    /// Whether a connection is encrypted where that is offered.
    pub encrypts: bool,
    /// How often what was put off is still asked for again.
    pub tries_left: u32,
    put_off: Vec<(String, Why)>,
    unclear: Vec<String>,
    made_up: MadeUp,
    has_accepted: bool,
}

/// What the server said of a mailbox that surely does not exist.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
enum MadeUp {
    /// Nothing yet.
    NotSaid,
    /// It refused, with these codes.
    Refused(Codes),
}

/// The codes of a reply: a server that refuses two addresses alike gives the same.
type Codes = (u16, Option<(u16, u16, u16)>);

fn codes(reply: &Reply) -> Codes {
    (reply.code, reply.enhanced())
}

/// What comes after a connection.
#[derive(Debug, PartialEq, Eq)]
pub enum Next {
    /// Everything about the domain is said.
    Over,
    /// There are more addresses.
    GoOn,
    /// The rest was put off.
    Later,
}

impl DomainWork {
    /// Nothing was asked yet.
    pub fn new(domain: String, addresses: Vec<String>, tries_left: u32) -> DomainWork {
        DomainWork {
            domain,
            addresses,
            servers: None,
            encrypts: true,
            tries_left,
            put_off: Vec::new(),
            unclear: Vec::new(),
            made_up: MadeUp::NotSaid,
            has_accepted: false,
        }
    }

    /// Whether an address is asked for that is written beyond ASCII.
    pub fn needs_utf8(&self) -> bool {
        self.addresses.iter().take(RECIPIENTS_AT_ONCE).any(|address| !address.is_ascii())
    }

    /// Asks for the next addresses on an open connection.
    pub async fn converse(&mut self, mut session: Session, made_up: &str, found: &mut Vec<(String, Why)>) {
        if self.ask_all(&mut session, made_up, found).await.is_ok() {
            session.quit().await;
        }
    }

    async fn ask_all(&mut self, session: &mut Session, made_up: &str, found: &mut Vec<(String, Why)>) -> Result<()> {
        if self.made_up == MadeUp::NotSaid {
            let asked = session.recipient(&format!("{made_up}@{}", self.domain)).await;
            match asked
                .inspect_err(|_| self.put_all_off(Why::ServerFault))
                .map(|reply| (of_recipient(&reply), reply))?
            {
                (Meaning::Accepted, _) => {
                    self.settle_all(Why::AcceptsAll, found);
                    return Ok(());
                }
                (Meaning::RefusesUs, _) => {
                    self.settle_all(Why::ServerRefuses, found);
                    return Ok(());
                }
                (Meaning::Later, reply) if reply.code == 421 => {
                    self.put_all_off(Why::Greylisted);
                    return Ok(());
                }
                (Meaning::Later, _) => {}
                (Meaning::Settled(_) | Meaning::Unclear, reply) => self.made_up = MadeUp::Refused(codes(&reply)),
            }
        }
        let rest = self.addresses.split_off(self.addresses.len().min(RECIPIENTS_AT_ONCE));
        let mut batch = std::mem::replace(&mut self.addresses, rest).into_iter();
        while let Some(address) = batch.next() {
            let asked = self.ask_one(session, address, found).await;
            if !matches!(asked, Ok(IsOpen::Yes)) {
                // Those behind it were not asked for.
                self.addresses.splice(0..0, batch);
                return asked.map(|_| ());
            }
        }
        Ok(())
    }

    async fn ask_one(
        &mut self,
        session: &mut Session,
        address: String,
        found: &mut Vec<(String, Why)>,
    ) -> Result<IsOpen> {
        if !address.is_ascii() && session.offers() == (Offers { utf8: false }) {
            found.push((address, Why::NeedsUtf8));
            return Ok(IsOpen::Yes);
        }
        let reply = match session.recipient(&address).await {
            Ok(reply) => reply,
            Err(cause) => {
                self.put_off.push((address, Why::ServerFault));
                return Err(cause);
            }
        };
        match of_recipient(&reply) {
            // Whether it takes every address is not known yet.
            Meaning::Accepted if self.made_up == MadeUp::NotSaid => self.put_off.push((address, Why::Greylisted)),
            Meaning::Accepted => {
                self.has_accepted = true;
                found.push((address, Why::MailboxExists));
            }
            Meaning::Settled(why) => found.push((address, why)),
            Meaning::Unclear if self.made_up == MadeUp::Refused(codes(&reply)) => self.unclear.push(address),
            Meaning::Unclear => found.push((address, Why::MailboxRefused)),
            Meaning::Later => self.put_off.push((address, Why::Greylisted)),
            Meaning::RefusesUs => found.push((address, Why::ServerRefuses)),
        }
        Ok(if reply.code == 421 { IsOpen::No } else { IsOpen::Yes })
    }

    /// No server of the domain could be talked to.
    pub fn failed(&mut self, failure: &Failure, found: &mut Vec<(String, Why)>) {
        match failure {
            Failure::Later => self.put_all_off(Why::Greylisted),
            Failure::Fault | Failure::Tls => self.put_all_off(Why::ServerFault),
            Failure::RefusesUs => self.settle_all(Why::ServerRefuses, found),
            Failure::Unreachable => self.settle_all(Why::ServerUnreachable, found),
        }
    }

    /// What comes next; what was put off too often is given up.
    pub fn next(&mut self, found: &mut Vec<(String, Why)>) -> Next {
        if !self.addresses.is_empty() {
            return Next::GoOn;
        }
        if self.tries_left > 0 && !self.put_off.is_empty() {
            self.tries_left -= 1;
            self.addresses = self.put_off.drain(..).map(|(address, _)| address).collect();
            return Next::Later;
        }
        found.append(&mut self.put_off);
        // A server that takes others, and refuses these as it refuses a mailbox that does not exist, knows none of them.
        let why = if self.has_accepted { Why::NoSuchMailbox } else { Why::MailboxRefused };
        found.extend(self.unclear.drain(..).map(|address| (address, why)));
        Next::Over
    }

    /// The same of all addresses that are open.
    pub fn settle_all(&mut self, why: Why, found: &mut Vec<(String, Why)>) {
        let put_off = self.put_off.drain(..).map(|(address, _)| address);
        found.extend(self.addresses.drain(..).chain(put_off).map(|address| (address, why)));
    }

    fn put_all_off(&mut self, why: Why) {
        self.put_off.extend(self.addresses.drain(..).map(|address| (address, why)));
    }
}

/// Whether the server goes on with the connection.
enum IsOpen {
    Yes,
    No,
}
