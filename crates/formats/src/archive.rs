//! Zip archives: one file of them is read, with the files that belong to it. Behind the feature `archives`.

use crate::driver::DRIVERS;
use crate::{FormatError, PendingOutput};
use std::fs::File;
use std::io::{BufReader, BufWriter, Read, Write};
use std::path::{Path, PathBuf};
use zip::ZipArchive;

/// Members that are looked at; a list of more is a bomb of its own.
const MOST_MEMBERS: usize = 65_536;

/// Whether a file begins as an archive does and is not a workbook, which is one inside.
pub(crate) fn is_archive(path: &Path) -> bool {
    let mut magic = [0u8; 4];
    let begins = File::open(path).and_then(|mut f| f.read_exact(&mut magic)).is_ok() && magic == *b"PK\x03\x04";
    if !begins {
        return false;
    }
    let Ok(archive) =
        File::open(path).map_err(zip::result::ZipError::from).and_then(|f| ZipArchive::new(BufReader::new(f)))
    else {
        // Of a damaged workbook its reader says what is wrong; of any other archive we do.
        let ending = path.extension().map_or(String::new(), |e| e.to_string_lossy().to_ascii_lowercase());
        return !matches!(ending.as_str(), "xlsx" | "xlsm" | "ods");
    };
    !archive
        .file_names()
        .flatten()
        .any(|n| matches!(n.as_ref(), "[Content_Types].xml" | "mimetype" | "xl/workbook.xml"))
}

/// The endings of the files in an archive; none where it cannot be read.
pub(crate) fn endings(path: &Path) -> Vec<String> {
    let opened = File::open(path).map_err(zip::result::ZipError::from).and_then(|f| ZipArchive::new(BufReader::new(f)));
    let Ok(archive) = opened else { return Vec::new() };
    let members = (0..archive.len()).take(MOST_MEMBERS);
    members
        .filter_map(|index| Member::of(index, archive.name_for_index(index)?.ok()?.as_ref()))
        .map(|member| member.ending())
        .collect()
}

/// Unpacks the file that is meant into a folder: the only one that can be read, or the one that `wanted` names. At most
/// `most` bytes are written. Gives its path, and the names of the members that were unpacked.
pub(crate) fn unpack(
    path: &Path,
    folder: &Path,
    wanted: Option<&str>,
    most: u64,
) -> Result<(PathBuf, Vec<String>), FormatError> {
    let broken =
        |e: &dyn std::fmt::Display| FormatError::broken(path, format!("is a damaged archive: {e}; get it again"));
    let file = File::open(path).map_err(|e| FormatError::read(path, e))?;
    let mut archive = ZipArchive::new(BufReader::new(file)).map_err(|e| broken(&e))?;
    if archive.len() > MOST_MEMBERS {
        return Err(broken(&format!("it lists {} files", archive.len())));
    }
    let members: Vec<Member> = (0..archive.len())
        .filter_map(|index| Member::of(index, archive.name_for_index(index)?.ok()?.as_ref()))
        .collect();
    let shapefiles: Vec<&Member> = members.iter().filter(|m| m.ending() == "shp").collect();
    let candidates: Vec<&Member> = members
        .iter()
        .filter(|m| {
            let ending = m.ending();
            let belongs = ending != "shp" && shapefiles.iter().any(|s| s.owns(m));
            !belongs && DRIVERS.iter().any(|d| d.endings.contains(&ending.as_str()))
        })
        .collect();
    // Pages beside data say what it is; alone they may be the data.
    let is_page = |m: &&&Member| crate::html::DRIVER.endings.contains(&m.ending().as_str());
    let besides: Vec<&Member> = candidates.iter().filter(|m| !is_page(m)).copied().collect();
    let candidates = if wanted.is_none() && !besides.is_empty() { besides } else { candidates };
    let chosen = match (wanted, candidates.as_slice()) {
        (Some(wanted), _) => choose(path, wanted, &candidates)?,
        (None, [one]) => *one,
        (None, []) => {
            return Err(FormatError::NotRecognised {
                path: path.to_path_buf(),
                problem: format!(
                    "is an archive without a file that is read; it holds: {}",
                    members.iter().take(12).map(|m| m.name.as_str()).collect::<Vec<_>>().join(", ")
                ),
            });
        }
        (None, _) => return Err(FormatError::ChooseLayer { path: path.to_path_buf(), names: labels(&candidates) }),
    };
    // What lies beside a shapefile under its name without being part of it ("rivers.shp.xml") stays packed.
    // The system of a grid stands beside it.
    let has_parts = |m: &Member| chosen.ending() == "shp" || m.ending() == "prj";
    let is_part = |m: &Member| has_parts(m) && chosen.owns(m) && m.stem().len() == chosen.stem().len();
    let belonging = members.iter().filter(|m| m.index == chosen.index || is_part(m));
    let mut left = most;
    let mut unpacked: Vec<String> = Vec::new();
    for member in belonging {
        // What belongs to a file is looked for under its name, in the same case of letters.
        let name = format!("{}{}", chosen.stem(), &member.name[member.stem().len()..]);
        if unpacked.contains(&name) {
            return Err(broken(&format!("it holds two files of the name {}", member.path())));
        }
        let mut content = archive.by_index(member.index).map_err(|e| match e {
            zip::result::ZipError::UnsupportedArchive(what) => {
                FormatError::broken(path, format!("{name} cannot be unpacked: {what}; unpack it first"))
            }
            e => broken(&e),
        })?;
        let target = folder.join(&name);
        let mut out = File::create(&target).map_err(|e| FormatError::write(&target, e))?;
        let mut buffer = vec![0u8; 1 << 16];
        loop {
            let n = content.read(&mut buffer).map_err(|e| broken(&e))?;
            if n == 0 {
                break;
            }
            left = left.checked_sub(n as u64).ok_or_else(|| {
                FormatError::broken(
                    path,
                    format!("unpacks to more than {most} bytes, which no table of its size does; if it is meant, unpack it first"),
                )
            })?;
            out.write_all(&buffer[..n]).map_err(|e| FormatError::write(&target, e))?;
        }
        unpacked.push(name);
    }
    Ok((folder.join(&chosen.name), unpacked))
}

