//! The program's words: numbers as people read them, notices, findings, and what is said of a sheet.

mod findings;
mod notices;
mod numbers;
mod report_path;
mod table;

pub(crate) use findings::{FindingReport, WordedGroup, command_line, pasteable_command, word_findings};
pub(crate) use notices::{notice, task_label};
pub(crate) use numbers::{
    cells, format_bytes, format_millis, numbers_as_ranges, pasteable, pasteable_path, spacing_options,
};
pub(crate) use report_path::ReportPath;
pub(crate) use shibori_core::wording::{abbreviate_list, count_noun, group_digits, rest_of};
pub(crate) use table::table;
