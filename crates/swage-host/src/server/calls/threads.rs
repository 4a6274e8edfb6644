//! Threads and what is said in them.

use std::sync::Arc;

use axum::Json;
use axum::extract::State;
use axum::http::StatusCode;

use super::{Sent, with_host};
use crate::host::Host;
use crate::protocol::{
    Changed, Checked, Mark, NewRemark, NewThread, Published, Resolve, Thread, ThreadEnd, check_name,
};
use crate::server::Shared;
use crate::server::asker::{Contributor, InPath, Number, Reader, Speaker};
use crate::server::pages::markdown::html_of;
use crate::server::problem::Problem;

/// The threads of a proposal as you see them, in the order in which they were opened
#[utoipa::path(
    get, path = "/proposals/{number}/threads", tag = "threads", params(("number" = u64, Path, minimum = 1, maximum = 9007199254740992u64)),
    responses((status = 200, body = Vec<Thread>), Problem)
)]
pub async fn threads(
    State(shared): State<Arc<Shared>>,
    Reader(person): Reader,
    InPath(number): InPath<Number>,
) -> Result<Json<Vec<Thread>>, Problem> {
    with_host(shared, move |host| host.threads(number.0, &person.name)).await.map(Json)
}

/// Open a thread at some lines, a file or the whole proposal
#[utoipa::path(
    post, path = "/proposals/{number}/threads", tag = "threads", params(("number" = u64, Path, minimum = 1, maximum = 9007199254740992u64)),
    request_body = NewThread, responses((status = 201, body = Thread), Problem)
)]
pub async fn open_thread(
    State(shared): State<Arc<Shared>>,
    Contributor(person): Contributor,
    InPath(number): InPath<Number>,
    Sent(new): Sent<NewThread>,
) -> Result<(StatusCode, Json<Thread>), Problem> {
    let open = move |host: &Host| {
        let thread = host.open_thread(number.0, &person, &new)?;
        host.storage().thread(thread, &person.name)
    };
    Ok((StatusCode::CREATED, Json(with_host(shared, open).await?)))
}

/// A text that isn't sent yet
#[derive(serde::Deserialize, utoipa::ToSchema)]
#[serde(deny_unknown_fields)]
pub struct Draft {
    /// The text, in Markdown.
    text: String,
}

impl Checked for Draft {
    fn check(&self) -> Result<(), String> {
        crate::protocol::check_text("the text", &self.text)
    }
}

/// What a text looks like
#[derive(serde::Serialize, utoipa::ToSchema)]
pub struct Preview {
    /// The text as HTML, in which no markup of the writer's is left.
    html: String,
}

/// See what a text will look like
#[utoipa::path(
    post, path = "/preview", tag = "threads", request_body = Draft, responses((status = 200, body = Preview), Problem)
)]
pub async fn preview(Reader(_): Reader, Sent(draft): Sent<Draft>) -> Json<Preview> {
    Json(Preview { html: html_of(&draft.text) })
}

/// Let others see your drafts
#[utoipa::path(
    post, path = "/proposals/{number}/publish", tag = "threads", params(("number" = u64, Path, minimum = 1, maximum = 9007199254740992u64)),
    responses((status = 200, body = Published), Problem)
)]
pub async fn publish(
    State(shared): State<Arc<Shared>>,
    Contributor(person): Contributor,
    InPath(number): InPath<Number>,
) -> Result<Json<Published>, Problem> {
    with_host(shared, move |host| host.storage().publish(number.0, &person)).await.map(Json)
}

/// One thread
#[utoipa::path(
    get, path = "/threads/{thread}", tag = "threads", params(("thread" = u64, Path, minimum = 1, maximum = 9007199254740992u64)),
    responses((status = 200, body = Thread), Problem)
)]
pub async fn thread(
    State(shared): State<Arc<Shared>>,
    Reader(person): Reader,
    InPath(thread): InPath<Number>,
) -> Result<Json<Thread>, Problem> {
    with_host(shared, move |host| host.storage().thread(thread.0, &person.name)).await.map(Json)
}

impl Checked for Resolve {
    fn check(&self) -> Result<(), String> {
        Ok(())
    }
}

