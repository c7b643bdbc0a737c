//! What single keys of a recipe do to what is built, on small sheets.

use std::fs;
use std::path::Path;

use image::{Rgba, RgbaImage};
use serde_json::Value;
use shibori_core::{ByteSize, FrameSet};
use shibori_formats::decode::{ReadOptions, source};
use shibori_pipeline::build::Build;
use shibori_pipeline::options::RunOptions;
use shibori_pipeline::recipe::RecipeErrorKind;
use shibori_pipeline::{Error, NoopObserver};
use tempfile::TempDir;

/// A sheet of this many cells of 16 px, each with a figure of its own color that stands a little further right.
fn sheet(cells: u32, red: u8) -> RgbaImage {
    RgbaImage::from_fn(cells * 16, 16, |x, y| {
        let (cell, x) = (x / 16, x % 16);
        let inside = (3 + cell % 3..9 + cell % 3).contains(&x) && (4..14).contains(&y);
        Rgba(if inside { [red, 40 * cell as u8, 90, 255] } else { [0; 4] })
    })
}

fn project(recipe: &str) -> TempDir {
    let home = tempfile::tempdir().unwrap();
    for (name, cells, red) in [("walk", 4, 200), ("leap", 3, 90), ("wave", 2, 10)] {
        sheet(cells, red).save(home.path().join(format!("{name}.qoi"))).unwrap();
    }
    fs::write(home.path().join("shibori.toml"), recipe).unwrap();
    home
}

/// Builds, and gives what went wrong in steps.
fn built(home: &TempDir, run: &RunOptions) -> Result<Vec<String>, Error> {
    match Build::open(&home.path().join("shibori.toml"), run)?.run(None, &NoopObserver) {
        Err(Error::Build(failed)) => Ok(failed.errors.iter().map(ToString::to_string).collect()),
        other => other.map(|_| Vec::new()),
    }
}

fn frames(recipe: &str, output: &str) -> FrameSet {
    let home = project(recipe);
    let wrong = built(&home, &RunOptions::default()).unwrap();
    assert!(wrong.is_empty(), "{wrong:?}");
    source(&home.path().join("build").join(output), &ReadOptions::default()).unwrap().set
}

fn failure(recipe: &str) -> String {
    let home = project(recipe);
    let wrong = built(&home, &RunOptions::default()).unwrap();
    assert!(!home.path().join("build/a.json").exists());
    wrong.join("\n")
}

fn fault(recipe: &str) -> RecipeErrorKind {
    match built(&project(recipe), &RunOptions::default()) {
        Err(Error::Recipe(error)) => *error.fault,
        other => panic!("{other:?}"),
    }
}

fn names(set: &FrameSet) -> Vec<&str> {
    set.frames().iter().map(|frame| frame.name().as_str()).collect()
}

#[test]
fn parts_come_after_one_another_and_their_clips_count_within_them() {
    let set = frames(
        "[sprite.hero]\nclips = { all = \"0-6\" }\nshape = { trim = \"frame\" }\n\
         [[sprite.hero.part]]\nfrom = \"walk.qoi\"\nslice = { grid = \"4x1\" }\nclips = { walk = \"0-3\" }\n\
         [[sprite.hero.part]]\nfrom = \"leap.qoi\"\nslice = { grid = \"3x1\" }\nclips = { leap = \"0-2 once\" }\n\
         [atlas.a]\nuse = \"hero\"\n",
        "a.json",
    );
    assert_eq!(names(&set), ["hero-00", "hero-01", "hero-02", "hero-03", "hero-04", "hero-05", "hero-06"]);
    let steps = |clip: usize| set.clips()[clip].steps().iter().map(|step| step.frame).collect::<Vec<_>>();
    let clips: Vec<&str> = set.clips().iter().map(|clip| clip.name().as_str()).collect();
    assert_eq!(clips, ["walk", "leap", "all"]);
    assert_eq!((steps(0), steps(1)), (vec![0, 1, 2, 3], vec![4, 5, 6]));
    assert_eq!(steps(2).len(), 7);
    assert!(set.frames().iter().all(|frame| !frame.is_untrimmed()), "shape is done with all of them");
}

#[test]
fn a_list_of_sheets_is_one_sprite() {
    let set = frames(
        "[sprite.hero]\nfrom = [\"walk.qoi\", \"leap.qoi\"]\nslice = { cell = \"16x16\" }\nclips = { last = \"4-6\" }\n\
         [atlas.a]\nuse = \"hero\"\n",
        "a.json",
    );
    assert_eq!((set.frames().len(), set.sprites().len()), (7, 1));
    let pixel = |at: usize| set.frames()[at].full_image().to_image().get_pixel(7, 9).0[0];
    assert_eq!((pixel(0), pixel(4)), (200, 90));
}

