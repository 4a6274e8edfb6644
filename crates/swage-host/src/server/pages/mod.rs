//! Pages for people: signing in, the inbox, and a proposal with all that was said of it. Everything works without scripts; what
//! changes something is a form of the host's own page.

mod markdown;
mod render;

use std::sync::Arc;

use axum::Router;
use axum::extract::rejection::FormRejection;
use axum::extract::{Form, Request, State};
use axum::http::{HeaderMap, HeaderValue, Method, StatusCode, header};
use axum::middleware::{self, Next};
use axum::response::{Html, IntoResponse, Redirect, Response};
use axum::routing::{get, post};
use minijinja::context;
use minijinja::value::Serde;
use serde::Deserialize;

use self::render::render;
use super::Shared;
use super::asker::{COOKIE, InPath, Number, person, session_of};
use super::problem::Problem;
use crate::host::Host;
use crate::protocol::{Checked, NewRemark, NewStance, NewThread, Person, Role, StanceWord, ThreadKind};
use crate::storage::{Refusal, Which};

/// Nothing from elsewhere, no scripts, no frames, and forms that go nowhere else.
const POLICY: &str = "default-src 'none'; style-src 'self'; img-src 'self' data:; form-action 'self'; base-uri 'none'; frame-ancestors 'none'";

pub fn router() -> Router<Arc<Shared>> {
    Router::new()
        .route("/", get(inbox))
        .route("/page.css", get(|| async { ([(header::CONTENT_TYPE, "text/css")], include_str!("page.css")) }))
        .route("/sign-in", get(sign_in_page).post(sign_in))
        .route("/sign-out", post(sign_out))
        .route("/proposals/{number}", get(proposal))
        .route("/proposals/{number}/say", post(say))
        .route("/proposals/{number}/stance", post(take_stance))
        .route("/proposals/{number}/threads/{thread}", post(answer))
        .layer(middleware::from_fn(with_policy))
}

async fn with_policy(request: Request, next: Next) -> Response {
    let mut response = next.run(request).await;
    let headers = response.headers_mut();
    headers.insert(header::CONTENT_SECURITY_POLICY, HeaderValue::from_static(POLICY));
    headers.insert(header::CACHE_CONTROL, HeaderValue::from_static("no-store"));
    response
}

/// Whoever isn't signed in is asked to.
fn turned_away(problem: &Problem) -> Response {
    match problem.0 {
        StatusCode::UNAUTHORIZED => Redirect::to("/sign-in").into_response(),
        _ => page_of(problem),
    }
}

/// A problem as a page.
fn page_of(problem: &Problem) -> Response {
    let values = context! { page => "problem", status => problem.0.as_u16(), reason => &problem.1 };
    match render(values) {
        Ok(text) => (problem.0, Html(text)).into_response(),
        Err(why) => (StatusCode::INTERNAL_SERVER_ERROR, why).into_response(),
    }
}

/// Makes a page of what the host says, off the thread that serves.
async fn page(
    shared: Arc<Shared>,
    work: impl FnOnce(&Host) -> Result<minijinja::Value, Refusal> + Send + 'static,
) -> Response {
    let done = tokio::task::spawn_blocking(move || work(&shared.host).map_err(Problem::from)).await;
    let failed = |why: String| page_of(&Problem(StatusCode::INTERNAL_SERVER_ERROR, why));
    match done {
        Ok(Ok(values)) => render(values).map_or_else(failed, |text| Html(text).into_response()),
        Ok(Err(problem)) => page_of(&problem),
        Err(_) => failed("the host failed".to_owned()),
    }
}

async fn inbox(State(shared): State<Arc<Shared>>, headers: HeaderMap) -> Response {
    let me = match person(&headers, &Method::GET, &shared) {
        Ok(me) => me,
        Err(problem) => return turned_away(&problem),
    };
    page(shared, move |host| {
        let mine = host.inbox(&me.name, Which::Mine)?;
        let open = host.inbox(&me.name, Which::Open)?;
        let others: Vec<_> = open.into_iter().filter(|row| row.roles.is_empty()).collect();
        let (waiting, rest): (Vec<_>, Vec<_>) = mine.into_iter().partition(|row| row.waits_for_me);
        let groups = [("Waits for you", waiting), ("Waits for others", rest), ("Other open proposals", others)];
        let me = host.storage().me(&me)?;
        Ok(context! { page => "inbox", me => Serde(me), groups => Serde(groups), now => crate::storage::now() })
    })
    .await
}

