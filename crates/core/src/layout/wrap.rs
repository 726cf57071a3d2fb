//! What other programs put around a line: a container runtime's JSON or prefix, the name of a service, a
//! system logger's header, a time. It is taken off, what is inside is read in turn, and the wrapper's own
//! time, stream and name stay as fields.

use std::{borrow::Cow, ops::Range};

use super::{
    Dialect, balancer,
    json::{
        self,
        cursor::{Cursor, decode},
    },
    syslog,
};
use crate::entry::{Entry, Field, Severity, Stamp, Value};

/// How many wrappers may lie around each other.
const LAYERS: usize = 3;

/// A line without its wrapper.
#[derive(Debug)]
pub(crate) struct Peeled<'l> {
    /// What is inside, line end left out.
    pub(crate) inner: Cow<'l, [u8]>,
    pub(crate) stamp: Option<Stamp>,
    pub(crate) severity: Option<Severity>,
    /// Lines of one lane go on from each other, whatever stands between.
    pub(crate) lane: u32,
    /// The line goes on in the next one of its lane.
    pub(crate) partial: bool,
    /// The wrapper is a layout of its own: it is taken off only where what is inside is read.
    pub(crate) soft: bool,
}

/// Takes everything off that stands around a line; `None` where nothing does.
pub(crate) fn peel<'l>(line: &'l [u8], dialect: &Dialect) -> Option<Peeled<'l>> {
    if dialect.forced().is_some() {
        return None;
    }
    let mut peeled = one(line, dialect)?;
    for _ in 1..LAYERS {
        let next = match &peeled.inner {
            Cow::Borrowed(inner) => one(inner, &Dialect::default()),
            Cow::Owned(inner) => one(inner, &Dialect::default())
                .map(|next| Peeled { inner: Cow::Owned(next.inner.into_owned()), ..next }),
        };
        let Some(next) = next else { break };
        peeled = Peeled {
            inner: next.inner,
            stamp: next.stamp.or(peeled.stamp),
            severity: next.severity.or(peeled.severity),
            lane: peeled.lane ^ next.lane.rotate_left(7),
            partial: peeled.partial || next.partial,
            soft: peeled.soft,
        };
    }
    Some(peeled)
}

fn one<'l>(line: &'l [u8], dialect: &Dialect) -> Option<Peeled<'l>> {
    let first = *line.first()?;
    if first == b'{' {
        return container(line).map(|(peeled, _)| peeled);
    }
    if dialect.prefixed
        && let Some(bar) = prefix_end(line)
    {
        return Some(plain_part(line, bar.1, hash(&line[bar.0])));
    }
    if let Some(pod) = Pod::of(line) {
        return Some(plain_part(line, pod.inner, hash(&line[..pod.inner])));
    }
    if first.is_ascii_digit() && line.get(10) == Some(&b'T') {
        if let Some(piece) = Piece::of(line) {
            return Some(Peeled {
                stamp: Some(piece.stamp),
                lane: hash(&line[piece.stream.clone()]),
                partial: piece.partial,
                ..plain_part(line, piece.inner, 0)
            });
        }
        if let Some((stamp, inner)) = stamped(line) {
            return Some(Peeled { stamp: Some(stamp), soft: true, ..plain_part(line, inner, 1) });
        }
    }
    let system = first == b'<' || first.is_ascii_uppercase() || first.is_ascii_digit();
    if !system {
        return None;
    }
    let parts = syslog::Parts::of(line)?;
    let inner = &line[parts.message.clone()];
    let lane = hash(parts.program(line));
    (reads_on(inner) || super::trace::is_continuation(inner) && !inner.is_empty()).then(|| Peeled {
        stamp: parts.stamp,
        severity: parts.severity(line),
        soft: true,
        ..plain_part(line, parts.message.start, lane)
    })
}

