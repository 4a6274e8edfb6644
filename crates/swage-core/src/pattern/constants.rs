//! Whether what an expression gives is the same in each run.
//!
//! An expression is constant when it consists of literals, of the program's own path, and of names that the file gives
//! nothing but constants: what is put together of `"berths"` and of a name that was given `"quay_" + SUFFIX` can't hold
//! what a user typed. A name that is anything else as well, such as a parameter, a loop's name or an import, isn't. Scopes
//! aren't distinguished: two variables of one name are taken for one, which makes fewer names constant and never more.

use std::cell::{Cell, OnceCell, RefCell};
use std::ops::Range;

use foldhash::HashMap;
use tree_sitter::Node;

use super::{Children, Expression};
use crate::lang::{Class, Language};

/// How deep expressions are followed, with those that names in them are given. Deeper ones aren't constant.
const DEEPEST: u32 = 256;

/// What has the same value whenever its parts have, by what the kinds of such nodes have in their names. Lists aren't among them:
/// what a name is given may be put into later.
const COMPOSED: [&str; 12] = [
    "string",
    "template",
    "binary",
    "operator",
    "parenthes",
    "interpolat",
    "substitution",
    "concatenat",
    "tuple",
    "conditional",
    "ternary",
    "argument",
];

/// Methods and functions that only put texts together, or paths.
const TEXT_FUNCTIONS: [&str; 17] = [
    "format",
    "join",
    "concat",
    "Sprintf",
    "sprintf",
    "strip",
    "trim",
    "lower",
    "toLowerCase",
    "replace",
    "Join",
    "abspath",
    "dirname",
    "expanduser",
    "normpath",
    "realpath",
    "resolve",
];

/// What such functions belong to where it isn't a text.
const TEXT_MODULES: [&str; 6] = ["fmt", "String", "string", "os.path", "path", "filepath"];

/// Where the program itself is, and what runs it: whoever started it chose them.
const OWN_PATHS: [&str; 5] = ["__file__", "__dirname", "__filename", "sys.executable", "process.execPath"];

/// Fields under which a node binds a name.
const BINDING_FIELDS: [&str; 8] =
    ["left", "name", "alias", "pattern", "declarator", "parameter", "parameters", "variable"];

/// Kinds of operations that give nothing a value, by what is in their names.
const OPERATIONS: [&str; 2] = ["binary", "boolean"];

/// Kinds of nodes that bind the names in them, or change what those have, by what is in their names.
const BINDING_KINDS: [&str; 5] = ["parameter", "pattern", "import", "dotted_name", "update"];

/// How many values are looked at in a file: each is looked for from the root. Those of further names aren't constant.
const MOST_VALUES: u32 = 4096;

/// The kind of the names of variables, in all languages in which they are followed.
const VARIABLE: &str = "identifier";

/// What each name is given, by the range of the value; `None` where it may be anything.
type Given = HashMap<Vec<u8>, Vec<Option<Range<usize>>>>;

/// A name, with the expression that says what escapes.
type Asked = (Option<String>, Vec<u8>);

/// The names that a file gives values, read when they are first asked for.
pub(crate) struct Constants<'t> {
    root: Node<'t>,
    source: &'t [u8],
    language: &'static Language,
    given: OnceCell<Given>,
    /// Whether names are constant, by the expression that says what escapes, each asked for once: a name may be given
    /// thousands of values, and are in thousands of places.
    known: RefCell<HashMap<Asked, bool>>,
    /// How many values may still be looked at.
    left: Cell<u32>,
}

impl<'t> Constants<'t> {
    pub fn of(root: Node<'t>, source: &'t [u8], language: &'static Language) -> Self {
        Self { root, source, language, given: OnceCell::new(), known: RefCell::default(), left: Cell::new(MOST_VALUES) }
    }

    /// Whether an expression is constant. Calls of functions whose names `escaped_by` matches count as such.
    pub fn is_constant(&self, expression: Node<'_>, escaped_by: Option<&Expression>) -> bool {
        self.holds(expression, escaped_by, DEEPEST)
    }

