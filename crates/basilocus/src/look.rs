//! Says what a file holds, before anybody trusts it.

use crate::Error;
use crate::doubt::repeated::Met;
use crate::doubt::{self, Evidence};
use crate::engine::{Cancel, Progress};
use crate::pipeline::{Pipeline, sample};
use crate::plan::LayerPlan;
use crate::report::DoubtReport;
use crate::source::open;
use basilocus_formats::{Format, layers};
use basilocus_table::geometry::TYPES;
use basilocus_table::{Ledger, ValueKind};
use serde::Serialize;
use std::path::{Path, PathBuf};

/// What a file holds.
#[derive(Debug, Clone, PartialEq, Serialize)]
pub struct LookReport {
    /// The file.
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
    pub set_aside: std::collections::BTreeMap<String, u64>,
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
    /// Suspicions.
    pub doubts: Vec<DoubtReport>,
}

/// A column.
#[derive(Debug, Clone, PartialEq, Serialize)]
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
    match crate::system::find(text) {
        Ok(found) => found.crs.title(),
        Err(_) => format!("{}, by a definition that is not understood", text.split('"').nth(1).unwrap_or("a system")),
    }
}

/// Looks at a file: the layer that the plan says, or the first.
///
/// # Errors
/// Where the file cannot be read.
pub fn look(plan: &LayerPlan, first: usize, cancel: &Cancel, progress: &dyn Progress) -> Result<LookReport, Error> {
    let mut reader = open(&plan.source, &plan.options()?)?;
    let about = reader.about().clone();
    let bare = LayerPlan { geocode: None, position: None, to: Vec::new(), ..plan.clone() };
    // Only the table's make is wanted here, so geometry without a known system is no hindrance.
    let pipeline = match Pipeline::new(&bare, reader.as_mut(), &[], false, "") {
        Ok(p) => p,
        Err(Error::NoCrs { .. } | Error::Geodesy(_)) => {
            let with_any = LayerPlan {
                position: Some(crate::plan::PositionPlan { from: Some("local".into()), ..Default::default() }),
                ..bare.clone()
            };
            Pipeline::new(&with_any, reader.as_mut(), &[], false, "")?
        }
        Err(e) => return Err(e),
    };
    let head = sample(reader.as_mut())?;
    progress.start(&about.path.to_string_lossy(), "looking at all values", about.bytes);
    let profiles = crate::run::profile(reader.as_mut(), &pipeline, cancel, progress)?;
    let mut ledger = Ledger::default();
    let (mut blank_second, mut extent) = (false, None::<[f64; 4]>);
    // Rows by the type of their geometry; the first is of those without.
    let mut types = [0u64; 8];
    let decoder = reader.decoder();
    // A table of addresses may be asked for, and then one that is there twice is no slip.
    let met = Met::new(&pipeline.roles, true);
    crate::engine::stream(
        reader.as_mut(),
        cancel,
        &|block| {
            let d = decoder.decode(block)?;
            met.add_rows(&pipeline.mend(&d.batch), &vec![true; d.batch.len()]);
            let mut e: Option<[f64; 4]> = None;
            if let Some(points) = basilocus_table::batch::Points::of(&d.batch.records) {
                for (x, y, _) in (0..d.batch.len()).filter_map(|r| points.get(r)) {
                    let o = e.get_or_insert([x, y, x, y]);
                    *o = [o[0].min(x), o[1].min(y), o[2].max(x), o[3].max(y)];
                }
            }
            let mut types = [0u64; 8];
            if let Some(shapes) = basilocus_table::Geometries::of(&d.batch.records) {
                for row in 0..d.batch.len() {
                    let shape = shapes.get(row);
                    types[shape.as_ref().map_or(0, |g| g.code() as usize)] += 1;
                    if let Some(b) = shape.and_then(|g| g.bounds()) {
                        let o = e.get_or_insert(b);
                        *o = [o[0].min(b[0]), o[1].min(b[1]), o[2].max(b[2]), o[3].max(b[3])];
                    }
                }
            }
            Ok((d.batch.len() as u64, d.set_aside, e, types))
        },
        &mut |(rows, aside, e, t)| {
            types.iter_mut().zip(t).for_each(|(all, n)| *all += n);
            ledger.rows_in += rows + aside.len() as u64;
            ledger.rows_out += rows;
            for row in &aside {
                ledger.set_aside(&row.class);
                blank_second |= row.class == "blank row" && about.header_row.is_some_and(|h| row.source_row == h + 1);
            }
            if let Some(e) = e {
                let x = extent.get_or_insert(e);
                *x = [x[0].min(e[0]), x[1].min(e[1]), x[2].max(e[2]), x[3].max(e[3])];
            }
            Ok(())
        },
    )?;
    progress.finish();
    let schema = pipeline.schema();
    let any_shape = basilocus_table::geometry_index(schema).is_some();
    let mut columns = Vec::new();
    let mut named = Vec::new();
    for ((field, role), p) in schema.fields().iter().zip(&pipeline.roles).zip(&profiles) {
        named.push((field.name().clone(), *role, p.clone()));
        if field.name() == basilocus_table::POINT_COLUMN {
            columns.push(ColumnReport {
                name: "geometry".into(),
                role: Some(if any_shape { "any geometry" } else { "points" }.into()),
                kind: "geometry".into(),
                filled: p.filled,
                empty: p.empty,
                range: None,
                note: any_shape.then(|| {
                    let there = (1..8).filter(|i| types[*i] > 0);
                    there.map(|i| format!("{} {}", types[i], TYPES[i - 1])).collect::<Vec<_>>().join(", ")
                }),
            });
            continue;
        }
        let kind = if about.typed { declared(field.data_type()) } else { p.kind().name() };
        let note = if p.code_examples.is_empty() {
            None
        } else {
            Some(format!("codes with leading zeros ({}) stay text", p.code_examples.join(", ")))
        };
        let range = p.range.filter(|_| matches!(p.kind(), ValueKind::Integer | ValueKind::Real));
        columns.push(ColumnReport {
            name: field.name().clone(),
            role: role.map(|r| r.name().to_string()),
            kind: kind.to_string(),
            filled: p.filled,
            empty: p.empty,
            range,
            note,
        });
    }
    if extent.is_none() {
        extent = extent_of_columns(&named);
    }
    let rows = head.len().min(first);
    let doubts = doubt::all(&Evidence {
        layer: &plan.layer_name(),
        ledger: ledger.clone(),
        source: Some((&about.path, about.format)),
        notes: &about.notes,
        header_row: about.header_row,
        blank_second_row: blank_second,
        repeated: met.repeated(),
        profiles: &named,
        ..Default::default()
    });
    let mut notes: Vec<String> = about.notes.iter().filter(|n| !n.starts_with("slip-")).cloned().collect();
    notes.extend(address_parts(&pipeline.roles));
    Ok(LookReport {
        path: about.path.clone(),
        format: about.format.name().to_string(),
        layer: about.layer.clone(),
        layers: about.layers.clone(),
        notes,
        tree: about.tree.clone(),
        header_row: about.header_row,
        rows: ledger.rows_out,
        set_aside: ledger.set_aside.clone(),
        columns,
        first_rows: (0..rows).map(|r| head.row_texts(r)).collect(),
        first_row_numbers: head.source_rows[..rows].to_vec(),
        crs: about.crs.as_deref().map(system_title),
        extent,
        doubts,
    })
}

