//! Places in source code that lines of a log name: frames of stack traces, `caller=Fares:61`, paths with a line.
//!
//! | written | place |
//! | --- | --- |
//! | `at test.ferries.Holds.place(Holds.java:88)` | class `test.ferries.Holds`, file `Holds.java`, line 88 |
//! | `File "/app/src/holds.py", line 12, in place` | file `/app/src/holds.py`, line 12 |
//! | `at place (/app/src/holds.js:10:5)` | file `/app/src/holds.js`, line 10 |
//! | `/app/holds.go:42 +0x1d` | file `/app/holds.go`, line 42 |
//! | `at Ferries.Holds.Place() in /src/Holds.cs:line 12` | class `Ferries.Holds`, file `/src/Holds.cs`, line 12 |
//! | `#0 /app/holds.php(12): place()` | file `/app/holds.php`, line 12 |
//! | `FareTable:61` | class `FareTable`, line 61 |

/// A place in source code, as far as it is named.
#[derive(Clone, Debug, Default, PartialEq, Eq)]
pub struct Place {
    /// The file as written: a path or only a name.
    pub file: Option<String>,
    /// The class or module, its parts parted by `.` or `::`.
    pub class: Option<String>,
    /// The line, from 1.
    pub line: Option<u32>,
}

/// What a frame begins with that belongs to a language or what comes with it, not to the program.
const FOREIGN: [&str; 26] = [
    "java.",
    "javax.",
    "jakarta.",
    "jdk.",
    "sun.",
    "com.sun.",
    "kotlin.",
    "kotlinx.",
    "scala.",
    "org.springframework.",
    "org.apache.",
    "io.netty.",
    "reactor.",
    "System.",
    "Microsoft.",
    "node:",
    "internal/",
    "runtime.",
    "net/http.",
    "std::",
    "core::",
    "alloc::",
    "tokio::",
    "/rustc/",
    "/usr/",
    "<frozen ",
];
/// Folders of packages of others.
const PACKAGES: [&str; 7] = [
    "/node_modules/",
    "/site-packages/",
    "/dist-packages/",
    "/.cargo/registry/",
    "/go/pkg/mod/",
    "/vendor/",
    "/gems/",
];

impl Place {
    /// The place that a line of a stack trace names, if it is a frame.
    #[must_use]
    pub fn of_frame(line: &str) -> Option<Self> {
        let text = line.trim();
        if let Some(rest) = text.strip_prefix("File \"") {
            // Python: `File "/app/holds.py", line 12, in place`
            let (file, rest) = rest.split_once('"')?;
            let line = rest.strip_prefix(", line ").and_then(number);
            return Some(Self { file: Some(file.to_owned()), class: None, line });
        }
        let frame = text.strip_prefix("at ").or_else(|| text.strip_prefix("@ "));
        if let Some(rest) = frame {
            return Self::at(rest);
        }
        if let Some(rest) = text.strip_prefix('#').and_then(|rest| rest.split_once(' ')) {
            // PHP: `#0 /app/holds.php(12): place()`; others: `#0 0x1d in place /app/holds.c:12`
            let rest = rest.1;
            if let Some((file, rest)) = rest.split_once('(')
                && let Some(line) = number(rest)
                && is_file(file)
            {
                return Some(Self { file: Some(file.to_owned()), class: None, line: Some(line) });
            }
            return rest.split_whitespace().find_map(file_and_line);
        }
        // Go: `/app/holds.go:42 +0x1d`; Ruby: `/app/holds.rb:12:in 'place'`
        let indented = line.starts_with([' ', '\t']);
        let first = text.split(" +0x").next()?.split(":in ").next()?;
        let known = file_and_line(first.trim_start_matches("from "))?;
        (indented || text.contains(":in ") || text.contains(" +0x")).then_some(known)
    }

    /// What stands behind `at `.
    fn at(rest: &str) -> Option<Self> {
        // `Ferries.Holds.Place() in /src/Holds.cs:line 12`
        if let Some((method, file)) = rest.split_once(" in ")
            && let Some((file, line)) = file.rsplit_once(":line ")
        {
            let file = Some(file.to_owned());
            return Some(Self { file, class: class_of(method), line: number(line) });
        }
        if let Some((method, inner)) = rest.rsplit_once('(') {
            let inner = inner.trim_end_matches(')');
            let method = method.trim_end();
            if let Some(place) = file_and_line(inner) {
                // A script's frame has a path and a function; a class has no path.
                let path = place.file.as_ref().is_some_and(|file| file.contains('/'));
                let class = if path { None } else { class_of(method) };
                return Some(Self { class, ..place });
            }
            // `at Acquirer.charge (acquirer:204)`: the file is named without its ending.
            if let Some(place) = Self::of_value(inner).filter(|place| place.line.is_some()) {
                return Some(place);
            }
            // `at jdk.internal.Native.invoke(Native Method)`
            return class_of(method).map(|class| Self { class: Some(class), ..Self::default() });
        }
        let rest = rest.trim_start_matches("async ");
        file_and_line(rest)
    }

