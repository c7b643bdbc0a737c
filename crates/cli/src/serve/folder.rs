//! A folder of outputs as a site: files, lists of them, and pages that load again after each build.

use std::fs;
use std::path::{Component, Path, PathBuf};

use percent_encoding::percent_decode_str;
use shibori_formats::{DisplaySlashed, escape_url_path, escape_xml};

use super::Answer;
use super::reload::{HEAD, listening};

/// A folder whose files are shown, but nothing outside it.
pub(crate) struct Folder<'a> {
    pub(crate) folder: &'a Path,
    /// What every path begins with.
    pub(crate) root: &'a str,
    /// What the last build is known by.
    pub(crate) version: &'a str,
}

impl Folder<'_> {
    /// The file at a path; `complete` gives a page of HTML what it needs besides.
    pub(crate) fn answer(&self, path: &str, complete: &dyn Fn(&str) -> String) -> Answer {
        let Some(file) = inside(self.folder, path) else {
            // Nothing is built yet, perhaps: the page comes as soon as it is.
            return Answer::html(self.listening("<p>no such file</p>")).with_status(404);
        };
        if file.is_dir() {
            return Answer::html(self.listening(&listing(self.root, self.folder, &file)));
        }
        match fs::read(&file) {
            Err(_) => Answer::plain(404, "no such file"),
            Ok(bytes) if kind(&file).starts_with("text/html") => {
                Answer::html(complete(&String::from_utf8_lossy(&bytes)))
            }
            Ok(bytes) => Answer::file(bytes, kind(&file)),
        }
    }

    /// The same page, loading again after the next build.
    pub(crate) fn listening(&self, page: &str) -> String {
        listening(page, self.root, self.version)
    }
}

/// The file that a path means, if it is below the folder.
fn inside(folder: &Path, path: &str) -> Option<PathBuf> {
    let wanted = PathBuf::from(decoded(path)?.trim_start_matches('/'));
    if !wanted.components().all(|part| matches!(part, Component::Normal(_))) {
        return None;
    }
    let is_hidden = |part: Component<'_>| part.as_os_str().to_string_lossy().starts_with('.');
    if wanted.components().any(is_hidden) {
        return None;
    }
    let (real, folder) = (folder.join(wanted).canonicalize().ok()?, folder.canonicalize().ok()?);
    real.starts_with(folder).then_some(real)
}

/// A path of a URL without `%20` and the like.
fn decoded(path: &str) -> Option<String> {
    Some(percent_decode_str(path).decode_utf8().ok()?.into_owned())
}

/// What a folder holds, as a page of links; pages first.
fn listing(root: &str, whole: &Path, folder: &Path) -> String {
    let mut names: Vec<(bool, String)> = Vec::new();
    for entry in fs::read_dir(folder).into_iter().flatten().flatten() {
        let name = entry.file_name().to_string_lossy().into_owned();
        if !name.starts_with('.') {
            let name = if entry.path().is_dir() { name + "/" } else { name };
            names.push((!kind(Path::new(&name)).starts_with("text/html"), name));
        }
    }
    names.sort();
    let real = whole.canonicalize().unwrap_or_else(|_| whole.to_owned());
    let shown = folder.strip_prefix(&real).map(|path| path.display_slashed().to_string()).unwrap_or_default();
    let at = if shown.is_empty() { String::new() } else { format!("/{shown}") };
    let link = |(_, name): &(bool, String)| {
        format!(
            "<li><a href=\"{}\">{}</a></li>\n",
            escape_url_path(&format!("{root}{at}/{name}")),
            escape_xml(name)
        )
    };
    let links: String = names.iter().map(link).collect();
    format!(
        "<!doctype html><html lang=\"en\">{HEAD}<title>{0}</title>\n<h1>{0}</h1>\n<ul>\n{links}</ul>\n",
        escape_xml(&if shown.is_empty() { "Outputs".to_owned() } else { shown })
    )
}

fn kind(file: &Path) -> &'static str {
    match file.extension().unwrap_or_default().to_string_lossy().to_lowercase().as_str() {
        "html" | "htm" => "text/html; charset=utf-8",
        "png" | "apng" => "image/png",
        "gif" => "image/gif",
        "webp" => "image/webp",
        "svg" => "image/svg+xml",
        "css" => "text/css; charset=utf-8",
        "json" => "application/json",
        "gltf" => "model/gltf+json",
        "glb" => "model/gltf-binary",
        "csv" | "txt" | "lua" | "toml" => "text/plain; charset=utf-8",
        _ => "application/octet-stream",
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn only_files_below_the_folder_are_shown() {
        let folder = tempfile::tempdir().unwrap();
        fs::create_dir(folder.path().join("build")).unwrap();
        fs::write(folder.path().join("secret.txt"), b"x").unwrap();
        fs::write(folder.path().join("build/a b.html"), b"x").unwrap();
        fs::write(folder.path().join("build/.hidden"), b"x").unwrap();
        let build = folder.path().join("build");
        assert!(inside(&build, "/a%20b.html").is_some());
        for path in
            ["/../secret.txt", "/%2e%2e/secret.txt", "//etc/passwd", "/.hidden", "/none", "/%zz", "/%"]
        {
            assert!(inside(&build, path).is_none(), "{path}");
        }
        #[cfg(unix)]
        {
            std::os::unix::fs::symlink(folder.path().join("secret.txt"), build.join("link.txt")).unwrap();
            assert!(inside(&build, "/link.txt").is_none());
        }
        let page = listening("<body>x</body>", "", "1-2");
        assert!(page.starts_with("<body>x<script>") && page.ends_with("</script>\n</body>"), "{page}");
    }

    #[test]
    fn names_of_any_kind_are_links_that_lead_to_them() {
        let folder = tempfile::tempdir().unwrap();
        let names = ["50% #1?.html", "a'b & <i>.png", "\u{e9} +.png"];
        let odd: &[&str] = if cfg!(windows) { &[] } else { &["x\" onmouseover=\"alert(1).html"] };
        for name in names.iter().filter(|name| !cfg!(windows) || !name.contains(['?', '<', '>'])).chain(odd) {
            fs::write(folder.path().join(name), b"x").unwrap();
            let page = listing("", folder.path(), folder.path());
            assert!(
                page.contains(&format!(">{}<", escape_xml(name))) && !page.contains("onmouseover=\"alert"),
                "{page}"
            );
            let link = escape_url_path(&format!("/{name}"));
            assert!(page.contains(&format!("href=\"{link}\"")), "{page}");
            assert!(inside(folder.path(), &link).is_some_and(|file| file.is_file()), "{link}");
        }
    }
}
