//! Questions in, answers out: by several threads, at a pace, with patience, and with an end that has a reason.

use crate::pace::Pace;
use crate::patience::{Patience, Shares, may_pass, retry_after};
use crate::protocol::{Exchange, Protocol, Trouble};
use crate::web::{NoResponse, Request, Response, Transport};
use crate::{Answer, Question};
use jiff::Timestamp;
use std::collections::VecDeque;
use std::fmt;
use std::sync::atomic::{AtomicU32, AtomicU64, Ordering};
use std::sync::mpsc;
use std::sync::{Mutex, MutexGuard, PoisonError};
use std::time::{Duration, Instant};

/// How fast and how much is asked.
#[derive(Debug, Clone, PartialEq)]
pub struct Manner {
    /// Requests a second; as fast as answers come where it is not said.
    pub rate_per_s: Option<f64>,
    /// Requests that are under way at once.
    pub at_once: usize,
    /// Addresses in a request, where the protocol takes several.
    pub batch: usize,
    /// Requests at most; those that are tried again count again.
    pub quota: Option<u64>,
    /// How often and after what pauses a request is tried.
    pub patience: Patience,
}

impl Default for Manner {
    fn default() -> Self {
        Manner { rate_per_s: None, at_once: 2, batch: 50, quota: None, patience: Patience::default() }
    }
}

/// Time, as whoever asks sees it.
pub trait Clock: Sync {
    /// Since the asking began.
    fn elapsed(&self) -> Duration;
    /// By the calendar.
    fn now(&self) -> Timestamp;
    /// Waits, and looks from time to time whether it shall go on waiting.
    fn wait(&self, pause: Duration, goes_on: &dyn Fn() -> bool);
}

/// The time of this machine.
#[derive(Debug)]
pub struct RealTime(Instant);

impl Default for RealTime {
    fn default() -> Self {
        RealTime(Instant::now())
    }
}

impl Clock for RealTime {
    fn elapsed(&self) -> Duration {
        self.0.elapsed()
    }

    fn now(&self) -> Timestamp {
        Timestamp::now()
    }

    fn wait(&self, pause: Duration, goes_on: &dyn Fn() -> bool) {
        let end = Instant::now() + pause;
        while goes_on() {
            let left = end.saturating_duration_since(Instant::now());
            if left.is_zero() {
                return;
            }
            std::thread::sleep(left.min(Duration::from_millis(50)));
        }
    }
}

/// Why asking ended before its end.
#[derive(Debug, Clone, PartialEq, Eq)]
#[non_exhaustive]
pub enum Stop {
    /// So many requests were allowed.
    Quota(u64),
    /// Somebody ended it.
    Cancelled,
    /// The service is down, or not for us: what it said.
    Service(String),
}

impl fmt::Display for Stop {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        match self {
            Stop::Quota(0) => f.write_str("no request was allowed"),
            Stop::Quota(1) => f.write_str("the quota of 1 request is used up"),
            Stop::Quota(n) => write!(f, "the quota of {n} requests is used up"),
            Stop::Cancelled => f.write_str("it was ended"),
            Stop::Service(problem) => f.write_str(problem),
        }
    }
}

/// What asking came to.
#[derive(Debug, Clone, Default, PartialEq)]
pub struct Account {
    /// Requests that were sent, those that were tried again among them.
    pub requests: u64,
    /// Requests that were tried again.
    pub again: u64,
    /// Questions that were answered.
    pub answered: u64,
    /// Questions that the service refused or could not answer.
    pub refused: u64,
    /// Why it ended before its end.
    pub stop: Option<Stop>,
}

/// Asks a service: for addresses, unless other questions and answers are said.
pub struct Asking<'a, Q = Question, A = Answer> {
    /// How requests are written.
    pub protocol: &'a dyn Protocol<Q, A>,
    /// How they are sent.
    pub transport: &'a dyn Transport,
    /// What time it is.
    pub clock: &'a dyn Clock,
    /// How fast and how much.
    pub manner: &'a Manner,
    /// Whether somebody ended it.
    pub is_cancelled: &'a (dyn Fn() -> bool + Sync),
}

/// Tries of what is asked before the asking: an address that was mistyped should not take a minute.
const FIRST_TRIES: u32 = 3;

/// Sends with patience what is asked before the asking: what a service is.
pub struct Patient<'a> {
    /// How requests are sent.
    pub transport: &'a dyn Transport,
    /// What time it is.
    pub clock: &'a dyn Clock,
    /// How often and after what pauses a request is tried.
    pub patience: &'a Patience,
    /// Whether somebody ended it.
    pub is_cancelled: &'a (dyn Fn() -> bool + Sync),
}

