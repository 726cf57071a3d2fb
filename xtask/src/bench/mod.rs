//! How fast the core paths are, beside usual tools on the same warm files in the same run.
//!
//! Absolute times drift from machine to machine and from minute to minute; the ratios hold.

mod desk;
mod measuring;
mod moving;

use std::{
    fs,
    io::{BufRead, Write},
    path::{Path, PathBuf},
    process::{Command, Stdio},
    time::{Duration, Instant},
};

use anyhow::{Context, Result};

use crate::need;

/// Pairs of runs of each measurement; the median counts.
const RUNS: usize = 5;
/// A measurement that has taken so long is not repeated more often than it must be.
const ENOUGH: Duration = Duration::from_secs(20);

/// How much worse than its goal a row may be before a check fails.
const SLACK: f64 = 1.3;

/// What is measured together.
#[derive(Clone, Copy, Debug, PartialEq, Eq, clap::ValueEnum)]
pub(crate) enum Part {
    /// Reading and indexing
    Reading,
    /// Words, ids, predicates and exports
    Sifting,
    /// Tallies, kinds and comparisons
    Measuring,
    /// Memory, and the desk in a terminal
    Desk,
    /// The index of ids, trails and requests
    Trails,
    /// Many files, order over many sources, files that grow
    Moving,
    /// Keys on the desk until a frame shows what they led to; only when asked for, best with ten million
    /// entries
    Keys,
}

pub(crate) fn run(entries: usize, parts: &[Part], check: bool) -> Result<()> {
    need::programs(&[("tmux", "tmux"), ("jq", "jq"), ("zstd", "zstd")])?;
    let program = crate::release()?;
    let folder = tempfile::tempdir()?;
    let logs = folder.path().join("logs");
    let mut out = std::io::stdout();
    crate::run(
        Command::new(&program)
            .args(["demo", "--write"])
            .arg(&logs)
            .args(["--entries", &entries.to_string()]),
    )?;
    let mut files: Vec<PathBuf> =
        fs::read_dir(&logs)?.flatten().map(|entry| entry.path()).collect();
    files.sort();
    let size: u64 = files.iter().filter_map(|file| file.metadata().ok()).map(|m| m.len()).sum();
    #[expect(clippy::cast_precision_loss, reason = "megabytes for people")]
    let megabytes = size as f64 / 1e6;
    writeln!(out, "{entries} entries in {} files, {megabytes:.0} MB", files.len())?;
    writeln!(out, "times are medians, ratios medians of pairs of runs, one after the other\n")?;
    let wanted = |part| parts.is_empty() || parts.contains(&part);
    let mut rows = Vec::new();
    if wanted(Part::Reading) {
        rows.extend(reading(&program, &logs, folder.path(), &files)?);
    }
    if wanted(Part::Sifting) {
        rows.extend(sifting(&program, &logs, &files)?);
    }
    if wanted(Part::Measuring) {
        rows.extend(measuring::rows(&program, &logs, &files)?);
    }
    if wanted(Part::Moving) {
        rows.extend(moving::rows(&program, folder.path())?);
    }
    if !rows.is_empty() {
        let head = ["", "cribrum", "", "", "ratio", "goal"];
        let [a, b, c, d, e, f] = head;
        writeln!(out, "{a:26} {b:>9}   {c:14} {d:>9} {e:>8} {f:>8}")?;
    }
    let mut missed = Vec::new();
    for row in rows {
        let (name, goal) = (row.name, row.goal);
        if row.measure(&mut out)? > goal * SLACK {
            missed.push(name);
        }
    }
    if wanted(Part::Sifting) {
        meshes(&program, &logs, &files)?;
        counts(&program, &logs, &files)?;
    }
    if wanted(Part::Trails) {
        trails(&program, &logs)?;
        scan(&program, &logs.join("booking.log"))?;
    }
    if wanted(Part::Moving) {
        moving::following(&program, folder.path())?;
    }
    if wanted(Part::Desk) {
        desk::desk(&program, &logs, folder.path(), entries)?;
    }
    if parts.contains(&Part::Keys) {
        desk::keys(&program, &logs, folder.path())?;
    }
    if check && !missed.is_empty() {
        anyhow::bail!("worse than {SLACK} times the goal: {}", missed.join(", "));
    }
    Ok(())
}

