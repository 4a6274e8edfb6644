//! The schema of the configuration, for editors and other programs: JSON Schema 2020-12, made from the keys that are read.

use serde_json::{Map, Value, json};

use super::keys::CONFIGURATION;
use crate::rule::{Choice, Holds, Keys};

/// The schema.
pub fn schema() -> Value {
    let mut defs = Map::new();
    let whole = table(&CONFIGURATION, &mut defs);
    let mut schema = Map::new();
    schema.insert("$schema".to_owned(), json!("https://json-schema.org/draft/2020-12/schema"));
    schema.insert("title".to_owned(), json!("Swage's configuration and rules"));
    schema.extend(whole);
    schema.insert("$defs".to_owned(), Value::Object(defs));
    Value::Object(schema)
}

/// What a table may hold.
fn table(keys: &'static Keys, defs: &mut Map<String, Value>) -> Map<String, Value> {
    let mut out = Map::new();
    out.insert("description".to_owned(), json!(keys.about));
    if !keys.variants.is_empty() {
        let variants = keys.variants.iter().map(|variant| reference(variant, defs));
        out.insert("anyOf".to_owned(), variants.collect());
        return out;
    }
    let (mut properties, mut required) = (Map::new(), Vec::new());
    for key in (keys.keys)() {
        let mut value = held(&key.holds, defs);
        if !key.about.is_empty() {
            value.insert("description".to_owned(), json!(key.about));
        }
        properties.insert(key.name.to_owned(), Value::Object(value));
        required.extend(key.required.then_some(key.name));
    }
    let each_alone = |words: Vec<&str>| words.into_iter().map(|word| json!({ "required": [word] })).collect::<Value>();
    out.insert("type".to_owned(), json!("object"));
    out.insert("additionalProperties".to_owned(), json!(false));
    if !required.is_empty() {
        out.insert("required".to_owned(), json!(required));
    }
    match &keys.choice {
        Choice::None => {}
        Choice::One(words) => _ = out.insert("oneOf".to_owned(), each_alone(words())),
        Choice::Some(words) => _ = out.insert("anyOf".to_owned(), each_alone(words())),
    }
    out.insert("properties".to_owned(), Value::Object(properties));
    out
}

/// A table by its name, which is defined when it is first met.
fn reference(keys: &'static Keys, defs: &mut Map<String, Value>) -> Value {
    if !defs.contains_key(keys.name) {
        // Its own keys may lead back to it.
        defs.insert(keys.name.to_owned(), Value::Null);
        let whole = table(keys, defs);
        defs.insert(keys.name.to_owned(), Value::Object(whole));
    }
    json!({ "$ref": format!("#/$defs/{}", keys.name) })
}

/// What a key may hold.
fn held(holds: &Holds, defs: &mut Map<String, Value>) -> Map<String, Value> {
    let one_or_list = |item: Value| json!({ "anyOf": [item, { "type": "array", "items": item }] });
    let value = match holds {
        Holds::String => json!({ "type": "string" }),
        Holds::Form(pattern) => json!({ "type": "string", "pattern": pattern }),
        Holds::OneOf(words) => json!({ "enum": words() }),
        Holds::Strings => one_or_list(json!({ "type": "string" })),
        Holds::SomeOf(words) => one_or_list(json!({ "enum": words() })),
        Holds::Command => json!({ "anyOf": [
            { "type": "string", "minLength": 1 },
            { "type": "array", "minItems": 1, "items": { "type": "string" } },
        ] }),
        Holds::Number => json!({ "type": "integer", "minimum": 0 }),
        Holds::Fraction => json!({ "type": "number", "minimum": 0 }),
        Holds::Numbers(least) => json!({ "type": "array", "items": { "type": "integer", "minimum": least } }),
        Holds::Flag => json!({ "type": "boolean" }),
        Holds::True => json!({ "const": true }),
        Holds::Table(keys) => reference(keys, defs),
        Holds::Tables(keys) => one_or_list(reference(keys, defs)),
        Holds::Named(keys, least) => {
            json!({ "type": "object", "minProperties": least, "additionalProperties": reference(keys, defs) })
        }
    };
    let Value::Object(value) = value else { return Map::new() };
    value
}
