//! From tokens to an expression.

use regex::RegexBuilder;

use super::{
    Anchor, Context, Error, Expr, Literal, Op, Path, Pattern, Quantity,
    lexer::{Placed, Token, keyword, tokens},
    units,
};
use crate::{entry::Level, layout::LayoutId};

/// Bytes that a compiled pattern may take.
const PATTERN_BYTES: usize = 4 << 20;
/// Parentheses and negations that may stand within each other.
const DEPTH: usize = 100;

impl Expr {
    /// Reads an expression.
    ///
    /// # Errors
    ///
    /// Says at which byte of the text what was expected.
    pub fn parse(text: &str, context: &Context) -> Result<Self, Error> {
        let mut parser =
            Parser { tokens: tokens(text)?, at: 0, end: text.len(), depth: 0, context };
        if parser.tokens.is_empty() {
            return Err(Error::new(0, "write a condition, such as level >= warn"));
        }
        let expr = parser.or()?;
        match parser.peek() {
            None => Ok(expr),
            Some(Token::Close) => Err(parser.error("there is no open parenthesis to close here")),
            Some(_) => Err(parser.error("a condition was expected here")),
        }
    }
}

struct Parser<'c> {
    tokens: Vec<Placed>,
    at: usize,
    end: usize,
    depth: usize,
    context: &'c Context,
}

