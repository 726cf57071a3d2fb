//! An expression made ready to judge whole blocks: what the index knows first, then bytes that any match
//! must hold, then single values, and only then entries in full.

use super::{
    Beside, Expr, Part, Path,
    eval::{Facts, KindTest, Subject},
    needle::{Needles, Search},
    units::met_unitless,
    words::Word,
};
use crate::{
    entry::{Severity, ids, roles},
    layout::{LayoutId, json, pairs},
    source::Source,
    store::{Bits, Block, NO_TIME},
    veil::{Veil, stand_ins_in},
};

/// A buffer larger than this is not kept for the next block.
const BUFFER_BYTES: usize = 4 << 20;

thread_local! {
    /// The bytes of the block that was judged before: fresh memory for each would cost as much as reading.
    static BUFFER: std::cell::Cell<Vec<u8>> = const { std::cell::Cell::new(Vec::new()) };
}

/// What a predicate says of the entries of a block.
pub(crate) struct Judged {
    pub(crate) passed: Bits,
    /// Those with which a duration could not be compared, since their number has no known unit; `None` for none.
    pub(crate) unitless: Option<Bits>,
}

impl Judged {
    /// All entries pass: of a condition that failed.
    pub(crate) fn all(block: &Block) -> Self {
        Self { passed: Bits::all(block.len()), unitless: None }
    }

    /// How many entries could not be judged.
    pub(crate) fn unitless(&self) -> usize {
        self.unitless.as_ref().map_or(0, Bits::count)
    }
}

/// An expression with all that makes it quick.
pub(crate) struct Predicate {
    expr: Expr,
    root: Node,
}

enum Node {
    /// All hold; the cheapest stand first.
    And(Vec<Node>),
    Or(Vec<Node>),
    Not(Box<Node>),
    /// The index knows.
    Facts(Expr),
    Leaf(Box<Leaf>),
}

/// A condition for which entries must be looked at.
struct Leaf {
    expr: Expr,
    needles: Option<(Needles, Search)>,
    /// It compares with what the veil puts in a secret's place.
    stand_ins: bool,
    /// For the number of each layout, whether an entry that has the field has its names in its bytes.
    written: Box<[bool; 256]>,
    /// The word that it looks for.
    word: Option<Word>,
    /// A search for the field's name, where it is one.
    name: Option<memchr::memmem::Finder<'static>>,
    /// The part of an exchange that it is on: both halves have it.
    part: Option<Part>,
    /// What it asks of the kind of an entry.
    kind: Option<KindTest>,
}

/// What an expression asks for beside what entries say themselves.
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq)]
pub(crate) struct Needs {
    pub(crate) runs: bool,
    pub(crate) exchanges: bool,
}

impl Needs {
    pub(crate) fn of(expr: &Expr) -> Self {
        let mut needs = Self::default();
        expr.leaves(&mut |leaf| match leaf.path() {
            Some(Path::Run) => needs.runs = true,
            Some(Path::Took) => needs.exchanges = true,
            Some(Path::Field(name)) => needs.exchanges |= Part::named(name).is_some(),
            _ => {}
        });
        needs
    }

    pub(crate) fn any(self) -> bool {
        self.runs || self.exchanges
    }
}

impl Predicate {
    pub(crate) fn new(expr: Expr) -> Self {
        Self { root: Node::of(&expr), expr }
    }

    /// Judges every entry of a block. A block whose bytes can't be read any more keeps what the index
    /// alone can tell.
    pub(crate) fn judge(
        &self,
        block: &Block,
        source: &Source,
        veil: &Veil,
        beside: Option<&dyn Beside>,
    ) -> Bits {
        self.judge_all(block, source, veil, beside).passed
    }

