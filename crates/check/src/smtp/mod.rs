//! Whether mail servers know mailboxes, by SMTP (RFC 5321), without sending anything.
//!
//! It is politely done: one connection to a server at a time, a few a minute, a handful of recipients each. Many networks let
//! no such connections out, so the first ones are made one by one, and decide whether the rest is tried at all.

mod domain;
mod meaning;
mod own_network;
mod reply;
mod session;
mod tls;

use crate::dns::{self, Asking};
use domain::{DomainWork, Next, Server};
use hickory_resolver::TokioResolver;
use own_network::is_public;
use pebblebank_table::observe::{Ended, Observer, Progress, Stage};
use pebblebank_table::{Error, Result};
use pebblebank_values::verdict::{Verdict, Why};
pub use session::Presenting;
use session::{Failure, Session};
use std::cmp::Reverse;
use std::collections::{BTreeMap, HashMap, HashSet, VecDeque};
use std::net::{IpAddr, SocketAddr};
use std::sync::{Arc, Mutex};
use std::time::Duration;
use tokio::task::JoinSet;
use tokio::time::{Instant, sleep, sleep_until};

/// How many domains whose servers cannot be reached, without any that can, show that the network lets nothing out.
const UNREACHABLE_BEFORE_ANY: usize = 3;

/// How many domains have to refuse everything, with none that takes anything, before that looks like one answer for all.
const REFUSING_BEFORE_DOUBT: usize = 3;

const MINUTE: Duration = Duration::from_secs(60);

/// How often it is looked whether somebody wants to stop.
const LOOK_UP: Duration = Duration::from_millis(100);

/// The port of mail servers (RFC 5321, section 4.5.4.2).
pub const PORT: u16 = 25;

/// How mail servers are asked.
#[derive(Debug, Clone)]
pub struct Probing {
    /// How this machine presents itself.
    pub presenting: Presenting,
    /// The port of the servers.
    pub port: u16,
    /// How many domains are asked at once.
    pub at_once: usize,
    /// How many connections to one server begin in a minute, at most.
    pub per_minute: u32,
    /// How long a server may take to greet, and then for each address.
    pub patience: Duration,
    /// How often addresses are asked for again that a server put off.
    pub tries: u32,
    /// How long is waited before that.
    pub wait: Duration,
}

/// Asks for the addresses of each domain (as A-labels), and hands the answers to `each` as they come.
///
/// # Errors
///
/// Where `each` fails.
pub fn ask(
    addresses: BTreeMap<String, Vec<String>>,
    (asking, probing): (&Asking, &Probing),
    observer: &dyn Observer,
    each: &mut dyn FnMut(String, Why) -> Result<()>,
) -> Result<Ended> {
    if addresses.is_empty() {
        return Ok(Ended::default());
    }
    dns::runtime()?.block_on(ask_all(addresses, asking, probing, observer, each))
}

/// What the connections of a check share.
struct Shared {
    resolver: TokioResolver,
    probing: Probing,
    /// Whether servers on this machine and in its own network are asked: only where the DNS server is there too.
    asks_own_network: bool,
    /// A mailbox that surely does not exist.
    made_up: String,
    servers: Mutex<HashMap<IpAddr, Arc<tokio::sync::Mutex<Instant>>>>,
}

/// The result of one connection.
struct Probed {
    work: DomainWork,
    found: Vec<(String, Why)>,
    next: Next,
    was_reached: bool,
}

