//! Recipes as people write them: what goes over what, and mistakes with their places.

use shibori_core::shape::Anchor;
use shibori_formats::DisplaySlashed;

use super::*;
use shibori_core::shape::TrimScope;

use crate::options::LayoutName;

fn read(text: &str) -> Recipe {
    Recipe::parse(RecipeText::new(Path::new("shibori.toml"), text.to_owned()))
        .unwrap_or_else(|error| panic!("{error}"))
}

/// What is said of a wrong recipe, and what is marked.
fn wrong(text: &str) -> (String, String) {
    let error = Recipe::parse(RecipeText::new(Path::new("shibori.toml"), text.to_owned())).unwrap_err();
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
    assert_eq!((koi.making.shape.pivot, koi.making.shape.trim), (Some(feet), Some(TrimScope::Clip)));
    let names: Vec<String> = koi.making.clips.clip.iter().map(|clip| clip.name().to_string()).collect();
    assert_eq!(names, ["swim", "turn"]);
    let own = &koi.own[0];
    assert_eq!(own.name.value, "turn");
    let shape = &own.making.as_ref().unwrap().shape;
    assert_eq!((shape.pivot, shape.trim), ("center".parse().ok(), Some(TrimScope::Clip)));
    assert!(own.edits.speed.is_some());
    let frog = &recipe.sprites[1].making;
    assert_eq!(frog.parts[0].options.cut.grid.unwrap().columns, 4);
    assert!(frog.parts[1].options.cut.grid.is_none());
    assert_eq!(frog.parts[0].from.len(), 2);
    let pond = &recipe.atlases[0].options.arrange;
    assert_eq!(pond.layout(), LayoutName::Grid);
    assert_eq!(pond.gutter.unwrap().get(), 1);
}

#[test]
fn every_mistake_is_pointed_at() {
    let sprite = "[sprite.koi]\nfrom = \"koi.png\"\n";
    for (text, message, marked) in [
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
        assert!(said.contains(message), "{text}\n{said}\nnot {message}");
        assert!(marked.is_empty() || found == marked, "{text}\n{said}\nmarked {found:?}");
    }
}

#[test]
fn what_is_no_text_is_said() {
    let folder = tempfile::tempdir().unwrap();
    let path = folder.path().join("shibori.toml");
    let error_of = |bytes: &[u8]| {
        fs::write(&path, bytes).unwrap();
        Recipe::read(&path).unwrap_err().fault.to_string()
    };
    let utf16: Vec<u8> = "[sprite.koi]".encode_utf16().flat_map(u16::to_le_bytes).collect();
    assert!(error_of(&[b"\xff\xfe".as_slice(), &utf16].concat()).contains("UTF-16"));
    assert!(error_of(&utf16).contains("UTF-16"));
    assert!(error_of(b"[sprite.\xff]").contains("UTF-8"));
    assert!(error_of(b"").contains("nothing to build"));
    assert!(error_of(b"\xef\xbb\xbf# only a mark").contains("nothing to build"));
    let long =
        format!("# {}\n[sprite.koi]\nfrom = \"{}\"\nzzz = 1", "x".repeat(10 << 20), "y".repeat(1 << 20));
    assert!(error_of(long.as_bytes()).contains("zzz"));
    let error = Recipe::read(folder.path().join("none").as_path()).unwrap_err();
    assert!(matches!(*error.fault, RecipeErrorKind::Missing));
    fs::remove_file(&path).unwrap();
    assert!(matches!(*Recipe::read(folder.path()).unwrap_err().fault, RecipeErrorKind::Folder));
}

