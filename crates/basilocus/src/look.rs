//! Says what a file holds, before anybody trusts it.

use crate::Error;
use crate::coordinates::expectation;
use crate::doubts::{DoubtReport, Ending, Scene, Seen, Watchers};
use crate::engine::{Cancel, Chain, Part, Passing, Progress, Rows, Run, is_geometry, roles_of, source, stream};
use crate::engine::{Reach, is_in_degrees};
use crate::plan::LayerPlan;
use crate::steps::{Positions, StepPlan, positions};
use crate::terrain::{GridLook, SpacingReport, look_at_grid};
use basilocus_formats::raster::RasterFormat;
use basilocus_formats::{About, Decoded, Format, FormatError, InputOption, Reader, layers};
use basilocus_table::geometry::TYPES;
use basilocus_table::{Batch, ColumnProfile, Ledger, Moment, Reason, Role, ValueKind};
use basilocus_terrain::spacing::{self, FirstPass, Spacing};
use serde::Serialize;
use std::collections::BTreeMap;
use std::path::{Path, PathBuf};

/// What a file holds.
#[derive(Debug, Clone, PartialEq, Serialize)]
#[cfg_attr(feature = "schemas", derive(schemars::JsonSchema))]
pub struct LookReport {
    /// The file.
    #[serde(serialize_with = "crate::report::path_text::one")]
    pub path: PathBuf,
    /// Its format in words.
    pub format: String,
    /// The sheet or layer that was looked at.
    pub layer: Option<String>,
    /// All sheets or layers.
    pub layers: Vec<String>,
    /// What was found or decided.
    pub notes: Vec<String>,
    /// The elements of a document of XML by their paths, with how often they are there.
    #[serde(skip_serializing_if = "Vec::is_empty")]
    pub tree: Vec<(String, u64)>,
    /// Row of the header.
    pub header_row: Option<u64>,
    /// Rows of data.
    pub rows: u64,
    /// Rows that cannot be used as they stand, by reason.
    pub set_aside: BTreeMap<String, u64>,
    /// The columns.
    pub columns: Vec<ColumnReport>,
    /// The first rows, as they are read.
    pub first_rows: Vec<Vec<String>>,
    /// Source rows of the first rows.
    pub first_row_numbers: Vec<u64>,
    /// System that the file carries.
    pub crs: Option<String>,
    /// Smallest and largest x and y: west, south, east, north.
    pub extent: Option<[f64; 4]>,
    /// Of XYZ text, whether its points are a grid.
    #[serde(skip_serializing_if = "Option::is_none")]
    pub spacing: Option<SpacingReport>,
    /// Of a grid of heights, what it is.
    #[serde(skip_serializing_if = "Option::is_none")]
    pub grid: Option<GridLook>,
    /// Suspicions.
    pub doubts: Vec<DoubtReport>,
}

/// A column.
#[derive(Debug, Clone, PartialEq, Serialize)]
#[cfg_attr(feature = "schemas", derive(schemars::JsonSchema))]
pub struct ColumnReport {
    /// Name.
    pub name: String,
    /// What it seems to be.
    pub role: Option<String>,
    /// Type of all its values.
    pub kind: String,
    /// Cells with something in them.
    pub filled: u64,
    /// Cells without.
    pub empty: u64,
    /// Smallest and largest number.
    pub range: Option<(f64, f64)>,
    /// Something to know about it.
    pub note: Option<String>,
}

/// A system that a file carries, by its title where it carries a definition.
fn system_title(text: &str) -> String {
    if !text.contains('[') {
        return text.to_string();
    }
    match crate::coordinates::system::find(text) {
        Ok(found) => found.crs.title(),
        Err(_) => format!("{}, by a definition that is not understood", text.split('"').nth(1).unwrap_or("a system")),
    }
}

