//! Many rows written on all cores, in their order.

use std::{
    io::{self, Write},
    ops::Range,
};

use crossbeam_channel::{Receiver, Sender, bounded};

use super::{Error, Exporter};
use crate::{
    limits,
    store::{EntryId, Rows},
};

/// Rows that a thread writes in one go.
const BATCH: usize = 8_192;
/// Batches of a thread that wait for those before them.
const WAITING: usize = 1;

/// What a thread has written.
#[derive(Default)]
struct Batch {
    text: Vec<u8>,
    errors: Vec<Error>,
}

/// Writes rows of a snapshot on all cores, in their order. Entries that can't be read any more are handed
/// to `lost` and left out.
///
/// # Errors
///
/// When the output takes no more.
pub fn write_rows<'s>(
    rows: &Rows,
    make: &(dyn Fn() -> Exporter<'s> + Sync),
    out: &mut impl Write,
    lost: &mut dyn FnMut(&Error),
) -> io::Result<()> {
    let threads = std::thread::available_parallelism().map_or(1, usize::from).min(8);
    let batch = batch(&make());
    std::thread::scope(|scope| {
        let mut from_threads: Vec<(Receiver<Batch>, Sender<Batch>)> = Vec::new();
        for thread in 0..threads {
            let (done, written) = bounded(WAITING);
            let (back, used) = bounded(WAITING + 1);
            from_threads.push((written, back));
            scope.spawn(move || {
                let mut writer = Writer::new(make());
                for start in (thread * batch..rows.len()).step_by(threads * batch) {
                    let room = used.try_recv().unwrap_or_default();
                    let batch = writer.write(rows.iter_from(start).take(batch), room);
                    // The output failed: stop.
                    if done.send(batch).is_err() {
                        return;
                    }
                }
            });
        }
        for (written, back) in from_threads.iter().cycle() {
            // A thread that has nothing more to write comes after all others have written theirs.
            let Ok(mut batch) = written.recv() else { break };
            out.write_all(&batch.text)?;
            batch.errors.drain(..).for_each(|error| lost(&error));
            // It is for the next one, if there is one.
            let _ = back.try_send(batch);
        }
        Ok(())
    })
}

/// Rows that are written in one go: few where some are so long that many of them would fill the memory.
fn batch(exporter: &Exporter<'_>) -> usize {
    let longest = exporter.snapshot.blocks.iter().map(|block| block.len).max().unwrap_or(0);
    if longest > 4 * limits::CHUNK_BYTES as u64 { 1 } else { BATCH }
}

/// Writes rows source by source, as they are read best, and puts them in their order.
struct Writer<'s> {
    exporter: Exporter<'s>,
    text: Vec<u8>,
    spans: Vec<Range<usize>>,
}

impl<'s> Writer<'s> {
    fn new(exporter: Exporter<'s>) -> Self {
        Self { exporter, text: Vec::new(), spans: Vec::new() }
    }

    fn write(&mut self, rows: impl Iterator<Item = EntryId>, mut room: Batch) -> Batch {
        let mut ids: Vec<(EntryId, usize)> = rows.enumerate().map(|(at, id)| (id, at)).collect();
        room.text.clear();
        if ids.is_sorted() {
            for (id, _) in ids {
                room.errors.extend(self.exporter.write(id, &mut room.text).err());
            }
            return room;
        }
        ids.sort_unstable();
        self.text.clear();
        self.spans.clear();
        self.spans.resize(ids.len(), 0..0);
        for (id, at) in ids {
            let start = self.text.len();
            room.errors.extend(self.exporter.write(id, &mut self.text).err());
            self.spans[at] = start..self.text.len();
        }
        for span in &self.spans {
            room.text.extend_from_slice(&self.text[span.clone()]);
        }
        room
    }
}
