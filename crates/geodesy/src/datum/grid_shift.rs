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
    /// Limits and steps in seconds, longitudes positive to the west as in the file.
    south: f64,
    north: f64,
    east: f64,
    west: f64,
    lat_step: f64,
    lon_step: f64,
    columns: usize,
    rows: usize,
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
                lat_step,
                lon_step,
                columns: columns as usize,
                rows: rows as usize,
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

    /// What is to be added to longitude and latitude (degrees); NaN outside the grid.
    #[inline(always)]
    fn shift(&self, lon_deg: f64, lat_deg: f64) -> (f64, f64) {
        let (west, lat) = (-lon_deg * 3600.0, lat_deg * 3600.0);
        match self.finest(west, lat) {
            Some(grid) => {
                let [d_lat, d_west] = grid.bilinear::<2>(west, lat);
                (-d_west / 3600.0, d_lat / 3600.0)
            }
            None => (f64::NAN, f64::NAN),
        }
    }

    /// The shift at a position (degrees) of the source system; `None` outside the grid.
    pub fn at(&self, lon_deg: f64, lat_deg: f64) -> Option<Shift> {
        let (west, lat) = (-lon_deg * 3600.0, lat_deg * 3600.0);
        let [d_lat, d_west, a_lat, a_lon] = self.finest(west, lat)?.bilinear::<4>(west, lat);
        // −1 stands for an accuracy that nobody knows.
        let accuracy_m = (a_lat > 0.0 || a_lon > 0.0).then(|| a_lat.max(0.0).hypot(a_lon.max(0.0)));
        Some(Shift { lon_deg: -d_west / 3600.0, lat_deg: d_lat / 3600.0, accuracy_m })
    }

    /// Source to target, in place over degrees; outside the grid NaN.
    pub fn forward_batch(&self, lon: &mut [f64], lat: &mut [f64]) {
        for (x, y) in lon.iter_mut().zip(lat.iter_mut()) {
            let (dx, dy) = self.shift(*x, *y);
            (*x, *y) = (*x + dx, *y + dy);
        }
    }

    /// Target to source, by iteration: the place whose shift leads here.
    pub fn inverse_batch(&self, lon: &mut [f64], lat: &mut [f64]) {
        for (x, y) in lon.iter_mut().zip(lat.iter_mut()) {
            let (dx, dy) = self.shift(*x, *y);
            let (mut a, mut b) = (*x - dx, *y - dy);
            for _ in 0..20 {
                let (dx, dy) = self.shift(a, b);
                let (next_a, next_b) = (*x - dx, *y - dy);
                let moved = (next_a - a).abs().max((next_b - b).abs());
                (a, b) = (next_a, next_b);
                // Each round moves the place by the same small share of the round before; the next one would move it by
                // less than a thirtieth of a micrometre. Outside the grid nothing is moved.
                if !(moved * moved > 3e-13 * dx.abs().max(dy.abs())) {
                    break;
                }
            }
            (*x, *y) = (a, b);
        }
    }
}

impl SubGrid {
    /// Whether a place is inside; a hair beyond the rim is rounding.
    #[inline(always)]
    fn holds(&self, west: f64, lat: f64) -> bool {
        const HAIR: f64 = 1e-7;
        west >= self.east - HAIR && west <= self.west + HAIR && lat >= self.south - HAIR && lat <= self.north + HAIR
    }

    /// The first `N` numbers of a node: shifts alone, or their accuracies too.
    #[inline(always)]
    fn bilinear<const N: usize>(&self, west: f64, lat: f64) -> [f64; N] {
        let x = ((west - self.east) / self.lon_step).clamp(0.0, (self.columns - 1) as f64);
        let y = ((lat - self.south) / self.lat_step).clamp(0.0, (self.rows - 1) as f64);
        let (i, j) = ((x as usize).min(self.columns.saturating_sub(2)), (y as usize).min(self.rows.saturating_sub(2)));
        let (fx, fy) = (x - i as f64, y - j as f64);
        let at = j * self.columns + i;
        let right = usize::from(self.columns > 1);
        let up = if self.rows > 1 { self.columns } else { 0 };
        let [a, b, c, d] =
            [&self.nodes[at], &self.nodes[at + right], &self.nodes[at + up], &self.nodes[at + up + right]];
        let (w00, w10, w01, w11) = ((1.0 - fx) * (1.0 - fy), fx * (1.0 - fy), (1.0 - fx) * fy, fx * fy);
        std::array::from_fn(|k| {
            w00 * f64::from(a[k]) + w10 * f64::from(b[k]) + w01 * f64::from(c[k]) + w11 * f64::from(d[k])
        })
    }
}
