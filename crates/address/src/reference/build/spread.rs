//! How far what belongs to a place or postcode is from its position: what a match at that level is worth.
//!
//! Where address points, streets or postcodes belong to it, their greatest distance, and more where they are few.
//! Where nothing does, the distance to the nearest other one of its kind: beyond that, an address would rather be that
//! one's.

use super::national::National;
use crate::nearest::metres;
use crate::normal::FastMap;
use crate::reference::PlaceKind;

/// Least and greatest radius where it can only be guessed from neighbours, metres.
const LOCALITY_M: (f64, f64) = (1_000.0, 25_000.0);
const NEIGHBOURHOOD_M: (f64, f64) = (500.0, 5_000.0);
const POSTCODE_M: (f64, f64) = (500.0, 25_000.0);
/// Regions and districts of which nothing is known.
const REGION_M: f64 = 100_000.0;
/// Buildings, parks and stations: a source gives a point of them and no size.
const LANDMARK_M: f64 = 300.0;

/// Distances of what belongs to something.
#[derive(Debug, Clone, Copy, Default)]
pub(super) struct Spread {
    greatest_m: f64,
    members: u32,
}

impl Spread {
    pub(super) fn add(&mut self, metres: f64) {
        self.greatest_m = self.greatest_m.max(metres);
        self.members += 1;
    }

    /// The next member lies farther out than all of `n` before it once in n + 1 times: few members say little.
    fn radius_m(&self) -> Option<f64> {
        (self.members > 0).then(|| self.greatest_m * (1.0 + 2.0 / f64::from(self.members)))
    }
}

/// Spreads of the places and postcodes of a country, by their numbers and strings.
#[derive(Debug, Default)]
pub(super) struct Spreads {
    place_positions: Vec<Option<(f64, f64)>>,
    places: Vec<Spread>,
    postcodes: FastMap<u32, ((f64, f64), Spread)>,
}

impl Spreads {
    pub(super) fn new(country: &National) -> Self {
        let place_positions: Vec<_> = country.places.iter().map(|p| middle(p.position, p.sum)).collect();
        let mut out = Spreads {
            places: vec![Spread::default(); place_positions.len()],
            place_positions,
            postcodes: FastMap::default(),
        };
        for (code, p) in &country.postcodes {
            let Some(at) = middle(p.position, p.sum) else { continue };
            out.postcodes.insert(country.strings.ids[code.as_str()], (at, Spread::default()));
            p.places.iter().for_each(|place| out.add_to_place(*place, at));
        }
        out
    }

    /// A position that belongs to a place, and to postcodes by their strings.
    pub(super) fn add(&mut self, place: u32, postcodes: &[u32], at: (f64, f64)) {
        self.add_to_place(place, at);
        for code in postcodes {
            if let Some((middle, spread)) = self.postcodes.get_mut(code) {
                spread.add(metres(*middle, at));
            }
        }
    }

    fn add_to_place(&mut self, place: u32, at: (f64, f64)) {
        let middle = self.place_positions.get(place as usize).copied().flatten();
        if let (Some(middle), Some(spread)) = (middle, self.places.get_mut(place as usize)) {
            spread.add(metres(middle, at));
        }
    }

    /// The radius of each place, metres.
    pub(super) fn of_places(&self, country: &National) -> Vec<f64> {
        let of_kind = |kind: PlaceKind| {
            let all = self.place_positions.iter().zip(&country.places).filter(|(_, p)| p.kind == kind);
            Neighbours::new(all.filter_map(|(at, _)| *at))
        };
        let (localities, parts) = (of_kind(PlaceKind::Locality), of_kind(PlaceKind::Neighbourhood));
        let mut regions: FastMap<(PlaceKind, u32), Vec<(f64, f64)>> = FastMap::default();
        for (place, at) in country.places.iter().zip(&self.place_positions) {
            if let (PlaceKind::Locality, Some(at)) = (place.kind, at) {
                regions.entry((PlaceKind::Region, place.region)).or_default().push(*at);
                regions.entry((PlaceKind::District, place.parent)).or_default().push(*at);
            }
        }
        let known = country.places.iter().zip(&self.place_positions).zip(&self.places);
        known
            .map(|((place, at), spread)| {
                let Some(at) = *at else { return 0.0 };
                if let Some(said) = place.radius_m {
                    return said;
                }
                let farthest = |name: u32| {
                    let inside = regions.get(&(place.kind, name));
                    inside.map_or(REGION_M, |all| all.iter().map(|x| metres(at, *x)).fold(1_000.0, f64::max))
                };
                match place.kind {
                    PlaceKind::Region => farthest(place.region),
                    PlaceKind::District => farthest(place.display),
                    PlaceKind::Landmark => LANDMARK_M,
                    PlaceKind::Neighbourhood => {
                        spread.radius_m().unwrap_or_else(|| parts.nearest_m(at, NEIGHBOURHOOD_M))
                    }
                    PlaceKind::Locality => spread.radius_m().unwrap_or_else(|| localities.nearest_m(at, LOCALITY_M)),
                }
            })
            .collect()
    }

    /// The radius of each postcode, metres, in their order.
    pub(super) fn of_postcodes(&self, country: &National) -> Vec<f64> {
        let neighbours = Neighbours::new(self.postcodes.values().map(|(at, _)| *at));
        let of = |(code, p): (&crate::Text, &super::national::Postcode)| {
            let known = self.postcodes.get(&country.strings.ids[code.as_str()]);
            known.map_or(0.0, |(at, spread)| {
                p.radius_m.or(spread.radius_m()).unwrap_or_else(|| neighbours.nearest_m(*at, POSTCODE_M))
            })
        };
        country.postcodes.iter().map(of).collect()
    }
}

/// The position that a source gives, else the mean of what belongs there.
pub(super) fn middle(position: Option<(f64, f64)>, (x, y, n): (f64, f64, u32)) -> Option<(f64, f64)> {
    position.or((n > 0).then(|| (x / f64::from(n), y / f64::from(n))))
}

/// Positions by the cells of a grid, to find the nearest other one.
struct Neighbours(FastMap<(i32, i32), Vec<(f64, f64)>>);

/// Degrees of a cell.
const CELL: f64 = 0.1;
/// Cells around that are looked at.
const RINGS: i32 = 4;

impl Neighbours {
    fn new(all: impl Iterator<Item = (f64, f64)>) -> Self {
        let mut cells: FastMap<(i32, i32), Vec<(f64, f64)>> = FastMap::default();
        all.for_each(|at| cells.entry(cell(at)).or_default().push(at));
        Neighbours(cells)
    }

    /// The distance to the nearest other position, between a least and a greatest value.
    fn nearest_m(&self, at: (f64, f64), (least, most): (f64, f64)) -> f64 {
        let (x, y) = cell(at);
        let mut best = most;
        for ring in 0..=RINGS {
            for (i, j) in (-ring..=ring).flat_map(|i| (-ring..=ring).map(move |j| (i, j))) {
                if i.abs().max(j.abs()) == ring {
                    let here = self.0.get(&(x + i, y + j)).into_iter().flatten();
                    best = here.filter(|other| **other != at).map(|other| metres(at, *other)).fold(best, f64::min);
                }
            }
        }
        best.max(least)
    }
}

fn cell((lon, lat): (f64, f64)) -> (i32, i32) {
    ((lon / CELL).floor() as i32, (lat / CELL).floor() as i32)
}
