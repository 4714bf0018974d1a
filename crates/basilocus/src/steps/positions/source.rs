//! Which columns hold the positions, and in which system they are.

use super::Positions;
use super::numbers::Numbers;
use super::parts::{self, Axis};
use super::shapes;
use super::zones::Zones;
use crate::Error;
use crate::coordinates::finder::Finder;
use crate::engine::{Columns, Rows};
use basilocus_geodesy::crs::{Crs, Heights, Kind};
use basilocus_table::Role;
use basilocus_table::batch::point_crs;
use std::path::Path;

/// Where positions are.
#[derive(Debug, Clone)]
pub(super) enum Source {
    Columns {
        x: usize,
        y: usize,
    },
    /// Angles in several columns.
    Parts {
        x: Axis,
        y: Axis,
    },
    /// A whole position, in one column or in several that make one together.
    OneColumn(Vec<usize>),
    /// A column of well-known text with lines or polygons.
    Shapes(usize),
    Geometry,
}

/// A source with its system.
pub(super) struct Found {
    pub source: Source,
    pub crs: Crs,
    pub height: Option<Height>,
    /// The column of zones, where the system is one of them.
    pub zones: Option<Zones>,
    pub interpretation: Vec<String>,
}

/// Whether a table has anything that looks like positions.
pub(crate) fn has_position_roles(columns: &Columns) -> bool {
    let has = |role| columns.iter().any(|c| c.role == Some(role));
    has(Role::Longitude) && has(Role::Latitude) || has(Role::Easting) && has(Role::Northing) || has(Role::Coordinates)
}

/// A column of heights.
#[derive(Debug, Clone, Copy)]
pub(super) struct Height {
    pub column: usize,
    /// Whether nobody asked for it: what is no number there is no height, and no reason to set a row aside.
    pub is_found: bool,
}

/// Whether a system cannot be computed without heights.
pub(super) fn needs_height(crs: &Crs) -> bool {
    matches!(crs.kind, Kind::Geocentric { .. }) || crs.heights() != Heights::None
}

struct Search<'a> {
    plan: &'a Positions,
    columns: &'a Columns,
    sample: &'a Rows,
    path: &'a Path,
    /// The system that was said.
    stated: Option<Crs>,
}

/// Finds columns and system.
pub(super) fn find(
    plan: &Positions,
    finder: &Finder,
    columns: &Columns,
    sample: &Rows,
    path: &Path,
) -> Result<Found, Error> {
    let stated = plan.from.as_deref().map(crate::coordinates::system::find).transpose()?;
    let mut evidence: Vec<String> = stated.iter().flat_map(|s| s.evidence.iter().cloned()).collect();
    let search = Search { plan, columns, sample, path, stated: stated.map(|s| s.crs) };
    let source = match search.said()? {
        Some(source) => source,
        None => search.guessed()?,
    };
    let said = plan.x.is_some() || plan.coordinates.is_some();
    let what = search.words(&source);
    let crs = search.system(&source, finder, &what, &mut evidence)?;
    // A plane coordinate that is read as degrees is wrong and looks right only to a program.
    crs.projection()?;
    if matches!(source, Source::OneColumn(_)) && matches!(crs.kind, Kind::Geocentric { .. }) {
        return Err(Error::Usage(format!("{what}: X, Y and Z of {} are read from three columns", crs.title())));
    }
    if matches!(source, Source::Parts { .. }) && !crs.is_geographic() {
        return Err(Error::Usage(format!(
            "{what}: degrees, minutes and hemispheres are read in a system of latitude and longitude, and `from` is {}",
            crs.title()
        )));
    }
    let mut height = search.height(&source, &crs)?;
    let (beside, no_heights) = match search.height_beside(&source).filter(|_| height.is_none()).transpose() {
        Ok(at) => (at, None),
        Err(why) => (None, Some(why)),
    };
    let is_found = beside.is_some();
    height = height.or(beside);
    let mut interpretation = vec![format!(
        "positions from {what}{}, in {} ({})",
        if said { "" } else { " (found)" },
        crs.title(),
        crs.unit_words()
    )];
    if let Some(column) = beside.and_then(|at| columns.get(at)) {
        interpretation.push(format!("heights from the column \"{}\" beside them (found)", column.name()));
    }
    interpretation.extend(no_heights);
    interpretation.extend(evidence.into_iter().map(|e| format!("system: {e}")));
    let zones = match source {
        Source::Columns { .. } => Zones::find(columns, sample, &crs),
        _ => None,
    };
    interpretation.extend(zones.iter().map(Zones::words));
    let height = height.map(|column| Height { column, is_found });
    Ok(Found { source, crs, height, zones, interpretation })
}

