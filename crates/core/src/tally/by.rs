//! What entries are grouped by.

use std::fmt;

use crate::{
    entry::{Shape, roles},
    query::{self, Path},
};

/// What entries are grouped by.
#[derive(Clone, Debug, PartialEq, Eq, Hash)]
pub enum By {
    /// The level.
    Level,
    /// The logger.
    Logger,
    /// The source.
    Source,
    /// The layout.
    Layout,
    /// The message without its variable parts.
    Kind,
    /// Which life of its program, within its source.
    Run,
    /// A slice of time, of so many nanoseconds.
    Slice(i64),
    /// A field.
    Field {
        /// Its dotted path.
        path: String,
        /// In which form its values are compared.
        shape: Shape,
    },
}

/// The form in which the values of a field are compared unless another is asked for.
fn usual(path: &str) -> Shape {
    match shapes_of(path) {
        [first, ..] if *first != Shape::Class => *first,
        _ => Shape::Whole,
    }
}

/// The forms that a field's values may have, the usual one first.
fn shapes_of(path: &str) -> &'static [Shape] {
    let own = path.rsplit('.').next().unwrap_or(path);
    let folded = roles::folded(own.as_bytes());
    match &folded[..] {
        b"path" | b"url" | b"uri" | b"target" | b"requestpath" | b"requesturi" | b"requesturl"
        | b"httppath" | b"httpurl" | b"httptarget" | b"endpoint" | b"referer" | b"referrer" => {
            &[Shape::Template, Shape::Whole]
        }
        b"useragent" | b"agent" | b"httpuseragent" | b"csuseragent" => {
            &[Shape::Family, Shape::Crawler, Shape::Whole]
        }
        b"status" | b"statuscode" | b"httpstatus" | b"responsestatus" | b"scstatus" => {
            &[Shape::Whole, Shape::Class]
        }
        _ => &[Shape::Whole],
    }
}

impl By {
    /// What a person typed: `path`, `url:whole`, `status:class`, `level`, `kind`, `5min`.
    ///
    /// # Errors
    ///
    /// In words, where it is nothing to group by.
    pub fn parse(text: &str) -> Result<Self, String> {
        let text = text.trim();
        if let Some((path, shape)) = text.rsplit_once(':')
            && !path.is_empty()
            && let Some(shape) = Shape::named(shape)
        {
            return Ok(Self::Field { path: path.to_owned(), shape });
        }
        Ok(match text {
            "" => return Err("write what to group by: path, status, level, kind, 5min".into()),
            "level" => Self::Level,
            "logger" => Self::Logger,
            "source" => Self::Source,
            "layout" => Self::Layout,
            "kind" => Self::Kind,
            "run" => Self::Run,
            "time" => return Err("write the length of a slice of time: 10s, 5min, 1h".into()),
            "message" => return Err("messages are grouped by `kind`".into()),
            _ => match query::quantity(text) {
                #[expect(clippy::cast_possible_truncation, reason = "a saturating conversion")]
                Some(query::Quantity::Duration(seconds)) if seconds >= 0.001 => {
                    Self::Slice((seconds * 1e9).round() as i64)
                }
                Some(_) => {
                    return Err(format!("`{text}` is no length of time; write 10s, 5min, 1h"));
                }
                None => Self::field(text.strip_prefix('.').unwrap_or(text)),
            },
        })
    }

    /// A field, in its usual form.
    #[must_use]
    pub fn field(path: &str) -> Self {
        Self::Field { path: path.to_owned(), shape: usual(path) }
    }

    /// What a path of the filter language is grouped by; none for times and texts.
    #[must_use]
    pub fn of(path: &Path) -> Option<Self> {
        Some(match path {
            Path::Level => Self::Level,
            Path::Logger => Self::Logger,
            Path::Source => Self::Source,
            Path::Layout => Self::Layout,
            Path::Message | Path::Kind => Self::Kind,
            Path::Run => Self::Run,
            Path::Time => Self::Slice(60_000_000_000),
            Path::Took => Self::field("took"),
            Path::Field(path) | Path::Literal(path) => Self::field(path),
            Path::Shaped { path, shape } => Self::Field { path: path.clone(), shape: *shape },
            Path::Line | Path::Id | Path::After { .. } => return None,
        })
    }

    /// The paths under which a field is compared in the shorter forms that its values may have.
    pub fn shaped(path: &str) -> impl Iterator<Item = Path> + '_ {
        let shapes = shapes_of(path).iter().filter(|shape| **shape != Shape::Whole);
        shapes.map(|shape| Path::Shaped { path: path.to_owned(), shape: *shape })
    }

    /// The same with the values of its field in the next form that they may have.
    #[must_use]
    pub fn reshaped(&self) -> Self {
        let Self::Field { path, shape } = self else { return self.clone() };
        let shapes = shapes_of(path);
        let at = shapes.iter().position(|known| known == shape).unwrap_or(0);
        Self::Field { path: path.clone(), shape: shapes[(at + 1) % shapes.len()] }
    }

    /// What its column is called: `path`, `status`, `time`.
    #[must_use]
    pub fn name(&self) -> &str {
        match self {
            Self::Level => "level",
            Self::Logger => "logger",
            Self::Source => "source",
            Self::Layout => "layout",
            Self::Kind => "kind",
            Self::Run => "run",
            Self::Slice(_) => "time",
            Self::Field { path, .. } => path,
        }
    }
}

impl fmt::Display for By {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        match self {
            Self::Field { path, shape } if *shape != usual(path) => {
                write!(f, "{path}:{}", shape.name())
            }
            Self::Slice(nanos) => {
                const UNITS: [(i64, &str); 5] = [
                    (86_400_000_000_000, "d"),
                    (3_600_000_000_000, "h"),
                    (60_000_000_000, "min"),
                    (1_000_000_000, "s"),
                    (1_000_000, "ms"),
                ];
                let unit = UNITS.iter().find(|(unit, _)| nanos % unit == 0);
                let (unit, name) = unit.copied().unwrap_or((1, "ns"));
                write!(f, "{}{name}", nanos / unit)
            }
            other => f.write_str(other.name()),
        }
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn what_is_typed_is_what_is_grouped_by() {
        for text in [
            "level",
            "path",
            "url:whole",
            "status:class",
            "status",
            "5min",
            "90s",
            "1h",
            "kind",
            "a.b",
        ] {
            assert_eq!(By::parse(text).unwrap().to_string(), text);
        }
        let field = |path: &str, shape| By::Field { path: path.into(), shape };
        assert_eq!(By::parse("http.request.path"), Ok(field("http.request.path", Shape::Template)));
        assert_eq!(By::parse("user_agent"), Ok(field("user_agent", Shape::Family)));
        assert_eq!(By::parse(".level"), Ok(field("level", Shape::Whole)));
        assert_eq!(By::parse("a:b"), Ok(field("a:b", Shape::Whole)));
        for wrong in ["", "time", "message", "4KiB", "-5min"] {
            assert!(By::parse(wrong).is_err(), "{wrong}");
        }
    }

    #[test]
    fn forms_go_round() {
        let agent = By::field("user_agent");
        let names: Vec<String> =
            std::iter::successors(Some(agent.reshaped()), |by| Some(by.reshaped()))
                .take(3)
                .map(|by| by.to_string())
                .collect();
        assert_eq!(names, ["user_agent:crawler", "user_agent:whole", "user_agent"]);
        assert_eq!(By::Level.reshaped(), By::Level);
    }
}
