//! A TOML table that is read key by key, noting every mistake with its place.
//!
//! Each table notes which keys were asked for. What nobody asked for is unknown, and those that were asked for are the
//! candidates for "did you mean". So a reader can't accept a key that its error messages don't know, and there is no
//! second list to keep. A key that only some matchers have is asked for by those alone, which makes it unknown beside the
//! others.
//!
//! Values come with their type as the error says it. A number where a string is wanted is never turned into one: `id = 1`
//! is more likely a slip than a name.

use sha2::{Digest, Sha256};
use toml::Spanned;
use toml::de::{DeTable, DeValue};

use super::keys::{Asked, Keys};
use super::problem::{At, Problems, RENAMED, near, nearest};

// What lists are said to be, when they are something else or hold it.
const STRINGS: &str = "a list of strings";
const NUMBERS: &str = "a list of whole numbers";
const TABLES: &str = "a list of tables";

/// Parses a file; what isn't TOML in it is noted.
pub(crate) fn parse<'s>(p: &mut Problems<'s>) -> Spanned<DeTable<'s>> {
    let (document, errors) = DeTable::parse_recoverable(p.source);
    for error in errors {
        p.at(error.span().map_or(0, |span| span.start), format!("not TOML: {}", error.message()), None);
    }
    document
}

/// A table in the course of being read: what was asked for is what it may hold.
pub(crate) struct Table<'t, 'i> {
    /// As the parser gives it, each key and value with its place.
    table: &'t DeTable<'i>,
    /// Byte offset for mistakes about the table as a whole.
    pub at: usize,
    /// The keys that it may hold.
    keys: &'static Keys,
    /// The keys that were asked for.
    known: Vec<&'static str>,
}

impl<'t, 'i> Table<'t, 'i> {
    pub fn new(table: &'t DeTable<'i>, at: usize, keys: &'static Keys) -> Self {
        Self { table, at, keys, known: Vec::new() }
    }

    /// The value of a key, which counts as known from then on. A debug build stops where the schema doesn't declare it,
    /// so that the two can't drift apart.
    fn get(&mut self, key: &'static str, asked: Asked) -> Option<&'t Spanned<DeValue<'i>>> {
        // Only in debug builds: the tests read every key there is.
        debug_assert!(
            self.keys.inner(key, asked).is_some(),
            "`{key}` of {} isn't declared as {asked:?}",
            self.keys.name
        );
        self.known.push(key);
        self.table.get(key)
    }

