//! The first things people try do what they meant, or say what to type.

use std::fs;

use image::{Rgba, RgbaImage, imageops};

use crate::adjusting::png as png_of;
use crate::env::{Env, pictures};
use crate::previews::visible;

/// Milliseconds of each step of a set's first clip, and the frames shown.
fn steps(env: &Env, set: &str) -> (Vec<f64>, Vec<usize>) {
    let set = env.frames(set);
    let clip = &set.clips()[0];
    let steps = clip.steps().iter();
    (steps.clone().map(|step| clip.span(step).millis()).collect(), steps.map(|step| step.frame).collect())
}

#[test]
fn a_sheet_that_is_not_cut_is_noticed_by_every_command_that_takes_frames() {
    let env = Env::with_art();
    env.ok("slice art/koi.png --grid 8x1 -o koi");
    for line in [
        "check art/frog.png",
        "adjust art/frog.png --align match -o out",
        "pack art/frog.png koi -o pond",
        "preview html art/frog.png -o frog.html",
        "preview motion art/frog.png -o frog.gif",
        "preview drift art/frog.png -o drift.png",
        "preview contact art/frog.png -o contact.png",
    ] {
        let outcome = env.run(line);
        assert_eq!(outcome.code, 0, "{line}: {}", outcome.err);
        assert!(
            outcome.err.contains("art/frog.png: read as one frame of 256x128 px"),
            "{line}: {}",
            outcome.err
        );
        let command =
            outcome.err.lines().find_map(|text| text.split_once("cut it first: shibori ")).unwrap().1;
        assert_eq!(command, "slice art/frog.png --grid 8x4");
    }
    for line in
        ["check koi", "check art/lantern", "check art/signboard.png", "pack koi art/firefly.gif -o pond"]
    {
        assert!(!env.run(line).err.contains("looks like a sheet"), "{line}");
    }
}

#[test]
fn frames_taken_from_an_animation_keep_their_times_and_their_order() {
    let env = Env::with_art();
    env.ok("slice art/firefly.gif -o all");
    let (times, _) = steps(&env, "all");
    env.ok("slice art/firefly.gif --take 2-4 -o some");
    assert_eq!(steps(&env, "some"), (times[2..5].to_vec(), vec![0, 1, 2]));
    env.ok("slice art/firefly.gif --take 7-0 -o back");
    assert_eq!(steps(&env, "back").0, times.iter().rev().copied().collect::<Vec<_>>());
    env.ok("slice art/firefly.gif --count 3 -o first");
    assert_eq!(steps(&env, "first").0, times[..3]);
    // Only thinning hands time on.
    env.ok("slice art/firefly.gif --take 0-7/2 -o thin");
    assert_eq!(steps(&env, "thin").0.iter().sum::<f64>(), times.iter().sum::<f64>());
    assert!(env.run("slice art/firefly.gif --count 9 -o none").err.contains("--count 8"));
    assert!(env.run("slice art/firefly.gif --read down -o none").err.contains("--take 7-0"));
}

#[test]
fn feet_stay_on_the_ground_and_step_freely() {
    let env = Env::with_art();
    env.ok("slice art/heron.png --grid 6x1 --clip \"hunt = 0-5\" -o heron");
    let result = env.json("adjust heron --align feet -o level");
    let shifts: Vec<i64> =
        result["frames"].as_array().unwrap().iter().map(|one| one["shift"][0].as_i64().unwrap()).collect();
    assert!(shifts.iter().all(|right| *right == shifts[0]), "{shifts:?}");
}

#[test]
fn a_page_of_a_set_without_clips_plays_all_frames() {
    let env = Env::with_art();
    env.ok("slice art/koi.png --grid 8x1 -o koi");
    let outcome = env.run("preview html koi -o koi.html");
    assert!(outcome.out.contains("8 frames, 1 clip"), "{}", outcome.out);
    let command =
        outcome.err.lines().find_map(|text| text.split_once("name one: shibori ")).unwrap().1.to_owned();
    env.ok(&command);
    assert_eq!(steps(&env, "koi"), (vec![100.0; 8], (0..8).collect()));
    env.ok("pack koi -o pond");
    env.ok("clip pond --drop walk");
    assert!(env.ok("preview html pond -o pond.html").contains("8 frames, 1 clip"));
}

