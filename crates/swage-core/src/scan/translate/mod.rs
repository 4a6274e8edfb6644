//! From a text to what its language reads it as, before a parser sees it.
//!
//! Languages translate a source text before they look for words in it: C joins lines, Java replaces escapes, Python
//! normalises names. Grammars skip these steps, so a call could be spelled in a way that runs and that no rule finds. The
//! steps are carried out here instead of in every matcher, since all of them, and the words that decide which rules look
//! at a file, would have to know of them. What becomes shorter is filled with blanks, so that lines and the offsets of
//! everything else stay as they are.

mod constructs;
mod escapes;
mod lines;
mod names;
mod pages;
mod python;
mod references;

use std::borrow::Cow;
use std::ops::Range;

use crate::lang::{Language, Translation};

pub(super) use references::{with_characters, without_percents};

/// The text as its language reads it, as long as before.
pub(super) fn translated<'t>(text: &'t [u8], language: Option<&'static Language>) -> Cow<'t, [u8]> {
    let mut plain = Cow::Borrowed(text);
    // Where no language says otherwise, a CR alone ends a line as an LF does.
    if language.is_none_or(|l| l.lone_cr_ends_lines) {
        for at in memchr::memchr_iter(b'\r', text).filter(|at| text.get(at + 1) != Some(&b'\n')) {
            plain.to_mut()[at] = b'\n';
        }
    }
    let Some(language) = language else { return plain };
    for step in language.translations {
        // In the order of the list: C joins lines before it reads what is on them.
        let changed = match step {
            Translation::UnicodeLineEnds => lines::with_line_ends(&plain),
            Translation::EscapedLineEnds => escapes::with_line_escapes(&plain),
            Translation::EscapesAnywhere => escapes::with_escapes(&plain),
            Translation::StyleEscapes => escapes::with_style_escapes(&plain),
            Translation::SplicedLines(blanks) => lines::without_splices(&plain, *blanks),
            Translation::KeptLineEnds => lines::with_kept_line_ends(&plain),
            Translation::CommandsOfAssignments => constructs::with_commands_of_assignments(&plain, language),
            Translation::NestedCommands => constructs::with_nested_commands(&plain, language),
            Translation::EmptyMacros => constructs::without_empty_macros(&plain),
            Translation::ExecutableComments => constructs::with_executable_comments(&plain),
            Translation::AnnotatedVarargs => constructs::without_varargs_annotations(&plain),
            Translation::TextOfDirectives => constructs::with_text_of_directives(&plain),
            Translation::DoubledBraces => constructs::without_doubled_braces(&plain),
            Translation::PlainTexts => pages::with_plain_texts(&plain),
            Translation::TextAmpersands => constructs::with_text_ampersands(&plain),
            Translation::KeywordsAsAttributes => constructs::without_keywords_as_attributes(&plain, language),
            Translation::TypesOfTemplates => constructs::without_types_of_templates(&plain),
            Translation::TypeOfExports => constructs::without_type_of_exports(&plain),
            Translation::ListsOfImportedTypes => constructs::without_lists_of_imported_types(&plain),
            Translation::TypesOfModules => constructs::without_types_of_modules(&plain),
            Translation::AssertedAttributes => constructs::with_attributes(&plain),
            Translation::TypeDefaults => python::with_bounds_for_type_defaults(&plain),
            Translation::StarsOfLists => python::without_stars_of_lists(&plain),
            Translation::OutdentedComments => python::with_comments_further_in(&plain),
            Translation::OutdentedCommentsInBrackets => python::with_comments_in_brackets_further_in(&plain),
            // These take the tree, and come last.
            Translation::EscapedNames
            | Translation::IgnorableCharacters
            | Translation::CompatibleNames
            | Translation::QuotedWords => None,
        };
        plain = changed.map_or(plain, Cow::Owned);
    }
    match names::with_plain_names(&plain, language) {
        Some(changed) => Cow::Owned(changed),
        None => plain,
    }
}

/// Writes over a range what it stands for, and blanks after that.
fn fill(text: &mut [u8], range: Range<usize>, plain: &[u8]) {
    let place = &mut text[range];
    place.fill(b' ');
    place[..plain.len()].copy_from_slice(plain);
}

/// Whether no backslash escapes what is at an offset; one that another escapes does nothing.
pub(super) fn is_unescaped(text: &[u8], at: usize) -> bool {
    text[..at].iter().rev().take_while(|b| **b == b'\\').count() % 2 == 0
}

/// Whether a byte may be in a name.
fn in_name(byte: &u8) -> bool {
    byte.is_ascii_alphanumeric() || *byte == b'_'
}

#[cfg(test)]
mod tests {
    use proptest::prelude::*;

    use super::*;
    use crate::lang::{LANGUAGES, parse};

