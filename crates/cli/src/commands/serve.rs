//! `serve`

use super::{Definition, Perform, demo};
use crate::flags::in_text;
use crate::{Done, signals, text};
use anyhow::{Result, anyhow};
use basilocus_serve::{Beginning, Faults, Guard, LogTo, Options, serve};
use clap::{Parser, ValueEnum};
use std::net::SocketAddr;
use std::path::PathBuf;
use std::time::Duration;

pub(super) const COMMAND: Definition = Definition::plain::<Serve>("serve");

/// Serve layers, conversions, addresses and heights over HTTP by open standards, or stand in for a service that is slow,
/// limited and fails
#[derive(Debug, Parser)]
struct Serve {
    /// Layers of any format; a GeoPackage is served as it lies there, others are converted into a temporary folder first
    layers: Vec<PathBuf>,
    /// System of the layers, where their files carry none
    #[arg(long, value_name = "CRS")]
    from: Option<String>,
    /// Folder of grid files for ways between datums
    #[arg(long, value_name = "DIR")]
    grids: Option<PathBuf>,
    /// Address reference, made with `reference build`; may be given several times. A stand-in without one has that of the
    /// demonstration
    #[arg(long, value_name = "FILE")]
    reference: Vec<PathBuf>,
    /// Grid of heights that carries its system; a stand-in without one has the levee of the demonstration
    #[arg(long, value_name = "GRID")]
    heights: Option<PathBuf>,
    /// Stand in for a service of this kind, to try what asks it
    #[arg(long, value_name = "KIND")]
    stand_in: Option<StandIn>,
    /// Seconds that the readings of the feed stay as they are
    #[arg(long, value_name = "SECONDS", requires = "stand_in", default_value_t = 60, help_heading = "Stand-in")]
    period: u64,
    /// Where to listen: an address of this machine and a port; port 0 takes a free one
    #[arg(long, value_name = "ADDRESS:PORT", default_value = "127.0.0.1:8046")]
    listen: SocketAddr,
    /// What addresses begin with from outside, where a proxy stands before
    #[arg(long, value_name = "URL", help_heading = "Who may ask")]
    public_address: Option<String>,
    /// File of tokens, one a line, one of which each request has to bear
    #[arg(long, value_name = "FILE", help_heading = "Who may ask")]
    tokens: Option<PathBuf>,
    /// Requests that a client may make in a second
    #[arg(long, value_name = "N", value_parser = clap::value_parser!(u32).range(1..), help_heading = "Who may ask")]
    rate: Option<u32>,
    /// Origins whose pages may ask from a browser, such as https://maps.example; * for any
    #[arg(long, value_name = "ORIGIN", help_heading = "Who may ask")]
    origin: Vec<String>,
    /// Write each request down, one JSON object a line, at the end of this file, or with - on standard error; what was asked
    /// for is never written
    #[arg(long, value_name = "FILE", help_heading = "Who may ask")]
    log: Option<PathBuf>,
    /// Milliseconds that each answer takes
    #[arg(long, value_name = "MS", requires = "stand_in", default_value_t = 0, help_heading = "Stand-in")]
    slow: u64,
    /// Share of requests that fails, from 0 to 1: turned away, answered by a gateway's page, or broken off in the middle
    #[arg(long, value_name = "SHARE", requires = "stand_in", default_value_t = 0.0, value_parser = share, help_heading = "Stand-in")]
    fail: f64,
    /// Requests that are answered in all
    #[arg(long, value_name = "N", requires = "stand_in", help_heading = "Stand-in")]
    quota: Option<u64>,
    /// Requests that are answered in a second
    #[arg(long, value_name = "N", requires = "stand_in", help_heading = "Stand-in")]
    limit: Option<u32>,
    /// The seed of chance: the same requests meet the same failures
    #[arg(long, value_name = "N", requires = "stand_in", default_value_t = 1, help_heading = "Stand-in")]
    seed: u64,
}

/// What is stood in for.
#[derive(Debug, Clone, Copy, PartialEq, Eq, ValueEnum)]
enum StandIn {
    /// A geocoder.
    Geocoder,
    /// Heights of the ground.
    Elevation,
    /// A feed of gauges.
    Feed,
}

fn share(text: &str) -> Result<f64, String> {
    let value: f64 = text.parse().map_err(|_| "a number from 0 to 1 is expected".to_string())?;
    if (0.0..=1.0).contains(&value) { Ok(value) } else { Err("a number from 0 to 1 is expected".into()) }
}

impl Perform for Serve {
    fn perform(self) -> Result<Done> {
        // What a stand-in knows lives as long as it does.
        let folder = tempfile::tempdir().map_err(|e| anyhow!("a temporary folder cannot be made: {e}"))?;
        let mut references = self.reference.clone();
        if references.is_empty() && self.stand_in == Some(StandIn::Geocoder) {
            references.push(demo::build_reference(folder.path())?);
        }
        let faults = self.stand_in.map(|_| Faults {
            slow: Duration::from_millis(self.slow),
            fail: self.fail,
            quota: self.quota,
            limit_per_s: self.limit,
            seed: self.seed,
        });
        let mut heights = self.heights.clone();
        if heights.is_none() && self.stand_in == Some(StandIn::Elevation) {
            heights = Some(demo::make_grid(folder.path())?);
        }
        let feed = (self.stand_in == Some(StandIn::Feed)).then(|| Duration::from_secs(self.period.max(1)));
        let log = match self.log {
            None => LogTo::Problems,
            Some(file) if file.as_os_str() == "-" => LogTo::StandardError,
            Some(file) => LogTo::File(file),
        };
        let guard = Guard { tokens: self.tokens, rate: self.rate, origins: self.origin, log };
        let options = Options {
            public_address: self.public_address,
            layers: self.layers,
            from: self.from,
            grids: self.grids,
            references,
            heights,
            feed,
            faults,
            guard,
            ..Options::at(self.listen)
        };
        signals::end_in_order();
        let cancel = signals::cancel();
        serve(&options, |beginning| tell(beginning, &options), move || cancel.is_cancelled())?;
        Ok(Done::Fine)
    }
}

/// Says where it is, and what there is.
fn tell(beginning: &Beginning, options: &Options) {
    let what = if options.faults.is_some() { "standing in at" } else { "serving at" };
    let mut words = format!("basilocus: {what} http://{}; Ctrl-C ends it\n", beginning.address);
    for (id, notices) in &beginning.layers {
        words.push_str(&format!("  layer {id}: /collections/{id}\n"));
        notices.iter().for_each(|notice| words.push_str(&format!("    {}\n", in_text(notice))));
    }
    beginning.notices.iter().for_each(|notice| words.push_str(&format!("  {notice}\n")));
    for (is_there, there) in [
        (options.faults.is_none(), "conversions: OGC API - Processes at /processes; for people /"),
        (!options.references.is_empty(), "addresses: OGC API - Processes at /processes/geocode, OpenLS 1.2 at /openls"),
        (options.heights.is_some(), "heights: OGC API - Environmental Data Retrieval at /collections/heights"),
        (options.feed.is_some(), "a feed: /feed/gauges.xml, gauges.geojson and gauges.csv"),
        (options.faults.is_some(), "the account: /account"),
    ] {
        if is_there {
            words.push_str(&format!("  {there}\n"));
        }
    }
    if !beginning.address.ip().is_loopback() && options.guard.tokens.is_none() {
        words.push_str(
            "basilocus: it can be reached from other machines, and asks nobody who they are; --tokens asks them\n",
        );
    }
    text::tell(&words);
}
