//! Exports of the built program: what is written, what is refused, and what may be replaced.

use serde_json::Value;

use crate::env::Env;

fn with_atlas() -> Env {
    let env = Env::with_art();
    env.ok("slice art/frog.png --grid 8x4 --pivot feet --clip \"sit = r0 @5fps\" --clip \"leap = r2 @total 0.8s once\" -o frog");
    env.ok("slice art/koi.png --grid 8x1 --clip \"swim = 0-7 @12fps\" --clip \"turn = 3,4,5 @80ms bounce\" -o koi");
    env.ok("pack frog koi -o out/pond");
    env
}

#[test]
fn every_format_is_written_beside_the_manifest_and_again() {
    let env = with_atlas();
    for (options, files) in [
        ("--to csv", &["pond-clips.csv", "pond.csv"][..]),
        ("--to css", &["pond.css"]),
        ("--to svg", &["pond.svg"]),
        ("--to gltf", &["pond.bin", "pond.gltf"]),
        ("--to glb --unit 16px", &["pond.glb"]),
        ("--template c", &["pond.h"]),
        ("--template lua", &["pond.lua"]),
        ("--template typescript", &["pond.ts"]),
        ("--template python", &["pond.py"]),
        ("--template xml", &["pond.xml"]),
        ("--template rust", &["pond.rs"]),
    ] {
        let before = env.names("out");
        let result = env.json(&format!("export out/pond.json {options}"));
        let written: Vec<&str> =
            result["files"].as_array().unwrap().iter().map(|file| file["file"].as_str().unwrap()).collect();
        assert_eq!(written.len(), files.len(), "{options}");
        let mut new = env.names("out");
        new.retain(|name| !before.contains(name));
        assert_eq!(new, files, "{options}");
        // It is ours, so it may be written again; changed by hand, it may not.
        env.ok(&format!("export out/pond {options}"));
        if options != "--to csv" {
            let name = format!("out/{}", files.last().unwrap());
            let mut bytes = env.read(&name);
            let middle = bytes.len() / 2;
            bytes[middle] ^= 1;
            env.write(&name, &bytes);
            assert_eq!(env.run(&format!("export out/pond {options}")).code, 4, "{options}");
            env.ok(&format!("export out/pond {options} --force"));
        }
    }
    let one = env.files("out");
    for options in ["--to css", "--to glb --unit 16px", "--template rust"] {
        env.ok(&format!("export out/pond {options} --jobs 1"));
    }
    assert!(one == env.files("out"));
    assert!(env.ok("export --list").contains("typescript"));
    assert!(env.ok("export --print-template lua").contains("{% for frame in frames %}"));
}

#[test]
fn a_set_of_many_pages_is_exported_too() {
    let env = with_atlas();
    env.ok("export koi --to css");
    let style = String::from_utf8(env.read("koi/koi.css")).unwrap();
    assert!(style.contains("url(\"koi-03.png\")"), "one page per frame");
    env.ok("export koi --to gltf -o scene/koi.gltf");
    let scene: Value = serde_json::from_slice(&env.read("scene/koi.gltf")).unwrap();
    assert_eq!(scene["images"].as_array().unwrap().len(), 8);
    // Strict loaders take nothing from outside the folder, so the pages come along.
    assert_eq!(scene["images"][3]["uri"], "koi-03.png");
    assert!(env.read("scene/koi-03.png") == env.read("koi/koi-03.png"));
    env.ok("export koi --to gltf -o scene/koi.gltf");
    env.ok("export koi --to svg -o koi.svg");
    env.ok("slice art/frog.png --grid 8x4 --manifest-only");
    env.ok("export art/frog.json --to csv -o frog.csv");
}

#[test]
fn a_template_of_ones_own_sees_what_the_manifest_says() {
    let env = with_atlas();
    env.write(
        "engine.lua.j2",
        "-- {{ seal }}\nreturn { {% for clip in clips %}{{ clip.ident }} = {{ \
        clip.seconds|fixed(2) }}, {% endfor %}}\n",
    );
    env.ok("export out/pond --template engine.lua.j2");
    let text = String::from_utf8(env.read("out/pond.lua")).unwrap();
    assert!(
        text.ends_with("return { frog_sit = 0.80, frog_leap = 0.80, koi_swim = 0.67, koi_turn = 0.32, }\n"),
        "{text}"
    );
    assert_eq!(env.ok("export out/pond --template engine.lua.j2 -o -"), text);
    env.ok("export out/pond --template engine.lua.j2");
    // Without a seal the ledger tells whose file it is.
    env.write("plain.txt.j2", "{{ frames|length }}\n");
    env.ok("export out/pond --template plain.txt.j2 -o count.txt");
    env.write("plain.txt.j2", "{{ frames|length }} frames\n");
    env.ok("export out/pond --template plain.txt.j2 -o count.txt");
    env.write("count.txt", "mine");
    let outcome = env.run("export out/pond --template plain.txt.j2 -o count.txt");
    assert_eq!(outcome.code, 4, "{}", outcome.err);
    assert_eq!(env.read("count.txt"), b"mine");
}

