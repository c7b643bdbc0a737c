//! Color keys.

use std::fmt;
use std::str::FromStr;

use crate::clean::Key;
use crate::grammar::ValueError;

impl FromStr for Key {
    type Err = ValueError;

    fn from_str(text: &str) -> Result<Self, ValueError> {
        match text {
            "auto" => Ok(Self::Auto),
            "none" => Ok(Self::None),
            colors => colors
                .split(',')
                .map(|color| color.trim().parse())
                .collect::<Result<_, _>>()
                .map(Self::Colors),
        }
    }
}

impl fmt::Display for Key {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        match self {
            Self::Auto => f.write_str("auto"),
            Self::None => f.write_str("none"),
            Self::Colors(colors) => {
                let colors: Vec<String> = colors.iter().map(ToString::to_string).collect();
                f.write_str(&colors.join(","))
            }
        }
    }
}