    /// The same, and which entries could not be judged.
    pub(crate) fn judge_all(
        &self,
        block: &Block,
        source: &Source,
        veil: &Veil,
        beside: Option<&dyn Beside>,
    ) -> Judged {
        let bytes = BUFFER.take();
        let mut judging =
            Judging { block, source, veil, beside, bytes, read: false, unitless: None };
        // What was met outside of a judgement is not counted.
        met_unitless();
        let all = Bits::all(block.len());
        let passed = judging.sift(&self.root, &all).unwrap_or_else(|| {
            let known = |index: &usize| {
                self.expr.holds_by_facts(&judging.facts(*index)).is_some_and(|held| held)
            };
            let mut passed = Bits::none(block.len());
            (0..block.len()).filter(known).for_each(|index| passed.set(index));
            passed
        });
        if judging.bytes.capacity() <= BUFFER_BYTES {
            BUFFER.set(judging.bytes);
        }
        Judged { passed, unitless: judging.unitless }
    }
}

impl Node {
    fn of(expr: &Expr) -> Self {
        match expr {
            Expr::And(items) => {
                let mut nodes: Vec<Self> = items.iter().map(Self::of).collect();
                nodes.sort_by_key(Self::cost);
                Self::And(nodes)
            }
            Expr::Or(items) => Self::Or(items.iter().map(Self::of).collect()),
            Expr::Not(inner) => Self::Not(Box::new(Self::of(inner))),
            _ => match expr.path() {
                Some(Path::Time | Path::Level | Path::Source | Path::Layout) => {
                    Self::Facts(expr.clone())
                }
                _ => Self::Leaf(Box::new(Leaf::of(expr))),
            },
        }
    }

    /// What stands first in a row of conditions that must all hold.
    fn cost(&self) -> (u8, std::cmp::Reverse<usize>) {
        let (kind, worth) = match self {
            Self::Facts(_) => (0, 0),
            Self::Leaf(leaf) => match &leaf.needles {
                Some((needles, _)) => (1, needles.worth()),
                None => (3, 0),
            },
            Self::And(_) | Self::Or(_) | Self::Not(_) => (2, 0),
        };
        (kind, std::cmp::Reverse(worth))
    }
}

impl Leaf {
    fn of(expr: &Expr) -> Self {
        let text = expr.to_string();
        // The template of a path knows of what is hidden in it.
        let hidden = matches!(expr.path(), Some(Path::Shaped { .. })) && text.contains("{hidden}");
        let stand_ins = text.contains('«') || hidden || !stand_ins_in(&text).is_empty();
        let needles = Needles::of(expr).filter(|_| !stand_ins).and_then(|needles| {
            let search = Search::new(&needles)?;
            Some((needles, search))
        });
        let word = match expr {
            Expr::Word(word) => Some(Word::new(word)),
            _ => None,
        };
        let mut written = Box::new([false; 256]);
        let mut name = None;
        match expr.path() {
            // The names of durations are many; objects and pairs have the one they use.
            Some(Path::Took) => {
                for layout in [LayoutId::JSON, LayoutId::PAIRS] {
                    written[usize::from(layout.bits())] = true;
                }
            }
            Some(Path::Field(path) | Path::Literal(path) | Path::Shaped { path, .. }) => {
                for bits in 0..=u8::MAX {
                    written[usize::from(bits)] = LayoutId::from_bits(bits).writes(path);
                }
                if !path.contains('.') {
                    name = Some(memchr::memmem::Finder::new(path.as_bytes()).into_owned());
                }
            }
            _ => {}
        }
        let part = match expr.path() {
            Some(Path::Took) => Some(Part::Took),
            Some(Path::Field(name)) => Part::named(name),
            _ => None,
        };
        let kind = (expr.path() == Some(&Path::Kind)).then(|| KindTest::of(expr));
        Self { expr: expr.clone(), needles, stand_ins, written, word, name, part, kind }
    }

    /// Whether an entry has the names of the field in its bytes, if it has the field.
    fn is_written(&self, block: &Block, index: usize) -> bool {
        self.written[usize::from(block.layout(index).bits())] && !block.wrapped(index)
    }

