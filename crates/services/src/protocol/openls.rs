//! The location utility service of the OGC's Open Location Services (OpenLS) 1.2, OGC 07-074: `GeocodeRequest` and
//! `ReverseGeocodeRequest`.
//!
//! A request holds several addresses, free-form or parted; the service answers with one list a request, in their order. Of
//! positions it holds one.

use super::{Exchange, Protocol, Trouble, number, system_of};
use crate::heights::Spot;
use crate::web::{Request, Transport};
use crate::{Answer, Place, Question, ServiceError};
use quick_xml::escape::escape;
use roxmltree::{Document, Node};
use std::fmt::Write;

/// Name space of the elements.
const SPACE: &str = "http://www.opengis.net/xls";
/// Name space of positions.
const GML: &str = "http://www.opengis.net/gml";
/// Places that are asked for, for each address.
const PLACES: usize = 5;
/// Elements of an answer: more are no answer to so few questions.
const MOST_NODES: u32 = 1_000_000;

/// A service that speaks OpenLS.
#[derive(Debug, Clone)]
pub struct OpenLs {
    address: String,
}

impl OpenLs {
    /// At an address that takes its requests.
    pub fn new(address: &str) -> Self {
        OpenLs { address: address.to_string() }
    }

    /// At an address that answers an empty request as OpenLS does.
    ///
    /// # Errors
    /// [`ServiceError::Failed`] where it does not, [`ServiceError::NoAnswer`] where it cannot be reached.
    pub fn find(address: &str, transport: &dyn Transport) -> Result<Self, ServiceError> {
        let failed = |problem: String| ServiceError::Failed { address: address.to_string(), problem };
        let request = Request::post(address, "application/xml", document(&[]).into_bytes());
        let response = transport.send(&request).map_err(|e| e.at(address))?;
        // That it finds nothing to do in it may be an error of its own; what counts is that it answers in OpenLS.
        let text = String::from_utf8_lossy(&response.body);
        let is_openls = Document::parse(&text).is_ok_and(|d| d.root_element().tag_name().name() == "XLS");
        if is_openls {
            Ok(OpenLs::new(address))
        } else {
            Err(failed(format!("answers {} and no XLS document", response.status)))
        }
    }
}

impl Protocol for OpenLs {
    fn name(&self) -> &'static str {
        "OpenLS 1.2"
    }

    fn most_at_once(&self) -> usize {
        100
    }

    fn ask(&self, questions: &[Question], exchange: &dyn Exchange) -> Result<Vec<Option<Answer>>, Trouble> {
        let request = Request::post(&self.address, "application/xml", document(questions).into_bytes());
        let response = exchange.send(&request)?;
        let text = std::str::from_utf8(&response.body).map_err(|_| failed("it is not in UTF-8"))?;
        answers(text, questions.len())
    }
}

impl Protocol<Spot, Answer> for OpenLs {
    fn name(&self) -> &'static str {
        "OpenLS 1.2"
    }

    fn most_at_once(&self) -> usize {
        1
    }

    fn ask(&self, spots: &[Spot], exchange: &dyn Exchange) -> Result<Vec<Option<Answer>>, Trouble> {
        let [spot] = spots else { return Err(Trouble::Refused("one position is asked for at a time".into())) };
        let request = Request::post(&self.address, "application/xml", reverse_document(spot).into_bytes());
        let response = exchange.send(&request)?;
        let text = std::str::from_utf8(&response.body).map_err(|_| failed("it is not in UTF-8"))?;
        Ok(vec![Some(reverse_answer(text)?)])
    }
}

fn failed(problem: &str) -> Trouble {
    Trouble::Failed(format!("its answer is not what OpenLS 1.2 says: {problem}"))
}

/// The request for addresses.
pub fn document(questions: &[Question]) -> String {
    let mut out = format!(
        "<?xml version=\"1.0\" encoding=\"UTF-8\"?>\n<XLS xmlns=\"{SPACE}\" xmlns:gml=\"{GML}\" version=\"1.2.0\"><RequestHeader/><Request methodName=\"GeocodeRequest\" requestID=\"1\" version=\"1.2.0\" maximumResponses=\"{PLACES}\"><GeocodeRequest>"
    );
    questions.iter().for_each(|q| address(q, &mut out));
    out.push_str("</GeocodeRequest></Request></XLS>\n");
    out
}

