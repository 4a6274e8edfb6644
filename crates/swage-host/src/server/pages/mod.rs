//! Pages for people: signing in, the inbox, a proposal with all that was said of it, its change line by line, tickets. Everything
//! works without scripts; what changes something is a form of the host's own page.

mod asked;
mod change;
pub mod markdown;
mod preview;
mod render;
mod tickets;

use std::sync::Arc;

use axum::Router;
use axum::extract::{Request, State};
use axum::http::{HeaderMap, HeaderValue, StatusCode, header};
use axum::middleware::{self, Next};
use axum::response::{Html, IntoResponse, Redirect, Response};
use axum::routing::{get, post};
use minijinja::context;
use minijinja::value::Serde;
use serde::Deserialize;

use swage_page::{SCRIPT, STYLE};

use self::asked::{Filled, PageForm, Visitor};
use self::preview::{Button, Preview};
use self::render::render;
use super::Shared;
use super::asker::{COOKIE, InPath, Number, session_of};
use super::problem::Problem;
use crate::host::Host;
use crate::protocol::{
    Checked, Event, NewRemark, NewStance, NewThread, Person, Role, StanceWord, ThreadEnd, ThreadKind,
};
use crate::storage::{Refusal, Which};

/// Nothing from elsewhere, no scripts but the host's own file, no frames, and forms that go nowhere else.
const POLICY: &str = "default-src 'none'; style-src 'self'; script-src 'self'; img-src 'self' data:; form-action 'self'; base-uri 'none'; frame-ancestors 'none'";

pub fn router() -> Router<Arc<Shared>> {
    Router::new()
        .route("/", get(inbox))
        .route(
            "/page.css",
            get(|| async { ([(header::CONTENT_TYPE, "text/css")], [include_str!("page.css"), STYLE].concat()) }),
        )
        .route("/change.js", get(|| async { ([(header::CONTENT_TYPE, "text/javascript")], SCRIPT) }))
        .route("/sign-in", get(sign_in_page).post(sign_in))
        .route("/sign-out", post(sign_out))
        .route("/proposals/{number}", get(proposal))
        .route("/proposals/{number}/say", post(say))
        .route("/proposals/{number}/stance", post(take_stance))
        .route("/proposals/{number}/threads/{thread}", post(answer))
        .route("/proposals/{number}/change", get(change::change))
        .route("/proposals/{number}/lines", post(change::remark))
        .route("/proposals/{number}/read", post(change::mark))
        .route("/proposals/{number}/publish", post(publish))
        .route("/proposals/{number}/drafts/{remark}", post(drop_draft))
        .route("/tickets/{name}", get(tickets::ticket).post(tickets::change))
        .layer(middleware::from_fn(with_policy))
}

async fn with_policy(request: Request, next: Next) -> Response {
    let mut response = next.run(request).await;
    let headers = response.headers_mut();
    headers.insert(header::CONTENT_SECURITY_POLICY, HeaderValue::from_static(POLICY));
    headers.insert(header::CACHE_CONTROL, HeaderValue::from_static("no-store"));
    response
}

/// Visitors are asked to sign in.
fn turned_away(problem: &Problem) -> Response {
    match problem.0 {
        StatusCode::UNAUTHORIZED => Redirect::to("/sign-in").into_response(),
        _ => page_of(problem),
    }
}

/// A problem as a page.
fn page_of(problem: &Problem) -> Response {
    let values = context! { status => problem.0.as_u16(), reason => &problem.1 };
    match render("problem.html", values) {
        Ok(text) => (problem.0, Html(text)).into_response(),
        Err(why) => (StatusCode::INTERNAL_SERVER_ERROR, why).into_response(),
    }
}

/// Makes a page of what the host says, off the thread that serves.
async fn page(
    shared: Arc<Shared>,
    template: &'static str,
    work: impl FnOnce(&Host) -> Result<minijinja::Value, Refusal> + Send + 'static,
) -> Response {
    let done = tokio::task::spawn_blocking(move || work(&shared.host).map_err(Problem::from)).await;
    let failed = |why: String| page_of(&Problem(StatusCode::INTERNAL_SERVER_ERROR, why));
    match done {
        Ok(Ok(values)) => render(template, values).map_or_else(failed, |text| Html(text).into_response()),
        Ok(Err(problem)) => page_of(&problem),
        Err(_) => failed("the host failed".to_owned()),
    }
}

async fn inbox(State(shared): State<Arc<Shared>>, Visitor(me): Visitor) -> Response {
    page(shared, "inbox.html", move |host| {
        let mine = host.inbox(&me.name, Which::Mine)?;
        let open = host.inbox(&me.name, Which::Open)?;
        let others: Vec<_> = open.into_iter().filter(|row| row.roles.is_empty()).collect();
        let (waiting, rest): (Vec<_>, Vec<_>) = mine.into_iter().partition(|row| row.waits_for_me);
        let groups = [("Waits for you", waiting), ("Waits for others", rest), ("Other open proposals", others)];
        let me = host.storage().me(&me)?;
        Ok(context! { me => Serde(me), groups => Serde(groups), now => crate::storage::now() })
    })
    .await
}

