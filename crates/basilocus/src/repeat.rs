//! The same plan again and again, as a feed changes: what did not change is not read again, and an answer that is broken
//! leaves the outputs as they are.

use crate::engine::Cancel;
use crate::{Error, ErrorKind, Plan, Report, RunOptions, run};
use basilocus_formats::{FormatError, HeldSource, is_address};
use jiff::Timestamp;
use serde::Serialize;
use std::collections::BTreeMap;
use std::path::{Path, PathBuf};
use std::time::{Duration, UNIX_EPOCH};

/// How often.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub struct Every {
    /// From the beginning of a turn to that of the next one. Turns that would begin while one is under way are left out.
    pub interval: Duration,
    /// Turns in all; without it, until somebody ends it.
    pub turns: Option<u64>,
}

/// What is outside of the loop: time, and the state of sources.
pub trait World {
    /// What time it is.
    fn now(&self) -> Timestamp;

    /// Waits until a time, or until somebody ends it.
    fn wait_until(&self, time: Timestamp, cancel: &Cancel);

    /// Looks at a source.
    ///
    /// # Errors
    /// Where there is none to be had.
    fn look(&self, source: &Path) -> Result<SourceState, Error>;
}

/// A source as it is now.
#[derive(Debug)]
pub struct SourceState {
    /// A number that changes with it.
    pub fingerprint: u64,
    /// What was fetched of it, so that it is not fetched again in this turn.
    pub held: Option<HeldSource>,
}

/// The world as it is.
#[derive(Debug, Clone, Copy, Default)]
pub struct RealWorld;

/// How often a wait looks around.
const LOOK_AROUND: Duration = Duration::from_millis(50);

impl World for RealWorld {
    fn now(&self) -> Timestamp {
        Timestamp::now()
    }

    fn wait_until(&self, time: Timestamp, cancel: &Cancel) {
        while !cancel.is_cancelled() {
            match Duration::try_from(time.duration_since(self.now())) {
                Ok(left) if !left.is_zero() => std::thread::sleep(left.min(LOOK_AROUND)),
                _ => return,
            }
        }
    }

    fn look(&self, source: &Path) -> Result<SourceState, Error> {
        if let Some(address) = source.to_str().filter(|_| is_address(source)) {
            let held = HeldSource::fetch(address)?;
            return Ok(SourceState { fingerprint: held.fingerprint(), held: Some(held) });
        }
        // What is no file says for itself, when it is read, what is wrong.
        let state = std::fs::metadata(source).ok().map(|m| {
            let changed = m.modified().ok().and_then(|t| t.duration_since(UNIX_EPOCH).ok()).unwrap_or_default();
            (changed.as_nanos() as u64).rotate_left(17) ^ m.len()
        });
        Ok(SourceState { fingerprint: state.unwrap_or(0), held: None })
    }
}

/// What became of a turn.
#[derive(Debug)]
pub enum TurnOutcome {
    /// The outputs were written.
    Written(Box<Report>),
    /// No source changed: nothing was to be done.
    Unchanged,
    /// Something was wrong; the outputs are those of the last turn that went well.
    Failed(Error),
}

/// A turn.
#[derive(Debug)]
pub struct Turn {
    /// Its number, from 1.
    pub number: u64,
    /// When it began.
    pub began: Timestamp,
    /// What became of it.
    pub outcome: TurnOutcome,
}

/// A turn, as it is reported.
#[derive(Debug, Clone, PartialEq, Serialize)]
#[cfg_attr(feature = "schemas", derive(schemars::JsonSchema))]
pub struct TurnReport<'a> {
    /// Its number, from 1.
    pub turn: u64,
    /// When it began, UTC.
    pub began: String,
    /// `written`, `unchanged` or `failed`.
    pub outcome: &'static str,
    /// What was written.
    #[serde(skip_serializing_if = "Option::is_none")]
    pub report: Option<&'a Report>,
    /// What was wrong.
    #[serde(skip_serializing_if = "Option::is_none")]
    pub error: Option<String>,
}

