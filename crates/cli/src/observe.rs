//! Listens to a run: a progress bar for what takes longer than a second.

use crate::interrupts;
use indicatif::{ProgressBar, ProgressDrawTarget, ProgressStyle};
use pebblebank_table::observe::{Observer, Progress, Stage};
use std::io::IsTerminal;
use std::sync::Mutex;
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
        if self.begun.elapsed() < SHOW_AFTER {
            return;
        }
        let Ok(mut shown) = bar.lock() else { return };
        if shown.stage != Some(progress.stage) {
            shown.stage = Some(progress.stage);
            let earlier = shown.bar.replace(new_bar(progress));
            if let Some(earlier) = earlier {
                earlier.finish_and_clear();
            }
        }
        if let Some(bar) = &shown.bar {
            bar.set_position(progress.bytes);
        }
    }

    fn wants_stop(&self) -> bool {
        interrupts::wants_stop()
    }

    fn wants_end_of_asking(&self) -> bool {
        interrupts::wants_end_of_asking()
    }
}

fn new_bar(progress: Progress) -> ProgressBar {
    let name = match progress.stage {
        Stage::Reading => "reading",
        Stage::Settling => "finding duplicates",
        Stage::Filling => "filling",
        Stage::Comparing => "looking for near duplicates",
        Stage::Picking => "picking",
        Stage::Writing => "writing",
        Stage::Asking => "asking DNS",
        Stage::AskingMail => "asking servers",
        Stage::Placing => "putting in place",
    };
    let bar = ProgressBar::with_draw_target(Some(progress.bytes_in_all), ProgressDrawTarget::stderr_with_hz(8));
    let template = if progress.bytes_in_all == 0 {
        "{msg:>18}  {spinner}"
    } else if progress.stage == Stage::Asking {
        "{msg:>18}  {bar:32}  {human_pos} of {human_len} domains, {per_sec}, {eta} left"
    } else if progress.stage == Stage::AskingMail {
        "{msg:>18}  {bar:32}  {human_pos} of {human_len} addresses, {per_sec}, {eta} left"
    } else {
        "{msg:>18}  {bar:32}  {percent:>3}%  {bytes_per_sec}, {eta} left"
    };
    if let Ok(style) = ProgressStyle::with_template(template) {
        bar.set_style(style.progress_chars("█▌·"));
    }
    bar.set_message(name);
    bar
}