    /// The fields that the condition is on, where single values tell whether it holds.
    fn wanted(&self) -> Option<Wanted<'_>> {
        match self.expr.path()? {
            // An id may have been found by its form.
            Path::Field(name) | Path::Shaped { path: name, .. }
                if ids::KINDS.contains(&name.as_str()) =>
            {
                None
            }
            Path::Field(name) | Path::Literal(name) | Path::Shaped { path: name, .. } => {
                Some(Wanted::Path(name))
            }
            Path::Took => Some(Wanted::Duration),
            _ => None,
        }
    }
}

/// What the bytes of every entry hold for which an expression holds, where they read as they are written.
pub(crate) struct Sought {
    needles: Needles,
    search: Search,
}

impl Sought {
    /// The best of what an expression promises; `None` where it promises nothing but names.
    pub(crate) fn of(expr: &Expr) -> Option<Self> {
        if let Expr::And(items) = expr {
            return items.iter().filter_map(Self::of).max_by_key(Self::worth);
        }
        let facts = [Path::Time, Path::Level, Path::Source, Path::Layout];
        if expr.path().is_some_and(|path| facts.contains(path)) || expr.to_string().contains('«') {
            return None;
        }
        let needles = Needles::of(expr).filter(|needles| !needles.names)?;
        let search = Search::new(&needles)?;
        Some(Self { needles, search })
    }

    /// The length of the shortest text: how much the search promises to leave out.
    pub(crate) fn worth(&self) -> usize {
        self.needles.worth()
    }

    /// The length of the longest text.
    pub(crate) fn longest(&self) -> usize {
        self.needles.texts.iter().map(String::len).max().unwrap_or(0)
    }

    /// Calls `hit` with places where one of the texts begins; it gives the place to go on from.
    pub(crate) fn each(&self, bytes: &[u8], hit: impl FnMut(usize) -> usize) {
        self.search.each(bytes, hit);
    }
}

/// The fields that a condition is on.
#[derive(Clone, Copy)]
enum Wanted<'w> {
    /// Those of a dotted path.
    Path(&'w str),
    /// Those that say how long something took.
    Duration,
}

/// A block while it is judged.
struct Judging<'j> {
    block: &'j Block,
    source: &'j Source,
    veil: &'j Veil,
    beside: Option<&'j dyn Beside>,
    bytes: Vec<u8>,
    read: bool,
    /// See [`Judged::unitless`].
    unitless: Option<Bits>,
}

