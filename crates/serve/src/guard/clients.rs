//! How often each client may ask: a bucket of requests that fills up again, second by second.

use std::collections::HashMap;
use std::net::{IpAddr, Ipv6Addr};
use std::sync::{Mutex, PoisonError};
use std::time::Instant;

/// Clients that are remembered: beyond that those whose buckets are full are forgotten.
const MOST: usize = 10_000;

/// The clients of late.
pub(crate) struct Clients {
    rate: f64,
    buckets: Mutex<HashMap<IpAddr, (f64, Instant)>>,
}

/// Who is one client: of IPv6 a whole network of 64 bits, as each household has one.
fn client_of(ip: IpAddr) -> IpAddr {
    match ip {
        IpAddr::V6(v6) if v6.to_ipv4_mapped().is_none() => {
            let [a, b, c, d, ..] = v6.segments();
            IpAddr::V6(Ipv6Addr::new(a, b, c, d, 0, 0, 0, 0))
        }
        other => other.to_canonical(),
    }
}

impl Clients {
    /// Clients that may each ask so many times a second, and twice as many at once.
    pub(crate) fn new(rate: u32) -> Self {
        Clients { rate: f64::from(rate.max(1)), buckets: Mutex::default() }
    }

    /// Takes a request of a client; else in how many seconds one is taken.
    pub(crate) fn come(&self, ip: IpAddr, now: Instant) -> Result<(), u64> {
        let full = 2.0 * self.rate;
        let mut buckets = self.buckets.lock().unwrap_or_else(PoisonError::into_inner);
        let filled =
            |(left, at): (f64, Instant)| (left + now.saturating_duration_since(at).as_secs_f64() * self.rate).min(full);
        if buckets.len() >= MOST {
            buckets.retain(|_, bucket| filled(*bucket) < full);
        }
        if buckets.len() >= MOST {
            buckets.clear();
        }
        let bucket = buckets.entry(client_of(ip)).or_insert((full, now));
        let left = filled(*bucket);
        if left < 1.0 {
            *bucket = (left, now);
            return Err(((1.0 - left) / self.rate).ceil().max(1.0) as u64);
        }
        *bucket = (left - 1.0, now);
        Ok(())
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use std::time::Duration;

    #[test]
    fn a_client_that_asks_too_often_waits_and_others_do_not() {
        let clients = Clients::new(2);
        let now = Instant::now();
        let come = |ip: &str, ms: u64| clients.come(ip.parse().unwrap(), now + Duration::from_millis(ms)).is_ok();
        assert_eq!([0, 0, 0, 0, 0].map(|ms| come("10.0.0.1", ms)), [true, true, true, true, false]);
        assert!(come("10.0.0.2", 0));
        assert_eq!([400, 500, 600, 1100].map(|ms| come("10.0.0.1", ms)), [false, true, false, true]);
        // One household, and another one.
        assert!((0..4).all(|i| come(&format!("2001:db8::{i}"), 0)));
        assert!(!come("2001:db8::9", 0) && come("2001:db8:0:1::9", 0));
        assert!((0..4).all(|_| come("::ffff:10.0.0.7", 0)) && !come("10.0.0.7", 0));
    }

    #[test]
    fn clients_without_end_are_forgotten() {
        let clients = Clients::new(1);
        let now = Instant::now();
        for i in 0..(3 * MOST as u32) {
            let _ = clients.come(IpAddr::V4(i.into()), now);
        }
        assert!(clients.buckets.lock().unwrap().len() <= MOST);
    }
}
