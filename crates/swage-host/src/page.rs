//! The host's pages, for looking at what was posted. Every value is escaped by the template engine.

use minijinja::value::Serde;
use minijinja::{Environment, Value, context, escape_formatter};
use swage_core::invisible::shown;

use crate::protocol::Proposal;

const LAYOUT: &str = include_str!("page.html");

/// The list of proposals.
pub(crate) fn index(proposals: &[Proposal]) -> Result<String, String> {
    render(context! { proposals => Serde(proposals) })
}

/// One proposal with its threads.
pub(crate) fn proposal(proposal: &Proposal) -> Result<String, String> {
    let open = proposal.threads.iter().filter(|t| t.open).count();
    render(context! { proposal => Serde(proposal), open => open, closed => proposal.threads.len() - open })
}

fn render(values: Value) -> Result<String, String> {
    let mut environment = Environment::new();
    environment.set_formatter(|out, state, value| match value.as_str().filter(|_| !value.is_safe()) {
        Some(text) => {
            let lines: Vec<_> = text.split('\n').map(shown).collect();
            escape_formatter(out, state, &Value::from(lines.join("\n")))
        }
        None => escape_formatter(out, state, value),
    });
    // The name's ending switches escaping for HTML on.
    environment.add_template("page.html", LAYOUT).map_err(|e| e.to_string())?;
    environment.get_template("page.html").and_then(|t| t.render(values)).map_err(|e| e.to_string())
}
