//! Normal maps, glow and the like go wherever their frames go.

use image::{Rgba, RgbaImage, imageops};
use serde_json::Value;

use crate::env::Env;
use crate::previews::visible;

fn numbers<const N: usize>(value: &Value) -> [u32; N] {
    let all: Vec<u32> = value.as_array().unwrap().iter().map(|n| n.as_u64().unwrap() as u32).collect();
    all.try_into().unwrap()
}

#[test]
fn companions_lie_exactly_like_their_frames_and_come_back() {
    let env = Env::with_art();
    // A normal map as it could be drawn: each color says where its pixel is on the canvas.
    let sheet = RgbaImage::from_fn(256, 32, |x, y| Rgba([x as u8, y as u8, 255, 255]));
    sheet.save_with_format(env.path("koi_n.tga"), image::ImageFormat::Tga).unwrap();
    env.ok("slice art/koi.png --grid 8x1 --clip \"swim = 0-7\" -o koi");
    env.ok("slice koi_n.tga --grid 8x1 --take 0-6 -o koi_n");
    let outcome = env.run("pack koi koi_n --companion _n,_e=102030 -o pond");
    assert!(outcome.err.contains("no frame name ends in '_e'"), "{}", outcome.err);
    let outcome = env.run("pack koi koi_n --companion _n -o pond --allow-rotation --json");
    assert!(
        outcome.err.contains("companion _n: missing for 1 frame, such as 'koi-07'; filled with 8080ff"),
        "{}",
        outcome.err
    );
    let manifest: Value = serde_json::from_slice(&env.read("pond.json")).unwrap();
    assert_eq!(manifest["pages"][0]["companions"]["_n"], "pond_n.png");
    let page = env.image("pond_n.png");
    let frames = manifest["frames"].as_array().unwrap();
    assert_eq!(frames.len(), 8);
    for (number, frame) in frames.iter().enumerate() {
        let [x, y, width, height] = numbers(&frame["rect"]);
        let there = imageops::crop_imm(&page, x, y, width, height).to_image();
        let upright = if frame["rotated"] == true { imageops::rotate270(&there) } else { there };
        let [left, top] = numbers::<2>(&frame["inset"]);
        let wanted = if number == 7 {
            [128, 128, 255, 255]
        } else {
            [(number as u32 * 32 + left) as u8, top as u8, 255, 255]
        };
        assert_eq!(upright.get_pixel(0, 0).0, wanted, "frame {number}");
    }
    env.ok("unpack pond.json -o back");
    let back = env.frames("back");
    assert_eq!(back.frames().len(), 8);
    assert!(env.names("back").contains(&"koi-03_n.png".to_owned()));
    // Without being asked for: they belong to their frames.
    env.ok("pack back --allow-rotation -o again");
    for file in ["", "_n"] {
        assert_eq!(env.image(&format!("again{file}.png")), env.image(&format!("pond{file}.png")));
    }
}

/// A lamp of 8x8 px on a canvas of 64x64 px, and its glow of 24x20 px.
fn with_lamp() -> Env {
    let env = Env::with_art();
    for at in 0..3u32 {
        let within = |x: u32, y: u32, [left, top, width, height]: [u32; 4]| {
            (left..left + width).contains(&x) && (top..top + height).contains(&y)
        };
        let lamp = RgbaImage::from_fn(64, 64, |x, y| match within(x, y, [20 + at, 30, 8, 8]) {
            true => Rgba([x as u8, y as u8, 40, 255]),
            false => Rgba([0; 4]),
        });
        let glow = RgbaImage::from_fn(64, 64, |x, y| match within(x, y, [12 + at, 24, 24, 20]) {
            true => Rgba([255, 200, x as u8, 128 + y as u8]),
            false => Rgba([0; 4]),
        });
        env.save(&format!("glow/lamp_{at}.png"), &lamp);
        env.save(&format!("glow/lamp_{at}_e.png"), &glow);
    }
    env
}

#[test]
fn a_glow_is_kept_beyond_its_lamp() {
    let env = with_lamp();
    env.ok("pack glow --companion _e -o lamp");
    let manifest: Value = serde_json::from_slice(&env.read("lamp.json")).unwrap();
    let frames = manifest["frames"].as_array().unwrap();
    for (at, frame) in frames.iter().enumerate() {
        let [x, y, width, height] = numbers(&frame["rect"]);
        assert_eq!((width, height), (24, 20));
        assert_eq!(numbers(&frame["inset"]), [12 + at as u32, 24]);
        let glow = imageops::crop_imm(&env.image("lamp_e.png"), x, y, width, height).to_image();
        assert_eq!(glow.get_pixel(0, 0).0, [255, 200, 12 + at as u8, 152]);
    }
    env.ok("unpack lamp.json -o back");
    for file in ["lamp_0.png", "lamp_0_e.png", "lamp_2_e.png"] {
        assert!(
            visible(env.image(&format!("back/{file}"))) == visible(env.image(&format!("glow/{file}"))),
            "{file}"
        );
    }
}

