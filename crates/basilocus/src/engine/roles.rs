//! What columns seem to be: headers in the languages of addresses, and values.

use super::Rows;
use basilocus_address::grammar::language::{Component, Header, LANGUAGES, of_header};
use basilocus_table::batch::{cell_text, spatial_index};
use basilocus_table::{Role, role};
use std::collections::HashSet;

/// Rows whose values are looked at.
const ROWS: usize = 500;
/// What a word of another language than the table's is less sure by.
const FOREIGN: usize = 20;

/// Roles of columns by headers and the values of some rows.
pub(crate) fn roles_of(rows: &Rows) -> Vec<Option<Role>> {
    let records = rows.records();
    let schema = records.schema();
    let names: Vec<&str> = schema.fields().iter().map(|f| f.name().as_str()).collect();
    let text = |c: usize, r: usize| cell_text(records.column(c), r);
    let texts: Vec<Vec<String>> =
        (0..names.len()).map(|c| (0..rows.len().min(ROWS)).map(|r| text(c, r)).collect()).collect();
    let values: Vec<Vec<&str>> = texts.iter().map(|c| c.iter().map(String::as_str).collect()).collect();
    let languages = Languages::of(&names);
    let mut found = role::detect(&names, &values, &|header| languages.told(header));
    if let Some(i) = spatial_index(&schema) {
        found[i] = None;
    }
    found
}

/// How many components of an address the headers of a table tell in each language.
struct Languages(Vec<usize>);

impl Languages {
    fn of(headers: &[&str]) -> Self {
        let mut told: Vec<HashSet<Component>> = vec![HashSet::new(); LANGUAGES.len()];
        for header in headers.iter().flat_map(|h| of_header(h)).filter(|h| !h.in_company) {
            told[header.language].insert(header.component);
        }
        Languages(told.iter().map(HashSet::len).collect())
    }

    /// What a header tells: in the language that most headers are in, before others.
    fn told(&self, header: &str) -> Option<(Role, usize)> {
        let most = self.0.iter().max().copied().unwrap_or(0);
        let known = |h: &&Header| !h.in_company || self.0[h.language] > 0;
        let rank = |h: &Header| h.rank + if self.0[h.language] < most { FOREIGN } else { 0 };
        let best = of_header(header).iter().filter(known).min_by_key(|h| (rank(h), h.language))?;
        Some((role_of(best.component)?, rank(best)))
    }
}

fn role_of(component: Component) -> Option<Role> {
    Some(match component {
        Component::Address => Role::Address,
        Component::HouseNumber => Role::HouseNumber,
        Component::NumberSuffix => Role::NumberSuffix,
        Component::StreetDirection => Role::StreetDirection,
        Component::Street => Role::Street,
        Component::StreetType => Role::StreetType,
        Component::StreetDirectionAfter => Role::StreetDirectionAfter,
        Component::SecondLine => Role::SecondLine,
        Component::Unit => Role::Unit,
        Component::Locality => Role::Locality,
        Component::Region => Role::Region,
        Component::Postcode => Role::Postcode,
        Component::Country => Role::Country,
        _ => return None,
    })
}

#[cfg(test)]
mod tests {
    use super::*;
    use arrow_array::{ArrayRef, RecordBatch, StringArray};
    use basilocus_table::Batch;
    use std::sync::Arc;

    /// The roles of a table without rows, by name; empty for none.
    fn roles(header: &str) -> String {
        table(header, &[])
    }

    fn table(header: &str, rows: &[&str]) -> String {
        let names: Vec<&str> = header.split(';').collect();
        let rows: Vec<Vec<&str>> = rows.iter().map(|r| r.split(';').collect()).collect();
        let column = |c: usize| Arc::new(rows.iter().map(|r| Some(r[c])).collect::<StringArray>()) as ArrayRef;
        let columns = names.iter().enumerate().map(|(c, name)| (name.to_string(), column(c)));
        let records = RecordBatch::try_from_iter(columns).unwrap();
        let batch = Batch::of(records, (1..=rows.len() as u64).collect()).unwrap();
        let found = roles_of(&Rows::read(batch));
        found.iter().map(|r| r.map_or("", Role::name)).collect::<Vec<_>>().join(";")
    }

