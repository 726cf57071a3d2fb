//! Tables in each form, of rows that are made up.

use cribrum_core::{
    engine::{Pass, Snapshot},
    entry::Level,
    tally::Unit,
    veil::{Anyone, Veil},
};

use super::{Cell, Column, Findings, Reader, Sheet, TableForm};
use crate::present::Clock;

/// What a row is: a count, a name, and whether it can be read.
type Made = (u64, &'static str, bool);

/// Boats and how often they were seen.
struct Boats {
    rows: Vec<Made>,
    all: Made,
}

impl Findings for Boats {
    type Audience = Anyone;
    type Row = Made;
    type Order = ();

    fn row(&self, number: u32) -> &Made {
        &self.rows[number as usize]
    }

    fn columns(&self) -> Vec<Column<Self>> {
        vec![
            Column::words("boat", |_: &Self, row: &Made, _| Cell::Word(row.1.into())).behind(),
            Column::figure("count", |_: &Self, row: &Made, _| Cell::Count(row.0)).titled("seen"),
            Column::figure("share", |found: &Self, row: &Made, _| Cell::Share(row.0, found.all.0))
                .from(190),
            Column::picture(4, |found: &Self, row: &Made, _| Cell::Bar(row.0, found.all.0)),
            Column::words("level", |_: &Self, row: &Made, _| {
                Cell::of((row.0 > 9).then_some(Level::Warn), Cell::Level)
            })
            .cells(6),
            Column::figure("took", |_: &Self, row: &Made, _| {
                Cell::Figure(row.0 as f64 / 3.0, Unit::Seconds)
            })
            .for_programs(),
            Column::figure("count", |_: &Self, _: &Made, _| Cell::Count(0)).for_programs(),
        ]
    }

    fn is_same(one: &Made, other: &Made) -> bool {
        one.1 == other.1
    }

    fn text(&self, row: &Made, _: &Reader<'_>) -> String {
        row.1.to_owned()
    }

    fn misses(&self, row: &Made) -> bool {
        !row.2
    }

    fn all(&self) -> Option<&Made> {
        Some(&self.all)
    }

    fn together(&self, rows: &[u32]) -> Option<Made> {
        let sum = rows.iter().map(|row| self.row(*row).0).sum();
        (!rows.is_empty()).then_some((sum, "", true))
    }
}

/// The first rows in a form, and how many are left out.
fn written(form: TableForm, most: usize, rows: &[Made]) -> (String, usize) {
    let snapshot = Snapshot::empty(&[], Veil::new([7; 16]));
    let clock = Clock::new(None);
    let sum = rows.iter().map(|row| row.0).sum();
    let mut boats = Boats { rows: rows.to_vec(), all: (sum, "", true) };
    let numbers: Vec<u32> = (0u32..).take(rows.len()).collect();
    let (reader, pass) = (Reader::new(&snapshot, &clock), Pass::default());
    let mut sheet = Sheet::new(&mut boats, &numbers, reader, &pass);
    sheet.most = most;
    let mut out = Vec::new();
    let lost = sheet.write(form, &mut out).unwrap();
    (String::from_utf8(out).unwrap(), lost)
}

const ROWS: [Made; 3] = [(1_250, "gull|tern", true), (7, "a\\b = \"c\"", true), (0, "", true)];

#[test]
fn people_get_columns_below_their_titles_and_the_rest_as_one_row() {
    let (text, lost) = written(TableForm::Text, 2, &ROWS);
    let want = "      seen   share        level  boat\n     \
                1 250  99.4 %  ████  warn   gull|tern\n         7   0.6 %  ▏     –      a\\b = \"c\"\n         \
                0   0.0 %        –      the other 1 group\n     1 257  100.0 %  ████  warn   all\n";
    let lines = |text: &str| -> Vec<Vec<String>> {
        text.lines().map(|line| line.split_whitespace().map(str::to_owned).collect()).collect()
    };
    assert_eq!((lines(&text), lost), (lines(want), 0), "{text}");
    let ends = |line: &str| line.split(" %").next().unwrap().chars().count();
    let ends: Vec<usize> = text.lines().skip(1).map(ends).collect();
    assert!(ends.iter().all(|end| *end == ends[0]), "figures end below each other: {text}");
    let (table, _) = written(TableForm::Markdown, 2, &ROWS);
    let want = "| seen | share | level | boat |\n| ---: | ---: | --- | --- |\n\
                | 1\u{2009}250 | 99.4 % | warn | gull\\|tern |\n| 7 | 0.6 % | – | a\\\\b = \"c\" |\n\
                | 0 | 0.0 % | – | the other 1 group |\n| 1\u{2009}257 | 100.0 % | warn | all |\n";
    assert_eq!(table, want);
}

#[test]
fn programs_get_all_columns_with_names_and_figures_in_fixed_units() {
    let (objects, _) = written(TableForm::Jsonl, 2, &ROWS);
    let want = "{\"boat\":\"gull|tern\",\"count\":1250,\"level\":\"warn\",\"share\":0.994431185362,\"took\":416.666666667}\n\
                {\"boat\":\"a\\\\b = \\\"c\\\"\",\"count\":7,\"level\":null,\"share\":0.00556881463803,\"took\":2.33333333333}\n";
    assert_eq!(objects, want, "of names that are the same, the first stays");
    let (table, _) = written(TableForm::Csv, 9, &ROWS);
    let want = "boat,count,share,level,took,count\ngull|tern,1250,0.994431185362,warn,416.666666667,0\n\
                \"a\\b = \"\"c\"\"\",7,0.00556881463803,,2.33333333333,0\n\"\",0,0.0,,0.0,0\n";
    assert_eq!(table.replace("\n,0,", "\n\"\",0,"), want);
    let (pairs, _) = written(TableForm::Pairs, 2, &ROWS[1..]);
    let first = pairs.lines().next().unwrap();
    assert_eq!(first, "boat=\"a\\\\b = \\\"c\\\"\" count=7 share=1.0 took=2.33333333333 count=0");
}

#[test]
fn rows_that_can_t_be_read_are_left_out_and_counted() {
    let rows = [(1, "gull", true), (2, "tern", false), (3, "auk", true)];
    for form in [TableForm::Text, TableForm::Markdown, TableForm::Jsonl, TableForm::Tsv] {
        let (text, lost) = written(form, 9, &rows);
        assert!(lost == 1 && text.contains("auk") && !text.contains("tern"), "{form:?}: {text}");
    }
    let (empty, lost) = written(TableForm::Csv, 9, &[]);
    assert_eq!((empty.as_str(), lost), ("boat,count,share,level,took,count\n", 0));
}
