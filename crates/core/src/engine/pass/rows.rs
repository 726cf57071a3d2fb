//! Several values of each entry in one walk: a row of a table.

use std::{borrow::Cow, io};

use super::entries::{Entries, values_within};
use crate::{
    entry::ids::KINDS,
    layout::{Gist, Says, Visit},
    query::{self, Unit},
    store::{Bits, EntryId},
    veil::{Audience, Fields, PartValue, Text, Veiled},
};

/// A value that is wanted of each entry.
#[derive(Clone, Debug, PartialEq, Eq)]
pub(crate) enum Wanted {
    /// Those of a field by its dotted path.
    Field(String),
    /// How long something took.
    Took,
    /// The logger.
    Logger,
    /// The message.
    Message,
    /// What it says without its variable parts.
    Kind,
    /// Which life of its program it is from.
    Run,
}

impl Wanted {
    /// Whether the values of a layout's plan, or the gist of an entry, tell it.
    fn is_planned(&self) -> bool {
        match self {
            // An error that a stack trace in a text tells of becomes a field, and an id has many names.
            Self::Field(path) => !path.starts_with("error") && !KINDS.contains(&path.as_str()),
            Self::Took | Self::Logger | Self::Message | Self::Kind => true,
            Self::Run => false,
        }
    }

    /// Whether it is a single value among the fields.
    fn is_value(&self) -> bool {
        matches!(self, Self::Field(_) | Self::Took)
    }
}

/// What is handed over of an entry.
pub(crate) enum Cell<'c, A: Audience> {
    /// A value, by the number of what was wanted.
    Value(usize, Text<'c, A>),
    /// How long something took: seconds, or a number of no known unit.
    Took(Unit, f64),
    /// There are no more values of this entry.
    End(EntryId),
}

type Hand<'h, A> = dyn FnMut(Cell<'_, A>) + 'h;

