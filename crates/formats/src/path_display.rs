//! Paths as people, scripts and pages read them: with `/` on every system, so that what is printed, and what is in files, is the
//! same everywhere and can be pasted into any shell. Windows takes `/` wherever it takes `\`, but for verbatim paths.

use std::fmt::{self, Display, Formatter};
use std::path::Path;

/// What a path can be shown as.
pub trait DisplaySlashed {
    /// The path with `/` between its parts; what is not Unicode is replaced.
    fn display_slashed(&self) -> SlashedPath<'_>;
}

/// A path that is shown.
#[derive(Clone, Copy, Debug)]
pub struct SlashedPath<'a>(&'a Path);

impl DisplaySlashed for Path {
    fn display_slashed(&self) -> SlashedPath<'_> {
        SlashedPath(self)
    }
}

impl Display for SlashedPath<'_> {
    #[expect(clippy::disallowed_methods, reason = "here is where paths are shown")]
    fn fmt(&self, f: &mut Formatter<'_>) -> fmt::Result {
        if cfg!(windows) { f.pad(&slashed(&self.0.to_string_lossy())) } else { self.0.display().fmt(f) }
    }
}

/// A path of Windows with `/`; one that begins with `\\?\` is taken by the system as it stands.
fn slashed(path: &str) -> String {
    if path.starts_with(r"\\?\") { path.to_owned() } else { path.replace('\\', "/") }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn paths_are_shown_with_slashes_and_what_means_something_else_is_kept() {
        assert_eq!(slashed(r"art\koi.png"), "art/koi.png");
        assert_eq!(slashed(r"C:\art\koi.png"), "C:/art/koi.png");
        assert_eq!(slashed(r"\\server\art\koi.png"), "//server/art/koi.png");
        assert_eq!(slashed(r"\\?\C:\art\koi.png"), r"\\?\C:\art\koi.png");
        assert_eq!(Path::new("art").join("koi.png").display_slashed().to_string(), "art/koi.png");
        assert_eq!(format!("{:>10}", Path::new("koi").display_slashed()), "       koi");
    }
}
