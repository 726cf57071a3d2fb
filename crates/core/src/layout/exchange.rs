//! A request or a response that a message tells of by itself: `--> POST /holds`, `<-- 504 Gateway Timeout (222 ms)`,
//! `Completed 200 OK in 12ms`, `[71] Response: 201`. What stands in one line as a whole is read by `request`.

use std::ops::Range;

use super::{access, methods, prefix};

/// Bytes within which the method or the status begins.
const REACH: usize = 96;
/// Words before it.
const FRONT: usize = 5;

/// Signs that stand for the way of a message.
const SIGNS: [&[u8]; 14] = [
    b"-->", b"<--", b"->", b"<-", b">>>", b"<<<", b">>", b"<<", b"==>", b"<==", b"=>", b"<=", b">",
    b"<",
];

/// What a word before a method or a status says.
#[derive(Clone, Copy, PartialEq)]
enum Says {
    /// That an answer follows.
    Answer,
    /// Nothing that tells a request from a response.
    Either,
}

/// The names and the places of parts.
pub(super) type Parts = Vec<(&'static str, Range<usize>)>;

/// What a message tells of a request or of a response: the names and the places of its parts; empty where it is
/// neither. Cost: the beginning of the message, for most.
pub(super) fn of(line: &[u8], span: Range<usize>) -> Parts {
    let mut found = Vec::new();
    let (mut at, mut answers, mut signed, mut words) = (span.start, false, false, 0);
    if let Some(tag) = tag(&line[at..span.end]) {
        let name =
            if prefix::is_id(&line[at + tag.start..at + tag.end]) { "request_id" } else { "tag" };
        found.push((name, at + tag.start..at + tag.end));
        at += tag.end + 1;
        at += blanks(&line[at..span.end]);
    }
    loop {
        let text = &line[at..span.end];
        if let Some(length) = method(text) {
            // Without a word or a sign before it, it is a sentence as well as a request.
            let target = &text[length..];
            let sure = target.starts_with(b" http://") || target.starts_with(b" https://");
            if words > 0 || found.len() == 1 || sure || is_alone(target) {
                asked(line, at..span.end, length, &mut found);
                return found;
            }
            return Vec::new();
        }
        if answers && methods::status(text.get(..3).unwrap_or_default()).is_some() && ends(text, 3)
        {
            if !signed && !may_follow(text.get(3..).unwrap_or_default()) {
                return Vec::new();
            }
            answered(line, at..span.end, &mut found);
            return found;
        }
        if words == 0
            && methods::status(text.get(..3).unwrap_or_default()).is_some()
            && has_reason(text)
        {
            answered(line, at..span.end, &mut found);
            return found;
        }
        let length = text.iter().position(|b| *b == b' ').unwrap_or(text.len());
        let Some(says) = says(&text[..length]).filter(|_| words < FRONT && at - span.start < REACH)
        else {
            return Vec::new();
        };
        answers |= says == Says::Answer;
        signed |= SIGNS.contains(&&text[..length]);
        words += 1;
        at += length;
        at += blanks(&line[at..span.end]);
    }
}

/// `[71]`, what a thread, a connection or a request goes by: where the inside stands.
fn tag(text: &[u8]) -> Option<Range<usize>> {
    let inside = text.strip_prefix(b"[")?;
    let length = memchr::memchr(b']', &inside[..inside.len().min(64)])?;
    let fits = |b: &u8| b.is_ascii_alphanumeric() || matches!(b, b'-' | b'_' | b'.' | b':' | b'#');
    let tag = &inside[..length];
    let blank = inside.get(length + 1) == Some(&b' ');
    (blank && !tag.is_empty() && tag.iter().all(fits) && tag.iter().any(u8::is_ascii_digit))
        .then_some(1..1 + length)
}

fn blanks(text: &[u8]) -> usize {
    text.iter().take_while(|b| **b == b' ').count()
}

/// Whether nothing that belongs to a word stands behind so many bytes.
fn ends(text: &[u8], at: usize) -> bool {
    text.get(at).is_none_or(|b| {
        !b.is_ascii_alphanumeric() && !matches!(b, b'.' | b'-' | b'_' | b':' | b'/' | b'%')
    })
}

/// Whether what stands behind three digits goes on as behind a status: its words, a request, a duration, a value. What
/// is counted is no status: `got 200 seats`.
fn may_follow(text: &[u8]) -> bool {
    let text = text.trim_ascii_start();
    let word = text.split(|b| *b == b' ').next().unwrap_or_default();
    text.first().is_none_or(|b| !b.is_ascii_lowercase())
        || word.contains(&b'=')
        || matches!(
            word,
            b"in" | b"for" | b"from" | b"after" | b"to" | b"with" | b"took" | b"http" | b"ok"
        )
}

/// Whether the words of the standard stand behind a status: `200 OK`.
fn has_reason(text: &[u8]) -> bool {
    const FIRST: [&[u8]; 24] = [
        b"OK",
        b"Created",
        b"Accepted",
        b"No Content",
        b"Moved",
        b"Found",
        b"Not Modified",
        b"Bad Request",
        b"Unauthorized",
        b"Forbidden",
        b"Not Found",
        b"Method Not",
        b"Request Timeout",
        b"Conflict",
        b"Gone",
        b"Unsupported",
        b"Unprocessable",
        b"Too Many",
        b"Internal Server",
        b"Not Implemented",
        b"Bad Gateway",
        b"Service Unavailable",
        b"Gateway Time",
        b"Partial",
    ];
    let behind = text.get(3..).and_then(|rest| rest.strip_prefix(b" ")).unwrap_or_default();
    FIRST.iter().any(|reason| behind.starts_with(reason))
}

/// What a word says; `None` where it is none of those that stand before a method or a status.
fn says(word: &[u8]) -> Option<Says> {
    if SIGNS.contains(&word) {
        return Some(match word.contains(&b'<') && word != b"<=" {
            true => Says::Answer,
            // Both ways are drawn with it.
            false => Says::Either,
        });
    }
    let word = word.strip_suffix(b":").or(word.strip_suffix(b" -")).unwrap_or(word);
    if word.len() > 12 || !word.iter().all(u8::is_ascii_alphabetic) {
        return None;
    }
    let mut folded = [0u8; 12];
    folded[..word.len()].copy_from_slice(word);
    folded.make_ascii_lowercase();
    Some(match &folded[..word.len()] {
        b"completed" | b"response" | b"responded" | b"returned" | b"returning" | b"finished"
        | b"answered" | b"answer" | b"reply" | b"replied" | b"received" | b"got" | b"resp"
        | b"res" | b"ended" | b"end" | b"done" | b"responding" => Says::Answer,
        b"request" | b"req" | b"started" | b"starting" | b"start" | b"sending" | b"sent"
        | b"calling" | b"call" | b"incoming" | b"outgoing" | b"inbound" | b"outbound"
        | b"handling" | b"handled" | b"processing" | b"http" | b"client" | b"server" | b"with"
        | b"status" | b"code" | b"for" | b"to" | b"from" | b"begin" | b"serving" | b"in"
        | b"out" | b"executing" | b"invoking" | b"upstream" | b"the" | b"a" => Says::Either,
        _ => return None,
    })
}

/// The length of the method that a text begins with, a target behind it.
fn method(text: &[u8]) -> Option<usize> {
    if !text.first().is_some_and(u8::is_ascii_uppercase) {
        return None;
    }
    let quoted = |length: usize| text.get(length..length + 3) == Some(b" \"/");
    let length = text.iter().take(9).take_while(|b| b.is_ascii_uppercase()).count();
    methods::method(text)
        .or((quoted(length) && methods::METHODS.contains(&&text[..length])).then_some(length))
}

/// Whether behind a method there is nothing but its target, and the version of a protocol.
fn is_alone(text: &[u8]) -> bool {
    let mut words = text.split(|b| *b == b' ').filter(|word| !word.is_empty());
    words.next().is_some_and(|target| target.starts_with(b"/"))
        && words.next().is_none_or(|word| word.starts_with(b"HTTP/"))
        && words.next().is_none()
}

/// Method, path and query, and the status and the duration that a later word tells.
fn asked(line: &[u8], span: Range<usize>, method: usize, found: &mut Parts) {
    found.push(("method", span.start..span.start + method));
    let mut start = span.start + method + 1;
    let text = &line[start..span.end];
    let length = match text.strip_prefix(b"\"") {
        Some(inside) => {
            start += 1;
            memchr::memchr(b'"', inside).unwrap_or(inside.len())
        }
        None => text.iter().position(|b| *b == b' ').unwrap_or(text.len()),
    };
    // A comma or a colon behind it belongs to the sentence.
    let target = line[start..start + length].trim_ascii_end();
    let target = target.strip_suffix(b",").or(target.strip_suffix(b":")).unwrap_or(target);
    take_target(line, start..start + target.len(), found);
    let mut at = start + length;
    while at < span.end {
        at += line[at..span.end]
            .iter()
            .take_while(|b| matches!(b, b' ' | b'"' | b',' | b':' | b'('))
            .count();
        let rest = &line[at..span.end];
        let length = rest.iter().position(|b| *b == b' ').unwrap_or(rest.len());
        let word = &rest[..length];
        let told = word.starts_with(b"HTTP/")
            || SIGNS.contains(&word)
            || matches!(
                word,
                b"-" | b"returned"
                    | b"responded"
                    | b"status"
                    | b"completed"
                    | b"with"
                    | b"finished"
            );
        if methods::status(rest.get(..3).unwrap_or_default()).is_some() && ends(rest, 3) {
            return answered(line, at..span.end, found);
        }
        if !told {
            break;
        }
        at += length;
    }
}

/// Path and query, or an address as a whole.
fn take_target(line: &[u8], span: Range<usize>, found: &mut Parts) {
    if line.get(span.start) != Some(&b'/') {
        found.push(("url", span));
        return;
    }
    let (path, query) = access::target(line, &span);
    found.push(("path", path));
    found.extend(query.map(|query| ("query", query)));
}

/// The status at the beginning, and what stands behind it: the words for it, a request, a duration.
fn answered(line: &[u8], span: Range<usize>, found: &mut Parts) {
    found.push(("status", span.start..span.start + 3));
    let mut at = span.start + 3;
    for _ in 0..8 {
        at += line[at..span.end]
            .iter()
            .take_while(|b| matches!(b, b' ' | b'(' | b',' | b'['))
            .count();
        let rest = &line[at..span.end];
        if rest.is_empty() {
            return;
        }
        if found.iter().all(|(name, _)| *name != "method")
            && let Some(length) = method(rest)
        {
            found.push(("method", at..at + length));
            let start = at + length + 1 + usize::from(rest[length + 1] == b'"');
            let until = line[start..span.end].iter().position(|b| matches!(b, b' ' | b'"'));
            let end = until.map_or(span.end, |until| start + until);
            take_target(line, start..end, found);
            at = end;
            continue;
        }
        if let Some(length) = duration(rest) {
            found.push(("took", at..at + length));
            return;
        }
        let length = rest.iter().position(|b| matches!(b, b' ')).unwrap_or(rest.len());
        // Names and values are read by others.
        if rest[..length].contains(&b'=') {
            return;
        }
        at += length;
    }
}

/// The length of `12ms`, `1.5 s`, `222 ms` at the beginning of a text.
fn duration(text: &[u8]) -> Option<usize> {
    let digits = text.iter().take_while(|b| b.is_ascii_digit() || **b == b'.').count();
    if digits == 0 || !text[0].is_ascii_digit() {
        return None;
    }
    let blank = usize::from(text.get(digits) == Some(&b' '));
    let unit = &text[digits + blank..];
    let length = unit.iter().take_while(|b| b.is_ascii_alphabetic() || **b >= 0x80).count();
    let known = matches!(
        &unit[..length],
        b"ms" | b"s" | b"us" | b"ns" | b"min" | b"sec" | b"msec" | b"seconds"
    );
    let known = known || &unit[..length] == "µs".as_bytes();
    known.then_some(digits + blank + length)
}

#[cfg(test)]
mod tests {
    use super::*;

    fn told(text: &str) -> String {
        let parts = of(text.as_bytes(), 0..text.len());
        let parts: Vec<String> = parts
            .into_iter()
            .map(|(name, span)| format!("{name}={}", text.get(span).unwrap()))
            .collect();
        parts.join(" ")
    }

    #[test]
    fn messages_tell_of_requests_and_responses() {
        for (text, want) in [
            ("--> POST /crossings/112/seats", "method=POST path=/crossings/112/seats"),
            ("<-- 504 Gateway Timeout (222 ms)", "status=504 took=222 ms"),
            (
                "<-- 504 POST /crossings/112/seats?x=1 222ms",
                "status=504 method=POST path=/crossings/112/seats query=x=1 took=222ms",
            ),
            (
                "<-- 200 http://fares.example.test/quote (35ms, 12-byte body)",
                "status=200 took=35ms",
            ),
            ("Started GET \"/crossings/112\" for 10.1.2.3", "method=GET path=/crossings/112"),
            ("Completed 200 OK in 12ms (Views: 0.2ms)", "status=200 took=12ms"),
            (
                "[71] Request: POST http://fares.example.test/quote",
                "tag=71 method=POST url=http://fares.example.test/quote",
            ),
            ("[71] Response: 200 OK duration=80ms", "tag=71 status=200"),
            ("request POST /holds from 10.0.0.1", "method=POST path=/holds"),
            ("response 503 in 2012ms", "status=503 took=2012ms"),
            ("Sending request to POST /quote", "method=POST path=/quote"),
            ("POST /quote", "method=POST path=/quote"),
            ("Received response with status 404", "status=404"),
            ("Incoming request: GET /fares?berth=3", "method=GET path=/fares query=berth=3"),
            (
                "request GET /fares completed with 200 in 1.5 s",
                "method=GET path=/fares status=200 took=1.5 s",
            ),
            // Sentences.
            ("GET /fares is slow today", ""),
            ("200 OK duration=80ms", "status=200"),
            ("404 Not Found in 3ms", "status=404 took=3ms"),
            (
                "POST http://fares.example.test/quote body=x",
                "method=POST url=http://fares.example.test/quote",
            ),
            ("200 seats", ""),
            ("got 200 seats", ""),
            ("sold 200 seats", ""),
            ("received 2000 bytes", ""),
            ("request accepted", ""),
            ("completed in 12 ms", ""),
            ("[main] ready", ""),
            ("", ""),
        ] {
            assert_eq!(told(text), want, "{text}");
        }
    }
}
