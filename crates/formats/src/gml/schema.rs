//! The application schema that stands beside a GML file: every layer a type of feature, at level 0 of compliance.

use crate::xml::push_escaped;
use arrow_schema::DataType;

/// A layer of the file.
pub(super) struct FeatureType {
    /// A valid name of an element.
    pub name: String,
    /// Names of the properties with their types, in order.
    pub properties: Vec<(String, DataType)>,
    /// Name of the property of geometry, and its type in GML.
    pub geometry: Option<(String, &'static str)>,
}

/// The name space of a file's own elements.
pub(super) fn space(stem: &str) -> String {
    format!("{}{}", super::OWN_SPACE, ncname(stem))
}

/// A name as XML wants it for elements: letters, digits, `_`, `-` and `.`, not beginning with the latter three.
pub(super) fn ncname(name: &str) -> String {
    let mut out: String =
        name.chars().map(|c| if c.is_alphanumeric() || matches!(c, '_' | '-' | '.') { c } else { '_' }).collect();
    if !out.starts_with(|c: char| c.is_alphabetic() || c == '_') {
        out.insert(0, '_');
    }
    out
}

fn xsd_type(t: &DataType) -> &'static str {
    match t {
        DataType::Date32 => "date",
        DataType::Timestamp(..) => "dateTime",
        DataType::Boolean => "boolean",
        DataType::Int64 => "long",
        DataType::Float64 => "double",
        _ => "string",
    }
}

/// The schema.
pub(super) fn text(stem: &str, types: &[FeatureType]) -> String {
    let mut space_text = String::new();
    push_escaped(&mut space_text, &space(stem));
    let mut out = format!(
        r#"<?xml version="1.0" encoding="UTF-8"?>
<schema xmlns="http://www.w3.org/2001/XMLSchema" xmlns:l="{space_text}" xmlns:gml="http://www.opengis.net/gml/3.2" xmlns:gmlsf="http://www.opengis.net/gmlsf/2.0" targetNamespace="{space_text}" elementFormDefault="qualified" version="1.0">
<annotation><appinfo source="http://schemas.opengis.net/gmlsfProfile/2.0/gmlsfLevels.xsd"><gmlsf:ComplianceLevel>0</gmlsf:ComplianceLevel></appinfo></annotation>
<import namespace="http://www.opengis.net/gml/3.2" schemaLocation="http://schemas.opengis.net/gml/3.2.1/gml.xsd"/>
<import namespace="http://www.opengis.net/gmlsf/2.0" schemaLocation="http://schemas.opengis.net/gmlsfProfile/2.0/gmlsfLevels.xsd"/>
<element name="FeatureCollection" type="l:FeatureCollectionType" substitutionGroup="gml:AbstractFeature"/>
<complexType name="FeatureCollectionType"><complexContent><extension base="gml:AbstractFeatureType">
<sequence minOccurs="0" maxOccurs="unbounded"><element name="featureMember"><complexType><complexContent><extension base="gml:AbstractFeatureMemberType"><sequence><element ref="gml:AbstractFeature"/></sequence></extension></complexContent></complexType></element></sequence>
</extension></complexContent></complexType>
"#
    );
    for t in types {
        let name = &t.name;
        out.push_str(&format!(
            "<element name=\"{name}\" type=\"l:{name}Type\" substitutionGroup=\"gml:AbstractFeature\"/>\n<complexType name=\"{name}Type\"><complexContent><extension base=\"gml:AbstractFeatureType\"><sequence>\n"
        ));
        for (property, kind) in &t.properties {
            out.push_str(&format!("<element name=\"{property}\" type=\"{}\" minOccurs=\"0\"/>\n", xsd_type(kind)));
        }
        if let Some((property, kind)) = &t.geometry {
            out.push_str(&format!("<element name=\"{property}\" type=\"gml:{kind}\" minOccurs=\"0\"/>\n"));
        }
        out.push_str("</sequence></extension></complexContent></complexType>\n");
    }
    out.push_str("</schema>\n");
    out
}
