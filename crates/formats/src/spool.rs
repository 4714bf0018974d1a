//! Standard input, pipes, addresses on the web, gzip-ed files and zip archives.
//!
//! A table is read more than once (its form, the types of its values, the rows), so what can be read only once, or only
//! from the front, is written to a temporary file first. It is removed when the reader is dropped.

use crate::raster::{RASTER_DRIVERS, RasterAbout, RasterFormat, RasterReader, open_raster};
use crate::reader::{About, Block, Decode, Decoded, InputOptions, Reader, Suspicion, open};
use crate::temporary::TemporaryFolder;
use crate::{FormatError, archive, http};
use arrow_schema::SchemaRef;
use std::collections::BTreeMap;
use std::fs::File;
use std::hash::{DefaultHasher, Hasher};
use std::io::{BufReader, Read, Write};
use std::path::{Path, PathBuf};
use std::sync::{Arc, Mutex, MutexGuard, PoisonError};

/// What stands for standard input, or output.
pub const STANDARD: &str = "-";

/// A gzip-ed file may unpack to so many times its size: tables rarely reach a tenth of it, bombs a thousand.
const MOST_TIMES: u64 = 200;
/// Below this size nothing is refused.
const ALWAYS_ALLOWED: u64 = 64 << 20;

/// Whether a path stands for standard input or output.
pub fn is_standard(path: &Path) -> bool {
    path == Path::new(STANDARD)
}

/// Whether a path stands for something that can be read only once, from the front: a pipe, a socket, a device.
pub(crate) fn is_stream(path: &Path) -> bool {
    std::fs::metadata(path).is_ok_and(|m| !m.is_file() && !m.is_dir())
}

/// Whether a path is not the file that is read in the end.
pub(crate) fn is_spooled(path: &Path) -> bool {
    is_standard(path) || http::is_address(path) || is_stream(path) || is_gzip(path) || archive::is_archive(path)
}

/// Whether a file begins as gzip does.
pub(crate) fn is_gzip(path: &Path) -> bool {
    let mut magic = [0u8; 2];
    File::open(path).and_then(|mut f| f.read_exact(&mut magic)).is_ok() && magic == [0x1F, 0x8B]
}

/// A temporary copy that can be read as often as needed.
struct Spooled {
    file: PathBuf,
    _folder: Arc<TemporaryFolder>,
    note: String,
    /// Whether the layer that was asked for is the file itself.
    took_layer: bool,
}

/// Sources on the web that are held, by their addresses.
static HELD: Mutex<BTreeMap<String, Held>> = Mutex::new(BTreeMap::new());

struct Held {
    file: PathBuf,
    folder: Arc<TemporaryFolder>,
    note: String,
}

fn held() -> MutexGuard<'static, BTreeMap<String, Held>> {
    HELD.lock().unwrap_or_else(PoisonError::into_inner)
}

/// A source on the web that was fetched once: whoever opens its address while this is held reads what was fetched.
#[derive(Debug)]
pub struct HeldSource {
    address: String,
    fingerprint: u64,
    folder: Arc<TemporaryFolder>,
}

impl HeldSource {
    /// Fetches an address. One that is held already is fetched anew.
    ///
    /// # Errors
    /// Where it cannot be fetched.
    pub fn fetch(address: &str) -> Result<Self, FormatError> {
        let folder = TemporaryFolder::new().map_err(|e| FormatError::write(&std::env::temp_dir(), e))?;
        let (file, note) = http::fetch(address, folder.path())?;
        let mut hasher = DefaultHasher::new();
        let mut content = File::open(&file).map_err(|e| FormatError::read(&file, e))?;
        let mut buffer = vec![0u8; 1 << 16];
        loop {
            let n = content.read(&mut buffer).map_err(|e| FormatError::read(&file, e))?;
            if n == 0 {
                break;
            }
            hasher.write(&buffer[..n]);
        }
        let folder = Arc::new(folder);
        held().insert(address.to_string(), Held { file, folder: folder.clone(), note });
        Ok(HeldSource { address: address.to_string(), fingerprint: hasher.finish(), folder })
    }

    /// A number that tells its content from another one, in this process.
    pub fn fingerprint(&self) -> u64 {
        self.fingerprint
    }
}

impl Drop for HeldSource {
    fn drop(&mut self) {
        let mut held = held();
        // It may have been fetched anew meanwhile.
        if held.get(&self.address).is_some_and(|h| Arc::ptr_eq(&h.folder, &self.folder)) {
            held.remove(&self.address);
        }
    }
}

