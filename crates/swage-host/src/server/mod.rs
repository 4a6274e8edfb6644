//! The server: HTTP on loopback, for programs, for git, and for people with a browser.

mod asker;
mod calls;
mod git;
mod notifier;
mod pages;
mod problem;
mod runner;

use std::net::SocketAddr;
use std::path::{Path, PathBuf};
use std::sync::{Arc, Mutex, PoisonError};
use std::time::{Duration, Instant};

use axum::Router;
use axum::extract::{Request, State};
use axum::http::StatusCode;
use axum::middleware::{self, Next};
use axum::response::{IntoResponse, Response};
use axum::routing::get;
use hyper_util::rt::{TokioIo, TokioTimer};
use hyper_util::service::TowerToHyperService;
use thiserror::Error;
use tokio::net::TcpListener;
use tokio::sync::{Semaphore, oneshot, watch};

use self::asker::Sessions;
pub use self::notifier::MailOptions;
use self::notifier::notify;
use self::problem::Problem;
pub use self::runner::CheckerOptions;
use self::runner::Runner;
use crate::host::{FolderError, Host, random_word};
use crate::protocol::{Checked, NewRepository, Person, Role};
use crate::storage::Refusal;

/// Most connections at once; further ones wait.
const MOST_CONNECTIONS: usize = 128;
/// How long somebody may take to send a request's headers.
const HEADER_TIME: Duration = Duration::from_secs(10);
/// How long a call may take; pushes and fetches may take longer.
const CALL_TIME: Duration = Duration::from_secs(60);
/// Most bytes of a request's headers.
const MOST_HEADERS: usize = 64 << 10;
/// How long the last requests may go on when the server stops.
const GRACE: Duration = Duration::from_secs(5);

/// How to serve.
#[derive(Debug, Clone)]
pub struct ServerOptions {
    /// Where to listen; port 0 takes any free one. Only loopback addresses are served.
    pub listen: SocketAddr,
    /// The folder that keeps everything.
    pub data: PathBuf,
    /// Stop after so long without a request. By default, never.
    pub idle: Option<Duration>,
    /// What is run on each new revision. By default nothing.
    pub checker: Option<CheckerOptions>,
    /// How people are notified by mail what happened. By default not at all.
    pub mail: Option<MailOptions>,
}

impl ServerOptions {
    /// Serves a folder, for ever, without a checker and without mail.
    pub fn new(listen: SocketAddr, data: PathBuf) -> Self {
        Self { listen, data, idle: None, checker: None, mail: None }
    }
}

/// Why the server can't start.
#[derive(Debug, Error)]
#[non_exhaustive]
pub enum ServeError {
    /// The address isn't loopback.
    #[error("{0} isn't a loopback address")]
    NotLoopback(SocketAddr),
    /// The folder can't be used.
    #[error("the folder {} can't be used: {why}", .folder.display())]
    Data {
        /// The folder.
        folder: PathBuf,
        /// Why.
        why: FolderError,
    },
    /// The address can't be listened on.
    #[error("{0} can't be listened on: {1}")]
    Listen(SocketAddr, std::io::Error),
    /// What was asked for doesn't hold together, or is there already.
    #[error("{0}")]
    Refused(String),
}

/// What all requests share.
pub(crate) struct Shared {
    host: Host,
    sessions: Sessions,
    last_request: Mutex<Instant>,
    /// The server's own address, for links and against forged requests.
    address: SocketAddr,
    /// The token of the checker that the host itself runs; it ends with the host.
    checker_token: String,
}

/// A server that listens and isn't serving yet.
pub struct Server {
    runtime: tokio::runtime::Runtime,
    listener: TcpListener,
    shared: Arc<Shared>,
    options: ServerOptions,
}

/// A server in a thread of its own; it stops on request or when dropped.
pub struct Running {
    /// Its address, such as `http://127.0.0.1:8417`.
    pub url: String,
    stop: Option<oneshot::Sender<()>>,
    thread: Option<std::thread::JoinHandle<()>>,
}

fn open(folder: &Path) -> Result<Host, ServeError> {
    Host::open(folder).map_err(|why| ServeError::Data { folder: folder.to_owned(), why })
}