impl Turn {
    /// When it began, in UTC to the second.
    pub fn began_text(&self) -> String {
        self.began.strftime("%Y-%m-%dT%H:%M:%SZ").to_string()
    }

    /// Its report.
    pub fn report(&self) -> TurnReport<'_> {
        let (outcome, report, error) = match &self.outcome {
            TurnOutcome::Written(report) => ("written", Some(report.as_ref()), None),
            TurnOutcome::Unchanged => ("unchanged", None, None),
            TurnOutcome::Failed(e) => ("failed", None, Some(e.to_string())),
        };
        TurnReport { turn: self.number, began: self.began_text(), outcome, report, error }
    }
}

/// What all turns came to.
#[derive(Debug, Clone, Copy, Default, PartialEq, Eq)]
pub struct Turns {
    /// Turns that wrote outputs.
    pub written: u64,
    /// Turns that found nothing changed.
    pub unchanged: u64,
    /// Turns that failed.
    pub failed: u64,
}

/// Runs a plan again and again. Outputs of an earlier turn are replaced; whether those of an earlier run are, the options
/// say. `told` hears of each turn.
///
/// ```
/// use basilocus::repeat::{Every, RealWorld, repeat};
/// use basilocus::steps::Positions;
/// use basilocus::{Layer, RunOptions};
/// use std::time::Duration;
///
/// let folder = tempfile::tempdir()?;
/// let feed = folder.path().join("gauges.csv");
/// std::fs::write(&feed, "gauge,lon,lat\nA,-123.8,46.2\n")?;
/// let plan = Layer::open(&feed)?
///     .positions(Positions::in_system("EPSG:4326")?)
///     .write(folder.path().join("gauges.geojson"))?
///     .plan();
/// let every = Every { interval: Duration::from_millis(1), turns: Some(3) };
/// let turns = repeat(&plan, &RunOptions::default(), &every, &RealWorld, &mut |_| Ok(()))?;
/// assert_eq!((turns.written, turns.unchanged), (1, 2));
/// # Ok::<(), Box<dyn std::error::Error>>(())
/// ```
///
/// # Errors
/// Where the plan or the options are wrong, which no turn would mend, and those of `told`.
pub fn repeat(
    plan: &Plan,
    options: &RunOptions,
    every: &Every,
    world: &dyn World,
    told: &mut dyn FnMut(&Turn) -> Result<(), Error>,
) -> Result<Turns, Error> {
    let mut turns = Turns::default();
    let mut last: Option<BTreeMap<PathBuf, u64>> = None;
    let mut begins = world.now();
    for number in 1.. {
        let began = world.now();
        let (outcome, state) = turn(plan, options, world, last.as_ref(), turns.written > 0);
        match &outcome {
            // It would be the same each time.
            TurnOutcome::Failed(Error::Cancelled) => break,
            TurnOutcome::Failed(e) if number == 1 && !may_pass(e) => {
                let TurnOutcome::Failed(e) = outcome else { break };
                return Err(e);
            }
            TurnOutcome::Written(_) => {
                turns.written += 1;
                last = Some(state);
            }
            TurnOutcome::Unchanged => turns.unchanged += 1,
            TurnOutcome::Failed(_) => turns.failed += 1,
        }
        told(&Turn { number, began, outcome })?;
        if every.turns == Some(number) {
            break;
        }
        begins = next(begins, every.interval, world.now());
        world.wait_until(begins, &options.cancel);
        if options.cancel.is_cancelled() {
            break;
        }
    }
    Ok(turns)
}

/// Whether an error of the first turn may be the feed's, and be gone at the next one: not where columns, systems or outputs
/// are not what was said.
fn may_pass(e: &Error) -> bool {
    let is_of_the_plan = matches!(
        e,
        Error::NoColumn { .. }
            | Error::NoCrs { .. }
            | Error::NoPosition { .. }
            | Error::NoAddress { .. }
            | Error::Format(FormatError::OutputExists { .. })
    );
    e.kind() == ErrorKind::Data && !is_of_the_plan
}

