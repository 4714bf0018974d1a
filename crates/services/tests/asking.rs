//! Asking, with a service and a clock of the test's own: what is asked, how often, when it ends, and that nothing is
//! lost or asked for nothing.

use basilocus_services::asking::{Account, Asking, Clock, Manner, Outcome, Stop};
use basilocus_services::patience::Patience;
use basilocus_services::protocol::{Exchange, Protocol, Trouble};
use basilocus_services::web::{NoResponse, Request, Response, Transport};
use basilocus_services::{Answer, Place, Question};
use proptest::prelude::*;
use std::collections::BTreeMap;
use std::convert::Infallible;
use std::sync::Mutex;
use std::sync::atomic::{AtomicBool, AtomicU64, Ordering};
use std::time::Duration;

/// Time that passes by waiting alone.
#[derive(Default)]
struct Waited(Mutex<Duration>);

impl Clock for Waited {
    fn elapsed(&self) -> Duration {
        *self.0.lock().unwrap()
    }

    fn now(&self) -> jiff::Timestamp {
        "2026-11-27T08:00:00Z".parse().unwrap()
    }

    fn wait(&self, pause: Duration, goes_on: &dyn Fn() -> bool) {
        if goes_on() {
            *self.0.lock().unwrap() += pause;
        }
    }
}

/// What a service does with the requests one after the other; with the last of it for all that follow.
struct Service {
    plan: Vec<Does>,
    requests: AtomicU64,
    asked: Mutex<Vec<Vec<usize>>>,
}

#[derive(Debug, Clone)]
enum Does {
    Answers,
    /// Answers all but the last address.
    AnswersHalf,
    Says(u16, Option<&'static str>),
    /// Takes no request with this address in it.
    Refuses(usize),
    BreaksOff,
    NoSuchHost,
}

impl Service {
    fn new(plan: &[Does]) -> Self {
        Service { plan: plan.to_vec(), requests: AtomicU64::new(0), asked: Mutex::default() }
    }
}

impl Transport for Service {
    fn send(&self, request: &Request) -> Result<Response, NoResponse> {
        let n = self.requests.fetch_add(1, Ordering::SeqCst) as usize;
        let ids: Vec<usize> = serde_json::from_slice(&request.body).unwrap();
        self.asked.lock().unwrap().push(ids.clone());
        let answers =
            |ids: &[usize]| Response { status: 200, headers: Vec::new(), body: serde_json::to_vec(ids).unwrap() };
        match &self.plan[n.min(self.plan.len() - 1)] {
            Does::Answers => Ok(answers(&ids)),
            Does::AnswersHalf => Ok(answers(&ids[..ids.len() - 1])),
            Does::Says(status, pause) => Ok(Response {
                status: *status,
                headers: pause.iter().map(|p| ("retry-after".to_string(), p.to_string())).collect(),
                body: b"{\"title\":\"no\"}".to_vec(),
            }),
            Does::Refuses(bad) if ids.contains(bad) => Ok(Response { status: 400, ..Default::default() }),
            Does::Refuses(_) => Ok(answers(&ids)),
            Does::BreaksOff => Err(NoResponse { problem: "broke off".into(), may_pass: true }),
            Does::NoSuchHost => Err(NoResponse { problem: "there is no such host".into(), may_pass: false }),
        }
    }
}

/// Sends the numbers of houses, and gets them back.
#[derive(Debug)]
struct Numbers;

impl Protocol for Numbers {
    fn name(&self) -> &'static str {
        "numbers"
    }

    fn most_at_once(&self) -> usize {
        10
    }

    fn ask(&self, questions: &[Question], exchange: &dyn Exchange) -> Result<Vec<Option<Answer>>, Trouble> {
        let ids: Vec<usize> = questions.iter().map(|q| q.number.parse().unwrap()).collect();
        let response = exchange.send(&Request::post("http://tern.example", "x", serde_json::to_vec(&ids).unwrap()))?;
        let back: Vec<usize> = serde_json::from_slice(&response.body).unwrap();
        let place = |id: usize| Place { position: [id as f64, 0.0], ..Default::default() };
        Ok(ids.iter().map(|id| back.contains(id).then(|| Answer { places: vec![place(*id)] })).collect())
    }
}

