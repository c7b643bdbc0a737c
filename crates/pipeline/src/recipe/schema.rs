//! The JSON Schema of recipes, made of the option structs, and held against what the reader takes. The file in `schema/` is what editors
//! complete by; the test writes what it should be to a temporary file.

use clap::{ArgAction, Args, Command};
use serde_json::{Map, Value, json};
use shibori_formats::DisplaySlashed;

use super::*;
use crate::options::*;

/// The keys of a group of options, as the command line describes them.
fn group<T: Args>() -> Map<String, Value> {
    let command = T::augment_args(Command::new("group"));
    let property = |arg: &clap::Arg| {
        let help = arg.get_help().map(ToString::to_string).unwrap_or_default();
        let help = help.split_whitespace().collect::<Vec<_>>().join(" ");
        let words: Vec<String> =
            arg.get_possible_values().iter().map(|value| value.get_name().to_owned()).collect();
        let is_switch = matches!(arg.get_action(), ArgAction::SetTrue);
        let is_list = matches!(arg.get_action(), ArgAction::Append);
        let one = match (is_switch, words.is_empty()) {
            (true, _) => json!({ "type": "boolean" }),
            (false, true) => json!({ "type": ["string", "number"] }),
            (false, false) => json!({ "enum": words }),
        };
        let default = json!({ "const": DEFAULT });
        let any = match (is_list, one.get("enum").is_some() || is_switch) {
            (true, _) => vec![one.clone(), json!({ "type": "array", "items": one }), default],
            (false, true) => vec![one, default],
            (false, false) => vec![one],
        };
        let mut property = Map::from_iter([("description".to_owned(), json!(help))]);
        match any.as_slice() {
            [one] => property.extend(one.as_object().unwrap().clone()),
            any => drop(property.insert("anyOf".to_owned(), json!(any))),
        }
        (arg.get_long().unwrap().to_owned(), Value::Object(property))
    };
    command.get_arguments().map(property).collect()
}

fn table(properties: Map<String, Value>) -> Value {
    let mut table = object(json!({ "type": "object", "additionalProperties": false }));
    table.insert("properties".to_owned(), Value::Object(properties));
    Value::Object(table)
}

fn object(value: Value) -> Map<String, Value> {
    let Value::Object(map) = value else { panic!("it is written as an object") };
    map
}

fn all(parts: impl IntoIterator<Item = Map<String, Value>>) -> Map<String, Value> {
    parts.into_iter().flatten().collect()
}

fn reference(name: &str, description: &str) -> Value {
    json!({ "description": description, "$ref": format!("#/$defs/{name}") })
}

fn list_of(name: &str, description: &str) -> Value {
    let one = json!({ "$ref": format!("#/$defs/{name}") });
    json!({ "description": description, "anyOf": [one, { "type": "array", "items": one }] })
}

fn generated() -> Value {
    let text = |description: &str| json!({ "description": description, "type": "string" });
    let texts = |description: &str| {
        json!({ "description": description,
        "anyOf": [{ "type": "string" }, { "type": "array", "items": { "type": "string" } }] })
    };
    let from = texts("Files, folders, or patterns such as art/*.png, relative to the recipe");
    let slice = reference("slice", "Slicing, as the options of slice");
    let clean = reference("clean", "Cleaning pixels");
    let shape = reference("shape", "Aligning and shaping");
    let file = text("File to write");
    let previews = json!({ "as": { "description": "Kind of preview",
        "enum": ["contact", "grid", "motion", "pages", "html", "light-table", "onion", "drift"] }, "file": file,
        "before": text("For drift: a sprite to compare with, as it was before alignment") });
    let preview = all([
        object(previews),
        group::<ContactOptions>(),
        group::<MotionOptions>(),
        group::<OnionOptions>(),
        group::<PagesOptions>(),
        group::<DriftOptions>(),
        group::<HtmlOptions>(),
    ]);
    let export = all([object(json!({ "file": file })), group::<ExportOptions>()]);
    let clip = object(json!({
        "steps": text("Frames, timing and play mode: \"0-7 @12fps\""),
        "clean": clean, "shape": shape,
        "apart": { "description": "Copy frames that are shared with other clips", "anyOf": [{ "type": "boolean" }, { "const": DEFAULT }] },
    }));
    let edits = group::<ClipEdits>();
    let timing: Map<String, Value> =
        edits.clone().into_iter().filter(|(key, _)| ["speed", "snap"].contains(&key.as_str())).collect();
    let clips = json!({ "description": "Clips by name: swim = \"0-7 @12fps\", or a table with its own options",
        "type": "object", "additionalProperties": { "anyOf": [{ "type": "string" }, { "$ref": "#/$defs/clip" }] } });
    let part = all([
        object(json!({ "from": from, "slice": slice, "clean": clean, "shape": shape, "clips": clips })),
        group::<ClipOptions>(),
    ]);
    let sprite = all([
        object(json!({
            "from": from, "slice": slice, "clean": clean, "shape": shape, "clips": clips,
            "except": texts("Files that from would find and that are left out: paths or patterns"),
            "part": list_of("part", "Several sources in sequence, each sliced with its own options"),
            "set": { "description": "Folder for its frames, one PNG each; true uses the sprite's name",
                "type": ["boolean", "string"] },
            "export": list_of("export", "Exports of that set"),
            "preview": list_of("preview", "Preview images"),
            "check": reference("check-options", "What check accepts for it"),
        })),
        group::<ClipOptions>(),
        edits,
    ]);
    let mut atlas = all([
        object(json!({
            "use": texts("Its sprites: names or patterns such as npc-*"),
            "file": text("Output path without extension, relative to the output folder"),
            "shape": shape, "clips": clips,
            "export": list_of("export", "Metadata in other formats"),
            "preview": list_of("preview", "Preview images"),
        })),
        group::<FilterOption>(),
        group::<PickOptions>(),
        group::<ArrangeOptions>(),
        group::<PageOptions>(),
        group::<ClipOptions>(),
    ]);
    atlas["keep-places"] = json!({ "description": "true: keep frames where they are in the existing atlas; or the .json \
        of an earlier atlas",
        "type": ["boolean", "string"] });
    let names = texts("Required clips: swim, or koi:swim");
    let check = all([
        object(json!({
            "clips": names.clone(),
            "equal": { "description": "Groups of clips that must have the same number of steps", "type": "array",
                "items": { "type": "array", "items": { "type": "string" }, "minItems": 2 } },
            "pages": { "description": "Maximum number of pages per atlas", "type": "integer", "minimum": 1 },
        })),
        group::<CheckOptions>(),
    ]);
    let named =
        |of: &str| json!({ "type": "object", "additionalProperties": { "$ref": format!("#/$defs/{of}") } });
    json!({
        "$schema": "https://json-schema.org/draft/2020-12/schema",
        "title": "Shibori recipe (shibori.toml)",
        "type": "object",
        "additionalProperties": false,
        "properties": {
            "include": texts("Recipes with tables that this one's override; paths are relative to this file"),
            "out": { "type": "object", "additionalProperties": false,
                "properties": { "dir": text("Folder for all outputs, relative to the recipe") } },
            "defaults": { "description": "Defaults that narrower tables override", "type": "object",
                "additionalProperties": false, "properties": {
                    "slice": slice, "clean": clean, "shape": shape,
                    "atlas": reference("atlas", "For all atlases"), "preview": reference("preview", "For all previews"),
                } },
            "sprite": named("sprite"),
            "atlas": named("atlas"),
            "check": reference("check", "What check expects of the whole recipe"),
        },
        "$defs": {
            "slice": table(group::<CutOptions>()),
            "clean": table(group::<CleanOptions>()),
            "shape": table(group::<ShapeOptions>()),
            "clip": table(all([clip, timing])),
            "part": table(part),
            "sprite": table(sprite),
            "atlas": table(atlas),
            "export": table(export),
            "preview": table(preview),
            "check": table(check),
            "check-options": table(all([object(json!({ "clips": names })), group::<CheckOptions>()])),
        }
    })
}

