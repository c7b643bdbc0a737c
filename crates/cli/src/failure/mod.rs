//! What went wrong, in words: a message with the numbers, a hint of what to type instead, an exit code.
//!
//! The library's errors hold values; here they meet the options that would mend them.

mod limits;
mod packing;
mod recipe;
mod shaping;
mod sheets;
mod targets;

pub(crate) use sheets::unsure_grid;

use std::collections::BTreeMap;
use std::path::Path;

use shibori_core::clip::{ApplyError, EditError, RowError};
use shibori_core::{
    ByteSize, FilterError, NamingError, OverBudget, SelectError, SetError, SyntaxError, closest_name,
};
use shibori_formats::DisplaySlashed;
use shibori_formats::export::ExportError;
use shibori_formats::{FileError, ReadProblem, WriteProblem};
use shibori_pipeline::options::{CutOptions, OptionConflict, Requirement, ShapeOptions, SliceOptions};
use shibori_pipeline::recipe::is_key;
use shibori_pipeline::{CommandLine, Error};

use crate::message::Message;
use crate::wording::{abbreviate_list, command_line, count_noun, pasteable, pasteable_path};

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
    /// What to say; nothing where it was said already.
    pub(crate) message: Option<Message>,
    /// Whether a person and the run changed the same, and either may be kept.
    pub(crate) is_conflict: bool,
}

impl Failure {
    pub(crate) fn usage(text: impl Into<String>) -> Self {
        let message = Message { text: text.into(), pointer: None, hint: None };
        Self { exit: Exit::Usage, message: Some(message), is_conflict: false }
    }

    /// Something was found, and said already: only the exit code is left to tell.
    pub(crate) fn findings() -> Self {
        Self::already_reported(Exit::Findings)
    }

    /// An output that can't be written.
    pub(crate) fn output(text: impl Into<String>) -> Self {
        Self::usage(text).with_exit(Exit::Output)
    }

    /// Something that is said in these words.
    pub(crate) fn of_message(message: Message) -> Self {
        Self { exit: Exit::Usage, message: Some(message), is_conflict: false }
    }

    /// What went wrong was said already.
    pub(crate) fn already_reported(exit: Exit) -> Self {
        Self { exit, message: None, is_conflict: false }
    }

    pub(crate) fn with_hint(self, hint: impl Into<String>) -> Self {
        self.with_any_hint(Some(hint.into()))
    }

    pub(crate) fn with_any_hint(self, hint: Option<String>) -> Self {
        let message = self.message.map(|message| Message { hint, ..message });
        Self { message, ..self }
    }

    fn with_exit(self, exit: Exit) -> Self {
        Self { exit, ..self }
    }

    /// The same where options are keys of a recipe, and outputs are named there.
    pub(crate) fn for_recipe(self) -> Self {
        let in_recipe = |text: String| text.lines().map(line_in_recipe).collect::<Vec<_>>().join("\n");
        let message = self.message.map(|message| Message {
            text: in_recipe(message.text),
            hint: message.hint.map(in_recipe),
            ..message
        });
        Self { message, ..self }
    }

    /// A typed value that is wrong at one character.
    pub(crate) fn pointing(option: &str, error: &SyntaxError) -> Self {
        let text = format!("{option}: {}", error.problem);
        let message = Message { text, pointer: Some(error.pointer()), hint: None };
        Self { exit: Exit::Usage, message: Some(message), is_conflict: false }
    }
}

/// A line of a message in the words of a recipe: keys have no dashes, and a command that cuts is a table.
fn line_in_recipe(line: &str) -> String {
    let indent = &line[..line.len() - line.trim_start().len()];
    if line.trim_start().starts_with("shibori slice ")
        && let Some((_, options)) = line.split_once(" --")
    {
        let key = |option: &str| match option.trim().split_once(' ') {
            Some((key, value)) => format!("{key} = \"{}\"", value.trim()),
            None => format!("{} = true", option.trim()),
        };
        let keys: Vec<String> = options.split(" --").map(key).collect();
        return format!("{indent}slice = {{ {} }}", keys.join(", "));
    }
    let text = line.replace("another -o", "another file in the recipe");
    let text = text.replace(": -o SET", "").replace("use -o ", "name it ");
    let mut parts = text.split("--");
    let mut result = parts.next().unwrap_or_default().to_owned();
    for part in parts {
        let option: String = part.chars().take_while(|c| c.is_ascii_lowercase() || *c == '-').collect();
        // In a file name, it isn't an option.
        let before = result.chars().next_back();
        let is_word = before.is_none_or(|c| c.is_whitespace() || ['(', '[', '\'', '"', '`'].contains(&c))
            && !part[option.len()..]
                .starts_with(|c: char| c.is_alphanumeric() || ['.', '_', '/', '\\'].contains(&c));
        // Options of the build itself are typed still.
        result += if is_word && is_key(option.trim_end_matches('-')) { "" } else { "--" };
        result += part;
    }
    result
}

