//! Writes the sections of a reference, one after the other, each as a stream.

use super::super::areas;
use super::super::file::*;
use super::super::spool::Sorter;
use super::IN_MEMORY;
use super::houses::Houses;
use super::national::{BUILDING, National};
use super::spread::{Spreads, middle};
use crate::error::Error;
use crate::normal::FastMap;
use crate::reference::PlaceKind;
use std::fs::File;
use std::io::{self, BufWriter, Seek, SeekFrom, Write};

/// Writes the sections of a part and remembers where they are.
struct Sections<'a> {
    file: BufWriter<&'a mut File>,
    /// First byte of the part in the file.
    part: u64,
    table: [(u64, u64); SECTIONS],
    /// Bytes of the part so far.
    at: u64,
    checksum: Checksum,
    buffer: Vec<u8>,
}

impl<'a> Sections<'a> {
    fn new(file: &'a mut File, part: u64) -> io::Result<Self> {
        file.seek(SeekFrom::Start(part))?;
        let mut file = BufWriter::with_capacity(1 << 20, file);
        let start = PART_HEADER + EXTENT * SECTIONS;
        file.write_all(&vec![0; start])?;
        Ok(Sections {
            file,
            part,
            table: [(0, 0); SECTIONS],
            at: start as u64,
            checksum: Checksum::new(),
            buffer: Vec::with_capacity(1 << 16),
        })
    }

    fn start(&mut self, section: Section) {
        self.table[section as usize] = (self.at, 0);
    }

    fn put(&mut self, section: Section, values: &[u32]) -> io::Result<()> {
        for v in values {
            self.buffer.extend(v.to_le_bytes());
        }
        self.table[section as usize].1 += 4 * values.len() as u64;
        self.flush(1 << 16)
    }

    fn bytes(&mut self, section: Section, bytes: &[u8]) -> io::Result<()> {
        self.buffer.extend_from_slice(bytes);
        self.table[section as usize].1 += bytes.len() as u64;
        self.flush(1 << 16)
    }

    /// Sections begin at multiples of eight.
    fn end(&mut self, section: Section) -> io::Result<()> {
        let length = self.table[section as usize].1;
        self.buffer.resize(self.buffer.len() + (length.next_multiple_of(8) - length) as usize, 0);
        self.at += length.next_multiple_of(8);
        self.flush(0)
    }

    /// Writes whole words of eight bytes where so much has come together.
    fn flush(&mut self, least: usize) -> io::Result<()> {
        let whole = self.buffer.len() / 8 * 8;
        if whole > 0 && self.buffer.len() >= least {
            self.checksum.add(&self.buffer[..whole]);
            self.file.write_all(&self.buffer[..whole])?;
            self.buffer.drain(..whole);
        }
        Ok(())
    }

    /// Writes what stands in front; gives the bytes of the part.
    fn finish(mut self) -> io::Result<u64> {
        let mut table = Vec::new();
        for (offset, length) in self.table {
            table.extend(offset.to_le_bytes());
            table.extend(length.to_le_bytes());
        }
        self.checksum.add(&table);
        self.file.seek(SeekFrom::Start(self.part))?;
        self.file.write_all(&self.checksum.value().to_le_bytes())?;
        self.file.write_all(&(SECTIONS as u32).to_le_bytes())?;
        self.file.write_all(&[0; 4])?;
        self.file.write_all(&table)?;
        self.file.flush()?;
        Ok(self.at)
    }
}

/// A house that goes into the index of whole addresses if there is only one of its number.
#[derive(Clone, Copy)]
struct PossibleHouse {
    street: u32,
    number: u32,
    suffix: u32,
    postcode: u32,
    id: u32,
    is_one_of_several: bool,
}

/// Where the records of a street are, and where it is.
#[derive(Clone, Copy, Default)]
struct Extent {
    points: (u32, u32),
    segments: (u32, u32),
    sum: (f64, f64, f64),
}

