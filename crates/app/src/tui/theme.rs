//! Colours by role. Only this file names a colour.

use cribrum_core::entry::Level;
use ratatui::style::{Color, Modifier, Style};

use crate::settings::Palette;

/// What a text stands for.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub(crate) enum Role {
    /// The ground of everything.
    Ground,
    /// The masthead and the footer.
    Band,
    /// The product's name, keys, times that are pointed at.
    Accent,
    /// What is read first.
    Text,
    /// What is read second.
    Dim,
    /// What is there for the eye that looks for it.
    Faint,
    /// Lines between regions.
    Rule,
    /// The row under the cursor.
    Selection,
    /// What find has found.
    Found,
    /// Hidden by the veil.
    Hidden,
    /// Something went wrong.
    Wrong,
    /// A long wait.
    Slow,
}

/// The colours in use and the glyphs that the terminal can show.
#[derive(Clone, Debug)]
pub(crate) struct Theme {
    palette: Option<Palette>,
    unicode: bool,
    pub(crate) glyphs: Glyphs,
}

/// Signs that have an ASCII form.
#[derive(Clone, Copy, Debug)]
pub(crate) struct Glyphs {
    /// Severity as a height, from trace to fatal.
    pub(crate) severity: [&'static str; 6],
    /// A bar of the funnel, and of the rail.
    pub(crate) bar: &'static str,
    pub(crate) rail: [&'static str; 8],
    pub(crate) stripe: &'static str,
    pub(crate) across: &'static str,
    pub(crate) down: &'static str,
    pub(crate) pointer: &'static str,
    pub(crate) lane: &'static str,
    pub(crate) step: &'static str,
    pub(crate) wait: &'static str,
    pub(crate) more: &'static str,
    pub(crate) bracket: &'static str,
    pub(crate) mark: &'static str,
    /// What fills a bar of a level where there is no colour: no level, then trace to fatal.
    pub(crate) fills: [&'static str; 7],
    /// There is more to the left, and to the right.
    pub(crate) left: &'static str,
    pub(crate) right: &'static str,
    /// Points down at a place in a text.
    pub(crate) place: &'static str,
    pub(crate) dot: &'static str,
}

const FULL: Glyphs = Glyphs {
    severity: ["▁", "▂", "▃", "▅", "▇", "█"],
    bar: "▄",
    rail: ["▏", "▎", "▍", "▌", "▋", "▊", "▉", "█"],
    stripe: "▌",
    across: "─",
    down: "│",
    pointer: "▸",
    lane: "┃",
    step: "┣",
    wait: "┊",
    more: "⤶",
    bracket: "▐",
    mark: "◆",
    fills: ["░", "░", "░", "▒", "▓", "█", "█"],
    left: "◂",
    right: "▸",
    place: "▾",
    dot: "·",
};

const ASCII: Glyphs = Glyphs {
    severity: ["1", "2", "3", "4", "5", "6"],
    bar: "=",
    rail: ["-", "-", "-", "-", "#", "#", "#", "#"],
    stripe: "|",
    across: "-",
    down: "|",
    pointer: ">",
    lane: "|",
    step: "+",
    wait: ":",
    more: "+",
    bracket: "]",
    mark: "*",
    fills: [".", ".", ":", "-", "+", "#", "@"],
    left: "<",
    right: ">",
    place: "v",
    dot: ".",
};

impl Theme {
    /// The palette that was asked for; none where `NO_COLOR` is set, and ASCII where the locale is not
    /// UTF-8.
    pub(crate) fn new(palette: Palette) -> Self {
        let is_set = |name: &str| std::env::var_os(name).is_some_and(|value| !value.is_empty());
        let locale = ["LC_ALL", "LC_CTYPE", "LANG"]
            .into_iter()
            .find_map(|name| std::env::var(name).ok().filter(|value| !value.is_empty()));
        let unicode = locale.is_none_or(|name| {
            let name = name.to_ascii_lowercase();
            name.contains("utf-8") || name.contains("utf8")
        });
        Self::of((!is_set("NO_COLOR")).then_some(palette), unicode)
    }

    pub(crate) fn of(palette: Option<Palette>, unicode: bool) -> Self {
        Self { palette, unicode, glyphs: if unicode { FULL } else { ASCII } }
    }

    /// Whether its ground is dark.
    pub(crate) fn is_dark(&self) -> bool {
        self.palette == Some(Palette::Dusk)
    }

    /// Whether the terminal shows more than ASCII.
    pub(crate) fn is_unicode(&self) -> bool {
        self.unicode
    }

    pub(crate) fn style(&self, role: Role) -> Style {
        let Some(palette) = self.palette else {
            return match role {
                Role::Selection | Role::Band => Style::new().add_modifier(Modifier::REVERSED),
                Role::Accent | Role::Wrong | Role::Slow => {
                    Style::new().add_modifier(Modifier::BOLD)
                }
                Role::Found => Style::new().add_modifier(Modifier::UNDERLINED),
                Role::Dim | Role::Faint | Role::Rule => Style::new().add_modifier(Modifier::DIM),
                Role::Ground | Role::Text | Role::Hidden => Style::new(),
            };
        };
        let rgb = |dusk, chalk, plain| match palette {
            Palette::Dusk => Color::from_u32(dusk),
            Palette::Chalk => Color::from_u32(chalk),
            Palette::Plain => plain,
        };
        let fg = |colour| Style::new().fg(colour);
        match role {
            Role::Ground => fg(rgb(0xd6_d9d2, 0x22_262b, Color::Reset)).bg(rgb(
                0x14_181c,
                0xfb_faf7,
                Color::Reset,
            )),
            Role::Band => fg(rgb(0x8b_959d, 0x59_626a, Color::Reset)).bg(rgb(
                0x1a_2026,
                0xef_ede6,
                Color::Reset,
            )),
            Role::Accent => fg(rgb(0x5f_b3b3, 0x0b_6e6e, Color::Cyan)),
            Role::Text => fg(rgb(0xd6_d9d2, 0x22_262b, Color::Reset)),
            Role::Dim => fg(rgb(0x7d_8790, 0x62_6b73, Color::Gray)),
            Role::Faint => fg(rgb(0x66_717b, 0x80_8890, Color::DarkGray)),
            Role::Rule => fg(rgb(0x2c_353e, 0xd3_d0c6, Color::DarkGray)),
            Role::Selection => match palette {
                Palette::Plain => Style::new().add_modifier(Modifier::REVERSED),
                _ => Style::new().bg(rgb(0x24_303a, 0xdf_e8ea, Color::Reset)),
            },
            Role::Found => Style::new()
                .bg(rgb(0x4a_4322, 0xf3_e3a8, Color::Reset))
                .add_modifier(Modifier::UNDERLINED),
            Role::Hidden => fg(rgb(0xc9_a46a, 0x8a_5a00, Color::Yellow)),
            Role::Wrong => fg(rgb(0xe0_614f, 0xb3_2d1c, Color::Red)).add_modifier(Modifier::BOLD),
            Role::Slow => fg(rgb(0xe0_a33e, 0x9a_6200, Color::Yellow)),
        }
    }

    /// A ground between that of everything and the accent, 0 to 1; none where there are too few colours.
    pub(crate) fn shade(&self, share: f64) -> Option<Color> {
        let (accent, ground) = (self.style(Role::Accent).fg?, self.style(Role::Ground).bg?);
        let (Color::Rgb(r, g, b), Color::Rgb(red, green, blue)) = (accent, ground) else {
            return None;
        };
        #[expect(
            clippy::cast_possible_truncation,
            clippy::cast_sign_loss,
            reason = "from 0 to 255"
        )]
        let mix = |one: u8, other: u8| {
            (f64::from(one) * share + f64::from(other) * (1.0 - share)).round().clamp(0.0, 255.0)
                as u8
        };
        Some(Color::Rgb(mix(r, red), mix(g, green), mix(b, blue)))
    }

    /// The colour of a level; of no level, the faint one.
    pub(crate) fn level(&self, level: Option<Level>) -> Style {
        let Some(level) = level else {
            return self.style(Role::Faint);
        };
        let strong = level >= Level::Error;
        let weight = if strong { Modifier::BOLD } else { Modifier::empty() };
        let Some(palette) = self.palette else {
            return Style::new().add_modifier(weight);
        };
        const DUSK: [u32; 6] = [0x5b_6670, 0x7f_93a6, 0xa3_b8a0, 0xe0_a33e, 0xe0_614f, 0xff_5c8a];
        const CHALK: [u32; 6] = [0x80_8890, 0x50_6b85, 0x4a_7048, 0x9a_6200, 0xb3_2d1c, 0xa3_134f];
        const PLAIN: [Color; 6] =
            [Color::DarkGray, Color::Gray, Color::Green, Color::Yellow, Color::Red, Color::Magenta];
        let colour = match palette {
            Palette::Dusk => Color::from_u32(DUSK[level.index()]),
            Palette::Chalk => Color::from_u32(CHALK[level.index()]),
            Palette::Plain => PLAIN[level.index()],
        };
        Style::new().fg(colour).add_modifier(weight)
    }

    /// One of eight colours that stay apart for the colour-blind: for lanes by number, for ids by value.
    pub(crate) fn lane(&self, number: usize) -> Style {
        const DUSK: [u32; 8] = [
            0x7f_b3e6, 0xa3_c48c, 0xd9_c26a, 0x6f_c2b4, 0xc9_8fc0, 0xb3_a3e6, 0xd9_9a6a, 0x9f_b0b8,
        ];
        const CHALK: [u32; 8] = [
            0x1f_5f9e, 0x4a_7a1f, 0x8a_6d00, 0x0b_7568, 0x8f_3f86, 0x5b_48a8, 0xa0_4f10, 0x4f_6068,
        ];
        const PLAIN: [Color; 6] =
            [Color::Blue, Color::Green, Color::Yellow, Color::Cyan, Color::Magenta, Color::Gray];
        let colour = match self.palette {
            None => return Style::new(),
            Some(Palette::Dusk) => Color::from_u32(DUSK[number % 8]),
            Some(Palette::Chalk) => Color::from_u32(CHALK[number % 8]),
            Some(Palette::Plain) => PLAIN[number % 6],
        };
        Style::new().fg(colour)
    }

    /// The colour of an id, the same wherever it stands.
    pub(crate) fn id(&self, id: &str) -> Style {
        let hash = id.bytes().fold(0xcbf2_9ce4_8422_2325_u64, |hash, byte| {
            (hash ^ u64::from(byte)).wrapping_mul(0x0100_0000_01b3)
        });
        // Ids that differ only at their end differ only in the low bits so far.
        let mixed = (hash ^ (hash >> 32)).wrapping_mul(0x9e37_79b9_7f4a_7c15);
        self.lane(usize::try_from(mixed >> 61).unwrap_or(0))
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    /// The contrast of two colours as WCAG 2.1 defines it, from 1 to 21.
    fn contrast(one: Color, other: Color) -> f64 {
        let luminance = |colour| {
            let Color::Rgb(red, green, blue) = colour else { panic!("{colour:?}") };
            let part = |value: u8| {
                let value = f64::from(value) / 255.0;
                if value <= 0.03928 { value / 12.92 } else { ((value + 0.055) / 1.055).powf(2.4) }
            };
            0.2126 * part(red) + 0.7152 * part(green) + 0.0722 * part(blue)
        };
        let (one, other) = (luminance(one) + 0.05, luminance(other) + 0.05);
        if one > other { one / other } else { other / one }
    }

    #[test]
    fn everything_that_is_read_stands_out_from_its_ground() {
        for palette in [Palette::Dusk, Palette::Chalk] {
            let theme = Theme::of(Some(palette), true);
            let ground = theme.style(Role::Ground).bg.unwrap();
            let selection = theme.style(Role::Selection).bg.unwrap();
            let check = |name: String, style: Style, least: f64| {
                let colour = style.fg.unwrap();
                let plain = contrast(colour, ground);
                assert!(plain >= least, "{name} in {palette:?}: {plain:.1}");
                let chosen = contrast(colour, selection);
                assert!(chosen >= least * 0.75, "{name}, selected, in {palette:?}: {chosen:.1}");
            };
            for (role, least) in [
                (Role::Text, 10.0),
                (Role::Accent, 4.5),
                (Role::Dim, 4.5),
                (Role::Faint, 3.0),
                (Role::Hidden, 4.5),
                (Role::Wrong, 4.5),
                (Role::Slow, 4.5),
            ] {
                check(format!("{role:?}"), theme.style(role), least);
            }
            for level in Level::ALL {
                check(level.to_string(), theme.level(Some(level)), 2.8);
            }
            for lane in 0..8 {
                check(format!("lane {lane}"), theme.lane(lane), 4.0);
            }
            let band = theme.style(Role::Band);
            assert!(contrast(band.fg.unwrap(), band.bg.unwrap()) >= 4.5, "the band in {palette:?}");
        }
    }

    #[test]
    fn an_id_has_one_colour() {
        let theme = Theme::of(Some(Palette::Dusk), true);
        assert_eq!(theme.id("7f3a9c21e0b4d86f"), theme.id("7f3a9c21e0b4d86f"));
        let colours: std::collections::HashSet<_> =
            (0..200).map(|number| theme.id(&format!("id-{number}")).fg).collect();
        assert_eq!(colours.len(), 8, "ids spread over all lanes");
    }

    #[test]
    fn glyphs_have_an_ascii_form() {
        let ascii = ASCII.severity.iter().chain(&ASCII.rail).chain([
            &ASCII.bar,
            &ASCII.stripe,
            &ASCII.across,
            &ASCII.down,
            &ASCII.pointer,
            &ASCII.lane,
            &ASCII.step,
            &ASCII.wait,
            &ASCII.more,
            &ASCII.bracket,
            &ASCII.dot,
        ]);
        assert!(ascii.into_iter().all(|glyph| glyph.is_ascii() && glyph.len() == 1));
        let heights: std::collections::BTreeSet<_> = FULL.severity.into_iter().collect();
        assert_eq!(heights.len(), 6, "every level has a height of its own");
    }
}
