//! Which format a file is in: by its content first, its ending second.

use crate::{FormatError, dbf, dxf, fixed, shapefile, xml, xyz};
use std::io::Read;
use std::path::Path;

/// The formats.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum Format {
    /// Comma-, tab-, semicolon-, bar- or space-separated text.
    Delimited,
    /// Text in fixed columns; read only.
    Fixed,
    /// Lines of numbers parted by anything; read only.
    Xyz,
    /// Office Open XML workbook.
    Xlsx,
    /// OpenDocument workbook; read only.
    Ods,
    /// GeoJSON, RFC 7946.
    GeoJson,
    /// OGC GeoPackage.
    GeoPackage,
    /// Shapes with an index and a table.
    Shapefile,
    /// A DBF table.
    Dbf,
    /// GeoParquet, or Parquet without geometry.
    Parquet,
    /// OGC KML.
    Kml,
    /// GML simple features.
    Gml,
    /// A DXF drawing.
    Dxf,
    /// GPS exchange format.
    Gpx,
    /// XML that repeats an element; read only.
    Feed,
}

impl Format {
    /// The name for reports.
    pub fn name(self) -> &'static str {
        match self {
            Format::Delimited => "delimited text",
            Format::Fixed => "text in fixed columns",
            Format::Xyz => "XYZ text",
            Format::Xlsx => "XLSX workbook",
            Format::Ods => "OpenDocument workbook",
            Format::GeoJson => "GeoJSON",
            Format::GeoPackage => "GeoPackage",
            Format::Shapefile => "shapefile",
            Format::Dbf => "DBF table",
            Format::Parquet => "Parquet",
            Format::Kml => "KML",
            Format::Gml => "GML",
            Format::Dxf => "DXF drawing",
            Format::Gpx => "GPX",
            Format::Feed => "XML",
        }
    }

    /// Whether a layer's geometry has a place in it.
    pub fn holds_geometry(self) -> bool {
        match self {
            Format::GeoJson
            | Format::GeoPackage
            | Format::Shapefile
            | Format::Kml
            | Format::Gml
            | Format::Dxf
            | Format::Parquet
            | Format::Gpx => true,
            Format::Delimited
            | Format::Fixed
            | Format::Xyz
            | Format::Xlsx
            | Format::Ods
            | Format::Dbf
            | Format::Feed => false,
        }
    }

    /// Whether it is nothing without geometry.
    pub fn needs_geometry(self) -> bool {
        matches!(self, Format::GeoJson | Format::Shapefile | Format::Kml | Format::Gpx | Format::Dxf)
    }

    /// Whether positions in it are WGS 84 by its standard, longitude first.
    pub fn is_always_wgs84(self) -> bool {
        matches!(self, Format::GeoJson | Format::Kml | Format::Gpx)
    }

    /// The format that the ending of an output says.
    pub fn of_ending(path: &Path) -> Option<Self> {
        // Standard output takes text with tabs, for pasting.
        if crate::is_standard(path) {
            return Some(Format::Delimited);
        }
        let ending = path.extension()?.to_str()?.to_ascii_lowercase();
        Format::WRITTEN.iter().copied().find(|f| f.endings().contains(&ending.as_str()))
    }

    /// The formats that are written.
    pub const WRITTEN: &[Format] = &[
        Format::Delimited,
        Format::Xlsx,
        Format::GeoJson,
        Format::GeoPackage,
        Format::Shapefile,
        Format::Dbf,
        Format::Parquet,
        Format::Kml,
        Format::Gml,
        Format::Dxf,
        Format::Gpx,
    ];

    /// The endings of its files, the usual one first; none for formats that are known by their content alone.
    pub fn endings(self) -> &'static [&'static str] {
        match self {
            Format::Delimited => &["csv", "tsv", "tab", "txt"],
            Format::Xlsx => &["xlsx"],
            Format::Ods => &["ods"],
            Format::GeoJson => &["geojson", "json", "geojsonl", "ndjson"],
            Format::GeoPackage => &["gpkg"],
            Format::Shapefile => &["shp"],
            Format::Dbf => &["dbf"],
            Format::Parquet => &["parquet", "geoparquet"],
            Format::Kml => &["kml", "kmz"],
            Format::Gml => &["gml"],
            Format::Dxf => &["dxf"],
            Format::Gpx => &["gpx"],
            Format::Xyz => &["xyz"],
            Format::Feed => &["xml"],
            Format::Fixed => &[],
        }
    }
}

/// Whether the outermost element is of GML, or of the feature services that send it.
fn in_gml(root: Option<&xml::Element>) -> bool {
    root.is_some_and(|r| {
        ["http://www.opengis.net/gml", "http://www.opengis.net/wfs"].iter().any(|s| r.space.starts_with(s))
    })
}

/// What is read, in words.
const READ: &str = "text (delimited, in fixed columns, XYZ), XLSX, ODS, DBF, shapefiles, GeoJSON, GeoPackage, KML, GML, GPX, DXF, Parquet and XML feeds";