#[test]
fn a_clip_with_options_of_its_own_is_as_if_all_had_been_made_with_them() {
    let recipe = |own: &str| {
        format!(
            "[sprite.hero]\nfrom = \"walk.qoi\"\nslice = {{ grid = \"4x1\" }}\nshape = {{ pivot = \"feet\" }}\n\
             [sprite.hero.clips]\nwalk = \"0-1\"\nwave = {{ steps = \"2-3\", {own} }}\n[atlas.a]\nuse = \"hero\"\n"
        )
    };
    let set = frames(&recipe("shape = { pivot = \"top-left\" }, speed = 2"), "a.json");
    let pivots: Vec<f64> = set.frames().iter().map(|frame| frame.pivot().y).collect();
    assert_eq!(pivots, [14.0, 14.0, 0.0, 0.0]);
    assert_eq!((set.clips()[0].total_millis(), set.clips()[1].total_millis()), (200.0, 100.0));
    let plain = frames(&recipe("shape = { pivot = \"default\" }"), "a.json");
    assert_eq!(plain.frames()[3].pivot().y, 8.0);
    // Frames that another clip shows too are copied, or the clip is refused.
    let shared = |apart: &str| {
        recipe(&format!("shape = {{ pivot = \"top-left\" }}{apart}"))
            .replace("walk = \"0-1\"", "walk = \"0-2\"")
    };
    assert!(failure(&shared("")).contains("clip 'hero:walk' shows some of those frames too"));
    let apart = frames(&shared(", apart = true"), "a.json");
    assert_eq!(apart.frames().len(), 5);
    let pivot_of = |clip: usize| apart.frames()[apart.clips()[clip].steps().last().unwrap().frame].pivot().y;
    assert_eq!((pivot_of(0), pivot_of(1)), (14.0, 0.0));
    let missing =
        recipe("speed = 2").replace("steps = \"2-3\", speed", "shape = { pivot = \"feet\" }, speed");
    assert!(failure(&missing).contains("options are given for clip 'wave'"));
}

#[test]
fn what_one_step_writes_another_may_read() {
    let recipe = "[sprite.hero]\nfrom = \"walk.qoi\"\nslice = { grid = \"4x1\" }\nset = \"sets/hero\"\n\
         [sprite.again]\nfrom = \"build/sets/hero\"\nshape = { mirror = \"left-right\" }\n[atlas.a]\nuse = [\"hero\", \"again\"]\n";
    let set = frames(recipe, "a.json");
    assert_eq!((set.frames().len(), set.sprites().len()), (8, 2));
    let home = project(recipe);
    built(&home, &RunOptions::default()).unwrap();
    sheet(4, 77).save(home.path().join("walk.qoi")).unwrap();
    built(&home, &RunOptions::default()).unwrap();
    let set = source(&home.path().join("build/a.json"), &ReadOptions::default()).unwrap().set;
    assert!(
        set.frames().iter().all(|frame| frame
            .full_image()
            .to_image()
            .pixels()
            .all(|p| p[3] == 0 || p[0] == 77))
    );
}

#[test]
fn places_are_kept_where_that_is_said() {
    let recipe = |sprites: &str| {
        format!(
            "[defaults]\nslice = {{ cell = \"16x16\" }}\n[sprite.walk]\nfrom = \"walk.qoi\"\n[sprite.leap]\nfrom = \"leap.qoi\"\n\
             [atlas.a]\nuse = [{sprites}]\nkeep-places = true\n"
        )
    };
    let home = project(&recipe("\"walk\""));
    built(&home, &RunOptions::default()).unwrap();
    let places = |home: &TempDir| -> Vec<Value> {
        let text = fs::read(home.path().join("build/a.json")).unwrap();
        let manifest: Value = serde_json::from_slice(&text).unwrap();
        let own = |frame: &&Value| frame["sprite"] == "walk";
        manifest["frames"].as_array().unwrap().iter().filter(own).map(|frame| frame["rect"].clone()).collect()
    };
    let before = places(&home);
    fs::write(home.path().join("shibori.toml"), recipe("\"leap\", \"walk\"")).unwrap();
    assert!(built(&home, &RunOptions::default()).unwrap().is_empty());
    assert_eq!(places(&home), before);
}

