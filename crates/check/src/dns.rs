//! Whether domains take mail, by DNS (RFC 5321, section 5.1; RFC 7505): mail servers, else an address of the domain's own.
//!
//! One question a domain, several at once. Whether the server knows the internet at all is asked first: a server that
//! does not, as behind a login page, would call every domain missing.

use hickory_resolver::config::{ConnectionConfig, NameServerConfig, ResolveHosts, ResolverConfig, ResolverOpts};
use hickory_resolver::net::runtime::TokioRuntimeProvider;
use hickory_resolver::net::{DnsError, NetError};
use hickory_resolver::proto::op::ResponseCode;
use hickory_resolver::proto::rr::{Name, RData, Record, RecordType};
use hickory_resolver::{Resolver, TokioResolver};
use pebblebank_table::observe::{Ended, Observer, Progress, Stage};
use pebblebank_table::{Error, ErrorKind, Result};
use pebblebank_values::verdict::Why;
use std::net::{IpAddr, SocketAddr};
use std::time::Duration;
use tokio::task::JoinSet;
use tokio::time::{Instant, sleep, sleep_until};

/// After this many answers in a row that are none, the rest is not asked for: the server is gone.
const FAILURES_IN_A_ROW: usize = 40;

/// How often it is looked whether somebody wants to stop.
const LOOK_UP: Duration = Duration::from_millis(100);

/// How DNS is asked.
#[derive(Debug, Clone)]
pub struct Asking {
    /// The server; none for those that the system names.
    pub server: Option<SocketAddr>,
    /// How many questions are open at once.
    pub at_once: usize,
    /// How many questions begin in a second, at most; none for as many as go.
    pub per_second: Option<u32>,
    /// How long an answer is waited for. Twice, then it is given up.
    pub patience: Duration,
}

impl Default for Asking {
    fn default() -> Asking {
        Asking { server: None, at_once: 64, per_second: None, patience: Duration::from_secs(3) }
    }
}

/// What is wrong where the system names no DNS server.
pub(crate) const NO_SERVER: &str = "this machine names no DNS server that could be asked: --resolver ADDRESS names one";

/// Asks whether each of these domains (as A-labels) takes mail, and hands the answers to `each` as they come. Where something
/// goes wrong for all of them, those that were not asked for have [`Why::DnsFailed`].
///
/// # Errors
///
/// Where `each` fails.
pub fn ask(
    domains: Vec<String>,
    asking: &Asking,
    observer: &dyn Observer,
    each: &mut dyn FnMut(String, Why) -> Result<()>,
) -> Result<Ended> {
    if domains.is_empty() {
        return Ok(Ended::default());
    }
    runtime()?.block_on(ask_all(domains, asking, observer, each))
}

/// What waits for the network, on this thread.
pub(crate) fn runtime() -> Result<tokio::runtime::Runtime> {
    let runtime = tokio::runtime::Builder::new_current_thread().enable_all().build();
    runtime.map_err(|cause| Error::new(ErrorKind::Input, format!("the network cannot be used: {cause}"), "try again"))
}

