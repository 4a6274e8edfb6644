//! `text`: a regular expression on lines.
//!
//! Expressions run over the whole file at once and not line by line: starting a search costs more than most lines take, and `^` and `$` mean ends of lines all the same. A match may go across lines where the
//! expression says so.
//!
//! Groups, entropy and check digits are looked at only for matches, which are few.

use std::ops::Range;
use std::sync::Arc;

use regex::bytes::{Regex, RegexBuilder};

use super::plan::{LineFinder, Zone};
use super::{Compiled, Extent, Languages, Match, Matcher, Plan, Reader, text_formats};
use crate::lang::Language;
use crate::pattern::{PatternError, with_any_line_end};
use crate::rule::keys::{Holds, Key, words};
use crate::rule::problem::Problems;
use crate::rule::table::Table;
use crate::rule::values::{bad_regex, one_of};
use crate::rule::words::regex_words;

pub(super) const READER: Reader = Reader {
    keys: &[
        Key::new("text", Holds::String, "A regular expression on lines."),
        Key::new("zones", Holds::SomeOf(|| words(&ZONES)), "Where matches must begin; anywhere when left out."),
        Key::new("min_entropy", Holds::Fraction, "Least bits of information a character of the place."),
        Key::new("form", Holds::OneOf(|| words(&FORMS)), "The form that the place must have."),
    ],
    read,
};

/// The words for zones.
const ZONES: [(&str, Zone); 3] = [("code", Zone::Code), ("comment", Zone::Comment), ("string", Zone::String)];
/// The words for forms.
const FORMS: [(&str, Form); 3] = [("luhn", Form::Luhn), ("mod97", Form::Mod97), ("jwt", Form::Jwt)];

/// A regular expression on lines.
#[derive(Debug)]
struct TextMatch {
    /// The expression, with `^` and `$` at line ends.
    regex: Regex,
    /// Where its matches must lie; empty for anywhere.
    zones: Vec<Zone>,
    /// Least bits of information a character of the place must have.
    min_entropy: Option<f64>,
    /// The form that the place must have.
    form: Option<Form>,
}

/// A form that a text can be shown to have by its check digits or parts.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub(super) enum Form {
    /// A number with a check digit as on payment cards (ISO/IEC 7812-1).
    Luhn,
    /// A number with check digits as of bank accounts (ISO 13616).
    Mod97,
    /// A signed token of JSON (RFC 7519).
    Jwt,
}

/// Reads an expression and what its matches must be.
fn read(table: &mut Table<'_, '_>, _: &mut Languages, _: &str, p: &mut Problems<'_>) -> Option<Arc<dyn Matcher>> {
    let text = table.required_string("text", "a text match", p)?;
    // `^` and `$` are ends of lines, with a CR or without; the size is bounded, as a repeated repetition could take all
    // memory.
    let regex = match RegexBuilder::new(&with_any_line_end(&text.value))
        .multi_line(true)
        .crlf(true)
        .size_limit(4 << 20)
        .build()
    {
        Ok(regex) => regex,
        Err(error) => {
            bad_regex(&text, &error, p);
            return None;
        }
    };
    // Every place of every line would be a match.
    if regex.is_match(b"") {
        let hint = "make at least one part of it obligatory".to_owned();
        p.at(text.at, "the expression matches the empty text and so every line", Some(hint));
        return None;
    }
    let zones = table.strings("zones", p).unwrap_or_default();
    let zones = zones.iter().filter_map(|zone| one_of(zone, "zone", ZONES, p)).collect();
    let min_entropy = table.fraction("min_entropy", p);
    let form = table.string("form", p).and_then(|form| one_of(&form, "form", FORMS, p));
    Some(Arc::new(TextMatch { regex, zones, min_entropy, form }))
}

impl Matcher for TextMatch {
    fn captures(&self) -> Vec<&str> {
        self.regex.capture_names().flatten().collect()
    }

    fn extent(&self) -> Extent {
        if self.zones.is_empty() { Extent::Line } else { Extent::Piece }
    }

    fn compile(self: Arc<Self>, language: Option<&'static Language>) -> Result<Option<Compiled>, PatternError> {
        // Without a language it can't be known what is code.
        if language.is_none() && !self.zones.is_empty() {
            return Ok(None);
        }
        // The words of an expression are what lets it skip most files.
        let words = regex_words(self.regex.as_str()).into_iter().collect();
        Ok(Some(Compiled { plan: Plan::Lines(self), words }))
    }
}

impl LineFinder for TextMatch {
    fn expression(&self) -> &str {
        self.regex.as_str()
    }

    fn find(&self, source: &[u8]) -> Vec<Range<usize>> {
        self.regex.find_iter(source).filter(|found| !found.is_empty()).map(|found| found.range()).collect()
    }

    fn zones(&self) -> &[Zone] {
        &self.zones
    }

    /// The place is the group `here`, or all of the match.
    fn at(&self, source: &[u8], range: &Range<usize>) -> Option<Match<'_>> {
        let mut captures = Vec::new();
        // Groups cost a second search, so only expressions that have some are searched again.
        if self.regex.captures_len() > 1
            && let Some(found) = self.regex.captures_at(source, range.start)
        {
            let names = self.regex.capture_names().flatten();
            captures.extend(names.filter_map(|name| Some((name, found.name(name)?.range()))));
        }
        let here = captures.iter().find(|(name, _)| *name == "here").map(|(_, range)| range.clone());
        let place = here.unwrap_or_else(|| range.clone());
        let text = &source[place.clone()];
        let random = self.min_entropy.is_none_or(|least| text_formats::entropy(text) >= least);
        let formed = self.form.is_none_or(|form| text_formats::is_of(form, text));
        (random && formed).then_some(Match { captures, ..Match::plain(place) })
    }
}
