//! Finding the frames: grids by themselves, separate drawings, lists of places; and cleaning them.

use image::RgbaImage;

use crate::env::{Env, pictures};

fn write_png(env: &Env, name: &str, image: &RgbaImage) {
    env.write(name, shibori_formats::encode::png(image).unwrap());
}

#[test]
fn a_sheet_without_numbers_is_cut_by_the_grid_that_is_found() {
    let env = Env::with_art();
    for (sheet, options, count) in
        [("frog", "--grid 8x4", 25), ("koi", "--grid 8x1", 8), ("duckling", "--grid 4x8", 32)]
    {
        let result = env.json(&format!("slice art/{sheet}.png -o found/{sheet}"));
        assert_eq!(result["count"], count, "{sheet}");
        let command = format!("shibori slice art/{sheet}.png {options} -o found/{sheet}");
        assert_eq!(result["sheets"][0]["command"], command);
        env.ok(&format!("slice art/{sheet}.png {options} -o said/{sheet}"));
        assert!(env.files(&format!("found/{sheet}")) == env.files(&format!("said/{sheet}")), "{sheet}");
    }
}

#[test]
fn inspect_tells_the_grid_with_the_keys_scripts_rely_on() {
    let env = Env::with_art();
    let result = env.json("inspect art/frog.png art/reeds.png");
    let grid = &result["sheets"][0]["grid"];
    assert_eq!(grid["cell"], serde_json::json!([32, 32]));
    assert_eq!(grid["per_row"], serde_json::json!([4, 6, 8, 7]));
    assert_eq!((&grid["columns"], &grid["rows"], &grid["count"]), (&8.into(), &4.into(), &25.into()));
    assert!(grid["confidence"].as_f64().unwrap() > 0.99);
    assert_eq!(grid["command"], "shibori slice art/frog.png --grid 8x4");
    assert_eq!(result["sheets"][1]["background"], "2ea0a8");
}

#[test]
fn an_unsure_answer_does_nothing_and_proposes_commands_that_work() {
    let env = Env::with_art();
    let outcome = env.run("slice art/reeds.png -o out");
    assert_eq!(outcome.code, 2, "{}", outcome.err);
    assert!(env.names("out").is_empty());
    let commands = outcome.err.lines().map(str::trim).filter(|l| l.starts_with("shibori slice"));
    let commands: Vec<&str> = commands.filter(|l| !l.contains("COLUMNS")).collect();
    assert!((1..=4).contains(&commands.len()), "{}", outcome.err);
    for command in commands {
        assert!(command.ends_with(" -o out"), "{command}");
        env.ok(&format!("{} --force", command.strip_prefix("shibori ").unwrap()));
    }
}

#[test]
fn a_blank_sheet_says_so() {
    let env = Env::with_art();
    write_png(&env, "blank.png", &RgbaImage::new(64, 64));
    let outcome = env.run("slice blank.png");
    assert_eq!(outcome.code, 2);
    assert!(outcome.err.contains("blank.png: the sheet is blank"), "{}", outcome.err);
    assert!(env.ok("inspect blank.png").contains("completely blank"));
    assert_eq!(env.json("slice blank.png --grid 2x2 --blank keep -o out")["count"], 4);
}

#[test]
fn separate_drawings_share_one_canvas_and_specks_are_reported() {
    let env = Env::with_art();
    let out =
        env.ok("slice art/reeds.png --islands --key auto --key-scope everywhere --pivot bottom -o reeds");
    assert!(out.contains("5 specks under 16 px left out"), "{out}");
    assert!(out.contains("2ea0a8 made transparent: 16,186 pixels of the sheet"), "{out}");
    let set = env.frames("reeds");
    assert_eq!(set.frames().len(), 7);
    for frame in set.frames() {
        assert_eq!(frame.canvas(), set.frames()[0].canvas());
        assert_eq!(frame.pivot(), set.frames()[0].pivot());
        // Every drawing stands on the bottom.
        assert_eq!(frame.content(0).unwrap().bottom(), u64::from(frame.canvas().height));
        // No pixel of the flat color is left.
        assert!(
            frame
                .pixels()
                .rows()
                .all(|row| row.chunks_exact(4).all(|p| p[3] == 0 || p[..3] != [0x2e, 0xa0, 0xa8]))
        );
    }
    let sources: Vec<u32> = set.frames().iter().map(|f| f.source().unwrap().rect.unwrap().x).collect();
    assert!(sources[0] < sources[1], "reading order starts at the left: {sources:?}");
    let tight = env.run("slice art/reeds.png --islands --key auto --canvas 20x20 -o tight");
    assert!(
        tight.code == 2 && tight.err.contains("too small") && tight.err.contains("--canvas"),
        "{}",
        tight.err
    );
    env.ok("slice art/reeds.png --islands --key auto --canvas fit -o fit");
    assert!(env.frames("fit").frames().iter().all(shibori_core::Frame::is_untrimmed));
}

