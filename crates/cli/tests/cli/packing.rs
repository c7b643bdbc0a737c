//! Packing, judged by a stranger: pages and manifest are read as any game would, without a line of the library.

use image::{Rgba, RgbaImage, imageops};
use serde_json::Value;

use crate::env::Env;
use crate::previews::visible;

/// What was asked for, in pixels.
#[derive(Clone, Copy)]
struct Asked {
    margin: u32,
    gutter: u32,
    bleed: u32,
}

struct Placed {
    page: usize,
    rect: [u32; 4],
    picture: RgbaImage,
}

fn numbers<const N: usize>(value: &Value) -> [u32; N] {
    let all: Vec<u32> = value.as_array().unwrap().iter().map(|n| n.as_u64().unwrap() as u32).collect();
    all.try_into().unwrap()
}

/// Reads an atlas and checks that nothing overlaps and all spaces are kept; gives each frame's whole picture by sprite and
/// name.
fn read(env: &Env, atlas: &str, asked: Asked) -> Vec<(String, RgbaImage)> {
    let manifest: Value = serde_json::from_slice(&env.read(&format!("{atlas}.json"))).unwrap();
    let folder = atlas.rsplit_once('/').map_or(String::new(), |(folder, _)| format!("{folder}/"));
    let file = |page: &Value| env.image(&format!("{folder}{}", page["file"].as_str().unwrap()));
    let pages: Vec<RgbaImage> = manifest["pages"].as_array().unwrap().iter().map(file).collect();
    for (page, known) in pages.iter().zip(manifest["pages"].as_array().unwrap()) {
        assert_eq!(numbers(&known["size"]), [page.width(), page.height()]);
    }
    let mut placed: Vec<Placed> = Vec::new();
    let mut pictures = Vec::new();
    for frame in manifest["frames"].as_array().unwrap() {
        let [x, y, width, height] = numbers(&frame["rect"]);
        let [wide, high] = numbers(&frame["canvas"]);
        let mut canvas = RgbaImage::new(wide, high);
        if width > 0 {
            let page = frame["page"].as_u64().unwrap() as usize;
            let there = imageops::crop_imm(&pages[page], x, y, width, height).to_image();
            let upright = if frame["rotated"] == true { imageops::rotate270(&there) } else { there.clone() };
            let [left, top] = frame.get("inset").map_or([0, 0], numbers);
            imageops::replace(&mut canvas, &upright, i64::from(left), i64::from(top));
            placed.push(Placed { page, rect: [x, y, width, height], picture: there });
        }
        let name = format!("{}:{}", frame["sprite"].as_str().unwrap(), frame["name"].as_str().unwrap());
        pictures.push((name, canvas));
    }
    for (at, one) in placed.iter().enumerate() {
        check_place(&pages[one.page], one, asked);
        for other in placed[..at].iter().filter(|other| other.page == one.page && other.rect != one.rect) {
            let space = asked.gutter + 2 * asked.bleed;
            let apart = |axis: usize| {
                let ends = |rect: [u32; 4]| (rect[axis], rect[axis] + rect[axis + 2]);
                let ((a, b), (c, d)) = (ends(one.rect), ends(other.rect));
                a >= d + space || c >= b + space
            };
            assert!(apart(0) || apart(1), "{:?} and {:?}", one.rect, other.rect);
        }
    }
    pictures
}

/// Inside the margin, and its border repeated outwards.
fn check_place(page: &RgbaImage, placed: &Placed, asked: Asked) {
    let [x, y, width, height] = placed.rect;
    let edge = asked.margin + asked.bleed;
    assert!(x >= edge && y >= edge, "{:?}", placed.rect);
    assert!(x + width + edge <= page.width() && y + height + edge <= page.height(), "{:?}", placed.rect);
    for near_y in y - asked.bleed..y + height + asked.bleed {
        for near_x in x - asked.bleed..x + width + asked.bleed {
            let inside = |at: u32, from: u32, length: u32| at.clamp(from, from + length - 1) - from;
            let wanted = placed.picture.get_pixel(inside(near_x, x, width), inside(near_y, y, height));
            let found = page.get_pixel(near_x, near_y);
            assert!(found == wanted || found[3] == 0 && wanted[3] == 0, "bleed at {near_x},{near_y}");
        }
    }
}

