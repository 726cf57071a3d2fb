//! Tables as commands write them: aligned for people, as Markdown, as objects, as CSV.

use std::io::{self, Write};

use serde_json::{Map, Value};

use crate::{output::Output, present::cells};

/// A column for people.
pub(super) struct Column {
    pub(super) name: String,
    /// Its cells end at its right: figures.
    pub(super) right: bool,
    pub(super) cells: Vec<String>,
}

impl Column {
    pub(super) fn figures(name: &str, cells: Vec<String>) -> Self {
        Self { name: name.to_owned(), right: true, cells }
    }

    pub(super) fn words(name: &str, cells: Vec<String>) -> Self {
        Self { name: name.to_owned(), right: false, cells }
    }

    fn width(&self) -> usize {
        self.cells.iter().map(|cell| cells(cell)).chain([cells(&self.name)]).max().unwrap_or(0)
    }

    fn cell(&self, line: usize) -> &str {
        self.cells.get(line).map_or("", |cell| cell)
    }
}

fn lines(columns: &[Column]) -> usize {
    columns.iter().map(|column| column.cells.len()).max().unwrap_or(0)
}

/// Writes columns side by side.
pub(super) fn text(columns: &[Column], out: &mut Output) -> io::Result<()> {
    let widths: Vec<usize> = columns.iter().map(Column::width).collect();
    for line in 0..=lines(columns) {
        let mut text = String::new();
        for (at, (column, width)) in columns.iter().zip(&widths).enumerate() {
            let cell = match line.checked_sub(1) {
                None => &column.name,
                Some(line) => column.cell(line),
            };
            let blank = " ".repeat(width - cells(cell));
            if at > 0 {
                text.push_str("  ");
            }
            text.push_str(&match column.right {
                true => format!("{blank}{cell}"),
                false => format!("{cell}{blank}"),
            });
        }
        writeln!(out, "{}", text.trim_end())?;
    }
    Ok(())
}

/// Writes a table of Markdown.
pub(super) fn markdown(columns: &[Column], out: &mut Output) -> io::Result<()> {
    let escaped = |text: &str| text.replace('\\', "\\\\").replace('|', "\\|");
    let row = |cells: Vec<String>| format!("| {} |", cells.join(" | "));
    writeln!(out, "{}", row(columns.iter().map(|column| escaped(&column.name)).collect()))?;
    let rule = |column: &Column| if column.right { "---:" } else { "---" }.to_owned();
    writeln!(out, "{}", row(columns.iter().map(rule).collect()))?;
    for line in 0..lines(columns) {
        let cells = columns.iter().map(|column| escaped(column.cell(line)));
        writeln!(out, "{}", row(cells.collect()))?;
    }
    Ok(())
}

/// A row for programs: the names of its figures and what they are.
pub(super) type Row = Vec<(String, Value)>;

/// Writes an object a row; of names that are the same, the first stays.
pub(super) fn jsonl(rows: impl Iterator<Item = Row>, out: &mut Output) -> io::Result<()> {
    for row in rows {
        let mut line = Map::new();
        for (name, value) in row {
            line.entry(name).or_insert(value);
        }
        writeln!(out, "{}", Value::Object(line))?;
    }
    Ok(())
}

/// Writes a header and a line a row; lists go with blanks between their items.
pub(super) fn csv(rows: impl Iterator<Item = Row>, out: &mut Output) -> io::Result<()> {
    let mut table = csv::Writer::from_writer(Vec::new());
    let mut headed = false;
    for row in rows {
        if !headed {
            table.write_record(row.iter().map(|(name, _)| name)).map_err(io::Error::other)?;
            headed = true;
        }
        table
            .write_record(row.into_iter().map(|(_, value)| plain(value)))
            .map_err(io::Error::other)?;
    }
    out.write_all(&table.into_inner().map_err(csv::IntoInnerError::into_error)?)
}

fn plain(value: Value) -> String {
    match value {
        Value::Null => String::new(),
        Value::String(text) => text,
        Value::Array(items) => items.into_iter().map(plain).collect::<Vec<_>>().join(" "),
        other => other.to_string(),
    }
}

/// A figure without digits that mean nothing: twelve are left.
pub(super) fn rounded(value: f64) -> f64 {
    format!("{value:.11e}").parse().unwrap_or(value)
}

#[cfg(test)]
mod tests {
    use serde_json::json;

    use super::*;

    /// What is written to a file.
    fn written(write: impl FnOnce(&mut Output) -> io::Result<()>) -> String {
        let folder = tempfile::tempdir().unwrap();
        let path = folder.path().join("out");
        let mut out = Output::open(Some(&path)).unwrap();
        write(&mut out).unwrap();
        out.finish().unwrap();
        std::fs::read_to_string(path).unwrap()
    }

    fn columns() -> Vec<Column> {
        let texts = |all: &[&str]| all.iter().map(|text| (*text).to_owned()).collect::<Vec<_>>();
        vec![
            Column::figures("count", texts(&["1 250", "7"])),
            Column::words("kind", texts(&["über|Brücken", "a\\b"])),
            Column::words("", texts(&["█", ""])),
        ]
    }

    #[test]
    fn columns_stand_below_their_names() {
        let text = written(|out| text(&columns(), out));
        assert_eq!(text, "count  kind\n1 250  über|Brücken  █\n    7  a\\b\n");
    }

    #[test]
    fn signs_of_markdown_are_escaped() {
        let text = written(|out| markdown(&columns(), out));
        let want = "| count | kind |  |\n| ---: | --- | --- |\n| 1 250 | über\\|Brücken | █ |\n| 7 | a\\\\b |  |\n";
        assert_eq!(text, want);
    }

    #[test]
    fn programs_get_objects_and_lines() {
        let rows = || {
            let row = |name: &str, list: Value| -> Row {
                vec![
                    ("name".into(), json!(name)),
                    ("none".into(), Value::Null),
                    ("list".into(), list),
                    ("name".into(), json!("again")),
                ]
            };
            vec![row("a,\"b\"", json!(["x", 2])), row("c\nd", json!(rounded(0.1 + 0.2)))]
                .into_iter()
        };
        let objects = written(|out| jsonl(rows(), out));
        let want = "{\"list\":[\"x\",2],\"name\":\"a,\\\"b\\\"\",\"none\":null}\n{\"list\":0.3,\"name\":\"c\\nd\",\"none\":null}\n";
        assert_eq!(objects, want);
        let lines = written(|out| csv(rows(), out));
        assert_eq!(lines, "name,none,list,name\n\"a,\"\"b\"\"\",,x 2,again\n\"c\nd\",,0.3,again\n");
        assert_eq!(written(|out| csv(std::iter::empty(), out)), "");
    }
}
