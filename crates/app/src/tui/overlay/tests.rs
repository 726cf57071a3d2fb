//! The prompt as a conversation: typing, mistakes, completion, what is kept of it.

use cribrum_core::engine::Lens;

use crate::tui::{
    app::Event,
    testing::{TestDesk, on_lines},
};

#[test]
fn mistakes_stay_in_the_prompt() {
    let mut desk = TestDesk::open((100, 24));
    desk.keys("sstatus in (502«enter»");
    let screen = desk.screen();
    assert!(screen.contains("a comma or a closing parenthesis"), "{screen}");
    let line = |screen: &str, back: usize| screen.lines().rev().nth(back).unwrap().to_owned();
    let mark = line(&screen, 1).chars().position(|c| c == '▾').unwrap();
    assert_eq!(line(&screen, 0).chars().count(), mark, "the mark stands at the end of the text");
    desk.keys(")«enter»");
    assert_eq!(desk.meshes(), ["status in (502)"]);
    desk.keys("Tnoon«enter»");
    assert!(desk.screen().contains("`noon` is no time"));
    desk.keys("«esc»d");
    assert_eq!(desk.message(), "nothing is left to draw");
    desk.keys("uddplan«enter»");
    assert!(desk.screen().contains("a name that ends in .svg, .pdf or .csv"));
    let file = desk.home.path().join("plan.svg");
    desk.keys(&"«back»".repeat("volume.svgplan".len()));
    desk.event(Event::Paste(file.display().to_string())).keys("«enter»");
    desk.wait_for_message("saved /");
    assert!(std::fs::read_to_string(file).unwrap().contains("</svg>"));
}

#[test]
fn the_prompt_counts_while_it_is_typed() {
    let mut desk = TestDesk::open((100, 24));
    desk.keys("slevel >= warn");
    let wanted = desk.runtime.snapshot().lens(Lens::Sift).unwrap().in_pan;
    let screen = desk.screen();
    assert!(screen.contains(&format!("{wanted} of 3\u{2009}000 in the pan")), "{screen}");
    desk.keys("«esc»");
    assert_eq!((desk.left(), desk.runtime.snapshot().lens(Lens::Sift).is_none()), (3_000, true));
}

#[test]
fn pasted_text_never_runs_as_keys() {
    let mut desk = TestDesk::open((100, 24));
    desk.event(Event::Paste("q>>>\n".into()));
    assert_eq!((desk.app.quitting, desk.meshes().len()), (false, 0));
    desk.keys("s").event(Event::Paste("hold\nkept\u{1b}".into())).keys("«enter»");
    assert_eq!(desk.meshes(), ["hold and kept"]);
}

#[test]
fn a_long_text_scrolls_in_the_prompt() {
    let mut desk = TestDesk::open((60, 15));
    let text = "abcdefghij".repeat(12);
    desk.keys("s").event(Event::Paste(text.clone()));
    let last = desk.screen().lines().last().unwrap().to_owned();
    assert!(last.ends_with("defghij") && last.starts_with(" sift "), "{last}");
    desk.keys("«home»«right»Z");
    let last = desk.screen().lines().last().unwrap().to_owned();
    assert!(last.contains("aZbcdefghij"), "{last}");
    desk.keys("«esc»");
    assert!(desk.app.prompt().is_none());
}

