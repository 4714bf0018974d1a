//! The surface of a layer with heights: points, lines, or the triangles that were made of them.

use super::points;
use crate::doubts::DoubtReport;
use crate::engine::{Cancel, Chain, Run};
use crate::plan::LayerPlan;
use crate::{Error, Progress};
use basilocus_geodesy::crs::Crs;
use basilocus_table::Geometries;
use basilocus_table::geometry::{Geometry, Position};
use basilocus_terrain::gridding::{by_lattice, by_triangles, frame_around};
use basilocus_terrain::spacing::{Spacing, spacing};
use basilocus_terrain::triangle_index::TriangleIndex;
use basilocus_terrain::triangulation::{Triangulation, triangulate};
use basilocus_terrain::{Grid, RectifiedGrid};
use std::collections::HashMap;
use std::path::{Path, PathBuf};

/// The heights of a layer.
pub(super) struct LayerSurface {
    path: PathBuf,
    pub crs: Crs,
    /// How it was read.
    pub interpretation: Vec<String>,
    /// What a user should know.
    pub notices: Vec<String>,
    pub doubts: Vec<DoubtReport>,
    shapes: Shapes,
}

/// What the heights stand at.
#[derive(Default)]
struct Shapes {
    points: Vec<[f64; 3]>,
    /// Lines and rings: edges of triangles all along.
    edges: Vec<Vec<[f64; 3]>>,
    /// Whether each shape is a triangle.
    are_triangles: bool,
    without_heights: u64,
}

impl LayerSurface {
    /// Reads a layer.
    ///
    /// # Errors
    /// Those of reading a table; [`Error::Usage`] where it has no positions or no heights.
    pub(super) fn read(layer: &LayerPlan, cancel: &Cancel, progress: &dyn Progress) -> Result<Self, Error> {
        let run = Run { progress, ..Run::quiet(cancel) };
        let mut chain = Chain::open(layer, &run)?;
        chain.survey(&run)?;
        if !chain.columns().has_shapes() {
            return LayerSurface::of_points(layer, cancel, progress);
        }
        let path = layer.source.clone();
        let Some(crs) = chain.columns().placed().map(|p| p.crs.clone()) else {
            return Err(Error::NoPosition { path, names: chain.columns().names() });
        };
        let interpretation = chain.decisions.interpretation.clone();
        let mut shapes = Shapes { are_triangles: true, ..Default::default() };
        let mut set_aside = 0;
        chain.each(&run, "reading shapes", &Ok, &mut |part| {
            set_aside += part.set_aside.len();
            let geometries = Geometries::of(part.rows.records());
            for row in 0..part.rows.source_rows().len() {
                match geometries.as_ref().and_then(|g| g.get(row)) {
                    Some(geometry) => shapes.take(&geometry),
                    None => shapes.without_heights += 1,
                }
            }
            Ok(())
        })?;
        if shapes.points.is_empty() && shapes.edges.is_empty() {
            return Err(Error::Usage(format!("{}: none of its lines or polygons has heights", path.display())));
        }
        let mut notices = Vec::new();
        let unused = shapes.without_heights + set_aside as u64;
        if unused > 0 {
            notices.push(format!("{}: {unused} rows have no heights, and no part in the surface", path.display()));
        }
        Ok(LayerSurface { path, crs, interpretation, notices, doubts: Vec::new(), shapes })
    }

    fn of_points(layer: &LayerPlan, cancel: &Cancel, progress: &dyn Progress) -> Result<Self, Error> {
        let read = points::read(layer, cancel, progress)?;
        let notices =
            read.about.set_aside.iter().map(|(reason, n)| format!("{n} rows are left out: {reason}")).collect();
        let points = read.x.iter().zip(&read.y).zip(&read.z).map(|((x, y), z)| [*x, *y, *z]).collect();
        Ok(LayerSurface {
            path: layer.source.clone(),
            crs: read.about.crs,
            interpretation: read.about.interpretation,
            notices,
            doubts: read.about.doubts,
            shapes: Shapes { points, ..Default::default() },
        })
    }