#[test]
fn shares_of_the_page_are_written_on_request() {
    let env = with_atlas();
    let frame = |name: &str| -> Value {
        let manifest: Value = serde_json::from_slice(&env.read(name)).unwrap();
        manifest["frames"][0].clone()
    };
    assert_eq!(frame("out/pond.json").get("uv"), None);
    env.ok("pack frog -o top --page-size 256x256 --uv");
    env.ok("pack frog -o bottom --page-size 256x256 --uv --uv-origin bottom");
    let rect =
        frame("top.json")["rect"].as_array().unwrap().iter().map(|n| n.as_f64().unwrap()).collect::<Vec<_>>();
    let uv = |name: &str| {
        frame(name)["uv"].as_array().unwrap().iter().map(|n| n.as_f64().unwrap() * 256.0).collect::<Vec<_>>()
    };
    assert_eq!(uv("top.json"), [rect[0], rect[1], rect[0] + rect[2], rect[1] + rect[3]]);
    assert_eq!(uv("bottom.json"), [rect[0], 256.0 - rect[1], rect[0] + rect[2], 256.0 - rect[1] - rect[3]]);
    // Packed again they are counted again, not carried along.
    env.ok("pack top.json -o again");
    assert_eq!(frame("again.json").get("uv"), None);
}

#[test]
fn what_can_not_be_exported_is_reported() {
    let env = with_atlas();
    env.write("wrong.j2", "{% for frame in frames %}\n{{ frame.nmae }}\n{% endfor %}\n");
    env.write("open.j2", "{% for frame in frames %}\n");
    env.write("file.j2", "{% include 'art/koi.png' %}");
    env.ok("pack frog -o rotated --allow-rotation --effort low --page-max 64x4096");
    env.ok("pack koi -o soft --alpha premultiplied");
    let text = String::from_utf8(env.read("out/pond.json")).unwrap();
    env.write("gone/pond.json", &text);
    env.write("other/pond.json", &text);
    env.write("other/pond.png", env.read("art/koi.png"));
    let before = env.files("");
    for (line, code, expected, hint) in [
        ("out/pond", 2, "no export format given", "--to csv"),
        ("out/pond --to csv --unit 4px", 2, "--unit has no effect here", ""),
        ("out/pond --to glb --unit 0", 2, "'0' is not a number of pixels such as 16px", ""),
        ("out/pond --to css -o -", 2, "only template output can go to standard output", "-o"),
        ("art/koi.png --to css", 3, "art/koi.png: not an atlas or a set", "pack or slice it first"),
        ("nothing --to css", 3, "nothing: no such file", ""),
        ("out/pond --template gone.j2", 3, "gone.j2: no such file", ""),
        (
            "out/pond --template wrong.j2",
            2,
            "wrong.j2: line 2, column 4: 'frame.nmae' is not defined",
            "docs/templates.md",
        ),
        ("out/pond --template open.j2", 2, "open.j2: line ", ""),
        ("out/pond --template file.j2", 2, "file.j2: line 1", ""),
        ("soft --to gltf", 2, "page 'soft.png' can't be used in .gltf", "export to glb"),
        ("gone/pond.json --to css", 3, "page \"pond.png\" is missing", ""),
        ("other/pond.json --to glb", 3, "page \"pond.png\" is 256x32 px, but the manifest says", ""),
    ] {
        let outcome = env.run(&format!("export {line}"));
        assert_eq!(outcome.code, code, "{line}: {}", outcome.err);
        assert!(outcome.err.contains(expected), "{line}: {}", outcome.err);
        assert!(outcome.err.contains(hint), "{line}: {}", outcome.err);
    }
    assert!(before == env.files(""), "a failed run changed something");
    env.ok("export soft --to glb");
}

#[test]
fn tables_and_clips_need_no_page_images() {
    let env = Env::with_art();
    env.ok("slice art/koi.png --grid 8x1 -o set");
    env.ok("pack set -o pond --sampling smooth --alpha premultiplied --uv --uv-origin bottom");
    std::fs::remove_file(env.path("pond.png")).unwrap();
    env.ok("clip pond.json \"swim = 0-7 @12fps\"");
    env.ok("export pond.json --to csv");
    let table = String::from_utf8(env.read("pond.csv")).unwrap();
    let mut lines = table.lines();
    assert!(lines.next().unwrap().ends_with("alpha,sampling,companions,uv_origin"));
    assert!(lines.next().unwrap().ends_with("premultiplied,smooth,,top"));
    env.ok("export pond.json --template lua");
    assert!(String::from_utf8(env.read("pond.lua")).unwrap().contains("alpha = \"premultiplied\""));
    let manifest: Value = serde_json::from_slice(&env.read("pond.json")).unwrap();
    assert_eq!(manifest["pages"][0]["uv_origin"], "bottom");
    let outcome = env.run("export pond.json --to css");
    assert!(outcome.code == 3 && outcome.err.contains("page \"pond.png\" is missing"), "{}", outcome.err);
    // Where a row ends is seen in its pictures.
    assert_eq!(env.run("clip pond.json --clip-rows swim").code, 3);
}

#[test]
fn a_rename_that_is_offered_works() {
    let env = Env::with_art();
    env.ok("slice art/koi.png --grid 8x1 -o koi");
    // Files that one system has and another can't have; an atlas can hold both.
    let manifest = String::from_utf8(env.read("koi/frames.json")).unwrap();
    for (at, names) in [["koi-A", "koi-a"], ["con", "koi-b"], ["a:b", "a,b"]].into_iter().enumerate() {
        let text = manifest.replace("\"koi-00\"", &format!("\"{}\"", names[0]));
        env.write("koi/frames.json", text.replace("\"koi-01\"", &format!("\"{}\"", names[1])));
        env.ok(&format!("pack koi -o odd{at} --force"));
        for command in [
            format!("unpack odd{at}.json -o u{at}"),
            format!("adjust odd{at}.json --mirror left-right -o a{at}"),
        ] {
            let outcome = env.run(&command);
            assert_eq!(outcome.code, 4, "{command}: {}", outcome.err);
            let offered = outcome.err.lines().find_map(|line| line.trim().strip_prefix("shibori ")).unwrap();
            env.ok(offered);
        }
        assert_eq!(env.frames(&format!("u{at}")).frames().len(), 8);
    }
}
