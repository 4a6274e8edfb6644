//! What a browser asks with: who is signed in, and forms.

use std::sync::Arc;

use axum::extract::{Form, FromRequest, FromRequestParts, Request};
use axum::http::StatusCode;
use axum::http::request::Parts;
use axum::response::Response;
use serde::de::DeserializeOwned;

use super::{page_of, turned_away};
use crate::protocol::Person;
use crate::server::Shared;
use crate::server::asker::person;
use crate::server::problem::Problem;

/// Who is signed in; others are asked to sign in.
pub struct Visitor(pub Person);

impl FromRequestParts<Arc<Shared>> for Visitor {
    type Rejection = Response;

    async fn from_request_parts(parts: &mut Parts, shared: &Arc<Shared>) -> Result<Self, Response> {
        person(&parts.headers, &parts.method, shared).map(Self).map_err(|problem| turned_away(&problem))
    }
}

/// What a form of a page sends.
pub trait PageForm: DeserializeOwned {
    /// What is said when something else was sent.
    const MISSING: &'static str;
}

/// A form, or the page that says what is missing.
pub struct Filled<T>(pub T);

impl<T: PageForm> FromRequest<Arc<Shared>> for Filled<T> {
    type Rejection = Response;

    async fn from_request(request: Request, shared: &Arc<Shared>) -> Result<Self, Response> {
        let form = Form::<T>::from_request(request, shared).await;
        form.map(|Form(form)| Self(form)).map_err(|_| page_of(&Problem(StatusCode::BAD_REQUEST, T::MISSING.to_owned())))
    }
}
