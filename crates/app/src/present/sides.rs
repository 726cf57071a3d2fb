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

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn sides_are_typed_as_people_say_them() {
        let snapshot = crate::tui::testing::TestDesk::open((80, 24)).snapshot().clone();
        let last = snapshot.span().map(|(_, last)| last);
        let marks = vec![("second try".to_owned(), 1_773_470_460_000_000_000)];
        let context = Context { last, marks, ..Context::default() };
        let told = |text: &str| match side(text, &snapshot, &context) {
            Ok(Side::Where(expr)) => expr.to_string(),
            Ok(other) => format!("{other:?}"),
            Err(message) => format!("wrong: {message}"),
        };
        for (text, want) in [
            ("everything", "Everything"),
            (" pan ", "Pan"),
            ("gate", "source = gate.log"),
            ("gate.log", "source = gate.log"),
            ("before mark second try", "time < mark \"second try\""),
            ("run = 2", "run = 2"),
            ("level >= warn and path ~ \"^/a\"", "level >= warn and path ~ \"^/a\""),
            ("status in 500..504", "status in 500..504"),
        ] {
            assert_eq!(told(text), want, "{text}");
        }
        for (text, begins) in [
            ("06:00..06:30", "time in 2026-03-14T06:00:00"),
            ("before 06:38", "time < 2026-03-14T06:38:00"),
            ("after 06:38", "time >= 2026-03-14T06:38:00"),
            ("", "wrong: write what to compare"),
            ("06:30..06:00", "wrong: "),
            ("before noon", "wrong: "),
        ] {
            assert!(told(text).starts_with(begins), "{text}: {}", told(text));
        }
    }
}
