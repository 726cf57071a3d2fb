//! Sifting as a conversation: pointing, time, quiet, sweeps, marks, watches, kept sieves, completion.

use std::path::PathBuf;

use super::{Desk, Focus, morning};
use crate::{
    config::Watching,
    tui::{columns::Column, state::Times, theme::Theme},
};

/// A desk on a file of its own, and the file.
fn on_lines(lines: &str) -> (Desk, tempfile::TempDir, PathBuf) {
    let folder = tempfile::tempdir().unwrap();
    let path = folder.path().join("a.log");
    std::fs::write(&path, lines).unwrap();
    let theme = Theme::of(Some(crate::cli::Palette::Dusk), true);
    (Desk::on(&[folder.path().to_owned()], (120, 30), theme), folder, path)
}

#[test]
fn the_prompt_completes_names_operators_values_and_units() {
    let mut desk = Desk::open((120, 30));
    desk.keys("slev«tab»");
    assert_eq!(desk.prompt(), "level");
    insta::assert_snapshot!("completion", desk.keys(" >= ").screen());
    desk.keys("«tab»«tab»");
    assert!(desk.prompt().starts_with("level >= "), "{}", desk.prompt());
    desk.keys("«esc»sstatus = «tab»");
    let value = desk.prompt().trim_start_matches("status = ").to_owned();
    assert!(value.parse::<u16>().is_ok_and(|code| (100..600).contains(&code)), "{value}");
    desk.keys("«backtab»«backtab»«tab»«esc»stook > 250«tab»");
    assert_eq!(desk.prompt(), "took > 250ms");
    desk.keys(" «tab»");
    assert_eq!(desk.prompt(), "took > 250ms and");
    desk.keys("«esc»suser.«tab»");
    assert_eq!(desk.prompt(), "user.id", "nested names are dotted");
    desk.keys("«esc»sstauts = 503");
    assert!(desk.screen().contains("no entry seen has `stauts`; did you mean status?"));
}

#[test]
fn what_was_typed_comes_back_and_secrets_do_not() {
    let mut desk = Desk::open((120, 30));
    desk.keys("slevel >= warn«enter»sstatus >= 500«enter»us«up»");
    assert_eq!(desk.prompt(), "status >= 500");
    desk.keys("«up»«up»");
    assert_eq!(desk.prompt(), "level >= warn", "the oldest is the end");
    desk.keys("«down»«down»");
    assert_eq!(desk.prompt(), "", "what was being typed comes back");
    desk.keys("«esc»/hold kept«enter»");
    let typed = |desk: &Desk| -> Vec<String> {
        desk.remembered.iter().map(|(prompt, text)| format!("{prompt} {text}")).collect()
    };
    let want = ["sift level >= warn", "sift status >= 500", "find hold kept"];
    assert_eq!(typed(&desk), want);
    // By its form, by the name before it, and by being hidden where it is found.
    let (mut desk, _folder, _) = on_lines(
        "{\"time\":\"2026-03-14T06:41:02Z\",\"level\":\"info\",\"msg\":\"in\",\"password\":\"gull-tide-1\"}\n",
    );
    desk.keys("s4000 0019 2856 5944«enter»uspassword = gull-tide-1«enter»u");
    desk.keys("sgull-tide-1«enter»usnot in_x or not gull-tide-1«enter»uslevel = info«enter»");
    assert_eq!(typed(&desk), ["sift level = info"]);
}

#[test]
fn words_that_are_hidden_where_they_stand_are_shown_by_their_stand_in() {
    let line =
        r#"{"time":"2026-03-14T06:41:02Z","level":"info","msg":"in","password":"gull-tide-1"}"#;
    for typed in [
        "gull-tide-1",
        "\"gull-tide-1\"",
        "not gull-tide",
        "msg ~ \"^gull-tide-1$\"",
        "msg != \"gull-tide-1\"",
        "msg in (\"low\", \"gull-tide-1\")",
        "msg = x or gull-tide-1",
    ] {
        let (mut desk, _folder, _) = on_lines(&format!("{line}\n"));
        desk.keys("s").event(super::Event::Paste(typed.into())).keys("«enter»");
        let screen = desk.screen();
        assert!(screen.contains("«password·") && !screen.contains("gull"), "{typed}\n{screen}");
        desk.keys("Ssmine«enter»");
        let kept = format!("{:?}", desk.kept);
        assert!(kept.contains("«password·") && !kept.contains("gull"), "{typed}: {kept}");
        assert!(desk.remembered.is_empty(), "{typed}: {:?}", desk.remembered);
    }
    let (mut desk, ..) = on_lines(&format!("{line}\n"));
    desk.keys("/gull-tide-1«enter»");
    assert!(!desk.screen().contains("gull"), "{}", desk.screen());
}

