//! Puts every line of a file under the veil, a part of the file a thread, and counts the lines in which
//! something is hidden: `cargo run --release --example veil FILE`. The benchmark measures this.

use std::{
    fs,
    io::{self, Write as _},
    thread,
};

use cribrum_core::veil::Veil;

fn main() -> io::Result<()> {
    let path = std::env::args_os().nth(1).ok_or(io::ErrorKind::InvalidInput)?;
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
            let veil = Veil::new([7; 16]);
            let lines = part.split(|byte| *byte == b'\n').map(String::from_utf8_lossy);
            lines.filter(|line| veil.typed(line).as_str() != *line).count()
        };
        let workers: Vec<_> =
            parts.into_iter().map(|part| scope.spawn(move || count(part))).collect();
        workers.into_iter().map(|worker| worker.join().unwrap_or(0)).sum()
    });
    writeln!(io::stdout(), "{hidden} lines with something to hide")
}
