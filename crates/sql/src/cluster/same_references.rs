//! Before a query begins, every executor is asked whether it has the address references that the query means: one with another
//! version would be found by its first work only, when others have done theirs.

use super::reference_service::PATH;
use crate::Error;
use crate::functions::scalar::Scalar;
use ballista_scheduler::cluster::ClusterState;
use datafusion::catalog::Session;
use datafusion::common::Result;
use datafusion::common::tree_node::{TreeNode, TreeNodeRecursion};
use datafusion::execution::context::QueryPlanner;
use datafusion::logical_expr::expr::ScalarFunction;
use datafusion::logical_expr::{Expr, LogicalPlan};
use datafusion::physical_plan::ExecutionPlan;
use std::collections::BTreeSet;
use std::fmt;
use std::sync::Arc;
use std::time::{Duration, Instant};

/// An executor that does not answer at all within this is lost, which the scheduler finds by itself.
const TO_CONNECT: Duration = Duration::from_secs(5);
/// An executor says within seconds that it has a reference, or not yet; longer is as good as no answer.
const TO_SAY_SO: Duration = Duration::from_secs(30);
/// A reference may have to be fetched from far away.
const TO_FETCH: Duration = Duration::from_secs(600);

/// Plans queries as the engine does, once all executors have what they mean.
pub(super) struct AskingPlanner {
    planner: Arc<dyn QueryPlanner + Send + Sync>,
    cluster: Arc<dyn ClusterState>,
}

impl AskingPlanner {
    pub(super) fn around(planner: Arc<dyn QueryPlanner + Send + Sync>, cluster: Arc<dyn ClusterState>) -> Self {
        AskingPlanner { planner, cluster }
    }
}

impl fmt::Debug for AskingPlanner {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        write!(f, "AskingPlanner around {:?}", self.planner)
    }
}

#[async_trait::async_trait]
impl QueryPlanner for AskingPlanner {
    async fn create_physical_plan(&self, plan: &LogicalPlan, session: &dyn Session) -> Result<Arc<dyn ExecutionPlan>> {
        let references = references_of(plan)?;
        if !references.is_empty() {
            let executors = self.cluster.registered_executor_metadata().await;
            let asked = executors.iter().flat_map(|executor| {
                let address = format!("{}:{}", executor.host, executor.port);
                references.iter().map(move |reference| ask(address.clone(), reference.clone()))
            });
            futures::future::try_join_all(asked).await?;
        }
        self.planner.create_physical_plan(plan, session).await
    }
}

/// The references that a plan names, with their sums.
fn references_of(plan: &LogicalPlan) -> Result<BTreeSet<String>> {
    let mut found = BTreeSet::new();
    plan.apply_with_subqueries(|part| {
        part.apply_expressions(|expression| {
            expression.apply(|e| {
                if let Expr::ScalarFunction(ScalarFunction { func, args }) = e
                    && let Some(ours) = func.inner().downcast_ref::<Scalar>()
                {
                    found.extend(ours.references(args));
                }
                Ok(TreeNodeRecursion::Continue)
            })
        })
    })?;
    Ok(found)
}

/// What an executor said.
enum Answer {
    /// It has the reference.
    Yes,
    /// It is being fetched.
    NotYet,
    /// It has another one, or none.
    No(String),
}

/// Asks an executor until it knows.
///
/// # Errors
/// [`Error::Executor`] where it has another reference, or none, or has not fetched it in time.
async fn ask(address: String, reference: String) -> Result<(), Error> {
    let url = format!("http://{address}{PATH}");
    let agent: ureq::Agent = ureq::Agent::config_builder()
        .http_status_as_error(false)
        .timeout_connect(Some(TO_CONNECT))
        .timeout_global(Some(TO_SAY_SO))
        .build()
        .into();
    let began = Instant::now();
    loop {
        let (agent, url, named) = (agent.clone(), url.clone(), reference.clone());
        let answer = tokio::task::spawn_blocking(move || {
            let mut answer = agent.get(url).query("reference", named).call().ok()?;
            match answer.status().as_u16() {
                204 => Some(Answer::Yes),
                202 => Some(Answer::NotYet),
                409 => answer.body_mut().read_to_string().ok().map(Answer::No),
                _ => None,
            }
        });
        match answer.await {
            Ok(Some(Answer::No(what))) => return Err(Error::Executor { address, what }),
            Ok(Some(Answer::NotYet)) if began.elapsed() < TO_FETCH => {}
            Ok(Some(Answer::NotYet)) => {
                let what =
                    format!("{reference}: it has not fetched this reference within {} seconds", TO_FETCH.as_secs());
                return Err(Error::Executor { address, what });
            }
            // Whoever does not answer so is not told from one that was lost; it looks again when it gets work.
            Ok(Some(Answer::Yes) | None) | Err(_) => return Ok(()),
        }
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use std::io::{BufRead, BufReader, Write};
    use std::net::TcpListener;

    /// Whoever answers with these, one after the other, and how many were left when nobody asked any more.
    async fn after(answers: Vec<&'static str>) -> (Result<(), Error>, usize) {
        let listener = TcpListener::bind("127.0.0.1:0").unwrap();
        let address = listener.local_addr().unwrap().to_string();
        let left = Arc::new(std::sync::Mutex::new(answers.into_iter()));
        let giving = left.clone();
        std::thread::spawn(move || {
            for stream in listener.incoming() {
                let mut stream = stream.unwrap();
                let mut lines = BufReader::new(stream.try_clone().unwrap()).lines();
                while lines.next().is_some_and(|line| !line.unwrap().is_empty()) {}
                let answer = giving.lock().unwrap().next().unwrap_or("500 Internal Server Error\r\n\r\n");
                write!(stream, "HTTP/1.1 {answer}").unwrap();
            }
        });
        let asked = ask(address, "town.reference#00000000000000aa".into()).await;
        let left = left.lock().unwrap().len();
        (asked, left)
    }

    const NOT_YET: &str = "202 Accepted\r\nContent-Length: 0\r\nConnection: close\r\n\r\n";
    const YES: &str = "204 No Content\r\nConnection: close\r\n\r\n";
    const NO: &str = "409 Conflict\r\nContent-Length: 11\r\nConnection: close\r\n\r\nanother one";

    #[tokio::test(flavor = "multi_thread")]
    async fn who_does_not_know_yet_is_asked_again() {
        let (asked, left) = after(vec![NOT_YET, NOT_YET, NO, YES]).await;
        let told = asked.unwrap_err().to_string();
        assert!(told.contains("nothing was begun") && told.contains("another one"), "{told}");
        assert_eq!(left, 1);
        let (asked, left) = after(vec![NOT_YET, YES, NO]).await;
        assert!(asked.is_ok() && left == 1);
        // One that is lost is found by the scheduler.
        let (asked, left) = after(vec!["500 Internal Server Error\r\nContent-Length: 0\r\n\r\n", NO]).await;
        assert!(asked.is_ok() && left == 1);
    }
}
