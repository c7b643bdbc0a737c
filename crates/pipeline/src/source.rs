//! Where frames come from: a file or folder, or memory. Every step that takes frames takes any of them.

use std::path::{Path, PathBuf};

use shibori_core::{FrameSet, Pixels};

/// Something with frames, or an image to cut into frames.
#[derive(Clone, Debug)]
#[non_exhaustive]
pub enum Source {
    /// A set, an atlas, an image, an animation or a folder of images.
    Path(PathBuf),
    /// Frames in memory, under a name.
    Frames {
        /// What they are called in reports.
        name: String,
        /// The frames.
        set: Box<FrameSet>,
    },
    /// An uncut sheet in memory.
    Sheet {
        /// The name of its file, as if it had one: `koi.png` gives sprite `koi`.
        name: String,
        /// Its pixels.
        pixels: Pixels,
    },
}

impl Source {
    /// Frames in memory.
    pub fn frames(name: impl Into<String>, set: FrameSet) -> Self {
        Self::Frames { name: name.into(), set: Box::new(set) }
    }

    /// A sheet in memory.
    pub fn sheet(file_name: impl Into<String>, pixels: Pixels) -> Self {
        Self::Sheet { name: file_name.into(), pixels }
    }

    /// Its path, or its name as one: what reports and errors call it.
    pub fn name(&self) -> &Path {
        match self {
            Self::Path(path) => path,
            Self::Frames { name, .. } | Self::Sheet { name, .. } => Path::new(name),
        }
    }

    /// The path, if it isn't in memory.
    pub fn path(&self) -> Option<&Path> {
        match self {
            Self::Path(path) => Some(path),
            Self::Frames { .. } | Self::Sheet { .. } => None,
        }
    }

    /// One source for each path.
    pub fn paths(paths: &[PathBuf]) -> Vec<Self> {
        paths.iter().cloned().map(Self::Path).collect()
    }
}

impl From<PathBuf> for Source {
    fn from(path: PathBuf) -> Self {
        Self::Path(path)
    }
}

impl From<&Path> for Source {
    fn from(path: &Path) -> Self {
        Self::Path(path.to_owned())
    }
}
