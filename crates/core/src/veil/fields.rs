//! The fields of an entry under the veil: one by one as they are written out, or as a tree of their own.

use std::borrow::Cow;

use super::{Audience, Desk, Text, Veiled, found::Number};
use crate::entry::{Field, Role, Value};

/// A field as it may be shown.
#[derive(Clone, Debug, PartialEq)]
pub struct CleanField<A: Audience = Desk> {
    /// The log's own name; empty for an item of a list.
    pub name: Text<'static, A>,
    /// Its value.
    pub value: CleanValue<A>,
    /// Whether something in it is hidden.
    pub hidden: bool,
}

/// A value as it may be shown, with the type the log gave it.
#[derive(Clone, Debug, PartialEq)]
pub enum CleanValue<A: Audience = Desk> {
    /// `null`
    Null,
    /// `true` or `false`
    Bool(bool),
    /// A number as written.
    Number(Text<'static, A>),
    /// Text.
    Text(Text<'static, A>),
    /// Items.
    List(Vec<CleanField<A>>),
    /// Fields.
    Map(Vec<CleanField<A>>),
}

impl<A: Audience> CleanValue<A> {
    /// The word for a value that is no text of the log: `null`, `true`, `false`; else nothing.
    #[must_use]
    pub fn word(&self) -> Text<'static, A> {
        Text::new(Cow::Borrowed(match self {
            Self::Null => "null",
            Self::Bool(true) => "true",
            Self::Bool(false) => "false",
            _ => "",
        }))
    }
}

/// Fields under the veil, one by one; nothing is copied of those without a secret.
#[derive(Clone)]
pub(crate) struct Fields<'v, 'a, A: Audience> {
    veiled: &'v Veiled<'v, 'a, A>,
    fields: std::slice::Iter<'v, Field<'a>>,
    under: Option<Number>,
    all: bool,
}

impl<'v, 'a, A: Audience> Fields<'v, 'a, A> {
    /// `under` is the detector of what they stand in, where its name says that it is secret; `all` takes in
    /// those that became time, level, message, logger or an id.
    pub(super) fn of(
        veiled: &'v Veiled<'v, 'a, A>,
        fields: &'v [Field<'a>],
        under: Option<Number>,
        all: bool,
    ) -> Self {
        Self { veiled, fields: fields.iter(), under, all }
    }
}

impl<A: Audience> Fields<'_, '_, A> {
    /// Whether two of them have one name. Cost: their names; of a few, each is held against those before it.
    pub(crate) fn repeat(&self) -> bool {
        let taken =
            |field: &&Field<'_>| self.all || field.role == Role::Plain || self.under.is_some();
        let rest = self.fields.as_slice();
        if rest.len() > FEW {
            let mut known: crate::hash::Set<&str> = crate::hash::Set::default();
            return !rest.iter().filter(taken).all(|field| known.insert(&field.name));
        }
        rest.iter().enumerate().filter(|(_, field)| taken(field)).any(|(at, field)| {
            rest[..at].iter().filter(taken).any(|other| other.name == field.name)
        })
    }
}

/// So many names are told apart faster by looking at all of them than by a set.
const FEW: usize = 24;

/// A field of an entry under the veil.
pub(crate) struct Part<'v, 'a, A: Audience> {
    /// Empty for an item of a list.
    pub(crate) name: Text<'v, A>,
    pub(crate) value: PartValue<'v, 'a, A>,
    /// Something in it is hidden.
    hidden: bool,
}

/// Its value, of the type that the log gave it.
pub(crate) enum PartValue<'v, 'a, A: Audience> {
    Null,
    Bool(bool),
    Number(Text<'v, A>),
    Text(Text<'v, A>),
    List(Fields<'v, 'a, A>),
    Map(Fields<'v, 'a, A>),
}

impl<'v, A: Audience> PartValue<'v, '_, A> {
    /// The value as text; none for a list or an object.
    pub(crate) fn scalar(self) -> Option<Text<'v, A>> {
        match self {
            Self::Text(text) | Self::Number(text) => Some(text),
            Self::Null => Some(CleanValue::<A>::Null.word()),
            Self::Bool(is) => Some(CleanValue::<A>::Bool(is).word()),
            Self::List(_) | Self::Map(_) => None,
        }
    }
}

impl<'v, 'a, A: Audience> Iterator for Fields<'v, 'a, A> {
    type Item = Part<'v, 'a, A>;

    fn next(&mut self) -> Option<Self::Item> {
        let (veiled, under, all) = (self.veiled, self.under, self.all);
        let taken = |field: &&Field<'a>| all || field.role == Role::Plain || under.is_some();
        let field = self.fields.find(taken)?;
        let by = veiled.judged(&field.name, under);
        let inside = |fields| Fields::of(veiled, fields, by, true);
        let mut hidden = false;
        let value = match &field.value {
            Value::Null => PartValue::Null,
            Value::Bool(value) => PartValue::Bool(*value),
            Value::Number(text) | Value::Text(text) => {
                let clean = veiled.value(text, by, &field.span);
                let same = clean.as_str() == *text;
                hidden = !same;
                match &field.value {
                    Value::Number(_) if same => PartValue::Number(clean),
                    _ => PartValue::Text(clean),
                }
            }
            Value::List(items) => PartValue::List(inside(items)),
            Value::Map(fields) => PartValue::Map(inside(fields)),
        };
        Some(Part { name: veiled.text(Cow::Borrowed(&field.name)), value, hidden })
    }
}

impl<A: Audience> Part<'_, '_, A> {
    /// The field, borrowing from nothing.
    pub(crate) fn into_owned(self) -> CleanField<A> {
        let tree = |fields: Fields<'_, '_, A>| fields.map(Part::into_owned).collect();
        CleanField {
            name: self.name.into_owned(),
            value: match self.value {
                PartValue::Null => CleanValue::Null,
                PartValue::Bool(is) => CleanValue::Bool(is),
                PartValue::Number(text) => CleanValue::Number(text.into_owned()),
                PartValue::Text(text) => CleanValue::Text(text.into_owned()),
                PartValue::List(items) => CleanValue::List(tree(items)),
                PartValue::Map(fields) => CleanValue::Map(tree(fields)),
            },
            hidden: self.hidden,
        }
    }
}
