//! Layouts: how a line is to be read. One file each.
//!
//! A layout answers two questions. [`Layout::head`] looks at one line and says cheaply whether an
//! entry of this layout begins there, with its time and level: that is all the index needs.
//! [`Layout::read`] reads a whole entry, and is asked only for entries that somebody looks at.
//!
//! To add a layout, write its file and put it into [`LAYOUTS`] at the place where it may be asked:
//! the first that fits takes the line, so the more particular comes before the more general.

mod access;
pub(crate) mod csv;
mod delimited;
mod json;
mod pairs;
mod text;

use jiff::tz::TimeZone;

use crate::entry::{Entry, Severity, Stamp};

/// What the index takes from the first line of an entry.
#[derive(Clone, Copy, Debug, Default, PartialEq)]
pub(crate) struct Head {
    pub(crate) stamp: Option<Stamp>,
    pub(crate) severity: Option<Severity>,
    /// The severity was worked out, not read.
    pub(crate) derived: bool,
    /// A quote is open at the end of the line; the entry goes on until it is closed.
    pub(crate) open: bool,
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

/// How a line is to be read.
pub(crate) trait Layout: Sync {
    /// The name that people see and type.
    fn name(&self) -> &'static str;

    /// Whether an entry begins with this line (without its line end), and what the index needs of it.
    /// Cost: one look at the line's beginning for most lines that don't fit.
    fn head(&self, line: &[u8], dialect: &Dialect) -> Option<Head>;

    /// Reads the whole entry. `None` where the bytes keep less than their first line promised; they
    /// are then shown as text.
    fn read<'a>(&self, raw: &'a [u8], dialect: &Dialect) -> Option<Entry<'a>>;

    /// What belongs to an entry of this layout beyond its first line.
    fn continues(&self) -> Continues {
        Continues::Never
    }
}

/// All layouts, in the order in which they are asked.
static LAYOUTS: [&dyn Layout; 6] =
    [&json::Json, &access::Access, &delimited::Delimited, &csv::Csv, &pairs::Pairs, &text::Text];

/// A layout's number in the index, or the mark of a line that no layout took.
#[derive(Clone, Copy, Debug, PartialEq, Eq, Hash, PartialOrd, Ord)]
pub struct LayoutId(u8);

impl LayoutId {
    /// The line is not understood: it is kept as it stands.
    pub const PLAIN: Self = Self(31);

    /// Every layout and, last, [`LayoutId::PLAIN`].
    pub fn all() -> impl Iterator<Item = Self> {
        (0..LAYOUTS.len()).filter_map(|at| u8::try_from(at).ok()).map(Self).chain([Self::PLAIN])
    }

    /// The layout of a name, as `--layout` and queries take it.
    #[must_use]
    pub fn named(name: &str) -> Option<Self> {
        Self::all().find(|id| id.name() == name)
    }

    /// The name that people see.
    #[must_use]
    pub fn name(self) -> &'static str {
        self.layout().map_or("plain", Layout::name)
    }

    /// Whether a layout took the line.
    #[must_use]
    pub fn understood(self) -> bool {
        self != Self::PLAIN
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

    fn layout(self) -> Option<&'static dyn Layout> {
        LAYOUTS.get(usize::from(self.0)).copied()
    }

    pub(crate) fn continues(self) -> Continues {
        self.layout().map_or(Continues::Indented, Layout::continues)
    }

    /// Reads an entry of this layout in full; one that isn't what it seemed is plain text.
    pub(crate) fn read<'a>(self, raw: &'a [u8], dialect: &Dialect) -> Entry<'a> {
        self.layout()
            .and_then(|layout| layout.read(raw, dialect))
            .unwrap_or_else(|| Entry::plain(raw))
    }
}

/// What has been learnt or set for one source, and does not change while it is read.
#[derive(Clone, Debug, Default, PartialEq)]
pub struct Dialect {
    /// The zone of times that name none; `None` is UTC.
    pub(crate) zone: Option<TimeZone>,
    /// The only layout to be tried, where one is forced.
    forced: Option<LayoutId>,
    /// The header of a delimiter-separated file.
    pub(crate) header: Option<csv::Header>,
    /// Several programs write to the source in turn.
    mixed: bool,
}

impl Dialect {
    /// What is set for a source before anything is learnt from it.
    #[must_use]
    pub fn new(zone: Option<TimeZone>, forced: Option<LayoutId>) -> Self {
        Self { zone, forced, ..Self::default() }
    }

    /// Learns from the first bytes of a source what its lines don't say one by one.
    pub(crate) fn learn(&self, beginning: &[u8]) -> Self {
        let header = beginning
            .split(|byte| *byte == b'\n')
            .take(64)
            .find_map(|line| csv::Header::read(crate::entry::trim_cr(line)));
        let mut learnt = Self { header, ..self.clone() };
        let mut met = beginning
            .split(|byte| *byte == b'\n')
            .filter_map(|line| learnt.detect(crate::entry::trim_cr(line)))
            .map(|(layout, _)| layout);
        let first = met.next();
        learnt.mixed = met.take(256).any(|layout| Some(layout) != first);
        learnt
    }

    /// Whether several programs write to the source in turn: then a line that no layout takes need not
    /// belong to the entry before.
    pub(crate) fn mixed(&self) -> bool {
        self.mixed
    }

    /// Whether the line is the header of the columns, which is no entry.
    pub(crate) fn is_header(&self, line: &[u8]) -> bool {
        self.header.as_ref().is_some_and(|header| header.line == line)
    }

    /// Finds the layout that takes the line.
    pub(crate) fn detect(&self, line: &[u8]) -> Option<(LayoutId, Head)> {
        if let Some(forced) = self.forced {
            let head = forced.layout()?.head(line, self)?;
            return Some((forced, head));
        }
        let first = *line.first()?;
        if first == b'{' {
            return json::Json.head(line, self).map(|head| (LayoutId(0), head));
        }
        if first.is_ascii_whitespace() {
            return None;
        }
        LAYOUTS.iter().enumerate().skip(1).find_map(|(at, layout)| {
            let head = layout.head(line, self)?;
            Some((LayoutId(u8::try_from(at).ok()?), head))
        })
    }
}

#[cfg(test)]
mod tests;
