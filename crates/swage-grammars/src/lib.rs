//! Grammars whose scanners may have to remember more than a parser has room for, kept within bounds.
//!
//! A grammar may bring a scanner of its own, written in C. After each token it writes what it remembers into a buffer of
//! 1,024 bytes, and reads it back when the parser returns there. Three of them get that wrong: those of Python and YAML look
//! whether there is room and then write past it, once enough is open, and that of Ruby writes the length of a word in one
//! byte and finds later that the sizes don't agree. All three end the whole program then. Files of a few hundred
//! bytes are enough, so a proposed change could stop the program that reviews it. The others see that there is no room, and write
//! nothing or a part.
//!
//! What they write is taken into a larger buffer here, and handed on as far as it can be read back. What is open beyond that is
//! forgotten, so that the text may be read as another one: [`forgot`] says so. The tables of the grammars are used as they are.
//! The memory that parsers ask for is counted, as the measure of what they do, see [`allocations`].
//! This is the one place of the workspace with unsafe code, since scanners and allocators are called by pointers.
#![expect(unsafe_code, reason = "scanners and allocators are functions of C, which are called by pointers")]
#![cfg_attr(
    not(any(
        feature = "bash",
        feature = "csharp",
        feature = "html",
        feature = "php",
        feature = "python",
        feature = "ruby",
        feature = "scala",
        feature = "yaml"
    )),
    allow(dead_code, unused_imports, reason = "none of these grammars is wanted")
)]

mod counted;

use std::cell::Cell;
use std::ffi::{c_char, c_uint, c_void};
use std::mem::MaybeUninit;
use std::ptr;
use std::sync::OnceLock;

use tree_sitter_language::LanguageFn;

pub use self::counted::allocations;

/// How much a parser has room for (`TREE_SITTER_SERIALIZATION_BUFFER_SIZE` in the headers of grammars).
const ROOM: usize = 1024;

/// How much is taken from a scanner: each ends within a few bytes of [`ROOM`].
const TAKEN: usize = 4096;

/// The first version of the table that has more than what is described here.
const WITH_METADATA: u32 = 15;

type Serialize = unsafe extern "C" fn(*mut c_void, *mut c_char) -> c_uint;

/// A grammar's own scanner, as the headers of grammars have it.
#[repr(C)]
#[derive(Clone, Copy)]
struct ExternalScanner {
    states: *const bool,
    symbol_map: *const u16,
    create: *const c_void,
    destroy: *const c_void,
    scan: *const c_void,
    serialize: Option<Serialize>,
    deserialize: *const c_void,
}

/// A grammar's table up to its scanner, as the headers of grammars have it in versions 14 and 15.
#[repr(C)]
#[derive(Clone, Copy)]
struct Table {
    version: u32,
    counts: [u32; 8],
    longest_alias_sequence: u16,
    tables: [*const c_void; 13],
    lex: *const c_void,
    lex_keyword: *const c_void,
    keyword_token: u16,
    scanner: ExternalScanner,
    primary_states: *const c_void,
}

/// What version 15 has after that.
#[repr(C)]
#[derive(Clone, Copy)]
struct Metadata {
    name: *const c_char,
    reserved_words: *const u16,
    longest_reserved_words: u16,
    supertype_count: u32,
    supertypes: [*const c_void; 3],
    version: [u8; 3],
}

/// A table with room for both.
#[repr(C)]
struct Copied {
    table: Table,
    metadata: Metadata,
}

/// A copy that lives as long as the program, with another function to write what the scanner remembers.
struct Bounded {
    language: *const (),
    write: Serialize,
}

// SAFETY: nothing is changed once it is made, and grammars are made for use by many threads.
unsafe impl Send for Bounded {}
// SAFETY: as above.
unsafe impl Sync for Bounded {}

impl Bounded {
    /// Copies the table of a grammar; `None` when it has no scanner or is of another version than is known here.
    fn of(grammar: LanguageFn, write: Serialize) -> Option<Self> {
        // SAFETY: the function of a grammar takes nothing and gives its table, which lives as long as the program.
        let original = unsafe { grammar.into_raw()() };
        // SAFETY: tables of all versions begin with their version.
        let version = unsafe { original.cast::<u32>().read() };
        if !(14..=WITH_METADATA).contains(&version) {
            return None;
        }
        // SAFETY: tables of these versions begin with these fields.
        let table = unsafe { original.cast::<Table>().read() };
        // Older tables end before it, and nobody asks them.
        let metadata = if version >= WITH_METADATA {
            // SAFETY: tables of this version have all of these fields.
            unsafe { ptr::addr_of!((*original.cast::<Copied>()).metadata).read() }
        } else {
            // SAFETY: pointers and numbers may all be zero.
            unsafe { MaybeUninit::zeroed().assume_init() }
        };
        let own = table.scanner.serialize?;
        let scanner = ExternalScanner { serialize: Some(write), ..table.scanner };
        let copied = Box::leak(Box::new(Copied { table: Table { scanner, ..table }, metadata }));
        Some(Self { language: ptr::from_ref(copied).cast(), write: own })
    }
}

