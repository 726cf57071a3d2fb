//! The inspector: opening it, going through its parts and its text, and to the code that it names.

use std::path::{Path, PathBuf};

use cribrum_core::{
    EntryId,
    code::Place,
    engine::{Shown, Snapshot},
    veil::Clean,
};

use super::{
    inspector::{
        layout::Panes,
        state::{ALL_LEVELS, Inspector, View},
        value_room,
    },
    layout::Areas,
    state::{Desk, Focus},
};
use crate::{
    code::{self, Found},
    tui::{
        columns::{Column, field_text},
        context::{Choice, Context, List, Step},
        effect::Effect,
        shared::gone,
    },
};

impl Desk {
    /// Opens the entry under the cursor, or applies a remedy where nothing is left.
    pub(super) fn open_entry(&mut self, cx: &mut Context) {
        if self.remedies(&cx.shared) > 0 {
            self.apply_remedy(cx);
        } else if !cx.shared.snapshot.pan.is_empty() {
            self.inspector.get_or_insert_with(Inspector::empty);
            self.focus = Focus::Inspector;
        }
    }

    /// Opens or closes the group under the cursor; on a value, shows the entry as written.
    pub(super) fn toggle_part(&mut self, cx: &mut Context) {
        let toggled = self.inspector.as_mut().is_some_and(Inspector::toggle);
        if !toggled {
            self.toggle_raw(cx);
        }
    }

    /// Shows the whole entry as written, or its parts again.
    pub(super) fn toggle_raw(&mut self, _: &mut Context) {
        let Some(inspector) = &mut self.inspector else { return };
        inspector.raw = !inspector.raw;
        inspector.line = 0;
        self.focus = if inspector.raw { Focus::Text } else { Focus::Inspector };
    }

    /// Opens one level more of the JSON in the text, or one less.
    pub(super) fn open_levels(&mut self, more: bool, cx: &mut Context) {
        let Some(inspector) = &mut self.inspector else { return };
        let now = inspector.levels;
        inspector.levels = match (now, more) {
            (ALL_LEVELS, true) => ALL_LEVELS,
            // From all levels the first step shows the uppermost only.
            (ALL_LEVELS, false) => 1,
            (now, true) => {
                if now >= 5 {
                    ALL_LEVELS
                } else {
                    now + 1
                }
            }
            (now, false) => now.saturating_sub(1),
        };
        cx.tell(match inspector.levels {
            ALL_LEVELS => "all levels are open".to_owned(),
            0 => "no level is open".to_owned(),
            levels => format!("{} open", crate::present::counted(levels, "level")),
        });
    }

    pub(super) fn place_beside(&mut self, cx: &mut Context) {
        self.beside = !self.beside;
        if self.beside && self.area.width < 120 {
            cx.tell("beside the rows from 120 columns on; this terminal has fewer");
        }
    }

    /// Goes to the next entry without closing the inspector, or to the one before.
    pub(super) fn next_entry(&mut self, by: isize, cx: &mut Context) {
        self.move_cursor(Step::Rows(by), cx);
    }

    /// Moves the cursor of the list.
    pub(super) fn move_cursor(&mut self, step: Step, cx: &mut Context) {
        let from = self.row(&cx.shared);
        let to = step.from(from, self.rows(&cx.shared).len(), self.list.height);
        if to < from {
            self.list.follow = false;
        }
        self.go(to, &cx.shared);
    }

    /// Asks for the entry under the cursor, if the inspector shows another; makes its text.
    pub(super) fn inspect(&mut self, cx: &mut Context) {
        let selected = self.entry(&cx.shared);
        let area = Areas::of(self, &cx.shared).inspector;
        let (Some(inspector), Some(id)) = (&mut self.inspector, selected) else { return };
        if inspector.id != Some(id) {
            inspector.id = Some(id);
            read(id, cx);
        }
        let panes = Panes::of(inspector, area);
        let room = value_room(inspector, panes.tree);
        inspector.make_text(usize::from(panes.text.width), room, &cx.shared.settings.code.own);
        if self.focus == Focus::Text && inspector.view.is_ok() && inspector.text().is_empty() {
            self.focus = Focus::Inspector;
        }
    }

    /// Copies the value under the cursor, or the line of the text.
    pub(super) fn copy_value(&mut self, cx: &mut Context) {
        let text = match (self.focus, &self.inspector) {
            (Focus::Text, Some(inspector)) => {
                inspector.text().get(inspector.line).map(|line| line.text.trim().to_owned())
            }
            (Focus::Inspector, Some(inspector)) => {
                inspector.row().filter(|row| row.parts.is_none()).map(|row| row.value.to_string())
            }
            _ => self.list.selected.and_then(|id| {
                let label = cx.shared.label_of(id).to_owned();
                let column = cx.shared.columns.chosen().clone();
                cell_text(cx.shared.selected(id)?, &column, label)
            }),
        };
        let of = match &self.inspector {
            Some(inspector) if matches!(self.focus, Focus::Inspector | Focus::Text) => inspector.id,
            _ => self.list.selected,
        };
        match (text.filter(|text| !text.is_empty()), of) {
            (Some(text), Some(id)) => cx.copy_text(id, text),
            _ => cx.tell("there is no single value here"),
        }
    }