/// Opens standard input or a gzip-ed file; `None` for any other.
pub(crate) fn open_spooled(path: &Path, options: &InputOptions) -> Result<Option<Box<dyn Reader>>, FormatError> {
    let Some(spooled) = unpacked(path, options.layer.as_deref())? else {
        return Ok(None);
    };
    // The name of a file in an archive is no layer of it.
    let options =
        InputOptions { layer: if spooled.took_layer { None } else { options.layer.clone() }, ..options.clone() };
    let inner = open(&spooled.file, &options).map_err(|e| e.at(path))?;
    let mut about = inner.about().clone();
    about.path = path.to_path_buf();
    about.notes.insert(0, spooled.note.clone());
    Ok(Some(Box::new(SpooledReader { inner, about, path: path.to_path_buf(), _spooled: spooled })))
}

/// Opens a grid of heights that is packed or comes from elsewhere; `None` for any other file.
pub(crate) fn open_spooled_raster(path: &Path) -> Result<Option<Box<dyn RasterReader>>, FormatError> {
    let Some(spooled) = unpacked(path, None)? else { return Ok(None) };
    let inner = open_raster(&spooled.file).map_err(|e| e.at(path))?;
    let mut about = inner.about().clone();
    about.path = path.to_path_buf();
    about.notes.insert(0, spooled.note.clone());
    Ok(Some(Box::new(SpooledRaster { inner, about, _spooled: spooled })))
}

/// The name of what a file packs, or an address gives, in small letters.
fn name_inside(path: &Path) -> String {
    let name = path.to_string_lossy().to_ascii_lowercase();
    let name = name.split(['?', '#']).next().unwrap_or_default();
    [".gz", ".zip"].iter().find_map(|e| name.strip_suffix(e)).unwrap_or(name).to_string()
}

/// The format of grids that the name in an address says, where no table ends so.
pub(crate) fn said_by_address(path: &Path) -> Option<RasterFormat> {
    let name = http::is_address(path).then(|| name_inside(path))?;
    let format = RasterFormat::of_ending(Path::new(&name))?;
    (matches!(format, RasterFormat::GeoTiff | RasterFormat::Gtx)).then_some(format)
}

/// The first bytes of what a file packs, or of what an address gives, where its name says that they may be those of a grid of
/// heights; `None` where nothing says so.
pub(crate) fn first_bytes_of_grid(path: &Path) -> Result<Option<Vec<u8>>, FormatError> {
    let name = name_inside(path);
    let of_grid = RASTER_DRIVERS.iter().filter(|d| d.open.is_some()).flat_map(|d| d.endings);
    let says_so = name.rsplit_once('.').is_some_and(|(_, ending)| of_grid.clone().any(|e| *e == ending));
    if is_standard(path) || is_stream(path) || (!says_so && !archive::is_archive(path)) {
        return Ok(None);
    }
    if archive::is_archive(path) {
        let holds_grid = archive::endings(path).iter().any(|ending| of_grid.clone().any(|e| e == ending));
        if !holds_grid {
            return Ok(None);
        }
    }
    match unpacked(path, None) {
        Ok(Some(spooled)) => crate::detect::first_bytes(&spooled.file).map(Some).map_err(|e| e.at(path)),
        Ok(None) => Ok(None),
        // Several files, none of which is said: whoever reads it says so.
        Err(FormatError::ChooseLayer { .. }) => Ok(None),
        Err(e) => Err(e),
    }
}

/// The file that is read in the end: what came from standard input or the web may be packed.
fn unpacked(path: &Path, layer: Option<&str>) -> Result<Option<Spooled>, FormatError> {
    let Some(spooled) = spool(path, layer)? else { return Ok(None) };
    if (is_standard(path) || http::is_address(path) || is_stream(path))
        && let Some(mut again) = spool(&spooled.file, layer).map_err(|e| e.at(path))?
    {
        again.note = format!("{}; {}", spooled.note, again.note);
        return Ok(Some(again));
    }
    Ok(Some(spooled))
}

