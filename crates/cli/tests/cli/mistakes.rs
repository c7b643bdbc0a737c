//! Bad input gets a message that says what is wrong, where, and what to type instead; and nothing is lost.

use crate::env::Env;

/// A folder in which something is wrong in every way the rows below ask for.
pub(crate) fn broken() -> Env {
    let env = Env::with_art();
    let koi = env.read("art/koi.png");
    let gif = env.read("art/firefly.gif");
    env.write("text.png", "just a note\n");
    env.write("empty.png", "");
    env.write("half.png", &koi[..koi.len() / 2]);
    env.write("half.gif", &gif[..gif.len() / 2]);
    env.write("file.txt", "in the way");
    env.ok("slice art/koi.png --grid 8x1 -o koi");
    env.ok("pack koi -o pond");
    let text = String::from_utf8(env.read("pond.json")).unwrap();
    env.write("later.json", text.replace("shibori/1", "shibori/7"));
    env.write("missing.json", text.replace("pond.png", "gone.png"));
    env.write("outside.json", text.replace("pond.png", "../pond.png"));
    env.write("other.json", "{ \"name\": 3 }");
    env.write("note.json", "walk faster");
    env.write("folder/readme.txt", "no images");
    env
}

/// Command lines that are wrong, with their exit code and parts of what is said about them.
pub(crate) const MISTAKES: &[(&str, i32, &str, &str)] = &[
    ("slice gone.png --grid 8x1", 3, "gone.png: no such file or folder", ""),
    ("slice art/kio.png --grid 8x1", 3, "art/kio.png: no such file", "did you mean art/koi.png?"),
    ("slice art --grid 8x1", 2, "firefly.gif: this is an animation of 8 frames", "slice it without --grid"),
    ("slice text.png/ --grid 8x1", 3, "text.png", ""),
    (
        "slice text.png --grid 8x1",
        3,
        "text.png: is not a supported image: it begins with the text \"just a note\\n\"",
        "PNG, APNG, GIF, WebP",
    ),
    ("slice empty.png --grid 8x1", 3, "empty.png: the file is empty (0 bytes)", ""),
    ("slice half.png --grid 8x1", 3, "half.png: the PNG ends early, after", "export it again"),
    ("slice half.gif", 3, "half.gif: the GIF ends early, after", "export it again"),
    ("inspect half.png", 3, "half.png: the PNG ends early, after", ""),
    (
        "slice art/koi.png --grid 7x1",
        2,
        "art/koi.png: 256 px can't be cut into 7 equal columns (36.57 px each)",
        "256 px divides into 4 columns of 64 or 8 of 32; or add --uneven to distribute the 4 px left over",
    ),
    (
        "slice art/koi.png --cell 24x32",
        2,
        "256 px holds 10 cells of 24 px, with 16 px left over (columns)",
        "add --grid 10x1 to ignore the rest",
    ),
    ("slice art/koi.png --grid 300x1", 2, "300 columns do not fit in 256 px", "use at most 256"),
    (
        "slice art/koi.png --cell 300x32",
        2,
        "a cell of 300 px does not fit in 256 px",
        "--grid counts columns x rows",
    ),
    ("slice art/koi.png --grid 8x1 --count 9", 2, "the grid has only 8 cells, not 9", "--count 8"),
    (
        "slice art/firefly.gif --grid 2x1",
        2,
        "art/firefly.gif: this is an animation of 8 frames, not a sheet",
        "slice it without --grid",
    ),
    (
        "slice art/koi.png --grid 8x1 --name koi",
        2,
        "frames 0 and 1 of sprite 'koi' would both be called 'koi'",
        "include a number in --name",
    ),
    ("slice art/koi.png --grid 8x1 --name a?{n}", 4, "'a?0' can't be a file name", "--name"),
    ("slice art/koi.png --grid 8x1 -o file.txt/koi", 4, "file.txt", "write to the folder"),
    (
        "slice art/koi.png --grid 8x1 -o new --clip \"swim = 0-8\"",
        2,
        "clip 'swim': there is no frame 8: sprite 'koi' has 8 frames (0 to 7)",
        "",
    ),
    (
        "slice art/koi.png --grid 8x1 -o new --clip \"a = 0\" --clip \"a = 1\"",
        2,
        "two clips called 'a'",
        "another name",
    ),
    (
        "pack koi -o new --page-max 20",
        2,
        "frame 'koi-03' of 30x19 px does not fit on a page of 20x20 px",
        "raise --page-max to 32",
    ),
    ("pack koi koi -o new", 3, "would both be called 'koi-00'", "rename"),
    (
        "pack koi -o new --layout clip-rows --row-order swim",
        2,
        "there is no clip 'swim'; available: none",
        "--row-order",
    ),
    ("pack koi -o new --columns 3", 2, "--columns has no effect here; it needs --layout grid", ""),
    ("pack folder -o new", 3, "folder: the folder contains no images", ""),
    (
        "unpack later.json -o new",
        3,
        "later.json: is a manifest in format \"shibori/7\"; this version reads \"shibori/1\"",
        "newer",
    ),
    ("unpack missing.json -o new", 3, "missing.json: page \"gone.png\" is missing", "put the image back"),
    (
        "unpack outside.json -o new",
        3,
        "outside.json: page \"../pond.png\" is outside the manifest's folder",
        "stay inside its folder",
    ),
    ("unpack other.json -o new", 3, "other.json: is not a shibori manifest", ""),
    ("unpack note.json -o new", 3, "note.json: line 1, column 1: expected value", ""),
    ("preview motion koi -o new.mp4", 4, "not '.mp4'", ""),
    ("preview contact koi -o new.gif", 4, "ends in .png", ""),
    ("export koi --to gltf -o new.gif", 4, "must end in .gltf, not '.gif'", ""),
    ("export koi --to glb -o new.gltf", 4, "must end in .glb, not '.gltf'", ""),
    ("export koi --to csv -o new.PNG", 4, "must end in .csv, not '.png'", ""),
    (
        "preview contact koi -o new.png --only koy",
        2,
        "'koy' is not a sprite, a clip or a selection",
        "did you mean koi?",
    ),
];

