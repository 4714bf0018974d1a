//! Polygons that something is asked for in.

use crate::RectifiedGrid;

/// Polygons that belong together, in the plane of the heights.
#[derive(Debug, Clone, Default, PartialEq)]
pub struct Area {
    /// Edges that have what is inside on their left, each from one position to the next.
    pub(crate) edges: Vec<[[f64; 2]; 2]>,
}

impl Area {
    /// The area of polygons, each an outer ring with the rings of its holes. Rings may run either way, and say their first
    /// position again or not. Polygons that overlap count twice where they do.
    ///
    /// ```
    /// use basilocus_terrain::area::Area;
    ///
    /// let square = vec![[0.0, 0.0], [4.0, 0.0], [4.0, 4.0], [0.0, 4.0]];
    /// let pond = vec![[1.0, 1.0], [2.0, 1.0], [2.0, 2.0], [1.0, 2.0]];
    /// assert_eq!(Area::of_polygons(&[vec![square, pond]]).size(), 15.0);
    /// ```
    pub fn of_polygons(polygons: &[Vec<Vec<[f64; 2]>>]) -> Self {
        let mut edges = Vec::new();
        for polygon in polygons {
            for (i, ring) in polygon.iter().enumerate() {
                let is_outer = i == 0;
                let wanted = if is_outer { signed_size(ring) >= 0.0 } else { signed_size(ring) <= 0.0 };
                let each = ring.iter().zip(ring.iter().cycle().skip(1)).map(|(a, b)| [*a, *b]);
                edges.extend(each.map(|[a, b]| if wanted { [a, b] } else { [b, a] }).filter(|[a, b]| a != b));
            }
        }
        Area { edges }
    }

    /// Its size in the plane.
    pub fn size(&self) -> f64 {
        self.edges.iter().map(|[a, b]| a[0] * b[1] - b[0] * a[1]).sum::<f64>() / 2.0
    }

    /// For each row of cells of a grid the edges that touch it, in columns eastwards and rows northwards of its south-west
    /// corner.
    pub(crate) fn by_rows(&self, frame: &RectifiedGrid) -> ByRows {
        let mut by_row: Vec<Vec<u32>> = vec![Vec::new(); frame.rows.saturating_sub(1)];
        let placed: Vec<[[f64; 2]; 2]> = self.edges.iter().map(|e| e.map(|[x, y]| frame.place(x, y).into())).collect();
        for (i, [a, b]) in placed.iter().enumerate() {
            let (first, last) = (a[1].min(b[1]).floor(), a[1].max(b[1]).floor());
            if last < 0.0 || first >= by_row.len() as f64 {
                continue;
            }
            let (first, last) = (first.max(0.0) as usize, (last as usize).min(by_row.len().saturating_sub(1)));
            by_row[first..=last].iter_mut().for_each(|row| row.push(i as u32));
        }
        ByRows { edges: placed, by_row }
    }
}

/// Twice the size of a ring, above zero where it runs counter-clockwise; taken from its first position, so that large
/// coordinates cost no digits.
fn signed_size(ring: &[[f64; 2]]) -> f64 {
    let Some(origin) = ring.first() else { return 0.0 };
    let from = |p: &[f64; 2]| [p[0] - origin[0], p[1] - origin[1]];
    let each = ring.iter().zip(ring.iter().cycle().skip(1)).map(|(a, b)| (from(a), from(b)));
    each.map(|(a, b)| a[0] * b[1] - b[0] * a[1]).sum()
}

/// The edges of an area by the rows of cells that they touch.
pub(crate) struct ByRows {
    edges: Vec<[[f64; 2]; 2]>,
    by_row: Vec<Vec<u32>>,
}

/// How a row of cells is covered.
#[derive(Debug, Default)]
pub(crate) struct Covered {
    /// Edges of the row; x in columns, y from 0 at the southern to 1 at the northern side of the row.
    pub edges: Vec<[[f64; 2]; 2]>,
    /// Columns that an edge touches, in their order.
    pub cut: Vec<usize>,
    /// From which column to before which one all cells are inside, and how many times.
    pub inside: Vec<(usize, usize, f64)>,
}

