//! What all tables have in common: rows in the order of any column, narrowed by words, and each with its entries.

use crate::tui::testing::TestDesk;

/// The tables of the demo, and the keys that open them.
const TABLES: [(&str, &str); 4] = [
    ("the tally", "c"),
    ("the kinds", "K"),
    ("the differences", "@06:38«enter»m«enter»@06:48«enter»m«enter»C"),
    ("the requests", "r"),
];

fn open(keys: &str, size: (u16, u16)) -> TestDesk {
    let mut desk = TestDesk::open(size);
    desk.keys(keys);
    desk
}

/// The sign behind the title of the column that rows are ordered by, and the word before it.
fn ordered_by(screen: &str) -> Option<(String, char)> {
    let line = screen.lines().find(|line| line.contains(['↓', '↑']))?;
    let at = line.find(['↓', '↑'])?;
    let (front, rest) = line.split_at(at);
    Some((front.split_whitespace().next_back()?.to_owned(), rest.chars().next()?))
}

/// `3 of 27`, as the footer has it: the row under the cursor, and how many there are.
fn place(screen: &str) -> (usize, usize) {
    let last = screen.lines().rfind(|line| line.contains(" of ")).unwrap_or_default();
    let words: Vec<&str> = last.split_whitespace().collect();
    let at = words.iter().rposition(|word| *word == "of").unwrap_or_else(|| panic!("{screen}"));
    let number = |words: &[&str]| -> usize {
        let digits: String = words.concat().chars().filter(char::is_ascii_digit).collect();
        digits.parse().unwrap_or_else(|_| panic!("{words:?} in {last}"))
    };
    (number(&words[at - 1..at]), number(&words[at + 1..]))
}

#[test]
fn rows_are_in_the_order_of_any_column_and_none_gets_lost() {
    // Differences keep to their own order: by how surprising they are.
    for (name, keys) in TABLES.into_iter().filter(|(name, _)| *name != "the differences") {
        let mut desk = open(keys, (160, 47));
        let (_, all) = place(&desk.screen());
        let mut orders = Vec::new();
        for _ in 0..14 {
            let screen = desk.keys(",").screen();
            let Some((title, one)) = ordered_by(&screen) else { panic!("{name}: {screen}") };
            assert_eq!(place(&screen), (1, all), "{name} by {title}");
            let turned = desk.keys(",").screen();
            let (same, other) = ordered_by(&turned).unwrap();
            assert!(same == title && other != one, "{name}: {title} {one}, {same} {other}");
            orders.push(title);
            desk.keys("«right»");
        }
        orders.dedup();
        assert!(orders.len() > 3, "{name} by {orders:?}");
    }
}

#[test]
fn words_narrow_the_rows_and_esc_brings_them_back() {
    for (name, keys) in TABLES {
        let mut desk = open(keys, (120, 40));
        let (_, all) = place(&desk.screen());
        let screen = desk.keys("/nothing has these words«enter»").screen();
        assert!(screen.contains("Esc"), "{name}: {screen}");
        assert_eq!(place(&desk.keys("«esc»").screen()).1, all, "{name}");
        // What the first row says finds it again, in any case of letters.
        let screen = desk.screen();
        let row = screen.lines().find(|line| line.starts_with('▸')).unwrap().to_owned();
        let word = row
            .split(|c: char| !c.is_ascii_alphanumeric() && c != '-')
            .filter(|word| word.len() > 3)
            .max_by_key(|word| word.len());
        let Some(word) = word else { panic!("{name}: {row}") };
        let screen = desk.keys(&format!("/{}«enter»", word.to_uppercase())).screen();
        let (_, left) = place(&screen);
        assert!(left >= 1 && left <= all && screen.contains(word), "{name} by {word}: {screen}");
    }
}

/// How many entries the row under the cursor says that it has.
fn count(screen: &str) -> usize {
    let row = screen.lines().find(|line| line.starts_with('▸')).unwrap();
    let from = row.trim_start_matches('▸').trim_start();
    let digits = from.chars().take_while(|c| c.is_ascii_digit() || *c == '\u{2009}');
    digits
        .filter(char::is_ascii_digit)
        .collect::<String>()
        .parse()
        .unwrap_or_else(|_| panic!("{row}"))
}

#[test]
fn a_row_has_as_many_entries_as_it_says() {
    for (name, keys) in [("paths", "c"), ("levels", "cblevel«enter»"), ("kinds", "K")] {
        let mut desk = open(keys, (160, 47));
        let (_, rows) = place(&desk.screen());
        for _ in 0..rows.min(30) {
            let screen = desk.screen();
            let count = count(&screen);
            let left = desk.keys("=").left();
            assert_eq!(left, count, "{name}: {:?} of {screen}", desk.meshes());
            // Without them, all others are left.
            let others = desk.keys("u-").left();
            assert_eq!(others, 3_000 - count, "{name}: {:?}", desk.meshes());
            desk.keys("u«down»");
        }
    }
}
