//! A series of patches that came by mail: who sent each, in answer to what, and which of them shows a line of the result.

use mail_parser::{Address, HeaderValue, Message, MessageParser};

use super::{Diff, FileDiff, LineKind, LineMap};

/// A mail of a series (RFC 5322).
#[derive(Debug, Clone, PartialEq, Eq, Default)]
pub struct Mail {
    /// Its `Message-ID`, without angle brackets.
    pub id: Option<String>,
    /// The ids of the mails that it answers, oldest first, without angle brackets.
    pub references: Vec<String>,
    /// Who sent it; a name, when there is one, and an address.
    pub from: Option<(Option<String>, String)>,
    /// To whom, copies included.
    pub to: Vec<(Option<String>, String)>,
    /// Its subject, decoded.
    pub subject: String,
    /// When it was sent, in seconds since 1970-01-01 UTC.
    pub date: Option<i64>,
    /// Its text, decoded.
    pub body: String,
    /// The mail with its headers, as it came; [`decode_mail`](super::decode_mail) makes what [`read`](super::read()) takes.
    pub raw: Vec<u8>,
}

impl Mail {
    /// A mail that can't be parsed keeps its bytes and nothing else.
    fn of(raw: &[u8]) -> Self {
        let parsed = MessageParser::default().parse(raw);
        let mut mail = parsed.as_ref().map(headers).unwrap_or_default();
        mail.raw = raw.to_vec();
        mail
    }

    /// Who wrote the patch, as `Name <address>`: whom the first lines of its text name, else who sent it.
    pub fn author(&self) -> String {
        let sent = || match &self.from {
            Some((Some(name), address)) => format!("{name} <{address}>"),
            Some((None, address)) => address.clone(),
            None => String::new(),
        };
        self.headers_in_body()
            .find_map(|line| line.strip_prefix("From:"))
            .map_or_else(sent, |own| own.trim().to_owned())
    }

    /// The subject that a commit of the patch gets: without answers and what is in brackets before it.
    pub fn commit_subject(&self) -> &str {
        let own = self.headers_in_body().find_map(|line| line.strip_prefix("Subject:"));
        // `Re: [PATCH 2/3] ...` may have any number of both, in any order.
        let mut subject = own.unwrap_or(&self.subject).trim();
        loop {
            let bracketed = subject.strip_prefix('[').and_then(|rest| Some(rest.split_once(']')?.1));
            let answer = subject.get(..3).filter(|start| start.eq_ignore_ascii_case("re:")).map(|_| &subject[3..]);
            match bracketed.or(answer) {
                Some(rest) if !rest.trim().is_empty() => subject = rest.trim(),
                _ => return subject,
            }
        }
    }

    /// The message that a commit of the patch gets: its subject, and its text up to the line `---` or the diff.
    pub fn commit_message(&self) -> String {
        // What is between `---` and the diff is for readers of the mail, not for the history.
        let is_end = |line: &str| {
            line.trim_end() == "---" || ["diff -", "Index: ", "--- "].iter().any(|start| line.starts_with(start))
        };
        let after = self.body.lines().skip(self.headers_in_body().count()).take_while(|line| !is_end(line));
        let text = after.collect::<Vec<_>>().join("\n");
        match text.trim() {
            "" => self.commit_subject().to_owned(),
            text => format!("{}\n\n{text}", self.commit_subject()),
        }
    }

    /// The lines at the top of the text that take the place of headers.
    fn headers_in_body(&self) -> impl Iterator<Item = &str> {
        let is_header = |line: &&str| ["From:", "Subject:", "Date:"].iter().any(|name| line.starts_with(name));
        self.body.lines().take_while(is_header)
    }
}

/// What is used of a mail's headers, decoded (RFC 2047).
fn headers(message: &Message<'_>) -> Mail {
    let people = |address: Option<&Address<'_>>| -> Vec<(Option<String>, String)> {
        let all = address.into_iter().flat_map(Address::iter);
        all.filter_map(|a| Some((a.name().map(str::to_owned), a.address()?.to_owned()))).collect()
    };
    let ids = |value: &HeaderValue<'_>| -> Vec<String> {
        value.as_text_list().into_iter().flatten().map(|id| id.to_string()).collect()
    };
    let mut references = ids(message.references());
    // `In-Reply-To` names only the parent, so it counts where `References` is missing (RFC 5322, section 3.6.4).
    references.extend(ids(message.in_reply_to()).into_iter().take(usize::from(references.is_empty())));
    Mail {
        id: message.message_id().map(str::to_owned),
        references,
        from: people(message.from()).into_iter().next(),
        to: [people(message.to()), people(message.cc())].concat(),
        subject: message.subject().unwrap_or_default().to_owned(),
        date: message.date().map(mail_parser::DateTime::to_timestamp),
        body: message.body_text(0).unwrap_or_default().into_owned(),
        raw: Vec::new(),
    }
}

