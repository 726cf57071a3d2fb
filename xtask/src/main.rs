//! Test set-up, screenshots, torture and benchmarks: `cargo xtask test`, `cargo xtask shots`, `cargo xtask torture`,
//! `cargo xtask budget`, `cargo xtask bench`.

mod bench;
mod budget;
mod fuzz;
mod need;
mod shots;

use std::process::Command;

use anyhow::{Result, bail};
use clap::{Parser, Subcommand};

/// Chores of the project.
#[derive(Parser)]
struct Arguments {
    #[command(subcommand)]
    task: Task,
}

#[derive(Subcommand)]
enum Task {
    /// Set up what the tests need and run all of them
    Test,
    /// Remake docs/screenshots from the demo data
    Shots,
    /// Fuzz a part of the core, guided by what its code does
    Fuzz {
        /// Which part
        #[arg(value_enum)]
        target: fuzz::Target,
        /// For how long
        #[arg(long, default_value_t = 10)]
        minutes: u64,
    },
    /// Follow logs through everything that happens to them, and count each line
    Torture {
        /// For ten minutes rather than two
        #[arg(long)]
        long: bool,
        /// Only the scenarios whose names have this in them
        name: Option<String>,
    },
    /// Count instructions per line and hold them against xtask/budget.toml
    Budget {
        /// Put what was counted in the place of what the budget says
        #[arg(long)]
        write: bool,
        /// Count every row, not only those that are checked before a change lands
        #[arg(long)]
        all: bool,
        /// Only the rows whose names have this in them
        row: Option<String>,
    },
    /// Print how fast the core paths are beside usual tools on the same files
    Bench {
        /// Entries in the generated files; five million are a gigabyte
        #[arg(long, default_value_t = 5_000_000)]
        entries: usize,
        /// Which parts to measure; without any, all of them
        #[arg(value_enum)]
        parts: Vec<bench::Part>,
        /// End with a status when a row is worse than 1.3 times its goal
        #[arg(long)]
        check: bool,
    },
}

fn main() -> Result<()> {
    match Arguments::parse().task {
        Task::Test => test(),
        Task::Shots => shots::run(),
        Task::Fuzz { target, minutes } => fuzz::run(target, minutes),
        Task::Torture { long, name } => torture(long, name.as_deref()),
        Task::Budget { write, all, row } => budget::run(write, all, row.as_deref()),
        Task::Bench { entries, parts, check } => bench::run(entries, &parts, check),
    }
}

fn test() -> Result<()> {
    need::programs(&[("tmux", "tmux"), ("gzip", "gzip"), ("valgrind", "valgrind")])?;
    run(Command::new("cargo").args(["test", "--workspace", "--locked"]))
}

/// Runs the tests of following at many times their size.
fn torture(long: bool, name: Option<&str>) -> Result<()> {
    need::programs(&[("gzip", "gzip")])?;
    let only = name.map(|name| format!("torture::{name}"));
    let all = ["torture::".to_owned(), "two_million".to_owned()];
    run(Command::new("cargo")
        .args(["test", "--release", "--locked", "--package", "cribrum", "--test", "it", "--"])
        .args(only.map_or_else(|| all.to_vec(), |only| vec![only]))
        .args(["--nocapture", "--test-threads=1", "--include-ignored"])
        .env("CRIBRUM_TORTURE", if long { "6" } else { "1" }))
}

/// Runs a command and fails when it does.
fn run(command: &mut Command) -> Result<()> {
    let status = command.status()?;
    if !status.success() {
        bail!("{command:?} ended with {status}");
    }
    Ok(())
}

/// Builds the program as it is released and gives its path.
fn release() -> Result<std::path::PathBuf> {
    run(Command::new("cargo").args(["build", "--release", "--locked", "--package", "cribrum"]))?;
    let target = std::env::var_os("CARGO_TARGET_DIR").unwrap_or_else(|| "target".into());
    Ok(std::path::Path::new(&target).join("release/cribrum").canonicalize()?)
}
