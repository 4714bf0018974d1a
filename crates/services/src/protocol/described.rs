//! Services that speak no open protocol, described in a small TOML file: how a request is written, and where the places
//! are in the JSON that comes back.
//!
//! ```
//! use basilocus_services::protocol::Described;
//!
//! let service = Described::parse(
//!     r#"
//! name = "Tern County"
//! request = "https://geocoder.example/find?text={line}&most=5"
//!
//! [answer]
//! places = "/results"
//! lon = "/at/0"
//! lat = "/at/1"
//! address = "/title"
//! score = "/points"
//! "#,
//! )?;
//! assert_eq!(service.address(), "https://geocoder.example/find?text={line}&most=5");
//! # Ok::<(), String>(())
//! ```

use super::{Exchange, Protocol, Trouble};
use crate::web::{Request, in_address};
use crate::{Answer, AxisOrder, Place, Question, ServiceError};
use serde::Deserialize;
use serde_json::Value;
use std::collections::BTreeMap;
use std::path::Path;

/// A service as a file describes it.
#[derive(Debug, Clone, PartialEq, Deserialize)]
#[serde(deny_unknown_fields)]
pub struct Described {
    /// Its name, for messages.
    name: String,
    /// The address of a request, with the parts of the question in braces: `{line}` for the whole address in a line,
    /// `{number}`, `{street}`, `{unit}`, `{locality}`, `{region}`, `{postcode}`, `{country}`.
    request: String,
    /// A body, which makes it a `POST`: JSON with the same parts inside of texts.
    #[serde(default)]
    body: Option<String>,
    /// Further headers.
    #[serde(default)]
    headers: BTreeMap<String, String>,
    /// Where the places are.
    answer: AnswerPaths,
    /// What the service's words for a level mean, by the names of our levels.
    #[serde(default)]
    levels: BTreeMap<String, String>,
}

/// JSON pointers (RFC 6901): of the list of places in the document, and of what is known of a place inside it.
#[derive(Debug, Clone, PartialEq, Deserialize)]
#[serde(deny_unknown_fields)]
struct AnswerPaths {
    /// Statuses that say that no place is known, such as 404; others than those of success are errors.
    #[serde(default)]
    none: Vec<u16>,
    places: String,
    lon: String,
    lat: String,
    address: Option<String>,
    number: Option<String>,
    street: Option<String>,
    unit: Option<String>,
    locality: Option<String>,
    region: Option<String>,
    postcode: Option<String>,
    country: Option<String>,
    level: Option<String>,
    score: Option<String>,
    accuracy_m: Option<String>,
}

/// The status of an answer without a body.
const NO_CONTENT: u16 = 204;
/// The parts of a question that may stand in braces.
const PARTS: [&str; 8] = ["line", "number", "street", "unit", "locality", "region", "postcode", "country"];

impl Described {
    /// Reads a file.
    ///
    /// # Errors
    /// [`ServiceError::Description`] with what is wrong and what is expected.
    pub fn read(path: &Path) -> Result<Self, ServiceError> {
        let failed = |problem: String| ServiceError::Description { path: path.to_path_buf(), problem };
        let text = std::fs::read_to_string(path).map_err(|e| failed(e.to_string()))?;
        Described::parse(&text).map_err(failed)
    }

    /// Reads the text of such a file.
    ///
    /// # Errors
    /// What is wrong with it.
    pub fn parse(text: &str) -> Result<Self, String> {
        let described: Described = toml::from_str(text).map_err(|e| e.to_string().trim_end().to_string())?;
        described.check()?;
        Ok(described)
    }

    /// The address of its requests, as it is described.
    pub fn address(&self) -> &str {
        &self.request
    }

    /// The words for levels, and the names of ours that they mean.
    pub fn levels(&self) -> &BTreeMap<String, String> {
        &self.levels
    }

    fn check(&self) -> Result<(), String> {
        let mut asks = false;
        for (what, text) in [("request", Some(&self.request)), ("body", self.body.as_ref())] {
            for piece in pieces(text.map_or("", String::as_str)) {
                let Piece::Part(name) = piece else { continue };
                asks = true;
                if !PARTS.contains(&name) {
                    return Err(format!("`{what}` has {{{name}}}; {} are expected in braces", PARTS.join(", ")));
                }
            }
        }
        if !asks {
            return Err(format!(
                "`request` and `body` ask for no address; {{line}} or another of {} is expected",
                PARTS.join(", ")
            ));
        }
        if let Some(body) = &self.body {
            let filled = filled(body, &Question::default(), &in_json);
            serde_json::from_str::<Value>(&filled).map_err(|e| format!("`body` is no JSON: {e}"))?;
        }
        let a = &self.answer;
        let all = [
            Some(&a.places),
            Some(&a.lon),
            Some(&a.lat),
            a.address.as_ref(),
            a.number.as_ref(),
            a.street.as_ref(),
            a.unit.as_ref(),
            a.locality.as_ref(),
            a.region.as_ref(),
            a.postcode.as_ref(),
            a.country.as_ref(),
            a.level.as_ref(),
            a.score.as_ref(),
            a.accuracy_m.as_ref(),
        ];
        match all.into_iter().flatten().find(|p| !(p.is_empty() || p.starts_with('/'))) {
            Some(bad) => Err(format!("\"{bad}\" is no JSON pointer: one begins with /, as in /results/0/position")),
            None => Ok(()),
        }
    }
}

