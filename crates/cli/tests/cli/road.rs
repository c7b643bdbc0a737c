//! The main job from end to end: slice, pack, unpack, and every pixel is where it was.

use serde_json::Value;

use crate::env::{Env, pictures};
use crate::schema::faults;

const FROG: &str = "slice art/frog.png --cell 32x32 --pivot feet --clip \"sit = r0 @5fps\" --clip \"leap = r2 @total 0.8s \
    once\" --clip \"turn = 0,1,0 bounce\" -o frog";

#[test]
fn a_cut_is_the_sheet_cell_by_cell() {
    let env = Env::with_art();
    let result = env.json(FROG);
    assert_eq!(result["count"], 25);
    assert_eq!(result["sheets"][0]["blank"], serde_json::json!(["r0c4-7", "r1c6-7", "r3c7"]));
    let sheet = env.image("art/frog.png");
    let set = env.frames("frog");
    for frame in set.frames() {
        let cell = frame.cell().unwrap();
        let wanted = image::imageops::crop_imm(&sheet, cell.column * 32, cell.row * 32, 32, 32).to_image();
        assert_eq!(frame.pixels().to_image(), wanted, "{cell}");
    }
    assert_eq!(set.frames()[24].name().as_str(), "frog-24");
    assert!(set.frames().iter().all(|frame| frame.pivot() == set.frames()[0].pivot()));
}

#[test]
fn every_layout_gives_back_every_pixel() {
    let env = Env::with_art();
    env.ok(FROG);
    env.ok("slice art/koi.png --grid 8x1 --trim frame --blank keep -o koi");
    env.ok("slice art/ripple.png art/firefly.gif -o lights");
    let wanted: Vec<_> = ["frog", "koi", "lights", "art/lantern"].iter().map(|set| env.frames(set)).collect();
    let wanted = shibori_core::FrameSet::merge(wanted).unwrap();
    for options in [
        "--layout dense",
        "--layout dense --trim none --no-share",
        "--layout dense --margin 0 --gutter 0 --bleed 2 --page-round pow2",
        "--layout dense --page-size 96x96",
        "--layout dense --page-max 70x200 --page-round 4",
        "--layout grid",
        "--layout grid --columns 5 --gutter 3 --margin 1 --bleed 1",
        "--layout grid --page-max 200",
        "--layout strip",
        "--layout clip-rows",
        "--layout clip-rows --row-order leap,-,swim --clip \"koi:swim = 0-7\" --trim clip",
    ] {
        env.ok(&format!("pack frog koi lights art/lantern -o atlas/pond {options}"));
        env.ok("unpack atlas/pond.json -o back");
        let back = env.frames("back");
        // A layout of rows may list a frame twice; the first one bears its name.
        for frame in wanted.frames() {
            let same = |other: &&shibori_core::Frame| {
                other.sprite() == frame.sprite() && other.name() == frame.name()
            };
            let found =
                back.frames().iter().find(same).unwrap_or_else(|| panic!("{options}: {}", frame.name()));
            assert!(found.full_image().is_same_image(&frame.full_image()), "{options}: {}", frame.name());
            assert_eq!((found.canvas(), found.pivot()), (frame.canvas(), frame.pivot()), "{options}");
        }
        for clip in wanted.clips() {
            let same = |other: &&shibori_core::clip::Clip| {
                other.sprite() == clip.sprite() && other.name() == clip.name()
            };
            let found = back.clips().iter().find(same).unwrap();
            assert_eq!((found.total_ticks(), found.timescale()), (clip.total_ticks(), clip.timescale()));
            for (a, b) in found.steps().iter().zip(clip.steps()) {
                let (a, b) = (&back.frames()[a.frame], &wanted.frames()[b.frame]);
                assert!(a.full_image().is_same_image(&b.full_image()), "{options}: clip {}", clip.name());
            }
        }
    }
}

#[test]
fn a_manifest_only_cut_writes_one_file_and_reads_as_frames() {
    let env = Env::with_art();
    let before = env.names("art");
    env.ok("slice art/frog.png --grid 8x4 --trim frame --manifest-only --clip \"sit = r0\"");
    let mut after = env.names("art");
    after.retain(|name| !before.contains(name));
    assert_eq!(after, ["frog.json"]);
    env.ok("slice art/frog.png --grid 8x4 -o frog");
    let (manifest, set) = (env.frames("art/frog.json"), env.frames("frog"));
    for (a, b) in pictures(&manifest).iter().zip(pictures(&set)) {
        assert!(a.is_same_image(&b));
    }
    env.ok("pack art/frog.json -o pond");
}

