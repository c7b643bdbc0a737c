//! What a person put into a manifest is never lost without a word, whichever command replaces it.

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

/// Each kind of hand work, and how it is told.
type Work = (&'static str, fn(&Env, &str));

const WORKS: [Work; 6] = [
    ("1 clip (koi:turn)", |env, path| drop(env.ok(&format!("clip {path} \"turn = 3,4\"")))),
    ("1 event (splash of koi:swim)", |env, path| drop(env.ok(&format!("clip {path} --event swim@2=splash")))),
    ("1 box (hit of koi:koi-01)", |env, path| {
        edit(env, path, |all| all["frames"][1]["boxes"] = json!({ "hit": [1, 2, 3, 4] }));
    }),
    ("1 nine-slice (koi:koi-00)", |env, path| {
        edit(env, path, |all| all["frames"][0]["nine"] = json!([1, 1, 1, 1]));
    }),
    ("1 extras (sound of koi:koi-02)", |env, path| {
        edit(env, path, |all| all["frames"][2]["extras"] = json!({ "sound": "plop" }));
    }),
    ("1 key of your own (mood of the whole)", |env, path| edit(env, path, |all| all["mood"] = json!("calm"))),
];

#[test]
fn every_kind_of_hand_work_stops_every_command_and_is_carried_or_let_go() {
    for (told, work) in WORKS {
        let env = Env::with_art();
        let slice = "slice art/koi.png --grid 8x1 --clip \"swim = 0-7\" -o koi";
        let pack = "pack art-koi -o atlas/koi";
        env.ok("slice art/koi.png --grid 8x1 --clip \"swim = 0-7\" -o art-koi");
        for (command, path) in [(slice, "koi/frames.json"), (pack, "atlas/koi.json")] {
            env.ok(command);
            // The same command again just works.
            env.ok(command);
            work(&env, path);
            let before = env.read(path);
            let outcome = env.run(command);
            assert_eq!(outcome.code, 4, "{told}: {command}: {}", outcome.err);
            assert!(outcome.err.contains(told), "{told}: {}", outcome.err);
            assert!(outcome.err.contains("--carry") && outcome.err.contains("--force"), "{}", outcome.err);
            assert!(env.read(path) == before, "{told}: it stays as it was");
            env.ok(&format!("{command} --carry"));
            let carried = env.read(path);
            let outcome = env.run(command);
            assert!(outcome.code == 4 && outcome.err.contains(told), "{told} was carried: {}", outcome.err);
            assert!(env.read(path) == carried);
            env.ok(&format!("{command} --force"));
            env.ok(command);
        }
    }
}

#[test]
fn what_can_not_be_carried_is_told() {
    let env = Env::with_art();
    env.ok("slice art/koi.png --grid 8x1 -o koi");
    env.ok("clip koi \"turn = 6,7\"");
    let outcome = env.run("slice art/koi.png --grid 8x1 --count 4 -o koi --carry");
    assert_eq!(outcome.code, 4);
    assert!(outcome.err.contains("can't keep: 1 clip (koi:turn)"), "{}", outcome.err);
    assert_eq!(manifest(&env, "koi/frames.json")["frames"].as_array().unwrap().len(), 8);
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

/// Values that a run measures anew, and how each is read.
type Valued = (&'static str, fn(&mut Value));

const VALUES: [Valued; 5] = [
    ("pivot", |all| all["frames"][3]["pivot"] = json!([1, 2.5])),
    ("box", |all| all["frames"][3]["boxes"]["body"] = json!([-1, 2, 3, 4])),
    ("time", |all| all["clips"][0]["steps"][5]["ticks"] = json!(9)),
    ("order", |all| all["clips"][0]["steps"][0]["frame"] = json!(7)),
    ("play", |all| all["clips"][0]["plays"] = json!(2)),
];

#[test]
fn a_value_set_by_hand_is_never_measured_over_without_a_word() {
    for (told, change) in VALUES {
        let env = Env::with_art();
        let slice =
            "slice art/koi.png --grid 8x1 --clip \"swim = 0-7 @12fps\" --pivot feet --box body=auto -o koi";
        env.ok(slice);
        let fresh = manifest(&env, "koi/frames.json");
        edit(&env, "koi/frames.json", change);
        let mut wanted = manifest(&env, "koi/frames.json");
        let outcome = env.run(slice);
        assert_eq!(outcome.code, 4, "{told}");
        assert!(outcome.err.contains("edited since shibori wrote it"), "{told}: {}", outcome.err);
        // What a person set stays theirs, however often it is carried over and whatever else is added.
        for command in [format!("{slice} --carry"), "clip koi \"turn = 3,4\"".to_owned()] {
            env.ok(&command);
            let outcome = env.run(slice);
            assert_eq!(outcome.code, 4, "{told}: {command}");
        }
        let mut now = manifest(&env, "koi/frames.json");
        now["clips"].as_array_mut().unwrap().truncate(1);
        wanted.as_object_mut().unwrap().remove("seal");
        assert_eq!(now, wanted, "{told}");
        env.ok(&format!("{slice} --force"));
        assert_eq!(manifest(&env, "koi/frames.json"), fresh, "{told}");
        // An editor that only lays the text out again changes nothing.
        edit(&env, "koi/frames.json", |_| ());
        env.ok(slice);
        assert_eq!(manifest(&env, "koi/frames.json"), fresh, "{told}");
    }
}

#[test]
fn exports_and_manifests_are_not_written_over_by_what_they_are_not() {
    let env = Env::with_art();
    env.ok("slice art/koi.png --grid 8x1 --clip \"swim = 0-7\" -o koi");
    env.ok("slice art/frog.png --grid 8x4 -o frog");
    env.ok("pack koi -o koi-atlas");
    for _ in 0..2 {
        env.ok("export koi-atlas --to csv -o koi.csv");
    }
    for table in ["koi.csv", "koi-clips.csv"] {
        let text = String::from_utf8(env.read(table)).unwrap();
        env.write(table, text.replacen("swim", "glide", 1).replacen("koi-00", "koi-first", 1));
        let outcome = env.run("export koi-atlas --to csv -o koi.csv");
        assert_eq!(outcome.code, 4, "{table}");
        assert!(outcome.err.contains("edited since"), "{}", outcome.err);
        // A version control that changes line ends changes nothing of a person's.
        env.write(table, text.replace("\r\n", "\n"));
        env.ok("export koi-atlas --to csv -o koi.csv");
    }
    let before = env.read("frog/frames.json");
    env.write("t.j2", "{{ seal }}");
    let outcome = env.run("export koi-atlas --template t.j2 -o frog/frames.json");
    assert_eq!(outcome.code, 4);
    assert!(outcome.err.contains("other sprites: frog"), "{}", outcome.err);
    assert!(env.read("frog/frames.json") == before);
}
