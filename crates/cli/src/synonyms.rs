//! What people type who know another name for it: options, commands and values that are not ours, each with the right
//! one. Help texts name them in parentheses, so that searching the help finds them.

use clap::Command;

/// Options of other names, without dashes, and what to use; the first that the command has counts.
const OPTIONS: &[(&[&str], &[&str])] = &[
    (&["flip", "facing", "hflip", "vflip", "flop"], &["mirror"]),
    (&["resize", "size", "rescale"], &["scale"]),
    (&["crop", "autocrop"], &["trim", "within"]),
    (&["padding", "spacing", "pad", "separation"], &["gutter", "trim-border"]),
    (&["shape-padding", "inner-padding"], &["gutter"]),
    (&["border", "border-padding"], &["margin", "offset"]),
    (&["extrude", "extrusion"], &["bleed"]),
    (&["hitbox", "hurtbox", "collision", "collider"], &["box"]),
    (&["anchor", "origin", "baseline", "pivot-point"], &["pivot"]),
    (&["stabilize", "register", "center"], &["align"]),
    (&["rotate", "rotation", "enable-rotation"], &["allow-rotation"]),
    (&["outline", "mesh", "hull"], &["polygon"]),
    (&["nine-slice", "9-slice", "nine-patch", "ninepatch", "9-patch"], &["nine"]),
    (&["transparent", "background", "bg", "chroma", "color-key", "white", "remove-background"], &["key"]),
    (&["fuzz", "threshold"], &["tolerance", "harden-alpha"]),
    (&["despeckle", "denoise", "noise"], &["specks"]),
    (&["columns", "cols", "rows", "cells"], &["grid"]),
    (&["frame-size", "tile-size", "cell-size", "tile", "tiles"], &["cell"]),
    (&["split", "auto", "objects"], &["islands", "page-per"]),
    (&["rect", "area", "region"], &["within"]),
    (&["frames", "range", "select", "frame"], &["take", "only"]),
    (&["filter", "interpolation", "antialias"], &["resample", "sampling"]),
    (&["max-size", "texture-size", "max-width", "max-height"], &["page-max"]),
    (&["width", "height"], &["page-size", "page-max"]),
    (&["pot", "power-of-two", "pow2"], &["page-round"]),
    (&["square"], &["page-square"]),
    (&["colors", "quantize", "indexed"], &["palette"]),
    (&["dedupe", "deduplicate", "no-dedupe", "alias", "no-alias"], &["no-share"]),
    (&["premultiply", "premultiplied"], &["alpha"]),
    (&["normal-map", "normals"], &["companion"]),
    (&["tag", "animation", "anim", "sequence"], &["clip", "clip-rows"]),
    (&["reverse", "loop", "ping-pong", "pingpong", "bounce", "once", "repeat"], &["clip"]),
    (&["duration", "delay", "fps", "rate", "framerate", "frame-rate"], &["snap", "clip"]),
    (&["marker"], &["event"]),
    (&["out", "output-dir", "dest", "destination", "target-dir"], &["output"]),
    (&["overwrite", "yes"], &["force"]),
    (&["format", "type"], &["to", "page-format"]),
    (&["threads", "parallel"], &["jobs"]),
];

/// How an option is used for what people meant by another: an example for a clip's own words.
const USES: &[(&str, &str)] = &[
    ("reverse", "play frames backward with --clip \"walk = 7-0\""),
    ("loop", "write how a clip plays in --clip \"walk = 0-7 loop 3\""),
    ("repeat", "write how a clip plays in --clip \"walk = 0-7 loop 3\""),
    ("once", "write how a clip plays in --clip \"leap = 0-7 once\""),
    ("ping-pong", "write how a clip plays in --clip \"idle = 0-7 bounce\""),
    ("pingpong", "write how a clip plays in --clip \"idle = 0-7 bounce\""),
    ("bounce", "write how a clip plays in --clip \"idle = 0-7 bounce\""),
    ("duration", "write the time of a clip in --clip \"walk = 0-7 @total 0.8s\""),
    ("delay", "write the time of a clip in --clip \"walk = 0-7 @80ms\""),
    ("fps", "write the rate of a clip in --clip \"walk = 0-7 @12fps\""),
    ("rate", "write the rate of a clip in --clip \"walk = 0-7 @12fps\""),
    ("framerate", "write the rate of a clip in --clip \"walk = 0-7 @12fps\""),
    ("frame-rate", "write the rate of a clip in --clip \"walk = 0-7 @12fps\""),
];

