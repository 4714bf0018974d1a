//! Grids of heights: what is written comes back, what others write is understood, and damaged files are told.

use basilocus_formats::geotiff::GeoKeys;
use basilocus_formats::raster::{
    RasterCrs, RasterFormat, RasterOut, RasterPlace, RasterReader, RasterValues, create_raster, open_raster,
};
use basilocus_formats::{CrsText, FormatError};
use basilocus_tools::damage::{self, Numbers};
use std::io::{Cursor, Write};
use std::path::{Path, PathBuf};
use tiff::encoder::{Compression, Predictor, TiffEncoder, colortype};
use tiff::tags::Tag;

const PLACE: RasterPlace =
    RasterPlace { west: 438_000.5, north: 5_116_999.5, step_x: 1.0, step_y: 1.0, columns: 700, rows: 300 };

fn utm() -> CrsText {
    CrsText {
        code: Some(32610),
        name: "WGS 84 / UTM zone 10N".into(),
        wkt: "PROJCS[\"…\"]".into(),
        wkt2: None,
        geographic: false,
        north_first: Some(false),
    }
}

fn height(column: usize, row: usize) -> f64 {
    // Every thirteenth is not known; the others have no more digits than 32 bits hold.
    if (column + row) % 13 == 5 { f64::NAN } else { ((column * 7 + row * 3) % 4096) as f64 / 8.0 - 20.0 }
}

fn write(path: &Path, place: RasterPlace, crs: Option<CrsText>, of: impl Fn(usize, usize) -> f64) -> Vec<String> {
    let out = RasterOut { place, crs, keys: None, vertical: Some(5703), values: RasterValues::Numbers };
    let mut writer = create_raster(path, out, false).unwrap();
    for row in 0..place.rows {
        let values: Vec<f64> = (0..place.columns).map(|column| of(column, row)).collect();
        writer.row(&values).unwrap();
    }
    let (pending, notices) = writer.finish().unwrap();
    pending.publish().unwrap();
    notices
}

/// All heights, from the first row of the file on.
fn all(reader: &mut dyn RasterReader) -> Vec<f64> {
    let (place, (width, height)) = (reader.about().place, reader.about().chunk);
    let mut heights = vec![f64::INFINITY; place.columns * place.rows];
    for down in 0..place.rows.div_ceil(height) {
        for across in 0..place.columns.div_ceil(width) {
            let columns = width.min(place.columns - across * width);
            let values = reader.chunk(across, down).unwrap();
            for (i, row) in values.chunks_exact(columns).enumerate() {
                let from = (down * height + i) * place.columns + across * width;
                heights[from..from + columns].copy_from_slice(row);
            }
        }
    }
    heights
}

fn same(a: &[f64], b: &[f64]) -> bool {
    a.len() == b.len() && a.iter().zip(b).all(|(a, b)| a == b || a.is_nan() && b.is_nan())
}

struct Folder(tempfile::TempDir);

impl Folder {
    fn new() -> Self {
        Folder(tempfile::tempdir().unwrap())
    }

    fn at(&self, name: &str) -> PathBuf {
        self.0.path().join(name)
    }

    fn file(&self, name: &str, bytes: impl AsRef<[u8]>) -> PathBuf {
        std::fs::write(self.at(name), bytes).unwrap();
        self.at(name)
    }
}

#[test]
fn what_is_written_comes_back() {
    let folder = Folder::new();
    let expected: Vec<f64> = (0..PLACE.columns * PLACE.rows).map(|i| height(i % 700, i / 700)).collect();
    for name in ["a.tif", "a.asc"] {
        let path = folder.at(name);
        write(&path, PLACE, Some(utm()), height);
        let mut reader = open_raster(&path).unwrap();
        let about = reader.about().clone();
        assert_eq!((about.place, about.from_south), (PLACE, false), "{name}");
        match about.crs {
            RasterCrs::Keys(keys) => {
                assert_eq!((keys.projected, keys.vertical, keys.model), (Some(32610), Some(5703), Some(1)));
                assert_eq!(keys.names, ["WGS 84 / UTM zone 10N"]);
            }
            RasterCrs::Text(text) => assert_eq!(text, "PROJCS[\"…\"]"),
            RasterCrs::Unsaid | _ => panic!("{name} has no system"),
        }
        assert!(same(&all(reader.as_mut()), &expected), "{name}");
    }
}

