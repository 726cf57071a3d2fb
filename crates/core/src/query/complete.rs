//! What may be typed next: which kind of thing, on which field, and what of it is there already.

use super::{
    Path,
    lexer::{Token, keyword, tokens},
    units,
};

/// What the text before the cursor asks for next.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct Hole {
    /// The kind of thing.
    pub slot: Slot,
    /// The byte at which it begins.
    pub from: usize,
    /// What is typed of it already, quotes left out.
    pub typed: String,
}

/// A kind of thing that can be typed.
#[derive(Clone, Debug, PartialEq, Eq)]
pub enum Slot {
    /// A condition: the name of a field, or a word.
    Field,
    /// What compares this field, or joins it with another condition.
    Operator(Path),
    /// A value of this field.
    Value(Path),
    /// The unit of the number that is typed for this field.
    Unit(Path),
    /// `and`, `or`.
    Joint,
}

/// The hole at the end of a text.
#[must_use]
pub fn hole(before: &str) -> Hole {
    let (tokens, open) = match tokens(before) {
        Ok(tokens) => (tokens, None),
        // A quote that is still open is what is being typed.
        Err(error) => match before.get(error.at..).and_then(|rest| rest.chars().next()) {
            Some(quote @ ('"' | '\'')) => {
                let front = before.get(..error.at).unwrap_or_default();
                let typed = before.get(error.at + 1..).unwrap_or_default();
                (super::lexer::tokens(front).unwrap_or_default(), Some((error.at, quote, typed)))
            }
            _ => (Vec::new(), None),
        },
    };
    let mut words: Vec<&Token> = tokens.iter().map(|(token, _)| token).collect();
    let touching = !before.ends_with(char::is_whitespace);
    let (from, typed) = match (open, tokens.last()) {
        (Some((from, _, typed)), _) => (from, typed.to_owned()),
        (None, Some((Token::Word(word), at))) if touching => {
            words.pop();
            (*at, word.clone())
        }
        _ => (before.len(), String::new()),
    };
    let slot = slot(&words);
    // A number without its unit.
    let unit = match &slot {
        Slot::Value(path) if open.is_none() && units::takes_units(path, &typed) => {
            Some(Slot::Unit(path.clone()))
        }
        _ => None,
    };
    Hole { slot: unit.unwrap_or(slot), from, typed }
}

/// What follows some tokens.
fn slot(before: &[&Token]) -> Slot {
    let field = |back: usize| match before.len().checked_sub(back).map(|at| before[at]) {
        Some(Token::Word(word)) if keyword(word).is_none() => Some(Path::of(word)),
        _ => None,
    };
    match before {
        [.., Token::Op(_)] => field(2).map_or(Slot::Field, Slot::Value),
        [.., Token::Word(word)] if keyword(word) == Some("in") => {
            let not = matches!(before, [.., Token::Word(not), _] if keyword(not) == Some("not"));
            field(if not { 3 } else { 2 }).map_or(Slot::Field, Slot::Value)
        }
        [.., Token::Word(word)] if keyword(word).is_some() => Slot::Field,
        [.., Token::Op(_), Token::Word(_)] => Slot::Joint,
        [.., Token::Open | Token::Comma] => list(before).map_or(Slot::Field, Slot::Value),
        [.., Token::Range | Token::Quoted(_) | Token::Close] => Slot::Joint,
        [.., Token::Word(has), Token::Word(_)] if keyword(has) == Some("has") => Slot::Joint,
        [.., Token::Word(word)] => Slot::Operator(Path::of(word)),
        _ => Slot::Field,
    }
}

/// The field before a list that is still open.
fn list(before: &[&Token]) -> Option<Path> {
    let open = before.iter().rposition(|token| **token == Token::Open)?;
    match &before[..open] {
        [.., Token::Word(path), Token::Word(word)] if keyword(word) == Some("in") => {
            match before[open - 2] {
                Token::Word(not) if keyword(not) == Some("not") => match before.get(open - 3) {
                    Some(Token::Word(path)) => Some(Path::of(path)),
                    _ => None,
                },
                _ => Some(Path::of(path)),
            }
        }
        _ => None,
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn every_place_asks_for_something() {
        let field = |name: &str| Path::of(name);
        for (text, slot, from, typed) in [
            ("", Slot::Field, 0, ""),
            ("sta", Slot::Field, 0, "sta"),
            ("status ", Slot::Operator(field("status")), 7, ""),
            ("status >", Slot::Value(field("status")), 8, ""),
            ("status >= 5", Slot::Value(field("status")), 10, "5"),
            ("level = w", Slot::Value(field("level")), 8, "w"),
            ("status = 503 ", Slot::Joint, 13, ""),
            ("status = 503 and ", Slot::Field, 17, ""),
            ("not lo", Slot::Field, 4, "lo"),
            ("has us", Slot::Field, 4, "us"),
            ("has user ", Slot::Joint, 9, ""),
            ("status in (502, 5", Slot::Value(field("status")), 16, "5"),
            ("status not in (", Slot::Value(field("status")), 15, ""),
            ("status in ", Slot::Value(field("status")), 10, ""),
            ("(sta", Slot::Field, 1, "sta"),
            ("message = \"seat h", Slot::Value(field("message")), 10, "seat h"),
            ("\"seat h", Slot::Field, 0, "seat h"),
            ("took > 250", Slot::Unit(field("took")), 7, "250"),
            ("wait_time > 250", Slot::Value(field("wait_time")), 12, "250"),
            ("took > 250m", Slot::Unit(field("took")), 7, "250m"),
            ("a == b", Slot::Field, 6, ""),
        ] {
            let want = Hole { slot, from, typed: typed.into() };
            assert_eq!(hole(text), want, "{text}");
        }
    }
}