async fn proposal(State(shared): State<Arc<Shared>>, Visitor(me): Visitor, number: InPath<Number>) -> Response {
    let number = number.0.0;
    page(shared, "proposal.html", move |host| {
        let proposal = host.proposal(number, &me.name)?;
        let threads = host.threads(number, &me.name)?;
        let timeline = host.storage().timeline(number)?;
        host.storage().look(number, &me.name)?;
        let may_speak = matches!(me.role, Role::Contributor | Role::Maintainer);
        let drafts = threads.iter().flat_map(|t| &t.remarks).filter(|remark| remark.draft).count();
        let newest = proposal.newest().map_or(0, |revision| revision.number);
        let me = host.storage().me(&me)?;
        Ok(context! {
            me => Serde(me), drafts, proposal => Serde(proposal), threads => Serde(threads), newest => newest,
            timeline => timeline.iter().map(happened).collect::<Vec<_>>(), may_speak => may_speak, now => crate::storage::now(),
        })
    })
    .await
}

/// An event in words.
fn happened(event: &Event) -> minijinja::Value {
    let (did, text) = event.in_words();
    context! { at => event.at, who => event.who.clone(), did, revision => event.revision, text }
}

async fn sign_in_page() -> Response {
    match render("sign-in.html", context! {}) {
        Ok(text) => Html(text).into_response(),
        Err(why) => page_of(&Problem(StatusCode::INTERNAL_SERVER_ERROR, why)),
    }
}

#[derive(Deserialize)]
struct SignIn {
    token: String,
}

impl PageForm for SignIn {
    const MISSING: &'static str = "there is no token in what was sent";
}

async fn sign_in(State(shared): State<Arc<Shared>>, Filled(SignIn { token }): Filled<SignIn>) -> Response {
    let found = shared.host.storage().person_of(token.trim());
    let session = match found {
        Ok(Some(_)) => shared.sessions.begin(token.trim()),
        Ok(None) => {
            let why = "this host doesn't know the token; `swage host token` gives one".to_owned();
            return page_of(&Problem(StatusCode::UNAUTHORIZED, why));
        }
        Err(refusal) => return page_of(&Problem::from(refusal)),
    };
    match session.map(|word| HeaderValue::from_str(&format!("{COOKIE}={word}; HttpOnly; SameSite=Strict; Path=/"))) {
        Ok(Ok(cookie)) => ([(header::SET_COOKIE, cookie)], Redirect::to("/")).into_response(),
        _ => page_of(&Problem(StatusCode::INTERNAL_SERVER_ERROR, "no session can be begun".to_owned())),
    }
}

async fn sign_out(State(shared): State<Arc<Shared>>, _: Visitor, headers: HeaderMap) -> Response {
    session_of(&headers).into_iter().for_each(|word| shared.sessions.end(word));
    Redirect::to("/sign-in").into_response()
}

/// Does what a participant's form asks for, and goes to a page.
async fn doing(
    shared: Arc<Shared>,
    me: Person,
    back: String,
    work: impl FnOnce(&Host, &Person) -> Result<(), Refusal> + Send + 'static,
) -> Response {
    doing_as(shared, me, back, &[Role::Contributor, Role::Maintainer], work).await
}

/// Does what a form asks for, when the asker has one of these roles, and goes to a page.
async fn doing_as(
    shared: Arc<Shared>,
    me: Person,
    back: String,
    roles: &[Role],
    work: impl FnOnce(&Host, &Person) -> Result<(), Refusal> + Send + 'static,
) -> Response {
    if !roles.contains(&me.role) {
        let whom: Vec<String> = roles.iter().map(|role| format!("{}s", role.word())).collect();
        let why = format!("{} is a {}, and this is for {}", me.name, me.role.word(), whom.join(" and "));
        return page_of(&Problem(StatusCode::FORBIDDEN, why));
    }
    match tokio::task::spawn_blocking(move || work(&shared.host, &me)).await {
        Ok(Ok(())) => Redirect::to(&back).into_response(),
        Ok(Err(refusal)) => page_of(&Problem::from(refusal)),
        Err(_) => page_of(&Problem(StatusCode::INTERNAL_SERVER_ERROR, "the host failed".to_owned())),
    }
}

fn checked(value: &impl Checked) -> Result<(), Refusal> {
    value.check().map_err(Refusal::Invalid)
}

#[derive(Deserialize)]
struct Said {
    text: String,
    #[serde(default)]
    kind: String,
    #[serde(default)]
    draft: String,
    #[serde(default)]
    preview: String,
}