fn spool(path: &Path, layer: Option<&str>) -> Result<Option<Spooled>, FormatError> {
    let folder = || TemporaryFolder::new().map_err(|e| FormatError::write(&std::env::temp_dir(), e));
    if is_standard(path) {
        let empty = "standard input is empty; a table with a header is expected";
        let spooled = whole_stream(path, folder()?, "standard input", &mut std::io::stdin().lock(), empty)?;
        return Ok(Some(Spooled { note: "from standard input".into(), ..spooled }));
    }
    if is_stream(path) {
        let name = path.file_name().map_or("pipe".into(), |n| n.to_string_lossy().into_owned());
        let mut stream = File::open(path).map_err(|e| FormatError::read(path, e))?;
        let empty = "nothing comes from there; a table with a header is expected";
        return Ok(Some(whole_stream(path, folder()?, &name, &mut stream, empty)?));
    }
    if let Some(address) = path.to_str().filter(|_| http::is_address(path)) {
        if let Some(held) = held().get(address) {
            let (file, folder, note) = (held.file.clone(), held.folder.clone(), held.note.clone());
            return Ok(Some(Spooled { file, _folder: folder, note, took_layer: false }));
        }
        let folder = folder()?;
        let (file, note) = http::fetch(address, folder.path())?;
        return Ok(Some(Spooled { file, _folder: Arc::new(folder), note, took_layer: false }));
    }
    if archive::is_archive(path) {
        let packed = std::fs::metadata(path).map_err(|e| FormatError::read(path, e))?.len();
        let most = packed.saturating_mul(MOST_TIMES).max(ALWAYS_ALLOWED);
        let folder = folder()?;
        let (file, members) = archive::unpack(path, folder.path(), layer, most)?;
        let note = format!("archive, {} unpacked", members.join(", "));
        return Ok(Some(Spooled { file, _folder: Arc::new(folder), note, took_layer: layer.is_some() }));
    }
    if !is_gzip(path) {
        return Ok(None);
    }
    let packed = std::fs::metadata(path).map_err(|e| FormatError::read(path, e))?.len();
    let most = packed.saturating_mul(MOST_TIMES).max(ALWAYS_ALLOWED);
    let folder = folder()?;
    // "points.csv.gz" holds "points.csv".
    let name = path.file_stem().filter(|s| !s.is_empty()).map_or("table".into(), |s| s.to_os_string());
    let file = folder.path().join(name);
    let input = File::open(path).map_err(|e| FormatError::read(path, e))?;
    let mut unpacked = flate2::read::MultiGzDecoder::new(BufReader::new(input)).take(most + 1);
    let mut output = File::create(&file).map_err(|e| FormatError::write(&file, e))?;
    let mut buffer = vec![0u8; 1 << 16];
    let mut written = 0u64;
    loop {
        let n = unpacked
            .read(&mut buffer)
            .map_err(|e| FormatError::broken(path, format!("is a damaged gzip file: {e}; get it again")))?;
        if n == 0 {
            break;
        }
        written += n as u64;
        if written > most {
            return Err(FormatError::broken(
                path,
                format!(
                    "unpacks to more than {MOST_TIMES} times its {packed} bytes, which no table does; if it is meant, unpack it first"
                ),
            ));
        }
        output.write_all(&buffer[..n]).map_err(|e| FormatError::write(&file, e))?;
    }
    Ok(Some(Spooled {
        file,
        _folder: Arc::new(folder),
        note: format!("gzip, {written} bytes unpacked"),
        took_layer: false,
    }))
}

/// Writes all of a stream to a file in a folder.
fn whole_stream(
    path: &Path,
    folder: TemporaryFolder,
    name: &str,
    stream: &mut dyn Read,
    empty: &'static str,
) -> Result<Spooled, FormatError> {
    let file = folder.path().join(name);
    let mut copy = File::create(&file).map_err(|e| FormatError::write(&file, e))?;
    let mut buffer = vec![0u8; 1 << 16];
    let mut bytes = 0;
    loop {
        let n = match stream.read(&mut buffer) {
            Ok(n) => n,
            Err(e) if e.kind() == std::io::ErrorKind::Interrupted => continue,
            Err(e) => return Err(FormatError::read(path, e)),
        };
        if n == 0 {
            break;
        }
        bytes += n;
        copy.write_all(&buffer[..n]).map_err(|e| FormatError::write(&file, e))?;
    }
    if bytes == 0 {
        return Err(FormatError::Empty { path: path.to_path_buf(), what: empty });
    }
    Ok(Spooled { file, _folder: Arc::new(folder), note: format!("from a pipe, {bytes} bytes"), took_layer: false })
}

