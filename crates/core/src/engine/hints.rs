//! What an entry says that means something only beside others, told by the names of its values: a request or a
//! response, and which life of which program it is from.

use std::{
    borrow::Cow,
    collections::HashMap,
    hash::{DefaultHasher, Hash, Hasher},
    sync::LazyLock,
};

use regex::bytes::Regex;

use super::status::status_of;
use crate::{
    entry::{Entry, Field, roles},
    layout::{LayoutId, told_of},
    query,
    store::{Block, Counted, Half, Hints, Life, Program, Says, Start},
};

/// Different process ids of a program in one block above which they are not those of its lives.
const MOST_LIVES: usize = 64;

/// Entries with a number that grows, for each time that it falls, below which it is none.
pub(super) const GROWS: usize = 16;

/// What a value says, by its name.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub(super) enum Part {
    Method,
    Target,
    Thread,
    /// A number that a request and its response may share.
    Number,
    Pid,
    Program,
    Version,
    /// A number that grows while a program lives.
    Count,
    Message,
}

impl Part {
    /// What a name says; its own, whatever it stands in.
    pub(super) fn of(own: &str) -> Option<Self> {
        let folded = roles::folded(own.as_bytes());
        Some(match &folded[..] {
            b"method" | b"httpmethod" | b"requestmethod" | b"httprequestmethod" | b"verb" => {
                Self::Method
            }
            b"path" | b"url" | b"uri" | b"target" | b"httppath" | b"httpurl" | b"httptarget"
            | b"requestpath" | b"requesturi" | b"requesturl" | b"urlpath" | b"urlfull" => {
                Self::Target
            }
            b"thread" | b"threadname" | b"tid" | b"threadid" | b"tag" | b"connection" | b"conn"
            | b"connectionid" | b"worker" | b"goroutine" | b"channel" => Self::Thread,
            b"id" | b"req" | b"reqno" | b"requestno" | b"requestnumber" | b"exchange"
            | b"callid" | b"streamid" | b"messageid" => Self::Number,
            b"pid" | b"processid" | b"processpid" | b"procid" => Self::Pid,
            name if roles::is_program(name) => Self::Program,
            b"version" | b"serviceversion" | b"appversion" | b"release" | b"buildversion" => {
                Self::Version
            }
            b"uptime" | b"uptimems" | b"uptimes" | b"uptimeseconds" | b"processuptime" | b"seq"
            | b"sequence" | b"seqno" | b"sequencenumber" | b"counter" => Self::Count,
            b"message" | b"msg" => Self::Message,
            _ => return None,
        })
    }
}

/// What an entry has said so far.
#[derive(Clone, Copy, Debug, Default, PartialEq)]
pub(super) struct Said {
    method: u32,
    target: u32,
    status: bool,
    thread: u32,
    number: u32,
    pid: u32,
    program: Program,
    version: u32,
    count: Option<f64>,
}

impl Said {
    /// Takes a value in.
    pub(super) fn look(&mut self, part: Part, own: &str, text: &str) {
        if text.is_empty() || text == "-" {
            return;
        }
        let first = |place: &mut u32, text: &str| {
            if *place == 0 {
                *place = hash(text);
            }
        };
        match part {
            Part::Method if text.len() <= 16 => first(&mut self.method, &text.to_ascii_uppercase()),
            Part::Target => first(&mut self.target, path_of(text)),
            Part::Thread => first(&mut self.thread, text),
            Part::Number if text.len() <= 40 => first(&mut self.number, text),
            Part::Pid => first(&mut self.pid, text),
            Part::Program => first(&mut self.program, text),
            Part::Version if text.bytes().any(|b| b.is_ascii_digit()) => {
                first(&mut self.version, text);
            }
            Part::Count if self.count.is_none() => {
                self.count =
                    query::seconds(own, text).or_else(|| text.parse().ok()).filter(|n| *n >= 0.0);
            }
            // A whole exchange, or one whose halves say it in words alone.
            Part::Message if self.method == 0 && !self.status => {
                let mut told = Self::default();
                told_of(text, &mut |name, value| match name {
                    "method" => told.method = hash(value),
                    "path" | "url" => told.target = hash(path_of(value)),
                    "status" => told.status = true,
                    _ => {}
                });
                (self.method, self.status) = (told.method, told.status);
                if self.target == 0 {
                    self.target = told.target;
                }
            }
            _ => {}
        }
    }

    /// Takes in what an entry shares with others, where it does not say it itself.
    pub(super) fn add(&mut self, shared: &Self) {
        let either = |own: &mut u32, other: u32| *own = if *own == 0 { other } else { *own };
        either(&mut self.method, shared.method);
        either(&mut self.target, shared.target);
        either(&mut self.thread, shared.thread);
        either(&mut self.number, shared.number);
        either(&mut self.pid, shared.pid);
        either(&mut self.program, shared.program);
        either(&mut self.version, shared.version);
        self.count = self.count.or(shared.count);
    }

