//! Whole jobs, from what arrives to what the game loads, each read back without asking the program.

use std::collections::HashMap;

use image::{Rgba, RgbaImage, imageops};
use serde_json::Value;
use shibori_core::Pixels;

use crate::env::Env;

fn manifest(env: &Env, path: &str) -> Value {
    serde_json::from_slice(&env.read(path)).unwrap()
}

fn table(env: &Env, path: &str) -> Vec<HashMap<String, String>> {
    let text = String::from_utf8(env.read(path)).unwrap();
    let mut lines = text.lines().map(|line| line.split(',').map(str::to_owned).collect::<Vec<_>>());
    let heads = lines.next().unwrap();
    lines.map(|line| heads.iter().cloned().zip(line).collect()).collect()
}

/// A drawing of its own for every number.
fn drawing(number: u32) -> RgbaImage {
    RgbaImage::from_fn(10, 12, |x, y| match (x + y * 10 + number * 7) % 5 {
        0 if x > 0 && y > 0 => Rgba([0; 4]),
        _ => Rgba([(number * 5 % 251) as u8, (x * 20) as u8, (y * 20) as u8, 255]),
    })
}

fn save(env: &Env, name: &str, image: &RgbaImage) {
    std::fs::create_dir_all(env.path(name).parent().unwrap()).unwrap();
    std::fs::write(env.path(name), shibori_formats::encode::png(image).unwrap()).unwrap();
}

#[test]
fn five_drawn_directions_are_played_in_eight() {
    let env = Env::with_art();
    let drawn = ["n", "ne", "e", "se", "s"];
    let clips: String =
        drawn.iter().enumerate().map(|(row, way)| format!(" --clip \"{way} = r{row}\"")).collect();
    let mirrored: String = [("nw", 1), ("w", 2), ("sw", 3)]
        .iter()
        .map(|(way, row)| format!(" --clip \"{way} = r{row} mirror\""))
        .collect();
    env.ok(&format!("slice art/duckling.png --grid 4x8 --take r0,r1,r2,r3,r4{clips}{mirrored} -o duck"));
    env.ok("pack duck -o duck-rows --layout clip-rows");
    let rows = manifest(&env, "duck-rows.json");
    let page = env.image("duck-rows.png");
    let cell =
        rows["pages"][0]["grid"]["cell"].as_array().unwrap().iter().map(|n| n.as_u64().unwrap() as u32);
    let cell: Vec<u32> = cell.collect();
    let shown = |row: u32, column: u32| {
        imageops::crop_imm(&page, column * cell[0], row * cell[1], cell[0], cell[1]).to_image()
    };
    // Rows are the clips in their order; those to the left are drawn as the mirror images of those to the right.
    for (right, left) in [(1, 5), (2, 6), (3, 7)] {
        for column in 0..4 {
            let image = Pixels::from_image(imageops::flip_horizontal(&shown(right, column)));
            assert!(image.is_same_image(&Pixels::from_image(shown(left, column))), "{left} {column}");
        }
    }
    let steps = rows["clips"].as_array().unwrap().iter().flat_map(|clip| clip["steps"].as_array().unwrap());
    assert!(steps.into_iter().all(|step| step.get("mirror").is_none()));
    // Dense pages leave mirroring to the game, unless asked.
    env.ok("pack duck -o duck-dense");
    env.ok("pack duck -o duck-drawn --draw-mirrored");
    let count = |path: &str| manifest(&env, path)["frames"].as_array().unwrap().len();
    assert_eq!((count("duck-dense.json"), count("duck-drawn.json")), (20, 32));
    let listed = env.ok("clip duck");
    assert!(listed.lines().any(|line| line.contains("w") && line.contains("loop mirrored")), "{listed}");
}