#[test]
fn every_mistake_is_reported_and_changes_nothing() {
    let env = broken();
    let before = env.files("");
    for &(line, code, expected, hint) in MISTAKES {
        let outcome = env.run(line);
        assert_eq!(outcome.code, code, "shibori {line}\n{}", outcome.err);
        assert!(outcome.err.contains(expected), "shibori {line}\nwanted: {expected}\ngot: {}", outcome.err);
        assert!(outcome.err.contains(hint), "shibori {line}\nwanted hint: {hint}\ngot: {}", outcome.err);
        assert_eq!(outcome.out, "", "shibori {line}: errors go to stderr alone");
        assert!(env.files("") == before, "shibori {line} changed files: {:?}", env.names(""));
    }
}

#[test]
fn a_typed_clip_that_is_wrong_is_pointed_at() {
    let env = Env::with_art();
    let outcome = env.run("slice art/koi.png --grid 8x1 --clip \"swim = 0-7 @12fpz\"");
    assert_eq!(outcome.code, 2);
    let wanted = "error: --clip: expected a unit: 12fps, 80ms, 0.08s or total 0.8s\n    swim = 0-7 @12fpz\n                  ^\n";
    assert_eq!(outcome.err, wanted);
}

#[test]
fn a_page_of_another_size_names_both() {
    let env = broken();
    env.write("koi/koi-03.png", env.read("koi/koi-03.png"));
    std::fs::copy(env.path("art/signboard.png"), env.path("koi/koi-03.png")).unwrap();
    let outcome = env.run("pack koi -o new");
    assert_eq!(outcome.code, 3);
    assert!(
        outcome.err.contains("page \"koi-03.png\" is 48x48 px, but the manifest says 32x32 px"),
        "{}",
        outcome.err
    );
}