#[test]
fn the_prompt_completes_names_operators_values_and_units() {
    let mut desk = TestDesk::open((120, 30));
    desk.keys("slev«tab»");
    assert_eq!(desk.app.prompt().unwrap_or_default(), "level");
    insta::assert_snapshot!("completion", desk.keys(" >= ").screen());
    desk.keys("«tab»«tab»");
    assert!(
        desk.app.prompt().unwrap_or_default().starts_with("level >= "),
        "{}",
        desk.app.prompt().unwrap_or_default()
    );
    desk.keys("«esc»sstatus = «tab»");
    let value = desk.app.prompt().unwrap_or_default().trim_start_matches("status = ").to_owned();
    assert!(value.parse::<u16>().is_ok_and(|code| (100..600).contains(&code)), "{value}");
    desk.keys("«backtab»«backtab»«tab»«esc»stook > 250«tab»");
    assert_eq!(desk.app.prompt().unwrap_or_default(), "took > 250ms");
    desk.keys(" «tab»");
    assert_eq!(desk.app.prompt().unwrap_or_default(), "took > 250ms and");
    desk.keys("«esc»suser.«tab»");
    assert_eq!(desk.app.prompt().unwrap_or_default(), "user.id", "nested names are dotted");
    desk.keys("«esc»sstauts = 503");
    assert!(desk.screen().contains("no entry seen has `stauts`; did you mean status?"));
}

#[test]
fn shorter_forms_of_values_are_completed_as_well() {
    let mut desk = TestDesk::open((120, 30));
    let screen = desk.keys("spath:").screen();
    assert!(
        screen.contains("path:template") && screen.contains("without numbers and ids"),
        "{screen}"
    );
    desk.keys("«tab» = ");
    let screen = desk.screen();
    assert!(screen.contains("/crossings/{n}/seats"), "{screen}");
    desk.keys("/crossings/{n}/«tab»«enter»");
    assert_eq!(desk.meshes(), ["path:template = /crossings/{n}/seats"]);
    assert!(desk.left() > 0 && desk.left() < 3_000, "{}", desk.left());
    desk.keys("ususer_a«tab»«tab»");
    let prompt = desk.app.prompt().unwrap_or_default().to_owned();
    assert!(["user_agent", "user_agent:family"].contains(&prompt.as_str()), "{prompt}");
    desk.keys("«esc»spth:template = x");
    let screen = desk.screen();
    assert!(screen.contains("no entry seen has `pth`; did you mean path?"), "{screen}");
}

#[test]
fn what_was_typed_comes_back_and_secrets_do_not() {
    let mut desk = TestDesk::open((120, 30));
    desk.keys("slevel >= warn«enter»sstatus >= 500«enter»us«up»");
    assert_eq!(desk.app.prompt().unwrap_or_default(), "status >= 500");
    desk.keys("«up»«up»");
    assert_eq!(desk.app.prompt().unwrap_or_default(), "level >= warn", "the oldest is the end");
    desk.keys("«down»«down»");
    assert_eq!(desk.app.prompt().unwrap_or_default(), "", "what was being typed comes back");
    desk.keys("«esc»/hold kept«enter»");
    let want = ["sift level >= warn", "sift status >= 500", "find hold kept"];
    assert_eq!(desk.remembered(), want);
    // By its form, by the name before it, and by being hidden where it is found.
    let (mut desk, _folder, _) = on_lines(
        "{\"time\":\"2026-03-14T06:41:02Z\",\"level\":\"info\",\"msg\":\"in\",\"password\":\"gull-tide-1\"}\n",
    );
    desk.keys("s4000 0019 2856 5944«enter»uspassword = gull-tide-1«enter»u");
    desk.keys("sgull-tide-1«enter»usnot in_x or not gull-tide-1«enter»uslevel = info«enter»");
    assert_eq!(desk.remembered(), ["sift level = info"]);
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
        desk.keys("s").event(Event::Paste(typed.into())).keys("«enter»");
        let screen = desk.screen();
        assert!(screen.contains("«password·") && !screen.contains("gull"), "{typed}\n{screen}");
        desk.keys("Smine«enter»");
        let kept = desk.settings();
        assert!(kept.contains("«password·") && !kept.contains("gull"), "{typed}: {kept}");
        assert!(desk.remembered().is_empty(), "{typed}: {:?}", desk.remembered());
    }
    let (mut desk, ..) = on_lines(&format!("{line}\n"));
    desk.keys("/gull-tide-1«enter»");
    assert!(!desk.screen().contains("gull"), "{}", desk.screen());
}