impl Transport for Patient<'_> {
    fn send(&self, request: &Request) -> Result<Response, NoResponse> {
        let mut tries = 0;
        loop {
            tries += 1;
            let sent = self.transport.send(request);
            let is_passing = match &sent {
                Ok(response) => may_pass(response.status),
                Err(e) => e.may_pass,
            };
            if !is_passing || tries >= self.patience.tries.min(FIRST_TRIES) || (self.is_cancelled)() {
                return sent;
            }
            let header = sent.as_ref().ok().and_then(|r| r.header("retry-after"));
            let asked = header.and_then(|v| retry_after(v, self.clock.now())).unwrap_or_default();
            if asked > self.patience.longest_asked_pause {
                return sent;
            }
            self.clock.wait(self.patience.pause(tries, 1.0).max(asked), &|| !(self.is_cancelled)());
        }
    }
}

/// What became of a question: its answer, or why there is none.
pub type Outcome<A = Answer> = Result<A, String>;

/// Questions by their places in the list, and what became of them.
pub type Outcomes<A = Answer> = Vec<(usize, Outcome<A>)>;

/// Questions that are asked in one request, by their places in the list.
struct Batch {
    questions: Vec<usize>,
    /// How often it failed at all its tries.
    failed: u32,
}

/// What the threads share.
struct Shared<'a, Q, A> {
    asking: &'a Asking<'a, Q, A>,
    queue: Mutex<VecDeque<Batch>>,
    /// Batches that are under way: they may come back.
    under_way: AtomicU32,
    pace: Pace,
    requests: AtomicU64,
    again: AtomicU64,
    /// Failures in a row.
    failures: AtomicU32,
    stop: Mutex<Option<Stop>>,
    /// Why a batch was given up after all its tries, where one was.
    gave_up: Mutex<Option<String>>,
    shares: Mutex<Shares>,
}

fn locked<T>(mutex: &Mutex<T>) -> MutexGuard<'_, T> {
    mutex.lock().unwrap_or_else(PoisonError::into_inner)
}

impl<Q: Clone + Sync, A: Send> Asking<'_, Q, A> {
    /// Asks all questions. `sink` gets the place of a question and what became of it as soon as that is known, on the
    /// thread of the caller; questions that it is not called for were not answered when the asking ended.
    ///
    /// # Errors
    /// Those of the sink, which end the asking.
    pub fn run<E>(&self, questions: &[Q], sink: &mut dyn FnMut(Outcomes<A>) -> Result<(), E>) -> Result<Account, E> {
        self.run_telling(questions, sink, &|_| {})
    }

    /// The same; `tell` is told how far it is whenever answers came.
    ///
    /// # Errors
    /// Those of the sink, which end the asking.
    pub fn run_telling<E>(
        &self,
        questions: &[Q],
        sink: &mut dyn FnMut(Outcomes<A>) -> Result<(), E>,
        tell: &dyn Fn(&Account),
    ) -> Result<Account, E> {
        let batch = self.manner.batch.min(self.protocol.most_at_once()).max(1);
        let places: Vec<usize> = (0..questions.len()).collect();
        let batches = places.chunks(batch).map(|c| Batch { questions: c.to_vec(), failed: 0 });
        let shared = Shared {
            asking: self,
            queue: Mutex::new(batches.collect()),
            under_way: AtomicU32::new(0),
            pace: Pace::per_second(self.manner.rate_per_s),
            requests: AtomicU64::new(0),
            again: AtomicU64::new(0),
            failures: AtomicU32::new(0),
            stop: Mutex::new(None),
            gave_up: Mutex::new(None),
            shares: Mutex::new(Shares::new(self.clock.now().as_nanosecond() as u64)),
        };
        let mut account = Account::default();
        let mut result = Ok(());
        std::thread::scope(|scope| {
            // Nobody asks on before what was paid for is taken.
            let (sender, receiver) = mpsc::sync_channel(0);
            for _ in 0..self.manner.at_once.clamp(1, 64) {
                let (shared, sender) = (&shared, sender.clone());
                scope.spawn(move || shared.work(questions, &sender));
            }
            drop(sender);
            for outcomes in receiver {
                let answered = outcomes.iter().filter(|(_, o)| o.is_ok()).count() as u64;
                account.answered += answered;
                account.refused += outcomes.len() as u64 - answered;
                account.requests = shared.requests.load(Ordering::Relaxed);
                account.again = shared.again.load(Ordering::Relaxed);
                tell(&account);
                // What was paid for is given away even while the asking ends.
                if result.is_ok() {
                    result = sink(outcomes);
                    if result.is_err() {
                        shared.end(Stop::Cancelled);
                    }
                }
            }
        });
        result?;
        account.requests = shared.requests.load(Ordering::Relaxed);
        account.again = shared.again.load(Ordering::Relaxed);
        let gave_up = locked(&shared.gave_up).take().map(Stop::Service);
        account.stop = locked(&shared.stop).take().or(gave_up);
        Ok(account)
    }
}

