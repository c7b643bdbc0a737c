//! The command line as people meet it: `-h` fits a screen, `--help` has everything, and both end in examples.
//!
//! Which options come first is said here, command by command, and a test types every example. What an option does is said
//! where it is defined.

use clap::{Arg, Command, CommandFactory};

use crate::args::Cli;

/// What is said about a command beside its options.
struct HelpTopic {
    /// The command, as typed.
    name: &'static str,
    /// The options that people need first, shown by `-h`; of other commands all are.
    first: &'static [&'static str],
    /// What can be typed, and what it is for. They run in this order where the demo art is.
    examples: &'static [(&'static str, &'static str)],
}

const TOPICS: [HelpTopic; 23] = [
    HelpTopic {
        name: "inspect",
        first: &[],
        examples: &[
            ("see what is in a sheet and how to slice it", "inspect art/frog.png"),
            ("the same for a whole folder, as JSON for scripts", "inspect art --json"),
        ],
    },
    HelpTopic {
        name: "slice",
        first: &[
            "output",
            "grid",
            "cell",
            "islands",
            "take",
            "key",
            "trim",
            "align",
            "pivot",
            "clip",
            "clip-rows",
        ],
        examples: &[
            ("detect the grid and slice", "slice art/koi.png -o koi"),
            (
                "eight columns, four rows, row 2 as a clip",
                "slice art/frog.png --grid 8x4 --clip \"leap = r2 @12fps once\" -o frog",
            ),
            ("separate drawings on a flat color", "slice art/reeds.png --islands --key auto -o reeds"),
        ],
    },
    HelpTopic {
        name: "adjust",
        first: &[
            "output", "in-place", "only", "key", "specks", "mirror", "scale", "align", "trim", "canvas",
            "pivot", "box",
        ],
        examples: &[
            (
                "stabilize the figure, put the pivot at the feet",
                "adjust koi --align match --pivot feet -o steady",
            ),
            (
                "edit the set in place: flip it, add a hitbox around the body",
                "adjust koi --in-place --mirror left-right --box body=auto",
            ),
        ],
    },
    HelpTopic {
        name: "clip",
        first: &[],
        examples: &[
            ("list the clips", "clip frog"),
            ("add one, its last frame held three times as long", "clip frog \"croak = 4-8, 9x3 @80ms\""),
            ("play one clip 1.5 times as fast", "clip frog --speed 1.5 --only leap"),
        ],
    },
    HelpTopic {
        name: "pack",
        first: &[
            "output",
            "layout",
            "page-max",
            "page-round",
            "gutter",
            "bleed",
            "allow-rotation",
            "effort",
            "page-scales",
            "png",
            "palette",
            "trim",
        ],
        examples: &[
            ("as tightly packed as possible", "pack koi frog -o pond"),
            ("one row per clip, cells of one size", "pack frog --layout clip-rows -o frog-rows"),
            (
                "power-of-two pages, plus the same at half size",
                "pack koi frog --page-round pow2 --page-scales 1,0.5 -o small",
            ),
        ],
    },
    HelpTopic {
        name: "unpack",
        first: &[],
        examples: &[
            ("restore every frame as it was before packing", "unpack pond.json -o unpacked"),
            ("layers to paint on", "unpack pond.json -o pond.ora"),
        ],
    },
    HelpTopic {
        name: "export",
        first: &[],
        examples: &[
            ("list formats and templates", "export --list"),
            ("a stylesheet with animations", "export pond.json --to css"),
            ("print a template to start your own from", "export --print-template lua"),
        ],
    },
    HelpTopic {
        name: "preview contact",
        first: &[],
        examples: &[("every frame, with pivots and boxes", "preview contact frog --show all -o frog.png")],
    },
    HelpTopic {
        name: "preview grid",
        first: &["output", "here", "zoom", "grid", "cell", "offset", "gutter", "islands", "within", "key"],
        examples: &[
            ("show the detected grid", "preview grid art/frog.png -o cut.png"),
            ("show a grid with this cell size", "preview grid art/frog.png --cell 32x32 -o cut.png"),
        ],
    },
    HelpTopic {
        name: "preview motion",
        first: &[],
        examples: &[(
            "one clip, enlarged four times",
            "preview motion frog --only leap --zoom 4 -o leap.gif",
        )],
    },
    HelpTopic {
        name: "preview pages",
        first: &[],
        examples: &[("where each frame is on the pages", "preview pages pond.json -o pages.png")],
    },
    HelpTopic {
        name: "preview html",
        first: &[],
        examples: &[("a player for all clips", "preview html pond.json -o pond.html")],
    },
    HelpTopic {
        name: "preview light-table",
        first: &[],
        examples: &[
            ("try out a grid", "preview light-table art/frog.png -o cut.html"),
            ("adjust frames by hand", "preview light-table frog -o frog.html"),
        ],
    },
    HelpTopic {
        name: "preview onion",
        first: &[],
        examples: &[("does the figure stay in place?", "preview onion frog --only leap -o onion.png")],
    },
    HelpTopic {
        name: "preview drift",
        first: &[],
        examples: &[("its position before and after", "preview drift koi steady -o drift.png")],
    },
    HelpTopic {
        name: "preview changes",
        first: &["output", "strict"],
        examples: &[
            ("what differs, as a list and a picture", "preview changes koi steady -o changes.png"),
            ("the same for scripts", "preview changes koi steady --json"),
        ],
    },
    HelpTopic {
        name: "check",
        first: &[],
        examples: &[
            ("what will look wrong in the game", "check frog"),
            ("without one rule", "check frog --allow touches-edge"),
        ],
    },
    HelpTopic {
        name: "guide-sheet",
        first: &[],
        examples: &[("eight columns, three rows", "guide-sheet --grid 8x3 --cell 48x48 -o guide.png")],
    },
    HelpTopic {
        name: "init",
        first: &[],
        examples: &[("draft a recipe for everything in a folder", "init art")],
    },
    HelpTopic {
        name: "build",
        first: &[],
        examples: &[
            ("run shibori.toml, redoing only what changed", "build"),
            ("on a build server: fail if anything is stale", "build --frozen"),
        ],
    },
    HelpTopic { name: "demo", first: &[], examples: &[("write the art and run every step on it", "demo")] },
    HelpTopic {
        name: "completions",
        first: &[],
        examples: &[("for bash; save it to your completions folder", "completions bash")],
    },
    HelpTopic { name: "man", first: &[], examples: &[("one page per command", "man -o man")] },
];

