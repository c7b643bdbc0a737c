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
            // Three numbers are one color.
            colors => match colors.parse() {
                Ok(color) => Ok(Self::Colors(vec![color])),
                Err(error) if !colors.contains(',') => Err(error),
                Err(_) => split_colors(colors)
                    .into_iter()
                    .map(str::parse)
                    .collect::<Result<_, _>>()
                    .map(Self::Colors),
            },
        }
    }
}

/// The items of a list, at commas outside of parentheses.
fn split_colors(list: &str) -> Vec<&str> {
    let mut depth = 0;
    let is_end = move |c: char| {
        depth += i32::from(c == '(') - i32::from(c == ')');
        c == ',' && depth == 0
    };
    list.split(is_end).collect()
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
