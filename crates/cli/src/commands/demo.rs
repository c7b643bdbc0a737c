//! `shibori demo`: write the demo art and run the whole road on it.
use crate::args::{Demo, Everywhere};
use crate::console::Console;
use crate::failure::Failure;
pub(super) fn run(_a: &Demo, _e: &Everywhere, _c: &Console) -> Result<(), Failure> {
    Ok(())
}
