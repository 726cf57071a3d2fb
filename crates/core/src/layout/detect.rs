//! Which layout takes a line. The first byte says which may, so that most lines are asked about twice at
//! most.

use super::{Dialect, Head, LayoutId};

const JSON: u8 = 0;
const ACCESS: u8 = 1;
const DELIMITED: u8 = 2;
const CSV: u8 = 3;
const PAIRS: u8 = 4;
const TEXT: u8 = 5;
const LEVELLED: u8 = 6;
const SYSLOG: u8 = 7;
const LETTER: u8 = 8;
const MOBILE: u8 = 9;
const KERNEL: u8 = 10;
const MARKED: u8 = 11;
const W3C: u8 = 12;
const OTLP: u8 = 13;
const DUMP: u8 = 14;
const CRASH: u8 = 15;
const SLOW: u8 = 16;
const BALANCER: u8 = 18;
const STARTED: u8 = 19;

/// The layouts that a line may be of, in the order in which they are asked.
pub(super) fn candidates(line: &[u8], dialect: &Dialect) -> &'static [u8] {
    let Some(first) = line.first() else { return &[] };
    match first {
        b'{' if line.starts_with(b"{\"resourceLogs\"") => &[OTLP, JSON],
        b'{' => &[JSON],
        _ if dialect.header.is_some() => &[
            CSV, W3C, ACCESS, KERNEL, SYSLOG, LETTER, MARKED, MOBILE, DELIMITED, PAIRS, TEXT,
            LEVELLED, DUMP, CRASH, SLOW,
        ],
        b'[' => &[ACCESS, KERNEL, DELIMITED, TEXT, LEVELLED, JSON],
        b'<' => &[SYSLOG, KERNEL, TEXT, DUMP],
        b'0'..=b'9' if line.get(4) == Some(&b'-') => &[SYSLOG, MOBILE, DELIMITED, TEXT],
        b'0'..=b'9' => &[ACCESS, BALANCER, MARKED, SYSLOG, MOBILE, DELIMITED, TEXT],
        b' ' => &[TEXT, LEVELLED],
        b'\t' => &[],
        b'#' => &[SLOW],
        b'/' => &[CRASH],
        b'S' if line.starts_with(b"Started ") => &[STARTED, SYSLOG, TEXT, LEVELLED],
        b'g' | b'h' | b'w' => &[
            ACCESS, BALANCER, LETTER, SYSLOG, MOBILE, DELIMITED, PAIRS, TEXT, CRASH, LEVELLED, DUMP,
        ],
        _ => &[ACCESS, LETTER, SYSLOG, MOBILE, DELIMITED, PAIRS, TEXT, CRASH, LEVELLED, DUMP],
    }
}

/// One layout that a line was held against, and whether it took it.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub struct Tried {
    /// The layout.
    pub layout: LayoutId,
    /// Whether the line fits.
    pub fits: bool,
}

impl Dialect {
    /// The layouts that a line is held against, up to the one that takes it.
    pub(crate) fn tried(&self, line: &[u8]) -> Vec<Tried> {
        let of = |layout: LayoutId| Tried {
            layout,
            fits: layout.layout().is_some_and(|l| l.head(line, self).is_some()),
        };
        if let Some(forced) = self.forced() {
            return vec![of(forced)];
        }
        let own =
            self.own.iter().map(|own| Tried { layout: own.id(), fits: own.head(line).is_some() });
        let others = candidates(line, self).iter().map(|number| of(LayoutId::from_bits(*number)));
        let mut found = Vec::new();
        for tried in own.chain(others) {
            found.push(tried);
            if found.last().is_some_and(|tried| tried.fits) {
                break;
            }
        }
        found
    }

    /// Finds the layout that takes the line, nothing taken off.
    pub(crate) fn detect(&self, line: &[u8]) -> Option<(LayoutId, Head)> {
        if let Some(forced) = self.forced() {
            let head = forced.layout()?.head(line, self)?;
            return Some((forced, head));
        }
        if !self.own.is_empty()
            && let Some((id, head)) = self.own.iter().find_map(|o| Some((o.id(), o.head(line)?)))
        {
            return Some((id, head));
        }
        candidates(line, self).iter().find_map(|number| {
            let id = LayoutId::from_bits(*number);
            Some((id, id.layout()?.head(line, self)?))
        })
    }
}
