//! Shapefiles and DBF tables: what is written is read by a package that is not ours, files built byte by byte are read,
//! and whatever is missing or broken is said, never a panic.

use arrow_array::{ArrayRef, BinaryArray, BooleanArray, Float64Array, Int64Array, StringArray};
use arrow_schema::{DataType, Field, Schema};
use basilocus_formats::{ColumnStyle, CrsText, InputOptions, LayerOut, RunAbout, SetAsideTable, create, open};
use basilocus_table::geometry::{geometry_field, wkb, wkt};
use basilocus_table::{Batch, SetAsideRow};
use proptest::prelude::*;
use std::path::Path;
use std::sync::Arc;

fn layer(shapes: &[Option<&str>]) -> (LayerOut, Batch) {
    let n = shapes.len();
    let fields = vec![
        Field::new("district name", DataType::Utf8, true),
        Field::new("gates", DataType::Int64, true),
        Field::new("width", DataType::Float64, true),
        Field::new("open", DataType::Boolean, true),
        geometry_field(Some("EPSG:2269")),
    ];
    let schema = Arc::new(Schema::new(fields));
    let names = ["Mühle Slough", "", "01234"];
    let columns: Vec<ArrayRef> = vec![
        Arc::new((0..n).map(|i| Some(names[i % 3]).filter(|t| !t.is_empty())).collect::<StringArray>()),
        Arc::new((0..n).map(|i| (i % 2 == 0).then_some(i as i64 * 1000)).collect::<Int64Array>()),
        Arc::new((0..n).map(|i| (i % 3 != 1).then_some(i as f64 + 0.25)).collect::<Float64Array>()),
        Arc::new((0..n).map(|i| [Some(true), Some(false), None][i % 3]).collect::<BooleanArray>()),
        Arc::new(shapes.iter().map(|s| s.map(|s| wkb::write(&wkt::read(s).unwrap()))).collect::<BinaryArray>()),
    ];
    let layer = LayerOut {
        name: "districts".into(),
        schema: schema.clone(),
        styles: vec![ColumnStyle { digits: None, longest: None }; 5],
        crs: Some(CrsText {
            code: Some(2269),
            name: "x".into(),
            wkt: "PROJCS[\"x\"]".into(),
            wkt2: None,
            geographic: false,
            north_first: Some(false),
        }),
        show: Default::default(),
    };
    let batch = Batch::new(schema, columns, (2..2 + n as u64).collect()).unwrap();
    (layer, batch)
}

fn write(path: &Path, shapes: &[Option<&str>]) -> Result<Vec<String>, basilocus_formats::FormatError> {
    let (layer, batch) = layer(shapes);
    write_layer(path, &layer, &batch)
}

fn write_layer(path: &Path, layer: &LayerOut, batch: &Batch) -> Result<Vec<String>, basilocus_formats::FormatError> {
    let mut writer = create(path, true)?;
    let encoder = writer.start_layer(layer)?;
    writer.write(encoder.encode(batch))?;
    writer.end_layer()?;
    let about = RunAbout { date: "2026-11-25".into(), ..Default::default() };
    let (pending, told) = writer.finish(&about, &SetAsideTable::default())?;
    pending.publish()?;
    Ok(told)
}

#[allow(clippy::type_complexity)]
fn read(path: &Path) -> Result<(Vec<String>, Vec<Vec<String>>, Vec<SetAsideRow>, Vec<String>), String> {
    let mut reader = open(path, &InputOptions::default()).map_err(|e| e.to_string())?;
    let notes = reader.about().notes.clone();
    let names = reader.schema().fields().iter().map(|f| format!("{}: {}", f.name(), f.data_type())).collect();
    let decoder = reader.decoder();
    let (mut rows, mut aside) = (Vec::new(), Vec::new());
    reader
        .read(&mut |block| {
            let d = decoder.decode(block).unwrap();
            rows.extend((0..d.batch.len()).map(|r| d.batch.row_texts(r)));
            aside.extend(d.set_aside);
            true
        })
        .map_err(|e| e.to_string())?;
    Ok((names, rows, aside, notes))
}

const AREAS: [Option<&str>; 3] = [
    Some("POLYGON ((0 0, 4 0, 4 4, 0 4, 0 0), (1 1, 1 2, 2 2, 1 1))"),
    None,
    Some("MULTIPOLYGON (((0 0, 1 0, 1 1, 0 0)), ((5 5, 6 5, 6 6, 5 5)))"),
];

