//! Frames lined up after the cut: adjust, check, and sets painted over in between.

use image::{Rgba, RgbaImage};
use serde_json::Value;

use crate::env::Env;

const HERON: &str = "slice art/heron.png --grid 6x1 --clip \"hunt = 0-5 @5fps\" -o heron";

/// A figure with a head that never changes and a foot that swings, moved about.
fn figure(shift: (u32, u32), foot: u32) -> RgbaImage {
    RgbaImage::from_fn(48, 48, |x, y| {
        let (x, y) = (x.wrapping_sub(12 + shift.0), y.wrapping_sub(12 + shift.1));
        match (x, y) {
            (0..10, 0..8) => Rgba([(x * 23) as u8, (y * 31) as u8, (x * y * 3) as u8, 255]),
            (3..6, 8..16) => Rgba([90, 60, 40, 255]),
            _ if y == 16 && x >= foot && x < foot + 4 => Rgba([200, 90, 40, 255]),
            _ => Rgba([0; 4]),
        }
    })
}

pub(crate) fn png(image: &RgbaImage) -> Vec<u8> {
    shibori_formats::encode::png(image).unwrap()
}

fn with_walk() -> Env {
    let env = Env::with_art();
    for (at, shift) in [(4, 4), (0, 9), (11, 2), (8, 12)].into_iter().enumerate() {
        env.write(&format!("walk/step_{at}.png"), png(&figure(shift, at as u32)));
    }
    env
}

#[test]
fn matching_a_head_brings_every_frame_back_and_tells_each_shift() {
    let env = with_walk();
    let result = env.json("adjust walk -o out --align match --region 16,16,10,8");
    let shifts: Vec<String> =
        result["frames"].as_array().unwrap().iter().map(|f| f["shift"].to_string()).collect();
    assert_eq!(shifts, ["[0,0]", "[4,-5]", "[-7,2]", "[-4,-8]"]);
    let set = env.frames("out");
    let head = |at: usize| {
        let whole = set.frames()[at].full_image();
        (0..8).map(|y| whole.row(16 + y)[16 * 4..26 * 4].to_vec()).collect::<Vec<_>>()
    };
    assert!((1..4).all(|at| head(at) == head(0)));
    // The source was left alone.
    assert_eq!(env.image("walk/step_1.png"), figure((0, 9), 1));
}

#[test]
fn only_narrows_what_changes_and_the_rest_stays() {
    let env = Env::with_art();
    env.ok("slice art/frog.png --clip \"sit = r0\" --clip \"leap = r2\" -o frog");
    let before = env.frames("frog");
    env.ok("adjust frog --in-place --only leap --pivot 5px,6px --box hit=1,2,3,4");
    let after = env.frames("frog");
    assert_eq!(after.frames().len(), before.frames().len());
    assert_eq!(after.clips().len(), 2);
    for (at, (old, new)) in before.frames().iter().zip(after.frames()).enumerate() {
        let is_leap = before.clips()[1].steps().iter().any(|step| step.frame == at);
        assert_eq!(new.annotations().boxes.len(), usize::from(is_leap));
        assert_eq!(new.pivot() == old.pivot(), !is_leap);
        assert!(new.pixels().is_same_image(old.pixels()));
    }
    let manifest = String::from_utf8(env.read("frog/frames.json")).unwrap();
    assert!(manifest.contains("\"boxes\": { \"hit\": [1, 2, 3, 4] }"), "{manifest}");
}

#[test]
fn boxes_nine_slice_and_polygon_survive_an_atlas_and_back() {
    let env = Env::with_art();
    env.ok(HERON);
    env.ok("adjust heron -o marked --box body=auto --polygon 8 --pivot feet");
    env.ok("adjust art/signboard.png -o sign --nine auto");
    env.ok("pack marked sign -o pond");
    env.ok("unpack pond.json -o again");
    let wanted = [env.frames("marked"), env.frames("sign")];
    let wanted: Vec<_> = wanted
        .iter()
        .flat_map(shibori_core::FrameSet::frames)
        .map(|f| (f.annotations().clone(), f.pivot()))
        .collect();
    let again = env.frames("again");
    assert_eq!(
        again.frames().iter().map(|f| (f.annotations().clone(), f.pivot())).collect::<Vec<_>>(),
        wanted
    );
    assert!(wanted[0].0.boxes.len() == 1 && !wanted[0].0.polygon.is_empty() && wanted[6].0.nine.is_some());
}