/// A piece of a template.
enum Piece<'a> {
    Text(&'a str),
    Part(&'a str),
}

/// The pieces of a template. Braces around anything but a word belong to the text, as those of JSON do.
fn pieces(template: &str) -> Vec<Piece<'_>> {
    let mut out = Vec::new();
    let mut rest = template;
    let mut from = 0;
    while let Some(open) = rest[from..].find('{').map(|at| from + at) {
        let word = rest[open + 1..].find('}').map(|close| &rest[open + 1..open + 1 + close]);
        match word.filter(|w| !w.is_empty() && w.bytes().all(|b| b.is_ascii_lowercase() || b == b'_')) {
            Some(word) => {
                out.push(Piece::Text(&rest[..open]));
                out.push(Piece::Part(word));
                rest = &rest[open + word.len() + 2..];
                from = 0;
            }
            None => from = open + 1,
        }
    }
    out.push(Piece::Text(rest));
    out
}

/// A template with the parts of a question in it.
fn filled(template: &str, q: &Question, write: &dyn Fn(&str) -> String) -> String {
    let part = |name: &str| match name {
        "line" => write(&q.line()),
        "number" => write(&q.number),
        "street" => write(&q.street),
        "unit" => write(&q.unit),
        "locality" => write(&q.locality),
        "region" => write(&q.region),
        "postcode" => write(&q.postcode),
        _ => write(&q.country),
    };
    let piece = |p| match p {
        Piece::Text(text) => text.to_string(),
        Piece::Part(name) => part(name),
    };
    pieces(template).into_iter().map(piece).collect()
}

/// Inside of a text of JSON.
fn in_json(text: &str) -> String {
    let quoted = Value::from(text).to_string();
    quoted[1..quoted.len() - 1].to_string()
}

impl Protocol for Described {
    fn name(&self) -> &'static str {
        "its description"
    }

    fn most_at_once(&self) -> usize {
        1
    }

    fn ask(&self, questions: &[Question], exchange: &dyn Exchange) -> Result<Vec<Option<Answer>>, Trouble> {
        let mut out = Vec::with_capacity(questions.len());
        for question in questions {
            let address = filled(&self.request, question, &in_address);
            let mut request = match &self.body {
                Some(body) => Request::post(address, "application/json", filled(body, question, &in_json).into_bytes()),
                None => Request::get(address),
            };
            for (name, value) in &self.headers {
                request = request.with(name, value);
            }
            request.answers_too = self.answer.none.clone();
            let response = exchange.send(&request)?;
            if response.status == NO_CONTENT || self.answer.none.contains(&response.status) {
                out.push(Some(Answer::default()));
                continue;
            }
            let value =
                serde_json::from_slice(&response.body).map_err(|e| self.failed(&format!("it is no JSON: {e}")))?;
            out.push(Some(self.answer(&value)?));
        }
        Ok(out)
    }
}

impl Described {
    fn failed(&self, problem: &str) -> Trouble {
        Trouble::Failed(format!("the answer of {} is not what its description says: {problem}", self.name))
    }

    fn answer(&self, document: &Value) -> Result<Answer, Trouble> {
        let paths = &self.answer;
        let list = document.pointer(&paths.places);
        // A service that knows no place may leave the list out; another document is no answer.
        let places = match list {
            Some(Value::Array(places)) => places.as_slice(),
            Some(Value::Null) => &[],
            Some(one @ Value::Object(_)) => std::slice::from_ref(one),
            _ => return Err(self.failed(&format!("there is no list of places at \"{}\"", paths.places))),
        };
        Ok(Answer { places: places.iter().map(|p| self.place(p)).collect::<Result<_, _>>()? })
    }

    fn place(&self, place: &Value) -> Result<Place, Trouble> {
        let paths = &self.answer;
        let number = |path: &str| match place.pointer(path) {
            Some(Value::Number(n)) => n.as_f64(),
            Some(Value::String(text)) => super::number(text),
            _ => None,
        };
        let position = |path: &str| {
            number(path).ok_or_else(|| self.failed(&format!("there is no number at \"{path}\" of a place")))
        };
        let text = |path: &Option<String>| match path.as_deref().and_then(|p| place.pointer(p)) {
            None | Some(Value::Null) => String::new(),
            Some(Value::String(text)) => text.trim().to_string(),
            Some(other) => other.to_string(),
        };
        let level = text(&paths.level);
        Ok(Place {
            position: [position(&paths.lon)?, position(&paths.lat)?],
            order: Some(AxisOrder::LonLat),
            system: None,
            address: text(&paths.address),
            number: text(&paths.number),
            street: text(&paths.street),
            unit: text(&paths.unit),
            locality: text(&paths.locality),
            region: text(&paths.region),
            postcode: text(&paths.postcode),
            country: text(&paths.country),
            level: self.levels.get(&level).cloned().unwrap_or(level),
            score: text(&paths.score),
            accuracy_m: paths.accuracy_m.as_deref().and_then(number).filter(|r| *r >= 0.0),
        })
    }
}