#[test]
fn one_thread_or_many_write_the_same_bytes_and_manifests_as_the_schema_says() {
    let env = Env::with_art();
    env.ok("demo one --jobs 1");
    env.ok("demo many --jobs 8");
    // What builds keep tells files of this machine apart.
    let made = |folder: &str| -> Vec<_> {
        env.files(folder).into_iter().filter(|(name, _)| !name.contains(".shibori")).collect()
    };
    let (one, many) = (made("one"), made("many"));
    assert!(one.len() > 100);
    assert!(one == many, "the two outputs differ");
    // Only the heron that is left rough on purpose jumps about, and all of the art is art.
    assert_eq!(env.run("check one/sets/heron").code, 0);
    let checked: Value = serde_json::from_str(&env.run("check one/shibori.toml --json").out).unwrap();
    let wrong = checked["findings"].as_array().unwrap().iter().filter(|finding| finding["level"] == "wrong");
    assert!(wrong.clone().count() > 0 && wrong.into_iter().all(|finding| finding["sprite"] == "rough-heron"));
    let drafted = env.ok("init one/art -o -");
    for name in ["koi", "frog", "heron", "lantern"] {
        assert!(drafted.contains(&format!("one/art/{name}")), "{name}: {drafted}");
    }
    env.ok("slice art/koi.png --grid 8x1 --manifest-only");
    let schema: Value = serde_json::from_str(&env.ok("schema manifest")).unwrap();
    let manifests: Vec<_> = env.files("").into_iter().filter(|(name, _)| name.ends_with(".json")).collect();
    assert!(manifests.len() >= 8);
    for (name, bytes) in manifests {
        let manifest: Value = serde_json::from_slice(&bytes).unwrap();
        assert_eq!(faults(&schema, &manifest), Vec::<String>::new(), "{name}");
    }
    // And what is wrong is found wrong.
    let text = String::from_utf8(env.read("art/koi.json")).unwrap();
    for (right, wrong) in
        [("shibori/1", "shibori/2"), ("\"rect\": [", "\"rect\": [-1, "), ("\"frames\"", "\"frame\"")]
    {
        assert!(text.contains(right), "{right}");
        let broken: Value = serde_json::from_str(&text.replace(right, wrong)).unwrap();
        assert_ne!(faults(&schema, &broken), Vec::<String>::new(), "{wrong}");
    }
}

#[test]
fn an_animation_keeps_its_times_and_its_loop() {
    let env = Env::with_art();
    let result = env.json("inspect art/firefly.gif art/ripple.png");
    let times = serde_json::json!([500.0, 40.0, 40.0, 180.0, 80.0, 120.0, 160.0, 240.0]);
    assert_eq!(result["sheets"][0]["animation"]["ms"], times);
    assert_eq!(result["sheets"][1]["transparency"], "soft");
    env.ok("slice art/firefly.gif --trim frame -o firefly");
    let set = env.frames("firefly");
    let clip = &set.clips()[0];
    let millis: Vec<f64> = clip.steps().iter().map(|step| clip.span(step).millis()).collect();
    assert_eq!(millis, [500.0, 40.0, 40.0, 180.0, 80.0, 120.0, 160.0, 240.0]);
    assert_eq!((clip.name().as_str(), clip.plays()), ("firefly", 0));
}

#[test]
fn a_folder_of_numbered_images_is_a_clip_and_gaps_are_reported() {
    let env = Env::with_art();
    let koi = env.read("art/koi.png");
    for name in ["walk/f2.png", "walk/f10.png", "walk/f1.png", "walk/notes.txt"] {
        env.write(name, &koi);
    }
    let outcome = env.run("pack walk -o pond --layout grid");
    assert_eq!(outcome.code, 0, "{}", outcome.err);
    assert!(outcome.err.contains("missing 3, 4, 5, 6, 7, 8, 9"), "{}", outcome.err);
    let set = env.frames("pond.json");
    let names: Vec<&str> = set.frames().iter().map(|frame| frame.name().as_str()).collect();
    assert_eq!(names, ["f1", "f2", "f10"]);
    assert_eq!((set.clips()[0].name().as_str(), set.clips()[0].steps().len()), ("f", 3));
}

#[test]
fn what_the_user_added_to_a_manifest_survives_packing() {
    let env = Env::with_art();
    env.ok("slice art/koi.png --grid 8x1 --clip \"swim = 0-7\" -o koi");
    let text = String::from_utf8(env.read("koi/frames.json")).unwrap();
    let text =
        text.replacen("\"source\"", "\"extras\": { \"sound\": \"plop\" }, \"later\": 7, \"source\"", 1);
    let text = text.replacen("\"timescale\"", "\"extras\": { \"speed\": 3 }, \"timescale\"", 1);
    env.write("koi/frames.json", text);
    env.ok("pack koi -o pond");
    let atlas: Value = serde_json::from_slice(&env.read("pond.json")).unwrap();
    assert_eq!(atlas["frames"][0]["extras"]["sound"], "plop");
    assert_eq!(atlas["frames"][0]["later"], 7);
    assert_eq!(atlas["clips"][0]["extras"]["speed"], 3);
}

#[test]
fn names_follow_the_template() {
    let env = Env::with_art();
    env.ok("slice art/koi.png art/heron.png --grid 2x1 --name {sheet}/{n:03} --number-from 1 -o both");
    assert_eq!(
        env.names("both"),
        ["frames.json", "heron/001.png", "heron/002.png", "koi/001.png", "koi/002.png"]
    );
    env.ok("slice art/frog.png --grid 8x4 --clip \"sit = r0\" --name {clip}_{n} -o frog");
    assert!(env.names("frog").contains(&"sit_3.png".to_owned()));
    assert!(env.names("frog").contains(&"frog_20.png".to_owned()));
}

#[test]
fn the_pack_result_has_the_keys_scripts_rely_on() {
    let env = Env::with_art();
    env.ok("slice art/duckling.png --grid 4x8 -o duckling");
    let result = env.json("pack duckling -o pond");
    assert_eq!(result["manifest"], "pond.json");
    assert_eq!(result["count"], 32);
    assert!(result["distinct"].as_u64().unwrap() < 32);
    let page = &result["pages"][0];
    assert_eq!(page["bytes"], env.read("pond.png").len());
    let area = page["size"][0].as_u64().unwrap() * page["size"][1].as_u64().unwrap();
    assert_eq!(result["memory"]["after"], area * 4);
    assert_eq!(result["memory"]["before"], 32 * 24 * 24 * 4);
    assert!(result["fill"].as_f64().unwrap() > 0.6);
}