#[test]
fn a_list_of_places_names_the_frames() {
    let env = Env::with_art();
    env.write("places.csv", "name,x,y,w,h\ntall,5,3,36,72\nbud,104,62,20,42\n");
    env.ok("slice art/reeds.png --rects places.csv -o reeds");
    assert_eq!(env.names("reeds"), ["bud.png", "frames.json", "tall.png"]);
    let sheet = env.image("art/reeds.png");
    let wanted = image::imageops::crop_imm(&sheet, 5, 3, 36, 72).to_image();
    assert_eq!(env.image("reeds/tall.png"), wanted);
    for (list, expected) in [
        ("a,1,2,3\n", "bad.csv: line 1: 4 columns instead of 5; a line is name,x,y,w,h"),
        ("a,1,-2,3,4\n", "bad.csv: line 1: y of 'a' is -2; places are counted from 0"),
        ("a,170,2,30,4\n", "bad.csv: line 1: 'a' at 170,2,30,4 extends beyond the sheet of 176x112 px"),
        ("a,1,2,0,4\n", "bad.csv: line 1: 'a' is 0x4 px, which is empty"),
    ] {
        env.write("bad.csv", list);
        let outcome = env.run("slice art/reeds.png --rects bad.csv -o bad");
        assert!(outcome.code != 0 && outcome.err.contains(expected), "{}", outcome.err);
        assert!(env.names("bad").is_empty());
    }
}

#[test]
fn a_selection_takes_frames_in_its_order_and_thins_an_animation_out() {
    let env = Env::with_art();
    env.ok("slice art/frog.png --grid 8x4 --take r2c3-0,0 --name {row}-{col} -o frog");
    let names: Vec<String> = env.frames("frog").frames().iter().map(|f| f.name().to_string()).collect();
    assert_eq!(names, ["2-3", "2-2", "2-1", "2-0", "0-0"]);
    env.ok("slice art/firefly.gif --take 0-7/2 -o thin");
    let set = env.frames("thin");
    let times: Vec<f64> = set.clips()[0].steps().iter().map(|s| set.clips()[0].span(s).millis()).collect();
    assert_eq!(times, [540.0, 220.0, 200.0, 400.0]);
    let outcome = env.run("slice art/frog.png --grid 8x4 --take 25 -o no");
    assert!(
        outcome.err.contains("--take: there is no frame 25: sprite 'frog' has 25 frames (0 to 24)"),
        "{}",
        outcome.err
    );
}

#[test]
fn a_key_color_must_be_there() {
    let env = Env::with_art();
    let outcome = env.run("slice art/reeds.png --grid 2x2 --key ff00ff -o out");
    assert_eq!(outcome.code, 2);
    assert!(outcome.err.contains("no pixels of ff00ff"), "{}", outcome.err);
    assert!(outcome.err.contains("its background is 2ea0a8; use --key auto"), "{}", outcome.err);
    let transparent = env.run("slice art/koi.png --grid 8x1 --key auto -o koi");
    assert!(transparent.code == 0 && transparent.err.contains("already transparent"), "{}", transparent.err);
}

#[test]
fn each_cleaning_step_says_what_it_changed() {
    let env = Env::with_art();
    let out = env
        .ok("slice art/lantern/glow_00.png --grid 1x1 --clear-edge 2 --specks 3 --harden-alpha 128 -o glow");
    for step in ["outer 2 px erased", "specks of up to 3 px removed", "alpha hardened at 128"] {
        assert!(out.contains(step), "{out}");
    }
    let set = env.frames("glow");
    assert!(pictures(&set)[0].rows().all(|row| row.chunks_exact(4).all(|p| p[3] == 0 || p[3] == 255)));
    let outcome = env.run("slice art/koi.png --grid 8x1 --defringe -o no");
    assert!(outcome.code == 2 && outcome.err.contains("add --key"), "{}", outcome.err);
}

