//! Sifting on the desk: pointing, the funnel, finding, the inspector.

use ratatui::crossterm::event::{KeyModifiers, MouseButton, MouseEvent, MouseEventKind};

use super::{Desk, areas, row};
use crate::tui::{
    app::Event,
    columns::Column,
    screens::desk::{rail::time_at, state::Focus},
    testing::{TestDesk, dusk},
};

#[test]
fn the_desk_at_its_smallest_usual_size() {
    insta::assert_snapshot!(TestDesk::open((80, 24)).keys(">>>«down»«down»").screen());
}

#[test]
fn the_desk_with_a_funnel_and_an_inspector() {
    let mut desk = TestDesk::open((160, 47));
    desk.keys(
        "slevel >= warn«enter»T06:38..06:44«enter»snot source = harbour«enter»sAcquirer«enter»",
    );
    insta::assert_snapshot!(desk.keys("«enter»").screen());
    assert_eq!(desk.app.first::<Desk>().focus, Focus::Inspector);
    desk.keys("«enter»");
    assert!(desk.screen().contains("as written, secrets hidden"));
}

#[test]
fn an_empty_pan_explains_itself() {
    let mut desk = TestDesk::open((100, 24));
    desk.keys("slevel >= error«enter»T06:00..06:40«enter»sstatus = 418«enter»");
    let screen = desk.screen();
    for text in [
        "Nothing is left.",
        "No entry passes status = 418",
        "3  off  status = 418   gives back",
        "u undoes the last",
    ] {
        assert!(screen.contains(text), "{text} in\n{screen}");
    }
    desk.keys("uuT2027-01-01..«enter»");
    let screen = desk.screen();
    assert!(screen.contains("The window lies outside the data"), "{screen}");
    desk.keys("u3");
    assert!(desk.left() > 0);
}

#[test]
fn meshes_are_typed_pointed_at_and_undone() {
    let mut desk = TestDesk::open((120, 40));
    let all = desk.left();
    assert_eq!(all, 3_000);
    desk.keys("sstatus >= 500«enter»");
    assert_eq!(desk.meshes(), ["status >= 500"]);
    let failing = desk.left();
    assert!(failing > 0 && failing < 100);
    desk.keys(">>");
    assert_eq!(desk.meshes(), ["level ≥ info", "status >= 500"], "the floor stands first");
    desk.keys("<<");
    assert_eq!(desk.meshes(), ["status >= 500"]);
    desk.keys("slevel >= error«enter»");
    assert_eq!(
        desk.meshes(),
        ["level ≥ error", "status >= 500"],
        "typed or pressed, there is one floor"
    );
    desk.keys("2");
    let errors = desk.left();
    assert!(errors > failing);
    desk.keys("2");
    assert_eq!(desk.left(), failing);
    desk.keys("«left»«left»-");
    assert_eq!(desk.meshes()[2], "source != gate");
    assert_eq!(desk.left(), 0);
    desk.keys("uuuuuuuuuu");
    assert_eq!((desk.left(), desk.meshes().len(), desk.message()), (all, 0, "nothing to undo"));
    desk.keys("U");
    assert_eq!(desk.left(), failing);
}

#[test]
fn the_funnel_takes_keys_of_its_own() {
    let mut desk = TestDesk::open((120, 40));
    desk.keys("stimeout«enter»swarn«enter»sx«enter»«tab»");
    assert_eq!(desk.app.first::<Desk>().focus, Focus::Funnel);
    desk.keys("«home»]");
    assert_eq!(desk.meshes(), ["warn", "timeout", "x"]);
    desk.keys("!");
    assert_eq!(desk.meshes(), ["warn", "not timeout", "x"]);
    desk.keys(
        "«enter»«back»«back»«back»«back»«back»«back»«back»«back»«back»«back»«back»hold«enter»",
    );
    assert_eq!(desk.meshes(), ["warn", "hold", "x"]);
    desk.keys("«end»-«home»-");
    assert_eq!(desk.meshes(), ["hold"]);
    desk.keys("-");
    assert_eq!((desk.meshes().len(), desk.app.first::<Desk>().focus), (0, Focus::Entries));
}

#[test]
fn values_become_meshes_in_the_inspector() {
    let mut desk = TestDesk::open((120, 40));
    desk.keys("s\"session opened\"«enter»«enter»");
    let rows: Vec<String> = desk
        .app
        .first::<Desk>()
        .inspector
        .as_ref()
        .unwrap()
        .rows()
        .iter()
        .map(|row| format!("{}{}", "  ".repeat(row.depth), row.name))
        .collect();
    assert!(rows.contains(&"user".to_owned()) && rows.contains(&"  id".to_owned()), "{rows:?}");
    let at = rows.iter().position(|name| name == "  id").unwrap();
    desk.keys("«home»");
    for _ in 0..at {
        desk.keys("«down»");
    }
    desk.keys("=");
    assert!(desk.meshes()[1].starts_with("user.id = u-"), "{:?}", desk.meshes());
    assert!(desk.left() >= 1);
    desk.keys("u«up»=");
    assert_eq!(desk.message(), "there is no single value here");
    desk.keys("y");
    assert_eq!(desk.host.copied.len(), 1);
}

