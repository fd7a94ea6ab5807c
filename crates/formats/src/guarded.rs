//! A damaged file must end in an error, also where the library that reads it gives up by a panic.

use std::cell::Cell;
use std::panic::{AssertUnwindSafe, catch_unwind, set_hook, take_hook};
use std::sync::Once;

thread_local! {
    static IS_GUARDED: Cell<bool> = const { Cell::new(false) };
}

/// What `work` gives; none where it panicked, which is then said nowhere else.
pub(crate) fn guarded<T>(work: impl FnOnce() -> T) -> Option<T> {
    static QUIET: Once = Once::new();
    QUIET.call_once(|| {
        let loud = take_hook();
        set_hook(Box::new(move |panic| {
            if !IS_GUARDED.get() {
                loud(panic);
            }
        }));
    });
    let before = IS_GUARDED.replace(true);
    let result = catch_unwind(AssertUnwindSafe(work));
    IS_GUARDED.set(before);
    result.ok()
}
