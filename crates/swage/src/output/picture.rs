//! What all pictures share: templates in which everything is escaped.

use minijinja::{AutoEscape, Environment, Value};
use swage_core::invisible::shown;

use crate::failure::Failure;
use crate::terminal::fit;

/// Renders a template whose values are text of XML.
pub fn render(template: &str, values: Value) -> Result<String, Failure> {
    let mut environment = Environment::new();
    // XML and HTML are escaped alike.
    environment.set_auto_escape_callback(|_| AutoEscape::Html);
    let drawn = environment.render_str(template, values);
    drawn.map_err(|e| Failure::unfinished(format!("a picture could not be drawn: {e:#}")))
}

/// A name that fits into this many letters; its end, which says most, stays.
pub fn short(name: &str, letters: usize) -> String {
    let name = shown(name).replace('\n', " ");
    let backwards: String = name.chars().rev().collect();
    fit(&backwards, letters.max(4)).chars().rev().collect()
}
