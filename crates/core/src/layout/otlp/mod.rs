//! OTLP/JSON export requests: one line, many log records or spans, as the OpenTelemetry protocol encodes them
//! (<https://opentelemetry.io/docs/specs/otlp/>).

mod fields;
mod gist;
mod scalars;
mod texts;

pub(crate) use scalars::each_scalar;
use texts::{LOG_HEAD, SPAN_HEAD, Told, text_in, text_named, texts_at};

use super::{
    Continues, Dialect, Gist, Head, Layout, Member, Shared,
    json::cursor::Cursor,
    trace,
};
use crate::entry::{Entry, Field, Role, Severity, Stamp, Value, roles};

/// Log records.
pub(super) struct Otlp;

/// Spans: entries at their start, with how long they took.
pub(super) struct Spans;

/// How an export request names what it holds, from the outermost list to the innermost.
type Lists = [&'static [u8]; 3];

const LOGS: Lists = [b"resourceLogs", b"scopeLogs", b"logRecords"];
const SPANS: Lists = [b"resourceSpans", b"scopeSpans", b"spans"];

impl Layout for Otlp {
    fn name(&self) -> &'static str {
        "otlp"
    }

    fn about(&self) -> &'static str {
        "log requests of the OpenTelemetry protocol in JSON: one line, many entries"
    }

    fn sample(&self) -> &'static str {
        "{\"resourceLogs\":[{\"scopeLogs\":[{\"logRecords\":[{\"timeUnixNano\":\"1773470462340000000\",\"body\":{\"stringValue\":\"berth free\"}}]}]}]}"
    }

    fn first(&self, first: u8) -> bool {
        first == b'{'
    }

    fn begins(&self, line: &[u8]) -> bool {
        opens(line, b"\"resourceLogs\"")
    }

    fn makes_up(&self, _: &str) -> bool {
        true
    }

    fn owns(&self, _: &str) -> bool {
        // The words around names and values are the standard's, and what is empty has no field.
        true
    }

    fn head(&self, line: &[u8], _: &Dialect) -> Option<Head> {
        let whole = self.begins(line) && line.trim_ascii().ends_with(b"}");
        (whole && self.members(line).is_some()).then(|| Head { many: true, ..Head::default() })
    }

    fn read<'a>(&self, raw: &'a [u8], dialect: &Dialect) -> Option<Entry<'a>> {
        let first = self.members(raw)?.into_iter().next()?;
        let shared = first.shared(raw);
        self.member(raw.get(first.span)?, &shared, dialect)
    }

    fn members(&self, line: &[u8]) -> Option<Vec<Member>> {
        members(line, LOGS)
    }

    fn member_head(&self, line: &[u8], member: &Member) -> Head {
        let texts = texts_at(line, member.span.start, LOG_HEAD).unwrap_or_default();
        let told = |name: &str| text_named(&texts, &LOG_HEAD, name);
        Head { stamp: stamp(&told), severity: severity(&told), ..Head::default() }
    }

    fn member<'a>(&self, own: &'a [u8], shared: &Shared, _: &Dialect) -> Option<Entry<'a>> {
        Some(entry(own, Record::of(own, shared)?))
    }

    fn member_gist<'r>(&self, own: &'r [u8], shared: &Shared, _: &Dialect) -> Option<Gist<'r>> {
        gist::of(own, shared, b"body")
    }

    fn continues(&self) -> Continues {
        Continues::Never
    }
}

