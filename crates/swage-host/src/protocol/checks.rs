//! Checks of texts and names that several types share.

/// Most characters of a line such as a title.
pub const MOST_LINE: usize = 200;
/// Most bytes of a text such as a description.
pub const MOST_TEXT: usize = 64 << 10;

/// A line of text: not empty, not too long, and without control characters.
pub fn line(what: &str, text: &str) -> Result<(), String> {
    match text.chars().count() {
        _ if text.trim().is_empty() => Err(format!("{what} is empty")),
        n if n > MOST_LINE => Err(format!("{what} has {n} characters; {MOST_LINE} are allowed")),
        _ if text.chars().any(char::is_control) => Err(format!("{what} holds a control character")),
        _ => Ok(()),
    }
}

/// A text of several lines; no control characters but line ends and tabs.
pub fn text(what: &str, text: &str) -> Result<(), String> {
    if text.len() > MOST_TEXT {
        return Err(format!("{what} has {} bytes; {MOST_TEXT} are allowed", text.len()));
    }
    if text.chars().any(|c| c.is_control() && !matches!(c, '\n' | '\t')) {
        return Err(format!("{what} holds a control character"));
    }
    Ok(())
}

/// A name of a person, a repository, a label and the like: letters, digits, `-`, `_` and `.`, beginning with a letter or digit.
pub fn name(what: &str, name: &str) -> Result<(), String> {
    let fits = |c: char| c.is_ascii_alphanumeric() || matches!(c, '-' | '_' | '.');
    let starts = name.starts_with(|c: char| c.is_ascii_alphanumeric());
    if starts && name.len() <= 64 && name.chars().all(fits) && !name.ends_with(".git") && !name.ends_with(".lock") {
        Ok(())
    } else {
        Err(format!("{what} `{}` isn't a name: 1 to 64 letters, digits, `-`, `_` and `.`", shortened(name)))
    }
}

/// All names of a list, each once.
pub fn names(what: &str, list: &[String]) -> Result<(), String> {
    if list.len() > 100 {
        return Err(format!("{} of {what}; 100 are allowed", list.len()));
    }
    list.iter().try_for_each(|one| name(what, one))?;
    let mut sorted: Vec<&String> = list.iter().collect();
    sorted.sort_unstable();
    match sorted.windows(2).find(|pair| pair[0] == pair[1]) {
        Some(pair) => Err(format!("{what} `{}` is named twice", pair[0])),
        None => Ok(()),
    }
}

/// The name of a branch, as git's `check-ref-format` has it.
pub fn branch(what: &str, name: &str) -> Result<(), String> {
    let odd = |c: char| c.is_control() || matches!(c, ' ' | '~' | '^' | ':' | '?' | '*' | '[' | '\\');
    let bad_part =
        |part: &str| part.is_empty() || part.starts_with('.') || part.ends_with(".lock") || part.ends_with('.');
    let bad = name.len() > 200
        || name.starts_with('-')
        || name == "@"
        || name.chars().any(odd)
        || name.contains("..")
        || name.contains("@{")
        || name.split('/').any(bad_part);
    if bad { Err(format!("{what} `{}` isn't the name of a branch", shortened(name))) } else { Ok(()) }
}

/// A whole commit id in lower case.
pub fn commit(what: &str, id: &str) -> Result<(), String> {
    let is_hex = id.bytes().all(|b| b.is_ascii_digit() || (b'a'..=b'f').contains(&b));
    if is_hex && matches!(id.len(), 40 | 64) {
        Ok(())
    } else {
        Err(format!("{what} `{}` isn't a commit id: 40 or 64 hexadecimal digits in lower case", shortened(id)))
    }
}

/// A day, as `2031-03-01`.
pub fn day(what: &str, day: &str) -> Result<(), String> {
    let parts: Vec<&str> = day.split('-').collect();
    let number = |at: usize, length: usize, range: std::ops::RangeInclusive<u32>| {
        parts.get(at).filter(|p| p.len() == length).and_then(|p| p.parse().ok()).is_some_and(|n| range.contains(&n))
    };
    if parts.len() == 3 && number(0, 4, 1970..=9999) && number(1, 2, 1..=12) && number(2, 2, 1..=31) {
        Ok(())
    } else {
        Err(format!("{what} `{}` isn't a day like 2031-03-01", shortened(day)))
    }
}

fn shortened(text: &str) -> String {
    text.chars().filter(|c| !c.is_control()).take(64).collect()
}