#[test]
fn a_last_row_that_is_not_full_gives_no_blank_frame() {
    let env = Env::with_art();
    let mut sheet = RgbaImage::new(21 * 16, 7 * 16);
    for number in 0..143u32 {
        let (x, y) = (number % 21 * 16 + 3, number / 21 * 16 + 2);
        imageops::replace(&mut sheet, &drawing(number), i64::from(x), i64::from(y));
    }
    // Stray pixels in two of the last cells, and a line round every cell that an effect left.
    for (x, y) in [(20 * 16 + 5, 6 * 16 + 5), (18 * 16 + 9, 6 * 16 + 9)] {
        sheet.put_pixel(x, y, Rgba([255, 255, 255, 255]));
    }
    for (x, y, pixel) in sheet.enumerate_pixels_mut() {
        if x % 16 == 0 || y % 16 == 0 || x % 16 == 15 || y % 16 == 15 {
            *pixel = Rgba([90, 90, 90, 40]);
        }
    }
    save(&env, "big.png", &sheet);
    let result =
        env.json("slice big.png --grid 21x7 --clear-edge 1 --specks 2 --clip-rows a,b,c,d,e,f,g -o big");
    assert_eq!(result["count"], 143);
    assert_eq!(result["sheets"][0]["blank"], serde_json::json!(["r6c17-20"]));
    let set = env.frames("big");
    for (number, frame) in (0..).zip(set.frames()) {
        let whole = frame.full_image().to_image();
        assert!(imageops::crop_imm(&whole, 3, 2, 10, 12).to_image() == drawing(number), "{number}");
        assert!(whole.get_pixel(0, 0)[3] == 0 && whole.get_pixel(15, 8)[3] == 0);
    }
    assert_eq!(set.clips()[6].steps().len(), 17);
    // A part that is not wanted is emptied in every frame.
    env.ok("slice big.png --grid 21x7 --clear-edge 1 --specks 2 --erase 3,2,10,4 --erase=-5,13,40,9 -o part");
    let cleared = env.frames("part").frames()[0].full_image().to_image();
    assert!((0..16).all(|x| (0..6).chain(13..16).all(|y| cleared.get_pixel(x, y)[3] == 0)));
}

#[test]
fn rows_of_different_length_are_indexed_by_the_grid() {
    let env = Env::with_art();
    env.ok("slice art/frog.png --grid 8x4 --clip-rows sit,croak,leap,dive --manifest-only");
    env.ok("export art/frog.json --to csv -o frog.csv");
    let sheet = env.image("art/frog.png");
    for row in table(&env, "frog.csv") {
        let number = |key: &str| row[key].parse::<u32>().unwrap();
        assert_eq!(number("grid_index"), number("row") * 8 + number("column"), "{}", row["name"]);
        let (wide, high) = (sheet.width() / 8, sheet.height() / 4);
        assert!(
            number("x") / wide == number("column") && number("y") / high == number("row"),
            "{}",
            row["name"]
        );
    }
    // So are the steps of a set's clips, though its frames have images of their own.
    env.ok("slice art/frog.png --grid 8x4 --clip-rows sit,croak,leap,dive -o set");
    env.ok("export set --to csv -o set.csv");
    let of_clip = |clip: &str| -> Vec<u32> {
        let steps = table(&env, "set-clips.csv");
        steps.iter().filter(|row| row["clip"] == clip).map(|row| row["grid_index"].parse().unwrap()).collect()
    };
    assert_eq!(of_clip("croak"), [8, 9, 10, 11, 12, 13]);
    assert_eq!(of_clip("dive")[0], 24);
    // The table cuts the same frames once more, whatever order its columns have.
    env.ok("slice art/frog.png --grid 8x4 --name \"{sheet}-{n:02}\" -o first");
    env.ok("export art/frog.json --to csv -o list.csv");
    env.ok("slice art/frog.png --rects list.csv -o again");
    let (first, again) = (env.frames("first"), env.frames("again"));
    assert_eq!(first.frames().len(), again.frames().len());
    for (a, b) in first.frames().iter().zip(again.frames()) {
        assert!(a.name() == b.name() && a.full_image().is_same_image(&b.full_image()), "{}", a.name());
    }
}

#[test]
fn a_folder_of_images_gets_a_manifest_and_no_copy() {
    let env = Env::with_art();
    for number in 0..350u32 {
        save(&env, &format!("many/walk_{number:03}.png"), &drawing(number));
    }
    for number in 0..3u32 {
        save(&env, &format!("many/hat/hat{number}.png"), &drawing(1000 + number));
    }
    let before = env.files("many");
    for _ in 0..2 {
        env.ok("slice many --manifest-only --pivot bottom");
    }
    let after = env.files("many");
    assert!(before.iter().all(|file| after.contains(file)) && after.len() == before.len() + 1);
    let set = env.frames("many");
    assert_eq!(set.frames().len(), 353);
    assert!(set.frames()[12].full_image().to_image() == drawing(12));
    assert!(set.frames()[351].full_image().to_image() == drawing(1001));
    assert_eq!(set.clips()[0].steps().len(), 350);
    env.ok("clip many \"run = many:0-9 @24fps\"");
    env.ok("pack many -o many-atlas --effort low");
    assert_eq!(env.frames("many-atlas").clips().len(), 3);
    let outcome = env.run("slice many --manifest-only");
    assert!(outcome.code == 0 && outcome.err.contains("kept by hand: clip many:run"), "{}", outcome.err);
    // A list of images is the same; a folder with an animation in it is not.
    env.ok("slice many/hat/hat0.png many/hat/hat1.png --manifest-only");
    assert_eq!(manifest(&env, "many/hat/frames.json")["frames"].as_array().unwrap().len(), 2);
    let outcome = env.run("slice art --manifest-only");
    assert!(outcome.code == 2 && outcome.err.contains("remove --manifest-only"), "{}", outcome.err);
    // Folders go everywhere: as frames, as sheets, and to be looked at.
    env.ok("slice many/hat -o hats");
    assert_eq!(env.frames("hats").frames().len(), 2);
    let sheets = env.json("inspect art/lantern");
    assert_eq!((&sheets["sequences"][0]["count"], &sheets["sheets"]), (&6.into(), &serde_json::json!([])));
    std::fs::create_dir_all(env.path("sheets")).unwrap();
    for sheet in ["koi.png", "frog.png"] {
        std::fs::copy(env.path(&format!("art/{sheet}")), env.path(&format!("sheets/{sheet}"))).unwrap();
    }
    env.ok("slice sheets --cell 32x32 -o both");
    assert_eq!(env.frames("both").sprites().len(), 2);
}

