//! The machine, the clock and the options → how a run is to be done.

use crate::arguments::Shared;
use crate::log;
use pebblebank_core::run::setting::{Setting, threads_of_this_machine};
use pebblebank_values::date::Date;

/// The time, read once.
pub struct Now {
    /// The day, as in `2026-03-02`.
    pub today: String,
    /// The moment, as RFC 3339 has it.
    pub moment: String,
}

impl Now {
    /// Reads the clock.
    pub fn read() -> Now {
        let now = jiff::Zoned::now();
        Now { today: now.date().to_string(), moment: now.timestamp().to_string() }
    }
}

impl Now {
    /// The day, as the core counts days.
    pub fn day(&self) -> Date {
        Date::from_iso(&self.today).unwrap_or(Date { year: 1970, month: 1, day: 1 })
    }
}

/// The most memory that this process had so far, as Linux tells it (proc(5), `VmHWM`); nothing elsewhere.
fn peak_memory() -> Option<u64> {
    let status = std::fs::read_to_string("/proc/self/status").ok()?;
    let kib = status.lines().find_map(|line| line.strip_prefix("VmHWM:"))?.trim().strip_suffix(" kB")?;
    kib.trim().parse::<u64>().ok().map(|kib| kib << 10)
}

/// How a run is to be done.
pub fn setting(shared: &Shared, dry_run: bool, now: &Now) -> Setting {
    Setting {
        threads: shared.threads.map_or_else(threads_of_this_machine, usize::from),
        memory: shared.memory,
        dry_run,
        preview_rows: 20,
        spool_folder: std::env::temp_dir(),
        started: now.moment.clone(),
        arguments: std::env::args_os().skip(1).map(|word| word.to_string_lossy().into_owned()).collect(),
        folder: std::env::current_dir().map(|folder| folder.display().to_string()).unwrap_or_default(),
        peak_memory,
        log: log::lines,
    }
}
