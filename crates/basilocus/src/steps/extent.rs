//! Chooses rows between meridians and parallels. A line or polygon counts by the middle of its bounds.

use super::{Bound, Step, Wish, Work};
use crate::Error;
use crate::engine::{Account, Columns, Rows, Setting};
use basilocus_geodesy::crs::Catalogue;
use basilocus_geodesy::operation::Operation;
use basilocus_table::Reason;
use basilocus_table::geometry::antimeridian::turned;
use serde::{Deserialize, Serialize};
use std::fmt::{self, Display, Formatter};
use std::str::FromStr;

/// `WEST,SOUTH,EAST,NORTH` in degrees of WGS 84; a west that is larger than the east lies across the 180° meridian.
///
/// ```
/// use basilocus::Layer;
/// use basilocus::formats::Format;
/// use basilocus::steps::Positions;
///
/// let folder = tempfile::tempdir()?;
/// let out = folder.path().join("out.csv");
/// let gates = "gate,lon,lat\nA,-123.8,46.2\nB,-123.7,46.1\n";
/// Layer::from_reader(gates.as_bytes(), Format::Delimited)?
///     .positions(Positions::in_system("EPSG:4326")?)
///     .extent([-124.0, 46.0, -123.75, 46.5])?
///     .write(&out)?.run()?;
/// assert_eq!(std::fs::read_to_string(out)?, "gate,lon,lat\nA,-123.8,46.2\n");
/// # Ok::<(), Box<dyn std::error::Error>>(())
/// ```
#[derive(Debug, Clone, Copy, PartialEq, Serialize, Deserialize)]
#[serde(try_from = "String", into = "String")]
pub struct Extent {
    west: f64,
    south: f64,
    east: f64,
    north: f64,
}

impl Extent {
    /// An extent of four edges, degrees.
    ///
    /// # Errors
    /// [`Error::Usage`] where the south does not lie below the north, or an edge is no longitude or latitude.
    ///
    /// ```
    /// use basilocus::steps::Extent;
    ///
    /// assert!(Extent::new([-124.1, 46.0, -123.5, 46.4]).is_ok());
    /// assert!(Extent::new([179.0, -20.0, -179.0, -15.0]).is_ok(), "across the 180° meridian");
    /// assert!(Extent::new([-124.1, 46.4, -123.5, 46.0]).is_err(), "the north below the south");
    /// ```
    pub fn new([west, south, east, north]: [f64; 4]) -> Result<Self, Error> {
        let extent = Extent { west, south, east, north };
        if !(-90.0 <= south && south < north && north <= 90.0) {
            return Err(Error::Usage(format!(
                "{extent} is no extent: the south has to lie below the north, both in degrees"
            )));
        }
        if !(west.abs() <= 360.0 && east.abs() <= 360.0) {
            return Err(Error::Usage(format!(
                "{extent} is no extent: the west or the east is no longitude in degrees"
            )));
        }
        Ok(extent)
    }
}

impl FromStr for Extent {
    type Err = Error;

    fn from_str(text: &str) -> Result<Self, Error> {
        let edges: Option<Vec<f64>> = text.split(',').map(|part| part.trim().parse().ok()).collect();
        match edges.as_deref() {
            Some([west, south, east, north]) => Extent::new([*west, *south, *east, *north]),
            _ => Err(Error::Usage(format!("{text} is no extent: WEST,SOUTH,EAST,NORTH in degrees is expected"))),
        }
    }
}

impl Display for Extent {
    fn fmt(&self, f: &mut Formatter<'_>) -> fmt::Result {
        write!(f, "{},{},{},{}", self.west, self.south, self.east, self.north)
    }
}

impl TryFrom<String> for Extent {
    type Error = Error;

    fn try_from(text: String) -> Result<Self, Error> {
        text.parse()
    }
}

impl From<Extent> for String {
    fn from(extent: Extent) -> Self {
        extent.to_string()
    }
}

impl Step for Extent {
    fn bind(&self, columns: Columns, setting: &mut Setting) -> Result<Bound, Error> {
        let crs = super::inside::system_of(&columns, setting)?;
        let operation = Operation::between(crs, &Catalogue::embedded().get(4326)?, None)?;
        setting.interpret(format!(
            "rows between {} and {} east, {} and {} north",
            self.west, self.east, self.south, self.north
        ));
        Ok(Bound::blocks(columns, Choosing { extent: *self, operation }))
    }

    fn wish(&self) -> Wish {
        Wish::Positions
    }

    fn keeps_positions(&self) -> bool {
        true
    }
}

struct Choosing {
    extent: Extent,
    operation: Operation,
}

impl Work for Choosing {
    fn apply(&self, rows: Rows, account: &mut Account) -> Result<Rows, Error> {
        let Extent { west: w, south: s, east: e, north: n } = self.extent;
        let [mut x, mut y, mut z] = rows.positions();
        self.operation.apply(&mut x, &mut y, &mut z);
        // All round the Earth, however the edges are counted.
        let whole = (e - w).abs() >= 360.0;
        let (w, e) = (turned(w), turned(e));
        for (row, x) in x.iter_mut().enumerate() {
            *x = turned(*x);
            let east = if whole {
                true
            } else if w <= e {
                w <= *x && *x <= e
            } else {
                *x >= w || *x <= e
            };
            if !(east && x.is_finite() && s <= y[row] && y[row] <= n) {
                account.leave_out(row, Reason::OUTSIDE_THE_EXTENT);
            }
        }
        Ok(rows)
    }
}