#[test]
fn a_hidden_value_makes_a_mesh_without_being_shown() {
    let mut desk = TestDesk::open((120, 40));
    desk.keys("shas card«enter»«enter»");
    let at = |desk: &mut TestDesk| {
        let rows = desk.app.first::<Desk>().inspector.as_ref().unwrap().rows();
        rows.iter().position(|row| row.name.as_str() == "card").unwrap()
    };
    desk.keys("«home»");
    for _ in 0..at(&mut desk) {
        desk.keys("«down»");
    }
    desk.keys("=");
    let mesh = desk.meshes()[1].clone();
    assert!(mesh.contains("card = ") && mesh.contains("«card·"), "{mesh}");
    assert_eq!(desk.left(), 1, "the stand-in finds its secret");
    assert!(!desk.screen().contains("400000"));
}

#[test]
fn find_goes_round_and_holds_nothing_back() {
    let mut desk = TestDesk::open((120, 40));
    desk.keys("/late answer«enter»");
    let first = desk.selected();
    assert!(first.starts_with("late answer"), "{first}");
    let place = row(&mut desk);
    desk.keys("n");
    assert_ne!(row(&mut desk), place);
    desk.keys("N");
    assert_eq!((row(&mut desk), desk.left()), (place, 3_000));
    assert!(desk.screen().contains("\"late answer\" in"));
    desk.keys("/no such words«enter»");
    assert_eq!(desk.message(), "no entry in the pan has these words");
    desk.keys("«esc»n");
    assert_eq!(desk.message(), "nothing to find; / asks for words");
}

#[test]
fn the_cursor_stays_on_its_entry() {
    let mut desk = TestDesk::open((120, 40));
    desk.keys("/hold kept«enter»n");
    let entry = desk.app.cx.shared.here.entry;
    for keys in [">>>", "ssource = booking«enter»", "u", "<"] {
        desk.keys(keys);
        assert_eq!(desk.app.cx.shared.here.entry, entry, "after {keys}");
        assert!(desk.screen().contains("hold kept"), "after {keys}");
    }
    desk.keys("«home»");
    assert_eq!(row(&mut desk), 0);
    desk.keys("«pgdn»«pgdn»«pgup»");
    let page = desk.app.first::<Desk>().list.height - 2;
    assert_eq!(row(&mut desk), page);
    desk.keys("«end»");
    assert_eq!(row(&mut desk) + 1, desk.left());
    desk.keys("F«up»");
    assert!(!desk.app.first::<Desk>().list.follow, "going up ends following");
}

#[test]
fn the_mouse_points() {
    let mut desk = TestDesk::open((120, 40));
    desk.keys(">>>");
    let areas = areas(&mut desk);
    let press = |column, row| {
        let kind = MouseEventKind::Down(MouseButton::Left);
        Event::Mouse(MouseEvent { kind, column, row, modifiers: KeyModifiers::NONE })
    };
    desk.screen();
    desk.event(press(areas.entries.x + 20, areas.entries.y + 3));
    assert!(row(&mut desk) > 0);
    desk.event(press(areas.rail.x + 4, areas.rail.y + 12));
    let time = desk.snapshot().time(desk.app.cx.shared.here.entry.unwrap()).unwrap();
    assert!(time >= time_at(&desk.app.cx.shared, areas.rail, areas.rail.y + 12).unwrap());
    desk.event(press(5, areas.funnel.y + 1));
    assert_eq!(desk.app.first::<Desk>().focus, Focus::Funnel);
}

#[test]
fn values_under_the_chosen_column_become_meshes() {
    for (keys, want) in [
        ("«left»«left»«left»=", "level = "),
        ("«left»«left»=", "source = "),
        ("«left»=", "id = "),
        ("=", "message = "),
        ("-", "message != "),
    ] {
        let mut desk = TestDesk::open((120, 40));
        desk.keys(keys);
        assert!(desk.meshes()[0].starts_with(want), "{keys}: {:?}", desk.meshes());
        assert!(desk.left() > 0, "{keys}");
    }
}

