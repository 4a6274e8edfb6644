//! What a language's own file says of it.

/// A portable class of nodes, for holes and filters.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Hash)]
pub enum Class {
    /// A function, method, closure or constructor.
    Function,
    /// A class, interface, struct, enum, trait or implementation block.
    Class,
    /// A call or the making of an object.
    Call,
    /// A declared parameter.
    Parameter,
    /// Any loop.
    Loop,
    /// Any branch: if, switch or match, a conditional expression.
    Branch,
    /// An import, use or package clause.
    Import,
    /// A string, template or character literal.
    String,
    /// A list, tuple, map or other value that is written out with what is in it.
    Collection,
    /// A number literal.
    Number,
    /// A name of any kind.
    Name,
    /// A comment.
    Comment,
    /// A block of statements.
    Block,
}

impl Class {
    /// The classes with the words that rules use for them.
    pub const ALL: [(&'static str, Class); 13] = [
        ("function", Class::Function),
        ("class", Class::Class),
        ("call", Class::Call),
        ("parameter", Class::Parameter),
        ("loop", Class::Loop),
        ("branch", Class::Branch),
        ("import", Class::Import),
        ("string", Class::String),
        ("collection", Class::Collection),
        ("number", Class::Number),
        ("name", Class::Name),
        ("comment", Class::Comment),
        ("block", Class::Block),
    ];

    /// The class that a rule names.
    pub fn from_word(word: &str) -> Option<Self> {
        Self::ALL.iter().find(|(name, _)| *name == word).map(|(_, class)| *class)
    }
}

/// What a language's grammar and files look like.
pub struct Spec {
    /// The name that rules use, in lower case.
    pub name: &'static str,
    /// The tree-sitter grammar.
    pub(crate) grammar: fn() -> tree_sitter::Language,
    /// File extensions without the dot.
    pub extensions: &'static [&'static str],
    /// Whole file names.
    pub file_names: &'static [&'static str],
    /// Interpreters of a `#!` line, without version.
    pub interpreters: &'static [&'static str],
    /// Beginnings of files that show the language where the name doesn't.
    pub first_lines: &'static [&'static str],
    /// Node kinds of each class.
    pub(crate) classes: &'static [(Class, &'static [&'static str])],
    /// Of the branches, those that are parts of one beside each other: an `elif`, a handler.
    pub(crate) parts: &'static [&'static str],
    /// Of the branches, those that are cases of one choice by a value.
    pub(crate) cases: &'static [&'static str],
    /// Text around a pattern that makes it a whole file, tried in order.
    pub wrappers: &'static [(&'static str, &'static str)],
    /// The same around what is part of statements, members and cases: parameters, arguments, attributes, types. They are
    /// tried when the others don't show what a pattern is.
    pub part_wrappers: &'static [(&'static str, &'static str)],
    /// In how many of the `wrappers` a comment is tried as code. Statements alone take one; members of a class take more, and where
    /// prose is tried in four, that costs a fifth of parsing the file (Python).
    pub comment_wrappers: usize,
    /// Whether something else is written like a call: what a class extends, the making of an array, a test in the shell.
    pub(crate) others_look_like_calls: bool,
    /// What to write for a hole, in which HOLE is its name and NUMBER a number of its own, where a name alone doesn't parse.
    pub(crate) stand_ins: &'static [&'static str],
    /// Whether the paths through its statements are known, see `scan/paths.rs`.
    pub(crate) has_known_paths: bool,
    /// Whether a hole may be a part of a word: in the shell, `--port=X` is one word.
    pub(crate) words_have_parts: bool,
    /// Whether the grammar reads a call with type arguments and one argument, `f<T>(a)`, as two comparisons.
    pub(crate) reads_generic_calls_as_comparisons: bool,
    /// What to write, too, for a hole that is first in the head of a `for` with three parts, so that it takes a
    /// declaration.
    pub(crate) for_declaration: Option<&'static str>,
    /// Children that a person may leave out and a pattern needn't write: types, modifiers, decorators, `async`. Kinds of
    /// nodes, signs and words.
    pub(crate) optional: &'static [&'static str],
    /// Fields of such children.
    pub(crate) optional_fields: &'static [&'static str],
    /// Such children of nodes of one kind only: the kind of the node and that of the child.
    pub(crate) optional_in: &'static [(&'static str, &'static str)],
    /// Nodes that are where a part of them alone may be and mean the same: parentheses, a name with its type.
    pub(crate) wraps: &'static [(&'static str, Inner)],
    /// What the grammar binds tighter than the language does: the kind of a node, and that of an operation which it takes for
    /// the node's first child though only its last operand is, as `(!f)(a)` for `!f(a)`.
    pub(crate) bound_too_tight: &'static [(&'static str, &'static str)],
    /// What a node or sign of a pattern takes in addition to its own kind: `a?.b` for `a.b`.
    pub(crate) also: &'static [(&'static str, &'static str)],
    /// Nodes whose children count as those of the node around them.
    pub(crate) flattened: &'static [&'static str],
    /// Whether a string in brackets names a member: `a["b"]` is `a.b`.
    pub(crate) strings_name_members: bool,
    /// A name without what marks it as one: quotes, the sign before a keyword.
    pub(crate) plain_name: fn(&[u8]) -> &[u8],
    /// Whether names are the same in capitals, but for those in nodes of some kind.
    pub(crate) names_in_any_case: bool,
    /// The kinds of nodes in which names count as written all the same.
    pub(crate) exact_names_in: &'static [&'static str],
    /// Fields that hold the name of a definition or of what it is assigned to.
    pub name_fields: &'static [&'static str],
    /// Children of a function that hold its parameters, where the grammar has no field for them.
    pub(crate) parameter_lists: &'static [&'static str],
    /// Children of a parameter list that aren't parameters of their own, such as `self`.
    pub not_parameters: &'static [&'static str],
    /// Names of a first parameter that the language passes by itself, and lists that stand for none.
    pub implicit_parameters: &'static [&'static str],
    /// Whether its files are often templates, in which another language has gaps and comments of its own.
    pub is_often_a_template: bool,
    /// Line comment markers, longest first; the ones of documentation are in `doc_markers`.
    pub line_markers: &'static [&'static str],
    /// Beginnings of documentation comments, which may well hold code.
    pub doc_markers: &'static [&'static str],
    /// Node kinds that prose never parses to: the signs that a comment is code.
    pub code_signs: &'static [&'static str],
    /// Statements end in one of these, so that prose in a comment isn't taken for code; empty when a line end does.
    pub statement_ends: &'static [&'static str],
    /// How many names are side by side in code at most, not counting keywords.
    pub names_side_by_side: usize,
    /// Whether a CR without an LF after it ends a line, and so a comment.
    pub lone_cr_ends_lines: bool,
    /// What the language makes of a text before it looks for words in it, in this order.
    pub(crate) translations: &'static [Translation],
    /// Nodes that say nothing: the indentation of an outline.
    pub(crate) silent: &'static [&'static str],
    /// Signs that say nothing in nodes of one kind: the kind of the node and the sign.
    pub(crate) silent_in: &'static [(&'static str, &'static str)],
    /// How a function may be called otherwise than by its name and arguments.
    pub(crate) indirect: &'static [Indirect],
    /// Commands that run the command that they are given.
    pub(crate) starters: &'static [&'static str],
    /// Whether texts of several lines are the same however their lines are indented, as they are part of an outline.
    pub outline: bool,
    /// What gives a variable a value: the kind of the node, and the fields of the name and of the value.
    pub(crate) assignments: &'static [(&'static str, &'static str, &'static str)],
    /// How items are marked as there for tests only.
    pub(crate) test_mark: Option<TestMark>,
    /// Whether keywords may be written in capitals as well.
    pub keywords_in_any_case: bool,
    /// Whether the scanner knows which names a scope of the language defines.
    pub has_scopes: bool,
    /// Nodes that have a key, for paths of keys.
    pub(crate) keyed: &'static [Keyed],
    /// Whether an anchor marks what an alias stands for elsewhere.
    pub(crate) has_anchors: bool,
    /// Lists whose items have keys that should differ.
    pub(crate) listed: &'static [Listed],
    /// Parts that are code of another language.
    pub(crate) embedded: &'static [Embedded],
    /// What has tokens that the grammar leaves as they are: the kind of its node, what they are, and the kind of the child
    /// that holds them.
    pub(crate) macros: &'static [(&'static str, Tokens, &'static str)],
    /// Signs and words of which each node of a kind holds one, so that tokens of macros without them needn't be parsed.
    pub(crate) signs: &'static [(&'static str, &'static [&'static str])],
    /// Signs of which one is in each string that embeds code.
    pub(crate) embedding_signs: [u8; 3],
    /// How deep a text nests at most, found without parsing it: for grammars whose own scanner remembers everything
    /// that is open at each step, so that depth costs more than length.
    pub(crate) depth: Option<fn(&[u8]) -> usize>,
    /// Why the grammar may read a text otherwise than the language does, where no error shows it.
    pub(crate) misread: fn(&[u8], &tree_sitter::Tree) -> Option<String>,
}