impl National {
    /// Whether it fits the numbers of a reference.
    pub(super) fn check_size(&self) -> Result<(), Error> {
        if self.points.len() >= u64::from(IS_SEGMENT) {
            return Err(Error::TooLarge("2,147,483,648 address points"));
        }
        if self.strings.bytes.len() > u32::MAX as usize || self.vertices.len() > u64::from(u32::MAX) {
            return Err(Error::TooLarge("4 GiB of names or 4,294,967,296 vertices"));
        }
        Ok(())
    }

    /// Writes its part from a byte of the file on; gives the bytes of the part.
    pub(super) fn write(&mut self, file: &mut File, at: u64) -> io::Result<u64> {
        let mut out = Sections::new(file, at)?;
        self.sections(&mut out)?;
        out.finish()
    }

    fn sections(&mut self, out: &mut Sections) -> io::Result<()> {
        let street_number = self.merge_places().street;
        // Streets sorted by name (as text), then locality; numbers of names follow that order.
        let mut order: Vec<u32> = (0..self.street_keys.len() as u32).collect();
        {
            let (keys, strings) = (&self.street_keys, &self.strings);
            order.sort_unstable_by(|a, b| {
                let (a, b) = (&keys[*a as usize], &keys[*b as usize]);
                let by_text = if a.name == b.name {
                    std::cmp::Ordering::Equal
                } else {
                    strings.get(a.name).cmp(strings.get(b.name))
                };
                by_text.then(a.place.cmp(&b.place)).then((a.pre, a.kind, a.post).cmp(&(b.pre, b.kind, b.post)))
            });
        }
        let mut rank = vec![0u32; order.len()];
        for (i, id) in order.iter().enumerate() {
            rank[*id as usize] = i as u32;
        }
        let rank_of = |street: u32| rank[street_number[street as usize] as usize];
        let mut extents = vec![Extent::default(); order.len()];
        let mut cells: Sorter<[u32; 3]> = Sorter::new(IN_MEMORY);
        let mut spreads = Spreads::new(self);
        let place_of: Vec<u32> = order.iter().map(|id| self.street_keys[*id as usize].place).collect();
        let mut houses = Houses::new(self, &order);
        self.write_points(out, &rank_of, (&place_of, &mut houses), &mut extents, &mut cells, &mut spreads)?;
        self.write_segments(out, &rank_of, &place_of, &mut extents, &mut cells, &mut spreads)?;
        let (keys, directory) = Houses::SECTIONS;
        write_keys(out, keys, directory, houses.finish(|street| extents[street as usize].segments.1 > 0)?)?;
        self.write_streets(out, &order, &extents)?;
        self.write_places(out, &spreads)?;
        self.write_postcodes(out, &spreads)?;
        self.write_written(out)?;
        write_cells(out, cells)?;
        self.write_areas(out)?;
        out.start(Section::About);
        let [points, segments, postcodes, places, areas] = self.counts;
        let about = format!(
            "country {}\naddress points {points}\nstreet segments {segments}\npostcodes {postcodes}\nplaces {places}\nareas {areas}\nthe same address point again {}\n",
            self.country, self.folded
        );
        out.bytes(Section::About, about.as_bytes())?;
        out.end(Section::About)?;
        // Strings last: the sections before may add some.
        out.start(Section::Strings);
        out.bytes(Section::Strings, &self.strings.bytes)?;
        out.end(Section::Strings)?;
        out.start(Section::StringEnds);
        out.put(Section::StringEnds, &[0])?;
        out.put(Section::StringEnds, &self.strings.ends)?;
        out.end(Section::StringEnds)
    }

