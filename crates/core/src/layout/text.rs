//! Lines of text that begin with a time, or with a level: thread, logger, place in the code and message
//! after it, and a stack trace or the rest of the message on the lines that follow.

use std::ops::Range;

use super::{Continues, Dialect, Gist, Head, Join, Layout, Name, Spot, Visit, dump, exchange, message, pairs, request, prefix::{self, Habits, Lead, Prefix, Seen}, trace, is_other};
use crate::entry::{Entry, Field, Role, Severity, Stamp, Value, first_line, ids};

/// Lines with a time.
pub(super) struct Text;

/// Lines without one that say their level first.
pub(super) struct Levelled;

/// How far a prefix is walked.
type Walk = fn(&[u8], usize, Habits) -> Prefix;

/// Blanks before an entry; deeper is a continuation.
const INDENT: usize = 2;

/// Whether an entry of text may have a field of this name that stands nowhere in it: the prefix gives some, and a
/// request that is printed below.
pub(super) fn makes_up(name: &str) -> bool {
    prefix::makes_up(name) || dump::makes_up(name) || request::makes_up(name)
}

impl Layout for Text {
    fn name(&self) -> &'static str {
        "text"
    }

    fn about(&self) -> &'static str {
        "lines with a time in any usual form: level, thread, logger, process, place in the code in any order and punctuation"
    }

    fn sample(&self) -> &'static str {
        "2026-03-14 06:41:02,340 INFO [worker-5] harbour.berths - berth free"
    }

    fn first(&self, first: u8) -> bool {
        matches!(first, b'[' | b'<' | b' ' | b'0'..=b'9') || is_other(first)
    }

    fn makes_up(&self, name: &str) -> bool {
        makes_up(name)
    }

    fn owns(&self, word: &str) -> bool {
        matches!(word, "in" | "on" | "pid" | "tid")
    }

    fn head(&self, line: &[u8], dialect: &Dialect) -> Option<Head> {
        let mut prefix = timed(line, dialect, Prefix::brief)?;
        if prefix.level.is_some() && !dump::may_open(line) {
            let level = prefix.level.map(|(_, severity)| severity);
            return Some(Head { stamp: prefix.stamp, severity: level, ..Head::default() });
        }
        prefix = timed(line, dialect, Prefix::of)?;
        let join = joins(line, &prefix);
        let level = prefix.level.map(|(_, severity)| severity);
        let dump = dump::opens(&line[prefix.message.min(line.len())..]);
        Some(Head { stamp: prefix.stamp, severity: level, join, dump, ..Head::default() })
    }

    fn read<'a>(&self, raw: &'a [u8], dialect: &Dialect) -> Option<Entry<'a>> {
        let (line, _) = first_line(raw);
        let mut prefix = timed(line, dialect, Prefix::of)?;
        let second = second_line(raw, &mut prefix);
        let entry = fill(raw, prefix);
        Some(match second {
            Some(message) => with_second(entry, message),
            None => entry,
        })
    }

    fn values<'r>(
        &self,
        raw: &'r [u8],
        dialect: &Dialect,
        visit: &mut Visit<'_, 'r>,
    ) -> Option<()> {
        let (line, rest) = first_line(raw);
        // What stands below may be a stack trace, a message's parts, or a request.
        let prefix = rest.is_empty().then(|| timed(line, dialect, Prefix::of)).flatten()?;
        visit_line(line, prefix, visit)
    }

    fn gist<'r>(&self, raw: &'r [u8], dialect: &Dialect) -> Option<Gist<'r>> {
        let (line, rest) = first_line(raw);
        let prefix = timed(line, dialect, Prefix::of)?;
        gist_of(raw, line, rest, &prefix)
    }

    fn tell<'r>(
        &self,
        raw: &'r [u8],
        dialect: &Dialect,
        visit: &mut Visit<'_, 'r>,
    ) -> Option<Gist<'r>> {
        let (line, rest) = first_line(raw);
        let prefix = rest.is_empty().then(|| timed(line, dialect, Prefix::of)).flatten()?;
        let gist = gist_of(raw, line, rest, &prefix)?;
        visit_line(line, prefix, visit)?;
        Some(gist)
    }

    fn continues(&self) -> Continues {
        Continues::Always
    }
}