/// Gives somebody a role and a new token, which is shown this once: only its hash is kept.
///
/// # Errors
/// When the folder can't be used, or the system gives no random numbers.
pub fn give_token(data: &Path, name: &str, role: Role) -> Result<String, ServeError> {
    let failed = |why: std::io::Error| ServeError::Data { folder: data.to_owned(), why: why.into() };
    let host = open(data)?;
    let token = random_word().map_err(failed)?;
    let put = host.storage().put_person(name, role, Some(&token));
    put.map_err(|why| failed(std::io::Error::other(why.to_string())))?;
    Ok(token)
}

/// Notes where somebody gets mail.
///
/// # Errors
/// When the folder can't be used.
pub fn set_mail(data: &Path, name: &str, mail: &str) -> Result<(), ServeError> {
    let put = open(data)?.storage().put_mail(name, mail);
    put.map_err(|why| ServeError::Data { folder: data.to_owned(), why: std::io::Error::other(why.to_string()).into() })
}

/// Takes all tokens of somebody away; how many there were.
///
/// # Errors
/// When the folder can't be used.
pub fn revoke_tokens(data: &Path, name: &str) -> Result<usize, ServeError> {
    let gone = open(data)?.storage().revoke_tokens(name);
    gone.map_err(|why| ServeError::Data { folder: data.to_owned(), why: std::io::Error::other(why.to_string()).into() })
}

/// Makes an empty shared repository, with the branches to which nobody may push.
///
/// # Errors
/// When the folder can't be used, a name isn't one, or there is such a repository.
pub fn make_repository(data: &Path, name: &str, protected: &[String]) -> Result<(), ServeError> {
    let new = NewRepository { name: name.to_owned(), copy_of: None, protected: protected.to_vec() };
    new.check().map_err(ServeError::Refused)?;
    let host = open(data)?;
    let keeper = Person { name: "host".to_owned(), role: Role::Maintainer };
    host.make_repository(&keeper, &new).map(|_| ()).map_err(|refusal| match refusal {
        Refusal::Conflict(why) | Refusal::Invalid(why) | Refusal::Unknown(why) | Refusal::Forbidden(why) => {
            ServeError::Refused(why)
        }
        Refusal::Failed(why) => ServeError::Data { folder: data.to_owned(), why: std::io::Error::other(why).into() },
        Refusal::Broken(why) => ServeError::Data { folder: data.to_owned(), why: std::io::Error::other(why).into() },
    })
}

impl Server {
    /// Opens the folder and the port.
    ///
    /// # Errors
    /// When either can't be had, or the address isn't loopback.
    pub fn bind(options: ServerOptions) -> Result<Self, ServeError> {
        if !options.listen.ip().is_loopback() {
            return Err(ServeError::NotLoopback(options.listen));
        }
        let host = open(&options.data)?;
        let failed = |e| ServeError::Listen(options.listen, e);
        let runtime = tokio::runtime::Builder::new_current_thread().enable_all().build().map_err(failed)?;
        let listener = runtime.block_on(TcpListener::bind(options.listen)).map_err(failed)?;
        let address = listener.local_addr().map_err(failed)?;
        let checker_token = random_word().map_err(failed)?;
        let last_request = Mutex::new(Instant::now());
        let shared = Shared { host, sessions: Sessions::default(), last_request, address, checker_token };
        Ok(Self { runtime, listener, shared: Arc::new(shared), options })
    }