/// The same picture, color under clear pixels aside.
fn looks_like(a: &RgbaImage, b: &RgbaImage) -> bool {
    let same = |(p, q): (&Rgba<u8>, &Rgba<u8>)| p == q || p[3] == 0 && q[3] == 0;
    a.dimensions() == b.dimensions() && a.pixels().zip(b.pixels()).all(same)
}

fn cut(env: &Env) -> Vec<(String, RgbaImage)> {
    env.ok("slice art/frog.png --grid 8x4 --blank keep --clip \"sit = r0c0-3\" --clip \"leap = r2\" -o frog");
    env.ok("slice art/koi.png --grid 8x1 --clip \"swim = 0-7\" -o koi");
    env.ok("slice art/reeds.png --islands --key auto --key-scope everywhere -o reeds");
    let sets = ["frog", "koi", "reeds"].map(|set| env.frames(set));
    let frames = sets.iter().flat_map(shibori_core::FrameSet::frames);
    frames.map(|f| (format!("{}:{}", f.sprite(), f.name()), f.full_image().to_image())).collect()
}

#[test]
fn a_stranger_finds_every_frame_where_the_manifest_says() {
    let env = Env::with_art();
    let wanted = cut(&env);
    for (options, margin, gutter, bleed) in [
        ("", 1, 2, 0),
        ("--allow-rotation --page-max 200", 1, 2, 0),
        ("--allow-rotation --margin 3 --gutter 0 --bleed 2", 3, 0, 2),
        ("--page-square --page-round pow2 --gutter 1", 1, 1, 0),
        ("--page-per sprite --bleed 1", 1, 2, 1),
        ("--page-per clip", 1, 2, 0),
        ("--page-per clip --layout strip", 0, 0, 0),
        ("--layout clip-rows --page-per sprite --gutter 2", 0, 2, 0),
        ("--page-format webp --no-spread", 1, 2, 0),
        ("--page-format qoi", 1, 2, 0),
        ("--page-format tga --sampling nearest", 1, 2, 0),
        ("--png quick", 1, 2, 0),
        ("--png small", 1, 2, 0),
        // 26 colors and clear: a palette that loses nothing.
        ("--palette 200", 1, 2, 0),
        ("--page-size 256x256", 1, 2, 0),
        ("--page-size 96x128 --allow-rotation", 1, 2, 0),
    ] {
        // Searching for the densest page is held to its promises elsewhere; here it would only take its time.
        let is_searched = options.is_empty() || options.contains("--layout");
        let effort = if is_searched { "" } else { "--effort low" };
        let pack = format!("pack frog koi reeds -o atlas/pond --force {effort} {options}");
        env.ok(&pack);
        let found = read(&env, "atlas/pond", Asked { margin, gutter, bleed });
        for (name, picture) in &wanted {
            let (_, other) =
                found.iter().find(|(other, _)| other == name).unwrap_or_else(|| panic!("{options}: {name}"));
            assert!(looks_like(other, picture), "{options}: {name}");
        }
        let one = env.files("atlas");
        env.ok(&format!("{pack} --jobs 1"));
        assert!(one == env.files("atlas"), "{options}: one thread writes other bytes");
        env.ok("unpack atlas/pond.json -o back");
        let back = env.frames("back");
        for (name, picture) in &wanted {
            let same = |frame: &&shibori_core::Frame| format!("{}:{}", frame.sprite(), frame.name()) == *name;
            let frame = back.frames().iter().find(same).unwrap();
            assert!(looks_like(&frame.full_image().to_image(), picture), "{options}: unpacked {name}");
        }
    }
}

#[test]
fn a_typed_ending_is_taken_off_the_name() {
    let env = Env::with_art();
    env.ok("slice art/koi.png --grid 8x1 -o koi");
    let result = env.json("pack koi -o plain/pond");
    assert_eq!(result["manifest"], "plain/pond.json");
    for typed in ["pond.json", "pond.PNG", "pond.webp"] {
        env.ok(&format!("pack koi -o typed/{typed} --force"));
        assert!(env.files("typed") == env.files("plain"), "{typed}");
    }
    env.ok("pack koi -o other/pond.v2");
    assert_eq!(env.names("other"), ["pond.v2.json", "pond.v2.png"]);
}