#[test]
fn check_finds_the_herons_faults_and_what_it_names_mends_them() {
    let env = Env::with_art();
    env.ok(HERON);
    let found = env.run("check heron --json");
    assert_eq!(found.code, 1);
    let found: Value = serde_json::from_str(&found.out).unwrap();
    let rules: Vec<&str> =
        found["findings"].as_array().unwrap().iter().map(|f| f["rule"].as_str().unwrap()).collect();
    assert!(rules.contains(&"touches-edge") && rules.contains(&"drift"), "{rules:?}");
    // The sheet is named where it lies, so that this can be pasted too.
    let of = |rule: &str| found["findings"].as_array().unwrap().iter().find(|f| f["rule"] == rule).unwrap();
    assert_eq!(
        of("touches-edge")["remedy"],
        "shibori preview grid art/heron.png --grid 6x1 --cell 56x64 -o cut.png"
    );
    let drift = of("drift");
    assert_eq!(drift["level"], "wrong");
    // Said once for the clip, whatever its frames.
    let said = env.run("check heron").out;
    assert_eq!(said.matches("drift").count(), 1, "{said}");
    let remedy = drift["remedy"].as_str().unwrap().strip_prefix("shibori ").unwrap().to_owned();
    env.ok(&remedy);
    let mended = env.run("check heron");
    assert!(mended.code == 0 && mended.out.contains("no problems found"), "{}", mended.out);
    // What is only worth a look isn't a failure, unless that is wanted.
    env.ok("slice art/heron.png --grid 6x1 -o again");
    let look = env.run("check again --allow drift");
    assert!(look.code == 0 && look.out.contains("nothing wrong, 1 thing worth a look"), "{}", look.out);
    assert_eq!(env.run("check again --allow drift --strict").code, 1);
    assert_eq!(env.run("check again --strict --allow drift,touches-edge").code, 0);
    let unknown = env.run("check heron --allow shadows");
    assert_eq!(unknown.code, 2);
    assert!(unknown.err.contains("available: touches-edge, neighbor"), "{}", unknown.err);
}

#[test]
fn frames_painted_over_in_another_program_keep_clips_pivots_and_boxes() {
    let env = Env::with_art();
    env.ok("slice art/frog.png --pivot feet --clip \"leap = r2 @total 0.8s once\" -o frog");
    env.ok("adjust frog --in-place --box body=auto");
    let before = env.frames("frog");
    // An effect run over all files of the folder and back.
    for entry in std::fs::read_dir(env.path("frog")).unwrap() {
        let path = entry.unwrap().path();
        if path.extension().is_some_and(|ending| ending == "png") {
            let file = path.file_name().unwrap().to_string_lossy().into_owned();
            let mut image = env.image(&format!("frog/{file}"));
            image.pixels_mut().filter(|p| p[3] > 0).for_each(|p| p[0] = 255 - p[0]);
            std::fs::write(&path, png(&image)).unwrap();
        }
    }
    env.ok("pack frog -o pond");
    let after = env.frames("pond.json");
    for (old, new) in before.frames().iter().zip(after.frames()) {
        assert_eq!(
            (old.pivot(), old.annotations(), old.canvas()),
            (new.pivot(), new.annotations(), new.canvas())
        );
    }
    assert_eq!(before.clips()[0].total_millis(), after.clips()[0].total_millis());
    assert!(!before.frames()[0].full_image().is_same_image(&after.frames()[0].full_image()));
}

