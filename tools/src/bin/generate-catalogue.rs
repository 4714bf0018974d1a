//! Turns `tools/epsg-crs.tsv` into the compact catalogue that `basilocus-geodesy` embeds.
//!
//! usage: `cargo run -p basilocus-tools --bin generate-catalogue [-- --check]`
//! With `--check` nothing is written and the exit status says whether the committed file is up to date.
//! The layout is described in `crates/geodesy/src/crs/catalogue.rs`.

use anyhow::{Context, Result, bail, ensure};
use basilocus_geodesy::crs::catalogue::{KINDS, RECORD};
use std::collections::HashMap;
use std::path::Path;

const COLUMNS: usize = 22;

fn main() -> Result<()> {
    let root = Path::new(env!("CARGO_MANIFEST_DIR"));
    let target = root.join("../crates/geodesy/src/crs/catalogue.bin");
    let bytes = encode(&std::fs::read_to_string(root.join("epsg-crs.tsv"))?)?;
    if std::env::args().any(|a| a == "--check") {
        ensure!(
            std::fs::read(&target)? == bytes,
            "{} is not what the generator makes: run it without --check",
            target.display()
        );
    } else {
        std::fs::write(&target, &bytes)?;
    }
    println!("{} bytes", bytes.len());
    Ok(())
}

/// Distinct strings or numbers, numbered in order of first use.
#[derive(Default)]
struct Pool<T> {
    ids: HashMap<Vec<u8>, u16>,
    items: Vec<T>,
}

impl<T: Clone> Pool<T> {
    fn id(&mut self, key: &[u8], item: T) -> Result<u16> {
        if let Some(id) = self.ids.get(key) {
            return Ok(*id);
        }
        let id = u16::try_from(self.items.len()).context("more than 65,536 distinct entries")?;
        self.ids.insert(key.to_vec(), id);
        self.items.push(item);
        Ok(id)
    }
}

#[derive(Default)]
struct Encoder {
    strings: Pool<String>,
    values: Pool<f64>,
    parameters: Vec<u8>,
    parameter_sets: HashMap<Vec<u8>, u16>,
    shifts: Vec<u8>,
    shift_ids: HashMap<Vec<u8>, u16>,
}

impl Encoder {
    fn string(&mut self, s: &str) -> Result<u16> {
        self.strings.id(s.as_bytes(), s.to_string())
    }

    fn value(&mut self, v: f64) -> Result<u16> {
        self.values.id(&v.to_le_bytes(), v)
    }

    fn parameters(&mut self, text: &str) -> Result<(u8, u16)> {
        let mut encoded = Vec::new();
        for pair in text.split(';').filter(|p| !p.is_empty()) {
            let (name, value) = pair.split_once('=').with_context(|| format!("parameter {pair}"))?;
            let mut number: f64 = value.parse().with_context(|| format!("parameter {pair}"))?;
            if !name.contains("alse") && !name.contains("cale") {
                number = snap(number);
            }
            encoded.extend(self.string(name)?.to_le_bytes());
            encoded.extend(self.value(number)?.to_le_bytes());
        }
        let count = u8::try_from(encoded.len() / 4)?;
        if let Some(at) = self.parameter_sets.get(&encoded) {
            return Ok((count, *at));
        }
        let at = u16::try_from(self.parameters.len() / 4).context("too many parameters")?;
        self.parameters.extend(&encoded);
        self.parameter_sets.insert(encoded, at);
        Ok((count, at))
    }

    fn shift(&mut self, text: &str, accuracy: &str) -> Result<u16> {
        if text.is_empty() {
            return Ok(0xFFFF);
        }
        let mut encoded = Vec::new();
        // An accuracy of zero stands for "not known": no transformation is exact.
        for number in text.split(',').chain([if accuracy.is_empty() { "0" } else { accuracy }]) {
            encoded
                .extend(self.value(number.parse().with_context(|| format!("shift {text} {accuracy}"))?)?.to_le_bytes());
        }
        ensure!(encoded.len() == 16, "a shift has seven numbers and an accuracy: {text} {accuracy}");
        if let Some(id) = self.shift_ids.get(&encoded) {
            return Ok(*id);
        }
        let id = u16::try_from(self.shifts.len() / 16)?;
        self.shifts.extend(&encoded);
        self.shift_ids.insert(encoded, id);
        Ok(id)
    }
}