#[test]
fn scaled_atlases_have_one_layout() {
    let env = Env::with_art();
    cut(&env);
    let result = env.json("pack frog reeds -o pond --page-scales 1,0.5,3 --bleed 2");
    assert_eq!(result["scales"][0]["manifest"], "pond-x0.5.json");
    let manifest = |name: &str| -> Value { serde_json::from_slice(&env.read(name)).unwrap() };
    let (base, half, triple) = (manifest("pond.json"), manifest("pond-x0.5.json"), manifest("pond-x3.json"));
    assert_eq!((&half["pages"][0]["factor"], base["pages"][0].get("factor")), (&0.5.into(), None));
    for (at, frame) in base["frames"].as_array().unwrap().iter().enumerate() {
        let [a, b, c] = [frame, &half["frames"][at], &triple["frames"][at]].map(|f| numbers::<4>(&f["rect"]));
        assert_eq!((b.map(|n| n * 2), c), (a, a.map(|n| n * 3)), "{}", frame["name"]);
    }
    let whole = read(&env, "pond", Asked { margin: 0, gutter: 2, bleed: 2 });
    let triple = read(&env, "pond-x3", Asked { margin: 0, gutter: 6, bleed: 6 });
    for ((name, one), (_, three)) in whole.iter().zip(&triple) {
        let large = imageops::resize(one, one.width() * 3, one.height() * 3, imageops::FilterType::Nearest);
        assert!(looks_like(&large, three), "{name}");
    }
    read(&env, "pond-x0.5", Asked { margin: 0, gutter: 1, bleed: 1 });
}

#[test]
fn a_repaint_leaves_all_other_places_alone() {
    let env = Env::with_art();
    cut(&env);
    env.ok("pack frog koi -o pond");
    let places = || -> Vec<(String, Value)> {
        let manifest: Value = serde_json::from_slice(&env.read("pond.json")).unwrap();
        let frames = manifest["frames"].as_array().unwrap().iter();
        frames.map(|frame| (frame["name"].to_string(), frame["rect"].clone())).collect()
    };
    let before = places();
    let mut image = env.image("koi/koi-03.png");
    (0..32).for_each(|x| image.put_pixel(x, 0, Rgba([9, 9, 9, 255])));
    image.save_with_format(env.path("koi/koi-03.tga"), image::ImageFormat::Tga).unwrap();
    let text = String::from_utf8(env.read("koi/frames.json")).unwrap().replace("koi-03.png", "koi-03.tga");
    env.write("koi/frames.json", text);
    env.ok("pack frog koi -o pond --keep-places pond.json");
    let after = places();
    let moved: Vec<&String> = before.iter().zip(&after).filter(|(a, b)| a != b).map(|(a, _)| &a.0).collect();
    assert!(moved.len() <= 1, "{moved:?}");
    read(&env, "pond", Asked { margin: 1, gutter: 2, bleed: 0 });
}

#[test]
fn a_palette_and_premultiplied_pages_say_what_they_cost() {
    let env = Env::with_art();
    let result = env.json("pack art/ripple.png -o ripple --palette 4");
    assert_eq!(result["palette"]["colors"], 4);
    assert!(result["palette"]["mean_error"].as_f64().unwrap() > 0.0);
    let colors: std::collections::HashSet<[u8; 4]> =
        env.image("ripple.png").pixels().map(|pixel| pixel.0).collect();
    assert!(colors.len() <= 4);
    // Two bits a pixel: the header says so.
    assert_eq!(env.read("ripple.png")[24..26], [2, 3]);
    env.ok("pack art/ripple.png -o soft --alpha premultiplied");
    let manifest: Value = serde_json::from_slice(&env.read("soft.json")).unwrap();
    assert_eq!(manifest["pages"][0]["alpha"], "premultiplied");
    assert!(env.image("soft.png").pixels().all(|pixel| pixel.0[..3].iter().all(|&c| c <= pixel[3])));
}

