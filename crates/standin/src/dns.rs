//! A DNS server over UDP (RFC 1035) for a handful of domains, each with a behaviour of its own.

use hickory_proto::op::{Message, MessageType, OpCode, ResponseCode};
use hickory_proto::rr::rdata::{A, MX, NS};
use hickory_proto::rr::{Name, RData, Record, RecordType};
use serde::Deserialize;
use std::collections::HashMap;
use std::net::{Ipv4Addr, SocketAddr, UdpSocket};
use std::sync::Arc;
use std::sync::atomic::{AtomicBool, AtomicU64, Ordering};
use std::thread::JoinHandle;
use std::time::Duration;

/// How long it waits for a question before it looks whether it shall end.
const LOOK_UP: Duration = Duration::from_millis(20);

/// How a domain behaves.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Deserialize)]
#[serde(rename_all = "kebab-case")]
pub enum Behaviour {
    /// It names a mail server.
    MailServer,
    /// It has an address and no mail server.
    AddressAlone,
    /// It has neither.
    NoRecords,
    /// It says that it takes no mail (RFC 7505).
    NullMx,
    /// There is no such domain.
    Missing,
    /// Its own servers are broken: the answer is an error.
    Fails,
    /// The server refuses.
    Refuses,
    /// Nothing comes back.
    Silent,
    /// What comes back is no answer.
    Nonsense,
    /// An answer comes, to another question.
    Confused,
}

/// The domains that a server knows, as a TOML file says it: `"post.example" = "mail-server"`.
#[derive(Debug, Clone, Default)]
pub struct Zone {
    /// By name, in lower case.
    pub domains: HashMap<String, Behaviour>,
    /// Of all others; none where these are missing.
    pub others: Option<Behaviour>,
    /// Where the mail servers of domains are; of all others on 127.0.0.1.
    pub mail_servers: HashMap<String, Ipv4Addr>,
    /// Whether it knows the root, as servers do that know the internet.
    pub knows_no_root: bool,
}

impl Zone {
    /// Reads a table of names and behaviours; `"*"` stands for all others.
    ///
    /// # Errors
    ///
    /// Where it is no such table.
    pub fn from_toml(text: &str) -> Result<Zone, toml::de::Error> {
        let mut domains: HashMap<String, Behaviour> = toml::from_str(text)?;
        let others = domains.remove("*");
        Ok(Zone { domains, others, ..Zone::default() })
    }

    /// The same, with mail servers at these addresses; domains that have one and no behaviour get one.
    #[must_use]
    pub fn with_mail_servers(mut self, mail_servers: &HashMap<String, Ipv4Addr>) -> Zone {
        for domain in mail_servers.keys() {
            self.domains.entry(domain.clone()).or_insert(Behaviour::MailServer);
        }
        self.mail_servers.clone_from(mail_servers);
        self
    }

    /// The mail server of this name, as the answers about domains name it.
    fn mail_server(&self, name: &str) -> Option<Ipv4Addr> {
        let domain = name.strip_prefix("mx.")?;
        let has_one = self.domains.get(domain) == Some(&Behaviour::MailServer);
        has_one.then(|| self.mail_servers.get(domain).copied().unwrap_or(Ipv4Addr::LOCALHOST))
    }

    fn of(&self, name: &str) -> Behaviour {
        self.domains.get(name).copied().or(self.others).unwrap_or(Behaviour::Missing)
    }
}

/// A server that runs until it is dropped.
#[derive(Debug)]
pub struct DnsServer {
    address: SocketAddr,
    is_over: Arc<AtomicBool>,
    questions: Arc<AtomicU64>,
    thread: Option<JoinHandle<()>>,
}

