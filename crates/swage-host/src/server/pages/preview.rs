//! What a text will look like, before it is sent.

use std::sync::Arc;

use axum::response::Response;
use minijinja::context;
use minijinja::value::Serde;
use serde::Serialize;

use super::page;
use crate::protocol::Person;
use crate::server::Shared;

/// A button that sends.
#[derive(Debug, Clone, Copy, Serialize)]
pub struct Button {
    pub name: &'static str,
    pub value: &'static str,
    pub label: &'static str,
}

impl Button {
    /// Those that say what a thread asks for.
    pub const KINDS: [Self; 3] = [
        Self { name: "kind", value: "remark", label: "Remark" },
        Self { name: "kind", value: "todo", label: "To do before merging" },
        Self { name: "kind", value: "praise", label: "Praise" },
    ];
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
    /// The page, for the author of the text.
    pub async fn page(self, shared: Arc<Shared>, me: Person) -> Response {
        page(shared, "preview.html", move |host| {
            let me = host.storage().me(&me)?;
            let Self { action, fields, buttons, back, text } = self;
            // A box that isn't ticked isn't sent.
            let fields: Vec<_> = fields.into_iter().filter(|(_, value)| !value.is_empty()).collect();
            Ok(context! { me => Serde(me), action, fields, buttons => Serde(buttons), back, text })
        })
        .await
    }
}
