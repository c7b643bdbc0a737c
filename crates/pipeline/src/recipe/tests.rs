//! Recipes as people write them: what goes over what, and mistakes with their places.

use shibori_core::shape::Anchor;

use super::*;
use crate::options::{LayoutChoice, TrimChoice};

fn read(text: &str) -> Recipe {
    Recipe::of(Text::new(Path::new("shibori.toml"), text.to_owned()))
        .unwrap_or_else(|error| panic!("{error}"))
}

/// What is said of a wrong recipe, and what is marked.
fn wrong(text: &str) -> (String, String) {
    let error = Recipe::of(Text::new(Path::new("shibori.toml"), text.to_owned())).unwrap_err();
    let marked = error.mark.as_ref().map(|mark| {
        let pointer = mark.pointer();
        let (line, marks) = pointer.split_once('\n').unwrap();
        let (start, width) = (marks.matches(' ').count(), marks.matches('^').count());
        line.chars().skip(start).take(width).collect::<String>()
    });
    (error.to_string(), marked.unwrap_or_default())
}

#[test]
fn narrower_tables_go_over_wider_ones_key_by_key() {
    let recipe = read(
        r#"
        [defaults]
        slice = { grid = "8x1", blank = "keep" }
        shape = { pivot = "feet", trim = "frame" }
        atlas = { layout = "grid", gutter = 4 }

        [sprite.koi]
        from = "koi.png"
        slice = { blank = "default" }
        shape = { trim = "clip" }
        [sprite.koi.clips]
        swim = "0-7 @12fps"
        turn = { steps = "0-3 once", shape = { pivot = "center" }, speed = 2 }

        [[sprite.frog.part]]
        from = ["a.png", "b.png"]
        slice = { grid = "4x1" }
        [[sprite.frog.part]]
        from = "leap.gif"
        slice = { grid = "default" }

        [atlas.pond]
        use = "koi"
        gutter = 1
        "#,
    );
    let koi = &recipe.sprites[0];
    let part = &koi.making.parts[0];
    assert_eq!(part.options.cut.grid.unwrap().columns, 8);
    assert!(part.options.cut.blank.is_none(), "a default is put back");
    let feet: Anchor = "feet".parse().unwrap();
    assert_eq!((koi.making.shape.pivot, koi.making.shape.trim), (Some(feet), Some(TrimChoice::Clip)));
    let names: Vec<String> = koi.making.clips.clip.iter().map(|clip| clip.name().to_string()).collect();
    assert_eq!(names, ["swim", "turn"]);
    let own = &koi.own[0];
    assert_eq!(own.name.value, "turn");
    let shape = &own.making.as_ref().unwrap().shape;
    assert_eq!((shape.pivot, shape.trim), ("center".parse().ok(), Some(TrimChoice::Clip)));
    assert!(own.edits.speed.is_some());
    let frog = &recipe.sprites[1].making;
    assert_eq!(frog.parts[0].options.cut.grid.unwrap().columns, 4);
    assert!(frog.parts[1].options.cut.grid.is_none());
    assert_eq!(frog.parts[0].from.len(), 2);
    let pond = &recipe.atlases[0].options.arrange;
    assert_eq!(pond.layout(), LayoutChoice::Grid);
    assert_eq!(pond.gutter.unwrap().get(), 1);
}

#[test]
fn every_mistake_is_pointed_at() {
    let sprite = "[sprite.koi]\nfrom = \"koi.png\"\n";
    for (text, told, marked) in [
        ("[sprite.koi]\nform = \"koi.png\"", "shibori.toml:2:1: unknown key 'form'", "form"),
        (&format!("{sprite}slize = {{}}"), "shibori.toml:3:1: unknown key 'slize'", "slize"),
        (&format!("{sprite}slice = {{ gird = \"8x1\" }}"), "shibori.toml:3:11: unknown key 'gird'", "gird"),
        (&format!("{sprite}shape = {{ trim = \"all\" }}"), "shibori.toml:3:18: trim: ", "\"all\""),
        (&format!("{sprite}shape = {{ trim-alpha = 300 }}"), "shibori.toml:3:24: trim-alpha: '300' ", "300"),
        (&format!("{sprite}clips = {{ swim = \"0-\" }}"), "shibori.toml:3:", ""),
        (&format!("{sprite}clips = {{ swim = 3 }}"), "shibori.toml:3:18: swim: ", "3"),
        (
            &format!("{sprite}slice = {{ islands = true, grid = \"2x2\" }}"),
            "shibori.toml:3:27: grid and islands",
            "grid",
        ),
        (&format!("{sprite}export = {{ to = \"css\" }}"), "an export of a sprite needs set", ""),
        (&format!("{sprite}preview = {{ zoom = 2 }}"), "a preview needs as", ""),
        (&format!("{sprite}[atlas.pond]\nuse = []"), "atlas 'pond' needs use", "pond"),
        (&format!("{sprite}[atlas.\"../b\"]\nuse = \"koi\""), "shibori.toml:3:8: ../b: ", "\"../b\""),
        (
            &format!("{sprite}[defaults]\nshape = {{ pivto = 1 }}"),
            "shibori.toml:4:11: unknown key 'pivto'",
            "pivto",
        ),
        (&format!("{sprite}[check]\nequal = [[\"a\"]]"), "shibori.toml:4:9: equal: ", "[[\"a\"]]"),
        (&format!("{sprite}from = \"x\""), "shibori.toml:3:1: duplicate key", "from"),
        (
            &format!(
                "{sprite}slice = {{ manifest-only = true }}\nset = true\nshape = {{ canvas = \"9x9\" }}"
            ),
            "can't show the changes",
            "manifest-only",
        ),
        ("[sprite.koi]\n[[sprite.koi.part]]\nslice = {}", "a part of sprite 'koi' needs from", ""),
        ("sprite = 3", "shibori.toml:1:10: sprite must be a table, not a number", "3"),
    ] {
        let (said, found) = wrong(text);
        assert!(said.contains(told), "{text}\n{said}\nnot {told}");
        assert!(marked.is_empty() || found == marked, "{text}\n{said}\nmarked {found:?}");
    }
}

#[test]
fn what_is_no_text_is_said() {
    let folder = tempfile::tempdir().unwrap();
    let path = folder.path().join("shibori.toml");
    let told = |bytes: &[u8]| {
        fs::write(&path, bytes).unwrap();
        Recipe::read(&path).unwrap_err().fault.to_string()
    };
    let utf16: Vec<u8> = "[sprite.koi]".encode_utf16().flat_map(u16::to_le_bytes).collect();
    assert!(told(&[b"\xff\xfe".as_slice(), &utf16].concat()).contains("UTF-16"));
    assert!(told(&utf16).contains("UTF-16"));
    assert!(told(b"[sprite.\xff]").contains("UTF-8"));
    assert!(told(b"").contains("nothing to build"));
    assert!(told(b"\xef\xbb\xbf# only a mark").contains("nothing to build"));
    let long =
        format!("# {}\n[sprite.koi]\nfrom = \"{}\"\nzzz = 1", "x".repeat(10 << 20), "y".repeat(1 << 20));
    assert!(told(long.as_bytes()).contains("zzz"));
    let error = Recipe::read(folder.path().join("none").as_path()).unwrap_err();
    assert!(matches!(*error.fault, Fault::Missing));
    fs::remove_file(&path).unwrap();
    assert!(matches!(*Recipe::read(folder.path()).unwrap_err().fault, Fault::Folder));
}
