//! People, repositories and tickets.

use std::sync::Arc;

use axum::Json;
use axum::extract::State;
use axum::http::StatusCode;

use super::{Sent, with_host};
use crate::protocol::{Event, Me, NewRepository, NewTicket, Person, Repository, Ticket};
use crate::server::Shared;
use crate::server::asker::{Contributor, InPath, Maintainer, Reader};
use crate::server::problem::Problem;

/// Whom the token belongs to
#[utoipa::path(get, path = "/me", tag = "people", responses((status = 200, body = Me), Problem))]
pub async fn me(State(shared): State<Arc<Shared>>, Reader(person): Reader) -> Result<Json<Me>, Problem> {
    with_host(shared, move |host| host.storage().me(&person)).await.map(Json)
}

/// Everybody who has a role here
#[utoipa::path(get, path = "/people", tag = "people", responses((status = 200, body = Vec<Person>), Problem))]
pub async fn people(State(shared): State<Arc<Shared>>, Reader(_): Reader) -> Result<Json<Vec<Person>>, Problem> {
    with_host(shared, |host| host.storage().people()).await.map(Json)
}

/// An event that somebody hasn't been notified of, with its proposal
#[derive(serde::Serialize, utoipa::ToSchema)]
pub struct Notice {
    /// The proposal's number.
    proposal: u64,
    /// What happened.
    event: Event,
}

/// What happened that you haven't looked at yet, oldest first
#[utoipa::path(get, path = "/notices", tag = "people", responses((status = 200, body = Vec<Notice>), Problem))]
pub async fn notices(State(shared): State<Arc<Shared>>, Reader(person): Reader) -> Result<Json<Vec<Notice>>, Problem> {
    let found = with_host(shared, move |host| host.storage().notices(&person.name)).await?;
    Ok(Json(found.into_iter().map(|(proposal, event)| Notice { proposal, event }).collect()))
}

/// The repositories
#[utoipa::path(get, path = "/repositories", tag = "repositories", responses((status = 200, body = Vec<Repository>), Problem))]
pub async fn repositories(
    State(shared): State<Arc<Shared>>,
    Reader(_): Reader,
) -> Result<Json<Vec<Repository>>, Problem> {
    with_host(shared, |host| host.storage().repositories()).await.map(Json)
}

/// Make a repository: a copy of your own, or a shared one
#[utoipa::path(
    post, path = "/repositories", tag = "repositories", request_body = NewRepository,
    responses((status = 201, body = Repository), Problem)
)]
pub async fn make_repository(
    State(shared): State<Arc<Shared>>,
    Contributor(person): Contributor,
    Sent(new): Sent<NewRepository>,
) -> Result<(StatusCode, Json<Repository>), Problem> {
    let made = with_host(shared, move |host| host.make_repository(&person, &new)).await?;
    Ok((StatusCode::CREATED, Json(made)))
}

/// The tickets
#[utoipa::path(get, path = "/tickets", tag = "tickets", responses((status = 200, body = Vec<Ticket>), Problem))]
pub async fn tickets(State(shared): State<Arc<Shared>>, Reader(_): Reader) -> Result<Json<Vec<Ticket>>, Problem> {
    with_host(shared, |host| host.storage().tickets()).await.map(Json)
}

/// One ticket
#[utoipa::path(
    get, path = "/tickets/{name}", tag = "tickets", params(("name" = String, Path, description = "Its name")),
    responses((status = 200, body = Ticket), Problem)
)]
pub async fn ticket(
    State(shared): State<Arc<Shared>>,
    Reader(_): Reader,
    InPath(name): InPath<String>,
) -> Result<Json<Ticket>, Problem> {
    with_host(shared, move |host| host.storage().ticket(&name)).await.map(Json)
}

/// Write a ticket, or change it
#[utoipa::path(
    put, path = "/tickets/{name}", tag = "tickets", request_body = NewTicket,
    params(("name" = String, Path, description = "Its name, as commits write it", pattern = "^[A-Za-z0-9][A-Za-z0-9._-]{0,63}$")),
    responses((status = 200, body = Ticket), (status = 201, body = Ticket), Problem)
)]
pub async fn put_ticket(
    State(shared): State<Arc<Shared>>,
    Maintainer(_): Maintainer,
    InPath(name): InPath<String>,
    Sent(new): Sent<NewTicket>,
) -> Result<(StatusCode, Json<Ticket>), Problem> {
    crate::protocol::check_name("the ticket", &name).map_err(Problem::invalid)?;
    let (is_new, ticket) = with_host(shared, move |host| {
        let mut storage = host.storage();
        let is_new = storage.put_ticket(&name, &new)?;
        Ok((is_new, storage.ticket(&name)?))
    })
    .await?;
    Ok((if is_new { StatusCode::CREATED } else { StatusCode::OK }, Json(ticket)))
}
