//! Keys as data: what they do, the footer and the help all come from one table.

use ratatui::crossterm::event::{KeyCode, KeyEvent, KeyModifiers};

/// Where a key is pressed.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub(crate) enum Mode {
    /// The desk with the entries, the funnel or the inspector in focus.
    Entries,
    Funnel,
    Inspector,
    Rail,
    Trail,
    Plate,
    Intake,
    Help,
}

/// What a key does.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub(crate) enum Action {
    Quit,
    Back,
    Help,
    Up,
    Down,
    PageUp,
    PageDown,
    Top,
    Bottom,
    Left,
    Right,
    Open,
    NextRegion,
    Sift,
    Find,
    FindNext,
    FindBefore,
    LowerFloor,
    RaiseFloor,
    PassUnlevelled,
    Window,
    KeepOnly,
    Drop,
    Toggle(u8),
    Undo,
    Redo,
    Trail,
    Plate,
    Intake,
    Follow,
    Copy,
    Mouse,
    EditMesh,
    NegateMesh,
    DropMesh,
    MeshUp,
    MeshDown,
    Save,
    Teach,
    Clock,
    Values,
    Around,
    Quieten,
    Sweep,
    Mark,
    Marks,
    Watch,
    Sieves,
    JumpTo,
    Zone,
    Column,
    ColumnLeft,
    ColumnRight,
    Wider,
    Narrower,
    DropColumn,
    DrawWindow,
    Earlier,
    Later,
    WidenWindow,
    NarrowWindow,
    ZoomIn,
    ZoomOut,
    DropWindow,
}

/// A row of the table.
pub(crate) struct Binding {
    modes: &'static [Mode],
    keys: &'static [Key],
    /// The keys as the help writes them.
    pub(crate) shown: &'static str,
    /// What they do, for the help.
    pub(crate) help: &'static str,
    /// A word for the footer, if they stand there.
    pub(crate) footer: Option<&'static str>,
    action: Action,
}

#[derive(Clone, Copy, Debug, PartialEq, Eq)]
enum Key {
    Char(char),
    Ctrl(char),
    Code(KeyCode),
}

use Action as A;
use Key::{Char, Code, Ctrl};
use Mode::{Entries, Funnel, Help, Inspector, Intake, Plate, Rail, Trail};

const DESK: &[Mode] = &[Entries, Funnel, Inspector, Rail];
const MOVES: &[Mode] = &[Entries, Funnel, Inspector, Rail, Trail, Intake, Help];
const ALL: &[Mode] = &[Entries, Funnel, Inspector, Rail, Trail, Plate, Intake, Help];
const VALUES: &[Mode] = &[Entries, Inspector];

const fn row(
    modes: &'static [Mode],
    keys: &'static [Key],
    shown: &'static str,
    help: &'static str,
    footer: Option<&'static str>,
    action: Action,
) -> Binding {
    Binding { modes, keys, shown, help, footer, action }
}

