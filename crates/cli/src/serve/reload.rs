//! Plain pages, and pages that load again once there is something new.

use shibori_formats::escape_xml;

/// Where pages ask for the number of the last build.
pub(crate) const RELOAD_PATH: &str = "/.shibori/news";
/// How plain pages look.
pub(super) const HEAD: &str = "<meta charset=\"utf-8\"><meta name=\"viewport\" content=\"width=device-width\">\
    <style>:root { color-scheme: light dark } body { font: 16px/1.6 system-ui, sans-serif; margin: 2rem }</style>";

/// A page that says why there is nothing to show, and loads again once that may have changed.
pub(crate) fn problem_page(root: &str, version: &str, lines: &[String]) -> String {
    let lines: String = lines
        .iter()
        .map(|line| format!("<p style=\"white-space:pre-wrap\">{}</p>\n", escape_xml(line)))
        .collect();
    let page = format!(
        "<!doctype html><html lang=\"en\">{HEAD}<title>Light table</title><body>\n{lines}</body></html>\n"
    );
    listening(&page, root, version)
}

/// The same page, loading again once there is another version than this one. `root` is what all paths begin with.
pub(super) fn listening(page: &str, root: &str, version: &str) -> String {
    let script = format!(
        "<script>setInterval(() => fetch(\"{root}{RELOAD_PATH}\").then(answer => answer.text()).then(\
         version => version.trim() === \"{version}\" || location.reload(), () => 0), 1000)</script>\n"
    );
    match page.rfind("</body>") {
        Some(at) => format!("{}{script}{}", &page[..at], &page[at..]),
        None => format!("{page}{script}"),
    }
}
