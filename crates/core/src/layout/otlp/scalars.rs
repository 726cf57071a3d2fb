//! The values of a record one by one.

use crate::layout::json::cursor::Cursor;

/// Visits the names and the texts of the scalar values in a record's own text, and how long a span took; what it shares
/// with others is not among them. `None` where the record must be read in full: where attributes nest, or a span has
/// events or links.
pub(crate) fn each_scalar<'r>(
    own: &'r [u8],
    visit: &mut dyn FnMut(&str, &'r [u8]),
) -> Option<Option<f64>> {
    // What is escaped, or not UTF-8, reads otherwise than it is written.
    if memchr::memchr(b'\\', own).is_some() || std::str::from_utf8(own).is_err() {
        return None;
    }
    let (mut start, mut end) = (None, None);
    let nanos = |text: &[u8]| std::str::from_utf8(text).ok()?.parse::<i128>().ok();
    let mut cursor = Cursor { bytes: own, at: 0 };
    cursor.each_member(&mut |name, cursor| {
        let name = std::str::from_utf8(name).ok()?;
        match (name, cursor.peek()?) {
            ("attributes", b'[') => each_attribute(cursor, visit),
            ("body" | "status", b'{') => cursor.skip_value(),
            (_, b'{' | b'[') => None,
            (_, first) => {
                let text = match first {
                    b'"' => cursor.string()?,
                    _ => cursor.scalar()?,
                };
                match name {
                    "startTimeUnixNano" => start = nanos(text),
                    "endTimeUnixNano" => end = nanos(text),
                    // What becomes time, level and message is no field.
                    "name" | "timeUnixNano" | "severityText" | "severityNumber" | "kind" => {}
                    name => visit(name, text),
                }
                Some(())
            }
        }
    })?;
    #[expect(clippy::cast_precision_loss, reason = "a duration to order by")]
    let seconds = |nanos: i128| nanos as f64 / 1e9;
    Some(start.zip(end).map(|(start, end)| seconds(end - start)))
}

/// Visits the attributes that have one value each.
fn each_attribute<'r>(
    cursor: &mut Cursor<'r>,
    visit: &mut dyn FnMut(&str, &'r [u8]),
) -> Option<()> {
    cursor.each_item(&mut |pair| {
        let (mut key, mut value) = (None, None);
        pair.each_member(&mut |name, pair| match name {
            b"key" => {
                key = Some(pair.string()?);
                Some(())
            }
            b"value" => pair.each_member(&mut |kind, inside| match kind {
                b"arrayValue" | b"kvlistValue" => None,
                _ if value.is_some() => None,
                _ => {
                    value = Some(match inside.peek()? {
                        b'"' => inside.string()?,
                        b'{' | b'[' => return None,
                        _ => inside.scalar()?,
                    });
                    Some(())
                }
            }),
            _ => None,
        })?;
        if let (Some(key), Some(value)) = (key, value) {
            visit(std::str::from_utf8(key).ok()?, value);
        }
        Some(())
    })
}
