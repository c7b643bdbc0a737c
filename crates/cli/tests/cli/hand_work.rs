//! What a person changed is kept: merged with what a run writes, or refused by name, whichever command it is.

use serde_json::{Value, json};

use crate::env::Env;

fn manifest(env: &Env, path: &str) -> Value {
    serde_json::from_slice(&env.read(path)).unwrap()
}

fn edit(env: &Env, path: &str, change: impl Fn(&mut Value)) {
    let mut value = manifest(env, path);
    change(&mut value);
    env.write(path, serde_json::to_string_pretty(&value).unwrap());
}

fn unsealed(mut manifest: Value) -> Value {
    manifest.as_object_mut().unwrap().remove("seal");
    manifest
}

/// Paints a dot on a picture, as a paint program would save it.
fn paint(env: &Env, path: &str, color: [u8; 4]) {
    let mut image = env.image(path);
    image.put_pixel(1, 1, image::Rgba(color));
    env.save(path, &image);
}

/// Each kind of hand work, how it is reported, and how it is done.
type Work = (&'static str, fn(&Env, &str));

const WORKS: [Work; 11] = [
    ("clip turn", |env, path| drop(env.ok(&format!("clip {path} \"turn = 3,4\"")))),
    ("removed clip swim", |env, path| drop(env.ok(&format!("clip {path} --drop swim")))),
    ("times of clip swim", |env, path| drop(env.ok(&format!("clip {path} --speed 2")))),
    ("event splash of swim", |env, path| drop(env.ok(&format!("clip {path} --event swim@2=splash")))),
    ("playback of clip swim", |env, path| edit(env, path, |all| all["clips"][0]["plays"] = json!(2))),
    ("pivot of koi-03", |env, path| edit(env, path, |all| all["frames"][3]["pivot"] = json!([1, 2.5]))),
    ("box hit of koi-01", |env, path| {
        edit(env, path, |all| all["frames"][1]["boxes"] = json!({ "hit": [1, 2, 3, 4] }));
    }),
    ("nine-slice of koi-00", |env, path| {
        edit(env, path, |all| all["frames"][0]["nine"] = json!([1, 1, 1, 1]));
    }),
    ("extras sound of koi-02", |env, path| {
        edit(env, path, |all| all["frames"][2]["extras"] = json!({ "sound": "plop" }));
    }),
    ("extras volume of swim", |env, path| {
        edit(env, path, |all| all["clips"][0]["extras"] = json!({ "volume": 3 }));
    }),
    ("key mood of the manifest", |env, path| edit(env, path, |all| all["mood"] = json!("calm"))),
];

#[test]
fn every_kind_of_hand_work_is_kept_by_every_command_and_reported() {
    for (report, work) in WORKS {
        let env = Env::with_art();
        let slice = "slice art/koi.png --grid 8x1 --clip \"swim = 0-7\"";
        env.ok(&format!("{slice} -o art-koi"));
        env.ok("pack art-koi -o art-atlas");
        for (command, path) in [
            (format!("{slice} -o koi"), "koi/frames.json"),
            (format!("{slice} --manifest-only"), "art/koi.json"),
            ("pack art-koi -o atlas/koi".to_owned(), "atlas/koi.json"),
            ("unpack art-atlas -o unpacked".to_owned(), "unpacked/frames.json"),
            ("adjust art-koi -o adjusted".to_owned(), "adjusted/frames.json"),
        ] {
            let command = &command[..];
            env.ok(command);
            env.ok(command);
            work(&env, path);
            let wanted = unsealed(manifest(&env, path));
            for _ in 0..2 {
                let outcome = env.run(command);
                assert_eq!(outcome.code, 0, "{report}: {command}: {}", outcome.err);
                assert!(
                    outcome.err.contains(&format!("kept by hand: {report}")),
                    "{report}: {}",
                    outcome.err
                );
                assert_eq!(unsealed(manifest(&env, path)), wanted, "{report}: {command}");
            }
            let kept = &env.json(command)["hand_work"][0];
            assert_eq!((&kept["manifest"], &kept["items"][0]), (&json!(path), &json!(report)));
            // Without a ledger nobody knows what the person changed.
            let folder = path.rsplit_once('/').unwrap().0;
            std::fs::remove_dir_all(env.path(folder).join(".shibori")).unwrap();
            let before = env.read(path);
            let outcome = env.run(command);
            assert_eq!(outcome.code, 4, "{report}: {command}: {}", outcome.err);
            assert!(outcome.err.contains("no record") && outcome.err.contains("--carry"), "{}", outcome.err);
            assert!(env.read(path) == before);
            env.ok(&format!("{command} --carry"));
            assert_eq!(unsealed(manifest(&env, path)), wanted, "{report}: {command}");
            assert!(env.run(command).err.contains("kept by hand"));
        }
    }
}

/// A change that the person made, one to the same that the run makes, and how the conflict is reported.
type Clash = (&'static str, fn(&Env, &str), &'static str);

const CLASHES: [Clash; 5] = [
    (
        "pivot of koi-03",
        |env, path| edit(env, path, |all| all["frames"][3]["pivot"] = json!([1, 2])),
        "--pivot 3px,3px",
    ),
    (
        "times of clip swim",
        |env, path| drop(env.ok(&format!("clip {path} --speed 2"))),
        "--clip \"swim = 0-7 @30fps\"",
    ),
    (
        "frames of clip swim",
        |env, path| drop(env.ok(&format!("clip {path} \"swim = 0-5\""))),
        "--clip \"swim = 0-6\"",
    ),
    // The drawing is mirrored under a pivot that is no longer where it belongs.
    (
        "pivot of koi-03",
        |env, path| edit(env, path, |all| all["frames"][3]["pivot"] = json!([1, 2])),
        "--mirror left-right",
    ),
    (
        "box hit of koi-01",
        |env, path| {
            edit(env, path, |all| all["frames"][1]["boxes"] = json!({ "hit": [1, 2, 3, 4] }));
        },
        "--scale 2",
    ),
];

#[test]
fn what_both_changed_stops_the_run_until_a_side_is_chosen() {
    for (report, work, option) in CLASHES {
        let env = Env::with_art();
        let slice = "slice art/koi.png --grid 8x1 -o koi --clip \"swim = 0-7\"";
        let again = match option.starts_with("--clip") {
            true => format!("slice art/koi.png --grid 8x1 -o koi {option}"),
            false => format!("{slice} {option}"),
        };
        env.ok(slice);
        work(&env, "koi/frames.json");
        env.ok("clip koi \"turn = 3,4\"");
        let before = env.files("koi");
        let outcome = env.run(&again);
        assert_eq!(outcome.code, 4, "{option}: {}", outcome.err);
        let is_named = outcome.err.contains(&format!("changed by hand and by this run: {report}"));
        assert!(
            is_named && outcome.err.contains("--carry") && outcome.err.contains("--force"),
            "{}",
            outcome.err
        );
        assert!(env.files("koi") == before);
        let theirs = manifest(&env, "koi/frames.json");
        env.ok(&format!("{again} --force"));
        let forced = manifest(&env, "koi/frames.json");
        // What only the person changed stays, whichever side is chosen.
        assert_eq!(forced["clips"].as_array().unwrap().len(), 2, "{option}");
        env.write("koi/frames.json", serde_json::to_vec(&theirs).unwrap());
        std::fs::remove_dir_all(env.path("koi/.shibori")).unwrap();
        for (name, bytes) in &before {
            env.write(&format!("koi/{name}"), bytes);
        }
        env.ok(&format!("{again} --carry"));
        let carried = manifest(&env, "koi/frames.json");
        assert_eq!(carried["clips"].as_array().unwrap().len(), 2, "{option}");
        let value = |all: &Value| match report.split(' ').next().unwrap() {
            "pivot" => all["frames"][3]["pivot"].clone(),
            "box" => all["frames"][1]["boxes"].clone(),
            _ => json!([all["clips"][0]["steps"], all["clips"][0]["timescale"]]),
        };
        assert_eq!(value(&carried), value(&theirs), "{option}");
        assert_ne!(value(&forced), value(&theirs), "{option}");
    }
}

#[test]
fn a_clip_whose_frames_are_gone_can_not_be_kept() {
    let env = Env::with_art();
    env.ok("slice art/koi.png --grid 8x1 -o koi");
    env.ok("clip koi \"turn = 6,7\"");
    for option in ["", " --carry"] {
        let outcome = env.run(&format!("slice art/koi.png --grid 8x1 --count 4 -o koi{option}"));
        assert!(outcome.code == 4 && outcome.err.contains("clip turn"), "{}", outcome.err);
        assert_eq!(manifest(&env, "koi/frames.json")["frames"].as_array().unwrap().len(), 8);
    }
    env.ok("slice art/koi.png --grid 8x1 --count 4 -o koi --force");
    assert_eq!(manifest(&env, "koi/frames.json")["frames"].as_array().unwrap().len(), 4);
}

#[test]
fn a_replaced_clip_keeps_the_events_on_steps_that_stay_and_what_is_the_users() {
    let env = Env::with_art();
    env.ok("slice art/koi.png --grid 8x1 --clip \"swim = 0-7\" --event swim@1=splash -o koi");
    edit(&env, "koi/frames.json", |all| {
        all["clips"][0]["extras"] = json!({ "volume": 3 });
        all["clips"][0]["mood"] = json!("calm");
        all["clips"][0]["steps"][1]["sound"] = json!("plop");
    });
    env.ok("clip koi \"swim = 0-2 @12fps\"");
    let clip = manifest(&env, "koi/frames.json")["clips"][0].clone();
    assert_eq!(clip["extras"]["volume"], 3);
    assert_eq!(clip["mood"], "calm");
    assert_eq!((&clip["steps"][1]["event"], &clip["steps"][1]["sound"]), (&json!("splash"), &json!("plop")));
    assert_eq!(clip["steps"].as_array().unwrap().len(), 3);
}

/// A day of painting, as `docs/guide/my-edits.md` tells it.
#[test]
fn a_day_of_painting_is_kept() {
    let env = Env::with_art();
    let slice = "slice art/koi.png --grid 8x1 --clip \"swim = 0-7 @12fps\" -o koi";
    env.ok(slice);
    paint(&env, "koi/koi-02.png", [255, 0, 0, 255]);
    paint(&env, "koi/koi-05.png", [255, 0, 0, 255]);
    edit(&env, "koi/frames.json", |all| all["frames"][3]["pivot"] = json!([14, 20]));
    env.ok("clip koi \"turn = 3,4,5,4 @80ms once\" --event turn@1=splash");
    let (painted, second) = (env.read("koi/koi-02.png"), env.read("koi/koi-05.png"));
    // The artist sends new art for one frame that was painted, and one that was not.
    let mut sheet = env.image("art/koi.png");
    for frame in [5, 7] {
        sheet.put_pixel(32 * frame + 3, 3, image::Rgba([0, 255, 0, 255]));
    }
    env.save("art/koi.png", &sheet);
    let before = env.files("koi");
    let outcome = env.run(slice);
    assert_eq!(outcome.code, 4, "{}", outcome.err);
    assert!(outcome.err.contains("changed by hand and by this run: paint on koi-05.png"), "{}", outcome.err);
    assert!(env.files("koi") == before);
    let outcome = env.run(&format!("{slice} --carry"));
    assert_eq!(outcome.code, 0, "{}", outcome.err);
    assert!(
        outcome.err.contains("kept by hand: paint on koi-02.png, koi-05.png; pivot of koi-03; clip turn"),
        "{}",
        outcome.err
    );
    let check = |green: [bool; 2], red: [bool; 2]| {
        let has = |name: &str, color: [u8; 4]| env.image(name).pixels().any(|pixel| pixel.0 == color);
        let is_green = ["koi/koi-05.png", "koi/koi-07.png"].map(|name| has(name, [0, 255, 0, 255]));
        let is_red = ["koi/koi-02.png", "koi/koi-05.png"].map(|name| has(name, [255, 0, 0, 255]));
        assert_eq!((is_green, is_red), (green, red));
        let manifest = manifest(&env, "koi/frames.json");
        assert_eq!(manifest["frames"][3]["pivot"], json!([14, 20]));
        assert_eq!(manifest["clips"][1]["steps"][1]["event"], "splash");
    };
    check([false, true], [true, true]);
    assert!(env.read("koi/koi-02.png") == painted && env.read("koi/koi-05.png") == second);
    // From now on that paint is nobody's conflict.
    assert_eq!(env.run(slice).code, 0);
    check([false, true], [true, true]);
    // New art for it once more, and this time the artist's is wanted.
    sheet.put_pixel(32 * 5 + 4, 4, image::Rgba([0, 255, 0, 255]));
    env.save("art/koi.png", &sheet);
    assert_eq!(env.run(slice).code, 4);
    env.ok(&format!("{slice} --force"));
    check([true, true], [true, false]);
    // A picture that is deleted is the run's again.
    std::fs::remove_file(env.path("koi/koi-02.png")).unwrap();
    env.ok(slice);
    check([true, true], [false, false]);
}

#[test]
fn a_day_of_painting_is_kept_by_builds_too() {
    let env = Env::with_art();
    env.write(
        "shibori.toml",
        "[out]\ndir = \"build\"\n[sprite.koi]\nfrom = \"art/koi.png\"\nset = \"koi\"\nslice = { grid = \"8x1\" }\n\
         clips = { swim = \"0-7 @12fps\" }\n[atlas.pond]\nuse = \"koi\"\n[[atlas.pond.export]]\nto = \"csv\"\n",
    );
    env.ok("build");
    paint(&env, "build/koi/koi-02.png", [255, 0, 0, 255]);
    env.ok("clip build/koi \"turn = 3,4\"");
    env.ok("adjust build/koi --in-place --only 6 --pivot feet");
    let outcome = env.run("build");
    assert_eq!(outcome.code, 0, "{}", outcome.err);
    assert!(
        outcome.err.contains("kept by hand: paint on koi-02.png; pivot of koi-06; clip turn"),
        "{}",
        outcome.err
    );
    assert!(env.ok("build").contains("nothing changed"));
    let mut sheet = env.image("art/koi.png");
    sheet.put_pixel(32 * 2 + 3, 3, image::Rgba([0, 255, 0, 255]));
    env.save("art/koi.png", &sheet);
    let outcome = env.run("build");
    assert!(outcome.code == 4 && outcome.err.contains("paint on koi-02.png"), "{}", outcome.err);
    assert!(outcome.out.contains("atlas.pond"), "the others are built: {}", outcome.out);
    env.ok("build --carry");
    assert!(env.image("build/koi/koi-02.png").pixels().any(|pixel| pixel.0 == [255, 0, 0, 255]));
    assert!(env.ok("build").contains("nothing changed"));
}

#[test]
fn in_place_work_is_hand_work() {
    let env = Env::with_art();
    let slice = "slice art/koi.png --grid 8x1 --clip \"swim = 0-7\" -o koi";
    env.ok(slice);
    paint(&env, "koi/koi-02.png", [255, 0, 0, 255]);
    env.ok("adjust koi --in-place --trim frame --pivot feet --box body=auto");
    let before = env.files("koi");
    for _ in 0..2 {
        let outcome = env.run(slice);
        assert!(outcome.code == 0 && outcome.err.contains("kept by hand: paint on"), "{}", outcome.err);
        assert!(
            env.files("koi")
                .iter()
                .filter(|(name, _)| name.ends_with("png"))
                .eq(before.iter().filter(|(name, _)| name.ends_with("png")))
        );
        assert_eq!(
            unsealed(manifest(&env, "koi/frames.json")),
            unsealed(
                serde_json::from_slice(&before.iter().find(|(n, _)| n == "frames.json").unwrap().1).unwrap()
            )
        );
    }
    // In a fresh clone too, a set that was changed in place says so.
    std::fs::remove_dir_all(env.path("koi/.shibori")).unwrap();
    assert_eq!(env.run(slice).code, 4);
    // What a command changes that shibori wrote elsewhere is known from before it.
    let slice = "slice art/frog.png --grid 8x4 -o frog";
    env.ok(slice);
    std::fs::remove_dir_all(env.path("frog/.shibori")).unwrap();
    env.ok("adjust frog --in-place --only 3 --mirror left-right");
    env.ok("clip frog \"hop = 3,4\"");
    let outcome = env.run(slice);
    assert!(outcome.code == 0, "{}", outcome.err);
    assert!(outcome.err.contains("kept by hand: paint on frog-03.png; clip hop"), "{}", outcome.err);
}

#[test]
fn what_only_the_run_changes_is_written_without_a_word() {
    let env = Env::with_art();
    env.ok("slice art/koi.png --grid 8x1 --clip \"swim = 0-7\" -o koi");
    edit(&env, "koi/frames.json", |all| all["frames"][3]["pivot"] = json!([1, 2]));
    let outcome =
        env.run("slice art/koi.png --grid 8x1 --clip \"dart = 0-3\" --box body=auto --trim frame -o koi");
    assert!(outcome.code == 0 && outcome.err.contains("kept by hand: pivot of koi-03\n"), "{}", outcome.err);
    let now = manifest(&env, "koi/frames.json");
    assert_eq!(now["clips"].as_array().unwrap().len(), 1);
    assert_eq!(now["clips"][0]["name"], "dart");
    assert!(now["frames"][3]["boxes"]["body"].is_array() && now["frames"][3]["pivot"] == json!([1, 2]));
    assert_ne!(now["frames"][3]["rect"], json!([0, 0, 32, 32]));
    // An editor that only lays the text out again changes nothing.
    let slice = "slice art/frog.png --grid 8x4 -o frog";
    env.ok(slice);
    let fresh = env.read("frog/frames.json");
    edit(&env, "frog/frames.json", |_| ());
    let outcome = env.run(slice);
    assert!(outcome.code == 0 && !outcome.err.contains("kept"), "{}", outcome.err);
    assert!(env.read("frog/frames.json") == fresh);
}

#[test]
fn what_is_no_manifest_of_ours_is_never_replaced_unasked() {
    let env = Env::with_art();
    env.ok("slice art/koi.png --grid 8x1 -o koi");
    let ours = String::from_utf8(env.read("koi/frames.json")).unwrap();
    for text in [
        "{\"x\":1}".to_owned(),
        "[1, 2]".to_owned(),
        "notes".to_owned(),
        ours.replacen("\"clips\"", "\"clips\",", 1).replacen("],", "],,", 1),
        ours.replacen("shibori/1", "shibori/2", 1),
    ] {
        for (line, file) in [
            ("slice art/koi.png --grid 8x1 --manifest-only", "art/koi.json"),
            ("slice art/koi.png --grid 8x1 -o koi", "koi/frames.json"),
            ("pack koi -o pond", "pond.json"),
        ] {
            let kept = env.path(file).exists().then(|| env.read(file));
            env.write(file, &text);
            let outcome = env.run(line);
            // A set that can't be read can't be packed either.
            assert!([3, 4].contains(&outcome.code), "{line} over {text}: {}", outcome.err);
            assert_eq!(String::from_utf8(env.read(file)).unwrap(), text, "{line}");
            match kept {
                Some(bytes) => env.write(file, bytes),
                None => std::fs::remove_file(env.path(file)).unwrap(),
            }
        }
    }
    env.write("pond.json", "{\"x\":1}");
    env.ok("pack koi -o pond --force");
}

#[test]
fn a_set_of_other_sprites_and_a_manifest_of_another_kind_stop_the_run() {
    let env = Env::with_art();
    env.ok("slice art/koi.png --grid 8x1 -o frames");
    let before = env.files("frames");
    let outcome = env.run("slice art/frog.png --grid 8x4 -o frames");
    assert_eq!(outcome.code, 4);
    assert!(outcome.err.contains("is the manifest of other sprites: koi"), "{}", outcome.err);
    // An atlas called like the set's manifest would sweep the set away.
    let outcome = env.run("pack art/lantern art/koi.png -o frames/frames");
    assert_eq!(outcome.code, 4);
    assert!(outcome.err.contains("a different kind"), "{}", outcome.err);
    assert!(env.files("frames") == before);
    env.ok("slice art/frog.png --grid 8x4 -o frames --force");
}

#[test]
fn in_place_writes_exactly_the_files_that_the_manifest_names() {
    let env = Env::with_art();
    env.ok("slice art/koi.png --grid 8x1 -o koi");
    // A person renames images, in the manifest too, and keeps a painting under one of the old names.
    for at in 0..8 {
        let bytes = env.read(&format!("koi/koi-{at:02}.png"));
        env.write(&format!("koi/swim {at}.png"), bytes);
        std::fs::remove_file(env.path(&format!("koi/koi-{at:02}.png"))).unwrap();
    }
    env.write("koi/koi-03.png", "a painting of mine");
    edit(&env, "koi/frames.json", |all| {
        for at in 0..8 {
            all["pages"][at]["file"] = json!(format!("swim {at}.png"));
        }
        all["pages"][2]["extras"] = json!({ "layer": "front" });
    });
    let names = env.names("koi");
    env.ok("adjust koi --in-place --mirror left-right");
    assert_eq!(env.names("koi"), names);
    assert_eq!(env.read("koi/koi-03.png"), b"a painting of mine");
    assert_eq!(manifest(&env, "koi/frames.json")["pages"][2]["extras"]["layer"], "front");
    assert_eq!(manifest(&env, "koi/frames.json")["pages"][5]["file"], "swim 5.png");
}

#[test]
fn exports_without_a_seal_are_known_by_the_ledger() {
    let env = Env::with_art();
    env.ok("slice art/koi.png --grid 8x1 --clip \"swim = 0-7\" -o koi");
    env.ok("slice art/frog.png --grid 8x4 -o frog");
    env.ok("pack koi -o koi-atlas --page-format qoi");
    env.write("mine.json.j2", "{ \"frames\": {{ frames|length }}, \"names\": {{ name|tojson }} }");
    for speed in ["1", "2"] {
        env.ok(&format!("clip koi-atlas --speed {speed}"));
        env.ok("pack koi -o koi-atlas --page-format qoi");
        env.ok("export koi-atlas --to csv -o koi.csv");
        env.ok("export koi-atlas --template json -o koi.data.json");
        env.ok("export koi-atlas --template mine.json.j2 -o mine.json");
    }
    for table in ["koi.csv", "koi-clips.csv", "mine.json"] {
        let text = String::from_utf8(env.read(table)).unwrap();
        assert!(!text.contains("shibori"), "{text}");
        env.write(table, text.replacen("koi", "roach", 1));
        let line = match table {
            "mine.json" => "export koi-atlas --template mine.json.j2 -o mine.json",
            _ => "export koi-atlas --to csv -o koi.csv",
        };
        let outcome = env.run(line);
        assert!(outcome.code == 4 && outcome.err.contains("edited since"), "{table}: {}", outcome.err);
        env.ok(&format!("{line} --force"));
    }
    let before = env.read("frog/frames.json");
    env.write("t.j2", "{{ seal }}");
    let outcome = env.run("export koi-atlas --template t.j2 -o frog/frames.json");
    assert_eq!(outcome.code, 4);
    assert!(outcome.err.contains("other sprites: frog"), "{}", outcome.err);
    assert!(env.read("frog/frames.json") == before);
}

#[test]
fn in_a_fresh_clone_a_build_replaces_what_it_declares_and_a_command_does_not() {
    let env = Env::with_art();
    env.write(
        "shibori.toml",
        "[out]\ndir = \"build\"\n[sprite.koi]\nfrom = \"art/koi.png\"\nslice = { grid = \"8x1\" }\n\
         [atlas.pond]\nuse = \"koi\"\npage-format = \"qoi\"\n[[atlas.pond.export]]\nto = \"csv\"\n",
    );
    env.ok("build");
    let forget = || {
        std::fs::remove_dir_all(env.path("build/.shibori")).unwrap();
        std::fs::remove_dir_all(env.path(".shibori")).unwrap();
    };
    let mut sheet = env.image("art/koi.png");
    sheet.put_pixel(3, 3, image::Rgba([0, 255, 0, 255]));
    env.save("art/koi.png", &sheet);
    forget();
    let outcome = env.run("pack art/koi.png -o build/pond --page-format qoi");
    assert_eq!(outcome.code, 4, "{}", outcome.err);
    env.ok("build");
    // What was edited in the files that do carry a seal makes the others suspect too.
    forget();
    edit(&env, "build/pond.json", |all| all["mood"] = json!("calm"));
    sheet.put_pixel(4, 3, image::Rgba([0, 255, 0, 255]));
    env.save("art/koi.png", &sheet);
    let outcome = env.run("build");
    assert!(outcome.code == 4 && outcome.err.contains("no record"), "{}", outcome.err);
}

#[test]
fn what_changes_while_a_command_thinks_is_not_replaced() {
    let env = Env::with_art();
    let line = ["adjust", "frog", "--in-place", "--align", "match"];
    let mine = b"a painting of mine";
    // A run that ended before the painting was there tried nothing: again, a little sooner.
    for wait in [40, 20, 10, 5, 2, 1, 0, 0, 0, 0] {
        env.ok("slice art/frog.png --grid 8x4 -o frog --force");
        let mut command = std::process::Command::new(assert_cmd::cargo::cargo_bin("shibori"));
        command.args(line).arg("-q").current_dir(env.path("")).stderr(std::process::Stdio::null());
        let mut child = command.spawn().unwrap();
        // It holds the set from before it reads it.
        let holds = || {
            let mut entries = std::fs::read_dir(env.path("frog/.shibori")).unwrap().flatten();
            entries.any(|entry| entry.path().is_dir())
        };
        while !holds() && child.try_wait().unwrap().is_none() {
            std::thread::yield_now();
        }
        std::thread::sleep(std::time::Duration::from_millis(wait));
        env.write("frog/frog-03.png", mine);
        let is_refused = !child.wait().unwrap().success();
        // Whichever it read, it never writes over what it has not.
        assert_eq!(env.read("frog/frog-03.png"), mine);
        if is_refused {
            return;
        }
    }
    panic!("every run ended before the painting was there");
}
