//! How a service is reached, as a plan says it: its address, what it speaks, the secret that it wants, how politely it is
//! asked.

use super::super::service_plan::ServicePlan;
use crate::Error;
use basilocus_services::protocol::Described;
use basilocus_services::{AxisOrder, Kind, Manner, Secret, ServiceError, Web};
use std::path::Path;
use std::time::Duration;

/// Bytes that an answer may have.
const MOST_BYTES: u64 = 32 << 20;

/// How a service is reached.
pub(in crate::steps) struct Contact {
    /// What is asked: the address of the service, or of its requests as they are described.
    pub address: String,
    pub described: Option<Described>,
    /// What it speaks, where that was said.
    pub kind: Option<Kind>,
    /// Which number of a position comes first, where that was said.
    pub said_order: Option<AxisOrder>,
    secret: Option<Secret>,
    pub manner: Manner,
    timeout: Duration,
    /// Answers of earlier days are asked for again.
    pub since: Option<String>,
}

impl Contact {
    /// As a plan says it. Nothing is sent yet.
    ///
    /// # Errors
    /// [`Error::Usage`] for what contradicts itself or is no service.
    pub(in crate::steps) fn of(plan: &ServicePlan, day: &str) -> Result<Self, Error> {
        let usage = |e: ServiceError| Error::Usage(e.to_string());
        let is_file = !plan.address.contains("://");
        let described = if is_file { Some(Described::read(Path::new(&plan.address)).map_err(usage)?) } else { None };
        if described.is_some() && plan.protocol.is_some() {
            return Err(Error::Usage(
                "`protocol` is said, and `service` is a file that describes one of its own; leave one of them out"
                    .into(),
            ));
        }
        let kind = plan.protocol.as_deref().map(str::parse::<Kind>).transpose();
        let kind = kind.map_err(|e| Error::Usage(format!("`protocol` {e}")))?;
        let positive = |name: &str, value: Option<f64>| match value {
            Some(v) if !(v > 0.0 && v.is_finite()) => {
                Err(Error::Usage(format!("`{name}` {v}: a number above zero is expected")))
            }
            _ => Ok(()),
        };
        positive("rate", plan.rate)?;
        positive("timeout", plan.timeout)?;
        for (name, value) in [("at_once", plan.at_once), ("batch", plan.batch)] {
            positive(name, value.map(|n| n as f64))?;
        }
        let secret = match (&plan.secret_variable, &plan.secret_file) {
            (Some(_), Some(_)) => {
                return Err(Error::Usage("the secret is said twice, by `secret_variable` and `secret_file`".into()));
            }
            (Some(name), None) => Some(Secret::of_variable(name).map_err(usage)?),
            (None, Some(path)) => Some(Secret::of_file(path).map_err(usage)?),
            (None, None) => None,
        };
        if secret.is_none() && (plan.secret_header.is_some() || plan.secret_parameter.is_some()) {
            return Err(Error::Usage(
                "`secret_header` or `secret_parameter` without a secret; say where that is by `secret_file` or `secret_variable`".into(),
            ));
        }
        let secret = match (&plan.secret_header, &plan.secret_parameter) {
            (Some(_), Some(_)) => {
                return Err(Error::Usage(
                    "the secret is carried twice, by `secret_header` and `secret_parameter`".into(),
                ));
            }
            (Some(name), None) => secret.map(|s| s.in_header(name)),
            (None, Some(name)) => secret.map(|s| s.in_parameter(name)),
            (None, None) => secret,
        };
        let said_order = match plan.service_axes.as_deref() {
            None => None,
            Some("lon-lat") => Some(AxisOrder::LonLat),
            Some("lat-lon") => Some(AxisOrder::LatLon),
            Some(other) => {
                return Err(Error::Usage(format!("`service_axes` {other}: lon-lat or lat-lon is expected")));
            }
        };
        let usual_manner = Manner::default();
        let manner = Manner {
            rate_per_s: plan.rate,
            at_once: plan.at_once.unwrap_or(usual_manner.at_once),
            batch: plan.batch.unwrap_or(usual_manner.batch),
            quota: plan.quota,
            ..usual_manner
        };
        let timeout = Duration::from_secs_f64(plan.timeout.unwrap_or(60.0).min(3600.0));
        let address = described.as_ref().map_or(plan.address.clone(), |d| d.address().to_string());
        // A service that cannot be asked is found out before rows are read.
        Web::new(address.split('{').next().unwrap_or_default(), secret.clone(), timeout, MOST_BYTES).map_err(usage)?;
        Ok(Contact {
            address,
            described,
            kind,
            said_order,
            secret,
            manner,
            timeout,
            since: plan.fresh.map(|days| day_before(day, days)).transpose()?,
        })
    }

    /// What sends requests.
    ///
    /// # Errors
    /// Where the address is none that may be asked.
    pub(in crate::steps) fn web(&self) -> Result<Web, ServiceError> {
        let base = self.address.split('{').next().unwrap_or_default();
        Web::new(base, self.secret.clone(), self.timeout, MOST_BYTES)
    }
}

/// The day so many days before another.
fn day_before(day: &str, days: u32) -> Result<String, Error> {
    let wrong = |e: jiff::Error| Error::Usage(format!("`fresh` {days}: {e}"));
    let date: jiff::civil::Date = day.parse().map_err(wrong)?;
    Ok(date.checked_sub(jiff::Span::new().try_days(i64::from(days)).map_err(wrong)?).map_err(wrong)?.to_string())
}
