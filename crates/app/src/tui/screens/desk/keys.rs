//! The keys of the desk.

use super::state::{
    Desk,
    Focus::{self, Entries, Funnel, Inspector, Rail, Text},
};
use crate::tui::{
    keys::{DELETE, ENTER, Key, LEFT, RIGHT, TAB},
    screen::{
        Binding,
        Group::{Closer, Following, Moving, Saving, Sieve, Time},
    },
};

type Own = Binding<Desk, Focus>;

pub(super) static KEYS: &[Own] = &[
    Own::new(
        Moving,
        &[TAB],
        "Tab",
        "to the next region: entries, inspector, funnel, rail",
        Desk::next_region,
    ),
    Own::new(
        Moving,
        &[LEFT, Key::Char('h')],
        "← →",
        "choose the column that = and - act on",
        |_, cx| cx.shared.columns.choose(-1),
    )
    .within(&[Entries]),
    Own::new(
        Moving,
        &[RIGHT, Key::Char('l')],
        "← →",
        "choose the column that = and - act on",
        |_, cx| cx.shared.columns.choose(1),
    )
    .within(&[Entries]),
    Own::new(
        Closer,
        &[Key::Char('/')],
        "/",
        "find words, without holding anything back",
        Desk::ask_words,
    )
    .footer("find"),
    Own::new(
        Closer,
        &[Key::Char('n')],
        "n N",
        "to the next entry that find has found, the one before",
        |desk, cx| {
            desk.find_next(true, cx);
        },
    ),
    Own::new(
        Closer,
        &[Key::Char('N')],
        "n N",
        "to the next entry that find has found, the one before",
        |desk, cx| {
            desk.find_next(false, cx);
        },
    ),
    Own::new(Sieve, &[Key::Char('=')], "=", "keep only this value", |desk, cx| {
        desk.keep_value(true, cx);
    })
    .within(&[Entries, Inspector])
    .footer("keep only"),
    Own::new(Sieve, &[Key::Char('-')], "-", "hold this value back", |desk, cx| {
        desk.keep_value(false, cx);
    })
    .within(&[Entries, Inspector])
    .footer("drop"),
    Own::new(Sieve, &[Key::Char('o')], "o", "what else this value can become", Desk::open_values)
        .within(&[Entries, Inspector])
        .footer("more"),
    Own::new(
        Time,
        &[Key::Char('a')],
        "a",
        "around this moment, the other meshes waiting; again: more",
        Desk::around,
    )
    .within(&[Entries, Inspector])
    .footer("around"),
    Own::new(Sieve, &[Key::Char('z')], "z", "quieten this logger below a level", Desk::quieten)
        .within(&[Entries, Inspector]),
    Own::new(
        Following,
        &[Key::Char('w')],
        "w",
        "sweep: show only what arrives from now on",
        Desk::sweep,
    ),
    Own::new(Sieve, &[ENTER, Key::Char('e')], "⏎", "in the funnel: edit the mesh", Desk::edit_mesh)
        .within(&[Funnel])
        .footer("edit"),
    Own::new(Sieve, &[Key::Char('!')], "!", "in the funnel: negate the mesh", Desk::negate_mesh)
        .within(&[Funnel])
        .footer("negate"),
    Own::new(
        Sieve,
        &[Key::Char('-'), DELETE],
        "-",
        "in the funnel: drop the mesh",
        Desk::drop_mesh,
    )
    .within(&[Funnel])
    .footer("drop"),
    Own::new(
        Sieve,
        &[Key::Char('[')],
        "[ ]",
        "in the funnel: move the mesh up, down",
        |desk, cx| {
            desk.move_mesh(false, cx);
        },
    )
    .within(&[Funnel])
    .footer("move"),
    Own::new(
        Sieve,
        &[Key::Char(']')],
        "[ ]",
        "in the funnel: move the mesh up, down",
        |desk, cx| {
            desk.move_mesh(true, cx);
        },
    )
    .within(&[Funnel]),
    Own::new(
        Sieve,
        &[Key::Char('L')],
        "L",
        "only the latest run of each program, or all again",
        Desk::toggle_runs,
    ),
    Own::new(
        Moving,
        &[Key::Char('p')],
        "p P",
        "to where a program starts next, started before",
        |desk, cx| {
            desk.go_to_run(true, cx);
        },
    )
    .within(&[Entries]),
    Own::new(
        Moving,
        &[Key::Char('P')],
        "p P",
        "to where a program starts next, started before",
        |desk, cx| {
            desk.go_to_run(false, cx);
        },
    )
    .within(&[Entries]),
    Own::new(
        Moving,
        &[Key::Char('J')],
        "J",
        "from a request to its response, and back",
        Desk::go_to_other_half,
    )
    .within(&[Entries, Inspector, Text]),
    Own::new(Closer, &[ENTER], "⏎", "open the entry in the inspector", Desk::open_entry)
        .within(&[Entries])
        .footer("open"),
    Own::new(
        Closer,
        &[ENTER],
        "⏎",
        "in the inspector: open or close the part; a value: as written",
        Desk::toggle_part,
    )
    .within(&[Inspector]),
    Own::new(
        Closer,
        &[Key::Char('f')],
        "f",
        "the whole entry as written, and back",
        Desk::toggle_raw,
    )
    .within(&[Inspector, Text])
    .leading()
    .footer("as written"),
    Own::new(
        Closer,
        &[LEFT, Key::Char('h')],
        "← →",
        "in the inspector: close the part, open it",
        |desk, _| {
            if let Some(inspector) = &mut desk.inspector {
                inspector.close();
            }
        },
    )
    .within(&[Inspector]),
    Own::new(
        Closer,
        &[RIGHT, Key::Char('l')],
        "← →",
        "in the inspector: close the part, open it",
        |desk, _| {
            if let Some(inspector) = &mut desk.inspector {
                inspector.open();
            }
        },
    )
    .within(&[Inspector]),
    Own::new(
        Closer,
        &[Key::Char('[')],
        "[ ]",
        "JSON in the text: fewer levels, more",
        |desk, cx| {
            desk.open_levels(false, cx);
        },
    )
    .within(&[Inspector, Text]),
    Own::new(
        Closer,
        &[Key::Char(']')],
        "[ ]",
        "JSON in the text: fewer levels, more",
        |desk, cx| {
            desk.open_levels(true, cx);
        },
    )
    .within(&[Inspector, Text]),
    Own::new(
        Closer,
        &[Key::Char(')'), Key::Ctrl('n')],
        "( )",
        "in the inspector: the entry before, the next",
        |desk, cx| {
            desk.next_entry(1, cx);
        },
    )
    .within(&[Inspector, Text])
    .leading()
    .footer("entry"),
    Own::new(
        Closer,
        &[Key::Char('('), Key::Ctrl('p')],
        "( )",
        "in the inspector: the entry before, the next",
        |desk, cx| {
            desk.next_entry(-1, cx);
        },
    )
    .within(&[Inspector, Text]),
    Own::new(
        Closer,
        &[Key::Char('|')],
        "|",
        "the inspector beside the rows, or under them",
        Desk::place_beside,
    )
    .within(&[Entries, Inspector, Text]),
    Own::new(
        Closer,
        &[Key::Char('e')],
        "e",
        "open the code that the entry, frame or value names",
        Desk::open_code,
    )
    .within(&[Entries, Inspector, Text])
    .footer("code"),
    Own::new(
        Closer,
        &[Key::Char('R')],
        "R",
        "show this entry without the veil for ten seconds",
        Desk::reveal,
    )
    .within(&[Entries, Inspector, Text]),
    Own::new(
        Saving,
        &[Key::Char('Y')],
        "Y",
        "copy the value alone, secrets hidden",
        Desk::copy_value,
    )
    .within(&[Entries, Inspector, Text]),
    Own::new(
        Time,
        &[ENTER],
        "⏎",
        "on the rail: begin a window here, and end it",
        Desk::draw_window,
    )
    .within(&[Rail])
    .footer("draw a window"),
    Own::new(
        Time,
        &[Key::Char('['), LEFT],
        "[ ]",
        "on the rail: the window earlier, later",
        |desk, cx| {
            desk.shift_window(-0.5, 0.0, cx);
        },
    )
    .within(&[Rail])
    .footer("move it"),
    Own::new(
        Time,
        &[Key::Char(']'), RIGHT],
        "[ ]",
        "on the rail: the window earlier, later",
        |desk, cx| {
            desk.shift_window(0.5, 0.0, cx);
        },
    )
    .within(&[Rail]),
    Own::new(
        Time,
        &[Key::Char('{')],
        "{ }",
        "on the rail: the window narrower, wider",
        |desk, cx| {
            desk.shift_window(0.0, -0.25, cx);
        },
    )
    .within(&[Rail])
    .footer("narrow, widen"),
    Own::new(
        Time,
        &[Key::Char('}')],
        "{ }",
        "on the rail: the window narrower, wider",
        |desk, cx| {
            desk.shift_window(0.0, 0.5, cx);
        },
    )
    .within(&[Rail]),
    Own::new(
        Time,
        &[Key::Char('+'), Key::Char('=')],
        "+ -",
        "on the rail: less time, and more",
        |desk, cx| {
            desk.zoom(true, cx);
        },
    )
    .within(&[Rail])
    .footer("zoom"),
    Own::new(Time, &[Key::Char('-')], "+ -", "on the rail: less time, and more", |desk, cx| {
        desk.zoom(false, cx);
    })
    .within(&[Rail]),
    Own::new(
        Time,
        &[DELETE, Key::Code(ratatui::crossterm::event::KeyCode::Backspace)],
        "Del",
        "on the rail: drop the window",
        Desk::drop_window,
    )
    .within(&[Rail])
    .footer("drop it"),
    Own::new(
        Closer,
        &[Key::Char('+')],
        "+",
        "in the inspector: this field as a column, and away with it",
        Desk::column_here,
    )
    .within(&[Inspector])
    .footer("column"),
    Own::new(
        Closer,
        &[Key::Char('+')],
        "+",
        "add a column: any field by its name",
        Desk::ask_column,
    )
    .within(&[Entries]),
    Own::new(
        Closer,
        &[Key::Char(',')],
        ",",
        "order by the chosen column: largest, smallest, by time",
        Desk::order_by_column,
    )
    .within(&[Entries]),
    Own::new(Closer, &[Key::Char('[')], "[ ]", "move the chosen column", |desk, cx| {
        desk.shift_column(-1, cx);
    })
    .within(&[Entries]),
    Own::new(Closer, &[Key::Char(']')], "[ ]", "move the chosen column", |desk, cx| {
        desk.shift_column(1, cx);
    })
    .within(&[Entries]),
    Own::new(Closer, &[Key::Char('{')], "{ }", "the chosen column narrower, wider", |desk, cx| {
        desk.size_column(-2, cx);
    })
    .within(&[Entries]),
    Own::new(Closer, &[Key::Char('}')], "{ }", "the chosen column narrower, wider", |desk, cx| {
        desk.size_column(2, cx);
    })
    .within(&[Entries]),
    Own::new(Closer, &[DELETE], "Del", "drop the chosen column", Desk::drop_column)
        .within(&[Entries]),
    Own::new(
        Following,
        &[Key::Char('F')],
        "F",
        "follow the end, or stop following it",
        |desk, _| {
            desk.list.follow = !desk.list.follow;
        },
    ),
    Own::new(Saving, &[Key::Char('y')], "y", "copy the entry, secrets hidden", Desk::copy_entry)
        .within(&[Entries, Inspector, Text]),
];
