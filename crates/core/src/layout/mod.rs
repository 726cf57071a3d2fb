//! Layouts: how a line is to be read. One file each.
//!
//! A layout answers two questions. [`Layout::head`] looks at one line and says cheaply whether an
//! entry of this layout begins there, with its time and level: that is all the index needs.
//! [`Layout::read`] reads a whole entry, and is asked only for entries that are shown, matched or exported.
//!
//! What other programs put around a line is taken off first ([`wrap`]). To add a layout, write its file and a line
//! in [`layouts!`]: its order there is its turn, and what it says of itself leads to the rest.

pub(crate) mod colours;
mod detect;
mod dialect;
mod exchange;
mod gist;
mod message;
mod methods;
mod prefix;
pub(crate) mod quick;
pub(crate) mod trace;
pub(crate) mod wrap;

pub use detect::Tried;
pub use dialect::Dialect;
pub(crate) use dump::belongs_to_dump;
pub(crate) use gist::{Gist, Says};
pub(crate) use text::level_of_second;

use std::{borrow::Cow, ops::Range};

use crate::entry::{Entry, Severity, Stamp};

/// What the index takes from the first line of an entry.
#[derive(Clone, Copy, Debug, Default, PartialEq)]
pub(crate) struct Head {
    pub(crate) stamp: Option<Stamp>,
    pub(crate) severity: Option<Severity>,
    /// The severity was worked out, not read.
    pub(crate) derived: bool,
    /// The line contradicts what holds for its source.
    pub(crate) doubtful: bool,
    /// What goes on below the line.
    pub(crate) open: Open,
    pub(crate) join: Join,
    /// The line holds several entries: [`Layout::members`] tells them apart.
    pub(crate) many: bool,
    /// A request or a response is printed from here on.
    pub(crate) dump: bool,
    /// The lines below are the entry's until [`Layout::below`] says otherwise.
    pub(crate) gathers: bool,
}

/// What a line below the first of an entry is whose lines its layout tells.
#[derive(Clone, Copy, Debug, PartialEq)]
pub(crate) enum Below {
    /// It is none of the entry's.
    Over,
    /// It belongs to the entry; the time and the level that it says.
    Within(Option<Stamp>, Option<Severity>),
    /// The same, and no further line does.
    Last(Option<Stamp>, Option<Severity>),
}

/// What is not finished at the end of a line.
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq)]
pub(crate) enum Open {
    #[default]
    Nothing,
    /// A quote; the entry goes on until it is closed.
    Quote,
    /// This many brackets of an object or a list; the entry goes on until they are closed.
    Object(i32),
}

/// Whether a line that could be an entry of its own is one.
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq)]
pub(crate) enum Join {
    #[default]
    No,
    /// It belongs to the entry before, where there is one.
    Before,
    /// The next line belongs to it, and may hold its level and message.
    After,
}

/// What lines that no layout takes mean after an entry.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub(crate) enum Continues {
    /// An entry is one line, or ends by its own rule.
    Never,
    /// Indented lines and those of a stack trace belong to it.
    Indented,
    /// Every line until the next entry belongs to it.
    Always,
}

/// The name of a value.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub(crate) struct Name<'n> {
    /// The names that lead to it, with dots between them.
    pub(crate) path: &'n str,
    /// The last of them, which may have dots of its own.
    pub(crate) own: &'n str,
}

impl<'n> Name<'n> {
    /// The name of a value that stands in nothing else.
    pub(crate) fn of(name: &'n str) -> Self {
        Self { path: name, own: name }
    }
}

/// A value where it stands in the bytes of an entry.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub(crate) struct Spot<'r> {
    /// Quotes around it left out.
    pub(crate) written: &'r [u8],
    /// It holds escapes of JSON.
    pub(crate) escaped: bool,
    /// It is an item of a list, which goes by the list's name.
    pub(crate) item: bool,
}

