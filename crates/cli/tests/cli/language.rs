//! The texts people read are plain English: no phrase that gives a translation away, in documents, help, pages or messages.

use std::fs;
use std::path::{Path, PathBuf};

use shibori_formats::DisplaySlashed;

use crate::env::Env;

/// Words that rarely read as if a native speaker had written them, and what to write instead.
const PHRASES: [(&str, &str); 23] = [
    ("told", "reported, listed"),
    ("tells of", "reports, lists"),
    ("tell of", "report, list"),
    ("stands on", "is on"),
    ("stands in", "is in"),
    ("stands beside", "is next to"),
    ("stands there", "is there"),
    ("stand still", "stay in place"),
    ("lies in", "is in"),
    ("lies on", "is on"),
    ("lies at", "is at"),
    ("lies beside", "is next to"),
    ("lie in", "are in"),
    ("anew", "again"),
    ("by itself", "automatically, alone"),
    ("let it go", "discard it"),
    ("let go", "discard, release"),
    ("for ever", "forever"),
    ("any more", "anymore, no longer"),
    ("of yours", "your own"),
    ("is wanted", "expected ..."),
    ("there are:", "available:"),
    ("half-transparent", "semitransparent"),
];

/// Nouns that a translation counts as "a row a clip".
const UNITS: [&str; 12] =
    ["row", "step", "frame", "clip", "page", "line", "place", "side", "job", "event", "file", "cell"];

fn root() -> PathBuf {
    Path::new(env!("CARGO_MANIFEST_DIR")).join("../..").canonicalize().unwrap()
}

/// Every file below a folder that ends like one of these, but for what is built or installed.
fn files(folder: &Path, endings: &[&str], found: &mut Vec<PathBuf>) {
    for entry in fs::read_dir(folder).unwrap() {
        let path = entry.unwrap().path();
        let name = path.file_name().unwrap().to_string_lossy().into_owned();
        if path.is_dir() {
            if !name.starts_with('.') && !["target", "node_modules"].contains(&name.as_str()) {
                files(&path, endings, found);
            }
        } else if endings.iter().any(|ending| name.ends_with(ending)) {
            found.push(path);
        }
    }
}

/// The string literals of Rust code before its tests, each with its line.
fn literals(code: &str) -> Vec<(usize, String)> {
    let code = code.split("#[cfg(test)]\nmod tests").next().unwrap_or_default();
    let mut texts = Vec::new();
    for (number, line) in code.lines().enumerate() {
        let line = line.split("//").next().unwrap_or_default();
        // Escaped quotes do not end a string, and placeholders aren't words.
        let plain = without_values(&line.replace("\\\"", "'").replace("'\"'", "").replace('`', "\""));
        let parts = plain.split('"').enumerate().filter(|(at, _)| at % 2 == 1);
        texts.extend(parts.map(|(_, text)| (number + 1, text.to_owned())));
        // A text that continues from the line above or on the next.
        if plain.matches('"').count() % 2 == 1 || (plain.ends_with('\\') && !plain.contains('"')) {
            texts.push((number + 1, plain));
        }
    }
    texts
}

/// A text without what is in braces.
fn without_values(text: &str) -> String {
    let mut depth = 0;
    text.chars()
        .filter(|sign| {
            depth += i32::from(*sign == '{');
            let is_outside = depth <= 0;
            depth -= i32::from(*sign == '}');
            is_outside
        })
        .collect()
}

