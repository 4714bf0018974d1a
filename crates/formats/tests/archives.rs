//! Zip archives and OpenDocument workbooks, which are archives too.

use basilocus_formats::{InputOptions, layers, open};
use std::io::Write;
use std::path::Path;
use zip::write::SimpleFileOptions;

fn archive(path: &Path, members: &[(&str, &[u8])]) {
    let mut zip = zip::ZipWriter::new(std::fs::File::create(path).unwrap());
    for (name, bytes) in members {
        // The first member of an OpenDocument file is not packed.
        let method =
            if *name == "mimetype" { zip::CompressionMethod::Stored } else { zip::CompressionMethod::Deflated };
        zip.start_file(*name, SimpleFileOptions::default().compression_method(method)).unwrap();
        zip.write_all(bytes).unwrap();
    }
    zip.finish().unwrap();
}

fn rows(path: &Path, options: &InputOptions) -> Result<(Vec<Vec<String>>, Vec<String>), String> {
    let mut reader = open(path, options).map_err(|e| e.to_string())?;
    let decoder = reader.decoder();
    let mut rows = Vec::new();
    reader
        .read(&mut |block| {
            let d = decoder.decode(block).unwrap();
            rows.extend((0..d.batch.len()).map(|r| d.batch.row_texts(r)));
            true
        })
        .map_err(|e| e.to_string())?;
    Ok((rows, reader.about().notes.clone()))
}

#[test]
fn the_one_file_that_can_be_read_is() {
    let folder = tempfile::tempdir().unwrap();
    let path = folder.path().join("gates.zip");
    archive(&path, &[("readme.pdf", b"%PDF"), ("data/gates.csv", b"id,lon,lat\n1,-123.8,46.2\n")]);
    let (found, notes) = rows(&path, &InputOptions::default()).unwrap();
    assert_eq!(found, [["1", "-123.8", "46.2"]]);
    assert_eq!(notes[0], "archive, gates.csv unpacked");
    // Several: one has to be said.
    archive(&path, &[("gates.csv", b"id\n1\n"), ("other.csv", b"id\n2\n")]);
    let message = rows(&path, &InputOptions::default()).unwrap_err();
    assert!(message.contains("`layer`: gates.csv, other.csv"), "{message}");
    let other = InputOptions { layer: Some("other".into()), ..Default::default() };
    assert_eq!(rows(&path, &other).unwrap().0, [["2"]]);
    let none = InputOptions { layer: Some("third".into()), ..Default::default() };
    assert!(rows(&path, &none).unwrap_err().contains("there is no file in the archive \"third\""));
    // A page that describes the data is not in its way.
    archive(&path, &[("about.html", b"<html><table><tr><td>a<td>b<tr><td>1<td>2</table>"), ("gates.csv", b"id\n1\n")]);
    assert_eq!(rows(&path, &InputOptions::default()).unwrap().0, [["1"]]);
    archive(&path, &[("picture.png", b"\x89PNG")]);
    assert!(rows(&path, &InputOptions::default()).unwrap_err().contains("without a file that is read"));
    assert_eq!(layers(&path).unwrap(), Vec::<String>::new());
}

#[test]
fn a_shapefile_brings_what_belongs_to_it() {
    // A header without a shape, and one null shape.
    let mut shp = vec![0, 0, 0x27, 0x0A];
    shp.resize(24, 0);
    shp.extend(56u32.to_be_bytes());
    shp.extend(1000u32.to_le_bytes());
    shp.extend(5u32.to_le_bytes());
    shp.resize(100, 0);
    shp.extend([0, 0, 0, 1, 0, 0, 0, 2, 0, 0, 0, 0]);
    let folder = tempfile::tempdir().unwrap();
    let path = folder.path().join("areas.zip");
    archive(
        &path,
        &[("a/areas.shp", &shp), ("a/areas.prj", b"PROJCS[\"x\"]"), ("a/areas.shp.xml", b"<x/>"), ("b.csv.bak", b"")],
    );
    let (found, notes) = rows(&path, &InputOptions::default()).unwrap();
    assert_eq!(found, [[""]]);
    assert_eq!(notes[0], "archive, areas.shp, areas.prj unpacked");
    assert!(notes[1].contains(".dbf"), "{notes:?}");
}

#[test]
fn files_of_one_name_in_several_folders_are_told_apart() {
    let folder = tempfile::tempdir().unwrap();
    let path = folder.path().join("years.zip");
    let layer = |name: &str| InputOptions { layer: Some(name.into()), ..Default::default() };
    archive(&path, &[("2019/a.csv", b"id\n19\n"), ("2020/a.csv", b"id\n20\n"), ("2020/b.csv", b"id\n21\n")]);
    let message = rows(&path, &InputOptions::default()).unwrap_err();
    assert!(message.contains("`layer`: 2019/a.csv, 2020/a.csv, b.csv"), "{message}");
    assert_eq!(rows(&path, &layer("2019/a.csv")).unwrap().0, [["19"]]);
    assert_eq!(rows(&path, &layer("2020/A")).unwrap().0, [["20"]]);
    assert_eq!(rows(&path, &layer("b")).unwrap().0, [["21"]]);
    let message = rows(&path, &layer("a")).unwrap_err();
    assert!(message.contains("`layer`: 2019/a.csv, 2020/a.csv"), "which of both is not guessed: {message}");
    // The table of another folder is no part of a shapefile.
    let mut shp = vec![0, 0, 0x27, 0x0A];
    shp.resize(24, 0);
    shp.extend(50u32.to_be_bytes());
    shp.extend(1000u32.to_le_bytes());
    shp.extend(1u32.to_le_bytes());
    shp.resize(100, 0);
    let dbf = [3u8; 64];
    archive(&path, &[("new/a.shp", &shp), ("old/a.dbf", &dbf)]);
    let message = rows(&path, &InputOptions::default()).unwrap_err();
    assert!(message.contains("new/a.shp, old/a.dbf"), "{message}");
}