impl<'r> Spot<'r> {
    /// A value that reads as it is written.
    pub(crate) fn plain(written: &'r [u8]) -> Self {
        Self { written, escaped: false, item: false }
    }

    /// The value as it reads.
    pub(crate) fn text(&self) -> Cow<'r, str> {
        match self.escaped {
            true => json::values::text(self.written),
            false => String::from_utf8_lossy(self.written),
        }
    }
}

/// Takes the name of a value and where it stands; an object or a list has no place, but what is in it.
pub(crate) type Visit<'v, 'r> = dyn FnMut(Name<'_>, Option<Spot<'r>>) + 'v;

/// One of several entries on a line, as places in it.
#[derive(Clone, Debug, Default, PartialEq, Eq)]
pub(crate) struct Member {
    /// Its own text.
    pub(crate) span: Range<usize>,
    /// Where it stands what it shares with others; empty where it says all itself.
    pub(crate) shared: [Range<usize>; 2],
}

impl Member {
    /// The texts that it shares.
    pub(crate) fn shared(&self, line: &[u8]) -> Shared {
        Shared(self.shared.clone().map(|span| line.get(span).unwrap_or_default().into()))
    }
}

/// The texts that several entries of a line share: what was logged by the same program, or by the same part of it.
#[derive(Clone, Debug, Default, PartialEq, Eq)]
pub(crate) struct Shared([Box<[u8]>; 2]);

impl Shared {
    pub(crate) fn is_empty(&self) -> bool {
        self.0.iter().all(|text| text.is_empty())
    }
}

/// How a line is to be read.
pub(crate) trait Layout: Sync {
    /// The name that people see and type.
    fn name(&self) -> &'static str;

    /// What it reads, for the documentation.
    fn about(&self) -> &'static str;

    /// Lines whose last is of this layout.
    fn sample(&self) -> &'static str;

    /// Whether one of its lines may begin with this byte.
    fn first(&self, first: u8) -> bool;

    /// Whether a line that begins so is worth [`Layout::head`]. Cost: a few bytes.
    fn begins(&self, _line: &[u8]) -> bool {
        true
    }

    /// Whether lines that other programs wrote into may be read with something left out. Each entry is looked through for
    /// that, which takes a tenth of the time that reading it does; what has left something out keeps all of its bytes.
    fn tears(&self) -> bool {
        false
    }

    /// Whether an entry may have a field of this name that stands nowhere in its bytes: where names are told by a
    /// header or a standard, any. What a stack trace gives is not asked for.
    fn makes_up(&self, name: &str) -> bool;

    /// Whether a word of its lines belongs to its grammar, and says nothing by itself.
    #[cfg_attr(not(debug_assertions), allow(dead_code, reason = "only checks ask for it"))]
    fn owns(&self, _word: &str) -> bool {
        false
    }

    /// Whether an entry begins with this line (without its line end), and what the index needs of it.
    /// Cost: one look at the line's beginning for most lines that don't fit.
    fn head(&self, line: &[u8], dialect: &Dialect) -> Option<Head>;

    /// What a line below the first is to an entry that gathers its lines. Cost: the line.
    fn below(&self, _line: &[u8]) -> Below {
        Below::Over
    }

