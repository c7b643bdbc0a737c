//! Lexical paths: `.` and `..` are resolved from the text alone, whatever exists on disk.

use std::path::{Component, Path, PathBuf};

/// A path with `.` and `..` resolved, as far as the text allows.
pub(crate) fn normal(path: &Path) -> PathBuf {
    let mut normal = PathBuf::new();
    for part in path.components() {
        match part {
            Component::CurDir => {}
            Component::ParentDir if normal.file_name().is_some() => drop(normal.pop()),
            // There is nothing above the root.
            Component::ParentDir if normal.has_root() => {}
            part => normal.push(part),
        }
    }
    normal
}

/// The same, made absolute.
pub(crate) fn full(path: &Path) -> PathBuf {
    normal(&std::path::absolute(Path::new(".").join(path)).unwrap_or_else(|_| path.to_owned()))
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn dots_go_by_what_is_before_them() {
        for (path, wanted) in
            [("a/./b/../c", "a/c"), ("../a", "../a"), ("a/../../b", "../b"), ("/../a", "/a"), ("./", "")]
        {
            assert_eq!(normal(Path::new(path)), Path::new(wanted), "{path}");
        }
        let here = std::env::current_dir().unwrap();
        assert_eq!(full(Path::new("../x")), here.parent().unwrap().join("x"));
        assert_eq!(full(Path::new("")), here);
    }
}