async fn ask_all(
    domains: Vec<String>,
    asking: &Asking,
    observer: &dyn Observer,
    each: &mut dyn FnMut(String, Why) -> Result<()>,
) -> Result<Ended> {
    let Ok(resolver) = resolver(asking) else {
        domains.into_iter().try_for_each(|domain| each(domain, Why::DnsFailed))?;
        return Ok(Ended::with(NO_SERVER.to_owned()));
    };
    if let Some(trouble) = knows_nothing(&resolver).await {
        domains.into_iter().try_for_each(|domain| each(domain, Why::DnsFailed))?;
        return Ok(Ended::with(trouble));
    }
    let in_all = domains.len() as u64;
    let mut waiting = domains.into_iter();
    let mut open = JoinSet::new();
    let (mut answered, mut failed_in_a_row) = (0u64, 0);
    let mut pace = Pace::new(asking.per_second);
    loop {
        while open.len() < asking.at_once.max(1) && pace.may_go() {
            let Some(domain) = waiting.next() else { break };
            let resolver = resolver.clone();
            open.spawn(async move {
                let why = takes_mail(&resolver, &domain).await;
                (domain, why)
            });
        }
        if open.is_empty() && waiting.len() == 0 {
            return Ok(Ended::default());
        }
        tokio::select! {
            Some(done) = open.join_next() => {
                let (domain, why) = done.map_err(|_| Error::defect())?;
                failed_in_a_row = if why == Why::DnsFailed { failed_in_a_row + 1 } else { 0 };
                each(domain, why)?;
                answered += 1;
                observer.progress(Progress { stage: Stage::Asking, bytes: answered, bytes_in_all: in_all, rows: answered });
            }
            () = sleep(LOOK_UP) => {}
            () = sleep_until(pace.next()), if waiting.len() > 0 && open.len() < asking.at_once => {}
        }
        if observer.wants_end_of_asking() {
            open.abort_all();
            return Ok(Ended::stopped());
        }
        if failed_in_a_row >= FAILURES_IN_A_ROW {
            let left = open.len() as u64 + waiting.len() as u64;
            open.abort_all();
            // Those that were open have no answer either; whoever asked knows which these are by what is missing.
            waiting.try_for_each(|domain| each(domain, Why::DnsFailed))?;
            return Ok(Ended::with(format!(
                "DNS stopped answering after {answered} of {in_all} domains; the other {left} are unknown. Try again later"
            )));
        }
    }
}

/// When the next question may begin.
struct Pace {
    between: Duration,
    next: Instant,
}

impl Pace {
    fn new(per_second: Option<u32>) -> Pace {
        let between = per_second.map_or(Duration::ZERO, |count| Duration::from_secs(1) / count.max(1));
        Pace { between, next: Instant::now() }
    }

    fn may_go(&mut self) -> bool {
        if self.between.is_zero() {
            return true;
        }
        let may_go = Instant::now() >= self.next;
        if may_go {
            self.next += self.between;
        }
        may_go
    }

    fn next(&self) -> Instant {
        self.next
    }
}

pub(crate) fn resolver(asking: &Asking) -> std::result::Result<TokioResolver, NetError> {
    let mut builder = match asking.server {
        Some(server) => {
            let mut connections = vec![ConnectionConfig::udp(), ConnectionConfig::tcp()];
            for connection in &mut connections {
                connection.port = server.port();
            }
            let server = NameServerConfig::new(server.ip(), true, connections);
            let config = ResolverConfig::from_parts(None, Vec::new(), vec![server]);
            Resolver::builder_with_config(config, TokioRuntimeProvider::default())
        }
        None => Resolver::builder_tokio()?,
    };
    let options: &mut ResolverOpts = builder.options_mut();
    options.timeout = asking.patience;
    options.attempts = 1;
    options.use_hosts_file = ResolveHosts::Never;
    options.num_concurrent_reqs = 1;
    options.max_active_requests = asking.at_once.max(32) * 2;
    builder.build()
}

/// What is wrong with a server that does not know the root of the DNS.
pub(crate) async fn knows_nothing(resolver: &TokioResolver) -> Option<String> {
    match resolver.lookup(Name::root(), RecordType::NS).await {
        Ok(_) => None,
        Err(NetError::Dns(DnsError::ResponseCode(ResponseCode::Refused))) => {
            Some("the DNS server refuses to answer this machine: --resolver ADDRESS names another one".to_owned())
        }
        Err(NetError::Dns(_)) => Some(
            "the DNS server does not know the internet, as behind a login page or without a connection, so nothing that it says of \
             domains counts"
                .to_owned(),
        ),
        Err(_) => Some("no DNS server answers: is there a connection? --resolver ADDRESS names another server".to_owned()),
    }
}