#[test]
fn numbered_images_are_one_sequence_however_they_are_named() {
    let env = Env::with_art();
    fs::create_dir(env.path("found")).unwrap();
    for at in 0..12 {
        let frame = RgbaImage::from_pixel(16, 16, Rgba([at as u8 * 20, 80, 90, 255]));
        env.write(&format!("found/walk ({at}).png"), png_of(&frame));
    }
    let listed = env.ok("inspect found");
    assert!(listed.starts_with("found/walk (0).png to found/walk (11).png  16x16 px\n"), "{listed}");
    assert_eq!(listed.lines().count(), 3, "{listed}");
    let files: Vec<String> = (0..12).rev().map(|at| format!("\"found/walk ({at}).png\"")).collect();
    let outcome = env.run(&format!("slice {} -o files", files.join(" ")));
    assert!(outcome.err.contains("each is one frame"), "{}", outcome.err);
    env.ok("slice found -o folder");
    assert!(env.files("files") == env.files("folder"));
    let set = env.frames("folder");
    assert_eq!(
        (set.clips().len(), set.clips()[0].name().as_str(), set.clips()[0].steps().len()),
        (1, "walk", 12)
    );
    // One file that is broken hides none of the others.
    env.write("found/broken.png", "no image");
    let outcome = env.run("inspect found");
    assert_eq!(outcome.code, 3);
    assert!(
        outcome.out.contains("12 numbered images") && outcome.err.contains("broken.png"),
        "{}",
        outcome.err
    );
}

#[test]
fn files_of_one_name_in_two_folders_are_two_sprites() {
    let env = Env::with_art();
    for folder in ["hero", "npc"] {
        fs::create_dir(env.path(folder)).unwrap();
        env.write(&format!("{folder}/walk.png"), env.read("art/koi.png"));
    }
    let outcome = env.run("slice hero/walk.png npc/walk.png --grid 8x1 -o all");
    assert_eq!(outcome.code, 0, "{}", outcome.err);
    assert!(
        outcome.err.contains("2 files are called walk.png; their sprites are hero-walk, npc-walk"),
        "{}",
        outcome.err
    );
    assert_eq!(
        env.frames("all").sprites().iter().map(|name| name.as_str()).collect::<Vec<_>>(),
        ["hero-walk", "npc-walk"]
    );
    env.ok("slice hero/walk.png --grid 8x1 --name \"{folder}_{sheet}_{n}\" -o hero-set");
    assert_eq!(env.frames("hero-set").frames()[7].name().as_str(), "hero_walk_7");
    // The folder a path leads to, not the last one it names.
    env.write("walk.png", env.read("art/koi.png"));
    env.ok("slice hero/../walk.png --grid 8x1 --name \"{folder}_{n}\" -o work-set");
    assert_eq!(env.frames("work-set").frames()[7].name().as_str(), "work_7");
}

#[test]
fn what_another_command_writes_is_answered_with_that_command() {
    let env = Env::with_art();
    env.ok("slice art/koi.png --grid 8x1 -o koi");
    for (line, hint) in [
        ("pack koi -o pond.gif", "shibori preview motion SOURCE -o pond.gif"),
        ("pack koi -o pond.css", "shibori export pond.json --to css"),
        ("pack koi -o out/", "an atlas needs a name, such as out/pond"),
        ("export koi --to gif", "shibori preview motion koi -o koi.gif"),
        ("export - --to csv", "name a file instead"),
        ("export koi --to lua", "use --template lua"),
        ("export koi --template css", "use --to css"),
        ("adjust koi --mirror left-right", "change this one with --in-place"),
        ("clip koi \"a = 0\" --only swim", "--only has no effect here"),
        ("clip koi \"a = 0-3\" --event a@1=hop --event a@1=land", "hop+land"),
        ("init art -o koi/frames.json", "use -o koi/frames.toml"),
    ] {
        let outcome = env.run(line);
        assert!(outcome.code > 1 && outcome.err.contains(hint), "{line}: {}", outcome.err);
    }
    env.ok("preview motion koi --clip \"turn = 3-5 @10fps\" --speed 2 -o turn.gif");
    env.ok("slice turn.gif -o turn");
    assert_eq!(steps(&env, "turn").0, [50.0; 3]);
}

/// The frames of a sheet between gray lines, on white.
fn ruled(sheet: &RgbaImage, cell: u32) -> RgbaImage {
    let (columns, rows) = (sheet.width() / cell, sheet.height() / cell);
    let mut image =
        RgbaImage::from_pixel(columns * (cell + 2), rows * (cell + 2), Rgba([128, 128, 128, 255]));
    for (row, column) in (0..rows).flat_map(|row| (0..columns).map(move |column| (row, column))) {
        let mut inner = RgbaImage::from_pixel(cell, cell, Rgba([255, 0, 255, 255]));
        imageops::overlay(
            &mut inner,
            &imageops::crop_imm(sheet, column * cell, row * cell, cell, cell).to_image(),
            0,
            0,
        );
        imageops::replace(
            &mut image,
            &inner,
            (column * (cell + 2) + 1).into(),
            (row * (cell + 2) + 1).into(),
        );
    }
    image
}

