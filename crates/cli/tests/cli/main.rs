//! The built program, run on files in a temporary folder.

mod adjusting;
mod advice;
mod building;
mod changes;
mod clips;
mod companions;
mod damaged;
mod endings;
mod env;
mod exporting;
mod finding;
mod first_hour;
mod hand_work;
mod inputs;
mod jobs;
mod language;
mod live;
mod memory;
mod mistakes;
mod packing;
mod previews;
mod readme;
mod road;
mod safety;
mod schema;
mod watching;
