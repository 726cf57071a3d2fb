//! Work for the worker threads, and what comes back.

use std::sync::{
    Arc,
    atomic::{AtomicBool, Ordering},
};

use std::{collections::HashSet, path::PathBuf};

use crossbeam_channel::{Receiver, Sender, select, unbounded};

use super::{
    across::{Across, Among},
    identify::identify,
};
use crate::{
    guard,
    ingest::{Done, KnownFiles, Place, Task, Ticket, Wanted, discover},
    query::{Beside, Judged, Predicate},
    source::Source,
    store::{Block, Blocks},
    veil::Veil,
};

pub(super) enum Job {
    /// Something for a source.
    Ingest(Ticket, Box<Task>),
    /// Looks for new files.
    Scan { places: Vec<Place>, wanted: Wanted, known: HashSet<PathBuf>, taken: KnownFiles },
    /// Puts together what the blocks say beside others.
    Relate(Blocks),
    /// Looks for the ids of a block.
    Identify { number: usize, block: Arc<Block> },
    Judge {
        key: Arc<str>,
        predicate: Arc<Predicate>,
        number: usize,
        block: Arc<Block>,
        source: Arc<Vec<Source>>,
        /// What is known of all blocks, where the condition asks for that.
        across: Option<Arc<Across>>,
        cancelled: Arc<AtomicBool>,
    },
}

pub(super) enum Outcome {
    Ingest(Ticket, Box<Done>),
    Scanned(discover::Arrivals),
    Related(Arc<Across>),
    /// The ids of a block are known, or it can't be read.
    Identified {
        number: usize,
        edition: u32,
    },
    Judged {
        key: Arc<str>,
        number: usize,
        edition: u32,
        /// What was known of all blocks when it was asked.
        across: Option<Arc<Across>>,
        /// `None` when the job was cancelled before it began.
        judged: Option<Judged>,
        /// The condition failed, and holds for all entries of the block.
        failed: bool,
    },
}

/// Jobs of one kind in a row after which one of the other kind comes first.
const IN_A_ROW: usize = 8;

/// The queues of the workers. Judging goes before reading, since a person waits for it, but reading gets its
/// share. Both are short: the coordinator asks for more as results come.
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
                let mut urgent_in_a_row = 0;
                loop {
                    let (first, other) = match urgent_in_a_row < IN_A_ROW {
                        true => (&urgent, &steady),
                        false => (&steady, &urgent),
                    };
                    let job = match first.try_recv().or_else(|_| other.try_recv()) {
                        Ok(job) => job,
                        Err(_) => select! {
                            recv(urgent) -> job => match job { Ok(job) => job, Err(_) => return },
                            recv(steady) -> job => match job { Ok(job) => job, Err(_) => return },
                        },
                    };
                    urgent_in_a_row = match job {
                        Job::Judge { .. } => urgent_in_a_row + 1,
                        _ => 0,
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
            Job::Ingest(..) | Job::Scan { .. } | Job::Identify { .. } | Job::Relate(_) => {
                &self.steady
            }
        };
        // The workers outlive the coordinator, which owns the queues.
        let _ = queue.send(job);
    }
}

impl Job {
    /// Runs the job. Should it panic, the others go on: what it was to read is told as unreadable, and what it was
    /// to judge passes everything, and says so.
    fn run_safely(self, veil: &Veil) -> Outcome {
        let failed = match &self {
            Self::Ingest(ticket, task) => Outcome::Ingest(*ticket, Box::new(task.failed())),
            Self::Scan { .. } => Outcome::Scanned(discover::Arrivals::default()),
            Self::Relate(_) => Outcome::Related(Arc::default()),
            Self::Identify { number, block } => {
                Outcome::Identified { number: *number, edition: block.edition }
            }
            Self::Judge { key, number, block, across, .. } => Outcome::Judged {
                key: Arc::clone(key),
                number: *number,
                across: across.clone(),
                edition: block.edition,
                judged: Some(Judged::all(block)),
                failed: true,
            },
        };
        guard::catch(|| self.run(veil)).unwrap_or(failed)
    }

    fn run(self, veil: &Veil) -> Outcome {
        match self {
            Self::Ingest(ticket, task) => Outcome::Ingest(ticket, Box::new(task.run())),
            Self::Scan { places, wanted, known, taken } => {
                Outcome::Scanned(discover::arrivals(&places, &wanted, &known, &taken))
            }
            Self::Identify { number, block } => {
                // What can't be read has no ids, and is told when it is asked for.
                let _ = identify(&block, &mut Vec::new());
                Outcome::Identified { number, edition: block.edition }
            }
            Self::Relate(blocks) => Outcome::Related(Arc::new(Across::of(&blocks))),
            Self::Judge { key, predicate, number, block, source, across, cancelled } => {
                let among = across.as_deref().map(|across| Among { across, number, block: &block });
                let beside = among.as_ref().map(|among| among as &dyn Beside);
                let source = &source[block.source.index()];
                let judge = || predicate.judge_all(&block, source, veil, beside);
                Outcome::Judged {
                    key,
                    number,
                    edition: block.edition,
                    across: across.clone(),
                    judged: (!cancelled.load(Ordering::Relaxed)).then(judge),
                    failed: false,
                }
            }
        }
    }
}
