//! What is served, asked by the client that is made for it and by hand.

mod served;

use basilocus_serve::{Faults, Options};
use basilocus_services::asking::{Account, Asking, Manner, Outcome, RealTime};
use basilocus_services::patience::Patience;
use basilocus_services::{Question, Web, protocol};
use served::{Served, local, reference};
use std::collections::BTreeMap;
use std::convert::Infallible;
use std::time::Duration;

/// A server of a street with so many houses.
struct Houses {
    served: Served,
    _folder: tempfile::TempDir,
}

impl std::ops::Deref for Houses {
    type Target = Served;

    fn deref(&self) -> &Served {
        &self.served
    }
}

impl Houses {
    fn with(houses: u32, faults: Option<Faults>) -> Self {
        let folder = tempfile::tempdir().unwrap();
        let served = Served::new(Options { references: vec![reference(folder.path(), houses)], faults, ..local() });
        Houses { served, _folder: folder }
    }

    /// Status, content type and body.
    fn get(&self, path: &str) -> (u16, String, serde_json::Value) {
        let answer = self.served.get(path);
        (answer.status, answer.kind().to_string(), answer.json())
    }

    fn post(&self, path: &str, headers: &[(&str, &str)], body: &str) -> (u16, BTreeMap<String, String>, String) {
        let answer = self.served.post_with(path, headers, body);
        (answer.status, answer.headers, answer.body)
    }

    fn json(&self, path: &str, body: &serde_json::Value) -> (u16, serde_json::Value) {
        let (status, _, text) = self.post(path, &[("content-type", "application/json")], &body.to_string());
        (status, serde_json::from_str(&text).unwrap())
    }
}

fn questions(numbers: impl Iterator<Item = u32>) -> Vec<Question> {
    numbers
        .map(|n| Question {
            number: n.to_string(),
            street: "Heron Lane".into(),
            locality: "Ternport".into(),
            country: "US".into(),
            ..Default::default()
        })
        .collect()
}

fn ask(address: &str, questions: &[Question], manner: &Manner) -> (Account, BTreeMap<usize, Outcome>) {
    let web = Web::new(address, None, Duration::from_secs(10), 1 << 20).unwrap();
    let protocol = protocol::find(address, &web).unwrap();
    let asking = Asking {
        protocol: protocol.as_ref(),
        transport: &web,
        clock: &RealTime::default(),
        manner,
        is_cancelled: &|| false,
    };
    let mut all = BTreeMap::new();
    let account = asking
        .run(questions, &mut |came| {
            for (at, outcome) in came {
                assert!(all.insert(at, outcome).is_none());
            }
            Ok::<(), Infallible>(())
        })
        .unwrap();
    (account, all)
}

#[test]
fn both_protocols_answer_the_same() {
    let served = Houses::with(100, None);
    let questions = questions(1..=130);
    let manner = Manner { batch: 25, at_once: 3, ..Default::default() };
    let (by_processes, a) = ask(&served.address, &questions, &manner);
    let (by_openls, b) = ask(&format!("{}/openls", served.address), &questions, &manner);
    assert_eq!((by_processes.requests, by_openls.requests), (6, 6));
    for at in 0..130 {
        let (a, b) = (a[&at].as_ref().unwrap(), b[&at].as_ref().unwrap());
        let place = |p: &basilocus_services::Place, swapped: bool| {
            let [x, y] = p.position;
            let at = if swapped { [y, x] } else { [x, y] };
            (at.map(|v| (v * 1e7).round()), p.number.clone(), p.street.clone(), p.locality.clone(), p.level.clone())
        };
        assert!(!a.places.is_empty());
        let (a, b): (Vec<_>, Vec<_>) =
            (a.places.iter().map(|p| place(p, false)).collect(), b.places.iter().map(|p| place(p, true)).collect());
        assert_eq!(a, b, "{at}");
        if at < 100 {
            assert_eq!(a[0].1, (at + 1).to_string());
            assert_eq!(a[0].4, "address point");
        } else {
            assert_ne!(a[0].4, "address point", "a house that is not there");
        }
    }
}

#[test]
fn faults_are_survived_and_every_address_is_answered_once() {
    let faults = Faults { fail: 0.35, seed: 5, ..Default::default() };
    let served = Houses::with(60, Some(faults));
    let patience = Patience { tries: 12, first_pause: Duration::from_millis(1), ..Default::default() };
    let manner = Manner { batch: 4, at_once: 2, patience, ..Default::default() };
    // What a service is, is found out before; that may fail too.
    let address = format!("{}/openls", served.address);
    let web = Web::new(&address, None, Duration::from_secs(10), 1 << 20).unwrap();
    let protocol = protocol::of_kind(protocol::Kind::Openls, &address, &web).unwrap();
    let asked = questions(1..=60);
    let asking = Asking {
        protocol: protocol.as_ref(),
        transport: &web,
        clock: &RealTime::default(),
        manner: &manner,
        is_cancelled: &|| false,
    };
    let mut answered = 0;
    let account = asking
        .run(&asked, &mut |came| {
            answered += came.iter().filter(|(_, o)| o.is_ok()).count();
            Ok::<(), Infallible>(())
        })
        .unwrap();
    assert_eq!((account.stop, answered, account.refused), (None, 60, 0));
    assert!(account.again > 0, "the stand-in fails");
    let (_, _, bill) = served.get("/account");
    assert_eq!(bill["requests"], account.requests);
}