/// Looks at a file: the layer that the plan says, or the first. Its steps are not taken.
///
/// # Errors
/// Where the file cannot be read.
///
/// ```
/// use basilocus::plan::LayerPlan;
/// use basilocus::{Cancel, look};
///
/// let folder = tempfile::tempdir()?;
/// let file = folder.path().join("gates.csv");
/// std::fs::write(&file, "gate,lon,lat\nA,-123.8,46.2\nB,0,0\n")?;
/// let report = look(&LayerPlan::new(&file), 5, &Cancel::default(), &())?;
/// assert_eq!((report.rows, report.columns.len()), (2, 3));
/// assert_eq!(report.columns[1].role.as_deref(), Some("longitude"));
/// # Ok::<(), Box<dyn std::error::Error>>(())
/// ```
pub fn look(plan: &LayerPlan, first: usize, cancel: &Cancel, progress: &dyn Progress) -> Result<LookReport, Error> {
    if RasterFormat::of_file(&plan.source)?.is_some() {
        return look_raster(&plan.source, cancel, progress);
    }
    let mut reader = source::open(&plan.source, &plan.options()?)?;
    let about = reader.about().clone();
    let head = source::sample(reader.as_mut())?;
    let schema = reader.schema();
    let mut columns = crate::engine::Columns::of_source(&schema, about.typed);
    let sample = Rows::read(head.clone());
    let roles = roles_of(&sample);
    roles.iter().enumerate().for_each(|(at, role)| columns.set_role(at, *role));
    // A table of addresses may be asked for, and then one that is there twice is no slip.
    let mut scene = Scene::new(&plan.layer_name(), &about, &columns, &[], true)?;
    scene.name_source_columns(&columns.names());
    let watchers = Watchers::new(&scene);
    let mut counted = Counted::new(schema.fields().len());
    let spaced = spaced_columns(&about, &roles);
    let decoder = reader.decoder();
    let name = about.path.to_string_lossy().into_owned();
    progress.start(&name, "looking at all values", about.bytes);
    let passing = Passing::quiet(&about.path, cancel);
    let work = |block| {
        let decoded = decoder.decode(block)?;
        watchers.rows(&Seen::new(&Rows::read(decoded.batch.clone()), &scene));
        watchers.set_aside(&decoded.set_aside, &scene);
        let places = spaced.map(|at| Places::of(places_of(&decoded.batch, at)));
        Ok(Counted { places: places.unwrap_or_default(), ..Counted::of(decoded) })
    };
    stream(reader.as_mut(), &passing, &work, &mut |part: Counted| {
        progress.advance(part.bytes, part.ledger.rows_in);
        counted.add(part, &about);
        Ok(())
    })?;
    progress.finish();
    let named = schema.fields().iter().zip(roles.iter().zip(&counted.profiles));
    let named: Vec<(String, Option<Role>, ColumnProfile)> =
        named.map(|(f, (r, p))| (f.name().clone(), *r, p.clone())).collect();
    let ending = Ending { found: reader.found(), ..counted.ending(&named) };
    let mut doubts = watchers.findings(&scene, &ending);
    let mut notes = about.notes.clone();
    if plan.expect.is_some() {
        match doubts_of_the_place(plan, about.crs.clone(), cancel) {
            Ok(found) => doubts.extend(found),
            Err(e @ (Error::Cancelled | Error::Usage(_))) => return Err(e),
            Err(e) => notes.push(format!("whether it lies where it is expected cannot be said: {e}")),
        }
    }
    notes.extend(address_parts(&roles));
    let combined = positions::in_several_columns(&columns, &sample);
    let in_two = combined.is_none();
    notes.extend(combined);
    let spacing = match spaced {
        Some(at) => Some(SpacingReport::of(&counted.places.spacing(reader.as_mut(), at, cancel)?)),
        None => None,
    };
    let rows = head.len().min(first);
    let system = about.crs.as_deref().and_then(|text| crate::coordinates::system::find(text).ok());
    let in_degrees = system.is_some_and(|s| is_in_degrees(&s.crs));
    let set_aside = counted.ledger.set_aside.iter().map(|(reason, n)| (reason.to_string(), *n)).collect();
    Ok(LookReport {
        format: about.format.name().to_string(),
        columns: counted.columns(&schema, &named, about.typed),
        extent: counted.reach.extent(in_degrees).or_else(|| extent_of_columns(&named).filter(|_| in_two)),
        rows: counted.ledger.rows_out,
        set_aside,
        notes,
        first_rows: (0..rows).map(|r| head.row_texts(r)).collect(),
        first_row_numbers: head.source_rows()[..rows].to_vec(),
        crs: about.crs.as_deref().map(system_title),
        spacing,
        grid: None,
        doubts,
        path: about.path,
        layer: about.layer,
        layers: about.layers,
        tree: about.tree,
        header_row: about.header_row,
    })
}

