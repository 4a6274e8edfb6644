//! Who asks, and what they may: a token of a program or of git, or a browser's session.

use std::collections::HashMap;
use std::sync::{Arc, Mutex, PoisonError};
use std::time::{Duration, Instant};

use axum::extract::{FromRequestParts, Path};
use axum::http::request::Parts;
use axum::http::{HeaderMap, Method, StatusCode, header};
use base64::Engine;
use base64::engine::general_purpose::STANDARD;
use serde::Deserialize;
use serde::de::DeserializeOwned;

use super::Shared;
use super::problem::Problem;
use super::runner::CHECKER;
use crate::host::random_word;
use crate::protocol::{Person, Role};

/// How long a browser stays signed in.
const SESSION: Duration = Duration::from_secs(12 * 3600);
/// Most sessions at once; the oldest goes.
const MOST_SESSIONS: usize = 1000;
/// The name of a session's cookie.
pub const COOKIE: &str = "swage-session";

/// Browsers that are signed in.
#[derive(Default)]
pub struct Sessions {
    known: Mutex<HashMap<String, (String, Instant)>>,
}

impl Sessions {
    /// Begins a session of the holder of this token; its word.
    pub fn begin(&self, token: &str) -> std::io::Result<String> {
        let word = random_word()?;
        let mut known = self.known.lock().unwrap_or_else(PoisonError::into_inner);
        known.retain(|_, (_, begun)| begun.elapsed() < SESSION);
        if known.len() >= MOST_SESSIONS
            && let Some(oldest) = known.iter().min_by_key(|(_, (_, begun))| *begun).map(|(word, _)| word.clone())
        {
            known.remove(&oldest);
        }
        known.insert(word.clone(), (token.to_owned(), Instant::now()));
        Ok(word)
    }

    /// The token of a session.
    fn token(&self, word: &str) -> Option<String> {
        let known = self.known.lock().unwrap_or_else(PoisonError::into_inner);
        known.get(word).filter(|(_, begun)| begun.elapsed() < SESSION).map(|(token, _)| token.clone())
    }

    pub fn end(&self, word: &str) {
        self.known.lock().unwrap_or_else(PoisonError::into_inner).remove(word);
    }
}

/// The word of the session that a browser sends.
pub fn session_of(headers: &HeaderMap) -> Option<&str> {
    let cookies = headers.get_all(header::COOKIE).iter().filter_map(|value| value.to_str().ok());
    cookies.flat_map(|value| value.split(';')).find_map(|pair| pair.trim().strip_prefix(COOKIE)?.strip_prefix('='))
}

/// The token of a program or of git; git sends it as a password.
fn token_of(headers: &HeaderMap) -> Option<String> {
    let value = headers.get(header::AUTHORIZATION)?.to_str().ok()?;
    if let Some(token) = value.strip_prefix("Bearer ") {
        return Some(token.trim().to_owned());
    }
    let decoded = STANDARD.decode(value.strip_prefix("Basic ")?.trim()).ok()?;
    let (_, password) = std::str::from_utf8(&decoded).ok()?.split_once(':')?;
    Some(password.to_owned())
}

/// Whether a browser's request that changes something comes from the host's own page. A page elsewhere can make a browser
/// send the cookie, but not hide where the request comes from.
fn is_own_page(headers: &HeaderMap, shared: &Shared) -> bool {
    let own = format!("http://{}", shared.address);
    let local = format!("http://localhost:{}", shared.address.port());
    headers.get(header::ORIGIN).and_then(|v| v.to_str().ok()).is_some_and(|origin| origin == own || origin == local)
}

/// Who asks.
pub fn person(headers: &HeaderMap, method: &Method, shared: &Shared) -> Result<Person, Problem> {
    let no = |why: &str| Problem(StatusCode::UNAUTHORIZED, why.to_owned());
    let token = match token_of(headers) {
        Some(token) => token,
        None => {
            let session = session_of(headers).and_then(|word| shared.sessions.token(word));
            let token = session.ok_or_else(|| no("send a token of this host as `Authorization: Bearer TOKEN`"))?;
            if !matches!(*method, Method::GET | Method::HEAD) && !is_own_page(headers, shared) {
                return Err(Problem(StatusCode::FORBIDDEN, "the request doesn't come from the host's own page".into()));
            }
            token
        }
    };
    // Tokens are long and random, and only the program that the host runs gets this one.
    if token == shared.checker_token {
        return Ok(Person { name: CHECKER.to_owned(), role: Role::Checker });
    }
    let found = shared.host.storage().person_of(&token)?;
    found.ok_or_else(|| no("this host doesn't know the token; `swage host token` gives one"))
}

/// Anybody with a token.
pub struct Reader(pub Person);
/// Participants: contributors and maintainers.
pub struct Contributor(pub Person);
/// A maintainer.
pub struct Maintainer(pub Person);
/// Who may answer in a thread: participants, and a checker in its own ones.
pub struct Speaker(pub Person);
/// A program that checks, or a maintainer in its place.
pub struct Checker(pub Person);

macro_rules! asker {
    ($name:ident, $($role:ident)|+, $who:literal) => {
        impl FromRequestParts<Arc<Shared>> for $name {
            type Rejection = Problem;

            async fn from_request_parts(parts: &mut Parts, shared: &Arc<Shared>) -> Result<Self, Problem> {
                let person = person(&parts.headers, &parts.method, shared)?;
                if matches!(person.role, $(Role::$role)|+) {
                    Ok(Self(person))
                } else {
                    let why = format!("{} is a {}, and this is for {}", person.name, person.role.word(), $who);
                    Err(Problem(StatusCode::FORBIDDEN, why))
                }
            }
        }
    };
}

asker!(Reader, Reader | Contributor | Maintainer | Checker, "everybody");
asker!(Contributor, Contributor | Maintainer, "contributors and maintainers");
asker!(Maintainer, Maintainer, "maintainers");
asker!(Speaker, Contributor | Maintainer | Checker, "contributors, maintainers and checkers");
asker!(Checker, Checker | Maintainer, "checkers and maintainers");

/// A number in an address. Larger ones than JSON can carry are none.
#[derive(Debug, Clone, Copy)]
pub struct Number(pub u64);

impl<'de> Deserialize<'de> for Number {
    fn deserialize<D: serde::Deserializer<'de>>(from: D) -> Result<Self, D::Error> {
        let number = u64::deserialize(from)?;
        if (1..=1 << 53).contains(&number) {
            Ok(Self(number))
        } else {
            Err(serde::de::Error::custom("a number from 1 to 9007199254740992 is expected"))
        }
    }
}

/// Parts of the address, or why they aren't what they should be.
pub struct InPath<T>(pub T);

impl<T: DeserializeOwned + Send> FromRequestParts<Arc<Shared>> for InPath<T> {
    type Rejection = Problem;

    async fn from_request_parts(parts: &mut Parts, shared: &Arc<Shared>) -> Result<Self, Problem> {
        let Path(value) = Path::<T>::from_request_parts(parts, shared).await?;
        Ok(Self(value))
    }
}