#[test]
fn mistakes_found_before_a_pixel_is_read_have_their_place() {
    let sprite = "[sprite.a]\nfrom = \"walk.qoi\"\nslice = { grid = \"4x1\" }\n";
    assert!(matches!(
        fault(&format!("{sprite}[atlas.p]\nuse = \"b\"")),
        RecipeErrorKind::UnknownSprite { .. }
    ));
    assert!(matches!(fault("[sprite.a]\nfrom = \"none.qoi\""), RecipeErrorKind::NoSource { .. }));
    assert!(matches!(fault("[sprite.\"a-*\"]\nfrom = \"walk.qoi\""), RecipeErrorKind::Star { .. }));
    assert!(matches!(
        fault("[sprite.\"w*\"]\nfrom = \"w*.qoi\"\n[sprite.walk]\nfrom = \"walk.qoi\""),
        RecipeErrorKind::TwoSprites { .. }
    ));
    let twice = format!("{sprite}set = \"x\"\n[atlas.p]\nuse = \"a\"\nfile = \"x/frames\"");
    assert!(matches!(fault(&twice), RecipeErrorKind::TwoOutputs { .. }));
    let cycle = "[sprite.a]\nfrom = \"build/p.json\"\n[sprite.b]\nfrom = \"build/q.json\"\n[atlas.p]\nuse = \"b\"\n[atlas.q]\nuse = \"a\"";
    assert!(matches!(fault(cycle), RecipeErrorKind::Cycle { steps } if steps.len() == 3));
    let inside = "[out]\ndir = \"out\"\n[sprite.a]\nfrom = \".\"\n[atlas.p]\nuse = \"a\"";
    assert!(matches!(fault(inside), RecipeErrorKind::OutputInSource { .. }));
    let outside = "[sprite.a]\nfrom = \"../*.qoi\"";
    assert!(matches!(fault(outside), RecipeErrorKind::Outside { .. }));
}

#[test]
fn many_atlases_need_no_more_memory_than_one_at_a_time() {
    let mut recipe = String::from("[sprite.\"s-*\"]\nfrom = \"s-*.qoi\"\nslice = { grid = \"4x1\" }\n");
    let home = project("");
    for at in 0..12 {
        RgbaImage::from_fn(512, 128, |x, y| {
            Rgba([x as u8, y as u8, at, if x % 128 < 100 { 255 } else { 0 }])
        })
        .save(home.path().join(format!("s-{at}.qoi")))
        .unwrap();
        recipe += &format!("[atlas.a{at}]\nuse = \"s-{at}\"\n");
    }
    fs::write(home.path().join("shibori.toml"), recipe).unwrap();
    // A sheet is a quarter of a megabyte, and twelve of them with their pages are seven times this.
    let run = RunOptions { max_memory: Some(ByteSize(1_600_000)), ..RunOptions::default() };
    let wrong = built(&home, &run).unwrap();
    assert!(wrong.is_empty(), "{wrong:?}");
    let count = fs::read_dir(home.path().join("build")).unwrap().count();
    // A page and a manifest each, and the records.
    assert_eq!(count, 2 * 12 + 1);
    assert!(Path::new(&home.path().join("build/a11.png")).is_file());
}

/// Builds twice, and gives the sprites of the atlas after each.
fn sprites_of_two_builds(home: &TempDir, atlas: &str) -> [Vec<String>; 2] {
    [0, 1].map(|_| {
        let wrong = built(home, &RunOptions::default()).unwrap();
        assert!(wrong.is_empty(), "{wrong:?}");
        let set = source(&home.path().join(atlas), &ReadOptions::default()).unwrap().set;
        set.sprites().iter().map(ToString::to_string).collect()
    })
}

#[test]
fn outputs_are_never_sources_of_a_pattern() {
    let sprites = ["leap", "walk", "wave"].map(str::to_owned).to_vec();
    for out in ["build", ".", "deep/er"] {
        let recipe = format!(
            "[out]\ndir = \"{out}\"\n[sprite.\"*\"]\nfrom = \"**/*.qoi\"\nslice = {{ cell = \"16x16\" }}\n\
             [atlas.all]\nuse = \"*\"\npage-format = \"qoi\"\npage-max = 24\neffort = \"low\"\n"
        );
        let home = project(&recipe);
        let atlas = format!("{out}/all.json");
        let pages = || home.path().join(out).join("all-1.qoi").is_file();
        for found in sprites_of_two_builds(&home, &atlas) {
            assert_eq!(found, sprites, "{out}");
        }
        assert!(pages(), "several pages were written");
        // Without records, the manifest says which pages are its own.
        for folder in [home.path().to_owned(), home.path().join(out)] {
            let _ = fs::remove_dir_all(folder.join(".shibori"));
        }
        assert_eq!(sprites_of_two_builds(&home, &atlas)[1], sprites, "{out}");
    }
}

