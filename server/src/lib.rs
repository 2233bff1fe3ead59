//! The production over HTTP: routes, jobs, live updates and the page itself. Rules of the job it asks the desk for;
//! routes only translate.

mod along;
mod apart;
mod app;
pub mod capture;
mod checked;
pub mod deliver;
mod described;
mod download;
mod drafts;
mod evaluate;
mod evaluations;
mod form;
mod guard;
mod handwork;
mod here;
mod house;
mod jobs;
mod languages;
mod models;
mod movie;
mod onward;
mod outside;
mod page;
pub mod phonemiser;
mod problem;
mod range;
mod recordings;
mod routes;
pub mod scenes;
mod sending;
mod sent;
mod shaping;
mod shapings;
mod shelf;
mod stagings;
mod states;
mod version;
mod views;
mod visitors;
mod voices;
mod window;
mod workshop;

pub use app::App;
pub use house::Asked;
pub use jobs::AskedForTimes;
pub use problem::Problem;

use axum::Router;
use axum::extract::DefaultBodyLimit;
use axum::http::{Extensions, HeaderMap, StatusCode, Version, header};
use axum::serve::ListenerExt;
use jam_store::{Store, StoreError};
use std::future::Future;
use std::net::SocketAddr;
use std::sync::Arc;
use tokio::net::TcpListener;
use tower_http::compression::CompressionLayer;
use tower_http::compression::predicate::{Predicate, SizeAbove};
use utoipa::OpenApi;
use utoipa_axum::router::OpenApiRouter;
use utoipa_axum::routes;

/// Largest upload: an hour of stereo at 48 kHz in 16 bits, and a little.
pub const MAX_UPLOAD: usize = 704 << 20;
/// Largest operation: a pass of ten minutes with every control of a capture, and the tiers of an hour.
const MAX_OPERATION: usize = 64 << 20;
/// Largest request without a file in it.
const MAX_JSON: usize = 1 << 20;

#[derive(OpenApi)]
#[openapi(
    info(
        title = "Jam Lips",
        description = "The production's lines, cast and deliveries. Live updates and curve windows go over a WebSocket at /api/live."
    ),
    components(schemas(routes::motion::MotionOrder))
)]
struct Description;

