//! Templates to start from, kept in `templates/` of this crate.

/// A template that comes with the program.
#[derive(Clone, Copy, Debug)]
pub struct BuiltinTemplate {
    /// What it is asked for by.
    pub name: &'static str,
    /// Its file in `templates/`.
    pub file: &'static str,
    /// What it makes.
    pub what: &'static str,
    /// Its text.
    pub source: &'static str,
}

macro_rules! starter {
    ($name:literal, $file:literal, $what:literal) => {
        BuiltinTemplate {
            name: $name,
            file: $file,
            what: $what,
            source: include_str!(concat!("../../../templates/", $file)),
        }
    };
}

/// All of them.
pub const BUILTIN_TEMPLATES: &[BuiltinTemplate] = &[
    starter!("c", "atlas.h.j2", "a C99 header: tables of frames, steps and clips, and an enum of each"),
    starter!("lua", "atlas.lua.j2", "a Lua module that returns one table"),
    starter!("typescript", "atlas.ts.j2", "a TypeScript module with types and constants"),
    starter!("python", "atlas.py.j2", "a Python module of dataclasses"),
    starter!("json", "atlas.data.json.j2", "a JSON file that a loader reads without knowing the manifest"),
    starter!("xml", "atlas.xml.j2", "an XML file"),
    starter!("rust", "atlas.rs.j2", "a Rust module of constants for the crate shibori-play"),
];

impl BuiltinTemplate {
    /// The ending of what it makes: `h` of `atlas.h.j2`.
    pub fn extension(&self) -> &'static str {
        self.file.trim_start_matches("atlas.").trim_end_matches(".j2")
    }
}