#[test]
fn a_new_size_is_refused_until_edits_are_accepted() {
    let env = Env::with_art();
    env.ok(HERON);
    let file = "heron/heron-02.png";
    let old = env.image(file);
    let mut larger = RgbaImage::new(old.width() + 9, old.height() + 4);
    image::imageops::replace(&mut larger, &old, 0, 0);
    env.write(file, png(&larger));
    let refused = env.run("pack heron -o pond");
    assert_eq!(refused.code, 3);
    assert!(refused.err.contains("56x64") && refused.err.contains("--accept edits"), "{}", refused.err);
    let taken = env.run("pack heron -o pond --accept edits");
    assert_eq!(taken.code, 0, "{}", taken.err);
    assert!(taken.err.contains("from 56x64 to 65x68 px"), "{}", taken.err);
    let set = env.frames("pond.json");
    let canvas = set.frames()[2].canvas();
    assert_eq!((canvas.width, canvas.height), (65, 68));
    assert_eq!(set.frames()[2].pivot(), set.frames()[1].pivot());
}

#[test]
fn cleaning_and_mirroring_work_on_frames_too() {
    let env = Env::with_art();
    let mut image = RgbaImage::from_pixel(12, 10, Rgba([46, 160, 168, 255]));
    (2..6).for_each(|x| image.put_pixel(x, 5, Rgba([200, 90, 30, 255])));
    env.write("loose/leaf_0.png", png(&image));
    let result = env.json("adjust loose -o out --key auto --mirror left-right");
    assert_eq!(result["cleaned"][0]["pixels"], 116);
    let shown = env.frames("out").frames()[0].content(0).unwrap();
    assert_eq!((shown.x, shown.y, shown.width), (6, 5, 4));
    let nowhere = env.run("adjust loose -o out2 --key 010203");
    assert!(nowhere.code == 2 && nowhere.err.contains("no pixels of 010203"), "{}", nowhere.err);
}

#[test]
fn mistakes_say_what_to_type() {
    let env = with_walk();
    for (line, wanted) in [
        ("adjust walk -o o --align match --region 40,40,20,20", "beyond the canvas of 48x48 px"),
        ("adjust walk -o o --align mark:ff00ff", "frame 'step_0' has no mark in the color ff00ff"),
        ("adjust walk -o o --scale 0.001", "smaller than a pixel"),
        ("adjust walk -o o --box a=auto --box a=auto", "the box 'a' is given twice"),
        ("adjust walk -o o --nine 30,30,30,30", "leaves nothing to stretch"),
        ("adjust walk -o o --only wolk --pivot feet", "did you mean walk?"),
        ("adjust walk -o o --region 1,1,2,2", "add --align match"),
        ("adjust walk --in-place --pivot feet", "only a set can be changed in place"),
        ("adjust walk --pivot feet", "change this one with --in-place"),
        ("adjust walk -o o --per-frame places.csv", "line 2: there is no frame 'stop_0'"),
    ] {
        env.write("places.csv", "frame,kind,name,values\nstop_0,pivot,,1,2\n");
        let outcome = env.run(line);
        assert_eq!(outcome.code, 2, "{line}: {}", outcome.err);
        assert!(outcome.err.contains(wanted), "{line}: {}", outcome.err);
    }
    let warned = env.run("adjust walk -o o --scale 1.5 --pivot 90px,90px");
    assert_eq!(warned.code, 0);
    assert!(
        warned.err.contains("draws some pixels larger") && warned.err.contains("outside the canvas"),
        "{}",
        warned.err
    );
}

#[test]
fn pictures_of_the_drift_and_the_skin_are_drawn() {
    let env = Env::with_art();
    env.ok(HERON);
    env.ok("adjust heron -o steady --align feet --box body=auto");
    env.ok("preview onion steady -o onion.png");
    env.ok("preview drift heron steady -o drift.png");
    env.ok("preview contact steady -o contact.png --show all");
    let plain = env.ok("preview contact steady -o plain.png");
    assert!(plain.contains("6 frames"));
    assert_ne!(env.image("contact.png"), env.image("plain.png"));
    assert!(env.image("onion.png").width() <= 1280);
    // Feet that stand still are one straight line: both ends at one height in the left panel.
    assert!(env.image("drift.png").width() > 1000);
}

