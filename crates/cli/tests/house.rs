//! The house: crates only look down, and no file or folder knows one that knows it.

#![allow(clippy::unwrap_used)] // a failure is a failed test

use rstest::rstest;
use std::collections::{BTreeMap, BTreeSet};
use std::fs;
use std::path::{Path, PathBuf};

/// The crates from below, each of which only knows those before it.
const CRATES: [&str; 9] = ["table", "values", "formats", "core", "bank", "check", "report", "standin", "cli"];

fn crates() -> PathBuf {
    Path::new(env!("CARGO_MANIFEST_DIR")).parent().unwrap().to_path_buf()
}

#[test]
fn crates_only_depend_on_crates_below() {
    for (place, name) in CRATES.iter().enumerate() {
        let manifest: toml_lines::Dependencies = toml_lines::of(&crates().join(name).join("Cargo.toml"));
        let known: BTreeSet<&str> = CRATES[..place].iter().copied().collect();
        for other in manifest.iter().filter_map(|dependency| dependency.strip_prefix("pebblebank-")) {
            assert!(known.contains(other) || (*name == "cli" && other == "demo"), "{name} knows {other}");
        }
    }
}

mod toml_lines {
    use std::path::Path;

    pub type Dependencies = Vec<String>;

    /// The names in the table `[dependencies]` of a manifest.
    pub fn of(manifest: &Path) -> Dependencies {
        let text = std::fs::read_to_string(manifest).unwrap();
        let table = text.split("\n[").find(|table| table.starts_with("dependencies]")).unwrap();
        let names = table.lines().skip(1).filter_map(|line| line.split(['.', ' ', '=']).next());
        names.filter(|name| !name.is_empty()).map(str::to_owned).collect()
    }
}

/// The modules of a crate by their paths, each with its file.
fn modules(source: &Path) -> BTreeMap<Vec<String>, PathBuf> {
    let mut found = BTreeMap::new();
    let mut folders = vec![source.to_path_buf()];
    while let Some(folder) = folders.pop() {
        for entry in fs::read_dir(&folder).unwrap() {
            let path = entry.unwrap().path();
            if path.is_dir() {
                folders.push(path);
            } else if path.extension().is_some_and(|ending| ending == "rs") {
                let place = path.strip_prefix(source).unwrap().with_extension("");
                let mut parts: Vec<String> = place.iter().map(|part| part.to_string_lossy().into_owned()).collect();
                if matches!(parts.last().map(String::as_str), Some("mod" | "lib" | "main")) {
                    parts.pop();
                }
                found.insert(parts, path);
            }
        }
    }
    found
}

/// The paths of a `use` tree: `a::{b, c::d}` is `a::b` and `a::c::d`.
fn paths_of(tree: &str) -> Vec<String> {
    let Some((before, inner)) = tree.split_once('{') else { return vec![tree.trim().to_owned()] };
    let inner = inner.trim_end().strip_suffix('}').unwrap();
    let (mut parts, mut depth, mut part) = (Vec::new(), 0, String::new());
    for sign in inner.chars() {
        match sign {
            '{' => depth += 1,
            '}' => depth -= 1,
            ',' if depth == 0 => {
                parts.push(std::mem::take(&mut part));
                continue;
            }
            _ => {}
        }
        part.push(sign);
    }
    parts.push(part);
    let parts = parts.iter().filter(|part| !part.trim().is_empty());
    parts.flat_map(|part| paths_of(&format!("{}{}", before.trim(), part.trim()))).collect()
}

/// The modules that a module's text names, other than itself.
fn known_by(module: &[String], text: &str, modules: &BTreeMap<Vec<String>, PathBuf>) -> BTreeSet<Vec<String>> {
    let text: String = text.lines().filter(|line| !line.trim_start().starts_with("//")).collect::<Vec<_>>().join("\n");
    let text = text.split("#[cfg(test)]").next().unwrap();
    let mut named: Vec<String> = Vec::new();
    let begins =
        |line: &str| line.trim_start().starts_with("use ") || (line.starts_with("pub") && line.contains(" use "));
    let mut lines = text.lines();
    while let Some(line) = lines.next() {
        if begins(line) {
            let mut statement = line.split_once("use ").unwrap().1.to_owned();
            while !statement.contains(';') {
                statement.push_str(lines.next().unwrap());
            }
            named.extend(paths_of(statement.split(';').next().unwrap()));
        }
    }
    for (at, _) in text.match_indices("crate::") {
        named.push(text[at..].chars().take_while(|sign| sign.is_alphanumeric() || "_:".contains(*sign)).collect());
    }
    // The begin of a tree, whose paths are there already.
    named.retain(|path| !path.ends_with("::"));
    let resolve = |path: &String| -> Option<Vec<String>> {
        let mut parts: Vec<&str> = path.split("::").map(str::trim).collect();
        let mut base: Vec<String> = Vec::new();
        match *parts.first()? {
            "crate" => drop(parts.remove(0)),
            "super" | "self" => {
                base = module.to_vec();
                while matches!(parts.first(), Some(&"super" | &"self")) {
                    if parts.remove(0) == "super" {
                        base.pop();
                    }
                }
            }
            first => {
                base = module.to_vec();
                let child = [module, &[first.to_owned()]].concat();
                modules.get(&child)?;
            }
        }
        base.extend(parts.iter().map(|part| (*part).to_owned()));
        (0..=base.len()).rev().map(|length| base[..length].to_vec()).find(|path| modules.contains_key(path))
    };
    named.iter().filter_map(resolve).filter(|found| found.as_slice() != module).collect()
}