    /// The triangles that it has.
    fn as_they_are(&mut self) -> TriangleIndex {
        self.interpretation.push(format!("{} triangles are taken as they are", self.shapes.edges.len()));
        let index = TriangleIndex::new(self.shapes.as_triangles());
        let over = index.overlapping();
        if over > 0 {
            self.notices.push(format!(
                "{}: {over} triangles lie over others: there the ground has more than one height, of which volumes count each, and a height is that of one of them",
                self.path.display()
            ));
        }
        index
    }

    /// Its triangles: those that it has, or those of its points, none with an edge longer than `longest`.
    ///
    /// # Errors
    /// [`Error::Data`] for points that make no triangle.
    pub(super) fn triangles(&mut self, longest: Option<f64>) -> Result<Triangulation, Error> {
        if self.shapes.are_triangles && longest.is_none() {
            return Ok(self.as_they_are().into_surface());
        }
        let (points, edges) = (std::mem::take(&mut self.shapes.points), std::mem::take(&mut self.shapes.edges));
        let given = points.len();
        let words = if edges.is_empty() { "" } else { "; lines are edges of triangles all along" };
        self.interpretation.push(format!("triangles were made of the points{words}"));
        let made =
            triangulate(points, &edges, longest).map_err(|e| Error::Data(format!("{}: {e}", self.path.display())))?;
        let of_points = made.contradicting.iter().filter(|i| **i < given).count();
        let of_lines = made.contradicting.len() - of_points;
        if of_points > 0 {
            self.notices
                .push(format!("{of_points} rows have another height at the place of an earlier one, which counts"));
        }
        if of_lines > 0 {
            self.notices.push(format!(
                "{of_lines} positions of lines have another height than an earlier one at their place, which counts"
            ));
        }
        if made.crossings > 0 {
            self.notices
                .push(format!("lines cross at {} places; there the height of the later line counts", made.crossings));
        }
        Ok(made.surface)
    }

    /// The surface as a grid: points at equal steps as they stand, all else by triangles, which come with it.
    ///
    /// # Errors
    /// As `triangles`; [`Error::Usage`] for points in one place.
    pub(super) fn gridded(&mut self) -> Result<(Grid, Option<TriangleIndex>), Error> {
        let axis = |axis: usize, points: &[[f64; 3]]| -> Vec<f64> { points.iter().map(|p| p[axis]).collect() };
        if self.shapes.edges.is_empty() {
            let [x, y, z] = [0, 1, 2].map(|a| axis(a, &self.shapes.points));
            if let Spacing::Uniform(lattice) = spacing(&x, &y, None) {
                let filled = by_lattice(&lattice, &x, &y, &z);
                let frame = &filled.grid.frame;
                self.interpretation.push(format!(
                    "the points are a grid of {} columns and {} rows, {} by {} apart",
                    frame.columns, frame.rows, frame.step_x, frame.step_y
                ));
                for (count, what) in [
                    (filled.unused.len(), "points are off the grid of the others, and left out"),
                    (
                        filled.contradicting.len(),
                        "points have another height at the place of an earlier one, which counts",
                    ),
                ] {
                    if count > 0 {
                        self.notices.push(format!("{}: {count} {what}", self.path.display()));
                    }
                }
                return Ok((filled.grid, None));
            }
        }
        let index =
            if self.shapes.are_triangles { self.as_they_are() } else { TriangleIndex::new(self.triangles(None)?) };
        let surface = index.surface();
        let [x, y] = [0, 1].map(|a| axis(a, &surface.points));
        let frame = frame_of(&self.path, &x, &y)?;
        let longest = longest_edge(surface);
        if longest > LONG * frame.step_x {
            self.notices.push(format!(
                "{}: triangles have edges of up to {longest:.0}, and the points are some {} apart: across such gaps nobody measured; `terrain triangulate` with `longest_edge` leaves them out",
                self.path.display(),
                frame.step_x
            ));
        }
        self.interpretation.push(format!(
            "where cells are needed, they are {} wide and have the heights of the triangles",
            frame.step_x
        ));
        Ok((by_triangles(frame, surface), Some(index)))
    }
}