#[test]
fn normals_of_a_mirrored_picture_point_the_other_way() {
    let env = Env::with_art();
    env.ok("slice art/koi.png --grid 8x1 -o koi");
    env.ok("clip koi \"right = 0-2\" \"left = 0-2 mirror\"");
    for at in 0..8u32 {
        let normals = RgbaImage::from_fn(32, 32, |x, y| Rgba([(9 * at + 3 * x) as u8, y as u8, 255, 255]));
        for suffix in ["_n", "_bump", "_mask"] {
            env.save(&format!("koi{suffix}/koi-0{at}{suffix}.png"), &normals);
        }
    }
    let companions = "koi_n koi_bump koi_mask --companion _n,_bump:normal,_mask --trim none";
    env.ok(&format!("pack koi {companions} -o pond --draw-mirrored"));
    let manifest: Value = serde_json::from_slice(&env.read("pond.json")).unwrap();
    let frame = |name: &str| {
        manifest["frames"].as_array().unwrap().iter().find(|frame| frame["name"] == name).unwrap()
    };
    let part = |file: &str, name: &str| {
        let [x, y, width, height] = numbers(&frame(name)["rect"]);
        imageops::crop_imm(&env.image(file), x, y, width, height).to_image()
    };
    for (file, turns) in [("pond_n.png", true), ("pond_bump.png", true), ("pond_mask.png", false)] {
        let (plain, mirrored) = (part(file, "koi-01"), part(file, "koi-01-mirror"));
        for (x, y, pixel) in mirrored.enumerate_pixels() {
            let [red, green, ..] = plain.get_pixel(31 - x, y).0;
            assert_eq!(pixel.0[..2], [if turns { 255 - red } else { red }, green], "{file} {x},{y}");
        }
    }
    // What was said once stays known.
    assert_eq!(manifest["pages"][0]["normals"], serde_json::json!(["_bump"]));
    env.ok("adjust pond.json --mirror up-down -o set");
    let (before, after) = (part("pond_bump.png", "koi-02"), env.image("set/koi-02_bump.png"));
    let [red, green, ..] = before.get_pixel(4, 31 - 7).0;
    assert_eq!(after.get_pixel(4, 7).0[..2], [red, 255 - green]);
}

#[test]
fn companions_follow_every_step_in_every_command() {
    let env = with_lamp();
    env.ok("pack glow --companion _e -o first");
    // The lamp's own picture as its companion: whatever is done, both must stay alike.
    for at in 0..3 {
        let lamp = env.image(&format!("glow/lamp_{at}.png"));
        env.save(&format!("twins/lamp_{at}.png"), &lamp);
        env.save(&format!("twins/lamp_{at}_e.png"), &lamp);
    }
    env.ok("pack twins --companion _e -o twins");
    let same = |page: &str| {
        let (one, other) = (env.image(&format!("{page}.png")), env.image(&format!("{page}_e.png")));
        assert!(visible(one) == visible(other), "{page}");
    };
    for (at, step) in [
        "--align center",
        "--align feet --align-axis both",
        "--mirror left-right",
        "--scale 1.5 --resample smooth",
        "--scale 0.5",
        "--canvas 80x40@40,30 --pivot feet",
        "--canvas fit",
        "--trim sprite --trim-border 2",
        "--mirror up-down --scale 2 --align center --canvas 200x200 --trim clip",
    ]
    .iter()
    .enumerate()
    {
        env.ok(&format!("pack twins --companion _e {step} -o road{at}"));
        same(&format!("road{at}"));
        env.ok(&format!("pack twins.json {step} -o again{at} --page-scales 1,0.5"));
        same(&format!("again{at}"));
        same(&format!("again{at}-x0.5"));
        env.ok(&format!("adjust twins.json {step} -o set{at}"));
        for frame in 0..3 {
            same(&format!("set{at}/lamp_{frame}"));
        }
        env.ok(&format!("adjust set{at} --in-place --mirror left-right"));
        env.ok(&format!("pack set{at} -o last{at}"));
        same(&format!("last{at}"));
    }
}

#[test]
fn paint_on_a_companion_of_a_set_is_hand_work() {
    let env = with_lamp();
    env.ok("pack glow --companion _e -o lamp");
    env.ok("unpack lamp.json -o set");
    let mut painted = env.image("set/lamp_1_e.png");
    painted.put_pixel(20, 30, Rgba([1, 2, 3, 255]));
    env.save("set/lamp_1_e.png", &painted);
    env.ok("unpack lamp.json -o set");
    assert!(env.image("set/lamp_1_e.png") == painted);
    env.ok("pack set -o again");
    assert!(env.image("again_e.png").pixels().any(|pixel| pixel.0 == [1, 2, 3, 255]));
    // One of another size belongs to nothing, whatever is accepted.
    env.save("set/lamp_2_e.png", &RgbaImage::new(5, 6));
    for options in ["", "--accept edits"] {
        let outcome = env.run(&format!("pack set -o never {options}"));
        let said = "companion \"lamp_2_e.png\" is 5x6 px, but the image it belongs to is 64x64 px";
        assert!(outcome.code == 3 && outcome.err.contains(said), "{}", outcome.err);
    }
    env.ok("check set --allow companion");
    env.save("set/lamp_2_e.png", &env.image("glow/lamp_2_e.png"));
    // One that is no longer needed goes with its frame, unless it was painted.
    let outcome = env.run("unpack lamp.json --only 0 -o set");
    assert!(outcome.code == 4 && outcome.err.contains("lamp_1"), "{}", outcome.err);
    env.ok("unpack lamp.json --only 0 -o set --carry");
    assert!(env.image("set/lamp_1_e.png") == painted);
    // A repaint of another size can't stay under the run's frames.
    env.ok("adjust lamp.json --scale 2 -o set --force");
    env.save("set/lamp_1_e.png", &imageops::rotate180(&env.image("set/lamp_1_e.png")));
    let outcome = env.run("unpack lamp.json --trimmed -o set --carry");
    assert!(outcome.code == 4 && outcome.err.contains("lamp_1_e.png"), "{}", outcome.err);
}
