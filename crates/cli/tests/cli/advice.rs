//! What the program prints to be pasted is pasted: it succeeds, it fixes what it was printed for, and nothing else is worse.

use std::collections::BTreeSet;
use std::fs;

use image::{Rgba, RgbaImage};
use serde_json::Value;

use crate::adjusting::png;
use crate::env::{Env, copy_folder, words};
use crate::mistakes::{MISTAKES, broken};

/// A figure of 24x40 px with a hat and two buttons of a few pixels each, on 64x64 px.
fn figure() -> RgbaImage {
    RgbaImage::from_fn(64, 64, |x, y| match (x, y) {
        (20..44, 20..60) if (28..30).contains(&x) && (30..32).contains(&y) => Rgba([250, 220, 60, 255]),
        (20..44, 20..60) => Rgba([40 + (x * 3) as u8, 90 + (y * 2) as u8, 140, 255]),
        // The hat, not connected to the head.
        (29..35, 14..17) => Rgba([90, 30, 30, 255]),
        _ => Rgba([0; 4]),
    })
}

fn moved(image: &RgbaImage, right: i64) -> RgbaImage {
    RgbaImage::from_fn(image.width(), image.height(), |x, y| {
        let from = i64::from(x) - right;
        if (0..i64::from(image.width())).contains(&from) {
            *image.get_pixel(from as u32, y)
        } else {
            Rgba([0; 4])
        }
    })
}

/// Eight frames, walking on the spot.
fn frames() -> Vec<RgbaImage> {
    let step = |at: u32| {
        let mut image = figure();
        // A leg that swings, so that no two frames are the same.
        (0..4).for_each(|dy| image.put_pixel(22 + at * 2, 60 + dy.min(3), Rgba([30, 30, 60, 255])));
        image
    };
    (0..8).map(step).collect()
}

fn put(image: &mut RgbaImage, (x, y): (u32, u32), (width, height): (u32, u32), color: [u8; 4]) {
    (0..width).for_each(|dx| (0..height).for_each(|dy| image.put_pixel(x + dx, y + dy, Rgba(color))));
}

/// The frames with one fault.
fn with_fault(fault: &str) -> Vec<RgbaImage> {
    let mut all = frames();
    match fault {
        "specks" => {
            put(&mut all[1], (8, 8), (2, 1), [250, 80, 20, 255]);
            put(&mut all[4], (50, 6), (2, 2), [250, 80, 20, 255]);
        }
        // More pixels than the hat has.
        "neighbor" => put(&mut all[2], (0, 30), (4, 8), [20, 80, 220, 255]),
        "drift" => all[3] = moved(&all[3], 9),
        "soft-alpha" => put(&mut all[5], (24, 24), (3, 3), [90, 90, 90, 120]),
        "border" => {
            for at in 0..64 {
                for (x, y) in [(at, 0), (at, 63), (0, at), (63, at)] {
                    all[6].put_pixel(x, y, Rgba([128, 128, 128, 255]));
                }
            }
        }
        "blank" => all[5] = RgbaImage::new(64, 64),
        "duplicate" => all[3] = all[2].clone(),
        "key-left" => {
            for pixel in all[4].pixels_mut().filter(|pixel| pixel[3] == 0) {
                *pixel = Rgba([255, 255, 255, 255]);
            }
            // White eyes, which are part of the drawing.
            put(&mut all[4], (25, 24), (2, 2), [255, 255, 255, 255]);
        }
        _ => panic!("no fault is called {fault}"),
    }
    all
}

/// What is wrong, as rule, frame and clip.
fn found(result: &Value, only_wrong: bool) -> BTreeSet<(String, String, String)> {
    let text = |finding: &Value, key: &str| finding[key].as_str().unwrap_or_default().to_owned();
    let of = |finding: &Value| -> Vec<(String, String, String)> {
        let frames: Vec<String> = match finding["frames"].as_array() {
            Some(frames) => frames.iter().map(|frame| frame.as_str().unwrap().to_owned()).collect(),
            None => vec![text(finding, "frame")],
        };
        frames.into_iter().map(|frame| (text(finding, "rule"), frame, text(finding, "clip"))).collect()
    };
    let findings = result["findings"].as_array().unwrap().iter();
    findings.filter(|finding| !only_wrong || finding["level"] == "wrong").flat_map(of).collect()
}

