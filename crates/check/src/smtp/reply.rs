//! Replies of a mail server (RFC 5321, section 4.2), read within bounds: a server may send lines and replies without an end.

use std::io::{Error, ErrorKind, Result};
use tokio::io::{AsyncRead, AsyncReadExt};

/// The longest line of a reply, in bytes; RFC 5321 allows 512.
const MAX_LINE_BYTES: usize = 2_048;

/// The most lines of one reply.
const MAX_LINES: usize = 100;

/// A reply: its code, and the text of its lines.
#[derive(Debug, Clone, Default, PartialEq, Eq)]
pub struct Reply {
    /// The code, 200 to 599.
    pub code: u16,
    /// The text behind the code, a line each, with control characters and bytes beyond UTF-8 replaced.
    pub lines: Vec<String>,
}

impl Reply {
    /// The first digit of the code: 2 done, 3 go on, 4 not now, 5 no.
    pub fn class(&self) -> u16 {
        self.code / 100
    }

    /// The enhanced status code at the start of the text (RFC 3463), such as 5.1.1.
    pub fn enhanced(&self) -> Option<(u16, u16, u16)> {
        let word = self.lines.first()?.split_whitespace().next()?;
        let mut parts = word.trim_start_matches('#').split('.').map(|part| part.parse::<u16>().ok());
        let code = (parts.next()??, parts.next()??, parts.next()??);
        (parts.next().is_none() && matches!(code.0, 2 | 4 | 5)).then_some(code)
    }

    /// All of the text, in lower case.
    pub fn text(&self) -> String {
        self.lines.join(" ").to_lowercase()
    }

    /// Whether the server offers this extension in its answer to EHLO.
    pub fn offers(&self, extension: &str) -> bool {
        let is_it =
            |line: &String| line.split_whitespace().next().is_some_and(|word| word.eq_ignore_ascii_case(extension));
        self.lines.iter().skip(1).any(is_it)
    }
}

/// Reads replies from a connection.
#[derive(Debug, Default)]
pub struct ReplyReader {
    buffer: Vec<u8>,
}

impl ReplyReader {
    /// Whether bytes have come that nobody asked for yet.
    pub fn has_more(&self) -> bool {
        !self.buffer.is_empty()
    }

    /// The next reply.
    ///
    /// # Errors
    ///
    /// [`ErrorKind::InvalidData`] for what is no reply, or longer than any reply; [`ErrorKind::UnexpectedEof`] where the server
    /// broke off. It waits as long as the server does: whoever calls sets the time limit.
    pub async fn next(&mut self, from: &mut (impl AsyncRead + Unpin)) -> Result<Reply> {
        let mut reply = Reply::default();
        loop {
            let line = self.line(from).await?;
            let (code, is_last, text) = parts(&line)?;
            if reply.code != 0 && reply.code != code {
                return Err(nonsense("a reply with two codes"));
            }
            reply.code = code;
            reply.lines.push(text);
            if is_last {
                return Ok(reply);
            }
            if reply.lines.len() == MAX_LINES {
                return Err(nonsense("a reply without an end"));
            }
        }
    }

    async fn line(&mut self, from: &mut (impl AsyncRead + Unpin)) -> Result<Vec<u8>> {
        let mut chunk = [0; 1_024];
        loop {
            if let Some(end) = memchr::memchr(b'\n', &self.buffer) {
                let mut line: Vec<u8> = self.buffer.drain(..=end).collect();
                line.pop();
                if line.last() == Some(&b'\r') {
                    line.pop();
                }
                return if line.len() > MAX_LINE_BYTES { Err(nonsense("a line without an end")) } else { Ok(line) };
            }
            if self.buffer.len() > MAX_LINE_BYTES {
                return Err(nonsense("a line without an end"));
            }
            match from.read(&mut chunk).await? {
                0 => return Err(ErrorKind::UnexpectedEof.into()),
                count => self.buffer.extend_from_slice(&chunk[..count]),
            }
        }
    }
}

fn nonsense(what: &'static str) -> Error {
    Error::new(ErrorKind::InvalidData, what)
}

/// The code of a line, whether it is the last of its reply, and its text.
fn parts(line: &[u8]) -> Result<(u16, bool, String)> {
    let digits = line.get(..3).filter(|digits| digits.iter().all(u8::is_ascii_digit));
    let digits = digits.and_then(|digits| std::str::from_utf8(digits).ok()?.parse().ok());
    let code: u16 = digits.filter(|code| (200..600).contains(code)).ok_or_else(|| nonsense("no reply code"))?;
    let is_last = match line.get(3) {
        None | Some(b' ') => true,
        Some(b'-') => false,
        Some(_) => return Err(nonsense("no reply code")),
    };
    let text = String::from_utf8_lossy(line.get(4..).unwrap_or_default());
    Ok((code, is_last, text.replace(char::is_control, " ").trim().to_owned()))
}

#[cfg(test)]
mod tests {
    use super::*;

    fn read(mut bytes: &[u8]) -> Result<Reply> {
        let runtime = tokio::runtime::Builder::new_current_thread().build().expect("a runtime");
        runtime.block_on(ReplyReader::default().next(&mut bytes))
    }

    #[rstest::rstest]
    #[case(b"250 2.1.5 Ok\r\n", 250, Some((2, 1, 5)), "2.1.5 ok")]
    #[case(b"550-5.1.1 The mailbox\r\n550 5.1.1 does not exist\r\n", 550, Some((5, 1, 1)), "5.1.1 the mailbox 5.1.1 does not exist")]
    #[case(b"550 #5.1.0 Address rejected.\n", 550, Some((5, 1, 0)), "#5.1.0 address rejected.")]
    #[case(b"452\r\n", 452, None, "")]
    #[case(b"550 no such user 5.1.1\r\n", 550, None, "no such user 5.1.1")]
    fn replies_are_read(
        #[case] bytes: &[u8],
        #[case] code: u16,
        #[case] enhanced: Option<(u16, u16, u16)>,
        #[case] text: &str,
    ) {
        let reply = read(bytes).expect("a reply");
        assert_eq!((reply.code, reply.enhanced(), reply.text().as_str()), (code, enhanced, text));
    }

    #[rstest::rstest]
    #[case(b"hello there\r\n".to_vec(), ErrorKind::InvalidData)]
    #[case(b"250-one\r\n550 two\r\n".to_vec(), ErrorKind::InvalidData)]
    #[case(b"999 what\r\n".to_vec(), ErrorKind::InvalidData)]
    #[case(b"250x\r\n".to_vec(), ErrorKind::InvalidData)]
    #[case(vec![b'2'; 1 << 20], ErrorKind::InvalidData)]
    #[case([b"250 ".to_vec(), vec![b'x'; 3_000], b"\r\n".to_vec()].concat(), ErrorKind::InvalidData)]
    #[case(b"250-again\r\n".repeat(1 << 16), ErrorKind::InvalidData)]
    #[case(b"250-and then".to_vec(), ErrorKind::UnexpectedEof)]
    #[case(Vec::new(), ErrorKind::UnexpectedEof)]
    fn what_is_no_reply_is_an_error(#[case] bytes: Vec<u8>, #[case] kind: ErrorKind) {
        assert_eq!(read(&bytes).expect_err("no reply").kind(), kind);
    }
}