#[test]
fn pages_without_use_go_and_pages_that_are_not_ours_stay() {
    let env = Env::with_art();
    cut(&env);
    env.ok("pack frog koi --effort low -o atlas/pond --page-per sprite");
    assert_eq!(env.names("atlas"), ["pond-frog.png", "pond-koi.png", "pond.json"]);
    env.ok("pack frog koi --effort low -o atlas/pond --page-format qoi");
    assert_eq!(env.names("atlas"), ["pond.json", "pond.qoi"]);
    for format in ["qoi", "tga", "webp", "png"] {
        env.ok(&format!("pack frog koi --effort low -o atlas/pond --page-format {format}"));
        let page = format!("atlas/pond.{format}");
        let mut bytes = env.read(&page);
        let middle = bytes.len() / 2;
        bytes[middle] ^= 1;
        env.write(&page, &bytes);
        let line = format!("pack frog koi --effort low -o atlas/pond --page-format {format}");
        let outcome = env.run(&line);
        // A PNG knows that it is damaged; the others show other pixels, as if painted.
        match format {
            "png" => assert_eq!(outcome.code, 4, "{format}: {}", outcome.err),
            _ => assert!(outcome.err.contains(&format!("paint on pond.{format}")), "{}", outcome.err),
        }
        assert!(env.read(&page) == bytes, "{format}");
        // New frames on a painted page: it can't stay as it is.
        let outcome = env.run(&format!("{line} --margin 3"));
        assert_eq!(outcome.code, 4, "{format}: {}", outcome.err);
        env.ok(&format!("{line} --margin 3 --force"));
        assert!(env.read(&page) != bytes, "{format}");
    }
}

#[test]
fn contradictions_and_bad_packs_are_reported() {
    let env = Env::with_art();
    cut(&env);
    env.ok("pack koi -o koi-atlas");
    for (line, expected, hint) in [
        ("--layout grid --allow-rotation", "--allow-rotation has no effect here", ""),
        ("--layout strip --keep-places koi-atlas.json", "--keep-places has no effect here", ""),
        ("--page-square --page-size 64x32", "contradict each other", ""),
        ("--png small --page-format qoi", "--png has no effect here", ""),
        ("--page-scales 1,0.33", "0.33 is 33/100, which can't land on whole pixels", ""),
        ("--page-scales 0", "'0' is not a positive number", ""),
        ("--page-scales 2,2", "the factor 2 is given twice", ""),
        ("--palette 1", "'1' is not a whole number from 2 to 256", ""),
        ("--companion _x", "no frame name ends in '_x'", "include the companions' source"),
        (
            "--keep-places koi-atlas.json --only frog",
            "none of these frames are in the old atlas",
            "remove it",
        ),
        ("--keep-places gone.json", "gone.json: no such file", ""),
        (
            "--page-size 30x30",
            "px does not fit on a page of 30x30 px with a margin of 1 px",
            "use --page-size 32x",
        ),
        (
            "--layout strip --page-max 100 --gutter 1 --margin 2",
            "columns of 32x32 px, but a page of 100x100 px holds 2",
            "raise --page-max to",
        ),
    ] {
        let sources = if line.contains("--layout strip --page-max") { "koi" } else { "frog koi" };
        let outcome = env.run(&format!("pack {sources} -o never {line}"));
        assert!([2, 3].contains(&outcome.code), "{line}: {}", outcome.err);
        assert!(outcome.err.contains(expected), "{line}: {}", outcome.err);
        assert!(outcome.err.contains(hint), "{line}: {}", outcome.err);
    }
    // What the hint says is right: 8 columns of 32 px, 7 gutters, 2 margins.
    let outcome = env.run("pack koi -o never --layout strip --page-max 100 --gutter 1 --margin 2");
    assert!(outcome.err.contains("raise --page-max to 267"), "{}", outcome.err);
    env.ok("pack koi -o strip --layout strip --page-max 267x100 --gutter 1 --margin 2");
}

/// A figure of 12x10 px that jumps over five frames of 48x48 px.
fn with_jump() -> Env {
    let env = Env::with_art();
    for (at, (left, top)) in [(10, 30), (12, 20), (14, 8), (16, 20), (18, 30)].into_iter().enumerate() {
        let image = RgbaImage::from_fn(48, 48, |x, y| match (left..left + 12, top..top + 10) {
            (across, down) if across.contains(&x) && down.contains(&y) => {
                Rgba([x as u8, y as u8, at as u8, 255])
            }
            _ => Rgba([0; 4]),
        });
        env.save(&format!("jump/jump_{at}.png"), &image);
    }
    env
}

