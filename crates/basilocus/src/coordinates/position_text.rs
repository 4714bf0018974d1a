//! A position that somebody typed, in any system.

use crate::Error;
use crate::coordinates::finder::Finder;
use crate::coordinates::system;
use basilocus_geodesy::crs::{Catalogue, Crs, Kind};
use basilocus_geodesy::notation::{self, AxisOrder, Notation};
use basilocus_geodesy::operation::Operation;

/// A position, understood.
#[derive(Debug, Clone, PartialEq)]
pub struct Typed {
    /// Longitude or easting, in the unit of the system.
    pub x: f64,
    /// Latitude or northing.
    pub y: f64,
    /// Height in metres, where the text has one.
    pub height_m: Option<f64>,
    /// The system that x and y are in: the one that was said, or the one that the text says.
    pub crs: Crs,
    /// Longitude in degrees on the datum of that system, from Greenwich.
    pub lon: f64,
    /// Latitude in degrees.
    pub lat: f64,
    /// What it was read as.
    pub read_as: String,
    /// What was read.
    pub words: String,
    /// Size of the cell that a code names, metres.
    pub cell_m: Option<f64>,
}

/// Reads a position of a system; WGS 84 where `from` is `None`.
///
/// # Errors
/// [`Error::Geodesy`] with what cannot be read, and where.
///
/// ```
/// use basilocus::geodesy::notation::AxisOrder;
/// let p = basilocus::coordinates::position_text::read("7382000 ft E 932000 ft N", Some("EPSG:2269"), AxisOrder::Reject).unwrap();
/// assert!((p.lon + 123.7).abs() < 0.3 && (p.lat - 46.1).abs() < 0.2);
/// ```
pub fn read(text: &str, from: Option<&str>, order: AxisOrder) -> Result<Typed, Error> {
    let crs = match from {
        Some(from) => system::find(from)?.crs,
        None => Catalogue::embedded().get(4326)?,
    };
    if let Kind::Geocentric { .. } = crs.kind {
        return geocentric(text, crs);
    }
    if let Kind::Projected { unit, .. } = &crs.horizontal().kind {
        if let Some(p) = notation::well_known_text::point(text) {
            let p = p.map_err(basilocus_geodesy::Error::Notation)?;
            let words = format!("easting {}, northing {} ({})", p.x, p.y, unit.plural());
            return finish(p.x, p.y, p.z, crs, Notation::WellKnownText.words().into(), words, None);
        }
        match notation::easting_northing::read(text, unit.metres) {
            Ok(r) => {
                let words = format!("easting {}, northing {} ({})", r.easting, r.northing, unit.plural());
                return finish(r.easting, r.northing, None, crs, "easting and northing".into(), words, None);
            }
            // A grid code says its own system; anything else is no easting and northing.
            Err(e) => match notation::read(text, AxisOrder::Reject) {
                Ok(r) if r.notation.is_whole() => {}
                _ => return Err(basilocus_geodesy::Error::Notation(e).into()),
            },
        }
    } else if crs.datum().is_none() {
        return Err(Error::Usage(format!("{} cannot be placed on the Earth; say a system with a datum", crs.title())));
    }
    let r = notation::read(text, order).map_err(basilocus_geodesy::Error::Notation)?;
    let said = match (r.crs, crs.is_geographic()) {
        (Some(code), _) if crs.code != Some(code) => Catalogue::embedded().get(code)?,
        (None, false) => Catalogue::embedded().get(4326)?,
        _ => crs,
    };
    if r.notation.is_wgs84_grid() && !crate::steps::positions::is_like_wgs84(&said) {
        return Err(Error::Usage(format!(
            "\"{text}\" is a grid on the WGS 84 ellipsoid, and `from` is {}: leave `from` away, or say the projected system of that zone",
            said.title()
        )));
    }
    let unit = match &said.horizontal().kind {
        Kind::Geographic { unit, .. } => unit.degrees,
        _ => 1.0,
    };
    finish(r.lon_deg / unit, r.lat_deg / unit, r.height_m, said, r.notation.words().into(), r.words(), r.cell_m)
}

fn geocentric(text: &str, crs: Crs) -> Result<Typed, Error> {
    let numbers: Vec<f64> = text
        .split(|c: char| c.is_whitespace() || c == ';' || c == ',')
        .filter(|t| !t.is_empty())
        .filter_map(|t| t.parse().ok())
        .collect();
    let [x, y, z] = numbers[..] else {
        return Err(Error::Usage(format!(
            "\"{text}\" is not X, Y and Z, which {} needs: three numbers with blanks between them are expected",
            crs.title()
        )));
    };
    let geographic =
        crs.geographic().ok_or_else(|| Error::Usage(format!("{} has no geographic system", crs.title())))?;
    let op = Operation::between(&crs, &geographic.clone().with_heights(None)?, None)?;
    let outside = || Error::Usage(format!("\"{text}\" is no position of {}", crs.title()));
    let (lon, lat, h) = op.apply_one(x, y, z).ok_or_else(outside)?;
    let words = format!("X {x}, Y {y}, Z {z} m");
    finish(lon, lat, Some(h), geographic, "geocentric coordinates".into(), words, None)
}

fn finish(
    x: f64,
    y: f64,
    height_m: Option<f64>,
    crs: Crs,
    read_as: String,
    words: String,
    cell_m: Option<f64>,
) -> Result<Typed, Error> {
    let op = Operation::to_degrees(&crs)?;
    let (lon, lat, _) = op.apply_one(x, y, 0.0).ok_or_else(|| {
        Error::Usage(format!(
            "{x}, {y} cannot be placed: the position is {}; check the numbers, or the system that was said ({})",
            op.refusal(x, y, 0.0).unwrap_or_else(|| "outside the domain".into()),
            crs.title()
        ))
    })?;
    Ok(Typed { x, y, height_m, crs, lon, lat, read_as, words, cell_m })
}

impl Typed {
    /// The position in another system.
    ///
    /// # Errors
    /// Where there is no way, or the position is outside its domain.
    pub fn in_system(&self, crs: &Crs, finder: &Finder) -> Result<(f64, f64, Option<f64>, Operation), Error> {
        let source = match self.height_m {
            // A height that came with the text is above the ellipsoid, as ISO 6709 has it without another system.
            Some(_) if crs.heights() != basilocus_geodesy::crs::Heights::None => {
                self.crs.horizontal().clone().with_heights(None)?
            }
            _ => self.crs.clone(),
        };
        let op = finder.find(&source, crs)?;
        let z = self.height_m.unwrap_or(0.0);
        let (x, y, z) = op.apply_one(self.x, self.y, z).ok_or_else(|| {
            Error::Usage(format!(
                "this position cannot be brought to {}: it is {}",
                crs.title(),
                op.refusal(self.x, self.y, z).unwrap_or_else(|| "outside the domain".into())
            ))
        })?;
        let z = op.moves_heights().then_some(z);
        Ok((x, y, z, op))
    }
}