#[test]
fn rows_come_in_any_order() {
    let folder = Folder::new();
    for name in ["a.tif", "a.asc"] {
        write(&folder.at(name), PLACE, None, height);
        let mut reader = open_raster(&folder.at(name)).unwrap();
        let last = PLACE.rows.div_ceil(reader.about().chunk.1) - 1;
        for down in [last, 0, last / 2, last, 0] {
            let values = reader.chunk(0, down).unwrap();
            let row = down * reader.about().chunk.1;
            assert!(values[0] == height(0, row) || values[0].is_nan() && height(0, row).is_nan(), "{name} {down}");
        }
        assert_eq!(reader.about().crs, RasterCrs::Unsaid, "{name}");
    }
}

#[test]
fn a_system_without_a_code_stands_beside_the_file() {
    let folder = Folder::new();
    let notices = write(&folder.at("a.tif"), PLACE, Some(CrsText { code: None, ..utm() }), height);
    assert!(notices[0].contains(".prj"), "{notices:?}");
    assert_eq!(open_raster(&folder.at("a.tif")).unwrap().about().crs, RasterCrs::Text("PROJCS[\"…\"]".into()));
}

#[test]
fn the_definition_of_another_file_stays_and_is_told() {
    let folder = Folder::new();
    folder.file("a.prj", "GEOGCS[\"of a.shp\"]");
    for name in ["a.tif", "a.asc"] {
        let notices = write(&folder.at(name), PLACE, None, height);
        assert!(notices[0].contains("would be taken for its own"), "{notices:?}");
    }
    let with_system = folder.at("a.png");
    let out = RasterOut { place: PLACE, crs: Some(utm()), keys: None, vertical: None, values: RasterValues::Light };
    let refused = create_raster(&with_system, out, false).err();
    assert!(matches!(refused, Some(FormatError::OutputExists { path }) if path == folder.at("a.prj")));
    // A system in the keys needs none.
    assert!(write(&folder.at("b.tif"), PLACE, Some(utm()), height).is_empty());
}

#[test]
fn first_lines_of_an_ascii_grid_in_all_their_forms() {
    let folder = Folder::new();
    let rows = "1 2 3\n4 -9999 6\n";
    for (i, head) in [
        "ncols 3\nnrows 2\nxllcorner 100\nyllcorner 200\ncellsize 10\nNODATA_value -9999\n",
        "NCOLS        3\r\nNROWS 2\r\nXLLCENTER 105\r\nYLLCENTER 205\r\nDX 10\r\nDY 10\r\nNODATA_VALUE -9999.000\r\n",
        "\u{feff}nrows 2 ncols 3 yllcorner 200,0 xllcorner 1E2 cellsize 10,0 nodata_value -9999 ",
    ]
    .into_iter()
    .enumerate()
    {
        let path = folder.file(&format!("{i}.asc"), format!("{head}{rows}"));
        let mut reader = open_raster(&path).unwrap();
        let expected = RasterPlace { west: 105.0, north: 215.0, step_x: 10.0, step_y: 10.0, columns: 3, rows: 2 };
        assert_eq!(reader.about().place, expected, "{head}");
        assert!(same(&all(reader.as_mut()), &[1.0, 2.0, 3.0, 4.0, f64::NAN, 6.0]), "{head}");
    }
    // Rows are what the first lines say, not the lines of the text; decimal commas are read.
    let path = folder.file("wrapped.asc", "ncols 3\nnrows 2\nxllcorner 0\nyllcorner 0\ncellsize 1\n1,5 2\n3 4\n5 nan");
    let mut reader = open_raster(&path).unwrap();
    assert!(same(&all(reader.as_mut()), &[1.5, 2.0, 3.0, 4.0, 5.0, f64::NAN]));
    assert_eq!(reader.about().notes, ["says no value that stands for no height"]);
}

