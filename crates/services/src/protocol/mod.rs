//! How questions become requests and responses answers, one file a protocol.
//!
//! To add one: a file here with a [`Protocol`], and its line in [`Kind`] and in [`find()`].

mod described;
mod openls;
mod processes;

pub use described::Described;
pub use openls::OpenLs;
pub use processes::Processes;

use crate::asking::Stop;
use crate::heights::Spot;
use crate::web::{Request, Response, Transport};
use crate::{Answer, Question, ServiceError};
use serde::{Deserialize, Serialize};
use std::fmt::{self, Debug, Display, Formatter};
use std::str::FromStr;
use std::time::Duration;

/// The protocols.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Serialize, Deserialize)]
#[serde(rename_all = "kebab-case")]
#[non_exhaustive]
pub enum Kind {
    /// The location utility service of the OGC's OpenLS 1.2.
    Openls,
    /// OGC API - Processes, part 1.
    Processes,
}

/// Protocols with their names.
pub const KINDS: &[(Kind, &str)] = &[(Kind::Openls, "openls"), (Kind::Processes, "processes")];

impl Display for Kind {
    fn fmt(&self, f: &mut Formatter<'_>) -> fmt::Result {
        f.write_str(KINDS.iter().find(|(k, _)| k == self).map_or("", |(_, n)| n))
    }
}

/// A word that names no protocol.
#[derive(Debug, Clone, PartialEq, Eq, thiserror::Error)]
#[error("\"{given}\" is no protocol; one of {} is expected", KINDS.iter().map(|(_, n)| *n).collect::<Vec<_>>().join(", "))]
pub struct UnknownKind {
    /// What was given.
    pub given: String,
}

impl FromStr for Kind {
    type Err = UnknownKind;

    fn from_str(name: &str) -> Result<Self, UnknownKind> {
        let plain = name.trim().to_lowercase();
        let found = KINDS.iter().find(|(_, n)| *n == plain).map(|(k, _)| *k);
        found.ok_or_else(|| UnknownKind { given: name.to_string() })
    }
}

/// Why questions have no answer.
#[derive(Debug, Clone, PartialEq, Eq)]
pub enum Trouble {
    /// The service does not take these questions; it may take others.
    Refused(String),
    /// It failed at all tries.
    Failed(String),
    /// Nothing more is asked.
    Ended(Stop),
}

/// Sends the requests of a protocol, at a pace and with patience.
pub trait Exchange {
    /// The response, whose status is one of success.
    ///
    /// # Errors
    /// Where there is none after all tries.
    fn send(&self, request: &Request) -> Result<Response, Trouble>;

    /// The same for a request that asks nothing new, so that it is not paid for: how far a job is.
    ///
    /// # Errors
    /// As for [`Exchange::send`].
    fn send_unpaid(&self, request: &Request) -> Result<Response, Trouble>;

    /// Waits, for a job that a service works on.
    ///
    /// # Errors
    /// Where the asking ended meanwhile.
    fn pause(&self, pause: Duration) -> Result<(), Trouble>;

    /// Since the asking began.
    fn elapsed(&self) -> Duration;
}

/// How a service is spoken to: of addresses, unless other questions and answers are said.
pub trait Protocol<Q = Question, A = Answer>: Debug + Send + Sync {
    /// Its name, for people.
    fn name(&self) -> &'static str;

    /// Questions that a request takes at most.
    fn most_at_once(&self) -> usize;

    /// Asks questions. Gives for each its answer, or nothing where the service left it out.
    ///
    /// # Errors
    /// Why none of them has an answer.
    fn ask(&self, questions: &[Q], exchange: &dyn Exchange) -> Result<Vec<Option<A>>, Trouble>;
}