/// Which part of a node may stand for it.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub(crate) enum Inner {
    /// The child with a name of its own, when there is one such child only.
    Only,
    /// The first such child.
    First,
    /// The last such child.
    Last,
    /// The first such child, when this sign comes after it.
    Before(&'static str),
}

/// A way to call a function otherwise than by its name and arguments.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub(crate) enum Indirect {
    /// The last part of a node of this kind is called: `(*f)(a)`.
    Through(&'static str),
    /// A text is called that names it: `'f'(a)`.
    Text,
    /// A member is called that is asked for by a text: `getattr(o, 'f')(a)`.
    Member,
    /// A method of it with this name calls it: `f.call(this, a)`.
    Method(&'static str, Arguments),
    /// A method of it with this name gives the same with its first arguments: `f.bind(this)(a)`.
    Bound(&'static str),
    /// A node of this kind comes after it in place of arguments, and is the only one: f`a`.
    Tag(&'static str),
    /// The grammar takes it with its types for something else, and with one argument for a conversion: `f[int](a)`. The kinds
    /// of the whole and of the name with its types.
    Generic(&'static str, &'static str),
    /// A function with this name is given it as the first argument: `Reflect.apply(f, this, [a])`.
    Given(&'static str, Arguments),
    /// A function with this name is given its name as the first argument: `send(:f, a)`.
    Named(&'static str, Arguments),
}

/// Which arguments of a call are passed on to what it calls.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub(crate) enum Arguments {
    /// All after this many.
    After(usize),
    /// Those in a list, which comes after this many.
    InListAfter(usize),
}

/// What marks an item as there for tests only.
#[derive(Clone, Copy)]
pub(crate) enum TestMark {
    /// A node before it: its kind, and whether its text says so.
    Before(&'static str, fn(&[u8]) -> bool),
    /// A function's name begins with this.
    Name(&'static str),
}

/// A step in which a language translates a text.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub(crate) enum Translation {
    /// Further characters end lines: U+0085, U+2028 and U+2029.
    UnicodeLineEnds,
    /// Escapes such as `\u000a` end lines, also in comments.
    EscapedLineEnds,
    /// Escapes such as `\u0041` are characters wherever they are.
    EscapesAnywhere,
    /// Escapes such as `\62 ` and `\z` are characters wherever they are (CSS Syntax Module Level 3, section 4.3.7).
    StyleEscapes,
    /// A backslash before a line's end joins the lines, wherever blanks may be.
    SplicedLines(Blanks),
    /// Assignments and redirections alone on a line are a command, which ends with the line.
    CommandsOfAssignments,
    /// A backslash before a backtick begins and ends a command in a command.
    NestedCommands,
    /// A backslash before a CR joins nothing.
    KeptLineEnds,
    /// Macros that the file defines as nothing say nothing.
    EmptyMacros,
    /// The text of some directives holds no comments.
    TextOfDirectives,
    /// Doubled braces in a string stand for one, also before a hole.
    DoubledBraces,
    /// `/*!` and `*/` are around code that runs.
    ExecutableComments,
    /// Names may be written with escapes.
    EscapedNames,
    /// Characters that nobody sees don't count in names.
    IgnorableCharacters,
    /// Names are the same whose compatibility composition is (Unicode Standard Annex 15, form NFKC).
    CompatibleNames,
    /// Quotes and backslashes in words are removed.
    QuotedWords,
    /// An annotation before the `...` of a parameter says nothing, since the grammar doesn't know it there.
    AnnotatedVarargs,
    /// Ampersands in the text of JSX begin no character reference where a blank follows.
    TextAmpersands,
    /// Attributes of JSX may be called like keywords: `<CSSTransition in={there}>`.
    KeywordsAsAttributes,
    /// Types are before a template.
    TypesOfTemplates,
    /// `export type *` exports types.
    TypeOfExports,
    /// A call may have the type of a module as its type: `f<typeof import('./b')>()`.
    TypesOfModules,
    /// What is asked of a module may come after `assert`, as it did before it came after `with`.
    AssertedAttributes,
    /// Lists of an imported type are types: `import('./b').C[]`.
    ListsOfImportedTypes,
    /// Type parameters have defaults.
    TypeDefaults,
    /// Elements of lists without parentheses have stars before them.
    StarsOfLists,
    /// Comments between brackets may be farther out than the statement.
    OutdentedCommentsInBrackets,
    /// Comments between a decorator and a definition may be farther out than both.
    OutdentedComments,
    /// What is in comments and in some elements of a page is text, and ends where browsers let it end.
    PlainTexts,
}

/// Where blanks may be between a backslash and the line's end.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub(crate) enum Blanks {
    /// Between the two.
    Between,
    /// Nowhere: after it they are what it escapes.
    Nowhere,
}

/// What is side by side in a list.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub(crate) enum Items {
    /// Entries of a table of keys and values.
    Entries,
    /// Attributes of a tag.
    Attributes,
    /// Cases of a choice.
    Cases,
}

/// A list whose items have keys.
pub(crate) struct Listed {
    /// What its items are.
    pub items: Items,
    /// The kind of the list.
    pub list: &'static str,
    /// Its items, with their keys.
    pub item: Keyed,
}

impl Listed {
    /// A list of items, by their kinds and the field of the key.
    pub(crate) const fn new(items: Items, list: &'static str, item: &'static str, key: &'static str) -> Self {
        Self { items, list, item: Keyed { node: item, key } }
    }
}

/// A node that has a key.
pub(crate) struct Keyed {
    /// Its kind.
    pub node: &'static str,
    /// The field, or else the kind, of the child that is the key.
    pub key: &'static str,
}

impl Keyed {
    /// The child of such a node that is its key: a field, a child of a kind, or the first child.
    pub fn key_of<'t>(&self, node: tree_sitter::Node<'t>) -> Option<tree_sitter::Node<'t>> {
        if self.key.is_empty() {
            let mut cursor = node.walk();
            return node.named_children(&mut cursor).find(|child| !child.is_extra() || child.is_error());
        }
        // A cursor, since a node may have a hundred thousand children and each is counted from the first.
        let mut cursor = node.walk();
        let by_kind = || node.named_children(&mut cursor).find(|child| child.kind() == self.key);
        node.child_by_field_name(self.key).or_else(by_kind)
    }
}

/// What the tokens of a macro are.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub(crate) enum Tokens {
    /// What it is given.
    Arguments,
    /// What it becomes.
    Body,
}