    /// Reads the whole entry. `None` where the bytes keep less than their first line promised; they
    /// are then shown as text.
    fn read<'a>(&self, raw: &'a [u8], dialect: &Dialect) -> Option<Entry<'a>>;

    /// Visits the names and the places of an entry's values, in the order in which [`Layout::read`] has them as
    /// fields, without reading it. `None` where only reading tells; what was visited before is then of no use.
    /// Cost: the bytes of its first line.
    fn values<'r>(&self, _raw: &'r [u8], _: &Dialect, _: &mut Visit<'_, 'r>) -> Option<()> {
        None
    }

    /// Who speaks in an entry and what is said, as [`Layout::read`] has them. `None` where only reading it in full
    /// tells. Cost: the bytes of its first line.
    fn gist<'r>(&self, _raw: &'r [u8], _: &Dialect) -> Option<Gist<'r>> {
        None
    }

    /// What [`Layout::gist`] and [`Layout::values`] tell, in one go.
    fn tell<'r>(
        &self,
        raw: &'r [u8],
        dialect: &Dialect,
        visit: &mut Visit<'_, 'r>,
    ) -> Option<Gist<'r>> {
        let gist = self.gist(raw, dialect)?;
        self.values(raw, dialect, visit)?;
        Some(gist)
    }

    /// Where each of the entries stands on a line that holds several; `None` where it is one. Cost: a pass
    /// over the line.
    fn members(&self, _line: &[u8]) -> Option<Vec<Member>> {
        None
    }

    /// The head of one of them.
    fn member_head(&self, _line: &[u8], _member: &Member) -> Head {
        Head::default()
    }

    /// Reads one of them by its own text and what it shares. Cost: these bytes.
    fn member<'a>(&self, own: &'a [u8], _: &Shared, dialect: &Dialect) -> Option<Entry<'a>> {
        self.read(own, dialect)
    }

    /// The same as [`Layout::gist`] of one of them.
    fn member_gist<'r>(&self, own: &'r [u8], _: &Shared, dialect: &Dialect) -> Option<Gist<'r>> {
        self.gist(own, dialect)
    }

    /// The gist of one of them, and its fields that are no ids: their dotted paths and their texts, in the order of the log.
    /// `None` where only reading tells.
    fn member_fields<'r>(
        &self,
        _own: &'r [u8],
        _: &Shared,
        _: &mut dyn FnMut(&str, &str),
    ) -> Option<Gist<'r>> {
        None
    }

    /// What belongs to an entry of this layout beyond its first line.
    fn continues(&self) -> Continues;
}

