//! The columns of the list of entries: which there are, in which order, how wide, and which is chosen.

use cribrum_core::{engine::Shown, veil::CleanField};

/// What a column shows.
#[derive(Clone, Debug, PartialEq, Eq)]
pub(crate) enum Column {
    Level,
    Source,
    Id,
    /// A field by its dotted path.
    Field(String),
    /// The message, and what else there is room for.
    Message,
}

/// A column and its width, where a person has set one.
#[derive(Clone, Debug, PartialEq, Eq)]
pub(crate) struct Placed {
    pub(crate) column: Column,
    pub(crate) width: Option<u16>,
}

/// All columns behind time and gap, the message last, and the one that keys act on.
#[derive(Clone, Debug)]
pub(crate) struct Columns {
    all: Vec<Placed>,
    chosen: usize,
}

impl Default for Columns {
    fn default() -> Self {
        let columns = [Column::Level, Column::Source, Column::Id, Column::Message];
        let all = columns.map(|column| Placed { column, width: None });
        Self { chosen: all.len() - 1, all: all.into() }
    }
}

/// Widths that a column can be given.
const WIDTHS: std::ops::RangeInclusive<u16> = 3..=60;
/// The width of a field's column at first.
const FIELD: u16 = 14;

impl Columns {
    pub(crate) fn all(&self) -> &[Placed] {
        &self.all
    }

    pub(crate) fn chosen(&self) -> &Column {
        &self.all[self.chosen].column
    }

    /// Chooses the column to the left or to the right.
    pub(crate) fn choose(&mut self, by: isize) {
        self.chosen = self.chosen.saturating_add_signed(by).min(self.all.len() - 1);
    }

    /// Adds the column of a field before the message, or takes it away. Says whether it is there now.
    pub(crate) fn toggle_field(&mut self, path: &str) -> bool {
        let same = |placed: &Placed| placed.column == Column::Field(path.to_owned());
        match self.all.iter().position(same) {
            Some(at) => {
                self.all.remove(at);
                self.chosen = self.chosen.min(self.all.len() - 1);
                false
            }
            None => {
                let column = Column::Field(path.to_owned());
                self.all.insert(self.all.len() - 1, Placed { column, width: Some(FIELD) });
                self.chosen = self.all.len() - 2;
                true
            }
        }
    }

    /// Takes the chosen column away; the message stays.
    pub(crate) fn drop_chosen(&mut self) -> bool {
        let is = *self.chosen() != Column::Message;
        if is {
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
        self.all.swap(self.chosen, to);
        self.chosen = to;
        true
    }

    /// Makes the chosen column wider or narrower; `now` is how wide it is drawn.
    pub(crate) fn resize(&mut self, by: i16, now: u16) -> bool {
        let placed = &mut self.all[self.chosen];
        let width = now.saturating_add_signed(by).clamp(*WIDTHS.start(), *WIDTHS.end());
        let can = matches!(placed.column, Column::Source | Column::Field(_));
        if can {
            placed.width = Some(width);
        }
        can
    }
}

/// The field of a dotted path.
pub(crate) fn field_at<'s>(shown: &'s Shown, path: &str) -> Option<&'s CleanField> {
    fn within<'s>(fields: &'s [CleanField], path: &str) -> Option<&'s CleanField> {
        fields.iter().find_map(|field| {
            let name = field.name.as_str();
            if name == path {
                return Some(field);
            }
            let rest = path.strip_prefix(name)?.strip_prefix('.')?;
            match &field.value {
                cribrum_core::veil::CleanValue::Map(inner) => within(inner, rest),
                _ => None,
            }
        })
    }
    within(&shown.fields, path)
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
}
