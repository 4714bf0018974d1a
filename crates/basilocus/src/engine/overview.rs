//! Where the rows of a run lie, as a small map: some thousand places of each layer, evenly through its rows.

use crate::Error;
use crate::drawing::{DegreeBounds, around, system_for};
use basilocus_draw::scene::{Layer, Marks, Paint, Scene, Shape, united};
use basilocus_geodesy::crs::{Catalogue, Crs};
use basilocus_geodesy::operation::Operation;

/// Places that are kept of a layer at most.
const MOST: usize = 3000;
/// Width and height, pixels.
const SIZE: [u32; 2] = [720, 420];

/// Some places of a layer, in its order.
#[derive(Debug, Default)]
pub(super) struct Places {
    kept: Vec<[f64; 2]>,
    /// One of so many is kept, in powers of two.
    every: usize,
    seen: usize,
}

/// A layer on the map.
pub(super) struct Placed {
    pub name: String,
    pub crs: Crs,
    pub places: Places,
}

impl Places {
    /// Adds the places of a block.
    pub(super) fn add(&mut self, block: &[[f64; 2]]) {
        self.every = self.every.max(1);
        for place in block {
            if self.seen.is_multiple_of(self.every) {
                self.kept.push(*place);
            }
            self.seen += 1;
            if self.kept.len() > MOST {
                let mut place = 0;
                self.kept.retain(|_| {
                    place += 1;
                    place % 2 == 1
                });
                self.every *= 2;
            }
        }
    }

    pub(super) fn is_empty(&self) -> bool {
        self.kept.is_empty()
    }
}

/// A map of layers as PNG, in a system that suits the place; `None` where nothing can be brought there.
///
/// # Errors
/// Where the picture cannot be made.
pub(super) fn map(layers: &[Placed]) -> Result<Option<Vec<u8>>, Error> {
    let wgs84 = Catalogue::embedded().get(4326)?;
    let brought = |layer: &Placed| {
        let way = Operation::between(layer.crs.horizontal(), &wgs84, None).ok()?;
        let places = layer.places.kept.iter().filter_map(|[x, y]| way.apply_one(*x, *y, 0.0));
        let places: Vec<[f64; 2]> =
            places.map(|(x, y, _)| [x, y]).filter(|p| p.iter().all(|v| v.is_finite())).collect();
        (!places.is_empty()).then(|| (layer.name.clone(), places))
    };
    let layers: Vec<(String, Vec<[f64; 2]>)> = layers.iter().filter_map(brought).collect();
    let Some(bounds) = DegreeBounds::of(layers.iter().flat_map(|l| &l.1)).bounds() else { return Ok(None) };
    let crs = system_for(bounds)?;
    let way = Operation::between(&wgs84, &crs, None)?;
    let mut scene = Scene::new([0.0; 4]);
    for (place, (name, places)) in layers.into_iter().enumerate() {
        let shapes = places.iter().filter_map(|p| way.apply_one(p[0], p[1], 0.0)).map(|(x, y, _)| Shape::Point([x, y]));
        let mut marks = Marks::plain(name, shapes.collect());
        marks.paint = Paint::Plain(place);
        scene.layers.push(Layer::Marks(marks));
    }
    let shapes = scene.layers.iter().filter_map(|l| if let Layer::Marks(m) = l { Some(&m.shapes) } else { None });
    let Some(window) = shapes.flatten().filter_map(Shape::bounds).reduce(united) else { return Ok(None) };
    scene.window = window;
    scene.notes = vec![crs.title()];
    let frame = basilocus_draw::map::view(&scene, SIZE.map(f64::from)).window;
    around(&mut scene, &crs, false, frame)?;
    basilocus_draw::png(&scene, SIZE).map(Some).map_err(|e| Error::Defect(format!("the small map: {e}")))
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn places_are_kept_evenly_however_they_come() {
        let all: Vec<[f64; 2]> = (0..50_000).map(|i| [f64::from(i), 0.0]).collect();
        let of = |block: usize| {
            let mut places = Places::default();
            all.chunks(block).for_each(|b| places.add(b));
            places.kept
        };
        let kept = of(50_000);
        assert!(kept.len() <= MOST && kept.len() > MOST / 3 && kept[0] == [0.0, 0.0], "{}", kept.len());
        assert!(kept.windows(2).all(|w| w[1][0] - w[0][0] == kept[1][0]), "evenly");
        assert_eq!(of(777), kept, "the size of blocks does not matter");
    }

    #[test]
    fn a_map_of_nothing_is_none() {
        assert_eq!(map(&[]).unwrap(), None);
        let crs = Catalogue::embedded().get(32610).unwrap();
        let mut places = Places::default();
        places.add(&[[438_000.0, 5_116_000.0]]);
        let png = map(&[Placed { name: "gates".into(), crs, places }]).unwrap().unwrap();
        assert!(png.starts_with(b"\x89PNG"));
    }
}
