//! The server: HTTP and JSON on loopback, every call behind a token.

use std::net::SocketAddr;
use std::path::PathBuf;
use std::sync::{Arc, Mutex, PoisonError};
use std::time::{Duration, Instant};

use axum::extract::rejection::{JsonRejection, PathRejection};
use axum::extract::{DefaultBodyLimit, Path, Request, State};
use axum::http::{StatusCode, header};
use axum::middleware::{self, Next};
use axum::response::{Html, IntoResponse, Response};
use axum::routing::{get, put};
use axum::{Json, Router};
use serde_json::json;
use thiserror::Error;
use tokio::net::TcpListener;
use tokio::sync::oneshot;

use crate::page;
use crate::protocol::{NewProposal, Report};
use crate::storage::{Storage, StorageError};

/// Largest body that is taken.
const MOST_BYTES: usize = 32 << 20;

/// How to serve.
#[derive(Debug, Clone)]
pub struct ServerOptions {
    /// Where to listen; port 0 takes any free one. Only loopback addresses are served.
    pub listen: SocketAddr,
    /// The file that keeps everything.
    pub data: PathBuf,
    /// What clients must send.
    pub token: String,
    /// Stop after so long without a request. By default, never.
    pub idle: Option<Duration>,
}

/// Why the server can't start.
#[derive(Debug, Error)]
#[non_exhaustive]
pub enum ServeError {
    /// The address isn't loopback.
    #[error("{0} isn't a loopback address")]
    NotLoopback(SocketAddr),
    /// The token is empty.
    #[error("the token is empty")]
    NoToken,
    /// The data file can't be used.
    #[error("the data file can't be used: {0}")]
    Data(rusqlite::Error),
    /// The address can't be listened on.
    #[error("{0} can't be listened on: {1}")]
    Listen(SocketAddr, std::io::Error),
}

struct Shared {
    storage: Mutex<Storage>,
    token: String,
    last_request: Mutex<Instant>,
}

/// A server that listens and isn't serving yet.
pub struct Server {
    runtime: tokio::runtime::Runtime,
    listener: TcpListener,
    address: SocketAddr,
    shared: Arc<Shared>,
    idle: Option<Duration>,
}

/// A server in a thread of its own; it stops when it is told to, or dropped.
pub struct Running {
    /// Its address, such as `http://127.0.0.1:8417`.
    pub url: String,
    stop: Option<oneshot::Sender<()>>,
    thread: Option<std::thread::JoinHandle<()>>,
}

impl Server {
    /// Opens the data file and the port.
    ///
    /// # Errors
    /// When either can't be had, the address isn't loopback or the token is empty.
    pub fn bind(options: ServerOptions) -> Result<Self, ServeError> {
        if !options.listen.ip().is_loopback() {
            return Err(ServeError::NotLoopback(options.listen));
        }
        if options.token.is_empty() {
            return Err(ServeError::NoToken);
        }
        let storage = Storage::open(&options.data).map_err(ServeError::Data)?;
        let failed = |e| ServeError::Listen(options.listen, e);
        let runtime = tokio::runtime::Builder::new_current_thread().enable_all().build().map_err(failed)?;
        let listener = runtime.block_on(TcpListener::bind(options.listen)).map_err(failed)?;
        let address = listener.local_addr().map_err(failed)?;
        let shared = Arc::new(Shared {
            storage: Mutex::new(storage),
            token: options.token,
            last_request: Mutex::new(Instant::now()),
        });
        Ok(Self { runtime, listener, address, shared, idle: options.idle })
    }

    /// Where it listens.
    pub fn address(&self) -> SocketAddr {
        self.address
    }

    /// Serves until an interrupt, or until it was idle for too long.
    ///
    /// # Errors
    /// When the listener fails.
    pub fn serve(self) -> std::io::Result<()> {
        self.serve_until(async {
            // Without a handler for interrupts the process simply dies of one.
            if tokio::signal::ctrl_c().await.is_err() {
                std::future::pending::<()>().await;
            }
        })
    }

