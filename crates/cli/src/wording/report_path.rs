//! A path in a result for programs: written as it is shown, whatever system made it and whatever bytes it has.

use std::ops::Deref;
use std::path::{Path, PathBuf};

use serde::{Serialize, Serializer};
use shibori_formats::DisplaySlashed;

/// A path that results hold.
#[derive(Clone, Debug)]
pub(crate) struct ReportPath(PathBuf);

impl ReportPath {
    /// Each of several.
    pub(crate) fn all<'a>(paths: impl IntoIterator<Item = &'a PathBuf>) -> Vec<Self> {
        paths.into_iter().map(|path| Self(path.clone())).collect()
    }
}

impl From<PathBuf> for ReportPath {
    fn from(path: PathBuf) -> Self {
        Self(path)
    }
}

impl Deref for ReportPath {
    type Target = Path;

    fn deref(&self) -> &Path {
        &self.0
    }
}

impl Serialize for ReportPath {
    fn serialize<S: Serializer>(&self, serializer: S) -> Result<S::Ok, S::Error> {
        serializer.collect_str(&self.0.display_slashed())
    }
}