impl Layout for Levelled {
    fn name(&self) -> &'static str {
        "levelled"
    }

    fn about(&self) -> &'static str {
        "lines that say their level and no time"
    }

    fn sample(&self) -> &'static str {
        "INFO: berth free"
    }

    fn first(&self, first: u8) -> bool {
        matches!(first, b'[' | b' ' | b'0'..=b'9') || is_other(first)
    }

    fn makes_up(&self, name: &str) -> bool {
        makes_up(name)
    }

    fn owns(&self, word: &str) -> bool {
        Text.owns(word)
    }

    fn head(&self, line: &[u8], dialect: &Dialect) -> Option<Head> {
        let prefix = levelled(line, dialect.habits)?;
        // `  error: none` is a part of what an entry prints.
        let small = |span: &Range<usize>| line[span.start].is_ascii_lowercase();
        let printed = line[0] == b' ' && prefix.level.as_ref().is_some_and(|(span, _)| small(span));
        let join = if printed { Join::Before } else { Join::No };
        let level = prefix.level.map(|(_, severity)| severity);
        Some(Head { severity: level, join, ..Head::default() })
    }

    fn read<'a>(&self, raw: &'a [u8], dialect: &Dialect) -> Option<Entry<'a>> {
        let (line, rest) = first_line(raw);
        let prefix = levelled(line, dialect.habits)?;
        let mut entry = fill(raw, prefix);
        // The number behind a category is that of the event.
        if let Some(logger) = entry.logger.as_deref()
            && memchr::memmem::find(line, format!("{logger}[").as_bytes()).is_some()
            && let Some(field) = entry.fields.iter_mut().find(|field| field.name == "pid")
        {
            field.name = "event_id".into();
        }
        // `info: Some.Category[14]`, and the message on the next lines.
        if let Some((category, event)) = category(line)
            && !rest.is_empty()
        {
            entry.logger = Some(String::from_utf8_lossy(&line[category]));
            if !entry.fields.iter().any(|field| field.name == "event_id") {
                entry.take_bytes("event_id", event);
            }
            message::scopes(&mut entry, raw.len() - rest.len());
            let body = String::from_utf8_lossy(rest);
            let mut lines = body.lines().filter(|line| !line.trim_start().starts_with("=> "));
            entry.message = lines.next().unwrap_or_default().trim_start().to_owned().into();
            let more: Vec<&str> = lines.map(|l| l.strip_prefix("      ").unwrap_or(l)).collect();
            entry.body = (!more.is_empty()).then(|| more.join("\n").into());
        }
        Some(entry)
    }

    fn gist<'r>(&self, raw: &'r [u8], dialect: &Dialect) -> Option<Gist<'r>> {
        let (line, rest) = first_line(raw);
        // A category alone on its line, and the message below it.
        if !rest.is_empty() && category(line).is_some() {
            return None;
        }
        gist_of(raw, line, rest, &levelled(line, dialect.habits)?)
    }

    fn continues(&self) -> Continues {
        Continues::Always
    }
}

/// What the prefixes of a source's lines are like.
pub(super) fn habits<'l>(lines: impl Iterator<Item = &'l [u8]>) -> Habits {
    let mut seen = Seen::default();
    let plain = Dialect::default();
    for line in lines {
        if let Some(prefix) = timed(line, &plain, Prefix::of) {
            seen.look(line, &prefix);
        } else if line.first() == Some(&b' ') || !trace::is_continuation(line) {
            seen.look_untimed(line, levelled(line, plain.habits).as_ref());
        }
    }
    seen.habits()
}

/// The prefix of a line that has a time in it.
fn timed(line: &[u8], dialect: &Dialect, walk: Walk) -> Option<Prefix> {
    let at = indent(line)?;
    let first = *line.get(at)?;
    if !(first.is_ascii_alphanumeric() || matches!(first, b'[' | b'<' | b'('))
        || !first.is_ascii_digit() && !may_hold_time(line)
    {
        return None;
    }
    let mut prefix = None;
    // Seconds since 1970 with a fraction, a form that elsewhere is just a number.
    if first.is_ascii_digit() && matches!(line.get(at + 10), Some(b'.' | b':')) {
        let length = memchr::memchr3(b' ', b'\t', b':', &line[at..]).unwrap_or(line.len() - at);
        if let Some(stamp) = Stamp::epoch(&line[at..at + length]) {
            let colon = usize::from(line.get(at + length) == Some(&b':'));
            let mut rest = walk(line, at + length + colon, dialect.habits);
            if rest.stamp.replace(stamp).is_some() {
                // Another time, of another line: all of that is what this one says.
                rest.message = at + length + colon;
            }
            prefix = Some(rest);
        }
    }
    let prefix = prefix.unwrap_or_else(|| walk(line, at, dialect.habits));
    // A line that is indented must say more than a time to be an entry.
    (prefix.stamp.is_some() && (at == 0 || prefix.level.is_some())).then_some(prefix)
}

