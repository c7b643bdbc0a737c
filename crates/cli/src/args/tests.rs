//! There is one list of options: what clap takes on the command line, serde takes from a recipe.

use clap::{Args, CommandFactory};
use serde::de::DeserializeOwned;
use serde_json::{Map, Value, json};

use super::*;

#[test]
fn the_command_line_is_consistent() {
    Cli::command().debug_assert();
}

/// Feeds every option of a group to serde, each with a value that fits, and an unknown one.
fn same_list<T: Args + DeserializeOwned>(values: Value) {
    let Value::Object(values) = values else { panic!("values come as an object") };
    let command = T::augment_args(clap::Command::new("group"));
    let mut typed: Vec<&str> = command.get_arguments().filter_map(clap::Arg::get_long).collect();
    let mut given: Vec<&str> = values.keys().map(String::as_str).collect();
    typed.sort_unstable();
    given.sort_unstable();
    assert_eq!(typed, given, "options of the command line and of the recipe differ");
    serde_json::from_value::<T>(Value::Object(values.clone())).map(drop).unwrap();
    serde_json::from_value::<T>(Value::Object(Map::new())).map(drop).unwrap();
    let unknown = serde_json::from_value::<T>(json!({ "gird": "8x1" }));
    assert!(unknown.is_err());
}

#[test]
fn a_recipe_has_the_same_options() {
    same_list::<CutArgs>(json!({
        "grid": "8x4", "cell": "32x32", "islands": true, "join": 2, "min-area": 9,
        "rects": "places.csv", "take": "0-7,9", "offset": "1,2", "gutter": "3,4", "count": 7, "read": "down",
        "blank": "keep", "uneven": true, "manifest-only": true, "name": "{sheet}-{n:03}", "number-from": 1,
    }));
    same_list::<CleanArgs>(json!({
        "key": "auto", "tolerance": 9, "key-scope": "everywhere", "clear-edge": 1, "specks": 4, "defringe": true,
        "harden-alpha": 128,
    }));
    same_list::<ShapeArgs>(json!({
        "trim": "clip", "trim-alpha": 3, "trim-border": 1, "canvas": "fit", "pivot": "16px,30px", "pivot-per": "frame",
        "mirror": "left-right", "scale": 0.5, "resample": "smooth", "align": "match", "region": "1,2,3,4",
        "align-with": "previous", "align-reach": 12, "box": ["body=auto"], "box-share": 80, "nine": "auto",
        "polygon": 8, "places": "places.csv",
    }));
    same_list::<ClipArgs>(json!({
        "clip": ["swim = 0-7 @12fps"], "clip-rows": "idle,-,walk", "event": ["swim@3=splash"],
    }));
    same_list::<PackArgs>(json!({
        "layout": "clip-rows", "columns": 4, "row-order": "sit,-,leap", "page-max": 1024, "page-size": "64x64",
        "page-round": "pow2", "margin": 1, "gutter": 2, "bleed": 1, "no-share": true, "effort": "high",
        "allow-turn": true, "page-square": true, "page-per": "sprite", "keep-places": "old.json",
    }));
    same_list::<PageArgs>(json!({
        "page-format": "qoi", "png": "small", "palette": 64, "alpha": "premultiplied", "no-spread": true,
        "sampling": "nearest", "uv": true, "uv-origin": "bottom", "page-scales": [1, 0.5], "companion": ["_n", "_e=000000"],
    }));
}

#[test]
fn a_recipe_refuses_the_same_values() {
    for wrong in [json!({ "grid": "8" }), json!({ "cell": "0x4" }), json!({ "name": "{nn}" })] {
        assert!(serde_json::from_value::<CutArgs>(wrong).is_err());
    }
    let error = serde_json::from_value::<ClipArgs>(json!({ "clip": "swim = 0 @0ms" })).unwrap_err();
    assert!(error.to_string().contains("more than 0 s"), "{error}");
}
