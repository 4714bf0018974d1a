//! Formats as data: one driver a format, in its folder, and one list of them. Messages, endings and help come from here.

use crate::detect::Head;
use crate::reader::{InputOptions, Reader};
use crate::writer::Writer;
use crate::{FormatError, PendingOutput};
use std::path::Path;

/// What a format is and how it is read and written.
pub struct Driver {
    /// Its handle.
    pub format: Format,
    /// The name for reports.
    pub name: &'static str,
    /// The endings of its files, the usual one first; none for formats that are known by their content alone.
    pub endings: &'static [&'static str],
    /// The endings of files that belong to a file of it, under its name.
    pub companions: &'static [&'static str],
    /// What place it has for geometry.
    pub geometry: GeometryPlace,
    /// Whether positions in it are WGS 84 by its standard, longitude first.
    pub always_wgs84: bool,
    /// Whether a row of a layer may have no geometry in it.
    pub null_geometry: bool,
    /// What it shows of how rows are to be shown.
    pub shows: &'static [Show],
    /// Options of [`InputOptions`] that mean something to it.
    pub options: &'static [InputOption],
    /// Whether the first bytes of a file are such as it has.
    pub(crate) recognises: fn(&Head) -> bool,
    /// Opens a file.
    pub(crate) open: Open,
    /// The sheets or layers of a file, where it has several.
    pub(crate) layers: Option<Layers>,
    /// Creates a file; `None` where it is only read.
    pub(crate) create: Option<Create>,
}

/// Opens a file to be read.
pub(crate) type Open = fn(&Path, &InputOptions) -> Result<Box<dyn Reader>, FormatError>;
/// Creates a file.
pub(crate) type Create = fn(PendingOutput) -> Result<Box<dyn Writer>, FormatError>;
/// Lists the sheets or layers of a file.
pub(crate) type Layers = fn(&Path) -> Result<Vec<String>, FormatError>;

/// What place a format has for geometry.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
#[non_exhaustive]
pub enum GeometryPlace {
    /// None.
    None,
    /// A layer's geometry has a place in it.
    Holds,
    /// It is nothing without geometry.
    Needs,
}

/// How rows may be shown, in formats that are looked at.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
#[non_exhaustive]
pub enum Show {
    /// Groups by the values of a column: folders, layers, sheets.
    Category,
    /// A name beside the place.
    Label,
    /// A text that opens at a click.
    Balloon,
    /// A picture at the place.
    Icon,
    /// A colour.
    Color,
    /// What heights are counted from.
    Altitude,
}

impl Show {
    /// All of them.
    pub(crate) const ALL: [Show; 6] =
        [Show::Category, Show::Label, Show::Balloon, Show::Icon, Show::Color, Show::Altitude];
}

/// Options that some formats take.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
#[non_exhaustive]
pub enum InputOption {
    /// A sheet to choose.
    Sheet,
    /// A layer or element to choose.
    Layer,
    /// A sign between fields.
    Delimiter,
    /// Columns at fixed places.
    Fixed,
    /// Rows that end early.
    ShortRows,
}

impl InputOption {
    /// What it is for, in words.
    fn words(self) -> (&'static str, &'static str) {
        match self {
            InputOption::Sheet => ("`sheet`", "workbooks"),
            InputOption::Layer => {
                ("`layer`", "GeoPackages, GML and GPX files, other XML, web pages, drawings and archives")
            }
            InputOption::Delimiter => ("`delimiter`", "delimited text"),
            InputOption::Fixed => ("`fixed`", "text without delimiters"),
            InputOption::ShortRows => ("`fill_short_rows`", "delimited text"),
        }
    }

    /// Whether it is said.
    fn is_in(self, options: &InputOptions) -> bool {
        match self {
            InputOption::Sheet => options.sheet.is_some(),
            InputOption::Layer => options.layer.is_some(),
            InputOption::Delimiter => options.delimiter.is_some(),
            InputOption::Fixed => options.fixed.is_some(),
            InputOption::ShortRows => options.fill_short_rows,
        }
    }
}

/// The functions of a driver whose format this build leaves out: each says which feature has it.
#[allow(unused_macros, reason = "a build with every format leaves none out")]
macro_rules! left_out {
    ($what:literal, $feature:literal) => {
        fn left_out<T>(path: &std::path::Path) -> Result<T, crate::FormatError> {
            Err(crate::FormatError::LeftOut { path: path.to_path_buf(), what: $what, feature: $feature })
        }

        fn open(path: &std::path::Path, _: &crate::InputOptions) -> Result<Box<dyn crate::Reader>, crate::FormatError> {
            left_out(path)
        }

        fn create(pending: crate::PendingOutput) -> Result<Box<dyn crate::Writer>, crate::FormatError> {
            left_out(pending.target())
        }
    };
}
#[allow(unused_imports, reason = "as above")]
pub(crate) use left_out;

