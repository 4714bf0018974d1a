//! Sources on the web, by http and https: fetched whole before they are read, for a table is read more than once.
//!
//! What a server marks by a tag or a date is kept in a cache and asked for again only where it has changed. The cache is
//! the folder that the environment variable `BASILOCUS_CACHE` names, else one of the user's cache; an empty variable
//! turns it off.

use crate::FormatError;
use std::path::Path;

/// Whether a path is an address on the web.
pub fn is_address(path: &Path) -> bool {
    path.to_str().is_some_and(|p| {
        let start = p.get(..8).unwrap_or(p).to_ascii_lowercase();
        start.starts_with("http://") || start.starts_with("https://")
    })
}

/// The name that a file of an address has: the last part of its path.
fn file_name(address: &str) -> String {
    let path = address.split(['?', '#']).next().unwrap_or(address);
    let behind_host = path.splitn(4, '/').nth(3).unwrap_or("");
    let name = behind_host.rsplit('/').find(|s| !s.is_empty()).unwrap_or("");
    let safe: String = name
        .chars()
        .map(|c| if c.is_alphanumeric() || matches!(c, '.' | '-' | '_') { c } else { '_' })
        .take(100)
        .collect();
    let safe = safe.trim_start_matches('.').to_string();
    if safe.is_empty() { "source".into() } else { safe }
}

/// Fetches an address into a folder: the file, and what to tell.
///
/// # Errors
/// [`FormatError::Fetch`]: this build has no http.
#[cfg(not(feature = "http"))]
pub fn fetch(address: &str, _: &Path) -> Result<(std::path::PathBuf, String), FormatError> {
    let _ = file_name(address);
    Err(FormatError::Fetch {
        address: address.to_string(),
        problem: "this build reads no addresses on the web; build it with the feature http, or save the file first"
            .into(),
    })
}

#[cfg(feature = "http")]
pub use fetching::fetch;

#[cfg(feature = "http")]
mod fetching {
    use super::{FormatError, file_name};
    use basilocus_services::redirect::led_to;
    use serde::{Deserialize, Serialize};
    use std::fs::File;
    use std::io::{Read, Write};
    use std::path::{Path, PathBuf};
    use std::time::Duration;

    /// Bytes that are fetched at most.
    const MOST: u64 = 4 << 30;
    /// Bytes that are kept in the cache at most, of one source.
    const MOST_KEPT: u64 = 512 << 20;
    const REDIRECTS: u32 = 5;

    /// What is known of a kept copy.
    #[derive(Debug, Serialize, Deserialize)]
    struct Kept {
        address: String,
        tag: Option<String>,
        modified: Option<String>,
        bytes: u64,
    }

    /// The files of a kept copy.
    struct Cache {
        about: PathBuf,
        body: PathBuf,
    }

    impl Cache {
        fn of(address: &str) -> Option<Self> {
            let folder = match std::env::var_os("BASILOCUS_CACHE") {
                Some(folder) if folder.is_empty() => return None,
                Some(folder) => PathBuf::from(folder),
                None => match std::env::var_os("XDG_CACHE_HOME").filter(|f| !f.is_empty()) {
                    Some(folder) => PathBuf::from(folder).join("basilocus/web"),
                    None => {
                        PathBuf::from(std::env::var_os("HOME").filter(|f| !f.is_empty())?).join(".cache/basilocus/web")
                    }
                },
            };
            // FNV-1a; the address itself is compared when the copy is used.
            let hash =
                address.bytes().fold(0xcbf2_9ce4_8422_2325u64, |h, b| (h ^ u64::from(b)).wrapping_mul(0x100_0000_01b3));
            Some(Cache {
                about: folder.join(format!("{hash:016x}.json")),
                body: folder.join(format!("{hash:016x}.body")),
            })
        }

        fn load(&self, address: &str) -> Option<Kept> {
            let kept: Kept = serde_json::from_slice(&std::fs::read(&self.about).ok()?).ok()?;
            let whole = std::fs::metadata(&self.body).is_ok_and(|m| m.len() == kept.bytes);
            (kept.address == address && whole).then_some(kept)
        }

        /// Keeps a copy. That it cannot be kept is no reason to fail.
        fn store(&self, kept: &Kept, file: &Path) -> std::io::Result<()> {
            let folder = self.about.parent().unwrap_or(Path::new("."));
            let mut builder = std::fs::DirBuilder::new();
            #[cfg(unix)]
            std::os::unix::fs::DirBuilderExt::mode(&mut builder, 0o700);
            builder.recursive(true).create(folder)?;
            // What was fetched is for its user alone, as temporary files are; copying a file would copy its rights.
            let mut body = tempfile::NamedTempFile::new_in(folder)?;
            std::io::copy(&mut File::open(file)?, &mut body)?;
            let mut about = tempfile::NamedTempFile::new_in(folder)?;
            about.write_all(&serde_json::to_vec(kept)?)?;
            body.persist(&self.body).map_err(|e| e.error)?;
            about.persist(&self.about).map_err(|e| e.error)?;
            Ok(())
        }
    }