/// The request for the address of a position: latitude first, as the name of its system says.
fn reverse_document(spot: &Spot) -> String {
    format!(
        "<?xml version=\"1.0\" encoding=\"UTF-8\"?>\n<XLS xmlns=\"{SPACE}\" xmlns:gml=\"{GML}\" version=\"1.2.0\"><RequestHeader/><Request methodName=\"ReverseGeocodeRequest\" requestID=\"1\" version=\"1.2.0\" maximumResponses=\"{PLACES}\"><ReverseGeocodeRequest><Position><gml:Point srsName=\"urn:ogc:def:crs:EPSG::4326\"><gml:pos>{} {}</gml:pos></gml:Point></Position><ReverseGeocodePreference>StreetAddress</ReverseGeocodePreference></ReverseGeocodeRequest></Request></XLS>\n",
        spot.lat_deg(),
        spot.lon_deg()
    )
}

fn address(q: &Question, out: &mut String) {
    // The country is an attribute that has to be there, two letters; empty says that it is not known.
    let _ = write!(out, "<Address countryCode=\"{}\">", escape(q.country.as_str()));
    let element = |name: &str, text: &str, out: &mut String| {
        if !text.trim().is_empty() {
            let end = name.split(' ').next().unwrap_or(name);
            let _ = write!(out, "<{name}>{}</{end}>", escape(clean(text).as_str()));
        }
    };
    if q.address.is_empty() {
        out.push_str("<StreetAddress>");
        if !q.number.trim().is_empty() || !q.unit.trim().is_empty() {
            out.push_str("<Building");
            for (name, value) in [("number", &q.number), ("subdivision", &q.unit)] {
                if !value.trim().is_empty() {
                    let _ = write!(out, " {name}=\"{}\"", escape(clean(value).as_str()));
                }
            }
            out.push_str("/>");
        }
        // A street is expected, even one without a name.
        let _ = write!(out, "<Street>{}</Street></StreetAddress>", escape(clean(&q.street).as_str()));
        element("Place type=\"Municipality\"", &q.locality, out);
        element("Place type=\"CountrySubdivision\"", &q.region, out);
        element("PostalCode", &q.postcode, out);
    } else {
        element("freeFormAddress", &q.address, out);
    }
    out.push_str("</Address>");
}

/// Without characters that XML cannot hold.
fn clean(text: &str) -> String {
    text.trim().chars().filter(|c| !c.is_control() && !matches!(c, '\u{fffe}' | '\u{ffff}')).collect()
}

fn is(node: &Node, name: &str) -> bool {
    node.is_element() && node.tag_name().name() == name
}

fn text_of(node: Node, name: &str) -> String {
    let found = node.descendants().find(|n| is(n, name)).and_then(|n| n.text());
    found.unwrap_or_default().split_whitespace().collect::<Vec<_>>().join(" ")
}

/// The document of an answer that is none of an error.
fn read(text: &str) -> Result<Document<'_>, Trouble> {
    let options = roxmltree::ParsingOptions { allow_dtd: false, nodes_limit: MOST_NODES, ..Default::default() };
    let document = Document::parse_with_options(text, options).map_err(|e| failed(&e.to_string()))?;
    let root = document.root_element();
    if !is(&root, "XLS") {
        return Err(failed(&format!("its root is <{}>", root.tag_name().name())));
    }
    if let Some(error) = root.descendants().find(|n| is(n, "Error")) {
        let said = error.attribute("message").unwrap_or("an error without a message");
        return Err(Trouble::Refused(format!("the service answers: {said}")));
    }
    Ok(document)
}

/// The addresses near a position.
fn reverse_answer(text: &str) -> Result<Answer, Trouble> {
    let document = read(text)?;
    let answered = document.descendants().any(|n| is(&n, "ReverseGeocodeResponse"));
    if !answered {
        return Err(failed("there is no ReverseGeocodeResponse in it"));
    }
    let places = document.descendants().filter(|n| is(n, "ReverseGeocodedLocation")).map(place);
    Ok(Answer { places: places.collect::<Result<_, _>>()? })
}