/// The protocol that a service speaks, by what it answers: a list of processes with one that geocodes, else an empty
/// request of OpenLS that it can read.
///
/// # Errors
/// [`ServiceError::NoProtocol`] with what was tried; [`ServiceError::NoAnswer`] where the service cannot be reached.
pub fn find(address: &str, transport: &dyn Transport) -> Result<Box<dyn Protocol>, ServiceError> {
    let mut tried = Vec::new();
    match Processes::find(address, transport) {
        Ok(found) => return Ok(Box::new(found)),
        Err(ServiceError::Failed { problem, .. }) => tried.push(format!("processes: {problem}")),
        Err(e) => return Err(e),
    }
    match OpenLs::find(address, transport) {
        Ok(found) => return Ok(Box::new(found)),
        Err(ServiceError::Failed { problem, .. }) => tried.push(format!("openls: {problem}")),
        Err(e) => return Err(e),
    }
    Err(ServiceError::NoProtocol { address: address.to_string(), tried: tried.join("; ") })
}

/// How a service is asked for the addresses near positions: as [`find`].
///
/// # Errors
/// As for [`find`].
pub fn find_reverse(
    address: &str,
    kind: Option<Kind>,
    transport: &dyn Transport,
) -> Result<Box<dyn Protocol<Spot, Answer>>, ServiceError> {
    let mut tried = Vec::new();
    if kind != Some(Kind::Openls) {
        match (Processes::find_reverse(address, transport), kind) {
            (Ok(found), _) => return Ok(Box::new(found)),
            (Err(ServiceError::Failed { problem, .. }), None) => tried.push(format!("processes: {problem}")),
            (Err(e), _) => return Err(e),
        }
    }
    if kind.is_some() {
        return Ok(Box::new(OpenLs::new(address)));
    }
    match OpenLs::find(address, transport) {
        Ok(found) => Ok(Box::new(found)),
        Err(ServiceError::Failed { problem, .. }) => {
            tried.push(format!("openls: {problem}"));
            Err(ServiceError::NoProtocol { address: address.to_string(), tried: tried.join("; ") })
        }
        Err(e) => Err(e),
    }
}

/// A protocol that was said.
///
/// # Errors
/// As for [`find`].
pub fn of_kind(kind: Kind, address: &str, transport: &dyn Transport) -> Result<Box<dyn Protocol>, ServiceError> {
    Ok(match kind {
        Kind::Openls => Box::new(OpenLs::new(address)),
        Kind::Processes => Box::new(Processes::find(address, transport)?),
    })
}

/// What a body says of a problem, in one line: the title and detail of problem details (RFC 9457), the message of an XML
/// error, else the beginning of a text. Nothing of pages for browsers.
pub(crate) fn problem_of(body: &[u8]) -> String {
    let text = String::from_utf8_lossy(&body[..body.len().min(1 << 16)]);
    let text = text.trim();
    let one_line = |t: &str| t.split_whitespace().collect::<Vec<_>>().join(" ");
    if let Ok(serde_json::Value::Object(fields)) = serde_json::from_str(text) {
        let of = |name: &str| fields.get(name).and_then(|v| v.as_str()).map(one_line);
        let parts: Vec<String> = ["title", "detail", "message", "description"].into_iter().filter_map(of).collect();
        return parts.join(": ");
    }
    if text.starts_with('<') {
        let Ok(document) = roxmltree::Document::parse(text) else { return String::new() };
        let said = document.descendants().find_map(|n| n.attribute("message").map(one_line));
        return said.unwrap_or_default();
    }
    one_line(text)
}

/// A text that stands for a number, else nothing.
pub(crate) fn number(text: &str) -> Option<f64> {
    text.trim().parse::<f64>().ok().filter(|v| v.is_finite())
}

/// The EPSG code and the order of axes that the name of a system says. A bare `EPSG:4326` says no order: services write
/// it for both.
pub(crate) fn system_of(name: &str) -> Result<(Option<u32>, Option<crate::AxisOrder>), String> {
    use crate::AxisOrder::{LatLon, LonLat};
    let name = name.trim();
    let lower = name.to_lowercase();
    if name.is_empty() {
        return Ok((None, None));
    }
    if lower.ends_with("crs84") {
        return Ok((None, Some(LonLat)));
    }
    let digits = lower.rsplit([':', '/', '#']).next().unwrap_or_default();
    let code = digits.parse::<u32>().ok().filter(|_| lower.contains("epsg"));
    let code = code.ok_or_else(|| format!("the system \"{name}\" is not known by a code of EPSG or as CRS84"))?;
    // Names that bind to the order of the registry: latitude first in geographic systems.
    let is_bound = lower.starts_with("urn:ogc:def:crs:epsg") || lower.contains("/def/crs/epsg/");
    let order = match (code, is_bound) {
        (4326 | 4258 | 4269, true) => Some(LatLon),
        (4326 | 4258 | 4269, false) => None,
        _ => return Err(format!("positions in EPSG:{code} are not read; WGS 84 in degrees is expected")),
    };
    Ok((Some(code).filter(|c| *c != 4326), order))
}

