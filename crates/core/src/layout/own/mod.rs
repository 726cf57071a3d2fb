//! Layouts that people teach: a template with named holes, or a regular expression with named groups.
//!
//! ```
//! use cribrum_core::own::{Own, Spec};
//! let own = Own::new(&Spec {
//!     name: "berths".into(),
//!     template: Some("{time} | {session:id} | {level} | {caller}:{line:int} | {rest:pairs}".into()),
//!     ..Spec::default()
//! })?;
//! let captured = own.captures(b"2026-03-14 06:41:02 | s-17 | warn | Berth:12 | berth=4").unwrap();
//! assert_eq!(captured[1], ("session".to_owned(), 22..26));
//! let error = Own::new(&Spec { template: Some("{time".into()), ..Spec::default() }).unwrap_err();
//! assert_eq!((error.at, error.to_string().as_str()), (0, "this hole is not closed; write `}`"));
//! # Ok::<(), cribrum_core::own::Error>(())
//! ```

pub(in crate::layout) mod names;
mod template;

pub use template::propose;

use std::{ops::Range, sync::Arc};

use globset::{Glob, GlobMatcher};
use jiff::tz::TimeZone;
use regex::bytes::Regex;

use super::{Continues, Dialect, Head, Layout, LayoutId, json, pairs, trace};
use crate::entry::{Entry, Field, Missing, Offset, Role, Severity, Stamp, Value, first_line, roles};

/// How a layout is taught.
#[derive(Clone, Debug, Default, PartialEq, Eq)]
pub struct Spec {
    /// What people call it.
    pub name: String,
    /// The files that it holds for, as a glob over their names; all where there is none.
    pub files: Option<String>,
    /// A line with named holes: `{time} {level} {message}`.
    pub template: Option<String>,
    /// Instead of a template, a regular expression with named groups.
    pub pattern: Option<String>,
    /// How the time is written, with the conversions of C's `strftime`; where it is not one of the usual
    /// forms.
    pub time: Option<String>,
    /// The zone of times that name none.
    pub zone: Option<String>,
    /// The fields that are ids.
    pub ids: Vec<String>,
    /// Which lines go on with an entry: `indented` (the default), `always` or `never`.
    pub continues: Option<String>,
}

/// Which part of a layout is wrong.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum Part {
    /// [`Spec::files`]
    Files,
    /// [`Spec::template`]
    Template,
    /// [`Spec::pattern`]
    Pattern,
    /// [`Spec::time`]
    Time,
    /// [`Spec::zone`]
    Zone,
    /// [`Spec::continues`]
    Continues,
}

/// A layout that can't be taught so.
#[derive(Clone, Debug, PartialEq, Eq, thiserror::Error)]
#[error("{message}")]
pub struct Error {
    /// What was expected, and what to write instead.
    pub message: String,
    /// Which part is wrong.
    pub part: Part,
    /// The place in that part, in bytes.
    pub at: usize,
}

impl Error {
    fn new(part: Part, at: usize, message: impl Into<String>) -> Self {
        Self { message: message.into(), part, at }
    }
}

/// What a hole takes.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
enum Kind {
    Text,
    Time,
    Level,
    Id,
    Int,
    Number,
    Pairs,
    Json,
}

/// A layout that was taught.
#[derive(Debug)]
pub struct Own {
    name: String,
    id: LayoutId,
    files: Option<GlobMatcher>,
    pattern: Regex,
    /// It was made from a template, all of whose text between the holes is its own.
    templated: bool,
    holes: Vec<(String, Kind)>,
    time: Option<String>,
    zone: Option<TimeZone>,
    continues: Continues,
}