#[test]
fn a_file_that_claims_to_be_huge_is_refused_before_it_is_read() {
    let env = Env::with_art();
    let mut bytes = env.read("art/koi.png");
    // Width and height of the header, with its checksum made right again.
    bytes[16..24].copy_from_slice(&[0, 1, 0, 0, 0, 1, 0, 0]);
    let sum = crc32fast::hash(&bytes[12..29]);
    bytes[29..33].copy_from_slice(&sum.to_be_bytes());
    env.write("huge.png", bytes);
    let outcome = env.run("inspect huge.png");
    assert_eq!(outcome.code, 3);
    let wanted = "huge.png: 65536x65536 px has 4294967296 pixels; the limit is 268435456";
    assert!(outcome.err.contains(wanted), "{}", outcome.err);
}

/// The rows of a table of `docs/json.md` under a heading, and the words in backticks of the lines below it.
fn documented(heading: &str) -> Vec<String> {
    let folder = std::path::Path::new(env!("CARGO_MANIFEST_DIR")).join("../..");
    let text = std::fs::read_to_string(folder.join("docs/json.md")).unwrap();
    let part = text.split(&format!("\n## {heading}\n")).nth(1).unwrap_or_else(|| panic!("no '{heading}'"));
    let part = part.split("\n## ").next().unwrap();
    // Every second part stands between backticks.
    let words = part.split('`').skip(1).step_by(2).flat_map(str::split_whitespace);
    words.map(|word| word.trim_end_matches("[]").to_owned()).collect()
}

/// Every key anywhere in a value.
fn keys(value: &serde_json::Value, all: &mut Vec<String>) {
    match value {
        serde_json::Value::Object(map) => {
            for (key, value) in map {
                all.push(key.clone());
                keys(value, all);
            }
        }
        serde_json::Value::Array(list) => list.iter().for_each(|value| keys(value, all)),
        _ => {}
    }
}

#[test]
fn json_results_have_every_key_that_scripts_are_promised() {
    let env = Env::with_art();
    let inspect =
        [env.json("inspect art/frog.png art/firefly.gif art/lantern"), env.json("inspect art/reeds.png")];
    let slice = [env.json("slice art/heron.png --grid 6x1 --clip \"hunt = 0-5 @5fps\" -o heron")];
    let check = env.run("check heron --json");
    assert_eq!(check.code, 1);
    let check = [serde_json::from_str::<serde_json::Value>(&check.out).unwrap()];
    assert_eq!((&check[0]["ok"], check[0].get("error")), (&serde_json::Value::Bool(false), None));
    let adjust = [env.json("adjust heron --align match -o steady")];
    let clip = [env.json("clip heron")];
    let pack = [env.json("pack heron -o pond --page-format webp")];
    let export = [
        env.json("unpack pond.json -o out"),
        env.json("export pond.json --to csv"),
        env.json("preview onion heron -o onion.png"),
    ];
    env.ok(
        "adjust heron --only 1 --apart --mirror left-right --box body=auto --canvas 80x64 -o other --quiet",
    );
    env.ok("clip other --rename hunt=stalk --quiet");
    env.ok("clip heron \"wade = 0-2 @3fps\" --quiet");
    env.ok("clip other \"wade = 0-2 @4fps\" --quiet");
    env.write("turn.csv", "frame,kind,name,values\nheron-03,move,,2 1\nheron-04,pivot,,9 9\n");
    env.ok("adjust other --per-frame turn.csv --in-place --quiet");
    let changes = [env.json("preview changes heron other")];
    // Values and names of commands, not keys.
    let values = [
        "none",
        "hard",
        "soft",
        "wrong",
        "look",
        "pixels",
        "unpack",
        "export",
        "preview",
        "ok",
        "command",
        "contact",
        "onion",
        "drift",
        "pages",
        "grid",
        "motion",
        "html",
        "light-table",
    ];
    for (heading, results) in [
        ("inspect", &inspect as &[serde_json::Value]),
        ("slice", &slice),
        ("adjust", &adjust),
        ("clip", &clip),
        ("check", &check),
        ("pack", &pack),
        ("unpack, export, preview", &export),
        ("preview changes", &changes),
    ] {
        let mut there = Vec::new();
        results.iter().for_each(|result| keys(result, &mut there));
        for key in documented(heading) {
            assert!(there.contains(&key) || values.contains(&key.as_str()), "{heading}: no key '{key}'");
        }
        for result in results {
            assert_eq!(result["shibori"], env!("CARGO_PKG_VERSION"), "{heading}");
            assert!(result["ok"].is_boolean() && result["warnings"].is_array(), "{heading}");
            assert!(result.get("frames").is_none_or(serde_json::Value::is_array), "{heading}");
        }
    }
}