impl ByRows {
    /// How the cells between a row of heights and the next one are covered, in so many columns of cells.
    pub(crate) fn row(&self, row: usize, columns: usize, into: &mut Covered) {
        into.edges.clear();
        into.cut.clear();
        into.inside.clear();
        let local = |[x, y]: [f64; 2]| [x, (row + 1) as f64 - y];
        into.edges.extend(self.by_row[row].iter().map(|i| self.edges[*i as usize].map(local)));
        if into.edges.is_empty() {
            return;
        }
        let mut crossings: Vec<(f64, f64)> = Vec::new();
        for [a, b] in &into.edges {
            let at = |y: f64| a[0] + (y - a[1]) / (b[1] - a[1]) * (b[0] - a[0]);
            let (low, high) = (a[1].min(b[1]).max(0.0), a[1].max(b[1]).min(1.0));
            // One along a row bounds nothing to its left, but the cells that it runs through are cut all the same.
            let (x0, x1) = if a[1] == b[1] { (a[0], b[0]) } else { (at(low), at(high)) };
            let (west, east) = (x0.min(x1).floor().max(0.0), x0.max(x1).floor().min(columns as f64 - 1.0));
            if west <= east {
                into.cut.extend(west as usize..=east as usize);
            }
            let (from, to) = (a[1] > 0.5, b[1] > 0.5);
            if from != to {
                crossings.push((at(0.5), if to { 1.0 } else { -1.0 }));
            }
        }
        into.cut.sort_unstable();
        into.cut.dedup();
        // Between cells that are cut, all are inside or none: how often, the edges to the east tell.
        let mut from = 0;
        for to in into.cut.iter().copied().chain([columns]) {
            if from < to {
                let middle = from as f64 + 0.5;
                let times: f64 = crossings.iter().filter(|(x, _)| *x > middle).map(|(_, sign)| sign).sum();
                if times != 0.0 {
                    into.inside.push((from, to, times));
                }
            }
            from = to + 1;
        }
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    const FRAME: RectifiedGrid =
        RectifiedGrid { west: 0.0, north: 10.0, step_x: 1.0, step_y: 1.0, columns: 11, rows: 11 };

    #[test]
    fn rings_may_run_either_way_and_close_or_not() {
        let ring = vec![[0.0, 0.0], [4.0, 0.0], [4.0, 3.0]];
        let (mut closed, mut turned) = (ring.clone(), ring.clone());
        closed.push(ring[0]);
        turned.reverse();
        for ring in [ring, closed, turned] {
            assert_eq!(Area::of_polygons(&[vec![ring]]).size(), 6.0);
        }
        assert_eq!(Area::of_polygons(&[vec![], vec![vec![]]]), Area::default());
    }

    #[test]
    fn cells_are_cut_inside_or_outside() {
        // From 2.5 to 7.5 east and 3.5 to 6.5 north, with a hole one cell wide.
        let outer = vec![[2.5, 3.5], [7.5, 3.5], [7.5, 6.5], [2.5, 6.5]];
        let hole = vec![[5.0, 4.0], [5.0, 6.0], [5.9, 6.0], [5.9, 4.0]];
        let rows = Area::of_polygons(&[vec![outer, hole]]).by_rows(&FRAME);
        let mut covered = Covered::default();
        // Cells that the northern side runs through.
        rows.row(3, 10, &mut covered);
        assert_eq!((&covered.cut[..], &covered.inside[..]), (&[2, 3, 4, 5, 6, 7][..], &[][..]));
        // Cells between 5 and 4 north.
        rows.row(5, 10, &mut covered);
        assert_eq!((&covered.cut[..], &covered.inside[..]), (&[2, 5, 7][..], &[(3, 5, 1.0), (6, 7, 1.0)][..]));
        rows.row(9, 10, &mut covered);
        assert!(covered.cut.is_empty() && covered.inside.is_empty(), "south of it");
    }

    #[test]
    fn an_area_around_the_whole_grid_cuts_no_cell() {
        let around = vec![[-100.0, -100.0], [100.0, -100.0], [100.0, 100.0], [-100.0, 100.0]];
        let rows = Area::of_polygons(&[vec![around]]).by_rows(&FRAME);
        let mut covered = Covered::default();
        for row in 0..10 {
            rows.row(row, 10, &mut covered);
            assert_eq!((covered.cut.len(), &covered.inside[..]), (0, &[(0, 10, 1.0)][..]));
        }
    }
}