#[test]
fn a_dry_run_says_what_would_be_and_writes_nothing() {
    let env = with_walk();
    let result = env.ok("adjust walk -o out --align feet --dry-run");
    assert!(result.contains("would write") && !env.path("out").exists(), "{result}");
    env.ok(HERON);
    let before = env.read("heron/frames.json");
    env.ok("adjust heron --in-place --pivot center --dry-run");
    env.ok("clip heron \"dip = 3-4\" --dry-run");
    assert_eq!(env.read("heron/frames.json"), before);
}

#[test]
fn the_result_for_scripts_tells_what_changed_in_each_frame() {
    let env = Env::with_art();
    env.ok(HERON);
    let result = env.json("adjust heron -o out --only 0-1 --scale 2 --box body=auto");
    let frames = result["frames"].as_array().unwrap();
    assert_eq!(frames.len(), 2);
    assert_eq!(frames[0]["changes"], serde_json::json!(["pixels", "canvas", "pivot", "boxes"]));
    assert!(frames[0].get("shift").is_none());
    let same = env.json("adjust heron -o same");
    assert!(same["frames"].as_array().unwrap().iter().all(|frame| frame["changes"] == serde_json::json!([])));
    assert_eq!(env.read("heron/heron-03.png"), env.read("same/heron-03.png"));
}

#[test]
fn a_registration_mark_lines_up_sets_the_pivot_and_is_gone() {
    let env = Env::with_art();
    let at = [(10, 20), (13, 18)];
    for (number, (x, y)) in at.into_iter().enumerate() {
        let mut image = figure((4, 4), 1);
        image.put_pixel(x, y + 20, Rgba([255, 0, 255, 255]));
        env.write(&format!("marked/m_{number}.png"), png(&image));
    }
    env.ok("adjust marked -o out --align mark:ff00ff --pivot mark:ff00ff");
    let set = env.frames("out");
    assert_eq!(set.frames()[0].pivot(), set.frames()[1].pivot());
    let has_mark = |frame: &shibori_core::Frame| {
        frame.pixels().rows().flat_map(|row| row.chunks_exact(4)).any(|pixel| pixel == [255, 0, 255, 255])
    };
    assert!(!set.frames().iter().any(has_mark));
    env.write("marked/m_2.png", png(&figure((4, 4), 1)));
    assert!(env.run("adjust marked -o out2 --pivot mark:ff00ff").err.contains("'m_2' has no mark"));
}

#[test]
fn a_clip_is_changed_alone_or_not_at_all() {
    let env = Env::with_art();
    env.ok("slice art/koi.png --grid 8x1 --clip \"swim = 0-7\" --clip \"turn = 3,4,5\" --clip \"rest = 7\" -o koi");
    let before = env.files("koi");
    let outcome = env.run("adjust koi --in-place --only turn --mirror left-right");
    assert_eq!(outcome.code, 2);
    assert!(
        outcome.err.contains("clips 'koi:swim', 'koi:rest' show some of those frames too"),
        "{}",
        outcome.err
    );
    assert!(
        outcome.err.contains("--only koi:turn,koi:swim,koi:rest") && outcome.err.contains("--apart"),
        "{}",
        outcome.err
    );
    assert!(env.files("koi") == before);
    // What changes no pixel reaches nobody else's drawing; and who names frames means them.
    env.ok("adjust koi -o named --only 3-5 --mirror left-right");
    env.ok("adjust koi -o both --only swim,turn,rest --mirror left-right");
    env.ok("adjust koi -o apart --only turn --apart --mirror left-right");
    let (old, new) = (env.frames("koi"), env.frames("apart"));
    assert_eq!(new.frames().len(), 11);
    for (at, frame) in old.frames().iter().enumerate() {
        assert!(frame.full_image().is_same_image(&new.frames()[at].full_image()), "{}", frame.name());
    }
    let turn: Vec<usize> = new.clips()[1].steps().iter().map(|step| step.frame).collect();
    for (step, at) in turn.into_iter().zip([3, 4, 5]) {
        let mirrored = image::imageops::flip_horizontal(&old.frames()[at].full_image().to_image());
        assert!(new.frames()[step].full_image().to_image() == mirrored);
    }
    let outcome = env.run("adjust koi -o never --only koi-03 --specks 2");
    assert!(outcome.err.contains("--only named:koi-03"), "{}", outcome.err);
}