/// A kind of node that holds code of another language.
pub(crate) struct Embedded {
    /// The kind of the node around it.
    pub around: &'static str,
    /// The kind of its child that is the code.
    pub code: &'static str,
    /// Which language it is.
    pub language: CodeLanguage,
}

/// How the language of embedded code is recognised.
pub(crate) enum CodeLanguage {
    /// It is this one between backticks, where the node that says when the text ends has no quotes.
    Substituted(&'static str),
    /// The nodes of the code's kind are a page between the code, and it is what the scripts and styles of that page are.
    InPage(&'static str),
    /// By the text of the first node of this kind.
    NamedBy(&'static str),
    /// It is always this one.
    Always(&'static str),
    /// It is JavaScript in attributes that handle events and in addresses that are scripts, and HTML in pages of frames.
    InAttribute,
}

impl Spec {
    /// What a language has when its file doesn't say otherwise.
    pub(crate) const PLAIN: Spec = Spec {
        name: "",
        grammar: || unreachable!(),
        extensions: &[],
        file_names: &[],
        interpreters: &[],
        first_lines: &[],
        classes: &[],
        parts: &[],
        cases: &[],
        wrappers: &[("", "")],
        comment_wrappers: 4,
        part_wrappers: &[],
        others_look_like_calls: false,
        stand_ins: &[],
        has_known_paths: false,
        words_have_parts: false,
        reads_generic_calls_as_comparisons: false,
        for_declaration: None,
        optional: &[],
        optional_fields: &[],
        optional_in: &[],
        wraps: &[],
        bound_too_tight: &[],
        also: &[],
        flattened: &[],
        strings_name_members: false,
        plain_name: |name| name,
        names_in_any_case: false,
        exact_names_in: &[],
        name_fields: &["name"],
        parameter_lists: &[],
        not_parameters: &[],
        implicit_parameters: &[],
        is_often_a_template: false,
        line_markers: &[],
        doc_markers: &[],
        code_signs: &[],
        statement_ends: &[],
        names_side_by_side: 2,
        lone_cr_ends_lines: true,
        translations: &[],
        silent: &[],
        silent_in: &[],
        outline: false,
        assignments: &[],
        test_mark: None,
        keywords_in_any_case: false,
        has_scopes: false,
        keyed: &[],
        has_anchors: false,
        listed: &[],
        indirect: &[],
        starters: &[],
        embedded: &[],
        embedding_signs: *b"{{{",
        macros: &[],
        signs: &[],
        depth: None,
        misread: |_, _| None,
    };
}
