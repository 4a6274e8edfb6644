//! A ticket, and the form with which maintainers change it.

use std::sync::Arc;

use axum::extract::State;
use axum::response::Response;
use minijinja::context;
use minijinja::value::Serde;
use serde::Deserialize;

use super::asked::{Filled, PageForm, Visitor};
use super::{checked, doing_as, page};
use crate::protocol::{NewTicket, Role, TicketPoint, check_name};
use crate::server::Shared;
use crate::server::asker::InPath;
use crate::storage::Refusal;

pub async fn ticket(State(shared): State<Arc<Shared>>, Visitor(me): Visitor, name: InPath<String>) -> Response {
    page(shared, "ticket.html", move |host| {
        let ticket = host.storage().ticket(&name.0)?;
        let may_edit = me.role == Role::Maintainer;
        let me = host.storage().me(&me)?;
        Ok(context! { me => Serde(me), ticket => Serde(ticket), may_edit })
    })
    .await
}

#[derive(Deserialize)]
pub struct TicketForm {
    title: String,
    #[serde(default)]
    points: String,
    #[serde(default)]
    open: String,
}

impl PageForm for TicketForm {
    const MISSING: &'static str = "no ticket was sent";
}

pub async fn change(
    State(shared): State<Arc<Shared>>,
    Visitor(me): Visitor,
    name: InPath<String>,
    Filled(form): Filled<TicketForm>,
) -> Response {
    let back = format!("/tickets/{}", name.0);
    let new = NewTicket { title: form.title, open: !form.open.is_empty(), points: points(&form.points) };
    doing_as(shared, me, back, &[Role::Maintainer], move |host, _| {
        check_name("the ticket", &name.0).map_err(Refusal::Invalid)?;
        checked(&new)?;
        host.storage().put_ticket(&name.0, &new).map(|_| ())
    })
    .await
}

/// The points of a Markdown list; `[x]` stands for one that is done.
fn points(text: &str) -> Vec<TicketPoint> {
    let point = |line: &str| {
        let text = line.trim().trim_start_matches(['-', '*']).trim_start();
        let done = text.get(..3).is_some_and(|mark| mark.eq_ignore_ascii_case("[x]"));
        let text = if done { &text[3..] } else { text.strip_prefix("[ ]").unwrap_or(text) };
        Some(TicketPoint { text: text.trim().to_owned(), done }).filter(|point| !point.text.is_empty())
    };
    text.lines().filter_map(point).collect()
}

#[cfg(test)]
mod tests {
    use super::points;

    #[test]
    fn a_list_becomes_points() {
        let found = points("- [x] Boards\r\n* [ ] Times\n\nplain\n- [X]\n-");
        let rendered: Vec<String> = found.iter().map(|p| format!("{} {}", p.done, p.text)).collect();
        assert_eq!(rendered, ["true Boards", "false Times", "false plain"]);
    }
}