    /// Serves in a thread.
    pub fn spawn(self) -> Running {
        let url = format!("http://{}", self.address);
        let (stop, stopped) = oneshot::channel();
        let thread = std::thread::spawn(move || {
            let until = async {
                _ = stopped.await;
            };
            if let Err(error) = self.serve_until(until) {
                tracing::warn!(%error, "the host stopped");
            }
        });
        Running { url, stop: Some(stop), thread: Some(thread) }
    }

    fn serve_until(self, until: impl Future<Output = ()> + Send + 'static) -> std::io::Result<()> {
        let Self { runtime, listener, shared, idle, .. } = self;
        let watched = shared.clone();
        let idle_for_too_long = async move {
            match idle {
                None => std::future::pending::<()>().await,
                Some(limit) => loop {
                    tokio::time::sleep(Duration::from_millis(200)).await;
                    if watched.last_request.lock().unwrap_or_else(PoisonError::into_inner).elapsed() > limit {
                        return;
                    }
                },
            }
        };
        let stop = async move {
            tokio::select! { () = until => {}, () = idle_for_too_long => {} }
        };
        runtime.block_on(async { axum::serve(listener, router(shared)).with_graceful_shutdown(stop).await })
    }
}

impl Drop for Running {
    fn drop(&mut self) {
        if let Some(stop) = self.stop.take() {
            _ = stop.send(());
        }
        if let Some(thread) = self.thread.take() {
            _ = thread.join();
        }
    }
}

fn router(shared: Arc<Shared>) -> Router {
    let api = Router::new()
        .route("/proposals", get(proposals))
        .route("/proposals/{number}", get(proposal).put(open_proposal))
        .route("/proposals/{number}/revisions/{head}/reports/{reporter}", put(report))
        .layer(middleware::from_fn_with_state(shared.clone(), check_token));
    Router::new()
        .nest("/api", api)
        .route("/openapi.json", get(|| async { ([(header::CONTENT_TYPE, "application/json")], crate::OPENAPI) }))
        .route("/", get(index_page))
        .route("/proposals/{number}", get(proposal_page))
        .fallback(|| async {
            Problem(StatusCode::NOT_FOUND, "nothing is served at this address; /openapi.json lists what is".into())
        })
        .layer(middleware::from_fn_with_state(shared.clone(), note_request))
        .layer(DefaultBodyLimit::max(MOST_BYTES))
        .with_state(shared)
}

/// An error as clients get it: a status, and an object with the reason.
struct Problem(StatusCode, String);

impl IntoResponse for Problem {
    fn into_response(self) -> Response {
        (self.0, Json(json!({ "error": self.1 }))).into_response()
    }
}

impl From<StorageError> for Problem {
    fn from(error: StorageError) -> Self {
        match error {
            StorageError::Unknown(number) => Self(StatusCode::NOT_FOUND, format!("there is no proposal {number}")),
            StorageError::Conflict(why) => Self(StatusCode::CONFLICT, why),
            StorageError::Broken(error) => {
                tracing::error!(%error, "storage");
                Self(StatusCode::INTERNAL_SERVER_ERROR, "the host's data file can't be used".into())
            }
        }
    }
}

impl From<JsonRejection> for Problem {
    fn from(rejection: JsonRejection) -> Self {
        Self(rejection.status(), rejection.body_text())
    }
}

impl From<PathRejection> for Problem {
    fn from(rejection: PathRejection) -> Self {
        Self(rejection.status(), rejection.body_text())
    }
}

/// A part of the address, or why it isn't one.
type InPath<T> = Result<Path<T>, PathRejection>;

/// What was sent, or why it isn't what the call takes.
type Sent<T> = Result<Json<T>, JsonRejection>;

async fn note_request(State(shared): State<Arc<Shared>>, request: Request, next: Next) -> Response {
    *shared.last_request.lock().unwrap_or_else(PoisonError::into_inner) = Instant::now();
    next.run(request).await
}