/// When the next turn begins: at the next of the times that are apart by the interval.
fn next(last: Timestamp, interval: Duration, now: Timestamp) -> Timestamp {
    let interval = interval.max(Duration::from_millis(1)).as_nanos() as i128;
    let gone = (now.as_nanosecond() - last.as_nanosecond()).max(0);
    let turns = gone / interval + 1;
    Timestamp::from_nanosecond(last.as_nanosecond() + turns * interval).unwrap_or(Timestamp::MAX)
}

/// A turn: what became of it, and the state of the sources that it read.
fn turn(
    plan: &Plan,
    options: &RunOptions,
    world: &dyn World,
    last: Option<&BTreeMap<PathBuf, u64>>,
    is_replaced: bool,
) -> (TurnOutcome, BTreeMap<PathBuf, u64>) {
    let mut state = BTreeMap::new();
    let mut held = Vec::new();
    for layer in plan.layers.iter().filter(|l| l.records.is_none()) {
        if state.contains_key(&layer.source) {
            continue;
        }
        match world.look(&layer.source) {
            Ok(now) => {
                state.insert(layer.source.clone(), now.fingerprint);
                held.extend(now.held);
            }
            Err(e) => return (TurnOutcome::Failed(e), state),
        }
    }
    // Somebody may have taken an output away.
    let is_there = plan.outputs.iter().all(|o| o.split_by.is_some() || o.file.exists());
    if is_there && last.is_some_and(|last| *last == state) {
        return (TurnOutcome::Unchanged, state);
    }
    let options = RunOptions {
        overwrite: options.overwrite || is_replaced,
        save_plan: options.save_plan.filter(|_| !is_replaced),
        cancel: options.cancel.clone(),
        ..*options
    };
    match run(plan, &options) {
        Ok(report) => (TurnOutcome::Written(Box::new(report)), state),
        Err(e) => (TurnOutcome::Failed(e), state),
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::Layer;
    use crate::steps::Positions;
    use std::cell::{Cell, RefCell};

    /// Time that passes by waiting, and a source that somebody changes meanwhile.
    struct Feed {
        now: Cell<Timestamp>,
        file: PathBuf,
        answers: RefCell<Vec<Option<&'static str>>>,
        state: Cell<u64>,
    }

    impl Feed {
        fn of(file: PathBuf, answers: &[Option<&'static str>]) -> Self {
            let now = Cell::new("2026-11-28T06:00:00Z".parse().unwrap());
            let answers = RefCell::new(answers.iter().rev().copied().collect());
            Feed { now, file, answers, state: Cell::new(0) }
        }
    }

    impl World for Feed {
        fn now(&self) -> Timestamp {
            self.now.get()
        }

        fn wait_until(&self, time: Timestamp, _: &Cancel) {
            self.now.set(time);
        }

        fn look(&self, _: &Path) -> Result<SourceState, Error> {
            match self.answers.borrow_mut().pop() {
                // As it was.
                Some(None) | None => {}
                Some(Some("down")) => return Err(Error::Data("the server answers 503".into())),
                Some(Some(content)) => {
                    std::fs::write(&self.file, content).unwrap();
                    self.state.set(self.state.get() + 1);
                }
            }
            Ok(SourceState { fingerprint: self.state.get(), held: None })
        }
    }

    fn of_files(feed: &Path, out: &Path) -> Plan {
        let system = Positions::in_system("EPSG:4326").unwrap();
        Layer::open(feed).unwrap().positions(system).write(out).unwrap().plan()
    }

    fn turns(answers: &[Option<&'static str>], options: &RunOptions) -> (Result<Turns, Error>, Vec<String>, String) {
        let folder = tempfile::tempdir().unwrap();
        let (file, out) = (folder.path().join("feed.csv"), folder.path().join("out.csv"));
        std::fs::write(&file, "").unwrap();
        let plan = of_files(&file, &out);
        let every = Every { interval: Duration::from_secs(300), turns: Some(answers.len() as u64) };
        let mut log = Vec::new();
        let feed = Feed::of(file, answers);
        let result = repeat(&plan, options, &every, &feed, &mut |turn| {
            let report = turn.report();
            log.push(format!("{} {} {}", report.turn, &report.began[11..16], report.outcome));
            Ok(())
        });
        (result, log, std::fs::read_to_string(out).unwrap_or_default())
    }

    const GOOD: Option<&str> = Some("gauge,lon,lat\nA,-123.8,46.2\n");
    const LATER: Option<&str> = Some("gauge,lon,lat\nA,-123.8,46.2\nB,-123.7,46.2\n");

    #[test]
    fn turns_come_in_time_and_only_what_changed_is_read() {
        let (result, log, out) = turns(&[GOOD, None, LATER, None], &RunOptions::default());
        assert_eq!(result.unwrap(), Turns { written: 2, unchanged: 2, failed: 0 });
        assert_eq!(log, ["1 06:00 written", "2 06:05 unchanged", "3 06:10 written", "4 06:15 unchanged"]);
        assert_eq!(out, LATER.unwrap());
    }

    #[test]
    fn what_is_broken_leaves_the_last_good_output() {
        let broken = Some("<html>502</html>");
        let (result, log, out) = turns(&[GOOD, broken, Some("down"), None, LATER], &RunOptions::default());
        assert_eq!(result.unwrap(), Turns { written: 2, unchanged: 0, failed: 3 }, "{log:?}");
        assert!(log[4].ends_with("written"));
        assert_eq!(out, LATER.unwrap());
        let (_, _, out) = turns(&[GOOD, broken, Some("down")], &RunOptions::default());
        assert_eq!(out, GOOD.unwrap());
        // A feed that is down at first is waited for.
        let (result, _, out) = turns(&[Some("down"), GOOD], &RunOptions::default());
        assert_eq!((result.unwrap().written, out.as_str()), (1, GOOD.unwrap()));
    }

    #[test]
    fn an_output_that_was_taken_away_is_written_again() {
        let folder = tempfile::tempdir().unwrap();
        let (file, out) = (folder.path().join("feed.csv"), folder.path().join("out.csv"));
        std::fs::write(&file, "").unwrap();
        let plan = of_files(&file, &out);
        let every = Every { interval: Duration::from_secs(1), turns: Some(3) };
        let feed = Feed::of(file, &[GOOD, None, None]);
        let turns = repeat(&plan, &RunOptions::default(), &every, &feed, &mut |turn| {
            if turn.number == 1 {
                std::fs::remove_file(&out).unwrap();
            }
            Ok(())
        });
        assert_eq!(turns.unwrap(), Turns { written: 2, unchanged: 1, failed: 0 });
    }

    #[test]
    fn what_no_turn_would_mend_ends_at_once() {
        let folder = tempfile::tempdir().unwrap();
        let file = folder.path().join("feed.csv");
        std::fs::write(&file, "").unwrap();
        // No output is said.
        let plan = Layer::open(&file).unwrap().plan();
        let every = Every { interval: Duration::from_secs(1), turns: None };
        let feed = Feed::of(file, &[None]);
        let error = repeat(&plan, &RunOptions::default(), &every, &feed, &mut |_| Ok(())).unwrap_err();
        assert!(error.to_string().contains("no output"), "{error}");
        let options = RunOptions::default();
        options.cancel.cancel();
        let (result, log, _) = turns(&[GOOD, LATER], &options);
        assert_eq!((result.unwrap(), log.len()), (Turns::default(), 0), "somebody ended it");
    }

    #[test]
    fn turns_that_take_too_long_are_not_made_up_for() {
        let at = |text: &str| text.parse::<Timestamp>().unwrap();
        let five = Duration::from_secs(300);
        let begin = at("2026-11-28T06:00:00Z");
        assert_eq!(next(begin, five, at("2026-11-28T06:00:07Z")), at("2026-11-28T06:05:00Z"));
        assert_eq!(next(begin, five, at("2026-11-28T06:12:00Z")), at("2026-11-28T06:15:00Z"));
        assert_eq!(next(begin, Duration::ZERO, begin), at("2026-11-28T06:00:00.001Z"));
    }
}
