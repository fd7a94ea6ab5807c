//! What a mail server says to one caller.

use super::world::{MailDomain, Manner};
use rustls::{ServerConfig, ServerConnection, StreamOwned};
use std::collections::HashSet;
use std::io::{BufRead, BufReader, Error, Read, Result, Write};
use std::net::TcpStream;
use std::sync::atomic::{AtomicBool, AtomicUsize, Ordering};
use std::sync::{Arc, Mutex};
use std::time::Duration;

/// How long it waits for a caller before it looks whether it shall end.
const LOOK_UP: Duration = Duration::from_millis(20);

/// The most bytes of something without an end; a caller who reads that far has no bounds.
const ENDLESS_BYTES: usize = 64 << 20;

/// What the servers heard.
#[derive(Debug, Default)]
pub struct Heard {
    /// The commands, in their order.
    pub commands: Mutex<Vec<String>>,
    /// The most connections that one server had at the same time.
    pub most_at_once: AtomicUsize,
}

/// A server, as each of its conversations sees it.
#[derive(Debug, Clone)]
pub struct Conversation {
    /// The domain that it serves.
    pub domain: MailDomain,
    /// Its certificate.
    pub encryption: Arc<ServerConfig>,
    /// What was heard by all.
    pub heard: Arc<Heard>,
    /// Whom it put off already.
    pub put_off: Arc<Mutex<HashSet<String>>>,
    /// Whether all shall end.
    pub is_over: Arc<AtomicBool>,
}

/// What comes after a command.
enum After {
    GoOn,
    Encrypt,
    Close,
}

impl Conversation {
    /// Talks to a caller until one of the two has enough.
    pub fn hold(&self, stream: TcpStream) -> Result<()> {
        stream.set_nonblocking(false)?;
        stream.set_read_timeout(Some(LOOK_UP))?;
        stream.set_write_timeout(Some(Duration::from_secs(5)))?;
        let mut stream = BufReader::new(stream);
        match self.domain.how {
            Manner::DropsAtOnce => return Ok(()),
            Manner::Silent => return self.wait_for_the_end(&mut stream),
            Manner::EndlessLine => return self.endless(stream.get_mut(), b"220 ", b"and so on "),
            Manner::EndlessReply => return self.endless(stream.get_mut(), b"", b"220-and so on\r\n"),
            Manner::Nonsense => return self.say(&mut stream, "\u{1}\u{2}HTTP/1.1 400 Bad Request\r\n\r\n"),
            Manner::RefusesAll => return self.say(&mut stream, "554 5.7.1 No service for you\r\n"),
            _ => self.say(&mut stream, "220 mx.standin.example ESMTP\r\n")?,
        }
        if let After::Encrypt = self.answer_all(&mut stream, false)? {
            let connection = ServerConnection::new(Arc::clone(&self.encryption)).map_err(Error::other)?;
            let mut stream = BufReader::new(StreamOwned::new(connection, stream.into_inner()));
            self.answer_all(&mut stream, true)?;
        }
        Ok(())
    }

    fn answer_all(&self, stream: &mut BufReader<impl Read + Write>, is_encrypted: bool) -> Result<After> {
        let mut recipients = 0;
        loop {
            let Some(line) = self.command(stream)? else { return Ok(After::Close) };
            self.heard.commands.lock().expect("no server panics while it notes a command").push(line.clone());
            let (reply, after) = self.reply(&line, is_encrypted, &mut recipients);
            self.say(stream, &reply)?;
            match after {
                After::GoOn => {}
                end => return Ok(end),
            }
        }
    }

