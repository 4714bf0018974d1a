//! A layer's rows as marks in the plane of a map.

use super::{DegreeBounds, DrawPlan, DrawnLayer, Map, Told};
use crate::engine::{Cancel, Chain, Columns, Run};
use crate::plan::LayerPlan;
use crate::steps::Positions;
use crate::{Error, Progress};
use arrow_array::RecordBatch;
use basilocus_draw::page::MOST_MARKS;
use basilocus_draw::scene::{MOST_CATEGORIES, Marks, Paint, Ramp, Rows, Shape};
use basilocus_geodesy::crs::{Catalogue, Crs};
use basilocus_geodesy::operation::Operation;
use basilocus_table::batch::{SetAsideRow, cell_text};
use basilocus_table::geometry::{Geometry, Position, antimeridian};
use basilocus_table::{Geometries, Reason};
use std::collections::HashMap;

/// A layer with its positions, in the system that it carries or that is said.
fn opened(layer: &LayerPlan, plan: &DrawPlan, run: &Run) -> Result<(Chain, Crs), Error> {
    let carried = crate::engine::source::open(&layer.source, &layer.options()?)?.about().crs.clone();
    // A system that is said is for files that carry none.
    let from = if carried.is_some() { None } else { plan.from.clone() };
    let layer = layer.clone().with(Positions { from, ..Default::default() });
    let mut chain = Chain::open(&layer, run)?;
    chain.survey(run)?;
    let columns = chain.columns();
    let crs = columns
        .placed()
        .map(|p| p.crs.horizontal().clone())
        .ok_or_else(|| Error::NoPosition { path: layer.source.clone(), names: columns.names() })?;
    Ok((chain, crs))
}

/// Columns of the sheet of rows set aside in workbooks of ours.
const SET_ASIDE: [&str; 3] = ["layer", "source_row", "reason"];

/// Why one of several layers of a file is none of a map; `None` where it is.
///
/// # Errors
/// Where it cannot be read.
pub(super) fn without_place(
    layer: &LayerPlan,
    plan: &DrawPlan,
    cancel: &Cancel,
) -> Result<Option<&'static str>, Error> {
    match opened(layer, plan, &Run::quiet(cancel)) {
        Ok((chain, _)) if chain.columns().names().iter().take(3).eq(SET_ASIDE) => Ok(Some("holds rows set aside")),
        Ok(_) => Ok(None),
        Err(Error::NoPosition { .. }) => Ok(Some("has no coordinates")),
        Err(e) => Err(e),
    }
}

/// The system of a layer, and the bounds of its positions.
pub(super) fn system_and_bounds(layer: &LayerPlan, plan: &DrawPlan, cancel: &Cancel) -> Result<(Crs, [f64; 4]), Error> {
    let run = Run::quiet(cancel);
    let (mut chain, crs) = opened(layer, plan, &run)?;
    let mut bounds = DegreeBounds::default();
    if crs.is_geographic() {
        chain.each(&run, "looking for the place", &Ok, &mut |part| {
            let [x, y, _] = part.rows.positions();
            for (x, y) in x.iter().zip(&y).filter(|(x, y)| x.is_finite() && y.is_finite()) {
                bounds.add([*x, *y]);
            }
            Ok(())
        })?;
    }
    Ok((crs, bounds.bounds().unwrap_or_default()))
}