/// Whether a time may stand near the beginning of a line: a colon between digits or many digits in a row.
fn may_hold_time(line: &[u8]) -> bool {
    let front = &line[..line.len().min(prefix::REACH + 40)];
    let digit = |at: usize| front.get(at).is_some_and(u8::is_ascii_digit);
    // Eight digits in a row lie across one of every eight places.
    let many = |at: usize| {
        let before = front[..at].iter().rev().take_while(|b| b.is_ascii_digit()).count();
        let behind = front[at..].iter().take_while(|b| b.is_ascii_digit()).count();
        behind > 0 && before + behind >= 8
    };
    memchr::memchr_iter(b':', front).any(|at| at > 0 && digit(at - 1) && digit(at + 1))
        || (7..front.len()).step_by(8).any(|at| digit(at) && many(at))
}

/// The prefix of a line that begins with a level.
fn levelled(line: &[u8], habits: Habits) -> Option<Prefix> {
    if let Some(column) = habits.column.map(usize::from)
        && line.len() > column
        && line[..column].iter().all(|b| *b == b' ')
        && prefix::level_ahead(&line[column..])
    {
        return Some(Prefix::without_message(line, column, habits));
    }
    let led = || Prefix::led(line, habits).filter(|_| habits.lead != Lead::Nowhere);
    levelled_by_itself(line, habits).or_else(led)
}

/// The same, where the line says it by itself.
fn levelled_by_itself(line: &[u8], habits: Habits) -> Option<Prefix> {
    let at = indent(line)?;
    let first = *line.get(at)?;
    // `229  [main] INFO  …`: milliseconds since the start.
    let uptime = line[at..].iter().take_while(|b| b.is_ascii_digit()).count();
    if uptime > 0 {
        return Prefix::since_start(line, at..at + uptime, habits);
    }
    if !(first.is_ascii_alphabetic() || first == b'[' || first >= 0x80) {
        return None;
    }
    let prefix = Prefix::without_message(line, at, habits);
    let (span, _) = prefix.level.as_ref()?;
    let word = &line[span.clone()];
    let leads = span.start <= at + 1
        || prefix.logger.as_ref().is_some_and(|logger| logger.start <= at + 1)
        || (line[at] == b'[' || first >= 0x80) && span.end < prefix.message;
    let usual = word.len() > 2
        && !matches!(
            word,
            b"LOG"
                | b"ALL"
                | b"NOTE"
                | b"HTTP"
                | b"SYSTEM"
                | b"DEFAULT"
                | b"CONFIG"
                | b"MARK"
                | b"STATEMENT"
                | b"SUCCESS"
                | b"FAILED"
                | b"FAIL"
                | b"FAILURE"
                | b"log"
                | b"note"
                | b"system"
                | b"default"
                | b"statement"
                | b"all"
                | b"http"
        );
    let marked = matches!(line.get(span.end), Some(b':' | b']' | b'['));
    let marked = marked && at == 0 && !matches!(word, b"note" | b"log" | b"default" | b"system");
    (leads && span.end <= prefix.message && (usual || marked)).then_some(prefix)
}

fn indent(line: &[u8]) -> Option<usize> {
    let at = line.iter().take(INDENT + 1).take_while(|b| **b == b' ').count();
    (at <= INDENT).then_some(at)
}

/// Whether a line belongs to the one before in spite of its prefix, or waits for the next.
fn joins(line: &[u8], prefix: &Prefix) -> Join {
    let message = &line[prefix.message.min(line.len())..];
    if prefix.level.is_none() {
        if part_of(message).is_some() {
            return Join::Before;
        }
        // A class and a method and nothing else: the level and the message stand on the next line.
        let mut words = message.split(|b| *b == b' ');
        if let (Some(class), Some(method), None) = (words.next(), words.next(), words.next())
            && super::prefix::is_path(class)
            && super::prefix::is_name(method)
        {
            return Join::After;
        }
    }
    Join::No
}