async fn proposal(State(shared): State<Arc<Shared>>, headers: HeaderMap, number: InPath<Number>) -> Response {
    let me = match person(&headers, &Method::GET, &shared) {
        Ok(me) => me,
        Err(problem) => return turned_away(&problem),
    };
    let number = number.0.0;
    page(shared, move |host| {
        let proposal = host.proposal(number, &me.name)?;
        let threads = host.threads(number, &me.name)?;
        let timeline = host.storage().timeline(number)?;
        host.storage().look(number, &me.name)?;
        let may_speak = matches!(me.role, Role::Contributor | Role::Maintainer);
        let newest = proposal.newest().map_or(0, |revision| revision.number);
        let me = host.storage().me(&me)?;
        Ok(context! {
            page => "proposal", me => Serde(me), proposal => Serde(proposal), threads => Serde(threads), newest => newest,
            timeline => Serde(timeline), may_speak => may_speak, now => crate::storage::now(),
        })
    })
    .await
}

async fn sign_in_page() -> Response {
    match render(context! { page => "sign-in" }) {
        Ok(text) => Html(text).into_response(),
        Err(why) => page_of(&Problem(StatusCode::INTERNAL_SERVER_ERROR, why)),
    }
}

#[derive(Deserialize)]
struct SignIn {
    token: String,
}

async fn sign_in(State(shared): State<Arc<Shared>>, form: Result<Form<SignIn>, FormRejection>) -> Response {
    let Ok(Form(SignIn { token })) = form else {
        return page_of(&Problem(StatusCode::BAD_REQUEST, "there is no token in what was sent".to_owned()));
    };
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

async fn sign_out(State(shared): State<Arc<Shared>>, headers: HeaderMap) -> Response {
    if let Err(problem) = person(&headers, &Method::POST, &shared) {
        return turned_away(&problem);
    }
    session_of(&headers).into_iter().for_each(|word| shared.sessions.end(word));
    Redirect::to("/sign-in").into_response()
}

/// Does what a form asks for, and goes back to the proposal.
async fn doing(
    shared: Arc<Shared>,
    headers: &HeaderMap,
    number: u64,
    work: impl FnOnce(&Host, &Person) -> Result<(), Refusal> + Send + 'static,
) -> Response {
    let me = match person(headers, &Method::POST, &shared) {
        Ok(me) => me,
        Err(problem) => return turned_away(&problem),
    };
    if !matches!(me.role, Role::Contributor | Role::Maintainer) {
        let why = format!("{} is a {}, and this is for contributors and maintainers", me.name, me.role.word());
        return page_of(&Problem(StatusCode::FORBIDDEN, why));
    }
    match tokio::task::spawn_blocking(move || work(&shared.host, &me)).await {
        Ok(Ok(())) => Redirect::to(&format!("/proposals/{number}")).into_response(),
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
}

async fn say(
    State(shared): State<Arc<Shared>>,
    headers: HeaderMap,
    number: InPath<Number>,
    form: Result<Form<Said>, FormRejection>,
) -> Response {
    let number = number.0.0;
    let Ok(Form(said)) = form else {
        return page_of(&Problem(StatusCode::BAD_REQUEST, "nothing was said".to_owned()));
    };
    let kind = ThreadKind::of(&said.kind);
    let new = NewThread { kind, anchor: None, revision: None, text: plain_ends(&said.text), draft: false };
    doing(shared, &headers, number, move |host, me| {
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
    what: String,
}

async fn answer(
    State(shared): State<Arc<Shared>>,
    headers: HeaderMap,
    place: InPath<(Number, Number)>,
    form: Result<Form<Answered>, FormRejection>,
) -> Response {
    let InPath((number, thread)) = place;
    let Ok(Form(answered)) = form else {
        return page_of(&Problem(StatusCode::BAD_REQUEST, "nothing was said".to_owned()));
    };
    doing(shared, &headers, number.0, move |host, me| {
        let text = plain_ends(&answered.text);
        if !text.trim().is_empty() {
            let new = NewRemark { text, draft: false };
            checked(&new)?;
            host.storage().reply(thread.0, me, &new)?;
        }
        if answered.what != "answer" {
            host.storage().resolve(thread.0, me, answered.what == "open")?;
        }
        Ok(())
    })
    .await
}

#[derive(Deserialize)]
struct StanceForm {
    stance: String,
    head: String,
    #[serde(default)]
    text: String,
}

async fn take_stance(
    State(shared): State<Arc<Shared>>,
    headers: HeaderMap,
    number: InPath<Number>,
    form: Result<Form<StanceForm>, FormRejection>,
) -> Response {
    let number = number.0.0;
    let Ok(Form(form)) = form else {
        return page_of(&Problem(StatusCode::BAD_REQUEST, "no stance was taken".to_owned()));
    };
    let new = NewStance { stance: StanceWord::of(&form.stance), head: form.head, text: plain_ends(&form.text) };
    doing(shared, &headers, number, move |host, me| {
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
