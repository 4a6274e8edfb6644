//! The keys that tables of the configuration may hold, each with what it holds and what it is for. Reading asks for no others,
//! and the schema for editors is made from them, so that the two can't differ.

/// What can be in a table.
pub(crate) struct Keys {
    /// What the schema calls the table.
    pub name: &'static str,
    /// What the table is for, in a sentence.
    pub about: &'static str,
    /// Its keys; those of several groups in turn.
    pub keys: fn() -> Vec<&'static Key>,
    /// What must be given apart from the required keys.
    pub choice: Choice,
    /// Other tables, one of which this is; it has no keys of its own then.
    pub variants: &'static [&'static Keys],
}

/// Keys of which some must be given.
pub(crate) enum Choice {
    /// None but the required ones.
    None,
    /// Exactly one of these.
    One(Words),
    /// At least one of these.
    Some(Words),
}

/// Makes a list of words.
pub(crate) type Words = fn() -> Vec<&'static str>;

/// A key of a table.
pub(crate) struct Key {
    /// Its name.
    pub name: &'static str,
    /// What it holds.
    pub holds: Holds,
    /// What it is for, in a sentence; empty when its name says all.
    pub about: &'static str,
    /// Whether the table is nothing without it.
    pub required: bool,
}

/// What a key holds.
pub(crate) enum Holds {
    /// A string.
    String,
    /// A string of a form: an ECMA-262 regular expression, as JSON Schema has them.
    Form(&'static str),
    /// One of some words.
    OneOf(Words),
    /// A list of strings; one alone is a list of one.
    Strings,
    /// A list of some words; one alone is a list of one.
    SomeOf(Words),
    /// A program and its arguments.
    Command,
    /// A whole number, 0 or more.
    Number,
    /// A number, 0 or more.
    Fraction,
    /// A list of whole numbers, none under this.
    Numbers(u64),
    /// True or false.
    Flag,
    /// True, when it is there.
    True,
    /// A table.
    Table(&'static Keys),
    /// A list of tables; one alone is a list of one.
    Tables(&'static Keys),
    /// A table of tables with names of any kind; at least this many.
    Named(&'static Keys, u64),
}

/// What reading may ask for; some ways to write a value are read alike.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub(super) enum Asked {
    String,
    Strings,
    Number,
    Fraction,
    Numbers,
    Flag,
    Table,
    Tables,
}

impl Holds {
    /// What reading asks for to get it.
    fn asked(&self) -> Asked {
        match self {
            Self::String | Self::Form(_) | Self::OneOf(_) => Asked::String,
            Self::Strings | Self::SomeOf(_) | Self::Command => Asked::Strings,
            Self::Number => Asked::Number,
            Self::Fraction => Asked::Fraction,
            Self::Numbers(_) => Asked::Numbers,
            Self::Flag | Self::True => Asked::Flag,
            Self::Table(_) | Self::Named(..) => Asked::Table,
            Self::Tables(_) => Asked::Tables,
        }
    }

    /// The keys of the table that it holds; for tables with names, of each of them.
    fn inner(&self) -> Option<&'static Keys> {
        match self {
            Self::Table(keys) | Self::Tables(keys) | Self::Named(keys, _) => Some(keys),
            _ => None,
        }
    }
}

impl Key {
    /// A key that may be left out.
    pub const fn new(name: &'static str, holds: Holds, about: &'static str) -> Self {
        Self { name, holds, about, required: false }
    }

    /// A key without which the table is nothing.
    pub const fn required(name: &'static str, holds: Holds, about: &'static str) -> Self {
        Self { name, holds, about, required: true }
    }
}

impl Keys {
    /// A table with these keys, none of which is needed unless it says so.
    pub const fn new(name: &'static str, about: &'static str, keys: fn() -> Vec<&'static Key>) -> Self {
        Self { name, about, keys, choice: Choice::None, variants: &[] }
    }

    /// A table that is one of several.
    pub const fn one_of(name: &'static str, about: &'static str, variants: &'static [&'static Keys]) -> Self {
        Self { name, about, keys: Vec::new, choice: Choice::None, variants }
    }

    /// The keys of a table under a key; `None` when the key doesn't hold what is asked for in any variant.
    pub(super) fn inner(&self, name: &str, asked: Asked) -> Option<Option<&'static Keys>> {
        let own = (self.keys)().into_iter().find(|key| key.name == name && key.holds.asked() == asked);
        let own = own.map(|key| key.holds.inner());
        own.or_else(|| self.variants.iter().find_map(|variant| variant.inner(name, asked)))
    }

    /// The key whose table has a key of this name, for what is one level too high. Alternatives are of the same level.
    pub(super) fn holder_of(&self, name: &str) -> Option<&'static str> {
        let holds = |key: &&&'static Key| key.name != "any" && key.holds.inner().is_some_and(|keys| keys.has(name));
        let own = (self.keys)().iter().find(holds).map(|key| key.name);
        own.or_else(|| self.variants.iter().find_map(|variant| variant.holder_of(name)))
    }

    fn has(&self, name: &str) -> bool {
        (self.keys)().iter().any(|key| key.name == name) || self.variants.iter().any(|variant| variant.has(name))
    }
}

/// The words of a list of words with their meanings.
pub(crate) fn words<T>(pairs: &[(&'static str, T)]) -> Vec<&'static str> {
    pairs.iter().map(|(word, _)| *word).collect()
}

/// A size in bytes with its unit.
pub(crate) const SIZE: Holds = Holds::Form("^ *[0-9]+ *(B|KiB|MiB|GiB)? *$");

/// A time with its unit.
pub(crate) const TIME: Holds = Holds::Form("^0*[1-9][0-9]* (s|min|h)$");