/// Commands of other names.
const COMMANDS: &[(&[&str], &str)] = &[
    (&["cut", "split", "crop-sheet", "import", "unsheet"], "slice"),
    (&["extract", "unatlas", "explode"], "unpack"),
    (&["merge", "join", "combine", "atlas", "montage", "sheet", "sprite-sheet"], "pack"),
    (&["strip"], "pack --layout strip"),
    (&["convert", "gif", "apng", "animate", "render"], "preview motion"),
    (&["play", "view", "show", "open"], "preview html"),
    (&["info", "identify", "stat", "detect"], "inspect"),
    (&["flip", "mirror", "resize", "scale", "trim", "crop", "rotate", "align", "clean", "recolor"], "adjust"),
    (&["anim", "animation", "tag", "time", "clips"], "clip"),
    (&["lint", "validate", "verify", "test"], "check"),
    (&["watch", "make", "run"], "build"),
    (&["new", "create", "start"], "init"),
    (&["template", "guide"], "guide-sheet"),
    (&["onion", "contact", "grid", "motion", "drift", "html", "light-table", "pages"], "preview"),
];

/// Values of other names: the option, what was typed, and the value.
const VALUES: &[(&str, &[&str], &str)] = &[
    ("mirror", &["horizontal", "h", "x", "left", "right", "both"], "left-right"),
    ("mirror", &["vertical", "v", "y", "up", "down"], "up-down"),
    ("resample", &["linear", "bilinear", "bicubic", "lanczos"], "smooth"),
    ("resample", &["point", "none", "pixel"], "nearest"),
    ("sampling", &["linear", "bilinear"], "smooth"),
    ("sampling", &["point", "pixel"], "nearest"),
    ("trim", &["true", "yes", "all", "auto"], "frame"),
    ("trim", &["false", "no", "off"], "none"),
    ("layout", &["tight", "packed", "maxrects", "rects", "best"], "dense"),
    ("layout", &["rows", "row", "clips"], "clip-rows"),
    ("layout", &["horizontal", "line"], "strip"),
    ("read", &["rows", "row", "horizontal"], "across"),
    ("read", &["columns", "column", "vertical"], "down"),
    ("effort", &["max", "best", "slow"], "high"),
    ("effort", &["min", "fast", "quick"], "low"),
    ("png", &["best", "max", "smallest"], "small"),
    ("png", &["fast"], "quick"),
    ("blank", &["skip", "remove", "ignore"], "drop"),
    ("key-scope", &["all", "inside", "global"], "everywhere"),
];

/// The option to use instead of one that a command doesn't have, as a hint.
pub(crate) fn option(command: &Command, typed: &str) -> Option<String> {
    let name = typed.trim_start_matches('-').split('=').next()?;
    let others = commands_with(name);
    if !others.is_empty() {
        return Some(format!("--{name} is an option of {}", others.join(", ")));
    }
    let root = crate::help::command(crate::help::Extent::Whole);
    let (_, targets) = OPTIONS.iter().find(|(words, _)| words.contains(&name))?;
    let has = |target: &&&str| {
        let mut all = command.get_arguments().chain(root.get_arguments());
        all.any(|arg| arg.get_long() == Some(**target))
    };
    match targets.iter().find(has) {
        Some(&"clip") if let Some((_, text)) = USES.iter().find(|(word, _)| *word == name) => {
            Some((*text).to_owned())
        }
        Some(target) => Some(format!("use --{target}")),
        None => {
            let target = targets[0];
            let of = commands_with(target);
            (!of.is_empty()).then(|| format!("that is --{target}, an option of {}", of.join(", ")))
        }
    }
}