async fn check_token(State(shared): State<Arc<Shared>>, request: Request, next: Next) -> Response {
    let given = request
        .headers()
        .get(header::AUTHORIZATION)
        .and_then(|v| v.to_str().ok())
        .and_then(|v| v.strip_prefix("Bearer "));
    // Every byte is compared, so that the time tells nothing.
    let right = given.is_some_and(|g| {
        g.len() == shared.token.len() && g.bytes().zip(shared.token.bytes()).fold(0, |d, (a, b)| d | (a ^ b)) == 0
    });
    if right {
        next.run(request).await
    } else {
        Problem(StatusCode::UNAUTHORIZED, "send the host's token as `Authorization: Bearer …`".into()).into_response()
    }
}

/// Runs something on the storage, off the thread that serves.
async fn with_storage<T: Send + 'static>(
    shared: Arc<Shared>,
    work: impl FnOnce(&mut Storage) -> Result<T, StorageError> + Send + 'static,
) -> Result<T, Problem> {
    let task =
        tokio::task::spawn_blocking(move || work(&mut shared.storage.lock().unwrap_or_else(PoisonError::into_inner)));
    match task.await {
        Ok(result) => result.map_err(Problem::from),
        Err(_) => Err(Problem(StatusCode::INTERNAL_SERVER_ERROR, "the host failed".into())),
    }
}

async fn proposals(State(shared): State<Arc<Shared>>) -> Result<Response, Problem> {
    Ok(Json(with_storage(shared, |s| s.proposals()).await?).into_response())
}

async fn proposal(State(shared): State<Arc<Shared>>, number: InPath<u64>) -> Result<Response, Problem> {
    let Path(number) = number?;
    Ok(Json(with_storage(shared, move |s| s.proposal(number)).await?).into_response())
}

async fn open_proposal(
    State(shared): State<Arc<Shared>>,
    number: InPath<u64>,
    new: Sent<NewProposal>,
) -> Result<Response, Problem> {
    let (Path(number), Json(new)) = (number?, new?);
    let created = with_storage(shared.clone(), move |s| s.open_proposal(number, &new)).await?;
    let proposal = with_storage(shared, move |s| s.proposal(number)).await?;
    Ok((if created { StatusCode::CREATED } else { StatusCode::OK }, Json(proposal)).into_response())
}

async fn report(
    State(shared): State<Arc<Shared>>,
    place: InPath<(u64, String, String)>,
    report: Sent<Report>,
) -> Result<Response, Problem> {
    let (Path((number, head, reporter)), Json(report)) = (place?, report?);
    let bad = |why: String| Problem(StatusCode::UNPROCESSABLE_ENTITY, why);
    report.check().map_err(bad)?;
    if !(7..=64).contains(&head.len()) || !head.bytes().all(|b| b.is_ascii_hexdigit()) {
        return Err(bad(format!("`{head}` is no commit id")));
    }
    if reporter.is_empty() || reporter.len() > 64 {
        return Err(bad("a reporter's name has 1 to 64 characters".into()));
    }
    Ok(Json(with_storage(shared, move |s| s.report(number, &head, &reporter, &report)).await?).into_response())
}

async fn index_page(State(shared): State<Arc<Shared>>) -> Result<Html<String>, Problem> {
    let proposals = with_storage(shared, |s| s.proposals()).await?;
    page::index(&proposals).map(Html).map_err(|e| Problem(StatusCode::INTERNAL_SERVER_ERROR, e))
}

async fn proposal_page(State(shared): State<Arc<Shared>>, number: InPath<u64>) -> Result<Html<String>, Problem> {
    let Path(number) = number?;
    let proposal = with_storage(shared, move |s| s.proposal(number)).await?;
    page::proposal(&proposal).map(Html).map_err(|e| Problem(StatusCode::INTERNAL_SERVER_ERROR, e))
}
