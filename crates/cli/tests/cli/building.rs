//! Recipes done by the built program: from nothing, after changes, step by step, and when it is killed.

use std::fs;
use std::io::{BufRead, BufReader};
use std::process::{Command, Stdio};
use std::time::Instant;

use serde_json::Value;
use shibori_formats::DisplaySlashed;

use crate::env::Env;

const RECIPE: &str = r#"
[sprite.koi]
from  = "art/koi.png"
slice = { grid = "8x1" }
clips = { swim = "0-7 @12fps", turn = "3,4,5,4 @80ms once" }

[sprite.frog]
from = "art/frog.png"
slice = { grid = "8x4" }
shape = { pivot = "feet" }
event = "leap@5=splash"
set = "sets/frog"
[sprite.frog.clips]
sit = "r0 @5fps"
leap = { steps = "r2 @total 0.8s once", shape = { pivot = "bottom" } }
[[sprite.frog.preview]]
as = "grid"

[sprite.lantern]
from = "art/lantern/*.png"

[atlas.pond]
use = ["koi", "frog"]
page-max = 1024
[[atlas.pond.export]]
to = "glb"
[[atlas.pond.export]]
template = "list.txt.j2"
file = "pond.txt"
[[atlas.pond.preview]]
as = "html"

[atlas.lights]
use = ["lan*"]
layout = "strip"
"#;

const LIST: &str = "{% for frame in frames %}{{ frame.name }}\n{% endfor %}";

fn project() -> Env {
    let env = Env::with_art();
    env.write("shibori.toml", RECIPE);
    env.write("list.txt.j2", LIST);
    env
}

/// The events of a build, each an object.
fn events(env: &Env, line: &str) -> Vec<Value> {
    let outcome = env.run(&format!("{line} --json"));
    outcome.out.lines().map(|line| serde_json::from_str(line).unwrap_or_else(|_| panic!("{line}"))).collect()
}

fn done(events: &[Value]) -> Vec<&str> {
    let mut done: Vec<&str> = events
        .iter()
        .filter(|event| event["state"] == "done")
        .filter_map(|event| event["target"].as_str())
        .collect();
    done.sort_unstable();
    done
}

#[test]
fn a_recipe_is_built_and_then_only_what_changed() {
    let env = project();
    let all = events(&env, "build");
    assert_eq!(
        done(&all),
        [
            "atlas.lights",
            "atlas.pond",
            "export.pond.glb",
            "export.pond.txt",
            "preview.frog-grid.png",
            "preview.pond.html",
            "sprite.frog"
        ]
    );
    assert_eq!(all.last().unwrap()["done"], 7);
    let outputs: Vec<&str> = all
        .iter()
        .flat_map(|event| event["outputs"].as_array().into_iter().flatten())
        .filter_map(Value::as_str)
        .collect();
    assert_eq!(outputs.len(), env.names("build").len(), "{outputs:?}\n{:?}", env.names("build"));
    // The frames of a clip with options of its own have theirs, those of the others not.
    let frog = env.frames("build/sets/frog");
    assert_eq!(frog.clips().len(), 2);
    let pivot = |clip: usize| frog.frames()[frog.clips()[clip].steps()[0].frame].pivot();
    assert_ne!(pivot(0), pivot(1));
    assert!(env.ok("build").contains("nothing changed"));
    // What does not hold a changed sheet is left alone.
    env.write("art/koi.png", env.read("art/frog.png"));
    let recipe = RECIPE.replace("slice = { grid = \"8x1\" }\nclips", "slice = { grid = \"8x4\" }\nclips");
    env.write("shibori.toml", &recipe);
    assert_eq!(
        done(&events(&env, "build")),
        ["atlas.pond", "export.pond.glb", "export.pond.txt", "preview.pond.html"]
    );
    // A template is an input, too; a file of nobody's seal that a build wrote is known to be its own.
    env.write("list.txt.j2", format!("# list\n{LIST}"));
    assert_eq!(done(&events(&env, "build")), ["export.pond.txt"]);
    // Steps that are gone take their files with them, and the folders that are left empty.
    env.write("shibori.toml", recipe.replace("set = \"sets/frog\"", ""));
    let out = env.ok("build");
    assert!(out.contains("removed"), "{out}");
    assert!(!env.path("build/sets").exists());
}

