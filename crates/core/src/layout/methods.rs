//! Methods and statuses of HTTP, as they are written in lines.

/// The methods.
pub(super) const METHODS: [&[u8]; 12] = [
    b"GET",
    b"POST",
    b"PUT",
    b"DELETE",
    b"PATCH",
    b"HEAD",
    b"OPTIONS",
    b"CONNECT",
    b"TRACE",
    b"PURGE",
    b"PROPFIND",
    b"REPORT",
];

/// The method that a text begins with.
pub(super) fn method(text: &[u8]) -> Option<usize> {
    let length = text.iter().take(9).take_while(|b| b.is_ascii_uppercase()).count();
    let target = matches!(text.get(length + 1), Some(b'/' | b'*' | b'h'));
    (target && text[length] == b' ' && METHODS.contains(&&text[..length])).then_some(length)
}

/// The status that three digits stand for.
pub(super) fn status(text: &[u8]) -> Option<u16> {
    match text {
        [a @ b'1'..=b'5', b @ b'0'..=b'9', c @ b'0'..=b'9'] => {
            let digit = |byte: &u8| u16::from(byte - b'0');
            Some(digit(a) * 100 + digit(b) * 10 + digit(c))
        }
        _ => None,
    }
}
