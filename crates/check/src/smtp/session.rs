//! One connection to a mail server (RFC 5321): greeting, EHLO, STARTTLS where offered, MAIL FROM, RCPT TO, QUIT; never DATA, so
//! that nothing is ever sent.

use super::reply::{Reply, ReplyReader};
use super::tls;
use std::io::{Error, ErrorKind, Result};
use std::net::SocketAddr;
use std::time::Duration;
use tokio::io::{AsyncRead, AsyncWrite, AsyncWriteExt};
use tokio::net::TcpStream;
use tokio::time::{Instant, timeout, timeout_at};

/// How long a server may take over a good-bye that nobody needs.
const GOOD_BYE: Duration = Duration::from_secs(1);

/// How this machine presents itself.
#[derive(Debug, Clone)]
pub struct Presenting {
    /// The name to greet with (RFC 5321, section 4.1.1.1).
    pub hello: String,
    /// The sender; blank for none, as reports have it.
    pub sender: String,
}

/// What a server offers.
#[derive(Debug, Clone, Copy, Default, PartialEq, Eq)]
pub struct Offers {
    /// Addresses beyond ASCII (RFC 6531).
    pub utf8: bool,
}

/// Why a connection came to nothing.
#[derive(Debug)]
pub enum Failure {
    /// Nobody answered at this address.
    Unreachable,
    /// The server broke off, was too slow, or made no sense.
    Fault,
    /// Encryption failed; without it the server may answer.
    Tls,
    /// The server refuses this machine or this sender.
    RefusesUs,
    /// The server asks to come again later.
    Later,
}

impl From<Error> for Failure {
    fn from(_: Error) -> Failure {
        Failure::Fault
    }
}

trait Stream: AsyncRead + AsyncWrite + Unpin + Send {}
impl<T: AsyncRead + AsyncWrite + Unpin + Send> Stream for T {}

/// A connection on which recipients can be asked for.
pub struct Session {
    stream: Box<dyn Stream>,
    replies: ReplyReader,
    offers: Offers,
    patience: Duration,
}

impl Session {
    /// Connects, greets, and names the sender: all of it within `patience`.
    ///
    /// # Errors
    ///
    /// What became of it instead.
    pub async fn open(
        server: SocketAddr,
        server_name: &str,
        presenting: &Presenting,
        (encrypts, needs_utf8): (bool, bool),
        patience: Duration,
    ) -> std::result::Result<Session, Failure> {
        let until = Instant::now() + patience;
        let connected = timeout_at(until, TcpStream::connect(server)).await;
        let Ok(Ok(stream)) = connected else { return Err(Failure::Unreachable) };
        // A server that accepts and then says nothing is one that broke off, however long that takes.
        let greeted = timeout_at(until, greet(stream, server_name, presenting, encrypts, patience)).await;
        let mut session = greeted.map_err(|_| Failure::Fault)??;
        let utf8 = if needs_utf8 && session.offers.utf8 { " SMTPUTF8" } else { "" };
        let from = format!("MAIL FROM:<{}>{utf8}\r\n", presenting.sender);
        let reply = timeout_at(until, session.ask(&from)).await.map_err(|_| Failure::Fault)??;
        match reply.class() {
            2 => Ok(session),
            class => {
                session.quit().await;
                Err(if class == 4 { Failure::Later } else { Failure::RefusesUs })
            }
        }
    }

    /// What the server offers.
    pub fn offers(&self) -> Offers {
        self.offers
    }

    /// What the server says of a recipient, within the patience for one.
    ///
    /// # Errors
    ///
    /// Where the server breaks off, takes too long, or makes no sense.
    pub async fn recipient(&mut self, address: &str) -> Result<Reply> {
        let is_safe = |sign: char| !sign.is_control() && !sign.is_whitespace() && !matches!(sign, '<' | '>');
        if !address.chars().all(is_safe) {
            return Err(ErrorKind::InvalidInput.into());
        }
        let command = format!("RCPT TO:<{address}>\r\n");
        timeout(self.patience, self.ask(&command)).await.map_err(|_| Error::from(ErrorKind::TimedOut))?
    }

    /// Says good-bye.
    pub async fn quit(mut self) {
        // Whatever comes of it, the connection ends.
        let _ = timeout(GOOD_BYE, self.ask("QUIT\r\n")).await;
    }

    async fn ask(&mut self, command: &str) -> Result<Reply> {
        self.stream.write_all(command.as_bytes()).await?;
        self.stream.flush().await?;
        self.replies.next(&mut self.stream).await
    }
}

async fn greet(
    stream: TcpStream,
    server_name: &str,
    presenting: &Presenting,
    encrypts: bool,
    patience: Duration,
) -> std::result::Result<Session, Failure> {
    let stream = Box::new(stream);
    let mut session = Session { stream, replies: ReplyReader::default(), offers: Offers::default(), patience };
    let greeting = session.replies.next(&mut session.stream).await?;
    match greeting.class() {
        2 => {}
        class => {
            session.quit().await;
            return Err(if class == 4 { Failure::Later } else { Failure::RefusesUs });
        }
    }
    let mut hello = say_hello(&mut session, presenting).await?;
    if encrypts && hello.offers("STARTTLS") && session.ask("STARTTLS\r\n").await?.class() == 2 {
        // Bytes that came before the encryption began are nobody's: they could be a third party's replies.
        if session.replies.has_more() {
            return Err(Failure::Tls);
        }
        session.stream = match tls::encrypt(session.stream, server_name).await {
            Ok(stream) => Box::new(stream),
            Err(_) => return Err(Failure::Tls),
        };
        hello = say_hello(&mut session, presenting).await?;
    }
    session.offers = Offers { utf8: hello.offers("SMTPUTF8") };
    Ok(session)
}

/// EHLO, or HELO where the server knows no other.
async fn say_hello(session: &mut Session, presenting: &Presenting) -> std::result::Result<Reply, Failure> {
    let hello = session.ask(&format!("EHLO {}\r\n", presenting.hello)).await?;
    match hello.class() {
        2 => return Ok(hello),
        4 => return Err(Failure::Later),
        _ => {}
    }
    let hello = session.ask(&format!("HELO {}\r\n", presenting.hello)).await?;
    match hello.class() {
        2 => Ok(hello),
        4 => Err(Failure::Later),
        _ => Err(Failure::RefusesUs),
    }
}