    /// Points by street, number and suffix; the same address at the same place is one point (units of one building,
    /// or two sources), that of the source that came first.
    fn write_points(
        &mut self,
        out: &mut Sections,
        rank_of: &dyn Fn(u32) -> u32,
        (place_of, houses): (&[u32], &mut Houses),
        extents: &mut [Extent],
        cells: &mut Sorter<[u32; 3]>,
        spreads: &mut Spreads,
    ) -> io::Result<()> {
        let mut sorter: Sorter<[u32; 10]> = Sorter::new(IN_MEMORY);
        let mut sequence = 0u32;
        self.points.each(&mut |[street, number, suffix, postcode, lon, lat, accuracy, unit]| {
            sequence += 1;
            let extension = suffix & 0xFFFF;
            sorter.push([
                rank_of(street),
                number,
                suffix >> 16,
                sequence,
                extension,
                postcode,
                lon,
                lat,
                accuracy,
                unit,
            ])
        })?;
        out.start(Section::Points);
        // The house before, and whether there were several of its number: then none of them is in the index.
        let mut open: Option<PossibleHouse> = None;
        let mut id = 0u32;
        let mut group = [u32::MAX; 3];
        // Position, postcode and number of the points of one address.
        let mut kept: Vec<(i32, i32, u32, u32)> = Vec::new();
        let mut units: Sorter<[u32; 4]> = Sorter::new(IN_MEMORY);
        let mut units_here: FastMap<(u32, u32), ()> = FastMap::default();
        let (mut folded, mut apart) = (0, 0);
        sorter.each(&mut |[street, number, suffix, _, extension, postcode, lon, lat, accuracy, unit]| {
            let (x, y) = (lon as i32, lat as i32);
            if group != [street, number, suffix] {
                group = [street, number, suffix];
                kept.clear();
                units_here.clear();
            }
            let same = |(a, b, code, _): &&(i32, i32, u32, u32)| {
                (*code == postcode || *code == NONE || postcode == NONE) && metres((*a, *b), (x, y)) < FOLD_METRES
            };
            let point = kept.iter().find(same).map_or(id, |(.., point)| *point);
            let is_new_unit = unit != BUILDING && units_here.insert((point, unit), ()).is_none();
            if is_new_unit {
                units.push([point, unit, lon, lat])?;
            }
            if point != id {
                folded += u64::from(!is_new_unit);
                return Ok(());
            }
            apart += u64::from(unit == BUILDING && kept.iter().any(|(_, _, code, _)| *code == postcode));
            kept.push((x, y, postcode, id));
            let e = &mut extents[street as usize];
            if e.points.1 == 0 {
                e.points.0 = id;
            }
            e.points.1 += 1;
            e.sum = (e.sum.0 + f64::from(x), e.sum.1 + f64::from(y), e.sum.2 + 1.0);
            houses.note(street, number);
            open = match open.take() {
                Some(house) if (house.street, house.number) == (street, number) => {
                    Some(PossibleHouse { is_one_of_several: true, ..house })
                }
                before => {
                    self.add_house(houses, place_of, before)?;
                    Some(PossibleHouse { street, number, suffix, postcode, id, is_one_of_several: false })
                }
            };
            let at = (degrees(x), degrees(y));
            spreads.add(place_of[street as usize], &[postcode], at);
            let (row, column) = cell_of(at.0, at.1);
            cells.push([row, column, id])?;
            id += 1;
            out.put(Section::Points, &[street, number, suffix << 16 | extension, postcode, lon, lat, accuracy])
        })?;
        self.add_house(houses, place_of, open)?;
        (self.folded, self.apart) = (folded, apart);
        out.end(Section::Points)?;
        out.start(Section::Units);
        units.each(&mut |record| out.put(Section::Units, &record))?;
        out.end(Section::Units)?;
        out.start(Section::Suffixes);
        out.put(Section::Suffixes, &self.suffix_list)?;
        out.end(Section::Suffixes)
    }

    /// Adds a house to the index, unless there are several of its number.
    fn add_house(&self, houses: &mut Houses, place_of: &[u32], house: Option<PossibleHouse>) -> io::Result<()> {
        let Some(house) = house.filter(|h| !h.is_one_of_several) else { return Ok(()) };
        let suffix = self.strings.get(self.suffix_list[house.suffix as usize]);
        let street = (house.street, place_of[house.street as usize]);
        houses.add(self, street, (house.number, suffix), house.postcode, house.id)
    }

