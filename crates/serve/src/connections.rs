//! Takes connections, each with its time-outs, until somebody ends it: then those that are under way get their answers.

use axum::Router;
use axum::extract::ConnectInfo;
use axum::http::Request;
use hyper::body::Incoming;
use hyper::server::conn::http1;
use hyper_util::rt::{TokioIo, TokioTimer};
use hyper_util::server::graceful::GracefulShutdown;
use hyper_util::service::TowerToHyperService;
use std::future::Future;
use std::sync::Arc;
use std::time::Duration;
use tokio::net::TcpListener;
use tokio::sync::Semaphore;
use tower::ServiceExt;

/// Connections at once; more wait.
const MOST: usize = 1024;
/// How long the head of a request may take: who sends it byte by byte keeps no place.
const HEAD: Duration = Duration::from_secs(15);
/// How long answers may take once it is to end.
const END: Duration = Duration::from_secs(30);
/// How long it rests where the system has no connection left to give.
const REST: Duration = Duration::from_millis(50);

/// Serves what is asked at a listener until `end` is over.
pub(crate) async fn take(listener: TcpListener, router: Router, end: impl Future<Output = ()>) {
    let places = Arc::new(Semaphore::new(MOST));
    let graceful = GracefulShutdown::new();
    let mut builder = http1::Builder::new();
    builder.timer(TokioTimer::new()).header_read_timeout(HEAD).max_headers(64);
    let mut end = std::pin::pin!(end);
    loop {
        let taken = async {
            let place = places.clone().acquire_owned().await.ok()?;
            Some((listener.accept().await, place))
        };
        let (accepted, place) = tokio::select! {
            taken = taken => match taken {
                Some(taken) => taken,
                None => break,
            },
            () = &mut end => break,
        };
        let Ok((stream, peer)) = accepted else {
            tokio::time::sleep(REST).await;
            continue;
        };
        // Answers are small and wait for nothing.
        let _ = stream.set_nodelay(true);
        let service = router.clone().map_request(move |mut request: Request<Incoming>| {
            request.extensions_mut().insert(ConnectInfo(peer));
            request
        });
        let connection = builder.serve_connection(TokioIo::new(stream), TowerToHyperService::new(service));
        let watched = graceful.watch(connection);
        tokio::spawn(async move {
            // What goes wrong with a connection is known to who asked.
            let _ = watched.await;
            drop(place);
        });
    }
    drop(listener);
    let _ = tokio::time::timeout(END, graceful.shutdown()).await;
}
