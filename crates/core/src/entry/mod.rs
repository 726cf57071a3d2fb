//! What an entry is made of: level, time, values, ids, and the entry itself as a layout read it.

mod correction;
mod digits;
mod id_kinds;
pub(crate) mod ids;
pub(crate) mod kind;
mod level;
pub(crate) mod names;
pub(crate) mod own_ids;
pub(crate) mod roles;
mod shape;
mod stamp;
mod times;
pub(crate) mod value;
pub(crate) mod written;
mod zones;

use std::{borrow::Cow, ops::Range};

pub use correction::{Correction, zone, zone_name};
pub use ids::IdKey;
pub use level::{Level, Severity};
pub use own_ids::{OwnId, declare_ids};
pub use shape::Shape;
pub(crate) use shape::shaped;
pub use stamp::{Clock, Missing, Offset, Stamp, civil, rfc3339};
pub(crate) use value::{Field, Role, Value};

/// An entry read in full. It borrows from the entry's bytes and never leaves the core: the veil turns
/// it into text that may be shown.
#[derive(Debug)]
pub(crate) struct Entry<'a> {
    /// The entry's bytes, all its pieces joined, without the last line end.
    pub(crate) raw: &'a [u8],
    /// Other entries stand in these bytes as well.
    pub(crate) among: bool,
    pub(crate) stamp: Option<Stamp>,
    /// Where the time stands, if its layout has looked for it in a place of its own.
    pub(crate) stamp_at: Option<Range<usize>>,
    pub(crate) severity: Option<Severity>,
    pub(crate) level_raw: Option<Cow<'a, str>>,
    pub(crate) level_derived: bool,
    pub(crate) message_derived: bool,
    pub(crate) logger: Option<Cow<'a, str>>,
    pub(crate) message: Cow<'a, str>,
    /// The lines after the first: a stack trace, the rest of a message.
    pub(crate) body: Option<Cow<'a, str>>,
    /// All fields in the log's order, those that play a role among them.
    pub(crate) fields: Vec<Field<'a>>,
}

impl<'a> Entry<'a> {
    /// An entry of nothing but its text.
    pub(crate) fn plain(raw: &'a [u8]) -> Self {
        let (first, rest) = first_line(raw);
        Self {
            raw,
            among: false,
            stamp: None,
            stamp_at: None,
            severity: None,
            level_raw: None,
            level_derived: false,
            message_derived: false,
            logger: None,
            message: String::from_utf8_lossy(first),
            body: (!rest.is_empty()).then(|| String::from_utf8_lossy(rest)),
            fields: Vec::new(),
        }
    }

    /// An entry without text, to be filled by a layout.
    pub(crate) fn empty(raw: &'a [u8]) -> Self {
        Self { message: Cow::Borrowed(""), body: None, ..Self::plain(&raw[..0]) }.of(raw)
    }

    fn of(mut self, raw: &'a [u8]) -> Self {
        self.raw = raw;
        self
    }

    /// Takes a named value in: its name decides whether it is the entry's time, level, message or
    /// logger, an id, or a field like any other. The first value that fits a role gets it.
    pub(crate) fn take(&mut self, name: Cow<'a, str>, value: Value<'a>, span: Range<usize>) {
        let mut field = Field::new(name, value, span);
        field.role = match roles::role(field.name.as_bytes()) {
            Role::Time if self.stamp.is_none() => {
                self.stamp = field.value.text().and_then(|text| Stamp::read(text.as_bytes()));
                if self.stamp.is_some() { Role::Time } else { Role::Plain }
            }
            Role::Level if self.level_raw.is_none() => match field.value.text() {
                Some(text) => {
                    self.severity = Severity::named(field.name.as_bytes(), text.as_bytes());
                    self.level_raw = Some(Cow::Owned(text.to_owned()));
                    Role::Level
                }
                None => Role::Plain,
            },
            role => self.plain_role(&field, role),
        };
        self.fields.push(field);
    }

    /// The part that a field plays beside time and level, given what its name claims.
    pub(crate) fn plain_role(&mut self, field: &Field<'a>, claim: Role) -> Role {
        match (claim, &field.value) {
            (Role::Message, Value::Text(text)) if self.message.is_empty() => {
                self.message = text.clone();
                Role::Message
            }
            (Role::Logger, Value::Text(text)) if self.logger.is_none() => {
                self.logger = Some(text.clone());
                Role::Logger
            }
            (Role::Id(kind), value) if value.text().is_some_and(|t| !t.is_empty() && t != "-") => {
                Role::Id(kind)
            }
            _ => Role::Plain,
        }
    }