/// The cells of the first page, as a tile importer reads them.
fn cells(env: &Env, atlas: &str) -> Vec<RgbaImage> {
    let manifest: Value = serde_json::from_slice(&env.read(&format!("{atlas}.json"))).unwrap();
    let grid = &manifest["pages"][0]["grid"];
    let pair = |key: &str| if grid[key].is_null() { [0, 0] } else { numbers::<2>(&grid[key]) };
    let ([width, height], offset, gutter) = (numbers::<2>(&grid["cell"]), pair("offset"), pair("gutter"));
    let page = env.image(&format!("{atlas}.png"));
    let columns = grid["columns"].as_u64().unwrap() as u32;
    let cell = |at: u32| {
        let x = offset[0] + at % columns * (width + gutter[0]);
        let y = offset[1] + at / columns * (height + gutter[1]);
        visible(imageops::crop_imm(&page, x, y, width, height).to_image())
    };
    (0..columns * grid["rows"].as_u64().unwrap() as u32)
        .filter(|at| (*at as usize) < manifest["frames"].as_array().unwrap().len())
        .map(cell)
        .collect()
}

#[test]
fn a_tile_importer_finds_whole_frames_in_their_cells() {
    let env = with_jump();
    let frames: Vec<RgbaImage> = (0..5).map(|at| env.image(&format!("jump/jump_{at}.png"))).collect();
    env.ok("pack jump -o dense");
    env.ok("adjust jump --trim frame -o trimmed");
    for source in ["dense.json", "trimmed", "jump"] {
        for options in [
            "--layout grid",
            "--layout strip",
            "--layout grid --bleed 1",
            "--layout grid --bleed 2 --gutter 3 --margin 5",
            "--layout grid --bleed 1 --gutter 1 --place-step 4",
        ] {
            env.ok(&format!("pack {source} {options} -o cells"));
            let found = cells(&env, "cells");
            assert!(found == frames, "{source} {options}");
        }
    }
    // Trimmed on request, the figure still jumps.
    env.ok("pack jump --layout strip --trim frame -o small");
    let found = cells(&env, "small");
    assert_eq!(found[0].dimensions(), (20, 32));
    let top = |cell: &RgbaImage| cell.enumerate_pixels().find(|(.., pixel)| pixel[3] > 0).unwrap().1;
    assert_eq!(found.iter().map(top).collect::<Vec<_>>(), [22, 12, 0, 12, 22]);
}

#[test]
fn no_two_frames_share_a_block_of_a_compressed_texture() {
    let env = Env::with_art();
    cut(&env);
    for options in ["", "--bleed 1", "--bleed 2 --page-scales 1,0.5", "--layout grid --bleed 1"] {
        env.ok(&format!("pack frog koi -o pond --place-step 4 {options}"));
        let atlases =
            if options.contains("scales") { vec![("pond", 2), ("pond-x0.5", 1)] } else { vec![("pond", 0)] };
        for (atlas, said) in atlases {
            let bleed = if said > 0 { said } else { u32::from(options.contains("--bleed 1")) };
            let manifest: Value = serde_json::from_slice(&env.read(&format!("{atlas}.json"))).unwrap();
            let [width, height] = numbers::<2>(&manifest["pages"][0]["size"]);
            assert_eq!((width % 4, height % 4), (0, 0), "{options}");
            let mut owner = std::collections::HashMap::new();
            for frame in manifest["frames"].as_array().unwrap() {
                let [x, y, width, height] = numbers::<4>(&frame["rect"]);
                if width == 0 {
                    continue;
                }
                for row in (y - bleed) / 4..(y + height + bleed).div_ceil(4) {
                    for column in (x - bleed) / 4..(x + width + bleed).div_ceil(4) {
                        let before = owner.insert((column, row), [x, y]);
                        assert!(before.is_none_or(|before| before == [x, y]), "{options}: {column},{row}");
                    }
                }
            }
        }
    }
}

#[test]
fn lines_that_vanish_at_a_scale_are_named_and_pages_are_not_split() {
    let env = Env::with_art();
    for at in 0..4u32 {
        let line = RgbaImage::from_fn(16, 16, |x, y| match at {
            0 => Rgba([9, 9, 9, if x == 6 { 255 } else { 0 }]),
            1 => Rgba([9, 9, 9, if y == 8 { 255 } else { 0 }]),
            _ => Rgba([9, 9, 9, 255]),
        });
        env.save(&format!("lines/line_{at}.png"), &line);
    }
    let outcome = env.run("pack lines -o thin --page-scales 1,0.5");
    assert!(outcome.err.contains("at scale 0.5, 2 of 4 frames lose most of their pixels"), "{}", outcome.err);
    assert!(outcome.err.contains("line_0, line_1\n  hint: add --resample smooth"), "{}", outcome.err);
    let outcome = env.run("pack lines -o thin --page-scales 1,0.5 --resample smooth");
    assert!(outcome.code == 0 && !outcome.err.contains("lose"), "{}", outcome.err);
    let outcome = env.run("pack lines -o never --page-scales 1,0.5 --page-size 65x64");
    assert!(outcome.code == 2 && outcome.err.contains("use --page-size 66x64"), "{}", outcome.err);
}

