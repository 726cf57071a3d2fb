//! Objects by learnt shape.
//!
//! Between the values of one program's lines stand the same bytes, line after line. A shape remembers those
//! of one line up to the last value that the index needs: a line that has them in the same places is read
//! by comparing them, and gives what the walk over its keys would give, since the walk meets the same keys. Where some
//! keys come and go, each combination is a shape of its own.

use std::cell::RefCell;

use super::{cursor::Cursor, walk::quote};
use crate::{
    entry::{Role, Severity, Stamp, roles},
    layout::Head,
};

/// Shapes that a worker remembers.
const SHAPES: usize = 8;
/// Values before the last that is needed.
const VALUES: usize = 24;

/// What stands behind a literal.
#[derive(Clone, Copy, Debug, PartialEq)]
enum Value {
    Time,
    Level,
    /// The same as numbers.
    Epoch,
    Number,
    /// Text in quotes, the first of them part of the literal before.
    Quoted,
    /// The same under a name that means nothing for the index: escapes may stand in it.
    Text,
    /// A number, `true`, `false` or `null`.
    Bare,
    /// A list, which may have any number of items.
    List,
}

#[derive(Clone, Debug, PartialEq)]
struct Shape {
    parts: Vec<(Box<[u8]>, Value)>,
}

/// How often shapes may be learnt in vain before it is left for a while.
const PATIENCE: u32 = 64;
/// Lines after which patience grows again by one.
const REST: u32 = 256;

/// What a worker knows.
struct Known {
    shapes: Vec<Shape>,
    patience: u32,
    /// Lines of no known shape while there was no patience.
    missed: u32,
}

thread_local! {
    static KNOWN: RefCell<Known> =
        const { RefCell::new(Known { shapes: Vec::new(), patience: PATIENCE, missed: 0 }) };
}

/// The head of an object of a known shape, whose line ends with its brace.
pub(super) fn head(line: &[u8]) -> Option<Head> {
    KNOWN.with_borrow_mut(|known| {
        let shapes = &mut known.shapes;
        // All objects of one program begin alike: what comes before the time may be there or not.
        let read = |(at, shape): (usize, &Shape)| Some((at, shape.read(line)?));
        let (at, head) = shapes.iter().enumerate().find_map(read)?;
        // The most frequent ones come first.
        if at > 0 {
            shapes.swap(at, at - 1);
        }
        known.patience = (known.patience + 1).min(PATIENCE);
        Some(head)
    })
}

/// Remembers the shape of an object that a walk has read, unless the lines have no shape to speak of.
pub(super) fn learn(line: &[u8]) {
    KNOWN.with_borrow_mut(|known| {
        if known.patience == 0 {
            known.missed += 1;
            if known.missed == REST {
                (known.missed, known.patience) = (0, 1);
            }
            return;
        }
        known.patience -= 1;
        let Some(shape) = Shape::of(line) else { return };
        if known.shapes.contains(&shape) {
            return;
        }
        if known.shapes.len() >= SHAPES {
            known.shapes.pop();
        }
        known.shapes.push(shape);
    });
}