#[test]
fn a_file_that_several_patterns_find_is_read_once() {
    let home = project(
        "[sprite.all]\nfrom = [\"*.qoi\", \"walk.qoi\", \"w*.qoi\", \"./**\"]\nslice = { cell = \"16x16\" }\n[atlas.a]\nuse = \"all\"\n",
    );
    assert!(built(&home, &RunOptions::default()).unwrap().is_empty());
    let set = source(&home.path().join("build/a.json"), &ReadOptions::default()).unwrap().set;
    assert_eq!(set.frames().len(), 9);
}

#[test]
fn what_lies_below_follows_what_is_above_whoever_changed_it() {
    let home = project(
        "[sprite.walk]\nfrom = \"walk.qoi\"\nslice = { grid = \"4x1\" }\nclips = { go = \"0-3\" }\nset = \"walk\"\n\
         [sprite.again]\nfrom = \"build/walk\"\n[atlas.a]\nuse = \"again\"\n\
         [[atlas.a.export]]\ntemplate = \"list.txt.j2\"\nfile = \"a.txt\"\n",
    );
    fs::write(home.path().join("list.txt.j2"), "{% for clip in clips %}{{ clip.name }} {% endfor %}")
        .unwrap();
    let list = || {
        let wrong = built(&home, &RunOptions::default()).unwrap();
        assert!(wrong.is_empty(), "{wrong:?}");
        fs::read_to_string(home.path().join("build/a.txt")).unwrap()
    };
    assert_eq!(list(), "go ");
    let add = |manifest: &str, clip: &str| {
        let path = home.path().join(manifest);
        let mut all: Value = serde_json::from_slice(&fs::read(&path).unwrap()).unwrap();
        let mut new = all["clips"][0].clone();
        new["name"] = clip.into();
        all["clips"].as_array_mut().unwrap().push(new);
        fs::write(path, serde_json::to_vec(&all).unwrap()).unwrap();
    };
    add("build/walk/frames.json", "turn");
    assert_eq!(list(), "go turn ");
    add("build/a.json", "mine");
    assert_eq!(list(), "go turn mine ");
    assert_eq!(list(), "go turn mine ");
}

/// The recipe of three characters of one pattern.
const CHARACTERS: &str = "[sprite.\"npc-*\"]\nfrom = \"w*.qoi\"\nslice = { cell = \"16x16\" }\nshape = { pivot = \"center\" }\n\
                          clips = { go = \"0-1 @10fps\" }\nset = \"sets/*\"\n";

#[test]
fn one_sprite_of_a_pattern_says_only_what_is_different() {
    let recipe = format!(
        "{CHARACTERS}[sprite.npc-ave]\nshape = {{ pivot = \"3px,4px\" }}\nclips = {{ wink = \"1 @80ms\" }}\n\
         [atlas.a]\nuse = \"npc-*\"\n"
    );
    let set = frames(&recipe, "a.json");
    assert_eq!(set.sprites().iter().map(ToString::to_string).collect::<Vec<_>>(), ["npc-alk", "npc-ave"]);
    let pivots = |sprite: &str| {
        let mine = set.frames().iter().filter(|frame| frame.sprite().as_str() == sprite);
        mine.map(|frame| frame.pivot().to_string()).collect::<Vec<_>>()
    };
    assert!(pivots("npc-ave").iter().all(|pivot| pivot == "3,4"), "{:?}", pivots("npc-ave"));
    assert!(pivots("npc-alk").iter().all(|pivot| pivot == "8,8"), "{:?}", pivots("npc-alk"));
    let mut clips: Vec<String> = set.clips().iter().map(shibori_core::clip::Clip::qualified_name).collect();
    clips.sort();
    assert_eq!(clips, ["npc-alk:go", "npc-ave:go", "npc-ave:wink"]);
    // One that the pattern doesn't find is a mistake, and so is one that no pattern stands for.
    let gone = format!("{CHARACTERS}[sprite.npc-olf]\nshape = {{ pivot = \"feet\" }}\n");
    assert!(matches!(fault(&gone), RecipeErrorKind::NotInPattern { name, .. } if name == "npc-olf"));
    assert!(matches!(
        fault("[sprite.koi]\nshape = { pivot = \"feet\" }"),
        RecipeErrorKind::Needs { key: "from", .. }
    ));
}