/// Finds the format of an existing file.
///
/// # Errors
/// [`FormatError`] for a missing or empty file, a folder, and content that is none of the formats.
pub fn detect(path: &Path) -> Result<Format, FormatError> {
    let metadata = std::fs::metadata(path).map_err(|e| FormatError::read(path, e))?;
    if metadata.is_dir() {
        return Err(FormatError::IsFolder { path: path.to_path_buf() });
    }
    let mut head = Vec::new();
    std::fs::File::open(path)
        .and_then(|f| f.take(64 * 1024).read_to_end(&mut head))
        .map_err(|e| FormatError::read(path, e))?;
    if head.is_empty() {
        return Err(FormatError::Empty {
            path: path.to_path_buf(),
            what: "the file is empty; a table with a header is expected",
        });
    }
    let not =
        |problem: &str| Err(FormatError::NotRecognised { path: path.to_path_buf(), problem: problem.to_string() });
    if head.starts_with(b"SQLite format 3\0") {
        return Ok(Format::GeoPackage);
    }
    if head.starts_with(&shapefile::MAGIC) {
        return Ok(Format::Shapefile);
    }
    if dbf::is_dbf(&head) {
        return Ok(Format::Dbf);
    }
    // The first member of an OpenDocument file says what it is, unpacked.
    if head.get(30..).is_some_and(|h| h.starts_with(b"mimetypeapplication/vnd.oasis.opendocument.spreadsheet")) {
        return Ok(Format::Ods);
    }
    if head.starts_with(b"PK\x03\x04") {
        return Ok(Format::Xlsx);
    }
    if head.starts_with(b"\xD0\xCF\x11\xE0\xA1\xB1\x1A\xE1") {
        // A compound file: a workbook under a password keeps its content in a stream of this name (UTF-16).
        let name: Vec<u8> = "EncryptedPackage".encode_utf16().flat_map(u16::to_le_bytes).collect();
        let whole = std::fs::read(path).map_err(|e| FormatError::read(path, e))?;
        if whole.windows(name.len()).any(|w| w == name) {
            return Err(FormatError::Password { path: path.to_path_buf() });
        }
        return not("is a workbook of the old binary form, which is not read; save it as .xlsx");
    }
    for (magic, what) in [
        (&b"%PDF"[..], "a PDF document"),
        (b"\x89PNG", "a picture"),
        (b"\xFF\xD8\xFF", "a picture"),
        (b"\x7FELF", "a program"),
    ] {
        if head.starts_with(magic) {
            return not(&format!("is {what}, not a table; {READ} are read"));
        }
    }
    if head.starts_with(b"PAR1") {
        return Ok(Format::Parquet);
    }
    if dxf::is_dxf(&head) {
        return Ok(Format::Dxf);
    }
    let utf16 = head.starts_with(b"\xFF\xFE") || head.starts_with(b"\xFE\xFF");
    if !utf16 && head.contains(&0) {
        return not(&format!("holds binary data, not text; {READ} are read"));
    }
    let controls =
        head.iter().filter(|b| **b < 32 && !matches!(**b, b'\t' | b'\n' | b'\r' | 0x1A | 0x0C | 0x1E)).count();
    if !utf16 && controls * 50 > head.len() {
        return not(&format!("holds binary data, not text; {READ} are read"));
    }
    let text = head.strip_prefix(b"\xEF\xBB\xBF").unwrap_or(&head);
    // A record separator stands in front of every feature of a sequence (RFC 8142).
    let text = text.strip_prefix(b"\x1E").unwrap_or(text);
    let first = text.iter().find(|b| !b.is_ascii_whitespace());
    if first == Some(&b'{')
        && (text.windows(6).any(|w| w == b"\"type\"") || Format::of_ending(path) == Some(Format::GeoJson))
    {
        return Ok(Format::GeoJson);
    }
    // UTF-16 with its mark begins with the sign too, a zero beside it.
    if first == Some(&b'<') || utf16 && head.get(2..4).is_some_and(|h| h.contains(&b'<')) {
        let root = xml::root(path);
        return match root.as_ref().map(|r| r.name.as_str()) {
            Some("kml") => Ok(Format::Kml),
            Some("gpx") => Ok(Format::Gpx),
            Some(name) if name.eq_ignore_ascii_case("html") => {
                not("is a web page, not data; save the table or feed that it shows")
            }
            Some("ExceptionReport" | "ServiceExceptionReport" | "ServiceException") => {
                not("is what a service answers when it refuses; read it, and ask the service again")
            }
            Some(name) if matches!(name, "FeatureCollection" | "SpatialDataset") || in_gml(root.as_ref()) => {
                Ok(Format::Gml)
            }
            Some(_) => Ok(Format::Feed),
            None => not("begins as XML does and is none; get the file again"),
        };
    }
    if first.is_none() && !utf16 {
        return Err(FormatError::Empty {
            path: path.to_path_buf(),
            what: "the file holds nothing but blanks; a table with a header is expected",
        });
    }
    if !utf16 {
        let text = String::from_utf8_lossy(text);
        // The last line of the sample may be cut.
        let whole =
            if metadata.len() > head.len() as u64 { text.rfind('\n').map_or(&text[..], |i| &text[..i]) } else { &text };
        let named = path.extension().is_some_and(|e| e.eq_ignore_ascii_case("xyz"));
        if xyz::is_xyz(whole, named) {
            return Ok(Format::Xyz);
        }
        if fixed::find_ruler(whole).is_some() {
            return Ok(Format::Fixed);
        }
    }
    Ok(Format::Delimited)
}