impl<Q: Clone, A> Shared<'_, Q, A> {
    /// Ends the asking; the first reason counts.
    fn end(&self, stop: Stop) {
        locked(&self.stop).get_or_insert(stop);
    }

    fn goes_on(&self) -> bool {
        if (self.asking.is_cancelled)() {
            self.end(Stop::Cancelled);
        }
        locked(&self.stop).is_none()
    }

    /// The next batch. One that is under way may come back, so an empty queue is the end only where none is.
    fn next(&self) -> Option<Batch> {
        loop {
            if !self.goes_on() {
                return None;
            }
            let mut queue = locked(&self.queue);
            if let Some(batch) = queue.pop_front() {
                self.under_way.fetch_add(1, Ordering::SeqCst);
                return Some(batch);
            }
            if self.under_way.load(Ordering::SeqCst) == 0 {
                return None;
            }
            drop(queue);
            std::thread::sleep(Duration::from_millis(2));
        }
    }

    fn work(&self, questions: &[Q], sender: &mpsc::SyncSender<Outcomes<A>>) {
        while let Some(batch) = self.next() {
            let outcomes = self.ask(questions, batch);
            // Whoever does not listen any more has ended the asking.
            let is_heard = outcomes.is_empty() || sender.send(outcomes).is_ok();
            self.under_way.fetch_sub(1, Ordering::SeqCst);
            if !is_heard {
                return;
            }
        }
    }

    /// Asks a batch. What it does not settle goes back to the queue, or stays without an answer where the asking ended.
    fn ask(&self, questions: &[Q], batch: Batch) -> Outcomes<A> {
        let asked: Vec<Q> = batch.questions.iter().map(|q| questions[*q].clone()).collect();
        let one_by_one = |places: &[usize]| {
            let singles = places.iter().map(|q| Batch { questions: vec![*q], failed: batch.failed });
            locked(&self.queue).extend(singles);
        };
        let refused = |problem: &str| batch.questions.iter().map(|q| (*q, Err(problem.to_string()))).collect();
        match self.asking.protocol.ask(&asked, self) {
            Ok(answers) => {
                self.failures.store(0, Ordering::SeqCst);
                let mut outcomes = Vec::with_capacity(asked.len());
                let mut left_out = Vec::new();
                // Questions behind the end of a list that is too short were left out as well.
                let answers = answers.into_iter().chain(std::iter::repeat_with(|| None));
                for (question, answer) in batch.questions.iter().zip(answers) {
                    match answer {
                        Some(answer) => outcomes.push((*question, Ok(answer))),
                        None if asked.len() > 1 => left_out.push(*question),
                        None => outcomes.push((*question, Err("the service left it out of its answer".to_string()))),
                    }
                }
                one_by_one(&left_out);
                outcomes
            }
            // One bad address may be the reason: the others are not to suffer from it.
            Err(Trouble::Refused(_)) if asked.len() > 1 => {
                one_by_one(&batch.questions);
                Vec::new()
            }
            Err(Trouble::Refused(problem)) => refused(&problem),
            Err(Trouble::Ended(stop)) => {
                self.end(stop);
                Vec::new()
            }
            Err(Trouble::Failed(problem)) => {
                let failures = self.failures.fetch_add(1, Ordering::SeqCst) + 1;
                if failures >= self.asking.manner.patience.failures_until_down {
                    self.end(Stop::Service(format!("the service is down: {problem}")));
                    return Vec::new();
                }
                if batch.failed == 0 {
                    locked(&self.queue).push_back(Batch { failed: 1, questions: batch.questions.clone() });
                    return Vec::new();
                }
                // Neither answered nor refused: it is asked for when the same is asked again.
                locked(&self.gave_up).get_or_insert(format!("it fails: {problem}"));
                Vec::new()
            }
        }
    }

    /// Waits for the turn of a request, and counts it; `Some` where it may not be sent.
    fn turn(&self, is_paid: bool) -> Option<Stop> {
        let clock = self.asking.clock;
        let wait = self.pace.wait(clock.elapsed());
        clock.wait(wait, &|| self.goes_on());
        if !self.goes_on() {
            return Some(Stop::Cancelled);
        }
        if !is_paid {
            return None;
        }
        let quota = self.asking.manner.quota.unwrap_or(u64::MAX);
        let counted = |sent: u64| (sent < quota).then_some(sent + 1);
        match self.requests.fetch_update(Ordering::SeqCst, Ordering::SeqCst, counted) {
            Ok(_) => None,
            Err(_) => Some(Stop::Quota(quota)),
        }
    }
}