#[test]
fn a_project_that_grows_keeps_its_places_and_says_what_that_costs() {
    let env = Env::with_art();
    let add = |at: u32, width: u32, height: u32| {
        env.save(
            &format!("art2/f_{at:02}.png"),
            &RgbaImage::from_pixel(width, height, Rgba([at as u8, 9, 9, 255])),
        );
    };
    (0..16).for_each(|at| add(at, 14, 14));
    env.ok("pack art2 -o game --page-size 64x64");
    let places = || -> std::collections::BTreeMap<String, Value> {
        let manifest: Value = serde_json::from_slice(&env.read("game.json")).unwrap();
        let frames = manifest["frames"].as_array().unwrap().iter();
        frames
            .map(|frame| (frame["name"].to_string(), serde_json::json!([frame["page"], frame["rect"]])))
            .collect()
    };
    let before = places();
    // One frame is larger than any gap of a full page of a fixed size.
    add(3, 30, 30);
    let outcome = env.run("pack art2 -o game --page-size 64x64 --keep-places game.json");
    assert!(outcome.code == 0 && outcome.out.contains("15 images kept their places"), "{}", outcome.out);
    let after = places();
    assert!(before.iter().all(|(name, place)| name == "\"f_03\"" || after[name] == *place));
    assert_eq!(
        env.names("").iter().filter(|name| name.starts_with("game") && name.ends_with(".png")).count(),
        2
    );
    // Most of it goes: what is left would need far less.
    (0..12).for_each(|at| std::fs::remove_file(env.path(&format!("art2/f_{at:02}.png"))).unwrap());
    let outcome = env.run("pack art2 -o game --page-size 64x64 --keep-places game.json");
    assert!(outcome.code == 0, "{}", outcome.err);
    env.ok("pack art2 -o free");
    (20..40).for_each(|at| add(at, 20, 9));
    let outcome = env.run("pack art2 -o free --keep-places free.json");
    assert!(outcome.code == 0, "{}", outcome.err);
    (20..38).for_each(|at| std::fs::remove_file(env.path(&format!("art2/f_{at:02}.png"))).unwrap());
    let outcome = env.run("pack art2 -o free --keep-places free.json");
    assert!(outcome.err.contains("packed from scratch, the pages would be"), "{}", outcome.err);
    let outcome = env.run("pack art2 -o free --keep-places free.json --repack-over 20");
    assert!(outcome.err.contains("packed from scratch, since that makes the pages"), "{}", outcome.err);
    let outcome = env.run("pack art2 -o free --repack-over 20");
    assert!(outcome.code == 2 && outcome.err.contains("--keep-places"), "{}", outcome.err);
}

#[test]
fn filtering_finds_edge_colors_in_a_palette_too() {
    let env = Env::with_art();
    // Two colors on clear: filtering must not darken their edges.
    let ball =
        RgbaImage::from_fn(24, 24, |x, y| match (x as i32 - 12).pow(2) + (y as i32 - 12).pow(2) < 90 {
            true => Rgba([240, if x < 12 { 200 } else { 40 }, 30, 255]),
            false => Rgba([0; 4]),
        });
    env.save("art3/ball.png", &ball);
    env.ok("pack art3/ball.png -o ball --palette 16 --sampling smooth");
    let page = env.image("ball.png");
    for (x, y, pixel) in page.enumerate_pixels().filter(|(.., pixel)| pixel[3] == 0) {
        let near = |dx: i32, dy: i32| page.get_pixel_checked((x as i32 + dx) as u32, (y as i32 + dy) as u32);
        let around = [(-1, 0), (1, 0), (0, -1), (0, 1)].into_iter().filter_map(|(dx, dy)| near(dx, dy));
        if around.clone().any(|other| other[3] == 255) {
            assert_eq!(pixel[0], 240, "{x},{y}");
        }
    }
}
