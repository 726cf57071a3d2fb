//! Coverage-guided fuzzing on the stable toolchain, seeded with the samples.

use std::{
    fs,
    path::{Path, PathBuf},
    process::Command,
};

use anyhow::{Result, bail};
use clap::ValueEnum;

use crate::need;

/// What is fuzzed; `crates/core/src/fuzz.rs` says what each of them holds.
#[derive(Clone, Copy, Debug, PartialEq, Eq, ValueEnum)]
pub(crate) enum Target {
    /// One line, held against every layout
    Line,
    /// A file, learnt from and cut
    File,
    /// A file cut at random places, held against one piece
    Cuts,
    /// The filter language
    Filter,
    /// Templates of taught layouts
    Template,
    /// The veil
    Veil,
}

impl Target {
    fn name(self) -> String {
        format!("{self:?}").to_lowercase()
    }

    /// The texts that it begins with.
    fn seeds(self) -> Result<Vec<Vec<u8>>> {
        let samples = || -> Result<Vec<Vec<u8>>> {
            let folder = Path::new("crates/core/tests/samples");
            let mut files: Vec<PathBuf> =
                fs::read_dir(folder)?.flatten().map(|entry| entry.path()).collect();
            files.sort();
            Ok(files.iter().filter_map(|file| fs::read(file).ok()).collect())
        };
        let lines = || -> Result<Vec<Vec<u8>>> {
            let all = samples()?;
            let lines = all.iter().flat_map(|text| text.split(|byte| *byte == b'\n').take(40));
            Ok(lines.filter(|line| !line.is_empty()).map(<[u8]>::to_vec).collect())
        };
        Ok(match self {
            Self::Line | Self::Veil => lines()?,
            Self::File => samples()?,
            Self::Cuts => samples()?.into_iter().map(|text| [b"@\x80\xa0\xf0", &text[..]].concat()).collect(),
            Self::Filter => {
                let page = fs::read_to_string("docs/filter.md")?;
                let quoted = page.split('`').skip(1).step_by(2);
                quoted.map(|text| text.as_bytes().to_vec()).collect()
            }
            Self::Template => vec![
                b"{time} | {session:id} | {level} | {rest:pairs}\n2026-03-14 06:41:02 | 9f3a | info | a=b".to_vec(),
                b"[{level}] {logger}: {message}\n[info] gate: told".to_vec(),
            ],
        })
    }
}

/// Fuzzes a target for some minutes. What it finds is kept in `fuzz/artifacts`.
pub(crate) fn run(target: Target, minutes: u64) -> Result<()> {
    if !need::is_there("cargo-fuzz") {
        crate::run(Command::new("cargo").args(["install", "cargo-fuzz", "--locked"]))?;
    }
    let name = target.name();
    let seeds = Path::new("fuzz/seeds").join(&name);
    fs::create_dir_all(&seeds)?;
    for (at, seed) in target.seeds()?.iter().enumerate() {
        fs::write(seeds.join(format!("{at:05}")), seed)?;
    }
    let corpus = Path::new("fuzz/corpus").join(&name);
    fs::create_dir_all(&corpus)?;
    let status = Command::new("cargo")
        .args(["fuzz", "run", "--sanitizer", "none", &name])
        .args([&corpus, &seeds])
        .args([
            "--",
            &format!("-max_total_time={}", minutes * 60),
            "-rss_limit_mb=4096",
            "-timeout=20",
        ])
        // Instrumentation is unstable; the compiler itself need not be.
        .env("RUSTC_BOOTSTRAP", "1")
        .status()?;
    if !status.success() {
        bail!("{name}: something was found; it is kept in fuzz/artifacts/{name}");
    }
    Ok(())
}