impl Search<'_> {
    fn with_role(&self, role: Role) -> Option<usize> {
        self.columns.iter().position(|c| c.role == Some(role))
    }

    fn name(&self, at: usize) -> &str {
        self.columns.get(at).map_or("", |c| c.name())
    }

    fn words(&self, source: &Source) -> String {
        match source {
            Source::Columns { x, y } => format!("columns \"{}\" and \"{}\"", self.name(*x), self.name(*y)),
            Source::Parts { x, y } => format!("columns {} and {}", self.axis_words(x), self.axis_words(y)),
            Source::OneColumn(list) => match list.as_slice() {
                [one] => format!("column \"{}\"", self.name(*one)),
                several => format!("columns {}", self.names(several)),
            },
            Source::Shapes(c) => format!("the geometries of column \"{}\"", self.name(*c)),
            Source::Geometry => "the geometry".into(),
        }
    }

    fn names(&self, list: &[usize]) -> String {
        list.iter().map(|at| format!("\"{}\"", self.name(*at))).collect::<Vec<_>>().join(" ")
    }

    fn axis_words(&self, axis: &Axis) -> String {
        let hemisphere = axis.hemisphere.map_or(String::new(), |h| format!(", {h} by its header"));
        format!("{}{hemisphere}", self.names(&axis.columns))
    }

    /// The columns that a text names: one, or several with commas between.
    fn list(&self, names: &str) -> Result<Vec<usize>, Error> {
        match self.columns.require(names, self.path) {
            Err(_) if names.contains(',') => {
                names.split(',').map(|n| self.columns.require(n.trim(), self.path)).collect()
            }
            one => one.map(|at| vec![at]),
        }
    }

    /// The columns that the plan names.
    fn said(&self) -> Result<Option<Source>, Error> {
        match (&self.plan.x, &self.plan.y, &self.plan.coordinates) {
            (Some(_), _, Some(_)) | (_, Some(_), Some(_)) => Err(Error::Usage(
                "`coordinates` and `x`/`y` exclude each other: a position is in one column or in two".into(),
            )),
            (Some(x), Some(y), None) => {
                let (x, y) = (self.list(x)?, self.list(y)?);
                let ([x], [y]) = (x.as_slice(), y.as_slice()) else {
                    return Ok(Some(Source::Parts {
                        x: Axis::of(x, self.sample, false),
                        y: Axis::of(y, self.sample, true),
                    }));
                };
                let (x, y) = (*x, *y);
                if x == y {
                    return Err(Error::Usage(format!(
                        "`x` and `y` name the same column \"{}\"; all points would lie on a diagonal line (same-column)",
                        self.name(x)
                    )));
                }
                Ok(Some(Source::Columns { x, y }))
            }
            (Some(_), None, None) | (None, Some(_), None) => {
                Err(Error::Usage("`x` and `y` go together: one of them is missing".into()))
            }
            (None, None, Some(c)) => Ok(Some(match self.list(c)?.as_slice() {
                [one] if shapes::is_of_shapes(self.sample, *one) => Source::Shapes(*one),
                list => Source::OneColumn(list.to_vec()),
            })),
            (None, None, None) => Ok(None),
        }
    }

    /// The geometry, or the columns whose headers and values look like positions.
    fn guessed(&self) -> Result<Source, Error> {
        if self.columns.geometry().is_some() {
            return Ok(Source::Geometry);
        }
        if let Some(at) = shapes::find(self.columns, self.sample) {
            return Ok(Source::Shapes(at));
        }
        let degrees = self.with_role(Role::Longitude).zip(self.with_role(Role::Latitude));
        let lengths = self.with_role(Role::Easting).zip(self.with_role(Role::Northing));
        let plane = self.stated.as_ref().is_some_and(|c| !c.is_geographic());
        // A grid of somebody's own may begin at zero.
        let is_local = self.stated.as_ref().is_some_and(|c| matches!(c.kind, Kind::Engineering { .. }));
        if let (Some((x, y)), true, None) = (degrees, plane && !is_local, lengths) {
            return Err(Error::Usage(format!(
                "{}: columns \"{}\" and \"{}\" look like degrees, but `from` is {} ({}): say the system that they are in, or name the columns with `x` and `y` (degrees-or-metres)",
                self.path.display(),
                self.name(x),
                self.name(y),
                self.plan.from.as_deref().unwrap_or(""),
                self.stated.as_ref().map_or(String::new(), Crs::unit_words),
            )));
        }
        if !plane && let Some((x, y)) = parts::find(self.columns, self.sample) {
            return Ok(Source::Parts { x, y });
        }
        if let Some((x, _)) = if plane { lengths.or(degrees) } else { degrees.or(lengths) } {
            self.check_start_and_end(x)?;
        }
        // A table may have both; the system that was stated says which are meant.
        if let Some((x, y)) = if plane { lengths.or(degrees) } else { degrees.or(lengths) } {
            return Ok(Source::Columns { x, y });
        }
        self.with_role(Role::Coordinates)
            .map(|at| Source::OneColumn(vec![at]))
            .ok_or_else(|| Error::NoPosition { path: self.path.to_path_buf(), names: self.columns.names() })
    }

    /// Whether rows have a start and an end: nobody says which of them is meant.
    fn check_start_and_end(&self, x: usize) -> Result<(), Error> {
        const ENDS: [(&str, &str); 5] =
            [("start", "end"), ("from", "to"), ("begin", "end"), ("origin", "destination"), ("first", "last")];
        let words = |at: usize| -> Vec<String> {
            self.name(at).split(|c: char| !c.is_alphanumeric()).map(str::to_lowercase).collect()
        };
        let here = words(x);
        for (start, end) in ENDS {
            for (this, other) in [(start, end), (end, start)] {
                if !here.iter().any(|w| w == this) {
                    continue;
                }
                let wanted: Vec<String> =
                    here.iter().map(|w| if w == this { other.into() } else { w.clone() }).collect();
                if let Some(at) = (0..self.columns.len()).find(|at| words(*at) == wanted) {
                    return Err(Error::Usage(format!(
                        "{}: rows have two positions, with \"{}\" and with \"{}\"; say which one with `x` and `y`",
                        self.path.display(),
                        self.name(x),
                        self.name(at)
                    )));
                }
            }
        }
        Ok(())
    }

    /// The system that was said, or the one that the geometry carries, or that of a transformation of one's own.
    fn system(&self, source: &Source, finder: &Finder, what: &str, evidence: &mut Vec<String>) -> Result<Crs, Error> {
        if let Some(stated) = &self.stated {
            return Ok(stated.clone());
        }
        let carried = matches!(source, Source::Geometry).then(|| point_crs(&self.columns.schema())).flatten();
        if let Some(text) = carried {
            let found = crate::coordinates::system::find(&text)?;
            evidence.extend(found.evidence);
            return Ok(found.crs);
        }
        if let Some(own) = finder.own_source() {
            return Ok(own.clone());
        }
        let looks_like_degrees = |at: &usize| self.columns.get(*at).is_some_and(|c| c.role == Some(Role::Longitude));
        let hint = match source {
            Source::Parts { .. } => "; the values look like degrees",
            Source::Columns { x, .. } if looks_like_degrees(x) => "; the values look like degrees",
            Source::Columns { .. } => {
                "; the values are too large for degrees, so it is a projected system: search it with `crs find`"
            }
            _ => "",
        };
        Err(Error::NoCrs { path: self.path.to_path_buf(), what: what.to_string(), hint: hint.into() })
    }

    /// A column of heights right behind those of x and y, as we write them ourselves: of numbers, in no other unit by its
    /// name; or why it is not taken, in words, where one of its values is no height.
    fn height_beside(&self, source: &Source) -> Option<Result<usize, String>> {
        let Source::Columns { x, y } = source else { return None };
        let at = x.max(y) + 1;
        let column = self.columns.get(at).filter(|c| x.abs_diff(*y) == 1 && c.role == Some(Role::Height))?;
        let in_feet = column.name().to_lowercase().trim_end_matches(')').ends_with("ft");
        let values = Numbers::of(self.sample.records(), at);
        let rows = || (0..self.sample.len()).filter(|row| !values.text(*row).trim().is_empty());
        // Numbers that stand for none are no heights, and nobody said that the others are.
        let is_height = |v: f64| ![-9999.0, -99999.0, -32768.0, 9999.0, 99999.0].contains(&v);
        rows().next()?;
        if in_feet {
            return None;
        }
        let Some(row) = rows().find(|row| !values.get(*row).is_some_and(is_height)) else { return Some(Ok(at)) };
        let (name, source_row) = (column.name(), self.sample.source_rows()[row]);
        let value = values.text(row);
        let value = value.trim();
        // A number for none would be taken for a height.
        let advice = if values.get(row).is_some() { "" } else { " (`z` takes it)" };
        Some(Err(format!(
            "no heights from the column \"{name}\" beside them: \"{value}\" in row {source_row} is none; it stays a column{advice}"
        )))
    }

    /// The column of heights, where the system needs them or the plan names it.
    fn height(&self, source: &Source, crs: &Crs) -> Result<Option<usize>, Error> {
        match &self.plan.z {
            Some(z) => self.columns.require(z, self.path).map(Some),
            None if needs_height(crs) && !matches!(source, Source::Geometry) => {
                let found = self.with_role(Role::Height);
                if found.is_none() && matches!(source, Source::Columns { .. }) {
                    return Err(Error::Usage(format!("{} has heights; say their column with `z`", crs.title())));
                }
                Ok(found)
            }
            None => Ok(None),
        }
    }
}