    /// The keys of the table or tables under a key.
    fn inner(&self, key: &str, asked: Asked) -> &'static Keys {
        self.keys.inner(key, asked).flatten().unwrap_or(self.keys)
    }

    /// A string with its place; a mistake is noted when it is anything else.
    pub fn string(&mut self, key: &'static str, p: &mut Problems<'_>) -> Option<At<String>> {
        self.string_as(key, "a string", p)
    }

    /// A string that stands for something, which is said where it is no string.
    pub fn string_as(&mut self, key: &'static str, what: &str, p: &mut Problems<'_>) -> Option<At<String>> {
        let value = self.get(key, Asked::String)?;
        as_string(value, key, what, p)
    }

    /// A string that must be there and not be empty; `what` is what needs it.
    pub fn required_string(&mut self, key: &'static str, what: &str, p: &mut Problems<'_>) -> Option<At<String>> {
        if !self.table.contains_key(key) {
            self.known.push(key);
            p.at(self.at, format!("{what} needs `{key}`"), None);
            return None;
        }
        // Blanks count as nothing: a title of them would print as an empty line.
        let value = self.string(key, p)?;
        if value.value.trim().is_empty() {
            p.at(value.at, format!("`{key}` is empty"), None);
            return None;
        }
        Some(value)
    }

    /// A list of strings; one string alone is a list of one.
    pub fn strings(&mut self, key: &'static str, p: &mut Problems<'_>) -> Option<Vec<At<String>>> {
        let value = self.get(key, Asked::Strings)?;
        match value.get_ref() {
            DeValue::Array(list) => Some(list.iter().filter_map(|item| as_string(item, key, STRINGS, p)).collect()),
            // Most lists of rules have one item, and brackets around it say nothing.
            DeValue::String(_) => Some(as_string(value, key, STRINGS, p).into_iter().collect()),
            other => {
                wrong_type(value, key, STRINGS, other, p);
                None
            }
        }
    }

    /// A whole number with its place.
    pub fn number(&mut self, key: &'static str, p: &mut Problems<'_>) -> Option<At<u64>> {
        let value = self.get(key, Asked::Number)?;
        as_number(value, key, "a whole number, 0 or more", p)
    }

    /// A number that needn't be whole.
    pub fn fraction(&mut self, key: &'static str, p: &mut Problems<'_>) -> Option<f64> {
        let value = self.get(key, Asked::Fraction)?;
        let text = match value.get_ref() {
            DeValue::Float(number) => Some(number.as_str()),
            DeValue::Integer(number) => Some(number.as_str()),
            _ => None,
        };
        // TOML knows infinity and values that are no number; no figure here may be one.
        let number = text.and_then(|t| t.parse().ok()).filter(|n: &f64| n.is_finite() && *n >= 0.0);
        if number.is_none() {
            wrong_type(value, key, "a number, 0 or more", value.get_ref(), p);
        }
        number
    }

    /// A list of whole numbers.
    pub fn numbers(&mut self, key: &'static str, p: &mut Problems<'_>) -> Option<Vec<u64>> {
        let value = self.get(key, Asked::Numbers)?;
        match value.get_ref() {
            DeValue::Array(list) => {
                Some(list.iter().filter_map(|item| as_number(item, key, NUMBERS, p)).map(|n| n.value).collect())
            }
            other => {
                wrong_type(value, key, NUMBERS, other, p);
                None
            }
        }
    }

    /// True or false.
    pub fn flag(&mut self, key: &'static str, p: &mut Problems<'_>) -> Option<bool> {
        let value = self.get(key, Asked::Flag)?;
        let flag = value.get_ref().as_bool();
        if flag.is_none() {
            wrong_type(value, key, "true or false", value.get_ref(), p);
        }
        flag
    }

    /// A table, with the keys that are declared for it.
    pub fn table(&mut self, key: &'static str, p: &mut Problems<'_>) -> Option<Table<'t, 'i>> {
        let value = self.get(key, Asked::Table)?;
        as_table(value, key, "a table", self.inner(key, Asked::Table), p)
    }

    /// A list of tables; one table alone is a list of one.
    pub fn tables(&mut self, key: &'static str, p: &mut Problems<'_>) -> Vec<Table<'t, 'i>> {
        // Left out and empty are the same for lists of tables.
        let Some(value) = self.get(key, Asked::Tables) else { return Vec::new() };
        let keys = self.inner(key, Asked::Tables);
        match value.get_ref() {
            DeValue::Array(list) => list.iter().filter_map(|item| as_table(item, key, TABLES, keys, p)).collect(),
            _ => as_table(value, key, TABLES, keys, p).into_iter().collect(),
        }
    }

    /// The tables in it, for a table whose keys are names.
    pub fn entries(&self, p: &mut Problems<'_>) -> Vec<(String, Table<'t, 'i>)> {
        self.table
            .iter()
            .filter_map(|(key, value)| {
                Some((key.get_ref().to_string(), as_table(value, key.get_ref(), "a table", self.keys, p)?))
            })
            .collect()
    }

    /// The lines on which a key and its value are written; empty when it isn't there.
    pub fn as_written(&self, key: &str, p: &Problems<'_>) -> String {
        let Some(value) = self.table.get(key) else { return String::new() };
        // From the beginning of its line, so that the key itself is shown.
        let start = p.source[..value.span().start].rfind('\n').map_or(0, |at| at + 1);
        p.source[start..end_of(value)].to_owned()
    }

    /// A fingerprint of a key's value, the same however it is laid out and in whatever order its keys are.
    pub fn digest(&self, key: &str) -> [u8; 32] {
        // A canonical text, since two files may write the same value in different ways.
        let mut text = String::new();
        if let Some(value) = self.table.get(key) {
            write_canonical(value.get_ref(), &mut text);
        }
        Sha256::digest(text.as_bytes()).into()
    }

    /// Counts a key as known without reading it.
    pub fn note(&mut self, key: &'static str) {
        self.known.push(key);
    }

    /// Whether a key is written, whatever its value is.
    pub fn has(&self, key: &str) -> bool {
        self.table.contains_key(key)
    }

    /// Notes every key that nobody asked for.
    pub fn finish(self, p: &mut Problems<'_>) {
        for key in self.table.keys() {
            let name = key.get_ref().as_ref();
            if !self.known.contains(&name) {
                // An older spelling says more than the nearest word, which may be another key altogether.
                let renamed = RENAMED.iter().find(|(old, new)| *old == name && self.known.contains(new));
                let word = renamed.map_or(name, |(_, new)| new);
                let holder = self.keys.holder_of(name);
                let near = near(word, self.known.iter().copied()).filter(|_| holder.is_none());
                let hint = match holder {
                    Some(holder) => format!("`{name}` is a key of `{holder}`"),
                    None => nearest(word, self.known.iter().copied()),
                };
                // What is misspelt isn't missing as well.
                if let Some(meant) = near {
                    p.withdraw(self.at, &format!("needs `{meant}`"));
                }
                p.at(key.span().start, format!("unknown key `{name}`"), Some(hint));
            }
        }
    }
}

