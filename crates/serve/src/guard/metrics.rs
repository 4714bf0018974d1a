//! What is counted, in the OpenMetrics text format.

use axum::http::{Method, StatusCode};
use prometheus_client::encoding::EncodeLabelSet;
use prometheus_client::encoding::text::encode;
use prometheus_client::metrics::counter::Counter;
use prometheus_client::metrics::family::Family;
use prometheus_client::metrics::histogram::{Histogram, exponential_buckets};
use prometheus_client::registry::{Registry, Unit};
use std::time::Duration;

#[derive(Debug, Clone, PartialEq, Eq, Hash, EncodeLabelSet)]
struct Request {
    method: &'static str,
    route: String,
    status: u16,
}

#[derive(Debug, Clone, PartialEq, Eq, Hash, EncodeLabelSet)]
struct Route {
    route: String,
}

/// What is counted.
pub(crate) struct Metrics {
    registry: Registry,
    requests: Family<Request, Counter>,
    seconds: Family<Route, Histogram, fn() -> Histogram>,
}

impl Metrics {
    pub(crate) fn new() -> Self {
        let mut registry = Registry::with_prefix("basilocus");
        let requests = Family::default();
        // From a tenth of a millisecond to some seconds.
        let buckets: fn() -> Histogram = || Histogram::new(exponential_buckets(0.0001, 4.0, 9));
        let seconds = Family::new_with_constructor(buckets);
        registry.register("requests", "Requests that were answered", requests.clone());
        registry.register_with_unit("answer", "How long answers took", Unit::Seconds, seconds.clone());
        Metrics { registry, requests, seconds }
    }

    /// Counts a request.
    pub(crate) fn count(&self, method: &Method, route: &str, status: StatusCode, took: Duration) {
        // What anybody can make up is not kept apart.
        let method =
            ["GET", "HEAD", "POST", "DELETE", "OPTIONS"].into_iter().find(|m| *m == method.as_str()).unwrap_or("other");
        let request = Request { method, route: route.to_string(), status: status.as_u16() };
        self.requests.get_or_create(&request).inc();
        self.seconds.get_or_create(&Route { route: route.to_string() }).observe(took.as_secs_f64());
    }

    /// The text.
    pub(crate) fn text(&self) -> String {
        let mut out = String::new();
        // Writing into a text does not fail.
        let _ = encode(&mut out, &self.registry);
        out
    }
}
