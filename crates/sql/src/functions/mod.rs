//! Functions over columns, one file each. To add one: a file here, and its line in the list below.
//!
//! Geometries are well-known binary (or points as GeoArrow has them) and carry their system in the field's metadata, so that a
//! query is planned with it: easting or longitude is always first. Functions named `ST_…` are those of ISO 13249-3 and of the
//! OGC's simple features for SQL (06-104r4); the others are ours.
//!
//! | function | gives |
//! |---|---|
//! | `ST_Point(x, y[, system])` | a point |
//! | `ST_X(point)`, `ST_Y(point)`, `ST_Z(point)` | its coordinates |
//! | `ST_AsText(geometry)`, `ST_GeomFromText(text[, system])` | well-known text, and back |
//! | `ST_AsBinary(geometry)`, `ST_GeomFromWKB(bytes[, system])` | well-known binary, and back |
//! | `ST_SRID(geometry)`, `ST_SRID(geometry, system)` | the code of its system; the same geometry in that system |
//! | `ST_Transform(geometry, system)` | the geometry in another system |
//! | `ST_Distance(a, b)`, `ST_Length(lines)`, `ST_Perimeter(areas)`, `ST_Area(areas)` | metres and square metres on the ellipsoid for degrees, the system's unit else |
//! | `ST_Within(a, b)`, `ST_Contains(a, b)`, `ST_Intersects(a, b)` | whether they are so |
//! | `ST_Envelope(geometry)` | the rectangle around it |
//! | `hilbert(geometry)` | its place along a Hilbert curve: `ORDER BY` it before writing |
//! | `read_position(text[, system[, order]])` | x, y, height_m, system, read_as, reason |
//! | `write_position(lon, lat, notation[, digits])` | a text |
//! | `transform(x, y, from, to[, epoch])` | x, y, accuracy_m, operation, reason |
//! | `geocode(address[, reference[, extras[, candidates]]])` | the columns of the command, `matched_…` for the names in extras (`'postcode,locality'`), the candidates as a text where so many are asked for, and reason |
//! | `nearest_address(lon, lat[, reference[, inside]])` | the columns of the command, `inside_…` for the names of attributes of the reference's areas, and reason |
//! | `nearest(a, b, count, most)` | the condition of a join: as many rows of the second table as are nearest, within a distance |
//! | `distortion(lon, lat, system)` | scales, convergence, angles, reason |

mod by_steps;
mod distortion;
mod geocode;
pub(crate) mod geometry_column;
mod hilbert;
pub(crate) mod measuring;
mod nearest;
mod nearest_address;
mod read_position;
pub(crate) mod scalar;
mod st_area;
mod st_as_binary;
mod st_as_text;
mod st_distance;
mod st_envelope;
mod st_geom_from_text;
mod st_geom_from_wkb;
mod st_length;
mod st_perimeter;
mod st_point;
mod st_relation;
mod st_srid;
mod st_transform;
mod st_x;
mod struct_column;
mod transform;
mod write_position;

use datafusion::logical_expr::ScalarUDF;
use scalar::{Definition, Scalar};

static DEFINITIONS: &[&Definition] = &[
    &distortion::DISTORTION,
    &geocode::GEOCODE,
    &hilbert::HILBERT,
    &nearest::NEAREST,
    &nearest_address::NEAREST_ADDRESS,
    &read_position::READ_POSITION,
    &st_area::ST_AREA,
    &st_as_binary::ST_AS_BINARY,
    &st_as_text::ST_AS_TEXT,
    &st_distance::ST_DISTANCE,
    &st_envelope::ST_ENVELOPE,
    &st_geom_from_text::ST_GEOM_FROM_TEXT,
    &st_geom_from_wkb::ST_GEOM_FROM_WKB,
    &st_length::ST_LENGTH,
    &st_perimeter::ST_PERIMETER,
    &st_point::ST_POINT,
    &st_relation::ST_CONTAINS,
    &st_relation::ST_INTERSECTS,
    &st_relation::ST_WITHIN,
    &st_srid::ST_SRID,
    &st_transform::ST_TRANSFORM,
    &st_x::ST_X,
    &st_x::ST_Y,
    &st_x::ST_Z,
    &transform::TRANSFORM,
    &write_position::WRITE_POSITION,
];

/// All functions over columns.
pub fn all() -> Vec<ScalarUDF> {
    DEFINITIONS.iter().flat_map(|d| Scalar::all(d)).collect()
}