#[test]
fn the_pivot_and_the_canvas_go_together_in_one_command_as_in_two() {
    let env = Env::with_art();
    // The jump keeps its height: one pivot for the sprite, from the frames that stand.
    env.ok("slice art/frog.png --grid 8x4 --clip-rows sit,croak,leap,dive --pivot feet -o plain");
    env.ok("adjust plain -o two --canvas 48x48");
    env.ok(
        "slice art/frog.png --grid 8x4 --clip-rows sit,croak,leap,dive --pivot feet --canvas 48x48 -o one",
    );
    let (one, two) = (env.frames("one"), env.frames("two"));
    let bottoms: Vec<u64> = one.frames().iter().filter_map(|f| Some(f.content(0)?.bottom())).collect();
    assert!(bottoms.iter().any(|bottom| bottom != &bottoms[0]), "frames in the air stay in the air");
    for (a, b) in one.frames().iter().zip(two.frames()) {
        assert!(a.full_image().is_same_image(&b.full_image()) && a.pivot() == b.pivot(), "{}", a.name());
    }
    env.ok("slice art/frog.png --grid 8x4 --pivot feet --canvas 64x64@32,60 -o placed");
    let placed = env.frames("placed");
    assert!(placed.frames().iter().all(|frame| (frame.pivot().y - 60.0).abs() < 1.0));
    let outcome = env.run("slice art/frog.png --grid 8x4 --pivot feet --canvas 20x20@2,2 -o never");
    assert!(outcome.code == 2 && outcome.err.contains("hint: use --canvas "), "{}", outcome.err);
    // What the hint says is enough.
    let hint = outcome.err.split("use ").nth(1).unwrap().split(" or larger").next().unwrap().to_owned();
    env.ok(&format!("slice art/frog.png --grid 8x4 --pivot feet {hint} -o enough"));
}

#[test]
fn every_remedy_that_check_names_can_be_typed() {
    let env = Env::with_art();
    env.ok("slice art/heron.png --grid 6x1 --clip \"hunt = 0-5\" --clip \"back = 0-5 mirrored\" --clip \"still = 2\" -o heron");
    env.ok("slice art/frog.png --grid 8x4 --blank keep --clip \"sit = 0-7\" -o frog");
    let mut rules = std::collections::BTreeSet::new();
    for set in ["heron", "frog"] {
        let outcome = env.run(&format!("check {set} --json"));
        let result: serde_json::Value = serde_json::from_str(&outcome.out).unwrap();
        for finding in result["findings"].as_array().unwrap() {
            // Each on its own, on the set as it was.
            for line in finding["remedy"].as_str().unwrap_or_default().lines() {
                env.ok(&format!("{} --dry-run --force", line.strip_prefix("shibori ").unwrap()));
            }
            rules.insert(finding["rule"].as_str().unwrap().to_owned());
        }
    }
    assert!(rules.contains("drift") && rules.contains("blank"), "{rules:?}");
}

