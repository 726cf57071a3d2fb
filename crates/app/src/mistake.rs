//! How mistakes in what a person has written are told: without the secrets that stand in it.

use std::sync::LazyLock;

use cribrum_core::veil::{Anyone, Shareable, Veil};

/// Knows forms and names of secrets, and those among the arguments: what the user has decided may be what the mistake is
/// in. It is made when the first mistake is told.
static VEIL: LazyLock<Veil> = LazyLock::new(|| {
    let mut key = [0; 16];
    // Without chance the stand-ins are the same in every run, and hide as much.
    let _ = getrandom::fill(&mut key);
    let veil = Veil::new(key);
    for argument in std::env::args_os().skip(1) {
        let _ = veil.typed_at::<Anyone>(&argument.to_string_lossy(), 0);
    }
    veil
});

/// A message, the line that it is about, and a mark under the place in it, which is given in bytes.
pub(crate) fn at(message: &str, line: &str, at: usize) -> String {
    let (line, at) = VEIL.typed_at::<Anyone>(line, at);
    let column = line.as_str().get(..at).unwrap_or_default().chars().count();
    format!("{}\n  {}\n  {}^", without_secrets(message), line.as_str(), " ".repeat(column))
}

/// A message without the secrets that stood in an argument, or in a line which a mistake was told of. Other words are left
/// as they are: `to pass 'x' as a value` is no password.
pub(crate) fn without_secrets(message: &str) -> Shareable<'static> {
    VEIL.known(message)
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn no_mistake_repeats_a_secret_and_its_mark_stays_where_it_was() {
        let told = at("this is not closed", "status = (5", 9);
        assert_eq!(told, "this is not closed\n  status = (5\n           ^");
        let line = "password > Gertrude1987 and level = (warn";
        let told = at("`Gertrude1987` is no number", line, line.find('(').unwrap());
        let lines: Vec<&str> = told.lines().collect();
        assert!(!told.contains("Gertrude") && lines[0].ends_with("is no number"), "{told}");
        let mark = lines[2].chars().count() - 1;
        assert_eq!(lines[1].chars().nth(mark), Some('('), "{told}");
        let later = without_secrets("Gertrude1987: no such file");
        assert!(!later.as_str().contains("Gertrude"), "{later}");
    }
}