    fn holds(&self, node: Node<'_>, escaped_by: Option<&Expression>, deeper: u32) -> bool {
        let Some(deeper) = deeper.checked_sub(1) else { return false };
        let (kind, tables) = (node.kind(), self.language.tables());
        let is_named = |path: &&str| path.as_bytes() == self.text(node);
        if OWN_PATHS.iter().any(is_named) {
            return true;
        }
        if kind == VARIABLE {
            return self.is_given_constants(node, escaped_by, deeper);
        }
        if tables.is(node.kind_id(), Class::Call) {
            return self.is_constant_call(node, escaped_by, deeper);
        }
        let mut cursor = node.walk();
        let mut parts = node.named_children(&mut cursor).filter(|n| !tables.is(n.kind_id(), Class::Comment)).peekable();
        // A literal is the same, and so is a keyword such as `None`.
        if parts.peek().is_none() {
            return !tables.is(node.kind_id(), Class::Name);
        }
        COMPOSED.iter().any(|composed| kind.contains(composed))
            && parts.all(|part| self.holds(part, escaped_by, deeper))
    }

    /// Whether a name is given constants, and nothing else.
    fn is_given_constants(&self, name: Node<'_>, escaped_by: Option<&Expression>, deeper: u32) -> bool {
        let key = (escaped_by.map(|regex| regex.as_str().to_owned()), self.text(name).to_owned());
        if let Some(known) = self.known.borrow().get(&key) {
            return *known;
        }
        // What it is given may be made of itself, which says nothing.
        self.known.borrow_mut().insert(key.clone(), false);
        let given = self.given.get_or_init(|| self.read()).get(&key.1);
        let is_constant = given.is_some_and(|values| {
            values.iter().all(|value| {
                let Some(left) = self.left.get().checked_sub(1) else { return false };
                self.left.set(left);
                let value = value.as_ref().and_then(|at| self.root.named_descendant_for_byte_range(at.start, at.end));
                value.is_some_and(|value| self.holds(value, escaped_by, deeper))
            })
        });
        self.known.borrow_mut().insert(key, is_constant);
        is_constant
    }

    /// Whether a call puts constants together, or is one of those that escape.
    fn is_constant_call(&self, call: Node<'_>, escaped_by: Option<&Expression>, deeper: u32) -> bool {
        let Some(arguments) = call.child_by_field_name("arguments") else { return false };
        let called = self.source.get(call.start_byte()..arguments.start_byte()).unwrap_or_default().trim_ascii();
        if escaped_by.is_some_and(|regex| regex.is_match(called)) {
            return true;
        }
        let Some(at) = memchr::memrchr(b'.', called) else { return false };
        let (owner, name) = (&called[..at], &called[at + 1..]);
        let owner_is_constant = || {
            let (start, end) = (call.start_byte(), call.start_byte() + owner.len());
            let owner = self.root.named_descendant_for_byte_range(start, end);
            owner.is_some_and(|owner| self.holds(owner, escaped_by, deeper))
        };
        TEXT_FUNCTIONS.iter().any(|function| function.as_bytes() == name)
            && (TEXT_MODULES.iter().any(|module| module.as_bytes() == owner) || owner_is_constant())
            && self.holds(arguments, escaped_by, deeper)
    }

    fn text(&self, node: Node<'_>) -> &[u8] {
        self.source.get(node.byte_range()).unwrap_or_default()
    }

