//! There is one list of options: what clap takes on a command line, serde takes from a recipe, with the same values.

use clap::Args;
use serde::Serialize;
use serde::de::DeserializeOwned;
use serde_json::{Map, Value, json};

use super::*;

/// Feeds every option of a group to serde, each with a value that fits, as text and as what it is; then each with the word
/// for its default, and an unknown one.
fn same_list<T: Args + Serialize + DeserializeOwned + PartialEq + std::fmt::Debug>(values: Value) {
    let Value::Object(values) = values else { panic!("values come as an object") };
    let command = T::augment_args(clap::Command::new("group"));
    let mut typed: Vec<&str> = command.get_arguments().filter_map(clap::Arg::get_long).collect();
    let mut given: Vec<&str> = values.keys().map(String::as_str).collect();
    typed.sort_unstable();
    given.sort_unstable();
    assert_eq!(typed, given, "options of the command line and of the recipe differ");
    let read = |values: Map<String, Value>| serde_json::from_value::<T>(Value::Object(values));
    let plain = read(Map::new()).unwrap();
    let by_value = read(values.clone()).unwrap();
    assert_ne!(by_value, plain);
    let as_text = |value: &Value| match value {
        Value::Array(values) => Value::Array(values.clone()),
        Value::String(text) => Value::from(text.as_str()),
        other => Value::from(other.to_string()),
    };
    let texts = values.iter().map(|(key, value)| (key.clone(), as_text(value)));
    assert_eq!(read(texts.collect()).unwrap(), by_value, "numbers are the same as their texts");
    let defaults = values.keys().map(|key| (key.clone(), Value::from(DEFAULT)));
    assert_eq!(
        read(defaults.collect()).unwrap(),
        plain,
        "the word for the default is as if nothing was said"
    );
    assert!(serde_json::from_value::<T>(json!({ "gird": "8x1" })).is_err());
    // Where commas part values on a command line, they do so everywhere.
    for option in command.get_arguments().filter(|option| option.get_value_delimiter().is_some()) {
        let key = option.get_long().unwrap();
        let Value::Array(list) = &values[key] else { panic!("{key} is a list") };
        let mut joined = values.clone();
        let text = list.iter().map(error_text).collect::<Vec<_>>().join(",");
        joined.insert(key.to_owned(), Value::from(text));
        assert_eq!(read(joined).unwrap(), by_value, "{key} with commas");
    }
    // The command line takes the same texts and comes to the same.
    let mut words = vec!["group".to_owned()];
    for (key, value) in &values {
        match value {
            Value::Bool(true) => words.push(format!("--{key}")),
            Value::Array(values) => {
                words.extend(values.iter().map(|value| format!("--{key}={}", error_text(value))));
            }
            value => words.push(format!("--{key}={}", error_text(value))),
        }
    }
    let matches = T::augment_args(clap::Command::new("group")).try_get_matches_from(words).unwrap();
    assert_eq!(T::from_arg_matches(&matches).unwrap(), by_value);
    // And what is written back is read as the same.
    assert_eq!(serde_json::from_value::<T>(serde_json::to_value(&by_value).unwrap()).unwrap(), by_value);
    let written = ["group".to_owned()].into_iter().chain(command_words(&by_value));
    let matches = T::augment_args(clap::Command::new("group")).try_get_matches_from(written).unwrap();
    assert_eq!(T::from_arg_matches(&matches).unwrap(), by_value);
    let keys: Vec<String> = recipe_tables(&by_value).into_iter().flat_map(|(_, keys)| keys).collect();
    assert_eq!(toml::from_str::<T>(&keys.join("\n")).unwrap(), by_value, "{keys:?}");
    let nothing = T::augment_args(clap::Command::new("group")).try_get_matches_from(["group"]).unwrap();
    assert_eq!(T::from_arg_matches(&nothing).unwrap(), plain, "what was not said is not said");
}

fn error_text(value: &Value) -> String {
    value.as_str().map_or_else(|| value.to_string(), str::to_owned)
}