#[test]
fn json_reports_mistakes_even_where_the_command_line_can_not_be_read() {
    let env = Env::with_art();
    for (line, exit, part) in [
        ("inspect nothing.png --json", 3, "nothing.png"),
        ("slice art/frog.png --grid 7x4 --json", 2, "7 equal columns"),
        ("slice art/frog.png --gird 8x4 --json", 2, "--gird"),
        ("slice art/frog.png --clip \"walk = 0-\" -o x --json", 2, "--clip"),
        ("pack --json", 2, "missing"),
        ("build nowhere.toml --json", 3, "nowhere.toml"),
    ] {
        let outcome = env.run(line);
        let result: serde_json::Value = serde_json::from_str(&outcome.out)
            .unwrap_or_else(|error| panic!("{line}: {error}: {}", outcome.out));
        assert_eq!((outcome.code, &result["ok"]), (exit, &serde_json::Value::Bool(false)), "{line}");
        assert_eq!(result["error"]["exit"], exit, "{line}");
        let all = format!("{} {}", result["error"]["message"], result["error"]["hint"]);
        assert!(all.contains(part), "{line}: {all}");
    }
    // A word that looks like the option is none.
    assert_eq!(env.run("slice --grid 8y4 -- --json").out, "");
}

#[test]
fn a_mistyped_name_of_anything_is_answered_with_the_right_one() {
    let env = Env::with_art();
    env.ok("slice art/frog.png --grid 8x4 --clip-rows sit,croak,leap,dive -o frog");
    env.ok("slice art/koi.png --grid 8x1 --clip \"swim = 0-7\" -o koi");
    env.ok("pack frog koi -o pond");
    for (line, meant) in [
        ("slic art/koi.png", "slice"),
        ("slice art/koi.png --gird 8x1", "--grid"),
        ("preview contcat koi -o x.png", "contact"),
        ("slice art/kio.png", "art/koi.png"),
        ("check kio", "did you mean koi?"),
        ("clip kio", "did you mean koi?"),
        ("export kio --to csv", "did you mean koi?"),
        ("preview contact frog --only siit -o x.png", "did you mean sit?"),
        ("preview contact pond --only kio -o x.png", "did you mean koi?"),
        ("preview contact pond --only frog:croaq -o x.png", "did you mean frog:croak?"),
        ("preview contact frog --only named:frg-* -o x.png", "did you mean frog-*?"),
        ("preview contact frog --only named:frog_07 -o x.png", "did you mean frog-07?"),
        ("clip koi --drop swin", "did you mean swim?"),
        ("clip pond --rename frog:laep=jump", "did you mean frog:leap?"),
        ("clip koi --event swin@1=splash", "did you mean swim?"),
        ("check frog --allow touchs-edge", "did you mean touches-edge?"),
        ("export pond --to glft", "gltf"),
        ("export pond --template luaa", "did you mean lua?"),
        ("export pond --template mine.j2", "available: c, lua, typescript"),
        ("pack frog koi -o x --layout clip-rows --row-order sit,crok", "did you mean croak?"),
        ("completions bsh", "bash"),
    ] {
        let outcome = env.run(line);
        assert!(outcome.code == 2 || outcome.code == 3, "{line}: {}", outcome.err);
        assert!(outcome.err.contains(meant), "{line}\n{}", outcome.err);
    }
}
