//! Fetching and pushing: git's own smart HTTP, by its `http-backend` (a CGI program, RFC 3875).

use std::process::Stdio;
use std::sync::Arc;

use axum::Router;
use axum::body::Body;
use axum::extract::{Request, State};
use axum::http::{HeaderName, HeaderValue, StatusCode};
use axum::response::{IntoResponse, Response};
use axum::routing::any;
use futures_util::{StreamExt, stream};
use tokio::io::{AsyncBufReadExt, AsyncReadExt, AsyncWriteExt, BufReader};
use tokio::process::Command;

use super::Shared;
use super::asker::person;
use super::problem::Problem;
use crate::protocol::{Person, Repository, Role};

/// Most bytes of a push.
const MOST_BYTES: u64 = 1 << 30;
/// Most bytes of the headers that git answers with.
const MOST_HEADERS: u64 = 16 << 10;

pub fn router() -> Router<Arc<Shared>> {
    Router::new().route("/git/{*path}", any(serve))
}

async fn serve(State(shared): State<Arc<Shared>>, request: Request) -> Response {
    match answer(&shared, request).await {
        Ok(response) => response,
        Err(problem) => problem.into_response(),
    }
}

fn failed(why: impl std::fmt::Display) -> Problem {
    tracing::error!(%why, "git http-backend");
    Problem(StatusCode::INTERNAL_SERVER_ERROR, "git couldn't be asked".to_owned())
}

/// Answers what a client of git asks, through git itself; long because the request becomes an environment and the answer headers.
async fn answer(shared: &Arc<Shared>, request: Request) -> Result<Response, Problem> {
    let (parts, body) = request.into_parts();
    let asker = person(&parts.headers, &parts.method, shared)?;
    let unknown = || Problem(StatusCode::NOT_FOUND, "there is no such repository".to_owned());
    let path = parts.uri.path().strip_prefix("/git").unwrap_or_default();
    let (name, call) = path.trim_start_matches('/').split_once('/').ok_or_else(unknown)?;
    let name = name.strip_suffix(".git").unwrap_or(name);
    let query = parts.uri.query().unwrap_or_default();
    let known = [("info/refs", "service=git-upload-pack"), ("info/refs", "service=git-receive-pack")];
    let is_call = known.contains(&(call, query)) || ["git-upload-pack", "git-receive-pack"].contains(&call);
    let repository = shared.host.storage().repository(name).map_err(|_| unknown())?;
    if !is_call {
        return Err(Problem(StatusCode::NOT_FOUND, "only git's smart protocol is served here".to_owned()));
    }
    let pushes = call == "git-receive-pack" || query == "service=git-receive-pack";
    if pushes {
        may_push(&asker, &repository)?;
    }
    let mut command = Command::new("git");
    command.arg("http-backend").env_clear().kill_on_drop(true);
    let header = |name: &str| parts.headers.get(name).and_then(|v| v.to_str().ok()).unwrap_or_default();
    let variables = [
        ("PATH", std::env::var("PATH").unwrap_or_default()),
        ("LC_ALL", "C".to_owned()),
        ("GIT_PROJECT_ROOT", shared.host.repositories.folder().to_string_lossy().into_owned()),
        ("GIT_HTTP_EXPORT_ALL", "1".to_owned()),
        ("GIT_CONFIG_NOSYSTEM", "1".to_owned()),
        ("GIT_CONFIG_GLOBAL", "/dev/null".to_owned()),
        ("GIT_PROTOCOL", header("git-protocol").to_owned()),
        ("PATH_INFO", format!("/{name}.git/{call}")),
        ("QUERY_STRING", query.to_owned()),
        ("REQUEST_METHOD", parts.method.to_string()),
        ("CONTENT_TYPE", header("content-type").to_owned()),
        ("HTTP_CONTENT_ENCODING", header("content-encoding").to_owned()),
        ("REMOTE_USER", asker.name.clone()),
        ("REMOTE_ADDR", "127.0.0.1".to_owned()),
        ("GIT_COMMITTER_NAME", asker.name.clone()),
        ("GIT_COMMITTER_EMAIL", format!("{}@localhost", asker.name)),
        ("SWAGE_PERSON", asker.name.clone()),
        ("SWAGE_ROLE", asker.role.word().to_owned()),
        ("SWAGE_OWNER", repository.owner.clone().unwrap_or_default()),
    ];
    command.envs(variables).stdin(Stdio::piped()).stdout(Stdio::piped()).stderr(Stdio::null());
    let mut child = command.spawn().map_err(failed)?;
    let (Some(mut input), Some(output)) = (child.stdin.take(), child.stdout.take()) else {
        return Err(failed("it has no standard streams"));
    };
    // git may answer before it has read all, so both go on beside each other.
    let sending = tokio::spawn(async move {
        let mut body = body.into_data_stream();
        let mut sent = 0u64;
        while let Some(chunk) = body.next().await {
            let Ok(chunk) = chunk else { break };
            sent += chunk.len() as u64;
            if sent > MOST_BYTES || input.write_all(&chunk).await.is_err() {
                break;
            }
        }
        _ = input.shutdown().await;
    });
    let mut output = BufReader::new(output);
    let head = cgi_head(&mut output).await?;
    let shared = shared.clone();
    let name = name.to_owned();
    let (sender, receiver) = tokio::sync::mpsc::channel::<Result<Vec<u8>, std::io::Error>>(4);
    tokio::spawn(async move {
        let mut buffer = vec![0u8; 64 << 10];
        loop {
            match output.read(&mut buffer).await {
                Ok(0) => break,
                Ok(read) => {
                    if sender.send(Ok(buffer[..read].to_vec())).await.is_err() {
                        break;
                    }
                }
                Err(error) => {
                    _ = sender.send(Err(error)).await;
                    break;
                }
            }
        }
        _ = sending.await;
        _ = child.wait().await;
        if pushes {
            // What was pushed becomes revisions at once; a later request would find it, too.
            let looked = tokio::task::spawn_blocking(move || shared.host.look_for_pushes(Some(&name))).await;
            if !matches!(looked, Ok(Ok(()))) {
                tracing::warn!("a push couldn't be looked at");
            }
        }
        // The answer ends only now, so that the client finds what it pushed.
        drop(sender);
    });
    let mut response = Response::builder().status(head.status);
    for (name, value) in head.headers {
        response = response.header(name, value);
    }
    let chunks = stream::unfold(receiver, |mut from| async { from.recv().await.map(|chunk| (chunk, from)) });
    response.body(Body::from_stream(chunks)).map_err(failed)
}