impl Own {
    /// Makes a layout ready.
    ///
    /// # Errors
    ///
    /// When a part of it is wrong.
    pub fn new(spec: &Spec) -> Result<Self, Error> {
        let (pattern, mut holes) = match (&spec.template, &spec.pattern) {
            (Some(template), None) => template::compile(template, spec.time.as_deref())?,
            (None, Some(pattern)) => named_groups(pattern)?,
            (Some(_), Some(_)) => {
                let message = "there is a template already; keep one of the two";
                return Err(Error::new(Part::Pattern, 0, message));
            }
            (None, None) => {
                let message = "a layout needs a template, or a pattern";
                return Err(Error::new(Part::Template, 0, message));
            }
        };
        for (name, kind) in &mut holes {
            if spec.ids.contains(name) {
                *kind = Kind::Id;
            }
        }
        let files = spec.files.as_deref().map(Glob::new).transpose().map_err(|error| {
            Error::new(Part::Files, 0, format!("this is no glob: {}", error.kind()))
        })?;
        let zone = spec.zone.as_deref().map(TimeZone::get).transpose().map_err(|_| {
            let message = "this is no time zone; write UTC or a name like Europe/Rome";
            Error::new(Part::Zone, 0, message)
        })?;
        let continues = match spec.continues.as_deref() {
            None | Some("indented") => Continues::Indented,
            Some("always") => Continues::Always,
            Some("never") => Continues::Never,
            Some(_) => {
                let message = "write `indented`, `always` or `never`";
                return Err(Error::new(Part::Continues, 0, message));
            }
        };
        if let Some(format) = &spec.time {
            check_format(format)?;
        }
        Ok(Self {
            name: spec.name.clone(),
            id: names::id_of(&spec.name),
            files: files.map(|glob| glob.compile_matcher()),
            pattern,
            templated: spec.template.is_some(),
            holes,
            time: spec.time.clone(),
            zone,
            continues,
        })
    }

    /// What people call it.
    #[must_use]
    pub fn name(&self) -> &str {
        &self.name
    }

    /// Its number in the index.
    #[must_use]
    pub fn id(&self) -> LayoutId {
        self.id
    }

    /// Whether the layout holds for a file of this name.
    #[must_use]
    pub fn holds_for(&self, file: &str) -> bool {
        self.files.as_ref().is_none_or(|files| files.is_match(file))
    }

    /// What each hole takes of a line; `None` where the line doesn't fit.
    #[must_use]
    pub fn captures(&self, line: &[u8]) -> Option<Vec<(String, Range<usize>)>> {
        let fit = self.fit(line)?;
        Some(fit.into_iter().map(|(hole, span)| (self.holes[hole].0.clone(), span)).collect())
    }

    /// Why a line does not fit although its text does: what a hole took is no time.
    #[must_use]
    pub fn wrong_time(&self, line: &[u8]) -> bool {
        self.pattern.is_match(line) && self.fit(line).is_none()
    }

    /// The places that the holes take, if the time is one.
    fn fit(&self, line: &[u8]) -> Option<Vec<(usize, Range<usize>)>> {
        let found = self.pattern.captures(line)?;
        let mut places = Vec::with_capacity(self.holes.len());
        for (number, (name, kind)) in self.holes.iter().enumerate() {
            let Some(place) = found.name(&group_name(number, name)).or_else(|| found.name(name))
            else {
                continue;
            };
            let text = place.as_bytes();
            if kind == &Kind::Time {
                {
                    self.stamp(text)?;
                }
            }
            places.push((number, place.range()));
        }
        self.give_words(line, &mut places);
        Some(places)
    }

    /// Words between a text and the pairs behind it belong to the text.
    fn give_words(&self, line: &[u8], places: &mut [(usize, Range<usize>)]) {
        for at in 1..places.len() {
            let (before, after) = places.split_at_mut(at);
            let (Some((text, span)), Some((hole, rest))) = (before.last_mut(), after.first_mut()) else {
                continue;
            };
            let gap = span.end..rest.start;
            let fits = self.holes[*hole].1 == Kind::Pairs
                && self.holes[*text].1 == Kind::Text
                && line.get(gap).is_some_and(|gap| gap.iter().all(|b| matches!(b, b' ' | b'\t')));
            if !fits || pairs::covers(line, rest.clone()) {
                continue;
            }
            // The pairs begin behind the last word that is none.
            let starts = memchr::memchr_iter(b' ', &line[rest.clone()]).map(|blank| rest.start + blank + 1);
            let begins = starts.take(64).find(|from| pairs::covers(line, *from..rest.end));
            span.end = begins.map_or(rest.end, |from| from - 1);
            rest.start = begins.unwrap_or(rest.end);
        }
    }

