//! The log of a command: what its stages did, and when. It goes into the receipt (`log.jsonl`), and with `--verbose` to stderr.
//!
//! Stages log counts and names of files, never an address. Crates of others are not listened to.

use crate::render::{Screen, harmless};
use serde_json::{Map, Value};
use std::fmt::{Debug, Write as _};
use std::io::Write as _;
use std::sync::{Mutex, OnceLock, PoisonError};
use std::time::Instant;
use tracing::field::{Field, Visit};
use tracing::span::{Attributes, Id, Record};
use tracing::{Event, Metadata, Subscriber};

/// Whose events are logged.
const OWN: &str = "pebblebank";

/// What was logged so far.
static LINES: Mutex<Vec<u8>> = Mutex::new(Vec::new());

/// When the command began.
static BEGUN: OnceLock<Instant> = OnceLock::new();

/// Begins to log; with `speaks` on stderr, too.
pub fn begin(speaks: bool) {
    BEGUN.get_or_init(Instant::now);
    // Nobody else has set one: this is called once, by `main`.
    let _ = tracing::subscriber::set_global_default(Log { speaks });
}

/// What was logged so far: a JSON object a line.
pub fn lines() -> Vec<u8> {
    LINES.lock().unwrap_or_else(PoisonError::into_inner).clone()
}

struct Log {
    speaks: bool,
}

impl Subscriber for Log {
    fn enabled(&self, about: &Metadata<'_>) -> bool {
        about.is_event() && about.target().starts_with(OWN)
    }

    fn event(&self, event: &Event<'_>) {
        let milliseconds = BEGUN.get().map_or(0, |begun| begun.elapsed().as_millis());
        let mut line = Line(Map::new());
        line.0.insert("milliseconds".to_owned(), u64::try_from(milliseconds).unwrap_or(u64::MAX).into());
        event.record(&mut line);
        if self.speaks {
            // Whoever closed stderr wants no log.
            let _ = writeln!(std::io::stderr(), "{}", line.in_words());
        }
        let mut lines = LINES.lock().unwrap_or_else(PoisonError::into_inner);
        let _ = writeln!(lines, "{}", Value::Object(line.0));
    }

    fn new_span(&self, _: &Attributes<'_>) -> Id {
        Id::from_u64(1)
    }

    fn record(&self, _: &Id, _: &Record<'_>) {}

    fn record_follows_from(&self, _: &Id, _: &Id) {}

    fn enter(&self, _: &Id) {}

    fn exit(&self, _: &Id) {}
}

/// A line: when, what, and its counts and names.
struct Line(Map<String, Value>);

/// The key of what happened.
const WHAT: &str = "what";

impl Line {
    fn put(&mut self, field: &Field, value: Value) {
        let key = if field.name() == "message" { WHAT } else { field.name() };
        self.0.insert(key.to_owned(), value);
    }

    /// The line as people read it.
    fn in_words(&self) -> String {
        let milliseconds = self.0["milliseconds"].as_u64().unwrap_or_default();
        let (seconds, thousandths) = (milliseconds / 1_000, milliseconds % 1_000);
        let what = self.0.get(WHAT).and_then(Value::as_str).unwrap_or_default();
        let mut text = format!("{seconds:>4}.{thousandths:03} s  {what}");
        for (key, value) in self.0.iter().filter(|(key, _)| !["milliseconds", WHAT].contains(&key.as_str())) {
            let value = value.as_str().map_or_else(|| value.to_string(), str::to_owned);
            let _ = write!(text, "  {key} {value}");
        }
        harmless::for_screen(&text, &Screen::plain()).into_owned()
    }
}

impl Visit for Line {
    fn record_u64(&mut self, field: &Field, value: u64) {
        self.put(field, value.into());
    }

    fn record_i64(&mut self, field: &Field, value: i64) {
        self.put(field, value.into());
    }

    fn record_bool(&mut self, field: &Field, value: bool) {
        self.put(field, value.into());
    }

    fn record_str(&mut self, field: &Field, value: &str) {
        self.put(field, value.into());
    }

    fn record_debug(&mut self, field: &Field, value: &dyn Debug) {
        self.put(field, format!("{value:?}").into());
    }
}
