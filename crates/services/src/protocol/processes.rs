//! OGC API - Processes, part 1 (OGC 18-062r2): a process that geocodes, found in the service's list, described by
//! itself, executed at once or as a job.
//!
//! The standard says how a process is described and executed, not what a geocoding process is called or takes. One is
//! recognised by its id, its input by its schema: a list of addresses (objects with the parts of [`Question`], or texts),
//! or one address as a text. It answers with GeoJSON features, whose positions are longitude and latitude of WGS 84
//! (RFC 7946): for a list of addresses with a list of feature collections, each with the `id` of its address or in the
//! order of the addresses.

use super::{Exchange, Protocol, Trouble};
use crate::heights::Spot;
use crate::redirect::led_to;
use crate::web::{Method, Request, Response, Transport, json_of};
use crate::{Answer, AxisOrder, Place, Question, ServiceError};
use serde_json::{Map, Value, json};
use std::time::Duration;

/// The relation of a link to the results of a job.
const RESULTS: &str = "/rel/ogc/1.0/results";
/// The longest time that a job may take.
const LONGEST_JOB: Duration = Duration::from_secs(3600);
const LONGEST_PAUSE: Duration = Duration::from_secs(10);
/// Addresses in a request where the description bounds them no further.
const MOST: usize = 1000;

/// What the input of addresses looks like.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
enum Input {
    /// A list of objects.
    Objects,
    /// A list of texts.
    Texts,
    /// One text.
    Text,
    /// A list of positions, longitude first.
    Positions,
}

/// A service with a process that geocodes.
#[derive(Debug, Clone)]
pub struct Processes {
    /// Where the process is executed.
    execution: String,
    input: (String, Input),
    most: usize,
    /// Whether it is executed as a job only.
    is_job: bool,
}

impl Processes {
    /// Finds the process: at the address of one, or in the list of a service.
    ///
    /// # Errors
    /// [`ServiceError::Failed`] where there is no list or no such process, or where there are several;
    /// [`ServiceError::NoAnswer`] where the service cannot be reached.
    pub fn find(address: &str, transport: &dyn Transport) -> Result<Self, ServiceError> {
        let is_one = |id: &str| id.contains("geocod") && !id.contains("reverse");
        Processes::found(address, transport, &is_one, "geocodes", Processes::described)
    }

    /// Finds the process that gives the addresses near positions, in the same way.
    ///
    /// # Errors
    /// As [`Processes::find`].
    pub fn find_reverse(address: &str, transport: &dyn Transport) -> Result<Self, ServiceError> {
        let is_one = |id: &str| id.contains("reverse") || id.contains("nearest");
        Processes::found(address, transport, &is_one, "gives addresses of positions", Processes::described_reverse)
    }

    /// The process of a list whose id is one, or the one at an address.
    fn found(
        address: &str,
        transport: &dyn Transport,
        is_one: &dyn Fn(&str) -> bool,
        does: &str,
        described: fn(&str, &Value) -> Result<Self, String>,
    ) -> Result<Self, ServiceError> {
        let failed = |problem: String| ServiceError::Failed { address: address.to_string(), problem };
        let base = address.trim_end_matches('/').trim_end_matches("/execution");
        let get = |address: &str| json_of(address, transport);
        // The address of a process itself.
        if base.contains("/processes/") {
            return described(base, &get(base)?).map_err(failed);
        }
        let list = format!("{}/processes", base.trim_end_matches("/processes"));
        let all = get(&list)?;
        let processes = all.get("processes").and_then(Value::as_array);
        let processes = processes.ok_or_else(|| failed(format!("{list} is no list of processes")))?;
        let ids = processes.iter().filter_map(|p| p.get("id").and_then(Value::as_str));
        let found: Vec<&str> = ids.filter(|id| is_one(&id.to_lowercase())).collect();
        match found[..] {
            [id] => {
                let process = format!("{list}/{id}");
                described(&process, &get(&process)?).map_err(failed)
            }
            [] => Err(failed(format!("none of the {} processes of {list} {does}", processes.len()))),
            _ => Err(failed(format!(
                "several processes may be the one that {does}; say its address, {list}/{}",
                found.join(" or ")
            ))),
        }
    }

