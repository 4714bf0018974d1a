//! Reads a `GeocodeRequest` or a `ReverseGeocodeRequest`.

use crate::geocoder::AddressQuery;
use roxmltree::{Document, Node};

/// Addresses in a request.
pub(super) const MOST: usize = 1000;
/// Elements of a request.
const MOST_NODES: u32 = 200_000;

/// What is asked.
#[derive(Debug, Clone, PartialEq)]
pub(super) struct Asked {
    /// The id of the request, as it came.
    pub id: String,
    /// Places for an address at most.
    pub most: usize,
    pub what: What,
}

/// What is looked for.
#[derive(Debug, Clone, PartialEq)]
pub(super) enum What {
    /// The places of addresses.
    Addresses(Vec<AddressQuery>),
    /// The address nearest to a longitude and latitude.
    Position([f64; 2]),
}

fn is(node: &Node, name: &str) -> bool {
    node.is_element() && node.tag_name().name() == name
}

fn text(node: Option<Node>) -> String {
    let text = node.and_then(|n| n.text()).unwrap_or_default();
    text.split_whitespace().collect::<Vec<_>>().join(" ")
}

/// Reads a document.
pub(super) fn read(body: &[u8]) -> Result<Asked, String> {
    let body = std::str::from_utf8(body).map_err(|_| "the request is not in UTF-8".to_string())?;
    let options = roxmltree::ParsingOptions { allow_dtd: false, nodes_limit: MOST_NODES, ..Default::default() };
    let document = Document::parse_with_options(body, options)
        .map_err(|e| format!("the request is no XML that can be read: {e}"))?;
    let root = document.root_element();
    if !is(&root, "XLS") {
        return Err(format!("the request is a <{}>; an <XLS> of OpenLS 1.2 is expected", root.tag_name().name()));
    }
    let request = root.descendants().find(|n| is(n, "Request")).ok_or("there is no <Request> in the document")?;
    let most = match request.attribute("maximumResponses") {
        None => usize::MAX,
        Some(text) => text.trim().parse().map_err(|_| format!("maximumResponses \"{text}\" is no number"))?,
    };
    let id = request.attribute("requestID").unwrap_or_default().to_string();
    let of = |name: &str| request.children().find(|n| is(n, name));
    if let Some(reverse) = of("ReverseGeocodeRequest") {
        return Ok(Asked { id, most, what: What::Position(position(reverse)?) });
    }
    let asked = of("GeocodeRequest").ok_or_else(|| {
        let method = request.attribute("methodName").unwrap_or("without a name");
        format!("the method {method} is not served; GeocodeRequest and ReverseGeocodeRequest are")
    })?;
    let addresses: Vec<AddressQuery> = asked.children().filter(|n| is(n, "Address")).map(address).collect();
    if addresses.len() > MOST {
        return Err(format!("{} addresses in one request; at most {MOST} are taken", addresses.len()));
    }
    Ok(Asked { id, most, what: What::Addresses(addresses) })
}

/// The position of a request as longitude and latitude: latitude first, as the name of its system says, or longitude first
/// in CRS84.
fn position(request: Node) -> Result<[f64; 2], String> {
    let expected = "<Position><gml:Point srsName=\"urn:ogc:def:crs:EPSG::4326\"><gml:pos>latitude longitude</gml:pos></gml:Point></Position> is expected";
    let positions: Vec<Node> = request.descendants().filter(|n| is(n, "pos")).collect();
    let [pos] = positions.as_slice() else { return Err(format!("{} positions; one, {expected}", positions.len())) };
    let numbers: Option<Vec<f64>> = text(Some(*pos)).split(' ').map(|n| n.parse().ok()).collect();
    let Some(&[a, b]) = numbers.as_deref() else { return Err(format!("two numbers are missing: {expected}")) };
    let system = pos.ancestors().find_map(|n| n.attribute("srsName")).unwrap_or_default();
    let is_known = ["", "4326", "CRS84"]
        .iter()
        .any(|end| system.to_ascii_uppercase().ends_with(end) && (end.is_empty() == system.is_empty()));
    if !is_known {
        return Err(format!("positions in {system} are not read; {expected}"));
    }
    let [lon, lat] = if system.to_ascii_uppercase().ends_with("CRS84") { [a, b] } else { [b, a] };
    if !(lon.abs() <= 180.0 && lat.abs() <= 90.0) {
        return Err(format!("latitude {lat} and longitude {lon} are no place; {expected}"));
    }
    Ok([lon, lat])
}