#[test]
fn a_preview_of_the_cut_marks_what_it_crosses() {
    let env = Env::with_art();
    let right = env.json("preview grid art/frog.png -o right.png");
    assert_eq!((&right["crossed"], &right["blank"]), (&0.into(), &7.into()));
    let wrong = env.json("preview grid art/frog.png --grid 7x4 --uneven -o wrong.png");
    assert!(wrong["crossed"].as_u64().unwrap() > 50);
    let alarm = |name: &str| env.image(name).pixels().filter(|p| p.0 == [0xff, 0x3d, 0x7f, 255]).count();
    assert_eq!(alarm("right.png"), 0);
    assert!(alarm("wrong.png") > 50);
    env.ok("preview grid art/reeds.png --islands --key auto -o loose.png");
}

#[test]
fn guide_sheets_say_the_sums_and_cut_back_into_their_cells() {
    let env = Env::with_art();
    let out = env.ok("guide-sheet --grid 8x2 --cell 130x96 --gutter 2,2 --rows idle,walk -o guide.png");
    assert!(
        out.contains("wide: 8 x 130 + 7 x 2 = 1054 px") && out.contains("high: 2 x 96 + 1 x 2 = 194 px"),
        "{out}"
    );
    assert_eq!(env.image("guide.png").dimensions(), (1054, 194));
    let command =
        out.lines().find_map(|line| line.strip_prefix("once drawn, slice it with: shibori ")).unwrap();
    assert_eq!(env.json(&format!("{} -o cut", command.replace("SHEET.png", "guide.png")))["count"], 16);
    for name in ["guide.svg", "guide.ora"] {
        env.ok(&format!("guide-sheet --grid 8x2 --cell 130x96 -o {name}"));
        env.ok(&format!("guide-sheet --grid 4x2 --cell 130x96 -o {name}"));
    }
    let svg = String::from_utf8(env.read("guide.svg")).unwrap();
    assert_eq!(svg.matches("<rect x=").count(), 8);
    env.write("guide.svg", svg.replace("r0c0", "mine"));
    assert_eq!(env.run("guide-sheet --grid 4x2 --cell 130x96 -o guide.svg").code, 4);
}

/// Solid squares of `side` px in every cell of `cell` px, `columns` by `rows`, on a page of `size`.
fn squares(size: (u32, u32), cell: u32, side: u32, counts: (u32, u32)) -> RgbaImage {
    RgbaImage::from_fn(size.0, size.1, |x, y| {
        let is_in_cell = x < counts.0 * cell && y < counts.1 * cell;
        // None like the next, and none at the very same place.
        let slip = (x / cell * 5 + y / cell * 3) % 3;
        let is_drawn = |at: u32| (slip + 3..slip + 3 + side).contains(&(at % cell));
        let shade = (x / cell * 37 + y / cell * 59) as u8;
        let is_drawn = is_in_cell && is_drawn(x) && is_drawn(y);
        image::Rgba(if is_drawn { [shade, 255 - shade, 90, 255] } else { [0; 4] })
    })
}

#[test]
fn a_cut_through_a_drawing_is_reported_with_its_cell_and_pixels() {
    let env = Env::with_art();
    write_png(&env, "crossed.png", &{
        let mut sheet = squares((96, 64), 32, 20, (3, 2));
        // A tail of 4 px from the first drawing into the second.
        (20..40).for_each(|x| (10..14).for_each(|y| sheet.put_pixel(x, y, image::Rgba([9, 9, 9, 255]))));
        sheet
    });
    let outcome = env.run("slice crossed.png --grid 3x2 -o out");
    assert_eq!(outcome.code, 0, "{}", outcome.err);
    let expected = "crossed.png: the grid cuts through drawings in 1 place: r0c0 continues into r0c1, 4 px";
    assert!(outcome.err.contains(expected), "{}", outcome.err);
    // A wrong number cuts through more, and the clean sheet says nothing.
    assert!(env.run("slice crossed.png --grid 4x2 -o out --force").err.contains("continues into"));
    write_png(&env, "clean.png", &squares((96, 64), 32, 20, (3, 2)));
    assert!(!env.run("slice clean.png --grid 3x2 -o clean").err.contains("continues"));
}

#[test]
fn a_cell_of_specks_only_is_reported_and_specks_take_it_out() {
    let env = Env::with_art();
    let mut sheet = squares((128, 64), 32, 20, (3, 2));
    sheet.put_pixel(110, 12, image::Rgba([200, 0, 0, 255]));
    write_png(&env, "crumb.png", &sheet);
    let outcome = env.run("slice crumb.png --grid 4x2 -o out");
    assert!(outcome.err.contains("r0c3 (1 px) holds only specks"), "{}", outcome.err);
    assert!(outcome.err.contains("--specks 1"), "{}", outcome.err);
    assert_eq!(env.json("slice crumb.png --grid 4x2 --specks 1 -o clean")["count"], 6);
}

