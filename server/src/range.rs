//! Parts of a file by byte range (RFC 9110), so that a player can seek.

use axum::body::Body;
use axum::http::{HeaderMap, HeaderValue, Response, StatusCode, header};

/// What a `Range` header asks for.
#[derive(Debug, PartialEq, Eq)]
enum Asked {
    Everything,
    Part { start: usize, end: usize },
    Nothing,
}

fn asked(value: Option<&str>, length: usize) -> Asked {
    // Several ranges at once may be answered whole (RFC 9110, 14.2).
    let Some(range) = value.and_then(|v| v.strip_prefix("bytes=")).filter(|r| !r.contains(',')) else {
        return Asked::Everything;
    };
    let Some((from, to)) = range.trim().split_once('-') else { return Asked::Everything };
    let (start, end) = match (from.parse::<usize>(), to.parse::<usize>()) {
        (Ok(start), Ok(end)) if start <= end => (start, end.saturating_add(1).min(length)),
        (Ok(start), _) if to.is_empty() => (start, length),
        (_, Ok(last)) if from.is_empty() => (length.saturating_sub(last), length),
        _ => return Asked::Everything,
    };
    if start < end { Asked::Part { start, end } } else { Asked::Nothing }
}

/// Answers with the bytes asked for.
pub fn respond(headers: &HeaderMap, bytes: &[u8], media_type: &str) -> Response<Body> {
    let length = bytes.len();
    let range = headers.get(header::RANGE).and_then(|v| v.to_str().ok());
    let (status, body, content_range) = match asked(range, length) {
        Asked::Everything => (StatusCode::OK, bytes, None),
        Asked::Part { start, end } => (
            StatusCode::PARTIAL_CONTENT,
            &bytes[start..end],
            Some(format!("bytes {start}-{}/{length}", end - 1)),
        ),
        Asked::Nothing => (StatusCode::RANGE_NOT_SATISFIABLE, &bytes[..0], Some(format!("bytes */{length}"))),
    };
    let mut response = Response::new(Body::from(body.to_vec()));
    *response.status_mut() = status;
    let headers = response.headers_mut();
    if let Ok(value) = HeaderValue::from_str(media_type) {
        headers.insert(header::CONTENT_TYPE, value);
    }
    headers.insert(header::ACCEPT_RANGES, HeaderValue::from_static("bytes"));
    headers.insert(header::CACHE_CONTROL, HeaderValue::from_static("private, max-age=3600"));
    if let Some(value) = content_range.and_then(|c| HeaderValue::from_str(&c).ok()) {
        headers.insert(header::CONTENT_RANGE, value);
    }
    response
}

#[cfg(test)]
mod tests {
    use super::*;

    /// Source: the examples of RFC 9110, 14.1.2, for a file of 10 000 bytes.
    #[test]
    fn ranges_are_read_as_the_standard_says() {
        let part = |start, end| Asked::Part { start, end };
        for (header, expected) in [
            ("bytes=0-499", part(0, 500)),
            ("bytes=500-999", part(500, 1000)),
            ("bytes=-500", part(9500, 10_000)),
            ("bytes=9500-", part(9500, 10_000)),
            ("bytes=9500-20000", part(9500, 10_000)),
            ("bytes=10000-", Asked::Nothing),
            ("bytes=5-2", Asked::Everything),
            ("bytes=0-0,-1", Asked::Everything),
            ("lines=1-2", Asked::Everything),
        ] {
            assert_eq!(asked(Some(header), 10_000), expected, "{header}");
        }
        assert_eq!(asked(None, 10), Asked::Everything);
        assert_eq!(asked(Some("bytes=-500"), 10), part(0, 10));
    }
}
