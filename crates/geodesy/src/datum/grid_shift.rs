//! Datum shifts by grid: NTv2 files (National Transformation version 2, Geodetic Survey of Canada, 1990).
//!
//! A file is records of 16 bytes: a header, then sub-grids, each with its own header and its nodes from south to north and
//! east to west. Shifts are seconds of arc, longitudes positive to the west. Either byte order. A sub-grid may
//! lie in another one; the finest that holds a place is used. Between nodes shifts and accuracies are bilinear.

use std::collections::HashMap;

/// A grid of shifts from one geographic system to another.
#[derive(Debug, Clone, PartialEq)]
pub struct GridShift {
    /// Name of the source system in the file.
    pub from: String,
    /// Name of the target system in the file.
    pub to: String,
    grids: Vec<SubGrid>,
    /// Indices of the grids without a parent.
    roots: Vec<usize>,
}

/// One rectangle of nodes.
#[derive(Debug, Clone, PartialEq)]
struct SubGrid {
    name: String,
    /// Limits in seconds, longitudes positive to the west as in the file.
    south: f64,
    north: f64,
    east: f64,
    west: f64,
    /// Steps in a second.
    per_lat_step: f64,
    per_lon_step: f64,
    columns: usize,
    rows: usize,
    /// The last column and row that a cell begins at.
    last_column: u32,
    last_row: u32,
    /// Latitude shift, longitude shift, their accuracies: four numbers a node.
    nodes: Vec<[f32; 4]>,
    children: Vec<usize>,
}

/// Why a grid file cannot be used.
#[derive(Debug, Clone, PartialEq, Eq, thiserror::Error)]
#[error("is not an NTv2 grid file that can be used: {0}")]
pub struct GridError(String);

/// A shift at a place.
#[derive(Debug, Clone, Copy, PartialEq)]
pub struct Shift {
    /// To be added to the longitude, degrees east.
    pub lon_deg: f64,
    /// To be added to the latitude, degrees.
    pub lat_deg: f64,
    /// Accuracy in metres, where the file has one.
    pub accuracy_m: Option<f64>,
}

struct Records<'a> {
    bytes: &'a [u8],
    big: bool,
}

impl Records<'_> {
    fn record(&self, index: usize) -> Result<&[u8], GridError> {
        self.bytes.get(index * 16..index * 16 + 16).ok_or_else(|| GridError("the file ends too early".into()))
    }

    fn label(&self, index: usize) -> Result<String, GridError> {
        Ok(String::from_utf8_lossy(&self.record(index)?[..8]).trim_matches(['\0', ' ']).to_string())
    }

    fn value<const N: usize>(&self, index: usize, label: &str) -> Result<[u8; N], GridError> {
        let record = self.record(index)?;
        let found = self.label(index)?;
        if found != label {
            return Err(GridError(format!("record {index} is \"{}\"; \"{label}\" is expected", found.escape_debug())));
        }
        let mut out = [0u8; N];
        out.copy_from_slice(&record[8..8 + N]);
        if self.big {
            out.reverse();
        }
        Ok(out)
    }

    fn integer(&self, index: usize, label: &str) -> Result<usize, GridError> {
        let v = i32::from_le_bytes(self.value(index, label)?);
        usize::try_from(v).map_err(|_| GridError(format!("{label} is {v}")))
    }

    fn double(&self, index: usize, label: &str) -> Result<f64, GridError> {
        let v = f64::from_le_bytes(self.value(index, label)?);
        if v.is_finite() { Ok(v) } else { Err(GridError(format!("{label} is not a number"))) }
    }

    fn text(&self, index: usize, label: &str) -> Result<String, GridError> {
        let found = self.label(index)?;
        if found != label {
            return Err(GridError(format!("record {index} is \"{}\"; \"{label}\" is expected", found.escape_debug())));
        }
        Ok(String::from_utf8_lossy(&self.record(index)?[8..]).trim_matches(['\0', ' ']).to_string())
    }
}

