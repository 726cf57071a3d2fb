//! The page about the veil says what the table of detectors says.

use std::fmt::Write as _;

use cribrum_core::veil::{Class, Policy, detectors};

/// A text in a cell of a table.
fn cell(text: &str) -> String {
    let text = text.replace('\n', "⏎").replace('|', "\\|").replace(['⟦', '⟧'], "**");
    text.replace('`', "'")
}

fn tables() -> String {
    let mut out =
        String::from("| class | at the desk | in what leaves it |\n| --- | --- | --- |\n");
    let policy = Policy::default();
    for class in Class::ALL {
        let (desk, anyone) = (policy.at_the_desk(class).name(), policy.for_anyone(class).name());
        writeln!(out, "| {} | {desk} | {anyone} |", class.name()).unwrap();
    }
    out.push_str("\n| rule | class | finds | hides | leaves |\n| --- | --- | --- | --- | --- |\n");
    for of in detectors() {
        let what = of.what.replace('|', "\\|");
        let (hit, miss) = (cell(of.hit), cell(of.miss));
        writeln!(out, "| {} | {} | {what} | {hit} | {miss} |", of.name, of.class.name()).unwrap();
    }
    out
}

#[test]
fn the_page_lists_every_class_and_every_detector() {
    let page = include_str!("../../../../docs/veil.md");
    for line in tables().lines() {
        assert!(
            page.contains(line),
            "docs/veil.md has no line\n{line}\n\nall lines\n\n{}",
            tables()
        );
    }
    let rows = page.lines().filter(|line| line.starts_with("| ")).count();
    assert_eq!(
        rows,
        tables().lines().filter(|line| line.starts_with("| ")).count(),
        "a row too many"
    );
}
