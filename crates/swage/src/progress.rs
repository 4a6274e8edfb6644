//! A bar on standard error, on a terminal only and only when it takes long.

use std::io::IsTerminal;
use std::time::Duration;

use indicatif::{ProgressBar, ProgressDrawTarget, ProgressStyle};

/// A bar for so many files. Nothing is drawn in the first half second, nor anywhere but on a terminal.
pub fn bar(files: usize) -> ProgressBar {
    if !std::io::stderr().is_terminal() || files < 200 {
        return ProgressBar::hidden();
    }
    let bar = ProgressBar::with_draw_target(Some(files as u64), ProgressDrawTarget::stderr_with_hz(8));
    if let Ok(style) = ProgressStyle::with_template("{bar:30} {pos} of {len} files") {
        bar.set_style(style);
    }
    bar.enable_steady_tick(Duration::from_millis(500));
    bar
}