#[test]
fn a_layer_comes_back_with_all_of_its_files() {
    let folder = tempfile::tempdir().unwrap();
    let path = folder.path().join("areas.shp");
    let told = write(&path, &AREAS).unwrap();
    assert_eq!(
        told,
        ["columns have names of at most 10 letters, figures and underscores: \"district name\" is district_n"]
    );
    let mut files: Vec<String> =
        std::fs::read_dir(folder.path()).unwrap().map(|e| e.unwrap().file_name().to_string_lossy().into()).collect();
    files.sort();
    assert_eq!(files, ["areas.cpg", "areas.dbf", "areas.prj", "areas.shp", "areas.shx"]);
    let (names, rows, aside, notes) = read(&path).unwrap();
    assert_eq!(names, ["district_n: Utf8", "gates: Int64", "width: Float64", "open: Boolean", "geometry: Binary"]);
    assert!(aside.is_empty() && notes.is_empty(), "{aside:?} {notes:?}");
    assert_eq!(rows[0], ["Mühle Slough", "0", "0.25", "true", AREAS[0].unwrap()]);
    assert_eq!(rows[1], ["", "", "", "false", ""]);
    assert_eq!(rows[2], ["01234", "2000", "2.25", "", AREAS[2].unwrap()]);
}

/// The attributes by a general package, the shapes by the description's own words: lengths in 16-bit words, big-endian.
#[test]
fn other_programs_read_what_is_written() {
    let folder = tempfile::tempdir().unwrap();
    let path = folder.path().join("areas.shp");
    write(&path, &AREAS).unwrap();
    let mut table = dbase::Reader::from_path(path.with_extension("dbf")).unwrap();
    let records = table.read().unwrap();
    assert_eq!(records.len(), 3);
    assert_eq!(records[0].get("district_n"), Some(&dbase::FieldValue::Character(Some("Mühle Slough".into()))));
    assert_eq!(records[2].get("gates"), Some(&dbase::FieldValue::Numeric(Some(2000.0))));
    assert_eq!(records[1].get("width"), Some(&dbase::FieldValue::Numeric(None)));
    assert_eq!(records[0].get("open"), Some(&dbase::FieldValue::Logical(Some(true))));
    let (shp, shx) = (std::fs::read(&path).unwrap(), std::fs::read(path.with_extension("shx")).unwrap());
    let big = |b: &[u8], i: usize| u32::from_be_bytes(b[i..i + 4].try_into().unwrap());
    let little = |b: &[u8], i: usize| u32::from_le_bytes(b[i..i + 4].try_into().unwrap());
    assert_eq!((big(&shp, 24) as usize * 2, big(&shx, 24) as usize * 2), (shp.len(), shx.len()));
    assert_eq!((little(&shp, 28), little(&shp, 32)), (1000, 5));
    assert_eq!(shx.len(), 100 + 8 * 3);
    for i in 0..3 {
        let at = big(&shx, 100 + 8 * i) as usize * 2;
        assert_eq!(big(&shp, at), i as u32 + 1, "the record that the index leads to");
        assert_eq!(big(&shp, at + 4), big(&shx, 104 + 8 * i));
        assert_eq!(little(&shp, at + 8), [5, 0, 5][i]);
    }
    let double = |i: usize| f64::from_le_bytes(shp[i..i + 8].try_into().unwrap());
    assert_eq!([double(36), double(44), double(52), double(60)], [0.0, 0.0, 6.0, 6.0]);
}

#[test]
fn one_kind_of_geometry_or_a_word_about_it() {
    let folder = tempfile::tempdir().unwrap();
    let path = folder.path().join("mixed.shp");
    let message = write(&path, &[AREAS[0], Some("POINT (1 2)")]).unwrap_err().to_string();
    assert!(message.contains("row 3 holds points, and the rows before it polygons"), "{message}");
    let message = write(&path, &[Some("GEOMETRYCOLLECTION (POINT (1 2))")]).unwrap_err().to_string();
    assert!(message.contains("row 2 is a collection"), "{message}");
    assert_eq!(std::fs::read_dir(folder.path()).unwrap().count(), 0, "nothing is left behind");
}

#[test]
fn missing_files_do_not_keep_from_reading() {
    let folder = tempfile::tempdir().unwrap();
    let path = folder.path().join("areas.shp");
    write(&path, &AREAS).unwrap();
    for ending in ["shx", "dbf", "prj", "cpg"] {
        std::fs::remove_file(path.with_extension(ending)).unwrap();
    }
    let (names, rows, _, notes) = read(&path).unwrap();
    assert_eq!(names, ["geometry: Binary"]);
    assert_eq!(rows.len(), 3);
    assert!(notes[0].contains(".dbf") && notes[1].contains(".prj"), "{notes:?}");
}

