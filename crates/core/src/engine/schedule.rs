//! Which source is read next, and when each is looked at again.

use std::{
    collections::{BTreeSet, HashMap, HashSet, VecDeque},
    path::{Path, PathBuf},
    sync::Arc,
    time::{Duration, Instant},
};

use super::{Options, jobs::Job};
use crate::{
    ingest::{
        Discovery, Done, Feed, Manner, Problem, Sealed, Ticket, discover, rotated, watch::Watcher,
    },
    limits,
    source::{Identity, Origin, Source, Wake},
};

/// How often places are looked at for new files where nothing was heard of one.
const SCAN: Duration = Duration::from_secs(2);

/// When a source that is due already is tended again at the latest.
const OVERDUE: Duration = Duration::from_millis(100);

/// How soon a place is looked at again where something was found for the first time.
const AGAIN: Duration = Duration::from_millis(100);

/// All sources on their way in.
pub(super) struct Schedule {
    pub(super) sources: Arc<Vec<Source>>,
    pub(super) feeds: Vec<Feed>,
    /// Their names and labels.
    names: HashSet<String>,
    /// The sources with something to do, the one that is furthest behind first.
    ready: BTreeSet<(u64, usize)>,
    ranks: Vec<Option<u64>>,
    /// When sources are to be tended next.
    timers: BTreeSet<(Instant, usize)>,
    due: Vec<Option<Instant>>,
    /// Whether files of each source wait, or it is still open, and how many of them do.
    pending: (Vec<bool>, usize),
    /// Sources whose bytes come without a change of the file system.
    streams: BTreeSet<usize>,
    /// Sources whose archives wait until others are unpacked.
    held: VecDeque<usize>,
    /// Sources that wait until what was read of them has been printed, since no more of it can be copied.
    starved: BTreeSet<usize>,
    places: Places,
    options: Options,
    manner: Manner,
    watcher: Option<Watcher>,
    /// The sources that expect more under a path, and of how many files of each that is known.
    by_path: HashMap<PathBuf, Vec<usize>>,
    files_known: Vec<usize>,
    cores: usize,
    /// A file that came when there were as many sources as there can be.
    refused: Option<Problem>,
}

/// Where new files may appear.
struct Places {
    found: Discovery,
    scanning: bool,
    due: Instant,
    waiting: Vec<Problem>,
    /// Files that were found once: a temporary one gets another name before it is found again.
    once: HashMap<PathBuf, (Identity, Instant)>,
}

/// What there is room for.
#[derive(Clone, Copy)]
pub(super) struct Room {
    /// More blocks can be numbered.
    pub(super) blocks: bool,
    /// More of followed files can be copied.
    pub(super) copies: bool,
}

/// Something to do, and blocks that are finished without a job.
pub(super) struct Next {
    pub(super) source: usize,
    pub(super) job: Option<Job>,
    pub(super) sealed: Vec<Sealed>,
}

impl Schedule {
    pub(super) fn new(found: Discovery, options: Options, wake: Wake, cores: usize) -> Self {
        let manner = Manner {
            follow: options.follow,
            eager: options.eager,
            last_bytes: options.last_bytes,
            wake: Arc::clone(&wake),
        };
        let mut found = found;
        let sources = std::mem::take(&mut found.sources);
        let waiting = found.problems.clone();
        let mut schedule = Self {
            sources: Arc::new(Vec::new()),
            feeds: Vec::new(),
            names: HashSet::new(),
            ready: BTreeSet::new(),
            ranks: Vec::new(),
            timers: BTreeSet::new(),
            due: Vec::new(),
            pending: (Vec::new(), 0),
            streams: BTreeSet::new(),
            held: VecDeque::new(),
            starved: BTreeSet::new(),
            places: Places {
                found,
                scanning: false,
                due: Instant::now(),
                waiting,
                once: HashMap::new(),
            },
            watcher: options.follow.then(|| Watcher::new(wake)),
            options,
            manner,
            by_path: HashMap::new(),
            files_known: Vec::new(),
            cores,
            refused: None,
        };
        schedule.places.waiting.retain(Problem::waits);
        for source in sources {
            schedule.add(source, false);
        }
        if let Some(watcher) = &mut schedule.watcher {
            for place in &schedule.places.found.places {
                watcher.add(&place.folder());
            }
        }
        schedule
    }

    /// Adds a source; `late` says that it came while the others were followed.
    fn add(&mut self, source: Source, late: bool) {
        let number = self.feeds.len();
        let Options { dialect, clocks, .. } = &self.options;
        let mut manner = self.manner.clone();
        if late {
            manner.last_bytes = None;
        }
        self.feeds.push(Feed::new(number, &source, dialect, clocks, manner));
        self.names.extend([source.name.clone(), source.label.clone()]);
        Arc::make_mut(&mut self.sources).push(source);
        self.ranks.push(None);
        self.due.push(None);
        self.pending.0.push(false);
        self.files_known.push(0);
        self.know_paths(number);
        self.update(number, Instant::now());
    }

