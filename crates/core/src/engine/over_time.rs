//! Entries of the pan over time.

use std::io;

use super::{
    Snapshot,
    pass::{self, Entries, Fold, Pass, Selection},
};
use crate::{entry::Severity, volume::Volume};

/// The pan over time, its time window included, in at most `most` slices. `None` when the pass was ended. Cost: a
/// look at the time of every entry in the pan.
#[must_use]
pub fn pan_over_time(snapshot: &Snapshot, most: usize, pass: &Pass) -> Option<Volume> {
    let time = |row: Option<usize>| snapshot.pan.get(row?).and_then(|id| snapshot.time(id));
    // Entries without a time come first.
    let timed = || snapshot.pan.iter_from(0).find_map(|id| snapshot.time(id));
    let last = time(snapshot.pan.len().checked_sub(1));
    let (Some(first), Some(last)) = (time(Some(0)).or_else(timed), last) else {
        return Some(Volume::default());
    };
    let over = OverTime(Volume::over(first, last, most));
    let measured = pass::run(snapshot, &Selection::pan(snapshot), &over, pass)?;
    Some(measured.part.unwrap_or(over.0))
}

/// The measure: empty slices that each part begins with.
struct OverTime(Volume);

impl Fold for OverTime {
    type Part = Option<Volume>;

    fn measure(&self, entries: &mut Entries<'_>, part: &mut Self::Part) -> io::Result<()> {
        let volume = part.get_or_insert_with(|| self.0.clone());
        for (_, time, severity) in entries.facts() {
            if let Some(time) = time {
                volume.count(time, severity.map(Severity::level));
            }
        }
        Ok(())
    }

    fn merge(&self, whole: &mut Self::Part, part: Self::Part) {
        let volume = whole.get_or_insert_with(|| self.0.clone());
        part.iter().for_each(|part| volume.add_all(part));
    }
}
