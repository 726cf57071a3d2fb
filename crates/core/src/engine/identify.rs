//! The ids of a block's entries, found once: by single values where their names and places are known without
//! reading the entry, else by reading it in full. Builds with debug assertions hold one against the other.

use std::{cell::RefCell, io, ops::Range, sync::Arc};

use super::{
    hints::{self, HintBuilder, Part, Said},
    status::{is_status, status_of},
};
use crate::{
    entry::{
        Entry, Field,
        ids::{self, IdKey, Naming},
        names::Names,
        own_ids,
    },
    layout::{LayoutId, Shared, colours, otlp},
    query,
    store::{Block, IdBuilder, IdColumn},
};

/// Layouts whose entries tell a request and its response as one.
const LOGS: [LayoutId; 4] = [LayoutId::ACCESS, LayoutId::W3C, LayoutId::BALANCER, LayoutId::SPANS];

/// Texts that records of export requests share, and that are remembered.
const SHARED: usize = 16;

/// The ids of a block's entries. Cost: the block's bytes, the first time.
///
/// # Errors
///
/// Those of reading them.
pub(crate) fn identify<'b>(block: &'b Block, bytes: &mut Vec<u8>) -> io::Result<&'b IdColumn> {
    if let Some(known) = block.ids.get() {
        return Ok(known);
    }
    block.read_all(bytes)?;
    let (mut builder, mut hints) = (IdBuilder::default(), HintBuilder::default());
    for index in 0..block.len() {
        let raw = block.cut(index, bytes);
        let (ended, mut said) = by_values(block, index, &raw, &mut builder).unwrap_or_else(|| {
            let entry = block.entry(index, &raw);
            by_entry(&entry, block.layout(index), &mut builder)
        });
        builder.next(ended.status, ended.took);
        if ended.status > 0 {
            said.has_status();
        }
        hints.next(&said, LOGS.contains(&block.layout(index)));
    }
    block.hints.get_or_init(|| hints.finish(hints::starts(block, bytes)));
    Ok(block.ids.get_or_init(|| builder.finish()))
}

/// How something ended.
#[derive(Clone, Copy, Debug, PartialEq)]
struct Ended {
    status: u16,
    /// Seconds, or less than 0.
    took: f32,
}

impl Ended {
    const UNKNOWN: Self = Self { status: 0, took: -1.0 };

    /// Takes a value in that may say it.
    fn look(&mut self, own: &str, text: &str) {
        if text.len() > 40 || !text.bytes().any(|b| b.is_ascii_digit()) {
            return;
        }
        if self.status == 0 {
            self.status = status_of(own, text).unwrap_or(0);
        }
        if matches!(own, query::BUSY | query::IDLE) {
            #[expect(
                clippy::cast_possible_truncation,
                reason = "seven digits are enough to order by"
            )]
            let seconds = query::seconds("took", text).unwrap_or(0.0) as f32;
            self.took = self.took.max(0.0) + seconds;
        }
        if self.took < 0.0
            && query::is_duration_name(own)
            && let Some(seconds) = query::seconds(own, text)
        {
            #[expect(
                clippy::cast_possible_truncation,
                reason = "seven digits of a duration are enough to order by"
            )]
            let seconds = seconds as f32;
            self.took = seconds.max(-1.0);
        }
    }
}

/// What names mean for the index.
#[derive(Clone, Copy, PartialEq)]
struct Means {
    naming: Option<Naming>,
    /// It may say how something ended.
    ends: bool,
    /// What it says of an exchange, or of a program.
    part: Option<Part>,
}

impl Means {
    const NOTHING: Self = Self { naming: None, ends: false, part: None };

    fn of(parent: &str, own: &str) -> Self {
        let ends = is_status(own.as_bytes())
            || query::is_duration_name(own)
            || matches!(own, query::BUSY | query::IDLE);
        Self { naming: ids::naming(parent, own), ends, part: Part::of(own) }
    }
}

