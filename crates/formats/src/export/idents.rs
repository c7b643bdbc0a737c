//! Names as identifiers: safe in every language, and never two the same.

use std::collections::HashMap;

use crate::export::{ExportError, ExportSource};

/// What a thing is called where a sprite's name belongs to it: `koi-00` of the sprite `koi` stays, `00` becomes `koi-00`.
pub(super) fn full_name(sprite: &str, name: &str) -> String {
    match name.strip_prefix(sprite) {
        Some(rest) if !rest.starts_with(|c: char| c.is_alphanumeric()) => name.to_owned(),
        _ => format!("{sprite}-{name}"),
    }
}

/// A name of letters of any script, digits, `-` and `_` that begins with a letter or `_`; what else there is becomes one `-`.
/// Everything beyond ASCII may stand in an identifier (CSS Syntax, level 3).
pub(super) fn css_name(name: &str) -> String {
    let is_beyond = |c: char| c >= '\u{a1}' && !c.is_whitespace() && !c.is_control();
    joined(name, '-', |c| c == '-' || c == '_' || is_beyond(c))
}

/// A name of letters of any script, digits and `_` that begins with a letter or `_`.
pub(super) fn identifier(name: &str) -> String {
    joined(name, '_', |c| c == '_')
}

/// Accents that are characters of their own, as some systems write file names.
fn is_mark(c: char) -> bool {
    ('\u{300}'..='\u{36f}').contains(&c)
}

fn joined(name: &str, joint: char, also: impl Fn(char) -> bool) -> String {
    let mut text = String::with_capacity(name.len());
    for c in name.chars() {
        if c.is_alphabetic() || c.is_ascii_digit() || is_mark(c) || also(c) {
            text.push(c);
        } else if !text.ends_with(joint) {
            text.push(joint);
        }
    }
    let text = text.trim_end_matches(joint).to_owned();
    let needs_start = text.is_empty() || text.starts_with(|c: char| c.is_ascii_digit() || c == '-');
    if needs_start { format!("_{}", text.trim_start_matches('-')) } else { text }
}

/// Identifiers of all frames and clips.
#[derive(Debug)]
pub(super) struct Idents {
    pub(super) frames: Vec<String>,
    pub(super) clips: Vec<String>,
}

/// Makes identifiers of all names.
///
/// # Errors
/// If two would be the same. Frames and clips share their names only where `together`; `taken` is a name that none of
/// them may have, and whose it is.
pub(super) fn idents(
    subject: &ExportSource,
    make: fn(&str) -> String,
    together: bool,
    taken: Option<(&str, &str)>,
    format: &'static str,
) -> Result<Idents, ExportError> {
    let manifest = &subject.manifest;
    let frames: Vec<String> =
        manifest.frames.iter().map(|frame| make(&full_name(&frame.sprite, &frame.name))).collect();
    let clips: Vec<String> =
        manifest.clips.iter().map(|clip| make(&full_name(&clip.sprite, &clip.name))).collect();
    let mut seen: HashMap<String, String> = HashMap::new();
    seen.extend(taken.map(|(name, whose)| (name.to_lowercase(), whose.to_owned())));
    for (at, name) in frames.iter().enumerate() {
        take(&mut seen, name, subject.describe_frame(at), format)?;
    }
    if !together {
        seen.clear();
    }
    for (at, name) in clips.iter().enumerate() {
        take(&mut seen, name, subject.describe_clip(at), format)?;
    }
    Ok(Idents { frames, clips })
}

/// Makes sure that no two clips, and no two frames, have one name where a table is keyed by it.
///
/// # Errors
/// If two have.
pub(super) fn check_full_names(subject: &ExportSource) -> Result<(), ExportError> {
    let manifest = &subject.manifest;
    let frames = manifest.frames.iter().map(|frame| full_name(&frame.sprite, &frame.name));
    let clips = manifest.clips.iter().map(|clip| full_name(&clip.sprite, &clip.name));
    let describe = |at: usize| subject.describe_frame(at);
    all_differ(frames, describe)?;
    all_differ(clips, |at| subject.describe_clip(at))
}

fn all_differ(
    names: impl Iterator<Item = String>,
    describe: impl Fn(usize) -> String,
) -> Result<(), ExportError> {
    let mut seen: HashMap<String, usize> = HashMap::new();
    for (at, name) in names.enumerate() {
        if let Some(first) = seen.insert(name.clone(), at) {
            let (first, second) = (describe(first), describe(at));
            return Err(ExportError::Clash { name, first, second, format: "this table" });
        }
    }
    Ok(())
}

/// Takes a name for whose it is. Capitals do not tell two names apart: some languages and people do not see them.
fn take(
    seen: &mut HashMap<String, String>,
    name: &str,
    whose: String,
    format: &'static str,
) -> Result<(), ExportError> {
    match seen.insert(name.to_lowercase(), whose.clone()) {
        None => Ok(()),
        Some(first) => Err(ExportError::Clash { name: name.to_owned(), first, second: whose, format }),
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn names_become_safe_and_keep_what_they_can() {
        assert_eq!(full_name("koi", "koi-00"), "koi-00");
        assert_eq!(full_name("koi", "koiling"), "koi-koiling");
        assert_eq!(full_name("koi", "00"), "koi-00");
        assert_eq!(css_name("a b/ü.png"), "a-b-ü-png");
        assert_eq!(css_name("3rd"), "_3rd");
        assert_eq!(css_name("ü"), "ü");
        assert_eq!(css_name("金魚 00"), "金魚-00");
        assert_eq!(identifier("карп-00"), "карп_00");
        assert_eq!(identifier("u\u{308}ber ✨"), "u\u{308}ber");
        assert_eq!(identifier("koi-00"), "koi_00");
        assert_eq!(identifier("--x y--"), "_x_y");
    }
}