impl DnsServer {
    /// Begins to answer on a free port of the loopback.
    ///
    /// # Errors
    ///
    /// Where no port is free.
    pub fn begin(zone: Zone) -> std::io::Result<DnsServer> {
        let socket = UdpSocket::bind((Ipv4Addr::LOCALHOST, 0))?;
        socket.set_read_timeout(Some(LOOK_UP))?;
        let address = socket.local_addr()?;
        let is_over = Arc::new(AtomicBool::new(false));
        let questions = Arc::new(AtomicU64::new(0));
        let (over, count) = (Arc::clone(&is_over), Arc::clone(&questions));
        let thread = std::thread::spawn(move || serve(&socket, &zone, &over, &count));
        Ok(DnsServer { address, is_over, questions, thread: Some(thread) })
    }

    /// Where it answers.
    pub fn address(&self) -> SocketAddr {
        self.address
    }

    /// How many questions it got.
    pub fn questions(&self) -> u64 {
        self.questions.load(Ordering::Relaxed)
    }
}

impl Drop for DnsServer {
    fn drop(&mut self) {
        self.is_over.store(true, Ordering::Relaxed);
        if let Some(thread) = self.thread.take() {
            // Whoever drops it no longer asks how it ended.
            let _ = thread.join();
        }
    }
}

fn serve(socket: &UdpSocket, zone: &Zone, is_over: &AtomicBool, questions: &AtomicU64) {
    let mut buffer = [0; 4096];
    while !is_over.load(Ordering::Relaxed) {
        let Ok((length, asker)) = socket.recv_from(&mut buffer) else { continue };
        questions.fetch_add(1, Ordering::Relaxed);
        if let Some(answer) = answer(&buffer[..length], zone) {
            // An asker that is gone waits for nothing.
            let _ = socket.send_to(&answer, asker);
        }
    }
}

/// The bytes that go back, if any do.
fn answer(bytes: &[u8], zone: &Zone) -> Option<Vec<u8>> {
    let question = Message::from_vec(bytes).ok()?;
    let query = question.queries.first()?.clone();
    let name = query.name().to_ascii().trim_end_matches('.').to_lowercase();
    let mut answer = Message::new(question.metadata.id, MessageType::Response, OpCode::Query);
    answer.metadata.recursion_desired = true;
    answer.metadata.recursion_available = true;
    answer.add_query(query.clone());
    let record = |data: RData| Record::from_rdata(query.name().clone(), 300, data);
    if name.is_empty() {
        if zone.knows_no_root {
            answer.metadata.response_code = ResponseCode::NXDomain;
        } else {
            answer.add_answer(record(RData::NS(NS(Name::from_ascii("ns.root.example.").ok()?))));
        }
        return answer.to_vec().ok();
    }
    let kind = query.query_type();
    if let Some(address) = zone.mail_server(&name) {
        if kind == RecordType::A {
            answer.add_answer(record(RData::A(A(address))));
        }
        return answer.to_vec().ok();
    }
    let behaviour = zone.of(&name);
    match behaviour {
        Behaviour::Silent => return None,
        Behaviour::Nonsense => return Some(vec![0xFF; 700]),
        Behaviour::Confused => {
            answer.metadata.id = answer.metadata.id.wrapping_add(1);
            answer.add_answer(record(RData::MX(MX::new(10, Name::from_ascii("mx.other.example.").ok()?))));
        }
        Behaviour::Missing => answer.metadata.response_code = ResponseCode::NXDomain,
        Behaviour::Fails => answer.metadata.response_code = ResponseCode::ServFail,
        Behaviour::Refuses => answer.metadata.response_code = ResponseCode::Refused,
        Behaviour::NullMx if kind == RecordType::MX => {
            answer.add_answer(record(RData::MX(MX::new(0, Name::root()))));
        }
        Behaviour::MailServer if kind == RecordType::MX => {
            answer.add_answer(record(RData::MX(MX::new(10, Name::from_ascii(format!("mx.{name}.")).ok()?))));
        }
        Behaviour::MailServer | Behaviour::AddressAlone if kind == RecordType::A => {
            answer.add_answer(record(RData::A(A(Ipv4Addr::LOCALHOST))));
        }
        Behaviour::MailServer | Behaviour::AddressAlone | Behaviour::NullMx | Behaviour::NoRecords => {}
    }
    answer.to_vec().ok()
}