#[track_caller]
fn check(env: &Env, source: &str) -> Value {
    let result: Value = serde_json::from_str(&env.run(&format!("check {source} --json")).out).unwrap();
    assert!(result["findings"].is_array(), "{result}");
    result
}

/// Pastes every remedy, each on the source as it was; gives the rules that had one.
fn paste_all(env: &Env, source: &str, is_folder: bool) -> BTreeSet<String> {
    let before = check(env, source);
    let (wrong, mut rules) = (found(&before, true), BTreeSet::new());
    copy_folder(&env.path(""), &env.path("../saved"));
    for finding in before["findings"].as_array().unwrap() {
        let Some(remedy) = finding["remedy"].as_str() else { continue };
        let rule = finding["rule"].as_str().unwrap();
        env.paste(remedy);
        if !remedy.contains("shibori preview") {
            let target = match is_folder {
                true => source.to_owned(),
                false => format!("\"{}\"", words(remedy.lines().last().unwrap())[2]),
            };
            let after = check(env, &target);
            let own = found(&serde_json::json!({ "findings": [finding] }), false);
            let left: Vec<_> = found(&after, false).intersection(&own).cloned().collect();
            assert!(left.is_empty(), "{source}: {remedy}\nleaves {left:?}");
            let new: Vec<_> = found(&after, true).difference(&wrong).cloned().collect();
            assert!(new.is_empty(), "{source}: {remedy}\nbrings {new:?}");
        }
        rules.insert(rule.to_owned());
        fs::remove_dir_all(env.path("")).unwrap();
        copy_folder(&env.path("../saved"), &env.path(""));
    }
    fs::remove_dir_all(env.path("../saved")).unwrap();
    rules
}

#[cfg(unix)]
#[test]
fn every_command_that_check_prints_fixes_what_it_found_and_nothing_else() {
    for fault in ["specks", "neighbor", "drift", "soft-alpha", "border", "blank", "duplicate", "key-left"] {
        let env = Env::in_folder("work");
        for (at, image) in with_fault(fault).iter().enumerate() {
            env.write(&format!("figure one/walk_{at:02}.png"), png(image));
        }
        env.ok("slice \"figure one\" -o set");
        env.ok("clip set \"walk = 0-7 @12fps\" \"back = 7-0 @80ms\"");
        assert!(paste_all(&env, "set", true).contains(fault), "{fault}: {}", env.run("check set").out);
        // What keeps no changes is made a set first.
        env.ok("pack set -o atlas");
        for source in ["atlas.json", "\"figure one\""] {
            let rules = paste_all(&env, source, false);
            // Packing drops nothing that a rule looks at.
            assert!(source != "atlas.json" || rules.contains(fault), "{fault} in {source}: {rules:?}");
        }
    }
}

/// A recipe with the keys that are said, each in the place of what its table has: `in [TABLE]: KEY = VALUE`.
fn with_keys(recipe: &str, said: &str) -> String {
    let mut lines: Vec<String> = recipe.lines().map(str::to_owned).collect();
    for said in said.lines().flat_map(|line| line.split("; ")) {
        let (table, keys) = said.strip_prefix("in ").unwrap().split_once(": ").unwrap();
        let header = lines.iter().position(|line| line == table).unwrap_or_else(|| panic!("no {table}"));
        // Clips are given in one line.
        let keys = if table.ends_with(".clips]") { keys.replace("\", ", "\"\n") } else { keys.to_owned() };
        for key in keys.lines() {
            let name = key.split(" = ").next().unwrap();
            let end = lines[header + 1..].iter().position(|line| line.starts_with('['));
            let end = end.map_or(lines.len(), |end| header + 1 + end);
            match lines[header + 1..end].iter().position(|line| line.split(" = ").next() == Some(name)) {
                Some(at) => lines[header + 1 + at] = key.to_owned(),
                None => lines.insert(header + 1, key.to_owned()),
            }
        }
    }
    lines.join("\n")
}