async fn ask_all(
    addresses: BTreeMap<String, Vec<String>>,
    asking: &Asking,
    probing: &Probing,
    observer: &dyn Observer,
    each: &mut dyn FnMut(String, Why) -> Result<()>,
) -> Result<Ended> {
    let in_all: u64 = addresses.values().map(|addresses| addresses.len() as u64).sum();
    // Those with most addresses come first: whether the network lets connections out shows best with servers that many use.
    let mut addresses: Vec<(String, Vec<String>)> = addresses.into_iter().collect();
    addresses.sort_by_key(|(_, addresses)| Reverse(addresses.len()));
    let mut waiting: VecDeque<DomainWork> =
        addresses.into_iter().map(|(domain, addresses)| DomainWork::new(domain, addresses, probing.tries)).collect();
    let Ok(resolver) = dns::resolver(asking) else {
        waiting.into_iter().try_for_each(|work| give_up(work, Why::DnsFailed, each))?;
        return Ok(Ended::with(dns::NO_SERVER.to_owned()));
    };
    if let Some(trouble) = dns::knows_nothing(&resolver).await {
        waiting.into_iter().try_for_each(|work| give_up(work, Why::DnsFailed, each))?;
        return Ok(Ended::with(trouble));
    }
    let shared = Arc::new(Shared {
        resolver,
        probing: probing.clone(),
        asks_own_network: asking.server.is_some_and(|server| !is_public(server.ip())),
        made_up: made_up()?,
        servers: Mutex::default(),
    });
    let mut later: VecDeque<(Instant, DomainWork)> = VecDeque::new();
    let mut open: JoinSet<Probed> = JoinSet::new();
    let mut seen = Seen::default();
    let mut answered = 0;
    // Nobody is called dead before some server took a mailbox: until then something in between may answer for all of them.
    let mut dead: Vec<(String, Why)> = Vec::new();
    loop {
        let at_once = if seen.reached > 0 { probing.at_once.max(1) } else { 1 };
        while open.len() < at_once {
            let due = later.front().is_some_and(|(due, _)| *due <= Instant::now());
            let work = if due { later.pop_front().map(|(_, work)| work) } else { waiting.pop_front() };
            let Some(work) = work else { break };
            open.spawn(probe(work, Arc::clone(&shared)));
        }
        if open.is_empty() && later.is_empty() {
            seen.hand_over(dead, each)?;
            return Ok(seen.ended());
        }
        tokio::select! {
            Some(done) = open.join_next() => {
                let Probed { work, found, next, was_reached } = done.map_err(|_| Error::defect())?;
                seen.note(&work.domain, was_reached, &found);
                answered += found.len() as u64;
                for (address, why) in found {
                    if why.verdict() == Verdict::Invalid { dead.push((address, why)) } else { each(address, why)? }
                }
                if seen.accepted > 0 {
                    dead.drain(..).try_for_each(|(address, why)| each(address, why))?;
                }
                match next {
                    Next::Over => {}
                    Next::GoOn => waiting.push_back(work),
                    Next::Later => later.push_back((Instant::now() + probing.wait, work)),
                }
                observer.progress(Progress { stage: Stage::AskingMail, bytes: answered, bytes_in_all: in_all, rows: answered });
            }
            () = sleep(LOOK_UP) => {}
        }
        if observer.wants_end_of_asking() {
            open.abort_all();
            seen.hand_over(dead, each)?;
            return Ok(Ended::stopped());
        }
        if seen.is_blocked() {
            open.abort_all();
            let later = later.into_iter().map(|(_, work)| work);
            waiting.into_iter().chain(later).try_for_each(|work| give_up(work, Why::MailPortBlocked, each))?;
            return Ok(seen.ended());
        }
    }
}

/// Nothing of a domain is known but this.
fn give_up(mut work: DomainWork, why: Why, each: &mut dyn FnMut(String, Why) -> Result<()>) -> Result<()> {
    let mut found = Vec::new();
    work.settle_all(why, &mut found);
    found.into_iter().try_for_each(|(address, why)| each(address, why))
}

/// What the connections so far show of the network.
#[derive(Debug, Default)]
struct Seen {
    reached: u64,
    unreachable: usize,
    accepted: u64,
    /// The domains that refused addresses.
    refusing: HashSet<String>,
}

impl Seen {
    fn note(&mut self, domain: &str, was_reached: bool, found: &[(String, Why)]) {
        self.reached += u64::from(was_reached);
        let is_unreachable = found.iter().any(|(_, why)| *why == Why::ServerUnreachable);
        self.unreachable += usize::from(!was_reached && is_unreachable);
        let has = |whys: &[Why]| found.iter().any(|(_, why)| whys.contains(why));
        self.accepted += u64::from(has(&[Why::MailboxExists, Why::AcceptsAll, Why::MailboxFull]));
        if has(&[Why::NoSuchMailbox, Why::MailboxDisabled, Why::MailboxRefused, Why::ServerRefuses]) {
            self.refusing.insert(domain.to_owned());
        }
    }

    /// Whether something in between may be answering in the place of all servers.
    fn is_doubtful(&self) -> bool {
        self.accepted == 0 && self.refusing.len() >= REFUSING_BEFORE_DOUBT
    }

    /// Hands over the mailboxes that were called dead; as unknown where that is doubtful.
    fn hand_over(&self, dead: Vec<(String, Why)>, each: &mut dyn FnMut(String, Why) -> Result<()>) -> Result<()> {
        let is_doubtful = self.is_doubtful();
        dead.into_iter()
            .try_for_each(|(address, why)| each(address, if is_doubtful { Why::ServerRefuses } else { why }))
    }