    /// The place that a value names: `FareTable:61`, `src/holds.rs:10:5`, `booking::holds`.
    #[must_use]
    pub fn of_value(value: &str) -> Option<Self> {
        let value = value.trim();
        if value.is_empty() || value.contains(char::is_whitespace) {
            return None;
        }
        if let Some(place) = file_and_line(value) {
            return Some(place);
        }
        let named = |text: &str| {
            let part = |part: &str| {
                !part.is_empty() && part.chars().all(|c| c.is_alphanumeric() || "_$".contains(c))
            };
            let first = text.chars().next().is_some_and(|c| c.is_alphabetic() || c == '_');
            first && text.replace("::", ".").split('.').all(part)
        };
        match value.rsplit_once(':') {
            Some((class, line)) if named(class) && line.parse::<u32>().is_ok() => {
                Some(Self { file: None, class: Some(class.to_owned()), line: number(line) })
            }
            _ => named(value).then(|| Self { class: Some(value.to_owned()), ..Self::default() }),
        }
    }

    /// Whether the place belongs to the program itself: to one of `own` prefixes of paths or packages, or, without
    /// any, not to a language or a package of others.
    #[must_use]
    pub fn is_own(&self, own: &[String]) -> bool {
        let texts = || self.file.iter().chain(&self.class);
        if own.is_empty() {
            let foreign = |text: &String| {
                FOREIGN.iter().any(|prefix| text.starts_with(prefix))
                    || PACKAGES.iter().any(|folder| text.contains(folder))
            };
            return !texts().any(foreign);
        }
        let begins = |text: &String| {
            own.iter().any(|prefix| {
                let inside = format!("/{}", prefix.trim_start_matches('/'));
                text.starts_with(prefix.as_str()) || text.contains(&inside)
            })
        };
        texts().any(begins)
    }

    /// The parts of its path, the last one first, without the ending where only the class is known: what a file is
    /// found by.
    #[must_use]
    pub fn parts(&self) -> Vec<String> {
        let of_class = || -> Option<Vec<String>> {
            let class = self.class.as_ref()?.replace("::", ".");
            let mut parts: Vec<String> = class.split('.').map(str::to_owned).collect();
            // What is compiled into an inner class stands in the file of the outer one.
            if let Some(last) = parts.last_mut()
                && let Some((outer, _)) = last.split_once('$')
            {
                *last = outer.to_owned();
            }
            parts.reverse();
            Some(parts)
        };
        let Some(file) = &self.file else { return of_class().unwrap_or_default() };
        let mut parts: Vec<String> = file
            .split(['/', '\\'])
            .filter(|part| !matches!(*part, "" | "." | ".."))
            .map(str::to_owned)
            .collect();
        parts.reverse();
        // A class says in which folders a file without any is.
        if parts.len() == 1 {
            parts.extend(of_class().into_iter().flatten().skip(1));
        }
        parts
    }
}

/// `holds.js:10:5`, `/app/holds.go:42`: a file with an ending, and its line.
fn file_and_line(text: &str) -> Option<Place> {
    let text = text.trim().trim_matches(['(', ')', '"', '\'']);
    let text = text.strip_prefix("file://").unwrap_or(text);
    let mut parts = text.rsplitn(3, ':');
    let (last, middle, front) = (parts.next()?, parts.next()?, parts.next());
    let digits = |text: &str| !text.is_empty() && text.bytes().all(|b| b.is_ascii_digit());
    let (file, line) = match front {
        Some(front) if digits(last) && digits(middle) => (front.to_owned(), middle),
        Some(front) if digits(last) => (format!("{front}:{middle}"), last),
        None if digits(last) => (middle.to_owned(), last),
        _ => return None,
    };
    is_file(&file).then(|| Place { file: Some(file), class: None, line: number(line) })
}

/// Whether a text is the name of a file: its ending is a short word.
fn is_file(text: &str) -> bool {
    let name = text.rsplit(['/', '\\']).next().unwrap_or(text);
    let ending = name.rsplit_once('.').map(|(stem, ending)| (stem.is_empty(), ending));
    let path = text.contains(['/', '\\']);
    ending.is_some_and(|(bare, ending)| {
        let source = ending.chars().all(|c| c.is_ascii_lowercase() || c.is_ascii_digit());
        !bare
            && (1..=6).contains(&ending.len())
            && source
            && ending.chars().any(|c| c.is_ascii_lowercase())
    }) && (path || !name.contains(' '))
}

/// `test.ferries.Holds.place` without its method.
fn class_of(method: &str) -> Option<String> {
    let method = method.split('(').next()?.trim();
    // `app//test.ferries.Holds.place`: the module it is loaded from stands before it.
    let method = method.rsplit('/').next()?;
    let (class, _) = method.rsplit_once('.')?;
    (!class.is_empty() && !class.contains(' ')).then(|| class.to_owned())
}

