//! Per-frame lists as the columns of their CSV, as `decode::overrides` reads them.

use shibori_core::shape::{FrameOverride, OverrideKind};
use shibori_core::{Insets, SignedRect};

/// Lines of a per-frame list as the four columns of its file: frame, kind, name and values.
pub fn override_columns(lines: &[FrameOverride]) -> Vec<[String; 4]> {
    let columns = |line: &FrameOverride| {
        let (kind, name, values) = match &line.kind {
            OverrideKind::Shift(x, y) => ("shift", String::new(), format!("{x},{y}")),
            OverrideKind::Move(x, y) => ("move", String::new(), format!("{x},{y}")),
            OverrideKind::Pivot(point) => ("pivot", String::new(), format!("{},{}", point.x, point.y)),
            OverrideKind::Box(name, SignedRect { x, y, width, height }) => {
                ("box", name.to_string(), format!("{x},{y},{width},{height}"))
            }
            OverrideKind::Nine(Insets { left, top, right, bottom }) => {
                ("nine", String::new(), format!("{left},{top},{right},{bottom}"))
            }
        };
        [line.frame.clone(), kind.to_owned(), name, values]
    };
    lines.iter().map(columns).collect()
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::decode::{ReadOptions, overrides};

    #[test]
    fn lines_read_back_as_they_were() {
        let text = "frame,kind,name,values\nkoi-00,shift,,-2 0\nkoi-00,move,,3 -1\nkoi-01,pivot,,16 23.5\n\
                    koi-01,box,the foot,-4 10 24 12\nsign,nine,,4 4 4 6\n";
        let folder = tempfile::tempdir().unwrap();
        let file = folder.path().join("places.csv");
        std::fs::write(&file, text).unwrap();
        let read = overrides(&file, &ReadOptions::default()).unwrap();
        let rows =
            override_columns(&read.lines).into_iter().map(|row| format!("\"{}\"\n", row.join("\",\"")));
        std::fs::write(&file, rows.collect::<String>()).unwrap();
        let kinds = |list: shibori_core::shape::FrameOverrides| {
            list.lines.into_iter().map(|line| (line.frame, line.kind)).collect::<Vec<_>>()
        };
        assert_eq!(kinds(overrides(&file, &ReadOptions::default()).unwrap()), kinds(read));
    }
}
