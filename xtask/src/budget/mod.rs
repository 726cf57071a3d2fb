//! Instructions per line are a budget: counted by valgrind's cachegrind, they repeat to a few in ten thousand, whatever
//! else the machine is doing.
//!
//! Each row is a command on a made file. It is counted on two sizes of the file; the difference is what a line costs, and
//! what is left is what the command costs once. A row fails at 3 % more of either than `xtask/budget.toml` says.

mod data;

use std::{
    collections::BTreeMap,
    fs,
    io::Write,
    path::{Path, PathBuf},
    process::{Command, Stdio},
    sync::{
        Mutex, PoisonError,
        atomic::{AtomicUsize, Ordering},
    },
};

use anyhow::{Context, Result, bail};
use serde::{Deserialize, Serialize};

use crate::need;
use data::Made;

/// The sizes of the two files, in bytes.
const SIZES: [usize; 2] = [1_000_000, 3_000_000];
/// How far a row may be off.
const SLACK: f64 = 0.03;
/// The same under another compiler than the one that the budget was counted with.
const LOOSE: f64 = 0.10;

/// What is counted on every made file, and the arguments.
const EVERYWHERE: [(&str, &[&str]); 7] = [
    ("index", &["intake"]),
    ("level", &["sift", "--as", "raw", "--level", "error"]),
    ("status", &["sift", "--as", "raw", "-w", "status >= 500"]),
    ("raw", &["sift", "--as", "raw"]),
    ("jsonl", &["sift", "--as", "jsonl"]),
    ("tally", &["tally", "--by", "path", "--of", "took"]),
    ("kinds", &["kinds"]),
];
/// What is counted on the mixed file alone.
const MIXED: [(&str, &[&str]); 3] =
    [("requests", &["requests"]), ("veil", &["veil"]), ("trail", &["trail", data::ID])];
/// The rows that are counted before a change lands.
const CHECKED: [&str; 12] = [
    "json index",
    "any-order index",
    "access index",
    "delimited index",
    "mixed index",
    "mixed level",
    "json status",
    "mixed raw",
    "json jsonl",
    "access jsonl",
    "json tally",
    "mixed kinds",
];

/// What a row costs, in instructions.
#[derive(Clone, Copy, Debug, PartialEq, Serialize, Deserialize)]
struct Cost {
    line: u64,
    once: u64,
}

/// `xtask/budget.toml`
#[derive(Debug, Default, PartialEq, Serialize, Deserialize)]
struct Budget {
    /// The compiler that it was counted with.
    compiler: String,
    rows: BTreeMap<String, Cost>,
}

/// A command on a made file.
#[derive(Clone, Debug)]
struct Row {
    name: String,
    made: Made,
    arguments: &'static [&'static str],
}

fn rows() -> Vec<Row> {
    let row = |made: Made, (what, arguments): (&str, &'static [&'static str])| Row {
        name: format!("{} {what}", made.name()),
        made,
        arguments,
    };
    let everywhere = Made::ALL.into_iter().flat_map(|made| EVERYWHERE.map(|what| row(made, what)));
    everywhere.chain(MIXED.map(|what| row(Made::Mixed, what))).collect()
}