    /// By the description of a process that takes positions.
    fn described_reverse(address: &str, description: &Value) -> Result<Self, String> {
        let inputs = description.get("inputs").and_then(Value::as_object).ok_or("the process describes no inputs")?;
        let input = inputs.get("positions").ok_or_else(|| {
            let names: Vec<&str> = inputs.keys().map(String::as_str).collect();
            format!("none of the inputs of the process is called positions; there are {}", names.join(", "))
        })?;
        let schema = input.get("schema").unwrap_or(&Value::Null);
        let kind = |schema: &Value| schema.get("type").and_then(Value::as_str).unwrap_or_default().to_string();
        let items = schema.get("items").unwrap_or(&Value::Null);
        if (kind(schema).as_str(), kind(items).as_str()) != ("array", "array") {
            return Err("the input positions is no list of positions".into());
        }
        let bound = schema.get("maxItems").and_then(Value::as_u64).map_or(MOST, |n| n as usize);
        Ok(Processes {
            execution: format!("{address}/execution"),
            input: ("positions".into(), Input::Positions),
            most: bound.clamp(1, MOST),
            is_job: is_job_only(description),
        })
    }

    /// By the description of a process.
    fn described(address: &str, description: &Value) -> Result<Self, String> {
        let inputs = description.get("inputs").and_then(Value::as_object).ok_or("the process describes no inputs")?;
        let of = |name: &str| inputs.get_key_value(name).map(|(name, input)| (name.as_str(), input));
        let only = || inputs.iter().next().filter(|_| inputs.len() == 1).map(|(n, i)| (n.as_str(), i));
        let (name, input) = of("addresses").or_else(|| of("address")).or_else(only).ok_or_else(|| {
            let names: Vec<&str> = inputs.keys().map(String::as_str).collect();
            format!("none of the inputs of the process is called addresses or address; there are {}", names.join(", "))
        })?;
        let schema = input.get("schema").unwrap_or(&Value::Null);
        let kind = |schema: &Value| schema.get("type").and_then(Value::as_str).unwrap_or_default().to_string();
        let items = schema.get("items").unwrap_or(&Value::Null);
        let form = match (kind(schema).as_str(), kind(items).as_str()) {
            ("array", "string") => Input::Texts,
            ("array", _) => Input::Objects,
            ("string", _) => Input::Text,
            // An input that may come several times is a list.
            (other, _) => return Err(format!("the input {name} is of type \"{other}\"; a text or a list is expected")),
        };
        let bound = schema.get("maxItems").and_then(Value::as_u64).map_or(MOST, |n| n as usize);
        Ok(Processes {
            execution: format!("{address}/execution"),
            input: (name.to_string(), form),
            most: if form == Input::Text { 1 } else { bound.clamp(1, MOST) },
            is_job: is_job_only(description),
        })
    }

    /// What is sent for addresses.
    fn document(&self, questions: &[Question]) -> Value {
        let object = |(id, q): (usize, &Question)| {
            let parts = serde_json::to_value(q).unwrap_or_default();
            let filled = parts.as_object().into_iter().flatten().filter(|(_, v)| v.as_str() != Some(""));
            let mut fields: Map<String, Value> = filled.map(|(n, v)| (n.clone(), v.clone())).collect();
            fields.insert("id".into(), id.to_string().into());
            Value::Object(fields)
        };
        let (name, form) = &self.input;
        let value: Value = match form {
            Input::Objects => questions.iter().enumerate().map(object).collect(),
            Input::Texts => questions.iter().map(|q| Value::from(q.line())).collect(),
            Input::Text => questions.first().map(Question::line).into(),
            Input::Positions => Value::Null,
        };
        json!({ "inputs": { name: value }, "response": "document" })
    }

    /// Waits for a job, and gets its results.
    fn results_of(&self, job: &str, first: &Response, exchange: &dyn Exchange) -> Result<Response, Trouble> {
        let job = led_to(&self.execution, job).map_err(failed)?;
        let begun = exchange.elapsed();
        let mut status: Value = serde_json::from_slice(&first.body).unwrap_or_default();
        let mut pause = Duration::from_millis(250);
        loop {
            match status.get("status").and_then(Value::as_str) {
                Some("successful") => break,
                Some(ended @ ("failed" | "dismissed")) => {
                    let why = status.get("message").and_then(Value::as_str).unwrap_or("without a reason");
                    return Err(Trouble::Refused(format!("the service's job is {ended}: {why}")));
                }
                _ => {}
            }
            if exchange.elapsed().saturating_sub(begun) > LONGEST_JOB {
                // Whether it can be ended changes nothing for us.
                let end = Request { method: Method::Delete, ..Request::get(&job) };
                let _ = exchange.send_unpaid(&end);
                return Err(failed(format!("the job {job} takes more than an hour")));
            }
            exchange.pause(pause)?;
            pause = (pause * 2).min(LONGEST_PAUSE);
            let response = exchange.send_unpaid(&Request::get(&job).with("accept", "application/json"))?;
            status = serde_json::from_slice(&response.body).map_err(|_| failed("the status of the job is no JSON"))?;
        }
        let links = status.get("links").and_then(Value::as_array).into_iter().flatten();
        let is_results = |l: &&Value| l.get("rel").and_then(Value::as_str).is_some_and(|r| r.ends_with(RESULTS));
        let link = links.filter(is_results).find_map(|l| l.get("href").and_then(Value::as_str));
        let results = match link {
            Some(link) => led_to(&job, link).map_err(failed)?,
            None => format!("{}/results", job.trim_end_matches('/')),
        };
        exchange.send_unpaid(&Request::get(results).with("accept", "application/json"))
    }
}

