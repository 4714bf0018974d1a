//! Dutch.

use super::{Component::*, Language};

/// Headers.
pub(super) static LANGUAGE: Language = Language {
    name: "Dutch",
    compass: "NOORD|ZUID|OOST|WEST|NOORDER|ZUIDER|OOSTER|WESTER|BOVEN|BENEDEN|BINNEN|BUITEN|VOOR|ACHTER|OUDE|NIEUWE|GROTE|KLEINE|HOGE|LAGE|LINKER|RECHTER",
    headers: &[
        (Address, "ADRES|VOLLEDIG ADRES|POSTADRES|BEZOEKADRES|ADRESREGEL"),
        (HouseNumber, "HUISNUMMER|HUISNR"),
        (Street, "STRAAT|STRAATNAAM|STRAAT EN HUISNUMMER|OPENBARE RUIMTE|STRAAT HUISNUMMER"),
        (Unit, "APPARTEMENT|VERDIEPING"),
        (Locality, "WOONPLAATS|PLAATS|PLAATSNAAM|GEMEENTE|STAD|WOONPLAATSNAAM|GEMEENTENAAM"),
        (Region, "PROVINCIE"),
        (Postcode, "POSTCODE"),
    ],
    in_company: &[(HouseNumber, "NR|NUMMER"), (Country, "LAND")],
};
