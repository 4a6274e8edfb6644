//! Proposals: offering, reading, judging and merging them.

use std::sync::Arc;

use axum::Json;
use axum::extract::rejection::QueryRejection;
use axum::extract::{Query, State};
use axum::http::StatusCode;
use serde::Deserialize;
use utoipa::{IntoParams, ToSchema};

use super::{Sent, with_host};
use crate::protocol::{
    Changed, Edited, Event, InboxRow, Mark, MergeRequest, NewProposal, NewStance, Proposal, Published, ReadMark,
    TouchedFile,
};
use crate::server::Shared;
use crate::server::asker::{Contributor, InPath, Maintainer, Number, Reader};
use crate::server::problem::Problem;
use crate::storage::Which;

/// Which proposals are listed.
#[derive(Debug, Clone, Copy, Default, Deserialize, ToSchema)]
#[serde(rename_all = "lowercase")]
pub enum WhichProposals {
    /// Open ones that you have to do with.
    #[default]
    Mine,
    /// All open ones.
    Open,
    /// All, closed and merged ones included.
    All,
}

/// What a list is to hold.
#[derive(Debug, Deserialize, IntoParams)]
#[serde(deny_unknown_fields)]
pub struct Asked {
    /// Which proposals; `mine` when left out.
    which: Option<WhichProposals>,
}

/// Proposals as you see them: what waits for you first, then the newest; at most 500
#[utoipa::path(get, path = "/inbox", tag = "proposals", params(Asked), responses((status = 200, body = Vec<InboxRow>), Problem))]
pub async fn inbox(
    State(shared): State<Arc<Shared>>,
    Reader(person): Reader,
    asked: Result<Query<Asked>, QueryRejection>,
) -> Result<Json<Vec<InboxRow>>, Problem> {
    let Query(asked) = asked?;
    let which = match asked.which.unwrap_or_default() {
        WhichProposals::Mine => Which::Mine,
        WhichProposals::Open => Which::Open,
        WhichProposals::All => Which::All,
    };
    with_host(shared, move |host| host.inbox(&person.name, which)).await.map(Json)
}

/// Offer a branch for merging
#[utoipa::path(
    post, path = "/proposals", tag = "proposals", request_body = NewProposal,
    responses((status = 201, body = Proposal), Problem)
)]
pub async fn propose(
    State(shared): State<Arc<Shared>>,
    Contributor(person): Contributor,
    Sent(new): Sent<NewProposal>,
) -> Result<(StatusCode, Json<Proposal>), Problem> {
    let proposal = with_host(shared, move |host| {
        let number = host.propose(&person, &new)?;
        host.proposal(number, &person.name)
    })
    .await?;
    Ok((StatusCode::CREATED, Json(proposal)))
}

/// One proposal
#[utoipa::path(
    get, path = "/proposals/{number}", tag = "proposals", params(("number" = u64, Path, minimum = 1, maximum = 9007199254740992u64)),
    responses((status = 200, body = Proposal), Problem)
)]
pub async fn proposal(
    State(shared): State<Arc<Shared>>,
    Reader(person): Reader,
    InPath(number): InPath<Number>,
) -> Result<Json<Proposal>, Problem> {
    with_host(shared, move |host| host.proposal(number.0, &person.name)).await.map(Json)
}

/// Change what is said about a proposal, close it or open it again: its author and maintainers
#[utoipa::path(
    patch, path = "/proposals/{number}", tag = "proposals", params(("number" = u64, Path, minimum = 1, maximum = 9007199254740992u64)),
    request_body = Edited, responses((status = 200, body = Proposal), Problem)
)]
pub async fn edit(
    State(shared): State<Arc<Shared>>,
    Contributor(person): Contributor,
    InPath(number): InPath<Number>,
    Sent(edited): Sent<Edited>,
) -> Result<Json<Proposal>, Problem> {
    let edit = move |host: &crate::host::Host| {
        host.edit(number.0, &person, &edited)?;
        host.proposal(number.0, &person.name)
    };
    with_host(shared, edit).await.map(Json)
}

/// The files that the newest revision changes
#[utoipa::path(
    get, path = "/proposals/{number}/files", tag = "proposals", params(("number" = u64, Path, minimum = 1, maximum = 9007199254740992u64)),
    responses((status = 200, body = Vec<TouchedFile>), Problem)
)]
pub async fn files(
    State(shared): State<Arc<Shared>>,
    Reader(person): Reader,
    InPath(number): InPath<Number>,
) -> Result<Json<Vec<TouchedFile>>, Problem> {
    with_host(shared, move |host| host.files(number.0, &person.name)).await.map(Json)
}

/// What happened to a proposal, oldest first
#[utoipa::path(
    get, path = "/proposals/{number}/timeline", tag = "proposals", params(("number" = u64, Path, minimum = 1, maximum = 9007199254740992u64)),
    responses((status = 200, body = Vec<Event>), Problem)
)]
pub async fn timeline(
    State(shared): State<Arc<Shared>>,
    Reader(_): Reader,
    InPath(number): InPath<Number>,
) -> Result<Json<Vec<Event>>, Problem> {
    with_host(shared, move |host| host.storage().timeline(number.0)).await.map(Json)
}