impl Shape {
    /// The shape of a line, from its brace to the value after which time and level are known. The values of an object
    /// that stands before are values like others. `None` where an escape stands in a time or a level, or an object that may
    /// stand for the entry itself.
    fn of(line: &[u8]) -> Option<Self> {
        let mut cursor = Cursor { bytes: line, at: 1 };
        let mut parts = Vec::new();
        let mut from = 0;
        let mut depth = 0;
        let (mut time, mut level) = (false, false);
        loop {
            let key = cursor.string()?;
            if memchr::memchr(b'\\', key).is_some() {
                return None;
            }
            cursor.byte(b':')?;
            let start = cursor.start()?;
            let quoted = line[start] == b'"';
            let (object, list) = (line[start] == b'{', line[start] == b'[');
            if parts.len() >= VALUES || object && depth == 0 && roles::is_shell(key) {
                return None;
            }
            if object && line.get(start + 1) != Some(&b'}') {
                (depth, cursor.at) = (depth + 1, start + 1);
                continue;
            }
            cursor.skip_value()?;
            let place = start + usize::from(quoted);
            let end = cursor.at - usize::from(quoted);
            let written = &line[place..end];
            let role = if depth == 0 { roles::role(key) } else { Role::Plain };
            let means = matches!(role, Role::Time | Role::Level);
            if means && memchr::memchr(b'\\', written).is_some() {
                return None;
            }
            let value = match role {
                Role::Time if !time && quoted && fixed(written) => {
                    time = true;
                    Value::Time
                }
                Role::Time if !time && !quoted && Stamp::epoch(written).is_some() => {
                    time = true;
                    Value::Epoch
                }
                // A time of another form is left to the walk, and so are levels on a scale of their own.
                Role::Time if !time => return None,
                Role::Level if !level && quoted => {
                    Severity::from_word(written).filter(|_| key.len() > 2)?;
                    level = true;
                    Value::Level
                }
                Role::Level if !level => {
                    let number = Severity::from_number(written).filter(|_| key.len() > 2)?;
                    if Severity::named(key, written) != Some(number) {
                        return None;
                    }
                    level = true;
                    Value::Number
                }
                // The journal's own time.
                _ if key.ends_with(b"REALTIME_TIMESTAMP") => return None,
                _ if list => Value::List,
                // An object without members is a part of what stands between the values.
                _ if object => {
                    close(&mut cursor, &mut depth)?;
                    continue;
                }
                // A message may hold an object of its own; it is never asked where the rest is known.
                _ if quoted && means => Value::Quoted,
                _ if quoted => Value::Text,
                _ => Value::Bare,
            };
            parts.push((line[from..place].into(), value));
            from = end;
            if time && level {
                return Some(Self { parts });
            }
            close(&mut cursor, &mut depth)?;
        }
    }

    fn read(&self, line: &[u8]) -> Option<Head> {
        let mut head = Head::default();
        let mut at = 0;
        for (literal, value) in &self.parts {
            let rest = line.get(at..)?.strip_prefix(&**literal)?;
            at += literal.len();
            match value {
                Value::Time => {
                    let (stamp, taken) = Stamp::iso(rest)?;
                    if rest.get(taken) != Some(&b'"') {
                        return None;
                    }
                    head.stamp = Some(stamp);
                    at += taken;
                }
                Value::Level => {
                    let length = rest.iter().take(14).position(|b| *b == b'"')?;
                    head.severity = Some(Severity::from_word(&rest[..length])?);
                    at += length;
                }
                Value::Quoted => {
                    let end = quote(rest)?;
                    if rest[end] != b'"' {
                        return None;
                    }
                    at += end;
                }
                Value::Text => {
                    let mut end = quote(rest)?;
                    while rest[end] == b'\\' {
                        end += 2;
                        end += quote(rest.get(end..)?)?;
                    }
                    at += end;
                }
                Value::Epoch => {
                    let written = bare(rest)?;
                    head.stamp = Some(Stamp::epoch(written)?);
                    at += written.len();
                }
                Value::Number => {
                    let written = bare(rest)?;
                    head.severity = Some(Severity::from_number(written)?);
                    at += written.len();
                }
                Value::Bare => at += bare(rest)?.len(),
                Value::List => {
                    let mut cursor = Cursor { bytes: line, at };
                    cursor.skip_value()?;
                    at = cursor.at;
                }
            }
        }
        let ends = match self.parts.last()?.1 {
            Value::Epoch | Value::Number => matches!(line.get(at), Some(b',' | b'}')),
            _ => line.get(at) == Some(&b'"'),
        };
        ends.then_some(head)
    }
}

/// Goes on behind a value to the next key, out of the objects that end there.
fn close(cursor: &mut Cursor<'_>, depth: &mut usize) -> Option<()> {
    loop {
        match cursor.next()? {
            b',' => return Some(()),
            b'}' if *depth > 0 => *depth -= 1,
            _ => return None,
        }
    }
}

/// The number, or the word without quotes, that a text begins with.
fn bare(text: &[u8]) -> Option<&[u8]> {
    let inside = |b: &u8| b.is_ascii_alphanumeric() || matches!(b, b'-' | b'+' | b'.');
    let length = text.iter().take_while(|b| inside(b)).count();
    (length > 0).then(|| &text[..length])
}

/// Whether a time is of the form that has a path of its own.
fn fixed(written: &[u8]) -> bool {
    Stamp::iso(written).is_some_and(|(_, taken)| taken == written.len())
}
