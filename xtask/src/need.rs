//! Programs that are not Rust's: installed where that can be done, named where not.

use std::{
    io::Write,
    path::Path,
    process::{Command, Stdio},
};

use anyhow::{Result, bail};

/// Makes sure that programs are there. Each is given with the Debian package that brings it.
pub(crate) fn programs(wanted: &[(&str, &str)]) -> Result<()> {
    let missing: Vec<_> = wanted.iter().filter(|(program, _)| !is_there(program)).collect();
    if missing.is_empty() {
        return Ok(());
    }
    let mut packages: Vec<&str> = missing.iter().map(|(_, package)| *package).collect();
    packages.sort_unstable();
    packages.dedup();
    let advice = format!("apt-get install {}", packages.join(" "));
    if is_there("apt-get") && is_root() {
        writeln!(std::io::stderr(), "installing what is missing: {advice}")?;
        let quiet = |arguments: &[&str]| {
            Command::new("apt-get")
                .args(arguments)
                .env("DEBIAN_FRONTEND", "noninteractive")
                .stdout(Stdio::null())
                .status()
        };
        quiet(&["update", "-qq"])?;
        quiet(
            &[&["install", "-y", "-qq", "--no-install-recommends"], packages.as_slice()].concat(),
        )?;
    }
    if let Some((program, _)) = missing.iter().find(|(program, _)| !is_there(program)) {
        bail!("`{program}` is missing; install it with: {advice}");
    }
    Ok(())
}

/// Whether a program is on the path.
pub(crate) fn is_there(program: &str) -> bool {
    let path = std::env::var_os("PATH").unwrap_or_default();
    std::env::split_paths(&path).any(|folder| folder.join(program).is_file())
}

fn is_root() -> bool {
    use std::os::unix::fs::MetadataExt;
    Path::new("/proc/self").metadata().is_ok_and(|meta| meta.uid() == 0)
}