/// The phrases in a text that a native speaker would not write.
fn giveaways(text: &str) -> Vec<String> {
    let text = text.to_lowercase();
    let words: Vec<&str> =
        text.split(|sign: char| !(sign.is_alphanumeric() || "-:'%".contains(sign))).collect();
    let padded = format!(" {} ", words.join(" "));
    let mut found: Vec<String> = PHRASES
        .iter()
        .filter(|(phrase, _)| padded.contains(&format!(" {phrase} ")))
        .map(|(phrase, better)| format!("'{phrase}': write {better}"))
        .collect();
    for at in words.windows(4) {
        let is_unit = |word: &str| UNITS.contains(&word);
        if at[0] == "a" && is_unit(at[1]) && at[2] == "a" && is_unit(at[3]) {
            found.push(format!("'{}': write one {} per {}", at.join(" "), at[1], at[3]));
        }
        if at[1] == "is"
            && at[2] == "no"
            && !["there", "longer", "it", "what"].contains(&at[0])
            && at[3] != "longer"
        {
            found.push(format!("'{}': write isn't a", at.join(" ")));
        }
    }
    for (at, sign) in text.char_indices() {
        if sign.is_ascii_digit() && text[at + 1..].starts_with(" %") {
            found.push("a number and '%' with a space between".to_owned());
        }
    }
    found
}

#[test]
fn giveaways_are_seen_and_plain_english_is_not() {
    for bad in [
        "cuts are told with the cell",
        "80 % of pixels",
        "a row a clip",
        "an image that is no picture",
        "plays for ever",
        "arranged anew",
    ] {
        assert!(!giveaways(bad).is_empty(), "{bad}");
    }
    for good in
        ["80% of pixels", "there is no clip 'x'", "one row per clip", "it is no longer there", "renewal"]
    {
        assert_eq!(giveaways(good), Vec::<String>::new(), "{good}");
    }
}

#[test]
fn documents_pages_and_messages_are_plain_english() {
    let root = root();
    let mut texts = Vec::new();
    let endings = [".md", ".html", ".js", ".toml", ".j2", ".schema.json"];
    files(&root, &endings, &mut texts);
    let mut faults = Vec::new();
    let mut look = |path: &Path, line: usize, text: &str| {
        for fault in giveaways(text) {
            faults.push(format!("{}:{line}: {fault}", path.strip_prefix(&root).unwrap().display_slashed()));
        }
    };
    for path in texts {
        let text = fs::read_to_string(&path).unwrap();
        match path.extension().is_some_and(|ending| ending == "js") {
            true => literals(&text).iter().for_each(|(number, text)| look(&path, *number, text)),
            false => text.lines().enumerate().for_each(|(number, line)| look(&path, number + 1, line)),
        }
    }
    let mut code = Vec::new();
    ["core", "formats", "pipeline", "cli"].iter().for_each(|name| {
        files(&root.join("crates").join(name).join("src"), &[".rs"], &mut code);
    });
    for path in code.iter().filter(|path| !path.ends_with("tests.rs")) {
        let text = fs::read_to_string(path).unwrap();
        literals(&text).iter().for_each(|(number, text)| look(path, *number, text));
    }
    assert!(faults.is_empty(), "\n{}", faults.join("\n"));
}

#[test]
fn every_manual_page_describes_every_option_in_plain_english() {
    let env = Env::with_art();
    env.ok("man -o man");
    let (mut faults, mut count) = (Vec::new(), 0);
    for (name, bytes) in env.files("man") {
        let page = String::from_utf8(bytes).unwrap();
        let lines: Vec<&str> = page.lines().collect();
        for (at, line) in lines.iter().enumerate() {
            let plain = line.replace("\\-", "-").replace("\\fB", "").replace("\\fR", "").replace("\\fI", "");
            faults.extend(giveaways(&plain).into_iter().map(|fault| format!("{name}: {fault}")));
            // An entry: its name on the line after `.TP`, then its description.
            if *line == ".TP" {
                count += 1;
                let text = lines.get(at + 2).copied().unwrap_or_default();
                if text.is_empty()
                    || text.starts_with(".TP")
                    || text.starts_with(".SH")
                    || text.starts_with(".br")
                {
                    faults.push(format!("{name}: no description: {}", lines[at + 1]));
                }
            }
        }
    }
    assert!(count > 400, "{count} entries");
    assert!(faults.is_empty(), "\n{}", faults.join("\n"));
}