macro_rules! formats {
    ($($(#[$doc:meta])* $format:ident = $driver:path,)+) => {
        /// The formats.
        #[derive(Debug, Clone, Copy, PartialEq, Eq)]
        #[non_exhaustive]
        pub enum Format {
            $($(#[$doc])* $format,)+
        }

        /// All drivers, in the order in which a file is tried: what has a signature first, text last.
        pub static DRIVERS: &[&Driver] = &[$(&$driver),+];
    };
}

formats! {
    /// GeoTIFF: its heights as points; read only.
    GeoTiff = crate::geotiff::POINTS,
    /// ASCII grid: its heights as points; read only.
    AsciiGrid = crate::ascii_grid::POINTS,
    /// GTX: its heights as points; read only.
    Gtx = crate::gtx::POINTS,
    /// PLY: points with what was measured at them; read only.
    Ply = crate::ply::DRIVER,
    /// OGC GeoPackage.
    GeoPackage = crate::geopackage::DRIVER,
    /// Shapes with an index and a table.
    Shapefile = crate::shapefile::DRIVER,
    /// A DBF table.
    Dbf = crate::dbf::DRIVER,
    /// OpenDocument workbook; read only.
    Ods = crate::xlsx::OPEN_DOCUMENT,
    /// Office Open XML workbook.
    Xlsx = crate::xlsx::DRIVER,
    /// GeoParquet, or Parquet without geometry.
    Parquet = crate::parquet::DRIVER,
    /// A DXF drawing.
    Dxf = crate::dxf::DRIVER,
    /// GeoJSON, RFC 7946.
    GeoJson = crate::geojson::DRIVER,
    /// OGC KML.
    Kml = crate::kml::DRIVER,
    /// GPS exchange format.
    Gpx = crate::gpx::DRIVER,
    /// GML simple features.
    Gml = crate::gml::DRIVER,
    /// A table of a saved web page; read only.
    Html = crate::html::DRIVER,
    /// XML that repeats an element; read only.
    Feed = crate::feed::DRIVER,
    /// Lines of numbers parted by anything; read only.
    Xyz = crate::xyz::DRIVER,
    /// Text in fixed columns; read only.
    Fixed = crate::fixed::DRIVER,
    /// Comma-, tab-, semicolon-, bar- or space-separated text.
    Delimited = crate::delimited::DRIVER,
}

impl Format {
    /// The driver.
    pub fn driver(self) -> &'static Driver {
        DRIVERS[self as usize]
    }

    /// The name for reports.
    pub fn name(self) -> &'static str {
        self.driver().name
    }

    /// Whether a layer's geometry has a place in it.
    pub fn holds_geometry(self) -> bool {
        self.driver().geometry != GeometryPlace::None
    }

    /// Whether it is nothing without geometry.
    pub fn needs_geometry(self) -> bool {
        self.driver().geometry == GeometryPlace::Needs
    }

    /// Whether positions in it are WGS 84 by its standard, longitude first.
    pub fn is_always_wgs84(self) -> bool {
        self.driver().always_wgs84
    }

    /// Whether it shows something of how rows are to be shown.
    pub fn shows(self, what: Show) -> bool {
        self.driver().shows.contains(&what)
    }

    /// Whether a row of a layer may have no geometry in it.
    pub fn holds_null_geometry(self) -> bool {
        self.driver().null_geometry
    }

    /// The endings of its files, the usual one first; none for formats that are known by their content alone.
    pub fn endings(self) -> &'static [&'static str] {
        self.driver().endings
    }

    /// The format that the ending of an output says.
    pub fn of_ending(path: &Path) -> Option<Self> {
        // Standard output takes text with tabs, for pasting.
        if crate::is_standard(path) {
            return Some(Format::Delimited);
        }
        let ending = path.extension()?.to_str()?.to_ascii_lowercase();
        let has = |d: &&&Driver| d.create.is_some() && d.endings.contains(&ending.as_str());
        DRIVERS.iter().find(has).map(|d| d.format)
    }
}

/// What is read, in words.
pub(crate) fn all_read() -> String {
    let names: Vec<&str> = DRIVERS.iter().map(|d| d.name).collect();
    names.join(", ")
}

/// The endings of what is written, in words.
pub(crate) fn all_written() -> String {
    let endings = DRIVERS.iter().filter(|d| d.create.is_some()).flat_map(|d| d.endings);
    endings.map(|e| format!(".{e}")).collect::<Vec<_>>().join(", ")
}

/// The first option that is said and means nothing to a format.
pub(crate) fn check_options(path: &Path, driver: &Driver, options: &InputOptions) -> Result<(), FormatError> {
    let all =
        [InputOption::Sheet, InputOption::Layer, InputOption::Fixed, InputOption::Delimiter, InputOption::ShortRows];
    let unfit = all.into_iter().find(|o| o.is_in(options) && !driver.options.contains(o));
    let both = (options.fixed.is_some() && options.delimiter.is_some()).then_some(InputOption::Fixed);
    match both.or(unfit) {
        None => Ok(()),
        Some(option) => {
            let (flag, what) = option.words();
            let problem = format!("{flag} is for {what}; this is {}", driver.name);
            Err(FormatError::Option { path: path.to_path_buf(), problem })
        }
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn each_driver_stands_at_the_place_of_its_format() {
        for (at, d) in DRIVERS.iter().enumerate() {
            assert_eq!(d.format as usize, at, "{}", d.name);
            assert_eq!(d.format.name(), d.name);
        }
    }

    #[test]
    fn no_ending_belongs_to_two_formats_that_are_written() {
        let mut endings: Vec<&str> =
            DRIVERS.iter().filter(|d| d.create.is_some()).flat_map(|d| d.endings.iter().copied()).collect();
        let all = endings.len();
        endings.sort_unstable();
        endings.dedup();
        assert_eq!(endings.len(), all);
        for ending in endings {
            assert!(Format::of_ending(Path::new(&format!("a.{}", ending.to_uppercase()))).is_some(), "{ending}");
        }
        assert_eq!(Format::of_ending(Path::new("a.xyz")), None, "is only read");
    }
}
