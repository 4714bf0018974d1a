//! Damaged files, for tests: what a reader does with them is an error or what is left of them, never a panic.
//!
//! A thousand files in an ordinary run; with `BASILOCUS_DAMAGED_SECONDS=600` each kind goes on for ten minutes.

use std::time::{Duration, Instant};

/// Files that an ordinary run damages, each kind.
const FILES: u64 = 1_000;
/// No file of a few thousand bytes takes longer, whatever it says.
pub const LONGEST: Duration = Duration::from_secs(20);

/// The numbers of the files of a run.
pub fn numbers() -> impl Iterator<Item = u64> {
    let seconds = std::env::var("BASILOCUS_DAMAGED_SECONDS").ok().and_then(|s| s.parse::<u64>().ok());
    let begin = Instant::now();
    (1..).take_while(move |number| match seconds {
        Some(seconds) => begin.elapsed() < Duration::from_secs(seconds),
        None => *number <= FILES,
    })
}

/// A small generator of numbers that are the same in every run (xorshift).
pub struct Numbers(u64);

impl Numbers {
    /// The numbers of a damaged file.
    pub fn new(file: u64) -> Self {
        Numbers(file.wrapping_mul(0x9E37_79B9_7F4A_7C15) | 1)
    }

    /// A number below another.
    pub fn below(&mut self, most: usize) -> usize {
        self.0 ^= self.0 << 13;
        self.0 ^= self.0 >> 7;
        self.0 ^= self.0 << 17;
        (self.0 % most.max(1) as u64) as usize
    }
}

/// What people and programs put where it does not belong.
const ODD: [&[u8]; 18] = [
    b"\0",
    b"\"",
    b"<",
    b">",
    b"&",
    b"'",
    b"\xFF",
    b"\xC3",
    b"NaN",
    b"1e400",
    b"-",
    b"999999999999999999999",
    b"[[[[[[[[",
    b"{\"a\":",
    b"<a><a><a>",
    b"]]>",
    b"\r\r\n\n",
    b"\xEF\xBB\xBF",
];

/// A file with one to four faults.
pub fn damaged(good: &[u8], numbers: &mut Numbers) -> Vec<u8> {
    let mut bytes = good.to_vec();
    for _ in 0..=numbers.below(4) {
        let length = bytes.len();
        let at = numbers.below(length);
        let end = (at + 1 + numbers.below(64)).min(length);
        match numbers.below(8) {
            0 => bytes.truncate(at),
            1 | 2 => bytes[at] ^= 1 << numbers.below(8),
            3 => bytes[at..end].fill(0),
            4 => bytes[at..end].fill(0xFF),
            5 => drop(bytes.drain(at..end)),
            6 => {
                let part = bytes[at..end].to_vec();
                bytes.splice(at..at, part);
            }
            _ => drop(bytes.splice(at..at, ODD[numbers.below(ODD.len())].iter().copied())),
        }
        if bytes.is_empty() {
            break;
        }
    }
    bytes
}