/// Conditions on an intake that is open, beside the usual tools reading the same files: what a mesh costs on
/// the desk. Both are medians of several runs.
fn meshes(program: &Path, logs: &Path, files: &[PathBuf]) -> Result<()> {
    let mut out = std::io::stdout();
    example("sift")?;
    let sift = program.with_file_name("examples").join("sift");
    let json = std::slice::from_ref(&files[0]).to_vec();
    let hundred = logs.with_file_name("hundred.log");
    first_bytes(&json[0], &hundred, 100_000_000)?;
    let hundred = vec![hundred];
    let jq = |filter: &str| beside("jq", &["-c", filter], &hundred);
    let grep = |word: &str| beside("grep", &["-c", word], files);
    writeln!(
        out,
        "\n{:26} {:>9}   {:14} {:>9} {:>8} {:>8}",
        "a mesh on the desk", "cribrum", "", "", "ratio", "goal"
    )?;
    let all = files.to_vec();
    type Mesh<'f> = (&'static str, &'static str, &'f [PathBuf], &'static str, Command, f64);
    let rows: [Mesh<'_>; 8] = [
        ("a word in few entries", "Acquirer-B", &all, "grep -c", grep("acquirer-b"), 0.35),
        ("the same in any case", "acquirer-b", &all, "grep -c", grep("acquirer-b"), 0.35),
        ("a word in many entries", "timeout", &all, "grep -c", grep("timeout"), 0.35),
        ("one id", "id = 7f3a9c21e0b4d86f", &all, "grep -c", grep("7f3a9c21e0b4d86f"), 0.35),
        (
            "100 MB, status >= 500",
            "status >= 500",
            &hundred,
            "jq",
            jq("select(.status >= 500)"),
            0.01,
        ),
        (
            "100 MB, crossing > 120",
            "crossing > 120",
            &hundred,
            "jq",
            jq("select(.crossing > 120)"),
            0.02,
        ),
        (
            "100 MB, seats in 2..4",
            "seats in 2..4",
            &hundred,
            "jq",
            jq("select(.seats >= 2 and .seats <= 4)"),
            0.02,
        ),
        ("all, status >= 500", "status >= 500", &all, "wc -l", beside("wc", &["-l"], files), 3.0),
    ];
    for (name, condition, on, tool, mut other, goal) in rows {
        let output = Command::new(&sift).arg(condition).arg("--").args(on).output()?;
        let text = String::from_utf8_lossy(&output.stdout).into_owned();
        let millis: f64 = text
            .split('\t')
            .next()
            .unwrap_or_default()
            .parse()
            .with_context(|| format!("{name}: {output:?}"))?;
        let mut others: Vec<Duration> = (0..3).map(|_| timed(&mut other)).collect::<Result<_>>()?;
        others.sort_unstable();
        let other = others[1].as_secs_f64() * 1e3;
        writeln!(
            out,
            "{name:26} {millis:>6.0} ms   {tool:14} {other:>6.0} ms {:>7.3}x {goal:>7.2}x",
            millis / other
        )?;
    }
    Ok(())
}

/// Counting by a field over an intake that is open, beside a tool that reads the same files.
fn counts(program: &Path, logs: &Path, files: &[PathBuf]) -> Result<()> {
    const GOAL: f64 = 3.0;
    let mut out = std::io::stdout();
    example("count")?;
    let count = program.with_file_name("examples").join("count");
    for field in ["crossing", "berth", "status"] {
        let output = Command::new(&count).args([field, "--"]).arg(logs).output()?;
        let text = String::from_utf8_lossy(&output.stdout).into_owned();
        let millis = text.split('\t').next().unwrap_or_default().parse::<f64>();
        let millis = millis.with_context(|| format!("{field}: {output:?}"))?;
        let mut wc = beside("wc", &["-l"], files);
        let mut others: Vec<Duration> = (0..3).map(|_| timed(&mut wc)).collect::<Result<_>>()?;
        others.sort_unstable();
        let other = others[1].as_secs_f64() * 1e3;
        writeln!(
            out,
            "{:26} {millis:>6.0} ms   {:14} {other:>6.0} ms {:>7.3}x {GOAL:>7.2}x",
            format!("count by {field}"),
            "wc -l",
            millis / other
        )?;
    }
    Ok(())
}

