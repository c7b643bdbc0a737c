//! `preview changes`: what differs between two versions, listed, drawn, and as an exit code; and paintings, which come back as
//! versions.

use image::Rgba;

use crate::env::Env;

#[test]
fn what_was_painted_moved_renamed_and_timed_is_listed_with_numbers() {
    let env = Env::with_art();
    env.ok(r#"slice art/koi.png --grid 8x1 --clip "swim = 0-5 @10fps" --clip "turn = 6,7" -o old --quiet"#);
    crate::env::copy_folder(&env.path("old"), &env.path("new folder"));
    let mut painted = env.image("new folder/koi-01.png");
    let blue = painted.pixels_mut().filter(|pixel| pixel[3] > 0).take(10);
    blue.for_each(|pixel| *pixel = Rgba([0, 0, 255, 255]));
    env.save("new folder/koi-01.png", &painted);
    env.ok(r#"clip "new folder" "swim = 0-4 @8fps" --rename turn=spin --quiet"#);
    env.ok(r#"adjust "new folder" --in-place --pivot center --box body=auto --only 3 --quiet"#);
    let said = env.ok(r#"preview changes old "new folder""#);
    for line in [
        "koi: 2 of 8 frames changed, 2 clips changed\n",
        "  clip swim: 6 to 5 steps, 600 to 625 ms\n",
        "  swim: koi-01 10 of ",
        "  swim: koi-03 box body changed\n",
        "  clip spin: was koi:turn\n",
    ] {
        assert!(said.contains(line), "{line}: {said}");
    }
    let json = env.json(r#"preview changes old "new folder""#);
    assert_eq!((json["frames"].as_array().unwrap().len(), &json["same"]), (2, &false.into()));
    assert_eq!(json["frames"][0]["pixels"], 10);
    // Every kind of source, both ways, and an atlas that holds the same.
    env.ok("pack old -o atlas/koi --quiet");
    assert!(env.ok("preview changes old atlas/koi").starts_with("no differences in 8 frames, 2 clips"));
    assert!(env.ok("preview changes old atlas/koi.json --strict -o same.png").contains("wrote same.png"));
    assert_eq!(env.run(r#"preview changes old "new folder" --strict --quiet"#).code, 1);
    env.ok(r#"preview changes old "new folder" -o "the changes.png" --quiet"#);
    env.ok(r#"preview changes "new folder" old -o changes.html --quiet"#);
    let page = String::from_utf8(env.read("changes.html")).unwrap();
    assert!(
        page.matches("<figure>").count() == 2 && page.contains("koi: 2 of 8 frames changed"),
        "{page:.600}"
    );
    // Only a part; and a part that only one of them has.
    assert!(env.ok(r#"preview changes old "new folder" --only turn"#).contains("removed"));
    assert_eq!(env.run(r#"preview changes old "new folder" --only nothing"#).code, 2);
    let wrong = env.run("preview changes old old -o x.gif");
    assert!(wrong.err.contains(".png or .html"), "{}", wrong.err);
}

#[test]
fn frames_are_painted_on_as_layers_and_come_back() {
    let env = Env::with_art();
    let clips =
        r#"--clip "sit = 0-3 @80ms" --clip "hop = 10-13,10 @12fps once" --pivot feet --box body=auto"#;
    env.ok(&format!("slice art/frog.png --grid 8x4 {clips} -o frog --quiet"));
    let said = env.ok(r#"unpack frog -o "to paint.ora""#);
    assert!(said.contains("wrote to paint.ora: 25 layers, 2 clips"), "{said}");
    env.ok(r#"slice "to paint.ora" -o back --quiet"#);
    assert_eq!(env.ok("preview changes frog back --strict").lines().count(), 1);
    assert_eq!(env.files("back").len(), env.files("frog").len());
    assert!(env.ok(r#"inspect "to paint.ora""#).contains("25 layers, 2 groups: sit @80ms, hop @12fps once"));
    // It is a source like others, and a sheet where it is said how to cut it.
    env.ok(r#"pack "to paint.ora" -o atlas/frog --quiet"#);
    env.ok(r#"preview light-table "to paint.ora" -o table.html --quiet"#);
    env.ok(r#"slice "to paint.ora" --grid 2x2 -o quarters --quiet"#);
    assert_eq!(env.frames("quarters/frames.json").frames().len(), 4);
    // A second run replaces what it wrote, but not what was painted.
    env.ok(r#"unpack frog -o "to paint.ora" --quiet"#);
    let mut bytes = env.read("to paint.ora");
    let length = bytes.len();
    bytes[length / 2] ^= 1;
    env.write("to paint.ora", &bytes);
    assert_eq!(env.run(r#"unpack frog -o "to paint.ora""#).code, 4);
    assert_eq!(env.run("unpack frog -o x.ora --trimmed").code, 2);
    // A guide sheet is drawn on below its guide.
    env.ok("guide-sheet --grid 2x1 --cell 16x16 -o guide.ora --quiet");
    let blank = env.run("slice guide.ora --grid 2x1 -o blank");
    assert!(blank.err.contains("blank"), "{}", blank.err);
}
