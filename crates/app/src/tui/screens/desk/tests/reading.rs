//! The inspector: the tree, the text, copying, and the way to the code.

use super::{Desk, row};
use crate::{
    settings::Code,
    tui::{
        screens::desk::state::Focus,
        testing::{TestDesk, on_lines},
    },
};

const ORDER: &str = r#"{"time":"2026-03-14T06:41:02Z","level":"error","msg":"seat hold failed","order":{"seat":{"row":12,"tags":["a","b"]},"price":48.00},"body":"{\"seats\":[{\"row\":1},{\"row\":2}],\"ok\":false}","password":"gull-tide-1"}"#;

fn traced() -> (TestDesk, tempfile::TempDir, std::path::PathBuf) {
    let lines = "2026-03-14 06:41:02 ERROR booking.holds - seat hold failed\n\
        java.io.IOException: closed\n\
        \tat java.net.Socket.read(Socket.java:1)\n\
        \tat test.ferries.Holds.place(Holds.java:88)\n\
        \tat test.ferries.Gate.serve(Gate.java:7)\n\
        2026-03-14 06:41:03 INFO booking.holds - done caller=FareTable:61\n";
    on_lines(lines)
}

#[test]
fn nested_parts_are_a_tree_that_opens_and_closes() {
    let (mut desk, ..) = on_lines(&format!("{ORDER}\n"));
    let screen = desk.keys("«enter»«home»").screen();
    for text in ["order", "seat", "row", "12", "price", "48.00"] {
        assert!(screen.contains(text), "{text} in\n{screen}");
    }
    let all = desk.app.first::<Desk>().inspector.as_ref().unwrap().rows().len();
    desk.keys("«enter»");
    let screen = desk.screen();
    assert!(screen.contains("▸ 2 parts") && !screen.contains("price"), "{screen}");
    desk.keys("«right»«down»«down»«down»«left»«left»");
    let inspector = desk.app.first::<Desk>().inspector.as_ref().unwrap();
    assert_eq!(
        inspector.row().unwrap().path,
        "order.seat",
        "left leads to the group, then closes it"
    );
    assert!(inspector.rows().len() < all);
}

#[test]
fn json_in_a_value_is_read_with_a_line_for_each_and_folds() {
    let (mut desk, ..) = on_lines(&format!("{ORDER}\n"));
    desk.keys("«enter»«end»");
    for _ in 0..9 {
        let row = desk.app.first::<Desk>().inspector.as_ref().unwrap().row().unwrap();
        if row.path == "body" {
            break;
        }
        desk.keys("«up»");
    }
    let screen = desk.screen();
    assert!(screen.contains("\"seats\": [") && screen.contains("      \"row\": 1"), "{screen}");
    let screen = desk.keys("[").screen();
    assert!(screen.contains("\"seats\": [{\"row\": 1}, {\"row\": 2}],"), "{screen}");
    assert_eq!(desk.message(), "1 level open");
    desk.keys("]]]]]]]");
    assert_eq!(desk.message(), "all levels are open");
    desk.keys("«tab»«end»");
    assert_eq!(desk.app.first::<Desk>().focus, Focus::Text);
    desk.keys("f");
    let screen = desk.screen();
    assert!(screen.contains("as written, secrets hidden") && !screen.contains("gull"), "{screen}");
    desk.keys("«esc»");
    assert_eq!(desk.app.first::<Desk>().focus, Focus::Inspector);
}

#[test]
fn values_are_copied_alone_and_entries_follow_each_other() {
    let (mut desk, ..) = on_lines(&format!("{ORDER}\n{}\n", ORDER.replace("12", "13")));
    desk.keys("«enter»«home»«down»«down»Y");
    assert_eq!(desk.host.copied, ["12"]);
    desk.keys(")Y");
    assert_eq!(row(&mut desk), 1);
    assert_eq!(desk.host.copied.last().unwrap(), "13");
    desk.keys("(«home»Y");
    assert_eq!((desk.message(), desk.host.copied.len()), ("there is no single value here", 2));
    desk.keys("«end»Y");
    assert!(desk.host.copied.last().unwrap().starts_with("«password·"), "{:?}", desk.host.copied);
    desk.keys("«esc»Y");
    assert_eq!(desk.host.copied.last().unwrap(), "seat hold failed", "the chosen column");
}

#[test]
fn the_inspector_stands_beside_the_rows() {
    let mut desk = TestDesk::open((160, 47));
    let screen = desk.keys("«enter»|").screen();
    let line = screen.lines().find(|line| line.contains("gate.log:1")).unwrap();
    assert!(line.contains("06:00:00.487"), "on one line with the rows\n{screen}");
    desk.host.size = (100, 30);
    let screen = desk.keys("«down»").screen();
    assert!(screen.contains("gate.log:1"), "{screen}");
}

