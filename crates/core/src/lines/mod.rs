//! From bytes to physical lines to the extents of entries.
//!
//! A [`Cutter`] takes lines in order and writes the columns of the index. It can start in the middle of
//! a file: what stands before the first line that begins an entry is then its *lead*, which belongs to
//! whatever came before, and whoever joins the pieces cuts the lead again with the [`Carry`] of the
//! piece before. So a file is cut in parallel and yet as if by one.

mod chunk;
mod cutter;

pub(crate) use chunk::{Chunk, Cut, read};
pub(crate) use cutter::{Carry, Cutter, Part};

/// Whether a line looks like the continuation of an entry: indented, or a line of a stack trace that
/// usually stands at the margin.
pub(crate) fn is_continuation(line: &[u8]) -> bool {
    const OPENINGS: [&[u8]; 9] = [
        b"Caused by",
        b"caused by",
        b"Suppressed:",
        b"Traceback (most recent call last)",
        b"During handling of the above",
        b"The above exception was",
        b"... ",
        b"at ",
        b"stack backtrace:",
    ];
    match line.first() {
        None => true,
        Some(b' ' | b'\t' | b'}' | b']' | b')') => true,
        Some(_) => OPENINGS.iter().any(|open| line.starts_with(open)) || names_an_error(line),
    }
}

/// `java.lang.IllegalStateException: …`, `ValueError: …`: an error's type and nothing before it.
fn names_an_error(line: &[u8]) -> bool {
    let name_end = line
        .iter()
        .position(|b| !(b.is_ascii_alphanumeric() || matches!(b, b'.' | b'_' | b'$')))
        .unwrap_or(line.len());
    let name = &line[..name_end];
    let ended = matches!(line.get(name_end), None | Some(b':'));
    ended
        && [
            &b"Exception"[..],
            b"Error",
            b"Throwable",
            b"Timeout",
            b"Warning",
        ]
        .iter()
        .any(|end| name.len() > end.len() && name.ends_with(end))
}

#[cfg(test)]
mod tests;