/// Close a thread, or open it again
#[utoipa::path(
    patch, path = "/threads/{thread}", tag = "threads", params(("thread" = u64, Path, minimum = 1, maximum = 9007199254740992u64)),
    request_body = Resolve, responses((status = 200, body = Changed), Problem)
)]
pub async fn resolve(
    State(shared): State<Arc<Shared>>,
    Contributor(person): Contributor,
    InPath(thread): InPath<Number>,
    Sent(wanted): Sent<Resolve>,
) -> Result<Json<Changed>, Problem> {
    let end = if wanted.open { ThreadEnd::Reopened } else { ThreadEnd::Closed };
    let changed = with_host(shared, move |host| host.storage().resolve(thread.0, &person, end)).await?;
    Ok(Json(Changed { changed }))
}

/// Say something in a thread
#[utoipa::path(
    post, path = "/threads/{thread}/remarks", tag = "threads", params(("thread" = u64, Path, minimum = 1, maximum = 9007199254740992u64)),
    request_body = NewRemark, responses((status = 201, body = Thread), Problem)
)]
pub async fn reply(
    State(shared): State<Arc<Shared>>,
    Speaker(person): Speaker,
    InPath(thread): InPath<Number>,
    Sent(new): Sent<NewRemark>,
) -> Result<(StatusCode, Json<Thread>), Problem> {
    let reply = move |host: &Host| {
        let mut storage = host.storage();
        storage.reply(thread.0, &person, &new)?;
        storage.thread(thread.0, &person.name)
    };
    Ok((StatusCode::CREATED, Json(with_host(shared, reply).await?)))
}

/// Take a draft of yours away
#[utoipa::path(
    delete, path = "/remarks/{remark}", tag = "threads", params(("remark" = u64, Path, minimum = 1, maximum = 9007199254740992u64)),
    responses((status = 200, body = Changed), Problem)
)]
pub async fn drop_draft(
    State(shared): State<Arc<Shared>>,
    Contributor(person): Contributor,
    InPath(remark): InPath<Number>,
) -> Result<Json<Changed>, Problem> {
    with_host(shared, move |host| host.storage().drop_draft(remark.0, &person)).await?;
    Ok(Json(Changed { changed: true }))
}

async fn set_reaction(
    shared: Arc<Shared>,
    person: crate::protocol::Person,
    (remark, word): (Number, String),
    mark: Mark,
) -> Result<Json<Changed>, Problem> {
    check_name("the reaction", &word).map_err(Problem::invalid)?;
    let changed = with_host(shared, move |host| host.storage().react(remark.0, &person, &word, mark)).await?;
    Ok(Json(Changed { changed }))
}

/// React to a remark with a word
#[utoipa::path(
    put, path = "/remarks/{remark}/reactions/{word}", tag = "threads",
    params(
        ("remark" = u64, Path, minimum = 1, maximum = 9007199254740992u64),
        ("word" = String, Path, description = "Such as `agreed`", pattern = "^[A-Za-z0-9][A-Za-z0-9._-]{0,63}$")
    ),
    responses((status = 200, body = Changed), Problem)
)]
pub async fn react(
    State(shared): State<Arc<Shared>>,
    Contributor(person): Contributor,
    InPath(which): InPath<(Number, String)>,
) -> Result<Json<Changed>, Problem> {
    set_reaction(shared, person, which, Mark::Put).await
}

/// Take a reaction back
#[utoipa::path(
    delete, path = "/remarks/{remark}/reactions/{word}", tag = "threads",
    params(
        ("remark" = u64, Path, minimum = 1, maximum = 9007199254740992u64),
        ("word" = String, Path, description = "Such as `agreed`", pattern = "^[A-Za-z0-9][A-Za-z0-9._-]{0,63}$")
    ),
    responses((status = 200, body = Changed), Problem)
)]
pub async fn unreact(
    State(shared): State<Arc<Shared>>,
    Contributor(person): Contributor,
    InPath(which): InPath<(Number, String)>,
) -> Result<Json<Changed>, Problem> {
    set_reaction(shared, person, which, Mark::TakenAway).await
}