/// The figure of a frame, somewhere else, larger, bordered, sprinkled or gone.
fn spoiled(image: &RgbaImage, fault: &str) -> RgbaImage {
    let (width, height) = image.dimensions();
    let from = |map: &dyn Fn(i64, i64) -> (i64, i64)| {
        RgbaImage::from_fn(width, height, |x, y| {
            let (x, y) = map(i64::from(x), i64::from(y));
            let inside = (0..i64::from(width)).contains(&x) && (0..i64::from(height)).contains(&y);
            if inside { *image.get_pixel(x as u32, y as u32) } else { Rgba([0; 4]) }
        })
    };
    match fault {
        "drift" => from(&|x, y| (x - 7, y)),
        // About the middle of the lower edge.
        "size-jump" => from(&|x, y| {
            let (right, up) = (x - i64::from(width) / 2, i64::from(height) - y);
            (i64::from(width) / 2 + right * 10 / 12, i64::from(height) - up * 10 / 12)
        }),
        "specks" => {
            let mut image = image.clone();
            [(2, 2), (3, 2), (60, 5)]
                .iter()
                .for_each(|&(x, y)| image.put_pixel(x, y, Rgba([250, 80, 20, 255])));
            image
        }
        "border" => RgbaImage::from_fn(width, height, |x, y| {
            let is_edge = x == 0 || y == 0 || x + 1 == width || y + 1 == height;
            if is_edge { Rgba([128, 128, 128, 255]) } else { *image.get_pixel(x, y) }
        }),
        _ => RgbaImage::new(width, height),
    }
}

#[test]
fn what_check_names_fixes_what_it_found() {
    let env = Env::with_art();
    // Room round the figure, so that it can be moved and grow.
    env.ok("slice art/heron.png --grid 6x1 --align match --pivot feet --canvas 96x96@48,90 --clip \"hunt = 0-5\" -o steady");
    assert_eq!(env.run("check steady").code, 0);
    for fault in ["drift", "size-jump", "specks", "border", "blank"] {
        env.ok(&format!("adjust steady --pivot feet -o {fault} --force"));
        let file = format!("{fault}/heron-02.png");
        std::fs::write(env.path(&file), png(&spoiled(&env.image(&file), fault))).unwrap();
        let found: Value = serde_json::from_str(&env.run(&format!("check {fault} --json")).out).unwrap();
        let findings = found["findings"].as_array().unwrap();
        let own = findings.iter().find(|finding| finding["rule"] == fault);
        let own = own.unwrap_or_else(|| panic!("{fault}: {findings:?}"));
        assert_eq!(own["frame"], "heron-02", "{findings:?}");
        assert_eq!(own["level"] == "wrong", fault != "specks", "{findings:?}");
        // Drawings with hard edges can't be scaled by a part without spoiling them.
        if fault == "size-jump" {
            assert!(own["remedy"].is_null() && own["advice"].is_string(), "{own}");
            continue;
        }
        env.ok(&format!("{} --force", own["remedy"].as_str().unwrap().strip_prefix("shibori ").unwrap()));
        let after = env.run(&format!("check {fault}"));
        assert!(!after.out.contains(fault) || after.out.lines().count() == 1, "{fault}: {}", after.out);
        assert_eq!(after.code, 0, "{fault}: {}", after.out);
    }
    env.ok("slice art/heron.png --grid 6x1 --align match --clip \"hunt = 0-5 @120fps\" -o fast");
    let found: Value = serde_json::from_str(&env.run("check fast --json").out).unwrap();
    let own = &found["findings"][0];
    assert_eq!((own["rule"].as_str(), own["level"].as_str()), (Some("too-fast"), Some("look")));
    env.ok(own["remedy"].as_str().unwrap().strip_prefix("shibori ").unwrap());
    assert!(env.run("check fast").out.contains("no problems found"));
}

