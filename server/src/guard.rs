//! Who may ask: pages of this server, and programs that have its token where there is one. A page of another site that the
//! user visits must not reach it, neither by a forged `Host` (name rebinding) nor from its own origin.

use crate::problem::{self, Problem};
use axum::extract::{Request, State};
use axum::http::{HeaderMap, HeaderValue, StatusCode, Uri, header};
use axum::middleware::Next;
use axum::response::{IntoResponse, Response};
use std::net::{IpAddr, SocketAddr};
use std::sync::Arc;

/// What the server goes by.
pub struct Guard {
    pub address: SocketAddr,
    /// Names of this machine beside its addresses.
    pub names: Vec<String>,
    /// What whoever asks must have.
    pub token: Option<String>,
}

/// Under which name a browser keeps the token.
const COOKIE: &str = "jam_lips_token";

impl Guard {
    /// Whether `authority` (`localhost:7420`) names this server.
    fn names_this_server(&self, authority: &str) -> bool {
        let (host, port) = match authority.rsplit_once(':') {
            Some((host, port)) if !port.contains(']') => (host, port.parse().ok()),
            _ => (authority, Some(80)),
        };
        let host = host.trim_start_matches('[').trim_end_matches(']');
        let known = match host.parse::<IpAddr>() {
            // Listening on every address means any address of this machine is its name.
            Ok(ip) => ip.is_loopback() || ip == self.address.ip() || self.address.ip().is_unspecified(),
            Err(_) => {
                host.eq_ignore_ascii_case("localhost")
                    || self.names.iter().any(|name| host.eq_ignore_ascii_case(name))
            }
        };
        known && port == Some(self.address.port())
    }

    /// Why a request is turned away.
    fn turned_away(&self, request: &Request) -> Option<&'static str> {
        const OTHERS: &str = "Only pages of this server may ask it for anything.";
        let host =
            text(request.headers(), header::HOST).or_else(|| request.uri().authority().map(|a| a.as_str()));
        if !host.is_some_and(|h| self.names_this_server(h)) {
            return Some(
                "This server answers only under its own address; open the one it printed when it started, or start it with --name and the name you used.",
            );
        }
        if let Some(origin) = text(request.headers(), header::ORIGIN) {
            let own = origin.parse::<Uri>().ok().and_then(|u| u.authority().map(|a| a.to_string()));
            if !own.is_some_and(|a| self.names_this_server(&a)) {
                return Some(OTHERS);
            }
        }
        // What a browser says of itself: a page of another site asks, in whatever way it found.
        let site = request.headers().get("sec-fetch-site").map(|v| v.as_bytes());
        let opens = request.headers().get("sec-fetch-mode").is_some_and(|m| m == "navigate");
        (site == Some(b"cross-site") && !opens).then_some(OTHERS)
    }

    /// Lets a request in that has the token, or says what it gets instead. A link with the token in it leaves it in a
    /// cookie and leads on to the page, so that it does not stand in the address.
    fn asked_for_token(&self, request: &Request) -> Option<Response> {
        let token = self.token.as_deref()?;
        let headers = request.headers();
        let sent = text(headers, header::AUTHORIZATION).and_then(|v| v.strip_prefix("Bearer "));
        let cookies = text(headers, header::COOKIE).unwrap_or_default().split(';');
        let kept = cookies.filter_map(|pair| pair.trim().split_once('=')).find(|(name, _)| *name == COOKIE);
        if [sent, kept.map(|(_, value)| value)].into_iter().flatten().any(|given| same(given, token)) {
            return None;
        }
        let mut query = request.uri().query().unwrap_or_default().split('&');
        if query.find_map(|pair| pair.strip_prefix("token=")).is_some_and(|given| same(given, token)) {
            let cookie = format!("{COOKIE}={token}; Path=/; HttpOnly; SameSite=Strict");
            let to = request.uri().path().to_string();
            return Some(
                (StatusCode::SEE_OTHER, [(header::LOCATION, to), (header::SET_COOKIE, cookie)])
                    .into_response(),
            );
        }
        if request.uri().path().starts_with("/api/") {
            return Some(Problem::unauthorized().into_response());
        }
        let says = "This Jam Lips wants its token: open the link that it printed when it was started.";
        Some((StatusCode::UNAUTHORIZED, says).into_response())
    }
}

/// Bytes of a request that is refused which are taken before it is answered.
const HEARD_OUT: usize = 4 << 20;

/// Compares in the same time wherever two texts differ.
fn same(a: &str, b: &str) -> bool {
    a.len() == b.len() && a.bytes().zip(b.bytes()).fold(0, |differ, (x, y)| differ | (x ^ y)) == 0
}

fn text(headers: &HeaderMap, name: header::HeaderName) -> Option<&str> {
    headers.get(name).map(|v| v.to_str().unwrap_or("unreadable"))
}

pub async fn check(State(guard): State<Arc<Guard>>, request: Request, next: Next) -> Response {
    let is_data = request.uri().path().starts_with("/api/");
    let refused = match guard.turned_away(&request) {
        Some(says) => Some(Problem::forbidden(says).into_response()),
        None => guard.asked_for_token(&request),
    };
    let mut answer = match refused {
        Some(answer) => {
            // Who is still sending would find the line cut and never see the answer.
            let _ = axum::body::to_bytes(request.into_body(), HEARD_OUT).await;
            answer
        }
        None if is_data => problem::in_words(next.run(request).await).await,
        None => next.run(request).await,
    };
    let headers = answer.headers_mut();
    if is_data && !headers.contains_key(header::ETAG) {
        // What may be kept says so itself.
        headers.entry(header::CACHE_CONTROL).or_insert(HeaderValue::from_static("no-store"));
    }
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

/// A token that nobody guesses.
///
/// # Errors
/// The system gives no random numbers.
pub fn new_token() -> std::io::Result<String> {
    let mut bytes = [0u8; 16];
    let mut filled = 0;
    while filled < bytes.len() {
        filled += rustix::rand::getrandom(&mut bytes[filled..], rustix::rand::GetRandomFlags::empty())?;
    }
    Ok(bytes.iter().map(|b| format!("{b:02x}")).collect())
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn only_its_own_names_reach_the_server() {
        let address: SocketAddr = "127.0.0.1:7420".parse().unwrap();
        let guard = Guard { address, names: vec!["anim-07.local".into()], token: None };
        for good in ["127.0.0.1:7420", "localhost:7420", "LOCALHOST:7420", "[::1]:7420", "Anim-07.local:7420"]
        {
            assert!(guard.names_this_server(good), "{good}");
        }
        for bad in
            ["evil.example:7420", "127.0.0.1:80", "127.0.0.1", "localhost.evil:7420", "10.0.0.1:7420", ""]
        {
            assert!(!guard.names_this_server(bad), "{bad}");
        }
    }
}
