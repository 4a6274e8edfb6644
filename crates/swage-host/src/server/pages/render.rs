//! Templates to HTML. Every value is escaped by the template engine, and what could do something to its surroundings is shown.

use std::sync::OnceLock;

use minijinja::value::ValueKind;
use minijinja::{Environment, Value, escape_formatter};
use swage_core::invisible::shown;

use super::markdown::html_of;
use crate::ago::ago;

/// The templates; a name's ending switches escaping for HTML on.
const TEMPLATES: [(&str, &str); 10] = [
    ("change.html", include_str!("templates/change.html")),
    ("frame.html", include_str!("templates/frame.html")),
    ("inbox.html", include_str!("templates/inbox.html")),
    ("preview.html", include_str!("templates/preview.html")),
    ("problem.html", include_str!("templates/problem.html")),
    ("proposal.html", include_str!("templates/proposal.html")),
    ("sign-in.html", include_str!("templates/sign-in.html")),
    ("thread.html", include_str!("templates/thread.html")),
    ("ticket.html", include_str!("templates/ticket.html")),
    ("words.html", include_str!("templates/words.html")),
];

fn environment() -> Result<&'static Environment<'static>, String> {
    static MADE: OnceLock<Result<Environment<'static>, String>> = OnceLock::new();
    let made = MADE.get_or_init(|| {
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
        environment.add_filter("seconds", |ms: i64| format!("{:.1} s", ms as f64 / 1000.0));
        for (name, template) in TEMPLATES {
            environment.add_template(name, template).map_err(|e| e.to_string())?;
        }
        Ok(environment)
    });
    made.as_ref().map_err(Clone::clone)
}

/// Makes a page, or a piece of one, of a template.
pub fn render(template: &str, values: Value) -> Result<String, String> {
    environment()?.get_template(template).and_then(|t| t.render(values)).map_err(|e| format!("{e:#}"))
}

/// How long ago something was, in the largest unit that fits.
fn since(at: Value, now: Value) -> String {
    let number = |value: &Value| match value.kind() {
        ValueKind::Number => i64::try_from(value.clone()).unwrap_or(0),
        _ => 0,
    };
    ago(number(&at), number(&now))
}