/// Note that you have looked at a proposal
#[utoipa::path(
    post, path = "/proposals/{number}/seen", tag = "marks", params(("number" = u64, Path, minimum = 1, maximum = 9007199254740992u64)),
    responses((status = 200, body = Changed), Problem)
)]
pub async fn look(
    State(shared): State<Arc<Shared>>,
    Reader(person): Reader,
    InPath(number): InPath<Number>,
) -> Result<Json<Changed>, Problem> {
    let changed = with_host(shared, move |host| host.storage().look(number.0, &person.name)).await?;
    Ok(Json(Changed { changed }))
}

/// Watch a proposal
#[utoipa::path(
    put, path = "/proposals/{number}/watching", tag = "marks", params(("number" = u64, Path, minimum = 1, maximum = 9007199254740992u64)),
    responses((status = 200, body = Changed), Problem)
)]
pub async fn watch(
    State(shared): State<Arc<Shared>>,
    Reader(person): Reader,
    InPath(number): InPath<Number>,
) -> Result<Json<Changed>, Problem> {
    let changed = with_host(shared, move |host| host.storage().watch(number.0, &person.name, Mark::Put)).await?;
    Ok(Json(Changed { changed }))
}

/// Watch a proposal no more
#[utoipa::path(
    delete, path = "/proposals/{number}/watching", tag = "marks", params(("number" = u64, Path, minimum = 1, maximum = 9007199254740992u64)),
    responses((status = 200, body = Changed), Problem)
)]
pub async fn unwatch(
    State(shared): State<Arc<Shared>>,
    Reader(person): Reader,
    InPath(number): InPath<Number>,
) -> Result<Json<Changed>, Problem> {
    let changed = with_host(shared, move |host| host.storage().watch(number.0, &person.name, Mark::TakenAway)).await?;
    Ok(Json(Changed { changed }))
}

/// The files that you have read
#[utoipa::path(
    get, path = "/proposals/{number}/read", tag = "marks", params(("number" = u64, Path, minimum = 1, maximum = 9007199254740992u64)),
    responses((status = 200, body = Vec<ReadMark>), Problem)
)]
pub async fn read_marks(
    State(shared): State<Arc<Shared>>,
    Reader(person): Reader,
    InPath(number): InPath<Number>,
) -> Result<Json<Vec<ReadMark>>, Problem> {
    with_host(shared, move |host| host.storage().read_marks(number.0, &person.name)).await.map(Json)
}

/// Mark a file as read
#[utoipa::path(
    put, path = "/proposals/{number}/read", tag = "marks", params(("number" = u64, Path, minimum = 1, maximum = 9007199254740992u64)),
    request_body = ReadMark, responses((status = 200, body = Changed), Problem)
)]
pub async fn mark_read(
    State(shared): State<Arc<Shared>>,
    Reader(person): Reader,
    InPath(number): InPath<Number>,
    Sent(mark): Sent<ReadMark>,
) -> Result<Json<Changed>, Problem> {
    let mark = move |host: &crate::host::Host| host.storage().mark_read(number.0, &person.name, &mark, Mark::Put);
    Ok(Json(Changed { changed: with_host(shared, mark).await? }))
}

/// Take a mark away again
#[utoipa::path(
    post, path = "/proposals/{number}/unread", tag = "marks", params(("number" = u64, Path, minimum = 1, maximum = 9007199254740992u64)),
    request_body = ReadMark, responses((status = 200, body = Changed), Problem)
)]
pub async fn unmark_read(
    State(shared): State<Arc<Shared>>,
    Reader(person): Reader,
    InPath(number): InPath<Number>,
    Sent(mark): Sent<ReadMark>,
) -> Result<Json<Changed>, Problem> {
    let unmark =
        move |host: &crate::host::Host| host.storage().mark_read(number.0, &person.name, &mark, Mark::TakenAway);
    Ok(Json(Changed { changed: with_host(shared, unmark).await? }))
}

/// Take a stance on the newest revision, and publish your drafts with it
#[utoipa::path(
    put, path = "/proposals/{number}/stance", tag = "proposals", params(("number" = u64, Path, minimum = 1, maximum = 9007199254740992u64)),
    request_body = NewStance, responses((status = 200, body = Published), Problem)
)]
pub async fn take_stance(
    State(shared): State<Arc<Shared>>,
    Contributor(person): Contributor,
    InPath(number): InPath<Number>,
    Sent(new): Sent<NewStance>,
) -> Result<Json<Published>, Problem> {
    let take = move |host: &crate::host::Host| {
        // What was pushed meanwhile isn't what was looked at.
        host.look(number.0)?;
        host.storage().take_stance(number.0, &person, &new)
    };
    with_host(shared, take).await.map(Json)
}

/// Merge a proposal, when its verdict is a pass for exactly these two commits
#[utoipa::path(
    post, path = "/proposals/{number}/merge", tag = "proposals", params(("number" = u64, Path, minimum = 1, maximum = 9007199254740992u64)),
    request_body = MergeRequest, responses((status = 200, body = Proposal), Problem)
)]
pub async fn merge(
    State(shared): State<Arc<Shared>>,
    Maintainer(person): Maintainer,
    InPath(number): InPath<Number>,
    Sent(request): Sent<MergeRequest>,
) -> Result<Json<Proposal>, Problem> {
    let merge = move |host: &crate::host::Host| {
        host.merge(number.0, &person, &request)?;
        host.proposal(number.0, &person.name)
    };
    with_host(shared, merge).await.map(Json)
}
