//! A layer far from all others of its run, whose numbers would lie among them if they had come to be in another way.

use super::crowd::Lying;
use super::explained::{Case, Numbers, explain};
use super::{DoubtReport, Finding, Scene};
use basilocus_draw::scene::united;
use basilocus_geodesy::crs::{Area, Crs};
use basilocus_table::counted::counted;

/// Other layers lie together within so many degrees.
const TOGETHER: f64 = 3.0;
/// A layer is far from them from so many degrees on.
const FAR: f64 = 1.0;
/// And by more than that many times the size of both.
const TIMES: f64 = 2.0;
/// The share of its positions that an explanation has to bring among the others.
const SHARE: f64 = 0.9;
/// The place of the others is widened by that share of its size, and no less than so many degrees.
const BESIDE: (f64, f64) = (0.1, 0.05);

/// A layer of a run, and where it lies.
pub(crate) struct Neighbour {
    name: String,
    crs: Crs,
    columns: Option<String>,
    lying: Lying,
    /// Whether somebody said where it should be.
    is_expected: bool,
}

impl Neighbour {
    /// A layer whose rows were seen; `None` where its positions have no numbers that could be wrong, or lie in several places.
    pub(crate) fn of(scene: &Scene) -> Option<Self> {
        let crowd = scene.neighbours.as_ref()?.lock().unwrap_or_else(std::sync::PoisonError::into_inner);
        Some(Neighbour {
            name: scene.layer.clone(),
            crs: scene.numbers_in.clone()?,
            columns: scene.columns_of_positions(),
            lying: crowd.lying()?,
            is_expected: scene.area.as_ref().is_some_and(|a| a.is_expected),
        })
    }

    fn size(&self) -> f64 {
        size(self.lying.bounds)
    }
}

fn size([w, s, e, n]: [f64; 4]) -> f64 {
    (e - w).max(n - s)
}

/// Degrees between two places.
fn gap(a: [f64; 4], b: [f64; 4]) -> f64 {
    let beside = |shift: f64| (b[0] - a[2] + shift).max(a[0] - b[2] - shift).max(0.0);
    let wide = beside(0.0).min(beside(360.0)).min(beside(-360.0));
    wide.max((b[1] - a[3]).max(a[1] - b[3]))
}

/// What there is to tell of the layers of a run.
pub(crate) fn findings(layers: &[Neighbour]) -> Vec<DoubtReport> {
    let mut found: Vec<DoubtReport> = (0..layers.len()).filter_map(|at| finding(layers, at)).collect();
    // Of two layers each may be the wrong one: the second is told, and names the first.
    if layers.len() == 2 && found.len() == 2 {
        found.remove(0);
    }
    found
}

fn finding(layers: &[Neighbour], at: usize) -> Option<DoubtReport> {
    let layer = &layers[at];
    let others: Vec<&Neighbour> = layers.iter().enumerate().filter(|(i, _)| *i != at).map(|(_, l)| l).collect();
    let bounds = others.iter().map(|l| l.lying.bounds).reduce(united)?;
    let others_size = size(bounds);
    let is_far = gap(layer.lying.bounds, bounds) > FAR.max(TIMES * (others_size + layer.size()));
    if layer.is_expected || others_size > TOGETHER || !is_far {
        return None;
    }
    let beside = (others_size * BESIDE.0).max(BESIDE.1);
    let [w, s, e, n] = bounds;
    let area = Area::of_bounds([w - beside, (s - beside).max(-90.0), e + beside, (n + beside).min(90.0)]);
    let numbers: &[Numbers] = &layer.lying.numbers;
    let case = Case { crs: &layer.crs, area: &area, is_narrow: false, suspects: numbers };
    let first = explain(&case).into_iter().next().filter(|e| e.rows as f64 >= SHARE * numbers.len() as f64)?;
    let names: Vec<String> = others.iter().map(|l| format!("\"{}\"", l.name)).collect();
    let either = if others.len() == 1 { ", or something like it is wrong with that one" } else { "" };
    let message = format!(
        "{}: {} lie far from {} of this run ({w:.2}° to {e:.2}° longitude, {s:.2}° to {n:.2}° latitude), and among them {}{either}",
        first.claim,
        counted(layer.lying.positions, "position"),
        names.join(", "),
        first.then
    );
    let finding = Finding { column: layer.columns.clone(), rows: layer.lying.positions, message, mend: first.mend };
    Some(DoubtReport::new(first.doubt, &layer.name, finding))
}

#[cfg(test)]
mod tests {
    use super::*;
    use basilocus_geodesy::crs::Catalogue;
    use basilocus_geodesy::operation::Operation;