#[test]
fn cells_may_leave_a_blank_rest_and_never_a_drawn_one() {
    let env = Env::with_art();
    write_png(&env, "page.png", &squares((128, 168), 32, 20, (4, 5)));
    let outcome = env.run("slice page.png --cell 32x32 -o out");
    assert_eq!(outcome.code, 0, "{}", outcome.err);
    assert!(
        outcome.err.contains("page.png: the grid leaves out 8 px at the bottom, all blank"),
        "{}",
        outcome.err
    );
    // The command for the grid that is found says both, so that it comes to the same.
    let grid = &env.json("inspect page.png")["sheets"][0]["grid"];
    assert_eq!(grid["command"], "shibori slice page.png --grid 4x5 --cell 32x32", "{grid}");
    assert_eq!(grid["rest"], serde_json::json!([0, 8]));
    let mut drawn = squares((128, 168), 32, 20, (4, 5));
    drawn.put_pixel(60, 166, image::Rgba([200, 0, 0, 255]));
    write_png(&env, "drawn.png", &drawn);
    let outcome = env.run("slice drawn.png --cell 32x32 -o drawn");
    assert!(outcome.code == 2 && outcome.err.contains("8 px left over"), "{}", outcome.err);
    assert!(env.names("drawn").is_empty());
}

#[test]
fn inspect_counts_loose_drawings_and_says_which_it_believes() {
    let env = Env::with_art();
    let loose = &env.json("inspect art/reeds.png")["sheets"][0]["drawings"];
    assert_eq!(loose["count"], 7, "{loose}");
    let command = loose["command"].as_str().unwrap();
    assert_eq!(command, "shibori slice art/reeds.png --islands --key 2ea0a8");
    env.ok(&format!("{} -o reeds", command.strip_prefix("shibori ").unwrap()));
    assert_eq!(env.json("inspect art/frog.png")["sheets"][0]["drawings"], serde_json::Value::Null);
}

#[test]
fn a_refusal_gives_a_picture_of_its_first_reading() {
    let env = Env::with_art();
    write_png(&env, "two.png", &squares((64, 32), 32, 20, (2, 1)));
    let outcome = env.run("slice two.png -o out");
    assert_eq!(outcome.code, 2, "{}", outcome.err);
    let picture = outcome.err.lines().map(str::trim).find(|line| line.starts_with("shibori preview grid"));
    let picture = picture.unwrap_or_else(|| panic!("{}", outcome.err)).strip_prefix("shibori ").unwrap();
    env.ok(picture);
    assert!(env.image("cut.png").width() >= 64);
}

#[cfg(unix)]
#[test]
fn drawings_that_touch_are_reported_with_the_command_that_separates_them() {
    let env = Env::with_art();
    // Two of six boxes are a pixel apart, and each has a spark two pixels above it.
    let sheet = |has_sparks: bool| {
        let lefts = [4, 40, 76, 97, 133, 169];
        RgbaImage::from_fn(200, 40, |x, y| {
            let inside = |left: &u32| (*left..left + 20).contains(&x) && (10..34).contains(&y);
            let spark = |left: &u32| has_sparks && (left + 2..left + 16).contains(&x) && (5..8).contains(&y);
            let is_drawn = lefts.iter().any(|left| inside(left) || spark(left));
            image::Rgba(if is_drawn { [200, 90, 40, 255] } else { [0; 4] })
        })
    };
    write_png(&env, "six boxes.png", &sheet(false));
    let outcome = env.run("slice \"six boxes.png\" --islands --clip \"all = 0-4\" -o \"out put\"");
    assert_eq!(outcome.code, 0, "{}", outcome.err);
    let message =
        "r0c2 (41x24 px) is much larger than the drawings in the same row; it may be several that touch";
    assert!(outcome.err.contains(message), "{}", outcome.err);
    let command = outcome.err.lines().map(str::trim).find(|line| line.starts_with("shibori slice")).unwrap();
    env.paste(command);
    assert_eq!(env.names("out put").iter().filter(|name| name.ends_with(".png")).count(), 6);
    // With sparks no distance separates the two and keeps the others whole.
    write_png(&env, "sparks.png", &sheet(true));
    let outcome = env.run("slice sparks.png --islands -o sparks");
    assert!(outcome.err.contains("--rects") && !outcome.err.contains("--join"), "{}", outcome.err);
}