#[test]
fn ascii_grids_that_are_wrong_are_told() {
    let folder = Folder::new();
    let head = "ncols 2\nnrows 2\nxllcorner 0\nyllcorner 0\ncellsize 1\n";
    let message = |text: String| {
        let path = folder.file("a.asc", text);
        let mut reader = match open_raster(&path) {
            Ok(reader) => reader,
            Err(e) => return e.to_string(),
        };
        let failed = (0..2).find_map(|row| reader.chunk(0, row).err());
        failed.map_or("nothing is wrong".into(), |e| e.to_string())
    };
    for (text, expected) in [
        (format!("{head}1 2\n3"), "line 7: ends in row 2 after 1 heights; 2 rows of 2 are expected"),
        (format!("{head}1 2\n3 4\n5 6"), "line 8: more heights than 2 rows of 2"),
        (format!("{head}1 2\n3 wet"), "line 7: \"wet\" in row 2, column 2, and a height is expected"),
        (format!("{head}size 3\n1 2 3 4"), "line 6: \"size\" is not known; ncols, nrows,"),
        ("ncols 2\nnrows 2\n1 2 3 4".to_string(), "do not say cellsize"),
        (head.replace("ncols 2", "ncols 2.5") + "1 2 3 4", "ncols is 2.5; a whole number"),
        (head.replace("cellsize 1", "cellsize 0") + "1 2 3 4", "its cells are 0 by 0"),
        (head.replace("xllcorner", "xllcenter") + "1 2 3 4", "that of a corner and the other that of a middle"),
        (head.replace("nrows 2", "nrows 999999999999") + "1", "which no file holds"),
        (head.to_string(), "ends within its first lines"),
        (format!("{head}{}", "9".repeat(1000)), "a word of more than 400 signs"),
    ] {
        let found = message(text.clone());
        assert!(found.contains(expected), "{text}\n{found}");
    }
}

#[test]
fn the_number_for_no_height_is_no_height() {
    let folder = Folder::new();
    let place = RasterPlace { columns: 1, rows: 1, ..PLACE };
    let out = RasterOut { place, crs: None, keys: None, vertical: None, values: RasterValues::Numbers };
    let mut writer = create_raster(&folder.at("a.asc"), out, false).unwrap();
    let message = writer.row(&[-9999.0]).unwrap_err().to_string();
    assert!(message.contains("write a .tif"), "{message}");
}

/// A TIFF as other programs write it: strips, with place and keys.
fn tiff<C: colortype::ColorType>(
    values: &[C::Inner],
    compression: Compression,
    predictor: Predictor,
    no_data: Option<&str>,
) -> Vec<u8>
where
    [C::Inner]: tiff::encoder::TiffValue,
{
    let mut bytes = Cursor::new(Vec::new());
    let mut encoder = TiffEncoder::new(&mut bytes).unwrap().with_compression(compression).with_predictor(predictor);
    let mut image = encoder.new_image::<C>(5, 4).unwrap();
    image.rows_per_strip(3).unwrap();
    let directory = image.encoder();
    directory.write_tag(Tag::ModelPixelScaleTag, &[2.0, 4.0, 0.0][..]).unwrap();
    directory.write_tag(Tag::ModelTiepointTag, &[0.0, 0.0, 0.0, 100.0, 200.0, 0.0][..]).unwrap();
    directory.write_tag(Tag::GeoKeyDirectoryTag, &[1u16, 1, 0, 1, 3072, 0, 1, 26910][..]).unwrap();
    if let Some(no_data) = no_data {
        directory.write_tag(Tag::from_u16_exhaustive(42_113), no_data).unwrap();
    }
    image.write_data(values).unwrap();
    bytes.into_inner()
}

