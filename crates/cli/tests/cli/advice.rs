//! What the program prints to be pasted is pasted: it succeeds, it fixes what it was printed for, and nothing else is worse.

use std::collections::BTreeSet;
use std::fs;

use image::{Rgba, RgbaImage};
use serde_json::Value;

use crate::adjusting::png;
use crate::env::{Env, copy_folder, words};

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

fn check(env: &Env, source: &str) -> Value {
    serde_json::from_str(&env.run(&format!("check {source} --json")).out).unwrap()
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
            let own = BTreeSet::from(
                [finding.clone()]
                    .iter()
                    .flat_map(|one| found(&serde_json::json!({ "findings": [one] }), false))
                    .collect::<BTreeSet<_>>(),
            );
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