/// Which parts of an address a table has, and which it lacks; nothing where it has no address.
fn address_parts(roles: &[Option<basilocus_table::Role>]) -> Option<String> {
    use basilocus_table::Role;
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
            "; there is no column of a {} (add one with --set NAME=VALUE, if it is the same for all)",
            lacking.join(" or ")
        )
    };
    Some(format!("an address in the columns of {}{rest}", there.join(", ")))
}

fn declared(t: &arrow_schema::DataType) -> &'static str {
    match t {
        arrow_schema::DataType::Int64 => ValueKind::Integer.name(),
        arrow_schema::DataType::Float64 => ValueKind::Real.name(),
        arrow_schema::DataType::Boolean => ValueKind::Boolean.name(),
        _ => ValueKind::Text.name(),
    }
}

/// The extent that columns of x and y give.
fn extent_of_columns(
    columns: &[(String, Option<basilocus_table::Role>, basilocus_table::ColumnProfile)],
) -> Option<[f64; 4]> {
    use basilocus_table::Role;
    let range = |roles: [Role; 2]| {
        columns
            .iter()
            .find(|(_, r, p)| {
                r.is_some_and(|r| roles.contains(&r)) && matches!(p.kind(), ValueKind::Integer | ValueKind::Real)
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
    let several =
        names.len() > 1 && matches!(basilocus_formats::detect(path)?, Format::GeoPackage | Format::Gml | Format::Gpx);
    Ok(if several { names } else { Vec::new() })
}
