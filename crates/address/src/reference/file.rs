//! The layout of a reference file, shared by the builder and the reader.
//!
//! Little-endian throughout. A header (magic, version, section count, checksum of all that follows the header),
//! then offset and length of each section, then the sections: arrays of fixed-size records, sorted for binary
//! search, and one pool of strings.

/// First bytes of a reference.
pub(super) const MAGIC: &[u8; 8] = b"BSLADREF";
/// Raised when the layout changes.
pub(super) const VERSION: u32 = 2;
/// Bytes before the section table.
pub(super) const HEADER: usize = 24;

/// The sections, in order.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
#[repr(usize)]
pub(super) enum Section {
    /// UTF-8 bytes of all strings.
    Strings,
    /// Ends of the strings, `u32` each, with a 0 in front.
    StringEnds,
    /// Names of thoroughfares: string, first street, number of streets. Sorted by string.
    Names,
    /// Thoroughfares of a name and locality.
    Streets,
    /// Address points, by street, then number, then suffix.
    Points,
    /// Street segments, by street.
    Segments,
    /// Vertices of segments.
    Vertices,
    /// Localities.
    Localities,
    /// Names of localities (other names too): string, locality. Sorted by string.
    LocalityNames,
    /// Postcodes: string, position, first locality in the list, number of localities. Sorted by string.
    Postcodes,
    /// Lists of localities of postcodes.
    PostcodeLocalities,
    /// Spellings of names with letters left out: hash, name. Sorted by hash.
    NameDeletes,
    /// The same for names of localities: hash, index into `LocalityNames`.
    LocalityDeletes,
    /// Text that the builder leaves for `describe`.
    About,
}

pub(super) const SECTIONS: usize = Section::About as usize + 1;

pub(super) const NAME: usize = 12;
pub(super) const STREET: usize = 44;
pub(super) const POINT: usize = 24;
pub(super) const SEGMENT: usize = 40;
pub(super) const VERTEX: usize = 8;
pub(super) const LOCALITY: usize = 24;
pub(super) const LOCALITY_NAME: usize = 8;
pub(super) const POSTCODE: usize = 24;
pub(super) const DELETE: usize = 8;

/// No string, no postcode, no number.
pub(super) const NONE: u32 = u32::MAX;

/// Degrees are kept in ten-millionths: about a centimetre.
pub(super) fn fixed(degrees: f64) -> i32 {
    (degrees * 1e7).round() as i32
}

pub(super) fn degrees(fixed: i32) -> f64 {
    f64::from(fixed) / 1e7
}

/// 64-bit FNV-1a over eight bytes at a time: a checksum against damage, not against forgery.
pub(super) fn checksum(bytes: &[u8]) -> u64 {
    let mut hash = 0xcbf2_9ce4_8422_2325u64;
    let mut chunks = bytes.chunks_exact(8);
    for c in &mut chunks {
        hash =
            (hash ^ u64::from_le_bytes(c.try_into().unwrap_or_default())).wrapping_mul(0x0100_0000_01b3).rotate_left(5);
    }
    for b in chunks.remainder() {
        hash = (hash ^ u64::from(*b)).wrapping_mul(0x0100_0000_01b3);
    }
    hash
}

/// Hash of a spelling, the same in builder and reader.
pub(super) fn spelling_hash(bytes: impl Iterator<Item = u8>) -> u32 {
    let mut hash = 0x811c_9dc5u32;
    for b in bytes {
        hash = (hash ^ u32::from(b)).wrapping_mul(0x0100_0193);
    }
    hash
}

/// Calls `f` with the hash of a word (blanks left out) with as many letters left out as `left_out` says.
///
/// Two words within that many edits share at least one of these spellings, which finds candidates without trying
/// every name; the true distance is computed afterwards.
pub(super) fn each_spelling(word: &str, left_out: std::ops::RangeInclusive<usize>, f: &mut dyn FnMut(u32)) {
    let mut buffer = [0u8; 40];
    let mut n = 0;
    for b in word.bytes().filter(|b| *b != b' ').take(buffer.len()) {
        buffer[n] = b;
        n += 1;
    }
    let letters = &buffer[..n];
    if left_out.contains(&0) {
        f(spelling_hash(letters.iter().copied()));
    }
    if n < 3 {
        return;
    }
    let without = |skip: [usize; 2]| {
        spelling_hash(letters.iter().enumerate().filter(|(i, _)| !skip.contains(i)).map(|(_, b)| *b))
    };
    if left_out.contains(&1) {
        // Of two equal letters side by side it does not matter which is left out.
        for i in (0..n).filter(|i| *i == 0 || letters[*i] != letters[*i - 1]) {
            f(without([i, usize::MAX]));
        }
    }
    if left_out.contains(&2) && (TWO_LETTERS..=24).contains(&n) {
        for i in 0..n {
            for j in i + 1..n {
                f(without([i, j]));
            }
        }
    }
}

/// Words of this many letters and more are found with two edits.
pub(super) const TWO_LETTERS: usize = 5;