impl Layout for Spans {
    fn name(&self) -> &'static str {
        "spans"
    }

    fn about(&self) -> &'static str {
        "trace requests of the OpenTelemetry protocol in JSON: one line, many spans, each an entry at its start with how long it took"
    }

    fn sample(&self) -> &'static str {
        "{\"resourceSpans\":[{\"scopeSpans\":[{\"spans\":[{\"traceId\":\"4bf92f3577b34da6a3ce929d0e0e4736\",\"spanId\":\"00f067aa0ba902b7\",\"name\":\"berth\",\"startTimeUnixNano\":\"1773470462340000000\",\"endTimeUnixNano\":\"1773470462351000000\"}]}]}]}"
    }

    fn first(&self, first: u8) -> bool {
        first == b'{'
    }

    fn begins(&self, line: &[u8]) -> bool {
        opens(line, b"\"resourceSpans\"")
    }

    fn makes_up(&self, _: &str) -> bool {
        true
    }

    fn owns(&self, _: &str) -> bool {
        true
    }

    fn head(&self, line: &[u8], _: &Dialect) -> Option<Head> {
        let whole = self.begins(line) && line.trim_ascii().ends_with(b"}");
        (whole && self.members(line).is_some()).then(|| Head { many: true, ..Head::default() })
    }

    fn read<'a>(&self, raw: &'a [u8], dialect: &Dialect) -> Option<Entry<'a>> {
        let first = self.members(raw)?.into_iter().next()?;
        let shared = first.shared(raw);
        self.member(raw.get(first.span)?, &shared, dialect)
    }

    fn members(&self, line: &[u8]) -> Option<Vec<Member>> {
        members(line, SPANS)
    }

    fn member_head(&self, line: &[u8], member: &Member) -> Head {
        let texts = texts_at(line, member.span.start, SPAN_HEAD).unwrap_or_default();
        let told = |name: &str| text_named(&texts, &SPAN_HEAD, name);
        let severity = Some(span_severity(&told));
        Head { stamp: start(&told), severity, derived: true, ..Head::default() }
    }

    fn member<'a>(&self, own: &'a [u8], shared: &Shared, _: &Dialect) -> Option<Entry<'a>> {
        Some(span_entry(own, Record::of(own, shared)?))
    }

    fn member_gist<'r>(&self, own: &'r [u8], shared: &Shared, _: &Dialect) -> Option<Gist<'r>> {
        gist::of(own, shared, b"name")
    }

    fn member_fields<'r>(
        &self,
        own: &'r [u8],
        shared: &Shared,
        hand: &mut dyn FnMut(&str, &str),
    ) -> Option<Gist<'r>> {
        fields::of_span(own, shared, hand)
    }

    fn continues(&self) -> Continues {
        Continues::Never
    }
}

/// Whether an object begins with a member of this name, on its first line or below.
fn opens(line: &[u8], name: &[u8]) -> bool {
    line.strip_prefix(b"{").is_some_and(|line| line.trim_ascii_start().starts_with(name))
}

/// Where the records of an export request stand, and what each shares with others.
fn members(line: &[u8], [outer, middle, inner]: Lists) -> Option<Vec<Member>> {
    let mut found: Vec<Member> = Vec::new();
    Cursor { bytes: line, at: 0 }.each_member(&mut |name, root| {
        if name != outer {
            return root.skip_value();
        }
        root.each_item(&mut |of_resource| {
            shared(of_resource, b"resource", 0, &mut found, &mut |name, of_resource, found| {
                if name != middle {
                    return of_resource.skip_value();
                }
                of_resource.each_item(&mut |of_scope| {
                    shared(of_scope, b"scope", 1, found, &mut |name, of_scope, found| {
                        if name != inner {
                            return of_scope.skip_value();
                        }
                        of_scope.each_item(&mut |record| {
                            let span = record.place()?;
                            found.push(Member { span, ..Member::default() });
                            Some(())
                        })
                    })
                })
            })
        })
    })?;
    Some(found).filter(|found| !found.is_empty())
}

/// One log record with what it shares with others.
struct Record<'a> {
    fields: Vec<Field<'a>>,
    resource: Vec<Field<'a>>,
    scope: Vec<Field<'a>>,
}

impl<'a> Record<'a> {
    /// A record by its own text and what it shares.
    fn of(own: &'a [u8], shared: &Shared) -> Option<Self> {
        let [resource, scope] = &shared.0;
        let fields = |text: &[u8]| -> Vec<Field<'a>> {
            let fields = fields_at(text, 0).unwrap_or_default();
            // They stand outside of the entry.
            fields.into_iter().map(|field| Field { span: 0..0, ..field.into_owned() }).collect()
        };
        Some(Self {
            fields: fields_at(own, 0)?,
            resource: named(&fields(resource), "attributes")
                .map(|list| pairs(list.value.children()))
                .unwrap_or_default(),
            scope: fields(scope),
        })
    }
}

/// Takes the value of a member, and the entries in it.
type Visit<'v, 'a> = &'v mut dyn FnMut(&'a [u8], &mut Cursor<'a>, &mut Vec<Member>) -> Option<()>;

