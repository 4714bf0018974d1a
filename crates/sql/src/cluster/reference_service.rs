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
use tonic::service::Routes;

/// Where it answers, at the address where others fetch what it made.
pub(super) const PATH: &str = "/reference";

/// What is asked: a reference with its sum.
#[derive(Deserialize)]
struct Asked {
    reference: String,
}

/// Nothing where it has it, else what is wrong.
async fn answer(Query(asked): Query<Asked>) -> (StatusCode, String) {
    // It may have to be fetched.
    let found = tokio::task::spawn_blocking(move || references::paths(&[asked.reference])).await;
    match found {
        Ok(Ok(_)) => (StatusCode::OK, String::new()),
        Ok(Err(e)) => (StatusCode::CONFLICT, e.to_string()),
        Err(e) => (StatusCode::INTERNAL_SERVER_ERROR, e.to_string()),
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
