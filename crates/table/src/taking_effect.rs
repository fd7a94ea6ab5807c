//! The moments in which what a command does takes effect: files put in place, a change of the bank committed. A program that
//! was asked to end ends between them, and knows whether one has passed.

use std::sync::atomic::{AtomicBool, Ordering};
use std::sync::{Mutex, MutexGuard, PoisonError};

static IN_EFFECT: Mutex<()> = Mutex::new(());
static HAS_TAKEN_EFFECT: AtomicBool = AtomicBool::new(false);

/// Held while something takes effect.
#[derive(Debug)]
pub struct TakingEffect {
    _held: MutexGuard<'static, ()>,
}

impl Drop for TakingEffect {
    fn drop(&mut self) {
        HAS_TAKEN_EFFECT.store(true, Ordering::Release);
    }
}

/// From here on until it is dropped, something takes effect. Waits for ever where the program is about to end.
#[must_use]
pub fn taking_effect() -> TakingEffect {
    TakingEffect { _held: IN_EFFECT.lock().unwrap_or_else(PoisonError::into_inner) }
}

/// Whether anything has taken effect.
pub fn has_taken_effect() -> bool {
    HAS_TAKEN_EFFECT.load(Ordering::Acquire)
}

/// Waits until nothing is taking effect, and lets nothing take effect from then on; says whether anything had.
pub fn stop_effects() -> bool {
    std::mem::forget(IN_EFFECT.lock().unwrap_or_else(PoisonError::into_inner));
    has_taken_effect()
}