fn commands_with(option: &str) -> Vec<String> {
    let root = crate::help::command(crate::help::Extent::Whole);
    let has = |command: &&Command| command.get_arguments().any(|arg| arg.get_long() == Some(option));
    let mut names: Vec<String> = Vec::new();
    for command in root.get_subcommands() {
        let inner = command.get_subcommands().filter(has);
        names.extend(inner.map(|inner| format!("{} {}", command.get_name(), inner.get_name())));
        if has(&command) {
            names.push(command.get_name().to_owned());
        }
    }
    names
}

/// The command to use instead of one that isn't there.
pub(crate) fn command(typed: &str) -> Option<&'static str> {
    COMMANDS.iter().find(|(words, _)| words.contains(&typed)).map(|(_, command)| *command)
}

/// The value to use instead of one that an option doesn't take.
pub(crate) fn value(option: &str, typed: &str) -> Option<&'static str> {
    let is_it = |(name, words, _): &&(&str, &[&str], &str)| *name == option && words.contains(&typed);
    VALUES.iter().find(is_it).map(|(.., value)| *value)
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::help::{Extent, command as root};

    fn help_of(option: &str) -> String {
        let root = root(Extent::Whole);
        let all = root.get_subcommands().chain(root.find_subcommand("preview").unwrap().get_subcommands());
        all.flat_map(Command::get_arguments)
            .filter(|arg| arg.get_long() == Some(option))
            .filter_map(|arg| arg.get_long_help().or(arg.get_help()))
            .map(|text| text.to_string().to_lowercase())
            .collect()
    }

    #[test]
    fn the_help_of_an_option_names_what_people_call_it() {
        for (word, option) in [
            ("flip", "mirror"),
            ("facing", "mirror"),
            ("reverse", "clip"),
            ("resize", "scale"),
            ("crop", "trim"),
            ("padding", "gutter"),
            ("spacing", "gutter"),
            ("extrude", "bleed"),
            ("hitbox", "box"),
            ("collision", "box"),
            ("anchor", "pivot"),
            ("origin", "pivot"),
            ("baseline", "align"),
            ("rotate", "allow-rotation"),
            ("loop", "clip"),
            ("duration", "clip"),
            ("ping-pong", "clip"),
            ("outline", "polygon"),
            ("white", "key"),
            ("split", "islands"),
        ] {
            assert!(help_of(option).contains(word), "--{option} doesn't mention {word}: {}", help_of(option));
        }
        let root = root(Extent::Whole);
        for (word, command) in [
            ("cut", "slice"),
            ("gif", "preview"),
            ("convert", "preview"),
            ("info", "inspect"),
            ("strip", "pack"),
            ("merge", "pack"),
            ("split", "slice"),
        ] {
            let text = root.find_subcommand(command).unwrap().get_about().unwrap().to_string().to_lowercase();
            assert!(text.contains(word), "{command} doesn't mention {word}: {text}");
        }
    }

    #[test]
    fn every_word_leads_to_something_that_is_there_and_is_not_ours() {
        let root = root(Extent::Whole);
        let is_common = |name: &str| root.get_arguments().any(|arg| arg.get_long() == Some(name));
        for (words, target) in COMMANDS {
            let name = target.split(' ').next().unwrap();
            assert!(root.find_subcommand(name).is_some(), "{target}");
            assert!(words.iter().all(|word| root.find_subcommand(word).is_none()), "{words:?}");
        }
        for (words, targets) in OPTIONS {
            assert!(
                targets.iter().all(|target| !commands_with(target).is_empty() || is_common(target)),
                "{targets:?}"
            );
            assert!(!words.iter().any(|word| targets.contains(word)), "{words:?}");
        }
        let slice = root.find_subcommand("slice").unwrap();
        assert_eq!(option(slice, "--overwrite").as_deref(), Some("use --force"));
        assert!(option(slice, "--zoom=2").unwrap().starts_with("--zoom is an option of preview "));
        assert_eq!(option(slice, "--flip").as_deref(), Some("use --mirror"));
        assert_eq!(option(slice, "--extrude").as_deref(), Some("that is --bleed, an option of pack"));
        assert_eq!(
            option(slice, "--fps").unwrap(),
            "write the rate of a clip in --clip \"walk = 0-7 @12fps\""
        );
        assert_eq!((command("cut"), value("mirror", "horizontal")), (Some("slice"), Some("left-right")));
    }
}
