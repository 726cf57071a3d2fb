//! Values of the fields that somebody asks for, taken from an object without building its tree.
//!
//! The walk checks as much of the object as reading it whole would, so that both always say the same; where
//! more than the object's own members would be among the fields, it gives up.

use memchr::memmem;

use super::cursor::{Cursor, decode};
use crate::{entry::value::is_number, limits};

/// Which fields are asked for.
#[derive(Clone, Copy)]
pub(crate) enum Wanted<'w> {
    /// Those of a dotted path.
    Path(&'w str),
    /// Those anywhere whose name, without what stands before its last dot, is one of these.
    Named(fn(&str) -> bool),
}

/// What was found.
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq)]
pub(crate) struct Found {
    /// A field is there.
    pub(crate) there: bool,
    /// A value satisfies the judge.
    pub(crate) held: bool,
}

/// Walks an entry that is one object on one line, and lets `judge` see the name and text of each value
/// that is asked for. `None` where the entry must be read whole.
pub(crate) fn look(
    raw: &[u8],
    wanted: Wanted<'_>,
    judge: &mut dyn FnMut(&str, &str) -> bool,
) -> Option<Found> {
    // An error that a stack trace in a text tells of becomes a field.
    if matches!(wanted, Wanted::Path(path) if path.starts_with("error")) {
        return None;
    }
    let mut walk = Walk { cursor: Cursor { bytes: raw, at: 0 }, judge, found: Found::default() };
    if walk.cursor.peek()? != b'{' {
        return None;
    }
    walk.object(Some(wanted), 0)?;
    if walk.cursor.at < raw.len() && raw[walk.cursor.at] == b',' {
        walk.cursor.at += 1;
    }
    walk.cursor.at_end().then_some(walk.found)
}

/// Whether no member of this name can have a value that satisfies the judge, told by a look at each place
/// where the name stands. `name` has no dots; `finder` looks for it. No letter of the entry may be written as
/// an escape.
pub(crate) fn refuses(
    raw: &[u8],
    name: &str,
    finder: &memmem::Finder<'_>,
    judge: &mut dyn FnMut(&str, &str) -> bool,
) -> bool {
    for at in finder.find_iter(raw) {
        let end = at + name.len();
        match (at.checked_sub(1).map(|before| raw[before]), raw.get(end)) {
            (Some(b'"'), Some(b'"')) => {}
            // A key of an object that is written as a text.
            (Some(b'"'), Some(b'\\')) => return false,
            _ => continue,
        }
        let mut cursor = Cursor { bytes: raw, at: end + 1 };
        if cursor.next() != Some(b':') {
            continue;
        }
        let text = match cursor.peek() {
            Some(b'{') => continue,
            Some(b'"') => cursor.string().filter(|text| memchr::memchr(b'\\', text).is_none()),
            Some(b'[') | None => None,
            Some(_) => cursor.scalar(),
        };
        match text.map(std::str::from_utf8) {
            Some(Ok(text)) if !judge(name, text) => {}
            _ => return false,
        }
    }
    true
}

struct Walk<'a, 'j> {
    cursor: Cursor<'a>,
    judge: &'j mut dyn FnMut(&str, &str) -> bool,
    found: Found,
}

impl<'a> Walk<'a, '_> {
    fn object(&mut self, wanted: Option<Wanted<'_>>, depth: usize) -> Option<()> {
        if depth >= limits::NESTING {
            return None;
        }
        self.cursor.byte(b'{')?;
        if self.cursor.peek()? == b'}' {
            self.cursor.at += 1;
            return Some(());
        }
        loop {
            let key = self.cursor.string()?;
            self.cursor.byte(b':')?;
            self.member(key, wanted, depth + 1)?;
            match self.cursor.next()? {
                b',' => {}
                b'}' => return Some(()),
                _ => return None,
            }
        }
    }

    fn member(&mut self, key: &'a [u8], wanted: Option<Wanted<'_>>, depth: usize) -> Option<()> {
        let name = match memchr::memchr(b'\\', key) {
            None => std::str::from_utf8(key).ok()?,
            Some(_) => return None,
        };
        let (here, below) = match wanted {
            None => (false, None),
            Some(Wanted::Path(path)) if path == name => (true, None),
            Some(Wanted::Path(path)) => {
                let rest = path.strip_prefix(name).and_then(|rest| rest.strip_prefix('.'));
                (false, rest.map(Wanted::Path))
            }
            Some(Wanted::Named(is)) => (is(name.rsplit('.').next().unwrap_or(name)), wanted),
        };
        self.found.there |= here;
        match self.cursor.peek()? {
            b'{' => self.object(below, depth),
            b'[' => {
                // A list of a path has its items judged; one that is found by name has none of it.
                let items = here && matches!(wanted, Some(Wanted::Path(_)));
                self.list(items.then_some(name), below, depth)
            }
            _ => self.scalar(here.then_some(name)),
        }
    }

    fn list(
        &mut self,
        judged: Option<&str>,
        below: Option<Wanted<'_>>,
        depth: usize,
    ) -> Option<()> {
        if depth >= limits::NESTING {
            return None;
        }
        self.cursor.byte(b'[')?;
        if self.cursor.peek()? == b']' {
            self.cursor.at += 1;
            return Some(());
        }
        loop {
            match self.cursor.peek()? {
                b'{' => self.object(below, depth + 1)?,
                // Items of lists within lists go by their numbers.
                b'[' => {
                    let named = below.filter(|wanted| matches!(wanted, Wanted::Named(_)));
                    self.list(None, named, depth + 1)?;
                }
                _ => self.scalar(judged)?,
            }
            match self.cursor.next()? {
                b',' => {}
                b']' => return Some(()),
                _ => return None,
            }
        }
    }

    fn scalar(&mut self, judged: Option<&str>) -> Option<()> {
        if self.cursor.peek()? == b'"' {
            let inside = self.cursor.string()?;
            // A message that is an object itself has fields of its own.
            if inside.first() == Some(&b'{') {
                return None;
            }
            if let Some(name) = judged
                && !self.found.held
            {
                self.found.held = (self.judge)(name, &decode(inside));
            }
            return Some(());
        }
        let text = self.cursor.scalar()?;
        let known = matches!(text, b"null" | b"true" | b"false") || is_number(text);
        let text = std::str::from_utf8(text).ok()?;
        if !known && serde_json::from_str::<serde_json::Number>(text).is_err() {
            return None;
        }
        if let Some(name) = judged
            && !self.found.held
        {
            self.found.held = (self.judge)(name, text);
        }
        Some(())
    }
}
