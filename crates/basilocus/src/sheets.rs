//! A sheet index of one's own, from a table of limits; limits of sheets as a layer.

use crate::engine::Cancel;
use crate::plan::InputPlan;
use crate::source::open;
use crate::{Error, system};
use basilocus_formats::PendingOutput;
use basilocus_geodesy::crs::Crs;
use basilocus_geodesy::notation;
use basilocus_geodesy::sheet::{Sheet, SheetIndex};
use serde_json::json;
use std::io::Write;
use std::path::Path;

/// An index with its system.
#[derive(Debug, Clone, PartialEq)]
pub struct OwnIndex {
    /// The sheets.
    pub index: SheetIndex,
    /// System of their limits.
    pub crs: Crs,
    /// How the table was understood.
    pub understood: String,
}

/// Headers that limits go by.
const LIMITS: [(&str, &[&str]); 4] = [
    ("west", &["west", "xmin", "minx", "x_min", "min_x", "left", "w", "west_deg", "lon_min", "emin", "e_min"]),
    ("south", &["south", "ymin", "miny", "y_min", "min_y", "bottom", "s", "south_deg", "lat_min", "nmin", "n_min"]),
    ("east", &["east", "xmax", "maxx", "x_max", "max_x", "right", "e", "east_deg", "lon_max", "emax", "e_max"]),
    ("north", &["north", "ymax", "maxy", "y_max", "max_y", "top", "n", "north_deg", "lat_max", "nmax", "n_max"]),
];

/// Reads an index: a column for the sheet's name and four for its limits, found by their headers.
///
/// # Errors
/// [`Error::Plan`] where columns are missing; a limit that is no number names its row and column.
pub fn read_index(path: &Path, input: &InputPlan, crs: Option<&str>) -> Result<OwnIndex, Error> {
    let crs = system::find(crs.unwrap_or("EPSG:4326"))?.crs;
    let mut reader = open(path, &input.options()?)?;
    let header: Vec<String> = reader.schema().fields().iter().map(|f| f.name().clone()).collect();
    let mut at = [0usize; 4];
    for (slot, (name, known)) in at.iter_mut().zip(LIMITS) {
        *slot = header.iter().position(|h| known.contains(&h.trim().to_lowercase().as_str())).ok_or_else(|| {
            Error::Plan(format!(
                "{}: no column for the limit \"{name}\" among {}; columns named west, south, east and north are expected",
                path.display(),
                header.join(", ")
            ))
        })?;
    }
    let label = (0..header.len())
        .find(|c| !at.contains(c))
        .ok_or_else(|| Error::Plan(format!("{}: a column with the names of the sheets is missing", path.display())))?;
    let decoder = reader.decoder();
    let mut sheets = Vec::new();
    let mut bad = None;
    crate::engine::stream(
        reader.as_mut(),
        &Cancel::default(),
        &|block| {
            let d = decoder.decode(block)?;
            let rows: Vec<(u64, String, [String; 4])> = (0..d.batch.len())
                .map(|r| (d.batch.source_rows[r], d.batch.text(label, r), at.map(|c| d.batch.text(c, r))))
                .collect();
            Ok(rows)
        },
        &mut |rows| {
            for (number, name, texts) in rows {
                let mut limits_deg = [0.0; 4];
                for (i, text) in texts.iter().enumerate() {
                    match notation::read_number(text)
                        .or_else(|e| notation::read_angle(text, i % 2 == 1).map(|a| a.degrees).map_err(|_| e))
                    {
                        Ok(v) => limits_deg[i] = v,
                        Err(e) => {
                            bad.get_or_insert(format!(
                                "{}: row {number}, column \"{}\": {e}; a limit is expected",
                                path.display(),
                                header[at[i]]
                            ));
                        }
                    }
                }
                sheets.push(Sheet { number: name.trim().to_string(), limits_deg });
            }
            Ok(())
        },
    )?;
    if let Some(problem) = bad {
        return Err(Error::Plan(problem));
    }
    let understood = format!(
        "{} sheets, named by \"{}\", limits from {}, in {}",
        sheets.len(),
        header[label],
        at.map(|c| format!("\"{}\"", header[c])).join(", "),
        crs.title()
    );
    let index =
        SheetIndex::new(sheets, !crs.is_geographic()).map_err(|e| Error::Plan(format!("{}: {e}", path.display())))?;
    Ok(OwnIndex { index, crs, understood })
}

/// Writes the limits of sheets as polygons, in WGS 84 (RFC 7946).
///
/// # Errors
/// Where the file exists or cannot be written.
pub fn write_limits(path: &Path, sheets: &[(String, Sheet)], overwrite: bool) -> Result<(), Error> {
    if !path.extension().is_some_and(|e| e.eq_ignore_ascii_case("geojson")) {
        return Err(Error::Plan(format!("{}: limits of sheets are written as .geojson", path.display())));
    }
    let features: Vec<_> = sheets
        .iter()
        .map(|(series, s)| {
            let [w, south, e, n] = s.limits_deg;
            json!({
                "type": "Feature",
                "properties": {"sheet": s.number, "series": series, "west": w, "south": south, "east": e, "north": n},
                "geometry": {"type": "Polygon", "coordinates": [[[w, south], [e, south], [e, n], [w, n], [w, south]]]},
            })
        })
        .collect();
    let text = serde_json::to_string_pretty(&json!({"type": "FeatureCollection", "features": features}))
        .map_err(|e| basilocus_formats::FormatError::Write { path: path.to_path_buf(), problem: e.to_string() })?;
    let pending = PendingOutput::new(path, overwrite)?;
    let failed =
        |e: std::io::Error| basilocus_formats::FormatError::Write { path: path.to_path_buf(), problem: e.to_string() };
    std::fs::File::create(pending.path())
        .and_then(|mut f| f.write_all(text.as_bytes()).and_then(|()| f.write_all(b"\n")))
        .map_err(failed)?;
    pending.publish()?;
    Ok(())
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn an_index_is_read_by_its_headers() {
        let folder = tempfile::tempdir().unwrap();
        let path = folder.path().join("sheets.csv");
        std::fs::write(
            &path,
            "sheet,xmin,ymin,xmax,ymax\nMouth,-124.1,46.1,-123.7,46.4\nHills,\"-123°42'\",46.1,-123.3,46.4\n",
        )
        .unwrap();
        let own = read_index(&path, &InputPlan::default(), None).unwrap();
        assert_eq!(own.index.at(-123.8, 46.2)[0].number, "Mouth");
        assert_eq!(own.index.at(-123.5, 46.2)[0].number, "Hills");
        std::fs::write(&path, "sheet,xmin,ymin,xmax\nMouth,1,2,3\n").unwrap();
        assert!(read_index(&path, &InputPlan::default(), None).unwrap_err().to_string().contains("\"north\""));
        std::fs::write(&path, "sheet,xmin,ymin,xmax,ymax\nMouth,here,46.1,-123.7,46.4\n").unwrap();
        let message = read_index(&path, &InputPlan::default(), None).unwrap_err().to_string();
        assert!(message.contains("row 2") && message.contains("\"xmin\""), "{message}");
        let out = folder.path().join("limits.geojson");
        let sheet = Sheet { number: "Mouth".into(), limits_deg: [-124.1, 46.1, -123.7, 46.4] };
        write_limits(&out, &[("own".into(), sheet)], false).unwrap();
        assert!(std::fs::read_to_string(&out).unwrap().contains("\"Polygon\""));
        assert!(write_limits(&out, &[], false).is_err(), "not replaced unasked");
    }
}
