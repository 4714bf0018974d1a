//! Delays, failures and limits.

use crate::problem::Problem;
use crate::server::App;
use axum::body::Body;
use axum::extract::{Request, State};
use axum::http::{HeaderValue, StatusCode, header};
use axum::middleware::Next;
use axum::response::{IntoResponse, Response};
use std::collections::VecDeque;
use std::pin::Pin;
use std::sync::{Arc, Mutex, PoisonError};
use std::task::{Context, Poll};
use std::time::{Duration, Instant};

/// How a stand-in behaves. Failures come by chance from the seed: the same requests meet the same ones.
#[derive(Debug, Clone, Copy, PartialEq, Default)]
pub struct Faults {
    /// How long each answer takes.
    pub slow: Duration,
    /// Which share of requests fails, from 0 to 1: turned away, answered by a gateway's page, or broken off in the middle.
    pub fail: f64,
    /// Requests that are answered in all; those beyond are told to come again tomorrow.
    pub quota: Option<u64>,
    /// Requests that are answered in a second.
    pub limit_per_s: Option<u32>,
    /// The seed of chance.
    pub seed: u64,
}

/// What a request meets.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
enum Fault {
    TurnedAway,
    Gateway,
    BrokenOff,
}

/// Faults on their way: how many requests came, and when.
pub(crate) struct Faulty {
    faults: Faults,
    state: Mutex<Came>,
}

#[derive(Default)]
struct Came {
    requests: u64,
    answered: u64,
    lately: VecDeque<Instant>,
}

impl Faulty {
    pub(crate) fn new(faults: Faults) -> Self {
        Faulty { faults, state: Mutex::default() }
    }

    /// The account so far: requests that came, and those that were answered.
    pub(crate) fn account(&self) -> (u64, u64) {
        let came = self.state.lock().unwrap_or_else(PoisonError::into_inner);
        (came.requests, came.answered)
    }

    /// What a request meets that comes now.
    fn meet(&self, now: Instant) -> Result<Option<Fault>, Problem> {
        let mut came = self.state.lock().unwrap_or_else(PoisonError::into_inner);
        came.requests += 1;
        if let Some(limit) = self.faults.limit_per_s {
            while came.lately.front().is_some_and(|t| now.duration_since(*t) >= Duration::from_secs(1)) {
                came.lately.pop_front();
            }
            if came.lately.len() >= limit as usize {
                return Err(Problem::new(StatusCode::TOO_MANY_REQUESTS, format!("at most {limit} requests a second")));
            }
            came.lately.push_back(now);
        }
        let share = share(self.faults.seed, came.requests);
        if share < self.faults.fail {
            // The rest of the number says how.
            let kinds = [Fault::TurnedAway, Fault::Gateway, Fault::BrokenOff];
            return Ok(Some(kinds[((share / self.faults.fail) * 3.0) as usize % 3]));
        }
        if let Some(quota) = self.faults.quota.filter(|quota| came.answered >= *quota) {
            return Err(Problem::new(
                StatusCode::TOO_MANY_REQUESTS,
                format!("the quota of {quota} requests is used up"),
            ));
        }
        came.answered += 1;
        Ok(None)
    }
}

/// A share from 0 up to 1, from a seed and the number of a request (SplitMix64).
fn share(seed: u64, request: u64) -> f64 {
    let mut z = seed.wrapping_add(request.wrapping_mul(0x9e37_79b9_7f4a_7c15));
    z = (z ^ (z >> 30)).wrapping_mul(0xbf58_476d_1ce4_e5b9);
    z = (z ^ (z >> 27)).wrapping_mul(0x94d0_49bb_1331_11eb);
    ((z ^ (z >> 31)) >> 11) as f64 / (1u64 << 53) as f64
}

