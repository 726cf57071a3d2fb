//! All screens: at every size, with every key.

mod bad_input;
mod made_up;
mod random;
mod register;
mod tables;

use cribrum_core::entry::Level;

use crate::{
    conditions::Conditions,
    tui::{
        app::Event,
        testing::{Opened, TestDesk, morning},
        theme::Theme,
    },
};

#[test]
fn the_other_screens() {
    let mut desk = TestDesk::open((100, 30));
    insta::assert_snapshot!("plate", desk.keys("d").screen());
    insta::assert_snapshot!("intake", desk.keys("qi").screen());
    insta::assert_snapshot!("help", desk.keys("q?").screen());
    assert!(desk.keys("«end»").screen().contains("severity is a height"));
    assert_eq!(desk.keys("q").app.top(), "desk");
}

#[test]
fn too_small_a_terminal_says_so() {
    for size in [(59, 40), (200, 14), (1, 1)] {
        let screen = TestDesk::open(size).screen();
        let want: String =
            "Cribrum needs 60 columns".chars().take(usize::from(size.0) - 1).collect();
        assert!(screen.starts_with(&want), "{size:?}: {screen}");
    }
    for size in [(60, 15), (80, 24), (300, 90)] {
        let mut desk = TestDesk::open(size);
        for keys in ["", "«enter»", "tq", "dq", "iq", "?q", "s", "«esc»"] {
            assert!(!desk.keys(keys).screen().is_empty(), "{keys} at {size:?}");
        }
    }
}

#[test]
fn nothing_depends_on_colour_or_on_unicode() {
    let mut plain = TestDesk::on(&[morning().clone()], (100, 24), Theme::of(None, false));
    let screen = plain.keys(">>>").screen();
    assert!(screen.contains("4 warn") || screen.contains("5 error"), "{screen}");
    let own: String = screen.lines().skip(3).collect();
    assert!(!own.contains(['▇', '▌', '│', '▄']), "{screen}");
    let colours = plain.buffer().content.iter().any(|cell| {
        cell.fg != ratatui::style::Color::Reset || cell.bg != ratatui::style::Color::Reset
    });
    assert!(!colours, "no colour where none is wanted");
}

#[test]
fn sources_with_nothing_in_them_say_so() {
    let folder = tempfile::tempdir().unwrap();
    let path = folder.path().join("empty.log");
    std::fs::write(&path, "").unwrap();
    let mut desk = TestDesk::on(&[path], (80, 24), Theme::of(None, true));
    let screen = desk.screen();
    assert!(screen.contains("There is nothing in what was poured in."), "{screen}");
    for keys in ["«enter»", "t", "=", "n", "«end»", "y", "«tab»", "/x«enter»n", "d"] {
        desk.keys(keys);
    }
    assert!(!desk.app.quitting);
    assert!(desk.keys("«esc»q").app.quitting);
}

#[test]
fn conditions_of_the_command_line_wait_for_the_day_of_the_data() {
    let conditions = Conditions {
        level: Some(Level::Warn),
        texts: vec!["time in \"06:40\"..\"06:50\"".into()],
        ..Conditions::default()
    };
    let mut desk = TestDesk::with(Opened { conditions, ..Opened::default() });
    assert_eq!(desk.meshes(), ["level ≥ warn", "time in 06:40..06:50"]);
    assert!(desk.left() > 0 && desk.left() < 300, "{}", desk.left());
    desk.keys("u");
    assert_eq!(
        desk.message(),
        "nothing to undo",
        "what the desk was opened with is where it starts"
    );
}

#[test]
fn results_from_elsewhere_are_told() {
    let mut desk = TestDesk::open((100, 24));
    desk.event(Event::Told(Ok("saved plate.svg".into())));
    assert!(desk.screen().contains("saved plate.svg"));
    desk.event(Event::Told(Err("can't write plate.svg: no room".into())));
    assert!(
        desk.screen().contains("no room") && desk.app.cx.shared.message.as_ref().unwrap().wrong
    );
    desk.keys("j");
    assert!(desk.app.cx.shared.message.is_none(), "the next key takes the message away");
    desk.event(Event::Quit);
    assert!(desk.app.quitting);
}

#[test]
fn the_footer_fits_and_names_its_keys() {
    for width in [60, 80, 120, 160] {
        let mut desk = TestDesk::open((width, 24));
        for keys in ["", "«enter»", "«esc»>«tab»", "«esc»t", "qd", "qi"] {
            let screen = desk.keys(keys).screen();
            let footer = screen.lines().last().unwrap();
            assert!(
                footer.contains("all keys") || footer.contains("Esc back"),
                "{width}: {footer}"
            );
            assert!(!footer.contains('…'), "{width}: {footer}");
        }
    }
}