/// Reads a layer as marks.
pub(super) fn read(
    layer: &LayerPlan,
    plan: &DrawPlan,
    map: &Map,
    place: usize,
    (cancel, progress): (&Cancel, &dyn Progress),
    told: &mut Told,
) -> Result<Marks, Error> {
    let run = Run { progress, ..Run::quiet(cancel) };
    let (mut chain, crs) = opened(layer, plan, &run)?;
    let way = if crs.is_same(map.crs) { None } else { Some(Operation::between(&crs, map.crs, None)?) };
    if let Some(way) = &way {
        let accuracy = crate::accuracy_words(way.accuracy_m());
        told.interpretation.push(format!("{}: {}; accuracy {accuracy}", layer.source.display(), way.name()));
    }
    let columns = chain.columns();
    let at = |name: &Option<String>| name.as_deref().and_then(|n| columns.position(n));
    let (color_at, mut label_at) = (at(&plan.color_by), at(&plan.label));
    // Contours say their heights, the main ones where they are told apart, unless something else is asked for.
    let mut only_if = None;
    if let (None, Some(height), Some(main)) = (label_at, columns.position("height"), columns.position("main")) {
        (label_at, only_if) = (Some(height), Some(main));
    }
    let mut name = layer.layer_name();
    if name.is_empty() {
        name = super::file_name(&layer.source);
    }
    let mut marks = Marks::plain(name.clone(), Vec::new());
    let mut rows = map.with_rows.then(|| RowTexts::of(columns, &crs));
    let (mut values, mut without_place) = (Vec::new(), 0u64);
    let in_degrees = crs.is_geographic();
    chain.each(&run, "reading", &Ok, &mut |part| {
        without_place += part.set_aside.len() as u64;
        let records = part.rows.records();
        let geometries = Geometries::of(records);
        let [x, y, _] = part.rows.positions();
        let mut aside = part.set_aside.iter().filter(|r| r.class != Reason::BLANK_ROW).peekable();
        for row in 0..part.rows.len() {
            let number = part.rows.source_rows()[row];
            while let (Some(rows), Some(lost)) = (&mut rows, aside.next_if(|r| r.source_row < number)) {
                rows.push_lost(lost);
            }
            let shapes = match &geometries {
                Some(all) => all.get(row).map_or_else(Vec::new, |g| brought(g, way.as_ref(), in_degrees)),
                None => point([x[row], y[row]], way.as_ref()).into_iter().collect(),
            };
            if shapes.is_empty() {
                without_place += 1;
            }
            if let Some(rows) = &mut rows {
                rows.push((records, row), number, [x[row], y[row]], shapes.len());
            }
            for shape in shapes {
                marks.shapes.push(shape);
                let text = |at: Option<usize>| at.map(|c| cell_text(records.column(c), row));
                if color_at.is_some() {
                    values.push(text(color_at).unwrap_or_default());
                }
                if label_at.is_some() {
                    let is_wanted = only_if.is_none() || text(only_if).as_deref() == Some("true");
                    marks.labels.push(text(label_at).filter(|t| is_wanted && !t.is_empty()));
                }
            }
        }
        if let Some(rows) = &mut rows {
            aside.for_each(|lost| rows.push_lost(lost));
        }
        if marks.shapes.len() > MOST_MARKS {
            rows = None;
        }
        Ok(())
    })?;
    if map.with_rows && rows.is_none() {
        let seen = marks.shapes.len();
        told.notices.push(format!(
            "{name}: {seen} marks are more than {MOST_MARKS}: the page shows them as one picture, without their rows"
        ));
    }
    marks.rows = rows.map(|r| r.rows);
    marks.paint = match &plan.color_by {
        Some(column) if color_at.is_some() => painted(column, values),
        _ => Paint::Plain(place),
    };
    if let (Some(column), None) = (&plan.color_by, color_at) {
        told.notices.push(format!("{name}: has no column \"{column}\" to be coloured by, and has one colour"));
    }
    if without_place > 0 {
        told.notices.push(format!("{name}: {without_place} rows have no place on the map"));
    }
    told.layers.push(DrawnLayer { name, what: "marks".into(), drawn: marks.shapes.len() as u64, without_place });
    Ok(marks)
}

/// What the rows hold, for a page.
struct RowTexts {
    rows: Rows,
    shown: Vec<usize>,
    /// To degrees of WGS 84, where there is a way.
    to_degrees: Option<Operation>,
}

