//! The command that opens a file at a line.

use std::path::{Path, PathBuf};

/// A program with its arguments.
#[derive(Clone, Debug, PartialEq, Eq)]
pub(crate) struct Editor {
    pub(crate) program: String,
    pub(crate) arguments: Vec<String>,
    /// The file that it opens, for messages.
    pub(crate) file: PathBuf,
}

/// Editors that take `FILE:LINE`; most others take `+LINE FILE`, as POSIX has it for `vi` and `ex`.
const WITH_COLON: [&str; 4] = ["hx", "zed", "subl", "micro"];

/// The command that opens a file at a line: `template` is what the settings say, such as `code -g {file}:{line}`, else
/// `$VISUAL` and `$EDITOR` are asked by `variable`.
///
/// # Errors
///
/// A message where no editor is named.
pub(crate) fn command(
    template: Option<&str>,
    variable: impl Fn(&str) -> Option<String>,
    file: &Path,
    line: Option<u32>,
) -> Result<Editor, String> {
    let named = |text: &String| !text.trim().is_empty();
    let text = template
        .map(str::to_owned)
        .or_else(|| variable("VISUAL").filter(named))
        .or_else(|| variable("EDITOR").filter(named));
    let text = text.ok_or(
        "no editor is named; set $VISUAL or $EDITOR, or editor = \"…\" under [code] in cribrum.toml",
    )?;
    let mut words = words(&text);
    if words.is_empty() {
        return Err("the editor's name is empty".to_owned());
    }
    let program = words.remove(0);
    let shown = file.display().to_string();
    let number = line.unwrap_or(1).to_string();
    let arguments = if text.contains("{file}") {
        let fill = |word: &String| word.replace("{file}", &shown).replace("{line}", &number);
        words.iter().map(fill).collect()
    } else {
        let name = Path::new(&program).file_name().map(|name| name.to_string_lossy().into_owned());
        let colon = name.is_some_and(|name| WITH_COLON.contains(&name.as_str()));
        match (line, colon) {
            (Some(_), true) => words.push(format!("{shown}:{number}")),
            (Some(_), false) => words.extend([format!("+{number}"), shown]),
            (None, _) => words.push(shown),
        }
        words
    };
    Ok(Editor { program, arguments, file: file.to_owned() })
}

/// Words parted by spaces; quotes hold some together.
fn words(text: &str) -> Vec<String> {
    let mut words = vec![String::new()];
    let mut quote = None;
    for c in text.chars() {
        match (c, quote) {
            ('"' | '\'', None) => quote = Some(c),
            (c, Some(open)) if c == open => quote = None,
            (c, None) if c.is_whitespace() => words.push(String::new()),
            (c, _) => words.last_mut().unwrap_or(&mut String::new()).push(c),
        }
    }
    words.retain(|word| !word.is_empty());
    words
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn editors_are_called_as_they_expect() {
        let none = |_: &str| None;
        let of = |template: Option<&str>, visual: &'static str, line| {
            let variable = move |name: &str| (name == "VISUAL").then(|| visual.to_owned());
            let made = command(template, variable, Path::new("/src/a b.rs"), line);
            made.map(|made| format!("{} {}", made.program, made.arguments.join("|")))
        };
        for (template, visual, line, want) in [
            (None, "vi", Some(7), "vi +7|/src/a b.rs"),
            (None, "vi", None, "vi /src/a b.rs"),
            (None, "/usr/bin/hx", Some(7), "/usr/bin/hx /src/a b.rs:7"),
            (None, "\"/opt/my editor\" -w", Some(7), "/opt/my editor -w|+7|/src/a b.rs"),
            (Some("code -g {file}:{line}"), "vi", Some(7), "code -g|/src/a b.rs:7"),
            (Some("open {file}"), "vi", None, "open /src/a b.rs"),
        ] {
            assert_eq!(of(template, visual, line).unwrap(), want);
        }
        let error = command(None, none, Path::new("a"), None).unwrap_err();
        assert!(error.contains("$VISUAL or $EDITOR"), "{error}");
        assert!(of(Some("  "), "vi", None).is_err());
    }
}
