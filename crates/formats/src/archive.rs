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
    // Folders inside do not matter; what leads out of them is never followed, as the last part of a name is taken alone.
    let members: Vec<(usize, String)> = (0..archive.len())
        .filter_map(|i| archive.name_for_index(i)?.ok().map(|n| (i, n.to_string())))
        .filter(|(_, n)| !n.ends_with('/') && !n.starts_with("__MACOSX"))
        .filter_map(|(i, n)| Some((i, n.rsplit(['/', '\\']).next()?.to_string())))
        .filter(|(_, n)| !n.is_empty() && !n.starts_with('.'))
        .collect();
    let ending = |n: &str| n.rsplit_once('.').map_or(String::new(), |(_, e)| e.to_ascii_lowercase());
    let stem = |n: &str| n.rsplit_once('.').map_or(n, |(s, _)| s).to_string();
    let shapefiles: Vec<String> = members.iter().filter(|(_, n)| ending(n) == "shp").map(|(_, n)| stem(n)).collect();
    let candidates: Vec<&(usize, String)> = members
        .iter()
        .filter(|(_, n)| {
            let e = ending(n);
            // What belongs to a shapefile is no file of its own ("rivers.shp.xml").
            let belongs = shapefiles.iter().any(|s| n.starts_with(&format!("{s}.")) && e != "shp");
            !belongs && DRIVERS.iter().any(|d| d.endings.contains(&e.as_str()))
        })
        .collect();
    let names = || candidates.iter().map(|(_, n)| n.clone()).collect::<Vec<_>>();
    let chosen = match (wanted, candidates.as_slice()) {
        (Some(w), _) => candidates
            .iter()
            .find(|(_, n)| n.eq_ignore_ascii_case(w) || stem(n).eq_ignore_ascii_case(w))
            .ok_or_else(|| FormatError::NoSuch {
            path: path.to_path_buf(),
            kind: "file in the archive",
            wanted: w.to_string(),
            names: names(),
        })?,
        (None, [one]) => *one,
        (None, []) => {
            return Err(FormatError::NotRecognised {
                path: path.to_path_buf(),
                problem: format!(
                    "is an archive without a file that is read; it holds: {}",
                    members.iter().take(12).map(|(_, n)| n.as_str()).collect::<Vec<_>>().join(", ")
                ),
            });
        }
        (None, _) => return Err(FormatError::ChooseLayer { path: path.to_path_buf(), names: names() }),
    };
    let mut left = most;
    let mut unpacked = Vec::new();
    let wanted_stem = stem(&chosen.1);
    for (i, name) in
        members.iter().filter(|(i, n)| *i == chosen.0 || ending(&chosen.1) == "shp" && stem(n) == wanted_stem)
    {
        let mut member = archive.by_index(*i).map_err(|e| match e {
            zip::result::ZipError::UnsupportedArchive(what) => {
                FormatError::broken(path, format!("{name} cannot be unpacked: {what}; unpack it first"))
            }
            e => broken(&e),
        })?;
        let target = folder.join(name);
        let mut out = File::create(&target).map_err(|e| FormatError::write(&target, e))?;
        let mut buffer = vec![0u8; 1 << 16];
        loop {
            let n = member.read(&mut buffer).map_err(|e| broken(&e))?;
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
        unpacked.push(name.clone());
    }
    Ok((folder.join(&chosen.1), unpacked))
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
