//! So many requests a second, by whichever thread.

use std::sync::{Mutex, PoisonError};
use std::time::Duration;

/// Says when the next request may go. Time is what the caller says it is, so that tests take none.
#[derive(Debug)]
pub struct Pace {
    between: Duration,
    next: Mutex<Duration>,
}

impl Pace {
    /// So many a second; `None` for as fast as answers come.
    pub fn per_second(rate: Option<f64>) -> Self {
        let between = rate.filter(|r| *r > 0.0).map_or(Duration::ZERO, |r| Duration::from_secs_f64(1.0 / r));
        Pace { between, next: Mutex::new(Duration::ZERO) }
    }

    /// Takes the next turn: how long to wait for it, from `now`, the time since the asking began.
    pub fn wait(&self, now: Duration) -> Duration {
        let mut next = self.next.lock().unwrap_or_else(PoisonError::into_inner);
        let turn = now.max(*next);
        *next = turn + self.between;
        turn - now
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn turns_are_apart_and_no_time_is_saved_up() {
        let pace = Pace::per_second(Some(4.0));
        let ms = Duration::from_millis;
        assert_eq!(pace.wait(ms(0)), ms(0));
        assert_eq!(pace.wait(ms(0)), ms(250));
        assert_eq!(pace.wait(ms(100)), ms(400));
        // A pause does not allow a burst behind it.
        assert_eq!(pace.wait(ms(10_000)), ms(0));
        assert_eq!(pace.wait(ms(10_000)), ms(250));
        let free = Pace::per_second(None);
        assert!((0..100).all(|_| free.wait(ms(1)) == ms(0)));
    }
}