    /// Asks for an address, and for those that it leads to.
    fn ask(
        agent: &ureq::Agent,
        address: &str,
        conditions: &[(&str, &str)],
    ) -> Result<ureq::http::Response<ureq::Body>, String> {
        let mut at = address.to_string();
        for _ in 0..=REDIRECTS {
            let request = conditions.iter().fold(agent.get(&at), |r, (name, value)| r.header(*name, *value));
            let response = request.call().map_err(|e| words(&e))?;
            // 304 leads nowhere: it says that nothing changed.
            if !matches!(response.status().as_u16(), 301 | 302 | 303 | 307 | 308) {
                return Ok(response);
            }
            let to = response.headers().get("location").and_then(|v| v.to_str().ok());
            let to = to.ok_or("the server leads somewhere else and does not say where")?;
            at = led_to(&at, to).map_err(|problem| format!("{problem}; nothing was read"))?;
        }
        Err(format!("the server leads on more than {REDIRECTS} times, the last time to {at}"))
    }

    /// Fetches an address into a folder: the file, and what to tell.
    ///
    /// # Errors
    /// [`FormatError::Fetch`] for what the server or the way to it refuses, or too many bytes.
    pub fn fetch(address: &str, folder: &Path) -> Result<(PathBuf, String), FormatError> {
        let failed = |problem: String| FormatError::Fetch { address: address.to_string(), problem };
        let agent: ureq::Agent = ureq::Agent::config_builder()
            .timeout_connect(Some(Duration::from_secs(15)))
            .timeout_recv_response(Some(Duration::from_secs(60)))
            .timeout_recv_body(Some(Duration::from_secs(1800)))
            // What a server leads to is looked at before it is followed.
            .max_redirects(0)
            .http_status_as_error(false)
            .user_agent(concat!("basilocus/", env!("CARGO_PKG_VERSION")))
            .build()
            .into();
        let cache = Cache::of(address);
        let kept = cache.as_ref().and_then(|c| c.load(address));
        let conditions: Vec<(&str, &str)> = kept
            .iter()
            .flat_map(|k| [("If-None-Match", k.tag.as_deref()), ("If-Modified-Since", k.modified.as_deref())])
            .filter_map(|(name, value)| Some((name, value?)))
            .collect();
        let mut response = ask(&agent, address, &conditions).map_err(failed)?;
        let file = folder.join(file_name(address));
        let header = |name: &str| response.headers().get(name).and_then(|v| v.to_str().ok()).map(String::from);
        let (tag, modified) = (header("etag"), header("last-modified"));
        let status = response.status();
        if let (304, Some(cache), Some(kept)) = (status.as_u16(), &cache, &kept) {
            std::fs::copy(&cache.body, &file).map_err(|e| FormatError::read(&cache.body, e))?;
            let since = kept.modified.as_deref().map_or(String::new(), |m| format!(", last changed {m}"));
            return Ok((
                file,
                format!("from the web: not changed since it was fetched{since}; {} bytes from the cache", kept.bytes),
            ));
        }
        if status.as_u16() == 206 {
            return Err(failed(
                "the server sends a part of the file only; try again, or fetch it with your browser".into(),
            ));
        }
        if !status.is_success() {
            let what = match status.as_u16() {
                401 | 403 => "; it wants to know who asks, so fetch it with your browser and save it",
                404 | 410 => "; check the address",
                429 | 500..=599 => "; try again later",
                _ => "",
            };
            return Err(failed(format!(
                "the server answers {}{}{what}",
                status.as_u16(),
                status.canonical_reason().map_or(String::new(), |r| format!(" {r}"))
            )));
        }
        let mut out = File::create(&file).map_err(|e| FormatError::write(&file, e))?;
        let mut body = response.body_mut().as_reader();
        let mut buffer = vec![0u8; 1 << 16];
        let mut bytes = 0u64;
        loop {
            let n =
                body.read(&mut buffer).map_err(|e| failed(format!("broke off after {bytes} bytes: {e}; try again")))?;
            if n == 0 {
                break;
            }
            bytes += n as u64;
            if bytes > MOST {
                return Err(failed(format!("is larger than {MOST} bytes; save the file first")));
            }
            out.write_all(&buffer[..n]).map_err(|e| FormatError::write(&file, e))?;
        }
        if bytes == 0 {
            return Err(failed("the server sends nothing".into()));
        }
        drop(out);
        if let Some(cache) = cache.filter(|_| bytes <= MOST_KEPT && (tag.is_some() || modified.is_some())) {
            let _ = cache.store(&Kept { address: address.to_string(), tag, modified, bytes }, &file);
        }
        Ok((file, format!("from the web, {bytes} bytes")))
    }

    /// What went wrong on the way, and what to do.
    fn words(e: &ureq::Error) -> String {
        match e {
            ureq::Error::HostNotFound => "there is no such host; check the address and the network".into(),
            ureq::Error::Timeout(_) => "the server does not answer in time; try again later".into(),
            ureq::Error::BadUri(_) | ureq::Error::Http(_) => format!("is no address: {e}"),
            ureq::Error::Tls(_) | ureq::Error::Rustls(_) => {
                format!("the connection is not secure: {e}; nothing was read")
            }
            ureq::Error::Io(io) => format!("cannot be reached: {io}"),
            e => format!("cannot be fetched: {e}"),
        }
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn addresses_and_their_names() {
        assert!(is_address(Path::new("https://tern.example/a.csv")) && is_address(Path::new("HTTP://tern.example")));
        assert!(!is_address(Path::new("httpd.csv")) && !is_address(Path::new("http:/a")));
        assert_eq!(file_name("https://tern.example/feeds/gauges.xml?key=1/2#x"), "gauges.xml");
        assert_eq!(file_name("https://tern.example/"), "source");
        assert_eq!(file_name("https://tern.example"), "source");
        assert_eq!(file_name("https://tern.example/a/..%2f..%2fetc/"), "_2f.._2fetc");
    }
}
