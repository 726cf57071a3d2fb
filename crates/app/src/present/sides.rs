//! What is compared, in words.

use cribrum_core::{
    compare::Side,
    engine::Snapshot,
    query::{Context, Expr, Path},
};

/// What a person typed for one side of a comparison: `06:00..06:30`, `before 06:38`, `after 06:38`, `everything`, `pan`, the
/// name of a source, or a condition.
///
/// # Errors
///
/// In words, where it is none of these.
pub(crate) fn side(text: &str, snapshot: &Snapshot, context: &Context) -> Result<Side, String> {
    let text = text.trim();
    let quoted = |text: &str| format!("\"{}\"", text.replace('\\', "\\\\").replace('"', "\\\""));
    let of = |expr: &str| Expr::parse(expr, context).map(Side::Where);
    match text {
        "" => {
            return Err(
                "write what to compare: 06:00..06:30, before 06:38, run = 2, a source".into()
            );
        }
        "everything" => return Ok(Side::Everything),
        "pan" => return Ok(Side::Pan),
        _ => {}
    }
    if let Some(source) =
        snapshot.sources.iter().find(|source| source.name == text || source.label == text)
    {
        return Ok(Side::Where(Expr::equals(Path::Source, &source.name)));
    }
    if let Some(time) = text.strip_prefix("before ") {
        return of(&format!("time < {}", time_text(time, &quoted))).map_err(|error| error.message);
    }
    if let Some(time) = text.strip_prefix("after ").or_else(|| text.strip_prefix("since ")) {
        return of(&format!("time >= {}", time_text(time, &quoted))).map_err(|error| error.message);
    }
    let window = text.split_once("..").filter(|_| {
        !text.contains([' ', '=', '~', '<', '>']) || text.starts_with(|c: char| c.is_ascii_digit())
    });
    if let Some((from, to)) = window {
        let window = format!("time in {}..{}", quoted(from.trim()), quoted(to.trim()));
        return of(&window).map_err(|error| error.message);
    }
    of(text).map_err(|error| error.message)
}

/// A time, or a mark by its name.
fn time_text(time: &str, quoted: &dyn Fn(&str) -> String) -> String {
    let time = time.trim();
    match time.strip_prefix("mark ") {
        Some(mark) => format!("mark {}", quoted(mark.trim_matches('"'))),
        None => quoted(time),
    }
}
