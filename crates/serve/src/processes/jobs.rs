//! Jobs: executions that nobody waits for at the other end of a connection.

use crate::problem::Problem;
use serde_json::{Value, json};
use std::collections::BTreeMap;
use std::sync::atomic::{AtomicU64, Ordering};
use std::sync::{Mutex, MutexGuard, PoisonError};

/// Jobs that are remembered; of those that are done the oldest are forgotten first.
const MOST: usize = 1000;

/// The jobs, by their numbers.
#[derive(Default)]
pub(crate) struct Jobs {
    kept: Mutex<BTreeMap<u64, Job>>,
    /// The number that was given last. None is given twice: who asks for a job that was dismissed finds none of somebody else.
    last: AtomicU64,
}

struct Job {
    process: &'static str,
    created: String,
    finished: Option<String>,
    state: State,
}

enum State {
    Running,
    Successful(Value),
    Failed(Problem),
    Dismissed,
}

fn now() -> String {
    jiff::Timestamp::now().strftime("%Y-%m-%dT%H:%M:%SZ").to_string()
}

impl Jobs {
    fn locked(&self) -> MutexGuard<'_, BTreeMap<u64, Job>> {
        self.kept.lock().unwrap_or_else(PoisonError::into_inner)
    }

    /// Begins one; nothing where too many are under way.
    pub(crate) fn start(&self, process: &'static str) -> Option<String> {
        let mut jobs = self.locked();
        if jobs.len() >= MOST {
            let done = jobs.iter().find(|(_, j)| !matches!(j.state, State::Running)).map(|(id, _)| *id)?;
            jobs.remove(&done);
        }
        let id = self.last.fetch_add(1, Ordering::Relaxed) + 1;
        jobs.insert(id, Job { process, created: now(), finished: None, state: State::Running });
        Some(id.to_string())
    }

    /// Keeps what it came to, unless it was dismissed meanwhile.
    pub(crate) fn finish(&self, id: &str, outcome: Result<Value, Problem>) {
        let mut jobs = self.locked();
        let job = id.parse().ok().and_then(|id: u64| jobs.get_mut(&id)).filter(|j| matches!(j.state, State::Running));
        if let Some(job) = job {
            job.finished = Some(now());
            job.state = outcome.map_or_else(State::Failed, State::Successful);
        }
    }

    /// What is known of one.
    pub(crate) fn status(&self, id: &str) -> Option<Value> {
        let number = id.parse().ok()?;
        self.locked().get(&number).map(|job| job.status(number))
    }

    /// What is known of all.
    pub(crate) fn all(&self) -> Vec<Value> {
        self.locked().iter().map(|(id, job)| job.status(*id)).collect()
    }

    /// Ends one, or forgets what it came to.
    pub(crate) fn dismiss(&self, id: &str) -> Option<Value> {
        let number = id.parse().ok()?;
        let mut jobs = self.locked();
        let job = jobs.get_mut(&number)?;
        job.finished.get_or_insert_with(now);
        job.state = State::Dismissed;
        let status = job.status(number);
        jobs.remove(&number);
        Some(status)
    }

    /// What one came to.
    pub(crate) fn results(&self, id: &str) -> Result<Value, Problem> {
        let jobs = self.locked();
        let job = id.parse().ok().and_then(|n: u64| jobs.get(&n)).ok_or_else(|| Problem::no_such_job(id))?;
        match &job.state {
            State::Successful(value) => Ok(value.clone()),
            State::Failed(problem) => Err(problem.clone()),
            State::Running | State::Dismissed => Err(Problem::result_not_ready(id)),
        }
    }
}

impl Job {
    fn status(&self, id: u64) -> Value {
        let (status, message) = match &self.state {
            State::Running => ("running", None),
            State::Successful(_) => ("successful", None),
            State::Failed(problem) => ("failed", Some(problem.detail.clone())),
            State::Dismissed => ("dismissed", None),
        };
        let mut links = vec![json!({"href": format!("/jobs/{id}"), "rel": "self", "type": "application/json"})];
        if status == "successful" {
            links.push(json!({
                "href": format!("/jobs/{id}/results"),
                "rel": "http://www.opengis.net/def/rel/ogc/1.0/results",
                "type": "application/json",
            }));
        }
        let mut fields = json!({
            "jobID": id.to_string(),
            "processID": self.process,
            "type": "process",
            "status": status,
            "created": self.created,
            "links": links,
        });
        for (name, value) in [("message", message), ("finished", self.finished.clone())] {
            if let Some(value) = value {
                fields[name] = value.into();
            }
        }
        fields
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn a_job_has_a_life() {
        let jobs = Jobs::default();
        let id = jobs.start("geocode").unwrap();
        assert_eq!(jobs.status(&id).unwrap()["status"], "running");
        assert!(jobs.results(&id).unwrap_err().kind.ends_with("result-not-ready"));
        jobs.finish(&id, Ok(json!([1])));
        assert_eq!(jobs.status(&id).unwrap()["links"][1]["href"], "/jobs/1/results");
        assert_eq!(jobs.results(&id).unwrap(), json!([1]));
        assert_eq!(jobs.dismiss(&id).unwrap()["status"], "dismissed");
        assert!(jobs.status(&id).is_none() && jobs.results(&id).unwrap_err().kind.ends_with("no-such-job"));
        // What comes to an end after its dismissal changes nothing, and no other job has its number.
        let id = jobs.start("geocode").unwrap();
        assert_eq!(id, "2");
        jobs.dismiss(&id);
        jobs.finish(&id, Ok(json!(null)));
        assert!(jobs.status(&id).is_none() && jobs.status("x").is_none());
    }

    #[test]
    fn the_oldest_that_are_done_are_forgotten() {
        let jobs = Jobs::default();
        let ids: Vec<String> = (0..MOST).map(|_| jobs.start("geocode").unwrap()).collect();
        assert_eq!(jobs.start("geocode"), None, "all are under way");
        jobs.finish(&ids[3], Err(Problem::bad("no")));
        assert_eq!(jobs.status(&ids[3]).unwrap()["message"], "no");
        assert!(jobs.start("geocode").is_some() && jobs.status(&ids[3]).is_none());
    }
}