#[test]
fn companions_that_are_missing_or_have_another_size_are_found_and_are_no_drawings() {
    let env = Env::with_art();
    env.ok("slice art/koi.png --grid 8x1 --clip \"swim = 0-7\" -o koi");
    std::fs::create_dir(env.path("art2")).unwrap();
    for at in (0..8).filter(|at| *at != 3) {
        let side = if at == 5 { 16 } else { 32 };
        std::fs::copy(env.path(&format!("koi/koi-0{at}.png")), env.path(&format!("art2/koi-0{at}.png")))
            .unwrap();
        let map = image::RgbaImage::from_pixel(side, side, image::Rgba([128, 128, 255, 255]));
        std::fs::write(env.path(&format!("art2/koi-0{at}_n.png")), png(&map)).unwrap();
    }
    std::fs::copy(env.path("koi/koi-03.png"), env.path("art2/koi-03.png")).unwrap();
    let findings = |source: &str| -> Vec<(String, String, String, String)> {
        let result: Value = serde_json::from_str(&env.run(&format!("check {source} --json")).out).unwrap();
        let text = |finding: &Value, key: &str| finding[key].as_str().unwrap().to_owned();
        let remedy = |finding: &Value| finding["remedy"].as_str().unwrap_or_default().to_owned();
        let all = result["findings"].as_array().unwrap().iter();
        all.map(|one| (text(one, "rule"), text(one, "level"), text(one, "frame"), remedy(one))).collect()
    };
    let found = findings("art2");
    // A normal map is one flat color here, and no flat background for that.
    let result: Vec<(&str, &str, &str)> =
        found.iter().map(|(rule, level, frame, _)| (&**rule, &**level, &**frame)).collect();
    assert_eq!(result, [("companion", "wrong", "koi-05_n"), ("companion", "look", "koi-03")]);
    found[0].3.lines().for_each(|line| drop(env.ok(line.strip_prefix("shibori ").unwrap())));
    assert_eq!(findings("art2-fixed").len(), 1);
    env.ok("pack art2-fixed --companion _n -o pond");
    assert_eq!(findings("pond"), []);
    std::fs::remove_file(env.path("pond_n.png")).unwrap();
    assert_eq!(findings("pond")[0].1, "wrong");
}

#[test]
fn drawings_are_moved_as_a_list_says_and_canvases_grow_where_they_must() {
    let env = Env::with_art();
    env.ok("slice art/koi.png --grid 8x1 --clip \"swim = 0-7\" --pivot 10px,12px -o koi");
    let before = env.image("koi/koi-02.png");
    std::fs::write(env.path("moves.csv"), "frame,kind,name,values\nkoi-02,shift,,-40,3\n").unwrap();
    let result: Value =
        serde_json::from_str(&env.ok("adjust koi --per-frame moves.csv -o moved --json")).unwrap();
    assert_eq!(result["frames"][2]["shift"], serde_json::json!([-40, 3]));
    assert!(result["frames"][3].get("shift").is_none_or(|shift| *shift == serde_json::json!([0, 0])));
    let manifest: Value = serde_json::from_slice(&env.read("moved/frames.json")).unwrap();
    let frame = &manifest["frames"][2];
    let grown = frame["canvas"][0].as_u64().unwrap() as u32 - 32;
    assert_eq!(frame["pivot"], serde_json::json!([10 + grown, 12]));
    assert_eq!(manifest["frames"][7]["canvas"], frame["canvas"]);
    let after = env.image("moved/koi-02.png");
    let is_same = |x: u32, y: u32| {
        let there = before.get_pixel(x, y);
        there[3] == 0 || after.get_pixel(x + grown - 40, y + 3) == there
    };
    assert!((0..32).flat_map(|y| (0..32).map(move |x| (x, y))).all(|(x, y)| x + grown < 40 || is_same(x, y)));
    std::fs::write(env.path("moves.csv"), "koi-99,shift,,1,0\n").unwrap();
    let outcome = env.run("adjust koi --per-frame moves.csv -o none");
    assert!(outcome.code == 2 && outcome.err.contains("koi-99"), "{}", outcome.err);
    // A canvas that is larger than any picture may be is refused before it is made.
    std::fs::write(env.path("moves.csv"), "koi-02,shift,,65000,65000\n").unwrap();
    let outcome = env.run("adjust koi --per-frame moves.csv -o none");
    assert!(
        outcome.code == 2 && outcome.err.contains("a shift in --per-frame"),
        "{} {}",
        outcome.code,
        outcome.err
    );
}

