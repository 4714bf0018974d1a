//! Where the geometries of each row group of a GeoParquet file are, by the column of bounds that the file names (GeoParquet
//! 1.1, "covering").

use datafusion::parquet::file::metadata::{ColumnChunkMetaData, ParquetMetaData, RowGroupMetaData};
use datafusion::parquet::file::reader::{FileReader, SerializedFileReader};
use datafusion::parquet::file::statistics::Statistics;
use std::path::Path;

/// What a file says of a column of geometries.
pub(super) struct Covering {
    groups: Vec<Group>,
}

/// A row group.
struct Group {
    /// Where its first page begins, which tells it from the others.
    start: i64,
    /// West, south, east, north of all its rows, as far as that is known.
    bounds: [Option<f64>; 4],
}

impl Covering {
    /// What a file says; `None` where it cannot be read or says nothing.
    pub(super) fn of(path: &Path, geometry: &str) -> Option<Self> {
        let reader = SerializedFileReader::new(std::fs::File::open(path).ok()?).ok()?;
        let metadata = reader.metadata();
        let entries = metadata.file_metadata().key_value_metadata()?;
        let geo = entries.iter().find(|e| e.key == "geo")?.value.as_deref()?;
        let told: serde_json::Value = serde_json::from_str(geo).ok()?;
        let column = &told["columns"][geometry];
        let edges = ["xmin", "ymin", "xmax", "ymax"].map(|edge| Edge::of(metadata, &column["covering"]["bbox"][edge]));
        let [west, south, east, north] = edges;
        let shape = Edge::at(metadata, &[geometry]);
        let crosses = may_cross(column);
        let groups = metadata.row_groups().iter().map(|group| {
            let start = start_of(group)?;
            // Without the bounds of a geometry nothing is known of where the group is.
            let nulls = shape.as_ref().map_or(0, |shape| shape.nulls(group).unwrap_or(0));
            let limit = |edge: &Option<Edge>, lowest| {
                let edge = edge.as_ref().filter(|edge| edge.nulls(group).is_some_and(|n| n <= nulls))?;
                edge.limit(group, lowest)
            };
            let x = |edge, lowest| if crosses { None } else { limit(edge, lowest) };
            let bounds = [x(&west, true), limit(&south, true), x(&east, false), limit(&north, false)];
            Some(Group { start, bounds })
        });
        Some(Covering { groups: groups.collect::<Option<_>>()? })
    }

    /// Row groups in the file.
    pub(super) fn len(&self) -> usize {
        self.groups.len()
    }

    /// Where a row group begins in the file.
    pub(super) fn start(&self, group: usize) -> i64 {
        self.groups[group].start
    }

    /// Whether a geometry of a row group may touch a rectangle.
    pub(super) fn may_meet(&self, group: usize, extent: &[f64; 4]) -> bool {
        let [west, south, east, north] = self.groups[group].bounds;
        let is_below = |low: Option<f64>, high: f64| low.is_none_or(|low| low <= high);
        let is_above = |high: Option<f64>, low: f64| high.is_none_or(|high| high >= low);
        is_below(west, extent[2])
            && is_below(south, extent[3])
            && is_above(east, extent[0])
            && is_above(north, extent[1])
    }
}

/// Whether a geometry may reach across 180°, where its west is larger than its east: then the smallest and the largest of all
/// rows say nothing of it. The file's own extent tells, where it has one.
fn may_cross(column: &serde_json::Value) -> bool {
    let extent: Vec<f64> =
        column["bbox"].as_array().map_or_else(Vec::new, |list| list.iter().filter_map(|v| v.as_f64()).collect());
    let (Some(west), Some(east)) = (extent.first(), extent.get(extent.len() / 2)) else { return true };
    // Positions in metres have no such line.
    west > east || (*west <= -180.0 && *east >= 180.0 && *west >= -360.0 && *east <= 360.0)
}

/// Where the reader looks for a row group: its first page, which is that of a dictionary where there is one.
fn start_of(group: &RowGroupMetaData) -> Option<i64> {
    let first = group.columns().first()?;
    Some(first.dictionary_page_offset().unwrap_or_else(|| first.data_page_offset()))
}

/// A column among all of the file, that of an edge of the bounds above all.
struct Edge(usize);

impl Edge {
    fn of(metadata: &ParquetMetaData, told: &serde_json::Value) -> Option<Self> {
        let path = told.as_array()?.iter().map(|part| part.as_str()).collect::<Option<Vec<_>>>()?;
        Self::at(metadata, &path)
    }

    fn at(metadata: &ParquetMetaData, path: &[&str]) -> Option<Self> {
        let columns = metadata.file_metadata().schema_descr().columns();
        let is_it = |parts: &[String]| parts.iter().map(String::as_str).eq(path.iter().copied());
        columns.iter().position(|c| is_it(c.path().parts())).map(Edge)
    }

    /// Rows of a group without a value.
    fn nulls(&self, group: &RowGroupMetaData) -> Option<u64> {
        group.column(self.0).statistics()?.null_count_opt()
    }

    /// The lowest or highest value in a row group. A file of single precision may have rounded inwards: a step is given away.
    fn limit(&self, group: &RowGroupMetaData, lowest: bool) -> Option<f64> {
        let chunk: &ColumnChunkMetaData = group.column(self.0);
        let value = match chunk.statistics()? {
            Statistics::Double(s) => *if lowest { s.min_opt() } else { s.max_opt() }?,
            Statistics::Float(s) => {
                let value = *if lowest { s.min_opt() } else { s.max_opt() }?;
                f64::from(if lowest { value.next_down() } else { value.next_up() })
            }
            _ => return None,
        };
        (!value.is_nan()).then_some(value)
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use serde_json::json;

    #[test]
    fn what_may_cross_is_told_by_the_extent_of_the_file() {
        for (column, crosses) in [
            (json!({"bbox": [-124.0, 45.0, -123.0, 46.0]}), false),
            (json!({"bbox": [-124.0, 45.0, 0.0, -123.0, 46.0, 9.0]}), false),
            (json!({"bbox": [177.0, -20.0, -178.0, -16.0]}), true),
            (json!({"bbox": [-180.0, -20.0, 180.0, -16.0]}), true),
            (json!({"bbox": [-500_000.0, 0.0, 900_000.0, 5e6]}), false),
            (json!({}), true),
        ] {
            assert_eq!(may_cross(&column), crosses, "{column}");
        }
    }

    #[test]
    fn what_is_not_known_may_be_anywhere() {
        let group = |bounds| Covering { groups: vec![Group { start: 4, bounds }] };
        let here = [1.0, 1.0, 2.0, 2.0];
        assert!(group([None; 4]).may_meet(0, &here));
        assert!(group([Some(2.0), Some(2.0), Some(3.0), Some(3.0)]).may_meet(0, &here));
        assert!(!group([Some(2.1), None, Some(3.0), None]).may_meet(0, &here));
        assert!(!group([None, None, None, Some(0.9)]).may_meet(0, &here));
        assert!(group([Some(-9.0), None, Some(9.0), None]).may_meet(0, &here));
    }
}
