//! Clips named, changed and timed: options of slice, and the command clip.

use crate::env::Env;

fn with_frog() -> Env {
    let env = Env::with_art();
    env.ok("slice art/frog.png --clip-rows \"sit@5fps,-,leap@total 0.8s once,dive\" --event leap@3=splash -o frog");
    env
}

#[test]
fn rows_become_clips_in_order_and_steps_carry_events() {
    let env = with_frog();
    let set = env.frames("frog");
    let names: Vec<&str> = set.clips().iter().map(|clip| clip.name().as_str()).collect();
    assert_eq!(names, ["sit", "leap", "dive"]);
    // Row 1 is shorter than the others and skipped: leap still begins in row 2.
    let leap = &set.clips()[1];
    assert!(leap.steps().iter().all(|step| set.frames()[step.frame].cell().unwrap().row == 2));
    assert_eq!((leap.total_millis(), leap.steps()[3].event.as_deref()), (800.0, Some("splash")));
    env.ok("slice art/duckling.png --grid 4x8 --clip-rows \"walk-{dir8}@8fps\" -o duckling");
    let set = env.frames("duckling");
    let names: Vec<&str> = set.clips().iter().map(|clip| clip.name().as_str()).collect();
    assert_eq!(names, ["walk-n", "walk-ne", "walk-e", "walk-se", "walk-s", "walk-sw", "walk-w", "walk-nw"]);
}

#[test]
fn the_command_lists_and_changes_the_manifest_alone() {
    let env = with_frog();
    let images = || {
        let mut files: Vec<_> = std::fs::read_dir(env.path("frog"))
            .unwrap()
            .flatten()
            .filter(|entry| entry.path().extension().is_some_and(|ending| ending == "png"))
            .map(|entry| (entry.path(), entry.metadata().unwrap().modified().unwrap()))
            .collect();
        files.sort();
        files
    };
    let before = images();
    let listed = env.ok("clip frog");
    assert!(listed.contains("leap") && listed.contains("800 ms") && listed.contains("3=splash"), "{listed}");
    assert!(!listed.contains("shares frames with"), "only columns that say something: {listed}");
    let result = env.json(
        "clip frog \"back = 3-0 @80ms\" --rename sit=rest --drop dive --speed 0.5 --only leap --event leap@0=jump",
    );
    assert_eq!(result["changed"], true);
    assert_eq!(result["clips"][0]["ms"], 1600.0);
    let set = env.frames("frog");
    let clips: Vec<String> =
        set.clips().iter().map(|c| format!("{} {} ms", c.name(), c.total_millis())).collect();
    assert_eq!(clips, ["rest 800 ms", "leap 1600 ms", "back 320 ms"]);
    assert_eq!(images(), before);
    let listed = env.ok("clip frog");
    let row = |clip: &str| {
        let row = listed.lines().find(|line| line.starts_with(clip)).unwrap();
        row.split("  ").map(str::trim).filter(|cell| !cell.is_empty()).map(str::to_owned).collect::<Vec<_>>()
    };
    assert_eq!(row("rest")[4..], ["-", "back"]);
    assert_eq!(row("leap")[4..], ["0=jump, 3=splash", "-"]);
    let fitted = env.json("clip frog --snap 24fps --only back");
    assert!(fitted["clips"][0]["deviation_ms"].as_f64().unwrap() < 21.0);
    assert!(set.frames()[0].pixels().is_same_image(env.frames("frog").frames()[0].pixels()));
}

#[test]
fn a_right_walk_is_a_left_walk_mirrored_and_played_backwards() {
    let env = with_frog();
    env.ok("clip frog \"left = 3,2,1,0@50ms once mirror\"");
    let set = env.frames("frog");
    let left = set.clips().iter().find(|clip| clip.name().as_str() == "left").unwrap();
    assert!(left.steps().iter().all(|step| step.mirror));
    let times: Vec<f64> = left.steps().iter().map(|step| left.span(step).millis()).collect();
    // Frames without a time of their own keep the delay of the clip they first appear in.
    assert_eq!(times, [200.0, 200.0, 200.0, 50.0]);
}