/// Visits the members of an object but the one of a name, whose place all entries found within the object share.
fn shared<'a>(
    cursor: &mut Cursor<'a>,
    of: &[u8],
    slot: usize,
    found: &mut Vec<Member>,
    visit: Visit<'_, 'a>,
) -> Option<()> {
    let (first, mut place) = (found.len(), 0..0);
    cursor.each_member(&mut |name, cursor| {
        if name == of {
            place = cursor.place()?;
            return Some(());
        }
        visit(name, cursor, found)
    })?;
    for member in &mut found[first..] {
        member.shared[slot].clone_from(&place);
    }
    Some(())
}

/// The members of the object that stands at a place.
fn fields_at(text: &[u8], at: usize) -> Option<Vec<Field<'_>>> {
    match (Cursor { bytes: text, at }).value(0)?.value {
        Value::Map(fields) => Some(fields),
        _ => None,
    }
}

fn child<'f, 'a>(field: &'f Field<'a>, name: &str) -> Option<&'f Field<'a>> {
    field.value.children().iter().find(|child| child.name == name)
}

fn items<'f, 'a>(field: &'f Field<'a>, name: &str) -> &'f [Field<'a>] {
    child(field, name).map_or(&[], |list| list.value.children())
}

fn named<'f, 'a>(fields: &'f [Field<'a>], name: &str) -> Option<&'f Field<'a>> {
    fields.iter().find(|field| field.name == name)
}

fn stamp(told: &Told<'_, '_>) -> Option<Stamp> {
    ["timeUnixNano", "observedTimeUnixNano"]
        .iter()
        .find_map(|name| Stamp::epoch(told(name)?.as_bytes()))
}

fn severity(told: &Told<'_, '_>) -> Option<Severity> {
    let number = told("severityNumber").and_then(|text| {
        // Enumerations may be written by their names: `SEVERITY_NUMBER_WARN2`.
        match text.strip_prefix("SEVERITY_NUMBER_") {
            Some(word) => Severity::from_word(word.trim_end_matches(['2', '3', '4']).as_bytes()),
            None => text.parse().ok().and_then(Severity::new),
        }
    });
    number.or_else(|| Severity::from_word(told("severityText")?.as_bytes()))
}

/// A list of keys and typed values as plain fields.
fn pairs<'a>(list: &[Field<'a>]) -> Vec<Field<'a>> {
    list.iter()
        .filter_map(|pair| {
            let key = child(pair, "key")?.value.text()?.to_owned();
            let inside = child(pair, "value")?;
            let mut field = Field::new(key, any_value(inside), inside.span.clone());
            if let Role::Id(kind) = roles::role(field.name.as_bytes()) {
                field.role = Role::Id(kind);
            }
            Some(field)
        })
        .collect()
}

/// `{"stringValue": …}` and its relatives.
fn any_value<'a>(field: &Field<'a>) -> Value<'a> {
    let Some(inside) = field.value.children().first() else { return Value::Null };
    match inside.name.as_ref() {
        "intValue" | "doubleValue" => match inside.value.text() {
            Some(text) if crate::entry::value::is_number(text.as_bytes()) => {
                Value::Number(text.to_owned().into())
            }
            _ => inside.value.clone(),
        },
        "arrayValue" => Value::List(
            items(inside, "values")
                .iter()
                .map(|item| Field::new("", any_value(item), item.span.clone()))
                .collect(),
        ),
        "kvlistValue" => Value::Map(pairs(items(inside, "values"))),
        _ => inside.value.clone(),
    }
}

fn entry<'a>(raw: &'a [u8], record: Record<'a>) -> Entry<'a> {
    let mut entry = Entry::empty(raw);
    let told = |name: &str| text_in(&record.fields, name);
    entry.stamp = stamp(&told);
    entry.severity = severity(&told);
    let text = |name: &str| named(&record.fields, name)?.value.text().map(str::to_owned);
    entry.level_raw = text("severityText").or_else(|| text("severityNumber")).map(Into::into);
    entry.logger =
        named(&record.scope, "name").and_then(|n| n.value.text().map(|t| t.to_owned().into()));
    for field in record.fields {
        let mut field = field;
        match field.name.as_ref() {
            "timeUnixNano" | "severityText" | "severityNumber" => continue,
            "body" => {
                let value = any_value(&field);
                match value.text() {
                    Some(text) => {
                        entry.message = text.to_owned().into();
                        continue;
                    }
                    None => field.value = value,
                }
            }
            "attributes" => {
                field.value = Value::Map(pairs(field.value.children()));
            }
            name => {
                if let Role::Id(kind) = roles::role(name.as_bytes()) {
                    field.role = Role::Id(kind);
                }
            }
        }
        entry.fields.push(field);
    }
    if !record.resource.is_empty() {
        entry.fields.push(Field::new("resource", Value::Map(record.resource), 0..0));
    }
    trace::describe_field(&mut entry);
    entry
}