#[test]
fn wide_and_harmful_text_keeps_the_columns() {
    let folder = tempfile::tempdir().unwrap();
    let path = folder.path().join("wide.log");
    let lines = [
        "2026-03-14 06:41:01 INFO 座席の予約が要求されました ok=1",
        "2026-03-14 06:41:02 ERROR \u{1b}[2J\u{1b}]0;owned\u{7} caf\u{e9}\u{8} \u{202e}evil",
        "2026-03-14 06:41:03 WARN tab\there \u{200b}zero",
    ];
    std::fs::write(&path, lines.join("\n")).unwrap();
    let mut desk = TestDesk::on(&[path], (80, 24), dusk());
    for keys in ["", "«enter»", "«enter»", "«esc»«down»«enter»«enter»"] {
        let screen = desk.keys(keys).screen();
        assert!(!screen.chars().any(|c| c.is_control() && c != '\n'), "after {keys}");
        assert!(!screen.contains(['\u{202e}', '\u{200b}']), "after {keys}");
    }
    let screen = desk.keys("«esc»«esc»").screen();
    assert!(screen.contains("café␈") && screen.contains("座席の予約"), "{screen}");
    assert!(!screen.contains("owned"), "{screen}");
}

#[test]
fn a_funnel_of_many_meshes_keeps_its_place() {
    let mut desk = TestDesk::open((100, 24));
    for number in 0..12 {
        desk.keys(&format!("snot zz{number}«enter»"));
    }
    let screen = desk.screen();
    assert!(screen.contains("1 not zz0") && screen.contains("… 8 more"), "{screen}");
    assert!(!screen.contains("zz7"));
    desk.keys("«tab»«end»");
    let screen = desk.screen();
    assert!(
        screen.contains("not zz11") && screen.contains('▸'),
        "the cursor is in sight\n{screen}"
    );
    desk.keys("3");
    desk.keys("«home»«down»«down»");
    assert!(desk.screen().lines().any(|line| line.contains("not zz2") && line.contains("off")));
}

#[test]
fn a_mesh_with_a_secret_in_it_shows_a_stand_in() {
    let mut desk = TestDesk::open((100, 24));
    desk.keys("spassword = gull-tide-12345«enter»");
    assert!(!desk.screen().contains("gull-tide"), "typed once, hidden from then on");
    desk.keys("«esc»/4000001234567899«enter»«tab»");
    let screen = desk.screen();
    assert!(screen.contains("«card·") && !screen.contains("4000001234567899"), "{screen}");
    desk.keys("«tab»«enter»");
    let screen = desk.screen();
    assert!(screen.contains("«password·") && !screen.contains("gull-tide"), "{screen}");
}

