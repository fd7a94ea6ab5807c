//! Listens to a run: a progress bar for what takes longer than a second; without a terminal, a line every ten seconds.

use crate::arguments::Shared;
use crate::interrupts;
use crate::render::number;
use indicatif::{ProgressBar, ProgressDrawTarget, ProgressState, ProgressStyle};
use pebblebank_table::observe::{Observer, Progress, Stage};
use std::io::{IsTerminal, Write as _};
use std::sync::atomic::{AtomicU64, Ordering};
use std::sync::{Arc, Mutex};
use std::time::{Duration, Instant};

/// How long a run may take before it shows how far it is.
const SHOW_AFTER: Duration = Duration::from_secs(1);

/// How long after a line of progress the next one may follow.
const LINE_AFTER: Duration = Duration::from_secs(10);

/// Draws the progress of a run.
pub struct Drawn {
    begun: Instant,
    shown: Shown,
}

/// How progress is shown.
enum Shown {
    Nothing,
    Bar(Mutex<ShownBar>),
    /// Lines of text; when the last one was printed.
    Lines(Mutex<Duration>),
}

#[derive(Default)]
struct ShownBar {
    stage: Option<Stage>,
    bar: Option<ProgressBar>,
    rows: Arc<AtomicU64>,
    is_shown: bool,
}

impl Drawn {
    /// Draws on stderr unless that is unwanted: a bar on a terminal, else lines. So it does where the log speaks there.
    pub fn of(shared: &Shared) -> Drawn {
        let is_wanted = !shared.quiet && !shared.json;
        let shown = match (is_wanted, std::io::stderr().is_terminal() && !shared.verbose) {
            (false, _) => Shown::Nothing,
            (true, true) => Shown::Bar(Mutex::default()),
            (true, false) => Shown::Lines(Mutex::default()),
        };
        Drawn { begun: Instant::now(), shown }
    }

    /// Takes the bar off the screen.
    pub fn finish(&self) {
        if let Shown::Bar(shown) = &self.shown
            && let Ok(mut shown) = shown.lock()
            && let Some(bar) = shown.bar.take()
        {
            bar.finish_and_clear();
        }
    }
}

impl Drawn {
    fn draw(&self, bar: &Mutex<ShownBar>, progress: Progress) {
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

    fn tell(&self, last: &Mutex<Duration>, progress: Progress) {
        let now = self.begun.elapsed();
        let Ok(mut last) = last.lock() else { return };
        if now.saturating_sub(*last) < LINE_AFTER {
            return;
        }
        *last = now;
        // Whoever closed stderr wants no progress.
        let _ = writeln!(std::io::stderr(), "{}", line(progress, now));
    }
}

impl Observer for Drawn {
    fn progress(&self, progress: Progress) {
        match &self.shown {
            Shown::Nothing => {}
            Shown::Bar(bar) => self.draw(bar, progress),
            Shown::Lines(last) => self.tell(last, progress),
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
    let (name, what) = (name_of(progress.stage), counted_in(progress.stage));
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

/// The stage in words.
fn name_of(stage: Stage) -> &'static str {
    match stage {
        Stage::Reading => "reading",
        Stage::Settling => "finding duplicates",
        Stage::Filling => "filling",
        Stage::Comparing => "looking for near duplicates",
        Stage::Picking => "picking",
        Stage::Writing => "writing",
        Stage::Asking => "asking DNS",
        Stage::AskingMail => "asking mail servers",
        Stage::Placing => "putting in place",
    }
}

/// What is counted in a stage.
fn counted_in(stage: Stage) -> &'static str {
    match stage {
        Stage::Asking => "domains",
        Stage::AskingMail => "addresses",
        _ => "rows",
    }
}

/// A line about how far a run is that began this long ago.
fn line(progress: Progress, begun: Duration) -> String {
    let (name, what, rows) = (name_of(progress.stage), counted_in(progress.stage), number(progress.rows));
    let share = match progress.bytes_in_all {
        0 => String::new(),
        in_all => format!(", {} %", progress.bytes.min(in_all).saturating_mul(100) / in_all),
    };
    format!("{name}: {rows} {what}{share}, {} seconds so far", number(begun.as_secs()))
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn a_line_says_the_stage_the_count_the_share_and_the_time() {
        let of = |stage, bytes, bytes_in_all, rows| {
            line(Progress { stage, bytes, bytes_in_all, rows }, Duration::from_millis(21_900))
        };
        assert_eq!(of(Stage::Reading, 30, 120, 1_200_000), "reading: 1,200,000 rows, 25 %, 21 seconds so far");
        assert_eq!(of(Stage::Settling, 0, 0, 7), "finding duplicates: 7 rows, 21 seconds so far");
        assert_eq!(of(Stage::AskingMail, 9, 9, 9), "asking mail servers: 9 addresses, 100 %, 21 seconds so far");
    }
}
