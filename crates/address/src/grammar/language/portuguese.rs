//! Portuguese.

use super::{Component::*, Language};

/// Headers.
pub(super) static LANGUAGE: Language = Language {
    name: "Portuguese",
    compass: "NORTE|SUL|ESTE|LESTE|OESTE|ALTO|BAIXO|ALTA|BAIXA|CIMA|NOVO|VELHO|NOVA|VELHA|GRANDE|PEQUENO|ESQUERDA|DIREITA|SUPERIOR|INFERIOR",
    headers: &[
        (Address, "MORADA|ENDERECO|MORADA COMPLETA|ENDERECO COMPLETO"),
        (HouseNumber, "NUMERO DE POLICIA|NUMERO DE PORTA|N PORTA|NUMERO PORTA|N DE PORTA|NO DE PORTA"),
        (Street, "RUA|ARRUAMENTO|LOGRADOURO|NOME DA RUA|NOME DO ARRUAMENTO|NOME ARRUAMENTO"),
        (StreetType, "TIPO DE ARRUAMENTO|TIPO ARRUAMENTO|TIPO DE VIA"),
        (SecondLine, "MORADA 2|ENDERECO 2"),
        (Unit, "ANDAR|FRACAO|COMPLEMENTO"),
        (Locality, "LOCALIDADE|CONCELHO|FREGUESIA|CIDADE|MUNICIPIO|LOCALIDADE POSTAL"),
        (Region, "DISTRITO|PROVINCIA"),
        (Postcode, "CODIGO POSTAL|COD POSTAL"),
        (Country, "PAIS"),
    ],
    in_company: &[(HouseNumber, "NUMERO|N|NO|PORTA|NUM"), (Postcode, "CP|CEP")],
};
