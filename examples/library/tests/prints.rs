//! Each program prints what its first lines say.

use std::process::Command;

#[test]
fn programs_print_what_they_say() {
    for (program, source) in [
        (env!("CARGO_BIN_EXE_find_and_pack"), include_str!("../src/bin/find_and_pack.rs")),
        (env!("CARGO_BIN_EXE_export_and_reload"), include_str!("../src/bin/export_and_reload.rs")),
        (env!("CARGO_BIN_EXE_play"), include_str!("../src/bin/play.rs")),
        (env!("CARGO_BIN_EXE_check"), include_str!("../src/bin/check.rs")),
    ] {
        let header = source.lines().map_while(|line| line.strip_prefix("//!")).map(str::trim);
        let says = header.skip_while(|line| *line != "```text").skip(1).take_while(|line| *line != "```");
        let wanted: Vec<&str> = says.collect();
        let output = Command::new(program).output().unwrap();
        assert!(output.status.success(), "{program}: {}", String::from_utf8_lossy(&output.stderr));
        let printed = String::from_utf8(output.stdout).unwrap();
        assert_eq!(printed.lines().collect::<Vec<_>>(), wanted, "{program}\n{printed}");
    }
}
