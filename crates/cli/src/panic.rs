//! What is said where the program itself is wrong: that it is, that no file suffered, and what to report.

use std::any::Any;
use std::panic::PanicHookInfo;

/// Says so in place of the usual words for programmers.
pub(crate) fn install_hook() {
    std::panic::set_hook(Box::new(|info: &PanicHookInfo<'_>| {
        let place = info.location().map_or("an unknown place".to_owned(), ToString::to_string);
        let typed: Vec<String> =
            std::env::args_os().skip(1).map(|word| word.to_string_lossy().into_owned()).collect();
        eprintln!("{}", text(&panic_message(info.payload()), &place, &typed));
    }));
}

fn panic_message(payload: &(dyn Any + Send)) -> String {
    let text = payload.downcast_ref::<&str>().map(ToString::to_string);
    text.or_else(|| payload.downcast_ref::<String>().cloned()).unwrap_or_else(|| "no reason given".to_owned())
}

fn text(why: &str, place: &str, typed: &[String]) -> String {
    let typed: Vec<String> = typed.iter().map(|word| crate::wording::pasteable(word)).collect();
    format!(
        "error: shibori has a bug and had to stop; your files are as they were\n  \
         hint: please report the four lines below, with the file it happened on if you can share it\n    \
         version  {} ({}, {})\n    command  shibori {}\n    problem  {why}\n    place    {place}",
        env!("CARGO_PKG_VERSION"),
        std::env::consts::OS,
        std::env::consts::ARCH,
        typed.join(" "),
    )
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn a_report_has_all_that_finding_the_bug_takes() {
        let message_text = text(
            "index out of bounds",
            "crates/core/src/x.rs:7:9",
            &["pack".to_owned(), "my art".to_owned()],
        );
        for part in [env!("CARGO_PKG_VERSION"), "shibori pack 'my art'", "index out of bounds", "x.rs:7:9"] {
            assert!(
                message_text.contains(part) || message_text.contains(&part.replace('\'', "\"")),
                "{part}: {message_text}"
            );
        }
        assert_eq!(panic_message(&"a"), "a");
        assert_eq!(panic_message(&String::from("b")), "b");
        assert_eq!(panic_message(&7), "no reason given");
    }
}