impl<Q: Clone, A> Shared<'_, Q, A> {
    /// Sends a request, again where that may help.
    fn patiently(&self, request: &Request, is_paid: bool) -> Result<Response, Trouble> {
        let patience = &self.asking.manner.patience;
        let mut tries = 0;
        loop {
            if let Some(stop) = self.turn(is_paid) {
                return Err(Trouble::Ended(stop));
            }
            tries += 1;
            let (problem, asked_pause) = match self.asking.transport.send(request) {
                Ok(response)
                    if (200..300).contains(&response.status) || request.answers_too.contains(&response.status) =>
                {
                    return Ok(response);
                }
                Ok(response) if may_pass(response.status) => {
                    let now = self.asking.clock.now();
                    let asked = response.header("retry-after").and_then(|v| retry_after(v, now));
                    (format!("it answers {}", described(&response)), asked)
                }
                Ok(response) => return Err(refusal(&response)),
                Err(NoResponse { problem, may_pass: true }) => (problem, None),
                Err(NoResponse { problem, may_pass: false }) => return Err(Trouble::Ended(Stop::Service(problem))),
            };
            if let Some(asked) = asked_pause.filter(|p| *p > patience.longest_asked_pause) {
                return Err(Trouble::Ended(Stop::Service(format!(
                    "{problem} and asks to come again in {} minutes",
                    asked.as_secs().div_ceil(60)
                ))));
            }
            if tries >= patience.tries {
                return Err(Trouble::Failed(format!("{problem}, {tries} times")));
            }
            self.again.fetch_add(1, Ordering::Relaxed);
            let pause = patience.pause(tries, locked(&self.shares).draw());
            self.pause(pause.max(asked_pause.unwrap_or_default()))?;
        }
    }
}

impl<Q: Clone, A> Exchange for Shared<'_, Q, A> {
    fn send(&self, request: &Request) -> Result<Response, Trouble> {
        self.patiently(request, true)
    }

    fn send_unpaid(&self, request: &Request) -> Result<Response, Trouble> {
        self.patiently(request, false)
    }

    fn pause(&self, pause: Duration) -> Result<(), Trouble> {
        self.asking.clock.wait(pause, &|| self.goes_on());
        if self.goes_on() { Ok(()) } else { Err(Trouble::Ended(Stop::Cancelled)) }
    }

    fn elapsed(&self) -> Duration {
        self.asking.clock.elapsed()
    }
}

/// Letters of an answer that are shown.
const MOST_SHOWN: usize = 160;

/// A status with the beginning of what the service says to it.
fn described(response: &Response) -> String {
    let name = ureq::http::StatusCode::from_u16(response.status).ok().and_then(|s| s.canonical_reason());
    let status = format!("{}{}", response.status, name.map_or(String::new(), |n| format!(" {n}")));
    let words = crate::protocol::problem_of(&response.body);
    // Problem details repeat the name of the status.
    let words = name.and_then(|n| words.strip_prefix(n)).map_or(words.as_str(), |w| w.trim_start_matches([':', ' ']));
    let shown: String = words.chars().take(MOST_SHOWN).collect();
    if shown.is_empty() { status } else { format!("{status}: {shown}") }
}

/// What a status means that will not be another one later.
fn refusal(response: &Response) -> Trouble {
    let words = described(response);
    match response.status {
        401 | 403 => Trouble::Ended(Stop::Service(format!(
            "it answers {words}; it wants to know who asks: give the secret by `secret_file` or `secret_variable`"
        ))),
        402 => Trouble::Ended(Stop::Service(format!("it answers {words}; it wants to be paid first"))),
        404 | 405 | 410 => {
            Trouble::Ended(Stop::Service(format!("it answers {words}; check the address of the service")))
        }
        _ => Trouble::Refused(format!("the service answers {words}")),
    }
}