#[test]
fn what_a_person_changed_in_an_output_stops_its_step_alone() {
    let env = project();
    env.ok("build");
    let text = env.read("build/pond.txt");
    env.write("build/pond.txt", "mine");
    env.write("art/lantern/glow_00.png", env.read("art/lantern/glow_03.png"));
    let outcome = env.run("build");
    assert_eq!(outcome.code, 4, "{}", outcome.err);
    assert!(outcome.err.contains("pond.txt") && outcome.err.contains("--force"), "{}", outcome.err);
    assert!(outcome.out.contains("atlas.lights"), "all else is done: {}", outcome.out);
    assert_eq!(env.read("build/pond.txt"), b"mine");
    env.ok("build --force");
    assert!(env.read("build/pond.txt") == text);
    // An output of a step that is gone stays where it was changed.
    env.write("build/pond.txt", "mine");
    env.write(
        "shibori.toml",
        RECIPE.replace("[[atlas.pond.export]]\ntemplate = \"list.txt.j2\"\nfile = \"pond.txt\"\n", ""),
    );
    let outcome = env.run("build");
    assert!(outcome.code == 0 && outcome.err.contains("edited by hand"), "{}", outcome.err);
    assert_eq!(env.read("build/pond.txt"), b"mine");
}

#[test]
fn a_clip_that_somebody_added_to_an_atlas_that_was_built_is_kept() {
    let env = project();
    env.write("list.txt.j2", format!("# {{{{ seal }}}}\n{LIST}"));
    env.ok("build");
    env.ok("clip build/pond.json \"mine = koi:0-2\"");
    let outcome = env.run("build");
    assert!(outcome.code == 0 && outcome.err.contains("kept by hand: clip koi:mine"), "{}", outcome.err);
    assert!(env.ok("build").contains("nothing changed"));
    env.ok("build --target pond");
    assert!(env.ok("clip build/pond.json").contains("koi:mine"));
    // In a fresh clone nobody knows what was written.
    let forget = || {
        fs::remove_dir_all(env.path("build/.shibori")).unwrap();
        fs::remove_dir_all(env.path(".shibori")).unwrap();
    };
    forget();
    for line in ["build", "build --target pond"] {
        let outcome = env.run(line);
        assert!(outcome.code == 4 && outcome.err.contains("clip koi:mine"), "{}", outcome.err);
        assert!(outcome.err.contains("--carry"), "{}", outcome.err);
    }
    env.ok("build --carry");
    assert!(env.ok("clip build/pond.json").contains("koi:mine"));
    forget();
    env.ok("build --force");
    assert!(!env.ok("clip build/pond.json").contains("koi:mine"));
    // What the recipe itself says otherwise is nobody's work, even where nothing is known of earlier builds.
    forget();
    env.write(
        "shibori.toml",
        RECIPE.replace("turn = ", "spin = ").replace("use = [\"koi\", \"frog\"]", "use = \"koi\""),
    );
    env.ok("build");
    env.ok("build --target pond");
}

#[test]
fn a_failed_step_leaves_its_outputs_and_all_that_belongs_to_them_as_they_were() {
    let env = project();
    env.ok("build");
    let before = env.files("build");
    env.write("art/koi.png", env.read("art/frog.png"));
    env.write("list.txt.j2", "{{ nonsense }}");
    let outcome = env.run("build");
    assert_eq!(outcome.code, 2, "{}", outcome.err);
    assert!(outcome.err.contains("export.pond.txt: list.txt.j2: line 1"), "{}", outcome.err);
    assert!(outcome.out.contains("skipped"), "{}", outcome.out);
    assert!(env.files("build") == before, "the atlas is that of its exports still");
    let broken = events(&env, "build");
    let failed = broken.iter().find(|event| event["state"] == "failed").unwrap();
    assert_eq!(
        (failed["target"].as_str(), failed["error"]["exit"].as_u64()),
        (Some("export.pond.txt"), Some(2))
    );
    assert_eq!(broken.last().unwrap()["ok"], false);
    // A sprite that can't be made stops the atlases that hold it.
    env.write("list.txt.j2", LIST);
    env.write("art/koi.png", b"no image");
    let outcome = env.run("build");
    assert_eq!(outcome.code, 3, "{}", outcome.err);
    assert!(outcome.out.contains("koi failed"), "{}", outcome.out);
}

