//! What a plan says of a geocoding service.

use serde::{Deserialize, Serialize};
use std::path::PathBuf;

/// A service to ask for what no reference places. Services are paid by the request: every answer is kept as it arrives,
/// and no address is asked for twice.
#[derive(Debug, Clone, Default, PartialEq, Serialize, Deserialize)]
#[cfg_attr(feature = "arguments", derive(clap::Args))]
#[serde(deny_unknown_fields)]
pub struct ServicePlan {
    /// Geocoding service to ask for what no reference places: an address on the web that speaks an open protocol, or a file
    /// that describes a service (see `docs/services.md`)
    #[cfg_attr(
        feature = "arguments",
        arg(
            id = "service",
            long = "service",
            value_name = "URL|FILE.toml",
            required = false,
            help_heading = "Service"
        )
    )]
    pub address: String,
    /// What the service speaks: openls (OpenLS 1.2) or processes (OGC API - Processes); found out unless said
    #[cfg_attr(feature = "arguments", arg(long, value_name = "NAME", requires = "service", help_heading = "Service"))]
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub protocol: Option<String>,
    /// Environment variable that holds the secret that the service wants
    #[cfg_attr(
        feature = "arguments",
        arg(
            long,
            value_name = "VARIABLE",
            requires = "service",
            conflicts_with = "secret_file",
            help_heading = "Service"
        )
    )]
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub secret_variable: Option<String>,
    /// File whose first line is the secret that the service wants
    #[cfg_attr(feature = "arguments", arg(long, value_name = "FILE", requires = "service", help_heading = "Service"))]
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub secret_file: Option<PathBuf>,
    /// Header that carries the secret; a bearer token unless said
    #[cfg_attr(feature = "arguments", arg(long, value_name = "NAME", requires = "service", help_heading = "Service"))]
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub secret_header: Option<String>,
    /// Parameter of the address that carries the secret
    #[cfg_attr(
        feature = "arguments",
        arg(
            long,
            value_name = "NAME",
            requires = "service",
            conflicts_with = "secret_header",
            help_heading = "Service"
        )
    )]
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub secret_parameter: Option<String>,
    /// Requests a second at most
    #[cfg_attr(feature = "arguments", arg(long, value_name = "N", requires = "service", help_heading = "Service"))]
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub rate: Option<f64>,
    /// Requests that are under way at once; 2 unless said
    #[cfg_attr(feature = "arguments", arg(long, value_name = "N", requires = "service", help_heading = "Service"))]
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub at_once: Option<usize>,
    /// Addresses in a request, where the service takes several; 50 unless said
    #[cfg_attr(feature = "arguments", arg(long, value_name = "N", requires = "service", help_heading = "Service"))]
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub batch: Option<usize>,
    /// Requests of this run at most; 0 asks nothing and uses what is kept
    #[cfg_attr(feature = "arguments", arg(long, value_name = "N", requires = "service", help_heading = "Service"))]
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub quota: Option<u64>,
    /// Ask again for addresses whose answer is older than so many days
    #[cfg_attr(feature = "arguments", arg(long, value_name = "DAYS", requires = "service", help_heading = "Service"))]
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub fresh: Option<u32>,
    /// Write the output although not all addresses were asked for; those are set aside
    #[cfg_attr(feature = "arguments", arg(long, requires = "service", help_heading = "Service"))]
    #[serde(default, skip_serializing_if = "crate::plan::is_default")]
    pub partial: bool,
    /// Seconds that an answer may take; 60 unless said
    #[cfg_attr(
        feature = "arguments",
        arg(long, value_name = "SECONDS", requires = "service", help_heading = "Service")
    )]
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub timeout: Option<f64>,
    /// Which number of a position comes first, where the service does not say it: lon-lat or lat-lon
    #[cfg_attr(feature = "arguments", arg(long, value_name = "ORDER", requires = "service", help_heading = "Service"))]
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub service_axes: Option<String>,
}
