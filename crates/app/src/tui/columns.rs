//! The columns of the list of entries: which there are, in which order, how wide, and which is chosen. They are kept
//! with a sieve, as a list of texts: `["level", "source:12", "took:8", "message"]`.

use std::sync::Arc;

use cribrum_core::{
    engine::{By, Shown},
    query::Path,
    tally,
    veil::{CleanField, CleanValue},
};

use crate::results::{self, EntryColumn};

/// What a column shows.
#[derive(Clone, Debug, PartialEq, Eq)]
pub(crate) enum Column {
    Level,
    Source,
    Logger,
    Id,
    /// A field by its dotted path.
    Field(String),
    /// The message, and what else there is room for.
    Message,
}

impl Column {
    /// What entries are grouped by in the tally of it; nothing for what nearly every entry says otherwise.
    pub(crate) fn tallied_by(&self) -> Option<tally::By> {
        match self {
            Self::Level => Some(tally::By::Level),
            Self::Source => Some(tally::By::Source),
            Self::Logger => Some(tally::By::Logger),
            Self::Field(path) => Some(tally::By::field(path)),
            Self::Id | Self::Message => None,
        }
    }
}

/// A column and its width, where a person has set one.
#[derive(Clone, Debug, PartialEq, Eq)]
pub(crate) struct Placed {
    pub(crate) column: Column,
    pub(crate) width: Option<u16>,
}

/// All columns behind time and gap, the message last, and the one that keys act on.
#[derive(Clone, Debug, PartialEq, Eq)]
pub(crate) struct Columns {
    all: Vec<Placed>,
    chosen: usize,
    /// A person has changed them; until then they fit what is shown.
    touched: bool,
}

impl Default for Columns {
    fn default() -> Self {
        Self::of([Column::Level, Column::Source, Column::Id])
    }
}

/// Widths that a column can be given.
const WIDTHS: std::ops::RangeInclusive<u16> = 3..=60;

impl Columns {
    /// These columns, then the message.
    fn of(columns: impl IntoIterator<Item = Column>) -> Self {
        let all = columns.into_iter().chain([Column::Message]);
        let all: Vec<Placed> = all.map(|column| Placed { column, width: None }).collect();
        Self { chosen: all.len() - 1, all, touched: false }
    }

    /// The usual columns, with one for loggers of so many cells where these tell entries of a source apart.
    pub(crate) fn usual(logger: Option<usize>) -> Self {
        let Some(wide) = logger else { return Self::default() };
        let mut columns = Self::of([Column::Level, Column::Source, Column::Logger, Column::Id]);
        columns.all[2].width = u16::try_from(wide.clamp(6, 20)).ok();
        columns
    }

    /// The columns of a table under its own names, each as wide as its values are, and the id where there are some.
    pub(crate) fn of_table(names: &[(String, usize)], ids: bool) -> Self {
        let id = ids.then_some(Column::Id);
        let fields = names.iter().map(|(name, _)| Column::Field(name.clone()));
        let mut columns = Self::of([Column::Level].into_iter().chain(id).chain(fields));
        for placed in &mut columns.all {
            let wide = names.iter().find(|(name, _)| placed.column == Column::Field(name.clone()));
            placed.width = wide
                .and_then(|(name, wide)| u16::try_from((*wide).max(name.len()).clamp(4, 24)).ok());
        }
        columns
    }

    /// The columns that texts name; what is none is left out.
    pub(crate) fn read(texts: &[String]) -> Self {
        let mut all = Vec::new();
        for text in texts {
            let (name, width) = match text.rsplit_once(':') {
                Some((name, width)) if width.parse::<u16>().is_ok() => (name, width.parse().ok()),
                _ => (text.as_str(), None),
            };
            let column = match Path::of(name) {
                Path::Level => Column::Level,
                Path::Source => Column::Source,
                Path::Logger => Column::Logger,
                Path::Id => Column::Id,
                Path::Field(path) | Path::Literal(path) => Column::Field(path),
                Path::Took => Column::Field(name.to_owned()),
                _ => continue,
            };
            let width = width.map(|width: u16| width.clamp(*WIDTHS.start(), *WIDTHS.end()));
            all.push(Placed { column, width });
        }
        all.push(Placed { column: Column::Message, width: None });
        Self { chosen: all.len() - 1, all, touched: true }
    }

    /// The columns as texts, where a person has changed them.
    pub(crate) fn written(&self) -> Vec<String> {
        let text = |placed: &Placed| {
            let name = match &placed.column {
                Column::Level => "level".to_owned(),
                Column::Source => "source".to_owned(),
                Column::Logger => "logger".to_owned(),
                Column::Id => "id".to_owned(),
                Column::Message => "message".to_owned(),
                Column::Field(path) => Path::field(path).to_string(),
            };
            match placed.width {
                Some(width) => format!("{name}:{width}"),
                None => name,
            }
        };
        self.all.iter().filter(|_| self.touched).map(text).collect()
    }

    /// The columns of what is extracted: the time first, and at the end the fields that have no column.
    pub(crate) fn to_extract(&self) -> Arc<[EntryColumn]> {
        let own = self.all.iter().map(|placed| match &placed.column {
            Column::Level => EntryColumn::Level,
            Column::Source => EntryColumn::Source,
            Column::Logger => EntryColumn::Logger,
            Column::Id => EntryColumn::Id,
            Column::Field(path) => EntryColumn::named(path),
            Column::Message => EntryColumn::Message,
        });
        std::iter::once(EntryColumn::Time)
            .chain(own)
            .chain([EntryColumn::Ids, EntryColumn::Fields])
            .collect()
    }

