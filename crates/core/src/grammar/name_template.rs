//! Naming frames by a template: `{sheet}/{n:03}`, `{clip}-{n}`, `r{row}c{col}`.
//!
//! `{n}` counts the frames of a sprite; in a template with `{clip}` it counts the frames of the clip,
//! and frames of no clip take the sprite's name for it. A template never changes a sprite or a clip.

use std::collections::HashMap;
use std::str::FromStr;

use crate::grammar::cursor::Cursor;
use crate::{Frame, FrameSet, Name, NameError, SetError, SyntaxError};

/// A pattern for frame names.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct NameTemplate {
    text: String,
    parts: Vec<TemplatePart>,
}

#[derive(Clone, Debug, PartialEq, Eq)]
enum TemplatePart {
    Text(String),
    Field(Field, Pad),
}

#[derive(Clone, Copy, Debug, PartialEq, Eq)]
enum Field {
    Sheet,
    Folder,
    Sprite,
    Clip,
    Number,
    Row,
    Column,
}

/// The fewest digits a number is written with; spare ones are zeros.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
struct Pad(usize);

const FIELDS: [(&str, Field); 7] = [
    ("sheet", Field::Sheet),
    ("folder", Field::Folder),
    ("sprite", Field::Sprite),
    ("clip", Field::Clip),
    ("n", Field::Number),
    ("row", Field::Row),
    ("col", Field::Column),
];

