//! Who may ask: pages of this server only. A page of another site that the user visits must not
//! reach it, neither by a forged `Host` (name rebinding) nor from its own origin.

use crate::problem::Problem;
use axum::extract::{Request, State};
use axum::http::{HeaderMap, HeaderValue, Uri, header};
use axum::middleware::Next;
use axum::response::{IntoResponse, Response};
use std::net::{IpAddr, SocketAddr};

/// Whether `authority` (`localhost:7420`) names this server.
fn names_this_server(authority: &str, address: SocketAddr) -> bool {
    let (host, port) = match authority.rsplit_once(':') {
        Some((host, port)) if !port.contains(']') => (host, port.parse().ok()),
        _ => (authority, Some(80)),
    };
    let host = host.trim_start_matches('[').trim_end_matches(']');
    let known = match host.parse::<IpAddr>() {
        // Listening on every address means any address of this machine is its name.
        Ok(ip) => ip.is_loopback() || ip == address.ip() || address.ip().is_unspecified(),
        Err(_) => host.eq_ignore_ascii_case("localhost"),
    };
    known && port == Some(address.port())
}

fn text(headers: &HeaderMap, name: header::HeaderName) -> Option<&str> {
    headers.get(name).map(|v| v.to_str().unwrap_or("unreadable"))
}

/// Why a request is turned away.
fn turned_away(request: &Request, address: SocketAddr) -> Option<&'static str> {
    const OTHERS: &str = "Only pages of this server may ask it for anything.";
    let host =
        text(request.headers(), header::HOST).or_else(|| request.uri().authority().map(|a| a.as_str()));
    if !host.is_some_and(|h| names_this_server(h, address)) {
        return Some(
            "This server answers only under its own address; open the one it printed when it started.",
        );
    }
    if let Some(origin) = text(request.headers(), header::ORIGIN) {
        let own = origin.parse::<Uri>().ok().and_then(|u| u.authority().map(|a| a.to_string()));
        if !own.is_some_and(|a| names_this_server(&a, address)) {
            return Some(OTHERS);
        }
    }
    // What a browser says of itself: a page of another site asks, in whatever way it found.
    let site = request.headers().get("sec-fetch-site").map(|v| v.as_bytes());
    let opens = request.headers().get("sec-fetch-mode").is_some_and(|m| m == "navigate");
    (site == Some(b"cross-site") && !opens).then_some(OTHERS)
}

pub async fn check(State(address): State<SocketAddr>, request: Request, next: Next) -> Response {
    let mut answer = match turned_away(&request, address) {
        Some(says) => Problem::forbidden(says).into_response(),
        None => next.run(request).await,
    };
    let headers = answer.headers_mut();
    for (name, value) in SAFE {
        headers.entry(*name).or_insert(HeaderValue::from_static(value));
    }
    answer
}

/// What every answer says: that it is what it says it is, and is for pages of this server alone.
const SAFE: &[(&str, &str)] = &[
    ("x-content-type-options", "nosniff"),
    ("cross-origin-resource-policy", "same-origin"),
    ("cross-origin-opener-policy", "same-origin"),
    ("referrer-policy", "no-referrer"),
];

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn only_its_own_names_reach_the_server() {
        let address: SocketAddr = "127.0.0.1:7420".parse().unwrap();
        for good in ["127.0.0.1:7420", "localhost:7420", "LOCALHOST:7420", "[::1]:7420"] {
            assert!(names_this_server(good, address), "{good}");
        }
        for bad in
            ["evil.example:7420", "127.0.0.1:80", "127.0.0.1", "localhost.evil:7420", "10.0.0.1:7420", ""]
        {
            assert!(!names_this_server(bad, address), "{bad}");
        }
    }
}
