//! A path in a result for programs: written as it is shown, whatever system made it and whatever bytes it has.

use std::ops::Deref;
use std::path::{Path, PathBuf};

use serde::{Serialize, Serializer};
use shibori_formats::ShownPath;

/// A path that results hold.
#[derive(Clone, Debug)]
pub(crate) struct ToldPath(PathBuf);

impl ToldPath {
    /// Each of several.
    pub(crate) fn all<'a>(paths: impl IntoIterator<Item = &'a PathBuf>) -> Vec<Self> {
        paths.into_iter().map(|path| Self(path.clone())).collect()
    }
}

impl From<PathBuf> for ToldPath {
    fn from(path: PathBuf) -> Self {
        Self(path)
    }
}

impl Deref for ToldPath {
    type Target = Path;

    fn deref(&self) -> &Path {
        &self.0
    }
}

impl Serialize for ToldPath {
    fn serialize<S: Serializer>(&self, serializer: S) -> Result<S::Ok, S::Error> {
        serializer.collect_str(&self.0.shown())
    }
}