    /// Pieces of what is translated.
    const PIECES: [&str; 77] = [
        " class={",
        "a<typeof import('b')>(",
        "from 'a' assert {",
        "A=b ",
        "C=d\n",
        ", *",
        "\n  @",
        "\n#   ",
        "\"\"\"",
        "\n  def ",
        "a<b>`",
        ">`",
        "class A[",
        "]",
        " & ",
        "export type *",
        "import('b').C[]",
        "<",
        ">",
        "<!--",
        "-->",
        "--!>",
        "<!",
        "<![CDATA[",
        "]]>",
        "<svg>",
        "</svg>",
        "<title>",
        "</title>",
        "<style>",
        "<p ",
        "</style>",
        "<script>",
        "</script",
        "<noscript>",
        "</noscript>",
        "<textarea",
        "<a b='",
        "\"",
        "'",
        "=",
        "/",
        "&#98;",
        "&lpar",
        "{{{",
        "$\"",
        "$@\"",
        "\n#define A\n",
        "\n#region /*",
        "a A (",
        "\\\n",
        "\\ \r\n",
        "\\\r\n",
        "`",
        "\\`",
        "\\",
        "\\u000a",
        "\\62 ",
        "/*!5",
        "*/",
        "b\\u0061d",
        "\u{2028}",
        "ｅ",
        "\u{200d}",
        "x",
        " ",
        "\n",
        "$(",
        "<<A\n",
        "A\n",
        "%62",
        "...",
        "@B ",
        "\r",
        "(",
        "a",
        "é",
    ];

    proptest! {
        /// Whatever a text is, it stays as long as it was, and so does what is decoded of it.
        #[test]
        fn no_step_changes_the_length(pieces in prop::collection::vec(prop::sample::select(&PIECES[..]), 0..40)) {
            let text = pieces.concat();
            for language in LANGUAGES {
                let plain = translated(text.as_bytes(), Some(language));
                prop_assert_eq!(plain.len(), text.len(), "{}", language.name);
                // Nor does asking for what a grammar misreads end in a panic.
                _ = parse(&plain, language);
            }
            for step in [with_characters, without_percents] {
                prop_assert!(step(text.as_bytes()).is_none_or(|plain| plain.len() == text.len()));
            }
        }
    }

