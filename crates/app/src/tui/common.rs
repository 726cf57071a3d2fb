//! Keys that mean the same on all screens.

use cribrum_core::sieve::Sieve;
use ratatui::crossterm::event::KeyCode;

use super::{
    context::{Context, Request, Step},
    effect::Effect,
    keys::{ESC, Key},
    screen::{Binding, Group},
};

use Group::{Following, Moving, Program, Saving, Sieve as Sieving, Time};

type Common = Binding<()>;

/// Where the cursor moves.
pub(crate) static MOVES: &[Common] = &[
    Common::new(Moving, &[Key::Char('k'), Key::Code(KeyCode::Up)], "↑ k", "up", |(), cx| {
        cx.request(Request::Step(Step::Rows(-1)));
    }),
    Common::new(Moving, &[Key::Char('j'), Key::Code(KeyCode::Down)], "↓ j", "down", |(), cx| {
        cx.request(Request::Step(Step::Rows(1)));
    }),
    Common::new(
        Moving,
        &[Key::Code(KeyCode::PageUp), Key::Ctrl('b')],
        "PgUp",
        "a page up",
        |(), cx| cx.request(Request::Step(Step::Pages(-1))),
    ),
    Common::new(
        Moving,
        &[Key::Code(KeyCode::PageDown), Key::Char(' '), Key::Ctrl('f')],
        "PgDn",
        "a page down",
        |(), cx| cx.request(Request::Step(Step::Pages(1))),
    ),
    Common::new(
        Moving,
        &[Key::Code(KeyCode::Home), Key::Char('g')],
        "Home",
        "to the first",
        |(), cx| cx.request(Request::Step(Step::First)),
    ),
    Common::new(
        Moving,
        &[Key::Code(KeyCode::End), Key::Char('G')],
        "End",
        "to the last",
        |(), cx| cx.request(Request::Step(Step::Last)),
    ),
];

/// What changes the sieve, on screens that show what it leaves.
pub(crate) static SIFTING: &[Common] = &[
    Common::new(
        Sieving,
        &[Key::Char('s')],
        "s",
        "sift: add a mesh, such as status >= 500",
        |(), cx| cx.ask_mesh(),
    )
    .footer("sift"),
    Common::new(Sieving, &[Key::Char('<')], "<", "lower the level floor", |(), cx| {
        cx.alter(Sieve::lower_floor);
    }),
    Common::new(Sieving, &[Key::Char('>')], ">", "raise the level floor", |(), cx| {
        cx.alter(Sieve::raise_floor);
    })
    .footer("level"),
    Common::new(
        Sieving,
        &[Key::Char('.')],
        ".",
        "let entries without a level pass the floor, or not",
        |(), cx| cx.toggle_unlevelled(),
    ),
    Common::new(Sieving, &[Key::Char('u')], "u", "undo the last change of the sieve", |(), cx| {
        cx.undo();
    })
    .footer("undo"),
    Common::new(
        Sieving,
        &[Key::Char('U'), Key::Ctrl('r')],
        "U",
        "redo what was undone",
        |(), cx| cx.redo(),
    ),
    toggle::<1>(&[Key::Char('1')]),
    toggle::<2>(&[Key::Char('2')]),
    toggle::<3>(&[Key::Char('3')]),
    toggle::<4>(&[Key::Char('4')]),
    toggle::<5>(&[Key::Char('5')]),
    toggle::<6>(&[Key::Char('6')]),
    toggle::<7>(&[Key::Char('7')]),
    toggle::<8>(&[Key::Char('8')]),
    toggle::<9>(&[Key::Char('9')]),
    switch::<1>(&[Key::Code(KeyCode::F(1))]),
    switch::<2>(&[Key::Code(KeyCode::F(2))]),
    switch::<3>(&[Key::Code(KeyCode::F(3))]),
    switch::<4>(&[Key::Code(KeyCode::F(4))]),
    switch::<5>(&[Key::Code(KeyCode::F(5))]),
    switch::<6>(&[Key::Code(KeyCode::F(6))]),
    switch::<7>(&[Key::Code(KeyCode::F(7))]),
    switch::<8>(&[Key::Code(KeyCode::F(8))]),
    switch::<9>(&[Key::Code(KeyCode::F(9))]),
    Common::new(
        Sieving,
        &[Key::Char('S')],
        "S",
        "kept sieves: use one, keep one, choose those of the strip",
        |(), cx| cx.open_sieves(),
    ),
    Common::new(Time, &[Key::Char('T')], "T", "time window, such as 06:38..06:44", |(), cx| {
        cx.ask_window();
    })
    .footer("window"),
    Common::new(Time, &[Key::Char('@')], "@", "go to a time, such as 06:41", |(), cx| {
        cx.ask_jump();
    }),
    Common::new(Time, &[Key::Char('m')], "m", "set a mark with a name", |(), cx| cx.ask_mark()),
    Common::new(Time, &[Key::Char('\'')], "'", "the marks: go to one, drop one", |(), cx| {
        cx.open_marks();
    }),
    Common::new(
        Following,
        &[Key::Char('W')],
        "W",
        "watch: be told when an entry arrives",
        |(), cx| cx.open_watches(),
    ),
];

/// What every screen has.
pub(crate) static PROGRAM: &[Common] = &[
    Common::new(
        Time,
        &[Key::Char('Z')],
        "Z",
        "times in UTC, in the local zone, as written",
        |(), cx| next_zone(cx),
    ),
    Common::new(
        Saving,
        &[Key::Char('M')],
        "M",
        "give the mouse to the terminal, or take it back",
        |(), cx| toggle_mouse(cx),
    ),
    Common::new(Program, &[Key::Char(':')], ":", "find any action by words", |(), cx| {
        cx.request(Request::Actions);
    }),
    Common::new(Program, &[ESC], "Esc", "back: leave what was begun, or the screen", |(), cx| {
        cx.request(Request::Back);
    }),
    Common::new(
        Program,
        &[Key::Char('q'), Key::Ctrl('c')],
        "q",
        "close the screen; on the desk, end the program",
        |(), cx| cx.request(Request::Quit),
    ),
];

/// The key of a mesh.
const fn toggle<const N: usize>(keys: &'static [Key]) -> Common {
    let help = "switch the mesh of this number off, or on again";
    Common::new(Sieving, keys, "1 … 9", help, |(), cx| cx.toggle(N))
}

/// The key of a sieve in the strip.
const fn switch<const N: usize>(keys: &'static [Key]) -> Common {
    let help = "switch to the sieve of this number in the strip, and back";
    Common::new(Sieving, keys, "F1 … F9", help, |(), cx| cx.switch(N))
}

fn next_zone(cx: &mut Context) {
    use crate::present::Times;
    cx.shared.clock.next();
    let text = match cx.shared.clock.times {
        Times::Zone => format!("times in {}", cx.shared.clock.name()),
        Times::Written => "times as written; what is typed is meant in UTC".to_owned(),
    };
    cx.tell(text);
}

fn toggle_mouse(cx: &mut Context) {
    cx.shared.mouse = !cx.shared.mouse;
    let on = cx.shared.mouse;
    cx.tell(match on {
        true => "Cribrum takes the mouse again: click and wheel act here",
        false => "the terminal has the mouse: select text with it; M takes it back",
    });
    cx.emit(Effect::Mouse(on));
}