    /// It tells a status of HTTP.
    pub(super) fn has_status(&mut self) {
        self.status = true;
    }

    /// What an entry says that was read in full, its status left out.
    pub(super) fn of(entry: &Entry<'_>, layout: LayoutId) -> Self {
        fn walk(fields: &[Field<'_>], said: &mut Said) {
            for field in fields {
                match field.value.text() {
                    Some(text) => {
                        if let Some(part) = Part::of(&field.name) {
                            said.look(part, &field.name, text);
                        }
                    }
                    None => walk(field.value.children(), said),
                }
            }
        }
        let mut said = Self::default();
        walk(&entry.fields, &mut said);
        if said.program == 0
            && layout == LayoutId::SYSLOG
            && let Some(name) = &entry.logger
        {
            said.program = hash(name);
        }
        said
    }
}

fn hash(text: &str) -> u32 {
    let mut hasher = DefaultHasher::new();
    text.hash(&mut hasher);
    #[expect(clippy::cast_possible_truncation, reason = "a part of a hash")]
    let hash = hasher.finish() as u32;
    hash.max(1)
}

/// The name of a program as [`Hints`] have it.
pub(crate) fn program_named(name: &str) -> Program {
    hash(name)
}

/// What an entry tells of a request or of its response: `method`, `path` and `status`, each once, by their fields or, where
/// it has none, by its message.
pub(super) fn told_in<'e>(entry: &'e Entry<'_>, take: &mut dyn FnMut(&'static str, Cow<'e, str>)) {
    let (mut method, mut path, mut status) = (None, None, None);
    entry.leaves(&mut |_, field| {
        let Some(text) = field.value.text().filter(|text| !text.is_empty() && *text != "-") else {
            return;
        };
        match Part::of(&field.name) {
            Some(Part::Method) if text.len() <= 16 => drop(method.get_or_insert(text)),
            Some(Part::Target) => drop(path.get_or_insert(path_of(text))),
            _ if status_of(&field.name, text).is_some() => drop(status.get_or_insert(text)),
            _ => {}
        }
    });
    if method.is_none() && status.is_none() {
        told_of(&entry.message, &mut |name, value| match name {
            "method" => method = Some(value),
            "path" | "url" => path = Some(path_of(value)),
            "status" => status = Some(value),
            _ => {}
        });
    }
    for (name, value) in [("method", method), ("path", path), ("status", status)] {
        if let Some(value) = value {
            take(name, Cow::Borrowed(value));
        }
    }
}

/// The path of a target: `https://fares.example.test/quote?berth=3` asks for `/quote`.
fn path_of(target: &str) -> &str {
    let path = target.split(['?', '#']).next().unwrap_or_default();
    let behind = path
        .split_once("://")
        .map(|(_, rest)| rest.find('/').and_then(|at| rest.get(at..)).unwrap_or("/"));
    behind.unwrap_or(path)
}

/// Takes what the entries of a block say, one after the other.
#[derive(Default)]
pub(super) struct HintBuilder {
    lives: HashMap<(Program, u32), Life>,
    of_program: HashMap<Program, usize>,
    counted: HashMap<Program, Counted>,
    falls: Vec<(u16, Program)>,
    halves: Vec<Half>,
    index: u16,
}

impl HintBuilder {
    /// The next entry says this. `is_log` says that it is from a log of requests, which tells them as a whole.
    pub(super) fn next(&mut self, said: &Said, is_log: bool) {
        let index = self.index;
        self.index = self.index.saturating_add(1);
        let key = if said.pid > 0 { said.pid } else { said.version };
        if key > 0 {
            self.live(said.program, key, index);
        }
        if let Some(count) = said.count {
            self.count(said.program, count, index);
        }
        if is_log {
            return;
        }
        let says = match (said.method > 0 && said.target > 0, said.status) {
            (true, false) => Says::Request,
            (true, true) => Says::Both,
            (false, true) => Says::Response,
            (false, false) => return,
        };
        let target = match said.target {
            0 => 0,
            target => (target ^ said.method.rotate_left(7)).max(1),
        };
        let thread = if said.thread > 0 { said.thread } else { said.pid };
        self.halves.push(Half {
            index,
            says,
            thread,
            number: said.number,
            target: if said.method > 0 { target } else { 0 },
        });
    }

    fn live(&mut self, program: Program, key: u32, index: u16) {
        if let Some(life) = self.lives.get_mut(&(program, key)) {
            life.last = index;
            return;
        }
        let count = self.of_program.entry(program).or_default();
        *count += 1;
        if *count <= MOST_LIVES + 1 {
            self.lives.insert((program, key), Life { program, key, first: index, last: index });
        }
    }

    fn count(&mut self, program: Program, count: f64, index: u16) {
        if self.counted.len() >= MOST_LIVES && !self.counted.contains_key(&program) {
            return;
        }
        let known = self.counted.entry(program).or_insert(Counted {
            program,
            first: (index, count),
            last: count,
            entries: 0,
        });
        if falls(known.last, count) {
            self.falls.push((index, program));
        }
        known.last = count;
        known.entries = known.entries.saturating_add(1);
    }