/// The table, in the order of the help.
pub(crate) static BINDINGS: &[Binding] = &[
    row(DESK, &[Char('s')], "s", "sift: add a mesh, such as status >= 500", Some("sift"), A::Sift),
    row(
        DESK,
        &[Char('/')],
        "/",
        "find words, without holding anything back",
        Some("find"),
        A::Find,
    ),
    row(DESK, &[Char('n')], "n", "next that find has found", None, A::FindNext),
    row(DESK, &[Char('N')], "N", "the one before", None, A::FindBefore),
    row(DESK, &[Char('<')], "<", "lower the level floor", None, A::LowerFloor),
    row(DESK, &[Char('>')], ">", "raise the level floor", Some("level"), A::RaiseFloor),
    row(
        DESK,
        &[Char('.')],
        ".",
        "let entries without a level pass the floor",
        None,
        A::PassUnlevelled,
    ),
    row(DESK, &[Char('T')], "T", "time window, such as 06:38..06:44", Some("window"), A::Window),
    row(VALUES, &[Char('=')], "=", "keep only this value", Some("keep only"), A::KeepOnly),
    row(VALUES, &[Char('-')], "-", "hold this value back", Some("drop"), A::Drop),
    row(VALUES, &[Char('o')], "o", "what else this value can become", Some("more"), A::Values),
    row(
        VALUES,
        &[Char('a')],
        "a",
        "around this moment, the other meshes waiting; again: more",
        Some("around"),
        A::Around,
    ),
    row(VALUES, &[Char('z')], "z", "quieten this logger below a level", None, A::Quieten),
    row(DESK, &[Char('w')], "w", "sweep: show only what arrives from now on", None, A::Sweep),
    row(DESK, &[Char('u')], "u", "undo the last change of the sieve", Some("undo"), A::Undo),
    row(DESK, &[Char('U'), Ctrl('r')], "U", "take it again", None, A::Redo),
    row(
        &[Funnel],
        &[Code(KeyCode::Enter), Char('e')],
        "⏎",
        "funnel: edit the mesh",
        Some("edit"),
        A::EditMesh,
    ),
    row(&[Funnel], &[Char('!')], "!", "funnel: turn the mesh round", Some("negate"), A::NegateMesh),
    row(
        &[Funnel],
        &[Char('-'), Code(KeyCode::Delete)],
        "-",
        "funnel: drop the mesh",
        Some("drop"),
        A::DropMesh,
    ),
    row(&[Funnel], &[Char('[')], "[", "funnel: move the mesh up", None, A::MeshUp),
    row(&[Funnel], &[Char(']')], "]", "funnel: move the mesh down", Some("move"), A::MeshDown),
    row(
        &[Entries],
        &[Code(KeyCode::Enter)],
        "⏎",
        "entries: open the entry in the inspector",
        Some("open"),
        A::Open,
    ),
    row(
        &[Inspector],
        &[Code(KeyCode::Enter)],
        "⏎",
        "inspector: the whole entry as written, and back",
        Some("as written"),
        A::Open,
    ),
    row(
        &[Trail],
        &[Code(KeyCode::Enter)],
        "⏎",
        "trail: open the step on the desk",
        Some("open on the desk"),
        A::Open,
    ),
    row(DESK, &[Char('S')], "S", "kept sieves: take one, keep this one", None, A::Sieves),
    row(DESK, &[Char('W')], "W", "watch: be told when an entry arrives", None, A::Watch),
    row(DESK, &[Char('m')], "m", "set a mark with a name", None, A::Mark),
    row(DESK, &[Char('\'')], "'", "the marks: go to one, drop one", None, A::Marks),
    row(DESK, &[Char('@')], "@", "go to a time, such as 06:41", None, A::JumpTo),
    row(DESK, &[Char('Z')], "Z", "times in UTC, in the local zone, as written", None, A::Zone),
    row(
        &[Rail],
        &[Code(KeyCode::Enter)],
        "⏎",
        "rail: begin a window here, and end it",
        Some("draw a window"),
        A::DrawWindow,
    ),
    row(
        &[Rail],
        &[Char('['), Code(KeyCode::Left)],
        "[ ]",
        "rail: the window earlier, later",
        Some("move it"),
        A::Earlier,
    ),
    row(
        &[Rail],
        &[Char(']'), Code(KeyCode::Right)],
        "[ ]",
        "rail: the window earlier, later",
        None,
        A::Later,
    ),
    row(
        &[Rail],
        &[Char('{')],
        "{ }",
        "rail: the window narrower, wider",
        Some("narrow, widen"),
        A::NarrowWindow,
    ),
    row(&[Rail], &[Char('}')], "{ }", "rail: the window narrower, wider", None, A::WidenWindow),
    row(
        &[Rail],
        &[Char('+'), Char('=')],
        "+ -",
        "rail: less time, and more",
        Some("zoom"),
        A::ZoomIn,
    ),
    row(&[Rail], &[Char('-')], "+ -", "rail: less time, and more", None, A::ZoomOut),
    row(
        &[Rail],
        &[Code(KeyCode::Delete), Code(KeyCode::Backspace)],
        "Del",
        "rail: drop the window",
        Some("drop it"),
        A::DropWindow,
    ),
    row(
        &[Inspector],
        &[Char('+')],
        "+",
        "inspector: this field as a column, and away with it",
        Some("column"),
        A::Column,
    ),
    row(&[Entries], &[Char('[')], "[ ]", "entries: move the chosen column", None, A::ColumnLeft),
    row(&[Entries], &[Char(']')], "[ ]", "entries: move the chosen column", None, A::ColumnRight),
    row(
        &[Entries],
        &[Char('{')],
        "{ }",
        "entries: the chosen column narrower, wider",
        None,
        A::Narrower,
    ),
    row(
        &[Entries],
        &[Char('}')],
        "{ }",
        "entries: the chosen column narrower, wider",
        None,
        A::Wider,
    ),
    row(
        &[Entries],
        &[Code(KeyCode::Delete)],
        "Del",
        "entries: drop the chosen column",
        None,
        A::DropColumn,
    ),
    row(
        &[Entries, Inspector],
        &[Char('t')],
        "t",
        "trail: one request through all sources",
        Some("trail"),
        A::Trail,
    ),
    row(
        DESK,
        &[Char('d')],
        "d",
        "plate: draw a chart, save it as SVG or PDF",
        Some("plate"),
        A::Plate,
    ),
    row(DESK, &[Char('i')], "i", "intake: how each source is read", Some("intake"), A::Intake),
    row(
        &[Intake],
        &[Char('e')],
        "e",
        "intake: teach a layout over the lines shown",
        Some("teach a layout"),
        A::Teach,
    ),
    row(
        &[Intake],
        &[Char('c')],
        "c",
        "intake: set the clock of this source",
        Some("clock"),
        A::Clock,
    ),
    row(
        &[Intake],
        &[Code(KeyCode::Enter)],
        "⏎",
        "intake: the entries that are not understood",
        Some("not understood"),
        A::Open,
    ),
    row(&[Entries], &[Char('F')], "F", "follow the end", None, A::Follow),
    row(
        &[Entries, Inspector, Trail],
        &[Char('y')],
        "y",
        "copy the entry, secrets hidden",
        None,
        A::Copy,
    ),
    row(
        &[Plate],
        &[Char('x'), Code(KeyCode::Enter)],
        "x",
        "plate: save it",
        Some("save SVG or PDF"),
        A::Save,
    ),
    row(MOVES, &[Char('k'), Code(KeyCode::Up)], "↑ k", "up", None, A::Up),
    row(MOVES, &[Char('j'), Code(KeyCode::Down)], "↓ j", "down", None, A::Down),
    row(MOVES, &[Code(KeyCode::PageUp), Ctrl('b')], "PgUp", "a page up", None, A::PageUp),
    row(
        MOVES,
        &[Code(KeyCode::PageDown), Char(' '), Ctrl('f')],
        "PgDn",
        "a page down",
        None,
        A::PageDown,
    ),
    row(MOVES, &[Code(KeyCode::Home), Char('g')], "Home", "the first", None, A::Top),
    row(MOVES, &[Code(KeyCode::End), Char('G')], "End", "the last", None, A::Bottom),
    row(
        &[Entries],
        &[Code(KeyCode::Left), Char('h')],
        "←",
        "choose the column that = and - act on",
        None,
        A::Left,
    ),
    row(
        &[Entries],
        &[Code(KeyCode::Right), Char('l')],
        "→",
        "the column to the right",
        None,
        A::Right,
    ),
    row(
        DESK,
        &[Code(KeyCode::Tab)],
        "Tab",
        "to the next region: entries, inspector, funnel, rail",
        None,
        A::NextRegion,
    ),
    row(
        DESK,
        &[Char('M')],
        "M",
        "give the mouse to the terminal, and take it back",
        None,
        A::Mouse,
    ),
    row(ALL, &[Code(KeyCode::Esc)], "Esc", "back", None, A::Back),
    row(ALL, &[Char('?')], "?", "all keys", None, A::Help),
    row(ALL, &[Char('q')], "q", "back, and from the desk: quit", None, A::Quit),
];

