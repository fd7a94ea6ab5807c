//! The text of a job file, line by line. Whatever comes from files goes into it as a TOML string or into a comment, and
//! can begin no line of its own.

use pebblebank_table::unseen::is_invisible;
use std::fmt::Write;
use std::path::{Component, Path, PathBuf};

/// A job file that is being written.
#[derive(Debug, Default)]
pub(super) struct JobText {
    text: String,
}

impl JobText {
    /// The whole text.
    pub fn into_text(self) -> String {
        self.text
    }

    /// Adds a line of TOML; what stands in it from outside is [`quoted`].
    pub fn line(&mut self, line: &str) {
        self.text.push_str(line.trim_end());
        self.text.push('\n');
    }

    /// Adds a comment, broken into lines of at most 110 characters. Line breaks and other control characters in it are
    /// shown as blanks, since what follows them would no longer be a comment.
    pub fn comment(&mut self, text: &str) {
        const MOST: usize = 108;
        let text = text.replace(is_hidden, " ");
        let mut line = String::from("#");
        // What stands in quotes is not broken.
        let mut is_quoted = false;
        let is_end = |c: char| {
            is_quoted ^= c == '"';
            c == ' ' && !is_quoted
        };
        for word in text.split(is_end).filter(|word| !word.is_empty()) {
            if line.chars().count() + 1 + word.chars().count() > MOST && line.len() > 1 {
                self.line(&line);
                line = String::from("#  ");
            }
            line.push(' ');
            line.push_str(word);
        }
        self.line(&line);
    }
}

/// What TOML does not allow in a comment, what somebody may take for the end of a line, and what nobody sees.
fn is_hidden(c: char) -> bool {
    c.is_control() || is_invisible(c) || matches!(c, '\u{2028}' | '\u{2029}')
}

/// A basic string of TOML.
pub(super) fn quoted(text: &str) -> String {
    let mut quoted = String::with_capacity(text.len() + 2);
    quoted.push('"');
    for c in text.chars() {
        match c {
            '"' => quoted.push_str("\\\""),
            '\\' => quoted.push_str("\\\\"),
            '\n' => quoted.push_str("\\n"),
            '\t' => quoted.push_str("\\t"),
            '\r' => quoted.push_str("\\r"),
            c if is_hidden(c) => {
                let _ = write!(quoted, "\\U{:08X}", c as u32);
            }
            c => quoted.push(c),
        }
    }
    quoted.push('"');
    quoted
}

/// The path as it is written in a job file in `folder`.
pub(super) fn relative(path: &Path, folder: &Path) -> String {
    let absolute = |path: &Path| {
        let path = if path.as_os_str().is_empty() { Path::new(".") } else { path };
        std::path::absolute(path).unwrap_or_else(|_| path.to_path_buf())
    };
    let (path, folder) = (absolute(path), absolute(folder));
    let clean = |path: &Path| {
        let mut parts: Vec<Component> = Vec::new();
        for part in path.components() {
            match part {
                Component::CurDir => {}
                Component::ParentDir if matches!(parts.last(), Some(Component::Normal(_))) => {
                    parts.pop();
                }
                part => parts.push(part),
            }
        }
        parts.iter().map(|part| part.as_os_str().to_owned()).collect::<Vec<_>>()
    };
    let (to, from) = (clean(&path), clean(&folder));
    let shared = to.iter().zip(&from).take_while(|(a, b)| a == b).count();
    // Far apart, the whole path is easier to read.
    if from.len() - shared > 3 || shared <= 1 {
        return path.display().to_string();
    }
    let up = std::iter::repeat_n(std::ffi::OsString::from(".."), from.len() - shared);
    up.chain(to[shared..].iter().cloned()).collect::<PathBuf>().display().to_string()
}
