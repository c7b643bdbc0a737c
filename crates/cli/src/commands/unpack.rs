//! `shibori unpack`: frames back out of an atlas.

use std::path::PathBuf;

use serde::Serialize;
use shibori_core::shape::restore;
use shibori_formats::write;

use super::{gather, policy, slice, wrote};
use crate::args::{Everywhere, Unpack};
use crate::console::{Console, counted};
use crate::failure::Failure;

#[derive(Serialize)]
struct Report {
    manifest: PathBuf,
    frames: usize,
    removed: Vec<PathBuf>,
}

pub(super) fn run(args: &Unpack, everywhere: &Everywhere, console: &Console) -> Result<(), Failure> {
    let (set, sources) = gather::unpacked(&args.manifest, &args.only, everywhere, console)?;
    let set = if args.trimmed { set } else { restore(set)? };
    let count = set.frames().len();
    let files = write::set_files(set, &args.output, &policy(everywhere, sources))?;
    let written = slice::write_set(files, count, console)?;
    let manifest = args.output.join(shibori_formats::manifest::SET_FILE);
    console.say(&format!("{} {} and {}", wrote(everywhere), manifest.display(), counted(count, "image")));
    slice::say_removed(&written.removed, console);
    console.result(&Report { manifest, frames: count, removed: written.removed });
    Ok(())
}