impl Judging<'_> {
    /// The entries of `within` for which a condition holds; `None` where the bytes can't be read.
    fn sift(&mut self, node: &Node, within: &Bits) -> Option<Bits> {
        if within.count() == 0 {
            return Some(Bits::none(self.block.len()));
        }
        match node {
            Node::And(nodes) => {
                let mut left = within.clone();
                for node in nodes {
                    left = self.sift(node, &left)?;
                }
                Some(left)
            }
            Node::Or(nodes) => {
                let mut left = within.clone();
                let mut passed = Bits::none(self.block.len());
                for node in nodes {
                    let more = self.sift(node, &left)?;
                    left.remove(&more);
                    passed.add(&more);
                }
                Some(passed)
            }
            Node::Not(inner) => {
                let mut left = within.clone();
                left.remove(&self.sift(inner, within)?);
                Some(left)
            }
            // All entries of a block are of one source.
            Node::Facts(expr) if expr.path() == Some(&Path::Source) => {
                let held = expr.holds_by_facts(&self.facts(0)).is_some_and(|held| held);
                Some(if held { within.clone() } else { Bits::none(self.block.len()) })
            }
            Node::Facts(expr) => Some(self.by_facts(expr, within)),
            Node::Leaf(leaf) => self.look(leaf, within),
        }
    }

    /// The entries of `within` for which the index alone says that a condition holds.
    fn by_facts(&self, expr: &Expr, within: &Bits) -> Bits {
        let block = self.block;
        let mut passed = Bits::none(block.len());
        if expr.path() == Some(&Path::Level) {
            // There are no more than 25 answers.
            let facts = |number| Facts { severity: Severity::new(number), ..self.facts(0) };
            let held = |number| expr.holds_by_facts(&facts(number)).is_some_and(|held| held);
            let known: Vec<bool> = (0..=24).map(held).collect();
            let number = |index| block.severity(index).map_or(0, Severity::number);
            let held = |index: &usize| known[usize::from(number(*index))];
            within.iter().filter(held).for_each(|index| passed.set(index));
            return passed;
        }
        let held =
            |index: &usize| expr.holds_by_facts(&self.facts(*index)).is_some_and(|held| held);
        within.iter().filter(held).for_each(|index| passed.set(index));
        passed
    }

    fn look(&mut self, leaf: &Leaf, within: &Bits) -> Option<Bits> {
        if leaf.expr.path() == Some(&Path::Run) {
            return self.by_runs(&leaf.expr, within);
        }
        if !self.read {
            self.block.read_all(&mut self.bytes).ok()?;
            self.read = true;
        }
        let usual = self.block.is_usual(&self.bytes);
        let mut candidates = within.clone();
        if let Some((needles, search)) = leaf.needles.as_ref().filter(|_| usual) {
            candidates.keep(&self.candidates(leaf, needles, search));
        }
        let mut passed = Bits::none(self.block.len());
        let wanted = leaf.wanted().filter(|_| usual && !leaf.stand_ins);
        for index in candidates.iter() {
            let raw = self.block.cut(index, &self.bytes);
            let told = match &leaf.word {
                Some(word) => self.tell_word(word, usual, index, &raw),
                None => wanted.and_then(|wanted| self.tell(leaf, wanted, index, &raw)),
            };
            if told.unwrap_or_else(|| self.holds(leaf, index, &raw)) {
                passed.set(index);
            }
            if met_unitless() {
                self.unitless.get_or_insert_with(|| Bits::none(self.block.len())).set(index);
            }
        }
        if let (Some(part), Some(beside)) = (leaf.part, self.beside) {
            let known = passed.clone();
            let wanted = |index: usize| within.has(index) && !known.has(index);
            beside.told(part, &wanted, &mut |index, name, value| {
                if leaf.expr.judges(name, value) {
                    passed.set(index);
                }
            });
        }
        Some(passed)
    }

    /// The entries of `within` whose run satisfies a condition. Until runs are known, all are of the first.
    fn by_runs(&mut self, expr: &Expr, within: &Bits) -> Option<Bits> {
        let mut passed = Bits::none(self.block.len());
        let (mut known, mut held): (Option<(usize, bool)>, bool) = (None, false);
        for index in within.iter() {
            let mut unread = false;
            let run = match self.beside {
                None => (1, true),
                Some(beside) => beside.run(index, &mut || {
                    if !self.read {
                        unread = self.block.read_all(&mut self.bytes).is_err();
                        self.read = !unread;
                    }
                    let raw = self.block.cut(index, &self.bytes);
                    let layout = self.block.layout(index);
                    self.block.entry(index, &raw).program(layout == LayoutId::SYSLOG)
                }),
            };
            if unread {
                return None;
            }
            if known != Some(run) {
                (known, held) = (Some(run), expr.judges_run(run.0, run.1));
            }
            if held {
                passed.set(index);
            }
        }
        Some(passed)
    }

    /// The entries that hold one of the needles, and those that may match without one.
    fn candidates(&self, leaf: &Leaf, needles: &Needles, search: &Search) -> Bits {
        let block = self.block;
        let mut found = Bits::none(block.len());
        if needles.names {
            let nameless = |index: &usize| !leaf.is_written(block, *index);
            (0..block.len()).filter(nameless).for_each(|index| found.set(index));
        }
        search.each(&self.bytes, |at| {
            let Some(index) = block.entry_at(at) else { return at + 1 };
            block.beside(index).for_each(|index| found.set(index));
            // The rest of this record needs no search.
            block.record_end(at).min(self.bytes.len())
        });
        found
    }

    /// What the bytes of an entry say of a word; `None` where it must be read in full.
    fn tell_word(&self, word: &Word, usual: bool, index: usize, raw: &[u8]) -> Option<bool> {
        if !word.is_free() || self.block.shares_its_record(index) {
            return None;
        }
        match word.is_in(raw) {
            true => Some(true),
            // It may stand in a value as it reads, or in a message that several make.
            false => (usual && word.is_single()).then_some(false),
        }
    }

    /// What single values of an entry say; `None` where it must be read in full.
    fn tell(&self, leaf: &Leaf, wanted: Wanted<'_>, index: usize, raw: &[u8]) -> Option<bool> {
        let block = self.block;
        if block.wrapped(index) || block.shares_its_record(index) {
            return None;
        }
        let layout = block.layout(index);
        // Has no value of its own, so that a look at values does not refuse it.
        let has =
            matches!(leaf.expr, Expr::Has(Path::Field(_) | Path::Literal(_) | Path::Shaped { .. }));
        if let (Wanted::Path(name), Some(finder), false) = (wanted, &leaf.name, has)
            && leaf.is_written(block, index)
        {
            let mut judge = |text: &str| leaf.expr.judges(name, text);
            let refused = match layout {
                LayoutId::JSON => json::values::refuses(raw, name, finder, &mut |_, t| judge(t)),
                // A field that no layout makes up stands in a pair, where a text has it.
                _ => pairs::refuses(raw, name, finder, &mut judge),
            };
            if refused {
                return Some(false);
            }
        }
        // An error that a stack trace in a text tells of becomes a field.
        if layout == LayoutId::JSON && matches!(wanted, Wanted::Path(p) if p.starts_with("error")) {
            return None;
        }
        let (mut there, mut held) = (false, false);
        layout.layout()?.values(raw, &block.dialect, &mut |name, spot| {
            let fits = match wanted {
                Wanted::Path(path) => {
                    name.path == path || roles::within_bag(name.path) == Some(path)
                }
                Wanted::Duration => {
                    let last = name.own.rsplit('.').next().unwrap_or(name.own);
                    super::is_duration_name(last) && !spot.is_some_and(|spot| spot.item)
                }
            };
            if !fits {
                return;
            }
            there = true;
            if let Some(spot) = spot.filter(|_| !held) {
                held = leaf.expr.judges(name.own, &spot.text());
            }
        })?;
        Some(if has { there } else { held })
    }

    fn holds(&self, leaf: &Leaf, index: usize, raw: &[u8]) -> bool {
        let block = self.block;
        let entry = block.entry(index, raw);
        if let Some(kind) = &leaf.kind {
            return kind.holds(&entry);
        }
        let line = || {
            let start = block.records(index).next().map_or(0, |r| r.start);
            let before = &self.bytes[..start.min(self.bytes.len())];
            block.line_after(memchr::memchr_iter(b'\n', before).count() as u64)
        };
        let seeking = leaf.stand_ins.then(|| self.veil.seeking(&leaf.expr.to_string()));
        let veiled = seeking.as_ref().map(|veil| veil.over(&entry, Some(block.place(index))));
        leaf.expr.holds(&Subject {
            facts: &self.facts(index),
            veiled: veiled.as_ref(),
            entry: &entry,
            alone: !block.shares_its_record(index),
            line: &line,
        })
    }

    fn facts(&self, index: usize) -> Facts<'_> {
        let time = self.block.time(index);
        Facts {
            time: (time != NO_TIME).then_some(time),
            severity: self.block.severity(index),
            layout: self.block.layout(index),
            source: (&self.source.name, &self.source.label),
        }
    }
}
