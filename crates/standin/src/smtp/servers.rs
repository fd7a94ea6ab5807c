//! The servers: one address of the loopback for each domain, all on the same port.

use super::conversation::{Conversation, Heard};
use super::world::{MailDomain, MailWorld, Manner};
use rustls::ServerConfig;
use rustls::crypto::ring;
use std::collections::HashMap;
use std::io::{Error, ErrorKind, Result};
use std::net::{Ipv4Addr, TcpListener};
use std::sync::atomic::{AtomicBool, AtomicUsize, Ordering};
use std::sync::{Arc, Mutex};
use std::thread::JoinHandle;
use std::time::Duration;

/// How long a server sleeps between two looks whether somebody connects.
const LOOK_UP: Duration = Duration::from_millis(5);

/// How often another port is tried where one of the addresses has it in use.
const TRIES: usize = 20;

/// Mail servers that run until they are dropped.
#[derive(Debug)]
pub struct SmtpServers {
    port: u16,
    addresses: HashMap<String, Ipv4Addr>,
    heard: Arc<Heard>,
    is_over: Arc<AtomicBool>,
    threads: Vec<JoinHandle<()>>,
}

impl SmtpServers {
    /// Begins to answer for these domains.
    ///
    /// # Errors
    ///
    /// Where no port is free.
    pub fn begin(world: &MailWorld) -> Result<SmtpServers> {
        let mut domains: Vec<(&String, &MailDomain)> = world.domains.iter().collect();
        domains.sort_by_key(|(name, _)| *name);
        let addresses: HashMap<String, Ipv4Addr> =
            (2..).zip(&domains).map(|(number, (name, _))| ((*name).clone(), address(number))).collect();
        let listening: Vec<Ipv4Addr> = domains
            .iter()
            .filter(|(_, domain)| domain.how != Manner::Unreachable)
            .map(|(name, _)| addresses[*name])
            .collect();
        let (port, listeners) = listeners(&listening)?;
        let mut by_address: HashMap<Ipv4Addr, TcpListener> = listening.into_iter().zip(listeners).collect();
        let mut servers =
            SmtpServers { port, addresses, heard: Arc::default(), is_over: Arc::default(), threads: Vec::new() };
        let encryption = Arc::new(encryption()?);
        for (name, domain) in domains {
            let Some(listener) = by_address.remove(&servers.addresses[name]) else { continue };
            let conversation = Conversation {
                domain: domain.clone(),
                encryption: Arc::clone(&encryption),
                heard: Arc::clone(&servers.heard),
                put_off: Arc::new(Mutex::default()),
                is_over: Arc::clone(&servers.is_over),
            };
            let is_over = Arc::clone(&servers.is_over);
            servers.threads.push(std::thread::spawn(move || serve(&listener, &conversation, &is_over)));
        }
        Ok(servers)
    }

    /// The port of all of them.
    pub fn port(&self) -> u16 {
        self.port
    }

    /// Where each domain's server is, for the DNS that names it.
    pub fn addresses(&self) -> &HashMap<String, Ipv4Addr> {
        &self.addresses
    }

    /// The commands that they got, the recipients' with the address.
    pub fn commands(&self) -> Vec<String> {
        self.heard.commands.lock().expect("no server panics while it notes a command").clone()
    }

    /// The most connections that one of them had open at the same time.
    pub fn most_at_once(&self) -> usize {
        self.heard.most_at_once.load(Ordering::Relaxed)
    }
}

impl Drop for SmtpServers {
    fn drop(&mut self) {
        self.is_over.store(true, Ordering::Relaxed);
        for thread in self.threads.drain(..) {
            // Whoever drops it no longer asks how it ended.
            let _ = thread.join();
        }
    }
}

fn address(number: u8) -> Ipv4Addr {
    Ipv4Addr::new(127, 0, 0, number)
}

/// A listener on each address, all on one port.
fn listeners(addresses: &[Ipv4Addr]) -> Result<(u16, Vec<TcpListener>)> {
    for _ in 0..TRIES {
        let port = TcpListener::bind((Ipv4Addr::LOCALHOST, 0))?.local_addr()?.port();
        let bound: Result<Vec<TcpListener>> =
            addresses.iter().map(|address| TcpListener::bind((*address, port))).collect();
        match bound {
            Ok(listeners) => {
                for listener in &listeners {
                    listener.set_nonblocking(true)?;
                }
                return Ok((port, listeners));
            }
            Err(cause) if cause.kind() == ErrorKind::AddrInUse => {}
            Err(cause) => return Err(cause),
        }
    }
    Err(Error::from(ErrorKind::AddrInUse))
}

fn serve(listener: &TcpListener, conversation: &Conversation, is_over: &AtomicBool) {
    let open = Arc::new(AtomicUsize::new(0));
    let mut conversations = Vec::new();
    while !is_over.load(Ordering::Relaxed) {
        let Ok((stream, _)) = listener.accept() else {
            std::thread::sleep(LOOK_UP);
            continue;
        };
        let (conversation, open) = (conversation.clone(), Arc::clone(&open));
        conversations.push(std::thread::spawn(move || {
            let at_once = open.fetch_add(1, Ordering::Relaxed) + 1;
            conversation.heard.most_at_once.fetch_max(at_once, Ordering::Relaxed);
            // A caller that breaks off is no fault of the server's.
            let _ = conversation.hold(stream);
            open.fetch_sub(1, Ordering::Relaxed);
        }));
    }
    for conversation in conversations {
        // How it ended is said where it was held.
        let _ = conversation.join();
    }
}

/// A certificate of its own.
fn encryption() -> Result<ServerConfig> {
    let made = rcgen::generate_simple_self_signed(vec!["mx.standin.example".to_owned()]).map_err(Error::other)?;
    let key = rustls::pki_types::PrivateKeyDer::try_from(made.signing_key.serialize_der()).map_err(Error::other)?;
    ServerConfig::builder_with_provider(Arc::new(ring::default_provider()))
        .with_safe_default_protocol_versions()
        .map_err(Error::other)?
        .with_no_client_auth()
        .with_single_cert(vec![made.cert.der().clone()], key)
        .map_err(Error::other)
}