/// The answers of a document, one for each question that it answers.
fn answers(text: &str, asked: usize) -> Result<Vec<Option<Answer>>, Trouble> {
    let document = read(text)?;
    let lists: Vec<Node> = document.descendants().filter(|n| is(n, "GeocodeResponseList")).collect();
    // The lists have no names: their order is all that says what they are answers to.
    if lists.len() != asked {
        return Err(match asked {
            1 => failed(&format!("{} lists for one address", lists.len())),
            _ => Trouble::Refused(format!("{} lists for {asked} addresses", lists.len())),
        });
    }
    lists.into_iter().map(|list| answer(list).map(Some)).collect()
}

fn answer(list: Node) -> Result<Answer, Trouble> {
    let places = list.children().filter(|n| is(n, "GeocodedAddress")).map(place);
    Ok(Answer { places: places.collect::<Result<_, _>>()? })
}

fn place(node: Node) -> Result<Place, Trouble> {
    let point = node.descendants().find(|n| is(n, "Point")).ok_or_else(|| failed("an address without a point"))?;
    let pos = point.descendants().find(|n| is(n, "pos") || is(n, "coordinates"));
    let pos = pos.ok_or_else(|| failed("a point without a position"))?;
    let written = pos.text().unwrap_or_default();
    let numbers: Option<Vec<f64>> =
        written.split([' ', ',', '\t', '\n', '\r']).filter(|t| !t.is_empty()).map(number).collect();
    let Some([first, second, ..]) = numbers.as_deref() else {
        return Err(failed(&format!("the position \"{written}\"")));
    };
    let name = pos.attribute("srsName").or_else(|| point.attribute("srsName")).unwrap_or_default();
    let (system, order) = system_of(name).map_err(Trouble::Refused)?;
    let address = node.descendants().find(|n| is(n, "Address"));
    let of = |name: &str| address.map_or(String::new(), |a| text_of(a, name));
    let of_building = |name: &str| {
        let building = address.and_then(|a| a.descendants().find(|n| is(n, "Building")));
        building.and_then(|b| b.attribute(name)).unwrap_or_default().trim().to_string()
    };
    let of_place = |kinds: &[&str]| {
        let found = address.and_then(|a| {
            kinds.iter().find_map(|k| a.descendants().find(|n| is(n, "Place") && n.attribute("type") == Some(k)))
        });
        found.and_then(|n| n.text()).unwrap_or_default().trim().to_string()
    };
    let matched = node.children().find(|n| is(n, "GeocodeMatchCode"));
    let of_match = |name: &str| matched.and_then(|m| m.attribute(name)).unwrap_or_default().trim().to_string();
    Ok(Place {
        position: [*first, *second],
        order,
        system,
        address: of("freeFormAddress"),
        number: of_building("number"),
        street: street(address),
        unit: of_building("subdivision"),
        locality: of_place(&["Municipality", "MunicipalitySubdivision"]),
        region: of_place(&["CountrySubdivision", "CountrySecondarySubdivision"]),
        postcode: of("PostalCode"),
        country: address.and_then(|a| a.attribute("countryCode")).unwrap_or_default().trim().to_string(),
        level: of_match("matchType"),
        score: of_match("accuracy"),
        accuracy_m: None,
    })
}

/// The street: its text, else the parts that stand in attributes.
fn street(address: Option<Node>) -> String {
    let Some(street) = address.and_then(|a| a.descendants().find(|n| is(n, "Street"))) else { return String::new() };
    let text = street.text().unwrap_or_default().split_whitespace().collect::<Vec<_>>().join(" ");
    if !text.is_empty() {
        return text;
    }
    let parts = ["directionalPrefix", "typePrefix", "officialName", "typeSuffix", "directionalSuffix"];
    let parts = parts.into_iter().filter_map(|name| street.attribute(name)).map(str::trim);
    parts.filter(|p| !p.is_empty()).collect::<Vec<_>>().join(" ")
}

#[cfg(test)]
mod tests {
    use super::super::tests::Laid;
    use super::*;
    use crate::AxisOrder;
    use proptest::prelude::*;

