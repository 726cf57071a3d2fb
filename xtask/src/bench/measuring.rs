//! Counts and measures beside the usual tools: an SQL engine where there is one, `jq … | sort | uniq -c`, `wc -l`.

use std::{
    path::{Path, PathBuf},
    process::{Command, Stdio},
};

use anyhow::Result;

use super::{Row, beside, first_bytes, ours};

pub(super) fn rows(program: &Path, logs: &Path, files: &[PathBuf]) -> Result<Vec<Row>> {
    let mut rows: Vec<Row> = Vec::new();
    let json = logs.join("booking.log");
    let hundred = logs.with_file_name("hundred.jsonl");
    first_bytes(&json, &hundred, 100_000_000)?;
    let tally =
        |on: &Path| ours(program, &["tally", "--by", "logger", "--of", "took", "--as", "csv"], on);
    if has_engine() {
        rows.push(Row {
            name: "tally with p50 and p99",
            mine: tally(&json),
            beside: "SQL engine",
            other: engine(&json),
            goal: 0.3,
        });
    }
    let mut counted = Command::new("sh");
    counted.arg("-c").arg("jq -r .logger \"$1\" | sort | uniq -c").arg("sh").arg(&hundred);
    rows.push(Row {
        name: "100 MB, tally",
        mine: tally(&hundred),
        beside: "jq|sort|uniq",
        other: counted,
        goal: 0.1,
    });
    let gate = logs.join("gate.log");
    let path = ours(program, &["tally", "--by", "path", "--of", "took", "--as", "csv"], &gate);
    let awk = "{split($7,p,\"?\"); n[p[1]]++} END {for (k in n) print n[k], k}";
    let awk = beside("awk", &[awk], std::slice::from_ref(&gate));
    rows.push(Row {
        name: "access, tally by path",
        mine: path,
        beside: "awk",
        other: awk,
        goal: 0.5,
    });
    let kinds = || ours(program, &["kinds", "--as", "csv"], logs);
    rows.push(Row {
        name: "kinds",
        mine: kinds(),
        beside: "wc -l",
        other: beside("wc", &["-l"], files),
        goal: 6.0,
    });
    let halves = ours(program, &["compare", "--with", "after 07:00", "--as", "csv"], logs);
    rows.push(Row {
        name: "compare two halves",
        mine: halves,
        beside: "kinds",
        other: kinds(),
        goal: 1.5,
    });
    Ok(rows)
}

/// Whether an SQL engine is there, as a package of Python.
fn has_engine() -> bool {
    let asked =
        Command::new("python3").args(["-c", "import duckdb"]).stderr(Stdio::null()).status();
    asked.is_ok_and(|status| status.success())
}

/// The same question in SQL, with two threads.
fn engine(file: &Path) -> Command {
    let mut command = Command::new("python3");
    let code = "import duckdb,sys
c=duckdb.connect()
c.execute('set threads=2')
c.execute(\"select logger, count(*), quantile_disc(took_ms,0.5), quantile_disc(took_ms,0.99) \
from read_json('\"+sys.argv[1]+\"', format='newline_delimited', columns={logger:'varchar',took_ms:'double'}) \
group by logger\").fetchall()";
    command.args(["-c", code]).arg(file);
    command
}