#[test]
fn files_may_be_left_out_of_a_pattern() {
    for except in ["\"wave.qoi\"", "[\"*ve.qoi\"]", "\"./wave.*\""] {
        let recipe = CHARACTERS.replace("slice", &format!("except = {except}\nslice"))
            + "[atlas.a]\nuse = \"npc-*\"\n";
        assert_eq!(frames(&recipe, "a.json").sprites().len(), 1, "{except}");
    }
    let all = CHARACTERS.replace("slice", "except = \"*\"\nslice");
    assert!(matches!(fault(&all), RecipeErrorKind::NoMatch { .. }));
}

#[test]
fn an_atlas_with_a_star_is_one_for_each_sprite() {
    let home = project(&format!(
        "{CHARACTERS}[atlas.\"chars-*\"]\nuse = \"npc-*\"\n[[atlas.\"chars-*\".export]]\nto = \"css\"\n\
         [sprite.leap]\nfrom = \"leap.qoi\"\nslice = {{ grid = \"3x1\" }}\n[atlas.\"*\"]\nuse = \"leap\"\nfile = \"one/*\"\n"
    ));
    assert!(built(&home, &RunOptions::default()).unwrap().is_empty());
    for file in ["chars-alk.json", "chars-ave.json", "chars-alk.css", "chars-ave.css", "one/leap.json"] {
        assert!(home.path().join("build").join(file).is_file(), "{file}");
    }
    let set = source(&home.path().join("build/chars-ave.json"), &ReadOptions::default()).unwrap().set;
    assert_eq!(set.sprites().len(), 1);
    let twice = format!("{CHARACTERS}[atlas.\"a-*\"]\nuse = \"npc-*\"\n[atlas.a-ave]\nuse = \"npc-alk\"\n");
    assert!(matches!(fault(&twice), RecipeErrorKind::TwoAtlases { .. } | RecipeErrorKind::TwoOutputs { .. }));
}

/// As in a build script: outputs and records in one folder, and nothing beside the recipe, wherever that is.
#[test]
fn outputs_and_records_go_where_code_says() {
    let recipe =
        "[sprite.walk]\nfrom = \"walk.qoi\"\nslice = { grid = \"4x1\" }\n[atlas.pond]\nuse = [\"walk\"]\n";
    let (home, out) = (project(recipe), tempfile::tempdir().unwrap());
    let names = |folder: &TempDir| -> Vec<String> {
        let entries = fs::read_dir(folder.path()).unwrap().flatten();
        let mut names: Vec<String> =
            entries.map(|entry| entry.file_name().to_string_lossy().into_owned()).collect();
        names.sort();
        names
    };
    let before = names(&home);
    let build = |home: &TempDir, recipe: &str| {
        let setup = Build::of(home.path().join(recipe)).out_dir(out.path()).state_dir(out.path());
        setup.open()?.run(None, &NoopObserver)
    };
    assert_eq!(build(&home, "shibori.toml").unwrap().done, 1);
    assert_eq!(names(&out), [".shibori", "pond.json", "pond.png"]);
    assert_eq!(build(&home, "shibori.toml").unwrap().kept, 1);
    assert_eq!(names(&home), before);
    // The project is moved, and what it built before is still its own.
    let moved = project(&recipe.replace("4x1", "2x1"));
    assert_eq!(build(&moved, "shibori.toml").unwrap().done, 1);
    // Another recipe of it must not write the same files.
    fs::copy(moved.path().join("shibori.toml"), moved.path().join("other.toml")).unwrap();
    let said = build(&moved, "other.toml").unwrap_err().to_string();
    assert!(said.contains("is written by another recipe"), "{said}");
}

/// Whatever could make another build worthwhile: a build script runs again only for these.
#[test]
fn what_a_build_depends_on_is_listed() {
    let recipe =
        "include = [\"atlases.toml\"]\n[sprite.\"*\"]\nfrom = \"art/*.qoi\"\nslice = { grid = \"1x1\" }\n";
    let home = project(recipe);
    let at = |name: &str| home.path().join(name);
    fs::create_dir(at("art")).unwrap();
    fs::rename(at("walk.qoi"), at("art/walk.qoi")).unwrap();
    let atlas = "[atlas.pond]\nuse = \"*\"\n[[atlas.pond.export]]\ntemplate = \"own.lua.j2\"\n";
    fs::write(at("atlases.toml"), atlas).unwrap();
    fs::write(at("own.lua.j2"), "{{ name }}").unwrap();
    let paths = Build::of(at("shibori.toml")).open().unwrap().rerun_paths();
    let wanted = ["art", "art/walk.qoi", "atlases.toml", "own.lua.j2", "shibori.toml"].map(at);
    assert_eq!(paths, wanted);
}