fn plain_part(line: &[u8], at: usize, lane: u32) -> Peeled<'_> {
    Peeled {
        inner: Cow::Borrowed(&line[at..]),
        stamp: None,
        severity: None,
        lane,
        partial: false,
        soft: false,
    }
}

/// Whether a text is an entry by itself rather than the message of another.
fn reads_on(inner: &[u8]) -> bool {
    match inner.first() {
        Some(b'{') => inner.get(1) == Some(&b'"') && inner.trim_ascii_end().last() == Some(&b'}'),
        Some(b'[' | b'0'..=b'9') => {
            let at = usize::from(inner[0] == b'[');
            Stamp::leading(&inner[at..]).is_some() || balancer::begins(inner)
        }
        Some(b'a'..=b'z') => [&b"level="[..], b"time=", b"ts=", b"t=", b"lvl=", b"msg="]
            .iter()
            .any(|front| inner.starts_with(front)),
        Some(b'I' | b'W' | b'E' | b'F') => {
            inner.len() > 5 && inner[1..5].iter().all(u8::is_ascii_digit)
        }
        _ => false,
    }
}

/// A line without its wrapper, and the names and places of the wrapper's other members.
type Contained<'l> = (Peeled<'l>, Vec<(&'static str, Range<usize>)>);

/// `{"log":"…\n","stream":"stdout","time":"…"}`: the line, and the places of its other members.
fn container(line: &[u8]) -> Option<Contained<'_>> {
    if !json::may_be_a_container(line) {
        return None;
    }
    let mut cursor = Cursor { bytes: line, at: 1 };
    let (mut log, mut stamp, mut stream) = (None, None, None);
    let mut others = Vec::new();
    loop {
        let key = cursor.string()?;
        cursor.byte(b':')?;
        let start = cursor.start()?;
        cursor.skip_value()?;
        let quoted = line.get(start) == Some(&b'"');
        let span = start + usize::from(quoted)..cursor.at - usize::from(quoted);
        match key {
            b"log" if quoted => log = Some(&line[span]),
            b"time" => {
                stamp = Some(Stamp::read(&line[span.clone()])?);
                others.push(("time", span));
            }
            b"stream" => {
                stream = Some(&line[span.clone()]);
                others.push(("stream", span));
            }
            // Anything else is a program's own object.
            b"attrs" => {}
            _ => return None,
        }
        match cursor.next()? {
            b',' => {}
            b'}' => break,
            _ => return None,
        }
    }
    let (log, stamp) = (log?, stamp?);
    let text = match decode(log) {
        Cow::Borrowed(_) => Cow::Borrowed(log),
        Cow::Owned(text) => Cow::Owned(text.into_bytes()),
    };
    let whole = text.last() == Some(&b'\n');
    let inner = match text {
        Cow::Borrowed(text) => Cow::Borrowed(text),
        Cow::Owned(mut text) => {
            while text.last().is_some_and(|b| matches!(b, b'\n' | b'\r')) {
                text.pop();
            }
            Cow::Owned(text)
        }
    };
    let peeled = Peeled {
        inner,
        stamp: Some(stamp),
        severity: None,
        lane: hash(stream.unwrap_or_default()),
        partial: !whole,
        soft: false,
    };
    Some((peeled, others))
}

/// A container runtime's line: `TIME stdout F text`, `P` for a piece that goes on.
struct Piece {
    stamp: Stamp,
    stream: Range<usize>,
    partial: bool,
    inner: usize,
}

impl Piece {
    fn of(line: &[u8]) -> Option<Self> {
        let space = memchr::memchr(b' ', line.get(..line.len().min(40))?)?;
        let rest = line.get(space + 1..)?;
        if !rest.starts_with(b"stdout ") && !rest.starts_with(b"stderr ") {
            return None;
        }
        let (stamp, taken) = Stamp::iso(line)?;
        let at = space + 8;
        let tag = *line.get(at)?;
        if taken != space || !matches!(tag, b'F' | b'P') {
            return None;
        }
        let inner = match line.get(at + 1) {
            Some(b' ') => at + 2,
            None => at + 1,
            Some(b':') => at + 2 + memchr::memchr(b' ', line.get(at + 1..)?)?,
            Some(_) => return None,
        };
        Some(Self { stamp, stream: space + 1..space + 7, partial: tag == b'P', inner })
    }
}

