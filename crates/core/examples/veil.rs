//! Looks at every line of a file as it is looked at before it leaves the desk, a part of the file a thread, and counts
//! the lines that hold something to hide: `cargo run --release --example veil FILE [desk]`. The benchmark measures
//! this; with `desk` what tells who somebody is is not looked for.

use std::{
    fs,
    io::{self, Write as _},
    thread,
};

use cribrum_core::veil::{Action, Class, Group, Policy, Veil};

fn main() -> io::Result<()> {
    let path = std::env::args_os().nth(1).ok_or(io::ErrorKind::InvalidInput)?;
    let mut policy = Policy::default();
    if std::env::args().nth(2).as_deref() == Some("desk") {
        let personal = Class::ALL.into_iter().filter(|class| class.group() == Group::Personal);
        personal.for_each(|class| policy.set(class, Action::Keep));
    }
    let veil = Veil::new([7; 16]).with_policy(policy);
    let bytes = fs::read(path)?;
    let threads = thread::available_parallelism().map_or(1, usize::from);
    let mut parts = Vec::new();
    let mut rest = bytes.as_slice();
    while !rest.is_empty() {
        let at = (bytes.len() / threads + 1).min(rest.len());
        let end = memchr::memchr(b'\n', &rest[at..]).map_or(rest.len(), |to| at + to + 1);
        let (part, more) = rest.split_at(end);
        parts.push(part);
        rest = more;
    }
    let hidden: usize = thread::scope(|scope| {
        let count = |part: &[u8]| {
            part.split(|byte| *byte == b'\n').filter(|line| !veil.is_clear(line)).count()
        };
        let workers: Vec<_> =
            parts.into_iter().map(|part| scope.spawn(move || count(part))).collect();
        workers.into_iter().map(|worker| worker.join().unwrap_or(0)).sum()
    });
    writeln!(io::stdout(), "{hidden} lines that may hold something to hide")
}