#[test]
fn frozen_lists_what_is_stale_and_builds_nothing() {
    let env = project();
    let outcome = env.run("build --frozen");
    assert!(outcome.code == 1 && outcome.out.contains("atlas.pond"), "{}", outcome.out);
    assert!(!env.path("build").exists() && !env.path(".shibori").exists());
    env.ok("build");
    assert_eq!(env.run("build --frozen").code, 0);
    env.write("list.txt.j2", "x");
    let outcome = env.run("build --frozen");
    assert_eq!(outcome.code, 1);
    assert!(outcome.out.contains("export.pond.txt  list.txt.j2 changed"), "{}", outcome.out);
    let planned = env.ok("build -n");
    assert!(planned.contains("would run 1 target"), "{planned}");
    env.write("list.txt.j2", LIST);
    assert_eq!(env.run("build --frozen").code, 0);
    fs::remove_file(env.path("build/lights.png")).unwrap();
    assert!(env.run("build --frozen").out.contains("build/lights.png was missing"));
}

#[test]
fn steps_one_by_one_come_to_what_a_build_comes_to() {
    let env = project();
    let plan: Value = serde_json::from_str(&env.ok("build --plan")).unwrap();
    let targets = plan["targets"].as_array().unwrap();
    assert_eq!(targets.len(), 7);
    for target in targets {
        let command = target["command"].as_str().unwrap().strip_prefix("shibori ").unwrap();
        env.ok(command);
        for output in target["outputs"].as_array().unwrap() {
            assert!(env.path(output.as_str().unwrap()).is_file(), "{output}");
        }
        for input in target["inputs"].as_array().unwrap() {
            assert!(env.path(input.as_str().unwrap()).is_file(), "{input}");
        }
    }
    assert!(!env.path(".shibori").exists(), "nothing is kept");
    let whole = project();
    whole.ok("build");
    assert!(env.files("build") == whole.files("build"));
    // What make reads.
    env.ok("build --target pond --depfile out/pond.d");
    let rules = String::from_utf8(env.read("out/pond.d")).unwrap();
    assert!(
        rules.starts_with("build/pond.png \\\n  build/pond.json: \\\n  shibori.toml \\\n  art/koi.png"),
        "{rules}"
    );
    assert!(rules.contains("\nart/frog.png:\n"), "{rules}");
    let outcome = env.run("build --target ponf");
    assert!(outcome.code == 2 && outcome.err.contains("did you mean"), "{}", outcome.err);
}

#[test]
fn a_proposed_recipe_is_built_at_once() {
    let env = Env::with_art();
    env.ok("init art");
    env.ok("build");
    assert!(env.path("build/atlas.html").is_file());
    let recipe = String::from_utf8(env.read("shibori.toml")).unwrap();
    assert!(recipe.contains("slice = { islands = true }") && recipe.contains("key = \"auto\""), "{recipe}");
    assert!(recipe.contains("from = \"art/lantern/glow_*.png\""), "{recipe}");
    let outcome = env.run("init art");
    assert!(outcome.code == 2 && outcome.err.contains("--force"), "{}", outcome.err);
    // From another folder, with names that need quotes and signs of a pattern.
    let odd = if cfg!(windows) { "deep/odd [1] 'x'.png" } else { "deep/odd [1] \"x\".png" };
    env.write(odd, env.read("art/koi.png"));
    env.ok("init deep art/firefly.gif -o recipes/odd.toml");
    let recipe = String::from_utf8(env.read("recipes/odd.toml")).unwrap();
    assert!(recipe.contains("from = \"../art/firefly.gif\""), "{recipe}");
    env.ok("build recipes/odd.toml");
    env.ok("init deep -o odd.toml --force");
    // Two recipes that write one file get in each other's way.
    let outcome = env.run("build odd.toml");
    assert!(outcome.code == 4 && outcome.err.contains("is written by another recipe"), "{}", outcome.err);
    assert!(outcome.err.contains("shibori.toml"), "{}", outcome.err);
    fs::remove_dir_all(env.path("build")).unwrap();
    env.ok("build odd.toml");
}