    pub(crate) fn all(&self) -> &[Placed] {
        &self.all
    }

    pub(crate) fn chosen(&self) -> &Column {
        &self.all[self.chosen].column
    }

    /// The number of the chosen column.
    pub(crate) fn chosen_at(&self) -> usize {
        self.chosen
    }

    pub(crate) fn is_touched(&self) -> bool {
        self.touched
    }

    /// Chooses the column to the left or to the right.
    pub(crate) fn choose(&mut self, by: isize) {
        self.chosen = self.chosen.saturating_add_signed(by).min(self.all.len() - 1);
    }

    /// Adds the column of a field before the message, or removes it. Says whether it is there now.
    pub(crate) fn toggle_field(&mut self, path: &str) -> bool {
        self.touched = true;
        let same = |placed: &Placed| placed.column == Column::Field(path.to_owned());
        match self.all.iter().position(same) {
            Some(at) => {
                self.all.remove(at);
                self.chosen = self.chosen.min(self.all.len() - 1);
                false
            }
            None => {
                let column = Column::Field(path.to_owned());
                self.all.insert(self.all.len() - 1, Placed { column, width: None });
                self.chosen = self.all.len() - 2;
                true
            }
        }
    }

    /// Removes the chosen column; the message stays.
    pub(crate) fn drop_chosen(&mut self) -> bool {
        let is = *self.chosen() != Column::Message;
        if is {
            self.touched = true;
            self.all.remove(self.chosen);
        }
        is
    }

    /// Moves the chosen column; the message stays last.
    pub(crate) fn shift(&mut self, by: isize) -> bool {
        let to = self.chosen.saturating_add_signed(by);
        let last = self.all.len() - 1;
        if self.chosen == last || to >= last || to == self.chosen {
            return false;
        }
        self.touched = true;
        self.all.swap(self.chosen, to);
        self.chosen = to;
        true
    }

    /// Makes the chosen column wider or narrower; `now` is how wide it is drawn.
    pub(crate) fn resize(&mut self, by: i16, now: u16) -> bool {
        let placed = &mut self.all[self.chosen];
        let width = now.saturating_add_signed(by).clamp(*WIDTHS.start(), *WIDTHS.end());
        let can = matches!(placed.column, Column::Source | Column::Logger | Column::Field(_));
        if can {
            self.touched = true;
            placed.width = Some(width);
        }
        can
    }
}

impl Column {
    /// What ordering the pan by the column means.
    pub(crate) fn by(&self) -> By {
        match self {
            Self::Level => By::Level,
            Self::Source => By::Source,
            Self::Logger => By::Logger,
            Self::Id => By::Id,
            Self::Message => By::Message,
            Self::Field(path) => By::Field(path.clone()),
        }
    }

    /// Its name, as it stands over the column.
    pub(crate) fn name(&self) -> &str {
        match self {
            Self::Level => "level",
            Self::Source => "source",
            Self::Logger => "logger",
            Self::Id => "id",
            Self::Message => "message",
            Self::Field(path) => path,
        }
    }
}

/// The field of a dotted path.
pub(crate) fn field_at<'s>(shown: &'s Shown, path: &str) -> Option<&'s CleanField> {
    results::field_at(&shown.fields, path)
}

/// The text of a value, where it is a single one.
pub(crate) fn value_text(value: &CleanValue) -> Option<String> {
    match value {
        CleanValue::Text(text) | CleanValue::Number(text) => Some(text.as_str().to_owned()),
        CleanValue::List(_) | CleanValue::Map(_) => None,
        word => Some(word.word().as_str().to_owned()),
    }
}

/// The text of a field, where it has a single one.
pub(crate) fn field_text(shown: &Shown, path: &str) -> Option<String> {
    value_text(&field_at(shown, path)?.value)
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn columns_come_go_move_and_grow() {
        let mut columns = Columns::default();
        assert!(columns.toggle_field("seats"));
        assert_eq!(*columns.chosen(), Column::Field("seats".into()));
        assert!(columns.resize(6, 14) && columns.shift(-1) && columns.shift(-9));
        assert!(!columns.shift(-1), "further left there is nothing");
        let names: Vec<&Column> = columns.all().iter().map(|placed| &placed.column).collect();
        let seats = Column::Field("seats".into());
        assert_eq!(names, [&seats, &Column::Source, &Column::Level, &Column::Id, &Column::Message]);
        assert_eq!(columns.all()[0].width, Some(20));
        assert!(columns.resize(-99, 20));
        assert_eq!(columns.all()[0].width, Some(3));
        columns.choose(99);
        assert!(!columns.drop_chosen() && !columns.shift(-1) && !columns.resize(1, 9));
        columns.choose(-99);
        assert!(columns.drop_chosen());
        assert_eq!(columns.all().len(), 4);
        assert!(columns.toggle_field("a") && !columns.toggle_field("a"));
        assert_eq!(*columns.chosen(), Column::Message);
    }

    #[test]
    fn columns_are_written_and_read_again() {
        assert_eq!(
            Columns::usual(Some(9)).written(),
            [""; 0],
            "what nobody has changed is not kept"
        );
        let mut columns = Columns::usual(Some(9));
        columns.toggle_field("user.id");
        columns.toggle_field("level");
        columns.resize(2, 10);
        let written = columns.written();
        assert_eq!(
            written,
            ["level", "source", "logger:9", "id", "user.id", ".level:12", "message"]
        );
        assert_eq!(Columns::read(&written).all(), columns.all());
        let texts = ["took:9999", "line", "message", "a:b:7"].map(str::to_owned);
        assert_eq!(Columns::read(&texts).written(), [".took:60", "a:b:7", "message"]);
    }
}