#[test]
fn a_value_becomes_what_its_list_offers() {
    let mut desk = Desk::open((120, 40));
    desk.keys("sstatus = 504«enter»«enter»");
    let at = |desk: &Desk, name: &str| {
        let rows = desk.app.desk.inspector.as_ref().unwrap().rows();
        rows.iter().position(|row| row.name.as_str() == name).unwrap()
    };
    desk.keys("«home»");
    for _ in 0..at(&desk, "status") {
        desk.keys("«down»");
    }
    desk.keys("o");
    let screen = desk.screen();
    for text in [
        "with this value",
        "status = 504",
        "status != 504",
        "status >= 504",
        "status in 500..599",
        "this source",
        "this request",
        "as a column",
    ] {
        assert!(screen.contains(text), "{text} in\n{screen}");
    }
    let rows = &desk.app.picker.as_ref().unwrap().rows;
    let not = rows.iter().find(|row| row.key == Some('-')).and_then(|row| row.sieve.clone());
    let counted = desk.app.snapshot.beside.iter().find(|view| Some(&view.sieve) == not.as_ref());
    assert_eq!(counted.map(|view| view.left), Some(0), "each says what it would leave");
    insta::assert_snapshot!("values", screen);
    desk.keys("k");
    assert_eq!(desk.meshes()[1], "status in 500..599");
    desk.keys("uo>");
    assert_eq!(desk.meshes()[1], "status >= 504");
    desk.keys("uo«down»«enter»");
    assert_eq!((desk.meshes()[1].as_str(), desk.left()), ("status != 504", 0));
    desk.keys("uo+");
    assert_eq!(*desk.app.desk.columns.chosen(), Column::Field("status".into()));
    desk.keys("«esc»");
    assert!(desk.screen().lines().any(|line| line.contains("──status")), "{}", desk.screen());
    desk.keys("=");
    assert_eq!(desk.meshes()[1], "status = 504", "a column's value is pointed at like any other");
    desk.keys("u[}}");
    assert!(desk.message().is_empty(), "{}", desk.message());
    desk.keys("«del»");
    assert!(!desk.screen().contains("──status"));
    desk.keys("«right»«right»«right»«del»");
    assert!(desk.message().contains("the message stays"), "{}", desk.message());
}

#[test]
fn around_a_moment_and_back() {
    let mut desk = Desk::open((120, 40));
    desk.keys("sno answer after«enter»");
    let few = desk.left();
    desk.keys("a");
    let near = desk.left();
    assert!(desk.screen().contains("around 06:") && desk.screen().contains("waits"));
    assert!(desk.selected().starts_with("AcquirerTimeout"), "{}", desk.selected());
    desk.keys("a«down»«down»a");
    let screen = desk.screen();
    assert!(screen.contains("± 1 min"), "the moment stays the same: {screen}");
    assert!(desk.left() > near && near >= 1);
    desk.keys("u");
    assert_eq!((desk.left(), desk.meshes().len()), (few, 1), "all of it was one step");
}

#[test]
fn a_logger_is_quietened() {
    let mut desk = Desk::open((120, 40));
    desk.keys("slogger = fares.lookup«enter»");
    let all = desk.left();
    desk.keys("z");
    assert_eq!(desk.prompt(), "fares.lookup=warn");
    desk.keys("x«enter»");
    assert!(desk.screen().contains("is no level"), "{}", desk.screen());
    desk.keys("«back»«enter»");
    assert_eq!(desk.meshes()[1], "fares.lookup quiet below warn");
    assert!(desk.left() < all && desk.left() > 0);
    desk.keys("«tab»«end»«enter»");
    assert_eq!(desk.prompt(), "fares.lookup=warn", "it is edited as it was made");
    desk.keys("«esc»u");
    assert_eq!(desk.left(), all);
    desk.keys("«esc»sstatus = 504«enter»z");
    assert!(desk.message().contains("does not name its logger"), "{}", desk.message());
}

