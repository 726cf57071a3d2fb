//! The intake as a conversation.

use crate::{
    settings::Palette,
    tui::{
        testing::{TestDesk, dusk},
        theme::Theme,
    },
};

#[test]
fn a_layout_is_taught_over_the_lines_themselves() {
    let folder = tempfile::tempdir().unwrap();
    let path = folder.path().join("berth.log");
    std::fs::write(
        &path,
        "B4~2026-03-14 06:41:02~warn~mooring strained\nB5~2026-03-14 06:41:03~info~free\n",
    )
    .unwrap();
    let mut desk = TestDesk::on(std::slice::from_ref(&path), (100, 24), dusk());
    let screen = desk.keys("i«enter»").screen();
    assert!(screen.contains("layout = plain") && screen.contains("B5~2026"), "{screen}");
    let screen = desk.keys("ui").screen();
    assert!(
        screen.contains("lines as they are read") && screen.contains("B4~2026-03-14"),
        "{screen}"
    );
    let screen = desk.keys("e").screen();
    assert!(
        screen.contains("template {message}") && screen.contains("fits 2 of 2 lines"),
        "{screen}"
    );
    desk.keys(&"«back»".repeat("{message}".len()));
    let screen = desk.keys("{berth}~{time}~{level").screen();
    assert!(screen.contains("this hole is not closed"), "{screen}");
    desk.keys("«enter»");
    let file = folder.path().join("cribrum.toml");
    assert!(!file.exists(), "what is wrong is not saved");
    let screen = desk.keys("}~{message}").screen();
    assert!(screen.contains("fits 2 of 2 lines  "), "{screen}");
    assert!(screen.contains("berth  time  level  message"), "{screen}");
    desk.keys("«enter»");
    let table = std::fs::read_to_string(&file).unwrap();
    assert!(table.contains("template = \"{berth}~{time}~{level}~{message}\""), "{table}");
    assert!(table.contains("files = \"berth.log*\""), "{table}");
    let screen = desk.screen();
    assert!(screen.contains("berth  time  level  message"), "it is read again\n{screen}");
    assert!(desk.keys("«enter»").message().contains("every line of this source is understood"));
}

#[test]
fn the_clock_of_a_source_is_set_on_the_intake_screen() {
    let folder = tempfile::tempdir().unwrap();
    std::fs::write(folder.path().join("a.log"), "2026-03-14 06:41:02 INFO a: said\n".repeat(90))
        .unwrap();
    std::fs::write(
        folder.path().join("b.log"),
        "{\"time\":\"2026-03-14T06:41:02Z\",\"msg\":\"x\"}\n",
    )
    .unwrap();
    let mut desk = TestDesk::on(&[folder.path().to_owned()], (120, 24), dusk());
    assert!(desk.keys("i").screen().contains("UTF-8 · times name no zone: UTC"));
    assert!(desk.keys("j").screen().contains("times name their zone"));
    desk.keys("kcRome«enter»");
    assert!(desk.screen().contains("`Rome` is neither a zone nor a duration"), "{}", desk.screen());
    assert!(desk.runtime.setup().options.clocks.is_empty());
    desk.keys("«back»«back»«back»«back»+01:00 -2s«enter»");
    let clocks = &desk.runtime.setup().options.clocks;
    assert_eq!((clocks[0].0.as_str(), clocks[0].1.to_string().as_str()), ("a", "+01:00 -2s"));
    assert!(desk.keys("«esc»").screen().contains("05:41:00.000"), "it is read again");
}

#[test]
fn the_intake_names_what_is_wrong() {
    let folder = tempfile::tempdir().unwrap();
    std::fs::write(folder.path().join("app.log"), "prose\n2026-03-14 06:41:02 INFO x: y\n")
        .unwrap();
    std::fs::write(folder.path().join("core.bin"), [0; 500]).unwrap();
    for width in [80, 160] {
        let theme = Theme::of(Some(Palette::Chalk), true);
        let mut desk = TestDesk::on(&[folder.path().to_owned()], (width, 24), theme);
        let screen = desk.keys("i«down»").screen();
        for text in ["app.log", "−1", "text 50 %  plain 50 %", "this is binary data"] {
            assert!(screen.contains(text), "{text} at {width}\n{screen}");
        }
    }
}