#[test]
fn keys_for_a_recipe_fix_what_was_found_in_it() {
    for fault in ["specks", "neighbor", "drift", "soft-alpha", "blank", "duplicate", "key-left"] {
        let env = Env::in_folder("work");
        for (at, image) in with_fault(fault).iter().enumerate() {
            env.write(&format!("figure one/walk_{at:02}.png"), png(image));
        }
        let recipe = "[sprite.figure]\nfrom = \"figure one\"\nshape = { pivot = \"bottom\" }\nclean = { erase = [\"0,0,1,1\"] }\n\n\
                      [sprite.figure.clips]\nwalk = \"0-7 @12fps\"\nback = \"7-0 @80ms\"\n\n[atlas.all]\nuse = [\"figure\"]\n";
        env.write("our pond.toml", recipe);
        let before = check(&env, "\"our pond.toml\"");
        let mut rules = BTreeSet::new();
        for finding in before["findings"].as_array().unwrap() {
            let Some(said) = finding["remedy"].as_str() else { continue };
            env.write("our pond.toml", with_keys(recipe, said));
            let after = check(&env, "\"our pond.toml\"");
            let own = found(&serde_json::json!({ "findings": [finding] }), false);
            assert!(found(&after, false).is_disjoint(&own), "{fault}: {said}\n{after}");
            assert!(found(&after, true).is_subset(&found(&before, true)), "{fault}: {said}\n{after}");
            env.ok("build \"our pond.toml\"");
            rules.insert(finding["rule"].as_str().unwrap().to_owned());
        }
        assert!(rules.contains(fault), "{fault}: {before}");
    }
}

#[test]
fn a_remedy_removes_the_pixels_it_was_given_for_and_no_others() {
    let env = Env::in_folder("work");
    for (at, image) in with_fault("neighbor").iter().enumerate() {
        env.write(&format!("walk/walk_{at:02}.png"), png(image));
    }
    env.ok("slice walk -o set");
    let result = check(&env, "set");
    let neighbor =
        result["findings"].as_array().unwrap().iter().find(|one| one["rule"] == "neighbor").unwrap();
    // The hat has fewer pixels, so a limit on the size would take it, too.
    assert!(neighbor["remedy"].as_str().unwrap().contains("--erase 0,30,4,8"), "{neighbor}");
    // White eyes stay, whatever the background.
    let env = Env::in_folder("work");
    for (at, image) in with_fault("key-left").iter().enumerate() {
        env.write(&format!("walk/walk_{at:02}.png"), png(image));
    }
    env.ok("slice walk -o set");
    let result = check(&env, "set");
    let left = result["findings"].as_array().unwrap().iter().find(|one| one["rule"] == "key-left").unwrap();
    assert_eq!(left["level"], "wrong", "{left}");
    env.ok(left["remedy"].as_str().unwrap().strip_prefix("shibori ").unwrap());
    let image = env.image("set/walk_04.png");
    assert_eq!((image.get_pixel(25, 24).0, image.get_pixel(2, 2)[3]), ([255; 4], 0));
}