#[test]
fn a_strewn_figure_is_found_by_itself_and_a_jump_keeps_its_height() {
    let env = Env::with_art();
    env.ok("slice art/heron.png --grid 6x1 --clip \"hunt = 0-5\" -o heron");
    let shifts = |options: &str| -> Vec<(i64, i64)> {
        let result: Value =
            serde_json::from_str(&env.ok(&format!("adjust heron -o out --force --json {options}"))).unwrap();
        let shift = |frame: &Value| {
            (frame["shift"][0].as_i64().unwrap_or(0), frame["shift"][1].as_i64().unwrap_or(0))
        };
        result["frames"].as_array().unwrap().iter().map(shift).collect()
    };
    let found = shifts("--align match");
    // The feet stand in every frame of this one, so that both must say the same.
    assert_eq!(found, shifts("--align feet --align-axis both"));
    assert!(found.iter().any(|shift| shift.1 != 0));
    let flat: Vec<(i64, i64)> = found.iter().map(|&(x, _)| (x, 0)).collect();
    assert_eq!(shifts("--align match --align-axis x"), flat);
    let alone = env.run("adjust heron -o out --force --align-axis x");
    assert!(alone.code == 2 && alone.err.contains("align"), "{}", alone.err);
}

#[test]
fn finished_drawings_are_moved_last_and_a_list_that_was_applied_moves_nothing_again() {
    let env = Env::with_art();
    env.ok("slice art/koi.png --grid 8x1 -o koi");
    env.ok("adjust koi --in-place --pivot feet --box body=auto");
    let before = env.frames("koi");
    // Pivot and box are measured before the move; the box moves along.
    env.write("moves.csv", b"frame,kind,name,values\nkoi-02,move,,3 -2\nkoi-05,move,,-1 0\n");
    env.ok("adjust koi --pivot feet --box body=auto --per-frame moves.csv -o moved");
    let moved = env.frames("moved");
    let grown = |at: usize| {
        let (old, new) = (before.frames()[at].pivot(), moved.frames()[at].pivot());
        (new.x - old.x, new.y - old.y)
    };
    assert!((0..8).all(|at| grown(at) == grown(0)), "pivots move with canvases only");
    let place = |set: &shibori_core::FrameSet, at: usize| {
        let frame = &set.frames()[at];
        let (pivot, area) = (frame.pivot(), *frame.annotations().boxes.values().next().unwrap());
        (f64::from(area.x) - pivot.x, f64::from(area.y) - pivot.y)
    };
    for (at, (x, y)) in [(2, (3.0, -2.0)), (5, (-1.0, 0.0)), (0, (0.0, 0.0))] {
        let (old, new) = (place(&before, at), place(&moved, at));
        assert_eq!((new.0 - old.0, new.1 - old.1), (x, y), "frame {at}");
    }
    // With its checksum, a list that was already applied is recognized.
    let done = shibori_core::shape::placement_checksum(&moved);
    let list = format!("frame,kind,name,values\n,done,,{done:x}\nkoi-02,move,,3 -2\nkoi-05,move,,-1 0\n");
    env.write("moves.csv", list.as_bytes());
    env.ok("adjust koi --in-place --per-frame moves.csv");
    let once = env.read("koi/frames.json");
    let again = env.run("adjust koi --in-place --per-frame moves.csv");
    assert!(again.code == 0 && again.err.contains("moves.csv are already applied"), "{}", again.err);
    assert_eq!(env.read("koi/frames.json"), once);
    env.write("moves.csv", b",done,,xyz\n");
    let wrong = env.run("adjust koi -o none --per-frame moves.csv");
    assert!(wrong.code != 0 && wrong.err.contains("'xyz' is not a checksum"), "{}", wrong.err);
}

#[test]
#[cfg(unix)]
fn a_file_whose_name_no_sprite_can_have_is_cut_under_a_name_like_it() {
    let env = Env::with_art();
    let koi = env.read("art/koi.png");
    for (file, sprite) in
        [("a?b.png", "a-b"), ("[a].png", "[a]"), ("con.png", "frames-con"), ("x:1.png", "x-1")]
    {
        env.write(file, &koi);
        env.ok(&format!("slice {file} --grid 8x1 -o cut --force"));
        assert_eq!(env.frames("cut").frames()[0].sprite().as_str(), sprite);
    }
}