/// `[pod/gate-7d9f/gate] text`: the pod and the container.
struct Pod {
    pod: Range<usize>,
    container: Range<usize>,
    inner: usize,
}

impl Pod {
    fn of(line: &[u8]) -> Option<Self> {
        const FRONT: &[u8] = b"[pod/";
        let rest = line.strip_prefix(FRONT)?;
        let close = memchr::memchr(b']', rest.get(..rest.len().min(200))?)?;
        let slash = memchr::memchr(b'/', &rest[..close])?;
        let at = FRONT.len();
        let inner = at + close + 1;
        let blank = match line.get(inner) {
            Some(b' ') => 1,
            None => 0,
            Some(_) => return None,
        };
        Some(Self {
            pod: at..at + slash,
            container: at + slash + 1..at + close,
            inner: inner + blank,
        })
    }
}

/// A time before a line that is an entry without it.
fn stamped(line: &[u8]) -> Option<(Stamp, usize)> {
    let (stamp, taken) = Stamp::iso(line)?;
    let rest = line.get(taken..)?.strip_prefix(b" ")?;
    reads_on(rest).then_some((stamp, taken + 1))
}

/// `service-1  | text`: the place of the name, and where the text begins.
fn prefix_end(line: &[u8]) -> Option<(Range<usize>, usize)> {
    let bar = memchr::memchr(b'|', line.get(..line.len().min(64))?)?;
    let mut name = line[..bar].trim_ascii_end();
    let mut bar = bar;
    let mut start = 0;
    if name.iter().all(u8::is_ascii_digit) && !name.is_empty() {
        // `0|name  | text`
        start = bar + 1;
        bar = start + memchr::memchr(b'|', line.get(start..line.len().min(start + 64))?)?;
        name = line[start..bar].trim_ascii_end();
    }
    let plain = |b: &u8| b.is_ascii_alphanumeric() || matches!(b, b'.' | b'-' | b'_');
    if name.is_empty() || !name.iter().all(plain) || !name.iter().any(u8::is_ascii_alphabetic) {
        return None;
    }
    let text = bar + 1;
    match line.get(text) {
        Some(b' ') => Some((start..start + name.len(), text + 1)),
        None => Some((start..start + name.len(), text)),
        Some(_) => None,
    }
}

/// Whether every line begins with the name of a program and a bar in the same column.
pub(super) fn prefixed(lines: &[&[u8]]) -> bool {
    let mut bar = None;
    let mut names: Vec<&[u8]> = Vec::new();
    // What shows several logs at once may say something of its own.
    let mut others = 0;
    for line in lines {
        let Some((name, text)) = prefix_end(line) else {
            others += 1;
            if others * 8 > lines.len() {
                return false;
            }
            continue;
        };
        let name = &line[name];
        // A numbered prefix has bars of its own width.
        let column = text.min(line.len());
        let numbered = line.first().is_some_and(u8::is_ascii_digit);
        if Severity::from_word(name).is_some()
            || !numbered && bar.is_some_and(|bar| bar != column) && text < line.len()
        {
            return false;
        }
        bar = bar.or(Some(column));
        if !names.contains(&name) {
            names.push(name);
        }
    }
    let counted = |name: &[u8]| {
        let digits = name.iter().rev().take_while(|b| b.is_ascii_digit()).count();
        digits > 0 && name.len() > digits && matches!(name[name.len() - digits - 1], b'-' | b'_')
    };
    let first = lines.iter().find(|line| prefix_end(line).is_some());
    let numbered = first.is_some_and(|line| line.first().is_some_and(u8::is_ascii_digit));
    !names.is_empty()
        && names.len() <= 64
        && (names.len() > 1 || numbered || names.iter().all(|name| counted(name)))
}

