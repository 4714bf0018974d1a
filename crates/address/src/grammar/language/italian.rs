//! Italian.

use super::{Component::*, Language};

/// Headers.
pub(super) static LANGUAGE: Language = Language {
    name: "Italian",
    compass: "NORD|SUD|EST|OVEST|ALTO|BASSO|ALTA|BASSA|SOPRA|SOTTO|NUOVO|VECCHIO|NUOVA|VECCHIA|GRANDE|PICCOLO|SINISTRA|DESTRA|SUPERIORE|INFERIORE",
    headers: &[
        (Address, "INDIRIZZO|INDIRIZZO COMPLETO"),
        (HouseNumber, "NUMERO CIVICO|N CIVICO|NO CIVICO|NUM CIVICO|CIVICO"),
        (Street, "ODONIMO|TOPONIMO|NOME VIA|DENOMINAZIONE VIA|TOPONIMO STRADALE|NOME STRADA"),
        (StreetType, "DUG|TIPO STRADA|TIPO VIA|SPECIE"),
        (NumberSuffix, "ESPONENTE|BARRATO"),
        (SecondLine, "INDIRIZZO 2"),
        (Unit, "INTERNO|PIANO|SCALA"),
        (Locality, "COMUNE|LOCALITA|CITTA|NOME COMUNE|FRAZIONE"),
        (Region, "PROVINCIA|REGIONE"),
        (Postcode, "CODICE POSTALE|CODICE AVVIAMENTO POSTALE"),
        (Country, "PAESE|NAZIONE"),
    ],
    in_company: &[(Street, "VIA|STRADA"), (HouseNumber, "NUMERO|N|NO|NUM"), (Postcode, "CAP"), (Region, "PROV")],
};
