//! Small sheets.