struct Came {
    account: Account,
    outcomes: BTreeMap<usize, Outcome>,
    waited: Duration,
    requests: u64,
}

fn ask(n: usize, plan: &[Does], manner: &Manner) -> Came {
    let service = Service::new(plan);
    let clock = Waited::default();
    let questions: Vec<Question> = (0..n).map(|i| Question { number: i.to_string(), ..Default::default() }).collect();
    let mut outcomes = BTreeMap::new();
    let asking = Asking { protocol: &Numbers, transport: &service, clock: &clock, manner, is_cancelled: &|| false };
    let account = asking
        .run(&questions, &mut |came| {
            for (at, outcome) in came {
                assert!(outcomes.insert(at, outcome).is_none(), "{at} came twice");
            }
            Ok::<(), Infallible>(())
        })
        .unwrap();
    let requests = service.requests.load(Ordering::SeqCst);
    assert_eq!(account.requests, requests);
    Came { account, outcomes, waited: clock.elapsed(), requests }
}

fn one_by_one() -> Manner {
    Manner { at_once: 1, batch: 10, ..Default::default() }
}

#[test]
fn every_question_is_answered_in_as_few_requests_as_it_takes() {
    let came = ask(95, &[Does::Answers], &one_by_one());
    assert_eq!((came.requests, came.outcomes.len(), came.account.stop), (10, 95, None));
    let right = |(at, outcome): (&usize, &Outcome)| outcome.as_ref().unwrap().places[0].position[0] == *at as f64;
    assert!(came.outcomes.iter().all(right));
    assert_eq!(came.waited, Duration::ZERO);
}

#[test]
fn a_pace_is_kept() {
    let manner = Manner { rate_per_s: Some(2.0), batch: 1, at_once: 4, ..Default::default() };
    let came = ask(21, &[Does::Answers], &manner);
    assert!(came.waited >= Duration::from_secs(10), "{:?}", came.waited);
}

#[test]
fn what_passes_is_tried_again_and_a_pause_that_is_asked_for_is_kept() {
    let plan = [Does::Says(503, None), Does::BreaksOff, Does::Says(429, Some("30")), Does::Answers];
    let came = ask(3, &plan, &one_by_one());
    assert_eq!((came.requests, came.account.again, came.outcomes.len()), (4, 3, 3));
    assert!(came.waited >= Duration::from_secs(30) && came.waited < Duration::from_secs(36), "{:?}", came.waited);
}

#[test]
fn a_long_pause_ends_the_asking() {
    let came = ask(30, &[Does::Answers, Does::Says(429, Some("86400"))], &one_by_one());
    assert_eq!((came.outcomes.len(), came.requests), (10, 2));
    assert!(matches!(came.account.stop, Some(Stop::Service(p)) if p.contains("1440 minutes")));
}

#[test]
fn a_bad_address_does_not_spoil_the_others() {
    let came = ask(20, &[Does::Refuses(13)], &one_by_one());
    let refused: Vec<usize> = came.outcomes.iter().filter(|(_, o)| o.is_err()).map(|(at, _)| *at).collect();
    assert_eq!((refused, came.outcomes.len(), came.account.stop), (vec![13], 20, None));
    assert_eq!(came.requests, 2 + 10, "two requests, and the ten of the bad one by themselves");
}

#[test]
fn what_is_left_out_is_asked_once_more_by_itself() {
    let came = ask(10, &[Does::AnswersHalf, Does::Answers], &one_by_one());
    assert_eq!((came.requests, came.account.answered), (2, 10));
    // A service that never answers it.
    let came = ask(1, &[Does::AnswersHalf], &one_by_one());
    assert_eq!((came.requests, came.account.refused, came.account.stop), (1, 1, None));
}

#[test]
fn the_quota_holds_and_what_is_left_is_left() {
    let manner = Manner { quota: Some(3), at_once: 3, batch: 10, ..Default::default() };
    let came = ask(95, &[Does::Answers], &manner);
    assert_eq!((came.requests, came.outcomes.len()), (3, 30));
    assert_eq!(came.account.stop, Some(Stop::Quota(3)));
}