/// A circle in a graph, if there is one.
fn circle<T: Ord + Clone>(graph: &BTreeMap<T, BTreeSet<T>>) -> Option<Vec<T>> {
    fn walk<T: Ord + Clone>(
        node: &T,
        graph: &BTreeMap<T, BTreeSet<T>>,
        way: &mut Vec<T>,
        done: &mut BTreeSet<T>,
    ) -> Option<Vec<T>> {
        if let Some(begin) = way.iter().position(|earlier| earlier == node) {
            return Some(way[begin..].to_vec());
        }
        if !done.contains(node) {
            way.push(node.clone());
            for next in graph.get(node).into_iter().flatten() {
                if let Some(found) = walk(next, graph, way, done) {
                    return Some(found);
                }
            }
            way.pop();
            done.insert(node.clone());
        }
        None
    }
    let mut done = BTreeSet::new();
    graph.keys().find_map(|node| walk(node, graph, &mut Vec::new(), &mut done))
}

#[rstest]
fn no_files_and_no_folders_of_a_crate_know_each_other(
    #[values("table", "values", "formats", "core", "bank", "check", "report", "standin", "cli")] name: &str,
) {
    let modules = modules(&crates().join(name).join("src"));
    let mut files: BTreeMap<Vec<String>, BTreeSet<Vec<String>>> = BTreeMap::new();
    for (module, path) in &modules {
        let mut known = known_by(module, &fs::read_to_string(path).unwrap(), &modules);
        // The root only lists what there is.
        known.remove(&Vec::new());
        files.insert(module.clone(), known);
    }
    assert!(files.len() > 4 && files.values().map(BTreeSet::len).sum::<usize>() > 3, "nothing was found in {name}");
    assert_eq!(circle(&files), None, "files of {name}");
    // In every folder: its files and folders, by what is in them.
    let folders: BTreeSet<&[String]> = modules.keys().flat_map(|path| (0..path.len()).map(|n| &path[..n])).collect();
    for folder in folders {
        let child = |path: &[String]| path.strip_prefix(folder).and_then(|rest| rest.first().cloned());
        let mut rooms: BTreeMap<String, BTreeSet<String>> = BTreeMap::new();
        for (module, known) in &files {
            let Some(own) = child(module) else { continue };
            let others = known.iter().filter_map(|other| child(other)).filter(|other| *other != own);
            rooms.entry(own.clone()).or_default().extend(others);
        }
        assert_eq!(circle(&rooms), None, "rooms of {name}/{}", folder.join("/"));
    }
}

/// The longest module, in lines of code: about what somebody takes in at one sitting.
const LONGEST_MODULE: usize = 380;

/// The longest function, in lines as they stand.
const LONGEST_FUNCTION: usize = 80;

/// The part of a file that is no test.
fn without_tests(text: &str) -> &str {
    text.split("\n#[cfg(test)]\nmod ").next().unwrap()
}

/// The functions in a file with their lengths: each ends with the brace that stands below its beginning.
fn functions(text: &str) -> Vec<(String, usize)> {
    let lines: Vec<&str> = text.lines().collect();
    let mut found = Vec::new();
    for (first, line) in lines.iter().enumerate() {
        let words = line.trim_start();
        let indent = &line[..line.len() - words.len()];
        let after = ["fn ", "pub fn ", "pub(crate) fn ", "pub(super) fn ", "pub const fn ", "const fn "];
        let Some(rest) = after.iter().find_map(|begin| words.strip_prefix(begin)) else { continue };
        // What a trait only asks for.
        if line.ends_with(';') {
            continue;
        }
        let name = rest.split(['(', '<']).next().unwrap().to_owned();
        let end = format!("{indent}}}");
        let length = lines[first..].iter().position(|line| *line == end).map_or(1, |lines| lines + 1);
        found.push((name, length));
    }
    found
}

#[rstest]
fn no_module_and_no_function_outgrows_its_reader(
    #[values("table", "values", "formats", "core", "bank", "check", "report", "standin", "cli")] name: &str,
) {
    let modules = modules(&crates().join(name).join("src"));
    let mut counted = 0;
    for path in modules.values() {
        let text = fs::read_to_string(path).unwrap();
        let text = without_tests(&text);
        let is_code = |line: &&str| !line.trim().is_empty() && !line.trim_start().starts_with("//");
        let lines = text.lines().filter(is_code).count();
        assert!(lines <= LONGEST_MODULE, "{} has {lines} lines of code: part it", path.display());
        for (function, length) in functions(text) {
            assert!(length <= LONGEST_FUNCTION, "{}: {function} has {length} lines: part it", path.display());
            counted += 1;
        }
    }
    assert!(counted > 25, "{counted} functions were found in {name}");
}

#[rstest]
#[case("fn a() {\n    1\n}\n", &[("a", 3)])]
#[case("impl X {\n    pub fn b(&self) {\n        2\n    }\n\n    fn c() {}\n}\n", &[("b", 3), ("c", 1)])]
fn the_length_of_functions_is_measured(#[case] text: &str, #[case] expected: &[(&str, usize)]) {
    let found = functions(text);
    assert_eq!(found.iter().map(|(name, length)| (name.as_str(), *length)).collect::<Vec<_>>(), expected);
}
