//! Listens to a run: a progress bar for what takes longer than a second.

use crate::interrupts;
use crate::render::number;
use indicatif::{ProgressBar, ProgressDrawTarget, ProgressState, ProgressStyle};
use pebblebank_table::observe::{Observer, Progress, Stage};
use std::io::IsTerminal;
use std::sync::atomic::{AtomicU64, Ordering};
use std::sync::{Arc, Mutex};
use std::time::{Duration, Instant};

/// How long a run may take before it shows how far it is.
const SHOW_AFTER: Duration = Duration::from_secs(1);

/// Draws the progress of a run.
pub struct Drawn {
    begun: Instant,
    bar: Option<Mutex<ShownBar>>,
}

#[derive(Default)]
struct ShownBar {
    stage: Option<Stage>,
    bar: Option<ProgressBar>,
    rows: Arc<AtomicU64>,
    is_shown: bool,
}

impl Drawn {
    /// Draws on stderr, if that is a terminal and `is_wanted`.
    pub fn new(is_wanted: bool) -> Drawn {
        let bar = (is_wanted && std::io::stderr().is_terminal()).then(Mutex::default);
        Drawn { begun: Instant::now(), bar }
    }

    /// Takes the bar off the screen.
    pub fn finish(&self) {
        if let Some(Ok(mut shown)) = self.bar.as_ref().map(Mutex::lock)
            && let Some(bar) = shown.bar.take()
        {
            bar.finish_and_clear();
        }
    }
}

impl Observer for Drawn {
    fn progress(&self, progress: Progress) {
        let Some(bar) = &self.bar else { return };
        let Ok(mut shown) = bar.lock() else { return };
        if shown.stage != Some(progress.stage) {
            shown.stage = Some(progress.stage);
            shown.is_shown = false;
            let bar = new_bar(progress, &shown.rows);
            if let Some(earlier) = shown.bar.replace(bar) {
                earlier.finish_and_clear();
            }
        }
        shown.rows.store(progress.rows, Ordering::Relaxed);
        let Some(bar) = &shown.bar else { return };
        bar.set_position(progress.bytes);
        // What came before it is shown counts for the rate and the time left.
        if !shown.is_shown && self.begun.elapsed() >= SHOW_AFTER {
            bar.set_draw_target(ProgressDrawTarget::stderr_with_hz(8));
            shown.is_shown = true;
        }
    }

    fn wants_stop(&self) -> bool {
        interrupts::wants_stop()
    }

    fn wants_end_of_asking(&self) -> bool {
        interrupts::wants_end_of_asking()
    }
}

/// A bar that is not shown yet.
fn new_bar(progress: Progress, rows: &Arc<AtomicU64>) -> ProgressBar {
    let name = match progress.stage {
        Stage::Reading => "reading",
        Stage::Settling => "finding duplicates",
        Stage::Filling => "filling",
        Stage::Comparing => "looking for near duplicates",
        Stage::Picking => "picking",
        Stage::Writing => "writing",
        Stage::Asking => "asking DNS",
        Stage::AskingMail => "asking mail servers",
        Stage::Placing => "putting in place",
    };
    let what = match progress.stage {
        Stage::Asking => "domains",
        Stage::AskingMail => "addresses",
        _ => "rows",
    };
    let bar = ProgressBar::with_draw_target(Some(progress.bytes_in_all), ProgressDrawTarget::hidden());
    let template = match (progress.bytes_in_all, what) {
        (0, _) => "{msg:>19}  {spinner}",
        (_, "rows") => "{msg:>19}  {bar:32}  {percent:>3}%  {rows}, {eta} left",
        _ => "{msg:>19}  {bar:32}  {human_pos} of {human_len} {rows}, {eta} left",
    };
    if let Ok(style) = ProgressStyle::with_template(template) {
        let rows = Arc::clone(rows);
        let style = style.with_key("rows", move |state: &ProgressState, out: &mut dyn std::fmt::Write| {
            let milliseconds = u64::try_from(state.elapsed().as_millis()).unwrap_or(u64::MAX).max(1);
            let count = rows.load(Ordering::Relaxed);
            let rate = number(count.saturating_mul(1_000) / milliseconds);
            // A screen that cannot be written to is noticed elsewhere.
            let _ = match what {
                "rows" => write!(out, "{} rows, {rate} a second", number(count)),
                what => write!(out, "{what}, {rate} a second"),
            };
        });
        bar.set_style(style.progress_chars("█▌·"));
    }
    bar.set_message(name);
    bar
}
