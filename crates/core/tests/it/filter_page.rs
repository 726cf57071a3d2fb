//! Every example of the page on the filter language is one, and every mistake on it is told as it says.

use cribrum_core::{
    engine::Snapshot,
    query::{Context, Expr},
    sieve::{Mesh, Sieve},
};

use crate::{Intake, wait};

const PAGE: &str = include_str!("../../../../docs/filter.md");

/// An entry that each kind of condition holds for, and one that few do.
const LINES: &str = concat!(
    "{\"time\":\"2026-03-14T06:40:00Z\",\"level\":\"warn\",\"logger\":\"booking.holds\",",
    "\"msg\":\"seat hold: Timeout, waited 300ms\",\"status\":503,\"path\":\"/crossings/112\",\"took\":\"300ms\",",
    "\"size\":4096,\"user\":{\"id\":\"u-1\",\"tags\":[\"staff\"]},\"request_id\":\"7f3a9c21e0b4d86f\"}\n",
    "{\"time\":\"2026-03-14T06:45:00Z\",\"level\":\"W\",\"logger\":\"http.client\",",
    "\"msg\":\"asset\",\"status\":200,\"path\":\"/assets/app.css\",\"took\":\"2ms\",\"size\":10}\n",
);

fn context(snapshot: &Snapshot) -> Context {
    let (first, last) = snapshot.span().unzip();
    let mark = last.unwrap() - 360_000_000_000;
    Context { first, last, marks: vec![("second try".to_owned(), mark)], ..Context::default() }
}

#[test]
fn the_examples_keep_what_they_say() {
    let intake = Intake::new(&[("booking.log", LINES)]);
    let engine = intake.engine(false);
    let snapshot = wait(&engine, "both", |s| s.pan.len() == 2 && s.settled());
    let mut count = 0;
    for row in PAGE.lines().filter(|line| line.starts_with("| `")) {
        let cell = row.split(" | ").next().unwrap().trim_start_matches("| ");
        for example in cell.split("`, `").map(|text| text.trim_matches('`')) {
            let expr = Expr::parse(example, &context(&snapshot))
                .unwrap_or_else(|error| panic!("{example}: {error}"));
            let sieve = Sieve { meshes: vec![Mesh::of(expr)] };
            engine.set_sieve(sieve.clone());
            let left = wait(&engine, example, |s| s.sieve == sieve && s.settled());
            let held: Vec<bool> = snapshot
                .order
                .iter_from(0)
                .map(|id| left.pan.get(left.row_of(id)) == Some(id))
                .collect();
            let want = match example {
                "source = booking"
                | "run = latest"
                | "time >= -15min"
                | "time > 2026-03-14T06:38:00Z" => [true, true],
                ".level = W" => [false, true],
                "card = «card·4e1b»" => [false, false],
                "level >= warn" | "time > mark \"second try\"" => [true, true],
                _ => [true, false],
            };
            assert_eq!(held, want, "{example}");
            count += 1;
        }
    }
    assert!(count >= 27, "the page has its examples: {count}");
}

#[test]
fn the_mistakes_are_told_as_the_page_says() {
    let block = PAGE.split("```text\n").nth(1).unwrap().split("```").next().unwrap();
    for line in block.lines() {
        let (example, message) = line.split_once("  ").unwrap();
        let context = Context { last: Some(0), ..Context::default() };
        let error = Expr::parse(example, &context).expect_err(example);
        assert!(error.message.starts_with(message.trim()), "{example}: {error}");
    }
    assert_eq!(block.lines().count(), 6);
}