impl GridShift {
    /// Reads the bytes of a file.
    ///
    /// # Errors
    /// [`GridError`] says which record is wrong. Nothing is allocated beyond the size of the file.
    pub fn parse(bytes: &[u8]) -> Result<Self, GridError> {
        if bytes.len() < 11 * 16 || &bytes[..8] != b"NUM_OREC" {
            return Err(GridError("it does not begin with NUM_OREC".into()));
        }
        // The first value is the number of header records, 11: in one byte order or the other.
        let big = bytes[8..12] == [0, 0, 0, 11];
        if !big && bytes[8..12] != [11, 0, 0, 0] {
            return Err(GridError("NUM_OREC is not 11 in either byte order".into()));
        }
        let r = Records { bytes, big };
        if r.integer(1, "NUM_SREC")? != 11 {
            return Err(GridError("NUM_SREC is not 11".into()));
        }
        let count = r.integer(2, "NUM_FILE")?;
        if r.text(3, "GS_TYPE")? != "SECONDS" {
            return Err(GridError("GS_TYPE is not SECONDS".into()));
        }
        let (from, to) = (r.text(5, "SYSTEM_F")?, r.text(6, "SYSTEM_T")?);
        let mut grids: Vec<SubGrid> = Vec::new();
        let mut parents = Vec::new();
        let mut at = 11;
        for _ in 0..count {
            let name = r.text(at, "SUB_NAME")?;
            let parent = r.text(at + 1, "PARENT")?;
            let d = |i: usize, label: &str| r.double(at + i, label);
            let (south, north) = (d(4, "S_LAT")?, d(5, "N_LAT")?);
            let (east, west) = (d(6, "E_LONG")?, d(7, "W_LONG")?);
            let (lat_step, lon_step) = (d(8, "LAT_INC")?, d(9, "LONG_INC")?);
            let nodes = r.integer(at + 10, "GS_COUNT")?;
            if !(lat_step > 0.0 && lon_step > 0.0 && north > south && west > east) {
                return Err(GridError(format!("sub-grid {name} has no area")));
            }
            let (rows, columns) =
                (((north - south) / lat_step).round() + 1.0, ((west - east) / lon_step).round() + 1.0);
            if rows * columns != nodes as f64 {
                return Err(GridError(format!(
                    "sub-grid {name} has {nodes} nodes; its limits make {rows} by {columns}"
                )));
            }
            let start = (at + 11) * 16;
            let data = bytes
                .get(start..start.saturating_add(nodes.saturating_mul(16)))
                .ok_or_else(|| GridError(format!("sub-grid {name} ends too early")))?;
            let number = |b: &[u8]| {
                let b: [u8; 4] = [b[0], b[1], b[2], b[3]];
                if big { f32::from_be_bytes(b) } else { f32::from_le_bytes(b) }
            };
            grids.push(SubGrid {
                name,
                south,
                north,
                east,
                west,
                per_lat_step: 1.0 / lat_step,
                per_lon_step: 1.0 / lon_step,
                columns: columns as usize,
                rows: rows as usize,
                last_column: (columns as u32).saturating_sub(2),
                last_row: (rows as u32).saturating_sub(2),
                nodes: data.chunks_exact(16).map(|c| std::array::from_fn(|i| number(&c[4 * i..]))).collect(),
                children: Vec::new(),
            });
            parents.push(parent);
            at += 11 + nodes;
        }
        if grids.is_empty() {
            return Err(GridError("it has no sub-grid".into()));
        }
        let by_name: HashMap<String, usize> = grids.iter().enumerate().map(|(i, g)| (g.name.clone(), i)).collect();
        let mut roots = Vec::new();
        for (i, parent) in parents.iter().enumerate() {
            match by_name.get(parent) {
                // A grid comes after its parent in a well-formed file; one that does not would make a circle possible.
                Some(&p) if p < i => grids[p].children.push(i),
                _ => roots.push(i),
            }
        }
        Ok(GridShift { from, to, grids, roots })
    }

    /// Names of the sub-grids, for descriptions.
    pub fn names(&self) -> Vec<&str> {
        self.grids.iter().map(|g| g.name.as_str()).collect()
    }

    /// West, south, east and north limit, degrees.
    pub fn extent_deg(&self) -> [f64; 4] {
        self.grids.iter().fold([f64::INFINITY, f64::INFINITY, f64::NEG_INFINITY, f64::NEG_INFINITY], |e, g| {
            [
                e[0].min(-g.west / 3600.0),
                e[1].min(g.south / 3600.0),
                e[2].max(-g.east / 3600.0),
                e[3].max(g.north / 3600.0),
            ]
        })
    }

    /// The finest grid that holds a place.
    #[inline(always)]
    fn finest(&self, west: f64, lat: f64) -> Option<&SubGrid> {
        let mut found = self.roots.iter().copied().find(|&i| self.grids[i].holds(west, lat))?;
        while let Some(&child) = self.grids[found].children.iter().find(|&&i| self.grids[i].holds(west, lat)) {
            found = child;
        }
        Some(&self.grids[found])
    }

    fn is_finest(&self, grid: &SubGrid, west: f64, north: f64) -> bool {
        self.finest(west, north).is_some_and(|finest| std::ptr::eq(finest, grid))
    }

    /// The shift at a position (degrees) of the source system; `None` outside the grid.
    pub fn at(&self, lon_deg: f64, lat_deg: f64) -> Option<Shift> {
        let (west, lat) = (-lon_deg * 3600.0, lat_deg * 3600.0);
        let (cell, parts) = self.finest(west, lat)?.cell(west, lat);
        let [d_lat, d_west, a_lat, a_lon] = cell.bilinear(parts);
        // −1 stands for an accuracy that nobody knows.
        let accuracy_m = (a_lat > 0.0 || a_lon > 0.0).then(|| a_lat.max(0.0).hypot(a_lon.max(0.0)));
        Some(Shift { lon_deg: -d_west / 3600.0, lat_deg: d_lat / 3600.0, accuracy_m })
    }

