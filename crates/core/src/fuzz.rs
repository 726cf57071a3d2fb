//! Entries for fuzzing: plain functions over bytes, which must survive anything. The targets in `fuzz/`
//! call them, and so do the tests here, with what was once found.

use crate::{
    layout::{Dialect, LayoutId, json, own, trace, wrap},
    lines::{Carry, Cutter},
    veil::Veil,
};

/// One line, held against every layout; what fits is read and veiled.
pub fn line(bytes: &[u8]) {
    let dialect = Dialect::default().learn(bytes);
    let line = crate::entry::first_line(bytes).0;
    let _ = (trace::is_continuation(line), json::brackets(line), dialect.tried(line));
    let veil = Veil::new([7; 16]);
    for layout in LayoutId::all() {
        if layout.layout().is_some_and(|known| known.head(line, &dialect).is_some()) {
            let entry = layout.part(bytes, &dialect, 0);
            let _ = veil.over(&entry).raw();
        }
    }
    if let Some(peeled) = wrap::peel(line, &dialect) {
        let _ = dialect.detect(&peeled.inner);
    }
}

/// A whole file: learnt from, cut into entries, and each of them read.
///
/// # Panics
///
/// When an entry's records lie outside of the file.
pub fn file(bytes: &[u8]) {
    let dialect = Dialect::default().learn(bytes);
    let mut cutter = Cutter::resume(&dialect, Carry::default(), None, 0);
    cutter.run(bytes, 0);
    let (parts, ..) = cutter.finish();
    for part in parts {
        let census = part.columns.census();
        let counted: usize = census.layouts().map(|(_, count)| count).sum();
        assert_eq!(counted, part.columns.len(), "every entry has a layout");
    }
}

/// A template, and a line that it is held against.
pub fn template(bytes: &[u8]) {
    let (template, line) = crate::entry::first_line(bytes);
    let template = String::from_utf8_lossy(template).into_owned();
    let spec = own::Spec { template: Some(template), ..own::Spec::default() };
    if let Ok(own) = own::Own::new(&spec) {
        let _ = own.captures(line);
    }
}

#[cfg(test)]
mod tests {
    use proptest::prelude::*;

    proptest! {
        #[test]
        fn random_bytes_are_survived(bytes in proptest::collection::vec(any::<u8>(), 0..400)) {
            super::line(&bytes);
            super::file(&bytes);
            super::template(&bytes);
        }

        #[test]
        fn bytes_of_logs_in_any_order_are_survived(
            parts in proptest::collection::vec(prop::sample::select(vec![
                "2026-03-14 06:41:02", "INFO", "{", "}", "\"a\":", "[", "]", "|", "\n", " ", ":", "=",
                "\\", "\"", "#", "at ", "Caused by: ", "stdout F ", "<34>", "1 ", "- ", "\u{1b}[1m", "\0", "é",
                ",", "time,level,a\n", "\t", "POST / HTTP/1.1", "%",
            ]), 0..40),
        ) {
            let text = parts.concat();
            super::line(text.as_bytes());
            super::file(text.as_bytes());
            super::template(text.as_bytes());
        }
    }
}
