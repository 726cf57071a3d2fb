//! The fields of an entry under the veil: one by one as they are written out, or as a tree of their own.

use std::borrow::Cow;

use super::{Class, Clean, Veiled};
use crate::entry::{Field, Role, Value};

/// A field as it may be shown.
#[derive(Clone, Debug, PartialEq)]
pub struct CleanField {
    /// The log's own name; empty for an item of a list.
    pub name: Clean<'static>,
    /// Its value.
    pub value: CleanValue,
    /// Whether something in it is hidden.
    pub hidden: bool,
}

/// A value as it may be shown, with the type the log gave it.
#[derive(Clone, Debug, PartialEq)]
pub enum CleanValue {
    /// `null`
    Null,
    /// `true` or `false`
    Bool(bool),
    /// A number as written.
    Number(Clean<'static>),
    /// Text.
    Text(Clean<'static>),
    /// Items.
    List(Vec<CleanField>),
    /// Fields.
    Map(Vec<CleanField>),
}

impl CleanValue {
    /// The word for a value that is no text of the log: `null`, `true`, `false`; else nothing.
    #[must_use]
    pub fn word(&self) -> Clean<'static> {
        Clean::new(Cow::Borrowed(match self {
            Self::Null => "null",
            Self::Bool(true) => "true",
            Self::Bool(false) => "false",
            _ => "",
        }))
    }
}

/// Fields under the veil, one by one; nothing is copied of those without a secret.
#[derive(Clone)]
pub(crate) struct Fields<'v, 'a> {
    veiled: &'v Veiled<'v, 'a>,
    fields: std::slice::Iter<'v, Field<'a>>,
    under: Option<Class>,
    all: bool,
}

impl<'v, 'a> Fields<'v, 'a> {
    /// `under` is the class of what they stand in, where its name says that it is secret; `all` takes in
    /// those that became time, level, message, logger or an id.
    pub(super) fn of(
        veiled: &'v Veiled<'v, 'a>,
        fields: &'v [Field<'a>],
        under: Option<Class>,
        all: bool,
    ) -> Self {
        Self { veiled, fields: fields.iter(), under, all }
    }
}

/// A field of an entry under the veil.
pub(crate) struct Part<'v, 'a> {
    /// Empty for an item of a list.
    pub(crate) name: Clean<'v>,
    pub(crate) value: PartValue<'v, 'a>,
    /// Something in it is hidden.
    hidden: bool,
}

/// Its value, of the type that the log gave it.
pub(crate) enum PartValue<'v, 'a> {
    Null,
    Bool(bool),
    Number(Clean<'v>),
    Text(Clean<'v>),
    List(Fields<'v, 'a>),
    Map(Fields<'v, 'a>),
}

impl<'v> PartValue<'v, '_> {
    /// The value as text; none for a list or an object.
    pub(crate) fn scalar(self) -> Option<Clean<'v>> {
        match self {
            Self::Text(text) | Self::Number(text) => Some(text),
            Self::Null => Some(CleanValue::Null.word()),
            Self::Bool(is) => Some(CleanValue::Bool(is).word()),
            Self::List(_) | Self::Map(_) => None,
        }
    }
}

impl<'v, 'a> Iterator for Fields<'v, 'a> {
    type Item = Part<'v, 'a>;

    fn next(&mut self) -> Option<Self::Item> {
        let (veiled, under, all) = (self.veiled, self.under, self.all);
        let taken = |field: &&Field<'a>| all || field.role == Role::Plain || under.is_some();
        let field = self.fields.find(taken)?;
        let class = veiled.class_of(&field.name).or(under);
        let inside = |fields| Fields::of(veiled, fields, class, true);
        let mut hidden = false;
        let value = match &field.value {
            Value::Null => PartValue::Null,
            Value::Bool(value) => PartValue::Bool(*value),
            Value::Number(text) | Value::Text(text) => {
                let clean = veiled.value(text, class);
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

impl Part<'_, '_> {
    /// The field, borrowing from nothing.
    pub(crate) fn into_owned(self) -> CleanField {
        let tree = |fields: Fields<'_, '_>| fields.map(Part::into_owned).collect();
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