impl Parser<'_> {
    fn peek(&self) -> Option<&Token> {
        self.tokens.get(self.at).map(|(token, _)| token)
    }

    fn place(&self) -> usize {
        self.tokens.get(self.at).map_or(self.end, |(_, at)| *at)
    }

    fn error(&self, message: impl Into<String>) -> Error {
        Error::new(self.place(), message)
    }

    fn is_word(&self, word: &str) -> bool {
        matches!(self.peek(), Some(Token::Word(w)) if keyword(w) == Some(word))
    }

    fn take_word(&mut self, word: &str) -> bool {
        let is = self.is_word(word);
        self.at += usize::from(is);
        is
    }

    fn or(&mut self) -> Result<Expr, Error> {
        let mut items = vec![self.and()?];
        while self.take_word("or") {
            items.push(self.and()?);
        }
        Ok(one_or(items, Expr::Or))
    }

    fn and(&mut self) -> Result<Expr, Error> {
        let mut items = vec![self.not()?];
        loop {
            if self.take_word("and") {
                items.push(self.not()?);
            } else if self.is_word("or") || matches!(self.peek(), None | Some(Token::Close)) {
                return Ok(one_or(items, Expr::And));
            } else {
                items.push(self.not()?);
            }
        }
    }

    fn not(&mut self) -> Result<Expr, Error> {
        if !self.take_word("not") {
            return self.term();
        }
        self.deeper()?;
        let inner = self.not()?;
        self.depth -= 1;
        Ok(inner.negated())
    }

    fn deeper(&mut self) -> Result<(), Error> {
        self.depth += 1;
        if self.depth > DEPTH {
            return Err(self.error("too many conditions within each other"));
        }
        Ok(())
    }

    fn term(&mut self) -> Result<Expr, Error> {
        match self.peek().cloned() {
            None => Err(self.error("a condition was expected here")),
            Some(Token::Open) => {
                self.deeper()?;
                self.at += 1;
                let inner = self.or()?;
                if self.peek() != Some(&Token::Close) {
                    return Err(self.error("a closing parenthesis was expected here"));
                }
                self.at += 1;
                self.depth -= 1;
                Ok(inner)
            }
            Some(Token::Quoted(text)) => {
                if text.is_empty() {
                    return Err(self.error("an empty phrase is in every entry; write some text"));
                }
                self.at += 1;
                Ok(Expr::Word(text))
            }
            Some(Token::Word(word)) => self.word(&word),
            Some(Token::Op(op)) => Err(self
                .error(format!("`{op}` compares a field with a value; write the field before it"))),
            Some(Token::Close) => Err(self.error("a condition was expected before `)`")),
            Some(Token::Comma | Token::Range) => {
                Err(self.error("this belongs into a list or range behind `in`"))
            }
        }
    }

    fn word(&mut self, word: &str) -> Result<Expr, Error> {
        let known = keyword(word);
        if known == Some("has") && matches!(self.tokens.get(self.at + 1), Some((Token::Word(_), _)))
        {
            self.at += 1;
            let Some(Token::Word(path)) = self.peek().cloned() else {
                return Err(self.error("the name of a field was expected here"));
            };
            self.at += 1;
            return Ok(Expr::Has(self.path(&path)));
        }
        if matches!(known, Some("and" | "or" | "in")) {
            return Err(self.error(format!("a condition was expected before `{word}`")));
        }
        self.at += 1;
        let path = self.path(word);
        if let Some(Token::Op(op)) = self.peek().cloned() {
            self.at += 1;
            return self.comparison(path, op);
        }
        let negated = self.is_word("not")
            && matches!(self.tokens.get(self.at + 1), Some((Token::Word(w), _)) if keyword(w) == Some("in"));
        if negated {
            self.at += 1;
        }
        if self.take_word("in") {
            let set = self.set(path)?;
            return Ok(if negated { set.negated() } else { set });
        }
        Ok(Expr::Word(word.to_owned()))
    }

    /// The path of a name: with the words behind `after`, of the number behind them.
    fn path(&mut self, name: &str) -> Path {
        if let (Some(Token::Word(after)), Some((Token::Quoted(words), _))) =
            (self.peek(), self.tokens.get(self.at + 1))
            && after == "after"
            && !words.is_empty()
        {
            let words = words.clone();
            self.at += 2;
            return Path::After { name: name.to_owned(), words };
        }
        Path::of(name)
    }

    fn comparison(&mut self, path: Path, op: &str) -> Result<Expr, Error> {
        if op.ends_with('~') {
            if path == Path::Time {
                return Err(self.error(
                    "a time is compared with = < <= > >= or in; it has no letters to match",
                ));
            }
            let place = self.place();
            let text = self.text()?;
            let pattern = RegexBuilder::new(&text)
                .size_limit(PATTERN_BYTES)
                .build()
                .map_err(|error| Error::new(place, regex_message(&error)))?;
            let expr = Expr::Matches(path, Pattern(pattern));
            return Ok(if op == "!~" { expr.negated() } else { expr });
        }
        let place = self.place();
        let quoted = matches!(self.peek(), Some(Token::Quoted(_)));
        let value = self.literal(&path)?;
        if path == Path::Id && !matches!(op, "=" | "!=") {
            return Err(Error::new(
                place,
                "ids have no order; compare them with = or !=, or match with ~",
            ));
        }
        if path == Path::Kind && op.starts_with(['<', '>']) {
            let message =
                "kinds have no order; write kind = \"seat {word} held\", or kind ~ \"held$\"";
            return Err(Error::new(place, message));
        }
        if let Path::Shaped { shape, .. } = &path
            && op.starts_with(['<', '>'])
        {
            let message = format!("a {} has no order; compare it with = or !=", shape.name());
            return Err(Error::new(place, message));
        }
        if !quoted {
            fits(&path, op, &value, place)?;
        }
        let op = match op {
            "<" => Op::Less,
            "<=" => Op::AtMost,
            ">" => Op::Greater,
            ">=" => Op::AtLeast,
            "!=" => return Ok(Expr::Compare(path, Op::Equal, value).negated()),
            _ => Op::Equal,
        };
        if path == Path::Id && op == Op::Equal {
            return Ok(Expr::Id(value.text));
        }
        Ok(Expr::Compare(path, op, value))
    }

    fn set(&mut self, path: Path) -> Result<Expr, Error> {
        if self.peek() == Some(&Token::Open) {
            self.at += 1;
            let mut values = vec![self.literal(&path)?];
            loop {
                match self.peek() {
                    Some(Token::Comma) => {
                        self.at += 1;
                        values.push(self.literal(&path)?);
                    }
                    Some(Token::Close) => {
                        self.at += 1;
                        return Ok(Expr::OneOf(path, values));
                    }
                    _ => {
                        return Err(
                            self.error("a comma or a closing parenthesis was expected here")
                        );
                    }
                }
            }
        }
        let from = self.literal(&path)?;
        if self.peek() != Some(&Token::Range) {
            return Err(self.error("write a list such as (502, 503) or a range such as 500..504"));
        }
        self.at += 1;
        let place = self.place();
        let to = self.literal(&path)?;
        if path == Path::Kind {
            return Err(Error::new(
                place,
                "kinds have no order; write a list of them: kind in (\"…\", \"…\")",
            ));
        }
        fits(&path, "<=", &from, place)?;
        fits(&path, "<=", &to, place)?;
        let turned = match (from.time.zip(to.time), from.quantity.zip(to.quantity)) {
            (Some((from, to)), _) => from > to,
            (_, Some((from, to))) => from.amount() > to.amount(),
            _ => false,
        };
        if turned {
            let hint = if path == Path::Time { "; over midnight, give the dates" } else { "" };
            return Err(Error::new(place, format!("this range ends before it begins{hint}")));
        }
        Ok(Expr::Between(path, from, to))
    }

    fn text(&mut self) -> Result<String, Error> {
        match self.peek().cloned() {
            Some(Token::Word(text) | Token::Quoted(text)) => {
                self.at += 1;
                Ok(text)
            }
            _ => Err(self.error("a value was expected here; put quotes around texts with spaces")),
        }
    }

    fn literal(&mut self, path: &Path) -> Result<Literal, Error> {
        let place = self.place();
        let text = self.text()?;
        if *path == Path::Time
            && text == "mark"
            && let Some(Token::Quoted(name) | Token::Word(name)) = self.peek().cloned()
        {
            return self.mark(&name);
        }
        let mut literal = Literal::new(&text);
        match path {
            Path::Time => {
                let (time, anchor) = units::time(&text, place, self.context)?;
                (literal.time, literal.anchor) = (Some(time), anchor);
            }
            Path::Level if super::eval::level_of(&text).is_none() => {
                return Err(no_such("level", &text, Level::ALL.iter().map(|l| l.name()), place));
            }
            // A kind may go by the name that it was given.
            Path::Kind => {
                let named = self.context.kinds.iter().find(|(name, _)| *name == text);
                if let Some((_, words)) = named {
                    literal = Literal::new(words);
                }
            }
            Path::Layout if LayoutId::named(&text).is_none() => {
                return Err(no_such("layout", &text, LayoutId::all().map(LayoutId::name), place));
            }
            _ => {}
        }
        Ok(literal)
    }

    /// The time of a mark.
    fn mark(&mut self, name: &str) -> Result<Literal, Error> {
        let marks = &self.context.marks;
        let Some((_, time)) = marks.iter().find(|(known, _)| known == name) else {
            if marks.is_empty() {
                return Err(self.error("there is no mark yet; m sets one on the desk"));
            }
            let names = marks.iter().map(|(name, _)| name.as_str());
            return Err(no_such("mark", name, names, self.place()));
        };
        self.at += 1;
        Ok(Literal { time: Some(*time), anchor: Anchor::Mark, ..Literal::new(name) })
    }
}