#[test]
fn a_recipe_has_the_same_options_as_the_command_line() {
    same_list::<CutOptions>(json!({
        "grid": "8x4", "cell": "32x32", "islands": true, "join": 2, "min-area": 9,
        "rects": "places.csv", "take": "0-7,9", "offset": "1,2", "gutter": "3,4", "count": 7, "read": "down",
          "within": "1,2,30,40", "sprite": "koi",
        "blank": "keep", "uneven": true, "manifest-only": true, "name": "{sheet}-{n:03}", "number-from": 1,
    }));
    same_list::<CleanOptions>(json!({
        "key": "ff00ff,00ff00", "erase": ["1,2,3,4"], "tolerance": 9, "key-scope": "everywhere", "clear-edge": 1,
          "specks": 4, "defringe": true,
        "harden-alpha": 128,
    }));
    same_list::<ShapeOptions>(json!({
        "trim": "clip", "trim-alpha": 3, "trim-border": 1, "canvas": "fit", "pivot": "16px,30px", "pivot-per": "frame",
        "mirror": "left-right", "scale": 0.5, "resample": "smooth", "align": "match", "region": "1,2,3,4",
        "align-with": "previous", "align-reach": 12, "align-axis": "x", "align-per": "sprite", "box": ["body=auto"],
          "box-share": 80, "nine": "auto",
        "polygon": 8, "per-frame": "per-frame.csv",
    }));
    same_list::<ClipOptions>(json!({
        "clip": ["swim = 0-7 @12fps"], "clip-rows": "idle,-,walk", "event": ["swim@3=splash"],
    }));
    same_list::<ClipEdits>(json!({ "drop": ["swim"], "rename": ["a=b"], "speed": 2, "snap": "24fps" }));
    same_list::<ArrangeOptions>(json!({
        "layout": "clip-rows", "draw-mirrored": true, "columns": 4, "row-order": "sit,-,leap", "page-max": 1024, "page-size": "64x64",
        "page-round": "pow2", "margin": 1, "gutter": 2, "bleed": 1, "no-share": true, "effort": "high",
        "allow-rotation": true, "page-square": true, "page-per": "sprite", "keep-places": "old.json", "place-step": 4, "repack-over": 20,
    }));
    same_list::<PageOptions>(json!({
        "page-format": "qoi", "png": "small", "palette": 64, "alpha": "premultiplied", "no-spread": true,
        "sampling": "nearest", "uv": true, "uv-origin": "bottom", "page-scales": ["1", "0.5"],
        "companion": ["_n", "_e=000000", "_bump=808080:normal"],
    }));
    same_list::<CheckOptions>(json!({
        "only": "koi", "allow": ["drift", "specks=koi:swim"], "drift-limit": 4.5, "size-limit": 30, "speck-limit": 2, "strict": true,
    }));
    same_list::<RunOptions>(json!({
        "dry-run": true, "force": true, "carry": true, "accept": ["truncated", "edits"], "max-pixels": 1000, "max-memory": "2GB",
    }));
    same_list::<ExportOptions>(json!({ "to": "glb", "template": "engine.lua.j2", "unit": 16 }));
    same_list::<UnpackOptions>(json!({ "trimmed": true, "only": "koi:swim" }));
    same_list::<ContactOptions>(
        json!({ "only": "koi", "zoom": 2, "width": 640, "height": 900, "show": ["pivot", "boxes"] }),
    );
    same_list::<MotionOptions>(json!({
        "only": "koi", "clip": ["turn = 3-5 @12fps"], "speed": 2, "zoom": 2, "background": "checker", "show": ["all"],
    }));
    same_list::<OnionOptions>(json!({ "only": "koi", "zoom": 2, "width": 640 }));
    same_list::<PagesOptions>(json!({ "only": "koi", "zoom": 2 }));
    same_list::<DriftOptions>(json!({ "only": "koi" }));
    same_list::<HtmlOptions>(json!({ "only": "koi" }));
}

#[test]
fn commands_are_made_of_the_groups() {
    let slice = json!({ "slice": { "grid": "8x1" }, "clean": { "key": "auto" }, "shape": { "pivot": "feet" },
        "clips": { "clip": "swim = 0-7" } });
    let slice: SliceOptions = serde_json::from_value(slice).unwrap();
    assert!(slice.cut.has_cut_method() && slice.clean.changes_pixels() && slice.clips.clip.len() == 1);
    let pack = json!({ "pack": { "layout": "grid" }, "page": { "png": "quick" }, "only": "koi" });
    let pack: PackOptions = serde_json::from_value(pack).unwrap();
    assert_eq!(pack.arrange.layout(), LayoutName::Grid);
    let guide: GuideOptions = serde_json::from_value(json!({ "grid": "8x4", "cell": "32x48" })).unwrap();
    assert_eq!(guide.grid.columns, 8);
    assert!(serde_json::from_value::<GuideOptions>(json!({ "grid": "8x4" })).is_err());
}