#[test]
fn whole_numbers_and_floats_packed_in_all_ways() {
    let folder = Folder::new();
    let mut expected: Vec<f64> = (0..20).map(f64::from).collect();
    expected[7] = f64::NAN;
    let check = |name: &str, bytes: Vec<u8>| {
        let mut reader = open_raster(&folder.file("a.tif", bytes)).unwrap();
        let place = reader.about().place;
        assert_eq!((place.west, place.north, place.step_x, place.step_y), (101.0, 198.0, 2.0, 4.0), "{name}");
        assert!(same(&all(reader.as_mut()), &expected), "{name}");
        reader.about().sample.clone()
    };
    let ways = [
        (Compression::Uncompressed, Predictor::None),
        (Compression::Lzw, Predictor::Horizontal),
        (Compression::Deflate(Default::default()), Predictor::Horizontal),
        (Compression::Packbits, Predictor::None),
    ];
    for (name, (compression, predictor)) in ["as it is", "LZW", "deflate", "packbits"].iter().zip(ways) {
        let of = |no_data: i64| move |i: i64| if i == 7 { no_data } else { i };
        let bytes: Vec<u8> = (0..20).map(of(255)).map(|v| v as u8).collect();
        assert_eq!(check(name, tiff::<colortype::Gray8>(&bytes, compression, predictor, Some("255"))), "8-bit integer");
        let short: Vec<i16> = (0..20).map(of(-32_768)).map(|v| v as i16).collect();
        let sample = check(name, tiff::<colortype::GrayI16>(&short, compression, predictor, Some("-32768")));
        assert_eq!(sample, "16-bit signed integer");
        let word: Vec<u32> = (0..20).map(of(4_000_000_000)).map(|v| v as u32).collect();
        check(name, tiff::<colortype::Gray32>(&word, compression, predictor, Some("4000000000 ")));
        let long: Vec<i64> = (0..20).map(of(-9_999)).collect();
        check(name, tiff::<colortype::GrayI64>(&long, compression, predictor, Some("-9999")));
        if predictor == Predictor::None {
            let of = |no_data: f64| move |i: i32| if i == 7 { no_data } else { f64::from(i) };
            // The number for no height with fewer digits than it has.
            let single: Vec<f32> = (0..20).map(of(f64::from(f32::MIN))).map(|v| v as f32).collect();
            check(name, tiff::<colortype::Gray32Float>(&single, compression, predictor, Some("-3.40282e+38")));
            let double: Vec<f64> = (0..20).map(of(f64::NAN)).collect();
            assert_eq!(
                check(name, tiff::<colortype::Gray64Float>(&double, compression, predictor, None)),
                "64-bit float"
            );
        }
    }
}