#[test]
fn a_window_is_drawn_on_the_rail() {
    let mut desk = Desk::open((120, 40));
    desk.keys("«tab»");
    assert_eq!(desk.app.desk.focus, Focus::Rail);
    desk.keys("«home»«down»«down»«enter»«down»«down»«enter»");
    let window = desk.app.history.sieve().window().unwrap();
    let (Some(from), Some(to)) = window else { panic!("{window:?}") };
    let width = crate::tui::view::rail_volume(&desk.app).width;
    assert_eq!(to - from + 1, 3 * width, "three slices");
    insta::assert_snapshot!("rail", desk.screen());
    let first = desk.app.snapshot.time(desk.app.snapshot.pan.get(0).unwrap()).unwrap();
    assert!((from..=to).contains(&first));
    desk.keys("]");
    let moved = desk.app.history.sieve().window().unwrap();
    assert!(moved.0 > Some(from) && moved.1 > Some(to));
    desk.keys("}");
    let wider = desk.app.history.sieve().window().unwrap();
    assert!(wider.0 < moved.0 && wider.1 > moved.1);
    desk.keys("{");
    assert!(desk.app.history.sieve().window().unwrap().0 > wider.0);
    let before = crate::tui::view::rail_volume(&desk.app);
    desk.keys("+");
    let closer = crate::tui::view::rail_volume(&desk.app);
    assert!(closer.width < before.width, "{} {}", closer.width, before.width);
    desk.keys("-");
    assert_eq!(crate::tui::view::rail_volume(&desk.app), before);
    desk.keys("-");
    assert_eq!(desk.message(), "all of the time is shown");
    desk.keys("«del»");
    assert_eq!(desk.meshes(), [""; 0]);
    desk.keys("[");
    assert!(desk.message().contains("there is no window"));
    desk.keys("«enter»«esc»");
    assert_eq!(desk.app.desk.rail.from, None);
    desk.keys("«esc»");
    assert_eq!(desk.app.desk.focus, Focus::Entries);
}

#[test]
fn the_mouse_draws_a_window() {
    use ratatui::crossterm::event::{KeyModifiers, MouseButton, MouseEvent, MouseEventKind};
    let mut desk = Desk::open((120, 40));
    let rail = super::super::desk_areas(&desk.app).rail;
    let mouse = |desk: &mut Desk, kind, row| {
        let event = MouseEvent {
            kind,
            column: rail.x + 2,
            row: rail.y + row,
            modifiers: KeyModifiers::NONE,
        };
        desk.event(crate::tui::update::Event::Mouse(event));
    };
    let left = MouseButton::Left;
    mouse(&mut desk, MouseEventKind::Down(left), 4);
    mouse(&mut desk, MouseEventKind::Up(left), 4);
    assert_eq!(desk.meshes(), [""; 0], "a click only goes there");
    assert!(desk.app.row() > 0);
    mouse(&mut desk, MouseEventKind::Down(left), 4);
    mouse(&mut desk, MouseEventKind::Drag(left), 9);
    mouse(&mut desk, MouseEventKind::Up(left), 9);
    let width = crate::tui::view::rail_volume(&desk.app).width;
    let Some((Some(from), Some(to))) = desk.app.history.sieve().window() else { panic!() };
    assert_eq!(to - from + 1, 6 * width);
}

#[test]
fn marks_are_set_listed_and_used_as_times() {
    let mut desk = Desk::open((120, 40));
    desk.keys("@06:50«enter»");
    let row = desk.app.row();
    assert!(row > 0);
    desk.keys("msecond try«enter»«home»m«enter»'");
    let screen = desk.screen();
    assert!(screen.contains("second try") && screen.contains("mark 2"), "{screen}");
    desk.keys("«down»«enter»");
    assert_eq!(desk.app.row(), row);
    desk.keys("stime > mark \"second try\"«enter»");
    assert!(desk.left() > 0 && desk.left() < 3_000 - row);
    desk.keys("u'-");
    assert_eq!(desk.app.marks.len(), 1);
    desk.keys("«esc»@nonsense«enter»");
    assert!(desk.screen().contains("is no time"));
}

#[test]
fn a_sweep_shows_what_comes_after_it() {
    let line = |second: u8, text: &str| {
        format!(
            "{{\"time\":\"2026-03-14T06:41:{second:02}Z\",\"level\":\"info\",\"msg\":\"{text}\"}}\n"
        )
    };
    let (mut desk, _folder, path) = on_lines(&line(1, "old"));
    desk.keys("w");
    assert_eq!(desk.left(), 0);
    assert!(desk.screen().contains("swept at"));
    desk.append(&path, &line(2, "new"));
    assert_eq!((desk.left(), desk.selected().as_str()), (1, "new"));
    desk.keys("«tab»«enter»");
    assert!(desk.message().contains("a sweep is not edited"));
    desk.keys("!");
    assert!(desk.message().contains("can't be turned round"));
    desk.keys("u");
    assert_eq!(desk.left(), 2);
}