thread_local! {
    /// Whether something that was open had to be forgotten.
    static FORGOT: Cell<bool> = const { Cell::new(false) };
}

/// Whether a scanner had more open at one place than a parser has room for, since this was last asked in this thread. What
/// was parsed then can't be relied on.
pub fn forgot() -> bool {
    FORGOT.take()
}

/// A buffer that is aligned for all numbers that scanners write.
#[repr(align(8))]
struct Buffer(MaybeUninit<[c_char; TAKEN]>);

/// Lets a scanner write what it remembers, and hands on as much as `fits`.
///
/// # Safety
/// `write` and `scanner` belong together, and `buffer` has [`ROOM`].
unsafe fn hand_on(write: Serialize, scanner: *mut c_void, buffer: *mut c_char, fits: fn(&mut [u8]) -> usize) -> c_uint {
    let mut taken = Buffer(MaybeUninit::uninit());
    let start = taken.0.as_mut_ptr().cast::<c_char>();
    // SAFETY: the caller's promise; scanners write a few bytes more than `ROOM` at most.
    let length = unsafe { write(scanner, start) } as usize;
    // SAFETY: the scanner has written this many bytes.
    let written = unsafe { std::slice::from_raw_parts_mut(start.cast::<u8>(), length.min(TAKEN)) };
    // Each of them writes something, so one that writes nothing has seen that there is no room.
    let needed = written.len().max(1);
    let length = fits(written).min(ROOM);
    if length < needed {
        FORGOT.set(true);
    }
    // SAFETY: both have this many bytes, and one is new here.
    unsafe { ptr::copy_nonoverlapping(start, buffer, length) };
    length as c_uint
}

/// A grammar under the name of its language, with its scanner kept within bounds.
macro_rules! bounded {
    ($feature:literal, $module:ident, $name:ident, $grammar:path, $fits:path) => {
        #[cfg(feature = $feature)]
        mod $module {
            use super::*;

            static BOUNDED: OnceLock<Option<Bounded>> = OnceLock::new();

            fn get() -> Option<&'static Bounded> {
                BOUNDED.get_or_init(|| Bounded::of($grammar, serialize)).as_ref()
            }

            unsafe extern "C" fn serialize(scanner: *mut c_void, buffer: *mut c_char) -> c_uint {
                // Only the copy of a table calls it, so there is one.
                let Some(bounded) = get() else { return 0 };
                // SAFETY: the parser calls it with its own buffer and a scanner of this grammar.
                unsafe { hand_on(bounded.write, scanner, buffer, $fits) }
            }

            pub(super) unsafe extern "C" fn language() -> *const () {
                // SAFETY: as `Bounded::of` says.
                get().map_or_else(|| unsafe { $grammar.into_raw()() }, |bounded| bounded.language)
            }
        }

        #[doc = concat!("The grammar of ", stringify!($name), ".")]
        #[cfg(feature = $feature)]
        // SAFETY: it gives a table that lives as long as the program.
        pub const $name: LanguageFn = unsafe { LanguageFn::from_raw($module::language) };
    };
}

bounded!("bash", bash, BASH, tree_sitter_bash::LANGUAGE, fits_all);
bounded!("csharp", csharp, CSHARP, tree_sitter_c_sharp::LANGUAGE, fits_all);
bounded!("html", html, HTML, tree_sitter_html::LANGUAGE, fits_html);
bounded!("php", php, PHP, tree_sitter_php::LANGUAGE_PHP, fits_all);
bounded!("scala", scala, SCALA, tree_sitter_scala::LANGUAGE, fits_all);
bounded!("python", python, PYTHON, tree_sitter_python::LANGUAGE, fits_python);
bounded!("ruby", ruby, RUBY, tree_sitter_ruby::LANGUAGE, fits_ruby);
bounded!("yaml", yaml, YAML, tree_sitter_yaml::LANGUAGE, fits_yaml);

/// As much as there is room for, without half of an entry at the end.
#[cfg(any(feature = "python", feature = "yaml"))]
fn in_room(written: &[u8], head: usize, entry: usize) -> usize {
    if written.len() <= ROOM { written.len() } else { ROOM - (ROOM - head) % entry }
}

/// A scanner that writes everything or, where there is no room for it, nothing.
#[cfg(any(feature = "bash", feature = "csharp", feature = "php", feature = "scala"))]
fn fits_all(written: &mut [u8]) -> usize {
    written.len()
}

/// HTML's scanner writes for how many elements there was room, and how many are open, two bytes each.
#[cfg(feature = "html")]
fn fits_html(written: &mut [u8]) -> usize {
    if let Some(([a, b, c, d], _)) = written.split_first_chunk()
        && [a, b] != [c, d]
    {
        FORGOT.set(true);
    }
    written.len()
}

/// Python's scanner writes two bytes, the delimiters of strings that are open, and two bytes for each indentation.
#[cfg(feature = "python")]
fn fits_python(written: &mut [u8]) -> usize {
    in_room(written, 2 + usize::from(written.get(1).copied().unwrap_or(0)), 2)
}