#[test]
fn whatever_is_in_a_folder_the_proposed_recipe_builds_and_says_what_it_guessed() {
    let env = Env::with_art();
    let koi = env.read("art/koi.png");
    for number in 1..4 {
        env.write(&format!("mess/enemy{number}.png"), &koi);
    }
    for name in ["a", "b", "c"] {
        env.write(&format!("mess/deep/npc-{name}.png"), &koi);
    }
    for (number, name) in ["glow_00", "glow_01", "glow_02"].iter().enumerate() {
        env.write(&format!("mess/walk/{number}.png"), env.read(&format!("art/lantern/{name}.png")));
    }
    env.write("mess/broken.png", &koi[..koi.len() / 2]);
    let blank = image::RgbaImage::new(16, 16);
    let sky = image::RgbaImage::from_pixel(4200, 8, image::Rgba([90, 160, 220, 255]));
    let strip = image::RgbaImage::from_fn(16, 80, |x, y| {
        image::Rgba(if (3..12).contains(&x) && (2..13).contains(&(y % 16)) {
            [9, y as u8, 99, 255]
        } else {
            [0; 4]
        })
    });
    for (name, image) in [("blank", blank), ("sky", sky), ("strip", strip)] {
        image.save(env.path(&format!("mess/{name}.qoi"))).unwrap();
    }
    if cfg!(unix) {
        env.write("mess/*star.png", &koi);
    }
    let outcome = env.run("init mess");
    assert!(outcome.code == 0 && outcome.err.contains("left out: mess/broken.png"), "{}", outcome.err);
    let recipe = String::from_utf8(env.read("shibori.toml")).unwrap();
    for part in [
        "#   mess/broken.png: the PNG ends early",
        "[sprite.\"enemy*\"]\n# 3 sheets, each 8x1 cells of 32x32 px.\nfrom = \"mess/enemy*.png\"",
        "[sprite.\"npc-*\"]",
        "from = \"mess/walk/*.png\"",
        "clips = { strip = \"0-4 @10fps\" }",
        "# [sprite.blank]",
        "# Larger than a page of 4096 px, so it is not in the atlas.\nset = true",
    ] {
        assert!(recipe.contains(part), "{part}\n{recipe}");
    }
    env.ok("build");
    // A pattern does not lead out of a project: from another folder, files are listed.
    env.write("game/note.txt", "");
    for line in ["init mess -o game/out.toml", "init walk -o game/out.toml --force"] {
        let line = line.replace("init walk", &format!("init {}", env.path("mess/walk").display_slashed()));
        env.ok(&line);
        env.ok("build game/out.toml");
    }
    let outcome = env.run("init mess/strip.qoi gone.png -o no.toml");
    assert!(outcome.code == 3 && outcome.err.contains("gone.png: no such file"), "{}", outcome.err);
    let outcome = env.run("init game -o no.toml");
    assert!(
        outcome.code == 3 && outcome.err.contains("game: the folder contains no images"),
        "{}",
        outcome.err
    );
    fs::remove_dir_all(env.path("game")).unwrap();
    // What was built is not proposed again, in a folder of that name or not.
    env.write("shibori.toml", recipe.replace("dir = \"build\"", "dir = \"mess/made\""));
    env.ok("build");
    env.ok("init mess --force");
    assert_eq!(String::from_utf8(env.read("shibori.toml")).unwrap(), recipe);
}

#[test]
fn many_sprites_are_one_table_and_a_recipe_may_lie_elsewhere() {
    let env = Env::with_art();
    env.write(
        "game/shibori.toml",
        "[sprite.\"o-*\"]\nfrom = \"glow_*.png\"\nslice = { grid = \"1x1\" }\nset = true\n[sprite.lantern]\nfrom = \"glow_*.png\"\n\
         [sprite.koi]\nfrom = \"../art/koi.png\"\nslice = { grid = \"8x1\" }\n[atlas.all]\nuse = [\"*\"]\n",
    );
    for number in 0..3 {
        env.write(&format!("game/glow_0{number}.png"), env.read(&format!("art/lantern/glow_0{number}.png")));
    }
    env.ok("build game");
    for name in ["o-00/o-00-00.png", "o-02/frames.json", "all.json"] {
        assert!(env.path("game/build").join(name).is_file(), "{name}: {:?}", env.names("game/build"));
    }
    let all = env.frames("game/build/all.json");
    let sprites: Vec<&str> = all.sprites().iter().map(|name| name.as_str()).collect();
    assert_eq!(sprites, ["o-00", "o-01", "o-02", "lantern", "koi"]);
    assert_eq!(all.clips()[0].steps().len(), 3, "numbered images are one clip");
    let again: Value =
        serde_json::from_str(env.ok("build game/shibori.toml --json").lines().last().unwrap()).unwrap();
    assert_eq!((again["done"].as_u64(), again["kept"].as_u64()), (Some(0), Some(4)));
}