#[cfg(unix)]
#[test]
fn a_found_grid_is_repeated_with_everything_that_was_typed() {
    let env = Env::with_art();
    let out = env.ok("slice art/frog.png --mirror left-right --pivot feet --name \"{sprite}/{n:03}\" --clip \"sit = 0-3 @8fps\" -o first");
    let command = out.lines().find_map(|line| line.trim().strip_prefix("to repeat: ")).unwrap().to_owned();
    let first = env.read("first/frames.json");
    fs::remove_dir_all(env.path("first")).unwrap();
    env.paste(&command);
    assert_eq!(env.read("first/frames.json"), first, "{command}");
    // An unsure sheet: every choice keeps the key, the clip and the output.
    let loose = RgbaImage::from_fn(97, 61, |x, y| match (x, y) {
        (5..23, 7..30) | (41..66, 3..40) | (70..90, 30..58) | (10..20, 40..55) => Rgba([200, 40, 40, 255]),
        _ => Rgba([255, 255, 255, 255]),
    });
    env.write("a loose one.png", png(&loose));
    let outcome = env.run("slice \"a loose one.png\" --trim frame -o \"out here\"");
    assert_eq!(outcome.code, 2, "{}{}", outcome.out, outcome.err);
    let commands: Vec<&str> =
        outcome.err.lines().map(str::trim).filter(|line| line.starts_with("shibori ")).collect();
    assert!(!commands.is_empty(), "{}", outcome.err);
    for command in commands.iter().filter(|command| !command.contains("COLUMNS")) {
        env.paste(command);
        if command.contains(" slice ") {
            assert!(command.contains("--trim frame") && command.ends_with("-o \"out here\""), "{command}");
        }
    }
    let islands = commands.iter().find(|command| command.contains("--islands")).unwrap();
    env.paste(&format!("{islands} --force"));
    let set = env.frames("out here");
    assert!(
        set.frames().iter().all(|frame| frame.pixels().get(0, 0).is_some_and(|pixel| pixel.0 != [255; 4]))
    );
}

#[cfg(unix)]
#[test]
fn the_limits_that_packing_names_are_enough() {
    let env = Env::in_folder("work");
    for (at, (width, height)) in [(140, 30), (260, 20), (30, 300), (16, 16)].into_iter().enumerate() {
        let image = RgbaImage::from_pixel(width, height, Rgba([at as u8 * 40, 90, 80, 255]));
        env.write(&format!("art/part_{at}.png"), png(&image));
    }
    for options in [
        "--page-max 200 --page-round pow2",
        "--page-max 200 --page-round 64 --page-scales 1,0.5",
        "--page-max 200 --page-scales 1,2",
        "--page-max 100 --page-square --margin 3",
        "--page-max 200 --layout strip",
        "--page-max 200 --layout grid --columns 3 --gutter 5",
        "--page-size 100x100",
        "--page-size 100x100 --layout strip",
    ] {
        let outcome = env.run(&format!("pack art {options} -o atlas"));
        assert_eq!(outcome.code, 2, "{options}: {}", outcome.out);
        let hint =
            outcome.err.lines().find_map(|line| line.trim().strip_prefix("hint: ")).unwrap().to_owned();
        let words: Vec<&str> = hint.split([' ', ',']).collect();
        let at = words.iter().position(|word| word.starts_with("--page-")).unwrap();
        let value =
            words[at + 1..].iter().find(|word| word.starts_with(|c: char| c.is_ascii_digit())).unwrap();
        let old: Vec<&str> = options.split(' ').collect();
        let mut new: Vec<&str> = old.clone();
        let place = old.iter().position(|word| *word == words[at]).unwrap();
        new[place + 1] = value;
        env.ok(&format!("pack art {} -o atlas --force", new.join(" ")));
    }
}