/// A file in an archive.
struct Member {
    index: usize,
    /// The folder it is in, with a slash behind; empty for none.
    folder: String,
    name: String,
}

impl Member {
    /// A file that a person put there; none for folders and what systems add. What leads out of the archive is never
    /// followed: the last part of a name alone becomes a file.
    fn of(index: usize, path: &str) -> Option<Self> {
        let path = path.replace('\\', "/");
        let (folder, name) = path.rfind('/').map_or(("", &path[..]), |at| path.split_at(at + 1));
        let is_file = !name.is_empty() && !name.starts_with('.') && !path.starts_with("__MACOSX");
        is_file.then(|| Member { index, folder: folder.to_string(), name: name.to_string() })
    }

    fn path(&self) -> String {
        format!("{}{}", self.folder, self.name)
    }

    fn ending(&self) -> String {
        self.name.rsplit_once('.').map_or(String::new(), |(_, e)| e.to_ascii_lowercase())
    }

    fn stem(&self) -> &str {
        self.name.rsplit_once('.').map_or(&self.name, |(stem, _)| stem)
    }

    /// Whether another file belongs to this shapefile: it lies beside it, under its name ("rivers.dbf", "rivers.shp.xml").
    fn owns(&self, other: &Member) -> bool {
        let stem = self.stem();
        let begins = other.name.get(..stem.len()).is_some_and(|b| b.eq_ignore_ascii_case(stem));
        self.folder == other.folder
            && begins
            && other.name[stem.len()..].starts_with('.')
            && (other.ending() != "shp" || other.index == self.index)
    }
}

/// The names of files, with their folders where they do not differ otherwise.
fn labels(members: &[&Member]) -> Vec<String> {
    let is_alone = |m: &Member| members.iter().filter(|o| o.stem().eq_ignore_ascii_case(m.stem())).count() == 1;
    members.iter().map(|m| if is_alone(m) { m.name.clone() } else { m.path() }).collect()
}

/// The one that is meant: by its path, its name, or its name without the ending, in any case of letters where none has
/// exactly that.
fn choose<'a>(path: &Path, wanted: &str, candidates: &[&'a Member]) -> Result<&'a Member, FormatError> {
    let names = |m: &Member| {
        let path = m.path();
        let short = path[..path.len() - (m.name.len() - m.stem().len())].to_string();
        [path, short, m.name.clone(), m.stem().to_string()]
    };
    let ways: [&dyn Fn(&str) -> bool; 2] = [&|name| name == wanted, &|name| name.eq_ignore_ascii_case(wanted)];
    for is_meant in ways {
        let meant: Vec<&'a Member> =
            candidates.iter().copied().filter(|m| names(m).iter().any(|n| is_meant(n))).collect();
        match meant.as_slice() {
            [] => {}
            [one] => return Ok(one),
            several => return Err(FormatError::ChooseLayer { path: path.to_path_buf(), names: labels(several) }),
        }
    }
    Err(FormatError::NoSuch {
        path: path.to_path_buf(),
        kind: "file in the archive",
        wanted: wanted.to_string(),
        names: labels(candidates),
    })
}

/// Packs members, each with its name, into an archive for an output.
pub(crate) fn pack(pending: &PendingOutput, members: &mut [(&str, &mut dyn Read)]) -> Result<(), FormatError> {
    let failed = |e: &dyn std::fmt::Display| FormatError::write(pending.target(), e);
    let out = File::create(pending.path()).map_err(|e| failed(&e))?;
    let mut archive = zip::ZipWriter::new(BufWriter::new(out));
    // The time of writing would make two runs of one plan differ.
    let options = zip::write::SimpleFileOptions::default()
        .compression_method(zip::CompressionMethod::Deflated)
        .last_modified_time(zip::DateTime::default())
        .large_file(true);
    for (name, bytes) in members {
        archive.start_file(*name, options).map_err(|e| failed(&e))?;
        std::io::copy(bytes, &mut archive).map_err(|e| failed(&e))?;
    }
    archive.finish().and_then(|mut f| f.flush().map_err(Into::into)).map_err(|e| failed(&e))
}