impl PageForm for Said {
    const MISSING: &'static str = "nothing was said";
}

async fn say(
    State(shared): State<Arc<Shared>>,
    Visitor(me): Visitor,
    number: InPath<Number>,
    Filled(said): Filled<Said>,
) -> Response {
    let number = number.0.0;
    let (back, text) = (format!("/proposals/{number}"), plain_ends(&said.text));
    if !said.preview.is_empty() {
        let (action, fields) = (format!("/proposals/{number}/say"), vec![("draft", said.draft)]);
        return Preview { action, fields, buttons: Button::KINDS.to_vec(), back, text }.page(shared, me).await;
    }
    let kind = ThreadKind::of(&said.kind);
    let new = NewThread { kind, anchor: None, revision: None, text, draft: !said.draft.is_empty() };
    doing(shared, me, back, move |host, me| {
        checked(&new)?;
        host.open_thread(number, me, &new).map(|_| ())
    })
    .await
}

#[derive(Deserialize)]
struct Answered {
    #[serde(default)]
    text: String,
    /// `answer`, `close` or `open`.
    #[serde(default)]
    what: String,
    /// `change` when it comes from the page of the change.
    #[serde(default)]
    back: String,
    #[serde(default)]
    draft: String,
    #[serde(default)]
    preview: String,
}

impl PageForm for Answered {
    const MISSING: &'static str = "nothing was said";
}

async fn answer(
    State(shared): State<Arc<Shared>>,
    Visitor(me): Visitor,
    place: InPath<(Number, Number)>,
    Filled(answered): Filled<Answered>,
) -> Response {
    let InPath((number, thread)) = place;
    let text = plain_ends(&answered.text);
    let page = if answered.back == "change" { "/change" } else { "" };
    let back = format!("/proposals/{}{page}#thread-{}", number.0, thread.0);
    if !answered.preview.is_empty() {
        let action = format!("/proposals/{}/threads/{}", number.0, thread.0);
        let buttons = vec![Button { name: "what", value: "answer", label: "Answer" }];
        let fields = vec![("draft", answered.draft), ("back", answered.back)];
        return Preview { action, fields, buttons, back, text }.page(shared, me).await;
    }
    doing(shared, me, back, move |host, me| {
        if !text.trim().is_empty() {
            let new = NewRemark { text, draft: !answered.draft.is_empty() };
            checked(&new)?;
            host.storage().reply(thread.0, me, &new)?;
        }
        if matches!(answered.what.as_str(), "open" | "close") {
            let end = if answered.what == "open" { ThreadEnd::Reopened } else { ThreadEnd::Closed };
            host.storage().resolve(thread.0, me, end)?;
        }
        Ok(())
    })
    .await
}

async fn publish(State(shared): State<Arc<Shared>>, Visitor(me): Visitor, number: InPath<Number>) -> Response {
    let number = number.0.0;
    doing(shared, me, format!("/proposals/{number}"), move |host, me| host.storage().publish(number, me).map(|_| ()))
        .await
}

async fn drop_draft(
    State(shared): State<Arc<Shared>>,
    Visitor(me): Visitor,
    place: InPath<(Number, Number)>,
) -> Response {
    let InPath((number, remark)) = place;
    doing(shared, me, format!("/proposals/{}", number.0), move |host, me| host.storage().drop_draft(remark.0, me)).await
}

#[derive(Deserialize)]
struct StanceForm {
    #[serde(default)]
    stance: String,
    head: String,
    #[serde(default)]
    text: String,
    #[serde(default)]
    preview: String,
}

impl PageForm for StanceForm {
    const MISSING: &'static str = "no stance was taken";
}

async fn take_stance(
    State(shared): State<Arc<Shared>>,
    Visitor(me): Visitor,
    number: InPath<Number>,
    Filled(form): Filled<StanceForm>,
) -> Response {
    let number = number.0.0;
    let (back, text) = (format!("/proposals/{number}"), plain_ends(&form.text));
    if !form.preview.is_empty() {
        let buttons = [("approve", "Approve"), ("object", "Object"), ("comment", "Comment")];
        let buttons = buttons.map(|(value, label)| Button { name: "stance", value, label }).to_vec();
        let (action, fields) = (format!("/proposals/{number}/stance"), vec![("head", form.head)]);
        return Preview { action, fields, buttons, back, text }.page(shared, me).await;
    }
    let new = NewStance { stance: StanceWord::of(&form.stance), head: form.head, text };
    doing(shared, me, back, move |host, me| {
        checked(&new)?;
        host.look(number)?;
        host.storage().take_stance(number, me, &new).map(|_| ())
    })
    .await
}

/// Browsers send CR LF.
fn plain_ends(text: &str) -> String {
    text.replace("\r\n", "\n").trim_end().to_owned()
}
