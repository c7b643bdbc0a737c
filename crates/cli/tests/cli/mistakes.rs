//! Bad input gets a message that says what is wrong, where, and what to type instead; and nothing is lost.

use crate::env::Env;

/// A folder in which something is wrong in every way the rows below ask for.
fn broken() -> Env {
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

#[test]
fn every_mistake_is_told_and_changes_nothing() {
    let env = broken();
    let before = env.files("");
    for (line, code, told, hint) in [
        ("slice gone.png --grid 8x1", 3, "gone.png: no such file or folder", ""),
        ("slice art/kio.png --grid 8x1", 3, "art/kio.png: no such file", "there is art/koi.png"),
        ("slice art --grid 8x1", 2, "firefly.gif: is an animation of 8 frames", "slice it without --grid"),
        ("slice text.png/ --grid 8x1", 3, "text.png", ""),
        (
            "slice text.png --grid 8x1",
            3,
            "text.png: is not an image that can be read: it begins with the text \"just a note\\n\"",
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
            "256 px divides into 4 columns of 64 or 8 of 32; or add --uneven to share out the 4 px left",
        ),
        (
            "slice art/koi.png --cell 24x32",
            2,
            "cells of 24 px fit 10 times into 256 px and leave 16 px over (columns)",
            "add --grid 10x1 to leave the rest",
        ),
        ("slice art/koi.png --grid 300x1", 2, "300 columns do not fit into 256 px", "ask for at most 256"),
        (
            "slice art/koi.png --cell 300x32",
            2,
            "a cell of 300 px does not fit into 256 px",
            "--grid counts columns x rows",
        ),
        (
            "slice art/koi.png --grid 8x1 --count 9",
            2,
            "the grid has 8 cells, so the first 9 can't be taken",
            "--count 8",
        ),
        (
            "slice art/firefly.gif --grid 2x1",
            2,
            "art/firefly.gif: is an animation of 8 frames, not a sheet",
            "slice it without --grid",
        ),
        (
            "slice art/koi.png --grid 8x1 --name koi",
            2,
            "frames 0 and 1 of sprite 'koi' would both be called 'koi'",
            "put a number into --name",
        ),
        ("slice art/koi.png --grid 8x1 --name a?{n}", 4, "'a?0' can't be a file name", "--name"),
        ("slice art/koi.png --grid 8x1 -o file.txt/koi", 4, "file.txt", "a folder you may write to"),
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
            "frame 'koi-00' of 30x18 px does not fit on a page of 20x20 px",
            "raise --page-max (or --page-size) to 32",
        ),
        ("pack koi koi -o new", 3, "would both be called 'koi-00'", "different names"),
        (
            "pack koi -o new --layout clip-rows --row-order swim",
            2,
            "there is no clip 'swim'; there are: none",
            "--row-order",
        ),
        ("pack koi -o new --columns 3", 2, "--columns has no use here; it goes with --layout grid", ""),
        ("pack folder -o new", 3, "folder: the folder holds no images", ""),
        (
            "unpack later.json -o new",
            3,
            "later.json: is a manifest of format \"shibori/7\"; this version reads \"shibori/1\"",
            "newer",
        ),
        ("unpack missing.json -o new", 3, "missing.json: page \"gone.png\" is missing", "put the image back"),
        (
            "unpack outside.json -o new",
            3,
            "outside.json: page \"../pond.png\" lies outside the manifest's folder",
            "stay inside its folder",
        ),
        ("unpack other.json -o new", 3, "other.json: is not a shibori manifest", ""),
        ("unpack note.json -o new", 3, "note.json: line 1, column 1: expected value", ""),
        (
            "preview motion koi -o new.mp4",
            4,
            "new.mp4: an animation ends in .gif, .apng or .png, not '.mp4'",
            "",
        ),
        ("preview contact koi -o new.gif", 4, "ends in .png", ""),
        ("export koi --to gltf -o new.gif", 4, "a file whose name ends in .gltf, not '.gif'", ""),
        ("export koi --to glb -o new.gltf", 4, "a file whose name ends in .glb, not '.gltf'", ""),
        ("export koi --to csv -o new.PNG", 4, "a file whose name ends in .csv, not '.png'", ""),
        (
            "preview contact koi -o new.png --only koy",
            2,
            "'koy' is not a sprite, a clip or a selection",
            "did you mean koi?",
        ),
    ] {
        let outcome = env.run(line);
        assert_eq!(outcome.code, code, "shibori {line}\n{}", outcome.err);
        assert!(outcome.err.contains(told), "shibori {line}\nwanted: {told}\ngot: {}", outcome.err);
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
    let wanted = "huge.png: 65536x65536 px is 4294967296 pixels; the limit is 268435456";
    assert!(outcome.err.contains(wanted), "{}", outcome.err);
}