impl Processes {
    /// Executes the process, at once or as a job, and gives what it came to.
    fn executed(&self, document: &Value, exchange: &dyn Exchange) -> Result<Value, Trouble> {
        let body = serde_json::to_vec(document).unwrap_or_default();
        let mut request = Request::post(&self.execution, "application/json", body)
            .with("accept", "application/json, application/geo+json");
        if self.is_job {
            request = request.with("prefer", "respond-async");
        }
        let mut response = exchange.send(&request)?;
        // A service may make a job of what was to be done at once.
        if response.status == 201 {
            let job = response.header("location").ok_or_else(|| failed("a job without an address"))?.to_string();
            response = self.results_of(&job, &response, exchange)?;
        }
        serde_json::from_slice(&response.body).map_err(|e| failed(format!("it is no JSON: {e}")))
    }
}

impl Protocol for Processes {
    fn name(&self) -> &'static str {
        "OGC API - Processes"
    }

    fn most_at_once(&self) -> usize {
        self.most
    }

    fn ask(&self, questions: &[Question], exchange: &dyn Exchange) -> Result<Vec<Option<Answer>>, Trouble> {
        answers(&self.executed(&self.document(questions), exchange)?, questions.len())
    }
}

impl Protocol<Spot, Answer> for Processes {
    fn name(&self) -> &'static str {
        "OGC API - Processes"
    }

    fn most_at_once(&self) -> usize {
        self.most
    }

    fn ask(&self, spots: &[Spot], exchange: &dyn Exchange) -> Result<Vec<Option<Answer>>, Trouble> {
        let positions: Vec<[f64; 2]> = spots.iter().map(|s| [s.lon_deg(), s.lat_deg()]).collect();
        let document = json!({ "inputs": { self.input.0.as_str(): positions }, "response": "document" });
        reverse_answers(&self.executed(&document, exchange)?, spots.len())
    }
}

/// Whether a process is executed as a job only.
fn is_job_only(description: &Value) -> bool {
    let options = description.get("jobControlOptions").and_then(Value::as_array).cloned().unwrap_or_default();
    let may = |option: &str| options.iter().any(|o| o == option);
    may("async-execute") && !may("sync-execute")
}

/// The answers for positions: a list with a feature, a collection of them or null for each, in their order.
fn reverse_answers(value: &Value, asked: usize) -> Result<Vec<Option<Answer>>, Trouble> {
    let of_outputs =
        value.as_object().and_then(|o| o.values().map(|v| v.get("value").unwrap_or(v)).find(|v| v.is_array()));
    let list = value.as_array().or_else(|| of_outputs?.as_array());
    let list = list.ok_or_else(|| failed("there is no list of features in it"))?;
    // The order is all that says what they are answers to.
    if list.len() != asked {
        return Err(Trouble::Refused(format!("{} answers for {asked} positions", list.len())));
    }
    let one = |value: &Value| match value {
        Value::Null => Ok(Answer::default()),
        found if is_collection(found) => answer(found),
        found => Ok(Answer { places: vec![place(found)?] }),
    };
    list.iter().map(|v| one(v).map(Some)).collect()
}

fn failed(problem: impl AsRef<str>) -> Trouble {
    Trouble::Failed(format!("its answer is not what OGC API - Processes says: {}", problem.as_ref()))
}

fn is_collection(value: &Value) -> bool {
    value.get("type").and_then(Value::as_str) == Some("FeatureCollection")
}