impl Entries<'_> {
    /// Hands over what is wanted of each entry, one entry after the other; nothing of entries that have none of the
    /// first `needed` of it, where so many are given. Only entries that may have something of that are looked at, and
    /// only those that have secrets in them, or whose layout knows no plan, are read in full.
    pub(crate) fn each_row<A: Audience>(
        &mut self,
        (wanted, needed): (&[Wanted], Option<usize>),
        hand: &mut Hand<'_, A>,
    ) -> io::Result<()> {
        let planned = wanted.iter().all(Wanted::is_planned);
        if !planned || !self.is_read_whole() {
            let (snapshot, number, block) = (self.snapshot, self.number, self.block);
            let veil = self.veil;
            return self.each_raw(&mut |index, raw| {
                let id = EntryId::new(number, index);
                let entry = block.entry(index, raw);
                let veiled = veil.over::<A>(&entry, Some(block.place(index)));
                let run = || snapshot.run_number(id, &entry);
                in_full(&veiled, &run, wanted, hand);
                hand(Cell::End(id));
            });
        }
        let (number, block, veil) = (self.number, self.block, self.veil);
        block.read_all(self.buffer)?;
        let bytes = self.buffer.as_slice();
        let mut having = Bits::none(block.len());
        for wanted in &wanted[..needed.unwrap_or(wanted.len())] {
            match wanted {
                Wanted::Field(path) => having.add(&self.having(path, bytes)),
                _ => having = Bits::clone(self.within),
            }
        }
        let known = block.known_clear::<A>();
        for index in self.within.iter() {
            let id = EntryId::new(number, index);
            if having.has(index) {
                let raw = block.cut(index, bytes);
                let done = block.is_as_written(index, &raw)
                    && match known.is_some_and(|known| known.has(index)) {
                        true => self.by_plan(index, &raw, wanted, hand).is_some(),
                        false => self.by_marks(index, &raw, wanted, hand).is_some(),
                    };
                if !done {
                    let entry = block.entry(index, &raw);
                    let veiled = veil.over::<A>(&entry, Some(block.place(index)));
                    in_full(&veiled, &|| None, wanted, hand);
                }
            }
            hand(Cell::End(id));
        }
        Ok(())
    }

    /// Hands over what is wanted of an entry that has something to hide elsewhere; `None`, and nothing is handed over, where
    /// that is not certain, or its layout has no plan.
    fn by_marks<A: Audience>(
        &self,
        index: usize,
        raw: &[u8],
        wanted: &[Wanted],
        hand: &mut Hand<'_, A>,
    ) -> Option<()> {
        let marked = self.veil.marked::<A>(raw, self.block.place(index))?;
        let mut found: Vec<(usize, Text<'_, A>)> = Vec::new();
        let (mut certain, mut took) = (true, Took::default());
        let gist = self.look(index, raw, wanted, &mut |name, spot| {
            let Some(spot) = spot.filter(|_| certain) else { return };
            for (number, wanted) in wanted.iter().enumerate() {
                match wanted {
                    Wanted::Field(path) if name.path == path => {
                        let value = marked.value(spot.written).filter(|_| !spot.escaped);
                        certain &= value.is_some();
                        found.extend(value.map(|value| (number, value)));
                    }
                    Wanted::Took if is_part_of_took(name.own) => took.look(name.own, &spot.text()),
                    _ => {}
                }
            }
        })?;
        if !certain {
            return None;
        }
        if let Some(gist) = &gist {
            // What reads otherwise than it is written is left to reading in full.
            let shown = |text: &Cow<'_, str>| match text {
                Cow::Borrowed(text) => Some(marked.value(text.as_bytes())?.into_owned()),
                Cow::Owned(_) => None,
            };
            let message = || match &gist.says {
                Says::Message(message) => shown(message),
                Says::Request { method, target, .. } => {
                    shown(method)?;
                    Some(shown(target)?.made_into(gist.says.message().into_owned()))
                }
            };
            for (number, wanted) in wanted.iter().enumerate() {
                let value = match wanted {
                    Wanted::Logger => match &gist.logger {
                        Some(logger) => shown(logger)?,
                        None => continue,
                    },
                    Wanted::Message => message()?,
                    Wanted::Kind => message()?.made_into(kind_in(gist)?),
                    _ => continue,
                };
                found.push((number, value));
            }
        }
        // In the order in which they are asked for, as reading in full hands them over.
        found.sort_by_key(|(number, _)| *number);
        if cfg!(debug_assertions) {
            self.check::<A>(index, raw, wanted, &found);
        }
        for (number, value) in found {
            hand(Cell::Value(number, value));
        }
        took.hand(hand);
        Some(())
    }

    /// Visits the values of an entry and gives its gist, as far as they are wanted; `None` where only reading the entry in
    /// full tells them.
    fn look<'r>(
        &self,
        index: usize,
        raw: &'r [u8],
        wanted: &[Wanted],
        visit: &mut Visit<'_, 'r>,
    ) -> Option<Option<Gist<'r>>> {
        let block = self.block;
        let values = wanted.iter().any(Wanted::is_value);
        match (values, wanted.iter().any(|wanted| !wanted.is_value())) {
            (true, true) => block.tell(index, raw, visit).map(Some),
            (true, false) => {
                block.layout(index).layout()?.values(raw, &block.dialect, visit)?;
                Some(None)
            }
            (false, _) => block.gist(index, raw).map(Some),
        }
    }

    /// Holds values that were cut out against those of reading in full, in builds that check.
    fn check<A: Audience>(
        &self,
        index: usize,
        raw: &[u8],
        wanted: &[Wanted],
        found: &[(usize, Text<'_, A>)],
    ) {
        let entry = self.block.entry(index, raw);
        let veiled = self.veil.over::<A>(&entry, Some(self.block.place(index)));
        let mut want: Vec<(usize, String)> = Vec::new();
        in_full(&veiled, &|| None, wanted, &mut |cell| {
            if let Cell::Value(number, text) = cell {
                want.push((number, text.as_str().to_owned()));
            }
        });
        let got: Vec<(usize, String)> =
            found.iter().map(|(number, text)| (*number, text.as_str().to_owned())).collect();
        debug_assert_eq!(got, want, "values cut out of {:?}", String::from_utf8_lossy(raw));
    }

    /// Hands over what is wanted of an entry that has nothing to hide; `None`, and nothing is handed over, where its layout
    /// has no plan.
    fn by_plan<A: Audience>(
        &self,
        index: usize,
        raw: &[u8],
        wanted: &[Wanted],
        hand: &mut Hand<'_, A>,
    ) -> Option<()> {
        let clear = self.veil.known_clear::<A>(raw);
        let mut found: [Option<(usize, Cow<'_, str>)>; FEW] = [const { None }; FEW];
        let mut more: Vec<(usize, Cow<'_, str>)> = Vec::new();
        let mut count = 0;
        let mut add = |number: usize, text| {
            match found.get_mut(count) {
                Some(place) => *place = Some((number, text)),
                None => more.push((number, text)),
            }
            count += 1;
        };
        let mut took = Took::default();
        let gist = self.look(index, raw, wanted, &mut |name, spot| {
            let Some(spot) = spot else { return };
            for (number, wanted) in wanted.iter().enumerate() {
                match wanted {
                    Wanted::Field(path) if name.path == path => add(number, spot.text()),
                    Wanted::Took if is_part_of_took(name.own) => took.look(name.own, &spot.text()),
                    _ => {}
                }
            }
        })?;
        if let Some(gist) = &gist {
            for (number, wanted) in wanted.iter().enumerate() {
                match wanted {
                    Wanted::Logger => {
                        gist.logger.iter().for_each(|logger| add(number, logger.clone()));
                    }
                    Wanted::Message => add(number, gist.says.message()),
                    Wanted::Kind => add(number, Cow::Owned(kind_in(gist)?)),
                    _ => {}
                }
            }
        }
        for (number, value) in found.into_iter().flatten().chain(more) {
            hand(Cell::Value(number, clear.value(value)));
        }
        took.hand(hand);
        Some(())
    }
}

/// What an entry says without its variable parts; `None` where only the whole entry tells.
fn kind_in(gist: &Gist<'_>) -> Option<String> {
    let mut kind = String::new();
    gist.says.push_kind(&mut kind);
    (!kind.is_empty()).then_some(kind)
}

/// Whether a field of this name tells how long something took, or a part of that.
fn is_part_of_took(own: &str) -> bool {
    query::is_duration_name(own) || matches!(own, query::BUSY | query::IDLE)
}

/// Values of an entry that need no memory of their own.
const FEW: usize = 8;

/// How long something took, put together.
#[derive(Default)]
pub(crate) struct Took {
    told: Option<f64>,
    /// A number that tells it in no known unit.
    bare: Option<f64>,
    /// The time that a span was at work and that it waited.
    worked: Option<f64>,
}

impl Took {
    /// Whether a field of this path says something of how long it took.
    pub(crate) fn is_told_by(path: &str) -> bool {
        is_part_of_took(path.rsplit('.').next().unwrap_or(path))
    }

    /// Takes in what a field of such a path says.
    pub(crate) fn look_at(&mut self, path: &str, text: &str) {
        self.look(path.rsplit('.').next().unwrap_or(path), text);
    }

    /// What comes of it.
    pub(crate) fn seconds(&self) -> Option<f64> {
        self.worked.or(self.told)
    }

    fn look(&mut self, own: &str, text: &str) {
        if matches!(own, query::BUSY | query::IDLE) {
            let seconds = query::seconds("took", text).unwrap_or(0.0);
            self.worked = Some(self.worked.unwrap_or(0.0) + seconds);
        } else if self.told.is_none() {
            self.told = query::seconds(own, text);
            if self.told.is_none() && self.bare.is_none() && query::is_without_unit(own, text) {
                self.bare = query::amount(text);
            }
        }
    }

    fn hand<A: Audience>(&self, hand: &mut Hand<'_, A>) {
        let seconds = self.seconds().map(|seconds| (Unit::Seconds, seconds));
        if let Some((unit, number)) = seconds.or(self.bare.map(|number| (Unit::Number, number))) {
            hand(Cell::Took(unit, number));
        }
    }
}

/// Hands over what is wanted of an entry that was read in full.
fn in_full<A: Audience>(
    veiled: &Veiled<'_, '_, A>,
    run: &dyn Fn() -> Option<usize>,
    wanted: &[Wanted],
    hand: &mut Hand<'_, A>,
) {
    for (number, wanted) in wanted.iter().enumerate() {
        let mut value = |text: Text<'_, A>| hand(Cell::Value(number, text));
        match wanted {
            Wanted::Field(path) => {
                let mut none = true;
                values_within(veiled.parts(true), path, &mut |text| {
                    none = false;
                    value(text);
                });
                if none && KINDS.contains(&path.as_str()) {
                    let ids = veiled.ids().into_iter().filter(|(kind, _)| kind == path);
                    ids.for_each(|(_, id)| value(id));
                }
            }
            Wanted::Logger => veiled.logger().into_iter().for_each(value),
            Wanted::Message => value(veiled.message()),
            Wanted::Kind => {
                let kind = veiled.kind();
                if !kind.as_str().is_empty() {
                    value(kind);
                }
            }
            Wanted::Run => {
                if let Some(run) = run() {
                    value(veiled.text(Cow::Owned(run.to_string())));
                }
            }
            Wanted::Took => {}
        }
    }
    if wanted.contains(&Wanted::Took) {
        let mut took = Took::default();
        each_text(veiled.parts(true), &mut |name, text| {
            if is_part_of_took(name) {
                took.look(name, text);
            }
        });
        took.hand(hand);
    }
}

fn each_text<A: Audience>(fields: Fields<'_, '_, A>, hand: &mut dyn FnMut(&str, &str)) {
    for field in fields {
        match field.value {
            PartValue::Text(text) | PartValue::Number(text) => {
                hand(field.name.as_str(), text.as_str());
            }
            PartValue::Map(fields) => each_text(fields, hand),
            _ => {}
        }
    }
}