    /// All that was said, with the entries that say that a program starts.
    pub(super) fn finish(mut self, starts: Vec<Start>) -> Hints {
        let (lives, of_program) = (self.lives, self.of_program);
        let mut lives: Vec<Life> = lives.into_values().collect();
        // So many are those of workers, or of connections.
        lives.retain(|life| of_program.get(&life.program).is_none_or(|count| *count <= MOST_LIVES));
        lives.sort_unstable_by_key(|life| (life.first, life.program, life.key));
        let falling = self.falls.len();
        let entries: usize =
            self.counted.values().map(|counted| usize::from(counted.entries)).sum();
        if falling * GROWS > entries.max(1) && falling > 1 {
            self.falls.clear();
        }
        // Of several programs each counts for itself, which is not told apart any more from block to block.
        let counted = match self.counted.len() {
            1 => self.counted.into_values().next(),
            _ => None,
        };
        // What is whole answers nothing where nothing was asked.
        if !self.halves.iter().any(|half| half.says == Says::Request) {
            self.halves.retain(|half| half.says != Says::Both);
        }
        Hints {
            starts: starts.into(),
            lives: lives.into(),
            falls: self.falls.into(),
            counted,
            halves: self.halves.into(),
        }
    }
}

/// Whether a number that only grows has begun anew.
pub(super) fn falls(before: f64, now: f64) -> bool {
    now < before / 2.0 && before - now > 2.0
}

/// The entries of a block in which a program says that it starts, and that are from no request. Cost: a look at all
/// bytes, and the entries in which such words stand.
pub(super) fn starts(block: &Block, bytes: &[u8]) -> Vec<Start> {
    static WORDS: LazyLock<Regex> = LazyLock::new(|| {
        let words = "[Ss]tarting[ \"\\r\\n]|[Ss]tarting$|[Ss]tarted [A-Za-z]+ in [0-9]|[Bb]ooting |[Ll]istening (?:on|at) \
            |[Ss](?:ervice|erver) (?:started|listening)|[Aa]pplication started";
        Regex::new(words).unwrap_or_else(|error| unreachable!("{error}"))
    });
    static SAYS: LazyLock<query::Expr> = LazyLock::new(query::Expr::starting);
    let mut found: Vec<Start> = Vec::new();
    let mut known = None;
    for hit in WORDS.find_iter(bytes) {
        let Some(index) = block.entry_at(hit.start()) else { continue };
        for index in block.beside(index) {
            if known.is_some_and(|known| known >= index) {
                continue;
            }
            known = Some(index);
            let raw = block.cut(index, bytes);
            let entry = block.entry(index, &raw);
            let asked = ["request_id", "correlation_id", "trace_id"];
            // What is said in the course of a request is not of the program itself.
            if SAYS.judges("message", &entry.message)
                && !entry.ids().iter().any(|(kind, _)| asked.contains(kind))
            {
                let program = entry
                    .program(block.layout(index) == LayoutId::SYSLOG)
                    .map_or(0, |name| hash(&name));
                #[expect(clippy::cast_possible_truncation, reason = "a part of a hash")]
                let says = super::template_of(&entry) as u32;
                let index = u16::try_from(index).unwrap_or(u16::MAX);
                found.push(Start { index, program, says });
            }
        }
    }
    found
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn a_target_is_its_path() {
        for (target, want) in [
            ("/quote?berth=3", "/quote"),
            ("https://fares.example.test/quote?berth=3", "/quote"),
            ("https://fares.example.test", "/"),
            ("/quote", "/quote"),
        ] {
            assert_eq!(path_of(target), want);
        }
    }

    #[test]
    fn many_process_ids_are_not_lives() {
        let mut builder = HintBuilder::default();
        for pid in 1..=500 {
            builder.next(&Said { pid, program: 7, ..Said::default() }, false);
            builder.next(&Said { version: 3, program: 8, ..Said::default() }, false);
        }
        let hints = builder.finish(Vec::new());
        assert_eq!(*hints.lives, [Life { program: 8, key: 3, first: 1, last: 999 }]);
    }

    #[test]
    fn a_number_that_falls_now_and_then_begins_anew_and_one_that_jumps_does_not() {
        let falls = |numbers: &[f64]| {
            let mut builder = HintBuilder::default();
            for number in numbers {
                builder.next(&Said { count: Some(*number), ..Said::default() }, false);
            }
            builder.finish(Vec::new()).falls.iter().map(|(index, _)| *index).collect::<Vec<_>>()
        };
        let twice: Vec<f64> = (0..40).chain(0..40).map(f64::from).collect();
        assert_eq!(falls(&twice), [40]);
        let jumping: Vec<f64> = (0..40).map(|n| if n % 2 == 0 { 500.0 } else { 3.0 }).collect();
        assert_eq!(falls(&jumping), [0u16; 0]);
    }
}