    /// Where it listens.
    pub fn address(&self) -> SocketAddr {
        self.shared.address
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
        let url = format!("http://{}", self.shared.address);
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
        let Self { runtime, listener, shared, options } = self;
        let router = router(shared.clone());
        let runner = options.checker.map(|checker| Runner::start(shared.clone(), checker, options.data));
        if let Some(mail) = options.mail {
            runtime.spawn(notify(shared.clone(), mail));
        }
        runtime.block_on(async move {
            tokio::select! {
                () = until => {}
                () = idle_for_too_long(&shared, options.idle) => {}
                () = accept(listener, router) => {}
            }
        });
        drop(runner);
        // Whatever git is still doing for somebody is given a moment.
        runtime.shutdown_timeout(GRACE);
        Ok(())
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

async fn idle_for_too_long(shared: &Shared, idle: Option<Duration>) {
    let Some(limit) = idle else { return std::future::pending().await };
    loop {
        tokio::time::sleep(Duration::from_millis(200)).await;
        if shared.last_request.lock().unwrap_or_else(PoisonError::into_inner).elapsed() > limit {
            return;
        }
    }
}

/// Takes connections for ever. Each has limits on its headers, and there are never too many.
async fn accept(listener: TcpListener, router: Router) {
    let places = Arc::new(Semaphore::new(MOST_CONNECTIONS));
    // Dropped when the server stops, which ends the connections.
    let (_alive, ended) = watch::channel(());
    loop {
        let Ok(place) = places.clone().acquire_owned().await else { return };
        let stream = match listener.accept().await {
            Ok((stream, _)) => {
                // Answers are small, and shouldn't wait for more of them.
                _ = stream.set_nodelay(true);
                stream
            }
            Err(error) => {
                tracing::warn!(%error, "a connection can't be taken");
                tokio::time::sleep(Duration::from_millis(50)).await;
                continue;
            }
        };
        let service = TowerToHyperService::new(router.clone());
        let mut ended = ended.clone();
        tokio::spawn(async move {
            let mut builder = hyper::server::conn::http1::Builder::new();
            builder.timer(TokioTimer::new()).header_read_timeout(HEADER_TIME).max_buf_size(MOST_HEADERS);
            let connection = builder.serve_connection(TokioIo::new(stream), service);
            tokio::select! {
                served = connection => if let Err(error) = served {
                    tracing::debug!(%error, "a connection ended");
                },
                _ = ended.changed() => {}
            }
            drop(place);
        });
    }
}

/// The OpenAPI 3.1 description of the protocol, made from the code that serves it.
pub fn openapi() -> String {
    calls::router().into_openapi().to_pretty_json().unwrap_or_default()
}

fn router(shared: Arc<Shared>) -> Router {
    let (api, description) = calls::router().split_for_parts();
    let description = description.to_pretty_json().unwrap_or_default();
    let described = move || async { ([(axum::http::header::CONTENT_TYPE, "application/json")], description) };
    Router::new()
        .merge(api.layer(middleware::from_fn(within_time)))
        .merge(git::router())
        .merge(pages::router())
        .route("/openapi.json", get(described))
        .fallback(|| async {
            Problem(StatusCode::NOT_FOUND, "nothing is served at this address; /openapi.json lists what is".into())
        })
        .method_not_allowed_fallback(|| async {
            Problem(StatusCode::METHOD_NOT_ALLOWED, "this address takes other methods; /openapi.json lists them".into())
        })
        .layer(middleware::from_fn_with_state(shared.clone(), note_request))
        .with_state(shared)
}

async fn note_request(State(shared): State<Arc<Shared>>, request: Request, next: Next) -> Response {
    *shared.last_request.lock().unwrap_or_else(PoisonError::into_inner) = Instant::now();
    let length: usize = request.headers().iter().map(|(name, value)| name.as_str().len() + value.len()).sum();
    let mut response = if length > MOST_HEADERS {
        let status = StatusCode::REQUEST_HEADER_FIELDS_TOO_LARGE;
        Problem(status, format!("the headers have {length} bytes; {MOST_HEADERS} are allowed")).into_response()
    } else {
        next.run(request).await
    };
    let headers = response.headers_mut();
    headers.insert("x-content-type-options", axum::http::HeaderValue::from_static("nosniff"));
    // With less, browsers hide the origin of the host's own forms, too.
    headers.insert("referrer-policy", axum::http::HeaderValue::from_static("same-origin"));
    response
}

/// A request whose body comes too slowly, or whose answer takes too long, is given up.
async fn within_time(request: Request, next: Next) -> Response {
    match tokio::time::timeout(CALL_TIME, next.run(request)).await {
        Ok(response) => response,
        Err(_) => Problem(StatusCode::REQUEST_TIMEOUT, "the request took too long".into()).into_response(),
    }
}
