//! Areas: which of them contain a position, and their attributes.

use super::entry::{AreaEntry, Entry};
use super::file::*;
use super::open::Reference;
use crate::nearest::ray_crosses;
use crate::normal;

/// Areas that share a box, looked at together or not at all.
const TOGETHER: usize = 16;

/// Place of a box's middle along a curve that fills the plane: bits of both coordinates by turns.
pub(super) fn order(bounds: &[i32; 4]) -> u64 {
    let spread = |v: i64| {
        let mut v = (v as u64) & 0xFFFF_FFFF;
        for (shift, mask) in [
            (16, 0x0000_FFFF_0000_FFFFu64),
            (8, 0x00FF_00FF_00FF_00FF),
            (4, 0x0F0F_0F0F_0F0F_0F0F),
            (2, 0x3333_3333_3333_3333),
            (1, 0x5555_5555_5555_5555),
        ] {
            v = (v | v << shift) & mask;
        }
        v
    };
    let middle = |a: i32, b: i32| (i64::from(a) + i64::from(b)) / 2 + (1 << 31);
    spread(middle(bounds[0], bounds[2])) | spread(middle(bounds[1], bounds[3])) << 1
}

/// Boxes of groups of areas, made when a reference is opened for areas.
#[derive(Debug, Default)]
pub(super) struct Boxes(Vec<[i32; 4]>);

impl Boxes {
    pub(super) fn of(reference: &Reference) -> Self {
        let n = reference.count(Section::Areas, AREA);
        Boxes(
            (0..n.div_ceil(TOGETHER))
                .map(|group| {
                    let mut b = [i32::MAX, i32::MAX, i32::MIN, i32::MIN];
                    for i in group * TOGETHER..((group + 1) * TOGETHER).min(n) {
                        let a = reference.area_bounds(i);
                        b = [b[0].min(a[0]), b[1].min(a[1]), b[2].max(a[2]), b[3].max(a[3])];
                    }
                    b
                })
                .collect(),
        )
    }
}

impl Reference {
    fn area_bounds(&self, area: usize) -> [i32; 4] {
        [0, 1, 2, 3].map(|f| self.u32(Section::Areas, area, AREA, f) as i32)
    }

    /// Numbers of the areas that contain a position; on a boundary, those of one side.
    pub(crate) fn areas_at(&self, lon: f64, lat: f64) -> Vec<u32> {
        let (x, y) = (fixed(lon), fixed(lat));
        let within = |b: &[i32; 4]| (b[0]..=b[2]).contains(&x) && (b[1]..=b[3]).contains(&y);
        let n = self.count(Section::Areas, AREA);
        let mut out = Vec::new();
        for (group, bounds) in self.boxes().0.iter().enumerate() {
            if !within(bounds) {
                continue;
            }
            for i in group * TOGETHER..((group + 1) * TOGETHER).min(n) {
                if within(&self.area_bounds(i)) && self.is_inside(i, x, y) {
                    out.push(i as u32);
                }
            }
        }
        out
    }

    /// Whether an odd number of an area's rings is around a position.
    fn is_inside(&self, area: usize, x: i32, y: i32) -> bool {
        let (first, n) = (self.u32(Section::Areas, area, AREA, 4), self.u32(Section::Areas, area, AREA, 5));
        let mut inside = false;
        for ring in first..first.saturating_add(n).min(self.count(Section::Rings, RING) as u32) {
            let (at, length) =
                (self.u32(Section::Rings, ring as usize, RING, 0), self.u32(Section::Rings, ring as usize, RING, 1));
            let end = at.saturating_add(length).min(self.count(Section::RingVertices, VERTEX) as u32);
            let vertex = |i: u32| {
                (
                    self.u32(Section::RingVertices, i as usize, VERTEX, 0) as i32,
                    self.u32(Section::RingVertices, i as usize, VERTEX, 1) as i32,
                )
            };
            if at >= end {
                continue;
            }
            let mut before = vertex(end - 1);
            for i in at..end {
                let here = vertex(i);
                let flat = |(x, y): (i32, i32)| (f64::from(x), f64::from(y));
                inside ^= ray_crosses(flat((x, y)), flat(before), flat(here));
                before = here;
            }
        }
        inside
    }

    /// The areas as they were added.
    pub(super) fn area_entries(&self) -> Vec<Entry> {
        let ring = |ring: u32| {
            let u = |field| self.u32(Section::Rings, ring as usize, RING, field);
            let end = u(0).saturating_add(u(1)).min(self.count(Section::RingVertices, VERTEX) as u32);
            let vertex = |i: u32, field| self.u32(Section::RingVertices, i as usize, VERTEX, field) as i32;
            (u(0)..end).map(|i| (degrees(vertex(i, 0)), degrees(vertex(i, 1)))).collect()
        };
        let area = |area: u32| {
            let u = |field| self.u32(Section::Areas, area as usize, AREA, field);
            let end = u(4).saturating_add(u(5)).min(self.count(Section::Rings, RING) as u32);
            let attributes = self.area_attributes(area).map(|(n, v)| (n.to_string(), v.to_string())).collect();
            Entry::Area(AreaEntry { attributes, rings: (u(4)..end).map(ring).collect() })
        };
        (0..self.count(Section::Areas, AREA) as u32).map(area).collect()
    }

    /// Attributes of an area: names and values.
    pub(crate) fn area_attributes(&self, area: u32) -> impl Iterator<Item = (&str, &str)> {
        let area = area as usize;
        let (first, n) = (self.u32(Section::Areas, area, AREA, 6), self.u32(Section::Areas, area, AREA, 7));
        let end = first.saturating_add(n).min(self.count(Section::Attributes, ATTRIBUTE) as u32);
        (first.min(end)..end).map(|i| {
            let string = |f| self.string(self.u32(Section::Attributes, i as usize, ATTRIBUTE, f));
            (string(0), string(1))
        })
    }

    /// Whether an area has an attribute of this value, in normal form.
    pub(crate) fn has_attribute_value(&self, words: &str) -> bool {
        let values = 0..self.count(Section::Attributes, ATTRIBUTE);
        values.into_iter().any(|i| normal::is_words(self.string(self.u32(Section::Attributes, i, ATTRIBUTE, 1)), words))
    }

    /// Names of the attributes of areas, each once, in the order of the areas.
    pub fn attribute_names(&self) -> Vec<String> {
        let mut out: Vec<String> = Vec::new();
        let mut seen = std::collections::HashSet::new();
        for i in 0..self.count(Section::Attributes, ATTRIBUTE) {
            let id = self.u32(Section::Attributes, i, ATTRIBUTE, 0);
            if seen.insert(id) {
                out.push(self.string(id).to_string());
            }
        }
        out
    }

    /// The values of attributes of the areas that contain a position; several areas with one attribute are joined.
    pub fn attributes_at(&self, lon: f64, lat: f64) -> Vec<(String, String)> {
        let mut out: Vec<(String, String)> = Vec::new();
        for area in self.areas_at(lon, lat) {
            for (name, value) in self.area_attributes(area) {
                match out.iter_mut().find(|(n, _)| n == name) {
                    Some((_, v)) if v.split("; ").any(|x| x == value) => {}
                    Some((_, v)) => {
                        v.push_str("; ");
                        v.push_str(value);
                    }
                    None => out.push((name.to_string(), value.to_string())),
                }
            }
        }
        out
    }
}