/// Declares the modules of all layouts, and gives each layout its number in the index, a name for that number,
/// and its turn: a line is of the first that takes it.
macro_rules! layouts {
    ($($(#[$note:meta])* $vis:vis mod $module:ident { $($number:ident = $layout:ident),+ })+) => {
        $($(#[$note])* $vis mod $module;)+

        static LAYOUTS: &[&dyn Layout] = &[$($(&$module::$layout),+),+];

        #[derive(Clone, Copy)]
        #[expect(clippy::upper_case_acronyms, reason = "the names of constants")]
        enum Number { $($($number),+),+ }

        #[expect(dead_code, reason = "not every layout is asked for by its number")]
        impl LayoutId {
            $($(pub(crate) const $number: Self = Self(Number::$number as u8);)+)+
        }
    };
}

// The more particular comes before the more general.
layouts! {
    pub(crate) mod otlp { OTLP = Otlp, SPANS = Spans }
    pub(crate) mod record { RECORD = Record }
    mod markup { MARKUP = Markup }
    mod boxed { BOXED = Boxed }
    mod report { REPORT = Report }
    pub(crate) mod csv { CSV = Csv, W3C = W3c }
    mod started { STARTED = Started }
    mod access { ACCESS = Access }
    mod request { REQUEST = Request }
    mod balancer { BALANCER = Balancer }
    mod marked { MARKED = Marked }
    mod letter { LETTER = Letter }
    mod syslog { SYSLOG = Syslog }
    mod kernel { KERNEL = Kernel }
    mod mobile { MOBILE = Mobile }
    mod labelled { LABELLED = Labelled }
    mod delimited { DELIMITED = Delimited }
    pub(crate) mod pairs { PAIRS = Pairs }
    mod crash { CRASH = Crash }
    mod text { TEXT = Text, LEVELLED = Levelled }
    mod dump { DUMP = Dump }
    mod slow { SLOW = Slow }
    pub(crate) mod json { JSON = Json }
    pub mod own { TAUGHT = Taught }
}

/// Bytes before the numbers of layouts that are taught.
const _: () = assert!(LAYOUTS.len() <= own::names::FIRST as usize);

/// Calls `take` with the names and the values of what a message tells of a request or of a response by itself.
pub(crate) fn told_of<'t>(message: &'t str, take: &mut dyn FnMut(&'static str, &'t str)) {
    let (line, _) = crate::entry::first_line(message.as_bytes());
    for (name, span) in exchange::of(line, 0..line.len()) {
        take(name, message.get(span).unwrap_or_default());
    }
}

/// A layout's number in the index, or the mark of a line that no layout took.
#[derive(Clone, Copy, Debug, PartialEq, Eq, Hash, PartialOrd, Ord)]
pub struct LayoutId(u8);

/// Whether a byte is none of those that are told apart by what they begin.
fn is_other(first: u8) -> bool {
    !matches!(first, b'{' | b'[' | b'<' | b' ' | b'\t' | b'#' | b'/' | b'0'..=b'9')
}

/// Whether a line begins with a date that has its year first.
fn is_dated(line: &[u8]) -> bool {
    line.get(4) == Some(&b'-') && line[0].is_ascii_digit()
}

impl LayoutId {
    /// The line is not understood: it is kept as it stands.
    pub const PLAIN: Self = Self(u8::MAX);
    /// A layout that a person taught and gave no name.
    pub const OWN: Self = Self::TAUGHT;

    /// Every layout and, last, [`LayoutId::PLAIN`].
    pub fn all() -> impl Iterator<Item = Self> {
        (0..LAYOUTS.len()).filter_map(|at| u8::try_from(at).ok()).map(Self).chain([Self::PLAIN])
    }

    /// The layout of a name, as `--layout` and queries take it.
    #[must_use]
    pub fn named(name: &str) -> Option<Self> {
        Self::all().find(|id| id.name() == name).or_else(|| own::names::known(name))
    }

    /// The name that people see.
    #[must_use]
    pub fn name(self) -> &'static str {
        own::names::name_of(self.0).unwrap_or_else(|| self.layout().map_or("plain", Layout::name))
    }

    /// Whether a layout took the line.
    #[must_use]
    pub fn understood(self) -> bool {
        self != Self::PLAIN
    }

    /// Whether its columns are named by a header.
    fn is_table(self) -> bool {
        self == Self::CSV || self == Self::W3C
    }

    /// What it reads, as Markdown.
    #[must_use]
    pub fn about(self) -> &'static str {
        self.layout().map_or("what is not understood", Layout::about)
    }

    /// Lines whose last is of this layout; none for those that are taught, and for what is not understood.
    #[must_use]
    pub fn sample(self) -> Option<&'static str> {
        self.layout().map(Layout::sample).filter(|sample| !sample.is_empty())
    }

    /// Whether an entry that has a field of this dotted path has its names in its bytes.
    pub(crate) fn writes(self, path: &str) -> bool {
        let made_up = |name: &str| {
            // A column without a name goes by its number, and what a layout can't read after all is text.
            name.starts_with("column")
                || trace::makes_up(name)
                || self.layout().is_some_and(|layout| layout.makes_up(name))
        };
        !self.is_own() && !made_up(path) && !path.split('.').any(made_up)
    }

    /// Whether all its fields are told by names that stand in its bytes, or that are known not to be secret.
    pub(crate) fn says_its_names(self) -> bool {
        self.writes("any name")
    }

    /// Whether a person taught the layout.
    pub(crate) fn is_own(self) -> bool {
        self == Self::OWN || own::names::is_named(self.0)
    }

    /// Whether its entries are spans: they stand at their start, and say how long they took.
    #[must_use]
    pub fn is_span(self) -> bool {
        self == Self::SPANS
    }

    /// Whether the entry is one request that a server answered.
    #[must_use]
    pub fn is_access(self) -> bool {
        self.name() == access::NAME
    }

    pub(crate) fn bits(self) -> u8 {
        self.0
    }

    pub(crate) fn from_bits(bits: u8) -> Self {
        Self(bits)
    }

    pub(crate) fn layout(self) -> Option<&'static dyn Layout> {
        if self.is_own() {
            return Some(&own::Taught);
        }
        LAYOUTS.get(usize::from(self.0)).copied()
    }

    pub(crate) fn continues(self, dialect: &Dialect) -> Continues {
        match self {
            id if id.is_own() => own::continues(&dialect.own, id),
            Self::CSV if dialect.header.as_ref().is_some_and(csv::Header::is_log) => {
                Continues::Always
            }
            _ => self.layout().map_or(Continues::Indented, Layout::continues),
        }
    }

    /// Reads an entry in full; one that isn't what it seemed is plain text.
    pub(crate) fn read<'a>(self, raw: &'a [u8], dialect: &Dialect) -> Entry<'a> {
        let read = self.layout().and_then(|layout| layout.read(raw, dialect));
        let mut entry = read.unwrap_or_else(|| plain(raw));
        if self.layout().is_some_and(Layout::tears) && self.lost(&entry).is_some() {
            entry.body = Some(String::from_utf8_lossy(raw));
        }
        debug_assert_eq!(self.unsaid(&entry), None, "a made-up field of {}", self.name());
        #[cfg(debug_assertions)]
        debug_assert_eq!(
            self.lost(&entry),
            None,
            "lost of {}: {}",
            self.name(),
            entry.raw.escape_ascii()
        );
        #[cfg(debug_assertions)]
        Gist::check(self.gist(raw, dialect).as_ref(), &entry);
        entry
    }

    /// Who speaks in an entry and what is said; `None` where only reading it in full tells.
    pub(crate) fn gist<'a>(self, raw: &'a [u8], dialect: &Dialect) -> Option<Gist<'a>> {
        match self.layout() {
            Some(layout) => layout.gist(raw, dialect),
            None => {
                let (first, _) = crate::entry::first_line(raw);
                Gist::of(None, String::from_utf8_lossy(first))
            }
        }
    }

    /// A token of an entry that lands nowhere.
    pub(crate) fn lost(self, entry: &Entry<'_>) -> Option<String> {
        let owns = |word: &str| self.layout().is_some_and(|layout| layout.owns(word));
        crate::entry::written::lost(entry, &owns)
    }

    /// A field whose name stands nowhere in the entry, though the layout says that it makes up none such.
    fn unsaid(self, entry: &Entry<'_>) -> Option<String> {
        let mut unsaid = None;
        entry.leaves(&mut |path, field| {
            let name = path.rsplit('.').next().unwrap_or(path);
            let said = |name: &[u8]| memchr::memmem::find(entry.raw, name).is_some();
            let known = field.name.is_empty()
                || said(field.name.as_bytes())
                || !self.writes(&field.name)
                || !self.writes(name)
                || memchr::memchr(b'\\', entry.raw).is_some()
                || std::str::from_utf8(entry.raw).is_err();
            if !known {
                unsaid = Some(path.to_owned());
            }
        });
        unsaid
    }

    /// Reads one of the entries that a record holds.
    pub(crate) fn member<'a>(self, own: &'a [u8], shared: &Shared, dialect: &Dialect) -> Entry<'a> {
        let read = self.layout().and_then(|layout| layout.member(own, shared, dialect));
        let entry = read.unwrap_or_else(|| plain(own));
        #[cfg(debug_assertions)]
        Gist::check(self.member_gist(own, shared, dialect).as_ref(), &entry);
        entry
    }

    /// The same as [`LayoutId::gist`] of one of the entries that a record holds.
    pub(crate) fn member_gist<'a>(
        self,
        own: &'a [u8],
        shared: &Shared,
        dialect: &Dialect,
    ) -> Option<Gist<'a>> {
        self.layout()?.member_gist(own, shared, dialect)
    }
}

/// An entry that no layout took: its text, and the error that a stack trace in it tells of.
fn plain(raw: &[u8]) -> Entry<'_> {
    let mut entry = Entry::plain(raw);
    if entry.body.is_some() {
        trace::describe(&mut entry, 0);
    }
    entry
}

#[cfg(test)]
mod tests;