impl RowTexts {
    fn of(columns: &Columns, crs: &Crs) -> Self {
        let (shown, names): (Vec<usize>, Vec<String>) = columns
            .iter()
            .enumerate()
            .filter(|(_, column)| !column.is_geometry())
            .map(|(i, column)| (i, column.name().to_string()))
            .unzip();
        let to_degrees = Catalogue::embedded().get(4326).ok().and_then(|w| Operation::between(crs, &w, None).ok());
        let rows = Rows { columns: names, ..Default::default() };
        RowTexts { rows, shown, to_degrees }
    }

    /// A row with a place of it in its own system, and how many marks it has.
    fn push(&mut self, (records, row): (&RecordBatch, usize), number: u64, [x, y]: [f64; 2], marks: usize) {
        self.rows.of.extend(std::iter::repeat_n(self.rows.cells.len(), marks));
        self.rows.cells.push(self.shown.iter().map(|c| cell_text(records.column(*c), row)).collect());
        self.rows.numbers.push(number);
        let place = self.to_degrees.as_ref().and_then(|way| way.apply_one(x, y, 0.0));
        let place = place.map(|(lon, lat, _)| [lon, lat]).filter(|p| p.iter().all(|v| v.is_finite()));
        self.rows.places.push(place);
        let reason = "it has no geometry, or none that the system of the map has numbers for";
        self.rows.reasons.push((marks == 0).then(|| reason.to_string()));
    }

    /// A row that was set aside: what was read of it, and why.
    fn push_lost(&mut self, row: &SetAsideRow) {
        self.rows.cells.push(self.shown.iter().map(|c| row.values.get(*c).cloned().unwrap_or_default()).collect());
        self.rows.numbers.push(row.source_row);
        self.rows.places.push(None);
        self.rows.reasons.push(Some(row.reason.clone()));
    }
}

/// Numbers as a range, all else as categories, the commonest first.
fn painted(column: &str, values: Vec<String>) -> Paint {
    let number =
        |t: &String| if t.is_empty() { Some(f64::NAN) } else { t.parse::<f64>().ok().filter(|v| v.is_finite()) };
    let numbers: Option<Vec<f64>> = values.iter().map(number).collect();
    if let Some(of) = numbers.filter(|of| of.iter().any(|v| v.is_finite())) {
        let finite = || of.iter().copied().filter(|v| v.is_finite());
        let range = [finite().fold(f64::INFINITY, f64::min), finite().fold(f64::NEG_INFINITY, f64::max)];
        return Paint::Numbers { ramp: Ramp { title: column.to_string(), range }, of };
    }
    let mut counts: HashMap<&str, usize> = HashMap::new();
    for value in values.iter().filter(|v| !v.is_empty()) {
        *counts.entry(value).or_default() += 1;
    }
    let mut names: Vec<(&str, usize)> = counts.into_iter().collect();
    names.sort_by(|a, b| b.1.cmp(&a.1).then(a.0.cmp(b.0)));
    let places: HashMap<&str, usize> =
        names.iter().take(MOST_CATEGORIES).enumerate().map(|(i, (name, _))| (*name, i)).collect();
    let of = values.iter().map(|v| places.get(v.as_str()).copied()).collect();
    Paint::Categories { title: column.to_string(), names: names.iter().map(|(n, _)| n.to_string()).collect(), of }
}

fn point([x, y]: [f64; 2], way: Option<&Operation>) -> Option<Shape> {
    let [x, y] = match way {
        Some(way) => way.apply_one(x, y, 0.0).map(|(x, y, _)| [x, y])?,
        None => [x, y],
    };
    (x.is_finite() && y.is_finite()).then_some(Shape::Point([x, y]))
}

