//! An entry as it may be shown.

use std::{
    hash::{DefaultHasher, Hash, Hasher},
    io,
};

use super::Exchange;
use crate::query;
use crate::{
    entry::{self, Entry, IdKey, Level, Offset, Severity},
    guard,
    layout::LayoutId,
    store::{Block, EntryId, NO_TIME},
    veil::{Audience, CleanField, CleanValue, Desk, Text, Veil, Veiled},
};

/// An entry as it may be shown.
#[derive(Clone, Debug)]
pub struct Shown<A: Audience = Desk> {
    /// Which entry.
    pub id: EntryId,
    /// The number of its source.
    pub source: usize,
    /// Nanoseconds UTC, if it has or inherits one.
    pub time: Option<i64>,
    /// The time of day and date as written, as nanoseconds of a clock without a zone.
    pub written: Option<i64>,
    /// Digits of the fraction of a second in the log.
    pub digits: u8,
    /// The time is that of the entry before.
    pub time_derived: bool,
    /// Its time names its zone.
    pub zoned: bool,
    /// Its severity.
    pub severity: Option<Severity>,
    /// The severity was worked out, not read.
    pub level_derived: bool,
    /// The message was put together, not read.
    pub message_derived: bool,
    /// The level as written.
    pub level_raw: Option<Text<'static, A>>,
    /// How it was read.
    pub layout: LayoutId,
    /// It contradicts what holds for its source.
    pub doubtful: bool,
    /// Its logger.
    pub logger: Option<Text<'static, A>>,
    /// Its message.
    pub message: Text<'static, A>,
    /// The lines after the first.
    pub body: Option<Text<'static, A>>,
    /// Its fields, those that became something above left out.
    pub fields: Vec<CleanField<A>>,
    /// How many of them, the last ones, the other half of its exchange tells.
    pub joined: usize,
    /// The exchange that it is a half of, where request and response were printed apart.
    pub exchange: Option<Box<Exchange<A>>>,
    /// Its ids, the best one first: kind and value.
    pub ids: Vec<(&'static str, Text<'static, A>)>,
    /// What tells each of them from other ids.
    pub id_keys: Vec<IdKey>,
    /// What its constant words come to: entries of one kind have the same.
    pub template: u64,
    /// How many secrets are hidden in it.
    pub hidden: usize,
    /// Lines that it spans in the part that was read.
    pub lines: usize,
    /// Only the first part of it was read.
    pub cut: bool,
}

impl<A: Audience> Shown<A> {
    /// An entry out of its bytes; `cut` says that these are not all.
    pub(super) fn of(
        id: EntryId,
        block: &Block,
        veil: &Veil,
        (bytes, cut): (&[u8], bool),
    ) -> io::Result<Self> {
        let mut entry = block.entry(id.index(), bytes);
        if cut && entry.message.is_empty() {
            entry = Entry::plain(bytes);
        }
        let show = |entry: &Entry<'_>| {
            guard::catch(|| {
                shown(id, block, entry, &veil.over::<A>(entry, Some(block.place(id.index()))))
            })
        };
        let failed = "an error in Cribrum itself at this entry; please report it";
        let shown = show(&entry).or_else(|| show(&Entry::plain(bytes)));
        Ok(Self { cut, ..shown.ok_or_else(|| io::Error::other(failed))? })
    }

    /// The named range of its severity.
    #[must_use]
    pub fn level(&self) -> Option<Level> {
        self.severity.map(Severity::level)
    }

    /// The fields that it has itself.
    #[must_use]
    pub fn own_fields(&self) -> &[CleanField<A>] {
        &self.fields[..self.fields.len() - self.joined]
    }

    /// Takes in what the other half of its exchange tells.
    pub(super) fn join(&mut self, exchange: Exchange<A>) {
        for field in &exchange.told {
            let known = match field.name.as_str() {
                "took" => self.took().is_some(),
                "status" => self.status().is_some(),
                name => self.own_fields().iter().any(|field| field.name.as_str() == name),
            };
            if !known {
                self.fields.push(field.clone());
                self.joined += 1;
            }
        }
        self.exchange = Some(Box::new(exchange));
    }

    /// How long it took, in seconds, if a field says so; of a span that a text tells of, the time that it was at work and
    /// the time that it waited.
    #[must_use]
    pub fn took(&self) -> Option<f64> {
        if let Some(took) = self.worked() {
            return Some(took);
        }
        self.own_fields().iter().find_map(|field| match &field.value {
            CleanValue::Text(text) | CleanValue::Number(text) => {
                seconds(field.name.as_str(), text.as_str())
            }
            _ => None,
        })
    }

    /// The time that a span was at work and that it waited, in seconds, as the entry tells that closes it.
    fn worked(&self) -> Option<f64> {
        fn find<A: Audience>(fields: &[CleanField<A>], name: &str) -> Option<f64> {
            fields.iter().find_map(|field| match &field.value {
                CleanValue::Text(text) if field.name.as_str() == name => {
                    crate::query::seconds("took", text.as_str())
                }
                CleanValue::Map(fields) => find(fields, name),
                _ => None,
            })
        }
        let fields = self.own_fields();
        Some(find(fields, query::BUSY)? + find(fields, query::IDLE).unwrap_or(0.0))
    }

    /// The names of the spans that a text or an object says it stands in, the outermost first.
    #[must_use]
    pub fn spans(&self) -> Vec<String> {
        let field = |name: &str| self.own_fields().iter().find(|field| field.name.as_str() == name);
        match field("spans").or_else(|| field("span")).map(|field| &field.value) {
            // `request{id=7}:place`
            Some(CleanValue::Text(text)) => {
                let mut depth = 0;
                let outside = text.as_str().chars().filter(|c| {
                    depth += i32::from(*c == '{');
                    let shown = depth == 0;
                    depth -= i32::from(*c == '}');
                    shown
                });
                let names: String = outside.collect();
                names.split(':').filter(|name| !name.is_empty()).map(str::to_owned).collect()
            }
            Some(CleanValue::List(spans)) => {
                let names = spans.iter().filter_map(|span| match &span.value {
                    CleanValue::Map(fields) => {
                        let name = fields.iter().find(|field| field.name.as_str() == "name")?;
                        match &name.value {
                            CleanValue::Text(text) => Some(text.as_str().to_owned()),
                            _ => None,
                        }
                    }
                    _ => None,
                });
                names.collect()
            }
            _ => Vec::new(),
        }
    }

    /// Whether it closes a span that a text tells of.
    #[must_use]
    pub fn closes_span(&self) -> bool {
        self.worked().is_some() && !self.spans().is_empty()
    }

    /// The status of HTTP that it tells.
    #[must_use]
    pub fn status(&self) -> Option<u16> {
        self.own_fields().iter().find_map(|field| match &field.value {
            CleanValue::Text(text) | CleanValue::Number(text) => {
                super::status_of(field.name.as_str(), text.as_str())
            }
            _ => None,
        })
    }
}