/// When a span started.
fn start(told: &Told<'_, '_>) -> Option<Stamp> {
    Stamp::epoch(told("startTimeUnixNano")?.as_bytes())
}

/// The level of a span: error where its status says so.
fn span_severity(told: &Told<'_, '_>) -> Severity {
    let word: &[u8] = match told("status") {
        Some("2" | "STATUS_CODE_ERROR") => b"error",
        _ => b"info",
    };
    Severity::from_word(word).unwrap_or_else(|| Severity::of_status(200))
}

/// How long a span took, as a duration with its unit, by the texts of its start and its end.
fn took_between(start: Option<&str>, end: Option<&str>) -> Option<String> {
    let nanos = |text: Option<&str>| text?.parse::<i128>().ok();
    let nanos = nanos(end)? - nanos(start)?;
    let sign = if nanos < 0 { "-" } else { "" };
    let nanos = nanos.unsigned_abs();
    let text = format!("{}.{:06}", nanos / 1_000_000, nanos % 1_000_000);
    Some(format!("{sign}{}ms", text.trim_end_matches('0').trim_end_matches('.')))
}

/// What kind of span it is, as the protocol numbers them.
fn kind_of(text: &str) -> Option<&'static str> {
    Some(match text {
        "1" | "SPAN_KIND_INTERNAL" => "internal",
        "2" | "SPAN_KIND_SERVER" => "server",
        "3" | "SPAN_KIND_CLIENT" => "client",
        "4" | "SPAN_KIND_PRODUCER" => "producer",
        "5" | "SPAN_KIND_CONSUMER" => "consumer",
        _ => return None,
    })
}

fn span_entry<'a>(raw: &'a [u8], record: Record<'a>) -> Entry<'a> {
    let mut entry = Entry::empty(raw);
    let told = |name: &str| text_in(&record.fields, name);
    entry.stamp = start(&told);
    entry.severity = Some(span_severity(&told));
    entry.level_derived = true;
    let text_of = |fields: &[Field<'_>], name: &str| {
        named(fields, name).and_then(|field| Some(field.value.text()?.to_owned()))
    };
    entry.logger = text_of(&record.scope, "name").map(Into::into);
    entry.message = text_of(&record.fields, "name").unwrap_or_default().into();
    let time = |name: &str| named(&record.fields, name)?.value.text();
    let took = took_between(time("startTimeUnixNano"), time("endTimeUnixNano"));
    for mut field in record.fields {
        match field.name.as_ref() {
            "startTimeUnixNano" | "name" => continue,
            "attributes" => field.value = Value::Map(pairs(field.value.children())),
            "events" | "links" => {
                for item in field.value.children_mut() {
                    for part in item.value.children_mut() {
                        match part.name.as_ref() {
                            "attributes" => part.value = Value::Map(pairs(part.value.children())),
                            // The ids of what is linked are those of other traces.
                            _ => part.role = Role::Plain,
                        }
                    }
                }
            }
            "kind" => {
                if let Some(kind) = field.value.text().and_then(kind_of) {
                    field.value = Value::Text(kind.into());
                }
            }
            name => {
                // The root has an empty parent.
                if let (Role::Id(kind), Some(text)) = (roles::role(name.as_bytes()), field.value.text())
                    && !text.is_empty()
                {
                    field.role = Role::Id(kind);
                }
            }
        }
        entry.fields.push(field);
    }
    if let Some(took) = took {
        entry.fields.push(Field::new("duration", Value::Text(took.into()), 0..0));
    }
    if !record.resource.is_empty() {
        entry.fields.push(Field::new("resource", Value::Map(record.resource), 0..0));
    }
    entry
}