/// Angles were printed with 15 digits; those that are whole in seconds (or tenths … of them) get the exact value.
fn snap(degrees: f64) -> f64 {
    for parts in [3600.0, 36_000.0, 360_000.0, 3_600_000.0] {
        let exact = (degrees * parts).round() / parts;
        if (exact - degrees).abs() < 1e-12 {
            return exact;
        }
    }
    degrees
}

/// The registry prints the US survey foot with 15 digits; by definition it is 1200/3937 m.
fn exact_unit(name: &str, factor: f64) -> f64 {
    let exact = if name == "US survey foot" { 1200.0 / 3937.0 } else { factor };
    if (exact - factor).abs() < 1e-14 { exact } else { factor }
}

fn encode(tsv: &str) -> Result<Vec<u8>> {
    let mut rows: Vec<Vec<&str>> = Vec::new();
    for (i, line) in tsv.lines().enumerate().skip(1) {
        let fields: Vec<&str> = line.split('\t').collect();
        ensure!(fields.len() == COLUMNS, "line {}: {} columns", i + 1, fields.len());
        rows.push(fields);
    }
    rows.sort_by_key(|r| r[0].parse::<u32>().unwrap_or(0));
    // Projected and geocentric systems take the shift of their geographic system or of their datum's.
    let mut shift_by_code = HashMap::new();
    let mut shift_by_datum = HashMap::new();
    for r in rows.iter().filter(|r| r[1] == "geographic") {
        shift_by_code.insert(r[0], (r[20], r[21]));
        let entry = shift_by_datum.entry(r[4]).or_insert((r[20], r[21]));
        if entry.0.is_empty() {
            *entry = (r[20], r[21]);
        }
    }
    let mut encoder = Encoder::default();
    let mut records = Vec::with_capacity(rows.len() * RECORD);
    for r in &rows {
        let number = |text: &str| -> Result<f64> {
            if text.is_empty() { Ok(0.0) } else { text.parse().with_context(|| format!("code {}: {text}", r[0])) }
        };
        let kind = KINDS.iter().position(|k| *k == r[1]).with_context(|| format!("kind {}", r[1]))?;
        let (base, second) = r[3].split_once('+').unwrap_or((r[3], ""));
        let code_of = |text: &str| -> Result<u32> { if text.is_empty() { Ok(0) } else { Ok(text.parse()?) } };
        let mut record = Vec::with_capacity(RECORD);
        record.extend(code_of(r[0])?.to_le_bytes());
        record.extend(code_of(base)?.to_le_bytes());
        record.extend(code_of(second)?.to_le_bytes());
        for text in [r[2], r[4], r[5], r[8], r[10], r[12], r[14], r[19]] {
            record.extend(encoder.string(text)?.to_le_bytes());
        }
        for text in &r[15..19] {
            let hundredths = number(text)? * 100.0;
            ensure!(
                (hundredths - hundredths.round()).abs() < 1e-6,
                "code {}: limit {text} has more than two decimals",
                r[0]
            );
            record.extend((hundredths.round() as i16).to_le_bytes());
        }
        let factor = if r[13].is_empty() { 1.0 } else { exact_unit(r[12], number(r[13])?) };
        for value in [number(r[6])?, number(r[7])?, snap(number(r[9])?), factor] {
            record.extend(encoder.value(value)?.to_le_bytes());
        }
        let (count, at) = encoder.parameters(r[11])?;
        record.extend([u8::try_from(kind)?, count]);
        record.extend(at.to_le_bytes());
        let (shift, accuracy) = match r[1] {
            "geographic" => (r[20], r[21]),
            "projected" => {
                *shift_by_code.get(base).with_context(|| format!("code {}: base {base} is not in the file", r[0]))?
            }
            "geocentric" => shift_by_datum.get(r[4]).copied().unwrap_or(("", "")),
            _ => ("", ""),
        };
        record.extend(encoder.shift(shift, accuracy)?.to_le_bytes());
        record.extend([0, 0]);
        if record.len() != RECORD {
            bail!("record of {} bytes", record.len());
        }
        records.extend(record);
    }
    let mut offsets = vec![0u32];
    let mut text = Vec::new();
    for s in &encoder.strings.items {
        text.extend(s.as_bytes());
        offsets.push(u32::try_from(text.len())?);
    }
    let sections: [Vec<u8>; 6] = [
        records,
        offsets.iter().flat_map(|o| o.to_le_bytes()).collect(),
        text,
        encoder.values.items.iter().flat_map(|v| v.to_le_bytes()).collect(),
        encoder.parameters,
        encoder.shifts,
    ];
    let mut bytes = u32::try_from(rows.len())?.to_le_bytes().to_vec();
    let mut at = 4 + 4 * sections.len();
    for s in &sections {
        bytes.extend(u32::try_from(at)?.to_le_bytes());
        at += s.len();
    }
    bytes.extend(sections.concat());
    Ok(bytes)
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn the_committed_catalogue_is_what_the_generator_makes() {
        let root = Path::new(env!("CARGO_MANIFEST_DIR"));
        let made = encode(&std::fs::read_to_string(root.join("epsg-crs.tsv")).unwrap()).unwrap();
        assert!(
            std::fs::read(root.join("../crates/geodesy/src/crs/catalogue.bin")).unwrap() == made,
            "run generate-catalogue"
        );
    }

    #[test]
    fn every_field_comes_back() {
        let root = Path::new(env!("CARGO_MANIFEST_DIR"));
        let tsv = std::fs::read_to_string(root.join("epsg-crs.tsv")).unwrap();
        let catalogue = basilocus_geodesy::crs::Catalogue::embedded();
        assert_eq!(catalogue.len(), tsv.lines().count() - 1);
        for line in tsv.lines().skip(1) {
            let r: Vec<&str> = line.split('\t').collect();
            let crs = catalogue.get(r[0].parse().unwrap()).unwrap();
            assert_eq!((crs.kind_name(), crs.name.as_str(), crs.area.description.as_str()), (r[1], r[2], r[19]));
            assert_eq!(crs.area.west_deg, r[15].parse::<f64>().unwrap(), "{}", r[0]);
            if let Some(datum) = crs.datum().filter(|_| crs.kind_name() != "compound") {
                assert_eq!(datum.ellipsoid.semi_major_m, r[6].parse::<f64>().unwrap());
                assert_eq!(datum.ellipsoid.inverse_flattening, r[7].parse::<f64>().unwrap());
            }
            if let basilocus_geodesy::crs::Kind::Projected { parameters, unit, .. } = &crs.kind {
                let wanted: Vec<(&str, f64)> = r[11]
                    .split(';')
                    .map(|p| p.split_once('=').unwrap())
                    .map(|(n, v)| (n, v.parse().unwrap()))
                    .collect();
                assert_eq!(parameters.0.len(), wanted.len());
                for ((name, value), (wanted_name, wanted_value)) in parameters.0.iter().zip(wanted) {
                    assert!(
                        name == wanted_name && (value - wanted_value).abs() < 1e-12 * wanted_value.abs().max(1.0),
                        "{} {name}",
                        r[0]
                    );
                }
                assert!((unit.metres - r[13].parse::<f64>().unwrap()).abs() < 1e-14);
            }
        }
    }

    #[test]
    fn thirds_are_snapped() {
        assert_eq!(snap(84.166_666_666_666_7), 84.0 + 1.0 / 6.0);
        assert_eq!(snap(-120.833_333_333_333), -(120.0 + 5.0 / 6.0));
        assert_eq!(snap(2.337_229_17), 2.337_229_17);
    }
}
