//! The map sheets that a position is on, and the position on the sheet.

use crate::Error;
use crate::accuracy_words;
use crate::coordinates::position_text::{self, Typed};
use crate::coordinates::sheets;
use crate::paths::Paths;
use crate::plan::InputPlan;
use basilocus_geodesy::notation::{self, AxisOrder, Notation};
use basilocus_geodesy::sheet::{self, SERIES, Sheet};
use serde::Serialize;
use std::path::{Path, PathBuf};

/// Series of sheets of the international map.
const MILLIONTH: &str = "1:1,000,000";
/// Series of sheets of an index of one's own.
const OWN: &str = "of the index";

/// A position, or the number of a sheet.
#[derive(Debug, Clone, Default, PartialEq)]
#[cfg_attr(feature = "arguments", derive(clap::Args))]
pub struct SheetQuestion {
    /// The position, or the number of an international sheet such as NL-10
    pub what: String,
    /// Index of sheets of one's own: a table with their limits
    #[cfg_attr(feature = "arguments", arg(long, value_name = "FILE"))]
    pub index: Option<PathBuf>,
    /// System of the index's limits; WGS 84 unless said
    #[cfg_attr(feature = "arguments", arg(long, value_name = "CRS"))]
    pub index_crs: Option<String>,
    /// System of the position; WGS 84 unless said
    #[cfg_attr(feature = "arguments", arg(long, value_name = "CRS"))]
    pub from: Option<String>,
    /// Which number comes first, where the text does not say
    #[cfg_attr(feature = "arguments", arg(long, value_name = "latitude-first|longitude-first"))]
    pub order: Option<AxisOrder>,
    /// Write the limits of the sheets as a layer of polygons, in any format that has a place for them
    #[cfg_attr(feature = "arguments", arg(short, long, value_name = "FILE"))]
    pub output: Option<PathBuf>,
    /// Replace a layer that exists
    #[cfg_attr(feature = "arguments", arg(long))]
    pub overwrite: bool,
}

/// The sheets.
#[derive(Debug, Clone, PartialEq, Serialize)]
#[cfg_attr(feature = "schemas", derive(schemars::JsonSchema))]
pub struct SheetReport {
    /// What was asked for.
    pub input: String,
    /// How it was read.
    pub interpretation: Vec<String>,
    /// What a careful user should know.
    pub notes: Vec<String>,
    /// Longitude of the position, degrees on the datum of its system.
    pub lon: Option<f64>,
    /// Latitude of the position.
    pub lat: Option<f64>,
    /// The sheets, from the coarsest to the finest, then those of an index of one's own.
    pub sheets: Vec<SheetFound>,
    /// The position as a reference of the military grid.
    pub mgrs: Option<String>,
    /// Zone, easting and northing of the position.
    pub utm: Option<String>,
    /// Files written.
    #[serde(serialize_with = "crate::report::path_text::many")]
    pub outputs: Vec<PathBuf>,
}

/// A sheet.
#[derive(Debug, Clone, PartialEq, Serialize)]
#[cfg_attr(feature = "schemas", derive(schemars::JsonSchema))]
pub struct SheetFound {
    /// Its series: a scale, or that it is of the index.
    pub series: String,
    /// Its number.
    pub sheet: String,
    /// Western limit: degrees, or the unit of the index's system.
    pub west: f64,
    /// Southern limit.
    pub south: f64,
    /// Eastern limit.
    pub east: f64,
    /// Northern limit.
    pub north: f64,
    /// Where on it the position is: share of its width from the west, 0 to 1.
    pub from_west: Option<f64>,
    /// Share of its height from the south.
    pub from_south: Option<f64>,
    /// Whether the limits are degrees.
    #[serde(skip)]
    pub in_degrees: bool,
}

impl SheetFound {
    fn of(series: impl Into<String>, sheet: Sheet, at: Option<(f64, f64)>, in_degrees: bool) -> Self {
        let [west, south, east, north] = sheet.limits_deg;
        let (from_west, from_south) = at.unzip();
        SheetFound {
            series: series.into(),
            sheet: sheet.number,
            west,
            south,
            east,
            north,
            from_west,
            from_south,
            in_degrees,
        }
    }

    /// The sheet with its series, as the writer of limits takes it.
    fn limits(&self) -> (String, Sheet) {
        let limits_deg = [self.west, self.south, self.east, self.north];
        (self.series.clone(), Sheet { number: self.sheet.clone(), limits_deg })
    }
}