#[test]
fn a_service_that_is_down_is_left_alone() {
    let came = ask(500, &[Does::Answers, Does::Says(502, None)], &one_by_one());
    let tries = u64::from(Patience::default().tries * Patience::default().failures_until_down);
    assert_eq!((came.requests, came.outcomes.len()), (1 + tries, 10));
    assert!(matches!(came.account.stop, Some(Stop::Service(p)) if p.contains("down") && p.contains("502")));
}

#[test]
fn what_fails_at_all_tries_is_neither_answered_nor_refused() {
    // A single request, so that the service never counts as down.
    let came = ask(3, &[Does::Says(502, None)], &one_by_one());
    assert_eq!((came.outcomes.len(), came.account.refused, came.requests), (0, 0, 10));
    assert!(matches!(came.account.stop, Some(Stop::Service(p)) if p.contains("502")));
}

#[test]
fn what_no_patience_helps_ends_at_once() {
    for (plan, part) in [
        (Does::Says(401, None), "secret"),
        (Does::Says(404, None), "address of the service"),
        (Does::NoSuchHost, "no such host"),
    ] {
        let came = ask(500, &[plan], &one_by_one());
        assert_eq!((came.requests, came.outcomes.len()), (1, 0));
        assert!(matches!(came.account.stop, Some(Stop::Service(p)) if p.contains(part)));
    }
}

#[test]
fn an_end_keeps_what_was_answered_and_asks_no_more() {
    let service = Service::new(&[Does::Answers]);
    let cancelled = AtomicBool::new(false);
    let questions: Vec<Question> =
        (0..1000).map(|i| Question { number: i.to_string(), ..Default::default() }).collect();
    let manner = Manner { at_once: 2, batch: 10, rate_per_s: Some(1000.0), ..Default::default() };
    let clock = Waited::default();
    let is_cancelled = || cancelled.load(Ordering::SeqCst);
    let asking =
        Asking { protocol: &Numbers, transport: &service, clock: &clock, manner: &manner, is_cancelled: &is_cancelled };
    let mut kept = 0;
    let account = asking
        .run(&questions, &mut |came| {
            kept += came.len();
            cancelled.store(true, Ordering::SeqCst);
            Ok::<(), Infallible>(())
        })
        .unwrap();
    assert_eq!((account.stop, kept as u64), (Some(Stop::Cancelled), 10 * service.requests.load(Ordering::SeqCst)));
    assert!(kept < 1000);
    // A store that fails is an end as well, and the error comes back.
    let failed = Asking { is_cancelled: &|| false, ..asking }.run(&questions, &mut |_| Err("disk full"));
    assert_eq!(failed, Err("disk full"));
}

fn does() -> impl Strategy<Value = Does> {
    prop_oneof![
        4 => Just(Does::Answers),
        1 => Just(Does::AnswersHalf),
        1 => Just(Does::Says(503, None)),
        1 => Just(Does::Says(429, Some("1"))),
        1 => (0usize..60).prop_map(Does::Refuses),
        1 => Just(Does::BreaksOff),
    ]
}

proptest! {
    /// Whatever a service does: a question is settled once, and all are settled unless the asking says why it ended.
    #[test]
    fn nothing_is_lost(n in 0usize..60, plan in proptest::collection::vec(does(), 1..30), batch in 1usize..12, at_once in 1usize..4) {
        let manner = Manner { at_once, batch, ..Default::default() };
        let came = ask(n, &plan, &manner);
        prop_assert!(came.account.stop.is_some() || came.outcomes.len() == n);
        let (ok, err) = came.outcomes.values().fold((0, 0), |(a, b), o| if o.is_ok() { (a + 1, b) } else { (a, b + 1) });
        prop_assert_eq!((came.account.answered, came.account.refused), (ok, err));
        for (at, outcome) in &came.outcomes {
            if let Ok(answer) = outcome {
                prop_assert_eq!(answer.places[0].position[0], *at as f64);
            }
        }
    }
}
