//! `shibori init`.
use super::Program;
use crate::args::Init;
use crate::failure::Failure;

pub(super) fn run(_: &Init, _: &Program<'_>) -> Result<(), Failure> {
    Ok(())
}
