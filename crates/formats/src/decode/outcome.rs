//! What reading a source gives: frames, what was noticed, and which files were read; and what things are called after
//! their files.

use std::fmt;
use std::path::{Path, PathBuf};

use shibori_core::wording::{abbreviate_list, count_noun};
use shibori_core::{FrameSet, Name, Size, portable_name};

use crate::FileError;
use crate::decode::codec::{LayerLoss, ReadLoss};

/// Frames, and what was noticed on the way.
#[derive(Clone, Debug, Default)]
pub struct LoadedFrames {
    /// The frames and clips.
    pub set: FrameSet,
    /// What the user should hear.
    pub remarks: Vec<ReadNotice>,
    /// Every file that was read: none of them may be overwritten.
    pub files: Vec<PathBuf>,
}

/// Something that isn't an error, but not as it may seem.
#[derive(Clone, Debug, PartialEq, Eq, serde::Serialize)]
#[serde(rename_all = "kebab-case", rename_all_fields = "snake_case")]
#[non_exhaustive]
pub enum ReadNotice {
    /// Numbers missing in a numbered sequence.
    MissingNumbers {
        /// The sequence, such as `leap_`.
        sequence: String,
        /// The numbers that are not there.
        missing: Vec<u64>,
    },
    /// An animation that ends early; the frames before that were taken.
    Truncated {
        /// The file.
        file: String,
        /// How many frames are whole; 0 for a still picture, of which a part was taken.
        frames: usize,
    },
    /// An image of a set that was painted over at another size.
    Edited {
        /// The frame.
        frame: String,
        /// Its image.
        file: String,
        /// The size it had.
        was: Size,
        /// The size it has.
        now: Size,
        /// The frame's canvas now.
        canvas: Size,
    },
    /// Images that lost data when read.
    Loss {
        /// The first of them.
        file: String,
        /// How many there are.
        files: usize,
        /// What was lost.
        loss: ReadLoss,
    },
    /// Layers that aren't as they look in their painting.
    Layers {
        /// The file.
        file: String,
        /// Their names.
        names: Vec<String>,
        /// Why.
        loss: LayerLoss,
    },
    /// Delays too short for viewers, played as 100 ms.
    FastDelays {
        /// The file.
        file: String,
        /// How many frames have one.
        frames: usize,
    },
}

impl fmt::Display for ReadNotice {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        match self {
            Self::MissingNumbers { sequence, missing } => {
                let numbers: Vec<String> = missing.iter().map(ToString::to_string).collect();
                write!(f, "numbered images '{sequence}': missing {}", abbreviate_list(&numbers))
            }
            Self::Truncated { file, frames: 0 } => {
                write!(f, "{file}: ends early; what there is was used; the rest is gray or coarse")
            }
            Self::Truncated { file, frames } => {
                write!(f, "{file}: ends early; the {} before that were used", count_noun(*frames, "frame"))
            }
            Self::Edited { frame, file, was, now, canvas } => {
                write!(
                    f,
                    "{file}: resized from {was} to {now} px; the canvas of frame '{frame}' is now {canvas} px"
                )
            }
            Self::Loss { file, files, loss } => {
                f.write_str(file)?;
                if *files > 1 {
                    write!(f, " and {}", count_noun(files - 1, "other file"))?;
                }
                write!(f, ": {loss}")
            }
            Self::Layers { file, names, loss } => {
                let layers = if names.len() == 1 { "layer" } else { "layers" };
                let name =
                    |name: &String| if name.is_empty() { "(no name)".to_owned() } else { name.clone() };
                let names = abbreviate_list(&names.iter().map(name).collect::<Vec<_>>());
                match loss {
                    LayerLoss::Hidden => write!(f, "{file}: left out hidden {layers}: {names}"),
                    LayerLoss::Guide => write!(f, "{file}: left out guide {layers}: {names}"),
                    LayerLoss::Cropped => {
                        write!(f, "{file}: {layers} cut off at the edge of the canvas: {names}")
                    }
                    LayerLoss::Blended => write!(f, "{file}: blend mode ignored in {layers}: {names}"),
                }
            }
            Self::FastDelays { file, frames } => {
                let frames = count_noun(*frames, "frame");
                write!(f, "{file}: {frames} with a delay of up to 10 ms play as 100 ms, as in browsers")
            }
        }
    }
}

impl fmt::Display for ReadLoss {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        f.write_str(match self {
            Self::SixteenBits => "16 bits per channel, of which the upper 8 are kept",
            Self::BmpAlpha => {
                "alpha is ignored, since the header says 24-bit color; save as PNG to keep transparency"
            }
            Self::Premultiplied => "premultiplied, so the colors of semitransparent pixels come back rounded",
        })
    }
}

/// A file's name without its folders and its ending: the sprite it is taken for. Characters that some system
/// doesn't allow in file names become `-`, because files are named after sprites.
pub fn sprite_name(path: &Path) -> Result<Name, FileError> {
    if path == Path::new("-") {
        return Name::new("stdin").map_err(|error| FileError::read(path, error));
    }
    let stem = path.file_stem().map_or_else(|| "frames".into(), |stem| stem.to_string_lossy());
    Name::new(portable_name(&stem)).map_err(|error| FileError::read(path, error))
}

pub(crate) fn file_name(path: &Path) -> String {
    path.file_name().unwrap_or_default().to_string_lossy().into_owned()
}
