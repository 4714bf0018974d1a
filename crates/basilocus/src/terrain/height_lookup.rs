//! Heights of a grid at positions, for those who have no layer.

use super::{GridReading, HeightGrid};
use crate::Error;
use crate::engine::Cancel;
use basilocus_geodesy::crs::Catalogue;
use basilocus_geodesy::operation::Operation;
use basilocus_geodesy::unit::LinearUnit;
use std::path::Path;
use std::sync::{Mutex, PoisonError};

/// An open grid of heights, asked at positions.
///
/// ```
/// use basilocus::terrain::HeightLookup;
///
/// let folder = tempfile::tempdir()?;
/// let grid = folder.path().join("bank.asc");
/// std::fs::write(&grid, "ncols 2\nnrows 2\nxllcenter -124\nyllcenter 46\ncellsize 0.25\n1 2\n3 4\n")?;
/// assert!(HeightLookup::open(&grid).is_err(), "it says no system");
/// let heights = HeightLookup::in_system(&grid, "EPSG:4326")?;
/// assert_eq!(heights.at(&[[-124.0, 46.0], [-123.875, 46.125], [0.0, 0.0]])?, [Some(3.0), Some(2.5), None]);
/// assert!(heights.unit().is_none());
/// # Ok::<(), Box<dyn std::error::Error>>(())
/// ```
pub struct HeightLookup {
    grid: Mutex<HeightGrid>,
    /// From WGS 84 to the system of the grid.
    to_grid: Operation,
    unit: Option<LinearUnit>,
}

impl HeightLookup {
    /// Opens a grid whose file carries its system.
    ///
    /// # Errors
    /// Where it cannot be read, says no system, or says one that WGS 84 has no way to.
    pub fn open(grid: &Path) -> Result<Self, Error> {
        Self::reading(grid, None)
    }

    /// Opens a grid in a system that is said.
    ///
    /// # Errors
    /// As for [`HeightLookup::open`].
    pub fn in_system(grid: &Path, system: &str) -> Result<Self, Error> {
        Self::reading(grid, Some(system.to_string()))
    }

    fn reading(path: &Path, from: Option<String>) -> Result<Self, Error> {
        let reading = GridReading { from, ..Default::default() };
        let no_system = || {
            Error::Usage(format!(
                "{}: it says no system, so nobody knows where its heights are; a grid that carries its own is expected, such as a GeoTIFF of `terrain grid`",
                path.display()
            ))
        };
        let grid = HeightGrid::open(path, &reading, &Cancel::default()).map_err(|e| match e {
            Error::NoCrs { .. } => no_system(),
            e => e,
        })?;
        let crs = grid.crs.as_ref().ok_or_else(no_system)?;
        let to_grid = Operation::between(&Catalogue::embedded().get(4326)?, crs.horizontal(), None)?;
        let unit = grid.unit.is_said.then(|| grid.unit.unit.clone());
        Ok(HeightLookup { grid: Mutex::new(grid), to_grid, unit })
    }

    /// The unit of the heights, where anything says it.
    pub fn unit(&self) -> Option<&LinearUnit> {
        self.unit.as_ref()
    }

    /// The heights of the surface at longitudes and latitudes of WGS 84 in degrees, in the unit of the grid; nothing where
    /// it has none.
    ///
    /// # Errors
    /// Where the file cannot be read.
    pub fn at(&self, positions: &[[f64; 2]]) -> Result<Vec<Option<f64>>, Error> {
        let (mut x, mut y): (Vec<f64>, Vec<f64>) = positions.iter().map(|p| (p[0], p[1])).unzip();
        let mut z = vec![f64::NAN; positions.len()];
        self.to_grid.apply(&mut x, &mut y, &mut z);
        let mut grid = self.grid.lock().unwrap_or_else(PoisonError::into_inner);
        let mut height = |x: f64, y: f64| match x.is_finite() && y.is_finite() {
            true => grid.height_at(x, y, false).map(|z| Some(z).filter(|z| z.is_finite())),
            false => Ok(None),
        };
        x.iter().zip(&y).map(|(x, y)| height(*x, *y)).collect()
    }
}
