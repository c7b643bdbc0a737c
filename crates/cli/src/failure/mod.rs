//! What went wrong, in words: a message with the numbers, a hint of what to type instead, an exit code.
//!
//! The library's errors hold values; here they meet the options that would mend them.

mod packing;

use std::path::Path;

use shibori_core::clip::{ApplyError, ClipError, EditError, RowError};
use shibori_core::cut::{Across, CutError, even_counts};
use shibori_core::shape::{
    AlignError, CanvasError, MarkError, NineError, PlaceError, PolygonError, ScaleError,
};
use shibori_core::{NamingError, OnlyError, SetError, SyntaxError};
use shibori_formats::{Error, ReadProblem, WriteProblem};

/// Exit codes, apart from 0.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub(crate) enum Exit {
    /// `check` found something.
    Findings = 1,
    /// The command line or recipe is wrong.
    Usage = 2,
    /// An input can't be read.
    Input = 3,
    /// An output can't be written.
    Output = 4,
}

#[derive(Debug)]
pub(crate) struct Failure {
    pub(crate) exit: Exit,
    pub(crate) message: String,
    /// A typed text with a mark under the wrong character.
    pub(crate) pointer: Option<String>,
    pub(crate) hint: Option<String>,
}

impl Failure {
    pub(crate) fn usage(message: impl Into<String>) -> Self {
        Self { exit: Exit::Usage, message: message.into(), pointer: None, hint: None }
    }

    /// Something was found, and said already: only the exit code is left to tell.
    pub(crate) fn findings() -> Self {
        Self { exit: Exit::Findings, message: String::new(), pointer: None, hint: None }
    }

    pub(crate) fn with_hint(self, hint: impl Into<String>) -> Self {
        Self { hint: Some(hint.into()), ..self }
    }

    /// A typed value that is wrong at one character.
    pub(crate) fn pointing(option: &str, error: &SyntaxError) -> Self {
        let failure = Self::usage(format!("{option}: {}", error.problem));
        Self { pointer: Some(error.pointer()), ..failure }
    }

    /// A sheet that can't be cut as asked.
    pub(crate) fn cut(sheet: &Path, error: &CutError) -> Self {
        let failure = Self::usage(format!("{}: {error}", sheet.display()));
        Self { hint: cut_hint(error), ..failure }
    }
}

impl From<Error> for Failure {
    fn from(error: Error) -> Self {
        let (exit, hint) = match &error {
            Error::Read { path, problem } => (Exit::Input, read_hint(path, problem)),
            Error::Write { path, problem } => (Exit::Output, write_hint(path, problem)),
        };
        Self { exit, message: error.to_string(), pointer: None, hint }
    }
}

fn read_hint(path: &Path, problem: &ReadProblem) -> Option<String> {
    Some(match problem {
        ReadProblem::NotFound => nearest_file(path)?,
        ReadProblem::NotAnImage { .. } => {
            "PNG, APNG, GIF, WebP, JPEG, BMP, TIFF, TGA, QOI and YUV4MPEG2 can be read".to_owned()
        }
        ReadProblem::BrokenOff { frames: frames @ 1.., .. } => {
            let frames = crate::console::counted(*frames, "whole frame");
            format!("export it again; or add --accept truncated to take the {frames} before the break")
        }
        ReadProblem::TooLarge { size, .. } => format!("if that is right, add --max-pixels {}", size.area()),
        ReadProblem::TooManyFrames { .. } => "shorten it, or raise --max-pixels".to_owned(),
        ReadProblem::BrokenOff { .. } => "copy or export it again; nothing was written".to_owned(),
        ReadProblem::UnknownFormat(_) => {
            "a newer shibori wrote it; use that one, or make the manifest anew".to_owned()
        }
        ReadProblem::PageMissing(_) => {
            "put the image back beside the manifest, or make the manifest anew".to_owned()
        }
        ReadProblem::PageSize { .. } => {
            "if it was painted over at another size, add --accept edits; else bring the old size back"
                .to_owned()
        }
        ReadProblem::PathOutside(_) => {
            "pages are named relative to the manifest, with /, and stay inside its folder".to_owned()
        }
        ReadProblem::Set(SetError::TwoFrames { .. }) => {
            "give the files or sprites different names, or take one of them out".to_owned()
        }
        _ => return None,
    })
}