/// What there is to tell of where the positions lie, against the place that is expected: in the system that the file carries, that
/// is said, or else in degrees.
fn doubts_of_the_place(plan: &LayerPlan, carried: Option<String>, cancel: &Cancel) -> Result<Vec<DoubtReport>, Error> {
    let Some(expected) = &plan.expect else { return Ok(Vec::new()) };
    let expected = expectation::find(expected, cancel)?;
    let said = plan.steps.iter().find_map(|step| match step {
        StepPlan::Positions(positions) => positions.from.clone(),
        _ => None,
    });
    let from = if carried.is_some() { carried } else { said.or_else(|| Some("EPSG:4326".into())) };
    let run = Run::quiet(cancel);
    let layer = LayerPlan { steps: Vec::new(), ..plan.clone() }.with(Positions { from, ..Default::default() });
    let mut chain = Chain::open(&layer, &run)?;
    chain.survey(&run)?;
    let mut scene = Scene::new(&plan.layer_name(), chain.reader.about(), chain.columns(), &[], true)?;
    scene.name_source_columns(&chain.aside.names);
    scene.expect(&expected);
    let watchers = Watchers::new(&scene);
    let watched = |part: Part| {
        watchers.rows(&Seen::new(&part.rows, &scene));
        watchers.set_aside(&part.set_aside, &scene);
        Ok(())
    };
    chain.each(&run, "looking where it lies", &watched, &mut |()| Ok(()))?;
    let mut doubts = watchers.findings(&scene, &Ending::default());
    doubts.retain(|doubt| doubt.id.is_of_the_place());
    Ok(doubts)
}

/// Looks at a grid of heights.
fn look_raster(path: &Path, cancel: &Cancel, progress: &dyn Progress) -> Result<LookReport, Error> {
    let looked = look_at_grid(path, cancel, progress)?;
    Ok(LookReport {
        path: path.to_path_buf(),
        format: looked.format.to_string(),
        layer: None,
        layers: Vec::new(),
        notes: looked.notes,
        tree: Vec::new(),
        header_row: None,
        rows: looked.look.heights.known,
        set_aside: BTreeMap::new(),
        columns: Vec::new(),
        first_rows: Vec::new(),
        first_row_numbers: Vec::new(),
        crs: looked.crs.map(|crs| crs.title()),
        extent: Some(looked.look.bounds),
        spacing: None,
        grid: Some(looked.look),
        doubts: looked.doubts,
    })
}

/// The columns of x and y whose spacing is asked for: those of XYZ text with heights.
fn spaced_columns(about: &About, roles: &[Option<Role>]) -> Option<[usize; 2]> {
    let at = |wanted: [Role; 2]| roles.iter().position(|r| r.is_some_and(|r| wanted.contains(&r)));
    let is_xyz = about.format == Format::Xyz && roles.len() > 2;
    is_xyz.then_some([at([Role::Easting, Role::Longitude])?, at([Role::Northing, Role::Latitude])?])
}

/// The positions of a block.
fn places_of(batch: &Batch, columns: [usize; 2]) -> [Vec<f64>; 2] {
    columns.map(|c| {
        let text = basilocus_table::text_column(batch.records().column(c));
        text.iter().map(|t| t.and_then(|t| t.trim().parse().ok()).unwrap_or(f64::NAN)).collect()
    })
}

/// Positions whose spacing is asked for: kept as long as they are few, and read again where they are not.
#[derive(Default)]
struct Places {
    first: FirstPass,
    count: usize,
    /// All of them in blocks, or none.
    kept: Vec<[Vec<f64>; 2]>,
}

/// The most positions that are kept, in 32 megabytes.
const MOST_KEPT: usize = 1 << 21;

impl Places {
    fn of([x, y]: [Vec<f64>; 2]) -> Self {
        let mut first = FirstPass::default();
        first.add(&x, &y);
        Places { first, count: x.len(), kept: vec![[x, y]] }
    }

    fn merge(&mut self, more: Places) {
        self.first.merge(more.first);
        self.count += more.count;
        if self.count > MOST_KEPT {
            self.kept = Vec::new();
        } else {
            self.kept.extend(more.kept);
        }
    }