/// What a database writes behind an error, and under which name it is kept.
const PARTS: [(&[u8], &str); 6] = [
    (b"DETAIL:  ", "detail"),
    (b"HINT:  ", "hint"),
    (b"STATEMENT:  ", "statement"),
    (b"CONTEXT:  ", "context"),
    (b"QUERY:  ", "query"),
    (b"LOCATION:  ", "location"),
];

/// The part of an error that a message begins with, maybe behind one word: its name and where it begins.
fn part_of(message: &[u8]) -> Option<(&'static str, usize)> {
    let word = memchr::memchr(b' ', message).map_or(0, |at| at + 1);
    [0, word].into_iter().find_map(|at| {
        let (mark, name) = PARTS.iter().find(|(mark, _)| message[at..].starts_with(mark))?;
        Some((*name, at + mark.len()))
    })
}

/// The level and the message of an entry whose first line holds only where it comes from.
fn second_line(raw: &[u8], prefix: &mut Prefix) -> Option<Range<usize>> {
    let (line, rest) = first_line(raw);
    if rest.is_empty() || joins(line, prefix) != Join::After {
        return None;
    }
    let start = raw.len() - rest.len();
    let (second, _) = first_line(rest);
    let colon = memchr::memchr(b':', second)?;
    let severity = Severity::from_word(&second[..colon])?;
    prefix.level = Some((start..start + colon, severity));
    let message = &line[prefix.message..];
    let class = message.iter().position(|b| *b == b' ')?;
    prefix.logger = Some(prefix.message..prefix.message + class);
    prefix.function = Some(prefix.message + class + 1..line.len());
    let from = start + colon + 1;
    let blank = usize::from(raw.get(from) == Some(&b' '));
    Some(from + blank..start + second.len())
}

fn with_second<'a>(mut entry: Entry<'a>, message: Range<usize>) -> Entry<'a> {
    let raw = entry.raw;
    entry.message = String::from_utf8_lossy(&raw[message.clone()]);
    let rest = first_line(&raw[message.end..]).1;
    entry.body = (!rest.is_empty()).then(|| String::from_utf8_lossy(rest));
    entry
}

/// The level of a second line, for the index.
pub(crate) fn level_of_second(line: &[u8]) -> Option<Severity> {
    let colon = memchr::memchr(b':', line.get(..line.len().min(16))?)?;
    Severity::from_word(&line[..colon])
}

/// Fills an entry from its prefix and what follows it.
fn fill(raw: &[u8], prefix: Prefix) -> Entry<'_> {
    let (line, rest) = first_line(raw);
    let mut entry = Entry::empty(raw);
    (entry.stamp, entry.stamp_at) = (prefix.stamp, prefix.stamp_at.clone());
    if let Some((span, severity)) = prefix.level.clone() {
        entry.severity = Some(severity);
        entry.level_raw = Some(String::from_utf8_lossy(&raw[span]));
    }
    if let Some((user, database)) = user_of(line, &prefix) {
        entry.take_bytes("user", user);
        entry.take_bytes("database", database);
    } else if let Some(span) = prefix.logger.clone() {
        entry.logger = Some(String::from_utf8_lossy(&line[span]));
    }
    for (name, span) in named(&prefix) {
        let value = Value::untyped(&raw[span.clone()]);
        let role = if name == "id" { Role::Id("id") } else { Role::Plain };
        entry.fields.push(Field { role, ..Field::new(name, value, span) });
    }
    for span in prefix.groups {
        group(&mut entry, line, span);
    }
    message::take(&mut entry, prefix.message.min(line.len())..line.len());
    if !rest.is_empty() {
        entry.body = Some(String::from_utf8_lossy(rest));
        parts(&mut entry);
        let from = raw.len() - rest.len();
        let before = entry.fields.len();
        trace::describe(&mut entry, from);
        if entry.fields.len() == before {
            message::below(&mut entry, from);
        }
        message::spans_below(&mut entry, from);
        dump::describe(&mut entry, raw.len() - rest.len());
        // A time, and nothing but what follows below.
        if entry.message.trim_ascii().is_empty() && !trace::is_trace(rest) {
            let (first, more) = first_line(rest);
            entry.message = String::from_utf8_lossy(first.trim_ascii_start());
            entry.body = (!more.is_empty()).then(|| String::from_utf8_lossy(more));
        }
    }
    entry
}