#[test]
fn an_old_index_does_not_outlive_its_shapes() {
    let folder = tempfile::tempdir().unwrap();
    let path = folder.path().join("areas.shp");
    write(&path, &AREAS).unwrap();
    std::fs::write(path.with_extension("qix"), "an index of the old shapes").unwrap();
    write(&path, &AREAS[..1]).unwrap();
    assert!(!path.with_extension("qix").exists());
    // A system of earlier shapes would be a wrong one that looks right.
    let (unknown, batch) = layer(&AREAS);
    let told = write_layer(&path, &LayerOut { crs: None, ..unknown }, &batch).unwrap();
    assert!(!path.with_extension("prj").exists() && told.iter().any(|t| t.contains("no .prj")), "{told:?}");
    // A table of somebody else's that has the name is found before anything is read.
    std::fs::remove_file(&path).unwrap();
    let message = match create(&path, false) {
        Err(e) => e.to_string(),
        Ok(_) => panic!("an existing file is not replaced"),
    };
    assert!(message.contains("areas.shx") && message.contains("`overwrite`"), "{message}");
}

/// Built by hand from the description of dBase III: two columns, four rows, one of them marked as deleted, in code page
/// 437, with a number that is a code.
fn old_table(language: u8, name: &[u8]) -> Vec<u8> {
    let mut out = vec![0x03, 126, 11, 25];
    out.extend(4u32.to_le_bytes());
    out.extend((32u16 + 3 * 32 + 1).to_le_bytes());
    out.extend((1u16 + 12 + 5 + 8).to_le_bytes());
    out.extend([0; 17]);
    out.push(language);
    out.extend([0; 2]);
    for (title, kind, width) in [("NAME", b'C', 12u8), ("CODE", b'N', 5), ("SEEN", b'D', 8)] {
        let mut field = [0u8; 32];
        field[..4].copy_from_slice(title.as_bytes());
        (field[11], field[16]) = (kind, width);
        out.extend(field);
    }
    out.push(0x0D);
    for (mark, code, day) in [
        (b' ', "01234", "20261125"),
        (b'*', "99999", "00000000"),
        (b' ', "   12", "        "),
        (b' ', "*****", "2026xx25"),
    ] {
        out.push(mark);
        let mut padded = name.to_vec();
        padded.resize(12, b' ');
        out.extend(padded);
        out.extend(code.as_bytes());
        out.extend(day.as_bytes());
    }
    out.push(0x1A);
    out
}

#[test]
fn a_table_of_the_eighties() {
    let folder = tempfile::tempdir().unwrap();
    let path = folder.path().join("OLD.DBF");
    std::fs::write(&path, old_table(0x01, b"M\x81hle")).unwrap();
    let (names, rows, aside, notes) = read(&path).unwrap();
    assert_eq!(names, ["NAME: Utf8", "CODE: Utf8", "SEEN: Utf8"], "a code with a leading zero keeps the column text");
    assert_eq!(rows[0], ["Mühle", "01234", "2026-11-25"]);
    assert_eq!(rows[1], ["Mühle", "12", ""]);
    assert_eq!(rows[2], ["Mühle", "", "2026xx25"]);
    assert_eq!((aside.len(), aside[0].source_row, aside[0].class.as_str()), (1, 2, "marked as deleted"));
    assert_eq!(notes, ["text is in code page 437"]);
    // Without a language, and no UTF-8.
    std::fs::write(&path, old_table(0, b"M\xFChle")).unwrap();
    let (_, rows, _, notes) = read(&path).unwrap();
    assert_eq!(rows[0][0], "Mühle");
    assert!(notes[0].contains("windows-1252"), "{notes:?}");
    // Cut within its rows.
    let whole = old_table(0, b"Mill");
    std::fs::write(&path, &whole[..whole.len() - 30]).unwrap();
    let (_, rows, aside, notes) = read(&path).unwrap();
    assert_eq!((rows.len(), aside.len()), (1, 1));
    assert!(notes[0].contains("the file ends after 2"), "{notes:?}");
}

proptest! {
    #![proptest_config(ProptestConfig::with_cases(200))]

    /// Any damage is an error or rows set aside, in bounded time, and never a panic.
    #[test]
    fn damaged_files_do_no_harm(cut in 0usize..2000, flips in prop::collection::vec((0usize..2000, any::<u8>()), 0..8), dbf in any::<bool>()) {
        let folder = tempfile::tempdir().unwrap();
        let path = folder.path().join("areas.shp");
        write(&path, &AREAS).unwrap();
        let file = if dbf { path.with_extension("dbf") } else { path.clone() };
        let mut bytes = std::fs::read(&file).unwrap();
        for (at, bits) in flips {
            let n = bytes.len();
            bytes[at % n] ^= bits;
        }
        bytes.truncate(bytes.len().min(cut.max(1)));
        std::fs::write(&file, bytes).unwrap();
        let _ = read(&path);
        let _ = read(&path.with_extension("dbf"));
    }
}