    fn write_segments(
        &mut self,
        out: &mut Sections,
        rank_of: &dyn Fn(u32) -> u32,
        place_of: &[u32],
        extents: &mut [Extent],
        cells: &mut Sorter<[u32; 3]>,
        spreads: &mut Spreads,
    ) -> io::Result<()> {
        let mut sorter: Sorter<[u32; 10]> = Sorter::new(IN_MEMORY / 2);
        let mut lines: Vec<(u32, u32, u32)> = Vec::new();
        // What the segments belong to: place and postcodes.
        let mut owners: Vec<(u32, [u32; 2])> = Vec::new();
        self.segments.each(&mut |mut record| {
            record[0] = rank_of(record[0]);
            sorter.push(record)
        })?;
        out.start(Section::Segments);
        let mut id = 0u32;
        sorter.each(&mut |record| {
            let e = &mut extents[record[0] as usize];
            if e.segments.1 == 0 {
                e.segments.0 = id;
            }
            e.segments.1 += 1;
            lines.push((record[7], record[8], id));
            owners.push((place_of[record[0] as usize], [record[5], record[6]]));
            id += 1;
            out.put(Section::Segments, &record)
        })?;
        out.end(Section::Segments)?;
        out.start(Section::Vertices);
        // Segments by their first vertex; two share a line where a street is one of two localities.
        lines.sort_unstable();
        let (mut at, mut next) = (0u32, 0usize);
        let mut here: Vec<(u32, u32)> = Vec::new();
        let mut before: Option<(i32, i32)> = None;
        self.vertices.each(&mut |[x, y]| {
            here.retain(|(end, _)| *end > at);
            while let Some((first, n, id)) = lines.get(next).filter(|l| l.0 == at) {
                here.push((first + n, *id));
                before = None;
                next += 1;
            }
            let vertex = (x as i32, y as i32);
            for (row, column) in cells_between(before.unwrap_or(vertex), vertex) {
                here.iter().try_for_each(|(_, id)| cells.push([row, column, IS_SEGMENT | id]))?;
            }
            for (_, id) in &here {
                let (place, postcodes) = &owners[*id as usize];
                spreads.add(*place, postcodes, (degrees(vertex.0), degrees(vertex.1)));
            }
            before = Some(vertex);
            at += 1;
            out.put(Section::Vertices, &[x, y])
        })?;
        out.end(Section::Vertices)
    }

    fn write_streets(&mut self, out: &mut Sections, order: &[u32], extents: &[Extent]) -> io::Result<()> {
        let mut names: Vec<(u32, u32, u32)> = Vec::new();
        out.start(Section::Streets);
        for (i, id) in order.iter().enumerate() {
            let key = self.street_keys[*id as usize];
            let e = extents[i];
            match names.last_mut() {
                Some((name, _, n)) if *name == key.name => *n += 1,
                _ => names.push((key.name, i as u32, 1)),
            }
            // Where the street is: the mean of its points; of segments alone, the reader takes the middle one.
            let middle = if e.sum.2 > 0.0 { ((e.sum.0 / e.sum.2) as i32, (e.sum.1 / e.sum.2) as i32) } else { (0, 0) };
            let number = (names.len() - 1) as u32;
            out.put(
                Section::Streets,
                &[
                    number,
                    u32::from_le_bytes([key.pre, key.kind, key.post, 0]),
                    key.place,
                    e.points.0,
                    e.points.1,
                    e.segments.0,
                    e.segments.1,
                    middle.0 as u32,
                    middle.1 as u32,
                    self.street_displays[*id as usize],
                ],
            )?;
        }
        out.end(Section::Streets)?;
        out.start(Section::Names);
        for (name, first, n) in &names {
            out.put(Section::Names, &[*name, *first, *n])?;
        }
        out.end(Section::Names)?;
        let mut sorter: Sorter<[u32; 2]> = Sorter::new(2 * IN_MEMORY);
        for (i, (name, ..)) in names.iter().enumerate() {
            super::keys::add(&mut sorter, self.strings.get(*name), i as u32, self.grammar)?;
        }
        write_keys(out, Section::NameKeys, Section::NameKeyDirectory, sorter)?;
        // Streets by locality.
        let mut by_place: Vec<(u32, u32)> =
            order.iter().enumerate().map(|(i, id)| (self.street_keys[*id as usize].place, i as u32)).collect();
        by_place.sort_unstable();
        out.start(Section::PlaceStreets);
        for (_, street) in &by_place {
            out.put(Section::PlaceStreets, &[*street])?;
        }
        out.end(Section::PlaceStreets)?;
        self.place_streets = vec![(0, 0); self.places.len()];
        for (i, (place, _)) in by_place.iter().enumerate() {
            let (first, n) = &mut self.place_streets[*place as usize];
            if *n == 0 {
                *first = i as u32;
            }
            *n += 1;
        }
        Ok(())
    }

