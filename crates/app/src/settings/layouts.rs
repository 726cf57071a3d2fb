//! Layouts that a file of settings teaches.
//!
//! ```toml
//! [[layout]]
//! name = "berths"
//! files = "berth*.log"
//! template = "{time} | {session:id} | {level} | {message}"
//! ```

use std::sync::Arc;

use cribrum_core::own::{self, Own, Part, Spec};
use serde::Deserialize;
use toml::Spanned;

/// The table as it stands in a file.
#[derive(Debug, Deserialize)]
#[serde(deny_unknown_fields)]
pub(super) struct Table {
    name: Spanned<String>,
    files: Option<Spanned<String>>,
    template: Option<Spanned<String>>,
    pattern: Option<Spanned<String>>,
    time: Option<Spanned<String>>,
    zone: Option<Spanned<String>>,
    #[serde(default)]
    ids: Vec<String>,
    continues: Option<Spanned<String>>,
}

impl Table {
    /// The layout, or what is wrong and at which byte of the file.
    pub(super) fn layout(&self) -> Result<Arc<Own>, (usize, String)> {
        let made = Own::new(&self.spec());
        made.map(Arc::new).map_err(|error| (self.place(&error), error.to_string()))
    }

    fn spec(&self) -> Spec {
        let text = |value: &Option<Spanned<String>>| value.as_ref().map(|v| v.get_ref().clone());
        Spec {
            name: self.name.get_ref().clone(),
            files: text(&self.files),
            template: text(&self.template),
            pattern: text(&self.pattern),
            time: text(&self.time),
            zone: text(&self.zone),
            ids: self.ids.clone(),
            continues: text(&self.continues),
        }
    }

    /// Where the wrong part of a value stands in the file.
    fn place(&self, error: &own::Error) -> usize {
        let value = match error.part {
            Part::Files => &self.files,
            Part::Template => &self.template,
            Part::Pattern => &self.pattern,
            Part::Time => &self.time,
            Part::Zone => &self.zone,
            Part::Continues => &self.continues,
        };
        match value {
            // Behind the quote that opens it.
            Some(value) => value.span().start + 1 + error.at,
            None => self.name.span().start,
        }
    }
}

#[cfg(test)]
mod tests {
    use std::collections::BTreeMap;

    use super::*;

    #[test]
    fn every_key_of_a_layout_is_taken() {
        let text = "[[layout]]\nname = \"x\"\nfiles = \"x*\"\npattern = '(?<time>\\S+) (?<who>\\S+) (?<message>.*)'\ntime = \"%d.%m.%Y\"\nzone = \"Europe/Rome\"\nids = [\"who\"]\ncontinues = \"always\"\n";
        let file: BTreeMap<String, Vec<Table>> = toml::from_str(text).unwrap();
        let table = &file["layout"][0];
        let spec = table.spec();
        let want = Spec {
            name: "x".into(),
            files: Some("x*".into()),
            template: None,
            pattern: Some(r"(?<time>\S+) (?<who>\S+) (?<message>.*)".into()),
            time: Some("%d.%m.%Y".into()),
            zone: Some("Europe/Rome".into()),
            ids: vec!["who".into()],
            continues: Some("always".into()),
        };
        assert_eq!(spec, want);
        for (part, value) in [
            (Part::Files, "\"x*\""),
            (Part::Pattern, "'(?<time>"),
            (Part::Time, "\"%d.%m.%Y\""),
            (Part::Zone, "\"Europe/Rome\""),
            (Part::Continues, "\"always\""),
            (Part::Template, "\"x\""),
        ] {
            let error = own::Error { message: String::new(), part, at: 0 };
            let place = table.place(&error);
            let quote = usize::from(part != Part::Template);
            assert!(text.get(place - quote..).unwrap().starts_with(value), "{part:?} at {place}");
        }
    }
}