#[test]
fn what_is_out_of_range_is_refused_however_it_comes() {
    fn refused<T: DeserializeOwned + std::fmt::Debug>(value: impl Into<Value>, expected: &str) {
        let value = value.into();
        let error = serde_json::from_value::<T>(value.clone()).unwrap_err().to_string();
        assert!(error.contains(expected), "{value}: {error}");
    }
    refused::<CutOptions>(json!({ "grid": "8" }), "8");
    refused::<CutOptions>(json!({ "cell": "0x4" }), "0x4");
    refused::<CutOptions>(json!({ "name": "{nn}" }), "nn");
    refused::<CutOptions>(json!({ "read": "sideways" }), "across");
    refused::<CutOptions>(json!({ "islands": "perhaps" }), "perhaps");
    refused::<ClipOptions>(json!({ "clip": "swim = 0 @0ms" }), "duration above 0");
    refused::<CleanOptions>(json!({ "harden-alpha": 0 }), "from 1 to 255");
    refused::<CleanOptions>(json!({ "tolerance": 256 }), "256");
    refused::<ShapeOptions>(json!({ "box-share": 0 }), "from 1 to 100");
    refused::<ShapeOptions>(json!({ "trim-alpha": 255 }), "from 0 to 254");
    refused::<ShapeOptions>(json!({ "scale": 0 }), "above 0 and up to 64");
    refused::<ShapeOptions>(json!({ "scale": "inf" }), "above 0 and up to 64");
    refused::<ShapeOptions>(json!({ "scale": 65 }), "above 0 and up to 64");
    refused::<ShapeOptions>(json!({ "box": ["hit=0x4"] }), "hit=0x4");
    refused::<CleanOptions>(json!({ "key": "ff00ff,mauve" }), "mauve");
    refused::<ShapeOptions>(json!({ "polygon": 3 }), "from 4 to 64");
    refused::<ShapeOptions>(json!({ "align-reach": 2000 }), "from 1 to 1024");
    refused::<PageOptions>(json!({ "palette": 1 }), "from 2 to 256");
    refused::<ArrangeOptions>(json!({ "gutter": -1 }), "from 0 to 1024");
    refused::<ArrangeOptions>(json!({ "columns": 0 }), "from 1 to");
    refused::<ArrangeOptions>(json!({ "page-max": 100_000 }), "1 to 65536");
    refused::<MotionOptions>(json!({ "zoom": 65 }), "from 1 to 64");
    refused::<CheckOptions>(json!({ "drift-limit": -1 }), "0 or more");
}

#[test]
fn contradictions_are_one_list_for_all_ways_in() {
    fn conflict_of<T: DeserializeOwned>(
        value: Value,
        validate: impl Fn(&T) -> Result<(), OptionConflict>,
    ) -> String {
        let options: T = serde_json::from_value(value).unwrap();
        validate(&options).unwrap_err().to_string()
    }
    let cut = |value| conflict_of(value, CutOptions::validate);
    assert_eq!(
        cut(json!({ "grid": "2x2", "islands": true })),
        "grid and islands both define where the frames are"
    );
    let shape = |value| conflict_of(value, |shape: &ShapeOptions| shape.validate(false, false));
    assert_eq!(shape(json!({ "region": "1,2,3,4" })), "region has no effect without align match");
    assert_eq!(shape(json!({ "box": ["a=auto", "a=auto:clip"] })), "box: 'a' is given twice");
    // What would make no difference is said, whichever group it is in.
    let clean = |value| conflict_of(value, CleanOptions::validate);
    for (said, option) in [
        (cut(json!({ "offset": "1,1" })), "offset"),
        (cut(json!({ "islands": true, "uneven": true })), "uneven"),
        (cut(json!({ "grid": "2x2", "join": 3 })), "join"),
        (cut(json!({ "cell": "16x16", "uneven": true })), "uneven"),
        (cut(json!({ "islands": true, "count": 3 })), "count"),
        (cut(json!({ "rects": "a.csv", "within": "0,0,4,4" })), "within"),
        (cut(json!({ "rects": "a.csv", "number-from": 1 })), "number-from"),
        (clean(json!({ "tolerance": 4 })), "tolerance"),
        (clean(json!({ "key": "none", "key-scope": "everywhere" })), "key-scope"),
        (shape(json!({ "resample": "smooth" })), "resample"),
        (shape(json!({ "trim-border": 2 })), "trim-border"),
        (shape(json!({ "trim": "none", "trim-alpha": 2 })), "trim-alpha"),
        (shape(json!({ "pivot": "bottom", "pivot-per": "frame" })), "pivot-per"),
        (shape(json!({ "box": ["a=auto"], "box-share": 80 })), "box-share"),
        (shape(json!({ "align": "feet", "align-with": "previous" })), "align-with"),
    ] {
        assert!(said.starts_with(&format!("{option} ")), "{option}: {said}");
    }
    let arrange = |value| conflict_of(value, ArrangeOptions::validate);
    assert_eq!(arrange(json!({ "columns": 2 })), "columns has no effect without layout grid");
    assert!(arrange(json!({ "page-square": true, "page-size": "64x32" })).contains("page-size 64x32"));
    assert_eq!(
        arrange(json!({ "page-max": 64, "page-size": "64x32" })),
        "page-max and page-size both define the page size"
    );
    assert!(arrange(json!({ "layout": "grid", "effort": "high" })).starts_with("effort "));
    let page = |value| conflict_of(value, PageOptions::validate);
    assert!(page(json!({ "no-spread": true, "palette": 16 })).starts_with("no-spread "));
    assert_eq!(page(json!({ "uv-origin": "top" })), "uv-origin has no effect without uv");
    let slice = json!({ "slice": { "manifest-only": true }, "clean": { "specks": 2 } });
    assert!(conflict_of(slice, SliceOptions::validate).contains("untouched sheet"));
}
