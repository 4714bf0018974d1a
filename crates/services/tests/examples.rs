//! The descriptions of services in `docs/services` are read, and ask and answer as they say.

use basilocus_services::protocol::{Described, Exchange, Protocol, Trouble};
use basilocus_services::web::{Request, Response};
use basilocus_services::{Place, Question};
use std::cell::RefCell;
use std::path::Path;
use std::time::Duration;

/// Answers with a body, and remembers the request.
struct Says(&'static str, RefCell<Option<Request>>);

impl Exchange for Says {
    fn send(&self, request: &Request) -> Result<Response, Trouble> {
        *self.1.borrow_mut() = Some(request.clone());
        Ok(Response { status: 200, headers: Vec::new(), body: self.0.as_bytes().to_vec() })
    }

    fn send_unpaid(&self, request: &Request) -> Result<Response, Trouble> {
        self.send(request)
    }

    fn pause(&self, _: Duration) -> Result<(), Trouble> {
        Ok(())
    }

    fn elapsed(&self) -> Duration {
        Duration::ZERO
    }
}

fn ask(file: &str, answer: &'static str) -> (Request, Place) {
    let path = Path::new(env!("CARGO_MANIFEST_DIR")).join("../../docs/services").join(file);
    let question = Question {
        number: "12".into(),
        street: "Heron Ln".into(),
        locality: "Ternport".into(),
        postcode: "97981".into(),
        country: "US".into(),
        ..Default::default()
    };
    let says = Says(answer, RefCell::default());
    let answers = Described::read(&path).unwrap().ask(&[question], &says).unwrap();
    (says.1.into_inner().unwrap(), answers[0].clone().unwrap().places[0].clone())
}

#[test]
fn by_address() {
    let answer = r#"{"results": [{"position": [-123.8, 46.2], "title": "12 Heron Ln, Ternport", "found_by": "roof", "points": 97}]}"#;
    let (request, place) = ask("by-address.toml", answer);
    assert_eq!(
        request.address,
        "https://geocoder.example/find?text=12%20Heron%20Ln%2C%20Ternport%2C%2097981%2C%20US&in=US&most=5"
    );
    assert_eq!((place.position, place.level.as_str(), place.score.as_str()), ([-123.8, 46.2], "address point", "97"));
}

#[test]
fn by_body() {
    let answer = r#"{"data": {"matches": [{"geo": {"lon": "-123.8", "lat": 46.2, "within_m": 25}, "parts": {"no": 12, "road": "Heron Ln", "town": "Ternport"}}]}}"#;
    let (request, place) = ask("by-body.toml", answer);
    let body: serde_json::Value = serde_json::from_slice(&request.body).unwrap();
    assert_eq!(body["where"]["line"], "12 Heron Ln");
    assert_eq!((place.position, place.number.as_str(), place.accuracy_m), ([-123.8, 46.2], "12", Some(25.0)));
}