/// Takes the wrappers off every line of an entry.
pub(crate) fn unwrap(raw: &[u8], dialect: &Dialect) -> Vec<u8> {
    let mut out = Vec::with_capacity(raw.len());
    let mut rest = raw;
    loop {
        let end = memchr::memchr(b'\n', rest);
        let line = crate::entry::trim_cr(&rest[..end.unwrap_or(rest.len())]);
        let mut partial = false;
        match peel(line, dialect) {
            Some(peeled) => {
                out.extend_from_slice(&peeled.inner);
                partial = peeled.partial;
            }
            None => out.extend_from_slice(line),
        }
        let Some(end) = end else { break };
        rest = &rest[end + 1..];
        if rest.is_empty() {
            break;
        }
        if !partial {
            out.push(b'\n');
        }
    }
    while out.last().is_some_and(|b| matches!(b, b'\n' | b'\r')) {
        out.pop();
    }
    out
}

/// Gives an entry the time, the level and the fields of what was around its first line, as far as it has
/// none of its own.
pub(crate) fn note<'a>(entry: &mut Entry<'a>, raw: &'a [u8], dialect: &Dialect) {
    let (line, _) = crate::entry::first_line(raw);
    let Some(peeled) = peel(line, dialect) else { return };
    entry.stamp = entry.stamp.or(peeled.stamp);
    if entry.severity.is_none() {
        entry.severity = peeled.severity;
    }
    let mut shell = Entry::empty(raw);
    around(line, raw, dialect, 0, &mut shell);
    if entry.logger.is_none() {
        entry.logger = shell.logger;
    } else if let Some(app) = shell.logger {
        shell.fields.push(Field::new("app", Value::Text(app), 0..line.len()));
    }
    if entry.level_raw.is_none() && entry.severity.is_some() {
        entry.level_raw = shell.level_raw;
    }
    shell.fields.append(&mut entry.fields);
    entry.fields = shell.fields;
}

/// Collects the wrappers' own fields.
fn around<'a>(line: &[u8], raw: &'a [u8], dialect: &Dialect, shift: usize, shell: &mut Entry<'a>) {
    let mut put = |name: &'static str, span: Range<usize>| {
        let span = span.start + shift..span.end + shift;
        if let Some(bytes) = raw.get(span.clone()) {
            shell.fields.push(Field::new(name, Value::untyped(bytes), span));
        }
    };
    if let Some((_, others)) = container(line) {
        for (name, span) in others {
            put(name, span);
        }
        return;
    }
    if dialect.prefixed
        && let Some((name, text)) = prefix_end(line)
    {
        put("container", name);
        around(&line[text..], raw, &Dialect::default(), shift + text, shell);
        return;
    }
    if let Some(pod) = Pod::of(line) {
        put("pod", pod.pod);
        put("container", pod.container);
        around(&line[pod.inner..], raw, &Dialect::default(), shift + pod.inner, shell);
        return;
    }
    if let Some(piece) = Piece::of(line) {
        let space = memchr::memchr(b' ', line).unwrap_or(0);
        put("time", 0..space);
        put("stream", piece.stream);
        return;
    }
    if line.get(10) == Some(&b'T')
        && let Some((_, inner)) = stamped(line)
    {
        put("time", 0..inner - 1);
        return;
    }
    if let Some(parts) = syslog::Parts::of(line)
        && shift == 0
        && let Some(line) = raw.get(..line.len())
    {
        let stamp = shell.stamp;
        parts.fill(line, shell);
        shell.stamp = stamp;
    }
}

/// A small hash that tells lanes apart (FNV-1a).
fn hash(name: &[u8]) -> u32 {
    name.iter()
        .fold(0x811c_9dc5, |hash: u32, byte| (hash ^ u32::from(*byte)).wrapping_mul(0x0100_0193))
}
