//! The plain form of an expression: what conditions on holes and imports are asked about where it is written otherwise, as
//! in `(os) .system`, `cp?.exec` or `cp["exec"]`. Names, their paths and what wraps them have such a form; what is between
//! them stays as it is.

use std::ops::Range;

use tree_sitter::Node;

use super::{Children, contents, relevant_children};
use crate::lang::{Class, Indirect, Language, unquoted};

/// How deep an expression is followed, and how many bytes it has at most: conditions are asked at each node that a hole may
/// take, so that longer ones would cost the square of their length.
const DEEPEST: usize = 64;
const LONGEST: usize = 512;

/// What is between the names of a path.
pub(crate) const PATH_SIGNS: [&str; 3] = [".", "->", "::"];

/// The sign of a path that a node is or is in the place of, such as the full stop for `?.`.
fn path_sign(node: Node<'_>, language: &Language) -> Option<&'static str> {
    let written = language.tables().written_as(node.kind_id()).unwrap_or(node.kind());
    PATH_SIGNS.into_iter().find(|sign| *sign == written)
}

/// The plain form of a node; `None` where that is what it is written as.
pub(super) fn plain_text(source: &[u8], node: Node<'_>, language: &'static Language) -> Option<Vec<u8>> {
    let text = source.get(node.byte_range())?;
    if node.kind() == "command_name" {
        return unquoted(text).filter(|plain| plain != text);
    }
    let is_plain = |b: &u8| b.is_ascii_alphanumeric() || matches!(b, b'_' | b'$' | b'.' | b':');
    // Most are.
    if text.len() > LONGEST || !language.names_in_any_case && text.iter().all(is_plain) {
        return None;
    }
    let mut plain = Vec::with_capacity(text.len());
    write(source, node, language, DEEPEST, &mut plain)?;
    (plain != text).then_some(plain)
}

/// The plain form of a path, or of a call by one, that is broken into lines; `None` when it isn't.
pub(crate) fn joined_text(source: &[u8], node: Node<'_>, language: &'static Language) -> Option<Vec<u8>> {
    let text = source.get(node.byte_range())?;
    // Making the form costs more than all else that is asked, so the text is asked first, and then the node.
    let is_broken = text.len() <= LONGEST
        && memchr::memchr_iter(b'\n', text).any(|end| {
            let (before, after) = (text[..end].trim_ascii_end(), text[end..].trim_ascii_start());
            let after = after.strip_prefix(b"?").unwrap_or(after);
            PATH_SIGNS.iter().any(|sign| before.ends_with(sign.as_bytes()) || after.starts_with(sign.as_bytes()))
        });
    // The sign is between an object and its member.
    let is_member = || node.child(1).is_some_and(|sign| path_sign(sign, language).is_some());
    let is_path = || language.tables().is(node.kind_id(), Class::Call) || is_member();
    (is_broken && is_path()).then(|| plain_text(source, node, language)).flatten()
}

/// Adds the plain form of a node; `None` when it lies too deep.
fn write(source: &[u8], node: Node<'_>, language: &'static Language, depth: usize, plain: &mut Vec<u8>) -> Option<()> {
    let (tables, deeper, kind) = (language.tables(), depth.checked_sub(1)?, node.kind_id());
    if let Some(inner) = tables.inner(node) {
        return write(source, inner, language, deeper, plain);
    }
    if let Some((object, name)) = member_of(source, node, language) {
        write(source, object, language, deeper, plain)?;
        plain.push(b'.');
        plain.extend_from_slice(&source[name]);
        return Some(());
    }
    let text = source.get(node.byte_range())?;
    if tables.is(kind, Class::Name) && !language.exact_names_in.contains(&node.kind()) {
        let name = (language.plain_name)(text);
        plain.extend(name.iter().map(|b| if language.names_in_any_case { b.to_ascii_lowercase() } else { *b }));
        return Some(());
    }
    let sign = |child: Node<'_>| path_sign(child, language);
    let children = relevant_children(node, language);
    let is_left_out = |child: &Node<'_>| tables.is_optional(kind, child.kind_id()) && sign(*child).is_none();
    let is_path = children.iter().any(|child| sign(*child).is_some())
        && children.iter().all(|child| child.is_named() || sign(*child).is_some() || is_left_out(child));
    if !is_path {
        let mut from = node.start_byte();
        for child in Children::named(node) {
            plain.extend_from_slice(source.get(from..child.start_byte())?);
            write(source, child, language, deeper, plain)?;
            from = child.end_byte();
        }
        plain.extend_from_slice(source.get(from..node.end_byte())?);
        return Some(());
    }
    for child in children.into_iter().filter(|child| !is_left_out(child)) {
        match sign(child) {
            Some(sign) => plain.extend_from_slice(sign.as_bytes()),
            None => write(source, child, language, deeper, plain)?,
        }
    }
    Some(())
}

/// The object and the range of the name, where a node asks for a member by a string that could be written as a name:
/// `cp["exec"]`, `getattr(cp, "exec")`.
pub(super) fn member_of<'t>(source: &[u8], node: Node<'t>, language: &Language) -> Option<(Node<'t>, Range<usize>)> {
    let (object, index) = match node.kind() {
        "subscript_expression" if language.strings_name_members => {
            (node.child_by_field_name("object")?, node.child_by_field_name("index")?)
        }
        "call" if language.indirect.contains(&Indirect::Member) => {
            let function = node.child_by_field_name("function")?;
            (source.get(function.byte_range()) == Some(b"getattr")).then_some(())?;
            let mut given = Children::code(node.child_by_field_name("arguments")?);
            let both = (given.next()?, given.next()?);
            given.next().is_none().then_some(both)?
        }
        _ => return None,
    };
    if !language.tables().is(index.kind_id(), Class::String) {
        return None;
    }
    let inside = contents(source.get(index.byte_range())?)?;
    let name = index.start_byte() + inside.start..index.start_byte() + inside.end;
    let is_name = source[name.clone()].iter().all(|b| b.is_ascii_alphanumeric() || matches!(b, b'_' | b'$'));
    (is_name && !source[name.start].is_ascii_digit()).then_some((object, name))
}
