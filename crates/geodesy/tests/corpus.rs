//! The fuzz targets over their corpus and over damaged copies of it: no panic, no hang.

#[path = "../fuzz/src/lib.rs"]
mod targets;

use std::path::Path;

/// A small generator of its own, so that every run damages the same bytes.
struct Random(u64);

impl Random {
    fn next(&mut self) -> u64 {
        self.0 ^= self.0 << 13;
        self.0 ^= self.0 >> 7;
        self.0 ^= self.0 << 17;
        self.0
    }

    fn below(&mut self, n: usize) -> usize {
        (self.next() % n.max(1) as u64) as usize
    }
}

fn damaged(bytes: &[u8], random: &mut Random) -> Vec<u8> {
    let mut out = bytes.to_vec();
    for _ in 0..1 + random.below(4) {
        let at = random.below(out.len() + 1);
        match random.below(5) {
            0 if !out.is_empty() => out.truncate(at),
            1 if at < out.len() => out[at] = random.next() as u8,
            2 if at < out.len() => out[at] ^= 1 << random.below(8),
            3 => out.insert(at, b" \"[],.-0N\xC2\xB0"[random.below(11)]),
            _ if at < out.len() => {
                let end = (at + random.below(12)).min(out.len());
                let piece = out[at..end].to_vec();
                let to = random.below(out.len() + 1);
                out.splice(to..to, piece);
            }
            _ => {}
        }
    }
    out
}

fn run(name: &str, target: fn(&[u8]), copies: usize) {
    let folder = Path::new(env!("CARGO_MANIFEST_DIR")).join("fuzz/corpus").join(name);
    let mut files: Vec<_> = std::fs::read_dir(&folder).unwrap().map(|e| e.unwrap().path()).collect();
    files.sort();
    assert!(!files.is_empty(), "{name} has a corpus");
    let mut random = Random(20_261_125);
    for file in files {
        let bytes = std::fs::read(&file).unwrap();
        target(&bytes);
        // Texts are one to a line.
        if let Ok(text) = std::str::from_utf8(&bytes) {
            for line in text.lines() {
                target(line.as_bytes());
                for _ in 0..copies {
                    target(&damaged(line.as_bytes(), &mut random));
                }
            }
        } else {
            for _ in 0..copies {
                target(&damaged(&bytes, &mut random));
            }
        }
    }
}

#[test]
fn notations() {
    run("notation", targets::notation, 200);
}

#[test]
fn well_known_text() {
    run("wkt", targets::wkt, 60);
}

#[test]
fn shift_grids() {
    run("grid_shift", targets::grid_shift, 400);
}

#[test]
fn geoid_grids() {
    run("geoid", targets::geoid, 400);
}
