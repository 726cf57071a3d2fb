//! The colours of plates: for light paper, and for a dark page.

/// Which colours a plate is drawn in.
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq)]
pub enum Palette {
    /// Dark on light.
    #[default]
    Chalk,
    /// Light on dark.
    Dusk,
}

/// The colours of a palette, as `#rrggbb`.
pub(crate) struct Colours {
    pub(crate) paper: &'static str,
    pub(crate) ink: &'static str,
    pub(crate) dim: &'static str,
    pub(crate) rule: &'static str,
    /// What takes unusually long.
    pub(crate) slow: &'static str,
    /// The levels from trace to fatal.
    pub(crate) levels: [&'static str; 6],
    /// Lanes, apart for the colour-blind.
    pub(crate) lanes: [&'static str; 8],
}

impl Palette {
    pub(crate) fn colours(self) -> &'static Colours {
        match self {
            Self::Chalk => &CHALK,
            Self::Dusk => &DUSK,
        }
    }
}

const CHALK: Colours = Colours {
    paper: "#fbfaf7",
    ink: "#22262b",
    dim: "#6b747c",
    rule: "#d9d7cf",
    slow: "#9a6200",
    levels: ["#80888f", "#506b85", "#4a7048", "#9a6200", "#b32d1c", "#a3134f"],
    lanes: ["#1f5f9e", "#4a7a1f", "#8a6d00", "#0b7568", "#8f3f86", "#5b48a8", "#a04f10", "#4f6068"],
};

const DUSK: Colours = Colours {
    paper: "#14181c",
    ink: "#d6d9d2",
    dim: "#7d8790",
    rule: "#2c353e",
    slow: "#e0a33e",
    levels: ["#66717b", "#7f93a6", "#a3b8a0", "#e0a33e", "#e0614f", "#ff5c8a"],
    lanes: ["#7fb3e6", "#a3c48c", "#d9c26a", "#6fc2b4", "#c98fc0", "#b3a3e6", "#d99a6a", "#9fb0b8"],
};

/// A colour of which a share, 0 to 1, is the first and the rest the second.
pub(crate) fn mixed(first: &str, second: &str, share: f64) -> String {
    let part = |colour: &str, at: usize| {
        let digits = colour.get(1 + at * 2..3 + at * 2).unwrap_or("00");
        f64::from(u8::from_str_radix(digits, 16).unwrap_or(0))
    };
    let mut made = String::from("#");
    for at in 0..3 {
        #[expect(
            clippy::cast_possible_truncation,
            clippy::cast_sign_loss,
            reason = "from 0 to 255"
        )]
        let mix = (part(first, at) * share + part(second, at) * (1.0 - share))
            .round()
            .clamp(0.0, 255.0) as u8;
        made.push_str(&format!("{mix:02x}"));
    }
    made
}