/// What the index of ids costs and gives, on an intake that is open.
fn trails(program: &Path, logs: &Path) -> Result<()> {
    let mut out = std::io::stdout();
    example("trail")?;
    let trail = program.with_file_name("examples").join("trail");
    let output = Command::new(&trail).args(["request_id", "--"]).arg(logs).output()?;
    let text = String::from_utf8_lossy(&output.stdout).into_owned();
    let figures: Result<Vec<f64>, _> = text.trim().split('\t').map(str::parse).collect();
    let figures = figures.with_context(|| format!("{output:?}"))?;
    let [loaded, identified, size, listed, requests, trail] = figures[..] else {
        anyhow::bail!("{text}");
    };
    let mut row = |name: &str, figure: String, goal: &str| {
        writeln!(out, "{name:34} {figure:>12}   goal {goal}")
    };
    row(
        "the ids of all entries add",
        format!("{:.0} %", identified / loaded * 100.0),
        "30 % of loading",
    )?;
    row("bytes of the index of ids", format!("{size:.1}"), "8 an entry")?;
    row("a trail by the index", format!("{trail:.1} ms"), "50 ms")?;
    row(
        &format!("all {requests} requests"),
        format!("{listed:.0} ms"),
        "3 s of ten million entries",
    )?;
    Ok(())
}

/// What wide registers gain in a search through bytes.
fn scan(program: &Path, file: &Path) -> Result<()> {
    example("scan")?;
    let output =
        Command::new(program.with_file_name("examples").join("scan")).arg(file).output()?;
    let text = String::from_utf8_lossy(&output.stdout).into_owned();
    let (wide, plain) = text.trim().split_once('\t').with_context(|| format!("{output:?}"))?;
    let figure = format!("{wide} GB/s");
    writeln!(std::io::stdout(), "{:34} {figure:>12}   without {plain}", "wide registers search")?;
    Ok(())
}

/// Copies the first whole lines of a file, about so many bytes.
fn first_bytes(from: &Path, to: &Path, bytes: u64) -> Result<()> {
    use std::io::Read as _;
    let mut text = Vec::new();
    fs::File::open(from)?.take(bytes).read_to_end(&mut text)?;
    let end = text.iter().rposition(|byte| *byte == b'\n').map_or(0, |at| at + 1);
    Ok(fs::write(to, &text[..end])?)
}

/// Builds an example of the core.
fn example(name: &str) -> Result<()> {
    crate::run(Command::new("cargo").args([
        "build",
        "--release",
        "--locked",
        "--quiet",
        "--package",
        "cribrum-core",
        "--example",
        name,
    ]))
}