fn address(node: Node) -> AddressQuery {
    let of = |name: &str| text(node.descendants().find(|n| is(n, name)));
    let building = node.descendants().find(|n| is(n, "Building"));
    let of_building = |name: &str| building.and_then(|b| b.attribute(name)).unwrap_or_default().trim().to_string();
    let of_place = |kind: &str| text(node.descendants().find(|n| is(n, "Place") && n.attribute("type") == Some(kind)));
    let or = |first: String, second: &str| if first.is_empty() { of_place(second) } else { first };
    AddressQuery {
        id: None,
        address: of("freeFormAddress"),
        number: of_building("number"),
        street: street(node),
        unit: of_building("subdivision"),
        locality: or(of_place("Municipality"), "MunicipalitySubdivision"),
        region: or(of_place("CountrySubdivision"), "CountrySecondarySubdivision"),
        postcode: of("PostalCode"),
        country: node.attribute("countryCode").unwrap_or_default().trim().to_string(),
    }
}

/// The street: its text, else the parts that stand in attributes.
fn street(address: Node) -> String {
    let Some(street) = address.descendants().find(|n| is(n, "Street")) else { return String::new() };
    let whole = text(Some(street));
    if !whole.is_empty() {
        return whole;
    }
    let names = ["directionalPrefix", "typePrefix", "officialName", "typeSuffix", "directionalSuffix"];
    let parts = names.into_iter().filter_map(|n| street.attribute(n)).map(str::trim).filter(|p| !p.is_empty());
    parts.collect::<Vec<_>>().join(" ")
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn addresses_in_parts_and_as_a_text() {
        let body = br#"<XLS xmlns="http://www.opengis.net/xls" version="1.2.0"><RequestHeader/>
 <Request methodName="GeocodeRequest" requestID="7" version="1.2.0" maximumResponses="2"><GeocodeRequest>
  <Address countryCode="US"><StreetAddress><Building number="12" subdivision="3"/><Street officialName="Heron" typeSuffix="Ln"/></StreetAddress>
   <Place type="Municipality">Ternport</Place><Place type="CountrySubdivision">OR</Place><PostalCode>97981</PostalCode></Address>
  <Address countryCode=""><freeFormAddress>12  Heron &amp; Ln</freeFormAddress></Address>
 </GeocodeRequest></Request></XLS>"#;
        let asked = read(body).unwrap();
        let What::Addresses(addresses) = &asked.what else { panic!("{asked:?}") };
        assert_eq!((asked.id.as_str(), asked.most, addresses.len()), ("7", 2, 2));
        let first = &addresses[0];
        assert_eq!((first.number.as_str(), first.street.as_str(), first.unit.as_str()), ("12", "Heron Ln", "3"));
        assert_eq!(
            (first.locality.as_str(), first.region.as_str(), first.postcode.as_str()),
            ("Ternport", "OR", "97981")
        );
        assert_eq!(addresses[1].address, "12 Heron & Ln");
    }

    #[test]
    fn a_position_stands_in_the_order_of_its_system() {
        let of = |point: &str| {
            let body = format!(
                "<XLS><Request requestID='9'><ReverseGeocodeRequest><Position>{point}</Position></ReverseGeocodeRequest></Request></XLS>"
            );
            read(body.as_bytes()).map(|a| a.what)
        };
        let place = Ok(What::Position([-123.8, 46.2]));
        for point in [
            "<Point srsName='urn:ogc:def:crs:EPSG::4326'><pos>46.2 -123.8</pos></Point>",
            "<Point><pos> 46.2  -123.8 </pos></Point>",
            "<Point srsName='urn:ogc:def:crs:OGC:1.3:CRS84'><pos>-123.8 46.2</pos></Point>",
        ] {
            assert_eq!(of(point), place, "{point}");
        }
        for (point, part) in [
            ("<Point srsName='EPSG:32610'><pos>438277 5116579</pos></Point>", "EPSG:32610 are not read"),
            ("<Point><pos>-123.8 46.2</pos></Point>", "no place"),
            ("<Point><pos>46.2</pos></Point>", "two numbers"),
            ("<Point><pos>46.2 -123.8</pos></Point><Point><pos>46.2 -123.8</pos></Point>", "2 positions"),
            ("", "0 positions"),
        ] {
            let problem = of(point).unwrap_err();
            assert!(problem.contains(part), "{point}: {problem}");
        }
    }

    #[test]
    fn what_cannot_be_answered_says_why() {
        for (body, part) in [
            ("", "no XML"),
            ("<a/>", "an <XLS> of OpenLS"),
            ("<XLS/>", "no <Request>"),
            ("<XLS><Request methodName='RouteRequest'/></XLS>", "RouteRequest is not served"),
            ("<XLS><Request maximumResponses='x'><GeocodeRequest/></Request></XLS>", "no number"),
            ("<!DOCTYPE XLS [<!ENTITY a 'b'>]><XLS>&a;</XLS>", "no XML"),
        ] {
            let problem = read(body.as_bytes()).unwrap_err();
            assert!(problem.contains(part), "{body}: {problem}");
        }
        // Elements in elements without an end are an error, not the end of the stack.
        let deep = format!("{}{}", "<a>".repeat(150_000), "</a>".repeat(150_000));
        assert!(read(deep.as_bytes()).is_err());
        assert!(read(&[0xff, 0xfe]).unwrap_err().contains("UTF-8"));
    }
}
