//! Tokens of the filter language.

use super::Error;

#[derive(Clone, Debug, PartialEq, Eq)]
pub(super) enum Token {
    Word(String),
    Quoted(String),
    /// `= != < <= > >= ~ !~`
    Op(&'static str),
    Open,
    Close,
    Comma,
    /// `..`
    Range,
}

/// A token and where it starts, in bytes.
pub(super) type Placed = (Token, usize);

const OPS: [&str; 8] = ["!=", "!~", "<=", ">=", "=", "<", ">", "~"];
/// How other languages write what is written otherwise here.
const FOREIGN: [(&str, &str); 6] =
    [("==", "`=`"), ("=~", "`~`"), ("<>", "`!=`"), ("&&", "`and`"), ("||", "`or`"), ("~=", "`~`")];
const KEYWORDS: [&str; 5] = ["and", "or", "not", "in", "has"];

fn ends_word(c: char) -> bool {
    c.is_whitespace() || "()\"'=<>!~,".contains(c)
}

/// Whether a text, written without quotes, is read as one word of its own.
pub(super) fn is_bare(text: &str) -> bool {
    !text.is_empty() && !text.contains("..") && !text.contains(ends_word) && keyword(text).is_none()
}

/// The keyword that a word is, in lower or upper case.
pub(super) fn keyword(word: &str) -> Option<&'static str> {
    let known = |keyword: &&&str| **keyword == word || keyword.to_ascii_uppercase() == word;
    KEYWORDS.iter().find(known).copied()
}

pub(super) fn tokens(text: &str) -> Result<Vec<Placed>, Error> {
    let mut out = Vec::new();
    let mut rest = text;
    loop {
        rest = rest.trim_start();
        let at = text.len() - rest.len();
        let Some(first) = rest.chars().next() else {
            return Ok(out);
        };
        if let Some((_, write)) = FOREIGN.iter().find(|(foreign, _)| rest.starts_with(foreign)) {
            let wrong = rest.get(..2).unwrap_or(rest);
            return Err(Error::new(
                at,
                format!("`{wrong}` is not an operator here; write {write}"),
            ));
        }
        let (token, taken) = if let Some(op) = OPS.iter().find(|op| rest.starts_with(**op)) {
            (Token::Op(op), op.len())
        } else if rest.starts_with("..") {
            (Token::Range, 2)
        } else {
            match first {
                '(' => (Token::Open, 1),
                ')' => (Token::Close, 1),
                ',' => (Token::Comma, 1),
                '"' | '\'' => quoted(rest, first, at)?,
                '!' => {
                    return Err(Error::new(
                        at,
                        "`!` stands before `=` or `~`; to negate, write `not`",
                    ));
                }
                _ => {
                    let length = word_length(rest);
                    let word = rest.get(..length).unwrap_or(rest);
                    (Token::Word(word.to_owned()), length)
                }
            }
        };
        out.push((token, at));
        rest = rest.get(taken..).unwrap_or_default();
    }
}

fn word_length(rest: &str) -> usize {
    let end = rest.find(ends_word).unwrap_or(rest.len());
    match rest.find("..") {
        // Three dots and more are part of the word, as in a shortened text.
        Some(dots) if dots < end && dots > 0 => dots,
        _ => end,
    }
}

fn quoted(rest: &str, quote: char, at: usize) -> Result<(Token, usize), Error> {
    let mut text = String::new();
    let mut chars = rest.char_indices().skip(1);
    while let Some((place, c)) = chars.next() {
        if c == quote {
            return Ok((Token::Quoted(text), place + 1));
        }
        if c == '\\' {
            match chars.next() {
                Some((_, next)) if next == quote || next == '\\' => text.push(next),
                Some((_, next)) => text.extend(['\\', next]),
                None => break,
            }
        } else {
            text.push(c);
        }
    }
    Err(Error::new(at, format!("this quote is not closed; end it with {quote}")))
}
