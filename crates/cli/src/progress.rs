//! A progress bar, on a terminal only.

use indicatif::{ProgressBar, ProgressDrawTarget, ProgressStyle};
use std::io::IsTerminal;
use std::sync::Mutex;

/// A bar for one pass after another.
pub struct Bar {
    wanted: bool,
    bar: Mutex<Option<ProgressBar>>,
}

impl Bar {
    /// A bar that shows only where standard error is a terminal and nobody declined it.
    pub fn new(wanted: bool) -> Self {
        Bar { wanted: wanted && std::io::stderr().is_terminal(), bar: Mutex::new(None) }
    }
}

impl basilocus::Progress for Bar {
    fn start(&self, layer: &str, pass: &str, bytes: u64) {
        if !self.wanted {
            return;
        }
        let bar = ProgressBar::with_draw_target(Some(bytes), ProgressDrawTarget::stderr());
        if let Ok(style) = ProgressStyle::with_template("{prefix} {wide_bar} {percent}% {eta}") {
            bar.set_style(style);
        }
        bar.set_prefix(crate::text::harmless(&format!("{layer}: {pass}")).into_owned());
        if let Ok(mut slot) = self.bar.lock() {
            *slot = Some(bar);
        }
    }

    fn advance(&self, bytes: u64, _: u64) {
        if let Ok(slot) = self.bar.lock()
            && let Some(bar) = slot.as_ref()
        {
            bar.inc(bytes);
        }
    }

    fn tell(&self, words: &str) {
        if let Ok(slot) = self.bar.lock()
            && let Some(bar) = slot.as_ref()
        {
            if let Ok(style) = ProgressStyle::with_template("{prefix} {wide_bar} {percent}% {eta}  {msg}") {
                bar.set_style(style);
            }
            bar.set_message(crate::text::harmless(words).into_owned());
        }
    }

    fn finish(&self) {
        if let Ok(mut slot) = self.bar.lock()
            && let Some(bar) = slot.take()
        {
            bar.finish_and_clear();
        }
    }
}
