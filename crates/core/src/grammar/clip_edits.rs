//! Changes of clips: renaming, frame clocks, events.

use std::fmt;
use std::str::FromStr;

use crate::clip::{EventSpec, FrameRate, Renaming};
use crate::grammar::ValueError;
use crate::{Name, Ratio, portability_problem};

impl FromStr for Renaming {
    type Err = ValueError;

    fn from_str(text: &str) -> Result<Self, ValueError> {
        let wrong = |message: String| ValueError { text: text.to_owned(), message };
        let (old, new) =
            text.split_once('=').ok_or_else(|| wrong("expected OLD=NEW, such as walk=stroll".to_owned()))?;
        let new = Name::new(new.trim()).map_err(|error| wrong(error.to_string()))?;
        match portability_problem(new.as_str()) {
            Some(why) => Err(wrong(format!("'{new}' can't be part of a file name: {why}"))),
            None => Ok(Self { old: old.trim().to_owned(), new }),
        }
    }
}

impl fmt::Display for Renaming {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        write!(f, "{}={}", self.old, self.new)
    }
}

impl FromStr for FrameRate {
    type Err = ValueError;

    fn from_str(text: &str) -> Result<Self, ValueError> {
        let wrong = |message: &str| ValueError { text: text.to_owned(), message: message.to_owned() };
        let number =
            text.trim().strip_suffix("fps").ok_or_else(|| wrong("a frame clock is a rate, such as 24fps"))?;
        let ratio: Ratio = number.parse()?;
        Self::new(ratio).map_err(|_| wrong("rates are limited to 1000 fps"))
    }
}

impl FromStr for EventSpec {
    type Err = ValueError;

    fn from_str(text: &str) -> Result<Self, ValueError> {
        let wrong = || ValueError::new(text, "is not an event; write CLIP@STEP=NAME, such as leap@3=splash");
        let (place, event) = text.split_once('=').ok_or_else(wrong)?;
        let (clip, step) = place.rsplit_once('@').ok_or_else(wrong)?;
        let step = step.trim().parse().map_err(|_| wrong())?;
        let event = Some(event.trim().to_owned()).filter(|event| !event.is_empty());
        if let Some(event) = &event {
            let named = Name::new(event.clone());
            named.map_err(|error| ValueError { text: text.to_owned(), message: error.to_string() })?;
        }
        Ok(Self { text: text.to_owned(), clip: clip.trim().to_owned(), step, event })
    }
}