/// The mails of a mailbox, or the only one; none when the input isn't mail.
pub fn mails(input: &[u8]) -> Vec<Mail> {
    if !super::mail::looks_like_mail(input) {
        return Vec::new();
    }
    super::mail::messages(input).into_iter().map(|(_, message)| Mail::of(message)).collect()
}

/// Where a series shows a line: indexes into the patches, a patch's files, a file's hunks and a hunk's lines.
#[derive(Debug, Clone, Copy, PartialEq, Eq, PartialOrd, Ord, Hash)]
pub struct ShownLine {
    /// The patch.
    pub patch: usize,
    /// The file.
    pub file: usize,
    /// The hunk.
    pub hunk: usize,
    /// The line.
    pub line: usize,
}

/// Which patch of a series shows a line, 1-based, of the state after all of them: the one that adds it, else the last one that
/// shows it among the lines around a change. `path` may be longer or shorter than the patches' own by leading folders.
pub fn shown_after(series: &[Diff<'_>], path: &[u8], line: u32) -> Option<ShownLine> {
    shown(series.iter().enumerate().rev(), path, line, LineKind::Added)
}

/// Which patch of a series shows a line, 1-based, of the state before all of them: the one that removes it, else the first one that
/// shows it among the lines around a change.
pub fn shown_before(series: &[Diff<'_>], path: &[u8], line: u32) -> Option<ShownLine> {
    shown(series.iter().enumerate(), path, line, LineKind::Removed)
}

/// Follows a line through patches, from the state that it is of towards the other one, until a patch changes it.
fn shown<'d, 'a: 'd>(
    patches: impl Iterator<Item = (usize, &'d Diff<'a>)>,
    path: &[u8],
    line: u32,
    changed: LineKind,
) -> Option<ShownLine> {
    // From the last patch back for a line of the result, from the first one on for a line of the base.
    let is_after = changed == LineKind::Added;
    let sides = |file: &FileDiff<'_>| {
        let (old, new) = (file.old_path.to_vec(), file.new_path.to_vec());
        if is_after { (new, old) } else { (old, new) }
    };
    // The first patch on the way that shows the line as context, in case none changes it.
    let mut around = None;
    let mut at = (path.to_vec(), line);
    for (patch, diff) in patches {
        let Some((file, own)) = diff.files().enumerate().find(|(_, own)| is_path(&sides(own).0, &at.0)) else {
            continue;
        };
        match shown_in(own, at.1, changed) {
            Some((hunk, line, true)) => return Some(ShownLine { patch, file, hunk, line }),
            Some((hunk, line, false)) => around = around.or(Some(ShownLine { patch, file, hunk, line })),
            None => {}
        }
        let map = LineMap::from_hunks(own.hunks());
        // The number of the line in the state on the other side of this patch.
        let line = at.1.checked_sub(1).and_then(|line| if is_after { map.to_old(line) } else { map.to_new(line) });
        let Some(line) = line else { return around };
        at = (sides(own).1, line + 1);
    }
    around
}

/// The hunk and the line in it that show a line of one side, and whether it is one of the changed lines.
fn shown_in(file: &FileDiff<'_>, wanted: u32, changed: LineKind) -> Option<(usize, usize, bool)> {
    for (index, hunk) in file.hunks().iter().enumerate() {
        let (start, lines) = match changed {
            LineKind::Removed => (hunk.old_start, hunk.old_lines),
            LineKind::Added | LineKind::Context => (hunk.new_start, hunk.new_lines),
        };
        if !(start..start.saturating_add(lines)).contains(&wanted) {
            continue;
        }
        // Lines of the other side have no number on this one.
        let mut of_side = hunk.lines().enumerate().filter(|(_, l)| l.kind == changed || l.kind == LineKind::Context);
        let (line, found) = of_side.nth((wanted - start) as usize)?;
        return Some((index, line, found.kind == changed));
    }
    None
}

/// Whether two paths are the same but for leading folders.
fn is_path(a: &[u8], b: &[u8]) -> bool {
    let (long, short) = if a.len() >= b.len() { (a, b) } else { (b, a) };
    long.ends_with(short) && (long.len() == short.len() || long[long.len() - short.len() - 1] == b'/')
}