/// Why frames can't be named so.
#[derive(Clone, Debug, PartialEq, Eq, thiserror::Error)]
#[non_exhaustive]
pub enum NamingError {
    /// A template with a row or column, frames without.
    #[error("frame '{frame}' was not cut by a grid, so '{template}' has no row or column to fill in")]
    NoCell {
        /// The frame.
        frame: Name,
        /// The template.
        template: String,
    },
    /// A template with a folder, a frame whose file has none.
    #[error("'{template}' needs a folder, but '{file}' was named without one")]
    NoFolder {
        /// The frame's file.
        file: String,
        /// The template.
        template: String,
    },
    /// What comes out isn't a name.
    #[error(transparent)]
    Name(#[from] NameError),
    /// What comes out is not unique.
    #[error(transparent)]
    Set(#[from] SetError),
}

impl FromStr for NameTemplate {
    type Err = SyntaxError;

    fn from_str(text: &str) -> Result<Self, SyntaxError> {
        let mut cursor = Cursor::new(text);
        let mut parts = Vec::new();
        while !cursor.is_at_end() {
            let literal = cursor.take_while(|c| c != '{' && c != '}');
            if !literal.is_empty() {
                parts.push(TemplatePart::Text(literal.to_owned()));
            } else if cursor.eat("{") {
                parts.push(read_field(&mut cursor)?);
            } else {
                return Err(cursor.error_at(cursor.place(), "a '}' without its '{'"));
            }
        }
        if parts.is_empty() {
            return Err(cursor.error_at(0, "a name can't be empty"));
        }
        Ok(Self { text: text.to_owned(), parts })
    }
}

impl std::fmt::Display for NameTemplate {
    fn fmt(&self, f: &mut std::fmt::Formatter<'_>) -> std::fmt::Result {
        f.write_str(&self.text)
    }
}

fn read_field(cursor: &mut Cursor<'_>) -> Result<TemplatePart, SyntaxError> {
    let place = cursor.place();
    let word = cursor.take_while(|c| c.is_ascii_alphabetic());
    let Some(&(_, field)) = FIELDS.iter().find(|(name, _)| *name == word) else {
        let known = FIELDS.map(|(name, _)| format!("{{{name}}}")).join(" ");
        return Err(cursor.error_at(place, format!("'{word}' is not a field; available: {known}")));
    };
    let mut pad = Pad(0);
    if cursor.eat(":") {
        let place = cursor.place();
        let digits = cursor.number("a number of digits such as 03")? as usize;
        if digits > 20 {
            return Err(cursor.error_at(place, "more than 20 digits"));
        }
        pad = Pad(digits);
    }
    if !cursor.eat("}") {
        return Err(cursor.expected("'}'"));
    }
    Ok(TemplatePart::Field(field, pad))
}

impl NameTemplate {
    /// The template where none is given: the sprite's name and a number with enough digits for
    /// `count` frames, at least two.
    pub fn for_count(count: usize) -> Self {
        let digits = count.saturating_sub(1).max(10).ilog10() as usize + 1;
        let parts = vec![
            TemplatePart::Field(Field::Sprite, Pad(0)),
            TemplatePart::Text("-".to_owned()),
            TemplatePart::Field(Field::Number, Pad(digits)),
        ];
        Self { text: format!("{{sprite}}-{{n:{digits:02}}}"), parts }
    }

    /// Whether names depend on clips, so that clips must be there first.
    pub fn uses_clips(&self) -> bool {
        self.has(Field::Clip)
    }

    /// Whether names depend on the folders that files are in.
    pub fn uses_folders(&self) -> bool {
        self.has(Field::Folder)
    }

    fn has(&self, wanted: Field) -> bool {
        self.parts.iter().any(|part| matches!(part, TemplatePart::Field(field, _) if *field == wanted))
    }

    /// Names every frame of a set, counting from `first`.
    pub fn rename(&self, set: FrameSet, first: u32) -> Result<FrameSet, NamingError> {
        let clips: Vec<Option<Name>> = match self.uses_clips() {
            true => (0..set.frames().len()).map(|at| Some(set.first_clip_of(at)?.name().clone())).collect(),
            false => vec![None; set.frames().len()],
        };
        let mut counted: HashMap<(Name, Option<Name>), u32> = HashMap::new();
        let mut name = |at: usize, frame: &Frame| {
            let count = counted.entry((frame.sprite().clone(), clips[at].clone())).or_insert(first);
            let name = self.fill(frame, clips[at].as_ref(), *count)?;
            *count = count.saturating_add(1);
            Ok(Name::new(name)?)
        };
        let names = set.frames().iter().enumerate().map(|(at, frame)| name(at, frame));
        let names = names.collect::<Result<Vec<Name>, NamingError>>()?;
        set.map_frames(|at, frame| Ok(frame.with_name(names[at].clone())))
    }

    fn fill(&self, frame: &Frame, clip: Option<&Name>, number: u32) -> Result<String, NamingError> {
        let no_cell = || NamingError::NoCell { frame: frame.name().clone(), template: self.text.clone() };
        let mut name = String::new();
        for part in &self.parts {
            let (field, Pad(digits)) = match part {
                TemplatePart::Text(text) => {
                    name.push_str(text);
                    continue;
                }
                TemplatePart::Field(field, pad) => (field, *pad),
            };
            match field {
                Field::Sheet => name.push_str(sheet_of(frame)),
                Field::Folder => {
                    let source = frame.source().filter(|source| !source.folder.is_empty());
                    let file = || frame.source().map(|source| source.file.clone()).unwrap_or_default();
                    let no_folder = || NamingError::NoFolder { file: file(), template: self.text.clone() };
                    name.push_str(&source.ok_or_else(no_folder)?.folder);
                }
                Field::Sprite => name.push_str(frame.sprite().as_str()),
                Field::Clip => name.push_str(clip.unwrap_or(frame.sprite()).as_str()),
                Field::Number => name.push_str(&format!("{number:0digits$}")),
                Field::Row => name.push_str(&format!("{:0digits$}", frame.cell().ok_or_else(no_cell)?.row)),
                Field::Column => {
                    name.push_str(&format!("{:0digits$}", frame.cell().ok_or_else(no_cell)?.column));
                }
            }
        }
        Ok(name)
    }
}

/// The name of the file a frame came from, without its ending.
fn sheet_of(frame: &Frame) -> &str {
    let file = frame.source().map_or("", |source| source.file.as_str());
    match file.rsplit_once('.') {
        Some((stem, _)) if !stem.is_empty() => stem,
        _ if file.is_empty() => frame.sprite().as_str(),
        _ => file,
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::set::tests::{rows, with_clips};

    fn names(template: &str, set: FrameSet, first: u32) -> Vec<String> {
        let set = template.parse::<NameTemplate>().unwrap().rename(set, first).unwrap();
        set.frames().iter().map(|frame| frame.name().to_string()).collect()
    }

    #[test]
    fn fields_are_filled() {
        let set = with_clips(rows("frog", &[2, 3]), &["leap = 2-3"]);
        assert_eq!(names("{sprite}/{n:03}", rows("koi", &[2]), 1), ["koi/001", "koi/002"]);
        assert_eq!(names("r{row}c{col:02}", rows("koi", &[1, 1]), 0), ["r0c00", "r1c00"]);
        let no_folder = "{folder}-{n}".parse::<NameTemplate>().unwrap().rename(rows("koi", &[1]), 0);
        assert!(matches!(no_folder, Err(NamingError::NoFolder { .. })));
        assert_eq!(names("{clip}_{n}", set, 0), ["frog_0", "frog_1", "leap_0", "leap_1", "frog_2"]);
    }

    #[test]
    fn the_default_has_as_many_digits_as_the_last_number() {
        for (count, wanted) in [(0, "02"), (8, "02"), (100, "02"), (101, "03"), (1001, "04")] {
            assert_eq!(NameTemplate::for_count(count).to_string(), format!("{{sprite}}-{{n:{wanted}}}"));
        }
    }

    #[test]
    fn one_name_for_all_is_refused() {
        let template: NameTemplate = "frame".parse().unwrap();
        let error = template.rename(rows("koi", &[2]), 0).unwrap_err();
        assert!(matches!(error, NamingError::Set(SetError::TwoFrames { first: 0, second: 1, .. })));
    }

    #[test]
    fn mistakes_point_at_their_character() {
        for (text, at) in [("{nn}", 1), ("a{n:x}", 4), ("a{n", 3), ("a}", 1), ("", 0), ("{n:99}", 3)] {
            assert_eq!(text.parse::<NameTemplate>().unwrap_err().at, at, "{text:?}");
        }
    }
}