/// The value as a string, or a mistake.
fn as_string(value: &Spanned<DeValue<'_>>, key: &str, wanted: &str, p: &mut Problems<'_>) -> Option<At<String>> {
    match value.get_ref() {
        DeValue::String(text) => Some(At { value: text.to_string(), at: value.span().start }),
        other => {
            wrong_type(value, key, wanted, other, p);
            None
        }
    }
}

/// The value as a whole number of any notation that TOML has, or a mistake.
fn as_number(value: &Spanned<DeValue<'_>>, key: &str, wanted: &str, p: &mut Problems<'_>) -> Option<At<u64>> {
    // TOML has four notations for whole numbers; negative ones aren't unsigned in any.
    let number = value.get_ref().as_integer().and_then(|n| u64::from_str_radix(n.as_str(), n.radix()).ok());
    if number.is_none() {
        wrong_type(value, key, wanted, value.get_ref(), p);
    }
    number.map(|n| At { value: n, at: value.span().start })
}

/// The value as a table with the keys that it may hold, or a mistake.
fn as_table<'t, 'i>(
    value: &'t Spanned<DeValue<'i>>,
    key: &str,
    wanted: &str,
    keys: &'static Keys,
    p: &mut Problems<'_>,
) -> Option<Table<'t, 'i>> {
    match value.get_ref() {
        DeValue::Table(table) => Some(Table::new(table, value.span().start, keys)),
        other => {
            wrong_type(value, key, wanted, other, p);
            None
        }
    }
}

/// Notes a value of another type; small ones are shown as they are.
fn wrong_type(value: &Spanned<DeValue<'_>>, key: &str, wanted: &str, found: &DeValue<'_>, p: &mut Problems<'_>) {
    // A long value would hide what is wrong with it.
    let found = match found {
        DeValue::Integer(number) => number.as_str(),
        DeValue::Float(number) => number.as_str(),
        DeValue::Boolean(true) => "true",
        DeValue::Boolean(false) => "false",
        DeValue::String(_) => "a string",
        DeValue::Array(_) => "a list",
        DeValue::Table(_) => "a table",
        DeValue::Datetime(_) => "a date",
    };
    p.at(value.span().start, format!("`{key}` must be {wanted}, not {found}"), None);
}

/// Where a value and all that is in it ends, as a byte offset: a table's own place is only its heading.
fn end_of(value: &Spanned<DeValue<'_>>) -> usize {
    let inside = match value.get_ref() {
        DeValue::Table(table) => table.iter().map(|(_, inner)| end_of(inner)).max(),
        DeValue::Array(list) => list.iter().map(end_of).max(),
        _ => None,
    };
    // The last of what is in it, since TOML lets tables be written in any order.
    inside.unwrap_or(0).max(value.span().end)
}

/// Writes a value so that no two values give the same text: lengths before strings, keys in order.
fn write_canonical(value: &DeValue<'_>, out: &mut String) {
    // Without the length a text could end like one value and begin like the next.
    let string = |text: &str, out: &mut String| *out += &format!("{}:{text}", text.len());
    match value {
        DeValue::String(text) => string(text, out),
        DeValue::Integer(number) => *out += &format!("i{} {};", number.radix(), number.as_str()),
        DeValue::Float(number) => *out += &format!("f{};", number.as_str()),
        DeValue::Boolean(flag) => *out += if *flag { "t" } else { "n" },
        DeValue::Datetime(time) => *out += &format!("d{time};"),
        DeValue::Array(list) => {
            *out += "[";
            list.iter().for_each(|item| write_canonical(item.get_ref(), out));
            *out += "]";
        }
        DeValue::Table(table) => {
            // The order of keys in a file means nothing.
            let mut keys: Vec<&str> = table.keys().map(|key| key.get_ref().as_ref()).collect();
            keys.sort_unstable();
            *out += "{";
            for key in keys {
                string(key, out);
                if let Some(value) = table.get(key) {
                    write_canonical(value.get_ref(), out);
                }
            }
            *out += "}";
        }
    }
}
