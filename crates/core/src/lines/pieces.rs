//! A text cut in pieces and joined again, without files, jobs and workers: what tests and fuzzing hold against one
//! piece.

use std::io::Write as _;

use super::{Carry, Chunk, Cutter, Part, read};
use crate::{layout::Dialect, source::Segment};

/// Where the entries of a text start when it is cut at these places, which ascend, and the lines it has.
///
/// # Panics
///
/// When no temporary file can be written and read.
pub(crate) fn starts_in_pieces(dialect: &Dialect, text: &[u8], at: &[usize]) -> (Vec<u64>, u64) {
    let mut file = tempfile::tempfile().unwrap_or_else(|error| panic!("{error}"));
    file.write_all(text).unwrap_or_else(|error| panic!("{error}"));
    let segment = Segment::unnamed(file);
    let total = text.len() as u64;
    let mut starts: Vec<u64> = Vec::new();
    let mut take = |parts: Vec<Part>| {
        for part in parts {
            starts.extend(part.columns.starts().map(|start| part.offset + u64::from(start)));
        }
    };
    let mut carry = Carry::default();
    let mut lines = 0;
    let mut open: Option<Part> = None;
    let mut from = 0;
    for end in at.iter().map(|at| *at as u64).chain([total]) {
        let range = from..end.min(total);
        if range.is_empty() {
            continue;
        }
        from = range.end;
        let mut cut = read(&segment, dialect, Chunk::of(range, total))
            .unwrap_or_else(|trouble| panic!("{trouble:?}"));
        assert_eq!(cut.failed, None, "no line is too much for the cutter");
        if carry.waits() && !cut.parts.is_empty() {
            cut.give_back(&segment).unwrap_or_else(|error| panic!("{error}"));
        }
        if !cut.lead.is_empty() {
            let mut cutter = Cutter::resume(dialect, carry.clone(), open.take(), cut.lead_at);
            cutter.run(&cut.lead, cut.lead_at);
            let (mut parts, after, ..) = cutter.finish();
            carry = after;
            open = parts.pop();
            take(parts);
        }
        lines += cut.lines;
        if !cut.parts.is_empty() {
            take(open.take().into_iter().collect());
            carry = cut.carry.or_time(carry.time());
            let mut parts = cut.parts;
            open = parts.pop();
            take(parts);
        }
        // What is behind a header of other columns is read by another dialect.
        if cut.turn.is_some() {
            break;
        }
    }
    take(open.into_iter().collect());
    (starts, lines)
}
