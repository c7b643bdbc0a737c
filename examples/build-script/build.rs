//! Packs the art into `OUT_DIR` whenever it changes.

use std::env;
use std::error::Error;
use std::path::PathBuf;

use shibori_pipeline::NoopObserver;
use shibori_pipeline::build::Build;

fn main() {
    if let Err(error) = pack_art() {
        // Cargo shows these lines and stops.
        error.to_string().lines().for_each(|line| println!("cargo::error={line}"));
    }
}

fn pack_art() -> Result<(), Box<dyn Error>> {
    let out = PathBuf::from(env::var_os("OUT_DIR").ok_or("cargo sets OUT_DIR")?);
    let build = Build::of("art/shibori.toml").out_dir(&out).state_dir(&out).open()?;
    for path in build.rerun_paths() {
        println!("cargo::rerun-if-changed={}", path.display());
    }
    build.run(None, &NoopObserver)?;
    Ok(())
}