/// What a key does in a mode.
pub(crate) fn resolve(mode: Mode, event: KeyEvent) -> Option<Action> {
    let key = match event.code {
        KeyCode::Char(c) if event.modifiers.contains(KeyModifiers::CONTROL) => Ctrl(c),
        KeyCode::Char(c) => Char(c),
        code => Code(code),
    };
    if key == Ctrl('c') {
        return Some(A::Quit);
    }
    if let (true, Char(digit @ '1'..='9')) = (DESK.contains(&mode), key) {
        return digit.to_digit(10).and_then(|d| u8::try_from(d).ok()).map(A::Toggle);
    }
    BINDINGS
        .iter()
        .find(|binding| binding.modes.contains(&mode) && binding.keys.contains(&key))
        .map(|binding| binding.action)
}

/// The keys that the footer of a mode names, in their order.
pub(crate) fn footer(mode: Mode) -> impl Iterator<Item = (&'static str, &'static str)> {
    BINDINGS
        .iter()
        .filter(move |binding| binding.modes.contains(&mode))
        .filter_map(|binding| binding.footer.map(|word| (binding.shown, word)))
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn no_key_means_two_things_in_a_mode() {
        for mode in ALL {
            let mut seen: Vec<Key> = Vec::new();
            for binding in BINDINGS.iter().filter(|binding| binding.modes.contains(mode)) {
                for key in binding.keys {
                    assert!(!seen.contains(key), "{key:?} twice in {mode:?}");
                    seen.push(*key);
                }
            }
        }
    }

    #[test]
    fn keys_do_what_their_mode_says() {
        let press = |c| KeyEvent::new(KeyCode::Char(c), KeyModifiers::NONE);
        for (mode, key, want) in [
            (Mode::Entries, '-', Some(Action::Drop)),
            (Mode::Funnel, '-', Some(Action::DropMesh)),
            (Mode::Trail, 's', None),
            (Mode::Inspector, '3', Some(Action::Toggle(3))),
            (Mode::Plate, 'x', Some(Action::Save)),
        ] {
            assert_eq!(resolve(mode, press(key)), want, "{key} in {mode:?}");
        }
    }
}