/// Why the server did not start.
#[derive(Debug, thiserror::Error)]
pub enum ServerError {
    #[error("cannot listen on {address}: {source}; another program may use it, choose one with --listen")]
    Listen { address: SocketAddr, source: std::io::Error },
    #[error(transparent)]
    Analyser(#[from] jam_voice::AnalyseError),
    #[error(transparent)]
    Store(#[from] StoreError),
    #[error("the server stopped: {0}")]
    Io(#[from] std::io::Error),
}

/// What is decided when the server is started, and never over the network.
#[derive(Debug, Clone, Default)]
pub struct Settings {
    /// A program, with its arguments, that writes down what a sound file says; see [`outside`].
    pub transcriber: Option<Vec<String>>,
    /// A program, with its arguments, that writes the sounds of other languages; see [`phonemiser`].
    pub phonemiser: Option<Vec<String>>,
    /// Lays the demo out in an empty data file.
    pub demo: Option<fn(&Store) -> Result<(), String>>,
    /// The address on which OSC of a face capture is received.
    pub osc: Option<SocketAddr>,
    /// What whoever asks must have; beyond loopback one is made if none is given.
    pub token: Option<String>,
    /// Names of this machine under which it answers, beside its addresses.
    pub names: Vec<String>,
}

/// A server that listens and can be run.
pub struct Server {
    listener: TcpListener,
    address: SocketAddr,
    token: Option<String>,
    app: Arc<App>,
}

impl Server {
    /// Listens on an address and takes up analyses that a stop had cut off.
    pub async fn bind(store: Store, address: SocketAddr) -> Result<Server, ServerError> {
        Server::bind_with(store, address, Settings::default()).await
    }

    /// [`Server::bind`] with settings of its own.
    pub async fn bind_with(
        store: Store,
        address: SocketAddr,
        mut settings: Settings,
    ) -> Result<Server, ServerError> {
        let listener =
            TcpListener::bind(address).await.map_err(|source| ServerError::Listen { address, source })?;
        let address = listener.local_addr()?;
        if !address.ip().is_loopback() && settings.token.is_none() {
            settings.token = Some(guard::new_token()?);
        }
        let (osc, token) = (settings.osc, settings.token.clone());
        let app = Arc::new(App::new(store, settings)?);
        if let Some(address) = osc {
            let socket = tokio::net::UdpSocket::bind(address).await;
            let socket = socket.map_err(|source| ServerError::Listen { address, source })?;
            tokio::spawn(capture::hear_osc(app.capture.clone(), socket));
        }
        tokio::spawn(onward::prepare(Arc::downgrade(&app)));
        jobs::take_up(&app)?;
        Ok(Server { listener, address, token, app })
    }

    pub fn address(&self) -> SocketAddr {
        self.address
    }

    /// What a browser or a program must have to be answered; nothing if anyone is.
    pub fn token(&self) -> Option<&str> {
        self.token.as_deref()
    }

    /// Serves until `stop` is done.
    pub async fn run(self, stop: impl Future<Output = ()> + Send + 'static) -> Result<(), ServerError> {
        let sending = self.app.sending.clone();
        let router = router(self.app, self.address, self.token);
        // A small answer must not wait for the next one: that would be 40 ms between an edit and its curves.
        let listener = self.listener.tap_io(|stream| {
            if let Err(error) = stream.set_nodelay(true) {
                tracing::warn!("answers may come late: {error}");
            }
        });
        let served = axum::serve(listener, router).with_graceful_shutdown(stop).await;
        sending.send_nowhere();
        Ok(served?)
    }
}

fn api() -> OpenApiRouter<Arc<App>> {
    let uploads = OpenApiRouter::new()
        .routes(routes!(routes::lines::add))
        .routes(routes!(routes::cast::add))
        .routes(routes!(routes::speech::add_take))
        .routes(routes!(routes::layers::body))
        .routes(routes!(routes::film::add))
        .routes(routes!(routes::production::take_out, routes::production::bring_in))
        .routes(routes!(routes::motion::motion))
        .routes(routes!(routes::deliveries::keep_movie))
        .routes(routes!(routes::deliveries::keep_pictures))
        .routes(routes!(routes::scenes::keep_movie))
        .routes(routes!(routes::scenes::keep_pictures))
        .layer(DefaultBodyLimit::max(MAX_UPLOAD));
    let visits =
        OpenApiRouter::new().routes(routes!(routes::v1::curves)).layer(DefaultBodyLimit::max(visitors::MOST));
    let operations = OpenApiRouter::new()
        .routes(routes!(routes::lines::operate))
        .routes(routes!(routes::production::operate))
        .routes(routes!(routes::many::intake))
        .routes(routes!(routes::many::script))
        .routes(routes!(routes::lines::tiers, routes::lines::read_tiers))
        .layer(DefaultBodyLimit::max(MAX_OPERATION));
    OpenApiRouter::with_openapi(Description::openapi())
        .routes(routes!(routes::production::show))
        .routes(routes!(routes::production::undo))
        .routes(routes!(routes::production::redo))
        .routes(routes!(routes::production::demo))
        .routes(routes!(routes::cast::list))
        .routes(routes!(routes::cast::show))
        .routes(routes!(routes::cast::model))
        .routes(routes!(routes::cast::export_wiring, routes::cast::import_wiring))
        .routes(routes!(routes::cast::operate))
        .routes(routes!(routes::shapes::show, routes::shapes::make, routes::shapes::cancel))
        .routes(routes!(routes::sculpt::show))
        .routes(routes!(routes::sculpt::hold))
        .routes(routes!(routes::sculpt::attempt))
        .routes(routes!(routes::sculpt::stroke))
        .routes(routes!(routes::sculpt::operate))
        .routes(routes!(routes::sculpt::file))
        .routes(routes!(routes::sculpt::usd))
        .routes(routes!(routes::cast::duplicate))
        .routes(routes!(routes::production::take_out_character))
        .routes(routes!(routes::cast::undo))
        .routes(routes!(routes::cast::redo))
        .routes(routes!(routes::cast::pose))
        .routes(routes!(routes::cast::walk))
        .routes(routes!(routes::cast::test_line_sound))
        .routes(routes!(routes::cast::vocabulary))
        .routes(routes!(routes::lines::list))
        .routes(routes!(routes::lines::add_idle))
        .routes(routes!(routes::lines::show))
        .routes(routes!(routes::lines::analyse))
        .routes(routes!(routes::many::analyse))
        .routes(routes!(routes::many::draft))
        .routes(routes!(routes::many::check))
        .routes(routes!(routes::lines::text_of_file))
        .routes(routes!(routes::speech::ways))
        .routes(routes!(routes::speech::take_sound))
        .routes(routes!(routes::speech::draft))
        .routes(routes!(routes::speech::dictions))
        .routes(routes!(routes::speech::languages))
        .routes(routes!(routes::speech::sounds))
        .routes(routes!(routes::speech::words))
        .routes(routes!(routes::speech::set_word, routes::speech::remove_word))
        .routes(routes!(routes::hand::cause))
        .routes(routes!(routes::hand::keep_snapshot))
        .routes(routes!(routes::hand::remove_snapshot))
        .routes(routes!(routes::layers::pads))
        .routes(routes!(routes::layers::poses, routes::layers::keep_mix))
        .routes(routes!(routes::layers::keep_pose, routes::layers::remove_pose))
        .routes(routes!(routes::layers::curve_sets, routes::layers::keep_curve_set))
        .routes(routes!(routes::layers::list_findings))
        .routes(routes!(routes::layers::feelings))
        .routes(routes!(routes::lines::voice))
        .routes(routes!(routes::lines::undo))
        .routes(routes!(routes::lines::redo))
        .routes(routes!(routes::lines::sound))
        .routes(routes!(routes::film::show))
        .routes(routes!(routes::lines::recording))
        .routes(routes!(routes::scenes::list))
        .routes(routes!(routes::scenes::show))
        .routes(routes!(routes::scenes::curves))
        .routes(routes!(routes::scenes::heard))
        .routes(routes!(routes::scenes::wav))
        .routes(routes!(routes::scenes::deliver))
        .routes(routes!(routes::deliveries::list, routes::deliveries::deliver))
        .routes(routes!(routes::deliveries::choices))
        .routes(routes!(routes::deliveries::preview))
        .routes(routes!(routes::deliveries::names))
        .routes(routes!(routes::deliveries::zip))
        .routes(routes!(routes::deliveries::file))
        .routes(routes!(routes::deliveries::compare))
        .routes(routes!(routes::deliveries::frames))
        .routes(routes!(routes::deliveries::wav))
        .routes(routes!(routes::deliveries::show_sheet))
        .routes(routes!(routes::deliveries::print_sheet))
        .routes(routes!(routes::sending::show, routes::sending::send, routes::sending::stop))
        .routes(routes!(routes::jobs::list))
        .routes(routes!(routes::jobs::cancel))
        .routes(routes!(routes::jobs::batch, routes::jobs::pause, routes::jobs::cancel_batch))
        .layer(DefaultBodyLimit::max(MAX_JSON))
        .merge(operations)
        .merge(uploads)
        .merge(visits)
}

/// The description of the API, as committed in `web/openapi.json`.
pub fn description() -> serde_json::Result<String> {
    let (_, description) = api().split_for_parts();
    Ok(description.to_pretty_json()? + "\n")
}

/// Whether an answer is worth packing: pages, scripts, styles and JSON; sound, films and models are packed already or
/// asked for piece by piece.
fn is_text(status: StatusCode, _: Version, headers: &HeaderMap, _: &Extensions) -> bool {
    let kind = headers.get(header::CONTENT_TYPE).and_then(|v| v.to_str().ok()).unwrap_or_default();
    let text = kind.starts_with("text/") || kind.contains("json") || kind.contains("javascript");
    status == StatusCode::OK && text
}

fn router(app: Arc<App>, address: SocketAddr, token: Option<String>) -> Router {
    let guard = guard::Guard { address, names: app.settings.names.clone(), token };
    let (api, _) = api().split_for_parts();
    api.route("/api/live", axum::routing::get(routes::live::connect))
        .route("/api/v1/live", axum::routing::get(routes::along::connect))
        .route("/api/v1/faces", axum::routing::get(routes::sending::faces))
        .route("/api/capture", axum::routing::get(routes::live::capture))
        .route("/api/openapi.json", axum::routing::get(routes::v1::description))
        .route("/api/docs", axum::routing::get(routes::v1::described))
        .route("/api/{*rest}", axum::routing::any(page::no_such_route))
        .fallback(page::serve)
        .layer(axum::middleware::from_fn_with_state(Arc::new(guard), guard::check))
        .layer(CompressionLayer::new().compress_when(SizeAbove::new(1024).and(is_text)))
        .layer(tower_http::trace::TraceLayer::new_for_http())
        .with_state(app)
}
