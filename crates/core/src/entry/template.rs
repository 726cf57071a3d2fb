//! What an entry says without its variable parts, so that entries of one kind are known as such.

use super::Entry;

/// Bytes of a message that make its template.
const LENGTH: usize = 240;

/// The constant words of an entry: the method and the path of a request, else the message; `#` stands where numbers,
/// ids, quoted texts and values behind names stood.
pub(crate) fn of(entry: &Entry<'_>) -> String {
    let field = |name: &str| entry.fields.iter().find(|field| field.name == name)?.value.text();
    if (entry.message_derived || entry.message.is_empty())
        && let (Some(method), Some(path)) = (field("method"), field("path"))
    {
        return format!("{method} {}", path_template(path));
    }
    template(&entry.message)
}

/// A text without its variable parts.
pub(crate) fn template(text: &str) -> String {
    let mut made = String::new();
    let mut quote: Option<char> = None;
    for word in text.split_ascii_whitespace() {
        if made.len() > LENGTH {
            break;
        }
        if let Some(open) = quote {
            if word.ends_with(open) || word.trim_end_matches([',', '.', ';', ')']).ends_with(open) {
                quote = None;
            }
            continue;
        }
        if !made.is_empty() {
            made.push(' ');
        }
        let opens = word.chars().next().filter(|first| matches!(first, '"' | '\'' | '«'));
        if let Some(first) = opens {
            let close = if first == '«' { '»' } else { first };
            let rest = word.get(first.len_utf8()..).unwrap_or_default();
            if !rest.contains(close) {
                quote = Some(close);
            }
            made.push('#');
            continue;
        }
        push_word(word, &mut made, &mut quote);
    }
    made
}

fn push_word(word: &str, made: &mut String, quote: &mut Option<char>) {
    if let Some((name, value)) =
        word.split_once('=').filter(|(name, _)| !name.is_empty() && !name.contains('/'))
    {
        made.push_str(name);
        made.push_str("=#");
        if let Some(open) = value.chars().next().filter(|c| matches!(c, '"' | '\''))
            && (value.len() == 1 || !value.ends_with(open))
        {
            *quote = Some(open);
        }
        return;
    }
    if word.contains('/') {
        made.push_str(&path_template(word));
    } else if word.bytes().any(|b| b.is_ascii_digit()) {
        // A mark that ends a clause stays.
        made.push('#');
        made.extend(word.chars().last().filter(|c| matches!(c, ':' | ',' | ';')));
    } else {
        made.push_str(word);
    }
}

/// A path whose parts with numbers, and long ones, are left out; without its query.
fn path_template(path: &str) -> String {
    let path = path.split('?').next().unwrap_or_default();
    let parts = path.split('/').map(|part| {
        let variable = part.len() > 32 || part.bytes().any(|b| b.is_ascii_digit());
        // `v1` and `2.0` are constant in a path.
        let version = part.len() <= 4 && part.starts_with('v');
        if variable && !version { "#" } else { part }
    });
    parts.collect::<Vec<_>>().join("/")
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn what_varies_is_left_out() {
        for (text, want) in [
            ("seat hold requested", "seat hold requested"),
            ("charge asked card=4111 amount=48.00", "charge asked card=# amount=#"),
            ("hold h-5512 placed, 2 seats", "hold # placed, # seats"),
            ("GET /v1/crossings/112/seats?seats=2 200", "GET /v1/crossings/#/seats #"),
            ("no seat for \"A. Fennimore\" on pier", "no seat for # on pier"),
            ("note=\"two words\" kept", "note=# kept"),
            ("refused «card·4e» twice", "refused # twice"),
            ("after 3 tries:", "after # tries:"),
            ("step 3:", "step #:"),
            ("", ""),
        ] {
            assert_eq!(template(text), want, "{text}");
        }
    }
}
