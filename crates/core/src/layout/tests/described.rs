//! What layouts say of themselves.

use std::fmt::Write as _;

use super::*;

#[test]
fn a_sample_is_of_its_layout() {
    for id in LayoutId::all() {
        let (Some(layout), Some(sample)) = (id.layout(), id.sample()) else {
            assert!([LayoutId::OWN, LayoutId::PLAIN].contains(&id), "{} has no sample", id.name());
            continue;
        };
        let dialect = Dialect::default().learn(format!("{sample}\n").as_bytes());
        let line = sample.lines().last().unwrap_or_default();
        let (found, _) =
            dialect.detect(line.as_bytes()).unwrap_or_else(|| panic!("no layout: {line}"));
        assert_eq!(found.name(), id.name(), "{sample}");
        assert!(layout.first(line.as_bytes()[0]) && layout.begins(line.as_bytes()), "{line}");
    }
}

#[test]
fn the_page_lists_every_layout() {
    let page = include_str!("../../../../../docs/layouts.md");
    let mut want = String::from("| layout | what it reads |\n| --- | --- |\n");
    for id in LayoutId::all() {
        writeln!(want, "| `{}` | {} |", id.name(), id.about()).unwrap();
    }
    assert!(page.contains(&want), "docs/layouts.md should have this table:\n{want}");
}

#[test]
fn names_and_numbers_are_unique() {
    let mut names: Vec<&str> = LayoutId::all().map(LayoutId::name).collect();
    names.sort_unstable();
    names.dedup();
    assert_eq!(names.len(), LayoutId::all().count());
    assert_eq!((LayoutId::JSON.name(), LayoutId::OWN.name()), ("json", "own"));
}