/// The measurements of what is looked for and written.
fn sifting(program: &Path, logs: &Path, files: &[PathBuf]) -> Result<Vec<Row>> {
    let mut rows: Vec<Row> = Vec::new();
    let mut row = |name, (mine, beside, other): (Command, &'static str, Command), goal| {
        rows.push(Row { name, mine, beside, other, goal });
    };
    let ours = |arguments: &[&str], on: &Path| ours(program, arguments, on);
    let json = logs.join("booking.log");
    let lines = || beside("wc", &["-l"], files);
    let grep = |word: &str| beside("grep", &["-c", word], files);
    let sift = |text: &str| ours(&["sift", "-w", text], logs);
    row("a word in few entries", (sift("acquirer-b"), "grep -c", grep("acquirer-b")), 1.0);
    let id = "7f3a9c21e0b4d86f";
    let fixed = || beside("grep", &["-F", id], files);
    row("one id, its entries", (ours(&["sift", "--id", id], logs), "grep -F", fixed()), 0.3);
    row("one id, its trail", (ours(&["trail", id], logs), "grep -F", fixed()), 0.3);
    let floor = ours(&["sift", "--level", "error", "-o", "/dev/null"], logs);
    row("level >= error", (floor, "grep -c ERROR", grep("ERROR")), 4.0);
    row("status >= 500", (sift("status >= 500"), "wc -l", lines()), 3.0);
    let jq = |filter: &str| beside("jq", &["-c", filter], std::slice::from_ref(&json));
    let of_json = |text: &str| ours(&["sift", "-w", text], &json);
    let failed = (of_json("status >= 500"), "jq", jq("select(.status >= 500)"));
    row("JSON, status >= 500", failed, 0.025);
    let crossing = (of_json("crossing > 120"), "jq", jq("select(.crossing > 120)"));
    row("JSON, crossing > 120", crossing, 0.025);
    let gate = logs.join("gate.log");
    let awk = beside("awk", &["$9 >= 500"], std::slice::from_ref(&gate));
    let failed = ours(&["sift", "-w", "status >= 500"], &gate);
    row("access, status >= 500", (failed, "awk", awk), 0.2);
    let copied = |on: &[PathBuf]| beside("cat", &[], on);
    let json_alone = std::slice::from_ref(&json);
    let written = |form: &str, on: &Path| ours(&["sift", "--as", form], on);
    row("JSON as JSON lines", (written("jsonl", &json), "cat", copied(json_alone)), 12.0);
    row("all as JSON lines", (written("jsonl", logs), "cat", copied(files)), 12.0);
    row("all as it stands", (written("raw", logs), "cat", copied(files)), 6.0);
    example("veil")?;
    let veil = program.with_file_name("examples").join("veil");
    for (name, file) in [
        ("every JSON line under the veil", "booking.log"),
        ("every access line under the veil", "gate.log"),
        ("every line of text under the veil", "payments.log"),
    ] {
        let file = logs.join(file);
        let mut under = Command::new(&veil);
        under.arg(&file);
        row(name, (under, "wc -l", beside("wc", &["-l"], std::slice::from_ref(&file))), 2.8);
    }
    // What the veil adds: beside the same where it hides nothing.
    let open = ["--unveil", "credentials", "--unveil", "sessions", "--unveil", "personal"];
    for (name, file) in [
        ("JSON as it stands, with the veil", "booking.log"),
        ("access as it stands, with the veil", "gate.log"),
        ("text as it stands, with the veil", "payments.log"),
    ] {
        let file = logs.join(file);
        let bare = ours(&[&["sift", "--as", "raw"], &open[..]].concat(), &file);
        row(name, (written("raw", &file), "no veil", bare), 1.4);
    }
    Ok(rows)
}

/// The measurements of reading.
fn reading(program: &Path, logs: &Path, folder: &Path, files: &[PathBuf]) -> Result<Vec<Row>> {
    let packed = folder.join("packed");
    fs::create_dir(&packed)?;
    let json = logs.join("booking.log");
    let (gzip, zstd) = (packed.join("booking.log.gz"), packed.join("booking.log.zst"));
    pack(Command::new("gzip").args(["-c", "-1"]).arg(&json), &gzip)?;
    pack(Command::new("zstd").args(["-q", "-c", "-1"]).arg(&json), &zstd)?;
    let ours = |arguments: &[&str], on: &Path| ours(program, arguments, on);
    let shell = |line: String| {
        let mut command = Command::new("sh");
        command.args(["-c", &line]);
        command
    };
    let one = |name: &str| {
        (ours(&["intake"], &logs.join(name)), "wc -l", {
            beside("wc", &["-l"], &[logs.join(name)])
        })
    };
    let lines = || beside("wc", &["-l"], files);
    let mut rows: Vec<Row> = Vec::new();
    let mut row = |name, (mine, beside, other): (Command, &'static str, Command), goal| {
        rows.push(Row { name, mine, beside, other, goal });
    };
    row("read and index JSON lines", one("booking.log"), 2.0);
    let shuffled = packed.join("shuffled.log");
    shuffle(&json, &shuffled)?;
    let other = beside("wc", &["-l"], std::slice::from_ref(&shuffled));
    row("the same, any key order", (ours(&["intake"], &shuffled), "wc -l", other), 3.0);
    row("read access lines", one("gate.log"), 2.3);
    row("read delimited lines", one("fares.log"), 2.3);
    row("read text, stack traces", one("payments.log"), 2.3);
    let four: Vec<PathBuf> = ["booking.log", "gate.log", "fares.log", "payments.log"]
        .map(|name| logs.join(name))
        .to_vec();
    let mut together = Command::new(program);
    together.arg("intake").args(&four);
    row("four files at once", (together, "wc -l", beside("wc", &["-l"], &four)), 2.8);
    row("all seven", (ours(&["intake"], logs), "wc -l", lines()), 2.8);
    let (mine, json_name) = (program.display(), json.display());
    let (gzip_name, zstd_name) = (gzip.display(), zstd.display());
    row(
        "from a pipe",
        (
            shell(format!("cat {json_name} | {mine} intake -")),
            "cat | wc -l",
            shell(format!("cat {json_name} | wc -l")),
        ),
        3.0,
    );
    row(
        ".gz",
        (ours(&["intake"], &gzip), "gzip -dc | wc", shell(format!("gzip -dc {gzip_name} | wc -l"))),
        0.5,
    );
    row(
        ".zst",
        (ours(&["intake"], &zstd), "zstd -dc | wc", shell(format!("zstd -dc {zstd_name} | wc -l"))),
        1.2,
    );
    Ok(rows)
}