    /// Goes through the file for all places where names are bound.
    fn read(&self) -> Given {
        let mut given = Given::default();
        let mut cursor = self.root.walk();
        // For each node around its kind, and whether it binds the names in it.
        let mut around: Vec<(&str, bool)> = Vec::new();
        // The name that the assignment gives something which was met last.
        let mut noted = None;
        loop {
            let node = cursor.node();
            let kind = node.kind();
            let (parent, in_target) = around.last().copied().unwrap_or_default();
            let binds = |field| {
                // Operations have a left side, too.
                BINDING_FIELDS.contains(&field) && !OPERATIONS.iter().any(|operation| parent.contains(operation))
            };
            let is_target = in_target
                || cursor.field_name().is_some_and(binds)
                || BINDING_KINDS.iter().any(|binding| kind.contains(binding))
                // The address of a variable is given away to be written to.
                || self.text(node).starts_with(b"&") && node.child_count() > 1;
            let is_variable = kind == VARIABLE && is_target && noted != Some(node.id());
            if is_variable || kind.ends_with("identifier_pattern") {
                given.entry(self.text(node).to_owned()).or_default().push(None);
            }
            if let Some((left, value)) = self.assignment(node) {
                noted = Some(left.id());
                given
                    .entry(self.text(left).to_owned())
                    .or_default()
                    .extend(value.map(|value| Some(value.byte_range())));
            }
            if cursor.goto_first_child() {
                // What is assigned is an expression, wherever the assignment is.
                let is_assignment = self.language.assignments.iter().any(|(assignment, ..)| *assignment == kind);
                around.push((kind, is_target && !is_assignment));
                continue;
            }
            while !cursor.goto_next_sibling() {
                if !cursor.goto_parent() {
                    return given;
                }
                around.pop();
            }
        }
    }

    /// The name and the value of an assignment to one name; without a value where it only declares.
    fn assignment<'n>(&self, node: Node<'n>) -> Option<(Node<'n>, Option<Node<'n>>)> {
        let (_, left, value) = self.language.assignments.iter().find(|(kind, _, _)| *kind == node.kind())?;
        // Lists of one name and one value, as in Go.
        let only = |node: Node<'n>| match node.kind() {
            "expression_list" => {
                let mut all = Children::code(node);
                all.next().filter(|_| all.next().is_none()).or(Some(node))
            }
            _ => Some(node),
        };
        let left = node.child_by_field_name(left).and_then(only).filter(|left| left.kind() == VARIABLE)?;
        Some((left, node.child_by_field_name(value).and_then(only)))
    }
}

#[cfg(test)]
mod tests {
    use regex::bytes::Regex;

    use super::*;
    use crate::lang::parse;