/// Refuses to compare a field with a value that it can never have.
fn fits(path: &Path, op: &str, value: &Literal, place: usize) -> Result<(), Error> {
    let ordered = op.starts_with(['<', '>']);
    let wrong = match (path, value.quantity) {
        (Path::Took, Some(Quantity::Size(_))) => {
            Some("`took` is a duration; write it as 250ms, 1.5s or 2min")
        }
        (Path::Took, None) if ordered && units::unknown_unit(&value.text).is_none() => {
            Some("`took` is a duration; write it as 250ms, 1.5s or 2min")
        }
        (Path::Run, None) if value.text == super::ast::LATEST && matches!(op, "=" | "!=") => None,
        (Path::Run, Some(Quantity::Number(_))) => None,
        (Path::Run, _) if !op.contains('~') => {
            Some("`run` is a number, or `latest`: run = 2, run = latest")
        }
        (Path::Line, Some(Quantity::Number(_))) => None,
        (Path::Line, _) => Some("`line` is a number"),
        (Path::After { .. }, None) if !op.contains('~') => {
            Some("a number belongs here: took after \"completed in\" > 250ms")
        }
        _ => None,
    };
    if let Some(message) = wrong {
        return Err(Error::new(place, message));
    }
    let unit = units::unknown_unit(&value.text).filter(|_| ordered && value.time.is_none());
    match unit {
        Some(message) => Err(Error::new(place, message)),
        None => Ok(()),
    }
}

/// A name that is none of those there are, with the one that was perhaps meant.
fn no_such<'n>(
    what: &str,
    wrong: &str,
    names: impl Iterator<Item = &'n str>,
    place: usize,
) -> Error {
    let names: Vec<&str> = names.collect();
    let meant = super::nearest(wrong, names.iter().copied());
    let hint = match meant {
        Some(near) => format!("did you mean {near}?"),
        None => format!("the {what}s are {}", names.join(", ")),
    };
    Error::new(place, format!("`{wrong}` is no {what}; {hint}"))
}

fn one_or(mut items: Vec<Expr>, many: impl Fn(Vec<Expr>) -> Expr) -> Expr {
    match items.len() {
        1 => items.remove(0),
        _ => many(items),
    }
}

/// The last line of the library's message: the ones before repeat the pattern.
fn regex_message(error: &regex::Error) -> String {
    match error {
        regex::Error::CompiledTooBig(_) => "this pattern is too large".to_owned(),
        error => {
            let text = error.to_string();
            let last = text.lines().last().unwrap_or_default();
            format!("not a regular expression: {}", last.trim_start_matches("error: "))
        }
    }
}
