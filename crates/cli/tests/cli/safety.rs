//! Nothing that is not ours is overwritten or taken away, and a failed run leaves everything as it was.

use crate::env::Env;

#[test]
fn work_done_by_hand_is_not_replaced_without_a_word() {
    let env = Env::with_art();
    let slice = "slice art/koi.png --grid 8x1 -o koi";
    env.ok(slice);
    env.ok(slice);
    // A paint program saves the same picture in its own way: nothing is lost.
    let image = env.image("koi/koi-02.png");
    let fresh = env.read("koi/koi-02.png");
    env.save("koi/koi-02.png", &image);
    assert!(!env.run(slice).err.contains("kept by hand"));
    assert!(env.read("koi/koi-02.png") == fresh);
    // What was painted stays, and is reported.
    let mut painted = image.clone();
    painted.put_pixel(0, 0, image::Rgba([255, 0, 0, 255]));
    env.save("koi/koi-02.png", &painted);
    let bytes = env.read("koi/koi-02.png");
    for option in ["", " --carry", " --force"] {
        let outcome = env.run(&format!("{slice}{option}"));
        assert!(
            outcome.code == 0 && outcome.err.contains("kept by hand: paint on koi-02.png"),
            "{}",
            outcome.err
        );
        assert!(env.read("koi/koi-02.png") == bytes);
    }
    // A picture that is none of the set's is nobody's to replace.
    env.write("other/koi-03.png", "mine");
    for option in ["", " --carry"] {
        let outcome = env.run(&format!("slice art/koi.png --grid 8x1 -o other{option}"));
        assert_eq!(outcome.code, 4);
        assert!(outcome.err.contains("koi-03.png: already exists"), "{}", outcome.err);
        assert_eq!(env.names("other"), ["koi-03.png"]);
    }
}

#[test]
fn frames_left_over_from_an_earlier_run_go_but_nothing_else_does() {
    let env = Env::with_art();
    env.ok("slice art/koi.png --grid 8x1 -o koi");
    env.write("koi/notes.txt", "mine");
    env.save("koi/koi-07.png", &env.image("koi/koi-07.png"));
    let result = env.json("slice art/koi.png --grid 8x1 --count 6 -o koi");
    assert_eq!(result["removed"], serde_json::json!(["koi/koi-06.png"]));
    let names = env.names("koi");
    assert!(names.contains(&"notes.txt".to_owned()) && names.contains(&"koi-07.png".to_owned()));
    assert_eq!(env.frames("koi").frames().len(), 6);
    // What was painted and is no longer cut is changed by both.
    env.save("koi/koi-05.png", &image::RgbaImage::from_pixel(32, 32, image::Rgba([9, 9, 9, 255])));
    let line = "slice art/koi.png --grid 8x1 --count 5 -o koi";
    let outcome = env.run(line);
    assert!(outcome.code == 4 && outcome.err.contains("frame koi-05"), "{}", outcome.err);
    env.ok(&format!("{line} --carry"));
    assert_eq!(env.frames("koi").frames().len(), 6);
    env.ok("slice art/koi.png --grid 8x1 -o koi --force");
    env.save("koi/koi-05.png", &image::RgbaImage::from_pixel(32, 32, image::Rgba([8, 8, 8, 255])));
    env.ok(&format!("{line} --force"));
    assert_eq!(env.frames("koi").frames().len(), 5);
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
fn what_a_run_reads_beside_its_sources_is_not_written_over_either() {
    let env = Env::with_art();
    env.write("list.csv", "name,x,y,w,h\nbud,0,0,8,8\n");
    env.write("moves.csv", "frame,kind,name,values\nkoi-00,shift,,1 0\n");
    env.write("t.j2", "{{ name }}");
    env.write("note.txt", "buy milk\n");
    env.write(
        "shibori.toml",
        "[sprite.koi]\nfrom = \"art/koi.png\"\nslice = { grid = \"8x1\" }\n[atlas.pond]\nuse = \"koi\"\n",
    );
    env.ok("slice art/koi.png --grid 8x1 -o koi");
    env.ok("pack koi -o pond");
    let before = env.files("");
    for line in [
        "preview grid art/koi.png --rects list.csv -o list.csv --force",
        "preview grid art/koi.png --rects list.csv -o art/koi.png --force",
        "slice art/koi.png --grid 8x1 --per-frame moves.csv -o koi --sprite x --name moves.csv --force",
        "export pond --template t.j2 -o t.j2 --force",
        "export pond --to css -o pond.png --force",
        "init art/koi.png -o art/koi.png --force",
        "init art -o art/frog.png --force",
        "build --depfile shibori.toml --force",
        "build --depfile art/koi.png --force",
        "build --depfile note.txt",
    ] {
        let outcome = env.run(line);
        let kept: Vec<_> =
            env.files("").into_iter().filter(|(name, _)| !name.starts_with("build/")).collect();
        for (name, bytes) in &before {
            let now = kept.iter().find(|(other, _)| other == name).map(|(_, bytes)| bytes);
            assert!(now == Some(bytes) || name.starts_with("koi/"), "{line}: {name}: {}", outcome.err);
        }
        assert!(outcome.code != 0 || line.contains("--per-frame"), "{line}");
    }
    // A list of dependencies is written again and again, even by a program that has no records.
    for _ in 0..2 {
        env.ok("build --target pond --depfile out/pond.d");
        let _ = std::fs::remove_dir_all(env.path("out/.shibori"));
    }
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
