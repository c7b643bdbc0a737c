//! Points, boxes, canvases and factors of shaping.

use std::fmt;
use std::str::FromStr;

use crate::grammar::ValueError;
use crate::pack::{PageScale, PageScaleError};
use crate::shape::{
    AlignTo, Anchor, BoxRule, BoxSpec, CanvasRule, CanvasRuleError, MAX_FACTOR, NAMED_ANCHORS, NineRule,
    ScaleRule, is_scale_factor,
};
use crate::{Name, Point, Ratio, Size, SizeError, UVec2};

impl FromStr for Anchor {
    type Err = ValueError;

    fn from_str(text: &str) -> Result<Self, ValueError> {
        let wrong = || {
            ValueError::new(
                text,
                "is not a pivot; write feet, center, bottom, top-left and so on, fractions of the canvas such as 0.5,1, \
                 pixels such as 16px,30px, or mark:COLOR",
            )
        };
        let text = text.trim();
        if text == "feet" {
            return Ok(Anchor::Feet);
        }
        if let Some(color) = text.strip_prefix("mark:") {
            return color.parse().map(Anchor::Mark).map_err(|_| wrong());
        }
        if let Some(&(_, x, y)) = NAMED_ANCHORS.iter().find(|(name, ..)| *name == text) {
            return Ok(Anchor::Fraction(Point::new(x, y)));
        }
        let (x, y) = text.split_once(',').ok_or_else(wrong)?;
        let number = |part: &str| part.parse::<f64>().ok().filter(|n| n.abs() <= 1e6).ok_or_else(wrong);
        match (x.trim().strip_suffix("px"), y.trim().strip_suffix("px")) {
            (Some(x), Some(y)) => Ok(Anchor::Pixels(Point::new(number(x)?, number(y)?))),
            (None, None) => Ok(Anchor::Fraction(Point::new(number(x.trim())?, number(y.trim())?))),
            _ => Err(wrong()),
        }
    }
}

impl FromStr for AlignTo {
    type Err = ValueError;

    fn from_str(text: &str) -> Result<Self, ValueError> {
        let wrong = || ValueError {
            text: text.to_owned(),
            message: format!(
                "can't align to '{text}'; write feet, center, mass, match, or mark:COLOR such as mark:ff00ff"
            ),
        };
        Ok(match text.trim() {
            "feet" => Self::Feet,
            "center" => Self::Center,
            "mass" => Self::Mass,
            "match" => Self::Match,
            other => Self::Mark(other.strip_prefix("mark:").ok_or_else(wrong)?.parse().map_err(|_| wrong())?),
        })
    }
}

impl FromStr for BoxSpec {
    type Err = ValueError;

    fn from_str(text: &str) -> Result<Self, ValueError> {
        let wrong = || {
            ValueError::new(
                text,
                "is not a box; write body=auto, body=auto:clip, body=24x12 around the pivot, or body=x,y,width,height \
                 such as body=4,10,24,12",
            )
        };
        let (name, rule) = text.split_once('=').ok_or_else(wrong)?;
        let name = Name::new(name.trim()).map_err(|_| wrong())?;
        let rule = match rule.trim() {
            "auto" => BoxRule::Auto,
            "auto:clip" => BoxRule::AutoClip,
            size if !size.contains(',') => {
                let size = size.parse::<Size>().ok().filter(|size| size.width.min(size.height) > 0);
                BoxRule::Centered(
                    size.filter(|size| size.width.max(size.height) <= 1 << 20).ok_or_else(wrong)?,
                )
            }
            area => BoxRule::Given(area.parse().map_err(|_| wrong())?),
        };
        Ok(Self { name, rule })
    }
}

impl FromStr for CanvasRule {
    type Err = CanvasRuleError;

    fn from_str(text: &str) -> Result<Self, CanvasRuleError> {
        let wrong = |error: SizeError| match error {
            SizeError::Shape(_) => CanvasRuleError::Shape(text.to_owned()),
            error => CanvasRuleError::Size(error),
        };
        match (text.trim(), text.trim().split_once('@')) {
            ("fit", _) => Ok(Self::Fit),
            // A place has two numbers.
            (_, Some((canvas, at))) => {
                Ok(Self::At(canvas.parse().map_err(wrong)?, UVec2::two(at).map_err(wrong)?))
            }
            (canvas, None) => canvas.parse().map(Self::Size).map_err(wrong),
        }
    }
}

impl FromStr for NineRule {
    type Err = ValueError;

    fn from_str(text: &str) -> Result<Self, ValueError> {
        if text.trim() == "auto" { Ok(Self::Auto) } else { text.parse().map(Self::Given) }
    }
}

impl FromStr for ScaleRule {
    type Err = ValueError;

    fn from_str(text: &str) -> Result<Self, ValueError> {
        let wrong = || {
            ValueError::new(
                text,
                &format!(
                    "is neither a factor above 0 and up to {MAX_FACTOR}, such as 2, 0.5 or 2/3, nor a size to fit into, such as fit:120x120"
                ),
            )
        };
        match text.trim().strip_prefix("fit:") {
            Some(size) => {
                let size = size.parse::<Size>().ok().filter(|size| !size.is_empty());
                size.map(Self::Fit).ok_or_else(wrong)
            }
            None => {
                let factor = text.parse::<Ratio>().ok().filter(|factor| is_scale_factor(*factor));
                factor.map(Self::By).ok_or_else(wrong)
            }
        }
    }
}

impl fmt::Display for ScaleRule {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        match self {
            Self::By(factor) => write!(f, "{factor}"),
            Self::Fit(size) => write!(f, "fit:{size}"),
        }
    }
}

impl FromStr for PageScale {
    type Err = PageScaleError;

    fn from_str(text: &str) -> Result<Self, PageScaleError> {
        let fine = |ratio| PageScaleError::Fine { text: text.to_owned(), ratio };
        let ratio: Ratio = text.parse()?;
        Self::new(ratio).map_err(|_| fine(ratio))
    }
}