impl From<Error> for Failure {
    fn from(error: Error) -> Self {
        let plain = Self::usage(error.to_string());
        match error {
            Error::Recipe(error) => (*error).into(),
            Error::InRecipe { mark, error } => {
                let inner = Self::from(*error);
                let at = format!("{}:{mark}", mark.file.display_slashed());
                let message = inner.message.map(|message| Message {
                    text: format!("{at}: {}", message.text),
                    pointer: message.pointer.or_else(|| Some(mark.pointer())),
                    ..message
                });
                Self { message, ..inner }
            }
            Error::File(error) => error.into(),
            Error::Options(error) => error.into(),
            Error::Sheet(error) => sheets::sheet_failure(error, plain),
            Error::Limit(error) => error.into(),
            Error::Clips(error) => error.into(),
            Error::ExportInput(error) => error.into(),
            Error::Guide(error) => error.into(),
            Error::Set(error) => error.into(),
            Error::Naming(error) => error.into(),
            Error::Apply(error) => error.into(),
            Error::Rows(error) => error.into(),
            Error::Edit(error) => error.into(),
            Error::Only(error) => error.into(),
            Error::Select(error) => Self::usage(format!("--take: {error}")),
            Error::Mark(error) => error.into(),
            Error::Scale(error) => error.into(),
            Error::Align(error) => error.into(),
            Error::RegionOutside { .. } => Self::usage(format!("--region: {error}"))
                .with_hint("a region is x,y,width,height on the first frame's canvas"),
            Error::Canvas(error) => error.into(),
            Error::Nine(error) => error.into(),
            Error::Polygon(error) => error.into(),
            Error::Places(error) => error.into(),
            Error::Pack(error) => error.into(),
            Error::Companion(error) => error.into(),
            Error::Export(error) => error.into(),
            Error::SharedSprite { .. } => plain
                .with_hint(r#"keep them apart by their folders: --name "{folder}-{n:02}"; or rename one"#),
            Error::NotASet { .. } => plain.with_hint("give a folder to write to instead: -o SET"),
            Error::NoClips { source_path } => {
                let path = pasteable_path(&source_path);
                plain.with_hint(match source_path.is_dir() {
                    true => format!("give its images a manifest first: shibori slice {path} --manifest-only"),
                    false => format!("cut it first: shibori slice {path} --clip \"NAME = FRAMES\""),
                })
            }
            Error::NotHtml { file, .. } => {
                plain.with_hint(format!("use -o {}", file.with_extension("html").display_slashed()))
            }
            _ => plain,
        }
    }
}

/// An option as it is typed: `page-size 64x32` becomes `--page-size 64x32`.
fn option_flag(option: &str) -> String {
    format!("--{option}")
}

impl From<OptionConflict> for Failure {
    fn from(error: OptionConflict) -> Self {
        match error {
            OptionConflict::Both { first, second, what } => {
                Self::usage(format!("{} and {} both define {what}", option_flag(first), option_flag(second)))
                    .with_hint("remove one of them")
            }
            OptionConflict::Needs { option: "region" | "align-reach", .. } => {
                Self::usage("--region and --align-reach only work with --align match")
                    .with_hint("add --align match, or remove them")
            }
            OptionConflict::Needs { option, with: Requirement { option: with, value } } => {
                let value = value.map(|value| format!(" {value}")).unwrap_or_default();
                Self::usage(format!("{} has no effect here; it needs {}{value}", option_flag(option), option_flag(with)))
            }
            OptionConflict::Against { first, second, why: "" } => {
                Self::usage(format!("{} and {} contradict each other", option_flag(&first), option_flag(&second)))
            }
            OptionConflict::Against { first, second, why } => {
                Self::usage(format!("{} can't be used with {}{why}", option_flag(&first), option_flag(&second)))
            }
            OptionConflict::Twice { option: "box", value } => {
                Self::usage(format!("--box: the box '{value}' is given twice"))
                    .with_hint("remove or rename one of them")
            }
            OptionConflict::Twice { option: "page-scales", value } => {
                Self::usage(format!("--page-scales: the factor {value} is given twice"))
            }
            OptionConflict::Twice { option: "companion", value } => {
                Self::usage(format!("--companion: the suffix {value} is given twice"))
            }
            OptionConflict::Twice { option, value } => {
                Self::usage(format!("{}: '{value}' is given twice", option_flag(option)))
            }
            OptionConflict::ManifestOnly => Self::usage(
                "--manifest-only leaves the sheet untouched, so no option may change or move its pixels",
            )
            .with_hint("remove --manifest-only, or the Clean options, --islands, --mirror, --scale, --align and --canvas"),
            other => Self::usage(other.to_string()),
        }
    }
}

impl From<FileError> for Failure {
    fn from(error: FileError) -> Self {
        let (exit, hint) = match &error {
            FileError::Read { path, problem } => (Exit::Input, read_hint(path, problem)),
            FileError::Write { problem: WriteProblem::Memory(over), .. } => {
                (Exit::Usage, Some(memory_hint(over)))
            }
            FileError::Write {
                path,
                problem: problem @ (WriteProblem::TooLong { .. } | WriteProblem::TooLarge { .. }),
            } => (Exit::Usage, write_hint(path, problem)),
            FileError::Write { path, problem } => (Exit::Output, write_hint(path, problem)),
        };
        let is_conflict = matches!(&error, FileError::Write { problem: WriteProblem::Conflict { .. }, .. });
        Self { is_conflict, ..Self::usage(error.to_string()).with_exit(exit).with_any_hint(hint) }
    }
}

/// What would help a run that needs more memory than it may have.
fn memory_hint(over: &OverBudget) -> String {
    let whole = ByteSize(over.need.saturating_add(over.taken));
    // In whole megabytes, rounded up, with a quarter more for the steps that follow.
    let enough = whole.0.saturating_add(whole.0 / 4).div_ceil(1_000_000);
    let machine = shibori_pipeline::available_memory();
    match whole <= machine {
        true => format!("process it in parts, or add --max-memory {enough}MB (the machine has {machine})"),
        false => format!("process it in parts or at a smaller size: the machine has {machine} of memory"),
    }
}

fn read_hint(path: &Path, problem: &ReadProblem) -> Option<String> {
    Some(match problem {
        ReadProblem::NotFound if path == Path::new("-") => {
            "- is standard input only where one image is read; name a file instead".to_owned()
        }
        ReadProblem::NotFound => nearest_file(path)?,
        ReadProblem::NotAnImage { .. } => {
            "supported formats: PNG, APNG, GIF, WebP, JPEG, BMP, TIFF, TGA, QOI, OpenRaster and YUV4MPEG2"
                .to_owned()
        }
        ReadProblem::BrokenOff { frames: frames @ 1.., .. } => {
            let frames = count_noun(*frames, "whole frame");
            format!("export it again, or add --accept truncated to use the {frames} before the break")
        }
        ReadProblem::CanvasTooLarge { size, .. } | ReadProblem::TooLarge { size, .. } => {
            format!("if this is intended, add --max-pixels {}", size.area())
        }
        ReadProblem::Memory(over) => memory_hint(over),
        ReadProblem::BrokenOff { format: "JPEG", .. } => {
            "copy or export it again, or add --accept truncated to use what there is".to_owned()
        }
        ReadProblem::BrokenOff { .. } => "copy or export it again; nothing was written".to_owned(),
        ReadProblem::NotAManifest => {
            "if it describes an atlas made by another tool, slice that with shibori slice PAGE --rects LIST.csv, or --islands"
                .to_owned()
        }
        ReadProblem::UnknownFormat(_) => {
            "it was written by a newer shibori; use that version, or regenerate the manifest".to_owned()
        }
        ReadProblem::PageMissing(_) => {
            "put the image back next to the manifest, or regenerate the manifest".to_owned()
        }
        ReadProblem::CompanionSize { page, .. } => {
            format!("make it {page} px, or restore it")
        }
        ReadProblem::PageSize { .. } => {
            "if you resized it on purpose, add --accept edits; otherwise restore the old size"
                .to_owned()
        }
        ReadProblem::PathOutside(_) => {
            "page paths are relative to the manifest, use /, and stay inside its folder".to_owned()
        }
        ReadProblem::Set(SetError::TwoFrames { .. }) => {
            "rename or remove one of the files or sprites".to_owned()
        }
        _ => return None,
    })
}

/// A file of a like name in the same folder.
fn nearest_file(path: &Path) -> Option<String> {
    // Standard input, or a slip of the finger, is like anything.
    let wanted = path.file_name()?.to_string_lossy().to_lowercase();
    if wanted.len() < 3 {
        return None;
    }
    let folder = path.parent().filter(|folder| !folder.as_os_str().is_empty()).unwrap_or(Path::new("."));
    let names = std::fs::read_dir(folder).ok()?.flatten().map(|entry| entry.file_name());
    // Files in an order of their own, so that of two as like the same is named everywhere.
    let names: BTreeMap<String, String> = names
        .map(|name| name.to_string_lossy().into_owned())
        .map(|name| (name.to_lowercase(), name))
        .collect();
    let nearest = names[closest_name(&wanted, names.keys())?].clone();
    let nearest = match path.parent() {
        Some(parent) if !parent.as_os_str().is_empty() => parent.join(nearest).display_slashed().to_string(),
        _ => nearest,
    };
    Some(format!("did you mean {nearest}?"))
}

fn write_hint(path: &Path, problem: &WriteProblem) -> Option<String> {
    Some(match problem {
        WriteProblem::NotAnAtlas { ending } => match ending.as_str() {
            "html" => format!(
                "for a page that plays clips, use shibori preview html SOURCE -o {}",
                pasteable_path(path)
            ),
            "gif" | "apng" | "y4m" | "mp4" => {
                let file = path.with_extension(if ending == "mp4" { "gif" } else { ending });
                format!("for an animation, use shibori preview motion SOURCE -o {}", pasteable_path(&file))
            }
            _ => {
                let stem = path.with_extension("");
                format!(
                    "pack to -o {0}, then use shibori export {0}.json --to {1}",
                    pasteable_path(&stem),
                    ending
                )
            }
        },
        WriteProblem::NotOurs => "choose another -o, or add --force to replace it".to_owned(),
        WriteProblem::Memory(over) => memory_hint(over),
        WriteProblem::BrokenManifest { .. } => {
            "correct it there to keep what is in it, or add --force to replace it".to_owned()
        }
        WriteProblem::IsSource => "choose another -o".to_owned(),
        WriteProblem::TooLong { .. } => "choose fewer or smaller cells".to_owned(),
        WriteProblem::TooLarge { longest, .. } => format!("use --page-max {longest}"),
        WriteProblem::Conflict { .. } => "add --carry to keep yours, or --force to take the new".to_owned(),
        WriteProblem::CannotKeep { .. } => "drop --carry, and add --force to take the new".to_owned(),
        WriteProblem::OtherRecipe { .. } => {
            "name another output in one of the recipes, or add --force to take it over".to_owned()
        }
        WriteProblem::ReadOnly => "make it writable, or choose another -o".to_owned(),
        WriteProblem::Unfinished { .. } => {
            "close the programs that have it open, then run any command that writes there".to_owned()
        }
        WriteProblem::OtherKind { .. } | WriteProblem::OtherSprites { .. } => {
            "choose another -o, or add --force to replace it".to_owned()
        }
        WriteProblem::NoOwnImage { .. } => "give a folder to write to instead: -o SET".to_owned(),
        WriteProblem::ChangedMeanwhile => "run it again".to_owned(),
        WriteProblem::TwoSteps => "give each of them another -o".to_owned(),
        WriteProblem::FileName { .. } | WriteProblem::Twice { .. } => {
            "give the frames other names: slice again with --name \"{sprite}-{n:02}\"".to_owned()
        }
        WriteProblem::NewName { .. } => "choose another name, such as -o set".to_owned(),
        WriteProblem::Io(error) if error.kind() == std::io::ErrorKind::StorageFull => {
            format!("free up space on the disk that holds {}", folder_of(path))
        }
        WriteProblem::Io(_) => format!("check that you can write to the folder {}", folder_of(path)),
        _ => return None,
    })
}

/// The same failure; if frames have names that can't be files, with a command that renames them. `output` is where it writes
/// them.
pub(crate) fn with_renaming(error: Error, source: &Path, shape: ShapeOptions, output: &Path) -> Failure {
    let is_name = matches!(
        &error,
        Error::File(FileError::Write {
            problem: WriteProblem::FileName { .. } | WriteProblem::Twice { .. },
            ..
        })
    );
    let failure = Failure::from(error);
    let (true, Ok(name)) = (is_name, "{sprite}-{n:02}".parse()) else { return failure };
    let cut = CutOptions { name: Some(name), ..CutOptions::default() };
    let options = Box::new(SliceOptions { cut, shape, ..SliceOptions::default() });
    let output = Some(output.to_owned());
    let command = command_line(&CommandLine::Slice { source: source.to_owned(), options, output });
    failure.with_hint(format!("give the frames other names:\n    {command}"))
}

fn folder_of(path: &Path) -> String {
    match path.parent() {
        Some(parent) if !parent.as_os_str().is_empty() => parent.display_slashed().to_string(),
        _ => ". (the current folder)".to_owned(),
    }
}

impl From<SetError> for Failure {
    fn from(error: SetError) -> Self {
        let failure = Self::usage(error.to_string());
        match error {
            SetError::TwoFrames { .. } => failure
                .with_hint("rename one of the files or sprites; slice has --sprite and --name for that"),
            SetError::TwoClips { .. } => failure.with_hint("give one of the clips another name"),
            _ => failure,
        }
    }
}

impl From<ApplyError> for Failure {
    fn from(error: ApplyError) -> Self {
        match error {
            ApplyError::Set(error) => error.into(),
            ApplyError::Frames { error: SelectError::NoFrame { .. }, .. } => {
                Self::usage(format!("--clip: {error}"))
                    .with_hint("frames are numbered after --take and without blank cells")
            }
            other => Self::usage(format!("--clip: {other}")),
        }
    }
}

impl From<RowError> for Failure {
    fn from(error: RowError) -> Self {
        let failure = Self::usage(format!("--clip-rows: {error}"));
        match error {
            RowError::Syntax(error) => Self::pointing("--clip-rows", &error),
            RowError::TooMany { .. } => failure.with_hint("remove the extra names; - skips a row"),
            RowError::NoRows => {
                failure.with_hint("slice the sheet with --grid or --cell, or list frames with --clip")
            }
            _ => failure,
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
            EditError::Unknown { nearest: Some(name), .. } => {
                failure.with_hint(format!("did you mean {name}?"))
            }
            EditError::Unknown { known, .. } => {
                failure.with_hint(format!("available: {}", abbreviate_list(&known)))
            }
            EditError::NoStep { .. } => failure.with_hint("steps count from 0"),
            EditError::TwoEvents { first, second, .. } => failure
                .with_hint(format!("a step holds one event; name it for both, such as {first}+{second}")),
            _ => failure,
        }
    }
}

impl From<NamingError> for Failure {
    fn from(error: NamingError) -> Self {
        match error {
            NamingError::Set(SetError::TwoFrames { .. }) => Self::usage(error.to_string())
                .with_hint("include a number in --name, such as {sprite}-{n:02}"),
            NamingError::Set(error) => error.into(),
            other => Self::usage(format!("--name: {other}")),
        }
    }
}

impl From<FilterError> for Failure {
    fn from(error: FilterError) -> Self {
        let failure = Self::usage(format!("--only: {error}"));
        match error {
            FilterError::Unknown { is_frame: true, text, .. } => failure
                .with_hint(format!("that is a frame: use --only {}", pasteable(&format!("named:{text}")))),
            FilterError::Unknown { nearest: Some(name), .. } => {
                failure.with_hint(format!("did you mean {name}?"))
            }
            FilterError::Unknown { known, .. } => {
                failure.with_hint(format!("available: {}", abbreviate_list(&known)))
            }
            _ => failure,
        }
    }
}

impl From<ExportError> for Failure {
    fn from(error: ExportError) -> Self {
        let failure = Self::usage(error.to_string());
        match error {
            ExportError::Clash { .. } => failure.with_hint(
                "rename one of them: a clip with shibori clip MANIFEST --rename OLD=NEW, frames by packing or slicing again with \
                    --name \"{sprite}-{n:02}\"",
            ),
            ExportError::Rotated { .. } => failure.with_hint(
                "pack without --allow-rotation, or export to svg, gltf or glb, which rotate frames back",
            ),
            ExportError::SameTime { .. } => {
                failure.with_hint("round its times to a frame rate: clip MANIFEST --snap 60fps")
            }
            ExportError::Page { format: "CSS", .. } => failure
                .with_hint("export to svg, which converts pages, or pack as PNG or WebP with straight alpha"),
            ExportError::Page { .. } => {
                failure.with_hint("export to glb, which converts pages, or pack as PNG with straight alpha")
            }
            _ => failure,
        }
    }
}