#[test]
fn lines_round_the_cells_are_found_and_the_background_inside_them_goes() {
    let env = Env::with_art();
    env.write("a ruled one.png", png_of(&ruled(&env.image("art/frog.png"), 32)));
    env.ok("slice \"a ruled one.png\" --key auto --key-scope everywhere -o ruled");
    env.ok("slice art/frog.png --grid 8x4 -o plain");
    assert_eq!(pictures(&env.frames("ruled")).len(), 25);
    for (ruled, plain) in pictures(&env.frames("ruled")).iter().zip(pictures(&env.frames("plain"))) {
        assert!(ruled.is_same_image(&plain));
    }
    // From the borders of the cells the same, but for what drawings enclose.
    env.ok("slice \"a ruled one.png\" --key \"rgb(255, 0, 255)\" -o outside");
    let (outside, plain) = (pictures(&env.frames("outside")), pictures(&env.frames("plain")));
    assert!(outside.iter().zip(&plain).filter(|(outside, plain)| outside.is_same_image(plain)).count() > 15);
}

#[test]
fn blank_frames_are_dropped_from_a_set_and_its_clips() {
    let env = Env::with_art();
    env.ok("slice art/frog.png --grid 8x4 --blank keep --clip \"sit = 0-7 @10fps\" -o frog");
    let out = env.ok("adjust frog --in-place --blank drop");
    assert!(out.contains("7 blank frames dropped"), "{out}");
    assert_eq!((env.frames("frog").frames().len(), steps(&env, "frog").0), (25, vec![100.0; 4]));
    assert!(!env.path("frog/frog-04.png").exists());
    env.ok("adjust frog --in-place --trim frame");
    env.ok("adjust frog --in-place --trim none");
    assert!(env.frames("frog").frames().iter().all(|frame| frame.pixels().size() == frame.canvas()));
}

#[test]
fn packing_says_what_it_leaves_out_and_what_is_out_of_date() {
    let env = Env::with_art();
    env.ok("slice art/frog.png --clip-rows sit,croak,leap,dive -o frog");
    let outcome = env.run("pack frog --layout clip-rows --row-order leap,sit -o rows");
    assert!(outcome.err.contains("--row-order leaves out croak, dive"), "{}", outcome.err);
    let out = env.ok("pack frog --page-scales 1,0.5 -o pond");
    assert!(out.contains("texture memory at 0.5: "), "{out}");
    assert!(env.run("pack frog -o pond").err.contains("pond-x0.5.json: from an earlier run"));
}

#[test]
fn sets_of_one_sprite_in_two_folders_are_packed_apart() {
    let env = Env::with_art();
    env.ok("slice art/frog.png --grid 8x4 --clip leap=8-15 -o hero/frog");
    env.ok("slice art/koi.png --grid 8x1 --sprite frog --clip leap=0-7 -o npc/frog");
    let refused = env.run("pack hero/frog npc/frog -o pond");
    assert_eq!(refused.code, 2, "{}", refused.err);
    assert!(refused.err.contains("hero/frog and npc/frog both have a sprite 'frog'"), "{}", refused.err);
    let advice = refused.err.split_once("--name \"").and_then(|(_, rest)| rest.split_once('"')).unwrap().0;
    assert_eq!(advice, "{folder}-{n:02}");
    env.ok(&format!("pack hero/frog npc/frog -o pond --name {advice}"));
    let set = env.frames("pond.json");
    let named = |at: usize| format!("{}:{}", set.frames()[at].sprite(), set.frames()[at].name());
    assert_eq!([named(0), named(set.frames().len() - 1)], ["hero-frog:hero-00", "npc-frog:npc-07"]);
    let clips: Vec<String> =
        set.clips().iter().map(|clip| format!("{}:{}", clip.sprite(), clip.name())).collect();
    assert_eq!(clips, ["hero-frog:leap", "npc-frog:leap"]);
    env.ok("pack hero/frog npc/frog -o some --name {folder}-{n:02} --take npc-frog:7-4");
    let some = env.frames("some.json");
    assert_eq!(some.frames().len(), 4);
    let image = |set: &str, at: usize| visible(env.frames(set).frames()[at].full_image().to_image());
    assert!(image("some.json", 0) == image("npc/frog", 7));
    // The folder in which they differ need not be the next one.
    env.ok("slice art/koi.png --grid 8x1 -o a/art/koi");
    env.ok("slice art/koi.png --grid 8x1 -o b/art/koi");
    env.ok("pack a/art/koi b/art/koi -o deep --name {folder}-{n}");
    assert_eq!(env.frames("deep.json").sprites().len(), 2);
}