/// The kinds of ids by number, and their keys.
type Keys = Vec<(usize, IdKey)>;

struct Finding {
    found: Keys,
    /// Where they stand in the entry, as far as they stand there as they read.
    places: Vec<Range<usize>>,
    names: Names<Means>,
    /// What records of export requests share that were read last, and the ids in it.
    shared: Vec<(Arc<Shared>, Keys, Said)>,
}

impl Finding {
    const fn new() -> Self {
        Self { found: Vec::new(), places: Vec::new(), names: Names::new(), shared: Vec::new() }
    }
}

/// Takes the ids by the values of an entry; `None` where it must be read in full.
fn by_values(
    block: &Block,
    index: usize,
    raw: &[u8],
    builder: &mut IdBuilder,
) -> Option<(Ended, Said)> {
    thread_local! {
        /// The ids of the entry at hand, before it is known whether they are all; and what names mean.
        static FOUND: RefCell<Finding> = const { RefCell::new(Finding::new()) };
    }
    let layout = block.layout(index);
    if matches!(layout, LayoutId::OTLP | LayoutId::SPANS) {
        return FOUND.with_borrow_mut(|finding| of_record(block, index, raw, finding, builder));
    }
    if !block.is_as_written(index, raw) || layout.is_own() {
        return None;
    }
    FOUND.with_borrow_mut(|Finding { found, places, names, .. }| {
        found.clear();
        places.clear();
        let (mut ended, mut said) = (Ended::UNKNOWN, Said::default());
        layout.layout()?.values(raw, &block.dialect, &mut |name, spot| {
            let Some(spot) = spot.filter(|spot| !spot.item) else { return };
            let parent = parent_of(name.path, name.own);
            let means = names.of(parent, name.own, || Means::of(parent, name.own));
            if means == Means::NOTHING {
                return;
            }
            let text = spot.text();
            if let Some(naming) = means.naming {
                ids::within(naming, name.own, &text, &mut |kind, id| {
                    found.push((ids::number_of(kind), IdKey::of(kind, id)));
                    places.extend(place_in(raw, id.as_bytes()));
                });
            }
            if means.ends {
                ended.look(name.own, &text);
            }
            if let Some(part) = means.part {
                said.look(part, name.own, &text);
            }
        })?;
        found.iter().for_each(|(kind, key)| builder.id(*kind, *key));
        unnamed(raw, places, builder);
        check(block, index, raw, builder, (ended, said));
        Some((ended, said))
    })
}

/// The same for a record of an export request, by its own scalars and by what it shares with others.
fn of_record(
    block: &Block,
    index: usize,
    raw: &[u8],
    Finding { found, places, names, shared }: &mut Finding,
    builder: &mut IdBuilder,
) -> Option<(Ended, Said)> {
    let of_entry = block.shared(index)?;
    if block.wrapped(index) || colours::is_coloured(raw) {
        return None;
    }
    found.clear();
    places.clear();
    let (mut ended, mut said) = (Ended::UNKNOWN, Said::default());
    let took = otlp::each_scalar(raw, &mut |own, text| {
        // Attributes stand in an object of that name, which no kind of id is told by.
        let means = names.of("", own, || Means::of("", own));
        if means == Means::NOTHING {
            return;
        }
        let Ok(text) = std::str::from_utf8(text) else { return };
        if let Some(naming) = means.naming {
            ids::within(naming, own, text, &mut |kind, id| {
                found.push((ids::number_of(kind), IdKey::of(kind, id)));
                places.extend(place_in(raw, id.as_bytes()));
            });
        }
        if means.ends {
            ended.look(own, text);
        }
        if let Some(part) = means.part {
            said.look(part, own, text);
        }
    })?;
    if let Some(seconds) = took.filter(|_| ended.took < 0.0) {
        #[expect(
            clippy::cast_possible_truncation,
            reason = "seven digits of a duration are enough to order by"
        )]
        let seconds = seconds as f32;
        ended.took = seconds.max(-1.0);
    }
    let known =
        shared.iter().position(|(known, ..)| Arc::ptr_eq(known, of_entry) || known == of_entry);
    let known = match known {
        Some(known) => known,
        None => {
            let entry = block.layout(index).layout()?.member(b"{}", of_entry, &block.dialect)?;
            let ids = entry.ids().into_iter();
            let ids = ids.map(|(kind, id)| (ids::number_of(kind), IdKey::of(kind, &id)));
            if shared.len() >= SHARED {
                shared.remove(0);
            }
            let of_all = Said::of(&entry, block.layout(index));
            shared.push((Arc::clone(of_entry), ids.collect(), of_all));
            shared.len() - 1
        }
    };
    let (_, of_others, of_all) = &shared[known];
    said.add(of_all);
    found.iter().chain(of_others).for_each(|(kind, key)| builder.id(*kind, *key));
    unnamed(raw, places, builder);
    check(block, index, raw, builder, (ended, said));
    Some((ended, said))
}