#[test]
fn a_recipe_is_checked_against_what_it_expects() {
    let env = project();
    env.write(
        "shibori.toml",
        format!("{RECIPE}\n[check]\nclips = [\"swim\", \"dive\"]\nequal = [[\"sit\", \"leap\"]]\npages = 1\nallow = \
            [\"touches-edge\", \"drift=frog:leap\"]\n"),
    );
    let outcome = env.run("check shibori.toml --json");
    assert_eq!(outcome.code, 1, "{}", outcome.err);
    let report: Value = serde_json::from_str(&outcome.out).unwrap();
    let rules: Vec<&str> =
        report["unmet"].as_array().unwrap().iter().filter_map(|one| one["rule"].as_str()).collect();
    assert_eq!(rules, ["missing-clip", "unequal-clips", "unused-frame"]);
    assert!(report["unmet"][0]["message"].as_str().unwrap().contains("requires a clip 'dive'"));
    assert!(
        report["findings"]
            .as_array()
            .unwrap()
            .iter()
            .all(|one| one["rule"] != "drift" && one["rule"] != "touches-edge")
    );
}

#[test]
fn what_was_kept_may_be_lost_spoiled_or_in_the_way() {
    let env = project();
    env.ok("build");
    let before = env.files("build");
    env.write(".shibori/shibori.toml.record", [0, 1, 2, 3]);
    let outcome = env.run("build");
    assert!(outcome.code == 0 && outcome.err.matches(".shibori").count() == 1, "{}", outcome.err);
    assert!(env.ok("build").contains("nothing changed"));
    fs::remove_dir_all(env.path(".shibori")).unwrap();
    env.ok("build");
    assert!(env.files("build") == before);
    fs::remove_dir_all(env.path(".shibori")).unwrap();
    env.write(".shibori", "in the way");
    for _ in 0..2 {
        let outcome = env.run("build");
        assert!(outcome.code == 0 && outcome.err.contains("keep records"), "{}", outcome.err);
    }
    assert!(env.files("build") == before);
}

#[test]
fn killed_at_any_moment_nothing_wrong_lies_under_a_final_name_and_the_next_build_is_right() {
    let program = assert_cmd::cargo::cargo_bin("shibori");
    let env = project();
    let began = Instant::now();
    env.ok("build");
    let whole = began.elapsed();
    let old = env.files("build");
    env.write("art/koi.png", env.read("art/frog.png"));
    env.write("shibori.toml", RECIPE.replace("grid = \"8x1\"", "grid = \"8x4\""));
    env.ok("build");
    let new = env.files("build");
    let is_one_of = |(name, bytes): &(String, Vec<u8>)| {
        old.iter().chain(&new).any(|(other, known)| other == name && known == bytes)
    };
    for moment in 0..50u32 {
        // Back and forth between two states, each build killed at another moment.
        let (recipe, koi) = match moment % 2 {
            0 => (RECIPE.to_owned(), "koi"),
            _ => (RECIPE.replace("grid = \"8x1\"", "grid = \"8x4\""), "frog"),
        };
        env.write("shibori.toml", recipe);
        let art = std::path::Path::new(env!("CARGO_MANIFEST_DIR")).join(format!("demo/art/{koi}.png"));
        fs::copy(art, env.path("art/koi.png")).unwrap();
        let mut child = Command::new(&program)
            .arg("build")
            .current_dir(env.path(""))
            .stdout(Stdio::null())
            .stderr(Stdio::null())
            .spawn()
            .unwrap();
        std::thread::sleep(whole * moment / 50);
        let _ = child.kill();
        child.wait().unwrap();
        for file in &env.files("build") {
            assert!(is_one_of(file), "{} after {moment}/50", file.0);
        }
    }
    env.ok("build");
    assert!(env.files("build") == new, "{:?}", env.names("build"));
    assert!(env.ok("build").contains("nothing changed"));
}