#[cfg(test)]
pub(crate) mod tests {
    use super::*;
    use crate::AxisOrder::{LatLon, LonLat};
    use std::cell::RefCell;

    /// Status, headers and body of a response.
    pub(crate) type LaidDown<'a> = (u16, &'a [(&'a str, &'a str)], &'a str);

    /// Answers with what was laid down, and remembers what was asked.
    pub(crate) struct Laid {
        pub responses: RefCell<Vec<Response>>,
        pub requests: RefCell<Vec<Request>>,
    }

    impl Laid {
        pub(crate) fn with(bodies: &[LaidDown]) -> Self {
            let responses = bodies.iter().rev().map(|(status, headers, body)| Response {
                status: *status,
                headers: headers.iter().map(|(n, v)| (n.to_string(), v.to_string())).collect(),
                body: body.as_bytes().to_vec(),
            });
            Laid { responses: RefCell::new(responses.collect()), requests: RefCell::new(Vec::new()) }
        }
    }

    impl Exchange for Laid {
        fn send(&self, request: &Request) -> Result<Response, Trouble> {
            self.requests.borrow_mut().push(request.clone());
            self.responses.borrow_mut().pop().ok_or(Trouble::Failed("nothing is laid down".into()))
        }

        fn send_unpaid(&self, request: &Request) -> Result<Response, Trouble> {
            self.send(request)
        }

        fn pause(&self, _: Duration) -> Result<(), Trouble> {
            Ok(())
        }

        fn elapsed(&self) -> Duration {
            Duration::from_secs(self.requests.borrow().len() as u64)
        }
    }

    #[test]
    fn what_names_of_systems_say_of_the_order() {
        for (name, expected) in [
            ("", (None, None)),
            ("EPSG:4326", (None, None)),
            ("http://www.opengis.net/gml/srs/epsg.xml#4326", (None, None)),
            ("urn:ogc:def:crs:EPSG::4326", (None, Some(LatLon))),
            ("http://www.opengis.net/def/crs/EPSG/0/4326", (None, Some(LatLon))),
            ("http://www.opengis.net/def/crs/OGC/1.3/CRS84", (None, Some(LonLat))),
            ("urn:ogc:def:crs:OGC:1.3:CRS84", (None, Some(LonLat))),
            ("urn:ogc:def:crs:EPSG::4269", (Some(4269), Some(LatLon))),
        ] {
            assert_eq!(system_of(name).unwrap(), expected, "{name}");
        }
        assert!(system_of("EPSG:3857").unwrap_err().contains("3857") && system_of("local").is_err());
    }

    #[test]
    fn problems_in_one_line() {
        assert_eq!(problem_of(br#"{"title": "Quota", "detail": "used\n up", "status": 429}"#), "Quota: used up");
        assert_eq!(problem_of(b"<XLS><Error message='bad  address'/></XLS>"), "bad address");
        assert_eq!(problem_of(b"<!DOCTYPE html><html><p>502"), "");
        assert_eq!(problem_of(b"slow down\nplease"), "slow down please");
        assert_eq!(problem_of(&[0xff, 0xfe, b'{']).len(), 7, "what is no text does no harm");
    }

    #[test]
    fn protocols_have_names() {
        assert_eq!("OpenLS".parse(), Ok(Kind::Openls));
        assert_eq!(Kind::Processes.to_string(), "processes");
        assert!("rest".parse::<Kind>().unwrap_err().to_string().contains("openls, processes"));
    }
}
