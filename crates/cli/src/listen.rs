//! Ctrl-C, and the system's wish that the program end: it ends in good order if it can, and at once where it waits for
//! something. Nothing is half done either way.

use crate::finish;
use crate::interrupts::{ask_to_stop, end_asking, exit_status};
use crate::render::Screen;
use pebblebank_table::Error;
use pebblebank_table::staged::clear_all_parts;
use pebblebank_table::taking_effect::{has_taken_effect, stop_effects};
use std::sync::Arc;
use std::time::Duration;

/// How long the program may take to end in good order before it ends at once: shorter than anybody waits.
const GOOD_ORDER: Duration = Duration::from_millis(300);

/// How much longer where something took effect already, and its account is still to be given.
const AFTER_EFFECT: Duration = Duration::from_millis(150);

/// How long it may take to say so.
const TO_SAY_SO: Duration = Duration::from_millis(100);

/// Ctrl-C. The numbers are those of POSIX.
const SIGINT: i32 = 2;

/// A file would be larger than the program may make one.
#[cfg(unix)]
const SIGXFSZ: i32 = 25;

/// Begins to listen.
#[cfg(unix)]
pub fn listen(screen: Screen) {
    use signal_hook::consts::{SIGHUP, SIGTERM};
    // A file that grows beyond what is allowed is then an error of writing, like a full disk, and not the end.
    let _ = signal_hook::flag::register(SIGXFSZ, Arc::default());
    // Without the handler the system's own way stands: the program ends, and outputs are still all or nothing.
    let Ok(mut signals) = signal_hook::iterator::Signals::new([SIGINT, SIGTERM, SIGHUP]) else { return };
    let _ = std::thread::Builder::new().name("interrupts".to_owned()).spawn(move || {
        for signal in signals.forever() {
            if signal != SIGINT || !end_asking() {
                end(signal, &screen);
            }
        }
    });
}

/// Begins to listen.
#[cfg(not(unix))]
pub fn listen(screen: Screen) {
    let _ = ctrlc::set_handler(move || {
        if !end_asking() {
            end(SIGINT, &screen);
        }
    });
}

/// Lets the program end in good order, and ends it where it does not.
fn end(signal: i32, screen: &Screen) {
    ask_to_stop(signal);
    std::thread::sleep(GOOD_ORDER);
    if has_taken_effect() {
        std::thread::sleep(AFTER_EFFECT);
    }
    let error = if stop_effects() { Error::interrupted_after_effect() } else { Error::interrupted() };
    clear_all_parts();
    // Whoever waits for a screen that nobody reads may hold it.
    let (said, is_said) = std::sync::mpsc::channel();
    let (screen, status) = (*screen, exit_status(&error));
    let spawned = std::thread::Builder::new().spawn(move || {
        finish::say_interrupted(&error, &screen);
        let _ = said.send(());
    });
    if spawned.is_ok() {
        let _ = is_said.recv_timeout(TO_SAY_SO);
    }
    std::process::exit(i32::from(status));
}
