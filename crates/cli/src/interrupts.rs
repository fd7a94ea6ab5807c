//! Whether the program was asked to end, and by which signal.

use pebblebank_table::{Error, ErrorKind, Result};
use std::sync::atomic::{AtomicBool, AtomicI32, Ordering};

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

/// Whether others are being asked: the first Ctrl-C then ends the asking, and what they answered is still written.
static IS_ASKING: AtomicBool = AtomicBool::new(false);

/// Whether the asking was asked to end.
static ENDS_ASKING: AtomicBool = AtomicBool::new(false);

/// While it lives, the first Ctrl-C ends the asking alone.
#[derive(Debug)]
pub struct WhileAsking(());

impl WhileAsking {
    /// Others are asked from now on.
    pub fn begin() -> WhileAsking {
        IS_ASKING.store(true, Ordering::Relaxed);
        WhileAsking(())
    }
}

impl Drop for WhileAsking {
    fn drop(&mut self) {
        IS_ASKING.store(false, Ordering::Relaxed);
    }
}

/// Ends the asking, if others are being asked and nobody ended that before; says whether it did.
pub fn end_asking() -> bool {
    IS_ASKING.load(Ordering::Relaxed) && !ENDS_ASKING.swap(true, Ordering::Relaxed)
}

/// Whether others shall not be asked any more.
pub fn wants_end_of_asking() -> bool {
    ENDS_ASKING.load(Ordering::Relaxed) || wants_stop()
}