    fn write_places(&mut self, out: &mut Sections, spreads: &Spreads) -> io::Result<()> {
        let mut names = self.names.clone();
        names.sort_by(|a, b| self.strings.get(a.0).cmp(self.strings.get(b.0)).then(a.1.cmp(&b.1)));
        names.dedup();
        out.start(Section::Places);
        let radii = spreads.of_places(self);
        for (i, l) in self.places.iter().enumerate() {
            let (x, y, known) = position(l.position, l.sum);
            let (first, n) = self.place_streets.get(i).copied().unwrap_or_default();
            // The locality of a neighbourhood or landmark: that of the name in its region, the nearest of several.
            let within = (l.within != 0)
                .then(|| self.place_ids.get(&(l.within, l.region, PlaceKind::Locality)))
                .flatten()
                .and_then(|ids| {
                    let far = |id: &u32| {
                        let p = position(self.places[*id as usize].position, self.places[*id as usize].sum);
                        metres((p.0 as i32, p.1 as i32), (x as i32, y as i32))
                    };
                    ids.iter().copied().min_by(|a, b| far(a).total_cmp(&far(b)))
                })
                .unwrap_or(NONE);
            let flags = known << 8 | l.kind as u32;
            out.put(
                Section::Places,
                &[
                    l.display,
                    l.region,
                    l.parent,
                    x,
                    y,
                    flags,
                    within,
                    first,
                    n,
                    radius_code(radii[i], l.radius_m.is_some()),
                ],
            )?;
        }
        out.end(Section::Places)?;
        out.start(Section::PlaceNames);
        for (name, id) in &names {
            out.put(Section::PlaceNames, &[*name, *id])?;
        }
        out.end(Section::PlaceNames)?;
        let mut sorter: Sorter<[u32; 2]> = Sorter::new(2 * IN_MEMORY);
        for (i, (name, _)) in names.iter().enumerate() {
            super::keys::add(&mut sorter, self.strings.get(*name), i as u32, self.grammar)?;
        }
        write_keys(out, Section::PlaceKeys, Section::PlaceKeyDirectory, sorter)
    }

    fn write_postcodes(&mut self, out: &mut Sections, spreads: &Spreads) -> io::Result<()> {
        out.start(Section::PostcodePlaces);
        let mut firsts = Vec::with_capacity(self.postcodes.len());
        let mut first = 0u32;
        for p in self.postcodes.values() {
            firsts.push(first);
            let places: Vec<u32> = p.places.iter().copied().collect();
            first += places.len() as u32;
            out.put(Section::PostcodePlaces, &places)?;
        }
        out.end(Section::PostcodePlaces)?;
        out.start(Section::Postcodes);
        let radii = spreads.of_postcodes(self);
        for (((code, p), first), radius) in self.postcodes.iter().zip(firsts).zip(radii) {
            let id = self.strings.ids[code.as_str()];
            let (x, y, _) = position(p.position, p.sum);
            let radius = radius_code(radius, p.radius_m.is_some());
            out.put(Section::Postcodes, &[id, p.region, x, y, first, p.places.len() as u32, radius])?;
        }
        out.end(Section::Postcodes)
    }

    fn write_written(&mut self, out: &mut Sections) -> io::Result<()> {
        out.start(Section::Written);
        for (normal, written) in std::mem::take(&mut self.written) {
            let normal = self.strings.id(&normal);
            out.put(Section::Written, &[normal, written])?;
        }
        out.end(Section::Written)
    }

