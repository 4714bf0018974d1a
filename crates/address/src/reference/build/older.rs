//! What an older reference has goes into a new one, but for what newer rows replace and what was withdrawn.

use super::super::entry::*;
use super::super::file::NONE;
use super::super::open::Reference;
use super::super::unusable::Unusable;
use super::national::{BUILDING, National, StreetKey};
use crate::normal::FastMap;

/// What became of the address points and stretches of an older reference.
#[derive(Debug, Clone, Copy, Default, PartialEq, Eq)]
pub struct Older {
    /// Taken over.
    pub kept: u64,
    /// Left out, as newer rows have the same address.
    pub replaced: u64,
    /// Left out, as they were withdrawn.
    pub withdrawn: u64,
}

/// Street, number, suffix and unit of a house.
pub(super) type House = [u32; 4];
/// A street, and the first and last numbers on both sides of a stretch of it.
pub(super) type Stretch = (u32, [Option<(u32, u32)>; 2]);

impl National {
    /// Notes that an older reference's address is to be left out.
    pub(super) fn withdraw(&mut self, p: &PointEntry) -> Result<House, Unusable> {
        let (house, _) = self.house(p, None)?;
        self.withdrawn.insert(house, false);
        Ok(house)
    }

    /// Whether the older reference had an address that was withdrawn.
    pub(super) fn was_there(&self, house: &House) -> bool {
        self.withdrawn.get(house).copied().unwrap_or(false)
    }

    /// Places and postcodes of an older reference: what newer rows belong to is known before they come.
    pub(super) fn add_older_places(&mut self, old: &Reference) -> Result<(), Unusable> {
        let mut names: FastMap<u32, Vec<String>> = FastMap::default();
        for index in 0..old.place_names() {
            let (name, place) = old.place_name(index);
            names.entry(place).or_default().push(name.to_string());
        }
        for id in 0..old.places() {
            let view = old.place(id);
            let within = view.within.map(|w| old.place(w).name.to_string()).unwrap_or_default();
            let Some((lon, lat)) = view.position else { continue };
            self.add_place(&PlaceEntry {
                name: view.name.to_string(),
                other_names: names.remove(&id).unwrap_or_default(),
                kind: view.kind,
                locality: within,
                region: old.as_written(view.region).to_string(),
                parent: view.parent.to_string(),
                lon,
                lat,
                radius_m: view.radius_is_said.then_some(view.radius_m),
            })?;
        }
        for index in 0..old.postcodes() {
            let (code, view) = old.postcode_at(index);
            let places: Vec<u32> = old.places_of_postcode(&view).collect();
            // Each locality in its own region: a postcode may reach into another one.
            let row = |locality: String, region: &str| PostcodeEntry {
                postcode: old.as_written(code).to_string(),
                locality,
                region: old.as_written(region).to_string(),
                lon: view.lon,
                lat: view.lat,
                radius_m: view.radius_is_said.then_some(view.radius_m),
            };
            if places.is_empty() {
                self.add_postcode(&row(String::new(), view.region))?;
            }
            for place in places.into_iter().map(|id| old.place(id)) {
                self.add_postcode(&row(place.name.to_string(), place.region))?;
            }
        }
        Ok(())
    }

    /// Address points and stretches of an older reference, which newer rows replace.
    pub(super) fn add_older_houses(&mut self, old: &Reference) -> Result<Older, Unusable> {
        let mut out = Older::default();
        for id in 0..old.streets() {
            let view = old.street(id);
            let place = old.place(view.place);
            let place = self.place(place.name, place.region, PlaceKind::Locality, place.position)?;
            let byte = |code: Option<u8>| code.unwrap_or(super::super::file::NO_CODE);
            let key = StreetKey {
                name: self.strings.id(old.name_text(view.name)),
                pre: byte(view.pre),
                kind: byte(view.kind),
                post: byte(view.post),
                place,
            };
            let display = view.display.map_or(NONE, |d| self.strings.id(old.string(d)));
            let street = self.street_of(key, display);
            self.add_older_points(old, view.points, street, place, &mut out)?;
            self.add_older_segments(old, view.segments, street, place, &mut out)?;
        }
        Ok(out)
    }

    fn add_older_points(
        &mut self,
        old: &Reference,
        (first, n): (u32, u32),
        street: u32,
        place: u32,
        out: &mut Older,
    ) -> Result<(), Unusable> {
        for id in first..first + n {
            let p = old.point(id);
            let suffix = self.suffix(old.string(p.suffix))?;
            if !self.is_kept([street, p.number, suffix, BUILDING], out) {
                continue;
            }
            let units = old.units_of(id);
            let mut kept = Vec::new();
            for unit in &units {
                let string = self.strings.id(unit.text);
                if self.is_kept([street, p.number, suffix, string], out) {
                    kept.push((string, (unit.lon, unit.lat)));
                }
            }
            // A building that is there for its units goes with the last of them.
            if !units.is_empty() && kept.is_empty() {
                continue;
            }
            let code = p.postcode.map_or("", |c| old.string(c));
            let extension = p.extension.map_or(0, |e| e + 1);
            let (postcode, _) = self.postcode(code, Some(place), "", None);
            for (unit, at) in std::iter::once((BUILDING, (p.lon, p.lat))).chain(kept) {
                self.push_point([street, p.number, suffix << 16 | extension, postcode, unit], at, p.accuracy_m)?;
            }
            out.kept += 1;
        }
        Ok(())
    }

    /// Whether an older house or unit stays; counts where it does not.
    fn is_kept(&mut self, house: House, out: &mut Older) -> bool {
        if let Some(was_there) = self.withdrawn.get_mut(&house) {
            *was_there = true;
            out.withdrawn += 1;
            return false;
        }
        let is_newer = self.newer.contains_key(&house);
        out.replaced += u64::from(is_newer);
        !is_newer
    }

    fn add_older_segments(
        &mut self,
        old: &Reference,
        (first, n): (u32, u32),
        street: u32,
        place: u32,
        out: &mut Older,
    ) -> Result<(), Unusable> {
        for id in first..first + n {
            let s = old.segment(id);
            if self.newer_stretches.contains_key(&(street, s.ranges)) {
                out.replaced += 1;
                continue;
            }
            let code = |c: Option<u32>| c.map_or(String::new(), |c| old.string(c).to_string());
            let postcodes = s.postcodes.map(|c| self.postcode(&code(c), Some(place), "", None).0);
            self.push_segments(&[(street, s.ranges)], postcodes, s.parity, &old.line(&s))?;
            out.kept += 1;
        }
        Ok(())
    }
}
