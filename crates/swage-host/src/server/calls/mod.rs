//! The calls of the protocol, one file a subject. Each says who may make it by the type of its asker.

mod people;
mod proposals;
mod reports;
mod threads;

use std::sync::Arc;

use axum::Json;
use axum::body::Bytes;
use axum::extract::{DefaultBodyLimit, FromRequest, Request};
use axum::http::{StatusCode, header};
use serde::de::DeserializeOwned;
use utoipa::OpenApi;
use utoipa::openapi::security::{Http, HttpAuthScheme, SecurityScheme};
use utoipa_axum::router::OpenApiRouter;
use utoipa_axum::routes;

use super::Shared;
use super::problem::{Problem, Reason};
use crate::host::Host;
use crate::protocol::Checked;
use crate::storage::Refusal;

/// Most bytes of a report, and of anything else that is sent.
const MOST_REPORT: usize = 32 << 20;
const MOST_SENT: usize = 512 << 10;

/// What isn't said by a call.
#[derive(OpenApi)]
#[openapi(
    info(
        title = "The review host of Swage",
        description = "Proposals, revisions, threads, stances and verdicts. See docs/host-protocol.md.",
        version = "1",
        license(name = "MIT OR Apache-2.0", identifier = "MIT OR Apache-2.0")
    ),
    components(schemas(Reason, proposals::WhichProposals)),
    modifiers(&Token),
    security(("token" = []))
)]
struct Description;

struct Token;

impl utoipa::Modify for Token {
    fn modify(&self, description: &mut utoipa::openapi::OpenApi) {
        let components = description.components.get_or_insert_default();
        components.add_security_scheme("token", SecurityScheme::Http(Http::new(HttpAuthScheme::Bearer)));
    }
}

/// All calls, with their description.
pub fn router() -> OpenApiRouter<Arc<Shared>> {
    let reports = OpenApiRouter::new().routes(routes!(reports::report)).layer(DefaultBodyLimit::max(MOST_REPORT));
    let rest = OpenApiRouter::new()
        .routes(routes!(people::me))
        .routes(routes!(people::people))
        .routes(routes!(people::notices))
        .routes(routes!(people::repositories, people::make_repository))
        .routes(routes!(people::tickets))
        .routes(routes!(people::ticket, people::put_ticket))
        .routes(routes!(proposals::inbox))
        .routes(routes!(proposals::propose))
        .routes(routes!(proposals::proposal, proposals::edit))
        .routes(routes!(proposals::files))
        .routes(routes!(proposals::timeline))
        .routes(routes!(proposals::look))
        .routes(routes!(proposals::watch, proposals::unwatch))
        .routes(routes!(proposals::read_marks, proposals::mark_read))
        .routes(routes!(proposals::unmark_read))
        .routes(routes!(proposals::take_stance))
        .routes(routes!(proposals::merge))
        .routes(routes!(reports::put_status))
        .routes(routes!(reports::put_verdict))
        .routes(routes!(threads::threads, threads::open_thread))
        .routes(routes!(threads::preview))
        .routes(routes!(threads::publish))
        .routes(routes!(threads::thread, threads::resolve))
        .routes(routes!(threads::reply))
        .routes(routes!(threads::drop_draft))
        .routes(routes!(threads::react, threads::unreact))
        .layer(DefaultBodyLimit::max(MOST_SENT));
    OpenApiRouter::with_openapi(Description::openapi()).nest("/api", reports.merge(rest))
}

/// What was sent, checked.
pub struct Sent<T>(pub T);

impl<T: DeserializeOwned + Checked> FromRequest<Arc<Shared>> for Sent<T> {
    type Rejection = Problem;

    async fn from_request(request: Request, shared: &Arc<Shared>) -> Result<Self, Problem> {
        let kind = request.headers().get(header::CONTENT_TYPE).and_then(|v| v.to_str().ok()).unwrap_or_default();
        let kind = kind.split(';').next().unwrap_or_default().trim();
        if !kind.eq_ignore_ascii_case("application/json") {
            let why = "send JSON, and declare it: Content-Type: application/json".to_owned();
            return Err(Problem(StatusCode::UNSUPPORTED_MEDIA_TYPE, why));
        }
        let bytes = Bytes::from_request(request, shared)
            .await
            .map_err(|rejection| Problem(rejection.status(), rejection.body_text()))?;
        // A list of the values alone would be read as well.
        if matches!(bytes.trim_ascii_start().first(), Some(b'[')) {
            return Err(Problem::invalid("an object is expected, not a list".to_owned()));
        }
        let Json(value) = Json::<T>::from_bytes(&bytes)?;
        value.check().map_err(Problem::invalid)?;
        Ok(Self(value))
    }
}

/// Does something with the host, off the thread that serves.
async fn with_host<T: Send + 'static>(
    shared: Arc<Shared>,
    work: impl FnOnce(&Host) -> Result<T, Refusal> + Send + 'static,
) -> Result<T, Problem> {
    match tokio::task::spawn_blocking(move || work(&shared.host)).await {
        Ok(result) => result.map_err(Problem::from),
        Err(_) => Err(Problem(StatusCode::INTERNAL_SERVER_ERROR, "the host failed".into())),
    }
}