    fn reply(&self, line: &str, is_encrypted: bool, recipients: &mut u32) -> (String, After) {
        let how = self.domain.how;
        let said = |reply: &str| (format!("{reply}\r\n"), After::GoOn);
        let verb = line.split([' ', ':']).next().unwrap_or_default().to_ascii_uppercase();
        let is_hello = matches!(verb.as_str(), "EHLO" | "HELO" | "STARTTLS" | "QUIT");
        if how == Manner::OnlyEncrypted && !is_encrypted && !is_hello {
            return said("530 5.7.0 Must issue a STARTTLS command first");
        }
        match verb.as_str() {
            "EHLO" if how == Manner::OnlyHelo => said("502 5.5.1 Not known here"),
            "EHLO" if self.offers_encryption() && !is_encrypted => {
                said("250-mx.standin.example\r\n250-STARTTLS\r\n250 ENHANCEDSTATUSCODES")
            }
            "EHLO" => said("250-mx.standin.example\r\n250 ENHANCEDSTATUSCODES"),
            "HELO" => said("250 mx.standin.example"),
            "STARTTLS" if how == Manner::BreaksEncryption => {
                ("220 Go ahead\r\n\u{15}nonsense nonsense nonsense".to_owned(), After::Close)
            }
            "STARTTLS" if how == Manner::Injects => {
                ("220 Go ahead\r\n250 2.1.5 Injected\r\n".to_owned(), After::Encrypt)
            }
            "STARTTLS" if self.offers_encryption() => ("220 Go ahead\r\n".to_owned(), After::Encrypt),
            "MAIL" if how == Manner::RefusesSenders => said("553 5.1.8 Sender address rejected"),
            "MAIL" => said("250 2.1.0 Ok"),
            "RCPT" => {
                *recipients += 1;
                match how {
                    Manner::DropsMidway if *recipients > 1 => (String::new(), After::Close),
                    Manner::EndsMidway if *recipients > 2 => ("421 4.3.2 Closing\r\n".to_owned(), After::Close),
                    _ => said(self.recipient(line)),
                }
            }
            "QUIT" => ("221 2.0.0 Bye\r\n".to_owned(), After::Close),
            _ => said("502 5.5.1 Not known here"),
        }
    }

    fn offers_encryption(&self) -> bool {
        use Manner::{BreaksEncryption, Encrypts, Injects, OnlyEncrypted};
        matches!(self.domain.how, Encrypts | OnlyEncrypted | BreaksEncryption | Injects)
    }

    fn recipient(&self, line: &str) -> &'static str {
        let address = line.split(['<', '>']).nth(1).unwrap_or_default();
        let local = address.rsplit_once('@').map_or(address, |(local, _)| local);
        let knows = self.domain.knows.iter().any(|known| known == local);
        let is_first_time =
            || self.put_off.lock().expect("no server panics while it notes somebody").insert(address.to_owned());
        match self.domain.how {
            Manner::AcceptsAll => "250 2.1.5 Ok",
            Manner::PutsOff => "451 4.7.1 Try again later",
            Manner::Greylists if is_first_time() => "451 4.7.1 Greylisted, try again later",
            Manner::RefusesByPolicy => "550 5.7.1 Your network is listed",
            Manner::Full if knows => "452 4.2.2 Mailbox full",
            Manner::Disabled if knows => "550 5.2.1 The account is disabled",
            _ if knows => "250 2.1.5 Ok",
            Manner::RefusesUnclearly => "550 Requested action not taken",
            _ => "550 5.1.1 No such mailbox here",
        }
    }

    /// The next line; none where the caller is gone, or all shall end.
    fn command(&self, stream: &mut impl BufRead) -> Result<Option<String>> {
        let mut line = Vec::new();
        loop {
            match stream.read_until(b'\n', &mut line) {
                Ok(_) if line.ends_with(b"\n") => {
                    return Ok(Some(String::from_utf8_lossy(&line).trim_end().to_owned()));
                }
                Ok(_) => return Ok(None),
                Err(cause) if is_pause(&cause) && !self.is_over.load(Ordering::Relaxed) => {}
                Err(cause) if is_pause(&cause) => return Ok(None),
                Err(cause) => return Err(cause),
            }
        }
    }

    fn say(&self, stream: &mut BufReader<impl Read + Write>, reply: &str) -> Result<()> {
        let stream = stream.get_mut();
        if self.domain.how != Manner::Slow {
            stream.write_all(reply.as_bytes())?;
            return stream.flush();
        }
        for byte in reply.as_bytes() {
            if self.is_over.load(Ordering::Relaxed) {
                break;
            }
            stream.write_all(&[*byte])?;
            stream.flush()?;
            std::thread::sleep(Duration::from_millis(250));
        }
        Ok(())
    }

    fn endless(&self, stream: &mut TcpStream, first: &[u8], again: &[u8]) -> Result<()> {
        stream.write_all(first)?;
        let chunk = again.repeat(1_000);
        for _ in 0..ENDLESS_BYTES / chunk.len() {
            if self.is_over.load(Ordering::Relaxed) {
                break;
            }
            stream.write_all(&chunk)?;
        }
        Ok(())
    }

    /// Until the caller is gone.
    fn wait_for_the_end(&self, stream: &mut impl BufRead) -> Result<()> {
        while self.command(stream)?.is_some() {}
        Ok(())
    }
}

fn is_pause(cause: &Error) -> bool {
    matches!(cause.kind(), std::io::ErrorKind::WouldBlock | std::io::ErrorKind::TimedOut)
}