#[test]
fn a_watch_rings_counts_and_can_be_gone_to() {
    let line = |second: u8, level: &str| {
        format!(
            "{{\"time\":\"2026-03-14T06:41:{second:02}Z\",\"level\":\"{level}\",\"msg\":\"{level} {second}\"}}\n"
        )
    };
    let (mut desk, _folder, path) = on_lines(&line(1, "error"));
    desk.keys("Wlevel >= error«enter»");
    assert!(desk.message().contains("watching for level >= error"));
    desk.append(&path, &line(2, "info"));
    assert_eq!((desk.rung, desk.app.unseen()), (0, 0), "what was there, and what does not pass");
    desk.append(&path, &line(3, "error"));
    desk.append(&path, &line(4, "info"));
    assert_eq!((desk.rung, desk.app.unseen()), (1, 1));
    assert!(desk.titles.last().unwrap().starts_with("(1) cribrum"), "{:?}", desk.titles);
    assert!(desk.screen().contains("1 came"), "{}", desk.screen());
    desk.keys("W");
    assert!(desk.screen().contains("1 new"));
    desk.keys("«enter»");
    assert_eq!((desk.selected().as_str(), desk.app.unseen()), ("error 3", 0));
    desk.app.settings.watch = Some(Watching { bell: false, title: true });
    desk.append(&path, &line(5, "fatal"));
    assert_eq!((desk.rung, desk.app.unseen()), (1, 1), "the bell can be off");
    desk.keys("W-");
    assert_eq!(desk.app.watches.len(), 0);
}

#[test]
fn sieves_are_kept_and_taken() {
    let mut desk = Desk::open((120, 40));
    desk.keys("S");
    assert!(desk.screen().contains("no sieve is kept yet"));
    desk.keys("«esc»slevel >= error«enter»sgate«enter»Stfor all«enter»");
    assert!(desk.kept.pop().unwrap().file.starts_with(morning()));
    desk.keys("uuslevel >= warn«enter»Swarnings«enter»");
    desk.keys("Sswarnings«enter»");
    let kept = desk.kept.last().unwrap();
    assert_eq!(
        (kept.name.as_str(), kept.meshes.as_slice()),
        ("warnings", &["level >= warn".to_owned()][..])
    );
    let warnings = desk.left();
    desk.keys("usstatus = 418«enter»S");
    insta::assert_snapshot!("sieves", desk.screen());
    desk.keys("2");
    assert_eq!((desk.left(), desk.meshes()), (warnings, vec!["level ≥ warn".to_owned()]));
    desk.keys("u");
    assert_eq!(desk.meshes(), ["status = 418"], "one step back");
}

#[test]
fn an_empty_pan_offers_what_would_help() {
    let mut desk = Desk::open((120, 30));
    desk.keys("slevel >= error«enter»ssource = gaet«enter»");
    let screen = desk.screen();
    assert!(
        screen.contains("source is never gaet") && screen.contains("source = gate"),
        "{screen}"
    );
    insta::assert_snapshot!("empty", screen);
    desk.keys("«enter»");
    assert_eq!(desk.meshes(), ["level ≥ error", "source = gate"]);
    assert!(desk.left() > 0);
    desk.keys("u«down»«enter»");
    assert!(desk.left() > 0, "the second remedy switches a mesh off");
    desk.keys("uusstatus:504«enter»");
    assert!(desk.screen().contains("was looked for as a word"), "{}", desk.screen());
    desk.keys("«enter»");
    assert_eq!(desk.meshes()[1], "status = 504");
}

#[test]
fn times_are_shown_in_one_zone_or_as_written() {
    let (mut desk, _folder, _) =
        on_lines("{\"time\":\"2026-03-14T07:41:02+01:00\",\"level\":\"info\",\"msg\":\"x\"}\n");
    assert!(desk.screen().contains("06:41:02.000"));
    desk.keys("Z");
    if desk.app.times == Times::Zone {
        desk.keys("Z");
    }
    assert_eq!(desk.app.times, Times::Written);
    let screen = desk.screen();
    assert!(screen.contains("07:41:02.000") && screen.contains("as written"), "{screen}");
    desk.keys("Z");
    assert!(desk.screen().contains("times in UTC"));
}

#[test]
fn a_program_that_starts_again_is_set_apart() {
    let line = |second: u8, text: &str| {
        format!(
            "{{\"time\":\"2026-03-14T06:41:{second:02}Z\",\"level\":\"info\",\"msg\":\"{text}\"}}\n"
        )
    };
    let text = [
        line(1, "hold requested"),
        line(2, "starting booking 2.14.0"),
        line(3, "listening on 8080"),
        line(4, "hold requested"),
    ];
    let (mut desk, _folder, _) = on_lines(&text.concat());
    let screen = desk.screen();
    assert_eq!(screen.matches("a starts").count(), 1, "{screen}");
    let (mut desk, folder, _) = on_lines("");
    let csv = "time,level,message\n2026-03-14 06:41:01,info,one\ntime,level,message\n2026-03-14 06:41:02,info,two\n";
    std::fs::write(folder.path().join("b.csv"), csv).unwrap();
    desk = Desk::on(&[folder.path().to_owned()], (120, 30), desk.app.theme);
    let screen = desk.screen();
    assert_eq!(screen.matches("b starts").count(), 1, "{screen}");
}
