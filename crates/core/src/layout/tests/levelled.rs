//! Lines that say their level and no time.

use super::*;

const LINES: &[(&str, &str)] = &[
    ("INFO berths free", "levelled | - | info | - | berths free | "),
    ("INFO: berths free", "levelled | - | info | - | berths free | "),
    ("[INFO] berths free", "levelled | - | info | - | berths free | "),
    ("[warn] berths strained", "levelled | - | warn | - | berths strained | "),
    ("WARN  berths strained", "levelled | - | warn | - | berths strained | "),
    ("error: berths lost", "levelled | - | error | - | berths lost | "),
    ("Error: berths lost", "plain"),
    ("ERROR:berths:lost: all", "levelled | - | error | berths | lost: all | "),
    ("CRITICAL:root:lost", "levelled | - | fatal | root | lost | "),
    (
        "INFO[0012] berths free                 berth=4",
        "levelled | - | info | - | berths free                 berth=4 | uptime='0012' berth=4",
    ),
    (
        "crit: Harbour.Berths[7]\n      lost\n      System.Exception: x",
        "levelled | - | fatal | Harbour.Berths | lost | event_id=7",
    ),
    ("LOG: not said so", "levelled | - | info | - | not said so | "),
    ("Warning ahead of us", "plain"),
    ("INFORMATION is no level here", "levelled | - | info | - | is no level here | "),
    ("note: a remark", "plain"),
    ("DEBUG", "levelled | - | debug | - |  | "),
    ("<3>berths lost", "plain"),
];

#[test]
fn levelled_lines() {
    check(&Dialect::default(), LINES);
}