/// A file of a like name in the same folder.
fn nearest_file(path: &Path) -> Option<String> {
    let wanted = path.file_name()?.to_string_lossy().to_lowercase();
    let folder = path.parent().filter(|folder| !folder.as_os_str().is_empty()).unwrap_or(Path::new("."));
    let names = std::fs::read_dir(folder)
        .ok()?
        .flatten()
        .map(|entry| entry.file_name().to_string_lossy().into_owned());
    let likeness = |name: &str| strsim::jaro_winkler(&name.to_lowercase(), &wanted);
    let nearest =
        names.filter(|name| likeness(name) > 0.8).max_by(|a, b| likeness(a).total_cmp(&likeness(b)))?;
    let nearest = match path.parent() {
        Some(parent) if !parent.as_os_str().is_empty() => parent.join(nearest).display().to_string(),
        _ => nearest,
    };
    Some(format!("there is {nearest}"))
}

fn write_hint(path: &Path, problem: &WriteProblem) -> Option<String> {
    Some(match problem {
        WriteProblem::NotOurs => "choose another -o, or add --force to replace it".to_owned(),
        WriteProblem::IsSource => "choose another -o".to_owned(),
        WriteProblem::FileName { .. } | WriteProblem::Twice { .. } => {
            "name frames by a template, such as --name \"{sprite}/{n:03}\"".to_owned()
        }
        WriteProblem::Io(_) => format!("check that {} is a folder you may write to", folder_of(path)),
        _ => return None,
    })
}

fn folder_of(path: &Path) -> String {
    match path.parent() {
        Some(parent) if !parent.as_os_str().is_empty() => parent.display().to_string(),
        _ => "the current one".to_owned(),
    }
}

fn cut_hint(error: &CutError) -> Option<String> {
    match *error {
        CutError::Uneven { across, length, count, gutter } => {
            let divides = dividing(across, length, count, gutter);
            let over = length % count;
            Some(format!("{divides}or add --uneven to share out the {over} px left"))
        }
        CutError::LeftOver { across, length, cell, gutter, fits, .. } => {
            // Counted for as many cells as fit, so that the gutters between them are known.
            let room = length - gutter * (fits - 1);
            let divides = dividing(across, room, fits, gutter);
            let cells = format!("cells that are not {cell} px; ");
            Some(format!("{divides}or add --uneven for {cells}or check --offset and --gutter"))
        }
        CutError::TooMany { length, .. } => {
            Some(format!("ask for at most {length}, or check --offset and --gutter"))
        }
        CutError::CellTooLarge { .. } => {
            Some("--cell is the size of one cell in pixels; --grid counts columns x rows".to_owned())
        }
        CutError::Count { cells, .. } => Some(format!("use --count {cells} or less, or leave --count out")),
        CutError::Size(_) => None,
    }
}

/// "250 px divides into 5 columns of 50 or 10 of 25; ", or nothing where it divides into nothing.
fn dividing(across: Across, length: u32, asked: u32, gutter: u32) -> String {
    let whole = length + gutter * (asked - 1);
    let cell = |count: u32| (whole - gutter * (count - 1)) / count;
    match even_counts(length, asked, gutter)[..] {
        [] => String::new(),
        [one] => format!("{whole} px divides into {one} {across} of {}; ", cell(one)),
        [a, b, ..] => {
            let (first, second) = (a.min(b), a.max(b));
            format!(
                "{whole} px divides into {first} {across} of {} or {second} of {}; ",
                cell(first),
                cell(second)
            )
        }
    }
}

impl From<SetError> for Failure {
    fn from(error: SetError) -> Self {
        let failure = Self::usage(error.to_string());
        match error {
            SetError::TwoFrames { .. } => {
                failure.with_hint("put a number into --name, such as {sprite}-{n:02}")
            }
            SetError::TwoClips { .. } => failure.with_hint("give one of the clips another name"),
            SetError::NoFrame { .. } => failure,
        }
    }
}

impl From<CanvasError> for Failure {
    fn from(error: CanvasError) -> Self {
        match error {
            CanvasError::TooSmall { needed, .. } => {
                Self::usage(error.to_string()).with_hint(format!("use --canvas {needed} or larger"))
            }
            CanvasError::Set(error) => error.into(),
        }
    }
}