    const RESPONSE: &str = r#"<?xml version="1.0"?>
<xls:XLS xmlns:xls="http://www.opengis.net/xls" xmlns:gml="http://www.opengis.net/gml" version="1.2.0">
 <xls:ResponseHeader/>
 <xls:Response requestID="1" version="1.2.0" numberOfResponses="2"><xls:GeocodeResponse>
  <xls:GeocodeResponseList numberOfGeocodedAddresses="1"><xls:GeocodedAddress>
   <gml:Point srsName="urn:ogc:def:crs:EPSG::4326"><gml:pos>46.2 -123.8</gml:pos></gml:Point>
   <xls:Address countryCode="US"><xls:StreetAddress><xls:Building number="12"/>
    <xls:Street officialName="Heron" typeSuffix="Ln"/></xls:StreetAddress>
    <xls:Place type="CountrySubdivision">OR</xls:Place><xls:Place type="Municipality">Ternport</xls:Place>
    <xls:PostalCode>97981</xls:PostalCode></xls:Address>
   <xls:GeocodeMatchCode accuracy="0.97" matchType="rooftop"/>
  </xls:GeocodedAddress></xls:GeocodeResponseList>
  <xls:GeocodeResponseList numberOfGeocodedAddresses="0"/>
 </xls:GeocodeResponse></xls:Response></xls:XLS>"#;

    fn ask(body: &str, n: usize) -> Result<Vec<Option<Answer>>, Trouble> {
        let laid = Laid::with(&[(200, &[], body)]);
        let questions = vec![Question { address: "12 Heron Ln".into(), ..Default::default() }; n];
        OpenLs::new("http://tern.example/xls").ask(&questions, &laid)
    }

    #[test]
    fn answers_come_in_the_order_of_the_questions() {
        let answers = ask(RESPONSE, 2).unwrap();
        let place = &answers[0].as_ref().unwrap().places[0];
        assert_eq!((place.position, place.order), ([46.2, -123.8], Some(AxisOrder::LatLon)));
        assert_eq!((place.number.as_str(), place.street.as_str()), ("12", "Heron Ln"));
        assert_eq!(
            (place.locality.as_str(), place.region.as_str(), place.postcode.as_str()),
            ("Ternport", "OR", "97981")
        );
        assert_eq!((place.level.as_str(), place.score.as_str(), place.country.as_str()), ("rooftop", "0.97", "US"));
        assert_eq!(answers[1], Some(Answer::default()), "an address that it does not know");
    }

    #[test]
    fn what_is_no_answer_is_told_from_a_refusal() {
        // Half of the addresses answered: nothing says which half, so each is asked by itself.
        assert!(matches!(ask(RESPONSE, 3), Err(Trouble::Refused(p)) if p.contains("2 lists for 3")));
        assert!(matches!(ask(RESPONSE, 1), Err(Trouble::Failed(_))));
        let error = r#"<XLS><Response><ErrorList><Error errorCode="NotSupported" message="no such country"/></ErrorList></Response></XLS>"#;
        assert!(matches!(ask(error, 1), Err(Trouble::Refused(p)) if p.contains("no such country")));
        for broken in [
            "",
            "<html/>",
            &RESPONSE[..700],
            &RESPONSE.replace("46.2 -123.8", "46.2"),
            &RESPONSE.replace("46.2", "NaN"),
        ] {
            assert!(matches!(ask(broken, 2), Err(Trouble::Failed(_))), "{broken}");
        }
        let loops = format!("<!DOCTYPE XLS [<!ENTITY a \"&a;\">]>{}", &RESPONSE[RESPONSE.find("<xls").unwrap()..]);
        assert!(matches!(ask(&loops, 2), Err(Trouble::Failed(_))), "documents with definitions are not read");
        assert!(matches!(ask(&RESPONSE.replace("::4326", "::32610"), 2), Err(Trouble::Refused(_))));
    }

    proptest! {
        #[test]
        fn requests_are_documents_whatever_stands_in_them(text in "\\PC{0,30}|[\\x00-\\x7f]{0,30}", parted: bool) {
            let question = match parted {
                true => Question { number: text.clone(), street: text.clone(), locality: text.clone(), ..Default::default() },
                false => Question { address: format!("a{text}"), ..Default::default() },
            };
            let written = document(&[question.clone(), question]);
            let read = Document::parse(&written).unwrap();
            prop_assert_eq!(read.descendants().filter(|n| is(n, "Address")).count(), 2);
        }

        #[test]
        fn damaged_answers_do_no_harm(at in 0usize..1000, byte: u8) {
            let mut bytes = RESPONSE.as_bytes().to_vec();
            let at = at % bytes.len();
            bytes[at] = byte;
            let _ = ask(&String::from_utf8_lossy(&bytes), 2);
        }
    }
}