#[test]
fn companions_follow_frames_that_are_picked_and_renamed() {
    let env = Env::with_art();
    env.ok("slice art/koi.png --grid 8x1 -o koi");
    for (at, frame) in env.frames("koi").frames().iter().enumerate() {
        let image = frame.full_image().to_image();
        env.save(&format!("glow/lamp_{at}.png"), &image);
        let mut glow = image;
        glow.pixels_mut().for_each(|pixel| pixel.0 = [at as u8 * 30, pixel[0], 9, pixel[3]]);
        env.save(&format!("glow/lamp_{at}_e.png"), &glow);
    }
    for (options, wanted) in [
        ("--name g{n}", vec![("g0", 0), ("g1", 1), ("g7", 7)]),
        ("--only 2-5", vec![("lamp_2", 2), ("lamp_5", 5)]),
        ("--only 2-5 --take 1", vec![("lamp_3", 3)]),
        ("--take 5,2", vec![("lamp_5", 5), ("lamp_2", 2)]),
        ("--take 5,2 --name g{n}", vec![("g0", 5), ("g1", 2)]),
    ] {
        let outcome = env.run(&format!("pack glow -o page --companion _e {options} --force"));
        assert!(outcome.code == 0 && !outcome.err.contains("missing"), "{options}: {}", outcome.err);
        env.ok("unpack page.json -o again --force");
        for (name, from) in wanted {
            let shown = |file: String| visible(env.image(&file));
            assert!(
                shown(format!("again/{name}_e.png")) == shown(format!("glow/lamp_{from}_e.png")),
                "{options}"
            );
        }
    }
}

#[test]
fn frames_that_are_files_take_a_sprite_s_name() {
    let env = Env::with_art();
    env.ok("slice art/koi.png --grid 8x1 -o koi");
    env.ok("slice koi/koi-00.png koi/koi-01.png koi/koi-02.png --sprite carp -o carp");
    assert_eq!(env.frames("carp").sprites().iter().map(ToString::to_string).collect::<Vec<_>>(), ["carp"]);
    assert_eq!(env.frames("carp").frames().len(), 3);
    let refused = env.run("slice art/koi.png art/frog.png --sprite carp");
    assert!(refused.code == 2 && refused.err.contains("2 sheets"), "{}", refused.err);
}

#[test]
fn what_a_file_or_a_command_loses_is_said_in_one_line() {
    let env = Env::with_art();
    let koi = env.image("art/koi.png");
    // A plain BMP of 32 bits, whose fourth byte its header doesn't name.
    let mut bmp = b"BM\0\0\0\0\0\0\0\0\x36\0\0\0\x28\0\0\0".to_vec();
    bmp.extend(koi.width().to_le_bytes());
    bmp.extend(koi.height().to_le_bytes());
    bmp.extend(b"\x01\0\x20\0");
    bmp.extend([0; 24]);
    let bgra = |pixel: &Rgba<u8>| [pixel[2], pixel[1], pixel[0], pixel[3]];
    bmp.extend(imageops::flip_vertical(&koi).pixels().flat_map(bgra));
    env.write("koi.bmp", bmp);
    let mut deep = Vec::new();
    let mut encoder = png::Encoder::new(&mut deep, koi.width(), koi.height());
    encoder.set_color(png::ColorType::Rgba);
    encoder.set_depth(png::BitDepth::Sixteen);
    let samples: Vec<u8> = koi.iter().flat_map(|&value| [value, value]).collect();
    encoder.write_header().unwrap().write_image_data(&samples).unwrap();
    fs::create_dir(env.path("deep")).unwrap();
    for at in 0..3 {
        env.write(&format!("deep/d_{at}.png"), &deep);
    }
    let mut soft = koi;
    soft.pixels_mut().for_each(|pixel| pixel[3] /= 2);
    env.save("soft.png", &soft);
    env.ok("slice soft.png --grid 8x1 -o soft");
    env.ok("pack soft -o soft-page --alpha premultiplied");
    env.write("move.csv", "frame,kind,name,values\nsoft-03,shift,,40 0\n");
    for (line, wanted) in [
        ("slice koi.bmp --grid 8x1 -o bmp", "koi.bmp: alpha is ignored"),
        ("pack koi.bmp -o bmp-page", "koi.bmp: alpha is ignored"),
        ("pack deep -o deep-page", "d_0.png and 2 other files: 16 bits per channel"),
        ("unpack soft-page.json -o back", "soft-page.png: premultiplied"),
        ("adjust soft --per-frame move.csv -o moved", "the canvas of 8 frames grows from 32x32 to"),
    ] {
        let outcome = env.run(line);
        assert_eq!(outcome.code, 0, "{line}: {}", outcome.err);
        let notes = outcome.err.lines().filter(|text| text.contains(wanted)).count();
        assert_eq!(notes, 1, "{line}: {}", outcome.err);
    }
    for line in ["slice art/koi.png -o plain", "pack plain -o plain-page", "unpack plain-page.json -o again"]
    {
        assert!(!env.run(line).err.contains("note:"), "{line}");
    }
}
