//! From a manifest's text to an [`Atlas`]. Keys that a game doesn't need are ignored, and so are unknown ones.

use alloc::format;
use alloc::string::{String, ToString};
use alloc::vec::Vec;

use serde_json::Value;

use crate::atlas::{Alpha, Atlas, Companion, Frame, Page, Sampling};
use crate::error::{AtlasError, Problem};
use crate::{Clip, NORMAL_SUFFIXES, PlayMode, Step, Text};

/// The format that is read.
const FORMAT: &str = "shibori/1";

/// A value and its path.
struct At<'a> {
    value: &'a Value,
    parent: Option<(&'a At<'a>, Key<'a>)>,
}

#[derive(Clone, Copy)]
enum Key<'a> {
    Name(&'a str),
    Number(usize),
}

type Read<T> = Result<T, AtlasError>;

impl At<'_> {
    fn place(&self) -> String {
        let Some((parent, key)) = &self.parent else { return String::new() };
        let before = parent.place();
        match key {
            Key::Number(number) => format!("{before}[{number}]"),
            Key::Name(name) if before.is_empty() => (*name).to_string(),
            Key::Name(name) => format!("{before}.{name}"),
        }
    }

    fn wrong(&self, problem: Problem) -> AtlasError {
        AtlasError { place: self.place(), problem }
    }

    fn expected(&self, what: &'static str) -> AtlasError {
        self.wrong(Problem::Expected(what))
    }

    fn optional<'b>(&'b self, key: &'b str) -> Option<At<'b>> {
        let value = self.value.get(key).filter(|value| !value.is_null())?;
        Some(At { value, parent: Some((self, Key::Name(key))) })
    }

    /// The value of a key, or the default.
    fn or<T>(&self, key: &str, default: T, read: impl FnOnce(&At<'_>) -> Read<T>) -> Read<T> {
        self.optional(key).map_or(Ok(default), |at| read(&at))
    }

    fn required<T>(&self, key: &str, read: impl FnOnce(&At<'_>) -> Read<T>) -> Read<T> {
        match self.optional(key) {
            Some(at) => read(&at),
            None => {
                Err(At { value: &Value::Null, parent: Some((self, Key::Name(key))) }.wrong(Problem::Missing))
            }
        }
    }

    /// One of a few words.
    fn word<T: Copy>(&self, words: [(&str, T); 2], what: &'static str) -> Read<T> {
        let found = words.iter().find(|(word, _)| self.value.as_str() == Some(word));
        found.map(|&(_, value)| value).ok_or_else(|| self.expected(what))
    }

    fn items<T>(&self, read: impl Fn(&At<'_>) -> Read<T>) -> Read<Vec<T>> {
        let items = self.value.as_array().ok_or_else(|| self.expected("a list"))?;
        let item = |(at, value)| read(&At { value, parent: Some((self, Key::Number(at))) });
        items.iter().enumerate().map(item).collect()
    }

    fn entries<T>(&self, read: impl Fn(&str, &At<'_>) -> Read<T>) -> Read<Vec<T>> {
        let entries = self.value.as_object().ok_or_else(|| self.expected("an object"))?;
        let entry =
            |(key, value): (&String, _)| read(key, &At { value, parent: Some((self, Key::Name(key))) });
        entries.iter().map(entry).collect()
    }

    fn array<T, const N: usize>(&self, read: impl Fn(&At<'_>) -> Read<T>) -> Read<[T; N]> {
        let all = self.items(read)?;
        all.try_into().map_err(|_| self.expected(if N == 2 { "2 numbers" } else { "4 numbers" }))
    }
}

fn text(at: &At<'_>) -> Read<Text> {
    Ok(at.value.as_str().ok_or_else(|| at.expected("text"))?.to_string().into())
}

fn flag(at: &At<'_>) -> Read<bool> {
    at.value.as_bool().ok_or_else(|| at.expected("true or false"))
}

fn whole(at: &At<'_>) -> Read<u32> {
    let number = at.value.as_u64().and_then(|number| u32::try_from(number).ok());
    number.ok_or_else(|| at.expected("a whole number from 0 to 4294967295"))
}

fn index(at: &At<'_>) -> Read<usize> {
    whole(at).map(|number| number as usize)
}

fn signed(at: &At<'_>) -> Read<i32> {
    let number = at.value.as_i64().and_then(|number| i32::try_from(number).ok());
    number.ok_or_else(|| at.expected("a whole number"))
}

fn number(at: &At<'_>) -> Read<f32> {
    let number = at.value.as_f64().map(|number| number as f32).filter(|number| number.is_finite());
    number.ok_or_else(|| at.expected("a number"))
}

fn page(at: &At<'_>) -> Read<Page> {
    let normals = at.or("normals", Vec::new(), |list| list.items(text))?;
    let companion = |suffix: &str, file: &At<'_>| {
        let is_normal = NORMAL_SUFFIXES.contains(&suffix) || normals.iter().any(|normal| normal == suffix);
        Ok(Companion { suffix: suffix.to_string().into(), file: text(file)?, is_normal })
    };
    Ok(Page {
        file: at.required("file", text)?,
        size: at.required("size", |size| size.array(whole))?,
        factor: at.or("factor", 1.0, number)?,
        alpha: at.or("alpha", Alpha::Straight, |alpha| {
            let words = [("straight", Alpha::Straight), ("premultiplied", Alpha::Premultiplied)];
            alpha.word(words, "straight or premultiplied")
        })?,
        sampling: at.or("sampling", None, |sampling| {
            let words = [("nearest", Some(Sampling::Nearest)), ("smooth", Some(Sampling::Smooth))];
            sampling.word(words, "nearest or smooth")
        })?,
        companions: at.or("companions", Vec::new(), |all| all.entries(companion))?.into(),
    })
}

fn frame(at: &At<'_>) -> Read<Frame> {
    let area = |name: &str, area: &At<'_>| Ok((Text::from(name.to_string()), area.array(signed)?));
    Ok(Frame {
        sprite: at.required("sprite", text)?,
        name: at.required("name", text)?,
        page: at.required("page", index)?,
        rect: at.required("rect", |rect| rect.array(whole))?,
        rotated: at.or("rotated", false, flag)?,
        canvas: at.required("canvas", |canvas| canvas.array(whole))?,
        inset: at.or("inset", [0; 2], |inset| inset.array(whole))?,
        pivot: at.required("pivot", |pivot| pivot.array(number))?,
        boxes: at.or("boxes", Vec::new(), |boxes| boxes.entries(area))?.into(),
        nine: at.or("nine", None, |nine| nine.array(whole).map(Some))?,
        polygon: at.or("polygon", Vec::new(), |list| list.items(|corner| corner.array(number)))?.into(),
    })
}

fn clip(at: &At<'_>) -> Read<Clip> {
    let step = |at: &At<'_>| {
        Ok(Step {
            frame: at.required("frame", index)?,
            ticks: at.required("ticks", whole)?,
            mirror: at.or("mirror", false, flag)?,
            event: at.or("event", None, |event| text(event).map(Some))?,
        })
    };
    Ok(Clip {
        sprite: at.required("sprite", text)?,
        name: at.required("name", text)?,
        play: at.or("play", PlayMode::Forward, |play| {
            play.word([("forward", PlayMode::Forward), ("bounce", PlayMode::Bounce)], "forward or bounce")
        })?,
        plays: at.or("plays", 0, whole)?,
        timescale: at.required("timescale", whole)?,
        steps: at.required("steps", |steps| steps.items(step))?.into(),
    })
}

impl Atlas {
    /// Reads a manifest and checks every index, tick and number. For your own `extras`, read the same bytes with your own types.
    ///
    /// # Errors
    /// The first mistake in it, and where it is.
    pub fn from_json(bytes: &[u8]) -> Result<Self, AtlasError> {
        // Some editors put this before a text.
        let bytes = bytes.strip_prefix(b"\xef\xbb\xbf").unwrap_or(bytes);
        let json = |error: serde_json::Error| AtlasError {
            place: String::new(),
            problem: Problem::Json(error.to_string()),
        };
        let value: Value = serde_json::from_slice(bytes).map_err(json)?;
        let whole = At { value: &value, parent: None };
        let format = whole.required("format", text)?;
        if format != FORMAT {
            return Err(whole.wrong(Problem::Format(format.into_owned())));
        }
        let pages = whole.required("pages", |list| list.items(page))?;
        let frames = whole.required("frames", |list| list.items(frame))?;
        let clips = whole.or("clips", Vec::new(), |list| list.items(clip))?;
        Self::new(pages, frames, clips)
    }
}
