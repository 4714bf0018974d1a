//! When a request is tried again, how long to wait for that, and when a service counts as down.

use jiff::Timestamp;
use jiff::fmt::rfc2822;
use std::time::Duration;

/// The longest wait between two tries of a request.
const LONGEST_WAIT: Duration = Duration::from_secs(60);

/// How often and after what pauses a request is tried.
#[derive(Debug, Clone, Copy, PartialEq)]
pub struct Patience {
    /// Tries of a request in all.
    pub tries: u32,
    /// The pause after the first try; each further one is twice as long, up to a minute.
    pub first_pause: Duration,
    /// The longest pause that a service may ask for; where it asks for more, asking ends.
    pub longest_asked_pause: Duration,
    /// Requests in a row that failed at all their tries: then the service counts as down.
    pub failures_until_down: u32,
}

impl Default for Patience {
    fn default() -> Self {
        Patience {
            tries: 5,
            first_pause: Duration::from_secs(1),
            longest_asked_pause: Duration::from_secs(600),
            failures_until_down: 3,
        }
    }
}

impl Patience {
    /// The pause before the next try, after so many. `share`, from 0 up to 1, is drawn by the caller: requests that failed
    /// together must not come back together.
    pub fn pause(&self, tries: u32, share: f64) -> Duration {
        let doubled = self.first_pause.saturating_mul(1 << tries.saturating_sub(1).min(16));
        doubled.min(LONGEST_WAIT).mul_f64(0.5 + share.clamp(0.0, 1.0) / 2.0)
    }
}

/// Whether the same request may do better later: too many requests, a gateway, a service that is busy.
pub fn may_pass(status: u16) -> bool {
    matches!(status, 408 | 425 | 429 | 500 | 502 | 503 | 504)
}

/// How long `Retry-After` asks to wait: seconds, or a date (RFC 9110, 10.2.3).
pub fn retry_after(value: &str, now: Timestamp) -> Option<Duration> {
    let value = value.trim();
    if let Ok(seconds) = value.parse::<u64>() {
        return Some(Duration::from_secs(seconds));
    }
    let at = rfc2822::parse(value).ok()?.timestamp();
    Some(Duration::try_from(at.duration_since(now)).unwrap_or(Duration::ZERO))
}

/// Random shares from a seed: of pauses, no secrets (SplitMix64).
#[derive(Debug)]
pub struct Shares(u64);

impl Shares {
    /// From a seed.
    pub fn new(seed: u64) -> Self {
        Shares(seed)
    }

    /// The next one, from 0 up to 1.
    pub fn draw(&mut self) -> f64 {
        self.0 = self.0.wrapping_add(0x9e37_79b9_7f4a_7c15);
        let mut z = self.0;
        z = (z ^ (z >> 30)).wrapping_mul(0xbf58_476d_1ce4_e5b9);
        z = (z ^ (z >> 27)).wrapping_mul(0x94d0_49bb_1331_11eb);
        (z ^ (z >> 31)) as f64 / u64::MAX as f64
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn pauses_double_and_have_an_end() {
        let patience = Patience::default();
        let all: Vec<f64> = (1..9).map(|n| patience.pause(n, 1.0).as_secs_f64()).collect();
        assert_eq!(all, [1.0, 2.0, 4.0, 8.0, 16.0, 32.0, 60.0, 60.0]);
        assert_eq!(patience.pause(2, 0.0).as_secs_f64(), 1.0, "by chance down to half of it");
        assert_eq!(patience.pause(u32::MAX, 1.0), LONGEST_WAIT);
    }

    #[test]
    fn services_ask_for_pauses_in_two_ways() {
        let now: Timestamp = "2026-11-27T08:00:00Z".parse().unwrap();
        assert_eq!(retry_after("120", now), Some(Duration::from_secs(120)));
        assert_eq!(retry_after("Fri, 27 Nov 2026 08:00:30 GMT", now), Some(Duration::from_secs(30)));
        assert_eq!(retry_after("Fri, 27 Nov 2026 07:00:30 GMT", now), Some(Duration::ZERO), "in the past");
        assert_eq!(retry_after("soon", now), None);
        assert_eq!(retry_after("-5", now), None);
    }

    #[test]
    fn shares_spread() {
        let mut shares = Shares::new(7);
        let drawn: Vec<f64> = (0..1000).map(|_| shares.draw()).collect();
        assert!(drawn.iter().all(|s| (0.0..=1.0).contains(s)));
        let mean = drawn.iter().sum::<f64>() / 1000.0;
        assert!((mean - 0.5).abs() < 0.05, "{mean}");
    }
}