fn beside(name: &str, arguments: &[&str], on: &[PathBuf]) -> Command {
    let mut command = Command::new(name);
    command.args(arguments).args(on).env("LC_ALL", "C");
    command
}

fn ours(program: &Path, arguments: &[&str], on: &Path) -> Command {
    let mut command = Command::new(program);
    command.args(arguments).arg(on);
    command
}

/// A measurement beside a usual tool.
struct Row {
    name: &'static str,
    mine: Command,
    beside: &'static str,
    other: Command,
    /// The ratio to reach.
    goal: f64,
}

/// Writes what a packer gives to a file.
fn pack(packer: &mut Command, to: &Path) -> Result<()> {
    let status = packer.stdout(fs::File::create(to)?).status()?;
    anyhow::ensure!(status.success(), "{packer:?} failed");
    Ok(())
}

/// The same objects with their keys in another order on every line, and now and then without one of them.
fn shuffle(from: &Path, to: &Path) -> Result<()> {
    let mut out = std::io::BufWriter::new(fs::File::create(to)?);
    let mut seed = 7u64;
    for line in std::io::BufReader::new(fs::File::open(from)?).lines() {
        let object: serde_json::Map<String, serde_json::Value> = serde_json::from_str(&line?)?;
        let mut members: Vec<_> = object.into_iter().collect();
        for at in (1..members.len()).rev() {
            seed = seed.wrapping_mul(6_364_136_223_846_793_005).wrapping_add(1);
            members.swap(at, usize::try_from(seed >> 33)? % (at + 1));
        }
        let mut first = true;
        for (name, value) in members {
            seed = seed.wrapping_mul(6_364_136_223_846_793_005).wrapping_add(1);
            let needed = matches!(name.as_str(), "time" | "level" | "msg");
            if needed || !(seed >> 40).is_multiple_of(8) {
                let mark = if std::mem::take(&mut first) { '{' } else { ',' };
                write!(out, "{mark}\"{name}\":{value}")?;
            }
        }
        out.write_all(b"}\n")?;
    }
    Ok(out.flush()?)
}

impl Row {
    /// Runs both in turn, writes the row and gives its ratio.
    fn measure(mut self, out: &mut impl Write) -> Result<f64> {
        let begun = Instant::now();
        let (mut mine, mut other, mut ratios) = (Vec::new(), Vec::new(), Vec::new());
        for _ in 0..RUNS {
            let pair = (timed(&mut self.mine)?, timed(&mut self.other)?);
            mine.push(pair.0);
            other.push(pair.1);
            ratios.push(pair.0.as_secs_f64() / pair.1.as_secs_f64());
            if begun.elapsed() > ENOUGH {
                break;
            }
        }
        mine.sort_unstable();
        other.sort_unstable();
        ratios.sort_unstable_by(f64::total_cmp);
        let middle = ratios.len() / 2;
        writeln!(
            out,
            "{:26} {:>9}   {:14} {:>9} {:>7.2}x {:>7.2}x",
            self.name,
            shown(mine[middle]),
            self.beside,
            shown(other[middle]),
            ratios[middle],
            self.goal,
        )?;
        Ok(ratios[middle])
    }
}

fn timed(command: &mut Command) -> Result<Duration> {
    let begun = Instant::now();
    command
        .stdout(Stdio::null())
        .stderr(Stdio::null())
        .stdin(Stdio::null())
        .status()
        .with_context(|| format!("{command:?}"))?;
    Ok(begun.elapsed())
}

fn shown(time: Duration) -> String {
    match time.as_millis() {
        0..10_000 => format!("{} ms", time.as_millis()),
        _ => format!("{:.1} s", time.as_secs_f64()),
    }
}