    /// Opens the place in code that the line or the value under the cursor names, or the one that the entry is from.
    pub(super) fn open_code(&mut self, cx: &mut Context) {
        let under = match (self.focus, &self.inspector) {
            (Focus::Text, Some(inspector)) => {
                inspector.text().get(inspector.line).and_then(|line| line.place.clone())
            }
            (Focus::Inspector, Some(inspector)) => {
                let row = inspector.row().filter(|row| row.id_kind.is_none());
                row.and_then(|row| Place::of_value(row.value.as_str()).filter(|p| p.line.is_some()))
            }
            _ => None,
        };
        if let Some(place) = under {
            return look_for(place, cx);
        }
        let Some(id) = self.entry(&cx.shared) else { return };
        cx.look(
            "place",
            true,
            move |snapshot, _| Some(snapshot.inspect(id).map_err(|error| gone(&error))),
            |_: &mut Self, cx, shown| match shown {
                Err(error) => cx.shared.warn(error),
                Ok(shown) => match place_of(&shown, &cx.shared.settings.code.own) {
                    Some(place) => look_for(place, cx),
                    None => cx.tell(
                        "this entry names no place in code: no frame, caller, file or logger",
                    ),
                },
            },
        );
    }
}

/// Reads an entry for the inspector.
fn read(id: EntryId, cx: &mut Context) {
    cx.look(
        "inspector",
        true,
        move |snapshot: &Snapshot, _| {
            let view = View::read(snapshot, id).map_err(|error| gone(&error));
            // A source that can't be read is told by the inspector itself.
            Some((view, snapshot.id_expr(id, None).ok().flatten()))
        },
        move |desk: &mut Desk, cx, (view, expr)| {
            if let Some(inspector) = desk.inspector.as_mut().filter(|i| i.id == Some(id)) {
                inspector.show(view);
                cx.set_lens(cribrum_core::engine::Lens::Id, expr);
            }
        },
    );
}

/// The text of a column of an entry.
fn cell_text(shown: &Shown, column: &Column, label: String) -> Option<String> {
    match column {
        Column::Level => shown.level().map(|level| level.name().to_owned()),
        Column::Source => Some(label),
        Column::Logger => shown.logger.as_ref().map(ToString::to_string),
        Column::Id => shown.ids.first().map(|(_, id)| id.to_string()),
        Column::Message => Some(shown.message.to_string()),
        Column::Field(path) => field_text(shown, path),
    }
}

/// Names of fields that say where an entry was written.
const CALLERS: [&str; 9] = [
    "caller",
    "file",
    "filename",
    "source.file",
    "code.filepath",
    "code.file.path",
    "pathname",
    "src",
    "location",
];
/// Names of fields with the line in that file.
const LINES: [&str; 6] =
    ["line", "lineno", "line_number", "source.line", "code.lineno", "code.line.number"];

/// The place that an entry is from: the first frame of the program itself, a field that names its caller, its logger.
fn place_of(shown: &Shown, own: &[String]) -> Option<Place> {
    let body = shown.body.as_ref().map(Clean::as_str).unwrap_or_default();
    let frames = || body.lines().filter_map(Place::of_frame);
    let text = |name: &str| field_text(shown, name);
    let caller = || {
        let place = CALLERS.iter().find_map(|name| {
            let value = text(name)?;
            let file = || Place { file: Some(value.clone()), ..Place::default() };
            Place::of_value(&value).or_else(|| value.contains('.').then(file))
        })?;
        let line = place.line.or_else(|| LINES.iter().find_map(|name| text(name)?.parse().ok()));
        Some(Place { line, ..place })
    };
    let logger = || Place::of_value(shown.logger.as_ref()?.as_str());
    frames()
        .find(|place| place.is_own(own))
        .or_else(caller)
        .or_else(|| frames().next())
        .or_else(logger)
}

/// Looks for the file of a place, and opens it.
fn look_for(place: Place, cx: &mut Context) {
    let code = cx.shared.settings.code.clone();
    let wanted = place.clone();
    cx.look_for_all(
        "code",
        true,
        move |_, pass| {
            let here = std::env::current_dir().unwrap_or_else(|_| PathBuf::from("."));
            code::find(&wanted, &code, &here, pass)
        },
        move |cx, found| open(cx, &place, &found),
    );
}

/// Opens the file that was found; offers several.
fn open(cx: &mut Context, place: &Place, found: &Found) {
    match found.files.as_slice() {
        [] => {
            let name = place.file.as_ref().or(place.class.as_ref());
            let name = cx.shared.own_text(name.map(String::as_str).unwrap_or_default());
            let looked: Vec<String> =
                found.looked.iter().map(|path| path.display().to_string()).collect();
            let cut = if found.cut { ", as far as 50 000 folders go" } else { "" };
            cx.shared.warn(format!(
                "{name} is not below {}{cut}; roots under [code] in cribrum.toml says where else",
                looked.join(", ")
            ));
        }
        [file] => edit(cx, file, place.line),
        files => {
            let line = place.line;
            let rows = files.iter().map(|file| {
                let path = file.clone();
                let shown = cribrum_core::veil::harmless(&file.display().to_string()).into_owned();
                Choice::common(shown, move |cx| edit(cx, &path, line))
            });
            let rows = rows.collect();
            cx.choose(List {
                title: "files of this name",
                word: "open it",
                empty: "no file of this name",
                rows,
                keys: &[],
                named: None,
            });
        }
    }
}

fn edit(cx: &mut Context, file: &Path, line: Option<u32>) {
    let template = cx.shared.settings.code.editor.clone();
    let variable = |name: &str| std::env::var(name).ok();
    match code::command(template.as_deref(), variable, file, line) {
        Ok(editor) => cx.emit(Effect::Edit(editor)),
        Err(error) => cx.shared.warn(error),
    }
}
