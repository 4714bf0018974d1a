//! German.

use super::{Component::*, Language};

/// Headers.
pub(super) static LANGUAGE: Language = Language {
    name: "German",
    headers: &[
        (Address, "ADRESSE|ANSCHRIFT|ADRESSZEILE|VOLLSTANDIGE ADRESSE|POSTANSCHRIFT|POSTADRESSE|OBJEKTADRESSE"),
        (HouseNumber, "HAUSNUMMER|HAUSNR|HNR|STRASSENNUMMER"),
        (
            Street,
            "STRASSE|STRASSENNAME|STRASSE HAUSNUMMER|STRASSE NR|STRASSE UND HAUSNUMMER|STRASSE HAUSNR|STRASSE UND NR|STR",
        ),
        (Unit, "WOHNUNG|WOHNUNGSNUMMER|STOCKWERK|ETAGE|APPARTEMENT|TURNUMMER"),
        (Locality, "ORT|STADT|GEMEINDE|WOHNORT|ORTSNAME|ORTSCHAFT|GEMEINDENAME"),
        (Region, "BUNDESLAND|LANDKREIS"),
        (Postcode, "PLZ|POSTLEITZAHL"),
    ],
    in_company: &[(HouseNumber, "NR|NUMMER"), (Country, "LAND|STAAT|LANDERKENNZEICHEN"), (Region, "KREIS|KANTON")],
};
