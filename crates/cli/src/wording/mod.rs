//! The program's words: numbers as people read them, notices, findings, and what is said of a sheet.

mod findings;
mod notices;
mod numbers;
mod report_path;
mod table;

pub(crate) use findings::{FindingReport, WordedGroup, command_line, pasteable_command, word_findings};
pub(crate) use notices::{notice, task_label};
pub(crate) use numbers::{
    abbreviate_list, cells, count_noun, format_bytes, format_millis, group_digits, numbers_as_ranges,
    pasteable, pasteable_path, rest_of, spacing_options,
};
pub(crate) use report_path::ReportPath;
pub(crate) use table::table;