/// Counts rows and holds them against the budget: those that are checked before a change lands, all, or those with a
/// word in their name. `write` puts what was counted in the place of what the budget said.
pub(crate) fn run(write: bool, all: bool, word: Option<&str>) -> Result<()> {
    need::programs(&[("valgrind", "valgrind")])?;
    let program = crate::release()?;
    let folder = tempfile::tempdir()?;
    let mut lines: BTreeMap<String, [usize; 2]> = BTreeMap::new();
    for made in Made::ALL {
        let mut counts = [0; 2];
        for (count, size) in counts.iter_mut().zip(SIZES) {
            *count = made.write(&file(folder.path(), made, size), size)?;
        }
        lines.insert(made.name().to_owned(), counts);
    }
    let wanted = |row: &Row| match word {
        Some(word) => row.name.contains(word),
        None => all || CHECKED.contains(&row.name.as_str()),
    };
    let rows: Vec<Row> = rows().into_iter().filter(wanted).collect();
    if rows.is_empty() {
        bail!("no row has `{}` in its name", word.unwrap_or_default());
    }
    let counted = count_all(&program, folder.path(), &rows, &lines)?;
    let path = Path::new(env!("CARGO_MANIFEST_DIR")).join("budget.toml");
    let text = fs::read_to_string(&path).unwrap_or_default();
    let mut budget: Budget =
        toml::from_str(&text).with_context(|| format!("{} can't be read", path.display()))?;
    let compiler = compiler()?;
    let same = budget.compiler == compiler;
    let mut out = std::io::stdout();
    let slack = if same { SLACK } else { LOOSE };
    let mut over = Vec::new();
    for (row, cost) in rows.iter().zip(&counted) {
        let known = budget.rows.get(&row.name).copied();
        let verdict = verdict(known, *cost, slack);
        let (line, once) = known.map_or((0, 0), |known| (known.line, known.once));
        writeln!(
            out,
            "{:22} {:>8} a line ({line:>7})  {:>11} once ({once:>11})  {}",
            row.name,
            cost.line,
            cost.once,
            verdict.word()
        )?;
        if verdict == Verdict::Over {
            over.push(row.name.as_str());
        }
    }
    if write {
        let new = rows.iter().map(|row| row.name.clone()).zip(counted);
        budget.rows.extend(new);
        budget.compiler = compiler;
        fs::write(&path, toml::to_string(&budget)?)?;
        return Ok(());
    }
    if !same {
        writeln!(
            out,
            "counted with {compiler}, the budget with {}: 10 % are allowed; count it anew with --all --write",
            budget.compiler
        )?;
    }
    if !over.is_empty() {
        bail!("more than the budget allows: {}", over.join(", "));
    }
    Ok(())
}

/// What a count says beside the budget.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
enum Verdict {
    Within,
    /// The budget has no such row.
    New,
    /// So much less that the budget should be lowered.
    Under,
    Over,
}

impl Verdict {
    fn word(self) -> &'static str {
        match self {
            Self::Within => "",
            Self::New => "new: --write takes it in",
            Self::Under => "less: --write lowers the budget",
            Self::Over => "MORE",
        }
    }
}

fn verdict(known: Option<Cost>, now: Cost, slack: f64) -> Verdict {
    let Some(known) = known else { return Verdict::New };
    #[expect(clippy::cast_precision_loss, reason = "instructions are far below 2⁵²")]
    let ratio = |now: u64, known: u64| now as f64 / known.max(1) as f64;
    let (line, once) = (ratio(now.line, known.line), ratio(now.once, known.once));
    match (line.max(once), line.min(once)) {
        (most, _) if most > 1.0 + slack => Verdict::Over,
        (_, least) if least < 1.0 - slack => Verdict::Under,
        _ => Verdict::Within,
    }
}

fn file(folder: &Path, made: Made, size: usize) -> PathBuf {
    folder.join(format!("{}-{size}.log", made.name()))
}

/// Counts all rows, one on each core.
fn count_all(
    program: &Path,
    folder: &Path,
    rows: &[Row],
    lines: &BTreeMap<String, [usize; 2]>,
) -> Result<Vec<Cost>> {
    let next = AtomicUsize::new(0);
    let costs: Mutex<Vec<Option<Result<Cost>>>> = Mutex::new(rows.iter().map(|_| None).collect());
    std::thread::scope(|scope| {
        for _ in 0..std::thread::available_parallelism().map_or(1, usize::from) {
            scope.spawn(|| {
                loop {
                    let at = next.fetch_add(1, Ordering::Relaxed);
                    let Some(row) = rows.get(at) else { return };
                    let cost = cost(program, folder, row, lines[row.made.name()]);
                    costs.lock().unwrap_or_else(PoisonError::into_inner)[at] = Some(cost);
                }
            });
        }
    });
    let costs = costs.into_inner().unwrap_or_else(PoisonError::into_inner);
    costs.into_iter().map(|cost| cost.context("a row was not counted")?).collect()
}