    /// What no hole has taken of a line, though it is no text of the layout's own.
    fn left(&self, line: &[u8], places: &[(usize, Range<usize>)]) -> Vec<Range<usize>> {
        if self.templated {
            return Vec::new();
        }
        let mut spans: Vec<Range<usize>> = places.iter().map(|(_, span)| span.clone()).collect();
        spans.sort_by_key(|span| span.start);
        let mut at = 0;
        let mut left = Vec::new();
        let end = line.len()..line.len();
        for span in spans.into_iter().chain(std::iter::once(end)) {
            if span.start > at {
                let gap = &line[at..span.start];
                let lead = gap.len() - gap.trim_ascii_start().len();
                let from = at + lead;
                let text = &line[from..from + gap.trim_ascii().len()];
                let says = text.iter().any(u8::is_ascii_alphanumeric);
                let literal = memchr::memmem::find(self.pattern.as_str().as_bytes(), text).is_some();
                if says && !literal {
                    left.push(from..from + text.len());
                }
            }
            at = at.max(span.end);
        }
        left
    }

    fn stamp(&self, text: &[u8]) -> Option<Stamp> {
        let text = text.trim_ascii();
        let mut stamp = match &self.time {
            None => Stamp::read(text).or_else(|| {
                let bare = text.strip_prefix(b"[")?.strip_suffix(b"]")?;
                Stamp::read(bare)
            })?,
            Some(format) => strptime(format, std::str::from_utf8(text).ok()?)?,
        };
        if let (Offset::Missing, Missing::Nothing, Some(zone)) =
            (stamp.offset, stamp.missing, &self.zone)
        {
            let clock = crate::entry::Clock { zone: Some(zone.clone()), ..Default::default() };
            stamp = stamp.at_offset(&clock);
        }
        Some(stamp)
    }

    pub(super) fn head(&self, line: &[u8]) -> Option<Head> {
        let mut head = Head::default();
        for (hole, span) in self.fit(line)? {
            let text = &line[span];
            match self.holes[hole].1 {
                Kind::Time => head.stamp = self.stamp(text),
                Kind::Level => head.severity = Severity::read(text.trim_ascii()),
                _ => {}
            }
        }
        Some(head)
    }

    fn read<'a>(&self, raw: &'a [u8]) -> Option<Entry<'a>> {
        let (line, rest) = first_line(raw);
        let mut entry = Entry::empty(raw);
        let places = self.fit(line)?;
        for span in self.left(line, &places) {
            entry.take_bytes("text", span);
        }
        for (hole, span) in places {
            let (name, kind) = &self.holes[hole];
            let text = &raw[span.clone()];
            let as_text = || String::from_utf8_lossy(text);
            match kind {
                Kind::Time => (entry.stamp, entry.stamp_at) = (self.stamp(text), Some(span)),
                Kind::Level => {
                    entry.severity = Severity::read(text.trim_ascii());
                    entry.level_raw = Some(String::from_utf8_lossy(text.trim_ascii()));
                }
                Kind::Pairs => {
                    pairs::in_text(&mut entry, span.clone());
                    if !pairs::covers(line, span.clone()) {
                        entry.fields.push(Field::new(name.clone(), Value::Text(as_text()), span));
                    }
                }
                Kind::Json if json::is_object(text) => json::members_of(&mut entry, span),
                Kind::Id => {
                    let kind = match roles::role(name.as_bytes()) {
                        Role::Id(kind) => kind,
                        _ => "id",
                    };
                    let field = Field::new(name.clone(), Value::untyped(text), span);
                    entry.fields.push(Field { role: Role::Id(kind), ..field });
                }
                _ if name == "message" || name == "rest" => {
                    entry.message = as_text();
                    pairs::in_text(&mut entry, span);
                }
                _ if name == "logger" => entry.logger = Some(as_text()),
                _ => {
                    let field = Field::new(name.clone(), Value::untyped(text), span);
                    let claim = roles::role(name.as_bytes());
                    let role = entry.plain_role(&field, claim);
                    entry.fields.push(Field { role, ..field });
                }
            }
        }
        entry.settle();
        if !rest.is_empty() {
            entry.body = Some(String::from_utf8_lossy(rest));
            trace::describe(&mut entry, raw.len() - rest.len());
        }
        Some(entry)
    }
}

