//! What programs say: reports, statuses and verdicts.

use std::sync::Arc;

use axum::Json;
use axum::extract::State;

use super::{Sent, with_host};
use crate::protocol::{Changed, NewStatus, NewVerdict, Posted, Report, Status, check_commit, check_name};
use crate::server::Shared;
use crate::server::asker::{Checker, InPath, Number};
use crate::server::problem::Problem;

fn check(head: &str, what: &str, name: &str) -> Result<(), Problem> {
    let checked = check_commit("the head", head).and_then(|()| check_name(what, name));
    checked.map_err(Problem::invalid)
}

/// Send everything that was found in the newest revision
#[utoipa::path(
    put, path = "/proposals/{number}/revisions/{head}/reports/{reporter}", tag = "programs",
    params(
        ("number" = u64, Path, minimum = 1, maximum = 9007199254740992u64),
        ("head" = String, Path, pattern = "^([0-9a-f]{40}|[0-9a-f]{64})$"),
        ("reporter" = String, Path, description = "The checker's name; its threads are its own", pattern = "^[A-Za-z0-9][A-Za-z0-9._-]{0,63}$")
    ),
    request_body = Report, responses((status = 200, body = Posted), Problem)
)]
pub async fn report(
    State(shared): State<Arc<Shared>>,
    Checker(_): Checker,
    InPath((number, head, reporter)): InPath<(Number, String, String)>,
    Sent(report): Sent<Report>,
) -> Result<Json<Posted>, Problem> {
    check(&head, "the reporter", &reporter)?;
    let put = move |host: &crate::host::Host| {
        host.look(number.0)?;
        host.storage().report(number.0, &head, &reporter, &report)
    };
    with_host(shared, put).await.map(Json)
}

/// Say how far a program is with a revision
#[utoipa::path(
    put, path = "/proposals/{number}/revisions/{head}/statuses/{name}", tag = "programs",
    params(
        ("number" = u64, Path, minimum = 1, maximum = 9007199254740992u64),
        ("head" = String, Path, pattern = "^([0-9a-f]{40}|[0-9a-f]{64})$"),
        ("name" = String, Path, description = "What was looked at, such as `build`", pattern = "^[A-Za-z0-9][A-Za-z0-9._-]{0,63}$")
    ),
    request_body = NewStatus, responses((status = 200, body = Status), Problem)
)]
pub async fn put_status(
    State(shared): State<Arc<Shared>>,
    Checker(person): Checker,
    InPath((number, head, name)): InPath<(Number, String, String)>,
    Sent(new): Sent<NewStatus>,
) -> Result<Json<Status>, Problem> {
    check(&head, "the status", &name)?;
    let put = move |host: &crate::host::Host| {
        host.look(number.0)?;
        host.storage().put_status(number.0, &head, &name, &person.name, &new)
    };
    with_host(shared, put).await.map(Json)
}

/// Say what the gate decides for a pair of commits
#[utoipa::path(
    put, path = "/proposals/{number}/verdict", tag = "programs", params(("number" = u64, Path, minimum = 1, maximum = 9007199254740992u64)),
    request_body = NewVerdict, responses((status = 200, body = Changed), Problem)
)]
pub async fn put_verdict(
    State(shared): State<Arc<Shared>>,
    Checker(person): Checker,
    InPath(number): InPath<Number>,
    Sent(new): Sent<NewVerdict>,
) -> Result<Json<Changed>, Problem> {
    let put = move |host: &crate::host::Host| {
        host.look(number.0)?;
        host.storage().put_verdict(number.0, &person.name, &new)
    };
    with_host(shared, put).await.map(|()| Json(Changed { changed: true }))
}
