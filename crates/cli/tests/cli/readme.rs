//! What the documents tell people to type is typed here, in their order, in a folder with the demo art.

use std::fs;
use std::path::Path;

use crate::env::Env;
use crate::schema::faults;

fn document(name: &str) -> String {
    fs::read_to_string(Path::new(env!("CARGO_MANIFEST_DIR")).join("../..").join(name)).unwrap()
}

/// The text of all blocks between lines of three backticks, with what stands after the first three.
fn blocks(text: &str) -> Vec<(String, String)> {
    let mut parts = text.split("\n```");
    parts.next();
    let mut blocks = Vec::new();
    while let (Some(inside), _) = (parts.next(), parts.next()) {
        let (kind, body) = inside.split_once('\n').unwrap_or((inside, ""));
        blocks.push((kind.to_owned(), body.to_owned()));
    }
    blocks
}

/// Types what a document says, in its order, and holds what it shows as output against what comes back: the block of text
/// after commands, or after a line that begins with `$`.
fn typed(name: &str) -> usize {
    typed_in(&demo_folder(), name)
}

/// What `shibori demo` leaves that somebody who types along can run into: the art and the recipe.
fn demo_folder() -> Env {
    let env = Env::with_art();
    env.write("shibori.toml", document("crates/cli/demo/shibori.toml"));
    env
}

fn typed_in(env: &Env, name: &str) -> usize {
    let (mut count, mut said) = (0, String::new());
    let mut run = |line: &str| {
        count += 1;
        let outcome = env.run(line);
        if line.contains("--here") {
            assert!(outcome.err.contains("stdout is not one"), "there is no terminal here: {}", outcome.err);
        }
        (outcome.code, format!("{}{}", outcome.out, outcome.err))
    };
    let blocks = blocks(&document(name));
    for (kind, body) in &blocks {
        if kind.is_empty() {
            said.clear();
            for line in body.replace("\\\n", " ").lines().filter_map(|line| line.strip_prefix("shibori ")) {
                let (code, printed) = run(line);
                // `check` finds what it is shown.
                let may_fail = line.contains("--here") || code == 1 && line.starts_with("check");
                assert!(code == 0 || may_fail, "{name}: shibori {line}\n{printed}");
                said += &printed;
            }
        } else if kind == "text" {
            for line in body.lines() {
                match line.strip_prefix("$ shibori ") {
                    Some(line) => said = run(line).1,
                    None => {
                        assert!(said.lines().any(|other| other == line), "{name} shows '{line}' of\n{said}");
                    }
                }
            }
        }
    }
    count
}

#[test]
fn every_command_of_the_readme_runs_in_its_order_and_says_what_is_shown() {
    assert!(typed("README.md") > 7);
}

#[test]
fn every_example_of_the_help_runs_in_its_order() {
    let env = Env::with_art();
    let names = [
        "inspect",
        "slice",
        "adjust",
        "clip",
        "pack",
        "unpack",
        "export",
        "preview contact",
        "preview grid",
        "preview motion",
        "preview pages",
        "preview html",
        "preview light-table",
        "preview onion",
        "preview drift",
        "check",
        "guide-sheet",
        "init",
        "build",
        "demo",
        "completions",
        "man",
    ];
    for name in names {
        let help = env.ok(&format!("{name} -h"));
        let lines: Vec<&str> = help.lines().collect();
        assert!(lines.len() <= 40, "'shibori {name} -h' takes {} lines\n{help}", lines.len());
        assert!(lines.iter().all(|line| line.chars().count() <= 80), "{help}");
        let examples = lines
            .iter()
            .skip_while(|line| **line != "Examples:")
            .filter_map(|l| l.strip_prefix("  shibori "));
        let examples: Vec<&str> = examples.collect();
        assert!(!examples.is_empty(), "{name} has no example");
        for line in examples {
            let outcome = env.run(line);
            let may_find = line.starts_with("check") && outcome.code == 1;
            assert!(outcome.code == 0 || may_find, "shibori {line}\n{}", outcome.err);
        }
        let long = env.ok(&format!("{name} --help"));
        assert!(long.contains("Examples:") && !long.contains("All options in full"), "{name}");
    }
    for shell in ["bash", "zsh", "fish", "powershell", "elvish"] {
        assert!(env.ok(&format!("completions {shell}")).contains("light-table"), "{shell}");
    }
    assert!(
        String::from_utf8(env.read("man/shibori-preview-onion.1")).unwrap().contains("overlaid at the pivot")
    );
}