/// The smallest GeoTIFF, byte by byte: two heights of 8 bits, north of each other.
fn by_hand(byte_order: &[u8; 4], scale_y: f64, point: bool) -> Vec<u8> {
    let big_endian = byte_order[0] == b'M';
    let short = |v: u16| if big_endian { v.to_be_bytes() } else { v.to_le_bytes() };
    let long = |v: u32| if big_endian { v.to_be_bytes() } else { v.to_le_bytes() };
    let double = |v: f64| if big_endian { v.to_be_bytes() } else { v.to_le_bytes() };
    let mut bytes = byte_order.to_vec();
    bytes.extend(long(8));
    // Entries: tag, type, count, value or its place. Behind them: the next directory (none), sixteen doubles, keys, heights.
    let entries = 9;
    let (doubles, keys) = (8 + 2 + 12 * entries + 4, 8 + 2 + 12 * entries + 4 + 128);
    bytes.extend(short(entries as u16));
    let mut entry = |tag: u16, kind: u16, count: u32, value: [u8; 4]| {
        bytes.extend(short(tag));
        bytes.extend(short(kind));
        bytes.extend(long(count));
        bytes.extend(value);
    };
    let in_short = |v: u16| [short(v)[0], short(v)[1], 0, 0];
    entry(256, 3, 1, in_short(1));
    entry(257, 3, 1, in_short(2));
    entry(258, 3, 1, in_short(8));
    entry(259, 3, 1, in_short(1));
    entry(262, 3, 1, in_short(1));
    entry(273, 4, 1, long(keys + 16));
    entry(279, 4, 1, long(2));
    entry(34_264, 12, 16, long(doubles));
    entry(34_735, 3, 8, long(keys));
    bytes.extend(long(0));
    let mut matrix = [0.0; 16];
    (matrix[0], matrix[3], matrix[5], matrix[7], matrix[15]) = (3.0, 1000.0, scale_y, 2000.0, 1.0);
    matrix.iter().for_each(|v| bytes.extend(double(*v)));
    [1, 1, 0, 1, 1025, 0, 1, if point { 2 } else { 1 }].iter().for_each(|v| bytes.extend(short(*v)));
    bytes.extend([17, 42]);
    bytes
}

#[test]
fn files_byte_by_byte_in_either_byte_order() {
    let folder = Folder::new();
    for order in [b"II\x2a\0", b"MM\0\x2a"] {
        for (scale_y, point, west, north, from_south) in [
            (-5.0, false, 1001.5, 1997.5, false),
            (-5.0, true, 1000.0, 2000.0, false),
            // Rows from the south: the northern one is the last.
            (5.0, false, 1001.5, 2007.5, true),
            (5.0, true, 1000.0, 2005.0, true),
        ] {
            let mut reader = open_raster(&folder.file("a.tif", by_hand(order, scale_y, point))).unwrap();
            let about = reader.about().clone();
            let expected = RasterPlace { west, north, step_x: 3.0, step_y: 5.0, columns: 1, rows: 2 };
            assert_eq!((about.place, about.from_south, about.is_of_points), (expected, from_south, point));
            assert_eq!(all(reader.as_mut()), [17.0, 42.0]);
        }
    }
}

#[test]
fn a_world_file_says_the_place_of_a_tiff_that_does_not() {
    let folder = Folder::new();
    let mut bytes = Cursor::new(Vec::new());
    let mut encoder = TiffEncoder::new(&mut bytes).unwrap();
    encoder.write_image::<colortype::Gray8>(2, 1, &[1, 2]).unwrap();
    let path = folder.file("a.tif", bytes.into_inner());
    let message = open_raster(&path).err().unwrap().to_string();
    assert!(message.contains("its world file (.tfw) is missing"), "{message}");
    folder.file("a.tfw", "0.5\n0\n0\n-0.5\n10\n20\n");
    folder.file("a.prj", "GEOGCS[\"…\"]");
    let about = open_raster(&path).unwrap().about().clone();
    assert_eq!((about.place.west, about.place.north, about.place.step_y), (10.0, 20.0, 0.5));
    assert_eq!(about.crs, RasterCrs::Text("GEOGCS[\"…\"]".into()));
    folder.file("a.tfw", "0.5\n0\n0\n-0.5\n10\n");
    let message = open_raster(&path).err().unwrap().to_string();
    assert!(message.contains("a.tfw: is no world file: six numbers"), "{message}");
}

#[test]
fn grids_that_are_turned_are_refused() {
    let folder = Folder::new();
    let mut bytes = by_hand(b"II\x2a\0", -5.0, false);
    let second = 8 + 2 + 12 * 9 + 4 + 8;
    bytes[second..second + 8].copy_from_slice(&0.5f64.to_le_bytes());
    let message = open_raster(&folder.file("a.tif", bytes)).err().unwrap().to_string();
    assert!(message.contains("its rows are turned"), "{message}");
}