/// Common options that `-h` shows.
const COMMON: [&str; 5] = ["json", "dry-run", "force", "carry", "jobs"];

/// What `-h` says of options, in one line of 80 columns: the option, the name of its value where that is shorter, the text.
const BRIEF: [(&str, &str, &str); 46] = [
    ("align", "POINT", "Keep in place: match, feet, center, mass, mark:COLOR"),
    ("allow", "RULE", "Ignore a rule: drift, or drift=koi:dive"),
    ("allow-rotation", "", "Allow frames to be rotated by 90 degrees"),
    ("bleed", "PX", "Repeat edge pixels outward (extrude)"),
    ("box", "BOX", "Named box (hitbox): body=auto or body=x,y,w,h"),
    ("canvas", "WxH", "Canvas size; frames are aligned by pivot"),
    ("carry", "", "In a conflict with what you did by hand, keep yours"),
    ("cell", "WxH", "Cell size in pixels (frame size, tile size): 32x48"),
    ("clip", "CLIP", "A clip, such as \"walk = 0-5 @12fps\""),
    ("clip-rows", "NAMES", "Rows as clips: \"idle,walk@12fps,-,leap once\""),
    ("companion", "SUFFIX", "Pack frames with this suffix (normal maps)"),
    ("drift-limit", "PX", "How far a figure may leave its path"),
    ("effort", "HOW", "Search for a smaller page: low, medium, high"),
    ("event", "EVENT", "Add an event to a step: leap@3=splash"),
    ("force", "", "Overwrite any file; in a conflict, take the new version"),
    ("grid", "CxR", "Columns x rows, such as 8x4"),
    ("gutter", "PX", "Empty pixels between frames (padding, spacing)"),
    ("height", "PX", "Maximum height; the rest goes to FILE-1.png ..."),
    ("here", "", "Show it in the terminal; a key stops it"),
    ("in-place", "", "Change the set itself, repainted images too"),
    ("islands", "", "Make each separate drawing a frame (auto-slice)"),
    ("jobs", "N", "Number of threads [default: one per core]"),
    ("key", "COLOR", "Make a flat background transparent: auto, ff00ff"),
    ("layout", "HOW", "dense (default), grid, clip-rows or strip"),
    ("mirror", "HOW", "Mirror (flip) each frame: left-right or up-down"),
    ("offset", "X,Y", "Empty pixels before the first cell (margin)"),
    ("only", "WHAT", "Only this sprite, clip or selection of frames"),
    ("output", "", ""),
    ("page-max", "SIZE", "Maximum page (texture) size [default: 4096]"),
    ("page-round", "HOW", "Round page sides up: pow2, or a multiple"),
    ("page-scales", "F,F", "One atlas per scale (@2x): 1,0.5,2"),
    ("palette", "N", "Reduce to one palette of up to N colors (indexed)"),
    ("pivot", "POINT", "Pivot (anchor): feet, center, 0.5,1 or 16px,30px"),
    ("guide-sheet pivot", "POINT", "Pivot (anchor): bottom, center or 0.5,0.9"),
    ("png", "HOW", "How hard PNGs are compressed: quick or small"),
    ("scale", "F", "Scale (resize) by 2, 0.5, 2/3 or fit:64x64"),
    ("show", "WHAT", "Draw pivot, boxes, canvas, trim, polygon or all"),
    ("snap", "RATE", "Round times to a frame rate: 24fps"),
    ("size-limit", "%", "How much a figure may grow or shrink"),
    ("speck-limit", "PX", "Maximum speck size [default: 4]"),
    ("specks", "PX", "Remove stray groups of up to PX pixels (despeckle)"),
    ("take", "FRAMES", "Take only these, in this order: 0-7,9 or r2"),
    ("trim", "SCOPE", "Trim (crop) per frame, clip or sprite; or none"),
    ("width", "PX", "Maximum width [default: 1280]"),
    ("within", "X,Y,W,H", "Use only this part of the sheet (region)"),
    ("zoom", "N", "Draw each pixel N times as large"),
];