    /// How they are spaced.
    fn spacing(&self, reader: &mut dyn Reader, columns: [usize; 2], cancel: &Cancel) -> Result<Spacing, Error> {
        if self.count <= MOST_KEPT {
            return spacing::in_passes(&self.first, None, &mut |give| {
                self.kept.iter().for_each(|[x, y]| give(x, y));
                Ok(())
            });
        }
        let decoder = reader.decoder();
        let path = reader.about().path.clone();
        let work = |block| Ok(places_of(&decoder.decode(block)?.batch, columns));
        spacing::in_passes(&self.first, None, &mut |give| {
            stream(reader, &Passing::quiet(&path, cancel), &work, &mut |[x, y]: [Vec<f64>; 2]| {
                give(&x, &y);
                Ok(())
            })
        })
    }
}

/// Names of the columns of a layer or table, with the kinds of their values; the geometry is none of them.
pub(crate) fn columns_of(path: &Path) -> Result<Vec<(String, ValueKind)>, Error> {
    let mut reader = source::open(path, &Default::default())?;
    let (typed, schema) = (reader.about().typed, reader.schema());
    let mut profiles = vec![ColumnProfile::default(); schema.fields().len()];
    source::each_batch(reader.as_mut(), &mut |decoded| {
        profiles.iter_mut().zip(profiles_of(&decoded.batch)).for_each(|(all, p)| all.merge(&p));
        Ok(())
    })?;
    let kind = |field: &arrow_schema::Field, p: &ColumnProfile| {
        if typed { declared(field) } else { p.kind() }
    };
    let fields = schema.fields().iter().zip(&profiles);
    let attributes = fields.filter(|(f, _)| f.name() != basilocus_table::POINT_COLUMN);
    Ok(attributes.map(|(f, p)| (f.name().clone(), kind(f, p))).collect())
}

fn profiles_of(batch: &Batch) -> Vec<ColumnProfile> {
    let profile = |column| {
        let mut profile = ColumnProfile::default();
        basilocus_table::text_column(column).iter().for_each(|t| profile.add(t.unwrap_or("")));
        profile
    };
    batch.records().columns().iter().map(profile).collect()
}

/// What is counted while rows go by.
#[derive(Default)]
struct Counted {
    ledger: Ledger,
    profiles: Vec<ColumnProfile>,
    reach: Reach,
    /// Rows by the type of their geometry; the first is of those without.
    types: [u64; 8],
    set_aside: Vec<(u64, Reason)>,
    blank_second_row: bool,
    bytes: u64,
    /// The positions, where their spacing is asked for.
    places: Places,
}

impl Counted {
    fn new(columns: usize) -> Self {
        Counted { profiles: vec![ColumnProfile::default(); columns], ..Default::default() }
    }

    /// Of a block.
    fn of(decoded: Decoded) -> Self {
        let rows = decoded.batch.len() as u64;
        let mut types = [0u64; 8];
        if let Some(shapes) = basilocus_table::Geometries::of(decoded.batch.records()) {
            (0..decoded.batch.len()).for_each(|r| types[shapes.get(r).map_or(0, |g| g.code() as usize)] += 1);
        }
        Counted {
            ledger: Ledger { rows_in: rows + decoded.set_aside.len() as u64, rows_out: rows, ..Default::default() },
            profiles: profiles_of(&decoded.batch),
            reach: Reach::of(&Rows::read(decoded.batch)),
            types,
            set_aside: decoded.set_aside.into_iter().map(|r| (r.source_row, r.class)).collect(),
            blank_second_row: false,
            bytes: decoded.bytes,
            places: Default::default(),
        }
    }

    fn add(&mut self, part: Counted, about: &About) {
        self.ledger.merge(&part.ledger);
        for (row, class) in &part.set_aside {
            self.ledger.set_aside(class);
            self.blank_second_row |= *class == Reason::BLANK_ROW && about.header_row.is_some_and(|h| *row == h + 1);
        }
        self.profiles.iter_mut().zip(&part.profiles).for_each(|(all, p)| all.merge(p));
        self.types.iter_mut().zip(part.types).for_each(|(all, n)| *all += n);
        self.reach.merge(part.reach);
        self.places.merge(part.places);
    }

