//! The layout of a reference file, shared by the builder and the reader.
//!
//! Little-endian throughout. A header (magic, version, number of parts), then offset and length of each part; a part
//! is one country's. A part begins with the checksum of all that follows it, the number of its sections and a zero, then
//! offset (from the part's first byte) and length of each section, then the sections: arrays of fixed-size records,
//! sorted for binary search, tables of hashes with a directory, and one pool of strings.

/// First bytes of a reference.
pub(super) const MAGIC: &[u8; 8] = b"BSLADREF";
/// Raised when the layout changes.
pub(super) const VERSION: u32 = 7;
/// Bytes before the table of parts.
pub(super) const HEADER: usize = 16;
/// Bytes of an entry of the table of parts, and of one of sections.
pub(super) const EXTENT: usize = 16;
/// Bytes of a part before its table of sections.
pub(super) const PART_HEADER: usize = 16;

/// The sections, in order.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
#[repr(usize)]
pub(super) enum Section {
    /// UTF-8 bytes of all strings.
    Strings,
    /// Ends of the strings, `u32` each, with a 0 in front.
    StringEnds,
    /// Names of thoroughfares: string, first street, number of streets.
    Names,
    /// Thoroughfares of a name and locality, by name, then locality.
    Streets,
    /// Address points, by street, then number, then suffix: street, number, suffix and extension, postcode, longitude,
    /// latitude, accuracy in decimetres.
    Points,
    /// Suffixes of numbers: string.
    Suffixes,
    /// Units of address points, by point, then string: point, string, longitude, latitude.
    Units,
    /// Street segments, by street.
    Segments,
    /// Vertices of segments.
    Vertices,
    /// Localities and other places: name as written, region, parent, position, flags, locality around it, first street
    /// and number of streets, radius in metres (marked where a source said it).
    Places,
    /// Names of places (other names too): string, place. Sorted by string.
    PlaceNames,
    /// Streets by locality.
    PlaceStreets,
    /// Postcodes: string, region, position, first locality in the list, number of localities, radius in metres
    /// (marked likewise). Sorted by string.
    Postcodes,
    /// Lists of localities of postcodes.
    PostcodePlaces,
    /// Keys of names: spellings with letters left out, words, sounds.
    NameKeys,
    /// Where the keys of names begin that share their upper bits.
    NameKeyDirectory,
    /// The same for names of places; the number is an index into `PlaceNames`.
    PlaceKeys,
    /// Directory of `PlaceKeys`.
    PlaceKeyDirectory,
    /// Hashes of whole addresses of houses without a rival, with their points.
    HouseKeys,
    /// Directory of `HouseKeys`.
    HouseKeyDirectory,
    /// Cells of a grid over the earth that hold something: row, column, first entry.
    Cells,
    /// What the cells hold: numbers of points, and of segments with the upper bit set.
    CellEntries,
    /// Areas: bounding box, rings, attributes.
    Areas,
    /// Rings of areas: first vertex, number of vertices.
    Rings,
    /// Vertices of rings.
    RingVertices,
    /// Attributes of areas: name, value.
    Attributes,
    /// Regions and postcodes that have no form in the grammar, in normal form and as the source writes them: two strings.
    /// Sorted by the first.
    Written,
    /// Text that the builder leaves for `describe`.
    About,
}

pub(super) const SECTIONS: usize = Section::About as usize + 1;

pub(super) const NAME: usize = 12;
pub(super) const STREET: usize = 40;
pub(super) const POINT: usize = 28;
pub(super) const UNIT: usize = 16;
pub(super) const SEGMENT: usize = 40;
pub(super) const VERTEX: usize = 8;
pub(super) const PLACE: usize = 40;
pub(super) const PLACE_NAME: usize = 8;
pub(super) const POSTCODE: usize = 28;
pub(super) const KEY: usize = 8;
pub(super) const CELL: usize = 12;
pub(super) const AREA: usize = 32;
pub(super) const RING: usize = 8;
pub(super) const ATTRIBUTE: usize = 8;
pub(super) const WRITTEN: usize = 8;

