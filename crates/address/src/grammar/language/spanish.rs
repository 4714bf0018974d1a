//! Spanish.

use super::{Component::*, Language};

/// Headers.
pub(super) static LANGUAGE: Language = Language {
    name: "Spanish",
    compass: "NORTE|SUR|ESTE|OESTE|ALTO|BAJO|ALTA|BAJA|ARRIBA|ABAJO|NUEVO|VIEJO|NUEVA|VIEJA|MAYOR|MENOR|GRANDE|CHICO|IZQUIERDA|DERECHA|INTERIOR|EXTERIOR",
    headers: &[
        (Address, "DIRECCION|DOMICILIO|DIRECCION COMPLETA|DIRECCION POSTAL"),
        (HouseNumber, "NUMERO DE CALLE|NUMERO DE CASA|NUM CALLE|NUMERO DE PORTAL|NUMERO POLICIA"),
        (
            Street,
            "CALLE|NOMBRE DE VIA|NOMBRE VIA|NOMBRE DE LA VIA|NOMBRE DE CALLE|NOMBRE CALLE|CALLE Y NUMERO|VIA PUBLICA",
        ),
        (StreetType, "TIPO DE VIA|TIPO VIA|CLASE DE VIA"),
        (SecondLine, "DIRECCION 2|COMPLEMENTO DIRECCION"),
        (Unit, "PISO|PUERTA|ESCALERA|PLANTA"),
        (Locality, "MUNICIPIO|LOCALIDAD|CIUDAD|POBLACION|NOMBRE MUNICIPIO"),
        (Region, "PROVINCIA|COMUNIDAD AUTONOMA"),
        (Postcode, "CODIGO POSTAL|COD POSTAL|C POSTAL"),
        (Country, "PAIS"),
    ],
    in_company: &[(HouseNumber, "NUMERO|NUM|NO|PORTAL|N"), (Street, "VIA"), (Postcode, "CP|DP")],
};
