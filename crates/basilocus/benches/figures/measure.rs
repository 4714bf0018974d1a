//! Ours and its floor by turns: seconds of the processor and of the clock, and what became of the figures since they were last
//! taken on this machine.

use std::collections::BTreeMap;
use std::fmt;
use std::path::PathBuf;
use std::sync::{Mutex, PoisonError};
use std::time::Instant;

/// Runs of each that are counted, after one that is not.
const ROUNDS: usize = 9;
/// A figure that is so many times the last one is named.
const LOSS: f64 = 1.05;

/// Seconds of a run.
#[derive(Debug, Clone, Copy)]
pub struct Seconds {
    /// Of the processor, on all cores, in user and system.
    pub processor: f64,
    /// Of the clock.
    pub clock: f64,
}

/// What two pieces of work came to, by turns; medians.
#[derive(Debug, Clone, Copy)]
pub struct Measured {
    pub ours: Seconds,
    pub floor: Seconds,
    /// The least and the most that a run of the floor took of the processor.
    pub spread: [f64; 2],
    /// Ours to the floor, run by run.
    pub ratio: Seconds,
}

/// The ratios of this run, by what was measured.
static TAKEN: Mutex<BTreeMap<String, f64>> = Mutex::new(BTreeMap::new());

fn processor() -> f64 {
    #[cfg(unix)]
    {
        let time = rustix::time::clock_gettime(rustix::time::ClockId::ProcessCPUTime);
        time.tv_sec as f64 + time.tv_nsec as f64 * 1e-9
    }
    #[cfg(not(unix))]
    {
        static STARTED: std::sync::LazyLock<Instant> = std::sync::LazyLock::new(Instant::now);
        STARTED.elapsed().as_secs_f64()
    }
}

fn time(work: &mut dyn FnMut()) -> Seconds {
    let (started, before) = (Instant::now(), processor());
    work();
    Seconds { processor: processor() - before, clock: started.elapsed().as_secs_f64() }
}

fn median(values: impl Iterator<Item = f64>) -> f64 {
    let mut values: Vec<f64> = values.collect();
    values.sort_by(f64::total_cmp);
    values[values.len() / 2]
}

/// Runs two pieces of work by turns.
pub fn paired(what: &str, mut ours: impl FnMut(), mut floor: impl FnMut()) -> Measured {
    ours();
    floor();
    let runs: Vec<(Seconds, Seconds)> = (0..ROUNDS).map(|_| (time(&mut ours), time(&mut floor))).collect();
    let of = |key: &dyn Fn(&(Seconds, Seconds)) -> f64| median(runs.iter().map(key));
    let floors = || runs.iter().map(|r| r.1.processor);
    let measured = Measured {
        ours: Seconds { processor: of(&|r| r.0.processor), clock: of(&|r| r.0.clock) },
        floor: Seconds { processor: of(&|r| r.1.processor), clock: of(&|r| r.1.clock) },
        spread: [floors().fold(f64::INFINITY, f64::min), floors().fold(0.0, f64::max)],
        ratio: Seconds { processor: of(&|r| r.0.processor / r.1.processor), clock: of(&|r| r.0.clock / r.1.clock) },
    };
    TAKEN.lock().unwrap_or_else(PoisonError::into_inner).insert(what.to_string(), measured.ratio.processor);
    measured
}

impl fmt::Display for Measured {
    fn fmt(&self, f: &mut fmt::Formatter) -> fmt::Result {
        write!(
            f,
            "{:.3} s of the processor, floor {:.3} s ({:.3} to {:.3}), ratio {:.2}; clock {:.3} s, ratio {:.2}",
            self.ours.processor,
            self.floor.processor,
            self.spread[0],
            self.spread[1],
            self.ratio.processor,
            self.ours.clock,
            self.ratio.clock
        )
    }
}

/// Names what lost since the figures were last taken, and keeps those of now.
pub fn compare_with_last() {
    let path = PathBuf::from(concat!(env!("CARGO_MANIFEST_DIR"), "/../../target/figures.tsv"));
    let text = std::fs::read_to_string(&path).unwrap_or_default();
    let line = |line: &str| line.split_once('\t').and_then(|(name, ratio)| Some((name.into(), ratio.parse().ok()?)));
    let mut known: BTreeMap<String, f64> = text.lines().filter_map(line).collect();
    for (what, ratio) in TAKEN.lock().unwrap_or_else(PoisonError::into_inner).iter() {
        if let Some(last) = known.insert(what.clone(), *ratio).filter(|last| ratio / last > LOSS) {
            println!("LOST: {what}: ratio {ratio:.2}, and {last:.2} when it was last taken");
        }
    }
    let lines: String = known.iter().map(|(what, ratio)| format!("{what}\t{ratio}\n")).collect();
    match std::fs::write(&path, lines) {
        Ok(()) => println!("ratios are kept in {}", path.display()),
        Err(e) => println!("{}: {e}: ratios are not kept", path.display()),
    }
}
