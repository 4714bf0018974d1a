//! The memory map: the one place with `unsafe` code in this crate.

use std::fs::File;
use std::io;

/// A file mapped for reading.
#[derive(Debug)]
pub(super) struct Map(memmap2::Mmap);

impl Map {
    #[allow(unsafe_code)]
    pub(super) fn open(file: &File) -> io::Result<Self> {
        // SAFETY: the bytes may only change under us if another program writes into the file in place. The
        // builder never does: it writes a new file and moves it to its name, which leaves this map on the old
        // one. All reads are bounds-checked slices of plain bytes, so that even then no invariant of a type breaks.
        unsafe { memmap2::Mmap::map(file) }.map(Map)
    }

    pub(super) fn bytes(&self) -> &[u8] {
        &self.0
    }
}