/// The gist of an entry as [`fill`] takes it. `None` where its message has parts of its own, or lines below may tell
/// more.
fn gist_of<'r>(raw: &'r [u8], line: &'r [u8], rest: &[u8], prefix: &Prefix) -> Option<Gist<'r>> {
    let start = prefix.message.min(line.len());
    let text = &line[start..];
    // What has braces may be a template, or end with an object.
    if memchr::memchr2(b'{', b'%', raw).is_some() || message::CLIENT.find(text).is_some() {
        return None;
    }
    let logger = logger_of(line, prefix);
    let (logger, end) = match (logger, message::logger_behind(text)) {
        (Some(span), _) => (Some(&line[span]), line.len()),
        (None, Some(open)) => (Some(&line[start + open + 2..line.len() - 1]), start + open),
        (None, None) => (None, line.len()),
    };
    // The lines below may name a logger, and what stands alone on the first may be one.
    if !rest.is_empty() && (logger.is_none() || prefix.level.is_none()) {
        return None;
    }
    Gist::of(logger.map(String::from_utf8_lossy), String::from_utf8_lossy(&line[start..end]))
}

/// The place of the logger in front of a message.
fn logger_of(line: &[u8], prefix: &Prefix) -> Option<Range<usize>> {
    prefix.logger.clone().filter(|_| user_of(line, prefix).is_none())
}

/// A database's user and database, where they stand in the place of a logger in front of the level.
fn user_of(line: &[u8], prefix: &Prefix) -> Option<(Range<usize>, Range<usize>)> {
    let (level, _) = prefix.level.as_ref()?;
    let span = prefix.logger.as_ref().filter(|span| span.start < level.start)?;
    user_at(line, span)
}

/// A database's user and database, where they stand in the place of a logger.
fn user_at(line: &[u8], span: &Range<usize>) -> Option<(Range<usize>, Range<usize>)> {
    let at = span.start + memchr::memchr(b'@', &line[span.clone()]).filter(|at| *at > 0)?;
    Some((span.start..at, at + 1..span.end))
}

/// Visits the values of an entry of one line as [`fill`] takes them. `None` where its message has parts of its own.
fn visit_line<'r>(line: &'r [u8], prefix: Prefix, visit: &mut Visit<'_, 'r>) -> Option<()> {
    // A value with escapes reads otherwise than it is written.
    if memchr::memchr(b'\\', line).is_some() {
        return None;
    }
    let message = prefix.message.min(line.len())..line.len();
    let text = &line[message.clone()];
    if request::opens(text).is_some() || message::CLIENT.find(text).is_some() || !message::json_tails(text).is_empty() {
        return None;
    }
    // A logger behind the message is no part of it.
    let end = match logger_of(line, &prefix) {
        None => message.start + message::logger_behind(text).unwrap_or(text.len()),
        Some(_) => message.end,
    };
    let mut told = exchange::of(line, message.start..end);
    let mut give = |name: &str, span: Range<usize>| {
        told.retain(|(known, _)| *known != name);
        visit(Name::of(name), Some(Spot::plain(&line[span])));
    };
    if let Some((user, database)) = user_of(line, &prefix) {
        give("user", user);
        give("database", database);
    }
    for (name, span) in named(&prefix) {
        give(name, span);
    }
    let in_text = |span: Range<usize>, give: &mut dyn FnMut(&str, Range<usize>)| {
        pairs::each_in_text(line, span, &mut |pair| {
            give(&String::from_utf8_lossy(&line[pair.name.clone()]), pair.value.clone());
        });
    };
    for span in prefix.groups {
        match line[span.clone()].contains(&b'=') {
            true => {
                in_text(span.clone(), &mut give);
                if !pairs::covers(line, span.clone()) {
                    give("context", span);
                }
            }
            false => each_in_group(line, span, &mut |name, place, _| give(name, place)),
        }
    }
    in_text(message.start..end, &mut give);
    for (name, span) in told {
        visit(Name::of(name), Some(Spot::plain(&line[span])));
    }
    let mut give = |name: &str, span: Range<usize>| {
        visit(Name::of(name), Some(Spot::plain(&line[span])));
    };
    for (name, place) in message::named_parts(line, message.start..end) {
        give(&String::from_utf8_lossy(&line[name]), place);
    }
    Some(())
}