/// Who opens files in the tests: it writes what it is given into a file.
fn recorder(desk: &TestDesk) -> (String, std::path::PathBuf) {
    let log = desk.home.path().join("opened");
    (format!("sh -c 'echo \"{{file}} {{line}}\" > {}'", log.display()), log)
}

#[test]
fn the_code_of_a_frame_is_opened() {
    let (mut desk, folder, _) = traced();
    for path in
        ["a/test/ferries/Holds.java", "b/Holds.java", "a/FareTable.java", "b/FareTable.java"]
    {
        let path = folder.path().join("code").join(path);
        std::fs::create_dir_all(path.parent().unwrap()).unwrap();
        std::fs::write(path, "").unwrap();
    }
    let (editor, log) = recorder(&desk);
    let opened = || std::fs::read_to_string(&log).unwrap_or_default();
    desk.app.cx.shared.settings.code =
        Code { roots: vec![folder.path().join("code")], editor: Some(editor), ..Code::default() };
    // The entry's place is the first frame of the program itself.
    desk.keys("e");
    assert!(
        opened().ends_with("code/a/test/ferries/Holds.java 88\n"),
        "{} {}",
        opened(),
        desk.message()
    );
    assert!(desk.message().starts_with("sh has had"), "{}", desk.message());
    // A frame under the cursor.
    desk.keys("«enter»«tab»");
    let frame = |desk: &mut TestDesk| {
        let inspector = desk.app.first::<Desk>().inspector.as_ref().unwrap();
        inspector.text().get(inspector.line).unwrap().text.clone()
    };
    while !frame(&mut desk).contains("Gate.java") {
        desk.keys("«down»");
    }
    desk.keys("e");
    assert!(desk.message().contains("Gate.java is not below"), "{}", desk.message());
    assert!(desk.message().contains("code") && desk.message().contains("roots"));
    // A caller that two files may be.
    desk.keys("«esc»«esc»«down»e");
    let screen = desk.screen();
    assert!(
        screen.contains("files of this name") && screen.contains("b/FareTable.java"),
        "{screen}"
    );
    desk.keys("«down»«enter»");
    assert!(opened().ends_with("code/b/FareTable.java 61\n"), "{}", opened());
}

#[test]
fn an_editor_that_is_missing_or_fails_is_told() {
    let (mut desk, folder, _) = traced();
    std::fs::write(folder.path().join("Holds.java"), "").unwrap();
    for (editor, want) in [
        ("/nowhere/editor", "/nowhere/editor can't be started"),
        ("false", "false ended with exit status: 1"),
        ("\"\"", "the editor's name is empty"),
    ] {
        desk.app.cx.shared.settings.code = Code {
            roots: vec![folder.path().to_owned()],
            editor: Some(editor.into()),
            ..Code::default()
        };
        desk.keys("e");
        assert!(desk.message().starts_with(want), "{editor}: {}", desk.message());
        assert!(desk.screen().contains("seat hold failed"));
    }
}

/// Focus, selection and hidden values are seen in styles, not in text.
#[test]
fn the_styles_of_the_desk_and_of_the_inspector() {
    let (mut desk, ..) = on_lines(&format!("{ORDER}\n{}\n", ORDER.replace("error", "warn")));
    desk.host.size = (60, 15);
    desk.settle();
    insta::assert_debug_snapshot!("desk", desk.buffer());
    desk.keys("slevel >= error«enter»«enter»«end»");
    insta::assert_debug_snapshot!("inspector", desk.buffer());
    // Each region shows that it has the focus.
    let mut before = desk.buffer().clone();
    for focus in [Focus::Text, Focus::Funnel, Focus::Rail, Focus::Entries, Focus::Inspector] {
        let now = desk.keys("«tab»").buffer().clone();
        assert_eq!(desk.app.first::<Desk>().focus, focus);
        assert_ne!(now, before, "{focus:?}");
        before = now;
    }
}

#[test]
fn words_that_are_looked_for_stand_out_in_the_inspector() {
    let (mut desk, ..) = traced();
    desk.keys("/Holds.place«enter»«enter»");
    let found = desk.app.cx.shared.theme.style(crate::tui::theme::Role::Found).bg;
    let buffer = desk.buffer();
    let marked: String = buffer
        .content
        .iter()
        .filter(|cell| Some(cell.bg) == found)
        .map(ratatui::buffer::Cell::symbol)
        .collect();
    assert!(marked.contains("Holds.place"), "{marked}");
}
