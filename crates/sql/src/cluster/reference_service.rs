//! What an executor answers beside its work: whether it has the address references that a query means.

use crate::references;
use arrow_flight::flight_service_server::FlightServiceServer;
use axum::Router;
use axum::extract::Query;
use axum::http::StatusCode;
use axum::routing::get;
use ballista_core::error::BallistaError;
use ballista_core::utils::create_grpc_server;
use ballista_executor::ArrowFlightServerProvider;
use ballista_executor::flight_service::BallistaFlightService;
use serde::Deserialize;
use std::sync::Arc;
use std::time::Duration;
use tonic::service::Routes;

/// Within this it says something: the server of an executor breaks off what takes 20 seconds.
const SOON: Duration = Duration::from_secs(8);

/// Where it answers, at the address where others fetch what it made.
pub(super) const PATH: &str = "/reference";

/// What is asked: a reference with its sum.
#[derive(Deserialize)]
struct Asked {
    reference: String,
}

/// Nothing where it has it, "not yet" while it is fetched, else what is wrong.
async fn answer(Query(asked): Query<Asked>) -> (StatusCode, String) {
    // It may have to be fetched, which goes on behind an answer that says so.
    let looked = tokio::task::spawn_blocking(move || references::paths(&[asked.reference]));
    match tokio::time::timeout(SOON, looked).await {
        Ok(Ok(Ok(_))) => (StatusCode::NO_CONTENT, String::new()),
        Ok(Ok(Err(e))) => (StatusCode::CONFLICT, e.to_string()),
        Ok(Err(e)) => (StatusCode::INTERNAL_SERVER_ERROR, e.to_string()),
        Err(_) => (StatusCode::ACCEPTED, String::new()),
    }
}

/// The server of what an executor made, with these answers; messages have so many bytes at most, as they leave and as they come.
pub(super) fn provider(leaving: usize, coming: usize) -> Arc<ArrowFlightServerProvider> {
    Arc::new(move |work_folder, address, mut shutdown, config| {
        tokio::spawn(async move {
            let made = FlightServiceServer::new(BallistaFlightService::new(work_folder))
                .max_encoding_message_size(leaving)
                .max_decoding_message_size(coming);
            let routes: Router = Routes::new(made).into_axum_router().route(PATH, get(answer));
            let mut server = create_grpc_server(&config).accept_http1(true);
            let ended = server.add_routes(Routes::from(routes)).serve_with_shutdown(address, shutdown.recv()).await;
            ended.map_err(BallistaError::TonicError)
        })
    })
}