fn seconds(name: &str, text: &str) -> Option<f64> {
    crate::query::is_duration_name(name).then(|| crate::query::seconds(name, text)).flatten()
}

/// An entry as it may be shown.
fn shown<A: Audience>(
    id: EntryId,
    block: &Block,
    entry: &Entry<'_>,
    veiled: &Veiled<'_, '_, A>,
) -> Shown<A> {
    let index = id.index();
    let time = block.time(index);
    let ids = sorted_ids(entry);
    Shown {
        id,
        source: block.source.index(),
        time: (time != NO_TIME).then_some(time),
        written: entry.stamp.and_then(|stamp| {
            let ahead = match stamp.offset {
                Offset::Fixed(seconds) => i64::from(seconds),
                Offset::Missing => 0,
            };
            let plain = stamp.missing == crate::entry::Missing::Nothing;
            let nanos = stamp.nanos(&crate::entry::Clock::default());
            plain.then(|| nanos.saturating_add(ahead * 1_000_000_000))
        }),
        digits: entry.stamp.map_or(3, |stamp| stamp.digits),
        time_derived: block.time_derived(index),
        zoned: entry.stamp.is_some_and(|stamp| stamp.offset != Offset::Missing),
        severity: block.severity(index),
        level_derived: entry.level_derived,
        message_derived: entry.message_derived,
        level_raw: veiled.level_raw().map(Text::into_owned),
        layout: block.layout(index),
        doubtful: block.doubtful(index),
        logger: veiled.logger().map(Text::into_owned),
        message: veiled.message().into_owned(),
        body: veiled.body().map(Text::into_owned),
        fields: veiled.fields(false),
        joined: 0,
        exchange: None,
        id_keys: ids.iter().map(|(kind, value)| IdKey::of(kind, value)).collect(),
        ids: ids.into_iter().map(|(kind, value)| (kind, veiled.text(value.into()))).collect(),
        template: template_of(entry),
        hidden: veiled.hidden(),
        lines: memchr::memchr_iter(b'\n', entry.raw).count() + 1,
        cut: false,
    }
}

/// What the constant words of an entry come to: entries of one kind have the same.
pub(crate) fn template_of(entry: &Entry<'_>) -> u64 {
    let mut hasher = DefaultHasher::new();
    entry::kind::of(entry).hash(&mut hasher);
    hasher.finish()
}

/// The ids of an entry, the one that names a request best first.
pub(crate) fn sorted_ids(entry: &Entry<'_>) -> Vec<(&'static str, String)> {
    let rank = |kind: &str| crate::entry::ids::KINDS.iter().position(|k| *k == kind);
    let mut ids: Vec<_> = entry.ids().into_iter().map(|(k, v)| (k, v.into_owned())).collect();
    ids.sort_by_key(|(kind, _)| rank(kind));
    ids
}
