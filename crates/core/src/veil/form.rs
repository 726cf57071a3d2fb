//! Which detector takes a value for a secret by its form alone.

use super::{
    Class, checks,
    detectors::{self, Alphabet, Check, Rest},
    found::Number,
    fragments::PREFIXES,
    plausible::is_placeholder,
};

/// Which detector takes all of a value for a secret of its form.
pub(super) fn of(value: &[u8]) -> Option<(Class, Number)> {
    let named = |name: &str| {
        let number = detectors::number(name)?;
        Some((detectors::detector(number)?.class, number))
    };
    if checks::jwt_end(value, 0) == Some(value.len()) {
        return named("jwt");
    }
    if checks::is_all_card(value) {
        return named("card");
    }
    if checks::iban_end(value, 0) == Some(value.len()) {
        return named("iban");
    }
    let mut whole = None;
    PREFIXES.at(value, 0, |hit, number| {
        if whole.is_none()
            && let Some(detector) = detectors::detector(*number)
            && let Check::Token(rest) = detector.check
            && detector.fragments.iter().any(|f| f.as_bytes() == &value[hit.clone()])
            && token_end(value, hit.end, rest) == Some(value.len())
        {
            whole = Some((detector.class, *number));
        }
    });
    whole
}

/// Where a token ends whose prefix ends at a place; `None` where what follows is none.
pub(super) fn token_end(text: &[u8], from: usize, rest: Rest) -> Option<usize> {
    use Alphabet::{Hex, Upper};
    let body = text[from..].iter().take_while(|b| rest.of.has(**b)).count();
    let exact = matches!(rest.of, Upper | Hex);
    let goes_on = text.get(from + body).is_some_and(u8::is_ascii_alphanumeric);
    if body < rest.least || exact && goes_on || rest.of == Upper && body != rest.least {
        return None;
    }
    // A full stop ends the sentence, not the token.
    let dots = text[from..from + body].iter().rev().take_while(|b| **b == b'.').count();
    let body = &text[from..from + body - dots];
    (body.len() >= rest.least.min(12) && !is_placeholder(body)).then_some(from + body.len())
}
