//! Sources on the web, from a server of our own on this machine.
#![cfg(feature = "http")]

mod common;

use basilocus_formats::InputOptions;
use basilocus_formats::raster::{RasterFormat, open_raster};
use common::read;
use std::io::{BufRead, BufReader, Write};
use std::net::TcpListener;
use std::path::Path;
use std::sync::{Arc, Mutex};

/// A server that answers by the path of a request; gives its address and the requests that it got.
fn serve() -> (String, Arc<Mutex<Vec<String>>>) {
    let listener = TcpListener::bind("127.0.0.1:0").unwrap();
    let address = format!("http://{}", listener.local_addr().unwrap());
    let seen = Arc::new(Mutex::new(Vec::new()));
    let log = seen.clone();
    std::thread::spawn(move || {
        for stream in listener.incoming().flatten() {
            let mut input = BufReader::new(stream.try_clone().unwrap());
            let mut head = String::new();
            loop {
                let mut line = String::new();
                if input.read_line(&mut line).unwrap_or(0) < 3 {
                    break;
                }
                head.push_str(&line.to_ascii_lowercase());
            }
            let path = head.split(' ').nth(1).unwrap_or("").to_string();
            let knows = head.contains("if-none-match: \"one\"");
            log.lock().unwrap().push(head);
            let body = "id,lon,lat\n1,-123.8,46.2\n";
            let whole = |extra: &str| {
                format!("HTTP/1.1 200 OK\r\n{extra}Content-Length: {}\r\nConnection: close\r\n\r\n{body}", body.len())
            };
            let lead = |to: &str| {
                format!("HTTP/1.1 302 Found\r\nLocation: {to}\r\nContent-Length: 0\r\nConnection: close\r\n\r\n")
            };
            let answer = match path.as_str() {
                "/gates.csv" => whole(""),
                "/tagged.csv" if knows => {
                    "HTTP/1.1 304 Not Modified\r\nETag: \"one\"\r\nConnection: close\r\n\r\n".into()
                }
                "/tagged.csv" => whole("ETag: \"one\"\r\n"),
                "/heights.asc" => {
                    let grid = "ncols 2\nnrows 2\nxllcenter 0\nyllcenter 0\ncellsize 1\n1 2\n3 4\n";
                    format!("HTTP/1.1 200 OK\r\nContent-Length: {}\r\nConnection: close\r\n\r\n{grid}", grid.len())
                }
                "/moved" => lead("/gates.csv"),
                "/round" => lead("/round"),
                "/file" => lead("file:///etc/hostname"),
                "/nowhere" => "HTTP/1.1 302 Found\r\nContent-Length: 0\r\nConnection: close\r\n\r\n".into(),
                "/short.csv" => format!("HTTP/1.1 200 OK\r\nContent-Length: 5000\r\nConnection: close\r\n\r\n{body}"),
                "/empty.csv" => "HTTP/1.1 200 OK\r\nContent-Length: 0\r\nConnection: close\r\n\r\n".into(),
                "/page" => {
                    "HTTP/1.1 200 OK\r\nContent-Length: 21\r\nConnection: close\r\n\r\n<html><body/></html>\n".into()
                }
                "/secret" => "HTTP/1.1 401 Unauthorized\r\nContent-Length: 0\r\nConnection: close\r\n\r\n".into(),
                _ => "HTTP/1.1 404 Not Found\r\nContent-Length: 0\r\nConnection: close\r\n\r\n".into(),
            };
            let mut stream = stream;
            let _ = stream.write_all(answer.as_bytes());
        }
    });
    (address, seen)
}

/// One test, for the cache is named by a variable of the whole process.
#[test]
fn a_table_is_fetched_and_asked_for_again_only_where_it_changed() {
    let cache = tempfile::tempdir().unwrap();
    // Nobody else reads variables in this process meanwhile: it has this test alone.
    #[allow(unsafe_code)]
    unsafe {
        std::env::set_var("BASILOCUS_CACHE", cache.path());
    }
    let (address, seen) = serve();
    let get = |path: &str| read(Path::new(&format!("{address}{path}")), &InputOptions::default());
    let r = get("/gates.csv").unwrap();
    assert_eq!((r.rows.len(), r.notes[0].as_str()), (1, "from the web, 25 bytes"));
    assert_eq!(std::fs::read_dir(cache.path()).unwrap().count(), 0, "what has no tag is not kept");
    assert_eq!(get("/moved").unwrap().rows, r.rows, "redirects are followed");
    get("/tagged.csv").unwrap();
    let again = get("/tagged.csv").unwrap();
    assert_eq!(again.rows, r.rows);
    assert!(again.notes[0].starts_with("from the web: not changed since it was fetched"), "{:?}", again.notes);
    assert!(seen.lock().unwrap().last().unwrap().contains("if-none-match: \"one\""));
    // A copy that is not whole any more is fetched anew.
    for file in std::fs::read_dir(cache.path()).unwrap().flatten() {
        if file.path().extension().is_some_and(|e| e == "body") {
            std::fs::write(file.path(), "id").unwrap();
        }
    }
    assert_eq!(get("/tagged.csv").unwrap().notes[0], "from the web, 25 bytes");
    // Grids of heights too; what an address ends in says what it is, where no table ends so.
    let grid = format!("{address}/heights.asc");
    assert_eq!(RasterFormat::of_file(Path::new(&grid)).unwrap(), Some(RasterFormat::AsciiGrid));
    let mut reader = open_raster(Path::new(&grid)).unwrap();
    assert_eq!((reader.chunk(0, 0).unwrap(), reader.about().path.to_str()), (vec![1.0, 2.0], Some(grid.as_str())));
    let asked = seen.lock().unwrap().len();
    let other = format!("{address}/relief.tif?day=1");
    assert_eq!(RasterFormat::of_file(Path::new(&other)).unwrap(), Some(RasterFormat::GeoTiff));
    assert_eq!(seen.lock().unwrap().len(), asked, "nothing was fetched for that");
    assert!(open_raster(Path::new(&other)).err().unwrap().to_string().contains("404 Not Found"));
    for (path, part) in [
        ("/nothing.csv", "404 Not Found; check the address"),
        ("/secret", "401 Unauthorized; it wants to know who asks"),
        ("/round", "leads on more than 5 times, the last time to http://127.0.0.1"),
        ("/file", "leads to \"file:///etc/hostname\", which is no address on the web; nothing was read"),
        ("/nowhere", "leads somewhere else and does not say where"),
        ("/short.csv", "broke off after 25 bytes"),
        ("/empty.csv", "the server sends nothing"),
        ("/page", "is a web page"),
    ] {
        let message = get(path).unwrap_err();
        assert!(message.contains(part) && message.starts_with(&format!("{address}{path}")), "{message}");
    }
    let message = read(Path::new(&address.replace("http:", "https:")), &InputOptions::default()).unwrap_err();
    assert!(message.contains("cannot be reached") || message.contains("not secure"), "{message}");
    let gone = TcpListener::bind("127.0.0.1:0").unwrap().local_addr().unwrap();
    let message = read(Path::new(&format!("http://{gone}/a.csv")), &InputOptions::default()).unwrap_err();
    assert!(message.contains("cannot be reached"), "{message}");
}