    // Long because it is a table.
    #[test]
    fn what_is_put_together_of_constants_is_constant() {
        // The expression is what is between the two signs, which are taken out.
        let cases = [
            ("python", "run(«\"a\"»)", true),
            ("python", "run(«load()»)", false),
            ("python", "A = 'a'\nrun(«A + 'b'»)", true),
            ("python", "A: str = 'a' if B else 'c'\nB = 1\nrun(«f'{A} b'»)", true),
            ("python", "a = 'a'\nq = '%s {}'.format(a)\nrun(«q % a»)", true),
            ("python", "a = ('a', 'b')\nrun(«', '.join(a)»)", true),
            ("python", "a = 'a'\na += b\nrun(«a»)", false),
            ("python", "a = 'a'\na.b = c\nrun(«a»)", false),
            ("python", "a = 'a'\ndef f(a):\n    run(«a»)", false),
            ("python", "a = 'a'\nfor a in b:\n    run(«a»)", false),
            ("python", "a = 'a'\na, b = c\nrun(«a»)", false),
            ("python", "a = 'a'\nwith b as a:\n    run(«a»)", false),
            ("python", "a = 'a'\nfrom b import a\nrun(«a»)", false),
            ("python", "a = 'a'\nb = [1 for a in c]\nrun(«a»)", false),
            ("python", "if (a := 'a'):\n    run(«a»)", true),
            ("python", "a = a\nrun(«a»)", false),
            ("python", "a = b\nb = a\nrun(«a»)", false),
            ("python", "a = ['a']\na.append(b)\nrun(«', '.join(a)»)", false),
            ("python", "run(«f'{a.b}'»)", false),
            ("python", "run(«f'{a}'»)", false),
            ("python", "a = quote(b)\nrun(«f'{a}'»)", true),
            ("python", "a = quote(b)\nc = a + b\nrun(«c»)", false),
            ("python", "D = os.path.dirname(os.path.abspath(__file__))\nrun(«f'{sys.executable} {D}'»)", true),
            ("python", "D = os.path.join(__file__, a)\nrun(«D»)", false),
            ("javascript", "const a = path.join(__dirname, 'a');\nrun(«`${process.execPath} ${a}`»);", true),
            ("javascript", "const a = path.join(__dirname, b);\nrun(«a»);", false),
            ("javascript", "const a = 'a';\nrun(«`${a} b`»);", true),
            ("javascript", "let a;\na = 'a';\nrun(«'b' + a»);", true),
            ("javascript", "let a = 'a';\na = b();\nrun(«a»);", false),
            ("javascript", "const a = 'a';\nc.map(a => run(«a»));", false),
            ("javascript", "const a = 'a';\nfor (const a of b) run(«a»);", false),
            ("javascript", "const a = 'a';\n{ const { a } = b; run(«a»); }", false),
            ("javascript", "const a = 'a';\ntry { c(); } catch (a) { run(«a»); }", false),
            ("typescript", "const a: string = 'a';\nfunction f(b: string) { run(«a + b»); }", false),
            ("tsx", "const a = 'a';\nexport const B = () => run(«`${a}`»);", true),
            ("java", "class A { static final String B = \"b\"; void c() { run(«\"d\" + B»); } }", true),
            ("java", "class A { String b = \"b\"; void c(String b) { run(«\"d\" + b»); } }", false),
            ("java", "class A { String b = \"b\"; void c() { for (String b : d) run(«b»); } }", false),
            ("go", "package a\n\nconst b = \"b\"\n\nfunc c() {\n\trun(«fmt.Sprintf(\"%s\", b)»)\n}\n", true),
            ("go", "package a\n\nfunc c() {\n\tb := \"b\"\n\tscan(&b)\n\trun(«b»)\n}\n", false),
            ("go", "package a\n\nfunc c() {\n\tb := \"b\"\n\tb, err := load()\n\trun(«b»)\n}\n", false),
            ("go", "package a\n\nfunc c() {\n\tb := \"b\"\n\tfor _, b := range d {\n\t\trun(«b»)\n\t}\n}\n", false),
            ("rust", "const A: &str = \"a\";\nfn f() { run(«A»); }", true),
            ("rust", "fn f(a: &str) { let a = a; run(«a»); }", false),
            // Nothing is known of variables there: texts may be changed in place, and arguments through calls.
            ("php", "<?php\n$a = 'a';\nrun(«\"b $a\"»);", false),
            ("ruby", "a = 'a'\na << b\nrun(«\"#{a} b\"»)", false),
            ("bash", "DIR=/quay\nrm -r «\"$DIR/a\"»", false),
            ("kotlin", "val a = \"a\"\nfun f() { run(«a») }", false),
        ];
        let escaped_by: Expression = Regex::new("quote").expect("it is right").into();
        for (language, marked, expected) in cases {
            let language = Language::by_name(language).expect("a language");
            let (start, end) = (marked.find('«').expect("a start"), marked.find('»').expect("an end") - '«'.len_utf8());
            let source = marked.replace(['«', '»'], "");
            let tree = parse(source.as_bytes(), language).expect("it is small");
            let expression = tree.root_node().named_descendant_for_byte_range(start, end).expect("an expression");
            let constants = Constants::of(tree.root_node(), source.as_bytes(), language);
            assert_eq!(constants.is_constant(expression, Some(&escaped_by)), expected, "{}\n{marked}", expression);
        }
    }

    #[test]
    fn values_are_looked_at_up_to_a_limit() {
        let python = Language::by_name("python").expect("a language");
        for (count, expected) in [(1000, true), (5000, false)] {
            let source = "a = 'b' 'c'\n".repeat(count);
            let tree = parse(source.as_bytes(), python).expect("it is small");
            let constants = Constants::of(tree.root_node(), source.as_bytes(), python);
            let name = tree.root_node().named_descendant_for_byte_range(0, 1).expect("a name");
            assert_eq!(constants.is_constant(name, None), expected, "{count}");
        }
    }
}