    fn ending<'a>(&self, profiles: &'a [(String, Option<Role>, ColumnProfile)]) -> Ending<'a> {
        Ending { ledger: self.ledger.clone(), blank_second_row: self.blank_second_row, profiles, ..Default::default() }
    }

    fn columns(
        &self,
        schema: &arrow_schema::Schema,
        named: &[(String, Option<Role>, ColumnProfile)],
        typed: bool,
    ) -> Vec<ColumnReport> {
        let any_shape = basilocus_table::geometry_index(schema).is_some();
        let report = |(field, (name, role, p)): (
            &std::sync::Arc<arrow_schema::Field>,
            &(String, Option<Role>, ColumnProfile),
        )| {
            if is_geometry(field) {
                return self.geometry(p, any_shape);
            }
            let kind = if typed { declared(field) } else { p.kind() };
            ColumnReport {
                name: name.clone(),
                role: role.map(|r| r.name().to_string()),
                kind: kind.name().to_string(),
                filled: p.filled,
                empty: p.empty,
                range: p
                    .range
                    .filter(|_| matches!(p.kind(), ValueKind::Integer | ValueKind::Real | ValueKind::DecimalComma)),
                note: (!p.code_examples.is_empty())
                    .then(|| format!("codes with leading zeros ({}) stay text", p.code_examples.join(", "))),
            }
        };
        schema.fields().iter().zip(named).map(report).collect()
    }

    fn geometry(&self, p: &ColumnProfile, any_shape: bool) -> ColumnReport {
        let there = (1..8).filter(|i| self.types[*i] > 0);
        ColumnReport {
            name: "geometry".into(),
            role: Some(if any_shape { "any geometry" } else { "points" }.into()),
            kind: "geometry".into(),
            filled: p.filled,
            empty: p.empty,
            range: None,
            note: any_shape
                .then(|| there.map(|i| format!("{} {}", self.types[i], TYPES[i - 1])).collect::<Vec<_>>().join(", ")),
        }
    }
}

/// Which parts of an address a table has, and which it lacks; nothing where it has no address.
fn address_parts(roles: &[Option<Role>]) -> Option<String> {
    let has = |r: Role| roles.contains(&Some(r));
    if !(has(Role::Street) && (has(Role::Locality) || has(Role::Postcode))) {
        return None;
    }
    let parts =
        [Role::HouseNumber, Role::Street, Role::Unit, Role::Locality, Role::Region, Role::Postcode, Role::Country];
    let there: Vec<&str> = parts.iter().filter(|r| has(**r)).map(|r| r.name()).collect();
    let lacking: Vec<&str> =
        [Role::Locality, Role::Region, Role::Postcode].iter().filter(|r| !has(**r)).map(|r| r.name()).collect();
    let rest = if lacking.is_empty() {
        String::new()
    } else {
        format!(
            "; there is no column of a {} (add one with `set` NAME=VALUE, if it is the same for all)",
            lacking.join(" or ")
        )
    };
    Some(format!("an address in the columns of {}{rest}", there.join(", ")))
}

/// The kind of values that a type says.
fn declared(field: &arrow_schema::Field) -> ValueKind {
    match Moment::of_field(field) {
        Some(Moment::Date) => return ValueKind::Date,
        Some(Moment::DateTime { utc }) => return ValueKind::DateTime { utc },
        None => {}
    }
    match field.data_type() {
        arrow_schema::DataType::Int64 => ValueKind::Integer,
        arrow_schema::DataType::Float64 => ValueKind::Real,
        arrow_schema::DataType::Boolean => ValueKind::Boolean,
        _ => ValueKind::Text,
    }
}

/// The extent that columns of x and y give.
fn extent_of_columns(columns: &[(String, Option<Role>, ColumnProfile)]) -> Option<[f64; 4]> {
    let range = |roles: [Role; 2]| {
        columns
            .iter()
            .find(|(_, r, p)| {
                r.is_some_and(|r| roles.contains(&r))
                    && matches!(p.kind(), ValueKind::Integer | ValueKind::Real | ValueKind::DecimalComma)
            })
            .and_then(|(_, _, p)| p.range)
    };
    let (x, y) = (range([Role::Longitude, Role::Easting])?, range([Role::Latitude, Role::Northing])?);
    Some([x.0, y.0, x.1, y.1])
}