impl From<ScaleError> for Failure {
    fn from(error: ScaleError) -> Self {
        let text = format!("--scale: {error}");
        match error {
            ScaleError::Set(error) => error.into(),
            ScaleError::Factor(_) => Self::usage(text).with_hint("2 is twice as large, 0.5 half as large"),
            ScaleError::Nothing { canvas, .. } => {
                let least = 1.0 / f64::from(canvas.width.min(canvas.height));
                Self::usage(text).with_hint(format!("use --scale {:.3} or more", least.max(0.001)))
            }
        }
    }
}

impl From<AlignError> for Failure {
    fn from(error: AlignError) -> Self {
        let text = format!("--region: {error}");
        match error {
            AlignError::Set(error) => error.into(),
            AlignError::RegionOutside { canvas, .. } => Self::usage(text).with_hint(format!(
                "a region is x,y,width,height inside 0,0,{}",
                canvas.to_string().replace('x', ",")
            )),
            AlignError::RegionPlain { .. } => Self::usage(text)
                .with_hint("choose a region round a feature that has an outline, such as the head"),
        }
    }
}

impl From<MarkError> for Failure {
    fn from(error: MarkError) -> Self {
        let failure = Self::usage(error.to_string());
        match error {
            MarkError::Set(error) => error.into(),
            MarkError::Missing { .. } => failure.with_hint(
                "paint one spot of exactly that color into every frame, or leave frames out with --only",
            ),
            MarkError::Several { .. } => failure.with_hint("leave one spot of that color in each frame"),
        }
    }
}

impl From<NineError> for Failure {
    fn from(error: NineError) -> Self {
        let failure = Self::usage(format!("--nine: {error}"));
        match error {
            NineError::Set(error) => error.into(),
            NineError::TooLarge { .. } => failure.with_hint(
                "left and right together must be less than the width, top and bottom less than the height",
            ),
            NineError::NothingRepeats { .. } => {
                failure.with_hint("say it: --nine LEFT,TOP,RIGHT,BOTTOM; or narrow to the panels with --only")
            }
        }
    }
}

impl From<PolygonError> for Failure {
    fn from(error: PolygonError) -> Self {
        match error {
            PolygonError::Set(error) => error.into(),
            PolygonError::Corners(_) => {
                Self::usage(format!("--polygon: {error}")).with_hint("try --polygon 8")
            }
        }
    }
}

impl From<PlaceError> for Failure {
    fn from(error: PlaceError) -> Self {
        match error {
            PlaceError::Set(error) => error.into(),
            other => Self::usage(format!("--places: {other}")),
        }
    }
}

impl From<ApplyError> for Failure {
    fn from(error: ApplyError) -> Self {
        match error {
            ApplyError::Set(error) => error.into(),
            other => Self::usage(format!("--clip: {other}")),
        }
    }
}

impl From<RowError> for Failure {
    fn from(error: RowError) -> Self {
        let failure = Self::usage(format!("--clip-rows: {error}"));
        match error {
            RowError::Syntax(error) => Self::pointing("--clip-rows", &error),
            RowError::TooMany { .. } => failure.with_hint("leave the last names out; - skips a row"),
            RowError::NoRows => {
                failure.with_hint("cut the sheet by --grid or --cell, or name frames with --clip")
            }
        }
    }
}

impl From<EditError> for Failure {
    fn from(error: EditError) -> Self {
        let failure = Self::usage(error.to_string());
        match error {
            EditError::Set(error) => error.into(),
            EditError::Unknown { known, .. } if known.is_empty() => {
                failure.with_hint("there are no clips yet; add one: \"walk = 0-5 @12fps\"")
            }
            EditError::Unknown { known, .. } => failure.with_hint(format!("there are: {}", known.join(", "))),
            EditError::NoStep { .. } => failure.with_hint("steps count from 0"),
            _ => failure,
        }
    }
}

impl From<ClipError> for Failure {
    fn from(error: ClipError) -> Self {
        Self::usage(error.to_string())
    }
}

impl From<NamingError> for Failure {
    fn from(error: NamingError) -> Self {
        match error {
            NamingError::Set(error) => error.into(),
            other => Self::usage(format!("--name: {other}")),
        }
    }
}

impl From<OnlyError> for Failure {
    fn from(error: OnlyError) -> Self {
        let failure = Self::usage(format!("--only: {error}"));
        match error {
            OnlyError::Unknown { nearest: Some(name), .. } => {
                failure.with_hint(format!("did you mean {name}?"))
            }
            OnlyError::Unknown { known, .. } => failure.with_hint(format!("there are: {}", known.join(", "))),
            _ => failure,
        }
    }
}
