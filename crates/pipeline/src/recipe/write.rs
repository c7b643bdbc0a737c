//! Values of a recipe as TOML text: keys, strings, sources as a recipe in a folder names them, and the ways to cut that a
//! draft proposes.

use std::path::{Component, Path, PathBuf};

use shibori_core::UVec2;
use shibori_core::cut::Spacing;
use shibori_formats::DisplaySlashed;

use crate::options::toml_string;
use crate::paths::full;
use crate::steps::{DraftCut, DraftSprite};

/// The sources of a sprite as a recipe in a folder names them. Patterns don't lead out of a project, so files are listed there.
pub fn sources_in(sprite: &DraftSprite, folder: &Path) -> Vec<String> {
    let path = relative_path(&sprite.source, folder);
    let Some((before, star, after)) = sprite.pattern.as_ref().filter(|_| is_inside(&path)) else {
        return sprite.files.iter().map(|path| as_pattern(&relative_path(path, folder))).collect();
    };
    let name = format!("{}{star}{}", escaped(before), escaped(after));
    let inner = path.parent().map(as_pattern).filter(|inner| !inner.is_empty());
    vec![inner.map_or_else(|| name.clone(), |inner| format!("{inner}/{name}"))]
}

/// Whether a path that begins in the recipe's folder is in it.
fn is_inside(path: &Path) -> bool {
    matches!(path.components().next(), Some(Component::Normal(_)))
}

/// Sprites of one pattern, each with a table of its own where a pattern can't be.
pub fn separate_tables(sprite: &DraftSprite, folder: &Path) -> Vec<DraftSprite> {
    if sprite.sprites == 1 || is_inside(&relative_path(&sprite.source, folder)) {
        return vec![sprite.clone()];
    }
    let alone = |file: &PathBuf| {
        let name = file.file_stem().unwrap_or_default().to_string_lossy().into_owned();
        let (source, files, pattern) = (file.clone(), vec![file.clone()], None);
        DraftSprite { name, source, files, pattern, sprites: 1, ..sprite.clone() }
    };
    sprite.files.iter().map(alone).collect()
}

/// The line of a recipe that cuts a source this way; `None` where it isn't cut.
pub fn slice_line(cut: &DraftCut) -> Option<String> {
    Some(match cut {
        DraftCut::Grid { counts, cell, spacing, fills, .. } => {
            let mut keys = Vec::new();
            let is_plain = *spacing == Spacing::default();
            if !is_plain || !fills {
                keys.push(format!("cell = \"{cell}\""));
            }
            if is_plain || !fills {
                keys.insert(0, format!("grid = \"{counts}\""));
            }
            let zero = UVec2::default();
            if spacing.offset != zero {
                keys.push(format!("offset = \"{}\"", spacing.offset));
            }
            if spacing.gutter != zero {
                keys.push(format!("gutter = \"{}\"", spacing.gutter));
            }
            format!("slice = {{ {} }}", keys.join(", "))
        }
        DraftCut::Islands(_) => "slice = { islands = true }".to_owned(),
        DraftCut::Whole => "slice = { grid = \"1x1\" }".to_owned(),
        DraftCut::Flat => "slice = { grid = \"1x1\", blank = \"keep\" }".to_owned(),
        DraftCut::Animation(..) | DraftCut::Frames | DraftCut::Blank => return None,
    })
}

/// One text, or a list of them.
pub fn string_or_list(texts: &[String]) -> String {
    match texts {
        [one] => toml_string(one),
        several => {
            format!("[{}]", several.iter().map(|text| toml_string(text)).collect::<Vec<_>>().join(", "))
        }
    }
}

/// A path with `/`, such that no sign of a pattern in it means one.
fn as_pattern(path: &Path) -> String {
    escaped(&path.display_slashed().to_string())
}

fn escaped(text: &str) -> String {
    text.chars()
        .map(|c| if matches!(c, '*' | '?' | '[' | ']') { format!("[{c}]") } else { c.to_string() })
        .collect()
}

/// A path that begins in the current folder, from another folder. One that was typed in full stays so outside of that.
fn relative_path(path: &Path, folder: &Path) -> PathBuf {
    let (file, base) = (full(path), full(folder));
    if path.is_absolute() && !file.starts_with(&base) {
        return file;
    }
    let shared = file.components().zip(base.components()).take_while(|(a, b)| a == b).count();
    // On another drive, nothing is shared.
    if shared == 0 {
        return file;
    }
    let up = base.components().skip(shared).map(|_| Component::ParentDir);
    up.chain(file.components().skip(shared)).collect()
}