/// YAML's scanner writes five numbers of two bytes, and two more for each collection that is open. The first four are the
/// row and column where the last token ends and those of the token that may begin a collection. It asks only whether
/// rows are the same and columns further right, so they are made small here: in a long file rows would turn negative,
/// and a line would be no longer a new one.
#[cfg(feature = "yaml")]
fn fits_yaml(written: &mut [u8]) -> usize {
    if let Some((numbers, _)) = written.split_first_chunk_mut::<8>() {
        let read = |at: usize| i16::from_ne_bytes([numbers[at], numbers[at + 1]]);
        let (row, column, first_row, first_column) = (read(0), read(2), read(4), read(6));
        let first_row = if first_row == row { 0 } else { -1 };
        // Right of all that indentation can be.
        const FAR: i16 = i16::MAX / 2;
        let column = if (0..FAR).contains(&column) { column } else { FAR };
        let made = [0, column, first_row, first_column].map(i16::to_ne_bytes);
        numbers.copy_from_slice(made.as_flattened());
    }
    in_room(written, 10, 4)
}

/// Ruby's scanner writes how many literals are open, five bytes for each, how many here-documents are, and four bytes and a word
/// for each. The length of a word has one byte, so that a longer one can't be read back: nothing is remembered then.
#[cfg(feature = "ruby")]
fn fits_ruby(written: &mut [u8]) -> usize {
    let read = || {
        let documents = 1 + 5 * usize::from(*written.first()?);
        let mut at = documents + 1;
        for _ in 0..*written.get(documents)? {
            at += 4 + usize::from(*written.get(at + 3)?);
        }
        Some(at)
    };
    if written.len() <= ROOM && read() == Some(written.len()) { written.len() } else { 0 }
}

#[cfg(test)]
mod tests {
    use tree_sitter::{Language, Parser, Tree};

    use super::*;

    fn parse(grammar: LanguageFn, text: &str) -> Tree {
        let mut parser = Parser::new();
        parser.set_language(&Language::from(grammar)).expect("the version is known");
        parser.parse(text, None).expect("nothing stops it")
    }

    #[test]
    #[cfg(feature = "yaml")]
    fn collections_may_nest_deeper_than_the_scanner_remembers() {
        for depth in [1, 100, 252, 253, 254, 300, 2000] {
            let tree = parse(YAML, &format!("a: {}1{}\n", "[".repeat(depth), "]".repeat(depth)));
            assert!(depth > 250 || !tree.root_node().has_error(), "{depth}");
            let blocks: String = (0..depth).map(|n| format!("{}a:\n", " ".repeat(n))).collect();
            parse(YAML, &blocks);
        }
    }

    #[test]
    #[cfg(feature = "yaml")]
    fn a_file_may_have_more_lines_than_the_scanner_counts() {
        let last = [32_767, 65_535, 98_303, 131_071];
        let line =
            |n: usize| if last.contains(&n) { "  - a: 1 # a\n    b: |\n      c\n" } else { "  - a: [1,\n     2]\n" };
        let text: String = std::iter::once("a:\n").chain((0..140_000).map(line)).collect();
        let tree = parse(YAML, &text);
        assert!(!tree.root_node().has_error());
        // Long tokens with others after them.
        for length in [16_000, 33_000, 65_528, 65_536, 70_000] {
            let text = format!("a:\n  b: \"{}\" # c\n  d: [\"{0}\", {{e: 1}}]\n", "x".repeat(length));
            assert!(!parse(YAML, &text).root_node().has_error(), "{length}");
        }
    }

    #[test]
    #[cfg(feature = "python")]
    fn blocks_may_nest_deeper_than_the_scanner_remembers() {
        for depth in [1, 100, 509, 510, 511, 512, 600] {
            for inside in ["pass", "f\"{a}\"", "f'''{f\"{a}\"}'''"] {
                let heads: String = (0..depth).map(|n| format!("{}if a:\n", " ".repeat(n))).collect();
                let tree = parse(PYTHON, &format!("{heads}{}{inside}\n", " ".repeat(depth)));
                assert!(depth > 500 || !tree.root_node().has_error(), "{depth} {inside}");
            }
        }
    }

    #[test]
    #[cfg(feature = "ruby")]
    fn words_may_be_longer_than_the_scanner_remembers() {
        for length in [1, 200, 255, 256, 300, 600, 1011, 1012, 1013, 1014, 1015, 1016, 1017, 1018, 3000] {
            let word = "A".repeat(length);
            let tree = parse(RUBY, &format!("a(<<{word})\nx\n{word}\n"));
            assert!(length > 255 || !tree.root_node().has_error(), "{length}");
        }
        for count in 1..300 {
            let words: Vec<String> = (0..count).map(|n| format!("<<A{n}")).collect();
            parse(RUBY, &format!("a({})\n", words.join(", ")));
            parse(RUBY, &format!("{}a\n", "\"#{".repeat(count)));
        }
        // Four of 249 letters and one more fill the room to the last byte, and past it.
        for last in 1..40 {
            let words = [249, 249, 249, 229, last].map(|n| format!("<<{}", "A".repeat(n)));
            parse(RUBY, &format!("a({})\n", words.join(", ")));
        }
    }
}