    /// Remembers under which paths a source expects more that were not known yet, and watches their folders. A path is
    /// only ever given to a new file: asking for all of them after each look is quadratic in the files of a set.
    fn know_paths(&mut self, number: usize) {
        let Some(watcher) = &mut self.watcher else { return };
        let from = std::mem::replace(&mut self.files_known[number], self.feeds[number].files());
        for path in self.feeds[number].paths_from(from) {
            watcher.add(path.parent().unwrap_or(Path::new(".")));
            if let Ok(path) = std::path::absolute(path) {
                let known = self.by_path.entry(path).or_default();
                if !known.contains(&number) {
                    known.push(number);
                }
            }
        }
    }

    /// What is waited for, since there is nothing yet, and what was refused.
    pub(super) fn waiting(&self) -> Vec<Problem> {
        self.places.waiting.iter().chain(&self.refused).cloned().collect()
    }

    /// The next thing to do.
    pub(super) fn next(&mut self, room: Room) -> Option<Next> {
        let now = Instant::now();
        if room.copies {
            for number in std::mem::take(&mut self.starved) {
                self.update(number, now);
            }
        }
        if let Some(scan) = self.scan(now) {
            return Some(Next { source: 0, job: Some(scan), sealed: Vec::new() });
        }
        while let Some((_, number)) = self.ready.pop_first() {
            self.ranks[number] = None;
            let feed = &mut self.feeds[number];
            if !room.blocks {
                feed.stop("too much for one intake; what is behind this point is not read");
            }
            let packed = feed.opens_packed();
            let archives = self
                .streams
                .iter()
                .filter(|at| !matches!(self.sources[**at].origin, Origin::Stdin));
            if packed && archives.count() >= self.cores {
                self.held.push_back(number);
                continue;
            }
            let mut sealed = Vec::new();
            let next = self.feeds[number].next(now, !room.copies, &mut sealed);
            if next.is_none() && sealed.is_empty() && room.blocks {
                // What it waits for puts it back.
                if !room.copies {
                    self.starved.insert(number);
                }
                continue;
            }
            self.update(number, now);
            if packed {
                self.streams.insert(number);
            }
            let job = next.map(|(ticket, task)| Job::Ingest(ticket, Box::new(task)));
            return Some(Next { source: number, job, sealed });
        }
        None
    }

    /// Takes back what a task has led to.
    pub(super) fn take(&mut self, ticket: Ticket, done: Done) -> (Vec<Sealed>, bool) {
        let number = ticket.source;
        let sealed = self.feeds[number].take(ticket, done);
        self.know_paths(number);
        self.tend(number, Instant::now());
        (sealed, self.feeds[number].is_in_turn())
    }

    /// Takes in what was found in the places. Says whether anything is new.
    pub(super) fn take_arrivals(&mut self, arrivals: discover::Arrivals) -> bool {
        let mut news = self.places.waiting.len() != arrivals.waiting.len();
        self.places.waiting = arrivals.waiting;
        self.places.scanning = false;
        self.places.due = Instant::now() + SCAN;
        let once = std::mem::take(&mut self.places.once);
        let now = Instant::now();
        let stays = |path: &PathBuf, identity: Identity| {
            let first = once.get(path).filter(|(known, _)| *known == identity).map(|(_, at)| *at);
            first.map_or(Err(now), |at| if now >= at + AGAIN { Ok(()) } else { Err(at) })
        };
        if arrivals.paths.is_empty() {
            return news;
        }
        let known = Feed::known(&self.feeds);
        let mut sets: HashMap<rotated::SetKey, usize> = HashMap::new();
        for (number, feed) in self.feeds.iter().enumerate().rev() {
            sets.extend(feed.paths().map(|path| (rotated::set_of(path), number)));
        }
        for (path, met) in arrivals.paths {
            let identity = met.identity;
            if known.has(met, &path) {
                continue;
            }
            let set = sets.get(&rotated::set_of(&path)).copied();
            if set.is_none()
                && let Err(first) = stays(&path, identity)
            {
                self.places.once.insert(path, (identity, first));
                self.places.due = now + AGAIN;
                continue;
            }
            match set {
                Some(number) => {
                    let younger = self.feeds[number].adopt(path.clone());
                    let source = &mut Arc::make_mut(&mut self.sources)[number];
                    if let Origin::Files(files) = &mut source.origin
                        && !files.contains(&path)
                    {
                        // The youngest stays last.
                        let at = files.len() - usize::from(!younger && !files.is_empty());
                        files.insert(at, path);
                    }
                    self.know_paths(number);
                    self.update(number, Instant::now());
                }
                None => {
                    if self.feeds.len() + 1 >= limits::SOURCES {
                        news |= self.refuse(&path);
                        continue;
                    }
                    sets.insert(rotated::set_of(&path), self.feeds.len());
                    let source = discover::source_of(path, &self.names);
                    self.add(source, true);
                }
            }
            news = true;
        }
        news
    }