/// The answers of a document: a collection for one address, a list of them for several.
fn answers(value: &Value, asked: usize) -> Result<Vec<Option<Answer>>, Trouble> {
    if is_collection(value) {
        if asked == 1 {
            return Ok(vec![Some(answer(value)?)]);
        }
        return Err(Trouble::Refused(format!("one collection of features for {asked} addresses")));
    }
    if let Some(list) = value.as_array().filter(|l| l.iter().all(is_collection)) {
        return of_list(list, asked);
    }
    // The results of a process by the names of its outputs; a value may be wrapped to say its type.
    let outputs = value.as_object().into_iter().flat_map(Map::values);
    let of_value = |v: &Value| v.get("value").unwrap_or(v).clone();
    let found =
        outputs.map(of_value).find(|v| is_collection(v) || v.as_array().is_some_and(|l| l.iter().all(is_collection)));
    match found {
        Some(found) => answers(&found, asked),
        None => Err(failed("there is no collection of features in it")),
    }
}

fn of_list(list: &[Value], asked: usize) -> Result<Vec<Option<Answer>>, Trouble> {
    let id = |collection: &Value| match collection.get("id")? {
        Value::String(text) => text.parse::<usize>().ok(),
        other => other.as_u64().map(|n| n as usize),
    };
    let ids: Vec<Option<usize>> = list.iter().map(id).collect();
    let mut out: Vec<Option<Answer>> = vec![None; asked];
    if ids.iter().any(Option::is_some) {
        for (collection, id) in list.iter().zip(ids) {
            let place = id
                .and_then(|id| out.get_mut(id))
                .ok_or_else(|| failed("an answer with an id that nobody asked for"))?;
            // Two answers to one question: neither is sure to be its own.
            if place.replace(answer(collection)?).is_some() {
                return Err(Trouble::Refused(format!("two answers have the id {}", id.unwrap_or_default())));
            }
        }
        return Ok(out);
    }
    if list.len() != asked {
        return Err(Trouble::Refused(format!("{} answers without ids for {asked} addresses", list.len())));
    }
    list.iter().map(|collection| answer(collection).map(Some)).collect()
}

fn answer(collection: &Value) -> Result<Answer, Trouble> {
    let features = collection.get("features").and_then(Value::as_array).ok_or_else(|| failed("no features"))?;
    Ok(Answer { places: features.iter().map(place).collect::<Result<_, _>>()? })
}

fn place(feature: &Value) -> Result<Place, Trouble> {
    let geometry = feature.get("geometry").unwrap_or(&Value::Null);
    let kind = geometry.get("type").and_then(Value::as_str).unwrap_or_default();
    let numbers = geometry.get("coordinates").and_then(Value::as_array).filter(|_| kind == "Point");
    let number = |at: usize| numbers.and_then(|n| n.get(at)).and_then(Value::as_f64);
    let (Some(lon), Some(lat)) = (number(0), number(1)) else {
        return Err(failed("a feature without a point"));
    };
    let nothing = Map::new();
    let properties = feature.get("properties").and_then(Value::as_object).unwrap_or(&nothing);
    let of = |names: &[&str]| {
        let found = names.iter().find_map(|n| properties.get(*n).filter(|v| !v.is_null()));
        found.map_or(String::new(), |v| v.as_str().map_or_else(|| v.to_string(), |t| t.trim().to_string()))
    };
    Ok(Place {
        position: [lon, lat],
        order: Some(AxisOrder::LonLat),
        system: None,
        address: of(&["address", "label", "name"]),
        number: of(&["number", "house_number"]),
        street: of(&["street", "thoroughfare"]),
        unit: of(&["unit"]),
        locality: of(&["locality", "municipality", "city"]),
        region: of(&["region", "state", "province"]),
        postcode: of(&["postcode", "postal_code"]),
        country: of(&["country_code", "country"]),
        level: of(&["level", "match_type"]),
        score: of(&["score", "confidence"]),
        accuracy_m: super::number(&of(&["radius_m", "accuracy_m"])).filter(|r| *r >= 0.0),
    })
}

#[cfg(test)]
mod tests {
    use super::super::tests::Laid;
    use super::*;

    fn process(most: usize, form: Input, is_job: bool) -> Processes {
        Processes {
            execution: "http://tern.example/api/processes/geocode/execution".into(),
            input: ("addresses".into(), form),
            most,
            is_job,
        }
    }

    fn collection(id: &str, lon: f64) -> String {
        format!(
            r#"{{"type":"FeatureCollection",{id}"features":[{{"type":"Feature","geometry":{{"type":"Point","coordinates":[{lon},46.2]}},"properties":{{"number":12,"street":"Heron Ln","score":0.9,"radius_m":30}}}}]}}"#
        )
    }

    fn questions(n: usize) -> Vec<Question> {
        (0..n).map(|i| Question { number: i.to_string(), street: "Heron Ln".into(), ..Default::default() }).collect()
    }