/// Holds what was found against what reading in full finds, in builds that check.
fn check(
    block: &Block,
    index: usize,
    raw: &[u8],
    builder: &IdBuilder,
    (ended, said): (Ended, Said),
) {
    if cfg!(debug_assertions) {
        let mut in_full = IdBuilder::default();
        let entry = block.entry(index, raw);
        let (told, all_said) = by_entry(&entry, block.layout(index), &mut in_full);
        let near = (told.took - ended.took).abs() <= 1e-6 * told.took.abs();
        debug_assert!(
            builder.is_at_same(&in_full) && told.status == ended.status && near && said == all_said,
            "the values of {:?} lead to other ids than {entry:?}: {ended:?}, {told:?}, {said:?}, {all_said:?}",
            String::from_utf8_lossy(raw)
        );
    }
}

/// The name of the object that a value stands in.
fn parent_of<'n>(path: &'n str, own: &str) -> &'n str {
    if path.len() == own.len() {
        return "";
    }
    let above =
        path.strip_suffix(own).and_then(|above| above.strip_suffix('.')).unwrap_or_default();
    above.rsplit('.').next().unwrap_or_default()
}

/// The same by an entry that was read in full.
fn by_entry(entry: &Entry<'_>, layout: LayoutId, builder: &mut IdBuilder) -> (Ended, Said) {
    fn walk(fields: &[Field<'_>], ended: &mut Ended) {
        for field in fields {
            match field.value.text() {
                Some(text) => ended.look(&field.name, text),
                None => walk(field.value.children(), ended),
            }
        }
    }
    for (kind, id) in entry.ids() {
        builder.id(ids::number_of(kind), IdKey::of(kind, &id));
    }
    let mut ended = Ended::UNKNOWN;
    walk(&entry.fields, &mut ended);
    (ended, Said::of(entry, layout))
}

/// Where a part of some bytes stands in them; `None` where it is a copy.
fn place_in(whole: &[u8], part: &[u8]) -> Option<Range<usize>> {
    let at = part.as_ptr().addr().checked_sub(whole.as_ptr().addr())?;
    (at + part.len() <= whole.len()).then_some(at..at + part.len())
}

/// Takes the ids that an entry holds by their form, and that no name has told before.
fn unnamed(raw: &[u8], places: &mut [Range<usize>], builder: &mut IdBuilder) {
    let kind = ids::number_of("id");
    if !places.is_sorted_by_key(|place| place.start) {
        places.sort_unstable_by_key(|place| place.start);
    }
    own_ids::each_form(&raw[..raw.len().min(ids::LOOKED_THROUGH)], &mut |own, token| {
        let key = IdKey::of(own, token);
        if !builder.has(key) {
            builder.id(ids::number_of(own), key);
        }
    });
    for token in ids::by_form_beside(raw, places) {
        let key = IdKey::of("id", token);
        if !builder.has(key) {
            builder.id(kind, key);
        }
    }
}