#[test]
fn a_value_becomes_what_its_list_offers() {
    let mut desk = TestDesk::open((120, 40));
    desk.keys("sstatus = 504«enter»«enter»");
    let at = |desk: &mut TestDesk, name: &str| {
        let rows = desk.app.first::<Desk>().inspector.as_ref().unwrap().rows();
        rows.iter().position(|row| row.name.as_str() == name).unwrap()
    };
    desk.keys("«home»");
    for _ in 0..at(&mut desk, "status") {
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
    let count = |text: &str| {
        let line = screen.lines().find(|line| line.contains(text)).unwrap().to_owned();
        line.split_whitespace().nth(1).unwrap().to_owned()
    };
    assert_eq!(count("status != 504"), "0", "each says what it would leave");
    insta::assert_snapshot!("values", screen);
    desk.keys("k");
    assert_eq!(desk.meshes()[1], "status in 500..599");
    desk.keys("uo>");
    assert_eq!(desk.meshes()[1], "status >= 504");
    desk.keys("uo«down»«enter»");
    assert_eq!((desk.meshes()[1].as_str(), desk.left()), ("status != 504", 0));
    desk.keys("uo+");
    assert_eq!(*desk.app.cx.shared.columns.chosen(), Column::Field("status".into()));
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
fn a_logger_is_quietened() {
    let mut desk = TestDesk::open((120, 40));
    desk.keys("slogger = fares.lookup«enter»");
    let all = desk.left();
    desk.keys("z");
    assert_eq!(desk.app.prompt().unwrap_or_default(), "fares.lookup=warn");
    desk.keys("x«enter»");
    assert!(desk.screen().contains("is no level"), "{}", desk.screen());
    desk.keys("«back»«enter»");
    assert_eq!(desk.meshes()[1], "fares.lookup quiet below warn");
    assert!(desk.left() < all && desk.left() > 0);
    desk.keys("«tab»«end»«enter»");
    assert_eq!(
        desk.app.prompt().unwrap_or_default(),
        "fares.lookup=warn",
        "it is edited as it was made"
    );
    desk.keys("«esc»u");
    assert_eq!(desk.left(), all);
    desk.keys("«esc»sstatus = 504«enter»z");
    assert!(desk.message().contains("does not name its logger"), "{}", desk.message());
}

#[test]
fn an_empty_pan_offers_what_would_help() {
    let mut desk = TestDesk::open((120, 30));
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
fn the_pan_is_ordered_by_a_column() {
    let mut desk = TestDesk::open((160, 40));
    desk.keys("shas took«enter»+took«enter»");
    assert!(desk.screen().contains("──took"), "{}", desk.screen());
    let all = desk.left();
    let time = |desk: &mut TestDesk| desk.keys("«home»").selected();
    let first = time(&mut desk);
    desk.keys(",");
    assert!(desk.message().starts_with("by took, largest first"), "{}", desk.message());
    let screen = desk.keys("«right»«left»").screen();
    assert!(screen.lines().next().unwrap().contains("by took, largest first"), "{screen}");
    let values = |screen: &str| -> Vec<f64> {
        let at = screen.lines().find_map(|line| line.find("──took")).unwrap();
        let column = screen.lines().find(|line| line.contains("──took")).unwrap();
        let cell = column.get(..at).unwrap().chars().count() + 2;
        let rows = screen.lines().filter(|line| line.contains("06:") || line.contains("07:"));
        let value = |line: &str| {
            let text: String = line.chars().skip(cell).take(14).collect();
            let number: String = text.trim().chars().take_while(char::is_ascii_digit).collect();
            number.parse().ok()
        };
        rows.filter_map(value).collect()
    };
    let mut seen = values(&screen);
    assert!(seen.len() > 10 && seen.is_sorted_by(|a, b| a >= b), "{seen:?}");
    let slowest = desk.selected();
    desk.keys("«end»");
    assert_eq!(row(&mut desk) + 1, all);
    desk.keys(",");
    seen = values(&desk.keys("«home»").screen());
    assert!(seen.len() > 10 && seen.is_sorted_by(|a, b| a <= b), "{seen:?}");
    desk.keys(",");
    assert_eq!(desk.message(), "by time");
    assert_eq!(time(&mut desk), first);
    desk.keys(",«home»");
    assert_eq!(desk.selected(), slowest, "what was ordered once is ordered the same again");
    // A new mesh is put in order as well; a jump leads back to time.
    desk.keys("ssource = fares«enter»");
    assert!(desk.screen().lines().next().unwrap().contains("by took, largest first"));
    desk.keys("@06:41«enter»");
    assert!(!desk.screen().lines().next().unwrap().contains("by took"));
}

#[test]
fn columns_that_find_no_room_say_so_and_come_with_the_cursor() {
    let mut desk = TestDesk::open((120, 30));
    for name in ["crossing", "remote", "protocol", "bytes", "status", "host", "caller"] {
        desk.keys(&format!("+{name}«enter»"));
    }
    desk.keys("«right»");
    let rule = |desk: &mut TestDesk| {
        desk.screen().lines().find(|line| line.contains("──crossing")).map(str::to_owned)
    };
    let line = rule(&mut desk).unwrap();
    assert!(line.contains("5 more columns ▸") && !line.contains("caller"), "{line}");
    desk.keys("«left»");
    let screen = desk.screen();
    let line = screen.lines().find(|line| line.contains("─caller")).unwrap();
    assert!(line.contains("◂ "), "{line}");
    desk.keys(&"«left»".repeat(12));
    assert!(rule(&mut desk).unwrap().contains("more columns"));
}

#[test]
fn a_table_has_its_own_columns_and_loggers_stand_where_they_vary() {
    let mut desk = TestDesk::open((160, 40));
    let rule = |desk: &mut TestDesk| {
        let screen = desk.screen();
        screen.lines().find(|line| line.starts_with("──")).unwrap().to_owned()
    };
    assert!(rule(&mut desk).contains("─logger"), "{}", desk.screen());
    desk.keys("ssource = manifest«enter»");
    let line = rule(&mut desk);
    assert!(line.contains("─crossing") && line.contains("─passenger"), "{line}");
    desk.keys("u");
    assert!(rule(&mut desk).contains("─logger"));
    // What a person has changed belongs to its sieve.
    desk.keys("ssource = fares«enter»+currency«enter»");
    assert!(rule(&mut desk).contains("─currency"));
    desk.keys("u");
    assert!(!rule(&mut desk).contains("─currency"));
    desk.keys("U");
    assert!(rule(&mut desk).contains("─currency"));
    desk.keys("Sfares«enter»");
    assert!(desk.settings().contains("columns = [\"level\", \"source\", "), "{}", desk.settings());
    desk.keys("uS1");
    assert!(rule(&mut desk).contains("─currency"), "kept with the sieve");
}