#[test]
fn a_second_build_waits_for_the_first() {
    let env = project();
    env.ok("build");
    let lock = fs::File::options().write(true).open(env.path(".shibori/shibori.toml.lock")).unwrap();
    lock.lock().unwrap();
    let program = assert_cmd::cargo::cargo_bin("shibori");
    let mut child = Command::new(program)
        .arg("build")
        .current_dir(env.path(""))
        .stderr(Stdio::piped())
        .stdout(Stdio::null())
        .spawn()
        .unwrap();
    let mut lines = BufReader::new(child.stderr.take().unwrap()).lines();
    assert!(lines.any(|line| line.unwrap().contains("another build")), "it says why it waits");
    assert!(child.try_wait().unwrap().is_none(), "it waits");
    drop(lock);
    // What it says goes on being read, or it would end at a closed pipe.
    lines.for_each(drop);
    assert!(child.wait().unwrap().success());
}

#[test]
fn in_a_clone_with_its_outputs_frozen_compares_what_is_there() {
    let env = project();
    env.ok("build");
    let forget = || {
        fs::remove_dir_all(env.path("build/.shibori")).unwrap();
        fs::remove_dir_all(env.path("build/sets/frog/.shibori")).unwrap();
        fs::remove_dir_all(env.path(".shibori")).unwrap();
    };
    forget();
    let before = env.files("");
    let out = env.ok("build --frozen");
    assert!(out.contains("7 targets up to date"), "{out}");
    assert!(env.files("") == before && !env.path("build/.shibori").exists(), "nothing is written");
    // New art makes stale what it is in, and nothing else.
    let mut sheet = env.image("art/koi.png");
    sheet.put_pixel(3, 3, image::Rgba([0, 255, 0, 255]));
    env.save("art/koi.png", &sheet);
    let outcome = env.run("build --frozen");
    assert!(
        outcome.code == 1 && outcome.out.contains("atlas.pond") && !outcome.out.contains("frog"),
        "{}",
        outcome.out
    );
    assert!(outcome.out.contains("4 targets stale, 3 up to date"), "{}", outcome.out);
}

#[test]
fn outputs_that_are_no_longer_made_go_even_if_the_record_of_builds_is_lost() {
    let env = project();
    env.ok("build");
    fs::remove_dir_all(env.path(".shibori")).unwrap();
    env.write("build/notes.txt", "mine");
    env.write("shibori.toml", RECIPE.replace("[atlas.lights]", "[atlas.lamps]"));
    let outcome = env.run("build --frozen");
    assert!(outcome.code == 1, "{}", outcome.out);
    env.ok("build");
    let names = env.names("build");
    assert!(
        !names.contains(&"lights.json".to_owned()) && !names.contains(&"lights.png".to_owned()),
        "{names:?}"
    );
    assert!(names.contains(&"lamps.json".to_owned()) && names.contains(&"notes.txt".to_owned()), "{names:?}");
    assert!(env.ok("build --frozen").contains("up to date"));
}

#[test]
fn a_dry_run_of_a_build_writes_nothing_and_knows_its_targets() {
    let env = project();
    let before = env.files("");
    let outcome = env.run("build --watch -n");
    assert!(outcome.code == 2 && outcome.err.contains("--watch and --dry-run"), "{}", outcome.err);
    let outcome = env.run("build --target nope -n");
    assert!(outcome.code == 2 && outcome.err.contains("nope"), "{}", outcome.err);
    let out = env.ok("build --target pond -n");
    assert!(out.contains("atlas.pond") && !out.contains("lights"), "{out}");
    assert!(env.files("") == before);
}

#[test]
fn a_recipe_is_found_from_a_folder_below_it() {
    let env = project();
    env.write("art/deep/note.txt", "mine");
    let program = assert_cmd::cargo::cargo_bin("shibori");
    let output = Command::new(program).arg("build").current_dir(env.path("art/deep")).output().unwrap();
    assert!(output.status.success(), "{}", String::from_utf8_lossy(&output.stderr));
    assert!(env.path("build/pond.json").is_file() && env.names("art/deep") == ["note.txt"]);
    assert!(env.ok("build").contains("nothing changed"));
}

