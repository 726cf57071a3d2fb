//! What is kept and waited for: sweeps, watches, kept sieves.

use crate::{
    settings::Watching,
    tui::testing::{TestDesk, dusk, morning, on_lines},
};

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
    assert!(desk.message().contains("a sweep can't be edited"));
    desk.keys("!");
    assert!(desk.message().contains("can't be negated"));
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
    assert_eq!(
        (desk.host.rung, desk.app.cx.shared.unseen()),
        (0, 0),
        "what was there, and what does not pass"
    );
    desk.append(&path, &line(3, "error"));
    desk.append(&path, &line(4, "info"));
    assert_eq!((desk.host.rung, desk.app.cx.shared.unseen()), (1, 1));
    assert!(desk.host.titles.last().unwrap().starts_with("(1) cribrum"), "{:?}", desk.host.titles);
    assert!(desk.screen().contains("1 came"), "{}", desk.screen());
    desk.keys("W");
    assert!(desk.screen().contains("1 new"));
    desk.keys("«enter»");
    assert_eq!((desk.selected().as_str(), desk.app.cx.shared.unseen()), ("error 3", 0));
    desk.app.cx.shared.settings.watch = Some(Watching { bell: false, title: true });
    desk.append(&path, &line(5, "fatal"));
    assert_eq!((desk.host.rung, desk.app.cx.shared.unseen()), (1, 1), "the bell can be off");
    desk.keys("W-");
    assert_eq!(desk.app.cx.shared.watches.len(), 0);
}

#[test]
fn sieves_are_kept_and_used() {
    let folder = tempfile::tempdir().unwrap();
    for entry in std::fs::read_dir(morning()).unwrap().flatten() {
        std::fs::copy(entry.path(), folder.path().join(entry.file_name())).unwrap();
    }
    let mut desk = TestDesk::on(&[folder.path().to_owned()], (120, 40), dusk());
    desk.keys("S");
    assert!(desk.screen().contains("no sieve is kept yet"));
    desk.keys("«esc»slevel >= error«enter»sgate«enter»Sfor all«down»«enter»");
    let beside = std::fs::read_to_string(folder.path().join("cribrum.toml")).unwrap();
    assert!(beside.contains("name = \"for all\""), "{beside}");
    desk.keys("uuslevel >= warn«enter»Swarnings«enter»");
    let kept = desk.settings();
    let want = "[[sieve]]\nname = \"warnings\"\nmeshes = [\"level >= warn\"]\n";
    assert_eq!(kept, want);
    let warnings = desk.left();
    desk.keys("usstatus = 418«enter»S");
    insta::assert_snapshot!("sieves", desk.screen());
    desk.keys("2");
    assert_eq!((desk.left(), desk.meshes()), (warnings, vec!["level ≥ warn".to_owned()]));
    desk.keys("u");
    assert_eq!(desk.meshes(), ["status = 418"], "one step back");
}

#[test]
fn kept_sieves_stand_in_a_strip_with_live_counts() {
    let line = |second: u8, level: &str| {
        format!(
            "{{\"time\":\"2026-03-14T06:41:{second:02}Z\",\"level\":\"{level}\",\"msg\":\"{level} {second}\"}}\n"
        )
    };
    let (mut desk, _folder, path) = on_lines(&[line(1, "info"), line(2, "error")].concat());
    desk.keys("slevel >= error«enter»Sbroken«enter»uslevel >= warn«enter»Slow«enter»u");
    // A name that is typed never runs as keys.
    assert!(desk.settings().contains("name = \"low\""), "{}", desk.settings());
    let strip = |desk: &mut TestDesk| desk.screen().lines().nth(1).unwrap().to_owned();
    assert!(strip(&mut desk).contains("poured in"));
    desk.keys("S").ctrl('p').keys("«down»").ctrl('p').keys("«esc»");
    assert!(desk.settings().contains("strip = true"), "{}", desk.settings());
    assert_eq!(strip(&mut desk), " F1 broken ▇ 1   F2 low ▇ 1");
    desk.append(&path, &line(3, "fatal"));
    desk.append(&path, &line(4, "warn"));
    assert_eq!(strip(&mut desk), " F1 broken █ 2 +1  F2 low █ 3 +2");
    desk.function(1);
    assert_eq!(desk.meshes(), ["level ≥ error"]);
    assert_eq!(strip(&mut desk), " F1 broken █ 2   F2 low █ 3 +2", "looked at");
    desk.function(1);
    assert_eq!(desk.meshes(), [""; 0], "and back");
    desk.function(3);
    assert!(desk.message().contains("no sieve 3 in the strip"), "{}", desk.message());
    desk.host.size = (60, 15);
    desk.settle();
    assert!(strip(&mut desk).contains("F1 broken"));
    desk.keys("S«del»«esc»");
    assert!(!desk.settings().contains("broken") && !strip(&mut desk).contains("broken"));
}