#[test]
fn bombs_and_ways_out_do_no_harm() {
    let folder = tempfile::tempdir().unwrap();
    let path = folder.path().join("bomb.zip");
    archive(&path, &[("gates.csv", &vec![b'0'; 70 << 20])]);
    let message = rows(&path, &InputOptions::default()).unwrap_err();
    assert!(message.contains("bomb.zip") && message.contains("unpacks to more than"), "{message}");
    // A name that leads out of the folder is taken by its last part.
    archive(&path, &[("../../../../tmp/basilocus-way-out.csv", b"id\n1\n")]);
    assert_eq!(rows(&path, &InputOptions::default()).unwrap().0, [["1"]]);
    assert!(!Path::new("/tmp/basilocus-way-out.csv").exists());
    // Cut anywhere.
    archive(&path, &[("gates.csv", b"id,lon,lat\n1,-123.8,46.2\n")]);
    let whole = std::fs::read(&path).unwrap();
    for cut in (4..whole.len()).step_by(7) {
        std::fs::write(&path, &whole[..cut]).unwrap();
        assert!(rows(&path, &InputOptions::default()).is_err(), "{cut}");
    }
}

/// Built by hand from ISO/IEC 26300: a title, a header, a code, a date, a number, a repeated cell.
#[test]
fn open_document_workbooks() {
    let content = r#"<?xml version="1.0" encoding="UTF-8"?>
<office:document-content xmlns:office="urn:oasis:names:tc:opendocument:xmlns:office:1.0" xmlns:table="urn:oasis:names:tc:opendocument:xmlns:table:1.0" xmlns:text="urn:oasis:names:tc:opendocument:xmlns:text:1.0" office:version="1.2"><office:body><office:spreadsheet>
<table:table table:name="Empty"><table:table-row><table:table-cell/></table:table-row></table:table>
<table:table table:name="Gates">
<table:table-row><table:table-cell office:value-type="string"><text:p>Tide gates</text:p></table:table-cell></table:table-row>
<table:table-row><table:table-cell office:value-type="string"><text:p>code</text:p></table:table-cell><table:table-cell office:value-type="string"><text:p>seen</text:p></table:table-cell><table:table-cell office:value-type="string"><text:p>lon</text:p></table:table-cell><table:table-cell office:value-type="string"><text:p>lat</text:p></table:table-cell></table:table-row>
<table:table-row><table:table-cell office:value-type="string"><text:p>01234</text:p></table:table-cell><table:table-cell office:value-type="date" office:date-value="2026-11-25"><text:p>25.11.26</text:p></table:table-cell><table:table-cell office:value-type="float" office:value="-123.8"><text:p>-123,80</text:p></table:table-cell><table:table-cell office:value-type="float" office:value="46.2"><text:p>46,20</text:p></table:table-cell></table:table-row>
<table:table-row><table:table-cell table:number-columns-repeated="2" office:value-type="string"><text:p>x</text:p></table:table-cell><table:table-cell office:value-type="float" office:value="-123.7"><text:p>-123,7</text:p></table:table-cell><table:table-cell office:value-type="float" office:value="46.1"><text:p>46,1</text:p></table:table-cell></table:table-row>
</table:table></office:spreadsheet></office:body></office:document-content>"#;
    let manifest = r#"<?xml version="1.0" encoding="UTF-8"?><manifest:manifest xmlns:manifest="urn:oasis:names:tc:opendocument:xmlns:manifest:1.0"><manifest:file-entry manifest:full-path="/" manifest:media-type="application/vnd.oasis.opendocument.spreadsheet"/></manifest:manifest>"#;
    let folder = tempfile::tempdir().unwrap();
    let path = folder.path().join("gates.ods");
    archive(
        &path,
        &[
            ("mimetype", b"application/vnd.oasis.opendocument.spreadsheet"),
            ("content.xml", content.as_bytes()),
            ("META-INF/manifest.xml", manifest.as_bytes()),
        ],
    );
    assert_eq!(layers(&path).unwrap(), ["Empty", "Gates"]);
    let (found, notes) = rows(&path, &InputOptions::default()).unwrap();
    assert_eq!(found, [["01234", "2026-11-25", "-123.8", "46.2"], ["x", "x", "-123.7", "46.1"]]);
    assert!(notes.iter().any(|n| n.contains("header found in row 2")), "{notes:?}");
}
