//! Templates to HTML. Every value is escaped by the template engine, and what could do something to its surroundings is shown.

use minijinja::value::ValueKind;
use minijinja::{Environment, Value, escape_formatter};
use swage_core::invisible::shown;

use super::markdown::html_of;
use crate::ago::ago;

/// Makes the page that `values` name.
pub fn render(values: Value) -> Result<String, String> {
    let mut environment = Environment::new();
    environment.set_formatter(|out, state, value| match value.as_str().filter(|_| !value.is_safe()) {
        Some(text) => {
            let lines: Vec<_> = text.split('\n').map(shown).collect();
            escape_formatter(out, state, &Value::from(lines.join("\n")))
        }
        None => escape_formatter(out, state, value),
    });
    environment.add_filter("markdown", |text: &str| Value::from_safe_string(html_of(text)));
    environment.add_filter("since", since);
    // The name's ending switches escaping for HTML on.
    environment.add_template("page.html", include_str!("page.html")).map_err(|e| e.to_string())?;
    environment.get_template("page.html").and_then(|t| t.render(values)).map_err(|e| format!("{e:#}"))
}

/// How long ago something was, in the largest unit that fits.
fn since(at: Value, now: Value) -> String {
    let number = |value: &Value| match value.kind() {
        ValueKind::Number => i64::try_from(value.clone()).unwrap_or(0),
        _ => 0,
    };
    ago(number(&at), number(&now))
}