#[test]
fn mistakes_say_what_there_is() {
    let env = with_frog();
    for (line, wanted) in [
        ("clip frog \"sit = 0-99\"", "there is no frame 99"),
        ("clip frog \"sit = 0 @0ms\"", "duration above 0"),
        ("clip frog \"sit = 0 @2000fps\"", "limited to 1000 fps"),
        ("clip frog \"con = 0-3\"", "can't be part of a file name"),
        ("clip frog --drop laep", "did you mean leap?"),
        ("clip frog --drop swim", "available: sit, leap, dive"),
        ("clip frog --rename sit=leap", "two clips called 'leap'"),
        ("clip frog --event leap@9=x", "it has 8 (0 to 7)"),
        ("clip frog --speed 0", "positive number"),
        ("clip art/koi.png", "shibori slice art/koi.png"),
        ("clip art/lantern \"a = 0\"", "shibori slice art/lantern --manifest-only"),
        (
            "slice art/frog.png --clip-rows a,b,c,d,e -o o",
            "5 row names given, but 'frog' has only 4 (r0 to r3)",
        ),
        ("slice art/frog.png --clip \"a = 0\" --clip \"a = 1\" -o o", "two clips called 'a'"),
        ("slice art/frog.png --clip-rows \"sit,walk@12fpz\" -o o", "expected a unit"),
    ] {
        let outcome = env.run(line);
        assert_eq!(outcome.code, 2, "{line}: {}", outcome.err);
        assert!(outcome.err.contains(wanted), "{line}: {}", outcome.err);
    }
}

#[test]
fn a_gif_sliced_packed_unpacked_and_written_again_is_the_same() {
    let env = Env::with_art();
    env.ok("slice art/firefly.gif -o firefly");
    env.ok("pack firefly -o pond");
    env.ok("unpack pond.json -o again");
    env.ok("preview motion again -o again.gif");
    let (before, after) = (env.frames("art/firefly.gif"), env.frames("again.gif"));
    assert_eq!(before.frames().len(), after.frames().len());
    for (old, new) in before.frames().iter().zip(after.frames()) {
        assert!(old.full_image().is_same_image(&new.full_image()));
    }
    let times = |set: &shibori_core::FrameSet| {
        let clip = set.clips()[0].clone();
        clip.steps().iter().map(|step| clip.span(step).millis()).collect::<Vec<_>>()
    };
    assert_eq!((times(&before), before.clips()[0].plays()), (times(&after), after.clips()[0].plays()));
}

#[test]
fn names_are_swapped_and_single_steps_mirrored() {
    let env = Env::with_art();
    env.ok(
        "slice art/frog.png --grid 8x4 --clip \"sit = r0\" --clip \"leap = 10-12,13m,14x2m @80 ms\" -o frog",
    );
    env.ok("clip frog --rename sit=leap --rename leap=sit");
    let set = env.frames("frog");
    let clips: Vec<(&str, usize)> =
        set.clips().iter().map(|clip| (clip.name().as_str(), clip.steps().len())).collect();
    assert_eq!(clips, [("leap", 4), ("sit", 5)]);
    let mirrored: Vec<bool> = set.clips()[1].steps().iter().map(|step| step.mirror).collect();
    assert_eq!(mirrored, [false, false, false, true, true]);
    // Mirrored steps stay mirrored in an atlas.
    env.ok("pack frog -o pond");
    let again = env.frames("pond.json");
    assert_eq!(again.clips()[1].steps().iter().filter(|step| step.mirror).count(), 2);
    let twice = env.run("clip frog --rename sit=leap --rename leap=leap");
    assert_eq!(twice.code, 2, "{}", twice.err);
}