/// The layers that a file holds where one must be chosen, else nothing.
///
/// # Errors
/// Where the file cannot be read.
pub fn layers_to_choose(path: &Path) -> Result<Vec<String>, Error> {
    let names = layers(path)?;
    // No names: no layers to choose from, or a source that only its reader can look into.
    let several = names.len() > 1
        && matches!(basilocus_formats::detect(path)?, Format::GeoPackage | Format::Gml | Format::Gpx | Format::Html);
    Ok(if several { names } else { Vec::new() })
}

/// The layers, sheets or files that a source holds, each as a plan of its own that takes it as `plan` says; the plan itself
/// where there is one only.
///
/// # Errors
/// Where the source cannot be read, and for one that can be read only once.
pub fn every_layer(plan: &LayerPlan) -> Result<Vec<LayerPlan>, Error> {
    let path = &plan.source;
    if basilocus_formats::is_standard(path) {
        return Err(Error::Usage(
            "the layers of standard input cannot be listed, as it is read once; save it first".into(),
        ));
    }
    let mut names = layers(path)?;
    let is_packed = names.is_empty();
    if is_packed {
        // What is packed is listed by its reader alone.
        match basilocus_formats::open(path, &plan.options()?) {
            Err(FormatError::ChooseLayer { names: several, .. }) => names = several,
            other => drop(other?),
        }
    }
    if names.len() < 2 {
        return Ok(vec![plan.clone()]);
    }
    let has_sheets = |f: Format| f.driver().options.contains(&InputOption::Sheet);
    let is_workbook = !is_packed && basilocus_formats::detect(path).is_ok_and(has_sheets);
    let of = |name: String| {
        let mut one = LayerPlan { name: Some(stem_of(&name)), ..plan.clone() };
        *(if is_workbook { &mut one.input.sheet } else { &mut one.input.layer }) = Some(name);
        one
    };
    Ok(names.into_iter().map(of).collect())
}

/// The name of a layer without the ending of a file in an archive.
fn stem_of(name: &str) -> String {
    let has_ending = |(_, ending): &(&str, &str)| {
        basilocus_formats::DRIVERS.iter().any(|d| d.endings.contains(&ending.to_ascii_lowercase().as_str()))
    };
    name.rsplit_once('.').filter(has_ending).map_or(name, |(stem, _)| stem).replace('/', "_")
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn positions_that_are_read_again_are_spaced_as_those_that_are_kept() {
        let folder = tempfile::tempdir().unwrap();
        let noise = |i: usize| ((i as f64 * 12.9898).sin() * 43758.5453).rem_euclid(1.0);
        let texts: [String; 3] = [
            (0..600).map(|i| format!("{} {} 5\n", 438_000 + i % 30 * 2, 5_116_000 + i / 30 * 2)).collect(),
            (0..600)
                .map(|i| format!("{} {} 5\n", 438_000 + i % 30 * 4 + i / 30, 5_116_000 + i / 30 * 4 - i % 30))
                .collect(),
            (0..600).map(|i| format!("{:.2} {:.2} 5\n", noise(i) * 90.0, noise(i + 7919) * 70.0)).collect(),
        ];
        let spaced = texts.map(|text| {
            let path = folder.path().join("tile.xyz");
            std::fs::write(&path, text).unwrap();
            let mut reader = source::open(&path, &Default::default()).unwrap();
            let mut kept = Places::default();
            source::each_batch(reader.as_mut(), &mut |decoded| {
                kept.merge(Places::of(places_of(&decoded.batch, [0, 1])));
                Ok(())
            })
            .unwrap();
            assert!(kept.count == 600 && !kept.kept.is_empty());
            let in_memory = kept.spacing(reader.as_mut(), [0, 1], &Cancel::default()).unwrap();
            // As many more as are kept, without one that counts.
            kept.merge(Places { count: MOST_KEPT, ..Default::default() });
            assert!(kept.kept.is_empty());
            assert_eq!(kept.spacing(reader.as_mut(), [0, 1], &Cancel::default()).unwrap(), in_memory);
            in_memory
        });
        assert!(matches!(spaced, [Spacing::Uniform(_), Spacing::Turned(_), Spacing::Scattered { .. }]), "{spaced:?}");
    }
}