/// The number that a text begins with.
fn number(text: &str) -> Option<u32> {
    let digits = text.bytes().take_while(u8::is_ascii_digit).count();
    text.get(..digits)?.parse().ok().filter(|line| *line > 0)
}

#[cfg(test)]
mod tests {
    use super::*;

    fn told(place: Option<Place>) -> String {
        let Some(place) = place else { return "none".to_owned() };
        let line = place.line.map(|line| format!(":{line}")).unwrap_or_default();
        format!(
            "{} {}{line}",
            place.class.as_deref().unwrap_or("-"),
            place.file.as_deref().unwrap_or("-")
        )
    }

    #[test]
    fn frames_name_their_places() {
        for (line, want) in [
            ("\tat test.ferries.Holds.place(Holds.java:88)", "test.ferries.Holds Holds.java:88"),
            (
                "    at app//test.ferries.Holds$Sweep.run(Holds.java:9)",
                "test.ferries.Holds$Sweep Holds.java:9",
            ),
            (
                "\tat java.base/java.lang.Thread.run(Thread.java:840)",
                "java.lang.Thread Thread.java:840",
            ),
            ("\tat jdk.internal.Native.invoke(Native Method)", "jdk.internal.Native -"),
            ("  File \"/app/src/holds.py\", line 12, in place", "- /app/src/holds.py:12"),
            ("    at place (/app/src/holds.js:10:5)", "- /app/src/holds.js:10"),
            ("    at async file:///app/src/holds.mjs:3:1", "- /app/src/holds.mjs:3"),
            ("    at Holds.place (C:\\app\\holds.ts:7:2)", "Holds C:\\app\\holds.ts:7"),
            ("\t/app/holds.go:42 +0x1d", "- /app/holds.go:42"),
            (
                "   at Ferries.Holds.Place(Seat s) in /src/Holds.cs:line 12",
                "Ferries.Holds /src/Holds.cs:12",
            ),
            ("/app/holds.rb:12:in 'place'", "- /app/holds.rb:12"),
            ("\tfrom /app/holds.rb:9:in 'run'", "- /app/holds.rb:9"),
            ("#0 /app/holds.php(12): place()", "- /app/holds.php:12"),
            ("             at ./src/holds.rs:10:5", "- ./src/holds.rs:10"),
            ("    at Acquirer.charge (acquirer:204)", "acquirer -:204"),
            ("seat hold failed", "none"),
            ("Caused by: java.io.IOException: closed", "none"),
            ("at 06:41:02 the ferry left", "none"),
            ("    \"path\": \"/crossings/112\"", "none"),
            ("", "none"),
        ] {
            assert_eq!(told(Place::of_frame(line)), want, "{line}");
        }
    }

    #[test]
    fn values_name_places_as_well() {
        for (value, want) in [
            ("FareTable:61", "FareTable -:61"),
            ("src/holds.rs:10:5", "- src/holds.rs:10"),
            ("booking::holds", "booking::holds -"),
            ("test.ferries.Holds", "test.ferries.Holds -"),
            ("holds.rs:10", "- holds.rs:10"),
            ("10.7.0.1:8080", "none"),
            ("two words", "none"),
            ("06:41", "none"),
            ("", "none"),
        ] {
            assert_eq!(told(Place::of_value(value)), want, "{value}");
        }
    }

    #[test]
    fn own_frames_are_told_from_those_of_others() {
        let own = |line: &str, rules: &[&str]| {
            let rules: Vec<String> = rules.iter().map(|&rule| rule.to_owned()).collect();
            Place::of_frame(line).unwrap().is_own(&rules)
        };
        assert!(own("\tat test.ferries.Holds.place(Holds.java:88)", &[]));
        assert!(!own("\tat java.lang.Thread.run(Thread.java:840)", &[]));
        assert!(!own("    at go (/app/node_modules/web/go.js:1:1)", &[]));
        assert!(!own("\tat test.other.Pool.take(Pool.java:1)", &["test.ferries"]));
        assert!(own("    at place (/app/src/holds.js:10:5)", &["src/"]));
        assert!(!own("    at place (/app/lib/holds.js:10:5)", &["src/"]));
    }

    #[test]
    fn the_parts_of_a_path_begin_at_its_end() {
        let parts = |line: &str| Place::of_frame(line).unwrap().parts().join(" ");
        assert_eq!(
            parts("\tat test.ferries.Holds$Sweep.run(Holds.java:9)"),
            "Holds.java ferries test"
        );
        assert_eq!(parts("    at place (/app/src/holds.js:10:5)"), "holds.js src app");
        let value = Place::of_value("booking::holds").unwrap();
        assert_eq!(value.parts().join(" "), "holds booking");
    }
}