fn may_push(asker: &Person, repository: &Repository) -> Result<(), Problem> {
    let forbidden = |why: String| Err(Problem(StatusCode::FORBIDDEN, why));
    match (asker.role, &repository.owner) {
        (Role::Reader | Role::Checker, _) => {
            forbidden(format!("{} is a {} and may not push", asker.name, asker.role.word()))
        }
        (Role::Contributor, Some(owner)) if *owner != asker.name => {
            forbidden(format!("{} is {owner}'s own repository", repository.name))
        }
        (Role::Contributor | Role::Maintainer, _) => Ok(()),
    }
}

/// The head of a CGI answer.
struct Head {
    status: StatusCode,
    headers: Vec<(HeaderName, HeaderValue)>,
}

async fn cgi_head(output: &mut (impl AsyncBufReadExt + Unpin)) -> Result<Head, Problem> {
    let mut head = Head { status: StatusCode::OK, headers: Vec::new() };
    let mut limited = output.take(MOST_HEADERS);
    let mut lines = 0;
    loop {
        let mut line = String::new();
        limited.read_line(&mut line).await.map_err(failed)?;
        let line = line.trim_end_matches(['\r', '\n']);
        if line.is_empty() {
            return if lines == 0 { Err(failed("it answers without headers")) } else { Ok(head) };
        }
        lines += 1;
        let (name, value) = line.split_once(':').ok_or_else(|| failed("a header has no colon"))?;
        let value = value.trim();
        if name.eq_ignore_ascii_case("status") {
            let code = value.split(' ').next().and_then(|code| code.parse().ok());
            head.status =
                code.and_then(|code| StatusCode::from_u16(code).ok()).ok_or_else(|| failed("an odd status"))?;
        } else {
            let name = HeaderName::from_bytes(name.as_bytes()).map_err(failed)?;
            head.headers.push((name, HeaderValue::from_str(value).map_err(failed)?));
        }
    }
}