    /// Source to target, in place over degrees; outside the grid NaN.
    pub fn forward_batch(&self, lon: &mut [f64], lat: &mut [f64]) {
        for (x, y) in lon.iter_mut().zip(lat.iter_mut()) {
            let (west, north) = (-*x * SECONDS, *y * SECONDS);
            let [d_north, d_west] = self.finest(west, north).map_or([f64::NAN; 2], |grid| {
                let (cell, parts) = grid.cell(west, north);
                cell.bilinear(parts)
            });
            (*x, *y) = (*x - d_west * DEGREES, *y + d_north * DEGREES);
        }
    }

    /// Target to source, by iteration: the place whose shift leads here.
    pub fn inverse_batch(&self, lon: &mut [f64], lat: &mut [f64]) {
        for (x, y) in lon.iter_mut().zip(lat.iter_mut()) {
            let [d_north, d_west] = self.shift_that_leads_to(-*x * SECONDS, *y * SECONDS).unwrap_or([f64::NAN; 2]);
            (*x, *y) = (*x + d_west * DEGREES, *y - d_north * DEGREES);
        }
    }

    /// The shift, to the north and to the west, of the place that it takes to a place of the target system; all seconds.
    #[inline(always)]
    fn shift_that_leads_to(&self, west: f64, north: f64) -> Option<[f64; 2]> {
        let (mut cell, parts) = self.finest(west, north)?.cell(west, north);
        let mut shift: [f64; 2] = cell.bilinear(parts);
        for _ in 0..20 {
            let (from_west, from_north) = (west - shift[1], north - shift[0]);
            // Shifts are small beside cells: mostly the place lies in the cell whose nodes are at hand, and a finer grid is
            // in the way in files of several alone.
            let is_finest = || self.grids.len() == 1 || self.is_finest(cell.grid, from_west, from_north);
            let parts = match cell.parts(from_west, from_north).filter(|_| is_finest()) {
                Some(parts) => parts,
                None => {
                    let (other, parts) = self.finest(from_west, from_north)?.cell(from_west, from_north);
                    cell = other;
                    parts
                }
            };
            let next: [f64; 2] = cell.bilinear(parts);
            let moved = (next[0] - shift[0]).abs().max((next[1] - shift[1]).abs());
            shift = next;
            // Each round moves the place by the same small share of the round before; the next one would move it by
            // less than a thirtieth of a micrometre.
            if !(moved * moved > 1e-9 * shift[0].abs().max(shift[1].abs())) {
                break;
            }
        }
        Some(shift)
    }
}

const SECONDS: f64 = 3600.0;
const DEGREES: f64 = 1.0 / 3600.0;

impl SubGrid {
    /// Whether a place is inside; a hair beyond the rim is rounding.
    #[inline(always)]
    fn holds(&self, west: f64, lat: f64) -> bool {
        const HAIR: f64 = 1e-7;
        west >= self.east - HAIR && west <= self.west + HAIR && lat >= self.south - HAIR && lat <= self.north + HAIR
    }

    /// The four nodes around a place, and how far it lies into their cell; at the rim and a hair beyond it the last ones.
    #[inline(always)]
    fn cell(&self, west: f64, north: f64) -> (Cell<'_>, (f64, f64)) {
        let x = ((west - self.east) * self.per_lon_step).clamp(0.0, (self.columns - 1) as f64);
        let y = ((north - self.south) * self.per_lat_step).clamp(0.0, (self.rows - 1) as f64);
        // A grid has fewer than 2³¹ nodes: small whole numbers are converted faster.
        let (i, j) = ((x as u32).min(self.last_column), (y as u32).min(self.last_row));
        let at = j as usize * self.columns + i as usize;
        let right = usize::from(self.columns > 1);
        let up = if self.rows > 1 { self.columns } else { 0 };
        let nodes = [at, at + right, at + up, at + up + right].map(|at| &self.nodes[at]);
        let (column, row) = (f64::from(i), f64::from(j));
        (Cell { grid: self, column, row, nodes }, (x - column, y - row))
    }
}

/// Four nodes of a grid: south-east, south-west, north-east, north-west.
struct Cell<'a> {
    grid: &'a SubGrid,
    /// Steps from the east and from the south to the first node.
    column: f64,
    row: f64,
    nodes: [&'a [f32; 4]; 4],
}

impl Cell<'_> {
    /// How far into the cell a place lies, 0 to 1 to the west and to the north; none outside of it.
    #[inline(always)]
    fn parts(&self, west: f64, north: f64) -> Option<(f64, f64)> {
        let x = (west - self.grid.east) * self.grid.per_lon_step - self.column;
        let y = (north - self.grid.south) * self.grid.per_lat_step - self.row;
        ((0.0..1.0).contains(&x) & (0.0..1.0).contains(&y)).then_some((x, y))
    }

    /// The first `N` numbers of a node: shifts alone, or their accuracies too.
    #[inline(always)]
    fn bilinear<const N: usize>(&self, (x, y): (f64, f64)) -> [f64; N] {
        let [a, b, c, d] = self.nodes;
        let (w00, w10, w01, w11) = ((1.0 - x) * (1.0 - y), x * (1.0 - y), (1.0 - x) * y, x * y);
        std::array::from_fn(|k| {
            w00 * f64::from(a[k]) + w10 * f64::from(b[k]) + w01 * f64::from(c[k]) + w11 * f64::from(d[k])
        })
    }
}