    #[test]
    fn headers_of_twelve_countries() {
        let whole = "street;house number;postcode;locality";
        for header in [
            "Street;House No.;ZIP;City",
            "Straße;Hausnr.;PLZ;Ort",
            "STRASSE;NR;PLZ;GEMEINDE",
            "straatnaam;huisnummer;postcode;woonplaats",
            "Straat;Nr;Postcode;Plaats",
            "nom_voie;numero;code_postal;nom_commune",
            "Rue;N°;CP;Ville",
            "Calle;Número;Código Postal;Municipio",
            "Vía;Núm.;C.P.;Población",
            "Rua;Nº;Código-Postal;Localidade",
            "Via;N. civico;CAP;Comune",
        ] {
            assert_eq!(roles(header), whole, "{header}");
        }
        assert_eq!(roles("Anschrift;Land;PLZ;Ort"), "street;country;postcode;locality");
        assert_eq!(roles("Indirizzo"), "whole address");
    }

    #[test]
    fn english_headers_as_they_are_met() {
        for (header, role) in [
            ("FULL_ADDRESS", "whole address"),
            ("Situs Address", "whole address"),
            ("House No.", "house number"),
            ("Street Name", "street"),
            ("Address Line 1", "street"),
            ("Suite", "unit"),
            ("mailing city", "locality"),
            ("ST", "region"),
            ("ZIP Code", "postcode"),
            ("owner_zip", "postcode"),
            ("Country", "country"),
            ("width_m", ""),
            ("owner", ""),
            ("remarks", ""),
        ] {
            assert_eq!(roles(header), role, "{header}");
        }
    }

    #[test]
    fn parts_of_a_street_in_columns_of_their_own() {
        let us = "house number;suffix of the number;direction before the street;street;type of the street;direction behind the street;unit;locality;region;postcode";
        for header in [
            "ADD_NUMBER;ADDNUM_SUF;ST_PREDIR;ST_NAME;ST_POSTYP;ST_POSDIR;UNIT;POST_COMM;STATE;ZIP_CODE",
            "House No;Number Suffix;Pre Dir;Street Name;Street Type;Post Dir;Apt;City;State;Zip",
        ] {
            assert_eq!(roles(header), us, "{header}");
        }
        assert_eq!(
            roles("ADDR_NUM;Street;City"),
            "house number;street;locality",
            "the number of an address is no address"
        );
        assert_eq!(
            roles("numero;rep;type_voie;nom_voie;code_postal;nom_commune"),
            "house number;suffix of the number;type of the street;street;postcode;locality"
        );
        assert_eq!(
            roles("straat;huisnummer;huisletter;toevoeging;postcode;woonplaats"),
            "street;house number;suffix of the number;unit;postcode;locality"
        );
        assert_eq!(roles("Address 1;Address 2;City;Zip"), "street;second line;locality;postcode");
        assert_eq!(roles("FULL_NAME;ADDR_NUM;CITY"), "street;house number;locality");
        assert_eq!(roles("FULL_NAME;phone;remarks"), ";;", "a person's name");
    }

    #[test]
    fn words_of_other_trades_need_company() {
        // Sent via post, use of the land, a cap on a culvert, a part number: nothing of an address.
        assert_eq!(roles("id;via;land;cap;num"), "identifier;;;;");
        assert_eq!(roles("id;land;city;state"), "identifier;;locality;region", "of another language than the table");
        assert_eq!(roles("Land;Stadt"), "country;locality");
    }

    #[test]
    fn a_running_number_is_no_house_number() {
        let rows = ["1;Am Deich 4", "2;Reiherweg 12", "3;Am Deich 9", "4;Hauptstr. 1", "5;Reiherweg 3"];
        assert_eq!(table("Nr.;Straße", &rows), "row counter;street");
        let rows = ["4;Am Deich", "12;Reiherweg", "9;Am Deich", "1;Hauptstr.", "3;Reiherweg"];
        assert_eq!(table("Nr.;Straße", &rows), "house number;street");
    }
}
