//! OTLP/JSON log requests: one line, many entries, as the OpenTelemetry protocol encodes them.

use super::{Dialect, Head, Layout, json::cursor::Cursor, trace};
use crate::entry::{Entry, Field, Role, Severity, Stamp, Value, ids};

pub(super) struct Otlp;

impl Layout for Otlp {
    fn name(&self) -> &'static str {
        "otlp"
    }

    fn head(&self, line: &[u8], _: &Dialect) -> Option<Head> {
        let whole = line.starts_with(b"{\"resourceLogs\"") && line.trim_ascii().ends_with(b"}");
        (whole && !records(line)?.is_empty()).then(|| Head { many: true, ..Head::default() })
    }

    fn read<'a>(&self, raw: &'a [u8], dialect: &Dialect) -> Option<Entry<'a>> {
        self.part(raw, dialect, 0)
    }

    fn heads(&self, line: &[u8], _: &Dialect) -> Vec<Head> {
        let head = |record: Record<'_>| Head {
            stamp: stamp(&record.fields),
            severity: severity(&record.fields),
            ..Head::default()
        };
        records(line).unwrap_or_default().into_iter().map(head).collect()
    }

    fn part<'a>(&self, raw: &'a [u8], _: &Dialect, part: usize) -> Option<Entry<'a>> {
        let record = records(raw)?.into_iter().nth(part)?;
        Some(entry(raw, record))
    }
}

/// One log record with what it shares with others.
struct Record<'a> {
    fields: Vec<Field<'a>>,
    resource: Vec<Field<'a>>,
    scope: Vec<Field<'a>>,
}

fn records(line: &[u8]) -> Option<Vec<Record<'_>>> {
    let root = Cursor { bytes: line, at: 0 }.value(0)?;
    let mut found = Vec::new();
    for resource_logs in items(&root, "resourceLogs") {
        let shared = child(resource_logs, "resource").map(attributes).unwrap_or_default();
        for scope_logs in items(resource_logs, "scopeLogs") {
            let scope = child(scope_logs, "scope").map(|s| s.value.children().to_vec());
            for record in items(scope_logs, "logRecords") {
                found.push(Record {
                    fields: record.value.children().to_vec(),
                    resource: shared.clone(),
                    scope: scope.clone().unwrap_or_default(),
                });
            }
        }
    }
    Some(found)
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

fn stamp(fields: &[Field<'_>]) -> Option<Stamp> {
    ["timeUnixNano", "observedTimeUnixNano"]
        .iter()
        .find_map(|name| Stamp::epoch(named(fields, name)?.value.text()?.as_bytes()))
}

fn severity(fields: &[Field<'_>]) -> Option<Severity> {
    let number = named(fields, "severityNumber").and_then(|field| {
        let text = field.value.text()?;
        // Enumerations may be written by their names: `SEVERITY_NUMBER_WARN2`.
        match text.strip_prefix("SEVERITY_NUMBER_") {
            Some(word) => Severity::from_word(word.trim_end_matches(['2', '3', '4']).as_bytes()),
            None => text.parse().ok().and_then(Severity::new),
        }
    });
    number.or_else(|| Severity::from_word(named(fields, "severityText")?.value.text()?.as_bytes()))
}

/// A list of keys and typed values as plain fields.
fn attributes<'a>(field: &Field<'a>) -> Vec<Field<'a>> {
    pairs(items(field, "attributes"))
}

fn pairs<'a>(list: &[Field<'a>]) -> Vec<Field<'a>> {
    list.iter()
        .filter_map(|pair| {
            let key = child(pair, "key")?.value.text()?.to_owned();
            let inside = child(pair, "value")?;
            let mut field = Field::new(key, any_value(inside), inside.span.clone());
            if let Role::Id(kind) = ids::role(field.name.as_bytes()) {
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
    entry.stamp = stamp(&record.fields);
    entry.severity = severity(&record.fields);
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
                if let Role::Id(kind) = ids::role(name.as_bytes()) {
                    field.role = Role::Id(kind);
                }
            }
        }
        entry.fields.push(field);
    }
    if !record.resource.is_empty() {
        entry.fields.push(Field::new("resource", Value::Map(record.resource), 0..raw.len()));
    }
    trace::describe_field(&mut entry);
    entry
}