#[test]
fn what_is_there_is_described() {
    let served = Houses::with(3, None);
    for path in ["/", "/conformance", "/processes", "/processes/geocode", "/jobs", "/health"] {
        let (status, kind, _) = served.get(path);
        assert_eq!((status, kind.as_str()), (200, "application/json"), "{path}");
    }
    let (_, _, landing) = served.get("/");
    for link in landing["links"].as_array().unwrap() {
        assert_eq!(served.served.get(link["href"].as_str().unwrap()).status, 200, "{link}");
    }
    assert_eq!(served.get("/account").0, 404, "a service that is no stand-in has no bill");
}

#[test]
fn problems_say_what_was_expected() {
    let served = Houses::with(3, None);
    let geocode = "/processes/geocode/execution";
    for (path, body, status, part) in [
        ("/processes/nothing/execution", serde_json::json!({}), 404, "no process \"nothing\""),
        (geocode, serde_json::json!([]), 400, "execute document"),
        (geocode, serde_json::json!({"inputs": {}}), 400, "inputs.addresses"),
        (geocode, serde_json::json!({"inputs": {"addresses": [1]}}), 400, "inputs.addresses[0]"),
        (geocode, serde_json::json!({"inputs": {"addresses": [{"adress": "x"}]}}), 400, "adress"),
        (geocode, serde_json::json!({"inputs": {"addresses": [], "other": 1}}), 400, "other"),
        (geocode, serde_json::json!({"inputs": {"addresses": []}, "response": "table"}), 400, "raw or document"),
        (geocode, serde_json::json!({"inputs": {"addresses": []}, "outputs": {"x": {}}}), 400, "no output \"x\""),
    ] {
        let (answered, problem) = served.json(path, &body);
        assert_eq!(answered, status, "{problem}");
        assert_eq!(problem["status"], status);
        assert!(problem["detail"].as_str().unwrap().contains(part), "{problem}");
    }
    for (path, part) in
        [("/processes/x", "no process"), ("/jobs/7", "no job"), ("/jobs/x/results", "no job"), ("/x", "nothing here")]
    {
        let (status, kind, problem) = served.get(path);
        assert_eq!((status, kind.as_str()), (404, "application/problem+json"));
        assert!(problem["detail"].as_str().unwrap().contains(part), "{problem}");
    }
    assert_eq!(served.post("/processes", &[], "").0, 405);
    let (status, _, text) = served.post("/openls", &[], "<XLS/>");
    assert!(status == 400 && text.contains("errorCode"), "{text}");
    // A client that has not sent all sees the answer, and not a broken connection; one that waits for the word sends nothing.
    for (bytes, expect) in [((8 << 20) + 1, None), (9 << 20, None), (40 << 20, None), (40 << 20, Some("100-continue"))]
    {
        let headers: Vec<(&str, &str)> = expect.map(|e| ("expect", e)).into_iter().collect();
        let (status, _, text) = served.post(geocode, &headers, &"x".repeat(bytes));
        let problem: serde_json::Value = serde_json::from_str(&text).unwrap();
        assert_eq!((status, &problem["status"]), (413, &413.into()), "{bytes} {expect:?}");
        let detail = problem["detail"].as_str().unwrap();
        assert!(detail.starts_with(&format!("the request has {bytes} bytes, and 8388608 at most")), "{detail}");
    }
}

#[test]
fn executions_at_once_and_as_jobs() {
    let served = Houses::with(5, None);
    let geocode = "/processes/geocode/execution";
    let body = serde_json::json!({"inputs": {"addresses": ["3 Heron Ln, Ternport OR", {"id": "b", "address": "9 Nowhere Rd, Gullhaven"}]}});
    let (status, raw) = served.json(geocode, &body);
    assert_eq!((status, raw.as_array().unwrap().len()), (200, 2));
    assert_eq!(raw[0]["features"][0]["properties"]["number"], "3");
    assert_eq!(raw[1]["id"], "b");
    assert!(raw[1]["reason"].as_str().unwrap().contains("Gullhaven"), "why nothing is taken");
    let mut document = body.clone();
    document["response"] = "document".into();
    assert_eq!(served.json(geocode, &document).1, serde_json::json!({ "results": raw }));

    let (status, headers, text) = served.post(geocode, &[("prefer", "respond-async")], &document.to_string());
    let started: serde_json::Value = serde_json::from_str(&text).unwrap();
    assert_eq!((status, headers["preference-applied"].as_str()), (201, "respond-async"));
    assert_eq!(started["processID"], "geocode");
    let job = headers["location"].clone();
    let mut state = serde_json::Value::Null;
    for _ in 0..500 {
        state = served.get(&job).2;
        if state["status"] == "successful" {
            break;
        }
        std::thread::sleep(Duration::from_millis(10));
    }
    assert_eq!(state["status"], "successful", "{state}");
    let results = state["links"].as_array().unwrap().iter().find(|l| l["rel"].as_str().unwrap().ends_with("/results"));
    let (status, _, results) = served.get(results.unwrap()["href"].as_str().unwrap());
    assert_eq!((status, results), (200, serde_json::json!({ "results": raw })));
}
