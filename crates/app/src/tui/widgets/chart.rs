//! Columns of stacked counts, as fine as a terminal draws: eighths of a cell in height.

use ratatui::{buffer::Buffer, layout::Rect, style::Style};

use super::text::put;

/// A part of a column.
#[derive(Clone, Copy, Debug)]
pub(crate) struct Part {
    pub(crate) count: u64,
    pub(crate) style: Style,
    /// What fills a cell where there is no colour.
    pub(crate) fill: &'static str,
}

/// Signs of one to eight eighths of a cell.
const EIGHTHS: [&str; 8] = ["▁", "▂", "▃", "▄", "▅", "▆", "▇", "█"];

/// Round values up to at least `peak`, `most` steps at most: 0, 50, 100, 150. The last one is the top of the axis.
pub(crate) fn round_ticks(peak: u64, most: u64) -> Vec<u64> {
    let most = most.max(1);
    let rough = peak.max(1).div_ceil(most);
    let ten = 10_u64.pow(rough.ilog10());
    let step = [1, 2, 5, 10].map(|by| by * ten).into_iter().find(|step| *step >= rough);
    let step = step.unwrap_or(rough).max(1);
    (0..=peak.max(1).div_ceil(step)).map(|at| at * step).collect()
}

/// How many eighths of a cell each part gets of a column as high as its sum. What occurs at all is seen: it takes an
/// eighth from the largest part.
fn eighths(parts: &[Part], top: u64, height: u64) -> Vec<u64> {
    let sum: u64 = parts.iter().map(|part| part.count).sum();
    let whole =
        |count: u64| (u128::from(count) * u128::from(height) * 8).div_ceil(u128::from(top.max(1)));
    let occur = parts.iter().filter(|part| part.count > 0).count() as u64;
    let total = u64::try_from(whole(sum)).unwrap_or(u64::MAX).min(height * 8).max(occur);
    // The end of each part is where its sum is; so the parts fill the column.
    let (mut below, mut drawn) = (0, 0);
    let mut all: Vec<u64> = parts
        .iter()
        .map(|part| {
            below += part.count;
            let end = u128::from(total) * u128::from(below) / u128::from(sum.max(1));
            let end = u64::try_from(end).unwrap_or(total);
            end - std::mem::replace(&mut drawn, end)
        })
        .collect();
    for at in 0..all.len() {
        if parts[at].count > 0 && all[at] == 0 {
            let largest = (0..all.len()).max_by_key(|at| all[*at]).unwrap_or(at);
            all[largest] -= 1;
            all[at] += 1;
        }
    }
    all
}

/// Draws a column, its first part at the foot; `top` is the count at the upper edge of the area.
pub(crate) fn stack(parts: &[Part], top: u64, area: Rect, unicode: bool, buffer: &mut Buffer) {
    let all = eighths(parts, top, u64::from(area.height));
    let ends: Vec<u64> = all
        .iter()
        .scan(0, |end, eighths| {
            *end += eighths;
            Some(*end)
        })
        .collect();
    let total = ends.last().copied().unwrap_or(0);
    for row in 0..u64::from(area.height) {
        let (from, to) = (row * 8, row * 8 + 8);
        if from >= total {
            break;
        }
        let part_at = |eighth: u64| ends.iter().position(|end| *end > eighth);
        let (Some(lower), upper) = (part_at(from), part_at((to - 1).min(total - 1))) else { break };
        let upper = upper.unwrap_or(lower);
        let y = area.bottom() - 1 - u16::try_from(row).unwrap_or(0);
        let style = parts[lower].style;
        let (Some(colour), true) = (style.fg, unicode) else {
            // Without colours, or eighths, the gravest part of a cell fills it.
            for x in area.x..area.right() {
                put(buffer, x, y, 1, parts[upper].fill, parts[upper].style);
            }
            continue;
        };
        let filled = (ends[lower].min(to) - from).clamp(1, 8);
        let sign = EIGHTHS[usize::try_from(filled - 1).unwrap_or(7)];
        let above = parts[upper].style.fg.filter(|_| upper != lower && total >= to);
        for x in area.x..area.right() {
            match above {
                // Two parts in a cell: one is the sign, the other its ground.
                Some(above) => put(buffer, x, y, 1, sign, Style::new().fg(colour).bg(above)),
                // A filled ground has no seams between its lines, as signs have in some fonts.
                None if filled == 8 => put(buffer, x, y, 1, " ", Style::new().bg(colour)),
                // The top of the column: its uppermost part as high as all of them.
                None => {
                    let filled = usize::try_from(total.min(to) - from).unwrap_or(8);
                    let colour = parts[upper].style.fg.unwrap_or(colour);
                    put(buffer, x, y, 1, EIGHTHS[filled.clamp(1, 8) - 1], Style::new().fg(colour))
                }
            };
        }
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use ratatui::style::Color;

    fn parts(counts: &[u64]) -> Vec<Part> {
        let colours = [Color::Green, Color::Yellow, Color::Red];
        let part = |(count, colour): (&u64, Color)| Part {
            count: *count,
            style: Style::new().fg(colour),
            fill: "#",
        };
        counts.iter().zip(colours).map(part).collect()
    }

    #[test]
    fn ticks_are_round_and_reach_the_peak() {
        for (peak, most, want) in [
            (0, 4, vec![0, 1]),
            (1, 4, vec![0, 1]),
            (7, 4, vec![0, 2, 4, 6, 8]),
            (100, 4, vec![0, 50, 100]),
            (137, 4, vec![0, 50, 100, 150]),
            (9_999, 5, vec![0, 2_000, 4_000, 6_000, 8_000, 10_000]),
            (20_001, 2, vec![0, 20_000, 40_000]),
        ] {
            assert_eq!(round_ticks(peak, most), want, "{peak} in {most}");
        }
    }

    #[test]
    fn a_column_that_has_more_is_higher_and_what_occurs_is_seen() {
        let height = |count| eighths(&parts(&[count]), 160, 20).iter().sum::<u64>();
        let heights: Vec<u64> = (0..=160).map(height).collect();
        assert!(heights.windows(2).all(|pair| pair[0] < pair[1]), "{heights:?}");
        assert_eq!((heights[0], heights[160]), (0, 160));
        assert_eq!(eighths(&parts(&[1_000, 0, 1]), 1_001, 2), [15, 0, 1]);
        assert_eq!(eighths(&parts(&[0, 0, 1]), 1_000_000, 2), [0, 0, 1]);
        assert_eq!(eighths(&parts(&[8, 8]), 16, 4), [16, 16]);
    }

    #[test]
    fn parts_meet_within_a_cell() {
        let area = Rect::new(0, 0, 1, 2);
        let mut buffer = Buffer::empty(area);
        stack(&parts(&[4, 6]), 16, area, true, &mut buffer);
        let cell = |y| {
            let cell = &buffer[(0, y)];
            (cell.symbol().to_owned(), cell.fg, cell.bg)
        };
        assert_eq!(cell(1), ("▄".into(), Color::Green, Color::Yellow));
        assert_eq!(cell(0), ("▂".into(), Color::Yellow, Color::Reset));
        let mut plain = Buffer::empty(area);
        stack(&parts(&[4, 6]), 16, area, false, &mut plain);
        assert_eq!((plain[(0, 0)].symbol(), plain[(0, 1)].symbol()), ("#", "#"));
    }
}