async fn takes_mail(resolver: &TokioResolver, domain: &str) -> Why {
    let Ok(name) = Name::from_ascii(format!("{domain}.")) else { return Why::DnsFailed };
    match resolver.lookup(name.clone(), RecordType::MX).await {
        Ok(found) => {
            let servers = found.answers().iter().filter_map(|record| match &record.data {
                RData::MX(server) => Some(server.exchange.is_root()),
                _ => None,
            });
            let are_null: Vec<bool> = servers.collect();
            match are_null.as_slice() {
                [] => has_address(resolver, name).await,
                all if all.iter().all(|is_null| *is_null) => Why::TakesNoMail,
                _ => Why::HasMailServer,
            }
        }
        Err(error) => match missing(&error) {
            Some(Missing::Domain) => Why::NoSuchDomain,
            Some(Missing::Records) => has_address(resolver, name).await,
            None => Why::DnsFailed,
        },
    }
}

/// A domain without mail servers takes mail at its own address, if it has one.
async fn has_address(resolver: &TokioResolver, name: Name) -> Why {
    for kind in [RecordType::A, RecordType::AAAA] {
        match resolver.lookup(name.clone(), kind).await {
            Ok(found) if found.answers().iter().any(|record| record.record_type() == kind) => {
                return Why::HasMailServer;
            }
            Ok(_) => {}
            Err(error) => match missing(&error) {
                Some(_) => {}
                None => return Why::DnsFailed,
            },
        }
    }
    Why::NoMailServer
}

/// The most mail servers of a domain that are tried, and the most addresses of each.
const MOST_SERVERS: usize = 3;
const MOST_ADDRESSES: usize = 2;

/// The mail servers of a domain in the order in which they are to be tried (RFC 5321, section 5.1), each with an address; of
/// equal ones by name, so that two checks go alike. Says why where none can be asked; that is never certain, since the domain was
/// found to take mail before.
pub(crate) async fn mail_servers(
    resolver: &TokioResolver,
    domain: &str,
) -> std::result::Result<Vec<(String, IpAddr)>, Why> {
    let name = Name::from_ascii(format!("{domain}.")).map_err(|_| Why::DnsFailed)?;
    let mut servers: Vec<(u16, Name)> = match resolver.lookup(name.clone(), RecordType::MX).await {
        Ok(found) => {
            let of = |record: &Record| match &record.data {
                RData::MX(server) => Some((server.preference, server.exchange.clone())),
                _ => None,
            };
            found.answers().iter().filter_map(of).collect()
        }
        Err(error) => match missing(&error) {
            Some(Missing::Records) => Vec::new(),
            Some(Missing::Domain) | None => return Err(Why::DnsFailed),
        },
    };
    if servers.is_empty() {
        servers.push((0, name));
    }
    servers.sort_unstable();
    let mut found = Vec::new();
    for (_, server) in servers.into_iter().filter(|(_, server)| !server.is_root()).take(MOST_SERVERS) {
        let Ok(addresses) = resolver.lookup_ip(server.clone()).await else { continue };
        let mut addresses: Vec<IpAddr> = addresses.iter().collect();
        addresses.sort_unstable();
        let shown = server.to_ascii().trim_end_matches('.').to_owned();
        found.extend(addresses.into_iter().take(MOST_ADDRESSES).map(|address| (shown.clone(), address)));
    }
    if found.is_empty() { Err(Why::ServerUnreachable) } else { Ok(found) }
}

/// What a certain answer says is not there.
enum Missing {
    Domain,
    Records,
}

fn missing(error: &NetError) -> Option<Missing> {
    let NetError::Dns(DnsError::NoRecordsFound(found)) = error else { return None };
    match found.response_code {
        ResponseCode::NXDomain => Some(Missing::Domain),
        ResponseCode::NoError => Some(Missing::Records),
        _ => None,
    }
}
