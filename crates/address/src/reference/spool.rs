//! What does not fit memory goes to temporary files: a spool of records in order, and a sorter of records.

use std::cmp::Reverse;
use std::collections::BinaryHeap;
use std::fs::File;
use std::io::{self, BufReader, BufWriter, Read, Seek, Write};

/// A record of a fixed size.
pub(super) trait Record: Copy + Ord {
    /// Its bytes.
    const SIZE: usize;
    /// Writes it to so many bytes.
    fn put(&self, out: &mut [u8]);
    /// Reads it.
    fn get(bytes: &[u8]) -> Self;
}

/// A record of numbers, compared from the first to the last.
impl<const N: usize> Record for [u32; N] {
    const SIZE: usize = 4 * N;

    fn put(&self, out: &mut [u8]) {
        for (chunk, v) in out.chunks_exact_mut(4).zip(self) {
            chunk.copy_from_slice(&v.to_le_bytes());
        }
    }

    fn get(bytes: &[u8]) -> Self {
        let mut out = [0; N];
        for (v, chunk) in out.iter_mut().zip(bytes.chunks_exact(4)) {
            *v = u32::from_le_bytes(chunk.try_into().unwrap_or_default());
        }
        out
    }
}

/// Records in the order in which they came: in memory, then in a temporary file.
#[derive(Debug)]
pub(super) struct Spool<R> {
    memory: Vec<R>,
    most: usize,
    file: Option<BufWriter<File>>,
    length: u64,
}

impl<R: Record> Spool<R> {
    /// A spool that keeps so many records in memory.
    pub(super) fn new(most: usize) -> Self {
        Spool { memory: Vec::new(), most: most.max(1), file: None, length: 0 }
    }

    /// Records in it.
    pub(super) fn len(&self) -> u64 {
        self.length
    }

    pub(super) fn push(&mut self, record: R) -> io::Result<()> {
        self.memory.push(record);
        self.length += 1;
        if self.memory.len() >= self.most {
            self.spill()?;
        }
        Ok(())
    }

    fn spill(&mut self) -> io::Result<()> {
        if self.file.is_none() {
            self.file = Some(BufWriter::with_capacity(1 << 20, tempfile::tempfile()?));
        }
        if let Some(file) = &mut self.file {
            write_all(file, &self.memory)?;
        }
        self.memory.clear();
        Ok(())
    }

    /// All records, in order; the spool is kept.
    pub(super) fn each(&mut self, f: &mut dyn FnMut(R) -> io::Result<()>) -> io::Result<()> {
        if let Some(writer) = &mut self.file {
            writer.flush()?;
            let file = writer.get_mut();
            file.rewind()?;
            let mut reader = BufReader::with_capacity(1 << 20, &*file);
            let mut buffer = vec![0; R::SIZE];
            for _ in 0..self.length - self.memory.len() as u64 {
                reader.read_exact(&mut buffer)?;
                f(R::get(&buffer))?;
            }
            file.seek(io::SeekFrom::End(0))?;
        }
        self.memory.iter().try_for_each(|r| f(*r))
    }
}

fn write_all<R: Record>(file: &mut impl Write, records: &[R]) -> io::Result<()> {
    let mut buffer = vec![0; R::SIZE * 4096];
    for part in records.chunks(4096) {
        for (r, out) in part.iter().zip(buffer.chunks_exact_mut(R::SIZE)) {
            r.put(out);
        }
        file.write_all(&buffer[..part.len() * R::SIZE])?;
    }
    Ok(())
}

/// Sorts any number of records in bounded memory: sorted runs in temporary files, then a merge. Equal records keep
/// the order in which they came.
#[derive(Debug)]
pub(super) struct Sorter<R> {
    memory: Vec<R>,
    most: usize,
    runs: Vec<(File, u64)>,
}

impl<R: Record> Sorter<R> {
    /// A sorter that keeps so many records in memory.
    pub(super) fn new(most: usize) -> Self {
        Sorter { memory: Vec::new(), most: most.max(1), runs: Vec::new() }
    }

    pub(super) fn push(&mut self, record: R) -> io::Result<()> {
        self.memory.push(record);
        if self.memory.len() >= self.most {
            self.memory.sort();
            let mut file = BufWriter::with_capacity(1 << 20, tempfile::tempfile()?);
            write_all(&mut file, &self.memory)?;
            let mut file = file.into_inner().map_err(|e| e.into_error())?;
            file.rewind()?;
            self.runs.push((file, self.memory.len() as u64));
            self.memory.clear();
        }
        Ok(())
    }

    /// All records, in their order.
    pub(super) fn each(mut self, f: &mut dyn FnMut(R) -> io::Result<()>) -> io::Result<()> {
        self.memory.sort();
        if self.runs.is_empty() {
            return self.memory.into_iter().try_for_each(f);
        }
        let mut sources: Vec<Run<R>> = self
            .runs
            .into_iter()
            .map(|(file, left)| Run::File {
                reader: BufReader::with_capacity(1 << 18, file),
                left,
                buffer: vec![0; R::SIZE],
            })
            .collect();
        sources.push(Run::Memory(self.memory.into_iter()));
        let mut heap = BinaryHeap::new();
        for (i, source) in sources.iter_mut().enumerate() {
            if let Some(record) = source.next()? {
                heap.push(Reverse((record, i)));
            }
        }
        while let Some(Reverse((record, i))) = heap.pop() {
            f(record)?;
            if let Some(next) = sources[i].next()? {
                heap.push(Reverse((next, i)));
            }
        }
        Ok(())
    }
}

enum Run<R> {
    File { reader: BufReader<File>, left: u64, buffer: Vec<u8> },
    Memory(std::vec::IntoIter<R>),
}

impl<R: Record> Run<R> {
    fn next(&mut self) -> io::Result<Option<R>> {
        match self {
            Run::Memory(records) => Ok(records.next()),
            Run::File { left: 0, .. } => Ok(None),
            Run::File { reader, left, buffer } => {
                reader.read_exact(buffer)?;
                *left -= 1;
                Ok(Some(R::get(buffer)))
            }
        }
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use proptest::prelude::*;

    proptest! {
        /// Spilled or not, the sorter sorts and the spool keeps the order.
        #[test]
        fn as_in_memory(records in proptest::collection::vec(any::<[u32; 3]>(), 0..200), most in 1usize..60) {
            let mut spool = Spool::new(most);
            let mut sorter = Sorter::new(most);
            for r in &records {
                spool.push(*r).unwrap();
                sorter.push(*r).unwrap();
            }
            prop_assert_eq!(spool.len(), records.len() as u64);
            for _ in 0..2 {
                let mut seen = Vec::new();
                spool.each(&mut |r| { seen.push(r); Ok(()) }).unwrap();
                prop_assert_eq!(&seen, &records);
            }
            let mut sorted = Vec::new();
            sorter.each(&mut |r| { sorted.push(r); Ok(()) }).unwrap();
            let mut wanted = records.clone();
            wanted.sort();
            prop_assert_eq!(sorted, wanted);
        }
    }
}