#[test]
fn a_grid_on_a_part_of_a_sheet_is_cut_where_it_is() {
    let env = Env::with_art();
    let mut sheet = RgbaImage::new(128, 100);
    for number in 0..12u32 {
        let (x, y) = (20 + number % 4 * 18, 30 + number / 4 * 16);
        imageops::replace(&mut sheet, &drawing(number), i64::from(x + 2), i64::from(y + 1));
    }
    sheet.put_pixel(120, 5, Rgba([1, 2, 3, 255]));
    save(&env, "part.png", &sheet);
    let same = |folder: &str| {
        let set = env.frames(folder);
        assert_eq!(set.frames().len(), 12, "{folder}");
        for (number, frame) in (0..).zip(set.frames()) {
            let image = imageops::crop_imm(&frame.full_image().to_image(), 2, 1, 10, 12).to_image();
            assert!(image == drawing(number), "{folder} {number}");
        }
    };
    env.ok("slice part.png --grid 4x3 --cell 16x16 --offset 20,30 --gutter 2,0 -o a");
    same("a");
    env.ok("slice part.png --within 20,30,72,48 --grid 4x3 --cell 16x16 --gutter 2,0 --sprite newt -o b");
    same("b");
    assert!(env.frames("b").frames().iter().all(|frame| frame.sprite().as_str() == "newt"));
    env.ok("slice part.png --within 20,30,72,48 --grid 4x3 --cell 16x16 --gutter 2,0 --manifest-only");
    same("part");
    let outcome = env.run("slice part.png --cell 16x16 -o never");
    assert!(outcome.err.contains("add --grid 8x6 to ignore the rest"), "{}", outcome.err);
    let outcome = env.run("slice part.png --within 100,0,72,48 --grid 2x2 -o never");
    assert!(outcome.code == 2 && outcome.err.contains("0,0,128,100"), "{}", outcome.err);
    // Separate drawings have rows and columns too.
    env.ok(
        "slice part.png --within 20,30,72,48 --islands --clip-rows top,middle,bottom --clip \"first = c0\" \
        --clip \"all = r0c1-r2c2\" -o loose",
    );
    let loose = env.frames("loose");
    let steps: Vec<usize> = loose.clips().iter().map(|clip| clip.steps().len()).collect();
    assert_eq!(steps, [4, 4, 4, 3, 10]);
}

#[test]
fn each_sprite_is_scaled_by_the_one_factor_at_which_it_fits() {
    let env = Env::with_art();
    env.ok("slice art/koi.png --grid 8x1 -o koi");
    let size = env.frames("koi").frames()[0].canvas();
    let outcome =
        env.run(&format!("adjust koi -o large --scale fit:{}x{}", size.width * 3 + 5, size.height * 4));
    assert!(outcome.code == 0 && outcome.err.contains("--scale 3 is the largest"), "{}", outcome.err);
    let large = env.frames("large");
    assert!(large.frames().iter().all(|frame| frame.canvas().width == size.width * 3));
    env.ok("adjust koi -o thirds --scale 2/3 --resample smooth");
    assert_eq!(env.frames("thirds").frames()[0].canvas().width, (size.width * 2 + 1) / 3);
    env.ok("clip koi \"swim = 0-7 @12fps\"");
    env.ok("clip koi --speed 1/3");
    assert_eq!(manifest(&env, "koi/frames.json")["clips"][0]["timescale"], 4);
}