    fn is_blocked(&self) -> bool {
        self.reached == 0 && self.unreachable >= UNREACHABLE_BEFORE_ANY
    }

    fn ended(&self) -> Ended {
        if self.reached == 0 && self.unreachable > 0 {
            let domains = if self.unreachable == 1 {
                "the mail servers of 1 domain".to_owned()
            } else {
                format!("the mail servers of {} domains", self.unreachable)
            };
            return Ended::with(format!(
                "{domains} were tried and none could be reached: most offices and homes let no mail connections out. Ask where a mail \
                 server of yours stands, or have the addresses checked elsewhere: --to-check FILE"
            ));
        }
        if self.is_doubtful() {
            return Ended::with(format!(
                "{} domains refused addresses and none took a single one: something between here and them may be answering in their \
                 place, so all of these are unknown. Try from another network, or have them checked elsewhere: --to-check FILE",
                self.refusing.len()
            ));
        }
        Ended::default()
    }
}

/// Makes one connection for a domain.
async fn probe(mut work: DomainWork, shared: Arc<Shared>) -> Probed {
    let mut found = Vec::new();
    let mut was_reached = false;
    match servers_of(&work, &shared).await {
        Ok(servers) => {
            let opened = open_first(&servers, &mut work, &shared, &mut was_reached, &mut found).await;
            work.servers = Some(servers);
            if let Err(failure) = opened {
                work.failed(&failure, &mut found);
            }
        }
        Err(why) => work.settle_all(why, &mut found),
    }
    let next = work.next(&mut found);
    Probed { work, found, next, was_reached }
}

async fn servers_of(work: &DomainWork, shared: &Shared) -> std::result::Result<Vec<Server>, Why> {
    if let Some(servers) = &work.servers {
        return Ok(servers.clone());
    }
    let mut servers = dns::mail_servers(&shared.resolver, &work.domain).await?;
    servers.retain(|(_, address)| shared.asks_own_network || is_public(*address));
    Ok(servers)
}

/// Talks to the first server that can be talked to, and says what went wrong where none can.
async fn open_first(
    servers: &[Server],
    work: &mut DomainWork,
    shared: &Shared,
    was_reached: &mut bool,
    found: &mut Vec<(String, Why)>,
) -> std::result::Result<(), Failure> {
    let mut gravest = Failure::Unreachable;
    for (name, address) in servers {
        let turn = shared.turn_of(*address);
        // One connection to a server at a time, however many domains it serves.
        let mut next = turn.lock().await;
        loop {
            sleep_until(*next).await;
            *next = Instant::now() + MINUTE / shared.probing.per_minute.max(1);
            let at = SocketAddr::new(*address, shared.probing.port);
            let wishes = (work.encrypts, work.needs_utf8());
            let Probing { presenting, patience, .. } = &shared.probing;
            match Session::open(at, name, presenting, wishes, *patience).await {
                Ok(session) => {
                    *was_reached = true;
                    work.converse(session, &shared.made_up, found).await;
                    return Ok(());
                }
                Err(Failure::Tls) if work.encrypts => {
                    *was_reached = true;
                    work.encrypts = false;
                }
                Err(failure) => {
                    *was_reached |= !matches!(failure, Failure::Unreachable);
                    gravest = graver(gravest, failure);
                    break;
                }
            }
        }
    }
    Err(gravest)
}

/// Of several servers of a domain, what counts: one that may answer later is better than one that never will.
fn graver(one: Failure, other: Failure) -> Failure {
    let rank = |failure: &Failure| match failure {
        Failure::Later => 0,
        Failure::RefusesUs => 1,
        Failure::Fault | Failure::Tls => 2,
        Failure::Unreachable => 3,
    };
    if rank(&other) < rank(&one) { other } else { one }
}

impl Shared {
    fn turn_of(&self, address: IpAddr) -> Arc<tokio::sync::Mutex<Instant>> {
        let mut servers = self.servers.lock().expect("no task panics while it looks for its turn");
        let turn = servers.entry(address).or_insert_with(|| Arc::new(tokio::sync::Mutex::new(Instant::now())));
        Arc::clone(turn)
    }
}

/// A local part that nobody has.
fn made_up() -> Result<String> {
    let mut bytes = [0; 20];
    getrandom::fill(&mut bytes).map_err(|_| Error::defect())?;
    Ok(bytes.iter().map(|byte| char::from(b'a' + byte % 26)).collect())
}
