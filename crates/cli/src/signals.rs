//! What signals do: a run that is asked to stop ends in order, one that waits for something ends all the same, and nothing
//! is left behind.

use basilocus::Cancel;
use std::sync::OnceLock;
use std::sync::atomic::{AtomicBool, Ordering};
use std::time::Duration;

/// How long a run that is asked to stop has for ending by itself.
const PATIENCE: Duration = Duration::from_millis(500);

static CANCEL: OnceLock<Cancel> = OnceLock::new();
/// Whether the command ends by itself once it was asked to, after the requests that it is at.
static ENDS_IN_ORDER: AtomicBool = AtomicBool::new(false);
/// How long such a command has for that.
const LONG_PATIENCE: Duration = Duration::from_secs(20);

/// The flag that a signal sets.
pub(crate) fn cancel() -> Cancel {
    CANCEL.get_or_init(Cancel::default).clone()
}

/// Ends the process, whatever its other threads wait for.
fn end(message: &str) -> ! {
    basilocus::formats::remove_temporary_files();
    eprintln!("basilocus: {message}");
    std::process::exit(1)
}

/// Lets the command end by itself once it was asked to.
pub(crate) fn end_in_order() {
    ENDS_IN_ORDER.store(true, Ordering::Relaxed);
}

fn stop() -> ! {
    cancel().cancel();
    if ENDS_IN_ORDER.load(Ordering::Relaxed) {
        std::thread::sleep(LONG_PATIENCE);
        end("requests that were under way did not end; they were broken off")
    }
    std::thread::sleep(PATIENCE);
    end("stopped; no output was written")
}

/// Listens for signals from now on. Where that cannot be, they do what they do by themselves.
#[cfg(unix)]
pub(crate) fn listen() {
    use signal_hook::consts::{SIGBUS, SIGHUP, SIGINT, SIGTERM, SIGXFSZ};
    use std::sync::Arc;

    // A file beyond the limit of its size is an error of that write then, which ends the run in order.
    let _ = signal_hook::flag::register(SIGXFSZ, Arc::new(AtomicBool::new(false)));
    // Who started us may want us to go on after the terminal is gone.
    let asked = [SIGINT, SIGTERM, SIGHUP].into_iter().filter(|signal| !is_ignored(*signal));
    let Ok(mut signals) = signal_hook::iterator::Signals::new(asked.chain([SIGBUS])) else { return };
    std::thread::spawn(move || match signals.forever().next() {
        // Memory behind which there is no file any more. The thread that asked for it asks again until we are gone.
        Some(SIGBUS) => end(
            "a file that is open (a reference, most likely) was cut by another program; nothing was written: run this again once it is whole",
        ),
        Some(_) => stop(),
        None => {}
    });
}

/// Whether a signal was to be ignored when the process began, as far as the system tells.
#[cfg(unix)]
fn is_ignored(signal: i32) -> bool {
    let status = std::fs::read_to_string("/proc/self/status").unwrap_or_default();
    let mask = status.lines().find_map(|line| line.strip_prefix("SigIgn:"));
    mask.and_then(|m| u64::from_str_radix(m.trim(), 16).ok()).is_some_and(|m| m >> (signal - 1) & 1 == 1)
}

/// Listens for Ctrl-C from now on.
#[cfg(not(unix))]
pub(crate) fn listen() {
    let _ = ctrlc::set_handler(|| stop());
}
