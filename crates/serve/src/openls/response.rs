//! Writes a `GeocodeResponse`, one list for each address in their order, or a `ReverseGeocodeResponse`; positions latitude
//! first, as the name of their system says.

use super::request::Asked;
use crate::geocoder::{FoundPlace, FoundPlaces};
use basilocus::address::nearest::Nearest;
use basilocus::address::reference::WrittenAddress;
use quick_xml::escape::escape;
use std::fmt::Write;

const BEGIN: &str = "<?xml version=\"1.0\" encoding=\"UTF-8\"?>\n<XLS xmlns=\"http://www.opengis.net/xls\" xmlns:gml=\"http://www.opengis.net/gml\" version=\"1.2.0\"><ResponseHeader/>";
/// WGS 84 in the order of the registry.
const SYSTEM: &str = "urn:ogc:def:crs:EPSG::4326";

/// The document of an error.
pub(super) fn error(code: &str, message: &str) -> String {
    format!(
        "{BEGIN}<Response requestID=\"\" version=\"1.2.0\"><ErrorList><Error errorCode=\"{code}\" severity=\"Error\" message=\"{}\"/></ErrorList></Response></XLS>\n",
        escape(clean(message).as_str())
    )
}

/// The document with the address of a position, or with none.
pub(super) fn reversed(asked: &Asked, found: Option<&(Nearest, WrittenAddress, &'static str)>) -> String {
    let mut out = format!(
        "{BEGIN}<Response requestID=\"{}\" version=\"1.2.0\" numberOfResponses=\"{}\"><ReverseGeocodeResponse>",
        escape(clean(&asked.id).as_str()),
        u8::from(found.is_some())
    );
    if let Some((near, parts, country)) = found {
        out.push_str("<ReverseGeocodedLocation>");
        point([near.lon, near.lat], &mut out);
        address(parts, country, &mut out);
        let _ =
            write!(out, "<SearchCentreDistance value=\"{:.1}\" uom=\"M\"/></ReverseGeocodedLocation>", near.distance_m);
    }
    out.push_str("</ReverseGeocodeResponse></Response></XLS>\n");
    out
}

/// The document with the places of addresses.
pub(super) fn geocoded(asked: &Asked, found: &[FoundPlaces]) -> String {
    let mut out = format!(
        "{BEGIN}<Response requestID=\"{}\" version=\"1.2.0\" numberOfResponses=\"{}\"><GeocodeResponse>",
        escape(clean(&asked.id).as_str()),
        found.len()
    );
    for one in found {
        let places = &one.places[..one.places.len().min(asked.most)];
        let _ = write!(out, "<GeocodeResponseList numberOfGeocodedAddresses=\"{}\">", places.len());
        places.iter().for_each(|p| place(p, &mut out));
        out.push_str("</GeocodeResponseList>");
    }
    out.push_str("</GeocodeResponse></Response></XLS>\n");
    out
}

fn place(p: &FoundPlace, out: &mut String) {
    let c = &p.candidate;
    out.push_str("<GeocodedAddress>");
    point([c.lon, c.lat], out);
    address(&p.parts, p.country, out);
    let _ = write!(
        out,
        "<GeocodeMatchCode accuracy=\"{:.2}\" matchType=\"{}\"/></GeocodedAddress>",
        f64::from(c.confidence) / 100.0,
        c.level.name()
    );
}

fn point([lon, lat]: [f64; 2], out: &mut String) {
    let _ = write!(out, "<gml:Point srsName=\"{SYSTEM}\"><gml:pos>{lat:.7} {lon:.7}</gml:pos></gml:Point>");
}

fn address(parts: &WrittenAddress, country: &str, out: &mut String) {
    let _ = write!(out, "<Address countryCode=\"{country}\"><StreetAddress>");
    if !parts.number.is_empty() || !parts.unit.is_empty() {
        out.push_str("<Building");
        for (name, value) in [("number", &parts.number), ("subdivision", &parts.unit)] {
            if !value.is_empty() {
                let _ = write!(out, " {name}=\"{}\"", escape(clean(value).as_str()));
            }
        }
        out.push_str("/>");
    }
    let _ = write!(out, "<Street>{}</Street></StreetAddress>", escape(clean(&parts.street).as_str()));
    for (kind, value) in [("Municipality", &parts.locality), ("CountrySubdivision", &parts.region)] {
        if !value.is_empty() {
            let _ = write!(out, "<Place type=\"{kind}\">{}</Place>", escape(clean(value).as_str()));
        }
    }
    if !parts.postcode.is_empty() {
        let _ = write!(out, "<PostalCode>{}</PostalCode>", escape(clean(&parts.postcode).as_str()));
    }
    out.push_str("</Address>");
}

/// Without characters that XML cannot hold.
fn clean(text: &str) -> String {
    text.chars().filter(|c| !c.is_control() && !matches!(c, '\u{fffe}' | '\u{ffff}')).collect()
}