    /// Tells, once, that a file can't be taken in since there are too many. Says whether that is new.
    fn refuse(&mut self, path: &Path) -> bool {
        let problem = Problem::too_many(path);
        let new = self.refused.is_none();
        self.refused.get_or_insert(problem);
        new
    }

    /// Looks what streams have brought, and what has changed in folders. Says whether anything is new.
    pub(super) fn woken(&mut self) -> bool {
        let now = Instant::now();
        let mut news = false;
        for number in self.streams.clone() {
            news |= self.tend(number, now);
        }
        let changed = self.watcher.as_ref().map(Watcher::changed).unwrap_or_default();
        let mut woken = BTreeSet::new();
        for (path, named) in changed {
            match self.by_path.get(&path) {
                Some(numbers) => {
                    for number in numbers {
                        self.feeds[*number].wake(now, &path, named);
                        woken.insert(*number);
                    }
                }
                // Something that is not known yet: what is called a file may be one soon.
                None => self.places.due = self.places.due.min(now),
            }
        }
        for number in woken {
            news |= self.tend(number, now);
        }
        news
    }

    /// Tends the sources whose time has come. Says whether anything is new.
    pub(super) fn tend_due(&mut self) -> bool {
        let now = Instant::now();
        let mut news = false;
        while let Some(&(at, number)) = self.timers.first() {
            if at > now {
                break;
            }
            news |= self.tend(number, now);
        }
        news
    }

    /// When something is to be done although nothing comes.
    pub(super) fn next_due(&self) -> Option<Instant> {
        let first = self.timers.first().map(|(at, _)| *at);
        let scan = self.scans().then_some(self.places.due).filter(|_| !self.places.scanning);
        first.into_iter().chain(scan).min()
    }

    fn scans(&self) -> bool {
        self.options.follow && !self.places.found.places.is_empty()
    }

    fn scan(&mut self, now: Instant) -> Option<Job> {
        if !self.scans() || self.places.scanning || now < self.places.due {
            return None;
        }
        self.places.scanning = true;
        let known: HashSet<PathBuf> =
            self.feeds.iter().flat_map(|feed| feed.paths().map(Path::to_path_buf)).collect();
        Some(Job::Scan {
            places: self.places.found.places.clone(),
            wanted: self.places.found.wanted.clone(),
            known,
            taken: Feed::taken(&self.feeds),
        })
    }

    fn tend(&mut self, number: usize, now: Instant) -> bool {
        let (news, next) = self.feeds[number].tend(now);
        if let Some(at) = self.due[number].take() {
            self.timers.remove(&(at, number));
        }
        if let Some(at) = next {
            // What is due is among those that are ready, or on its way; it is tended when it comes back. With a timer for
            // the next moment, twenty thousand files that wait for their turn keep a core busy with being looked at.
            let at = if at > now { at } else { now + OVERDUE };
            self.due[number] = Some(at);
            self.timers.insert((at, number));
        }
        self.update(number, now);
        news
    }

    /// Puts a source in its place among those with something to do.
    fn update(&mut self, number: usize, now: Instant) {
        if let Some(rank) = self.ranks[number].take() {
            self.ready.remove(&(rank, number));
        }
        let feed = &self.feeds[number];
        #[expect(clippy::cast_possible_truncation, clippy::cast_sign_loss, reason = "a share")]
        let rank = feed.share(now).map(|share| (share * 1e9) as u64);
        if let Some(rank) = rank {
            self.ranks[number] = Some(rank);
            self.ready.insert((rank, number));
        }
        let pending = feed.pending();
        let before = std::mem::replace(&mut self.pending.0[number], pending);
        self.pending.1 = self.pending.1 + usize::from(pending) - usize::from(before);
        if feed.is_streaming() {
            self.streams.insert(number);
        } else if self.streams.remove(&number) {
            for held in std::mem::take(&mut self.held) {
                self.update(held, now);
            }
        }
    }

    /// Bytes read, and bytes there are.
    pub(super) fn bytes(&self) -> (u64, u64) {
        let bytes = self.feeds.iter().map(Feed::bytes);
        bytes.fold((0, 0), |sum, bytes| (sum.0 + bytes.0, sum.1 + bytes.1))
    }

    /// Whether files of a set wait, or a stream or an archive is still open.
    pub(super) fn pending(&self) -> bool {
        self.pending.1 > 0
    }
}