fn cost(program: &Path, folder: &Path, row: &Row, lines: [usize; 2]) -> Result<Cost> {
    let mut counts = [0; 2];
    for (count, size) in counts.iter_mut().zip(SIZES) {
        *count = instructions(program, folder, row.arguments, &file(folder, row.made, size))
            .with_context(|| format!("{}: nothing was counted", row.name))?;
    }
    Ok(split(counts, lines))
}

/// What a line costs, and what is left.
fn split(counts: [u64; 2], lines: [usize; 2]) -> Cost {
    let lines = lines.map(|lines| lines as u64);
    let line = counts[1].saturating_sub(counts[0]) / (lines[1] - lines[0]).max(1);
    Cost { line, once: counts[0].saturating_sub(line * lines[0]) }
}

/// The instructions that a command executes. Its exit status says nothing: a row may find nothing.
fn instructions(program: &Path, home: &Path, arguments: &[&str], log: &Path) -> Result<u64> {
    let output = Command::new("valgrind")
        .args(["--tool=cachegrind", "--cache-sim=no", "--cachegrind-out-file=/dev/null"])
        .arg(program)
        .args(arguments)
        .arg(log)
        .env("HOME", home)
        .env("NO_COLOR", "1")
        .stdin(Stdio::null())
        .stdout(Stdio::null())
        .output()?;
    let told = String::from_utf8_lossy(&output.stderr);
    let count = told
        .lines()
        .find_map(|line| line.split_once("I refs:").or_else(|| line.split_once("I   refs:")));
    let (_, count) = count.with_context(|| format!("valgrind said: {told}"))?;
    Ok(count.replace(',', "").trim().parse()?)
}

fn compiler() -> Result<String> {
    let output = Command::new("rustc").arg("--version").output()?;
    Ok(String::from_utf8_lossy(&output.stdout).trim().to_owned())
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn a_line_and_the_rest_are_told_apart() {
        assert_eq!(split([1_500, 3_500], [10, 30]), Cost { line: 100, once: 500 });
        assert_eq!(split([5, 4], [1, 1]), Cost { line: 0, once: 5 });
    }

    #[test]
    fn a_row_may_cost_a_little_more_and_not_much_less() {
        let known = Some(Cost { line: 1_000, once: 1_000_000 });
        for (line, once, slack, want) in [
            (1_000, 1_000_000, SLACK, Verdict::Within),
            (1_029, 1_029_000, SLACK, Verdict::Within),
            (1_031, 1_000_000, SLACK, Verdict::Over),
            (1_000, 1_040_000, SLACK, Verdict::Over),
            (960, 1_000_000, SLACK, Verdict::Under),
            (960, 1_040_000, SLACK, Verdict::Over),
            (1_090, 1_000_000, LOOSE, Verdict::Within),
        ] {
            assert_eq!(verdict(known, Cost { line, once }, slack), want, "{line} {once}");
        }
        assert_eq!(verdict(None, Cost { line: 1, once: 1 }, SLACK), Verdict::New);
    }

    #[test]
    fn every_row_that_is_checked_exists_and_made_files_are_always_the_same() {
        let names: Vec<String> = rows().into_iter().map(|row| row.name).collect();
        assert!(CHECKED.iter().all(|row| names.iter().any(|name| name == row)), "{names:?}");
        let folder = tempfile::tempdir().unwrap();
        for made in Made::ALL {
            let paths = [0, 1].map(|at| folder.path().join(format!("{at}")));
            let lines = paths.each_ref().map(|path| made.write(path, 50_000).unwrap());
            let [one, other] = paths.map(|path| fs::read(path).unwrap());
            assert!(lines[0] > 100 && lines[0] == lines[1] && one == other, "{}", made.name());
        }
    }
}