/// Lets a request through as the faults have it.
pub(crate) async fn pass(State(app): State<Arc<App>>, request: Request, next: Next) -> Response {
    let Some(faulty) = &app.faulty else { return next.run(request).await };
    let slow = faulty.faults.slow;
    if !slow.is_zero() {
        tokio::time::sleep(slow).await;
    }
    match faulty.meet(Instant::now()) {
        Ok(None) => next.run(request).await,
        Ok(Some(Fault::TurnedAway)) => Problem::new(StatusCode::SERVICE_UNAVAILABLE, "busy; try again").into_response(),
        Ok(Some(Fault::Gateway)) => {
            let page = "<!DOCTYPE html><html><body><h1>502 Bad Gateway</h1></body></html>";
            (StatusCode::BAD_GATEWAY, [(header::CONTENT_TYPE, "text/html")], page).into_response()
        }
        Ok(Some(Fault::BrokenOff)) => broken_off(next.run(request).await).await,
        Err(problem) => {
            // Beyond the limit of a second it is soon over, beyond the quota tomorrow.
            let is_quota = problem.detail.starts_with("the quota");
            let mut response = problem.into_response();
            let after = HeaderValue::from_static(if is_quota { "86400" } else { "1" });
            response.headers_mut().insert(header::RETRY_AFTER, after);
            response
        }
    }
}

/// The first half of an answer, and then nothing more.
async fn broken_off(response: Response) -> Response {
    let (mut parts, body) = response.into_parts();
    let bytes = axum::body::to_bytes(body, usize::MAX).await.unwrap_or_default();
    parts.headers.remove(header::CONTENT_LENGTH);
    // As it is: what is packed would be held back until there is enough of it.
    parts.headers.insert(header::CONTENT_ENCODING, HeaderValue::from_static("identity"));
    let half = bytes.slice(..bytes.len() / 2);
    let pause = Box::pin(tokio::time::sleep(UNTIL_SENT));
    Response::from_parts(parts, Body::new(HalfBody { half: Some(half), pause }))
}

/// How long it takes until the first half is on its way: what was not sent when the body breaks off never is.
const UNTIL_SENT: Duration = Duration::from_millis(10);

/// A body that breaks off: hyper closes the connection in the middle of it.
struct HalfBody {
    half: Option<axum::body::Bytes>,
    pause: Pin<Box<tokio::time::Sleep>>,
}

impl axum::body::HttpBody for HalfBody {
    type Data = axum::body::Bytes;
    type Error = std::io::Error;

    fn poll_frame(
        mut self: Pin<&mut Self>,
        context: &mut Context<'_>,
    ) -> Poll<Option<Result<http_body::Frame<Self::Data>, Self::Error>>> {
        if let Some(bytes) = self.half.take() {
            return Poll::Ready(Some(Ok(http_body::Frame::data(bytes))));
        }
        self.pause.as_mut().poll(context).map(|()| Some(Err(std::io::Error::other("broken off on purpose"))))
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn failures_come_by_their_share_and_the_same_each_time() {
        let meet = |seed| {
            let faulty = Faulty::new(Faults { fail: 0.3, seed, ..Default::default() });
            (0..1000).map(|_| faulty.meet(Instant::now()).unwrap()).collect::<Vec<_>>()
        };
        let met = meet(7);
        let failed = met.iter().flatten().count();
        assert!((250..350).contains(&failed), "{failed}");
        for kind in [Fault::TurnedAway, Fault::Gateway, Fault::BrokenOff] {
            assert!(met.iter().flatten().filter(|f| **f == kind).count() > 60, "{kind:?}");
        }
        assert_eq!(met, meet(7));
        assert_ne!(met, meet(8));
    }

    #[test]
    fn limits_hold() {
        let now = Instant::now();
        let faulty = Faulty::new(Faults { limit_per_s: Some(2), ..Default::default() });
        let at = |ms| faulty.meet(now + Duration::from_millis(ms)).is_ok();
        assert_eq!([0, 10, 20, 900, 1000, 1005, 1011].map(at), [true, true, false, false, true, false, true]);
        let faulty = Faulty::new(Faults { quota: Some(3), ..Default::default() });
        let answered = (0..9).filter(|_| faulty.meet(now).is_ok()).count();
        assert_eq!(answered, 3);
    }
}