/// The layouts that hold for a source, as one of those that lines are asked for.
pub(super) struct Taught;

impl Layout for Taught {
    fn name(&self) -> &'static str {
        "own"
    }

    fn about(&self) -> &'static str {
        "what you taught; up to 127 such layouts go by their own names"
    }

    fn sample(&self) -> &'static str {
        ""
    }

    fn first(&self, _: u8) -> bool {
        false
    }

    fn makes_up(&self, _: &str) -> bool {
        true
    }

    fn owns(&self, _: &str) -> bool {
        // The text between the holes is the layout's; a property of its own holds it against the entry.
        true
    }

    fn head(&self, line: &[u8], dialect: &Dialect) -> Option<Head> {
        dialect.own.iter().find_map(|own| own.head(line))
    }

    fn read<'a>(&self, raw: &'a [u8], dialect: &Dialect) -> Option<Entry<'a>> {
        dialect.own.iter().find_map(|own| own.read(raw))
    }

    fn continues(&self) -> Continues {
        Continues::Indented
    }
}

/// What belongs to an entry of one of a source's own layouts.
pub(super) fn continues(own: &[Arc<Own>], id: LayoutId) -> Continues {
    own.iter().find(|own| own.id == id).map_or(Continues::Indented, |own| own.continues)
}

fn group_name(number: usize, name: &str) -> String {
    let plain: String = name.chars().filter(char::is_ascii_alphanumeric).collect();
    format!("h{number}_{plain}")
}

/// A regular expression whose named groups are the holes.
fn named_groups(pattern: &str) -> Result<(Regex, Vec<(String, Kind)>), Error> {
    let regex = regex::bytes::RegexBuilder::new(pattern)
        .size_limit(1 << 20)
        .build()
        .map_err(|error| Error::new(Part::Pattern, 0, regex_message(&error)))?;
    let holes: Vec<(String, Kind)> =
        regex.capture_names().flatten().map(|name| (name.to_owned(), kind_by_name(name))).collect();
    if holes.is_empty() {
        let message = "this has no named group; write one as (?<message>.*)";
        return Err(Error::new(Part::Pattern, 0, message));
    }
    Ok((regex, holes))
}

/// The last line of a regular expression's error, which says what is wrong.
fn regex_message(error: &regex::Error) -> String {
    let text = error.to_string();
    let last = text.lines().last().unwrap_or_default();
    last.strip_prefix("error: ").unwrap_or(last).to_owned()
}

fn kind_by_name(name: &str) -> Kind {
    match roles::role(name.as_bytes()) {
        Role::Time => Kind::Time,
        Role::Level => Kind::Level,
        Role::Id(_) => Kind::Id,
        _ => Kind::Text,
    }
}

/// A format that can write a time can read one.
fn check_format(format: &str) -> Result<(), Error> {
    let sample = jiff::Timestamp::UNIX_EPOCH.to_zoned(TimeZone::UTC);
    let mut text = String::new();
    use std::fmt::Write as _;
    if format.contains('%') && write!(text, "{}", sample.strftime(format)).is_ok() {
        return Ok(());
    }
    let message = "this is no format of a time; write for example %d.%m.%Y %H:%M:%S%.f";
    Err(Error::new(Part::Time, 0, message))
}

fn strptime(format: &str, text: &str) -> Option<Stamp> {
    let parts = jiff::fmt::strtime::parse(format, text).ok()?;
    if let Ok(instant) = parts.to_timestamp() {
        let nanos = i64::try_from(instant.as_nanosecond()).ok()?;
        return Stamp::of_parts(nanos.div_euclid(1_000_000_000), nanos.rem_euclid(1_000_000_000));
    }
    let civil = parts.to_datetime().ok()?;
    Stamp::read(format!("{civil}").as_bytes())
}

#[cfg(test)]
mod tests;