impl SheetQuestion {
    /// Finds the sheets, and writes their limits where an output is said.
    ///
    /// # Errors
    /// Where the position or the index cannot be read, no sheet holds the position, or the output cannot be written.
    ///
    /// ```
    /// use basilocus::lookup::SheetQuestion;
    ///
    /// let report = SheetQuestion { what: "46.2 N 123.8 W".into(), ..Default::default() }.report()?;
    /// assert_eq!(report.sheets[0].sheet, "NL-10");
    /// # Ok::<(), basilocus::Error>(())
    /// ```
    pub fn report(&self) -> Result<SheetReport, Error> {
        let mut paths = Paths::default();
        self.index.iter().for_each(|index| paths.read(index, "the index of sheets"));
        self.output.as_ref().map_or(Ok(()), |output| paths.written(output, "the output"))?;
        let mut report = match sheet::by_number(&self.what) {
            Some(found) => {
                let mut report = self.empty(None);
                report.interpretation.push(format!("international sheet {}", found.number));
                report.sheets.push(SheetFound::of(MILLIONTH, found, None, true));
                report
            }
            None => self.at_position()?,
        };
        if report.sheets.is_empty() {
            return Err(Error::Usage(format!(
                "\"{}\": the international numbering ends at 88° latitude, and no index holds the position",
                self.what
            )));
        }
        if let Some(path) = &self.output {
            let limits: Vec<_> = report.sheets.iter().filter(|s| s.in_degrees).map(SheetFound::limits).collect();
            sheets::write_limits(path, &limits, self.overwrite)?;
            report.outputs.push(path.clone());
        }
        Ok(report)
    }

    fn empty(&self, position: Option<&Typed>) -> SheetReport {
        let print = |notation, digits| position.and_then(|p| notation::print(p.lon, p.lat, notation, digits));
        SheetReport {
            input: self.what.clone(),
            interpretation: Vec::new(),
            notes: Vec::new(),
            lon: position.map(|p| p.lon),
            lat: position.map(|p| p.lat),
            sheets: Vec::new(),
            mgrs: print(Notation::Mgrs, 5),
            utm: print(Notation::Utm, 0),
            outputs: Vec::new(),
        }
    }

    fn at_position(&self) -> Result<SheetReport, Error> {
        let p = position_text::read(&self.what, self.from.as_deref(), self.order.unwrap_or_default())?;
        let mut report = self.empty(Some(&p));
        report.interpretation.push(format!("{}: {} ({})", self.what, p.words, p.read_as));
        let mut add = |series: String, sheet: Option<Sheet>| {
            if let Some(s) = sheet {
                let at = Some(s.share(p.lon, p.lat));
                report.sheets.push(SheetFound::of(series, s, at, true));
            }
        };
        add(MILLIONTH.into(), sheet::international(p.lon, p.lat));
        for series in SERIES {
            add(scale(series.scale), sheet::of_series(series.scale, p.lon, p.lat));
        }
        if let Some(path) = &self.index {
            self.in_index(path, &p, &mut report)?;
        }
        Ok(report)
    }

    /// The sheets of an index of one's own.
    fn in_index(&self, path: &Path, p: &Typed, report: &mut SheetReport) -> Result<(), Error> {
        let own = sheets::read_index(path, &InputPlan::default(), self.index_crs.as_deref())?;
        report.interpretation.push(format!("index {}: {}", path.display(), own.interpretation));
        let (x, y, _, operation) = p.in_system(&own.crs, &Default::default())?;
        if operation.accuracy_m() != Some(0.0) {
            report.notes.push(format!(
                "brought to {} by {} ({})",
                own.crs.title(),
                operation.name(),
                accuracy_words(operation.accuracy_m())
            ));
        }
        let hits = own.index.at(x, y);
        if hits.is_empty() {
            report.notes.push("none of the index's sheets holds the position".into());
        }
        let in_degrees = own.crs.is_geographic();
        for s in hits {
            let [w, south, e, n] = s.limits_deg;
            let share = if in_degrees { s.share(x, y) } else { ((x - w) / (e - w), (y - south) / (n - south)) };
            report.sheets.push(SheetFound::of(OWN, s.clone(), Some(share), in_degrees));
        }
        Ok(())
    }
}

/// `1:50,000`
fn scale(of: u32) -> String {
    let digits = of.to_string();
    let mut out = String::from("1:");
    for (i, c) in digits.chars().enumerate() {
        if i > 0 && (digits.len() - i).is_multiple_of(3) {
            out.push(',');
        }
        out.push(c);
    }
    out
}
