//! The fold: what both sides say, and the values that they have.

use std::{
    collections::{HashMap, hash_map::Entry as Slot},
    hash::{DefaultHasher, Hash, Hasher},
    io,
    marker::PhantomData,
    sync::Arc,
};

use super::{Change, Comparison, Difference, MOST_VALUES, Per, Side, What, Whole, surprise};
use crate::{
    EntryId,
    engine::{
        Pass, Snapshot,
        pass::{self, Entries, Fold},
    },
    entry::{Level, Role, Severity, kind::without_stand_ins},
    kinds::holes_for_words,
    query,
    store::Bits,
    tally::{By, Key, Sketch, shaped},
    veil::{Audience, Text},
};

impl<A: Audience> Comparison<A> {
    /// Compares two selections. `None` when the pass was ended. Cost: the bytes of the entries of both.
    #[must_use]
    pub fn of(snapshot: &Arc<Snapshot>, sides: [&Side; 2], per: Per, pass: &Pass) -> Option<Self> {
        let first = sides[0].selection(snapshot, pass)?;
        let second = sides[1].selection(snapshot, pass)?;
        let wholes = [&first, &second].map(|selection| Whole {
            entries: selection.len() as u64,
            span: selection.span(snapshot),
        });
        let bits = [&first, &second].map(|selection| selection.by_block(snapshot.blocks.len()));
        let fold = Comparing::<A> { bits, audience: PhantomData };
        let measured = pass::run(snapshot, &first.or(&second), &fold, pass)?;
        let mut part = measured.part;
        part.find_words();
        let mut comparison = Self {
            differences: Vec::new(),
            wholes,
            per,
            left_out: part.left_out(),
            unread: measured.unread,
        };
        comparison.differences = comparison.judged(part);
        Some(comparison)
    }

    fn judged(&self, part: Compared<A>) -> Vec<Difference<A>> {
        let mut differences = Vec::new();
        for kind in part.kinds {
            let (text, tallied) = kind;
            let took = &tallied.took;
            if took.iter().all(|values| values.count > 0) {
                let (surprise, larger) = surprise::of_values(&took[0], &took[1]);
                differences.push(Difference {
                    what: What::Took(text.clone()),
                    change: if larger >= 0.5 { Change::Slower } else { Change::Faster },
                    counts: tallied.counts,
                    took: Some(tallied.took.clone()),
                    level: tallied.level,
                    surprise,
                    entry: tallied.entry(),
                });
            }
            differences.push(self.counted(What::Kind(text), &tallied));
        }
        for (by, field) in part.fields {
            if field.values.len() > MOST_VALUES {
                continue;
            }
            for (text, tallied) in field.values {
                let key = match &by {
                    By::Source => Key::Source(text.as_str().parse().unwrap_or(usize::MAX)),
                    By::Level => {
                        match Level::ALL.into_iter().find(|level| level.name() == text.as_str()) {
                            Some(level) => Key::Level(level),
                            None => Key::Text(text),
                        }
                    }
                    _ => Key::Text(text),
                };
                differences.push(self.counted(What::Value(by.clone(), key), &tallied));
            }
        }
        differences.sort_by(|one, other| {
            let rank = |difference: &Difference<A>| {
                (difference.is_surprising(), difference.is_surprising() && difference.is_error())
            };
            rank(other)
                .cmp(&rank(one))
                .then_with(|| other.surprise.total_cmp(&one.surprise))
                .then_with(|| one.order().cmp(&other.order()))
        });
        differences
    }

    fn counted(&self, what: What<A>, tallied: &Tallied) -> Difference<A> {
        #[expect(clippy::cast_precision_loss, reason = "counts to compare")]
        let share = |side: usize| surprise::Share {
            count: tallied.counts[side] as f64,
            of: match self.per {
                Per::Entry => self.wholes[side].entries as f64,
                Per::Minute => self.wholes[side].minutes(),
            },
        };
        let (one, other) = (share(0), share(1));
        let surprise = match self.per {
            Per::Entry => surprise::of_entries(one, other),
            Per::Minute => surprise::of_minutes(one, other),
        };
        let change = match tallied.counts {
            [0, _] => Change::New,
            [_, 0] => Change::Gone,
            _ if other.count * one.of >= one.count * other.of => Change::More,
            _ => Change::Less,
        };
        Difference {
            what,
            change,
            counts: tallied.counts,
            took: None,
            level: tallied.level,
            surprise,
            entry: tallied.entry(),
        }
    }
}

