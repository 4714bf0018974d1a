//! Requests that say more bytes than are taken.
//!
//! A client that is answered before it has sent all may see a broken connection rather than the answer. What it sends is read
//! and let go, up to a limit, unless it waits for the word to send it (RFC 9110, `Expect`).

use crate::problem::Problem;
use axum::body::{Body, HttpBody};
use axum::extract::Request;
use axum::http::{StatusCode, header};
use axum::middleware::Next;
use axum::response::{IntoResponse, Response};
use std::future::poll_fn;
use std::pin::Pin;

/// Bytes that a request may have.
pub(crate) const MOST_BYTES: usize = 8 << 20;
/// Bytes beyond which nobody is waited for.
const MOST_LET_GO: u64 = 256 << 20;

/// Refuses a request that says it has too many bytes.
pub(crate) async fn within_limit(request: Request, next: Next) -> Response {
    let said = request.headers().get(header::CONTENT_LENGTH).and_then(|n| n.to_str().ok()?.parse::<u64>().ok());
    let Some(bytes) = said.filter(|bytes| *bytes > MOST_BYTES as u64) else { return next.run(request).await };
    if bytes <= MOST_LET_GO && !request.headers().contains_key(header::EXPECT) {
        let_go(request.into_body()).await;
    }
    Problem::new(
        StatusCode::PAYLOAD_TOO_LARGE,
        format!("the request has {bytes} bytes, and {MOST_BYTES} at most are expected; ask in several requests"),
    )
    .into_response()
}

/// Reads to the end, and keeps nothing.
async fn let_go(mut body: Body) {
    while let Some(Ok(_)) = poll_fn(|context| Pin::new(&mut body).poll_frame(context)).await {}
}