#[cfg(test)]
mod tests {
    use super::super::tests::Laid;
    use super::*;
    use proptest::prelude::*;

    const GET: &str = r#"
name = "Tern County"
request = "https://geocoder.example/find?text={line}&in={country}"
headers = { accept = "application/json" }
[answer]
places = "/found"
lon = "/at/0"
lat = "/at/1"
address = "/title"
level = "/how"
[levels]
roof = "address point"
"#;
    const POST: &str = r#"
name = "Tern Estuary"
request = "https://geocoder.example/ask"
body = '{"query": {"street": "{number} {street}", "town": "{locality}"}, "most": 5}'
[answer]
places = ""
lon = "/x"
lat = "/y"
"#;

    #[test]
    fn requests_are_written_as_described() {
        let q = Question {
            number: "12".into(),
            street: "Heron \"Old\" & Co/Ln ü".into(),
            country: "US".into(),
            ..Default::default()
        };
        let laid =
            Laid::with(&[(200, &[], r#"{"found":[{"at":[-123.8,"46.2"],"title":"12 Heron Ln","how":"roof"}]}"#)]);
        let out = Described::parse(GET).unwrap().ask(std::slice::from_ref(&q), &laid).unwrap();
        let place = &out[0].as_ref().unwrap().places[0];
        assert_eq!((place.position, place.level.as_str()), ([-123.8, 46.2], "address point"));
        let address = &laid.requests.borrow()[0].address;
        assert_eq!(
            address,
            "https://geocoder.example/find?text=12%20Heron%20%22Old%22%20%26%20Co%2FLn%20%C3%BC%2C%20US&in=US"
        );
        let laid = Laid::with(&[(200, &[], "[]")]);
        assert_eq!(Described::parse(POST).unwrap().ask(&[q], &laid).unwrap(), [Some(Answer::default())]);
        let body: Value = serde_json::from_slice(&laid.requests.borrow()[0].body).unwrap();
        assert_eq!(body["query"]["street"], "12 Heron \"Old\" & Co/Ln ü");
    }

    #[test]
    fn a_status_may_say_that_there_is_no_place() {
        let service = Described::parse(&GET.replace("[answer]", "[answer]\nnone = [404]")).unwrap();
        let laid = Laid::with(&[(404, &[], "no such place"), (204, &[], "")]);
        let questions = [Question::default(), Question::default()];
        assert_eq!(service.ask(&questions, &laid).unwrap(), [Some(Answer::default()), Some(Answer::default())]);
        assert_eq!(laid.requests.borrow()[0].answers_too, [404]);
    }

    #[test]
    fn bad_descriptions_say_what_is_expected() {
        for (from, to, part) in [
            ("{line}", "{adress}", "{adress}"),
            ("text={line}&in={country}", "text=all", "ask for no address"),
            ("\"/found\"", "\"found\"", "no JSON pointer"),
            ("name =", "nmae =", "nmae"),
            ("lat = \"/at/1\"", "", "lat"),
        ] {
            let problem = Described::parse(&GET.replace(from, to)).unwrap_err();
            assert!(problem.contains(part), "{problem}");
        }
        assert!(Described::parse(&POST.replace("\"most\": 5}", "")).unwrap_err().contains("no JSON"));
    }

    #[test]
    fn other_answers_are_none() {
        let service = Described::parse(GET).unwrap();
        let ask = |body: &str| service.ask(&[Question::default()], &Laid::with(&[(200, &[], body)]));
        for bad in
            ["", "<html>", "{}", r#"{"found": 3}"#, r#"{"found":[{"at":[1]}]}"#, r#"{"found":[{"at":["a","b"]}]}"#]
        {
            assert!(matches!(ask(bad), Err(Trouble::Failed(_))), "{bad}");
        }
        assert_eq!(ask(r#"{"found": null}"#).unwrap(), [Some(Answer::default())]);
    }

    proptest! {
        #[test]
        fn whatever_stands_in_an_address_the_body_is_json(text in "\\PC{0,40}|[\\x00-\\x7f]{0,40}") {
            let q = Question { number: text.clone(), street: "S".into(), locality: text.clone(), ..Default::default() };
            let laid = Laid::with(&[(200, &[], "[]")]);
            Described::parse(POST).unwrap().ask(&[q], &laid).unwrap();
            let body: Value = serde_json::from_slice(&laid.requests.borrow()[0].body).unwrap();
            prop_assert_eq!(body["query"]["town"].as_str().unwrap(), &text);
            let back = in_address(&text);
            prop_assert!(back.bytes().all(|b| b.is_ascii_alphanumeric() || b"-._~%".contains(&b)));
        }
    }
}