/// No string, no postcode, no number.
pub(super) const NONE: u32 = u32::MAX;
/// A direction or type that is not there.
pub(super) const NO_CODE: u8 = 0xFF;
/// Marks the number of a segment among the entries of a cell.
pub(super) const IS_SEGMENT: u32 = 1 << 31;
/// Marks a radius that a source said: an update finds the others anew.
pub(super) const RADIUS_IS_SAID: u32 = 1 << 31;

/// A radius in whole metres, and whether a source said it.
pub(super) fn radius_code(metres: f64, is_said: bool) -> u32 {
    (metres.ceil() as u32).min(RADIUS_IS_SAID - 1) | if is_said { RADIUS_IS_SAID } else { 0 }
}

/// The radius in metres of a code, and whether a source said it.
pub(super) fn radius_of(code: u32) -> (f64, bool) {
    (f64::from(code & !RADIUS_IS_SAID), code & RADIUS_IS_SAID != 0)
}

/// Degrees are kept in ten-millionths: about a centimetre.
pub(super) fn fixed(degrees: f64) -> i32 {
    (degrees * 1e7).round() as i32
}

pub(super) fn degrees(fixed: i32) -> f64 {
    f64::from(fixed) / 1e7
}

/// Degrees of a cell of the grid, both ways.
pub(super) const CELL_DEGREES: f64 = 0.002;

/// Row and column of the cell of a position.
pub(super) fn cell_of(lon: f64, lat: f64) -> (u32, u32) {
    (((lat + 90.0) / CELL_DEGREES) as u32, ((lon + 180.0) / CELL_DEGREES) as u32)
}

/// 64-bit FNV-1a over eight bytes at a time: a checksum against damage, not against forgery.
#[derive(Debug, Clone, Copy)]
pub(super) struct Checksum(u64);

impl Checksum {
    pub(super) fn new() -> Self {
        Checksum(0xcbf2_9ce4_8422_2325)
    }

    /// Adds bytes; all but the last call give multiples of eight.
    pub(super) fn add(&mut self, bytes: &[u8]) {
        let mut chunks = bytes.chunks_exact(8);
        for c in &mut chunks {
            let word = u64::from_le_bytes(c.try_into().unwrap_or_default());
            self.0 = (self.0 ^ word).wrapping_mul(0x0100_0000_01b3).rotate_left(5);
        }
        for b in chunks.remainder() {
            self.0 = (self.0 ^ u64::from(*b)).wrapping_mul(0x0100_0000_01b3);
        }
    }

    pub(super) fn value(self) -> u64 {
        self.0
    }
}

/// What a key is of; part of its hash.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub(crate) enum KeyKind {
    /// A spelling, whole or with letters left out.
    Spelling = 0,
    /// A word of a name of several words.
    Word = 1,
    /// How a name sounds.
    Sound = 2,
    /// A whole address of a house.
    House = 3,
}

/// Hash of a key, the same in builder and reader: a polynomial of its letters, whose value without some of them follows
/// from what stands before and behind.
pub(super) fn key_hash(kind: KeyKind, bytes: impl Iterator<Item = u8>) -> u32 {
    finished(bytes.fold(begun(kind), with_letter))
}

const BASE: u64 = 0x9e37_79b9_7f4a_7c15;

fn begun(kind: KeyKind) -> u64 {
    0x811c_9dc5_2b7e_1516 ^ (kind as u64).wrapping_mul(0xd6e8_feb8_6659_fd93)
}

#[inline]
fn with_letter(hash: u64, letter: u8) -> u64 {
    hash.wrapping_mul(BASE).wrapping_add(u64::from(letter))
}

