//! The JavaScript modules of the pages, and their way into one script.
//!
//! Modules in `pages/model` know no document; `node --test` runs them as they are. In a page all modules of a bundle share
//! one scope: each comes after those that it imports, so its `import` lines and the word `export` go.

macro_rules! modules {
    ($($name:literal),+ $(,)?) => {
        &[$(($name, include_str!(concat!("pages/", $name, ".js")))),+]
    };
}

/// Modules of one page, each after those that it imports: names and texts.
pub(crate) type Bundle = &'static [(&'static str, &'static str)];

/// The page that plays every clip.
pub(crate) const CLIPS: Bundle = modules![
    "model/words",
    "model/timeline",
    "model/clip_text",
    "view/dom",
    "view/paint",
    "view/nine",
    "view/player",
    "view/clips",
];

/// The light table of a sheet.
pub(crate) const SHEET: Bundle = modules![
    "model/words",
    "model/timeline",
    "model/checks",
    "model/clip_text",
    "model/quoting",
    "model/history",
    "model/clean",
    "model/sheet",
    "view/dom",
    "view/paint",
    "view/player",
    "view/fields",
    "view/live",
    "view/table",
    "view/cleaning",
    "view/sheet",
];

/// The light table of frames.
pub(crate) const SET: Bundle = modules![
    "model/words",
    "model/timeline",
    "model/checks",
    "model/clip_text",
    "model/quoting",
    "model/history",
    "model/set",
    "model/changes",
    "view/dom",
    "view/paint",
    "view/nine",
    "view/player",
    "view/fields",
    "view/live",
    "view/table",
    "view/set",
];

/// The text of one script.
pub(crate) fn bundled(bundle: Bundle) -> String {
    let line = |line: &'static str| match line {
        import if import.starts_with("import ") => "",
        line => line.strip_prefix("export ").unwrap_or(line),
    };
    let lines = bundle.iter().flat_map(|(_, text)| text.lines()).map(line);
    lines.filter(|line| !line.is_empty()).flat_map(|line| [line, "\n"]).collect()
}

#[cfg(test)]
mod tests {
    use std::collections::HashSet;

    use super::*;

    /// Modules share one scope in a page, so no two may declare the same name, and what one imports comes before it.
    #[test]
    fn modules_of_a_page_import_what_is_before_them_and_declare_each_name_once() {
        for bundle in [CLIPS, SHEET, SET] {
            let (mut exported, mut declared) = (HashSet::new(), HashSet::new());
            for (module, text) in bundle {
                for line in text.lines() {
                    assert!(line.chars().count() <= 120, "{module}: {line}");
                    if let Some(rest) = line.strip_prefix("import { ") {
                        let (names, from) = rest.split_once(" } from ").expect("an import is one line");
                        for name in names.split(", ") {
                            assert!(exported.contains(name), "{module} imports {name} {from}");
                        }
                    }
                    let plain = line.strip_prefix("export ").unwrap_or(line);
                    let Some(name) = plain.strip_prefix("const ").or_else(|| plain.strip_prefix("let "))
                    else {
                        continue;
                    };
                    let name = name.split([' ', ';']).next().unwrap_or_default();
                    if name.starts_with(['[', '{']) {
                        continue;
                    }
                    assert!(declared.insert(name), "{module} declares {name} again");
                    if plain != line {
                        exported.insert(name);
                    }
                }
            }
        }
    }
}
