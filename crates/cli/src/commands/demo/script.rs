//! The road of the demo, one line per command. A line is typed and run from the same data, so what is printed is what is done.

use std::path::PathBuf;

use serde::de::DeserializeOwned;
use serde_json::{Map, Value};

use crate::args::{
    Adjust, Check, ClipEdit, Command, Drift, Export, GridPreview, Html, ImageOf, ImageOutput, Inspect,
    LightTable, Pack, Preview, Slice, Unpack,
};
use crate::failure::Failure;
use crate::wording::pasteable;

/// One command.
pub(super) struct ScriptLine {
    name: &'static str,
    from: &'static [&'static str],
    /// Group, option and value, in the words of a recipe; a value of `true` is an option on its own.
    options: &'static [(&'static str, &'static str, &'static str)],
    to: Option<&'static str>,
}

const fn line(
    name: &'static str,
    from: &'static [&'static str],
    options: &'static [(&'static str, &'static str, &'static str)],
    to: Option<&'static str>,
) -> ScriptLine {
    ScriptLine { name, from, options, to }
}

pub(super) const SCRIPT: [ScriptLine; 28] = [
    line("inspect", &["art/koi.png", "art/frog.png", "art/firefly.gif"], &[], None),
    line(
        "slice",
        &["art/koi.png"],
        &[
            ("slice", "grid", "8x1"),
            ("clips", "clip", "swim = 0-7 @12fps"),
            ("clips", "clip", "turn = 3,4,5,4 @80ms once"),
        ],
        Some("sets/koi"),
    ),
    line(
        "slice",
        &["art/frog.png"],
        &[
            ("shape", "pivot", "feet"),
            ("clips", "clip", "sit = r0 @5fps"),
            ("clips", "clip", "croak = r1 @80ms bounce"),
            ("clips", "clip", "leap = r2 @total 0.8s once"),
            ("clips", "clip", "dive = r3 @12fps once"),
        ],
        Some("sets/frog"),
    ),
    line(
        "slice",
        &["art/duckling.png"],
        &[
            ("slice", "grid", "4x8"),
            ("shape", "pivot", "feet"),
            ("slice", "name", "{sprite}-{row}-{col}"),
            ("clips", "clip-rows", "walk-{dir8}@8fps"),
        ],
        Some("sets/duckling"),
    ),
    line(
        "slice",
        &["art/heron.png"],
        &[
            ("slice", "grid", "6x1"),
            ("shape", "pivot", "feet"),
            ("clips", "clip", "hunt = 0-2@200ms,3@80ms,4@400ms,5@200ms"),
        ],
        Some("rough/heron"),
    ),
    line("check", &["rough/heron"], &[], None),
    line(
        "adjust",
        &["rough/heron"],
        &[
            ("shape", "align", "match"),
            ("shape", "pivot", "feet"),
            ("shape", "box", "body=auto:clip"),
            ("shape", "polygon", "8"),
        ],
        Some("sets/heron"),
    ),
    line("adjust", &["art/signboard.png"], &[("shape", "nine", "auto")], Some("sets/signboard")),
    line(
        "slice",
        &["art/reeds.png"],
        &[
            ("slice", "islands", "true"),
            ("clean", "key", "auto"),
            ("clean", "key-scope", "everywhere"),
            ("shape", "pivot", "bottom"),
        ],
        Some("sets/reeds"),
    ),
    line(
        "slice",
        &["art/firefly.gif", "art/ripple.png"],
        &[("shape", "trim", "sprite")],
        Some("sets/lights"),
    ),
    line("clip", &["sets/frog"], &[("clips", "event", "leap@5=splash")], None),
    line("pack", &["sets", "art/lantern"], &[("pack", "page-round", "4")], Some("atlas/pond")),
    line(
        "pack",
        &["sets/frog"],
        &[("pack", "layout", "clip-rows"), ("pack", "row-order", "sit,croak,leap,dive")],
        Some("atlas/frog-rows"),
    ),
    line("unpack", &["atlas/pond.json"], &[], Some("unpacked")),
    line("export", &["atlas/pond.json"], &[("", "to", "glb")], None),
    line("export", &["atlas/pond.json"], &[("", "to", "css")], None),
    line("export", &["atlas/pond.json"], &[("", "template", "lua")], None),
    line("preview grid", &["art/frog.png"], &[], Some("look/cut.png")),
    line("preview light-table", &["art/frog.png"], &[], Some("look/frog-cut.html")),
    line("preview light-table", &["sets/heron"], &[], Some("look/heron-frames.html")),
    line("preview contact", &["atlas/pond"], &[], Some("look/pond.png")),
    line("preview pages", &["atlas/pond"], &[], Some("look/pages.png")),
    line("preview html", &["atlas/pond"], &[], Some("look/pond.html")),
    line("preview contact", &["sets/frog"], &[], Some("look/frog.png")),
    line("preview onion", &["sets/heron"], &[], Some("look/onion.png")),
    line("preview drift", &["rough/heron", "sets/heron"], &[], Some("look/drift.png")),
    line("preview motion", &["sets/frog"], &[("", "only", "leap"), ("", "zoom", "4")], Some("look/leap.gif")),
    line(
        "preview motion",
        &["sets/koi"],
        &[("", "only", "swim"), ("", "zoom", "4"), ("", "background", "checker")],
        Some("look/swim.png"),
    ),
];

