//! French.

use super::{Component::*, Language};

/// Headers.
pub(super) static LANGUAGE: Language = Language {
    name: "French",
    compass: "NORD|SUD|EST|OUEST|HAUT|BAS|HAUTE|BASSE|GRAND|PETIT|GRANDE|PETITE|VIEUX|VIEILLE|NEUF|NEUVE|NOUVEAU|NOUVELLE|GAUCHE|DROITE|INTERIEUR|EXTERIEUR|SUPERIEUR|INFERIEUR",
    headers: &[
        (Address, "ADRESSE|ADRESSE COMPLETE|ADRESSE POSTALE"),
        (
            HouseNumber,
            "NUMERO DE VOIE|NUMERO VOIE|NUM VOIE|NO VOIE|N VOIE|NUMERO DE RUE|NO DE RUE|NUMERO CIVIQUE|NO CIVIQUE|N DE VOIE",
        ),
        (
            Street,
            "RUE|VOIE|NOM DE VOIE|NOM DE LA VOIE|LIBELLE VOIE|LIBELLE DE LA VOIE|NOM VOIE|NOM DE RUE|NOM DE LA RUE|NUMERO ET RUE|NUMERO ET VOIE|LIGNE 1|ADRESSE 1|ADRESSE LIGNE 1",
        ),
        (Unit, "APPARTEMENT|ETAGE|BATIMENT"),
        (SecondLine, "COMPLEMENT|COMPLEMENT ADRESSE|COMPLEMENT D ADRESSE|ADRESSE 2|ADRESSE LIGNE 2|LIGNE 2"),
        (NumberSuffix, "INDICE DE REPETITION|INDICE REPETITION|SUFFIXE|REPETITION"),
        (StreetType, "TYPE DE VOIE|TYPE VOIE|NATURE DE VOIE|NATURE VOIE"),
        (Locality, "VILLE|COMMUNE|NOM COMMUNE|NOM DE LA COMMUNE|LOCALITE|NOM DE COMMUNE"),
        (Region, "DEPARTEMENT"),
        (Postcode, "CODE POSTAL"),
        (Country, "PAYS|CODE PAYS"),
    ],
    in_company: &[
        (NumberSuffix, "REP"),
        (HouseNumber, "NUMERO|NO|N|NUM"),
        (Postcode, "CP"),
        (Region, "REGION|PROVINCE"),
    ],
};