impl<A: Audience> Difference<A> {
    /// Puts differences that are equally surprising in an order.
    fn order(&self) -> (u8, String) {
        match &self.what {
            What::Kind(kind) => (0, kind.as_str().to_owned()),
            What::Took(kind) => (1, kind.as_str().to_owned()),
            What::Value(by, key) => (2, format!("{by} {key:?}")),
        }
    }
}

/// What is counted of something on both sides.
#[derive(Clone, Debug, Default)]
struct Tallied {
    counts: [u64; 2],
    level: Option<Level>,
    took: Box<[Sketch; 2]>,
    /// The first entry of each side.
    entries: [Option<EntryId>; 2],
}

impl Tallied {
    fn add(&mut self, id: EntryId, sides: [bool; 2], level: Option<Level>) {
        for (side, _) in sides.iter().enumerate().filter(|(_, is)| **is) {
            self.counts[side] += 1;
            self.entries[side].get_or_insert(id);
        }
        self.level = self.level.max(level);
    }

    fn merge(&mut self, other: &Self) {
        for side in 0..2 {
            self.counts[side] += other.counts[side];
            self.took[side].merge(&other.took[side]);
            let both = [self.entries[side], other.entries[side]];
            self.entries[side] = both.into_iter().flatten().min();
        }
        self.level = self.level.max(other.level);
    }

    fn entry(&self) -> EntryId {
        self.entries[1].or(self.entries[0]).unwrap_or(EntryId::new(0, 0))
    }
}

/// The values of a field.
#[derive(Default)]
struct Values<A: Audience> {
    values: HashMap<Text<'static, A>, Tallied>,
    /// Its name, as it may be shown.
    name: Text<'static, A>,
}

struct Compared<A: Audience> {
    kinds: HashMap<Text<'static, A>, Tallied>,
    fields: HashMap<By, Values<A>>,
}

impl<A: Audience> Default for Compared<A> {
    fn default() -> Self {
        Self { kinds: HashMap::new(), fields: HashMap::new() }
    }
}

struct Comparing<A> {
    /// The entries of both sides, by the number of their block.
    bits: [Vec<Option<Arc<Bits>>>; 2],
    audience: PhantomData<A>,
}

/// What an entry of a block was found to be, by how it stands in the log.
#[derive(Default)]
struct Known {
    kinds: HashMap<u64, usize>,
    /// The numbers of values by their field and how they are written; none of a field with too many.
    values: HashMap<u64, Option<usize>>,
    /// How many values a field has in this block.
    of_field: HashMap<u64, usize>,
}

fn hash(value: impl Hash) -> u64 {
    let mut hasher = DefaultHasher::new();
    value.hash(&mut hasher);
    hasher.finish()
}

impl<A: Audience> Fold for Comparing<A> {
    type Part = Compared<A>;