/// The upper bits lead into the directory: they must be as mixed as the lower ones.
#[inline]
fn finished(mut hash: u64) -> u32 {
    hash ^= hash >> 32;
    hash = hash.wrapping_mul(0xd6e8_feb8_6659_fd93);
    hash ^= hash >> 32;
    (hash.wrapping_mul(0xd6e8_feb8_6659_fd93) >> 32) as u32
}

/// Calls `f` with the hash of a key with as many letters left out as `left_out` says.
///
/// Two keys within that many edits share at least one of these spellings, which finds candidates without trying
/// every name; the true distance is computed afterwards. An automaton over a sorted list finds the same ones; it was
/// left because it visits thousands of nodes where this looks up some dozen hashes.
pub(super) fn each_spelling(key: &str, left_out: std::ops::RangeInclusive<usize>, f: &mut dyn FnMut(u32)) {
    const LONGEST: usize = 40;
    let letters = &key.as_bytes()[..key.len().min(LONGEST)];
    let n = letters.len();
    if left_out.contains(&0) {
        // Whole, however long.
        f(key_hash(KeyKind::Spelling, key.bytes()));
    }
    if n < 3 || *left_out.end() == 0 {
        return;
    }
    // By how many letters stand behind: the value of those letters, and what shifts a value before them.
    let (mut behind, mut shift) = ([0u64; LONGEST + 1], [1u64; LONGEST + 1]);
    for k in 1..=n {
        behind[k] = u64::from(letters[n - k]).wrapping_mul(shift[k - 1]).wrapping_add(behind[k - 1]);
        shift[k] = shift[k - 1].wrapping_mul(BASE);
    }
    let joined = |before: u64, k: usize| finished(before.wrapping_mul(shift[k]).wrapping_add(behind[k]));
    if left_out.contains(&1) {
        let mut before = begun(KeyKind::Spelling);
        for i in 0..n {
            // Of two equal letters side by side it does not matter which is left out.
            if i == 0 || letters[i] != letters[i - 1] {
                f(joined(before, n - i - 1));
            }
            before = with_letter(before, letters[i]);
        }
    }
    if left_out.contains(&2) && (TWO_LETTERS..=TWO_LETTERS_TO).contains(&n) {
        let mut before = begun(KeyKind::Spelling);
        for i in 0..n {
            let mut between = before;
            for (j, letter) in letters.iter().enumerate().skip(i + 1) {
                f(joined(between, n - j - 1));
                between = with_letter(between, *letter);
            }
            before = with_letter(before, letters[i]);
        }
    }
}

/// Keys of this many letters and more are found with two letters left out.
pub(super) const TWO_LETTERS: usize = 5;
/// Keys of this many letters and fewer are: the number of spellings grows with the square. Longer ones are found by
/// their words and sounds.
pub(super) const TWO_LETTERS_TO: usize = 13;

#[cfg(test)]
mod tests {
    use super::*;
    use proptest::prelude::*;

    proptest! {
        /// The hashes are those of the spellings written out.
        #[test]
        fn spellings_are_hashed_as_if_they_were_written(key in "[A-D]{0,15}") {
            let mut found: Vec<u32> = Vec::new();
            each_spelling(&key, 1..=2, &mut |hash| found.push(hash));
            let letters = key.as_bytes();
            let hash = |left_out: &[usize]| {
                key_hash(KeyKind::Spelling, letters.iter().enumerate().filter(|(i, _)| !left_out.contains(i)).map(|(_, b)| *b))
            };
            let n = letters.len();
            let mut expected: Vec<u32> = Vec::new();
            if n >= 3 {
                expected.extend((0..n).map(|i| hash(&[i])));
            }
            if (TWO_LETTERS..=TWO_LETTERS_TO).contains(&n) {
                expected.extend((0..n).flat_map(|i| (i + 1..n).map(move |j| (i, j))).map(|(i, j)| hash(&[i, j])));
            }
            for list in [&mut found, &mut expected] {
                list.sort_unstable();
                list.dedup();
            }
            prop_assert_eq!(found, expected);
        }
    }
}
