//! The location utility service of OpenLS 1.2 (OGC 07-074): addresses to positions, and positions to addresses.

mod request;
mod response;

use crate::geocoder::Geocoder;
use crate::server::App;
use axum::body::Bytes;
use axum::extract::State;
use axum::http::{StatusCode, header};
use axum::response::{IntoResponse, Response};
use request::What;
use std::sync::Arc;

/// How far an address may be from a position, metres: the answer says how far it is, and who asks decides what is near.
const WITHIN_M: f64 = 10_000.0;

/// Takes a request.
pub(crate) async fn take(State(app): State<Arc<App>>, body: Bytes) -> Response {
    let at = app.clone();
    let answered = at
        .work(move || {
            let geocoder = app.geocoder().map_err(|problem| problem.detail)?;
            answer(&geocoder, &body)
        })
        .await;
    let (status, text) = match answered {
        Ok(Ok(document)) => (StatusCode::OK, document),
        Ok(Err(problem)) => (StatusCode::BAD_REQUEST, response::error("NotSupported", &problem)),
        Err(_) => (StatusCode::INTERNAL_SERVER_ERROR, response::error("Unknown", "the request could not be answered")),
    };
    (status, [(header::CONTENT_TYPE, "application/xml; charset=utf-8")], text).into_response()
}

/// The document that answers a request, or what is wrong with that.
fn answer(geocoder: &Geocoder, body: &[u8]) -> Result<String, String> {
    let asked = request::read(body)?;
    Ok(match &asked.what {
        What::Addresses(addresses) => {
            let found: Vec<_> = addresses.iter().map(|q| geocoder.find(q)).collect();
            response::geocoded(&asked, &found)
        }
        What::Position([lon, lat]) => response::reversed(&asked, geocoder.nearest(*lon, *lat, WITHIN_M).as_ref()),
    })
}