/// Documents with their own commands, each of which begins in a folder with the demo art.
fn guide() -> Vec<String> {
    let folder = Path::new(env!("CARGO_MANIFEST_DIR")).join("../../docs/guide");
    let mut names: Vec<String> = fs::read_dir(folder)
        .unwrap()
        .map(|entry| format!("docs/guide/{}", entry.unwrap().file_name().into_string().unwrap()))
        .collect();
    names.sort();
    names
}

#[test]
fn every_command_of_the_guide_runs_page_by_page() {
    let pages = guide();
    assert!(pages.len() > 8, "{pages:?}");
    for page in &pages {
        typed(page);
    }
    // The pages tell one story: in the order of their list, all in one folder, after the tour.
    let env = demo_folder();
    typed_in(&env, "README.md");
    let list = document("docs/guide/README.md");
    let order = list.split("](").skip(1).filter_map(|link| Some(link.split_once(".md)")?.0));
    let order: Vec<String> =
        order.filter(|name| !name.contains('/')).map(|name| format!("docs/guide/{name}.md")).collect();
    assert!(order.len() > 8 && order.iter().all(|page| pages.contains(page)), "{order:?}");
    for page in &order {
        typed_in(&env, page);
    }
}

#[test]
fn every_picture_a_document_shows_is_there() {
    let guide = guide();
    let others = [
        "README.md",
        "CONTRIBUTING.md",
        "docs/json.md",
        "docs/manifest.md",
        "docs/performance.md",
        "docs/templates.md",
        "examples/load/README.md",
    ];
    for name in others.into_iter().chain(guide.iter().map(String::as_str)) {
        let folder =
            Path::new(env!("CARGO_MANIFEST_DIR")).join("../..").join(name).parent().unwrap().to_owned();
        for link in document(name).split("](").skip(1) {
            let target = link.split(')').next().unwrap();
            let target = target.split('#').next().unwrap();
            assert!(folder.join(target).exists(), "{name} points to {target}");
        }
    }
}

#[test]
fn the_manifest_and_the_template_of_the_documents_are_ones() {
    let env = Env::with_art();
    env.ok("slice art/koi.png --grid 8x1 --clip \"swim = 0-7\" -o koi");
    env.ok("pack koi -o pond");
    let templates = document("docs/templates.md");
    let example =
        blocks(&templates).into_iter().map(|(_, body)| body).find(|body| body.contains("{% for")).unwrap();
    env.write("example.j2", &example);
    let text = env.ok("export pond --template example.j2 -o -");
    assert!(text.starts_with("KOI_SWIM:\n  show koi_00 at "), "{text}");
    assert_eq!(text.lines().count(), 9);
    let manifests = document("docs/manifest.md");
    let json = blocks(&manifests).into_iter().find(|(kind, _)| kind == "json").unwrap().1;
    let schema: serde_json::Value = serde_json::from_str(&env.ok("schema manifest")).unwrap();
    let value: serde_json::Value = serde_json::from_str(&json).unwrap();
    assert_eq!(faults(&schema, &value), Vec::<String>::new());
    // It can be read, too, once there is a page.
    let page = image::RgbaImage::from_pixel(256, 128, image::Rgba([9, 9, 9, 255]));
    page.save_with_format(env.path("doc.tga"), image::ImageFormat::Tga).unwrap();
    env.write("doc.json", json.replace("pond.png", "doc.tga"));
    let set = env.frames("doc.json");
    assert_eq!((set.clips()[0].steps().len(), set.clips()[0].total_ticks()), (2, 3));
}

#[test]
fn every_key_of_the_schema_is_in_the_reference() {
    let env = Env::with_art();
    let schema: serde_json::Value = serde_json::from_str(&env.ok("schema manifest")).unwrap();
    let reference = document("docs/manifest.md");
    let parts = schema["$defs"].as_object().unwrap().values().chain([&schema]);
    for part in parts {
        let Some(keys) = part.get("properties").and_then(|keys| keys.as_object()) else { continue };
        for key in keys.keys() {
            assert!(
                reference.contains(&format!("`{key}`")) || reference.contains(&format!(".{key}`")),
                "docs/manifest.md does not tell of '{key}'"
            );
        }
    }
}
