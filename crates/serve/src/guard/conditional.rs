//! Conditional requests (RFC 9110, clause 13): what did not change since it was asked for last is not sent again.

use axum::body::{Body, HttpBody, to_bytes};
use axum::extract::Request;
use axum::http::{HeaderMap, HeaderValue, Method, StatusCode, header};
use axum::middleware::Next;
use axum::response::{IntoResponse, Response};
use std::hash::{DefaultHasher, Hasher};

/// Longer answers go without a tag.
const LONGEST: usize = 64 << 20;

/// Gives answers a tag of what they hold, and answers that they are the same to who has them.
pub(crate) async fn conditional(request: Request, next: Next) -> Response {
    let is_get = request.method() == Method::GET;
    let held = request.headers().get(header::IF_NONE_MATCH).cloned();
    let response = next.run(request).await;
    // A body that is still to be made, or breaks off on purpose, is not waited for.
    let is_whole = response.body().size_hint().exact().is_some();
    if !is_get || !is_whole || response.status() != StatusCode::OK || response.headers().contains_key(header::ETAG) {
        return response;
    }
    let (mut parts, body) = response.into_parts();
    let Ok(bytes) = to_bytes(body, LONGEST).await else {
        return StatusCode::INTERNAL_SERVER_ERROR.into_response();
    };
    let tag = tag_of(&bytes);
    parts.headers.insert(header::ETAG, tag.clone());
    // It may be kept, and is asked for each time whether it is still so.
    parts.headers.insert(header::CACHE_CONTROL, HeaderValue::from_static("no-cache"));
    if held.is_some_and(|held| is_among(&held, &tag)) {
        let kept: HeaderMap = parts
            .headers
            .iter()
            .filter(|(n, _)| *n != header::CONTENT_LENGTH)
            .map(|(n, v)| (n.clone(), v.clone()))
            .collect();
        return (StatusCode::NOT_MODIFIED, kept).into_response();
    }
    Response::from_parts(parts, Body::from(bytes))
}

fn tag_of(bytes: &[u8]) -> HeaderValue {
    let mut hasher = DefaultHasher::new();
    hasher.write(bytes);
    HeaderValue::from_str(&format!("W/\"{:016x}\"", hasher.finish())).unwrap_or(HeaderValue::from_static("W/\"\""))
}

/// Whether a tag is among those of a request.
fn is_among(held: &HeaderValue, tag: &HeaderValue) -> bool {
    let bare = |text: &str| text.trim().trim_start_matches("W/").to_string();
    let (Ok(held), Ok(tag)) = (held.to_str(), tag.to_str()) else { return false };
    held.trim() == "*" || held.split(',').any(|one| bare(one) == bare(tag))
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn tags_are_compared_weakly() {
        let value = |text: &str| HeaderValue::from_str(text).unwrap();
        let tag = tag_of(b"a");
        assert_ne!(tag, tag_of(b"b"));
        let text = tag.to_str().unwrap();
        assert!(is_among(&tag, &tag) && is_among(&value(&text[2..]), &tag));
        assert!(is_among(&value(&format!("\"x\", {text}")), &tag) && is_among(&value("*"), &tag));
        assert!(!is_among(&value("\"x\""), &tag) && !is_among(&value(""), &tag));
    }
}