    fn measure(&self, entries: &mut Entries<'_>, part: &mut Compared<A>) -> io::Result<()> {
        let block = Arc::clone(entries.block());
        let (number, source) = (entries.number(), entries.source());
        let has = |side: usize, index: usize| {
            self.bits[side].get(number).and_then(Option::as_ref).is_some_and(|bits| bits.has(index))
        };
        let mut known = Known::default();
        let mut kinds: Vec<(Text<'static, A>, Tallied)> = Vec::new();
        let mut values: Vec<(By, Text<'static, A>, Text<'static, A>, Tallied)> = Vec::new();
        entries.each_lazily::<A>(&mut |id, entry, said| {
            let index = id.index();
            let sides = [has(0, index), has(1, index)];
            let level = block.severity(index).map(Severity::level);
            if !said.kind.is_empty() {
                let number = *known.kinds.entry(hash(said.kind)).or_insert_with(|| {
                    let text = (said.clean)(said.kind);
                    let text = text.made_into(without_stand_ins(text.as_str()).into_owned());
                    kinds.push((text, Tallied::default()));
                    kinds.len() - 1
                });
                let kind = &mut kinds[number].1;
                kind.add(id, sides, level);
                if let Some(seconds) = pass::took_of(entry) {
                    for side in (0..2).filter(|side| sides[*side]) {
                        kind.took[side].add(seconds);
                    }
                }
            }
            let mut take =
                |by: &dyn Fn() -> By,
                 field: u64,
                 raw: &str,
                 clean: &dyn Fn(&str) -> Option<(Text<'static, A>, Text<'static, A>)>,
                 path: &str| {
                    let slot = known.values.entry(hash((field, raw))).or_insert_with(|| {
                        let count = known.of_field.entry(field).or_default();
                        // One more, so that it is known to have too many.
                        if *count > MOST_VALUES {
                            return None;
                        }
                        let (name, text) = clean(path)?;
                        *count += 1;
                        values.push((by(), name, text, Tallied::default()));
                        Some(values.len() - 1)
                    });
                    if let Some(number) = slot {
                        values[*number].3.add(id, sides, level);
                    }
                };
            let plain = |text: &str| {
                let shown = (said.clean)(text);
                Some((shown.made_into(String::new()), shown))
            };
            if let Some(level) = level {
                take(&|| By::Level, 1, level.name(), &|_| plain(level.name()), "");
            }
            let source = source.to_string();
            take(&|| By::Source, 2, &source, &|_| plain(&source), "");
            if let Some(logger) = &entry.logger {
                take(&|| By::Logger, 3, logger, &|_| plain(logger), "");
            }
            // A field that is there several times goes by the place of its value among them.
            let mut places: Vec<(u64, usize)> = Vec::new();
            entry.leaves(&mut |path, field| {
                let own = path.rsplit('.').next().unwrap_or(path);
                let told = matches!(
                    field.role,
                    Role::Time | Role::Level | Role::Message | Role::Logger | Role::Id(_)
                );
                let Some(raw) = field.value.text().filter(|raw| !told && raw.len() <= 200) else {
                    return;
                };
                if query::is_duration_name(own) || own.bytes().all(|b| b.is_ascii_digit()) {
                    return;
                }
                let key = hash(path);
                let place = match places.iter_mut().find(|(known, _)| *known == key) {
                    Some((_, place)) => {
                        *place += 1;
                        *place
                    }
                    None => {
                        places.push((key, 0));
                        0
                    }
                };
                let by = By::field(path);
                let By::Field { shape, .. } = &by else { return };
                let short = shaped(*shape, raw);
                take(
                    &|| by.clone(),
                    key,
                    &short,
                    &|path| {
                        (said.value)(path, place).map(|text| {
                            let made = shaped(*shape, text.as_str()).into_owned();
                            ((said.clean)(path), text.made_into(made))
                        })
                    },
                    path,
                );
            });
        })?;
        for (text, tallied) in kinds {
            part.take_kind(text, &tallied);
        }
        for (by, name, text, tallied) in values {
            part.take_value(by, name, text, &tallied);
        }
        Ok(())
    }

    fn merge(&self, whole: &mut Compared<A>, part: Compared<A>) {
        for (text, tallied) in part.kinds {
            whole.take_kind(text, &tallied);
        }
        for (by, field) in part.fields {
            for (text, tallied) in field.values {
                whole.take_value(by.clone(), field.name.clone(), text, &tallied);
            }
        }
    }
}

impl<A: Audience> Compared<A> {
    fn take_kind(&mut self, text: Text<'static, A>, tallied: &Tallied) {
        match self.kinds.entry(text) {
            Slot::Occupied(mut known) => known.get_mut().merge(tallied),
            Slot::Vacant(new) => drop(new.insert(tallied.clone())),
        }
    }

    fn take_value(
        &mut self,
        by: By,
        name: Text<'static, A>,
        text: Text<'static, A>,
        tallied: &Tallied,
    ) {
        let field =
            self.fields.entry(by).or_insert_with(|| Values { values: HashMap::new(), name });
        // With too many of them it is not compared, and needs no more.
        let full = field.values.len() > MOST_VALUES;
        match field.values.entry(text) {
            Slot::Occupied(mut known) => known.get_mut().merge(tallied),
            Slot::Vacant(_) if full => {}
            Slot::Vacant(new) => drop(new.insert(tallied.clone())),
        }
    }

    /// Puts kinds together that differ in words that vary.
    fn find_words(&mut self) {
        let kinds: Vec<(Text<'static, A>, Tallied)> = self.kinds.drain().collect();
        let texts: Vec<&str> = kinds.iter().map(|(text, _)| text.as_str()).collect();
        let become_of = holes_for_words(&texts);
        for ((text, tallied), words) in kinds.into_iter().zip(become_of) {
            let text = words.map_or(text.clone(), |words| text.made_into(words.into()));
            self.take_kind(text, &tallied);
        }
    }

    fn left_out(&self) -> Vec<Text<'static, A>> {
        let large = self.fields.values().filter(|field| field.values.len() > MOST_VALUES);
        let mut names: Vec<Text<'static, A>> = large.map(|field| field.name.clone()).collect();
        names.sort_unstable();
        names
    }
}
