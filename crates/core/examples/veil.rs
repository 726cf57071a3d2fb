//! Looks at every line of a file as it is looked at before it leaves the desk, a part of the file a thread, and counts
//! the lines that hold something to hide: `cargo run --release --example veil FILE [desk]`. The benchmark measures
//! this; with `desk` what tells who somebody is is not looked for.

use std::{
    fs::File,
    io::{self, Write as _},
    os::unix::fs::FileExt as _,
    thread,
};

use cribrum_core::veil::{Action, Class, Group, Policy, Veil};

/// Bytes that are read in one go. A longer line is looked at in parts.
const BLOCK: usize = 1 << 18;

fn main() -> io::Result<()> {
    let path = std::env::args_os().nth(1).ok_or(io::ErrorKind::InvalidInput)?;
    let mut policy = Policy::default();
    if std::env::args().nth(2).as_deref() == Some("desk") {
        let personal = Class::ALL.into_iter().filter(|class| class.group() == Group::Personal);
        personal.for_each(|class| policy.set(class, Action::Keep));
    }
    let veil = Veil::new([7; 16]).with_policy(policy);
    let file = File::open(path)?;
    let bytes = file.metadata()?.len();
    let threads = thread::available_parallelism().map_or(1, usize::from) as u64;
    let part = bytes / threads + 1;
    let hidden: io::Result<usize> = thread::scope(|scope| {
        let workers: Vec<_> = (0..threads)
            .map(|number| number * part..bytes.min((number + 1) * part))
            .map(|range| scope.spawn(|| count(&file, range, &veil)))
            .collect();
        workers.into_iter().map(|worker| worker.join().unwrap_or(Ok(0))).sum()
    });
    writeln!(io::stdout(), "{} lines that may hold something to hide", hidden?)
}

/// The lines that begin in a part of the file and hold something to hide.
fn count(file: &File, range: std::ops::Range<u64>, veil: &Veil) -> io::Result<usize> {
    let mut block = vec![0; BLOCK];
    let (mut at, mut hidden) = (range.start, 0);
    let mut skips = at > 0;
    while at < range.end {
        // One byte before tells whether a line begins here.
        let read = file.read_at(&mut block, at - u64::from(skips))?;
        if read == 0 {
            break;
        }
        let mut from = 0;
        if std::mem::take(&mut skips) {
            from = memchr::memchr(b'\n', &block[..read]).map_or(read, |end| end + 1);
            at -= 1;
        }
        let whole = memchr::memrchr(b'\n', &block[..read]).map_or(read, |end| end + 1);
        for end in memchr::memchr_iter(b'\n', &block[..whole]) {
            if end < from {
                continue;
            }
            if at + from as u64 >= range.end {
                return Ok(hidden);
            }
            hidden += usize::from(!veil.is_clear(&block[from..end]));
            from = end + 1;
        }
        if from < whole {
            hidden += usize::from(!veil.is_clear(&block[from..whole]));
        }
        at += whole as u64;
    }
    Ok(hidden)
}
