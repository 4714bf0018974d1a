//! Rings to polygons and back. A shapefile holds rings alone: those that run with the clock are shells, the others holes
//! of the smallest shell around them.

use basilocus_table::geometry::{Geometry, Position, ring_turn};

/// The polygons of rings; holes without a shell around them are shells of their own.
pub(super) fn polygons(rings: Vec<Vec<Position>>) -> Geometry {
    let (mut shells, mut holes): (Vec<Vec<Vec<Position>>>, Vec<Vec<Position>>) = (Vec::new(), Vec::new());
    // Where no ring runs with the clock somebody wrote them all the wrong way round.
    let any_shell = rings.iter().any(|r| ring_turn(r) < 0.0);
    for ring in rings {
        if ring_turn(&ring) <= 0.0 || !any_shell { shells.push(vec![ring]) } else { holes.push(ring) }
    }
    for hole in holes {
        let around = shells
            .iter_mut()
            .filter(|s| hole.first().is_some_and(|p| contains(&s[0], p) || s[0].contains(p)))
            .min_by(|a, b| ring_turn(&a[0]).abs().total_cmp(&ring_turn(&b[0]).abs()));
        match around {
            Some(shell) => shell.push(hole),
            None => shells.push(vec![hole]),
        }
    }
    // As other formats have it: shells against the clock, holes with it.
    for polygon in &mut shells {
        for (i, ring) in polygon.iter_mut().enumerate() {
            if (ring_turn(ring) < 0.0) == (i == 0) {
                ring.reverse();
            }
        }
    }
    if shells.len() == 1 { Geometry::Polygon(shells.remove(0)) } else { Geometry::MultiPolygon(shells) }
}

/// Whether a position lies within a ring: a ray to the east crosses it an odd number of times.
fn contains(ring: &[Position], p: &Position) -> bool {
    let crossings = ring.windows(2).filter(|w| {
        (w[0].y > p.y) != (w[1].y > p.y) && p.x < w[0].x + (p.y - w[0].y) / (w[1].y - w[0].y) * (w[1].x - w[0].x)
    });
    crossings.count() % 2 == 1
}

/// The rings of a polygon as a shapefile wants them.
pub(super) fn rings(polygon: &[Vec<Position>], out: &mut Vec<Vec<Position>>) {
    for (i, ring) in polygon.iter().enumerate() {
        let mut ring = ring.clone();
        if (ring_turn(&ring) > 0.0) == (i == 0) {
            ring.reverse();
        }
        out.push(ring);
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use basilocus_table::geometry::wkt;

    fn flat(text: &str) -> Vec<Vec<Position>> {
        match wkt::read(text).unwrap() {
            Geometry::MultiLineString(l) => l,
            g => panic!("{g:?}"),
        }
    }

    #[test]
    fn holes_find_the_smallest_shell_around_them() {
        // A pond in an island in a lake: two shells (with the clock), two holes; the hole at 4 4 is in the inner shell.
        let rings = flat(
            "MULTILINESTRING ((0 0, 0 10, 10 10, 10 0, 0 0), (1 1, 9 1, 9 9, 1 9, 1 1), (3 3, 3 7, 7 7, 7 3, 3 3), (4 4, 5 4, 5 5, 4 5, 4 4))",
        );
        assert_eq!(
            wkt::write(&polygons(rings)),
            "MULTIPOLYGON (((0 0, 10 0, 10 10, 0 10, 0 0), (1 1, 1 9, 9 9, 9 1, 1 1)), ((3 3, 7 3, 7 7, 3 7, 3 3), (4 4, 4 5, 5 5, 5 4, 4 4)))"
        );
    }

    #[test]
    fn rings_that_all_run_the_wrong_way_are_shells() {
        let rings = flat("MULTILINESTRING ((0 0, 1 0, 1 1, 0 0), (5 5, 6 5, 6 6, 5 5))");
        assert_eq!(wkt::write(&polygons(rings)), "MULTIPOLYGON (((0 0, 1 0, 1 1, 0 0)), ((5 5, 6 5, 6 6, 5 5)))");
    }

    #[test]
    fn there_and_back() {
        let text = "POLYGON ((0 0, 10 0, 10 10, 0 0), (4 1, 6 3, 6 1, 4 1))";
        let Geometry::Polygon(p) = wkt::read(text).unwrap() else { panic!() };
        let mut list = Vec::new();
        rings(&p, &mut list);
        assert!(ring_turn(&list[0]) < 0.0 && ring_turn(&list[1]) > 0.0);
        assert_eq!(wkt::write(&polygons(list)), text);
    }
}