#[test]
fn damaged_files_are_told_and_nothing_panics() {
    let folder = Folder::new();
    let path = folder.at("whole.tif");
    write(&path, RasterPlace { columns: 40, rows: 30, ..PLACE }, Some(utm()), height);
    let text = folder.at("whole.asc");
    write(&text, RasterPlace { columns: 12, rows: 9, ..PLACE }, Some(utm()), height);
    let (mut told, mut read) = (0, 0);
    for (name, whole) in [("a.tif", std::fs::read(&path).unwrap()), ("a.asc", std::fs::read(&text).unwrap())] {
        for number in damage::numbers() {
            let path = folder.file(name, damage::damaged(&whole, &mut Numbers::new(number)));
            let begin = std::time::Instant::now();
            let read_all = || -> Result<(), FormatError> {
                let mut reader = open_raster(&path)?;
                let (place, (width, height)) = (reader.about().place, reader.about().chunk);
                for down in 0..place.rows.div_ceil(height).min(4) {
                    for across in 0..place.columns.div_ceil(width).min(4) {
                        reader.chunk(across, down)?;
                    }
                }
                Ok(())
            };
            match read_all() {
                Ok(()) => read += 1,
                Err(e) => {
                    told += 1;
                    assert!(e.to_string().contains(name), "{number}: {e}");
                }
            }
            assert!(begin.elapsed() < damage::LONGEST, "{number} takes too long");
        }
    }
    assert!(told > 100 && read > 100, "{told} told, {read} read");
}

#[test]
fn light_is_a_picture_that_lies_where_it_belongs() {
    let folder = Folder::new();
    let place = RasterPlace { columns: 3, rows: 2, step_y: 2.0, ..PLACE };
    for name in ["a.png", "a.tif"] {
        let out = RasterOut { place, crs: Some(utm()), keys: None, vertical: None, values: RasterValues::Light };
        let mut writer = create_raster(&folder.at(name), out, false).unwrap();
        writer.row(&[0.0, 0.5, 1.0]).unwrap();
        writer.row(&[f64::NAN, 1.0, 0.0]).unwrap();
        writer.finish().unwrap().0.publish().unwrap();
    }
    let picture = png::Decoder::new(std::io::BufReader::new(std::fs::File::open(folder.at("a.png")).unwrap()));
    let mut picture = picture.read_info().unwrap();
    let mut pixels = vec![0; picture.output_buffer_size().unwrap()];
    picture.next_frame(&mut pixels).unwrap();
    assert_eq!(pixels, [0, 255, 128, 255, 255, 255, 0, 0, 255, 255, 0, 255], "light and whether there is any");
    let world = std::fs::read_to_string(folder.at("a.pgw")).unwrap();
    assert_eq!(world, "1\n0\n0\n-2\n438000.5\n5116999.5\n");
    assert_eq!(std::fs::read_to_string(folder.at("a.prj")).unwrap(), "PROJCS[\"…\"]");
    let mut reader = open_raster(&folder.at("a.tif")).unwrap();
    assert!(same(&all(reader.as_mut()), &[1.0, 128.0, 255.0, f64::NAN, 255.0, 1.0]));
}

#[test]
fn a_raster_that_is_not_whole_is_not_published() {
    let folder = Folder::new();
    for name in ["a.tif", "a.asc", "a.png"] {
        let values = if name == "a.png" { RasterValues::Light } else { RasterValues::Numbers };
        let out = RasterOut { place: PLACE, crs: None, keys: None, vertical: None, values };
        let mut writer = create_raster(&folder.at(name), out, false).unwrap();
        writer.row(&[0.5; 700]).unwrap();
        let message = writer.finish().err().unwrap().to_string();
        assert!(message.contains("1 rows of 300 came") && message.contains(name), "{message}");
    }
    assert_eq!(std::fs::read_dir(folder.0.path()).unwrap().count(), 0, "nothing is left behind");
}

