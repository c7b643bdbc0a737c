//! Which outputs are made of which inputs, in the form that Make and Ninja read: `outputs: inputs`, and a rule without
//! anything for each input, so that a source that is gone stops nobody.

use std::fmt::Write;
use std::path::{Path, PathBuf};

use shibori_formats::encode;
use shibori_formats::store::{Policy, Transaction};

use crate::Error;
use crate::build::{Build, TargetInfo};

impl Build {
    /// Writes what some targets are made of, even where nothing is new: the file is to be younger than what it lists. With
    /// `is_untrimmed`, it is itself made of all inputs.
    ///
    /// # Errors
    /// If the file is a source, can't be written, or is neither ours nor a list of this kind.
    pub fn write_depfile(&self, file: &Path, steps: &[TargetInfo], is_untrimmed: bool) -> Result<(), Error> {
        let text = depfile(steps, is_untrimmed.then_some(file), |path| self.base().join(path));
        let recipe = self.recipe_file().to_owned();
        let run = Transaction::new(Policy { recipe: Some(recipe.clone()), ..self.run.policy() });
        let inputs = steps.iter().flat_map(|step| &step.inputs).map(|path| self.base().join(path));
        run.add_sources(&inputs.chain([recipe]).collect::<Vec<_>>());
        encode::fresh_bytes(file, text.as_bytes(), is_depfile, &run)?;
        Ok(run.commit()?)
    }
}

/// Whether a text is a list as this one writes: rules, and nothing else.
fn is_depfile(text: &[u8]) -> bool {
    let text = String::from_utf8_lossy(text);
    let is_rule = |line: &str| {
        line.is_empty() || line.starts_with("  ") || line.ends_with(':') || line.ends_with(" \\")
    };
    text.contains(": \\\n") && text.lines().all(is_rule)
}

/// The text of a list for some targets. `at` says where a path is that begins in the recipe's folder.
///
/// With `own`, it is that of a whole recipe, and the file itself is made of every input and every output: Make builds again
/// if an input is newer, or an output is gone. Outputs depend on nothing themselves, since one that stayed the same is older
/// than its inputs forever.
fn depfile(steps: &[TargetInfo], own: Option<&Path>, at: impl Fn(&Path) -> PathBuf) -> String {
    let listed = |files: &[&PathBuf]| {
        let files: Vec<String> = files.iter().map(|path| escaped(&at(path))).collect();
        files.join(" \\\n  ")
    };
    let mut text = String::new();
    let outputs: Vec<&PathBuf> = steps.iter().flat_map(|step| &step.outputs).collect();
    let mut inputs: Vec<&PathBuf> =
        steps.iter().flat_map(|step| &step.inputs).filter(|path| !outputs.contains(path)).collect();
    inputs.sort();
    inputs.dedup();
    let mut alone = inputs.clone();
    if let Some(own) = own {
        alone.extend(&outputs);
        let _ = writeln!(text, "{}: \\\n  {}", as_target(&escaped(own)), listed(&alone));
    } else {
        for step in steps {
            let outputs: Vec<String> =
                step.outputs.iter().map(|path| as_target(&escaped(&at(path)))).collect();
            let inputs: Vec<&PathBuf> = step.inputs.iter().collect();
            let _ = writeln!(text, "{}: \\\n  {}", outputs.join(" \\\n  "), listed(&inputs));
        }
    }
    for path in alone {
        let _ = writeln!(text, "\n{}:", as_target(&escaped(&at(path))));
    }
    text
}

/// A path before a colon, where `%` would stand for any name.
fn as_target(path: &str) -> String {
    path.replace('%', "\\%")
}

/// A path with what means something to Make made plain. A line's end can't be.
fn escaped(path: &Path) -> String {
    let mut text = String::new();
    for c in super::sources::slashed(path).chars() {
        match c {
            ' ' | '#' | '\\' => text.extend(['\\', c]),
            '$' => text.push_str("$$"),
            c => text.push(c),
        }
    }
    text
}

#[cfg(test)]
mod tests {
    use super::*;
    use shibori_formats::store::Digest as Hash;

    #[test]
    fn spaces_and_dollars_are_kept_plain_and_every_input_has_a_rule() {
        let step = TargetInfo {
            name: "atlas.pond".to_owned(),
            inputs: ["art/big koi.png", "art/$1.png"].map(PathBuf::from).to_vec(),
            outputs: ["build/pond.json", "build/pond.png"].map(PathBuf::from).to_vec(),
            digest: Hash([0; 32]),
        };
        assert_eq!(
            depfile(std::slice::from_ref(&step), None, |path| Path::new("game").join(path)),
            "game/build/pond.json \\\n  game/build/pond.png: \\\n  game/art/big\\ koi.png \\\n  game/art/$$1.png\n\
             \ngame/art/$$1.png:\n\ngame/art/big\\ koi.png:\n"
        );
        let step = TargetInfo { inputs: vec![PathBuf::from("art/50%.png")], ..step };
        assert_eq!(
            depfile(&[step], Some(Path::new("shibori.d")), Path::to_owned),
            "shibori.d: \\\n  art/50%.png \\\n  build/pond.json \\\n  build/pond.png\n\
             \nart/50\\%.png:\n\nbuild/pond.json:\n\nbuild/pond.png:\n"
        );
    }
}