/// The most cells that are made of triangles without being asked for.
const MOST_CELLS: usize = 1 << 27;

/// Edges so many times longer than the points are apart span what nobody measured.
const LONG: f64 = 25.0;

/// The longest edge of a surface.
fn longest_edge(surface: &Triangulation) -> f64 {
    let of = |triangle: &[u32; 3]| {
        let [a, b, c] = surface.corners(triangle);
        [(a, b), (b, c), (c, a)].map(|(p, q)| (p[0] - q[0]).hypot(p[1] - q[1])).into_iter().fold(0.0, f64::max)
    };
    surface.triangles.iter().map(of).fold(0.0, f64::max)
}

/// A grid around points, of cells as far apart as they are in the mean.
fn frame_of(path: &Path, x: &[f64], y: &[f64]) -> Result<RectifiedGrid, Error> {
    let frame = match spacing(x, y, None) {
        Spacing::Uniform(lattice) => frame_around(x, y, lattice.frame.step_x.min(lattice.frame.step_y), MOST_CELLS),
        Spacing::Turned(lattice) => frame_around(x, y, super::grid::shorter_step(&lattice), MOST_CELLS),
        Spacing::Scattered { mean, .. } if mean > 0.0 && mean.is_finite() => {
            frame_around(x, y, super::grid::round_size(mean), MOST_CELLS)
        }
        _ => None,
    };
    frame.ok_or_else(|| {
        Error::Usage(format!(
            "{}: no cells suit its points; make a grid of them with `terrain grid` and a size of cells",
            path.display()
        ))
    })
}

impl Shapes {
    fn take(&mut self, geometry: &Geometry) {
        let mut lines: Vec<&[Position]> = Vec::new();
        let mut points: Vec<Position> = Vec::new();
        match geometry {
            Geometry::LineString(line) => lines.push(line),
            Geometry::MultiLineString(list) => lines.extend(list.iter().map(Vec::as_slice)),
            Geometry::Polygon(rings) => lines.extend(rings.iter().map(Vec::as_slice)),
            Geometry::MultiPolygon(list) => lines.extend(list.iter().flatten().map(Vec::as_slice)),
            other => other.each_position(&mut |p| points.push(*p)),
        }
        let is_known = |p: &Position| p.x.is_finite() && p.y.is_finite() && p.z.is_finite();
        if !lines.iter().flat_map(|l| l.iter()).chain(&points).all(is_known) {
            self.without_heights += 1;
            return;
        }
        // Three corners, the first of them once more at the end.
        let is_triangle = matches!(geometry, Geometry::Polygon(rings) if rings.len() == 1 && rings[0].len() == 4 && rings[0][0] == rings[0][3]);
        self.are_triangles &= is_triangle;
        self.points.extend(points.iter().map(|p| [p.x, p.y, p.z]));
        self.edges.extend(lines.iter().map(|l| l.iter().map(|p| [p.x, p.y, p.z]).collect()));
    }

    /// Its triangles, counter-clockwise; those of no size are left out.
    fn as_triangles(&self) -> Triangulation {
        let mut surface = Triangulation::default();
        let mut places: HashMap<[u64; 3], u32> = HashMap::new();
        for ring in &self.edges {
            let [a, b, c, ..] = ring[..] else { continue };
            let twice = (b[0] - a[0]) * (c[1] - a[1]) - (c[0] - a[0]) * (b[1] - a[1]);
            if twice == 0.0 {
                continue;
            }
            let corners = if twice > 0.0 { [a, b, c] } else { [a, c, b] };
            surface.triangles.push(corners.map(|corner| {
                *places.entry(corner.map(f64::to_bits)).or_insert_with(|| {
                    surface.points.push(corner);
                    surface.points.len() as u32 - 1
                })
            }));
        }
        surface
    }
}