    /// A layer of a few positions around a place, whose numbers are what a change makes of the right ones.
    fn layer(name: &str, code: u32, read_in: u32, [lon, lat]: [f64; 2], change: fn(Numbers) -> Numbers) -> Neighbour {
        let catalogue = Catalogue::embedded();
        let (was, is) = (catalogue.get(code).unwrap(), catalogue.get(read_in).unwrap());
        let to = Operation::between(&catalogue.get(4326).unwrap(), &was, None).unwrap();
        let back = Operation::to_degrees(&is).unwrap();
        let places = (0..40).map(|i| [lon + 0.01 * f64::from(i % 8), lat + 0.01 * f64::from(i / 8)]);
        let numbers: Vec<Numbers> =
            places.map(|[x, y]| to.apply_one(x, y, 0.0).map(|(x, y, _)| change([x, y])).unwrap()).collect();
        let degrees = numbers.iter().filter_map(|[x, y]| back.apply_one(*x, *y, 0.0));
        let bounds = degrees.map(|(x, y, _)| [x, y, x, y]).reduce(united).unwrap();
        let lying = Lying { bounds, positions: 40, numbers };
        Neighbour { name: name.into(), crs: is, columns: None, lying, is_expected: false }
    }

    const ESTUARY: [f64; 2] = [-123.8, 46.2];

    fn told(layers: &[Neighbour]) -> Vec<(String, String)> {
        findings(layers).into_iter().map(|d| (d.layer, d.id.to_string())).collect()
    }

    #[test]
    fn gaps_are_between_the_nearest_edges_and_sizes_are_of_the_longer_side() {
        let [a, east, north] = [[0.0, 0.0, 1.0, 1.0], [3.0, 0.0, 4.5, 1.0], [0.0, 5.0, 1.0, 6.0]];
        for (b, degrees) in [(east, 2.0), (north, 4.0), ([0.5, 0.5, 9.0, 9.0], 0.0), ([3.0, 5.5, 4.0, 6.0], 4.5)] {
            assert_eq!((gap(a, b), gap(b, a)), (degrees, degrees), "{b:?}");
        }
        assert_eq!(gap([178.0, 0.0, 179.0, 1.0], [-179.0, 0.0, -178.0, 1.0]), 2.0, "across the 180° meridian");
        assert_eq!((size(east), size(north), size([0.0, 0.0, 2.0, 3.0])), (1.5, 1.0, 3.0));
        let layer = layer("a", 4326, 4326, ESTUARY, |p| p);
        assert!((layer.size() - 0.07).abs() < 1e-9, "{}", layer.size());
    }

    #[test]
    fn a_layer_that_would_lie_among_the_others_is_told_with_why() {
        let right = |name| layer(name, 4326, 4326, ESTUARY, |p| p);
        for (wrong, doubt) in [
            (layer("c", 4326, 4326, ESTUARY, |[x, y]| [-x, y]), "missing-sign"),
            (layer("c", 32610, 32611, ESTUARY, |p| p), "wrong-zone"),
            (layer("c", 32610, 32710, ESTUARY, |p| p), "wrong-zone"),
        ] {
            let layers = [right("a"), right("b"), wrong];
            assert_eq!(told(&layers), [("c".to_string(), doubt.to_string())]);
            assert!(findings(&layers)[0].message.contains("from \"a\", \"b\" of this run"));
        }
        let abroad = |name, change| layer(name, 4326, 4326, [10.3, 51.2], change);
        let layers = [abroad("a", |p| p), abroad("b", |p| p), abroad("c", |[x, y]| [y, x])];
        assert_eq!(told(&layers), [("c".to_string(), "swapped-axes".to_string())]);
        let two = [right("a"), layer("b", 4326, 4326, ESTUARY, |[x, y]| [-x, y])];
        assert_eq!(told(&two).len(), 1, "{two:?}", two = told(&two));
    }

    #[test]
    fn layers_of_other_places_are_none() {
        let at = |name, place| layer(name, 4326, 4326, place, |p| p);
        assert!(told(&[at("a", ESTUARY), at("b", ESTUARY), at("c", [10.3, 51.2])]).is_empty(), "another country");
        assert!(told(&[at("a", ESTUARY), at("b", [-123.3, 46.0]), at("c", [-124.1, 46.9])]).is_empty(), "near");
        // The next zone, at another latitude; the neighbour's own zone.
        let next = layer("c", 32611, 32611, [-117.0, 44.9], |p| p);
        assert!(told(&[at("a", ESTUARY), at("b", ESTUARY), next]).is_empty());
        let mut expected = layer("c", 4326, 4326, ESTUARY, |[x, y]| [-x, y]);
        expected.is_expected = true;
        assert!(told(&[at("a", ESTUARY), at("b", ESTUARY), expected]).is_empty(), "somebody said where it should be");
        assert!(told(&[at("a", ESTUARY)]).is_empty() && told(&[]).is_empty());
    }
}
