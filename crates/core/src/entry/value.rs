//! Values and fields as a layout reads them, borrowed from the bytes of their entry.

use std::{borrow::Cow, ops::Range};

/// A value with the type the log gave it.
#[derive(Clone, Debug, PartialEq)]
pub(crate) enum Value<'a> {
    Null,
    Bool(bool),
    /// A number as written, so that nothing is rounded.
    Number(Cow<'a, str>),
    Text(Cow<'a, str>),
    List(Vec<Field<'a>>),
    Map(Vec<Field<'a>>),
}

/// What a field stands for once its layout has understood it.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub(crate) enum Role {
    Plain,
    Time,
    Level,
    Message,
    Logger,
    Id(&'static str),
}

/// A named value and the bytes of the entry that it was read from.
#[derive(Clone, Debug, PartialEq)]
pub(crate) struct Field<'a> {
    pub(crate) name: Cow<'a, str>,
    pub(crate) value: Value<'a>,
    /// Where the value stands in the entry's bytes, quotes left out.
    pub(crate) span: Range<usize>,
    pub(crate) role: Role,
}

impl<'a> Field<'a> {
    pub(crate) fn new(name: impl Into<Cow<'a, str>>, value: Value<'a>, span: Range<usize>) -> Self {
        Self { name: name.into(), value, span, role: Role::Plain }
    }

    /// The field, borrowing from nothing.
    pub(crate) fn into_owned(self) -> Field<'static> {
        Field {
            name: self.name.into_owned().into(),
            value: self.value.into_owned(),
            span: self.span,
            role: self.role,
        }
    }
}

impl<'a> Value<'a> {
    /// A value out of a layout without types: a plain decimal number, or text.
    pub(crate) fn untyped(bytes: &'a [u8]) -> Self {
        match std::str::from_utf8(bytes) {
            Ok(text) if is_number(bytes) => Self::Number(Cow::Borrowed(text)),
            Ok(text) => Self::Text(Cow::Borrowed(text)),
            Err(_) => Self::Text(String::from_utf8_lossy(bytes)),
        }
    }

    /// The value as text, without quotes: what a person compares it with. Lists and maps have none.
    pub(crate) fn text(&self) -> Option<&str> {
        match self {
            Self::Null => Some("null"),
            Self::Bool(true) => Some("true"),
            Self::Bool(false) => Some("false"),
            Self::Number(number) => Some(number),
            Self::Text(text) => Some(text),
            Self::List(_) | Self::Map(_) => None,
        }
    }

    /// The value, borrowing from nothing.
    pub(crate) fn into_owned(self) -> Value<'static> {
        let owned = |items: Vec<Field<'a>>| items.into_iter().map(Field::into_owned).collect();
        match self {
            Self::Null => Value::Null,
            Self::Bool(is) => Value::Bool(is),
            Self::Number(text) => Value::Number(text.into_owned().into()),
            Self::Text(text) => Value::Text(text.into_owned().into()),
            Self::List(items) => Value::List(owned(items)),
            Self::Map(fields) => Value::Map(owned(fields)),
        }
    }

    /// The fields or items inside, to be changed.
    pub(crate) fn children_mut(&mut self) -> &mut [Field<'a>] {
        match self {
            Self::List(items) | Self::Map(items) => items,
            _ => &mut [],
        }
    }

    /// The fields or items inside.
    pub(crate) fn children(&self) -> &[Field<'a>] {
        match self {
            Self::List(items) | Self::Map(items) => items,
            _ => &[],
        }
    }
}

/// Whether the bytes are a number as JSON writes it, and one that keeps its text when read and written
/// again: no leading zeros, as identifiers have them.
pub(crate) fn is_number(bytes: &[u8]) -> bool {
    let digits = bytes.strip_prefix(b"-").unwrap_or(bytes);
    if digits.is_empty() || digits.len() > 24 || !digits[0].is_ascii_digit() {
        return false;
    }
    if digits[0] == b'0' && digits.len() > 1 && digits[1] != b'.' {
        return false;
    }
    let dot = memchr::memchr(b'.', digits);
    let (whole, part) = match dot {
        Some(at) => (&digits[..at], Some(&digits[at + 1..])),
        None => (digits, None),
    };
    whole.iter().all(u8::is_ascii_digit)
        && part.is_none_or(|p| !p.is_empty() && p.iter().all(u8::is_ascii_digit))
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn numbers_keep_their_text() {
        for (written, want) in [
            ("0", true),
            ("-12.50", true),
            ("0.5", true),
            ("007", false),
            ("1.", false),
            ("1e5", false),
            ("", false),
            ("-", false),
        ] {
            assert_eq!(is_number(written.as_bytes()), want, "{written}");
        }
    }
}