/// How much of its options a command explains.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub(crate) enum Extent {
    /// `-h`: the common options, one line each.
    Brief,
    /// `--help` and manual pages: all of them, whole.
    Whole,
}

impl Extent {
    /// What a command line asks for.
    pub(crate) fn of(mut args: impl Iterator<Item = std::ffi::OsString>) -> Self {
        if args.any(|arg| arg == "-h") { Self::Brief } else { Self::Whole }
    }
}

/// An option as `-h` shows it: in one list with all others, its text on one line.
fn brief(command: &str, arg: Arg) -> Arg {
    let of = |wanted: &str| BRIEF.iter().find(|(name, ..)| *name == wanted);
    let known = arg.get_long().and_then(|long| of(&format!("{command} {long}")).or_else(|| of(long)));
    let is_common = arg.get_long().is_some_and(|long| COMMON.contains(&long));
    let arg = if is_common { arg } else { arg.help_heading(None::<&str>) };
    let arg = if arg.get_action().takes_values() { arg.hide_possible_values(true) } else { arg };
    match known {
        Some((_, _, "")) | None => arg,
        Some((_, "", text)) => arg.help(*text),
        Some((_, value, text)) => arg.value_name(*value).help(*text),
    }
}

/// The whole command line.
pub(crate) fn command(extent: Extent) -> Command {
    let mut root = Cli::command().mut_args(|arg| {
        let is_first = arg.get_long().is_none_or(|long| COMMON.contains(&long));
        let arg = arg.hide_short_help(!is_first);
        if extent == Extent::Brief { brief("", arg) } else { arg }
    });
    for topic in &TOPICS {
        root = explained(root, topic, &topic.name.split(' ').collect::<Vec<_>>(), extent);
    }
    root.after_help(
        "Start with: shibori demo    or: shibori inspect SHEET.png\nAll options of a command: shibori COMMAND --help",
    )
}

fn explained(command: Command, topic: &HelpTopic, path: &[&str], extent: Extent) -> Command {
    match path {
        [] => {
            let has_more = !topic.first.is_empty();
            let choose = |arg: Arg| {
                let is_first = arg.get_long().is_none_or(|long| topic.first.contains(&long));
                let is_hidden = has_more && !is_first || arg.is_hide_short_help_set();
                let arg = arg.hide_short_help(is_hidden);
                if extent == Extent::Brief { brief(topic.name, arg) } else { arg }
            };
            let examples = examples(topic);
            let more = format!("All options in full: shibori {} --help", topic.name);
            command.mut_args(choose).after_help(format!("{examples}\n\n{more}")).after_long_help(examples)
        }
        [name, rest @ ..] => command.mut_subcommand(name, |inner| explained(inner, topic, rest, extent)),
    }
}

fn examples(topic: &HelpTopic) -> String {
    let lines = topic.examples.iter().map(|(what, line)| format!("  # {what}\n  shibori {line}"));
    format!("Examples:\n{}", lines.collect::<Vec<_>>().join("\n"))
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn every_command_has_examples_and_what_comes_first_is_there() {
        let root = command(Extent::Whole);
        let mut known = Vec::new();
        for command in root.get_subcommands().filter(|command| command.get_name() != "schema") {
            match command.get_subcommands().count() {
                0 => known.push(command.get_name().to_owned()),
                _ => known.extend(
                    command
                        .get_subcommands()
                        .map(|inner| format!("{} {}", command.get_name(), inner.get_name())),
                ),
            }
        }
        for topic in &TOPICS {
            let at = known.iter().position(|name| name == topic.name);
            known.remove(at.unwrap_or_else(|| panic!("there is no command '{}'", topic.name)));
            let mut parts = topic.name.split(' ');
            let command = parts.try_fold(&root, |command, part| command.find_subcommand(part)).unwrap();
            for first in topic.first {
                let mut options = command.get_arguments().filter_map(Arg::get_long);
                assert!(options.any(|option| option == *first), "{} has no --{first}", topic.name);
            }
        }
        assert_eq!(known, Vec::<String>::new(), "these have no examples");
    }
}