    fn write_areas(&mut self, out: &mut Sections) -> io::Result<()> {
        // In the order of their middles along a curve that fills the plane, so that neighbours share a box.
        self.areas.sort_by_key(|a| areas::order(&a.bounds));
        out.start(Section::RingVertices);
        for ring in self.areas.iter().flat_map(|a| &a.rings) {
            for (x, y) in ring {
                out.put(Section::RingVertices, &[*x as u32, *y as u32])?;
            }
        }
        out.end(Section::RingVertices)?;
        out.start(Section::Rings);
        let mut vertex = 0u32;
        for ring in self.areas.iter().flat_map(|a| &a.rings) {
            out.put(Section::Rings, &[vertex, ring.len() as u32])?;
            vertex += ring.len() as u32;
        }
        out.end(Section::Rings)?;
        out.start(Section::Attributes);
        for (name, value) in self.areas.iter().flat_map(|a| &a.attributes) {
            out.put(Section::Attributes, &[*name, *value])?;
        }
        out.end(Section::Attributes)?;
        out.start(Section::Areas);
        let (mut ring, mut attribute) = (0u32, 0u32);
        for a in &self.areas {
            let b = a.bounds.map(|v| v as u32);
            let (rings, attributes) = (a.rings.len() as u32, a.attributes.len() as u32);
            out.put(Section::Areas, &[b[0], b[1], b[2], b[3], ring, rings, attribute, attributes])?;
            ring += rings;
            attribute += attributes;
        }
        out.end(Section::Areas)
    }
}

/// Points of one address nearer than this are one.
const FOLD_METRES: f64 = 30.0;

fn metres(a: (i32, i32), b: (i32, i32)) -> f64 {
    let flat = |(x, y): (i32, i32)| (degrees(x), degrees(y));
    crate::nearest::metres(flat(a), flat(b))
}

/// A position as it is kept, and whether there is one.
fn position(position: Option<(f64, f64)>, sum: (f64, f64, u32)) -> (u32, u32, u32) {
    middle(position, sum).map_or((0, 0, 0), |(lon, lat)| (fixed(lon) as u32, fixed(lat) as u32, 1))
}

/// Writes hashes with their numbers, and where those begin that share their upper bits.
fn write_keys(out: &mut Sections, keys: Section, directory: Section, sorter: Sorter<[u32; 2]>) -> io::Result<()> {
    let mut all: Vec<u32> = Vec::new();
    out.start(keys);
    sorter.each(&mut |record| {
        all.push(record[0]);
        out.put(keys, &record)
    })?;
    out.end(keys)?;
    let bits = (all.len() / 4).max(1).ilog2().min(24);
    out.start(directory);
    let mut at = 0usize;
    for upper in 0..1u64 << bits {
        while all.get(at).is_some_and(|h| u64::from(*h) < upper << (32 - bits)) {
            at += 1;
        }
        out.put(directory, &[at as u32])?;
    }
    out.put(directory, &[all.len() as u32])?;
    out.end(directory)
}

fn write_cells(out: &mut Sections, sorter: Sorter<[u32; 3]>) -> io::Result<()> {
    let mut cells: Vec<[u32; 3]> = Vec::new();
    let mut n = 0u32;
    let mut last = [u32::MAX; 3];
    out.start(Section::CellEntries);
    sorter.each(&mut |record| {
        if record == last {
            return Ok(());
        }
        if record[..2] != last[..2] {
            cells.push([record[0], record[1], n]);
        }
        last = record;
        n += 1;
        out.put(Section::CellEntries, &record[2..])
    })?;
    out.end(Section::CellEntries)?;
    out.start(Section::Cells);
    for cell in &cells {
        out.put(Section::Cells, cell)?;
    }
    // The end of the last one.
    out.put(Section::Cells, &[u32::MAX, u32::MAX, n])?;
    out.end(Section::Cells)
}

/// Cells that a straight line passes, nearly: one in every half cell of its length, and both its ends.
fn cells_between(a: (i32, i32), b: (i32, i32)) -> Vec<(u32, u32)> {
    let (x0, y0, x1, y1) = (degrees(a.0), degrees(a.1), degrees(b.0), degrees(b.1));
    let steps = (((x1 - x0).abs().max((y1 - y0).abs())) / (CELL_DEGREES / 2.0)).ceil().clamp(1.0, 100_000.0);
    let mut out: Vec<(u32, u32)> = (0..=steps as u32)
        .map(|i| {
            let t = f64::from(i) / steps;
            cell_of(x0 + t * (x1 - x0), y0 + t * (y1 - y0))
        })
        .collect();
    out.dedup();
    out
}
