//! What a text will look like, before it is sent.

use std::sync::Arc;

use axum::http::{HeaderMap, Method};
use axum::response::Response;
use minijinja::context;
use minijinja::value::Serde;
use serde::Serialize;

use super::{page, turned_away};
use crate::server::Shared;
use crate::server::asker::person;

/// A button that sends.
#[derive(Debug, Clone, Copy, Serialize)]
pub struct Button {
    pub name: &'static str,
    pub value: &'static str,
    pub label: &'static str,
}

impl Button {
    /// One that says what a thread asks for.
    pub fn kind(value: &'static str, label: &'static str) -> Self {
        Self { name: "kind", value, label }
    }
}

/// A text with the form that would send it.
pub struct Preview {
    /// Where it is sent to.
    pub action: String,
    /// What else is sent.
    pub fields: Vec<(&'static str, String)>,
    pub buttons: Vec<Button>,
    /// The page that it came from.
    pub back: String,
    pub text: String,
}

impl Preview {
    pub async fn page(self, shared: &Arc<Shared>, headers: &HeaderMap) -> Response {
        let me = match person(headers, &Method::POST, shared) {
            Ok(me) => me,
            Err(problem) => return turned_away(&problem),
        };
        page(shared.clone(), "preview.html", move |host| {
            let me = host.storage().me(&me)?;
            let Self { action, fields, buttons, back, text } = self;
            // A box that isn't ticked isn't sent.
            let fields: Vec<_> = fields.into_iter().filter(|(_, value)| !value.is_empty()).collect();
            Ok(context! { me => Serde(me), action, fields, buttons => Serde(buttons), back, text })
        })
        .await
    }
}