#[test]
fn what_is_no_raster_is_told() {
    let folder = Folder::new();
    let message = open_raster(&folder.file("a.csv", "x,y,z\n1,2,3\n")).err().unwrap().to_string();
    assert!(
        message
            .contains("is no grid of heights; a GeoTIFF (.tif), an ASCII grid (.asc) or a GTX grid (.gtx) is expected"),
        "{message}"
    );
    assert!(matches!(open_raster(&folder.at("none.tif")), Err(FormatError::NotFound { .. })));
}

#[test]
fn packed_grids_are_read_with_the_system_beside_them() {
    let folder = Folder::new();
    let expected: Vec<f64> = (0..PLACE.columns * PLACE.rows).map(|i| height(i % 700, i / 700)).collect();
    for name in ["a.tif", "a.asc"] {
        write(&folder.at(name), PLACE, Some(utm()), height);
        let bytes = std::fs::read(folder.at(name)).unwrap();
        let mut packer = flate2::write::GzEncoder::new(Vec::new(), flate2::Compression::fast());
        packer.write_all(&bytes).unwrap();
        let packed = folder.file(&format!("{name}.gz"), packer.finish().unwrap());
        assert!(RasterFormat::of_file(&packed).unwrap().is_some());
        let mut reader = open_raster(&packed).unwrap();
        assert!(same(&all(reader.as_mut()), &expected), "{name}");
        assert!(reader.about().notes[0].starts_with("gzip") && reader.about().path == packed);
    }
    let mut zip = zip::ZipWriter::new(std::fs::File::create(folder.at("both.zip")).unwrap());
    for name in ["a.asc", "a.prj"] {
        zip.start_file(name, zip::write::SimpleFileOptions::default()).unwrap();
        zip.write_all(&std::fs::read(folder.at(name)).unwrap()).unwrap();
    }
    zip.finish().unwrap();
    assert_eq!(RasterFormat::of_file(&folder.at("both.zip")).unwrap(), Some(RasterFormat::AsciiGrid));
    let reader = open_raster(&folder.at("both.zip")).unwrap();
    assert_eq!(reader.about().crs, RasterCrs::Text("PROJCS[\"…\"]".into()));
    // A table is none, packed or not.
    let mut packer = flate2::write::GzEncoder::new(Vec::new(), flate2::Compression::fast());
    packer.write_all(b"id,lon,lat\n1,-123.8,46.2\n").unwrap();
    let table = folder.file("t.csv.gz", packer.finish().unwrap());
    assert_eq!(RasterFormat::of_file(&table).unwrap(), None);
}

#[test]
fn a_system_without_a_code_is_written_by_its_parameters() {
    let folder = Folder::new();
    let keys = GeoKeys {
        model: Some(1),
        geodetic: Some(4269),
        method: Some(1),
        parameters: [(3080, -123.25), (3081, 45.5), (3082, 1000.0), (3083, -2000.0), (3092, 0.9999)].into(),
        linear_unit_size: Some(0.304_801),
        names: vec!["Estuary grid".into()],
        ..Default::default()
    };
    let crs = Some(CrsText { code: None, name: "Estuary grid".into(), ..utm() });
    let path = folder.at("own.tif");
    let out =
        RasterOut { place: PLACE, crs, keys: Some(keys.clone()), vertical: Some(5703), values: RasterValues::Numbers };
    let mut writer = create_raster(&path, out, false).unwrap();
    (0..PLACE.rows).for_each(|_| writer.row(&[1.0; 700]).unwrap());
    let (pending, notices) = writer.finish().unwrap();
    pending.publish().unwrap();
    assert!(notices.is_empty() && !folder.at("own.prj").exists(), "{notices:?}");
    let about = open_raster(&path).unwrap().about().clone();
    assert_eq!(about.crs, RasterCrs::Keys(GeoKeys { vertical: Some(5703), ..keys }));
}