#[test]
fn the_schema_is_that_of_the_option_structs() {
    let text = serde_json::to_string_pretty(&generated()).unwrap() + "\n";
    if text != schema() {
        let file = std::env::temp_dir().join("recipe.schema.json");
        std::fs::write(&file, &text).unwrap();
        panic!(
            "crates/pipeline/schema/recipe.schema.json is not what the options say; what it should be is in {}",
            file.display_slashed()
        );
    }
}

/// What the reader says it knows in a table, by being asked for a key that nobody knows.
fn known(recipe: &str) -> Vec<String> {
    let error = Recipe::parse(RecipeText::new(Path::new("shibori.toml"), recipe.to_owned())).unwrap_err();
    let RecipeErrorKind::UnknownKey { known, key, .. } = *error.fault else { panic!("{error}") };
    assert_eq!(key, "zzz");
    let mut known: Vec<String> = known.iter().map(|key| (*key).to_owned()).collect();
    known.sort();
    known.dedup();
    known
}

#[test]
fn the_schema_knows_just_the_keys_that_the_reader_knows() {
    let schema = generated();
    let keys = |at: &str| {
        let mut keys: Vec<String> = schema
            .pointer(&format!("{at}/properties"))
            .unwrap()
            .as_object()
            .unwrap()
            .keys()
            .cloned()
            .collect();
        keys.sort();
        keys
    };
    let sprite = "[sprite.koi]\nfrom = \"koi.png\"\n";
    let atlas = "[sprite.koi]\nfrom = \"koi.png\"\n[atlas.pond]\nuse = \"koi\"\n";
    for (at, recipe) in [
        ("", "zzz = 1".to_owned()),
        ("/properties/out", "[out]\nzzz = 1".to_owned()),
        ("/properties/defaults", "[defaults]\nzzz = 1".to_owned()),
        ("/$defs/sprite", format!("{sprite}zzz = 1")),
        ("/$defs/slice", format!("{sprite}slice = {{ zzz = 1 }}")),
        ("/$defs/clean", format!("{sprite}clean = {{ zzz = 1 }}")),
        ("/$defs/shape", format!("{sprite}shape = {{ zzz = 1 }}")),
        ("/$defs/clip", format!("{sprite}clips = {{ swim = {{ zzz = 1 }} }}")),
        ("/$defs/check-options", format!("{sprite}check = {{ zzz = 1 }}")),
        ("/$defs/part", "[sprite.koi]\n[[sprite.koi.part]]\nfrom = \"koi.png\"\nzzz = 1".to_owned()),
        ("/$defs/atlas", format!("{atlas}zzz = 1")),
        ("/$defs/export", format!("{atlas}export = {{ to = \"css\", zzz = 1 }}")),
        ("/$defs/check", "[check]\nzzz = 1".to_owned()),
    ] {
        let mut read = known(&recipe);
        // What belongs to the sprite's table and is refused in a clip's with a word of its own.
        if at == "/$defs/clip" {
            read.retain(|key| key != "drop" && key != "rename");
        }
        assert_eq!(keys(at), read, "{at}");
    }
    let mut drawn: Vec<String> =
        ["contact", "motion", "pages", "html", "light-table", "onion", "drift", "grid"]
            .iter()
            .flat_map(|kind| known(&format!("{atlas}preview = {{ as = \"{kind}\", zzz = 1 }}")))
            .collect();
    drawn.sort();
    drawn.dedup();
    assert_eq!(keys("/$defs/preview"), drawn);
}