    #[test]
    fn a_process_is_known_by_its_description() {
        let description = json!({"id": "geocode", "jobControlOptions": ["async-execute"], "inputs": {
            "addresses": {"schema": {"type": "array", "items": {"type": "object"}, "maxItems": 20}},
            "country": {"schema": {"type": "string"}}}});
        let found = Processes::described("http://tern.example/processes/geocode", &description).unwrap();
        assert_eq!((found.input.1, found.most, found.is_job), (Input::Objects, 20, true));
        let text = json!({"inputs": {"text": {"schema": {"type": "string"}}}});
        let found = Processes::described("http://tern.example/processes/geocode", &text).unwrap();
        assert_eq!((found.input, found.most, found.is_job), (("text".into(), Input::Text), 1, false));
        let other = json!({"inputs": {"a": {}, "b": {}}});
        assert!(Processes::described("x", &other).unwrap_err().contains("there are a, b"));
    }

    #[test]
    fn what_is_sent() {
        let sent = process(9, Input::Objects, false).document(&questions(2));
        assert_eq!(sent["inputs"]["addresses"][1], json!({"id": "1", "number": "1", "street": "Heron Ln"}));
        let sent = process(9, Input::Texts, false).document(&questions(2));
        assert_eq!(sent["inputs"]["addresses"], json!(["0 Heron Ln", "1 Heron Ln"]));
        assert_eq!(process(1, Input::Text, false).document(&questions(1))["inputs"]["addresses"], json!("0 Heron Ln"));
    }

    #[test]
    fn answers_find_their_questions() {
        let (a, b) = (collection("\"id\":\"1\",", -123.1), collection("\"id\":0,", -123.0));
        let lon = |answers: &[Option<Answer>], at: usize| answers[at].as_ref().map(|a| a.places[0].position[0]);
        let ask = |body: String, n: usize| {
            process(9, Input::Objects, false).ask(&questions(n), &Laid::with(&[(200, &[], &body)]))
        };
        let out = ask(format!(r#"{{"results":[{a},{b}]}}"#), 2).unwrap();
        assert_eq!((lon(&out, 0), lon(&out, 1)), (Some(-123.0), Some(-123.1)), "in another order");
        let out = ask(format!(r#"{{"results":{{"value":[{a}]}}}}"#), 3).unwrap();
        assert_eq!((lon(&out, 0), lon(&out, 1), lon(&out, 2)), (None, Some(-123.1), None), "the others were left out");
        assert!(matches!(ask(format!("[{a},{a}]"), 2), Err(Trouble::Refused(p)) if p.contains("two answers")));
        let plain = collection("", -123.5);
        assert!(matches!(ask(format!("[{plain}]"), 2), Err(Trouble::Refused(p)) if p.contains("without ids")));
        let place = &ask(plain.clone(), 1).unwrap()[0].as_ref().unwrap().places[0].clone();
        assert_eq!((place.number.as_str(), place.score.as_str(), place.accuracy_m), ("12", "0.9", Some(30.0)));
        for broken in ["", "[", "{}", "[1]", r#"{"type":"FeatureCollection"}"#, &plain.replace("-123.5", "null")] {
            assert!(matches!(ask(broken.to_string(), 1), Err(Trouble::Failed(_))), "{broken}");
        }
    }

    #[test]
    fn jobs_are_waited_for() {
        let results = format!(r#"{{"results":[{}]}}"#, collection("", -123.0));
        let link = r#"{"status":"successful","links":[{"rel":"http://www.opengis.net/def/rel/ogc/1.0/results","href":"/api/jobs/7/out"}]}"#;
        let laid = Laid::with(&[
            (201, &[("location", "../jobs/7")], r#"{"status":"accepted"}"#),
            (200, &[], r#"{"status":"running"}"#),
            (200, &[], link),
            (200, &[], &results),
        ]);
        assert!(process(9, Input::Objects, true).ask(&questions(1), &laid).unwrap()[0].is_some());
        let asked = laid.requests.borrow();
        assert_eq!(asked[0].headers.iter().find(|(n, _)| n == "prefer").unwrap().1, "respond-async");
        assert_eq!(asked[3].address, "http://tern.example/api/jobs/7/out");
        let failed =
            Laid::with(&[(201, &[("location", "/jobs/7")], r#"{"status":"failed","message":"no such country"}"#)]);
        let out = process(9, Input::Objects, true).ask(&questions(1), &failed);
        assert!(matches!(out, Err(Trouble::Refused(p)) if p.contains("no such country")));
    }
}
