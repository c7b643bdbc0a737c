//! Single values: sizes, pairs, boxes, cells, colors, amounts of memory, names, rules.

use std::str::FromStr;

use image::Rgba;

use crate::annotations::{Insets, SignedRect};
use crate::budget::{ByteSize, UNITS};
use crate::check::{RULES, Rule};
use crate::cut::Counts;
use crate::geometry::{LONGEST, Size, SizeError, UVec2};
use crate::grammar::ValueError;
use crate::suggestion::{closest_name, did_you_mean};
use crate::{Cell, Color, Name, NameError};

impl FromStr for Size {
    type Err = SizeError;

    /// Reads `32x48` or `32,48`; both numbers at least 1.
    fn from_str(text: &str) -> Result<Self, SizeError> {
        let UVec2 { x, y } = UVec2::two(text)?;
        if x == 0 || y == 0 {
            return Err(SizeError::Zero(text.to_owned()));
        }
        Ok(Size::new(x, y))
    }
}

impl FromStr for UVec2 {
    type Err = SizeError;

    fn from_str(text: &str) -> Result<Self, SizeError> {
        // One number is meant for both.
        match text.trim().parse::<u32>() {
            Ok(both) if both <= LONGEST => Ok(UVec2 { x: both, y: both }),
            Ok(_) => Err(SizeError::TooLarge(text.to_owned())),
            Err(_) => UVec2::two(text),
        }
    }
}

impl FromStr for Counts {
    type Err = SizeError;

    /// Reads `8x3`: columns by rows.
    fn from_str(text: &str) -> Result<Self, SizeError> {
        let Size { width, height } = text.parse()?;
        Ok(Self { columns: width, rows: height })
    }
}

impl FromStr for Cell {
    type Err = ValueError;

    fn from_str(text: &str) -> Result<Self, ValueError> {
        let parts = text.strip_prefix('r').and_then(|rest| rest.split_once('c'));
        let cell = parts
            .and_then(|(row, column)| Some(Cell { row: row.parse().ok()?, column: column.parse().ok()? }));
        cell.ok_or_else(|| ValueError::new(text, "is not a cell such as r2c5"))
    }
}

impl FromStr for SignedRect {
    type Err = ValueError;

    fn from_str(text: &str) -> Result<Self, ValueError> {
        let wrong = || {
            ValueError::new(
                text,
                "is not a box; write x,y,width,height in whole pixels of the canvas, such as 4,10,24,12",
            )
        };
        let numbers: Vec<i32> = text
            .split(',')
            .map(|part| part.trim().parse::<i32>().ok().filter(|number| number.unsigned_abs() <= LONGEST))
            .collect::<Option<_>>()
            .ok_or_else(wrong)?;
        match numbers[..] {
            [x, y, width, height] if width > 0 && height > 0 => {
                Ok(Self { x, y, width: width as u32, height: height as u32 })
            }
            _ => Err(wrong()),
        }
    }
}

impl FromStr for Insets {
    type Err = ValueError;

    fn from_str(text: &str) -> Result<Self, ValueError> {
        let numbers: Option<Vec<u32>> = text.split(',').map(|part| part.trim().parse().ok()).collect();
        match numbers.as_deref() {
            Some(&[left, top, right, bottom]) => Ok(Self { left, top, right, bottom }),
            _ => Err(ValueError::new(
                text,
                "is not a nine-slice; write left,top,right,bottom in pixels, such as 4,4,4,6",
            )),
        }
    }
}

impl FromStr for Color {
    type Err = ValueError;

    /// As in CSS (CSS Color Module Level 4), the `#` of hex digits optional: `ff00ff`, `rgb(106,76,48)`, `white`; and the
    /// three numbers alone, as code and paint programs show them.
    fn from_str(text: &str) -> Result<Self, ValueError> {
        let text = text.trim();
        let numbers: Vec<&str> = text.split([',', ' ']).filter(|number| !number.is_empty()).collect();
        let is_channel = |number: &&str| number.parse::<u8>().is_ok();
        let color = match numbers[..] {
            [_, _, _] if numbers.iter().all(is_channel) => {
                csscolorparser::parse(&format!("rgb({})", numbers.join(" ")))
            }
            _ => csscolorparser::parse(text),
        };
        let color = color.map_err(|_| {
            let why =
                "is not a color; type it as in CSS: ff00ff, ff00ff80 with alpha, rgb(255,0,255) or magenta";
            ValueError::new(text, why)
        })?;
        Ok(Color(Rgba(color.to_rgba8())))
    }
}

impl FromStr for ByteSize {
    type Err = ValueError;

    /// A number, and a unit whose capitals and `B` do not count: `2g`, `800 MB`, `1.5GB`; without one, bytes.
    fn from_str(text: &str) -> Result<Self, ValueError> {
        let wrong = || ValueError::new(text, "is not a size such as 800MB or 2.5GB");
        let end = text.trim().find(|c: char| c != '.' && !c.is_ascii_digit()).unwrap_or(text.trim().len());
        let (number, unit) = text.trim().split_at(end);
        let number: f64 = number.parse().map_err(|_| wrong())?;
        let unit = unit.trim().to_lowercase();
        let thousands = match unit.strip_suffix('b').unwrap_or(&unit) {
            "" => 0,
            letter => {
                1 + UNITS.iter().position(|unit| unit.to_lowercase()[..1] == *letter).ok_or_else(wrong)?
            }
        };
        let bytes = (number * 1000f64.powi(thousands as i32)).round();
        if bytes >= 1.0 && bytes < u64::MAX as f64 { Ok(Self(bytes as u64)) } else { Err(wrong()) }
    }
}

impl FromStr for Name {
    type Err = NameError;

    fn from_str(text: &str) -> Result<Self, NameError> {
        Self::new(text)
    }
}

impl FromStr for Rule {
    type Err = ValueError;

    fn from_str(text: &str) -> Result<Self, ValueError> {
        let found = RULES.iter().find(|(_, id)| *id == text.trim());
        found.map(|(rule, _)| *rule).ok_or_else(|| unknown_rule(text))
    }
}

fn unknown_rule(text: &str) -> ValueError {
    let ids: Vec<String> = RULES.iter().map(|(_, id)| (*id).to_owned()).collect();
    let meant = did_you_mean(closest_name(text, ids.clone()).as_ref());
    ValueError::new(text, &format!("is not a rule{meant}; available: {}", ids.join(", ")))
}
