//! `serve`

use super::{Definition, Perform, demo};
use crate::{Done, signals, text};
use anyhow::{Result, anyhow};
use basilocus_serve::{Faults, Options, serve};
use clap::{Parser, ValueEnum};
use std::net::SocketAddr;
use std::path::PathBuf;
use std::time::Duration;

pub(super) const COMMAND: Definition = Definition::plain::<Serve>("serve");

/// Serve geocoding over HTTP by open standards, or stand in for a service that is slow, limited and fails
#[derive(Debug, Parser)]
struct Serve {
    /// Address reference, made with `reference build`; may be given several times. A stand-in without one has that of the
    /// demonstration
    #[arg(long, value_name = "FILE", required_unless_present_any = ["stand_in", "heights"])]
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
        let options = Options { listen: self.listen, references, heights, feed, faults };
        signals::end_in_order();
        let cancel = signals::cancel();
        serve(&options, |address| tell(address, &options), move || cancel.is_cancelled())?;
        Ok(Done::Fine)
    }
}

/// Says where it is, and what there is.
fn tell(address: SocketAddr, options: &Options) {
    let what = if options.faults.is_some() { "standing in at" } else { "serving at" };
    let mut words = format!("basilocus: {what} http://{address}; Ctrl-C ends it\n");
    for (is_there, there) in [
        (!options.references.is_empty(), "addresses: OGC API - Processes at /processes/geocode, OpenLS 1.2 at /openls"),
        (options.heights.is_some(), "heights: OGC API - Environmental Data Retrieval at /collections/heights"),
        (options.feed.is_some(), "a feed: /feed/gauges.xml, gauges.geojson and gauges.csv"),
        (options.faults.is_some(), "the account: /account"),
    ] {
        if is_there {
            words.push_str(&format!("  {there}\n"));
        }
    }
    if !address.ip().is_loopback() {
        words.push_str("basilocus: it can be reached from other machines, and asks nobody who they are\n");
    }
    text::tell(&words);
}
