//! Nothing that is not ours is overwritten or taken away, and a failed run leaves everything as it was.

use crate::env::Env;

#[test]
fn work_done_by_hand_is_not_replaced_without_a_word() {
    let env = Env::with_art();
    let slice = "slice art/koi.png --grid 8x1 -o koi";
    env.ok(slice);
    env.ok(slice);
    // A paint program saves the same picture in its own way.
    let painted = image_saved_elsewhere(&env, "koi/koi-02.png");
    env.write("koi/koi-02.png", &painted);
    let before = env.files("koi");
    let outcome = env.run(slice);
    assert_eq!(outcome.code, 4);
    assert!(
        outcome
            .err
            .contains("koi-02.png: already exists, and was not written by shibori or has been edited since"),
        "{}",
        outcome.err
    );
    assert!(outcome.err.contains("--force"));
    assert!(env.files("koi") == before);
    env.ok(&format!("{slice} --force"));
    assert_ne!(env.read("koi/koi-02.png"), painted);
}

fn image_saved_elsewhere(env: &Env, name: &str) -> Vec<u8> {
    let image = env.image(name);
    let mut bytes = Vec::new();
    let mut encoder = png::Encoder::new(&mut bytes, image.width(), image.height());
    encoder.set_color(png::ColorType::Rgba);
    let mut writer = encoder.write_header().unwrap();
    writer.write_image_data(&image).unwrap();
    writer.finish().unwrap();
    bytes
}

#[test]
fn frames_left_over_from_an_earlier_run_go_but_nothing_else_does() {
    let env = Env::with_art();
    env.ok("slice art/koi.png --grid 8x1 -o koi");
    env.write("koi/notes.txt", "mine");
    let painted = image_saved_elsewhere(&env, "koi/koi-07.png");
    env.write("koi/koi-07.png", painted);
    let result = env.json("slice art/koi.png --grid 8x1 --count 6 -o koi");
    assert_eq!(result["removed"], serde_json::json!(["koi/koi-06.png"]));
    let names = env.names("koi");
    assert!(names.contains(&"notes.txt".to_owned()) && names.contains(&"koi-07.png".to_owned()));
    assert_eq!(env.frames("koi").frames().len(), 6);
}

#[test]
fn pages_left_over_go_too() {
    let env = Env::with_art();
    env.ok("slice art/heron.png --grid 6x1 -o heron");
    env.ok("pack heron --effort low -o atlas/pond --page-max 80");
    assert!(env.names("atlas").contains(&"pond-1.png".to_owned()));
    env.ok("pack heron --effort low -o atlas/pond");
    assert_eq!(env.names("atlas"), ["pond.json", "pond.png"]);
}

#[test]
fn sources_are_never_written_over_even_with_force() {
    let env = Env::with_art();
    let before = env.files("art");
    let outcome = env.run("preview contact art/koi.png -o art/koi.png --force");
    assert_eq!(outcome.code, 4);
    assert!(outcome.err.contains("is a source of this run"), "{}", outcome.err);
    assert!(env.files("art") == before);
}

#[test]
fn a_dry_run_writes_nothing_and_says_so() {
    let env = Env::with_art();
    let before = env.names("");
    for line in [
        "slice art/koi.png --grid 8x1 -o new",
        "pack art/lantern -o new/pond",
        "preview motion art/firefly.gif -o new/f.gif",
        "slice art/koi.png --grid 8x1 --manifest-only",
    ] {
        let out = env.ok(&format!("{line} --dry-run"));
        assert!(out.contains("would write"), "{out}");
        assert_eq!(env.names(""), before);
    }
}

#[test]
fn results_go_to_stdout_and_quiet_means_quiet() {
    let env = Env::with_art();
    let outcome = env.run("slice art/koi.png --grid 8x1 -o koi --quiet");
    assert_eq!((outcome.code, outcome.out.as_str(), outcome.err.as_str()), (0, "", ""));
    let outcome = env.run("slice art/koi.png --grid 8x1 -o koi");
    assert!(outcome.out.contains("wrote koi/frames.json and 8 images") && outcome.err.is_empty());
    assert!(!outcome.out.contains('\u{1b}'));
    let outcome = env.run("inspect gone.png --color always");
    assert!(outcome.err.contains("\u{1b}[31merror:"));
}