/// What to look at in the end.
pub(super) const OPEN: [(&str, &str); 13] = [
    ("look/pond.html", "every clip playing, with frames, pages, times and findings, in any browser"),
    (
        "look/frog-cut.html",
        "a light table: try other grids on the frog's sheet, name its rows, copy the command",
    ),
    (
        "look/heron-frames.html",
        "another light table: move the heron's frames, change their timing, drag its box",
    ),
    ("look/cut.png", "preview of the grid on the frog's sheet"),
    ("look/pond.png", "every frame of the atlas, by clip"),
    ("look/onion.png", "the heron's frames overlaid, after aligning"),
    ("look/drift.png", "its position before and after"),
    ("look/leap.gif", "the frog's leap, enlarged four times"),
    ("look/swim.png", "the koi swimming (an animated PNG: a browser plays it)"),
    ("atlas/pond.png", "the packed page"),
    ("atlas/pond.json", "what a game reads"),
    ("shibori.toml", "the recipe: change anything, and shibori build redoes only what that affects"),
    ("build/pond.html", "the recipe's output, with the blue koi"),
];

impl ScriptLine {
    /// The line as a person types it.
    pub(super) fn to_command_line(&self) -> String {
        let mut words = vec!["shibori".to_owned(), self.name.to_owned()];
        words.extend(self.from.iter().map(|path| pasteable(path)));
        for (_, option, value) in self.options {
            words.push(format!("--{option}"));
            words.extend((*value != "true").then(|| pasteable(value)));
        }
        words.extend(self.to.into_iter().flat_map(|to| ["-o".to_owned(), pasteable(to)]));
        words.join(" ")
    }

    /// The command as it is run.
    pub(super) fn command(&self) -> Result<Command, Failure> {
        let paths: Vec<PathBuf> = self.from.iter().map(PathBuf::from).collect();
        let (source, output) = (paths[0].clone(), self.to.map(PathBuf::from));
        let file = output.clone().unwrap_or_default();
        let out = ImageOutput { output: output.clone(), here: false };
        Ok(match self.name {
            "inspect" => Command::Inspect(Inspect { images: paths }),
            "slice" => Command::Slice(Box::new(Slice { images: paths, output, options: self.options()? })),
            "adjust" => Command::Adjust(Box::new(Adjust {
                source,
                output,
                in_place: false,
                options: self.options()?,
            })),
            "check" => Command::Check(Check { sources: paths, options: self.options()? }),
            "clip" => Command::Clip(Box::new(ClipEdit {
                manifest: source,
                specs: Vec::new(),
                options: self.options()?,
            })),
            "pack" => {
                Command::Pack(Box::new(Pack { sources: paths, output: file, options: self.options()? }))
            }
            "unpack" => Command::Unpack(Unpack { manifest: source, output: file, options: self.options()? }),
            "export" => Command::Export(Export {
                manifest: Some(source),
                output,
                options: self.options()?,
                list: false,
                print_template: None,
            }),
            "preview grid" => Command::Preview(Preview::Grid(Box::new(GridPreview {
                image: source,
                out,
                options: self.options()?,
            }))),
            "preview contact" => {
                Command::Preview(Preview::Contact(ImageOf { source, out, options: self.options()? }))
            }
            "preview pages" => {
                Command::Preview(Preview::Pages(ImageOf { source, out, options: self.options()? }))
            }
            "preview onion" => {
                Command::Preview(Preview::Onion(ImageOf { source, out, options: self.options()? }))
            }
            "preview motion" => {
                Command::Preview(Preview::Motion(ImageOf { source, out, options: self.options()? }))
            }
            "preview html" => {
                Command::Preview(Preview::Html(Html { source, output: Some(file), options: self.options()? }))
            }
            "preview light-table" => Command::Preview(Preview::LightTable(LightTable {
                source,
                output: Some(file),
                serve: None,
                open: false,
            })),
            "preview drift" => Command::Preview(Preview::Drift(Drift {
                source,
                after: paths.get(1).cloned(),
                output: Some(file),
                options: self.options()?,
            })),
            other => return Err(Failure::usage(format!("the demo has no command '{other}'"))),
        })
    }

    /// The options, as a recipe would fill them.
    fn options<T: DeserializeOwned>(&self) -> Result<T, Failure> {
        let mut all = Map::new();
        for &(group, option, value) in self.options {
            let table = match group {
                "" => &mut all,
                group => {
                    let table = all.entry(group).or_insert_with(|| Value::Object(Map::new()));
                    table.as_object_mut().expect("groups are tables")
                }
            };
            match table.get_mut(option) {
                None => drop(table.insert(option.to_owned(), Value::from(value))),
                Some(Value::Array(values)) => values.push(Value::from(value)),
                Some(first) => *first = Value::Array(vec![first.take(), Value::from(value)]),
            }
        }
        serde_json::from_value(Value::Object(all)).map_err(|error| Failure::usage(error.to_string()))
    }
}

#[cfg(test)]
mod tests {
    use clap::Parser;

    use super::*;
    use crate::args::Cli;

    /// The words of a line; double quotes keep spaces.
    fn words(line: &str) -> Vec<String> {
        let mut words = Vec::new();
        for (number, part) in line.split('"').enumerate() {
            match number % 2 {
                0 => words.extend(part.split_whitespace().map(str::to_owned)),
                _ => words.push(part.to_owned()),
            }
        }
        words
    }

    #[test]
    fn what_is_printed_is_what_is_run() {
        for line in &SCRIPT {
            let typed = Cli::try_parse_from(words(&line.to_command_line())).unwrap().command;
            let run = line.command().unwrap_or_else(|_| panic!("{}", line.to_command_line()));
            assert_eq!(format!("{typed:?}"), format!("{run:?}"), "{}", line.to_command_line());
        }
    }
}