/// A geometry in the plane of the map; what crosses the 180° meridian is cut there, so that nothing is smeared across.
fn brought(geometry: Geometry, way: Option<&Operation>, in_degrees: bool) -> Vec<Shape> {
    let geometry = if in_degrees { antimeridian::cut(&geometry).unwrap_or(geometry) } else { geometry };
    let mut shapes = Vec::new();
    push(&geometry, way, in_degrees, &mut shapes);
    shapes
}

fn push(geometry: &Geometry, way: Option<&Operation>, in_degrees: bool, out: &mut Vec<Shape>) {
    let line = |list: &[Position]| -> Vec<[f64; 2]> {
        let list = if way.is_some() && in_degrees { denser(list) } else { list.iter().map(|p| [p.x, p.y]).collect() };
        match way {
            None => list,
            Some(way) => {
                let (mut x, mut y): (Vec<f64>, Vec<f64>) = list.iter().map(|p| (p[0], p[1])).unzip();
                let mut z = vec![0.0; x.len()];
                way.apply(&mut x, &mut y, &mut z);
                x.into_iter().zip(y).map(|(x, y)| [x, y]).filter(|p| p.iter().all(|v| v.is_finite())).collect()
            }
        }
    };
    let polygon = |rings: &Vec<Vec<Position>>| {
        let rings: Vec<Vec<[f64; 2]>> = rings.iter().map(|r| line(r)).filter(|r| r.len() > 2).collect();
        (!rings.is_empty()).then_some(Shape::Polygon(rings))
    };
    match geometry {
        Geometry::Point(p) => out.extend(point([p.x, p.y], way)),
        Geometry::MultiPoint(list) => out.extend(list.iter().filter_map(|p| point([p.x, p.y], way))),
        Geometry::LineString(list) => out.push(Shape::Line(line(list))),
        Geometry::MultiLineString(list) => out.extend(list.iter().map(|l| Shape::Line(line(l)))),
        Geometry::Polygon(rings) => out.extend(polygon(rings)),
        Geometry::MultiPolygon(list) => out.extend(list.iter().filter_map(polygon)),
        Geometry::Collection(list) => list.iter().for_each(|g| push(g, way, in_degrees, out)),
    }
    out.retain(|shape| !matches!(shape, Shape::Line(line) if line.len() < 2));
}

/// Places at most two degrees apart: what is straight in degrees is bent on most maps.
fn denser(list: &[Position]) -> Vec<[f64; 2]> {
    let mut out = Vec::with_capacity(list.len());
    for pair in list.windows(2) {
        let (a, b) = (&pair[0], &pair[1]);
        let parts = ((b.x - a.x).abs().max((b.y - a.y).abs()) / 2.0).ceil().clamp(1.0, 400.0) as usize;
        out.extend((0..parts).map(|i| {
            let t = i as f64 / parts as f64;
            [a.x + (b.x - a.x) * t, a.y + (b.y - a.y) * t]
        }));
    }
    out.extend(list.last().map(|p| [p.x, p.y]));
    out
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn numbers_are_a_range_and_words_are_categories() {
        let texts = |list: &[&str]| list.iter().map(|t| t.to_string()).collect::<Vec<_>>();
        let Paint::Numbers { ramp, of } = painted("depth", texts(&["1.5", "", "-2"])) else { panic!() };
        assert!(ramp.range == [-2.0, 1.5] && of[1].is_nan());
        let Paint::Categories { names, of, .. } = painted("kind", texts(&["flap", "sluice", "flap", "", "7"])) else {
            panic!()
        };
        assert_eq!((names, of), (texts(&["flap", "7", "sluice"]), vec![Some(0), Some(2), Some(0), None, Some(1)]));
    }

    #[test]
    fn long_sides_in_degrees_get_places_between() {
        let line = [Position::xy(0.0, 60.0), Position::xy(10.0, 60.0), Position::xy(10.0, 60.5)];
        let dense = denser(&line);
        assert_eq!((dense.len(), dense[1], dense[6]), (7, [2.0, 60.0], [10.0, 60.5]));
    }
}
