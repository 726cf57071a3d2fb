//! Every example of the page on the filter language is one.

use cribrum_core::query::{Context, Expr};

#[test]
fn the_examples_are_understood() {
    let page = include_str!("../../../../docs/filter.md");
    let context = Context { zone: None, last: Some(0), ..Context::default() };
    let mut count = 0;
    for row in page.lines().filter(|line| line.starts_with("| `")) {
        let cell = row.split(" | ").next().unwrap().trim_start_matches("| ");
        for example in cell.split("`, `").map(|text| text.trim_matches('`')) {
            let parsed = Expr::parse(example, &context);
            assert!(parsed.is_ok(), "{example}: {parsed:?}");
            count += 1;
        }
    }
    assert!(count >= 17, "the page has its examples: {count}");
}