#[test]
fn included_files_are_below_their_recipe_and_mistakes_are_placed_in_them() {
    let home = tempfile::tempdir().unwrap();
    let write = |name: &str, text: &str| fs::write(home.path().join(name), text).unwrap();
    let read = || Recipe::read(&home.path().join("shibori.toml"));
    fs::create_dir(home.path().join("deep")).unwrap();
    write(
        "shibori.toml",
        "include = [\"first.toml\", \"deep/last.toml\"]\n[sprite.koi]\nslice = { grid = \"8x1\" }\n",
    );
    write(
        "first.toml",
        "[out]\ndir = \"one\"\n[sprite.koi]\nfrom = \"first.png\"\nset = true\nslice = { grid = \"2x2\", gutter = 1 }\n",
    );
    write(
        "deep/last.toml",
        "include = \"../first.toml\"\n[sprite.koi]\nfrom = \"last.png\"\n[sprite.frog]\nfrom = \"frog.png\"\n",
    );
    let recipe = read().unwrap();
    let koi = recipe.sprites.iter().find(|sprite| sprite.name.value == "koi").unwrap();
    let part = &koi.making.parts[0];
    assert_eq!(part.from[0].value, "last.png", "the last file goes over the first");
    assert_eq!(part.options.cut.grid.unwrap().to_string(), "8x1", "and the recipe over both");
    assert!(part.options.cut.gutter.is_some() && koi.set.is_some() && recipe.sprites.len() == 2);
    assert_eq!(recipe.out.value, Path::new("one"));
    let wrong = || {
        let error = read().unwrap_err();
        (
            error.to_string().replace(&home.path().display_slashed().to_string(), ""),
            error.mark.unwrap().pointer(),
        )
    };
    write("deep/last.toml", "# \u{e9}\n[sprite.frog]\nfrom = \"a.png\"\nzet = true");
    assert_eq!(wrong(), ("/deep/last.toml:4:1: unknown key 'zet'".to_owned(), "zet = true\n^^^".to_owned()));
    write("deep/last.toml", "[sprite.frog\n");
    assert!(wrong().0.starts_with("/deep/last.toml:1:13: "), "{}", wrong().0);
    write("deep/last.toml", "\ninclude = [\"../shibori.toml\"]");
    let cycle = "these files include each other: /shibori.toml -> /deep/last.toml -> /deep/../shibori.toml";
    assert_eq!(wrong().0, format!("/deep/last.toml:2:12: {cycle}"));
    // A value of another kind is wrong wherever it is, but a clip may be a text or a table.
    write("deep/last.toml", "[sprite.koi]\nslice = 3\nclips = { swim = \"0-7\" }");
    assert_eq!(wrong().0, "/deep/last.toml:2:9: slice must be a table, not a number");
    write("deep/last.toml", "sprite = 3");
    assert_eq!(wrong().0, "/deep/last.toml:1:10: sprite must be a table, not a number");
    write("deep/last.toml", "[sprite.koi]\nclips = { swim = \"0-7\" }");
    write(
        "shibori.toml",
        "include = [\"first.toml\", \"deep/last.toml\"]\n[sprite.koi]\nclips = { swim = { speed = 2 } }\n",
    );
    let making = &read().unwrap().sprites[0].making;
    assert_eq!(making.clips.clip[0].to_string(), "swim = 0-7");
    write("deep/last.toml", "include = \"no.toml\"");
    assert_eq!(wrong().0, "/deep/last.toml:1:11: no.toml: no such file or folder");
}

#[test]
fn what_a_recipe_says_is_the_same_however_it_is_laid_out() {
    let said = |text: &str| read(text).sprites[0].settings.text().to_owned();
    let plain =
        said("[sprite.koi]\nfrom = \"a.png\"\nslice = { grid = \"8x1\" }\nclips = { swim = \"0-7\" }");
    assert_eq!(
        said(
            "# koi\n[defaults.slice]\ngrid   = '8x1'\n[sprite.koi]\nfrom = 'a.png' # here\n[sprite.koi.clips]\nswim = \"0-7\""
        ),
        plain
    );
    for other in [
        "[sprite.koi]\nfrom = \"a.png\"\nslice = { grid = \"8x1\" }\nclips = { swim = \"0-6\" }",
        "[sprite.koi]\nfrom = \"a.png\"\nslice = { grid = \"8x1\", islands = false }\nclips = { swim = \"0-7\" }",
        "[sprite.koi]\nfrom = \"a.png\"\nslice = { grid = \"8x1\" }\nclips = { turn = \"0-7\" }",
        "[defaults.clean]\nkey = \"auto\"\n[sprite.koi]\nfrom = \"a.png\"\nslice = { grid = \"8x1\" }\nclips = { swim = \"0-7\" }",
    ] {
        assert_ne!(said(other), plain, "{other}");
    }
}