/// A grid in the temporary copy that speaks of the original.
struct SpooledRaster {
    inner: Box<dyn RasterReader>,
    about: RasterAbout,
    _spooled: Spooled,
}

impl RasterReader for SpooledRaster {
    fn about(&self) -> &RasterAbout {
        &self.about
    }

    fn chunk(&mut self, across: usize, down: usize) -> Result<Vec<f64>, FormatError> {
        self.inner.chunk(across, down).map_err(|e| e.at(&self.about.path))
    }
}

/// A reader of the temporary copy that speaks of the original.
struct SpooledReader {
    inner: Box<dyn Reader>,
    about: About,
    path: PathBuf,
    _spooled: Spooled,
}

impl Reader for SpooledReader {
    fn about(&self) -> &About {
        &self.about
    }

    fn schema(&self) -> SchemaRef {
        self.inner.schema()
    }

    fn read(&mut self, sink: &mut dyn FnMut(Block) -> bool) -> Result<(), FormatError> {
        self.inner.read(sink).map_err(|e| e.at(&self.path))
    }

    fn found(&self) -> Vec<Suspicion> {
        self.inner.found()
    }

    fn set_north_first(&mut self, north_first: bool) {
        self.inner.set_north_first(north_first);
        self.about.notes.truncate(1);
        self.about.notes.extend(self.inner.about().notes.iter().cloned());
        self.about.axes_by_registry = self.inner.about().axes_by_registry;
    }

    fn decoder(&self) -> Arc<dyn Decode> {
        Arc::new(SpooledDecode { inner: self.inner.decoder(), path: self.path.clone() })
    }
}

struct SpooledDecode {
    inner: Arc<dyn Decode>,
    path: PathBuf,
}

impl Decode for SpooledDecode {
    fn decode(&self, block: Block) -> Result<Decoded, FormatError> {
        self.inner.decode(block).map_err(|e| e.at(&self.path))
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    fn gzip(bytes: &[u8]) -> Vec<u8> {
        let mut out = flate2::write::GzEncoder::new(Vec::new(), flate2::Compression::best());
        out.write_all(bytes).unwrap();
        out.finish().unwrap()
    }

    #[test]
    fn a_gzip_file_is_read_and_leaves_nothing_behind() {
        let folder = tempfile::tempdir().unwrap();
        let path = folder.path().join("points.csv.gz");
        // Two members one after the other are one file, as the standard has it.
        std::fs::write(&path, [gzip(b"id,lon,lat\n1,-123.8,46.2\n"), gzip(b"2,-123.7,46.1\n")].concat()).unwrap();
        let mut reader = open(&path, &InputOptions::default()).unwrap();
        assert_eq!(reader.about().path, path);
        assert!(reader.about().notes[0].starts_with("gzip, 39 bytes"), "{:?}", reader.about().notes);
        let decoder = reader.decoder();
        for _ in 0..2 {
            let mut rows = 0;
            reader
                .read(&mut |b| {
                    rows += decoder.decode(b).unwrap().batch.len();
                    true
                })
                .unwrap();
            assert_eq!(rows, 2, "read again from the start");
        }
        let spooled = std::env::temp_dir();
        let ours =
            |d: &Path| std::fs::read_dir(d).unwrap().flatten().filter(|e| e.path().join("points.csv").exists()).count();
        let before = ours(&spooled);
        drop(reader);
        assert!(ours(&spooled) < before);
    }

    #[test]
    fn damaged_and_boundless_files_are_refused_by_their_own_name() {
        let folder = tempfile::tempdir().unwrap();
        let path = folder.path().join("bad.csv.gz");
        let whole = gzip(&b"id,lon,lat\n1,-123.8,46.2\n".repeat(500));
        std::fs::write(&path, &whole[..whole.len() / 2]).unwrap();
        let message = open(&path, &InputOptions::default()).err().unwrap().to_string();
        assert!(message.contains("bad.csv.gz") && message.contains("damaged gzip"), "{message}");
        std::fs::write(&path, gzip(&vec![b'0'; 70 << 20])).unwrap();
        let message = open(&path, &InputOptions::default()).err().unwrap().to_string();
        assert!(message.contains("200 times"), "{message}");
        std::fs::write(&path, gzip(b"%PDF-1.7")).unwrap();
        let message = open(&path, &InputOptions::default()).err().unwrap().to_string();
        assert!(message.contains("bad.csv.gz") && message.contains("PDF"), "{message}");
    }
}
