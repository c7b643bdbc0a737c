//! Pages: their largest side, rounding, the rows of a layout, companions.

use std::fmt;
use std::str::FromStr;

use crate::grammar::ValueError;
use crate::pack::{PageSide, Rounding, RowName, RowOrder};
use crate::{CompanionKind, CompanionSpec, Name, NameError, Size, portability_problem};

/// The longest side of a page, in pixels.
const LONGEST_PAGE: u32 = 65_536;

const OUT_OF_RANGE: &str = "is out of range; a page's sides are 1 to 65536 px";

impl FromStr for PageSide {
    type Err = ValueError;

    /// `2048`, or `2048x1024`.
    fn from_str(text: &str) -> Result<Self, ValueError> {
        let size = match text.parse::<u32>() {
            Ok(side) => Size::new(side, side),
            Err(_) => text.parse().map_err(|_| {
                ValueError::new(text, "is not a side length such as 2048, or a size such as 2048x1024")
            })?,
        };
        Self::new(size).map_err(|_| ValueError::new(text, OUT_OF_RANGE))
    }
}

impl PageSide {
    /// Checks a size for pages.
    ///
    /// # Errors
    /// If a side is 0 or more than 65,536 px.
    pub fn new(size: Size) -> Result<Self, ValueError> {
        let is_in = !size.is_empty() && size.width.max(size.height) <= LONGEST_PAGE;
        is_in.then_some(Self(size)).ok_or_else(|| ValueError::new(&size.to_string(), OUT_OF_RANGE))
    }

    /// The size.
    pub fn size(self) -> Size {
        self.0
    }
}

impl fmt::Display for PageSide {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        let Self(size) = self;
        if size.is_square() { write!(f, "{}", size.width) } else { write!(f, "{size}") }
    }
}

impl FromStr for Rounding {
    type Err = ValueError;

    /// `none`, `pow2`, or a multiple.
    fn from_str(text: &str) -> Result<Self, ValueError> {
        match (text, text.parse::<u32>()) {
            ("none", _) => Ok(Self::None),
            ("pow2", _) => Ok(Self::Pow2),
            (_, Ok(unit @ 1..=4096)) => Ok(Self::Multiple(unit)),
            _ => Err(ValueError::new(text, "is not none, pow2, or a multiple from 1 to 4096")),
        }
    }
}

impl fmt::Display for Rounding {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        match self {
            Self::None => f.write_str("none"),
            Self::Pow2 => f.write_str("pow2"),
            Self::Multiple(unit) => write!(f, "{unit}"),
        }
    }
}

impl FromStr for RowOrder {
    type Err = NameError;

    /// `sit,leap,-,koi:swim`.
    fn from_str(text: &str) -> Result<Self, NameError> {
        let row = |row: &str| match (row.trim(), row.split_once(':')) {
            ("-", _) => Ok(RowName::Blank),
            (_, Some((sprite, name))) => {
                let sprite = Some(Name::new(sprite.trim())?);
                Ok(RowName::Clip { sprite, name: Name::new(name.trim())? })
            }
            (name, None) => Ok(RowName::Clip { sprite: None, name: Name::new(name)? }),
        };
        Ok(Self(text.split(',').map(row).collect::<Result<_, _>>()?))
    }
}

impl fmt::Display for RowOrder {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        for (at, row) in self.0.iter().enumerate() {
            f.write_str(if at > 0 { "," } else { "" })?;
            match row {
                RowName::Blank => f.write_str("-")?,
                RowName::Clip { sprite: Some(sprite), name } => write!(f, "{sprite}:{name}")?,
                RowName::Clip { sprite: None, name } => write!(f, "{name}")?,
            }
        }
        Ok(())
    }
}

impl FromStr for CompanionSpec {
    type Err = ValueError;

    /// `_n`, `_e=000000`, `_bump:normal`.
    fn from_str(text: &str) -> Result<Self, ValueError> {
        let (plain, kind) = match text.split_once(':') {
            Some((plain, "normal")) => (plain, Some(CompanionKind::Normals)),
            Some((_, other)) => {
                let problem = format!("has an unknown kind '{other}'; the only one is :normal");
                return Err(ValueError::new(text, &problem));
            }
            None => (text, None),
        };
        let (suffix, neutral) = match plain.split_once('=') {
            Some((suffix, color)) => (suffix, Some(color.parse()?)),
            None => (plain, None),
        };
        match portability_problem(suffix) {
            _ if suffix.is_empty() => return Err(ValueError::new(text, "has no suffix, such as _n")),
            Some(why) => {
                return Err(ValueError::new(suffix, &format!("can't be part of a file name: {why}")));
            }
            None => {}
        }
        let usual = Self::of_suffix(suffix);
        let kind = kind.unwrap_or(usual.kind);
        Ok(Self { neutral: neutral.unwrap_or(kind.neutral()), kind, ..usual })
    }
}

impl fmt::Display for CompanionSpec {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        write!(f, "{}={}", self.suffix, self.neutral)?;
        let is_usual = Self::of_suffix(&self.suffix).kind == self.kind;
        f.write_str(if self.kind == CompanionKind::Normals && !is_usual { ":normal" } else { "" })
    }
}
