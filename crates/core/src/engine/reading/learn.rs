//! What a source says about itself, learnt from its beginning, and learnt anew where that proves wrong.

use std::sync::Arc;

use super::{Reading, file_name};
use crate::{
    layout::Dialect,
    limits,
    lines::Cut,
    source::{self, Segment},
};

/// Times that one source is looked at anew: more would say that there is nothing to learn.
const TIMES: usize = 16;

impl Reading {
    /// Learns from the beginning of the source.
    pub(super) fn learn(&mut self, segment: &Segment) {
        let bytes = probe(segment, 0);
        self.learnt = Some(bytes.len() as u64);
        self.dialect = Arc::new(self.untaught().learn(&bytes));
    }

    /// What holds for the file before anything is learnt from it.
    fn untaught(&self) -> Dialect {
        let date = match &self.path {
            Some(path) => source::date_of(path),
            None => jiff::Timestamp::now().as_nanosecond().try_into().ok(),
        };
        let name = self.path.as_deref().map_or_else(|| "stdin".into(), file_name);
        self.base.clone().for_file(&name).dated(date)
    }

    /// Learns again from a source that was just beginning when it was learnt from, and has grown since. What
    /// was read is then read again. Only while nothing is being read.
    pub(super) fn learn_more(&mut self) {
        let Some(learnt) = self.learnt.filter(|learnt| *learnt < limits::PROBE_BYTES as u64) else {
            return;
        };
        let fresh = self.tail.as_ref().is_none_or(|tail| tail.part.offset == 0);
        let Some(segment) = self.segment.clone().filter(|_| fresh && self.size >= learnt * 2)
        else {
            return;
        };
        self.learn(&segment);
    }

    /// Looks at lines in a row that no layout took: where they make sense under a header, or with a prefix,
    /// that the source had not shown before, it is read again from its last block on. Says whether it is.
    pub(super) fn learn_anew(&mut self, cut: &Cut) -> bool {
        if self.relearnt >= TIMES || self.base.forced().is_some() {
            return false;
        }
        let (Some(from), Some(segment)) = (cut.strange, &self.segment) else { return false };
        self.relearnt += 1;
        let bytes = probe(segment, from);
        let learnt = self.untaught().learn(&bytes);
        let (now, then) = (self.dialect.share_of(&bytes), learnt.share_of(&bytes));
        if then < now + 0.25 {
            return false;
        }
        self.dialect = Arc::new(learnt);
        if self.tail.is_none() {
            self.end = cut.lead_at;
        }
        self.rewind();
        true
    }
}

/// The bytes from a place on that are learnt from. What can't be read here fails again, and is told, when the
/// chunk is read.
fn probe(segment: &Segment, from: u64) -> Vec<u8> {
    let mut bytes = vec![0; limits::PROBE_BYTES];
    let got = segment.read_at(from, &mut bytes).unwrap_or(0);
    bytes.truncate(got);
    bytes
}