    /// Gives message and logger to the fields with the best of the weaker claims, where none had a
    /// strong one.
    pub(crate) fn settle(&mut self) {
        for wanted in [Role::Message, Role::Logger] {
            let missing = match wanted {
                Role::Message => self.message.is_empty() && self.body.is_none(),
                _ => self.logger.is_none(),
            };
            if !missing {
                continue;
            }
            let best = self
                .fields
                .iter()
                .enumerate()
                .filter(|(_, field)| {
                    field.role == Role::Plain
                        && matches!(&field.value, Value::Text(text) if !text.is_empty())
                })
                .filter_map(|(at, field)| {
                    let (role, rank) = roles::weak_role(field.name.as_bytes())?;
                    (role == wanted).then_some((rank, at))
                })
                .min();
            let Some((_, at)) = best else { continue };
            if let Value::Text(text) = &self.fields[at].value {
                match wanted {
                    Role::Message => self.message = text.clone(),
                    _ => self.logger = Some(text.clone()),
                }
                self.fields[at].role = wanted;
            }
        }
    }

    /// The entry with its texts owned, over the bytes that it was taken from. Where its values stand in
    /// them is not known any more: somewhere.
    pub(crate) fn rebased<'r>(self, raw: &'r [u8]) -> Entry<'r> {
        fn spread(fields: &mut [Field<'_>], len: usize) {
            for field in fields {
                field.span = 0..len;
                if let Value::List(children) | Value::Map(children) = &mut field.value {
                    spread(children, len);
                }
            }
        }
        let owned = |text: Cow<'a, str>| -> Cow<'r, str> { Cow::Owned(text.into_owned()) };
        let mut fields: Vec<Field<'r>> = self.fields.into_iter().map(Field::into_owned).collect();
        spread(&mut fields, raw.len());
        Entry {
            raw,
            among: self.among,
            stamp: self.stamp,
            stamp_at: None,
            severity: self.severity,
            level_raw: self.level_raw.map(owned),
            level_derived: self.level_derived,
            message_derived: self.message_derived,
            logger: self.logger.map(owned),
            message: owned(self.message),
            body: self.body.map(owned),
            fields,
        }
    }

    /// Takes an untyped value out of the entry's own bytes.
    pub(crate) fn take_bytes(&mut self, name: impl Into<Cow<'a, str>>, span: Range<usize>) {
        let raw = self.raw;
        self.take(name.into(), Value::untyped(&raw[span.clone()]), span);
    }

    /// The entry's ids in the order of the log: its kind and value.
    pub(crate) fn ids(&self) -> Vec<(&'static str, Cow<'_, str>)> {
        ids::of(self)
    }

    /// The program that the entry is from, as a field says; or as the log of a system does before the process id
    /// (`of_system`).
    pub(crate) fn program(&self, of_system: bool) -> Option<String> {
        let mut found = None;
        self.leaves(&mut |_, field| {
            if found.is_none() && roles::is_program(&roles::folded(field.name.as_bytes())) {
                let text = field.value.text().filter(|text| !text.is_empty() && *text != "-");
                found = text.map(str::to_owned);
            }
        });
        found.or_else(|| self.logger.as_deref().filter(|_| of_system).map(str::to_owned))
    }

    /// Calls `visit` with every field that is not a group, at any depth, with its dotted path.
    pub(crate) fn leaves<'s>(&'s self, visit: &mut dyn FnMut(&str, &'s Field<'a>)) {
        fn walk<'s, 'a>(
            fields: &'s [Field<'a>],
            path: &mut String,
            visit: &mut dyn FnMut(&str, &'s Field<'a>),
        ) {
            for (number, field) in fields.iter().enumerate() {
                let kept = path.len();
                if !path.is_empty() {
                    path.push('.');
                }
                if field.name.is_empty() {
                    path.push_str(&number.to_string());
                } else {
                    path.push_str(&field.name);
                }
                let children = field.value.children();
                if children.is_empty() {
                    visit(path, field);
                } else {
                    walk(children, path, visit);
                }
                path.truncate(kept);
            }
        }
        walk(&self.fields, &mut String::new(), visit);
    }
}

/// The first line and what follows its end, line ends trimmed.
pub(crate) fn first_line(raw: &[u8]) -> (&[u8], &[u8]) {
    match memchr::memchr(b'\n', raw) {
        Some(at) => (trim_cr(&raw[..at]), &raw[at + 1..]),
        None => (trim_cr(raw), &raw[raw.len()..]),
    }
}

/// The line without a carriage return at its end.
pub(crate) fn trim_cr(line: &[u8]) -> &[u8] {
    line.strip_suffix(b"\r").unwrap_or(line)
}

#[cfg(test)]
mod tests;