#[test]
fn mistakes_in_a_recipe_are_answered_with_what_to_write() {
    let env = Env::with_art();
    let koi = "[sprite.koi]\nfrom = \"art/koi.png\"\nslice = { grid = \"8x1\" }\n";
    let atlas = "[atlas.main]\nuse = \"koi\"\n";
    let set = format!("{koi}set = true\n");
    for (recipe, message, hint) in [
        ("[sprite.koi]\nfrm = \"art/koi.png\"\n".to_owned(), "2:1: unknown key 'frm'", "did you mean from?"),
        (
            format!("{koi}{atlas}[[atlas.mian.export]]\nto = \"css\"\n"),
            "6:9: there is no atlas 'mian'",
            "did you mean main?",
        ),
        ("[sprite.koi]\nfrom = \"art\\koi.png\"\n".to_owned(), "2:13: ", "write / between folders"),
        ("[sprite.koi]\nfrom = 'art\\koi.png'\n".to_owned(), "2:8: ", "write / between folders: art/koi.png"),
        ("[sprite.koi]\nfrom = \"Art/koi.png\"\n".to_owned(), "2:8: ", "did you mean art/koi.png?"),
        (format!("{koi}clean = {{ tolerance = 300 }}\n"), "4:23: tolerance", "must be 0 to 255"),
        (format!("{koi}[atlas.a]\nuse = \"koi, npc-*\"\n"), "5:7: ", "write a list: [\"koi\", \"npc-*\"]"),
        (koi.replace("\"8x1\"", "[8, 1]"), "3:18: grid", "grid = \"8x4\""),
        (
            format!("{koi}{atlas}[[atlas.main.export]]\ntemplate = \"luaa\"\n"),
            "there is no template 'luaa'",
            "did you mean lua?",
        ),
        (
            format!("{koi}{atlas}[[atlas.main.export]]\nto = \"lua\"\n"),
            "7:6: to: unknown value 'lua'; available: csv, css",
            "template = \"lua\"",
        ),
        (format!("{koi}{atlas}[[atlas.main.export]]\ntemplate = \"css\"\n"), "'css'", "use to = \"css\""),
        (
            format!("{koi}{atlas}[[atlas.main.preview]]\nas = \"movie\"\n"),
            "7:6: as: unknown value 'movie'; available: contact, grid, motion",
            "",
        ),
        (
            format!("{koi}{atlas}layout = \"loose\"\n"),
            "6:10: layout: unknown value 'loose'; available: dense",
            "",
        ),
        // Those that only a build finds have their places, too.
        (
            format!("{set}clips = {{ turn = \"3,9 @80ms\" }}\n"),
            "5:18: clip: clip 'turn': there is no frame 9",
            "take",
        ),
        (
            format!("{set}clip-rows = \"a,b\"\n"),
            "5:13: clip-rows: 2 row names given",
            "remove the extra names",
        ),
        (
            format!("{set}clip-rows = \"swim\"\nevent = [\"swim@1=a\", \"swmi@2=b\"]\n"),
            "6:22: there is no clip 'swmi'",
            "did you mean swim?",
        ),
        (
            format!("{koi}{atlas}layout = \"clip-rows\"\nrow-order = \"dive\"\n"),
            "7:13: there is no clip 'dive'",
            "",
        ),
        (format!("{koi}{atlas}take = \"0-9\"\n"), "6:8: take: there is no frame 9", ""),
        (format!("{koi}{atlas}name = \"frame\"\n"), "6:8: ", "include a number in name"),
        (
            format!("[defaults]\nslice = {{ grid = \"7x1\" }}\n{}", set.replace("slice", "#")),
            "2:18: art/koi.png: 256 px",
            "8 of 32",
        ),
        (
            format!("{set}clean = {{ key = \"ff00ff\" }}\n"),
            "5:17: art/koi.png: found no pixels of ff00ff",
            "raise tolerance",
        ),
        (
            "[sprite.\"*\"]\nfrom = \"art/*.png\"\nset = \"sets/npc\"\n".to_owned(),
            "3:7: all sprites of '*' would go into one set, sets/npc",
            "set = \"sets/*\"",
        ),
        (
            format!("[sprite.\"k*\"]\nfrom = \"art/k*.png\"\n{koi}"),
            "3:9: two sprites would be called 'koi': art/koi.png and art/koi.png",
            "remove its from",
        ),
        ("[sprite.a]\nfrom = \"frog--grid.png\"\n".to_owned(), "2:8: frog--grid.png: no such file", ""),
        ("include = \"no.toml\"\n".to_owned(), "1:11: no.toml: no such file", ""),
    ] {
        env.write("shibori.toml", &recipe);
        let outcome = env.run("build");
        assert!([2, 3].contains(&outcome.code), "{recipe}\n{}", outcome.err);
        assert!(outcome.err.contains(message) && outcome.err.contains(hint), "{recipe}\n{}", outcome.err);
    }
}
