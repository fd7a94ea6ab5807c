//! Whether the program was asked to end, and by which signal.

use pebblebank_table::{Error, ErrorKind, Result};
use std::sync::atomic::{AtomicI32, Ordering};

/// The signal that came first; 0 for none.
static SIGNAL: AtomicI32 = AtomicI32::new(0);

/// Whether the program was asked to end.
pub fn wants_stop() -> bool {
    SIGNAL.load(Ordering::Relaxed) != 0
}

/// Fails where the program was asked to end: before anything takes effect.
pub fn stop_if_asked() -> Result<()> {
    if wants_stop() { Err(Error::interrupted()) } else { Ok(()) }
}

/// The exit status of an error: 128 and the signal where one ended the work.
pub fn exit_status(error: &Error) -> u8 {
    match (error.kind(), SIGNAL.load(Ordering::Relaxed)) {
        (ErrorKind::Interrupted, signal @ 1..) => u8::try_from(128 + signal).unwrap_or(130),
        _ => error.exit_status(),
    }
}

/// Notes that the program was asked to end.
pub fn ask_to_stop(signal: i32) {
    SIGNAL.store(signal, Ordering::Relaxed);
}
