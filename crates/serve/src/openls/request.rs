//! Reads a `GeocodeRequest`.

use crate::geocoder::AddressQuery;
use roxmltree::{Document, Node};

/// Addresses in a request.
pub(super) const MOST: usize = 1000;
/// Elements of a request.
const MOST_NODES: u32 = 200_000;

/// What is asked.
#[derive(Debug, Clone, Default, PartialEq)]
pub(super) struct Asked {
    /// The id of the request, as it came.
    pub id: String,
    /// Places for an address at most.
    pub most: usize,
    pub addresses: Vec<AddressQuery>,
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
    let asked = request.children().find(|n| is(n, "GeocodeRequest")).ok_or_else(|| {
        let method = request.attribute("methodName").unwrap_or("without a name");
        format!("the method {method} is not served; GeocodeRequest is")
    })?;
    let addresses: Vec<AddressQuery> = asked.children().filter(|n| is(n, "Address")).map(address).collect();
    if addresses.len() > MOST {
        return Err(format!("{} addresses in one request; at most {MOST} are taken", addresses.len()));
    }
    let most = match request.attribute("maximumResponses") {
        None => usize::MAX,
        Some(text) => text.trim().parse().map_err(|_| format!("maximumResponses \"{text}\" is no number"))?,
    };
    Ok(Asked { id: request.attribute("requestID").unwrap_or_default().to_string(), most, addresses })
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
        assert_eq!((asked.id.as_str(), asked.most, asked.addresses.len()), ("7", 2, 2));
        let first = &asked.addresses[0];
        assert_eq!((first.number.as_str(), first.street.as_str(), first.unit.as_str()), ("12", "Heron Ln", "3"));
        assert_eq!(
            (first.locality.as_str(), first.region.as_str(), first.postcode.as_str()),
            ("Ternport", "OR", "97981")
        );
        assert_eq!(asked.addresses[1].address, "12 Heron & Ln");
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