    /// Long because it is a table.
    #[test]
    fn a_text_is_what_its_language_reads() {
        let cases: &[(Option<&str>, &str, &str)] = &[
            (Some("python"), "# a\rb\r\nc\n", "# a\nb\r\nc\n"),
            (Some("bash"), "# a\rb\n", "# a\rb\n"),
            (None, "a\rb\r", "a\nb\n"),
            (Some("java"), "// a\\u000ab();\\uuu000Dc", "// a     \nb();       \nc"),
            (Some("java"), "\"\\\\u000a\"", "\"\\\\u000a\""),
            (Some("java"), "b\\u0061\\u0064(1) c", "bad(1)           c"),
            (Some("java"), "/* \\u002a/ b(); \\\\u0061", "/* */      b(); \\\\u0061"),
            (Some("java"), "void a(B @C ... d) {}", "void a(B    ... d) {}"),
            (Some("java"), "void a(B... d) {} // @C ... e", "void a(B... d) {} // @C ... e"),
            (Some("javascript"), "// a\\u000ab();", "// a\\u000ab();"),
            (Some("javascript"), "b\\u{61}d('b\\u0061d')", "bad     ('b\\u0061d')"),
            (Some("typescript"), "a.\\u0062ad(`\\u0062`)", "a.bad     (`\\u0062`)"),
            (Some("csharp"), "// a\u{2028}b();", "// a\n  b();"),
            (Some("csharp"), "class A { int b\\u0061d = B\u{200d}(); }", "class A { int bad      = B   (); }"),
            (Some("python"), "ｅval('ｅ')", "eval  ('ｅ')"),
            (Some("python"), "größe = 'ﬁ'", "größe = 'ﬁ'"),
            (Some("css"), "b\\61 d(\\62\\000061\\64\t{b\\z c", "bad(bad{bz                c"),
            (Some("css"), "a: \"\\e900 \\31 b\\31 \\2d c\"; \\\\62 d", "a: \"\\e900 \\31 b1-c\";       \\\\62 d"),
            (Some("css"), "b\\61\nd\\65\r\n(1)", "bade(1)     \n\n"),
            (Some("python"), "class A[T = list[B], *C]: d = e[f == g]", "class A[T : list[B], *C]: d = e[f == g]"),
            (Some("python"), "def a[T: B = C](b=1): pass", "def a[T: B | C](b=1): pass"),
            (Some("python"), "return a, *bad(b)\n", "return a,  bad(b)\n"),
            (Some("python"), "a = b, * \\\n (c), *[d], *e.f[g], *h", "a = b,   \\\n (c),  [d],  e.f[g], *h"),
            (Some("python"), "f(a, *g(b)); [*h(c)]; i[j, *(k)]", "f(a, *g(b)); [*h(c)]; i[j,  (k)]"),
            (Some("python"), "'(', \"\"\"[\"\"\", *f(x) # (\n, *f(x)", "'(', \"\"\"[\"\"\",  f(x) # (\n,  f(x)"),
            (Some("python"), "', *f(x)', a, *f(x)", "', *f(x)', a,  f(x)"),
            (Some("python"), "  @a\n#   @b\n  def c(): d", "  @a\n  # @b\n  def c(): d"),
            (
                Some("python"),
                "  @a(\n    b)\n\n#low\n#\n #  low\n  def c():\n#   d",
                "  @a(\n    b)\n\n#low\n \n  # low\n  def c():\n#   d",
            ),
            (Some("python"), "  a = (b +\n# low\n c)\n# d\n", "  a = (b +\n  #ow\n c)\n# d\n"),
            (Some("python"), "  a(b\n#\n# low(\n .c)", "  a(b\n \n  #ow(\n .c)"),
            (Some("python"), "a = [\n# low\n b]\nif c:\n  d\n# low\n  e", "a = [\n# low\n b]\nif c:\n  d\n# low\n  e"),
            (Some("typescript"), "a<typeof import('b')>(c)", "a                    (c)"),
            (Some("typescript"), "let a: B<typeof import('b')>", "let a: B<typeof import('b')>"),
            (Some("javascript"), "import a from 'b' assert { c: 'd' }", "import a from 'b' with   { c: 'd' }"),
            (Some("javascript"), "assert({ a: 'b' })", "assert({ a: 'b' })"),
            (Some("tsx"), "a = <b c={() => d} class={e} />", "a = <b c={() => d} Class={e} />"),
            (Some("javascript"), "a = <b for=\"c\">{d}</b>", "a = <b For=\"c\">{d}</b>"),
            (
                Some("javascript"),
                "a = '<b class=\"c\">'; // <b class=\"c\">",
                "a = '<b class=\"c\">'; // <b class=\"c\">",
            ),
            (Some("javascript"), "a = `<b class=\"c\">${d}`", "a = `<b class=\"c\">${d}`"),
            (Some("tsx"), "a = <b>c & d</b>; e = f & g", "a = <b>c + d</b>; e = f & g"),
            (Some("tsx"), "a = <b>{c} & d</b>; e = b > c & d;", "a = <b>{c} + d</b>; e = b > c & d;"),
            (Some("typescript"), "a = b.c<D, E>`f`; `g<h>`", "a = b.c[D, E]`f`; `g<h>`"),
            (Some("typescript"), "a = b(c)<{d: E<F>}>`g`; h<i(1)>`j`", "a = b(c)           `g`; h<i(1)>`j`"),
            (Some("typescript"), "a<{b: new C}>`d`; a<{b: c = 1}>`d`", "a<{b: new C}>`d`; a<{b: c = 1}>`d`"),
            (
                Some("typescript"),
                "let a: import('b').C.D[][] = import('b').C;",
                "let a: import('b').C.D     = import('b').C;",
            ),
            (Some("typescript"), "export type * from 'a'; export type {B}", "export      * from 'a'; export type {B}"),
            (Some("c"), "int a = ba\\\nd\\\n(1); /\\\n/ x", "int a = bad\\\n\\\n(1); //\\\n x"),
            (Some("c"), "/* *\\\r\n/ #define A \\\n b", "/* */\\\r\n #define A \\\n b"),
            (Some("sql"), "/*!50100 DROP TABLE a */;", "         DROP TABLE a   ;"),
            (Some("json"), "{\"b\\u0061d\": \"b\\u0061d\"}", "{\"bad\"     : \"b\\u0061d\"}"),
            (Some("json"), "{\"\\u00e9\\u0022\": 1}", "{\"\\u00e9\\u0022\": 1}"),
            (Some("yaml"), "\"b\\x61d\": \"\\x61\"", "\"bad\"   : \"\\x61\""),
            (Some("toml"), "[a.\"b\\u0061d\"]\n", "[a.\"bad\"     ]\n"),
            (Some("bash"), "b\\ad \"b\\ad\" --f''a", "bad  \"b\\ad\" --fa  "),
            (Some("bash"), "$'b\\x61d' x; ba\\\nd y", "bad       x; bad\\\n y"),
            (Some("bash"), "a x\n\\bad y", "a x\nbad  y"),
            (Some("bash"), "f() {\nA=b C=d\n\nif e; then g; fi\n}", "f() {\nA=b;C=d\n\nif e; then g; fi\n}"),
            (Some("bash"), "A=b \\\n C=$d >e # f\ng h", "A=b \\\n;C=$d;>e # f\ng h"),
            (Some("bash"), "A=b \\\nC=d\ng h", "A=b ;\nC=d\ng h"),
            (Some("bash"), "A=\"b\nc\" C=d\nE=f G=h i j", "A=\"b\nc\";C=d\nE=f G=h i j"),
            (Some("bash"), "A=b C=d e f; A=b C=d", "A=b C=d e f; A=b C=d"),
        ];
        for (language, text, expected) in cases {
            let language = language.and_then(Language::by_name);
            let plain = translated(text.as_bytes(), language);
            assert_eq!(String::from_utf8_lossy(&plain), *expected, "{text:?}");
            assert_eq!(plain.len(), text.len());
        }
    }
}
