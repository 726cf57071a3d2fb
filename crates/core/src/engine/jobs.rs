//! Work for the worker threads, and what comes back.

use std::{
    panic::{AssertUnwindSafe, catch_unwind},
    sync::{
        Arc,
        atomic::{AtomicBool, Ordering},
    },
};

use crossbeam_channel::{Receiver, Sender, select, unbounded};

use crate::{
    layout::Dialect,
    lines::{self, Chunk, Cut},
    query::Predicate,
    source::{Segment, Source},
    store::{Bits, Block},
    veil::Veil,
};

pub(super) enum Job {
    Read {
        source: usize,
        /// Which run of reading the chunk belongs to; results of an earlier one are dropped.
        run: u32,
        number: usize,
        segment: Arc<Segment>,
        dialect: Arc<Dialect>,
        chunk: Chunk,
    },
    Judge {
        key: Arc<str>,
        predicate: Arc<Predicate>,
        number: usize,
        block: Arc<Block>,
        source: Arc<Vec<Source>>,
        cancelled: Arc<AtomicBool>,
    },
}

pub(super) enum Outcome {
    Read {
        source: usize,
        run: u32,
        number: usize,
        cut: std::io::Result<Box<Cut>>,
    },
    Judged {
        key: Arc<str>,
        number: usize,
        edition: u32,
        /// `None` when the job was cancelled before it began.
        bits: Option<Bits>,
    },
}

/// The queues of the workers. Judging goes before reading, since somebody waits for it.
pub(super) struct Workers {
    urgent: Sender<Job>,
    steady: Sender<Job>,
    pub(super) outcomes: Receiver<Outcome>,
    pub(super) count: usize,
}

impl Workers {
    pub(super) fn start(veil: &Veil) -> std::io::Result<Self> {
        let (urgent, urgent_jobs) = unbounded();
        let (steady, steady_jobs) = unbounded();
        let (results, outcomes) = unbounded();
        let count = std::thread::available_parallelism().map_or(2, usize::from).clamp(1, 16);
        for number in 0..count {
            let (urgent, steady): (Receiver<Job>, Receiver<Job>) =
                (urgent_jobs.clone(), steady_jobs.clone());
            let (results, veil) = (results.clone(), veil.clone());
            std::thread::Builder::new().name(format!("worker-{number}")).spawn(move || {
                loop {
                    let job = match urgent.try_recv() {
                        Ok(job) => job,
                        Err(_) => select! {
                            recv(urgent) -> job => match job { Ok(job) => job, Err(_) => return },
                            recv(steady) -> job => match job { Ok(job) => job, Err(_) => return },
                        },
                    };
                    if results.send(job.run_safely(&veil)).is_err() {
                        return;
                    }
                }
            })?;
        }
        Ok(Self { urgent, steady, outcomes, count })
    }

    pub(super) fn queue(&self, job: Job) {
        let queue = match job {
            Job::Judge { .. } => &self.urgent,
            Job::Read { .. } => &self.steady,
        };
        // The workers outlive the coordinator, which owns the queues.
        let _ = queue.send(job);
    }
}

impl Job {
    /// Runs the job. Should it panic, the others go on: what it was to read is told as unreadable, and
    /// what it was to judge passes nothing.
    fn run_safely(self, veil: &Veil) -> Outcome {
        let failed = match &self {
            Self::Read { source, run, number, .. } => Outcome::Read {
                source: *source,
                run: *run,
                number: *number,
                cut: Err(std::io::Error::other("an error in Cribrum itself; please report it")),
            },
            Self::Judge { key, number, block, .. } => Outcome::Judged {
                key: Arc::clone(key),
                number: *number,
                edition: block.edition,
                bits: Some(Bits::none(block.len())),
            },
        };
        catch_unwind(AssertUnwindSafe(|| self.run(veil))).unwrap_or(failed)
    }

    fn run(self, veil: &Veil) -> Outcome {
        match self {
            Self::Read { source, run, number, segment, dialect, chunk } => Outcome::Read {
                source,
                run,
                number,
                cut: lines::read(&segment, &dialect, &chunk).map(Box::new),
            },
            Self::Judge { key, predicate, number, block, source, cancelled } => {
                let judge = || predicate.judge(&block, &source[block.source.index()], veil);
                Outcome::Judged {
                    key,
                    number,
                    edition: block.edition,
                    bits: (!cancelled.load(Ordering::Relaxed)).then(judge),
                }
            }
        }
    }
}
