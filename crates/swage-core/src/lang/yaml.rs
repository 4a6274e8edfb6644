//! YAML.

use super::{Class, Items, Keyed, Language, Listed, Spec, Translation, misread};

pub(super) static YAML: Language = Language::new(Spec {
    name: "yaml",
    is_often_a_template: true,
    grammar: || swage_grammars::YAML.into(),
    extensions: &["yaml", "yml"],
    classes: &[
        (Class::String, &["double_quote_scalar", "single_quote_scalar", "string_scalar", "block_scalar"]),
        (Class::Number, &["integer_scalar", "float_scalar"]),
        (Class::Name, &["anchor_name", "alias_name"]),
        (Class::Comment, &["comment"]),
        (Class::Block, &["block_mapping", "block_sequence", "flow_mapping", "flow_sequence"]),
    ],
    wrappers: &[("", "\n"), ("w_: ", "\n")],
    part_wrappers: &[("{ ", " }")],
    line_markers: &["#"],
    // Prose such as `Note: later` is YAML, so no comment is taken for it.
    stand_ins: &["HOLE: w_"],
    keyed: &[Keyed { node: "block_mapping_pair", key: "key" }, Keyed { node: "flow_pair", key: "key" }],
    has_anchors: true,
    outline: true,
    translations: &[Translation::EscapedNames],
    listed: &[
        Listed::new(Items::Entries, "block_mapping", "block_mapping_pair", "key"),
        Listed::new(Items::Entries, "flow_mapping", "flow_pair", "key"),
    ],
    misread: misread::outline,
    ..Spec::PLAIN
});