/// What a prefix gives a field each.
fn named(prefix: &Prefix) -> impl Iterator<Item = (&'static str, Range<usize>)> + '_ {
    let all = [
        ("thread", &prefix.thread),
        ("pid", &prefix.pid),
        ("tid", &prefix.tid),
        ("function", &prefix.function),
        ("caller", &prefix.caller),
    ];
    let all = all.into_iter().filter_map(|(name, span)| Some((name, span.clone()?)));
    all.chain(prefix.named_parts.iter().cloned())
}

/// A bracketed group: pairs, or ids.
fn group(entry: &mut Entry<'_>, line: &[u8], span: Range<usize>) {
    if line[span.clone()].contains(&b'=') {
        pairs::in_text(entry, span.clone());
        // In a line that another program wrote into, more than pairs may stand there.
        if !pairs::covers(line, span.clone()) {
            entry.take_bytes("context", span);
        }
        return;
    }
    let raw = entry.raw;
    each_in_group(line, span, &mut |name, place, role| {
        let value = Value::untyped(&raw[place.clone()]);
        let field = Field::new(name.to_owned(), value, place);
        entry.fields.push(Field { role, ..field });
    });
}

/// Visits what a bracketed group without pairs holds: its names, places and roles.
fn each_in_group(
    line: &[u8],
    span: Range<usize>,
    visit: &mut dyn FnMut(&str, Range<usize>, Role),
) {
    let text = &line[span.clone()];
    if prefix::is_trace(text) {
        visit("trace_id", span.start..span.start + 32, Role::Id("trace_id"));
        return visit("span_id", span.start + 33..span.end, Role::Id("span_id"));
    }
    if prefix::is_request(text) {
        return visit("request_id", span, Role::Id("request_id"));
    }
    if prefix::is_id(text) {
        return visit("id", span, Role::Id("id"));
    }
    if let Some(client) = text.strip_prefix(b"client ") {
        return visit("client", span.end - client.len()..span.end, Role::Plain);
    }
    // `app,trace,span`
    if text.contains(&b',') {
        let mut at = span.start;
        let mut kinds = ["trace_id", "span_id"].into_iter();
        for part in text.split(|b| *b == b',') {
            let place = at..at + part.len();
            at = place.end + 1;
            if ids::has_id_form(part)
                && let Some(kind) = kinds.next()
            {
                visit(kind, place, Role::Id(kind));
            } else if !part.is_empty() {
                visit("app", place, Role::Plain);
            }
        }
        return;
    }
    if prefix::is_code(text) {
        visit("code", span, Role::Plain);
    } else if prefix::is_uptime(text) {
        visit("uptime", span, Role::Plain);
    } else if prefix::is_label(text) {
        let colon = memchr::memchr(b':', text).unwrap_or(0);
        let name = String::from_utf8_lossy(&text[..colon]);
        visit(&name, span.start + colon + 1..span.end, Role::Plain);
    } else if !text.is_empty() {
        visit("app", span, Role::Plain);
    }
}

/// The detail, hint and statement of a database's message become fields.
fn parts(entry: &mut Entry<'_>) {
    let raw = entry.raw;
    let Some(mut at) = memchr::memchr(b'\n', raw) else { return };
    let mut open: Option<(&str, usize)> = None;
    while at < raw.len() {
        let start = at + 1;
        let end =
            memchr::memchr(b'\n', &raw[start.min(raw.len())..]).map_or(raw.len(), |to| start + to);
        let line = &raw[start.min(end)..end];
        let found = timed(line, &Dialect::default(), Prefix::of).and_then(|prefix| {
            let (name, from) = part_of(&line[prefix.message.min(line.len())..])?;
            Some((name, start + prefix.message + from))
        });
        if let Some(next) = found
            && let Some((name, from)) = open.replace(next)
        {
            entry.take_bytes(name, from..at.max(from));
        }
        at = end;
    }
    if let Some((name, from)) = open {
        entry.take_bytes(name, from..raw.len());
    }
}

/// `info: Some.Category[14]`: the places of the category and of the event's number.
fn category(line: &[u8]) -> Option<(Range<usize>, Range<usize>)> {
    let colon = memchr::memchr(b':', line)?;
    let name = line.get(colon + 2..)?.strip_suffix(b"]")?;
    let open = memchr::memrchr(b'[', name)?;
    let event = &name[open + 1..];
    let fits = super::prefix::is_name(&name[..open])
        && !event.is_empty()
        && event.iter().all(u8::is_ascii_digit);
    let start = colon + 2;
    fits.then(|| (start..start + open, start + open + 1..start + name.len()))
}