/// What a message tells people to type: commands as they are, and options in the place of those that were typed.
fn offered(line: &str, said: &str) -> Vec<String> {
    let is_placeholder = |text: &str| text.split(|c: char| !c.is_ascii_uppercase()).any(|run| run.len() > 2);
    let mut all = Vec::new();
    for text in said.lines().map(str::trim) {
        if let Some((_, command)) =
            text.split_once("shibori ").filter(|(before, _)| before.is_empty() || before.ends_with(": "))
        {
            all.push(command.to_owned());
            continue;
        }
        let mut rest = text;
        while let Some(at) =
            ["add --", "use --", "raise --", "remove --"].iter().filter_map(|verb| rest.find(verb)).min()
        {
            let (verb, option) = rest[at..].split_once(' ').unwrap();
            let end = [
                " to ignore",
                " to distribute",
                " to replace",
                " or ",
                " and ",
                " to use",
                "; ",
                ", ",
                " instead",
            ]
            .iter()
            .filter_map(|end| option.find(end))
            .min();
            let option = option[..end.unwrap_or(option.len())].replace(" to ", " ");
            let mut typed = words(line);
            let name = option.split(' ').next().unwrap();
            if let Some(old) = typed.iter().position(|word| word == name) {
                let has_value = typed.get(old + 1).is_some_and(|next| !next.starts_with('-'));
                typed.drain(old..old + 1 + usize::from(has_value));
            }
            if verb != "remove" {
                typed.extend(words(&option).into_iter().filter(|word| !word.is_empty()));
            }
            all.push(typed.iter().map(|word| format!("\"{word}\"")).collect::<Vec<_>>().join(" "));
            rest = &rest[at + verb.len() + 3..];
        }
    }
    all.retain(|command| !is_placeholder(command));
    all
}

/// More that goes wrong, on the demo art and a set of it, and is answered with something to type.
const MORE_MISTAKES: &[&str] = &[
    "slice art/reeds.png",
    "slice art/reeds.png --islands",
    "slice art/reeds.png --islands --key ff00ff",
    "slice art/reeds.png --grid 4x2 --defringe",
    "slice art/koi.png --grid 8x1 --specks 2 --manifest-only",
    "slice art/koi.png --grid 8x1 --region 0,0,4,4",
    "slice art/koi.png --grid 8x1 -o koi",
    "slice art/koi.png --grid 8x1 --clip-rows a,b",
    "slice art/koi.png --grid 8x1 --canvas 8x8",
    "slice art/koi.png --grid 8x1 --pivot feet --canvas 8x8@1,1",
    "slice art/koi.png --grid 8x1 --scale 0.001",
    "slice art/koi.png --grid 8x1 --scale 4000",
    "slice art/koi.png --grid 8x1 --max-pixels 9",
    "adjust art/koi.png --align feet",
    "adjust koi --mirror left-right",
    "adjust koi --in-place --only spin --mirror left-right",
    "adjust clips --in-place --only turn --mirror left-right",
    "clip art/koi.png \"a = 0\"",
    "clip clips --drop swin",
    "clip clips --only swim",
    "pack koi -o pond --layout strip --page-max 40",
    "pack koi -o new --layout strip --page-max 40",
    "pack koi -o new --page-size 20x20",
    "pack koi -o new --keep-places",
    "pack koi -o new --layout grid --columns 3 --page-max 40",
    "export pond.json",
    "preview motion koi -o new.png",
    "preview motion clips -o new.gif",
    "preview html pond -o new.png",
    "preview grid art/koi.png -o art/koi.png",
    "unpack pond.json -o koi",
    "check kio",
    "check koi --drift-limit -1",
    "init art -o clips/frames.json",
];

#[test]
fn what_a_mistake_is_answered_with_gets_past_it() {
    let env = broken();
    env.ok("slice art/koi.png --grid 8x1 --clip \"swim = 0-7\" --clip \"turn = 3,4,5\" -o clips");
    copy_folder(&env.path(""), &env.path("../saved"));
    let mut count = 0;
    for line in MISTAKES.iter().map(|mistake| mistake.0).chain(MORE_MISTAKES.iter().copied()) {
        let outcome = env.run(line);
        let said = outcome.err.lines().next().unwrap_or_default().to_owned();
        for command in offered(line, &outcome.err) {
            count += 1;
            let after = env.run(&command);
            let is_past = after.code == 0 || after.code == 1 || !after.err.contains(&said);
            assert!(is_past, "{line}\n{}offers {command}\n{}", outcome.err, after.err);
            fs::remove_dir_all(env.path("")).unwrap();
            copy_folder(&env.path("../saved"), &env.path(""));
        }
    }
    fs::remove_dir_all(env.path("../saved")).unwrap();
    assert!(count > 20, "only {count}");
}
